//! Installs behind one port: a folder on this machine, or one on a host that is reached by FTP, FTPS or SFTP.
//!
//! Paths go through [`InstallPath`], so that nothing here can be asked for what lies outside an install. What an
//! install says of itself (names, sizes, links) is taken as it comes from a stranger.

mod address;
mod connection;
mod credentials;
mod ftp;
mod known_hosts;
mod local;
mod part;
mod receipt;
mod remote;
mod sftp;
mod tls;

use std::collections::HashSet;
use std::io::{self, Read, Seek};
use std::path::{Path, PathBuf};
use std::sync::{Mutex, MutexGuard, PoisonError};
use std::time::{SystemTime, UNIX_EPOCH};

use kanon_core::base::digest::{Blake3, Sha256};
use kanon_core::base::path::{InstallPath, PathError};
use serde::{Deserialize, Serialize};

pub use address::{Address, Scheme};
pub use credentials::{Credentials, HostKey, Login, Secret, Standing};
pub use known_hosts::KnownHosts;
pub use local::LocalInstall;
pub use part::{is_part, part_beginning, part_name};
pub use receipt::{RECEIPT, RECEIPT_FORMAT, Receipt, ReceiptFile, Vouched};
pub use remote::{RemoteInstall, is_lost};

/// The folder on an install that is Kanon's own.
pub const OWN_FOLDER: &str = ".kanon";

/// What makes a file the same file with the same bytes, without reading it.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub struct FileFingerprint {
    /// Its size in bytes.
    pub size: u64,
    /// When its bytes changed, in nanoseconds since 1970, where the system tells.
    pub modified: Option<i64>,
    /// When its record changed, where the system tells; else 0.
    pub changed: i64,
    /// Its number on the file system, where it has one; else 0.
    pub inode: u64,
}

impl FileFingerprint {
    /// The later of its two times.
    pub fn newest(&self) -> i64 {
        self.modified.map_or(self.changed, |modified| modified.max(self.changed))
    }
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
    File(FileFingerprint),
    /// A folder.
    Folder,
}

/// What stands at a path; a link is not followed.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum FileStatus {
    /// A file.
    File {
        /// Its stamp.
        stamp: FileFingerprint,
        /// Its permission bits, where the system tells.
        mode: Option<u32>,
    },
    /// A folder.
    Folder {
        /// When its entries changed, in nanoseconds since 1970, where the system tells.
        modified: Option<i64>,
        /// Its permission bits, where the system tells.
        mode: Option<u32>,
    },
    /// A link.
    Link,
    /// Something else, such as a pipe.
    Other,
}

/// A listing: what is there, and what could not be looked at.
#[derive(Debug, Clone, Default)]
pub struct Listing {
    /// Files and folders.
    pub entries: Vec<Entry>,
    /// Paths as text, with the reason.
    pub refused: Vec<(String, NotListed)>,
}

/// Bytes that can be read anywhere.
pub trait Seekable: Read + Seek + Send {}

impl<T: Read + Seek + Send> Seekable for T {}

/// A small file as it was read from a host, kept for the next time.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct KeptDocument {
    /// From the root of the install.
    pub path: String,
    /// Its stamp when it was read.
    pub stamp: FileFingerprint,
    /// Its bytes.
    pub bytes: Vec<u8>,
}

/// An install: listed, read and written only below its root.
pub trait Install: Send + Sync {
    /// What messages and the state database call it: a folder, or an address without secrets.
    fn shown(&self) -> &str;

    /// Its folder, where it is on this machine.
    fn folder(&self) -> Option<&Path>;

    /// How many files are best read or written side by side.
    fn side_by_side(&self) -> usize;

    /// Lists everything below a folder, down to `depth` levels; Kanon's own folder and those in `skip` are passed over.
    fn list(&self, folder: Option<&InstallPath>, depth: usize, skip: &HashSet<InstallPath>) -> Listing;

    /// What stands at a path; nothing if there is nothing.
    ///
    /// # Errors
    /// When it can't be told.
    fn look(&self, path: &InstallPath) -> io::Result<Option<FileStatus>>;

