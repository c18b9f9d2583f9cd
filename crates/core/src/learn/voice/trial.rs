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
        let (mut lines, mut is_wrong) = (0, false);
        for (log, text) in logs.iter().enumerate() {
            each_known(&rule, text, &mut |found| {
                lines += usize::from(!event.is_cause() || found.mod_id.is_some());
                is_wrong |= event.is_cause() && well.contains(&(log, found.line));
            });
        }
        // A list in one line is as many events as it has mods.
        let many = event.between.is_some() || event.then.is_some();
        lines > 0 && !is_wrong && (many || lines <= event.lines + event.lines / 5 + 1)
    });
}

/// Tells of each line that a rule knows. They are not kept: a log may have very many.
fn each_known(rule: &EventRule, text: &Transcript<'_>, tell: &mut dyn FnMut(&LogEvent)) {
    if rule.side != Some(text.side) {
        return;
    }
    let rules = std::slice::from_ref(rule);
    let mut reader = LogReader::new(rules, text.side, Source::log_of(text.side));
    for (number, line) in (1..).zip(text.text.lines()) {
        reader.line(number, line.as_bytes());
        reader.take().iter().for_each(&mut *tell);
    }
    reader.finish().iter().for_each(tell);
}
