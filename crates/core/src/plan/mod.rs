//! The plan that brings an install in line with the canon: steps over whole files, each with its reason.
//!
//! A plan is made from a survey and nothing else, so that a preview shows just what would be carried out.

pub mod reason;
pub mod text_edits;
pub mod worlds;

use std::collections::{BTreeMap, BTreeSet, HashMap};

use serde::{Deserialize, Serialize};

use crate::base::digest::Blake3;
use crate::base::finding::Severity;
use crate::base::ids::FoldedId;
use crate::base::path::{InstallPath, PathError};
use crate::canon::{SealedFile, SealedMod};
use crate::delta::{CopyDelta, Delta, ModInPlace, PlacedState};
use crate::manifest::ModManifest;
use crate::plan::reason::{Key, Reason, Release};
use crate::rulebook::{NeededOn, RelationKind, Role, Shelf};
use crate::survey::{Survey, SurveyedMod};

/// The first field of every alignment.
pub const FORMAT: &str = "kanon-alignment/1";

/// One step of an alignment.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Step {
    /// What is done.
    #[serde(flatten)]
    pub action: Action,
    /// The file it is done to.
    pub path: InstallPath,
    /// Why; nothing in what an older version of Kanon wrote.
    #[serde(default)]
    pub reasons: Vec<Reason>,
    /// The bytes that are written for it.
    pub bytes: u64,
    /// Of a text file that is changed inside: the lines that are others afterwards.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub lines: Vec<LineChange>,
}

impl Step {
    /// A step for one reason, that writes nothing yet and changes no lines.
    pub fn new(action: Action, path: InstallPath, reason: Reason) -> Self {
        Self { action, path, reasons: vec![reason], bytes: 0, lines: Vec::new() }
    }
}

/// The release of a sealed mod.
fn release(sealed: &SealedMod) -> Release {
    Release { id: sealed.manifest.id.clone(), version: sealed.manifest.version.clone() }
}

/// A line of a text file that goes or comes.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct LineChange {
    /// Its number, from one: before the change where it goes, after it where it comes.
    pub line: usize,
    /// Whether it comes.
    pub comes: bool,
    /// What it says.
    pub text: String,
}

/// What a step does.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(tag = "action", rename_all = "kebab-case")]
pub enum Action {
    /// Takes a file off the install, into the backup.
    Park,
    /// Gives a file another name or place.
    Rename {
        /// Where it is now.
        from: InstallPath,
    },
    /// Puts a file where there is none.
    Put {
        /// The digest of its bytes.
        blake3: Blake3,
    },
    /// Puts a file in place of another.
    Replace {
        /// The digest of the new bytes.
        blake3: Blake3,
    },
    /// Copies a file into the backup and leaves it where it is.
    BackUp,
}

impl Action {
    /// The word for it.
    pub const fn as_str(&self) -> &'static str {
        match self {
            Self::Park => "park",
            Self::Rename { .. } => "rename",
            Self::Put { .. } => "put",
            Self::Replace { .. } => "replace",
            Self::BackUp => "back-up",
        }
    }

    /// The digest of the bytes that it puts somewhere.
    pub const fn puts(&self) -> Option<Blake3> {
        match self {
            Self::Put { blake3 } | Self::Replace { blake3 } => Some(*blake3),
            Self::Park | Self::Rename { .. } | Self::BackUp => None,
        }
    }
}

impl Step {
    /// The paths that it is about.
    pub fn paths(&self) -> impl Iterator<Item = &InstallPath> {
        let from = if let Action::Rename { from } = &self.action { Some(from) } else { None };
        std::iter::once(&self.path).chain(from)
    }

    /// The path where nothing is any more once it is done.
    pub const fn frees(&self) -> Option<&InstallPath> {
        match &self.action {
            Action::Park => Some(&self.path),
            Action::Rename { from } => Some(from),
            Action::Put { .. } | Action::Replace { .. } | Action::BackUp => None,
        }
    }
}

/// What an alignment would do.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, PartialEq, Eq, Default, Serialize, Deserialize)]
pub struct Plan {
    /// The steps, in the order in which they are done.
    pub steps: Vec<Step>,
}

/// Why no plan can be made.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum PlanError {
    /// The canon names a file that the install can't have.
    #[error("the canon can't be put in place: {0}")]
    Path(#[from] PathError),
    /// Two files of the canon want one name.
    #[error(
        "`{first}` and `{second}` of the canon want the same file `{path}` on a system that ignores letter case; give one of them another name"
    )]
    Collision {
        /// The mod that has the name.
        first: FoldedId,
        /// The mod that wants it too.
        second: FoldedId,
        /// The file.
        path: InstallPath,
    },
}

