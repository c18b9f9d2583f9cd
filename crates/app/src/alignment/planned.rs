//! What is to be done to one install, and what came of it.

use std::collections::{BTreeMap, HashSet};

use kanon_core::base::ids::FoldedId;
use kanon_core::base::path::InstallPath;
use kanon_core::canon::SealedMod;
use kanon_core::canon::release::scope::{is_mod_of, is_program, shelf_of};
use kanon_core::plan::{Action, Orphan, Plan};
use kanon_core::rulebook::Shelf;
use kanon_io::bytes::{self, Bytes};
use kanon_io::carry_out::{Order, carry_out};
use kanon_io::install::Kind;
use kanon_io::prune::Pruned;
use kanon_io::state::Base;

use super::{Opened, Wanted};
use crate::error::AppError;
use crate::notice::AlignmentNotice;
use crate::observer::Task;
use crate::session::{Surveyed, Target};

/// So many bytes tell whether a file is a program.
const HEAD_BYTES: u64 = 16;

/// One install, and what is to be done to it.
pub struct Planned<'e> {
    /// What was planned for.
    pub opened: Opened<'e>,
    /// The steps.
    pub plan: Plan,
    /// The mods that want a new world, while nobody has said what becomes of the one that is there.
    pub undecided: Vec<FoldedId>,
    /// The mods that would be taken off although others need them that stay, while nobody has said that they may.
    pub orphans: Vec<Orphan>,
    /// What was surveyed.
    pub surveyed: Surveyed,
    /// Bytes that are nowhere but here: rebuilt archives, prepared worlds.
    pub(super) own_bytes: Bytes,
    /// Base archives that are rebuilt.
    pub(super) bases: Vec<(InstallPath, Base)>,
    /// The bytes of all that is put, once they were looked for.
    pub(super) bytes: Option<Bytes>,
}

/// One install, and what the alignment came to.
pub struct Concluded<'e> {
    /// What was planned for.
    pub opened: Opened<'e>,
    /// The steps.
    pub plan: Plan,
    /// The mods that want a new world, while nobody has said what becomes of the one that is there.
    pub undecided: Vec<FoldedId>,
    /// What is there now.
    pub surveyed: Surveyed,
    /// How the steps were carried out, if they were.
    pub carried: Option<Carried>,
    /// Whether there are steps that could have been carried out, and were not.
    pub leaves_work: bool,
}

/// A plan that was carried out.
pub struct Carried {
    /// The alignment's number.
    pub id: i64,
    /// Backups that have served their time.
    pub pruned: Pruned,
}

impl<'e> Planned<'e> {
    /// Whether there are steps that may be carried out.
    pub fn has_work(&self) -> bool {
        !self.plan.steps.is_empty() && self.undecided.is_empty() && self.orphans.is_empty()
    }

    /// The optional mods of the canon that are not there.
    pub fn absent_optional(&self) -> impl Iterator<Item = &SealedMod> {
        let is_there =
            |sealed: &SealedMod| self.surveyed.survey.mods.iter().any(|found| found.manifest.id == sealed.manifest.id);
        self.opened.optional().filter(move |sealed| !is_there(sealed))
    }

    /// Tells of mods that would be taken off although others need them that stay, and asks about it; an answer for all the rest
    /// is none for this.
    pub fn settle_orphans(&mut self, may_ask: bool) -> Result<(), AppError> {
        if self.orphans.is_empty() {
            return Ok(());
        }
        let (observer, install) = (self.opened.at.session.observer, &self.opened.at.placed.name);
        for Orphan { taken, needed_by } in &self.orphans {
            let (taken, needed_by) = (taken.clone(), needed_by.clone());
            observer.notice(AlignmentNotice::TakenThoughNeeded { install: install.clone(), taken, needed_by }.into());
        }
        if may_ask && self.opened.at.session.machine.can_ask && observer.may_take_off_needed()? {
            self.orphans.clear();
        } else {
            observer.notice(AlignmentNotice::NothingBeforeDecision { install: install.clone() }.into());
        }
        Ok(())
    }

    /// Looks for the bytes of all that is to be put, and fetches what has to be.
    pub fn fetch(&mut self) -> Result<(), AppError> {
        if self.bytes.is_some() {
            return Ok(());
        }
        let wanted = self.plan.wanted();
        // What only this run made is kept, so that a later one can finish what this one may not.
        let store = self.opened.at.session.workspace()?.store();
        for blake3 in wanted.iter().filter(|blake3| self.own_bytes.has(**blake3)) {
            bytes::keep(&self.own_bytes, *blake3, &store)?;
        }
        self.bytes = Some(self.opened.at.session.bytes(&wanted)?);
        Ok(())
    }

