//! Which value in a mod's document is its id, its version, its title, its side: told from the values, not only the keys.

use std::collections::{BTreeMap, BTreeSet, HashMap, HashSet};

use regex::Regex;

use super::clue::Clue;
use super::leaves::{Kinds, leaves_with};
use super::lines::FactLine;
use super::sight::extension;
use super::units::{Unit, without_own_name};
use super::words::{
    WORD, folded, hints, is_placeholder, is_slug, is_version, plain_regex, range_look, side_word, stated,
    stated_plainly, stating, words as key_words,
};
use crate::rulebook::Role;
use crate::text::Notation;

/// One inference: how the rulebook says it, and why it was drawn.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Choice {
    /// Where the rulebook looks for it: the first place that tells anything counts.
    pub lines: Vec<FactLine>,
    /// How sure it is, from 0 to 1.
    pub confidence: f64,
    /// What speaks for it.
    pub clues: Vec<Clue>,
    /// The value for each unit, in their order.
    pub values: Vec<Option<String>>,
    /// The path in the main document, if it is one.
    pub path: Option<String>,
}

/// The values at one place of the main documents of all units.
#[derive(Debug, Clone)]
pub struct Column {
    /// The JSONPath.
    pub path: String,
    /// The last key of it.
    pub key: String,
    /// Whether the values are `true` and `false`.
    pub is_flag: bool,
    /// Whether a list stands there, of which this is the first: it says what a mod has, and not what it is.
    is_listed: bool,
    depth: usize,
    /// Where in a text the values stand; nothing where it is a document.
    in_text: Option<InText>,
    /// The value for each unit.
    pub values: Vec<Option<String>>,
}

/// A place in a text that is written in no notation.
#[derive(Debug, Clone)]
struct InText {
    member: String,
    /// A regex for what stands before the word.
    before: String,
}

impl Column {
    /// The words at one place in the texts of all units: behind what a regex says, and behind a word that may be their key.
    pub fn in_text(member: &str, (key, before): (Option<&str>, String), values: Vec<Option<String>>) -> Self {
        let key = key.unwrap_or_default().to_owned();
        let in_text = Some(InText { member: member.to_owned(), before });
        Self { path: key.clone(), key, is_flag: false, is_listed: false, depth: 0, in_text, values }
    }

    /// Whether nearly all units have a version there, and not all the same.
    pub fn holds_versions(&self) -> bool {
        let is_dotted = |value: &str| value.contains('.') && is_version(value);
        self.coverage() >= 0.9 && self.distinct().len() > 1 && self.share(is_dotted) > 0.99
    }

    /// Whether others or lists name mods by its values, or its key says that they are ids. What is just the name is told better by
    /// that, unless some names have a mark before or behind it.
    pub fn is_known(&self, units: &[Unit], around: &Surroundings<'_>) -> bool {
        let named = self.share_of(units, |value, unit| value.eq_ignore_ascii_case(unit.stem()));
        if named >= 0.6 {
            return named < 1.0
                && self.share_of(units, |value, unit| value.eq_ignore_ascii_case(unit.bare_stem())) >= 1.0;
        }
        let mentioned = || self.share_of(units, |value, unit| around.mentioned.by_another(value, &unit.name)) > 0.0;
        let is_listed = |text: &str| around.listed.contains(&text.to_lowercase());
        // A word of a name is listed with that name, and signs around it part words there.
        let is_name_listed = |_: &str, unit: &Unit| is_listed(unit.stem()) || is_listed(unit.bare_stem());
        let listed = || self.share(is_listed) >= 0.6 && self.share_of(units, is_name_listed) < 0.5;
        id_hint(&self.key) >= 1.0 || mentioned() || listed()
    }

    fn line(&self, fact: &str) -> FactLine {
        match &self.in_text {
            Some(InText { member, before }) => {
                FactLine::InText { member: member.clone(), pattern: format!("{before}(?<{fact}>{WORD})") }
            }
            None => FactLine::At(self.path.clone()),
        }
    }

    fn present(&self) -> impl Iterator<Item = &str> {
        self.values.iter().flatten().map(String::as_str)
    }

    fn coverage(&self) -> f64 {
        self.present().count() as f64 / self.values.len().max(1) as f64
    }

    fn distinct(&self) -> BTreeSet<&str> {
        self.present().collect()
    }

    /// Whether most mods have a value there, and each its own.
    pub fn is_of_each(&self) -> bool {
        let all = self.present().count();
        !self.is_flag && !self.is_listed && all > 2 && self.coverage() >= 0.6 && self.distinct().len() == all
    }

    fn share(&self, test: impl Fn(&str) -> bool) -> f64 {
        let all = self.present().count().max(1) as f64;
        self.present().filter(|value| test(value)).count() as f64 / all
    }

    /// How many of its values are so, each beside its own unit.
    fn share_of(&self, units: &[Unit], test: impl Fn(&str, &Unit) -> bool) -> f64 {
        let all = self.present().count().max(1) as f64;
        let pairs = self.values.iter().zip(units).filter_map(|(value, unit)| Some((value.as_deref()?, unit)));
        pairs.filter(|(value, unit)| test(value, unit)).count() as f64 / all
    }

