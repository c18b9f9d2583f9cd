//! The digest of each file: remembered, or read. A file that changes while it is read is read again, then refused.

use std::collections::{HashMap, HashSet};
use std::io;

use kanon_core::base::digest::Blake3;
use kanon_core::base::path::InstallPath;
use rayon::prelude::*;

use super::request::Job;
use super::units::{Form, Group};
use crate::error::ReachError;
use crate::hashing::blake3_of;
use crate::install::{FileFingerprint, side_by_side};
use crate::state::{Memory, Remembered, State};

/// How often a file that changes is read before it is given up.
const TRIES: usize = 3;

/// The measured files of a group, in its order.
pub struct MeasuredGroup {
    /// The files.
    pub files: Vec<Measured>,
    /// One digest for the folder, where the group is one.
    pub digest: Blake3,
    /// What is to be remembered of it.
    pub to_remember: Option<(Memory, Vec<Remembered>)>,
}

/// One measured file.
#[derive(Debug, Clone)]
pub struct Measured {
    /// Its size in bytes.
    pub size: u64,
    /// The stamp that goes with the digest.
    pub stamp: FileFingerprint,
    /// Its digest, or why there is none.
    pub blake3: Result<Blake3, Unmeasured>,
    /// When it was measured.
    measured: i64,
    /// How its digest is known.
    pub by: By,
}

/// Why a file has no digest.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum Unmeasured {
    /// It can't be read; what the system or the host says.
    #[error("it can't be read: {0}")]
    Unread(String),
    /// The same of a file inside of a mod.
    #[error("{0}: it can't be read: {1}")]
    Inside(InstallPath, String),
}

impl Unmeasured {
    /// The same with the file that it is of.
    pub fn inside(self, path: InstallPath) -> Self {
        match self {
            Self::Unread(why) => Self::Inside(path, why),
            inside @ Self::Inside(..) => inside,
        }
    }
}

/// How a file's digest is known.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum By {
    /// Its bytes were read now.
    ModManifest,
    /// Its host computed it now.
    Host,
    /// The system vouches that nothing has changed since they were.
    Memory,
    /// It is on a host, and has the size and the time that it had then.
    SizeAndTime,
}

/// Files smaller than this are read sooner than their host is asked.
const WORTH_ASKING: u64 = 16 << 10;

