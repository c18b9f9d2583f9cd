//! Patterns that a diagnosis offers for the rulebook, as TOML.

use super::hints::Hint;
use crate::logs::Source;
use crate::text::page::{Page, pattern, text};

/// A table for the rulebook that would know lines like one that was only guessed at.
pub fn proposal(hint: &Hint) -> String {
    let mut page = Page::default();
    event(
        &mut page,
        (hint.means.word(), hint.source),
        &hint.pattern.line,
        (hint.pattern.then.as_deref(), hint.pattern.between),
    );
    page.to_string()
}

/// Writes an `[[event]]`: what a line means and whose log it is in, the pattern, and what there is of entries below it.
pub fn event(page: &mut Page, (means, log): (&str, Source), line: &str, (then, between): (Option<&str>, Option<&str>)) {
    page.repeated(&["event"]);
    page.line("means", text(means));
    page.line("in", text(log.as_str()));
    page.line("line", pattern(line));
    if let Some(then) = then {
        page.line("then", pattern(then));
    }
    if let Some(between) = between.filter(|between| *between != ",") {
        page.line("between", text(between));
    }
}
