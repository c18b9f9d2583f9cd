//! The crash matrix: an alignment with every kind of step, cut off at everything that it changes, in every way; then
//! finished in one copy of the wreck and taken back in another, to the byte.

#![cfg(unix)]

use std::collections::BTreeMap;
use std::path::Path;

use rstest::rstest;

use crate::hosts::site::{Site, Way};
use crate::hosts::{Mishap, PASSWORD, What};
use crate::stage::{Said, Stage, said, zip_of};

const RULEBOOK: &str = r#"format = "kanon-rulebook/1"
game   = "Tallowfen"

[versions]
scheme = "dotted"

[[shelf]]
name  = "loads"
holds = "archives"
in    = { server = ["loads", "spare/loads"] }
match = ["*.load"]
off   = ["*.load.off"]
[shelf.mod]
document     = { member = "leaflet.json" }
id           = "$.called"
version      = "$.version"
shapes-world = { at = "$.reshapes", means = { "true" = "yes", "false" = "no" } }

[[shelf]]
name  = "kits"
holds = "folders"
in    = { server = "kits" }
[shelf.mod]
document = { member = "kit.json" }
id       = "$.called"
version  = "$.version"

[[shelf]]
name  = "lays"
holds = "overlays"
in    = { server = "lays" }
match = ["*.lay"]
[shelf.laid-into]
base  = "base/fen.pak"
strip = { server = ["SEAL/*"] }
[shelf.mod]
id = { file-name = '^(?<id>.+)\.lay$' }

[[world]]
in = { server = "world" }
"#;

