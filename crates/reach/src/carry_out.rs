//! Carries a plan out: everything that it will touch is backed up and journalled first, then each step is done.
//!
//! When a step fails, all is taken back at once. When the program is killed, the journal says so, and the next
//! alignment or undo takes it back to the byte.

use std::collections::BTreeSet;
use std::fs::File;
use std::io::{self, Write};
use std::path::{Path, PathBuf};
use std::time::{Duration, SystemTime, UNIX_EPOCH};

use cap_std::fs::OpenOptions;
use kanon_core::align::{Action, Plan, Step};
use kanon_core::digest::Blake3;
use kanon_core::path::InstallPath;
use serde::Serialize;

use crate::bytes::Bytes;
use crate::error::{During, ReachError};
use crate::hashing::both_of;
use crate::install::{LocalInstall, OWN_FOLDER, nanoseconds};
use crate::progress::Progress;
use crate::state::{AlignmentState, Before, State};
use crate::undo::take_back;

/// Where an install says what the last alignment put there.
const RECEIPT: &str = ".kanon/receipt.json";

/// What is carried out, and where.
pub struct Order<'a> {
    /// The install.
    pub install: &'a LocalInstall,
    /// Its name.
    pub name: &'a str,
    /// The steps.
    pub plan: &'a Plan,
    /// The folders of its shelves: a folder below them that an alignment empties is taken away, they are not.
    pub places: BTreeSet<InstallPath>,
    /// What the receipt will say is there: path, size and digest.
    pub receipt: Receipt,
    /// Where the bytes of new files are.
    pub bytes: &'a Bytes,
    /// Where backups are kept.
    pub backups: &'a Path,
}

/// What the last alignment put on an install.
#[derive(Debug, Clone, Serialize)]
pub struct Receipt {
    /// `kanon-receipt/1`.
    pub format: &'static str,
    /// The digest of the canon.
    pub canon: Blake3,
    /// The files of the canon on this install.
    pub files: Vec<ReceiptFile>,
}

/// One file of a receipt.
#[derive(Debug, Clone, Serialize)]
pub struct ReceiptFile {
    /// From the root of the install.
    pub path: InstallPath,
    /// Its size in bytes.
    pub size: u64,
    /// Its digest.
    pub blake3: Blake3,
}

/// Carries a plan out and returns the alignment's number in the journal.
///
/// # Errors
/// When anything fails; by then everything is taken back, unless the error says otherwise.
pub fn carry_out(order: &Order<'_>, state: &mut State, progress: &dyn Progress) -> Result<i64, ReachError> {
    let lock = Lock::take(order.backups)?;
    let receipt = serde_json::to_string_pretty(&order.receipt).unwrap_or_default() + "\n";
    refuse_links(order)?;
    refuse_nowhere(order)?;
    progress.ahead(order.plan.bytes());
    let id = journal(order, state)?;
    let done = backed_up(order, state, id)
        .and_then(|bytes| steps(order, state, (id, &bytes), progress))
        .and_then(|()| write_receipt(order, id, &receipt));
    if let Err(error) = done {
        take_back(order.install, state, id, order.backups)?;
        return Err(error);
    }
    state.end(id, AlignmentState::Done)?;
    drop(lock);
    Ok(id)
}

