//! Where values stand in notations made of lines: INI, `key = value`, properties.

use std::ops::Range;

use super::tree::{Field, Form, Kind, Node};
use crate::document::bare_value;

/// A line that gives a value.
struct Given {
    key: String,
    whole: Range<usize>,
    value: Range<usize>,
}

/// Sections of `key = value` lines.
pub fn ini(text: &str) -> Node {
    let mut sections: Vec<(Option<String>, Range<usize>, Vec<Given>)> = vec![(None, 0..0, Vec::new())];
    for (at, line) in placed_lines(text) {
        let inner = line.trim();
        if let Some(name) = inner.strip_prefix('[').and_then(|rest| rest.split(']').next()) {
            sections.push((Some(name.trim().to_owned()), at..at + line.len(), Vec::new()));
        } else if !inner.is_empty()
            && !inner.starts_with([';', '#'])
            && let (Some(given), Some((_, span, lines))) = (given(at, line, &['=', ':']), sections.last_mut())
        {
            span.end = at + line.len();
            let value = without_comment(text, given.value);
            lines.push(Given { whole: given.whole.start..value.end, value, ..given });
        }
    }
    let mut fields: Vec<Field> = Vec::new();
    for (name, span, lines) in sections {
        let inner = gathered(lines);
        let Some(name) = name else {
            fields.extend(inner);
            continue;
        };
        // A section may go on further below.
        match fields.iter_mut().find(|field| field.name == name) {
            Some(Field { node: Node { kind: Kind::Table(known, _), span: known_span }, .. }) => {
                known.extend(inner);
                known_span.end = span.end;
            }
            _ => {
                let node = Node { span: span.clone(), kind: Kind::Table(inner, Form::Lines) };
                fields.push(Field { name, whole: span, node });
            }
        }
    }
    Node { span: 0..text.len(), kind: Kind::Table(fields, Form::Lines) }
}

/// `key = value` lines; a quote around the value and a semicolon after it are not part of it.
pub fn key_value(text: &str) -> Node {
    let mut lines = Vec::new();
    for (at, line) in placed_lines(text) {
        let inner = line.trim();
        if inner.is_empty() || inner.starts_with(['#', ';']) || inner.starts_with("//") {
            continue;
        }
        // The first `=` decides, wherever a `:` is: see the reading of this notation.
        let signs: &[char] = if line.contains('=') { &['='] } else { &[':'] };
        lines.extend(given(at, line, signs).map(|given| {
            let bare = bare_value(&text[given.value.clone()]).len();
            let value = given.value.start..given.value.start + bare;
            let whole = given.whole.start..value.end;
            Given { key: given.key.trim_end_matches(';').to_owned(), whole, value }
        }));
    }
    Node { span: 0..text.len(), kind: Kind::Table(gathered(lines), Form::Lines) }
}

/// Java-style properties; a value that goes on over several lines stands in all of them.
pub fn properties(text: &str) -> Node {
    let mut lines = Vec::new();
    let mut physical = placed_lines(text).into_iter().peekable();
    while let Some((at, line)) = physical.next() {
        let inner = line.trim_start();
        if inner.is_empty() || inner.starts_with(['#', '!']) {
            continue;
        }
        let mut end = at + line.len();
        let mut last = line;
        while goes_on(last)
            && let Some((next_at, next)) = physical.next()
        {
            (end, last) = (next_at + next.len(), next);
        }
        lines.extend(property(at, &text[at..end]));
    }
    Node { span: 0..text.len(), kind: Kind::Table(gathered(lines), Form::Lines) }
}

fn goes_on(line: &str) -> bool {
    line.chars().rev().take_while(|c| *c == '\\').count() % 2 == 1
}

/// The key ends at a blank, a `=` or a `:` that no `\` stands before.
fn property(at: usize, line: &str) -> Option<Given> {
    let start = line.len() - line.trim_start().len();
    let mut end = line.len();
    let mut escaped = false;
    for (offset, c) in line.char_indices().skip_while(|(offset, _)| *offset < start) {
        if !escaped && (c == '=' || c == ':' || c.is_whitespace()) {
            end = offset;
            break;
        }
        escaped = c == '\\' && !escaped;
    }
    let rest = line[end..].trim_start();
    let rest = rest.strip_prefix(['=', ':']).unwrap_or(rest).trim_start();
    let value = at + line.len() - rest.len()..at + line.len();
    let key = unescaped(&line[start..end]);
    (!key.is_empty()).then_some(Given { key, whole: at + start..at + line.len(), value })
}

fn unescaped(key: &str) -> String {
    let mut out = String::new();
    let mut chars = key.chars();
    while let Some(c) = chars.next() {
        out.extend(if c == '\\' { chars.next() } else { Some(c) });
    }
    out
}

/// A text's lines with where they begin, without their ends.
pub fn placed_lines(text: &str) -> Vec<(usize, &str)> {
    let mut at = 0;
    let mut lines = Vec::new();
    for line in text.split_inclusive('\n') {
        lines.push((at, line.trim_end_matches(['\n', '\r'])));
        at += line.len();
    }
    lines
}

fn given(at: usize, line: &str, signs: &[char]) -> Option<Given> {
    let lead = line.len() - line.trim_start().len();
    let trimmed_end = line.trim_end().len();
    if trimmed_end <= lead {
        return None;
    }
    let Some(sign) = line.find(signs) else {
        let key = line[lead..trimmed_end].to_owned();
        return Some(Given { key, whole: at + lead..at + trimmed_end, value: at + trimmed_end..at + trimmed_end });
    };
    let after = &line[sign + 1..trimmed_end.max(sign + 1)];
    let start = sign + 1 + (after.len() - after.trim_start().len());
    let value = at + start.min(trimmed_end.max(sign + 1))..at + trimmed_end.max(sign + 1);
    Some(Given { key: line[lead..sign].trim().to_owned(), whole: at + lead..at + trimmed_end, value })
}

/// In INI files a comment may follow a value after a blank, when the value is quoted.
fn without_comment(text: &str, value: Range<usize>) -> Range<usize> {
    let inner = &text[value.clone()];
    let Some(quote) = inner.chars().next().filter(|c| matches!(c, '"' | '\'')) else { return value };
    match inner[1..].find(quote) {
        Some(end) => value.start..value.start + end + 2,
        None => value,
    }
}

/// A key that stands several times is a list.
fn gathered(lines: Vec<Given>) -> Vec<Field> {
    let mut fields: Vec<Field> = Vec::new();
    for Given { key, whole, value } in lines {
        let node = Node::scalar(value);
        match fields.iter_mut().find(|field| field.name == key) {
            None => fields.push(Field { name: key, whole, node }),
            Some(field) => {
                field.whole.end = whole.end;
                if let Kind::List(items, _) = &mut field.node.kind {
                    items.push(node);
                } else {
                    let items = vec![field.node.clone(), node];
                    field.node = Node { span: field.whole.clone(), kind: Kind::List(items, Form::Lines) };
                }
            }
        }
    }
    fields
}
