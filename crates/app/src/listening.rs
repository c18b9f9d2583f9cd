//! Logs that nobody described: what their lines mean, as far as that can be told from themselves and from what was measured.

use std::path::Path;

use kanon_core::learn::voice::{Evening, Transcript, Voice, voice};
use kanon_core::rulebook::{Event, EventRule, Role};
use kanon_io::logs::transcript;

use crate::error::AppError;

/// Reads logs, and learns what their lines mean.
///
/// # Errors
/// When a log can't be read, or there are too many names to look for.
pub fn listen(evening: Evening<'_>, files: &[(Role, &Path)]) -> Result<Voice, AppError> {
    let mut texts = Vec::new();
    for (side, file) in files {
        texts.push((*side, transcript(file)?));
    }
    let logs: Vec<Transcript<'_>> = texts.iter().map(|(side, text)| Transcript { side: *side, text }).collect();
    voice(evening, &logs).map_err(|error| AppError::TooManyNames(Box::new(error)))
}

/// Whether rules say of any line of one side's log why a join fails.
pub fn knows_causes(rules: &[EventRule], side: Role) -> bool {
    let of_side = rules.iter().filter(|rule| rule.side.is_none_or(|own| own == side));
    of_side.into_iter().any(|rule| matches!(rule.means, Event::Cause(_) | Event::ModFailed))
}
