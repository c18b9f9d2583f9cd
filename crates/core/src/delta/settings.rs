//! Settings and memory: the value that each must have, with what it quotes filled in, and in what a file says otherwise.

use std::collections::BTreeSet;

use super::context::{CheckContext, MEMORY, align};
use super::lists::ListDelta;
use crate::base::act::Act;
use crate::base::finding::{Code, Finding};
use crate::base::remedy::Remedy;
use crate::base::stated::Stated;
use crate::canon::SealedSetting;
use crate::rulebook::{MemoryRule, Role, SettingRule, UnknownName, filled};
use crate::survey::{FileProblem, Survey, SurveyedMemory, SurveyedSetting};

/// Why nobody knows what a setting is to be.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum ValueError {
    /// It is said by itself.
    #[error("the setting `{0}` quotes itself")]
    QuotesItself(String),
    /// A place that it quotes is not there.
    #[error("nothing is there that {0} stands for")]
    Nothing(String),
    /// A place that it quotes is there more than once.
    #[error("{0} stands for several: {1}")]
    Several(String, String),
    /// What it quotes is nowhere said.
    #[error(transparent)]
    Unknown(#[from] UnknownName),
}

/// A setting that must have a value.
#[derive(Debug, Clone)]
pub struct SettingWanted<'a> {
    /// Where it is.
    pub rule: &'a SettingRule,
    /// What was found there.
    pub found: &'a SurveyedSetting,
    /// The value, in the words of the one that is there; or what it quotes and nobody knows.
    pub value: Result<String, ValueError>,
    /// Whose it is, where that was said.
    of: Option<Role>,
}

impl SettingWanted<'_> {
    /// Whether the file says so already.
    pub fn is_said(&self) -> bool {
        let pair = self.value.as_ref().ok().zip(self.found.value.as_ref());
        pair.is_some_and(|(wanted, found)| self.rule.means_same(wanted, found))
    }
}

/// The settings of an install that must have a value by the canon.
pub(super) fn wanted_settings<'a>(
    measure: CheckContext<'a>,
    survey: &'a Survey,
    lists: &[ListDelta<'a>],
) -> Vec<SettingWanted<'a>> {
    let role = survey.install.role;
    let mut wanted: Vec<SettingWanted<'a>> = counts(measure, survey, lists).collect();
    for sealed in measure.canon.settings.iter().filter(|sealed| sealed.of.is_none_or(|of| of == role)) {
        let Some(rule) = measure.rulebook.settings.iter().find(|rule| rule.name == sealed.name) else { continue };
        for found in survey.settings.iter().filter(|found| found.name == sealed.name) {
            let value = value_of(measure, survey, sealed, found, &mut BTreeSet::new());
            let value = value.map(|value| rule.in_words_of(&value, found.value.as_deref()));
            wanted.push(SettingWanted { rule, found, value, of: sealed.of.or(rule.of) });
        }
    }
    wanted
}

/// Numbers that say how many entries a list has: as many as it is to have.
fn counts<'a>(
    measure: CheckContext<'a>,
    survey: &'a Survey,
    lists: &[ListDelta<'a>],
) -> impl Iterator<Item = SettingWanted<'a>> {
    let rule = |found: &SurveyedSetting| measure.rulebook.settings.iter().find(|rule| rule.name == found.name);
    survey.settings.iter().filter_map(move |found| {
        let rule = rule(found)?;
        let list = rule.counts.as_ref()?;
        let of_list = lists.iter().find(|one| one.rule.name == *list && one.list.file == found.file)?;
        let value = Ok(of_list.wanted.changes.len().to_string());
        of_list.list.problem.is_none().then_some(SettingWanted { rule, found, value, of: rule.of })
    })
}

/// A setting's value: other settings and the names of places are filled in. One that quotes itself is told.
fn value_of(
    measure: CheckContext<'_>,
    survey: &Survey,
    sealed: &SealedSetting,
    found: &SurveyedSetting,
    asked: &mut BTreeSet<String>,
) -> Result<String, ValueError> {
    if !asked.insert(sealed.name.clone()) {
        return Err(ValueError::QuotesItself(sealed.name.clone()));
    }
    let asked = std::cell::RefCell::new(asked);
    let why = std::cell::RefCell::new(None);
    let known = |name: &str| {
        if let Some(names) = survey.quoted.get(name) {
            return match names.as_slice() {
                [one] => Some(one.clone()),
                [] => told(&why, ValueError::Nothing(name.to_owned())),
                // Of several, the one that is set already is as good as any.
                several => found
                    .value
                    .clone()
                    .filter(|value| several.contains(value))
                    .or_else(|| told(&why, ValueError::Several(name.to_owned(), several.join(", ")))),
            };
        }
        let other = measure.canon.settings.iter().find(|other| other.name == name);
        match other {
            Some(other) => value_of(measure, survey, other, found, &mut asked.borrow_mut())
                .map_err(|reason| why.replace(Some(reason)))
                .ok(),
            None => survey.settings.iter().find(|other| other.name == name).and_then(|other| other.value.clone()),
        }
    };
    filled(&sealed.is, known).map_err(|name| why.take().unwrap_or(ValueError::Unknown(name)))
}

fn told(why: &std::cell::RefCell<Option<ValueError>>, reason: ValueError) -> Option<String> {
    why.replace(Some(reason));
    None
}

/// So many bytes of memory an install must be given.
fn memory_floor(measure: CheckContext<'_>, survey: &Survey, rule: &MemoryRule) -> u64 {
    let role = survey.install.role;
    let mods = measure.canon.mods.iter().filter(|sealed| sealed.needed_on().includes(role)).count() as u64;
    let by_rule = rule.floor.saturating_add(rule.each_mod.saturating_mul(mods));
    by_rule.max(measure.canon.memory.unwrap_or(0))
}

