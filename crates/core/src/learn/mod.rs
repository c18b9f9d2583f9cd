//! Drafts a rulebook by looking at installs: every inference has its evidence and a confidence, and nothing that is
//! read is run or trusted.
//!
//! Values decide before keys do: an id is what is unique, stands in file names and is named by other mods; a
//! dependency list is one that names mods which are there; a mod list is a file that mentions most of them. The
//! everyday words for such keys only tip the scales.

mod around;
mod beside;
mod clue;
mod draft;
mod fields;
mod heads;
mod keys;
mod launch;
mod leaves;
pub mod leftovers;
mod lines;
mod mentions;
mod named_after;
mod naming;
mod needs;
mod outside;
mod overlays;
pub mod proof;
mod question;
mod shelves;
mod sight;
mod tastes;
mod units;
pub mod unread;
pub mod voice;
mod words;
mod write;

use std::collections::{BTreeMap, BTreeSet, HashSet};

use serde::Serialize;

use crate::base::digest::DigestKind;
use crate::base::stated::Series;
use crate::rulebook::{Holds, Role};
use crate::survey::Survey;
use around::NamedVersion;
use clue::{Clue, Inferred};
use draft::Learned;
pub use draft::{Answers, Ask, Draft, FORMAT, Fact};
use fields::Surroundings;
use leftovers::SeenGroup;
use lines::{FactLine, ListLines};
use mentions::{Called, FoundList};
use named_after::FoundBeside;
use needs::Entry;
use question::Question;
use shelves::{Facts, ForeignDocument, Shelf};
pub use sight::{InstallView, Seen};
use units::Unit;
use unread::{NoList, Unread, WhatUnread};

/// A mod that the draft does not tell everything about.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Unidentified {
    /// From the install's root.
    pub path: String,
    /// What is lacking.
    pub why: String,
}

/// What a survey by a draft could not identify fully: id, version, and every fact in words that the draft knows.
pub fn unidentified(survey: &Survey) -> Vec<Unidentified> {
    let mut found: Vec<Unidentified> = survey
        .unreadable
        .iter()
        .map(|broken| Unidentified { path: broken.path.clone(), why: broken.why.clone() })
        .collect();
    // Where no mod of a shelf states a version, that is how the game is; where some do, it is a gap.
    let stated = survey.mods.iter().filter(|known| known.manifest.version.is_some());
    let with_versions: HashSet<&str> = stated.map(|known| known.shelf.as_str()).collect();
    for known in &survey.mods {
        let path = known.path.to_string();
        let others_do = with_versions.contains(known.shelf.as_str());
        if known.manifest.version.is_none() && !known.is_id_alone() && others_do {
            found.push(Unidentified { path: path.clone(), why: "no version was found".to_owned() });
        }
        let doubts = known.manifest.doubts.iter();
        found.extend(doubts.map(|doubt| Unidentified { path: path.clone(), why: doubt.clone() }));
    }
    found
}

/// Drafts a rulebook from a server, a client, or both; `name` is what the game is called when nobody says.
pub fn draft(name: &str, sights: &[&dyn InstallView], answers: &Answers) -> Draft {
    let learned = learn(name, sights, answers);
    let idle = idle_places(&learned);
    if idle.is_empty() {
        return write::write(&learned, answers);
    }
    let left_out = answers.left_out.iter().cloned().chain(idle).collect();
    let answers = Answers { left_out, ..answers.clone() };
    write::write(&learn(name, sights, &answers), &answers)
}

/// Places of which no list names a mod, where lists name all mods of another place with mods of the same kind, and which are the
/// game's by their name, or by the one version of all that they hold.
fn idle_places(learned: &Learned) -> BTreeSet<String> {
    #[derive(Default)]
    struct Held<'l> {
        all: usize,
        listed: usize,
        versions: BTreeSet<Option<&'l String>>,
    }
    let named: HashSet<String> =
        learned.lists.iter().flat_map(|(list, _)| &list.named).map(|id| id.to_lowercase()).collect();
    let mut kinds: BTreeMap<_, BTreeMap<&str, Held<'_>>> = BTreeMap::new();
    for (shelf, facts, _) in &learned.shelves {
        let by_place = kinds.entry((shelf.documents.first(), &shelf.extensions)).or_default();
        for (at, (unit, id)) in shelf.units.iter().zip(&facts.id.values).enumerate() {
            let held = by_place.entry(sight::parent(unit.path.as_str())).or_default();
            held.all += 1;
            held.listed += usize::from(id.as_ref().is_some_and(|id| named.contains(&id.to_lowercase())));
            held.versions.insert(facts.version.as_ref().and_then(|version| version.values.get(at)?.as_ref()));
        }
    }
    let is_listed = |held: &Held<'_>| held.listed >= 2 && held.all == held.listed;
    let with_lists = kinds.into_values().filter(|by_place| by_place.values().any(is_listed));
    let is_idle = |(place, held): &(&str, Held<'_>)| {
        let of_one = held.all > 1 && held.versions.len() == 1 && !held.versions.contains(&None);
        held.listed == 0 && (of_one || leftovers::is_of_a_game(place))
    };
    with_lists.flatten().filter(is_idle).map(|(place, _)| place.to_owned()).collect()
}

