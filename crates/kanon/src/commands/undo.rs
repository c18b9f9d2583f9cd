//! `kanon undo`: takes back the last alignment.

use kanon_reach::carry_out::Lock;
use kanon_reach::install::LocalInstall;
use kanon_reach::state::AlignmentState;
use kanon_reach::undo::take_back;
use serde::Serialize;

use crate::Outcome;
use crate::arguments::{Format, Undo};
use crate::env::Env;
use crate::failure::Failure;
use crate::render;
use crate::session::{Session, Target};
use crate::ui::Ui;

#[derive(Serialize)]
struct Report<'a> {
    format: &'static str,
    install: &'a str,
    alignment: i64,
    restored: &'a [String],
    removed: &'a [String],
    kept: &'a [(String, String)],
}

pub fn run(arguments: &Undo, env: &Env, ui: &Ui) -> Result<Outcome, Failure> {
    let session = Session::in_workspace(env, ui, false)?;
    // The role plays no part in taking back; any will do.
    let Target::Local { name, path, .. } =
        session.target(&arguments.install, Some(kanon_core::rulebook::Role::Client))?
    else {
        return Err(Failure::plain(format!("{} is a survey; only an install can be taken back", arguments.install)));
    };
    let install = LocalInstall::open(&path)?;
    let alignments = session.state.alignments(Some(&install.root().to_string_lossy()))?;
    let last = alignments.into_iter().find(|alignment| alignment.state != AlignmentState::Undone);
    let last = last.ok_or_else(|| {
        Failure::plain(format!("there is no alignment of {name} to take back"))
            .hint("see what was done with: kanon history")
    })?;
    let backups = session.workspace()?.backups();
    let _lock = Lock::take(&backups)?;
    let taken = take_back(&install, &session.state, last.id, &backups)?;
    match env.format {
        Format::Json => ui.json(&Report {
            format: "kanon-undo/1",
            install: &name,
            alignment: last.id,
            restored: &taken.restored,
            removed: &taken.removed,
            kept: &taken.kept,
        })?,
        Format::Text => ui.report(&render::align::taken_back(&name, last.id, &taken)),
    }
    Ok(Outcome::InOrder)
}
