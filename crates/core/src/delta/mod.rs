//! Holds an install against the canon, once: findings tell the differences, each cause once, and plans mend them.

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
use worlds::Shaping;

pub use context::{CheckContext, LeftAlone, MEMORY};
pub use extras::{ExtraMod, extra_severity};
pub use keys::{Ring, ring, signers};
pub use lists::{ListDelta, ListWanted, OutOfPlay, launch_lines, out_of_play, sealed_lists, sides_by_list};
pub use merged::{
    DataDelta, EntryState, EntryStates, Outside, Placed, PlacedState, entries_of, inner_of, placed_files, same_entries,
};
pub use mods::{CopyDelta, ModInPlace, ReleaseDifference, changed_entries};
pub use settings::{MemoryWanted, SettingWanted};

/// An install beside the canon: what is to be, and what is.
#[derive(Debug, Clone)]
pub struct Delta<'a> {
    /// What the install is held against.
    pub context: CheckContext<'a>,
    /// What was measured there.
    pub survey: &'a Survey,
    /// The mods of the canon, in each place.
    pub mods: Vec<ModInPlace<'a>>,
    /// Mods that the canon does not have.
    pub extras: Vec<ExtraMod<'a>>,
    /// The key folder.
    pub keys: Ring<'a>,
    /// What text files say.
    pub texts: TextDelta<'a>,
    /// Files of mods outside the shelves.
    pub outside: Outside<'a>,
    /// Mods that reshape worlds and that come or go, where there is a world.
    pub worlds: Vec<Shaping>,
}

/// The game's own text files beside the canon.
#[derive(Debug, Clone)]
pub struct TextDelta<'a> {
    /// What they are held against.
    pub context: CheckContext<'a>,
    /// Mod lists and launch lines.
    pub lists: Vec<ListDelta<'a>>,
    /// Settings that must have a value.
    pub settings: Vec<SettingWanted<'a>>,
    /// Amounts of memory.
    pub memory: Vec<MemoryWanted<'a>>,
    /// Data files that mods merge entries into.
    pub data: Vec<DataDelta<'a>>,
}

impl<'a> TextDelta<'a> {
    /// Holds the text files of an install against the canon.
    pub fn compute(context: CheckContext<'a>, survey: &'a Survey) -> Self {
        let lists = lists::compute(context, survey);
        Self {
            context,
            settings: settings::wanted_settings(context, survey, &lists),
            lists,
            memory: settings::wanted_memory(context, survey),
            data: merged::data_files(context, survey),
        }
    }
}

impl<'a> Delta<'a> {
    /// Holds an install against the canon.
    pub fn compute(context: CheckContext<'a>, survey: &'a Survey) -> Self {
        Self {
            context,
            survey,
            mods: mods::compute(context, survey),
            extras: extras::compute(context, survey),
            keys: ring(context, survey),
            texts: TextDelta::compute(context, survey),
            outside: merged::outside(context, survey),
            worlds: worlds::compute(context, survey),
        }
    }

    /// Everything in which the install is off the canon, worst first.
    pub fn findings(&self) -> Vec<Finding> {
        let Self { context, survey, mods, extras, keys, texts, outside, worlds } = self;
        let (context, survey) = (*context, *survey);
        let mut findings = platforms(context, survey);
        findings.extend(mods::findings(context, survey, mods));
        findings.extend(extras::findings(context, survey, extras));
        findings.extend(bases::findings(context, survey));
        findings.extend(lists::findings(context, survey, &texts.lists));
        findings.extend(keys::findings(context, survey, keys));
        findings.extend(settings::findings(context, survey, &texts.settings, &texts.memory));
        findings.extend(merged::findings(context, survey, &texts.data, outside));
        findings.extend(worlds::findings(survey, worlds));
        let misfits = unexplained_misfits(context, survey, &findings);
        findings.extend(misfits);
        findings.sort_by(|a, b| (a.severity, &a.mod_id, a.code).cmp(&(b.severity, &b.mod_id, b.code)));
        findings
    }
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
