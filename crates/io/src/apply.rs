//! Brings the paths that an alignment touches to what they are to be: forwards, or back to what they were.
//!
//! There is one way for all of it. It looks at what is there, moves what is there under another name, takes off what
//! is to be gone, and writes what is still missing; so it may be cut off anywhere and be run again, in either
//! direction. Bytes that nobody expected are copied beside the backup before anything is done to them.

use std::collections::{BTreeMap, BTreeSet, HashMap, HashSet, VecDeque};
use std::io;
use std::path::Path;
use std::sync::Mutex;
use std::sync::atomic::{AtomicBool, Ordering};

use kanon_core::base::digest::Blake3;
use kanon_core::base::path::InstallPath;

use crate::backup;
use crate::bytes::{Bytes, Handing};
use crate::error::{During, ReachError};
use crate::hashing::blake3_of;
use crate::install::{FileFingerprint, FileStatus, Install, OWN_FOLDER, locked, side_by_side};
use crate::install::{part_beginning, part_name};
use crate::open::regular;

/// What a path is to be.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Desired {
    /// Nothing is to be there.
    Absent,
    /// A file with these bytes.
    File {
        /// The digest of its bytes.
        blake3: Blake3,
        /// The time and the permission bits that it is to have; as they come when not said.
        facts: Facts,
    },
    /// A folder.
    Folder(Facts),
}

impl Desired {
    /// Whether what is there is what is wanted, as far as bytes go.
    pub fn is(self, now: Actual) -> bool {
        match (self, now) {
            (Self::File { blake3, .. }, Actual::File(digest)) => blake3 == digest,
            (Self::Absent, Actual::Absent) => true,
            _ => false,
        }
    }
}

/// The time and the permission bits of a file or folder, as far as they matter.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Facts {
    /// When it changed, in nanoseconds since 1970.
    pub modified: Option<i64>,
    /// Its permission bits.
    pub mode: Option<u32>,
}

/// What is at a path now.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Actual {
    /// Nothing.
    Absent,
    /// A file with these bytes.
    File(Blake3),
    /// A folder.
    Folder,
}

/// Files as a host told of them when their bytes were known: for one of the same size and time, they still are.
#[derive(Debug, Default)]
pub struct Seen(HashMap<(String, u64, i64), Option<Blake3>>);

impl Seen {
    /// Takes note of a file. Where two states of it look alike, as within one second of a host's clock, neither is known.
    pub fn add(&mut self, path: &str, (size, modified): (u64, i64), blake3: Blake3) {
        let known = self.0.entry((path.to_owned(), size, modified)).or_insert(Some(blake3));
        *known = known.filter(|known| *known == blake3);
    }

    fn digest(&self, path: &str, stamp: FileFingerprint) -> Option<Blake3> {
        self.0.get(&(path.to_owned(), stamp.size, stamp.modified?)).copied().flatten()
    }
}

/// What is to be brought about, and with what.
pub struct Applier<'a> {
    /// The install.
    pub install: &'a dyn Install,
    /// The number of the alignment: parts are known again by it.
    pub id: i64,
    /// What each path is to be.
    pub wants: &'a BTreeMap<InstallPath, Desired>,
    /// Digests that are expected at paths, whatever they are to be: nothing is lost when these go.
    pub expected: &'a BTreeMap<InstallPath, BTreeSet<Blake3>>,
    /// Where bytes are.
    pub bytes: &'a Bytes,
    /// Where copies go of what nobody expected.
    pub folder: &'a Path,
    /// Folders of shelves: what is emptied below them is taken away, they are not. And folders that go themselves.
    pub emptied: (&'a BTreeSet<InstallPath>, &'a BTreeSet<InstallPath>),
    /// Hears of every path that is what it is to be.
    pub done: &'a (dyn Fn(&InstallPath) -> Result<(), ReachError> + Sync),
}

/// What bringing came to.
#[derive(Debug, Clone, Default)]
pub struct ApplyOutcome {
    /// Files that have other bytes now.
    pub written: Vec<InstallPath>,
    /// Files that are gone.
    pub removed: Vec<InstallPath>,
    /// Files that nobody expected, with the copy that was kept of each.
    pub kept: Vec<(String, String)>,
}

/// What is at each path now.
///
/// # Errors
/// When one can't be looked at or read.
pub fn look(
    install: &dyn Install,
    paths: &[InstallPath],
    seen: &Seen,
) -> Result<BTreeMap<InstallPath, Actual>, ReachError> {
    let looked = side_by_side(install.side_by_side(), paths, |path| now(install, path, seen));
    paths.iter().cloned().zip(looked).map(|(path, now)| Ok((path, now?))).collect()
}

