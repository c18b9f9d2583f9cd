//! The second reader: other parsers than those that edits are made with look at a text before and after an edit, and find that
//! it differs just in what was meant. What the first reader takes for something else, this one tells.

mod commands;
mod comments;
mod values;

use serde_json::Value;
use serde_json_path::{JsonPath, NormalizedPath, PathElement};

pub use commands::confirm_amount;
use comments::comments;

use super::meant::{Change, Wanted, hold};
use crate::edits::{RawEntry, document_entries, is_of_lines, of_key, of_line};
use crate::rulebook::{EntryFields, EntryShape, FragmentRule, ListForm, ListRule, NumberedKey};
use crate::text::kinds::Notation;
use crate::text::notation::scalar;
use crate::text::{SecondReading, list_parent};

/// Whether a document says just one value more than before.
///
/// # Errors
/// What another reader finds beside that.
pub fn confirm_setting(
    notation: Notation,
    (before, after): (&str, &str),
    at: &JsonPath,
    value: &str,
) -> Result<(), SecondReading> {
    let (mut old, mut new) = both(notation, before, after)?;
    let found = |document: &Value| at.query_located(document).first().map(|found| steps(found.location()));
    let place = found(&new).ok_or(SecondReading::NoValue)?;
    let read = at.query(&new).first().and_then(scalar).unwrap_or_default();
    if read != value.trim() {
        return Err(SecondReading::Value { found: read, meant: value.trim().to_owned() });
    }
    let was_there = found(&old).is_some();
    take_out(&mut new, &place);
    take_out(&mut old, &place);
    if !was_there {
        // What was made to hold it goes with it.
        for deep in (1..place.len()).rev() {
            let is_made = is_empty(get(&new, &place[..deep]));
            if is_made && get(&old, &place[..deep]).is_none_or(|old| is_empty(Some(old))) {
                take_out(&mut new, &place[..deep]);
                take_out(&mut old, &place[..deep]);
            }
        }
    }
    same_rest(notation, &old, &new)?;
    same_comments(notation, before, after, true)
}

/// Whether a list says just what was meant, and what else is in its file what it said before.
///
/// # Errors
/// What another reader finds beside that.
pub fn confirm_list(
    rule: &ListRule,
    (before, after): (&str, &str),
    raws: &[RawEntry],
    changes: &[Change],
) -> Result<(), SecondReading> {
    match &rule.form {
        ListForm::Lines => confirm_lines(rule, before, after),
        ListForm::Option { option, between } => {
            commands::confirm(rule.dialect(before), (before, after), option, between.as_deref())
        }
        ListForm::Document { notation, each, shape } => {
            let (old, new) = both(*notation, before, after)?;
            let read = document_entries(rule, (&new, *notation), each, shape);
            let read = read.map_err(|error| SecondReading::Unreadable(error.to_string()))?;
            hold(raws, changes, &read).map_err(|unmeant| SecondReading::List(Box::new(unmeant)))?;
            confirm_document(rule, *notation, (&old, &new), (each, shape), changes)?;
            same_comments(*notation, before, after, false)
        }
    }
}

/// Whether the entries of mods in a data file are just those that were meant.
///
/// # Errors
/// What another reader finds beside that.
pub fn confirm_entries(
    rule: &FragmentRule,
    (before, after): (&str, &str),
    wanted: &[Wanted],
    gone: &[String],
) -> Result<(), SecondReading> {
    let (mut old, mut new) = both(Notation::Xml, before, after)?;
    let meant: Vec<&String> = wanted.iter().map(|entry| &entry.key).chain(gone).collect();
    let identity = rule.identity.trim_start_matches('@');
    without_entries(&mut old, identity, &meant);
    without_entries(&mut new, identity, &meant);
    same_rest(Notation::Xml, &old, &new)?;
    // What an entry brings of comments comes and goes with it.
    let (old, new) = (comments(Notation::Xml, before), comments(Notation::Xml, after));
    let brought: Vec<String> = wanted.iter().flat_map(|entry| comments(Notation::Xml, &entry.text)).collect();
    let lost = old.iter().find(|comment| !new.contains(comment) && !brought.contains(comment));
    match lost {
        Some(comment) if !is_inside_entry(before, comment) => Err(SecondReading::CommentLost(comment.clone())),
        _ => Ok(()),
    }
}

/// Whether a comment of XML stands inside of an element that holds no other element's comments: an entry.
fn is_inside_entry(text: &str, comment: &str) -> bool {
    let Some(at) = text.find(comment) else { return false };
    let line = &text[..at];
    line.rfind('<').is_some_and(|open| !line[open..].contains('>')) || depth_at(text, at) > 1
}

