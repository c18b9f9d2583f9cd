//! The simulated dedicated server: wakes its mods, opens a gate, and judges who may come in.

use std::fs::File;
use std::io::Write;
use std::net::{Ipv4Addr, TcpListener, TcpStream};
use std::path::Path;
use std::time::{Duration, SystemTime, UNIX_EPOCH};

use serde::Deserialize;

use crate::error::StandinError;
use crate::holdings::{self, Carried, Holdings};
use crate::wire::{Answer, Knock, receive, send};

/// The console of the server, which is also its log.
struct Console(File);

impl Console {
    fn say(&mut self, line: &str) -> Result<(), StandinError> {
        let seconds = SystemTime::now().duration_since(UNIX_EPOCH).map_or(0, |since| since.as_secs());
        let (hour, minute, second) = (seconds / 3600 % 24, seconds / 60 % 60, seconds % 60);
        let line = format!("{hour:02}:{minute:02}:{second:02} {line}\n");
        self.0.write_all(line.as_bytes()).and_then(|()| self.0.flush()).map_err(StandinError::io("its log"))
    }
}

/// A station that is up.
pub struct Station {
    own: Holdings,
    console: Console,
}

impl Station {
    /// Wakes the mods of a folder; nothing when the station gave up.
    pub fn open(folder: &Path, log: &Path) -> Result<Option<Self>, StandinError> {
        let mut console = Console(File::create(log).map_err(StandinError::io(log.display().to_string()))?);
        let own = holdings::read(folder)?;
        console.say(&format!("boot: Polarspur station, build {}, Trellis {}", own.build, own.trellis))?;
        for complaint in &own.complaints {
            console.say(&format!("mods: {complaint}"))?;
        }
        for name in &own.passed_over {
            console.say(&format!("mods: passed over {name}"))?;
        }
        for carried in own.mods.iter().filter(|carried| carried.runs != "visitor") {
            console.say(&format!("mods: woke {} {}", carried.id, carried.version))?;
        }
        if !own.complaints.is_empty() {
            console.say("boot: gave up")?;
            return Ok(None);
        }
        Ok(Some(Self { own, console }))
    }

    /// Writes a line of its own.
    pub fn say(&mut self, line: &str) -> Result<(), StandinError> {
        self.console.say(line)
    }

    /// Judges a visitor, and says so on the console.
    pub fn judge(&mut self, knock: &Knock) -> Result<bool, StandinError> {
        self.say(&format!("gate: {} is at the door", knock.player))?;
        let reasons = reasons(&self.own, knock);
        for reason in &reasons {
            self.say(&format!("gate: {} {reason}", knock.player))?;
        }
        let open = reasons.is_empty();
        let end = if open {
            format!("gate: {} came in", knock.player)
        } else {
            format!("gate: turned {} away", knock.player)
        };
        self.say(&end)?;
        Ok(open)
    }
}

/// How a station behaves, beside what its mods make it do: a file of its engine says so.
#[derive(Default, Deserialize)]
#[serde(default, rename_all = "kebab-case")]
struct Temper {
    /// So long it thaws before its gate opens.
    thaws_ms: u64,
    /// So long it thaws on after that.
    thaws_on_ms: u64,
    /// With all of these mods it does not start, and does not say why.
    breaks_with: Vec<String>,
}

impl Temper {
    fn read(folder: &Path) -> Self {
        let text = std::fs::read_to_string(folder.join("engine/temper.toml")).unwrap_or_default();
        toml::from_str(&text).unwrap_or_default()
    }
}

/// Runs the server until it is stopped. Prints its port on standard output once it is ready.
pub fn run(folder: &Path, log: &Path) -> Result<bool, StandinError> {
    let Some(mut station) = Station::open(folder, log)? else { return Ok(false) };
    let temper = Temper::read(folder);
    if !temper.breaks_with.is_empty()
        && temper.breaks_with.iter().all(|id| station.own.mods.iter().any(|own| own.id == *id))
    {
        station.say("boot: something is wrong, and nobody knows what")?;
        station.say("boot: gave up")?;
        return Ok(false);
    }
    std::thread::sleep(Duration::from_millis(temper.thaws_ms));
    let listener = TcpListener::bind((Ipv4Addr::LOCALHOST, 0)).map_err(StandinError::io("its port"))?;
    let port = listener.local_addr().map_err(StandinError::io("its port"))?.port();
    station.say(&format!("gate: open on port {port}"))?;
    println!("{port}");
    std::io::stdout().flush().map_err(StandinError::io("its output"))?;
    for word in ["thawing", "still thawing"].iter().take(if temper.thaws_on_ms > 0 { 2 } else { 0 }) {
        std::thread::sleep(Duration::from_millis(temper.thaws_on_ms / 2));
        station.say(&format!("world: {word}"))?;
    }
    for visitor in listener.incoming() {
        let Ok(stream) = visitor else { continue };
        serve(&mut station, stream)?;
    }
    Ok(true)
}

