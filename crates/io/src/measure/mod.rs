//! Measures an install: lists its shelves, hashes in parallel, reads each mod once, and remembers what did not change.

mod files;
mod keys;
mod lists;
mod merged;
mod mods;
mod overlays;
mod platform;
mod request;
mod signatures;
mod strays;
mod units;

use std::collections::{HashMap, HashSet};
use std::time::SystemTime;

use kanon_core::base::path::InstallPath;
use kanon_core::rulebook::{PlatformVersion, Role, Rulebook};
use kanon_core::survey::{InstallFacts, Survey, Unreadable};

use crate::error::ReachError;
use crate::install::{Install, nanoseconds};
use crate::progress::Progress;
use crate::state::{Memory, State};

use files::{By, MeasuredGroup};
use mods::{Found, Outcome};
use units::Shelved;

pub use lists::{resolve, wild_places, world_places, worlds};
pub use mods::{BesideContents, FileContents, FolderContents, ToldByShelf, open_archive, open_archive_file};
use request::Job;
pub use request::{GameCheck, OutsideShelves, RemoteHints, Request, TrustMemory};

/// A survey, and how much of it was read anew.
#[derive(Debug, Clone)]
pub struct Measurement {
    /// The survey.
    pub survey: Survey,
    /// How much was read for it.
    pub counts: Counts,
}

/// Surveys an install.
///
/// # Errors
/// When its folder shows nothing of this game, or the state database fails. What can't be read in it is told in
/// the survey, and the rest is surveyed all the same.
pub fn survey(
    install: &dyn Install,
    request: Request<'_>,
    state: &mut State,
    progress: &dyn Progress,
) -> Result<Measurement, ReachError> {
    let root = install.shown().to_owned();
    if install.is_remote() && request.trust == TrustMemory::Yes {
        install.recall_documents(state.documents(&root)?);
    }
    let (shelved, memories) = rayon::join(|| units::shelve(install, request), || recalled(&root, request, state));
    let memories = memories?;
    let platform = platform::versions(install, request);
    refuse_other_game(install, request, &shelved, &platform)?;
    let measured_at = nanoseconds(SystemTime::now());
    let job = Job { install, request, root, memories, measured_at, progress };
    let Shelved { mut groups, unreadable, side_folders, .. } = shelved;
    let mut measured = job.measure_groups(&groups, state)?;
    let mut counts = Counts::default();
    counts.add(&measured);
    let shelf_groups = groups.len();
    let hollow = mods::hollow(&groups);
    let strays = strays::near(install, request, &side_folders, &hollow);
    let stray_measured = job.measure_groups(&strays, state)?;
    counts.add(&stray_measured);
    groups.extend(strays);
    measured.extend(stray_measured);
    job.remember(&groups, &mut measured, unreadable.is_empty(), state)?;
    let outcomes = job.read_groups(groups, measured, state)?;
    let (outcomes, stray_outcomes) = split(outcomes, shelf_groups);
    let mut survey = assemble(request, platform, unreadable, outcomes, stray_outcomes);
    beside_mods(install, request, &mut survey);
    signatures::verify(install, request.rulebook, (&mut survey.mods, &mut survey.keys), state, progress)?;
    survey.sort();
    state.remember_documents(install.shown(), &install.new_documents())?;
    Ok(Measurement { survey, counts })
}

/// Lists, keys, settings, base archives and worlds; some of them name mods that have no bytes here.
fn beside_mods(install: &dyn Install, request: Request<'_>, survey: &mut Survey) {
    let (rulebook, role) = (request.rulebook, request.role);
    let lists = lists::lists(install, rulebook, role);
    survey.mods.extend(lists::mods_by_id(rulebook, role, &lists));
    survey.lists = lists::matched(rulebook, lists, &survey.mods);
    survey.keys = keys::keys(install, rulebook, role, &mut survey.mods);
    survey.settings = lists::settings(install, rulebook, role);
    survey.memory = lists::memory(install, rulebook, role);
    survey.quoted = lists::quoted_names(install, rulebook, role);
    survey.data = merged::data(install, rulebook, role);
    survey.placed = merged::placed(install, rulebook, role, &survey.mods, request.beside);
    survey.brought = merged::brought(request.beside);
    survey.worlds = worlds(install, rulebook, role);
    survey.places = wild_places(install, rulebook, role);
    overlays::bases(install, rulebook, survey);
}

/// What is remembered, read while the install is listed.
fn recalled(root: &str, request: Request<'_>, state: &mut State) -> Result<HashMap<String, Memory>, ReachError> {
    if request.trust == TrustMemory::Yes { state.memories(root) } else { Ok(HashMap::new()) }
}

/// How many files were measured and read.
#[derive(Debug, Clone, Copy, Default)]
pub struct Counts {
    /// Files that were measured, or vouched for by their stamp.
    pub files: usize,
    /// Files whose bytes were read.
    pub files_read: usize,
    /// Files that the host itself computed the digest of.
    pub files_told: usize,
    /// Files on a host that are known by a receipt or an earlier measurement, by size and time alone.
    pub files_vouched: usize,
}

