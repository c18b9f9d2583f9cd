//! Whether a shelf's archives are overlays: their members lie in a base archive too.

use std::collections::{BTreeMap, BTreeSet, HashSet};

use super::clue::Clue;
use super::shelves::Shelf;
use super::sight::{InstallView, name, parent, starts_as_zip};
use super::units::Unit;
use crate::base::path::InstallPath;
use crate::rulebook::Role;

/// Archives outside the shelves that are tried as a base.
const BASES: usize = 60;

/// What a shelf's archives are laid into.
#[derive(Debug, Clone, PartialEq)]
pub struct Laid {
    /// The base archive.
    pub base: String,
    /// Members that are left out on a role.
    pub strip: BTreeMap<Role, String>,
    /// What speaks for it.
    pub clues: Vec<Clue>,
}

/// The base archive of a shelf, if one holds most of what its archives hold.
pub fn laid_into(sights: &[&dyn InstallView], shelf: &Shelf, inside: &HashSet<String>) -> Option<Laid> {
    let units: Vec<&Unit> = shelf.units.iter().filter(|unit| !unit.is_folder && !unit.inner.is_empty()).collect();
    if units.is_empty() {
        return None;
    }
    let members: BTreeSet<&str> = units.iter().flat_map(|unit| &unit.inner).map(|(path, _)| path.as_str()).collect();
    let mut best: Option<(usize, String)> = None;
    for sight in sights {
        for base in bases(*sight, inside) {
            let held = held(*sight, &base);
            let shared = members.iter().filter(|path| held.contains(**path)).count();
            // A base is larger than what is laid into it, and has members of its own.
            let is_base = shared * 2 >= members.len() && shared >= 2 && held.len() > shared;
            if is_base && best.as_ref().is_none_or(|(known, _)| shared > *known) {
                best = Some((shared, base.to_string()));
            }
        }
    }
    let (shared, base) = best?;
    let clues = vec![Clue::MembersInIt { shared, all: members.len() }];
    Some(Laid { strip: stripped(sights, &members, &base), base, clues })
}

fn bases(sight: &dyn InstallView, inside: &HashSet<String>) -> Vec<InstallPath> {
    let mut files: Vec<_> =
        sight.files().iter().filter(|seen| seen.size > 100 && !inside.contains(seen.path.as_str())).collect();
    files.sort_by_key(|seen| (std::cmp::Reverse(seen.size), seen.path.as_str()));
    let archives = files.into_iter().take(BASES * 4).filter(|seen| starts_as_zip(sight, &seen.path));
    archives.take(BASES).map(|seen| seen.path.clone()).collect()
}

fn held(sight: &dyn InstallView, base: &InstallPath) -> HashSet<String> {
    let archive = sight.archive(base);
    archive.map(|archive| archive.members().iter().map(|member| member.path.clone()).collect()).unwrap_or_default()
}

/// Folders of members that one role's base has and the other's lacks altogether.
fn stripped(sights: &[&dyn InstallView], members: &BTreeSet<&str>, base: &str) -> BTreeMap<Role, String> {
    let Ok(base) = InstallPath::new(base) else { return BTreeMap::new() };
    let folders: BTreeSet<&str> = members.iter().map(|path| parent(path)).filter(|folder| !folder.is_empty()).collect();
    let mut strip = BTreeMap::new();
    for sight in sights {
        let own = held(*sight, &base);
        let lacks = |folder: &str| !own.iter().any(|path| parent(path) == folder);
        let elsewhere = |folder: &str| {
            let others = sights.iter().filter(|other| other.role() != sight.role());
            others.into_iter().any(|other| held(*other, &base).iter().any(|path| parent(path) == folder))
        };
        if own.is_empty() {
            continue;
        }
        if let Some(folder) =
            folders.iter().find(|folder| lacks(folder) && elsewhere(folder) && !name(folder).is_empty())
        {
            strip.insert(sight.role(), format!("{folder}/*"));
        }
    }
    strip
}