/// Which of the extra mods that may stay are taken off all the same.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum RiskyExtras {
    /// They stay.
    Stay,
    /// They are parked.
    Park,
}

/// Plans what it takes to bring an install in line.
///
/// # Errors
/// When the canon wants a file that can't be, or two in one place.
pub fn plan(delta: &Delta<'_>, risky: RiskyExtras) -> Result<Plan, PlanError> {
    let survey = delta.survey;
    let mut planner = Planner {
        survey,
        by_digest: by_digest(survey),
        present: present(survey),
        targets: targets(delta)?,
        kept: BTreeSet::new(),
        in_place: BTreeSet::new(),
        moved: BTreeSet::new(),
        parked: BTreeSet::new(),
        written: BTreeSet::new(),
        parks: Vec::new(),
        renames: Vec::new(),
        puts: Vec::new(),
    };
    planner.canon(delta)?;
    planner.park_extras(delta, risky);
    planner.park_unreadable();
    let mut plan = planner.finish();
    plan.beside_shelves(delta);
    plan.refuse_off_limits()?;
    Ok(plan)
}

/// A mod that a plan takes off although another needs it that stays.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Orphan {
    /// The mod that is taken off.
    pub taken: FoldedId,
    /// The mod that needs it.
    pub needed_by: FoldedId,
}

/// What a plan would leave without what it needs. Only mods that are switched on and of this loader count, and what the canon
/// brings is there afterwards.
pub fn orphans(plan: &Plan, delta: &Delta<'_>) -> Vec<Orphan> {
    let Delta { context, survey, .. } = delta;
    let parked: BTreeSet<&InstallPath> =
        plan.steps.iter().filter(|step| step.action == Action::Park).map(|step| &step.path).collect();
    let is_on = |found: &&SurveyedMod| found.enabled && found.manifest.made_for.is_none();
    let goes =
        |found: &&SurveyedMod| !found.files.is_empty() && found.files.iter().all(|file| parked.contains(&file.path));
    let (gone, stays): (Vec<&SurveyedMod>, Vec<&SurveyedMod>) = survey.mods.iter().filter(is_on).partition(goes);
    let ids = |manifest: &ModManifest| -> Vec<FoldedId> {
        std::iter::once(&manifest.id).chain(&manifest.provides).cloned().collect()
    };
    let role = survey.install.role;
    let of_canon =
        context.canon.mods.iter().filter(|sealed| sealed.needed_on().includes(role)).map(|sealed| &sealed.manifest);
    let there: BTreeSet<FoldedId> = stays.iter().map(|found| &found.manifest).chain(of_canon).flat_map(ids).collect();
    let mut orphans = Vec::new();
    for taken in gone {
        let lost: Vec<FoldedId> = ids(&taken.manifest).into_iter().filter(|id| !there.contains(id)).collect();
        let needs = |found: &&&SurveyedMod| {
            let required = found.manifest.relations.iter().filter(|relation| relation.kind == RelationKind::Required);
            required.into_iter().any(|relation| lost.contains(&relation.id))
        };
        let needed = stays.iter().filter(needs);
        orphans.extend(needed.map(|by| Orphan { taken: taken.manifest.id.clone(), needed_by: by.manifest.id.clone() }));
    }
    orphans.dedup();
    orphans
}

impl Plan {
    /// Refuses a plan with a step that touches what is Kanon's own, whatever made the plan.
    ///
    /// # Errors
    /// With the first such path.
    pub fn refuse_off_limits(&self) -> Result<(), PlanError> {
        self.steps.iter().flat_map(Step::paths).try_for_each(|path| Ok(path.clone().of_game().map(drop)?))
    }
}

/// Where the canon's files go on an install of that role, and whose they are.
fn targets(delta: &Delta<'_>) -> Result<BTreeMap<String, FoldedId>, PlanError> {
    let role = delta.survey.install.role;
    let mut targets: BTreeMap<String, FoldedId> = BTreeMap::new();
    let is_for_here = |side: NeededOn| side.includes(role) || side == NeededOn::Optional;
    for ModInPlace { sealed, place, .. } in delta.mods.iter().filter(|one| is_for_here(one.sealed.needed_on())) {
        for file in &sealed.files {
            let path = place.join(file.path.as_str())?;
            match targets.insert(path.folded(), sealed.manifest.id.clone()) {
                Some(first) if first != sealed.manifest.id => {
                    return Err(PlanError::Collision { first, second: sealed.manifest.id.clone(), path });
                }
                _ => {}
            }
        }
    }
    Ok(targets)
}

