//! The measured record of one install: what `kanon survey` writes and what a player can send; and from what was measured of
//! lists and signatures to the mods that they are about.

mod file_problem;
mod known;
mod signed;

pub use file_problem::FileProblem;
pub use known::Known;
pub use signed::SignedNames;

use std::collections::{BTreeMap, HashMap};

use serde::{Deserialize, Serialize};

use crate::base::digest::Blake3;
use crate::base::format::{self, NotOfFormat};
use crate::base::ids::FoldedId;
use crate::base::limits;
use crate::base::names::{InstallName, KeyName, ShelfName};
use crate::base::path::InstallPath;
use crate::manifest::{Member, ModManifest, beside_reading};
use crate::rulebook::{BesideName, Names, Role, Shelf};

/// The first field of every survey.
pub const FORMAT: &str = "kanon-survey/1";

/// The measured record of one install.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Survey {
    /// `kanon-survey/1`.
    pub format: String,
    /// Which install it is.
    pub install: InstallFacts,
    /// The mods on its shelves, by shelf and path.
    pub mods: Vec<SurveyedMod>,
    /// Mods that lie near a shelf, where the game does not look.
    #[serde(default)]
    pub strays: Vec<SurveyedMod>,
    /// Mod lists and launch lines.
    #[serde(default)]
    pub lists: Vec<SurveyedList>,
    /// Public keys: those in the key ring, and those that mods bring.
    #[serde(default)]
    pub keys: Vec<SurveyedKey>,
    /// Settings that the rulebook speaks of.
    #[serde(default)]
    pub settings: Vec<SurveyedSetting>,
    /// How much memory the launch lines give.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub memory: Vec<SurveyedMemory>,
    /// What places that settings quote are called.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub quoted: BTreeMap<String, Vec<String>>,
    /// The game's own data files into which mods merge entries.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub data: Vec<SurveyedData>,
    /// Files outside the shelves that mods bring, or may bring.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub placed: Vec<PlacedFile>,
    /// What the last alignment put into data files and places outside the shelves.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub brought: Option<Additions>,
    /// Archives into which overlays are laid.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub bases: Vec<SurveyedBase>,
    /// Worlds.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub worlds: Vec<InstallPath>,
    /// The places of shelves that are known only when an install is looked at.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub places: BTreeMap<ShelfName, Vec<InstallPath>>,
    /// Files that would belong to a mod whose own file is not there.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub loose: Vec<SurveyedFile>,
    /// What could not be read.
    #[serde(default)]
    pub unreadable: Vec<Unreadable>,
}

/// Which install a survey is of.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct InstallFacts {
    /// Its name in the workspace, or its folder's.
    pub name: InstallName,
    /// Server or client.
    pub role: Role,
    /// The game whose rulebook it was read with.
    #[serde(default)]
    pub game: String,
    /// The game's version, where it could be found.
    pub game_version: Option<String>,
    /// The loader's version, where it could be found.
    pub loader_version: Option<String>,
    /// The runtime's version, where it could be found.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub runtime_version: Option<String>,
}

#[cfg(test)]
impl InstallFacts {
    /// An install of the game `g` of which nothing else is known.
    pub fn bare(name: &str, role: Role) -> Self {
        let (name, game) = (name.to_owned(), "g".to_owned());
        Self { name: name.into(), role, game, game_version: None, loader_version: None, runtime_version: None }
    }
}

/// A mod list or a launch line as it was found.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct SurveyedList {
    /// What the rulebook calls it.
    pub name: String,
    /// The file that holds it.
    pub file: InstallPath,
    /// Whether the order of its entries matters.
    #[serde(default)]
    pub ordered: bool,
    /// Its entries, in their order.
    pub entries: Vec<ListEntry>,
    /// Of a launch line: the option that they stand behind, where it is not spelt as the rulebook says.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub near: Option<String>,
    /// Why it can't be read.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub problem: Option<FileProblem>,
}

