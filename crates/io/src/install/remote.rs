//! An install on a host: a few connections, each used by one at a time; what was listed is remembered; a line that
//! drops is dialled again, and what it was doing goes on where it stopped.

use std::collections::{BTreeSet, HashMap, HashSet};
use std::io::{self, Read, Seek, SeekFrom};
use std::path::Path;
use std::sync::{Arc, Condvar, Mutex, PoisonError};

use kanon_core::base::digest::Sha256;
use kanon_core::base::limits;
use kanon_core::base::path::InstallPath;

use super::address::{Address, Folder, Scheme};
use super::connection::{Connection, Connector, Fault, HostEntry};
use super::credentials::Credentials;
use super::{
    Entry, FileFingerprint, FileStatus, Install, KeptDocument, Kind, Listing, NotListed, OWN_FOLDER, Seekable, ftp,
    locked, named, sftp, shown, side_by_side,
};
use crate::error::{HostError, Unanswered};
use crate::retry::{Retry, RetryPolicy};

/// Connections to one host at a time.
const LINES: usize = 8;
/// Bytes of one small file that is kept for the next time.
const KEPT_BYTES: u64 = 64 << 10;
/// Bytes that are asked for at first, when somebody reads here and there.
const WINDOW: u64 = 64 << 10;
/// Bytes that are asked for at most, when somebody reads on and on.
const LARGE_WINDOW: u64 = 8 << 20;
/// The end of an archive, where its directory is, is fetched at once.
const END: u64 = 128 << 10;

/// An open install on a host.
pub struct RemoteInstall {
    shown: String,
    root: String,
    dialler: Box<dyn Connector>,
    lines: Lines,
    patience: RetryPolicy,
    listed: Mutex<HashMap<String, Arc<Listed>>>,
    documents: Mutex<HashMap<String, KeptDocument>>,
    new_documents: Mutex<Vec<KeptDocument>>,
    /// Paths that were changed from here: what was kept of them is not so any more, whatever their size and time.
    changed: Mutex<HashSet<String>>,
    /// Paths whose permissions matter and could not be set.
    lost_modes: Mutex<BTreeSet<String>>,
}

/// A folder as it was listed, or why it could not be.
type Listed = Result<Vec<HostEntry>, (io::ErrorKind, String)>;

struct Lines {
    pool: Mutex<Pool>,
    freed: Condvar,
}

struct Pool {
    idle: Vec<Box<dyn Connection>>,
    open: usize,
    limit: usize,
}

impl RemoteInstall {
    /// Connects to a host and looks whether the install's folder is there.
    ///
    /// # Errors
    /// When it can't be reached, lets nobody in, is another host than before, or has no such folder.
    pub fn open(address: &Address, door: Arc<dyn Credentials>, patience: RetryPolicy) -> Result<Self, HostError> {
        let dialler: Box<dyn Connector> = match address.scheme {
            Scheme::Ftp | Scheme::Ftps => Box::new(ftp::FtpDialler::new(address.clone(), door, patience)),
            Scheme::Sftp => Box::new(sftp::SftpDialler::new(address.clone(), door, patience)?),
        };
        let (line, home) = dialler.dial()?;
        let root = match &address.folder {
            Folder::Absolute(path) => path.clone(),
            Folder::Home(path) if path.is_empty() => home.trim_end_matches('/').to_owned(),
            Folder::Home(path) => format!("{}/{path}", home.trim_end_matches('/')),
        };
        let pool = Mutex::new(Pool { idle: vec![line], open: 1, limit: LINES });
        let lines = Lines { pool, freed: Condvar::new() };
        let install = Self {
            shown: address.to_string(),
            root,
            dialler,
            lines,
            patience,
            listed: Mutex::default(),
            documents: Mutex::default(),
            new_documents: Mutex::default(),
            changed: Mutex::default(),
            lost_modes: Mutex::default(),
        };
        match &*install.folder_listing("") {
            Ok(_) => Ok(install),
            Err((_, reason)) => {
                Err(HostError::Unreachable { address: install.shown, reason: Unanswered::Folder(reason.clone()) })
            }
        }
    }

