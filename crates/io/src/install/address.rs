//! The address of an install on a host: `ftp://`, `ftps://` or `sftp://`, never with a password in it.

use std::fmt;

use percent_encoding::percent_decode_str;
use url::Url;

use crate::error::AddressError;

/// How a host is reached.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Scheme {
    /// FTP in the clear.
    Ftp,
    /// FTP over TLS: from the first byte on port 990, else by asking for it.
    Ftps,
    /// SFTP, over SSH.
    Sftp,
}

/// The address of an install.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Address {
    /// How it is reached.
    pub scheme: Scheme,
    /// Who logs in, if it says so.
    pub user: Option<String>,
    /// The host, without brackets.
    pub host: String,
    /// The port.
    pub port: u16,
    /// The install's folder: absolute, or from the folder where a login begins.
    pub folder: Folder,
}

/// Where on the host an install is.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Folder {
    /// From the host's root.
    Absolute(String),
    /// From the folder where a login begins; empty for that folder itself.
    Home(String),
}

/// The port where TLS begins with the first byte.
const IMPLICIT_TLS: u16 = 990;

impl Scheme {
    /// What an address begins with.
    pub const fn as_str(self) -> &'static str {
        match self {
            Self::Ftp => "ftp",
            Self::Ftps => "ftps",
            Self::Sftp => "sftp",
        }
    }

    const fn port(self) -> u16 {
        match self {
            Self::Ftp | Self::Ftps => 21,
            Self::Sftp => 22,
        }
    }
}

impl Address {
    /// Whether a text is meant as an address.
    pub fn is_meant(text: &str) -> bool {
        text.contains("://")
    }

    /// Reads an address.
    ///
    /// # Errors
    /// When it is none, has a password in it, or leads out of where it begins.
    pub fn parse(text: &str) -> Result<Self, AddressError> {
        let url = Url::parse(text).map_err(|error| AddressError::Malformed(error.to_string()))?;
        let scheme = [Scheme::Ftp, Scheme::Ftps, Scheme::Sftp].into_iter().find(|s| s.as_str() == url.scheme());
        let scheme = scheme.ok_or_else(|| AddressError::Scheme(url.scheme().to_owned()))?;
        if url.password().is_some() {
            return Err(AddressError::Password);
        }
        if let Some(part) = url.query().map(|_| '?').or_else(|| url.fragment().map(|_| '#')) {
            return Err(AddressError::Part(part));
        }
        let host = url.host_str().filter(|host| !host.is_empty());
        let host = host.ok_or_else(|| AddressError::Malformed("it names no host".to_owned()))?;
        let host = host.trim_start_matches('[').trim_end_matches(']').to_owned();
        let user = Some(decoded(url.username())?).filter(|user| !user.is_empty());
        // An address resolves its own `..`, and is then another one than was written.
        let plain = percent_decode_str(text).decode_utf8_lossy();
        if plain.split(['/', '\\']).any(|part| part == "..") {
            return Err(AddressError::Path);
        }
        let port = url.port().unwrap_or_else(|| scheme.port());
        Ok(Self { scheme, user, host, port, folder: folder(url.path())? })
    }

    /// Whether TLS begins with the first byte.
    pub const fn is_tls_at_once(&self) -> bool {
        matches!(self.scheme, Scheme::Ftps) && self.port == IMPLICIT_TLS
    }

    /// The host with its port, where that is not the usual one.
    pub fn authority(&self) -> String {
        let host = if self.host.contains(':') { format!("[{}]", self.host) } else { self.host.clone() };
        if self.port == self.scheme.port() { host } else { format!("{host}:{}", self.port) }
    }
}

fn folder(path: &str) -> Result<Folder, AddressError> {
    let path = decoded(path.trim_end_matches('/'))?;
    match path.strip_prefix("/~") {
        Some(home) if home.is_empty() || home.starts_with('/') => {
            Ok(Folder::Home(home.trim_start_matches('/').to_owned()))
        }
        _ => Ok(Folder::Absolute(path)),
    }
}

/// A part of an address with its `%` signs resolved; the result goes to hosts in lines of text.
fn decoded(text: &str) -> Result<String, AddressError> {
    let plain = percent_decode_str(text).decode_utf8().map_err(|error| AddressError::Malformed(error.to_string()))?;
    let is_bad = plain.chars().any(|c| c.is_control() || c == '\\') || plain.split('/').any(|part| part == "..");
    if is_bad { Err(AddressError::Path) } else { Ok(plain.into_owned()) }
}

impl fmt::Display for Address {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let user = self.user.as_ref().map(|user| format!("{user}@")).unwrap_or_default();
        let folder = match &self.folder {
            Folder::Absolute(path) => path.clone(),
            Folder::Home(path) if path.is_empty() => "/~".to_owned(),
            Folder::Home(path) => format!("/~/{path}"),
        };
        write!(f, "{}://{user}{}{folder}", self.scheme.as_str(), self.authority())
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case("sftp://mara@longnight.example/srv/game/", "sftp://mara@longnight.example/srv/game", 22)]
    #[case("ftp://longnight.example", "ftp://longnight.example", 21)]
    #[case("ftps://longnight.example:990/~", "ftps://longnight.example:990/~", 990)]
    #[case("sftp://[::1]:2200/~/game%20one", "sftp://[::1]:2200/~/game one", 2200)]
    #[case("ftp://mara@h/a=b+c&d", "ftp://mara@h/a=b+c&d", 21)]
    fn addresses_are_read_and_shown(#[case] text: &str, #[case] shown: &str, #[case] port: u16) {
        let address = Address::parse(text).expect("an address");
        assert_eq!((address.to_string().as_str(), address.port), (shown, port));
    }

    #[rstest]
    #[case("sftp://mara:secret@h/", AddressError::Password)]
    #[case("http://h/", AddressError::Scheme("http".to_owned()))]
    #[case("ftp://h/a/../b", AddressError::Path)]
    #[case("ftp://h/a/%2E%2e/b", AddressError::Path)]
    #[case("ftp://h/a%0d%0aDELE x", AddressError::Path)]
    #[case("ftp://h/a?b", AddressError::Part('?'))]
    fn bad_addresses_are_refused(#[case] text: &str, #[case] expected: AddressError) {
        assert_eq!(Address::parse(text), Err(expected));
    }
}