/// The shelves of installs, and what is needed to read them.
struct FoundShelves<'s> {
    shelves: Vec<Shelf>,
    /// Every group of alike things, on a shelf or not.
    seen: Vec<SeenGroup>,
    /// Every mod's own path.
    inside: HashSet<String>,
    /// Text files outside of mods, for each install.
    texts: Vec<Vec<&'s Seen>>,
    /// Words of such files, folded.
    listed: HashSet<String>,
}

fn find_shelves<'s>(sights: &[&'s dyn InstallView], answers: &Answers) -> FoundShelves<'s> {
    let groups: Vec<_> = sights.iter().flat_map(|sight| units::groups(*sight)).collect();
    let seen = groups.iter().map(SeenGroup::of).collect();
    let with_documents = groups.iter().filter(holds_documents).flat_map(|group| &group.units);
    let mut inside = unit_paths(with_documents.filter(|unit| !unit.documents.is_empty() || !unit.is_folder));
    // What mods tell in words alone is no list of them.
    inside.extend(unit_paths(
        groups.iter().filter(|group| heads::tell_versions(&group.units)).flat_map(|group| &group.units),
    ));
    let first_texts: Vec<_> = sights.iter().map(|sight| mentions::text_files(*sight, &inside)).collect();
    let listed: HashSet<String> =
        sights.iter().zip(&first_texts).flat_map(|(sight, texts)| mentions::words_of(*sight, texts)).collect();
    let mut candidates = shelves::candidates(sights, groups, &listed);
    candidates.retain(|candidate| !answers.left_out.contains(&candidate.group.place));
    inside = unit_paths(candidates.iter().flat_map(|candidate| &candidate.group.units));
    let mut shelves = shelves::pooled(candidates);
    let texts: Vec<_> = sights.iter().map(|sight| mentions::text_files(*sight, &inside)).collect();
    for shelf in &mut shelves {
        shelves::tell_from_outside(sights, &texts, shelf);
    }
    FoundShelves { shelves, seen, inside, texts, listed }
}

