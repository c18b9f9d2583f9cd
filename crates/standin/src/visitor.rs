//! The simulated client: wakes its mods, knocks, and tells the player as little as games do.

use std::fmt::Write;
use std::net::{Ipv4Addr, TcpStream};
use std::path::Path;
use std::time::Duration;

use crate::StandinError;
use crate::holdings;
use crate::wire::{Answer, Knock, receive, send};

/// Runs the client once. True: it was let in.
pub fn run(folder: &Path, player: &str, port: u16, log: Option<&Path>) -> Result<bool, StandinError> {
    let own = holdings::read(folder)?;
    let mut lines = format!("boot: Polarspur, build {}, Trellis {}\n", own.build, own.trellis);
    for complaint in &own.complaints {
        let _ = writeln!(lines, "mods: {complaint}");
    }
    let open = own.complaints.is_empty() && {
        let knock = Knock { player: player.to_owned(), build: own.build, trellis: own.trellis, mods: own.mods };
        join(&knock, port)?
    };
    let message = match (own.complaints.is_empty(), open) {
        (false, _) => "Trellis stopped unexpectedly.",
        (true, false) => "The station did not open the door. (E-7)",
        (true, true) => "Welcome to the station.",
    };
    let _ = writeln!(lines, "screen: {message}");
    println!("{message}");
    if let Some(log) = log {
        std::fs::write(log, lines).map_err(StandinError::io(log.display().to_string()))?;
    }
    Ok(open)
}

fn join(knock: &Knock, port: u16) -> Result<bool, StandinError> {
    let mut stream = TcpStream::connect((Ipv4Addr::LOCALHOST, port)).map_err(StandinError::io("the station's port"))?;
    let answer: std::io::Result<Answer> = stream
        .set_read_timeout(Some(Duration::from_secs(10)))
        .and_then(|()| send(&mut stream, knock))
        .and_then(|()| receive(&stream));
    Ok(answer.map_err(StandinError::io("the station's answer"))?.open)
}
