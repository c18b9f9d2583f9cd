//! The canon: the one agreed set, sealed by digest, as it is written to `canon.json`.

pub mod release;

use std::collections::BTreeSet;

use serde::{Deserialize, Serialize};

use crate::base::digest::{Blake3, Sha256};
use crate::base::format::{self, NotOfFormat};
use crate::base::ids::FoldedId;
use crate::base::names::{KeyName, ShelfName};
use crate::base::path::{InstallPath, printable};
use crate::manifest::{Member, ModManifest, beside_reading};
use crate::rulebook::{NeededOn, Role, Shelf};
use crate::survey::{Survey, SurveyError, SurveyedMod};

/// The first field of every canon.
pub const FORMAT: &str = "kanon-canon/1";

/// The last field of every canon: the digest of what stands before it.
const SEAL: &str = "seal";

/// What a canon says that it is known again by.
#[derive(Deserialize)]
struct Sealed {
    #[serde(default)]
    seal: Option<Blake3>,
}

/// The agreed set.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Canon {
    /// `kanon-canon/1`.
    pub format: String,
    /// What the administrator calls it.
    pub name: String,
    /// The game.
    pub game: String,
    /// The rulebook it was sealed with, by the digest of its file.
    pub rulebook: Blake3,
    /// The game version that everybody must have.
    pub game_version: Option<String>,
    /// The loader version that everybody must have.
    pub loader_version: Option<String>,
    /// The version of what the game runs on that everybody must have.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub runtime_version: Option<String>,
    /// What was wished for when it was sealed, as a digest: whether the wishes have changed since.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub wishes: Option<Blake3>,
    /// The mods, by load position.
    pub mods: Vec<SealedMod>,
    /// The public keys that the mods bring, by name.
    #[serde(default)]
    pub keys: Vec<SealedKey>,
    /// What each mod list says, in its order, before anything optional.
    #[serde(default)]
    pub lists: Vec<SealedList>,
    /// The settings that must have a value.
    #[serde(default)]
    pub settings: Vec<SealedSetting>,
    /// So many bytes of memory a server must be given at least, by the administrator's word.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub memory: Option<u64>,
}

beside_reading!(FlatSealedMod => SealedMod {
    shelf: ShelfName,
    name: String,
    position: usize,
    digest: Blake3,
    files: Vec<SealedFile>,
    #[serde(default)]
    members: Vec<Member>,
    #[serde(default)]
    members_total: usize,
    #[serde(default)]
    same_settings: bool,
});

/// One mod of the canon.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(from = "FlatSealedMod")]
pub struct SealedMod {
    /// What was read from the mod itself; where it is needed is the wish's word, if it has one.
    #[serde(flatten)]
    pub manifest: ModManifest,
    /// The shelf it belongs on.
    pub shelf: ShelfName,
    /// What its file or folder is called.
    pub name: String,
    /// Its place in the load order, from one.
    pub position: usize,
    /// One digest for all of it.
    pub digest: Blake3,
    /// Its files, from the shelf's folder.
    pub files: Vec<SealedFile>,
    /// For an archive: its members, as its directory tells.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub members: Vec<Member>,
    /// How many members there are.
    #[serde(default)]
    pub members_total: usize,
    /// Whether its settings are to be everybody's too, and not of whoever plays.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub same_settings: bool,
}

/// A public key of the canon.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
pub struct SealedKey {
    /// Its name, without its extension.
    pub name: KeyName,
    /// The digest of its bytes.
    pub blake3: Blake3,
    /// Its size in bytes.
    pub size: u64,
    /// What its file is called.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub file: String,
    /// The mods that bring it.
    pub mods: Vec<FoldedId>,
}

impl SealedKey {
    /// What its file is called in a key folder.
    pub fn file_name(&self) -> &str {
        if self.file.is_empty() { &self.name } else { &self.file }
    }
}

/// What a mod list says by the canon.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct SealedList {
    /// What the rulebook calls it.
    pub name: String,
    /// The side that it is for.
    pub of: Role,
    /// Its entries as they are written, without those that are no mods'.
    pub entries: Vec<String>,
}

/// A setting that must have a value.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct SealedSetting {
    /// What the rulebook, or `kanon.toml`, calls it.
    pub name: String,
    /// Whose it is; both sides' when not said.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub of: Option<Role>,
    /// The value, with the facts of `kanon.toml` filled in. What still stands in braces is another setting, or what a place
    /// with a `*` is called.
    pub is: String,
}

/// One file of a sealed mod.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct SealedFile {
    /// From the shelf's folder.
    pub path: InstallPath,
    /// Its size in bytes.
    pub size: u64,
    /// What Kanon compares by.
    pub blake3: Blake3,
    /// What other programs compare by; absent only in a reference made of a survey.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub sha256: Option<Sha256>,
}

