//! The simulated client: wakes its mods, knocks, and tells the player as little as games do.

use std::fmt::Write;
use std::net::{Ipv4Addr, TcpStream};
use std::path::Path;
use std::time::Duration;

use crate::error::StandinError;
use crate::holdings;
use crate::wire::{Answer, Knock, receive, send};

/// A visitor on the way: what it says at the door, and what its log has so far.
pub struct Visitor {
    /// What it says; nothing when the loader stopped the game.
    pub knock: Option<Knock>,
    lines: String,
}

impl Visitor {
    /// Wakes the mods of a folder.
    pub fn open(folder: &Path, player: &str) -> Result<Self, StandinError> {
        let own = holdings::read(folder)?;
        let mut lines = format!("boot: Polarspur, build {}, Trellis {}\n", own.build, own.trellis);
        for complaint in &own.complaints {
            let _ = writeln!(lines, "mods: {complaint}");
        }
        for name in &own.passed_over {
            let _ = writeln!(lines, "mods: passed over {name}");
        }
        let knock = own.complaints.is_empty().then(|| Knock {
            player: player.to_owned(),
            build: own.build,
            trellis: own.trellis,
            mods: own.mods,
        });
        Ok(Self { knock, lines })
    }

    /// What the player sees, and the log that is left. `open` is what the station answered, if it is there.
    pub fn end(mut self, open: Option<bool>) -> (&'static str, String) {
        let message = match (&self.knock, open) {
            (None, _) => "Trellis stopped unexpectedly.",
            (Some(_), Some(true)) => "Welcome to the station.",
            (Some(_), Some(false)) => "The station did not open the door. (E-7)",
            (Some(_), None) => "The station is not there. (E-1)",
        };
        let _ = writeln!(self.lines, "screen: {message}");
        (message, self.lines)
    }
}

/// Runs the client once. True: it was let in.
pub fn run(folder: &Path, player: &str, port: u16, log: Option<&Path>) -> Result<bool, StandinError> {
    let visitor = Visitor::open(folder, player)?;
    let open = visitor.knock.as_ref().map(|knock| join(knock, port)).transpose()?;
    let (message, lines) = visitor.end(open);
    println!("{message}");
    if let Some(log) = log {
        std::fs::write(log, lines).map_err(StandinError::io(log.display().to_string()))?;
    }
    Ok(open == Some(true))
}

fn join(knock: &Knock, port: u16) -> Result<bool, StandinError> {
    let mut stream = TcpStream::connect((Ipv4Addr::LOCALHOST, port)).map_err(StandinError::io("the station's port"))?;
    let answer: std::io::Result<Answer> = stream
        .set_read_timeout(Some(Duration::from_secs(10)))
        .and_then(|()| send(&mut stream, knock))
        .and_then(|()| receive(&stream));
    Ok(answer.map_err(StandinError::io("the station's answer"))?.open)
}
