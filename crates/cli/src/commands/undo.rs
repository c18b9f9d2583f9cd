//! `kanon undo`: takes back the last alignment, or several.

use kanon_core::base::names::InstallName;
use kanon_core::plan::RiskyExtras;
use kanon_core::plan::text_edits::Consents;
use kanon_core::rulebook::Role;
use kanon_io::claim::Others;
use kanon_io::undo::TakenBack;
use serde::Serialize;

use crate::arguments::{Format, Undo};
use crate::env::Env;
use crate::failure::Failure;
use crate::ui::Ui;
use crate::{Outcome, render};
use kanon_app::alignment::{AtInstall, Wanted};
use kanon_app::session::Session;

/// What was taken back.
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[derive(Serialize)]
pub struct Report<'a> {
    format: &'static str,
    install: &'a str,
    /// The last one that was taken back, the oldest.
    alignment: i64,
    /// All that were, newest first.
    alignments: Vec<i64>,
    restored: Vec<&'a String>,
    removed: Vec<&'a String>,
    kept: Vec<&'a (String, String)>,
    /// Worlds that the game had made since, and what they are called now.
    set_aside: Vec<&'a (String, String)>,
}

/// Takes back what is asked for: the install's name, and each alignment with what came of it.
pub fn take_back(arguments: &Undo, env: &Env, ui: &Ui) -> Result<(InstallName, Vec<(i64, TakenBack)>), Failure> {
    let wanted = Wanted {
        risky: RiskyExtras::Stay,
        world: None,
        while_running: arguments.while_running,
        others: if arguments.take_over { Others::TakeOver } else { Others::Respect },
        said: Consents::default(),
    };
    // The role plays no part in taking back; any will do. Nor does the canon.
    let session = Session::in_workspace(&env.machine, ui, false)?;
    let install = match (&arguments.install, session.install_names()?.as_slice()) {
        (Some(install), _) => install.clone(),
        (None, [only]) => only.clone().into(),
        (None, all) => {
            let named = if all.is_empty() { String::new() } else { format!(": {}", all.join(", ")) };
            return Err(Failure::plain("nothing says which install is meant").hint(format!("name it{named}")));
        }
    };
    let mut at = AtInstall::open(session, &install, Some(Role::Client))?;
    if let Some(id) = arguments.from_backup {
        at.know_from_backup(id)?;
    }
    let taken = at.undo(arguments.from_backup.or(arguments.back_to), &wanted)?;
    Ok((at.placed.name.clone(), taken))
}

pub fn run(arguments: &Undo, env: &Env, ui: &Ui) -> Result<Outcome, Failure> {
    let (name, taken) = take_back(arguments, env, ui)?;
    match env.format {
        Format::Json => {
            ui.json(&Report {
                format: "kanon-undo/1",
                install: &name,
                alignment: taken.last().map_or(0, |(id, _)| *id),
                alignments: taken.iter().map(|(id, _)| *id).collect(),
                restored: taken.iter().flat_map(|(_, back)| &back.restored).collect(),
                removed: taken.iter().flat_map(|(_, back)| &back.removed).collect(),
                kept: taken.iter().flat_map(|(_, back)| &back.kept).collect(),
                set_aside: taken.iter().flat_map(|(_, back)| &back.set_aside).collect(),
            })?;
        }
        Format::Text => taken.iter().for_each(|(id, back)| ui.report(&render::align::taken_back(&name, *id, back))),
    }
    Ok(Outcome::InOrder)
}