fn learn(name: &str, sights: &[&dyn InstallView], answers: &Answers) -> Learned {
    let FoundShelves { shelves, seen, inside, texts, listed } = find_shelves(sights, answers);
    let mentioned = needs::mentions(shelves.iter().flat_map(|shelf| &shelf.units));
    let around = Surroundings { mentioned: &mentioned, listed: &listed };
    let both_sides = sights.len() > 1;
    let mut read: Vec<(Shelf, Facts, Vec<ForeignDocument>)> = shelves
        .into_iter()
        .map(|shelf| {
            let mut facts = shelves::read(&shelf, &around);
            facts.nested = sights.iter().find_map(|sight| shelves::nested(*sight, &shelf, &facts.id));
            let strangers = shelves::strangers(&shelf);
            (shelf, facts, strangers)
        })
        .collect();
    drop_second_shelves(&mut read);
    let ids = known_ids(&read);
    for (shelf, facts, _) in &mut read {
        shelves::relate(shelf, facts, &ids, both_sides);
    }
    let called = called(sights, &read);
    let all = read.iter().flat_map(|(shelf, ..)| &shelf.units);
    let folders = all.map(|unit| sight::parent(unit.path.as_str()).to_owned()).collect();
    let in_one = |(sight, texts): (&&dyn InstallView, &Vec<&Seen>)| mentions::lists(*sight, texts, &called, &folders);
    let mut lists: Vec<FoundList> = sights.iter().zip(&texts).flat_map(in_one).collect();
    // A copy that somebody kept of a list is none.
    lists.retain(|list| !leftovers::is_copy(list.file.as_str()) && !answers.partial.contains(list.file.as_str()));
    for list in lists.iter_mut().filter(|list| answers.unordered.contains(list.file.as_str())) {
        list.lines.is_ordered = false;
    }
    let several = read.iter().flat_map(|(shelf, ..)| shelves::several_places(shelf)).collect();
    read.retain(|(shelf, facts, _)| shelf.speaks_for_itself() || is_listed(facts, &lists));
    let mut learned = Learned {
        game: answers.game.clone().unwrap_or_else(|| name.to_owned()),
        scheme: Inferred::new("dotted", 0.5, []),
        ranges: Inferred::new("comparators", 0.5, []),
        bare: None,
        base_ids: Vec::new(),
        base: sights.iter().zip(&texts).find_map(|(sight, texts)| around::stated_version(*sight, texts)),
        loader: None,
        loader_id: None,
        game_range: BTreeMap::new(),
        loader_range: BTreeMap::new(),
        ids_from: ids_from(&read, &lists, both_sides),
        ring: None,
        signed: BTreeMap::new(),
        laid: BTreeMap::new(),
        tastes: BTreeMap::new(),
        settings: Vec::new(),
        worlds: sights
            .iter()
            .filter(|sight| sight.role() == Role::Server)
            .flat_map(|sight| around::worlds(*sight, &inside))
            .collect(),
        port: sights
            .iter()
            .zip(&texts)
            .filter(|(sight, _)| sight.role() == Role::Server)
            .find_map(|(sight, texts)| around::port(*sight, texts)),
        logs: sights.iter().filter_map(|sight| Some((sight.role(), around::logs(*sight, &inside)?))).collect(),
        questions: Vec::new(),
        asks: Vec::new(),
        has_client: both_sides,
        seen,
        unread: read.iter().flat_map(|(shelf, facts, _)| unread::of_shelf(shelf, facts, &ids)).collect(),
        no_lists: Vec::new(),
        several,
        shelves: read,
        lists: Vec::new(),
    };
    platforms(&mut learned, sights, &inside, &ids, &lists);
    if answers.lenient {
        require_what_is_there(&mut learned, &ids);
    }
    versions(&mut learned, answers);
    if !answers.unsigned {
        signatures(&mut learned, sights, &inside);
    }
    let alone = told_by_one_thing(&learned, &lists);
    learned.unread.extend(alone);
    keep_lists(&mut learned, &mut lists);
    let columns = untold_columns(&learned.lists);
    learned.unread.extend(columns);
    sides_of_lists(&mut learned);
    by_listed_digest(&mut learned);
    look_at_files(&mut learned, sights, &inside);
    let list_files: HashSet<String> = learned.lists.iter().map(|(list, _)| list.file.to_string()).collect();
    let with_texts: Vec<_> = sights.iter().copied().zip(texts).collect();
    learned.no_lists = no_lists(&learned, &with_texts, &called, &answers.partial);
    let shelf_words: Vec<String> =
        learned.shelves.iter().map(|(shelf, ..)| shelf.name.trim_end_matches('s').to_owned()).collect();
    learned.settings = around::settings(&with_texts, &list_files, &shelf_words);
    learned
}

/// Mods of which just one thing tells that they are mods, and no list.
fn told_by_one_thing(learned: &Learned, lists: &[FoundList]) -> Vec<Unread> {
    let unlisted =
        learned.shelves.iter().filter(|(_, facts, _)| learned.ids_from.is_none() && !is_listed(facts, lists));
    unlisted.filter_map(|(shelf, facts, _)| unread::told_by_one_thing(shelf, facts, learned.has_client)).collect()
}

/// Lists whose entries say more than is read of them.
fn untold_columns(lists: &[(FoundList, bool)]) -> Vec<Unread> {
    let untold = lists.iter().filter_map(|(list, _)| Some((list, list.untold.clone()?)));
    let each = untold.map(|(list, example)| Unread {
        shelf: mentions::list_name(list).into(),
        what: WhatUnread::Columns,
        place: list.file.to_string(),
        mods: list.named.len(),
        example,
    });
    each.collect()
}

/// A mod is one thing: where most ids of a shelf are those of another one on the same side, it holds what belongs to those mods, such
/// as their settings. What states its ids itself is the mods, then archives, then folders.
fn drop_second_shelves(read: &mut Vec<(Shelf, Facts, Vec<ForeignDocument>)>) {
    let of_role = |(shelf, facts, _): &(Shelf, Facts, Vec<ForeignDocument>), role: Role| -> BTreeSet<String> {
        let names: HashSet<&str> =
            shelf.seen.iter().filter(|unit| unit.role == role).map(|unit| unit.name.as_str()).collect();
        let own = shelf.units.iter().zip(&facts.id.values).filter(|(unit, _)| names.contains(unit.name.as_str()));
        own.filter_map(|(_, id)| Some(id.as_ref()?.to_lowercase())).collect()
    };
    let ids: Vec<[BTreeSet<String>; 2]> =
        read.iter().map(|one| [Role::Server, Role::Client].map(|role| of_role(one, role))).collect();
    let rank = |(shelf, facts, _): &(Shelf, Facts, Vec<ForeignDocument>)| {
        (facts.id.path.is_some(), shelf.holds.archives(), shelf.holds.folders())
    };
    let ranks: Vec<_> = read.iter().map(rank).collect();
    let is_second = |at: usize| {
        (0..ids.len()).any(|other| {
            let mut sides = ids[at].iter().zip(&ids[other]);
            let repeats = |(own, of): (&BTreeSet<String>, &BTreeSet<String>)| {
                own.len() >= 2 && own.intersection(of).count() * 10 >= own.len() * 8
            };
            ranks[other] > ranks[at] && sides.any(repeats)
        })
    };
    let stays = (0..ids.len()).map(|at| !is_second(at)).collect();
    shelves::keep_those(read, stays);
}

