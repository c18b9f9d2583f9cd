//! One bad evening in one file: nothing in it that is nobody's business, and all that whoever helps needs.

use std::io::Read;

use serde_json::Value;

use crate::stage::{Stage, fits_its_schema, zip_of};

const LOG: &str = "\
2026-11-27 18:00:00 boot: Polarspur 1.4.2 for ines from /home/ines/longnight\n\
2026-11-27 18:00:01 boot: adminPassword = \"open sesame\" token=9f8e7d6c\n\
2026-11-27 18:00:05 mods: woke snowtrack 3.2.1\n\
2026-11-27 18:00:09 gate: open on port 4100\n\
2026-11-27 18:05:00 gate: Mara is at the door from 81.2.69.142:50112 account 12345678901234567\n\
2026-11-27 18:05:01 gate: Mara lacks snowtrack 3.2.1\n\
2026-11-27 18:05:02 gate: turned Mara away, mail ines@longnight.example\n";
const SECRETS: [&str; 7] =
    ["open sesame", "9f8e7d6c", "81.2.69.142", "12345678901234567", "ines@longnight", "home/ines", "hunter2"];

fn evening() -> Stage {
    let stage = Stage::bare();
    let rulebook = stage.read("polarspur.rulebook.toml");
    let setting = "\n[[setting]]\nname = \"join-password\"\nof = \"server\"\nfile = \"engine/gate.ini\"\nnotation = \"key-value\"\nat = \"$.password\"\n";
    stage.write("polarspur.rulebook.toml", rulebook + setting);
    stage.write("station/engine/gate.ini", "password = hunter2\n");
    let init = ["init", "--name", "Longnight", "--rulebook", "polarspur.rulebook.toml", "--server", "station"];
    stage.kanon(init.into_iter().chain(["--client", "mara"])).ends_with(0);
    let wishes = stage.read("kanon.toml").replace("at = \"station\"", "at = \"station\"\nlog = \"../console.log\"");
    stage.write("kanon.toml", wishes + "\n[[setting]]\nname = \"join-password\"\nis = \"hunter2\"\n");
    for name in ["mara", "station"] {
        stage.kanon(["adopt", name]).ends_with(0);
    }
    stage.kanon(["seal"]).ends_with(0);
    stage.write("console.log", LOG);
    stage
}

/// The parts of a zip, each as text.
pub fn parts(bytes: &[u8]) -> Vec<(String, String)> {
    let mut archive = zip::ZipArchive::new(std::io::Cursor::new(bytes)).unwrap();
    let mut parts = Vec::new();
    for place in 0..archive.len() {
        let mut part = archive.by_index(place).unwrap();
        let mut text = String::new();
        part.read_to_string(&mut text).unwrap();
        let name = part.name().unwrap().into_owned();
        parts.push((name, text));
    }
    parts
}

#[test]
fn whoever_helps_comes_to_the_same_and_learns_no_secret() {
    let stage = evening();
    let here = stage.kanon(["diagnose", "--player", "Mara", "--format", "json", "-q"]).ends_with(1).json();
    let told = stage.kanon(["export", "--player", "Mara", "--client", "mara", "--format", "json"]).ends_with(0).json();
    fits_its_schema("exported", &told);
    assert_eq!(told["hidden"]["addresses"], 1);
    let bytes = std::fs::read(stage.path("evidence.zip")).unwrap();
    let found = parts(&bytes);
    let names: Vec<&str> = found.iter().map(|(name, _)| name.as_str()).collect();
    let expected = [
        "canon.json",
        "client.survey.json",
        "diagnosis.json",
        "evidence.json",
        "game.rulebook.toml",
        "server.log",
        "server.survey.json",
    ];
    assert_eq!(names, expected);
    for (name, text) in &found {
        for secret in SECRETS {
            assert!(!text.contains(secret), "{secret} is in {name}: {text}");
        }
        assert!(!text.contains(&stage.path("").display().to_string()), "{name} names a folder of this machine");
    }
    let log = &found.iter().find(|(name, _)| name == "server.log").unwrap().1;
    assert!(log.contains("Mara lacks snowtrack 3.2.1") && log.contains("address-1:50112"), "{log}");
    // Elsewhere, without a workspace.
    let helper = Stage::empty();
    helper.write("evening.zip", &bytes);
    let there = helper.kanon(["diagnose", "--evidence", "evening.zip", "--format", "json", "-q"]).ends_with(1).json();
    let first = |report: &Value| (report["verdicts"][0]["cause"].clone(), report["verdicts"][0]["mod"].clone());
    assert_eq!(first(&there), first(&here));
    assert_eq!(first(&there), ("mod-missing".into(), "snowtrack".into()));
    helper.kanon(["diagnose", "--evidence", "evening.zip", "--reply"]).ends_with(1).says("Snowtrack");
    assert!(!helper.path(".kanon").exists() && !helper.path("kanon.toml").exists());
}

#[test]
fn what_is_no_evidence_is_refused_in_words() {
    let stage = Stage::empty();
    stage.write("no.zip", "nothing of the kind");
    stage.kanon(["diagnose", "--evidence", "no.zip"]).ends_with(2).says("no evidence as kanon export makes it");
    stage.write("empty.zip", zip_of(&[("other", b"x")]));
    stage.kanon(["diagnose", "--evidence", "empty.zip"]).ends_with(2).says("evidence.json is not in it");
    stage.write(
        "later.zip",
        zip_of(&[(
            "evidence.json",
            br#"{"format": "kanon-evidence/9", "kanon": "9", "system": "", "made": "", "game": "g"}"#,
        )]),
    );
    stage.kanon(["diagnose", "--evidence", "later.zip"]).ends_with(2).says("kanon-evidence/9");
    let evening = evening();
    for (file, told) in [("later.zip", "kanon-evidence/9"), ("empty.zip", "evidence.json is not in it")] {
        evening.write(file, std::fs::read(stage.path(file)).unwrap());
        evening.kanon(["diagnose", "--client", file]).ends_with(2).says(told);
    }
    stage.kanon(["diagnose", "--evidence", "gone.zip"]).ends_with(2).says("gone.zip");
    stage.kanon(["export"]).ends_with(2);
}
