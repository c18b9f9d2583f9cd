//! What one line says of each mod that it names: by the keys of JSON, or by what stands around the name.

use std::sync::LazyLock;

use regex::{Captures, Regex};
use serde_json::Value as Json;

use super::lines::{MANY, Piece, bare_version, between, is_digest, plain_pieces, stands_apart};
use super::players::may_be_a_name;
use crate::base::ids::FoldedId;
use crate::diagnose::{Needles, means_failure, says_unwanted};
use crate::rulebook::Event;

/// Words and signs for a side that has nothing.
pub const NOTHING: [&str; 16] = [
    "none", "null", "nil", "absent", "missing", "nothing", "n/a", "-", "--", "---", "\u{2014}", "keine", "?", "??",
    "???", "\u{2205}",
];
/// So many mods of one line are looked at.
pub const ITEMS: usize = 2_000;
/// JSON within JSON is followed so far.
const DEPTH: usize = 8;

/// What a line says of one mod.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Item {
    /// The mod.
    pub id: FoldedId,
    /// Whether somebody here has it.
    pub is_known: bool,
    /// Versions that are told with it.
    pub versions: Vec<StatedValue>,
    /// Digests that are told with it.
    pub digests: Vec<StatedValue>,
    /// Whether a word or a sign for nothing stands where a version might.
    pub has_none: bool,
    /// What is said of it, the nearest first.
    pub words: Vec<String>,
    /// The sign right before it, where that is one of a list of differences.
    pub mark: Option<char>,
    /// The sign before it and a blank: one of a list of differences, or of any list.
    pub bullet: Option<char>,
    /// Whether it stands where mods stand in other lines like this one.
    pub is_in_place: bool,
}

/// A version or a digest, and the word before it or the key that it stands under.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct StatedValue {
    /// The text.
    pub text: String,
    /// The word.
    pub after: String,
}

impl StatedValue {
    fn new(text: &str, after: &str) -> Self {
        Self { text: bare_version(text).to_owned(), after: after.to_owned() }
    }
}

/// An entry of a list: a name, and perhaps its version, and a digest behind that.
pub static LISTED: LazyLock<Regex> = LazyLock::new(|| {
    let pattern = r#"^[\s"'`\[{(]*(?<name>[^\s"'`].*?)["'`]*(?:[\s(@=:/-]+(?<version>(?:v|r|rev|ver)?\d+(?:\.\d+)+[\w.+-]*)\)?(?:\s?[~#/@:(\[]+(?:(?i:sha\d*|md5|crc\d*|sum|hash)[:=]\s?)?(?<digest>[0-9A-Fa-f]{4,64})\b[\])]?)?)?[\s"'`\]})]*$"#;
    Regex::new(pattern).expect("a pattern that is written here")
});

/// What a message says of each mod. `unknown` is a name in it that is a mod's, and of nobody here; `players` are no mods.
pub fn items(
    message: &str,
    needles: &Needles,
    unknown: Option<&FoldedId>,
    is_player: &dyn Fn(&str) -> bool,
) -> Vec<Item> {
    let of_json = message.find('{').and_then(|start| serde_json::from_str::<Json>(message[start..].trim()).ok());
    if let Some(value) = of_json {
        let mut reader = JsonReader { needles, is_player, keys: Vec::new(), said: Vec::new(), found: Vec::new() };
        reader.value(&value);
        if !reader.found.is_empty() {
            return reader.found;
        }
    }
    of_text(message, needles, unknown, is_player)
}

