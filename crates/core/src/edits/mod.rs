//! The game's own text files, read and changed by a rulebook's rules: the entries of lists and launch lines, settings, amounts of
//! memory, and the entries that mods merge into data files. What is not meant keeps its bytes, and what was edited counts only
//! when another reader finds in it just what was meant.

mod entries;
mod fragment;
mod items;
mod keys;
mod list;
mod meant;
mod memory;
mod numbered;
mod objects;
mod second;
mod setting;
mod wording;

pub use entries::{ListError, RawEntry, is_on, of_key, of_line, of_text, read_list};
pub(crate) use entries::{document_entries, is_of_lines, xml_list};
pub use fragment::{Placing, anchored, brought, merge};
pub use list::{entry_text, option_text, respell_option, write_list};
pub use meant::{Change, Entry, Wanted};
pub use memory::raise;
pub use setting::set;
pub use wording::digest_like;
