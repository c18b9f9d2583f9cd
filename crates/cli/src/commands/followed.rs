//! What can be done with a game that follows a release already: found again, told of, and things put back that were set aside.

use std::path::{Path, PathBuf};

use kanon_app::diagnosing::Asked;
use kanon_app::session::Session;
use kanon_core::base::path::printable;
use kanon_io::claim::{Claimant, take_lock};
use kanon_io::following::{Following, followed_game, workspace_of};
use kanon_io::install::{Install, LocalInstall};
use kanon_io::set_aside::{SetAside, set_aside};
use kanon_io::workspace::Workspace;
use kanon_io::writing::write_whole;

use super::export::packed;
use super::survey;
use crate::Outcome;
use crate::arguments::Follow;
use crate::env::Env;
use crate::failure::Failure;
use crate::ui::Ui;
use crate::words::tongue::at;

/// The game that is meant where something is to be done with what it follows already.
pub fn followed_by(arguments: &Follow, env: &Env) -> Result<PathBuf, Failure> {
    let named = arguments.folder.clone().or_else(|| arguments.invite.as_ref().map(PathBuf::from));
    let folder = named.map_or_else(|| followed_folder(env), |folder| Ok(env.machine.folder.join(folder)))?;
    match Following::read(&workspace_of(&folder))? {
        Some(_) => Ok(folder),
        None => {
            let shown = printable(&folder.display().to_string());
            Err(Failure::plain(format!("{shown} follows no release yet")).hint("name the folder of a game that does"))
        }
    }
}

/// What was taken off a game that follows a release, the newest first.
pub fn aside(folder: &Path) -> Result<Vec<SetAside>, Failure> {
    let (install, workspace) = (LocalInstall::open(folder)?, Workspace::open_at(&workspace_of(folder))?);
    Ok(set_aside(&install, &workspace.backups())?)
}

/// Puts back one thing that was taken off.
pub fn put_back(folder: &Path, name: &str, (env, ui): (&Env, &Ui)) -> Result<Outcome, Failure> {
    let all = aside(folder)?;
    let meant: Vec<&SetAside> = all.iter().filter(|one| one.is_meant(name)).collect();
    let exact = meant.iter().copied().find(|one| one.what.eq_ignore_ascii_case(name));
    match (exact, meant.as_slice()) {
        (Some(one), _) | (None, &[one]) => restore(folder, one, (env, ui)),
        (None, []) if all.is_empty() => {
            ui.report(&format!("{}\n", env.tongue.say("join-aside-none")));
            Ok(Outcome::Findings)
        }
        (None, some) => {
            let some = if some.is_empty() { all.iter().collect() } else { some.to_vec() };
            let named: Vec<String> = some.iter().map(|one| printable(&one.what)).collect();
            Err(Failure::plain(format!("{} is the name of no one thing that was taken off", printable(name)))
                .hint(format!("name one of these: {}", named.join(", "))))
        }
    }
}

/// Puts it back where it was, if nothing is there by now.
pub fn restore(folder: &Path, one: &SetAside, (env, ui): (&Env, &Ui)) -> Result<Outcome, Failure> {
    let install = LocalInstall::open(folder)?;
    let lock = claimant(env);
    let shown = folder.display().to_string();
    let _lock = take_lock(&workspace_of(folder).join("at-work.lock"), &shown, &lock)?;
    if let Some(path) = one.paths().find(|path| install.is_there(path)) {
        ui.report(&format!("{}\n", env.tongue.with("join-aside-taken", [at("path", printable(path.as_str()))])));
        return Ok(Outcome::Findings);
    }
    kanon_io::set_aside::put_back(&install, one)?;
    for path in one.paths() {
        ui.report(&format!("{}\n", env.tongue.with("join-put-back", [at("path", printable(path.as_str()))])));
    }
    Ok(Outcome::InOrder)
}

/// Writes what whoever helps wants to see of a game that follows a release: its survey and last log, the release, and what this
/// program makes of them, without what is nobody's business. A file that is called `.json` gets the survey alone.
pub fn report(folder: &Path, file: &Path, (env, ui): (&Env, &Ui)) -> Result<Outcome, Failure> {
    let env = env.working_in(folder);
    let mut session = Session::of_game(&env.machine, ui, Workspace::open_at(&workspace_of(folder))?)?;
    let name = session.install_names()?.remove(0);
    match file.extension().is_some_and(|extension| extension.eq_ignore_ascii_case("json")) {
        true => {
            let target = session.target(&name, None)?;
            survey::write(&session.survey(target)?.survey, file)?;
        }
        false => drop(packed(&Asked { client: Some(name), ..Asked::default() }, &mut session, file)?),
    }
    let shown = printable(&file.display().to_string());
    ui.report(&format!("{}\n", env.tongue.with("join-report", [at("file", shown)])));
    Ok(Outcome::InOrder)
}

/// Who works on a game that follows a release.
pub fn claimant(env: &Env) -> Claimant {
    Claimant {
        workspace: String::new(),
        by: format!("{} with kanon follow", env.machine.person()),
        began: env.machine.now().timestamp().as_second(),
        process: Some(std::process::id()),
        machine: env.machine.name(),
    }
}

/// The file that lists the folders that follow something, one on each line.
fn followed_list(env: &Env) -> Option<PathBuf> {
    Some(env.machine.config()?.join("followed"))
}

/// The folders that follow something, as far as is remembered.
pub fn followed(env: &Env) -> Vec<PathBuf> {
    let text = followed_list(env).and_then(|list| std::fs::read_to_string(list).ok()).unwrap_or_default();
    let folders = text.lines().map(PathBuf::from);
    folders.filter(|folder| Following::read(&workspace_of(folder)).is_ok_and(|following| following.is_some())).collect()
}

/// Later runs need no argument. Where nothing can be remembered, they need the folder.
pub fn remember(env: &Env, folder: &Path) {
    let known = followed(env);
    let Some(list) = followed_list(env).filter(|_| !known.iter().any(|other| other == folder)) else { return };
    let lines = known.iter().map(PathBuf::as_path).chain([folder]).map(|folder| format!("{}\n", folder.display()));
    let made = list.parent().is_some_and(|parent| std::fs::create_dir_all(parent).is_ok());
    if made {
        drop(write_whole(&list, &lines.collect::<String>()));
    }
}

/// The game folder that is meant where none is named: the one we are in, or the only one that follows anything.
pub fn followed_folder(env: &Env) -> Result<PathBuf, Failure> {
    if let Some(here) = followed_game(&env.machine.folder) {
        return Ok(here.to_owned());
    }
    match followed(env).as_slice() {
        [only] => Ok(only.clone()),
        [] => Err(Failure::plain("nothing is followed yet")
            .hint("the first time, the invite is needed: kanon follow \"INVITE\" FOLDER")),
        several => {
            let several: Vec<String> = several.iter().map(|folder| folder.display().to_string()).collect();
            Err(Failure::plain("several games follow releases")
                .hint(format!("name the folder of one: {}", several.join(", "))))
        }
    }
}
