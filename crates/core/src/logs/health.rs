//! A server's health, by its logs: how long it takes to start, how much memory it uses, where it falls behind, and which mods it names
//! when it does.

use std::collections::BTreeMap;
use std::sync::LazyLock;

use regex::Regex;
use serde::Serialize;

use crate::base::ids::FoldedId;
use crate::logs::{LogEvent, LogTime};
use crate::rulebook::{Event, EventRule};

/// Words of memory that ran out.
pub const OUT_OF_MEMORY: &[&str] = &[
    "out of memory",
    "outofmemory",
    "memory exhausted",
    "cannot allocate memory",
    "not enough memory",
    "bad_alloc",
    "heap space",
];

/// The first field of every report.
pub const FORMAT: &str = "kanon-health/1";
/// The parts that the time of a log is divided into.
const PARTS: usize = 48;
/// Moments that are kept of a log, to be spread over its time.
const MOMENTS: usize = 500_000;

/// What logs tell of a server.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Health {
    /// `kanon-health/1`.
    pub format: &'static str,
    /// Each start, in order.
    pub starts: Vec<Start>,
    /// The most memory that was told, in bytes, or in hundredths of what there is.
    pub memory: Option<Memory>,
    /// How many lines tell that memory ran out.
    pub out_of_memory: u64,
    /// How many lines tell that it fell behind.
    pub lag_lines: u64,
    /// The longest time that such a line tells, in seconds.
    pub worst_lag: Option<f64>,
    /// How many lines tell that it ended unexpectedly.
    pub crashes: u64,
    /// How often it began anew within minutes of the start before, at most in a row: it crashes, and something starts it again.
    pub restarts_in_a_row: usize,
    /// The mods that are named when it falls behind, runs out of memory or ends, the most named first.
    pub mods: Vec<NamedMod>,
    /// Where in time it fell behind.
    pub over_time: Vec<Part>,
    /// Whether everyday words had to do, since the rulebook has no pattern for falling behind.
    pub by_everyday_words: bool,
}

/// One start.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Start {
    /// The day on which it began, where the log tells dates.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub day: Option<String>,
    /// When it began, as the time of day.
    pub at: Option<String>,
    /// Seconds until it said that it is up.
    pub seconds: Option<f64>,
    /// Seconds until it had done loading, where it went on after that.
    pub settled: Option<f64>,
    /// How many mods it said it loaded.
    pub mods: u64,
    /// Whether it ever came up.
    pub came_up: bool,
}

/// How much memory was used.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
pub struct Memory {
    /// The first amount that was told.
    pub first: f64,
    /// The last one.
    pub last: f64,
    /// The most.
    pub most: f64,
    /// Whether these are hundredths; bytes otherwise.
    pub percent: bool,
}

/// A mod that is named when something is wrong.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct NamedMod {
    /// Its id.
    pub id: String,
    /// By so many lines.
    pub lines: u64,
    /// The seconds that those lines tell, together: what it cost.
    pub seconds: Option<f64>,
}

/// A part of the time that logs tell of.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Part {
    /// When it begins, as the time of day.
    pub from: String,
    /// How many lines tell that it fell behind.
    pub lag_lines: u64,
}

/// So many restarts in a row are no accident.
pub const LOOP: usize = 3;

impl Health {
    /// Whether nothing speaks against it.
    pub fn is_good(&self) -> bool {
        self.out_of_memory == 0
            && self.lag_lines == 0
            && self.crashes == 0
            && self.restarts_in_a_row < LOOP
            && self.starts.iter().all(|start| start.came_up)
    }
}

/// Patterns of everyday words for falling behind and for memory, for rulebooks that have none.
pub fn everyday_rules(rules: &[EventRule]) -> Vec<EventRule> {
    const AMOUNT: &str = r"(?:.*?(?<amount>\d+(?:[.,]\d+)?\s*(?:ms|milliseconds?|s|sec|seconds?)\b))?";
    let lag = r"(?i)(?:can'?t keep up|cannot keep up|overloaded|(?:running|falling|fell|is) behind|\blagg?(?:ing|ed|s)?\b|took too long|\bstall(?:ed|ing|s)?\b|\bhitch|slow tick|tick took|low (?:fps|tps))";
    let memory = format!("(?i)(?:{})", OUT_OF_MEMORY.join("|"));
    let rule = |means: Event, pattern: String| {
        let line = Regex::new(&pattern).expect("a pattern that is written here");
        EventRule { means, side: None, line, then: None, between: ",".to_owned() }
    };
    let lacks = |means: Event| !rules.iter().any(|rule| rule.means == means);
    let lag = lacks(Event::Lag).then(|| rule(Event::Lag, format!("{lag}{AMOUNT}")));
    let memory = lacks(Event::OutOfMemory).then(|| rule(Event::OutOfMemory, memory));
    lag.into_iter().chain(memory).collect()
}

