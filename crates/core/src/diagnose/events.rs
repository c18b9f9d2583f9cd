//! Log lines to events, by the patterns of a rulebook. Logs come from other people: lines are bounded and made printable.

use regex::{Captures, RegexSet};

use crate::finding::Code;
use crate::limits;
use crate::path::printable;
use crate::rulebook::{Event, EventRule, Role};

/// What a log line says.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct LogEvent {
    /// What it means.
    pub means: Event,
    /// Whose log it is in.
    pub side: Role,
    /// The line's number, from one.
    pub line: u64,
    /// The line, made printable.
    pub text: String,
    /// The mod it names.
    pub mod_id: Option<String>,
    /// What was expected.
    pub expected: Option<String>,
    /// What was found.
    pub found: Option<String>,
    /// The player it is about.
    pub player: Option<String>,
    /// The file it names.
    pub file: Option<String>,
}

impl LogEvent {
    /// The cause it speaks for, if it does.
    pub const fn cause(&self) -> Option<Code> {
        match self.means {
            Event::Cause(code) => Some(code),
            _ => None,
        }
    }
}

/// Reads one log, line by line.
pub struct LogReader<'r> {
    rules: Vec<&'r EventRule>,
    all: RegexSet,
    side: Role,
    line: u64,
    events: Vec<LogEvent>,
}

impl<'r> LogReader<'r> {
    /// Starts on a log of one side.
    ///
    /// # Errors
    /// When the patterns are too large together.
    pub fn new(rules: &'r [EventRule], side: Role) -> Result<Self, regex::Error> {
        let rules: Vec<&EventRule> =
            rules.iter().filter(|rule| rule.side.is_none_or(|wanted| wanted == side)).collect();
        let all = RegexSet::new(rules.iter().map(|rule| rule.line.as_str()))?;
        Ok(Self { rules, all, side, line: 0, events: Vec::new() })
    }

    /// Takes the next line, without its end. Of a long one the start is looked at.
    pub fn line(&mut self, bytes: &[u8]) {
        self.line += 1;
        if self.events.len() >= limits::LOG_EVENTS {
            return;
        }
        let text = String::from_utf8_lossy(&bytes[..bytes.len().min(limits::LOG_LINE_BYTES)]);
        let Some(rule) = self.all.matches(&text).iter().next().map(|index| self.rules[index]) else { return };
        if let Some(captures) = rule.line.captures(&text) {
            self.events.push(self.event(rule, &text, &captures));
        }
    }

    fn event(&self, rule: &EventRule, text: &str, captures: &Captures<'_>) -> LogEvent {
        let group = |name| {
            captures
                .name(name)
                .map(|found| printable(found.as_str().chars().take(limits::VALUE_CHARS).collect::<String>().trim()))
        };
        LogEvent {
            means: rule.means,
            side: self.side,
            line: self.line,
            text: printable(&text.trim_end().chars().take(500).collect::<String>()),
            mod_id: group("mod"),
            expected: group("expected"),
            found: group("found"),
            player: group("player"),
            file: group("file"),
        }
    }

    /// What was found.
    pub fn finish(self) -> Vec<LogEvent> {
        self.events
    }
}

/// The events that bear on the last join of a player, or of anybody: what was loaded before it, and what came of it.
pub fn of_last_join<'e>(events: &'e [LogEvent], player: Option<&str>) -> Vec<&'e LogEvent> {
    let of_player = |event: &LogEvent| match (player, &event.player) {
        (Some(wanted), Some(named)) => wanted.eq_ignore_ascii_case(named),
        _ => true,
    };
    let last_try = events.iter().rposition(|event| event.means == Event::JoinTried && of_player(event));
    events
        .iter()
        .enumerate()
        .filter(|(index, event)| {
            of_player(event) && (event.player.is_none() || last_try.is_none_or(|start| *index >= start))
        })
        .map(|(_, event)| event)
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn rulebook() -> crate::rulebook::Rulebook {
        let text = include_str!("../../../../demo/polarspur/polarspur.rulebook.toml");
        crate::rulebook::parse("polarspur", text).expect("a rulebook").value
    }

    fn read(log: &str) -> Vec<LogEvent> {
        let rulebook = rulebook();
        let mut reader = LogReader::new(&rulebook.events, Role::Server).expect("patterns");
        log.lines().for_each(|line| reader.line(line.as_bytes()));
        reader.finish()
    }

    const LOG: &str = "06:12 gate: open on port 4100\n06:13 gate: Mara is at the door\n06:13 gate: Mara lacks fog 1.0\n06:13 gate: turned Mara away\n\
        06:20 gate: Wren is at the door\n06:20 gate: Wren came in\n06:30 gate: Mara is at the door\n06:30 gate: Mara has tide 2.0, this station has 2.1\n";

    #[test]
    fn groups_and_lines() {
        let events = read(LOG);
        assert_eq!(events.len(), 8);
        let last = &events[7];
        assert_eq!((last.cause(), last.line), (Some(Code::VersionOther), 8));
        assert_eq!(
            (last.mod_id.as_deref(), last.found.as_deref(), last.expected.as_deref()),
            (Some("tide"), Some("2.0"), Some("2.1"))
        );
    }

    #[test]
    fn only_the_last_join_of_the_player_counts() {
        let events = read(LOG);
        let causes = |player| of_last_join(&events, player).iter().filter_map(|e| e.cause()).collect::<Vec<_>>();
        assert_eq!(causes(Some("mara")), [Code::VersionOther]);
        assert_eq!(causes(Some("Wren")), []);
        assert_eq!(causes(None), [Code::VersionOther]);
    }

    #[test]
    fn a_hostile_line_steers_no_terminal() {
        let events = read("gate: \u{1b}[2J\u{202e}Mara lacks \u{7}fog 1.0");
        assert!(!events[0].text.contains(['\u{1b}', '\u{7}', '\u{202e}']));
    }

    proptest! {
        #[test]
        fn any_bytes_are_taken_calmly(bytes in proptest::collection::vec(any::<u8>(), 0..300)) {
            let rulebook = rulebook();
            let mut reader = LogReader::new(&rulebook.events, Role::Client).expect("patterns");
            reader.line(&bytes);
            prop_assert!(reader.finish().iter().all(|event| event.text.chars().all(|c| !c.is_control())));
        }
    }
}
