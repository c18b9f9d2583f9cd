//! Plans, alignments, what was taken back, and the history, as text.

use std::fmt::Write;

use kanon_core::align::{Action, Plan, Step};
use kanon_core::path::printable;
use kanon_reach::state::{Alignment, AlignmentState};
use kanon_reach::undo::TakenBack;
use serde::Serialize;

use super::{BOLD, CARE, FAINT, GOOD, cell, count, size, styled};

/// The report of an alignment, or of a preview.
#[derive(Serialize)]
pub struct Report<'a> {
    /// `kanon-alignment/1`.
    pub format: &'static str,
    /// The install.
    pub install: &'a str,
    /// The steps.
    pub steps: &'a [Step],
    /// Whether they were carried out.
    pub done: bool,
}

/// The steps that would be carried out.
pub fn plan(name: &str, plan: &Plan) -> String {
    if plan.steps.is_empty() {
        return format!("{}: nothing to do for {}\n", styled(GOOD, "in place"), styled(BOLD, name));
    }
    let mut out =
        format!("{}: {}, {} to write\n\n", styled(BOLD, name), count(plan.steps.len(), "step"), size(plan.bytes()));
    for (number, step) in plan.steps.iter().enumerate() {
        let from = if let Action::Rename { from } = &step.action { format!("{from} -> ") } else { String::new() };
        let bytes = if step.bytes > 0 { format!("  {}", size(step.bytes)) } else { String::new() };
        let _ = writeln!(
            out,
            "  {:>2}. {} {}{bytes}",
            number + 1,
            cell(step.action.as_str(), 8),
            printable(&format!("{from}{}", step.path))
        );
        let _ = writeln!(out, "      {}", styled(FAINT, &printable(&step.why)));
    }
    out
}

/// What was taken back.
pub fn taken_back(name: &str, id: i64, taken: &TakenBack) -> String {
    let (restored, removed) = (count(taken.restored.len(), "file"), count(taken.removed.len(), "file"));
    let mut out = format!(
        "{}: alignment {id} of {} - {restored} put back, {removed} taken off again\n",
        styled(GOOD, "taken back"),
        styled(BOLD, name)
    );
    for (path, copy) in &taken.kept {
        let _ = writeln!(
            out,
            "  {} {} had been changed since; what it was is kept in {copy}",
            styled(CARE, "kept"),
            printable(path)
        );
    }
    out
}

/// The alignments, newest first.
pub fn history(alignments: &[Alignment], when: impl Fn(i64) -> String) -> String {
    if alignments.is_empty() {
        return "no alignment was carried out yet\n".to_owned();
    }
    let mut out = format!("{}, newest first\n\n", count(alignments.len(), "alignment"));
    for alignment in alignments {
        let state = match alignment.state {
            AlignmentState::Running => {
                styled(CARE, &format!("interrupted after {} of {}", alignment.steps_done, alignment.steps.len()))
            }
            AlignmentState::Done => styled(GOOD, "done"),
            AlignmentState::Undone => styled(FAINT, "taken back"),
        };
        let steps = count(alignment.steps.len(), "step");
        let _ = writeln!(
            out,
            "  {:>3}  {}  {}  {}  {state}",
            alignment.id,
            when(alignment.began),
            cell(&alignment.install, 16),
            cell(&steps, 9)
        );
    }
    out
}
