//! From groups to shelves: which groups hold mods, which are one shelf on both sides, and what is read from a mod.

use std::collections::{BTreeMap, BTreeSet, HashSet};
use std::io::Cursor;

use toml_edit::Value;

use super::clue::Clue;
use super::fields::{self, Choice, Column, NameRule, SeenOn, Surroundings, columns, listed_name_rule, name_rule};
use super::heads;
use super::leftovers::is_out_of_use;
use super::lines::FactLine;
use super::named_after::{FoundBeside, Leaders, are_called_after};
use super::needs::{self, Relations};
use super::outside::{self, OUTSIDE, Outside};
use super::sight::{InstallView, Seen, extension, guess, name, parent, stem};
use super::units::{Group, Unit, complete, is_everyday, is_program_part, located, share};
use super::words::{folded, hints, is_slug, is_version, plain_regex};
use crate::base::limits;
use crate::manifest::{Archive, Contents, ITSELF};
use crate::rulebook::{ByRole, Holds, Role};
use crate::text::page;

/// Everyday words for folders of mods.
const MOD_WORDS: [&str; 6] = ["mod", "plugin", "addon", "pack", "content", "overlay"];

/// A group that was found to hold mods.
#[derive(Debug, Clone)]
pub struct Candidate {
    /// The group, with only the units that are mods.
    pub group: Group,
    /// The documents by which its mods are read, the most common first; none for opaque ones.
    pub documents: Vec<String>,
    /// Folded ids of its mods.
    pub ids: BTreeSet<String>,
    /// Names in the folder that are no mods.
    pub others: Vec<String>,
    score: f64,
}

/// A shelf as a draft has it.
#[derive(Debug, Clone)]
pub struct Shelf {
    /// What the draft calls it.
    pub name: String,
    /// What it holds.
    pub holds: Holds,
    /// Where it was seen.
    pub places: ByRole<Vec<String>>,
    /// Extensions of its files.
    pub extensions: BTreeSet<String>,
    /// How disabled mods are named.
    pub off: BTreeSet<String>,
    /// Names in its folders that are no mods.
    pub others: BTreeSet<String>,
    /// The documents by which its mods are read.
    pub documents: Vec<String>,
    /// Every mod that was seen, copies and all.
    pub seen: Vec<Unit>,
    /// One unit for each mod.
    pub units: Vec<Unit>,
    /// The document outside of the mods that tells of them.
    pub outside: Option<Outside>,
    /// Files beside its mods that are parts of them.
    pub beside: Vec<FoundBeside>,
}

impl Shelf {
    /// Whether a place of it is called as one of mods.
    pub fn is_called_so(&self) -> bool {
        let mut places = self.places.server.iter().chain(&self.places.client);
        places.any(|place| hints(name(place), &MOD_WORDS))
    }

    /// Whether nothing but a line in their texts says that these are mods, unless a list names them.
    pub fn is_told_by_texts_alone(&self) -> bool {
        let by_texts = || match self.holds {
            Holds::Files => !tell_versions_by_name(&self.units) && are_telling_texts(&self.units),
            _ => true,
        };
        self.documents.is_empty() && !self.is_called_so() && by_texts()
    }

    /// Whether these are parts of a program but for their names, unless a list names them.
    pub fn is_told_by_names_alone(&self) -> bool {
        self.documents.is_empty() && self.extensions.iter().any(|end| is_program_part(end))
    }

    /// Whether its documents, the names of its files or its own name tell that it holds mods.
    pub fn speaks_for_itself(&self) -> bool {
        if self.is_told_by_names_alone() {
            return tell_versions_by_name(&self.units);
        }
        if self.documents.is_empty() && self.holds.folders() {
            let mut places = self.places.server.iter().chain(&self.places.client);
            let is_of_a_program = places.any(|place| parts_of_a_program(place).next().is_some());
            return !is_of_a_program && heads::tell_versions(&self.units);
        }
        let by_name = || name_rule(&self.units).is_some_and(|names| names.with_version);
        let hinted = self.is_called_so();
        let by_heads = || match self.holds.archives() {
            true => heads::tell_versions(&self.units),
            false => are_telling_texts(&self.units),
        };
        !self.documents.is_empty() || hinted || by_name() || by_heads()
    }
}

/// What is read from the mods of a shelf.
#[derive(Debug, Clone, Default)]
pub struct Facts {
    /// The id.
    pub id: Choice,
    /// The version.
    pub version: Option<Choice>,
    /// The title.
    pub title: Option<Choice>,
    /// The side, and words for it that could not be told.
    pub side: Option<(Choice, Vec<String>)>,
    /// Relations.
    pub relations: Vec<Relations>,
    /// The place of further ids, and those.
    pub provides: Option<(String, Vec<String>)>,
    /// The pattern of archives inside archives, and the ids that those state.
    pub nested: Option<(String, Vec<String>)>,
    /// All columns, for what is told later.
    pub columns: Vec<Column>,
}

