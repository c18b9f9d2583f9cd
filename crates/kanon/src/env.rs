//! The world, read once: everything a command may know of the machine it runs on.

use std::io::IsTerminal;
use std::path::PathBuf;

use crate::arguments::{Format, Global};
use crate::failure::Failure;

/// What a command may know of the machine.
#[derive(Debug)]
pub struct Env {
    /// The folder that paths are relative to, and where the workspace is looked for.
    pub folder: PathBuf,
    /// Whether somebody can be asked.
    pub can_ask: bool,
    /// How the report is printed.
    pub format: Format,
    /// Whether more is told.
    pub verbose: bool,
}

impl Env {
    /// Reads the world.
    pub fn read(global: &Global) -> Result<Self, Failure> {
        let current = std::env::current_dir()
            .map_err(|error| Failure::plain("could not tell the current folder").because(error))?;
        let folder = global.directory.as_ref().map_or_else(|| current.clone(), |directory| current.join(directory));
        if !folder.is_dir() {
            return Err(Failure::plain(format!("there is no folder {}", folder.display()))
                .hint("give -C a folder that is there"));
        }
        let can_ask = std::io::stdin().is_terminal() && std::io::stderr().is_terminal();
        Ok(Self { folder, can_ask, format: global.format, verbose: global.verbose })
    }
}
