//! A local install: listed in parallel, opened and written only below its root.

use std::collections::HashSet;
use std::fs::{File, FileType, Metadata};
use std::io;
use std::path::{Path, PathBuf};
use std::time::UNIX_EPOCH;

use cap_std::ambient_authority;
use cap_std::fs::Dir;
use kanon_core::path::InstallPath;
use rayon::prelude::*;
use serde::{Deserialize, Serialize};

use crate::error::{During, ReachError};

/// The folder on an install that is Kanon's own.
pub const OWN_FOLDER: &str = ".kanon";

/// An open local install.
pub struct LocalInstall {
    root: PathBuf,
    dir: Dir,
}

/// What makes a file the same file with the same bytes, without reading it.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub struct Stamp {
    /// Its size in bytes.
    pub size: u64,
    /// When its bytes changed, in nanoseconds since 1970.
    pub modified: i64,
    /// When its record changed, where the system tells; else 0.
    pub changed: i64,
    /// Its number on the file system, where it has one; else 0.
    pub inode: u64,
}

/// One thing that a listing found.
#[derive(Debug, Clone)]
pub struct Entry {
    /// From the root of the install.
    pub path: InstallPath,
    /// What it is.
    pub kind: Kind,
}

/// What an entry of a listing is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Kind {
    /// A file.
    File(Stamp),
    /// A folder.
    Folder,
}

/// A listing: what is there, and what could not be looked at.
#[derive(Debug, Clone, Default)]
pub struct Listing {
    /// Files and folders.
    pub entries: Vec<Entry>,
    /// Paths as text, with the reason.
    pub refused: Vec<(String, String)>,
}

impl Stamp {
    /// The stamp of a file.
    pub fn of(metadata: &Metadata) -> Self {
        let modified = metadata.modified().ok().map_or(0, nanoseconds);
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

impl Stamp {
    /// The later of its two times.
    pub const fn newest(&self) -> i64 {
        if self.modified > self.changed { self.modified } else { self.changed }
    }
}

/// A time in nanoseconds since 1970, negative before.
pub fn nanoseconds(time: std::time::SystemTime) -> i64 {
    match time.duration_since(UNIX_EPOCH) {
        Ok(since) => i64::try_from(since.as_nanos()).unwrap_or(i64::MAX),
        Err(before) => i64::try_from(before.duration().as_nanos()).map_or(i64::MIN, i64::wrapping_neg),
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
        Ok(Self { root, dir })
    }

    /// Its folder.
    pub fn root(&self) -> &Path {
        &self.root
    }

    /// The handle that can't leave it.
    pub const fn dir(&self) -> &Dir {
        &self.dir
    }

    /// A path of the install on this machine, for messages and listings; files are opened through [`LocalInstall::dir`].
    pub fn outside(&self, path: &InstallPath) -> PathBuf {
        self.root.join(path.as_str())
    }

    /// Opens a file to read. Links are followed only inside the install.
    ///
    /// # Errors
    /// When it is not there, no file, outside, or can't be read.
    pub fn open_file(&self, path: &InstallPath) -> io::Result<File> {
        let file = self.dir.open(path.as_str())?.into_std();
        if file.metadata()?.is_dir() {
            return Err(io::Error::new(io::ErrorKind::IsADirectory, "it is a folder"));
        }
        Ok(file)
    }

    /// Whether a path is a folder.
    pub fn is_folder(&self, path: &InstallPath) -> bool {
        self.dir.symlink_metadata(path.as_str()).is_ok_and(|metadata| metadata.is_dir())
    }

    /// Lists everything below a folder, down to `depth` levels; Kanon's own folder and those in `skip` are passed over.
    pub fn list(&self, folder: Option<&InstallPath>, depth: usize, skip: &HashSet<InstallPath>) -> Listing {
        self.list_folder(folder, depth, skip)
    }

    fn list_folder(&self, folder: Option<&InstallPath>, depth: usize, skip: &HashSet<InstallPath>) -> Listing {
        let outside = folder.map_or_else(|| self.root.clone(), |folder| self.outside(folder));
        let mut listing = Listing::default();
        let names = match std::fs::read_dir(&outside) {
            Ok(names) => names,
            Err(error) => {
                listing.refused.push((shown(folder, ""), format!("the folder can't be listed: {error}")));
                return listing;
            }
        };
        let mut folders = Vec::new();
        for entry in names {
            match entry.and_then(|entry| Ok((entry.file_name(), entry.file_type()?, entry))) {
                Ok((name, kind, entry)) => self.take(folder, &name, kind, &entry, &mut listing, &mut folders),
                Err(error) => {
                    listing.refused.push((shown(folder, ""), format!("an entry can't be looked at: {error}")));
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
        let path = match (folder, name.to_str()) {
            (_, None) => Err("its name is no Unicode text"),
            (Some(folder), Some(name)) => folder.child(name).map_err(|error| error.reason()),
            (None, Some(name)) => InstallPath::new(name).map_err(|error| error.reason()),
        };
        let text = || shown(folder, &name.to_string_lossy());
        let path = match path {
            Ok(path) => path,
            Err(reason) => {
                return listing.refused.push((text(), format!("its name can't be used everywhere: {reason}")));
            }
        };
        if kind.is_dir() {
            return folders.push(path);
        }
        let metadata = if kind.is_symlink() {
            self.behind_link(&path)
        } else {
            entry.metadata().map_err(|error| error.to_string())
        };
        match metadata {
            Ok(metadata) if metadata.is_file() => {
                listing.entries.push(Entry { path, kind: Kind::File(Stamp::of(&metadata)) });
            }
            Ok(_) => listing.refused.push((text(), "it is neither a file nor a folder".to_owned())),
            Err(reason) => listing.refused.push((text(), reason)),
        }
    }

    /// What a link points at, if that is a file inside the install.
    fn behind_link(&self, path: &InstallPath) -> Result<Metadata, String> {
        match self.open_file(path) {
            Ok(file) => file.metadata().map_err(|error| error.to_string()),
            Err(error) if error.kind() == io::ErrorKind::IsADirectory => {
                Err("it is a link to a folder, which is not followed".to_owned())
            }
            Err(_) => Err("it is a link that points outside the install, or nowhere".to_owned()),
        }
    }
}

fn shown(folder: Option<&InstallPath>, name: &str) -> String {
    match folder {
        Some(folder) if name.is_empty() => folder.to_string(),
        Some(folder) => format!("{folder}/{name}"),
        None => name.to_owned(),
    }
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

    #[test]
    fn times_before_1970_are_negative() {
        assert_eq!(nanoseconds(UNIX_EPOCH - std::time::Duration::from_nanos(5)), -5);
    }
}
