//! The simulated boat: takes in the holds of its own launch line, asks to land, and tells the player next to nothing.

use std::fmt::Write;
use std::net::{Ipv4Addr, TcpStream};
use std::path::Path;
use std::time::Duration;

use super::Papers;
use super::holds::{launched, open};
use crate::StandinError;
use crate::wire::{Answer, receive, send};

/// Runs the boat once. True: it landed.
pub fn run(root: &Path, player: &str, port: u16, log: Option<&Path>) -> Result<bool, StandinError> {
    let line = std::fs::read_to_string(root.join("launch.txt")).map_err(StandinError::io("its launch line"))?;
    let (mut holds, mut lines) = (Vec::new(), String::new());
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
    let mut quay = TcpStream::connect((Ipv4Addr::LOCALHOST, port)).map_err(StandinError::io("the hall's port"))?;
    let papers = Papers { player: player.to_owned(), holds };
    let answer: std::io::Result<Answer> = quay
        .set_read_timeout(Some(Duration::from_secs(10)))
        .and_then(|()| send(&mut quay, &papers))
        .and_then(|()| receive(&quay));
    let open = answer.map_err(StandinError::io("the hall's answer"))?.open;
    let message = if open { "You step ashore." } else { "The tide is against you. (17)" };
    let _ = writeln!(lines, "screen: {message}");
    println!("{message}");
    if let Some(log) = log {
        std::fs::write(log, lines).map_err(StandinError::io(log.display().to_string()))?;
    }
    Ok(open)
}