impl SealedFile {
    /// Its path inside of the mod; nothing for the one file that a mod may be.
    pub fn inner(&self) -> Option<&str> {
        self.path.as_str().split_once('/').map(|(_, inner)| inner)
    }
}

/// Hashes what is written, so that none of it has to be kept.
struct Hashing(blake3::Hasher);

impl std::io::Write for Hashing {
    fn write(&mut self, bytes: &[u8]) -> std::io::Result<usize> {
        self.0.update(bytes);
        Ok(bytes.len())
    }

    fn flush(&mut self) -> std::io::Result<()> {
        Ok(())
    }
}

/// Whether a canon ends with its seal, and the bytes before are those that it was made of: nothing else need be asked then.
fn is_as_written(bytes: &[u8]) -> bool {
    let length = end_with(Blake3::of(b"")).len();
    let Some((body, end)) = bytes.len().checked_sub(length).map(|at| bytes.split_at(at)) else { return false };
    let mut hasher = blake3::Hasher::new();
    hasher.update(body).update(b"\n}");
    end == end_with(Blake3::from_bytes(*hasher.finalize().as_bytes())).as_bytes()
}

/// What a canon ends with, of one length for every seal.
fn end_with(seal: Blake3) -> String {
    format!(",\n  \"{SEAL}\": \"{seal}\"\n}}\n")
}

impl Canon {
    /// The canon as it is written: the same bytes for the same set.
    ///
    /// # Errors
    /// Never for a canon made by this program.
    pub fn to_json(&self) -> Result<String, serde_json::Error> {
        let json = serde_json::to_string_pretty(self)?;
        // Last stands what the rest is known again by: a canon that was edited or cut since says so itself.
        let (body, seal) = (json.trim_end_matches("\n}"), Blake3::of(json.as_bytes()));
        Ok(body.to_owned() + &end_with(seal))
    }

    /// Reads a canon. Paths and digests are checked on the way in.
    ///
    /// # Errors
    /// When it is too large, of another format, or holds anything that a canon can't.
    pub fn from_json(bytes: &[u8]) -> Result<Self, SurveyError> {
        if bytes.len() as u64 > crate::base::limits::SURVEY_BYTES {
            return Err(SurveyError::TooLarge);
        }
        let canon = format::read(bytes, FORMAT, |canon: &Self| &canon.format).map_err(|why| match why {
            NotOfFormat::Other(found) => SurveyError::Format { found, reads: FORMAT },
            NotOfFormat::Shape(why) => SurveyError::NoCanon(why),
        })?;
        if is_as_written(bytes) {
            return Ok(canon);
        }
        let Sealed { seal } =
            serde_json::from_slice(bytes).map_err(|error| SurveyError::NoCanon(printable(&error.to_string())))?;
        // Canons of older programs have no seal.
        match seal {
            Some(seal) if seal != canon.own_seal()? => Err(SurveyError::Altered),
            _ => Ok(canon),
        }
    }

    fn own_seal(&self) -> Result<Blake3, SurveyError> {
        let mut hasher = Hashing(blake3::Hasher::new());
        serde_json::to_writer_pretty(&mut hasher, self).map_err(|error| SurveyError::NoCanon(error.to_string()))?;
        Ok(Blake3::from_bytes(*hasher.0.finalize().as_bytes()))
    }

    /// Takes an install as the measure of another, where there is no canon.
    pub fn from_survey(survey: &Survey) -> Self {
        let mut mods: Vec<SealedMod> = Vec::new();
        for found in survey.mods.iter().filter(|found| found.enabled && found.manifest.made_for.is_none()) {
            if !mods.iter().any(|known| known.manifest.id == found.manifest.id) {
                mods.push(SealedMod::from_surveyed(found, mods.len() + 1));
            }
        }
        Self {
            format: FORMAT.to_owned(),
            name: survey.install.name.clone().into(),
            game: survey.install.game.clone(),
            rulebook: Blake3::of(b""),
            game_version: survey.install.game_version.clone(),
            loader_version: survey.install.loader_version.clone(),
            runtime_version: survey.install.runtime_version.clone(),
            wishes: None,
            mods,
            keys: Vec::new(),
            lists: Vec::new(),
            settings: Vec::new(),
            memory: None,
        }
    }
}

impl Canon {
    /// The digests of the public keys that a mod brings.
    pub fn keys_of(&self, id: &str) -> BTreeSet<Blake3> {
        let brings = |key: &&SealedKey| key.mods.iter().any(|own| own == id);
        self.keys.iter().filter(brings).map(|key| key.blake3).collect()
    }
}