/// One entry of a list.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct ListEntry {
    /// The id of the mod that it names; its own text when it names none that is known.
    pub id: FoldedId,
    /// The version it asks for.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub version: Option<String>,
    /// The digest it asks for.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub digest: Option<String>,
    /// Whether it is switched on.
    pub on: bool,
    /// What it stands for.
    pub stands_for: StandsFor,
    /// Its text as it stands in the file.
    pub text: String,
}

/// What an entry of a list stands for.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum StandsFor {
    /// A mod of this install.
    Mod,
    /// The game, or something else that the rulebook says is none.
    Game,
    /// Nothing that is here.
    Nothing,
}

/// A public key.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct SurveyedKey {
    /// Its name, without its extension.
    pub name: KeyName,
    /// Its file.
    pub path: InstallPath,
    /// Its size in bytes.
    pub size: u64,
    /// The digest of its bytes.
    pub blake3: Blake3,
    /// The mod that brings it; none for one in the key ring.
    #[serde(default, skip_serializing_if = "Option::is_none", rename = "mod")]
    pub of_mod: Option<FoldedId>,
    /// Whether it is the game's own.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub own: bool,
    /// Why it is no key of the scheme.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub problem: Option<String>,
}

/// How much memory a launch line gives.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct SurveyedMemory {
    /// The file of the launch line.
    pub file: InstallPath,
    /// How many bytes it gives; nothing when it does not say.
    pub bytes: Option<u64>,
    /// Why it can't be read.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub problem: Option<FileProblem>,
}

/// A data file of the game into which mods merge entries.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct SurveyedData {
    /// The file.
    pub file: InstallPath,
    /// The entries that stand where those of mods do, in their order.
    pub entries: Vec<DataEntry>,
    /// Why it can't be read.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub problem: Option<FileProblem>,
}

/// An entry of a data file.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct DataEntry {
    /// What tells it apart, such as `good bell-small`.
    pub key: String,
    /// The digest of what it says.
    pub blake3: Blake3,
}

/// A file outside the shelves that a mod brings, or may bring.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct PlacedFile {
    /// Where it belongs.
    pub path: InstallPath,
    /// The digest of what is there; nothing when nothing is.
    pub blake3: Option<Blake3>,
}

/// What the last alignment put beside the shelves.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, PartialEq, Eq, Default, Serialize, Deserialize)]
pub struct Additions {
    /// Entries of data files.
    #[serde(default)]
    pub entries: Vec<AddedEntry>,
    /// Files outside the shelves.
    #[serde(default)]
    pub files: Vec<AddedFile>,
}

/// An entry that an alignment put into a data file.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct AddedEntry {
    /// The data file.
    pub file: InstallPath,
    /// What tells it apart.
    pub key: String,
    /// The digest of what it said.
    pub blake3: Blake3,
    /// The mod that brings it.
    #[serde(rename = "mod")]
    pub of_mod: FoldedId,
}

/// A file that an alignment put outside the shelves.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct AddedFile {
    /// Where.
    pub path: InstallPath,
    /// The digest of its bytes.
    pub blake3: Blake3,
    /// The mod that brings it.
    #[serde(rename = "mod")]
    pub of_mod: FoldedId,
}

/// Whether a signature fits.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Verdict {
    /// It was made over these bytes, with a key that is here.
    Good,
    /// It was not made over these bytes with the key of that name.
    Bad,
    /// No key that is here made it, and none bears the name of the one that did.
    UnknownKey,
    /// It is no signature of the scheme, or its key is no key.
    NoSignature,
}

