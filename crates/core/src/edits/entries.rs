//! The entries of a mod list or a launch line, in their order, from the bytes of the file that holds them.

use std::collections::BTreeMap;

use regex::Regex;
use serde_json::Value;
use serde_json_path::JsonPath;

use crate::base::limits;
use crate::rulebook::{EntryFields, EntryShape, Filled, ListForm, ListRule, NumberedKey, Template};
use crate::text::command::{LaunchError, is_comment, options};
use crate::text::{self, DocumentError, Notation, list_parent, path_words, scalar, split, version_text};

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
            document_entries(rule, (&document, *notation), each, shape)?
        }
        ListForm::Option { option, between } => {
            let text = text::text(bytes, rule.encoding)?;
            let values = options(&text, rule.dialect(&text), option, between.as_deref())?;
            if values.is_empty() {
                return Err(ListError::NoOption(option.clone()));
            }
            // What is given in one command is one list.
            let mut each: Vec<(usize, Vec<String>)> = Vec::new();
            for found in values {
                match each.last_mut() {
                    Some((group, entries)) if *group == found.group => entries.extend(found.entries),
                    _ => each.push((found.group, found.entries)),
                }
            }
            // The same list twice, for two ways to start, is one.
            if each.iter().all(|(_, entries)| *entries == each[0].1) {
                each.truncate(1);
            }
            each.iter().flat_map(|(_, entries)| entries).map(|text| of_text(rule, text)).collect()
        }
        ListForm::Lines => {
            let text = text::text(bytes, rule.encoding)?;
            text.lines().filter_map(|line| of_line(rule, line)).collect()
        }
    };
    if entries.len() > limits::LIST_ENTRIES { Err(ListError::TooMany) } else { Ok(entries) }
}

/// A text that names a mod, switched on or off by the way it is written.
pub fn of_text(rule: &ListRule, text: &str) -> RawEntry {
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
pub fn of_line(rule: &ListRule, line: &str) -> Option<RawEntry> {
    let line = line.trim();
    let is_off = rule.off.as_ref().is_some_and(|off| off.read(line).is_some());
    // `#{id}` is how entries are written there.
    let written_so = || is_comment(rule.entry.text()) && rule.entry.read(line).is_some();
    (!line.is_empty() && (is_off || written_so() || !is_comment(line))).then(|| of_text(rule, line))
}

/// The entries that a document holds.
///
/// # Errors
/// When nothing stands where they are to be.
pub fn document_entries(
    rule: &ListRule,
    (document, notation): (&Value, Notation),
    each: &JsonPath,
    shape: &EntryShape,
) -> Result<Vec<RawEntry>, ListError> {
    let mut nodes = each.query(document).all();
    // A key that stands once is no list to the notations made of lines, and yet one entry.
    let alone = list_parent(each);
    if let (true, true, Some(alone)) = (nodes.is_empty(), is_of_lines(notation), &alone) {
        nodes.extend(alone.query(document).all().into_iter().filter(|node| scalar(node).is_some()));
    }
    // An empty list is one; a place that is not there, such as a misspelt key, is not.
    // The tables of TOML that make a list are not there either, when it has none.
    let may_be_none = notation == Notation::Toml && matches!(shape, EntryShape::Object(_));
    if nodes.is_empty() && !may_be_none && !parent_is_there((document, notation), each) {
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
            EntryShape::KeyToFlag => entries.extend(of_keys(rule, node, |value| (flag(value, None), None, None))),
            EntryShape::KeyToVersion => entries.extend(of_keys(rule, node, |value| (true, scalar(value), None))),
            EntryShape::KeyToFields(fields) => entries.extend(of_keys(rule, node, |value| of_value(value, fields))),
            EntryShape::Numbered(key) => {
                entries.extend(numbered(node, key).into_iter().map(|(_, text)| of_text(rule, &text)));
            }
        }
        if entries.len() > limits::LIST_ENTRIES {
            return Err(ListError::TooMany);
        }
    }
    Ok(entries)
}

