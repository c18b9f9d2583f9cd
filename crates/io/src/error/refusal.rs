//! Why a release is not believed.

/// Why a release is not believed.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum Refusal {
    /// There is none.
    #[error("there is no release at this address")]
    Nothing,
    /// Its root is another than the invite's.
    #[error("it is not the release of your invite: its root has the fingerprint {0}")]
    NotInvited(String),
    /// A signature is missing or wrong.
    #[error("the signature of its {0} is wrong: somebody changed it who has not the keys for it")]
    WrongSignature(String),
    /// Older than what was seen already.
    #[error("its {0} is older than the one that was here before: somebody put an old release back")]
    Older(String),
    /// Its signatures have ended.
    #[error("the signature of its {0} has ended: newer releases are held back, or none was published for long")]
    Ended(String),
    /// A part is not among what was signed.
    #[error("its parts are of different releases: {0} is not among what was signed")]
    Unsigned(String),
    /// A part is not there.
    #[error("its parts are of different releases: {0} is not there")]
    Lacking(String),
    /// Parts of different releases.
    #[error("its parts are of different releases: {0}")]
    Mixed(String),
    /// A file is not the one that was signed.
    #[error("{0} is another file than the one that was signed")]
    OtherFile(String),
    /// More came than any release has.
    #[error("{0} is no honest file: more came than was promised, or than any release has")]
    Endless(String),
    /// The clock of this machine went back.
    #[error(
        "the clock of this machine shows an earlier time than when it was last here, so it is wrong now, or was wrong then"
    )]
    Clock,
    /// Something in it can't be read.
    #[error("its {what} can't be read: {why}")]
    Garbled {
        /// Which part.
        what: String,
        /// Why not.
        why: String,
    },
}
