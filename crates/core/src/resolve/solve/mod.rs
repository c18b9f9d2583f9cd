//! Which releases fit together: from what is asked for and what is on offer to one set, or to why there is none.
//!
//! The search is `PubGrub` (Natalie Weizenbaum, 2018), by the `pubgrub` crate. Versions are handed to it as places in
//! each mod's own list of releases, so that every scheme and every grammar of requirements counts just as it does
//! when an install is checked.

mod explain;
mod index;
mod search;
mod standing;

use std::collections::{BTreeMap, BTreeSet};

use crate::base::ids::ModId;
use crate::base::version::Versions;
use crate::manifest::ModManifest;
use crate::rulebook::NeededOn;

pub use explain::{Clash, NoFit, WayOut};
use index::PackageIndex;
use search::Ease;
pub use standing::{Standing, each_alone, standing};

/// How far a place is trusted to hold what was meant, most first.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum SourceRank {
    /// A source of releases.
    Source,
    /// A server.
    Server,
    /// A client.
    Client,
    /// The last canon.
    Canon,
}

/// A release on offer.
#[derive(Debug, Clone, Copy)]
pub struct Offer<'a> {
    /// What is known of it.
    pub manifest: &'a ModManifest,
    /// The install or source that has it.
    pub place: &'a str,
    /// How far that place is trusted.
    pub trust: SourceRank,
    /// When it came out, year first: orders releases whose versions have no order.
    pub date: Option<&'a str>,
}

/// What is asked for one mod.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Ask {
    /// Its id.
    pub id: ModId,
    /// Which releases will do, as a requirement; any when not said.
    pub accepts: Option<String>,
    /// Whether states before a release will do.
    pub prereleases: bool,
    /// Where it is needed, against what the mod says itself.
    pub needed_on: Option<NeededOn>,
    /// The release that the set has of it now.
    pub now: Option<String>,
    /// What is to become of that release.
    pub keep: Keep,
    /// Whether no release older than that one will do.
    pub no_older: bool,
    /// The place whose copy counts.
    pub from: Option<String>,
    /// Whether it must be in the set; otherwise it is there only while another mod needs it.
    pub wanted: bool,
}

/// What is to become of the release that a set has now.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Keep {
    /// The newest that fits takes its place.
    Newest,
    /// It is taken again where it will do.
    #[default]
    Stay,
    /// It must stay.
    Held,
}

/// What is to be solved.
#[derive(Debug, Clone)]
pub struct Puzzle<'a> {
    /// How versions and requirements are written.
    pub versions: Versions,
    /// The game version that everybody must have.
    pub game_version: Option<&'a str>,
    /// The loader version that everybody must have.
    pub loader_version: Option<&'a str>,
    /// The version of what the game runs on that everybody must have.
    pub runtime_version: Option<&'a str>,
    /// What is asked for.
    pub asks: Vec<Ask>,
    /// What there is.
    pub offers: Vec<Offer<'a>>,
    /// Whether mods may be brought in that nobody asked for.
    pub open: bool,
}

/// A release of a set that fits.
#[derive(Debug, Clone, Copy)]
pub struct Chosen<'a> {
    /// The release.
    pub offer: Offer<'a>,
    /// Whether it is there only because another mod needs it.
    pub brought_in: bool,
}

/// A set that fits, by folded id.
#[derive(Debug, Clone, Default)]
pub struct FittingSet<'a> {
    /// The releases.
    pub chosen: BTreeMap<ModId, Chosen<'a>>,
    /// Whether a mod's word on a mod that it merely likes had to be passed over.
    pub passed_over_likes: bool,
}

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
