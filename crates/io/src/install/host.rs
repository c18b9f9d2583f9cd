//! What goes wrong between here and a host.

use super::address::AddressError;

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
        reason: String,
    },
    /// It lets nobody in with what we have.
    #[error("{address} does not let `{user}` in; {tried}")]
    Login {
        /// The address.
        address: String,
        /// Who tried.
        user: String,
        /// With what.
        tried: String,
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
