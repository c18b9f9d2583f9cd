//! Mods that lie near a shelf, where the game does not look: one folder too deep, at the root, or on the other side's shelf.

use std::collections::HashSet;

use kanon_core::base::path::InstallPath;
use kanon_core::rulebook::{Holds, Named, Role, Shelf};

use super::request::Request;
use super::units::{Form, Group, file_group, folder_group};
use crate::install::{FileFingerprint, Install, Kind};

/// How deep a folder that holds no mod is looked into for one.
const DEPTH: usize = 32;

/// Finds groups near the shelves.
pub fn near<'r>(
    install: &dyn Install,
    request: Request<'r>,
    side_folders: &[InstallPath],
    hollow: &[InstallPath],
) -> Vec<Group<'r>> {
    let mut strays = Vec::new();
    for shelf in &request.rulebook.shelves {
        let Some(place) = shelf.places(request.role).first() else { continue };
        match shelf.holds {
            Holds::Archives | Holds::Files | Holds::Overlays if !shelf.matches.is_empty() => {
                let folders = folders_near(install, request, shelf, side_folders);
                strays.extend(folders.into_iter().filter_map(|folder| files_in(install, shelf, place, folder)));
            }
            Holds::Folders => {
                let here = hollow.iter().filter(|folder| folder.below(place).is_some());
                strays.extend(here.flat_map(|folder| folders_in(install, shelf, folder)));
            }
            _ => {}
        }
    }
    strays
}

/// The root, folders on the shelf, and the places that the other side's shelf has.
fn folders_near(
    install: &dyn Install,
    request: Request<'_>,
    shelf: &Shelf,
    side_folders: &[InstallPath],
) -> Vec<Option<InstallPath>> {
    let own: HashSet<&InstallPath> = shelf.places(request.role).iter().collect();
    let other = if request.role == Role::Server { Role::Client } else { Role::Server };
    let others = shelf.places(other).iter().filter(|place| !own.contains(place) && install.is_folder(place));
    let side = side_folders.iter().filter(|folder| folder.parent().is_some_and(|parent| own.contains(&parent)));
    let root = (!own.iter().any(|place| place.is_root())).then_some(None);
    root.into_iter().chain(others.chain(side).cloned().map(Some)).collect()
}

/// Files with a mod's name in a folder. What only looks like a download is let be: it is not on the shelf.
fn files_in<'r>(
    install: &dyn Install,
    shelf: &'r Shelf,
    place: &InstallPath,
    folder: Option<InstallPath>,
) -> Option<Group<'r>> {
    let mut listing = install.list(folder.as_ref(), 1, &HashSet::new());
    let is_meant =
        |name: &str| shelf.classify(name) == Named::Enabled || shelf.beside.iter().any(|called| called.fits(name));
    listing.entries.retain(|entry| is_meant(entry.path.name()));
    let named = folder.unwrap_or_else(|| place.clone());
    let mut group = file_group(install, shelf, (&named, place), &listing)?;
    group.key.push_str("\nstrays");
    group.units.retain(|unit| unit.form != Form::Suspect);
    Some(group)
}

/// Each folder inside a hollow one, as if it stood on the shelf itself.
fn folders_in<'r>(install: &dyn Install, shelf: &'r Shelf, hollow: &InstallPath) -> Vec<Group<'r>> {
    let listing = install.list(Some(hollow), DEPTH, &HashSet::new());
    let is_inner = |path: &InstallPath| path.parent().as_ref() == Some(hollow);
    let inner = listing.entries.iter().filter(|entry| entry.kind == Kind::Folder && is_inner(&entry.path));
    inner
        .filter_map(|folder| {
            let files: Vec<(InstallPath, FileFingerprint)> = listing
                .entries
                .iter()
                .filter_map(|entry| match entry.kind {
                    Kind::File(stamp) if entry.path.below(&folder.path).is_some() => Some((entry.path.clone(), stamp)),
                    _ => None,
                })
                .collect();
            folder_group(shelf, hollow, folder.path.clone(), files)
        })
        .collect()
}
