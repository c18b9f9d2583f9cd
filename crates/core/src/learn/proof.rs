//! A draft proves itself on the installs that it was made of: both are adopted, sealed, checked and planned for, in memory. They
//! are healthy, so that whatever is off is a doubt about the draft.

use std::collections::{BTreeMap, BTreeSet};

use super::draft::{Answers, Draft};
use super::leftovers::{LeftOver, left_over};
use super::unread::{NoList, Unread};
use crate::base::digest::Blake3;
use crate::base::finding::{Code, Finding, Severity};
use crate::base::ids::{FoldedId, same_name};
use crate::base::path::InstallPath;
use crate::config::{Edits, Extras, WorkspaceConfig};
use crate::delta::{CheckContext, Delta};
use crate::plan::text_edits::{Consents, amendments};
use crate::plan::{RiskyExtras, Step, plan};
use crate::resolve::solve::SourceRank;
use crate::rulebook::{Origin, Role, Rulebook};
use crate::seal::adopted::{PassedOver, adopted};
use crate::seal::{Candidate, Pins, Standing, assemble, choose, keys, listed};
use crate::survey::{StandsFor, Survey, SurveyedMod};

/// So many doubts are told.
const TOLD: usize = 12;
/// Places that are left out by way of trial, at most.
const ALTERNATIVES: usize = 3;
/// So many of one kind about several mods of one install.
const ALIKE: usize = 3;

/// What a draft says of healthy installs that can't be.
#[derive(Debug, Clone)]
pub enum Doubt {
    /// No folder was found that holds mods.
    NoMods(Role),
    /// What an install has could not be adopted.
    NotAdopted {
        /// The install.
        role: Role,
        /// What.
        path: String,
        /// Why not.
        why: PassedOver,
    },
    /// What was adopted could not be sealed.
    NotSealed(Finding),
    /// An install would be off the canon that was made of it.
    Off {
        /// The install.
        role: Role,
        /// In what.
        finding: Finding,
    },
    /// An alignment would change an install that is as it should be.
    Changed {
        /// The install.
        role: Role,
        /// The step.
        step: Step,
    },
    /// An alignment would change a text file that says what it should.
    Rewritten {
        /// The install.
        role: Role,
        /// The file.
        file: InstallPath,
    },
    /// Mods that both installs have, and that one could lose without a word.
    Unseen {
        /// The install that could.
        role: Role,
        /// The mods.
        mods: Vec<FoldedId>,
    },
    /// A list names what is on no shelf.
    OnNoShelf {
        /// The installs whose list does.
        roles: Vec<Role>,
        /// The list.
        list: String,
        /// What it names.
        names: Vec<String>,
    },
    /// What looks like mods is on no shelf.
    LeftOver(LeftOver),
    /// Mods tell something that the draft does not read.
    Unread(Unread),
    /// A text file names most mods, and is no list.
    NoList(NoList),
}

impl Doubt {
    /// What makes several of them alike: an install, and what is off or would be done there.
    fn kind(&self) -> Option<(Role, &'static str)> {
        match self {
            Self::Off { role, finding } => Some((*role, finding.code.as_str())),
            Self::Changed { role, step } => Some((*role, step.action.as_str())),
            Self::NotAdopted { role, .. } => Some((*role, "not-adopted")),
            _ => None,
        }
    }

    /// The shelf, list or path of the draft that it is about, as far as that can be told.
    pub fn about(&self) -> Option<String> {
        match self {
            Self::Off { finding, .. } | Self::NotSealed(finding) => finding.path.clone(),
            Self::Unseen { mods, .. } => mods.first().map(ToString::to_string),
            Self::Changed { step, .. } => Some(step.path.to_string()),
            Self::Rewritten { file, .. } => Some(file.to_string()),
            Self::NotAdopted { path, .. } => Some(path.clone()),
            Self::OnNoShelf { list, .. } => Some(list.clone()),
            Self::LeftOver(left) => Some(left.place.clone()),
            Self::Unread(unread) => Some(unread.shelf.clone().into()),
            Self::NoList(file) => Some(file.file.to_string()),
            Self::NoMods(_) => None,
        }
    }
}

