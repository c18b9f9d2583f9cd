//! Which lists and maps of a mod's document are relations to other mods: those that name mods that are there.

use std::collections::{BTreeMap, BTreeSet, HashSet};
use std::sync::LazyLock;

use regex::Regex;
use serde_json::Value;

use super::clue::Clue;
use super::fields::Mentions;
use super::leaves::{ListedValues, holders, leaves};
use super::lines::{EntriesAt, RelationLine, key_of};
use super::question::{Question, Quoted};
use super::units::{Unit, without_own_name};
use super::words::{
    RangeLook, hints, is_slug, is_version, kind_word, range_look, relation_kind, stated, stated_plainly, stating,
};
use crate::manifest::is_nobody;
use crate::rulebook::RelationKind;
use crate::text::split_outside;

/// A relation that a rule would read.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Entry {
    /// What it names.
    pub id: String,
    /// The requirement.
    pub range: Option<String>,
    /// Its kind, as far as the entry itself tells.
    pub kind: Option<RelationKind>,
}

/// A list or map of relations.
#[derive(Debug, Clone)]
pub struct Relations {
    /// The rulebook's key: `required`, `relations` and so on.
    pub key: &'static str,
    /// How the rulebook reads it.
    pub line: RelationLine,
    /// The path of its entries.
    each: String,
    /// How its entries are written.
    form: Form,
    /// How sure it is.
    pub confidence: f64,
    /// What speaks for it.
    pub clues: Vec<Clue>,
    /// The entries of each unit.
    pub entries: Vec<Vec<Entry>>,
    /// What could not be told.
    pub question: Option<Question>,
}

/// How entries are written.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Form {
    Texts,
    Objects { is_wrapper: bool },
    Map,
}

impl Relations {
    /// Where its entries stand.
    pub fn places(&self) -> impl Iterator<Item = &str> {
        std::iter::once(self.each.as_str())
    }

    /// Whether a scalar at this path is part of one of its entries.
    pub fn covers(&self, path: &str) -> bool {
        let any = |path: &str| path.replace("[0]", "[*]");
        let each = any(&self.each);
        let each = each.trim_end_matches("[*]").trim_end_matches(".*").trim_end_matches("[*]");
        any(path).strip_prefix(each).is_some_and(|rest| rest.is_empty() || rest.starts_with(['.', '[']))
    }
}

/// What is gathered of one place over all units.
#[derive(Default)]
struct Place {
    words: String,
    texts: Vec<(usize, Vec<String>)>,
    objects: Vec<(usize, Vec<Value>)>,
    maps: Vec<(usize, Vec<(String, Value)>)>,
    single: Vec<(usize, String)>,
}

/// Every list and map that reads as relations; `known` are the folded ids of all mods, `own` that of each unit.
pub fn relations(
    units: &[Unit],
    pattern: &str,
    known: &HashSet<String>,
    own: &[Option<String>],
    taken: &[&str],
) -> Vec<Relations> {
    let mut found: Vec<Relations> = Vec::new();
    for (path, place) in places(units, pattern) {
        // XML has every element as a list: an id is then a list of one.
        if taken.contains(&path.as_str()) || taken.contains(&path.replace("[*]", "[0]").as_str()) {
            continue;
        }
        let read = objects(&path, &place, units.len(), known)
            .or_else(|| keyed_objects(&path, &place, units.len(), known))
            .or_else(|| texts(&path, &place, units.len(), known))
            .or_else(|| single(&path, &place, units.len(), known))
            .or_else(|| map(&path, &place, units.len(), known));
        found.extend(read.filter(|read| !is_about_itself(read, own, known)));
    }
    without_doubles(found)
}

