//! What mods tell and a draft does not read: other mods that they name, and versions. Whatever is left unread may matter, so that
//! no draft that leaves something is all that there is.

use crate::base::names::ShelfName;
use std::collections::{BTreeMap, BTreeSet, HashSet};

use super::fields::{columns, has_version_in_name, is_own_version, without_version};
use super::launch::mentions;
use super::leaves::{ListedValues, holders, leaves};
use super::leftovers::is_of_a_game;
use super::mentions::readable;
use super::named_after::FoundBeside;
use super::naming::{Called, Names};
use super::needs::{Entry, Relations, is_not_relation, named_in};
use super::question::Question;
use super::shelves::{Facts, Shelf, merged};
use super::sight::{InstallView, Seen, extension, is_inside, parent, starts_as_other_archive};
use super::units::Unit;
use super::words::{folded, hints, is_version, relation_kind, stated, stated_plainly, words_of_line};
use crate::base::path::InstallPath;
use crate::manifest::ITSELF;
use crate::rulebook::{Holds, RelationKind, Role};
use serde_json::Value;

/// A text file that names most mods, and that a draft has no use for.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct NoList {
    /// The installs that have it.
    pub roles: Vec<Role>,
    /// The file.
    pub file: InstallPath,
    /// How many mods it names.
    pub mods: usize,
    /// A line that names one.
    pub example: String,
}

/// Words in the names of texts that name mods to people.
const FOR_PEOPLE: [&str; 10] =
    ["readme", "read", "credit", "licen", "changelog", "change", "notice", "note", "third", "manual"];

/// Text files of an install that name most of its mods, or are known to name some, but for those of which a draft makes some use.
pub fn no_lists(
    sight: &dyn InstallView,
    texts: &[&Seen],
    mods: &[Called],
    is_used: impl Fn(&str) -> bool,
    partial: &BTreeSet<String>,
) -> Vec<NoList> {
    let long: Vec<Called> = mods.iter().filter(|called| called.id.len() > 2).cloned().collect();
    let names = Names::new(&long);
    let ids: HashSet<&String> = mods.iter().map(|called| &called.id).collect();
    if ids.len() < 3 {
        return Vec::new();
    }
    let others = texts.iter().filter(|seen| !is_used(seen.path.as_str()) && !hints(seen.path.name(), &FOR_PEOPLE));
    let read = others.filter_map(|seen| {
        let text = readable(sight, &seen.path)?;
        let mut named: HashSet<&String> = HashSet::new();
        let mut example = None;
        for line in text.lines().filter(|line| line.len() < LONGEST * 20) {
            let hits = mentions(line, &names).into_iter().flat_map(|(start, end)| names.mods_in(&line[start..end]));
            let before = named.len();
            named.extend(hits.map(|at| &names.mods[at].id));
            if named.len() > before {
                example.get_or_insert_with(|| line.trim().chars().take(LONGEST).collect::<String>());
            }
        }
        let (mods, file) = (named.len(), seen.path.clone());
        (mods * 10 >= ids.len() * 8 || partial.contains(file.as_str())).then(|| NoList {
            roles: vec![sight.role()],
            file,
            mods,
            example: example.unwrap_or_default(),
        })
    });
    read.collect()
}

/// Something that mods tell and a draft does not read.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Unread {
    /// The shelf whose mods tell it, or the list.
    pub shelf: ShelfName,
    /// What it is.
    pub what: WhatUnread,
    /// The document and the place in it, or the names of files.
    pub place: String,
    /// How many mods tell it there.
    pub mods: usize,
    /// What one of them says.
    pub example: String,
}

