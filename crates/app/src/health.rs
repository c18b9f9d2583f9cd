//! A server's health by its logs: which logs are meant, and what they tell.

use std::path::PathBuf;

use kanon_core::base::ids::FoldedId;
use kanon_core::base::names::InstallName;
use kanon_core::diagnose::Needles;
use kanon_core::logs::health::{Health, Recorder, everyday_rules};
use kanon_core::logs::{LogEvent, LogReader, LogTime, Scanner, Source};
use kanon_core::rulebook::{Event, EventRule, Role};
use kanon_io::error::{ReachError, Unfit};
use kanon_io::logs;

use crate::error::{AppError, LogError};
use crate::install_log;
use crate::session::Session;

/// Reads logs of one server, oldest first.
///
/// # Errors
/// When one can't be read.
pub fn of_logs(session: &Session<'_>, paths: &[PathBuf]) -> Result<Health, AppError> {
    let everyday = everyday_rules(&session.loaded.rulebook.events);
    let by_everyday_words = everyday.iter().any(|rule| rule.means == Event::Lag);
    let rules: Vec<EventRule> = session.loaded.rulebook.events.iter().cloned().chain(everyday).collect();
    let canon = session.canon_if_sealed()?;
    let needles = Needles::new(&session.loaded.rulebook, &[], canon.as_ref(), &[])
        .map_err(|error| ReachError::unusable(&session.loaded.path, Unfit::told(error)))?;
    let mut recorder = Recorder::default();
    for path in paths {
        let scanner =
            Scanner::new(&rules, Role::Server).map_err(|error| ReachError::unusable(path, Unfit::told(error)))?;
        let mut reader = LogReader::new(&rules, Role::Server, Source::ServerLog);
        let (first, last) = logs::ends(path)?;
        recorder.time(LogTime::of(&first));
        // A server that says one thing over and over is listened to once, as long as no line depends on the one before it.
        let stands_alone = rules.iter().all(|rule| rule.then.is_none());
        let (mut last_line, mut last_events): (Vec<u8>, Vec<(LogEvent, Vec<String>)>) = (Vec::new(), Vec::new());
        logs::known_lines(path, &scanner, |number, line| {
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
    Ok(recorder.finish(by_everyday_words))
}

/// The logs that are meant, oldest first: files, those in folders, and those of installs with what was rotated out of them; where none
/// is named, those of the only server. With the install whose they all are, where they are one's.
///
/// # Errors
/// When there is none, or one can't be looked for.
pub fn logs_meant(
    session: &mut Session<'_>,
    named: &[PathBuf],
) -> Result<(Vec<PathBuf>, Option<InstallName>), AppError> {
    let named = match named.is_empty() {
        true => install_log::only_server(session).map(|name| PathBuf::from(name.as_str())).into_iter().collect(),
        false => named.to_vec(),
    };
    let (mut found, mut installs) = (Vec::new(), Vec::new());
    for log in &named {
        let (path, name) = (session.machine.folder.join(log), log.to_string_lossy());
        match session.workspace.as_ref().and_then(|workspace| workspace.config.install(&name)) {
            Some(wish) if !path.is_file() => {
                let name = wish.name.clone();
                let own = logs_of_install(session, &name)?;
                if own.is_empty() {
                    return Err(LogError::NoneOf(name).into());
                }
                found.extend(own);
                installs.push(name);
            }
            _ if path.is_dir() => found.extend(logs::set_of(&path)?.into_iter().rev()),
            _ => found.push(path),
        }
    }
    if found.is_empty() {
        return Err(LogError::NoneNamed.into());
    }
    let is_of_one = named.len() == 1;
    Ok((found, installs.pop().filter(|_| is_of_one)))
}

/// The logs of a server of the workspace with what was rotated out of them, oldest first; none where it has none.
///
/// # Errors
/// When its host can't be reached, or its folder can't be read.
pub fn logs_of_install(session: &mut Session<'_>, install: &str) -> Result<Vec<PathBuf>, AppError> {
    let Some(log) = install_log::of_install(session, install)? else { return Ok(Vec::new()) };
    Ok(logs::set_of(&log)?.into_iter().rev().collect())
}
