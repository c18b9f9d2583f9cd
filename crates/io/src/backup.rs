//! The backup of one alignment: copies of what was touched, each under its own path, and a manifest that says of what. With the
//! journal gone, the manifest is enough to take the alignment back.

use std::fs::{File, Metadata};
use std::path::{Path, PathBuf};

use kanon_core::base::digest::Blake3;
use kanon_core::base::names::InstallName;
use kanon_core::base::path::InstallPath;
use kanon_core::plan::Step;
use serde::{Deserialize, Serialize};

use crate::error::{BackupFault, CopyFault, During, ReachError, Unfit};
use crate::hashing::blake3_of;
use crate::open::{read_bounded, regular};
use crate::state::{Alignment, AlignmentState, Before};
use crate::writing::write_whole;

const MANIFEST: &str = "manifest.json";
const FORMAT: &str = "kanon-backup/1";
/// The folder of a backup in which copies lie as they did on the install.
const FILES: &str = "files";
/// The folder of a backup for what nobody expected to find on the install.
const CHANGED: &str = "changed-since";

/// What a backup says of itself.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct Manifest {
    format: String,
    /// The alignment's number.
    alignment: i64,
    /// The install's name.
    install: InstallName,
    /// Its folder or address.
    root: String,
    /// When it began, in seconds since 1970.
    began: i64,
    /// Its steps.
    steps: Vec<Step>,
    /// What each path was before.
    before: Vec<(String, Before)>,
}

impl Manifest {
    /// The manifest of an alignment, and what paths were before it.
    pub fn new(alignment: &Alignment, before: Vec<(String, Before)>) -> Self {
        let Alignment { id, install, root, began, steps, .. } = alignment.clone();
        Self { format: FORMAT.to_owned(), alignment: id, install, root, began, steps, before }
    }

    /// Writes it into the backup's folder.
    ///
    /// # Errors
    /// When it can't be written.
    pub fn write(&self, folder: &Path) -> Result<(), ReachError> {
        let text = serde_json::to_string_pretty(self).unwrap_or_default();
        write_whole(&folder.join(MANIFEST), &(text + "\n"))
    }

    /// Reads the manifest of a backup.
    ///
    /// # Errors
    /// When there is none, or it can't be understood.
    pub fn read(folder: &Path) -> Result<Self, ReachError> {
        let path = folder.join(MANIFEST);
        let text = read_bounded(&path, kanon_core::base::limits::SURVEY_BYTES)
            .during("read the manifest of the backup", &path)?;
        let unusable = |reason: Unfit| ReachError::unusable(path.clone(), reason);
        let manifest: Self = serde_json::from_slice(&text).map_err(|error| {
            unusable(BackupFault::BadManifest(kanon_core::base::path::printable(&error.to_string())).into())
        })?;
        let is_sound =
            manifest.format == FORMAT && manifest.before.iter().all(|(path, _)| InstallPath::folder(path).is_ok());
        if is_sound { Ok(manifest) } else { Err(unusable(BackupFault::NoManifest.into())) }
    }

    /// Whether a backup has copies of what nobody expected to find.
    pub fn has_changed(folder: &Path) -> bool {
        let names = std::fs::read_dir(folder).into_iter().flatten().flatten().map(|entry| entry.file_name());
        names.into_iter().any(|name| name.to_string_lossy().starts_with(CHANGED))
    }

    /// The alignment as the journal would know it, carried out as far as it may be, and what paths were before.
    pub fn alignment(&self) -> (Alignment, &[(String, Before)]) {
        let Self { alignment: id, install, root, began, steps, .. } = self.clone();
        let alignment =
            Alignment { id, install, root, began, state: AlignmentState::Done, pruned: false, steps, steps_done: 0 };
        (alignment, &self.before)
    }
}

/// The greatest number of a backup in a folder of them.
pub fn newest(backups: &Path) -> i64 {
    let names = std::fs::read_dir(backups).into_iter().flatten().flatten().map(|entry| entry.file_name());
    names.filter_map(|name| name.to_str()?.parse().ok()).max().unwrap_or(0)
}

/// Makes the file for the copy of what is at a path, and says what it is called in the backup: as on the install, so that
/// people find it. Where this machine can't call it so (letter case, reserved names), a number will do.
///
/// # Errors
/// When no file can be made.
pub fn new_copy(folder: &Path, path: &InstallPath, number: usize) -> Result<(String, File), ReachError> {
    let own = format!("{FILES}/{path}");
    if let Ok(file) = make(&folder.join(&own)) {
        return Ok((own, file));
    }
    let (number, copy) = (number.to_string(), folder.join(number.to_string()));
    Ok((number, File::create(&copy).during("make", &copy)?))
}

