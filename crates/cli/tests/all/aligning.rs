//! Alignments: asked for, carried out, refused, and taken back with what was changed since.

#[cfg(unix)]
use crate::stage::said;
use crate::stage::{Stage, psm};
use rstest::rstest;
use serde_json::json;

#[test]
fn nobody_to_ask_means_nothing_is_done() {
    let stage = Stage::sealed();
    stage.world.spoil().unwrap();
    let before = stage.fingerprint("oskar");
    stage.kanon(["align", "oskar"]).ends_with(1).says("add --yes to do it");
    assert_eq!(stage.fingerprint("oskar"), before);
    stage.kanon(["align", "mara", "--yes"]).ends_with(0).says("nothing to do for mara");
}

#[test]
fn a_preview_tells_just_what_is_then_done() {
    let stage = Stage::sealed();
    stage.world.spoil().unwrap();
    let preview = stage.kanon(["align", "oskar", "--preview", "--format", "json"]).ends_with(1).json();
    let done = stage.kanon(["align", "oskar", "--yes", "--format", "json"]).ends_with(0).json();
    assert_eq!(preview["steps"], done["steps"]);
    assert_eq!((&preview["done"], &done["done"]), (&json!(false), &json!(true)));
    assert_eq!(preview["steps"][0]["action"], "park");
    assert!(preview["steps"][2]["bytes"].as_u64().unwrap() > 0);
    let receipt: serde_json::Value = serde_json::from_str(&stage.read("oskar/.kanon/receipt.json")).unwrap();
    assert_eq!(receipt["files"].as_array().unwrap().len(), 7);
}

#[test]
fn what_was_changed_after_an_alignment_is_kept_by_the_undo() {
    let stage = Stage::sealed();
    stage.world.spoil().unwrap();
    let before = stage.fingerprint("oskar");
    stage.kanon(["align", "oskar", "--yes"]).ends_with(0);
    stage.write("oskar/mods/drift-radio-1.1.0.psm", b"my own edit");
    let undone = stage.kanon(["undo", "oskar", "--format", "json"]).ends_with(0).json();
    let kept = undone["kept"][0][1].as_str().unwrap();
    assert_eq!(std::fs::read(kept).unwrap(), b"my own edit");
    assert_eq!(stage.fingerprint("oskar"), before);
}

#[test]
fn alignments_are_taken_back_one_by_one_newest_first() {
    let stage = Stage::sealed();
    let start = stage.fingerprint("mara");
    std::fs::remove_file(stage.path("mara/mods/snowtrack-3.2.1.psm")).unwrap();
    let one = stage.fingerprint("mara");
    stage.kanon(["align", "mara", "--yes"]).ends_with(0);
    stage.write("mara/mods/fog.psm", psm("fog", "1", "everywhere"));
    let two = stage.fingerprint("mara");
    stage.kanon(["align", "mara", "--yes"]).ends_with(0);
    stage.kanon(["history", "mara"]).ends_with(0).says("2 alignments, newest first");
    stage.kanon(["undo", "mara"]).ends_with(0);
    assert_eq!(stage.fingerprint("mara"), two);
    stage.kanon(["undo", "mara"]).ends_with(0);
    let last = stage.fingerprint("mara");
    assert_eq!(last["/mods/fog.psm"], two["/mods/fog.psm"], "what no alignment touched stays");
    assert!(!last.contains_key("/mods/snowtrack-3.2.1.psm") && !one.contains_key("/mods/snowtrack-3.2.1.psm"));
    assert!(start.contains_key("/mods/snowtrack-3.2.1.psm"));
}

#[test]
fn two_files_that_changed_places_are_put_right() {
    let stage = Stage::sealed();
    let rulebook = stage.read("polarspur.rulebook.toml").replace("off   =", "names = \"exact\"\noff   =");
    stage.write("polarspur.rulebook.toml", rulebook);
    stage.kanon(["seal"]).ends_with(0);
    let (one, two) = (stage.path("mara/mods/snowtrack-3.2.1.psm"), stage.path("mara/mods/drift-radio-1.1.0.psm"));
    let other = stage.path("mara/other");
    for (from, to) in [(&one, &other), (&two, &one), (&other, &two)] {
        std::fs::rename(from, to).unwrap();
    }
    let before = stage.fingerprint("mara");
    assert_eq!(stage.codes("mara"), ["wrong-name", "wrong-name"]);
    std::fs::remove_dir_all(stage.path(".kanon/store")).unwrap();
    for client in ["oskar", "wren", "tove", "station"] {
        std::fs::rename(stage.path(client), stage.path(&format!("{client} away"))).unwrap();
    }
    stage.kanon(["align", "mara", "--yes"]).ends_with(0);
    stage.kanon(["undo", "mara"]).ends_with(0);
    assert_eq!(stage.fingerprint("mara"), before);
}

