//! What every edit must hold, whatever text it is made in: it ends, it is read back as what was meant, a second time it changes
//! nothing, and what was not meant keeps its value.

pub mod reading;

use std::collections::BTreeMap;
use std::sync::Mutex;

use kanon_core::edits::{Change, Entry, RawEntry, raise, read_list, self, write_list};
use kanon_core::rulebook::{ListRule, self};
use kanon_core::text::{Dialect, Encoding, Notation, self};
use serde_json_path::JsonPath;

/// A rule, read once.
fn list_rule(keys: &str) -> ListRule {
    static KNOWN: Mutex<BTreeMap<String, ListRule>> = Mutex::new(BTreeMap::new());
    let mut known = KNOWN.lock().expect("rules");
    known.entry(keys.to_owned()).or_insert_with(|| read_rule(keys)).clone()
}

fn read_rule(keys: &str) -> ListRule {
    let text = format!(
        "format = \"kanon-rulebook/1\"\ngame = \"g\"\n[[shelf]]\nname = \"s\"\nholds = \"files\"\nin = \"s\"\n[shelf.mod]\nid = \"$.id\"\n[[list]]\nname = \"l\"\n{keys}\n"
    );
    rulebook::parse("rulebook", &text).expect("a rulebook").value.lists.remove(0)
}

fn entry(id: &str) -> Entry {
    Entry { id: id.into(), name: format!("{id}.pak"), version: Some("2.0".to_owned()), ..Entry::default() }
}

/// A list is to name the first mod that it names now, and two others.
fn list(keys: &str, text: &str) {
    let rule = list_rule(keys);
    let named = |raw: &RawEntry| raw.names.id.clone().unwrap_or_else(|| raw.text.clone());
    let edited = |bytes: &[u8]| {
        let raws = read_list(&rule, bytes).ok()?;
        let known: Vec<Option<Entry>> = raws.iter().map(|raw| Some(entry(&named(raw)))).collect();
        let mut changes: Vec<Change> = Vec::new();
        for id in ["b", "new-one"] {
            changes.push(match raws.iter().position(|raw| named(raw) == id) {
                Some(at) if raws[at].on => Change::Keep(at),
                Some(at) => Change::Set(at, entry(id)),
                None => Change::New(entry(id)),
            });
        }
        write_list(&rule, bytes, (&known, None), &changes).ok()
    };
    if let Some(once) = edited(text.as_bytes()) {
        let read = read_list(&rule, &once).expect("what was written is read");
        assert_eq!(
            read.iter().map(named).collect::<Vec<_>>(),
            ["b", "new-one"],
            "{text:?} {:?}",
            String::from_utf8_lossy(&once)
        );
        // It may be refused, where the same is given in several places that can't be told apart; but not changed.
        let again = edited(&once);
        let told = || format!("a second time: {text:?} {:?}", String::from_utf8_lossy(&once));
        assert!(again.is_none_or(|again| again == once), "{}", told());
    }
}

/// What is only read: reading ends, and what was read stands where it says.
pub fn only_read(text: &str, notation: Notation) {
    fn stands(text: &str, node: &text::Node) {
        assert!(text.get(node.span.clone()).is_some(), "{text:?} {:?}", node.span);
        node.fields().iter().for_each(|field| stands(text, &field.node));
        node.items().iter().for_each(|item| stands(text, item));
    }
    if let Ok(tree) = notation.tree(text) {
        stands(text, &tree);
    }
}

/// A list of numbered keys is edited like any other.
pub fn numbered(text: &str) {
    list("file = \"l.ini\"\neach = \"$.s\"\nform = \"numbered\"\nkey = \"k{n}\"", text);
}

/// Lists and settings in a document.
pub fn document(text: &str, notation: Notation) {
    let word = notation.word();
    for keys in [
        format!("file = \"f.txt\"\nnotation = \"{word}\"\neach = \"$.a[*]\""),
        format!("file = \"f.txt\"\nnotation = \"{word}\"\neach = \"$.a.b[*]\"\nid = \"$.id\"\non = \"$.on\""),
        format!("file = \"f.txt\"\nnotation = \"{word}\"\neach = \"$.a\"\nform = \"id-to-flag\""),
        format!("file = \"f.txt\"\nnotation = \"{word}\"\neach = \"$.a\"\nbetween = \",\""),
    ] {
        list(&keys, text);
    }
    for (at, value) in [("$.a", "4100"), ("$.a.c", "x # y"), ("$.a[0].d", "no"), ("$.a['@e']", "it's")] {
        let at = JsonPath::parse(at).expect("a path");
        let set = |bytes: &[u8]| edits::set(bytes, (notation, Encoding::Utf8), &at, value).ok();
        if let Some(once) = set(text.as_bytes()) {
            let said = notation.read(&once, Encoding::Utf8).expect("what was written is read");
            let found = at.query(&said).first().and_then(text::scalar);
            assert_eq!(found.as_deref(), Some(value), "{text:?} {:?}", String::from_utf8_lossy(&once));
            assert_eq!(set(&once).as_deref(), Some(once.as_slice()), "a second time: {text:?}");
        }
    }
}

/// A file with one mod on each line.
pub fn lines(text: &str) {
    list("file = \"f.txt\"\nnotation = \"lines\"", text);
    list("file = \"f.txt\"\nnotation = \"lines\"\noff = \"#{id}\"", text);
}

/// Options of command lines.
pub fn command_line(text: &str, file: &str) {
    for keys in [
        format!("file = \"{file}\"\noption = \"-m=\"\nbetween = \",\"\nordered = true"),
        format!("file = \"{file}\"\noption = \"-m\"\nbetween = \" \"\nordered = true"),
        format!("file = \"{file}\"\noption = \"-m\"\nordered = true"),
    ] {
        list(&keys, text);
    }
    let _ = raise(
        text.as_bytes(),
        Encoding::Utf8,
        (|text: &str| Dialect::of(file, text), "-m=", 1 << 20),
        (1 << 30, |unit: &str| if unit.is_empty() { "1024".to_owned() } else { "1G".to_owned() }),
    );
}