/// Which groups hold mods. `listed` are the words of text files outside them.
pub fn candidates(sights: &[&dyn InstallView], groups: Vec<Group>, listed: &HashSet<String>) -> Vec<Candidate> {
    let mentioned = needs::mentions(groups.iter().flat_map(|group| &group.units));
    let around = Surroundings { mentioned: &mentioned, listed };
    let mut found: Vec<Candidate> = groups.into_iter().filter_map(|group| candidate(group, &around)).collect();
    found.sort_by(|a, b| b.score.total_cmp(&a.score).then_with(|| a.group.place.cmp(&b.group.place)));
    // What lies inside a mod of a better shelf belongs to that mod.
    let mut kept: Vec<Candidate> = Vec::new();
    for next in found {
        let role = next.group.role;
        let inside = kept.iter().filter(|other| other.group.role == role).flat_map(|other| &other.group.units);
        let lies_in = |inner: &Unit, outer: &Unit| {
            outer.is_folder && inner.path != outer.path && is_below(inner.path.as_str(), outer.path.as_str())
        };
        let is_inside = inside.clone().any(|outer| next.group.units.iter().any(|unit| lies_in(unit, outer)));
        let holds_one = inside.clone().any(|inner| next.group.units.iter().any(|unit| lies_in(inner, unit)));
        if !is_inside && !holds_one {
            kept.push(next);
        }
    }
    drop_parts(&mut kept);
    drop_kept_aside(&mut kept);
    drop_twins(&mut kept);
    drop_beside(&mut kept);
    for candidate in &mut kept {
        if let Some(sight) = sights.iter().find(|sight| sight.role() == candidate.group.role) {
            complete(*sight, &mut candidate.group, &candidate.documents);
        }
    }
    kept
}

/// Files that tell nothing, below a shelf of folders, are parts of folders that no document tells of.
fn drop_parts(kept: &mut Vec<Candidate>) {
    let shelves: Vec<(Role, String)> = kept
        .iter()
        .filter(|candidate| candidate.group.holds == Holds::Folders && !candidate.documents.is_empty())
        .map(|candidate| (candidate.group.role, candidate.group.place.clone()))
        .collect();
    kept.retain(|candidate| {
        let place = &candidate.group.place;
        let below = |(role, shelf): &(Role, String)| {
            *role == candidate.group.role && place != shelf && !shelf.is_empty() && is_below(place, shelf)
        };
        !(candidate.documents.is_empty() && shelves.iter().any(below))
    });
}

/// A folder called as one for what is out of use is no place of a shelf whose mods lie elsewhere.
fn drop_kept_aside(kept: &mut Vec<Candidate>) {
    let is_aside = |candidate: &Candidate| is_out_of_use(&candidate.group.place);
    let kind = |candidate: &Candidate| (candidate.documents.first().cloned(), candidate.group.extension.clone());
    let in_use: Vec<_> = kept.iter().filter(|candidate| !is_aside(candidate)).map(kind).collect();
    kept.retain(|candidate| !is_aside(candidate) || !in_use.contains(&kind(candidate)));
}

/// Files, and folders that are called after them beside them, are one shelf. Folders of settings and texts belong to the files; else
/// what is larger is the mods, and the other belongs to it.
fn drop_twins(kept: &mut Vec<Candidate>) {
    let is_folders = |candidate: &Candidate| candidate.group.holds == Holds::Folders;
    let is_alike = |files: &Candidate, folders: &Candidate| {
        let is_here = files.group.role == folders.group.role && files.group.place == folders.group.place;
        if !is_here || !is_folders(folders) || is_folders(files) {
            return false;
        }
        let (stems, names): (HashSet<&str>, Vec<&str>) = (names(files).into_iter().map(stem).collect(), names(folders));
        let called = names.iter().filter(|name| stems.contains(*name)).count();
        called >= 2 && called * 10 >= stems.len().min(names.len()) * 6
    };
    let size = |candidate: &Candidate| -> u64 { candidate.group.units.iter().map(|unit| unit.size).sum() };
    let belongs_to_files = |files: &Candidate, folders: &Candidate| {
        let mut inner = folders.group.units.iter().flat_map(|unit| &unit.inner);
        let are_texts = files.group.units.iter().all(Unit::is_text);
        !are_texts && (inner.all(|(path, _)| is_everyday(&extension(name(path)))) || size(files) > size(folders))
    };
    let is_twin = |at: &Candidate| {
        kept.iter().any(|other| match is_folders(at) {
            true => is_alike(other, at) && belongs_to_files(other, at),
            false => is_alike(at, other) && !belongs_to_files(at, other),
        })
    };
    let stays = kept.iter().map(|candidate| !is_twin(candidate)).collect();
    keep_those(kept, stays);
}

/// Keeps those of several of which it was found out that they stay.
pub fn keep_those<T>(all: &mut Vec<T>, stays: Vec<bool>) {
    let mut stays = stays.into_iter();
    all.retain(|_| stays.next().unwrap_or(true));
}

/// Of files that lie beside others and are called after them one kind is the mods, and the others belong to those: what has
/// documents beside it, then archives, then what is no document and no text itself, then what is larger.
fn drop_beside(kept: &mut Vec<Candidate>) {
    let is_folders = |at: usize| kept[at].group.holds == Holds::Folders;
    let ranks: Vec<_> = kept.iter().map(rank).collect();
    let names: Vec<Vec<&str>> = kept.iter().map(names).collect();
    let here = |at: usize| (kept[at].group.role, kept[at].group.place.as_str());
    let leads = |leader: usize, other: usize| {
        // Folders lead only what tells of them: files beside a folder may be much else.
        let may_lead =
            here(leader) == here(other) && ranks[leader] > ranks[other] && (!is_folders(leader) || ranks[leader].0);
        let called = names[leader].iter().copied();
        let leaders = || if is_folders(leader) { Leaders::folders(called) } else { Leaders::files(called) };
        may_lead && are_called_after(&leaders(), &names[other])
    };
    let stays = |at: usize| is_folders(at) || !(0..kept.len()).any(|leader| leads(leader, at));
    let stays = (0..kept.len()).map(stays).collect();
    keep_those(kept, stays);
}

