//! Keys and signatures: the public keys of the ring, those that mods bring, and what lies beside signed files.

use std::collections::{HashMap, HashSet};

use kanon_core::base::digest::Blake3;
use kanon_core::base::limits;
use kanon_core::base::path::InstallPath;
use kanon_core::rulebook::{Keyring, Role, Rulebook};
use kanon_core::survey::{SignedNames, SurveyedKey, SurveyedMod};

use crate::install::{Install, Kind};

/// Notes the signatures of every mod on a signed shelf, and gives all public keys.
pub fn keys(install: &dyn Install, rulebook: &Rulebook, role: Role, mods: &mut [SurveyedMod]) -> Vec<SurveyedKey> {
    let mut keys = Vec::new();
    for shelf in &rulebook.shelves {
        let Some(signed) = &shelf.signed else { continue };
        let names = SignedNames::new(signed);
        let mut places: HashMap<InstallPath, Vec<InstallPath>> = HashMap::new();
        for found in mods.iter_mut().filter(|found| found.shelf == shelf.name) {
            // Mods that are single files share what lies beside them.
            let inner: Vec<InstallPath>;
            let there = if shelf.holds.files() {
                &*places.entry(found.place.clone()).or_insert_with(|| files_in(install, &found.place))
            } else {
                inner = found.files.iter().map(|file| file.path.clone()).collect();
                &inner
            };
            found.signatures = names.signatures(found, there);
            let own = names.keys(found, there);
            keys.extend(own.into_iter().filter_map(|(name, path)| key(install, name, path, Some(found), false)));
        }
    }
    keys.extend(rulebook.keyring.iter().flat_map(|ring| ring_keys(install, rulebook, ring, role)));
    keys.sort_by(|a, b| a.path.cmp(&b.path));
    keys.dedup_by(|a, b| a.path == b.path);
    keys
}

/// The files of a place, a few folders deep.
fn files_in(install: &dyn Install, place: &InstallPath) -> Vec<InstallPath> {
    let listing = install.list(Some(place).filter(|place| !place.is_root()), 3, &HashSet::new());
    let files = listing.entries.into_iter().filter(|entry| matches!(entry.kind, Kind::File(_)));
    files.map(|entry| entry.path).collect()
}

/// What is called like a key, and what the rulebook says is the game's own; other files in the folder are none of ours.
fn ring_keys(install: &dyn Install, rulebook: &Rulebook, ring: &Keyring, role: Role) -> Vec<SurveyedKey> {
    let places = ring.places.of(role).iter().filter(|place| install.is_folder(place));
    let files = places.flat_map(|place| install.list(Some(place), 1, &HashSet::new()).entries);
    files
        .filter(|entry| matches!(entry.kind, Kind::File(_)))
        .filter_map(|entry| {
            let own = ring.own.iter().any(|own| own.fits(entry.path.name()));
            let mut signed = rulebook.shelves.iter().filter_map(|shelf| shelf.signed.as_ref()).peekable();
            if !own && signed.peek().is_some() && !signed.any(|rule| SignedNames::is_key_name(rule, entry.path.name()))
            {
                return None;
            }
            let name = entry.path.name().rsplit_once('.').map_or(entry.path.name(), |(stem, _)| stem).to_owned();
            key(install, name, entry.path, None, own)
        })
        .collect()
}

/// One key; one that can't be read is passed over here and shows as unreadable where it belongs to a mod.
fn key(
    install: &dyn Install,
    name: String,
    path: InstallPath,
    of_mod: Option<&SurveyedMod>,
    own: bool,
) -> Option<SurveyedKey> {
    let bytes = install.document(&path, limits::DOCUMENT_BYTES).ok()?;
    let of_mod = of_mod.map(|found| found.manifest.id.clone());
    Some(SurveyedKey {
        name: name.into(),
        path,
        size: bytes.len() as u64,
        blake3: Blake3::of(&bytes),
        of_mod,
        own,
        problem: None,
    })
}