/// A signed file of a mod, and its signature.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct SurveyedSignature {
    /// The signed file.
    pub payload: InstallPath,
    /// The signature, where there is one.
    pub signature: Option<InstallPath>,
    /// The name of the key, as the signature's name tells it.
    pub key: Option<KeyName>,
    /// Whether it fits, where the scheme is open.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub verdict: Option<Verdict>,
    /// The digest of the key that it was made with.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub made_with: Option<Blake3>,
    /// The digest of other bytes that it was made over, where those were seen before.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub made_over: Option<Blake3>,
    /// Why it is none.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub problem: Option<String>,
}

/// A setting as it was found.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct SurveyedSetting {
    /// What the rulebook calls it.
    pub name: String,
    /// The file that holds it.
    pub file: InstallPath,
    /// Its value; none when it is not there.
    pub value: Option<String>,
    /// Why it can't be read.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub problem: Option<FileProblem>,
}

/// A base archive, and what of the overlays is in it.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct SurveyedBase {
    /// The archive.
    pub path: InstallPath,
    /// Its size in bytes.
    pub size: u64,
    /// The digest of its bytes.
    pub blake3: Blake3,
    /// Each overlay of the shelf, in the order in which they are laid.
    pub overlays: Vec<LaidOverlay>,
    /// Members that this role must not have, and that are there.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub not_stripped: Vec<String>,
}

/// How much of an overlay is in the base archive.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct LaidOverlay {
    /// The overlay's id.
    pub id: FoldedId,
    /// How many of its members belong into the base.
    pub members: usize,
    /// Members that are there with these bytes, or with those of an overlay laid later.
    pub laid: usize,
    /// Members that are not there.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub missing: Vec<String>,
    /// Members that are there with other bytes.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub other: Vec<String>,
}

beside_reading!(FlatSurveyedMod => SurveyedMod {
    shelf: ShelfName,
    place: InstallPath,
    enabled: bool,
    path: InstallPath,
    name: String,
    digest: Blake3,
    files: Vec<SurveyedFile>,
    #[serde(default)]
    members: Vec<Member>,
    #[serde(default)]
    members_total: usize,
    #[serde(default)]
    signatures: Vec<SurveyedSignature>,
});

/// A mod as it was found on an install.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(from = "FlatSurveyedMod")]
pub struct SurveyedMod {
    /// What was read from the mod itself.
    #[serde(flatten)]
    pub manifest: ModManifest,
    /// The shelf it is on.
    pub shelf: ShelfName,
    /// Which of the shelf's places it is in.
    pub place: InstallPath,
    /// Whether the game will load it.
    pub enabled: bool,
    /// Its file or folder, from the root of the install.
    pub path: InstallPath,
    /// What it is called when enabled.
    pub name: String,
    /// One digest for all of it.
    pub digest: Blake3,
    /// Its files, from the root of the install.
    pub files: Vec<SurveyedFile>,
    /// For an archive: its members, as its directory tells (see `members_total` for a cut list).
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub members: Vec<Member>,
    /// How many members there are.
    #[serde(default)]
    pub members_total: usize,
    /// Its signed files.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub signatures: Vec<SurveyedSignature>,
}

/// One measured file.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct SurveyedFile {
    /// From the root of the install.
    pub path: InstallPath,
    /// Its size in bytes.
    pub size: u64,
    /// The digest of its bytes.
    pub blake3: Blake3,
    /// Of a file beside the mod's own: how the rulebook calls such files.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    #[cfg_attr(feature = "schema", schemars(with = "Option<String>"))]
    pub beside: Option<BesideName>,
}

impl SurveyedFile {
    /// A mod's own file, or one inside its folder.
    pub const fn new(path: InstallPath, size: u64, blake3: Blake3) -> Self {
        Self { path, size, blake3, beside: None }
    }
}

/// Something that could not be read.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Unreadable {
    /// From the root of the install, as text: it may be a name that no path can have.
    pub path: String,
    /// The shelf it is on.
    #[serde(default)]
    pub shelf: Option<ShelfName>,
    /// Why.
    pub why: String,
    /// Whether it is a file that can be moved away: not a folder, a link, or a name that no path can have.
    #[serde(default)]
    pub is_file: bool,
    /// Whether it is a download that was not unpacked.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub still_packed: bool,
    /// Of a folder whose files can be read, although it is no mod: those.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub files: Vec<SurveyedFile>,
}

