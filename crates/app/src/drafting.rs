//! A rulebook drafted by looking at installs, and the draft proved on them: an evening is played by it, and where something is off
//! the next best answers are tried.

use std::collections::BTreeSet;
use std::path::Path;
use std::sync::Arc;

use kanon_core::base::digest::Blake3;
use kanon_core::learn::proof::{Doubt, Proof, next_best, prove};
use kanon_core::learn::voice::{Evening, Voice};
use kanon_core::learn::{Answers, Draft, InstallView, Unidentified, draft, unidentified};
use kanon_core::rulebook::{self, Role, Rulebook};
use kanon_core::survey::{FileProblem, StandsFor, Survey};
use kanon_io::error::ReachError;
use kanon_io::install::{Address, Install};
use kanon_io::install_folder::InstallFolder;
use kanon_io::measure::{self, Request, TrustMemory};
use kanon_io::progress::Silent;
use kanon_io::state::State;
use kanon_io::workspace::{LoadedRulebook, Workspace, load_rulebook};
use serde::Serialize;

use crate::error::{AppError, DraftError};
use crate::listening::listen;
use crate::machine::Machine;
use crate::observer::Observer;
use crate::places::{self, Place, Placed};

/// So often a draft is replaced by a better one.
const ROUNDS: usize = 3;

/// What the draft came to on one install.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Serialize)]
pub struct Tried {
    /// Its name.
    pub name: String,
    /// Server or client.
    pub role: Role,
    /// How many mods were found.
    pub mods: usize,
    /// How many of those are known fully.
    pub identified: usize,
    /// What is lacking for the others, and what could not be read at all.
    pub unidentified: Vec<Unidentified>,
    /// The lists that were read, and how many of their entries name mods.
    pub lists: Vec<TriedList>,
}

/// A list as the draft reads it.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Serialize)]
pub struct TriedList {
    /// Its name.
    pub name: String,
    /// How many entries it has.
    pub entries: usize,
    /// How many of them name mods that are there.
    pub known: usize,
    /// Why it can't be read.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub problem: Option<FileProblem>,
}

/// What a draft came to: on each install, in an evening played by it, and what was measured by it.
pub struct Trial {
    /// On each install.
    pub tried: Vec<Tried>,
    /// In an evening.
    pub proof: Proof,
    /// What was measured.
    pub surveys: Vec<Survey>,
}

impl Trial {
    /// Whether all mods are known, and nothing speaks against the draft.
    pub fn is_all_clear(&self) -> bool {
        let all_told = self.tried.iter().all(|tried| tried.unidentified.is_empty());
        self.tried.iter().any(|tried| tried.mods > 0) && all_told && self.proof.doubts.is_empty()
    }
}

/// What is looked at, opened.
pub struct Installs {
    sides: Vec<(String, Arc<dyn Install>, Role)>,
}

impl Installs {
    /// Opens what was named. A name in `kanon.toml` comes before a folder of that name.
    ///
    /// # Errors
    /// When one is no install and no folder, or its host can't be reached.
    pub fn open(machine: &Machine, observer: &dyn Observer, named: &[(&str, Role)]) -> Result<Self, AppError> {
        let opened = |(typed, role): &(&str, Role)| {
            let install = open((machine, observer), typed, *role)?;
            Ok(((*typed).to_owned(), install, *role))
        };
        Ok(Self { sides: named.iter().map(opened).collect::<Result<_, AppError>>()? })
    }