fn names(candidate: &Candidate) -> Vec<&str> {
    candidate.group.units.iter().chain(&candidate.group.rest).map(|unit| unit.name.as_str()).collect()
}

/// What speaks for files being mods, and no parts of those that they lie beside; the most telling first.
fn rank(candidate: &Candidate) -> (bool, bool, bool, bool, bool, u64, String) {
    let Candidate { group, documents, .. } = candidate;
    let mut telling = group.beside.iter().map(|(called, _)| called).filter(|called| documents.contains(called));
    let by_whole_name = telling.clone().any(|called| called.contains("{name}"));
    let is_document = is_everyday(&group.extension) || documents.iter().any(|own| own == ITSELF);
    let texts = group.units.iter().filter(|unit| unit.is_text()).count();
    let size: u64 = group.units.iter().map(|unit| unit.size).sum();
    let is_archive = group.holds == Holds::Archives;
    let is_plain = texts * 2 > group.units.len();
    (telling.next().is_some(), by_whole_name, is_archive, !is_document, !is_plain, size, group.extension.clone())
}

fn is_below(path: &str, folder: &str) -> bool {
    path == folder || path.strip_prefix(folder).is_some_and(|rest| rest.starts_with('/'))
}

fn candidate(group: Group, around: &Surroundings<'_>) -> Option<Candidate> {
    if group.holds == Holds::Files && group.units.iter().all(|unit| unit.documents.is_empty()) {
        return opaque(group, around);
    }
    let patterns: BTreeSet<String> = group.units.iter().flat_map(|unit| unit.documents.keys().cloned()).collect();
    let judged = patterns.into_iter().filter_map(|pattern| {
        let own: Vec<Unit> = group.units.iter().filter(|u| u.documents.contains_key(&pattern)).cloned().collect();
        let (columns, names) = (columns(&own, &pattern), listed_name_rule(&own, around));
        let (choice, score) = fields::id(&own, &columns, names.as_ref(), around)?;
        let versions = fields::version(&own, &columns, names.as_ref());
        let version = versions.is_some();
        let telling = version && is_telling(&own, &choice, versions.as_ref()) && share(&group, &pattern) >= 0.7;
        // More mods of a kind are a better sign than a few; a folder alone is seldom a mod.
        let alone = if own.len() == 1 && group.holds == Holds::Folders { 5.0 } else { 0.0 };
        let many = own.len().min(8) as f64 * 0.25;
        let open = if pattern.contains('*') { 0.3 } else { 0.0 };
        let deep = pattern.matches('/').count() as f64 * 0.1;
        let told = f64::from(u8::from(version)) * 1.5;
        // Of two cards of one mod, that which says more.
        let more = columns.len().min(20) as f64 * 0.02;
        let total = more + score + many + share(&group, &pattern) * 2.0 + told - alone - open - deep;
        Some((total, score, (version, telling), pattern, choice))
    });
    let best = judged.max_by(|a, b| a.0.total_cmp(&b.0).then_with(|| b.3.cmp(&a.3)));
    let Some((total, score, (version, telling), pattern, id)) = best else { return opaque(group, around) };
    let ids: Vec<&String> = id.values.iter().flatten().collect();
    // What one folder says of itself is an id where it is called so, or the key says it.
    let own = group.units.iter().filter(|unit| unit.documents.contains_key(&pattern)).count();
    if own == 1 && group.holds == Holds::Folders && !is_own_id(&group.units, &id) {
        return opaque(group, around);
    }
    let ids_listed = ids.iter().filter(|id| around.listed.contains(&id.to_lowercase())).count() * 2 >= ids.len();
    let relations = has_relations(&group.units, &pattern);
    // One folder alone is more likely a part of a mod than a shelf, whatever the folders above are called.
    let hinting = if own == 1 { name(&group.place) } else { group.place.as_str() };
    let hinted = hints(hinting, &MOD_WORDS);
    let told = usize::from(version)
        + usize::from(relations)
        + usize::from(hinted)
        + usize::from(telling) * if group.holds == Holds::Folders { 2 } else { 1 }
        + usize::from(ids_listed || listed_share(&group, around) >= 0.5);
    // One folder with an id and a version may be anything; several alike, or with more signs, are mods.
    if is_world_folder(&group.place) {
        return None;
    }
    let needed = match group.holds {
        Holds::Folders if own == 1 => 3,
        Holds::Files if own == 1 => 4,
        // Much else is kept in such files.
        Holds::Files if is_everyday(&group.extension) => 3,
        Holds::Archives if own == 1 => 2,
        Holds::Archives => 1,
        _ => 2,
    };
    let is_common = own >= 3 && share(&group, &pattern) >= 0.9;
    // Archives that each state a version at one place are mods, whatever they are called by.
    let is_sure = score >= 3.0
        || group.holds == Holds::Archives && version && is_common
        || group.holds == Holds::Folders && telling && parts_of_a_program(&group.place).next().is_none();
    // So are folders with a document of one name, in a folder for mods.
    let by_place = group.holds == Holds::Folders && hinted && is_common && id.path.is_none() && !pattern.contains('*');
    if !by_place && (!is_sure || told < needed) || (group.holds == Holds::Files && !version) {
        return opaque(group, around);
    }
    let documents = with_second(&group, &pattern, around);
    let (mods, others): (Vec<Unit>, Vec<Unit>) =
        group.units.iter().cloned().partition(|unit| {
            group.holds == Holds::Archives || documents.iter().any(|d| unit.documents.contains_key(d))
        });
    let others = others.iter().map(|unit| unit.name.clone()).collect();
    let group = Group { units: mods, ..group };
    let ids = ids_of(&group, &documents, around);
    Some(Candidate { group, documents, ids, others, score: total })
}

