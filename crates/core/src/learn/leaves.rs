//! A document taken apart: every scalar with the JSONPath that leads to it, and every list and map as a whole.

use std::collections::{BTreeMap, BTreeSet};

use serde_json::Value;

use super::words::hints;
use crate::base::limits;
use crate::text::{scalar, stated_version};

/// A scalar and where it stands. Items of lists of one count as standing at `[0]`.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Leaf {
    /// The path, by RFC 9535.
    pub path: String,
    /// The last key on the way to it.
    pub key: String,
    /// The value as text.
    pub value: String,
    /// Whether it is `true` or `false` in the document.
    pub is_flag: bool,
    /// How many steps lead to it.
    pub depth: usize,
}

/// A list or a map, and where it stands.
#[derive(Debug, Clone, PartialEq)]
pub struct Holder<'v> {
    /// The path of its entries: of the items for a list, of itself for a map.
    pub path: String,
    /// The keys on the way to it, joined by blanks.
    pub words: String,
    /// What it holds.
    pub held: ListedValues<'v>,
}

/// What a list or a map holds.
#[derive(Debug, Clone, PartialEq)]
pub enum ListedValues<'v> {
    /// Texts.
    Texts(Vec<String>),
    /// Objects.
    Objects(Vec<&'v Value>),
    /// A map whose values are scalars, lists of scalars or objects.
    Map(Vec<(&'v str, &'v Value)>),
    /// One text, which may hold several entries.
    Text(String),
}

/// A key as a step of a JSONPath.
pub fn step(key: &str) -> String {
    let plain = !key.is_empty()
        && key.chars().all(|c| c.is_ascii_alphanumeric() || c == '_')
        && !key.starts_with(|c: char| c.is_ascii_digit());
    if plain {
        return format!(".{key}");
    }
    format!("[{}]", quoted_key(key))
}

/// A key in quotes, as a path has it.
fn quoted_key(key: &str) -> String {
    let escape = |c: char| match c {
        '\'' | '\\' => format!("\\{c}"),
        c if c.is_control() => format!("\\u{:04x}", u32::from(c)),
        c => c.to_string(),
    };
    format!("'{}'", key.chars().map(escape).collect::<String>())
}

/// Which objects of lists are one of a kind: by the path of the list, the key and value that only one of them has.
#[derive(Debug, Default)]
pub struct Kinds(BTreeMap<String, Vec<(String, String)>>);

/// Kinds of objects that are told at most for one list.
const KINDS: usize = 4;

impl Kinds {
    /// What tells one object of a list from the others in nearly all of some documents, whatever its place.
    pub fn of(documents: &[&Value]) -> Self {
        let mut seen: BTreeMap<String, BTreeMap<(String, String), usize>> = BTreeMap::new();
        let mut several = BTreeSet::new();
        for document in documents {
            let mut lists = Vec::new();
            lists_of_objects(document, "$", 0, &mut lists);
            for (path, objects) in lists {
                if objects.len() > 1 {
                    several.insert(path.clone());
                }
                for alone in one_of_a_kind(&objects) {
                    *seen.entry(path.clone()).or_default().entry(alone).or_default() += 1;
                }
            }
        }
        seen.retain(|path, _| several.contains(path));
        let most = |(_, count): &(_, usize)| documents.len() >= 3 && count * 10 >= documents.len() * 9;
        let told = seen.into_iter().map(|(path, kinds)| {
            (path, kinds.into_iter().filter(most).map(|(kind, _)| kind).take(KINDS).collect::<Vec<_>>())
        });
        Self(told.filter(|(_, kinds)| !kinds.is_empty()).collect())
    }
}

/// Keys and values that just one of several objects has.
fn one_of_a_kind(objects: &[&Value]) -> Vec<(String, String)> {
    let mut counts: BTreeMap<(&str, &str), usize> = BTreeMap::new();
    for object in objects.iter().take(50) {
        for (key, value) in object.as_object().into_iter().flatten().take(50) {
            let plain = |text: &&str| {
                !text.is_empty()
                    && text.len() <= 40
                    && text.chars().all(|c| c.is_alphanumeric() || matches!(c, '-' | '_' | ' ' | '.'))
            };
            if let Some(text) = value.as_str().filter(plain) {
                *counts.entry((key, text)).or_default() += 1;
            }
        }
    }
    let alone = counts.into_iter().filter(|(_, count)| *count == 1);
    alone.map(|((key, value), _)| (key.to_owned(), value.to_owned())).collect()
}

fn lists_of_objects<'v>(value: &'v Value, path: &str, depth: usize, found: &mut Vec<(String, Vec<&'v Value>)>) {
    if depth > 3 || found.len() > 50 {
        return;
    }
    match value {
        Value::Object(map) => {
            for (key, inner) in map.iter().take(50) {
                lists_of_objects(inner, &format!("{path}{}", step(key)), depth + 1, found);
            }
        }
        Value::Array(items) => {
            let objects: Vec<&Value> = items.iter().filter(|item| item.is_object()).collect();
            if !objects.is_empty() {
                found.push((path.to_owned(), objects));
            }
        }
        _ => {}
    }
}

