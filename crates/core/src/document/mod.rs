//! Documents inside mods and installs, whatever their notation and encoding, as one value that JSONPath can walk.

mod lines;
mod xml;

pub use lines::bare_value;

use std::borrow::Cow;
use std::collections::HashMap;

use jsonc_parser::ParseOptions;
use serde_json::Value;

use crate::limits;
use crate::path::printable;
use crate::problem::place;

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
}

/// The words for notations in a rulebook.
pub const NOTATION_WORDS: [(&str, Notation); 7] = [
    ("json", Notation::Json),
    ("toml", Notation::Toml),
    ("yaml", Notation::Yaml),
    ("xml", Notation::Xml),
    ("ini", Notation::Ini),
    ("key-value", Notation::KeyValue),
    ("properties", Notation::Properties),
];

/// How the text of a document is stored. A byte-order mark outranks it.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Encoding {
    /// UTF-8.
    #[default]
    Utf8,
    /// UTF-16, little-endian unless a byte-order mark says otherwise.
    Utf16,
    /// Windows code page 1252, which holds Latin-1.
    Windows1252,
}

/// The words for encodings in a rulebook.
pub const ENCODING_WORDS: [(&str, Encoding); 3] =
    [("utf-8", Encoding::Utf8), ("utf-16", Encoding::Utf16), ("windows-1252", Encoding::Windows1252)];

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
            "json" | "jsonc" | "json5" => Some(Self::Json),
            "toml" => Some(Self::Toml),
            "yaml" | "yml" => Some(Self::Yaml),
            "xml" => Some(Self::Xml),
            "ini" => Some(Self::Ini),
            "conf" | "cfg" => Some(Self::KeyValue),
            "properties" => Some(Self::Properties),
            _ => None,
        }
    }

    /// The rulebook's word for it.
    pub fn word(self) -> &'static str {
        NOTATION_WORDS.iter().find(|(_, notation)| *notation == self).map_or("", |(word, _)| word)
    }

    /// Reads a document.
    ///
    /// XML: the root element is the one key of the document. An element is an object with its attributes as `@name`,
    /// its child elements as lists by name (always lists), and its text as `#text`; one that has neither attributes
    /// nor children is just its text. Entities other than XML's own five are not expanded.
    ///
    /// INI: a section is an object; keys before the first section are at the top. A key that stands several times
    /// is a list. `key = value` lines and properties are one object.
    ///
    /// # Errors
    /// When it is too large or too deep, not text in its encoding, or does not follow the notation.
    pub fn read(self, bytes: &[u8], encoding: Encoding) -> Result<Value, DocumentError> {
        let text = text(bytes, encoding)?;
        self.refuse_many(&text)?;
        match self {
            Self::Json => json(&text),
            Self::Toml => toml::from_str::<toml::Table>(&text)
                .map_err(|error| invalid("TOML", &toml_reason(&text, &error)))
                .and_then(|table| serde_json::to_value(table).map_err(|error| invalid("TOML", &error.to_string()))),
            Self::Yaml => yaml(&text),
            Self::Xml => xml::read(&text).map_err(|reason| invalid("XML", &reason)),
            Self::Ini => lines::ini(&text).map_err(|reason| invalid("INI", &reason)),
            Self::KeyValue => Ok(lines::key_value(&text)),
            Self::Properties => lines::properties(&text).map_err(|reason| invalid("properties", &reason)),
        }
    }

    /// Counts what begins or parts values, before any of it is read: read, each takes many times the room that it takes written.
    fn refuse_many(self, text: &str) -> Result<(), DocumentError> {
        let counts = |signs: &[u8]| text.bytes().filter(|byte| signs.contains(byte)).count();
        let count = match self {
            Self::Json => counts(b",:[{"),
            // A table of TOML takes several times the room of a value.
            Self::Toml => counts(b",=[{") + 2 * counts(b"["),
            Self::Xml => counts(b"<="),
            Self::Yaml => counts(b",[{\n:"),
            Self::Ini | Self::KeyValue | Self::Properties => counts(b"\n\r"),
        };
        if count > 2 * limits::DOCUMENT_NODES { Err(DocumentError::TooMany) } else { Ok(()) }
    }
}

fn toml_reason(text: &str, error: &toml::de::Error) -> String {
    match error.span() {
        Some(span) => format!("{}: {}", place(text, span.start), error.message()),
        None => error.message().to_owned(),
    }
}

