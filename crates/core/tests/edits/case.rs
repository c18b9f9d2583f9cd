//! A file, what is to be changed in it, and who judges it.

use kanon_core::edits::{self, Change, Entry, RawEntry, Wanted, raise, read_list, write_list};
use kanon_core::rulebook::{self, ListRule};
use kanon_core::text::{Encoding, Notation, TextFile};
use serde_json_path::JsonPath;

use crate::dice::Dice;

/// What is to be done.
pub enum Job {
    /// A list with these keys in its rule is to name these mods.
    List { keys: String, wanted: Vec<String> },
    /// A setting is to have a value.
    Set { notation: Notation, at: String, value: String },
    /// An amount of memory is to be at least that of `floor`, in mebibytes.
    Memory { file: String, option: String, floor: u64 },
    /// Entries are to be merged: key, text, replaces; and keys that go.
    Merge { before: String, identity: String, wanted: Vec<(String, String, bool)>, gone: Vec<String> },
}

/// Who says whether a text is right.
pub type Judge = Box<dyn Fn(&str) -> Result<(), String>>;

pub struct Case {
    pub kind: &'static str,
    pub text: String,
    pub job: Job,
    pub judge: Judge,
    /// Whether it may be written with other line ends.
    pub any_ends: bool,
}

/// How it came out.
pub enum Outcome {
    Right,
    Refused(String),
    Wrong(String),
}

fn list_rule(keys: &str) -> ListRule {
    let text = format!(
        "format = \"kanon-rulebook/1\"\ngame = \"g\"\n[[shelf]]\nname = \"s\"\nholds = \"files\"\nin = \"s\"\n[shelf.mod]\nid = \"$.id\"\n[[list]]\nname = \"l\"\n{keys}\n"
    );
    rulebook::parse("rulebook", &text).unwrap_or_else(|problems| panic!("{text}\n{problems:?}")).value.lists.remove(0)
}

fn entry(id: &str) -> Entry {
    Entry { id: id.to_owned().into(), name: format!("{id}.pak"), version: Some("2.0".to_owned()), ..Entry::default() }
}

fn named(raw: &RawEntry) -> String {
    let name = raw.names.name.as_ref().map(|name| name.trim_end_matches(".pak").to_owned());
    raw.names.id.clone().or(name).unwrap_or_else(|| raw.text.clone())
}

fn edited(job: &Job, bytes: &[u8]) -> Result<Vec<u8>, String> {
    match job {
        Job::List { keys, wanted } => {
            let rule = list_rule(keys);
            let raws = read_list(&rule, bytes).map_err(|error| error.to_string())?;
            let known: Vec<Option<Entry>> = raws.iter().map(|raw| Some(entry(&named(raw)))).collect();
            let change = |id: &String| match raws.iter().position(|raw| named(raw) == *id) {
                Some(at) if raws[at].on && raws[at].names.version.as_deref().is_none_or(|v| v == "2.0") => {
                    Change::Keep(at)
                }
                Some(at) => Change::Set(at, entry(id)),
                None => Change::New(entry(id)),
            };
            let changes: Vec<Change> = wanted.iter().map(change).collect();
            write_list(&rule, bytes, (&known, None), &changes).map_err(|error| error.to_string())
        }
        Job::Set { notation, at, value } => {
            let at = JsonPath::parse(at).expect("a path");
            edits::set(bytes, (*notation, Encoding::Utf8), &at, value).map_err(|error| error.to_string())
        }
        Job::Memory { file, option, floor } => {
            let text = format!(
                "format = \"kanon-rulebook/1\"\ngame = \"g\"\n[[shelf]]\nname = \"s\"\nholds = \"files\"\nin = \"s\"\n[shelf.mod]\nid = \"$.id\"\n[[memory]]\nfile = \"{file}\"\noption = \"{option}\"\nfloor = \"{floor}MiB\"\n"
            );
            let rule = rulebook::parse("rulebook", &text).expect("a rulebook").value.memory.remove(0);
            let read = TextFile::read(bytes, Encoding::Utf8).map_err(|error| error.to_string())?;
            let amounts = rule.amounts(&read.text).map_err(|error| error.to_string())?;
            if amounts.iter().all(|amount| amount.bytes.is_some_and(|bytes| bytes >= rule.floor)) {
                return if amounts.is_empty() { Err("nothing gives any".to_owned()) } else { Ok(bytes.to_vec()) };
            }
            let option = (|text: &str| rule.dialect(text), rule.option.as_str(), rule.unit);
            raise(bytes, Encoding::Utf8, option, (rule.floor, |unit: &str| rule.written(rule.floor, unit)))
                .map_err(|error| error.to_string())
        }
        Job::Merge { before, identity, wanted, gone } => {
            let text = format!(
                "format = \"kanon-rulebook/1\"\ngame = \"g\"\n[[shelf]]\nname = \"s\"\nholds = \"folders\"\nin = \"s\"\n[shelf.mod]\nid = \"$.id\"\n\
                [[fragment]]\nfrom = \"goods.xml\"\ninto = \"world/goods.xml\"\nbefore = '{before}'\nidentity = '{identity}'\n"
            );
            let rule = rulebook::parse("rulebook", &text).expect("a rulebook").value.fragments.remove(0);
            let wanted: Vec<Wanted> = wanted
                .iter()
                .map(|(key, text, replaces)| Wanted { key: key.clone(), text: text.clone(), replaces: *replaces })
                .collect();
            edits::merge(bytes, &rule, &wanted, gone).map_err(|error| error.to_string())
        }
    }
}

