//! What in a text does not follow its notation, and where it stands.

use std::fmt;

use crate::base::problem::line_and_column;

/// What does not follow a notation, and where.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("{at}{flaw}")]
pub struct Malformed {
    at: Place,
    flaw: Flaw,
}

/// What does not follow a notation.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum Flaw {
    /// What the parser of a library says.
    #[error("{0}")]
    Told(String),
    /// It stands where an amount of memory should.
    #[error("`{0}` is no amount of memory")]
    NoAmount(String),
    /// It is empty.
    #[error("it is empty")]
    Empty,
    /// It ends where something was to come.
    #[error("it ends too soon")]
    EndsTooSoon,
    /// It is nested deeper than any document should be.
    #[error("it is nested too deep")]
    TooDeep,
    /// An element is nested deeper than any should be.
    #[error("`{0}` is nested too deep")]
    ElementTooDeep(String),
    /// A mark that belongs at the beginning of files.
    #[error("a byte-order mark inside of the text")]
    Mark,
    /// An end tag without a start tag.
    #[error("an element ends that never began")]
    NeverBegan,
    /// A start tag without an end tag.
    #[error("the element `{0}` is never closed")]
    NeverClosed(String),
    /// An attribute that the parser tells of and the text does not have.
    #[error("an attribute is nowhere")]
    AttributeNowhere,
    /// More than one root.
    #[error("a second root element")]
    SecondRoot,
    /// No root.
    #[error("it has no root element")]
    NoRoot,
    /// Too many roots or levels for the second reader.
    #[error("it is nested too deep, or has two roots")]
    TooDeepOrTwoRoots,
    /// An entry without what tells entries apart.
    #[error("the entry `{entry}` has no `{identity}`, which tells entries apart")]
    NoIdentity {
        /// The entry's element.
        entry: String,
        /// What it lacks.
        identity: String,
    },
    /// The place for entries is not there.
    #[error("`{0}` is not in it, before which entries go")]
    NoAnchor(String),
    /// A section's name that does not end.
    #[error("a section that is not closed by `]`")]
    OpenSection,
    /// A name for two things.
    #[error("`{0}` is both a key and a section")]
    KeyAndSection(String),
    /// A line that goes on without one above it.
    #[error("it goes on with nothing")]
    GoesOnWithNothing,
    /// A line among headers that is none.
    #[error("it is no `Key: value`")]
    NoHeader,
    /// No header at all.
    #[error("there is no `Key: value` in it")]
    NoHeaders,
    /// An escape that stands for no character.
    #[error("`\\u{0}` is no character")]
    NoCharacter(String),
    /// One of a pair of escapes that make a character.
    #[error("half a character stands in it")]
    HalfCharacter,
    /// A key twice.
    #[error("the key `{0}` stands twice in one table")]
    KeyTwice(String),
    /// A key that is a list or a table.
    #[error("a key that is no plain text stands in it")]
    OddKey,
    /// An alias without its anchor.
    #[error("an alias stands for nothing")]
    LoneAlias,
    /// Something where a value was to come.
    #[error("it is no value")]
    NoValue,
    /// An element that ends inside of another.
    #[error("`{0}` ends where something else is open")]
    EndsInside(String),
    /// A root without its end.
    #[error("it has no root element that ends")]
    OpenRoot,
    /// Nothing in it is data.
    #[error("nothing in it is a name with a value")]
    NoData,
    /// More values than any call should have.
    #[error("a call has too many values")]
    TooManyValues,
    /// A long text without its end.
    #[error("a text that `[[` begins has no end")]
    OpenLongText,
    /// A bracket without its end.
    #[error("a bracket is not closed")]
    OpenBracket,
    /// No text where one was to come.
    #[error("a text was expected")]
    NoText,
    /// A quote without its end.
    #[error("a quote is not closed on its line")]
    OpenQuote,
    /// A comment without its end.
    #[error("a comment has no end")]
    OpenComment,
    /// Documents of such a notation are not edited.
    #[error("it is only read")]
    OnlyRead,
}

/// Where in a text; both count from one, columns in characters.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Place {
    Somewhere,
    Line(usize),
    LineAndColumn(usize, usize),
}

impl fmt::Display for Place {
    fn fmt(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Somewhere => Ok(()),
            Self::Line(line) => write!(out, "line {line}: "),
            Self::LineAndColumn(line, column) => write!(out, "line {line}, column {column}: "),
        }
    }
}

impl Flaw {
    /// What a library says.
    pub fn told(error: impl fmt::Display) -> Self {
        Self::Told(error.to_string())
    }

    /// The same at an offset of a text, in bytes.
    pub fn at(self, text: &str, offset: usize) -> Malformed {
        let (line, column) = line_and_column(text, offset);
        Malformed { at: Place::LineAndColumn(line, column), flaw: self }
    }

    /// The same on a line, from one.
    pub const fn on_line(self, line: usize) -> Malformed {
        Malformed { at: Place::Line(line), flaw: self }
    }
}

impl From<Flaw> for Malformed {
    fn from(flaw: Flaw) -> Self {
        Self { at: Place::Somewhere, flaw }
    }
}
