//! What a player may rely on beside the signatures: clocks, damaged places, the right folder; and what an administrator can mend.

use std::process::Stdio;
use std::time::{Duration, Instant};

use rstest::rstest;

use crate::attacks::Scene;
use crate::releases::{invite, new_game};
use crate::stage::Stage;

/// What is kept of the time is a text of its own; a clock that was wrong wrote it.
fn clock_was(scene: &Scene, time: &str) {
    scene.stage.write("oskar/.kanon/follow/trusted/latest_known_time.json", format!("\"{time}\""));
}

#[test]
fn a_clock_that_was_wrong_once_does_not_lock_a_player_out() {
    let scene = Scene::set();
    let known = "oskar/.kanon/follow/trusted/latest_known_time.json";
    let honest = scene.stage.read(known);
    clock_was(&scene, "2041-01-01T00:00:00Z");
    let said = scene.stage.kanon(["follow", "oskar", "--yes"]).ends_with(2);
    said.says("the clock of this machine shows an earlier time")
        .says("wrong now, or was wrong then")
        .says("--clock-is-right");
    scene.stage.kanon(["follow", "oskar", "--yes", "--clock-is-right"]).ends_with(0);
    scene.stage.kanon(["follow", "oskar", "--yes"]).ends_with(0);
    assert!(scene.stage.read(known) >= honest);
}

/// A clock that is far off finds that all signatures have ended; that is no time to remember.
#[test]
fn a_time_that_nothing_signed_bears_out_is_not_remembered() {
    let scene = Scene::set();
    let known = "oskar/.kanon/follow/trusted/latest_known_time.json";
    let before = scene.stage.read(known);
    let mut command = std::process::Command::new("faketime");
    command.args(["2041-01-01 00:00:00"]).arg(crate::stage::program()).args(["follow", "oskar", "--yes"]);
    command.current_dir(scene.stage.path("")).env("HOME", scene.stage.path("home")).stdin(Stdio::null());
    let Ok(output) = command.output() else {
        eprintln!("skipped: faketime is not installed");
        return;
    };
    let told = String::from_utf8_lossy(&output.stderr).into_owned();
    assert!(told.contains("has ended"), "{told}");
    assert_eq!(scene.stage.read(known), before);
    scene.stage.kanon(["follow", "oskar", "--yes"]).ends_with(0);
}

#[rstest]
#[case::mods("mods")]
#[case::deeper("mods/empty")]
fn a_part_of_the_game_is_not_taken_for_the_game(#[case] part: &str) {
    let scene = Scene::set();
    std::fs::create_dir_all(scene.stage.path(&format!("tove/{part}"))).unwrap();
    let before = scene.game("tove");
    let said = scene.stage.kanon(["follow", &scene.invite, &format!("tove/{part}"), "--yes"]).ends_with(2);
    said.says("lies inside of the game, whose own folder is").says("name that one");
    assert_eq!(scene.game("tove"), before);
    assert!(!scene.stage.path(&format!("tove/{part}/.kanon")).exists());
}

#[test]
fn another_version_of_the_game_is_told_before_anything_is_fetched() {
    let stage = Stage::sealed();
    stage.kanon(["publish", "site"]).ends_with(0);
    let invite = invite(&stage);
    new_game(&stage, "fresh");
    let build = stage.read("fresh/engine/build.json");
    let wanted = serde_json::from_str::<serde_json::Value>(&stage.read("canon.json")).unwrap()["game_version"]
        .as_str()
        .unwrap()
        .to_owned();
    stage.write("fresh/engine/build.json", build.replace(&wanted, "0.0.1"));
    let said = stage.kanon(["follow", &invite, "fresh"]).ends_with(1);
    said.says("the game is 0.0.1 here").says("you can't join");
    assert!(!stage.path("fresh/.kanon").exists(), "nothing was fetched");
}

/// Whatever lies at a place of a release and is damaged there is found, and put right.
#[rstest]
#[case::a_mod("blobs", "")]
#[case::what_is_signed("targets", "kanon.toml")]
#[case::what_only_that_release_says("targets", "release.json")]
#[case::lists("metadata", "targets.json")]
fn a_damaged_place_is_found_and_mended(#[case] folder: &str, #[case] end: &str) {
    let stage = Stage::sealed();
    stage.kanon(["publish", "site"]).ends_with(0);
    let invite = invite(&stage);
    stage.kanon(["publish", "--verify"]).ends_with(0).says("verified").says("says all of this already");
    let files = stage.fingerprint(&format!("site/{folder}"));
    let file = files.keys().find(|name| !name.ends_with('/') && name.ends_with(end)).unwrap().clone();
    let mut bytes = files[&file].0.clone();
    let middle = bytes.len() / 2;
    bytes[middle] ^= 1;
    stage.write(&format!("site/{folder}{file}"), bytes);
    stage.kanon(["publish"]).ends_with(0).says("says all of this already");
    let report = stage.kanon(["publish", "--verify", "--format", "json"]).ends_with(0).json();
    assert_eq!((report["damaged"].as_u64(), report["new"].as_bool()), (Some(1), Some(true)), "{report}");
    // What only the release before had is taken off: nobody hears of it again.
    stage.kanon(["publish", "--verify"]).ends_with(0).says("verified").hides("damaged");
    new_game(&stage, "fresh");
    stage.kanon(["follow", &invite, "fresh", "--yes"]).ends_with(0);
}