/// What is not read.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum WhatUnread {
    /// Other mods are named.
    Relation,
    /// Something like a version stands there, and the draft knows none.
    Version,
    /// What is named there is not all there, so that none of it is taken for required.
    NotRequired,
    /// Files lie beside mods that are one file each, and are called as those are.
    Beside,
    /// Words of which none is known to mean that a mod is required, and which all may.
    Kinds,
    /// Files outside of the mods are named.
    Files,
    /// Archives of a kind that is not looked into.
    Packed,
    /// The lines of a list say more than which mod is meant.
    Columns,
    /// The version stands in the id.
    IdWithVersion,
    /// A mod is called as what comes with a game.
    OfTheGame,
    /// That these are mods is told by a line in their texts, and by nothing else.
    TextAlone,
    /// Files like those that every program has are mods by the versions in their names alone.
    NameAlone,
    /// That these are mods is told by what the folder around them is called, and by nothing else.
    PlaceAlone,
    /// They lie on the client alone, and nothing says that clients need them.
    ClientAlone,
}

/// So many mods of a shelf tell how they are packed.
const SAMPLE: usize = 200;
/// So many lines of a text are looked at.
const LINES: usize = 40;
/// Longer texts are for people.
const LONGEST: usize = 200;

/// What the mods of a shelf tell and its facts do not say; `ids` are those of all mods, folded.
pub fn of_shelf(shelf: &Shelf, facts: &Facts, ids: &HashSet<String>) -> Vec<Unread> {
    let units = merged(shelf);
    let mut found = relations(shelf, &units, facts, ids);
    let knows_a_version = facts.version.as_ref().is_some_and(|version| version.values.iter().any(Option::is_some));
    let is_dotted = facts.version.iter().flat_map(|version| &version.values).flatten().any(|v| v.contains('.'));
    if !knows_a_version {
        found.extend(versions(shelf, &units));
    } else if !is_dotted {
        found.extend(dotted_versions(shelf, facts));
    }
    found.extend(facts.relations.iter().filter_map(|relation| kinds(shelf, relation)));
    found.extend(ids_with_versions(shelf, facts));
    found
}

/// Ids in which the version stands: each release would be another mod.
fn ids_with_versions(shelf: &Shelf, facts: &Facts) -> Option<Unread> {
    let ids = || facts.id.values.iter().flatten();
    let told: Vec<&String> = ids().filter(|id| without_version(id).is_some()).collect();
    let example = told.first().filter(|_| told.len() >= 2 && told.len() * 10 >= ids().count() * 6)?;
    Some(Unread {
        shelf: shelf.name.clone().into(),
        what: WhatUnread::IdWithVersion,
        place: String::new(),
        mods: told.len(),
        example: (*example).clone(),
    })
}

/// Words for kinds of relations that can't be told apart: all of what they name is there.
fn kinds(shelf: &Shelf, relation: &Relations) -> Option<Unread> {
    let Some(Question::KindWords { words, at }) = &relation.question else { return None };
    let required = |entry: &&Entry| entry.kind == Some(RelationKind::Required);
    let mods = relation.entries.iter().filter(|entries| entries.iter().any(|entry| required(&entry))).count();
    (words.0.len() > 1 && mods > 0).then(|| Unread {
        shelf: shelf.name.clone().into(),
        what: WhatUnread::Kinds,
        place: at.clone(),
        mods,
        example: words.to_string(),
    })
}

/// Files beside the mods of a shelf that are called after those, and of which nobody knows whether they are parts of them.
pub fn beside(shelf: &Shelf, found: &[FoundBeside]) -> Option<Unread> {
    let most = found.iter().max_by_key(|found| found.mods).filter(|found| found.mods >= 2)?;
    Some(Unread {
        shelf: shelf.name.clone().into(),
        what: WhatUnread::Beside,
        place: most.template.replace("{stem}", "").replace("{name}", ""),
        mods: most.mods,
        example: most.example.clone(),
    })
}

/// The files of each install that lie in no mod, in small letters.
pub struct Outside(Vec<(Role, HashSet<String>)>);

