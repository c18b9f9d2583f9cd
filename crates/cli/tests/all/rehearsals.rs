//! Rehearsals of a simulated station: started for real, watched, stopped; in stages; and the mods that break it found.

#![cfg(unix)]

use serde_json::Value;

use crate::stage::{Stage, fits_its_schema, program, psm};

/// A sealed station and a server at home to rehearse on, which starts as `temper` says.
fn stage(temper: &str) -> Stage {
    let stage = Stage::sealed();
    let done = std::process::Command::new("cp").arg("-a").arg(stage.path("station")).arg(stage.path("attic")).status();
    assert!(done.unwrap().success());
    stage.write("attic/engine/temper.toml", temper);
    let start =
        format!("[{:?}, \"standin\", \"server\", \"attic\", \"attic/console.log\"]", program().display().to_string());
    let wishes = stage.read("kanon.toml")
        + &format!(
            "\n[install.attic]\nrole = \"server\"\nat = \"attic\"\nrehearsal = true\nlog = \"console.log\"\nstart = {start}\n"
        );
    stage.write("kanon.toml", wishes);
    stage
}

const QUICK: [&str; 2] = ["--settle", "0.5"];

fn rehearsed(stage: &Stage, words: &[&str], code: i32) -> Value {
    let all = ["rehearse", "attic", "--format", "json", "--yes"].into_iter().chain(words.iter().copied()).chain(QUICK);
    let report = stage.kanon(all).ends_with(code).json();
    fits_its_schema("rehearsal", &report);
    report
}

#[test]
fn a_server_that_goes_on_loading_after_it_says_that_it_is_up() {
    let stage = stage("thaws-ms = 300\nthaws-on-ms = 800\n");
    let report = rehearsed(&stage, &[], 0);
    let one = &report["stages"][0];
    let (ready, settled) = (one["ready"].as_f64().unwrap(), one["settled"].as_f64().unwrap());
    assert!(ready >= 0.3 && settled >= ready + 0.7, "{one}");
    assert_eq!((one["not_loaded"].as_array().unwrap().len(), one["stopped_well"].as_bool()), (0, Some(true)));
    assert!(one["memory"].as_u64().unwrap() > 1 << 20, "{one}");
    assert_eq!(report["recorded"], true);
    let left = std::process::Command::new("pgrep").arg("-f").arg(stage.path("attic").display().to_string()).output();
    assert!(left.is_ok_and(|left| left.stdout.is_empty()), "nothing of it runs on");
    stage
        .kanon(["rehearse", "attic", "--yes", "--settle", "0.5"])
        .ends_with(0)
        .says("passed")
        .says("remembered: this canon has passed");
}

#[test]
fn what_does_not_load_is_told_and_not_remembered() {
    let stage = stage("");
    stage
        .kanon(["rehearse", "attic", "--yes", "--patience", "1", "--settle", "60"])
        .ends_with(1)
        .says("after 1 seconds it was still loading");
    stage.write("attic/engine/temper.toml", "breaks-with = [\"snowtrack\"]\n");
    let said = stage.kanon(["rehearse", "attic", "--yes", "--settle", "0.5"]).ends_with(1);
    said.says("failed").says("boot: gave up").says("kanon isolate attic");
    stage.kanon(["rehearse", "station", "--yes"]).ends_with(2).says("nothing says how station is started").says("do:");
    stage.kanon(["rehearse", "mara", "--yes"]).ends_with(2);
    stage.kanon(["rehearse", "attic", "--yes", "--stage", "snowtrak"]).ends_with(2).says("did you mean `snowtrack`?");
}

#[test]
fn the_last_words_of_a_server_are_told_and_it_is_run_in_its_own_folder() {
    let stage = stage("");
    stage.write("attic/start.sh", "echo boot: odd words; printf 'fatal: null thing in snowtrack' >&2; exit 3\n");
    let wishes = stage.read("kanon.toml");
    let start = wishes.lines().find(|line| line.starts_with("start = ")).unwrap();
    stage.write(
        "kanon.toml",
        wishes
            .replace(start, "start = [\"sh\", \"start.sh\"]\nrun-in = \"attic\"")
            .replace("log = \"console.log\"\n", ""),
    );
    let one = &rehearsed(&stage, &[], 1)["stages"][0];
    assert_eq!(one["last_said"], "fatal: null thing in snowtrack");
    assert_eq!((one["verdicts"][0]["mod"].as_str(), one["ready"].as_f64()), (Some("snowtrack"), None), "{one}");
    stage
        .kanon(["rehearse", "attic", "--yes"])
        .ends_with(1)
        .says("the last it said: fatal: null thing")
        .says("exit status: 3");
    stage.write("kanon.toml", stage.read("kanon.toml").replace("run-in = \"attic\"", "run-in = \"atic\""));
    stage.kanon(["rehearse", "attic", "--yes"]).ends_with(2).says("no such folder to run commands in").says("run-in");
}