#[test]
fn bytes_that_are_nowhere_stop_an_alignment_before_it_begins() {
    let stage = Stage::sealed();
    for name in ["station", "mara", "oskar", "wren", "tove"] {
        let _ = std::fs::remove_file(stage.path(&format!("{name}/mods/drift-radio-1.1.0.psm")));
    }
    std::fs::remove_dir_all(stage.path(".kanon/store")).unwrap();
    let before = stage.fingerprint("oskar");
    stage.kanon(["align", "oskar", "--yes"]).ends_with(2).says("mods/drift-radio-1.1.0.psm").says("then seal again");
    assert_eq!(stage.fingerprint("oskar"), before);
}

#[test]
fn the_store_keeps_what_only_installs_had() {
    let stage = Stage::sealed();
    for name in ["station", "mara", "oskar", "wren", "tove"] {
        stage.write(&format!("{name}/mods/drift-radio-1.1.0.psm"), psm("drift-radio", "0.1", "everywhere"));
    }
    stage.kanon(["align", "oskar", "--yes"]).ends_with(0);
    assert_eq!(stage.codes("oskar"), [""; 0]);
    stage.kanon(["seal", "--changes"]).ends_with(0);
    assert_eq!(stage.codes("station"), ["version-older"]);
}

#[test]
fn a_source_of_downloads_vouches_for_releases_and_seals_are_reproducible() {
    let stage = Stage::sealed();
    stage.write("downloads/drift-radio-2.psm", psm("drift-radio", "2.0", "everywhere"));
    let wishes = stage.read("kanon.toml").replace(
        "id = \"drift-radio\"\nversion = \"1.1.0\"\nfrom = \"station\"",
        "id = \"drift-radio\"\nversion = \">=2\"",
    );
    stage.write("kanon.toml", wishes + "\n[source.downloads]\nat = \"downloads\"\n");
    stage.kanon(["seal", "--changes"]).ends_with(0).says("drift-radio 1.1.0 -> 2.0").says("would be sealed");
    stage.kanon(["seal"]).ends_with(0);
    let sealed = stage.read("canon.json");
    std::fs::remove_file(stage.path("canon.json")).unwrap();
    stage.kanon(["seal"]).ends_with(0);
    assert_eq!(stage.read("canon.json"), sealed);
    stage.kanon(["seal"]).ends_with(0).says("nothing changed");
    stage.kanon(["align", "station", "--yes"]).ends_with(0).says("drift-radio is 1.1.0 here; the canon has 2.0");
    assert!(
        stage.path("station/mods/drift-radio-2.psm").is_file() && stage.path("downloads/drift-radio-2.psm").is_file()
    );
}

#[rstest]
#[case("keep", "note", 0)]
#[case("ask", "risky", 1)]
#[case("forbid", "blocking", 1)]
fn a_players_own_mod_is_treated_as_the_policy_says(#[case] policy: &str, #[case] severity: &str, #[case] code: i32) {
    let stage = Stage::sealed();
    stage.world.spoil().unwrap();
    let wishes = stage.read("kanon.toml").replace("client-extras = \"keep\"", &format!("client-extras = \"{policy}\""));
    stage.write("kanon.toml", wishes);
    stage.kanon(["check", "mara"]).ends_with(code).says(&format!("{severity} mod-extra"));
    stage.kanon(["align", "mara", "--yes"]).ends_with(i32::from(policy == "ask"));
    assert_eq!(stage.path("mara/mods/map-sketch-0.4.0.psm").exists(), policy != "forbid");
    stage.kanon(["align", "mara", "--yes", "--park-extras"]).ends_with(0);
    assert_eq!(stage.path("mara/mods/map-sketch-0.4.0.psm").exists(), policy == "keep");
}

