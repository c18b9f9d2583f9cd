//! `kanon health`: a server's health, by its logs.

use std::path::PathBuf;

use kanon_core::base::ids::FoldedId;
use kanon_core::base::path::printable;
use kanon_core::diagnose::Needles;
use kanon_core::logs::health::{Recorder, everyday_rules};
use kanon_core::logs::{LogEvent, LogReader, LogTime, Scanner, Source};
use kanon_core::rulebook::{Event, EventRule, Role};
use kanon_io::error::ReachError;
use kanon_io::logs;

use crate::arguments::{Format, Health};
use crate::env::Env;
use crate::failure::Failure;
use crate::ui::Ui;
use crate::{Outcome, render};
use kanon_app::server_log;
use kanon_app::session::Session;

pub fn run(arguments: &Health, env: &Env, ui: &Ui) -> Result<Outcome, Failure> {
    let mut session = Session::open(&env.machine, ui, arguments.rulebook.as_deref(), false)?;
    let everyday = everyday_rules(&session.loaded.rulebook.events);
    let by_everyday_words = everyday.iter().any(|rule| rule.means == Event::Lag);
    let rules: Vec<EventRule> = session.loaded.rulebook.events.iter().cloned().chain(everyday).collect();
    let canon = session.canon_if_sealed()?;
    let needles = Needles::new(&session.loaded.rulebook, &[], canon.as_ref(), &[])
        .map_err(|error| Failure::plain("the names of the mods can't be looked for").because(error))?;
    let mut recorder = Recorder::default();
    for path in logs_of(arguments, &mut session)? {
        let unusable = |reason: String| ReachError::Unusable { path: path.clone(), reason };
        let scanner = Scanner::new(&rules, Role::Server).map_err(|error| unusable(error.to_string()))?;
        let mut reader = LogReader::new(&rules, Role::Server, Source::ServerLog);
        let (first, last) = logs::ends(&path)?;
        recorder.time(LogTime::of(&first));
        // A server that says one thing over and over is listened to once, as long as no line depends on the one before it.
        let stands_alone = rules.iter().all(|rule| rule.then.is_none());
        let (mut last_line, mut last_events): (Vec<u8>, Vec<(LogEvent, Vec<String>)>) = (Vec::new(), Vec::new());
        logs::known_lines(&path, &scanner, |number, line| {
            if !stands_alone || line != last_line {
                reader.line(number, &line);
                let with_names = |event: LogEvent| {
                    let is_trouble = matches!(event.means, Event::Lag | Event::OutOfMemory | Event::Crash);
                    let named = if is_trouble { needles.named(&event.text) } else { Vec::new() };
                    let named = named.into_iter().map(FoldedId::to_string).collect();
                    (event, named)
                };
                last_events = reader.take().into_iter().map(with_names).collect();
                last_line = line;
            }
            for (event, named) in &last_events {
                recorder.event(event, &named.iter().map(String::as_str).collect::<Vec<_>>());
            }
        })?;
        recorder.time(LogTime::of(&last));
    }
    let health = recorder.finish(by_everyday_words);
    match env.format {
        Format::Json => ui.json(&health)?,
        Format::Text => ui.report(&render::health::text(&health)),
    }
    Ok(Outcome::of(health.is_good()))
}

/// The logs that are meant, oldest first: files, those in folders, and those of installs with what was rotated out of them.
fn logs_of(arguments: &Health, session: &mut Session<'_>) -> Result<Vec<PathBuf>, Failure> {
    let named = match arguments.logs.is_empty() {
        true => server_log::only_server(session).map(PathBuf::from).into_iter().collect(),
        false => arguments.logs.clone(),
    };
    let mut found = Vec::new();
    for log in &named {
        let (path, name) = (session.machine.folder.join(log), log.to_string_lossy());
        let set = match session.workspace.as_ref().and_then(|workspace| workspace.config.install(&name)) {
            Some(wish) if !path.is_file() => {
                let name = printable(&wish.name);
                let log = server_log::of_install(session, &name)?.ok_or_else(|| {
                    Failure::plain(format!("there is no log of {name}"))
                        .hint("say where it is, by `log` under its [install] in kanon.toml, or name the log itself")
                })?;
                logs::set_of(&log)?
            }
            _ if path.is_dir() => logs::set_of(&path)?,
            _ => vec![path],
        };
        found.extend(set.into_iter().rev());
    }
    if found.is_empty() {
        return Err(Failure::plain("no log was named, and there is not just one server it could be of")
            .hint("name logs, or a server: kanon health LOG"));
    }
    Ok(found)
}
