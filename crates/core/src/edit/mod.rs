//! Minimal edits of text files: what is not meant keeps its bytes, and what was edited is read back before it counts.

mod fragment;
mod lines;
mod list;
mod objects;
mod rows;
mod setting;
mod text;
mod tree;
mod wording;
pub mod xml;
mod yaml;

pub use fragment::{Placing, Wanted, anchored, brought, merge};
pub use list::{Change, Entry, entry_text, option_text, respell_option, write_list};
pub use setting::{set, set_in_option};
pub use text::{Splice, TextFile, line_end, spliced};
pub use wording::digest_like;

use crate::document::DocumentError;

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
    #[error("edited, it would not say what is meant ({0}), so it is left as it is")]
    Unsafe(String),
}
