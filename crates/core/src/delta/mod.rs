//! Holds an install against the canon: every difference becomes a finding, every cause is told once.

mod bases;
mod context;
mod extras;
mod keys;
mod lists;
mod merged;
mod mods;
mod settings;
pub mod worlds;

use std::collections::BTreeSet;

use crate::base::act::Act;
use crate::base::finding::{Code, Finding, Severity};
use crate::base::ids::FoldedId;
use crate::base::stated::Stated;
use crate::resolve::fit::{FitSet, fit};
use crate::survey::Survey;

pub use context::{CheckContext, LeftAlone, MEMORY};
pub use extras::{extra_severity, is_left_over, may_stay, switched_off};
pub use keys::{Ring, ring, signers};
pub use lists::{ListWanted, OutOfPlay, can_be_made, launch_lines, out_of_play, sealed_lists, sides_by_list, target};
pub use merged::{
    EntryState, EntryStates, Placed, entries_of, entry_states, inner_of, placed_files, placed_left_over, same_entries,
    there,
};
pub use mods::changed_entries;
pub use settings::{SettingWanted, memory_floor, wanted_settings};

/// Everything in which a survey is off the canon, worst first.
pub fn findings(measure: CheckContext<'_>, survey: &Survey) -> Vec<Finding> {
    let mut findings = platforms(measure, survey);
    findings.extend(mods::judge(measure, survey));
    findings.extend(extras::judge(measure, survey));
    findings.extend(bases::judge(measure, survey));
    findings.extend(lists::judge(measure, survey));
    findings.extend(keys::judge(measure, survey));
    findings.extend(settings::judge(measure, survey));
    findings.extend(merged::judge(measure, survey));
    findings.extend(worlds::judge(measure, survey));
    let causes = findings.clone();
    findings.extend(unexplained_misfits(measure, survey, &causes));
    findings.sort_by(|a, b| (a.severity, &a.mod_id, a.code).cmp(&(b.severity, &b.mod_id, b.code)));
    findings
}

fn platforms(measure: CheckContext<'_>, survey: &Survey) -> Vec<Finding> {
    let loader = measure.rulebook.loader.as_ref();
    let runtime = measure.rulebook.runtime.as_ref();
    let loader_name = loader.map_or("the loader", |loader| loader.name.as_str());
    let pairs = [
        (
            Code::GameDiffers,
            measure.rulebook.game.as_str(),
            &measure.canon.game_version,
            &survey.install.game_version,
            !measure.rulebook.base.version.is_empty(),
        ),
        (
            Code::LoaderDiffers,
            loader_name,
            &measure.canon.loader_version,
            &survey.install.loader_version,
            loader.is_some_and(|l| !l.version.is_empty()),
        ),
        (
            Code::RuntimeDiffers,
            runtime.map_or("the runtime", |runtime| runtime.name.as_str()),
            &measure.canon.runtime_version,
            &survey.install.runtime_version,
            runtime.is_some_and(|runtime| !runtime.version.is_empty()),
        ),
    ];
    let mut findings = Vec::new();
    for (code, name, expected, found, can_be_read) in pairs {
        let Some(expected) = expected else { continue };
        let of = name.to_owned();
        let finding = match found {
            Some(found) if measure.rulebook.versions.same(expected, found) => continue,
            Some(found) => Finding::new(code, Act::Install { of: of.clone(), version: expected.clone() }).found(found),
            None if !can_be_read => continue,
            None => Finding::new(code, Act::InstallOrCorrectPlace { of: of.clone(), version: expected.clone() })
                .found(Stated::NoneFound)
                .severity(if code == Code::LoaderDiffers { Severity::Blocking } else { Severity::Risky }),
        };
        findings.push(finding.expected(Stated::Release { of, version: expected.clone() }));
    }
    findings
}

/// Misfits among the mods that no other finding accounts for.
fn unexplained_misfits(measure: CheckContext<'_>, survey: &Survey, causes: &[Finding]) -> Vec<Finding> {
    let mut named: BTreeSet<FoldedId> = causes.iter().filter_map(|cause| cause.mod_id.as_ref()).cloned().collect();
    // Whoever needs what a missing mod stands for needs that mod.
    let stands_for = measure.canon.mods.iter().filter(|sealed| named.contains(&sealed.manifest.id));
    let provided: Vec<FoldedId> = stands_for.flat_map(|sealed| &sealed.manifest.provides).cloned().collect();
    named.extend(provided);
    let platform_is_off = |code| causes.iter().any(|cause| cause.code == code);
    let set = FitSet {
        mods: survey
            .mods
            .iter()
            .filter(|found| found.enabled && found.manifest.made_for.is_none())
            .map(|found| &found.manifest)
            .collect(),
        role: Some(survey.install.role),
        game_version: survey.install.game_version.as_deref().filter(|_| !platform_is_off(Code::GameDiffers)),
        loader_version: survey.install.loader_version.as_deref().filter(|_| !platform_is_off(Code::LoaderDiffers)),
        runtime_version: survey.install.runtime_version.as_deref().filter(|_| !platform_is_off(Code::RuntimeDiffers)),
    };
    let misfits = fit(&set, measure.rulebook.versions);
    misfits
        .into_iter()
        .filter(|misfit| !named.contains(&misfit.subject) && !named.contains(&misfit.object))
        .map(|misfit| misfit.finding)
        .collect()
}

#[cfg(test)]
#[path = "../tests/check.rs"]
mod tests;
