//! The alignment of one install from its survey to its receipt: opened, finished if it was interrupted, planned, carried out.

use std::collections::{BTreeMap, BTreeSet, HashSet};
use std::sync::Arc;

use kanon_core::base::digest::Blake3;
use kanon_core::base::ids::FoldedId;
use kanon_core::base::names::ShelfName;
use kanon_core::base::path::InstallPath;
use kanon_core::base::suggestion::Suggestion;
use kanon_core::canon::release::scope::{is_mod_of, is_program, shelf_of};
use kanon_core::canon::{Canon, SealedMod};
use kanon_core::config::Keep;
use kanon_core::delta::worlds::{wanting_new, without_worlds};
use kanon_core::delta::{Delta, entries_of, placed_files};
use kanon_core::plan::reason::Reason;
use kanon_core::plan::text_edits::Consents;
use kanon_core::plan::worlds::{Choice, World, decide};
use kanon_core::plan::{self, Action, Orphan, Plan, RiskyExtras, Step};
use kanon_core::rulebook::{NeededOn, Role, RunningSigns, Shelf};
use kanon_core::survey::{AddedEntry, AddedFile, Additions, Survey, SurveyedBase};
use kanon_io::backup::Manifest;
use kanon_io::bytes::{self, Bytes};
use kanon_io::carry_out::{Order, carry_out, finish};
use kanon_io::claim::{self, Others};
use kanon_io::error::{During, ForPath, ReachError};
use kanon_io::install::{Install, Kind, RECEIPT_FORMAT, Receipt, ReceiptFile};
use kanon_io::measure::{self, wild_places, world_places};
use kanon_io::overlay::{self, Overlay};
use kanon_io::prune::{Pruned, Reach, prune};
use kanon_io::running::{self, Running};
use kanon_io::site::ApplyContext;
use kanon_io::state::{Alignment, AlignmentState, Base};
use kanon_io::undo::{TakenBack, undo};
use kanon_io::worlds;

use crate::amending::amend;
use crate::error::{AlignmentError, AppError, BackupError};
use crate::notice::AlignmentNotice;
use crate::observer::{OnBreak, Task};
use crate::places::{Placed, folder_of_commands};
use crate::session::{Session, Surveyed, Target};

/// So many bytes tell whether a file is a program.
const HEAD_BYTES: u64 = 16;

/// What was asked for, beside the install.
pub struct Wanted {
    /// What is said of extra mods that may stay.
    pub risky: RiskyExtras,
    /// What is said of the world: `keep`, `new`, or a file.
    pub world: Option<String>,
    /// Whether a running game is no hindrance.
    pub while_running: bool,
    /// What to do about another workspace's claim.
    pub others: Others,
    /// What is said of licences and edited entries.
    pub said: Consents,
}

/// One install that is aligned.
pub struct AlignmentRun<'e> {
    /// The session it has to itself.
    pub session: Session<'e>,
    /// The install.
    pub placed: Placed,
    /// An alignment that was begun and never ended.
    pub unfinished: Option<Alignment>,
    /// What is to be done.
    pub planned: Planned,
    /// What carrying it out came to, once it was.
    pub carried: Option<CarriedOut>,
    /// Whether an interrupted alignment was finished just now; what was said of the world was said for that one.
    has_finished: bool,
    install: Arc<dyn Install>,
    canon: Option<Canon>,
}

/// What is to be done to one install.
#[derive(Default)]
pub struct Planned {
    /// The steps.
    pub plan: Plan,
    /// The mods that want a new world, while nobody has said what becomes of the one that is there.
    pub undecided: Vec<FoldedId>,
    /// The mods that would be taken off although others need them that stay, while nobody has said that they may.
    pub orphans: Vec<Orphan>,
    /// What was surveyed.
    pub surveyed: Option<Surveyed>,
    /// Bytes that are nowhere but here: rebuilt archives, prepared worlds.
    own_bytes: Bytes,
    /// Base archives that are rebuilt.
    bases: Vec<(InstallPath, Base)>,
    /// The bytes of all that is put, once they were looked for.
    bytes: Option<Bytes>,
}

/// What carrying out came to.
pub struct CarriedOut {
    /// The alignment's number.
    pub id: i64,
    /// What was surveyed afterwards.
    pub surveyed: Surveyed,
    /// Backups that have served their time.
    pub pruned: Pruned,
}

