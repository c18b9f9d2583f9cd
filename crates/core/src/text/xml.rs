//! XML: elements, attributes and texts with their places. How they become values is said at [`Notation::read`].
//!
//! [`Notation::read`]: super::kinds::Notation::read

use std::ops::Range;

use quick_xml::Reader;
use quick_xml::events::{BytesStart, Event};
use serde_json::{Map, Value};

use super::flaw::{Flaw, Malformed};
use super::tree::{Field, Form, Kind, Node, Tag};
use crate::base::limits;

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
    /// Its attributes.
    pub attributes: Vec<Attribute>,
    /// The elements in it.
    pub children: Vec<Element>,
    /// Its own text.
    pub text: String,
    /// The pieces of its own text that are not blank, each without the blanks around it.
    pub runs: Vec<Range<usize>>,
}

/// An attribute of an element.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Attribute {
    /// Its name.
    pub name: String,
    /// All of it.
    pub span: Range<usize>,
    /// The value without its quotes.
    pub at: Range<usize>,
    /// The value.
    pub value: String,
}

/// Reads the elements of a text that stand side by side: one, in a whole document.
///
/// # Errors
/// When it is not well-formed; with the line and the column.
pub fn elements(text: &str) -> Result<Vec<Element>, Malformed> {
    // The parser passes over a mark without counting it, and every place would be wrong.
    if text.starts_with('\u{feff}') {
        return Err(Flaw::Mark.at(text, 0));
    }
    let mut reader = Reader::from_str(text);
    let mut open: Vec<Element> = Vec::new();
    let mut done = Vec::new();
    loop {
        let start = offset(&reader);
        let placed = |flaw: Flaw| flaw.at(text, start);
        let event = reader.read_event().map_err(|error| placed(Flaw::told(error)))?;
        let end = offset(&reader);
        match event {
            Event::Start(tag) if open.len() >= limits::DEPTH => {
                return Err(placed(Flaw::ElementTooDeep(tag.name().as_ref().to_owned())));
            }
            Event::Start(tag) => open.push(element(text, &tag, start..end, Some(end..end)).map_err(placed)?),
            Event::Empty(tag) => {
                let element = element(text, &tag, start..end, None).map_err(placed)?;
                close(element, &mut open, &mut done);
            }
            Event::End(_) => {
                let mut element = open.pop().ok_or_else(|| placed(Flaw::NeverBegan))?;
                element.span.end = end;
                element.content = Some(element.open.end..start);
                close(element, &mut open, &mut done);
            }
            Event::Text(piece) => add_text(&mut open, &piece, start..end),
            Event::CData(piece) => add_text(&mut open, &piece, start..end),
            Event::GeneralRef(reference) => {
                add_text(&mut open, &entity(&reference).map_err(placed)?, start..end);
            }
            Event::Eof => break,
            Event::Decl(_) | Event::PI(_) | Event::DocType(_) | Event::Comment(_) => {}
        }
    }
    match open.last() {
        Some(element) => Err(Flaw::NeverClosed(element.name.clone()).at(text, element.span.start)),
        None => {
            done.iter_mut().for_each(|element| trim_runs(text, element));
            Ok(done)
        }
    }
}

fn offset(reader: &Reader<&[u8]>) -> usize {
    usize::try_from(reader.buffer_position()).unwrap_or(usize::MAX)
}

fn element(
    text: &str,
    tag: &BytesStart<'_>,
    span: Range<usize>,
    content: Option<Range<usize>>,
) -> Result<Element, Flaw> {
    let mut attributes = Vec::new();
    for attribute in tag.attributes() {
        let attribute = attribute.map_err(Flaw::told)?;
        let name: &str = attribute.key.as_ref();
        let raw: &str = &attribute.value;
        let value = quick_xml::escape::unescape(raw).map_err(Flaw::told)?.into_owned();
        attributes.push((name.to_owned(), raw.to_owned(), value));
    }
    let mut placed = Vec::new();
    let mut at = span.start;
    for (name, raw, value) in attributes {
        // Name, sign, quote and value follow one another, with nothing but blanks between.
        let found = text[at..span.end].match_indices(name.as_str()).map(|(offset, _)| at + offset).find_map(|start| {
            let before = text[..start].chars().next_back();
            let rest = &text[start + name.len()..span.end];
            let sign = rest.trim_start().strip_prefix('=')?.trim_start();
            let inner = sign.strip_prefix(['"', '\''])?;
            let from = span.end - inner.len();
            let fits = inner.starts_with(raw.as_str()) && before.is_some_and(char::is_whitespace);
            fits.then_some((start, from..from + raw.len()))
        });
        let (start, value_at) = found.ok_or(Flaw::AttributeNowhere)?;
        at = value_at.end + 1;
        placed.push(Attribute { name, span: start..at, at: value_at, value });
    }
    Ok(Element {
        name: tag.name().as_ref().to_owned(),
        open: span.clone(),
        span,
        content,
        attributes: placed,
        children: Vec::new(),
        text: String::new(),
        runs: Vec::new(),
    })
}

/// XML's own five entities and character references; any other is left as it is written.
fn entity(reference: &quick_xml::events::BytesRef<'_>) -> Result<String, Flaw> {
    if let Some(character) = reference.resolve_char_ref().map_err(Flaw::told)? {
        return Ok(character.to_string());
    }
    let name: &str = reference;
    Ok(quick_xml::escape::resolve_predefined_entity(name).map_or_else(|| format!("&{name};"), str::to_owned))
}