    /// The files outside the folders of mods that the plan would put or change, and that are programs. A folder that holds
    /// programs which are no mods is no folder of mods, whatever the rulebook calls it.
    pub fn programs_beyond_mods(&self) -> Result<Vec<InstallPath>, AppError> {
        let (rulebook, role) = (&self.opened.at.session.loaded.rulebook, self.opened.at.placed.role);
        let nowhere = Bytes::default();
        let bytes = self.bytes.as_ref().unwrap_or(&nowhere);
        let mut found = Vec::new();
        let mut of_mods: BTreeMap<InstallPath, bool> = BTreeMap::new();
        for step in &self.plan.steps {
            let head = match &step.action {
                Action::Put { blake3 } | Action::Replace { blake3 } => bytes.head(*blake3)?,
                Action::Rename { from } => self.opened.at.install.document(from, HEAD_BYTES).unwrap_or_default(),
                Action::Park | Action::BackUp => continue,
            };
            // What takes a program's place is as good as one.
            let replaced = match &step.action {
                Action::Replace { .. } => self.opened.at.install.document(&step.path, HEAD_BYTES).unwrap_or_default(),
                _ => Vec::new(),
            };
            if !is_program(step.path.name(), &head) && !is_program(step.path.name(), &replaced) {
                continue;
            }
            let is_in_order = match shelf_of(rulebook, role, &step.path) {
                Some((shelf, place)) if !place.is_root() => {
                    *of_mods.entry(place.clone()).or_insert_with(|| !self.has_programs_of_its_own(shelf, &place))
                }
                _ => false,
            };
            if !is_in_order {
                found.push(step.path.clone());
            }
        }
        Ok(found)
    }

    /// Whether a folder of a shelf holds programs that are no mods of it.
    fn has_programs_of_its_own(&self, shelf: &Shelf, place: &InstallPath) -> bool {
        let listing = self.opened.at.install.list(Some(place), 1, &HashSet::new());
        let files = listing.entries.iter().filter(|entry| matches!(entry.kind, Kind::File(_)));
        let mut strangers = files.filter(|entry| !is_mod_of(shelf, entry.path.name()));
        strangers.any(|entry| {
            let head = self.opened.at.install.document(&entry.path, HEAD_BYTES).unwrap_or_default();
            is_program(entry.path.name(), &head)
        })
    }

    /// Carries the plan out, with the game stopped, and measures again. Nothing is done where there is nothing to do, or where
    /// nobody has said what becomes of the world.
    ///
    /// # Errors
    /// When something can't be fetched or written; what was begun stays in the journal, to be finished or taken back.
    pub fn carry_out(mut self, wanted: &Wanted) -> Result<Concluded<'e>, AppError> {
        if !self.has_work() {
            return Ok(self.leave());
        }
        self.fetch()?;
        let at = &mut self.opened.at;
        let running = at.stopped(wanted)?;
        let mut bytes = self.bytes.take().unwrap_or_default();
        if at.session.follows() {
            bytes.pass_on_from(at.session.workspace()?.store());
        }
        let order = Order { plan: &self.plan, receipt: self.opened.receipt()?, bytes: &bytes };
        let at = &mut self.opened.at;
        let carried = at.at_site(wanted.others, |site, session| {
            let bar = session.observer.begin(Task::Aligning);
            Ok(carry_out(site, &order, &mut session.state, bar.as_ref())?)
        });
        let id = carried.inspect_err(|_| at.tell_stopped(running.as_ref()))?;
        for (path, base) in &self.bases {
            at.session.state.remember_base(at.install.shown(), path.as_str(), base)?;
        }
        at.started_again(running.as_ref())?;
        let surveyed = at.session.survey_for(Target::Install(at.placed.clone()), &self.opened.canon)?;
        let pruned = at.prune()?;
        Ok(Concluded { surveyed, carried: Some(Carried { id, pruned }), leaves_work: false, ..self.leave() })
    }

    /// Leaves the install as it is.
    pub fn leave(self) -> Concluded<'e> {
        let leaves_work = self.has_work();
        let Self { opened, plan, undecided, surveyed, .. } = self;
        Concluded { opened, plan, undecided, surveyed, carried: None, leaves_work }
    }
}

impl Concluded<'_> {
    /// Whether all is done that was to be done.
    pub fn is_all(&self) -> bool {
        self.carried.is_some() || self.plan.steps.is_empty()
    }
}