/// What is seen as a whole and by its parts counts once: a map of lists by its lists, a list of objects as such, and
/// an element that only wraps a list by that list.
fn without_doubles(mut found: Vec<Relations>) -> Vec<Relations> {
    let mut gone: Vec<RelationLine> = Vec::new();
    for outer in &found {
        for inner in found.iter().filter(|inner| is_below(&inner.each, &outer.each)) {
            let outer_goes = match outer.form {
                Form::Map => true,
                // `$.li[0]` takes the first of a list that `li[*]` takes whole.
                Form::Objects { is_wrapper } => is_wrapper || outer.line.takes_a_first(),
                Form::Texts => false,
            };
            gone.push(if outer_goes { outer.line.clone() } else { inner.line.clone() });
        }
    }
    found.retain(|relation| !gone.contains(&relation.line));
    found
}

fn is_below(inner: &str, outer: &str) -> bool {
    let outer = if outer.ends_with("[*]") { outer } else { outer.trim_end_matches("[*]") };
    inner != outer && inner.strip_prefix(outer).is_some_and(|rest| rest.starts_with(['.', '[']))
}

/// What names nothing but the mod itself is no relation.
fn is_about_itself(relations: &Relations, own: &[Option<String>], known: &HashSet<String>) -> bool {
    let pairs = relations.entries.iter().zip(own).flat_map(|(entries, own)| entries.iter().map(move |e| (e, own)));
    let is_own =
        |(entry, own): (&Entry, &Option<String>)| own.as_ref().is_some_and(|own| own.eq_ignore_ascii_case(&entry.id));
    let (own, others): (Vec<_>, Vec<_>) = pairs.partition(|pair| is_own(*pair));
    !own.is_empty() && !others.iter().any(|(entry, _)| known.contains(&entry.id.to_lowercase()))
}

fn places(units: &[Unit], pattern: &str) -> BTreeMap<String, Place> {
    let mut places: BTreeMap<String, Place> = BTreeMap::new();
    for (at, unit) in units.iter().enumerate() {
        let Some(document) = unit.documents.get(pattern) else { continue };
        for holder in holders(&document.value) {
            let place = places.entry(without_own_name(&holder.path, unit)).or_default();
            place.words = holder.words;
            match holder.held {
                ListedValues::Texts(texts) => place.texts.push((at, texts)),
                ListedValues::Objects(objects) => place.objects.push((at, objects.into_iter().cloned().collect())),
                ListedValues::Map(map) => {
                    let owned = map.into_iter().map(|(key, value)| (key.to_owned(), value.clone())).collect();
                    place.maps.push((at, owned));
                }
                ListedValues::Text(text) => place.single.push((at, text)),
            }
        }
    }
    // What is a list in some documents and one text in others is a list everywhere.
    let lists: Vec<String> =
        places.iter().filter(|(_, place)| !place.texts.is_empty()).map(|(p, _)| p.clone()).collect();
    for list in lists {
        let Some(alone) = list.strip_suffix("[*]").and_then(|path| places.remove(path)) else { continue };
        if let Some(place) = places.get_mut(&list) {
            place.texts.extend(alone.single.into_iter().map(|(at, text)| (at, vec![text])));
        }
    }
    places
}

/// How entries of a place fit what is known.
struct Fit {
    all: usize,
    known: usize,
    slugs: usize,
}

impl Fit {
    fn of<'i>(ids: impl Iterator<Item = &'i str>, known: &HashSet<String>) -> Self {
        let mut fit = Self { all: 0, known: 0, slugs: 0 };
        for id in ids {
            fit.all += 1;
            fit.known += usize::from(known.contains(&id.to_lowercase()));
            fit.slugs += usize::from(is_slug(id));
        }
        fit
    }

    /// Entries are ids when they name mods; or, by its key, when they at least look like ids.
    fn is_relation(&self, words: &str) -> bool {
        let hinted = relation_kind(words).is_some();
        self.all > 0
            && (self.known * 3 >= self.all
                || (hinted && (self.known * 8 >= self.all || self.slugs * 10 >= self.all * 9)))
            && (hinted || self.known >= 2 || (self.known == self.all && self.known > 0))
    }

    const fn clue(&self) -> Clue {
        Clue::Known { known: self.known, all: self.all }
    }

    fn confidence(&self, hinted: bool) -> f64 {
        let share = self.known as f64 / self.all.max(1) as f64;
        let sure = 0.45 + share * 0.35 + if hinted { 0.18 } else { 0.0 };
        (sure * 100.0).round() / 100.0
    }
}

