//! A game folder that follows a release: a small workspace inside of it, made of what was verified and nothing else.
//!
//! It lies in the game's folder, so that it goes where the game goes, and every command that works in a workspace works there.

use std::collections::{BTreeMap, BTreeSet};
use std::path::{Path, PathBuf};

use jiff::Timestamp;
use kanon_core::base::digest::Blake3;
use kanon_core::base::format;
use kanon_core::base::ids::FoldedId;
use kanon_core::canon::release::{
    CANON, Invite, PlayerWishesError, RELEASE, RULEBOOK, Release, WISHES, wishes_of_player,
};
use kanon_core::rulebook;
use serde::{Deserialize, Serialize};

use crate::error::{During, ReachError, ReadFault, Unfit};
use crate::open::read_bounded;
use crate::release::Verified;
use crate::writing::write_whole;

/// Where the workspace is, from the game's folder.
pub const FOLDER: [&str; 2] = [".kanon", "follow"];
/// What is remembered of the place that is followed.
const FOLLOWING: &str = "following.json";
const FORMAT: &str = "kanon-followed/1";
/// What is remembered of whoever plays.
const CHOICES: &str = "choices.json";
const CHOICES_FORMAT: &str = "kanon-choices/1";

/// What a game folder follows.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Following {
    format: String,
    /// The invite, in one line.
    pub invite: String,
    /// The release that was verified last.
    pub release: u64,
    /// When that was published, as RFC 3339.
    pub published: String,
    /// When its signatures end.
    pub ends: Timestamp,
    /// The rulebook whose places in the game were told and agreed to.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    told: Option<Blake3>,
}

/// The workspace of a game folder.
pub fn workspace_of(game: &Path) -> PathBuf {
    game.join(FOLDER[0]).join(FOLDER[1])
}

/// The game folder that a folder is in or is, if that follows a release.
pub fn followed_game(from: &Path) -> Option<&Path> {
    from.ancestors().find(|folder| workspace_of(folder).join(FOLLOWING).is_file())
}

/// Where what was verified is kept.
pub fn trusted(workspace: &Path) -> PathBuf {
    workspace.join("trusted")
}

impl Following {
    /// What a workspace follows; nothing for an administrator's.
    ///
    /// # Errors
    /// When it is there and can't be read.
    pub fn read(workspace: &Path) -> Result<Option<Self>, ReachError> {
        let path = workspace.join(FOLLOWING);
        let text = match read_bounded(&path, 64 << 10) {
            Err(error) if error.kind() == std::io::ErrorKind::NotFound => return Ok(None),
            read => read.during("read", &path)?,
        };
        let following = format::read(&text, FORMAT, |following: &Self| &following.format);
        following.map(Some).map_err(|why| ReachError::unusable(&path, why))
    }

    /// The invite.
    ///
    /// # Errors
    /// When it is none any more.
    pub fn invite(&self, workspace: &Path) -> Result<Invite, ReachError> {
        Invite::parse(&self.invite).map_err(|error| ReachError::unusable(workspace.join(FOLLOWING), Unfit::told(error)))
    }

    /// What the release says of itself, as it was verified.
    ///
    /// # Errors
    /// When it can't be read.
    pub fn release(workspace: &Path) -> Result<Release, ReachError> {
        let path = workspace.join(RELEASE);
        let text = read_bounded(&path, kanon_core::base::limits::SIGNED_BYTES).during("read", &path)?;
        Release::from_json(&text).map_err(|why| ReachError::unusable(&path, Unfit::told(why)))
    }

    /// The rulebook that whoever plays here was told about, if it was told.
    pub const fn told_rulebook(&self) -> Option<Blake3> {
        self.told
    }
}

/// What whoever plays here has said of optional mods, kept for later releases.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Choices {
    format: String,
    /// Whether each is wanted that was asked about.
    pub optional: BTreeMap<FoldedId, bool>,
}

