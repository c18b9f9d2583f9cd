//! What runs, and what its logs mean.

use regex::Regex;

use super::values::{compiled, install_path};
use crate::base::finding::Code;
use crate::base::stated::Series;
use crate::rulebook::mistake::{Mend, Mistake};
use crate::rulebook::model::*;
use crate::rulebook::section::{Section, Spot};
use crate::rulebook::sides::Role;

pub(super) fn running(section: &Section<'_>) -> RunningSigns {
    let lock_files = section.texts("lock-file").into_iter().filter_map(|spot| install_path(section, spot)).collect();
    let port = section.number("port").and_then(|port| u16::try_from(port).ok());
    let processes = section.texts("process").into_iter().map(|(name, _)| name.to_owned()).collect();
    RunningSigns { lock_files, port, processes, settle: section.number("settle") }
}

/// Every word for what a line may mean.
fn event_words() -> Vec<(&'static str, Event)> {
    Event::WORDS.into_iter().chain(Code::ALL.iter().map(|code| (code.as_str(), Event::Cause(*code)))).collect()
}

pub(super) fn event(section: &Section<'_>) -> Option<EventRule> {
    let sides = [("server-log", Some(Role::Server)), ("client-log", Some(Role::Client)), ("any-log", None)];
    let means = section.required_one_of("means", &event_words());
    let side = section.one_of("in", &sides).flatten();
    let line = section.required_text("line").and_then(|spot| event_pattern(section, spot));
    let then = section.text("then").and_then(|spot| event_pattern(section, spot));
    let between = section.text("between").map_or_else(|| ",".to_owned(), |(text, _)| text.to_owned());
    Some(EventRule { means: means?, side, line: line?, then, between })
}

/// A pattern over log lines; a group that nobody understands is most likely a slip of the pen.
fn event_pattern(section: &Section<'_>, (text, span): Spot<&str>) -> Option<Regex> {
    let regex = compiled(section, (text, span.clone()))?;
    for unknown in regex.capture_names().flatten().filter(|name| !EVENT_GROUPS.contains(name)) {
        let help = Mend::nearest_or(unknown, EVENT_GROUPS, Mend::Understood(Series::of(EVENT_GROUPS)));
        section.problems().warning(span.clone(), Mistake::UnknownGroup(unknown.to_owned()), help);
    }
    Some(regex)
}

pub(super) fn message(section: &Section<'_>) -> Option<MessageRule> {
    section.require("means");
    let means = section.texts_of("means", &event_words());
    let (shown, _) = section.required_text("shown")?;
    Some(MessageRule { shown: shown.to_owned(), means })
}
