//! What people are asked.

use kanon_core::base::path::printable;
use kanon_io::install::HostKey;

/// May mods that others need be taken off?
pub const TAKE_OFF_NEEDED: &str = "Take them off all the same?";
/// May a password be kept?
pub const KEEP_PASSWORD: &str = "Keep it in the system's key ring?";

/// What is this install?
pub fn role_of(typed: &str) -> String {
    format!("What is {typed}?")
}

/// The password of an account.
pub fn password(account: &str) -> String {
    format!("Password for {account}")
}

/// The passphrase of a private key.
pub fn passphrase(key: &std::path::Path) -> String {
    format!("Passphrase of the key {}", key.display())
}

/// Is this the key of that host?
pub fn host_key(key: &HostKey) -> String {
    format!(
        "Nobody here has seen the host {} before. It shows the key\n  {}\nIf you can, compare it with what your hoster says. Is it the right one?",
        printable(&key.host),
        printable(&key.fingerprint)
    )
}
