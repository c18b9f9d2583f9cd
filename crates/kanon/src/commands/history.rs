//! `kanon history`: lists the alignments.

use jiff::Timestamp;
use jiff::tz::TimeZone;
use kanon_core::rulebook::Role;
use kanon_reach::state::Alignment;
use serde::Serialize;

use crate::Outcome;
use crate::arguments::{Format, History};
use crate::env::Env;
use crate::failure::Failure;
use crate::render;
use crate::session::Session;
use crate::ui::Ui;

#[derive(Serialize)]
struct Report<'a> {
    format: &'static str,
    alignments: Vec<Line<'a>>,
}

#[derive(Serialize)]
struct Line<'a> {
    alignment: i64,
    install: &'a str,
    began: String,
    state: &'static str,
    /// Whether its backup is gone, so that it can't be taken back any more.
    pruned: bool,
    steps_done: u32,
    steps: &'a [kanon_core::align::Step],
}

pub fn run(arguments: &History, env: &Env, ui: &Ui) -> Result<Outcome, Failure> {
    let session = Session::in_workspace(env, ui, false)?;
    let root = match &arguments.install {
        Some(install) => Some(session.placed(install, Some(Role::Client))?.place.identity()),
        None => None,
    };
    let alignments = session.state.alignments(root.as_deref())?;
    match env.format {
        Format::Json => {
            ui.json(&Report { format: "kanon-history/1", alignments: alignments.iter().map(line).collect() })?;
        }
        Format::Text => ui.report(&render::align::history(&alignments, local)),
    }
    Ok(Outcome::InOrder)
}

fn line(alignment: &Alignment) -> Line<'_> {
    Line {
        alignment: alignment.id,
        install: &alignment.install,
        began: Timestamp::from_second(alignment.began).map(|time| time.to_string()).unwrap_or_default(),
        state: alignment.state.as_str(),
        pruned: alignment.pruned,
        steps_done: alignment.steps_done,
        steps: &alignment.steps,
    }
}

/// A time as the administrator's clock shows it.
fn local(seconds: i64) -> String {
    let time = Timestamp::from_second(seconds).map(|time| time.to_zoned(TimeZone::system()));
    time.map(|time| time.strftime("%Y-%m-%d %H:%M").to_string()).unwrap_or_default()
}
