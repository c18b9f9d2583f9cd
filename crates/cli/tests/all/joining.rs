//! A program that is the invite: published, started as a player starts it, and driven through a terminal of its own.

use std::io::Write;
use std::os::unix::fs::PermissionsExt;
use std::path::PathBuf;
use std::process::{Command, Stdio};
use std::time::Duration;

use crate::releases::{Serving, new_game, update};
use crate::stage::{Said, Stage, program};
use rstest::rstest;

/// A stage with a release that has a program and an archive, and that program, as a player has it.
fn published() -> Option<(Stage, PathBuf)> {
    if Command::new("script").arg("--version").output().is_err() {
        eprintln!("skipped: `script` of util-linux is not here, so there is no terminal to drive a dialogue through");
        return None;
    }
    let stage = Stage::sealed();
    update(&stage, "3.3.0");
    std::fs::create_dir(stage.path("programs")).unwrap();
    std::fs::copy(program(), stage.path("programs/kanon")).unwrap();
    let text = stage.read("kanon.toml");
    stage.write("kanon.toml", format!("{text}\n[release]\nzip = true\n"));
    let told = stage.kanon(["publish", "site", "--programs", "programs"]).ends_with(0);
    told.says("ready/join-linux for Linux, ready/all.zip with all mods");
    assert!(stage.read("kanon.toml").contains("programs = \"programs\""));
    let joins = program_of(&stage);
    Some((stage, joins))
}

/// The program that the release has, as a player has it who fetched it. It is not copied: a file that is written can't be started
/// as long as a program that begins at that moment, in another test, has it open.
fn program_of(stage: &Stage) -> PathBuf {
    let joins = stage.path("join");
    let _ = std::fs::remove_file(&joins);
    std::fs::hard_link(stage.path("site/ready/join-linux"), &joins).unwrap();
    std::fs::set_permissions(&joins, std::fs::Permissions::from_mode(0o755)).unwrap();
    joins
}

/// Starts the program in a terminal, in a folder, and types lines one after another.
fn typed(stage: &Stage, joins: &std::path::Path, folder: &str, language: &str, lines: &[&str]) -> Said {
    let mut command = Command::new("script");
    command.args(["-qefc", &format!("'{}'", joins.display()), "/dev/null"]).current_dir(stage.path(folder));
    command.env("HOME", stage.path("home")).env("XDG_CONFIG_HOME", stage.path("home/config"));
    command.env("KANON_LANGUAGE", language).env("KANON_PATIENCE", "5").env("NO_COLOR", "1");
    let mut child = command.stdin(Stdio::piped()).stdout(Stdio::piped()).stderr(Stdio::piped()).spawn().unwrap();
    let mut keys = child.stdin.take().unwrap();
    for line in lines {
        keys.write_all(format!("{line}\n").as_bytes()).unwrap();
        keys.flush().unwrap();
        // What is typed ahead of a question is its answer; only the end of all input must wait for the last of them.
        std::thread::sleep(Duration::from_millis(50));
    }
    let reader = std::thread::spawn(move || child.wait_with_output().unwrap());
    while !reader.is_finished() {
        std::thread::sleep(Duration::from_millis(100));
    }
    drop(keys);
    let output = reader.join().unwrap();
    Said {
        code: output.status.code(),
        out: String::from_utf8_lossy(&output.stdout).into_owned(),
        err: String::from_utf8_lossy(&output.stderr).into_owned(),
    }
}

#[test]
fn a_player_gets_ready_takes_back_and_asks_for_help() {
    let Some((stage, joins)) = published() else { return };
    new_game(&stage, "games/polar");
    stage.write("games/polar/mods/own-thing.psm", std::fs::read(stage.path("mara/mods/snowtrack-3.2.1.psm")).unwrap());
    let first = typed(&stage, &joins, "games/polar", "en", &["1", "y", ""]).ends_with(0);
    first
        .says("Hello! Somebody has invited you to play")
        .says("(it looks like the game)")
        .says("Do this? [y/N]")
        .says("is in line with Longnight")
        .says("You can join now")
        .hides("kanon follow")
        .hides("canon");
    assert!(stage.path("games/polar/mods/snowtrack-3.3.0.psm").exists());
    let again = typed(&stage, &joins, "", "en", &["", ""]).ends_with(0);
    again.says("is known already").says("You can join now").hides("Do this?");
    typed(&stage, &joins, "", "de", &["3", "1", ""]).ends_with(0).says("own-thing.psm ist wieder da");
    assert!(stage.path("games/polar/mods/own-thing.psm").exists());
    typed(&stage, &joins, "", "en", &["4", ""]).ends_with(0).says("for-whoever-helps.zip");
    stage.kanon(["diagnose", "--server", "station", "--client", "for-whoever-helps.zip"]).says("own-thing");
    stage.kanon(["-C", "games/polar", "follow", "--report", "mine.json"]).ends_with(0);
    let report = stage.read("games/polar/mine.json");
    assert!(report.contains("kanon-survey/1") && !report.contains(stage.path("").to_str().unwrap()), "{report}");
    stage.kanon(["diagnose", "--server", "station", "--client", "games/polar/mine.json"]).says("own-thing");
    std::fs::remove_file(stage.path("games/polar/mods/own-thing.psm")).unwrap();
    typed(&stage, &joins, "", "en", &["2", ""]).ends_with(0).says("What was changed last is taken back");
    assert!(!stage.path("games/polar/mods/snowtrack-3.3.0.psm").exists());
    assert!(stage.path("games/polar/mods/own-thing.psm").exists());
}