/// An entry of a list below a header: a name alone, or with its version.
pub fn listed(message: &str, is_player: &dyn Fn(&str) -> bool) -> Option<Item> {
    static ENTRY: LazyLock<Regex> = LazyLock::new(|| {
        let pattern = r#"^\s*(?:[-*+>\u{2022}]\s*)?["'`\[]?(?<name>[\p{L}_][\w.-]*?[\w])["'`\]]?(?:[\s(@=:-]+(?<version>(?:v|r|rev|ver)?\d+(?:\.\d+)+[\w.+-]*)\)?)?[\s,;]*$"#;
        Regex::new(pattern).expect("a pattern that is written here")
    });
    let entry = ENTRY.captures(message)?;
    let name = entry.name("name").map(|name| name.as_str()).filter(|name| may_be_a_name(name) && !is_player(name))?;
    let version = entry.name("version").map(|version| StatedValue::new(version.as_str(), ""));
    Some(Item { versions: version.into_iter().collect(), ..Item::bare(FoldedId::from(name), false) })
}

/// Fields that stand side by side, each on a line of its own: one names a mod, and the others say something of it. One that nobody
/// here has is a name that `is_new`, where the others tell of a failure.
pub fn of_fields(
    lines: &[&str],
    needles: &Needles,
    is_new: &dyn Fn(&str) -> bool,
    is_failure: &dyn Fn(&str) -> bool,
) -> Option<(usize, Item)> {
    let fields: Vec<Captures<'_>> = lines.iter().filter_map(|line| FIELD.captures(line)).collect();
    let known: Vec<(usize, FoldedId)> =
        fields.iter().enumerate().filter_map(|(at, field)| Some((at, whole(needles, &field["value"])?))).collect();
    let (own, id, is_known) = match &known[..] {
        [(at, id)] => (*at, id.clone(), true),
        [] => {
            let is_name = |field: &Captures<'_>| stands_alone(&field["value"]) && is_new(&field["value"]);
            let at = fields.iter().position(is_name)?;
            let others = fields.iter().enumerate().filter(|(other, _)| *other != at);
            let fails = others.clone().any(|(_, field)| is_failure(&field["value"]));
            fails.then(|| (at, FoldedId::from(&fields[at]["value"]), false))?
        }
        _ => return None,
    };
    let mut item = Item::bare(id, is_known);
    for (_, captures) in fields.iter().enumerate().filter(|(at, _)| *at != own) {
        field(&mut item, &captures["key"], &Json::from(&captures["value"]));
    }
    Some((own, item))
}

/// Whether a line is a key and a value.
pub fn is_field(line: &str) -> bool {
    FIELD.is_match(line)
}

static FIELD: LazyLock<Regex> = LazyLock::new(|| {
    let pattern =
        r#"^[\s*+>\u{2022}-]*["']?(?<key>[\p{L}_][\p{L}\d_ .-]{0,30})["']?\s*[:=]\s*["']?(?<value>.*?)["']?,?\s*$"#;
    Regex::new(pattern).expect("a pattern that is written here")
});

/// A block below a line of a list: its first line names one, and the others say of it what each calls by a key.
pub fn of_block(lines: &[&str], needles: &Needles, is_player: &dyn Fn(&str) -> bool) -> Option<Item> {
    let (first, others) = lines.split_first()?;
    let fields: Option<Vec<Captures<'_>>> = others.iter().map(|line| FIELD.captures(line)).collect();
    let fields = fields.filter(|fields| !fields.is_empty())?;
    let head = FIELD.captures(first);
    let name = head.as_ref().map_or(*first, |head| head.name("value").map_or("", |value| value.as_str()));
    let known = needles.places(name).first().map(|(_, id)| (*id).clone());
    let name = name.trim_matches(|c: char| !c.is_alphanumeric());
    let is_known = known.is_some();
    let is_entry = first.trim_start().starts_with(['-', '*', '+', '\u{2022}']);
    let is_name = || is_entry && stands_alone(name) && !is_player(name);
    let id = known.or_else(|| is_name().then(|| FoldedId::from(name)))?;
    let mut item = Item::bare(id, is_known);
    for captures in fields {
        field(&mut item, &captures["key"], &Json::from(&captures["value"]));
    }
    (is_known || item.has_none || !item.versions.is_empty()).then_some(item)
}