/// Runs a case on a file that is stored in one of the ways in which files are.
pub fn run(case: &Case, dice: &mut Dice) -> Outcome {
    let torn = dice.once_in(5);
    let mut whole = case.text.clone();
    if torn && whole.ends_with('\n') {
        whole.pop();
    }
    let windows = case.any_ends && dice.once_in(3);
    if windows {
        whole = whole.replace('\n', "\r\n");
    }
    let bytes = match dice.below(8) {
        0 if case.any_ends => [&[0xef, 0xbb, 0xbf], whole.as_bytes()].concat(),
        1 if case.any_ends => {
            let wide = whole.encode_utf16().flat_map(u16::to_le_bytes);
            [0xff, 0xfe].into_iter().chain(wide).collect()
        }
        _ => whole.clone().into_bytes(),
    };
    let after = match edited(&case.job, &bytes) {
        Ok(after) => after,
        Err(why) => return Outcome::Refused(why),
    };
    let file = |bytes: &[u8]| TextFile::read(bytes, Encoding::Utf8).map(|file| file.text);
    let (before, text) = match (file(&bytes), file(&after)) {
        (Ok(before), Ok(text)) => (before, text),
        _ => return Outcome::Wrong("it is no text any more".to_owned()),
    };
    let mark = |bytes: &[u8]| bytes.starts_with(&[0xef, 0xbb, 0xbf]) || bytes.starts_with(&[0xff, 0xfe]);
    if mark(&bytes) != mark(&after) {
        return Outcome::Wrong("its mark is lost".to_owned());
    }
    if !before.is_empty() && before.ends_with('\n') != text.ends_with('\n') && !text.is_empty() {
        return Outcome::Wrong(format!("its last line end:\n{before}-----\n{text}"));
    }
    let bare = |text: &str| text.replace("\r\n", "").contains('\n');
    if windows && before.contains('\n') && bare(&text) || !windows && text.contains('\r') {
        return Outcome::Wrong(format!("its line ends:\n{text:?}"));
    }
    if let Err(why) = (case.judge)(&text.replace("\r\n", "\n")) {
        return Outcome::Wrong(format!("{why}\n{before}-----\n{text}"));
    }
    match edited(&case.job, &after) {
        Ok(again) if again == after => Outcome::Right,
        Ok(again) => Outcome::Wrong(format!(
            "a second time changes it\n{before}-----\n{text}-----\n{}",
            String::from_utf8_lossy(&again)
        )),
        Err(why) => Outcome::Wrong(format!("a second time is refused: {why}\n{before}-----\n{text}")),
    }
}
