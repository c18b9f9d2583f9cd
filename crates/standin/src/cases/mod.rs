//! Cases of failed joins out of nothing: a right server and a right client, one or two faults, what both logs and the player's screen
//! then say, and the truth of it. The seed gives the case.

mod faults;
mod truth;
mod written;

use std::fmt::Write as _;
use std::path::{Path, PathBuf};

use serde::Serialize;

use self::faults::{FAULTS, Fault, Game};
use self::truth::Dice;
pub use self::truth::Truth;
use self::written::write;
use crate::error::StandinError;
use crate::fen::{Depot, Engine};
use crate::reach::{Boat, Hall};
use crate::station::Station;
use crate::visitor::Visitor;
use crate::world::{EVENING, EVENING_RULEBOOK, World};
use crate::{fen::Train, reach::Papers, tree, wire::Knock};

const RAILWAY: &str = include_str!("../../../../demo/tallowfen/railway.tree");
const RAILWAY_RULEBOOK: &str = include_str!("../../../../demo/tallowfen/railway.rulebook.toml");
/// Who plays besides.
const OTHERS: [&str; 5] = ["Wren", "Tove", "Alder", "Rowan", "Juno"];

/// A case, as it was laid.
#[derive(Debug, Clone, Serialize)]
pub struct Case {
    /// The game.
    pub game: &'static str,
    /// Who could not join.
    pub player: &'static str,
    /// What is wrong; nothing where all is well.
    pub truth: Vec<Truth>,
    /// What the player saw.
    pub message: String,
    /// Whether the player got in.
    pub joined: bool,
}

/// Lays a right server, a right client and the rulebook of a game in a folder.
///
/// # Errors
/// When there is no such game, or the folder can't be written.
pub fn lay_game(name: &str, root: &Path) -> Result<(), StandinError> {
    match Game::of_word(name).ok_or(StandinError::Usage)? {
        Game::Polarspur => World::pair(root),
        Game::Ashmere => {
            tree::build(&of_two(EVENING, &["hall", "rowan"]), root)?;
            write(root, "rulebook.toml", EVENING_RULEBOOK.as_bytes())
        }
        Game::Tallowfen => {
            tree::build(RAILWAY, root)?;
            write(root, "rulebook.toml", RAILWAY_RULEBOOK.as_bytes())
        }
    }
}

/// The evening's tree with a hall and one boat alone, called server and client.
fn of_two(text: &str, names: &[&str; 2]) -> String {
    let mut out = String::new();
    for section in text.split("\n=== ").skip(1) {
        let path = section.split([' ', '\n']).next().unwrap_or_default();
        if names.iter().any(|name| path.starts_with(&format!("{name}/"))) {
            let renamed = section.replace("hall/", "server/").replace("rowan/", "client/");
            let _ = write!(out, "\n=== {renamed}");
        }
    }
    out
}

/// Lays a case: folders `server` and `client`, logs `server.log` and `client.log`, and `truth.json`.
///
/// # Errors
/// When the folder can't be written.
pub fn lay(seed: u64, root: &Path, is_healthy: bool) -> Result<Case, StandinError> {
    let mut dice = Dice(seed);
    let game = *dice.pick(&[Game::Polarspur, Game::Ashmere, Game::Tallowfen]);
    lay_game(game.word(), root)?;
    let right = root.join(".right");
    lay_game(game.word(), &right)?;
    let player = *dice.pick(&["Mara", "Oskar", "Ida"]);
    let count = if is_healthy { 0 } else { 1 + usize::from(dice.roll(3) == 0) };
    let of_game: Vec<&Fault> = FAULTS.iter().filter(|fault| fault.game == game).collect();
    let mut truth: Vec<Truth> = Vec::new();
    while truth.len() < count {
        let fault = dice.pick(&of_game);
        let others: Vec<String> = truth.iter().filter_map(|known| known.mod_id.clone()).collect();
        let is_like = truth
            .iter()
            .any(|known| known.kind == fault.kind || faults::topic(known.kind) == faults::topic(fault.kind));
        if is_like {
            continue;
        }
        if let Some(mod_id) = fault.lay(root, &others, &mut dice)? {
            truth.push(fault.truth(mod_id));
        }
    }
    let evening = Evening { root, right: &right, player, dice: &mut dice };
    let (message, joined) = match game {
        Game::Polarspur => evening.at_the_station()?,
        Game::Ashmere => evening.at_the_hall()?,
        Game::Tallowfen => evening.at_the_depot()?,
    };
    std::fs::remove_dir_all(&right).map_err(StandinError::io("the right installs"))?;
    let case = Case { game: game.word(), player, truth, message: message.to_owned(), joined };
    let json = serde_json::to_string_pretty(&case).unwrap_or_default();
    write(root, "truth.json", json.as_bytes())?;
    Ok(case)
}

