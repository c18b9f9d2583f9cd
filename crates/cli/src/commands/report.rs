//! `kanon report`: the state of everything, as one page or as data.

use std::path::Path;

use kanon_app::overview::{Overview, overview};
use kanon_app::session::Session;
use kanon_core::base::path::printable;
use kanon_io::writing::write_whole;
use serde::Serialize;

use crate::Outcome;
use crate::arguments::{Format, ReportArguments};
use crate::env::Env;
use crate::failure::Failure;
use crate::render::page;
use crate::ui::Ui;

/// What the page is called where nothing else is said.
const FILE: &str = "report.html";

#[cfg_attr(test, derive(schemars::JsonSchema))]
#[derive(Serialize)]
pub struct Report<'a> {
    format: &'static str,
    #[serde(flatten)]
    overview: &'a Overview,
}

pub fn run(arguments: &ReportArguments, env: &Env, ui: &Ui) -> Result<Outcome, Failure> {
    let mut session = Session::in_workspace(&env.machine, ui, false)?;
    let overview = overview(&mut session)?;
    let to = match (&arguments.output, env.format) {
        (Some(file), _) => Some(file.as_path()),
        (None, Format::Text) if !env.as_page => Some(Path::new(FILE)),
        (None, _) => None,
    };
    let page = page::overview::html(&overview);
    match to {
        Some(file) if file == Path::new("-") => ui.report(&page?),
        Some(file) => {
            write_whole(&env.machine.folder.join(file), &page?)?;
            if env.format == Format::Text {
                ui.report(&format!("the report is in {}\n", printable(&file.display().to_string())));
            }
        }
        None if env.as_page => ui.report(&page?),
        None => {}
    }
    if env.format == Format::Json {
        ui.json(&Report { format: "kanon-report/1", overview: &overview })?;
    }
    Ok(Outcome::InOrder)
}
