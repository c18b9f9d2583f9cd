//! XML as a value: the mapping is documented at [`super::Notation::read`].

use quick_xml::Reader;
use quick_xml::events::{BytesStart, Event};
use serde_json::{Map, Value};

use crate::limits;
use crate::problem::place;

/// An element that is being read.
struct Open {
    /// Where it begins.
    at: usize,
    name: String,
    object: Map<String, Value>,
    text: String,
}

/// Reads a document.
pub fn read(text: &str) -> Result<Value, String> {
    let mut reader = Reader::from_str(text);
    let mut open: Vec<Open> = Vec::new();
    loop {
        let at = usize::try_from(reader.buffer_position()).unwrap_or(usize::MAX);
        let placed = |reason: String| format!("{}: {reason}", place(text, at));
        match reader.read_event().map_err(|error| placed(error.to_string()))? {
            Event::Start(start) if open.len() >= limits::DEPTH => {
                return Err(placed(format!("`{}` is nested too deep", start.name().as_ref().to_owned())));
            }
            Event::Start(start) => open.push(element(&start, at).map_err(placed)?),
            Event::Empty(start) => {
                let element = element(&start, at).map_err(placed)?;
                if let Some(document) = close(element, open.last_mut()) {
                    return Ok(document);
                }
            }
            Event::End(_) => {
                let element = open.pop().ok_or_else(|| placed("an element ends that never began".to_owned()))?;
                if let Some(document) = close(element, open.last_mut()) {
                    return Ok(document);
                }
            }
            Event::Text(piece) => add_text(&mut open, &piece),
            Event::CData(piece) => add_text(&mut open, &piece),
            Event::GeneralRef(reference) => add_text(&mut open, &entity(&reference).map_err(placed)?),
            Event::Eof => {
                return Err(match open.last() {
                    Some(last) => format!("{}: the element `{}` is never closed", place(text, last.at), last.name),
                    None => "it has no root element".to_owned(),
                });
            }
            Event::Decl(_) | Event::PI(_) | Event::DocType(_) | Event::Comment(_) => {}
        }
    }
}

fn element(start: &BytesStart<'_>, at: usize) -> Result<Open, String> {
    let mut object = Map::new();
    for attribute in start.attributes() {
        let attribute = attribute.map_err(|error| error.to_string())?;
        let value = quick_xml::escape::unescape(&attribute.value).map_err(|error| error.to_string())?;
        object.insert(format!("@{}", attribute.key.as_ref()), Value::String(value.into_owned()));
    }
    Ok(Open { at, name: start.name().as_ref().to_owned(), object, text: String::new() })
}

/// XML's own five entities and character references; any other is left as it is written.
fn entity(reference: &quick_xml::events::BytesRef<'_>) -> Result<String, String> {
    if let Some(character) = reference.resolve_char_ref().map_err(|error| error.to_string())? {
        return Ok(character.to_string());
    }
    let name: &str = reference;
    Ok(quick_xml::escape::resolve_predefined_entity(name).map_or_else(|| format!("&{name};"), str::to_owned))
}

fn add_text(open: &mut [Open], text: &str) {
    if let Some(element) = open.last_mut() {
        element.text.push_str(text);
    }
}

/// Puts a finished element into its parent; the root becomes the document.
fn close(element: Open, parent: Option<&mut Open>) -> Option<Value> {
    let Open { name, mut object, text, .. } = element;
    let text = text.trim().to_owned();
    let value = if object.is_empty() {
        Value::String(text)
    } else {
        if !text.is_empty() {
            object.insert("#text".to_owned(), Value::String(text));
        }
        Value::Object(object)
    };
    match parent {
        None => Some(Value::Object(Map::from_iter([(name, value)]))),
        Some(parent) => {
            if let Value::Array(list) = parent.object.entry(name).or_insert_with(|| Value::Array(Vec::new())) {
                list.push(value);
            }
            None
        }
    }
}