/// What the files of mods tell that no document does: what they are laid into, which belong to whoever plays, and what lies beside.
fn look_at_files(learned: &mut Learned, sights: &[&dyn InstallView], inside: &HashSet<String>) {
    let outside = unread::Outside::of(sights, inside);
    for (shelf, ..) in &mut learned.shelves {
        let found = beside::of_shelf(shelf, sights);
        let is_signature = |found: &FoundBeside| learned.signed.contains_key(&shelf.name) && found.may_sign();
        let (parts, others): (Vec<FoundBeside>, Vec<FoundBeside>) =
            found.into_iter().filter(|found| !is_signature(found)).partition(|found| found.is_part);
        shelf.beside = parts;
        learned.unread.extend(unread::beside(shelf, &others));
    }
    for (shelf, facts, _) in &learned.shelves {
        if let Some(found) = overlays::laid_into(sights, shelf, inside) {
            learned.laid.insert(shelf.name.clone(), found);
        }
        if let Some(found) = tastes::settings(sights, shelf) {
            learned.tastes.insert(shelf.name.clone(), found);
        }
        learned.unread.extend(unread::files_named(shelf, &outside));
        learned.unread.extend(unread::packed(shelf, sights));
        learned.unread.extend(unread::of_the_game(shelf, facts, &learned.game));
    }
}

/// Text files that name most mods, and of which the draft makes no use.
fn no_lists(
    learned: &Learned,
    texts: &[(&dyn InstallView, Vec<&Seen>)],
    called: &[Called],
    partial: &BTreeSet<String>,
) -> Vec<NoList> {
    let outside = learned.shelves.iter().filter_map(|(shelf, ..)| Some(shelf.outside.as_ref()?.file.to_string()));
    let lists = learned.lists.iter().map(|(list, _)| list.file.to_string());
    let any_world = |file: &str| around::in_any_world(file, &learned.worlds);
    let used: HashSet<String> = outside.chain(lists).map(|file| any_world(&file)).collect();
    // What lies in a folder among mods belongs to that folder, whatever it is.
    let units = learned.shelves.iter().flat_map(|(shelf, ..)| &shelf.units).filter(|unit| unit.is_folder);
    let places: HashSet<String> = units.map(|unit| sight::parent(unit.path.as_str()).to_owned()).collect();
    let is_among = |file: &str| sight::is_inside(sight::parent(sight::parent(file)), &places);
    let is_used = |file: &str| leftovers::is_copy(file) || used.contains(&any_world(file)) || is_among(file);
    let mut found: Vec<NoList> = Vec::new();
    for next in texts.iter().flat_map(|(sight, texts)| unread::no_lists(*sight, texts, called, is_used, partial)) {
        match found.iter_mut().find(|known| known.file == next.file) {
            Some(known) => known.roles.extend(next.roles),
            None => found.push(next),
        }
    }
    found
}

/// Most of its units hold a document at the same place, or they are archives.
fn holds_documents(group: &&units::Group) -> bool {
    let mut counts: BTreeMap<&str, usize> = BTreeMap::new();
    for pattern in group.units.iter().flat_map(|unit| unit.documents.keys()) {
        *counts.entry(pattern).or_default() += 1;
    }
    let most = counts.values().max().copied().unwrap_or(0);
    group.holds == Holds::Archives || (most >= 2 && most * 2 >= group.units.len())
}

/// Every unit's own path: what lies in or at one of them is inside a mod.
fn unit_paths<'u>(units: impl Iterator<Item = &'u Unit>) -> HashSet<String> {
    units.map(|unit| unit.path.to_string()).collect()
}

/// Files that tell nothing are mods when a list names most of them.
fn is_listed(facts: &Facts, lists: &[FoundList]) -> bool {
    let ids: Vec<&String> = facts.id.values.iter().flatten().collect();
    lists.iter().any(|list| ids.iter().filter(|id| list.named.contains(id)).count() * 2 >= ids.len())
}

fn known_ids(read: &[(Shelf, Facts, Vec<ForeignDocument>)]) -> HashSet<String> {
    let own = read.iter().flat_map(|(_, facts, _)| facts.id.values.iter().flatten());
    let provided = read.iter().filter_map(|(_, facts, _)| facts.provides.as_ref()).flat_map(|(_, ids)| ids);
    let nested = read.iter().filter_map(|(_, facts, _)| facts.nested.as_ref()).flat_map(|(_, ids)| ids);
    own.chain(provided).chain(nested).map(|id| id.to_lowercase()).collect()
}

