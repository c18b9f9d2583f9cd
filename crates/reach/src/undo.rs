//! Takes an alignment back: bytes, names, permissions and times are again what the journal says they were.
//!
//! It looks at nothing but the journal and what is there now, so it works after a kill at any moment and may be
//! run twice. What was changed after the alignment is kept beside the backup, never lost.

use std::fs::File;
use std::io::{self, Write};
use std::path::Path;
use std::time::{Duration, SystemTime, UNIX_EPOCH};

use cap_fs_ext::{DirExt, SystemTimeSpec};
use cap_std::fs::OpenOptions;
use kanon_core::align::{Action, Step};
use kanon_core::digest::Blake3;
use kanon_core::path::InstallPath;

use crate::carry_out::{backup_of, flush_folder, part_name};
use crate::error::{During, ReachError};
use crate::hashing::{blake3_of, both_of};
use crate::install::LocalInstall;
use crate::state::{AlignmentState, Before, State};

/// What taking back came to.
#[derive(Debug, Clone, Default)]
pub struct TakenBack {
    /// Files that are again what they were.
    pub restored: Vec<String>,
    /// Files that the alignment had put there and that are gone again.
    pub removed: Vec<String>,
    /// Files that were changed after the alignment, with the copy that was kept of each.
    pub kept: Vec<(String, String)>,
}

/// Takes one alignment back and journals that it is.
///
/// # Errors
/// When something can't be restored; what was restored by then stays, and it can be run again.
pub fn take_back(install: &LocalInstall, state: &State, id: i64, backups: &Path) -> Result<TakenBack, ReachError> {
    let before = state.before(id)?;
    let steps =
        state.alignments(None)?.into_iter().find(|alignment| alignment.id == id).map(|alignment| alignment.steps);
    let back =
        Back { install, id, folder: &backup_of(backups, id), steps: &steps.unwrap_or_default(), before: &before };
    let mut taken = TakenBack::default();
    back.remove_parts(&before);
    back.make_folders(&before)?;
    for (path, was) in &before {
        back.file(path, was, &mut taken)?;
    }
    back.remove_folders(&before);
    back.folder_times(&before)?;
    state.end(id, AlignmentState::Undone)?;
    Ok(taken)
}

struct Back<'a> {
    install: &'a LocalInstall,
    id: i64,
    folder: &'a Path,
    steps: &'a [Step],
    before: &'a [(String, Before)],
}