    /// The folders, as learning sees them.
    pub fn folders(&self) -> Vec<InstallFolder<'_>> {
        self.sides.iter().map(|(_, install, role)| InstallFolder::at(install.as_ref(), *role)).collect()
    }

    /// What a rulebook measures on them; nothing of those that it is not of.
    ///
    /// # Errors
    /// When one can't be read.
    pub fn surveys(&self, rulebook: &Rulebook) -> Result<Vec<Survey>, AppError> {
        let each = self.sides.iter().map(|(name, install, role)| surveyed(name, install.as_ref(), *role, rulebook));
        Ok(each.collect::<Result<Vec<_>, _>>()?.into_iter().flatten().collect())
    }

    fn name(&self) -> String {
        let Some((typed, install, _)) = self.sides.first() else { return String::new() };
        let last = install.shown().trim_end_matches(['/', '\\']).rsplit(['/', '\\']).next();
        last.filter(|name| !name.is_empty()).unwrap_or(typed).to_owned()
    }

    /// Drafts a rulebook by what its folders show.
    pub fn draft(&self, folders: &[InstallFolder<'_>], answers: &Answers) -> Draft {
        draft(&self.name(), &views(folders), answers)
    }

    /// Proves a draft. What can't be leads to the next best, as long as less speaks against that.
    ///
    /// # Errors
    /// When an install can't be read, or a draft is no rulebook, which is a mistake of ours.
    pub fn proved(
        &self,
        folders: &[InstallFolder<'_>],
        mut answers: Answers,
        mut drafted: Draft,
    ) -> Result<(Draft, Trial), AppError> {
        let mut trial = self.try_out(&drafted)?;
        for _ in 0..ROUNDS {
            let mut better = None;
            for other in next_best(&drafted, &trial.proof, &answers) {
                let next = self.draft(folders, &other);
                let again = self.try_out(&next)?;
                if again.proof.number() < trial.proof.number() {
                    better = Some((other, next, again));
                    break;
                }
            }
            let Some(found) = better else { break };
            (answers, drafted, trial) = found;
        }
        Ok((drafted, trial))
    }

    /// Surveys them by a draft, and plays an evening by it.
    fn try_out(&self, drafted: &Draft) -> Result<Trial, AppError> {
        // A draft without a shelf is a form to fill in, not a rulebook yet.
        let parsed = match rulebook::parse("the draft", &drafted.rulebook) {
            Ok(parsed) => parsed,
            Err(bad) if drafted.rulebook.contains("\n[[shelf]]") => return Err(DraftError::OwnMistake(bad).into()),
            Err(_) => {
                let proof = Proof { doubts: vec![Doubt::NoMods(Role::Server)], ..Proof::default() };
                return Ok(Trial { tried: Vec::new(), proof, surveys: Vec::new() });
            }
        };
        let (mut tried, mut surveys) = (Vec::new(), Vec::new());
        for (name, install, role) in &self.sides {
            let survey = surveyed(name, install.as_ref(), *role, &parsed.value)?;
            tried.push(survey.as_ref().map_or_else(|| nothing(name, *role), |survey| tried_by(name, survey)));
            surveys.extend(survey);
        }
        let proof = prove(&parsed.value, &surveys, drafted);
        Ok(Trial { tried, proof, surveys })
    }
}

/// A rulebook that is there already.
///
/// # Errors
/// When it can't be read, or has mistakes.
pub fn known_rulebook(path: &Path) -> Result<LoadedRulebook, AppError> {
    Ok(load_rulebook(path)?)
}

/// What logs mean; nothing where none is given. Where nothing was measured, the workspace's canon says what mods there are.
///
/// # Errors
/// When a log or the workspace can't be read.
pub fn heard(
    machine: &Machine,
    (rulebook, surveys): (&Rulebook, &[Survey]),
    files: &[(Role, &Path)],
    players: &[String],
) -> Result<Option<Voice>, AppError> {
    if files.is_empty() {
        return Ok(None);
    }
    let of = |role| surveys.iter().find(|survey| survey.install.role == role);
    let canon = match workspace(machine)? {
        Some(workspace) if surveys.is_empty() => workspace.canon()?,
        _ => None,
    };
    let (server, client) = (of(Role::Server), of(Role::Client));
    let evening = Evening { rulebook, server, client, canon: canon.as_ref(), players };
    Ok(Some(listen(evening, files)?.voice))
}

fn workspace(machine: &Machine) -> Result<Option<Workspace>, AppError> {
    Ok(Workspace::find(&machine.folder).map(|_| Workspace::open(&machine.folder)).transpose()?)
}

fn open((machine, observer): (&Machine, &dyn Observer), typed: &str, role: Role) -> Result<Arc<dyn Install>, AppError> {
    let workspace = workspace(machine)?;
    let placed = match places::named(workspace.as_ref(), typed)? {
        Some(placed) => placed,
        None if Address::is_meant(typed) => {
            Placed { name: typed.into(), role, place: Place::Host(places::address(typed)?) }
        }
        None => {
            let path = machine.folder.join(typed);
            if !path.is_dir() {
                return Err(DraftError::NoInstall(typed.to_owned()).into());
            }
            Placed { name: typed.into(), role, place: Place::Folder(path) }
        }
    };
    places::open((machine, observer), workspace.as_ref(), &placed)
}

fn views<'f>(folders: &'f [InstallFolder<'_>]) -> Vec<&'f dyn InstallView> {
    folders.iter().map(|folder| folder as &dyn InstallView).collect()
}

fn surveyed(name: &str, install: &dyn Install, role: Role, rulebook: &Rulebook) -> Result<Option<Survey>, AppError> {
    let mut state = State::in_memory()?;
    let request = Request::new((name, role), (rulebook, Blake3::of(b"draft")), TrustMemory::No);
    match measure::survey(install, request, &mut state, &Silent) {
        Ok(measurement) => Ok(Some(measurement.survey)),
        Err(ReachError::NotThisGame { .. }) => Ok(None),
        Err(error) => Err(error.into()),
    }
}

fn tried_by(name: &str, survey: &Survey) -> Tried {
    let unidentified = unidentified(survey);
    let lacking: BTreeSet<&str> = unidentified.iter().map(|lacking| lacking.path.as_str()).collect();
    let identified = survey.mods.iter().filter(|found| !lacking.contains(found.path.as_str())).count();
    let role = survey.install.role;
    Tried { name: name.to_owned(), role, mods: survey.mods.len(), identified, lists: lists(survey), unidentified }
}

fn nothing(name: &str, role: Role) -> Tried {
    Tried { name: name.to_owned(), role, mods: 0, identified: 0, unidentified: Vec::new(), lists: Vec::new() }
}

fn lists(survey: &Survey) -> Vec<TriedList> {
    let each = survey.lists.iter().map(|list| TriedList {
        name: list.name.clone(),
        entries: list.entries.len(),
        known: list.entries.iter().filter(|entry| entry.stands_for == StandsFor::Mod).count(),
        problem: list.problem.clone(),
    });
    each.collect()
}
