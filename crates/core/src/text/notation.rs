//! Documents inside mods and installs, whatever their notation: read once, by a grammar of its own, into a tree whose values
//! know their places.

use serde_json::Value;

use super::encoding::{Encoding, text};
use super::kinds::{DocumentError, NOTATION_WORDS, Notation, invalid};
use super::tree::Node;
use super::{block, headers, ini, json, key_value, properties, toml, xml, yaml};
use crate::base::limits;

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
    /// is a list. `key = value` lines, properties and headers are one object; so is block syntax, with tables as objects.
    ///
    /// # Errors
    /// When it is too large or too deep, not text in its encoding, or does not follow the notation.
    pub fn read(self, bytes: &[u8], encoding: Encoding) -> Result<Value, DocumentError> {
        let text = text(bytes, encoding)?;
        if self == Self::Xml {
            self.refuse_many(&text)?;
            return xml::value(&text).map_err(|reason| invalid("XML", reason));
        }
        Ok(self.tree(&text)?.into_value())
    }

    /// Reads a text as a tree, in which every value knows where it stands.
    ///
    /// # Errors
    /// When it is too deep or holds too much, or does not follow the notation.
    pub fn tree(self, text: &str) -> Result<Node, DocumentError> {
        self.refuse_many(text)?;
        match self {
            Self::Json => json::tree(text),
            Self::Toml => toml::tree(text),
            Self::Yaml => yaml::tree(text),
            Self::Xml => xml::tree(text).map_err(|reason| invalid("XML", reason)),
            Self::Ini => ini::tree(text).map_err(|reason| invalid("INI", reason)),
            Self::KeyValue => Ok(key_value::tree(text)),
            Self::Properties => properties::tree(text).map_err(|reason| invalid("properties", reason)),
            Self::Headers => headers::tree(text).map_err(|reason| invalid("headers", reason)),
            Self::Block => block::tree(text),
        }
    }

    /// Counts what begins or parts values, before any of it is read: read, each takes many times the room that it takes written.
    fn refuse_many(self, text: &str) -> Result<(), DocumentError> {
        let counts = |signs: &[u8]| text.bytes().filter(|byte| signs.contains(byte)).count();
        let count = match self {
            Self::Json => counts(b",:[{"),
            // A value of TOML takes several times the room of others, and a table more.
            Self::Toml => 6 * counts(b",={") + 8 * counts(b"["),
            Self::Xml => 3 * counts(b"<") + counts(b"="),
            Self::Yaml => counts(b",[{\n:") * 3 / 2,
            Self::Ini | Self::KeyValue | Self::Properties | Self::Headers => counts(b"\n\r"),
            Self::Block => counts(b"=,;{([\n "),
        };
        if count > 2 * limits::DOCUMENT_NODES { Err(DocumentError::TooMany) } else { Ok(()) }
    }
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

/// Numbers of a version that is written as a list of them: `[1, 2, 0]`.
const NUMBERS: std::ops::RangeInclusive<usize> = 2..=4;

/// A version as text, also where it is a list of whole numbers.
pub fn version_text(value: &Value) -> Option<String> {
    let Value::Array(numbers) = value else { return scalar(value) };
    of_numbers(numbers, Value::as_u64)
}

fn of_numbers(numbers: &[Value], number: impl Fn(&Value) -> Option<u64>) -> Option<String> {
    let each: Option<Vec<String>> = numbers.iter().map(|one| Some(number(one)?.to_string())).collect();
    each.filter(|each| NUMBERS.contains(&each.len())).map(|each| each.join("."))
}

/// Keys for the parts of a version that is written as an object of them, in their order, with other words for each.
const PARTS: [&[&str]; 4] =
    [&["major"], &["minor"], &["patch", "micro", "revision", "release", "fix"], &["build", "tweak"]];

/// A version as a mod states it: as text, a list of whole numbers, or an object of `major`, `minor` and further parts.
pub fn stated_version(value: &Value) -> Option<String> {
    let number = |value: &Value| value.as_u64().or_else(|| value.as_str()?.parse().ok());
    let object = match value {
        Value::Object(object) => object,
        // Some notations have numbers as texts.
        Value::Array(numbers) => return of_numbers(numbers, number),
        _ => return scalar(value),
    };
    let mut parts: [Option<u64>; PARTS.len()] = [None; PARTS.len()];
    for (key, value) in object {
        let at = PARTS.iter().position(|words| words.iter().any(|word| key.eq_ignore_ascii_case(word)))?;
        if parts[at].replace(number(value)?).is_some() {
            return None;
        }
    }
    // What has no minor part is no version, and no part lacks one before it.
    let told = parts.iter().take_while(|part| part.is_some()).count();
    let is_whole = told >= *NUMBERS.start() && parts[told..].iter().all(Option::is_none);
    is_whole.then(|| parts.iter().flatten().map(u64::to_string).collect::<Vec<_>>().join("."))
}

#[cfg(test)]
#[path = "../tests/document.rs"]
mod tests;