/// Takes events one after the other, however many.
#[derive(Debug, Default)]
pub struct Recorder {
    starts: Vec<Open>,
    memory: Option<Memory>,
    counts: BTreeMap<Event, u64>,
    worst: Option<f64>,
    mods: BTreeMap<String, (u64, f64)>,
    moments: Vec<LogTime>,
    first: Option<LogTime>,
    last: Option<LogTime>,
}

/// A start that is being followed.
#[derive(Debug, Default)]
struct Open {
    from: Option<LogTime>,
    ready: Option<LogTime>,
    settled: Option<LogTime>,
    is_up: bool,
    mods: u64,
}

impl Recorder {
    /// Takes a line that was written at some time, whatever it says: it tells when the log begins and ends.
    pub fn time(&mut self, stamp: Option<LogTime>) {
        self.first = self.first.or(stamp);
        self.last = stamp.or(self.last);
    }

    /// Takes an event, with the mods that its line names.
    pub fn event(&mut self, event: &LogEvent, named: &[&str]) {
        self.time(event.stamp());
        match event.means {
            Event::Starting => self.starts.push(Open { from: event.stamp(), ..Open::default() }),
            Event::ModLoaded | Event::ModFailed | Event::StillLoading => self.loading(event),
            Event::Ready => {
                let first = self.first;
                let open = self.open(first);
                (open.ready, open.is_up) = (event.stamp().or(open.ready), true);
            }
            Event::MemoryUsed => self.memory_used(event),
            Event::Lag | Event::OutOfMemory | Event::Crash => self.trouble(event, named),
            _ => {}
        }
    }

    /// The start that is going on; one begins where none has been, or where the last one had come up.
    fn open(&mut self, from: Option<LogTime>) -> &mut Open {
        if self.starts.is_empty() {
            self.starts.push(Open { from, ..Open::default() });
        }
        let last = self.starts.len() - 1;
        &mut self.starts[last]
    }

    fn loading(&mut self, event: &LogEvent) {
        let first = self.first;
        let open = self.open(first);
        if open.is_up {
            open.settled = event.stamp().or(open.settled);
        }
        if event.means == Event::ModLoaded {
            open.mods += 1;
        }
    }

    fn memory_used(&mut self, event: &LogEvent) {
        let Some((amount, percent)) = event.amount.as_deref().and_then(memory_amount) else { return };
        let known = self.memory.get_or_insert(Memory { first: amount, last: amount, most: amount, percent });
        if known.percent == percent {
            known.last = amount;
            known.most = known.most.max(amount);
        }
    }

    fn trouble(&mut self, event: &LogEvent, named: &[&str]) {
        *self.counts.entry(event.means).or_default() += 1;
        let own = event.mod_id.as_ref().map(FoldedId::as_str);
        let cost = event.amount.as_deref().filter(|_| event.means == Event::Lag).and_then(seconds).unwrap_or(0.0);
        for id in own.into_iter().chain(named.iter().copied().filter(|id| Some(*id) != own)) {
            let known = self.mods.entry(id.to_owned()).or_default();
            *known = (known.0 + 1, known.1 + cost);
        }
        if event.means == Event::Lag {
            let seconds = event.amount.as_deref().and_then(seconds);
            self.worst = match (self.worst, seconds) {
                (Some(worst), Some(seconds)) => Some(worst.max(seconds)),
                (worst, seconds) => worst.or(seconds),
            };
            self.moments.extend(event.stamp().filter(|_| self.moments.len() < MOMENTS));
        }
    }

