//! Noticing what changes before the players do: installs, servers, sources and the release are looked at again and again, and each
//! change of state is told once. Whoever calls it has the clock, and finds the words.

mod beyond;
pub mod change;
mod install;
mod look;
mod memory;
mod mending;
pub mod outbox;
pub mod post;
mod server;
mod silent;

use std::collections::BTreeSet;

use kanon_core::base::names::InstallName;
use kanon_core::canon::Canon;

use self::change::{Change, What};
use self::look::Look;
use self::memory::WatchMemory;
pub use self::silent::Silent;
use crate::error::{AppError, WatchError};
use crate::machine::Machine;
use crate::observer::Observer;
use crate::places;
use crate::session::{Session, digest_of};

/// What is watched, and how.
#[derive(Debug, Clone, Default)]
pub struct Watched {
    /// The installs; all of the workspace when none is named.
    pub installs: Vec<InstallName>,
    /// Those of them that are mended by themselves.
    pub mend: BTreeSet<InstallName>,
    /// Whether somebody may be asked for a password or about a host.
    pub may_ask: bool,
}

impl Watched {
    /// What is to be watched by names of installs; those that are mended are watched too.
    ///
    /// # Errors
    /// When `kanon.toml` has no such install.
    pub fn new(session: &Session<'_>, installs: &[String], mend: &[String]) -> Result<Self, AppError> {
        let known = session.install_names()?;
        if let Some(name) = installs.iter().chain(mend).find(|name| !known.iter().any(|known| known == *name)) {
            return Err(WatchError::NoSuchInstall { name: name.clone(), known }.into());
        }
        let also = mend.iter().filter(|name| !installs.is_empty() && !installs.contains(name));
        let installs = installs.iter().chain(also).map(InstallName::from).collect();
        Ok(Self { installs, mend: mend.iter().map(InstallName::from).collect(), may_ask: true })
    }
}

/// How much is looked at.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Scope {
    /// Everything.
    All,
    /// The logs of servers on this machine alone: that costs next to nothing.
    Logs,
}

/// Looks, and says what has changed since the last look.
///
/// # Errors
/// When the journal can't be read or written. Whatever else goes wrong is a change of state itself.
pub fn look(
    machine: &Machine,
    observer: &dyn Observer,
    watched: &Watched,
    scope: Scope,
) -> Result<Vec<Change>, AppError> {
    let silent = Silent::new(observer, watched.may_ask);
    let now = machine.now().timestamp().as_second();
    let workspace = kanon_io::workspace::Workspace::find(&machine.folder)
        .ok_or_else(|| kanon_io::error::ReachError::NoWorkspace(machine.folder.clone()))?;
    // The journal is read without kanon.toml, which somebody may just be writing.
    let state = kanon_io::state::State::open(&workspace.join(".kanon"))?;
    let mut memory = WatchMemory::read(&state)?;
    let mut changes = Vec::new();
    match Session::of_administrator(machine, &silent) {
        Ok(session) => {
            if std::mem::take(&mut memory.is_stuck) {
                changes.push(Change { at: now, install: None, what: What::GoesOn });
            }
            let mut look = Look { session, memory: &mut memory, changes, now };
            look.at_all(watched, scope, &silent);
            changes = look.changes;
        }
        Err(error) => {
            if !std::mem::replace(&mut memory.is_stuck, true) {
                changes.push(Change { at: now, install: None, what: What::Stuck(error) });
            }
        }
    }
    memory.keep(&state)?;
    Ok(changes)
}

impl Look<'_, '_> {
    fn at_all(&mut self, watched: &Watched, scope: Scope, silent: &Silent<'_>) {
        let names = match watched.installs.is_empty() {
            true => self.session.install_names().unwrap_or_default(),
            false => watched.installs.clone(),
        };
        if scope == Scope::Logs {
            names.iter().for_each(|name| self.at_log(name, false));
            return;
        }
        let is_first = !self.memory.has_begun;
        let canon = self.at_canon(is_first);
        for name in &names {
            if let Some((canon, digest)) = &canon
                && let Ok(Some(placed)) = places::named(self.session.workspace.as_ref(), name)
                && let Some(bad) = self.at_install(&placed, canon, digest)
                && watched.mend.contains(name)
            {
                self.mend(&placed, canon, digest, &bad);
            }
            self.at_log(name, true);
        }
        let waiting = self.at_sources(silent);
        self.at_release();
        if is_first {
            self.memory.has_begun = true;
            // What was so from the beginning is told in one go.
            let off = names.iter().filter_map(|name| {
                let off = self.memory.installs.get(name)?.off.len();
                (off > 0).then(|| (name.clone(), off))
            });
            let began = What::Began { installs: names.len(), off: off.collect(), waiting };
            self.changes.insert(0, Change { at: self.now, install: None, what: began });
        }
    }

    /// The canon that counts, with its digest.
    fn at_canon(&mut self, is_first: bool) -> Option<(Canon, String)> {
        let canon = match self.session.canon_if_sealed() {
            Ok(canon) => canon?,
            Err(error) => {
                if !std::mem::replace(&mut self.memory.is_stuck, true) {
                    self.tell(None, What::Stuck(error));
                }
                return None;
            }
        };
        let digest = digest_of(&canon).ok()?.to_string();
        if self.memory.canon.as_ref() != Some(&digest) {
            if !is_first {
                self.tell(None, What::Sealed { mods: canon.mods.len() });
            }
            self.memory.canon = Some(digest.clone());
        }
        let is_stale = self.session.is_stale(&canon);
        if std::mem::replace(&mut self.memory.is_stale, is_stale) != is_stale && is_stale && !is_first {
            self.tell(None, What::WishesChanged);
        }
        Some((canon, digest))
    }
}
