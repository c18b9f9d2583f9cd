//! Where values stand in XML: elements, attributes and texts, mirroring the mapping of [`Notation::read`].
//!
//! [`Notation::read`]: crate::document::Notation::read

use std::ops::Range;

use quick_xml::Reader;
use quick_xml::events::Event;

use super::tree::{Field, Form, Kind, Node};
use crate::limits;
use crate::problem::place;

/// An element, and where its parts stand.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Element {
    /// Its name.
    pub name: String,
    /// All of it.
    pub span: Range<usize>,
    /// Its start tag.
    pub open: Range<usize>,
    /// What is between its tags; nothing of one that is only `<name/>`.
    pub content: Option<Range<usize>>,
    /// The elements in it.
    pub children: Vec<Element>,
}

/// Reads the elements of a text that stand side by side: one, in a whole document.
///
/// # Errors
/// When it is not well-formed; with the line and the column.
pub fn elements(text: &str) -> Result<Vec<Element>, String> {
    let mut reader = Reader::from_str(text);
    let mut open: Vec<Element> = Vec::new();
    let mut done = Vec::new();
    loop {
        let start = offset(&reader);
        let placed = |reason: String| format!("{}: {reason}", place(text, start));
        let event = reader.read_event().map_err(|error| placed(error.to_string()))?;
        let end = offset(&reader);
        match event {
            Event::Start(_) if open.len() >= limits::DEPTH => return Err(placed("it is nested too deep".to_owned())),
            Event::Start(tag) => open.push(Element {
                name: tag.name().as_ref().to_owned(),
                span: start..end,
                open: start..end,
                content: Some(end..end),
                children: Vec::new(),
            }),
            Event::Empty(tag) => {
                let name = tag.name().as_ref().to_owned();
                let element = Element { name, span: start..end, open: start..end, content: None, children: Vec::new() };
                close(element, &mut open, &mut done);
            }
            Event::End(_) => {
                let mut element = open.pop().ok_or_else(|| placed("an element ends that never began".to_owned()))?;
                element.span.end = end;
                element.content = Some(element.open.end..start);
                close(element, &mut open, &mut done);
            }
            Event::Eof => break,
            _ => {}
        }
    }
    match open.last() {
        Some(element) => {
            Err(format!("{}: the element `{}` is never closed", place(text, element.span.start), element.name))
        }
        None => Ok(done),
    }
}

fn offset(reader: &Reader<&[u8]>) -> usize {
    usize::try_from(reader.buffer_position()).unwrap_or(usize::MAX)
}

fn close(element: Element, open: &mut [Element], done: &mut Vec<Element>) {
    match open.last_mut() {
        Some(parent) => parent.children.push(element),
        None => done.push(element),
    }
}

/// Reads a whole document as a tree.
pub fn tree(text: &str) -> Result<Node, String> {
    let roots = elements(text)?;
    let root = roots.first().ok_or("it has no root element")?;
    let field = Field { name: root.name.clone(), whole: root.span.clone(), node: node(text, root) };
    Ok(Node { span: 0..text.len(), kind: Kind::Table(vec![field], Form::Elements) })
}

fn node(text: &str, element: &Element) -> Node {
    let attributes = attributes(text, element);
    if attributes.is_empty() && element.children.is_empty() {
        return Node::scalar(text_span(text, element));
    }
    let mut fields: Vec<Field> = attributes
        .into_iter()
        .map(|(name, whole, value)| Field { name: format!("@{name}"), whole, node: Node::scalar(value) })
        .collect();
    for child in &element.children {
        let inner = node(text, child);
        match fields.iter_mut().find(|field| field.name == child.name) {
            Some(Field { whole, node: Node { span, kind: Kind::List(items, _) }, .. }) => {
                items.push(inner);
                whole.end = child.span.end;
                span.end = child.span.end;
            }
            _ => {
                let list = Node { span: child.span.clone(), kind: Kind::List(vec![inner], Form::Elements) };
                fields.push(Field { name: child.name.clone(), whole: child.span.clone(), node: list });
            }
        }
    }
    let own_text = text_span(text, element);
    if element.children.is_empty() && !own_text.is_empty() {
        fields.push(Field { name: "#text".to_owned(), whole: own_text.clone(), node: Node::scalar(own_text) });
    }
    Node { span: element.span.clone(), kind: Kind::Table(fields, Form::Elements) }
}

/// The text of an element without the blanks around it; its end where it has none.
fn text_span(text: &str, element: &Element) -> Range<usize> {
    let Some(content) = element.content.clone() else { return element.span.end..element.span.end };
    let inner = &text[content.clone()];
    let start = content.start + (inner.len() - inner.trim_start().len());
    let length = inner.trim().len();
    if length == 0 { content.start..content.start } else { start..start + length }
}

/// The attributes of an element: name, all of it, and the value without its quotes.
pub fn attributes(text: &str, element: &Element) -> Vec<(String, Range<usize>, Range<usize>)> {
    let tag = &text[element.open.clone()];
    let mut found = Vec::new();
    let mut at = 1 + element.name.len();
    while let Some(equals) = tag.get(at..).and_then(|rest| rest.find('=')).map(|offset| at + offset) {
        let name = tag[at..equals].trim();
        let name_at = at + (tag[at..equals].len() - tag[at..equals].trim_start().len());
        let after = &tag[equals + 1..];
        let quote_at = equals + 1 + (after.len() - after.trim_start().len());
        let Some(quote) = tag[quote_at..].chars().next().filter(|c| matches!(c, '"' | '\'')) else { break };
        let Some(length) = tag[quote_at + 1..].find(quote) else { break };
        let value = quote_at + 1..quote_at + 1 + length;
        let base = element.open.start;
        found.push((name.to_owned(), base + name_at..base + value.end + 1, base + value.start..base + value.end));
        at = value.end + 1;
    }
    found
}
