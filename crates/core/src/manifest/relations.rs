//! How the relations of a mod to others are read: where their entries stand, and what each says.

use regex::Regex;
use serde_json::Value;
use serde_json_path::JsonPath;

use super::model::Relation;
use crate::base::limits;
use crate::rulebook::{KindWords, RelationForm, RelationKind};
use crate::text::{scalar, split_outside, stated_version, version_text};

/// The entries of a list in a document; where some mods have a list, others have one entry alone.
pub(super) fn entries_at(document: &Value, each: &JsonPath, alone: Option<&JsonPath>) -> Vec<Value> {
    let entries = each.query(document).all();
    let alone = alone.filter(|_| entries.is_empty()).map(|alone| alone.query(document).all());
    let alone = alone.into_iter().flatten().filter(|value| scalar(value).is_some());
    entries.into_iter().chain(alone).take(limits::RELATIONS).cloned().collect()
}

/// Whether a line names nobody, in words of people.
pub fn is_nobody(entries: &str) -> bool {
    matches!(entries.trim().to_lowercase().as_str(), "" | "none" | "nothing" | "n/a" | "-" | "no")
}

pub(super) fn entries_of_lines(line: &Regex, text: &str) -> Vec<Value> {
    let found = line.captures_iter(text).filter_map(|found| Some(found.name("entries")?.as_str().trim().to_owned()));
    let entries = found.filter(|entry| !is_nobody(entry));
    entries.take(limits::RELATIONS).map(Value::String).collect()
}

pub(super) fn entry_relations(form: &RelationForm, entry: &Value, own: RelationKind, into: &mut Vec<Relation>) {
    match form {
        RelationForm::Objects { id, range, kind } => {
            let stated = kind.as_ref().and_then(|(at, words)| words.get(&first_scalar(entry, at)?)).copied();
            if let (Some(id), Some(kind)) = (first_scalar(entry, id), stated.unwrap_or(Some(own))) {
                let range = range.as_ref().and_then(|at| range_text(&at.query(entry).all()));
                into.push(Relation { kind, id: id.into(), range });
            }
        }
        RelationForm::IdToRange { range } => {
            for (id, value) in entry.as_object().into_iter().flatten().take(limits::RELATIONS) {
                // Where some say no more than the range, others have an object with it.
                let inner = range.as_ref().and_then(|at| range_text(&at.query(value).all()));
                into.push(Relation { kind: own, id: id.clone().into(), range: inner.or_else(|| range_text(&[value])) });
            }
        }
        RelationForm::Ids => into.extend(scalar(entry).map(|id| Relation { kind: own, id: id.into(), range: None })),
        RelationForm::Text { between, line, signs } => {
            let text = scalar(entry).unwrap_or_default();
            let pieces = match between {
                Some(between) => split_outside(&text, between),
                None => vec![text.as_str()],
            };
            into.extend(pieces.into_iter().filter_map(|piece| text_relation(piece, line, signs, own)));
        }
    }
}

/// One entry with a grammar of its own, such as `? fog >= 1.2`.
fn text_relation(piece: &str, line: &Regex, signs: &KindWords, own: RelationKind) -> Option<Relation> {
    let captures = line.captures(piece)?;
    let group =
        |name| captures.name(name).map(|found| found.as_str().trim().to_owned()).filter(|found| !found.is_empty());
    let kind = signs.get(&group("sign").unwrap_or_default()).copied().unwrap_or(Some(own))?;
    Some(Relation { kind, id: group("id")?.into(), range: group("range") })
}

/// A range as text; a list of ranges is a choice among them, and one of numbers a version.
pub(super) fn range_text(values: &[&Value]) -> Option<String> {
    let is_version = |value: &Value| match value {
        Value::Array(_) => version_text(value).is_some(),
        _ => stated_version(value).is_some(),
    };
    let texts: Vec<String> = values
        .iter()
        .flat_map(|value| match value {
            // Of texts nobody knows that they are the numbers of one.
            value if is_version(value) => stated_version(value).into_iter().collect(),
            Value::Array(items) => items.iter().filter_map(scalar).collect(),
            other => scalar(other).into_iter().collect::<Vec<_>>(),
        })
        .collect();
    (!texts.is_empty()).then(|| texts.join(" || "))
}

pub(super) fn first_scalar(document: &Value, at: &JsonPath) -> Option<String> {
    at.query(document).iter().find_map(|value| scalar(value))
}

/// A relation in words.
pub(super) fn relation_words(relation: &Relation) -> String {
    let kind = match relation.kind {
        RelationKind::Required => "needs",
        RelationKind::Optional => "can use",
        RelationKind::Conflicting => "bars",
        RelationKind::LoadBefore => "before",
        RelationKind::LoadAfter => "after",
    };
    let range = relation.range.as_ref().map_or_else(String::new, |range| format!(" {range}"));
    format!("{kind} {}{range}", relation.id)
}
