//! `kanon rulebook check`: validates a rulebook and shows how it reads a mod, step by step.

use kanon_app::rulebooks::try_on;
use kanon_core::base::problem::{Problem, ProblemLevel, line_and_column};
use kanon_core::rulebook::{Role, lacking, parse};
use kanon_io::trial::Trial;
use kanon_io::workspace::read_text;
use serde::Serialize;

use crate::arguments::{Format, RulebookCheck};
use crate::env::Env;
use crate::failure::{Failure, render_problems};
use crate::ui::Ui;
use crate::{Outcome, render};

/// The first field of the report for programs.
const FORMAT: &str = "kanon-rulebook-check/1";

/// What is wrong or doubtful in a rulebook, and how it reads one mod.
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[derive(Serialize)]
pub struct Report<'r> {
    format: &'static str,
    rulebook: String,
    valid: bool,
    problems: Vec<ProblemReport<'r>>,
    against: Option<Against<'r>>,
    explained: Option<Explained<'r>>,
}

#[cfg_attr(test, derive(schemars::JsonSchema))]
#[derive(Serialize)]
struct ProblemReport<'r> {
    gravity: &'static str,
    line: usize,
    column: usize,
    message: &'r str,
    help: Option<&'r str>,
}

#[cfg_attr(test, derive(schemars::JsonSchema))]
#[derive(Serialize)]
struct Against<'r> {
    name: &'r str,
    role: Role,
    mods: usize,
    unreadable: usize,
}

#[cfg_attr(test, derive(schemars::JsonSchema))]
#[derive(Serialize)]
struct Explained<'r> {
    #[serde(rename = "mod")]
    id: &'r str,
    path: &'r str,
    shelf: &'r str,
    steps: Vec<Step<'r>>,
    failure: Option<&'r str>,
}

#[cfg_attr(test, derive(schemars::JsonSchema))]
#[derive(Serialize)]
struct Step<'r> {
    fact: &'r str,
    line: Option<usize>,
    place: String,
    found: Option<&'r str>,
    matches: usize,
    answer: Option<String>,
}

pub fn check(arguments: &RulebookCheck, env: &Env, ui: &Ui) -> Result<Outcome, Failure> {
    let path = env.machine.folder.join(&arguments.file);
    let text = read_text(&path, "read the rulebook")?;
    let shown = arguments.file.display().to_string();
    let parsed = match parse(&shown, &text) {
        Ok(parsed) => parsed,
        Err(bad) => {
            match env.format {
                Format::Json => ui.json(&report(&shown, &text, (false, &bad.problems), None))?,
                Format::Text => {
                    ui.report(&render_problems(&shown, &text, &bad.problems));
                    ui.report(&render::rulebook::invalid(&shown, &bad.problems));
                }
            }
            return Ok(Outcome::Findings);
        }
    };
    let trial = match &arguments.against {
        None => None,
        Some(folder) => {
            let lens = (&parsed.value, text.as_str(), Role::from(arguments.role));
            Some(try_on(&env.machine, ui, lens, (&folder.to_string_lossy(), arguments.mod_id.as_deref()))?)
        }
    };
    let mut problems = parsed.warnings;
    problems.extend(trial.iter().flat_map(|trial| trial.warnings.clone()));
    if arguments.strict {
        problems.extend(lacking(&parsed.value, &text));
        problems.sort_by_key(|problem| problem.span.start);
    }
    match env.format {
        Format::Json => ui.json(&report(&shown, &text, (true, &problems), trial.as_ref()))?,
        Format::Text => {
            ui.report(&render_problems(&shown, &text, &problems));
            ui.report(&render::rulebook::text(&shown, &text, &parsed.value, &problems, trial.as_ref()));
        }
    }
    let all_read = trial.as_ref().is_none_or(|trial| trial.survey.unreadable.is_empty());
    Ok(Outcome::of(problems.is_empty() && all_read))
}

fn report<'r>(
    shown: &str,
    text: &str,
    (valid, problems): (bool, &'r [Problem]),
    trial: Option<&'r Trial>,
) -> Report<'r> {
    let told = problems.iter().map(|problem| {
        let (line, column) = line_and_column(text, problem.span.start);
        let gravity = if problem.gravity == ProblemLevel::Error { "error" } else { "warning" };
        ProblemReport { gravity, line, column, message: &problem.message, help: problem.help.as_deref() }
    });
    let against = trial.map(|trial| Against {
        name: &trial.survey.install.name,
        role: trial.survey.install.role,
        mods: trial.survey.mods.len(),
        unreadable: trial.survey.unreadable.len(),
    });
    let explained = trial.and_then(|trial| trial.explained.as_ref()).map(|explained| Explained {
        id: explained.id.as_str(),
        path: &explained.path,
        shelf: &explained.shelf,
        steps: explained
            .steps
            .iter()
            .map(|step| Step {
                fact: step.fact,
                line: (!step.span.is_empty()).then(|| line_and_column(text, step.span.start).0),
                place: step.place.to_string(),
                found: step.found.as_deref(),
                matches: step.matches,
                answer: step.answer.as_ref().map(ToString::to_string),
            })
            .collect(),
        failure: explained.failure.as_deref(),
    });
    Report { format: FORMAT, rulebook: shown.to_owned(), valid, problems: told.collect(), against, explained }
}
