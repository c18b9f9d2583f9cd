//! Patterns tried on the logs that they were made of: what fits other lines than it was made of is no pattern for them.

use std::collections::BTreeSet;

use super::joins::Joins;
use super::kinds::Kinds;
use super::model::{LearnedEvent, Transcript};
use crate::logs::{LogEvent, LogReader, Source};
use crate::rulebook::EventRule;

/// Keeps the patterns that know what they were made for, and in no join that went well a cause.
pub fn keep_what_holds(events: &mut Vec<LearnedEvent>, logs: &[Transcript<'_>], (kinds, joins): (&Kinds, &Joins)) {
    let well: BTreeSet<(usize, u64)> = joins
        .episodes
        .iter()
        .filter(|episode| episode.went_well == Some(true))
        .flat_map(|episode| &episode.lines)
        .map(|line| (kinds.lines[*line].log, kinds.lines[*line].number))
        .collect();
    events.retain(|event| {
        let Some(rule) = event.rule() else { return false };
        let fits: Vec<(usize, LogEvent)> =
            logs.iter().enumerate().flat_map(|(log, text)| known(&rule, log, text)).collect();
        let lines = fits.iter().filter(|(_, found)| !event.is_cause() || found.mod_id.is_some()).count();
        let is_wrong = event.is_cause() && fits.iter().any(|(log, found)| well.contains(&(*log, found.line)));
        // A list in one line is as many events as it has mods.
        let many = event.between.is_some() || event.then.is_some();
        lines > 0 && !is_wrong && (many || lines <= event.lines + event.lines / 5 + 1)
    });
}

fn known(rule: &EventRule, log: usize, text: &Transcript<'_>) -> Vec<(usize, LogEvent)> {
    if rule.side != Some(text.side) {
        return Vec::new();
    }
    let rules = std::slice::from_ref(rule);
    let mut reader = LogReader::new(rules, text.side, Source::log_of(text.side));
    for (number, line) in (1..).zip(text.text.lines()) {
        reader.line(number, line.as_bytes());
    }
    reader.finish().into_iter().map(|event| (log, event)).collect()
}
