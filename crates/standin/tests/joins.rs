//! The simulated game as its programs: who is let in, who is turned away, and what the console says about it.

#![allow(clippy::unwrap_used, missing_docs, reason = "a test that unwraps nothing tells nothing")]

use std::io::{BufRead, BufReader};
use std::path::{Path, PathBuf};
use std::process::{Child, Command, Output, Stdio};

use kanon_standin::world::World;

const PROGRAM: &str = env!("CARGO_BIN_EXE_kanon-standin");

struct Station {
    process: Child,
    port: String,
    log: PathBuf,
}

impl Station {
    /// Starts the station; a port of no digits means that it gave up.
    fn start(folder: &Path, log: PathBuf) -> Self {
        let mut command = Command::new(PROGRAM);
        let mut process = command.arg("server").arg(folder).arg(&log).stdout(Stdio::piped()).spawn().unwrap();
        let mut port = String::new();
        BufReader::new(process.stdout.take().unwrap()).read_line(&mut port).unwrap();
        Self { process, port: port.trim().to_owned(), log }
    }

    fn join(&self, folder: &Path, player: &str) -> Output {
        Command::new(PROGRAM).arg("client").arg(folder).arg(player).arg(&self.port).output().unwrap()
    }

    fn console(&self) -> String {
        std::fs::read_to_string(&self.log).unwrap()
    }
}

impl Drop for Station {
    fn drop(&mut self) {
        let _ = self.process.kill();
        let _ = self.process.wait();
    }
}

#[test]
fn everybody_is_welcome_until_something_is_spoilt() {
    let temp = tempfile::tempdir().unwrap();
    let world = World::build(temp.path()).unwrap();
    let station = Station::start(&world.folder("station"), temp.path().join("console.log"));
    for player in ["mara", "oskar", "wren", "tove"] {
        let said = station.join(&world.folder(player), player);
        assert_eq!((said.status.code(), said.stdout.as_slice()), (Some(0), b"Welcome to the station.\n".as_slice()));
        assert!(station.console().contains(&format!("gate: {player} came in")));
    }
    drop(station);
    world.spoil().unwrap();
    let station = Station::start(&world.folder("station"), temp.path().join("console.log"));
    for (player, reason) in [
        ("mara", "mara has snowtrack 3.2.1, this station has 3.1.0"),
        ("oskar", "oskar lacks drift-radio 1.1.0"),
        ("wren", "wren has halogen-lamps 2.0.4 with other contents"),
    ] {
        let said = station.join(&world.folder(player), player);
        let message = String::from_utf8(said.stdout).unwrap();
        assert_eq!((said.status.code(), message.as_str()), (Some(1), "The station did not open the door. (E-7)\n"));
        assert!(station.console().contains(reason), "{}", station.console());
        assert!(station.console().contains(&format!("gate: turned {player} away")));
    }
    let said = station.join(&world.folder("tove"), "tove");
    assert_eq!((said.status.code(), said.stdout.as_slice()), (Some(1), b"Trellis stopped unexpectedly.\n".as_slice()));
    assert!(!station.console().contains("tove"), "she never got to the door");
}

