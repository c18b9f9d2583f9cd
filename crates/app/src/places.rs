//! Where installs are: names of `kanon.toml`, folders and addresses, and how each is opened.

use std::fmt;
use std::path::{Path, PathBuf};
use std::sync::Arc;

use kanon_core::base::names::InstallName;
use kanon_core::config::InstallWish;
use kanon_core::rulebook::Role;
use kanon_io::error::HostError;
use kanon_io::error::ReachError;
use kanon_io::install::{Address, Install, LocalInstall, RemoteInstall};
use kanon_io::workspace::Workspace;

use crate::credentials::AskedCredentials;
use crate::error::{AppError, InstallError};
use crate::machine::Machine;
use crate::observer::Observer;

/// An install that can be opened.
#[derive(Debug, Clone)]
pub struct Placed {
    /// Its name in `kanon.toml`, or the folder's.
    pub name: InstallName,
    /// What it is.
    pub role: Role,
    /// Where it is.
    pub place: Place,
}

/// Where an install is.
#[derive(Debug, Clone)]
pub enum Place {
    /// In a folder on this machine.
    Folder(PathBuf),
    /// On a host.
    Host(Address),
}

impl Place {
    /// What the journal calls an install there.
    pub fn identity(&self) -> String {
        match self {
            Self::Folder(path) => path.canonicalize().unwrap_or_else(|_| path.clone()).to_string_lossy().into_owned(),
            Self::Host(address) => address.to_string(),
        }
    }

    /// The name of the host that it is on, where it is on one.
    pub fn host(&self) -> Option<&str> {
        match self {
            Self::Folder(_) => None,
            Self::Host(address) => Some(&address.host),
        }
    }
}

impl fmt::Display for Place {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Folder(path) => path.display().fmt(f),
            Self::Host(address) => address.fmt(f),
        }
    }
}

/// The install that `kanon.toml` calls so.
pub fn named(workspace: Option<&Workspace>, name: &str) -> Result<Option<Placed>, AppError> {
    let Some((workspace, install)) = workspace.and_then(|w| Some((w, w.config.install(name)?))) else {
        return Ok(None);
    };
    let place = if Address::is_meant(&install.at) {
        Place::Host(address(&install.at)?)
    } else {
        Place::Folder(workspace.place(&install.at))
    };
    Ok(Some(Placed { name: install.name.clone(), role: install.role, place }))
}

/// Opens an install; a host is dialled.
///
/// # Errors
/// When its folder is not there, or its host can't be reached or lets nobody in.
pub fn open(
    (machine, observer): (&Machine, &dyn Observer),
    workspace: Option<&Workspace>,
    placed: &Placed,
) -> Result<Arc<dyn Install>, AppError> {
    let (name, address) = match &placed.place {
        Place::Folder(path) => return Ok(Arc::new(open_folder(&placed.name, path)?)),
        Place::Host(address) => (&placed.name, address),
    };
    let wish = workspace.and_then(|workspace| workspace.config.install(name));
    let key = wish.and_then(|wish| wish.key.as_ref()).zip(workspace).map(|(key, workspace)| workspace.place(key));
    let host_key = wish.and_then(|wish| wish.host_key.clone());
    let credentials = AskedCredentials::new(machine, observer.asker(), (name, address), key, host_key);
    let opened = RemoteInstall::open(address, Arc::new(credentials), machine.patience());
    Ok(Arc::new(opened.map_err(ReachError::from)?))
}

/// The folder in which the commands of an install are run.
pub fn folder_of_commands(root: &Path, wish: Option<&InstallWish>) -> PathBuf {
    wish.and_then(|wish| wish.run_in.as_ref()).map_or_else(|| root.to_owned(), |folder| root.join(folder))
}

/// Reads an address as it was typed.
pub fn address(text: &str) -> Result<Address, AppError> {
    Address::parse(text).map_err(|source| {
        // What looks like a password is not repeated.
        let shown = match (text.split_once("://"), text.rsplit_once('@')) {
            (Some((scheme, _)), Some((_, rest))) => format!("{scheme}://…@{rest}"),
            _ => text.to_owned(),
        };
        ReachError::from(HostError::Address { address: shown, source }).into()
    })
}

fn open_folder(name: &str, path: &Path) -> Result<LocalInstall, AppError> {
    LocalInstall::open(path).map_err(|error| match path.exists() {
        true => AppError::Io(error),
        false => InstallError::NoFolder { install: name.into(), path: path.to_owned() }.into(),
    })
}
