//! Why a file, a folder or a place that is reached by its address can't be used.

use std::fmt;

use displaydoc::Display;
use kanon_core::base::format::NotOfFormat;

/// Why something can't be used: by what was to be done with it.
#[derive(Debug, Clone, PartialEq, Eq, Display)]
pub enum Unfit {
    /// {0}
    Told(String),
    /// {0}
    File(ReadFault),
    /// {0}
    Backup(BackupFault),
    /// {0}
    Command(CommandFault),
    /// {0}
    Release(ReleaseFault),
    /// {0}
    Place(PlaceFault),
    /// {0}
    Bucket(BucketFault),
}

/// Why what is in a file can't be used.
#[derive(Debug, Clone, PartialEq, Eq, Display)]
pub enum ReadFault {
    /// it is larger than {0} MiB
    LargerThanMib(u64),
    /// it is not UTF-8 text (at byte {0})
    NotUtf8(usize),
    /// it is of the format {0}
    Format(String),
    /// {part} in it is larger than {mib} MiB
    PartLargerThanMib {
        /// The part.
        part: String,
        /// So many MiB are the most.
        mib: u64,
    },
    /// it has more parts than can be
    TooManyParts,
    /// it is no evidence as kanon export makes it ({0})
    NoEvidence(String),
    /// it is no canon that was kept here
    NoKeptCanon,
    /// it is another one than the canon was sealed with
    OtherRulebook,
    /// no log is in this folder: nothing there ends in .log or .txt
    NoLog,
    /// it has no mod called `{0}`
    NoModCalled(String),
    /// a newer Kanon wrote it; use that one
    NewerKanon,
    /// it can't be made anew
    NotMadeAnew,
}

impl From<ReadFault> for Unfit {
    fn from(fault: ReadFault) -> Self {
        Self::File(fault)
    }
}

/// Why a backup or a world can't be used.
#[derive(Debug, Clone, PartialEq, Eq, Display)]
pub enum BackupFault {
    /// it is no manifest of a backup
    NoManifest,
    /// it is no manifest of a backup: {0}
    BadManifest(String),
    /// it no longer has the copy of {0} that was made
    NoCopies(String),
    /// it is the copy of {of} that would be put back, and it {why}; nothing was taken back
    BadCopy {
        /// What it is a copy of.
        of: String,
        /// What is wrong with it.
        why: CopyFault,
    },
    /// something else is there now, and stays; nothing was put back
    InTheWay,
    /// {what} in it can't be {attempt}: {why}
    Within {
        /// What lies in it.
        what: String,
        /// What was to be done to it.
        attempt: Attempt,
        /// Why not.
        why: String,
    },
    /// it is not there as it was sent
    NotAsSent,
}

impl From<BackupFault> for Unfit {
    fn from(fault: BackupFault) -> Self {
        Self::Backup(fault)
    }
}

/// Why a command of the administrator's did not do its work.
#[derive(Debug, Clone, PartialEq, Eq, Display)]
pub enum CommandFault {
    /// there is no such folder to run commands in; see `run-in` in kanon.toml
    NoFolderToRunIn,
    /// as a command of kanon.toml it ended with {0}
    CommandEnded(String),
    /// it has no `start` command in kanon.toml
    NoStart,
}

impl From<CommandFault> for Unfit {
    fn from(fault: CommandFault) -> Self {
        Self::Command(fault)
    }
}

/// What is wrong with a release, its keys, or what goes with it.
#[derive(Debug, Clone, PartialEq, Eq, Display)]
pub enum ReleaseFault {
    /// it is no Kanon that can carry an invite
    CarriesNoInvite,
    /// {other} is a program for {system} too: leave one of them there
    TwoPrograms {
        /// The other one.
        other: String,
        /// The system that both run on.
        system: &'static str,
    },
    /// it holds no release: metadata/timestamp.json is not there
    NoRelease,
    /// this workspace is publishing right now
    Publishing,
    /// it holds a release that was signed with other keys than this workspace's
    OthersKeys,
    /// it holds a release, and nothing tells that it is this workspace's
    PerhapsOthers,
    /// what was just written is not there
    NotWritten,
    /// the new root is not there
    NoNewRoot,
    /// no key could be made (the system gives no chance numbers)
    NoChance,
    /// no key could be made (it can't be written)
    KeyNotWritten,
    /// a key that signs releases is not there; put your copy of this folder back
    NoSigningKey,
}

impl From<ReleaseFault> for Unfit {
    fn from(fault: ReleaseFault) -> Self {
        Self::Release(fault)
    }
}