pub(super) fn is_not_relation(words: &str) -> bool {
    hints(words, &["author", "tag", "categor", "credit", "file", "language", "locale", "keyword", "asset", "script"])
}

fn is_provided(words: &str) -> bool {
    hints(words, &["provid", "also", "alias", "replac"])
}

/// The rule and key for entries whose kind is the place's own.
fn settled(
    (words, each, form): (&str, &str, Form),
    line: RelationLine,
    fit: &Fit,
    entries: Vec<Vec<Entry>>,
) -> Relations {
    let kind = relation_kind(words);
    let by_presence = if fit.known == fit.all { RelationKind::Required } else { RelationKind::Optional };
    let (chosen, question) = match kind {
        Some(kind) => (kind, None),
        None => (by_presence, Some(Question::Kind(words.to_owned()))),
    };
    let mut clues = vec![fit.clue()];
    if kind.is_some() {
        clues.push(Clue::Key(words.to_owned()));
    }
    let each = each.to_owned();
    Relations {
        key: key_of(chosen),
        line,
        each,
        form,
        confidence: fit.confidence(kind.is_some()),
        clues,
        entries,
        question,
    }
}

/// Lists of texts: ids as they stand, or with a small grammar of their own.
fn texts(path: &str, place: &Place, units: usize, known: &HashSet<String>) -> Option<Relations> {
    if place.texts.is_empty() || is_not_relation(&place.words) || is_provided(&place.words) {
        return None;
    }
    grammar(path, &place.words, &place.texts, None, (units, known))
}

/// So many lines of a text are looked at, and none that is longer: what follows is no head.
const HEAD: (usize, usize) = (40, 200);

/// Relations that mods tell in lines at the heads of texts that are no documents: `Requires: core, fog >= 1.2`.
pub fn in_lines(units: &[Unit], known: &HashSet<String>, own: &[Option<String>]) -> Vec<Relations> {
    let mut places: BTreeMap<(String, String), Place> = BTreeMap::new();
    for (at, unit) in units.iter().enumerate() {
        for (member, text) in unit.texts.iter().filter(|(member, _)| !unit.documents.contains_key(*member)) {
            let lines = text.lines().take(HEAD.0).filter(|line| line.len() <= HEAD.1);
            let names = |text: &str| text.split([',', ';', '|', ' ']).any(|word| known.contains(&word.to_lowercase()));
            let plainly = |line| stated_plainly(line).filter(|(_, value)| names(value));
            let read = lines.filter_map(|line| stated(line).or_else(|| plainly(line)));
            for (key, value) in read.filter(|(key, _)| relation_kind(key).is_some()) {
                let place = places.entry((member.clone(), key.to_owned())).or_default();
                place.words = key.to_owned();
                if !is_nobody(value) {
                    place.single.push((at, value.to_owned()));
                }
            }
        }
    }
    let read = places.into_iter().filter_map(|((member, key), place)| {
        let read = single(LINES, &place, units.len(), known)?;
        let lines = format!(r"{}(?<entries>\S.*?)\s*$", stating(&key));
        let each = format!("{key} in {member}");
        let line = RelationLine { at: EntriesAt::Lines { member, lines }, ..read.line };
        Some(Relations { line, each, ..read })
    });
    read.filter(|read| !is_about_itself(read, own, known)).collect()
}

/// Stands for the place of entries that are in lines, until that is known.
const LINES: &str = "$.lines";

