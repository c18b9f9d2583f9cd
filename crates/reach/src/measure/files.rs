//! The digest of each file: remembered, or read. A file that changes while it is read is read again, then refused.

use std::collections::{HashMap, HashSet};
use std::io::{self, Seek};

use kanon_core::digest::Blake3;
use kanon_core::path::InstallPath;
use rayon::prelude::*;

use super::Job;
use super::units::{Form, Group};
use crate::error::ReachError;
use crate::hashing::blake3_of;
use crate::install::Stamp;
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
    pub stamp: Stamp,
    /// Its digest, or why there is none.
    pub blake3: Result<Blake3, String>,
    /// When it was measured.
    measured: i64,
    /// Whether its bytes were read, not remembered.
    pub read: bool,
}

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
        let work = groups.par_iter().zip(&known).zip(&signatures);
        Ok(work
            .map(|((group, known), (signature, _))| match known {
                None => self.recalled(group),
                Some(known) => self.measured(group, known, *signature),
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
            read: false,
        });
        MeasuredGroup { files: files.collect(), digest: memory.digest, to_remember: None }
    }

    fn measured(&self, group: &Group<'_>, known: &HashMap<String, Remembered>, signature: Blake3) -> MeasuredGroup {
        let known =
            |(path, stamp): &(InstallPath, Stamp)| known.get(path.as_str()).filter(|file| file.vouches_for(*stamp));
        self.progress.ahead(group.files.iter().filter(|file| known(file).is_none()).map(|(_, stamp)| stamp.size).sum());
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
                    read: false,
                },
                None => self.measure(&file.0, file.1),
            })
            .collect();
        let digest = folder_digest(group, &files);
        let to_remember = memory(group, &files, (signature, digest));
        MeasuredGroup { files, digest, to_remember }
    }

    fn measure(&self, path: &InstallPath, stamp: Stamp) -> Measured {
        let measured = self.measured_at;
        let settled = self.install.open_file(path).and_then(|mut file| {
            settled(|| {
                file.rewind()?;
                let before = Stamp::of(&file.metadata()?);
                let (blake3, read) = blake3_of(&mut file, before.size)?;
                let after = Stamp::of(&file.metadata()?);
                Ok((before == after && read == after.size).then_some((blake3, after)))
            })
        });
        self.progress.done(stamp.size);
        match settled {
            Ok((blake3, stamp)) => Measured { size: stamp.size, stamp, blake3: Ok(blake3), measured, read: true },
            Err(error) => {
                let blake3 = Err(format!("it can't be read: {error}"));
                Measured { size: stamp.size, stamp, blake3, measured, read: true }
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

fn signature_of<'p>(files: impl Iterator<Item = (&'p InstallPath, Stamp)>) -> (Blake3, i64) {
    let mut record = Vec::new();
    let mut newest = i64::MIN;
    for (path, stamp) in files {
        record.extend_from_slice(path.as_str().as_bytes());
        record.push(0);
        for number in [stamp.size, stamp.modified.cast_unsigned(), stamp.changed.cast_unsigned(), stamp.inode] {
            record.extend_from_slice(&number.to_le_bytes());
        }
        newest = newest.max(stamp.newest());
    }
    (Blake3::of(&record), newest)
}

/// One digest for a folder, over the paths inside it; meaningless where a file could not be read, and not used then.
fn folder_digest(group: &Group<'_>, files: &[Measured]) -> Blake3 {
    if group.units.iter().all(|unit| unit.form != Form::Folder) {
        return Blake3::of(b"");
    }
    let none = Blake3::of(b"");
    let inner = group.files.iter().zip(files).map(|((path, _), file)| {
        (path.below(&group.folder).unwrap_or_default(), file.size, file.blake3.as_ref().copied().unwrap_or(none))
    });
    Blake3::of_files(inner)
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

/// Tries until an attempt held still; an attempt that gives nothing was disturbed.
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
