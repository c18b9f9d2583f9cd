//! One value of a document, set where it stands; or put where it belongs, when it is not there yet.

use std::ops::Range;

use serde_json_path::JsonPath;

use super::second;
use crate::text::encoding::{Encoding, TextFile};
use crate::text::kinds::Notation;
use crate::text::notation::scalar;
use crate::text::rows::{Block, Row, bracketed, end_of_line, indentation, line_start, line_stop, unit};
use crate::text::scalars::{Meant, written};
use crate::text::splice::{Splice, line_end, spliced};
use crate::text::tree::{Field, Form, Kind, Node, Tag, comments_in};
use crate::text::{EditError, NoPlace, Unmeant, path_words, yaml};

/// Sets the value at a place of a document.
///
/// # Errors
/// When the document can't be read, the value has no place in it, or a second reader would not read just what is meant.
pub fn set(
    bytes: &[u8],
    (notation, encoding): (Notation, Encoding),
    at: &JsonPath,
    value: &str,
) -> Result<Vec<u8>, EditError> {
    let file = TextFile::read(bytes, encoding)?;
    let tree = notation.tree(&file.text)?;
    let document = tree.value();
    let located = at.query_located(&document).first().map(|found| found.location().clone());
    let splices = match located.as_ref().and_then(|found| tree.at(found)) {
        Some(node) if node.is_scalar() => replaced(notation, &file.text, node, value)?,
        Some(Node { kind: Kind::Elsewhere(_), .. }) => {
            return Err(NoPlace::InPieces(path_words(at)).into());
        }
        Some(_) => return Err(NoPlace::NoSingleValue(path_words(at)).into()),
        None => vec![put(notation, &file.text, &tree, at, value)?],
    };
    let edited = file.edited(&spliced(&file.text, splices));
    let read = notation.tree(&edited).map_err(Unmeant::Document)?.into_value();
    let found = at.query(&read).first().and_then(scalar).unwrap_or_default();
    if found != value.trim() {
        return Err(Unmeant::Value { at: path_words(at), found }.into());
    }
    second::confirm_setting(notation, (&file.text, &edited), at, value).map_err(Unmeant::Second)?;
    file.bytes(&edited)
}

fn replaced(notation: Notation, text: &str, node: &Node, value: &str) -> Result<Vec<Splice>, EditError> {
    if let Some(tag) = node.tag.as_deref().filter(|tag| tag.content.is_none()) {
        return Ok(vec![opened(text, tag, &written(notation, None, Meant::Value, value))]);
    }
    let old = &text[node.span.clone()];
    // The text of a block stands on lines of its own; what is put in its place does not.
    let block = notation == Notation::Yaml && old.starts_with(['|', '>']);
    let glue = if old.is_empty() && glued(notation, text, node.span.start) { " " } else { "" };
    let with = written(notation, Some(old).filter(|_| !block), Meant::Value, value);
    Ok(vec![Splice { at: node.span.clone(), with: format!("{glue}{with}") }])
}

/// Whether a value would stick to what stands before it.
fn glued(notation: Notation, text: &str, at: usize) -> bool {
    notation == Notation::Yaml && text[..at].ends_with(':')
}