#[test]
fn nobody_is_promised_what_could_not_be_asked() {
    let Some((stage, _)) = published() else { return };
    let serving = Serving::start(&stage, "site");
    stage.kanon(["publish", "--address", &serving.address]).ends_with(0);
    let joins = program_of(&stage);
    new_game(&stage, "polar");
    typed(&stage, &joins, "polar", "en", &["1", "y", ""]).ends_with(0).says("You can join now");
    drop(serving);
    let told = typed(&stage, &joins, "polar", "en", &["", ""]).ends_with(0);
    told.says("can't be reached").says("as the server wanted it when it could last be asked").hides("You can join now");
}

#[rstest]
#[case::a_no("en", &["1", "n", ""], "You can't join yet")]
#[case::nothing_typed("es", &["", ""], "No se cambió nada")]
#[case::a_folder_that_is_not_there("fr", &["/nowhere/at/all", "", ""], "Il n'y a pas de dossier /nowhere/at/all")]
#[case::a_number_beyond_all("pl", &["77", "", ""], "Nic tu nie ma numeru 77")]
fn whoever_says_no_keeps_everything(#[case] language: &str, #[case] lines: &[&str], #[case] told: &str) {
    let Some((stage, joins)) = published() else { return };
    new_game(&stage, "polar");
    let before = stage.fingerprint("polar");
    typed(&stage, &joins, "polar", language, lines).ends_with(1).says(told);
    assert_eq!(stage.fingerprint("polar"), before);
}

#[test]
fn a_release_that_is_not_there_is_told_and_nothing_is_touched() {
    let Some((stage, joins)) = published() else { return };
    new_game(&stage, "polar");
    let before = stage.fingerprint("polar");
    std::fs::rename(stage.path("site"), stage.path("elsewhere")).unwrap();
    let told = typed(&stage, &joins, "polar", "en", &[""]).ends_with(1);
    told.says("can't be used").says("Nothing was changed.").says("You can't join yet");
    assert_eq!(stage.fingerprint("polar"), before);
}

#[test]
fn the_one_archive_is_all_that_a_player_needs() {
    let Some((stage, joins)) = published() else { return };
    let bytes = std::fs::read(stage.path("site/ready/all.zip")).unwrap();
    new_game(&stage, "byhand");
    let mut archive = zip::ZipArchive::new(std::io::Cursor::new(&bytes)).unwrap();
    archive.extract(stage.path("byhand")).unwrap();
    let notes = stage.read("byhand/READ-ME-FIRST.txt");
    assert!(notes.contains("snowtrack 3.3.0\r\n"), "{notes}");
    let invite = crate::releases::invite(&stage);
    stage.kanon(["follow", "--check", &invite, "byhand"]).ends_with(0).says("in line");
    stage.kanon(["publish"]).ends_with(0).says("says all of this already");
    std::fs::remove_file(stage.path("site/ready/all.zip")).unwrap();
    stage.kanon(["publish"]).ends_with(0);
    assert_eq!(std::fs::read(stage.path("site/ready/all.zip")).unwrap(), bytes, "the same bytes for the same mods");
    let page = stage.read("site/index.html");
    for part in ["ready/join-linux", "ready/all.zip", "How to join", "game.rulebook.toml"] {
        assert!(page.contains(part), "{part} is not on the page");
    }
    drop(joins);
}

/// A release with one mod that players may do without.
fn with_an_optional_mod(stage: &Stage) {
    let text = stage.read("kanon.toml");
    let of_mod = "id = \"sled-dogs\"\n";
    assert!(text.contains(of_mod));
    stage.write("kanon.toml", text.replace(of_mod, &format!("{of_mod}optional = true\n")));
    stage.kanon(["seal"]).ends_with(0);
}

