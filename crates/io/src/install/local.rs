//! A local install: listed in parallel, opened and written only below its root.

use std::collections::HashSet;
use std::fs::{File, FileType, Metadata};
use std::io;
use std::path::{Path, PathBuf};
#[cfg(not(unix))]
use std::time::{Duration, UNIX_EPOCH};

#[cfg(not(unix))]
use cap_fs_ext::{DirExt, SystemTimeSpec};
use cap_std::ambient_authority;
use cap_std::fs::{Dir, OpenOptions};
use kanon_core::base::digest::Sha256;
use kanon_core::base::path::InstallPath;
use rayon::prelude::*;

use super::{
    Entry, FileFingerprint, FileStatus, Install, KeptDocument, Kind, Listing, NotListed, OWN_FOLDER, Seekable, named,
    nanoseconds, seconds_of, shown,
};
use crate::error::{During, ReachError};

/// Files that are written at a time: each waits for the disk on its own.
const SIDE_BY_SIDE: usize = 4;

/// An open local install.
pub struct LocalInstall {
    root: PathBuf,
    shown: String,
    dir: Dir,
}

impl FileFingerprint {
    /// The stamp of a file on this machine.
    pub fn of(metadata: &Metadata) -> Self {
        let modified = metadata.modified().ok().map(nanoseconds);
        #[cfg(unix)]
        let (changed, inode) = {
            use std::os::unix::fs::MetadataExt;
            (metadata.ctime().saturating_mul(1_000_000_000).saturating_add(metadata.ctime_nsec()), metadata.ino())
        };
        #[cfg(not(unix))]
        let (changed, inode) = (0, 0);
        Self { size: metadata.len(), modified, changed, inode }
    }
}

impl LocalInstall {
    /// Opens an install by its folder.
    ///
    /// # Errors
    /// When there is no such folder, or it can't be opened.
    pub fn open(root: &Path) -> Result<Self, ReachError> {
        let dir = Dir::open_ambient_dir(root, ambient_authority()).during("open the install's folder", root)?;
        let root = root.canonicalize().during("find the install's folder", root)?;
        Ok(Self { shown: root.to_string_lossy().into_owned(), root, dir })
    }

    /// Opens a file to read. Links are followed only inside the install.
    fn file(&self, path: &InstallPath) -> io::Result<File> {
        let mut options = OpenOptions::new();
        options.read(true);
        #[cfg(unix)]
        cap_std::fs::OpenOptionsExt::custom_flags(&mut options, crate::open::WITHOUT_WAITING);
        crate::open::refuse_others(self.dir.open_with(path.as_str(), &options)?.into_std())
    }

    fn list_folder(&self, folder: Option<&InstallPath>, depth: usize, skip: &HashSet<InstallPath>) -> Listing {
        let outside = folder.map_or_else(|| self.root.clone(), |folder| self.root.join(folder.as_str()));
        let mut listing = Listing::default();
        let names = match std::fs::read_dir(&outside) {
            Ok(names) => names,
            Err(error) => {
                listing.refused.push((shown(folder, ""), NotListed::Folder(error.to_string())));
                return listing;
            }
        };
        let mut folders = Vec::new();
        for entry in names {
            match entry.and_then(|entry| Ok((entry.file_name(), entry.file_type()?, entry))) {
                Ok((name, kind, entry)) => self.take(folder, &name, kind, &entry, &mut listing, &mut folders),
                Err(error) => {
                    listing.refused.push((shown(folder, ""), NotListed::Entry(error.to_string())));
                }
            }
        }
        folders.retain(|folder| !skip.contains(folder) && folder.as_str() != OWN_FOLDER);
        listing.entries.extend(folders.iter().map(|path| Entry { path: path.clone(), kind: Kind::Folder }));
        if depth > 1 {
            let below: Vec<Listing> =
                folders.par_iter().map(|below| self.list_folder(Some(below), depth - 1, skip)).collect();
            for mut inner in below {
                listing.entries.append(&mut inner.entries);
                listing.refused.append(&mut inner.refused);
            }
        }
        listing
    }

    fn take(
        &self,
        folder: Option<&InstallPath>,
        name: &std::ffi::OsStr,
        kind: FileType,
        entry: &std::fs::DirEntry,
        listing: &mut Listing,
        folders: &mut Vec<InstallPath>,
    ) {
        let text = || shown(folder, &name.to_string_lossy());
        let path = name.to_str().ok_or(NotListed::NotUnicode);
        let path = match path.and_then(|name| Ok(named(folder, name)?)) {
            Ok(path) => path,
            Err(why) => return listing.refused.push((text(), why)),
        };
        if kind.is_dir() {
            return folders.push(path);
        }
        let metadata =
            if kind.is_symlink() { self.behind_link(&path) } else { entry.metadata().map_err(NotListed::from) };
        match metadata {
            Ok(metadata) if metadata.is_file() => {
                listing.entries.push(Entry { path, kind: Kind::File(FileFingerprint::of(&metadata)) });
            }
            Ok(_) => listing.refused.push((text(), NotListed::OtherKind)),
            Err(reason) => listing.refused.push((text(), reason)),
        }
    }

