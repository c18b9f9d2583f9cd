//! Log lines to events, by the patterns of a rulebook. Logs come from other people: lines are bounded and made printable.

use std::collections::VecDeque;
use std::sync::LazyLock;

use regex::{Captures, Regex};
use regex_automata::Input;
use regex_automata::meta::{self, BuildError};
use regex_automata::nfa::thompson::WhichCaptures;
use regex_automata::util::syntax;

use super::event::{LogEvent, Source};
use super::index::Index;
use super::pattern::VERSION_OF;
use crate::base::ids::FoldedId;
use crate::base::limits;
use crate::base::names::PlayerName;
use crate::base::path::printable;
use crate::rulebook::{EventRule, Role};

/// Finds the lines of a log that its patterns know, in any stretch of whole lines. It keeps nothing, so that stretches can be scanned
/// side by side.
#[derive(Debug, Clone)]
pub struct Scanner {
    patterns: Vec<Regex>,
    index: Index,
    /// Patterns that always say nothing in particular are looked for all at once.
    loose: Option<meta::Regex>,
}

impl Scanner {
    /// A scanner for the log of one side.
    ///
    /// # Errors
    /// When the patterns are too large together.
    pub fn new(rules: &[EventRule], side: Role) -> Result<Self, Box<BuildError>> {
        let patterns: Vec<Regex> = of_side(rules, side).flat_map(patterns).cloned().collect();
        let index = Index::new(&patterns.iter().collect::<Vec<_>>());
        let loose: Vec<&str> = index.loose().iter().map(|place| patterns[*place].as_str()).collect();
        let config = meta::Config::new()
            .which_captures(WhichCaptures::Implicit)
            .utf8_empty(false)
            .nfa_size_limit(Some(64 << 20))
            .hybrid_cache_capacity(8 << 20);
        let syntax = syntax::Config::new().multi_line(true).crlf(true).utf8(false);
        let loose = match loose.is_empty() {
            true => None,
            false => Some(meta::Builder::new().configure(config).syntax(syntax).build_many(&loose)?),
        };
        Ok(Self { patterns, index, loose })
    }

    /// Whether it knows no line at all.
    pub const fn is_empty(&self) -> bool {
        self.patterns.is_empty()
    }

    /// Hands on the places of the lines that are known, in their order.
    pub fn scan(&self, text: &[u8], mut take: impl FnMut(std::ops::Range<usize>)) {
        let (mut by_literal, mut by_pattern) = (self.next_literal(text, 0), self.next_loose(text, 0));
        loop {
            let line = match (&by_literal, &by_pattern) {
                (None, None) => return,
                (Some(line), None) | (None, Some(line)) => line.clone(),
                (Some(a), Some(b)) => {
                    if a.start <= b.start {
                        a.clone()
                    } else {
                        b.clone()
                    }
                }
            };
            if self.knows(&text[line.clone()]) {
                take(line.clone());
            }
            let from = line.end + 1;
            if by_literal.as_ref().is_some_and(|found| found.start < from) {
                by_literal = self.next_literal(text, from);
            }
            if by_pattern.as_ref().is_some_and(|found| found.start < from) {
                by_pattern = self.next_loose(text, from);
            }
        }
    }

    /// The next line that has a literal of some pattern.
    fn next_literal(&self, text: &[u8], from: usize) -> Option<std::ops::Range<usize>> {
        let end = if from < text.len() { self.index.next_literal(text, from)? } else { return None };
        Some(line_around(text, from, end))
    }

    /// The next line in which a pattern without a literal may fit.
    fn next_loose(&self, text: &[u8], from: usize) -> Option<std::ops::Range<usize>> {
        let loose = self.loose.as_ref().filter(|_| from < text.len())?;
        // Where a match ends is all that is asked: that costs half of finding where it begins.
        let found = loose.search_half(&Input::new(text).range(from..).earliest(true))?;
        Some(line_around(text, from, found.offset()))
    }

    fn knows(&self, line: &[u8]) -> bool {
        let text = String::from_utf8_lossy(&line[..line.len().min(limits::LOG_LINE_BYTES)]);
        let text = text.trim_end_matches('\r');
        self.index.worth_trying(line).into_iter().any(|place| self.patterns[place].is_match(text))
    }
}

/// The line, from a place on, in which something ends.
fn line_around(text: &[u8], from: usize, end: usize) -> std::ops::Range<usize> {
    let at = end.max(from + 1) - 1;
    let start = memchr::memrchr(b'\n', &text[from..at]).map_or(from, |found| from + found + 1);
    let end = memchr::memchr(b'\n', &text[at..]).map_or(text.len(), |found| at + found);
    start..end
}

fn of_side(rules: &[EventRule], side: Role) -> impl Iterator<Item = &EventRule> {
    rules.iter().filter(move |rule| rule.side.is_none_or(|wanted| wanted == side))
}

fn patterns(rule: &EventRule) -> impl Iterator<Item = &Regex> {
    std::iter::once(&rule.line).chain(&rule.then)
}

