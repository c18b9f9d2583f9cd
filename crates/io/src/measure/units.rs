//! From listings to units: the files that belong to one mod, on which shelf, and what can't be one.
//!
//! Units that lie in one folder make a group; what is remembered is remembered by group.

use std::collections::HashSet;

use kanon_core::base::path::{InstallPath, off_limits};
use kanon_core::rulebook::{Holds, Named, Shelf};
use kanon_core::survey::Unreadable;
use rayon::prelude::*;

use super::lists::wild_places;
use super::request::Request;
use crate::install::{Entry, FileFingerprint, FileStatus, Install, Kind, Listing};

/// The depth to which a mod's folder is listed.
const FOLDER_DEPTH: usize = 32;

/// One mod-to-be: a file, or a folder.
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
    /// What it is on the disk.
    pub form: Form,
}

/// What a unit is on the disk.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Form {
    /// A folder with the files of its group.
    Folder,
    /// A file.
    File,
    /// A link to a file inside the install.
    Link,
    /// A file that is no mod by its name: only looked at to see if it is a download that was not unpacked.
    Suspect,
}

/// The units of one folder: one that is the folder itself, or one for each file in it.
pub struct Group<'r> {
    /// What is remembered of it is remembered under this.
    pub key: String,
    /// The folder.
    pub folder: InstallPath,
    /// Its files, by path.
    pub files: Vec<(InstallPath, FileFingerprint)>,
    /// Its units, in the order of the files where there is one for each.
    pub units: Vec<Unit<'r>>,
}

/// All groups of an install.
#[derive(Default)]
pub struct Shelved<'r> {
    /// The groups.
    pub groups: Vec<Group<'r>>,
    /// What could not be looked at.
    pub unreadable: Vec<Unreadable>,
    /// Folders on shelves of single files: mods may have gone astray in them.
    pub side_folders: Vec<InstallPath>,
    /// How many of the rulebook's places are there.
    pub places_found: usize,
}

/// Lists the shelves of an install and sorts what is there into units.
pub fn shelve<'r>(install: &dyn Install, request: Request<'r>) -> Shelved<'r> {
    let mut shelved = Shelved::default();
    let wild = wild_places(install, request.rulebook, request.role);
    for shelf in &request.rulebook.shelves {
        for place in shelf.places(request.role).iter().chain(wild.get(&shelf.name).into_iter().flatten()) {
            match install.is_there(place) {
                false => continue,
                true if install.is_folder(place) => {}
                true => {
                    shelved.places_found += 1;
                    shelved.no_folder(shelf, place);
                    continue;
                }
            }
            match shelf.holds {
                Holds::Archives | Holds::Files | Holds::Overlays => shelved.files(install, shelf, place),
                Holds::Folders | Holds::ArchivesOrFolders => shelved.folders(install, shelf, place),
                Holds::Ids => continue,
            }
            shelved.places_found += 1;
        }
    }
    shelved
}

impl<'r> Shelved<'r> {
    /// What stands where a shelf should be, and can't be looked into without leaving the install.
    fn no_folder(&mut self, shelf: &Shelf, place: &InstallPath) {
        let why = "it is no folder of this install, but a file, or a link that leads out of it or nowhere".to_owned();
        let (path, shelf) = (place.to_string(), Some(shelf.name.clone()));
        self.unreadable.push(Unreadable { path, shelf, why, is_file: false, still_packed: false, files: Vec::new() });
    }

    fn files(&mut self, install: &dyn Install, shelf: &'r Shelf, place: &InstallPath) {
        let listing = listed(install, place, 1);
        self.refuse(shelf, &listing);
        self.groups.extend(file_group(install, shelf, (place, place), &listing));
        self.side_folders.extend(listing.entries.into_iter().filter(|e| e.kind == Kind::Folder).map(|e| e.path));
    }