fn by_digest(survey: &Survey) -> HashMap<Blake3, Vec<&SurveyedMod>> {
    let mut by_digest: HashMap<Blake3, Vec<&SurveyedMod>> = HashMap::new();
    for found in survey.mods.iter().chain(&survey.strays) {
        by_digest.entry(found.digest).or_default().push(found);
    }
    by_digest
}

/// Every file the survey knows of, by its path.
fn present(survey: &Survey) -> BTreeMap<InstallPath, Option<Blake3>> {
    let measured = survey.mods.iter().chain(&survey.strays).flat_map(|found| &found.files);
    let broken = survey.unreadable.iter().filter_map(|broken| Some((InstallPath::new(&broken.path).ok()?, None)));
    let in_broken = survey.unreadable.iter().flat_map(|broken| &broken.files);
    let known = measured.chain(in_broken).chain(&survey.loose).map(|file| (file.path.clone(), Some(file.blake3)));
    broken.chain(known).collect()
}

struct Planner<'a> {
    survey: &'a Survey,
    /// The survey's mods and strays, by digest.
    by_digest: HashMap<Blake3, Vec<&'a SurveyedMod>>,
    present: BTreeMap<InstallPath, Option<Blake3>>,
    /// Folded paths that the canon wants, and the folded id of the mod that wants each.
    targets: BTreeMap<String, FoldedId>,
    /// Folded paths of copies that are right as they are.
    kept: BTreeSet<String>,
    /// Files that are right although others of their folder are not.
    in_place: BTreeSet<InstallPath>,
    /// Files that are moved away.
    moved: BTreeSet<InstallPath>,
    /// Files that are taken off.
    parked: BTreeSet<InstallPath>,
    /// Files that are put or moved into place.
    written: BTreeSet<InstallPath>,
    parks: Vec<Step>,
    renames: Vec<Step>,
    puts: Vec<Step>,
}

/// Needed there, or optional and there already.
fn is_wanted_there(one: &ModInPlace<'_>, role: Role) -> bool {
    let side = one.sealed.needed_on();
    side.includes(role) || (side == NeededOn::Optional && one.enabled().next().is_some())
}

