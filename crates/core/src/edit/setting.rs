//! One value of a document, set where it stands; or put where it belongs, when it is not there yet.

use std::ops::Range;

use serde_json::Value;
use serde_json_path::JsonPath;

use super::rows::{Row, bracketed, indentation, unit};
use super::text::{Splice, TextFile, line_end, spliced};
use super::tree::{Field, Form, Kind, Node, tree};
use super::{EditError, xml};
use crate::document::{Encoding, Notation, scalar};
use crate::reading::path_words;

/// Sets the value at a place of a document.
///
/// # Errors
/// When the document can't be read, the value has no place in it, or would not be read back as it is meant.
pub fn set(
    bytes: &[u8],
    (notation, encoding): (Notation, Encoding),
    at: &JsonPath,
    value: &str,
) -> Result<Vec<u8>, EditError> {
    let document = notation.read(bytes, encoding)?;
    let file = TextFile::read(bytes, encoding)?;
    let tree = tree(notation, &file.text).map_err(EditError::Unreadable)?;
    let located = at.query_located(&document).first().and_then(|found| tree.at(found.location()).cloned());
    let splices = match located {
        Some(node) if node.kind == Kind::Scalar => vec![replaced(notation, &file.text, &node, value)],
        Some(_) => return Err(EditError::NoPlace(format!("{} is no single value", path_words(at)))),
        None => vec![put(notation, &file.text, &tree, at, value)?],
    };
    let edited = file.bytes(&spliced(&file.text, splices))?;
    let read = notation.read(&edited, encoding).map_err(|error| EditError::Unsafe(error.to_string()))?;
    let found = at.query(&read).first().and_then(scalar).unwrap_or_default();
    if found == value.trim() {
        Ok(edited)
    } else {
        Err(EditError::Unsafe(format!("{} would be {found}", path_words(at))))
    }
}

/// Sets what stands in one group of a regex, wherever the regex fits first.
///
/// # Errors
/// When it fits nowhere, or the file is no text.
pub fn set_in_option(
    bytes: &[u8],
    encoding: Encoding,
    find: impl Fn(&str) -> Option<Range<usize>>,
    value: &str,
) -> Result<Vec<u8>, EditError> {
    let file = TextFile::read(bytes, encoding)?;
    let at = find(&file.text).ok_or_else(|| EditError::NoPlace("the option is not in it".to_owned()))?;
    file.bytes(&spliced(&file.text, vec![Splice { at, with: value.to_owned() }]))
}

fn replaced(notation: Notation, text: &str, node: &Node, value: &str) -> Splice {
    if notation == Notation::Xml && text[..node.span.end].ends_with("/>") && node.span.is_empty() {
        return opened(text, node.span.end, &written(notation, "", value));
    }
    let old = &text[node.span.clone()];
    let glue = if old.is_empty() && glued(notation, text, node.span.start) { " " } else { "" };
    Splice { at: node.span.clone(), with: format!("{glue}{}", written(notation, old, value)) }
}

/// Whether a value would stick to what stands before it.
fn glued(notation: Notation, text: &str, at: usize) -> bool {
    notation == Notation::Yaml && text[..at].ends_with(':')
}

/// An element that is only `<name/>` gets a start and an end.
pub fn opened(text: &str, end: usize, content: &str) -> Splice {
    let start = text[..end].rfind('<').unwrap_or(0);
    let name: String =
        text[start + 1..end].chars().take_while(|c| !c.is_whitespace() && !matches!(c, '/' | '>')).collect();
    let tag = text[start..end].trim_end_matches("/>").trim_end();
    Splice { at: start..end, with: format!("{tag}>{content}</{name}>") }
}

