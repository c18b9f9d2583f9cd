//! Hypotheses and their evidence. What was measured outranks what a text says; two independent faults give two verdicts.
//!
//! Each measured difference is a hypothesis, and so is each cause that a log or a message names and no difference accounts
//! for. A hypothesis begins with the log-odds of what it rests on, and every independent piece of evidence adds to them (Good,
//! "Probability and the Weighing of Evidence", 1950). The weights stand below; docs/diagnosis.md tells how they were tried.

use std::collections::BTreeMap;

use serde::Serialize;

use super::attempt::{Join, of_last_join};
use super::event::{LogEvent, Source, family};
use super::hints::{Hint, Needles};
use super::likeness::{Likened, likened};
use super::measured::{Measured, differences};
use super::words;
use crate::canon::Canon;
use crate::finding::{Code, Finding, Severity};
use crate::limits;
use crate::rulebook::{Event, Role, Rulebook};
use crate::survey::{Survey, SurveyedMod};
use crate::wish::Extras;

/// The first field of every diagnosis.
pub const FORMAT: &str = "kanon-diagnosis/1";

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
    /// What the logs say, each log in its order.
    pub events: &'a [LogEvent],
    /// What lines may tell that no pattern knows.
    pub hints: &'a [Hint],
    /// What the player saw.
    pub message: Option<&'a str>,
    /// The player whose join it is.
    pub player: Option<&'a str>,
    /// Whether the client is an install of the workspace, so that it can be aligned from here.
    pub client_is_here: bool,
    /// Whether players follow a release.
    pub is_released: bool,
}

/// What came of it, most likely first.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Diagnosis {
    /// `kanon-diagnosis/1`.
    pub format: &'static str,
    /// The causes.
    pub verdicts: Vec<Verdict>,
    /// Lines that tell of a failure that no verdict explains.
    pub unexplained: Vec<Evidence>,
    /// What would tell more, in words.
    pub next: Vec<String>,
    /// Patterns for the rulebook that would have known the lines which were only guessed at.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub proposals: Vec<String>,
}

/// A cause of a failed join.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Verdict {
    /// The code of the finding that it is.
    pub cause: Code,
    /// The mod.
    #[serde(rename = "mod")]
    pub mod_id: Option<String>,
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
}

/// One piece of evidence.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Evidence {
    /// `survey`, `server-log`, `client-log` or `message`.
    pub source: &'static str,
    /// The line of the log.
    pub line: Option<u64>,
    /// The line, or the measured difference in words.
    pub text: String,
}

/// What one person must do.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Remedy {
    /// `administrator` or `player`.
    pub who: &'static str,
    /// A command, where there is one.
    pub command: Option<String>,
    /// The same in words.
    pub words: String,
}

// Log-odds. A blocking difference that was measured, a risky one, and a risky one beside a blocking one.
const BLOCKING: f64 = 2.0;
const RISKY: f64 = -0.4;
const RISKY_BESIDE: f64 = -1.6;
// A line that names the same thing and such a cause, the same thing alone, such a cause alone, such a cause among several.
const SAME_CAUSE: f64 = 1.5;
const SAME_THING: f64 = 0.6;
const ONLY_ONE_SUCH: f64 = 1.3;
const ONE_OF_SUCH: f64 = 0.4;
// What a line alone tells: a cause and a mod, a cause, that something is wrong with a mod.
const TOLD_WITH_MOD: f64 = 1.2;
const TOLD: f64 = 0.8;
const TOLD_VAGUELY: f64 = 0.2;
// The other log tells it too; the other side was measured and is in line; a survey speaks against it.
const TOLD_TWICE: f64 = 0.6;
const OTHER_IN_LINE: f64 = 0.2;
const SPOKEN_AGAINST: f64 = -2.4;
// The line is of a side that never came up; it is of a join, and the client did not get so far the last time.
const NEVER_UP: f64 = 0.5;
const OF_BEFORE: f64 = -0.7;
// Words near a name, and each further line of the kind.
const HINTED: f64 = -0.3;
const HINTED_AGAIN: f64 = 0.2;
// The last hint of all is of the last try; the first may be of any.
const HINTED_LAST: f64 = 0.3;
// A message that is shown for such a cause, wholly alike; and as the only thing there is, its first meaning and each later one.
const MESSAGE: f64 = 0.8;
const MESSAGE_ALONE: f64 = -0.6;
const MESSAGE_NEXT: f64 = -0.5;
/// Without a measurement nobody is surer than this.
const MOST_UNMEASURED: f64 = 0.89;
/// A refusal is explained by a verdict that is surer than this.
const EXPLAINS: f64 = 0.3;