    /// How often a value stands in the name of its own unit, be it without its maker: `tarn/reeds` in `reeds`.
    fn in_name(&self, units: &[Unit]) -> f64 {
        self.share_of(units, |value, unit| {
            let own = value.rsplit(['/', ':']).next().unwrap_or(value);
            let (value, name) = (folded(own), folded(unit.stem()));
            !value.is_empty() && name.contains(&value)
        })
    }

    fn choice(&self, fact: &str, confidence: f64, clues: Vec<Clue>) -> Choice {
        Choice {
            lines: vec![self.line(fact)],
            confidence: (confidence.clamp(0.05, 0.99) * 100.0).round() / 100.0,
            clues,
            values: self.values.clone(),
            path: self.in_text.is_none().then(|| self.path.clone()),
        }
    }
}

/// The columns of the documents that a pattern finds.
pub fn columns(units: &[Unit], pattern: &str) -> Vec<Column> {
    let mut found: BTreeMap<String, (Column, Vec<(usize, String)>)> = BTreeMap::new();
    let documents: Vec<_> = units.iter().filter_map(|unit| Some(&unit.documents.get(pattern)?.value)).collect();
    let kinds = Kinds::of(&documents);
    for (at, unit) in units.iter().enumerate() {
        let Some(document) = unit.documents.get(pattern) else { continue };
        for leaf in leaves_with(&document.value, &kinds) {
            let path = without_own_name(&leaf.path, unit);
            let (column, values) = found.entry(path.clone()).or_insert_with(|| {
                let key = leaf.key.clone();
                // In XML every element is a list.
                let is_listed = path.ends_with("[0]") && document.notation != Notation::Xml;
                let depth = leaf.depth;
                (Column { path, key, is_flag: true, is_listed, depth, in_text: None, values: Vec::new() }, Vec::new())
            });
            column.is_flag &= leaf.is_flag;
            values.push((at, leaf.value));
        }
    }
    // What only few of many have tells nothing about the kind; the keys of maps are different in every mod.
    let enough = if units.len() < 4 { 1 } else { 2.max(units.len() / 50) };
    let dense = found.into_values().filter(|(_, values)| values.len() >= enough).map(|(mut column, values)| {
        column.values = vec![None; units.len()];
        values.into_iter().for_each(|(at, value)| column.values[at] = Some(value));
        column
    });
    dense.collect()
}

/// A name taken apart into id and version.
#[derive(Debug, Clone)]
pub struct NameRule {
    /// The regex over the whole name, as a rulebook writes it.
    pub pattern: String,
    /// What it yields for each unit.
    pub parts: Vec<Option<(String, Option<String>)>>,
    /// Whether it yields versions.
    pub with_version: bool,
}

/// How names of units tell id and version: `id_1.2.zip`, `id-1.2`, or the id alone.
pub fn name_rule(units: &[Unit]) -> Option<NameRule> {
    let end = common_end(units);
    let tail = plain_regex(&common_tail(units));
    for between in ["_", "-", " ", "@", "-v", "_v", " v"] {
        let pattern = format!(r"^(?<id>.+?){}(?<version>[0-9][\w.+-]*?){tail}{end}$", plain_regex(between));
        let regex = Regex::new(&pattern).ok()?;
        let parts: Vec<Option<(String, Option<String>)>> = units.iter().map(|unit| taken_apart(&regex, unit)).collect();
        let told = |part: &&Option<(String, Option<String>)>| {
            part.as_ref().and_then(|(_, version)| version.as_deref()).is_some_and(is_version)
        };
        let hits = parts.iter().filter(told).count();
        // Where next to all names begin alike, what follows tells them apart and is no version: `ws-1200945`.
        let ids: BTreeSet<String> = parts.iter().flatten().map(|(id, _)| id.to_lowercase()).collect();
        if hits * 10 >= units.len() * 6 && hits > 0 && ids.len() * 2 >= hits {
            return Some(NameRule { pattern, parts, with_version: true });
        }
    }
    // What all names end in is no part of any; the next one may lack it.
    let tail = if tail.is_empty() { tail } else { format!("(?:{tail})?") };
    let pattern = format!(r"^(?<id>.+{}){tail}{end}$", if tail.is_empty() { "" } else { "?" });
    let regex = Regex::new(&pattern).ok()?;
    let parts = units.iter().map(|unit| taken_apart(&regex, unit)).collect();
    Some(NameRule { pattern, parts, with_version: false })
}

