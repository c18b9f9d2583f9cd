//! What is asked and what is on offer, and the set that answers it.

use std::collections::BTreeMap;

use crate::base::ids::FoldedId;
use crate::base::version::Versions;
use crate::manifest::ModManifest;
use crate::rulebook::{NeededOn, Role};

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

impl SourceRank {
    /// How far what an install has is trusted.
    pub const fn of_install(role: Role) -> Self {
        match role {
            Role::Server => Self::Server,
            Role::Client => Self::Client,
        }
    }
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
    pub id: FoldedId,
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
    pub chosen: BTreeMap<FoldedId, Chosen<'a>>,
    /// Whether a mod's word on a mod that it merely likes had to be passed over.
    pub passed_over_likes: bool,
}
