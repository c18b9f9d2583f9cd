//! A change of state, as it is noticed: what became of what, with what is needed to say why and what to do.

use kanon_core::base::finding::Code;
use kanon_core::base::ids::FoldedId;
use kanon_core::base::names::{InstallName, PlayerName};
use kanon_core::diagnose::Verdict;
use kanon_core::logs::KeptOutBy;
use kanon_io::running::Running;
use serde::Serialize;

use crate::error::AppError;
use crate::looks::KeptFinding;

/// A change of state.
#[derive(Debug)]
pub struct Change {
    /// When it was noticed, in seconds since 1970.
    pub at: i64,
    /// The install that it is about.
    pub install: Option<InstallName>,
    /// What happened.
    pub what: What,
}

/// A file that was touched.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Touched {
    /// Its path, from the root of the install.
    pub path: String,
    /// When its bytes changed, in seconds since 1970, where that is known.
    pub modified: Option<i64>,
    /// Whether it is not there any more, as far as is known.
    pub is_gone: bool,
}

/// What happened.
#[derive(Debug)]
pub enum What {
    /// Watching began, or began anew: this is how things stand.
    Began {
        /// How many installs are watched.
        installs: usize,
        /// Those that are off, with how many findings.
        off: Vec<(InstallName, usize)>,
        /// How many mods have a newer release.
        waiting: usize,
    },
    /// An install that was in line is off now, or one that was off is so in more.
    Off {
        /// In what it is off that it was not before.
        findings: Vec<KeptFinding>,
        /// In how much it is off in all.
        in_all: usize,
        /// The files that somebody touched.
        touched: Vec<Touched>,
        /// Whether it is because another canon counts.
        by_canon: bool,
        /// Whether it was off before.
        was_off: bool,
    },
    /// An install is off in less than before.
    Less {
        /// In how much it still is.
        left: usize,
    },
    /// An install is in line again.
    InLine,
    /// An install can't be looked at.
    Unreachable(AppError),
    /// It can be looked at again.
    Reachable,
    /// The game of an install, its loader, or what it runs on has another version.
    VersionChanged {
        /// Which of them.
        of: &'static str,
        /// The version before.
        from: Option<String>,
        /// The version now.
        to: Option<String>,
    },
    /// An alignment was cut off.
    CutOff(i64),
    /// Another canon counts.
    Sealed {
        /// How many mods it has.
        mods: usize,
    },
    /// `kanon.toml` was changed since the canon was sealed.
    WishesChanged,
    /// A server came up.
    Up {
        /// So many seconds it took, where that is known.
        seconds: Option<i64>,
    },
    /// A server began to start and did not come up.
    NotUp {
        /// For so many seconds.
        seconds: i64,
        /// The last that it said.
        said: Option<String>,
    },
    /// A server ended unexpectedly.
    Ended(String),
    /// A server starts again and again.
    Loops(usize),
    /// A server that runs no longer shows any sign of it.
    Stopped,
    /// A server shows a sign that it runs.
    Runs(Running),
    /// A server ran out of memory.
    OutOfMemory(String),
    /// A server falls behind.
    Behind {
        /// So many lines tell of it since the last look.
        lines: usize,
        /// The last of them.
        said: String,
        /// The mods that they name.
        mods: Vec<FoldedId>,
    },
    /// It keeps up again.
    KeepsUp,
    /// A player was turned away.
    Refused {
        /// The player, where the log names one.
        player: Option<PlayerName>,
        /// Why, the most likely first.
        verdicts: Vec<Verdict>,
        /// What keeps the player out that no mod has to do with.
        kept_out_by: Option<KeptOutBy>,
    },
    /// A player who was turned away came in.
    CameIn(PlayerName),
    /// A mod has a newer release, which players may get before the server has it.
    ReleaseOut {
        /// The mod.
        mod_id: FoldedId,
        /// The release that the set has.
        have: Option<String>,
        /// The newest.
        newest: String,
    },
    /// A source can't be reached.
    SourceGone {
        /// The source.
        name: String,
        /// Why not.
        why: String,
    },
    /// A source can be reached again.
    SourceBack(String),
    /// The signatures of the release end before long, or have ended.
    SignaturesEnd {
        /// The release.
        number: u64,
        /// When they end, in seconds since 1970.
        ends: i64,
        /// In how many days; none left where it is below one.
        days: i64,
    },
    /// The release was signed anew.
    SignedAnew {
        /// The release.
        number: u64,
        /// When its signatures end, in seconds since 1970.
        ends: i64,
    },
    /// Players can't follow the release as it lies at its place.
    ReleaseBroken(AppError),
    /// They can again.
    ReleaseWhole,
    /// An install was aligned by itself.
    Mended {
        /// The alignment.
        alignment: i64,
        /// How many files were put in place.
        steps: usize,
    },
    /// An install that is to be mended by itself was left alone.
    NotMended(NotMended),
    /// Nothing can be looked at.
    Stuck(AppError),
    /// Everything can be looked at again.
    GoesOn,
}

