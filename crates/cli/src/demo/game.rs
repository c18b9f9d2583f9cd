//! The simulated game of the demo, as processes of their own.

use std::io::{BufRead, BufReader};
use std::path::Path;
use std::process::{Child, Stdio};

use kanon_standin::world::World;

use super::stage::Stage;
use crate::failure::Failure;

/// A running simulated server; it is stopped when this is dropped.
pub struct Station {
    process: Child,
    port: String,
}

impl Station {
    /// Starts the server and waits until it says its port.
    pub fn start(stage: &Stage<'_>, world: &World, log: &str) -> Result<Self, Failure> {
        Self::start_as(stage, "server", &world.folder("station"), log)
    }

    /// Starts a hall of the other game likewise.
    pub fn hall(stage: &Stage<'_>, folder: &Path, log: &str) -> Result<Self, Failure> {
        Self::start_as(stage, "hall", folder, log)
    }

    fn start_as(stage: &Stage<'_>, what: &str, folder: &Path, log: &str) -> Result<Self, Failure> {
        let failed = |error| Failure::plain("could not start the simulated server").because(error);
        let mut command = stage.program();
        command.arg("standin").arg(what).arg(folder).arg(stage.root().join(log)).stdout(Stdio::piped());
        let mut process = command.spawn().map_err(failed)?;
        let mut port = String::new();
        if let Some(output) = process.stdout.take() {
            BufReader::new(output).read_line(&mut port).map_err(failed)?;
        }
        let station = Self { process, port: port.trim().to_owned() };
        if station.port.is_empty() {
            return Err(
                Failure::plain("the simulated server gave up").hint(format!("its log is {log} in the demo's folder"))
            );
        }
        Ok(station)
    }

    /// Lets a player join and notes whether the door was as it should be.
    pub fn join(&self, stage: &mut Stage<'_>, world: &World, player: &str, welcome: bool) -> Result<(), Failure> {
        self.join_as(stage, ("client", &world.folder(player)), player, welcome)
    }

    /// Lets a boat come to a hall likewise.
    pub fn land(&self, stage: &mut Stage<'_>, folder: &Path, player: &str, welcome: bool) -> Result<(), Failure> {
        self.join_as(stage, ("boat", folder), player, welcome)
    }

    fn join_as(
        &self,
        stage: &mut Stage<'_>,
        (what, folder): (&str, &Path),
        player: &str,
        welcome: bool,
    ) -> Result<(), Failure> {
        let mut command = stage.program();
        let log = stage.root().join(format!("{player}.log"));
        command.arg("standin").arg(what).arg(folder).arg(player).arg(&self.port).arg(log);
        let output =
            command.output().map_err(|error| Failure::plain("could not start the simulated client").because(error))?;
        stage.quote(&format!("{player}'s screen"), &String::from_utf8_lossy(&output.stdout));
        let what = if welcome { format!("{player} is let in") } else { format!("{player} is turned away") };
        stage.expect(&what, output.status.code() == Some(i32::from(!welcome)));
        Ok(())
    }
}

/// A running simulated host of a catalogue; it is closed when this is dropped.
pub struct ShopOpen {
    process: Child,
    port: String,
}

impl ShopOpen {
    /// Opens a folder to the world, as it were.
    pub fn start(stage: &Stage<'_>, folder: &Path) -> Result<Self, Failure> {
        let failed = |error| Failure::plain("could not start the simulated host").because(error);
        let mut command = stage.program();
        command.arg("standin").arg("shop").arg(folder).stdin(Stdio::piped()).stdout(Stdio::piped());
        let mut process = command.spawn().map_err(failed)?;
        let mut port = String::new();
        if let Some(output) = process.stdout.take() {
            BufReader::new(output).read_line(&mut port).map_err(failed)?;
        }
        Ok(Self { process, port: port.trim().to_owned() })
    }

    /// Where it is.
    pub fn address(&self) -> String {
        format!("http://127.0.0.1:{}/", self.port)
    }
}

impl Drop for ShopOpen {
    fn drop(&mut self) {
        // It may have ended by itself; either way it is gone after this.
        let _ = self.process.kill();
        let _ = self.process.wait();
    }
}

impl Drop for Station {
    fn drop(&mut self) {
        // It may have ended by itself; either way it is gone after this.
        let _ = self.process.kill();
        let _ = self.process.wait();
    }
}
