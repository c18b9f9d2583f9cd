//! Plans, alignments, what was taken back, and the history, as text.

use std::fmt::Write;

use kanon_core::base::ids::FoldedId;
use kanon_core::base::names::InstallName;
use kanon_core::base::path::printable;
use kanon_core::plan::{Action, LineChange, Plan, Step};
use kanon_io::prune::Pruned;
use kanon_io::state::{Alignment, AlignmentState};
use kanon_io::undo::TakenBack;
use serde::Serialize;

use crate::failure::Failure;
use crate::words::steps::{ToldStep, why};

use super::{BOLD, CARE, FAINT, GONE, GOOD, cell, count, size, styled};

/// The report of an alignment, or of a preview.
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[derive(Serialize)]
pub struct Report {
    /// `kanon-alignment/1`.
    pub format: &'static str,
    /// The install.
    pub install: InstallName,
    /// The steps.
    pub steps: Vec<ToldStep>,
    /// Mods that want a new world, while nobody has said what becomes of the one that is there.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub undecided: Vec<FoldedId>,
    /// Whether they were carried out.
    pub done: bool,
}

/// The report of several alignments.
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[derive(Serialize)]
pub struct Batch {
    /// `kanon-alignments/1`.
    pub format: &'static str,
    /// Whether every install is in line now.
    pub done: bool,
    /// Each alignment.
    pub alignments: Vec<Report>,
    /// Installs that could not be worked on.
    pub failed: Vec<Failed>,
}

/// An install that could not be worked on.
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[derive(Serialize)]
pub struct Failed {
    /// Its name.
    pub install: InstallName,
    /// What stopped the work.
    pub why: String,
}

impl Failed {
    /// With what stopped it.
    pub fn new(install: &str, failure: &Failure) -> Self {
        Self { install: install.into(), why: failure.in_short() }
    }
}

/// Backups that have served their time.
pub fn pruned(pruned: &Pruned) -> String {
    let numbers: Vec<String> = pruned.alignments.iter().map(ToString::to_string).collect();
    match numbers.as_slice() {
        [] => String::new(),
        numbers => format!(
            "by the rule of [backups], {} of {} {} gone: {} can't be taken back any more\n",
            size(pruned.bytes),
            if numbers.len() == 1 { "alignment" } else { "alignments" },
            numbers.join(", "),
            if numbers.len() == 1 { "it" } else { "they" },
        ),
    }
}

/// How many steps of one kind and reason in a row are told one by one, unless all are asked for.
const ALIKE: usize = 5;

/// The steps that would be carried out; of many alike in a row, the first few, unless all are asked for.
pub fn plan(name: &str, plan: &Plan, (in_line, all): (bool, bool)) -> String {
    if plan.steps.is_empty() {
        return match in_line {
            true => format!("{}: nothing to do for {}\n", styled(GOOD, "in place"), styled(BOLD, name)),
            false => {
                format!("{}: {} is off in what no alignment can mend\n", styled(CARE, "no step"), styled(BOLD, name))
            }
        };
    }
    let mut out =
        format!("{}: {}, {} to write\n\n", styled(BOLD, name), count(plan.steps.len(), "step"), size(plan.bytes()));
    let mut number = 0;
    for alike in plan.steps.chunk_by(|a, b| (a.action.as_str(), &a.reasons) == (b.action.as_str(), &b.reasons)) {
        let told = if all || alike.len() <= ALIKE { alike.len() } else { ALIKE - 2 };
        for (index, one) in alike[..told].iter().enumerate() {
            step(&mut out, number + index + 1, one);
        }
        if told < alike.len() {
            let (left, bytes) = (alike.len() - told, alike[told..].iter().map(|step| step.bytes).sum());
            let bytes = if bytes > 0 { format!(", {}", size(bytes)) } else { String::new() };
            let _ = writeln!(out, "       and {left} more like these{bytes}; -v tells each");
        }
        let _ = writeln!(out, "      {}", styled(FAINT, &printable(&why(&alike[0]))));
        alike.iter().for_each(|step| lines(&mut out, step));
        number += alike.len();
    }
    out
}

fn step(out: &mut String, number: usize, step: &Step) {
    let from = if let Action::Rename { from } = &step.action { format!("{from} -> ") } else { String::new() };
    let bytes = if step.bytes > 0 { format!("  {}", size(step.bytes)) } else { String::new() };
    let path = printable(&format!("{from}{}", step.path));
    let _ = writeln!(out, "  {number:>2}. {} {path}{bytes}", cell(step.action.as_str(), 8));
}

