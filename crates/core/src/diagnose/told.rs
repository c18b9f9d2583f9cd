//! Causes that lines, words and messages tell, and that no measured difference accounts for.

use std::cmp::Ordering;

use super::account::{Account, Copies};
use super::attempt::Join;
use super::hints::Needles;
use super::hypothesis::*;
use super::likeness::Likened;
use super::proposal::proposal;
use super::verdict::{Case, Evidence};
use super::weights::Support;
use crate::base::finding::Code;
use crate::base::ids::FoldedId;
use crate::logs::{LogEvent, Source, cause_of, family, is_of_mods};
use crate::rulebook::{Event, Role};
use crate::survey::{Survey, SurveyedMod};

/// The side whose program stopped by itself before there could be a join, if one did.
pub(super) fn stopped(client: &Join<'_>, server: &Join<'_>) -> Option<Role> {
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
pub(super) fn told<'a>(
    case: &Case<'_>,
    events: &[&'a LogEvent],
    stopped: Option<Role>,
    hypotheses: &mut Vec<Hypothesis<'a>>,
) {
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
            Some(known) => {
                let odds = if known.by.contains(&event.source) { 0.0 } else { Support::ToldTwice.weight() };
                support(known, event, odds);
            }
            None => {
                let mut alone = told_alone(case, event, cause);
                if is_of_stop {
                    alone.odds += Support::NeverUp.weight();
                } else if stopped == Some(Role::Client) && event.player.is_some() {
                    alone.odds += Support::OfBefore.weight();
                }
                hypotheses.push(alone);
            }
        }
    }
}

/// That a mod is switched off is what its owner wants, unless somebody asks for it: another line, or the canon.
pub(super) fn is_telling(case: &Case<'_>, event: &LogEvent, events: &[&LogEvent]) -> bool {
    if event.means != Event::Cause(Code::ModDisabled) {
        return true;
    }
    let is_asked_for = |other: &&LogEvent| {
        let is_such = family(other.means).contains(&Code::ModDisabled) && other.means != event.means;
        is_such && other.names().any(|name| event.names().any(|own| is_same_name(own, name)))
    };
    let of_canon = case.canon.into_iter().flat_map(|canon| &canon.mods);
    let mut of_canon = of_canon.flat_map(|sealed| [sealed.manifest.id.as_str(), sealed.name.as_str()]);
    events.iter().any(is_asked_for) || of_canon.any(|name| event.names().any(|own| is_same_name(own, name)))
}

/// How little a line tells: the cause itself, that one is missing, that something failed.
pub(super) fn vagueness(event: &LogEvent) -> u8 {
    match event.means {
        Event::Cause(Code::ModMissing) => 1,
        Event::Cause(_) => 0,
        _ => 2,
    }
}

pub(super) fn told_alone<'a>(case: &Case<'_>, event: &'a LogEvent, cause: Code) -> Hypothesis<'a> {
    let base = match (vagueness(event), event.names().next()) {
        _ if event.is_guess => Support::ToldVaguely,
        (2, Some(_)) | (2, None) if !matches!(event.means, Event::OutOfMemory | Event::ConfigError) => {
            Support::ToldVaguely
        }
        (_, Some(_)) => Support::ToldWithMod,
        _ => Support::Told,
    };
    let mod_id = event.mod_id.clone().or_else(|| mod_of_file(case, event.file.as_deref()?));
    let evidence = Evidence::of_line(event.source, event.line, &event.text);
    let mut hypothesis =
        Hypothesis { side: event.own_side(), told: Some(event), ..Hypothesis::of_text(cause, mod_id, base, evidence) };
    held_against_surveys(case, event, cause, &mut hypothesis);
    // What was found is the client's; where the server is to be mended, nothing tells which way.
    if hypothesis.side != Some(Role::Server) {
        hypothesis.cause = by_age(case, (event, hypothesis.mod_id.as_ref()), cause);
    }
    hypothesis
}

/// Of a release that is another one, whether it is older or newer than it should be, where both are told or known.
fn by_age(case: &Case<'_>, (event, mod_id): (&LogEvent, Option<&FoldedId>), cause: Code) -> Code {
    if cause != Code::VersionOther {
        return cause;
    }
    let of_canon = || {
        let mut sealed = case.canon.into_iter().flat_map(|canon| &canon.mods);
        sealed.find(|sealed| Some(&sealed.manifest.id) == mod_id)?.manifest.version.clone()
    };
    let order = event.found.as_deref().and_then(|found| {
        let expected = event.expected.clone().or_else(of_canon)?;
        case.rulebook.versions.scheme.compare(found, &expected)
    });
    match order {
        Some(Ordering::Less) => Code::VersionOlder,
        Some(Ordering::Greater) => Code::VersionNewer,
        _ => cause,
    }
}

