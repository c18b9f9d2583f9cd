//! The digest of each file: remembered, or read. A file that changes while it is read is read again, then refused.

use std::fs::File;
use std::io::{self, Seek};

use kanon_core::digest::Blake3;
use kanon_core::path::InstallPath;
use rayon::prelude::*;

use super::units::Shelved;
use super::{Digests, Job};
use crate::error::ReachError;
use crate::hashing::blake3_of;
use crate::install::Stamp;
use crate::state::{Remembered, State};

/// How often a file that changes is read before it is given up.
const TRIES: usize = 3;

/// One measured file.
#[derive(Debug, Clone)]
pub struct Measured {
    /// Its size in bytes.
    pub size: u64,
    /// The stamp that goes with the digest.
    pub stamp: Stamp,
    /// Its digest, or why there is none.
    pub blake3: Result<Blake3, String>,
    /// Whether its bytes were read, not remembered.
    pub read: bool,
}

impl Job<'_> {
    /// Measures every file of every unit, large ones first so that no thread is left with one at the end.
    pub fn measure_files(&self, shelved: &Shelved<'_>) -> Digests {
        let mut files: Vec<&(InstallPath, Stamp)> = shelved.units.iter().flat_map(|unit| &unit.files).collect();
        files.sort_by(|a, b| (b.1.size, &a.0).cmp(&(a.1.size, &b.0)));
        files.dedup_by(|a, b| a.0 == b.0);
        let unknown = files.iter().filter(|(path, stamp)| self.known(path, *stamp).is_none());
        self.progress.ahead(unknown.map(|(_, stamp)| stamp.size).sum());
        files.par_iter().with_max_len(16).map(|(path, stamp)| (path.clone(), self.measure(path, *stamp))).collect()
    }

    fn known(&self, path: &InstallPath, stamp: Stamp) -> Option<Blake3> {
        self.remembered.get(path.as_str()).filter(|known| known.vouches_for(stamp)).map(|known| known.blake3)
    }

    fn measure(&self, path: &InstallPath, stamp: Stamp) -> Measured {
        if let Some(blake3) = self.known(path, stamp) {
            return Measured { size: stamp.size, stamp, blake3: Ok(blake3), read: false };
        }
        let measured = match self.install.open_file(path).and_then(|mut file| settled_digest(&mut file)) {
            Ok((blake3, stamp)) => Measured { size: stamp.size, stamp, blake3: Ok(blake3), read: true },
            Err(error) => {
                Measured { size: stamp.size, stamp, blake3: Err(format!("it can't be read: {error}")), read: true }
            }
        };
        self.progress.done(stamp.size);
        measured
    }

    /// Remembers what was read, and forgets what is gone.
    pub fn remember(&self, measured: &[&Digests], shelved: &Shelved<'_>, state: &mut State) -> Result<(), ReachError> {
        let read = measured.iter().flat_map(|digests| digests.iter()).filter(|(_, file)| file.read);
        let new: Vec<(InstallPath, Remembered)> = read
            .filter_map(|(path, file)| {
                let blake3 = *file.blake3.as_ref().ok()?;
                Some((path.clone(), Remembered { stamp: file.stamp, measured: self.measured_at, blake3 }))
            })
            .collect();
        let is_there = |path: &String| {
            InstallPath::new(path).is_ok_and(|path| measured.iter().any(|digests| digests.contains_key(&path)))
        };
        let surveyed = |path: &String| {
            let places = self.request.rulebook.shelves.iter().flat_map(|shelf| shelf.places(self.request.role));
            places.into_iter().any(|place| path.strip_prefix(place.as_str()).is_some_and(|rest| rest.starts_with('/')))
        };
        let whole = shelved.unreadable.is_empty();
        let gone: Vec<String> =
            self.remembered.keys().filter(|path| whole && surveyed(path) && !is_there(path)).cloned().collect();
        state.remember(&self.root, &new, &gone)
    }
}

/// The digest of a file that kept its stamp while it was read.
pub fn settled_digest(file: &mut File) -> io::Result<(Blake3, Stamp)> {
    for _ in 0..TRIES {
        file.rewind()?;
        let before = Stamp::of(&file.metadata()?);
        let (blake3, read) = blake3_of(file, before.size)?;
        let after = Stamp::of(&file.metadata()?);
        if before == after && read == after.size {
            return Ok((blake3, after));
        }
    }
    Err(io::Error::other("it keeps changing while it is read; stop the game first"))
}
