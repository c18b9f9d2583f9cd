//! How much each kind of support adds to a cause, in log-odds: the one table of the weighing. docs/diagnosis.md tells how the
//! weights were tried.

macro_rules! table {
    ($($kind:ident $weight:literal $about:literal,)*) => {
        /// A kind of support for a cause.
        #[derive(Debug, Clone, Copy, PartialEq, Eq)]
        pub(super) enum Support {
            $(#[doc = $about] $kind,)*
        }

        impl Support {
            /// What it adds, in log-odds.
            pub(super) const fn weight(self) -> f64 {
                match self { $(Self::$kind => $weight,)* }
            }
        }
    };
}

table! {
    Blocking 2.0 "a blocking difference that was measured",
    Risky -0.4 "a risky one",
    RiskyBeside -1.6 "a risky one beside a blocking one",
    SameCause 1.5 "a line that names the same thing and such a cause",
    SameThing 0.6 "a line that names the same thing alone",
    OnlyOneSuch 1.3 "a line that names such a cause alone, of which there is one",
    OneOfSuch 0.4 "a line that names such a cause, of which there are several",
    ToldWithMod 1.2 "a line alone: a cause and a mod",
    Told 0.8 "a line alone: a cause",
    ToldVaguely 0.2 "a line alone: that something is wrong with a mod",
    ToldTwice 0.6 "the other log tells it too",
    OtherInLine 0.2 "the other side was measured and is in line",
    SpokenAgainst -2.4 "a survey speaks against it",
    NeverUp 0.5 "the line is of a side that never came up",
    OfBefore -0.7 "the line is of a join, and the client did not get so far the last time",
    Hinted -0.3 "words near a name",
    HintedVaguely -0.7 "words that only say that something failed",
    HintedUnknown -0.4 "words near a name that nobody knows as a mod's",
    HintedBefore -0.6 "words near a name before a client tried to join",
    HintedAgain 0.2 "each further line of the kind",
    HintedLast 0.3 "the last hint of all, which is of the last try; the first may be of any",
    Message 0.8 "a message that is shown for such a cause, wholly alike",
    MessageAlone -0.6 "such a message as the only thing there is: its first meaning",
    MessageNext -0.5 "each later meaning of it",
    Guessed -1.4 "words of a refusal or a message that nothing knows",
    NamesOne 0.9 "such a text, or one that is like a known one, names a mod",
}

/// Without a measurement nobody is surer than this, as a probability.
pub(super) const MOST_UNMEASURED: f64 = 0.89;

/// A refusal is explained by a verdict that is surer than this, as a probability.
pub(super) const EXPLAINS: f64 = 0.3;