    /// A path as the host has it.
    fn on_host(&self, path: &str) -> String {
        match (self.root.as_str(), path) {
            ("", "" | ".") => "/".to_owned(),
            (root, "" | ".") => root.to_owned(),
            (root, path) => format!("{root}/{path}"),
        }
    }

    /// Does something over a line; over another one when that is lost.
    fn over<T>(&self, work: impl FnMut(&mut dyn Connection) -> Result<T, Fault>) -> io::Result<T> {
        self.over_until(work, || 0)
    }

    /// The same for work that comes further bit by bit: as long as it does, a dropped line is no failure.
    fn over_until<T>(
        &self,
        mut work: impl FnMut(&mut dyn Connection) -> Result<T, Fault>,
        come: impl Fn() -> u64,
    ) -> io::Result<T> {
        let mut tries = Retry::new(self.patience);
        loop {
            let before = come();
            let why = match self.line() {
                Ok(mut line) => match work(line.as_mut()) {
                    Ok(value) => {
                        self.give_back(line);
                        return Ok(value);
                    }
                    Err(Fault::Refused(error)) => {
                        self.give_back(line);
                        return Err(error);
                    }
                    Err(Fault::Lost(why)) => {
                        drop(line);
                        self.one_less();
                        why
                    }
                },
                Err(HostError::Unreachable { reason, .. }) => reason.to_string(),
                Err(error) => return Err(lost(&self.shown, &error.to_string())),
            };
            if !tries.again(come() > before) {
                return Err(lost(&self.shown, &why));
            }
            tries.rest();
        }
    }

    /// An idle line, a new one, or the next that is given back.
    fn line(&self) -> Result<Box<dyn Connection>, HostError> {
        let mut pool = locked(&self.lines.pool);
        loop {
            if let Some(line) = pool.idle.pop() {
                return Ok(line);
            }
            if pool.open >= pool.limit {
                pool = self.lines.freed.wait(pool).unwrap_or_else(PoisonError::into_inner);
                continue;
            }
            pool.open += 1;
            let others = pool.open > 1;
            drop(pool);
            let refused = match self.dialler.dial() {
                Ok((line, _)) => return Ok(line),
                Err(error) => error,
            };
            pool = locked(&self.lines.pool);
            pool.open -= 1;
            // Many hosts allow few connections: those that are open will do from now on.
            match refused {
                HostError::Unreachable { .. } | HostError::Login { .. } if others => pool.limit = pool.open.max(1),
                error => {
                    self.lines.freed.notify_all();
                    return Err(error);
                }
            }
        }
    }

    fn give_back(&self, line: Box<dyn Connection>) {
        locked(&self.lines.pool).idle.push(line);
        self.lines.freed.notify_one();
    }

    /// A line is gone. Those that lie idle have most likely gone with it, and would only fail one after the other.
    fn one_less(&self) {
        let mut pool = locked(&self.lines.pool);
        pool.open -= 1 + pool.idle.len();
        let idle = std::mem::take(&mut pool.idle);
        drop(pool);
        drop(idle);
        self.lines.freed.notify_all();
    }

    /// What a folder holds, listed once.
    fn folder_listing(&self, folder: &str) -> Arc<Listed> {
        if let Some(listed) = locked(&self.listed).get(folder) {
            return Arc::clone(listed);
        }
        let on_host = self.on_host(folder);
        let listed = self.over(|line| line.list(&on_host)).map_err(|error| (error.kind(), error.to_string()));
        let listed = Arc::new(listed);
        locked(&self.listed).insert(folder.to_owned(), Arc::clone(&listed));
        listed
    }