impl<'e> AlignmentRun<'e> {
    /// Opens an install to align it.
    pub fn open(
        mut session: Session<'e>,
        name: &str,
        canon: Option<Canon>,
        role: Option<Role>,
    ) -> Result<Self, AppError> {
        let placed = session.placed(name, role)?;
        let install = session.open_install(&placed)?;
        let unfinished = session.interrupted(install.as_ref())?;
        Ok(Self {
            session,
            placed,
            unfinished,
            planned: Planned::default(),
            carried: None,
            has_finished: false,
            install,
            canon,
        })
    }

    /// The sealed canon, which must be there.
    pub fn canon(&self) -> Result<&Canon, AppError> {
        self.canon.as_ref().ok_or_else(|| self.session.no_canon())
    }

    /// The optional mods of the canon.
    pub fn optional(&self) -> impl Iterator<Item = &SealedMod> {
        let mods = self.canon.iter().flat_map(|canon| &canon.mods);
        mods.filter(|sealed| sealed.needed_on() == NeededOn::Optional)
    }

    /// Those of them that are not there, once somebody has looked.
    pub fn absent_optional(&self) -> impl Iterator<Item = &SealedMod> {
        let surveyed = self.planned.surveyed.as_ref();
        let is_absent = move |sealed: &&SealedMod| {
            surveyed.is_some_and(|surveyed| {
                surveyed.survey.mods.iter().all(|found| found.manifest.id != sealed.manifest.id)
            })
        };
        self.optional().filter(is_absent)
    }

    /// Treats optional mods as needed here, which somebody wants.
    pub fn want(&mut self, chosen: &BTreeSet<FoldedId>) {
        let mods = self.canon.iter_mut().flat_map(|canon| &mut canon.mods);
        let wanted =
            mods.filter(|sealed| sealed.needed_on() == NeededOn::Optional && chosen.contains(&sealed.manifest.id));
        wanted.for_each(|sealed| sealed.manifest.needed_on = NeededOn::Client);
    }

    /// Refuses to begin anything while somebody works on it from this workspace.
    pub fn refuse_busy(&self) -> Result<(), AppError> {
        match self.session.at_work(self.install.as_ref()) {
            Some(holder) => Err(claim::busy(self.install.shown(), &holder).into()),
            None => Ok(()),
        }
    }

    /// Finishes what was interrupted: an alignment, or taking one back. Says whether there was anything left to do.
    pub fn finish(&mut self, wanted: &Wanted) -> Result<bool, AppError> {
        let Some(unfinished) = self.unfinished.take() else { return Ok(false) };
        let running = self.stopped(wanted)?;
        if unfinished.state == AlignmentState::Undoing {
            let back = self.at_site(wanted.others, |site, session| Ok(undo(site, &mut session.state, unfinished.id)?));
            back.inspect_err(|_| self.tell_stopped(running.as_ref()))?;
            self.started_again(running.as_ref())?;
            return Ok(true);
        }
        let steps = unfinished.steps;
        let plan = Plan { steps };
        let bytes = self.session.bytes(&plan.wanted())?;
        let receipt = self.receipt()?;
        let finished = self.at_site(wanted.others, |site, session| {
            let bar = session.observer.begin(Task::Finishing);
            Ok(finish(site, (unfinished.id, &plan.steps), (receipt, &bytes), &mut session.state, bar.as_ref())?)
        });
        let finished = finished
            .inspect_err(|_| self.tell_stopped(running.as_ref()))
            .map_err(|cause| AlignmentError::Finishing { install: self.placed.name.clone(), cause: Box::new(cause) })?;
        self.has_finished |= finished;
        self.started_again(running.as_ref())?;
        Ok(finished)
    }

