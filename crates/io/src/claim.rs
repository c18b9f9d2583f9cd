//! One alignment of an install at a time: a lock on this machine, and a folder on the install that only one can make.
//!
//! The lock here goes with the process that holds it. The folder there stays behind when that is killed, and is known
//! again by what is written in it: our own is taken up again, another's is left alone.

use std::fs::{File, TryLockError};
use std::io::{self, Cursor};
use std::path::{Path, PathBuf};
use std::time::Duration;

use kanon_core::base::digest::Blake3;
use kanon_core::base::path::InstallPath;
use serde::{Deserialize, Serialize};

use crate::error::{During, ForPath, ReachError};
use crate::install::{Install, OWN_FOLDER};

/// The folder on an install that is there while an alignment is at work.
const CLAIM: &str = ".kanon/aligning";
const NOTE: &str = ".kanon/aligning/claim.json";
/// Room that is kept for the way back, while an alignment is at work.
pub(crate) const RESERVE: &str = ".kanon/aligning/reserve";
/// What small files and folders take besides.
const RESERVE_LEAST: u64 = 1 << 20;
const FORMAT: &str = "kanon-claim/1";
/// How long a claim may be without a note on a slow line.
const JUST_MADE: Duration = Duration::from_secs(1);
/// Bytes of a claim that are read.
const NOTE_BYTES: u64 = 64 << 10;

/// Who aligns, as the next one reads it.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Claimant {
    /// What tells workspaces apart, on whatever machine they are.
    pub workspace: String,
    /// Whose it is, in words.
    pub by: String,
    /// When it began, in seconds since 1970.
    pub began: i64,
    /// The number of its process.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub process: Option<u32>,
    /// The machine that it runs on.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub machine: Option<String>,
}

impl Claimant {
    /// Who it is, in words.
    pub fn told(&self) -> String {
        let process = self.process.map(|process| format!("process {process}"));
        let machine = self.machine.as_ref().map(|machine| format!("on {machine}"));
        match [process, machine].into_iter().flatten().collect::<Vec<_>>().join(" ") {
            at if at.is_empty() => self.by.clone(),
            at => format!("{} ({at})", self.by),
        }
    }
}

#[derive(Serialize, Deserialize)]
struct Note {
    format: String,
    #[serde(flatten)]
    claimant: Claimant,
}

/// What to do about a claim that another workspace left.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Others {
    /// It is respected.
    Respect,
    /// It is known to be dead, and is put aside.
    TakeOver,
}

/// The lock on this machine: nobody else here works on the install.
pub struct Lock<'i> {
    install: &'i dyn Install,
    file: LockFile,
}

/// A claim on an install, until it is released. One that is dropped before stays there: the work was interrupted. The lock
/// on this machine goes with it.
#[must_use = "a claim that is not released stays on the install"]
pub struct Claim<'i> {
    install: &'i dyn Install,
    #[expect(dead_code, reason = "the lock lives as long as this")]
    lock: LockFile,
}

impl<'i> Lock<'i> {
    /// Takes the lock.
    ///
    /// # Errors
    /// When another process here has it; the error names it.
    pub fn take(install: &'i dyn Install, locks: &Path, claimant: &Claimant) -> Result<Self, ReachError> {
        lock(install, locks, claimant).map(|file| Self { install, file })
    }

    /// Claims the install itself.
    ///
    /// # Errors
    /// When somebody elsewhere has claimed it; the error names them.
    pub fn claim(self, claimant: &Claimant, others: Others) -> Result<Claim<'i>, ReachError> {
        let claim = Claim { install: self.install, lock: self.file };
        claim.on_install(claimant, others)?;
        Ok(claim)
    }
}

/// Who works on an install of this workspace right now, if a process of this machine does.
pub fn at_work(shown: &str, locks: &Path) -> Option<Claimant> {
    let path = lock_file(shown, locks);
    let file = File::options().write(true).open(&path).ok()?;
    matches!(LockFile::take(file), Err(TryLockError::WouldBlock)).then(|| holder(&path))
}

/// Who has claimed an install, from whatever workspace; nothing where nobody has, or it can't be told.
pub fn claimed_by(install: &dyn Install) -> Option<Claimant> {
    let bytes = install.document(&own(NOTE).ok()?, NOTE_BYTES).ok()?;
    serde_json::from_slice::<Note>(&bytes).ok().map(|note| note.claimant)
}

/// What is told where somebody works on an install right now.
pub fn busy(shown: &str, holder: &Claimant) -> ReachError {
    ReachError::Busy { install: shown.into(), by: holder.told(), began: Some(holder.began), alive: true }
}

