//! `kanon check`: holds installs against the canon.

use kanon_core::check::hold;
use kanon_core::rulebook::Role;

use crate::Outcome;
use crate::arguments::{Check, Format};
use crate::env::Env;
use crate::failure::Failure;
use crate::render::check::{Held, Report};
use crate::session::{Session, Surveyed};
use crate::ui::Ui;

pub fn run(arguments: &Check, env: &Env, ui: &Ui) -> Result<Outcome, Failure> {
    let mut session = Session::open(env, ui, arguments.lens.rulebook.as_deref(), arguments.lens.thorough)?;
    let canon = session.canon()?;
    let mut names = arguments.installs.clone();
    if names.is_empty() {
        names = session.workspace()?.wishes.installs.iter().map(|install| install.name.clone()).collect();
    }
    if names.is_empty() {
        return Err(Failure::plain("kanon.toml names no install, so there is nothing to check")
            .hint("add an [install.NAME] table, or name a folder or a survey"));
    }
    let mut installs = Vec::new();
    for name in &names {
        let target = session.target(name, arguments.lens.role.map(Role::from))?;
        let surveyed = session.survey(target)?;
        installs.push(held(&session, &canon, &surveyed));
    }
    let report = Report::new(installs);
    match env.format {
        Format::Json => ui.json(&report)?,
        Format::Text => ui.report(&report.text(&canon.name, &session.loaded.rulebook.not_acted_on())),
    }
    Ok(Outcome::of(report.in_line()))
}

/// One survey against the canon.
pub fn held(session: &Session<'_>, canon: &kanon_core::canon::Canon, surveyed: &Surveyed) -> Held {
    let survey = &surveyed.survey;
    let findings = hold(session.measure(canon), survey);
    Held {
        mods: survey.mods.len(),
        from_file: surveyed.counts.is_none(),
        ..Held::new(survey.install.name.clone(), survey.install.role, findings)
    }
}
