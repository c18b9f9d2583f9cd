//! What mods bring for the game's own files and folders: entries merged into its data files, and files outside the
//! shelves. Each is there once, as the mod has it, and goes when the mod goes; what somebody edited stays.

use std::collections::{BTreeMap, BTreeSet};

use super::context::{CheckContext, align};
use super::extras::may_stay;
use crate::base::act::Act;
use crate::base::digest::Blake3;
use crate::base::finding::{Code, Finding, Severity};
use crate::base::ids::FoldedId;
use crate::base::path::InstallPath;
use crate::base::remedy::Remedy;
use crate::base::stated::{Series, Stated};
use crate::canon::SealedMod;
use crate::config::Edits;
use crate::manifest::MergedEntry;
use crate::rulebook::{ExtraRule, NeededOn, Role, Shelf};
use crate::survey::{AddedFile, DataEntry, FileProblem, PlacedFile, Survey, SurveyedData};

/// An entry of the canon in a data file of an install.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum EntryState {
    /// It is there once, as the mod has it.
    Right,
    /// It is not there.
    Missing,
    /// It is there several times; the first is as the mod has it, or is to be.
    Twice {
        /// Whether the first says something else.
        differs: bool,
    },
    /// It is as another release of the mod has it.
    OtherRelease,
    /// Somebody edited it.
    Edited,
}

/// The entries that a data file is to have, in the canon's order: the mod, the entry, and how it is there. Of two mods
/// with the same entry, the one that is loaded later counts.
pub fn entries_of<'a>(
    measure: CheckContext<'a>,
    role: Role,
    file: &InstallPath,
) -> Vec<(&'a SealedMod, &'a MergedEntry)> {
    let mut entries: Vec<(&SealedMod, &MergedEntry)> = Vec::new();
    for sealed in measure.canon.mods.iter().filter(|sealed| sealed.needed_on().includes(role)) {
        for entry in sealed.manifest.entries.iter().filter(|entry| entry.into == *file) {
            entries.retain(|(_, other)| other.key != entry.key);
            entries.push((sealed, entry));
        }
    }
    entries
}

/// A data file that mods merge entries into.
#[derive(Debug, Clone)]
pub struct DataDelta<'a> {
    /// What was found.
    pub data: &'a SurveyedData,
    /// Its entries of mods; as far as it can be read.
    pub entries: EntryStates<'a>,
}

/// Every data file, and how the entries of mods are in it.
pub(super) fn data_files<'a>(measure: CheckContext<'a>, survey: &'a Survey) -> Vec<DataDelta<'a>> {
    survey.data.iter().map(|data| DataDelta { data, entries: entry_states(measure, survey, data) }).collect()
}

/// The entries of mods in a data file.
#[derive(Debug, Clone, Default)]
pub struct EntryStates<'a> {
    /// Those of the canon, in its order, and how each is there.
    pub wanted: Vec<(&'a SealedMod, &'a MergedEntry, EntryState)>,
    /// Those of mods that are gone, each with the mod's id.
    pub gone: Vec<(String, FoldedId)>,
}