    /// What a link points at, if that is a file inside the install.
    fn behind_link(&self, path: &InstallPath) -> Result<Metadata, NotListed> {
        match self.file(path) {
            Ok(file) => Ok(file.metadata()?),
            Err(error) if error.kind() == io::ErrorKind::IsADirectory => Err(NotListed::LinkToFolder),
            Err(_) => Err(NotListed::LinkOutside),
        }
    }
}

impl Install for LocalInstall {
    fn shown(&self) -> &str {
        &self.shown
    }

    fn folder(&self) -> Option<&Path> {
        Some(&self.root)
    }

    fn side_by_side(&self) -> usize {
        SIDE_BY_SIDE
    }

    fn list(&self, folder: Option<&InstallPath>, depth: usize, skip: &HashSet<InstallPath>) -> Listing {
        self.list_folder(folder, depth, skip)
    }

    fn look(&self, path: &InstallPath) -> io::Result<Option<FileStatus>> {
        let metadata = match self.dir.symlink_metadata(path.as_str()) {
            Ok(metadata) => metadata,
            Err(error) if matches!(error.kind(), io::ErrorKind::NotFound | io::ErrorKind::NotADirectory) => {
                return Ok(None);
            }
            Err(error) => return Err(error),
        };
        let modified = metadata.modified().ok().map(|time| nanoseconds(time.into_std()));
        let mode = mode(&metadata);
        Ok(Some(if metadata.is_symlink() {
            FileStatus::Link
        } else if metadata.is_dir() {
            FileStatus::Folder { modified, mode }
        } else if metadata.is_file() {
            let file = self.file(path)?;
            FileStatus::File { stamp: FileFingerprint::of(&file.metadata()?), mode }
        } else {
            FileStatus::Other
        }))
    }

    fn open_file(&self, path: &InstallPath) -> io::Result<(Box<dyn Seekable + '_>, FileFingerprint)> {
        let file = self.file(path)?;
        let stamp = FileFingerprint::of(&file.metadata()?);
        Ok((Box::new(file), stamp))
    }

    fn host_digests(&self, paths: &[InstallPath]) -> Vec<Option<Sha256>> {
        vec![None; paths.len()]
    }

    fn write(&self, path: &InstallPath, source: &mut dyn Seekable) -> io::Result<()> {
        if let Some(parent) = path.parent() {
            self.make_folders(&parent)?;
        }
        let options = OpenOptions::new().write(true).create(true).truncate(true).clone();
        let mut file = self.dir.open_with(path.as_str(), &options)?.into_std();
        source.rewind()?;
        io::copy(source, &mut file)?;
        file.sync_all()
    }

    fn rename(&self, from: &InstallPath, to: &InstallPath) -> io::Result<()> {
        if let Some(parent) = to.parent() {
            self.make_folders(&parent)?;
        }
        self.dir.rename(from.as_str(), &self.dir, to.as_str())?;
        self.flush_folder(to);
        Ok(())
    }

    fn remove_file(&self, path: &InstallPath) -> io::Result<()> {
        match self.dir.remove_file(path.as_str()) {
            Err(error) if error.kind() == io::ErrorKind::NotFound => Ok(()),
            other => other,
        }
    }

    fn make_folders(&self, path: &InstallPath) -> io::Result<()> {
        if path.is_root() { Ok(()) } else { self.dir.create_dir_all(path.as_str()) }
    }

    fn claim_folder(&self, path: &InstallPath) -> io::Result<()> {
        self.dir.create_dir(path.as_str())
    }

    fn remove_folder(&self, path: &InstallPath) -> io::Result<()> {
        self.dir.remove_dir(path.as_str())
    }

    fn set_facts(&self, path: &InstallPath, modified: Option<i64>, mode: Option<u32>) -> io::Result<()> {
        if let Some(mode) = mode {
            set_mode(&self.dir, path, mode)?;
        }
        modified.map_or(Ok(()), |modified| set_time(&self.dir, path, modified))
    }

    fn take_over(&self, from: &Path, to: &InstallPath) -> bool {
        let (Some(folder), Some(name)) = (from.parent(), from.file_name()) else { return false };
        // A file that was opened to be read alone can't be flushed everywhere.
        let flushed = File::options().read(true).write(true).open(from).and_then(|file| file.sync_all());
        let moved = flushed
            .and_then(|()| Dir::open_ambient_dir(folder, ambient_authority()))
            .and_then(|folder| folder.rename(name, &self.dir, to.as_str()));
        if moved.is_ok() {
            self.flush_folder(to);
        }
        moved.is_ok()
    }

