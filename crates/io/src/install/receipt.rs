//! The receipt on an install: what the last alignment put there, so that a quick check need not read it all again.

use std::collections::HashMap;
use std::io;

use kanon_core::base::digest::Blake3;
use kanon_core::base::limits;
use kanon_core::base::path::InstallPath;
use kanon_core::survey::Additions;
use serde::{Deserialize, Serialize};

use super::{FileFingerprint, Install};

/// Where it is on an install.
pub const RECEIPT: &str = ".kanon/receipt.json";
/// The first field of every receipt.
pub const RECEIPT_FORMAT: &str = "kanon-receipt/1";

/// What the last alignment put on an install.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Receipt {
    /// `kanon-receipt/1`.
    pub format: String,
    /// The digest of the canon.
    pub canon: Blake3,
    /// The files of the canon on this install.
    pub files: Vec<ReceiptFile>,
    /// What mods brought for the game's own files and folders.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub brought: Option<Additions>,
}

/// One file of a receipt.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct ReceiptFile {
    /// From the root of the install.
    pub path: InstallPath,
    /// Its size in bytes.
    pub size: u64,
    /// When its bytes changed, in nanoseconds since 1970 by the host's clock, as its listing told after the alignment.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub modified: Option<i64>,
    /// Its digest.
    pub blake3: Blake3,
}

/// What a receipt vouches for, by path.
#[derive(Debug, Clone, Default)]
pub struct Vouched(HashMap<String, (u64, i64, Blake3)>);

impl Receipt {
    /// Reads the receipt of an install; one that can't be understood vouches for nothing.
    ///
    /// # Errors
    /// When the install can't be read.
    pub fn read(install: &dyn Install) -> io::Result<Option<Self>> {
        let Ok(path) = InstallPath::new(RECEIPT) else { return Ok(None) };
        match install.document(&path, limits::SURVEY_BYTES) {
            Ok(bytes) => {
                Ok(serde_json::from_slice(&bytes).ok().filter(|receipt: &Self| receipt.format == RECEIPT_FORMAT))
            }
            Err(error) if error.kind() == io::ErrorKind::NotFound => Ok(None),
            Err(error) => Err(error),
        }
    }
}

impl Vouched {
    /// What a receipt vouches for.
    pub fn by(receipt: &Receipt) -> Self {
        let each = receipt.files.iter().filter_map(|file| Some((file, file.modified?)));
        Self(each.map(|(file, modified)| (file.path.to_string(), (file.size, modified, file.blake3))).collect())
    }

    /// The digest of a file that is still of that size and time.
    pub fn digest(&self, path: &InstallPath, stamp: FileFingerprint) -> Option<Blake3> {
        let (size, modified, digest) = self.0.get(path.as_str())?;
        ((*size, Some(*modified)) == (stamp.size, stamp.modified)).then_some(*digest)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_receipt_vouches_only_for_the_size_and_time_it_saw() {
        let (path, blake3) = (InstallPath::new("mods/a").expect("a path"), Blake3::of(b"a"));
        let file = |modified| ReceiptFile { path: path.clone(), size: 1, modified, blake3 };
        let vouched = |modified| {
            Vouched::by(&Receipt {
                format: RECEIPT_FORMAT.to_owned(),
                canon: blake3,
                files: vec![file(modified)],
                brought: None,
            })
        };
        let stamp = FileFingerprint { size: 1, modified: Some(7), changed: 0, inode: 0 };
        assert_eq!(vouched(Some(7)).digest(&path, stamp), Some(blake3));
        assert_eq!(vouched(Some(8)).digest(&path, stamp), None);
        assert_eq!(vouched(Some(7)).digest(&path, FileFingerprint { size: 2, ..stamp }), None);
        assert_eq!(vouched(None).digest(&path, stamp), None, "a receipt from before times were kept");
    }
}
