//! Documents inside mods and installs, whatever their notation, as one value that JSONPath can walk.

use serde_json::Value;

use crate::limits;
use crate::path::printable;

/// How a document is written.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Notation {
    /// JSON.
    Json,
    /// TOML.
    Toml,
}

/// The words for notations in a rulebook.
pub const NOTATION_WORDS: [(&str, Notation); 2] = [("json", Notation::Json), ("toml", Notation::Toml)];

/// Why a document can't be read.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum DocumentError {
    /// It is larger than any metadata should be.
    #[error("it is larger than {} MiB", limits::DOCUMENT_BYTES >> 20)]
    TooLarge,
    /// It is not UTF-8.
    #[error("it is not UTF-8 text (the byte at offset {offset} is not)")]
    NotUtf8 {
        /// Where the first wrong byte is.
        offset: usize,
    },
    /// It does not follow its notation.
    #[error("it is not valid {notation}: {reason}")]
    Invalid {
        /// The notation's name.
        notation: &'static str,
        /// What the parser says, with the place.
        reason: String,
    },
}

impl Notation {
    /// The notation that a file's extension stands for.
    pub fn of_name(name: &str) -> Option<Self> {
        let extension = name.rsplit_once('.')?.1.to_lowercase();
        match extension.as_str() {
            "json" => Some(Self::Json),
            "toml" => Some(Self::Toml),
            _ => None,
        }
    }

    /// Reads a document. A byte-order mark is passed over.
    ///
    /// # Errors
    /// When it is too large, not UTF-8, or does not follow the notation (nesting is bounded by the parsers).
    pub fn read(self, bytes: &[u8]) -> Result<Value, DocumentError> {
        let text = text(bytes)?;
        match self {
            Self::Json => serde_json::from_str(text).map_err(|error| invalid("JSON", &error.to_string())),
            Self::Toml => toml::from_str::<toml::Table>(text)
                .map_err(|error| invalid("TOML", error.message()))
                .and_then(|table| serde_json::to_value(table).map_err(|error| invalid("TOML", &error.to_string()))),
        }
    }
}

/// The text of a document, without its byte-order mark.
///
/// # Errors
/// When it is too large or not UTF-8.
pub fn text(bytes: &[u8]) -> Result<&str, DocumentError> {
    if bytes.len() as u64 > limits::DOCUMENT_BYTES {
        return Err(DocumentError::TooLarge);
    }
    let bytes = bytes.strip_prefix(b"\xef\xbb\xbf").unwrap_or(bytes);
    std::str::from_utf8(bytes).map_err(|error| DocumentError::NotUtf8 { offset: error.valid_up_to() })
}

fn invalid(notation: &'static str, reason: &str) -> DocumentError {
    DocumentError::Invalid { notation, reason: printable(reason) }
}

/// A value as the text that a fact is made of; objects, lists and null are no text.
pub fn scalar(value: &Value) -> Option<String> {
    let text = match value {
        Value::String(text) => text.trim().to_owned(),
        Value::Number(number) => number.to_string(),
        Value::Bool(flag) => flag.to_string(),
        Value::Null | Value::Array(_) | Value::Object(_) => return None,
    };
    let bounded: String = text.chars().take(limits::VALUE_CHARS).collect();
    (!bounded.is_empty()).then_some(bounded)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use rstest::rstest;

    #[rstest]
    #[case(Notation::Json, b"\xef\xbb\xbf{\"id\": \"tide\"}")]
    #[case(Notation::Toml, b"id = 'tide'\r\n")]
    fn reads(#[case] notation: Notation, #[case] bytes: &[u8]) {
        assert_eq!(notation.read(bytes).expect("read")["id"], "tide");
    }

    #[rstest]
    #[case(Notation::Json, b"{\"id\": ", "not valid JSON")]
    #[case(Notation::Toml, b"id = = 1", "not valid TOML")]
    #[case(Notation::Json, b"{\"id\": \"\xff\"}", "not UTF-8 text (the byte at offset 8")]
    fn refuses(#[case] notation: Notation, #[case] bytes: &[u8], #[case] expected: &str) {
        let error = notation.read(bytes).expect_err("refused").to_string();
        assert!(error.contains(expected), "{error}");
    }

    #[test]
    fn depth_and_size_are_bounded() {
        let deep = "[".repeat(100_000);
        assert!(Notation::Json.read(deep.as_bytes()).is_err());
        assert!(Notation::Toml.read(format!("a = {deep}").as_bytes()).is_err());
        let large = vec![b' '; limits::DOCUMENT_BYTES as usize + 1];
        assert_eq!(Notation::Json.read(&large), Err(DocumentError::TooLarge));
    }

    proptest! {
        #[test]
        fn any_bytes_are_taken_calmly(bytes in proptest::collection::vec(any::<u8>(), 0..200)) {
            let _ = (Notation::Json.read(&bytes), Notation::Toml.read(&bytes));
        }
    }
}