    /// A change of our own: what was listed is put right without asking again.
    fn now_there(&self, path: &InstallPath, there: Option<FileStatus>) {
        locked(&self.documents).remove(path.as_str());
        locked(&self.new_documents).retain(|kept| kept.path != path.as_str());
        locked(&self.changed).insert(path.to_string());
        let folder = path.parent().map(String::from).unwrap_or_default();
        let mut listed = locked(&self.listed);
        let Some(known) = listed.get_mut(&folder) else { return };
        if let Ok(entries) = Arc::make_mut(known) {
            entries.retain(|entry| entry.name != path.name());
            if let Some(there) = there {
                entries.push(HostEntry { name: path.name().to_owned(), there });
            }
        }
        if there.is_none_or(|there| matches!(there, FileStatus::Folder { .. })) {
            listed.remove(path.as_str());
        }
    }

    fn take(&self, folder: Option<&InstallPath>, found: &HostEntry, listing: &mut Listing) -> Option<InstallPath> {
        let refuse = |listing: &mut Listing, why: NotListed| {
            listing.refused.push((shown(folder, &found.name), why));
        };
        match (named(folder, &found.name), found.there) {
            (Err(why), _) => refuse(listing, why.into()),
            (Ok(path), FileStatus::Folder { .. }) => return Some(path),
            (Ok(path), FileStatus::File { stamp, .. }) => listing.entries.push(Entry { path, kind: Kind::File(stamp) }),
            (Ok(_), FileStatus::Link) => refuse(listing, NotListed::LinkOnHost),
            (Ok(_), FileStatus::Other) => refuse(listing, NotListed::OtherKind),
        }
        None
    }

    fn stamp_of(&self, path: &InstallPath) -> io::Result<FileFingerprint> {
        match self.look(path)? {
            Some(FileStatus::File { stamp, .. }) => Ok(stamp),
            Some(FileStatus::Folder { .. }) => Err(io::Error::new(io::ErrorKind::IsADirectory, "it is a folder")),
            Some(FileStatus::Link) => Err(io::Error::other("it is a link, and links on a host are not followed")),
            Some(FileStatus::Other) => Err(io::Error::other("it is neither a file nor a folder")),
            None => Err(io::Error::new(io::ErrorKind::NotFound, "it is not there")),
        }
    }

    /// A part of a file; a line that drops in the middle costs only what had not come yet.
    fn part(&self, path: &InstallPath, part: std::ops::Range<u64>) -> io::Result<Vec<u8>> {
        let on_host = self.on_host(path.as_str());
        let bytes = std::cell::RefCell::new(Vec::new());
        let wanted = part.end - part.start;
        self.over_until(
            |line| {
                let have = bytes.borrow().len() as u64;
                line.read(&on_host, part.start + have..part.end, &mut |chunk| {
                    let mut bytes = bytes.borrow_mut();
                    if bytes.len() as u64 + chunk.len() as u64 > wanted {
                        return Err(io::Error::other("the host sends more than it was asked for"));
                    }
                    bytes.extend_from_slice(chunk);
                    Ok(())
                })
            },
            || bytes.borrow().len() as u64,
        )?;
        Ok(bytes.into_inner())
    }
}

/// The host is not to be reached any more.
#[derive(Debug, thiserror::Error)]
#[error("the line to {address} is lost: {why}")]
struct LostConnection {
    address: String,
    why: String,
}

fn lost(address: &str, why: &str) -> io::Error {
    io::Error::other(LostConnection { address: address.to_owned(), why: why.to_owned() })
}

/// Whether an error says that the host is not to be reached any more.
pub fn is_lost(error: &io::Error) -> bool {
    error.get_ref().and_then(|cause| cause.downcast_ref::<LostConnection>()).is_some()
}

impl Install for RemoteInstall {
    fn shown(&self) -> &str {
        &self.shown
    }

    fn folder(&self) -> Option<&Path> {
        None
    }

    fn side_by_side(&self) -> usize {
        LINES
    }

