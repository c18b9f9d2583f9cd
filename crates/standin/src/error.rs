//! Why a simulated program could not run.

/// Why a simulated program could not run.
#[derive(Debug, thiserror::Error)]
pub enum StandinError {
    /// It was called in a way that it does not know.
    #[error(
        "usage: server FOLDER LOG | client FOLDER PLAYER PORT [LOG] | hall FOLDER LOG | boat FOLDER PLAYER PORT [LOG] | layout FILE FOLDER | shop FOLDER [cut=BYTES|no-ranges|endless] | bulk MODS RELEASES FILE | world FOLDER | morning FOLDER | game NAME FOLDER | case SEED FOLDER [healthy]"
    )]
    Usage,
    /// Something on the machine failed.
    #[error("the simulated game failed at {what}")]
    Io {
        /// At what.
        what: String,
        /// Why.
        source: std::io::Error,
    },
}

impl StandinError {
    /// Something on the machine that failed at `what`.
    pub(crate) fn io(what: impl Into<String>) -> impl FnOnce(std::io::Error) -> Self {
        let what = what.into();
        move |source| Self::Io { what, source }
    }
}