/// Makes events of the lines of one log that are known, in their order.
pub struct LogReader<'r> {
    rules: Vec<&'r EventRule>,
    index: Index,
    source: Source,
    /// An event whose list of mods may go on in the line with this number.
    open: Option<(u64, usize, LogEvent)>,
    events: VecDeque<LogEvent>,
}

impl<'r> LogReader<'r> {
    /// Starts on a log of one side, or on a message that is read like one.
    pub fn new(rules: &'r [EventRule], side: Role, source: Source) -> Self {
        let rules: Vec<&EventRule> = of_side(rules, side).collect();
        let index = Index::new(&rules.iter().map(|rule| &rule.line).collect::<Vec<_>>());
        Self { rules, index, source, open: None, events: VecDeque::new() }
    }

    /// Takes a line, without its end, and its number from one. Of a long one the start is looked at; of very many events the last
    /// ones are kept.
    pub fn line(&mut self, number: u64, bytes: &[u8]) {
        let text = String::from_utf8_lossy(&bytes[..bytes.len().min(limits::LOG_LINE_BYTES)]);
        let text = text.trim_end_matches(['\r', '\n']);
        if self.goes_on(number, text) {
            return;
        }
        self.open = None;
        let worth = self.index.worth_trying(text.as_bytes());
        let fits = |place: usize| self.rules[place].line.captures(text).map(|captures| (place, captures));
        let Some((place, captures)) = worth.into_iter().find_map(fits) else { return };
        let rule = self.rules[place];
        let event = self.event(rule, (number, text), &captures);
        let mods = captures.name("mods").map(|mods| mods.as_str().to_owned());
        if rule.then.is_some() {
            self.open = Some((number + 1, place, event.clone()));
        }
        match mods {
            Some(mods) => {
                for named in mods
                    .split(rule.between.as_str())
                    .map(|named| without_version(named.trim()))
                    .filter(|named| !named.is_empty())
                    .take(limits::LIST_ENTRIES)
                {
                    self.push(LogEvent { mod_id: Some(value(named).into()), ..event.clone() });
                }
            }
            None => self.push(event),
        }
    }

    /// Whether a line is the next one below a header: then it is an event of the same meaning.
    fn goes_on(&mut self, number: u64, text: &str) -> bool {
        let Some((expected, place, header)) = self.open.take() else { return false };
        let rule = self.rules[place];
        let captures = rule.then.as_ref().filter(|_| expected == number).and_then(|then| then.captures(text));
        let Some(captures) = captures else { return false };
        let own = self.event(rule, (number, text), &captures);
        let event = LogEvent {
            mod_id: own.mod_id.or(header.mod_id.clone()),
            expected: own.expected.or(header.expected.clone()),
            found: own.found.or(header.found.clone()),
            player: own.player.or(header.player.clone()),
            file: own.file.or(header.file.clone()),
            key: own.key.or(header.key.clone()),
            amount: own.amount.or(header.amount.clone()),
            ..own
        };
        // The header alone says less than what stands below it.
        if self.events.back() == Some(&header) && event.names().next().is_some() {
            self.events.pop_back();
        }
        if event.names().next().is_some() {
            self.push(event);
        }
        self.open = Some((number + 1, place, header));
        true
    }

    fn push(&mut self, event: LogEvent) {
        if self.events.len() >= limits::LOG_EVENTS {
            self.events.pop_front();
        }
        self.events.push_back(event);
    }

    fn event(&self, rule: &EventRule, (line, text): (u64, &str), captures: &Captures<'_>) -> LogEvent {
        let group = |name| captures.name(name).map(|found| value(found.as_str())).filter(|found| !found.is_empty());
        LogEvent {
            is_guess: false,
            means: rule.means,
            source: self.source,
            line,
            text: shown(text),
            mod_id: group("mod").map(FoldedId::from),
            expected: group("expected"),
            found: group("found"),
            player: group("player").map(PlayerName::from),
            file: group("file"),
            key: group("key"),
            amount: group("amount"),
            kept_out: None,
        }
    }

    /// What was found since this was asked the last time.
    pub fn take(&mut self) -> Vec<LogEvent> {
        self.events.drain(..).collect()
    }

    /// What was found.
    pub fn finish(self) -> Vec<LogEvent> {
        self.events.into()
    }
}

/// A value out of a line: printable, bounded, without what stands around it.
fn value(text: &str) -> String {
    let text: String = text.chars().take(limits::VALUE_CHARS).collect();
    printable(text.trim().trim_matches(['\'', '"', '`'])).to_owned()
}

/// A line as it is told.
pub fn shown(text: &str) -> String {
    printable(&text.trim_end().chars().take(500).collect::<String>())
}