impl Choices {
    /// What a workspace remembers; nothing where nothing was asked.
    ///
    /// # Errors
    /// When it is there and can't be read.
    pub fn read(workspace: &Path) -> Result<Self, ReachError> {
        let path = workspace.join(CHOICES);
        match read_bounded(&path, 1 << 20) {
            Err(error) if error.kind() == std::io::ErrorKind::NotFound => {
                Ok(Self { format: CHOICES_FORMAT.to_owned(), optional: BTreeMap::new() })
            }
            read => serde_json::from_slice(&read.during("read", &path)?)
                .map_err(|error| ReachError::unusable(&path, Unfit::told(error))),
        }
    }

    /// Remembers it.
    ///
    /// # Errors
    /// When it can't be written.
    pub fn write(&self, workspace: &Path) -> Result<(), ReachError> {
        let text =
            serde_json::to_string_pretty(self).map_err(|error| ReachError::unusable(workspace, Unfit::told(error)))?;
        write_whole(&workspace.join(CHOICES), &(text + "\n"))
    }

    /// The mods that are wanted.
    pub fn wanted(&self) -> BTreeSet<FoldedId> {
        self.optional.iter().filter(|(_, wanted)| **wanted).map(|(id, _)| id.clone()).collect()
    }
}

/// A release that was verified, as the workspace of one game will have it. Nothing is written until [`Prepared::write`].
#[derive(Debug, Clone)]
pub struct Prepared {
    /// What the game will follow.
    pub following: Following,
    /// What was verified.
    pub verified: Verified,
    /// The `kanon.toml` that is made of it.
    pub wishes: String,
}

impl Prepared {
    /// Retry all of a release before anything is written: a rulebook that this program can't read must not take the place of one
    /// that it can, and what is not for players is refused.
    ///
    /// # Errors
    /// When the rulebook or the wishes have mistakes, or hold what is not for players.
    pub fn new(verified: Verified, invite: &Invite, install: &str) -> Result<Self, ReachError> {
        rulebook::parse(RULEBOOK, &verified.rulebook)?;
        let wishes = wishes_of_player(&verified.wishes, install, &home()).map_err(refused_wishes)?;
        let told = Blake3::of(verified.rulebook.as_bytes());
        if verified.canon.rulebook != told {
            return Err(ReachError::unusable(RULEBOOK, ReadFault::OtherRulebook));
        }
        let following = Following {
            format: FORMAT.to_owned(),
            invite: invite.to_string(),
            release: verified.release.number,
            published: verified.release.published.clone(),
            ends: verified.ends,
            told: Some(told),
        };
        Ok(Self { following, verified, wishes })
    }

    /// Makes the workspace say what the release says.
    ///
    /// # Errors
    /// When nothing can be written.
    pub fn write(&self, workspace: &Path) -> Result<(), ReachError> {
        std::fs::create_dir_all(workspace).during("make the folder", workspace)?;
        let told = serde_json::to_string_pretty(&self.following)
            .map_err(|error| ReachError::unusable(workspace, Unfit::told(error)))?;
        write_whole(&workspace.join(RULEBOOK), &self.verified.rulebook)?;
        write_whole(&workspace.join(CANON), &self.verified.canon_text)?;
        write_whole(&workspace.join(WISHES), &self.wishes)?;
        write_whole(&workspace.join(RELEASE), &self.verified.release_text)?;
        // Last: whoever reads it finds all the rest.
        write_whole(&workspace.join(FOLLOWING), &told)
    }
}

/// Where the game lies from its workspace.
pub fn home() -> String {
    FOLDER.map(|_| "..").join("/")
}

/// What is told of wishes that are not for players.
pub fn refused_wishes(error: PlayerWishesError) -> ReachError {
    match error {
        PlayerWishesError::BadFile(bad) => ReachError::from(bad),
        PlayerWishesError::NotForPlayers { .. } => ReachError::unusable(WISHES, Unfit::told(error)),
    }
}
