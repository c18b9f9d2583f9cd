//! Why a text file can't be edited, as two readers find.

use super::command::LaunchError;
use super::flaw::{Flaw, Malformed};
use super::kinds::DocumentError;

/// Why a file can't be edited. It is left as it is then.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum EditError {
    /// It can't be read.
    #[error(transparent)]
    Document(#[from] DocumentError),
    /// It is not well-formed, or what the rule asks for is not in it.
    #[error(transparent)]
    Malformed(#[from] Malformed),
    /// A list in it can't be read as the rule says.
    #[error("{0}")]
    Unreadable(String),
    /// It was changed by somebody.
    #[error("it was changed while it was looked at")]
    Changed,
    /// What is to be written has no place in it.
    #[error(transparent)]
    NoPlace(#[from] NoPlace),
    /// Its encoding has no way to write what is to be written.
    #[error("`{0}` can't be written in the encoding of the file")]
    NotEncodable(String),
    /// Written, it would not say what is meant; so it is not written.
    #[error("edited, it would not say what is meant: {0}")]
    Unsafe(#[from] Unmeant),
}

/// Why what is to be written has no place in a file.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum NoPlace {
    /// A variable can't hold it.
    #[error(
        "line {line}: `{text}` has a blank in it, and blanks part what a variable holds; give the option where the game is started"
    )]
    Blank {
        /// The line, from one.
        line: usize,
        /// What is to be written.
        text: String,
    },
    /// Quotes stand where it should be.
    #[error("line {0}: it can't be written within the quotes that stand there")]
    Quotes(usize),
    /// A line ends with a lone sign.
    #[error("a line in it ends in a way that no two programs read alike")]
    OddLineEnd,
    /// One list is told in several places.
    #[error("line {line}: one command is given {option} several times")]
    SeveralTimes {
        /// The line, from one.
        line: usize,
        /// The option.
        option: String,
    },
    /// The path of a list leads to no list.
    #[error("{0} is not one list that can be written")]
    NoList(String),
    /// The list stands elsewhere.
    #[error("{0} is written elsewhere, by an alias")]
    Elsewhere(String),
    /// Numbered keys are out of order.
    #[error("the numbers in {0} do not stand in their order, each on a line")]
    OddNumbers(String),
    /// The value stands in pieces.
    #[error("what stands at {0} is not written there in one piece")]
    InPieces(String),
    /// A list or a table stands there.
    #[error("{0} is no single value")]
    NoSingleValue(String),
    /// Nothing stands there, and there is no room.
    #[error("nothing stands at {0}, and nothing can be put there")]
    Nothing(String),
    /// The option of an amount is not there.
    #[error("the option is not in it")]
    NoOption,
    /// The bytes of an entry are not at hand.
    #[error("the entry {key} of {of_mod} is nowhere")]
    EntryNowhere {
        /// What tells the entry apart.
        key: String,
        /// Whose it is.
        of_mod: String,
    },
}

/// What an edited text would say that is not meant.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum Unmeant {
    /// Bytes that are no text would be lost.
    #[error("some of its bytes are no text")]
    NotText,
    /// It would not be well-formed.
    #[error(transparent)]
    Malformed(#[from] Malformed),
    /// It could not be read.
    #[error(transparent)]
    Document(#[from] DocumentError),
    /// A list of it could not be read.
    #[error("{0}")]
    Unreadable(String),
    /// An entry would be there never or twice.
    #[error("{0} would not be there just once")]
    NotJustOnce(String),
    /// A list would have more or fewer entries.
    #[error("{found} entries in place of {meant}")]
    Count {
        /// How many would be read.
        found: usize,
        /// How many there should be.
        meant: usize,
    },
    /// An entry would be read as another.
    #[error("{meant} would be read as {found}")]
    Entry {
        /// What should be there.
        meant: String,
        /// What would be read.
        found: String,
    },
    /// A setting would have another value.
    #[error("{at} would be {found}")]
    Value {
        /// Its place.
        at: String,
        /// The value.
        found: String,
    },
    /// An amount would be another.
    #[error("an amount would be read as another")]
    Amount,
    /// What another reader finds.
    #[error(transparent)]
    Second(#[from] SecondReading),
}

/// What a second reader, who has nothing in common with the first, finds in an edited text.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum SecondReading {
    /// It can't read what was there.
    #[error("another reader makes nothing of it: {0}")]
    NothingBefore(Flaw),
    /// It can't read what would be there.
    #[error("another reader could not read it: {0}")]
    NothingAfter(Flaw),
    /// It finds a list that is not the meant one.
    #[error("another reader would find something else in it: {0}")]
    Unreadable(String),
    /// It finds a list that is not the meant one.
    #[error("another reader would find something else in it: edited, it would not say what is meant: {0}")]
    List(Box<Unmeant>),
    /// More is changed than was meant.
    #[error("another reader would find something else in it: not only that is changed")]
    More,
    /// Lines between entries are changed.
    #[error("another reader would find something else in it: lines that are no entries are changed")]
    Lines,
    /// An entry that stays is changed.
    #[error("another reader would find something else in it: an entry that stays is changed")]
    Entry,
    /// The value would be another.
    #[error("another reader would find something else in it: {found} in place of {meant}")]
    Value {
        /// What it finds.
        found: String,
        /// What was meant.
        meant: String,
    },
    /// There would be no value.
    #[error("another reader would find something else in it: no value where it was put")]
    NoValue,
    /// A comment would go.
    #[error("a comment would not stay: {0}")]
    Comment(String),
    /// A comment would go that no entry brought.
    #[error("a comment would be lost: {0}")]
    CommentLost(String),
    /// A quote would have no end.
    #[error("a quote would be left open")]
    OpenQuote,
    /// A word of a command would be another.
    #[error("another reader would find {new:?} in place of {old:?}")]
    Word {
        /// The word that would be found.
        new: String,
        /// The word that was there.
        old: String,
    },
    /// The command line can't be read.
    #[error(transparent)]
    Launch(#[from] LaunchError),
}