impl Planner<'_> {
    /// What is right is kept, in every place, before anything is brought in: no place is filled by robbing another.
    fn canon(&mut self, delta: &Delta<'_>) -> Result<(), PlanError> {
        let role = self.survey.install.role;
        let mut wrong: Vec<&ModInPlace<'_>> = Vec::new();
        for one in delta.mods.iter().filter(|one| is_wanted_there(one, role)) {
            match self.right_copy(one) {
                Some(right) => {
                    self.kept.extend(right.files.iter().map(|file| file.path.folded()));
                    self.park_other_copies(one, Some(&right.path))?;
                }
                None => wrong.push(one),
            }
        }
        for one in wrong {
            self.bring_in(one)?;
            self.park_other_copies(one, None)?;
        }
        Ok(())
    }

    /// Of equal copies the one that is called as the canon calls it stays.
    fn right_copy<'m>(&self, one: &ModInPlace<'m>) -> Option<&'m SurveyedMod> {
        let right = one.enabled().filter(|copy| self.is_right(copy, one)).map(|copy| copy.found);
        right.min_by_key(|found| found.name != one.sealed.name)
    }

    fn park_other_copies(&mut self, one: &ModInPlace<'_>, right: Option<&InstallPath>) -> Result<(), PlanError> {
        let ModInPlace { sealed, shelf, place, .. } = one;
        let own = place.join(&sealed.name)?;
        for copy in one.enabled().map(|copy| copy.found).filter(|found| Some(&found.path) != right) {
            let of = release(sealed);
            match copy.path == own {
                // What whoever plays has set stays where the mod does, also what the canon knows nothing of.
                true => self.park_files(copy, &Reason::NoPartOf(of), |inner| shelf.is_setting(inner)),
                false => self.park_files(copy, &Reason::FurtherCopy(of), |_| false),
            }
        }
        Ok(())
    }

    /// The right bytes under a name that will do, and that no other mod of the canon wants.
    fn is_right(&self, copy: &CopyDelta<'_>, ModInPlace { sealed, shelf, .. }: &ModInPlace<'_>) -> bool {
        let free = |path: &InstallPath| self.targets.get(&path.folded()).is_none_or(|id| *id == sealed.manifest.id);
        copy.has_right_bytes()
            && shelf.same_name(&copy.found.name, &sealed.name)
            && copy.found.misnamed_beside(shelf).is_none()
            && copy.found.files.iter().all(|file| free(&file.path))
    }

    fn bring_in(&mut self, one: &ModInPlace<'_>) -> Result<(), PlanError> {
        let ModInPlace { sealed, shelf, place, .. } = one;
        for file in &sealed.files {
            let target = place.join(file.path.as_str())?;
            let setting = file.inner().filter(|inner| !sealed.same_settings && shelf.is_setting(inner));
            if !setting.is_some_and(|inner| self.keep_setting(one, inner, &target)) {
                self.bring_file(one, file, target);
            }
        }
        self.park_rest_of_broken(sealed, shelf, &place.join(&sealed.name)?);
        Ok(())
    }

    /// A folder of that name that is no mod, as where its document is damaged: what the mod has no use for would be taken for a part of it.
    fn park_rest_of_broken(&mut self, sealed: &SealedMod, shelf: &Shelf, own: &InstallPath) {
        let survey = self.survey;
        let broken = survey.unreadable.iter().filter(|broken| broken.path == own.as_str());
        for file in broken.flat_map(|broken| &broken.files) {
            let is_setting = file.path.below(own).is_some_and(|inner| shelf.is_setting(inner));
            if !is_setting && !self.is_wanted(&file.path) {
                self.park(file.path.clone(), Reason::NoPartOf(release(sealed)));
            }
        }
    }

    /// What whoever plays has set stays as it is, and goes along where the mod's folder is called otherwise now.
    fn keep_setting(&mut self, one: &ModInPlace<'_>, inner: &str, target: &InstallPath) -> bool {
        if self.present.contains_key(target) {
            self.in_place.insert(target.clone());
            return true;
        }
        let own = one.copies.iter().map(|copy| copy.found).find_map(|copy| {
            let file = copy.files.iter().find(|file| file.path.below(&copy.path) == Some(inner))?;
            Some(file.path.clone()).filter(|path| !self.is_moved(path))
        });
        let Some(from) = own else { return false };
        self.moved.insert(from.clone());
        self.written.insert(target.clone());
        self.renames.push(Step::new(Action::Rename { from }, target.clone(), Reason::OtherName(release(one.sealed))));
        true
    }

    fn bring_file(&mut self, one: &ModInPlace<'_>, file: &SealedFile, target: InstallPath) {
        let there = self.present.get(&target);
        if there == Some(&Some(file.blake3)) {
            self.in_place.insert(target);
            return;
        }
        let occupied = there.is_some();
        self.written.insert(target.clone());
        match (occupied, self.movable(one.sealed, file, &target)) {
            (false, Some(from)) => {
                self.moved.insert(from.clone());
                self.renames.push(Step::new(Action::Rename { from }, target, Reason::OtherName(release(one.sealed))));
            }
            (occupied, _) => {
                let reason = why_put(one, occupied);
                let action = if occupied {
                    Action::Replace { blake3: file.blake3 }
                } else {
                    Action::Put { blake3: file.blake3 }
                };
                self.puts.push(Step { bytes: file.size, ..Step::new(action, target, reason) });
            }
        }
    }

    /// A file with the right bytes that stands under a wrong name: disabled, misnamed or misplaced.
    fn movable(&self, sealed: &SealedMod, file: &SealedFile, target: &InstallPath) -> Option<InstallPath> {
        let mut files = self.by_digest.get(&sealed.digest).into_iter().flatten().flat_map(|found| &found.files);
        let free = |path: &InstallPath| path != target && !self.kept.contains(&path.folded()) && !self.is_moved(path);
        files.find(|other| other.blake3 == file.blake3 && free(&other.path)).map(|other| other.path.clone())
    }

    fn is_moved(&self, path: &InstallPath) -> bool {
        self.moved.contains(path)
    }

    /// Takes off the files of a copy, but for those that the canon wants in place or that are moved from there.
    fn park_files(&mut self, copy: &SurveyedMod, reason: &Reason, stays: impl Fn(&str) -> bool) {
        for file in &copy.files {
            let stays = file.path.below(&copy.path).is_some_and(&stays);
            if !stays && !self.is_wanted(&file.path) && !self.is_moved(&file.path) {
                self.park(file.path.clone(), reason.clone());
            }
        }
    }

    fn park(&mut self, path: InstallPath, reason: Reason) {
        if self.parked.insert(path.clone()) {
            self.parks.push(Step::new(Action::Park, path, reason));
        }
    }

    /// Whether a right file is there, or will be put there.
    fn is_wanted(&self, path: &InstallPath) -> bool {
        self.kept.contains(&path.folded()) || self.written.contains(path) || self.in_place.contains(path)
    }

    fn park_extras(&mut self, delta: &Delta<'_>, risky: RiskyExtras) {
        let goes =
            |severity| severity == Severity::Blocking || (severity == Severity::Risky && risky == RiskyExtras::Park);
        for extra in delta.extras.iter().filter(|extra| extra.off_in.is_none() && goes(extra.severity)) {
            let id = extra.found.manifest.id.clone();
            let reason = match &extra.found.manifest.made_for {
                Some(loader) => Reason::OtherLoader { id, loader: loader.clone() },
                None if extra.left_over => Reason::LeftOver { id },
                None => Reason::Extra { id },
            };
            self.park_files(extra.found, &reason, |_| false);
        }
    }

    /// What a shelf holds and nobody can read, unless a right file is put in its place anyway.
    fn park_unreadable(&mut self) {
        for broken in self.survey.unreadable.iter().filter(|broken| broken.shelf.is_some() && broken.is_file) {
            if let Ok(path) = InstallPath::new(&broken.path)
                && !self.is_wanted(&path)
            {
                self.park(path, Reason::Unreadable { problem: broken.why.clone() });
            }
        }
    }

    /// Parks come first, since a name may be wanted again; then renames, which cost nothing; then what must be written.
    /// Only now is it known whether a name is taken: by a file that stays, none that is moved, or one that is replaced.
    fn finish(mut self) -> Plan {
        let moved: BTreeSet<InstallPath> =
            self.puts.iter().map(|step| step.path.clone()).filter(|path| self.is_moved(path)).collect();
        for step in &mut self.puts {
            if let Action::Replace { blake3 } = step.action
                && moved.contains(&step.path)
            {
                step.action = Action::Put { blake3 };
            }
        }
        let written: BTreeSet<&InstallPath> = self.puts.iter().map(|step| &step.path).collect();
        self.parks.retain(|step| !written.contains(&step.path));
        Plan { steps: self.parks.into_iter().chain(self.renames).chain(self.puts).collect() }
    }
}

