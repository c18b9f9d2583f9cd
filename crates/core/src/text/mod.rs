//! Text files, read and edited: each notation by one grammar, into a tree whose values know their places. What is not meant
//! keeps its bytes, and what was edited counts only when another reader finds in it just what was meant.

pub mod command;
mod encoding;
mod fragment;
mod ini;
mod items;
mod joined;
mod json;
mod key_value;
mod keys;
mod lines;
mod list;
mod notation;
mod objects;
mod properties;
mod rows;
mod scalars;
mod second;
mod setting;
mod splice;
mod toml;
mod tree;
mod wording;
mod xml;
mod yaml;

pub use command::{Dialect, LaunchError};
pub use encoding::{ENCODING_WORDS, Encoding, TextFile, text};
pub use fragment::{Placing, Wanted, anchored, brought, merge};
pub use json::brackets_deep;
pub use list::{Change, Entry, entry_text, option_text, respell_option, write_list};
pub use notation::{DocumentError, NOTATION_WORDS, Notation, scalar};
pub use setting::set;
pub use splice::{Splice, line_end, spliced};
pub use tree::{Field, Form, Kind, Node};
pub use wording::digest_like;

/// Why a file can't be edited. It is left as it is then.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum EditError {
    /// It can't be read.
    #[error(transparent)]
    Document(#[from] DocumentError),
    /// It can't be read as the rule says.
    #[error("{0}")]
    Unreadable(String),
    /// What is to be written has no place in it.
    #[error("{0}")]
    NoPlace(String),
    /// Its encoding has no way to write what is to be written.
    #[error("`{0}` can't be written in the encoding of the file")]
    NotEncodable(String),
    /// Written, it would not say what is meant; so it is not written.
    #[error("edited, it would not say what is meant: {0}")]
    Unsafe(String),
}