fn now(install: &dyn Install, path: &InstallPath, seen: &Seen) -> Result<Actual, ReachError> {
    let outside = install.outside(path);
    match install.look(path).during("look at", &outside)? {
        None => Ok(Actual::Absent),
        Some(FileStatus::Folder { .. }) => Ok(Actual::Folder),
        Some(FileStatus::File { stamp, .. }) => {
            let known = if install.is_remote() { seen.digest(path.as_str(), stamp) } else { None };
            let read = || {
                let (mut file, stamp) = install.open_file(path)?;
                Ok(blake3_of(&mut file, stamp.size)?.0)
            };
            known.map_or_else(|| read().during("read", &outside), Ok).map(Actual::File)
        }
        Some(FileStatus::Link | FileStatus::Other) => Err(ReachError::Link(outside)),
    }
}

impl Applier<'_> {
    /// Brings it about, from what is there now.
    ///
    /// # Errors
    /// When something can't be done; what was done by then stays, and it can be run again.
    pub fn bring(&self, now: &mut BTreeMap<InstallPath, Actual>) -> Result<ApplyOutcome, ReachError> {
        let mut brought = ApplyOutcome::default();
        self.remove_parts();
        self.make_folders()?;
        self.rename_what_is_there(now, &mut brought)?;
        self.take_off(now, &mut brought)?;
        self.write(now, &mut brought)?;
        self.set_facts()?;
        Ok(brought)
    }

    fn now(&self, now: &BTreeMap<InstallPath, Actual>, path: &InstallPath) -> Actual {
        now.get(path).copied().unwrap_or(Actual::Absent)
    }

    fn files(&self) -> impl Iterator<Item = (&InstallPath, Blake3, Facts)> {
        self.wants.iter().filter_map(|(path, want)| match want {
            Desired::File { blake3, facts } => Some((path, *blake3, *facts)),
            Desired::Absent | Desired::Folder(_) => None,
        })
    }

    /// Half-written files of a run that was cut off; almost never there.
    fn remove_parts(&self) {
        let mut folders: BTreeSet<Option<InstallPath>> = self.wants.keys().map(InstallPath::parent).collect();
        folders.insert(InstallPath::new(OWN_FOLDER).ok());
        let begins = part_beginning(self.id);
        for folder in
            folders.iter().filter(|folder| folder.as_ref().is_none_or(|folder| self.install.is_folder(folder)))
        {
            let listing = self.install.list(folder.as_ref(), 1, &HashSet::new());
            let is_part = |path: &InstallPath| path.name().starts_with(&begins) && path.name().ends_with(".part");
            for entry in listing.entries.iter().filter(|entry| is_part(&entry.path)) {
                // If it can't be removed, it harms nothing but tidiness.
                let _ = self.install.remove_file(&entry.path);
            }
        }
    }

    fn make_folders(&self) -> Result<(), ReachError> {
        for (path, _) in self.wants.iter().filter(|(_, want)| matches!(want, Desired::Folder(_))) {
            self.install.make_folders(path).during("make the folder", &self.install.outside(path))?;
        }
        Ok(())
    }

    /// What is there under a name that it is not to have is given the right one: that costs no bytes on the line.
    fn rename_what_is_there(
        &self,
        now: &mut BTreeMap<InstallPath, Actual>,
        brought: &mut ApplyOutcome,
    ) -> Result<(), ReachError> {
        let mut surplus: HashMap<Blake3, VecDeque<InstallPath>> = HashMap::new();
        for (path, there) in now.iter() {
            if let Actual::File(digest) = there
                && !self.wants.get(path).is_some_and(|want| want.is(*there))
            {
                surplus.entry(*digest).or_default().push_back(path.clone());
            }
        }
        for (to, blake3, _) in self.files() {
            if self.now(now, to) == Actual::File(blake3) {
                continue;
            }
            // One that another was renamed over has its bytes in the backup alone.
            let candidates =
                surplus.get_mut(&blake3).into_iter().flat_map(|paths| std::iter::from_fn(|| paths.pop_front()));
            let is_still = |path: &InstallPath| self.now(now, path) == Actual::File(blake3);
            let Some(from) = candidates.into_iter().find(is_still) else { continue };
            self.keep_unexpected(to, self.now(now, to), brought)?;
            self.install.rename(&from, to).during("rename", &self.install.outside(&from))?;
            now.insert(from.clone(), Actual::Absent);
            now.insert(to.clone(), Actual::File(blake3));
            brought.written.push(to.clone());
            self.settled(&from, now)?;
            self.settled(to, now)?;
        }
        Ok(())
    }

    fn settled(&self, path: &InstallPath, now: &BTreeMap<InstallPath, Actual>) -> Result<(), ReachError> {
        let is_so = self.wants.get(path).is_some_and(|want| want.is(self.now(now, path)));
        if is_so { (self.done)(path) } else { Ok(()) }
    }

    fn take_off(&self, now: &mut BTreeMap<InstallPath, Actual>, brought: &mut ApplyOutcome) -> Result<(), ReachError> {
        let absent = self.wants.iter().filter(|(_, want)| **want == Desired::Absent).map(|(path, _)| path);
        let mut folders = Vec::new();
        for path in absent {
            match self.now(now, path) {
                Actual::Absent => {}
                Actual::Folder => folders.push(path),
                Actual::File(_) if self.is_another_case_of_what_stays(path, now) => {}
                there @ Actual::File(_) => {
                    self.keep_unexpected(path, there, brought)?;
                    self.install
                        .remove_file(path)
                        .during("take off (its copy is in the backup)", &self.install.outside(path))?;
                    now.insert(path.clone(), Actual::Absent);
                    brought.removed.push(path.clone());
                    (self.done)(path)?;
                }
            }
        }
        for folder in folders.into_iter().rev() {
            // One that is not empty holds what somebody else put there, and stays.
            let _ = self.install.remove_folder(folder);
        }
        // Whenever a file went, now or before this was cut off, the folder that it leaves empty may still be there.
        for path in self.wants.iter().filter(|(_, want)| **want == Desired::Absent).map(|(path, _)| path) {
            self.remove_emptied(path);
        }
        Ok(())
    }

    /// On a system that ignores letter case, a file that is to be gone may be the one that is to stay.
    fn is_another_case_of_what_stays(&self, path: &InstallPath, now: &BTreeMap<InstallPath, Actual>) -> bool {
        let folded = path.folded();
        let mut twins = self.files().filter(|(other, ..)| *other != path && other.folded() == folded);
        twins.any(|(other, ..)| {
            let both = |listed: &InstallPath| {
                let folder = self.install.list(listed.parent().as_ref(), 1, &HashSet::new());
                folder.entries.iter().filter(|entry| entry.path.folded() == folded).count() > 1
            };
            self.now(now, other) == self.now(now, path) && !both(path)
        })
    }

    fn write(&self, now: &BTreeMap<InstallPath, Actual>, brought: &mut ApplyOutcome) -> Result<(), ReachError> {
        let missing: Vec<(&InstallPath, Blake3)> = self
            .files()
            .filter(|(path, blake3, _)| self.now(now, path) != Actual::File(*blake3))
            .map(|(path, blake3, _)| (path, blake3))
            .collect();
        for (path, _) in &missing {
            self.keep_unexpected(path, self.now(now, path), brought)?;
        }
        self.make_folders_of(missing.iter().map(|(path, _)| *path))?;
        let failed: Mutex<Option<ReachError>> = Mutex::default();
        let stop = AtomicBool::new(false);
        let mut times: HashMap<Blake3, usize> = HashMap::new();
        missing.iter().for_each(|(_, blake3)| *times.entry(*blake3).or_default() += 1);
        side_by_side(self.install.side_by_side(), &missing, |(path, blake3)| {
            if stop.load(Ordering::Relaxed) {
                return;
            }
            let is_last = times[blake3] == 1;
            let put = match self.bytes.passes(*blake3).filter(|_| is_last) {
                Some(passed) => self.move_or_put(path, *blake3, passed),
                None => self.put(path, *blake3),
            };
            let put = put.and_then(|()| (self.done)(path));
            if let Some(passed) = self.bytes.passes(*blake3).filter(|_| put.is_ok() && is_last) {
                // What stays takes room and nothing else; whoever aligns next clears it away.
                drop(std::fs::remove_file(passed));
            }
            if let Err(error) = put {
                stop.store(true, Ordering::Relaxed);
                locked(&failed).get_or_insert(error);
            }
        });
        if let Some(error) = locked(&failed).take() {
            return Err(error);
        }
        brought.written.extend(missing.into_iter().map(|(path, _)| path.clone()));
        Ok(())
    }

    /// The folders of files, outermost first: made here, once, they are not fought for by those who write side by side.
    fn make_folders_of<'p>(&self, paths: impl Iterator<Item = &'p InstallPath>) -> Result<(), ReachError> {
        let mut by_depth: BTreeMap<usize, BTreeSet<InstallPath>> = BTreeMap::new();
        for folder in paths.flat_map(|path| std::iter::successors(path.parent(), InstallPath::parent)) {
            by_depth.entry(folder.as_str().matches('/').count()).or_default().insert(folder);
        }
        for folders in by_depth.into_values() {
            let folders: Vec<InstallPath> = folders.into_iter().collect();
            let made = side_by_side(self.install.side_by_side(), &folders, |folder| {
                self.install.make_folders(folder).during("make the folder", &self.install.outside(folder))
            });
            made.into_iter().collect::<Result<Vec<()>, _>>()?;
        }
        Ok(())
    }

    /// What is on its way here and wanted nowhere else is moved where that can be, in one go: it is never at neither place.
    fn move_or_put(&self, path: &InstallPath, blake3: Blake3, passed: &Path) -> Result<(), ReachError> {
        let mode = self.mode_of(path)?;
        let is_right = regular(passed).and_then(|mut file| {
            let size = file.metadata()?.len();
            Ok(blake3_of(&mut file, size)?.0 == blake3)
        });
        if !is_right.unwrap_or(false) || !self.install.take_over(passed, path) {
            return self.put(path, blake3);
        }
        self.install.set_facts(path, None, mode).during("put in place", &self.install.outside(path))
    }

    /// The permission bits of the file that is there, if one is and they are known.
    fn mode_of(&self, path: &InstallPath) -> Result<Option<u32>, ReachError> {
        match self.install.look(path).during("look at", &self.install.outside(path))? {
            Some(FileStatus::File { mode, .. }) => Ok(mode),
            _ => Ok(None),
        }
    }

    /// Writes a file beside its place, whole, and then gives it its name.
    fn put(&self, path: &InstallPath, blake3: Blake3) -> Result<(), ReachError> {
        let outside = self.install.outside(path);
        let part = part_name(path, self.id)?;
        let mode = self.mode_of(path)?;
        let handed = self.bytes.hand_over(blake3, |source| self.install.write(&part, source));
        let placed = match handed {
            Err(Handing::Nowhere) => Err(ReachError::BytesNowhere(vec![path.to_string()])),
            Err(Handing::Failed(source)) => Err(ReachError::Io { attempt: "write", path: outside.clone(), source }),
            Ok(()) => {
                let kept = if mode.is_some() { self.install.set_facts(&part, None, mode) } else { Ok(()) };
                kept.and_then(|()| self.install.rename(&part, path)).during("put in place", &outside)
            }
        };
        if placed.is_err() {
            // Nothing more can be done about a part that can't be removed; the next run looks for it by name.
            let _ = self.install.remove_file(&part);
        }
        placed
    }

    /// Copies what is there now beside the backup, if nobody expected it there.
    fn keep_unexpected(&self, path: &InstallPath, now: Actual, brought: &mut ApplyOutcome) -> Result<(), ReachError> {
        let Actual::File(digest) = now else { return Ok(()) };
        let is_own = path.as_str().starts_with(OWN_FOLDER);
        if is_own || self.expected.get(path).is_some_and(|expected| expected.contains(&digest)) {
            return Ok(());
        }
        let outside = self.install.outside(path);
        let (copy, mut target) = backup::new_copy_of_changed(self.folder, path, digest)?;
        let (mut source, _) = self.install.open_file(path).during("read", &outside)?;
        io::copy(&mut source, &mut target).during("copy", &outside)?;
        target.sync_all().during("write", &copy)?;
        brought.kept.push((path.to_string(), copy.display().to_string()));
        Ok(())
    }

    /// A mod's folder that has no files any more is taken away, up to the shelf; unless it is to be there.
    fn remove_emptied(&self, path: &InstallPath) {
        let (places, whole) = self.emptied;
        let below_shelf = |folder: &InstallPath| {
            let is_below = |place: &InstallPath| folder.below(place).is_some();
            (places.iter().any(is_below) || whole.iter().any(|place| place == folder || is_below(place)))
                && !matches!(self.wants.get(folder), Some(Desired::Folder(_)))
        };
        for folder in std::iter::successors(path.parent(), InstallPath::parent).take_while(below_shelf) {
            if !self.is_empty(&folder) || self.install.remove_folder(&folder).is_err() {
                return;
            }
        }
    }

    fn is_empty(&self, folder: &InstallPath) -> bool {
        let listing = self.install.list(Some(folder), 1, &HashSet::new());
        self.install.is_folder(folder) && listing.entries.is_empty() && listing.refused.is_empty()
    }

    /// Last of all, and folders after what is in them, since every change inside a folder moves its time.
    fn set_facts(&self) -> Result<(), ReachError> {
        for (path, want) in self.wants.iter().rev() {
            let (Desired::File { facts, .. } | Desired::Folder(facts)) = want else { continue };
            if facts.modified.is_some() || facts.mode.is_some() {
                self.install
                    .set_facts(path, facts.modified, facts.mode)
                    .or_else(|error| if error.kind() == io::ErrorKind::Unsupported { Ok(()) } else { Err(error) })
                    .during("set the time and permissions of", &self.install.outside(path))?;
            }
        }
        Ok(())
    }
}
