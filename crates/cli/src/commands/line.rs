//! `kanon line`: the launch lines that the canon asks for.

use kanon_core::delta::launch_lines;
use kanon_core::rulebook::Role;
use serde::Serialize;

use crate::Outcome;
use crate::arguments::{Format, Line};
use crate::env::Env;
use crate::failure::Failure;
use crate::render::{BOLD, FAINT, styled};
use crate::ui::Ui;
use kanon_app::session::{Session, Target};

/// The launch lines of an install, as they are to be pasted.
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[derive(Serialize)]
pub struct Report<'a> {
    format: &'static str,
    install: &'a str,
    role: Role,
    lines: Vec<Launch>,
}

#[cfg_attr(test, derive(schemars::JsonSchema))]
#[derive(Serialize)]
struct Launch {
    /// What the rulebook calls it.
    name: String,
    /// The file that holds it.
    file: Option<String>,
    /// Its entries, in order.
    entries: Vec<String>,
    /// The option as it is pasted.
    text: String,
}

pub fn run(arguments: &Line, env: &Env, ui: &Ui) -> Result<Outcome, Failure> {
    let session = Session::open(&env.machine, ui, arguments.lens.rulebook.as_deref(), false)?;
    let canon = session.canon()?;
    let side = arguments.side.or(arguments.lens.role).map(Role::from);
    let (name, own) = match session.target(&arguments.install, side)? {
        Target::Install(placed) => (placed.name, placed.role),
        Target::Survey(survey) => (survey.install.name, survey.install.role),
    };
    let role = side.unwrap_or(own);
    let lines: Vec<Launch> = launch_lines(&canon, &session.loaded.rulebook, role)
        .into_iter()
        .map(|(name, file, entries, text)| Launch { name, file, entries, text })
        .collect();
    if lines.is_empty() {
        return Err(Failure::plain(format!("the rulebook knows of no launch line for a {role}"))
            .hint("add a [[list]] with an `option` to it; other lists are written by kanon align"));
    }
    match env.format {
        Format::Json => ui.json(&Report { format: "kanon-line/1", install: &name, role, lines })?,
        Format::Text => ui.report(&text(&lines)),
    }
    Ok(Outcome::InOrder)
}

/// Just what is pasted where there is one line; of several, each with what it is for.
fn text(lines: &[Launch]) -> String {
    let one = |launch: &Launch| {
        let file = launch.file.as_ref().map_or_else(String::new, |file| styled(FAINT, &format!(" ({file})")));
        format!("{}{file}\n{}\n", styled(BOLD, &launch.name), launch.text)
    };
    match lines {
        [only] => format!("{}\n", only.text),
        several => several.iter().map(one).collect::<Vec<_>>().join("\n"),
    }
}
