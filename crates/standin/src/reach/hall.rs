//! The simulated hall: reads its launch line, its keys and its goods, and judges every boat by what it has itself.

use std::collections::{BTreeMap, BTreeSet};
use std::fs::File;
use std::io::Write;
use std::net::{Ipv4Addr, TcpListener, TcpStream};
use std::path::Path;
use std::time::Duration;

use ed25519_dalek::{Signature, Verifier, VerifyingKey};

use super::Papers;
use super::holds::{Hold, launched, open};
use crate::error::StandinError;
use crate::wire::{Answer, receive, send};

/// What a hall knows once it is up.
pub struct Hall {
    root: std::path::PathBuf,
    holds: Vec<Hold>,
    keys: BTreeMap<String, VerifyingKey>,
    /// Why nobody may land, whatever they bring.
    closed: Vec<String>,
    log: File,
}

impl Hall {
    /// Takes in the holds of a folder.
    pub fn open(root: &Path, log: &Path) -> Result<Self, StandinError> {
        let log = File::create(log).map_err(StandinError::io(log.display().to_string()))?;
        let mut hall = Self { root: root.to_owned(), holds: Vec::new(), keys: keys(root), closed: Vec::new(), log };
        let start = std::fs::read_to_string(root.join("start.bat")).map_err(StandinError::io("its launch line"))?;
        hall.say("hall: lights on")?;
        for name in launched(&start) {
            match open(root, &name) {
                Ok(hold) => {
                    hall.say(&format!("holds: took in {} {}", hold.id, hold.release))?;
                    hall.holds.push(hold);
                }
                Err(why) => hall.say(&format!("holds: {why}; going on without it"))?,
            }
        }
        for hold in &hall.holds.clone() {
            for why in hall.marks(hold) {
                hall.say(&format!("marks: {} {why}", hold.id))?;
            }
        }
        hall.closed = goods(root).into_iter().chain(passage(root)).chain(room(&start, hall.holds.len())).collect();
        for why in &hall.closed.clone() {
            hall.say(why)?;
        }
        Ok(hall)
    }
}

/// Runs the hall until it is stopped. Prints its port on standard output once it is ready.
pub fn run(root: &Path, log: &Path) -> Result<bool, StandinError> {
    let mut hall = Hall::open(root, log)?;
    let listener = TcpListener::bind((Ipv4Addr::LOCALHOST, 0)).map_err(StandinError::io("its port"))?;
    let port = listener.local_addr().map_err(StandinError::io("its port"))?.port();
    hall.say(&format!("quay: open on port {port}"))?;
    println!("{port}");
    std::io::stdout().flush().map_err(StandinError::io("its output"))?;
    for boat in listener.incoming().flatten() {
        hall.serve(boat)?;
    }
    Ok(true)
}

/// A hall that is given little room takes nobody in.
fn room(start: &str, holds: usize) -> Option<String> {
    let line =
        start.lines().find(|line| !line.trim_start().to_lowercase().starts_with("rem") && line.contains("-room="))?;
    let said: String = line.split("-room=").nth(1)?.chars().take_while(char::is_ascii_digit).collect();
    let (said, wanted): (usize, usize) = (said.parse().ok()?, 512 + 32 * holds);
    (said < wanted).then(|| format!("hall: out of room with {said} of {wanted}"))
}

/// The keys of the folder that are keys, by name.
fn keys(root: &Path) -> BTreeMap<String, VerifyingKey> {
    let mut keys = BTreeMap::new();
    for entry in std::fs::read_dir(root.join("keys")).into_iter().flatten().flatten() {
        let name = entry.file_name().to_string_lossy().into_owned();
        let bytes = std::fs::read(entry.path()).ok().and_then(|bytes| <[u8; 32]>::try_from(bytes).ok());
        if let (Some(name), Some(key)) =
            (name.strip_suffix(".pub"), bytes.and_then(|bytes| VerifyingKey::from_bytes(&bytes).ok()))
        {
            keys.insert(name.to_owned(), key);
        }
    }
    keys
}

/// Goods that are there twice close the market.
fn goods(root: &Path) -> Vec<String> {
    let text = std::fs::read_to_string(root.join("world/goods.xml")).unwrap_or_default();
    let mut seen = BTreeSet::new();
    let names = text.split("<good ").skip(1).filter_map(|rest| rest.split("name=\"").nth(1)?.split('"').next());
    names
        .filter(|name| !seen.insert(*name))
        .map(|name| format!("goods: {name} is there twice, so the market stays shut"))
        .collect()
}

