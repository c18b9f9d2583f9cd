//! Notations made of lines: INI, `key = value`, properties.

use ini::{Ini, ParseOption};
use serde_json::{Map, Value};

/// Sections of `key = value` lines.
pub fn ini(text: &str) -> Result<Value, String> {
    // Backslashes are paths far more often than they are escapes.
    let options = ParseOption { enabled_quote: true, enabled_escape: false, ..ParseOption::default() };
    let parsed = Ini::load_from_str_opt(text, options).map_err(|error| error.to_string())?;
    let mut document = Map::new();
    for (section, properties) in &parsed {
        let target = match section {
            None => &mut document,
            Some(name) => {
                let entry = document.entry(name).or_insert_with(|| Value::Object(Map::new()));
                let Value::Object(inner) = entry else { return Err(format!("`{name}` is both a key and a section")) };
                inner
            }
        };
        for (key, value) in properties.iter() {
            add(target, key, value);
        }
    }
    Ok(Value::Object(document))
}

/// `key = value` lines; a line without a sign is a key without a value, and comments begin with `#`, `;` or `//`.
pub fn key_value(text: &str) -> Value {
    let mut document = Map::new();
    for line in text.lines().map(str::trim).filter(|line| !is_comment(line)) {
        let line = line.strip_suffix(';').unwrap_or(line);
        let (key, value) = line.split_once('=').or_else(|| line.split_once(':')).unwrap_or((line, ""));
        add(&mut document, key.trim(), unquoted(value.trim()));
    }
    Value::Object(document)
}

fn is_comment(line: &str) -> bool {
    line.is_empty() || line.starts_with(['#', ';']) || line.starts_with("//")
}

fn unquoted(value: &str) -> &str {
    let quoted = |mark: char| value.strip_prefix(mark).and_then(|rest| rest.strip_suffix(mark));
    quoted('"').or_else(|| quoted('\'')).unwrap_or(value)
}

/// Java-style properties, with their escapes and continued lines.
pub fn properties(text: &str) -> Result<Value, String> {
    let mut document = Map::new();
    java_properties::PropertiesIter::new_with_encoding(text.as_bytes(), encoding_rs::UTF_8)
        .read_into(|key, value| add(&mut document, &key, &value))
        .map_err(|error| error.to_string())?;
    Ok(Value::Object(document))
}

/// Adds a value; a key that stands several times becomes a list.
fn add(target: &mut Map<String, Value>, key: &str, value: &str) {
    let value = Value::String(value.to_owned());
    match target.get_mut(key) {
        None => {
            target.insert(key.to_owned(), value);
        }
        Some(Value::Array(list)) => list.push(value),
        Some(first) => *first = Value::Array(vec![first.take(), value]),
    }
}
