//! What there is to go by, and what it comes to: verdicts with their evidence and what each person must do.

use serde::Serialize;

use super::account::Account;
use super::advice::Advice;
use super::hints::Hint;
use crate::base::finding::Code;
use crate::base::ids::FoldedId;
use crate::base::stated::Stated;
use crate::canon::Canon;
use crate::config::Extras;
use crate::logs::{KeptOutBy, LogEvent, Source};
use crate::rulebook::{Role, Rulebook};
use crate::survey::Survey;

/// Who keeps the server.
pub const ADMINISTRATOR: &str = "administrator";

/// Who wants to join.
pub const PLAYER: &str = "player";

/// Everything there is to go by.
#[derive(Debug, Clone, Copy)]
pub struct Case<'a> {
    /// How the game arranges its mods.
    pub rulebook: &'a Rulebook,
    /// The agreed set, if there is one.
    pub canon: Option<&'a Canon>,
    /// The policy for extra mods.
    pub extras: Extras,
    /// The server, measured.
    pub server: Option<&'a Survey>,
    /// The client, measured.
    pub client: Option<&'a Survey>,
    /// What the logs say, each log in its order; and what the message says where no pattern knows it.
    pub events: &'a [LogEvent],
    /// What lines may tell that no pattern knows.
    pub hints: &'a [Hint],
    /// What the player saw.
    pub message: Option<&'a str>,
    /// The player whose join it is.
    pub player: Option<&'a str>,
    /// Whether the client is an install of the workspace, so that it can be aligned from here.
    pub client_is_here: bool,
    /// The command by which players get the release, where there is one.
    pub follow: Option<&'a str>,
    /// Whether whoever asks keeps neither side.
    pub is_guest: bool,
    /// The logs that were read, whatever stands in them.
    pub logs: &'a [Source],
}

/// What came of it, most likely first.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Diagnosis {
    /// The causes.
    pub verdicts: Vec<Verdict>,
    /// Lines that tell of a failure that no verdict explains.
    pub unexplained: Vec<Evidence>,
    /// What keeps the player out that no mod has to do with, as far as the last try tells.
    pub kept_out_by: Option<KeptOutBy>,
    /// Whether the last try that a log tells of was let in.
    pub got_in: bool,
    /// What would tell more.
    pub wanted: Vec<Wanted>,
    /// Patterns for the rulebook that would have known the lines which were only guessed at.
    pub proposals: Vec<String>,
}

/// Something that would tell more.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum Wanted {
    /// A log of a join that failed: the one in the log was let in.
    FailedJoin,
    /// A look at something that is no mod.
    Elsewhere(KeptOutBy),
    /// The player's survey.
    ClientSurvey,
    /// A survey of the server.
    ServerSurvey,
    /// The server's log.
    ServerLog,
    /// The client's log.
    ClientLog,
}

/// A cause of a failed join.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Verdict {
    /// The code of the finding that it is.
    pub cause: Code,
    /// The mod.
    #[serde(rename = "mod")]
    pub mod_id: Option<FoldedId>,
    /// The side that is to be mended; none when nothing tells.
    pub side: Option<Role>,
    /// How sure this is, from 0 to 1.
    pub confidence: f64,
    /// What speaks for it: `survey`, `server-log`, `client-log`, `message`.
    pub confirmed_by: Vec<&'static str>,
    /// The evidence itself.
    pub evidence: Vec<Evidence>,
    /// What each person must do.
    pub remedy: Vec<Remedy>,
    /// What should be, as far as it is known.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub expected: Option<Stated>,
    /// What is.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub found: Option<Stated>,
    /// Where it is, or is to be.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub path: Option<String>,
}

impl Verdict {
    /// Whether it can be gone by without looking further.
    pub fn is_sure(&self) -> bool {
        const SURE: f64 = 0.75;
        self.confidence >= SURE
    }
}

/// One piece of evidence.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Evidence {
    /// Where it comes from.
    pub source: Source,
    /// The line of the log.
    pub line: Option<u64>,
    /// The line, or the measured difference in words.
    pub text: Account,
}

impl Evidence {
    /// A line of a log.
    pub(super) fn of_line(source: Source, line: u64, text: &str) -> Self {
        Self { source, line: Some(line), text: Account::Line(text.to_owned()) }
    }

    /// What no line of a log tells, but a survey or a message.
    pub(super) const fn of_no_line(source: Source, text: Account) -> Self {
        Self { source, line: None, text }
    }
}

/// What one person must do.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Remedy {
    /// `administrator` or `player`.
    pub who: &'static str,
    /// A command, where there is one.
    pub command: Option<String>,
    /// The same in words.
    pub words: Advice,
}