/// A cause that may be it.
struct Hypothesis<'a> {
    cause: Code,
    mod_id: Option<String>,
    side: Option<Role>,
    odds: f64,
    by: Vec<Source>,
    evidence: Vec<Evidence>,
    measured: Option<Measured<'a>>,
    told: Option<&'a LogEvent>,
    /// What each source has added.
    weights: BTreeMap<Source, f64>,
}

/// Weighs everything there is.
pub fn weigh(case: Case<'_>) -> Diagnosis {
    let message_events = message_events(&case);
    let player = player(&case);
    let of = |source: Source| {
        let events: Vec<LogEvent> = case.events.iter().filter(|event| event.source == source).cloned().collect();
        events
    };
    let (server_log, client_log) = (of(Source::ServerLog), of(Source::ClientLog));
    let server_join = of_last_join(&server_log, player.as_deref());
    let client_join = of_last_join(&client_log, None);
    let likened = case.message.and_then(|message| likened(case.rulebook, message));
    // Somebody who got in was kept out by nothing, whatever stands in the log before.
    let got_in = server_join.was_let_in && !client_join.has_failed && case.message.is_none();
    let mut events: Vec<&LogEvent> = message_events.iter().collect();
    if !got_in {
        events.extend(server_join.events.iter().chain(&client_join.events));
    }
    let mut hypotheses = measured(&case);
    let left = support_measured(&mut hypotheses, &events);
    let stopped = stopped(&client_join, &server_join);
    told(&case, &left, stopped, &mut hypotheses);
    if let Some(likened) = &likened {
        liken(likened, case.message.unwrap_or_default(), &mut hypotheses, &case);
    }
    let proposals = hinted(&case, &mut hypotheses, got_in);
    temper(&mut hypotheses);
    let mut verdicts: Vec<Verdict> = hypotheses.into_iter().map(|hypothesis| verdict(&case, hypothesis)).collect();
    verdicts.sort_by(|a, b| {
        b.confidence.total_cmp(&a.confidence).then_with(|| (a.cause, &a.mod_id).cmp(&(b.cause, &b.mod_id)))
    });
    verdicts.truncate(limits::LOG_EVENTS);
    let unexplained =
        if got_in { Vec::new() } else { unexplained(&case, [&server_join, &client_join], &verdicts, likened.as_ref()) };
    let next = words::next(&case, &verdicts, got_in, !unexplained.is_empty());
    Diagnosis { format: FORMAT, verdicts, unexplained, next, proposals }
}

/// What a message says by the patterns of the logs.
fn message_events(case: &Case<'_>) -> Vec<LogEvent> {
    let Some(message) = case.message else { return Vec::new() };
    let mut events = Vec::new();
    for side in [Role::Client, Role::Server] {
        let mut reader = super::scan::LogReader::new(&case.rulebook.events, side, Source::Message);
        message.lines().enumerate().for_each(|(at, line)| reader.line(at as u64 + 1, line.as_bytes()));
        for event in reader.finish() {
            if !events.iter().any(|known: &LogEvent| known.line == event.line) {
                events.push(event);
            }
        }
    }
    events
}

/// The player whose join it is: as somebody says, or the one that the client's install is called after, if the log knows such a one.
fn player(case: &Case<'_>) -> Option<String> {
    if let Some(player) = case.player {
        return Some(player.to_owned());
    }
    let name = &case.client?.install.name;
    let players = case.events.iter().filter_map(|event| event.player.as_ref());
    players.into_iter().find(|player| player.eq_ignore_ascii_case(name)).cloned()
}

