//! An install that was opened to bring it in line with a canon: what was interrupted is finished, and what is to be done is planned.

use std::collections::{BTreeMap, BTreeSet};

use kanon_core::base::digest::Blake3;
use kanon_core::base::ids::FoldedId;
use kanon_core::base::names::ShelfName;
use kanon_core::base::path::InstallPath;
use kanon_core::canon::{Canon, SealedMod};
use kanon_core::delta::worlds::{wanting_new, without_worlds};
use kanon_core::delta::{Delta, entries_of, placed_files};
use kanon_core::plan::worlds::{Choice, World, decide};
use kanon_core::plan::{self, Plan, RiskyExtras, Step};
use kanon_core::rulebook::{NeededOn, Role};
use kanon_core::survey::{AddedEntry, AddedFile, Additions, Survey};
use kanon_io::bytes::Bytes;
use kanon_io::carry_out::finish;
use kanon_io::error::{ForPath, ReachError};
use kanon_io::install::{RECEIPT_FORMAT, Receipt, ReceiptFile};
use kanon_io::measure::{wild_places, world_places};
use kanon_io::state::{Alignment, AlignmentState};
use kanon_io::undo::undo;
use kanon_io::worlds;

use super::{AtInstall, Planned, Wanted};
use crate::amending::amend;
use crate::error::{AlignmentError, AppError};
use crate::observer::Task;
use crate::session::{Session, Target};

/// One install, opened to align it.
pub struct Opened<'e> {
    /// Where the work is done.
    pub at: AtInstall<'e>,
    /// What it is brought in line with.
    pub canon: Canon,
    /// An alignment that was begun and never ended.
    pub unfinished: Option<Alignment>,
    /// Whether an interrupted alignment was finished just now; what was said of the world was said for that one.
    has_finished: bool,
}

impl<'e> Opened<'e> {
    /// Opens an install to align it.
    ///
    /// # Errors
    /// When there is none of that name, or it can't be reached.
    pub fn open(session: Session<'e>, name: &str, canon: Canon, role: Option<Role>) -> Result<Self, AppError> {
        let at = AtInstall::open(session, name, role)?;
        let unfinished = at.session.interrupted(at.install.as_ref())?;
        Ok(Self { at, canon, unfinished, has_finished: false })
    }

    /// The optional mods of the canon.
    pub fn optional(&self) -> impl Iterator<Item = &SealedMod> {
        self.canon.mods.iter().filter(|sealed| sealed.needed_on() == NeededOn::Optional)
    }

    /// Treats optional mods as needed here, which somebody wants.
    pub fn want(&mut self, chosen: &BTreeSet<FoldedId>) {
        let mods = self.canon.mods.iter_mut();
        let wanted =
            mods.filter(|sealed| sealed.needed_on() == NeededOn::Optional && chosen.contains(&sealed.manifest.id));
        wanted.for_each(|sealed| sealed.manifest.needed_on = NeededOn::Client);
    }

    /// Finishes what was interrupted: an alignment, or taking one back. Says whether there was anything left to do.
    pub fn finish(&mut self, wanted: &Wanted) -> Result<bool, AppError> {
        let Some(unfinished) = self.unfinished.take() else { return Ok(false) };
        let running = self.at.stopped(wanted)?;
        if unfinished.state == AlignmentState::Undoing {
            let back =
                self.at.at_site(wanted.others, |site, session| Ok(undo(site, &mut session.state, unfinished.id)?));
            back.inspect_err(|_| self.at.tell_stopped(running.as_ref()))?;
            self.at.started_again(running.as_ref())?;
            return Ok(true);
        }
        let steps = unfinished.steps;
        let plan = Plan { steps };
        let bytes = self.at.session.bytes(&plan.wanted())?;
        let receipt = self.receipt()?;
        let finished = self.at.at_site(wanted.others, |site, session| {
            let bar = session.observer.begin(Task::Finishing);
            Ok(finish(site, (unfinished.id, &plan.steps), (receipt, &bytes), &mut session.state, bar.as_ref())?)
        });
        let finished = finished.inspect_err(|_| self.at.tell_stopped(running.as_ref())).map_err(|cause| {
            AlignmentError::Finishing { install: self.at.placed.name.clone(), cause: Box::new(cause) }
        })?;
        self.has_finished |= finished;
        self.at.started_again(running.as_ref())?;
        Ok(finished)
    }