struct JsonReader<'n> {
    needles: &'n Needles,
    is_player: &'n dyn Fn(&str) -> bool,
    keys: Vec<String>,
    /// What stands beside the objects that one is in.
    said: Vec<String>,
    found: Vec<Item>,
}

/// Keys for what something is called.
pub const NAMES: [&str; 8] = ["name", "id", "mod", "package", "pack", "plugin", "addon", "key"];

impl JsonReader<'_> {
    fn value(&mut self, value: &Json) {
        if self.keys.len() > DEPTH || self.found.len() > ITEMS {
            return;
        }
        match value {
            Json::Object(fields) => self.object(fields),
            Json::Array(values) => {
                for value in values {
                    match value {
                        Json::String(text) => self.entry(text),
                        other => self.value(other),
                    }
                }
            }
            Json::Null | Json::Bool(_) | Json::Number(_) | Json::String(_) => {}
        }
    }

    /// An object that is about one mod, or one that has mods for its keys, or one that leads to them.
    fn object(&mut self, fields: &serde_json::Map<String, Json>) {
        let about: Vec<(&String, FoldedId)> =
            fields.iter().filter_map(|(key, value)| Some((key, whole(self.needles, value.as_str()?)?))).collect();
        let is_name = |key: &str, text: &str| {
            NAMES.contains(&key.to_lowercase().as_str()) && stands_alone(text) && !(self.is_player)(text)
        };
        let unknown = || {
            let mut texts = fields.iter().filter_map(|(key, value)| Some((key, value.as_str()?)));
            let has_version = texts.clone().any(|(_, text)| is_version(text));
            let by_key = texts.clone().find(|(key, text)| has_version && is_name(key, text));
            // Of an entry of a list that has a version, the one other text is what it is called, whatever the key.
            let is_in_list = has_version && !self.keys.is_empty();
            let may_be = |text: &str| stands_alone(text) && !is_version(text) && !(self.is_player)(text);
            let mut names = texts.by_ref().filter(|(_, text)| is_in_list && may_be(text));
            let only = || names.next().filter(|_| names.next().is_none());
            by_key.or_else(only).map(|(key, text)| (key, FoldedId::from(text), false))
        };
        let one = match &about[..] {
            [] => unknown(),
            [(key, id)] => Some((*key, id.clone(), true)),
            _ => None,
        };
        if let Some((key, id, is_known)) = one {
            let mut item = self.item(id, is_known);
            fields.iter().filter(|(other, _)| *other != key).for_each(|(other, value)| field(&mut item, other, value));
            self.found.push(item);
        }
        for (key, value) in fields {
            if let Some(id) = whole(self.needles, key) {
                let mut item = self.item(id, true);
                field(&mut item, "", value);
                if let Json::Object(inner) = value {
                    inner.iter().for_each(|(key, value)| field(&mut item, key, value));
                }
                self.found.push(item);
            } else if value.is_array() || value.is_object() {
                let before = self.said.len();
                self.said.extend(fields.values().filter_map(Json::as_str).map(spaced));
                self.keys.push(key.clone());
                self.value(value);
                self.keys.pop();
                self.said.truncate(before);
            }
        }
    }

    /// An entry of an array: a mod, perhaps with its version.
    fn entry(&mut self, text: &str) {
        if let Some(item) = self.coded(text) {
            self.found.push(item);
            return;
        }
        let Some(listed) = LISTED.captures(text) else { return };
        let name = &listed["name"];
        let known = whole(self.needles, name).or_else(|| whole(self.needles, text));
        let is_name =
            || may_be_a_name(name) && !is_value(name) && !name.contains(char::is_whitespace) && !(self.is_player)(name);
        let is_known = known.is_some();
        let Some(id) = known.or_else(|| is_name().then(|| FoldedId::from(name))) else { return };
        let mut item = self.item(id, is_known);
        if let Some(version) = listed.name("version") {
            item.versions.push(StatedValue::new(version.as_str(), ""));
        }
        self.found.push(item);
    }

    /// An entry in parts of which one is a mod's name, and the others say something of it: `MISSING:reed:1.2`. A name that nobody here
    /// knows stands behind a word for what is too much.
    fn coded(&self, text: &str) -> Option<Item> {
        let between = [':', '|', '/', ';'].into_iter().find(|between| text.contains(*between))?;
        let parts: Vec<&str> = text.split(between).map(str::trim).collect();
        let word = |part: &str| format!("{}:", spaced(&part.to_lowercase()));
        let known = parts.iter().enumerate().find_map(|(at, part)| Some((at, whole(self.needles, part)?)));
        let is_too_much_of = |part: &&str| says_unwanted(&word(part));
        let is_code = |part: &&&str| part.len() > 2 && part.chars().all(|c| c.is_ascii_uppercase() || c == '_');
        let by_code = || parts.first().filter(is_code).map(|_| 0);
        let unknown = || Some(parts.iter().position(is_too_much_of).or_else(by_code)? + 1);
        let is_name = |at: &usize| parts.get(*at).is_some_and(|part| stands_alone(part) && !(self.is_player)(part));
        let is_known = known.is_some();
        let (at, id) = known.or_else(|| unknown().filter(is_name).map(|at| (at, parts[at].into())))?;
        let says = parts.iter().enumerate().any(|(other, part)| other != at && part.contains(char::is_alphabetic));
        let mut item = self.item(id, is_known);
        for (_, part) in parts.iter().enumerate().filter(|(other, _)| *other != at) {
            item.values(part);
            item.words.insert(0, word(part));
        }
        (says && (parts.len() > 2 || !is_known)).then_some(item)
    }

    fn item(&self, id: FoldedId, is_known: bool) -> Item {
        let words = self.keys.iter().rev().map(|key| spaced(key)).chain(self.said.iter().rev().cloned()).collect();
        Item { words, ..Item::bare(id, is_known) }
    }
}