/// One text with several entries: `core, fog >= 1.2`.
fn single(path: &str, place: &Place, units: usize, known: &HashSet<String>) -> Option<Relations> {
    if place.single.is_empty() || is_not_relation(&place.words) || is_provided(&place.words) {
        return None;
    }
    let ranges = place.single.iter().filter(|(_, text)| range_look(text).is_some()).count();
    if ranges * 2 >= place.single.len() {
        return None;
    }
    // Without a word for it and without a separator, texts are relations where each names a mod.
    let is_mod = |(_, text): &(usize, String)| known.contains(&text.to_lowercase());
    let separated = place.single.iter().any(|(_, text)| text.contains([',', ';', '|']));
    if relation_kind(&place.words).is_none() && !separated && !place.single.iter().all(is_mod) {
        return None;
    }
    let stands = |between: &str| place.single.iter().any(|(_, text)| text.contains(between));
    let read = |between: &str| {
        let split =
            |text: &str| -> Vec<String> { split_outside(text, between).into_iter().map(str::to_owned).collect() };
        let lists: Vec<(usize, Vec<String>)> = place.single.iter().map(|(at, text)| (*at, split(text))).collect();
        grammar(path, &place.words, &lists, Some(between), (units, known))
    };
    // A blank may stand within an entry.
    let first = [",", ";", "|"].into_iter().find(|between| stands(between)).unwrap_or(",");
    read(first).or_else(|| read(" ").filter(|_| stands(" ")))
}

/// The grammars that entries are tried with, the plainest first.
const GRAMMARS: [&str; 8] = [
    r"^(?<id>[^\s,;|<>=~^]+)$",
    VERSION_TAIL,
    r"^(?<id>[\w@][\w.+/-]*)\s*[@:]\s*(?<range>\S.*)$",
    r"^(?<id>[\w@][\w.+/:-]*)(?:\s*\(\s*(?<range>[<>=~^!][^()]*|\d[\w.+*-]*|\*)\s*\))?$",
    r"^(?<id>[\w@][\w.+/:-]*)\s*(?<range>[<>=~^!\[(].*)?$",
    r#"^(?<id>[\w@][\w.+/:-]*)(?:\s*;\s*\w+\s*:?=\s*"?(?<range>[^";]*)"?)?$"#,
    r"^(?<sign>[^\w\s]|\([^\w\s]\))?\s*(?<id>[\w@][\w.+/:-]*)\s*(?<range>[<>=~^!\[(].*)?$",
    r"^(?<sign>[^\w\s@\[(]{1,2}|\([^\w\s]{1,2}\))?\s*(?<id>[\w@][\w.+/-]*?(?: [A-Za-z][\w-]*)*?)\s*(?:[@:]\s*)?(?<range>(?:[<>=~^!]{1,2}|[\[(])\s*\d.*|\d[\w.+*-]*|\*)?$",
];
/// The grammars, ready to read.
static READERS: LazyLock<Vec<Regex>> =
    LazyLock::new(|| GRAMMARS.iter().filter_map(|pattern| Regex::new(pattern).ok()).collect());
/// An id with a version after a `-`.
const VERSION_TAIL: &str = r"^(?<id>.+?)-(?<range>\d+(?:\.\d+)+\S*)$";