impl Outside {
    /// Of installs; `inside` are the paths of mods.
    pub fn of(sights: &[&dyn InstallView], inside: &HashSet<String>) -> Self {
        let of = |sight: &&dyn InstallView| {
            let paths = sight.files().iter().map(|seen| seen.path.as_str()).filter(|path| !is_inside(path, inside));
            (sight.role(), paths.map(str::to_lowercase).collect())
        };
        Self(sights.iter().map(of).collect())
    }
}

/// Files outside of all mods that documents of a shelf's mods name, another for each: they may be what the mods are made of.
pub fn files_named(shelf: &Shelf, outside: &Outside) -> Option<Unread> {
    let document = shelf.documents.first()?;
    let mut by_place: BTreeMap<String, BTreeSet<String>> = BTreeMap::new();
    for (role, outside) in &outside.0 {
        for unit in shelf.seen.iter().filter(|unit| unit.role == *role) {
            let beside = parent(unit.path.as_str()).to_lowercase();
            for leaf in unit.documents.get(document).iter().flat_map(|document| leaves(&document.value)) {
                let named = leaf.value.replace('\\', "/").trim_start_matches("./").to_lowercase();
                let from_root = [named.clone(), format!("{beside}/{named}")];
                let found = from_root.into_iter().filter(|_| named.contains('.')).find(|path| outside.contains(path));
                if let Some(path) = found {
                    by_place.entry(leaf.path).or_default().insert(path);
                }
            }
        }
    }
    let (path, files) = by_place.into_iter().max_by_key(|(_, files)| files.len())?;
    (files.len() >= 2).then(|| Unread {
        shelf: shelf.name.clone().into(),
        what: WhatUnread::Files,
        place: place_in(&path, document),
        mods: files.len(),
        example: files.into_iter().next().unwrap_or_default(),
    })
}

/// What lies among the mods of a shelf and is called as what comes with a game is.
pub fn of_the_game(shelf: &Shelf, facts: &Facts, game: &str) -> Option<Unread> {
    let game = folded(game);
    let is_named_so = |id: &str| folded(id) == game;
    // Many a library of mods is called core.
    let is_usual = |id: &str| id != "core" && is_of_a_game(id) && id.chars().all(char::is_alphabetic);
    let is = |id: &String| is_named_so(id) || is_usual(id);
    let mut own: Vec<String> = facts.id.values.iter().flatten().map(|id| id.to_lowercase()).filter(is).collect();
    own.extend(of_one_release(facts));
    Some(Unread {
        shelf: shelf.name.clone().into(),
        what: WhatUnread::OfTheGame,
        place: String::new(),
        mods: own.len(),
        example: own.first()?.clone(),
    })
}

/// Several mods of one version, which no other has, and whose ids begin as no other's do: that is how what came with a game is kept
/// among mods.
fn of_one_release(facts: &Facts) -> Vec<String> {
    let versions = facts.version.iter().flat_map(|version| &version.values);
    let known: Vec<(String, &String)> = facts
        .id
        .values
        .iter()
        .zip(versions)
        .filter_map(|(id, v)| Some((id.as_ref()?.to_lowercase(), v.as_ref()?)))
        .collect();
    let mut by_version: BTreeMap<&String, BTreeSet<&String>> = BTreeMap::new();
    for (id, version) in &known {
        by_version.entry(version).or_default().insert(id);
    }
    let is_one_release = |own: &BTreeSet<&String>| {
        let (Some(first), Some(last)) = (own.first(), own.last()) else { return false };
        let shared: String = first.chars().zip(last.chars()).take_while(|(a, b)| a == b).map(|(a, _)| a).collect();
        let mut others = known.iter().map(|(id, _)| id).filter(|id| !own.contains(id));
        let has_others = known.len() >= own.len() + 3;
        own.len() >= 2 && shared.len() >= 3 && has_others && !others.any(|id| id.starts_with(&shared))
    };
    let is_dotted = |version: &str| version.contains('.');
    let mut of_one = by_version.into_iter().filter(|(version, own)| is_dotted(version) && is_one_release(own));
    // Several makers keep their mods at one version: one of them says nothing then.
    match (of_one.next(), of_one.next()) {
        (Some((_, own)), None) => own.into_iter().cloned().collect(),
        _ => Vec::new(),
    }
}