fn measured<'a>(case: &Case<'a>) -> Vec<Hypothesis<'a>> {
    let found = differences((case.rulebook, case.extras), case.canon, case.server, case.client);
    let counts = found.into_iter().filter(|measured| measured.finding.severity != Severity::Note);
    let hypothesis = |measured: Measured<'a>| {
        let finding = &measured.finding;
        let text = words::difference(measured.survey, finding, case.canon.is_some());
        Hypothesis {
            cause: finding.code,
            mod_id: finding.mod_id.clone(),
            side: measured.side,
            odds: if finding.severity == Severity::Blocking { BLOCKING } else { RISKY },
            by: vec![Source::Survey],
            evidence: vec![Evidence { source: Source::Survey.as_str(), line: None, text }],
            told: None,
            weights: BTreeMap::new(),
            measured: Some(measured),
        }
    };
    counts.map(hypothesis).collect()
}

/// Lets what logs say support what was measured; gives back what supports none of it.
fn support_measured<'e>(hypotheses: &mut [Hypothesis<'_>], events: &[&'e LogEvent]) -> Vec<&'e LogEvent> {
    let mut left = Vec::new();
    for event in events.iter().filter(|event| event.cause().is_some()) {
        let strengths: Vec<f64> = hypotheses.iter().map(|hypothesis| strength(event, hypothesis)).collect();
        let such = strengths.iter().filter(|strength| **strength == ONE_OF_SUCH).count();
        let best = strengths.iter().copied().fold(0.0, f64::max);
        if best == 0.0 {
            left.push(*event);
        }
        for (hypothesis, strength) in hypotheses.iter_mut().zip(strengths).filter(|(_, strength)| *strength > 0.0) {
            let is_only = strength == ONE_OF_SUCH && such == 1 && best == ONE_OF_SUCH;
            // A line that is surely about another one is no evidence for this one.
            if is_only || strength == best {
                support(hypothesis, event, if is_only { ONLY_ONE_SUCH } else { strength });
            }
        }
    }
    left
}

/// How much a line speaks for a measured difference.
fn strength(event: &LogEvent, hypothesis: &Hypothesis<'_>) -> f64 {
    let Some(measured) = &hypothesis.measured else { return 0.0 };
    if event.own_side().is_some_and(|own| own != measured.survey.install.role) {
        return 0.0;
    }
    let finding = &measured.finding;
    let is_such = family(event.means).contains(&finding.code);
    let has_names = event.names().next().is_some();
    let names_it = event.names().any(|name| is_about(finding, name));
    match (names_it || (is_such && tells_value(event, finding)), is_such) {
        (true, true) => SAME_CAUSE,
        (true, false) => SAME_THING,
        (false, true) if !has_names || is_platform(finding.code) => ONE_OF_SUCH,
        (false, _) => 0.0,
    }
}

/// Whether a line tells the value that was found where another one should be.
fn tells_value(event: &LogEvent, finding: &Finding) -> bool {
    let has = |text: &Option<String>, value: &String| {
        value.chars().count() > 2 && text.as_ref().is_some_and(|text| has_word(text, value))
    };
    event.found.as_ref().is_some_and(|value| has(&finding.found, value))
}

const fn is_platform(code: Code) -> bool {
    matches!(code, Code::GameDiffers | Code::LoaderDiffers | Code::RuntimeDiffers | Code::MemoryLow)
}

/// Whether a finding is about what a line names: its mod, its file, or an entry in what it tells.
fn is_about(finding: &Finding, name: &str) -> bool {
    let same = |text: &String| text.eq_ignore_ascii_case(name);
    let ends_so = |path: &String| {
        let name = name.replace('\\', "/");
        path.eq_ignore_ascii_case(&name)
            || path
                .to_lowercase()
                .ends_with(&format!("/{}", name.rsplit('/').next().unwrap_or_default().to_lowercase()))
    };
    finding.mod_id.as_ref().is_some_and(same)
        || finding.path.as_ref().is_some_and(ends_so)
        || finding.entries.iter().any(|entry| has_word(&entry.path, name))
        || [&finding.expected, &finding.found]
            .into_iter()
            .flatten()
            .any(|text| name.chars().count() > 2 && has_word(text, name))
}

/// Whether a text has a name as a word of its own.
fn has_word(text: &str, name: &str) -> bool {
    let (text, name) = (text.to_lowercase(), name.to_lowercase());
    let inside = |c: char| c.is_alphanumeric() || c == '-' || c == '_';
    text.match_indices(&name).any(|(at, _)| {
        text[..at].chars().next_back().is_none_or(|before| !inside(before))
            && text[at + name.len()..].chars().next().is_none_or(|after| !inside(after))
    })
}

/// Adds a line to a hypothesis. Of one log the strongest line counts, since one mistake makes many lines.
fn support(hypothesis: &mut Hypothesis<'_>, event: &LogEvent, strength: f64) {
    add(
        hypothesis,
        event.source,
        strength,
        Evidence { source: event.source.as_str(), line: Some(event.line), text: event.text.clone() },
    );
}

fn add(hypothesis: &mut Hypothesis<'_>, source: Source, strength: f64, evidence: Evidence) {
    if !hypothesis.by.contains(&source) {
        hypothesis.by.push(source);
    }
    let weight = hypothesis.weights.entry(source).or_default();
    *weight = weight.max(strength);
    if !hypothesis.evidence.contains(&evidence) {
        hypothesis.evidence.push(evidence);
    }
}

/// The side whose program stopped by itself before there could be a join, if one did.
fn stopped(client: &Join<'_>, server: &Join<'_>) -> Option<Role> {
    let stops = |event: &&&LogEvent| {
        let is_defect = event.own_side().is_some() && event.means != Event::Cause(Code::ModDisabled);
        is_defect && event.player.is_none()
    };
    let came_up = |join: &Join<'_>| {
        join.events.iter().any(|event| {
            matches!(event.means, Event::Ready | Event::JoinTried | Event::JoinRefused | Event::JoinAccepted)
        })
    };
    let has_stopped = |join: &Join<'_>| join.events.iter().any(|event| stops(&event)) && !came_up(join);
    if has_stopped(server) {
        return Some(Role::Server);
    }
    has_stopped(client).then_some(Role::Client)
}

