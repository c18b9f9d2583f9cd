//! An install while it is worked on: claimed, its game stopped and started again.

use std::collections::BTreeSet;
use std::sync::Arc;

use kanon_core::base::path::InstallPath;
use kanon_core::base::suggestion::Suggestion;
use kanon_core::config::Keep;
use kanon_core::rulebook::{Role, RunningSigns};
use kanon_io::claim::{self, Others};
use kanon_io::install::Install;
use kanon_io::measure::{self, wild_places};
use kanon_io::prune::{Pruned, Reach, prune};
use kanon_io::running::{self, Running};
use kanon_io::site::ApplyContext;

use super::Wanted;
use crate::error::{AlignmentError, AppError};
use crate::notice::AlignmentNotice;
use crate::observer::OnBreak;
use crate::places::{Placed, folder_of_commands};
use crate::session::Session;

/// One install that is worked on.
pub struct AtInstall<'e> {
    /// The session it has to itself.
    pub session: Session<'e>,
    /// The install.
    pub placed: Placed,
    pub(super) install: Arc<dyn Install>,
}

impl<'e> AtInstall<'e> {
    /// Opens an install.
    ///
    /// # Errors
    /// When there is none of that name, or it can't be reached.
    pub fn open(mut session: Session<'e>, name: &str, role: Option<Role>) -> Result<Self, AppError> {
        let placed = session.placed(name, role)?;
        let install = session.open_install(&placed)?;
        Ok(Self { session, placed, install })
    }

    /// Refuses to begin anything while somebody works on it from this workspace.
    pub fn refuse_busy(&self) -> Result<(), AppError> {
        match self.session.at_work(self.install.as_ref()) {
            Some(holder) => Err(claim::busy(self.install.shown(), &holder).into()),
            None => Ok(()),
        }
    }

    /// Does something at the install as the journal and the claim want to know it.
    pub(super) fn at_site<T>(
        &mut self,
        others: Others,
        work: impl FnOnce(ApplyContext<'_>, &mut Session<'e>) -> Result<T, AppError>,
    ) -> Result<T, AppError> {
        let workspace = self.session.workspace()?;
        let claimant = self.session.claimant()?;
        let backups = workspace.backups();
        let rulebook = &self.session.loaded.rulebook;
        let (role, install) = (self.placed.role, self.install.as_ref());
        let wild = wild_places(install, rulebook, role);
        let literal = rulebook.shelves.iter().flat_map(|shelf| shelf.places(role));
        let places: BTreeSet<InstallPath> = literal.chain(wild.values().flatten()).cloned().collect();
        // Taking back asks nobody for a role: worlds of both sides count.
        let whole: BTreeSet<InstallPath> = [Role::Server, Role::Client]
            .into_iter()
            .flat_map(|role| measure::worlds(install, rulebook, role))
            .collect();
        let install = Arc::clone(&self.install);
        let site = ApplyContext {
            install: install.as_ref(),
            name: &self.placed.name,
            places: &places,
            whole: &whole,
            backups: &backups,
            claimant: &claimant,
            others,
        };
        let follows = self.session.workspace()?.following().is_some();
        let here = |command: Suggestion| command.led_by(self.session.machine.typed());
        let again = if follows { Suggestion::new("follow") } else { Suggestion::align(&self.placed.name) };
        let undo = Suggestion::new("undo").word(self.placed.name.as_str());
        self.session.observer.on_break(OnBreak::HalfDone { finish: here(again), undo: here(undo) });
        let done = work(site, &mut self.session);
        self.session.observer.on_break(OnBreak::Stays);
        let lost = install.lost_modes();
        if !lost.is_empty() {
            self.session.observer.notice(AlignmentNotice::PermissionsLost { files: lost }.into());
        }
        // Sizes and times of a host are coarse: what was written just now may look like what was there before.
        self.session.state.forget_documents(install.shown(), &install.changed_documents())?;
        done
    }

    /// Sees to it that the game does not run; gives what showed that it did, if it was stopped for this.
    pub(super) fn stopped(&self, wanted: &Wanted) -> Result<Option<Running>, AppError> {
        let (install, signs, host) = (self.install.as_ref(), self.signs(), self.placed.place.host());
        let Some(sign) = running::sign(install, &signs, host) else { return Ok(None) };
        let (name, observer) = (self.placed.name.clone(), self.session.observer);
        if wanted.while_running {
            observer.notice(AlignmentNotice::WrittenWhileRunning { install: name, sign }.into());
            return Ok(None);
        }
        let workspace = self.session.workspace()?;
        let wish = workspace.commands(&name);
        let stop = wish.map(|wish| wish.stop.clone()).unwrap_or_default();
        if stop.is_empty() {
            return Err(AlignmentError::Running { install: name, sign }.into());
        }
        observer.notice(
            AlignmentNotice::Stopping { install: name.clone(), sign: sign.clone(), command: stop.clone() }.into(),
        );
        running::run(&stop, &folder_of_commands(&workspace.root, wish))?;
        match running::wait_until_stopped(install, &signs, host) {
            None => Ok(Some(sign)),
            Some(sign) => Err(AlignmentError::DidNotStop { install: name, sign }.into()),
        }
    }

    /// After a failure: whoever reads it is to know that the game does not run.
    pub(super) fn tell_stopped(&self, was_running: Option<&Running>) {
        if was_running.is_some() {
            self.session.observer.notice(AlignmentNotice::LeftStopped { install: self.placed.name.clone() }.into());
        }
    }

    /// Starts the game again that was stopped.
    pub(super) fn started_again(&self, was_running: Option<&Running>) -> Result<(), AppError> {
        let name = &self.placed.name;
        let workspace = self.session.workspace()?;
        let wish = workspace.commands(name);
        let start = wish.map(|wish| wish.start.clone()).unwrap_or_default();
        if was_running.is_none() {
            return Ok(());
        }
        if start.is_empty() {
            self.session.observer.notice(AlignmentNotice::NoWayToStart { install: name.clone() }.into());
            return Ok(());
        }
        self.session
            .observer
            .notice(AlignmentNotice::Starting { install: name.clone(), command: start.clone() }.into());
        Ok(running::start(&start, &folder_of_commands(&workspace.root, wish))?)
    }

    /// The rulebook's signs are a server's; a game on a player's machine shows by its program alone.
    fn signs(&self) -> RunningSigns {
        let signs = self.session.loaded.rulebook.running.clone();
        match self.placed.role {
            Role::Server => signs,
            Role::Client => RunningSigns { processes: signs.processes, ..RunningSigns::default() },
        }
    }

    /// Lets backups go that have served their time.
    pub(super) fn prune(&self) -> Result<Pruned, AppError> {
        let workspace = self.session.workspace()?;
        let now = self.session.machine.now().timestamp().as_second();
        let rule = match self.session.follows() {
            true => (Keep { number: Some(self.session.machine.kept_backups()), ..Keep::default() }, Reach::Brought),
            false => (workspace.config.backups, Reach::All),
        };
        Ok(prune(&self.session.state, (self.install.shown(), &workspace.backups()), rule, now)?)
    }
}
