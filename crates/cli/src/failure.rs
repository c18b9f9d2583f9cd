//! Why a command could not do its work: the chain of causes told once, with what to do next.

use std::error::Error;

use annotate_snippets::renderer::DecorStyle;
use annotate_snippets::{AnnotationKind, Group, Level, Renderer, Snippet};
use kanon_core::base::problem::{BadFile, Problem, ProblemLevel, nearest};
use kanon_io::error::ReachError;

use crate::render::{BAD, styled};
use crate::screen;
use crate::words::errors::hint;

/// Why a command could not do its work.
#[derive(Debug)]
pub struct Failure {
    message: String,
    causes: Vec<String>,
    hint: Option<String>,
    bad_file: Option<Box<BadFile>>,
}

impl Failure {
    /// A failure with a message of its own.
    pub fn plain(message: impl Into<String>) -> Self {
        Self { message: message.into(), causes: Vec::new(), hint: None, bad_file: None }
    }

    /// A failure whose message is an error's own.
    pub fn from_words(error: &dyn Error) -> Self {
        Self::plain(error.to_string())
    }

    /// Adds what it came of.
    pub fn because(mut self, cause: impl Error) -> Self {
        self.causes.extend(chain(&cause));
        self
    }

    /// The same, with what it is about before it.
    pub fn about(&self, what: &str) -> Self {
        let message = format!("{}: {}", kanon_core::base::path::printable(what), self.message);
        Self { message, causes: self.causes.clone(), hint: self.hint.clone(), bad_file: self.bad_file.clone() }
    }

    /// What happened and why, in one line.
    pub fn in_short(&self) -> String {
        let causes: String = self.causes.iter().map(|cause| format!(": {cause}")).collect();
        format!("{}{causes}", self.message)
    }

    /// Adds what to do next.
    pub fn hint(mut self, hint: impl Into<String>) -> Self {
        self.hint = Some(hint.into());
        self
    }

    /// Adds the known name that is nearest to one that was typed, or else what to do.
    pub fn hint_nearest<'k>(
        self,
        typed: &str,
        known: impl IntoIterator<Item = &'k str>,
        otherwise: impl Into<String>,
    ) -> Self {
        match nearest(typed, known) {
            Some(near) => self.hint(format!("did you mean `{near}`?")),
            None => self.hint(otherwise),
        }
    }

    /// The failure as it is shown.
    pub fn render(&self) -> String {
        if let Some(bad) = &self.bad_file {
            return render_problems(&bad.name, &bad.text, &bad.problems);
        }
        let mut text = format!("{}: {}\n", styled(BAD, "error"), self.message);
        for cause in &self.causes {
            text.push_str(&format!("  because: {cause}\n"));
        }
        if let Some(hint) = &self.hint {
            text.push_str(&format!("  do: {hint}\n"));
        }
        text
    }
}

fn chain(error: &dyn Error) -> Vec<String> {
    let mut causes = Vec::new();
    let mut next = Some(error);
    while let Some(error) = next {
        causes.push(kanon_core::base::path::printable(&error.to_string()));
        next = error.source();
    }
    causes
}

impl From<ReachError> for Failure {
    fn from(error: ReachError) -> Self {
        let hint = hint(&error).map(str::to_owned);
        if let ReachError::BadFile(bad) = error {
            return Self { message: bad.to_string(), causes: Vec::new(), hint, bad_file: Some(bad) };
        }
        let mut causes = chain(&error);
        let mut message = causes.remove(0);
        if let ReachError::Busy { began: Some(began), .. } = &error
            && *began > 0
        {
            message.push_str(&format!(", since {}", crate::env::time_of_day(*began)));
        }
        Self { message, causes, hint, bad_file: None }
    }
}

/// Problems of a file, each at its place.
pub fn render_problems(name: &str, text: &str, problems: &[Problem]) -> String {
    let renderer = Renderer::styled().decor_style(DecorStyle::Ascii).term_width(100);
    let mut shown = String::new();
    let quotable = screen::quotable(text);
    let text = quotable.as_str();
    for problem in problems {
        let level = if problem.gravity == ProblemLevel::Error { Level::ERROR } else { Level::WARNING };
        let span = problem.span.start.min(text.len())..problem.span.end.min(text.len());
        let snippet = Snippet::source(text).path(name).annotation(AnnotationKind::Primary.span(span));
        let mut group: Group<'_> = level.primary_title(&problem.message).element(snippet);
        if let Some(help) = &problem.help {
            group = group.element(Level::HELP.message(help));
        }
        shown.push_str(&screen::of_renderer(&renderer.render(&[group])));
        shown.push_str("\n\n");
    }
    shown
}