/// Causes that lines name and no measured difference accounts for. What tells most comes first: the rest may mean the same.
fn told<'a>(case: &Case<'_>, events: &[&'a LogEvent], stopped: Option<Role>, hypotheses: &mut Vec<Hypothesis<'a>>) {
    let from = hypotheses.len();
    let mut events: Vec<&LogEvent> = events.iter().copied().filter(|event| is_telling(case, event, events)).collect();
    events.sort_by_key(|event| (vagueness(event), event.source, event.line));
    for event in events {
        let Some(cause) = event.cause() else { continue };
        let is_of_stop = stopped.is_some() && event.own_side() == stopped;
        let same = hypotheses[from..].iter_mut().find(|known| {
            let is_such = family(event.means).contains(&known.cause) || known.cause == cause;
            let told = known.told.into_iter().flat_map(LogEvent::names);
            let names: Vec<&str> = told.collect();
            let is_same_thing = event.names().any(|name| names.iter().any(|other| is_same_name(name, other)));
            is_such && (is_same_thing || (names.is_empty() && event.names().next().is_none()))
        });
        match same {
            Some(known) => support(known, event, if known.by.contains(&event.source) { 0.0 } else { TOLD_TWICE }),
            None => {
                let mut alone = told_alone(case, event, cause);
                if is_of_stop {
                    alone.odds += NEVER_UP;
                } else if stopped == Some(Role::Client) && event.player.is_some() {
                    alone.odds += OF_BEFORE;
                }
                hypotheses.push(alone);
            }
        }
    }
}

