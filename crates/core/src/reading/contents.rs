//! What a mod holds, whether it is an archive, a folder or one opaque file.

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

    /// The bytes of one file, at most [`crate::limits::DOCUMENT_BYTES`] of them; `None` when it is not there.
    ///
    /// # Errors
    /// When it is there and can't be read, or is larger than that.
    fn read(&mut self, member: &str) -> Result<Option<Vec<u8>>, ContentsError>;
}

/// A mod that is one opaque file: nothing to look into.
#[derive(Debug, Clone, Copy, Default)]
pub struct NoContents;

impl Contents for NoContents {
    fn members(&self) -> &[Member] {
        &[]
    }

    fn read(&mut self, _: &str) -> Result<Option<Vec<u8>>, ContentsError> {
        Ok(None)
    }
}