/// How names of units tell ids where texts outside of mods may call them by a number behind the name: `reeds_1036507.pack`.
pub fn listed_name_rule(units: &[Unit], around: &Surroundings<'_>) -> Option<NameRule> {
    let by_name = name_rule(units)?;
    let ends_in_digits = |unit: &Unit| unit.stem().bytes().rev().take(5).filter(u8::is_ascii_digit).count() == 5;
    if units.len() < 2 || !units.iter().all(ends_in_digits) {
        return Some(by_name);
    }
    let pattern = format!(r"^.+[_ .-](?<id>[0-9]{{5,}}){}$", common_end(units));
    let regex = Regex::new(&pattern).ok()?;
    let parts: Vec<Option<(String, Option<String>)>> = units.iter().map(|unit| taken_apart(&regex, unit)).collect();
    let listed = |parts: &[Option<(String, Option<String>)>]| {
        parts.iter().flatten().filter(|(id, _)| around.listed.contains(&id.to_lowercase())).count()
    };
    let numbers: BTreeSet<&String> = parts.iter().flatten().map(|(id, _)| id).collect();
    let is_number = numbers.len() == units.len() && listed(&parts) * 10 >= units.len() * 8;
    let by_number = is_number && listed(&by_name.parts) * 2 < units.len();
    Some(if by_number { NameRule { pattern, parts, with_version: false } } else { by_name })
}

/// Whether something like a version stands in a name: numbers with dots.
pub fn has_version_in_name(name: &str) -> bool {
    let dotted = |(at, _): (usize, char)| {
        name[..at].ends_with(|c: char| c.is_ascii_digit()) && name[at + 1..].starts_with(|c: char| c.is_ascii_digit())
    };
    name.char_indices().filter(|(_, c)| *c == '.').any(dotted)
}

fn taken_apart(regex: &Regex, unit: &Unit) -> Option<(String, Option<String>)> {
    let captures = regex.captures(&unit.name)?;
    let group = |name| captures.name(name).map(|found| found.as_str().to_owned());
    Some((group("id")?, group("version")))
}

/// What all names end in before their endings, from a sign and a letter on: `-any`, `-r3-full`. It tells nothing of any.
fn common_tail(units: &[Unit]) -> String {
    let Some(first) = units.first().map(Unit::stem).filter(|_| units.len() >= 3) else { return String::new() };
    let shared = |other: &Unit| {
        first.chars().rev().zip(other.stem().chars().rev()).take_while(|(a, b)| a == b).map(|(c, _)| c.len_utf8()).sum()
    };
    let length = units.iter().map(shared).min().unwrap_or(0usize);
    let tail = &first[first.len() - length..];
    let begins = |(at, sign): &(usize, char)| {
        matches!(sign, '-' | '_' | '.' | '+') && tail[at + 1..].starts_with(char::is_alphabetic)
    };
    tail.char_indices().find(begins).map_or_else(String::new, |(at, _)| tail[at..].to_owned())
}

/// The ending of all names as a regex; nothing for folders.
fn common_end(units: &[Unit]) -> String {
    let files: Vec<&Unit> = units.iter().filter(|unit| !unit.is_folder).collect();
    let ends: BTreeSet<String> = files.iter().map(|unit| extension(&unit.name)).filter(|end| !end.is_empty()).collect();
    let escaped: Vec<String> = ends.iter().map(|end| plain_regex(end)).collect();
    // Written in capitals they are the same endings.
    let case = if files.iter().all(|unit| unit.name.ends_with(&extension(&unit.name))) { "" } else { "i" };
    let end = match escaped.as_slice() {
        [] => return String::new(),
        [one] if case.is_empty() => format!(r"\.{one}"),
        several => format!(r"\.(?{case}:{})", several.join("|")),
    };
    if units.iter().any(|unit| unit.is_folder) { format!("(?:{end})?") } else { end }
}

/// What the documents of mods mention, folded, and by which of them.
#[derive(Debug, Default)]
pub struct Mentions(HashMap<String, MentionedBy>);

#[derive(Debug)]
enum MentionedBy {
    /// The mod whose file or folder is called so.
    One(String),
    Several,
}

impl Mentions {
    /// Takes in what a mod mentions.
    pub fn note(&mut self, text: String, by: &str) {
        let known = self.0.entry(text).or_insert_with(|| MentionedBy::One(by.to_owned()));
        if matches!(known, MentionedBy::One(name) if name != by) {
            *known = MentionedBy::Several;
        }
    }

    /// Whether a mod mentions it that is not called so itself: that one speaks of itself.
    fn by_another(&self, text: &str, own: &str) -> bool {
        match self.0.get(&text.to_lowercase()) {
            Some(MentionedBy::Several) => true,
            Some(MentionedBy::One(name)) => name != own,
            None => false,
        }
    }
}

/// What else is known while fields are chosen.
pub struct Surroundings<'a> {
    /// What documents of mods mention in lists and maps.
    pub mentioned: &'a Mentions,
    /// Folded words of text files outside the shelves, such as mod lists and launch lines.
    pub listed: &'a HashSet<String>,
}

impl Surroundings<'_> {
    /// Whether a word of a text file is a name; signs before and after it part words there.
    pub fn lists_name(&self, name: &str) -> bool {
        let lower = name.to_lowercase();
        let bare = lower.trim_matches(|c: char| !c.is_alphanumeric());
        self.listed.contains(&lower) || (bare.len() >= 2 && self.listed.contains(bare))
    }
}