/// Whether a text is a version and nothing else.
pub fn is_version(text: &str) -> bool {
    static VERSION: LazyLock<Regex> = LazyLock::new(|| {
        Regex::new(r"^(?:v|r|rev|ver)?\d+(?:\.\d+)+[\w.+-]*$").expect("a pattern that is written here")
    });
    VERSION.is_match(text)
}

/// Whether a text is an address of a network and no version.
pub fn is_address(text: &str) -> bool {
    let parts: Vec<Option<u8>> =
        text.split(':').next().unwrap_or_default().split('.').map(|part| part.parse().ok()).collect();
    matches!(parts[..], [Some(first), Some(_), Some(_), Some(_)] if first >= 10)
}

/// What a field beside a mod's name says of it.
pub fn field(item: &mut Item, key: &str, value: &Json) {
    let after = spaced(key);
    match value {
        Json::String(text) if is_address(text) || is_of_a_session(&after) => {}
        Json::Null => item.has_none = true,
        Json::String(text) if NOTHING.contains(&text.to_lowercase().as_str()) => item.has_none = true,
        Json::String(text) => {
            let mut told = Item::bare(item.id.clone(), true);
            told.values(text);
            if told.versions.is_empty() && told.digests.is_empty() {
                item.words.insert(0, text.clone());
            }
            let under = |told: StatedValue| StatedValue { after: after.clone(), ..told };
            item.versions.extend(told.versions.into_iter().map(under));
            let under = |told: StatedValue| StatedValue { after: after.clone(), ..told };
            item.digests.extend(told.digests.into_iter().map(under));
        }
        // Those of both sides.
        Json::Array(values) => {
            let told = values.iter().filter(|value| value.as_str().is_some_and(is_value));
            told.for_each(|value| field(item, key, value));
        }
        Json::Bool(_) | Json::Number(_) | Json::Object(_) => {}
    }
}

