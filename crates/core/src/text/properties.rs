//! Java-style properties, with their escapes and continued lines.

use std::ops::Range;

use super::flaw::{Flaw, Malformed};
use super::lines::{Given, gathered, placed_lines};
use super::tree::{Form, Kind, Node};

/// Reads a text as a tree; a value that goes on over several lines stands in all of them.
///
/// # Errors
/// When an escape is none.
pub fn tree(text: &str) -> Result<Node, Malformed> {
    let mut lines = Vec::new();
    let mut physical = placed_lines(text).into_iter().enumerate().peekable();
    while let Some((number, (at, line))) = physical.next() {
        let inner = line.trim_start();
        if inner.is_empty() || inner.starts_with(['#', '!']) {
            continue;
        }
        let mut end = at + line.len();
        let mut last = line;
        while goes_on(last)
            && let Some((_, (next_at, next))) = physical.next()
        {
            (end, last) = (next_at + next.len(), next);
        }
        lines.push(property(at, &text[at..end]).map_err(|flaw| flaw.on_line(number + 1))?);
    }
    Ok(Node::new(0..text.len(), Kind::Table(gathered(lines), Form::Lines)))
}

fn goes_on(line: &str) -> bool {
    line.chars().rev().take_while(|c| *c == '\\').count() % 2 == 1
}

/// The key ends at a blank, a `=` or a `:` that no `\` stands before.
fn property(at: usize, line: &str) -> Result<Given, Flaw> {
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
    let blank = |text: &str| line.len() - text.trim_start().len();
    let sign = blank(&line[end..]);
    let signed = if line[sign..].starts_with(['=', ':']) { sign + 1 } else { sign };
    let from = blank(&line[signed..]);
    // Nothing stands right behind the sign.
    let from = if from >= line.len() { signed.min(line.len()) } else { from };
    let value_at: Range<usize> = at + from..at + line.len();
    let key_at = at + start..at + end;
    Ok(Given {
        key: unescaped(&line[start..end])?,
        key_at,
        whole: at + start..at + line.len(),
        at: value_at,
        value: unescaped(line[from..].trim_start())?,
    })
}

/// A text as it is written in a properties file, with what its escapes stand for.
///
/// # Errors
/// When a `\u` is followed by anything but four digits.
pub fn unescaped(written: &str) -> Result<String, Flaw> {
    let mut units: Vec<u16> = Vec::new();
    let mut chars = written.chars().peekable();
    let push = |units: &mut Vec<u16>, c: char| units.extend(c.encode_utf16(&mut [0; 2]).iter());
    while let Some(c) = chars.next() {
        if c != '\\' {
            push(&mut units, c);
            continue;
        }
        match chars.next() {
            Some('u') => {
                let digits: String = chars.by_ref().take(4).collect();
                let unit = u16::from_str_radix(&digits, 16).ok().filter(|_| digits.len() == 4);
                units.push(unit.ok_or(Flaw::NoCharacter(digits))?);
            }
            Some('n') => push(&mut units, '\n'),
            Some('t') => push(&mut units, '\t'),
            Some('r') => push(&mut units, '\r'),
            Some('f') => push(&mut units, '\u{c}'),
            Some(end @ ('\n' | '\r')) => {
                if end == '\r' && chars.peek() == Some(&'\n') {
                    chars.next();
                }
                while chars.peek().is_some_and(|c| matches!(c, ' ' | '\t' | '\u{c}')) {
                    chars.next();
                }
            }
            Some(other) => push(&mut units, other),
            None => {}
        }
    }
    String::from_utf16(&units).map_err(|_| Flaw::HalfCharacter)
}

/// A text as a value of a properties file.
pub fn escaped(value: &str, ascii: bool) -> String {
    let mut out = String::new();
    for (at, c) in value.char_indices() {
        match c {
            '\\' => out.push_str("\\\\"),
            '\n' => out.push_str("\\n"),
            '\r' => out.push_str("\\r"),
            '\t' => out.push_str("\\t"),
            ' ' if at == 0 => out.push_str("\\ "),
            c if ascii && !c.is_ascii() => {
                c.encode_utf16(&mut [0; 2]).iter().for_each(|unit| out.push_str(&format!("\\u{unit:04x}")));
            }
            c => out.push(c),
        }
    }
    out
}