/// An amount of memory that a launch line gives, and what it must give.
#[derive(Debug, Clone, Copy)]
pub struct MemoryWanted<'a> {
    /// Where it is.
    pub rule: &'a MemoryRule,
    /// What was found there.
    pub found: &'a SurveyedMemory,
    /// So many bytes it must be.
    pub floor: u64,
}

impl MemoryWanted<'_> {
    /// Whether less is said.
    pub fn is_low(&self) -> bool {
        self.found.bytes.is_some_and(|bytes| bytes < self.floor)
    }
}

/// The amounts of memory that an install must be given.
pub(super) fn wanted_memory<'a>(measure: CheckContext<'a>, survey: &'a Survey) -> Vec<MemoryWanted<'a>> {
    let rule = |found: &SurveyedMemory| measure.rulebook.memory.iter().find(|rule| rule.file.fits(&found.file));
    let wanted = survey.memory.iter().filter_map(|found| Some((rule(found)?, found)));
    wanted.map(|(rule, found)| MemoryWanted { rule, found, floor: memory_floor(measure, survey, rule) }).collect()
}

/// Findings about settings and memory.
pub(super) fn findings(
    context: CheckContext<'_>,
    survey: &Survey,
    settings: &[SettingWanted<'_>],
    memory: &[MemoryWanted<'_>],
) -> Vec<Finding> {
    // A file that is not there may be the other side's, unless somebody says whose it is.
    let may_be_elsewhere = |wanted: &&SettingWanted<'_>| {
        let is_nowhere = wanted.found.problem == Some(FileProblem::NotThere);
        is_nowhere && wanted.of.is_none()
    };
    let off = settings.iter().filter(|wanted| !wanted.is_said() && !may_be_elsewhere(wanted));
    let part =
        |wanted: &SettingWanted<'_>| context.of_part(&wanted.found.file, &wanted.rule.name, setting(survey, wanted));
    let mut findings: Vec<Finding> = off.map(part).collect();
    findings.extend(nowhere_yet(context, survey));
    for wanted in memory {
        let low = low_memory(survey, *wanted);
        findings.extend(low.map(|finding| context.of_part(&wanted.found.file, MEMORY, finding)));
    }
    findings
}

/// Settings that this side must have, in places where nothing is yet.
fn nowhere_yet(measure: CheckContext<'_>, survey: &Survey) -> Vec<Finding> {
    let is_missed = |sealed: &&SealedSetting| {
        sealed.of == Some(survey.install.role) && !survey.settings.iter().any(|found| found.name == sealed.name)
    };
    let missed = measure.canon.settings.iter().filter(is_missed);
    let rule = |sealed: &SealedSetting| measure.rulebook.settings.iter().find(|rule| rule.name == sealed.name);
    let finding = |(rule, sealed): (&SettingRule, &SealedSetting)| {
        Finding::new(Code::SettingMissing, Act::StartForFile)
            .at(rule.file.to_string())
            .expected(Stated::Setting { name: sealed.name.clone(), value: sealed.is.clone() })
            .found(Stated::CalledSoYet)
    };
    missed.filter_map(|sealed| Some(finding((rule(sealed)?, sealed)))).collect()
}

fn setting(survey: &Survey, wanted: &SettingWanted<'_>) -> Finding {
    let SettingWanted { rule, found, value, .. } = wanted;
    let said = match (&found.value, &found.problem) {
        (_, Some(problem)) => problem.into(),
        (Some(value), None) => Stated::Verbatim(value.clone()),
        (None, None) => Stated::Nothing,
    };
    let name = rule.name.clone();
    let expected = match value {
        Ok(value) => Stated::Setting { name, value: value.clone() },
        Err(why) => Stated::SettingWithout { name, why: why.to_string() },
    };
    let (code, remedy): (Code, Remedy) = match (&rule.licence, &found.problem, value) {
        (Some(licence), None, _) => {
            let command = align(survey).word("--accept-licence").word(rule.name.as_str());
            (Code::LicenceNotAccepted, Remedy::Accepting { licence: licence.clone(), command })
        }
        (_, Some(FileProblem::NotThere), _) => (Code::SettingMissing, Act::StartForFile.into()),
        (_, Some(FileProblem::Unreadable(_)), _) => (Code::SettingMissing, Act::MendFile.into()),
        (None, None, Err(_)) => (Code::SettingDiffers, Act::SayValue(rule.name.clone()).into()),
        (None, None, Ok(_)) if found.value.is_none() => (Code::SettingMissing, align(survey).into()),
        (None, None, Ok(_)) => (Code::SettingDiffers, align(survey).into()),
    };
    Finding::new(code, remedy).at(found.file.as_str()).expected(expected).found(said)
}

fn low_memory(survey: &Survey, MemoryWanted { rule, found, floor }: MemoryWanted<'_>) -> Option<Finding> {
    let said: Stated = match (found.bytes, &found.problem) {
        (Some(bytes), _) if bytes >= floor => return None,
        (None, None) => return None,
        // Who starts the game in another way gives it memory elsewhere; the launch line tells of the file.
        (None, Some(FileProblem::NotThere)) => return None,
        (Some(bytes), _) => rule.written(bytes, "MiB").into(),
        (None, Some(problem)) => problem.into(),
    };
    let remedy: Remedy = match found.bytes {
        Some(_) => align(survey).into(),
        None => Act::MendFile.into(),
    };
    let finding = Finding::new(Code::MemoryLow, remedy).at(found.file.as_str());
    Some(finding.expected(Stated::AtLeast(rule.written(floor, "MiB"))).found(said))
}

#[cfg(test)]
#[path = "../tests/check_settings.rs"]
mod tests;