/// Who holds a lock, as far as it said so.
fn holder(lock: &Path) -> Claimant {
    let said = std::fs::read(lock.with_extension("json")).ok();
    said.and_then(|text| serde_json::from_slice(&text).ok()).unwrap_or_else(|| Claimant {
        workspace: String::new(),
        by: "another process of this workspace".to_owned(),
        began: 0,
        process: None,
        machine: None,
    })
}

/// A file that is locked until this is dropped. It is unlocked then and not just closed: a process that begins at that moment has
/// the file open too, until it is another program.
#[derive(Debug)]
pub struct LockFile(File);

impl LockFile {
    /// Locks a file.
    ///
    /// # Errors
    /// When somebody else has locked it, or it can't be.
    pub fn take(file: File) -> Result<Self, TryLockError> {
        file.try_lock()?;
        Ok(Self(file))
    }
}

impl Drop for LockFile {
    fn drop(&mut self) {
        drop(self.0.unlock());
    }
}

/// Takes the lock of a file that lies beside its holder's name.
///
/// # Errors
/// When another process here has it; the error names it.
pub fn take_lock(path: &Path, what: &str, claimant: &Claimant) -> Result<LockFile, ReachError> {
    let said = path.with_extension("json");
    let file = File::options().create(true).truncate(false).write(true).open(path).during("make the lock", path)?;
    let lock = LockFile::take(file).map_err(|error| match error {
        TryLockError::WouldBlock => busy(what, &holder(path)),
        TryLockError::Error(source) => ReachError::Io { attempt: "lock", path: path.to_owned(), source },
    })?;
    let text = serde_json::to_string(claimant).unwrap_or_default();
    crate::writing::write_whole(&said, &text)?;
    Ok(lock)
}

fn lock_file(shown: &str, locks: &Path) -> PathBuf {
    locks.join(format!("{}.lock", Blake3::of(shown.as_bytes()).short()))
}

impl Claim<'_> {
    fn on_install(&self, claimant: &Claimant, others: Others) -> Result<(), ReachError> {
        let (folder, note) = (own(CLAIM)?, own(NOTE)?);
        let outside = self.install.outside(&folder);
        self.install.make_folders(&own(OWN_FOLDER)?).during("make the folder for", &outside)?;
        match self.install.claim_folder(&folder) {
            Ok(()) => {}
            Err(error) if error.kind() == io::ErrorKind::AlreadyExists => self.settle(claimant, others)?,
            Err(source) => return Err(ReachError::Io { attempt: "claim the install by", path: outside, source }),
        }
        let text = Note { format: FORMAT.to_owned(), claimant: claimant.clone() };
        let text = serde_json::to_vec_pretty(&text).unwrap_or_default();
        self.install.write(&note, &mut Cursor::new(text)).during("claim the install by", &outside)
    }

    /// A claim that is there already: ours from before, since nobody else holds our lock; or another's.
    fn settle(&self, claimant: &Claimant, others: Others) -> Result<(), ReachError> {
        let note = own(NOTE)?;
        self.install.look_anew();
        let is_said = |install: &dyn Install| install.document(&note, NOTE_BYTES).is_ok_and(|bytes| !bytes.is_empty());
        if !is_said(self.install) {
            // One who has only just made the folder is about to say who it is.
            std::thread::sleep(JUST_MADE);
            self.install.look_anew();
        }
        match self.install.document(&note, NOTE_BYTES) {
            Ok(bytes) => match serde_json::from_slice::<Note>(&bytes) {
                Ok(note) if note.claimant.workspace == claimant.workspace || others == Others::TakeOver => Ok(()),
                Ok(note) => Err(self.busy(&note.claimant)),
                // It was cut off before it could say who it was: by then it had done nothing.
                Err(_) => Ok(()),
            },
            Err(error) if error.kind() == io::ErrorKind::NotFound => Ok(()),
            Err(source) => {
                Err(ReachError::Io { attempt: "read who claimed", path: self.install.shown().into(), source })
            }
        }
    }

    fn busy(&self, holder: &Claimant) -> ReachError {
        let (install, by) = (self.install.shown().to_owned(), holder.told());
        ReachError::Busy { install: install.into(), by, began: Some(holder.began), alive: false }
    }

    /// Takes the claim off the install; the lock stays until the claim is dropped.
    ///
    /// # Errors
    /// When the claim can't be taken off; the next alignment from here will.
    pub fn release(&self) -> Result<(), ReachError> {
        take_off(self.install)
    }
}

