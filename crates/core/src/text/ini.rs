//! Sections of `key = value` lines.

use std::ops::Range;

use super::flaw::{Flaw, Malformed};
use super::lines::{Given, gathered, given, placed_lines, sign_of, value_of};
use super::tree::{Field, Form, Kind, Node};

/// Reads a text as a tree. A section is a table; keys before the first one are at the top. Behind a value, or the name of a
/// section, a comment begins with a `;` or `#` that a blank stands before.
///
/// # Errors
/// When a section has no end, or is called like a key.
pub fn tree(text: &str) -> Result<Node, Malformed> {
    let mut sections: Vec<Section> = vec![Section::default()];
    for (number, (at, line)) in placed_lines(text).into_iter().enumerate() {
        let inner = line.trim();
        if inner.is_empty() || inner.starts_with([';', '#']) {
            continue;
        }
        if let Some(name) = inner.strip_prefix('[') {
            let name = name.split_once(']').map(|(name, _)| name.trim().to_owned());
            let name = name.ok_or_else(|| Flaw::OpenSection.on_line(number + 1))?;
            let lead = at + line.len() - line.trim_start().len();
            sections.push(Section { name: Some(name), span: lead..at + line.trim_end().len(), lines: Vec::new() });
        } else if let (Some(given), Some(section)) = (key_and_value(at, line), sections.last_mut()) {
            section.span.end = given.whole.end;
            section.lines.push(given);
        }
    }
    table(text, sections)
}

#[derive(Default)]
struct Section {
    name: Option<String>,
    span: Range<usize>,
    lines: Vec<Given>,
}

fn key_and_value(at: usize, line: &str) -> Option<Given> {
    let sign = sign_of(line, &[" ;", "\t;", " #", "\t#"]);
    given(at, line, sign, |value| {
        let (end, quoted) = value_of(value, |rest| rest.starts_with([';', '#']));
        (0..end, if quoted { value[1..end - 1].to_owned() } else { value[..end].to_owned() })
    })
}

fn table(text: &str, sections: Vec<Section>) -> Result<Node, Malformed> {
    let mut fields: Vec<Field> = Vec::new();
    for Section { name, span, lines } in sections {
        let inner = gathered(lines);
        let Some(name) = name else {
            fields.extend(inner);
            continue;
        };
        // A section may go on further below.
        match fields.iter_mut().find(|field| field.name == name) {
            Some(Field { node: Node { kind: Kind::Table(known, _), span: known_span, .. }, .. }) => {
                known.extend(inner);
                known_span.end = span.end;
            }
            Some(_) => return Err(Flaw::KeyAndSection(name).into()),
            None => {
                let key = span.start + 1..span.start + 1;
                let node = Node::new(span.clone(), Kind::Table(inner, Form::Lines));
                fields.push(Field { name, key, whole: span, node });
            }
        }
    }
    Ok(Node::new(0..text.len(), Kind::Table(fields, Form::Lines)))
}
