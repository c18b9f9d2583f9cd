//! Measures an install: lists its shelves, hashes in parallel, reads each mod once, and remembers what did not change.

mod files;
mod mods;
mod platform;
mod strays;
mod units;

use std::collections::{HashMap, HashSet};
use std::time::SystemTime;

use kanon_core::digest::Blake3;
use kanon_core::path::InstallPath;
use kanon_core::rulebook::{Role, Rulebook};
use kanon_core::survey::{FORMAT, InstallFacts, Survey, Unreadable};
use rayon::prelude::*;

use crate::error::ReachError;
use crate::install::{LocalInstall, nanoseconds};
use crate::progress::Progress;
use crate::state::{Remembered, State};

use files::Measured;
use mods::{Found, Outcome};
use units::{Shelved, Unit};

/// What is surveyed, and how.
#[derive(Clone, Copy)]
pub struct Request<'a> {
    /// What the survey calls the install.
    pub name: &'a str,
    /// Server or client.
    pub role: Role,
    /// How the game arranges its mods.
    pub rulebook: &'a Rulebook,
    /// The digest of the rulebook's text: readings made with another one don't count.
    pub rulebook_digest: Blake3,
    /// Whether remembered digests count.
    pub trust: TrustMemory,
}

/// Whether digests remembered from an earlier survey count.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum TrustMemory {
    /// A file with the same stamp has the same bytes.
    Yes,
    /// Every byte is read again.
    No,
}

/// A survey, and how much of it was read anew.
#[derive(Debug, Clone)]
pub struct Measurement {
    /// The survey.
    pub survey: Survey,
    /// Files that were measured, or vouched for by their stamp.
    pub files: usize,
    /// Files whose bytes were read.
    pub files_read: usize,
    /// Bytes that were read.
    pub bytes_read: u64,
}

/// Everything that the measuring of one install shares.
struct Job<'a> {
    install: &'a LocalInstall,
    request: Request<'a>,
    root: String,
    remembered: HashMap<String, Remembered>,
    readings: HashMap<Blake3, String>,
    measured_at: i64,
    progress: &'a dyn Progress,
}

/// Surveys an install.
///
/// # Errors
/// When its folder shows nothing of this game, or the state database fails. What can't be read in it is told in
/// the survey, and the rest is surveyed all the same.
pub fn survey(
    install: &LocalInstall,
    request: Request<'_>,
    state: &mut State,
    progress: &dyn Progress,
) -> Result<Measurement, ReachError> {
    let root = install.root().to_string_lossy().into_owned();
    let shelved = units::shelve(install, request);
    let mut job = Job {
        install,
        remembered: if request.trust == TrustMemory::Yes { state.digests(&root)? } else { HashMap::new() },
        root,
        request,
        readings: HashMap::new(),
        measured_at: nanoseconds(SystemTime::now()),
        progress,
    };
    let platform = platform::versions(install, request);
    refuse_other_game(install, request, &shelved, &platform)?;
    let digests = job.measure_files(&shelved);
    job.readings = job.load_readings(&shelved, &digests, state)?;
    let outcomes: Vec<Outcome> = shelved.units.par_iter().map(|unit| job.read_unit(unit, &digests)).collect();
    let stray_units = strays::near(install, request, &shelved, &outcomes);
    let stray_digests = job.measure_files(&stray_units);
    let stray_outcomes: Vec<Outcome> =
        stray_units.units.par_iter().map(|unit| job.read_unit(unit, &stray_digests)).collect();
    job.remember(&[&digests, &stray_digests], &shelved, state)?;
    job.remember_readings(outcomes.iter().chain(&stray_outcomes), state)?;
    let measured = [&digests, &stray_digests];
    Ok(Measurement {
        files: measured.iter().map(|all| all.len()).sum(),
        files_read: measured.iter().flat_map(|all| all.values()).filter(|file| file.read).count(),
        bytes_read: measured.iter().flat_map(|all| all.values()).filter(|file| file.read).map(|file| file.size).sum(),
        survey: assemble(request, platform, shelved, outcomes, stray_outcomes),
    })
}

fn refuse_other_game(
    install: &LocalInstall,
    request: Request<'_>,
    shelved: &Shelved,
    platform: &platform::Versions,
) -> Result<(), ReachError> {
    if shelved.places_found > 0 || platform.game.is_some() || platform.loader.is_some() {
        return Ok(());
    }
    let places: HashSet<&str> =
        request.rulebook.shelves.iter().flat_map(|shelf| shelf.places(request.role)).map(InstallPath::as_str).collect();
    let mut looked_for: Vec<&str> = places.into_iter().collect();
    looked_for.sort_unstable();
    Err(ReachError::NotThisGame {
        path: install.root().to_owned(),
        game: request.rulebook.game.clone(),
        looked_for: if looked_for.is_empty() {
            format!("the shelves of a {}", request.role)
        } else {
            looked_for.join(", ")
        },
    })
}

fn assemble(
    request: Request<'_>,
    platform: platform::Versions,
    shelved: Shelved,
    outcomes: Vec<Outcome>,
    stray_outcomes: Vec<Outcome>,
) -> Survey {
    let mut survey = Survey {
        format: FORMAT.to_owned(),
        install: InstallFacts {
            name: request.name.to_owned(),
            role: request.role,
            game: request.rulebook.game.clone(),
            game_version: platform.game,
            loader_version: platform.loader,
            runtime_version: platform.runtime,
        },
        mods: Vec::new(),
        strays: Vec::new(),
        lists: Vec::new(),
        keys: Vec::new(),
        settings: Vec::new(),
        unreadable: shelved.unreadable,
    };
    for outcome in outcomes {
        match outcome.found {
            Found::Mod(found) => survey.mods.push(*found),
            Found::Unreadable(broken) => survey.unreadable.push(broken),
            Found::Nested => {}
        }
    }
    survey.strays = stray_outcomes
        .into_iter()
        .filter_map(|outcome| if let Found::Mod(found) = outcome.found { Some(*found) } else { None })
        .collect();
    let explained = |path: &str| survey.strays.iter().any(|stray| stray.place.as_str() == path);
    survey.unreadable.retain(|broken| !explained(&broken.path));
    survey.sort();
    survey
}

fn unreadable(unit: &Unit<'_>, why: String, still_packed: bool) -> Unreadable {
    Unreadable {
        path: unit.path.to_string(),
        shelf: Some(unit.shelf.name.clone()),
        why,
        is_file: !unit.is_folder && !unit.is_link,
        still_packed,
    }
}

type Digests = HashMap<InstallPath, Measured>;
