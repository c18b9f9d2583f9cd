//! What is meant by an edit: the entries that a list is to have, those that a data file is to have, and whether what is read back
//! says just that.

use super::entries::RawEntry;
use crate::base::ids::FoldedId;
use crate::text::Unmeant;

/// What an entry is to say.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Entry {
    /// The mod's id.
    pub id: FoldedId,
    /// The name of its file or folder.
    pub name: String,
    /// Its version.
    pub version: Option<String>,
    /// What people call it.
    pub title: Option<String>,
    /// Digests by which it may be named.
    pub digests: Vec<String>,
}

/// What becomes of the entries of a list, in the order in which they are to stand. Those that are not named go.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Change {
    /// The entry at this place stays as it is.
    Keep(usize),
    /// The entry at this place stays, switched on, and says this.
    Set(usize, Entry),
    /// A new entry, switched on.
    New(Entry),
}

/// Whether a list now names just what was meant.
pub fn hold(raws: &[RawEntry], changes: &[Change], read: &[RawEntry]) -> Result<(), Unmeant> {
    if read.len() != changes.len() {
        return Err(Unmeant::Count { found: read.len(), meant: changes.len() });
    }
    for (found, change) in read.iter().zip(changes) {
        let (right, text) = match change {
            Change::Keep(at) => (raws.get(*at) == Some(found), raws[*at].text.as_str()),
            Change::Set(_, entry) | Change::New(entry) => {
                let named = [found.names.id.as_ref(), found.names.name.as_ref()].into_iter().flatten();
                let is_it = |name: &String| name == entry.id.as_str() || *name == entry.name;
                (found.on && named.into_iter().any(is_it), entry.id.as_str())
            }
        };
        if !right {
            return Err(Unmeant::Entry { meant: text.to_owned(), found: found.text.clone() });
        }
    }
    Ok(())
}

/// An entry that is to be in a file.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Wanted {
    /// What tells it apart, as in [`Placing`](super::Placing).
    pub key: String,
    /// Its text.
    pub text: String,
    /// Whether it takes the place of one that says something else.
    pub replaces: bool,
}
