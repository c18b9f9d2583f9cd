//! What a mod holds, whether it is an archive, a folder or one opaque file.

use crate::base::digest::DigestKind;
use displaydoc::Display;

use crate::base::limits;
use crate::manifest::Member;

/// Why a member can't be read.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("`{member}` in it can't be read: {reason}")]
pub struct ContentsError {
    /// The member.
    pub member: String,
    /// Why not.
    pub reason: Unread,
}

/// Why a member can't be read.
#[derive(Debug, Clone, PartialEq, Eq, Display)]
pub enum Unread {
    /// {0}
    Failed(String),
    /// it is larger than {0} MiB
    LargerThanMib(u64),
}

/// What a mod holds.
pub trait Contents {
    /// Its files, in its own order.
    fn members(&self) -> &[Member];

    /// The bytes of one file; `None` when it is not there.
    ///
    /// # Errors
    /// When it is there and can't be read, or is larger than `limit` bytes.
    fn read_up_to(&mut self, member: &str, limit: u64) -> Result<Option<Vec<u8>>, ContentsError>;

    /// The digest of the mod itself, where it is one file; `None` where it is not.
    ///
    /// # Errors
    /// When it can't be read.
    fn digest(&mut self, _: DigestKind) -> Result<Option<String>, ContentsError> {
        Ok(None)
    }

    /// The bytes of a document, at most [`limits::DOCUMENT_BYTES`] of them.
    ///
    /// # Errors
    /// As [`Contents::read_up_to`].
    fn read(&mut self, member: &str) -> Result<Option<Vec<u8>>, ContentsError> {
        self.read_up_to(member, limits::DOCUMENT_BYTES)
    }
}

/// The member by which a rulebook names the mod's own file, where the mod is one.
pub const ITSELF: &str = ".";

/// Nothing to look into: the mod is an id, or is not at hand.
#[derive(Debug, Clone, Copy, Default)]
pub struct NoContents;

impl Contents for NoContents {
    fn members(&self) -> &[Member] {
        &[]
    }

    fn read_up_to(&mut self, _: &str, _: u64) -> Result<Option<Vec<u8>>, ContentsError> {
        Ok(None)
    }
}
