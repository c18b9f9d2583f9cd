//! Finds the bytes of a digest: in the workspace's own store, in files that surveys saw, in backups.
//!
//! What a survey saw may have changed since, so every copy is measured while it is taken over.

use std::collections::{BTreeSet, HashMap};
use std::fs::File;
use std::io::{self, Read, Seek, SeekFrom, Write};
use std::path::{Path, PathBuf};

use kanon_core::base::digest::{Blake3, Sha256};
use kanon_core::survey::Survey;

use crate::error::{During, ReachError};
use crate::hashing::both_of;
use crate::install::Seekable;
use crate::open::regular;

/// So many bytes tell what a file is.
const HEAD_BYTES: u64 = 16;

/// Where the bytes of digests may be.
#[derive(Debug, Clone, Default)]
pub struct Bytes {
    at: HashMap<Blake3, Vec<PathBuf>>,
    /// A folder whose files are there to be handed on, and go once they are where they belong.
    passing: Option<PathBuf>,
}

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
        let mods = survey.mods.iter().chain(&survey.strays).flat_map(|found| &found.files);
        let files = mods.map(|file| (file.blake3, &file.path));
        for (digest, path) in files.chain(survey.keys.iter().map(|key| (key.blake3, &key.path))) {
            if wanted.contains(&digest) {
                self.add(digest, root.join(path.as_str()));
            }
        }
    }

    /// Takes note of one file.
    pub fn add(&mut self, digest: Blake3, path: PathBuf) {
        self.at.entry(digest).or_default().push(path);
    }

    /// Files that may have the bytes of a digest, as they were seen; whoever reads them sees for himself.
    pub fn paths(&self, digest: Blake3) -> &[PathBuf] {
        self.at.get(&digest).map_or(&[], Vec::as_slice)
    }

    /// What lies in a folder is on its way to where it belongs: once it is there, it is not needed twice.
    pub fn pass_on_from(&mut self, folder: PathBuf) {
        self.passing = Some(folder);
    }

    /// The file of a digest that goes once its bytes are where they belong.
    pub fn passes(&self, digest: Blake3) -> Option<&Path> {
        let passing = self.passing.as_ref()?;
        self.paths(digest).iter().find(|path| path.starts_with(passing)).map(PathBuf::as_path)
    }

    /// Whether a digest is known here.
    pub fn has(&self, digest: Blake3) -> bool {
        self.at.contains_key(&digest)
    }

    /// Those of some digests that are nowhere.
    pub fn lacking(&self, wanted: &BTreeSet<Blake3>) -> BTreeSet<Blake3> {
        wanted.iter().filter(|digest| !self.at.contains_key(digest)).copied().collect()
    }

    /// Hands the bytes of a digest to whoever writes them; a copy that has changed since it was seen is passed over.
    ///
    /// # Errors
    /// When no copy has those bytes any more, or writing fails. What was written by then is to be thrown away.
    pub fn hand_over(
        &self,
        digest: Blake3,
        mut write: impl FnMut(&mut dyn Seekable) -> io::Result<()>,
    ) -> Result<(), Handing> {
        for path in self.at.get(&digest).into_iter().flatten() {
            let Ok(file) = regular(path) else { continue };
            let mut source = Checked { inner: file, at: 0, hashed: 0, hasher: blake3::Hasher::new() };
            write(&mut source).map_err(Handing::Failed)?;
            if source.is(digest).map_err(Handing::Failed)? {
                return Ok(());
            }
        }
        Err(Handing::Nowhere)
    }

    /// How the bytes of a digest begin, as far as tells what they are.
    ///
    /// # Errors
    /// When no copy has those bytes any more.
    pub fn head(&self, digest: Blake3) -> Result<Vec<u8>, ReachError> {
        let mut head = Vec::new();
        let handed = self.hand_over(digest, |source| {
            head.clear();
            source.take(HEAD_BYTES).read_to_end(&mut head).map(drop)
        });
        handed.map(|()| head).map_err(|_| ReachError::BytesNowhere(vec![digest.short()]))
    }

    /// The size of the bytes of a digest, if they are anywhere.
    pub fn size(&self, digest: Blake3) -> Option<u64> {
        let paths = self.at.get(&digest)?;
        paths.iter().find_map(|path| std::fs::metadata(path).ok()).map(|metadata| metadata.len())
    }
}

