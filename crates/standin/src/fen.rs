//! The simulated Tallowfen: a depot and the trains that ask it for the road. Both read their own board and their own yard.

use std::collections::BTreeMap;
use std::fmt::Write as _;
use std::fs::File;
use std::io::{Read, Write};
use std::path::Path;

use serde::{Deserialize, Serialize};
use sha2::{Digest, Sha256};

use crate::error::StandinError;

/// What a train shows at the signal.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct Train {
    /// Whose it is.
    pub player: String,
    /// The game's version.
    pub build: String,
    /// Its loads.
    pub loads: Vec<Load>,
    /// Its wagons, by the names of their files, each with its sum.
    pub wagons: BTreeMap<String, String>,
}

/// A load that is coupled.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct Load {
    pub called: String,
    pub version: String,
    pub sum: String,
}

/// What is in one yard.
struct Yard {
    train: Train,
    complaints: Vec<String>,
    standing: Vec<String>,
}

#[derive(Deserialize)]
struct Board {
    loads: Vec<Entry>,
}

#[derive(Deserialize)]
struct Entry {
    called: String,
    running: bool,
}

#[derive(Deserialize)]
struct Leaflet {
    called: String,
    version: String,
    #[serde(default)]
    wants: Vec<String>,
}

impl Yard {
    fn read(root: &Path, player: &str) -> Result<Self, StandinError> {
        let build = std::fs::read_to_string(root.join("fen/build.toml")).map_err(StandinError::io("fen/build.toml"))?;
        let build: toml::Table = build.parse().unwrap_or_default();
        let build = build
            .get("fen")
            .and_then(|fen| fen.get("version"))
            .and_then(toml::Value::as_str)
            .unwrap_or("none")
            .to_owned();
        let (mut complaints, mut standing) = (Vec::new(), Vec::new());
        let mut there: BTreeMap<String, (Load, Vec<String>)> = BTreeMap::new();
        for name in names(&root.join("loads")).into_iter().filter(|name| name.ends_with(".zip")) {
            match leaflet(&root.join("loads").join(&name)) {
                Some((leaflet, sum)) => {
                    let load = Load { called: leaflet.called.clone(), version: leaflet.version, sum };
                    if there.insert(leaflet.called.clone(), (load, leaflet.wants)).is_some() {
                        complaints.push(format!("{} stands in the yard twice", leaflet.called));
                    }
                }
                None => complaints.push(format!("can't unload {name}")),
            }
        }
        let board = std::fs::read_to_string(root.join("loads/board.json")).unwrap_or_default();
        let board: Board = serde_json::from_str(&board).unwrap_or(Board { loads: Vec::new() });
        let mut loads = Vec::new();
        let on: Vec<&Entry> = board.loads.iter().filter(|entry| entry.running && entry.called != "fen").collect();
        for entry in &on {
            match there.get(&entry.called) {
                Some((load, wants)) => {
                    let wanted = wants.iter().filter(|want| !want.starts_with(['!', '?', '(']));
                    let wanted = wanted.filter_map(|want| want.trim_start_matches(['~', ' ']).split(' ').next());
                    let missing = wanted.filter(|id| {
                        *id != "fen" && !on.iter().any(|other| other.called == *id && there.contains_key(*id))
                    });
                    complaints.extend(missing.map(|id| format!("{} can't go without {id}", entry.called)));
                    loads.push(load.clone());
                }
                None => {
                    complaints.push(format!("the board names {}, and nothing in the yard is called so", entry.called));
                }
            }
        }
        standing.extend(there.keys().filter(|id| !on.iter().any(|entry| entry.called == **id)).cloned());
        let mut wagons = BTreeMap::new();
        for name in names(&root.join("wagons")) {
            let bytes = std::fs::read(root.join("wagons").join(&name)).map_err(StandinError::io(&name))?;
            wagons.insert(name, sum(&bytes));
        }
        Ok(Self { train: Train { player: player.to_owned(), build, loads, wagons }, complaints, standing })
    }
}

fn names(folder: &Path) -> Vec<String> {
    let entries = std::fs::read_dir(folder).into_iter().flatten().flatten();
    let mut names: Vec<String> = entries.map(|entry| entry.file_name().to_string_lossy().into_owned()).collect();
    names.sort();
    names
}

fn sum(bytes: &[u8]) -> String {
    Sha256::digest(bytes).iter().fold(String::new(), |mut text, byte| {
        let _ = write!(text, "{byte:02x}");
        text
    })
}

fn leaflet(path: &Path) -> Option<(Leaflet, String)> {
    let bytes = std::fs::read(path).ok()?;
    let mut zip = zip::ZipArchive::new(std::io::Cursor::new(&bytes)).ok()?;
    let name = zip.file_names().filter_map(Result::ok).find(|name| name.ends_with("/leaflet.json"))?.into_owned();
    let mut text = String::new();
    zip.by_name(&name).ok()?.read_to_string(&mut text).ok()?;
    Some((serde_json::from_str(&text).ok()?, sum(&bytes)))
}

/// A depot that is open.
pub struct Depot {
    own: Train,
    log: File,
    minute: u32,
}