/// Holds off other alignments of the same workspace, until it is dropped.
pub struct Lock(#[expect(dead_code, reason = "the lock lives as long as the file is open")] File);

impl Lock {
    /// Takes the lock beside the backups.
    ///
    /// # Errors
    /// When another process holds it, or the folder can't be written.
    pub fn take(backups: &Path) -> Result<Self, ReachError> {
        std::fs::create_dir_all(backups).during("make the folder", backups)?;
        let path = backups.join("lock");
        let file = File::create(&path).during("make the lock", &path)?;
        match file.try_lock() {
            Ok(()) => Ok(Self(file)),
            Err(std::fs::TryLockError::WouldBlock) => Err(ReachError::Busy(path)),
            Err(std::fs::TryLockError::Error(source)) => Err(ReachError::Io { attempt: "take the lock", path, source }),
        }
    }
}

/// Where the copies of one alignment are.
pub fn backup_of(backups: &Path, id: i64) -> PathBuf {
    backups.join(id.to_string())
}

fn touched(plan: &Plan) -> BTreeSet<InstallPath> {
    let mut paths: BTreeSet<InstallPath> = plan.steps.iter().map(|step| step.path.clone()).collect();
    paths.extend(
        plan.steps
            .iter()
            .filter_map(|step| if let Action::Rename { from } = &step.action { Some(from.clone()) } else { None }),
    );
    paths
}

fn refuse_links(order: &Order<'_>) -> Result<(), ReachError> {
    for path in touched(order.plan) {
        let through = std::iter::successors(Some(path.clone()), InstallPath::parent);
        for part in through {
            if order.install.dir().symlink_metadata(part.as_str()).is_ok_and(|metadata| metadata.is_symlink()) {
                return Err(ReachError::Link(order.install.outside(&part)));
            }
        }
    }
    Ok(())
}

fn refuse_nowhere(order: &Order<'_>) -> Result<(), ReachError> {
    let lacking = order.bytes.lacking(&order.plan.wanted());
    let of = |step: &&Step| matches!(step.action, Action::Put { blake3 } | Action::Replace { blake3 } if lacking.contains(&blake3));
    let names: Vec<String> = order.plan.steps.iter().filter(of).map(|step| step.path.to_string()).collect();
    if names.is_empty() { Ok(()) } else { Err(ReachError::BytesNowhere(names)) }
}

fn journal(order: &Order<'_>, state: &mut State) -> Result<i64, ReachError> {
    let steps = serde_json::to_string(&order.plan.steps).unwrap_or_default();
    let began = SystemTime::now().duration_since(UNIX_EPOCH).unwrap_or(Duration::ZERO).as_secs();
    state.begin(order.name, &order.install.root().to_string_lossy(), began.cast_signed(), &steps)
}

/// Copies everything that will be touched, and notes what is not there yet, before anything is touched.
///
/// Returns where bytes can be found now: two files that change places are each other's only source.
fn backed_up(order: &Order<'_>, state: &mut State, id: i64) -> Result<Bytes, ReachError> {
    let folder = backup_of(order.backups, id);
    std::fs::create_dir_all(&folder).during("make the folder", &folder)?;
    let mut paths = touched(order.plan);
    paths.extend(InstallPath::new(RECEIPT).ok());
    let mut before: Vec<(String, Before)> = Vec::new();
    let folders: BTreeSet<String> = paths
        .iter()
        .flat_map(|path| std::iter::successors(path.parent(), InstallPath::parent))
        .map(String::from)
        .collect();
    for path in folders.iter().map(String::as_str).chain(std::iter::once(".")) {
        before.push((path.to_owned(), folder_before(order.install, path)?));
    }
    for (number, path) in paths.iter().enumerate() {
        before.push((path.to_string(), file_before(order.install, path, &folder, number)?));
    }
    File::open(&folder).and_then(|folder| folder.sync_all()).or_else(ignore_unsupported).during("flush", &folder)?;
    state.record_before(id, &before)?;
    let mut bytes = order.bytes.clone();
    for (_, was) in &before {
        if let Before::File { copy, blake3, .. } = was {
            bytes.add(*blake3, folder.join(copy));
        }
    }
    Ok(bytes)
}

/// Some systems can't flush a folder; there it is not needed.
fn ignore_unsupported(error: io::Error) -> io::Result<()> {
    if cfg!(unix) { Err(error) } else { Ok(()) }
}

fn folder_before(install: &LocalInstall, path: &str) -> Result<Before, ReachError> {
    match install.dir().metadata(path) {
        Ok(metadata) => {
            let modified = metadata
                .modified()
                .map(cap_std::time::SystemTime::into_std)
                .during("read the time of", Path::new(path))?;
            Ok(Before::Folder { modified: nanoseconds(modified), mode: mode(&metadata) })
        }
        Err(error) if error.kind() == io::ErrorKind::NotFound => Ok(Before::Absent),
        Err(source) => Err(ReachError::Io { attempt: "look at", path: install.root().join(path), source }),
    }
}

/// The permission bits, where the system has them.
#[cfg(unix)]
fn mode(metadata: &cap_std::fs::Metadata) -> u32 {
    use cap_std::fs::MetadataExt;
    metadata.mode() & 0o7777
}

#[cfg(not(unix))]
fn mode(_: &cap_std::fs::Metadata) -> u32 {
    0
}

fn file_before(install: &LocalInstall, path: &InstallPath, folder: &Path, number: usize) -> Result<Before, ReachError> {
    let outside = install.outside(path);
    let mut source = match install.dir().open(path.as_str()) {
        Ok(file) => file,
        Err(error) if error.kind() == io::ErrorKind::NotFound => return Ok(Before::Absent),
        Err(source) => return Err(ReachError::Io { attempt: "back up", path: outside, source }),
    };
    let metadata = source.metadata().during("look at", &outside)?;
    let modified = metadata.modified().map(cap_std::time::SystemTime::into_std).during("read the time of", &outside)?;
    let copy = number.to_string();
    let mut target = File::create(folder.join(&copy)).during("back up", &outside)?;
    let (blake3, _) =
        both_of(&mut source, metadata.len(), |chunk| target.write_all(chunk)).during("back up", &outside)?;
    target.sync_all().during("back up", &outside)?;
    Ok(Before::File { copy, blake3, modified: nanoseconds(modified), mode: mode(&metadata) })
}

fn steps(
    order: &Order<'_>,
    state: &State,
    (id, bytes): (i64, &Bytes),
    progress: &dyn Progress,
) -> Result<(), ReachError> {
    for (number, step) in order.plan.steps.iter().enumerate() {
        match &step.action {
            Action::Park => remove(order, &step.path)?,
            Action::Rename { from } => rename(order, from, &step.path)?,
            Action::Put { blake3 } => put(order, &step.path, (*blake3, bytes), (id, Room::Free))?,
            Action::Replace { blake3 } => put(order, &step.path, (*blake3, bytes), (id, Room::Taken))?,
        }
        state.step_done(id, u32::try_from(number).unwrap_or(u32::MAX))?;
        progress.done(step.bytes);
    }
    Ok(())
}

/// Whether a file is expected to be where another is put.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Room {
    Free,
    Taken,
}

