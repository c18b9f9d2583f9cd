//! `kanon rehearse`: starts a server and proves that it loads, all at once or stage by stage.

use std::collections::BTreeSet;

use kanon_core::base::ids::FoldedId;
use kanon_core::base::path::printable;
use kanon_core::diagnose::isolate::mods_of;
use kanon_core::rulebook::Role;
use serde::Serialize;

use crate::arguments::{Format, Rehearse};
use crate::asking::agreed;
use crate::env::Env;
use crate::failure::Failure;
use crate::ui::Ui;
use crate::{Outcome, render};
use kanon_app::rehearsing::{Rehearsal, Tried};

/// A server that was started to prove that it loads, in one stage or several.
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[derive(Serialize)]
pub struct Report<'a> {
    format: &'static str,
    install: &'a str,
    passed: bool,
    /// Whether that is remembered of the sealed canon.
    recorded: bool,
    stages: &'a [Tried],
}

pub fn run(arguments: &Rehearse, env: &Env, ui: &Ui) -> Result<Outcome, Failure> {
    let rehearsal = Rehearsal::open(&env.machine, ui, &arguments.install, arguments.waiting.into())?;
    if !arguments.stage.is_empty() && !rehearsal.may_change() {
        return Err(Failure::plain(format!("{} is no rehearsal install, and stages take mods off", arguments.install))
            .hint(format!("say so in kanon.toml, if it is: rehearsal = true under [install.{}]", arguments.install)));
    }
    let stages = stages(&rehearsal, &arguments.stage)?;
    let name = printable(&arguments.install);
    let question = if rehearsal.may_change() {
        format!("Bring {name} in line with the canon, and start it?")
    } else {
        format!("Start {name} as it is?")
    };
    let may_start = agreed(arguments.yes, env, ui, question.as_str())?;
    let mut tried: Vec<Tried> = Vec::new();
    for (number, stage) in stages.iter().enumerate().take_while(|_| may_start) {
        let mods = stage.as_ref().map_or_else(|| "the canon".to_owned(), |mods| render::count(mods.len(), "mod"));
        ui.notice(&format!("start {} of {}: {} with {mods}", number + 1, stages.len(), arguments.install));
        let one = rehearsal.try_with(stage.as_ref())?;
        let passed = one.passed;
        tried.push(one);
        if !passed {
            break;
        }
    }
    let passed = tried.len() == stages.len() && tried.iter().all(|one| one.passed);
    let last = tried.last().filter(|last| passed && last.in_line);
    let recorded = last.is_some();
    if let Some(last) = last {
        rehearsal.record(last)?;
    }
    match env.format {
        Format::Json => ui.json(&Report {
            format: "kanon-rehearsal/1",
            install: &arguments.install,
            passed,
            recorded,
            stages: &tried,
        })?,
        Format::Text if !may_start => {}
        Format::Text => ui.report(&render::rehearsal::text(&arguments.install, &tried, (passed, recorded))),
    }
    Ok(Outcome::of(passed))
}

/// The sets to try, one after the other: what was asked for, each with what it needs and on top of the one before; then all.
fn stages(rehearsal: &Rehearsal<'_>, asked: &[String]) -> Result<Vec<Option<BTreeSet<FoldedId>>>, Failure> {
    let mods = mods_of(&rehearsal.canon, Role::Server);
    let find = |id: &FoldedId| mods.iter().find(|(known, _)| known == id);
    let mut stages = Vec::new();
    let mut so_far: BTreeSet<FoldedId> = BTreeSet::new();
    for stage in asked {
        let mut next: Vec<FoldedId> =
            stage.split(',').map(|id| FoldedId::from(id.trim())).filter(|id| !id.is_empty()).collect();
        while let Some(id) = next.pop() {
            match find(&id) {
                Some((known, needs)) => {
                    if so_far.insert(known.clone()) {
                        next.extend(needs.iter().filter(|need| find(need).is_some()).cloned());
                    }
                }
                None => {
                    let (known, otherwise) = (mods.iter(), "name mods of the canon that the server needs");
                    let failure = Failure::plain(format!("`{id}` is no mod of the canon that a server loads"));
                    let known = known.map(|(known, _)| known.as_str());
                    return Err(failure.hint_nearest(id.as_str(), known, otherwise));
                }
            }
        }
        stages.push(Some(so_far.clone()));
    }
    if stages.last().is_none_or(|last| last.as_ref().is_some_and(|last| last.len() < mods.len())) {
        stages.push(None);
    }
    // The last stage is the canon itself, so that what passes is what was sealed.
    if let Some(last) = stages.last_mut() {
        *last = None;
    }
    Ok(stages)
}
