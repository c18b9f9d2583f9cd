//! Archives that nobody should trust: each is told by its name and reason, and the rest is surveyed all the same.

use crate::stage::{Stage, psm, replaced, zip_of};
use rstest::rstest;

const GOOD: &[u8] = br#"{"id": "fog", "version": "1"}"#;

fn renamed(to: &[u8]) -> Vec<u8> {
    replaced(zip_of(&[("about.json", GOOD), ("placeholder.b", b"x")]), b"placeholder.b", to)
}

/// Sets the size that the directory claims for every member to four gigabytes less one byte.
fn claiming_much() -> Vec<u8> {
    let mut bytes = zip_of(&[("about.json", GOOD), ("blank", &[0; 100])]);
    let starts: Vec<usize> = (0..bytes.len() - 4).filter(|at| bytes[*at..].starts_with(b"PK\x01\x02")).collect();
    for at in starts {
        bytes[at + 24..at + 28].copy_from_slice(&0xffff_fffe_u32.to_le_bytes());
    }
    bytes
}

fn encrypted() -> Vec<u8> {
    let mut bytes = zip_of(&[("about.json", GOOD)]);
    for (sign, offset) in [(b"PK\x03\x04", 6), (b"PK\x01\x02", 8)] {
        let at = bytes.windows(4).position(|window| window == sign).unwrap();
        bytes[at + offset] |= 1;
    }
    bytes
}

#[rstest]
#[case::empty(Vec::new(), "the file is empty")]
#[case::no_archive(b"hello".to_vec(), "no whole zip archive")]
#[case::cut_off(psm("fog", "1", "everywhere")[..90].to_vec(), "it may be cut off")]
#[case::encrypted(encrypted(), "is encrypted")]
#[case::dotdot(renamed(b"../../x/y.bin"), "leaves its folder with `..`")]
#[case::absolute(renamed(b"/tmp/evil.bin"), "it is absolute")]
#[case::drive(renamed(b"C:/evil/x.bin"), "drive letter")]
#[case::reserved(renamed(b"data/NUL.text"), "keeps for a device")]
#[case::twice(replaced(zip_of(&[("about.json", GOOD), ("about.jsom", b"{}")]), b"about.jsom", b"about.json"), "two members are called `about.json`")]
#[case::bomb(claiming_much(), "made to do harm")]
#[case::not_utf8(zip_of(&[("about.json", b"{\"id\": \"f\xffg\"}")]), "not UTF-8 text")]
#[case::not_json(zip_of(&[("about.json", b"{\"id\": fog}")]), "not valid JSON")]
#[case::no_id(zip_of(&[("about.json", b"{\"version\": \"1\"}")]), "states no id")]
#[case::not_a_mod(zip_of(&[("readme.txt", b"hello")]), "holds none of: about.json, about.toml")]
#[case::deep(zip_of(&[("about.json", "[".repeat(100_000).as_bytes())]), "not valid JSON")]
fn a_bad_archive_is_told_and_the_rest_is_surveyed(#[case] bytes: Vec<u8>, #[case] reason: &str) {
    let stage = Stage::sealed();
    stage.write("station/mods/fog.psm", &bytes);
    let survey = stage.kanon(["survey", "station", "--format", "json"]).ends_with(1).json();
    assert_eq!(survey["mods"].as_array().unwrap().len(), 8);
    assert_eq!(survey["unreadable"][0]["path"], "mods/fog.psm");
    let why = survey["unreadable"][0]["why"].as_str().unwrap();
    assert!(why.contains(reason), "{why}");
    assert_eq!(stage.codes("station"), ["unreadable"]);
    stage.kanon(["align", "station", "--yes"]).ends_with(0).says("park     mods/fog.psm");
    stage.kanon(["undo", "station"]).ends_with(0);
    assert_eq!(std::fs::read(stage.path("station/mods/fog.psm")).unwrap(), bytes, "not a byte of it is lost");
}

#[test]
fn a_broken_file_in_place_of_a_right_one_is_replaced() {
    let stage = Stage::sealed();
    stage.write("station/mods/logbook-2.0.0.psm", b"PK cut");
    let report = stage.kanon(["check", "station", "--format", "json"]).ends_with(1).json();
    let finding = &report["installs"][0]["findings"][0];
    assert_eq!((finding["code"].as_str(), finding["mod"].as_str()), (Some("unreadable"), Some("logbook")));
    stage.kanon(["align", "station", "--yes"]).ends_with(0).says("replace  mods/logbook-2.0.0.psm");
}

