//! What a rulebook is worth, and how it reads one mod.

use std::fmt::Write;

use kanon_core::base::path::printable;
use kanon_core::base::problem::{Problem, ProblemLevel, line_and_column};
use kanon_core::manifest::Looked;
use kanon_core::rulebook::Rulebook;
use kanon_io::trial::{Explained, Trial};

use super::{BAD, BOLD, CARE, FAINT, GOOD, cell, count, counted, fitting, folded, styled};

/// The last line about a rulebook that can't be used.
pub fn invalid(shown: &str, problems: &[Problem]) -> String {
    let errors = problems.iter().filter(|problem| problem.gravity == ProblemLevel::Error).count();
    format!("{}: {} to mend in {shown}\n", styled(BAD, "not valid"), count(errors, "mistake"))
}

/// The report about a valid rulebook.
pub fn text(shown: &str, source: &str, rulebook: &Rulebook, problems: &[Problem], trial: Option<&Trial>) -> String {
    let mut out = String::new();
    let word = match problems.len() {
        0 => styled(GOOD, "valid"),
        some => styled(CARE, &format!("valid, with {}", count(some, "warning"))),
    };
    let parts = [
        counted(rulebook.shelves.len(), "shelf", "shelves"),
        count(rulebook.lists.len(), "list"),
        count(rulebook.settings.len(), "setting"),
        count(rulebook.events.len(), "event"),
    ];
    let _ = writeln!(out, "{}: {word} - {}: {}", styled(BOLD, shown), printable(&rulebook.game), parts.join(", "));
    let Some(trial) = trial else {
        let _ = writeln!(out, "next: try it on an install with --against FOLDER");
        return out;
    };
    read(&mut out, trial);
    if let Some(explained) = &trial.explained {
        explain(&mut out, source, explained);
    }
    out
}

fn read(out: &mut String, trial: &Trial) {
    let survey = &trial.survey;
    let _ = writeln!(
        out,
        "{} ({}): {} read, {} can't be read, {}, {}",
        styled(BOLD, &printable(&survey.install.name)),
        survey.install.role,
        count(survey.mods.len(), "mod"),
        survey.unreadable.len(),
        count(survey.lists.len(), "list"),
        count(survey.keys.len(), "key"),
    );
    for broken in survey.unreadable.iter().take(20) {
        let _ = writeln!(out, "  {}", printable(&broken.path));
        out.push_str(&folded(&broken.why, "      "));
    }
}

fn explain(out: &mut String, source: &str, explained: &Explained) {
    let _ = writeln!(
        out,
        "\nHow {} is read ({}, shelf `{}`):\n",
        styled(BOLD, &printable(explained.id.as_str())),
        printable(&explained.path),
        explained.shelf
    );
    let steps: Vec<[String; 4]> = explained.steps.iter().map(row).collect();
    let width = |at: usize, most: usize| fitting(steps.iter().map(|row| row[at].as_str()), (4, most));
    let (fact, place, found) = (width(0, 14), width(1, 44), width(2, 24));
    let head =
        format!("  line  {}  {}  {}  taken for", cell("fact", fact), cell("looked at", place), cell("found", found));
    let _ = writeln!(out, "{}", styled(FAINT, &head));
    for (row, step) in steps.iter().zip(&explained.steps) {
        let line =
            if step.span.is_empty() { String::new() } else { line_and_column(source, step.span.start).0.to_string() };
        let cells = [cell(&row[0], fact), cell(&row[1], place), cell(&row[2], found)];
        let _ = writeln!(out, "  {line:>4}  {}  {}", cells.join("  "), printable(&row[3]));
    }
    if let Some(failure) = &explained.failure {
        let _ = writeln!(out, "\n  {}", styled(BAD, "it can't be read:"));
        out.push_str(&folded(failure, "  "));
    }
}

fn row(step: &Looked) -> [String; 4] {
    let found = match (&step.found, step.matches) {
        (None, _) => "nothing".to_owned(),
        (Some(found), 0 | 1) => found.clone(),
        (Some(found), _) if step.fact == "relations" => found.clone(),
        (Some(found), several) => format!("{found} (first of {several})"),
    };
    let answer = match (&step.answer, &step.found) {
        (Some(answer), _) => answer.to_string(),
        (None, Some(_)) => "no answer".to_owned(),
        (None, None) => "-".to_owned(),
    };
    [step.fact.to_owned(), step.place.to_string(), found, answer]
}