/// Mods that no list names, and of which just one thing tells that they are mods: a game's own parts have such things too.
pub fn told_by_one_thing(shelf: &Shelf, facts: &Facts, both_sides: bool) -> Option<Unread> {
    let versions = facts.version.iter().flat_map(|version| &version.values).flatten().count();
    let is_by_folder = shelf.holds == Holds::Folders
        && !shelf.documents.is_empty()
        && facts.id.path.is_none()
        && facts.relations.is_empty();
    let what = if shelf.is_told_by_names_alone() {
        WhatUnread::NameAlone
    } else if shelf.is_told_by_texts_alone() && facts.version.is_some()
        || is_by_folder && versions > 0 && !shelf.is_called_so()
    {
        WhatUnread::TextAlone
    } else if is_by_folder && versions == 0 {
        WhatUnread::PlaceAlone
    } else if both_sides && shelf.places.server.is_empty() && facts.side.is_none() {
        WhatUnread::ClientAlone
    } else {
        return None;
    };
    Some(Unread {
        shelf: shelf.name.clone().into(),
        what,
        place: String::new(),
        mods: if what == WhatUnread::TextAlone { versions } else { shelf.units.len() },
        example: shelf.units.first()?.name.clone(),
    })
}

/// A place in a document of mods; in one that is the mod itself, the place alone.
fn place_in(place: &str, document: &str) -> String {
    if document == ITSELF { place.to_owned() } else { format!("{place} in {document}") }
}

/// Mods that are archives of a kind that is not looked into, so that what they tell is not known.
pub fn packed(shelf: &Shelf, sights: &[&dyn InstallView]) -> Option<Unread> {
    let is_packed = |unit: &&Unit| {
        let sight = sights.iter().find(|sight| sight.role() == unit.role);
        sight.is_some_and(|sight| starts_as_other_archive(*sight, &unit.path))
    };
    if shelf.holds != Holds::Files || !shelf.documents.is_empty() {
        return None;
    }
    let packed: Vec<&Unit> = shelf.units.iter().take(SAMPLE).filter(is_packed).collect();
    let first = packed.first()?;
    Some(Unread {
        shelf: shelf.name.clone().into(),
        what: WhatUnread::Packed,
        place: extension(&first.name),
        mods: packed.len(),
        example: first.path.to_string(),
    })
}

fn relations(shelf: &Shelf, units: &[Unit], facts: &Facts, ids: &HashSet<String>) -> Vec<Unread> {
    let main = shelf.documents.first();
    let mut seen: BTreeMap<(String, String), (usize, String, bool)> = BTreeMap::new();
    for (at, unit) in units.iter().enumerate() {
        let own = facts.id.values.get(at).cloned().flatten().unwrap_or_default().to_lowercase();
        let mut told = HashSet::new();
        for (member, document) in &unit.documents {
            for holder in holders(&document.value) {
                let is_main = main == Some(member);
                if is_main && is_read(facts, &holder.path) || is_not_relation(&holder.words) {
                    continue;
                }
                let Some(text) = naming(&holder.held, &own, ids) else { continue };
                let hinted = relation_kind(&holder.words).is_some();
                let place = seen.entry((member.clone(), holder.path.clone())).or_insert((0, text, hinted));
                place.0 += usize::from(told.insert((member, holder.path)));
            }
        }
    }
    for (at, unit) in units.iter().enumerate().filter(|_| facts.relations.is_empty()) {
        let own = facts.id.values.get(at).cloned().flatten().unwrap_or_default().to_lowercase();
        let plain = unit.texts.iter().filter(|(member, _)| !unit.documents.contains_key(*member));
        for (member, text) in plain {
            if let Some((key, line)) = text.lines().take(LINES).find_map(|line| named_in_line(line, &own, ids)) {
                seen.entry((member.clone(), key)).or_insert((0, line, true)).0 += 1;
            }
        }
    }
    let many = |(_, (mods, _, hinted)): &(_, (usize, String, bool))| *mods >= if *hinted { 1 } else { 2 };
    let each = seen.into_iter().filter(many).map(|((member, path), (mods, example, _))| Unread {
        shelf: shelf.name.clone().into(),
        what: WhatUnread::Relation,
        place: place_in(&path, &member),
        mods,
        example,
    });
    // Of a place and those around it, one is told.
    each.take(1).collect()
}