/// That a mod is switched off is what its owner wants, unless somebody asks for it: another line, or the canon.
fn is_telling(case: &Case<'_>, event: &LogEvent, events: &[&LogEvent]) -> bool {
    if event.means != Event::Cause(Code::ModDisabled) {
        return true;
    }
    let is_asked_for = |other: &&LogEvent| {
        let is_such = family(other.means).contains(&Code::ModDisabled) && other.means != event.means;
        is_such && other.names().any(|name| event.names().any(|own| is_same_name(own, name)))
    };
    let of_canon = case.canon.into_iter().flat_map(|canon| &canon.mods);
    let mut of_canon = of_canon.flat_map(|sealed| [sealed.reading.id.as_str(), sealed.name.as_str()]);
    events.iter().any(is_asked_for) || of_canon.any(|name| event.names().any(|own| is_same_name(own, name)))
}

/// A file is called after its mod, most often.
fn is_same_name(a: &str, b: &str) -> bool {
    let stem = |name: &str| {
        let file = name.rsplit(['/', '\\']).next().unwrap_or(name).to_lowercase();
        let end = file.find(['.', '_']).unwrap_or(file.len());
        let version =
            file[..end].rfind('-').filter(|at| file[at + 1..end].chars().all(|c| c.is_ascii_digit())).unwrap_or(end);
        file[..version].to_owned()
    };
    a.eq_ignore_ascii_case(b) || stem(a) == stem(b)
}

/// How little a line tells: the cause itself, that one is missing, that something failed.
fn vagueness(event: &LogEvent) -> u8 {
    match event.means {
        Event::Cause(Code::ModMissing) => 1,
        Event::Cause(_) => 0,
        _ => 2,
    }
}

fn told_alone<'a>(case: &Case<'_>, event: &'a LogEvent, cause: Code) -> Hypothesis<'a> {
    let base = match (vagueness(event), event.names().next()) {
        (2, Some(_)) | (2, None) if !matches!(event.means, Event::OutOfMemory | Event::ConfigError) => TOLD_VAGUELY,
        (_, Some(_)) => TOLD_WITH_MOD,
        _ => TOLD,
    };
    let mut hypothesis = Hypothesis {
        cause,
        mod_id: event.mod_id.clone(),
        side: event.own_side(),
        odds: base,
        by: vec![event.source],
        evidence: vec![Evidence { source: event.source.as_str(), line: Some(event.line), text: event.text.clone() }],
        measured: None,
        told: Some(event),
        weights: BTreeMap::new(),
    };
    held_against_surveys(case, event, cause, &mut hypothesis);
    hypothesis
}

/// What surveys say of a cause that only a line tells.
fn held_against_surveys(case: &Case<'_>, event: &LogEvent, cause: Code, hypothesis: &mut Hypothesis<'_>) {
    let survey = |text: String| Evidence { source: Source::Survey.as_str(), line: None, text };
    match who_is_left(case, event, cause) {
        Some(Left::Nobody(text)) => {
            hypothesis.odds += SPOKEN_AGAINST;
            hypothesis.evidence.push(survey(text));
        }
        Some(Left::Only(side)) => {
            hypothesis.odds += OTHER_IN_LINE;
            hypothesis.side = hypothesis.side.or(Some(side));
        }
        None => match case.client.and_then(|client| said_by_survey(client, event, cause)) {
            Some((true, text)) => {
                hypothesis.by.insert(0, Source::Survey);
                hypothesis.evidence.push(survey(text));
                hypothesis.odds = BLOCKING + SAME_CAUSE;
            }
            Some((false, text)) => {
                hypothesis.evidence.push(survey(text));
                hypothesis.odds += SPOKEN_AGAINST;
            }
            None => {}
        },
    }
}

/// Who may be off in what a line names, when no measured difference says so.
enum Left {
    /// Both sides were measured, and have what the line says they have not.
    Nobody(String),
    /// The other side was measured and is in line.
    Only(Role),
}

