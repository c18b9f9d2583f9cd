//! How one value is written: in the way of the notation, and of the value that was there.

use serde_json::Value;

use super::kinds::Notation;
use super::{properties, yaml};

/// What a value is, where nothing that was there tells it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Meant {
    /// A text, whatever it looks like: an id, a name, a version.
    Text,
    /// A number or a flag where it looks like one.
    Value,
}

/// The quotes around a value as it is written.
pub fn quote_of(written: &str) -> Option<char> {
    written.chars().next().filter(|c| matches!(c, '"' | '\'') && written.len() > 1 && written.ends_with(*c))
}

/// A value in the way in which the notation, and the value that was there, write it.
pub fn written(notation: Notation, old: Option<&str>, meant: Meant, value: &str) -> String {
    let old_text = old.unwrap_or_default();
    let quote = quote_of(old_text);
    let json = || serde_json::to_string(value).unwrap_or_default();
    // A number that is not written as it is would be read as another: `1.10`.
    let looks_bare = match serde_json::from_str::<Value>(value) {
        Ok(Value::Bool(_)) => true,
        Ok(Value::Number(number)) => number.to_string() == value,
        _ => false,
    };
    let was_bare = !old_text.is_empty() && quote.is_none();
    let is_date = |text: &str| text.parse::<toml_edit::Datetime>().is_ok();
    if notation == Notation::Toml && was_bare && is_date(old_text) && is_date(value) {
        return value.to_owned();
    }
    let bare = looks_bare && if old_text.is_empty() { meant == Meant::Value } else { was_bare };
    match (notation, quote) {
        (Notation::Json | Notation::Toml | Notation::Yaml, None) if bare => value.to_owned(),
        (Notation::Json, _) => json(),
        (Notation::Toml, Some('\'')) if !value.contains('\'') && !value.contains(char::is_control) => {
            format!("'{value}'")
        }
        (Notation::Toml, _) => toml_edit::Value::from(value).to_string(),
        (Notation::Yaml, Some('\'')) if !value.contains(char::is_control) => format!("'{}'", value.replace('\'', "''")),
        (Notation::Yaml, None) if yaml::is_plain_text(value) || was_bare && same_kind(old_text, value) => {
            value.to_owned()
        }
        (Notation::Yaml, _) => json(),
        (Notation::Xml, _) => quick_xml::escape::escape(value).into_owned(),
        (Notation::Properties, _) => properties::escaped(value, old_text.is_ascii()),
        (Notation::Ini | Notation::KeyValue, Some(quote)) => {
            let other = if quote == '"' { '\'' } else { '"' };
            let quote = if value.contains(quote) { other } else { quote };
            format!("{quote}{value}{quote}")
        }
        // A semicolon often ends a value.
        (Notation::KeyValue, None) if value.contains(';') && !old_text.contains(';') => format!("\"{value}\""),
        (Notation::Ini | Notation::KeyValue, None) if needs_quotes(value) => format!("\"{value}\""),
        (Notation::Ini | Notation::KeyValue | Notation::Headers | Notation::Block, _) => value.to_owned(),
    }
}

/// Whether two words without quotes are the same to all readers of YAML: flags to those to which `yes` is one, or both dates,
/// or versions of as many parts.
fn same_kind(old: &str, new: &str) -> bool {
    let shape = |text: &str| {
        let mut shape: Vec<char> = text.chars().map(|c| if c.is_ascii_digit() { '0' } else { c }).collect();
        shape.dedup_by(|a, b| *a == '0' && a == b);
        shape
    };
    let digits = new.starts_with(|c: char| c.is_ascii_digit()) && new.parse::<f64>().is_err();
    if digits && shape(old) == shape(new) {
        return true;
    }
    const WORDS: [&str; 10] = ["yes", "no", "on", "off", "true", "false", "y", "n", "Yes", "No"];
    WORDS.contains(&old) && WORDS.contains(&new)
}

/// Whether a value of a line would be taken for something else, or for less.
fn needs_quotes(value: &str) -> bool {
    value != value.trim()
        || value.starts_with(['"', '\'', '#', ';']) && value.chars().nth(1).is_none_or(char::is_whitespace)
        || value.starts_with("// ")
        || [" #", "\t#", " ;", "\t;", " //", "\t//"].iter().any(|mark| value.contains(mark))
        || value.ends_with(';')
}