/// The key and all of a line that says of other mods that they are needed, or the like.
fn named_in_line(line: &str, own: &str, ids: &HashSet<String>) -> Option<(String, String)> {
    let unquoted = line.replace(['"', '\''], " ");
    let (key, value) = stated(&unquoted).or_else(|| stated_plainly(&unquoted))?;
    let short = line.len() <= LONGEST && relation_kind(key).is_some();
    let word = |text: &str| text.trim_matches(|c: char| !c.is_alphanumeric()).to_lowercase();
    let names = |text: &str| Some(word(text)).is_some_and(|id| id.len() > 2 && id != own && ids.contains(&id));
    let is_named = short && value.split([',', ';', '|', ' ']).any(names);
    is_named.then(|| (key.to_owned(), line.trim().to_owned()))
}

/// Whether a draft reads a place, or one within or around it.
fn is_read(facts: &Facts, path: &str) -> bool {
    let bare = |path: &str| path.trim_end_matches("[*]").trim_end_matches("[0]").to_owned();
    let own = bare(path);
    let around = |read: &str| {
        let read = bare(read);
        read == own || read.starts_with(&format!("{own}.")) || read.starts_with(&format!("{own}["))
    };
    let chosen = [Some(&facts.id), facts.version.as_ref(), facts.title.as_ref()];
    chosen.into_iter().flatten().filter_map(|choice| choice.path.as_deref()).any(|read| bare(read) == own)
        || facts.provides.as_ref().is_some_and(|(read, _)| around(read))
        || facts.relations.iter().any(|relation| relation.covers(path) || relation.places().any(&around))
}

/// The text of a holder that names other mods than its own.
fn naming(held: &ListedValues<'_>, own: &str, ids: &HashSet<String>) -> Option<String> {
    let names = |text: &str| {
        text.len() <= LONGEST && named_in(text).iter().any(|id| id.len() > 2 && *id != own && ids.contains(id))
    };
    match held {
        ListedValues::Texts(texts) => texts.iter().find(|text| names(text)).cloned(),
        ListedValues::Text(text) => Some(text.clone()).filter(|text| names(text)),
        ListedValues::Map(entries) => {
            let other = |key: &&str| !own.is_empty() && key.to_lowercase() != own && ids.contains(&key.to_lowercase());
            entries.iter().map(|(key, _)| *key).find(other).map(str::to_owned)
        }
        ListedValues::Objects(objects) => {
            let leaves = objects.iter().flat_map(|object| leaves(object));
            leaves.map(|leaf| leaf.value).find(|text| names(text))
        }
    }
}

/// Numbers with dots, another for most mods, where a number without any was taken for the version.
fn dotted_versions(shelf: &Shelf, facts: &Facts) -> Option<Unread> {
    let column = facts.columns.iter().find(|column| column.holds_versions() && is_own_version(column))?;
    let told: Vec<&String> = column.values.iter().flatten().collect();
    Some(Unread {
        shelf: shelf.name.clone().into(),
        what: WhatUnread::Version,
        place: place_in(&column.path, shelf.documents.first()?),
        mods: told.len(),
        example: told.first().map(|value| (*value).clone())?,
    })
}