fn remove(order: &Order<'_>, path: &InstallPath) -> Result<(), ReachError> {
    order
        .install
        .dir()
        .remove_file(path.as_str())
        .during("take off (its copy is in the backup)", &order.install.outside(path))?;
    remove_emptied(order, path);
    Ok(())
}

fn rename(order: &Order<'_>, from: &InstallPath, to: &InstallPath) -> Result<(), ReachError> {
    let dir = order.install.dir();
    let only_case = from.folded() == to.folded();
    if !only_case && dir.symlink_metadata(to.as_str()).is_ok() {
        return Err(ReachError::Changed(order.install.outside(to)));
    }
    make_parents(order, to)?;
    dir.rename(from.as_str(), dir, to.as_str()).during("rename", &order.install.outside(from))?;
    remove_emptied(order, from);
    Ok(())
}

/// A mod's folder that has no files any more is taken away, up to the shelf.
fn remove_emptied(order: &Order<'_>, path: &InstallPath) {
    let below_shelf = |folder: &InstallPath| order.places.iter().any(|place| folder.below(place).is_some());
    let folders = std::iter::successors(path.parent(), InstallPath::parent).take_while(below_shelf);
    for folder in folders {
        if order.install.dir().remove_dir(folder.as_str()).is_err() {
            return;
        }
    }
}

fn make_parents(order: &Order<'_>, path: &InstallPath) -> Result<(), ReachError> {
    match path.parent() {
        Some(parent) => order
            .install
            .dir()
            .create_dir_all(parent.as_str())
            .during("make the folder", &order.install.outside(&parent)),
        None => Ok(()),
    }
}

fn put(
    order: &Order<'_>,
    path: &InstallPath,
    (blake3, bytes): (Blake3, &Bytes),
    (id, room): (i64, Room),
) -> Result<(), ReachError> {
    let dir = order.install.dir();
    let outside = order.install.outside(path);
    make_parents(order, path)?;
    let old = dir.symlink_metadata(path.as_str()).ok();
    if room == Room::Free && old.is_some() {
        return Err(ReachError::Changed(outside));
    }
    let part = part_name(path, id)?;
    let made = bytes.copy(blake3, || {
        dir.open_with(part.as_str(), OpenOptions::new().write(true).create(true).truncate(true))
            .map(cap_std::fs::File::into_std)
    });
    let finished = made.and_then(|(file, _)| {
        keep_mode(&file, old.as_ref()).and_then(|()| file.sync_all()).during("write", &outside)?;
        drop(file);
        dir.rename(part.as_str(), dir, path.as_str()).during("put in place", &outside)
    });
    if finished.is_err() {
        // Nothing more can be done about a part that can't be removed; undo looks for it by name.
        let _ = dir.remove_file(part.as_str());
    }
    finished?;
    flush_folder(order.install, path);
    Ok(())
}

/// The name under which a file is written until it is whole.
pub fn part_name(path: &InstallPath, id: i64) -> Result<InstallPath, ReachError> {
    let name = format!(".kanon-{id}-{}.part", Blake3::of(path.as_str().as_bytes()).short());
    let part = match path.parent() {
        Some(parent) => parent.join(&name),
        None => InstallPath::new(&name),
    };
    part.map_err(|error| ReachError::Plan(error.into()))
}

#[cfg(unix)]
fn keep_mode(file: &File, old: Option<&cap_std::fs::Metadata>) -> io::Result<()> {
    use std::os::unix::fs::PermissionsExt;
    old.map_or(Ok(()), |old| file.set_permissions(std::fs::Permissions::from_mode(mode(old))))
}

#[cfg(not(unix))]
fn keep_mode(_: &File, _: Option<&cap_std::fs::Metadata>) -> io::Result<()> {
    Ok(())
}

/// Makes a rename last through a power cut, where folders can be flushed.
pub fn flush_folder(install: &LocalInstall, path: &InstallPath) {
    let folder = path.parent().map_or_else(|| install.root().to_owned(), |parent| install.outside(&parent));
    // A folder that can't be opened to be flushed is no reason to fail: the rename itself was done.
    let _ = File::open(folder).and_then(|folder| folder.sync_all());
}

fn write_receipt(order: &Order<'_>, id: i64, text: &str) -> Result<(), ReachError> {
    let dir = order.install.dir();
    let outside = order.install.root().join(RECEIPT);
    let part = format!("{OWN_FOLDER}/receipt-{id}.part");
    dir.create_dir_all(OWN_FOLDER).during("make the folder for", &outside)?;
    dir.write(&part, text).and_then(|()| dir.rename(&part, dir, RECEIPT)).during("write", &outside)
}