/// An element that is only `<name/>` gets a start and an end.
pub fn opened(text: &str, tag: &Tag, content: &str) -> Splice {
    let open = text[tag.open.clone()].trim_end_matches('>').trim_end_matches('/').trim_end();
    Splice { at: tag.span.clone(), with: format!("{open}>{content}</{}>", tag.name) }
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

/// Puts a value, as it is written, under a name in a table that is there.
pub fn put_named(notation: Notation, text: &str, tree: &Node, path: &[Part], value: &str) -> Option<Splice> {
    let (Part::Name(name), above) = path.split_last()? else { return None };
    let node = above.iter().try_fold(tree, |node, part| match part {
        Part::Name(name) => node.field(name).map(|field| &field.node),
        Part::Index(_) => None,
    })?;
    put_line(notation, text, (node, node.fields(), above.len()), &[name], value)
}

/// Puts a value where there is none: below the deepest part of its path that is there.
fn put(notation: Notation, text: &str, tree: &Node, at: &JsonPath, value: &str) -> Result<Splice, EditError> {
    let words = path_words(at);
    let nowhere = || EditError::from(NoPlace::Nothing(words.clone()));
    let parts = plain(&words).ok_or_else(nowhere)?;
    let (mut node, mut deep) = (tree, 0);
    for part in &parts {
        let next = match (part, &node.kind) {
            (Part::Name(wanted), Kind::Table(..)) => node.field(wanted).map(|field| &field.node),
            (Part::Index(index), Kind::List(items, _)) => items.get(*index),
            (Part::Index(0), Kind::Scalar(_)) => Some(node),
            _ => None,
        };
        let Some(next) = next else { break };
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
        (Notation::Xml, _) => {
            let tag = node.tag.as_deref().filter(|_| deep > 0).ok_or_else(nowhere)?;
            put_xml(text, tag, &names, value).ok_or_else(nowhere)
        }
        (_, Kind::Table(fields, Form::Brackets)) => Ok(put_bracketed(notation, text, node, fields, &names, value)),
        (Notation::Json, _) => Err(nowhere()),
        (_, Kind::Table(fields, _)) => {
            put_line(notation, text, (node, fields, deep), &names, value).ok_or_else(nowhere)
        }
        _ => Err(nowhere()),
    }
}

/// A name as the notation writes it before a value.
pub fn key_text(notation: Notation, like: Option<&str>, name: &str) -> String {
    let quoted = like.is_some_and(|like| like.starts_with('"'));
    match notation {
        Notation::Json => serde_json::to_string(name).unwrap_or_default(),
        Notation::Yaml if quoted || !yaml::is_plain_text(name) => serde_json::to_string(name).unwrap_or_default(),
        Notation::Toml if quoted => serde_json::to_string(name).unwrap_or_default(),
        Notation::Toml => toml_edit::Key::new(name).display_repr().into_owned(),
        Notation::Properties => {
            let mut out = String::new();
            for c in name.chars() {
                out.extend(matches!(c, ' ' | '=' | ':' | '\\' | '#' | '!').then_some('\\'));
                out.push(c);
            }
            out
        }
        _ => name.to_owned(),
    }
}

fn put_bracketed(notation: Notation, text: &str, node: &Node, fields: &[Field], names: &[&str], value: &str) -> Splice {
    let sign = fields.first().map_or_else(|| usual_sign(notation).to_owned(), |field| between(text, field));
    let sign = if sign.contains(['\n', '#', '/']) { usual_sign(notation) } else { &sign };
    let like = fields.first().map(|field| &text[field.key.clone()]);
    let mut out = written(notation, None, Meant::Value, value);
    for (depth, name) in names.iter().enumerate().rev() {
        out = format!("{}{sign}{out}", key_text(notation, like, name));
        if depth > 0 {
            out = format!("{{ {out} }}");
        }
    }
    let spans: Vec<Range<usize>> = fields.iter().map(|field| field.whole.clone()).collect();
    let kept = |(index, span): (usize, &Range<usize>)| Row::Kept { index, text: text[span.clone()].to_owned() };
    let mut rows: Vec<Row> = spans.iter().enumerate().map(kept).collect();
    rows.push(Row::New(out));
    bracketed(notation, text, (&node.span, &node.comments(notation, text)), &spans, &rows)
}

/// What stands between the name and the value of a field.
pub fn between(text: &str, field: &Field) -> String {
    text[field.key.end..field.node.span.start.max(field.key.end)].to_owned()
}

/// Whether a field has a line, or lines, to itself, rather than a head of its own.
fn is_line(field: &&Field) -> bool {
    match &field.node.kind {
        Kind::Table(_, Form::Lines) => false,
        // The tables of TOML that make a list.
        Kind::List(items, Form::Lines) => items.iter().all(Node::is_scalar),
        _ => true,
    }
}

/// A line of its own, below the last line of the table that it belongs to.
fn put_line(
    notation: Notation,
    text: &str,
    (node, fields, deep): (&Node, &[Field], usize),
    names: &[&str],
    value: &str,
) -> Option<Splice> {
    let last = fields.iter().rfind(|field| is_line(field) || notation == Notation::Yaml);
    let end = last.map_or_else(|| line_end(text), |field| end_of_line(text, field.whole.end));
    let plain = |field: &&Field| field.node.is_scalar() && !text[field.whole.clone()].contains('\n');
    let sample = fields.iter().rfind(plain);
    let sign = sample.map_or_else(|| usual_sign(notation).to_owned(), |field| sign(notation, text, field));
    let sample_value = sample.map(|field| &text[field.node.span.clone()]);
    let close = sample.map_or("", |field| closing(notation, text, field));
    let value = match notation {
        Notation::Ini | Notation::KeyValue => written(notation, sample_value, Meant::Value, value),
        _ => written(notation, None, Meant::Value, value),
    };
    let margin = last.map_or_else(String::new, |field| margin(notation, text, field.whole.start));
    let like = sample.map(|field| &text[field.key.clone()]);
    let key = |name: &str| key_text(notation, like, name);
    let (name, inner) = names.split_last()?;
    let line = match (notation, inner) {
        (_, []) => format!("{margin}{}{sign}{value}{close}{end}", key(name)),
        (Notation::Ini, [section]) if deep == 0 => format!("{end}[{section}]{end}{name}{sign}{value}{end}"),
        (Notation::Toml, _) if deep == 0 => {
            let path: Vec<String> = inner.iter().map(|name| key_text(notation, None, name)).collect();
            format!("{end}[{}]{end}{}{sign}{value}{end}", path.join("."), key_text(notation, None, name))
        }
        (Notation::Yaml, _) => {
            let mut out = String::new();
            let mut margin = margin;
            for outer in inner {
                out.push_str(&format!("{margin}{}:{end}", key(outer)));
                margin.push_str(unit(text));
            }
            out + &format!("{margin}{}: {value}{end}", key(name))
        }
        _ => return None,
    };
    let at = match (inner, last) {
        ([], Some(field)) => line_stop(text, field.node.last().max(field.whole.end)),
        (_, Some(field)) if notation == Notation::Yaml => line_stop(text, field.node.last().max(field.whole.end)),
        // Before the first head, and what is said of it.
        ([], None) if deep == 0 => fields.first().map_or(text.len(), |field| {
            let start = line_start(text, field.whole.start);
            Block::around(notation, text, &(start..start)).map_or(start, |block| block.lead.start)
        }),
        // A table that has no head of its own can't be given a line.
        ([], None) if notation == Notation::Toml && !text[node.span.start..].starts_with('[') => return None,
        ([], None) => line_stop(text, node.span.start),
        _ => text.len(),
    };
    let torn = at == text.len() && !text.is_empty() && !text.ends_with('\n');
    let line = if torn { format!("{end}{line}") } else { line };
    Some(Splice { at: at..at, with: line })
}

/// The blanks before a name on a line of its own, below the one of another.
pub fn margin(notation: Notation, text: &str, at: usize) -> String {
    let before = &text[line_start(text, at)..at];
    match notation {
        // Behind the `-` of a list, the next name stands below the first.
        Notation::Yaml => before.chars().map(|c| if c == '\t' { '\t' } else { ' ' }).collect(),
        _ => before[..before.len() - before.trim_start().len()].to_owned(),
    }
}

/// What stands between name and value, without what only that value needs.
fn sign(notation: Notation, text: &str, field: &Field) -> String {
    let sign = between(text, field);
    match notation {
        Notation::Yaml => ": ".to_owned(),
        _ if sign.trim().is_empty() && notation != Notation::Properties => usual_sign(notation).to_owned(),
        _ => sign,
    }
}

pub const fn usual_sign(notation: Notation) -> &'static str {
    match notation {
        Notation::Yaml | Notation::Json => ": ",
        Notation::Properties | Notation::Ini => "=",
        _ => " = ",
    }
}