    fn list(&self, folder: Option<&InstallPath>, depth: usize, skip: &HashSet<InstallPath>) -> Listing {
        let mut listing = Listing::default();
        let mut level: Vec<Option<InstallPath>> = vec![folder.filter(|folder| !folder.is_root()).cloned()];
        for _ in 0..depth {
            // Folders of one level are listed side by side, over as many lines as there may be.
            let names: Vec<String> =
                level.iter().map(|folder| folder.as_ref().map(|f| f.as_str().to_owned()).unwrap_or_default()).collect();
            let listed = side_by_side(LINES, &names, |name| self.folder_listing(name));
            let mut below = Vec::new();
            for (folder, listed) in level.iter().zip(listed) {
                match &*listed {
                    Err((_, why)) => {
                        listing.refused.push((shown(folder.as_ref(), ""), NotListed::Folder(why.clone())));
                    }
                    Ok(entries) => {
                        for found in entries {
                            let inner = self.take(folder.as_ref(), found, &mut listing);
                            let inner = inner.filter(|path| !skip.contains(path) && path.as_str() != OWN_FOLDER);
                            if let Some(path) = inner {
                                listing.entries.push(Entry { path: path.clone(), kind: Kind::Folder });
                                below.push(Some(path));
                            }
                        }
                    }
                }
            }
            if below.is_empty() {
                return listing;
            }
            if listing.entries.len() > limits::HOST_ENTRIES {
                listing.refused.push((shown(folder, ""), NotListed::TooMany(limits::HOST_ENTRIES)));
                return listing;
            }
            level = below;
        }
        listing
    }

    fn look(&self, path: &InstallPath) -> io::Result<Option<FileStatus>> {
        if path.is_root() {
            return Ok(Some(FileStatus::Folder { modified: None, mode: None }));
        }
        let parent = path.parent();
        if let Some(parent) = &parent
            && !matches!(self.look(parent)?, Some(FileStatus::Folder { .. }))
        {
            return Ok(None);
        }
        let folder = parent.map(String::from).unwrap_or_default();
        match &*self.folder_listing(&folder) {
            Ok(entries) => Ok(entries.iter().find(|entry| entry.name == path.name()).map(|entry| entry.there)),
            Err((kind, why)) => Err(io::Error::new(*kind, why.clone())),
        }
    }

    fn open_file(&self, path: &InstallPath) -> io::Result<(Box<dyn Seekable + '_>, FileFingerprint)> {
        let stamp = self.stamp_of(path)?;
        let file = RemoteFile {
            install: self,
            path: path.clone(),
            size: stamp.size,
            at: 0,
            held: Vec::new(),
            held_at: 0,
            window: WINDOW,
        };
        Ok((Box::new(file), stamp))
    }

    fn document(&self, path: &InstallPath, limit: u64) -> io::Result<Vec<u8>> {
        let stamp = self.stamp_of(path)?;
        let cut = |bytes: &[u8]| bytes[..bytes.len().min(usize::try_from(limit).unwrap_or(usize::MAX))].to_vec();
        let kept = locked(&self.documents).get(path.as_str()).filter(|kept| kept.stamp == stamp).cloned();
        if let Some(kept) = kept {
            return Ok(cut(&kept.bytes));
        }
        if stamp.size > KEPT_BYTES {
            return self.part(path, 0..stamp.size.min(limit));
        }
        let bytes = self.part(path, 0..stamp.size)?;
        let kept = KeptDocument { path: path.to_string(), stamp, bytes };
        locked(&self.new_documents).push(kept.clone());
        let bytes = cut(&kept.bytes);
        locked(&self.documents).insert(path.to_string(), kept);
        Ok(bytes)
    }

