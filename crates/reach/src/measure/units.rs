//! From a listing to units: the files that belong to one mod, on which shelf, and what can't be one.

use std::collections::{BTreeMap, HashSet};

use kanon_core::path::InstallPath;
use kanon_core::rulebook::{Holds, Named, Shelf};
use kanon_core::survey::Unreadable;

use super::Request;
use crate::install::{Entry, Kind, Listing, LocalInstall, Stamp};

/// The depth to which a mod's folder is listed.
const FOLDER_DEPTH: usize = 32;

/// One mod-to-be: a file, or a folder with its files.
pub struct Unit<'r> {
    /// The shelf it is on.
    pub shelf: &'r Shelf,
    /// Which of the shelf's places.
    pub place: InstallPath,
    /// The file or folder.
    pub path: InstallPath,
    /// What it is called when enabled.
    pub name: String,
    /// Whether the game will load it.
    pub enabled: bool,
    /// Whether it is a folder.
    pub is_folder: bool,
    /// Whether it is a link.
    pub is_link: bool,
    /// Whether it is only looked at to see if it is a download that was not unpacked.
    pub suspect: bool,
    /// Its files.
    pub files: Vec<(InstallPath, Stamp)>,
}

/// All units of an install.
#[derive(Default)]
pub struct Shelved<'r> {
    /// The units.
    pub units: Vec<Unit<'r>>,
    /// What could not be looked at.
    pub unreadable: Vec<Unreadable>,
    /// Folders on shelves of single files: mods may have gone astray in them.
    pub side_folders: Vec<InstallPath>,
    /// How many of the rulebook's places are there.
    pub places_found: usize,
}

/// Lists the shelves of an install and sorts what is there into units.
pub fn shelve<'r>(install: &LocalInstall, request: Request<'r>) -> Shelved<'r> {
    let mut shelved = Shelved::default();
    let mut listed: BTreeMap<InstallPath, Listing> = BTreeMap::new();
    for shelf in &request.rulebook.shelves {
        let depth = match shelf.holds {
            Holds::Archives | Holds::Files => 1,
            Holds::Folders => FOLDER_DEPTH,
            Holds::Overlays | Holds::Ids => continue,
        };
        for place in shelf.places(request.role) {
            if !install.is_folder(place) {
                continue;
            }
            shelved.places_found += 1;
            let key = place.clone();
            let listing = install.list(Some(place), depth, &HashSet::new());
            take_refused(shelf, &listing, &mut shelved);
            sort_out(install, shelf, place, &listing, &mut shelved);
            listed.insert(key, listing);
        }
    }
    shelved
}

fn take_refused(shelf: &Shelf, listing: &Listing, shelved: &mut Shelved<'_>) {
    for (path, why) in &listing.refused {
        let known = shelved.unreadable.iter().any(|other| other.path == *path);
        if !known {
            let (path, why) = (path.clone(), why.clone());
            shelved.unreadable.push(Unreadable {
                path,
                shelf: Some(shelf.name.clone()),
                why,
                is_file: false,
                still_packed: false,
            });
        }
    }
}

fn sort_out<'r>(
    install: &LocalInstall,
    shelf: &'r Shelf,
    place: &InstallPath,
    listing: &Listing,
    shelved: &mut Shelved<'r>,
) {
    let folders = shelf.holds == Holds::Folders;
    let mut inner: BTreeMap<&str, Vec<(InstallPath, Stamp)>> = BTreeMap::new();
    for entry in &listing.entries {
        let Some(below) = entry.path.below(place) else { continue };
        match (entry.kind, below.split_once('/')) {
            (Kind::File(stamp), Some((first, _))) => inner.entry(first).or_default().push((entry.path.clone(), stamp)),
            (Kind::File(stamp), None) => {
                shelved.units.extend(file_unit(install, shelf, place, entry, stamp));
            }
            (Kind::Folder, None) if !folders => shelved.side_folders.push(entry.path.clone()),
            (Kind::Folder, None) => {
                inner.entry(below).or_default();
            }
            (Kind::Folder, Some(_)) => {}
        }
    }
    if folders {
        shelved.units.extend(inner.into_iter().filter_map(|(name, files)| folder_unit(shelf, place, name, files)));
    }
}

/// A file on a shelf: a mod, or perhaps a download that was not unpacked.
pub fn file_unit<'r>(
    install: &LocalInstall,
    shelf: &'r Shelf,
    place: &InstallPath,
    entry: &Entry,
    stamp: Stamp,
) -> Option<Unit<'r>> {
    let file_name = entry.path.name().to_owned();
    let packed = has_archive_name(&file_name);
    let (name, enabled, suspect) = match shelf.classify(&file_name) {
        _ if shelf.holds == Holds::Folders => (file_name, true, true),
        Named::Enabled => (file_name, true, false),
        Named::Disabled { enabled } => (enabled, false, false),
        Named::NoMod => (file_name, true, true),
    };
    if suspect && !packed {
        return None;
    }
    Some(Unit {
        shelf,
        place: place.clone(),
        path: entry.path.clone(),
        name,
        enabled,
        is_folder: false,
        is_link: install.dir().symlink_metadata(entry.path.as_str()).is_ok_and(|metadata| metadata.is_symlink()),
        suspect,
        files: vec![(entry.path.clone(), stamp)],
    })
}

/// A folder on a shelf of folders.
pub fn folder_unit<'r>(
    shelf: &'r Shelf,
    place: &InstallPath,
    name: &str,
    mut files: Vec<(InstallPath, Stamp)>,
) -> Option<Unit<'r>> {
    let (enabled_name, enabled) = match shelf.classify(name) {
        Named::Enabled => (name.to_owned(), true),
        Named::Disabled { enabled } => (enabled, false),
        Named::NoMod => return None,
    };
    files.sort_by(|a, b| a.0.cmp(&b.0));
    Some(Unit {
        shelf,
        place: place.clone(),
        path: place.join(name).ok()?,
        name: enabled_name,
        enabled,
        is_folder: true,
        is_link: false,
        suspect: false,
        files,
    })
}

fn has_archive_name(name: &str) -> bool {
    let name = name.to_lowercase();
    [".zip", ".7z", ".rar", ".tar", ".tar.gz", ".tgz", ".tar.xz", ".tar.zst"].iter().any(|end| name.ends_with(end))
}