fn who_is_left(case: &Case<'_>, event: &LogEvent, cause: Code) -> Option<Left> {
    use Code::*;
    let is_measured = matches!(
        cause,
        ModMissing
            | ModDisabled
            | ModExtra
            | ModDuplicate
            | VersionOlder
            | VersionNewer
            | VersionOther
            | ContentDiffers
            | GameDiffers
            | LoaderDiffers
    );
    if !is_measured {
        return None;
    }
    if matches!(cause, GameDiffers | LoaderDiffers) {
        let version = |survey: &Survey| {
            if cause == GameDiffers {
                survey.install.game_version.clone()
            } else {
                survey.install.loader_version.clone()
            }
        };
        let (server, client) = (version(case.server?)?, version(case.client?)?);
        return case
            .rulebook
            .versions
            .same(&server, &client)
            .then(|| Left::Nobody(format!("both sides have {client} now; the line tells of before")));
    }
    let id = event.mod_id.as_ref()?.to_lowercase();
    let copies = |survey: &Survey| survey.mods.iter().any(|found| found.enabled && found.folded_id() == id);
    match (case.canon, case.server, case.client) {
        (Some(canon), server, client) => {
            canon.mods.iter().find(|sealed| sealed.folded_id() == id)?;
            match (server, client) {
                (Some(_), Some(_)) => {
                    Some(Left::Nobody("both sides have now what the canon says; the line tells of before".to_owned()))
                }
                (Some(_), None) => Some(Left::Only(Role::Client)),
                (None, Some(_)) => Some(Left::Only(Role::Server)),
                (None, None) => None,
            }
        }
        (None, Some(server), Some(client)) if copies(server) && copies(client) => {
            Some(Left::Nobody("both sides have the same of it now; the line tells of before".to_owned()))
        }
        _ => None,
    }
}

/// What the client's survey says of a cause: whether it bears it out, and in which words.
fn said_by_survey(client: &Survey, event: &LogEvent, cause: Code) -> Option<(bool, String)> {
    let name = &client.install.name;
    if matches!(cause, Code::LoaderDiffers | Code::GameDiffers) {
        let version =
            if cause == Code::LoaderDiffers { &client.install.loader_version } else { &client.install.game_version };
        let (version, found) = (version.as_ref()?, event.found.as_ref()?);
        return Some((version == found, format!("{name} has {version}")));
    }
    let id = event.mod_id.as_ref()?.to_lowercase();
    let copies: Vec<&SurveyedMod> = client.mods.iter().filter(|found| found.folded_id() == id).collect();
    let enabled: Vec<&&SurveyedMod> = copies.iter().filter(|copy| copy.enabled).collect();
    let shown: Vec<String> = copies
        .iter()
        .map(|c| format!("{} in {}{}", c.version_or_dash(), c.path, if c.enabled { "" } else { ", switched off" }))
        .collect();
    let text = match shown.is_empty() {
        true => format!("{name} does not have it"),
        false => format!("{name} has {}", shown.join(" and ")),
    };
    let has = |version: &Option<String>| {
        version.as_ref().is_some_and(|v| enabled.iter().any(|copy| copy.version_or_dash() == v))
    };
    let bears_out = match cause {
        Code::ModMissing => enabled.is_empty(),
        Code::ModExtra => !enabled.is_empty(),
        Code::ModDuplicate => enabled.len() > 1,
        Code::VersionOlder | Code::VersionNewer | Code::VersionOther => has(&event.found) && !has(&event.expected),
        Code::ContentDiffers if event.found.is_none() || has(&event.found) => return None,
        _ => return None,
    };
    Some((bears_out, text))
}