/// One visitor. Whoever says nothing understandable within three seconds is left standing.
fn serve(station: &mut Station, mut stream: TcpStream) -> Result<(), StandinError> {
    let patience = stream.set_read_timeout(Some(Duration::from_secs(3)));
    let knock: std::io::Result<Knock> = patience.and_then(|()| receive(&stream));
    let Ok(knock) = knock else { return station.say("gate: somebody mumbled and went away") };
    let open = station.judge(&knock)?;
    // The visitor may be gone already; the log has what matters.
    let _ = send(&mut stream, &Answer { open });
    Ok(())
}

/// Everything that keeps a visitor out: loader and build first, then each mod that both sides need.
fn reasons(own: &Holdings, knock: &Knock) -> Vec<String> {
    let mut reasons = Vec::new();
    if knock.trellis != own.trellis {
        reasons.push(format!("runs Trellis {}, this station runs {}", knock.trellis, own.trellis));
    }
    if knock.build != own.build {
        reasons.push(format!("plays build {}, this station is build {}", knock.build, own.build));
    }
    let shared =
        |mods: &[Carried]| mods.iter().filter(|carried| carried.runs == "everywhere").cloned().collect::<Vec<_>>();
    let (ours, theirs) = (shared(&own.mods), shared(&knock.mods));
    for our in &ours {
        match theirs.iter().find(|their| their.id == our.id) {
            None => reasons.push(format!("lacks {} {}", our.id, our.version)),
            Some(their) if their.version != our.version => {
                reasons.push(format!("has {} {}, this station has {}", their.id, their.version, our.version));
            }
            Some(their) if their.fingerprint != our.fingerprint => {
                reasons.push(format!("has {} {} with other contents", their.id, their.version));
            }
            Some(_) => {}
        }
    }
    for their in theirs.iter().filter(|their| !ours.iter().any(|our| our.id == their.id)) {
        reasons.push(format!("brings {} {}, which this station does not have", their.id, their.version));
    }
    reasons
}

#[cfg(test)]
mod tests {
    use super::*;

    fn carried(id: &str, version: &str, runs: &str, fingerprint: &str) -> Carried {
        Carried {
            id: id.to_owned(),
            version: version.to_owned(),
            runs: runs.to_owned(),
            fingerprint: fingerprint.to_owned(),
        }
    }

    #[test]
    fn each_fault_is_named_and_only_shared_mods_count() {
        let ours = vec![
            carried("a", "1", "everywhere", "x"),
            carried("b", "1", "everywhere", "x"),
            carried("c", "1", "everywhere", "x"),
            carried("s", "1", "station", "x"),
        ];
        let own = Holdings {
            build: "1".to_owned(),
            trellis: "0.9".to_owned(),
            mods: ours,
            complaints: Vec::new(),
            passed_over: Vec::new(),
        };
        let theirs = vec![
            carried("a", "2", "everywhere", "y"),
            carried("b", "1", "everywhere", "y"),
            carried("d", "1", "everywhere", "x"),
            carried("v", "1", "visitor", "x"),
        ];
        let knock = Knock { player: "Mara".to_owned(), build: "2".to_owned(), trellis: "0.8".to_owned(), mods: theirs };
        assert_eq!(
            reasons(&own, &knock),
            [
                "runs Trellis 0.8, this station runs 0.9",
                "plays build 2, this station is build 1",
                "has a 2, this station has 1",
                "has b 1 with other contents",
                "lacks c 1",
                "brings d 1, which this station does not have"
            ]
        );
        let same = Knock {
            player: "Mara".to_owned(),
            build: "1".to_owned(),
            trellis: "0.9".to_owned(),
            mods: own.mods.clone(),
        };
        assert!(reasons(&own, &same).is_empty());
    }
}