fn depth_at(text: &str, at: usize) -> usize {
    let mut depth = 0usize;
    for token in xmlparser::Tokenizer::from(text).map_while(Result::ok) {
        if token.span().start() >= at {
            break;
        }
        if let xmlparser::Token::ElementStart { .. } = token {
            depth += 1;
        }
        if let xmlparser::Token::ElementEnd { end, .. } = token
            && !matches!(end, xmlparser::ElementEnd::Open)
        {
            depth = depth.saturating_sub(1);
        }
    }
    depth
}

fn both(notation: Notation, before: &str, after: &str) -> Result<(Value, Value), SecondReading> {
    // What only the first reader reads is not edited.
    let old = values::read(notation, before).map_err(SecondReading::NothingBefore)?;
    let new = values::read(notation, after).map_err(SecondReading::NothingAfter)?;
    Ok((old, new))
}

fn same_rest(notation: Notation, old: &Value, new: &Value) -> Result<(), SecondReading> {
    let same = match notation {
        Notation::Xml => without_empty(old) == without_empty(new),
        _ => old == new,
    };
    if same { Ok(()) } else { Err(SecondReading::More) }
}

fn same_comments(notation: Notation, before: &str, after: &str, in_order: bool) -> Result<(), SecondReading> {
    let (mut old, mut new) = (comments(notation, before), comments(notation, after));
    if !in_order {
        old.sort();
        new.sort();
    }
    match old == new {
        true => Ok(()),
        false => {
            let lost = old.iter().find(|comment| !new.contains(comment)).or_else(|| new.last());
            Err(SecondReading::Comment(lost.cloned().unwrap_or_default()))
        }
    }
}

/// A step into a document.
#[derive(Debug, Clone, PartialEq)]
enum Step {
    Name(String),
    Index(usize),
}

fn steps(path: &NormalizedPath<'_>) -> Vec<Step> {
    let step = |element: &PathElement<'_>| match element {
        PathElement::Name(name) => Step::Name((*name).to_owned()),
        PathElement::Index(index) => Step::Index(*index),
    };
    path.iter().map(step).collect()
}

fn get<'v>(value: &'v Value, steps: &[Step]) -> Option<&'v Value> {
    steps.iter().try_fold(value, |value, step| match step {
        Step::Name(name) => value.get(name.as_str()),
        Step::Index(index) => value.get(index),
    })
}

fn get_mut<'v>(value: &'v mut Value, steps: &[Step]) -> Option<&'v mut Value> {
    steps.iter().try_fold(value, |value, step| match step {
        Step::Name(name) => value.get_mut(name.as_str()),
        Step::Index(index) => value.get_mut(index),
    })
}

fn take_out(value: &mut Value, steps: &[Step]) {
    let Some((last, above)) = steps.split_last() else { return };
    match (get_mut(value, above), last) {
        (Some(Value::Object(map)), Step::Name(name)) => {
            map.shift_remove(name);
        }
        (Some(Value::Array(list)), Step::Index(index)) if *index < list.len() => {
            list.remove(*index);
        }
        _ => {}
    }
}

fn is_empty(value: Option<&Value>) -> bool {
    match value {
        None | Some(Value::Null) => true,
        Some(Value::Object(map)) => map.values().all(|value| matches!(value, Value::Array(list) if list.is_empty())),
        Some(Value::Array(list)) => list.iter().all(|item| is_empty(Some(item))),
        Some(Value::String(text)) => text.is_empty(),
        _ => false,
    }
}

/// An element that holds nothing is one, however it is written.
fn without_empty(value: &Value) -> Value {
    match value {
        Value::Object(map) => {
            let is_there = |value: &Value| !matches!(value, Value::Array(list) if list.is_empty());
            let own = map.iter().filter(|(_, value)| is_there(value));
            let inner: serde_json::Map<String, Value> =
                own.map(|(name, value)| (name.clone(), without_empty(value))).collect();
            // An element with nothing but a text is its text.
            match (inner.len(), inner.get("#text")) {
                (0, _) => Value::String(String::new()),
                (1, Some(text)) => text.clone(),
                _ => Value::Object(inner),
            }
        }
        Value::Array(list) => list.iter().map(without_empty).collect(),
        other => other.clone(),
    }
}

fn confirm_lines(rule: &ListRule, before: &str, after: &str) -> Result<(), SecondReading> {
    let others = |text: &str| {
        let lines = text.split('\n').map(|line| line.trim_end_matches('\r').to_owned());
        lines.filter(|line| of_line(rule, line).is_none() && !line.trim().is_empty()).collect::<Vec<_>>()
    };
    let (mut old, mut new) = (others(before), others(after));
    // Comments go where their entries go.
    old.sort();
    new.sort();
    if old == new { Ok(()) } else { Err(SecondReading::Lines) }
}