    /// What it all came to.
    pub fn finish(self, by_everyday_words: bool) -> Health {
        let count = |means: Event| self.counts.get(&means).copied().unwrap_or(0);
        let mut mods: Vec<NamedMod> = self
            .mods
            .iter()
            .map(|(id, (lines, seconds))| NamedMod {
                id: id.clone(),
                lines: *lines,
                seconds: Some((seconds * 1e3).round() / 1e3).filter(|seconds| *seconds > 0.0),
            })
            .collect();
        let cost = |named: &NamedMod| named.seconds.unwrap_or(0.0);
        mods.sort_by(|a, b| {
            cost(b).total_cmp(&cost(a)).then_with(|| b.lines.cmp(&a.lines)).then_with(|| a.id.cmp(&b.id))
        });
        let start = |open: &Open| {
            let since =
                |stamp: Option<LogTime>| Some(stamp?.seconds_since(open.from?)).filter(|seconds| *seconds >= 0.0);
            Start {
                day: open.from.and_then(LogTime::date),
                at: open.from.map(LogTime::clock),
                seconds: since(open.ready),
                settled: since(open.settled),
                mods: open.mods,
                came_up: open.is_up,
            }
        };
        Health {
            format: FORMAT,
            starts: self.starts.iter().map(start).collect(),
            memory: self.memory,
            out_of_memory: count(Event::OutOfMemory),
            lag_lines: count(Event::Lag),
            worst_lag: self.worst,
            crashes: count(Event::Crash),
            restarts_in_a_row: restarts_in_a_row(&self.starts),
            mods,
            over_time: over_time((self.first, self.last), &self.moments),
            by_everyday_words,
        }
    }
}

/// Starts that follow each other within so many seconds are one trouble.
const SOON: f64 = 600.0;

fn restarts_in_a_row(starts: &[Open]) -> usize {
    let (mut most, mut row) = (0, 0);
    for two in starts.windows(2) {
        let gap = two[0].from.zip(two[1].from).map(|(before, after)| after.seconds_since(before));
        row = if gap.is_some_and(|gap| (0.0..SOON).contains(&gap)) { row + 1 } else { 0 };
        most = most.max(row);
    }
    most
}

fn over_time((first, last): (Option<LogTime>, Option<LogTime>), moments: &[LogTime]) -> Vec<Part> {
    let (Some(first), Some(last)) = (first, last) else { return Vec::new() };
    let whole = last.seconds_since(first);
    if whole <= 0.0 || moments.is_empty() {
        return Vec::new();
    }
    let part = whole / PARTS as f64;
    let mut parts = vec![0; PARTS];
    for moment in moments {
        let at = (moment.seconds_since(first) / part).max(0.0) as usize;
        parts[at.min(PARTS - 1)] += 1;
    }
    let from = |at: usize| LogTime { second: (first.second + part * at as f64) % 86_400.0, ..first }.clock();
    parts.into_iter().enumerate().map(|(at, lag_lines)| Part { from: from(at), lag_lines }).collect()
}

static AMOUNT: LazyLock<Regex> = LazyLock::new(|| {
    Regex::new(r"(?<number>\d+(?:[.,]\d+)?)\s*(?<unit>%|[A-Za-z]*)").expect("a pattern that is written here")
});

fn amount(text: &str) -> Option<(f64, String)> {
    let found = AMOUNT.captures(text)?;
    Some((found["number"].replace(',', ".").parse().ok()?, found["unit"].to_lowercase()))
}

/// A time, in seconds; without a unit, milliseconds, as most games tell it.
fn seconds(text: &str) -> Option<f64> {
    let (number, unit) = amount(text)?;
    Some(match unit.as_str() {
        "s" | "sec" | "secs" | "second" | "seconds" => number,
        "m" | "min" | "minutes" => number * 60.0,
        "us" => number / 1e6,
        _ => number / 1e3,
    })
}