fn add_text(open: &mut [Element], piece: &str, at: Range<usize>) {
    let Some(element) = open.last_mut() else { return };
    // A line end is one sign, however it is written.
    element.text.push_str(&piece.replace("\r\n", "\n"));
    match element.runs.last_mut() {
        Some(last) if last.end == at.start => last.end = at.end,
        _ => element.runs.push(at),
    }
}

fn close(element: Element, open: &mut [Element], done: &mut Vec<Element>) {
    match open.last_mut() {
        Some(parent) => parent.children.push(element),
        None => done.push(element),
    }
}

fn trim_runs(text: &str, element: &mut Element) {
    for run in &mut element.runs {
        let inner = &text[run.clone()];
        let start = run.start + (inner.len() - inner.trim_start().len());
        *run = start..start + inner.trim().len();
    }
    element.runs.retain(|run| !run.is_empty());
    element.text = element.text.trim().to_owned();
    element.children.iter_mut().for_each(|child| trim_runs(text, child));
}

impl Element {
    /// The attribute of that name.
    pub fn attribute(&self, name: &str) -> Option<&Attribute> {
        self.attributes.iter().find(|attribute| attribute.name == name)
    }

    fn tag(&self) -> Tag {
        Tag {
            name: self.name.clone(),
            span: self.span.clone(),
            open: self.open.clone(),
            content: self.content.clone(),
            last_child: self.children.last().map(|child| child.span.clone()),
        }
    }

    /// Its own text as a value: where it stands in one piece, it can be changed there.
    fn text_node(&self) -> Node {
        let value = Value::String(self.text.clone());
        match (self.runs.as_slice(), &self.content) {
            ([run], _) => Node::new(run.clone(), Kind::Scalar(value)),
            // Behind what else is in it.
            ([], Some(content)) => Node::new(content.end..content.end, Kind::Scalar(value)),
            ([], None) => Node::new(self.span.end..self.span.end, Kind::Scalar(value)),
            (runs, _) => {
                let span = runs.first().map_or(self.span.start, |run| run.start)
                    ..runs.last().map_or(self.span.end, |run| run.end);
                Node::new(span, Kind::Elsewhere(value))
            }
        }
    }

    /// As the value that its part of the tree stands for.
    pub fn into_value(self) -> Value {
        if self.attributes.is_empty() && self.children.is_empty() {
            return Value::String(self.text);
        }
        let mut object = Map::new();
        for attribute in self.attributes {
            object.insert(format!("@{}", attribute.name), Value::String(attribute.value));
        }
        for child in self.children {
            match object.get_mut(&child.name) {
                Some(Value::Array(list)) => list.push(child.into_value()),
                _ => {
                    let name = child.name.clone();
                    object.insert(name, Value::Array(vec![child.into_value()]));
                }
            }
        }
        if !self.text.is_empty() {
            object.insert("#text".to_owned(), Value::String(self.text));
        }
        Value::Object(object)
    }

    /// As a value of the tree.
    pub fn node(&self) -> Node {
        let tag = Some(Box::new(self.tag()));
        if self.attributes.is_empty() && self.children.is_empty() {
            return Node { tag, ..self.text_node() };
        }
        let mut fields: Vec<Field> = self
            .attributes
            .iter()
            .map(|attribute| Field {
                name: format!("@{}", attribute.name),
                key: attribute.span.start..attribute.span.start + attribute.name.len(),
                whole: attribute.span.clone(),
                node: Node::text(attribute.at.clone(), &attribute.value),
            })
            .collect();
        let mut places: std::collections::HashMap<&str, usize> = std::collections::HashMap::new();
        for child in &self.children {
            let inner = child.node();
            match places.get(child.name.as_str()).and_then(|at| fields.get_mut(*at)) {
                Some(Field { whole, node: Node { span, kind: Kind::List(items, _), .. }, .. }) => {
                    items.push(inner);
                    whole.end = child.span.end;
                    span.end = child.span.end;
                }
                _ => {
                    places.insert(&child.name, fields.len());
                    let list = Node::new(child.span.clone(), Kind::List(vec![inner], Form::Elements));
                    let key = child.open.start + 1..child.open.start + 1 + child.name.len();
                    fields.push(Field { name: child.name.clone(), key, whole: child.span.clone(), node: list });
                }
            }
        }
        if !self.text.is_empty() {
            let node = self.text_node();
            let at = node.span.clone();
            fields.push(Field { name: "#text".to_owned(), key: at.start..at.start, whole: at, node });
        }
        Node { span: self.span.clone(), kind: Kind::Table(fields, Form::Elements), tag }
    }
}

/// The root element of a document.
fn root(text: &str) -> Result<Element, Malformed> {
    let mut roots = elements(text)?;
    match roots.get(1) {
        Some(second) => Err(Flaw::SecondRoot.at(text, second.span.start)),
        None => roots.pop().ok_or_else(|| Flaw::NoRoot.into()),
    }
}

/// Reads a whole document as the value that its tree stands for; large ones take less room so.
pub fn value(text: &str) -> Result<Value, Malformed> {
    let root = root(text)?;
    Ok(Value::Object(Map::from_iter([(root.name.clone(), root.into_value())])))
}

/// Reads a whole document as a tree.
pub fn tree(text: &str) -> Result<Node, Malformed> {
    let root = root(text)?;
    let key = root.open.start + 1..root.open.start + 1 + root.name.len();
    let field = Field { name: root.name.clone(), key, whole: root.span.clone(), node: root.node() };
    Ok(Node::new(0..text.len(), Kind::Table(vec![field], Form::Elements)))
}