/// Whether a key is for what a try is called by: that is written as digests are.
fn is_of_a_session(key: &str) -> bool {
    const OF_SESSIONS: [&str; 13] = [
        "session",
        "sid",
        "trace",
        "span",
        "request",
        "req",
        "conn",
        "connection",
        "ticket",
        "job",
        "correlation",
        "thread",
        "socket",
    ];
    key.split_whitespace().any(|word| OF_SESSIONS.contains(&word.to_lowercase().as_str()))
}

/// Whether a text is a version or a digest, and nobody's name.
fn is_value(text: &str) -> bool {
    let is_hex = text.len() >= 6 && text.bytes().all(|byte| byte.is_ascii_hexdigit());
    is_version(text) || is_hex && is_digest(text)
}

/// The mod that a text is the name of, and nothing else.
fn whole(needles: &Needles, text: &str) -> Option<FoldedId> {
    let text = text.trim();
    match needles.places(text)[..] {
        [((0, end), id)] if end == text.len() => Some(id.clone()),
        _ => None,
    }
}

/// Whether a text is one name without blanks.
pub fn stands_alone(text: &str) -> bool {
    let is_part = |c: char| c.is_alphanumeric() || matches!(c, '_' | '-' | '.' | ':' | '@' | '+');
    may_be_a_name(text) && text.chars().all(is_part) && text.chars().any(char::is_alphabetic)
}

/// A key in words: `modsMissing`, `mods_missing`.
fn spaced(key: &str) -> String {
    let mut out = String::with_capacity(key.len() + 2);
    let mut before_was_small = false;
    for c in key.chars() {
        if matches!(c, '_' | '-' | '.') || (c.is_uppercase() && before_was_small) {
            out.push(' ');
        }
        before_was_small = c.is_lowercase();
        out.extend(if matches!(c, '_' | '-' | '.') { None } else { Some(c) });
    }
    out
}

impl Item {
    /// One that is known, and of which nothing is said.
    pub fn of(id: FoldedId) -> Self {
        Self::bare(id, true)
    }

    /// One that nobody here has, by where it stands.
    pub fn in_place(name: &str, message: &str) -> Self {
        Self { words: vec![message.to_owned()], is_in_place: true, ..Self::bare(FoldedId::from(name), false) }
    }

    /// The sign before it, be there a blank between or not.
    pub fn sign(&self) -> Option<char> {
        self.mark.or(self.bullet)
    }

    /// One of which nothing is said yet, and whether somebody here has it.
    pub fn bare(id: FoldedId, is_known: bool) -> Self {
        Self {
            id,
            is_known,
            versions: Vec::new(),
            digests: Vec::new(),
            has_none: false,
            words: Vec::new(),
            mark: None,
            bullet: None,
            is_in_place: false,
        }
    }

    /// Takes in the versions and digests of a text, and whether it tells of nothing.
    pub fn values(&mut self, text: &str) {
        self.values_behind("", text);
    }

    /// The same of a text that stands behind a word.
    fn values_behind(&mut self, word: &str, text: &str) {
        let mut after = word.to_owned();
        let pieces = plain_pieces(text);
        // In a table, what stands in a cell of its own is all that is said there.
        self.has_none |= text.split('\t').skip(1).any(|cell| NOTHING.contains(&cell.trim().to_lowercase().as_str()));
        for (at, piece) in pieces.iter().enumerate() {
            match piece {
                Piece::Version(version) => self.versions.push(StatedValue::new(version, &after)),
                Piece::Digest(digest) => self.digests.push(StatedValue::new(digest, &after)),
                Piece::Word(word) if NOTHING.contains(&word.to_lowercase().as_str()) => self.has_none = true,
                Piece::Word(word) => after.clone_from(word),
                Piece::Sign(sign) if NOTHING.contains(&sign.as_str()) && stands_apart(&pieces, at) => {
                    // Before a word it is a dash of the sentence.
                    self.has_none |= !matches!(pieces.get(at + 2), Some(Piece::Word(_)));
                }
                _ => {}
            }
        }
    }
}