fn versions(shelf: &Shelf, units: &[Unit]) -> Vec<Unread> {
    let unread = |place: String, (mods, example): (usize, String)| Unread {
        shelf: shelf.name.clone().into(),
        what: WhatUnread::Version,
        place,
        mods,
        example,
    };
    let most = |count: usize| count >= 2 && count * 10 >= units.len() * 6;
    let named: Vec<&Unit> = units.iter().filter(|unit| has_version_in_name(unit.stem())).collect();
    if let Some(first) = named.first().filter(|_| most(named.len())) {
        return vec![unread("their names".to_owned(), (named.len(), first.name.clone()))];
    }
    if let Some((member, (mods, example))) = in_texts(units).into_iter().find(|(_, (mods, _))| most(*mods)) {
        return vec![unread(member, (mods, example))];
    }
    let members: HashSet<&String> = units.iter().flat_map(|unit| unit.documents.keys()).collect();
    for member in &members {
        let told = || units.iter().filter_map(|unit| several_values(&unit.documents.get(*member)?.value));
        if let Some(example) = told().next().filter(|_| most(told().count())) {
            return vec![unread((*member).clone(), (told().count(), example))];
        }
    }
    for member in members {
        for column in columns(units, member).into_iter().filter(|c| hints(&c.key, &["version", "release", "rev"])) {
            let told: Vec<&String> = column.values.iter().flatten().filter(|value| is_version(value)).collect();
            if let Some(first) = told.first().filter(|_| most(told.len())) {
                return vec![unread(place_in(&column.path, member), (told.len(), (*first).clone()))];
            }
        }
    }
    Vec::new()
}

/// Whether a value is nothing but several numbers and what parts them: `(1, 2, 0)`, `1-2-0`.
fn is_of_several_numbers(value: &str) -> bool {
    let numbers = value.split(|c: char| !c.is_ascii_digit()).filter(|number| !number.is_empty()).count();
    (2..=4).contains(&numbers) && !value.contains(char::is_alphabetic)
}

/// What a document tells of its version in several values, in a way that is no version to anybody here.
fn several_values(document: &Value) -> Option<String> {
    let is_told = |(key, value): &(&String, &Value)| {
        let has_numbers = value.to_string().contains(|c: char| c.is_ascii_digit());
        (value.is_array() || value.is_object()) && has_numbers && hints(key, &["version", "release", "rev"])
    };
    let (key, value) = document.as_object()?.iter().find(is_told)?;
    Some(format!("{key} {value}").chars().take(LONGEST).collect())
}

/// Texts with a line in which a version stands, and not the same in all: how many mods have such a line, by the member and the key,
/// with an example.
fn in_texts(units: &[Unit]) -> BTreeMap<String, (usize, String)> {
    let mut found: BTreeMap<String, (BTreeSet<&str>, BTreeSet<&str>, String)> = BTreeMap::new();
    for unit in units {
        for (member, text) in &unit.texts {
            for line in text.lines().take(LINES) {
                let stated = stated(line).map(|(key, value)| (key, value.trim_matches(['"', '\'', ',', ';'])));
                let is_dotted =
                    |value: &str| value.contains('.') && is_version(value) || without_version(value).is_some();
                let is_told = |key: &str, value: &str| {
                    is_dotted(value) || hints(key, &["version", "release"]) && is_of_several_numbers(value)
                };
                let stated = stated.filter(|(key, value)| is_told(key, value));
                let told = stated.map(|(key, value)| (place_in(key, member), value)).or_else(|| {
                    let word = words_of_line(line).find(|word| is_dotted(word))?;
                    Some((member.clone(), word))
                });
                let Some((place, value)) = told else { continue };
                let known =
                    found.entry(place).or_insert_with(|| (BTreeSet::new(), BTreeSet::new(), line.trim().to_owned()));
                known.0.insert(unit.path.as_str());
                known.1.insert(value);
            }
        }
    }
    let differ = found.into_iter().filter(|(_, (_, values, _))| values.len() > 1);
    differ.map(|(place, (mods, _, example))| (place, (mods.len(), example))).collect()
}
