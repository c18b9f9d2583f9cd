//! The words of a command line, each in the pieces in which it is written.

use std::ops::Range;

/// A command: what is run, or what a variable is set to.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Command {
    /// Its words.
    pub words: Vec<Word>,
}

/// A word.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Word {
    /// All of it, with its quotes.
    pub span: Range<usize>,
    /// Its pieces.
    pub pieces: Vec<Piece>,
    /// Where a quote is opened in it that is never closed.
    pub open: Option<usize>,
}

/// A piece of a word that is written in one way.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Piece {
    /// Where it stands, without the quotes around it.
    pub at: Range<usize>,
    /// What it says. As long as it is written, but where it is an escape.
    pub text: String,
    /// How it is written.
    pub how: How,
}

/// How a piece is written.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum How {
    /// Without quotes.
    Bare,
    /// In quotes.
    Quoted(Quote),
    /// As one character that is kept from having its meaning; inside of quotes, perhaps.
    Escape(Option<Quote>),
    /// By the name of a variable.
    Variable(String),
    /// By something else that is worked out when it is run.
    Computed,
    /// By nothing: a line that goes on.
    Break,
}

/// A kind of quote.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Quote {
    /// `'…'`
    Single,
    /// `"…"`
    Double,
    /// `$'…'`
    Dollar,
}

impl Quote {
    /// The character that closes it.
    pub const fn sign(self) -> char {
        match self {
            Self::Single | Self::Dollar => '\'',
            Self::Double => '"',
        }
    }
}

impl Word {
    /// What it says; variables by their names.
    pub fn text(&self) -> String {
        self.pieces.iter().map(|piece| piece.text.as_str()).collect()
    }

    /// Adds a character without quotes.
    pub fn bare(&mut self, at: usize, c: char) {
        match self.pieces.last_mut() {
            Some(last) if last.how == How::Bare && last.at.end == at => {
                last.at.end += c.len_utf8();
                last.text.push(c);
            }
            _ => self.pieces.push(Piece { at: at..at + c.len_utf8(), text: c.to_string(), how: How::Bare }),
        }
    }

    /// Adds a piece.
    pub fn push(&mut self, at: Range<usize>, text: impl Into<String>, how: How) {
        self.pieces.push(Piece { at, text: text.into(), how });
    }
}

/// Which place of a text each place of what it says comes from.
#[derive(Debug, Clone, Default)]
pub struct Places {
    /// What is said, from where on, and where that is written.
    parts: Vec<(Range<usize>, Range<usize>)>,
    /// Where it is written when nothing is said.
    empty: usize,
}

impl Places {
    /// Each place is its own.
    pub fn own(length: usize) -> Self {
        Self { parts: vec![(0..length, 0..length)], empty: 0 }
    }

    /// Of what pieces say.
    pub fn of(pieces: &[Piece], empty: usize) -> Self {
        let mut at = 0;
        let mut parts = Vec::new();
        for piece in pieces {
            parts.push((at..at + piece.text.len(), piece.at.clone()));
            at += piece.text.len();
        }
        Self { parts, empty: pieces.first().map_or(empty, |piece| piece.at.start) }
    }

    /// Where a part is written.
    pub fn written(&self, said: &Range<usize>) -> Range<usize> {
        let start = match self.parts.iter().find(|(from, _)| from.start <= said.start && said.start < from.end) {
            Some((from, at)) if from.len() == at.len() => at.start + (said.start - from.start),
            Some((_, at)) => at.start,
            None => self.behind(said.start),
        };
        let end = if said.is_empty() { start } else { self.behind(said.end) };
        start..end.max(start)
    }

    fn behind(&self, said: usize) -> usize {
        match self.parts.iter().rfind(|(from, _)| from.start < said && said <= from.end) {
            Some((from, at)) if from.len() == at.len() => at.start + (said - from.start),
            Some((_, at)) => at.end,
            None => self.empty,
        }
    }

    /// These places, each of which is a place of what other places say.
    pub fn through(&self, outer: &Self) -> Self {
        let mut parts = Vec::new();
        for (said, at) in &self.parts {
            if said.len() != at.len() {
                parts.push((said.clone(), outer.written(at)));
                continue;
            }
            // A part that says what is written may be written in several pieces further out.
            for (from, out) in &outer.parts {
                let (start, end) = (from.start.max(at.start), from.end.min(at.end));
                if start < end {
                    let inner = said.start + (start - at.start)..said.start + (end - at.start);
                    parts.push((inner, outer_part(from, out, &(start..end))));
                }
            }
        }
        Self { parts, empty: outer.written(&(self.empty..self.empty)).start }
    }
}

fn outer_part(from: &Range<usize>, out: &Range<usize>, part: &Range<usize>) -> Range<usize> {
    if from.len() == out.len() {
        out.start + (part.start - from.start)..out.start + (part.end - from.start)
    } else {
        out.clone()
    }
}