/// Strict JSON first: it is the usual case, and its nesting is bounded by the parser.
fn json(text: &str) -> Result<Value, DocumentError> {
    let strict = match serde_json::from_str(text) {
        Ok(value) => return Ok(value),
        Err(error) => invalid("JSON", &error.to_string()),
    };
    if brackets_deep(text, (b"[{", b"]}")) > limits::DEPTH {
        return Err(strict);
    }
    let options = ParseOptions {
        allow_comments: true,
        allow_trailing_commas: true,
        allow_loose_object_property_names: false,
        allow_missing_commas: false,
        allow_single_quoted_strings: false,
        allow_hexadecimal_numbers: false,
        ..ParseOptions::default()
    };
    jsonc_parser::parse_to_serde_value::<Value>(text, &options).map_err(|_| strict)
}

/// At least the depth of nesting, by the brackets that open and close; those in texts count too.
pub(crate) fn brackets_deep(text: &str, (opening, closing): (&[u8], &[u8])) -> usize {
    let (mut depth, mut deepest) = (0usize, 0);
    for byte in text.bytes() {
        if opening.contains(&byte) {
            depth += 1;
        } else if closing.contains(&byte) {
            depth = depth.saturating_sub(1);
        }
        deepest = deepest.max(depth);
    }
    deepest
}

/// The parser bounds depth; what aliases stand for is counted before anything is made of it.
fn yaml(text: &str) -> Result<Value, DocumentError> {
    use serde::Deserialize;
    let failed = |error: &serde_yaml_ng::Error| invalid("YAML", &error.to_string());
    refuse_expansion(text)?;
    let first = serde_yaml_ng::Deserializer::from_str(text).next();
    let document = first.ok_or_else(|| invalid("YAML", "it is empty"))?;
    let value = serde_yaml_ng::Value::deserialize(document).map_err(|error| failed(&error))?;
    serde_json::to_value(value).map_err(|error| invalid("YAML", &error.to_string()))
}

/// Refuses a YAML document whose aliases, written out, make more of it than any document has.
fn refuse_expansion(text: &str) -> Result<(), DocumentError> {
    use saphyr_parser::{Event, Parser};
    if !text.contains('*') {
        return Ok(());
    }
    // How many values each anchor stands for, and those that are open, with how many they have so far.
    let mut sizes: HashMap<usize, usize> = HashMap::new();
    let mut open: Vec<(usize, usize)> = Vec::new();
    let mut total = 0usize;
    for event in Parser::new_from_str(text) {
        // What is wrong with it, the reader tells.
        let Ok((event, _)) = event else { return Ok(()) };
        let values = match event {
            Event::Scalar(_, _, anchor, _) => {
                sizes.insert(anchor, 1);
                1
            }
            Event::Alias(anchor) => sizes.get(&anchor).copied().unwrap_or(1),
            Event::SequenceStart(anchor, _) | Event::MappingStart(anchor, _) => {
                open.push((anchor, 1));
                continue;
            }
            Event::SequenceEnd | Event::MappingEnd => {
                let (anchor, values) = open.pop().unwrap_or_default();
                sizes.insert(anchor, values);
                values
            }
            _ => continue,
        };
        match open.last_mut() {
            Some((_, inner)) => *inner = inner.saturating_add(values),
            None => total = total.saturating_add(values),
        }
        let most = open.iter().map(|(_, values)| *values).max().unwrap_or(0).max(total);
        if most > limits::DOCUMENT_NODES || open.len() > limits::DEPTH {
            return Err(DocumentError::TooMany);
        }
    }
    Ok(())
}

/// The text of a document, without its byte-order mark.
///
/// # Errors
/// When it is too large or not text in its encoding.
pub fn text(bytes: &[u8], encoding: Encoding) -> Result<Cow<'_, str>, DocumentError> {
    if bytes.len() as u64 > limits::DOCUMENT_BYTES {
        return Err(DocumentError::TooLarge);
    }
    let marked = encoding_rs::Encoding::for_bom(bytes);
    let (encoding, bytes) = match (marked, encoding) {
        (Some((encoding, length)), _) => (encoding, &bytes[length..]),
        (None, Encoding::Utf8) => (encoding_rs::UTF_8, bytes),
        (None, Encoding::Utf16) => (encoding_rs::UTF_16LE, bytes),
        (None, Encoding::Windows1252) => (encoding_rs::WINDOWS_1252, bytes),
    };
    if encoding == encoding_rs::UTF_8 {
        let text = std::str::from_utf8(bytes);
        return text.map(Cow::Borrowed).map_err(|error| DocumentError::NotUtf8 { offset: error.valid_up_to() });
    }
    let decoded = encoding.decode_without_bom_handling_and_without_replacement(bytes);
    decoded.ok_or(DocumentError::NotEncoded { encoding: encoding.name() })
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
#[path = "../tests/document.rs"]
mod tests;