#[test]
fn a_download_with_a_mod_in_it_is_still_packed() {
    let stage = Stage::sealed();
    let inner = psm("fog", "1", "everywhere");
    stage.write("mara/mods/fog.zip", zip_of(&[("fog/fog.psm", &inner), ("fog/readme.txt", b"unpack me")]));
    stage.write("mara/mods/holiday pictures.zip", zip_of(&[("a.png", b"x")]));
    stage.write("mara/mods/fog-pack.psm", zip_of(&[("fog.psm", &inner)]));
    assert_eq!(stage.codes("mara"), ["still-packed", "still-packed"]);
    stage.kanon(["check", "mara"]).ends_with(1).says("unpack it").says("mods/fog.zip");
}

#[rstest]
#[case::same_id("fog", "fog", &["mod-duplicate"])]
#[case::ids_by_case("fog", "FOG", &["mod-duplicate"])]
fn two_mods_with_one_id_are_told(#[case] first: &str, #[case] second: &str, #[case] expected: &[&str]) {
    let stage = Stage::sealed();
    for (file, id, version) in [("a.psm", first, "1"), ("b.psm", second, "2")] {
        stage.write(&format!("station/mods/{file}"), psm(id, version, "everywhere"));
    }
    stage.kanon(["adopt", "station"]).ends_with(1).says("is there more than once");
    std::fs::remove_file(stage.path("station/mods/b.psm")).unwrap();
    stage.kanon(["adopt", "station"]).ends_with(0);
    stage.kanon(["seal"]).ends_with(0);
    stage.write("station/mods/b.psm", psm(second, "2", "everywhere"));
    assert_eq!(stage.codes("station"), expected);
}

#[test]
#[cfg(target_os = "linux")]
fn names_that_differ_in_letter_case_alone_are_told() {
    let stage = Stage::sealed();
    stage.write("station/mods/LOGBOOK-2.0.0.psm", psm("fog", "1", "station"));
    assert_eq!(stage.codes("station"), ["mod-extra", "wrong-name"]);
}

#[test]
#[cfg(unix)]
fn a_link_is_never_followed_out_nor_written_over() {
    use std::os::unix::fs::symlink;
    let stage = Stage::sealed();
    stage.write("outside.psm", psm("fog", "1", "everywhere"));
    symlink("../../outside.psm", stage.path("station/mods/fog.psm")).unwrap();
    stage.kanon(["survey", "station"]).ends_with(1).says("a link that points outside the install");
    std::fs::remove_file(stage.path("station/mods/fog.psm")).unwrap();
    std::fs::rename(stage.path("station/mods/logbook-2.0.0.psm"), stage.path("station/other.bin")).unwrap();
    stage.write("station/edited.bin", psm("logbook", "1.0", "station"));
    symlink("../edited.bin", stage.path("station/mods/logbook-2.0.0.psm")).unwrap();
    let before = stage.fingerprint("station");
    stage.kanon(["align", "station", "--yes"]).ends_with(2).says("Kanon does not write over links");
    assert_eq!(stage.fingerprint("station"), before);
}

#[test]
#[cfg(unix)]
fn a_shelf_that_is_a_link_is_looked_into_only_inside_the_install() {
    let stage = Stage::sealed();
    std::fs::rename(stage.path("mara/mods"), stage.path("mara/elsewhere")).unwrap();
    std::os::unix::fs::symlink("elsewhere", stage.path("mara/mods")).unwrap();
    assert_eq!(stage.codes("mara"), [""; 0]);
    std::fs::rename(stage.path("mara/elsewhere"), stage.path("outside")).unwrap();
    std::fs::remove_file(stage.path("mara/mods")).unwrap();
    std::os::unix::fs::symlink("../outside", stage.path("mara/mods")).unwrap();
    assert_eq!(stage.codes("mara"), ["unreadable"], "the mods behind it are not told one by one");
    stage
        .kanon(["check", "mara"])
        .ends_with(1)
        .says("it is no folder of this install")
        .says("mend or remove it by hand");
    stage.kanon(["align", "mara", "--yes"]).ends_with(2).says("Kanon does not write over links");
    assert_eq!(std::fs::read_dir(stage.path("outside")).unwrap().count(), 7);
}
