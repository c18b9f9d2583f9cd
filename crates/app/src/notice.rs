//! What is told beside a report while a use case goes on.

use std::path::PathBuf;

use kanon_core::base::ids::FoldedId;
use kanon_core::base::names::InstallName;
use kanon_core::base::problem::Problem;
use kanon_core::delta::LeftAlone;
use kanon_io::claim::Claimant;
use kanon_io::error::ReachError;
use kanon_io::running::Running;
use kanon_io::state::Alignment;

use crate::error::AppError;

/// Something that is told on the way.
#[derive(Debug)]
pub enum Notice {
    /// What was found could not be kept for a later look.
    NotRemembered(AppError),
    /// The rulebook says things that may be slips.
    RulebookWarnings {
        /// Its file.
        path: PathBuf,
        /// Its text.
        text: String,
        /// Each at its place.
        warnings: Vec<Problem>,
    },
    /// The rulebook is another than when the canon was sealed.
    RulebookChanged,
    /// `kanon.toml` is another than when the canon was sealed.
    ConfigChanged,
    /// The canon can't be read.
    CanonReplaced {
        /// Why not.
        error: ReachError,
        /// Whether one that was sealed before counts in its place, or none.
        by_last: bool,
    },
    /// The signatures of a release end before long.
    ReleaseEnds {
        /// The release.
        number: u64,
        /// When they end.
        ends: jiff::Timestamp,
    },
    /// Somebody aligns an install right now.
    BeingAligned {
        /// The install.
        install: InstallName,
        /// Who does.
        by: Claimant,
    },
    /// An alignment was begun and never ended.
    Interrupted {
        /// The install.
        install: InstallName,
        /// The alignment.
        alignment: Alignment,
    },
    /// A catalogue can't be reached, and counts as it was.
    CatalogueStale {
        /// The source.
        name: String,
        /// Why it can't.
        why: String,
    },
    /// What a server has can't be told, so that mods may be adopted that it lacks.
    ServerNotSeen {
        /// The server.
        server: InstallName,
        /// The install that is adopted.
        install: InstallName,
        /// Why not.
        error: AppError,
    },
    /// An install can't be looked at, and the others are.
    InstallPassedOver {
        /// The install.
        install: InstallName,
        /// Why not.
        error: AppError,
    },
    /// A rehearsal has come so far.
    Rehearsing(String),
    /// Where what a rehearsed server printed is kept.
    Printed(PathBuf),
    /// Files are fetched from hosts, since nothing else has them.
    FetchedFromHosts {
        /// How many.
        files: usize,
        /// Their bytes.
        bytes: u64,
        /// The installs.
        installs: Vec<InstallName>,
    },
    /// A download is no mod of this game.
    DownloadPassedOver {
        /// Its name.
        file: String,
        /// The source.
        source: String,
        /// Why not.
        why: String,
    },
    /// A copy is no whole mod.
    DamagedPassedOver {
        /// Where it lies.
        path: String,
        /// The install or source.
        place: String,
        /// What is wrong with it.
        why: String,
    },
    /// The log of a server on a host was fetched.
    LogFetched {
        /// The install.
        install: InstallName,
        /// Whether all of it, or its end.
        is_whole: bool,
        /// Its bytes.
        bytes: u64,
    },
    /// The log of a server on a host was not fetched.
    LogNotFetched {
        /// The install.
        install: InstallName,
        /// The log.
        log: String,
        /// Why not; nothing where there is none.
        error: Option<std::io::Error>,
    },
    /// Something of an alignment.
    Alignment(AlignmentNotice),
}

/// What is told while an install is aligned.
#[derive(Debug)]
pub enum AlignmentNotice {
    /// A mod would be taken off that another needs, which stays.
    TakenThoughNeeded {
        /// The install.
        install: InstallName,
        /// The mod that would go.
        taken: FoldedId,
        /// The one that needs it.
        needed_by: FoldedId,
    },
    /// Nothing is done before somebody decides about such mods.
    NothingBeforeDecision {
        /// The install.
        install: InstallName,
    },
    /// A host keeps no permissions.
    PermissionsLost {
        /// The files that had some.
        files: Vec<String>,
    },
    /// A game is written to while it runs.
    WrittenWhileRunning {
        /// The install.
        install: InstallName,
        /// What shows that it runs.
        sign: Running,
    },
    /// A game is stopped by its command.
    Stopping {
        /// The install.
        install: InstallName,
        /// What shows that it runs.
        sign: Running,
        /// The command.
        command: Vec<String>,
    },
    /// A game was stopped, and after a failure is not started.
    LeftStopped {
        /// The install.
        install: InstallName,
    },
    /// A game was stopped, and nothing says how it is started.
    NoWayToStart {
        /// The install.
        install: InstallName,
    },
    /// A game is started by its command.
    Starting {
        /// The install.
        install: InstallName,
        /// The command.
        command: Vec<String>,
    },
    /// Part of a text file can't be changed as it should be.
    LeftAsItIs(LeftAlone),
}

impl Notice {
    /// What a notice about a file is known again by, so that the same is told once.
    pub fn mark(&self) -> Option<String> {
        match self {
            Self::DownloadPassedOver { file, source, why } => Some(format!("{source}/{file}: {why}")),
            Self::DamagedPassedOver { path, place, why } => Some(format!("{place}/{path}: {why}")),
            _ => None,
        }
    }
}

impl From<AlignmentNotice> for Notice {
    fn from(notice: AlignmentNotice) -> Self {
        Self::Alignment(notice)
    }
}
