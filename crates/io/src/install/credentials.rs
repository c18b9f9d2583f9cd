//! Who stands at the door of a host: knows logins, and which host keys are the right ones; asks a person otherwise.

use std::fmt;
use std::path::{Path, PathBuf};

/// A password. It can't be printed by accident.
#[derive(Clone)]
pub struct Secret(String);

impl Secret {
    /// Wraps a password.
    pub const fn new(text: String) -> Self {
        Self(text)
    }

    /// The password itself, to be handed to a host and to nobody else.
    pub fn reveal(&self) -> &str {
        &self.0
    }
}

impl fmt::Debug for Secret {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("Secret(…)")
    }
}

/// Who logs in, and with what beside a password.
#[derive(Debug, Clone, Default)]
pub struct Login {
    /// The user's name on the host.
    pub user: String,
    /// The socket of an agent that holds keys.
    pub agent: Option<PathBuf>,
    /// Files of private keys, tried in this order.
    pub keys: Vec<PathBuf>,
}

/// The key that a host shows: of its SSH server, or of its TLS certificate.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct HostKey {
    /// The host with its port.
    pub host: String,
    /// `SHA256:` and the digest in Base64 without padding, as SSH tools print it.
    pub fingerprint: String,
    /// What goes into a list of known SSH hosts; nothing for a certificate.
    pub ssh: Option<String>,
}

/// What is to be thought of a host's key.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Standing {
    /// It is the right one.
    Trusted,
    /// Nobody has said so.
    Unknown,
    /// Another one is known for this host.
    Changed {
        /// The fingerprint that is known.
        known: String,
    },
}

/// Stands at the door of one host.
pub trait Credentials: Send + Sync {
    /// Who logs in, and with what beside a password.
    fn login(&self) -> Login;

    /// The password; nothing if there is none to be had. The second time it is asked for, the first was wrong.
    fn password(&self, attempt: u32) -> Option<Secret>;

    /// The passphrase of a key's file.
    fn passphrase(&self, key: &Path) -> Option<Secret>;

    /// The password was right.
    fn welcomed(&self, password: &Secret);

    /// What is to be thought of a host's key. A person may be asked, once for each key.
    fn recognise(&self, key: &HostKey) -> Standing;
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_secret_does_not_show_itself() {
        let login = format!("{:?}", Secret::new("hunter2".to_owned()));
        assert!(!login.contains("hunter2"), "{login}");
    }
}
