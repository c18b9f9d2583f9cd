//! What a newcomer meets: help with examples that run, completions, the manual, and how things stand on one screen.

use std::process::Command;

use crate::stage::{Stage, fits_its_schema, program};

/// The commands of the examples in a command's help.
fn examples(stage: &Stage, command: &str) -> Vec<String> {
    let words: Vec<&str> = command.split(' ').chain(["--help"]).collect();
    let help = stage.kanon(words).ends_with(0).out;
    let shown = help.lines().skip_while(|line| !line.starts_with("Example"));
    let commands = shown.filter_map(|line| line.strip_prefix("  ")).filter(|line| line.starts_with("kanon "));
    commands.map(str::to_owned).collect()
}

/// Those that stand in the overview, with those below them.
fn commands(stage: &Stage) -> Vec<String> {
    let help = stage.kanon(["--help"]).ends_with(0).out;
    let overview = help.lines().skip_while(|line| *line != "Start:").take_while(|line| !line.starts_with("Options"));
    let named = overview.filter(|line| line.starts_with("  ") && !line.starts_with("   "));
    let mut found: Vec<String> = named.filter_map(|line| line.split_whitespace().next()).map(str::to_owned).collect();
    found.retain(|name| name != "help");
    found.extend(["rulebook check", "rulebook example"].map(str::to_owned));
    found
}

const LOG: &str = "06:00:00 boot: Polarspur station\n06:00:04 mods: woke snowtrack 3.2.1\n06:00:30 gate: open on port 1\n\
    06:10:00 gate: oskar is at the door\n06:10:01 gate: oskar lacks drift-radio 1.1.0\n06:10:02 gate: oskar was sent away\n";

/// What a command's examples take for granted.
fn prepare(stage: &Stage, command: &str) {
    stage.write("station.log", LOG);
    std::fs::create_dir_all(stage.path("downloads")).unwrap();
    let radio = std::fs::read_dir(stage.path("station/mods")).unwrap().map(|entry| entry.unwrap().path());
    let radio = radio.into_iter().find(|path| path.to_string_lossy().contains("drift-radio")).unwrap();
    std::fs::copy(&radio, stage.path("downloads").join(radio.file_name().unwrap())).unwrap();
    match command {
        "init" => std::fs::remove_file(stage.path("kanon.toml")).unwrap(),
        "invite" => stage.kanon(["publish", "site"]).ends_with(0).out.clear(),
        "undo" => {
            stage.world.spoil().unwrap();
            stage.kanon(["align", "station", "--yes"]).ends_with(0);
        }
        "take" => {
            let wishes = stage.read("kanon.toml");
            stage.write("kanon.toml", wishes + "\n[source.attic]\nat = \"downloads\"\n");
            stage.kanon(["drop", "drift-radio"]).ends_with(0);
        }
        _ => {}
    }
}

#[test]
fn the_examples_in_the_help_run_in_the_demos_workspace() {
    let mut seen = 0;
    let plain = Stage::sealed();
    for command in commands(&plain) {
        for example in examples(&plain, &command) {
            seen += 1;
            // These go on until somebody ends them, start servers for minutes, want a followed game or a game with keys (which other
            // tests have), or write into a home.
            let elsewhere = ["serve", "rehearse", "isolate", "follow", "completions", "demo", "keys", "line"];
            if elsewhere.contains(&command.as_str()) {
                continue;
            }
            let stage = Stage::sealed();
            prepare(&stage, &command);
            let words: Vec<&str> = example.split_whitespace().skip(1).collect();
            let said = stage.kanon(words);
            assert!(matches!(said.code, Some(0 | 1)), "{example}\n{}\n{}", said.out, said.err);
        }
    }
    assert!(seen > 30, "{seen} examples");
}

#[test]
fn a_shell_is_offered_installs_and_mods() {
    let stage = Stage::sealed();
    let offered = |words: &[&str]| {
        let mut asking = Command::new(program());
        asking.current_dir(stage.path("")).env("KANON_COMPLETE", "fish").arg("--").args(words);
        let out = asking.output().unwrap();
        String::from_utf8_lossy(&out.stdout)
            .lines()
            .map(|line| line.split('\t').next().unwrap().to_owned())
            .collect::<Vec<_>>()
    };
    assert!(offered(&["kanon", "align", ""]).contains(&"oskar".to_owned()));
    assert_eq!(offered(&["kanon", "align", "os"]), ["oskar"]);
    assert!(offered(&["kanon", "why", "dri"]).contains(&"drift-radio".to_owned()));
    assert!(offered(&["kanon", "diag"]).contains(&"diagnose".to_owned()));
    for shell in ["bash", "zsh", "fish", "elvish", "powershell"] {
        stage.kanon(["completions", shell]).ends_with(0).says("KANON_COMPLETE");
    }
    stage.kanon(["completions", "abacus"]).ends_with(2);
}

#[test]
fn the_manual_has_a_page_for_each_command() {
    let stage = Stage::bare();
    stage.kanon(["man", "pages"]).ends_with(0).says("pages of the manual");
    for page in ["kanon.1", "kanon-align.1", "kanon-rulebook-check.1"] {
        let text = stage.read(&format!("pages/{page}"));
        assert!(text.contains(".TH") && text.contains("SYNOPSIS"), "{page}: {text}");
    }
    assert!(stage.read("pages/kanon-check.1").contains("kanon check"), "the examples stand there too");
    stage.kanon(["help", "align"]).ends_with(0).says("Bring an install in line");
}

#[test]
fn how_things_stand_is_told_from_what_is_known() {
    let stage = Stage::sealed();
    stage.world.spoil().unwrap();
    let told = || {
        let report = stage.kanon(["status", "--format", "json"]).json();
        fits_its_schema("status", &report);
        report
    };
    let next = |report: &serde_json::Value| {
        let next = report["next"].as_array().unwrap().iter();
        next.map(|one| one["command"].as_str().unwrap().to_owned()).collect::<Vec<_>>()
    };
    let before = told();
    assert!(before["installs"].as_array().unwrap().iter().all(|install| install["held"].is_null()));
    assert_eq!(next(&before), ["kanon check"]);
    stage.kanon(["check"]).ends_with(1);
    let after = told();
    let of = |report: &serde_json::Value, name: &str| {
        let installs = report["installs"].as_array().unwrap();
        installs.iter().find(|install| install["name"] == name).unwrap().clone()
    };
    assert!(of(&after, "oskar")["held"]["blocking"].as_u64().unwrap() > 0);
    assert_eq!(next(&after)[0], "kanon align station", "the server comes first");
    stage.kanon(["status"]).ends_with(1).says("off, ").says("next: kanon align station");
    stage.kanon(["align", "station", "--yes"]).ends_with(0);
    assert_eq!(of(&told(), "station")["held"]["blocking"], 0, "an alignment looks once more at what it did");
    // What kanon.toml asks for is what counts, not what was asked for when somebody looked.
    let wishes = stage.read("kanon.toml");
    stage.write("kanon.toml", wishes.replacen("[[mod]]", "# changed\n[[mod]]", 1));
    assert!(!next(&told()).contains(&"kanon seal".to_owned()), "a comment changes nothing");
    stage.kanon(["drop", "drift-radio"]).ends_with(0);
    assert_eq!(next(&told())[0], "kanon seal");
    Stage::bare().kanon(["status"]).ends_with(2).says("kanon init");
}
