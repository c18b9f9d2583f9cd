//! Several administrators who keep one workspace in a repository.

use std::process::Command;

use crate::stage::{Stage, psm};

/// A repository with a sealed workspace; nothing where git is missing.
fn repository() -> Option<Stage> {
    let stage = Stage::sealed();
    let git = Git(&stage);
    if Command::new("git").arg("--version").output().is_err() {
        eprintln!("skipped: git is not installed");
        return None;
    }
    git.run(&["init", "-q", "-b", "main"]);
    git.run(&["add", "kanon.toml", "canon.json", "polarspur.rulebook.toml", ".kanon"]);
    git.run(&["commit", "-qm", "one"]);
    Some(stage)
}

struct Git<'s>(&'s Stage);

impl Git<'_> {
    fn try_run(&self, words: &[&str]) -> (bool, String) {
        let mut git = Command::new("git");
        git.args(["-c", "user.name=ines", "-c", "user.email=ines@longnight.example"]).args(words);
        let output = git.current_dir(self.0.path("")).env("HOME", self.0.path("home")).output().unwrap();
        (output.status.success(), String::from_utf8_lossy(&[output.stdout, output.stderr].concat()).into_owned())
    }

    #[track_caller]
    fn run(&self, words: &[&str]) -> String {
        let (ended_well, said) = self.try_run(words);
        assert!(ended_well, "git {words:?}: {said}");
        said
    }
}

#[test]
fn two_who_each_add_a_mod_merge_and_seal() {
    let Some(stage) = repository() else { return };
    let git = Git(&stage);
    let tracked = git.run(&["ls-files"]);
    assert!(!tracked.contains(".kanon"), "neither the journal nor keys get into it: {tracked}");
    for (id, version) in [("basalt-bells", "1.0"), ("night-kites", "2.0")] {
        stage.write(&format!("station/mods/{id}-{version}.psm"), psm(id, version, "everywhere"));
    }
    git.run(&["checkout", "-qb", "theirs"]);
    stage.kanon(["take", "basalt-bells"]).ends_with(0);
    stage.kanon(["seal"]).ends_with(0);
    git.run(&["commit", "-qam", "theirs"]);
    git.run(&["checkout", "-q", "main"]);
    stage.kanon(["take", "night-kites"]).ends_with(0);
    stage.kanon(["seal"]).ends_with(0);
    git.run(&["commit", "-qam", "ours"]);
    git.try_run(&["merge", "theirs"]);
    let torn = git.run(&["diff", "--name-only", "--diff-filter=U"]);
    assert!(!torn.contains("kanon.toml"), "what is asked for merges by itself: {torn}");
    let wishes = stage.read("kanon.toml");
    assert!(wishes.contains("basalt-bells") && wishes.contains("night-kites"));
    // The canon is sealed anew, whatever a merge made of it.
    stage.kanon(["seal"]).ends_with(0).says("sealed");
    let canon = stage.read("canon.json");
    assert!(canon.contains("basalt-bells") && canon.contains("night-kites") && !canon.contains("<<<<"));
    git.run(&["commit", "-qam", "both"]);
    let said = stage.kanon(["seal", "--changes", "--against", "theirs"]).ends_with(1);
    let said = said.says("night-kites 2.0").hides("basalt-bells");
    assert!(said.out.contains("against the other canon"), "{}", said.out);
    stage.kanon(["seal", "--changes", "--against", "HEAD"]).ends_with(0).says("the same");
}

#[test]
fn two_canons_are_held_against_each_other_by_file_and_by_name() {
    let stage = Stage::sealed();
    std::fs::copy(stage.path("canon.json"), stage.path("before.json")).unwrap();
    stage.kanon(["drop", "sled-dogs"]).ends_with(0);
    stage.kanon(["seal"]).ends_with(0);
    let before = stage.fingerprint("");
    let report = stage.kanon(["seal", "--changes", "--against", "before.json", "--format", "json"]).ends_with(1).json();
    assert_eq!((&report["changes"][0]["mod"], &report["changes"][0]["change"]), (&"sled-dogs".into(), &"gone".into()));
    assert_eq!(report["sealed"], false);
    let after = stage.fingerprint("");
    assert_eq!(before["/canon.json"], after["/canon.json"], "nothing is written");
    stage.write("torn.json", "{");
    stage.kanon(["seal", "--changes", "--against", "torn.json"]).ends_with(2).says("torn.json");
    stage.kanon(["seal", "--changes", "--against=--output=x"]).ends_with(2).says("no name of a commit");
    stage.kanon(["seal", "--against", "before.json"]).ends_with(2);
    assert!(!stage.path("x").exists());
}
