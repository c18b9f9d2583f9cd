//! Hypotheses and their evidence become verdicts. What was measured outranks what a text says; two independent faults give two verdicts.
//!
//! Each measured difference is a hypothesis, and so is each cause that a log or a message names and no difference accounts
//! for. A hypothesis begins with the log-odds of what it rests on, and every independent piece of evidence adds to them (Good,
//! "Probability and the Weighing of Evidence", 1950). The weights stand in `weights`; docs/diagnosis.md tells how they were tried.

use std::collections::{BTreeMap, HashMap, HashSet};

use super::account::{Account, Difference};
use super::attempt::{Join, of_last_join};
use super::elsewhere::elsewhere;
use super::hypothesis::*;
use super::likeness::likened;
use super::measured::{Measured, differences};
use super::remedies;
use super::told::{guessed, hinted, liken, stopped, told};
use super::verdict::{Case, Diagnosis, Evidence, Verdict};
use super::wanted::wanted;
use super::weights::{EXPLAINS, MOST_UNMEASURED, Support};
use crate::base::finding::{Code, Finding, Severity};
use crate::base::ids::FoldedId;
use crate::base::limits;
use crate::base::names::PlayerName;
use crate::logs::{KeptOutBy, LogEvent, Source, family};
use crate::manifest::ModManifest;
use crate::rulebook::{Event, Role};

/// Weighs everything there is.
pub fn weigh(case: Case<'_>) -> Diagnosis {
    let player = player(&case);
    let titles = titles(&case);
    let of = |source: Source| -> Vec<LogEvent> {
        let events = case.events.iter().filter(|event| event.source == source).cloned();
        events.map(|event| by_id(event, &titles)).collect()
    };
    let likened = case.message.and_then(|message| likened(case.rulebook, message));
    let mut message_events: Vec<LogEvent> =
        message_events(&case).into_iter().map(|event| by_id(event, &titles)).collect();
    if message_events.is_empty() && likened.is_none() {
        message_events = of(Source::Message);
    }
    let (server_log, client_log) = (of(Source::ServerLog), of(Source::ClientLog));
    let server_join = of_last_join(&server_log, player.as_deref());
    let client_join = of_last_join(&client_log, None);
    // Somebody who got in was kept out by nothing, whatever stands in the log before.
    let got_in = server_join.was_let_in && !client_join.has_failed && case.message.is_none();
    let mut events: Vec<&LogEvent> = message_events.iter().collect();
    if !got_in {
        events.extend(server_join.events.iter().chain(&client_join.events));
    }
    let mut hypotheses = measured(&case);
    let is_in_line = hypotheses.is_empty();
    let left = support_measured(&mut hypotheses, &events);
    let stopped = stopped(&client_join, &server_join);
    told(&case, &left, stopped, &mut hypotheses);
    if let Some(likened) = &likened {
        liken(likened, case.message.unwrap_or_default(), &mut hypotheses, (&case, is_in_line));
    }
    // Where both sides are in line and nothing tells of a failure, there is nothing that words could explain.
    let has_failed = server_join.has_failed || client_join.has_failed || case.message.is_some();
    let would_tell = case.rulebook.events.iter().any(|rule| rule.means == Event::JoinRefused);
    let is_well = case.server.is_some() && case.client.is_some() && is_in_line && would_tell && !has_failed;
    let kept_out_by = kept_out_by([&server_join, &client_join], case.message);
    // Of somebody who was kept out for something else, chatter with words of failure in it tells nothing.
    let is_elsewhere = kept_out_by.is_some_and(KeptOutBy::is_final);
    let proposals = hinted((&case, is_in_line), &mut hypotheses, got_in || is_well || is_elsewhere);
    temper(&mut hypotheses);
    let mut verdicts = verdicts(&case, hypotheses);
    let mut unexplained = Vec::new();
    if !got_in && !verdicts.iter().any(|verdict| verdict.confidence > EXPLAINS) {
        unexplained = self::unexplained([&server_join, &client_join], case.message.filter(|_| likened.is_none()));
    }
    if verdicts.is_empty() {
        verdicts = self::verdicts(&case, guessed(&case, &unexplained));
    }
    let is_explained = verdicts.iter().any(|verdict| verdict.confidence > EXPLAINS);
    let kept_out_by = kept_out_by.filter(|kept| !got_in && (kept.is_final() || !is_explained));
    let wanted = wanted(&case, &verdicts, (got_in, kept_out_by), !unexplained.is_empty());
    Diagnosis { verdicts, unexplained, kept_out_by, got_in, wanted, proposals }
}

