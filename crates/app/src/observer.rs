//! Whoever watches a use case: is told what happens, is asked what only a person can know, and may break it off.

use std::path::Path;
use std::sync::Arc;

use kanon_core::base::suggestion::Suggestion;
use kanon_core::rulebook::Role;
use kanon_io::install::{HostKey, Secret};
use kanon_io::progress::Progress;

use crate::error::AppError;
use crate::notice::Notice;

/// Work that takes its time.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Task {
    /// An install is measured.
    Measuring,
    /// An alignment is carried out.
    Aligning,
    /// An interrupted alignment is finished.
    Finishing,
    /// Bytes are fetched from a release or a host.
    Fetching,
    /// Releases are downloaded from a catalogue.
    Downloading,
    /// A release is put up.
    Publishing,
}

/// What becomes of the work when somebody breaks it off now.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum OnBreak {
    /// An install is half changed: one command finishes it, another takes it back.
    HalfDone {
        /// Finishes it.
        finish: Suggestion,
        /// Takes it back.
        undo: Suggestion,
    },
    /// What was done by then stays as it is.
    Stays,
}

/// The front end, as a use case sees it. Installs are worked on side by side, so that it is told from several threads.
pub trait Observer: Sync {
    /// Something is to be told beside the report.
    fn notice(&self, notice: Notice);

    /// Whether what was told once about a file is told again.
    fn tells_again(&self) -> bool;

    /// Work begins whose end is far; it is over when what is returned is dropped.
    fn begin(&self, task: Task) -> Box<dyn Progress + Send + '_>;

    /// Whether mods that others need may be taken off all the same.
    ///
    /// # Errors
    /// When somebody could be asked and the question failed.
    fn may_take_off_needed(&self) -> Result<bool, AppError>;

    /// What an install is that nothing says it of; nothing where nobody can be asked.
    ///
    /// # Errors
    /// When somebody could be asked and the question failed.
    fn role_of(&self, typed: &str) -> Result<Option<Role>, AppError>;

    /// Who answers for a host's password and key; hosts are spoken to longer than one call lasts.
    fn asker(&self) -> Arc<dyn Asker>;

    /// What is to be told of a break from now on.
    fn on_break(&self, what: OnBreak);

    /// From now on the work puts itself right before it ends, if it is asked to.
    fn keep_order(&self, keeps: bool);

    /// Whether somebody wants it to end.
    fn is_break_asked(&self) -> bool;
}

/// Answers of a person about a host.
pub trait Asker: Send + Sync {
    /// The password of an account.
    fn password(&self, account: &str) -> Option<Secret>;

    /// The passphrase of a private key.
    fn passphrase(&self, key: &Path) -> Option<Secret>;

    /// Whether a password that was right is to be kept in the system's key ring.
    fn may_keep_password(&self) -> bool;

    /// Whether the key of a host that nobody here has seen before is the right one.
    fn trusts(&self, key: &HostKey) -> bool;
}

/// Work that puts itself right before the program ends, until this is dropped.
pub struct Orderly<'a>(&'a dyn Observer);

impl<'a> Orderly<'a> {
    /// Begins it.
    pub fn begin(observer: &'a dyn Observer) -> Self {
        observer.keep_order(true);
        Self(observer)
    }
}

impl Drop for Orderly<'_> {
    fn drop(&mut self) {
        self.0.keep_order(false);
    }
}