fn grammar(
    path: &str,
    words: &str,
    lists: &[(usize, Vec<String>)],
    between: Option<&str>,
    (units, known): (usize, &HashSet<String>),
) -> Option<Relations> {
    let texts: Vec<&str> = lists.iter().flat_map(|(_, texts)| texts).map(String::as_str).collect();
    let read = |regex: &Regex| -> (usize, usize, Vec<(Option<String>, String)>) {
        let hits: Vec<(Option<String>, String)> = texts
            .iter()
            .filter_map(|text| {
                let captures = regex.captures(text)?;
                // A part of a version is no id, unless a mod is called so.
                let id = captures["id"].to_lowercase();
                if is_version(&id) && !known.contains(&id) {
                    return None;
                }
                Some((captures.name("sign").map(|sign| sign.as_str().to_owned()), captures["id"].to_owned()))
            })
            .collect();
        let known = hits.iter().filter(|(_, id)| known.contains(&id.to_lowercase())).count();
        (known, hits.len(), hits)
    };
    let best = READERS.iter().map(|regex| (regex, read(regex))).fold(
        None,
        |best: Option<(&Regex, (usize, usize, Vec<_>))>, next| {
            match &best {
                // A grammar that says more must read more.
                Some((_, known)) if (next.1.0, next.1.1) <= (known.0, known.1) => best,
                _ => Some(next),
            }
        },
    );
    let (regex, (_, read_count, hits)) = best?;
    let pattern = regex.as_str();
    if texts.is_empty() || read_count * 10 < texts.len() * 8 {
        return None;
    }
    let fit = Fit::of(hits.iter().map(|(_, id)| id.as_str()), known);
    if !fit.is_relation(words) {
        return None;
    }
    let (signs, told_by_signs) = kinds_of_signs(&hits, known);
    let is_plain = between.is_none() && pattern == GRAMMARS[0];
    let text = (!is_plain).then(|| pattern.to_owned());
    let between = between.map(str::to_owned);
    let line = RelationLine { between, text, signs: signs.clone(), ..RelationLine::at(path) };
    let entry = |text: &String| {
        let captures = regex.captures(text)?;
        let sign = captures.name("sign").map(|sign| sign.as_str());
        let range = captures.name("range").map(|range| range.as_str().to_owned()).filter(|range| !range.is_empty());
        Some(Entry { id: captures["id"].to_owned(), range, kind: sign.and_then(|sign| signs.get(sign)).copied() })
    };
    let entries = spread(units, lists.iter().map(|(at, texts)| (*at, texts.iter().filter_map(entry).collect())));
    let mut settled = settled((words, path, Form::Texts), line, &fit, entries);
    if !signs.is_empty() {
        settled.clues.extend(told_by_signs);
        settled.key = if settled.key == "required" { "relations" } else { settled.key };
    }
    Some(settled)
}

/// What the signs before entries mean: by what is there, and by the signs that are commonly used.
fn kinds_of_signs(
    hits: &[(Option<String>, String)],
    known: &HashSet<String>,
) -> (BTreeMap<String, RelationKind>, Vec<Clue>) {
    let mut by_sign: BTreeMap<&str, (usize, usize)> = BTreeMap::new();
    for (sign, id) in hits {
        if let Some(sign) = sign {
            let count = by_sign.entry(sign).or_default();
            count.0 += 1;
            count.1 += usize::from(known.contains(&id.to_lowercase()));
        }
    }
    let mut told = Vec::new();
    let meaning = by_sign.into_iter().map(|(sign, (all, there))| {
        let kind = if sign.contains('!') {
            RelationKind::Conflicting
        } else if sign.contains('?') {
            RelationKind::Optional
        } else if there == all {
            RelationKind::Required
        } else if there == 0 && all >= 2 {
            RelationKind::Conflicting
        } else {
            RelationKind::Optional
        };
        told.push(Clue::Before { sign: sign.to_owned(), all, there });
        (sign.to_owned(), kind)
    });
    (meaning.collect(), told)
}

