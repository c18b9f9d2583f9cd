//! A simulated game, so that Kanon can be tried and tested without one.
//!
//! `station` is a dedicated server and `visitor` a player's client of the invented game Polarspur: real
//! processes that meet over loopback TCP. They have their own, independent idea of what a join needs and share no
//! code with Kanon, so that they are honest judges of it. `hall` and `boat` are the same of Ashmere Reach, where launch
//! lines, keys and signatures count. [`world`] builds the demo's installs, [`tree`] those of
//! other games, and [`shop`] hosts a catalogue.

mod bulk;
pub mod cases;
mod error;
mod fen;
mod holdings;
mod reach;
pub mod shop;
mod station;
pub mod tree;
mod visitor;
mod wire;
pub mod world;

use std::path::PathBuf;

pub use self::error::StandinError;

/// Runs a simulated program as its arguments say. True: the server ended well, or the player was let in.
///
/// # Errors
/// When the arguments are wrong or the machine fails; a refused join is no error.
pub fn run(arguments: &[String]) -> Result<bool, StandinError> {
    let words: Vec<&str> = arguments.iter().map(String::as_str).collect();
    match words.as_slice() {
        ["server", folder, log] => station::run(&PathBuf::from(folder), &PathBuf::from(log)),
        ["client", folder, player, port, log @ ..] if log.len() <= 1 => {
            let port = port.parse().map_err(|_| StandinError::Usage)?;
            visitor::run(&PathBuf::from(folder), player, port, log.first().map(PathBuf::from).as_deref())
        }
        ["hall", folder, log] => reach::hall(&PathBuf::from(folder), &PathBuf::from(log)),
        ["boat", folder, player, port, log @ ..] if log.len() <= 1 => {
            let port = port.parse().map_err(|_| StandinError::Usage)?;
            reach::boat(&PathBuf::from(folder), player, port, log.first().map(PathBuf::from).as_deref())
        }
        ["layout", file, folder] => {
            let text = std::fs::read_to_string(file).map_err(StandinError::io(*file))?;
            tree::build(&text, &PathBuf::from(folder)).map(|()| true)
        }
        ["bulk", mods, releases, file] => {
            let number = |text: &str| text.parse().map_err(|_| StandinError::Usage);
            bulk::write(number(mods)?, number(releases)?, &PathBuf::from(file))
        }
        ["world", folder] => world::World::build(&PathBuf::from(folder)).map(|_| true),
        ["morning", folder] => world::World::at(&PathBuf::from(folder)).spoil().map(|()| true),
        ["game", name, folder] => cases::lay_game(name, &PathBuf::from(folder)).map(|()| true),
        ["case", seed, folder, healthy @ ..] if healthy.len() <= 1 => {
            let seed = seed.parse().map_err(|_| StandinError::Usage)?;
            cases::lay(seed, &PathBuf::from(folder), healthy.first() == Some(&"healthy")).map(|_| true)
        }
        ["shop", folder, fault @ ..] if fault.len() <= 1 => shop::run(&PathBuf::from(folder), fault.first().copied()),
        _ => Err(StandinError::Usage),
    }
}