    /// Surveys the install and plans what brings it in line.
    pub fn plan(&mut self, wanted: &Wanted) -> Result<(), AppError> {
        let canon = self.canon()?.clone();
        let mut surveyed = self.session.survey(Target::Install(self.placed.clone()))?;
        let survey = &surveyed.survey;
        let rulebook = self.session.loaded.rulebook.clone();
        let context = self.session.measure_by(&canon, &rulebook);
        let delta = Delta::compute(context, survey);
        let changes = &delta.worlds;
        let mut own_bytes = Bytes::default();
        let choice = self.choice(wanted, survey, &mut own_bytes)?;
        let without = match choice {
            Choice::New(_) | Choice::Prepared { .. } => Some(without_worlds(survey)),
            Choice::Keep | Choice::Undecided => None,
        };
        let without = without.as_ref().map(|survey| Delta::compute(context, survey));
        let mut plan = plan::plan(without.as_ref().unwrap_or(&delta), wanted.risky).map_err(ReachError::from)?;
        let undecided = match choice {
            Choice::Undecided => wanting_new(changes).map(|change| change.id.clone()).collect(),
            _ => Vec::new(),
        };
        let all_stay = changes.is_empty() && without.is_none() && !touches(&plan, &survey.worlds);
        let worlds: Vec<World> =
            if all_stay { Vec::new() } else { worlds::listed(self.install.as_ref(), &survey.worlds)? };
        plan = decide(plan, (&worlds, changes), &choice, (&rulebook, self.placed.role))
            .for_path("a world that is set aside or put in place")?;
        let texts = (&delta.texts, &wanted.said);
        let left = amend(&mut self.session, self.install.as_ref(), texts, &mut plan, &mut own_bytes)?;
        plan.refuse_off_limits().map_err(ReachError::from)?;
        let orphans = match wanted.risky {
            RiskyExtras::Stay => plan::orphans(&plan, &delta),
            RiskyExtras::Park => Vec::new(),
        };
        surveyed.left = left;
        self.planned =
            Planned { plan, undecided, orphans, surveyed: Some(surveyed), own_bytes, bases: Vec::new(), bytes: None };
        self.plan_bases()
    }

    fn choice(&self, wanted: &Wanted, survey: &Survey, own_bytes: &mut Bytes) -> Result<Choice, AppError> {
        let Some(word) = wanted.world.as_deref() else { return Ok(Choice::Undecided) };
        if self.has_finished {
            return Ok(Choice::Keep);
        }
        let mark = self.session.machine.now().strftime("%Y%m%d-%H%M%S").to_string();
        match word {
            "keep" => return Ok(Choice::Keep),
            "new" => return Ok(Choice::New(mark)),
            _ => {}
        }
        let file = self.session.machine.folder.join(word);
        let place = world_places(&self.session.loaded.rulebook, self.placed.role).next().map(ToString::to_string);
        let Some(place) = survey.worlds.first().map(ToString::to_string).or(place) else {
            return Err(AlignmentError::NoPlaceOfWorld.into());
        };
        let is_folder = match survey.worlds.first() {
            Some(world) => self.install.is_folder(world),
            // A world that is one file has an extension, as far as anybody has seen.
            None => !place.rsplit('/').next().unwrap_or_default().contains('.'),
        };
        let room = self.session.workspace()?.unpacked();
        let files = worlds::prepared(&file, is_folder, &room, own_bytes).map_err(AlignmentError::PreparedWorld)?;
        let called = file.file_stem().map(|stem| stem.to_string_lossy().into_owned()).unwrap_or_default();
        Ok(Choice::Prepared { mark, called, files })
    }

    /// Rebuilds the base archives that are not what the overlays of the canon make of them.
    fn plan_bases(&mut self) -> Result<(), AppError> {
        let shelves: Vec<Shelf> = self.session.loaded.rulebook.shelves.clone();
        let bases: Vec<SurveyedBase> =
            self.planned.surveyed.iter().flat_map(|surveyed| surveyed.survey.bases.clone()).collect();
        for shelf in shelves.iter().filter(|shelf| shelf.laid_into.is_some()) {
            let of_shelf = |base: &&SurveyedBase| shelf.laid_into.as_ref().is_some_and(|laid| laid.base == base.path);
            if let Some(base) = bases.iter().find(of_shelf) {
                self.plan_base(shelf, base)?;
            }
        }
        Ok(())
    }

