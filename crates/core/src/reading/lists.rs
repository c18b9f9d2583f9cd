//! The entries of a mod list or a launch line, in their order, from the bytes of the file that holds them.

use std::collections::BTreeMap;

use regex::Regex;
use serde_json::Value;
use serde_json_path::JsonPath;

use super::facts::path_words;
use super::launch::{LaunchError, is_comment, option_values};
use crate::document::{self, DocumentError, scalar};
use crate::limits;
use crate::rulebook::{EntryFields, EntryShape, Filled, ListForm, ListRule, Template};

/// One entry, before anybody looked which mod it names.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct RawEntry {
    /// Its text as it stands in the file.
    pub text: String,
    /// What the text names.
    pub names: Filled,
    /// The digest it asks for.
    pub digest: Option<String>,
    /// Whether it is switched on.
    pub on: bool,
}

/// Why a list can't be read.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum ListError {
    /// Its document can't be read.
    #[error(transparent)]
    Document(#[from] DocumentError),
    /// Its launch line can't be read.
    #[error(transparent)]
    Launch(#[from] LaunchError),
    /// The option is not there.
    #[error("no line gives the option `{0}`")]
    NoOption(String),
    /// The place is not there.
    #[error("nothing stands at {0}")]
    Nothing(String),
    /// It has more entries than any list should.
    #[error("it has more than {} entries", limits::LIST_ENTRIES)]
    TooMany,
}

/// Reads the entries of a list.
///
/// # Errors
/// When the file is not written as the rule says.
pub fn read_list(rule: &ListRule, bytes: &[u8]) -> Result<Vec<RawEntry>, ListError> {
    let entries = match &rule.form {
        ListForm::Document { notation, each, shape } => {
            let document = notation.read(bytes, rule.encoding)?;
            document_entries(rule, &document, each, shape)?
        }
        ListForm::Option { option, between } => {
            let text = document::text(bytes, rule.encoding)?;
            let values = option_values(&text, option, between.as_deref())?;
            if values.is_empty() {
                return Err(ListError::NoOption(option.clone()));
            }
            values.iter().flat_map(|found| split(&found.value, between.as_deref())).map(|t| of_text(rule, t)).collect()
        }
        ListForm::Lines => {
            let text = document::text(bytes, rule.encoding)?;
            text.lines().filter_map(|line| of_line(rule, line)).collect()
        }
    };
    if entries.len() > limits::LIST_ENTRIES { Err(ListError::TooMany) } else { Ok(entries) }
}

fn split<'t>(text: &'t str, between: Option<&str>) -> Vec<&'t str> {
    let pieces: Vec<&str> = match between {
        // Blanks of any number, as a shell would take them.
        Some(blank) if blank.trim().is_empty() => text.split_whitespace().collect(),
        Some(between) => text.split(between).collect(),
        None => vec![text],
    };
    pieces.into_iter().map(str::trim).filter(|piece| !piece.is_empty()).collect()
}

/// A text that names a mod, switched on or off by the way it is written.
fn of_text(rule: &ListRule, text: &str) -> RawEntry {
    let text = text.trim();
    let (mut names, mut on) = (rule.entry.read(text), true);
    // Both may fit; the one that says more counts: `#{id}` is no `{id}`.
    let longer = |off: &Template| names.is_none() || off.text().len() > rule.entry.text().len();
    if let Some(off) = rule.off.as_ref().filter(|off| longer(off)).and_then(|off| off.read(text)) {
        (names, on) = (Some(off), false);
    }
    let names = names.unwrap_or_default();
    RawEntry { text: text.to_owned(), digest: names.digest.clone(), names, on }
}

/// A comment is no entry, unless that is how entries are switched off.
fn of_line(rule: &ListRule, line: &str) -> Option<RawEntry> {
    let line = line.trim();
    let is_off = rule.off.as_ref().is_some_and(|off| off.read(line).is_some());
    let written_so = || rule.entry.text() != "{id}" && rule.entry.read(line).is_some();
    (!line.is_empty() && (is_off || written_so() || !is_comment(line))).then(|| of_text(rule, line))
}