/// Whether an id stands in the name of its folder, or below a key for ids.
fn is_own_id(units: &[Unit], id: &Choice) -> bool {
    let is_called = |(unit, id): (&Unit, &Option<String>)| {
        id.as_ref()
            .is_some_and(|id| folded(unit.stem()).contains(&folded(id)) || folded(id).contains(&folded(unit.stem())))
    };
    let key = id.path.as_deref().unwrap_or_default().rsplit('.').next().unwrap_or_default();
    hints(key, &["id", "uid", "guid", "slug", "key", "name"]) || units.iter().zip(&id.values).any(is_called)
}

/// Whether three and more units are called as their ids, and of several versions: parts of a game are seldom so.
fn is_telling(units: &[Unit], ids: &Choice, versions: Option<&Choice>) -> bool {
    let is_called = |(unit, id): &(&Unit, &Option<String>)| {
        id.as_ref().is_some_and(|id| unit.stem().to_lowercase().contains(&id.to_lowercase()))
    };
    let called = units.iter().zip(&ids.values).filter(is_called).count();
    let versions: BTreeSet<&String> = versions.into_iter().flat_map(|choice| choice.values.iter().flatten()).collect();
    units.len() >= 3 && called * 5 >= units.len() * 4 && versions.len() > 1
}

/// Folders of worlds hold worlds; mods inside one lie deeper.
fn is_world_folder(place: &str) -> bool {
    matches!(name(place).to_lowercase().as_str(), "worlds" | "world" | "saves" | "save" | "universes" | "universe")
}

fn has_relations(units: &[Unit], pattern: &str) -> bool {
    let own: HashSet<String> = units.iter().map(|unit| unit.stem().to_lowercase()).collect();
    let names: Vec<Option<String>> = units.iter().map(|unit| Some(unit.stem().to_owned())).collect();
    !needs::relations(units, pattern, &own, &names, &[]).is_empty()
}

/// A second document that mods have which lack the first, with the id at the same place.
fn with_second(group: &Group, first: &str, around: &Surroundings<'_>) -> Vec<String> {
    let mut documents = vec![first.to_owned()];
    let lacking: Vec<Unit> = group.units.iter().filter(|u| !u.documents.contains_key(first)).cloned().collect();
    let Some((main, _)) = read_id(&group.units, first, around) else { return documents };
    let patterns: BTreeSet<&String> = lacking.iter().flat_map(|unit| unit.documents.keys()).collect();
    for pattern in patterns {
        let own: Vec<Unit> = lacking.iter().filter(|unit| unit.documents.contains_key(pattern)).cloned().collect();
        let alike =
            read_id(&own, pattern, around).is_some_and(|(choice, _)| choice.path == main.path && main.path.is_some());
        if alike {
            documents.push(pattern.clone());
        }
    }
    documents.truncate(3);
    documents
}

fn read_id(units: &[Unit], pattern: &str, around: &Surroundings<'_>) -> Option<(Choice, f64)> {
    let columns = columns(units, pattern);
    fields::id(units, &columns, listed_name_rule(units, around).as_ref(), around)
}

fn listed_share(group: &Group, around: &Surroundings<'_>) -> f64 {
    let listed = |unit: &&Unit| around.lists_name(unit.stem()) || around.lists_name(&unit.name);
    group.units.iter().filter(listed).count() as f64 / group.units.len().max(1) as f64
}

/// Folders with what belongs to a program.
const OF_A_PROGRAM: [&str; 21] = [
    "lib",
    "libs",
    "library",
    "libraries",
    "engine",
    "bin",
    "runtime",
    "jre",
    "system",
    "data",
    "assets",
    "resources",
    "textures",
    "sounds",
    "save",
    "saves",
    "world",
    "worlds",
    "backup",
    "backups",
    "logs",
];

fn parts_of_a_program(place: &str) -> impl Iterator<Item = &str> {
    place.split('/').filter(|part| OF_A_PROGRAM.contains(&part.to_lowercase().as_str()))
}

/// Whether nearly all of three and more names have a version, and not all the same.
fn tell_versions_by_name(units: &[Unit]) -> bool {
    let names = (units.len() >= 3).then(|| name_rule(units)).flatten().filter(|names| names.with_version);
    let Some(names) = names else { return false };
    let versions: Vec<&String> = names.parts.iter().flatten().filter_map(|(_, version)| version.as_ref()).collect();
    versions.len() * 10 >= units.len() * 9 && versions.iter().collect::<BTreeSet<_>>().len() > 1
}

