//! Mods that lie near a shelf, where the game does not look: one folder too deep, at the root, or on the other side's shelf.

use std::collections::HashSet;

use kanon_core::path::InstallPath;
use kanon_core::rulebook::{Holds, Named, Role, Shelf};

use super::Request;
use super::mods::Outcome;
use super::units::{Shelved, Unit, file_unit, folder_unit};
use crate::install::{Entry, Kind, LocalInstall, Stamp};

/// How deep a folder that holds no mod is looked into for one.
const DEPTH: usize = 32;

/// Finds units near the shelves.
pub fn near<'r>(
    install: &LocalInstall,
    request: Request<'r>,
    shelved: &Shelved<'_>,
    outcomes: &[Outcome],
) -> Shelved<'r> {
    let mut strays = Shelved::default();
    for shelf in &request.rulebook.shelves {
        let Some(place) = shelf.places(request.role).first() else { continue };
        match shelf.holds {
            Holds::Archives | Holds::Files if !shelf.matches.is_empty() => {
                for folder in folders_near(install, request, shelf, shelved) {
                    strays.units.extend(files_in(install, shelf, place, folder.as_ref()));
                }
            }
            Holds::Folders => {
                let hollow = outcomes
                    .iter()
                    .filter_map(|outcome| outcome.hollow.as_ref())
                    .filter(|folder| folder.below(place).is_some());
                strays.units.extend(hollow.flat_map(|folder| folders_in(install, shelf, folder)));
            }
            _ => {}
        }
    }
    strays
}

/// The root, folders on the shelf, and the places that the other side's shelf has.
fn folders_near(
    install: &LocalInstall,
    request: Request<'_>,
    shelf: &Shelf,
    shelved: &Shelved<'_>,
) -> Vec<Option<InstallPath>> {
    let own: HashSet<&InstallPath> = shelf.places(request.role).iter().collect();
    let other = if request.role == Role::Server { Role::Client } else { Role::Server };
    let others = shelf.places(other).iter().filter(|place| !own.contains(place) && install.is_folder(place));
    let side = shelved.side_folders.iter().filter(|folder| folder.parent().is_some_and(|parent| own.contains(&parent)));
    std::iter::once(None).chain(others.chain(side).cloned().map(Some)).collect()
}

fn files_in<'r>(
    install: &LocalInstall,
    shelf: &'r Shelf,
    place: &InstallPath,
    folder: Option<&InstallPath>,
) -> Vec<Unit<'r>> {
    let listing = install.list(folder, 1, &HashSet::new());
    let named = |entry: &Entry| matches!(shelf.classify(entry.path.name()), Named::Enabled);
    let units = listing.entries.iter().filter(|entry| named(entry)).filter_map(|entry| match entry.kind {
        Kind::File(stamp) => file_unit(install, shelf, place, entry, stamp),
        Kind::Folder => None,
    });
    units.collect()
}

/// Each folder inside a hollow one, as if it stood on the shelf itself.
fn folders_in<'r>(install: &LocalInstall, shelf: &'r Shelf, hollow: &InstallPath) -> Vec<Unit<'r>> {
    let listing = install.list(Some(hollow), DEPTH, &HashSet::new());
    let inner = listing
        .entries
        .iter()
        .filter(|entry| entry.kind == Kind::Folder && entry.path.parent().as_ref() == Some(hollow));
    inner
        .filter_map(|folder| {
            let files: Vec<(InstallPath, Stamp)> = listing
                .entries
                .iter()
                .filter_map(|entry| match entry.kind {
                    Kind::File(stamp) if entry.path.below(&folder.path).is_some() => Some((entry.path.clone(), stamp)),
                    _ => None,
                })
                .collect();
            folder_unit(shelf, hollow, folder.path.name(), files)
        })
        .collect()
}