/// Why a place that is reached by an address can't be used.
#[derive(Debug, Clone, PartialEq, Eq, Display)]
pub enum PlaceFault {
    /// it names no file
    NamesNoFile,
    /// {0} is no path of a file there
    NoPathThere(String),
    /// there is no such file
    NoSuchFile,
    /// there is no such bucket
    NoSuchBucket,
    /// it does not let us in; credentials for a bucket come from the environment
    Forbidden,
    /// this machine does not let us at it
    ForbiddenHere,
    /// a web server can't be written to; publish to its folder, or to a bucket
    Unwritable,
    /// the disk that it is on is full
    Full,
    /// it could not be written: {0}
    NotKept(String),
    /// the server answered {0}
    Answered(String),
    /// what it answers is no text
    NoText,
    /// it answered that nothing changed
    NotModified,
    /// it says that nothing changed, and there is no earlier copy
    NoEarlierCopy,
    /// nothing came for too long
    Silent,
    /// the connection was closed too early
    ClosedTooEarly,
    /// it sends so little at a time that it would never end: {bytes} bytes in {seconds} s
    Drips {
        /// So many bytes came.
        bytes: u64,
        /// In so many seconds.
        seconds: u64,
    },
    /// it changed while it was fetched
    ChangedMeanwhile,
    /// more came than was promised
    TooMuch,
    /// {0} bytes are promised, and more came
    MoreThan(u64),
    /// {why}; {have} of {size} bytes are kept for the next try
    CutShort {
        /// What cut it off.
        why: Box<Unfit>,
        /// So many bytes are here.
        have: u64,
        /// So many there are.
        size: u64,
    },
    /// the catalogue promises {promised} bytes, and {came} came
    OtherSize {
        /// So many are promised.
        promised: u64,
        /// So many came.
        came: u64,
    },
    /// the catalogue promises the digest {promised}, and what came has {came}; nothing of it was kept
    OtherDigest {
        /// What is promised.
        promised: String,
        /// What came.
        came: String,
    },
    /// what came has the digest {0}, and another one was signed; nothing of it was kept
    NotSigned(String),
    /// its catalogue is larger than {0} MiB
    CatalogueTooLarge(u64),
}

impl From<PlaceFault> for Unfit {
    fn from(fault: PlaceFault) -> Self {
        Self::Place(fault)
    }
}

/// Why a bucket can't be used.
#[derive(Debug, Clone, PartialEq, Eq, Display)]
pub enum BucketFault {
    /// it lists its files in no way that is known ({0})
    ListedOddly(String),
    /// it lists files without end
    ListedWithoutEnd,
    /// it begins no upload in parts ({0})
    NoUpload(String),
    /// it has more parts than a bucket takes
    MorePartsThanTaken,
    /// it takes a part, and does not say which
    PartNotNamed,
    /// the clock of this machine is wrong, or the server's
    ClockSkewed,
    /// the bucket is in another region: AWS_REGION={0}
    OtherRegion(String),
    /// the bucket is elsewhere: see AWS_REGION and AWS_ENDPOINT_URL
    Elsewhere,
}

impl From<BucketFault> for Unfit {
    fn from(fault: BucketFault) -> Self {
        Self::Bucket(fault)
    }
}

/// What was to be done to something in a folder.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Display)]
pub enum Attempt {
    /// looked at
    LookAt,
    /// backed up
    BackUp,
    /// taken over
    TakeOver,
}

/// What is wrong with a copy in a backup.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Display)]
pub enum CopyFault {
    /// is gone
    Gone,
    /// is no file of its own
    NotItsOwn,
    /// has other bytes than when it was made
    OtherBytes,
}

impl Unfit {
    /// Whether a place has no room left.
    pub const fn is_full_disk(&self) -> bool {
        matches!(self, Self::Place(PlaceFault::Full))
    }

    /// What something else says is wrong.
    pub fn told(why: impl fmt::Display) -> Self {
        Self::Told(why.to_string())
    }

    /// What could not be done to something in a folder.
    pub fn within((what, why): &(String, impl fmt::Display), attempt: Attempt) -> Self {
        BackupFault::Within { what: what.clone(), attempt, why: why.to_string() }.into()
    }
}

impl From<NotOfFormat> for Unfit {
    fn from(why: NotOfFormat) -> Self {
        match why {
            NotOfFormat::Other(found) => ReadFault::Format(found).into(),
            NotOfFormat::Shape(why) => Self::Told(why),
        }
    }
}
