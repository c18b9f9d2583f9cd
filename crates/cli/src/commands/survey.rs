//! `kanon survey`: measures an install.

use std::path::Path;

use kanon_core::rulebook::Role;
use kanon_io::writing::write_whole;

use crate::arguments::{Format, Survey};
use crate::env::Env;
use crate::failure::Failure;
use crate::ui::Ui;
use crate::{Outcome, render};
use kanon_app::session::Session;

pub fn run(arguments: &Survey, env: &Env, ui: &Ui) -> Result<Outcome, Failure> {
    let mut session = Session::open(&env.machine, ui, arguments.lens.rulebook.as_deref(), arguments.lens.thorough)?;
    let target = session.target(&arguments.install, arguments.lens.role.map(Role::from))?;
    let surveyed = session.survey(target)?;
    if let Some(file) = &arguments.output {
        write(&surveyed.survey, &env.machine.folder.join(file))?;
        ui.notice(&format!("the survey is in {}", file.display()));
    }
    match env.format {
        Format::Json if arguments.output.is_none() => ui.json(&surveyed.survey)?,
        Format::Json => {}
        Format::Text => {
            ui.report(&render::survey::text(&surveyed.survey, surveyed.counts, &session.loaded.rulebook));
        }
    }
    Ok(Outcome::of(surveyed.survey.unreadable.is_empty()))
}

/// Writes a survey into a file, as others read it.
pub fn write(survey: &kanon_core::survey::Survey, file: &Path) -> Result<(), Failure> {
    let json = serde_json::to_string_pretty(survey)
        .map_err(|error| Failure::plain("could not write the survey as JSON").because(error))?;
    Ok(write_whole(file, &(json + "\n"))?)
}