/// The mod that a file is called after, where the canon or a survey has one.
fn mod_of_file(case: &Case<'_>, file: &str) -> Option<FoldedId> {
    let of_canon = case.canon.into_iter().flat_map(|canon| &canon.mods).map(|sealed| &sealed.manifest.id);
    let of_surveys = surveys(case).into_iter().flat_map(|survey| &survey.mods).map(|found| &found.manifest.id);
    of_canon.chain(of_surveys).find(|id| is_same_name(file, id.as_str())).cloned()
}

/// What surveys say of a cause that only a line tells.
pub(super) fn held_against_surveys(case: &Case<'_>, event: &LogEvent, cause: Code, hypothesis: &mut Hypothesis<'_>) {
    let survey = |text| Evidence::of_no_line(Source::Survey, text);
    match who_is_left(case, event.mod_id.as_ref(), cause) {
        Some(Left::Nobody(text)) => {
            hypothesis.odds += Support::SpokenAgainst.weight();
            hypothesis.evidence.push(survey(text));
        }
        Some(Left::Only(side)) => {
            hypothesis.odds += Support::OtherInLine.weight();
            hypothesis.side = hypothesis.side.or(Some(side));
        }
        None => match case.client.and_then(|client| said_by_survey(client, event, cause)) {
            Some((true, text)) => {
                hypothesis.by.insert(0, Source::Survey);
                hypothesis.evidence.push(survey(text));
                hypothesis.rests_on = Support::Blocking;
                hypothesis.odds = hypothesis.rests_on.weight() + Support::SameCause.weight();
            }
            Some((false, text)) => {
                hypothesis.evidence.push(survey(text));
                hypothesis.odds += Support::SpokenAgainst.weight();
            }
            None => {}
        },
    }
}

/// Who may be off in what a line names, when no measured difference says so.
pub(super) enum Left {
    /// Both sides were measured, and have what the line says they have not.
    Nobody(Account),
    /// The other side was measured and is in line.
    Only(Role),
}

pub(super) fn who_is_left(case: &Case<'_>, mod_id: Option<&FoldedId>, cause: Code) -> Option<Left> {
    use Code::*;
    let is_measured = is_of_mods(cause) || matches!(cause, GameDiffers | LoaderDiffers | RuntimeDiffers);
    if !is_measured {
        return None;
    }
    if matches!(cause, GameDiffers | LoaderDiffers | RuntimeDiffers) {
        let of = |survey: &Survey| version_of(cause, versions_on(survey)).cloned();
        let of_canon = case.canon.and_then(|canon| version_of(cause, versions_of(canon)));
        let same = |a: &str, b: &str| case.rulebook.versions.same(a, b);
        return match (case.server, case.client) {
            (Some(server), Some(client)) => {
                let (server, client) = (of(server)?, of(client)?);
                same(&server, &client).then_some(Left::Nobody(Account::BothHave(client)))
            }
            (Some(one), None) | (None, Some(one)) => {
                let is_right = same(&of(one)?, of_canon?);
                is_right.then(|| Left::Only(if one.install.role == Role::Server { Role::Client } else { Role::Server }))
            }
            (None, None) => None,
        };
    }
    let id = mod_id?;
    let copies = |survey: &Survey| survey.mods.iter().any(|found| found.enabled && found.manifest.id == *id);
    match (case.canon, case.server, case.client) {
        (Some(canon), server, client) => {
            let is_sealed = canon.mods.iter().any(|sealed| sealed.manifest.id == *id);
            if !is_sealed && (cause != ModExtra || [server, client].into_iter().flatten().any(copies)) {
                return None;
            }
            match (server, client) {
                (Some(_), Some(_)) => Some(Left::Nobody(Account::BothAsSealed)),
                (Some(_), None) => Some(Left::Only(Role::Client)),
                (None, Some(_)) => Some(Left::Only(Role::Server)),
                (None, None) => None,
            }
        }
        (None, Some(server), Some(client)) if copies(server) && copies(client) => {
            Some(Left::Nobody(Account::BothTheSame))
        }
        _ => None,
    }
}

