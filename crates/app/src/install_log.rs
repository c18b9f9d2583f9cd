//! The log of an install of the workspace, wherever that is.

use std::path::PathBuf;

use kanon_core::base::names::InstallName;
use kanon_core::base::path::InstallPath;
use kanon_core::rulebook::Role;
use kanon_io::far_log;

use crate::error::AppError;
use crate::notice::Notice;
use crate::places::{self, Place, Placed};
use crate::session::Session;

/// The server of a workspace with just one that is no rehearsal's.
pub fn only_server(session: &Session<'_>) -> Option<InstallName> {
    let installs = session.workspace.iter().flat_map(|workspace| &workspace.config.installs);
    let mut servers = installs.filter(|install| install.role == Role::Server && !install.is_rehearsal);
    match (servers.next(), servers.next()) {
        (Some(only), None) => Some(only.name.clone()),
        _ => None,
    }
}

/// Where the log of an install is, from its folder: where kanon.toml says, or else the newest where its game writes them.
///
/// # Errors
/// When its host can't be reached.
pub fn place_of(session: &mut Session<'_>, placed: &Placed) -> Result<Option<String>, AppError> {
    let wish = session.workspace.as_ref().and_then(|workspace| workspace.config.install(&placed.name));
    if let Some(log) = wish.and_then(|wish| wish.log.clone()) {
        return Ok(Some(log));
    }
    let places = session.loaded.rulebook.logs.of(placed.role).clone();
    if places.is_empty() {
        return Ok(None);
    }
    let install = session.open_install(placed)?;
    Ok(far_log::newest_of(install.as_ref(), &places).map(String::from))
}

/// The log of an install, if it is there; from a host, its end is fetched.
///
/// # Errors
/// When its host can't be reached, or the log is to be no place inside it.
pub fn of_install(session: &mut Session<'_>, name: &str) -> Result<Option<PathBuf>, AppError> {
    let Some(placed) = places::named(session.workspace.as_ref(), name)? else { return Ok(None) };
    let Some(log) = place_of(session, &placed)? else { return Ok(None) };
    if let Place::Folder(folder) = &placed.place {
        return Ok(Some(folder.join(log)).filter(|log| log.exists()));
    }
    let place = InstallPath::new(&log).map_err(|cause| AppError::NoPlaceOfLog {
        install: placed.name.clone(),
        log: log.clone(),
        cause,
    })?;
    let install = session.open_install(&placed)?;
    let error = match far_log::fetch(install.as_ref(), &place, &session.temporary_folder()?) {
        Ok(Some(fetched)) => {
            let (is_whole, bytes) = (fetched.is_whole, fetched.bytes);
            session.observer.notice(Notice::LogFetched { install: placed.name, is_whole, bytes });
            return Ok(Some(fetched.path));
        }
        Ok(None) => None,
        Err(error) => Some(error),
    };
    session.observer.notice(Notice::LogNotFetched { install: placed.name, log, error });
    Ok(None)
}
