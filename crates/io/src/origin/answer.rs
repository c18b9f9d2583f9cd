//! What comes of asking a place, or why nothing does, and what is known of who asks.

use std::collections::BTreeMap;

use futures_util::stream::BoxStream;
use kanon_core::base::path::printable;

use crate::error::{PlaceFault, Unfit};
use crate::retry::RetryPolicy;

/// An answer that is being received.
pub(crate) struct Answer {
    /// The place of its first byte in the file.
    pub start: u64,
    /// What the file is known again by.
    pub tag: Option<String>,
    /// What comes.
    pub chunks: BoxStream<'static, Result<Vec<u8>, Failed>>,
}

/// Why nothing came.
#[derive(Debug)]
pub(crate) enum Failed {
    /// It is what it was.
    NotModified,
    /// There is no such file.
    NotThere,
    /// It does not let us in.
    Forbidden,
    /// More came than any honest place would send.
    TooLarge,
    /// Trying again may help.
    MayPass(Unfit),
    /// Trying again will not help.
    Other(Unfit),
}

impl Failed {
    /// Why not.
    pub fn why(self) -> Unfit {
        match self {
            Self::NotModified => Unfit::Place(PlaceFault::NotModified),
            Self::NotThere => Unfit::Place(PlaceFault::NoSuchFile),
            Self::Forbidden => Unfit::Place(PlaceFault::Forbidden),
            Self::TooLarge => Unfit::Place(PlaceFault::TooMuch),
            Self::MayPass(why) | Self::Other(why) => why,
        }
    }
}

/// How places are reached, and who asks. It holds secrets, and is never printed.
#[derive(Default, Clone)]
pub struct Access {
    /// How long one that does not answer is waited for.
    pub patience: RetryPolicy,
    /// Where buckets are and who asks there, by the names of the usual variables (`AWS_…`). Some hold secrets.
    pub bucket: BTreeMap<String, String>,
}

impl From<reqwest::Error> for Failed {
    fn from(error: reqwest::Error) -> Self {
        if error.is_redirect() {
            return Self::Other(Unfit::Told(innermost(&error)));
        }
        if error.is_timeout() {
            return Self::MayPass(Unfit::Place(PlaceFault::Silent));
        }
        Self::MayPass(Unfit::Told(innermost(&error)))
    }
}

/// The innermost cause: the one that a person can do something about.
pub(crate) fn innermost(error: &dyn std::error::Error) -> String {
    let mut cause = error;
    while let Some(inner) = cause.source() {
        cause = inner;
    }
    printable(&cause.to_string())
}