/// A file that keeps room on the disk of an install, until it is dropped. One that a kill left goes with the claim.
pub struct Reserve(PathBuf);

impl Reserve {
    /// Keeps room for so many bytes and a little more; nothing where the file system can't promise any.
    pub fn take(install: &Path, bytes: u64) -> Option<Self> {
        let path = install.join(RESERVE);
        let file = File::create(&path).ok()?;
        let kept = Self(path);
        fill(&file, bytes.saturating_add(RESERVE_LEAST)).ok().map(|()| kept)
    }
}

impl Drop for Reserve {
    fn drop(&mut self) {
        // What can't be removed now goes with the claim.
        let _ = std::fs::remove_file(&self.0);
    }
}

#[cfg(unix)]
fn fill(file: &File, bytes: u64) -> io::Result<()> {
    Ok(rustix::fs::fallocate(file, rustix::fs::FallocateFlags::empty(), 0, bytes)?)
}

#[cfg(not(unix))]
fn fill(file: &File, bytes: u64) -> io::Result<()> {
    file.set_len(bytes)
}

/// Takes off what there is of a claim, which is known to be ours.
///
/// # Errors
/// When it can't be taken off.
pub fn take_off(install: &dyn Install) -> Result<(), ReachError> {
    let (folder, note) = (own(CLAIM)?, own(NOTE)?);
    let outside = install.outside(&folder);
    if install.is_there(&folder) {
        install.remove_file(&note).during("take off", &outside)?;
        let reserve = own(RESERVE)?;
        if !install.is_remote() || install.is_there(&reserve) {
            install.remove_file(&reserve).during("take off", &outside)?;
        }
        install.remove_folder(&folder).during("take off", &outside)?;
    }
    Ok(())
}

fn own(path: &str) -> Result<InstallPath, ReachError> {
    InstallPath::new(path).for_path(path)
}

fn lock(install: &dyn Install, locks: &Path, claimant: &Claimant) -> Result<LockFile, ReachError> {
    std::fs::create_dir_all(locks).during("make the folder", locks)?;
    take_lock(&lock_file(install.shown(), locks), install.shown(), claimant)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::install::LocalInstall;

    fn take<'i>(
        install: &'i LocalInstall,
        locks: &Path,
        claimant: &Claimant,
        others: Others,
    ) -> Result<Claim<'i>, ReachError> {
        Lock::take(install, locks, claimant)?.claim(claimant, others)
    }

    fn claimant(workspace: &str) -> Claimant {
        Claimant {
            workspace: workspace.to_owned(),
            by: format!("mara in {workspace}"),
            began: 9,
            process: None,
            machine: None,
        }
    }

    #[test]
    fn the_second_is_refused_and_told_who_the_first_is() {
        let temp = tempfile::tempdir().expect("a folder");
        let install = LocalInstall::open(temp.path()).expect("open");
        let (ours, theirs) = (temp.path().join("ours"), temp.path().join("theirs"));
        let first = take(&install, &ours, &claimant("reach"), Others::Respect).expect("free");
        for (locks, who) in [(&ours, "reach"), (&theirs, "other")] {
            let second = take(&install, locks, &claimant(who), Others::Respect);
            let Some(ReachError::Busy { by, began, .. }) = second.err() else { panic!("{who} was not refused") };
            assert_eq!((by.as_str(), began), ("mara in reach", Some(9)));
        }
        first.release().expect("released");
        assert!(!temp.path().join(CLAIM).exists());
        take(&install, &theirs, &claimant("other"), Others::Respect).expect("free again").release().expect("ok");
    }

    #[test]
    fn what_a_killed_one_left_is_taken_up_by_its_own_workspace_or_by_whoever_is_told_to() {
        let temp = tempfile::tempdir().expect("a folder");
        let install = LocalInstall::open(temp.path()).expect("open");
        let (ours, theirs) = (temp.path().join("ours"), temp.path().join("theirs"));
        drop(take(&install, &ours, &claimant("reach"), Others::Respect).expect("free"));
        drop(take(&install, &ours, &claimant("reach"), Others::Respect).expect("our own"));
        assert!(take(&install, &theirs, &claimant("other"), Others::Respect).is_err());
        drop(take(&install, &theirs, &claimant("other"), Others::TakeOver).expect("taken over"));
        std::fs::remove_file(temp.path().join(NOTE)).expect("removed");
        take(&install, &ours, &claimant("reach"), Others::Respect).expect("no note").release().expect("ok");
    }
}
