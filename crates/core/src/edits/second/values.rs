//! Documents read by other parsers than those of the first reader.

use serde_json::{Map, Value};
use xmlparser::{ElementEnd, Token, Tokenizer};

use crate::base::limits;
use crate::text::Flaw;
use crate::text::kinds::Notation;

/// Reads a document into a value. How it maps what is no JSON is its own affair, but for where things are.
///
/// # Errors
/// When it can't be read.
pub fn read(notation: Notation, text: &str) -> Result<Value, Flaw> {
    match notation {
        Notation::Json => serde_json::from_str(&strict(text)).map_err(Flaw::told),
        Notation::Toml => toml_05::from_str::<toml_05::Value>(text).map(toml).map_err(Flaw::told),
        Notation::Yaml => yaml(text),
        Notation::Xml => xml(text),
        Notation::Ini => Ok(ini(text)),
        Notation::KeyValue => Ok(key_value(text)),
        Notation::Properties => properties(text),
        Notation::Headers | Notation::Block => Err(Flaw::OnlyRead),
    }
}

/// JSON without comments and commas that nothing follows.
fn strict(text: &str) -> String {
    let mut out: Vec<u8> = Vec::with_capacity(text.len());
    let bytes = text.as_bytes();
    let (mut at, mut comma) = (0, None);
    while at < bytes.len() {
        match bytes[at] {
            b'"' => {
                comma = None;
                let start = at;
                at += 1;
                while at < bytes.len() && bytes[at] != b'"' {
                    at += 1 + usize::from(bytes[at] == b'\\');
                }
                at = (at + 1).min(bytes.len());
                out.extend(&bytes[start..at]);
            }
            b'/' if bytes.get(at + 1) == Some(&b'/') => {
                at += text[at..].find('\n').unwrap_or(text.len() - at);
            }
            b'/' if bytes.get(at + 1) == Some(&b'*') => {
                at += text[at + 2..].find("*/").map_or(text.len() - at, |end| end + 4);
                out.push(b' ');
            }
            byte => {
                match byte {
                    b',' => comma = Some(out.len()),
                    b']' | b'}' => {
                        if let Some(place) = comma.take() {
                            out[place] = b' ';
                        }
                    }
                    byte if byte.is_ascii_whitespace() => {}
                    _ => comma = None,
                }
                out.push(byte);
                at += 1;
            }
        }
    }
    String::from_utf8(out).unwrap_or_default()
}

fn toml(value: toml_05::Value) -> Value {
    use toml_05::Value as Read;
    match value {
        Read::String(text) => Value::String(text),
        Read::Integer(number) => Value::from(number),
        Read::Float(number) => Value::from(number),
        Read::Boolean(flag) => Value::Bool(flag),
        Read::Datetime(time) => Value::String(time.to_string()),
        Read::Array(items) => items.into_iter().map(toml).collect(),
        Read::Table(table) => table.into_iter().map(|(name, value)| (name, toml(value))).collect(),
    }
}

fn yaml(text: &str) -> Result<Value, Flaw> {
    use serde::Deserialize;
    let first = serde_yaml_ng::Deserializer::from_str(text).next().ok_or(Flaw::Empty)?;
    let value = serde_yaml_ng::Value::deserialize(first).map_err(Flaw::told)?;
    serde_json::to_value(value).map_err(Flaw::told)
}

fn xml(text: &str) -> Result<Value, Flaw> {
    struct Open<'t> {
        name: &'t str,
        object: Map<String, Value>,
        text: String,
    }
    let mut open: Vec<Open<'_>> = Vec::new();
    let mut root = None;
    for token in Tokenizer::from(text) {
        let token = token.map_err(Flaw::told)?;
        let mut closed = false;
        match token {
            Token::ElementStart { span, .. } => {
                if open.len() >= limits::DEPTH || root.is_some() {
                    return Err(Flaw::TooDeepOrTwoRoots);
                }
                open.push(Open { name: &span.as_str()[1..], object: Map::new(), text: String::new() });
            }
            Token::Attribute { span, value, .. } => {
                let name = span.as_str().split('=').next().unwrap_or_default().trim_end();
                let value = quick_xml::escape::unescape(value.as_str()).map_err(Flaw::told)?;
                if let Some(element) = open.last_mut() {
                    element.object.insert(format!("@{name}"), Value::String(value.into_owned()));
                }
            }
            Token::ElementEnd { end: ElementEnd::Open, .. } => {}
            Token::ElementEnd { end: ElementEnd::Empty, .. } => closed = true,
            Token::ElementEnd { end: ElementEnd::Close(..), span } => {
                let name = span.as_str().trim_start_matches("</").trim_end_matches('>').trim();
                if open.last().is_none_or(|element| element.name != name) {
                    return Err(Flaw::EndsInside(name.to_owned()));
                }
                closed = true;
            }
            Token::Text { text } => {
                let said = unescaped(text.as_str());
                if let Some(element) = open.last_mut() {
                    element.text.push_str(&said);
                }
            }
            Token::Cdata { text, .. } => {
                if let Some(element) = open.last_mut() {
                    element.text.push_str(text.as_str());
                }
            }
            _ => {}
        }
        if closed && let Some(Open { name, mut object, text }) = open.pop() {
            let text = text.replace("\r\n", "\n").trim().to_owned();
            if !text.is_empty() {
                object.insert("#text".to_owned(), Value::String(text.clone()));
            }
            let is_text = object.is_empty() || object.len() == 1 && object.contains_key("#text");
            let value = if is_text { Value::String(text) } else { Value::Object(object) };
            match open.last_mut() {
                None => root = Some(Value::Object(Map::from_iter([(name.to_owned(), value)]))),
                Some(parent) => {
                    let list = parent.object.entry(name).or_insert_with(|| Value::Array(Vec::new()));
                    if let Value::Array(list) = list {
                        list.push(value);
                    }
                }
            }
        }
    }
    root.filter(|_| open.is_empty()).ok_or(Flaw::OpenRoot)
}