/// A value in the way in which the notation, and the value that was there, write it.
pub fn written(notation: Notation, old: &str, value: &str) -> String {
    let quote = old.chars().next().filter(|c| matches!(c, '"' | '\'') && old.len() > 1 && old.ends_with(*c));
    let json = || serde_json::to_string(value).unwrap_or_default();
    let is_bare = matches!(serde_json::from_str::<Value>(value), Ok(Value::Bool(_) | Value::Number(_)));
    match (notation, quote) {
        (Notation::Json, None) if is_bare => value.to_owned(),
        (Notation::Toml, None) if is_bare => value.to_owned(),
        (Notation::Json, _) => json(),
        (Notation::Toml, Some('\'')) if !value.contains(['\'', '\n']) => format!("'{value}'"),
        (Notation::Toml, _) => toml_edit::Value::from(value).to_string(),
        (Notation::Yaml, Some('\'')) => format!("'{}'", value.replace('\'', "''")),
        (Notation::Yaml, None) if is_bare || is_plain_yaml(value) => value.to_owned(),
        (Notation::Yaml, _) => json(),
        (Notation::Xml, _) => quick_xml::escape::escape(value).into_owned(),
        (Notation::Properties, _) => value.replace('\\', "\\\\").replace('\n', "\\n"),
        (Notation::Ini | Notation::KeyValue, Some(quote)) => format!("{quote}{value}{quote}"),
        (Notation::Ini | Notation::KeyValue, None) => value.to_owned(),
    }
}

fn is_plain_yaml(value: &str) -> bool {
    let starts_well = value.starts_with(|c: char| c.is_alphanumeric() || matches!(c, '/' | '.' | '_'));
    starts_well
        && !value.ends_with([':', ' '])
        && !value.contains(": ")
        && !value.contains(" #")
        && !value.contains(['\n', '\r', '\t', '[', ']', '{', '}', ',', '"', '\'', '`'])
}

/// One step of a plain path.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Part {
    /// Into a table.
    Name(String),
    /// Into a list.
    Index(usize),
}

/// The steps of a path that leads to one place, such as `$.a['b c'][0]`.
pub fn plain(path: &str) -> Option<Vec<Part>> {
    let mut parts = Vec::new();
    let mut rest = path.strip_prefix('$')?;
    while !rest.is_empty() {
        if let Some(after) = rest.strip_prefix('.') {
            let end = after.find(['.', '[']).unwrap_or(after.len());
            let name = &after[..end];
            if name.is_empty() || name.contains('*') {
                return None;
            }
            parts.push(Part::Name(name.to_owned()));
            rest = &after[end..];
        } else {
            let after = rest.strip_prefix('[')?;
            if let Some(quote) = after.chars().next().filter(|c| matches!(c, '\'' | '"')) {
                let end = after[1..].find(quote)? + 1;
                parts.push(Part::Name(after[1..end].to_owned()));
                rest = after[end + 1..].strip_prefix(']')?;
            } else {
                let end = after.find(']')?;
                parts.push(Part::Index(after[..end].parse().ok()?));
                rest = &after[end + 1..];
            }
        }
    }
    Some(parts)
}

/// Puts a value where there is none: below the deepest part of its path that is there.
fn put(notation: Notation, text: &str, tree: &Node, at: &JsonPath, value: &str) -> Result<Splice, EditError> {
    let words = path_words(at);
    let nowhere = || EditError::NoPlace(format!("nothing stands at {words}, and nothing can be put there"));
    let parts = plain(&words).ok_or_else(nowhere)?;
    let (mut node, mut deep, mut name) = (tree, 0, String::new());
    for part in &parts {
        let next = match (part, &node.kind) {
            (Part::Name(wanted), Kind::Table(..)) => node.field(wanted).map(|field| &field.node),
            (Part::Index(index), Kind::List(items, _)) => items.get(*index),
            (Part::Index(0), Kind::Scalar) => Some(node),
            _ => None,
        };
        let Some(next) = next else { break };
        if let Part::Name(wanted) = part {
            name.clone_from(wanted);
        }
        (node, deep) = (next, deep + 1);
    }
    let names: Vec<&str> = parts[deep..]
        .iter()
        .filter_map(|part| if let Part::Name(name) = part { Some(name.as_str()) } else { None })
        .collect();
    if names.is_empty() {
        return Err(nowhere());
    }
    match (notation, &node.kind) {
        (Notation::Xml, _) if deep > 0 => put_xml(text, node, &names, value).ok_or_else(nowhere),
        (Notation::Json, Kind::Table(fields, _)) => Ok(put_bracketed(notation, text, node, fields, &names, value)),
        (Notation::Yaml | Notation::Toml, Kind::Table(fields, Form::Brackets)) => {
            Ok(put_bracketed(notation, text, node, fields, &names, value))
        }
        (Notation::Xml, _) => Err(nowhere()),
        (_, Kind::Table(fields, _)) => {
            put_line(notation, text, (node, fields, deep), &names, value).ok_or_else(nowhere)
        }
        _ => Err(nowhere()),
    }
}

