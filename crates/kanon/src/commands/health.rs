//! `kanon health`: a server's health, by its logs.

use kanon_core::diagnose::{LogReader, Needles, Scanner, Source, Stamp};
use kanon_core::health::{Recorder, everyday_rules};
use kanon_core::rulebook::{Event, EventRule, Role};
use kanon_reach::error::ReachError;
use kanon_reach::logs;

use crate::Outcome;
use crate::arguments::{Format, Health};
use crate::env::Env;
use crate::failure::Failure;
use crate::render;
use crate::session::Session;
use crate::ui::Ui;

pub fn run(arguments: &Health, env: &Env, ui: &Ui) -> Result<Outcome, Failure> {
    let session = Session::open(env, ui, arguments.rulebook.as_deref(), false)?;
    let everyday = everyday_rules(&session.loaded.rulebook.events);
    let by_everyday_words = everyday.iter().any(|rule| rule.means == Event::Lag);
    let rules: Vec<EventRule> = session.loaded.rulebook.events.iter().cloned().chain(everyday).collect();
    let canon = session.canon_if_sealed()?;
    let needles = Needles::new(&session.loaded.rulebook, &[], canon.as_ref(), &[])
        .map_err(|error| Failure::plain("the names of the mods can't be looked for").because(error))?;
    let mut recorder = Recorder::default();
    for log in &arguments.logs {
        let path = env.folder.join(log);
        let unusable = |reason: String| ReachError::Unusable { path: path.clone(), reason };
        let scanner = Scanner::new(&rules, Role::Server).map_err(|error| unusable(error.to_string()))?;
        let mut reader = LogReader::new(&rules, Role::Server, Source::ServerLog);
        let (first, last) = logs::ends(&path)?;
        recorder.time(Stamp::of(&first));
        logs::known_lines(&path, &scanner, |number, line| {
            reader.line(number, &line);
            for event in reader.take() {
                let is_trouble = matches!(event.means, Event::Lag | Event::OutOfMemory | Event::Crash);
                let named = if is_trouble { needles.named(&event.text) } else { Vec::new() };
                recorder.event(&event, &named);
            }
        })?;
        recorder.time(Stamp::of(&last));
    }
    let health = recorder.finish(by_everyday_words);
    match env.format {
        Format::Json => ui.json(&health)?,
        Format::Text => ui.report(&render::health::text(&health)),
    }
    Ok(Outcome::of(health.is_good()))
}