fn of_text(
    message: &str,
    needles: &Needles,
    unknown: Option<&FoldedId>,
    is_player: &dyn Fn(&str) -> bool,
) -> Vec<Item> {
    let named = needles.places(message);
    let places: Vec<(usize, usize)> = named.iter().map(|(place, _)| *place).collect();
    if let Some(between) = between(message, &places) {
        return of_list(message, (&places, between), needles, is_player);
    }
    let (place, id, is_known) = match (named.first(), unknown) {
        (Some((place, id)), _) => (*place, (*id).clone(), true),
        (None, Some(id)) => match message.find(id.as_str()) {
            Some(start) => ((start, start + id.as_str().len()), id.clone(), false),
            None => return Vec::new(),
        },
        (None, None) => return Vec::new(),
    };
    if named.len() >= MANY && unknown.is_none() {
        return of_many(message, &named);
    }
    let mut item = Item::bare(id, is_known);
    item.words.extend(section(message, place.0));
    let (before, behind) = (&message[..place.0], &message[place.1..]);
    item.values(before);
    item.has_none = is_without(before);
    // `You need reed 1.2`: what stands before the name is said of its version.
    let words = before.trim_end().rsplit(|c: char| !c.is_alphanumeric() && c != '\'');
    item.values_behind(words.into_iter().next().unwrap_or_default(), behind);
    item.mark = mark(before);
    item.bullet = before.strip_suffix(' ').and_then(mark);
    item.words.push(format!("{before}X{behind}"));
    vec![item]
}

/// Of many mods in one line, what stands behind each is said of it; in some lines it stands before each. Where neither says what is
/// wrong, all of the line is about all of them.
fn of_many(message: &str, named: &[((usize, usize), &FoldedId)]) -> Vec<Item> {
    let starts = named.iter().map(|((start, _), _)| *start);
    let gaps: Vec<&str> = (std::iter::once(0).chain(named.iter().map(|((_, end), _)| *end)))
        .zip(starts.chain([message.len()]))
        .map(|(begin, end)| message.get(begin..end).unwrap_or_default())
        .collect();
    let says = |gap: &&str| means_failure(gap).is_some_and(|means| means != Event::ModFailed);
    let (first, last) = (gaps.first().filter(|gap| says(gap)), gaps.last().filter(|gap| says(gap)));
    let inner = gaps.len() > 2 && gaps[1..gaps.len() - 1].iter().any(says);
    let each = named.iter().enumerate().map(|(at, ((_, begin), id))| {
        let mut item = Item::bare((*id).clone(), true);
        item.values(gaps[at + 1]);
        item.words.extend(section(message, *begin));
        match (first.is_some(), last.is_some()) {
            (false, true) => item.words.push(gaps[at + 1].to_owned()),
            (true, false) if inner => item.words.push(gaps[at].to_owned()),
            _ => item.words.push(message.to_owned()),
        }
        item
    });
    each.take(ITEMS).collect()
}

/// What is said of all that stands in brackets, right before those: `missing [reed, peat]`.
fn section(message: &str, at: usize) -> Option<String> {
    let open = message[..at].rfind(['[', '(', '{']).filter(|open| !message[*open..at].contains([']', ')', '}']))?;
    let label = message[..open].trim_end_matches(|c: char| c.is_whitespace() || matches!(c, ':' | '='));
    let word = label.rsplit(|c: char| !c.is_alphabetic() && !matches!(c, '_' | '-')).next()?;
    // As a word behind which something is listed.
    (!word.is_empty()).then(|| format!("{word}:"))
}

/// Words for having none of what is named next.
const WITHOUT: [&str; 11] = ["without", "no", "ohne", "kein", "keine", "sin", "sans", "sem", "senza", "bez", "без"];