    fn host_digests(&self, paths: &[InstallPath]) -> Vec<Option<Sha256>> {
        let chunks: Vec<&[InstallPath]> = paths.chunks(64).collect();
        let told = side_by_side(LINES, &chunks, |paths| {
            let on_host: Vec<String> = paths.iter().map(|path| self.on_host(path.as_str())).collect();
            // A host that can't tell, or doesn't, costs nothing but reading the files.
            self.over(|line| line.digests(&on_host)).unwrap_or_else(|_| vec![None; paths.len()])
        });
        told.into_iter().flatten().collect()
    }

    fn write(&self, path: &InstallPath, source: &mut dyn Seekable) -> io::Result<()> {
        if let Some(parent) = path.parent() {
            self.make_folders(&parent)?;
        }
        let size = source.seek(SeekFrom::End(0))?;
        let on_host = self.on_host(path.as_str());
        let sent = std::cell::Cell::new(0);
        let mut first = true;
        self.over_until(
            |line| {
                let from = if std::mem::replace(&mut first, false) {
                    0
                } else {
                    line.size(&on_host)?.unwrap_or(0).min(size).saturating_sub(line.doubtful_end())
                };
                sent.set(sent.get().max(from));
                source.seek(SeekFrom::Start(from)).map_err(Fault::Refused)?;
                line.write(&on_host, from, &mut &mut *source)?;
                if from > 0 && line.size(&on_host)? != Some(size) {
                    return Err(Fault::Refused(io::Error::other("the file came out with another size than was sent")));
                }
                Ok(())
            },
            || sent.get(),
        )?;
        let stamp = FileFingerprint { size, modified: None, changed: 0, inode: 0 };
        self.now_there(path, Some(FileStatus::File { stamp, mode: None }));
        Ok(())
    }

    fn rename(&self, from: &InstallPath, to: &InstallPath) -> io::Result<()> {
        if let Some(parent) = to.parent() {
            self.make_folders(&parent)?;
        }
        let there = self.look(from)?;
        let (old, new) = (self.on_host(from.as_str()), self.on_host(to.as_str()));
        let mut again = false;
        self.over(|line| {
            // The answer to the first try may have been lost, not the try itself.
            if std::mem::replace(&mut again, true) && line.size(&old)?.is_none() && line.size(&new)?.is_some() {
                return Ok(());
            }
            line.rename(&old, &new)
        })?;
        self.now_there(from, None);
        self.now_there(to, there);
        Ok(())
    }

    fn remove_file(&self, path: &InstallPath) -> io::Result<()> {
        let on_host = self.on_host(path.as_str());
        let removed = self.over(|line| match line.remove_file(&on_host) {
            Err(Fault::Refused(error)) if line.size(&on_host)?.is_some() => Err(Fault::Refused(error)),
            Err(Fault::Lost(why)) => Err(Fault::Lost(why)),
            Ok(()) | Err(Fault::Refused(_)) => Ok(()),
        });
        removed?;
        self.now_there(path, None);
        Ok(())
    }

    fn make_folders(&self, path: &InstallPath) -> io::Result<()> {
        if path.is_root() || self.is_folder(path) {
            return Ok(());
        }
        if let Some(parent) = path.parent() {
            self.make_folders(&parent)?;
        }
        match self.claim_folder(path) {
            Err(error) if error.kind() == io::ErrorKind::AlreadyExists => Ok(()),
            other => other,
        }
    }

    fn claim_folder(&self, path: &InstallPath) -> io::Result<()> {
        let on_host = self.on_host(path.as_str());
        let made = self.over(|line| line.make_folder(&on_host));
        if let Err(error) = made {
            if is_lost(&error) {
                return Err(error);
            }
            // What a host says when a folder is there already differs from host to host.
            locked(&self.listed).remove(&path.parent().map(String::from).unwrap_or_default());
            return match self.is_folder(path) {
                true => Err(io::Error::new(io::ErrorKind::AlreadyExists, "it is there already")),
                false => Err(error),
            };
        }
        self.now_there(path, Some(FileStatus::Folder { modified: None, mode: None }));
        locked(&self.listed).insert(path.as_str().to_owned(), Arc::new(Ok(Vec::new())));
        Ok(())
    }