/// The id: unique, one word, like the name, and what others refer to.
pub fn id(
    units: &[Unit],
    columns: &[Column],
    names: Option<&NameRule>,
    around: &Surroundings<'_>,
) -> Option<(Choice, f64)> {
    let known = |set: &HashSet<String>, value: &str| set.contains(&value.to_lowercase());
    let mut scored: Vec<(f64, Choice)> = Vec::new();
    for column in columns.iter().filter(|column| !column.is_flag && !column.is_listed && column.coverage() >= 0.6) {
        let count = column.present().count();
        // Each side has its own copy, which may be called otherwise there.
        if unique(units, &column.values) < 0.9 {
            continue;
        }
        let (in_name, slug) = (column.in_name(units), column.share(is_slug));
        let version_like = column.share(|value| is_version(value) && value.contains('.'));
        let mentioned = column.share_of(units, |value, unit| around.mentioned.by_another(value, &unit.name));
        let listed = column.share(|value| known(around.listed, value));
        // What stands below a title is one, whatever its own key is called: a language, say.
        let hint = id_hint(&column.key);
        let hint = if below_title(&column.path) && hint <= 0.0 { FOR_PEOPLE } else { hint };
        let score = in_name * 2.5 + slug * 1.5 + by_mentions(mentioned) + listed * 2.0 + hint
            - version_like * 5.0
            // The name has the same word without it.
            - column.share_of(units, |value, unit| {
                without_version(value).is_some_and(|word| folded(unit.stem()).contains(&folded(word)))
            }) * WITH_A_VERSION
            // The file's own name is told better by the file.
            - column.share_of(units, |value, unit| !unit.is_folder && value.eq_ignore_ascii_case(&unit.name)) * 3.0
            - column.depth as f64 * 0.15
            - column.share(|value| value.len() > 60) * 3.0
            - if column.is_part_of_what_is_named(units, names, around) { PART_OF_THE_NAME } else { 0.0 }
            + on_both(units, &column.values)
            + column.coverage();
        let mut clues = vec![Clue::DifferentValues { values: column.distinct().len(), mods: count }];
        note(&mut clues, in_name, Clue::InName);
        note(&mut clues, mentioned, Clue::NamedByMods);
        note(&mut clues, listed, Clue::NamedInTexts);
        scored.push((score, column.choice("id", 0.0, clues)));
    }
    if let Some(names) = names {
        scored.extend(id_by_name(units, names, around));
    }
    scored.sort_by(|a, b| b.0.total_cmp(&a.0));
    let best = scored.first()?.clone();
    let margin = best.0 - scored.get(1).map_or(0.0, |second| second.0);
    let confidence = (0.55 + best.0 / 20.0 + margin / 20.0).clamp(0.3, 0.98);
    let mut choice = best.1;
    choice.confidence = (confidence * 100.0).round() / 100.0;
    Some((choice, best.0))
}

impl Column {
    /// Whether other mods name what holds a value by the name of its file or folder, of which the value is a part.
    fn is_part_of_what_is_named(&self, units: &[Unit], names: Option<&NameRule>, around: &Surroundings<'_>) -> bool {
        let parts = names.into_iter().flat_map(|names| &names.parts);
        parts.zip(&self.values).zip(units).any(|((name, value), unit)| {
            let (Some((name, _)), Some(value)) = (name, value) else { return false };
            let is_part = name.len() > value.len() && name.to_lowercase().contains(&value.to_lowercase());
            is_part && around.mentioned.by_another(name, &unit.name) && !around.mentioned.by_another(value, &unit.name)
        })
    }
}

fn id_by_name(units: &[Unit], names: &NameRule, around: &Surroundings<'_>) -> Option<(f64, Choice)> {
    let values: Vec<Option<String>> = names.parts.iter().map(|part| part.as_ref().map(|(id, _)| id.clone())).collect();
    let present: Vec<&String> = values.iter().flatten().collect();
    let all = present.len().max(1) as f64;
    let listed = present.iter().filter(|value| around.lists_name(value)).count() as f64 / all;
    let pairs = values.iter().zip(units).filter_map(|(value, unit)| Some((value.as_ref()?, unit)));
    let mentioned = pairs.filter(|(value, unit)| around.mentioned.by_another(value, &unit.name)).count() as f64 / all;
    let distinct: BTreeSet<String> = present.iter().map(|value| value.to_lowercase()).collect();
    if present.len() < units.len() || (distinct.len() as f64) < all * 0.8 {
        return None;
    }
    let mut clues = vec![Clue::TheName];
    note(&mut clues, mentioned, Clue::NamedByMods);
    note(&mut clues, listed, Clue::NamedInTexts);
    let lines = vec![FactLine::FileName(names.pattern.clone())];
    let score = 1.5 + by_mentions(mentioned) + listed * 2.0 + on_both(units, &values);
    Some((score, Choice { lines, confidence: 0.5, clues, values, path: None }))
}

/// The values that the units of one side have.
fn of_side<'v>(units: &[Unit], values: &'v [Option<String>], role: Role) -> impl Iterator<Item = &'v String> {
    values.iter().zip(units).filter(move |(_, unit)| unit.role == role).filter_map(|(value, _)| value.as_ref())
}