impl Job<'_> {
    /// Measures every file of every group.
    ///
    /// # Errors
    /// When the state database fails; a file that can't be read is told in its place.
    pub fn measure_groups(&self, groups: &[Group<'_>], state: &State) -> Result<Vec<MeasuredGroup>, ReachError> {
        let signatures: Vec<(Blake3, i64)> = groups.par_iter().map(signature).collect();
        let mut known: Vec<Option<HashMap<String, Remembered>>> = Vec::with_capacity(groups.len());
        for (group, (signature, newest)) in groups.iter().zip(&signatures) {
            let memory = self.memories.get(&group.key);
            known.push(match memory {
                Some(memory) if memory.vouches_for(*signature, *newest) => None,
                None => Some(HashMap::new()),
                Some(_) => {
                    let files = state.remembered_files(&self.root, &group.key)?;
                    Some(files.into_iter().map(|file| (file.path.clone(), file)).collect())
                }
            });
        }
        let beforehand = if self.install.is_remote() { self.beforehand(groups, &known) } else { HashMap::new() };
        let work = groups.par_iter().zip(&known).zip(&signatures);
        Ok(work
            .map(|((group, known), (signature, _))| match known {
                None => self.recalled(group),
                Some(known) => self.measured(group, (known, &beforehand), *signature),
            })
            .collect())
    }

    /// All files of a group as they are remembered.
    fn recalled(&self, group: &Group<'_>) -> MeasuredGroup {
        let memory = &self.memories[&group.key];
        let digests = memory.digests.as_chunks::<32>().0;
        let files = group.files.iter().zip(digests).map(|((_, stamp), digest)| Measured {
            size: stamp.size,
            stamp: *stamp,
            blake3: Ok(Blake3::from_bytes(*digest)),
            measured: memory.measured,
            by: self.remembering(),
        });
        let files: Vec<Measured> = files.collect();
        // What belongs to whoever plays may be another by the rulebook of today.
        let has_settings = group.units.iter().any(|unit| !unit.shelf.settings.is_empty());
        let digest = if has_settings { folder_digest(group, &files) } else { memory.digest };
        MeasuredGroup { files, digest, to_remember: None }
    }

    /// The files of an install on a host that nothing is remembered of: vouched for by its receipt, told by the host, or
    /// read over as many lines as there may be.
    fn beforehand(
        &self,
        groups: &[Group<'_>],
        known: &[Option<HashMap<String, Remembered>>],
    ) -> HashMap<InstallPath, Measured> {
        let unknown = groups.iter().zip(known).flat_map(|(group, known)| {
            let is_known = |path: &InstallPath, stamp: FileFingerprint| {
                known.as_ref().is_none_or(|known| known.get(path.as_str()).is_some_and(|file| file.vouches_for(stamp)))
            };
            group.files.iter().filter(move |(path, stamp)| !is_known(path, *stamp))
        });
        let mut found = HashMap::new();
        let mut unread: Vec<&(InstallPath, FileFingerprint)> = Vec::new();
        for file in unknown {
            let vouched = self.request.sparing.vouched.and_then(|vouched| vouched.digest(&file.0, file.1));
            match vouched {
                Some(blake3) => drop(found.insert(file.0.clone(), self.known_as(file.1, blake3, By::SizeAndTime))),
                None => unread.push(file),
            }
        }
        self.told_by_host(&mut unread, &mut found);
        self.progress.ahead(unread.iter().map(|(_, stamp)| stamp.size).sum());
        let read = side_by_side(self.install.side_by_side(), &unread, |(path, stamp)| self.measure(path, *stamp));
        found.extend(unread.into_iter().map(|(path, _)| path.clone()).zip(read));
        found
    }

    /// Asks the host for the digests of files that may be known ones, and takes those off the list.
    fn told_by_host(
        &self,
        unread: &mut Vec<&(InstallPath, FileFingerprint)>,
        found: &mut HashMap<InstallPath, Measured>,
    ) {
        let Some(known) = self.request.sparing.known else { return };
        let worth = |stamp: FileFingerprint| stamp.size >= WORTH_ASKING && known.has_size(stamp.size);
        let asked: Vec<&(InstallPath, FileFingerprint)> =
            unread.iter().filter(|(_, stamp)| worth(*stamp)).copied().collect();
        let paths: Vec<InstallPath> = asked.iter().map(|(path, _)| path.clone()).collect();
        for ((path, stamp), told) in asked.into_iter().zip(self.install.host_digests(&paths)) {
            if let Some(blake3) = told.and_then(|sha256| known.of(stamp.size, sha256)) {
                found.insert(path.clone(), self.known_as(*stamp, blake3, By::Host));
            }
        }
        unread.retain(|(path, _)| !found.contains_key(path));
    }

    const fn known_as(&self, stamp: FileFingerprint, blake3: Blake3, by: By) -> Measured {
        Measured { size: stamp.size, stamp, blake3: Ok(blake3), measured: self.measured_at, by }
    }

    /// What a memory of this install is worth: a host tells size and time, and nothing that can't be set at will.
    fn remembering(&self) -> By {
        if self.install.is_remote() { By::SizeAndTime } else { By::Memory }
    }

    fn measured(
        &self,
        group: &Group<'_>,
        (known, beforehand): (&HashMap<String, Remembered>, &HashMap<InstallPath, Measured>),
        signature: Blake3,
    ) -> MeasuredGroup {
        let known = |(path, stamp): &(InstallPath, FileFingerprint)| {
            known.get(path.as_str()).filter(|file| file.vouches_for(*stamp))
        };
        let unknown =
            |file: &&(InstallPath, FileFingerprint)| known(file).is_none() && !beforehand.contains_key(&file.0);
        self.progress.ahead(group.files.iter().filter(unknown).map(|(_, stamp)| stamp.size).sum());
        let files: Vec<Measured> = group
            .files
            .par_iter()
            .with_max_len(16)
            .map(|file| match known(file) {
                Some(known) => Measured {
                    size: file.1.size,
                    stamp: file.1,
                    blake3: Ok(Blake3::from_bytes(known.blake3)),
                    measured: known.measured,
                    by: self.remembering(),
                },
                None => beforehand.get(&file.0).cloned().unwrap_or_else(|| self.measure(&file.0, file.1)),
            })
            .collect();
        let digest = folder_digest(group, &files);
        let to_remember = memory(group, &files, (signature, digest));
        MeasuredGroup { files, digest, to_remember }
    }

    fn measure(&self, path: &InstallPath, stamp: FileFingerprint) -> Measured {
        let measured = self.measured_at;
        let settled = settled(|| {
            let (mut file, before) = self.install.open_file(path)?;
            let (blake3, read) = blake3_of(&mut file, before.size)?;
            let (_, after) = self.install.open_file(path)?;
            Ok((before == after && read == after.size).then_some((blake3, after)))
        });
        self.progress.done(stamp.size);
        match settled {
            Ok((blake3, stamp)) => {
                Measured { size: stamp.size, stamp, blake3: Ok(blake3), measured, by: By::ModManifest }
            }
            Err(error) => {
                let blake3 = Err(Unmeasured::Unread(error.to_string()));
                Measured { size: stamp.size, stamp, blake3, measured, by: By::ModManifest }
            }
        }
    }

    /// Remembers what was read, and forgets folders that are gone.
    pub fn remember(
        &self,
        groups: &[Group<'_>],
        measured: &mut [MeasuredGroup],
        whole: bool,
        state: &mut State,
    ) -> Result<(), ReachError> {
        let seen: HashSet<&str> = groups.iter().map(|group| group.key.as_str()).collect();
        let is_gone = |key: &&String| whole && !seen.contains(key.as_str());
        let gone: Vec<&str> = self.memories.keys().filter(is_gone).map(String::as_str).collect();
        let new: Vec<(String, Memory, Vec<Remembered>)> = groups
            .iter()
            .zip(measured)
            .filter_map(|(group, measured)| {
                let (memory, files) = measured.to_remember.take()?;
                Some((group.key.clone(), memory, files))
            })
            .collect();
        state.remember(&self.root, &new, &gone)
    }
}

/// A digest over the names and stamps of a group's files, and the newest of their times.
fn signature(group: &Group<'_>) -> (Blake3, i64) {
    signature_of(group.files.iter().map(|(path, stamp)| (path, *stamp)))
}

fn signature_of<'p>(files: impl Iterator<Item = (&'p InstallPath, FileFingerprint)>) -> (Blake3, i64) {
    let mut record = Vec::new();
    let mut newest = i64::MIN;
    for (path, stamp) in files {
        record.extend_from_slice(path.as_str().as_bytes());
        record.push(0);
        for number in
            [stamp.size, stamp.modified.unwrap_or(i64::MIN).cast_unsigned(), stamp.changed.cast_unsigned(), stamp.inode]
        {
            record.extend_from_slice(&number.to_le_bytes());
        }
        newest = newest.max(stamp.newest());
    }
    (Blake3::of(&record), newest)
}