/// The ids of mods by their titles, in lower case, where a title is of one alone and nobody's id.
fn titles(case: &Case<'_>) -> HashMap<FoldedId, FoldedId> {
    let of_canon = case.canon.into_iter().flat_map(|canon| &canon.mods).map(|sealed| &sealed.manifest);
    let of_surveys = [case.server, case.client].into_iter().flatten().flat_map(|survey| &survey.mods);
    let readings: Vec<&ModManifest> = of_canon.chain(of_surveys.map(|found| &found.manifest)).collect();
    let ids: HashSet<FoldedId> = readings.iter().map(|manifest| manifest.id.clone()).collect();
    let mut titles: HashMap<FoldedId, FoldedId> = HashMap::new();
    let mut shared: HashSet<FoldedId> = HashSet::new();
    for manifest in readings {
        let Some(title) = manifest.title.as_deref().map(FoldedId::from) else { continue };
        match titles.get(&title) {
            _ if ids.contains(&title) => {}
            Some(known) if *known != manifest.id => drop(shared.insert(title)),
            Some(_) => {}
            None => drop(titles.insert(title, manifest.id.clone())),
        }
    }
    titles.retain(|title, _| !shared.contains(title));
    titles
}

/// An event that names a mod by its title, as many logs do, names it by its id.
fn by_id(mut event: LogEvent, titles: &HashMap<FoldedId, FoldedId>) -> LogEvent {
    if let Some(id) = event.mod_id.as_ref().and_then(|named| titles.get(&FoldedId::from(named.as_str().trim()))) {
        event.mod_id = Some(id.clone());
    }
    event
}