/// Files that tell only by their names, or by their bytes alone.
fn opaque(group: Group, around: &Surroundings<'_>) -> Option<Candidate> {
    if group.holds == Holds::Folders {
        return folders_by_name(group, around);
    }
    let are_telling = || group.holds == Holds::Files && are_telling_texts(&group.units);
    if is_everyday(&group.extension) && !is_program_part(&group.extension) && !are_telling() {
        return None;
    }
    let names = listed_name_rule(&group.units, around)?;
    let ids: BTreeSet<String> = names.parts.iter().flatten().map(|(id, _)| id.to_lowercase()).collect();
    let id_listed = ids.iter().filter(|id| around.listed.contains(*id)).count() as f64 / ids.len().max(1) as f64;
    let listed = listed_share(&group, around).max(id_listed);
    let place = &group.place;
    let hinted = hints(name(place), &MOD_WORDS);
    let is_zip = group.holds == Holds::Archives;
    let of_game = place.is_empty() || parts_of_a_program(place).any(|part| !(is_zip && part == "data"));
    let by_list = listed >= 0.5 && group.units.len() >= 2;
    let tells = is_zip && group.units.len() >= 3 && heads::tell_versions(&group.units);
    let sure = by_list || tells || (hinted && (names.with_version || group.units.len() >= 2)) || are_telling();
    // A program's own parts are called like mods' now and then; a list that names most of them tells.
    let is_known = || listed >= 0.8 && group.units.len() >= 3 || tell_versions_by_name(&group.units);
    if is_program_part(&group.extension) && !is_known() {
        return None;
    }
    if (of_game && listed < 0.5) || !(sure || (names.with_version && group.units.len() >= 3)) {
        return None;
    }
    // What members tell can only be read in archives.
    let group = Group { holds: if tells { group.holds } else { Holds::Files }, ..group };
    let score = 1.0 + listed * 2.0 + if hinted { 1.0 } else { 0.0 } + if names.with_version { 1.0 } else { 0.0 };
    Some(Candidate { group, documents: Vec::new(), ids, others: Vec::new(), score })
}

/// Whether these are texts, each of which tells its own name and a version.
fn are_telling_texts(units: &[Unit]) -> bool {
    units.len() >= 3 && units.iter().all(Unit::is_text) && heads::tell_themselves(units)
}

/// Folders of which no document tells: mods where a list names most of them.
fn folders_by_name(group: Group, around: &Surroundings<'_>) -> Option<Candidate> {
    let is_listed = |unit: &Unit| around.lists_name(&unit.name);
    let (units, others): (Vec<Unit>, Vec<Unit>) = group.units.iter().cloned().partition(is_listed);
    let enough = units.len() >= 3 && units.len() * 10 >= group.units.len() * 7;
    let tell_of_themselves = || {
        group.units.len() >= 3
            && parts_of_a_program(&group.place).next().is_none()
            && heads::tell_versions(&group.units)
    };
    if is_world_folder(&group.place) || !group.rest.is_empty() {
        return None;
    }
    let (units, others) = match enough {
        true => (units, others),
        false if tell_of_themselves() => (group.units.clone(), Vec::new()),
        false => return None,
    };
    let ids = units.iter().map(|unit| unit.name.to_lowercase()).collect();
    let others = others.into_iter().map(|unit| unit.name).collect();
    let score = 1.0 + units.len() as f64 / group.units.len() as f64;
    Some(Candidate { group: Group { units, ..group }, documents: Vec::new(), ids, others, score })
}

fn ids_of(group: &Group, documents: &[String], around: &Surroundings<'_>) -> BTreeSet<String> {
    let Some((choice, _)) = documents.first().and_then(|first| read_id(&group.units, first, around)) else {
        return BTreeSet::new();
    };
    choice.values.into_iter().flatten().map(|id| id.to_lowercase()).collect()
}

/// Groups that hold the same kind of mods become one shelf: at the same place, or copies of each other.
pub fn pooled(candidates: Vec<Candidate>) -> Vec<Shelf> {
    let mut shelves: Vec<(Shelf, BTreeSet<String>)> = Vec::new();
    for next in candidates {
        let found = shelves.iter_mut().find(|(shelf, ids)| belongs(shelf, ids, &next));
        match found {
            Some((shelf, ids)) => {
                merge(shelf, &next);
                ids.extend(next.ids);
            }
            None => {
                let ids = next.ids.clone();
                shelves.push((fresh(&next), ids));
            }
        }
    }
    let mut shelves: Vec<Shelf> = shelves.into_iter().map(|(shelf, _)| shelf).collect();
    for shelf in &mut shelves {
        shelf.units = one_of_each(&shelf.seen);
    }
    name_apart(&mut shelves);
    shelves
}

fn belongs(shelf: &Shelf, ids: &BTreeSet<String>, next: &Candidate) -> bool {
    let documents = shelf.documents.first() == next.documents.first();
    let same_place = shelf.places.server.contains(&next.group.place) || shelf.places.client.contains(&next.group.place);
    let ends = shelf.extensions.contains(&next.group.extension);
    let shared = ids.intersection(&next.ids).count();
    let copies = shared * 10 >= ids.len().min(next.ids.len()) * 6 && shared > 0;
    let alike = documents && (ends || !shelf.documents.is_empty() || shelf.holds.folders());
    let kinds = shelf.holds == next.group.holds
        || (same_place && !next.documents.is_empty() && shelf.holds.archives() | shelf.holds.folders());
    kinds && alike && (same_place || copies)
}

fn fresh(next: &Candidate) -> Shelf {
    let mut shelf = Shelf {
        name: shelf_name(&next.group.place),
        holds: next.group.holds,
        places: ByRole::default(),
        extensions: BTreeSet::new(),
        off: BTreeSet::new(),
        others: BTreeSet::new(),
        documents: next.documents.clone(),
        seen: Vec::new(),
        units: Vec::new(),
        outside: None,
        beside: Vec::new(),
    };
    merge(&mut shelf, next);
    shelf
}

