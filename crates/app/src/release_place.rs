//! Where a release is published to, and where players find it.

use std::path::{Path, PathBuf};

use kanon_core::canon::release::Invite;
use kanon_io::release::SigningKeys;
use kanon_io::workspace::Workspace;

use crate::error::{AppError, PublishError};

/// Where a release is published to.
pub enum ReleasePlace {
    /// A folder of this machine.
    Folder(PathBuf),
    /// A bucket.
    Bucket(String),
}

impl ReleasePlace {
    /// Reads a place as it was typed, relative to a folder.
    ///
    /// # Errors
    /// When it is an address that nothing can be put to.
    pub fn of(typed: &str, from: &Path) -> Result<Self, AppError> {
        match typed.split_once("://") {
            Some(("s3", _)) => Ok(Self::Bucket(typed.to_owned())),
            Some(("file", _)) | None => Ok(Self::Folder(from.join(typed.trim_start_matches("file://")))),
            Some(_) => Err(AppError::NoPlaceToPublish(typed.to_owned())),
        }
    }

    /// The place as it would be typed.
    pub fn as_typed(&self) -> String {
        match self {
            Self::Folder(folder) => folder.display().to_string(),
            Self::Bucket(address) => address.clone(),
        }
    }
}

/// Where players find the release: by what is written in `kanon.toml`; else, for players of this machine, the place itself.
pub fn address_of(workspace: &Workspace, place: Option<&ReleasePlace>) -> Option<String> {
    let written = workspace.config.release.address.clone();
    written.or_else(|| match place? {
        ReleasePlace::Folder(folder) => Some(folder.canonicalize().ok()?.display().to_string()),
        ReleasePlace::Bucket(address) => Some(address.clone()),
    })
}

/// The invite of what a workspace has published; nothing where it has published nothing, or nothing says where players find it.
///
/// # Errors
/// When the keys can't be read, or the place is none.
pub fn invite_of(workspace: &Workspace, address: Option<&str>) -> Result<Option<Invite>, AppError> {
    let Some(keys) = SigningKeys::open(&workspace.release_folder())? else { return Ok(None) };
    let place = workspace.config.release.to.as_deref().map(|to| ReleasePlace::of(to, &workspace.root)).transpose()?;
    let address = address.map(str::to_owned).or_else(|| address_of(workspace, place.as_ref()));
    let Some(address) = address else { return Ok(None) };
    let mark = keys.mark()?;
    Ok(Some(Invite::new(&address, mark.version, mark.fingerprint)))
}

/// The same, where there must be one.
///
/// # Errors
/// When nothing was published, or nothing says where players find it.
pub fn the_invite(workspace: &Workspace, address: Option<&str>) -> Result<Invite, AppError> {
    if SigningKeys::open(&workspace.release_folder())?.is_none() {
        return Err(PublishError::NothingPublished.into());
    }
    Ok(invite_of(workspace, address)?.ok_or(PublishError::NoAddress)?)
}
