//! Why a use case could not do its work: what was attempted, on what, and what it came of. The front end finds the words.

use std::path::PathBuf;

use kanon_core::base::ids::FoldedId;
use kanon_core::base::path::PathError;
use kanon_core::canon::release::InviteError;
use kanon_core::resolve::catalogue::CatalogueError;
use kanon_core::rulebook::Role;
use kanon_io::error::ReachError;
use kanon_io::running::Running;

/// An error of whatever kind, as a cause.
pub type Cause = Box<dyn std::error::Error + Send + Sync>;

/// Why a use case could not do its work.
#[derive(Debug)]
pub enum AppError {
    /// The world did not do as it should.
    Io(ReachError),
    /// There is no workspace, and no rulebook was named.
    NoWorkspaceNorRulebook(PathBuf),
    /// Somebody was to be asked, and it failed.
    Asking(Cause),
    /// What a release has could not be fetched; what came is kept.
    Fetching(ReachError),
    /// What is to be a log on a host is no place inside an install.
    NoPlaceOfLog {
        /// The install.
        install: String,
        /// The log.
        log: String,
        /// Why it is none.
        cause: PathError,
    },
    /// What is wrong with the canon.
    Canon(CanonError),
    /// Why an INSTALL as it was named will not do.
    Install(InstallError),
    /// What is wrong with a source.
    Source(Box<SourceError>),
    /// What stands in the way of an alignment.
    Alignment(AlignmentError),
    /// Why nothing is taken back.
    Backup(BackupError),
    /// Why a server is not rehearsed.
    Rehearsal(RehearsalError),
    /// What is wrong with a rulebook that was fetched or is to be added to.
    Rulebook(RulebookError),
    /// Nothing can be published to such an address.
    NoPlaceToPublish(String),
    /// There is nothing to tell by why a join failed.
    NothingToGoBy,
    /// A file is no evidence that can be taken in.
    NoEvidence {
        /// The file.
        path: PathBuf,
        /// Why not.
        cause: String,
    },
    /// What was typed is no time.
    NoTime(String),
    /// An install is the other side.
    OtherSide {
        /// The install as it was named.
        named: String,
        /// What it is.
        is: Role,
    },
    /// What is to be an invite is none.
    NoInvite(InviteError),
    /// There are more names of mods than can be looked for.
    TooManyNames(Cause),
}

/// What is wrong with a rulebook that was fetched or is to be added to.
#[derive(Debug)]
pub enum RulebookError {
    /// What came is no text.
    NoText(String),
    /// `kanon.toml` does not say where it was fetched from.
    NotFetched,
    /// What came is of another game.
    OfOtherGame {
        /// The game of the workspace's.
        own: String,
        /// That of what came.
        fetched: String,
    },
    /// `kanon.toml` could not be edited.
    NotPinned(String),
    /// Somebody changed it meanwhile.
    Changed(PathBuf),
}

/// What is wrong with the canon.
#[derive(Debug)]
pub enum CanonError {
    /// The canon could not be written as JSON.
    AsJson(serde_json::Error),
    /// There is no canon yet.
    Missing(PathBuf),
    /// The canon is of one game, the rulebook of another.
    OfOtherGame {
        /// The canon's.
        canon: String,
        /// The rulebook's.
        rulebook: String,
    },
    /// `kanon.toml` has changed since the canon was sealed.
    Stale,
}

/// Why an INSTALL as it was named will not do.
#[derive(Debug)]
pub enum InstallError {
    /// `kanon.toml` names no install.
    NoneNamed,
    /// A survey was named where an install is to be changed.
    IsASurvey(String),
    /// What was named is no install, no folder and no survey.
    Unknown {
        /// What was typed.
        typed: String,
        /// The installs that there are.
        known: Vec<String>,
    },
    /// Nothing says what an install is, and nobody can be asked.
    NoRole(String),
    /// A survey is of one game, the rulebook of another.
    SurveyOfOtherGame {
        /// The install of the survey.
        install: String,
        /// Its game.
        survey: String,
        /// The rulebook's.
        rulebook: String,
    },
    /// A file is no survey that can be used.
    NotASurvey {
        /// The file.
        path: PathBuf,
        /// Why not.
        cause: Cause,
    },
    /// The folder of an install is not there.
    NoFolder {
        /// The install.
        install: String,
        /// The folder.
        path: PathBuf,
    },
}