/// The mods as lists may call them.
fn called(sights: &[&dyn InstallView], read: &[(Shelf, Facts, Vec<ForeignDocument>)]) -> Vec<Called> {
    let mut all = Vec::new();
    for (shelf, facts, _) in read {
        for (at, unit) in shelf.units.iter().enumerate() {
            let Some(id) = facts.id.values.get(at).cloned().flatten() else { continue };
            let version = facts.version.as_ref().and_then(|version| version.values.get(at).cloned().flatten());
            // Only what tells nothing else is asked for by its digest.
            let small =
                !unit.is_folder && shelf.documents.is_empty() && unit.size <= crate::base::limits::LEARNED_TEXT_BYTES;
            let sight = sights.iter().find(|sight| sight.role() == unit.role);
            let bytes = sight.filter(|_| small).and_then(|sight| sight::small(*sight, &unit.path));
            let kinds = [DigestKind::Sha256, DigestKind::Sha1, DigestKind::Md5, DigestKind::Blake3];
            let digests = bytes.iter().flat_map(|bytes| kinds.map(|kind| (kind, kind.of_bytes(bytes)))).collect();
            all.push(Called { id, name: unit.name.clone(), version, digests });
        }
    }
    all
}

/// The list that is all a server has of mods whose bytes are on the client alone, or nowhere here.
fn ids_from(
    read: &[(Shelf, Facts, Vec<ForeignDocument>)],
    lists: &[FoundList],
    both_sides: bool,
) -> Option<(String, bool)> {
    if read.is_empty() {
        let alone = lists.iter().find(|list| list.ids_alone)?;
        return Some((alone.file.to_string(), true));
    }
    let client_only = |shelf: &Shelf| shelf.places.server.is_empty() && !shelf.places.client.is_empty();
    if !both_sides || !read.iter().all(|(shelf, ..)| client_only(shelf)) {
        return None;
    }
    let on_server = lists.iter().find(|list| list.role == Role::Server)?;
    Some((on_server.file.to_string(), false))
}

/// The game and its loader: what many mods ask for and no mod is.
fn platforms(
    learned: &mut Learned,
    sights: &[&dyn InstallView],
    inside: &HashSet<String>,
    ids: &HashSet<String>,
    lists: &[FoundList],
) {
    let mut named: Vec<NamedVersion> = sights.iter().flat_map(|sight| around::named_versions(*sight, inside)).collect();
    // What is called as a mod is a copy of that, and no loader.
    named.retain(|named| !ids.contains(&named.name.to_lowercase()));
    let mut askers: BTreeMap<String, usize> = BTreeMap::new();
    let mut with_relations = 0;
    for (_, facts, _) in &learned.shelves {
        let count = facts.id.values.len();
        for at in 0..count {
            let own: BTreeSet<&String> =
                facts.relations.iter().flat_map(|r| r.entries.get(at).into_iter().flatten()).map(|e| &e.id).collect();
            with_relations += usize::from(!own.is_empty());
            for id in own.into_iter().filter(|id| !ids.contains(&id.to_lowercase())) {
                *askers.entry(id.clone()).or_default() += 1;
            }
        }
    }
    let called = called_so(learned);
    askers.retain(|id, _| !called.contains(&id.to_lowercase()));
    let in_lists: HashSet<String> =
        lists.iter().flat_map(|list| &list.strangers).map(|stranger| stranger.to_lowercase()).collect();
    let mut loader_ids = Vec::new();
    for (id, count) in askers {
        let wanted = count * 2 >= with_relations && count >= 2;
        let listed = in_lists.contains(&id.to_lowercase());
        if named.iter().any(|named| named.name.eq_ignore_ascii_case(&id)) {
            loader_ids.push(id);
        } else if wanted || listed {
            learned.base_ids.push(id);
        }
    }
    learned.loader = loader(learned, &named, loader_ids);
    if learned.loader.is_none()
        && let Some(at) = learned.base_ids.iter().position(|id| id.to_lowercase().contains("loader"))
    {
        learned.loader_id = Some(learned.base_ids.remove(at));
    }
    if learned.base_ids.len() > 1 {
        let ids = Series::of(&learned.base_ids);
        learned.questions.push(Question::WhichIsGame(ids));
    }
    unknown_ids(learned, ids);
    let loader_name = learned.loader.as_ref().map(|(named, _)| named.name.to_lowercase()).unwrap_or_default();
    for (shelf, facts, _) in &learned.shelves {
        let chosen = [Some(&facts.id), facts.version.as_ref(), facts.title.as_ref()];
        // What stands in a map of relations is one of them.
        let in_relations: Vec<String> = facts
            .columns
            .iter()
            .map(|column| column.path.clone())
            .filter(|path| facts.relations.iter().any(|relation| relation.covers(path)))
            .collect();
        let taken: Vec<&str> = chosen.into_iter().flatten().filter_map(|choice| choice.path.as_deref()).collect();
        let taken: Vec<&str> = taken.into_iter().chain(in_relations.iter().map(String::as_str)).collect();
        if !loader_name.is_empty() {
            let range = fields::platform_range(&facts.columns, &[loader_name.as_str(), "loader"], &taken);
            learned.loader_range.extend(range.map(|range| (shelf.name.clone(), range)));
        }
        let loader_path = learned.loader_range.get(&shelf.name).and_then(|choice| choice.path.clone());
        let taken: Vec<&str> = taken.into_iter().chain(loader_path.as_deref()).collect();
        let game =
            fields::platform_range(&facts.columns, &["game", "engine", "base", "core", "app", "supported"], &taken);
        learned.game_range.extend(game.map(|range| (shelf.name.clone(), range)));
    }
}