/// Why a file is no survey.
#[derive(Debug, thiserror::Error)]
pub enum SurveyError {
    /// It is larger than any survey should be.
    #[error("it is larger than {} MiB", limits::SURVEY_BYTES >> 20)]
    TooLarge,
    /// It is not what a survey looks like.
    #[error("it is no survey: {0}")]
    Shape(String),
    /// It is not what a canon looks like.
    #[error("it is no canon: {0}")]
    NoCanon(String),
    /// It is not what it was when it was sealed.
    #[error("it was changed by hand or cut after it was sealed: it does not fit its own seal any more")]
    Altered,
    /// It is of another format.
    #[error("its format is `{found}`; this version of Kanon reads `{reads}`")]
    Format {
        /// What it says.
        found: String,
        /// What is read.
        reads: &'static str,
    },
}

impl Survey {
    /// Reads a survey that somebody sent. Paths, digests and nesting are checked on the way in.
    ///
    /// # Errors
    /// When it is too large, of another format, or holds anything that a survey can't.
    pub fn from_json(bytes: &[u8]) -> Result<Self, SurveyError> {
        if bytes.len() as u64 > limits::SURVEY_BYTES {
            return Err(SurveyError::TooLarge);
        }
        let bytes = bytes.strip_prefix(b"\xef\xbb\xbf").unwrap_or(bytes);
        format::read(bytes, FORMAT, |survey: &Self| &survey.format).map_err(|why| match why {
            NotOfFormat::Other(found) => SurveyError::Format { found, reads: FORMAT },
            NotOfFormat::Shape(why) => SurveyError::Shape(why),
        })
    }

    /// A survey of an install in which nothing was found yet.
    pub fn empty(install: InstallFacts) -> Self {
        Self {
            format: FORMAT.to_owned(),
            install,
            mods: Vec::new(),
            strays: Vec::new(),
            lists: Vec::new(),
            keys: Vec::new(),
            settings: Vec::new(),
            memory: Vec::new(),
            quoted: BTreeMap::new(),
            data: Vec::new(),
            placed: Vec::new(),
            brought: None,
            bases: Vec::new(),
            worlds: Vec::new(),
            places: BTreeMap::new(),
            loose: Vec::new(),
            unreadable: Vec::new(),
        }
    }

    /// Its mods by folded id, without those of another loader: an id means something only among a loader's own.
    pub fn mods_by_id(&self) -> HashMap<&FoldedId, Vec<&SurveyedMod>> {
        let mut by_id: HashMap<&FoldedId, Vec<&SurveyedMod>> = HashMap::new();
        for found in self.mods.iter().filter(|found| found.manifest.made_for.is_none()) {
            by_id.entry(&found.manifest.id).or_default().push(found);
        }
        by_id
    }

    /// The public keys that a mod of this survey brings.
    pub fn keys_of<'s>(&'s self, found: &'s SurveyedMod) -> impl Iterator<Item = &'s SurveyedKey> {
        let is_folder = found.is_folder();
        self.keys.iter().filter(move |key| {
            key.of_mod.as_ref() == Some(&found.manifest.id) && (!is_folder || key.path.below(&found.path).is_some())
        })
    }

    /// Where a shelf is on this install.
    pub fn places<'s>(&'s self, shelf: &'s Shelf) -> impl Iterator<Item = &'s InstallPath> {
        shelf.places(self.install.role).iter().chain(self.places.get(&shelf.name).into_iter().flatten())
    }

