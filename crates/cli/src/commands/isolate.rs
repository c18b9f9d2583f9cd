//! `kanon isolate`: finds the smallest set of mods that makes a rehearsal fail.

use std::collections::BTreeSet;
use std::path::PathBuf;

use kanon_core::base::digest::Blake3;
use kanon_core::base::ids::FoldedId;
use kanon_core::base::path::printable;
use kanon_core::diagnose::isolate::{Ending, Search};
use kanon_core::rulebook::Role;
use kanon_io::error::{During, ReachError, Unfit};
use kanon_io::writing::write_whole;
use serde::{Deserialize, Serialize};

use crate::arguments::{Format, Isolate, Was};
use crate::asking::agreed;
use crate::breaking;
use crate::env::Env;
use crate::failure::Failure;
use crate::ui::Ui;
use crate::{Outcome, render};
use kanon_app::observer::Orderly;
use kanon_app::rehearsing::Rehearsal;
use kanon_app::session::{Session, digest_of};

/// The smallest set of mods that makes a rehearsal fail, or what is to be tried next.
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[derive(Serialize)]
pub struct Report<'a> {
    format: &'static str,
    install: &'a str,
    /// How many sets were tried.
    starts: usize,
    /// `found`, `all-start`, `none-fails`, or `open` while it is not over.
    ending: &'static str,
    culprits: &'a [FoldedId],
    needed: &'a [FoldedId],
    /// The set to try next, by hand.
    next: Option<&'a [FoldedId]>,
    tried: &'a [Answer],
}

/// A set, and what came of it.
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct Answer {
    /// The mods, by id.
    pub mods: Vec<FoldedId>,
    /// Whether it started as it should.
    pub good: bool,
}

/// What was tried by hand so far.
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[derive(Serialize, Deserialize)]
struct IsolationFile {
    format: String,
    canon: Blake3,
    answers: Vec<Answer>,
}

const KEPT: &str = "kanon-isolating/1";

pub fn run(arguments: &Isolate, env: &Env, ui: &Ui) -> Result<Outcome, Failure> {
    let rehearsal = Rehearsal::open(&env.machine, ui, &arguments.install, arguments.waiting.into())?.tersely();
    if !rehearsal.may_change() {
        return Err(Failure::plain(format!("{} is no rehearsal install, and this takes mods off", arguments.install))
            .hint(format!("say so in kanon.toml, if it is: rehearsal = true under [install.{}]", arguments.install)));
    }
    let mut search = Search::in_canon(&rehearsal.canon, Role::Server);
    let question =
        format!("Take mods off {} and put them back, to see with which it starts?", printable(&arguments.install));
    if !agreed(arguments.yes, env, ui, question.as_str())? {
        return match env.format {
            Format::Json => conclude(arguments, &mut search, &[], (env, ui)),
            Format::Text => Ok(Outcome::Findings),
        };
    }
    let orderly = Orderly::begin(ui);
    let tried = match arguments.ask {
        true => by_hand(arguments, &rehearsal, &mut search, (env, ui)),
        false => by_starting(&rehearsal, &mut search, ui),
    };
    if let Err(failure) = tried {
        // However it ended: what was taken off for a try is put back.
        ui.notice("all mods of the canon are put back");
        rehearsal.align(None)?;
        return Err(failure);
    }
    drop(orderly);
    let tried = tried?;
    if search.ending().is_some() {
        ui.notice("all mods of the canon are put back");
        rehearsal.align(None)?;
    }
    conclude(arguments, &mut search, &tried, (env, ui))
}

fn by_starting(rehearsal: &Rehearsal<'_>, search: &mut Search, ui: &Ui) -> Result<Vec<Answer>, Failure> {
    let mut tried = Vec::new();
    while let Some(mods) = search.next_set() {
        if breaking::is_asked() {
            return Err(Failure::plain("stopped before it was found").hint("run kanon isolate again to begin anew"));
        }
        let left = search.likely_left();
        ui.notice(&format!(
            "start {}: {}; if one mod is to blame, {} at most",
            search.asked() + 1,
            render::count(mods.len(), "mod"),
            render::count(left, "start")
        ));
        let set: BTreeSet<FoldedId> = mods.iter().cloned().collect();
        let one = rehearsal.try_with(Some(&set))?;
        ui.notice(&format!("  it {}", if one.passed { "started" } else { "failed" }));
        search.answer(one.passed);
        if !one.passed {
            // What failed says last is the likeliest; then what did not say that it was loaded.
            let told = one.verdicts.iter().filter_map(|verdict| verdict.mod_id.as_ref());
            search.suspect(told.chain(one.not_loaded.iter().flatten().filter(|_| one.not_loaded_is_few())));
        }
        tried.push(Answer { mods, good: one.passed });
    }
    Ok(tried)
}