/// What mods are called in any field that differs with each, folded: whatever it is, the game is not meant by it.
fn called_so(learned: &Learned) -> HashSet<String> {
    let in_shelf = |(_, facts, _): &(Shelf, Facts, Vec<ForeignDocument>)| {
        let own = facts.columns.iter().filter(|column| column.is_of_each());
        let own = own.filter(|column| !facts.relations.iter().any(|relation| relation.covers(&column.path)));
        own.flat_map(|column| column.values.iter().flatten()).map(|value| value.to_lowercase()).collect::<Vec<_>>()
    };
    learned.shelves.iter().flat_map(in_shelf).collect()
}

/// What the game and its loader are called among dependencies, folded.
fn platform_ids(learned: &Learned) -> HashSet<String> {
    let of_loader = learned.loader.iter().flat_map(|(_, ids)| ids);
    learned.base_ids.iter().chain(&learned.loader_id).chain(of_loader).map(|id| id.to_lowercase()).collect()
}

/// What mods require and nothing here is: the game under another name, or mods that are missing.
fn unknown_ids(learned: &mut Learned, ids: &HashSet<String>) {
    let known = platform_ids(learned);
    let required = learned.shelves.iter().flat_map(|(_, facts, _)| &facts.relations);
    let required = required.filter(|relation| matches!(relation.key, "required" | "relations"));
    let is_required = |entry: &&Entry| entry.kind.is_none_or(|kind| kind == crate::rulebook::RelationKind::Required);
    let entries = required.flat_map(|relation| relation.entries.iter().flatten()).filter(is_required);
    let unknown: BTreeSet<&String> = entries
        .map(|e| &e.id)
        .filter(|id| !ids.contains(&id.to_lowercase()) && !known.contains(&id.to_lowercase()))
        .collect();
    if !unknown.is_empty() {
        let shown = Series::of(unknown.iter().take(6).map(|id| id.as_str()));
        learned.questions.push(Question::UnknownRequired(shown));
    }
}

/// A healthy install has what its mods require: a list of which a part is not there is what they can use, and one of which most is
/// not there is about something else.
fn require_what_is_there(learned: &mut Learned, ids: &HashSet<String>) {
    let mut known = platform_ids(learned);
    known.extend(ids.iter().cloned());
    let mut demoted = Vec::new();
    for (shelf, facts, _) in &mut learned.shelves {
        facts.relations.retain_mut(|relation| {
            if !matches!(relation.key, "required" | "relations") {
                return true;
            }
            let is_required =
                |entry: &&Entry| entry.kind.is_none_or(|kind| kind == crate::rulebook::RelationKind::Required);
            let entries: Vec<&Entry> = relation.entries.iter().flatten().filter(is_required).collect();
            let lacking = entries.iter().filter(|entry| !known.contains(&entry.id.to_lowercase())).count();
            if lacking * 2 > entries.len() {
                return false;
            }
            if lacking > 0 && relation.key == "required" {
                let example = entries.iter().find(|entry| !known.contains(&entry.id.to_lowercase()));
                demoted.push(Unread {
                    shelf: shelf.name.clone().into(),
                    what: WhatUnread::NotRequired,
                    place: relation.places().collect(),
                    mods: lacking,
                    example: example.map(|entry| entry.id.clone()).unwrap_or_default(),
                });
                relation.key = "optional";
                relation.confidence = 0.5;
                relation.clues.push(Clue::NotThere(lacking));
            }
            true
        });
    }
    learned.unread.extend(demoted);
}