impl Canon {
    /// The canon with some of its mods alone, by their ids: what they bring goes along, and what only others bring does not.
    pub fn only(&self, ids: &BTreeSet<FoldedId>) -> Self {
        let mut canon = self.clone();
        let stays = |id: &FoldedId| ids.contains(id);
        canon.mods.retain(|sealed| stays(&sealed.manifest.id));
        canon.keys.retain(|key| key.mods.iter().any(stays));
        canon
    }
}

impl SealedMod {
    /// Takes a mod as it was found, at a position in the load order, without SHA-256 digests.
    pub fn from_surveyed(found: &SurveyedMod, position: usize) -> Self {
        let below = |path: &InstallPath| path.below(&found.place).and_then(|below| InstallPath::new(below).ok());
        let files = found.files.iter().filter_map(|file| {
            let path = match &file.beside {
                Some(called) => InstallPath::new(&called.of(&found.name)).ok()?,
                None => enabled_path(found, &below(&file.path)?)?,
            };
            Some(SealedFile { path, size: file.size, blake3: file.blake3, sha256: None })
        });
        Self {
            manifest: found.manifest.clone(),
            shelf: found.shelf.clone(),
            name: found.name.clone(),
            position,
            digest: found.digest,
            files: files.collect(),
            members: found.members.clone(),
            members_total: found.members_total,
            same_settings: false,
        }
    }

    /// Whether a mod that was found has the bytes that were sealed. What belongs to whoever plays may be anything, unless the
    /// set says that it is everybody's.
    pub fn has_bytes_of(&self, found: &SurveyedMod, shelf: &Shelf) -> bool {
        let is_there = |inner: &str, blake3: Blake3| {
            found.files.iter().any(|file| file.blake3 == blake3 && file.path.below(&found.path) == Some(inner))
        };
        let settings = self.files.iter().filter_map(|file| Some((file.inner()?, file.blake3)));
        let mut settings = settings.filter(|(inner, _)| shelf.is_setting(inner));
        found.digest == self.digest && (!self.same_settings || settings.all(|(inner, blake3)| is_there(inner, blake3)))
    }

    /// The version, or a word for its absence.
    pub fn version_or_dash(&self) -> &str {
        self.manifest.version.as_deref().unwrap_or("-")
    }

    /// Where it is needed.
    pub const fn needed_on(&self) -> NeededOn {
        self.manifest.needed_on
    }

    /// The bytes of its files.
    pub fn bytes(&self) -> u64 {
        self.files.iter().map(|file| file.size).sum()
    }
}

/// A file's path below the shelf's folder, with the name that the mod has when enabled.
fn enabled_path(found: &SurveyedMod, below: &InstallPath) -> Option<InstallPath> {
    let own = found.path.below(&found.place)?;
    let rest = below.as_str().strip_prefix(own)?;
    InstallPath::new(&format!("{}{rest}", found.name)).ok()
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    fn written() -> String {
        let mut canon = Canon::from_survey(&Survey::empty(crate::survey::InstallFacts {
            name: "hall".into(),
            role: Role::Server,
            game: "Tallowfen".to_owned(),
            game_version: None,
            loader_version: None,
            runtime_version: None,
        }));
        canon.lists.push(SealedList { name: "loads".to_owned(), of: Role::Server, entries: vec!["reed".to_owned()] });
        canon.to_json().expect("a text")
    }

    #[rstest]
    #[case::as_it_was_written("", "", true)]
    #[case::with_the_line_ends_of_another_system("\n", "\r\n", true)]
    #[case::further_in("  ", "\t", true)]
    #[case::another_entry("\"reed\"", "\"peat\"", false)]
    #[case::an_entry_more("\"reed\"", "\"reed\", \"peat\"", false)]
    #[case::the_digest_of_another("\"seal\": \"", "\"seal\": \"0", false)]
    fn a_canon_is_known_again(#[case] what: &str, #[case] by: &str, #[case] is_the_same: bool) {
        let text = written();
        let text = if what.is_empty() { text } else { text.replace(what, by) };
        assert_eq!(Canon::from_json(text.as_bytes()).is_ok(), is_the_same, "{text}");
    }

    /// The digest at the end is that of the bytes before it, and still stands for what they say.
    #[test]
    fn a_seal_that_fits_its_bytes_is_none_of_an_altered_canon() {
        let text = written();
        let (body, _) = text.split_once(",\n  \"seal\"").expect("a seal");
        let digest = Blake3::of(format!("{}\n}}", body.replace("reed", "peat")).as_bytes());
        let altered = |seal: Blake3| format!("{body},\n  \"seal\": \"{seal}\"\n}}\n");
        assert!(matches!(Canon::from_json(altered(digest).as_bytes()), Err(SurveyError::Altered)));
    }
}
