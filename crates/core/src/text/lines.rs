//! What the notations made of lines have in common.

use std::ops::Range;

use super::tree::{Field, Form, Kind, Node};

/// A line that gives a value.
pub struct Given {
    /// The key.
    pub key: String,
    /// Where the key stands.
    pub key_at: Range<usize>,
    /// Key and value.
    pub whole: Range<usize>,
    /// Where the value stands, with its quotes.
    pub at: Range<usize>,
    /// The value.
    pub value: String,
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

/// Where the sign stands that parts key and value: the first `=` before a comment, or a `:` where no `=` is, or where it ends
/// a plain word and a blank follows.
pub fn sign_of(line: &str, comments: &[&str]) -> Option<usize> {
    let colon = line.find(':').filter(|at| {
        let key = line[..*at].trim();
        let is_word = !key.is_empty() && key.chars().all(|c| c.is_alphanumeric() || matches!(c, '-' | '_' | '.'));
        is_word && line[at + 1..].starts_with([' ', '\t'])
    });
    let equals = line.find('=');
    if let Some(colon) = colon.filter(|colon| equals.is_none_or(|equals| *colon < equals)) {
        return Some(colon);
    }
    let end = comments.iter().filter_map(|mark| line.find(mark)).min().unwrap_or(line.len());
    equals.filter(|at| *at < end).or_else(|| line[..end].find(':'))
}

/// A line's key and value. `read` says which part of what is behind the sign is the value, and what it says.
pub fn given(
    at: usize,
    line: &str,
    sign: Option<usize>,
    read: impl Fn(&str) -> (Range<usize>, String),
) -> Option<Given> {
    let lead = line.len() - line.trim_start().len();
    let Some(sign) = sign else {
        let (part, value) = read(line.trim());
        let end = at + lead + part.end;
        let key = value.trim_matches(['"', '\'']).to_owned();
        return (!key.is_empty()).then(|| Given {
            key,
            key_at: at + lead..end,
            whole: at + lead..end,
            at: end..end,
            value: String::new(),
        });
    };
    let key = line[lead..sign.max(lead)].trim_end();
    let after = &line[sign + 1..];
    let start = at + sign + 1 + (after.len() - after.trim_start().len());
    let (part, value) = read(after.trim());
    // Nothing stands behind the sign, and a blank where there is one.
    let blank = usize::from(after.starts_with([' ', '\t']));
    let start = if part.is_empty() { at + sign + 1 + blank } else { start };
    let value_at = start + part.start..start + part.end;
    let key_at = at + lead..at + lead + key.len();
    let whole = key_at.start..value_at.end;
    Some(Given { key: key.to_owned(), key_at, whole, at: value_at, value })
}

/// Where a value ends before a comment, and whether it is quoted as a whole.
pub fn value_of(value: &str, is_comment: impl Fn(&str) -> bool) -> (usize, bool) {
    if let Some(quote) = value.chars().next().filter(|c| matches!(c, '"' | '\'')) {
        let mut chars = value[1..].char_indices();
        while let Some((at, c)) = chars.next() {
            if c == '\\' && quote == '"' && value[1 + at + 1..].starts_with(['"', '\\']) {
                chars.next();
            } else if c == quote {
                let rest = value[at + 2..].trim_start();
                if rest.is_empty() || rest.starts_with(';') || is_comment(rest) {
                    return (at + 2, true);
                }
            }
        }
    }
    let mut before = ' ';
    for (at, c) in value.char_indices() {
        let rest = &value[at..];
        // At the very start, what follows must be parted from the sign: `#ff00aa` and `#reed` are values.
        let length = if rest.starts_with("//") { 2 } else { 1 };
        let parted = at > 0 || rest.chars().nth(length).is_none_or(char::is_whitespace);
        if before.is_whitespace() && parted && is_comment(rest) {
            return (value[..at].trim_end().len(), false);
        }
        before = c;
    }
    (value.trim_end().len(), false)
}

/// A key that stands several times is a list.
pub fn gathered(lines: Vec<Given>) -> Vec<Field> {
    let mut fields: Vec<Field> = Vec::new();
    let mut places: std::collections::HashMap<String, usize> = std::collections::HashMap::new();
    for Given { key, key_at, whole, at, value } in lines {
        let node = Node::text(at, &value);
        match places.get(&key).and_then(|place| fields.get_mut(*place)) {
            None => {
                places.insert(key.clone(), fields.len());
                fields.push(Field { name: key, key: key_at, whole, node });
            }
            Some(field) => {
                field.whole.end = whole.end;
                if let Kind::List(items, _) = &mut field.node.kind {
                    items.push(node);
                } else {
                    let items = vec![field.node.clone(), node];
                    field.node = Node::new(field.whole.clone(), Kind::List(items, Form::Lines));
                }
            }
        }
    }
    fields
}