/// The share of values that are no others' on their side; the least of all sides.
fn unique(units: &[Unit], values: &[Option<String>]) -> f64 {
    let share = |role: Role| {
        let (all, distinct) =
            (of_side(units, values, role).count(), of_side(units, values, role).collect::<BTreeSet<_>>().len());
        if all == 0 { 1.0 } else { distinct as f64 / all as f64 }
    };
    share(Role::Server).min(share(Role::Client))
}

/// What it counts for an id that it is the same on both sides, where copies are called otherwise on each.
fn on_both(units: &[Unit], values: &[Option<String>]) -> f64 {
    let server: BTreeSet<&String> = of_side(units, values, Role::Server).collect();
    let client: BTreeSet<&String> = of_side(units, values, Role::Client).collect();
    let shared = server.intersection(&client).count();
    shared as f64 / server.len().min(client.len()).max(1) as f64 * SAME_ON_BOTH
}

fn note(clues: &mut Vec<Clue>, share: f64, clue: impl Fn(f64) -> Clue) {
    if share > 0.0 {
        clues.push(clue(share * 100.0));
    }
}

/// Whether a place is a title, or lies below one: in a language, say.
fn below_title(path: &str) -> bool {
    key_words(path).iter().any(|word| matches!(word.as_str(), "title" | "label" | "caption"))
}

/// What it counts against an id that its key says it is for people.
const FOR_PEOPLE: f64 = -2.5;

/// What it counts against an id that the version stands in it: it would be another one with each release.
const WITH_A_VERSION: f64 = 12.0;

/// What a text is without the version with dots that stands last in it, behind a sign: `reed@1.2`, `reed-1.2.0`.
pub fn without_version(text: &str) -> Option<&str> {
    let (before, last) = text.rsplit_once(['@', '-', '_', ':', '=', ' ', '/'])?;
    let last = last.trim_start_matches('v');
    (before.chars().any(char::is_alphabetic) && last.contains('.') && is_version(last)).then_some(before)
}

/// What it counts against an id that its key says where the mod lies: it stands in the name by its nature.
const OF_A_PLACE: f64 = -1.5;

/// What it counts for an id that it is the same on both sides.
const SAME_ON_BOTH: f64 = 3.0;

/// What it counts against an id that others refer to by a longer name, which the file or folder has.
const PART_OF_THE_NAME: f64 = 3.0;

/// What it counts for an id that other mods mention such a share of all: any is a sign, since one that all others need is one mention.
fn by_mentions(share: f64) -> f64 {
    if share > 0.0 { 1.5 + share.min(0.5) * 8.0 } else { 0.0 }
}

/// Words for what says which comes first.
const OF_AN_ORDER: [&str; 7] = ["order", "index", "priority", "position", "rank", "weight", "slot"];

/// What an id may be of, where both words are written as one: `partid`, `uuid`.
const IDS_OF: [&str; 14] =
    ["mod", "u", "uu", "gu", "pack", "package", "plugin", "addon", "piece", "part", "tag", "item", "unique", "content"];

fn is_compound_id(word: &str) -> bool {
    word.strip_suffix("id").is_some_and(|of| IDS_OF.contains(&of))
}

fn id_hint(key: &str) -> f64 {
    let words = key_words(key);
    let has = |word: &str| words.iter().any(|own| own == word);
    if has("id") || words.iter().any(|word| is_compound_id(word)) || has("identifier") || has("slug") || has("key") {
        1.6
    } else if has("code") || has("handle") || has("package") {
        0.8
    } else if has("name") {
        0.4
    } else if hints(key, &["title", "label", "display", "author", "desc", "url", "home", "summary"]) {
        FOR_PEOPLE
    } else if hints(key, &OF_AN_ORDER)
        || ["folder", "directory", "dir", "path", "file", "filename"].into_iter().any(has)
    {
        OF_A_PLACE
    } else {
        0.0
    }
}

/// The version: looks like one, and stands in the name where names have one.
pub fn version(units: &[Unit], columns: &[Column], names: Option<&NameRule>) -> Option<Choice> {
    let mut scored: Vec<(f64, &Column)> = Vec::new();
    for column in columns.iter().filter(|column| !column.is_flag && column.coverage() >= 0.3) {
        let real = column.share(|value| !is_placeholder(value));
        let versions = column.share(|value| is_version(value) || is_placeholder(value));
        if versions < 0.8 || real == 0.0 {
            continue;
        }
        // A long number may be a date.
        let dotted = column.share(|value| value.contains('.')) + column.share(|value| value.len() >= 6) * 0.5;
        let hint = version_hint(&column.path, &column.key);
        // Whole numbers below a key for ids are ids, and stay as they are with the next release; others say which comes first.
        let has_dots = column.present().any(|value| value.contains('.'));
        let names_it = id_hint(&column.key) >= 1.0 || column.key.to_lowercase().ends_with("id");
        if (names_it || hints(&column.key, &OF_AN_ORDER)) && hint <= 0.0 && !has_dots {
            continue;
        }
        let several = if column.distinct().len() > 1 || units.len() < 3 { 0.5 } else { -0.5 };
        let named = if names.is_some_and(|names| names.with_version) { column.in_name(units) * 2.0 } else { 0.0 };
        let score = named + hint + several + dotted.min(1.0) * 0.6 + column.coverage() - column.depth as f64 * 0.15;
        scored.push((score, column));
    }
    scored.sort_by(|a, b| b.0.total_cmp(&a.0));
    let by_name = names.filter(|names| names.with_version);
    let Some((score, column)) = scored.first().filter(|(score, _)| *score >= 1.2) else {
        return by_name.map(version_by_name).or_else(|| version_by_text(units));
    };
    let mut clues = vec![Clue::LikeVersions(column.share(is_version) * 100.0)];
    note(&mut clues, column.in_name(units), Clue::InName);
    let mut choice = column.choice("version", 0.5 + score / 10.0, clues);
    let holes = column.share(is_placeholder) > 0.0 && column.in_text.is_none();
    if holes {
        choice.clues.push(Clue::Placeholders);
        choice.lines = vec![FactLine::AtExcept { at: column.path.clone(), except: "[$@%{]" }];
    }
    // A unit with no value at all is read by another document, if by any.
    let has_document = |at: &usize| columns.iter().any(|column| column.values[*at].is_some());
    let lacking: Vec<usize> = (0..units.len())
        .filter(has_document)
        .filter(|at| choice.values[*at].as_deref().is_none_or(is_placeholder))
        .collect();
    if !lacking.is_empty() {
        add_fallback(units, &lacking, by_name, &mut choice);
    }
    Some(choice)
}