    fn plan_base(&mut self, shelf: &Shelf, surveyed: &SurveyedBase) -> Result<(), AppError> {
        let Some(laid) = &shelf.laid_into else { return Ok(()) };
        let role = self.placed.role;
        let known = self.session.state.base(self.install.shown(), surveyed.path.as_str())?;
        // An archive that we did not build is the game's own, as it came or after an update.
        let known = known.filter(|known| known.built == surveyed.blake3);
        let original = known.map_or(surveyed.blake3, |known| known.original);
        let overlays = self.overlays(shelf, surveyed)?;
        let strip = laid.strip.of(role);
        let recipe = overlay::recipe(original, &overlays, strip);
        let is_right = surveyed.not_stripped.is_empty()
            && overlays
                .iter()
                .all(|overlay| surveyed.overlays.iter().any(|laid| laid.id == overlay.id && laid.laid == laid.members))
            && surveyed.overlays.iter().all(|laid| overlays.iter().any(|o| o.id == laid.id));
        if known.map_or(is_right, |known| known.recipe == recipe) {
            return Ok(());
        }
        self.keep_overlays(&overlays)?;
        let file = self.kept_original(original, &surveyed.path)?;
        let workspace = self.session.workspace()?;
        let room = workspace.unpacked();
        std::fs::create_dir_all(&room).during("make the folder", &room)?;
        let built_file = room.join(format!("base-{}", recipe.short()));
        let built = overlay::build(&file, &overlays, strip, &built_file)?;
        if built == surveyed.blake3 {
            return Ok(());
        }
        let size = std::fs::metadata(&built_file).during("look at", &built_file)?.len();
        let reason = Reason::LaidIn { mods: overlays.iter().map(|overlay| overlay.id.clone()).collect() };
        let action = Action::Replace { blake3: built };
        self.planned.plan.steps.push(Step { bytes: size, ..Step::new(action, surveyed.path.clone(), reason) });
        self.planned.own_bytes.add(built, built_file);
        self.planned.bases.push((surveyed.path.clone(), Base { original, recipe, built }));
        Ok(())
    }

    /// The overlays of the canon, in the order in which they are laid: by the canon, or by name where no list gives an order.
    fn overlays(&self, shelf: &Shelf, surveyed: &SurveyedBase) -> Result<Vec<Overlay>, AppError> {
        let role = self.placed.role;
        let of_shelf = |sealed: &&SealedMod| sealed.shelf == shelf.name && sealed.needed_on().includes(role);
        let mut sealed: Vec<_> = self.canon()?.mods.iter().filter(of_shelf).cloned().collect();
        let listed = |id: &str| surveyed.overlays.iter().position(|laid| laid.id == id).unwrap_or(usize::MAX);
        // A list of their order says what the canon says, once this is done.
        let by_canon = shelf.laid_into.as_ref().is_some_and(|laid| laid.order.is_some());
        sealed.sort_by_key(|sealed| (if by_canon { 0 } else { listed(sealed.manifest.id.as_str()) }, sealed.position));
        let store = self.session.workspace()?.store();
        let overlay = |sealed: SealedMod| {
            let digest = sealed.files.first()?.blake3;
            Some(Overlay { id: sealed.manifest.id, digest, file: store.join(digest.to_string()) })
        };
        Ok(sealed.into_iter().filter_map(overlay).collect())
    }

    /// Takes the bytes of overlays over into the store, where they stand as they were measured.
    fn keep_overlays(&mut self, overlays: &[Overlay]) -> Result<(), AppError> {
        let wanted: BTreeSet<Blake3> = overlays.iter().map(|overlay| overlay.digest).collect();
        let bytes = self.session.bytes(&wanted)?;
        let store = self.session.workspace()?.store();
        wanted.into_iter().try_for_each(|digest| Ok(bytes::keep(&bytes, digest, &store).map(drop)?))
    }

    /// The base archive as the game brought it: kept from before, or taken from the install now.
    fn kept_original(&self, original: Blake3, path: &InstallPath) -> Result<std::path::PathBuf, AppError> {
        let store = self.session.workspace()?.store();
        let kept = store.join(original.to_string());
        if kept.is_file() {
            return Ok(kept);
        }
        let outside = self.install.outside(path);
        let (mut source, _) = self.install.open_file(path).during("keep the original of", &outside)?;
        let kept = bytes::keep_read(&mut source, original, &store)?;
        Ok(kept.ok_or(ReachError::Changed(outside))?)
    }