/// Lists of objects with an id, perhaps a range and a kind.
fn objects(path: &str, place: &Place, units: usize, known: &HashSet<String>) -> Option<Relations> {
    if place.objects.is_empty() || is_not_relation(&place.words) {
        return None;
    }
    let rows: Vec<Vec<super::leaves::Leaf>> =
        place.objects.iter().flat_map(|(_, objects)| objects).map(leaves).collect();
    let mut columns: BTreeMap<&str, Vec<&str>> = BTreeMap::new();
    for leaf in rows.iter().flatten() {
        columns.entry(&leaf.path).or_default().push(&leaf.value);
    }
    let id = columns
        .iter()
        .filter(|(_, values)| values.len() * 10 >= rows.len() * 8)
        .map(|(path, values)| {
            let fit = Fit::of(values.iter().copied(), known);
            let hint = usize::from(hints(path, &["id", "mod", "name", "key", "who", "slug"]));
            (path, fit.known * 10 + fit.slugs + hint, fit)
        })
        .filter(|(_, _, fit)| fit.is_relation(&place.words))
        .max_by_key(|(_, score, _)| *score)?;
    let (id_path, _, fit) = id;
    let range = columns.iter().find(|(path, values)| {
        *path != id_path
            && values.iter().filter(|v| range_look(v).is_some()).count() * 10 >= values.len() * 8
            && !hints(path, &["order", "count", "priority", "index"])
    });
    let kind = columns.iter().find(|(path, values)| *path != id_path && is_kind(path, values));
    let is_there = |row: &[super::leaves::Leaf], kind: &str| -> Option<(String, bool)> {
        let value = |path: &str| row.iter().find(|leaf| leaf.path == path).map(|leaf| leaf.value.clone());
        Some((value(kind)?, known.contains(&value(id_path)?.to_lowercase())))
    };
    let words = kind.map(|(path, values)| {
        let seen: Vec<(String, bool)> = rows.iter().filter_map(|row| is_there(row, path)).collect();
        (*path, kinds(path, values, &seen))
    });
    let guessed = words.as_ref().map(|(_, (_, guessed))| guessed.clone()).unwrap_or_default();
    let words = words.map(|(path, (kinds, _))| (path, kinds));
    let line = RelationLine {
        id: Some((*id_path).to_owned()),
        range: range.map(|(path, _)| (*path).to_owned()),
        kinds: words.as_ref().map(|(path, kinds)| ((*path).to_string(), kinds.clone())),
        ..RelationLine::at(path)
    };
    let value = |row: &[super::leaves::Leaf], path: &str| {
        row.iter().find(|leaf| leaf.path == path).map(|leaf| leaf.value.clone())
    };
    let mut rows = rows.iter();
    let entries = spread(
        units,
        place.objects.iter().map(|(at, objects)| {
            let own: Vec<Entry> = rows
                .by_ref()
                .take(objects.len())
                .filter_map(|row| {
                    let word = words.as_ref().and_then(|(path, kinds)| Some((kinds, value(row, path)?)));
                    let kind = word.and_then(|(kinds, word)| kinds.get(&word).copied()).flatten();
                    Some(Entry { id: value(row, id_path)?, range: range.and_then(|(path, _)| value(row, path)), kind })
                })
                .collect();
            (*at, own)
        }),
    );
    let form = Form::Objects { is_wrapper: columns.len() == 1 };
    let mut settled = settled((&place.words, path, form), line, &fit, entries);
    if let Some((path, _)) = words {
        settled.key = "relations";
        let guessed: Vec<String> = guessed.iter().map(ToString::to_string).collect();
        settled.question =
            (!guessed.is_empty()).then(|| Question::KindWords { words: Quoted(guessed), at: path.to_string() });
        settled.clues.push(Clue::TellsKinds(path.to_string()));
    }
    Some(settled)
}

fn is_kind(path: &str, values: &[&str]) -> bool {
    let distinct: BTreeSet<&&str> = values.iter().collect();
    let flags = distinct.iter().all(|value| matches!(**value, "true" | "false"));
    if flags {
        return hints(path, &["mandatory", "require", "optional", "must", "hard", "soft"]);
    }
    let known = distinct.iter().filter(|v| kind_word(v).is_some()).count() * 2 >= distinct.len();
    // A few words for which the key says that they are kinds, whatever they mean.
    let is_said = (2..=6).contains(&distinct.len())
        && distinct.iter().all(|value| is_slug(value) && !is_version(value))
        && hints(path, &["kind", "type", "how", "mode", "strength", "relation", "level"]);
    distinct.len() <= 8 && distinct.iter().all(|value| value.len() <= 24) && (known || is_said)
}