#[test]
fn the_loader_and_the_build_are_judged_too() {
    let temp = tempfile::tempdir().unwrap();
    let world = World::build(temp.path()).unwrap();
    let engine = world.folder("mara").join("engine");
    std::fs::rename(engine.join("trellis-0.9.1.psb"), engine.join("trellis-0.8.0.psb")).unwrap();
    std::fs::write(engine.join("build.json"), r#"{"build": {"version": "1.5.0"}}"#).unwrap();
    let station = Station::start(&world.folder("station"), temp.path().join("console.log"));
    assert_eq!(station.join(&world.folder("mara"), "mara").status.code(), Some(1));
    assert!(station.console().contains("mara runs Trellis 0.8.0, this station runs 0.9.1"));
    assert!(station.console().contains("mara plays build 1.5.0, this station is build 1.4.2"));
}

#[test]
fn a_station_with_a_mod_it_can_not_open_gives_up() {
    let temp = tempfile::tempdir().unwrap();
    let world = World::build(temp.path()).unwrap();
    std::fs::write(world.folder("station").join("mods/broken.psm"), "no archive").unwrap();
    let station = Station::start(&world.folder("station"), temp.path().join("console.log"));
    assert_eq!(station.port, "");
    assert!(station.console().contains("mods: could not open broken.psm\n"));
    assert!(station.console().contains("boot: gave up"));
}

#[test]
fn somebody_who_mumbles_is_left_standing_and_the_next_one_is_served() {
    let temp = tempfile::tempdir().unwrap();
    let world = World::build(temp.path()).unwrap();
    let station = Station::start(&world.folder("station"), temp.path().join("console.log"));
    let mut stream = std::net::TcpStream::connect(format!("127.0.0.1:{}", station.port)).unwrap();
    std::io::Write::write_all(&mut stream, b"hello?\n").unwrap();
    drop(stream);
    assert_eq!(station.join(&world.folder("wren"), "wren").status.code(), Some(0));
    assert!(station.console().contains("somebody mumbled"));
}

#[test]
fn the_world_is_the_same_every_time() {
    let (one, two) = (tempfile::tempdir().unwrap(), tempfile::tempdir().unwrap());
    for temp in [&one, &two] {
        World::build(temp.path()).unwrap().spoil().unwrap();
    }
    for path in
        ["station/mods/snowtrack-3.1.0.psm", "wren/mods/halogen-lamps-2.0.4.psm", "tove/mods/old-lantern-0.2.psm"]
    {
        let (a, b) = (one.path().join(path), two.path().join(path));
        assert_eq!(std::fs::read(&a).unwrap(), std::fs::read(&b).unwrap(), "{path}");
        assert_eq!(
            std::fs::metadata(&a).unwrap().modified().unwrap(),
            std::fs::metadata(&b).unwrap().modified().unwrap()
        );
    }
}

#[test]
fn wrong_words_are_told() {
    let said = Command::new(PROGRAM).arg("dance").output().unwrap();
    assert_eq!(said.status.code(), Some(2));
    assert!(String::from_utf8(said.stderr).unwrap().contains("usage: server FOLDER LOG"));
}

/// A hall and a boat of the other game, as they are on a good evening.
fn reach() -> (tempfile::TempDir, World) {
    let temp = tempfile::tempdir().unwrap();
    let world = World::build(temp.path()).unwrap();
    world.evening("reach").unwrap();
    (temp, world)
}

fn hall(world: &World, log: PathBuf) -> Station {
    let mut command = Command::new(PROGRAM);
    let folder = world.folder("reach/hall");
    let mut process = command.arg("hall").arg(folder).arg(&log).stdout(Stdio::piped()).spawn().unwrap();
    let mut port = String::new();
    BufReader::new(process.stdout.take().unwrap()).read_line(&mut port).unwrap();
    Station { process, port: port.trim().to_owned(), log }
}

fn lands(hall: &Station, world: &World, player: &str) -> bool {
    let folder = world.folder(&format!("reach/{player}"));
    let said = Command::new(PROGRAM).arg("boat").arg(folder).arg(player).arg(&hall.port).output().unwrap();
    let message = String::from_utf8(said.stdout).unwrap();
    assert!(message == "You step ashore.\n" || message == "The tide is against you. (17)\n", "{message}");
    said.status.success()
}

#[test]
fn a_boat_lands_when_its_launch_line_its_payloads_and_its_marks_are_the_halls() {
    let (temp, world) = reach();
    let log = temp.path().join("hall.log");
    let open = hall(&world, log.clone());
    assert!(lands(&open, &world, "rowan"));
    let rowan = world.folder("reach/rowan");
    let line = std::fs::read_to_string(rowan.join("launch.txt")).unwrap();
    let faults: [(&str, String, &str); 4] = [
        ("launch.txt", line.replace("#tide-gates;#lantern-fish", "#lantern-fish;#tide-gates"), "another order"),
        ("launch.txt", line.replace(";#salt-maps", ""), "lacks salt-maps 1.0"),
        ("holds/tide-gates/stock/gates.hold", "ajar\n".to_owned(), "gates.hold of tide-gates with other contents"),
        ("holds/tide-gates/stock/gates.hold.tidewright.mark", "no mark".to_owned(), "that tidewright never made"),
    ];
    for (path, spoilt, reason) in faults {
        let before = std::fs::read(rowan.join(path)).unwrap();
        std::fs::write(rowan.join(path), spoilt).unwrap();
        assert!(!lands(&open, &world, "rowan"), "{reason}");
        assert!(open.console().contains(reason), "{reason} in {}", open.console());
        std::fs::write(rowan.join(path), before).unwrap();
    }
    std::fs::rename(
        rowan.join("holds/salt-maps/stock/maps.hold.bellfounder.mark"),
        rowan.join("holds/salt-maps/stock/maps.hold.stranger.mark"),
    )
    .unwrap();
    assert!(!lands(&open, &world, "rowan"));
    assert!(open.console().contains("has a mark by stranger, whom nobody here knows"));
    assert!(lands(&open, &world, "alder"));
}

#[test]
fn a_hall_that_was_changed_by_hand_lets_nobody_land() {
    let (temp, world) = reach();
    world.spoil_hall("reach/hall").unwrap();
    let open = hall(&world, temp.path().join("hall.log"));
    assert!(!lands(&open, &world, "rowan"));
    for reason in ["no hold is called tide-gaets", "bell-small is there twice", "there is no folder ashmere.high"] {
        assert!(open.console().contains(reason), "{reason} in {}", open.console());
    }
}
