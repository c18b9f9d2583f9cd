//! What an alignment changes inside text files: lists, settings, memory, merged entries. All that is to be changed in one file
//! is one amendment; it is worked out from the survey, and made on the file's own bytes.

use std::collections::{BTreeMap, BTreeSet};

use crate::base::digest::Blake3;
use crate::base::ids::FoldedId;
use crate::base::path::InstallPath;
use crate::config::Edits;
use crate::delta::{DataDelta, EntryState, EntryStates, LeftAlone, ListWanted, MEMORY, MemoryWanted, TextDelta};
use crate::edits::{self, Wanted};
use crate::plan::reason::Reason;
use crate::rulebook::{FragmentRule, ListRule, MemoryRule, SettingRule};
use crate::survey::SurveyedList;
use crate::text::{EditError, NoPlace};

/// What a person said, without which some things are not changed.
#[derive(Debug, Clone, Default)]
pub struct Consents {
    /// The settings whose licence they accept.
    pub licences: Vec<String>,
    /// Whether entries that were edited by hand give way to the mods' own.
    pub replace_edits: bool,
}

/// All that is to be changed in one file.
#[derive(Debug, Clone)]
pub struct Amendment<'a> {
    /// The file.
    pub path: InstallPath,
    /// Each change, and why.
    changes: Vec<(Reason, Change<'a>)>,
}

/// An entry whose text is needed from the mod that brings it.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub struct NeededEntry {
    /// The mod's folded id.
    pub of_mod: FoldedId,
    /// What tells it apart.
    pub key: String,
    /// The digest of what it says.
    pub blake3: Blake3,
}

/// A text file with all that could be changed in it.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Amended {
    /// Its bytes.
    pub bytes: Vec<u8>,
    /// Why it was changed.
    pub reasons: Vec<Reason>,
    /// What could not be.
    pub left: Vec<LeftAlone>,
}

#[derive(Debug, Clone)]
enum Change<'a> {
    List(&'a ListRule, &'a SurveyedList, Box<ListWanted>),
    Setting(&'a SettingRule, String),
    Memory(&'a MemoryRule, u64),
    Entries { rule: &'a FragmentRule, wanted: Vec<(NeededEntry, bool)>, gone: Vec<String> },
}

/// Everything that is to be changed inside the text files of an install, by file.
pub fn amendments<'a>(texts: &TextDelta<'a>, said: &Consents) -> Vec<Amendment<'a>> {
    let measure = texts.context;
    let mut by_file: BTreeMap<InstallPath, Vec<(Reason, Change<'a>)>> = BTreeMap::new();
    let mut add =
        |file: &InstallPath, reason: Reason, change| by_file.entry(file.clone()).or_default().push((reason, change));
    for one in texts.lists.iter().filter(|one| one.is_off() && one.can_be_written()) {
        let (list, wanted) = (one.list, Box::new(one.wanted.clone()));
        add(&list.file, Reason::List { list: list.name.clone() }, Change::List(one.rule, list, wanted));
    }
    for wanted in &texts.settings {
        let accepted = wanted.rule.licence.is_none() || said.licences.contains(&wanted.rule.name);
        let is_readable = wanted.found.problem.is_none() && accepted && !wanted.is_said();
        if let (true, Ok(value)) = (is_readable, &wanted.value) {
            let reason = Reason::Setting { setting: wanted.rule.name.clone(), value: value.clone() };
            add(&wanted.found.file, reason, Change::Setting(wanted.rule, value.clone()));
        }
    }
    for MemoryWanted { rule, found, floor } in texts.memory.iter().filter(|wanted| wanted.is_low()) {
        add(&found.file, Reason::Memory { memory: rule.written(*floor, "MiB") }, Change::Memory(rule, *floor));
    }
    for DataDelta { data, entries } in texts.data.iter().filter(|one| one.data.problem.is_none()) {
        let Some(rule) = measure.rulebook.fragments.iter().find(|rule| rule.into == data.file) else { continue };
        let EntryStates { wanted: states, gone } = entries;
        let replace_edits = said.replace_edits || measure.edits == Edits::Replace;
        let is_off = |state: EntryState| match state {
            EntryState::Right => false,
            EntryState::Edited => replace_edits,
            EntryState::Missing | EntryState::Twice { .. } | EntryState::OtherRelease => true,
        };
        if gone.is_empty() && !states.iter().any(|(_, _, state)| is_off(*state)) {
            continue;
        }
        let mut mods: BTreeSet<&FoldedId> = gone.iter().map(|(_, id)| id).collect();
        mods.extend(states.iter().filter(|(.., state)| is_off(*state)).map(|(sealed, ..)| &sealed.manifest.id));
        let reason = Reason::Entries { mods: mods.into_iter().cloned().collect() };
        // An entry that somebody edited stays, however often it is there, unless they say otherwise.
        let kept = |state: &EntryState| *state == EntryState::Edited && !replace_edits;
        let wanted = states.iter().filter(|(.., state)| !kept(state)).map(|(sealed, entry, state)| {
            let needed =
                NeededEntry { of_mod: sealed.manifest.id.clone(), key: entry.key.clone(), blake3: entry.blake3 };
            let replaces =
                matches!(state, EntryState::OtherRelease | EntryState::Edited | EntryState::Twice { differs: true });
            (needed, replaces)
        });
        let gone = gone.iter().map(|(key, _)| key.clone()).collect();
        add(&data.file, reason, Change::Entries { rule, wanted: wanted.collect(), gone });
    }
    by_file.into_iter().map(|(path, changes)| Amendment { path, changes }).collect()
}

impl Amendment<'_> {
    /// The entries whose texts must be found in the mods that bring them, and the rule by which they are read there.
    pub fn needs(&self) -> Vec<(&FragmentRule, &NeededEntry)> {
        let mut needs = Vec::new();
        for (_, change) in &self.changes {
            if let Change::Entries { rule, wanted, .. } = change {
                needs.extend(wanted.iter().map(|(needed, _)| (*rule, needed)));
            }
        }
        needs
    }

    /// The file's bytes with all of it changed that can be; `bytes` are empty where the file is not there yet. What can't be
    /// read, is another than was surveyed, or would not say afterwards what is meant, is left alone; the rest is not.
    pub fn apply(&self, bytes: &[u8], texts: &BTreeMap<NeededEntry, String>) -> Amended {
        let mut amended = Amended { bytes: bytes.to_vec(), reasons: Vec::new(), left: Vec::new() };
        for (reason, change) in &self.changes {
            let before = amended.left.len();
            // Where the list stays as it is, the number of its entries does, too.
            let counts = change.counts();
            if counts.is_some_and(|list| amended.left.iter().any(|left| left.part == list)) {
                continue;
            }
            for change in change.alone(&amended.bytes, texts) {
                match change.apply(&amended.bytes, texts) {
                    Ok(bytes) => amended.bytes = bytes,
                    Err(why) => {
                        let part = change.part();
                        amended.left.push(LeftAlone { file: self.path.clone(), part, why });
                    }
                }
            }
            if amended.left.len() == before || matches!(change, Change::Entries { .. }) {
                amended.reasons.push(reason.clone());
            }
        }
        amended
    }

    /// What of it can't be changed in a file with these bytes, as far as no mod has to be looked into for it.
    pub fn tried(&self, bytes: &[u8]) -> Vec<LeftAlone> {
        let changes = self.changes.iter().filter(|(_, change)| !matches!(change, Change::Entries { .. }));
        let tried = Amendment { path: self.path.clone(), changes: changes.cloned().collect() };
        tried.apply(bytes, &BTreeMap::new()).left
    }
}