/// Every scalar of a document.
pub fn leaves(document: &Value) -> Vec<Leaf> {
    leaves_with(document, &Kinds::default())
}

/// Every scalar of a document, and those of objects that are one of a kind in their lists.
pub fn leaves_with(document: &Value, kinds: &Kinds) -> Vec<Leaf> {
    let mut found = Vec::new();
    walk_leaves((document, kinds), "$", "", 0, &mut found);
    found
}

/// The leaves of those objects of a list that are one of a kind.
fn leaves_of_kinds(items: &[Value], kinds: &Kinds, path: &str, depth: usize, found: &mut Vec<Leaf>) {
    for (key, kind) in kinds.0.get(path).into_iter().flatten() {
        let is_so = |item: &&Value| item.get(key).and_then(Value::as_str) == Some(kind);
        if let Some(item) = items.iter().find(is_so) {
            let filter = format!("{path}[?@{} == '{kind}']", step(key));
            walk_leaves((item, &Kinds::default()), &filter, key, depth + 1, found);
        }
    }
}

fn walk_leaves((value, kinds): (&Value, &Kinds), path: &str, key: &str, depth: usize, found: &mut Vec<Leaf>) {
    if depth > 8 || found.len() > limits::LEARNED_LEAVES {
        return;
    }
    let leaf = |value: String| Leaf { path: path.to_owned(), key: key.to_owned(), value, is_flag: false, depth };
    match value {
        // A version may be an object of its parts.
        Value::Object(_) if is_version_key(key) && stated_version(value).is_some() => {
            found.extend(stated_version(value).map(leaf));
        }
        Value::Object(map) => {
            for (name, inner) in map.iter().take(200) {
                // What an element holds, in whatever way, is called as the element is.
                let key = if matches!(name.as_str(), "#text" | "@value" | "@val") { key } else { name };
                walk_leaves((inner, kinds), &format!("{path}{}", step(name)), key, depth + 1, found);
            }
        }
        Value::Array(items) if kinds.0.contains_key(path) => leaves_of_kinds(items, kinds, path, depth, found),
        Value::Array(items) if items.len() == 1 => {
            walk_leaves((&items[0], kinds), &format!("{path}[0]"), key, depth, found);
        }
        // The first of several at the root is what a file is about; elsewhere a list is a list.
        Value::Array(items) if depth == 0 && !items.is_empty() => {
            walk_leaves((&items[0], kinds), &format!("{path}[0]"), key, depth + 1, found);
        }
        // A version may be a list of its numbers; of other numbers nobody knows what they are.
        Value::Array(items) if is_version_key(key) && items.len() > 1 => {
            found.extend(stated_version(value).map(leaf));
        }
        Value::Array(_) => {}
        other => found.extend(scalar(other).map(|value| Leaf { is_flag: other.is_boolean(), ..leaf(value) })),
    }
}

fn is_version_key(key: &str) -> bool {
    hints(key, &["version", "release", "ver", "rev", "range"])
}

/// Every list, map and text of a document that may hold entries.
pub fn holders(document: &Value) -> Vec<Holder<'_>> {
    let mut found = Vec::new();
    walk_holders(document, "$", "", 0, &mut found);
    found
}

/// Lists of texts beside each other in one object, by their keys.
pub struct Beside<'v> {
    /// The path of the object.
    pub path: String,
    /// The words on the way there.
    pub words: String,
    /// The lists.
    pub lists: Vec<(&'v str, Vec<String>)>,
}

impl Beside<'_> {
    /// The path of all entries of some of the lists, one list after another.
    pub fn each<'k>(&self, keys: impl Iterator<Item = &'k str>) -> String {
        format!("{}[{}][*]", self.path, keys.map(quoted_key).collect::<Vec<_>>().join(","))
    }
}

/// Every object of a document with several lists of texts in it.
pub fn lists_beside(document: &Value) -> Vec<Beside<'_>> {
    let mut found = Vec::new();
    let mut left = vec![(document, "$".to_owned(), String::new(), 0)];
    while let Some((value, path, words, depth)) = left.pop() {
        let Some(map) = value.as_object().filter(|_| depth <= 4 && found.len() < 50) else { continue };
        let texts = |value: &Value| Some(value.as_array()?.iter().filter_map(scalar).collect::<Vec<String>>());
        let lists: Vec<(&str, Vec<String>)> =
            map.iter().take(200).filter_map(|(key, inner)| Some((key.as_str(), texts(inner)?))).collect();
        if lists.iter().filter(|(_, texts)| !texts.is_empty()).count() > 1 {
            found.push(Beside { path: path.clone(), words: words.clone(), lists });
        }
        for (key, inner) in map.iter().take(200) {
            left.push((inner, format!("{path}{}", step(key)), format!("{words} {key}").trim().to_owned(), depth + 1));
        }
    }
    found
}