/// Why bytes could not be handed over.
#[derive(Debug)]
pub enum Handing {
    /// No copy has them any more.
    Nowhere,
    /// Whoever should write them failed.
    Failed(io::Error),
}

/// A file that is measured while it is read: from its start, and again where a reader steps back.
struct Checked {
    inner: File,
    at: u64,
    hashed: u64,
    hasher: blake3::Hasher,
}

impl Checked {
    /// Whether all of it, read to its end by now, has that digest.
    fn is(mut self, digest: Blake3) -> io::Result<bool> {
        self.seek(SeekFrom::Start(self.hashed))?;
        io::copy(&mut self, &mut io::sink())?;
        Ok(Blake3::from_bytes(*self.hasher.finalize().as_bytes()) == digest)
    }
}

impl Read for Checked {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        let n = self.inner.read(buffer)?;
        let end = self.at + n as u64;
        if self.at <= self.hashed && end > self.hashed {
            let known = usize::try_from(self.hashed - self.at).unwrap_or(n);
            self.hasher.update_rayon(&buffer[known..n]);
            self.hashed = end;
        }
        self.at = end;
        Ok(n)
    }
}

impl Seek for Checked {
    fn seek(&mut self, to: SeekFrom) -> io::Result<u64> {
        self.at = self.inner.seek(to)?;
        Ok(self.at)
    }
}

/// Keeps the bytes of a digest in a folder of files that are named by their digest.
///
/// # Errors
/// When they are nowhere, or can't be written.
pub fn keep(bytes: &Bytes, digest: Blake3, store: &Path) -> Result<Sha256, ReachError> {
    let (part, target) = kept_at(digest, store)?;
    let mut sha256 = None;
    let handed = bytes.hand_over(digest, |source| {
        sha256 = Some(written(source, &part)?.1);
        Ok(())
    });
    match (handed, sha256) {
        (Ok(()), Some(sha256)) => {
            std::fs::rename(&part, &target).during("put in place", &target)?;
            Ok(sha256)
        }
        (Err(Handing::Failed(source)), _) => Err(ReachError::Io { attempt: "write", path: part, source }),
        _ => Err(ReachError::BytesNowhere(vec![digest.short()])),
    }
}

/// Keeps what a reader gives likewise; nothing if that is not of this digest.
///
/// # Errors
/// When it can't be read or written.
pub fn keep_read(
    source: &mut (impl Read + ?Sized),
    digest: Blake3,
    store: &Path,
) -> Result<Option<PathBuf>, ReachError> {
    let (part, target) = kept_at(digest, store)?;
    let (found, _) = written(source, &part).during("write", &part)?;
    if found != digest {
        std::fs::remove_file(&part).during("remove", &part)?;
        return Ok(None);
    }
    std::fs::rename(&part, &target).during("put in place", &target)?;
    Ok(Some(target))
}

/// Where the bytes of a digest are kept, and where they are written until they are whole.
fn kept_at(digest: Blake3, store: &Path) -> Result<(PathBuf, PathBuf), ReachError> {
    std::fs::create_dir_all(store).during("make the folder", store)?;
    Ok((store.join(format!("{digest}.part")), store.join(digest.to_string())))
}

fn written(source: &mut (impl Read + ?Sized), part: &Path) -> io::Result<(Blake3, Sha256)> {
    let mut file = File::create(part)?;
    let digests = both_of(source, 0, |chunk| file.write_all(chunk))?;
    file.sync_all()?;
    Ok(digests)
}

/// The SHA-256 of a digest's bytes, read where they are.
///
/// # Errors
/// When they are nowhere, or have changed.
pub fn sha256(bytes: &Bytes, digest: Blake3) -> Result<Sha256, ReachError> {
    for path in bytes.at.get(&digest).into_iter().flatten() {
        let Ok(mut source) = regular(path) else { continue };
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
    fn only_what_lies_in_the_passing_folder_goes() {
        let temp = tempfile::tempdir().expect("a folder");
        let (digest, store, game) = (Blake3::of(b"tide"), temp.path().join("store"), temp.path().join("game"));
        let mut bytes = Bytes::default();
        bytes.add(digest, game.join("tide"));
        bytes.pass_on_from(store.clone());
        assert_eq!(bytes.passes(digest), None, "what somebody has is theirs");
        bytes.add(digest, store.join("tide"));
        assert_eq!(bytes.passes(digest), Some(store.join("tide").as_path()));
        assert_eq!(bytes.passes(Blake3::of(b"ebb")), None);
    }

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