fn confirm_document(
    rule: &ListRule,
    notation: Notation,
    (old, new): (&Value, &Value),
    (each, shape): (&JsonPath, &EntryShape),
    changes: &[Change],
) -> Result<(), SecondReading> {
    if let EntryShape::Numbered(key) = shape {
        return same_rest(notation, &without_numbered(old, each, key), &without_numbered(new, each, key));
    }
    let keys = matches!(shape, EntryShape::KeyToFlag | EntryShape::KeyToVersion | EntryShape::KeyToFields(_));
    let joined = matches!(shape, EntryShape::Text { between: Some(_) });
    if !joined {
        let (was, is) = (items(rule, notation, old, each, keys), items(rule, notation, new, each, keys));
        for (at, change) in changes.iter().enumerate() {
            let (from, fields) = match (change, shape) {
                (Change::Keep(from), _) => (*from, None),
                (Change::Set(from, _), EntryShape::Object(fields) | EntryShape::KeyToFields(fields)) => {
                    (*from, Some(fields))
                }
                _ => continue,
            };
            let pair = was.get(from).cloned().zip(is.get(at).cloned());
            let same = pair.is_none_or(|(was, is)| bare(was, fields) == bare(is, fields));
            if !same {
                return Err(SecondReading::Entry);
            }
        }
    }
    let rest = |document: &Value| {
        let mut document = document.clone();
        match keys {
            true => {
                let places: Vec<Vec<Step>> =
                    each.query_located(&document).iter().map(|found| steps(found.location())).collect();
                for place in places {
                    if let Some(holder) = get_mut(&mut document, &place)
                        && let Some(map) = holder.as_object_mut()
                    {
                        map.retain(|key, _| of_key(rule, key).is_none());
                        if map.is_empty() {
                            *holder = Value::Null;
                        }
                    }
                }
            }
            false => {
                let parent = list_parent(each);
                let path = parent.as_ref().filter(|_| !joined).unwrap_or(each);
                let mut places: Vec<Vec<Step>> =
                    path.query_located(&document).iter().map(|found| steps(found.location())).collect();
                places.reverse();
                places.iter().for_each(|place| take_out(&mut document, place));
                // An empty list, and one that is not there, are the same here.
                places.iter().filter(|place| place.is_empty()).for_each(|_| document = Value::Null);
            }
        }
        document
    };
    same_rest(notation, &rest(old), &rest(new))
}

/// A document without its numbered keys that say something.
fn without_numbered(document: &Value, each: &JsonPath, key: &NumberedKey) -> Value {
    let mut document = document.clone();
    let places: Vec<Vec<Step>> = each.query_located(&document).iter().map(|found| steps(found.location())).collect();
    for place in places {
        if let Some(Value::Object(map)) = get_mut(&mut document, &place) {
            map.retain(|name, value| key.number_in(name).is_none() || scalar(value).is_none());
        }
    }
    document
}

/// The values of a list's entries.
fn items(rule: &ListRule, notation: Notation, document: &Value, each: &JsonPath, keys: bool) -> Vec<Value> {
    let found: Vec<Value> = each.query(document).all().into_iter().cloned().collect();
    if keys {
        let entries = found.iter().filter_map(Value::as_object).flatten();
        return entries.filter(|(key, _)| of_key(rule, key).is_some()).map(|(_, value)| value.clone()).collect();
    }
    match list_parent(each) {
        Some(parent) if found.is_empty() && is_of_lines(notation) => {
            parent.query(document).all().into_iter().filter(|value| scalar(value).is_some()).cloned().collect()
        }
        _ => found,
    }
}

/// An entry without the facts that are set in it.
fn bare(mut value: Value, fields: Option<&EntryFields>) -> Value {
    let Some(fields) = fields else { return value };
    if fields.text.is_some() {
        return Value::Null;
    }
    for at in [&fields.id, &fields.version, &fields.digest, &fields.on].into_iter().flatten() {
        let places: Vec<Vec<Step>> = at.query_located(&value).iter().map(|found| steps(found.location())).collect();
        places.iter().rev().for_each(|place| take_out(&mut value, place));
    }
    value
}

/// A document of XML without entries, wherever they stand.
fn without_entries(value: &mut Value, identity: &str, meant: &[&String]) {
    let named = |name: &str, entry: &Value| {
        let found = entry.get(format!("@{identity}")).and_then(scalar);
        let child = || {
            let child = entry.get(identity)?.get(0)?;
            scalar(child).or_else(|| scalar(child.get("#text")?))
        };
        let found = found.or_else(child)?;
        Some(format!("{name} {found}"))
    };
    if let Value::Object(map) = value {
        for (name, inner) in map.iter_mut() {
            if let Value::Array(list) = inner {
                list.retain(|entry| named(name, entry).is_none_or(|key| !meant.contains(&&key)));
                list.iter_mut().for_each(|entry| without_entries(entry, identity, meant));
            } else {
                without_entries(inner, identity, meant);
            }
        }
    }
}

#[cfg(test)]
#[path = "../../tests/second.rs"]
mod tests;
