//! Text files, read and edited: each notation by one grammar, into a tree whose values know their places. What is not meant
//! keeps its bytes, and what was edited counts only when another reader finds in it just what was meant.

mod block;
pub mod command;
mod edit_error;
pub(crate) mod encoding;
pub(crate) mod flaw;
mod headers;
mod ini;
pub(crate) mod joined;
mod json;
mod key_value;
pub(crate) mod kinds;
pub(crate) mod lines;
pub(crate) mod notation;
pub mod page;
mod properties;
pub(crate) mod rows;
pub(crate) mod scalars;
pub(crate) mod splice;
mod toml;
pub(crate) mod tree;
pub(crate) mod xml;
pub(crate) mod yaml;

pub use block::{begins_with_data, is_all_data};
pub use command::{Dialect, LaunchError};
pub use edit_error::{EditError, NoPlace, SecondReading, Unmeant};
pub use encoding::{ENCODING_WORDS, Encoding, TextFile, text};
pub use flaw::{Flaw, Malformed};
pub use json::brackets_deep;
pub use kinds::{DocumentError, NOTATION_WORDS, Notation};
pub use notation::{scalar, stated_version, version_text};
pub use splice::{Splice, line_end, spliced};
pub use tree::{Field, Form, Kind, Node};

use serde_json_path::JsonPath;

/// A path as it was written; the library writes one dot too many before a descendant step.
pub fn path_words(at: &JsonPath) -> String {
    at.to_string().replace("...", "..")
}

/// Where the list itself is, of which `each` is every entry; nothing when `each` is said otherwise.
pub fn list_parent(each: &JsonPath) -> Option<JsonPath> {
    let text = path_words(each);
    let parent = text.strip_suffix("[*]").or_else(|| text.strip_suffix(".*"))?;
    JsonPath::parse(parent).ok()
}

/// The pieces of a text between which something stands that is neither in double quotes nor in brackets: a range has commas
/// of its own.
pub fn split_outside<'t>(text: &'t str, between: &str) -> Vec<&'t str> {
    let (mut pieces, mut start, mut open, mut quoted) = (Vec::new(), 0, 0usize, false);
    for (at, c) in text.char_indices() {
        match c {
            _ if at < start => continue,
            _ if open == 0 && !quoted && !between.is_empty() && text[at..].starts_with(between) => {
                pieces.push(&text[start..at]);
                start = at + between.len();
                continue;
            }
            '"' => quoted = !quoted,
            '(' | '[' | '{' if !quoted => open += 1,
            ')' | ']' | '}' if !quoted => open = open.saturating_sub(1),
            _ => {}
        }
    }
    if open > 0 || quoted {
        // What is not closed is no bracket: `[1,2)` closes with another one, and counts as closed.
        return text.split(between).map(str::trim).filter(|piece| !piece.is_empty()).collect();
    }
    pieces.push(&text[start..]);
    pieces.into_iter().map(str::trim).filter(|piece| !piece.is_empty()).collect()
}

/// The pieces of a text between which something stands.
pub fn split<'t>(text: &'t str, between: Option<&str>) -> Vec<&'t str> {
    let pieces: Vec<&str> = match between {
        // Blanks of any number, as a shell would take them.
        Some(blank) if blank.trim().is_empty() => text.split_whitespace().collect(),
        Some(between) => text.split(between).collect(),
        None => vec![text],
    };
    pieces.into_iter().map(str::trim).filter(|piece| !piece.is_empty()).collect()
}
