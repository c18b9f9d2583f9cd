//! Why a use case could not do its work: what was attempted, on what, and what it came of. The front end finds the words.

use std::collections::BTreeMap;
use std::path::PathBuf;

use kanon_core::base::ids::FoldedId;
use kanon_core::base::names::InstallName;
use kanon_core::base::path::PathError;
use kanon_core::base::problem::BadFile;
use kanon_core::base::version::RequirementError;
use kanon_core::canon::release::InviteError;
use kanon_core::config::SameName;
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
        install: InstallName,
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
    /// What stands in the way of following a release.
    Follow(FollowError),
    /// What stands in the way of publishing one.
    Publish(PublishError),
    /// Why no rulebook is drafted.
    Draft(DraftError),
    /// Why nothing is sealed.
    Seal(SealError),
    /// Why nothing is told of keys.
    Keys(KeyError),
    /// Why no catalogue is made.
    CatalogueMaking(CatalogueMakingError),
    /// Why an install is not adopted.
    Adopt(AdoptError),
    /// Why wishes are not changed.
    Wish(WishError),
    /// Why no workspace is begun.
    Founding(FoundingError),
    /// Why nothing is watched.
    Watch(WatchError),
    /// Why no log is read.
    Log(LogError),
}

/// Why no log is read.
#[derive(Debug)]
pub enum LogError {
    /// An install has none.
    NoneOf(InstallName),
    /// None was named, and there is not just one server it could be of.
    NoneNamed,
}

/// Why nothing is watched.
#[derive(Debug)]
pub enum WatchError {
    /// `kanon.toml` has no such install.
    NoSuchInstall {
        /// What was typed.
        name: String,
        /// Those that it has.
        known: Vec<InstallName>,
    },
    /// The address of a hook has a place for a secret, and no variable says which.
    NoSecret {
        /// The place.
        place: &'static str,
        /// The variable.
        variable: &'static str,
    },
}

/// Why no workspace is begun.
#[derive(Debug)]
pub enum FoundingError {
    /// There is a `kanon.toml` already.
    IsThere(PathBuf),
    /// There is a rulebook of that name already.
    RulebookIsThere(PathBuf),
    /// The folder of an install is not there.
    NoFolder {
        /// The install.
        install: InstallName,
        /// The folder as it was typed.
        at: String,
    },
    /// Two installs have one name.
    SameName(SameName),
}

/// Why wishes are not changed.
#[derive(Debug)]
pub enum WishError {
    /// A mod is not wished for.
    NotWishedFor {
        /// What was typed.
        id: String,
        /// What is wished for.
        known: Vec<FoldedId>,
    },
    /// What was typed behind a mod is no requirement.
    NoRequirement(RequirementError),
    /// No set was found that fits, and not all could be tried.
    GivenUp,
    /// `kanon.toml` could not be edited.
    NotEdited(Cause),
}

/// Why an install is not adopted.
#[derive(Debug)]
pub enum AdoptError {
    /// It has no such mod.
    NoSuchMod {
        /// The install.
        install: InstallName,
        /// What was typed.
        id: String,
        /// The mods that it has.
        known: Vec<FoldedId>,
    },
    /// `kanon.toml` could not be edited.
    NotEdited(Cause),
}

/// Why no catalogue is made.
#[derive(Debug)]
pub enum CatalogueMakingError {
    /// The folder can't be opened.
    NoFolder {
        /// The folder.
        folder: PathBuf,
        /// Why not.
        cause: std::io::Error,
    },
    /// What the catalogue is to be called is no name of a file.
    BadName(PathError),
    /// The catalogue is to lie in another folder.
    Elsewhere,
    /// It can't be written as JSON.
    AsJson(Cause),
    /// A temporary folder could not be made.
    Temporary(std::io::Error),
}

/// Why nothing is told of keys.
#[derive(Debug)]
pub enum KeyError {
    /// The rulebook of a game knows of no signatures.
    NothingSigned(String),
    /// `kanon.toml` names no server.
    NoServer,
}

/// Why nothing is sealed.
#[derive(Debug)]
pub enum SealError {
    /// Something is accepted that nothing is wished for.
    NotWishedFor {
        /// The id that was typed.
        id: String,
        /// What is wished for.
        known: Vec<FoldedId>,
    },
    /// The canon to compare with can't be found.
    NoOtherCanon(ReachError),
    /// No canon of a number is kept.
    NoKeptCanon(ReachError),
}

/// Why no rulebook is drafted.
#[derive(Debug)]
pub enum DraftError {
    /// What was named is no install and no folder.
    NoInstall(String),
    /// The draft is no rulebook, which is a mistake of ours.
    OwnMistake(BadFile),
}