/// What words for kinds mean, and those that are no everyday words, and so were taken by what is there: a kind whose mods never
/// are there is what a mod can't stand. `seen` has for each entry its word and whether its mod is there.
fn kinds(
    path: &str,
    values: &[&str],
    seen: &[(String, bool)],
) -> (BTreeMap<String, Option<RelationKind>>, Vec<String>) {
    let optional_flag = hints(path, &["optional", "soft"]);
    let is_required = |word: &&str| kind_word(word) == Some(Some(RelationKind::Required));
    let has_required = values.iter().any(is_required);
    let mut guessed = BTreeSet::new();
    let mut by_presence = |word: &str| {
        guessed.insert(word.to_owned());
        let own = seen.iter().filter(|(own, _)| own == word);
        match (own.clone().filter(|(_, there)| *there).count(), own.count()) {
            (0, _) => RelationKind::Conflicting,
            // Beside a word for what is required, another one means something else.
            (there, all) if there == all && !has_required => RelationKind::Required,
            _ => RelationKind::Optional,
        }
    };
    let mut of = |word: &str| match word {
        "true" => Some(if optional_flag { RelationKind::Optional } else { RelationKind::Required }),
        "false" => Some(if optional_flag { RelationKind::Required } else { RelationKind::Optional }),
        word => kind_word(word).unwrap_or_else(|| Some(by_presence(word))),
    };
    let kinds = values.iter().map(|word| ((*word).to_owned(), of(word))).collect();
    (kinds, guessed.into_iter().collect())
}

/// Lists of objects of which each key is an id: `- core: "^1.2"`.
fn keyed_objects(path: &str, place: &Place, units: usize, known: &HashSet<String>) -> Option<Relations> {
    let maps = place.objects.iter().map(|(at, objects)| {
        let pairs = objects.iter().filter_map(Value::as_object).flatten();
        (*at, pairs.map(|(key, value)| (key.clone(), value.clone())).collect())
    });
    let as_maps = Place { words: place.words.clone(), maps: maps.collect(), ..Place::default() };
    if place.objects.is_empty() { None } else { map(path, &as_maps, units, known) }
}

/// Maps from ids to ranges.
fn map(path: &str, place: &Place, units: usize, known: &HashSet<String>) -> Option<Relations> {
    if place.maps.is_empty() || is_not_relation(&place.words) {
        return None;
    }
    let entries: Vec<&(String, Value)> = place.maps.iter().flat_map(|(_, map)| map).collect();
    let range = |value: &Value| match value {
        Value::Array(items) => items.iter().all(|item| item.as_str().is_some_and(|text| range_look(text).is_some())),
        other => crate::text::scalar(other).is_some_and(|text| range_look(&text).is_some()),
    };
    // What stands below a mod's id is said of that relation.
    let last = place.words.rsplit(' ').next().unwrap_or_default();
    if known.contains(&last.to_lowercase()) {
        return None;
    }
    let ranges = entries.iter().filter(|(_, value)| range(value)).count();
    let fit = Fit::of(entries.iter().map(|(id, _)| id.as_str()), known);
    let objects = entries.iter().filter(|(_, value)| value.is_object()).count();
    // Where some say no more than the range, others may have an object with it.
    let are_both = objects > 0 && ranges + objects == entries.len() && fit.known > 0;
    let with_objects: Vec<&(String, Value)> = entries.iter().copied().filter(|(_, value)| value.is_object()).collect();
    let inner = are_both.then(|| range_inside(&with_objects)).flatten();
    if entries.is_empty() || (ranges * 10 < entries.len() * 9 && inner.is_none()) {
        return None;
    }
    // The keys of a map of facts are the same in every mod; those of relations are other mods.
    if fit.known == 0 && relation_kind(&place.words).is_none() || !fit.is_relation(&place.words) {
        return None;
    }
    let entry = |(id, value): &(String, Value)| Entry {
        id: id.clone(),
        range: crate::text::scalar(value).or_else(|| crate::text::scalar(value.as_array()?.first()?)).or_else(|| {
            leaves(value).into_iter().find(|leaf| Some(&leaf.path) == inner.as_ref()).map(|leaf| leaf.value)
        }),
        kind: None,
    };
    let spread = spread(units, place.maps.iter().map(|(at, map)| (*at, map.iter().map(entry).collect())));
    let line = RelationLine { are_keys: true, range: inner, ..RelationLine::at(path) };
    Some(settled((&place.words, path, Form::Map), line, &fit, spread))
}