/// What came of it.
#[derive(Debug, Clone, Default)]
pub struct Proof {
    /// What can't be.
    pub doubts: Vec<Doubt>,
    /// Further doubts like these, that are not told.
    pub further: usize,
    /// What looks a little like mods, and is left alone.
    pub left_alone: Vec<LeftOver>,
    /// Files of lists that lack what another list of the same side has.
    pub partial: BTreeSet<String>,
}

impl Proof {
    /// How many doubts there are in all.
    pub fn number(&self) -> usize {
        self.doubts.len() + self.further
    }

    /// Files of lists that would be put in another order: healthy as they are, their order means nothing.
    fn out_of_order(&self) -> BTreeSet<String> {
        let files = self.doubts.iter().filter_map(|doubt| match doubt {
            Doubt::Off { finding, .. } if finding.code == Code::ListOrder => finding.path.clone(),
            _ => None,
        });
        files.collect()
    }
}

/// What is to be tried where a draft has doubts: lists without an order, and shelves without one of their places.
pub fn next_best(draft: &Draft, proof: &Proof, answers: &Answers) -> Vec<Answers> {
    let unordered = proof.out_of_order();
    let reordered = (!unordered.is_empty()).then(|| Answers { unordered, ..answers.clone() });
    let is_of_signatures =
        |doubt: &Doubt| matches!(doubt, Doubt::Off { finding, .. } if finding.code.as_str().starts_with("signature-"));
    let unsigned = proof.doubts.iter().any(is_of_signatures) && !answers.unsigned;
    let is_lacking =
        |doubt: &Doubt| matches!(doubt, Doubt::NotSealed(finding) if finding.code == Code::DependencyMissing);
    let lenient = proof.doubts.iter().any(is_lacking) && !answers.lenient;
    let lenient = lenient.then(|| Answers { lenient: true, ..answers.clone() });
    let unsigned = unsigned.then(|| Answers { unsigned: true, ..answers.clone() });
    let whole = (!proof.partial.is_empty()).then(|| {
        let partial = answers.partial.union(&proof.partial).cloned().collect();
        Answers { partial, ..answers.clone() }
    });
    let without = draft.several.iter().take(ALTERNATIVES).map(|place| {
        let left_out = answers.left_out.iter().cloned().chain([place.clone()]).collect();
        Answers { left_out, ..answers.clone() }
    });
    if proof.doubts.is_empty() {
        Vec::new()
    } else {
        reordered.into_iter().chain(lenient).chain(unsigned).chain(whole).chain(without).collect()
    }
}