fn document_entries(
    rule: &ListRule,
    document: &Value,
    each: &JsonPath,
    shape: &EntryShape,
) -> Result<Vec<RawEntry>, ListError> {
    let nodes = each.query(document).all();
    // An empty list is one; a place that is not there, such as a misspelt key, is not.
    if nodes.is_empty() && !parent_is_there(document, each) {
        return Err(ListError::Nothing(path_words(each)));
    }
    let mut entries = Vec::new();
    for node in nodes {
        match shape {
            EntryShape::Text { between } => {
                let text = scalar(node).unwrap_or_default();
                entries.extend(split(&text, between.as_deref()).into_iter().map(|piece| of_text(rule, piece)));
            }
            EntryShape::Object(fields) => entries.extend(of_object(rule, node, fields)),
            EntryShape::KeyToFlag => entries.extend(of_keys(rule, node, |value, _| (flag(value, None), None, None))),
            EntryShape::KeyToVersion => entries.extend(of_keys(rule, node, |value, _| (true, scalar(value), None))),
            EntryShape::KeyToFields(fields) => entries.extend(of_keys(rule, node, |value, _| of_value(value, fields))),
        }
        if entries.len() > limits::LIST_ENTRIES {
            return Err(ListError::TooMany);
        }
    }
    Ok(entries)
}

/// Whether the list itself is there, though without an entry: `$.mods[*]` on `{"mods": []}`.
fn parent_is_there(document: &Value, each: &JsonPath) -> bool {
    let text = path_words(each);
    let parent = text.trim_end_matches("[*]").trim_end_matches(".*");
    if let Ok(parent) = JsonPath::parse(parent) {
        if parent.query(document).iter().any(|node| node.is_array() || node.is_object() || node.is_null()) {
            return true;
        }
        // An element without children is its text: `<mods></mods>`.
        return parent.query(document).iter().any(|node| node.as_str().is_some_and(str::is_empty));
    }
    false
}

fn of_object(rule: &ListRule, node: &Value, fields: &EntryFields) -> Option<RawEntry> {
    let text = first(node, fields.id.as_ref())?;
    let mut entry = of_text(rule, &text);
    let (on, version, digest) = of_fields(node, fields);
    entry.on &= on;
    entry.names.version = version.or(entry.names.version);
    entry.digest = digest.or(entry.digest);
    Some(entry)
}

fn of_fields(node: &Value, fields: &EntryFields) -> (bool, Option<String>, Option<String>) {
    let on = fields.on.as_ref().and_then(|at| at.query(node).first()).is_none_or(|v| flag(v, Some(&fields.means)));
    (on, first(node, fields.version.as_ref()), first(node, fields.digest.as_ref()))
}

/// The value of a key: an object, or a text with named groups.
fn of_value(value: &Value, fields: &EntryFields) -> (bool, Option<String>, Option<String>) {
    let (on, version, digest) = of_fields(value, fields);
    let Some((regex, text)) = fields.text.as_ref().zip(scalar(value)) else { return (on, version, digest) };
    let captures = regex.captures(&text);
    let group = |name| captured(regex, captures.as_ref()?.name(name)?.as_str(), name);
    let said = group("on").map(|word| flag(&Value::String(word), Some(&fields.means)));
    (on && said.unwrap_or(true), version.or_else(|| group("version")), digest.or_else(|| group("digest")))
}

fn captured(regex: &Regex, text: &str, name: &str) -> Option<String> {
    regex.capture_names().flatten().any(|group| group == name).then(|| text.trim().to_owned())
}

/// Each key of an object as an entry; what the value says comes from `read`.
fn of_keys(
    rule: &ListRule,
    node: &Value,
    read: impl Fn(&Value, &str) -> (bool, Option<String>, Option<String>),
) -> Vec<RawEntry> {
    let entries = node.as_object().into_iter().flatten().filter_map(|(key, value)| {
        let mut entry = of_text(rule, key);
        // In a file of settings, keys that are not written as entries are none.
        if entry.names == Filled::default() {
            return None;
        }
        let (on, version, digest) = read(value, key);
        entry.on &= on;
        entry.names.version = version.or(entry.names.version);
        entry.digest = digest.or(entry.digest);
        Some(entry)
    });
    entries.collect()
}

fn first(node: &Value, at: Option<&JsonPath>) -> Option<String> {
    at?.query(node).iter().find_map(|value| scalar(value))
}

/// Whether a value means on.
fn flag(value: &Value, means: Option<&BTreeMap<String, bool>>) -> bool {
    let Some(word) = scalar(value).map(|word| word.to_lowercase()) else { return !value.is_null() };
    if let Some(meant) = means.and_then(|means| means.get(&word)) {
        return *meant;
    }
    !matches!(word.as_str(), "false" | "0" | "no" | "off" | "disabled" | "never" | "n")
}

#[cfg(test)]
#[path = "../tests/lists.rs"]
mod tests;