    fn look_anew(&self) {}

    fn recall_documents(&self, _: Vec<KeptDocument>) {}

    fn new_documents(&self) -> Vec<KeptDocument> {
        Vec::new()
    }

    /// A link to a folder inside the install is one too.
    fn is_folder(&self, path: &InstallPath) -> bool {
        self.dir.metadata(path.as_str()).is_ok_and(|metadata| metadata.is_dir())
    }
}

impl LocalInstall {
    /// Makes a rename last through a power cut, where folders can be flushed.
    fn flush_folder(&self, path: &InstallPath) {
        let folder = path.parent().map_or_else(|| self.root.clone(), |parent| self.root.join(parent.as_str()));
        // A folder that can't be opened to be flushed is no reason to fail: the rename itself was done.
        let _ = File::open(folder).and_then(|folder| folder.sync_all());
    }
}

/// The permission bits, where the system has them.
#[cfg(unix)]
fn mode(metadata: &cap_std::fs::Metadata) -> Option<u32> {
    use cap_std::fs::MetadataExt;
    Some(metadata.mode() & 0o7777)
}

#[cfg(not(unix))]
fn mode(_: &cap_std::fs::Metadata) -> Option<u32> {
    None
}

#[cfg(unix)]
fn set_mode(dir: &Dir, path: &InstallPath, mode: u32) -> io::Result<()> {
    use cap_std::fs::PermissionsExt;
    dir.set_permissions(path.as_str(), cap_std::fs::Permissions::from_mode(mode))
}

#[cfg(not(unix))]
fn set_mode(_: &Dir, _: &InstallPath, _: u32) -> io::Result<()> {
    Ok(())
}

/// Through a handle of its folder, so that no link on the way leads elsewhere; and by the system itself, which knows times before
/// 1970.
#[cfg(unix)]
fn set_time(dir: &Dir, path: &InstallPath, moment: i64) -> io::Result<()> {
    use rustix::fs::{AtFlags, Timespec, Timestamps, UTIME_OMIT, utimensat};
    let (seconds, nanos) = seconds_of(moment);
    let times = Timestamps {
        last_access: Timespec { tv_sec: 0, tv_nsec: UTIME_OMIT },
        last_modification: Timespec { tv_sec: seconds, tv_nsec: nanos.into() },
    };
    let set = |dir: &Dir, name: &str| Ok(utimensat(dir, name, &times, AtFlags::SYMLINK_NOFOLLOW)?);
    match path.parent() {
        Some(parent) => set(&dir.open_dir(parent.as_str())?, path.name()),
        None => set(dir, path.as_str()),
    }
}

#[cfg(not(unix))]
fn set_time(dir: &Dir, path: &InstallPath, moment: i64) -> io::Result<()> {
    let (seconds, nanos) = seconds_of(moment);
    // What this system's library can't say is as good as 1970.
    let since = Duration::new(seconds.try_into().unwrap_or(0), nanos);
    let time = UNIX_EPOCH.checked_add(since).unwrap_or(UNIX_EPOCH);
    dir.set_mtime(path.as_str(), SystemTimeSpec::Absolute(cap_std::time::SystemTime::from_std(time)))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_listing_stays_inside_and_says_what_it_passed_over() {
        let temp = tempfile::tempdir().expect("a folder");
        let root = temp.path().join("game");
        std::fs::create_dir_all(root.join("mods/sub/deep")).expect("made");
        std::fs::create_dir_all(root.join(".kanon")).expect("made");
        std::fs::write(temp.path().join("secret"), "x").expect("written");
        for file in ["mods/a.psm", "mods/sub/b.psm", "mods/sub/deep/c.psm", ".kanon/receipt.json"] {
            std::fs::write(root.join(file), "x").expect("written");
        }
        #[cfg(unix)]
        for (target, link) in
            [("../../secret", "mods/out"), ("a.psm", "mods/in"), ("sub", "mods/folder"), ("gone", "mods/nowhere")]
        {
            std::os::unix::fs::symlink(target, root.join(link)).expect("linked");
        }
        let install = LocalInstall::open(&root).expect("open");
        let listing = install.list(None, 3, &HashSet::new());
        let mut files: Vec<_> =
            listing.entries.iter().filter(|e| matches!(e.kind, Kind::File(_))).map(|e| e.path.as_str()).collect();
        files.sort_unstable();
        let mut refused: Vec<_> = listing.refused.iter().map(|(path, _)| path.as_str()).collect();
        refused.sort_unstable();
        if cfg!(unix) {
            assert_eq!(files, ["mods/a.psm", "mods/in", "mods/sub/b.psm"]);
            assert_eq!(refused, ["mods/folder", "mods/nowhere", "mods/out"]);
            assert!(install.open_file(&InstallPath::new("mods/out").expect("a path")).is_err());
        }
        assert!(LocalInstall::open(&root.join("none")).is_err());
    }
}