/// Whether a notation is one of `key = value` lines, where one value and a list of one are the same.
pub const fn is_of_lines(notation: Notation) -> bool {
    matches!(notation, Notation::Ini | Notation::KeyValue | Notation::Properties)
}

/// Whether the list itself is there, though without an entry: `$.mods[*]` on `{"mods": []}`, `$.mods[*].mod[*]` on
/// `<mods/>`.
fn parent_is_there((document, notation): (&Value, Notation), each: &JsonPath) -> bool {
    let words = path_words(each);
    let parent = list_parent(each).map_or_else(|| words.clone(), |parent| path_words(&parent));
    let is_there = |path: &str| {
        let Ok(path) = JsonPath::parse(path) else { return false };
        path.query(document).iter().any(|node| {
            node.is_array() || node.is_object() || node.is_null() || node.as_str().is_some_and(str::is_empty)
        })
    };
    // A key that may stand several times need not stand at all, where its section does.
    let section = || {
        let (section, _) = parent.rsplit_once('.')?;
        (is_of_lines(notation) && section != "$").then(|| is_there(section))
    };
    is_there(&parent)
        || section().unwrap_or(false)
        || notation == Notation::Xml && xml_list(each).is_some_and(|(element, _)| is_there(&element))
}

/// For a list of XML elements: the path of the element around them, and what each of them is called.
pub fn xml_list(each: &JsonPath) -> Option<(String, String)> {
    let words = path_words(list_parent(each).as_ref().unwrap_or(each));
    if let Some((outer, name)) = words.rsplit_once('.').filter(|(_, name)| !name.contains(['[', ']', '\''])) {
        return Some((outer.to_owned(), name.to_owned()));
    }
    let (outer, name) = words.strip_suffix("']")?.rsplit_once("['")?;
    Some((outer.to_owned(), name.to_owned()))
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
    let version = fields.version.as_ref().and_then(|at| at.query(node).iter().find_map(|value| version_text(value)));
    (on, version, first(node, fields.digest.as_ref()))
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

/// The entry that a key names; in a file of settings, keys that are not written as entries are none.
pub fn of_key(rule: &ListRule, key: &str) -> Option<RawEntry> {
    Some(of_text(rule, key)).filter(|entry| entry.names != Filled::default())
}

/// Each key of an object as an entry; what the value says comes from `read`.
fn of_keys(
    rule: &ListRule,
    node: &Value,
    read: impl Fn(&Value) -> (bool, Option<String>, Option<String>),
) -> Vec<RawEntry> {
    let entries = node.as_object().into_iter().flatten().filter_map(|(key, value)| {
        let mut entry = of_key(rule, key)?;
        let (on, version, digest) = read(value);
        entry.on &= on;
        entry.names.version = version.or(entry.names.version);
        entry.digest = digest.or(entry.digest);
        Some(entry)
    });
    entries.collect()
}

/// The keys of an object that have a number, and what each says, in the order of the numbers.
fn numbered<'v>(node: &'v Value, key: &NumberedKey) -> Vec<(&'v str, String)> {
    let each = node.as_object().into_iter().flatten().filter_map(|(name, value)| {
        let (_, number) = key.number_in(name)?;
        Some((number, name.as_str(), scalar(value)?))
    });
    let mut found: Vec<(u64, &str, String)> = each.collect();
    found.sort_by_key(|(number, ..)| *number);
    found.into_iter().map(|(_, name, text)| (name, text)).collect()
}

fn first(node: &Value, at: Option<&JsonPath>) -> Option<String> {
    at?.query(node).iter().find_map(|value| scalar(value))
}

/// Whether a word means on.
pub fn is_on(word: &str, means: &BTreeMap<String, bool>) -> bool {
    flag(&Value::String(word.to_owned()), Some(means))
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
