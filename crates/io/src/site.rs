//! Where an alignment takes place, and who makes it.

use std::collections::BTreeSet;
use std::path::{Path, PathBuf};

use kanon_core::base::path::InstallPath;

use crate::claim::{Claim, Claimant, Lock, Others};
use crate::error::ReachError;
use crate::install::Install;

/// Where an alignment takes place, and who makes it.
#[derive(Clone, Copy)]
pub struct ApplyContext<'a> {
    /// The install.
    pub install: &'a dyn Install,
    /// Its name.
    pub name: &'a str,
    /// The folders of its shelves: a folder below them that an alignment empties is taken away, they are not.
    pub places: &'a BTreeSet<InstallPath>,
    /// Folders that go as a whole when an alignment empties them: worlds.
    pub whole: &'a BTreeSet<InstallPath>,
    /// Where backups are kept.
    pub backups: &'a Path,
    /// Who makes it.
    pub claimant: &'a Claimant,
    /// What to do about a claim that another workspace left on the install.
    pub others: Others,
}

impl<'a> ApplyContext<'a> {
    /// Claims the install, so that nobody else aligns it meanwhile.
    ///
    /// # Errors
    /// When somebody else does already.
    pub fn claim(&self) -> Result<Claim<'a>, ReachError> {
        self.lock()?.claim(self.claimant, self.others)
    }

    /// Takes the lock of the install on this machine.
    pub(crate) fn lock(&self) -> Result<Lock<'a>, ReachError> {
        Lock::take(self.install, &locks(self.backups), self.claimant)
    }

    /// Where the copies of one alignment are.
    pub fn backup(&self, id: i64) -> PathBuf {
        self.backups.join(id.to_string())
    }
}

/// Where the locks of installs are.
pub fn locks(backups: &Path) -> PathBuf {
    backups.join("locks")
}
