//! Whom a watch tells: by `kanon.toml` and the environment, read anew before each look; and what is still to be told.

use kanon_core::config::WatchWish;
use kanon_io::claim::{LockFile, take_lock};
use kanon_io::state::State;
use kanon_io::workspace::Workspace;

use super::outbox::{Delivery, Outbox, Way, Ways};
use crate::error::{AppError, WatchError};
use crate::machine::{HOOK_SECRET, Machine};
use crate::session::Session;

/// What stands for the secret in the address of a hook.
const SECRET: &str = "{secret}";

/// Whom a watch tells, and what is still to be told. There is one of a workspace.
pub struct Post {
    ways: Ways,
    outbox: Outbox,
    state: State,
    workspace: Workspace,
    _lock: LockFile,
}

impl Post {
    /// Begins to tell, for the workspace of a session.
    ///
    /// # Errors
    /// When another watch of the workspace runs, a secret is lacking, or the journal can't be read.
    pub fn open(session: &Session<'_>) -> Result<Self, AppError> {
        let workspace = session.workspace()?.clone();
        let ways = ways(&workspace, session.machine)?;
        let lock = workspace.own().join("watch.lock");
        let lock = take_lock(&lock, "the watch of this workspace", &session.claimant()?)?;
        let state = workspace.state()?;
        let outbox = Outbox::open(&state)?;
        Ok(Self { ways, outbox, state, workspace, _lock: lock })
    }

    /// What is wished for of the watch.
    pub fn wish(&self) -> &WatchWish {
        &self.workspace.config.watch
    }

    /// What the canon is called.
    pub fn canon_name(&self) -> &str {
        &self.workspace.config.name
    }

    /// Reads `kanon.toml` again: somebody may have changed whom to tell. What can't be read, or will not do, changes nothing.
    pub fn read_again(&mut self, machine: &Machine, will_do: impl Fn(&WatchWish) -> bool) {
        if let Ok(workspace) = Workspace::open_at(&self.workspace.root)
            && let Ok(ways) = ways(&workspace, machine)
            && will_do(&workspace.config.watch)
        {
            (self.workspace, self.ways) = (workspace, ways);
        }
    }

    /// Whether a way is told anything.
    pub fn tells(&self, way: Way) -> bool {
        match way {
            Way::Command => self.ways.command.is_some(),
            Way::Hook => self.ways.hook.is_some(),
        }
    }

    /// Adds a message for a way.
    pub fn add(&mut self, way: Way, message: String, now: i64) {
        self.outbox.add(way, message, now);
    }

    /// Hands over what is due, and says what is news of that.
    ///
    /// # Errors
    /// When what is left can't be kept.
    pub fn go_on(&mut self, now: i64) -> Result<Vec<Delivery>, AppError> {
        let news = self.outbox.go_on(&self.ways, now);
        self.outbox.keep(&self.state)?;
        Ok(news)
    }

    /// Whether anything is due or in hand.
    pub fn is_busy(&self, now: i64) -> bool {
        self.outbox.is_busy(now)
    }
}

/// Whom to tell, by kanon.toml and the environment.
fn ways(workspace: &Workspace, machine: &Machine) -> Result<Ways, WatchError> {
    let wish = &workspace.config.watch;
    let secret = machine.variable(HOOK_SECRET);
    let hook = match &wish.hook {
        Some(hook) if hook.contains(SECRET) => {
            let secret = secret.ok_or(WatchError::NoSecret { place: SECRET, variable: HOOK_SECRET })?;
            Some((hook.replace(SECRET, secret), None))
        }
        Some(hook) => Some((hook.clone(), secret.map(str::to_owned))),
        None => None,
    };
    let command = (!wish.command.is_empty()).then(|| (wish.command.clone(), workspace.root.clone()));
    Ok(Ways { command, hook })
}