/// A file whose name tells a version is the loader's if mods ask for it by that name, or have a key called so.
fn loader(learned: &Learned, named: &[NamedVersion], ids: Vec<String>) -> Option<(NamedVersion, Vec<String>)> {
    if let Some(first) = ids.first() {
        let found = named.iter().find(|named| named.name.eq_ignore_ascii_case(first))?;
        return Some((found.clone(), ids));
    }
    let keys: HashSet<String> = learned
        .shelves
        .iter()
        .flat_map(|(_, facts, _)| &facts.columns)
        .map(|column| column.key.to_lowercase())
        .collect();
    let found = named.iter().find(|named| keys.contains(&named.name.to_lowercase()))?;
    Some((found.clone(), Vec::new()))
}

/// The scheme of versions, the grammar of requirements, and what one without a sign means.
fn versions(learned: &mut Learned, answers: &Answers) {
    let all: Vec<String> = learned
        .shelves
        .iter()
        .filter_map(|(_, facts, _)| facts.version.as_ref())
        .flat_map(|version| version.values.iter().flatten().cloned())
        .collect();
    let count = |test: fn(&str) -> bool| all.iter().filter(|version| test(version)).count();
    let (dates, strict) = (count(words::is_date), count(words::is_semver));
    let tagged = all.iter().filter(|version| version.contains(['-', '+']) && words::is_semver(version)).count();
    learned.scheme = if all.is_empty() {
        Inferred::new("dotted", 0.3, [Clue::NoVersions])
    } else if dates == all.len() {
        Inferred::new("date", 0.85, [Clue::Dates(dates)])
    } else if all.iter().filter(|version| words::is_version(version)).count() * 10 < all.len() * 6 {
        Inferred::new("opaque", 0.6, [Clue::NoNumbers])
    } else if strict == all.len() && tagged > 0 {
        Inferred::new("semver", 0.8, [Clue::Tagged(tagged, all.len())])
    } else {
        Inferred::new("dotted", 0.85, [Clue::Untagged(all.len() - strict, all.len())])
    };
    let ranges: Vec<String> = all_ranges(learned);
    let looks = needs::range_looks(ranges.iter().map(String::as_str));
    let (intervals, comparators) =
        (looks.get("intervals").copied().unwrap_or(0), looks.get("comparators").copied().unwrap_or(0));
    let bare = looks.get("bare").copied().unwrap_or(0);
    let seen = Clue::Ranges { intervals, comparators, bare };
    learned.ranges = if intervals > 0 && comparators == 0 {
        Inferred::new("intervals", 0.85, [seen])
    } else {
        Inferred::new("comparators", if intervals + comparators + bare > 0 { 0.85 } else { 0.66 }, [seen])
    };
    if let Some(word) = &answers.bare {
        let known = ["exact", "at-least", "compatible"].into_iter().find(|known| known == word);
        learned.bare = known.map(|word| Inferred::new(word, 1.0, [Clue::Said]));
    } else if bare > 0 {
        learned.bare = Some(bare_meaning(learned));
    }
}

fn all_ranges(learned: &Learned) -> Vec<String> {
    let relations = learned.shelves.iter().flat_map(|(_, facts, _)| &facts.relations);
    let of_relations = relations.flat_map(|r| r.entries.iter().flatten()).filter_map(|entry| entry.range.clone());
    let platforms = learned.game_range.values().chain(learned.loader_range.values());
    of_relations.chain(platforms.flat_map(|choice| choice.values.iter().flatten().cloned())).collect()
}

/// Whether plain versions are met exactly or by newer ones, as far as what is installed tells.
fn bare_meaning(learned: &mut Learned) -> Inferred<&'static str> {
    let scheme = match learned.scheme.value {
        "semver" => crate::base::version::Scheme::SemVer,
        "date" => crate::base::version::Scheme::Date,
        "opaque" => crate::base::version::Scheme::Opaque,
        _ => crate::base::version::Scheme::Dotted,
    };
    let installed: BTreeMap<String, String> = learned
        .shelves
        .iter()
        .flat_map(|(_, facts, _)| {
            let versions = facts.version.iter().flat_map(|version| &version.values);
            facts.id.values.iter().zip(versions).filter_map(|(id, v)| Some((id.as_ref()?.to_lowercase(), v.clone()?)))
        })
        .collect();
    let entries =
        learned.shelves.iter().flat_map(|(_, facts, _)| &facts.relations).flat_map(|r| r.entries.iter().flatten());
    let bare = |entry: &&Entry| entry.range.as_deref().and_then(words::range_look) == Some(words::RangeLook::Bare);
    let (mut newer, mut same, mut older) = (0, 0, 0);
    for entry in entries.filter(bare) {
        let Some(version) = installed.get(&entry.id.to_lowercase()) else { continue };
        match scheme.compare(version, entry.range.as_deref().unwrap_or_default()) {
            Some(std::cmp::Ordering::Greater) => newer += 1,
            Some(std::cmp::Ordering::Equal) => same += 1,
            Some(std::cmp::Ordering::Less) => older += 1,
            None => {}
        }
    }
    let clue = Clue::PlainVersions { same, newer, older };
    if newer > 0 {
        return Inferred::new("at-least", 0.8, [clue]);
    }
    learned.asks.push(Ask::Bare);
    learned.questions.push(Question::Bare);
    Inferred::new("at-least", 0.5, [clue])
}