/// How each entry of the canon is in a data file, and the entries of mods that are gone.
fn entry_states<'a>(measure: CheckContext<'a>, survey: &Survey, data: &SurveyedData) -> EntryStates<'a> {
    let wanted = entries_of(measure, survey.install.role, &data.file);
    let of_mods = of_installed(survey, &data.file);
    let state = |entry: &MergedEntry| {
        let there: Vec<&DataEntry> = data.entries.iter().filter(|found| found.key == entry.key).collect();
        // An entry is known when it is what was put there, or what the release that is installed has.
        let is_known = |found: &DataEntry| {
            let put = brought_entry(survey, &data.file, &entry.key).is_some_and(|(_, digest)| digest == found.blake3);
            put || of_mods.get(entry.key.as_str()).is_some_and(|(_, digests)| digests.contains(&found.blake3))
        };
        match there.as_slice() {
            [] => EntryState::Missing,
            [one] if one.blake3 == entry.blake3 => EntryState::Right,
            [one] if is_known(one) => EntryState::OtherRelease,
            [_] => EntryState::Edited,
            several => {
                let all_known = several.iter().all(|found| found.blake3 == entry.blake3 || is_known(found));
                if all_known {
                    EntryState::Twice { differs: several[0].blake3 != entry.blake3 }
                } else {
                    EntryState::Edited
                }
            }
        }
    };
    let states = wanted.iter().map(|(sealed, entry)| (*sealed, *entry, state(entry))).collect::<Vec<_>>();
    let is_wanted = |key: &str| wanted.iter().any(|(_, entry)| entry.key == key);
    let mut gone: BTreeMap<String, FoldedId> = BTreeMap::new();
    for found in data.entries.iter().filter(|found| !is_wanted(&found.key)) {
        let put = brought_entry(survey, &data.file, &found.key);
        // What somebody has edited since is theirs now.
        let of_put = put.filter(|(_, digest)| *digest == found.blake3).map(|(id, _)| id.clone());
        let of_mod = of_mods.get(found.key.as_str()).filter(|(_, digests)| digests.contains(&found.blake3));
        // A mod that stays although the canon does not have it keeps its entries.
        let of_mod = of_mod.map(|(id, _)| id.clone()).filter(|id| put.is_some() || !is_staying(measure, survey, id));
        if let Some(id) = of_put.or(of_mod) {
            gone.insert(found.key.clone(), id);
        }
    }
    EntryStates { wanted: states, gone: gone.into_iter().collect() }
}

fn is_staying(measure: CheckContext<'_>, survey: &Survey, id: &FoldedId) -> bool {
    let in_canon = measure.canon.mods.iter().any(|sealed| sealed.manifest.id == *id);
    let found = survey.mods.iter().find(|found| found.manifest.id == *id);
    !in_canon && found.is_some_and(|found| may_stay(measure, survey.install.role, found))
}

fn brought_entry<'s>(survey: &'s Survey, file: &InstallPath, key: &str) -> Option<(&'s FoldedId, Blake3)> {
    let brought = survey.brought.iter().flat_map(|brought| &brought.entries);
    let mut own = brought.filter(|entry| entry.file == *file && entry.key == key);
    own.next().map(|entry| (&entry.of_mod, entry.blake3))
}

/// What the mods that are installed bring into a data file, whatever release they are.
fn of_installed<'s>(survey: &'s Survey, file: &InstallPath) -> BTreeMap<&'s str, (FoldedId, BTreeSet<Blake3>)> {
    let mut entries: BTreeMap<&str, (FoldedId, BTreeSet<Blake3>)> = BTreeMap::new();
    for found in &survey.mods {
        for entry in found.manifest.entries.iter().filter(|entry| entry.into == *file) {
            let known =
                entries.entry(entry.key.as_str()).or_insert_with(|| (found.manifest.id.clone(), BTreeSet::new()));
            known.1.insert(entry.blake3);
        }
    }
    entries
}

/// The files that the canon's mods bring for places outside the shelves of an install: where, whose, which bytes and how
/// many, and whether one that is there stays.
pub fn placed_files<'a>(measure: CheckContext<'a>, role: Role) -> Vec<Placed<'a>> {
    let mut placed: BTreeMap<String, Placed<'a>> = BTreeMap::new();
    for sealed in &measure.canon.mods {
        let Some(shelf) = measure.rulebook.shelf(&sealed.shelf) else { continue };
        if !sealed.needed_on().includes(role) {
            continue;
        }
        for (rule, inner, file) in extras_of(shelf, sealed) {
            for place in rule.places.of(role) {
                let Ok(path) = place.join(inner) else { continue };
                let own = Placed { path, sealed, blake3: file.blake3, size: file.size, stays: rule.stays };
                placed.insert(own.path.folded(), own);
            }
        }
    }
    placed.into_values().collect()
}

/// A file of the canon outside the shelves.
#[derive(Debug, Clone)]
pub struct Placed<'a> {
    /// Where it belongs.
    pub path: InstallPath,
    /// The mod that brings it.
    pub sealed: &'a SealedMod,
    /// The digest of its bytes.
    pub blake3: Blake3,
    /// Their number.
    pub size: u64,
    /// Whether one that is there stays as it is.
    pub stays: bool,
}

