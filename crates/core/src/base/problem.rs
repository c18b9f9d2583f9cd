//! What is wrong in a file that a person wrote, tied to the spot, collected so that one round of mending is enough.

use std::cell::{Cell, RefCell};
use std::fmt;
use std::ops::Range;

/// How bad a problem is: an error stops the work, a warning is only told.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum ProblemLevel {
    /// The file can't be used.
    Error,
    /// The file can be used, though perhaps not as meant.
    Warning,
}

/// One problem at one place of a text.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Problem {
    /// Error or warning.
    pub gravity: ProblemLevel,
    /// The bytes it is about.
    pub span: Range<usize>,
    /// What happened and what was expected.
    pub message: String,
    /// What to do, such as the nearest right word.
    pub help: Option<String>,
}

impl Problem {
    /// One with what to do about it.
    pub fn new(gravity: ProblemLevel, span: Range<usize>, message: impl fmt::Display, help: impl fmt::Display) -> Self {
        let help = Some(help.to_string()).filter(|help| !help.is_empty());
        Self { gravity, span, message: message.to_string(), help }
    }
}

/// So many problems are told of one file: nobody mends more in one round.
const TOLD: usize = 50;

/// A collector of problems that many readers share, and what patterns of the same file may still cost.
#[derive(Debug, Default)]
pub struct Problems {
    found: RefCell<Vec<Problem>>,
    /// How many more there were, and whether one of them is an error.
    more: Cell<(usize, bool)>,
    spent: Cell<usize>,
}

impl Problems {
    /// Notes an error.
    pub fn error(&self, span: Range<usize>, message: impl fmt::Display) {
        self.push(Problem { gravity: ProblemLevel::Error, span, message: message.to_string(), help: None });
    }

    /// Notes an error with what to do about it.
    pub fn error_with_help(&self, span: Range<usize>, message: impl fmt::Display, help: impl fmt::Display) {
        self.push(Problem::new(ProblemLevel::Error, span, message, help));
    }

    /// Notes a warning with what to do about it.
    pub fn warning(&self, span: Range<usize>, message: impl fmt::Display, help: impl fmt::Display) {
        self.push(Problem::new(ProblemLevel::Warning, span, message, help));
    }

    /// Spends some of a budget that all of a file shares. Says whether there was as much left.
    pub fn spend(&self, amount: usize, budget: usize) -> bool {
        self.spent.set(self.spent.get().saturating_add(amount));
        self.spent.get() <= budget
    }

    fn push(&self, problem: Problem) {
        let mut found = self.found.borrow_mut();
        if found.len() < TOLD {
            found.push(problem);
        } else {
            let (more, has_error) = self.more.get();
            self.more.set((more + 1, has_error || problem.gravity == ProblemLevel::Error));
        }
    }

    /// The problems, in the order of the text; of very many, the first ones and how many more there are.
    pub fn into_sorted(self) -> Vec<Problem> {
        let mut problems = self.found.into_inner();
        problems.sort_by_key(|p| (p.span.start, p.span.end));
        let (more, has_error) = self.more.get();
        if let Some(last) = problems.last_mut().filter(|_| more > 0) {
            let more = format!("there are {more} more problems in the file");
            last.help = Some(last.help.take().map_or_else(|| more.clone(), |help| format!("{help}; {more}")));
            if has_error {
                last.gravity = ProblemLevel::Error;
            }
        }
        problems
    }
}

/// A file that could not be used, with its text, so that each problem can be shown where it stands.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("{name} can't be used: {}", .problems.iter().filter(|p| p.gravity == ProblemLevel::Error).map(|p| format!("{}: {}", place(.text, p.span.start), p.message)).collect::<Vec<_>>().join("; "))]
pub struct BadFile {
    /// The file's name, as people know it.
    pub name: String,
    /// Its text.
    pub text: String,
    /// What is wrong in it.
    pub problems: Vec<Problem>,
}