fn load(id: &str, version: &str, reshapes: bool) -> Vec<u8> {
    let leaflet = format!(r#"{{"called": "{id}", "version": "{version}", "reshapes": {reshapes}}}"#);
    zip_of(&[("leaflet.json", leaflet.as_bytes()), ("rails", b"rails")])
}

/// A workspace whose server lacks, has too much of, and has otherwise what the canon of the model has.
fn stage() -> Stage {
    let stage = Stage::bare();
    stage.write("fen.rulebook.toml", RULEBOOK);
    let kit = br#"{"called": "kit", "version": "1"}"#;
    for install in ["model", "server"] {
        stage.write(&format!("{install}/base/fen.pak"), zip_of(&[("ground", b"peat"), ("SEAL/x", b"seal")]));
        stage.write(&format!("{install}/kits/kit/kit.json"), kit);
        stage.write(&format!("{install}/kits/kit/deep/plan"), b"as drawn");
    }
    for place in ["loads", "spare/loads"] {
        stage.write(&format!("model/{place}/peat.load"), load("peat", "2", true));
        stage.write(&format!("model/{place}/lamp.load"), load("lamp", "1", false));
        stage.write(&format!("model/{place}/rope.load"), load("rope", "1", false));
    }
    stage.write("model/lays/mist.lay", zip_of(&[("sky", b"mist"), ("ground", b"bog")]));
    stage.write("server/loads/lamp.load.off", load("lamp", "1", false));
    stage.write("server/spare/loads/lamp.load", load("lamp", "0.9", false));
    stage.write("server/loads/crow.load", load("crow", "3", false));
    stage.write("server/kits/kit/deep/plan", b"edited by hand");
    stage.write("server/kits/gone/kit.json", br#"{"called": "gone", "version": "1"}"#);
    stage.write("server/world/level", b"a month of play");
    stage.write("server/world/region/0", b"every plank");
    stage.write("prepared/level", b"a fresh start");
    let wishes = "format = \"kanon/1\"\nname = \"Fen\"\nrulebook = \"fen.rulebook.toml\"\n\n[install.model]\nrole = \"server\"\nat = \"model\"\n\n\
        [install.server]\nrole = \"server\"\nat = \"server\"\n";
    stage.write("kanon.toml", wishes);
    stage.kanon(["adopt", "model"]).ends_with(0);
    stage.kanon(["seal"]).ends_with(0);
    stage
}

/// What is compared to the byte. A host may keep times only to the second.
type Tree = BTreeMap<String, Vec<u8>>;

fn tree(stage: &Stage) -> Tree {
    let mut tree: Tree = stage.fingerprint("server").into_iter().map(|(name, (bytes, ..))| (name, bytes)).collect();
    // The old world bears the time in its name; the receipt has times in it.
    let aside: Vec<String> = tree.keys().filter(|name| name.starts_with("/world-")).cloned().collect();
    for name in aside {
        let bytes = tree.remove(&name).unwrap();
        tree.insert(format!("/world-aside{}", &name["/world-20261123-155900".len()..]), bytes);
    }
    tree.remove("/.kanon/receipt.json");
    tree
}

/// Keeps a copy of what an alignment may change, to begin anew from.
fn copy(stage: &Stage, from: &str, to: &str) {
    for part in ["server", ".kanon"] {
        let target = stage.path(&format!("{to}{part}"));
        drop(std::fs::remove_dir_all(&target));
        std::fs::create_dir_all(target.parent().unwrap()).unwrap();
        let done =
            std::process::Command::new("cp").arg("-a").arg(stage.path(&format!("{from}{part}"))).arg(&target).status();
        assert!(done.unwrap().success());
    }
}

const ALIGN: [&str; 5] = ["align", "server", "--yes", "--world", "prepared"];

fn watched(stage: &Stage, mishap: &Mishap, plan: (usize, What)) -> Said {
    mishap.at(plan.0, plan.1);
    let mut command = stage.command(ALIGN);
    let child = command.stdout(std::process::Stdio::piped()).stderr(std::process::Stdio::piped()).spawn().unwrap();
    mishap.watch(child.id());
    let output = child.wait_with_output().unwrap();
    mishap.none();
    let text = |bytes: &[u8]| String::from_utf8_lossy(bytes).into_owned();
    Said { code: output.status.code(), out: text(&output.stdout), err: text(&output.stderr) }
}

/// From a wreck, one way on and the way back both lead to a whole tree; and what went well all the same is whole too.
#[track_caller]
fn settle(stage: &Stage, (before, after): (&Tree, &Tree), what: &dyn std::fmt::Debug) {
    // It may have been cut off with all done but the telling.
    if stage.kanon(["history", "--format", "json"]).json()["alignments"][0]["state"] == "done" {
        assert_eq!(tree(stage), *after, "{what:?}");
        stage.kanon(["undo", "server"]).ends_with(0);
        assert_eq!(tree(stage), *before, "{what:?}");
        return;
    }
    copy(stage, "", "wreck/");
    let finished = stage.kanon(ALIGN);
    assert_eq!(finished.code, Some(0), "{what:?}: {finished:?}");
    assert_eq!(tree(stage), *after, "finished after {what:?}: {finished:?}");
    stage.kanon(["undo", "server"]).ends_with(0);
    assert_eq!(tree(stage), *before, "finished, then taken back after {what:?}");
    copy(stage, "wreck/", "");
    let undone = stage.kanon(["undo", "server"]);
    let nothing_to_undo = undone.code == Some(2) && undone.err.contains("no alignment of server to take back");
    assert!(undone.code == Some(0) || nothing_to_undo, "{what:?}: {undone:?}");
    assert_eq!(tree(stage), *before, "taken back after {what:?}: {undone:?}");
}

#[rstest]
#[case::killed_before(What::KillBefore)]
#[case::killed_after(What::KillAfter)]
#[case::cut_before(What::CutBefore)]
#[case::cut_after(What::CutAfter)]
#[case::cut_once(What::Blip)]
#[case::full(What::Full)]
#[case::locked(What::Locked)]
fn cut_off_at_every_change_on_a_host(#[case] what: What, #[values(Way::OldFtp, Way::Sftp)] way: Way) {
    let mut stage = stage();
    let site = Site::serve(way, &stage.path("server")).unwrap();
    site.take(&mut stage, "server");
    stage.env.push(("KANON_PATIENCE".to_owned(), "3".to_owned()));
    // A check first: what is remembered of the install is then the same for every case.
    stage.kanon(["check", "server"]).ends_with(1);
    let before = tree(&stage);
    copy(&stage, "", "start/");
    site.mishap.none();
    stage.kanon(ALIGN).ends_with(0);
    let (after, changes) = (tree(&stage), site.mishap.changes());
    let kinds = stage.kanon(["history", "--format", "json"]).json()["alignments"][0]["steps"].to_string();
    assert!(["park", "rename", "put", "replace"].iter().all(|kind| kinds.contains(&format!("\"{kind}\""))), "{kinds}");
    assert!(changes > 25, "{changes}");
    let every = if std::env::var_os("KANON_TEST_ALL").is_some() { 1 } else { 6 };
    let mut cases = 0;
    for number in (0..changes).filter(|number| number % every == what as usize % every) {
        copy(&stage, "start/", "");
        let cut = watched(&stage, &site.mishap, (number, what));
        // The last changes want no room; and whoever cuts the line once cuts off nothing.
        assert!(cut.code != Some(0) || matches!(what, What::Blip | What::Full), "{what:?} at {number}");
        settle(&stage, (&before, &after), &(what, number, cut.code));
        cases += 1;
    }
    assert!(cases >= changes / every, "{cases} of {changes}");
    println!("crash matrix: {way:?} {what:?}: {cases} cases of {changes} changes, none lost");
}

/// On this machine the system itself is the saboteur: the program is killed, or told that the disk is full, at a call.
#[rstest]
#[case::killed("signal=SIGKILL", "")]
#[case::full("error=ENOSPC", "+")]
fn cut_off_at_every_call_on_this_machine(#[case] how: &str, #[case] from_then_on: &str) {
    let calls = "rename,renameat,renameat2,unlinkat,mkdir,mkdirat,fsync,ftruncate";
    let strace = |stage: &Stage, inject: Option<String>| {
        let mut command = std::process::Command::new("strace");
        command.args(["-f", "-qq", "-o"]).arg(stage.path("trace")).args(["-e", &format!("trace={calls}")]);
        command.args(inject.iter().flat_map(|inject| ["-e", inject]));
        command.arg(crate::stage::program()).args(ALIGN).current_dir(stage.path("")).env("HOME", stage.path("home"));
        command.stdin(std::process::Stdio::null());
        said(command)
    };
    let stage = stage();
    let can_trace = std::process::Command::new("strace").args(["-qq", "-o", "/dev/null", "true"]).status();
    if !can_trace.is_ok_and(|status| status.success()) {
        eprintln!("skipped: strace is not installed, or may not trace here");
        return;
    }
    stage.kanon(["check", "server"]).ends_with(1);
    let before = tree(&stage);
    copy(&stage, "", "start/");
    strace(&stage, None).ends_with(0);
    let (after, all) = (tree(&stage), lines(&stage.path("trace")));
    assert!(all > 40, "{all}");
    let every = if std::env::var_os("KANON_TEST_ALL").is_some() { 1 } else { 4 };
    let mut cases = 0;
    for number in (1..=all).step_by(every) {
        copy(&stage, "start/", "");
        let inject = format!("inject={calls}:{how}:when={number}{from_then_on}");
        let cut = strace(&stage, Some(inject));
        // Each thread counts its own calls: none may have come so far.
        cases += usize::from(cut.code != Some(0));
        settle(&stage, (&before, &after), &(how, number, cut.code));
    }
    assert!(cases > 2, "{cases}");
    println!("crash matrix: this machine, {how}: {cases} cases of {all} calls, none lost");
}

fn lines(path: &Path) -> usize {
    std::fs::read_to_string(path).unwrap().lines().filter(|line| line.contains('(')).count()
}

#[test]
fn the_state_of_a_wreck_is_told_before_anything_else() {
    let mut stage = stage();
    let site = Site::serve(Way::Ftp, &stage.path("server")).unwrap();
    site.take(&mut stage, "server");
    stage.env.push(("KANON_PATIENCE".to_owned(), "3".to_owned()));
    let cut = watched(&stage, &site.mishap, (20, What::CutBefore));
    let said = cut.ends_with(2).says("was cut off in the middle").says("is lost").says("kanon align finishes it");
    drop(said.hides(PASSWORD));
    stage.kanon(["check", "server"]).ends_with(1).says("was interrupted after");
    stage.kanon(["history"]).ends_with(0).says("interrupted after");
    let preview = stage.kanon(["align", "server", "--preview"]).ends_with(1);
    preview.says("was interrupted after");
}

#[test]
fn what_is_finished_for_an_older_canon_is_not_taken_for_the_newer_one() {
    let mut stage = stage();
    let site = Site::serve(Way::Ftp, &stage.path("server")).unwrap();
    site.take(&mut stage, "server");
    stage.env.push(("KANON_PATIENCE".to_owned(), "3".to_owned()));
    watched(&stage, &site.mishap, (30, What::CutBefore)).ends_with(2);
    // The same size, other bytes: size and time alone could not tell.
    let other = crate::stage::replaced(load("rope", "1", false), b"rails", b"RAILS");
    for place in ["loads", "spare/loads"] {
        let file = format!("model/{place}/rope.load");
        assert_eq!(std::fs::metadata(stage.path(&file)).unwrap().len(), other.len() as u64);
        stage.write(&file, &other);
    }
    stage.kanon(["seal", "--accept", "rope"]).ends_with(0);
    stage.kanon(["align", "server", "--yes"]).ends_with(0).says("is finished").says("rope 1 has other bytes here");
    assert_eq!(std::fs::read(stage.path("server/loads/rope.load")).unwrap(), other);
}