/// What the client's survey says of a cause: whether it bears it out, and in which words.
pub(super) fn said_by_survey(client: &Survey, event: &LogEvent, cause: Code) -> Option<(bool, Account)> {
    let install = client.install.name.clone();
    if matches!(cause, Code::LoaderDiffers | Code::GameDiffers | Code::RuntimeDiffers) {
        let version = version_of(cause, versions_on(client));
        let (version, found) = (version?, event.found.as_ref()?);
        let is_borne_out = version == found;
        return Some((is_borne_out, Account::HasVersion { install, version: version.clone() }));
    }
    let id = event.mod_id.as_ref()?.clone();
    let copies: Vec<&SurveyedMod> = client.mods.iter().filter(|found| found.manifest.id == id).collect();
    let enabled: Vec<&&SurveyedMod> = copies.iter().filter(|copy| copy.enabled).collect();
    let shown = copies.iter().map(|copy| (copy.version_or_dash().to_owned(), copy.path.clone(), copy.enabled));
    let text = Account::Copies(Copies { install, copies: shown.collect() });
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
pub(super) fn liken(
    likened: &Likened,
    message: &str,
    hypotheses: &mut Vec<Hypothesis<'_>>,
    (case, is_in_line): (&Case<'_>, bool),
) {
    let shown = crate::logs::shown(&message.replace('\n', " "));
    let percent = (likened.likeness * 100.0).round() as u32;
    let text = match likened.likeness >= 0.999 {
        true => Account::AsShown(shown),
        false => Account::Like { message: shown, percent, known: likened.known.clone() },
    };
    let evidence = Evidence::of_no_line(Source::Message, text);
    let speaks_for = |cause: Code| likened.means.iter().any(|means| family(*means).contains(&cause));
    let such = hypotheses.iter().filter(|hypothesis| speaks_for(hypothesis.cause)).count().max(1);
    for hypothesis in hypotheses.iter_mut().filter(|hypothesis| speaks_for(hypothesis.cause)) {
        add(hypothesis, Support::Message.weight() * likened.likeness / (such as f64).sqrt(), evidence.clone());
    }
    if hypotheses.iter().any(|hypothesis| !hypothesis.by.is_empty() && hypothesis.odds > Support::MessageAlone.weight())
    {
        return;
    }
    let needles = needles(case);
    let named = needles.as_ref().and_then(|needles| named_or_nearly(needles, message));
    let rests_on = (Support::MessageAlone, (likened.likeness - 1.0) * 2.0);
    hypotheses.extend(by_meanings((case, is_in_line), &likened.means, named, (rests_on, &evidence)));
}

/// A refusal or a message that nothing knows may still speak of mods: the causes that such words most often mean, each hardly likely.
pub(super) fn guessed(case: &Case<'_>, unexplained: &[Evidence]) -> Vec<Hypothesis<'static>> {
    // Where both sides were measured and are in line, guesses are refuted.
    if case.server.is_some() && case.client.is_some() {
        return Vec::new();
    }
    let Some(needles) = needles(case) else { return Vec::new() };
    let guess = unexplained.iter().map(|evidence| (evidence, needles.meanings(&evidence.text.to_string())));
    let Some((evidence, means)) = guess.into_iter().find(|(_, means)| !means.is_empty()) else { return Vec::new() };
    // Where something measured is off, that is the verdict, and nobody guesses.
    by_meanings(
        (case, true),
        &means,
        named_or_nearly(&needles, &evidence.text.to_string()),
        ((Support::Guessed, 0.0), evidence),
    )
}

/// What a text may mean, the most frequent first: each meaning a hypothesis, less likely than the one before.
fn by_meanings(
    (case, is_in_line): (&Case<'_>, bool),
    means: &[Event],
    named: Option<&FoldedId>,
    ((rests_on, more), evidence): ((Support, f64), &Evidence),
) -> Vec<Hypothesis<'static>> {
    let certainty = if named.is_some() { Support::NamesOne.weight() } else { 0.0 };
    let hypothesis = |(rank, cause)| {
        let mut hypothesis = Hypothesis::of_text(cause, named.cloned(), rests_on, evidence.clone());
        hypothesis.odds += more + Support::MessageNext.weight() * rank as f64 + certainty;
        hold_words_against_surveys(case, &mut hypothesis, is_in_line);
        hypothesis
    };
    means.iter().filter_map(|means| cause_of(*means)).enumerate().map(hypothesis).collect()
}

fn needles(case: &Case<'_>) -> Option<Needles> {
    Needles::new(case.rulebook, &surveys(case), case.canon, case.events).ok()
}

fn named_or_nearly<'n>(needles: &'n Needles, text: &str) -> Option<&'n FoldedId> {
    needles.named(text).first().copied().or_else(|| needles.nearly_named(text))
}

pub(super) fn surveys<'a>(case: &Case<'a>) -> Vec<&'a Survey> {
    [case.server, case.client].into_iter().flatten().collect()
}