#[test]
fn what_could_not_be_published_is_not_remembered() {
    let stage = Stage::sealed();
    let before = stage.read("kanon.toml");
    stage.write("file", "no folder");
    stage.kanon(["publish", "file", "--address", "https://mods.example/a"]).ends_with(2);
    assert_eq!(stage.read("kanon.toml"), before);
    stage.kanon(["publish", "site", "--address", "https://mods.example/a"]).ends_with(0);
    let now = stage.read("kanon.toml");
    assert!(now.contains("to = ") && now.contains("https://mods.example/a"), "{now}");
}

#[rstest]
#[case("days = 0")]
#[case("days = 4000000")]
#[case("days = 99999999999")]
#[case("keep = 0")]
fn no_number_of_days_is_more_than_an_error(#[case] line: &str) {
    let stage = Stage::sealed();
    stage.write("kanon.toml", stage.read("kanon.toml") + "\n[release]\n" + line + "\n");
    stage.kanon(["publish", "site"]).ends_with(2).says("write a number from 1 to").hides("panicked");
}

/// Broken off, a server that was started does not go on, and all mods are put back.
#[test]
fn an_isolation_that_is_broken_off_puts_all_mods_back() {
    let stage = Stage::empty();
    stage.write("g.rulebook.toml", "format = \"kanon-rulebook/1\"\ngame = \"Ebbmoor\"\n[[shelf]]\nname = \"holds\"\nholds = \"files\"\nin = \"holds\"\nmatch = [\"*.hold\"]\n[shelf.mod]\nid = { file-name = '^(?<id>.+)\\.hold$' }\n[[event]]\nmeans = \"ready\"\nline = 'up now'\n");
    for id in ["reed", "rush", "sedge", "moss"] {
        stage.write(&format!("attic/holds/{id}.hold"), id);
    }
    // With all mods it fails at once; with fewer it is silent for long.
    stage.write("attic/run.sh", "#!/bin/sh\n[ $(ls holds | wc -l) = 4 ] && exit 1\necho $$ > pid\nexec sleep 100\n");
    std::fs::set_permissions(stage.path("attic/run.sh"), std::os::unix::fs::PermissionsExt::from_mode(0o755)).unwrap();
    stage.write("kanon.toml", "format = \"kanon/1\"\nname = \"Ebb\"\nrulebook = \"g.rulebook.toml\"\n[install.attic]\nrole = \"server\"\nat = \"attic\"\nrehearsal = true\nstart = [\"./run.sh\"]\nrun-in = \"attic\"\n");
    stage.kanon(["adopt", "attic"]).ends_with(0);
    stage.kanon(["seal"]).ends_with(0);
    let mut command = stage.command(["isolate", "attic", "--yes", "--patience", "90"]);
    let child = command.stdout(Stdio::piped()).stderr(Stdio::piped()).spawn().unwrap();
    let until = Instant::now() + Duration::from_secs(60);
    while !stage.path("attic/pid").exists() && Instant::now() < until {
        std::thread::sleep(Duration::from_millis(50));
    }
    let pid = std::fs::read_to_string(stage.path("attic/pid")).expect("it was started");
    let kill = std::process::Command::new("kill").args(["-INT", &child.id().to_string()]).status();
    assert!(kill.unwrap().success());
    let output = child.wait_with_output().unwrap();
    let told = String::from_utf8_lossy(&output.stderr).into_owned();
    assert_eq!(output.status.code(), Some(2), "{told}");
    assert!(told.contains("all mods of the canon are put back"), "{told}");
    assert_eq!(stage.fingerprint("attic/holds").keys().filter(|name| name.ends_with(".hold")).count(), 4);
    assert!(!std::path::Path::new(&format!("/proc/{}", pid.trim())).exists(), "the server does not go on");
    stage.kanon(["check", "attic"]).ends_with(0);
}

#[test]
fn whoever_breaks_off_an_alignment_is_told_what_to_do() {
    let stage = Stage::sealed();
    // Before anything is done to it, the server is stopped; that takes its time.
    stage.write("slow.sh", "#!/bin/sh\ntouch slowed\nsleep 30\n");
    std::fs::set_permissions(stage.path("slow.sh"), std::os::unix::fs::PermissionsExt::from_mode(0o755)).unwrap();
    let rules = stage.read("polarspur.rulebook.toml");
    let rules = if rules.contains("[running]") {
        rules.replacen("[running]", "[running]\nlock-file = \"night.lock\"", 1)
    } else {
        rules + "\n[running]\nlock-file = \"night.lock\"\n"
    };
    stage.write("polarspur.rulebook.toml", rules);
    stage.kanon(["seal"]).ends_with(0);
    stage.write("station/night.lock", "");
    stage.write(
        "kanon.toml",
        stage.read("kanon.toml").replacen("[install.station]\n", "[install.station]\nstop = [\"./slow.sh\"]\n", 1),
    );
    std::fs::remove_file(stage.path("station/mods/snowtrack-3.2.1.psm")).unwrap();
    let mut command = stage.command(["align", "station", "--yes"]);
    let child = command.stdout(Stdio::piped()).stderr(Stdio::piped()).spawn().unwrap();
    let until = Instant::now() + Duration::from_secs(30);
    while !stage.path("slowed").exists() && Instant::now() < until {
        std::thread::sleep(Duration::from_millis(50));
    }
    assert!(std::process::Command::new("kill").args(["-INT", &child.id().to_string()]).status().unwrap().success());
    let output = child.wait_with_output().unwrap();
    let told = String::from_utf8_lossy(&output.stderr).into_owned();
    assert_eq!(output.status.code(), Some(2), "{told}");
    assert!(told.contains("stopped; nothing was changed by this command"), "{told}");
}
