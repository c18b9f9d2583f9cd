//! Notations made of lines: INI, `key = value`, properties.

use ini::{Ini, ParseOption};
use serde_json::{Map, Value};

/// Sections of `key = value` lines.
pub fn ini(text: &str) -> Result<Value, String> {
    // Backslashes are paths far more often than they are escapes.
    let options = ParseOption { enabled_quote: true, enabled_escape: false, ..ParseOption::default() };
    let told = |error: ini::ParseError| format!("line {}, column {}: {}", error.line, error.col, error.msg);
    let parsed = Ini::load_from_str_opt(text, options).map_err(told)?;
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
        let (key, value) = line.split_once('=').or_else(|| line.split_once(':')).unwrap_or((line, ""));
        let key = if value.is_empty() { key.trim_end_matches(';') } else { key };
        add(&mut document, key.trim(), unquoted(bare_value(value.trim())));
    }
    Value::Object(document)
}

fn is_comment(line: &str) -> bool {
    line.is_empty() || line.starts_with(['#', ';']) || line.starts_with("//")
}

/// A value with its quotes, without the semicolon that ends it and the comment behind that.
pub fn bare_value(value: &str) -> &str {
    let quote = value.chars().next().filter(|c| matches!(c, '"' | '\''));
    let closed = quote.and_then(|quote| Some((value[1..].find(quote)? + 2, quote)));
    if let Some((end, _)) =
        closed.filter(|(end, _)| value[*end..].trim_start().starts_with([';', '#', '/']) || value.len() == *end)
    {
        return &value[..end];
    }
    let is_end = |at: usize| {
        let rest = value[at + 1..].trim_start();
        rest.is_empty() || rest.starts_with("//") || rest.starts_with('#')
    };
    let end = value.match_indices(';').map(|(at, _)| at).find(|at| is_end(*at));
    end.map_or(value, |end| value[..end].trim_end())
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
