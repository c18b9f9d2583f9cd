//! Rulebooks that somebody else keeps: fetched, bounded, looked at before they count, and pinned by their digest.

use std::path::Path;

use kanon_core::base::digest::Blake3;
use kanon_core::base::limits;
use kanon_core::config::{Edit, RulebookPin, edit};
use kanon_core::rulebook::{self, Role, Rulebook};
use kanon_io::error::ReachError;
use kanon_io::fetch::small_file;
use kanon_io::install::Address;
use kanon_io::measure::{Request, TrustMemory};
use kanon_io::trial::{Trial, try_out};
use kanon_io::workspace::{Workspace, read_text};
use kanon_io::writing::write_whole;

use crate::error::{AppError, RulebookError};
use crate::machine::Machine;
use crate::observer::Observer;
use crate::places::{self, Place, Placed};

/// A rulebook that was fetched.
#[derive(Debug, Clone)]
pub struct Fetched {
    /// Its text.
    pub text: String,
    /// The game that it is for.
    pub game: String,
    /// Where it came from, and what was there.
    pub pin: RulebookPin,
}

/// Fetches a rulebook, from an address or a file that is relative to `root`, and reads it: a file with mistakes is none.
///
/// # Errors
/// When it can't be fetched, is too large, or is no rulebook.
pub fn fetch(at: &str, (root, machine): (&Path, &Machine)) -> Result<Fetched, AppError> {
    let bytes = small_file(at, root, &machine.access(), limits::TOML_BYTES)?;
    let blake3 = Blake3::of(&bytes);
    let text = String::from_utf8(bytes).map_err(|_| RulebookError::NoText(at.to_owned()))?;
    let parsed = rulebook::parse(at, &text).map_err(ReachError::from)?;
    Ok(Fetched { text, game: parsed.value.game, pin: RulebookPin { at: at.to_owned(), blake3 } })
}

/// What renewing a rulebook would do.
#[derive(Debug, Clone)]
pub struct Renewal {
    /// The workspace's file.
    pub file: String,
    /// What is there now.
    pub fetched: Fetched,
    /// The text that the workspace has.
    pub own: String,
    /// Whether that was changed here since it was fetched.
    pub is_edited: bool,
    workspace: Workspace,
}

impl Renewal {
    /// Whether there is nothing to do.
    pub fn is_nothing(&self) -> bool {
        self.own == self.fetched.text
    }
}

/// Looks whether the rulebook of the workspace around us has changed where it was fetched from.
///
/// # Errors
/// When it was not fetched, can't be now, or is of another game.
pub fn look(machine: &Machine) -> Result<Renewal, AppError> {
    let workspace = Workspace::open(&machine.folder)?;
    let pin = workspace.config.rulebook_from.as_ref().ok_or(RulebookError::NotFetched)?;
    let fetched = fetch(&pin.at, (&workspace.root, machine))?;
    let own = read_text(&workspace.root.join(&workspace.config.rulebook), "read the rulebook")?;
    if let Ok(known) = rulebook::parse("the rulebook", &own)
        && known.value.game != fetched.game
    {
        return Err(RulebookError::OfOtherGame { own: known.value.game, fetched: fetched.game }.into());
    }
    let is_edited = Blake3::of(own.as_bytes()) != pin.blake3;
    Ok(Renewal { file: workspace.config.rulebook.clone(), fetched, own, is_edited, workspace })
}

/// Puts a renewed rulebook in place, and pins it.
///
/// # Errors
/// When either file can't be written.
pub fn renew(renewal: &Renewal) -> Result<(), AppError> {
    let workspace = &renewal.workspace;
    let edit_of = Edit { rulebook_from: Some(&renewal.fetched.pin), ..Edit::default() };
    let edited = edit(&workspace.text, &edit_of).map_err(|error| RulebookError::NotPinned(error.to_string()))?;
    write_whole(&workspace.root.join(&workspace.config.rulebook), &renewal.fetched.text)?;
    write_whole(&workspace.root.join(kanon_io::workspace::WISHES), &edited.text)?;
    Ok(())
}

/// Adds tables to the end of a rulebook that was read, unless it would be none any more.
///
/// # Errors
/// When the file can't be written, has changed since, or would be no rulebook.
pub fn add(path: &Path, text: &str, tables: &str) -> Result<(), AppError> {
    if read_text(path, "read the rulebook")? != text {
        return Err(RulebookError::Changed(path.to_owned()).into());
    }
    let ends = if text.contains("\r\n") { "\r\n" } else { "\n" };
    let gap = if text.ends_with('\n') { "" } else { ends };
    let whole = format!("{text}{gap}{ends}{}", tables.replace('\n', ends));
    rulebook::parse(&path.display().to_string(), &whole).map_err(ReachError::from)?;
    write_whole(path, &whole)?;
    Ok(())
}

/// Tries a rulebook on an install, which is a folder or an address on a host; with the steps by which it reads one mod, if one is
/// named.
///
/// # Errors
/// When the install can't be read, or is not the rulebook's.
pub fn try_on(
    machine: &Machine,
    observer: &dyn Observer,
    (rulebook, text, role): (&Rulebook, &str, Role),
    (typed, one_mod): (&str, Option<&str>),
) -> Result<Trial, AppError> {
    let place = match Address::is_meant(typed) {
        true => Place::Host(places::address(typed)?),
        false => Place::Folder(machine.folder.join(typed)),
    };
    let shown = typed.trim_end_matches(['/', '\\']).rsplit(['/', '\\']).next().unwrap_or_default();
    let placed = Placed { name: shown.into(), role, place };
    let install = places::open((machine, observer), None, &placed)?;
    let name = match install.folder() {
        Some(folder) => folder.file_name().map(|name| name.to_string_lossy().into_owned()).unwrap_or_default(),
        None => placed.name.as_str().to_owned(),
    };
    let request = Request::new((&name, role), (rulebook, Blake3::of(text.as_bytes())), TrustMemory::No);
    Ok(try_out(install.as_ref(), request, text, one_mod)?)
}
