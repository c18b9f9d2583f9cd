//! Worlds: when a change of mods wants a new one.

use super::context::CheckContext;
use super::extras::may_stay;
use crate::base::finding::{Code, Finding};
use crate::base::ids::FoldedId;
use crate::base::path::InstallPath;
use crate::base::remedy::Remedy;
use crate::base::stated::Stated;
use crate::base::suggestion::Suggestion;
use crate::survey::{Survey, SurveyedMod};

/// A mod that reshapes worlds, and what happens to it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Shaping {
    /// Its id.
    pub id: FoldedId,
    /// What happens to it.
    pub change: Change,
}

/// What happens to a mod.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Change {
    /// It comes to a world that was made without it.
    Added,
    /// It goes from a world that was made with it.
    Removed,
    /// It is replaced by another release or other bytes.
    Replaced,
}

/// The mods that reshape worlds and that an alignment would add, remove or replace, where there is a world.
pub(super) fn compute(measure: CheckContext<'_>, survey: &Survey) -> Vec<Shaping> {
    if survey.worlds.is_empty() {
        return Vec::new();
    }
    let role = survey.install.role;
    let by_id = survey.mods_by_id();
    let enabled = |id: &FoldedId| {
        let copies = by_id.get(id).into_iter().flatten();
        copies.filter(|found| found.enabled && found.manifest.made_for.is_none()).collect::<Vec<_>>()
    };
    let wanted = measure.canon.mods.iter().filter(|sealed| sealed.needed_on().includes(role));
    let mut changes: Vec<Shaping> = wanted
        .filter_map(|sealed| {
            let copies = enabled(&sealed.manifest.id);
            let was_shaping = copies.iter().any(|copy| copy.manifest.shapes_world);
            let change = match copies.is_empty() {
                true => Change::Added,
                false if copies.iter().any(|copy| copy.digest == sealed.digest) => return None,
                false => Change::Replaced,
            };
            let shapes = sealed.manifest.shapes_world || was_shaping;
            shapes.then(|| Shaping { id: sealed.manifest.id.clone(), change })
        })
        .collect();
    let in_canon =
        |found: &SurveyedMod| measure.canon.mods.iter().any(|sealed| sealed.manifest.id == found.manifest.id);
    let gone = survey.mods.iter().filter(|found| {
        found.enabled
            && found.manifest.shapes_world
            && found.manifest.made_for.is_none()
            && !in_canon(found)
            && !may_stay(measure, role, found)
    });
    changes.extend(gone.map(|found| Shaping { id: found.manifest.id.clone(), change: Change::Removed }));
    changes.sort_by(|a, b| a.id.cmp(&b.id));
    changes.dedup_by(|a, b| a.id == b.id);
    changes
}

/// Those changes after which the world that is there may not do: a mod comes to it or goes from it.
pub fn wanting_new(changes: &[Shaping]) -> impl Iterator<Item = &Shaping> {
    changes.iter().filter(|shaping| shaping.change != Change::Replaced)
}

/// Findings about worlds.
pub(super) fn findings(survey: &Survey, changes: &[Shaping]) -> Vec<Finding> {
    let Some(world) = survey.worlds.first() else { return Vec::new() };
    let finding = |shaping: &Shaping| {
        let remedy = Remedy::OrOtherWorld(Suggestion::align(&survey.install.name).word("--world").word("new"));
        let (expected, found) = match shaping.change {
            Change::Removed => (Stated::WorldWithout, Stated::OneWith),
            Change::Added | Change::Replaced => (Stated::WorldWith, Stated::OneWithout),
        };
        let finding = Finding::new(Code::WorldNeedsNew, remedy).about(&shaping.id).at(world.as_str());
        finding.expected(expected).found(found)
    };
    wanting_new(changes).map(finding).collect()
}

/// A survey without what lies in worlds that are set aside: all of that is missing then.
pub fn without_worlds(survey: &Survey) -> Survey {
    let is_in_world =
        |path: &InstallPath| survey.worlds.iter().any(|world| path == world || path.below(world).is_some());
    let mut without = survey.clone();
    without.mods.retain(|found| found.is_id_alone() || !is_in_world(&found.path));
    without.strays.retain(|found| !is_in_world(&found.path));
    without.unreadable.retain(|broken| !InstallPath::new(&broken.path).is_ok_and(|path| is_in_world(&path)));
    without
}
