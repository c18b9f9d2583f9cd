//! Mods of several files, side by side: they are known, changed and handed on as one.

use rstest::rstest;
use std::fs;

use crate::hosts::site::{Site, Way};
use crate::releases::invite;
use crate::stage::{Fingerprint, Stage};

const RULEBOOK: &str = r#"format = "kanon-rulebook/1"
game = "Ashmere Reach"
[[shelf]]
name = "stows"
holds = "files"
in = "stow"
match = ["*.stw"]
off = ["*.out"]
beside = ["{stem}.card.json", "{name}.wax"]
[shelf.mod]
document = { member = "{stem}.card.json" }
id = "$.is"
version = "$.of"
[[shelf]]
name = "crates"
holds = "folders"
in = "crates"
beside = ["{name}.toml"]
[shelf.mod]
document = { member = "{name}.toml" }
id = "$.crate"
version = "$.version"
"#;

fn stow(stage: &Stage, side: &str, id: &str, version: &str) {
    stage.write(&format!("{side}/stow/{id}.stw"), format!("what {id} {version} is made of"));
    stage.write(&format!("{side}/stow/{id}.card.json"), format!(r#"{{"is": "{id}", "of": "{version}"}}"#));
}

/// A server and a client with three mods each, sealed; and what no mod is beside them.
fn stage() -> Stage {
    let stage = Stage::empty();
    stage.write("ashmere.rulebook.toml", RULEBOOK);
    for side in ["reach", "pia"] {
        stow(&stage, side, "tern", "1.0");
        stow(&stage, side, "knot", "2.1");
        stage.write(&format!("{side}/stow/tern.stw.wax"), "wax of tern");
        stage.write(&format!("{side}/stow/lone.card.json"), "{}");
        stage.write(&format!("{side}/crates/oar-2.0/a/blade.bin"), "blade");
        stage.write(&format!("{side}/crates/oar-2.0.toml"), "crate = 'oar'\nversion = '2.0'\n");
    }
    stage.kanon(["init", "--rulebook", "ashmere.rulebook.toml", "--server", "reach", "--client", "pia"]).ends_with(0);
    stage.kanon(["adopt", "reach"]).ends_with(0).says("3 mods new");
    stage.kanon(["seal"]).ends_with(0);
    stage.kanon(["check"]).ends_with(0).says("in line: 2 installs");
    stage
}

fn rename(stage: &Stage, from: &str, to: &str) {
    let to = stage.path(&format!("pia/{to}"));
    fs::create_dir_all(to.parent().unwrap()).unwrap();
    fs::rename(stage.path(&format!("pia/{from}")), to).unwrap();
}

fn remove(stage: &Stage, path: &str) {
    fs::remove_file(stage.path(&format!("pia/{path}"))).unwrap();
}

type Spoil = fn(&Stage);

#[rstest]
#[case::a_card_of_another_version(|s: &Stage| s.write("pia/stow/tern.card.json", r#"{"is": "tern", "of": "1.2"}"#), &["version-newer"])]
#[case::altered_beside(|s: &Stage| s.write("pia/stow/tern.stw.wax", "other wax"), &["content-differs"])]
#[case::altered_itself(|s: &Stage| s.write("pia/stow/knot.stw", "torn"), &["content-differs"])]
#[case::gone_beside(|s: &Stage| remove(s, "stow/tern.stw.wax"), &["content-differs"])]
#[case::come_beside(|s: &Stage| s.write("pia/stow/knot.stw.wax", "whose?"), &["content-differs"])]
#[case::no_card(|s: &Stage| remove(s, "stow/knot.card.json"), &["unreadable"])]
#[case::a_card_that_says_nothing(|s: &Stage| s.write("pia/stow/knot.card.json", "{"), &["unreadable"])]
#[case::only_what_lies_beside(|s: &Stage| remove(s, "stow/knot.stw"), &["mod-missing"])]
#[case::nothing_of_it(|s: &Stage| { remove(s, "stow/knot.stw"); remove(s, "stow/knot.card.json"); }, &["mod-missing"])]
#[case::switched_off(|s: &Stage| rename(s, "stow/tern.stw", "stow/tern.stw.out"), &["mod-disabled"])]
#[case::all_switched_off(|s: &Stage| {
    rename(s, "stow/tern.stw", "stow/tern.stw.out");
    rename(s, "stow/tern.card.json", "stow/tern.card.json.out");
}, &["mod-disabled"])]
#[case::under_another_name(|s: &Stage| {
    rename(s, "stow/knot.stw", "stow/Knot.stw");
    rename(s, "stow/knot.card.json", "stow/Knot.card.json");
}, &["wrong-name"])]
#[case::letter_case_beside(|s: &Stage| rename(s, "stow/tern.card.json", "stow/tern.CARD.json"), &["wrong-name"])]
#[case::a_folder_too_deep(|s: &Stage| for end in ["stw", "card.json", "stw.wax"] {
    rename(s, &format!("stow/tern.{end}"), &format!("stow/new/tern.{end}"));
}, &["wrong-place"])]
#[case::twice(|s: &Stage| {
    s.write("pia/stow/copy.stw", "what knot 2.1 is made of");
    s.write("pia/stow/copy.card.json", r#"{"is": "knot", "of": "2.1"}"#);
}, &["mod-duplicate"])]
#[case::one_too_many(|s: &Stage| stow(s, "pia", "ruff", "1"), &["mod-extra"])]
#[case::beside_a_folder(|s: &Stage| s.write("pia/crates/oar-2.0.toml", "crate = 'oar'\nversion = '2.0'\n# x\n"), &["content-differs"])]
#[case::gone_beside_a_folder(|s: &Stage| remove(s, "crates/oar-2.0.toml"), &["unreadable"])]
#[case::in_a_folder(|s: &Stage| s.write("pia/crates/oar-2.0/a/blade.bin", "bent"), &["content-differs"])]
fn what_is_off_is_told_and_put_right(#[case] spoil: Spoil, #[case] codes: &[&str]) {
    let stage = stage();
    let healthy = stage.fingerprint("pia");
    spoil(&stage);
    let spoiled = stage.fingerprint("pia");
    assert_eq!(stage.codes("pia"), codes);
    stage.kanon(["align", "pia", "--yes"]).ends_with(0).says("is in line");
    let names = |all: &Fingerprint| -> Vec<String> {
        all.keys().filter(|name| !name.ends_with('/') && !name.starts_with("/.kanon")).cloned().collect()
    };
    assert_eq!(names(&stage.fingerprint("pia")), names(&healthy), "as the server has it");
    stage.kanon(["undo", "pia"]).ends_with(0);
    assert_eq!(stage.fingerprint("pia"), spoiled, "to the byte");
}