fn why_put(one: &ModInPlace<'_>, occupied: bool) -> Reason {
    let wanted = release(one.sealed);
    match one.copies.first().map(|copy| copy.found) {
        Some(found) if found.version_or_dash() != one.sealed.version_or_dash() => {
            Reason::OtherRelease { wanted, found: found.version_or_dash().to_owned() }
        }
        Some(_) => Reason::OtherBytes(wanted),
        None if occupied => Reason::SomethingElse(wanted),
        None => Reason::Missing(wanted),
    }
}

impl Plan {
    /// Keys in the key folder, and files that mods bring for places outside the shelves.
    fn beside_shelves(&mut self, Delta { keys, outside, .. }: &Delta<'_>) {
        let named = |key: &str, mods: &[FoldedId]| Key { key: key.to_owned(), mods: mods.to_vec() };
        for key in &keys.left_over {
            let reason = Reason::KeyLeftOver(named(&key.name, &[]));
            self.steps.push(Step::new(Action::Park, key.path.clone(), reason));
        }
        for brought in &outside.left_over {
            let reason = Reason::BringerGone { id: brought.of_mod.clone() };
            self.steps.push(Step::new(Action::Park, brought.path.clone(), reason));
        }
        for (key, there) in &keys.changed {
            let (action, reason) =
                (Action::Replace { blake3: key.blake3 }, Reason::KeyChanged(named(&key.name, &key.mods)));
            self.steps.push(Step { bytes: key.size, ..Step::new(action, there.path.clone(), reason) });
        }
        for (key, path) in &keys.missing {
            let (action, reason) =
                (Action::Put { blake3: key.blake3 }, Reason::KeyMissing(named(&key.name, &key.mods)));
            self.steps.push(Step { bytes: key.size, ..Step::new(action, path.clone(), reason) });
        }
        for (placed, state) in &outside.wanted {
            let action = match state {
                PlacedState::Right => continue,
                PlacedState::Missing => Action::Put { blake3: placed.blake3 },
                PlacedState::Differs => Action::Replace { blake3: placed.blake3 },
            };
            let reason = Reason::Brought { id: placed.sealed.manifest.id.clone() };
            self.steps.push(Step { bytes: placed.size, ..Step::new(action, placed.path.clone(), reason) });
        }
    }

    /// The bytes that will be written.
    pub fn bytes(&self) -> u64 {
        self.steps.iter().map(|step| step.bytes).sum()
    }

    /// The digests whose bytes must be found.
    pub fn wanted(&self) -> BTreeSet<Blake3> {
        self.steps.iter().filter_map(|step| step.action.puts()).collect()
    }
}

#[cfg(test)]
#[path = "../tests/align.rs"]
mod tests;
