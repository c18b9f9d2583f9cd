//! What can be done with a game that follows a release already: told of, and things put back that were set aside.

use std::path::{Path, PathBuf};

use kanon_app::diagnosing::Asked;
use kanon_app::followed_games::{self, PutBack};
use kanon_core::base::path::printable;
use kanon_io::set_aside::SetAside;

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
    Ok(followed_games::meant(&env.machine, named.as_deref())?)
}

/// Puts back one thing that was taken off.
pub fn put_back(folder: &Path, name: &str, (env, ui): (&Env, &Ui)) -> Result<Outcome, Failure> {
    let all = followed_games::taken_off(folder)?;
    if all.is_empty() {
        ui.report(&format!("{}\n", env.tongue.say("join-aside-none")));
        return Ok(Outcome::Findings);
    }
    restore(folder, followed_games::named(&all, name)?, (env, ui))
}

/// Puts it back where it was, if nothing is there by now.
pub fn restore(folder: &Path, one: &SetAside, (env, ui): (&Env, &Ui)) -> Result<Outcome, Failure> {
    let tell =
        |message, path: &str| ui.report(&format!("{}\n", env.tongue.with(message, [at("path", printable(path))])));
    match followed_games::put_back(folder, one, &env.machine)? {
        PutBack::Taken(path) => {
            tell("join-aside-taken", path.as_str());
            Ok(Outcome::Findings)
        }
        PutBack::Done => {
            one.paths().for_each(|path| tell("join-put-back", path.as_str()));
            Ok(Outcome::InOrder)
        }
    }
}

/// Writes what whoever helps wants to see of a game that follows a release: its survey and last log, the release, and what this
/// program makes of them, without what is nobody's business. A file that is called `.json` gets the survey alone.
pub fn report(folder: &Path, file: &Path, (env, ui): (&Env, &Ui)) -> Result<Outcome, Failure> {
    let env = env.working_in(folder);
    let mut session = followed_games::session(folder, &env.machine, ui)?;
    let name = session.install_names()?.remove(0);
    match file.extension().is_some_and(|extension| extension.eq_ignore_ascii_case("json")) {
        true => {
            let target = session.target(&name, None)?;
            survey::write(&session.survey(target)?.survey, file)?;
        }
        false => drop(packed(&Asked { client: Some(name.into()), ..Asked::default() }, &mut session, file)?),
    }
    let shown = printable(&file.display().to_string());
    ui.report(&format!("{}\n", env.tongue.with("join-report", [at("file", shown)])));
    Ok(Outcome::InOrder)
}