fn merge(shelf: &mut Shelf, next: &Candidate) {
    let places = match next.group.role {
        Role::Server => &mut shelf.places.server,
        Role::Client => &mut shelf.places.client,
    };
    if !places.contains(&next.group.place) {
        places.push(next.group.place.clone());
        places.sort_by_key(|place| (place.matches('/').count(), place.clone()));
    }
    if shelf.holds != next.group.holds {
        shelf.holds = Holds::ArchivesOrFolders;
    }
    if !next.group.extension.is_empty() {
        shelf.extensions.insert(next.group.extension.clone());
    }
    shelf.off.extend(next.group.off.clone());
    shelf.others.extend(next.others.iter().cloned());
    for document in &next.documents {
        if !shelf.documents.contains(document) {
            shelf.documents.push(document.clone());
        }
    }
    shelf.seen.extend(next.group.units.iter().cloned());
}

fn shelf_name(place: &str) -> String {
    let own = name(place);
    if own.is_empty() { "mods".to_owned() } else { own.to_lowercase() }
}

fn name_apart(shelves: &mut [Shelf]) {
    let mut known: BTreeMap<String, usize> = BTreeMap::new();
    for shelf in shelves {
        let count = known.entry(shelf.name.clone()).or_default();
        *count += 1;
        if *count > 1 {
            shelf.name = format!("{} {count}", shelf.name);
        }
    }
}

/// Copies of a mod on both sides or in several places teach nothing new.
fn one_of_each(seen: &[Unit]) -> Vec<Unit> {
    let mut known: HashSet<(String, u64)> = HashSet::new();
    let mut names: HashSet<String> = HashSet::new();
    let mut units: Vec<Unit> = Vec::new();
    for unit in seen {
        let same_folder = unit.is_folder && !names.insert(unit.name.to_lowercase());
        if known.insert((unit.name.to_lowercase(), unit.size)) && !same_folder {
            units.push(unit.clone());
        }
    }
    units.sort_by(|a, b| a.name.cmp(&b.name));
    units
}

/// Looks for a document outside of the mods that tells of those of a shelf of which nothing else does.
pub fn tell_from_outside(sights: &[&dyn InstallView], texts: &[Vec<&Seen>], shelf: &mut Shelf) {
    if !shelf.documents.is_empty() || shelf.units.len() < 2 {
        return;
    }
    shelf.outside = outside::tell(sights, texts, &mut shelf.seen);
    // Of one side alone it is not known whether the other has that file: it must tell more than the names do.
    let tells_more = || {
        let versions = fields::version(&shelf.seen, &columns(&shelf.seen, OUTSIDE), None);
        versions.is_some() && !tell_versions_by_name(&shelf.seen)
    };
    if shelf.outside.is_some() && sights.len() < 2 && !tells_more() {
        shelf.outside = None;
        shelf.seen.iter_mut().for_each(|unit| drop(unit.documents.remove(OUTSIDE)));
    }
    if shelf.outside.is_some() {
        shelf.documents = vec![OUTSIDE.to_owned()];
        shelf.units = one_of_each(&shelf.seen);
    }
}

/// The places of a shelf that has several on one side, the fullest first.
pub fn several_places(shelf: &Shelf) -> Vec<String> {
    let several = [&shelf.places.server, &shelf.places.client].into_iter().filter(|places| places.len() > 1);
    let places: BTreeSet<&String> = several.flatten().collect();
    let count = |place: &String| shelf.seen.iter().filter(|unit| parent(unit.path.as_str()) == place).count();
    let mut places: Vec<String> = places.into_iter().cloned().collect();
    places.sort_by_key(|place| std::cmp::Reverse(count(place)));
    places
}

/// Where each unit of a shelf was seen.
pub fn seen_on(shelf: &Shelf) -> Vec<SeenOn> {
    let mut where_seen: BTreeMap<String, SeenOn> = BTreeMap::new();
    // By the id part of the name: the sides may have different versions.
    let key = |unit: &Unit| {
        let stem = unit.stem().to_lowercase();
        let cut = stem.find(|c: char| c.is_ascii_digit()).filter(|at| *at > 2).unwrap_or(stem.len());
        stem[..cut].trim_end_matches(['-', '_', ' ', 'v']).to_owned()
    };
    for unit in &shelf.seen {
        let seen = where_seen.entry(key(unit)).or_default();
        match unit.role {
            Role::Server => seen.server = true,
            Role::Client => seen.client = true,
        }
    }
    shelf.units.iter().map(|unit| where_seen.get(&key(unit)).copied().unwrap_or_default()).collect()
}

/// The id and version of the mods of a shelf.
pub fn read(shelf: &Shelf, around: &Surroundings<'_>) -> Facts {
    let units = merged(shelf);
    let names = listed_name_rule(&units, around);
    let Some(document) = shelf.documents.first() else { return without_documents(&units, names.as_ref(), around) };
    let columns = columns(&units, document);
    let of_heads = || fields::version(&units, &heads::columns(&units, around), None);
    let version = fields::version(&units, &columns, names.as_ref()).or_else(of_heads);
    let id_of = |columns: &[Column]| Some(fields::id(&units, columns, names.as_ref(), around)?.0);
    let mut id = id_of(&columns);
    // What is another one with each release is no id, however unique.
    let of_version = version.as_ref().and_then(|version| version.path.clone());
    if id.as_ref().is_some_and(|id| id.path.is_some() && id.path == of_version) {
        let others = columns.iter().filter(|column| Some(&column.path) != of_version.as_ref());
        id = id_of(&others.cloned().collect::<Vec<Column>>());
    }
    let Some(id) = id else { return by_name(&units, names.as_ref()) };
    let id = with_name_fallback(id, &units, names.as_ref());
    Facts { id, version, provides: needs::provided(&units, document), columns, ..Facts::default() }
}