/// What ends a line after its value: a semicolon.
pub fn closing<'t>(notation: Notation, text: &'t str, field: &Field) -> &'t str {
    let rest = &text[field.node.span.end..];
    if notation == Notation::KeyValue && rest.starts_with(';') { &rest[..1] } else { "" }
}

fn put_xml(text: &str, tag: &Tag, names: &[&str], value: &str) -> Option<Splice> {
    let escaped = written(Notation::Xml, None, Meant::Value, value);
    if let [name] = names
        && let Some(attribute) = name.strip_prefix('@')
    {
        let open = &text[tag.open.clone()];
        let open = open.strip_suffix('>').unwrap_or(open);
        let end =
            tag.open.start + open.strip_suffix('/').filter(|_| tag.content.is_none()).unwrap_or(open).trim_end().len();
        return Some(Splice { at: end..end, with: format!(" {attribute}=\"{escaped}\"") });
    }
    if names == ["#text"] {
        let content = tag.content.clone()?;
        return Some(Splice { at: content.end..content.end, with: escaped });
    }
    let (mut inner, mut attribute) = (escaped, String::new());
    for (depth, name) in names.iter().enumerate().rev() {
        match name.strip_prefix('@') {
            Some(own) if depth + 1 == names.len() => attribute = format!(" {own}=\"{}\"", std::mem::take(&mut inner)),
            Some(_) => return None,
            None => inner = format!("<{name}{}>{inner}</{name}>", std::mem::take(&mut attribute)),
        }
    }
    Some(last_child(text, tag, &inner))
}

/// Puts an element behind the last one in another, and behind the comment that is about that one.
pub fn last_child(text: &str, parent: &Tag, child: &str) -> Splice {
    let end = end_of_line(text, parent.open.start);
    let margin = indentation(text, parent.span.start);
    let Some(content) = &parent.content else {
        let inner = format!("{end}{margin}{}{child}{end}{margin}", unit(text));
        return opened(text, parent, &inner);
    };
    match &parent.last_child {
        Some(last) => {
            let before = &text[..last.start];
            let blank = &before[before.trim_end().len()..];
            let own_line = blank.contains('\n')
                || indentation(text, last.start).len() == last.start - line_start(text, last.start);
            let at = behind_comments(text, last.end..content.end);
            let lead = if own_line { format!("{end}{}", indentation(text, last.start)) } else { blank.to_owned() };
            Splice { at: at..at, with: format!("{lead}{child}") }
        }
        None => {
            let inner = &text[content.clone()];
            let at = content.start + inner.trim_end().len();
            let is_line = inner[inner.trim_end().len()..].contains('\n');
            let tail = if is_line { String::new() } else { format!("{end}{margin}") };
            Splice { at: at..at, with: format!("{end}{margin}{}{child}{tail}", unit(text)) }
        }
    }
}

/// Behind the comments that begin on the line of a place.
pub fn behind_comments(text: &str, gap: Range<usize>) -> usize {
    let mut found = Vec::new();
    comments_in(Notation::Xml, text, gap.clone(), &mut found);
    let mut at = gap.start;
    for comment in found {
        if text[at..comment.start].contains('\n') || !text[at..comment.start].trim().is_empty() {
            break;
        }
        at = comment.end;
    }
    at
}

#[cfg(test)]
#[path = "../tests/setting.rs"]
mod tests;
