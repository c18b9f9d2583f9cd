//! Files in mods that belong to whoever plays: settings of the mods, which differ between sides although the mods are the same.

use std::collections::{BTreeMap, BTreeSet};

use super::clue::{Clue, Inferred};
use super::shelves::Shelf;
use super::sight::{InstallView, extension, name, small};
use super::units::Unit;
use super::words::hints;
use crate::base::stated::Series;
use crate::rulebook::Role;

/// Patterns that a draft names, at most; more are no settings.
const PATTERNS: usize = 6;
/// So many files of one size on both sides are held against each other; the rest counts as the same.
const READ: usize = 2_000;

/// The files of a shelf's mods that differ between a healthy server and client, as patterns. Nothing where anything else than
/// small texts differs: then the mods are not the same.
pub fn settings(sights: &[&dyn InstallView], shelf: &Shelf) -> Option<Inferred<Vec<String>>> {
    let pairs = pairs(shelf);
    let (mut differ, mut same, mut mods) = (BTreeSet::new(), BTreeSet::new(), BTreeSet::new());
    let mut left = READ;
    for (server, client) in &pairs {
        let (one, other) = (files(server), files(client));
        // A setting may be on one side alone until the game has written it.
        for inner in one.keys().chain(other.keys()).copied().collect::<BTreeSet<_>>() {
            let sizes = (one.get(inner), other.get(inner));
            let is_document = shelf.documents.iter().any(|document| document == inner);
            let is_text = is_text_of_settings(inner);
            let is_read = is_text && sizes.0 == sizes.1 && left > 0;
            left -= usize::from(is_read);
            let is_same = sizes.0 == sizes.1 && (!is_read || is_equal(sights, (server, client), inner));
            match is_text && !is_document {
                _ if is_same => drop(same.insert(inner)),
                false => return None,
                true => {
                    differ.insert(inner);
                    mods.insert(server.name.as_str());
                }
            }
        }
    }
    same.retain(|inner| !differ.contains(inner));
    let patterns = patterns(&differ, &same)?;
    let files = Series::of(differ.iter().take(PATTERNS).copied());
    Some(Inferred::new(patterns, 0.7, [Clue::DiffersInSameMods { files, mods: mods.len() }]))
}

/// Folders that both sides have under one name.
fn pairs(shelf: &Shelf) -> Vec<(&Unit, &Unit)> {
    let of = |role: Role| shelf.seen.iter().filter(move |unit| unit.is_folder && unit.role == role);
    let clients: BTreeMap<String, &Unit> = of(Role::Client).map(|unit| (unit.name.to_lowercase(), unit)).collect();
    of(Role::Server).filter_map(|unit| Some((unit, *clients.get(&unit.name.to_lowercase())?))).collect()
}

fn files(unit: &Unit) -> BTreeMap<&str, u64> {
    unit.inner.iter().map(|(inner, size)| (inner.as_str(), *size)).collect()
}

/// Words for files and folders that somebody sets something in.
const SETTINGS: [&str; 10] = ["config", "conf", "setting", "option", "pref", "user", "profile", "knob", "keys", "bind"];

/// Whether a file is a text, called as one in which settings stand. Data that differs is no taste: somebody may have changed it.
fn is_text_of_settings(inner: &str) -> bool {
    let end = extension(name(inner));
    match end.as_str() {
        "ini" | "cfg" | "conf" | "properties" => true,
        "json" | "toml" | "yaml" | "yml" | "xml" | "txt" => hints(inner, &SETTINGS),
        _ => false,
    }
}

fn is_equal(sights: &[&dyn InstallView], (server, client): (&Unit, &Unit), inner: &str) -> bool {
    let read = |unit: &Unit| {
        let sight = sights.iter().find(|sight| sight.role() == unit.role)?;
        small(*sight, &unit.path.join(inner).ok()?)
    };
    read(server) == read(client)
}

/// A folder, an ending, or the files themselves: the first that has all that differ, and none that are the same.
fn patterns(differ: &BTreeSet<&str>, same: &BTreeSet<&str>) -> Option<Vec<String>> {
    let first = differ.first()?;
    let folder = first.split_once('/').map(|(folder, _)| format!("{folder}/"));
    let in_folder = |inner: &&str| folder.as_ref().is_some_and(|folder| inner.starts_with(folder.as_str()));
    let is_theirs = differ.iter().all(in_folder) && !same.iter().any(in_folder);
    if let Some(folder) = folder.as_ref().filter(|_| is_theirs) {
        return Some(vec![format!("{folder}**")]);
    }
    let end = extension(name(first));
    let has_end = |inner: &&str| extension(name(inner)) == end;
    if differ.iter().all(has_end) && !same.iter().any(has_end) && differ.len() > 1 {
        return Some(vec![format!("*.{end}")]);
    }
    (differ.len() <= PATTERNS).then(|| differ.iter().map(|inner| (*inner).to_owned()).collect())
}

#[cfg(test)]
mod tests {
    use rstest::rstest;

    use super::*;

    #[rstest]
    #[case::a_folder(&["knobs/a.ini", "knobs/b.ini"], &["slip.json"], Some(&["knobs/**"][..]))]
    #[case::a_folder_that_others_are_in(&["knobs/a.ini"], &["knobs/b.ini"], Some(&["knobs/a.ini"][..]))]
    #[case::an_ending(&["a.cfg", "b.cfg"], &["slip.json"], Some(&["*.cfg"][..]))]
    #[case::names(&["a.cfg", "b.json"], &["slip.json"], Some(&["a.cfg", "b.json"][..]))]
    #[case::very_many(&["a.ini", "b.cfg", "c.ini", "d.ini", "e.ini", "f.ini", "g.ini"], &[], None)]
    #[case::nothing_differs(&[], &["slip.json"], None)]
    fn the_widest_pattern_that_holds_nothing_else(
        #[case] differ: &[&str],
        #[case] same: &[&str],
        #[case] told: Option<&[&str]>,
    ) {
        let found = patterns(&differ.iter().copied().collect(), &same.iter().copied().collect());
        assert_eq!(found, told.map(|told| told.iter().map(|pattern| (*pattern).to_owned()).collect()));
    }
}
