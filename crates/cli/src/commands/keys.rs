//! `kanon keys`: which key signs what, what verifies, and what is left over.

use kanon_app::keys::{only_server, refuse_unsigned, report};
use kanon_app::session::Session;
use kanon_core::rulebook::Role;

use crate::arguments::{Format, Keys};
use crate::env::Env;
use crate::failure::Failure;
use crate::ui::Ui;
use crate::{Outcome, render};

pub fn run(arguments: &Keys, env: &Env, ui: &Ui) -> Result<Outcome, Failure> {
    let mut session = Session::open(&env.machine, ui, arguments.lens.rulebook.as_deref(), arguments.lens.thorough)?;
    refuse_unsigned(&session)?;
    let name = match &arguments.install {
        Some(name) => name.clone(),
        None => only_server(&session)?.into(),
    };
    let target = session.target(&name, arguments.lens.role.map(Role::from))?;
    let surveyed = session.survey(target)?;
    let report = report(&session, &surveyed)?;
    match env.format {
        Format::Json => ui.json(&report)?,
        Format::Text => ui.report(&render::keys::text(&report)),
    }
    Ok(Outcome::of(report.in_line))
}
