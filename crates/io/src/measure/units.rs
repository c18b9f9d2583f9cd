//! From listings to units: the files that belong to one mod, on which shelf, and what can't be one.
//!
//! Units that lie in one folder make a group; what is remembered is remembered by group.

use std::borrow::Cow;
use std::collections::{HashMap, HashSet};

use kanon_core::base::ids::folded;
use kanon_core::base::path::{InstallPath, off_limits};
use kanon_core::rulebook::{BesideName, Holds, Named, Shelf};
use kanon_core::survey::Unreadable;
use rayon::prelude::*;

use super::lists::wild_places;
use super::request::Request;
use crate::install::{Entry, FileFingerprint, FileStatus, Install, Kind, Listing};

/// The depth to which a mod's folder is listed.
const FOLDER_DEPTH: usize = 32;

/// One mod-to-be: a file with what lies beside it, or a folder.
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
    /// Of a file: which of its group's it is.
    pub at: usize,
    /// Which files of its group lie beside it and belong to it, and how the rulebook calls such.
    pub beside: Vec<(usize, &'r BesideName)>,
}

impl Unit<'_> {
    /// Of a file: which of its group's are its own, the one that it is called by first.
    pub fn files(&self) -> impl Iterator<Item = usize> {
        std::iter::once(self.at).chain(self.beside.iter().map(|(at, _)| *at))
    }
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

/// The units of one folder: one that is the folder itself, or those that are files in it.
pub struct Group<'r> {
    /// What is remembered of it is remembered under this.
    pub key: String,
    /// The folder.
    pub folder: InstallPath,
    /// Its files, by path.
    pub files: Vec<(InstallPath, FileFingerprint)>,
    /// Its units.
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
        let mut top = listed(install, place, 1);
        self.refuse(shelf, &top);
        let folders: Vec<InstallPath> =
            top.entries.iter().filter(|entry| entry.kind == Kind::Folder).map(|entry| entry.path.clone()).collect();
        let found: Vec<(Option<Group<'r>>, Listing)> = folders
            .into_par_iter()
            .filter(|folder| shelf.classify_folder(folder.name()) != Named::NoMod)
            .map(|folder| {
                let mut listing = listed(install, &folder, FOLDER_DEPTH);
                let files = files_of(std::mem::take(&mut listing.entries));
                (folder_group(shelf, place, folder, files), listing)
            })
            .collect();
        let mut groups = Vec::new();
        for (group, listing) in found {
            groups.extend(group);
            self.refuse(shelf, &listing);
        }
        give_what_is_beside(shelf, &mut groups, &mut top);
        self.groups.extend(file_group(install, shelf, (place, place), &top));
        self.groups.extend(groups);
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
    let mut files = files_of(listing.entries.clone());
    files.sort_unstable_by(|a, b| a.0.cmp(&b.0));
    let unit = |(at, (path, _)): (usize, &(InstallPath, FileFingerprint))| {
        Some(Unit { at, ..file_unit(install, shelf, place, path)? })
    };
    let mut units: Vec<Unit<'r>> = files.iter().enumerate().filter_map(unit).collect();
    gather_beside(shelf, &mut units, &files);
    let files = with_files_kept(shelf, &mut units, files);
    (!files.is_empty()).then(|| Group { key: key(shelf, folder), folder: folder.clone(), files, units })
}

/// The files of a folder by name, for what lies beside mods: each belongs to one.
struct Besides<'f> {
    by_name: HashMap<Cow<'f, str>, usize>,
    taken: HashSet<usize>,
}

impl<'f> Besides<'f> {
    fn of(files: &'f [(InstallPath, FileFingerprint)]) -> Self {
        let by_name = files.iter().enumerate().map(|(at, (path, _))| (folded(path.name()), at)).collect();
        Self { by_name, taken: HashSet::new() }
    }