/// The relations of the mods of a shelf; then their title and side, which are no part of a relation.
pub fn relate(shelf: &Shelf, facts: &mut Facts, ids: &HashSet<String>, both_sides: bool) {
    let (units, own) = (merged(shelf), &facts.id.values);
    let taken: Vec<&str> = facts.id.path.as_deref().into_iter().collect();
    let in_document = shelf.documents.first().map(|document| needs::relations(&units, document, ids, own, &taken));
    facts.relations = in_document.unwrap_or_default();
    if facts.relations.is_empty() {
        facts.relations = needs::in_lines(&units, ids, own);
    }
    if shelf.documents.is_empty() {
        return;
    }
    let free: Vec<Column> = facts
        .columns
        .iter()
        .filter(|column| !facts.relations.iter().any(|relation| relation.covers(&column.path)))
        .cloned()
        .collect();
    facts.title = fields::title(&free, &facts.id);
    let seen = seen_on(shelf);
    facts.side = fields::side(&free, both_sides.then_some(seen.as_slice()));
}

/// The units with every document of the chain under the first one's name.
pub fn merged(shelf: &Shelf) -> Vec<Unit> {
    let mut units = shelf.units.clone();
    if let [first, rest @ ..] = shelf.documents.as_slice() {
        for unit in &mut units {
            if !unit.documents.contains_key(first)
                && let Some(found) = rest.iter().find_map(|other| unit.documents.get(other)).cloned()
            {
                unit.documents.insert(first.clone(), found);
            }
        }
    }
    units
}

/// A name without a version still has an id.
fn with_name_fallback(mut id: Choice, units: &[Unit], names: Option<&NameRule>) -> Choice {
    if id.path.is_none() && names.is_some_and(|names| names.with_version && names.parts.iter().any(Option::is_none)) {
        id.lines.push(bare_name(units));
    }
    id
}

/// The whole name without its ending as the id.
fn bare_name(units: &[Unit]) -> FactLine {
    let ends: BTreeSet<String> =
        units.iter().filter(|unit| !unit.is_folder).map(|unit| plain_regex(&extension(&unit.name))).collect();
    let end = match ends.len() {
        0 => String::new(),
        _ => format!(r"\.(?:{})", ends.into_iter().collect::<Vec<_>>().join("|")),
    };
    FactLine::FileName(format!("^(?<id>.+){end}$"))
}

/// What names tell, and what stands at the heads of texts in words alone.
fn without_documents(units: &[Unit], names: Option<&NameRule>, around: &Surroundings<'_>) -> Facts {
    let mut facts = by_name(units, names);
    let columns = heads::columns(units, around);
    let is_in_a_text = |choice: &Choice| matches!(choice.lines.as_slice(), [FactLine::InText { .. }, ..]);
    // What all names tell as well is told by them; where some have a mark before or behind it, the text says what is none.
    let is_name = |(part, value): &(&Option<(String, Option<String>)>, &Option<String>)| match (part, value) {
        (Some((id, _)), Some(value)) => value.eq_ignore_ascii_case(id),
        _ => false,
    };
    let parts = || names.iter().flat_map(|names| &names.parts);
    let are_names = |column: &Column| parts().zip(&column.values).all(|pair| is_name(&pair));
    let ids = columns.iter().filter(|column| !column.holds_versions() && !are_names(column));
    let ids: Vec<Column> = ids.cloned().collect();
    if let Some((id, _)) = fields::id(units, &ids, names, around).filter(|(id, _)| is_in_a_text(id)) {
        facts.id = id;
    }
    let is_told = facts.version.as_ref().is_some_and(|version| version.values.iter().any(Option::is_some));
    if !is_told && let Some(version) = fields::version(units, &columns, names).filter(is_in_a_text) {
        facts.version = Some(version);
    }
    facts
}

fn by_name(units: &[Unit], names: Option<&NameRule>) -> Facts {
    let Some(names) = names else { return Facts::default() };
    let values: Vec<Option<String>> = names
        .parts
        .iter()
        .zip(units)
        .map(|(part, unit)| Some(part.as_ref().map_or_else(|| unit.stem().to_owned(), |(id, _)| id.clone())))
        .collect();
    let told = names.parts.iter().filter(|part| part.is_some()).count();
    let own = || FactLine::FileName(names.pattern.clone());
    let lines = std::iter::once(own()).chain((told < units.len()).then(|| bare_name(units))).collect();
    let clues = vec![Clue::NamesFit { told, names: units.len() }];
    let id = Choice { lines, confidence: 0.6, clues, values, path: None };
    let version = if names.with_version {
        let values = names.parts.iter().map(|part| part.as_ref().and_then(|(_, version)| version.clone())).collect();
        Some(Choice {
            lines: vec![own(), FactLine::Digest(None)],
            confidence: 0.7,
            clues: vec![Clue::InNamesOrDigest],
            values,
            path: None,
        })
    } else if let Some(told) = fields::version_by_text(units) {
        Some(told)
    } else {
        Some(Choice {
            lines: vec![FactLine::Digest(None)],
            confidence: 0.6,
            clues: vec![Clue::DigestsAlone],
            values: vec![None; units.len()],
            path: None,
        })
    };
    Facts { id, version, ..Facts::default() }
}

