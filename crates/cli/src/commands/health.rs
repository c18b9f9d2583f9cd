//! `kanon health`: a server's health, by its logs.

use std::path::PathBuf;

use kanon_core::base::path::printable;
use kanon_io::logs;

use crate::arguments::{Format, Health};
use crate::env::Env;
use crate::failure::Failure;
use crate::ui::Ui;
use crate::{Outcome, render};
use kanon_app::session::Session;
use kanon_app::{health, install_log};

pub fn run(arguments: &Health, env: &Env, ui: &Ui) -> Result<Outcome, Failure> {
    let mut session = Session::open(&env.machine, ui, arguments.rulebook.as_deref(), false)?;
    let (logs, install) = logs_of(arguments, &mut session)?;
    let health = health::of_logs(&session, &logs)?;
    if let Some(install) = install {
        session.keep_health(&install, &health)?;
    }
    match env.format {
        Format::Json => ui.json(&health)?,
        Format::Text => ui.report(&render::health::text(&health)),
    }
    Ok(Outcome::of(health.is_good()))
}

/// The logs that are meant, oldest first: files, those in folders, and those of installs with what was rotated out of them. With the
/// install whose they all are, where they are one's.
fn logs_of(arguments: &Health, session: &mut Session<'_>) -> Result<(Vec<PathBuf>, Option<String>), Failure> {
    let named = match arguments.logs.is_empty() {
        true => install_log::only_server(session).map(PathBuf::from).into_iter().collect(),
        false => arguments.logs.clone(),
    };
    let (mut found, mut installs) = (Vec::new(), Vec::new());
    for log in &named {
        let (path, name) = (session.machine.folder.join(log), log.to_string_lossy());
        match session.workspace.as_ref().and_then(|workspace| workspace.config.install(&name)) {
            Some(wish) if !path.is_file() => {
                let name = wish.name.clone();
                let own = health::logs_of_install(session, &name)?;
                if own.is_empty() {
                    return Err(Failure::plain(format!("there is no log of {}", printable(&name)))
                        .hint("say where it is, by `log` under its [install] in kanon.toml, or name the log itself"));
                }
                found.extend(own);
                installs.push(name);
            }
            _ if path.is_dir() => found.extend(logs::set_of(&path)?.into_iter().rev()),
            _ => found.push(path),
        }
    }
    if found.is_empty() {
        return Err(Failure::plain("no log was named, and there is not just one server it could be of")
            .hint("name logs, or a server: kanon health LOG"));
    }
    let is_of_one = named.len() == 1;
    Ok((found, installs.pop().filter(|_| is_of_one)))
}
