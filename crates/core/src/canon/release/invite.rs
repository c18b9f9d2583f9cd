//! The invite: one line of text that says where a release is, and which root it must be signed by.

use std::fmt;

use crate::base::digest::Blake3;
use crate::base::path::printable;

/// What stands between the address and what it must be signed by.
const MARK: &str = "#kanon-";
/// How long a fingerprint is.
const DIGITS: usize = 64;

/// Where a release is, and what it must be signed by.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Invite {
    /// The address of the folder that holds it.
    pub address: String,
    /// Which root the fingerprint is of.
    pub root: u64,
    /// The digest of that root's file.
    pub fingerprint: Blake3,
}

/// Why a text is no invite.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum InviteError {
    /// Nothing in it looks like one.
    #[error("`{0}` is no invite: it has no {MARK}… behind the address")]
    NotOne(String),
    /// Its end is not all there.
    #[error("the invite is cut off: {0} of {DIGITS} signs of its fingerprint are there")]
    Cut(usize),
    /// Its end is longer, or has signs that none has.
    #[error("the end of the invite is not as it was written: {0}")]
    Mangled(String),
}

impl Invite {
    /// An invite to a release at an address.
    pub fn new(address: &str, root: u64, fingerprint: Blake3) -> Self {
        let is_page = address.starts_with("http://") || address.starts_with("https://");
        // Whoever opens it in a browser comes to the page, whose links are relative.
        let end = if is_page && !address.ends_with('/') { "/" } else { "" };
        Self { address: format!("{}{end}", address.trim()), root, fingerprint }
    }

    /// Whether a text is meant as an invite.
    pub fn is_meant(text: &str) -> bool {
        joined(text).contains(MARK)
    }

    /// Reads an invite. Chats and mails put blanks, line ends, brackets and quotes around or into it; those are passed over.
    ///
    /// # Errors
    /// When it is none, or not whole.
    pub fn parse(text: &str) -> Result<Self, InviteError> {
        let text = joined(text);
        let not_one = || InviteError::NotOne(printable(text.trim()));
        let (address, end) = text.rsplit_once(MARK).ok_or_else(not_one)?;
        let address = address.trim_start_matches(|c: char| c.is_whitespace() || "<\"'(`".contains(c));
        let end: String = end.chars().filter(|c| !c.is_whitespace()).collect();
        let end = end.trim_end_matches(|c: char| !c.is_ascii_hexdigit());
        let mangled = || InviteError::Mangled(printable(end));
        let (root, digits) = end.split_once('-').ok_or_else(mangled)?;
        let root = root.parse().ok().filter(|root| *root > 0).ok_or_else(mangled)?;
        if digits.len() < DIGITS && digits.chars().all(|c| c.is_ascii_hexdigit()) {
            return Err(InviteError::Cut(digits.len()));
        }
        let fingerprint = digits.to_ascii_lowercase().parse().map_err(|_| mangled())?;
        if address.is_empty() {
            return Err(not_one());
        }
        Ok(Self { address: address.to_owned(), root, fingerprint })
    }
}

/// A line that a mail broke, in one again. In an address a blank never belongs; in a folder's name it may.
fn joined(text: &str) -> String {
    match text.contains("://") {
        true => text.chars().filter(|c| !c.is_whitespace()).collect(),
        false => text.to_owned(),
    }
}

impl fmt::Display for Invite {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}{MARK}{}-{}", self.address, self.root, self.fingerprint)
    }
}
