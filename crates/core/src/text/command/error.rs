//! Why a launch line can't be read, and where.

/// Why a command line can't be read.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum LaunchError {
    /// A quote has no end.
    #[error("line {line}, column {column}: the quote that is opened here is never closed")]
    OpenQuote {
        /// From one.
        line: usize,
        /// From one, in characters.
        column: usize,
    },
    /// The value is that of a variable, which is set elsewhere.
    #[error("line {line}: what the option is given is in `{name}`, which is set nowhere in this file")]
    Unset {
        /// From one.
        line: usize,
        /// The variable, as it is written.
        name: String,
    },
    /// A part of the value is that of a variable.
    #[error("line {line}: what the option is given is put together from `{name}`, so nobody can tell what it will be")]
    Composed {
        /// From one.
        line: usize,
        /// The variable, as it is written.
        name: String,
    },
}

impl LaunchError {
    pub(super) fn open_quote(text: &str, at: usize) -> Self {
        let start = crate::text::rows::line_start(text, at);
        Self::OpenQuote { line: line_of(text, at), column: text[start..at].chars().count() + 1 }
    }
}

pub(super) fn line_of(text: &str, at: usize) -> usize {
    text[..at].matches('\n').count() + 1
}
