//! The demo, and the story behind it step by step.

use crate::stage::Stage;
use rstest::rstest;

#[test]
fn the_demo_ends_as_it_should_and_leaves_its_files_only_when_asked() {
    let stage = Stage::bare();
    stage
        .kanon(["demo", "--color", "never"])
        .ends_with(0)
        .says("steps came out as they should")
        .says("oskar is let in")
        .hides("\u{1b}")
        .hides("u{1b}");
    let coloured = stage.kanon(["demo", "--keep", "story", "--color", "always"]).ends_with(0).hides("u{1b}");
    assert!(coloured.out.contains("\u{1b}[32mdone\u{1b}[0m"), "its colours are those of its commands");
    assert!(coloured.out.contains("are left in "), "{}", coloured.out);
    assert!(stage.path("story/kanon.toml").is_file() && stage.path("story/canon.json").is_file());
    stage.kanon(["demo", "--keep", "story"]).ends_with(2).says("story is not empty");
}

#[rstest]
#[case("station", &["mod-disabled", "version-older"])]
#[case("mara", &["mod-extra"])]
#[case("oskar", &["version-older", "mod-missing", "version-older"])]
#[case("wren", &["content-differs"])]
#[case("tove", &["mod-extra", "mod-duplicate"])]
fn each_install_is_off_in_just_its_faults_is_mended_and_taken_back(#[case] name: &str, #[case] codes: &[&str]) {
    let stage = Stage::sealed();
    stage.world.spoil().unwrap();
    let before = stage.fingerprint(name);
    assert_eq!(stage.codes(name), codes);
    let off = i32::from(name != "mara");
    stage.kanon(["check", name]).ends_with(off);
    stage.kanon(["align", name, "--preview"]).ends_with(off);
    assert_eq!(stage.fingerprint(name), before, "a preview touches nothing");
    stage.kanon(["align", name, "--yes"]).ends_with(0);
    stage.kanon(["check", name, "--thorough"]).ends_with(0);
    if off == 1 {
        assert_ne!(stage.fingerprint(name), before);
        stage.kanon(["undo", name]).ends_with(0);
    }
    assert_eq!(stage.fingerprint(name), before, "names, bytes, times");
    stage.kanon(["undo", name]).ends_with(2).says("no alignment of");
}

#[test]
fn a_survey_in_a_file_serves_as_the_install_and_tells_nothing_private() {
    let stage = Stage::sealed();
    stage.world.spoil().unwrap();
    stage.kanon(["survey", "wren", "-o", "wren.json"]).ends_with(0).says("the survey is in wren.json");
    let text = stage.read("wren.json");
    assert!(!text.contains(stage.path("").to_str().unwrap()), "no path outside the install");
    stage.kanon(["check", "wren.json"]).ends_with(1).says("inside: settings/lamps.json changed").says("by its survey");
    stage.kanon(["align", "wren.json", "--yes"]).ends_with(2).says("only an install can be changed");
    let alone = tempfile::tempdir().unwrap();
    std::fs::copy(stage.path("wren.json"), alone.path().join("wren.json")).unwrap();
    std::fs::copy(stage.path("polarspur.rulebook.toml"), alone.path().join("p.toml")).unwrap();
    let directory = alone.path().to_str().unwrap();
    let station = stage.path("station");
    let words = [
        "-C",
        directory,
        "diagnose",
        "--rulebook",
        "p.toml",
        "--client",
        "wren.json",
        "--server",
        station.to_str().unwrap(),
    ];
    stage.kanon(words).ends_with(1).says("content-differs halogen-lamps").says("which side is off is not known");
}

#[test]
fn a_volunteer_needs_no_workspace() {
    let stage = Stage::bare();
    let lens = ["--rulebook", "polarspur.rulebook.toml", "--role", "client"];
    stage.kanon(["survey", "mara"].into_iter().chain(lens)).ends_with(0).says("mara, a client: 7 mods");
    stage.kanon(["compare", "mara", "oskar"].into_iter().chain(lens)).ends_with(0).says("the same: 7 mods");
    stage
        .kanon(["survey", "mara", "--rulebook", "polarspur.rulebook.toml"])
        .ends_with(2)
        .says("add --role server or --role client");
    stage.kanon(["survey", "mara"]).ends_with(2).says("there is no kanon.toml");
    stage.kanon(["check", "mara"].into_iter().chain(lens)).ends_with(2).says("start one with: kanon init");
}

#[test]
fn a_diagnosis_from_logs_alone_and_from_nothing() {
    let stage = Stage::sealed();
    stage.write("station.log", "10:00 gate: open on port 1\n10:01 gate: mara is at the door\n10:01 gate: mara lacks tide 2.0\n10:01 gate: turned mara away\n");
    let lens = ["--rulebook", "polarspur.rulebook.toml"];
    stage
        .kanon(["diagnose", "--server-log", "station.log"].into_iter().chain(lens))
        .ends_with(1)
        .says("mod-missing tide")
        .says("server-log line 3: 10:01 gate: mara lacks tide 2.0");
    stage.write("well.log", "10:01 gate: mara is at the door\n10:01 gate: mara came in\n");
    stage
        .kanon(["diagnose", "--client", "mara", "--server-log", "well.log"])
        .ends_with(0)
        .says("nothing found: no cause found");
    stage.write("odd.log", "10:01 gate: mara is at the door\n10:01 gate: turned mara away\n");
    stage.kanon(["diagnose", "--client", "mara", "--server-log", "odd.log"]).ends_with(1).says("nothing here explains");
    stage.kanon(["diagnose"]).ends_with(0).says("looked at: the server station, the canon");
    stage
        .kanon(["diagnose", "--client", "station", "--server-log", "none.log"])
        .ends_with(2)
        .says("station is a server, not a client");
    stage.kanon(["diagnose", "--server-log", "none.log"]).ends_with(2).says("could not open the log");
}
