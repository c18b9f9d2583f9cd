//! Where on this machine a game lies: by what its rulebook names, near where somebody is and where people keep games.

use std::path::{Path, PathBuf};

use kanon_core::base::path::InstallPath;
use kanon_core::rulebook::{Role, Rulebook};
use kanon_io::install::LocalInstall;
use kanon_io::measure::{is_game_around, looks_like};
use kanon_io::running::programs_folders;

use crate::machine::Machine;

/// So many folders are found.
const FOUND: usize = 9;
/// So many folders are looked at.
const LOOKED_AT: usize = 400;
/// So many folders above one are looked at for the game that it may lie in.
const ABOVE: usize = 4;

/// Folders that look like the game: where somebody works and the program lies, where a game runs, and in the usual places.
pub fn candidates(machine: &Machine, program: Option<&Path>, rulebook: &Rulebook) -> Vec<PathBuf> {
    let own = program.and_then(Path::parent).map(Path::to_owned);
    let near = [Some(machine.folder.clone()), own].into_iter().flatten().chain(programs_folders());
    let around = near.flat_map(|folder| folder.ancestors().take(3).map(Path::to_owned).collect::<Vec<_>>());
    let inside = usual_places(machine.home().as_deref()).into_iter().flat_map(|place| folders_in(&place));
    let mut found: Vec<PathBuf> = Vec::new();
    for folder in around.chain(inside).take(LOOKED_AT) {
        let is_it = LocalInstall::open(&folder).is_ok_and(|install| looks_like(&install, rulebook, Role::Client));
        let whole = folder.canonicalize().unwrap_or(folder);
        if is_it && !found.contains(&whole) && found.len() < FOUND {
            found.push(whole);
        }
    }
    found
}

/// A folder above one that is the game's, by what its rulebook names: then that one is only a part of it.
pub fn game_around(folder: &Path, rulebook: &Rulebook) -> Option<PathBuf> {
    let holds = |above: &&Path| {
        let below = folder.strip_prefix(above).ok().map(|below| below.to_string_lossy().replace('\\', "/"));
        let part = below.and_then(|below| InstallPath::new(&below).ok());
        let install = LocalInstall::open(above).ok();
        part.zip(install).is_some_and(|(part, install)| is_game_around(&install, rulebook, Role::Client, &part))
    };
    folder.ancestors().skip(1).take(ABOVE).find(holds).map(Path::to_owned)
}

/// Where people keep games.
fn usual_places(home: Option<&Path>) -> Vec<PathBuf> {
    let mut places: Vec<PathBuf> = Vec::new();
    if cfg!(windows) {
        for drive in ["C:\\", "D:\\", "E:\\"] {
            places.extend(["Games", "Program Files", "Program Files (x86)"].map(|name| Path::new(drive).join(name)));
        }
    }
    if let Some(home) = home {
        places.extend(
            ["Games", "games", "Desktop", "Downloads", ".local/share", "Applications"].map(|name| home.join(name)),
        );
    }
    places
}

fn folders_in(place: &Path) -> Vec<PathBuf> {
    let entries = std::fs::read_dir(place).into_iter().flatten().flatten().map(|entry| entry.path());
    let mut folders: Vec<PathBuf> = entries.filter(|path| path.is_dir()).take(LOOKED_AT).collect();
    folders.sort();
    folders
}
