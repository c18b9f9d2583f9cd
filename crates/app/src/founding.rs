//! A workspace is begun: its rulebook found or fetched, its folders looked for, its `kanon.toml` written.

use std::path::PathBuf;

use kanon_core::config::{self, Beginning, InstallWish};
use kanon_io::error::ReachError;
use kanon_io::install::Address;
use kanon_io::workspace::{WISHES, load_rulebook};
use kanon_io::writing::write_whole;

use crate::error::{AppError, FoundingError};
use crate::machine::Machine;
use crate::rulebooks::{self, Fetched};

/// How the names of rulebooks end.
const RULEBOOK: &str = ".rulebook.toml";

/// Everything that a workspace begins with.
pub struct Founding {
    /// The canon's name.
    pub name: String,
    /// The rulebook's file.
    pub rulebook: String,
    /// The rulebook, where it came from elsewhere.
    pub fetched: Option<Fetched>,
    /// The installs.
    pub installs: Vec<InstallWish>,
    /// The sources: name and place.
    pub sources: Vec<(String, String)>,
}

/// Refuses to begin where one was begun before.
///
/// # Errors
/// When there is a `kanon.toml`.
pub fn refuse_second(machine: &Machine) -> Result<(), AppError> {
    let path = machine.folder.join(WISHES);
    if path.exists() { Err(FoundingError::IsThere(path).into()) } else { Ok(()) }
}

/// The one rulebook that lies in the folder.
pub fn only_rulebook(machine: &Machine) -> Option<String> {
    let names = std::fs::read_dir(&machine.folder).ok()?.filter_map(|entry| entry.ok()?.file_name().into_string().ok());
    let mut rulebooks = names.filter(|name| name.ends_with(RULEBOOK));
    let first = rulebooks.next()?;
    rulebooks.next().is_none().then_some(first)
}

/// The rulebook that was named: its file here, and its text where it came from an address.
///
/// # Errors
/// When it can't be read or fetched, or is none.
pub fn rulebook_of(named: String, machine: &Machine) -> Result<(String, Option<Fetched>), AppError> {
    if named.contains("://") {
        let fetched = rulebooks::fetch(&named, (&machine.folder, machine))?;
        return Ok((file_for(&fetched), Some(fetched)));
    }
    load_rulebook(&machine.folder.join(&named))?;
    Ok((named, None))
}

/// Refuses folders that are not there.
///
/// # Errors
/// When one is not.
pub fn refuse_absent(installs: &[InstallWish], machine: &Machine) -> Result<(), AppError> {
    let is_absent =
        |install: &&InstallWish| !Address::is_meant(&install.at) && !machine.folder.join(&install.at).is_dir();
    match installs.iter().find(is_absent) {
        Some(install) => Err(FoundingError::NoFolder { install: install.name.clone(), at: install.at.clone() }.into()),
        None => Ok(()),
    }
}

impl Founding {
    /// Writes it all, and says where `kanon.toml` is.
    ///
    /// # Errors
    /// When a file is there already or can't be written, or two installs have one name. Then nothing was written.
    pub fn write(&self, machine: &Machine) -> Result<PathBuf, AppError> {
        let text = config::begin(&Beginning {
            name: &self.name,
            rulebook: &self.rulebook,
            rulebook_from: self.fetched.as_ref().map(|fetched| &fetched.pin),
            installs: &self.installs,
            sources: &self.sources,
        });
        let text = text.map_err(FoundingError::SameName)?;
        config::parse(WISHES, &text).map_err(ReachError::from)?;
        if let Some(fetched) = &self.fetched {
            let file = machine.folder.join(&self.rulebook);
            if file.exists() {
                return Err(FoundingError::RulebookIsThere(file).into());
            }
            write_whole(&file, &fetched.text)?;
        }
        let path = machine.folder.join(WISHES);
        write_whole(&path, &text)?;
        Ok(path)
    }
}

/// What a rulebook that was fetched is called here: after its game.
fn file_for(fetched: &Fetched) -> String {
    let plain: String =
        fetched.game.to_lowercase().chars().map(|c| if c.is_alphanumeric() { c } else { '-' }).collect();
    let words: Vec<&str> = plain.split('-').filter(|word| !word.is_empty()).collect();
    if words.is_empty() { format!("game{RULEBOOK}") } else { words.join("-") + RULEBOOK }
}
