//! What a workspace remembers of what it published: numbers, what each release needs, and how large files were cut.

use std::path::{Path, PathBuf};

use jiff::Timestamp;
use kanon_core::base::digest::Blake3;
use kanon_core::base::format;
use kanon_core::base::limits;
use kanon_core::canon::Canon;
use kanon_core::canon::release::{Recipe, RecipeError, Release};
use serde::{Deserialize, Serialize};

use crate::error::{During, ReachError, Unfit};
use crate::writing::write_whole;

const FORMAT: &str = "kanon-published/1";

/// What a workspace remembers of its releases.
#[derive(Debug, Clone, Default, Serialize, Deserialize)]
pub struct Record {
    format: String,
    /// The releases that are kept, oldest first.
    pub releases: Vec<RecordedRelease>,
}

/// One release.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct RecordedRelease {
    /// What it says of itself.
    pub release: Release,
    /// The digest of the canon that was published.
    pub canon: Blake3,
    /// The digest of everything that was signed but its number and time: whether another one would say anything new.
    pub says: Blake3,
    /// When its signatures end.
    pub ends: Timestamp,
    /// Every file that it needs, from the release's folder.
    pub needs: Vec<String>,
}

impl Record {
    /// Reads the record of a workspace; an empty one if nothing was published.
    ///
    /// # Errors
    /// When it is there and can't be read.
    pub fn read(folder: &Path) -> Result<Self, ReachError> {
        let path = path(folder);
        let bytes = match std::fs::read(&path) {
            Err(error) if error.kind() == std::io::ErrorKind::NotFound => return Ok(Self::default()),
            read => read.during("read", &path)?,
        };
        format::read(&bytes, FORMAT, |record: &Self| &record.format).map_err(|why| ReachError::unusable(path, why))
    }

    /// The newest release.
    pub fn last(&self) -> Option<&RecordedRelease> {
        self.releases.last()
    }

    /// The numbers of the releases, each with the digest of its canon, oldest first.
    pub fn numbers_with_canon(&self) -> Vec<(u64, Blake3)> {
        self.releases.iter().map(|kept| (kept.release.number, kept.canon)).collect()
    }

    /// The canon of a release, if it is still there.
    pub fn canon(folder: &Path, number: u64) -> Option<Canon> {
        std::fs::read(canon_path(folder, number)).ok().and_then(|bytes| Canon::from_json(&bytes).ok())
    }

    /// Adds a release, keeping the newest ones.
    pub(super) fn add(
        &mut self,
        folder: &Path,
        release: RecordedRelease,
        canon: &str,
        keep: usize,
    ) -> Result<(), ReachError> {
        std::fs::create_dir_all(folder).during("make the folder", folder)?;
        write_whole(&canon_path(folder, release.release.number), canon)?;
        FORMAT.clone_into(&mut self.format);
        self.releases.push(release);
        let gone = self.releases.len().saturating_sub(keep.max(1));
        for old in self.releases.drain(..gone) {
            drop(std::fs::remove_file(canon_path(folder, old.release.number)));
        }
        let text = serde_json::to_string_pretty(&self)
            .map_err(|error| ReachError::unusable(path(folder), Unfit::told(error)))?;
        write_whole(&path(folder), &text)
    }

    /// The recipe of a file, if one of the kept releases has one and it was kept here.
    pub(super) fn recipe(&self, folder: &Path, file: Blake3, size: u64) -> Option<(Blake3, Recipe)> {
        let stored = self.releases.iter().rev().find_map(|kept| kept.release.recipes.get(&file))?;
        let packed = std::fs::read(recipe_path(folder, stored.blake3)).ok()?;
        Some((stored.blake3, unpacked_recipe(&packed, size).ok()?))
    }
}

/// Why a recipe can't be used.
#[derive(Debug, thiserror::Error)]
pub(super) enum NoRecipe {
    #[error("its recipe can't be unpacked: {0}")]
    Packed(std::io::Error),
    #[error(transparent)]
    Recipe(#[from] RecipeError),
}

/// Reads a recipe as it is kept; for a file of so many bytes.
pub(super) fn unpacked_recipe(packed: &[u8], size: u64) -> Result<Recipe, NoRecipe> {
    let most = usize::try_from(limits::RECIPE_BYTES).unwrap_or(usize::MAX);
    let json = zstd::bulk::decompress(packed, most).map_err(NoRecipe::Packed)?;
    Ok(Recipe::from_json(&json, size)?)
}

fn path(folder: &Path) -> PathBuf {
    folder.join("published.json")
}

fn canon_path(folder: &Path, number: u64) -> PathBuf {
    folder.join(format!("canon-{number}.json"))
}

/// Where the recipe of a digest is kept in the workspace.
pub(super) fn recipe_path(folder: &Path, digest: Blake3) -> PathBuf {
    folder.join("recipes").join(digest.to_string())
}
