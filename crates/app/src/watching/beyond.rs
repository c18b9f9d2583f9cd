//! What lies beyond the installs: sources with newer releases, and the release that players follow.

use std::collections::BTreeSet;

use kanon_core::resolve::update::{Intent, Outlook};
use kanon_io::origin::Origin;
use kanon_io::release::{Record, days_until, verify};

use super::change::What;
use super::look::Look;
use super::silent::Silent;
use crate::error::AppError;
use crate::notice::Notice;
use crate::offers::Offers;
use crate::release_place::invite_of;
use crate::sealable::sealable_outlook;
use crate::session::SOON_DAYS;
use crate::updates::waiting;

/// So many failures in a row, and a release can't be followed: lines drop.
const FAILURES: u32 = 2;
/// So many days before the end of signatures it is told once more.
const VERY_SOON_DAYS: i64 = 7;

impl Look<'_, '_> {
    /// Looks for newer releases, and says how many mods have one.
    pub(super) fn at_sources(&mut self, silent: &Silent<'_>) -> usize {
        let names: Vec<String> = match self.session.workspace() {
            Ok(workspace) => workspace.config.sources.iter().map(|source| source.name.clone()).collect(),
            Err(_) => return 0,
        };
        if names.is_empty() {
            return 0;
        }
        silent.take();
        let stock = Offers::gather(&mut self.session);
        let mut gone: Vec<(String, String)> = Vec::new();
        for notice in silent.take() {
            if let Notice::CatalogueStale { name, why } = notice {
                gone.push((name, why));
            }
        }
        let stock = match stock {
            Ok(stock) => stock,
            Err(error) => {
                // It is not told which one it was, where there are several.
                let why = in_short(&error);
                if gone.is_empty() {
                    gone.push((names.join(", "), why));
                }
                self.at_gone(&gone);
                return 0;
            }
        };
        self.at_gone(&gone);
        let Ok(workspace) = self.session.workspace() else { return 0 };
        let wishes = workspace.config.clone();
        let Outlook { update, standings } =
            sealable_outlook(&stock, &self.session, &wishes, &Intent::Renew(Vec::new()));
        let Ok(waiting) = waiting(&stock, &self.session, &standings) else { return 0 };
        let is_first = !std::mem::replace(&mut self.memory.knows_sources, true);
        for one in &waiting {
            let Some(newest) = &one.newest else { continue };
            let before = self.memory.newest.insert(one.mod_id.clone(), newest.clone());
            if !is_first && before.as_ref() != Some(newest) {
                let (mod_id, have, newest) = (one.mod_id.clone(), one.have.clone(), newest.clone());
                self.tell(None, What::ReleaseOut { mod_id, have, newest });
            }
        }
        let number = waiting.len();
        let moves = update.map_or(0, |update| update.moves.len());
        // What can't be kept is found again by the next look.
        let _ = self.session.keep_updates(moves, waiting);
        number
    }

    fn at_gone(&mut self, gone: &[(String, String)]) {
        let names: BTreeSet<String> = gone.iter().map(|(name, _)| name.clone()).collect();
        let before = std::mem::replace(&mut self.memory.gone, names.clone());
        for (name, why) in gone.iter().filter(|(name, _)| !before.contains(name)) {
            self.tell(None, What::SourceGone { name: name.clone(), why: why.clone() });
        }
        for name in before.difference(&names) {
            self.tell(None, What::SourceBack(name.clone()));
        }
    }

    /// Looks at the release as players would.
    pub(super) fn at_release(&mut self) {
        let Ok(workspace) = self.session.workspace() else { return };
        let Ok(record) = Record::read(&workspace.release_folder()) else { return };
        let Some(last) = record.last() else { return };
        let (number, ends) = (last.release.number, last.ends.as_second());
        let days = days_until(last.ends, self.session.machine.now().timestamp());
        let warned = match days {
            ..1 => 3,
            1..VERY_SOON_DAYS => 2,
            VERY_SOON_DAYS..SOON_DAYS => 1,
            _ => 0,
        };
        let before = std::mem::replace(&mut self.memory.release.warned, warned);
        if warned > before {
            self.tell(None, What::SignaturesEnd { number, ends, days });
        } else if warned < before {
            self.tell(None, What::SignedAnew { number, ends });
        }
        if warned == 3 {
            return;
        }
        match self.followed() {
            Ok(()) => {
                self.memory.release.failures = 0;
                if std::mem::take(&mut self.memory.release.is_broken) {
                    self.tell(None, What::ReleaseWhole);
                }
            }
            Err(error) => {
                self.memory.release.failures = self.memory.release.failures.saturating_add(1);
                let is_sure = self.memory.release.failures >= FAILURES;
                if is_sure && !std::mem::replace(&mut self.memory.release.is_broken, true) {
                    self.tell(None, What::ReleaseBroken(error));
                }
            }
        }
    }

    /// Verifies the release at its place, as a player's game does; nothing of it is kept.
    fn followed(&mut self) -> Result<(), AppError> {
        let kept = self.session.temporary_folder()?;
        let workspace = self.session.workspace()?;
        let Some(invite) = invite_of(workspace, None)? else { return Ok(()) };
        let origin = Origin::open(&invite.address, &workspace.root, &self.session.machine.access())?;
        verify(&origin, &invite, &kept)?;
        Ok(())
    }
}

fn in_short(error: &AppError) -> String {
    let of_source: &dyn std::error::Error = match error {
        AppError::Io(error) => error,
        _ => return "what it has can't be used".to_owned(),
    };
    kanon_core::base::path::printable(&of_source.to_string())
}
