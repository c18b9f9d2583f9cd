//! Command lines: the values of an option in a start script, a service file or a file of arguments, read by the grammar of
//! what they stand in and changed there.

mod amount;
mod arguments;
mod batch;
mod shell;
mod unit;
mod value;
mod word;

use std::collections::BTreeSet;
use std::rc::Rc;

pub use amount::{Amount, amounts, unit_bytes};
pub use value::{Given, Part, each_once, rewritten};
use word::{Command, How, Places, Quote, Word};

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
    fn open_quote(text: &str, at: usize) -> Self {
        let start = super::rows::line_start(text, at);
        Self::OpenQuote { line: line_of(text, at), column: text[start..at].chars().count() + 1 }
    }
}

fn line_of(text: &str, at: usize) -> usize {
    text[..at].matches('\n').count() + 1
}

/// What a command line stands in.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Dialect {
    /// A script of a shell.
    Shell,
    /// A Windows batch file.
    Batch,
    /// A service file.
    Unit,
    /// A file of arguments, or anything else.
    Arguments,
}

impl Dialect {
    /// What a file is, by its name, or else by what it says.
    pub fn of(name: &str, text: &str) -> Self {
        let name = name.to_ascii_lowercase();
        let extension = name.rsplit_once('.').map_or("", |(_, extension)| extension);
        match extension {
            "sh" | "bash" | "command" | "run" => return Self::Shell,
            "bat" | "cmd" => return Self::Batch,
            "service" => return Self::Unit,
            _ => {}
        }
        let starts = |mark: &str| {
            text.lines()
                .any(|line| line.trim_start().get(..mark.len()).is_some_and(|head| head.eq_ignore_ascii_case(mark)))
        };
        if text.starts_with("#!") {
            Self::Shell
        } else if starts("ExecStart=") {
            Self::Unit
        } else if starts("@echo off") {
            Self::Batch
        } else {
            Self::Arguments
        }
    }
}

/// By which grammar a text is read.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Grammar {
    File(Dialect),
    /// What a variable is set to.
    Value,
}

/// A text in which commands stand: a file, or what a word of another says.
#[derive(Debug)]
struct Layer {
    text: String,
    /// Where in the file what it says is written.
    places: Places,
    grammar: Grammar,
    /// The layer that it is a word of, and the quotes in which it stands there.
    outer: Option<(Rc<Layer>, Option<Quote>)>,
}

/// A command with the text that it stands in.
#[derive(Debug, Clone)]
struct Found {
    layer: Rc<Layer>,
    command: Command,
    /// Whether it only says something to people.
    talks: bool,
}

/// Every command of a text, and of the words in it that hold commands and name `needle`.
fn commands(text: &str, dialect: Dialect, needle: &str) -> Result<Vec<Found>, LaunchError> {
    let places = Places::own(text.len());
    let file = Layer { text: text.to_owned(), places, grammar: Grammar::File(dialect), outer: None };
    let mut found = Vec::new();
    descend(&Rc::new(file), needle, false, &mut found)?;
    Ok(found)
}