    /// Surveys the install and plans what brings it in line.
    pub fn plan(mut self, wanted: &Wanted) -> Result<Planned<'e>, AppError> {
        let canon = self.canon.clone();
        let mut surveyed = self.at.session.survey(Target::Install(self.at.placed.clone()))?;
        let survey = &surveyed.survey;
        let rulebook = self.at.session.loaded.rulebook.clone();
        let context = self.at.session.measure_by(&canon, &rulebook);
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
            if all_stay { Vec::new() } else { worlds::listed(self.at.install.as_ref(), &survey.worlds)? };
        plan = decide(plan, (&worlds, changes), &choice, (&rulebook, self.at.placed.role))
            .for_path("a world that is set aside or put in place")?;
        let texts = (&delta.texts, &wanted.said);
        let left = amend(&mut self.at.session, self.at.install.as_ref(), texts, &mut plan, &mut own_bytes)?;
        plan.refuse_off_limits().map_err(ReachError::from)?;
        let orphans = match wanted.risky {
            RiskyExtras::Stay => plan::orphans(&plan, &delta),
            RiskyExtras::Park => Vec::new(),
        };
        surveyed.left = left;
        let bases = Vec::new();
        let mut planned = Planned { opened: self, plan, undecided, orphans, surveyed, own_bytes, bases, bytes: None };
        planned.plan_bases()?;
        Ok(planned)
    }

    fn choice(&self, wanted: &Wanted, survey: &Survey, own_bytes: &mut Bytes) -> Result<Choice, AppError> {
        let Some(word) = wanted.world.as_deref() else { return Ok(Choice::Undecided) };
        if self.has_finished {
            return Ok(Choice::Keep);
        }
        let mark = self.at.session.machine.now().strftime("%Y%m%d-%H%M%S").to_string();
        match word {
            "keep" => return Ok(Choice::Keep),
            "new" => return Ok(Choice::New(mark)),
            _ => {}
        }
        let file = self.at.session.machine.folder.join(word);
        let place = world_places(&self.at.session.loaded.rulebook, self.at.placed.role).next().map(ToString::to_string);
        let Some(place) = survey.worlds.first().map(ToString::to_string).or(place) else {
            return Err(AlignmentError::NoPlaceOfWorld.into());
        };
        let is_folder = match survey.worlds.first() {
            Some(world) => self.at.install.is_folder(world),
            // A world that is one file has an extension, as far as anybody has seen.
            None => !place.rsplit('/').next().unwrap_or_default().contains('.'),
        };
        let room = self.at.session.workspace()?.unpacked();
        let files = worlds::prepared(&file, is_folder, &room, own_bytes).map_err(AlignmentError::PreparedWorld)?;
        let called = file.file_stem().map(|stem| stem.to_string_lossy().into_owned()).unwrap_or_default();
        Ok(Choice::Prepared { mark, called, files })
    }

    /// What the receipt will say is there.
    pub(super) fn receipt(&self) -> Result<Receipt, AppError> {
        let role = self.at.placed.role;
        let wild: BTreeMap<ShelfName, Vec<InstallPath>> =
            wild_places(self.at.install.as_ref(), &self.at.session.loaded.rulebook, role);
        let (canon, mut files) = (&self.canon, Vec::new());
        for sealed in canon.mods.iter().filter(|sealed| sealed.needed_on().includes(role)) {
            let shelf = self.at.session.loaded.rulebook.shelf(&sealed.shelf);
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
        let (measure, role) = (self.at.session.measure(&self.canon), self.at.placed.role);
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
}

fn touches(plan: &Plan, worlds: &[InstallPath]) -> bool {
    let inside = |path: &InstallPath| worlds.iter().any(|world| path == world || path.below(world).is_some());
    plan.steps.iter().flat_map(Step::paths).any(inside)
}