/// What a message says by the patterns of the logs.
fn message_events(case: &Case<'_>) -> Vec<LogEvent> {
    let Some(message) = case.message else { return Vec::new() };
    let mut events = Vec::new();
    for side in [Role::Client, Role::Server] {
        let mut reader = crate::logs::LogReader::new(&case.rulebook.events, side, Source::Message);
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
fn player(case: &Case<'_>) -> Option<PlayerName> {
    if let Some(player) = case.player {
        return Some(player.into());
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
        let rests_on = if finding.severity == Severity::Blocking { Support::Blocking } else { Support::Risky };
        let text = Account::Difference(Box::new(Difference::new(measured.survey, finding, case.canon.is_some())));
        Hypothesis {
            cause: finding.code,
            mod_id: finding.mod_id.clone(),
            side: measured.side,
            rests_on,
            odds: rests_on.weight(),
            by: vec![Source::Survey],
            evidence: vec![Evidence::of_no_line(Source::Survey, text)],
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
        let kinds: Vec<Option<Support>> = hypotheses.iter().map(|hypothesis| bearing(event, hypothesis)).collect();
        let such = kinds.iter().filter(|kind| **kind == Some(Support::OneOfSuch)).count();
        let best = kinds.iter().copied().flatten().max_by(|a, b| a.weight().total_cmp(&b.weight()));
        let Some(best) = best else {
            left.push(*event);
            continue;
        };
        // A line that is surely about another one is no evidence for this one.
        let best_ones = hypotheses.iter_mut().zip(kinds).filter(|(_, kind)| *kind == Some(best));
        let kind = if best == Support::OneOfSuch && such == 1 { Support::OnlyOneSuch } else { best };
        best_ones.for_each(|(hypothesis, _)| support(hypothesis, event, kind.weight()));
    }
    left
}

/// How a line speaks for a measured difference, if it does.
fn bearing(event: &LogEvent, hypothesis: &Hypothesis<'_>) -> Option<Support> {
    let measured = hypothesis.measured.as_ref()?;
    if event.own_side().is_some_and(|own| own != measured.survey.install.role) {
        return None;
    }
    let finding = &measured.finding;
    if is_of_other_release(event, finding) {
        return None;
    }
    let is_such = family(event.means).contains(&finding.code);
    let has_names = event.names().next().is_some();
    let names_it = event.names().any(|name| is_about(finding, name));
    match (names_it || (is_such && tells_value(event, finding)), is_such) {
        (true, true) => Some(Support::SameCause),
        (true, false) => Some(Support::SameThing),
        (false, true) if !has_names || is_platform(finding.code) => Some(Support::OneOfSuch),
        (false, _) => None,
    }
}

/// Whether a line tells two releases of which this side has one: then the other side has another release, and that this side's has other
/// bytes, too, explains nothing of it.
fn is_of_other_release(event: &LogEvent, finding: &Finding) -> bool {
    let (Some(expected), Some(found)) = (&event.expected, &event.found) else { return false };
    let is_here = |version: &str| finding.expected.as_ref().is_some_and(|stated| has_value(stated, version));
    finding.code == Code::ContentDiffers
        && family(event.means).contains(&Code::VersionOther)
        && !family(event.means).contains(&Code::ContentDiffers)
        && expected != found
        && (is_here(expected) || is_here(found))
}

/// Beside a blocking difference a risky one that nothing else tells of is hardly the cause.
fn temper(hypotheses: &mut [Hypothesis<'_>]) {
    let any_blocking = hypotheses.iter().any(|hypothesis| hypothesis.rests_on == Support::Blocking);
    let is_alone =
        |hypothesis: &&mut Hypothesis<'_>| hypothesis.rests_on == Support::Risky && hypothesis.weights.is_empty();
    for hypothesis in hypotheses.iter_mut().filter(|hypothesis| is_alone(hypothesis) && any_blocking) {
        hypothesis.rests_on = Support::RiskyBeside;
        hypothesis.odds = hypothesis.rests_on.weight();
    }
}

/// Verdicts, most likely first.
fn verdicts(case: &Case<'_>, hypotheses: Vec<Hypothesis<'_>>) -> Vec<Verdict> {
    let mut verdicts: Vec<Verdict> = hypotheses.into_iter().map(|hypothesis| verdict(case, hypothesis)).collect();
    verdicts.sort_by(|a, b| {
        b.confidence.total_cmp(&a.confidence).then_with(|| (a.cause, &a.mod_id).cmp(&(b.cause, &b.mod_id)))
    });
    verdicts.truncate(limits::LOG_EVENTS);
    verdicts
}

fn verdict(case: &Case<'_>, hypothesis: Hypothesis<'_>) -> Verdict {
    let odds = hypothesis.odds + added(&hypothesis);
    let confidence = 1.0 / (1.0 + (-odds).exp());
    let is_measured = hypothesis.by.contains(&Source::Survey);
    let confidence = if is_measured { confidence } else { confidence.min(MOST_UNMEASURED) };
    let remedy = match (&hypothesis.measured, hypothesis.told) {
        (Some(measured), _) => remedies::about_difference(case, measured),
        (None, told) => {
            remedies::about_text(case, (hypothesis.cause, hypothesis.mod_id.as_ref(), hypothesis.side), told)
        }
    };
    let about = (hypothesis.cause, hypothesis.mod_id.as_ref());
    let finding = match &hypothesis.measured {
        Some(measured) => Some(measured.finding.clone()),
        None => remedies::told_finding(case, about, hypothesis.told),
    };
    let (expected, found, path) = finding.map_or((None, None, None), |told| (told.expected, told.found, told.path));
    Verdict {
        expected,
        found,
        path,
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

/// What a refusal, or what the player saw, speaks of that is no mod.
fn kept_out_by(joins: [&Join<'_>; 2], message: Option<&str>) -> Option<KeptOutBy> {
    let is_failure = |event: &&&LogEvent| matches!(event.means, Event::JoinRefused | Event::TimeOut);
    let told = joins.into_iter().filter_map(|join| join.events.iter().rfind(is_failure));
    let of_logs = told.map(|event| event.kept_out.or_else(|| elsewhere(&event.text)));
    of_logs.chain(message.map(elsewhere)).flatten().next()
}

/// A refusal that nothing explains is told plainly, and so is a message that nobody knows.
fn unexplained(joins: [&Join<'_>; 2], message: Option<&str>) -> Vec<Evidence> {
    let is_failure = |event: &&&LogEvent| {
        matches!(event.means, Event::JoinRefused | Event::Crash | Event::TimeOut | Event::DataRefused)
    };
    let told = joins.into_iter().filter_map(|join| join.events.iter().rfind(is_failure));
    let of_logs = told.map(|event| Evidence::of_line(event.source, event.line, &event.text));
    let of_player = message.map(|message| {
        Evidence::of_no_line(Source::Message, Account::Line(crate::logs::shown(&message.replace('\n', " "))))
    });
    of_logs.chain(of_player).collect()
}

#[cfg(test)]
#[path = "../tests/weigh.rs"]
mod tests;
