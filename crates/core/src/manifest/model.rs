//! What a mod says of itself.

use serde::{Deserialize, Serialize};

use crate::base::digest::Blake3;
use crate::base::ids::FoldedId;
use crate::base::path::InstallPath;
use crate::rulebook::{NeededOn, RelationKind};

/// A relation of a mod to another.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
pub struct Relation {
    /// Its kind.
    pub kind: RelationKind,
    /// The other's id.
    pub id: FoldedId,
    /// The releases of the other that it is about; all when not said.
    pub range: Option<String>,
}

/// What was read from a mod itself.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, PartialEq, Eq, Default, Serialize, Deserialize)]
pub struct ModManifest {
    /// Its id.
    pub id: FoldedId,
    /// Its version.
    pub version: Option<String>,
    /// What people call it.
    pub title: Option<String>,
    /// Where it is needed.
    pub needed_on: NeededOn,
    /// The game versions it fits.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub game_range: Option<String>,
    /// The loader versions it fits.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub loader_range: Option<String>,
    /// The runtime versions it fits.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub runtime_range: Option<String>,
    /// The other loader that it was made for.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub made_for: Option<String>,
    /// Whether it reshapes the world.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub shapes_world: bool,
    /// Its relations to other mods.
    pub relations: Vec<Relation>,
    /// Further ids it stands for.
    pub provides: Vec<FoldedId>,
    /// Facts that it states in a way the rulebook does not know.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub doubts: Vec<String>,
    /// The entries that it merges into the game's data files.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub entries: Vec<MergedEntry>,
}

/// An entry that a mod merges into a data file of the game.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct MergedEntry {
    /// The data file.
    pub into: InstallPath,
    /// What tells it apart.
    pub key: String,
    /// The digest of what it says.
    pub blake3: Blake3,
}

/// Declares how a mod is read back whose JSON holds the fields of a [`ModManifest`] beside its own.
///
/// Serde's `flatten` would copy every field into a buffer first, which costs more than all the rest of a check.
macro_rules! beside_reading {
    ($flat:ident => $whole:ident { $($(#[$meta:meta])* $field:ident: $type:ty,)* }) => {
        #[derive(serde::Deserialize)]
        #[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
        struct $flat {
            id: $crate::base::ids::FoldedId,
            version: Option<String>,
            title: Option<String>,
            #[serde(default)]
            needed_on: $crate::rulebook::NeededOn,
            #[serde(default)]
            game_range: Option<String>,
            #[serde(default)]
            loader_range: Option<String>,
            #[serde(default)]
            runtime_range: Option<String>,
            #[serde(default)]
            made_for: Option<String>,
            #[serde(default)]
            shapes_world: bool,
            relations: Vec<$crate::manifest::Relation>,
            provides: Vec<$crate::base::ids::FoldedId>,
            #[serde(default)]
            doubts: Vec<String>,
            #[serde(default)]
            entries: Vec<$crate::manifest::MergedEntry>,
            $($(#[$meta])* $field: $type,)*
        }

        impl From<$flat> for $whole {
            fn from(flat: $flat) -> Self {
                let manifest = $crate::manifest::ModManifest {
                    id: flat.id,
                    version: flat.version,
                    title: flat.title,
                    needed_on: flat.needed_on,
                    game_range: flat.game_range,
                    loader_range: flat.loader_range,
                    runtime_range: flat.runtime_range,
                    made_for: flat.made_for,
                    shapes_world: flat.shapes_world,
                    relations: flat.relations,
                    provides: flat.provides,
                    doubts: flat.doubts,
                    entries: flat.entries,
                };
                Self { manifest, $($field: flat.$field,)* }
            }
        }
    };
}
pub(crate) use beside_reading;

/// A member of an archive, as the archive's directory tells.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Member {
    /// Its path inside the archive.
    pub path: String,
    /// Its size in bytes when unpacked.
    pub size: u64,
    /// The checksum of its bytes.
    pub crc32: u32,
}
