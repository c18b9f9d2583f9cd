//! The commands of a text, and those in texts that its words hold.

use std::rc::Rc;

use super::dialect::Dialect;
use super::error::LaunchError;
use super::word::{Command, How, Piece, Places, Quote, Word};
use super::{arguments, batch, shell, unit};

/// By which grammar a text is read.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Grammar {
    File(Dialect),
    /// What a variable is set to.
    Value,
}

/// A text in which commands stand: a file, or what a word of another says.
#[derive(Debug)]
pub(super) struct Layer {
    pub(super) text: String,
    /// Where in the file what it says is written.
    pub(super) places: Places,
    pub(super) grammar: Grammar,
    /// The layer that it is a word of, and the quotes in which it stands there.
    pub(super) outer: Option<(Rc<Layer>, Option<Quote>)>,
}

/// A command with the text that it stands in.
#[derive(Debug, Clone)]
pub(super) struct Found {
    pub(super) layer: Rc<Layer>,
    pub(super) command: Command,
    /// Whether it only says something to people.
    pub(super) talks: bool,
}

/// Every command of a text, and of the words in it that hold commands and name `needle`.
pub(super) fn commands(text: &str, dialect: Dialect, needle: &str) -> Result<Vec<Found>, LaunchError> {
    let places = Places::own(text.len());
    let file = Layer { text: text.to_owned(), places, grammar: Grammar::File(dialect), outer: None };
    let mut found = Vec::new();
    descend(&Rc::new(file), needle, false, &mut found)?;
    Ok(found)
}

pub(super) fn descend(layer: &Rc<Layer>, needle: &str, talks: bool, found: &mut Vec<Found>) -> Result<(), LaunchError> {
    const LAYERS: usize = 6;
    let mut deep = 0;
    let mut outer = layer.outer.as_ref();
    while let Some((next, _)) = outer {
        (deep, outer) = (deep + 1, next.outer.as_ref());
    }
    let read = match layer.grammar {
        Grammar::File(Dialect::Shell) => shell::commands(&layer.text),
        Grammar::File(Dialect::Batch) => Ok(batch::commands(&layer.text)),
        Grammar::File(Dialect::Unit) => Ok(unit::commands(&layer.text)),
        Grammar::File(Dialect::Arguments) => Ok(vec![arguments::command(&layer.text, true)]),
        Grammar::Value => Ok(vec![arguments::command(&layer.text, false)]),
    };
    let read = match read {
        // What is no command after all stays a word.
        Err(_) if layer.outer.is_some() => return Ok(()),
        read => read?,
    };
    for command in read {
        let talks = talks || is_talk(&command);
        let inner: Vec<Layer> = if deep < LAYERS {
            (0..command.words.len()).filter_map(|at| inner_layer(layer, &command, at, needle)).collect()
        } else {
            Vec::new()
        };
        found.push(Found { layer: Rc::clone(layer), command, talks });
        for inner in inner {
            descend(&Rc::new(inner), needle, talks, found)?;
        }
    }
    Ok(())
}

/// Whether a command says something to people, rather than that it starts anything.
pub(super) fn is_talk(command: &Command) -> bool {
    const BEFORE: [&str; 8] = ["then", "do", "else", "if", "{", "!", "builtin", "command"];
    const TALKS: [&str; 9] = ["echo", "printf", "title", "logger", "wall", "say", "msg", "notify-send", "write-host"];
    let first = command.words.iter().map(Word::text).find(|word| !BEFORE.contains(&word.as_str()));
    let first = first.unwrap_or_default();
    let first = first.trim_start_matches('@').rsplit(['/', '\\']).next().unwrap_or_default();
    let first = first.strip_suffix(".exe").or_else(|| first.strip_suffix('.')).unwrap_or(first);
    TALKS.iter().any(|talk| first.eq_ignore_ascii_case(talk))
}