fn descend(layer: &Rc<Layer>, needle: &str, talks: bool, found: &mut Vec<Found>) -> Result<(), LaunchError> {
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
fn is_talk(command: &Command) -> bool {
    const BEFORE: [&str; 8] = ["then", "do", "else", "if", "{", "!", "builtin", "command"];
    const TALKS: [&str; 9] = ["echo", "printf", "title", "logger", "wall", "say", "msg", "notify-send", "write-host"];
    let first = command.words.iter().map(Word::text).find(|word| !BEFORE.contains(&word.as_str()));
    let first = first.unwrap_or_default();
    let first = first.trim_start_matches('@').rsplit(['/', '\\']).next().unwrap_or_default();
    let first = first.strip_suffix(".exe").or_else(|| first.strip_suffix('.')).unwrap_or(first);
    TALKS.iter().any(|talk| first.eq_ignore_ascii_case(talk))
}

/// The text of a word in which commands stand, if it is one that names what is looked for.
fn inner_layer(layer: &Rc<Layer>, command: &Command, at: usize, needle: &str) -> Option<Layer> {
    let word = &command.words[at];
    let text = word.text();
    let computed = |piece: &&word::Piece| piece.how == How::Computed;
    let plain: String = word.pieces.iter().filter(|piece| !computed(piece)).map(|piece| piece.text.as_str()).collect();
    // What begins so is the option itself.
    if !plain.contains(needle) || text.starts_with(needle) {
        return None;
    }
    let before = |back: usize| at.checked_sub(back).map(|at| command.words[at].text()).unwrap_or_default();
    let quoted = |piece: &word::Piece| matches!(piece.how, How::Quoted(_) | How::Escape(Some(_)));
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
fn assigned(word: &str) -> Option<&str> {
    let sign = word.find('=')?;
    let name = word[..sign].strip_suffix('+').unwrap_or(&word[..sign]);
    let is_name = name.starts_with(|c: char| c.is_ascii_alphabetic() || c == '_')
        && name.chars().all(|c| c.is_ascii_alphanumeric() || c == '_');
    is_name.then(|| &word[..=sign])
}

/// Every value that an option is given in a text, in the order in which they stand.
///
/// The option is written as in the text, with the sign that ends it (`-mods=`, `--mod`, `set MODS=`). What only people are
/// told counts where nothing else gives the option; comments and here-documents never do. A value that is all of a variable
/// is what the variable is set to.
///
/// `between` is what stands between entries; where that is blank, a value goes on to the next word that begins with `-`.
///
/// # Errors
/// When a quote is not closed, or a value is in a variable of which nothing is known.
pub fn options(text: &str, dialect: Dialect, option: &str, between: Option<&str>) -> Result<Vec<Given>, LaunchError> {
    let needle = option.trim().rsplit([' ', '\t']).next().unwrap_or(option);
    if needle.is_empty() || !text.contains(needle) && !text.contains(['\\', '^', '"', '\'']) {
        return Ok(Vec::new());
    }
    let found = commands(text, dialect, needle)?;
    let mut given = Vec::new();
    for (group, command) in found.iter().enumerate() {
        value::given(command, (text, option, between), group, &mut given)?;
    }
    let resolved = resolved(given, &found, (text, between))?;
    resolved.iter().try_for_each(|one| one.refuse_composed(between))?;
    Ok(resolved)
}

/// Values of which those that are all of a variable are what it is set to; each place once, in their order, and what only people
/// are told only where there is nothing else.
fn resolved(
    given: Vec<Given>,
    found: &[Found],
    (text, between): (&str, Option<&str>),
) -> Result<Vec<Given>, LaunchError> {
    let mut resolved: Vec<Given> = Vec::new();
    for one in given {
        let Some(name) = one.variable() else {
            // What is put together here from what is set here says more than is written.
            if let Some(name) = one.quotes().find(|name| value::is_set(found, name)) {
                return Err(LaunchError::Composed { line: one.line, name });
            }
            resolved.push(one);
            continue;
        };
        let set = value::set_to(found, (text, between), &name, found.len())?;
        if set.is_empty() {
            return Err(LaunchError::Unset { line: one.line, name: one.value });
        }
        resolved.extend(set);
    }
    let mut seen = BTreeSet::new();
    resolved.retain(|one| seen.insert((one.at.start, one.at.end)));
    if resolved.iter().any(|one| !one.talks) {
        resolved.retain(|one| !one.talks);
    }
    resolved.sort_by_key(|one| one.at.start);
    Ok(resolved)
}

/// An option of a text that is spelt nearly like one that nothing in it gives: a slip of the pen, perhaps.
pub fn near_option(text: &str, dialect: Dialect, option: &str) -> Option<String> {
    const SLIPS: usize = 2;
    let sign = option.ends_with('=');
    let head = |word: String| match (sign, word.find('=')) {
        (true, at) => at.map(|at| word[..=at].to_owned()),
        (false, _) => Some(word),
    };
    let found = commands(text, dialect, "").ok()?;
    let words = found.iter().filter(|found| !found.talks).flat_map(|found| &found.command.words).map(Word::text);
    let near = words
        .filter_map(head)
        .filter(|word| word.len() > SLIPS * 2 && *word != option)
        .map(|word| (strsim::damerau_levenshtein(&word.to_lowercase(), &option.to_lowercase()), word));
    let near: BTreeSet<(usize, String)> = near.filter(|(slips, _)| *slips <= SLIPS).collect();
    let best = near.first()?;
    let is_alone = near.iter().filter(|(slips, _)| *slips == best.0).count() == 1;
    is_alone.then(|| best.1.clone())
}

/// Comments of batch files, shells, service files, Lua and files of arguments.
pub fn is_comment(line: &str) -> bool {
    let line = line.trim_start().trim_start_matches('@').to_ascii_lowercase();
    line.starts_with("::")
        || line.starts_with('#')
        || line.starts_with("//")
        || line.starts_with(';')
        || line.starts_with("-- ")
        || line.strip_prefix("rem").is_some_and(|rest| rest.is_empty() || rest.starts_with([' ', '\t', '\r', '\n']))
}

#[cfg(test)]
#[path = "../../tests/command.rs"]
mod tests;