    /// Takes what lies beside a unit, but for a file that is `own`: which files, and how the rulebook calls such. Beside a mod that
    /// is switched off a file may be so too.
    fn take<'r>(&mut self, unit: &Unit<'r>, own: Option<usize>) -> Vec<(usize, &'r BesideName)> {
        let (shelf, mut found) = (unit.shelf, Vec::new());
        for called in &shelf.beside {
            let on = called.of(&unit.name);
            let off = shelf.off.iter().filter(|_| !unit.enabled).map(|off| off.disabled_name(&on));
            let mut names = std::iter::once(on.clone()).chain(off);
            let here = names.find_map(|name| self.by_name.get(&*folded(&name)).copied());
            let free = here.filter(|at| Some(*at) != own && self.taken.insert(*at));
            found.extend(free.map(|at| (at, called)));
        }
        found
    }
}

/// Gives each unit what lies beside it; what belongs to another is no unit itself.
fn gather_beside(shelf: &Shelf, units: &mut Vec<Unit<'_>>, files: &[(InstallPath, FileFingerprint)]) {
    if shelf.beside.is_empty() {
        return;
    }
    let mut besides = Besides::of(files);
    // Where a mod is there twice, switched on and off, what lies beside them is of the one that is on.
    units.sort_by_key(|unit| (unit.form == Form::Suspect, !unit.enabled, unit.at));
    for unit in units.iter_mut().filter(|unit| unit.form != Form::Suspect) {
        if !besides.taken.contains(&unit.at) {
            unit.beside = besides.take(unit, Some(unit.at));
        }
    }
    units.retain(|unit| !besides.taken.contains(&unit.at));
    units.sort_by_key(|unit| unit.at);
}

/// Gives folders what lies beside them; those files are then no others'.
fn give_what_is_beside(shelf: &Shelf, groups: &mut [Group<'_>], top: &mut Listing) {
    if shelf.beside.is_empty() {
        return;
    }
    let files = files_of(top.entries.clone());
    let mut besides = Besides::of(&files);
    groups.sort_by_key(|group| group.units.iter().any(|unit| !unit.enabled));
    for Group { files: own, units, .. } in groups {
        for unit in units {
            for (at, called) in besides.take(unit, None) {
                unit.beside.push((own.len(), called));
                own.push(files[at].clone());
            }
        }
    }
    let taken: HashSet<&InstallPath> = besides.taken.iter().map(|at| &files[*at].0).collect();
    top.entries.retain(|entry| !taken.contains(&entry.path));
}

/// Of the files of a folder those that are units, lie beside one, or would, were its own file there.
fn with_files_kept(
    shelf: &Shelf,
    units: &mut [Unit<'_>],
    files: Vec<(InstallPath, FileFingerprint)>,
) -> Vec<(InstallPath, FileFingerprint)> {
    let own: HashSet<usize> = units.iter().flat_map(Unit::files).collect();
    let is_loose = |path: &InstallPath| shelf.beside.iter().any(|called| called.fits(path.name()));
    let kept: Vec<usize> = (0..files.len()).filter(|at| own.contains(at) || is_loose(&files[*at].0)).collect();
    let now: HashMap<usize, usize> = kept.iter().enumerate().map(|(now, was)| (*was, now)).collect();
    for unit in units {
        unit.at = now[&unit.at];
        unit.beside.iter_mut().for_each(|(at, _)| *at = now[at]);
    }
    let mut kept = kept.into_iter().peekable();
    files.into_iter().enumerate().filter(|(at, _)| kept.next_if_eq(at).is_some()).map(|(_, file)| file).collect()
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
    let unit =
        || Unit { shelf, place: place.clone(), path: path.clone(), name, enabled, form, at: 0, beside: Vec::new() };
    wanted.then(unit)
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
    let (place, path, form) = (place.clone(), folder.clone(), Form::Folder);
    let unit = Unit { shelf, place, path, name, enabled, form, at: 0, beside: Vec::new() };
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