/// A message that is like a known one speaks for each cause that it is shown for; alone, for its meanings in their order.
fn liken(likened: &Likened, message: &str, hypotheses: &mut Vec<Hypothesis<'_>>, case: &Case<'_>) {
    let how = match likened.likeness >= 0.999 {
        true => "as the game shows it".to_owned(),
        false => format!("{:.0} % like \"{}\"", likened.likeness * 100.0, likened.known),
    };
    let text = format!("{} ({how})", super::scan::shown(&message.replace('\n', " ")));
    let evidence = || Evidence { source: Source::Message.as_str(), line: None, text: text.clone() };
    let speaks_for = |cause: Code| likened.means.iter().any(|means| family(*means).contains(&cause));
    let such = hypotheses.iter().filter(|hypothesis| speaks_for(hypothesis.cause)).count().max(1);
    for hypothesis in hypotheses.iter_mut().filter(|hypothesis| speaks_for(hypothesis.cause)) {
        add(hypothesis, Source::Message, MESSAGE * likened.likeness / (such as f64).sqrt(), evidence());
    }
    if hypotheses.iter().any(|hypothesis| !hypothesis.by.is_empty() && hypothesis.odds > MESSAGE_ALONE) {
        return;
    }
    let named = Needles::new(case.rulebook, &surveys(case), case.canon, case.events).ok();
    let mod_id = named.as_ref().and_then(|needles| needles.named(message).first().map(|id| (*id).to_owned()));
    let meanings = likened.means.iter().filter_map(|means| match means {
        Event::Cause(code) => Some(*code),
        Event::ModFailed => Some(Code::Unreadable),
        Event::OutOfMemory => Some(Code::MemoryLow),
        Event::DataRefused => Some(Code::ContentDiffers),
        Event::ConfigError => Some(Code::SettingDiffers),
        _ => None,
    });
    let certainty = (likened.likeness - 1.0) * 2.0 + if mod_id.is_some() { 0.9 } else { 0.0 };
    for (rank, cause) in meanings.enumerate() {
        hypotheses.push(Hypothesis {
            cause,
            mod_id: mod_id.clone(),
            side: None,
            odds: MESSAGE_ALONE + MESSAGE_NEXT * rank as f64 + certainty,
            by: vec![Source::Message],
            evidence: vec![evidence()],
            measured: None,
            told: None,
            weights: BTreeMap::new(),
        });
    }
}

fn surveys<'a>(case: &Case<'a>) -> Vec<&'a Survey> {
    [case.server, case.client].into_iter().flatten().collect()
}

/// Lines that no pattern knows support what there is; where there is nothing, they are hypotheses of their own.
fn hinted(case: &Case<'_>, hypotheses: &mut Vec<Hypothesis<'_>>, got_in: bool) -> Vec<String> {
    let mut proposals: Vec<String> = Vec::new();
    let known = hypotheses.len();
    let is_explained = hypotheses.iter().any(|hypothesis| hypothesis.odds + added(hypothesis) > 0.5);
    for (place, hint) in case.hints.iter().enumerate() {
        let lateness = HINTED_LAST * (place + 1) as f64 / case.hints.len() as f64;
        let means = hint.means;
        let cause = match means {
            Event::Cause(code) => code,
            _ => Code::Unreadable,
        };
        let evidence = Evidence { source: hint.source.as_str(), line: Some(hint.line), text: hint.text.clone() };
        let names_it = |hypothesis: &Hypothesis<'_>| match (&hint.mod_id, &hypothesis.measured) {
            (Some(id), Some(measured)) => is_about(&measured.finding, id),
            (Some(id), None) => hypothesis.mod_id.as_ref().is_some_and(|known| known.eq_ignore_ascii_case(id)),
            (None, _) => hypothesis.cause == cause,
        };
        let speaks = |hypothesis: &Hypothesis<'_>| {
            names_it(hypothesis) && (family(means).contains(&hypothesis.cause) || hypothesis.measured.is_some())
        };
        let mut is_used = false;
        if let Some(hypothesis) = hypotheses[..known].iter_mut().find(|hypothesis| speaks(hypothesis)) {
            let strength = if family(means).contains(&hypothesis.cause) { SAME_THING + 0.2 } else { HINTED_AGAIN };
            add(hypothesis, hint.source, strength, evidence);
            is_used = true;
        } else if !is_explained && !got_in {
            match hypotheses[known..].iter_mut().find(|hypothesis| speaks(hypothesis)) {
                Some(hypothesis) => {
                    let twice = hypothesis.evidence.len() as f64 * HINTED_AGAIN;
                    add(hypothesis, hint.source, twice.min(2.0 * HINTED_AGAIN), evidence);
                }
                None => hypotheses.push(Hypothesis {
                    cause,
                    mod_id: hint.mod_id.clone(),
                    side: None,
                    odds: lateness + if means == Event::ModFailed { HINTED - 0.4 } else { HINTED },
                    by: vec![hint.source],
                    evidence: vec![evidence],
                    measured: None,
                    told: None,
                    weights: BTreeMap::new(),
                }),
            }
            is_used = true;
        }
        let proposal = words::proposal(hint);
        if is_used && proposals.len() < 3 && !proposals.contains(&proposal) {
            proposals.push(proposal);
        }
    }
    // What surveys say of a cause is no less true where only words tell it.
    for hypothesis in &mut hypotheses[known..] {
        contradict_hint(case, hypothesis);
    }
    proposals
}