#[test]
fn what_changed_is_named_as_the_set_calls_it() {
    let stage = stage();
    stage.write("pia/stow/tern.stw.wax", "other wax");
    stage.write("pia/stow/tern.card.json", r#"{"is": "tern", "of": "1.0", "note": 1}"#);
    let said = stage.kanon(["check", "pia", "--verbose"]).ends_with(1);
    said.says("tern.card.json changed").says("tern.stw.wax changed").hides("tern.stw changed");
}

/// On a host as here: what is there is known, brought and put back by its name and its bytes.
#[rstest]
fn on_a_host_too(#[values(Way::Ftp, Way::Sftp)] way: Way) {
    let mut stage = stage();
    stage.write("pia/stow/tern.stw.wax", "other wax");
    remove(&stage, "stow/knot.card.json");
    rename(&stage, "crates/oar-2.0.toml", "crates/oar-2.0.toml.old");
    let bytes = |stage: &Stage| -> Vec<(String, Vec<u8>)> {
        let all = stage.fingerprint("pia").into_iter().filter(|(name, _)| !name.starts_with("/.kanon"));
        all.map(|(name, (bytes, ..))| (name, bytes)).collect()
    };
    let spoiled = bytes(&stage);
    let site = Site::serve(way, &stage.path("pia")).expect("one of our own");
    site.take(&mut stage, "pia");
    let mut codes = stage.codes("pia");
    codes.sort();
    assert_eq!(codes, ["content-differs", "unreadable", "unreadable"]);
    stage.kanon(["align", "pia", "--yes"]).ends_with(0).says("is in line");
    stage.kanon(["check", "pia", "--thorough"]).ends_with(0);
    for file in ["stow/tern.stw.wax", "stow/knot.card.json", "crates/oar-2.0.toml"] {
        assert_eq!(stage.read(&format!("pia/{file}")), stage.read(&format!("reach/{file}")), "{file}");
    }
    stage.kanon(["undo", "pia"]).ends_with(0);
    assert_eq!(bytes(&stage), spoiled);
}

/// A player who has nothing gets all files of a mod, and what they no longer need is taken off with it.
#[test]
fn a_release_brings_and_takes_all_of_them() {
    let stage = stage();
    stage.kanon(["publish", "site"]).ends_with(0);
    let link = invite(&stage);
    stage.write("fresh/stow/notes.txt", "a game without mods");
    stage.kanon(["-C", "fresh", "follow", "--yes", &link]).ends_with(0).says("in line");
    for file in ["stow/tern.stw", "stow/tern.card.json", "stow/tern.stw.wax", "crates/oar-2.0.toml"] {
        assert_eq!(stage.read(&format!("fresh/{file}")), stage.read(&format!("reach/{file}")), "{file}");
    }
    stow(&stage, "reach", "tern", "1.1");
    remove_of_server(&stage, "stow/tern.stw.wax");
    stage.kanon(["adopt", "reach"]).ends_with(0);
    stage.kanon(["seal"]).ends_with(0);
    stage.kanon(["publish"]).ends_with(0);
    stage.kanon(["-C", "fresh", "follow", "--yes"]).ends_with(0).says("tern 1.0 -> 1.1");
    assert!(!stage.path("fresh/stow/tern.stw.wax").exists(), "1.1 has none");
    assert_eq!(stage.read("fresh/stow/tern.card.json"), stage.read("reach/stow/tern.card.json"));
    stage.kanon(["handout", "-o", "page.md"]).ends_with(0);
    let page = stage.read("page.md");
    assert!(page.contains("- tern.card.json, ") && page.contains("put all of them side by side"), "{page}");
}

fn remove_of_server(stage: &Stage, path: &str) {
    fs::remove_file(stage.path(&format!("reach/{path}"))).unwrap();
}

/// A rulebook is told what can't lie beside a mod before it does harm.
#[rstest]
#[case("beside = [\"{stem}.*\"]", "{stem}")]
#[case("beside = [\"../{stem}.json\"]", "{stem}")]
#[case("beside = [\"card.json\"]", "{stem}")]
fn templates_that_name_no_file_beside_are_refused(#[case] line: &str, #[case] word: &str) {
    let stage = Stage::empty();
    stage.write("r.toml", RULEBOOK.replace("beside = [\"{stem}.card.json\", \"{name}.wax\"]", line));
    stage
        .kanon(["rulebook", "check", "r.toml"])
        .ends_with(1)
        .says("it must be a file's name")
        .says(word)
        .hides("is read from");
}

#[test]
fn a_document_beside_must_be_one_that_is_looked_for() {
    let stage = Stage::empty();
    stage.write("r.toml", RULEBOOK.replace("\"{stem}.card.json\", ", ""));
    stage.kanon(["rulebook", "check", "r.toml"]).ends_with(1).says("none of the files that `beside` names");
    stage.write("r.toml", RULEBOOK.replace("beside = [\"{name}.toml\"]", "beside = [\"{stem}.toml\"]"));
    stage.kanon(["rulebook", "check", "r.toml"]).ends_with(1).says("a folder's name has no ending");
    let many: Vec<String> = (0..17).map(|at| format!("\"{{name}}.{at}\"")).collect();
    stage.write("r.toml", RULEBOOK.replace("\"{name}.wax\"", &format!("\"{{name}}.wax\", {}", many.join(", "))));
    stage.kanon(["rulebook", "check", "r.toml"]).ends_with(1).says("at most 16 kinds of files beside");
}