/// The lines of a text file that go and come. Of a long line that is put in place of another, what differs in it.
fn lines(out: &mut String, step: &Step) {
    let mut rest = step.lines.as_slice();
    while !rest.is_empty() {
        let gone = rest.iter().take_while(|line| !line.comes).count();
        let comes = rest[gone..].iter().take_while(|line| line.comes).count();
        let (old, new) = (&rest[..gone], &rest[gone..gone + comes]);
        let is_long = |line: &LineChange| line.text.chars().count() > LONG_LINE;
        if gone == comes && old.iter().chain(new).any(is_long) {
            old.iter().zip(new).for_each(|(old, new)| long_line(out, old, new));
        } else {
            rest[..(gone + comes).max(1)].iter().for_each(|one| line(out, one));
        }
        rest = &rest[(gone + comes).max(1)..];
    }
}

/// A line with more characters than this is told by what differs in it.
const LONG_LINE: usize = 200;
/// So many words that go, come or move are named.
const NAMED_WORDS: usize = 12;

fn line(out: &mut String, line: &LineChange) {
    let (style, sign) = if line.comes { (GOOD, '+') } else { (GONE, '-') };
    let text = printable(&line.text.replace('\t', "    "));
    let _ = writeln!(out, "      {}", styled(style, &format!("{sign} {:>3}  {text}", line.line)));
}

fn long_line(out: &mut String, old: &LineChange, new: &LineChange) {
    let (before, after) = (words(&old.text), words(&new.text));
    let gone: Vec<&str> = before.iter().filter(|word| !after.contains(word)).copied().collect();
    let comes: Vec<&str> = after.iter().filter(|word| !before.contains(word)).copied().collect();
    let stays = |of: &[&'_ str], other: &[&str]| -> Vec<String> {
        of.iter().filter(|word| other.contains(word)).map(|word| (*word).to_owned()).collect()
    };
    let (was, is) = (stays(&before, &after), stays(&after, &before));
    let moved: Vec<&str> = similar::TextDiff::from_slices(
        &was.iter().map(String::as_str).collect::<Vec<_>>(),
        &is.iter().map(String::as_str).collect::<Vec<_>>(),
    )
    .iter_all_changes()
    .filter(|change| change.tag() == similar::ChangeTag::Insert)
    .map(|change| is[change.new_index().unwrap_or_default()].as_str())
    .collect();
    let chars = new.text.chars().count();
    let _ = writeln!(out, "      ~ {:>3}  a line of {}, in which", new.line, count(chars, "character"));
    for (style, what, words) in [(GONE, "goes", gone), (GOOD, "comes", comes), (CARE, "moves", moved)] {
        if words.is_empty() {
            continue;
        }
        let more = words.len().saturating_sub(NAMED_WORDS);
        let shown: Vec<String> = words.iter().take(NAMED_WORDS).map(|word| printable(word)).collect();
        let more = if more > 0 { format!(" and {more} more") } else { String::new() };
        let _ = writeln!(out, "             {}", styled(style, &format!("{what}: {}{more}", shown.join("  "))));
    }
}

/// The pieces of a line between blanks and the signs that part entries.
fn words(text: &str) -> Vec<&str> {
    text.split(|c: char| c.is_whitespace() || matches!(c, ';' | ',' | '"')).filter(|word| !word.is_empty()).collect()
}

/// What was taken back.
pub fn taken_back(name: &str, id: i64, taken: &TakenBack) -> String {
    let (restored, removed) = (count(taken.restored.len(), "file"), count(taken.removed.len(), "file"));
    let mut out = format!(
        "{}: alignment {id} of {} - {restored} put back, {removed} taken off again\n",
        styled(GOOD, "taken back"),
        styled(BOLD, name)
    );
    for (world, aside) in &taken.set_aside {
        let _ = writeln!(
            out,
            "  {} the game had made a new world in {} since; it lies whole in {}",
            styled(CARE, "set aside"),
            printable(world),
            printable(aside)
        );
    }
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
            AlignmentState::Undoing => styled(CARE, "taking it back was interrupted"),
            AlignmentState::Done if alignment.pruned => {
                format!("{}{}", styled(GOOD, "done"), styled(FAINT, "; its backup is gone"))
            }
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
