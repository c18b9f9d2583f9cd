//! The notations there are, and why a document can't be read.

use super::flaw::Malformed;
use crate::base::limits;
use crate::base::path::printable;

/// How a document is written.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Notation {
    /// JSON, also with comments and trailing commas.
    Json,
    /// TOML.
    Toml,
    /// YAML, its first document.
    Yaml,
    /// XML; see [`Notation::read`] for how elements become values.
    Xml,
    /// Sections of `key = value` lines.
    Ini,
    /// `key = value` lines, perhaps with a semicolon at the end.
    KeyValue,
    /// Java-style properties.
    Properties,
    /// `Key: value` lines, which an empty line ends.
    Headers,
    /// What scripts say as data: `name = { "a", "b" }`.
    Block,
}

/// The words for notations in a rulebook.
pub const NOTATION_WORDS: [(&str, Notation); 9] = [
    ("json", Notation::Json),
    ("toml", Notation::Toml),
    ("yaml", Notation::Yaml),
    ("xml", Notation::Xml),
    ("ini", Notation::Ini),
    ("key-value", Notation::KeyValue),
    ("properties", Notation::Properties),
    ("headers", Notation::Headers),
    ("block", Notation::Block),
];

/// Why a document can't be read.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum DocumentError {
    /// It is larger than any metadata should be.
    #[error("it is larger than {} MiB", limits::DOCUMENT_BYTES >> 20)]
    TooLarge,
    /// It holds more values than any metadata should.
    #[error("it holds more than {} values", limits::DOCUMENT_NODES)]
    TooMany,
    /// It is not UTF-8.
    #[error("it is not UTF-8 text (the byte at offset {offset} is not); if it never is, say encoding in the rulebook")]
    NotUtf8 {
        /// Where the first wrong byte is.
        offset: usize,
    },
    /// It is not in the encoding that the rulebook says.
    #[error("it is not text in {encoding}")]
    NotEncoded {
        /// The encoding.
        encoding: &'static str,
    },
    /// It does not follow its notation.
    #[error("it is not valid {notation}: {}", printable(&reason.to_string()))]
    Invalid {
        /// The notation's name.
        notation: &'static str,
        /// What does not follow it, and where.
        reason: Malformed,
    },
}

impl Notation {
    /// Whether files of it are only read, and left to who edits them by hand.
    pub const fn is_only_read(self) -> bool {
        matches!(self, Self::Headers | Self::Block)
    }
}

pub(super) fn invalid(notation: &'static str, reason: impl Into<Malformed>) -> DocumentError {
    DocumentError::Invalid { notation, reason: reason.into() }
}