fn walk_holders<'v>(value: &'v Value, path: &str, words: &str, depth: usize, found: &mut Vec<Holder<'v>>) {
    if depth > 8 || found.len() > limits::LEARNED_LEAVES {
        return;
    }
    match value {
        Value::Object(map) => {
            if depth > 0 || map.len() > 1 {
                let entries = map.iter().take(limits::LIST_ENTRIES).map(|(key, inner)| (key.as_str(), inner)).collect();
                found.push(Holder { path: path.to_owned(), words: words.to_owned(), held: ListedValues::Map(entries) });
            }
            for (name, inner) in map.iter().take(500) {
                let words = format!("{words} {name}");
                walk_holders(inner, &format!("{path}{}", step(name)), words.trim(), depth + 1, found);
            }
        }
        Value::Array(items) => {
            let each = format!("{path}[*]");
            let objects: Vec<&Value> = items.iter().filter(|item| item.is_object()).collect();
            let texts: Vec<String> = items.iter().filter_map(scalar).collect();
            // The numbers of a version name nothing.
            if is_version_key(words.rsplit(' ').next().unwrap_or_default()) && stated_version(value).is_some() {
                return;
            }
            if objects.is_empty() {
                found.push(Holder { path: each, words: words.to_owned(), held: ListedValues::Texts(texts) });
                return;
            }
            found.push(Holder { path: each.clone(), words: words.to_owned(), held: ListedValues::Objects(objects) });
            walk_children(items, &each, words, depth, found);
        }
        Value::String(text) => {
            found.push(Holder {
                path: path.to_owned(),
                words: words.to_owned(),
                held: ListedValues::Text(text.clone()),
            });
        }
        _ => {}
    }
}

/// Lists inside the items of a list, as XML has them: all items of one kind as one list.
fn walk_children<'v>(items: &'v [Value], each: &str, words: &str, depth: usize, found: &mut Vec<Holder<'v>>) {
    let mut keys: Vec<&str> = Vec::new();
    for key in items.iter().filter_map(Value::as_object).flat_map(|map| map.keys()).take(2_000) {
        if !keys.contains(&key.as_str()) && keys.len() < 50 {
            keys.push(key);
        }
    }
    for key in keys {
        let inner: Vec<&'v Value> =
            items.iter().filter_map(|item| item.get(key)?.as_array()).flatten().take(limits::LIST_ENTRIES).collect();
        if inner.is_empty() {
            continue;
        }
        let path = format!("{each}{}[*]", step(key));
        let words = format!("{words} {key}").trim().to_owned();
        let objects: Vec<&Value> = inner.iter().copied().filter(|value| value.is_object()).collect();
        if objects.is_empty() {
            let texts = inner.iter().filter_map(|value| scalar(value)).collect();
            found.push(Holder { path, words, held: ListedValues::Texts(texts) });
        } else {
            found.push(Holder { path: path.clone(), words: words.clone(), held: ListedValues::Objects(objects) });
            if depth < 6 {
                for object in inner.iter().filter(|value| value.is_object()).take(1) {
                    walk_nested(object, &path, &words, depth + 1, found);
                }
            }
        }
    }
}

fn walk_nested<'v>(object: &'v Value, path: &str, words: &str, depth: usize, found: &mut Vec<Holder<'v>>) {
    for (name, inner) in object.as_object().into_iter().flatten().take(100) {
        if inner.is_array() {
            let words = format!("{words} {name}");
            walk_holders(inner, &format!("{path}{}", step(name)), words.trim(), depth + 1, found);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use serde_json::json;

    #[test]
    fn leaves_bear_paths_that_lead_back_to_them() {
        let document =
            json!({"a b": {"it's": 1}, "x\n\u{1b}\\y": 2, "list": [{"x": "y"}], "many": [1, 2], "flag": true});
        let found = leaves(&document);
        assert_eq!(found.len(), 4);
        for leaf in &found {
            let path = serde_json_path::JsonPath::parse(&leaf.path).unwrap_or_else(|e| panic!("{}: {e}", leaf.path));
            assert_eq!(path.query(&document).iter().find_map(|v| scalar(v)).as_deref(), Some(leaf.value.as_str()));
        }
        assert!(found.iter().any(|leaf| leaf.key == "flag" && leaf.is_flag));
    }

    #[test]
    fn of_a_list_at_the_root_the_first_counts() {
        let document = json!([{"id": "reed", "tags": ["a", "b"]}, {"id": "other"}]);
        let found = leaves(&document);
        assert_eq!(found.iter().map(|leaf| leaf.path.as_str()).collect::<Vec<_>>(), ["$[0].id"]);
    }

    #[test]
    fn holders_find_lists_maps_and_lists_inside_elements() {
        let document = json!({"card": {"wants": [{"item": ["core", "bog"]}], "ranges": {"core": ">=1", "bog": "*"}}});
        let found = holders(&document);
        let at = |path: &str| found.iter().find(|holder| holder.path == path).map(|holder| &holder.held);
        assert_eq!(
            at("$.card.wants[*].item[*]"),
            Some(&ListedValues::Texts(vec!["core".to_owned(), "bog".to_owned()])),
            "{found:#?}"
        );
        assert!(matches!(at("$.card.ranges"), Some(ListedValues::Map(entries)) if entries.len() == 2));
    }
}
