//! `kanon adopt`: what is on an install becomes the wish.

use kanon_app::adopting::Adopting;
use kanon_app::session::Session;
use kanon_core::base::path::printable;
use kanon_core::rulebook::Role;

use crate::Outcome;
use crate::arguments::{Adopt, Format};
use crate::asking::agreed;
use crate::env::Env;
use crate::failure::Failure;
use crate::render::seal::Adopted;
use crate::ui::Ui;
use crate::words::adopting;

pub fn run(arguments: &Adopt, env: &Env, ui: &Ui) -> Result<Outcome, Failure> {
    let mut session = Session::open(&env.machine, ui, arguments.lens.rulebook.as_deref(), arguments.lens.thorough)?;
    session.workspace()?.clone().of_administrator()?;
    let target = session.target(&arguments.install, arguments.lens.role.map(Role::from))?;
    let mut adopting = Adopting::look(&mut session, target)?;
    adopting.narrow(&arguments.only, &arguments.except)?;
    for id in adopting.own_mods(&mut session)? {
        let is_named = arguments.only.iter().any(|only| id == *only);
        let question = format!("No server has {}. Is every player to have it?", printable(id.as_str()));
        let is_for_players = is_named || (env.machine.can_ask && agreed(false, env, ui, question.as_str())?);
        adopting.settle_own(&id, is_for_players);
    }
    let adopted = adopting.write(&mut session)?;
    let passed_over = adopting.passed_over.iter().map(|(path, why)| (path.clone(), adopting::passed_over(why)));
    let damaged = adopting.damaged.iter();
    let damaged = damaged.map(|copy| (copy.path.clone(), format!("{} is no whole mod: {}", copy.id, copy.why)));
    let report = Adopted {
        passed_over: passed_over.chain(damaged).collect(),
        left_out: adopting.left_out.clone(),
        not_there: adopted.not_there,
        recognised: adopted.recognised,
        ..Adopted::new(adopting.survey.install.name.clone(), adopted.edited)
    };
    match env.format {
        Format::Json => ui.json(&report)?,
        Format::Text => ui.report(&report.text()),
    }
    Ok(Outcome::of(adopting.is_whole))
}
