//! `kanon compare`: installs beside each other.

use std::collections::HashMap;

use kanon_core::base::ids::FoldedId;
use kanon_core::findings::compare::{Column, Need, matrix};
use kanon_core::rulebook::{NeededOn, Role};

use crate::arguments::{Compare, Format};
use crate::env::Env;
use crate::failure::Failure;
use crate::ui::Ui;
use crate::{Outcome, render};
use kanon_app::session::Session;

/// The word that stands for the sealed canon among installs.
const CANON: &str = "canon";

pub fn run(arguments: &Compare, env: &Env, ui: &Ui) -> Result<Outcome, Failure> {
    let mut session = Session::open(&env.machine, ui, arguments.lens.rulebook.as_deref(), arguments.lens.thorough)?;
    let mut columns = Vec::new();
    let mut roles: Vec<Option<Role>> = Vec::new();
    let mut sides: HashMap<FoldedId, NeededOn> = HashMap::new();
    for name in &arguments.installs {
        if name == CANON {
            let canon = session.canon()?;
            sides.extend(canon.mods.iter().map(|sealed| (sealed.manifest.id.clone(), sealed.needed_on())));
            columns.push(Column::of_canon(&canon));
            roles.push(None);
            continue;
        }
        let target = session.target(name, arguments.lens.role.map(Role::from))?;
        let survey = session.survey(target)?.survey;
        for found in &survey.mods {
            sides.entry(found.manifest.id.clone()).or_insert(found.manifest.needed_on);
        }
        roles.push(Some(survey.install.role));
        columns.push(Column::of_survey(&survey));
    }
    let needed = |id: &FoldedId, column: usize| match (roles[column], sides.get(id)) {
        (Some(role), Some(side)) => Need::of(*side, role),
        _ => Need::Must,
    };
    let matrix = matrix(&columns, session.loaded.rulebook.versions, needed);
    match env.format {
        _ if env.as_page => ui.report(&render::page::compare::html(&matrix, env.now())?),
        Format::Json => ui.json(&matrix)?,
        Format::Text => ui.report(&render::compare::text(&matrix, env.verbose)),
    }
    Ok(Outcome::of(matrix.same))
}