/// Where the objects behind ids state a range: one place that nearly all have.
fn range_inside(entries: &[&(String, Value)]) -> Option<String> {
    let mut counts: BTreeMap<String, usize> = BTreeMap::new();
    for leaf in entries.iter().flat_map(|(_, value)| leaves(value)).filter(|leaf| range_look(&leaf.value).is_some()) {
        *counts.entry(leaf.path).or_default() += 1;
    }
    let best = counts.into_iter().max_by_key(|(path, count)| (*count, usize::MAX - path.len()));
    best.filter(|(_, count)| count * 10 >= entries.len() * 9).map(|(path, _)| path)
}

/// The list of further ids that mods stand for.
pub fn provided(units: &[Unit], pattern: &str) -> Option<(String, Vec<String>)> {
    places(units, pattern).into_iter().find_map(|(path, place)| {
        let texts: Vec<String> = place.texts.iter().flat_map(|(_, texts)| texts.clone()).collect();
        (!texts.is_empty() && is_provided(&place.words) && texts.iter().all(|t| is_slug(t))).then_some((path, texts))
    })
}

/// What a text may name, folded: what stands between its separators, and what the grammars of entries read from that.
pub fn named_in(text: &str) -> HashSet<String> {
    let mut found = HashSet::new();
    for piece in text.split([',', ';', '|']).map(str::trim).filter(|piece| !piece.is_empty()) {
        found.insert(piece.to_lowercase());
        for grammar in READERS.iter() {
            found.extend(grammar.captures(piece).map(|captures| captures["id"].to_lowercase()));
        }
    }
    found
}

/// Everything that lists and maps of documents mention: ids with what may stand before and after them.
pub fn mentions<'u>(units: impl Iterator<Item = &'u Unit>) -> Mentions {
    let mut all = Mentions::default();
    for unit in units {
        mentioned(unit).into_iter().for_each(|text| all.note(text, &unit.name));
    }
    all
}

/// Everything that lists and maps of a mod's documents mention, in lower case.
fn mentioned(unit: &Unit) -> HashSet<String> {
    let mut found = HashSet::new();
    let mut take = |text: &str| {
        if text.len() <= 300 {
            found.extend(named_in(text));
        }
    };
    for document in unit.documents.values() {
        for holder in holders(&document.value) {
            match holder.held {
                ListedValues::Texts(texts) => texts.iter().for_each(|text| take(text)),
                ListedValues::Objects(objects) => {
                    objects.iter().flat_map(|object| leaves(object)).for_each(|leaf| take(&leaf.value));
                }
                ListedValues::Map(map) if !holder.words.is_empty() => map.iter().for_each(|(key, _)| take(key)),
                ListedValues::Map(_) => {}
                ListedValues::Text(text) if relation_kind(&holder.words).is_some() && range_look(&text).is_none() => {
                    take(&text);
                }
                ListedValues::Text(_) => {}
            }
        }
    }
    found
}

fn spread(units: usize, own: impl Iterator<Item = (usize, Vec<Entry>)>) -> Vec<Vec<Entry>> {
    let mut all = vec![Vec::new(); units];
    for (at, entries) in own {
        all[at].extend(entries);
    }
    all
}

/// How requirements are written, counted over all relations.
pub fn range_looks<'e>(ranges: impl Iterator<Item = &'e str>) -> BTreeMap<&'static str, usize> {
    let mut counts = BTreeMap::new();
    for look in ranges.filter_map(range_look) {
        let word = match look {
            RangeLook::Interval => "intervals",
            RangeLook::Comparators => "comparators",
            RangeLook::Bare => "bare",
            RangeLook::Any => "any",
        };
        *counts.entry(word).or_default() += 1;
    }
    counts
}