/// Inner archives that are looked into.
const NESTED: usize = 64;

/// Archives of the same kind inside the archives of a shelf: their pattern, and the ids that they state.
pub fn nested(sight: &dyn InstallView, shelf: &Shelf, id: &Choice) -> Option<(String, Vec<String>)> {
    let document = shelf.documents.first().filter(|_| shelf.holds.archives())?;
    let mut pattern: Option<String> = None;
    let mut ids = Vec::new();
    for unit in shelf.units.iter().filter(|unit| unit.role == sight.role() && !unit.is_folder) {
        let inner = unit.inner.iter().filter(|(path, size)| {
            shelf.extensions.contains(&extension(name(path))) && *size > 0 && *size <= limits::NESTED_BYTES
        });
        for (path, _) in inner.take(NESTED - ids.len().min(NESTED)) {
            let Some(document) = inner_document(sight, unit, path, document) else { continue };
            let at = id.path.as_deref().and_then(|path| serde_json_path::JsonPath::parse(path).ok());
            ids.extend(at.and_then(|at| at.query(&document).iter().find_map(|value| crate::text::scalar(value))));
            let folder = parent(path);
            let end = extension(name(path));
            pattern = Some(if folder.is_empty() { format!("*.{end}") } else { format!("{folder}/*.{end}") });
        }
    }
    Some((pattern?, ids))
}

fn inner_document(sight: &dyn InstallView, unit: &Unit, path: &str, pattern: &str) -> Option<serde_json::Value> {
    let bytes = sight.archive(&unit.path)?.read_up_to(path, limits::NESTED_BYTES).ok()??;
    let size = bytes.len() as u64;
    let mut archive = Archive::open(Cursor::new(bytes), size).ok()?;
    let members: Vec<(String, u64)> = archive.members().iter().map(|m| (m.path.clone(), m.size)).collect();
    let member = located(&members, pattern)?;
    let bytes = archive.read_up_to(&member, limits::LEARNED_TEXT_BYTES).ok()??;
    guess(name(&member), &bytes).map(|found| found.value)
}

/// Mods on a shelf that state themselves in another document: perhaps made for another loader.
pub struct ForeignDocument {
    /// The document that only they have.
    pub member: String,
    /// The notation, where the name does not tell it.
    pub notation: Option<&'static str>,
    /// Where the id is.
    pub id: Option<String>,
    /// Where the version is.
    pub version: Option<String>,
    /// Their names.
    pub names: Vec<String>,
}

/// Archives of a shelf that lack its documents and have another.
pub fn strangers(shelf: &Shelf) -> Vec<ForeignDocument> {
    if shelf.documents.is_empty() || !shelf.holds.archives() {
        return Vec::new();
    }
    let lacking: Vec<Unit> = shelf
        .seen
        .iter()
        .filter(|unit| !shelf.documents.iter().any(|d| unit.documents.contains_key(d)))
        .cloned()
        .collect();
    let mut found: BTreeMap<String, Vec<Unit>> = BTreeMap::new();
    for unit in lacking {
        let own = unit.documents.keys().filter(|pattern| !pattern.contains('*')).min_by_key(|pattern| pattern.len());
        if let Some(pattern) = own.cloned() {
            found.entry(pattern).or_default().push(unit);
        }
    }
    let each = found.into_iter().map(|(member, units)| {
        let columns = columns(&units, &member);
        let best = |test: &dyn Fn(&Column) -> bool| columns.iter().find(|column| test(column)).map(|c| c.path.clone());
        let has = |column: &Column, words: &[&str]| hints(&column.key, words);
        let value = |column: &Column, test: fn(&str) -> bool| column.values.iter().flatten().all(|v| test(v));
        ForeignDocument {
            id: best(&|c| has(c, &["id", "name", "key", "slug"]) && value(c, is_slug) && !value(c, is_version)),
            version: best(&|c| has(c, &["version", "release"]) && value(c, is_version)),
            names: units.iter().map(|unit| unit.name.clone()).collect(),
            notation: units[0].documents[&member].untold_notation(&member),
            member,
        }
    });
    each.collect()
}

/// The right side of the rulebook's line for the documents of a shelf.
pub fn document_value(shelf: &Shelf) -> Option<Value> {
    let each: Vec<Value> = shelf
        .documents
        .iter()
        .map(|document| {
            let found = shelf.seen.iter().find_map(|unit| unit.documents.get(document));
            let notation = found.and_then(|found| found.untold_notation(document));
            let encoding = found.map(|found| found.encoding).unwrap_or_default();
            let encoding = crate::text::ENCODING_WORDS
                .iter()
                .find(|(_, own)| *own == encoding && *own != crate::text::Encoding::Utf8);
            let told = [("notation", notation), ("encoding", encoding.map(|(word, _)| *word))];
            let told = told.into_iter().filter_map(|(key, word)| Some((key, page::text(word?))));
            page::inline(std::iter::once(("member", page::text(document))).chain(told))
        })
        .collect();
    match each.as_slice() {
        [] => None,
        _ if shelf.outside.is_some() => None,
        [one] => Some(one.clone()),
        _ => Some(page::list(each)),
    }
}