/// An amount of memory, in bytes or in hundredths; without a unit, MiB, as most games tell it.
fn memory_amount(text: &str) -> Option<(f64, bool)> {
    let (number, unit) = amount(text)?;
    Some(match unit.as_str() {
        "%" | "percent" => (number, true),
        "b" | "bytes" => (number, false),
        "k" | "kb" | "kib" => (number * 1024.0, false),
        "g" | "gb" | "gib" => (number * 1024.0 * 1024.0 * 1024.0, false),
        _ => (number * 1024.0 * 1024.0, false),
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::logs::{LogReader, Source};
    use crate::rulebook::Role;

    const RULES: &str = r#"[[event]]
means = "starting"
line = 'boot'
[[event]]
means = "mod-loaded"
line = 'woke (?<mod>\S+)'
[[event]]
means = "ready"
line = 'open on'
[[event]]
means = "memory-used"
line = 'uses (?<amount>\S+ ?\S*)'
[[event]]
means = "crash"
line = 'gave up'
"#;

    fn health(log: &str) -> Health {
        let mut rules = crate::rulebook::of_logs(RULES).events;
        let everyday = everyday_rules(&rules);
        rules.extend(everyday);
        let mut reader = LogReader::new(&rules, Role::Server, Source::ServerLog);
        let mut recorder = Recorder::default();
        for (at, line) in log.lines().enumerate() {
            recorder.time(LogTime::of(line));
            reader.line(at as u64 + 1, line.as_bytes());
            reader.take().iter().for_each(|event| recorder.event(event, &[]));
        }
        recorder.finish(true)
    }

    #[test]
    fn two_starts_memory_and_lag() {
        let log = "23:59:50 boot\n23:59:55 woke fog\n00:00:20 open on 1\n00:00:25 woke tide\n00:10:00 uses 512 MiB\n\
            00:30:00 can't keep up! 2400 ms behind\n00:31:00 tick took 0.9 s\n01:00:00 uses 1 GiB\n01:10:00 boot\n01:10:05 out of memory\n01:10:06 gave up\n";
        let health = health(log);
        let starts: Vec<_> = health.starts.iter().map(|s| (s.seconds, s.settled, s.mods, s.came_up)).collect();
        assert_eq!(starts, [(Some(30.0), Some(35.0), 2, true), (None, None, 0, false)]);
        assert_eq!(
            health.memory,
            Some(Memory { first: 536_870_912.0, last: 1_073_741_824.0, most: 1_073_741_824.0, percent: false })
        );
        assert_eq!((health.lag_lines, health.worst_lag, health.out_of_memory, health.crashes), (2, Some(2.4), 1, 1));
        let busy: Vec<&str> =
            health.over_time.iter().filter(|part| part.lag_lines > 0).map(|part| part.from.as_str()).collect();
        assert_eq!((health.over_time.len(), busy.len(), health.is_good()), (48, 2, false), "{busy:?}");
    }

    #[test]
    fn what_mods_cost_and_a_server_that_is_started_again_and_again() {
        let log = "06:00:00 boot\n06:01:00 boot\n06:02:00 boot\n06:03:00 boot\n06:03:20 open on 1\n\
            06:10:00 running behind by 400 ms, reed\n06:11:00 running behind by 1200 ms, weir\n06:12:00 running behind by 300 ms, reed\n";
        let mut rules = crate::rulebook::of_logs(RULES).events;
        let everyday = everyday_rules(&rules);
        rules.extend(everyday);
        let mut reader = LogReader::new(&rules, Role::Server, Source::ServerLog);
        let mut recorder = Recorder::default();
        for (number, line) in (1..).zip(log.lines()) {
            reader.line(number, line.as_bytes());
        }
        for event in reader.finish() {
            let named: Vec<&str> = ["reed", "weir"].into_iter().filter(|id| event.text.contains(id)).collect();
            recorder.event(&event, &named);
        }
        let health = recorder.finish(true);
        assert_eq!(health.restarts_in_a_row, 3);
        assert!(!health.is_good());
        let mods: Vec<(&str, u64, Option<f64>)> =
            health.mods.iter().map(|named| (named.id.as_str(), named.lines, named.seconds)).collect();
        assert_eq!(mods, [("weir", 1, Some(1.2)), ("reed", 2, Some(0.7))], "what cost most comes first");
    }

    #[test]
    fn a_quiet_log_is_good() {
        let health = health("06:00:00 boot\n06:00:10 open on 1\n07:00:00 all well\n");
        assert!(health.is_good() && health.over_time.is_empty(), "{health:?}");
        assert_eq!(health.starts[0].at.as_deref(), Some("06:00:00"));
    }
}
