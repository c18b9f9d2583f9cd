//! Finds the bytes of a digest: in the workspace's own store, in files that surveys saw, in backups.
//!
//! What a survey saw may have changed since, so every copy is measured while it is taken over.

use std::collections::{BTreeSet, HashMap};
use std::fs::File;
use std::io::{self, Write};
use std::path::{Path, PathBuf};

use kanon_core::digest::{Blake3, Sha256};
use kanon_core::survey::Survey;

use crate::error::{During, ReachError};
use crate::hashing::both_of;

/// Where the bytes of digests may be.
#[derive(Debug, Clone, Default)]
pub struct Bytes(HashMap<Blake3, Vec<PathBuf>>);

impl Bytes {
    /// Looks into a folder of files that are named by their digest.
    pub fn look_into_store(&mut self, store: &Path, wanted: &BTreeSet<Blake3>) {
        for digest in wanted {
            let path = store.join(digest.to_string());
            if path.is_file() {
                self.add(*digest, path);
            }
        }
    }

    /// Takes note of the files of a survey of a local folder.
    pub fn look_into_survey(&mut self, root: &Path, survey: &Survey, wanted: &BTreeSet<Blake3>) {
        for file in survey.mods.iter().chain(&survey.strays).flat_map(|found| &found.files) {
            if wanted.contains(&file.blake3) {
                self.add(file.blake3, root.join(file.path.as_str()));
            }
        }
    }

    /// Takes note of one file.
    pub fn add(&mut self, digest: Blake3, path: PathBuf) {
        self.0.entry(digest).or_default().push(path);
    }

    /// Those of some digests that are nowhere.
    pub fn lacking(&self, wanted: &BTreeSet<Blake3>) -> BTreeSet<Blake3> {
        wanted.iter().filter(|digest| !self.0.contains_key(digest)).copied().collect()
    }

    /// Writes the bytes of a digest; a copy that has changed since it was seen is passed over.
    ///
    /// # Errors
    /// When no copy has those bytes any more, or writing fails. What was written by then is to be thrown away.
    pub fn copy(
        &self,
        digest: Blake3,
        mut target: impl FnMut() -> io::Result<File>,
    ) -> Result<(File, Sha256), ReachError> {
        for path in self.0.get(&digest).into_iter().flatten() {
            let Ok(mut source) = File::open(path) else { continue };
            let size = source.metadata().map_or(0, |metadata| metadata.len());
            let mut file = target().during("make a file for a copy of", path)?;
            let (found, sha256) = both_of(&mut source, size, |chunk| file.write_all(chunk)).during("copy", path)?;
            if found == digest {
                return Ok((file, sha256));
            }
        }
        Err(ReachError::BytesNowhere(vec![digest.short()]))
    }
}

/// Keeps the bytes of a digest in a folder of files that are named by their digest.
///
/// # Errors
/// When they are nowhere, or can't be written.
pub fn keep(bytes: &Bytes, digest: Blake3, store: &Path) -> Result<Sha256, ReachError> {
    std::fs::create_dir_all(store).during("make the folder", store)?;
    let target = store.join(digest.to_string());
    let part = store.join(format!("{digest}.part"));
    let (file, sha256) = bytes.copy(digest, || File::create(&part))?;
    file.sync_all().during("write", &part)?;
    std::fs::rename(&part, &target).during("put in place", &target)?;
    Ok(sha256)
}

/// The SHA-256 of a digest's bytes, read where they are.
///
/// # Errors
/// When they are nowhere, or have changed.
pub fn sha256(bytes: &Bytes, digest: Blake3) -> Result<Sha256, ReachError> {
    for path in bytes.0.get(&digest).into_iter().flatten() {
        let Ok(mut source) = File::open(path) else { continue };
        let size = source.metadata().map_or(0, |metadata| metadata.len());
        let (found, sha256) = both_of(&mut source, size, |_| Ok(())).during("read", path)?;
        if found == digest {
            return Ok(sha256);
        }
    }
    Err(ReachError::BytesNowhere(vec![digest.short()]))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_copy_that_changed_is_passed_over() {
        let temp = tempfile::tempdir().expect("a folder");
        let (digest, store) = (Blake3::of(b"tide"), temp.path().join("store"));
        let mut bytes = Bytes::default();
        for (name, text) in [("edited", "tied"), ("right", "tide")] {
            std::fs::write(temp.path().join(name), text).expect("written");
            bytes.add(digest, temp.path().join(name));
        }
        bytes.add(Blake3::of(b"gone"), temp.path().join("gone"));
        assert_eq!(keep(&bytes, digest, &store).expect("kept"), Sha256::of(b"tide"));
        assert_eq!(std::fs::read(store.join(digest.to_string())).expect("read"), b"tide");
        assert!(keep(&bytes, Blake3::of(b"gone"), &store).is_err());
        let wanted = BTreeSet::from([digest, Blake3::of(b"never seen")]);
        assert_eq!(bytes.lacking(&wanted), BTreeSet::from([Blake3::of(b"never seen")]));
    }
}
