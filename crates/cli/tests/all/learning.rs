//! Layouts that say what they are in ways of their own: what is learned of a healthy pair is right, and an evening by it is in
//! order.

use rstest::rstest;
use serde_json::Value;

use crate::stage::{Stage, zip_of};

const GULLS: [(&str, &str); 6] = [
    ("fulmar", "1.2.0"),
    ("kittiwake", "0.4.1"),
    ("petrel", "2.0.3"),
    ("skua", "1.10.0"),
    ("tern", "3.1.4"),
    ("auk", "0.9.9"),
];

/// Writes a file on both sides.
fn both(stage: &Stage, path: &str, bytes: impl AsRef<[u8]>) {
    for side in ["server", "client"] {
        stage.write(&format!("{side}/{path}"), bytes.as_ref());
    }
}

fn each(stage: &Stage, path: fn(&str) -> String, text: fn(&str, &str, &str) -> String) {
    for (at, (gull, version)) in GULLS.iter().enumerate() {
        let needed = if at > 1 { GULLS[at - 2].0 } else { "" };
        both(stage, &path(gull), text(gull, version, needed));
        both(stage, &format!("stow/{gull}/parts/a.dat"), gull);
    }
}

fn headers(stage: &Stage) {
    let card = |gull: &str, version: &str, needed: &str| {
        let needs = if needed.is_empty() { String::new() } else { format!("Relies-On: {needed} (>= 0.1)\n") };
        format!(
            "Name: {gull}\nIssue: {version}\n{needs}Story: it flies\n far and\n wide\n\nBelow is a text: of no use.\n"
        )
    };
    each(stage, |gull| format!("stow/{gull}/LABEL"), card);
}

fn blocks(stage: &Stage) {
    let card = |gull: &str, version: &str, needed: &str| {
        let needs = if needed.is_empty() {
            String::new()
        } else {
            format!("  relies_on = {{ [\"{needed}\"] = \">=0.1\" }},\n")
        };
        format!("-- made by hand\nbird {{\n  name = \"{gull}\",\n  issue = \"{version}\",\n{needs}}}\n")
    };
    each(stage, |gull| format!("stow/{gull}/bird.lua"), card);
}

