//! The games of this user that follow a release: which there are, which is meant, and what was taken off one and can be put back.

use std::path::{Path, PathBuf};

use kanon_core::base::ids::same_name;
use kanon_core::base::path::InstallPath;
use kanon_core::canon::release::Invite;
use kanon_io::backup::newest;
use kanon_io::claim::{Claimant, LockFile, take_lock};
use kanon_io::following::{Following, followed_game, workspace_of};
use kanon_io::install::{Install, LocalInstall};
use kanon_io::set_aside::{self, SetAside};
use kanon_io::workspace::{Workspace, backups_of};
use kanon_io::writing::write_whole;

use crate::error::{AppError, FollowError};
use crate::machine::Machine;
use crate::observer::Observer;
use crate::session::Session;

/// The games that follow something, as far as is remembered.
pub fn known(machine: &Machine) -> Vec<PathBuf> {
    let text = list(machine).and_then(|list| std::fs::read_to_string(list).ok()).unwrap_or_default();
    text.lines().map(PathBuf::from).filter(|folder| follows(folder)).collect()
}

/// The one that follows the release of an invite, as far as is remembered.
pub fn following(machine: &Machine, invite: &Invite) -> Option<PathBuf> {
    let is_ours = |folder: &PathBuf| {
        let following = Following::read(&workspace_of(folder)).ok().flatten();
        following.is_some_and(|following| following.invite == invite.to_string())
    };
    known(machine).into_iter().find(is_ours)
}

/// Later runs need no argument. Where nothing can be remembered, they need the folder.
pub fn remember(machine: &Machine, folder: &Path) {
    let known = known(machine);
    let Some(list) = list(machine).filter(|_| !known.iter().any(|other| other == folder)) else { return };
    let lines = known.iter().map(PathBuf::as_path).chain([folder]).map(|folder| format!("{}\n", folder.display()));
    let made = list.parent().is_some_and(|parent| std::fs::create_dir_all(parent).is_ok());
    if made {
        drop(write_whole(&list, &lines.collect::<String>()));
    }
}

/// The game that is meant where none is named: the one that we are in, or the only one that follows anything.
///
/// # Errors
/// When there is none, or there are several.
pub fn only(machine: &Machine) -> Result<PathBuf, AppError> {
    if let Some(here) = followed_game(&machine.folder) {
        return Ok(here.to_owned());
    }
    let mut known = known(machine);
    match known.len() {
        0 => Err(FollowError::NothingFollowed.into()),
        1 => Ok(known.remove(0)),
        _ => Err(FollowError::Several(known).into()),
    }
}

/// The game that is meant where something is to be done with what it follows already.
///
/// # Errors
/// When none is meant, or it follows nothing.
pub fn meant(machine: &Machine, folder: Option<&Path>) -> Result<PathBuf, AppError> {
    let folder = folder.map_or_else(|| only(machine), |folder| Ok(machine.folder.join(folder)))?;
    match Following::read(&workspace_of(&folder))? {
        Some(_) => Ok(folder),
        None => Err(FollowError::FollowsNothing(folder).into()),
    }
}

/// Opens what a game follows.
///
/// # Errors
/// When it can't be read.
pub fn session<'a>(folder: &Path, machine: &'a Machine, observer: &'a dyn Observer) -> Result<Session<'a>, AppError> {
    Session::of_game(machine, observer, Workspace::open_at(&workspace_of(folder))?)
}

/// What was taken off a game, the newest first.
///
/// # Errors
/// When its backups can't be read.
pub fn taken_off(folder: &Path) -> Result<Vec<SetAside>, AppError> {
    let (install, workspace) = (LocalInstall::open(folder)?, Workspace::open_at(&workspace_of(folder))?);
    Ok(set_aside::set_aside(&install, &workspace.backups())?)
}

/// The one that is meant by a name.
///
/// # Errors
/// When it names none of them, or several.
pub fn named<'s>(all: &'s [SetAside], name: &str) -> Result<&'s SetAside, AppError> {
    let meant: Vec<&SetAside> = all.iter().filter(|one| one.is_meant(name)).collect();
    let exact = meant.iter().copied().find(|one| same_name(&one.what, name));
    match (exact, meant.as_slice()) {
        (Some(one), _) | (None, &[one]) => Ok(one),
        (None, some) => {
            let some = if some.is_empty() { all.iter().collect() } else { some.to_vec() };
            let known = some.iter().map(|one| one.what.clone()).collect();
            Err(FollowError::NotOneTakenOff { name: name.to_owned(), known }.into())
        }
    }
}

/// What putting something back came to.
pub enum PutBack {
    /// It is where it was.
    Done,
    /// Something else is there by now, and nothing was done.
    Taken(InstallPath),
}

/// Puts something back where it was, if nothing is there by now.
///
/// # Errors
/// When somebody works on the game, or a file can't be written.
pub fn put_back(folder: &Path, one: &SetAside, machine: &Machine) -> Result<PutBack, AppError> {
    let install = LocalInstall::open(folder)?;
    let _lock = lock_of(folder, machine)?;
    if let Some(path) = one.paths().find(|path| install.is_there(path)) {
        return Ok(PutBack::Taken(path.clone()));
    }
    set_aside::put_back(&install, one)?;
    Ok(PutBack::Done)
}

/// The newest backup of a game: another one than before says that something was changed.
pub fn newest_backup(folder: &Path) -> i64 {
    newest(&backups_of(&workspace_of(folder)))
}

/// The lock of a game that follows a release.
///
/// # Errors
/// When somebody works on it.
pub fn lock_of(game: &Path, machine: &Machine) -> Result<LockFile, AppError> {
    let claimant = Claimant {
        workspace: String::new(),
        by: format!("{} with kanon follow", machine.person()),
        began: machine.now().timestamp().as_second(),
        process: Some(std::process::id()),
        machine: machine.name(),
    };
    Ok(take_lock(&workspace_of(game).join("at-work.lock"), &game.display().to_string(), &claimant)?)
}

fn follows(folder: &Path) -> bool {
    Following::read(&workspace_of(folder)).is_ok_and(|following| following.is_some())
}

/// The file that lists the folders that follow something, one on each line.
fn list(machine: &Machine) -> Option<PathBuf> {
    Some(machine.config()?.join("followed"))
}
