//! Which mods have newer releases, what holds those back, and what else would have to move with them.

use kanon_core::base::ids::FoldedId;
use kanon_core::resolve::solve::Standing;
use kanon_core::resolve::update::{Intent, outlook};

use crate::error::AppError;
use crate::looks::Waiting;
use crate::offers::Offers;
use crate::session::Session;

/// Of so many mods it is worked out what would move with them: each costs a search among all.
const SEARCHES: usize = 60;
/// So many mods in all of these searches together.
const SEARCHED: usize = 12_000;

/// The mods of which there is a newer release.
///
/// # Errors
/// When there is no workspace.
pub fn waiting(stock: &Offers, session: &Session<'_>, standings: &[Standing]) -> Result<Vec<Waiting>, AppError> {
    let wishes = &session.workspace()?.config;
    let puzzle = stock.puzzle_for_updates(session, wishes);
    let scheme = session.loaded.rulebook.versions.scheme;
    let is_newer = |standing: &&Standing| match (&standing.newest, &standing.now) {
        (Some(newest), Some(now)) => scheme.compare(newest, now) == Some(std::cmp::Ordering::Greater),
        _ => false,
    };
    let mut searches = SEARCHES.min(SEARCHED / wishes.mods.len().max(1));
    let mut brings = |standing: &Standing| -> Vec<FoldedId> {
        if searches == 0 || standing.fits.is_none() || standing.fits == standing.now {
            return Vec::new();
        }
        searches -= 1;
        let found = outlook(wishes, &Intent::Renew(vec![standing.id.clone()]), &puzzle).update;
        let moves = found.map(|update| update.moves).unwrap_or_default();
        moves.into_iter().map(|change| change.id).filter(|id| *id != standing.id).collect()
    };
    let newer = standings.iter().filter(is_newer).map(|standing| Waiting {
        brings: brings(standing),
        mod_id: standing.id.clone(),
        have: standing.now.clone(),
        fits: standing.fits.clone(),
        newest: standing.newest.clone(),
        held_back: standing.held_back.as_ref().map(ToString::to_string),
    });
    Ok(newer.collect())
}