/// Goes on with what was answered so far. On a terminal it asks; elsewhere each answer is a run of its own.
fn by_hand(
    arguments: &Isolate,
    rehearsal: &Rehearsal<'_>,
    search: &mut Search,
    (env, ui): (&Env, &Ui),
) -> Result<Vec<Answer>, Failure> {
    let path = kept_in(env, ui, &arguments.install)?;
    let canon = digest_of(&rehearsal.canon)?;
    let mut answers = if arguments.anew { Vec::new() } else { kept(&path, canon, ui)? };
    for answer in &answers {
        if search.next_set().as_ref() == Some(&answer.mods) {
            search.answer(answer.good);
        }
    }
    let mut was = arguments.was;
    while let Some(mods) = search.next_set() {
        let said = match was.take() {
            Some(was) => Some(was == Was::Good),
            None => {
                rehearsal.align(Some(&mods.iter().cloned().collect()))?;
                if env.machine.can_ask { asked(&mods)? } else { None }
            }
        };
        let Some(good) = said else { break };
        search.answer(good);
        answers.push(Answer { mods, good });
        let kept = IsolationFile { format: KEPT.to_owned(), canon, answers: answers.clone() };
        let text = serde_json::to_string_pretty(&kept)
            .map_err(|error| Failure::plain("could not write what was tried").because(error))?;
        write_whole(&path, &text)?;
    }
    if search.ending().is_some() && path.exists() {
        std::fs::remove_file(&path).during("remove", &path)?;
    }
    Ok(answers)
}

/// Asks what came of a set; nothing when somebody wants to go on another time.
fn asked(mods: &[FoldedId]) -> Result<Option<bool>, Failure> {
    let shown = if mods.is_empty() { "no mod".to_owned() } else { FoldedId::joined(mods, ", ") };
    let chosen = dialoguer::Select::new()
        .with_prompt(format!("There are now: {shown}. Start the server; what came of it?"))
        .items(["good: it started as it should", "bad: it did not", "go on another time"])
        .default(0)
        .interact();
    let chosen = chosen.map_err(|error| Failure::plain("could not ask").because(error))?;
    Ok(match chosen {
        0 => Some(true),
        1 => Some(false),
        _ => None,
    })
}

fn kept_in(env: &Env, ui: &Ui, install: &str) -> Result<PathBuf, Failure> {
    let session = Session::of_administrator(&env.machine, ui)?;
    let name = Blake3::of(install.as_bytes()).short();
    Ok(session.workspace()?.root.join(".kanon").join(format!("isolating-{name}.json")))
}

/// What was answered so far about this canon.
fn kept(path: &std::path::Path, canon: Blake3, ui: &Ui) -> Result<Vec<Answer>, Failure> {
    let text = match std::fs::read_to_string(path) {
        Err(error) if error.kind() == std::io::ErrorKind::NotFound => return Ok(Vec::new()),
        read => read.during("read", path)?,
    };
    let kept: IsolationFile =
        serde_json::from_str(&text).map_err(|error| ReachError::unusable(path, Unfit::told(error)))?;
    if kept.canon != canon || kept.format != KEPT {
        ui.notice("note: what was tried before was tried with another canon, and is forgotten");
        return Ok(Vec::new());
    }
    Ok(kept.answers)
}

fn conclude(
    arguments: &Isolate,
    search: &mut Search,
    tried: &[Answer],
    (env, ui): (&Env, &Ui),
) -> Result<Outcome, Failure> {
    let next = search.next_set();
    let none = Vec::new();
    let (ending, culprits, needed) = match search.ending() {
        None => ("open", &none, &none),
        Some(Ending::AllStart) => ("all-start", &none, &none),
        Some(Ending::NoneFails) => ("none-fails", &none, &none),
        Some(Ending::Found { culprits, needed }) => ("found", culprits, needed),
    };
    match env.format {
        Format::Json => ui.json(&Report {
            format: "kanon-isolation/1",
            install: &arguments.install,
            starts: search.asked(),
            ending,
            culprits,
            needed,
            next: next.as_deref(),
            tried,
        })?,
        Format::Text => {
            let told = render::rehearsal::isolation(&arguments.install, search, next.as_deref(), arguments.yes);
            ui.report(&told);
        }
    }
    Ok(Outcome::of(search.ending() == Some(&Ending::AllStart)))
}