/// The passage that the hall's settings name must be there as a folder.
fn passage(root: &Path) -> Option<String> {
    let text = std::fs::read_to_string(root.join("hall.cfg")).ok()?;
    let line = text.lines().find(|line| line.trim_start().starts_with("passage"))?;
    let name = line.split('"').nth(1)?;
    (!root.join("passages").join(name).is_dir()).then(|| format!("passage: there is no folder {name}"))
}

impl Hall {
    /// Writes a line of its own.
    pub fn say(&mut self, line: &str) -> Result<(), StandinError> {
        self.log
            .write_all(format!("{line}\n").as_bytes())
            .and_then(|()| self.log.flush())
            .map_err(StandinError::io("its log"))
    }

    /// One boat. Whoever says nothing understandable within three seconds is left standing.
    fn serve(&mut self, mut boat: TcpStream) -> Result<(), StandinError> {
        let papers: std::io::Result<Papers> =
            boat.set_read_timeout(Some(Duration::from_secs(3))).and_then(|()| receive(&boat));
        let Ok(papers) = papers else { return self.say("quay: somebody shouted something and left") };
        let open = self.judge(&papers)?;
        // The boat may be gone already; the log has what matters.
        let _ = send(&mut boat, &Answer { open });
        Ok(())
    }

    /// Judges a boat, and says so in the log.
    pub fn judge(&mut self, papers: &Papers) -> Result<bool, StandinError> {
        self.say(&format!("quay: {} is in sight", papers.player))?;
        let reasons = self.reasons(papers);
        for reason in &reasons {
            self.say(&format!("quay: {} {reason}", papers.player))?;
        }
        let open = reasons.is_empty();
        self.say(&format!("quay: {} {}", papers.player, if open { "landed" } else { "was waved off" }))?;
        Ok(open)
    }

    /// Everything that keeps a boat off.
    fn reasons(&self, papers: &Papers) -> Vec<String> {
        if !self.closed.is_empty() {
            return vec!["can't land: the hall is not ready".to_owned()];
        }
        let mut reasons = Vec::new();
        for own in &self.holds {
            match papers.holds.iter().find(|hold| hold.id == own.id) {
                None => reasons.push(format!("lacks {} {}", own.id, own.release)),
                Some(hold) if hold.release != own.release => {
                    reasons.push(format!("has {} {}, this hall has {}", hold.id, hold.release, own.release));
                }
                Some(hold) => reasons.extend(self.compare(own, hold)),
            }
        }
        let strange = papers.holds.iter().filter(|hold| !self.holds.iter().any(|own| own.id == hold.id));
        reasons
            .extend(strange.map(|hold| format!("brings {} {}, which this hall does not have", hold.id, hold.release)));
        let order = |holds: &[Hold]| holds.iter().map(|hold| hold.id.clone()).collect::<Vec<_>>();
        if reasons.is_empty() && order(&self.holds) != order(&papers.holds) {
            reasons.push(format!("has its holds in another order: {}", order(&papers.holds).join(" ")));
        }
        reasons
    }

    fn compare(&self, own: &Hold, hold: &Hold) -> Vec<String> {
        let mut reasons = Vec::new();
        for payload in &own.payloads {
            match hold.payloads.iter().find(|other| other.name == payload.name) {
                None => reasons.push(format!("lacks {} of {}", payload.name, own.id)),
                Some(other) if other.sum != payload.sum => {
                    reasons.push(format!("has {} of {} with other contents", payload.name, own.id));
                }
                Some(_) => {}
            }
        }
        if reasons.is_empty() {
            reasons.extend(self.marks(hold));
        }
        reasons
    }

    /// What is wrong with the marks of a hold whose payloads are those of this hall.
    fn marks(&self, hold: &Hold) -> Vec<String> {
        let mut wrong = Vec::new();
        for payload in &hold.payloads {
            let bytes = std::fs::read(self.root.join("holds").join(&hold.id).join("stock").join(&payload.name));
            let Some((name, mark)) = &payload.mark else {
                wrong.push(format!("has no mark on {}", payload.name));
                continue;
            };
            let Some(key) = self.keys.get(name) else {
                wrong.push(format!("has a mark by {name}, whom nobody here knows"));
                continue;
            };
            let fits =
                Signature::from_slice(mark).is_ok_and(|mark| key.verify(&bytes.unwrap_or_default(), &mark).is_ok());
            if !fits {
                wrong.push(format!("has a mark on {} that {name} never made", payload.name));
            }
        }
        wrong
    }
}