/// A second place for the versions that the first does not tell: a text of the mod, or its name.
fn add_fallback(units: &[Unit], lacking: &[usize], by_name: Option<&NameRule>, choice: &mut Choice) {
    for at in lacking {
        choice.values[*at] = None;
    }
    if let Some((member, pattern, values)) = in_texts(units, lacking) {
        choice.lines.push(FactLine::InText { member: member.clone(), pattern });
        choice.clues.push(Clue::OthersToldBy { count: values.len(), member });
        for (at, value) in values {
            choice.values[at] = Some(value);
        }
    } else if let Some(names) = by_name {
        let told = version_by_name(names);
        choice.lines.extend(told.lines);
        for at in lacking {
            choice.values[*at] = told.values[*at].clone();
        }
    }
}

/// A version that most units state in a text, with `{ digest = true }` for the others.
pub fn version_by_text(units: &[Unit]) -> Option<Choice> {
    let all: Vec<usize> = (0..units.len()).collect();
    let (member, pattern, told) = in_texts(units, &all)?;
    if told.len() * 10 < units.len() * 6 {
        return None;
    }
    let mut values = vec![None; units.len()];
    for (at, value) in &told {
        values[*at] = Some(value.clone());
    }
    let clues = vec![Clue::InALine { told: told.len(), all: units.len() }];
    let lines = vec![FactLine::InText { member, pattern }, FactLine::Digest(None)];
    Some(Choice { lines, confidence: 0.75, clues, values, path: None })
}

/// A member, a regex over its text, and the version of each unit.
pub type Told = (String, String, Vec<(usize, String)>);