fn signatures(learned: &mut Learned, sights: &[&dyn InstallView], inside: &HashSet<String>) {
    let all: Vec<Unit> = learned.shelves.iter().flat_map(|(shelf, ..)| shelf.seen.clone()).collect();
    for sight in sights {
        if learned.ring.is_none() {
            learned.ring = keys::ring(*sight, &all, inside).map(|ring| (ring, sight.role()));
        }
    }
    let names = learned.ring.as_ref().map(|(ring, _)| ring.names.clone()).unwrap_or_default();
    for (shelf, ..) in &learned.shelves {
        for sight in sights {
            let own: Vec<Unit> = shelf.seen.iter().filter(|unit| unit.role == sight.role()).cloned().collect();
            let beside = keys::beside(*sight, &own);
            if let Some(found) = keys::signed(&own, &beside, &names) {
                learned.signed.insert(shelf.name.clone(), found);
                break;
            }
        }
    }
}

/// Mods that a list asks for by a digest have that digest as their version.
fn by_listed_digest(learned: &mut Learned) {
    let Some(kind) = learned.lists.iter().find_map(|(list, _)| list.digest) else { return };
    let word = crate::base::digest::DIGEST_WORDS.iter().find(|(_, own)| *own == kind).map_or("", |(word, _)| *word);
    for (_, facts, _) in &mut learned.shelves {
        if let Some(version) = &mut facts.version
            && let Some(digest) = version.lines.iter_mut().find(|line| matches!(line, FactLine::Digest(None)))
        {
            *digest = FactLine::Digest(Some(word));
            version.confidence = 0.85;
            version.clues = vec![Clue::AskedByDigest(word)];
        }
    }
}

/// Lists that say the same on both sides are one; what no shelf's mod is in is the game's, or a question.
fn keep_lists(learned: &mut Learned, lists: &mut Vec<FoundList>) {
    let both: Vec<bool> = lists
        .iter()
        .map(|list| lists.iter().any(|other| other.role != list.role && mentions::same_list(other, list)))
        .collect();
    let mut kept: Vec<(FoundList, bool)> = Vec::new();
    for (list, both) in lists.drain(..).zip(both) {
        if !kept.iter().any(|(known, _)| mentions::same_list(known, &list)) {
            kept.push((list, both));
        }
    }
    // A list in each world is one rule.
    let mut places: HashSet<(String, ListLines)> = HashSet::new();
    let worlds = &learned.worlds;
    kept.retain(|(list, _)| places.insert((around::in_any_world(list.file.as_str(), worlds), list.lines.clone())));
    learned.lists = kept;
}

/// Of two options of one line, the one whose mods are all on the server alone gives the server's own, and the other what both
/// sides need.
fn sides_of_lists(learned: &mut Learned) {
    let mut of_server: HashSet<String> = HashSet::new();
    for (shelf, facts, _) in &learned.shelves {
        let seen = shelves::seen_on(shelf).into_iter().zip(&facts.id.values);
        of_server.extend(seen.filter(|(seen, _)| seen.server && !seen.client).filter_map(|(_, id)| id.clone()));
    }
    if !learned.has_client || of_server.is_empty() {
        return;
    }
    let side_of = |list: &FoundList| {
        let own = list.named.iter().filter(|id| of_server.contains(*id)).count();
        match own {
            0 => Some("both"),
            all if all == list.named.len() => Some("server"),
            _ => None,
        }
    };
    let sides: Vec<Option<&'static str>> = learned.lists.iter().map(|(list, _)| side_of(list)).collect();
    let files: Vec<String> = learned.lists.iter().map(|(list, _)| list.file.to_string()).collect();
    for at in 0..learned.lists.len() {
        let other = (0..files.len()).any(|other| files[other] == files[at] && sides[other] != sides[at]);
        let (list, _) = &mut learned.lists[at];
        if let Some(side) = sides[at].filter(|_| other && list.lines.option.is_some() && list.role == Role::Server) {
            list.lines.needed_on = Some(side);
            list.clues.push(Clue::OtherOption);
        }
    }
}

#[cfg(test)]
#[path = "../tests/memory.rs"]
mod memory;

#[cfg(test)]
#[path = "../tests/learn.rs"]
mod tests;