/// An item of a list without the version behind its name.
fn without_version(item: &str) -> &str {
    static BEHIND: LazyLock<Regex> = LazyLock::new(|| {
        let behind = format!("(?:{VERSION_OF})$");
        Regex::new(&behind).expect("a pattern that is written here")
    });
    BEHIND.find(item).filter(|version| version.start() > 0).map_or(item, |version| &item[..version.start()])
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::base::finding::Code;
    use crate::rulebook::{Rulebook, of_logs};
    use proptest::prelude::*;

    fn polarspur() -> Rulebook {
        let text = include_str!("../../../../demo/polarspur/polarspur.rulebook.toml");
        crate::rulebook::parse("polarspur", text).expect("a rulebook").value
    }

    fn read(rulebook: &Rulebook, side: Role, log: &str) -> Vec<LogEvent> {
        let scanner = Scanner::new(&rulebook.events, side).expect("patterns");
        let mut reader = LogReader::new(&rulebook.events, side, Source::log_of(side));
        scanner.scan(log.as_bytes(), |line| {
            let number = log[..line.start].matches('\n').count() as u64 + 1;
            reader.line(number, &log.as_bytes()[line]);
        });
        reader.finish()
    }

    #[test]
    fn groups_and_lines() {
        let log = "boot\n06:13:00 gate: Mara is at the door\r\n06:13:01 gate: Mara has tide 2.0, this station has 2.1\nchatter";
        let events = read(&polarspur(), Role::Server, log);
        let last = &events[1];
        assert_eq!((events.len(), last.cause(), last.line), (2, Some(Code::VersionOther), 3));
        let id = last.mod_id.clone().map(String::from);
        let groups = [id.as_deref(), last.found.as_deref(), last.expected.as_deref(), last.player.as_deref()];
        assert_eq!(groups, [Some("tide"), Some("2.0"), Some("2.1"), Some("Mara")]);
        assert_eq!(last.stamp().map(|stamp| stamp.second), Some(22_381.0));
        assert!(read(&polarspur(), Role::Client, log).is_empty(), "that is what servers say");
    }

    const LIST: &str = r#"
[[event]]
means = "mod-missing"
line  = '(?<player>\S+) lacks these:'
then  = '^\s+- (?<mod>\S+)(?: (?<expected>\S+))?'
[[event]]
means = "mod-extra"
line  = 'too many: (?<mods>.+)'
between = ";"
"#;

    #[test]
    fn a_header_and_its_list_and_a_list_in_a_line() {
        let log = "Mara lacks these:\n  - fog 1.0\n  - tide\nwell\n  - no more of it\ntoo many: a; b ;\nMara lacks these:\nnothing";
        let told: Vec<_> = read(&of_logs(LIST), Role::Client, log)
            .into_iter()
            .map(|event| (event.line, event.mod_id.map(String::from), event.expected, event.player.map(String::from)))
            .collect();
        let s = |text: &str| Some(text.to_owned());
        assert_eq!(
            told,
            [
                (2, s("fog"), s("1.0"), s("Mara")),
                (3, s("tide"), None, s("Mara")),
                (6, s("a"), None, None),
                (6, s("b"), None, None),
                (7, None, None, s("Mara")),
            ]
        );
    }

    #[test]
    fn a_pattern_that_could_reach_over_lines_stays_in_its_own() {
        let events = read(
            &of_logs("[[event]]\nmeans = \"crash\"\nline = 'stopped\\s+(?<mod>\\w+)'\n"),
            Role::Server,
            "stopped\nfog\nstopped fog",
        );
        assert_eq!(events.iter().map(|event| event.line).collect::<Vec<_>>(), [3]);
    }

    #[test]
    fn a_hostile_line_steers_no_terminal() {
        let events = read(&polarspur(), Role::Server, "gate: \u{1b}[2J\u{202e}Mara lacks \u{7}fog 1.0");
        assert!(!events[0].text.contains(['\u{1b}', '\u{7}', '\u{202e}']));
    }

    proptest! {
        #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::default() })]

        #[test]
        fn any_bytes_are_taken_calmly(bytes in proptest::collection::vec(any::<u8>(), 0..300)) {
            let rulebook = polarspur();
            let scanner = Scanner::new(&rulebook.events, Role::Client).expect("patterns");
            let mut reader = LogReader::new(&rulebook.events, Role::Client, Source::ClientLog);
            scanner.scan(&bytes, |line| assert!(line.end <= bytes.len()));
            reader.line(1, &bytes);
            prop_assert!(reader.finish().iter().all(|event| event.text.chars().all(|c| !c.is_control())));
        }

        /// What the one search finds is just what the patterns find line by line.
        #[test]
        fn scanning_finds_the_lines_that_patterns_know(lines in proptest::collection::vec("(gate: a lacks b 1|gate: open on port 4|x{0,3}|mods: a is here twice)", 0..12)) {
            let rulebook = polarspur();
            let log = lines.join("\n");
            let scanner = Scanner::new(&rulebook.events, Role::Server).expect("patterns");
            let mut found = Vec::new();
            scanner.scan(log.as_bytes(), |line| found.push(log[line].to_owned()));
            let known = |line: &&String| rulebook.events.iter().any(|rule| rule.line.is_match(line));
            prop_assert_eq!(found, lines.iter().filter(known).cloned().collect::<Vec<_>>());
        }
    }
}