/// Whether such a word stands right before a name, or before the path that it ends.
fn is_without(before: &str) -> bool {
    let head = before.rfind(char::is_whitespace).map_or("", |at| before[..at].trim_end());
    let word = head.rsplit(|c: char| !c.is_alphanumeric()).next().unwrap_or_default().to_lowercase();
    WITHOUT.contains(&word.as_str())
}

/// The sign of a list of differences right before a name.
fn mark(before: &str) -> Option<char> {
    let sign = before.chars().next_back().filter(|sign| matches!(sign, '+' | '-' | '~'))?;
    let stands_apart = before[..before.len() - 1].chars().next_back().is_none_or(char::is_whitespace);
    stands_apart.then_some(sign)
}

/// The mods of a list in one line, also those in it that nobody knows.
fn of_list(
    message: &str,
    (places, between): (&[(usize, usize)], &str),
    needles: &Needles,
    is_player: &dyn Fn(&str) -> bool,
) -> Vec<Item> {
    let first = places.first().map_or(0, |place| place.0);
    let opens: &[char] = if between == " " { &[' '] } else { &[':', '[', '{', '('] };
    let begin = message[..first].rfind(opens).map_or(0, |at| at + 1);
    // A name that nobody knows may stand first.
    let is_one_of_them = between != " " && message[begin..first].contains(between);
    let begin = if is_one_of_them { begin } else { first };
    let header = message[..begin].to_owned();
    let item = |text: &str| {
        let listed = LISTED.captures(text)?;
        let name = &listed["name"];
        let version = listed.name("version").map(|version| version.as_str().to_owned());
        let places = needles.places(name);
        let known = places.first().map(|((_, end), id)| ((*id).clone(), name[*end..].trim().to_owned()));
        // What stands before a name in its own entry is said of it alone.
        let head = places.first().map(|((start, _), _)| name[..*start].trim().to_owned()).unwrap_or_default();
        let is_known = known.is_some();
        // Of a name that nobody knows, a version or a word behind it tells that it stands like the others.
        let (first, tail) = name.split_once(char::is_whitespace).unwrap_or((name, ""));
        let stands_like_others = version.is_some() && tail.is_empty() || is_one_word(tail);
        let is_name = stands_alone(first) && !is_player(first) && stands_like_others;
        let (id, tail) = known.or_else(|| is_name.then(|| (FoldedId::from(first), tail.to_owned())))?;
        let versions = version.iter().map(|text| StatedValue::new(text, "")).collect();
        let digests = listed.name("digest").iter().map(|text| StatedValue::new(text.as_str(), "")).collect();
        let words = [tail, head, header.clone()].into_iter().filter(|words| !words.is_empty()).collect();
        Some(Item { versions, digests, words, ..Item::bare(id, is_known) })
    };
    let found: Vec<Item> = message[begin..].split(between).take(ITEMS).filter_map(item).collect();
    odd_ones(found, &header)
}

/// Of names that each have a word behind them, those with another word than most.
fn odd_ones(found: Vec<Item>, header: &str) -> Vec<Item> {
    let tail = |item: &Item| item.words.first().filter(|words| *words != header).cloned();
    let tails: Vec<Option<String>> = found.iter().map(tail).collect();
    let usual = tails.iter().flatten().max_by_key(|own| tails.iter().flatten().filter(|other| other == own).count());
    let times = tails.iter().flatten().filter(|own| Some(*own) == usual).count();
    let Some(usual) = usual.filter(|_| times > 1 && tails.iter().all(Option::is_some)).cloned() else { return found };
    let is_odd = |item: &Item| tail(item).as_ref() != Some(&usual);
    let none = |mut item: Item| {
        item.has_none = tail(&item).is_some_and(|word| word == "no" || NOTHING.contains(&word.to_lowercase().as_str()));
        item
    };
    found.into_iter().filter(is_odd).map(none).collect()
}

fn is_one_word(text: &str) -> bool {
    !text.is_empty() && text.chars().all(char::is_alphabetic)
}