fn put_bracketed(notation: Notation, text: &str, node: &Node, fields: &[Field], names: &[&str], value: &str) -> Splice {
    let sign = fields.first().map_or_else(
        || if notation == Notation::Toml { " = ".to_owned() } else { ": ".to_owned() },
        |field| between(text, field),
    );
    let key = |name: &str| match (notation, fields.first()) {
        (Notation::Json, _) => serde_json::to_string(name).unwrap_or_default(),
        (_, Some(field)) if text[field.whole.start..].starts_with('"') => {
            serde_json::to_string(name).unwrap_or_default()
        }
        _ => name.to_owned(),
    };
    let mut out = written(notation, "", value);
    for (depth, name) in names.iter().enumerate().rev() {
        out = format!("{}{sign}{out}", key(name));
        if depth > 0 {
            out = format!("{{ {out} }}");
        }
    }
    let spans: Vec<Range<usize>> = fields.iter().map(|field| field.whole.clone()).collect();
    let kept = |(index, span): (usize, &Range<usize>)| Row::Kept { index, text: text[span.clone()].to_owned() };
    let mut rows: Vec<Row> = spans.iter().enumerate().map(kept).collect();
    rows.push(Row::New(out));
    bracketed(text, &node.span, &spans, &rows)
}

/// What stands between the name and the value of a field.
fn between(text: &str, field: &Field) -> String {
    let whole = &text[field.whole.start..field.node.span.start];
    let sign = whole.rfind([':', '=']).unwrap_or(0);
    let start = whole[..sign].trim_end().len();
    whole[start..].to_owned()
}

/// A line of its own, below the last line of the table that it belongs to.
fn put_line(
    notation: Notation,
    text: &str,
    (node, fields, deep): (&Node, &[Field], usize),
    names: &[&str],
    value: &str,
) -> Option<Splice> {
    let end = line_end(text);
    let is_line = |field: &&Field| !matches!(field.node.kind, Kind::Table(_, Form::Lines));
    let last = fields.iter().rfind(|field| is_line(field) || notation == Notation::Yaml);
    let sample = fields.iter().rfind(|field| is_line(field) && field.node.kind == Kind::Scalar);
    let sign = sample.map_or_else(|| usual_sign(notation).to_owned(), |field| between(text, field));
    let sample_value = sample.map_or("", |field| &text[field.node.span.clone()]);
    let close = sample.map_or("", |field| closing(text, field));
    let value = match notation {
        Notation::Ini | Notation::KeyValue => written(notation, sample_value, value),
        _ => written(notation, "", value),
    };
    let margin = last.map_or("", |field| indentation(text, field.whole.start)).to_owned();
    let (name, inner) = names.split_last()?;
    let line = match (notation, inner) {
        (_, []) => format!("{margin}{name}{sign}{value}{close}{end}"),
        (Notation::Ini, [section]) if deep == 0 => format!("{end}[{section}]{end}{name}{sign}{value}{end}"),
        (Notation::Toml, _) if deep == 0 => format!("{end}[{}]{end}{name}{sign}{value}{end}", inner.join(".")),
        (Notation::Yaml, _) => {
            let mut out = String::new();
            let mut margin = margin;
            for outer in inner {
                out.push_str(&format!("{margin}{outer}:{end}"));
                margin.push_str(unit(text));
            }
            out + &format!("{margin}{name}{sign}{value}{end}")
        }
        _ => return None,
    };
    let at = match (inner, last) {
        ([], Some(field)) | (_, Some(field)) if inner.is_empty() || notation == Notation::Yaml => {
            text[field.whole.end..].find('\n').map_or(text.len(), |offset| field.whole.end + offset + 1)
        }
        ([], _) if deep == 0 => fields.first().map_or(text.len(), |field| field.whole.start),
        ([], _) => text[node.span.start..].find('\n').map_or(text.len(), |offset| node.span.start + offset + 1),
        _ => text.len(),
    };
    let torn = at == text.len() && !text.is_empty() && !text.ends_with('\n');
    let line = if torn { format!("{end}{}", line.strip_suffix(end).unwrap_or(&line)) } else { line };
    Some(Splice { at: at..at, with: line })
}