    /// Opens a file to read, with its stamp. Links are followed only inside the install, if at all.
    ///
    /// # Errors
    /// When it is not there, no file, outside, or can't be read.
    fn open_file(&self, path: &InstallPath) -> io::Result<(Box<dyn Seekable + '_>, FileFingerprint)>;

    /// The first bytes of a file, `limit` of them at most.
    ///
    /// # Errors
    /// When it is not there, no file, outside, or can't be read.
    fn document(&self, path: &InstallPath, limit: u64) -> io::Result<Vec<u8>> {
        let mut bytes = Vec::new();
        self.open_file(path)?.0.take(limit).read_to_end(&mut bytes)?;
        Ok(bytes)
    }

    /// The SHA-256 digests of files as the host itself computes them, where it does; nothing for those it doesn't.
    fn host_digests(&self, paths: &[InstallPath]) -> Vec<Option<Sha256>>;

    /// Writes a file whole and lasting, over what is there; missing folders are made.
    ///
    /// # Errors
    /// When it can't be written; what was written by then may stand there.
    fn write(&self, path: &InstallPath, source: &mut dyn Seekable) -> io::Result<()>;

    /// Gives a file another name, over what has that name.
    ///
    /// # Errors
    /// When it is not there, or the host refuses.
    fn rename(&self, from: &InstallPath, to: &InstallPath) -> io::Result<()>;

    /// Removes a file; one that is not there is no error.
    ///
    /// # Errors
    /// When it can't be removed.
    fn remove_file(&self, path: &InstallPath) -> io::Result<()>;

    /// Makes a folder, and those above it.
    ///
    /// # Errors
    /// When one can't be made.
    fn make_folders(&self, path: &InstallPath) -> io::Result<()>;

    /// Makes a folder that must not be there yet: of two who try at once, one succeeds.
    ///
    /// # Errors
    /// [`io::ErrorKind::AlreadyExists`] when it is there; else when it can't be made.
    fn claim_folder(&self, path: &InstallPath) -> io::Result<()>;

    /// Removes an empty folder.
    ///
    /// # Errors
    /// When it is not empty, or can't be removed.
    fn remove_folder(&self, path: &InstallPath) -> io::Result<()>;

    /// Sets the time and the permission bits of a file or folder, as far as they are known and the host can.
    ///
    /// # Errors
    /// When the host could, and failed.
    fn set_facts(&self, path: &InstallPath, modified: Option<i64>, mode: Option<u32>) -> io::Result<()>;

    /// Moves a file of this machine to a place here, over what is there, so that no byte is copied. Says whether that could be: on a
    /// host, or from another disk, it is to be written.
    fn take_over(&self, _: &Path, _: &InstallPath) -> bool {
        false
    }

    /// Forgets what was listed: somebody else may have changed it since.
    fn look_anew(&self);

    /// Hands over small files that were read before.
    fn recall_documents(&self, documents: Vec<KeptDocument>);

    /// Small files that were read now and are worth keeping.
    fn new_documents(&self) -> Vec<KeptDocument>;

    /// Whether it is on another machine.
    fn is_remote(&self) -> bool {
        self.folder().is_none()
    }

    /// Paths whose permissions could not be kept, although they matter: the host has no way to set them.
    fn lost_modes(&self) -> Vec<String> {
        Vec::new()
    }

    /// Paths that were changed from here, of which nothing that was kept counts any more.
    fn changed_documents(&self) -> Vec<String> {
        Vec::new()
    }

    /// A path of the install, for messages.
    fn outside(&self, path: &InstallPath) -> PathBuf {
        Path::new(self.shown()).join(path.as_str())
    }

    /// Whether a path is a folder.
    fn is_folder(&self, path: &InstallPath) -> bool {
        matches!(self.look(path), Ok(Some(FileStatus::Folder { .. })))
    }

    /// Whether anything stands at a path.
    fn is_there(&self, path: &InstallPath) -> bool {
        matches!(self.look(path), Ok(Some(_)))
    }
}

/// The digest of a file that is known by another one: what the host computes is understood by it.
#[derive(Debug, Clone, Default)]
pub struct KnownDigests(std::collections::HashMap<(u64, Sha256), Blake3>, HashSet<u64>);

impl KnownDigests {
    /// Takes note of a file's digests.
    pub fn add(&mut self, size: u64, sha256: Sha256, blake3: Blake3) {
        self.0.insert((size, sha256), blake3);
        self.1.insert(size);
    }

    /// The digest of a file of that size and SHA-256.
    pub fn of(&self, size: u64, sha256: Sha256) -> Option<Blake3> {
        self.0.get(&(size, sha256)).copied()
    }