/// The text of a word in which commands stand, if it is one that names what is looked for.
pub(super) fn inner_layer(layer: &Rc<Layer>, command: &Command, at: usize, needle: &str) -> Option<Layer> {
    let word = &command.words[at];
    let text = word.text();
    let computed = |piece: &&Piece| piece.how == How::Computed;
    let plain: String = word.pieces.iter().filter(|piece| !computed(piece)).map(|piece| piece.text.as_str()).collect();
    // What begins so is the option itself.
    if !plain.contains(needle) || text.starts_with(needle) {
        return None;
    }
    let before = |back: usize| at.checked_sub(back).map(|at| command.words[at].text()).unwrap_or_default();
    let quoted = |piece: &Piece| matches!(piece.how, How::Quoted(_) | How::Escape(Some(_)));
    let (last, bare_name) = (before(1), assigned(&text));
    let runs = match layer.grammar {
        Grammar::File(Dialect::Batch) => matches!(last.to_ascii_lowercase().as_str(), "/c" | "/k"),
        _ => last.starts_with('-') && !last.starts_with("--") && last.ends_with('c') && at >= 2,
    };
    let holds_blank = text.trim().contains(char::is_whitespace);
    let (skip, grammar) = match (bare_name, layer.grammar) {
        (Some(name), _) => (name.len(), Grammar::Value),
        (None, Grammar::File(Dialect::Batch)) if runs => (0, Grammar::File(Dialect::Batch)),
        (None, _) if runs => (0, Grammar::File(Dialect::Shell)),
        // An option that is given a whole command line, such as `--with="…"`.
        (None, _) if holds_blank && !quoted(word.pieces.first()?) => {
            let length: usize =
                word.pieces.iter().take_while(|piece| !quoted(piece)).map(|piece| piece.text.len()).sum();
            (length, Grammar::Value)
        }
        (None, Grammar::File(Dialect::Shell)) if holds_blank => (0, Grammar::File(Dialect::Shell)),
        (None, _) if holds_blank => (0, Grammar::Value),
        _ => return None,
    };
    let mut pieces = Vec::new();
    let mut left = skip;
    for piece in &word.pieces {
        let mut piece = piece.clone();
        // What is run inside of it was looked at where it stands.
        if piece.how == How::Computed {
            piece.text = "\u{1}".repeat(piece.text.len());
        }
        let cut = left.min(piece.text.len());
        left -= cut;
        if cut == piece.text.len() && cut > 0 {
            continue;
        }
        // Of a piece of which a part is a name, the rest counts.
        if cut > 0 {
            if piece.text.len() != piece.at.len() {
                return None;
            }
            piece.text.drain(..cut);
            piece.at.start += cut;
        }
        pieces.push(piece);
    }
    let mut said: String = pieces.iter().map(|piece| piece.text.as_str()).collect();
    // A key that is pressed behind what is typed into a window is no part of it.
    for key in ["^M", "\\n", "\\r", "\\015"] {
        if let Some(typed) = said.strip_suffix(key).filter(|_| bare_name.is_none()) {
            said = format!("{typed}{}", " ".repeat(key.len()));
        }
    }
    // The quotes in which what is looked for stands.
    let place = said.find(needle)?;
    let mut reached = 0;
    let quote = pieces.iter().find_map(|piece| {
        reached += piece.text.len();
        (reached > place).then_some(match piece.how {
            How::Quoted(quote) | How::Escape(Some(quote)) => Some(quote),
            _ => None,
        })
    });
    let places = Places::of(&pieces, word.span.end).through(&layer.places);
    Some(Layer { text: said, places, grammar, outer: Some((Rc::clone(layer), quote.flatten())) })
}

/// The name, with its sign, of a variable that a word sets.
pub(super) fn assigned(word: &str) -> Option<&str> {
    let sign = word.find('=')?;
    let name = word[..sign].strip_suffix('+').unwrap_or(&word[..sign]);
    let is_name = name.starts_with(|c: char| c.is_ascii_alphabetic() || c == '_')
        && name.chars().all(|c| c.is_ascii_alphanumeric() || c == '_');
    is_name.then(|| &word[..=sign])
}
