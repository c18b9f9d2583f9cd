//! From the bytes of a mod to the facts about it, as its shelf's rule says.

mod archive;
mod contents;
mod facts;

pub use archive::{Archive, ArchiveError, is_archive};
pub use contents::{Contents, ContentsError, NoContents};
pub use facts::{Named, ReadingError, read_mod};
