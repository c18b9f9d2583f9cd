//! One file a command: arguments, a request to the core, a report back.

mod adopt;
mod align;
mod catalogue;
mod check;
mod compare;
mod completions;
mod diagnose;
mod export;
mod follow;
mod followed;
mod handout;
mod health;
mod history;
mod init;
mod invite;
mod isolate;
pub mod join;
pub mod keys;
pub mod learn;
mod line;
mod publish;
mod rehearse;
mod report;
pub mod rulebook;
mod rulebook_example;
mod rulebook_renew;
mod seal;
mod serve;
mod standin;
mod status;
mod survey;
mod undo;
mod watch;
mod why;
mod wishes;
mod words;

use kanon_core::base::path::printable;

use crate::arguments::{Command, RulebookCommand};
use crate::env::Env;
use crate::failure::Failure;
use crate::ui::Ui;
use crate::{Outcome, demo};

/// What is told of a thread that ended in the middle.
fn panicked() -> Failure {
    Failure::plain("the program failed at an unexpected place").hint("please report what you did")
}

/// Tells of installs that stopped a command short; the others were told of already.
fn tell_failures(ui: &Ui, failures: &[(String, Failure)], good: bool) -> Result<Outcome, Failure> {
    let names: Vec<String> = failures.iter().map(|(name, _)| printable(name)).collect();
    for (name, failure) in failures {
        ui.failure(&failure.about(name));
    }
    if names.is_empty() {
        return Ok(Outcome::of(good));
    }
    Err(Failure::plain(format!("this could not be done for {}", names.join(", "))))
}

/// Whether a command has a page.
const fn has_page(command: &Command) -> bool {
    matches!(command, Command::Check(_) | Command::Compare(_) | Command::Diagnose(_) | Command::Report(_))
}

/// Runs a command.
pub fn run(command: Command, env: &Env, ui: &Ui) -> Result<Outcome, Failure> {
    if env.as_page && !has_page(&command) {
        return Err(Failure::plain("this command has no page")
            .hint("kanon check, compare, diagnose and report have one; --format text or json fits every command"));
    }
    match command {
        Command::Demo(arguments) => demo::run(arguments, ui),
        Command::Init(arguments) => init::run(arguments, env, ui),
        Command::Learn(arguments) => learn::run(&arguments, env, ui),
        Command::Rulebook(RulebookCommand::Check(arguments)) => rulebook::check(&arguments, env, ui),
        Command::Rulebook(RulebookCommand::Renew(arguments)) => rulebook_renew::run(&arguments, env, ui),
        Command::Rulebook(RulebookCommand::Example(arguments)) => rulebook_example::run(&arguments, ui),
        Command::Survey(arguments) => survey::run(&arguments, env, ui),
        Command::Adopt(arguments) => adopt::run(&arguments, env, ui),
        Command::Take(arguments) => wishes::take(&arguments, env, ui),
        Command::Drop(arguments) => wishes::drop(&arguments, env, ui),
        Command::Renew(arguments) => wishes::renew(&arguments, env, ui),
        Command::Why(arguments) => why::run(&arguments, env, ui),
        Command::Catalogue(arguments) => catalogue::run(&arguments, env, ui),
        Command::Seal(arguments) => seal::run(&arguments, env, ui),
        Command::Check(arguments) => check::run(&arguments, env, ui),
        Command::Compare(arguments) => compare::run(&arguments, env, ui),
        Command::Align(arguments) => align::run(&arguments, env, ui),
        Command::Keys(arguments) => keys::run(&arguments, env, ui),
        Command::Line(arguments) => line::run(&arguments, env, ui),
        Command::Publish(arguments) => publish::run(&arguments, env, ui),
        Command::Invite(arguments) => invite::run(&arguments, env, ui),
        Command::Follow(arguments) => follow::run(&arguments, env, ui),
        Command::Serve(arguments) => serve::run(&arguments, env, ui),
        Command::Handout(arguments) => handout::run(&arguments, env, ui),
        Command::Undo(arguments) => undo::run(&arguments, env, ui),
        Command::History(arguments) => history::run(&arguments, env, ui),
        Command::Diagnose(arguments) => diagnose::run(&arguments, env, ui),
        Command::Export(arguments) => export::run(&arguments, env, ui),
        Command::Rehearse(arguments) => rehearse::run(&arguments, env, ui),
        Command::Isolate(arguments) => isolate::run(&arguments, env, ui),
        Command::Health(arguments) => health::run(&arguments, env, ui),
        Command::Status => status::run(env, ui),
        Command::Report(arguments) => report::run(&arguments, env, ui),
        Command::Watch(arguments) => watch::run(&arguments, env, ui),
        Command::Words => words::run(ui),
        Command::Completions(arguments) => completions::completions(&arguments, ui),
        Command::Man(arguments) => completions::manual(&arguments, env, ui),
        Command::Standin(arguments) => standin::run(&arguments),
    }
}

#[cfg(test)]
#[path = "../tests/schemas.rs"]
mod schemas;