/// A thing read from a file, with the warnings that came up.
#[derive(Debug, Clone)]
pub struct Parsed<T> {
    /// What was read.
    pub value: T,
    /// Warnings only.
    pub warnings: Vec<Problem>,
}

/// The outcome of reading a whole file: the value, or all that is wrong.
///
/// # Errors
/// When one of the problems is an error, or no value came of it.
pub fn settle<T>(name: &str, text: &str, value: Option<T>, problems: Problems) -> Result<Parsed<T>, BadFile> {
    let problems = problems.into_sorted();
    let failed = problems.iter().any(|p| p.gravity == ProblemLevel::Error);
    match value {
        Some(value) if !failed => Ok(Parsed { value, warnings: problems }),
        _ => Err(BadFile { name: name.to_owned(), text: text.to_owned(), problems }),
    }
}

/// `line 3, column 7` of a byte offset; both count from one, columns in characters.
pub fn place(text: &str, offset: usize) -> String {
    let (line, column) = line_and_column(text, offset);
    format!("line {line}, column {column}")
}

/// Line and column of a byte offset, both from one; columns in characters.
pub fn line_and_column(text: &str, offset: usize) -> (usize, usize) {
    let mut end = offset.min(text.len());
    while !text.is_char_boundary(end) {
        end -= 1;
    }
    let before = &text[..end];
    let line = before.matches('\n').count() + 1;
    let column = before.rsplit('\n').next().unwrap_or("").chars().count() + 1;
    (line, column)
}

/// The nearest of the right words, if one is near enough to be what was meant.
pub fn nearest<'a>(word: &str, right: impl IntoIterator<Item = &'a str>) -> Option<&'a str> {
    right
        .into_iter()
        .map(|candidate| (strsim::jaro_winkler(&word.to_lowercase(), candidate), candidate))
        .filter(|(score, _)| *score > 0.75)
        .max_by(|a, b| a.0.total_cmp(&b.0))
        .map(|(_, candidate)| candidate)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn places_count_characters_and_survive_any_offset() {
        let text = "a = 1\nü = 2\n";
        assert_eq!(line_and_column(text, 0), (1, 1));
        assert_eq!(line_and_column(text, 6), (2, 1));
        assert_eq!(line_and_column(text, 8), (2, 2));
        assert_eq!(line_and_column(text, 7), (2, 1));
        assert_eq!(line_and_column(text, 999), (3, 1));
    }

    #[test]
    fn the_nearest_word_is_near() {
        assert_eq!(nearest("vesion", ["id", "version", "title"]), Some("version"));
        assert_eq!(nearest("zzz", ["id", "version"]), None);
    }

    #[test]
    fn a_warning_alone_does_not_fail() {
        let problems = Problems::default();
        problems.warning(0..1, "odd", "look");
        assert_eq!(settle("x", "t", Some(1), problems).expect("usable").warnings.len(), 1);
        let problems = Problems::default();
        problems.error(0..1, "bad");
        let bad = settle("x.toml", "t", Some(1), problems).expect_err("unusable");
        assert_eq!(bad.to_string(), "x.toml can't be used: line 1, column 1: bad");
    }

    #[test]
    fn of_very_many_warnings_none_becomes_an_error() {
        let problems = Problems::default();
        (0..TOLD + 3).for_each(|at| problems.warning(at..at, "odd", "mend it"));
        let told = problems.into_sorted();
        assert_eq!(told.len(), TOLD);
        assert!(told.iter().all(|problem| problem.gravity == ProblemLevel::Warning));
        assert_eq!(told[TOLD - 1].help.as_deref(), Some("mend it; there are 3 more problems in the file"));
    }

    #[test]
    fn an_error_among_those_that_are_not_told_counts() {
        let problems = Problems::default();
        (0..TOLD).for_each(|at| problems.warning(at..at, "odd", "mend it"));
        problems.error(TOLD..TOLD, "wrong");
        assert!(problems.into_sorted().iter().any(|problem| problem.gravity == ProblemLevel::Error));
    }
}