const fn usual_sign(notation: Notation) -> &'static str {
    match notation {
        Notation::Yaml => ": ",
        Notation::Properties | Notation::Ini => "=",
        _ => " = ",
    }
}

/// What ends a line after its value: a semicolon.
fn closing<'t>(text: &'t str, field: &Field) -> &'t str {
    let rest = &text[field.node.span.end..];
    if rest.starts_with(';') { &rest[..1] } else { "" }
}

fn put_xml(text: &str, node: &Node, names: &[&str], value: &str) -> Option<Splice> {
    let roots = xml::elements(text).ok()?;
    let element = holding(&roots, node)?;
    let escaped = written(Notation::Xml, "", value);
    if let [name] = names
        && let Some(attribute) = name.strip_prefix('@')
    {
        let tag = &text[element.open.clone()];
        let end = element.open.start + tag.trim_end_matches(['/', '>']).trim_end().len();
        return Some(Splice { at: end..end, with: format!(" {attribute}=\"{escaped}\"") });
    }
    let (mut inner, mut attribute) = (escaped, String::new());
    for (depth, name) in names.iter().enumerate().rev() {
        match name.strip_prefix('@') {
            Some(own) if depth + 1 == names.len() => attribute = format!(" {own}=\"{}\"", std::mem::take(&mut inner)),
            Some(_) => return None,
            None => inner = format!("<{name}{}>{inner}</{name}>", std::mem::take(&mut attribute)),
        }
    }
    Some(last_child(text, element, &inner))
}

/// The element that a node stands for: the one of just its place, or whose text it is.
pub fn holding<'e>(elements: &'e [xml::Element], node: &Node) -> Option<&'e xml::Element> {
    let around = |element: &&xml::Element| element.span.start <= node.span.start && node.span.end <= element.span.end;
    let element = elements.iter().find(around)?;
    if element.span == node.span {
        return Some(element);
    }
    holding(&element.children, node).or(Some(element))
}

/// Puts an element behind the last one in another.
pub fn last_child(text: &str, parent: &xml::Element, child: &str) -> Splice {
    let end = line_end(text);
    let Some(content) = &parent.content else {
        let margin = indentation(text, parent.span.start);
        return opened(text, parent.span.end, &format!("{end}{margin}{}{child}{end}{margin}", unit(text)));
    };
    match parent.children.last() {
        Some(last) => {
            let before = &text[..last.span.start];
            let blank = &before[before.trim_end().len()..];
            let blank = blank.rfind('\n').map_or(blank, |at| &blank[at..]);
            let lead = if blank.contains('\n') {
                format!("{end}{}", blank.trim_start_matches(['\r', '\n']))
            } else {
                blank.to_owned()
            };
            Splice { at: last.span.end..last.span.end, with: format!("{lead}{child}") }
        }
        None => {
            let margin = indentation(text, parent.span.start);
            let with = format!("{end}{margin}{}{child}{end}{margin}", unit(text));
            Splice { at: content.clone(), with }
        }
    }
}

#[cfg(test)]
#[path = "../tests/setting.rs"]
mod tests;