fn extras_of<'a>(
    shelf: &'a Shelf,
    sealed: &'a SealedMod,
) -> impl Iterator<Item = (&'a ExtraRule, &'a str, &'a crate::canon::SealedFile)> {
    sealed.files.iter().flat_map(move |file| {
        let own = file.path.as_str().split_once('/').map_or("", |(_, inner)| inner);
        shelf.extras.iter().filter_map(move |rule| Some((rule, inner_of(rule, own)?, file)))
    })
}

/// The path below the place where a file of a mod goes, if the rule is about it.
pub fn inner_of<'p>(rule: &ExtraRule, own: &'p str) -> Option<&'p str> {
    let from = rule.from.as_str();
    if own == from {
        return Some(own.rsplit('/').next().unwrap_or(own));
    }
    own.strip_prefix(from)?.strip_prefix('/')
}

fn placed_left_over<'s>(placed: &[Placed<'_>], survey: &'s Survey) -> Vec<&'s AddedFile> {
    let wanted: BTreeSet<String> = placed.iter().map(|placed| placed.path.folded()).collect();
    let is_same =
        |brought: &&AddedFile| there(survey, &brought.path).is_some_and(|found| found.blake3 == Some(brought.blake3));
    let brought = survey.brought.iter().flat_map(|brought| &brought.files);
    brought.filter(|brought| !wanted.contains(&brought.path.folded())).filter(is_same).collect()
}

/// What a survey says of a path outside the shelves; nothing when it did not look there.
fn there<'s>(survey: &'s Survey, path: &InstallPath) -> Option<&'s PlacedFile> {
    survey.placed.iter().find(|found| found.path == *path)
}

/// Files of the canon outside the shelves, and what stands there.
#[derive(Debug, Clone, Default)]
pub struct Outside<'a> {
    /// What its mods bring, with how it is there; what nobody looked for is left out.
    pub wanted: Vec<(Placed<'a>, PlacedState)>,
    /// What an alignment put there, that no mod brings any more, and that nobody has changed since.
    pub left_over: Vec<&'a AddedFile>,
}

/// How a file outside the shelves is there.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum PlacedState {
    /// As it is to be.
    Right,
    /// Not at all.
    Missing,
    /// With other bytes.
    Differs,
}

/// What mods bring for places outside the shelves.
pub(super) fn outside<'a>(measure: CheckContext<'a>, survey: &'a Survey) -> Outside<'a> {
    let files = placed_files(measure, survey.install.role);
    let left_over = placed_left_over(&files, survey);
    let state = |placed: Placed<'a>| {
        let state = match there(survey, &placed.path)?.blake3 {
            None => PlacedState::Missing,
            Some(digest) if digest == placed.blake3 || placed.stays => PlacedState::Right,
            Some(_) => PlacedState::Differs,
        };
        Some((placed, state))
    };
    Outside { wanted: files.into_iter().filter_map(state).collect(), left_over }
}