#[test]
fn another_loader_or_game_version_is_told_and_left_to_the_person() {
    let stage = Stage::sealed();
    std::fs::rename(stage.path("wren/engine/trellis-0.9.1.psb"), stage.path("wren/engine/trellis-0.8.0.psb")).unwrap();
    stage.write("wren/engine/build.json", r#"{"build": {"version": "1.5.0"}}"#);
    assert_eq!(stage.codes("wren"), ["game-differs", "loader-differs"]);
    stage
        .kanon(["align", "wren", "--yes"])
        .ends_with(1)
        .says("what an alignment can't mend")
        .says("install Trellis 0.9.1 there");
}

#[test]
fn wrong_places_are_found_and_put_right() {
    let stage = Stage::sealed();
    std::fs::create_dir(stage.path("tove/mods/new folder")).unwrap();
    for (from, to) in
        [("snowtrack-3.2.1.psm", "new folder/snowtrack-3.2.1.psm"), ("sled-dogs-1.1.0.psm", "../sled-dogs-1.1.0.psm")]
    {
        std::fs::rename(stage.path(&format!("tove/mods/{from}")), stage.path(&format!("tove/mods/{to}"))).unwrap();
    }
    let before = stage.fingerprint("tove");
    assert_eq!(stage.codes("tove"), ["wrong-place", "wrong-place"]);
    stage
        .kanon(["align", "tove", "--yes"])
        .ends_with(0)
        .says("rename   sled-dogs-1.1.0.psm -> mods/sled-dogs-1.1.0.psm");
    assert!(!stage.path("tove/mods/new folder").exists(), "the folder it left is empty and gone");
    stage.kanon(["undo", "tove"]).ends_with(0);
    assert_eq!(stage.fingerprint("tove"), before);
}

#[test]
fn one_alignment_at_a_time() {
    let stage = Stage::sealed();
    stage.world.spoil().unwrap();
    let claim = json!({"format": "kanon-claim/1", "workspace": "elsewhere", "by": "Ines in her workspace", "began": 9});
    stage.write("oskar/.kanon/aligning/claim.json", claim.to_string());
    let before = stage.fingerprint("oskar");
    let refused = stage.kanon(["align", "oskar", "--yes"]).ends_with(2);
    refused.says("somebody is at work on").says("Ines in her workspace").says("--take-over");
    assert_eq!(stage.fingerprint("oskar"), before);
    stage.kanon(["align", "oskar", "--yes", "--take-over"]).ends_with(0);
    assert!(!stage.path("oskar/.kanon/aligning").exists());
}

#[test]
#[cfg(unix)]
fn a_folder_that_can_not_be_written_is_told_and_nothing_is_lost() {
    let stage = Stage::sealed();
    stage.world.spoil().unwrap();
    let root = stage.path("");
    let as_nobody = std::process::Command::new("setpriv").arg("--version").output().is_ok();
    let is_root = std::process::Command::new("id").arg("-u").output().is_ok_and(|o| o.stdout.starts_with(b"0"));
    if is_root && !as_nobody {
        eprintln!("skipped: root may write everywhere, and setpriv is missing");
        return;
    }
    let mods = stage.path("oskar/mods");
    let mut align = stage.command(["align", "oskar", "--yes"]);
    if is_root {
        assert!(std::process::Command::new("chown").args(["-R", "65534:65534"]).arg(&root).status().unwrap().success());
        let mut wrapped = std::process::Command::new("setpriv");
        wrapped
            .args(["--reuid=65534", "--regid=65534", "--clear-groups"])
            .arg(align.get_program())
            .args(align.get_args())
            .current_dir(&root);
        align = wrapped;
    }
    use std::os::unix::fs::PermissionsExt;
    std::fs::set_permissions(&mods, std::fs::Permissions::from_mode(0o555)).unwrap();
    let before = stage.fingerprint("oskar");
    said(align)
        .ends_with(2)
        .says("mods/aurora-core-1.3.2.psm")
        .says("Permission denied")
        .says("whether it may be written");
    assert_eq!(stage.fingerprint("oskar"), before);
}