#[test]
fn the_rehearsal_server_is_aligned_first_and_the_real_one_asks_for_it() {
    let stage = stage("");
    stage.write("attic/mods/fog-bank.psm", psm("fog-bank", "1", "everywhere"));
    std::fs::remove_file(stage.path("attic/mods/drift-radio-1.1.0.psm")).unwrap();
    std::fs::remove_file(stage.path("station/mods/drift-radio-1.1.0.psm")).unwrap();
    let policy = stage.read("kanon.toml").replace("[policy]\n", "[policy]\nunrehearsed = \"refuse\"\n");
    stage.write("kanon.toml", policy);
    let before = stage.fingerprint("station");
    stage.kanon(["align", "station", "--yes"]).ends_with(2).says("never rehearsed").says("kanon rehearse attic");
    assert_eq!(stage.fingerprint("station"), before);
    // Nobody can be asked here, so that nothing is started or taken off.
    let attic = stage.fingerprint("attic");
    stage.kanon(["rehearse", "attic"]).ends_with(1).says("nothing was done").says("--yes").hides("--preview");
    stage.kanon(["isolate", "attic"]).ends_with(1).says("nothing was done").says("--yes");
    assert_eq!(stage.fingerprint("attic"), attic);
    rehearsed(&stage, &[], 0);
    assert!(!stage.path("attic/mods/fog-bank.psm").exists() && stage.path("attic/mods/drift-radio-1.1.0.psm").exists());
    stage.kanon(["align", "station", "--yes"]).ends_with(0).says("passed its rehearsal on attic");
}

#[test]
fn stage_by_stage_each_with_what_it_needs() {
    let stage = stage("");
    let report = rehearsed(&stage, &["--stage", "drift-radio", "--stage", "snowtrack,sled-dogs"], 0);
    let mods: Vec<usize> =
        report["stages"].as_array().unwrap().iter().map(|one| one["mods"].as_array().unwrap().len()).collect();
    assert_eq!((mods.len(), mods[0], mods[2]), (3, 2, 8), "drift-radio needs aurora-core; at last all: {report}");
    assert!(mods[1] > mods[0] && report["recorded"] == true);
    stage.write("attic/engine/temper.toml", "breaks-with = [\"snowtrack\"]\n");
    let report = rehearsed(&stage, &["--stage", "drift-radio", "--stage", "snowtrack"], 1);
    assert_eq!(report["stages"].as_array().unwrap().len(), 2, "it stops at the stage that fails");
    stage.kanon(["rehearse", "attic", "--yes"].iter().chain(&QUICK).copied()).ends_with(1);
}

#[test]
fn the_mods_that_break_it_are_found_and_all_are_put_back() {
    let stage = stage("breaks-with = [\"snowtrack\", \"drift-radio\"]\n");
    let before: Vec<String> = stage.fingerprint("attic/mods").into_keys().collect();
    let words = ["isolate", "attic", "--yes", "--format", "json", "--settle", "0.1"];
    let report = stage.kanon(words).ends_with(1).json();
    fits_its_schema("isolation", &report);
    assert_eq!(report["ending"], "found");
    assert_eq!(report["culprits"].as_array().unwrap(), &["drift-radio", "snowtrack"]);
    assert!(report["starts"].as_u64().unwrap() < 25, "{report}");
    assert_eq!(stage.fingerprint("attic/mods").into_keys().collect::<Vec<_>>(), before);
    stage.write("attic/engine/temper.toml", "");
    stage.kanon(["isolate", "attic", "--yes", "--settle", "0.1"]).ends_with(0).says("nothing is to be found");
    let wishes = stage.read("kanon.toml").replace("rehearsal = true\n", "");
    stage.write("kanon.toml", wishes);
    stage.kanon(["isolate", "attic", "--yes"]).ends_with(2).says("is no rehearsal install").says("rehearsal = true");
}

/// By hand: each answer is a run of its own, and what was answered is remembered.
#[test]
fn the_search_by_hand() {
    let stage = stage("");
    let is_there = |name: &str| stage.path(&format!("attic/mods/{name}.psm")).exists();
    let report = |words: &[&str]| {
        let all = ["isolate", "attic", "--yes", "--ask", "--format", "json", "-q"].iter().chain(words).copied();
        let report = stage.kanon(all).json();
        fits_its_schema("isolation", &report);
        report
    };
    let mut now = report(&[]);
    let mut runs = 0;
    while now["ending"] == "open" {
        let bad = is_there("halogen-lamps-2.0.4");
        assert_eq!(
            bad,
            now["next"].as_array().unwrap().iter().any(|id| id == "halogen-lamps"),
            "what is there is what is told"
        );
        now = report(&["--was", if bad { "bad" } else { "good" }]);
        runs += 1;
        assert!(runs < 30, "{now}");
    }
    assert_eq!((now["ending"].as_str(), now["culprits"][0].as_str()), (Some("found"), Some("halogen-lamps")));
    assert!(is_there("halogen-lamps-2.0.4") && is_there("snowtrack-3.2.1"), "all are back");
    stage.kanon(["isolate", "attic", "--yes", "--was", "good"]).ends_with(2);
    stage.kanon(["isolate", "attic", "--yes", "--ask"]).ends_with(1).says("--ask --was good --yes");
}
