//! A wish that is met, and what there was before.

use crate::base::act::Act;
use crate::base::digest::Blake3;
use crate::base::finding::{Code, Finding, Severity};
use crate::base::ids::FoldedId;
use crate::base::names::KeyName;
use crate::base::stated::Stated;
use crate::canon::{Canon, SealedKey, SealedMod};
use crate::rulebook::NeededOn;
use crate::survey::SurveyedKey;

/// A wish met: the sealed mod, without SHA-256 digests yet, and where its bytes were found.
#[derive(Debug, Clone, PartialEq)]
pub struct Pick {
    /// The mod as it will be sealed.
    pub sealed: SealedMod,
    /// The install or source whose copy was taken; none for one kept from the last canon.
    pub place: Option<String>,
    /// The public keys that it brings.
    pub keys: Vec<BroughtKey>,
    /// Where it says itself that it is needed.
    pub says: NeededOn,
}

/// A public key that a mod brings.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub struct BroughtKey {
    /// Its name.
    pub name: KeyName,
    /// The digest of its bytes.
    pub blake3: Blake3,
    /// Their number.
    pub size: u64,
    /// What its file is called.
    pub file: String,
}

impl BroughtKey {
    pub(super) fn of_survey(key: &SurveyedKey) -> Self {
        let file = key.path.name().to_owned();
        Self { name: key.name.clone(), blake3: key.blake3, size: key.size, file }
    }

    pub(super) fn of_canon(key: &SealedKey) -> Self {
        Self { name: key.name.clone(), blake3: key.blake3, size: key.size, file: key.file.clone() }
    }
}

/// What there was before: the last canon, and the order in which the server's list has its mods.
#[derive(Debug, Clone, Copy, Default)]
pub struct Standing<'a> {
    /// The last canon.
    pub last: Option<&'a Canon>,
    /// Ids in the order of the server's own list.
    pub listed: &'a [FoldedId],
    /// Ids of mods whose other bytes under the release that was sealed are meant.
    pub accepted: &'a [String],
    /// Copies that are no whole mods, and so no candidates.
    pub damaged: &'a [Damaged],
}

/// A copy of a mod that is torn, altered or wrongly signed.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Damaged {
    /// The mod.
    pub id: FoldedId,
    /// Its version, as it says.
    pub version: Option<String>,
    /// The install or source that has it.
    pub place: String,
    /// Where it lies there.
    pub path: String,
    /// What is wrong with it.
    pub why: String,
}

impl Damaged {
    /// What is told of it.
    pub fn finding(&self) -> Finding {
        Finding::new(Code::Unreadable, Act::PutWholeCopy)
            .about(&self.id)
            .at(&self.path)
            .expected(Stated::AsMade(self.id.clone()))
            .found(Stated::DamagedIn { place: self.place.clone(), why: self.why.clone() })
            .severity(Severity::Blocking)
    }
}
