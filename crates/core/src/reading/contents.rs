//! What a mod holds, whether it is an archive, a folder or one opaque file.

use crate::limits;
use crate::survey::Member;

/// Why a member can't be read.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("`{member}` in it can't be read: {reason}")]
pub struct ContentsError {
    /// The member.
    pub member: String,
    /// Why not.
    pub reason: String,
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

    /// The bytes of a document, at most [`limits::DOCUMENT_BYTES`] of them.
    ///
    /// # Errors
    /// As [`Contents::read_up_to`].
    fn read(&mut self, member: &str) -> Result<Option<Vec<u8>>, ContentsError> {
        self.read_up_to(member, limits::DOCUMENT_BYTES)
    }
}

/// A mod that is one opaque file: nothing to look into.
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
