//! Where values stand in YAML: the first document of a text, by the events of a parser that knows its places.

use std::ops::Range;

use saphyr_parser::{Event, Parser, Span};

use super::tree::{Field, Form, Kind, Node};
use crate::limits;

/// Reads a text as a tree.
pub fn tree(text: &str) -> Result<Node, String> {
    let starts: Vec<usize> = text.char_indices().map(|(at, _)| at).chain([text.len()]).collect();
    let mut reader = Reader { parser: Parser::new_from_str(text), text, starts, depth: 0 };
    loop {
        match reader.next()? {
            (Event::StreamStart | Event::DocumentStart(_) | Event::Nothing, _) => {}
            (Event::StreamEnd | Event::DocumentEnd, _) => return Err("it is empty".to_owned()),
            (event, span) => return reader.node(&event, span),
        }
    }
}

struct Reader<'t> {
    parser: Parser<'t, saphyr_parser::StrInput<'t>>,
    text: &'t str,
    /// Where each character begins; the parser counts in characters.
    starts: Vec<usize>,
    depth: usize,
}

impl<'t> Reader<'t> {
    fn next(&mut self) -> Result<(Event<'t>, Range<usize>), String> {
        let (event, span) = self.parser.next().ok_or("it ends too soon")?.map_err(|error| error.to_string())?;
        Ok((event, self.bytes(span)))
    }

    fn bytes(&self, span: Span) -> Range<usize> {
        let of = |index: usize| self.starts.get(index).copied().unwrap_or(self.text.len());
        of(span.start.index())..of(span.end.index())
    }

    fn node(&mut self, event: &Event<'t>, span: Range<usize>) -> Result<Node, String> {
        if self.depth > limits::DEPTH {
            return Err("it is nested too deep".to_owned());
        }
        self.depth += 1;
        let node = match event {
            Event::SequenceStart(..) => self.list(span),
            Event::MappingStart(..) => self.table(span),
            Event::Scalar(..) => {
                let length = scalar_length(&self.text[span.clone()]);
                Ok(Node::scalar(span.start..span.start + length))
            }
            _ => Ok(Node::scalar(span)),
        };
        self.depth -= 1;
        node
    }

    fn form(&self, span: &Range<usize>) -> Form {
        if self.text[span.start..].starts_with(['[', '{']) { Form::Brackets } else { Form::Lines }
    }

    fn list(&mut self, start: Range<usize>) -> Result<Node, String> {
        let mut items = Vec::new();
        loop {
            match self.next()? {
                (Event::SequenceEnd, end) => {
                    let form = self.form(&start);
                    let end = self.end_of(form, items.last().map(|node: &Node| node.span.end), &end);
                    return Ok(Node { span: start.start..end.max(start.start), kind: Kind::List(items, form) });
                }
                (event, span) => items.push(self.node(&event, span)?),
            }
        }
    }

    fn table(&mut self, start: Range<usize>) -> Result<Node, String> {
        let mut fields: Vec<Field> = Vec::new();
        loop {
            match self.next()? {
                (Event::MappingEnd, end) => {
                    let form = self.form(&start);
                    let end = self.end_of(form, fields.last().map(|field| field.whole.end), &end);
                    return Ok(Node { span: start.start..end.max(start.start), kind: Kind::Table(fields, form) });
                }
                (Event::Scalar(name, ..), key) => {
                    let (event, span) = self.next()?;
                    let mut node = self.node(&event, span)?;
                    // Nothing stands where the colon leaves off.
                    if node.span.is_empty() && node.kind == Kind::Scalar {
                        let colon = self.text[key.end..].find(':').map_or(key.end, |at| key.end + at + 1);
                        node.span = colon..colon;
                    }
                    let whole = key.start..node.span.end.max(key.end);
                    fields.push(Field { name: name.into_owned(), whole, node });
                }
                _ => return Err("a key that is no plain text stands in it".to_owned()),
            }
        }
    }

    /// A block ends where its last value does, whatever the parser has looked at since.
    fn end_of(&self, form: Form, last: Option<usize>, end: &Range<usize>) -> usize {
        match (form, last) {
            (Form::Brackets, _) | (_, None) => end.end,
            (_, Some(last)) => last,
        }
    }
}

/// The length of a value at the beginning of a text; the parser's own end may lie behind blanks and a comment.
fn scalar_length(text: &str) -> usize {
    let end = match text.chars().next() {
        Some('\'') => text[1..].replace("''", "xx").find('\'').map(|at| at + 2),
        Some('"') => {
            let mut escaped = false;
            let closes = |(_, c): &(usize, char)| {
                let is_end = *c == '"' && !escaped;
                escaped = *c == '\\' && !escaped;
                is_end
            };
            text[1..].char_indices().find(closes).map(|(at, _)| at + 2)
        }
        Some('|' | '>') => None,
        _ => text.find(" #"),
    };
    text[..end.unwrap_or(text.len())].trim_end().len()
}
