//! A cause that may be it, with what speaks for it.

use std::collections::BTreeMap;

use super::measured::Measured;
use super::verdict::Evidence;
use super::weights::Support;
use crate::base::finding::{Code, Finding};
use crate::base::ids::FoldedId;
use crate::base::stated::Stated;
use crate::canon::Canon;
use crate::logs::{LogEvent, Source};
use crate::rulebook::Role;
use crate::survey::Survey;

/// A cause that may be it.
pub(super) struct Hypothesis<'a> {
    pub(super) cause: Code,
    pub(super) mod_id: Option<FoldedId>,
    pub(super) side: Option<Role>,
    /// What it rests on.
    pub(super) rests_on: Support,
    /// That, and what else was known at once, in log-odds; without `weights`.
    pub(super) odds: f64,
    pub(super) by: Vec<Source>,
    pub(super) evidence: Vec<Evidence>,
    pub(super) measured: Option<Measured<'a>>,
    pub(super) told: Option<&'a LogEvent>,
    /// What each source has added.
    pub(super) weights: BTreeMap<Source, f64>,
}

impl Hypothesis<'_> {
    /// One that rests on a text alone.
    pub(super) fn of_text(cause: Code, mod_id: Option<FoldedId>, rests_on: Support, evidence: Evidence) -> Self {
        Self {
            cause,
            mod_id,
            side: None,
            rests_on,
            odds: rests_on.weight(),
            by: vec![evidence.source],
            evidence: vec![evidence],
            measured: None,
            told: None,
            weights: BTreeMap::new(),
        }
    }
}

/// Adds a line to a hypothesis. Of one log the strongest line counts, since one mistake makes many lines.
pub(super) fn support(hypothesis: &mut Hypothesis<'_>, event: &LogEvent, strength: f64) {
    add(hypothesis, strength, Evidence::of_line(event.source, event.line, &event.text));
}

pub(super) fn add(hypothesis: &mut Hypothesis<'_>, strength: f64, evidence: Evidence) {
    let source = evidence.source;
    if !hypothesis.by.contains(&source) {
        hypothesis.by.push(source);
    }
    let weight = hypothesis.weights.entry(source).or_default();
    *weight = weight.max(strength);
    if !hypothesis.evidence.contains(&evidence) {
        hypothesis.evidence.push(evidence);
    }
}

pub(super) fn added(hypothesis: &Hypothesis<'_>) -> f64 {
    hypothesis.weights.values().sum()
}

/// Whether a line tells the value that was found where another one should be.
pub(super) fn tells_value(event: &LogEvent, finding: &Finding) -> bool {
    let Some(value) = event.found.as_ref().filter(|value| value.chars().count() > 2) else { return false };
    finding.found.as_ref().is_some_and(|found| has_value(found, value))
}

pub(super) const fn is_platform(code: Code) -> bool {
    matches!(code, Code::GameDiffers | Code::LoaderDiffers | Code::RuntimeDiffers | Code::MemoryLow)
}

/// Of the versions of the game, its loader and what it runs on, the one that such a cause is about.
pub(super) const fn version_of(cause: Code, [game, loader, runtime]: [&Option<String>; 3]) -> Option<&String> {
    match cause {
        Code::LoaderDiffers => loader.as_ref(),
        Code::RuntimeDiffers => runtime.as_ref(),
        _ => game.as_ref(),
    }
}

/// The versions that an install shows.
pub(super) const fn versions_on(survey: &Survey) -> [&Option<String>; 3] {
    let install = &survey.install;
    [&install.game_version, &install.loader_version, &install.runtime_version]
}

/// The versions that a canon asks for.
pub(super) const fn versions_of(canon: &Canon) -> [&Option<String>; 3] {
    [&canon.game_version, &canon.loader_version, &canon.runtime_version]
}

/// Whether a finding is about what a line names: its mod, its file, or an entry in what it tells.
pub(super) fn is_about(finding: &Finding, name: &str) -> bool {
    let ends_so = |path: &String| {
        let name = name.replace('\\', "/");
        path.eq_ignore_ascii_case(&name)
            || path
                .to_lowercase()
                .ends_with(&format!("/{}", name.rsplit('/').next().unwrap_or_default().to_lowercase()))
    };
    finding.mod_id.as_ref().is_some_and(|id| *id == name || is_same_name(name, id.as_str()))
        || finding.path.as_ref().is_some_and(ends_so)
        || finding.entries.iter().any(|entry| has_word(&entry.path, name))
        || [&finding.expected, &finding.found]
            .into_iter()
            .flatten()
            .any(|stated| name.chars().count() > 2 && has_value(stated, name))
}

/// Whether one of the values of what is stated is that one, or has it as a word.
pub(super) fn has_value(stated: &Stated, value: &str) -> bool {
    stated.values().into_iter().any(|held| has_word(held, value))
}

/// Whether a text has a name as a word of its own.
pub(super) fn has_word(text: &str, name: &str) -> bool {
    let (text, name) = (text.to_lowercase(), name.to_lowercase());
    let inside = |c: char| c.is_alphanumeric() || c == '-' || c == '_';
    text.match_indices(&name).any(|(at, _)| {
        text[..at].chars().next_back().is_none_or(|before| !inside(before))
            && text[at + name.len()..].chars().next().is_none_or(|after| !inside(after))
    })
}

/// A file is called after its mod, most often.
pub(super) fn is_same_name(a: &str, b: &str) -> bool {
    let stem = |name: &str| {
        let file = name.rsplit(['/', '\\']).next().unwrap_or(name).to_lowercase();
        let end = file.find(['.', '_']).unwrap_or(file.len());
        let version =
            file[..end].rfind('-').filter(|at| file[at + 1..end].chars().all(|c| c.is_ascii_digit())).unwrap_or(end);
        file[..version].to_owned()
    };
    a.eq_ignore_ascii_case(b) || stem(a) == stem(b)
}