/// What happens around the join in question, so that logs are as logs are: others come and go, the player has tried before.
struct Evening<'a> {
    root: &'a Path,
    right: &'a Path,
    player: &'static str,
    dice: &'a mut Dice,
}

impl Evening<'_> {
    fn path(&self, name: &str) -> PathBuf {
        self.root.join(name)
    }

    /// Somebody else who plays.
    fn other(&mut self) -> &'static str {
        OTHERS[self.dice.roll(OTHERS.len())]
    }

    fn leave(&self, log: &str) -> Result<(), StandinError> {
        write(self.root, "client.log", log.as_bytes())
    }

    fn at_the_station(mut self) -> Result<(&'static str, bool), StandinError> {
        let visitor = Visitor::open(&self.path("client"), self.player)?;
        let mut open = None;
        if let Some(mut station) = Station::open(&self.path("server"), &self.path("server.log"))? {
            station.say("gate: open on port 4100")?;
            let before = Visitor::open(&self.right.join("client"), self.other())?;
            if let Some(knock) = &before.knock {
                station.judge(knock)?;
                if self.dice.roll(2) == 0 {
                    // An earlier try, before the player had mended something.
                    let mods = knock.mods.iter().skip(1).cloned().collect();
                    station.judge(&Knock { player: self.player.to_owned(), mods, ..knock.clone() })?;
                }
            }
            for _ in 0..self.dice.roll(4) {
                station.say(&format!("clock: {} ms behind", 100 + self.dice.roll(900)))?;
            }
            open = visitor.knock.as_ref().map(|knock| station.judge(knock)).transpose()?;
            if let Some(knock) = before.knock.as_ref().filter(|_| self.dice.roll(2) == 0) {
                station.judge(&Knock { player: self.other().to_owned(), ..knock.clone() })?;
            }
        }
        let (message, log) = visitor.end(open);
        self.leave(&log)?;
        Ok((message, open == Some(true)))
    }

    fn at_the_hall(mut self) -> Result<(&'static str, bool), StandinError> {
        let boat = Boat::open(&self.path("client"), self.player)?;
        let mut hall = Hall::open(&self.path("server"), &self.path("server.log"))?;
        hall.say("quay: open on port 4100")?;
        let other = Boat::open(&self.right.join("client"), self.other())?;
        hall.judge(&other.papers)?;
        if self.dice.roll(2) == 0 {
            let holds = other.papers.holds.iter().take(1).cloned().collect();
            hall.judge(&Papers { player: self.player.to_owned(), holds })?;
        }
        hall.say("quay: gulls")?;
        let open = hall.judge(&boat.papers)?;
        if self.dice.roll(2) == 0 {
            hall.judge(&Papers { player: self.other().to_owned(), ..other.papers })?;
        }
        let (message, log) = boat.end(open);
        self.leave(&log)?;
        Ok((message, open))
    }

    fn at_the_depot(mut self) -> Result<(&'static str, bool), StandinError> {
        let engine = Engine::open(&self.path("client"), self.player)?;
        let mut open = None;
        if let Some(mut depot) = Depot::open(&self.path("server"), &self.path("server.log"))? {
            let other = Engine::open(&self.right.join("client"), self.other())?;
            if let Some(train) = &other.train {
                depot.judge(train)?;
                if self.dice.roll(2) == 0 {
                    let loads = train.loads.iter().skip(1).cloned().collect();
                    depot.judge(&Train { player: self.player.to_owned(), loads, ..train.clone() })?;
                }
            }
            depot.say("WARN", &format!("trains run {} s late", 1 + self.dice.roll(9)))?;
            open = engine.train.as_ref().map(|train| depot.judge(train)).transpose()?;
        }
        let (message, log) = engine.end(open);
        self.leave(&log)?;
        Ok((message, open == Some(true)))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_seed_gives_the_case_and_every_fault_keeps_the_player_out() {
        let mut kinds = std::collections::BTreeSet::new();
        for seed in 0..250 {
            let temp = tempfile::tempdir().expect("a folder");
            let case = lay(seed, &temp.path().join("a"), false).expect("laid");
            assert!(!case.joined && !case.truth.is_empty(), "{seed}: {case:?}");
            kinds.extend(case.truth.iter().map(|truth| truth.kind));
            if seed % 25 == 0 {
                let again = lay(seed, &temp.path().join("b"), false).expect("laid");
                assert_eq!((again.truth, again.message), (case.truth, case.message));
            }
        }
        assert!(kinds.len() >= 30, "{kinds:?}");
    }

    #[test]
    fn healthy_pairs_get_in() {
        for seed in 0..12 {
            let temp = tempfile::tempdir().expect("a folder");
            let case = lay(seed, temp.path(), true).expect("laid");
            assert!(case.joined && case.truth.is_empty(), "{case:?}");
        }
    }
}