impl Counts {
    fn add(&mut self, groups: &[MeasuredGroup]) {
        for file in groups.iter().flat_map(|group| &group.files) {
            self.files += 1;
            self.files_read += usize::from(file.by == By::ModManifest);
            self.files_told += usize::from(file.by == By::Host);
            self.files_vouched += usize::from(file.by == By::SizeAndTime);
        }
    }
}

fn split(outcomes: Vec<Vec<Outcome>>, at: usize) -> (Vec<Outcome>, Vec<Outcome>) {
    let mut shelf = outcomes;
    let strays = shelf.split_off(at);
    (shelf.into_iter().flatten().collect(), strays.into_iter().flatten().collect())
}

/// The files that tell the version of the game, of what loads its mods, and of what it runs on.
fn version_files(rulebook: &Rulebook) -> impl Iterator<Item = &InstallPath> {
    let platforms = std::iter::once(&rulebook.base).chain(&rulebook.loader).chain(&rulebook.runtime);
    platforms.flat_map(|platform| &platform.version).filter_map(|version| match version {
        PlatformVersion::Document { file, .. } | PlatformVersion::Text { file, .. } => Some(file),
        PlatformVersion::FileName(_) => None,
    })
}

/// The folders of mods, but for the game's own.
fn places_of_mods(rulebook: &Rulebook, role: Role) -> impl Iterator<Item = &InstallPath> {
    rulebook.shelves.iter().flat_map(move |shelf| shelf.places(role)).filter(|place| !place.is_root())
}

/// Whether a folder is the game's that another one is a part of: that one is where its mods live, or the files are there that tell
/// the game's version.
pub fn is_game_around(install: &dyn Install, rulebook: &Rulebook, role: Role, part: &InstallPath) -> bool {
    let touches = |place: &InstallPath| part == place || part.below(place).is_some() || place.below(part).is_some();
    places_of_mods(rulebook, role).any(touches) || version_files(rulebook).any(|file| install.is_there(file))
}

/// Whether a folder looks like the game, by little: the files that tell its version are there; where no file tells it, a folder of
/// its mods.
pub fn looks_like(install: &dyn Install, rulebook: &Rulebook, role: Role) -> bool {
    let mut files = version_files(rulebook).peekable();
    match files.peek() {
        Some(_) => files.any(|file| install.is_there(file)),
        None => places_of_mods(rulebook, role).any(|place| install.is_folder(place)),
    }
}

fn refuse_other_game(
    install: &dyn Install,
    request: Request<'_>,
    shelved: &Shelved<'_>,
    platform: &platform::Versions,
) -> Result<(), ReachError> {
    if request.doubt == GameCheck::Never {
        return Ok(());
    }
    let rulebook = request.rulebook;
    let lists = || !lists::lists(install, rulebook, request.role).is_empty();
    let by_list = rulebook.shelves.iter().any(|shelf| shelf.ids_from(request.role).is_some()) && lists();
    let wild = rulebook.shelves.iter().any(|shelf| !shelf.wild.of(request.role).is_empty());
    if shelved.places_found > 0 || platform.game.is_some() || platform.loader.is_some() || by_list || wild {
        return Ok(());
    }
    let places: HashSet<&str> =
        request.rulebook.shelves.iter().flat_map(|shelf| shelf.places(request.role)).map(InstallPath::as_str).collect();
    let mut looked_for: Vec<&str> = places.into_iter().collect();
    // A game may have nothing for this role to hold.
    let by_ids = rulebook.shelves.iter().any(|shelf| shelf.ids_from(request.role).is_some());
    if looked_for.is_empty() && !by_ids {
        return Ok(());
    }
    looked_for.sort_unstable();
    Err(ReachError::NotThisGame {
        path: install.shown().into(),
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
    unreadable: Vec<Unreadable>,
    outcomes: Vec<Outcome>,
    stray_outcomes: Vec<Outcome>,
) -> Survey {
    let install = InstallFacts {
        name: request.name.into(),
        role: request.role,
        game: request.rulebook.game.clone(),
        game_version: platform.game,
        loader_version: platform.loader,
        runtime_version: platform.runtime,
    };
    let mut survey = Survey { unreadable, ..Survey::empty(install) };
    for outcome in outcomes {
        match outcome.found {
            Found::Mod(found) => survey.mods.push(*found),
            Found::Unreadable(broken) => survey.unreadable.push(broken),
            Found::Loose(file) => survey.loose.push(file),
            Found::Nothing => {}
        }
    }
    survey.strays = stray_outcomes
        .into_iter()
        .filter_map(|outcome| if let Found::Mod(found) = outcome.found { Some(*found) } else { None })
        .collect();
    let explained = |path: &str| survey.strays.iter().any(|stray| stray.place.as_str() == path);
    survey.unreadable.retain(|broken| !explained(&broken.path));
    survey
}
