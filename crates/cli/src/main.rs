//! The `kanon` program: arguments in, a report out, and an exit code that scripts can lean on.

mod arguments;
mod asking;
mod breaking;
mod commands;
mod completing;
mod demo;
mod env;
mod failure;
mod help;
mod render;
mod screen;
mod settings;
mod ui;
mod words;

use std::process::ExitCode;

use clap::FromArgMatches;
use clap_complete::CompleteEnv;

use arguments::{Arguments, Global};
use env::Env;
use failure::Failure;
use kanon_io::running::was_double_clicked;
use ui::Ui;

/// A survey of 100,000 files is mostly small texts, made on several threads; this allocator is quicker at them.
#[global_allocator]
static ALLOCATOR: mimalloc::MiMalloc = mimalloc::MiMalloc;

/// All is as it should be.
const EXIT_IN_ORDER: u8 = 0;
/// There are findings, a negative verdict, or an alignment still to do.
const EXIT_FINDINGS: u8 = 1;
/// The command could not do its work.
const EXIT_FAILED: u8 = 2;

/// What a command came to.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Outcome {
    InOrder,
    Findings,
}

impl Outcome {
    const fn of(in_order: bool) -> Self {
        if in_order { Self::InOrder } else { Self::Findings }
    }
}

/// What somebody reads who has started the program by a double click; the window stays until they have read it.
fn greet() -> ExitCode {
    println!(
        "This is Kanon. It is typed in a terminal, in the folder of the game or of the server.\n\n\
         Somebody has sent you an invite? Open a terminal in the game's folder (in its window, type cmd into the line with the\n\
         folder's name), and type this, with the whole invite in the quotes:\n\n    kanon follow \"INVITE\"\n\n\
         You keep a server? kanon --help tells the way, and kanon demo shows it.\n\nPress Enter to close this window."
    );
    let _ = std::io::stdin().read_line(&mut String::new());
    ExitCode::from(EXIT_IN_ORDER)
}

/// Runs what is asked for, with what is said for every command, and says what it came to.
fn run(global: &Global, job: impl FnOnce(&Env, &Ui) -> Result<Outcome, Failure>) -> ExitCode {
    let env = Env::read(global);
    let color = env.as_ref().map_or_else(|_| global.color.unwrap_or_default(), |env| env.color);
    let ui = Ui::new(global, color);
    breaking::listen();
    ExitCode::from(match env.and_then(|env| job(&env, &ui)) {
        Ok(Outcome::InOrder) => EXIT_IN_ORDER,
        Ok(Outcome::Findings) => EXIT_FINDINGS,
        Err(failure) => {
            ui.failure(&failure);
            EXIT_FAILED
        }
    })
}

fn main() -> ExitCode {
    if std::env::args_os().len() == 1 {
        if let Some(invite) = commands::join::own_invite() {
            return run(&Global::default(), |env, ui| Ok(commands::join::run(&invite, env, ui)));
        }
        if was_double_clicked() {
            return greet();
        }
    }
    CompleteEnv::with_factory(help::command).var(completing::VARIABLE).complete();
    let arguments = Arguments::from_arg_matches(&help::command().get_matches()).unwrap_or_else(|error| error.exit());
    run(&arguments.global, |env, ui| commands::run(arguments.command, env, ui))
}