/// Why an install was not mended by itself.
#[derive(Debug)]
pub enum NotMended {
    /// Somebody has to decide about such a finding.
    Decision(Code),
    /// It would take more than putting files in their place.
    MoreThanFiles,
    /// It runs.
    Running(Running),
    /// Nothing tells whether it runs: the rulebook knows no sign of it.
    NoSign,
    /// Nothing is aligned with a canon that is not what `kanon.toml` asks for.
    StaleCanon,
    /// It failed.
    Failed(AppError),
}

impl What {
    /// The word for it, for programs.
    pub const fn word(&self) -> &'static str {
        match self {
            Self::Began { .. } => "watch-began",
            Self::Off { was_off: false, .. } => "install-off",
            Self::Off { was_off: true, .. } => "install-off-more",
            Self::Less { .. } => "install-off-less",
            Self::InLine => "install-in-line",
            Self::Unreachable(_) => "install-unreachable",
            Self::Reachable => "install-reachable",
            Self::VersionChanged { .. } => "version-changed",
            Self::CutOff(_) => "alignment-cut-off",
            Self::Sealed { .. } => "canon-sealed",
            Self::WishesChanged => "wishes-changed",
            Self::Up { .. } => "server-up",
            Self::NotUp { .. } => "server-not-up",
            Self::Ended(_) => "server-ended",
            Self::Loops(_) => "server-loops",
            Self::Stopped => "server-stopped",
            Self::Runs(_) => "server-runs",
            Self::OutOfMemory(_) => "server-out-of-memory",
            Self::Behind { .. } => "server-behind",
            Self::KeepsUp => "server-keeps-up",
            Self::Refused { .. } => "join-refused",
            Self::CameIn(_) => "join-mended",
            Self::ReleaseOut { .. } => "release-out",
            Self::SourceGone { .. } => "source-gone",
            Self::SourceBack(_) => "source-back",
            Self::SignaturesEnd { days: 1.., .. } => "signatures-end",
            Self::SignaturesEnd { .. } => "signatures-ended",
            Self::SignedAnew { .. } => "signed-anew",
            Self::ReleaseBroken(_) => "release-broken",
            Self::ReleaseWhole => "release-whole",
            Self::Mended { .. } => "mended",
            Self::NotMended(_) => "not-mended",
            Self::Stuck(_) => "watch-stuck",
            Self::GoesOn => "watch-goes-on",
        }
    }

    /// Whether somebody should do something.
    pub const fn is_bad(&self) -> bool {
        match self {
            Self::Began { off, .. } => !off.is_empty(),
            Self::Off { .. }
            | Self::Unreachable(_)
            | Self::VersionChanged { .. }
            | Self::CutOff(_)
            | Self::NotUp { .. }
            | Self::Ended(_)
            | Self::Loops(_)
            | Self::Stopped
            | Self::OutOfMemory(_)
            | Self::Behind { .. }
            | Self::Refused { .. }
            | Self::ReleaseOut { .. }
            | Self::SourceGone { .. }
            | Self::SignaturesEnd { .. }
            | Self::ReleaseBroken(_)
            | Self::NotMended(_)
            | Self::Stuck(_) => true,
            _ => false,
        }
    }
}