/// Findings about merged entries and placed files.
pub(super) fn findings(
    context: CheckContext<'_>,
    survey: &Survey,
    data: &[DataDelta<'_>],
    outside: &Outside<'_>,
) -> Vec<Finding> {
    let in_data = data.iter().flat_map(|data| data_file(context, survey, data));
    in_data.chain(files(survey, outside)).collect()
}

fn data_file(measure: CheckContext<'_>, survey: &Survey, DataDelta { data, entries }: &DataDelta<'_>) -> Vec<Finding> {
    let EntryStates { wanted, gone } = entries;
    if let Some(problem) = &data.problem {
        let remedy = match problem {
            FileProblem::NotThere => Act::StartForFile,
            FileProblem::Unreadable(_) => Act::MendFile,
        };
        let mods: BTreeSet<&str> = wanted.iter().map(|(sealed, ..)| sealed.manifest.id.as_str()).collect();
        let expected = Stated::EntriesOf(Series::of(mods));
        let finding = Finding::new(Code::FragmentMissing, remedy).at(data.file.as_str());
        return if wanted.is_empty() { Vec::new() } else { vec![finding.expected(expected).found(problem)] };
    }
    let at = |code, id: &str| Finding::new(code, align(survey)).about(id).at(data.file.as_str());
    let one = |(sealed, entry, state): &(&SealedMod, &MergedEntry, EntryState)| {
        let expected = |code| at(code, sealed.manifest.id.as_str()).expected(Stated::Entry(entry.key.clone()));
        match state {
            EntryState::Right => None,
            EntryState::Missing => Some(expected(Code::FragmentMissing).found(Stated::Nothing)),
            EntryState::Twice { .. } => {
                let times = data.entries.iter().filter(|found| found.key == entry.key).count();
                Some(expected(Code::FragmentDiffers).found(Stated::Times(times)))
            }
            EntryState::OtherRelease => Some(expected(Code::FragmentDiffers).found(Stated::OfOtherRelease)),
            EntryState::Edited => Some(edited(measure, survey, expected(Code::FragmentDiffers))),
        }
    };
    let mut findings: Vec<Finding> = wanted.iter().filter_map(one).collect();
    findings.extend(gone.iter().map(|(key, id)| {
        at(Code::FragmentLeftOver, id.as_str()).expected(Stated::NoEntryOfGone).found(Stated::Entry(key.clone()))
    }));
    findings
}

fn edited(measure: CheckContext<'_>, survey: &Survey, finding: Finding) -> Finding {
    let finding = finding.found(Stated::EditedByHand);
    match measure.edits {
        Edits::Ask => Finding { remedy: Remedy::OrKeepEdited(align(survey).word("--replace-edits")), ..finding },
        Edits::Keep => Finding { remedy: Act::Stays.into(), ..finding }.severity(Severity::Note),
        Edits::Replace => finding,
    }
}

fn files(survey: &Survey, outside: &Outside<'_>) -> Vec<Finding> {
    let mut findings = Vec::new();
    for (placed, state) in &outside.wanted {
        let finding =
            |code| Finding::new(code, align(survey)).about(&placed.sealed.manifest.id).at(placed.path.as_str());
        let (code, found) = match state {
            PlacedState::Right => continue,
            PlacedState::Differs => (Code::FragmentDiffers, Stated::FileWithOtherBytes),
            PlacedState::Missing => (Code::FragmentMissing, Stated::Nothing),
        };
        findings.push(finding(code).expected(Stated::AddedFile).found(found));
    }
    for brought in &outside.left_over {
        findings.push(
            Finding::new(Code::FragmentLeftOver, align(survey))
                .about(&brought.of_mod)
                .at(brought.path.as_str())
                .expected(Stated::NoFileOfGone)
                .found(Stated::FileItBrought),
        );
    }
    findings
}

/// The mods of a canon that define the same entry of one data file.
pub fn same_entries<'a>(mods: impl Iterator<Item = &'a SealedMod>) -> Vec<Finding> {
    let mut owners: BTreeMap<(&InstallPath, &str), Vec<&SealedMod>> = BTreeMap::new();
    for sealed in mods.filter(|sealed| sealed.needed_on() != NeededOn::Optional) {
        for entry in &sealed.manifest.entries {
            owners.entry((&entry.into, entry.key.as_str())).or_default().push(sealed);
        }
    }
    let shared = owners.into_iter().filter(|(_, mods)| mods.len() > 1);
    shared
        .map(|((file, key), mods)| {
            let ids: Vec<&str> = mods.iter().map(|sealed| sealed.manifest.id.as_str()).collect();
            Finding::new(Code::Conflict, Act::DropOrKnowLast)
                .about(mods[0].manifest.id.as_str())
                .at(file.as_str())
                .expected(Stated::OneModWithEntry(key.to_owned()))
                .found(Stated::Several(Series::of(ids).between(" and ")))
                .severity(Severity::Risky)
        })
        .collect()
}

#[cfg(test)]
#[path = "../tests/check_merged.rs"]
mod tests;