/// One digest for a folder, over the paths inside it but for what belongs to whoever plays; meaningless where a file could not be read,
/// and not used then. Where everything would be such, everything counts: a mod is never known by nothing.
fn folder_digest(group: &Group<'_>, files: &[Measured]) -> Blake3 {
    if group.units.iter().all(|unit| unit.form != Form::Folder) {
        return Blake3::of(b"");
    }
    let none = Blake3::of(b"");
    let inner = group.files.iter().zip(files).filter_map(|((path, _), file)| {
        Some((path.below(&group.folder)?, file.size, file.blake3.as_ref().copied().unwrap_or(none)))
    });
    let is_setting = |inner: &str| group.units.iter().any(|unit| unit.shelf.is_setting(inner));
    let own: Vec<_> = inner.clone().filter(|(path, ..)| !is_setting(path)).collect();
    if own.is_empty() { Blake3::of_files(inner) } else { Blake3::of_files(own) }
}

/// What is to be remembered of a group; nothing when a file of it could not be read.
fn memory(
    group: &Group<'_>,
    files: &[Measured],
    (listed, digest): (Blake3, Blake3),
) -> Option<(Memory, Vec<Remembered>)> {
    let mut digests = Vec::with_capacity(files.len() * 32);
    let mut remembered = Vec::with_capacity(files.len());
    for ((path, _), file) in group.files.iter().zip(files) {
        let blake3 = *file.blake3.as_ref().ok()?.as_bytes();
        // Without a time, size alone would have to vouch for a file.
        file.stamp.modified?;
        digests.extend_from_slice(&blake3);
        remembered.push(Remembered { path: path.to_string(), stamp: file.stamp, measured: file.measured, blake3 });
    }
    let moved = group.files.iter().zip(files).any(|((_, stamp), file)| *stamp != file.stamp);
    let signature = if moved {
        signature_of(group.files.iter().zip(files).map(|((path, _), file)| (path, file.stamp))).0
    } else {
        listed
    };
    let measured = files.iter().map(|file| file.measured).min().unwrap_or(i64::MIN);
    Some((Memory { signature, measured, digest, digests }, remembered))
}

/// Retry until an attempt held still; an attempt that gives nothing was disturbed.
fn settled<T>(mut attempt: impl FnMut() -> io::Result<Option<T>>) -> io::Result<T> {
    for _ in 0..TRIES {
        if let Some(value) = attempt()? {
            return Ok(value);
        }
    }
    Err(io::Error::other("it keeps changing while it is read; stop the game first"))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_keeps_changing_is_given_up_and_what_settles_is_not() {
        let mut tries = 0;
        let error = settled(|| -> io::Result<Option<()>> {
            tries += 1;
            Ok(None)
        });
        assert_eq!((tries, error.expect_err("given up").to_string().contains("keeps changing")), (TRIES, true));
        let mut tries = 0;
        let value = settled(|| {
            tries += 1;
            Ok((tries == 2).then_some("still"))
        });
        assert_eq!(value.expect("settled"), "still");
    }
}
