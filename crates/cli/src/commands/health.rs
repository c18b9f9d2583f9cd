//! `kanon health`: a server's health, by its logs.

use crate::arguments::{Format, Health};
use crate::env::Env;
use crate::failure::Failure;
use crate::ui::Ui;
use crate::{Outcome, render};
use kanon_app::health;
use kanon_app::session::Session;

pub fn run(arguments: &Health, env: &Env, ui: &Ui) -> Result<Outcome, Failure> {
    let mut session = Session::open(&env.machine, ui, arguments.rulebook.as_deref(), false)?;
    let (logs, install) = health::logs_meant(&mut session, &arguments.logs)?;
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
