//! What can go wrong outside: always with what was attempted and on which file.

mod host;
mod lack;
mod refusal;
mod unfit;

use std::io;
use std::path::{Path, PathBuf};

use kanon_core::base::names::InstallName;
use kanon_core::base::path::{PathError, printable};
use kanon_core::base::problem::BadFile;
use kanon_core::plan::PlanError;

pub use self::host::{AddressError, HostError, LoginAttempt, Unanswered};
pub use self::lack::Lack;
pub use self::refusal::Refusal;
pub use self::unfit::{
    Attempt, BackupFault, BucketFault, CommandFault, CopyFault, PlaceFault, ReadFault, ReleaseFault, Unfit,
};

/// Why something outside could not be done.
#[derive(Debug, thiserror::Error)]
pub enum ReachError {
    /// A file or folder could not be worked on.
    #[error("could not {attempt} {}", printable(&.path.display().to_string()))]
    Io {
        /// What was attempted.
        attempt: &'static str,
        /// On which file or folder.
        path: PathBuf,
        /// Why not.
        source: io::Error,
    },
    /// A database of the workspace failed.
    #[error("could not use {what} {}", printable(&.path.display().to_string()))]
    State {
        /// Which one.
        what: &'static str,
        /// The database.
        path: PathBuf,
        /// Why not.
        source: rusqlite::Error,
    },
    /// A file that a person wrote has mistakes.
    #[error(transparent)]
    BadFile(Box<BadFile>),
    /// A file is not what it should be.
    #[error("{} can't be used: {reason}", .path.display())]
    Unusable {
        /// The file.
        path: PathBuf,
        /// Why not.
        reason: Unfit,
    },
    /// The canon of the workspace is not what was sealed.
    #[error("the canon in {} can't be used: {reason}", printable(&.path.display().to_string()))]
    BadCanon {
        /// Its file.
        path: PathBuf,
        /// Why not.
        reason: Unfit,
    },
    /// No plan can be made.
    #[error(transparent)]
    Plan(#[from] PlanError),
    /// A path can't be one inside an install.
    #[error("no path inside an install can be made for {}", printable(.what))]
    Path {
        /// What it was to be for.
        what: String,
        /// Why not.
        source: PathError,
    },
    /// There is no workspace.
    #[error("there is no kanon.toml in {} or above it", .0.display())]
    NoWorkspace(PathBuf),
    /// What is asked for is an administrator's, and the workspace is a game's that follows a release.
    #[error("{} belongs to a game that follows a release; this is for whoever publishes it", .0.display())]
    OfPlayer(PathBuf),
    /// Nothing of what the rulebook names is in the folder.
    #[error("{} does not look like an install of {game}: it has none of {looked_for}", .path.display())]
    NotThisGame {
        /// The folder.
        path: PathBuf,
        /// The game of the rulebook.
        game: String,
        /// What the rulebook names.
        looked_for: String,
    },
    /// The bytes of mods are nowhere to be found.
    #[error("the bytes of {} are in no source, install or store: {}", if .0.len() == 1 { "a mod" } else { "some mods" }, .0.join(", "))]
    BytesNowhere(Vec<String>),
    /// A place that is reached by its address does not give what it should.
    #[error("{address} can't be used: {reason}")]
    Address {
        /// The address, without secrets.
        address: String,
        /// Why not.
        reason: Unfit,
    },
    /// A place does not answer.
    #[error("{address} can't be reached: {reason}")]
    Unreachable {
        /// The address, without secrets.
        address: String,
        /// Why not.
        reason: Unfit,
    },
    /// A release is not believed.
    #[error("the release at {address} is refused, and nothing was changed")]
    Refused {
        /// The address, without secrets.
        address: String,
        /// Why.
        source: Refusal,
    },
    /// A host can't be worked with.
    #[error(transparent)]
    Host(#[from] HostError),
    /// Somebody else is at work.
    #[error("somebody is at work on {}: {}", printable(.install), printable(.by))]
    Busy {
        /// The install.
        install: InstallName,
        /// Who began it.
        by: String,
        /// When, in seconds since 1970, where that is known.
        began: Option<i64>,
        /// Whether it is known to be alive: a process of this machine that holds the lock.
        alive: bool,
    },
    /// An alignment failed, and nothing of it is left.
    #[error("the alignment of {} failed, and all that was begun of it was taken back", printable(.install))]
    TakenBack {
        /// The install.
        install: InstallName,
        /// Why.
        source: Box<ReachError>,
    },
    /// There is not enough room.
    #[error("there is not enough room in {} to {attempt}: {lack}", printable(&.path.display().to_string()))]
    NoRoom {
        /// For what.
        attempt: &'static str,
        /// A folder of the disk that is too full.
        path: PathBuf,
        /// How much is missing.
        lack: Lack,
    },
    /// An alignment could neither be finished nor taken back.
    #[error("the alignment of {} was cut off in the middle", printable(.install))]
    CutOff {
        /// The install.
        install: InstallName,
        /// Why.
        source: Box<ReachError>,
    },
    /// Kanon does not write through or over links.
    #[error("{} is a link; Kanon does not write over links", .0.display())]
    Link(PathBuf),
    /// Something is there that the plan did not know of.
    #[error("{} has changed since it was surveyed; nothing was done to it", .0.display())]
    Changed(PathBuf),
}

impl ReachError {
    /// A file of this machine that can't be used.
    pub fn unusable(path: impl Into<PathBuf>, reason: impl Into<Unfit>) -> Self {
        Self::Unusable { path: path.into(), reason: reason.into() }
    }
}

impl From<BadFile> for ReachError {
    fn from(bad: BadFile) -> Self {
        Self::BadFile(Box::new(bad))
    }
}

/// Says for what a path was to be made.
pub trait ForPath<T> {
    /// Names what the path was to be for.
    ///
    /// # Errors
    /// The error, with that name.
    fn for_path(self, what: &str) -> Result<T, ReachError>;
}

impl<T> ForPath<T> for Result<T, PathError> {
    fn for_path(self, what: &str) -> Result<T, ReachError> {
        self.map_err(|source| ReachError::Path { what: what.to_owned(), source })
    }
}

/// Puts what was attempted, and on which file, around an I/O error.
pub trait During<T> {
    /// Wraps the error.
    ///
    /// # Errors
    /// The wrapped error.
    fn during(self, attempt: &'static str, path: &Path) -> Result<T, ReachError>;
}

impl<T> During<T> for io::Result<T> {
    fn during(self, attempt: &'static str, path: &Path) -> Result<T, ReachError> {
        self.map_err(|source| ReachError::Io { attempt, path: path.to_owned(), source })
    }
}
