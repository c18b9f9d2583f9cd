//! From the bytes of a mod to what it says of itself, as its shelf's rule says; and the keys that vouch for it.

mod archive;
mod contents;
mod facts;
mod model;
mod relations;
pub mod signature;
mod told_by;

pub use archive::{Archive, ArchiveError, is_archive};
pub use contents::{Contents, ContentsError, ITSELF, NoContents, Unread};
pub use facts::{Answer, Looked, Named, ReadingError, Spot, explain_mod, read_mod};
pub(crate) use model::beside_reading;
pub use model::{Member, MergedEntry, ModManifest, Relation};
pub use relations::is_nobody;
pub use told_by::ToldEntries;