impl Depot {
    /// Opens a depot; nothing when its brakes stay on.
    pub fn open(root: &Path, log: &Path) -> Result<Option<Self>, StandinError> {
        let yard = Yard::read(root, "the depot")?;
        let log = File::create(log).map_err(StandinError::io(log.display().to_string()))?;
        let mut depot = Self { own: yard.train, log, minute: 0 };
        let build = depot.own.build.clone();
        depot.say("INFO", &format!("depot wakes, fen {build}"))?;
        for load in depot.own.loads.clone() {
            depot.say("INFO", &format!("coupled {} {}", load.called, load.version))?;
        }
        for id in &yard.standing {
            depot.say("INFO", &format!("left standing: {id}"))?;
        }
        for complaint in &yard.complaints {
            depot.say("ERROR", complaint)?;
        }
        if !yard.complaints.is_empty() {
            depot.say("FATAL", "the brakes stay on")?;
            return Ok(None);
        }
        depot.say("INFO", "points set, waiting for trains")?;
        Ok(Some(depot))
    }

    /// Writes a line of its own.
    pub fn say(&mut self, level: &str, line: &str) -> Result<(), StandinError> {
        self.minute += 1;
        let at = format!("[2026-11-27 {:02}:{:02}:07] [depot/{level}]", 6 + self.minute / 60, self.minute % 60);
        self.raw(&format!("{at}: {line}"))
    }

    fn raw(&mut self, line: &str) -> Result<(), StandinError> {
        self.log.write_all(format!("{line}\n").as_bytes()).map_err(StandinError::io("its log"))
    }

    /// Judges a train, and says so in the log.
    pub fn judge(&mut self, train: &Train) -> Result<bool, StandinError> {
        self.say("INFO", &format!("train of {} asks for the road", train.player))?;
        let reasons = reasons(&self.own, train);
        if !reasons.is_empty() {
            self.say("WARN", &format!("train of {} differs:", train.player))?;
        }
        for reason in &reasons {
            self.raw(&format!("    - {reason}"))?;
        }
        let open = reasons.is_empty();
        self.say("INFO", &format!("signal {} for {}", if open { "green" } else { "stays red" }, train.player))?;
        Ok(open)
    }
}

fn reasons(own: &Train, train: &Train) -> Vec<String> {
    let mut reasons = Vec::new();
    if own.build != train.build {
        reasons.push(format!("fen {} under it, {} here", train.build, own.build));
    }
    for load in &own.loads {
        match train.loads.iter().find(|other| other.called == load.called) {
            None => reasons.push(format!("{} {} is not in it", load.called, load.version)),
            Some(other) if other.version != load.version => {
                reasons.push(format!("{} is {} in it, and {} here", load.called, other.version, load.version));
            }
            Some(other) if other.sum != load.sum => {
                reasons.push(format!("{} {} in it is not ours to the bolt", load.called, load.version));
            }
            Some(_) => {}
        }
    }
    let strange = train.loads.iter().filter(|load| !own.loads.iter().any(|other| other.called == load.called));
    reasons.extend(strange.map(|load| format!("{} {} is in it, and not here", load.called, load.version)));
    for (name, sum) in &own.wagons {
        match train.wagons.get(name) {
            None => reasons.push(format!("wagon {name} is not in it")),
            Some(other) if other != sum => reasons.push(format!("wagon {name} in it is not ours to the bolt")),
            Some(_) => {}
        }
    }
    let strange = train.wagons.keys().filter(|name| !own.wagons.contains_key(*name));
    reasons.extend(strange.map(|name| format!("wagon {name} is in it, and not here")));
    reasons
}

/// A train on the way: what it shows, and what its log has so far.
pub struct Engine {
    /// What it shows; nothing when its own boiler stays cold.
    pub train: Option<Train>,
    lines: String,
}

impl Engine {
    /// Couples what the board of a folder names.
    pub fn open(root: &Path, player: &str) -> Result<Self, StandinError> {
        let yard = Yard::read(root, player)?;
        let mut lines = format!("engine lit, fen {}\n", yard.train.build);
        for load in &yard.train.loads {
            let _ = writeln!(lines, "coupled {} {}", load.called, load.version);
        }
        for id in &yard.standing {
            let _ = writeln!(lines, "left standing: {id}");
        }
        for complaint in &yard.complaints {
            let _ = writeln!(lines, "trouble: {complaint}");
        }
        Ok(Self { train: yard.complaints.is_empty().then_some(yard.train), lines })
    }

    /// What the player sees, and the log that is left. `open` is what the depot answered, if it is there.
    pub fn end(mut self, open: Option<bool>) -> (&'static str, String) {
        let message = match (&self.train, open) {
            (None, _) => "The boiler is cold. (3)",
            (Some(_), Some(true)) => "Line clear.",
            (Some(_), Some(false)) => "Signal at danger. Ask the depot.",
            (Some(_), None) => "Nobody is in the signal box.",
        };
        let _ = writeln!(self.lines, "sign: {message}");
        (message, self.lines)
    }
}
