//! What a watch remembers from look to look, kept in the journal: a change is told once, whoever was started anew in between.

use std::collections::{BTreeMap, BTreeSet};

use kanon_core::base::ids::FoldedId;
use kanon_core::base::names::{InstallName, PlayerName};
use kanon_io::log_tail::LogMark;
use kanon_io::state::State;
use serde::{Deserialize, Serialize};

use crate::error::AppError;

/// What the journal keeps it by.
const KEY: &str = "watch";

/// What a watch remembers.
#[derive(Debug, Clone, Default, Serialize, Deserialize)]
#[serde(default)]
pub struct WatchMemory {
    /// Whether it has begun.
    pub has_begun: bool,
    /// The digest of the canon that counted.
    pub canon: Option<String>,
    /// Whether `kanon.toml` asked for something else.
    pub is_stale: bool,
    /// Installs, by name.
    pub installs: BTreeMap<InstallName, InstallMemory>,
    /// Sources that can't be reached.
    pub gone: BTreeSet<String>,
    /// The newest release of each mod that was told of.
    pub newest: BTreeMap<FoldedId, String>,
    /// Whether the sources were ever looked at.
    pub knows_sources: bool,
    /// The release.
    pub release: ReleaseMemory,
    /// Whether nothing can be looked at.
    pub is_stuck: bool,
}

/// What is remembered of an install.
#[derive(Debug, Clone, Default, Serialize, Deserialize)]
#[serde(default)]
pub struct InstallMemory {
    /// Whether it was ever looked at.
    pub is_known: bool,
    /// What it was off in.
    pub off: BTreeSet<String>,
    /// How often in a row it could not be looked at.
    pub failures: u32,
    /// Whether that was told.
    pub is_unreachable: bool,
    /// The alignment that was cut off.
    pub cut_off: Option<i64>,
    /// The versions of the game, its loader, and what it runs on.
    pub versions: BTreeMap<String, String>,
    /// The digest of the canon that it was held against.
    pub canon: Option<String>,
    /// What it was off in when it was last left alone by who mends by itself.
    pub left_alone: Option<BTreeSet<String>>,
    /// Whether who mends by itself waits for it to be stopped.
    pub waits_for_stop: bool,
    /// Its server.
    pub server: ServerMemory,
}

/// What is remembered of a server.
#[derive(Debug, Clone, Default, Serialize, Deserialize)]
#[serde(default)]
pub struct ServerMemory {
    /// How far its log was read.
    pub mark: Option<LogMark>,
    /// Since when it starts, in seconds since 1970.
    pub starting: Option<i64>,
    /// Whether it was told that it does not come up.
    pub is_not_up: bool,
    /// Whether it ended unexpectedly.
    pub has_ended: bool,
    /// The last that it said.
    pub said: Option<String>,
    /// The last few starts.
    pub starts: Vec<i64>,
    /// Whether it starts again and again.
    pub loops: bool,
    /// Whether it ran out of memory in this run.
    pub is_out_of_memory: bool,
    /// Whether it falls behind.
    pub is_behind: bool,
    /// When it last said so.
    pub behind_at: i64,
    /// Players who were turned away, each with why.
    pub refused: BTreeMap<PlayerName, String>,
    /// Whether there was a sign that it runs.
    pub runs: Option<bool>,
}

/// What is remembered of the release.
#[derive(Debug, Clone, Default, Serialize, Deserialize)]
#[serde(default)]
pub struct ReleaseMemory {
    /// Which of the warnings about the end of its signatures was given.
    pub warned: u8,
    /// How often in a row it could not be followed.
    pub failures: u32,
    /// Whether that was told.
    pub is_broken: bool,
}

impl WatchMemory {
    /// What was kept; nothing yet where nobody has watched.
    ///
    /// # Errors
    /// When the journal can't be read.
    pub fn read(state: &State) -> Result<Self, AppError> {
        Ok(state.kept(KEY)?.unwrap_or_default())
    }

    /// Keeps it.
    ///
    /// # Errors
    /// When the journal can't be written.
    pub fn keep(&self, state: &State) -> Result<(), AppError> {
        Ok(state.keep(KEY, self)?)
    }
}