/// A line such as `Build-Version: 1.2` in a text of the units that lack a version.
pub fn in_texts(units: &[Unit], lacking: &[usize]) -> Option<Told> {
    let members: BTreeSet<&String> = lacking.iter().flat_map(|at| units[*at].texts.keys()).collect();
    let of_version =
        Regex::new(r"[Vv]ersion|[Rr]elease|VERSION|[Ee]dition|[Ii]ssue|[Rr]evision|\b[Vv]er\b|\b[Rr]ev\b").ok()?;
    let mut best: Option<Told> = None;
    for member in members {
        let mut by_key: BTreeMap<String, Vec<(usize, String)>> = BTreeMap::new();
        for at in lacking {
            let Some(text) = units[*at].texts.get(member) else { continue };
            let read = |line| stated(line).or_else(|| stated_plainly(line));
            for (key, value) in text.lines().filter_map(read).filter(|(key, _)| of_version.is_match(key)) {
                let value = value.trim_matches(['"', '\'', ',', ';']).to_owned();
                if is_version(&value) && value.contains('.') {
                    by_key.entry(key.to_owned()).or_default().push((*at, value));
                }
            }
        }
        // What every mod has alike is the format's version, not the mod's.
        let rank = |key: &str| {
            let words = key_words(key);
            (
                !words.iter().any(|w| w.starts_with("impl") || w == "mod" || w == "build"),
                words.len() > 1 && words[0] == "manifest",
            )
        };
        let mut keys: Vec<(String, Vec<(usize, String)>)> = by_key
            .into_iter()
            .filter(|(key, _)| !rank(key).1 || !hints(key, &["manifest", "schema", "format"]))
            .collect();
        keys.sort_by_key(|(key, values)| (usize::MAX - values.len(), rank(key)));
        if let Some((key, values)) = keys.into_iter().next()
            && best.as_ref().is_none_or(|(_, _, known)| known.len() < values.len())
        {
            let pattern = format!(r#"{}["]?(?<version>[^\s",;]+)"#, stating(&key));
            best = Some((member.clone(), pattern, values));
        }
        let alone = alone_in_texts(units, lacking, member);
        if best.as_ref().is_none_or(|(_, _, known)| known.len() < alone.len()) && !alone.is_empty() {
            best = Some((member.clone(), r"\A\s*[vV]?(?<version>[0-9]\S*)\s*\z".to_owned(), alone));
        }
    }
    best
}

/// Versions that are all of a text.
fn alone_in_texts(units: &[Unit], lacking: &[usize], member: &str) -> Vec<(usize, String)> {
    // A lone number may be anything, unless the file is called as one for versions.
    let is_called_so = hints(member, &["version", "release", "revision"]);
    let told = lacking.iter().filter_map(|at| {
        let text = units[*at].texts.get(member)?.trim().trim_start_matches(['v', 'V']);
        let is_one = is_version(text) && (is_called_so || text.contains('.')) && !text.contains(char::is_whitespace);
        is_one.then(|| (*at, text.to_owned()))
    });
    told.collect()
}

fn version_by_name(names: &NameRule) -> Choice {
    let values = names.parts.iter().map(|part| part.as_ref().and_then(|(_, version)| version.clone())).collect();
    Choice {
        lines: vec![FactLine::FileName(names.pattern.clone())],
        confidence: 0.85,
        clues: vec![Clue::StandsInName],
        values,
        path: None,
    }
}

/// Words for what a version may be of that is not the mod.
const OF_OTHERS: [&str; 16] = [
    "game", "engine", "core", "min", "max", "loader", "format", "schema", "api", "manifest", "need", "require",
    "depend", "support", "target", "for",
];

/// Whether nothing on the way to a column says that its versions are of something else.
pub fn is_own_version(column: &Column) -> bool {
    !hints(&column.path, &OF_OTHERS)
}

fn version_hint(path: &str, key: &str) -> f64 {
    let key_says = hints(key, &["version", "release", "ver", "rev", "build", "edition"]);
    let own = if key_says { 1.5 } else { 0.0 };
    let of_bytes = hints(key, &["crc", "hash", "sum", "checksum", "size", "bytes", "length"]);
    if hints(path, &OF_OTHERS) || of_bytes { own - 2.2 } else { own }
}

/// The title: words for people.
pub fn title(columns: &[Column], id: &Choice) -> Option<Choice> {
    let id_path = id.path.as_deref();
    // A title is often the id with capitals and blanks.
    let like_id = |column: &Column| {
        let pairs = column
            .values
            .iter()
            .zip(&id.values)
            .filter_map(|(value, id)| Some((folded(value.as_ref()?), folded(id.as_ref()?))));
        let alike = |(value, id): &(String, String)| {
            !id.is_empty() && value.contains(id.as_str()) && value.len() * 2 <= id.len() * 3
        };
        pairs.filter(alike).count() as f64 / column.present().count().max(1) as f64
    };
    let mut best: Option<(f64, &Column)> = None;
    for column in columns.iter().filter(|c| !c.is_flag && c.coverage() >= 0.5 && Some(c.path.as_str()) != id_path) {
        // A dotted word is a name in code, not one for people.
        let dotted = |value: &str| value.contains('.') && !value.contains(' ');
        if column.share(|value| value.len() > 80 || value.contains("://") || is_version(value) || dotted(value)) > 0.1 {
            continue;
        }
        let unique = column.distinct().len() as f64 / column.present().count().max(1) as f64;
        let worded = column.share(|value| value.contains(' ') || value.starts_with(char::is_uppercase));
        let is_title = hints(&column.key, &["title", "name", "label", "display"]) || below_title(&column.path);
        // Of several languages, the one that most can read.
        let hint = if is_title { 2.0 } else { 0.0 } + if column.key.eq_ignore_ascii_case("en") { 0.2 } else { 0.0 };
        let other = hints(
            &column.path,
            &[
                "desc",
                "author",
                "licen",
                "summary",
                "url",
                "home",
                "contact",
                "credit",
                "by",
                "maker",
                "publisher",
                "tag",
                "file",
                "needs",
                "depend",
                "requir",
            ],
        );
        let score =
            hint + unique + worded + like_id(column) * 1.5 - if other { 3.0 } else { 0.0 } - column.depth as f64 * 0.1;
        if score >= 2.3 && best.is_none_or(|(known, _)| score > known) {
            best = Some((score, column));
        }
    }
    let (score, column) = best?;
    let clues = vec![Clue::WordsForPeople(column.present().next().unwrap_or_default().to_owned())];
    Some(column.choice("title", 0.4 + score / 10.0, clues))
}

/// Where each unit was seen.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct SeenOn {
    /// On the server.
    pub server: bool,
    /// On the client.
    pub client: bool,
}