/// What is wrong with a source.
#[derive(Debug)]
pub enum SourceError {
    /// The folder of a source is not there.
    NoFolder {
        /// The source.
        name: String,
        /// What it came of.
        cause: ReachError,
    },
    /// A catalogue can't be used.
    Catalogue {
        /// The source.
        name: String,
        /// Why not.
        cause: CatalogueError,
    },
    /// A download of a catalogue is not what was promised.
    BrokenPromise {
        /// The mod.
        id: FoldedId,
        /// Its release.
        version: String,
        /// The source.
        source: String,
        /// What is wrong.
        why: String,
    },
}

/// What stands in the way of an alignment.
#[derive(Debug)]
pub enum AlignmentError {
    /// An interrupted alignment could not be finished.
    Finishing {
        /// The install.
        install: String,
        /// What it came of.
        cause: Box<AppError>,
    },
    /// The rulebook tells of no place for a world.
    NoPlaceOfWorld,
    /// A prepared world can't be used.
    PreparedWorld(ReachError),
    /// The game runs, and nothing says how to stop it.
    Running {
        /// The install.
        install: String,
        /// What shows that it runs.
        sign: Running,
    },
    /// The game did not stop.
    DidNotStop {
        /// The install.
        install: String,
        /// What shows that it runs.
        sign: Running,
    },
}

/// Why nothing is taken back.
#[derive(Debug)]
pub enum BackupError {
    /// A backup has no manifest that can be read.
    Unreadable(ReachError),
    /// A backup is of another install.
    OfOther {
        /// The alignment.
        id: i64,
        /// The install of the backup.
        of: String,
        /// The one that was named.
        named: String,
    },
    /// An install was never aligned, or all of it was taken back.
    NothingToTakeBack(String),
    /// An install has no such alignment to take back.
    NoSuchAlignment {
        /// The install.
        install: String,
        /// The alignment.
        id: i64,
    },
    /// The backup of an alignment has gone by the rule.
    Gone {
        /// The install.
        install: String,
        /// The alignment.
        id: i64,
    },
}

/// Why a server is not rehearsed.
#[derive(Debug)]
pub enum RehearsalError {
    /// What is to be rehearsed is no install of `kanon.toml`.
    NotInConfig(String),
    /// What is to be rehearsed is a client.
    NotAServer(String),
    /// Nothing says how a server is started.
    NoStartCommand(String),
    /// A server on a host can't be rehearsed.
    OnAHost(String),
    /// A server that is to be started runs already.
    RunsAlready {
        /// The install.
        install: String,
        /// What shows that it runs.
        sign: Running,
    },
    /// Nobody can wait so many seconds.
    NoTimeToWait(f64),
    /// Somebody broke a rehearsal off, and the server was stopped.
    BrokenOff(String),
}

impl From<ReachError> for AppError {
    fn from(error: ReachError) -> Self {
        Self::Io(error)
    }
}

impl From<CanonError> for AppError {
    fn from(error: CanonError) -> Self {
        Self::Canon(error)
    }
}

impl From<InstallError> for AppError {
    fn from(error: InstallError) -> Self {
        Self::Install(error)
    }
}

impl From<SourceError> for AppError {
    fn from(error: SourceError) -> Self {
        Self::Source(Box::new(error))
    }
}

impl From<AlignmentError> for AppError {
    fn from(error: AlignmentError) -> Self {
        Self::Alignment(error)
    }
}

impl From<BackupError> for AppError {
    fn from(error: BackupError) -> Self {
        Self::Backup(error)
    }
}

impl From<RulebookError> for AppError {
    fn from(error: RulebookError) -> Self {
        Self::Rulebook(error)
    }
}

impl From<RehearsalError> for AppError {
    fn from(error: RehearsalError) -> Self {
        Self::Rehearsal(error)
    }
}
