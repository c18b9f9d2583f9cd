//! What mods bring for the game's own files and folders, as it is on an install: entries of data files, and files outside the
//! shelves.

use std::collections::BTreeSet;
use std::io;

use kanon_core::base::limits;
use kanon_core::base::path::InstallPath;
use kanon_core::delta::inner_of;
use kanon_core::edits;
use kanon_core::rulebook::{Role, Rulebook};
use kanon_core::survey::{Additions, DataEntry, FileProblem, PlacedFile, SurveyedData, SurveyedMod};
use kanon_core::text::{self, Encoding};

use super::request::OutsideShelves;
use crate::hashing::blake3_of;
use crate::install::Install;

/// The data files into which mods merge entries.
pub fn data(install: &dyn Install, rulebook: &Rulebook, role: Role) -> Vec<SurveyedData> {
    let mut files: Vec<SurveyedData> = Vec::new();
    for rule in rulebook.fragments.iter().filter(|rule| rule.of.is_none_or(|of| of == role)) {
        if files.iter().any(|data| data.file == rule.into) {
            continue;
        }
        let read = match install.document(&rule.into, limits::DOCUMENT_BYTES + 1) {
            Ok(bytes) => text::text(&bytes, Encoding::Utf8)
                .map_err(|error| FileProblem::of(&error))
                .and_then(|text| edits::anchored(&text, rule).map_err(|error| FileProblem::of(&error))),
            // A file that is not there may be another side's, unless the rule says whose it is.
            Err(error) if error.kind() == io::ErrorKind::NotFound && rule.of.is_none() => continue,
            Err(error) => Err(FileProblem::from(error)),
        };
        let (entries, problem) = match read {
            Ok(found) => {
                (found.into_iter().map(|entry| DataEntry { key: entry.key, blake3: entry.digest }).collect(), None)
            }
            Err(why) => (Vec::new(), Some(why)),
        };
        files.push(SurveyedData { file: rule.into.clone(), entries, problem });
    }
    files
}

/// The files outside the shelves that may be mods': those that installed mods bring, that the canon's mods bring, and that
/// the last alignment put there.
pub fn placed(
    install: &dyn Install,
    rulebook: &Rulebook,
    role: Role,
    mods: &[SurveyedMod],
    beside: OutsideShelves<'_>,
) -> Vec<PlacedFile> {
    let mut paths: BTreeSet<InstallPath> = beside.placed.iter().cloned().collect();
    for found in mods {
        let extras = rulebook.shelf(&found.shelf).map_or(&[][..], |shelf| &shelf.extras);
        for (rule, file) in extras.iter().flat_map(|rule| found.files.iter().map(move |file| (rule, file))) {
            let Some(inner) = file.path.below(&found.path).and_then(|own| inner_of(rule, own)) else { continue };
            paths.extend(rule.places.of(role).iter().filter_map(|place| place.join(inner).ok()));
        }
    }
    let brought = beside.receipt.and_then(|receipt| receipt.brought.as_ref());
    paths.extend(brought.iter().flat_map(|brought| &brought.files).map(|file| file.path.clone()));
    let digest = |path: &InstallPath| {
        let (mut file, stamp) = install.open_file(path).ok()?;
        blake3_of(&mut file, stamp.size).ok().map(|(digest, _)| digest)
    };
    paths.into_iter().map(|path| PlacedFile { blake3: digest(&path), path }).collect()
}

/// What the last alignment put beside the shelves.
pub fn brought(beside: OutsideShelves<'_>) -> Option<Additions> {
    beside.receipt.and_then(|receipt| receipt.brought.clone()).filter(|brought| *brought != Additions::default())
}
