//! `kanon history`: lists the alignments.

use jiff::Timestamp;
use jiff::tz::TimeZone;
use kanon_core::base::digest::Blake3;
use kanon_io::state::Alignment;
use serde::Serialize;

use crate::arguments::{Format, History};
use crate::env::Env;
use crate::failure::Failure;
use crate::ui::Ui;
use crate::words::steps::ToldStep;
use crate::{Outcome, render};
use kanon_app::sealing::{self, KeptCanon};
use kanon_app::session::Session;

/// Alignments, newest first.
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[derive(Serialize)]
pub struct Report<'a> {
    format: &'static str,
    alignments: Vec<Line<'a>>,
}

#[cfg_attr(test, derive(schemars::JsonSchema))]
#[derive(Serialize)]
struct Line<'a> {
    alignment: i64,
    install: &'a str,
    began: String,
    state: &'static str,
    /// Whether its backup is gone, so that it can't be taken back any more.
    pruned: bool,
    steps_done: u32,
    steps: Vec<ToldStep>,
}

pub fn run(arguments: &History, env: &Env, ui: &Ui) -> Result<Outcome, Failure> {
    let session = Session::in_workspace(&env.machine, ui, false)?;
    if arguments.canons {
        return canons(&session, env, ui);
    }
    let alignments = session.alignments(arguments.install.as_deref())?;
    match env.format {
        Format::Json => {
            ui.json(&Report { format: "kanon-history/1", alignments: alignments.iter().map(line).collect() })?;
        }
        Format::Text => ui.report(&render::align::history(&alignments, local)),
    }
    Ok(Outcome::InOrder)
}

/// The canons that were sealed here, newest first.
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[derive(Serialize)]
pub struct CanonReport {
    format: &'static str,
    canons: Vec<CanonLine>,
}

#[cfg_attr(test, derive(schemars::JsonSchema))]
#[derive(Serialize)]
struct CanonLine {
    number: u64,
    sealed: String,
    why: String,
    canon: Blake3,
    mods: usize,
    /// Whether it is the one that counts now.
    counts: bool,
}

/// The canons that were sealed here, newest first.
fn canons(session: &Session<'_>, env: &Env, ui: &Ui) -> Result<Outcome, Failure> {
    let line = |kept: KeptCanon| CanonLine {
        number: kept.number,
        sealed: Timestamp::from_second(kept.sealed).map(|time| time.to_string()).unwrap_or_default(),
        why: kept.why,
        canon: kept.digest,
        mods: kept.mods,
        counts: kept.counts,
    };
    let lines: Vec<CanonLine> = sealing::kept(session)?.into_iter().map(line).collect();
    if env.format == Format::Json {
        ui.json(&CanonReport { format: "kanon-canons/1", canons: lines })?;
        return Ok(Outcome::InOrder);
    }
    if lines.is_empty() {
        ui.report("no canon was sealed here yet\n");
        return Ok(Outcome::InOrder);
    }
    let mut out = format!("{}, newest first\n\n", render::count(lines.len(), "canon"));
    for line in lines {
        let when = line.sealed.parse::<Timestamp>().map(|time| local(time.as_second())).unwrap_or_default();
        let mods = render::cell(&render::count(line.mods, "mod"), 9);
        let counts = if line.counts { "  <- counts now" } else { "" };
        out.push_str(&format!(
            "  {:>3}  {when}  {mods}  {}  {}{counts}\n",
            line.number,
            line.canon.short(),
            render::cell(&line.why, 32)
        ));
    }
    out.push_str("\none counts again with: kanon seal --back-to N\n");
    ui.report(&out);
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
        steps: alignment.steps.iter().map(ToldStep::from).collect(),
    }
}

/// A time as the administrator's clock shows it.
fn local(seconds: i64) -> String {
    let time = Timestamp::from_second(seconds).map(|time| time.to_zoned(TimeZone::system()));
    time.map(|time| time.strftime("%Y-%m-%d %H:%M").to_string()).unwrap_or_default()
}
