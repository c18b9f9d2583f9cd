//! Why a step is taken.

use serde::{Deserialize, Serialize};

use crate::base::ids::FoldedId;

/// Why a step is taken.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(tag = "reason", rename_all = "kebab-case")]
pub enum Reason {
    /// A mod of the canon is not there.
    Missing(Release),
    /// It is there in another release.
    OtherRelease {
        /// The mod, and the canon's release.
        #[serde(flatten)]
        wanted: Release,
        /// The one that is there.
        found: String,
    },
    /// It is there in that release, with other bytes.
    OtherBytes(Release),
    /// Something else lies in its place.
    SomethingElse(Release),
    /// It is there under another name.
    OtherName(Release),
    /// A further copy of a mod lies beside the right one.
    FurtherCopy(Release),
    /// A file lies in a mod's place and is no part of it.
    NoPartOf(Release),
    /// The canon does not have a mod.
    Extra {
        /// The mod.
        #[serde(rename = "mod")]
        id: FoldedId,
    },
    /// A mod was made for another loader.
    OtherLoader {
        /// The mod.
        #[serde(rename = "mod")]
        id: FoldedId,
        /// That loader.
        loader: String,
    },
    /// A mod was made for another version of the game or its loader.
    LeftOver {
        /// The mod.
        #[serde(rename = "mod")]
        id: FoldedId,
    },
    /// A mod can't be read.
    Unreadable {
        /// What the survey says of it.
        problem: String,
    },
    /// A signing key is not there.
    KeyMissing(Key),
    /// Another signing key is called so.
    KeyChanged(Key),
    /// A signing key belongs to no mod any more.
    KeyLeftOver(Key),
    /// A mod brings a file for the game's own folders.
    Brought {
        /// The mod.
        #[serde(rename = "mod")]
        id: FoldedId,
    },
    /// A mod is gone that had brought a file.
    BringerGone {
        /// The mod.
        #[serde(rename = "mod")]
        id: FoldedId,
    },
    /// A list does not say what it should.
    List {
        /// Its name.
        list: String,
    },
    /// A setting is not what it should be.
    Setting {
        /// Its name.
        setting: String,
        /// What it should be.
        value: String,
    },
    /// The game is started with too little memory.
    Memory {
        /// As much as it should have, as the game is told it.
        memory: String,
    },
    /// Entries of mods are not in the game's data file as they should be.
    Entries {
        /// The mods.
        mods: Vec<FoldedId>,
    },
    /// The game's own archive does not have the right mods laid in.
    LaidIn {
        /// Those that should be.
        mods: Vec<FoldedId>,
    },
    /// A world is kept before something changes in it.
    WorldKept {
        /// The mod that shapes it, where it is one.
        #[serde(rename = "mod")]
        id: Option<FoldedId>,
    },
    /// The old world is set aside.
    WorldSetAside,
    /// A prepared world is put in place.
    WorldPrepared,
}

/// A mod in a release.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Release {
    /// The mod.
    #[serde(rename = "mod")]
    pub id: FoldedId,
    /// The release.
    pub version: Option<String>,
}

/// A signing key.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Key {
    /// Its name.
    pub key: String,
    /// The mods that it signs.
    pub mods: Vec<FoldedId>,
}

impl Reason {
    /// The mod that it is about, if it is one.
    pub const fn mod_id(&self) -> Option<&FoldedId> {
        match self {
            Self::Missing(of)
            | Self::OtherRelease { wanted: of, .. }
            | Self::OtherBytes(of)
            | Self::SomethingElse(of)
            | Self::OtherName(of)
            | Self::FurtherCopy(of)
            | Self::NoPartOf(of) => Some(&of.id),
            Self::Extra { id }
            | Self::OtherLoader { id, .. }
            | Self::LeftOver { id }
            | Self::Brought { id }
            | Self::BringerGone { id } => Some(id),
            _ => None,
        }
    }
}
