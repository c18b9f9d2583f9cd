//! What is on an install beside the canon: players have their maps and helpers, and leftovers that break a join.

use std::collections::{BTreeMap, BTreeSet};

use super::context::{CheckContext, align};
use crate::base::act::Act;
use crate::base::finding::{Code, Finding, Severity};
use crate::base::ids::FoldedId;
use crate::base::remedy::Remedy;
use crate::base::stated::Stated;
use crate::config::Extras;
use crate::resolve::fit::{FitSet, fit};
use crate::rulebook::{NeededOn, Role};
use crate::survey::{StandsFor, Survey, SurveyedMod};

/// A mod that is on an install and that the canon does not have, or not for this loader.
#[derive(Debug, Clone)]
pub struct ExtraMod<'a> {
    /// What was found.
    pub found: &'a SurveyedMod,
    /// The file of a list that switches it off: the game does not load it.
    pub off_in: Option<String>,
    /// Whether it was made for another version of the game or the loader than the canon's: a leftover of an update.
    pub left_over: bool,
    /// How bad it is.
    pub severity: Severity,
}

/// What an install has beside the canon.
pub(super) fn compute<'a>(measure: CheckContext<'a>, survey: &'a Survey) -> Vec<ExtraMod<'a>> {
    let canon: BTreeSet<&FoldedId> = measure.canon.mods.iter().map(|sealed| &sealed.manifest.id).collect();
    let off = switched_off(survey);
    let is_extra = |found: &&SurveyedMod| found.manifest.made_for.is_some() || !canon.contains(&found.manifest.id);
    let extras = survey.mods.iter().filter(|found| found.enabled && !found.is_id_alone()).filter(is_extra);
    let extra = |found: &'a SurveyedMod| {
        let left_over = is_left_over(measure, found);
        let by_side = || extra_severity(survey.install.role, found, measure.extras);
        let severity = if left_over { Severity::Blocking } else { by_side() };
        ExtraMod { found, off_in: off.get(&found.manifest.id).cloned(), left_over, severity }
    };
    extras.map(extra).collect()
}

/// Findings about what the canon does not have.
pub(super) fn findings(context: CheckContext<'_>, survey: &Survey, extras: &[ExtraMod<'_>]) -> Vec<Finding> {
    let mut findings: Vec<Finding> = extras.iter().map(|extra| finding(context, survey, extra)).collect();
    findings.extend(unreadable(context, survey));
    findings.extend(case_twins(survey));
    findings
}

/// Mods that are there and that a list switches off, by folded id, each with the list's file: the game does not load them.
fn switched_off(survey: &Survey) -> BTreeMap<FoldedId, String> {
    let entries = || survey.lists.iter().flat_map(|list| list.entries.iter().map(move |entry| (list, entry)));
    let on: BTreeSet<FoldedId> = entries().filter(|(_, entry)| entry.on).map(|(_, entry)| entry.id.clone()).collect();
    let off = entries().filter(|(_, entry)| !entry.on && entry.stands_for == StandsFor::Mod);
    let off = off.map(|(list, entry)| (entry.id.clone(), list.file.to_string()));
    off.filter(|(id, _)| !on.contains(id)).collect()
}

/// Whether a mod was made for another version of the game or the loader than the canon's: a leftover of an update.
fn is_left_over(measure: CheckContext<'_>, found: &SurveyedMod) -> bool {
    let canon = measure.canon;
    let alone = FitSet {
        mods: vec![&found.manifest],
        role: None,
        game_version: canon.game_version.as_deref(),
        loader_version: canon.loader_version.as_deref(),
        runtime_version: canon.runtime_version.as_deref(),
    };
    let of_platform = |code| matches!(code, Code::GameDiffers | Code::LoaderDiffers | Code::RuntimeDiffers);
    fit(&alone, measure.rulebook.versions).iter().any(|misfit| of_platform(misfit.finding.code))
}

/// Whether a mod that the canon does not have may stay on an install: an alignment leaves it where it is.
pub(super) fn may_stay(measure: CheckContext<'_>, role: Role, found: &SurveyedMod) -> bool {
    extra_severity(role, found, measure.extras) != Severity::Blocking && !is_left_over(measure, found)
}

