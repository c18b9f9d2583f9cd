//! What a new canon changes against the last.

use std::collections::{BTreeMap, BTreeSet};
use std::fmt;

use displaydoc::Display;

use crate::base::digest::Blake3;
use crate::base::ids::FoldedId;
use crate::base::in_words::{Around, in_words};
use crate::base::stated::Series;
use crate::canon::{Canon, SealedMod, SealedSetting};
use crate::rulebook::{NeededOn, Role};

/// What happened to one mod between two canons.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SealChange {
    /// The mod.
    pub id: FoldedId,
    /// The release there was; none when the mod is new.
    pub from: Option<String>,
    /// The release there is; none when the mod is gone.
    pub to: Option<String>,
    /// Where it is needed.
    pub needed_on: NeededOn,
    /// Whether the public keys that it brings are others than before.
    pub keys_changed: bool,
    /// Whether it shapes the world, before or now.
    pub shapes_world: bool,
    /// How many bytes each install must get for it.
    pub bytes: u64,
    /// What changed besides: where it is needed.
    pub was_needed_on: Option<NeededOn>,
}

/// What a new canon changes against the last, by id. What only moved in the load order is no change of a mod.
pub fn changes(last: &Canon, new: &Canon) -> Vec<SealChange> {
    let by_id = |canon: &'_ Canon| -> BTreeMap<FoldedId, SealedMod> {
        canon.mods.iter().map(|sealed| (sealed.manifest.id.clone(), sealed.clone())).collect()
    };
    let (old, now) = (by_id(last), by_id(new));
    let ids: BTreeSet<&FoldedId> = old.keys().chain(now.keys()).collect();
    let changed = ids.into_iter().filter_map(|id| {
        let (before, after) = (old.get(id), now.get(id));
        let either = after.or(before)?;
        let same = |a: &SealedMod, b: &SealedMod| {
            a.digest == b.digest && a.needed_on() == b.needed_on() && a.version_or_dash() == b.version_or_dash()
        };
        if before.zip(after).is_some_and(|(a, b)| same(a, b)) {
            return None;
        }
        let version = |sealed: Option<&SealedMod>| sealed.map(|sealed| sealed.version_or_dash().to_owned());
        let known: BTreeSet<Blake3> = before.iter().flat_map(|m| &m.files).map(|file| file.blake3).collect();
        let fresh = after.iter().flat_map(|m| &m.files).filter(|file| !known.contains(&file.blake3));
        Some(SealChange {
            id: either.manifest.id.clone(),
            from: version(before),
            to: version(after),
            needed_on: either.needed_on(),
            keys_changed: before.is_some() && after.is_some() && last.keys_of(id.as_str()) != new.keys_of(id.as_str()),
            shapes_world: before.into_iter().chain(after).any(|sealed| sealed.manifest.shapes_world),
            bytes: fresh.map(|file| file.size).sum(),
            was_needed_on: before.map(SealedMod::needed_on).filter(|was| after.is_some() && *was != either.needed_on()),
        })
    });
    changed.collect()
}

/// What a new canon changes against the last beside its mods.
#[derive(Debug, Clone, PartialEq, Eq, Display)]
pub enum CanonChange {
    /// the load order is another: {0}
    Order(Series),
    /// {setting}: {was} -> {is}
    Value {
        /// The setting.
        setting: SettingOf,
        /// The value there was.
        was: String,
        /// The value there is.
        is: String,
    },
    /// {setting}: {is} from now on
    NewValue {
        /// The setting.
        setting: SettingOf,
        /// The value there is.
        is: String,
    },
    /// {0}: no value is asked for any more
    NoValue(SettingOf),
    /// floor of memory: {0} -> {1}
    Memory(MemoryFloor, MemoryFloor),
}

in_words!(CanonChange);

/// A setting, and whose it is.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SettingOf(String, Option<Role>);

impl SettingOf {
    fn new(setting: &SealedSetting) -> Self {
        Self(setting.name.clone(), setting.of)
    }
}

impl fmt::Display for SettingOf {
    fn fmt(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(out, "{}{}", self.0, Around(" (of a ", self.1, ")"))
    }
}

/// So many bytes at least, if any are asked for.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct MemoryFloor(Option<u64>);

impl fmt::Display for MemoryFloor {
    fn fmt(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self.0 {
            None => out.write_str("none"),
            Some(bytes) => write!(out, "{} MiB", bytes >> 20),
        }
    }
}

/// What a new canon changes against the last beside its mods: the load order, settings, memory.
pub fn changes_beside(last: &Canon, new: &Canon) -> Vec<CanonChange> {
    let ids = |canon: &Canon| canon.mods.iter().map(|sealed| sealed.manifest.id.clone()).collect::<Vec<_>>();
    let (before, after) = (ids(last), ids(new));
    let shared = |ids: &[FoldedId], other: &[FoldedId]| -> Vec<FoldedId> {
        ids.iter().filter(|id| other.contains(id)).cloned().collect()
    };
    let mut changes = Vec::new();
    if shared(&before, &after) != shared(&after, &before) {
        changes.push(CanonChange::Order(Series::of_ids(&after)));
    }
    for now in &new.settings {
        let was = last.settings.iter().find(|was| was.name == now.name && was.of == now.of);
        let (setting, is) = (SettingOf::new(now), now.is.clone());
        match was {
            Some(was) if was.is == now.is => {}
            Some(was) => changes.push(CanonChange::Value { setting, was: was.is.clone(), is }),
            None => changes.push(CanonChange::NewValue { setting, is }),
        }
    }
    let stays = |was: &&SealedSetting| new.settings.iter().any(|is| is.name == was.name && is.of == was.of);
    let gone = last.settings.iter().filter(|was| !stays(was));
    changes.extend(gone.map(|was| CanonChange::NoValue(SettingOf::new(was))));
    if last.memory != new.memory {
        changes.push(CanonChange::Memory(MemoryFloor(last.memory), MemoryFloor(new.memory)));
    }
    changes
}
