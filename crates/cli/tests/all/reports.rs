//! What other programs lean on: the JSON of each report, exit codes, quietness and colour.

use crate::stage::{Stage, fits_its_schema};
use serde_json::Value;

fn has(value: &Value, keys: &[&str]) {
    for key in keys {
        assert!(value.get(key).is_some(), "`{key}` is not in {value}");
    }
}

#[test]
fn every_report_has_its_fields() {
    let stage = Stage::sealed();
    stage.world.spoil().unwrap();
    let survey = stage.kanon(["survey", "wren", "--format", "json"]).ends_with(0).json();
    assert_eq!(survey["format"], "kanon-survey/1");
    has(&survey["install"], &["name", "role", "game_version", "loader_version"]);
    has(&survey, &["mods", "lists", "keys", "settings", "unreadable"]);
    let fields =
        ["id", "version", "title", "needed_on", "shelf", "enabled", "path", "digest", "files", "relations", "provides"];
    has(&survey["mods"][0], &fields);
    has(&survey["mods"][0]["files"][0], &["path", "size", "blake3"]);
    has(&survey["mods"][2]["relations"][0], &["kind", "id", "range"]);
    let check = stage.kanon(["check", "--format", "json"]).ends_with(1).json();
    assert_eq!((&check["format"], &check["in_line"]), (&"kanon-check/1".into(), &false.into()));
    has(&check["installs"][0], &["name", "role", "in_line", "known_by", "findings"]);
    has(&check["installs"][0]["findings"][0], &["code", "severity", "mod", "path", "expected", "found", "remedy"]);
    let diagnosis = stage.kanon(["diagnose", "--client", "oskar", "--format", "json"]).ends_with(1).json();
    assert_eq!(diagnosis["format"], "kanon-diagnosis/1");
    has(&diagnosis["verdicts"][0], &["cause", "mod", "side", "confidence", "confirmed_by", "evidence", "remedy"]);
    has(&diagnosis["verdicts"][0]["evidence"][0], &["source", "line", "text"]);
    has(&diagnosis["verdicts"][0]["remedy"][0], &["who", "command", "words"]);
    let compared = stage.kanon(["compare", "canon", "wren", "--format", "json"]).ends_with(1).json();
    assert_eq!(compared["columns"], serde_json::json!(["canon", "wren"]));
    let aligned = stage.kanon(["align", "wren", "--preview", "--format", "json"]).ends_with(1).json();
    has(&aligned, &["format", "install", "steps", "done"]);
    has(&aligned["steps"][0], &["action", "path", "why", "bytes"]);
    let history = stage.kanon(["history", "--format", "json"]).ends_with(0).json();
    assert_eq!(history["format"], "kanon-history/1");
}

/// Everything that other programs read, against the schemas that docs/schemas promises.
#[test]
fn every_report_fits_its_schema() {
    let stage = Stage::sealed();
    stage.world.spoil().unwrap();
    let json = |words: &[&str]| stage.kanon(words.iter().copied().chain(["--format", "json", "-q"])).json();
    let file = |path: &str| serde_json::from_str::<Value>(&stage.read(path)).unwrap();
    stage.write("station/mods/broken.psm", "x");
    let reports = [
        ("survey", json(&["survey", "station"])),
        ("check", json(&["check"])),
        ("comparison", json(&["compare", "canon", "station", "tove"])),
        ("diagnosis", json(&["diagnose", "--client", "oskar"])),
        ("seal", json(&["seal", "--changes"])),
        ("canon", file("canon.json")),
        ("alignment", json(&["align", "station", "--yes"])),
        ("receipt", file("station/.kanon/receipt.json")),
        ("undo", json(&["undo", "station"])),
        ("history", json(&["history"])),
        ("adopted", json(&["adopt", "tove"])),
    ];
    for (name, report) in reports {
        fits_its_schema(name, &report);
    }
}

#[test]
fn reports_keep_to_a_hundred_columns() {
    let stage = Stage::sealed();
    stage.world.spoil().unwrap();
    let commands: [&[&str]; 4] = [
        &["check"],
        &["compare", "canon", "station", "mara", "oskar", "wren", "tove"],
        &["compare", "canon", "station", "mara", "oskar", "wren", "tove", "station", "mara", "tove", "tove", "-v"],
        &["diagnose", "--client", "oskar"],
    ];
    for words in commands {
        let said = stage.kanon(words.iter().copied().chain(["--color", "never"]));
        assert!(!said.out.contains('\u{1b}'));
        for line in said.out.lines() {
            assert!(line.chars().count() <= 100, "{} columns: {line}", line.chars().count());
        }
    }
}

#[test]
fn colour_and_quietness_are_obeyed() {
    let stage = Stage::sealed();
    assert!(stage.kanon(["check", "--color", "always"]).ends_with(0).out.contains("\u{1b}["));
    assert!(!stage.kanon(["check"]).ends_with(0).out.contains("\u{1b}["), "a pipe gets no colour");
    stage.kanon(["survey", "mara", "-o", "mara.json", "--format", "json"]).ends_with(0).says("the survey is in");
    let quiet = stage.kanon(["survey", "mara", "-o", "mara.json", "--format", "json", "-q"]).ends_with(0);
    assert_eq!((quiet.out.as_str(), quiet.err.as_str()), ("", ""));
    stage.kanon(["check", "--colour"]).ends_with(2);
    stage.kanon(["--version"]).ends_with(0).says("kanon ");
    stage.kanon(["--help"]).ends_with(0).says("Exit codes");
}

#[test]
fn a_second_survey_reads_nothing_that_has_not_changed() {
    let stage = Stage::sealed();
    // Files touched within two seconds of a survey are read again: their clock may be coarse.
    std::thread::sleep(std::time::Duration::from_millis(2100));
    stage.kanon(["survey", "mara"]).ends_with(0).says("7 files read now");
    stage.kanon(["survey", "mara"]).ends_with(0).says("0 of 7 files read now");
    stage.kanon(["survey", "mara", "--thorough"]).ends_with(0).says("7 files read now");
    let path = stage.path("mara/mods/snowtrack-3.2.1.psm");
    let time = filetime::FileTime::from_last_modification_time(&std::fs::metadata(&path).unwrap());
    let mut bytes = std::fs::read(&path).unwrap();
    let last = bytes.len() - 1;
    bytes[last / 2] ^= 1;
    std::fs::write(&path, &bytes).unwrap();
    filetime::set_file_mtime(&path, time).unwrap();
    if cfg!(unix) {
        stage.kanon(["survey", "mara"]).says("1 of 7 files read now");
    }
}

#[test]
fn what_the_workspace_and_the_web_folder_hold_is_told() {
    let stage = Stage::sealed();
    stage.kanon(["publish", "site"]).ends_with(0).says("site holds");
    std::fs::remove_file(stage.path("wren/mods/snowtrack-3.2.1.psm")).unwrap();
    stage.write("wren/mods/halogen-lamps-2.0.4.psm", vec![b'x'; 300_000]);
    stage.kanon(["align", "wren", "--yes"]).ends_with(0);
    let status = stage.kanon(["status", "--format", "json"]).json();
    fits_its_schema("status", &status);
    let bytes = |what: &str| status["kept"][what]["bytes"].as_u64().unwrap_or(0);
    assert!(bytes("backups") >= 300_000 && bytes("backups") < 320_000, "{status}");
    assert!(bytes("rest") > 0, "{status}");
    stage.kanon(["status"]).says("in .kanon: backups 29");
}
