//! A release: the sealed canon as players get it, how large files are cut into pieces, and the invite that leads to it.

mod carried;
mod invite;
mod recipe;
pub mod scope;
mod wishes;

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};

pub use self::carried::{System, TAIL, carried, carrying, length_alone};
pub use self::invite::{Invite, InviteError};
pub use self::recipe::{
    FORMAT as RECIPE_FORMAT, Packed, Piece, PieceDigest, Recipe, RecipeError, Stretch, average_piece, cut_from, is_cut,
};
pub use self::wishes::{PlayerWishesError, followed_wishes, wishes_for_players, wishes_of_player};
use crate::base::digest::Blake3;
use crate::base::format::{self, NotOfFormat};
use crate::canon::{Canon, SealedMod, SealedSetting};
use crate::rulebook::{NeededOn, Role, quoted};

/// The first field of every release.
pub const FORMAT: &str = "kanon-release/1";

/// The files that are signed, by name.
pub const CANON: &str = "canon.json";
/// The rulebook, word for word.
pub const RULEBOOK: &str = "game.rulebook.toml";
/// What players' checks need to know of `kanon.toml`.
pub const WISHES: &str = "kanon.toml";
/// What this module describes.
pub const RELEASE: &str = "release.json";

/// Where a release keeps all that a player needs in one archive.
pub const ARCHIVE: &str = "ready/all.zip";

/// What a release says of itself.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Release {
    /// `kanon-release/1`.
    pub format: String,
    /// Counted up with every publication.
    pub number: u64,
    /// The canon's name.
    pub name: String,
    /// The game.
    pub game: String,
    /// When it was published, as RFC 3339.
    pub published: String,
    /// How each large file is cut into pieces, by the file's digest.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub recipes: BTreeMap<Blake3, Stored>,
    /// The programs that carry its invite, by the system that each is for.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub programs: BTreeMap<System, Stored>,
    /// All that players need in one archive, to be unpacked in the game's folder.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub archive: Option<Stored>,
}

/// Something that is stored under its digest.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub struct Stored {
    /// The digest of its bytes.
    pub blake3: Blake3,
    /// How many bytes it has.
    pub size: u64,
}

impl Stored {
    /// Of some bytes.
    pub fn of(bytes: &[u8]) -> Self {
        Self { blake3: Blake3::of(bytes), size: bytes.len() as u64 }
    }
}

/// Why bytes are no release that can be read.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum NoRelease {
    /// They are something else.
    #[error("{0}")]
    Shape(String),
    /// They are of another format.
    #[error("it is of the format {0}, and this program reads {FORMAT}; take a newer Kanon")]
    Format(String),
}

impl Release {
    /// Reads what a release says of itself.
    ///
    /// # Errors
    /// When it is none, or of a format that this program does not know.
    pub fn from_json(bytes: &[u8]) -> Result<Self, NoRelease> {
        format::read(bytes, FORMAT, |release: &Self| &release.format).map_err(|why| match why {
            NotOfFormat::Other(found) => NoRelease::Format(found),
            NotOfFormat::Shape(why) => NoRelease::Shape(why),
        })
    }
}

/// Where a file of a mod is kept in a release.
pub fn blob_path(digest: Blake3) -> String {
    kept("blobs", digest, "")
}

/// Where a recipe is kept.
pub fn recipe_path(digest: Blake3) -> String {
    kept("recipes", digest, ".json.zst")
}

/// Where a pack of pieces is kept.
pub fn pack_path(digest: Blake3) -> String {
    kept("packs", digest, "")
}

/// No folder gets more than a share of the files: some web hosts are slow with many in one.
fn kept(folder: &str, digest: Blake3, extension: &str) -> String {
    let digest = digest.to_string();
    format!("{folder}/{}/{digest}{extension}", &digest[..2])
}

/// Whether players get the bytes of a mod.
pub fn is_for_players(sealed: &SealedMod) -> bool {
    sealed.needed_on() == NeededOn::Optional || sealed.needed_on().includes(Role::Client)
}

/// The canon as players get it: what settings and lists of the server say stays with the administrator, since passwords
/// may stand there. A setting of the server that one of the players' quotes goes along: its value is in that one.
pub fn for_players(canon: &Canon) -> Canon {
    let mut canon = canon.clone();
    let (mut kept, mut others): (Vec<SealedSetting>, Vec<SealedSetting>) =
        canon.settings.into_iter().partition(|setting| setting.of != Some(Role::Server));
    loop {
        let asked: Vec<String> = kept.iter().flat_map(|setting| quoted(&setting.is)).collect();
        let (quoted, rest): (Vec<_>, Vec<_>) = others.into_iter().partition(|other| asked.contains(&other.name));
        others = rest;
        if quoted.is_empty() {
            break;
        }
        kept.extend(quoted);
    }
    canon.settings = kept;
    canon.lists.retain(|list| list.of != Role::Server);
    canon.memory = None;
    // Players have no wishes that could be newer.
    canon.wishes = None;
    canon
}

#[cfg(test)]
#[path = "../../tests/release.rs"]
mod tests;