    /// Looks for the bytes of all that is to be put, and fetches what has to be.
    pub fn fetch(&mut self) -> Result<(), AppError> {
        if self.planned.bytes.is_some() {
            return Ok(());
        }
        let wanted = self.planned.plan.wanted();
        // What only this run made is kept, so that a later one can finish what this one may not.
        let store = self.session.workspace()?.store();
        for blake3 in wanted.iter().filter(|blake3| self.planned.own_bytes.has(**blake3)) {
            bytes::keep(&self.planned.own_bytes, *blake3, &store)?;
        }
        self.planned.bytes = Some(self.session.bytes(&wanted)?);
        Ok(())
    }

    /// The files outside the folders of mods that the plan would put or change, and that are programs. A folder that holds
    /// programs which are no mods is no folder of mods, whatever the rulebook calls it.
    pub fn programs_beyond_mods(&self) -> Result<Vec<InstallPath>, AppError> {
        let (rulebook, role) = (&self.session.loaded.rulebook, self.placed.role);
        let nowhere = Bytes::default();
        let bytes = self.planned.bytes.as_ref().unwrap_or(&nowhere);
        let mut found = Vec::new();
        let mut of_mods: BTreeMap<InstallPath, bool> = BTreeMap::new();
        for step in &self.planned.plan.steps {
            let head = match &step.action {
                Action::Put { blake3 } | Action::Replace { blake3 } => bytes.head(*blake3)?,
                Action::Rename { from } => self.install.document(from, HEAD_BYTES).unwrap_or_default(),
                Action::Park | Action::BackUp => continue,
            };
            // What takes a program's place is as good as one.
            let replaced = match &step.action {
                Action::Replace { .. } => self.install.document(&step.path, HEAD_BYTES).unwrap_or_default(),
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
        let listing = self.install.list(Some(place), 1, &HashSet::new());
        let files = listing.entries.iter().filter(|entry| matches!(entry.kind, Kind::File(_)));
        let mut strangers = files.filter(|entry| !is_mod_of(shelf, entry.path.name()));
        strangers.any(|entry| {
            let head = self.install.document(&entry.path, HEAD_BYTES).unwrap_or_default();
            is_program(entry.path.name(), &head)
        })
    }

    /// Carries the plan out, with the game stopped, and measures again. Nothing is done where there is nothing to do, or where
    /// nobody has said what becomes of the world.
    pub fn carry_out(&mut self, wanted: &Wanted) -> Result<(), AppError> {
        if !self.has_work() {
            return Ok(());
        }
        self.fetch()?;
        let running = self.stopped(wanted)?;
        let plan = std::mem::take(&mut self.planned.plan);
        let mut bytes = self.planned.bytes.take().unwrap_or_default();
        if self.session.follows() {
            bytes.pass_on_from(self.session.workspace()?.store());
        }
        let order = Order { plan: &plan, receipt: self.receipt()?, bytes: &bytes };
        let carried = self.at_site(wanted.others, |site, session| {
            let bar = session.observer.begin(Task::Aligning);
            Ok(carry_out(site, &order, &mut session.state, bar.as_ref())?)
        });
        self.planned.plan = plan;
        let id = carried.inspect_err(|_| self.tell_stopped(running.as_ref()))?;
        for (path, base) in &self.planned.bases {
            self.session.state.remember_base(self.install.shown(), path.as_str(), base)?;
        }
        self.started_again(running.as_ref())?;
        let canon = self.canon()?.clone();
        let surveyed = self.session.survey_for(Target::Install(self.placed.clone()), &canon)?;
        let workspace = self.session.workspace()?;
        let now = self.session.machine.now().timestamp().as_second();
        let rule = match self.session.follows() {
            true => (Keep { number: Some(self.session.machine.kept_backups()), ..Keep::default() }, Reach::Brought),
            false => (workspace.config.backups, Reach::All),
        };
        let pruned = prune(&self.session.state, (self.install.shown(), &workspace.backups()), rule, now)?;
        self.carried = Some(CarriedOut { id, surveyed, pruned });
        Ok(())
    }

    /// Whether there are steps that may be carried out.
    pub fn has_work(&self) -> bool {
        !self.planned.plan.steps.is_empty() && self.planned.undecided.is_empty() && self.planned.orphans.is_empty()
    }

    /// Tells of mods that would be taken off although others need them that stay, and asks about it; an answer for all the rest
    /// is none for this.
    pub fn settle_orphans(&mut self, may_ask: bool) -> Result<(), AppError> {
        if self.planned.orphans.is_empty() {
            return Ok(());
        }
        let (observer, install) = (self.session.observer, &self.placed.name);
        for Orphan { taken, needed_by } in &self.planned.orphans {
            let (taken, needed_by) = (taken.clone(), needed_by.clone());
            observer.notice(AlignmentNotice::TakenThoughNeeded { install: install.clone(), taken, needed_by }.into());
        }
        if may_ask && self.session.machine.can_ask && observer.may_take_off_needed()? {
            self.planned.orphans.clear();
        } else {
            observer.notice(AlignmentNotice::NothingBeforeDecision { install: install.clone() }.into());
        }
        Ok(())
    }

    /// Where the copies of an alignment are, from where the command works.
    pub fn backup_shown(&self, id: i64) -> String {
        let backups = self.session.workspace().map(kanon_io::workspace::Workspace::backups).unwrap_or_default();
        let folder = backups.join(id.to_string());
        // From elsewhere only the whole path leads there.
        let here = Some(&self.session.machine.folder).filter(|_| !self.session.machine.is_elsewhere());
        let shown = here.and_then(|here| folder.strip_prefix(here).ok()).unwrap_or(&folder);
        shown.display().to_string()
    }

    /// Takes the manifest of a backup into the journal where that does not know the alignment any more, so that it can be taken
    /// back like any other.
    pub fn know_from_backup(&mut self, id: i64) -> Result<(), AppError> {
        let folder = self.session.workspace()?.backups().join(id.to_string());
        let (alignment, manifest) =
            Manifest::read(&folder).map(|read| (read.alignment().0, read)).map_err(BackupError::Unreadable)?;
        if alignment.root != self.install.shown() {
            let named = self.install.shown().to_owned();
            return Err(BackupError::OfOther { id, of: alignment.root, named }.into());
        }
        if self.session.state.alignments(None)?.iter().all(|known| known.id != id) {
            self.session.state.restore(&alignment, manifest.alignment().1)?;
        }
        Ok(())
    }

    /// Takes alignments back, newest first, down to one of that number; only the newest when none is given.
    pub fn undo(&mut self, back_to: Option<i64>, asked: &Wanted) -> Result<Vec<(i64, TakenBack)>, AppError> {
        self.refuse_busy()?;
        let name = self.placed.name.clone();
        let alignments = self.session.state.alignments(Some(self.install.shown()))?;
        let wanted = to_take_back(&alignments, back_to, &name)?;
        let running = self.stopped(asked)?;
        let mut taken = Vec::new();
        for id in wanted {
            let back = self.at_site(asked.others, |site, session| Ok(undo(site, &mut session.state, id)?));
            let back = back.inspect_err(|_| self.tell_stopped(running.as_ref()))?;
            taken.push((id, back));
        }
        self.started_again(running.as_ref())?;
        Ok(taken)
    }

    /// Does something at the install as the journal and the claim want to know it.
    fn at_site<T>(
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

    /// What the receipt will say is there.
    fn receipt(&self) -> Result<Receipt, AppError> {
        let role = self.placed.role;
        let wild: BTreeMap<ShelfName, Vec<InstallPath>> =
            wild_places(self.install.as_ref(), &self.session.loaded.rulebook, role);
        let (canon, mut files) = (self.canon()?, Vec::new());
        for sealed in canon.mods.iter().filter(|sealed| sealed.needed_on().includes(role)) {
            let shelf = self.session.loaded.rulebook.shelf(&sealed.shelf);
            let literal = shelf.map_or(&[][..], |shelf| shelf.places(role));
            let places = literal.iter().chain(wild.get(&sealed.shelf).into_iter().flatten());
            for (place, file) in places.flat_map(|place| sealed.files.iter().map(move |file| (place, file))) {
                let path = place.join(file.path.as_str()).for_path(file.path.as_str())?;
                files.push(ReceiptFile { path, size: file.size, modified: None, blake3: file.blake3 });
            }
        }
        let canon = canon.to_json().map(|json| Blake3::of(json.as_bytes())).unwrap_or(canon.rulebook);
        Ok(Receipt { format: RECEIPT_FORMAT.to_owned(), canon, files, brought: self.brought()? })
    }

    /// What mods bring for the game's own files and folders once this is done: all of it but what somebody edited and keeps.
    fn brought(&self) -> Result<Option<Additions>, AppError> {
        let (measure, role) = (self.session.measure(self.canon()?), self.placed.role);
        let files = placed_files(measure, role).into_iter().map(|placed| AddedFile {
            path: placed.path,
            blake3: placed.blake3,
            of_mod: placed.sealed.manifest.id.clone(),
        });
        let mut brought = Additions { files: files.collect(), entries: Vec::new() };
        for rule in measure.rulebook.fragments.iter().filter(|rule| rule.of.is_none_or(|of| of == role)) {
            let entries = entries_of(measure, role, &rule.into).into_iter().map(|(sealed, entry)| AddedEntry {
                file: rule.into.clone(),
                key: entry.key.clone(),
                blake3: entry.blake3,
                of_mod: sealed.manifest.id.clone(),
            });
            brought.entries.extend(entries);
        }
        brought.entries.sort_by(|a, b| (&a.file, &a.key).cmp(&(&b.file, &b.key)));
        brought.entries.dedup();
        Ok(Some(brought).filter(|brought| *brought != Additions::default()))
    }

    /// Sees to it that the game does not run; gives what showed that it did, if it was stopped for this.
    fn stopped(&self, wanted: &Wanted) -> Result<Option<Running>, AppError> {
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
    fn tell_stopped(&self, was_running: Option<&Running>) {
        if was_running.is_some() {
            self.session.observer.notice(AlignmentNotice::LeftStopped { install: self.placed.name.clone() }.into());
        }
    }

    /// Starts the game again that was stopped.
    fn started_again(&self, was_running: Option<&Running>) -> Result<(), AppError> {
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
}

fn touches(plan: &Plan, worlds: &[InstallPath]) -> bool {
    let inside = |path: &InstallPath| worlds.iter().any(|world| path == world || path.below(world).is_some());
    plan.steps.iter().flat_map(Step::paths).any(inside)
}

/// The numbers of the alignments to take back, newest first.
fn to_take_back(alignments: &[Alignment], back_to: Option<i64>, name: &str) -> Result<Vec<i64>, AppError> {
    let mut open = alignments.iter().filter(|alignment| alignment.state != AlignmentState::Undone);
    let gone = |id: i64| BackupError::Gone { install: name.into(), id }.into();
    let Some(back_to) = back_to else {
        return match open.next() {
            Some(last) if last.pruned => Err(gone(last.id)),
            Some(last) => Ok(vec![last.id]),
            None => Err(BackupError::NothingToTakeBack(name.into()).into()),
        };
    };
    let wanted: Vec<&Alignment> = open.filter(|alignment| alignment.id >= back_to).collect();
    match wanted.last() {
        Some(last) if last.id == back_to => match wanted.iter().find(|alignment| alignment.pruned) {
            Some(pruned) => Err(gone(pruned.id)),
            None => Ok(wanted.iter().map(|alignment| alignment.id).collect()),
        },
        _ => Err(BackupError::NoSuchAlignment { install: name.into(), id: back_to }.into()),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    fn alignment(id: i64, state: AlignmentState, pruned: bool) -> Alignment {
        let (install, root, steps) = ("hall".to_owned(), "/hall".to_owned(), Vec::new());
        Alignment { id, install: install.into(), root, began: 0, state, pruned, steps, steps_done: 0 }
    }

    /// Newest first, as the journal gives them.
    #[rstest]
    #[case::the_last(None, Ok(&[5][..]))]
    #[case::down_to_one(Some(3), Ok(&[5, 3][..]))]
    #[case::past_what_was_taken_back(Some(4), Err("no such"))]
    #[case::past_what_is_kept(Some(2), Err("gone"))]
    #[case::unknown(Some(9), Err("no such"))]
    fn what_is_taken_back_is_in_a_row(#[case] back_to: Option<i64>, #[case] wanted: Result<&[i64], &str>) {
        use AlignmentState::{Done, Undone};
        let all = [
            alignment(5, Done, false),
            alignment(4, Undone, false),
            alignment(3, Done, false),
            alignment(2, Done, true),
        ];
        let found = to_take_back(&all, back_to, "hall").map_err(|error| match error {
            AppError::Backup(BackupError::Gone { .. }) => "gone",
            AppError::Backup(BackupError::NoSuchAlignment { .. }) => "no such",
            _ => "another",
        });
        assert_eq!(found.as_deref().map_err(|error| *error), wanted);
    }
}
