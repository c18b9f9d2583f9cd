//! Logs that nobody described: what their lines mean, as far as that can be told from themselves and from what was measured.

use std::path::Path;

use kanon_core::learn::voice::{Evening, Transcript, Voice, voice};
use kanon_core::logs::LogEvent;
use kanon_core::rulebook::{Event, EventRule, Role};
use kanon_io::logs::{ReadLog, Text, transcript};

use crate::error::AppError;

/// Reads logs, and learns what their lines mean.
///
/// # Errors
/// When a log can't be read, or there are too many names to look for.
pub fn listen(evening: Evening<'_>, files: &[(Role, &Path)]) -> Result<Heard, AppError> {
    let mut texts = Vec::new();
    for (side, file) in files {
        texts.push((*side, transcript(file)?));
    }
    let logs: Vec<Transcript<'_>> =
        texts.iter().map(|(side, Text { head, text, .. })| Transcript { side: *side, head, text }).collect();
    let voice = voice(evening, &logs).map_err(|error| AppError::TooManyNames(Box::new(error)))?;
    let ends = texts.iter().map(|(side, text)| (*side, text.ends())).collect();
    Ok(Heard { voice, ends })
}

/// What was learned from logs, and how much of them was read.
#[derive(Debug)]
pub struct Heard {
    /// What was learned.
    pub voice: Voice,
    /// How many lines of each log were read that end: the last ones.
    ends: Vec<(Role, u64)>,
}

impl Heard {
    /// What a side's log says of the last try, with the numbers that its lines have in the whole log; nothing where it tells of none.
    pub fn of_last_try(&self, side: Role, log: &ReadLog) -> Option<Vec<LogEvent>> {
        let before = log.lines_before(self.ends.iter().rev().find(|(of, _)| *of == side)?.1);
        let events = self.voice.of_last_try(side)?.iter().cloned();
        Some(events.map(|event| LogEvent { line: event.line + before, ..event }).collect())
    }
}

/// Whether rules say of any line of one side's log why a join fails.
pub fn knows_causes(rules: &[EventRule], side: Role) -> bool {
    let of_side = rules.iter().filter(|rule| rule.side.is_none_or(|own| own == side));
    of_side.into_iter().any(|rule| matches!(rule.means, Event::Cause(_) | Event::ModFailed))
}

/// Whether rules say how tries to join end, both ways.
pub fn knows_endings(rules: &[EventRule]) -> bool {
    let has = |means: Event| rules.iter().any(|rule| rule.means == means);
    has(Event::JoinAccepted) && has(Event::JoinRefused)
}
