//! What is surveyed, and how; and what the parts of one survey share.

use std::collections::HashMap;

use kanon_core::base::digest::Blake3;
use kanon_core::base::path::InstallPath;
use kanon_core::rulebook::{Role, Rulebook};

use crate::install::{Install, KnownDigests, Receipt, Vouched};
use crate::progress::Progress;
use crate::state::Memory;

/// What is surveyed, and how.
#[derive(Clone, Copy)]
pub struct Request<'a> {
    /// What the survey calls the install.
    pub name: &'a str,
    /// Server or client.
    pub role: Role,
    /// How the game arranges its mods.
    pub rulebook: &'a Rulebook,
    /// The digest of the rulebook's text: readings made with another one don't count.
    pub rulebook_digest: Blake3,
    /// Whether remembered digests count.
    pub trust: TrustMemory,
    /// What spares the bytes of an install on a host the way here.
    pub sparing: RemoteHints<'a>,
    /// What is to be looked at beside the shelves.
    pub beside: OutsideShelves<'a>,
    /// Whether the folder must show that it is of this game.
    pub doubt: GameCheck,
}

impl<'a> Request<'a> {
    /// Of an install of which nothing more is known, which must show that it is of the game.
    pub fn new(
        (name, role): (&'a str, Role),
        (rulebook, rulebook_digest): (&'a Rulebook, Blake3),
        trust: TrustMemory,
    ) -> Self {
        let (sparing, beside) = (RemoteHints::default(), OutsideShelves::default());
        Self { name, role, rulebook, rulebook_digest, trust, sparing, beside, doubt: GameCheck::WithoutSigns }
    }
}

/// Whether a folder without a sign of the game is taken for one of its installs.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum GameCheck {
    /// It is not: a slip of the pen would pass for an install without mods.
    WithoutSigns,
    /// Somebody said that it is one.
    Never,
}

/// What is known of what mods bring for places outside the shelves.
#[derive(Clone, Copy, Default)]
pub struct OutsideShelves<'a> {
    /// What the last alignment put there.
    pub receipt: Option<&'a Receipt>,
    /// Where files belong that the canon's mods bring.
    pub placed: &'a [InstallPath],
}

/// What is known of the files of an install on a host before any of them is read.
#[derive(Clone, Copy, Default)]
pub struct RemoteHints<'a> {
    /// What the install's receipt vouches for.
    pub vouched: Option<&'a Vouched>,
    /// Files whose digests are known, so that a digest that the host computes is understood.
    pub known: Option<&'a KnownDigests>,
}

/// Whether digests remembered from an earlier survey count.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum TrustMemory {
    /// A file with the same stamp has the same bytes.
    Yes,
    /// Every byte is read again.
    No,
}

/// Everything that the measuring of one install shares.
pub struct Job<'a> {
    pub install: &'a dyn Install,
    pub request: Request<'a>,
    pub root: String,
    pub memories: HashMap<String, Memory>,
    pub measured_at: i64,
    pub progress: &'a dyn Progress,
}