/// From so many bytes on a file that goes from its place gets a second name in the backup, where that can be, and is not copied.
const LINKED: u64 = 16 << 20;

/// Gives a file on this machine a second name in a backup on the same disk; nothing where that can't be, or it is not worth it. Only for
/// one that goes from its place: what stays there may be written into, and the backup would change with it.
pub fn linked_copy(folder: &Path, path: &InstallPath, (source, size): (&Path, u64)) -> Option<String> {
    if size < LINKED {
        return None;
    }
    let own = format!("{FILES}/{path}");
    let copy = folder.join(&own);
    std::fs::create_dir_all(copy.parent()?).ok()?;
    std::fs::hard_link(source, &copy).ok()?;
    Some(own)
}

/// Makes the file for the copy of what nobody expected at a path; `digest` tells several of one path apart.
///
/// # Errors
/// When no file can be made.
pub fn new_copy_of_changed(folder: &Path, path: &InstallPath, digest: Blake3) -> Result<(PathBuf, File), ReachError> {
    let own = folder.join(CHANGED).join(digest.short()).join(path.as_str());
    if let Ok(file) = make(&own) {
        return Ok((own, file));
    }
    let copy = folder.join(format!("{CHANGED}-{}-{}", Blake3::of(path.as_str().as_bytes()).short(), digest.short()));
    let file = File::create(&copy).during("make", &copy)?;
    Ok((copy, file))
}

fn make(path: &Path) -> std::io::Result<File> {
    std::fs::create_dir_all(path.parent().unwrap_or(path))?;
    File::create_new(path)
}

/// The folders of a backup, from the innermost outwards.
///
/// # Errors
/// When one can't be read.
pub fn folders(folder: &Path) -> std::io::Result<Vec<PathBuf>> {
    let mut all = Vec::new();
    let mut left = vec![folder.to_owned()];
    while let Some(next) = left.pop() {
        for entry in std::fs::read_dir(&next)? {
            let entry = entry?;
            if entry.file_type()?.is_dir() {
                left.push(entry.path());
            }
        }
        all.push(next);
    }
    all.reverse();
    Ok(all)
}

/// The copy of a file in a backup, by what the journal says of it.
///
/// # Errors
/// When it is missing, is a link or no file, lies behind a link, or has other bytes by now.
pub fn sound_copy(folder: &Path, (copy, blake3): (&str, Blake3), of: &str) -> Result<PathBuf, ReachError> {
    let path = folder.join(copy);
    let unusable = |why: CopyFault| {
        ReachError::unusable(path.clone(), BackupFault::BadCopy { of: kanon_core::base::path::printable(of), why })
    };
    let is_plain = copy.parse::<usize>().is_ok() || is_own_name(copy);
    let metadata: Metadata = match std::fs::symlink_metadata(&path) {
        Err(error) if error.kind() == std::io::ErrorKind::NotFound => return Err(unusable(CopyFault::Gone)),
        found => found.during("look at", &path)?,
    };
    let outer = path.ancestors().skip(1).take_while(|outer| *outer != folder);
    let is_plain = is_plain && outer.into_iter().all(is_folder);
    if !is_plain || !metadata.is_file() {
        return Err(unusable(CopyFault::NotItsOwn));
    }
    let mut file = regular(&path).during("read", &path)?;
    let found = blake3_of(&mut file, metadata.len()).during("read", &path)?.0;
    if found == blake3 { Ok(path) } else { Err(unusable(CopyFault::OtherBytes)) }
}

/// Whether a copy is called as its path is on the install.
fn is_own_name(copy: &str) -> bool {
    copy.strip_prefix(FILES).and_then(|rest| rest.strip_prefix('/')).is_some_and(|path| InstallPath::new(path).is_ok())
}

fn is_folder(path: &Path) -> bool {
    std::fs::symlink_metadata(path).is_ok_and(|found| found.is_dir())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_copy_is_called_as_on_the_install_or_by_a_number_where_that_can_not_be() {
        let folder = tempfile::tempdir().expect("a folder");
        let name = |path: &str, number| {
            let path = InstallPath::new(path).expect("a path");
            new_copy(folder.path(), &path, number).expect("a copy").0
        };
        assert_eq!(name("loads/lamp.load", 0), "files/loads/lamp.load");
        // Here as on a machine where both spellings are one name.
        assert_eq!(name("loads/lamp.load", 1), "1");
        assert_eq!(name("loads/lamp.load/inner", 2), "2");
        assert_eq!(folders(folder.path()).expect("folders").len(), 3);
        for (copy, is_own) in
            [("files/loads/lamp.load", true), ("files/../x", false), ("/etc/x", false), ("files", false)]
        {
            assert_eq!(is_own_name(copy), is_own, "{copy}");
        }
    }
}