fn one_of_a_kind(stage: &Stage) {
    for (at, (gull, version)) in GULLS.iter().enumerate() {
        let parts = [
            format!(r#"{{"sort":"maker","name":"Ada {at}"}}"#),
            format!(r#"{{"sort":"bird","name":"{gull}","issue":"{version}"}}"#),
        ];
        let text =
            if at % 2 == 0 { format!("[{},{}]", parts[0], parts[1]) } else { format!("[{},{}]", parts[1], parts[0]) };
        both(stage, &format!("stow/{gull}.bird"), zip_of(&[("card.json", text.as_bytes()), ("x", gull.as_bytes())]));
    }
}

fn told_outside(stage: &Stage) {
    let entry =
        |(gull, version): &(&str, &str)| format!(r#"{{"is":"{gull}.nest","called":"{gull}","issue":"{version}"}}"#);
    let all: Vec<String> = GULLS.iter().map(entry).collect();
    both(stage, "stow/index.json", format!(r#"{{"made":"today","nests":[{}]}}"#, all.join(",")));
    GULLS.iter().for_each(|(gull, _)| both(stage, &format!("stow/{gull}.nest"), format!("{gull}\u{0}")));
}

fn a_section_for_each(stage: &Stage) {
    let all: String = GULLS.iter().map(|(gull, version)| format!("[{gull}]\nissue={version}\nuse=yes\n\n")).collect();
    both(stage, "stow.ini", all);
    GULLS.iter().for_each(|(gull, _)| both(stage, &format!("stow/{gull}.nest"), format!("{gull}\u{0}")));
}

fn versions_alone(stage: &Stage) {
    for (gull, version) in GULLS {
        both(stage, &format!("stow/{gull}/card.json"), format!(r#"{{"handle":"{gull}","by":"moss"}}"#));
        both(stage, &format!("stow/{gull}/issue.txt"), format!("{version}\n"));
    }
}

#[rstest]
#[case::headers(headers, true)]
#[case::blocks(blocks, true)]
#[case::one_of_a_kind(one_of_a_kind, true)]
#[case::told_outside(told_outside, true)]
#[case::a_section_for_each(a_section_for_each, true)]
#[case::versions_alone(versions_alone, true)]
#[case::folders_that_a_numbered_list_names(numbered_folders, false)]
#[case::programs_that_a_line_names(programs, false)]
fn what_it_says_is_read(#[case] layout: fn(&Stage), #[case] has_versions: bool) {
    let stage = Stage::empty();
    layout(&stage);
    evening(&stage, 0);
    let survey = stage.kanon(["survey", "server", "--format", "json"]).json();
    let mods = survey["mods"].as_array().unwrap();
    let mut found: Vec<(&str, &str)> = mods
        .iter()
        .map(|one| (one["id"].as_str().unwrap(), one["version"].as_str().unwrap_or_default()))
        .map(|(id, version)| (id, if has_versions { version } else { "" }))
        .collect();
    found.sort_unstable();
    let mut expected = GULLS.map(|(gull, version)| (gull, if has_versions { version } else { "" }));
    expected.sort_unstable();
    assert_eq!(found, expected);
}

fn numbered_folders(stage: &Stage) {
    let slots: String = (0..).zip(GULLS).map(|(at, (gull, _))| format!("Berth{at}={gull} ; kept\n")).collect();
    stage.write("server/hall.ini", format!("[Net]\nPort=4100\n\n[Stow]\n{slots}\n[Last]\nx=1\n"));
    for (gull, _) in GULLS {
        both(stage, &format!("user/{gull}/art/a.tex"), gull);
    }
}

fn programs(stage: &Stage) {
    let names: Vec<String> = GULLS.iter().map(|(gull, _)| format!("{gull}.so")).collect();
    stage.write("server/hall.cfg", format!("port 4100\nextras {}\nplayers 20\n", names.join(" ")));
    GULLS.iter().for_each(|(gull, _)| stage.write(&format!("server/extras/{gull}.so"), format!("\u{7f}ELF {gull}")));
}

/// Learns, and plays the evening.
fn evening(stage: &Stage, code: i32) -> Value {
    let sides = if stage.path("client").exists() { vec!["--client", "client"] } else { Vec::new() };
    let learn = ["learn", "server", "--game", "Ternmouth", "-o", "d.toml", "--format", "json"];
    let report = stage.kanon(learn.into_iter().chain(sides.iter().copied())).ends_with(code).json();
    let init = ["init", "--name", "Low", "--rulebook", "d.toml", "--server", "server"];
    stage.kanon(init.into_iter().chain(sides)).ends_with(0);
    stage.kanon(["adopt", "server"]).ends_with(0);
    stage.kanon(["seal"]).ends_with(0);
    stage.kanon(["check"]).ends_with(0);
    report
}

#[test]
fn a_numbered_list_is_mended_and_numbered_anew() {
    let stage = Stage::empty();
    numbered_folders(&stage);
    evening(&stage, 0);
    let text = stage.read("server/hall.ini");
    let spoiled = text.replace("Berth2=petrel ; kept\n", "").replace("Berth4=tern", "Berth4=goose");
    stage.write("server/hall.ini", &spoiled);
    stage.kanon(["check"]).ends_with(1).says("petrel");
    stage.kanon(["align", "server", "--yes"]).ends_with(0);
    stage.kanon(["check"]).ends_with(0);
    let mended = stage.read("server/hall.ini");
    let slots: Vec<&str> = mended.lines().filter_map(|line| line.strip_prefix("Berth")).collect();
    let numbers: Vec<&str> = slots.iter().map(|slot| slot.split('=').next().unwrap()).collect();
    assert_eq!(numbers, ["0", "1", "2", "3", "4", "5"], "{mended}");
    assert!(mended.contains("; kept") && mended.starts_with("[Net]\nPort=4100\n") && mended.ends_with("[Last]\nx=1\n"));
}

/// What another option of the same line gives is of the server alone.
#[test]
fn a_second_option_is_a_list_of_its_own() {
    let stage = Stage::empty();
    for (at, (gull, version)) in GULLS.iter().enumerate() {
        for side in if at == 5 { &["server"][..] } else { &["server", "client"][..] } {
            let card = format!("handle = \"{gull}\"\nissue = \"{version}\"\n");
            stage.write(&format!("{side}/stow/{gull}/card.toml"), card);
        }
    }
    let shared: Vec<&str> = GULLS[..5].iter().map(|(gull, _)| *gull).collect();
    stage.write("server/go.sh", format!("#!/bin/sh\nexec ./hall --stow {} --own auk --port 4100\n", shared.join(",")));
    evening(&stage, 0);
    let survey = stage.kanon(["survey", "server", "--format", "json"]).json();
    let lists: Vec<usize> =
        survey["lists"].as_array().unwrap().iter().map(|list| list["entries"].as_array().unwrap().len()).collect();
    assert_eq!(lists, [5, 1], "{survey}");
}

/// What mods tell and a draft does not read is no all-clear.
#[test]
fn names_of_mods_that_are_not_read_are_a_doubt() {
    let stage = Stage::empty();
    for (at, (gull, version)) in GULLS.iter().enumerate() {
        let near = GULLS[(at + 1) % 6].0;
        let text = format!(
            r#"{{"id":"{gull}","version":"{version}","flock":{{"about":"{near} % {}"}}}}"#,
            GULLS[(at + 2) % 6].0
        );
        both(&stage, &format!("stow/{gull}/card.json"), text.replace(" % ", " | "));
        both(&stage, &format!("stow/{gull}/x.dat"), gull);
    }
    let learn = ["learn", "server", "--client", "client", "--game", "Ternmouth", "-o", "d.toml", "--format", "json"];
    let report = stage.kanon(learn).json();
    let text = stage.read("d.toml");
    let is_told = report["proof"]["doubts"].as_array().unwrap().iter().any(|one| one["doubt"] == "unread");
    assert!(is_told || text.contains("$.flock.about"), "read, or a doubt: {report:#}");
}
