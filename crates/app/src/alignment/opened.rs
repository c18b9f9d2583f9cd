//! An install that was opened to bring it in line with a canon: what was interrupted is finished first.

use std::collections::{BTreeMap, BTreeSet};

use kanon_core::base::digest::Blake3;
use kanon_core::base::ids::FoldedId;
use kanon_core::base::names::ShelfName;
use kanon_core::base::path::InstallPath;
use kanon_core::canon::{Canon, SealedMod};
use kanon_core::delta::{entries_of, placed_files};
use kanon_core::plan::Plan;
use kanon_core::rulebook::{NeededOn, Role};
use kanon_core::survey::{AddedEntry, AddedFile, Additions};
use kanon_io::carry_out::finish;
use kanon_io::error::ForPath;
use kanon_io::install::{RECEIPT_FORMAT, Receipt, ReceiptFile};
use kanon_io::measure::wild_places;
use kanon_io::state::{Alignment, AlignmentState};
use kanon_io::undo::undo;

use super::{AtInstall, Wanted};
use crate::error::{AlignmentError, AppError};
use crate::observer::Task;
use crate::session::Session;

/// One install, opened to align it.
pub struct Opened<'e> {
    /// Where the work is done.
    pub at: AtInstall<'e>,
    /// What it is brought in line with.
    pub canon: Canon,
    /// An alignment that was begun and never ended.
    pub unfinished: Option<Alignment>,
    /// Whether an interrupted alignment was finished just now; what was said of the world was said for that one.
    pub(super) has_finished: bool,
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