fn contradict_hint(case: &Case<'_>, hypothesis: &mut Hypothesis<'_>) {
    let (Some(_), Some(_), Some(id)) = (case.server, case.client, &hypothesis.mod_id) else { return };
    let is_there =
        |survey: &Survey| survey.mods.iter().any(|found| found.enabled && found.reading.id.eq_ignore_ascii_case(id));
    if surveys(case).into_iter().all(is_there) {
        hypothesis.odds += SPOKEN_AGAINST / 2.0;
    }
}

fn added(hypothesis: &Hypothesis<'_>) -> f64 {
    hypothesis.weights.values().sum()
}

/// Beside a blocking difference a risky one that nothing else tells of is hardly the cause.
fn temper(hypotheses: &mut [Hypothesis<'_>]) {
    let any_blocking = hypotheses.iter().any(|hypothesis| hypothesis.odds >= BLOCKING);
    let is_alone = |hypothesis: &&mut Hypothesis<'_>| hypothesis.odds == RISKY && hypothesis.weights.is_empty();
    for hypothesis in hypotheses.iter_mut().filter(|hypothesis| is_alone(hypothesis) && any_blocking) {
        hypothesis.odds = RISKY_BESIDE;
    }
}

fn verdict(case: &Case<'_>, hypothesis: Hypothesis<'_>) -> Verdict {
    let odds = hypothesis.odds + added(&hypothesis);
    let confidence = 1.0 / (1.0 + (-odds).exp());
    let is_measured = hypothesis.by.contains(&Source::Survey);
    let confidence = if is_measured { confidence } else { confidence.min(MOST_UNMEASURED) };
    let remedy = match (&hypothesis.measured, hypothesis.told) {
        (Some(measured), _) => words::remedies(case, measured),
        (None, told) => {
            words::told_remedies(case, (hypothesis.cause, hypothesis.mod_id.as_deref(), hypothesis.side), told)
        }
    };
    Verdict {
        cause: hypothesis.cause,
        mod_id: hypothesis.mod_id,
        side: hypothesis.side,
        // Two digits are more than anybody can calibrate.
        confidence: (confidence * 100.0).round() / 100.0,
        confirmed_by: hypothesis.by.iter().map(|source| source.as_str()).collect(),
        evidence: hypothesis.evidence,
        remedy,
    }
}

/// A refusal that nothing explains is told plainly, and so is a message that nobody knows.
fn unexplained(
    case: &Case<'_>,
    joins: [&Join<'_>; 2],
    verdicts: &[Verdict],
    likened: Option<&Likened>,
) -> Vec<Evidence> {
    if verdicts.iter().any(|verdict| verdict.confidence > EXPLAINS) {
        return Vec::new();
    }
    let is_failure = |event: &&&LogEvent| {
        matches!(event.means, Event::JoinRefused | Event::Crash | Event::TimeOut | Event::DataRefused)
    };
    let told = joins.into_iter().filter_map(|join| join.events.iter().rfind(is_failure));
    let mut unexplained: Vec<Evidence> = told
        .map(|event| Evidence { source: event.source.as_str(), line: Some(event.line), text: event.text.clone() })
        .collect();
    if let Some(message) = case.message.filter(|_| likened.is_none()) {
        let text = super::scan::shown(&message.replace('\n', " "));
        unexplained.push(Evidence { source: Source::Message.as_str(), line: None, text });
    }
    unexplained
}

#[cfg(test)]
#[path = "../tests/weigh.rs"]
mod tests;
