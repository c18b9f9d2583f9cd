//! `key = value` lines, with or without a semicolon at the end.

use super::lines::{Given, gathered, given, placed_lines, sign_of, value_of};
use super::tree::{Form, Kind, Node};

/// Reads a text as a tree. A line without a sign is a key without a value; comments begin with `#`, `;` or `//`, and behind a
/// value with a blank before them.
pub fn tree(text: &str) -> Node {
    let mut lines = Vec::new();
    for (at, line) in placed_lines(text) {
        let inner = line.trim();
        if !inner.is_empty() && !inner.starts_with(['#', ';']) && !inner.starts_with("//") {
            lines.extend(key_and_value(at, line));
        }
    }
    Node::new(0..text.len(), Kind::Table(gathered(lines), Form::Lines))
}

fn key_and_value(at: usize, line: &str) -> Option<Given> {
    let sign = sign_of(line, &[" #", "\t#", " //", "\t//", " ;", "\t;", ";"]);
    let mut found = given(at, line, sign, |value| {
        let is_comment = |rest: &str| rest.starts_with(['#', ';']) || rest.starts_with("//");
        let (end, quoted) = value_of(value, is_comment);
        // A semicolon that nothing but a comment follows ends the value.
        let ends = |at: &usize| {
            let rest = value[at + 1..].trim_start();
            rest.is_empty() || is_comment(rest)
        };
        let close = value[..end].match_indices(';').map(|(at, _)| at).find(ends).filter(|_| !quoted);
        let end = close.map_or(end, |close| value[..close].trim_end().len());
        (0..end, if quoted { value[1..end - 1].to_owned() } else { value[..end].to_owned() })
    })?;
    if sign.is_none() {
        found.key = found.key.trim_end_matches(';').trim_end().to_owned();
    }
    Some(found)
}