/// Lines that no pattern knows support what there is; where there is nothing, they are hypotheses of their own.
pub(super) fn hinted(
    (case, is_in_line): (&Case<'_>, bool),
    hypotheses: &mut Vec<Hypothesis<'_>>,
    nothing_failed: bool,
) -> Vec<String> {
    let mut proposals: Vec<String> = Vec::new();
    let known = hypotheses.len();
    let is_explained = hypotheses.iter().any(|hypothesis| hypothesis.odds + added(hypothesis) > 0.5);
    for (place, hint) in case.hints.iter().enumerate() {
        let lateness = Support::HintedLast.weight() * (place + 1) as f64 / case.hints.len() as f64;
        let means = hint.means;
        let cause = cause_of(means).unwrap_or(Code::Unreadable);
        let evidence = Evidence::of_line(hint.source, hint.line, &hint.text);
        let names_it = |hypothesis: &Hypothesis<'_>| match (&hint.mod_id, &hypothesis.measured) {
            (Some(id), Some(measured)) => is_about(&measured.finding, id.as_str()),
            (Some(id), None) => hypothesis.mod_id.as_ref().is_some_and(|known| known == id),
            (None, _) => hypothesis.cause == cause,
        };
        let speaks = |hypothesis: &Hypothesis<'_>| {
            names_it(hypothesis) && (family(means).contains(&hypothesis.cause) || hypothesis.measured.is_some())
        };
        let mut is_used = false;
        if let Some(hypothesis) = hypotheses[..known].iter_mut().find(|hypothesis| speaks(hypothesis)) {
            let strength = if family(means).contains(&hypothesis.cause) {
                Support::SameThing.weight() + 0.2
            } else {
                Support::HintedAgain.weight()
            };
            add(hypothesis, strength, evidence);
            is_used = true;
        } else if !is_explained && !nothing_failed {
            match hypotheses[known..].iter_mut().find(|hypothesis| speaks(hypothesis)) {
                Some(hypothesis) => {
                    let twice = hypothesis.evidence.len() as f64 * Support::HintedAgain.weight();
                    add(hypothesis, twice.min(2.0 * Support::HintedAgain.weight()), evidence);
                }
                None => {
                    let is_vague = means == Event::ModFailed;
                    let rests_on = if is_vague { Support::HintedVaguely } else { Support::Hinted };
                    let mut hypothesis = Hypothesis::of_text(cause, hint.mod_id.clone(), rests_on, evidence);
                    hypothesis.side = hint.own_side();
                    hypothesis.odds += lateness + if hint.is_known { 0.0 } else { Support::HintedUnknown.weight() };
                    hypothesis.odds += if hint.is_before_try { Support::HintedBefore.weight() } else { 0.0 };
                    hypotheses.push(hypothesis);
                }
            }
            is_used = true;
        }
        let proposal = proposal(hint);
        if is_used && proposals.len() < 3 && !proposals.contains(&proposal) {
            proposals.push(proposal);
        }
    }
    // What surveys say of a cause is no less true where only words tell it.
    for hypothesis in &mut hypotheses[known..] {
        hold_words_against_surveys(case, hypothesis, is_in_line);
    }
    proposals
}

/// What only words tell is about the side that nobody measured, where the other one is in line: in all, or with the mod.
fn hold_words_against_surveys(case: &Case<'_>, hypothesis: &mut Hypothesis<'_>, is_in_line: bool) {
    let left = match (&hypothesis.mod_id, case.server, case.client) {
        (None, Some(_), None) if is_in_line && case.canon.is_some() => Some(Role::Client),
        (None, None, Some(_)) if is_in_line && case.canon.is_some() => Some(Role::Server),
        (id, ..) => match who_is_left(case, id.as_ref(), hypothesis.cause) {
            Some(Left::Only(side)) => Some(side),
            _ => None,
        },
    };
    hypothesis.side = hypothesis.side.or(left);
    let (Some(_), Some(_), Some(id)) = (case.server, case.client, &hypothesis.mod_id) else { return };
    let is_there = |survey: &Survey| survey.mods.iter().any(|found| found.enabled && found.manifest.id == *id);
    if surveys(case).into_iter().all(is_there) {
        hypothesis.odds += Support::SpokenAgainst.weight() / 2.0;
    }
}
