//! What is wrong in `kanon.toml`, and how it is mended, as values. Each says itself in words in one way.

use displaydoc::Display;

use crate::base::ids::FoldedId;

/// What is wrong at a place.
#[derive(Debug, Clone, PartialEq, Eq, Display)]
pub enum Mistake {
    /// this is no BLAKE3 digest, which has 64 hex digits
    NoDigest,
    /// a password stands here, where everybody can read it
    Password,
    /// a password stands in `{0}`, where everybody can read it
    PasswordIn(String),
    /// `{0}` is no amount of memory
    NoAmount(String),
    /// `{key}` can't be {number}
    OutOfBounds {
        /// The key.
        key: &'static str,
        /// What it says.
        number: u64,
    },
    /// {0}
    NoSpan(SpanError),
    /// this is no address
    NoAddress,
    /// `optional` and `needed_on = "{0}"` can't both be
    OptionalAndSide(&'static str),
    /// `{0}` stands twice in kanon.toml
    Twice(FoldedId),
    /// `{id}` is to come from `{from}`, which is neither an install nor a source
    UnknownPlace {
        /// The mod.
        id: FoldedId,
        /// What it says.
        from: String,
    },
}

/// Why a text is no span of time that can be meant.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum SpanError {
    /// It is none.
    #[error("`{0}` is no span of time")]
    NoSpan(String),
    /// It is less than nothing.
    #[error("`{0}` goes back in time")]
    Backwards(String),
    /// Nobody means that.
    #[error("`{0}` is too short or too long to be meant")]
    OutOfBounds(String),
}

/// How a mistake is mended.
#[derive(Debug, Clone, PartialEq, Eq, Display)]
pub enum Mend {
    /// kanon rulebook renew writes it
    RenewRulebook,
    /// take it out of the address: rulebooks are fetched from where everybody may
    OutOfRulebook,
    /// take it out of the address; Kanon asks for it, or finds it in the key ring or the environment
    OutOfInstall,
    /// take it out; credentials for a bucket come from the environment
    OutOfRelease,
    /// write {{secret}} in its place, and set KANON_HOOK_SECRET where kanon watch runs
    OutOfHook,
    /// write a number and its unit, such as 4GiB
    Amount,
    /// write a number from {0} to {1}, or leave it out
    Between(u64, u64),
    /// write it like 30s, 10m or 1h 30m
    Span,
    /// write http://… or https://…
    Address,
    /// keep one of the two
    KeepOne,
    /// Two tables are of one mod.
    #[displaydoc("keep one of the two [[mod]] tables")]
    KeepOneMod,
    /// did you mean `{0}`?
    DidYouMean(String),
    /// A name that nothing of this file has.
    #[displaydoc("name an [install.…] or a [source.…] of this file")]
    NamePlace,
}
