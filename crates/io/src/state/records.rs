//! What the journal and the cache have rows of.

use kanon_core::base::digest::Blake3;
use kanon_core::base::names::InstallName;
use serde::{Deserialize, Serialize};

use crate::install::FileFingerprint;

/// A file stamped this near to the time of the measurement may have changed after it without showing: FAT keeps two seconds.
const CLOCK_RESOLUTION: i64 = 2_000_000_000;

/// What is remembered of the files of one folder: one row, since a folder's files seldom change one by one.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Memory {
    /// A digest over the names and stamps of all its files: equal means that none has changed.
    pub signature: Blake3,
    /// When the one that was measured first was, in nanoseconds since 1970.
    pub measured: i64,
    /// One digest for all of it.
    pub digest: Blake3,
    /// The digests of its files, 32 bytes each, in the order of their names.
    pub digests: Vec<u8>,
}

/// What is remembered of one file, for when others of its folder have changed.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Remembered {
    /// Its path inside the install.
    pub path: String,
    /// Its stamp when it was measured.
    pub stamp: FileFingerprint,
    /// When it was measured, in nanoseconds since 1970.
    pub measured: i64,
    /// Its digest.
    pub blake3: [u8; 32],
}

impl Memory {
    /// Whether a folder with this signature, whose newest stamp is that, must still have those bytes.
    pub fn vouches_for(&self, signature: Blake3, newest: i64) -> bool {
        self.signature == signature && is_settled(newest, self.measured)
    }
}

impl Remembered {
    /// Whether a file with this stamp must still have those bytes.
    pub fn vouches_for(&self, stamp: FileFingerprint) -> bool {
        self.stamp == stamp && is_settled(stamp.newest(), self.measured)
    }
}

const fn is_settled(newest: i64, measured: i64) -> bool {
    newest < measured.saturating_sub(CLOCK_RESOLUTION)
}

/// How far an alignment came.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum AlignmentState {
    /// It was begun and never ended: it was interrupted.
    Running,
    /// It was carried out.
    Done,
    /// Taking it back was begun and never ended.
    Undoing,
    /// It was taken back.
    Undone,
}

impl AlignmentState {
    /// The word for it.
    pub const fn as_str(self) -> &'static str {
        match self {
            Self::Running => "running",
            Self::Done => "done",
            Self::Undoing => "undoing",
            Self::Undone => "undone",
        }
    }

    pub(super) fn of_word(word: &str) -> Option<Self> {
        [Self::Running, Self::Done, Self::Undoing, Self::Undone].into_iter().find(|state| state.as_str() == word)
    }

    /// Whether it was begun and never ended, one way or the other.
    pub const fn is_open(self) -> bool {
        matches!(self, Self::Running | Self::Undoing)
    }
}

/// An alignment as the journal knows it.
#[derive(Debug, Clone)]
pub struct Alignment {
    /// Its number.
    pub id: i64,
    /// The install's name.
    pub install: InstallName,
    /// When it began, in seconds since 1970.
    pub began: i64,
    /// The install as messages and the journal call it: its folder or its address.
    pub root: String,
    /// How far it came.
    pub state: AlignmentState,
    /// Whether its backup is gone by the administrator's rule.
    pub pruned: bool,
    /// Its steps.
    pub steps: Vec<kanon_core::plan::Step>,
    /// How many steps were done.
    pub steps_done: u32,
}

/// Whether a signature was made over a payload with a key: a matter of their digests, and so true for good.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Checked {
    /// The scheme's word.
    pub scheme: &'static str,
    /// The key.
    pub key: Blake3,
    /// The signature.
    pub signature: Blake3,
    /// The payload.
    pub payload: Blake3,
    /// Whether it fits.
    pub fits: bool,
}

/// A base archive that was rebuilt.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Base {
    /// The digest of the archive as the game brought it.
    pub original: Blake3,
    /// What it was rebuilt from.
    pub recipe: Blake3,
    /// The digest of what came of it.
    pub built: Blake3,
}

/// A rehearsal that was passed.
#[derive(Debug, Clone, PartialEq)]
pub struct Rehearsed {
    /// The install that was started.
    pub install: InstallName,
    /// When, in seconds since 1970.
    pub at: i64,
    /// So many seconds it took to be up.
    pub seconds: f64,
    /// So many bytes of memory it used at most.
    pub memory: u64,
}

/// What a host says of a file that an alignment put there.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct After {
    /// From the root of the install.
    pub path: String,
    /// Its size in bytes.
    pub size: u64,
    /// When its bytes changed, in nanoseconds since 1970.
    pub modified: i64,
    /// Its digest.
    pub blake3: Blake3,
}

/// What a path was before an alignment touched it.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(tag = "was", rename_all = "kebab-case")]
pub enum Before {
    /// Nothing.
    Absent,
    /// A file, of which a copy is in the backup.
    File {
        /// The copy's name in the backup.
        copy: String,
        /// Its digest.
        blake3: Blake3,
        /// Its size in bytes, where the journal is new enough to say.
        #[serde(default)]
        size: Option<u64>,
        /// When its bytes changed, in nanoseconds since 1970, where the system tells.
        #[serde(default, deserialize_with = "known_time")]
        modified: Option<i64>,
        /// Its permission bits, where the system has them.
        mode: Option<u32>,
    },
    /// A folder.
    Folder {
        /// When its entries changed, in nanoseconds since 1970, where the system tells.
        modified: Option<i64>,
        /// Its permission bits, where the system has them.
        mode: Option<u32>,
    },
}

/// Older programs wrote the smallest number where no time was known.
fn known_time<'de, D: serde::Deserializer<'de>>(deserializer: D) -> Result<Option<i64>, D::Error> {
    Ok(Option::<i64>::deserialize(deserializer)?.filter(|time| *time != i64::MIN))
}