/// Plays an evening by a draft on the installs that it was made of.
pub fn prove(rulebook: &Rulebook, surveys: &[Survey], draft: &Draft) -> Proof {
    let mut doubts: Vec<Doubt> = Vec::new();
    // A side that no shelf has a place on needs none.
    let may_have = |role| rulebook.shelves.iter().any(|shelf| !shelf.places(role).is_empty());
    let empty = surveys.iter().filter(|survey| survey.mods.is_empty() && may_have(survey.install.role));
    doubts.extend(empty.map(|survey| Doubt::NoMods(survey.install.role)));
    let (config, passed_over) = wanted(rulebook, surveys);
    doubts.extend(passed_over);
    doubts.extend(played(rulebook, surveys, &config));
    let unknown = on_no_shelf(surveys);
    doubts.retain(|doubt| !unknown.iter().any(|cause| is_told_by(doubt, cause)));
    doubts.extend(unknown);
    let (left, left_alone) = left_over(&draft.seen, surveys, rulebook);
    doubts.extend(left.into_iter().map(Doubt::LeftOver));
    doubts.extend(draft.unread.iter().cloned().map(Doubt::Unread));
    doubts.extend(draft.no_lists.iter().cloned().map(Doubt::NoList));
    let partial = partial_lists(surveys, &doubts);
    let all = doubts.len();
    let mut alike: BTreeMap<(Role, &'static str), usize> = BTreeMap::new();
    doubts.retain(|doubt| {
        let Some(kind) = doubt.kind() else { return true };
        let number = alike.entry(kind).or_default();
        *number += 1;
        *number <= ALIKE
    });
    doubts.truncate(TOLD);
    let further = all - doubts.len();
    Proof { doubts, further, left_alone, partial }
}

/// Files of lists that lack entries, where another list of the same side lacks none and is longer.
fn partial_lists(surveys: &[Survey], doubts: &[Doubt]) -> BTreeSet<String> {
    let lacking = |survey: &Survey| -> BTreeSet<&str> {
        let of_side = doubts.iter().filter_map(|doubt| match doubt {
            Doubt::Off { role, finding } if *role == survey.install.role => Some(finding),
            _ => None,
        });
        let missing = of_side.filter(|finding| finding.code == Code::ListEntryMissing);
        missing.filter_map(|finding| finding.path.as_deref()).collect()
    };
    let of_survey = |survey: &Survey| -> Vec<String> {
        let lacking = lacking(survey);
        let is_lacking = |file: &InstallPath| lacking.contains(file.as_str());
        let whole = survey.lists.iter().filter(|list| !is_lacking(&list.file)).map(|list| list.entries.len()).max();
        let shorter = survey.lists.iter().filter(|list| is_lacking(&list.file) && Some(list.entries.len()) < whole);
        shorter.map(|list| list.file.to_string()).collect()
    };
    surveys.iter().flat_map(of_survey).collect()
}

/// What both installs ask for: a mod that a client has and the server has not is asked for on clients alone if it says so.
fn wanted(rulebook: &Rulebook, surveys: &[Survey]) -> (WorkspaceConfig, Vec<Doubt>) {
    let mut config = WorkspaceConfig { name: "a proof".to_owned(), ..WorkspaceConfig::default() };
    let mut doubts = Vec::new();
    let has_server = surveys.iter().any(|survey| survey.install.role == Role::Server);
    for survey in surveys {
        let role = survey.install.role;
        let adoption = adopted(survey, None, rulebook);
        for wish in adoption.wishes {
            let found = survey.mods.iter().find(|found| found.manifest.id == wish.id);
            let needed_on = wish.needed_on.or_else(|| found.map(|found| found.manifest.needed_on)).unwrap_or_default();
            let is_private = role == Role::Client && has_server && needed_on.includes(Role::Server);
            if !is_private && !config.mods.iter().any(|known| known.id == wish.id) {
                config.mods.push(wish);
            }
        }
        // What is switched off is meant to be.
        let is_odd = |why: &PassedOver| matches!(why, PassedOver::Unreadable(_) | PassedOver::SeveralTimes(_));
        let odd = adoption.passed_over.into_iter().filter(|(_, why)| is_odd(why));
        doubts.extend(odd.map(|(path, why)| Doubt::NotAdopted { role, path, why }));
        let install = &survey.install;
        let versions = [
            (&mut config.game_version, &install.game_version),
            (&mut config.loader_version, &install.loader_version),
            (&mut config.runtime_version, &install.runtime_version),
        ];
        for (wanted, found) in versions {
            if wanted.is_none() {
                wanted.clone_from(found);
            }
        }
    }
    (config, doubts)
}

/// Seals what is asked for, and holds every install against it.
fn played(rulebook: &Rulebook, surveys: &[Survey], config: &WorkspaceConfig) -> Vec<Doubt> {
    let candidates: Vec<Candidate<'_>> = surveys
        .iter()
        .flat_map(|survey| {
            let trust = SourceRank::of_install(survey.install.role);
            survey.mods.iter().filter(|found| found.enabled).map(move |found| Candidate {
                place: &survey.install.name,
                trust,
                found,
                keys: survey.keys_of(found).collect(),
            })
        })
        .collect();
    let order = listed(surveys, rulebook);
    let standing = Standing { listed: &order, ..Standing::default() };
    let choice = choose(config, rulebook, &candidates, standing, &Pins::new());
    let is_off = |finding: &Finding| finding.severity != Severity::Note;
    let mut doubts: Vec<Doubt> =
        choice.findings.iter().filter(|finding| is_off(finding)).cloned().map(Doubt::NotSealed).collect();
    if !choice.fits() {
        return doubts;
    }
    let mods = choice.picks.iter().map(|pick| pick.sealed.clone()).collect();
    let canon = assemble(config, rulebook, Blake3::of(b"draft"), mods, keys(&choice.picks));
    let measure =
        CheckContext { canon: &canon, rulebook, extras: Extras::default(), edits: Edits::default(), left: &[] };
    for survey in surveys {
        let role = survey.install.role;
        let delta = Delta::compute(measure, survey);
        let found: Vec<Finding> = delta.findings().into_iter().filter(is_off).collect();
        if !found.is_empty() {
            doubts.extend(found.into_iter().map(|finding| Doubt::Off { role, finding }));
            continue;
        }
        let steps = plan(&delta, RiskyExtras::Stay).map(|plan| plan.steps).unwrap_or_default();
        doubts.extend(steps.into_iter().map(|step| Doubt::Changed { role, step }));
        let rewritten = amendments(&delta.texts, &Consents::default()).into_iter().map(|amendment| amendment.path);
        doubts.extend(rewritten.map(|file| Doubt::Rewritten { role, file }));
        doubts.extend(unseen(measure, surveys, survey));
    }
    doubts
}

/// What every install has must be missed where it is gone, unless the mod itself says that one side can do without.
fn unseen(measure: CheckContext<'_>, surveys: &[Survey], survey: &Survey) -> Option<Doubt> {
    if surveys.len() < 2 {
        return None;
    }
    let says_itself = |found: &SurveyedMod| {
        let rule = measure.rulebook.shelf(&found.shelf).map(|shelf| &shelf.read.needed_on);
        rule.is_some_and(|rule| rule.0.iter().any(|step| !matches!(step.origin, Origin::Is(_))))
    };
    let there = |survey: &Survey| -> BTreeSet<FoldedId> {
        let counts = |found: &&SurveyedMod| found.enabled && !found.files.is_empty() && !says_itself(found);
        survey.mods.iter().filter(counts).map(|found| found.manifest.id.clone()).collect()
    };
    let mut ids: BTreeSet<FoldedId> = measure.canon.mods.iter().map(|sealed| sealed.manifest.id.clone()).collect();
    for own in surveys.iter().map(there) {
        ids = ids.intersection(&own).cloned().collect();
    }
    let mut robbed = survey.clone();
    robbed.mods.retain(|found| !ids.contains(&found.manifest.id));
    let findings = Delta::compute(measure, &robbed).findings();
    let told: BTreeSet<&FoldedId> =
        findings.iter().filter(|one| one.severity != Severity::Note).filter_map(|one| one.mod_id.as_ref()).collect();
    let mods: Vec<FoldedId> = ids.iter().filter(|id| !told.contains(id)).cloned().collect();
    (!mods.is_empty()).then_some(Doubt::Unseen { role: survey.install.role, mods })
}

/// Whether a doubt says of one side what another says as its cause: an entry of a list that no mod is known for.
fn is_told_by(doubt: &Doubt, cause: &Doubt) -> bool {
    let (Doubt::Off { role, finding }, Doubt::OnNoShelf { roles, names, .. }) = (doubt, cause) else { return false };
    let is_of = |id: &FoldedId| names.iter().any(|name| same_name(name, id.as_str()));
    finding.code == Code::ListEntryExtra && roles.contains(role) && finding.mod_id.as_ref().is_some_and(is_of)
}

/// What lists name and no install has.
fn on_no_shelf(surveys: &[Survey]) -> Vec<Doubt> {
    let known: BTreeSet<&FoldedId> = surveys.iter().flat_map(|survey| &survey.mods).map(|m| &m.manifest.id).collect();
    let mut doubts = Vec::new();
    for survey in surveys {
        for list in survey.lists.iter().filter(|list| list.problem.is_none()) {
            let unknown = list
                .entries
                .iter()
                .filter(|entry| entry.on && entry.stands_for == StandsFor::Nothing && !known.contains(&entry.id));
            let names: Vec<String> = unknown.map(|entry| entry.text.clone()).collect();
            if names.is_empty() {
                continue;
            }
            // What both sides' list says is told once.
            let is_same = |doubt: &&mut Doubt| matches!(doubt, Doubt::OnNoShelf { list: own, names: told, .. } if *own == list.name && *told == names);
            match doubts.iter_mut().find(is_same) {
                Some(Doubt::OnNoShelf { roles, .. }) => roles.push(survey.install.role),
                _ => {
                    let (roles, list) = (vec![survey.install.role], list.name.clone());
                    doubts.push(Doubt::OnNoShelf { roles, list, names });
                }
            }
        }
    }
    doubts
}