/// How bad an enabled mod is that the canon does not have.
pub fn extra_severity(role: Role, found: &SurveyedMod, extras: Extras) -> Severity {
    match (role, found.manifest.needed_on) {
        _ if found.manifest.made_for.is_some() => Severity::Blocking,
        (_, NeededOn::Both) => Severity::Blocking,
        (Role::Server, _) => Severity::Risky,
        (Role::Client, _) => match extras {
            Extras::Keep => Severity::Note,
            Extras::Ask => Severity::Risky,
            Extras::Forbid => Severity::Blocking,
        },
    }
}

fn finding(measure: CheckContext<'_>, survey: &Survey, extra: &ExtraMod<'_>) -> Finding {
    let ExtraMod { found, off_in, left_over, severity } = extra;
    let told = |remedy, what: Stated, severity| {
        let finding = Finding::new(Code::ModExtra, remedy).about(&found.manifest.id).at(found.path.as_str());
        finding.expected(Stated::NotThere).found(what).severity(severity)
    };
    let version = found.version_or_dash().to_owned();
    if let Some(file) = off_in {
        let what = Stated::SwitchedOffIn { version, file: file.clone() };
        return told(Act::NotLoaded.into(), what, Severity::Note);
    }
    let what = match (&found.manifest.made_for, found.manifest.needed_on) {
        (Some(loader), _) => Stated::MadeForLoader { version, loader: loader.to_string() },
        _ if *left_over => Stated::MadeForOther(version),
        (None, NeededOn::Both) => Stated::NeededOnBoth(version),
        (None, NeededOn::Optional) => Stated::Optional(version),
        (None, side) => Stated::ForSideAlone { version, side: side.as_str() },
    };
    let remedy: Remedy = match (severity, measure.extras, survey.install.role) {
        (Severity::Blocking, _, _) => align(survey).into(),
        (Severity::Note, _, _) => Act::NotMinded.into(),
        (_, Extras::Ask, Role::Client) => Remedy::OrLeave(align(survey).word("--park-extras")),
        _ => Act::AddOrTakeOff.into(),
    };
    told(remedy, what, *severity)
}

/// What could not be read, unless it stands where a mod of the canon belongs: then that mod's finding tells it.
fn unreadable(measure: CheckContext<'_>, survey: &Survey) -> Vec<Finding> {
    let role = survey.install.role;
    let expected: BTreeSet<String> = measure
        .canon
        .mods
        .iter()
        .filter(|sealed| sealed.needed_on().includes(role))
        .flat_map(|sealed| {
            let places = measure.rulebook.shelf(&sealed.shelf).into_iter().flat_map(|shelf| survey.places(shelf));
            places.filter_map(|place| place.join(&sealed.name).ok()).map(String::from).collect::<Vec<_>>()
        })
        .collect();
    survey
        .unreadable
        .iter()
        .filter(|broken| !expected.contains(&broken.path))
        .map(|broken| {
            let code = if broken.still_packed { Code::StillPacked } else { Code::Unreadable };
            let remedy: Remedy = match broken.is_file {
                true => align(survey).into(),
                false => Act::MendOrRemove.into(),
            };
            Finding::new(code, remedy).at(&broken.path).expected(Stated::ReadableMod).found(&broken.why)
        })
        .collect()
}

/// Names that are two here and one on a system that ignores letter case.
fn case_twins(survey: &Survey) -> Vec<Finding> {
    let mut seen: BTreeMap<String, &SurveyedMod> = BTreeMap::new();
    let mut findings = Vec::new();
    for found in survey.mods.iter().filter(|found| !found.is_id_alone()) {
        if let Some(first) = seen.insert(found.path.folded(), found) {
            let finding = Finding::new(Code::WrongName, Act::RenameOrRemove)
                .about(&found.manifest.id)
                .at(found.path.as_str())
                .expected(Stated::MoreThanLetterCase)
                .found(Stated::Beside(found.path.clone(), first.path.clone()));
            findings.push(finding.severity(Severity::Risky));
        }
    }
    findings
}
