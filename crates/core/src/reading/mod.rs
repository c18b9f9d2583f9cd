//! From the bytes of a mod to the facts about it, as its shelf's rule says.

mod archive;
mod contents;
mod entries;
mod facts;
mod lists;
mod signed;

pub use archive::{Archive, ArchiveError, is_archive};
pub use contents::{Contents, ContentsError, ITSELF, NoContents};
pub use entries::Known;
pub use facts::{Looked, Named, ReadingError, explain_mod, path_words, read_mod};
pub use lists::{
    ListError, RawEntry, document_entries, is_of_lines, is_on, list_parent, of_key, of_line, of_text, read_list, split,
    xml_list,
};
pub use signed::SignedNames;