    fn folders(&mut self, install: &dyn Install, shelf: &'r Shelf, place: &InstallPath) {
        let top = listed(install, place, 1);
        self.refuse(shelf, &top);
        self.groups.extend(file_group(install, shelf, (place, place), &top));
        let folders: Vec<InstallPath> =
            top.entries.into_iter().filter(|entry| entry.kind == Kind::Folder).map(|entry| entry.path).collect();
        let found: Vec<(Option<Group<'r>>, Listing)> = folders
            .into_par_iter()
            .filter(|folder| shelf.classify_folder(folder.name()) != Named::NoMod)
            .map(|folder| {
                let mut listing = listed(install, &folder, FOLDER_DEPTH);
                let files = files_of(std::mem::take(&mut listing.entries));
                (folder_group(shelf, place, folder, files), listing)
            })
            .collect();
        for (group, listing) in found {
            self.groups.extend(group);
            self.refuse(shelf, &listing);
        }
    }

    fn refuse(&mut self, shelf: &Shelf, listing: &Listing) {
        for (path, why) in &listing.refused {
            if self.unreadable.iter().all(|other| other.path != *path) {
                let (path, why, shelf) = (path.clone(), why.to_string(), Some(shelf.name.clone()));
                self.unreadable.push(Unreadable {
                    path,
                    shelf,
                    why,
                    is_file: false,
                    still_packed: false,
                    files: Vec::new(),
                });
            }
        }
    }
}

/// What is in a place, but for what is Kanon's own: that is no mod, whatever a shelf says.
fn listed(install: &dyn Install, place: &InstallPath, depth: usize) -> Listing {
    let mut listing = install.list(Some(place), depth, &HashSet::new());
    listing.entries.retain(|entry| off_limits(entry.path.as_str()).is_none());
    listing
}

fn files_of(entries: Vec<Entry>) -> Vec<(InstallPath, FileFingerprint)> {
    let files = entries.into_iter().filter_map(|entry| match entry.kind {
        Kind::File(stamp) => Some((entry.path, stamp)),
        Kind::Folder => None,
    });
    files.collect()
}

/// The files of one folder that are mods, or may be downloads of mods. They count as lying in `place`.
pub fn file_group<'r>(
    install: &dyn Install,
    shelf: &'r Shelf,
    (folder, place): (&InstallPath, &InstallPath),
    listing: &Listing,
) -> Option<Group<'r>> {
    let mut found: Vec<(Unit<'r>, FileFingerprint)> = listing
        .entries
        .iter()
        .filter_map(|entry| match entry.kind {
            Kind::File(stamp) => Some((file_unit(install, shelf, place, &entry.path)?, stamp)),
            Kind::Folder => None,
        })
        .collect();
    found.sort_by(|a, b| a.0.path.cmp(&b.0.path));
    let files = found.iter().map(|(unit, stamp)| (unit.path.clone(), *stamp)).collect();
    let units: Vec<Unit<'r>> = found.into_iter().map(|(unit, _)| unit).collect();
    (!units.is_empty()).then(|| Group { key: key(shelf, folder), folder: folder.clone(), files, units })
}

fn key(shelf: &Shelf, folder: &InstallPath) -> String {
    format!("{}\n{folder}", shelf.name)
}

fn file_unit<'r>(install: &dyn Install, shelf: &'r Shelf, place: &InstallPath, path: &InstallPath) -> Option<Unit<'r>> {
    let file_name = path.name().to_owned();
    let is_link = || matches!(install.look(path), Ok(Some(FileStatus::Link)));
    let form = || if is_link() { Form::Link } else { Form::File };
    let (name, enabled, form) = match shelf.classify(&file_name) {
        _ if shelf.holds == Holds::Folders => (file_name, true, Form::Suspect),
        Named::Enabled if shelf.holds.folders() && shelf.matches.is_empty() && !has_archive_name(&file_name) => {
            (file_name, true, Form::Suspect)
        }
        Named::Enabled => (file_name, true, form()),
        Named::Disabled { enabled } => (enabled, false, form()),
        Named::NoMod => (file_name, true, Form::Suspect),
    };
    let wanted = form != Form::Suspect || has_archive_name(&name);
    wanted.then(|| Unit { shelf, place: place.clone(), path: path.clone(), name, enabled, form })
}

/// A folder that is a mod, with its files.
pub fn folder_group<'r>(
    shelf: &'r Shelf,
    place: &InstallPath,
    folder: InstallPath,
    mut files: Vec<(InstallPath, FileFingerprint)>,
) -> Option<Group<'r>> {
    let (name, enabled) = match shelf.classify_folder(folder.name()) {
        Named::Enabled => (folder.name().to_owned(), true),
        Named::Disabled { enabled } => (enabled, false),
        Named::NoMod => return None,
    };
    files.sort_unstable_by(|a, b| a.0.cmp(&b.0));
    let unit = Unit { shelf, place: place.clone(), path: folder.clone(), name, enabled, form: Form::Folder };
    Some(Group { key: key(shelf, &folder), folder, files, units: vec![unit] })
}

fn has_archive_name(name: &str) -> bool {
    let name = name.to_lowercase();
    [".zip", ".7z", ".rar", ".tar", ".tar.gz", ".tgz", ".tar.xz", ".tar.zst"].iter().any(|end| name.ends_with(end))
}

/// A unit that could not be read, for the survey.
pub fn unreadable(unit: &Unit<'_>, why: String, still_packed: bool) -> Unreadable {
    Unreadable {
        path: unit.path.to_string(),
        shelf: Some(unit.shelf.name.clone()),
        why,
        is_file: matches!(unit.form, Form::File | Form::Suspect),
        still_packed,
        files: Vec::new(),
    }
}
