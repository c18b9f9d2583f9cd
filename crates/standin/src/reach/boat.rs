//! The simulated boat: takes in the holds of its own launch line, asks to land, and tells the player next to nothing.

use std::fmt::Write;
use std::net::{Ipv4Addr, TcpStream};
use std::path::Path;
use std::time::Duration;

use super::Papers;
use super::holds::{launched, open};
use crate::error::StandinError;
use crate::wire::{Answer, receive, send};

/// A boat on the way: its papers, and what its log has so far.
pub struct Boat {
    /// What it shows at the quay.
    pub papers: Papers,
    lines: String,
}

impl Boat {
    /// Takes in the holds of a folder.
    pub fn open(root: &Path, player: &str) -> Result<Self, StandinError> {
        let line = std::fs::read_to_string(root.join("launch.txt")).map_err(StandinError::io("its launch line"))?;
        let (mut holds, mut lines) = (Vec::new(), "boat: casting off\n".to_owned());
        for name in launched(&line) {
            match open(root, &name) {
                Ok(hold) => {
                    let _ = writeln!(lines, "holds: took in {} {}", hold.id, hold.release);
                    holds.push(hold);
                }
                Err(why) => {
                    let _ = writeln!(lines, "holds: {why}; left behind");
                }
            }
        }
        Ok(Self { papers: Papers { player: player.to_owned(), holds }, lines })
    }

    /// What the player sees, and the log that is left.
    pub fn end(mut self, open: bool) -> (&'static str, String) {
        let message = if open { "You step ashore." } else { "The tide is against you. (17)" };
        let _ = writeln!(self.lines, "screen: {message}");
        (message, self.lines)
    }
}

/// Runs the boat once. True: it landed.
pub fn run(root: &Path, player: &str, port: u16, log: Option<&Path>) -> Result<bool, StandinError> {
    let boat = Boat::open(root, player)?;
    let mut quay = TcpStream::connect((Ipv4Addr::LOCALHOST, port)).map_err(StandinError::io("the hall's port"))?;
    let answer: std::io::Result<Answer> = quay
        .set_read_timeout(Some(Duration::from_secs(10)))
        .and_then(|()| send(&mut quay, &boat.papers))
        .and_then(|()| receive(&quay));
    let open = answer.map_err(StandinError::io("the hall's answer"))?.open;
    let (message, lines) = boat.end(open);
    println!("{message}");
    if let Some(log) = log {
        std::fs::write(log, lines).map_err(StandinError::io(log.display().to_string()))?;
    }
    Ok(open)
}