impl Change<'_> {
    /// What it changes.
    fn part(&self) -> String {
        match self {
            Self::List(rule, ..) => rule.name.clone(),
            Self::Setting(rule, _) => rule.name.clone(),
            Self::Memory(..) => MEMORY.to_owned(),
            Self::Entries { wanted, gone, .. } => {
                let keys = wanted.iter().map(|(needed, _)| needed.key.as_str()).chain(gone.iter().map(String::as_str));
                keys.collect::<Vec<_>>().join(", ")
            }
        }
    }

    /// The list whose entries are counted by what it sets.
    fn counts(&self) -> Option<&str> {
        if let Self::Setting(rule, _) = self { rule.counts.as_deref() } else { None }
    }

    /// The change; entries that can't all be merged, each for itself.
    fn alone(&self, bytes: &[u8], texts: &BTreeMap<NeededEntry, String>) -> Vec<Self> {
        let Self::Entries { rule, wanted, gone } = self else { return vec![self.clone()] };
        if wanted.len() + gone.len() < 2 || self.apply(bytes, texts).is_ok() {
            return vec![self.clone()];
        }
        let coming = wanted.iter().map(|one| (vec![one.clone()], Vec::new()));
        let going = gone.iter().map(|key| (Vec::new(), vec![key.clone()]));
        coming.chain(going).map(|(wanted, gone)| Self::Entries { rule, wanted, gone }).collect()
    }

    fn apply(&self, bytes: &[u8], texts: &BTreeMap<NeededEntry, String>) -> Result<Vec<u8>, EditError> {
        match self {
            Self::List(rule, list, wanted) => {
                let respelt = list.near.as_ref().map(|near| edits::respell_option(rule, bytes, near)).transpose()?;
                let bytes = respelt.as_deref().unwrap_or(bytes);
                let seen: Vec<&str> = list.entries.iter().map(|entry| entry.text.as_str()).collect();
                edits::write_list(rule, bytes, (&wanted.known, Some(&seen)), &wanted.changes)
            }
            Self::Setting(rule, value) => edits::set(bytes, (rule.notation, rule.encoding), &rule.at, value),
            Self::Memory(rule, floor) => {
                let option = (|text: &str| rule.dialect(text), rule.option.as_str(), rule.unit);
                edits::raise(bytes, rule.encoding, option, (*floor, |unit: &str| rule.written(*floor, unit)))
            }
            Self::Entries { rule, wanted, gone } => {
                let text = |(needed, replaces): &(NeededEntry, bool)| {
                    let text = texts.get(needed).cloned();
                    let missing = || {
                        let (key, of_mod) = (needed.key.clone(), needed.of_mod.to_string());
                        EditError::from(NoPlace::EntryNowhere { key, of_mod })
                    };
                    Ok(Wanted { key: needed.key.clone(), text: text.ok_or_else(missing)?, replaces: *replaces })
                };
                let wanted: Vec<Wanted> = wanted.iter().map(text).collect::<Result<_, EditError>>()?;
                edits::merge(bytes, rule, &wanted, gone)
            }
        }
    }
}

#[cfg(test)]
#[path = "../tests/amend.rs"]
mod tests;