impl Back<'_> {
    fn outside(&self, path: &str) -> std::path::PathBuf {
        self.install.root().join(path)
    }

    /// Half-written files of an alignment that was cut off.
    fn remove_parts(&self, before: &[(String, Before)]) {
        for path in before.iter().filter_map(|(path, _)| InstallPath::new(path).ok()) {
            if let Ok(part) = part_name(&path, self.id) {
                // Almost never there; and if it can't be removed, it harms nothing but tidiness.
                let _ = self.install.dir().remove_file(part.as_str());
            }
        }
        let _ = self.install.dir().remove_file(format!(".kanon/receipt-{}.part", self.id));
    }

    fn make_folders(&self, before: &[(String, Before)]) -> Result<(), ReachError> {
        for (path, was) in before {
            if matches!(was, Before::Folder { .. }) && path != "." {
                self.install.dir().create_dir_all(path).during("make the folder", &self.outside(path))?;
            }
        }
        Ok(())
    }

    fn file(&self, path: &str, was: &Before, taken: &mut TakenBack) -> Result<(), ReachError> {
        match was {
            Before::Folder { .. } => Ok(()),
            Before::Absent if self.install.dir().metadata(path).is_ok_and(|metadata| metadata.is_dir()) => Ok(()),
            Before::Absent => self.remove(path, taken),
            Before::File { copy, blake3, modified, mode } => {
                self.restore(path, (copy, *blake3), (*modified, *mode), taken)
            }
        }
    }

    fn digest_now(&self, path: &str) -> Result<Option<Blake3>, ReachError> {
        match self.install.dir().open(path) {
            Ok(mut file) => {
                let size = file.metadata().map_or(0, |metadata| metadata.len());
                blake3_of(&mut file, size).map(|(digest, _)| Some(digest)).during("read", &self.outside(path))
            }
            Err(error) if error.kind() == io::ErrorKind::NotFound => Ok(None),
            Err(source) => Err(ReachError::Io { attempt: "read", path: self.outside(path), source }),
        }
    }

    /// The digest that a path had before the alignment.
    fn was(&self, path: &str) -> Option<Blake3> {
        self.before.iter().find_map(|(known, was)| match was {
            Before::File { blake3, .. } if known == path => Some(*blake3),
            _ => None,
        })
    }

    /// Whether the alignment itself left these bytes there.
    fn is_ours(&self, path: &str, digest: Blake3, before: Option<Blake3>) -> bool {
        let put = |step: &Step| match &step.action {
            Action::Put { blake3 } | Action::Replace { blake3 } => step.path.as_str() == path && *blake3 == digest,
            Action::Rename { from } => step.path.as_str() == path && self.was(from.as_str()) == Some(digest),
            Action::Park => false,
        };
        before == Some(digest) || path.starts_with(".kanon/") || self.steps.iter().any(put)
    }

    fn remove(&self, path: &str, taken: &mut TakenBack) -> Result<(), ReachError> {
        let Some(now) = self.digest_now(path)? else { return Ok(()) };
        if !self.is_ours(path, now, None) {
            self.keep(path, taken)?;
        }
        self.install.dir().remove_file(path).during("take off again", &self.outside(path))?;
        if !path.starts_with(".kanon/") {
            taken.removed.push(path.to_owned());
        }
        Ok(())
    }

    /// Copies what is there now beside the backup: somebody changed it after the alignment.
    fn keep(&self, path: &str, taken: &mut TakenBack) -> Result<(), ReachError> {
        let copy = self.folder.join(format!("changed-since-{}", Blake3::of(path.as_bytes()).short()));
        let mut source = self.install.dir().open(path).during("read", &self.outside(path))?;
        let mut target = File::create(&copy).during("make", &copy)?;
        both_of(&mut source, 0, |chunk| target.write_all(chunk)).during("copy", &self.outside(path))?;
        target.sync_all().during("write", &copy)?;
        taken.kept.push((path.to_owned(), copy.display().to_string()));
        Ok(())
    }

    fn restore(
        &self,
        path: &str,
        (copy, blake3): (&str, Blake3),
        (modified, mode): (i64, u32),
        taken: &mut TakenBack,
    ) -> Result<(), ReachError> {
        let outside = self.outside(path);
        let now = self.digest_now(path)?;
        if now == Some(blake3) {
            return self.times_and_mode(path, modified, mode);
        }
        if now.is_some_and(|now| !self.is_ours(path, now, Some(blake3))) {
            self.keep(path, taken)?;
        }
        let target = InstallPath::new(path).map_err(|error| ReachError::Plan(error.into()))?;
        let part = part_name(&target, self.id)?;
        let dir = self.install.dir();
        let mut source = File::open(self.folder.join(copy)).during("open the backup of", &outside)?;
        let mut file = dir
            .open_with(part.as_str(), OpenOptions::new().write(true).create(true).truncate(true))
            .during("restore", &outside)?;
        let size = source.metadata().map_or(0, |metadata| metadata.len());
        let (found, _) = both_of(&mut source, size, |chunk| file.write_all(chunk)).during("restore", &outside)?;
        if found != blake3 {
            return Err(ReachError::Unusable {
                path: self.folder.join(copy),
                reason: format!("it is no longer the copy of {path} that was made"),
            });
        }
        file.sync_all().during("restore", &outside)?;
        drop(file);
        dir.rename(part.as_str(), dir, path).during("put back in place", &outside)?;
        flush_folder(self.install, &target);
        taken.restored.push(path.to_owned());
        self.times_and_mode(path, modified, mode)
    }

    fn times_and_mode(&self, path: &str, modified: i64, mode: u32) -> Result<(), ReachError> {
        let outside = self.outside(path);
        set_mode(self.install, path, mode).during("set the permissions of", &outside)?;
        self.install.dir().set_mtime(path, time(modified)).during("set the time of", &outside)
    }

    /// Folders that the alignment made, deepest first; one that somebody has put something into stays.
    fn remove_folders(&self, before: &[(String, Before)]) {
        for (path, _) in before.iter().rev().filter(|(_, was)| *was == Before::Absent) {
            if self.install.dir().metadata(path).is_ok_and(|metadata| metadata.is_dir()) {
                // It is not empty: then it is not ours to take away.
                let _ = self.install.dir().remove_dir(path);
            }
        }
    }

    /// Last of all, since every change inside a folder moves its time.
    fn folder_times(&self, before: &[(String, Before)]) -> Result<(), ReachError> {
        for (path, was) in before.iter().rev() {
            if let Before::Folder { modified, mode } = was {
                self.times_and_mode(path, *modified, *mode)?;
            }
        }
        Ok(())
    }
}

fn time(nanoseconds: i64) -> SystemTimeSpec {
    let since = Duration::from_nanos(nanoseconds.unsigned_abs());
    let time: SystemTime = if nanoseconds >= 0 { UNIX_EPOCH + since } else { UNIX_EPOCH - since };
    SystemTimeSpec::Absolute(cap_std::time::SystemTime::from_std(time))
}

#[cfg(unix)]
fn set_mode(install: &LocalInstall, path: &str, mode: u32) -> io::Result<()> {
    use cap_std::fs::PermissionsExt;
    install.dir().set_permissions(path, cap_std::fs::Permissions::from_mode(mode))
}

#[cfg(not(unix))]
fn set_mode(_: &LocalInstall, _: &str, _: u32) -> io::Result<()> {
    Ok(())
}
