//! What goes wrong between here and a host.

use displaydoc::Display;

/// Why a host can't be worked with.
#[derive(Debug, thiserror::Error)]
pub enum HostError {
    /// The address is none.
    #[error("{address} can't be used: {source}")]
    Address {
        /// As it was written, without what looks like a password.
        address: String,
        /// Why not.
        source: AddressError,
    },
    /// Nothing answers there, or not in the way it should.
    #[error("{address} can't be reached: {reason}")]
    Unreachable {
        /// The address.
        address: String,
        /// Why not.
        reason: Unanswered,
    },
    /// It lets nobody in with what we have.
    #[error("{address} does not let `{user}` in; {}", .tried.iter().map(ToString::to_string).collect::<Vec<_>>().join("; "))]
    Login {
        /// The address.
        address: String,
        /// Who tried.
        user: String,
        /// With what.
        tried: Vec<LoginAttempt>,
    },
    /// Nobody has said yet that this is the right host.
    #[error("the host {host} shows a key that nobody here has seen before: {fingerprint}")]
    UnknownKey {
        /// The host.
        host: String,
        /// The fingerprint of its key.
        fingerprint: String,
    },
    /// It is another host than before, or somebody stands in between.
    #[error(
        "the host {host} shows another key than before; nothing was sent to it; the key that is known is {known}, and it shows {fingerprint}"
    )]
    ChangedKey {
        /// The host.
        host: String,
        /// The fingerprint that is known.
        known: String,
        /// The one that it shows now.
        fingerprint: String,
    },
}

/// Why an address can't be used.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum AddressError {
    /// It is no address.
    #[error("it is no address: {0}")]
    Malformed(String),
    /// Nothing here speaks that.
    #[error("installs can't be reached by {0}://, only by ftp://, ftps:// and sftp://")]
    Scheme(String),
    /// It has a password in it.
    #[error("it has a password in it, where everybody can read it")]
    Password,
    /// It has a part that means nothing here.
    #[error("it has a `{0}`, which means nothing in the address of an install")]
    Part(char),
    /// Its path leads out, or can't be a path.
    #[error("its path has a `..`, a line end or a backslash in it")]
    Path,
}

/// Why a host does not answer as it should.
#[derive(Debug, Clone, PartialEq, Eq, Display)]
pub enum Unanswered {
    /// {0}
    Told(String),
    /// the host says: {0}
    Says(String),
    /// its folder can't be listed: {0}
    Folder(String),
    /// its listing can't be understood: {0}
    Listing(String),
    /// no SFTP is spoken there: {0}
    NoSftp(String),
    /// no threads to work with: {0}
    NoThreads(String),
}

/// What was tried to be let in.
#[derive(Debug, Clone, PartialEq, Eq, Display)]
pub enum LoginAttempt {
    /// no password was given
    NoPassword,
    /// the password is wrong
    WrongPassword,
    /// the key agent does not answer
    SilentAgent,
    /// {0} keys of the agent
    AgentKeys(usize),
    /// the key {0}
    Key(String),
    /// the key {0} wants a passphrase
    LockedKey(String),
    /// the key {0} can't be read ({1})
    UnreadKey(String, String),
}
