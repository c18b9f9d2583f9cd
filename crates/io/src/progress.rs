//! Progress, told to whoever wants to draw it.

/// Hears how far a long work is.
pub trait Progress: Sync {
    /// Work of that many bytes lies ahead.
    fn ahead(&self, bytes: u64);
    /// That many bytes are done.
    fn done(&self, bytes: u64);
}

/// Hears nothing.
#[derive(Debug, Clone, Copy, Default)]
pub struct Silent;

impl Progress for Silent {
    fn ahead(&self, _: u64) {}
    fn done(&self, _: u64) {}
}
