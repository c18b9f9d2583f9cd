//! `kanon seal`: from the wishes to `canon.json`.

use kanon_app::sealing::{self, Sealed, Sealing};
use kanon_app::session::Session;
use kanon_core::base::finding::Finding;

use crate::Outcome;
use crate::arguments::{Format, Seal};
use crate::env::Env;
use crate::failure::Failure;
use crate::render::seal::{ChangeLine, Ended, Report, text};
use crate::ui::Ui;

pub fn run(arguments: &Seal, env: &Env, ui: &Ui) -> Result<Outcome, Failure> {
    let mut session = Session::of_administrator(&env.machine, ui)?;
    if let Some(number) = arguments.back_to {
        return back_to(&session, number, (env, ui));
    }
    if let Some(other) = &arguments.against {
        let compared = sealing::against(&session, other)?;
        let is_same = compared.changes.is_empty() && compared.beside.is_empty();
        tell(compared, (false, Ended::Compared), (env, ui))?;
        return Ok(Outcome::of(is_same));
    }
    let keep = !arguments.changes;
    let sealed = match sealing::seal(&mut session, &arguments.accept, keep)? {
        Sealing::Refused(findings) => return refused(findings, env, ui),
        Sealing::Fits(sealed) => *sealed,
    };
    if keep {
        sealing::write(&session, &sealed, &why(arguments))?;
    }
    let ended = if keep { ended(&sealed) } else { Ended::OnlyShown };
    tell(sealed, (keep, ended), (env, ui))?;
    Ok(Outcome::InOrder)
}

/// What was typed, for whoever looks at the canons later.
fn why(arguments: &Seal) -> String {
    let accepted: String = arguments.accept.iter().map(|id| format!(" --accept {id}")).collect();
    format!("kanon seal{accepted}")
}

/// Makes a canon count again that was sealed here before.
fn back_to(session: &Session<'_>, number: u64, (env, ui): (&Env, &Ui)) -> Result<Outcome, Failure> {
    let (sealed, asks_otherwise) = sealing::back_to(session, number, &format!("kanon seal --back-to {number}"))?;
    if asks_otherwise {
        ui.notice(
            "note: kanon.toml still asks for what it did; the next kanon seal goes there again, unless you change it",
        );
    }
    let ended = ended(&sealed);
    tell(sealed, (true, ended), (env, ui))?;
    Ok(Outcome::InOrder)
}

const fn ended(sealed: &Sealed) -> Ended {
    if sealed.is_same { Ended::Unchanged } else { Ended::Written }
}

fn tell(sealed: Sealed, (is_kept, ended): (bool, Ended), (env, ui): (&Env, &Ui)) -> Result<(), Failure> {
    let report = Report {
        format: "kanon-seal/1",
        sealed: is_kept,
        canon: Some(sealed.digest()),
        findings: sealed.findings,
        changes: sealed.changes.into_iter().map(|(change, notes)| ChangeLine::new(change, notes)).collect(),
        beside: sealed.beside,
    };
    match env.format {
        Format::Json => ui.json(&report)?,
        Format::Text => ui.report(&text(&report, ended, Some(&sealed.canon))),
    }
    Ok(())
}

fn refused(findings: Vec<Finding>, env: &Env, ui: &Ui) -> Result<Outcome, Failure> {
    let report = Report {
        format: "kanon-seal/1",
        sealed: false,
        canon: None,
        findings,
        changes: Vec::new(),
        beside: Vec::new(),
    };
    match env.format {
        Format::Json => ui.json(&report)?,
        Format::Text => ui.report(&text(&report, Ended::Refused, None)),
    }
    Ok(Outcome::Findings)
}