    /// Whether any known file has that size: only then is it worth asking the host.
    pub fn has_size(&self, size: u64) -> bool {
        self.1.contains(&size)
    }
}

/// A time in nanoseconds since 1970, negative before. What is too far away for that (before 1677, after 2262) is in whole seconds,
/// in a range of its own at either end of the numbers, so that every time is kept and their order stays: see [`seconds_of`].
pub fn nanoseconds(time: SystemTime) -> i64 {
    let (since, sign) = match time.duration_since(UNIX_EPOCH) {
        Ok(since) => (since, 1),
        Err(before) => (before.duration(), -1),
    };
    match i64::try_from(since.as_nanos()) {
        Ok(nanoseconds) if nanoseconds < FAR => sign * nanoseconds,
        _ => sign * (FAR + i64::try_from(since.as_secs()).unwrap_or(i64::MAX).min(FAR_SECONDS)),
    }
}

/// Numbers from here on are seconds.
const FAR: i64 = i64::MAX - FAR_SECONDS - 1;
/// So many of them: 34,000 years.
const FAR_SECONDS: i64 = 1 << 40;

/// The seconds since 1970 and the nanoseconds of them that [`nanoseconds`] stands for.
pub const fn seconds_of(moment: i64) -> (i64, u32) {
    if moment >= FAR {
        (moment - FAR, 0)
    } else if moment <= -FAR {
        (moment.saturating_add(FAR), 0)
    } else {
        (moment.div_euclid(NANOS), moment.rem_euclid(NANOS) as u32)
    }
}

const NANOS: i64 = 1_000_000_000;

/// A path or a name in a listing, as text.
fn shown(folder: Option<&InstallPath>, name: &str) -> String {
    match folder {
        Some(folder) if name.is_empty() => folder.to_string(),
        Some(folder) => format!("{folder}/{name}"),
        None => name.to_owned(),
    }
}

/// Why something in a folder is not listed.
#[derive(Debug, Clone, thiserror::Error)]
pub enum NotListed {
    /// What the system says.
    #[error("{0}")]
    Told(String),
    /// The folder can't be listed at all.
    #[error("the folder can't be listed: {0}")]
    Folder(String),
    /// Something in it can't be looked at.
    #[error("an entry can't be looked at: {0}")]
    Entry(String),
    /// More lies there than in any install.
    #[error("there are more than {0} files and folders in it")]
    TooMany(usize),
    /// Its name is no text.
    #[error("its name is no Unicode text")]
    NotUnicode,
    /// Its name is not for every system.
    #[error(transparent)]
    BadName(#[from] BadName),
    /// It is something else.
    #[error("it is neither a file nor a folder")]
    OtherKind,
    /// It is a link to a folder.
    #[error("it is a link to a folder, which is not followed")]
    LinkToFolder,
    /// It is a link on a host.
    #[error("it is a link, and links on a host are not followed")]
    LinkOnHost,
    /// It is a link that leads out.
    #[error("it is a link that points outside the install, or nowhere")]
    LinkOutside,
}

impl From<io::Error> for NotListed {
    fn from(error: io::Error) -> Self {
        Self::Told(error.to_string())
    }
}

/// A name that not every system takes.
#[derive(Debug, Clone, thiserror::Error)]
#[error("its name can't be used everywhere: {}", .0.reason())]
pub struct BadName(PathError);

/// The path of a name in a listing, or why it can't be one.
fn named(folder: Option<&InstallPath>, name: &str) -> Result<InstallPath, BadName> {
    let path = match folder {
        Some(folder) => folder.child(name),
        None => InstallPath::new(name),
    };
    path.map_err(BadName)
}

/// Does one thing for each, on a few threads; lines are waited for, so that the threads of the processor stay free.
pub fn side_by_side<T: Sync, R: Send>(threads: usize, items: &[T], work: impl Fn(&T) -> R + Sync) -> Vec<R> {
    let next = std::sync::atomic::AtomicUsize::new(0);
    let done: Mutex<Vec<(usize, R)>> = Mutex::default();
    std::thread::scope(|scope| {
        for _ in 0..threads.min(items.len()) {
            scope.spawn(|| {
                loop {
                    let index = next.fetch_add(1, std::sync::atomic::Ordering::Relaxed);
                    let Some(item) = items.get(index) else { return };
                    let result = work(item);
                    locked(&done).push((index, result));
                }
            });
        }
    });
    let mut done = done.into_inner().unwrap_or_else(PoisonError::into_inner);
    done.sort_by_key(|(index, _)| *index);
    done.into_iter().map(|(_, result)| result).collect()
}

/// The value under a lock.
pub fn locked<T>(mutex: &Mutex<T>) -> MutexGuard<'_, T> {
    // What a panicking thread left is still whole: every change under these locks is one insertion or removal.
    mutex.lock().unwrap_or_else(PoisonError::into_inner)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn times_before_1970_are_negative() {
        // Some systems count in steps of 100 nanoseconds.
        assert_eq!(nanoseconds(UNIX_EPOCH - std::time::Duration::from_nanos(500)), -500);
    }

    #[test]
    fn every_time_is_kept_and_in_order() {
        let seconds = [
            -(1_i64 << 39),
            -99_999_999_999,
            -9_223_372_036,
            -1,
            0,
            9_223_370_000,
            9_223_372_037,
            99_999_999_999,
            1 << 39,
        ];
        // Some systems know no times before 1601.
        let known = seconds.iter().filter_map(|seconds| {
            let since = std::time::Duration::from_secs(seconds.unsigned_abs());
            let time = if *seconds < 0 { UNIX_EPOCH.checked_sub(since) } else { UNIX_EPOCH.checked_add(since) };
            Some((*seconds, nanoseconds(time?)))
        });
        let (seconds, moments): (Vec<i64>, Vec<i64>) = known.unzip();
        assert!(moments.len() > 6 && moments.is_sorted(), "{moments:?}");
        assert_eq!(moments.iter().map(|moment| seconds_of(*moment).0).collect::<Vec<_>>(), seconds);
        assert_eq!(seconds_of(-5), (-1, 999_999_995));
        for odd in [i64::MIN, i64::MAX] {
            assert_eq!(seconds_of(odd).1, 0);
        }
    }

    #[test]
    fn a_host_digest_is_understood_only_for_a_file_of_that_size() {
        let mut known = KnownDigests::default();
        known.add(4, Sha256::of(b"tide"), Blake3::of(b"tide"));
        assert_eq!(known.of(4, Sha256::of(b"tide")), Some(Blake3::of(b"tide")));
        assert_eq!((known.of(5, Sha256::of(b"tide")), known.has_size(5)), (None, false));
    }
}