#[test]
fn an_optional_mod_is_offered_once_and_remembered() {
    let Some((stage, joins)) = published() else { return };
    with_an_optional_mod(&stage);
    stage.kanon(["publish"]).ends_with(0);
    new_game(&stage, "polar");
    let there = |stage: &Stage| stage.path("polar/mods/sled-dogs-1.1.0.psm").exists();
    let first = typed(&stage, &joins, "polar", "en", &["1", "n", "y", ""]).ends_with(0);
    first.says("Also take Sled Dogs").says("You can join now");
    assert!(!there(&stage), "nobody wanted it");
    typed(&stage, &joins, "", "en", &["", ""]).ends_with(0).hides("Also take").says("You can join now");
    stage.kanon(["follow", "--yes", "--with", "sled-dogs", "polar"]).ends_with(0).says("Sled Dogs");
    assert!(there(&stage));
    stage.kanon(["follow", "--yes", "polar"]).ends_with(0);
    std::fs::remove_file(stage.path("polar/mods/sled-dogs-1.1.0.psm")).unwrap();
    stage.kanon(["follow", "--yes", "polar"]).ends_with(0).says("Sled Dogs");
    assert!(there(&stage), "what somebody wants comes back");
    stage.kanon(["follow", "--yes", "--without", "sled-dogs", "polar"]).ends_with(0);
    std::fs::remove_file(stage.path("polar/mods/sled-dogs-1.1.0.psm")).unwrap();
    stage.kanon(["follow", "--yes", "polar"]).ends_with(0).hides("Sled Dogs").says("in line");
    assert!(!there(&stage));
    stage.kanon(["follow", "--yes", "--with", "fog", "polar"]).ends_with(2).says("these are: sled-dogs");
    assert!(stage.read("site/index.html").contains("optional"));
}

#[test]
fn a_mod_is_not_optional_and_needed() {
    let stage = Stage::sealed();
    let text = stage.read("kanon.toml");
    let of_mod = "id = \"sled-dogs\"\n";
    stage.write("kanon.toml", text.replace(of_mod, &format!("{of_mod}optional = true\nneeded_on = \"both\"\n")));
    stage.kanon(["seal"]).ends_with(2).says("can't both be");
}

#[test]
fn what_is_no_kanon_carries_no_invite() {
    let stage = Stage::sealed();
    stage.kanon(["publish", "site", "--programs", "mods"]).ends_with(2);
    std::fs::create_dir(stage.path("programs")).unwrap();
    stage.kanon(["publish", "site", "--programs", "programs"]).ends_with(2).says("holds no program");
    std::fs::copy("/bin/true", stage.path("programs/true")).unwrap();
    stage
        .kanon(["publish", "site", "--programs", "programs"])
        .ends_with(2)
        .says("is no Kanon that can carry an invite");
    assert!(!stage.path("site/ready").exists() && !stage.read("kanon.toml").contains("programs"));
    let first = stage.kanon(["publish", "site"]).ends_with(0);
    first.says("the keys that sign releases were made");
}

#[test]
fn one_thing_comes_back_by_its_name() {
    let stage = Stage::sealed();
    update(&stage, "3.3.0");
    stage.kanon(["publish", "site"]).ends_with(0);
    let invite = crate::releases::invite(&stage);
    stage.kanon(["follow", "--yes", &invite, "mara"]).ends_with(0);
    assert!(!stage.path("mara/mods/snowtrack-3.2.1.psm").exists());
    stage.kanon(["follow", "--put-back", "nothing-such", "mara"]).ends_with(2).says("name one of these: snowtrack");
    stage.kanon(["follow", "--put-back", "SNOW", "mara"]).ends_with(0).says("mods/snowtrack-3.2.1.psm is back");
    assert!(stage.path("mara/mods/snowtrack-3.2.1.psm").exists());
    stage.kanon(["follow", "--put-back", "snow", "mara"]).ends_with(1).says("Nothing was set aside here");
    std::fs::remove_file(stage.path("mara/mods/snowtrack-3.2.1.psm")).unwrap();
    stage.kanon(["-C", "mara", "undo"]).ends_with(0).says("taken back");
    assert!(stage.path("mara/mods/snowtrack-3.2.1.psm").exists());
    stage.kanon(["undo"]).ends_with(2).says("name it: station, mara");
    stage.kanon(["follow", "--report", "mara.json", "mara"]).ends_with(0).says("mara.json");
    stage.kanon(["follow", "--put-back", "snow", "oskar"]).ends_with(2).says("follows no release yet");
}

#[test]
fn a_game_that_runs_is_offered_wherever_it_lies() {
    let Some((stage, joins)) = published() else { return };
    std::fs::create_dir(stage.path("home")).unwrap();
    typed(&stage, &joins, "home", "en", &["", ""]).hides("polar winter");
    new_game(&stage, "disk two/kept/polar winter");
    let game = stage.path("disk two/kept/polar winter/engine/winter");
    std::fs::copy("/bin/sleep", &game).unwrap();
    let mut running = Command::new(&game).arg("60").spawn().unwrap();
    let told = typed(&stage, &joins, "home", "en", &["", ""]);
    running.kill().unwrap();
    running.wait().unwrap();
    told.says("polar winter (it looks like the game)").says("Nothing was changed");
}
