//! Base archives into which mods are laid, built anew from what the game brought.

use std::collections::BTreeSet;

use kanon_core::base::digest::Blake3;
use kanon_core::base::path::InstallPath;
use kanon_core::canon::SealedMod;
use kanon_core::plan::reason::Reason;
use kanon_core::plan::{Action, Step};
use kanon_core::rulebook::Shelf;
use kanon_core::survey::SurveyedBase;
use kanon_io::bytes;
use kanon_io::error::{During, ReachError};
use kanon_io::overlay::{self, Overlay};
use kanon_io::state::Base;

use super::Planned;
use crate::error::AppError;

impl Planned<'_> {
    /// Rebuilds the base archives that are not what the overlays of the canon make of them.
    pub(super) fn plan_bases(&mut self) -> Result<(), AppError> {
        let shelves: Vec<Shelf> = self.opened.at.session.loaded.rulebook.shelves.clone();
        let bases = self.surveyed.survey.bases.clone();
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
        let role = self.opened.at.placed.role;
        let known = self.opened.at.session.state.base(self.opened.at.install.shown(), surveyed.path.as_str())?;
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
        let workspace = self.opened.at.session.workspace()?;
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
        self.plan.steps.push(Step { bytes: size, ..Step::new(action, surveyed.path.clone(), reason) });
        self.own_bytes.add(built, built_file);
        self.bases.push((surveyed.path.clone(), Base { original, recipe, built }));
        Ok(())
    }

    /// The overlays of the canon, in the order in which they are laid: by the canon, or by name where no list gives an order.
    fn overlays(&self, shelf: &Shelf, surveyed: &SurveyedBase) -> Result<Vec<Overlay>, AppError> {
        let role = self.opened.at.placed.role;
        let of_shelf = |sealed: &&SealedMod| sealed.shelf == shelf.name && sealed.needed_on().includes(role);
        let mut sealed: Vec<_> = self.opened.canon.mods.iter().filter(of_shelf).cloned().collect();
        let listed = |id: &str| surveyed.overlays.iter().position(|laid| laid.id == id).unwrap_or(usize::MAX);
        // A list of their order says what the canon says, once this is done.
        let by_canon = shelf.laid_into.as_ref().is_some_and(|laid| laid.order.is_some());
        sealed.sort_by_key(|sealed| (if by_canon { 0 } else { listed(sealed.manifest.id.as_str()) }, sealed.position));
        let store = self.opened.at.session.workspace()?.store();
        let overlay = |sealed: SealedMod| {
            let digest = sealed.files.first()?.blake3;
            Some(Overlay { id: sealed.manifest.id, digest, file: store.join(digest.to_string()) })
        };
        Ok(sealed.into_iter().filter_map(overlay).collect())
    }

    /// Takes the bytes of overlays over into the store, where they stand as they were measured.
    fn keep_overlays(&mut self, overlays: &[Overlay]) -> Result<(), AppError> {
        let wanted: BTreeSet<Blake3> = overlays.iter().map(|overlay| overlay.digest).collect();
        let bytes = self.opened.at.session.bytes(&wanted)?;
        let store = self.opened.at.session.workspace()?.store();
        wanted.into_iter().try_for_each(|digest| Ok(bytes::keep(&bytes, digest, &store).map(drop)?))
    }

    /// The base archive as the game brought it: kept from before, or taken from the install now.
    fn kept_original(&self, original: Blake3, path: &InstallPath) -> Result<std::path::PathBuf, AppError> {
        let store = self.opened.at.session.workspace()?.store();
        let kept = store.join(original.to_string());
        if kept.is_file() {
            return Ok(kept);
        }
        let outside = self.opened.at.install.outside(path);
        let (mut source, _) = self.opened.at.install.open_file(path).during("keep the original of", &outside)?;
        let kept = bytes::keep_read(&mut source, original, &store)?;
        Ok(kept.ok_or(ReachError::Changed(outside))?)
    }
}
