//! One look, on its way: the session it has, what was known, and what has changed.

use kanon_core::base::names::InstallName;
use kanon_io::running::{self, Running};

use super::change::{Change, What};
use super::memory::WatchMemory;
use crate::error::AppError;
use crate::places::Placed;
use crate::session::Session;

/// One look at everything that is watched.
pub(super) struct Look<'l, 'm> {
    /// The workspace, opened for this look.
    pub session: Session<'m>,
    /// What is remembered from look to look.
    pub memory: &'l mut WatchMemory,
    /// What has changed, in the order in which it was noticed.
    pub changes: Vec<Change>,
    /// When it is, in seconds since 1970.
    pub now: i64,
}

impl Look<'_, '_> {
    /// Notes a change of state.
    pub fn tell(&mut self, install: Option<&str>, what: What) {
        self.changes.push(Change { at: self.now, install: install.map(InstallName::from), what });
    }

    /// The first sign that the game of an install runs.
    pub fn sign_at(&mut self, placed: &Placed) -> Result<Option<Running>, AppError> {
        let install = self.session.open_install(placed)?;
        Ok(running::sign(install.as_ref(), &self.session.loaded.rulebook.running, placed.place.host()))
    }
}