/// What stands in the way of publishing a release.
#[derive(Debug)]
pub enum PublishError {
    /// The rulebook is another one than the canon was sealed with.
    RulebookChanged,
    /// Nothing says where to.
    NoPlace,
    /// The workspace's keys lie in the folder.
    HoldsTheKeys(PathBuf),
    /// The place could not be put into kanon.toml.
    PlaceNotWritten(Cause),
    /// kanon.toml would have a mistake with what was said.
    BadPlace(ReachError),
    /// kanon.toml can't be read again.
    NotReadAgain(Cause),
    /// The folder of programs holds none.
    NoPrograms(PathBuf),
    /// The invite is too long for a program to carry.
    InviteTooLong,
    /// So many files of mods are nowhere any more.
    BytesLacking(BTreeMap<FoldedId, usize>),
    /// A folder holds no release.
    NoRelease(PathBuf),
    /// A release can't be served.
    NotServed(ReachError),
    /// Nothing was published yet.
    NothingPublished,
    /// Nothing says where players find the release.
    NoAddress,
}

/// What stands in the way of following a release, or of doing something with a game that does.
#[derive(Debug)]
pub enum FollowError {
    /// What was named is no folder.
    NoFolder(PathBuf),
    /// The folder could not be found.
    NotFound(std::io::Error),
    /// The folder follows nothing yet, and no invite was given.
    WithoutInvite(PathBuf),
    /// The folder follows nothing, where one is meant that does.
    FollowsNothing(PathBuf),
    /// No game of this user follows anything.
    NothingFollowed,
    /// Several games do, and none was named.
    Several(Vec<PathBuf>),
    /// The folder lies in a game that follows a release already.
    InsideFollower {
        /// The folder.
        folder: PathBuf,
        /// The game.
        game: PathBuf,
    },
    /// The folder is an administrator's workspace.
    AdministratorsWorkspace(PathBuf),
    /// The release has no optional mod of a name.
    NotOptional {
        /// The name.
        name: String,
        /// Those that it has.
        optional: Vec<FoldedId>,
    },
    /// A name is that of no one thing that was taken off.
    NotOneTakenOff {
        /// The name.
        name: String,
        /// Those that it could mean.
        known: Vec<String>,
    },
    /// A temporary folder could not be made.
    Temporary(std::io::Error),
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
        known: Vec<InstallName>,
    },
    /// Nothing says what an install is, and nobody can be asked.
    NoRole(String),
    /// A survey is of one game, the rulebook of another.
    SurveyOfOtherGame {
        /// The install of the survey.
        install: InstallName,
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
        install: InstallName,
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
        install: InstallName,
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
        install: InstallName,
        /// What shows that it runs.
        sign: Running,
    },
    /// The game did not stop.
    DidNotStop {
        /// The install.
        install: InstallName,
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
    NothingToTakeBack(InstallName),
    /// An install has no such alignment to take back.
    NoSuchAlignment {
        /// The install.
        install: InstallName,
        /// The alignment.
        id: i64,
    },
    /// The backup of an alignment has gone by the rule.
    Gone {
        /// The install.
        install: InstallName,
        /// The alignment.
        id: i64,
    },
}

/// Why a server is not rehearsed.
#[derive(Debug)]
pub enum RehearsalError {
    /// What is to be rehearsed is no install of `kanon.toml`.
    NotInConfig(InstallName),
    /// What is to be rehearsed is a client.
    NotAServer(InstallName),
    /// Nothing says how a server is started.
    NoStartCommand(InstallName),
    /// A server on a host can't be rehearsed.
    OnAHost(InstallName),
    /// A server that is to be started runs already.
    RunsAlready {
        /// The install.
        install: InstallName,
        /// What shows that it runs.
        sign: Running,
    },
    /// Nobody can wait so many seconds.
    NoTimeToWait(f64),
    /// Somebody broke a rehearsal off, and the server was stopped.
    BrokenOff(InstallName),
}

impl From<SourceError> for AppError {
    fn from(error: SourceError) -> Self {
        Self::Source(Box::new(error))
    }
}

/// What a variant says by its name alone.
macro_rules! from_each {
    ($($error:ty => $variant:ident,)*) => {
        $(impl From<$error> for AppError {
            fn from(error: $error) -> Self {
                Self::$variant(error)
            }
        })*
    };
}

from_each! {
    ReachError => Io,
    CanonError => Canon,
    InstallError => Install,
    AlignmentError => Alignment,
    BackupError => Backup,
    RulebookError => Rulebook,
    RehearsalError => Rehearsal,
    FollowError => Follow,
    PublishError => Publish,
    DraftError => Draft,
    SealError => Seal,
    KeyError => Keys,
    CatalogueMakingError => CatalogueMaking,
    AdoptError => Adopt,
    WishError => Wish,
    FoundingError => Founding,
    WatchError => Watch,
    LogError => Log,
}
