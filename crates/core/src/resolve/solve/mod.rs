//! Which releases fit together: from what is asked for and what is on offer to one set, or to why there is none.
//!
//! The search is `PubGrub` (Natalie Weizenbaum, 2018), by the `pubgrub` crate. Versions are handed to it as places in
//! each mod's own list of releases, so that every scheme and every grammar of requirements counts just as it does
//! when an install is checked.

mod explain;
mod index;
mod puzzle;
mod reason;
mod search;
mod standing;

use std::collections::BTreeSet;

pub use explain::{Clash, NoFit, WayOut};
use index::PackageIndex;
pub use puzzle::{Ask, Chosen, FittingSet, Keep, Offer, Puzzle, SourceRank};
pub use reason::{Meant, NoneWillDo, Reason, Refused, Releases, Says, Span};
use search::Ease;
pub use standing::{Standing, each_alone, standing};

/// Finds the set, or says why there is none.
///
/// The same puzzle gives the same set, in whatever order its asks and offers are written.
///
/// # Errors
/// With an explanation, when no set fits.
pub fn solve<'a>(puzzle: &Puzzle<'a>) -> Result<FittingSet<'a>, Box<NoFit>> {
    let packages = PackageIndex::new(puzzle);
    packages.search(&everything(puzzle), &Ease::default()).map_err(|_| {
        let given_up = packages.is_spent();
        Box::new(if given_up { NoFit { given_up, ..NoFit::default() } } else { explain::explain(&packages) })
    })
}

/// Finds the set, if there is one; for whom an explanation would come too early.
pub fn first_look<'a>(puzzle: &Puzzle<'a>) -> Option<FittingSet<'a>> {
    PackageIndex::new(puzzle).search(&everything(puzzle), &Ease::default()).ok()
}

fn everything(puzzle: &Puzzle<'_>) -> BTreeSet<usize> {
    (0..puzzle.asks.len()).collect()
}

#[cfg(test)]
#[path = "../../tests/solve.rs"]
mod tests;