    /// Puts everything in its stable order.
    pub fn sort(&mut self) {
        self.mods.sort_by(|a, b| (&a.shelf, &a.path).cmp(&(&b.shelf, &b.path)));
        self.strays.sort_by(|a, b| a.path.cmp(&b.path));
        self.loose.sort_by(|a, b| a.path.cmp(&b.path));
        self.unreadable.sort_by(|a, b| a.path.cmp(&b.path));
    }

    /// The bytes of all files that were measured.
    pub fn measured_bytes(&self) -> u64 {
        self.mods.iter().flat_map(|found| &found.files).map(|file| file.size).sum()
    }
}

impl SurveyedMod {
    /// Whether only its id is here, and its bytes come from elsewhere.
    pub fn is_id_alone(&self) -> bool {
        self.files.is_empty() && self.place == self.path
    }

    /// A file beside its own that is not called just as it should be, where the game minds; and what it should be called.
    pub fn misnamed_beside(&self, shelf: &Shelf) -> Option<(&InstallPath, String)> {
        let minds = shelf.names == Names::Exact && self.enabled;
        let files = self.files.iter().filter(|_| minds);
        let mut beside = files.filter_map(|file| Some((&file.path, file.beside.as_ref()?.of(&self.name))));
        beside.find(|(path, wanted)| path.name() != wanted)
    }

    /// Whether it is a folder with files in it.
    pub fn is_folder(&self) -> bool {
        self.files.iter().any(|file| file.path.below(&self.path).is_some())
    }

    /// The version, or a word for its absence.
    pub fn version_or_dash(&self) -> &str {
        self.manifest.version.as_deref().unwrap_or("-")
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    const SMALL: &str = r#"{"format":"kanon-survey/1","install":{"name":"mara","role":"client","game_version":null,"loader_version":"0.9"},
        "mods":[{"id":"tide","version":"1.0","title":null,"needed_on":"both","shelf":"mods","place":"mods","name":"tide.psm","enabled":true,
        "path":"mods/tide.psm","digest":"0000000000000000000000000000000000000000000000000000000000000000",
        "files":[],"relations":[],"provides":[]}],"lists":[],"keys":[],"settings":[],"unreadable":[]}"#;

    #[test]
    fn json_and_back() {
        let survey = Survey::from_json(SMALL.as_bytes()).expect("a survey");
        let text = serde_json::to_string(&survey).expect("json");
        assert_eq!(Survey::from_json(text.as_bytes()).expect("a survey"), survey);
        assert!(text.starts_with(r#"{"format":"kanon-survey/1","install":{"name":"mara","role":"client""#));
    }

    #[test]
    fn a_file_beside_a_mod_is_called_after_it_or_refused() {
        let with = |called: &str| {
            let digest = "0".repeat(64);
            let file = format!(r#"[{{"path":"mods/tide.x","size":1,"blake3":"{digest}","beside":"{called}"}}]"#);
            Survey::from_json(SMALL.replacen("[]", &file, 1).as_bytes())
        };
        assert!(with("{stem}.x").is_ok());
        assert!(with("../{stem}.x").is_err() && with("tide.x").is_err() && with("{stem}").is_err());
    }

    #[test]
    fn hostile_surveys_are_refused() {
        for (from, to) in
            [("mods/tide.psm", "../tide.psm"), ("mods/tide.psm", "C:/x"), ("survey/1", "survey/7"), ("0000", "zzzz")]
        {
            assert!(Survey::from_json(SMALL.replacen(from, to, 1).as_bytes()).is_err(), "{to}");
        }
        assert!(Survey::from_json("[".repeat(50_000).as_bytes()).is_err());
    }

    proptest! {
        #[test]
        fn torn_surveys_are_taken_calmly(cut in 0usize..600, at in 0usize..600, byte in any::<u8>()) {
            let mut bytes = SMALL.as_bytes().to_vec();
            let len = bytes.len();
            bytes[at % len] = byte;
            bytes.truncate(len - cut % len);
            let _ = Survey::from_json(&bytes);
        }
    }
}