/// The side: a word out of a few, which goes with where the mods were seen.
pub fn side(columns: &[Column], seen: Option<&[SeenOn]>) -> Option<(Choice, Vec<String>)> {
    let mut best: Option<(f64, Choice, Vec<String>)> = None;
    for column in columns.iter().filter(|column| column.coverage() >= 0.3) {
        let words = column.distinct();
        // A value that differs with each mod names it, and tells no side.
        let names_mods = words.len() > 2 && words.len() == column.present().count();
        if names_mods
            || words.len() > 6
            || words.iter().any(|word| is_version(word) && !column.is_flag || word.len() > 30)
        {
            continue;
        }
        let hinted =
            hints(&column.path, &["side", "env", "where", "run", "need", "server", "client", "on", "for", "place"]);
        let mut means: BTreeMap<&str, &str> = BTreeMap::new();
        let (mut score, mut unknown, mut clues) = (0.0, Vec::new(), Vec::new());
        for word in &words {
            let by_place = seen.and_then(|seen| place_of(column, word, seen));
            let by_word = if column.is_flag { flag_side(&column.key, word) } else { side_word(word) };
            match by_word.or(by_place.filter(|_| words.len() > 1 || hinted)) {
                Some(side) => {
                    score += if by_word.is_some() && !column.is_flag { 1.0 } else { 0.5 };
                    score += if by_place.is_some_and(|place| place == side) { 0.5 } else { 0.0 };
                    let named = (*word).to_owned();
                    clues.push(match (by_word, by_place) {
                        (Some(_), _) => Clue::EverydayWord { word: named, side },
                        _ => Clue::SeenThere { word: named, place: seen_words(side) },
                    });
                    means.insert(word, side);
                }
                None => unknown.push((*word).to_owned()),
            }
        }
        let sides: BTreeSet<&&str> = means.values().collect();
        let known = means.len() as f64 / words.len().max(1) as f64;
        let telling = sides.len() >= 2 || (hinted && !column.is_flag && !means.is_empty());
        if !telling || known < 0.5 || (column.is_flag && !hinted) {
            continue;
        }
        let score = score / words.len() as f64 + if hinted { 0.6 } else { 0.0 } + column.coverage() * 0.5;
        // A mod may name several sides in a list.
        let is_list = column.path.ends_with("[0]");
        if is_list {
            for word in ["server", "client"] {
                means.entry(word).or_insert(word);
            }
        }
        let path = if is_list { format!("{}[*]", column.path.trim_end_matches("[0]")) } else { column.path.clone() };
        let means = means.into_iter().map(|(word, side)| (word.to_owned(), side.to_owned())).collect();
        let choice = Choice {
            lines: vec![FactLine::Sides { at: path, means }],
            ..column.choice("needed_on", 0.35 + score / 4.0, clues)
        };
        if score > 1.0 && best.as_ref().is_none_or(|(known, ..)| score > *known) {
            best = Some((score, choice, unknown));
        }
    }
    best.map(|(_, choice, unknown)| (choice, unknown))
}

fn seen_words(side: &str) -> &'static str {
    match side {
        "server" => "on the server alone",
        "client" => "on the client alone",
        _ => "on both sides",
    }
}

/// Where the mods that say one word were seen, if all were seen in one way.
fn place_of(column: &Column, word: &str, seen: &[SeenOn]) -> Option<&'static str> {
    let own: Vec<SeenOn> = column
        .values
        .iter()
        .zip(seen)
        .filter(|(value, _)| value.as_deref() == Some(word))
        .map(|(_, seen)| *seen)
        .collect();
    let all = |test: fn(&SeenOn) -> bool| own.iter().filter(|seen| test(seen)).count() * 10 >= own.len() * 8;
    if own.is_empty() {
        None
    } else if all(|seen| seen.server && !seen.client) {
        Some("server")
    } else if all(|seen| !seen.server && seen.client) {
        Some("client")
    } else if all(|seen| seen.server && seen.client) {
        Some("both")
    } else {
        None
    }
}

/// `serverOnly = true` and its like.
fn flag_side(key: &str, word: &str) -> Option<&'static str> {
    let words = key_words(key);
    let has = |word: &str| words.iter().any(|own| own == word);
    let only = has("only") || has("side") || has("alone");
    match (has("server"), has("client"), only, word) {
        (true, false, true, "true") => Some("server"),
        (false, true, true, "true") => Some("client"),
        (true, false, true, "false") | (false, true, true, "false") => Some("both"),
        _ => None,
    }
}

/// A range of the game or the loader: a requirement whose key says so, or that names the platform.
pub fn platform_range(columns: &[Column], starts: &[&str], taken: &[&str]) -> Option<Choice> {
    let mut best: Option<(f64, &Column)> = None;
    for column in columns.iter().filter(|column| !column.is_flag && !taken.contains(&column.path.as_str())) {
        let inner: String = column.path.chars().skip(1).collect();
        let hint = hints(&inner, starts);
        let ranges = column.share(|value| range_look(value).is_some());
        if !hint || ranges < 0.8 || hints(&column.key, &["format", "schema", "name"]) {
            continue;
        }
        let score = ranges + column.coverage() + if hints(&column.key, starts) { 0.5 } else { 0.0 };
        if best.is_none_or(|(known, _)| score > known) {
            best = Some((score, column));
        }
    }
    let (score, column) = best?;
    let shown = column.present().next().unwrap_or_default();
    let clues = vec![Clue::Requirements(shown.to_owned())];
    // A mod may name several.
    let choice = column.choice("range", 0.3 + score / 5.0, clues);
    Some(Choice { lines: vec![FactLine::At(column.path.replace("[0]", "[*]"))], ..choice })
}