    fn remove_folder(&self, path: &InstallPath) -> io::Result<()> {
        let on_host = self.on_host(path.as_str());
        self.over(|line| line.remove_folder(&on_host))?;
        self.now_there(path, None);
        Ok(())
    }

    fn lost_modes(&self) -> Vec<String> {
        std::mem::take(&mut *locked(&self.lost_modes)).into_iter().collect()
    }

    fn set_facts(&self, path: &InstallPath, modified: Option<i64>, mode: Option<u32>) -> io::Result<()> {
        let on_host = self.on_host(path.as_str());
        match self.over(|line| line.set_facts(&on_host, modified, mode)) {
            Err(error) if error.kind() == io::ErrorKind::Unsupported => {
                // A part gets its name later; whoever reads of it knows the folder.
                let named = path.parent().filter(|_| crate::install::is_part(path)).unwrap_or_else(|| path.clone());
                locked(&self.lost_modes).insert(named.to_string());
            }
            set => set?,
        }
        // How finely the host keeps it is the host's affair: the next look tells.
        locked(&self.listed).remove(&path.parent().map(String::from).unwrap_or_default());
        Ok(())
    }

    fn look_anew(&self) {
        locked(&self.listed).clear();
    }

    fn recall_documents(&self, documents: Vec<KeptDocument>) {
        let changed = locked(&self.changed);
        let kept = documents.into_iter().filter(|kept| !changed.contains(&kept.path));
        locked(&self.documents).extend(kept.map(|kept| (kept.path.clone(), kept)));
    }

    fn new_documents(&self) -> Vec<KeptDocument> {
        std::mem::take(&mut *locked(&self.new_documents))
    }

    fn changed_documents(&self) -> Vec<String> {
        locked(&self.changed).iter().cloned().collect()
    }
}

/// A file on a host, read in parts as somebody asks for them.
struct RemoteFile<'a> {
    install: &'a RemoteInstall,
    path: InstallPath,
    size: u64,
    at: u64,
    held: Vec<u8>,
    held_at: u64,
    window: u64,
}

impl RemoteFile<'_> {
    fn fetch(&mut self) -> io::Result<()> {
        let held_end = self.held_at + self.held.len() as u64;
        self.window = if self.at == held_end && self.at > 0 { (self.window * 2).min(LARGE_WINDOW) } else { WINDOW };
        let near_end = self.size.saturating_sub(END);
        let from = if self.at >= near_end { near_end } else { self.at };
        let to = (self.at + self.window).max(from + self.window).min(self.size);
        self.held = self.install.part(&self.path, from..to)?;
        self.held_at = from;
        if (self.held.len() as u64) < to - from {
            return Err(io::Error::new(io::ErrorKind::UnexpectedEof, "the host sends less than it said"));
        }
        Ok(())
    }
}

impl Read for RemoteFile<'_> {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        if self.at >= self.size || buffer.is_empty() {
            return Ok(0);
        }
        if self.at < self.held_at || self.at >= self.held_at + self.held.len() as u64 {
            self.fetch()?;
        }
        let held = usize::try_from(self.at - self.held_at).ok().and_then(|start| self.held.get(start..));
        let held = held.unwrap_or_default();
        let n = held.len().min(buffer.len());
        buffer[..n].copy_from_slice(&held[..n]);
        self.at += n as u64;
        Ok(n)
    }
}

impl Seek for RemoteFile<'_> {
    fn seek(&mut self, to: SeekFrom) -> io::Result<u64> {
        let at = match to {
            SeekFrom::Start(at) => Some(at),
            SeekFrom::End(by) => self.size.checked_add_signed(by),
            SeekFrom::Current(by) => self.at.checked_add_signed(by),
        };
        self.at = at.ok_or_else(|| io::Error::new(io::ErrorKind::InvalidInput, "there is nothing before a file"))?;
        Ok(self.at)
    }
}