/// A text with the references that are known; another stays as it is written.
fn unescaped(text: &str) -> String {
    quick_xml::escape::unescape(text).map_or_else(|_| text.to_owned(), std::borrow::Cow::into_owned)
}

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

/// A value without the comment behind it, and without quotes around all of it. `ends` is a sign that ends one.
fn behind_sign(text: &str, marks: &[&str], ends: Option<char>) -> String {
    let text = text.trim();
    let is_comment = |rest: &str| marks.iter().any(|mark| rest.starts_with(mark));
    if let Some(quote) = text.chars().next().filter(|c| matches!(c, '"' | '\'') && has_end(text, *c, marks)) {
        let closes = |at: &usize| {
            let after = text[at + 1..].trim_start();
            let escaped = text[..*at].ends_with('\\') && !text[..*at].ends_with("\\\\");
            (after.is_empty() || is_comment(after) || after.starts_with(';')) && !(quote == '"' && escaped)
        };
        if let Some(end) = text.match_indices(quote).map(|(at, _)| at).skip(1).find(closes) {
            return text[1..end].to_owned();
        }
    }
    let spaced = |(at, mark): &(usize, &str)| match at {
        0 => text[mark.len()..].chars().next().is_none_or(char::is_whitespace),
        at => text[..*at].ends_with(char::is_whitespace),
    };
    let comments = marks.iter().filter_map(|mark| text.match_indices(mark).find(spaced)).map(|(at, _)| at);
    let mut end = comments.min().unwrap_or(text.len());
    if let Some(sign) = ends {
        let closes = |at: &usize| {
            let after = text[at + 1..].trim_start();
            after.is_empty() || is_comment(after)
        };
        end = text.match_indices(sign).map(|(at, _)| at).find(closes).map_or(end, |at| at.min(end));
    }
    text[..end].trim_end().to_owned()
}

fn has_end(text: &str, quote: char, marks: &[&str]) -> bool {
    text.match_indices(quote).skip(1).any(|(at, _)| {
        let after = text[at + 1..].trim_start();
        after.is_empty() || after.starts_with(';') || marks.iter().any(|mark| after.starts_with(mark))
    })
}

fn sign_at(line: &str, marks: &[&str]) -> Option<usize> {
    let mut end = line.len();
    for mark in marks {
        let found = line.match_indices(mark).map(|(at, _)| at).find(|at| line[..*at].ends_with([' ', '\t']));
        end = end.min(found.unwrap_or(end));
    }
    let (equals, colon) = (line.find('='), line.find(": ").or_else(|| line.find(":\t")));
    let word = |at: usize| line[..at].trim().chars().all(|c| c.is_alphanumeric() || "-_.".contains(c));
    match (equals, colon) {
        (Some(equals), Some(colon)) if colon < equals && word(colon) && colon > 0 => Some(colon),
        (None, Some(colon)) if word(colon) && colon > 0 => Some(colon),
        (Some(equals), _) if equals < end => Some(equals),
        _ => line[..end].find(':'),
    }
}

fn ini(text: &str) -> Value {
    let mut document = Map::new();
    let mut section: Option<String> = None;
    for line in text.lines().map(str::trim) {
        if line.is_empty() || line.starts_with([';', '#']) {
            continue;
        }
        if let Some(head) = line.strip_prefix('[') {
            let name = head.split(']').next().unwrap_or_default().trim().to_owned();
            document.entry(&name).or_insert_with(|| Value::Object(Map::new()));
            section = Some(name);
            continue;
        }
        let marks = [";", "#"];
        let (key, value) = match sign_at(line, &marks) {
            Some(at) => (line[..at].trim(), behind_sign(&line[at + 1..], &marks, None)),
            None => (line, String::new()),
        };
        let target = match &section {
            None => Some(&mut document),
            Some(name) => document.get_mut(name).and_then(Value::as_object_mut),
        };
        if let Some(target) = target {
            add(target, key, &value);
        }
    }
    Value::Object(document)
}

fn key_value(text: &str) -> Value {
    let mut document = Map::new();
    let marks = ["#", "//", ";"];
    for line in text.lines().map(str::trim) {
        if line.is_empty() || marks.iter().any(|mark| line.starts_with(mark)) {
            continue;
        }
        match sign_at(line, &marks).filter(|at| !line[..*at].contains(';')) {
            Some(at) => add(&mut document, line[..at].trim(), &behind_sign(&line[at + 1..], &marks, Some(';'))),
            None => {
                let key = behind_sign(line, &marks, Some(';'));
                add(&mut document, &key, "");
            }
        }
    }
    Value::Object(document)
}

fn properties(text: &str) -> Result<Value, Flaw> {
    let mut document = Map::new();
    java_properties::PropertiesIter::new_with_encoding(text.as_bytes(), encoding_rs::UTF_8)
        .read_into(|key, value| add(&mut document, &key, &value))
        .map_err(Flaw::told)?;
    Ok(Value::Object(document))
}
