//! The other simple shape: one folder for each mod, its name and letter case part of the deal.

use crate::stage::{Stage, zip_of};
use rstest::rstest;

const RULEBOOK: &str = r#"format = "kanon-rulebook/1"
game = "Ashmere Reach"
[[shelf]]
name = "holds"
holds = "folders"
in = { server = "holds", client = "holds" }
match = ["%*"]
off = ["off-*"]
[shelf.mod]
document = { member = "hold.toml" }
id = "$.id"
version = "$.version"
"#;

/// A server and a client with two mods each, sealed.
fn stage() -> Stage {
    stage_with("holds/", RULEBOOK)
}

fn stage_with(shelf: &str, rulebook: &str) -> Stage {
    let stage = Stage::bare();
    stage.write("ashmere.rulebook.toml", rulebook);
    for side in ["reach", "pia"] {
        for (name, id) in [("%Breakwater", "breakwater"), ("%Ferry", "ferry")] {
            stage.write(&format!("{side}/{shelf}{name}/hold.toml"), format!("id = '{id}'\nversion = '1.0'\n"));
            stage.write(&format!("{side}/{shelf}{name}/stock/deep/{id}.hold"), format!("{id} payload"));
        }
        stage.write(&format!("{side}/{shelf}notes.txt"), "not a mod");
    }
    stage.kanon(["init", "--rulebook", "ashmere.rulebook.toml", "--server", "reach", "--client", "pia"]).ends_with(0);
    stage.kanon(["adopt", "reach"]).ends_with(0).says("2 mods new");
    stage.kanon(["seal"]).ends_with(0);
    stage
}

#[test]
fn mods_may_stand_at_the_root_of_the_install() {
    let rulebook = RULEBOOK.replace("server = \"holds\", client = \"holds\"", "server = \".\", client = \".\"");
    let stage = stage_with("", &rulebook);
    stage.write("pia/engine/engine.bin", "not a mod, not to be touched");
    stage.write("pia/%Ferry/stock/deep/ferry.hold", "edited");
    std::fs::remove_dir_all(stage.path("pia/%Breakwater")).unwrap();
    let before = stage.fingerprint("pia");
    assert_eq!(stage.codes("pia"), ["mod-missing", "content-differs"]);
    stage.kanon(["align", "pia", "--yes"]).ends_with(0).says("put      %Breakwater/hold.toml");
    stage.kanon(["undo", "pia"]).ends_with(0);
    assert_eq!(stage.fingerprint("pia"), before);
}

fn rename(stage: &Stage, from: &str, to: &str) {
    std::fs::rename(stage.path(from), stage.path(to)).unwrap();
}

#[rstest]
#[case::edited(|s: &Stage| s.write("pia/holds/%Ferry/stock/deep/ferry.hold", "edited"), &["content-differs"])]
#[case::added(|s: &Stage| s.write("pia/holds/%Ferry/stock/extra.hold", "x"), &["content-differs"])]
#[case::gone(|s: &Stage| std::fs::remove_file(s.path("pia/holds/%Ferry/stock/deep/ferry.hold")).unwrap(), &["content-differs"])]
#[case::missing(|s: &Stage| std::fs::remove_dir_all(s.path("pia/holds/%Ferry")).unwrap(), &["mod-missing"])]
#[case::off(|s: &Stage| rename(s, "pia/holds/%Ferry", "pia/holds/off-%Ferry"), &["mod-disabled"])]
#[case::letter_case(|s: &Stage| rename(s, "pia/holds/%Ferry", "pia/holds/%ferry"), &["wrong-name"])]
#[case::too_deep(|s: &Stage| { rename(s, "pia/holds/%Ferry", "pia/f"); std::fs::create_dir(s.path("pia/holds/%Ferry")).unwrap(); rename(s, "pia/f", "pia/holds/%Ferry/%Ferry"); }, &["wrong-place"])]
#[case::other(|s: &Stage| s.write("pia/holds/%Ferry/hold.toml", "id = 'ferry'\nversion = '0.9'\n"), &["version-older"])]
#[case::extra(|s: &Stage| s.write("pia/holds/%Fog/hold.toml", "id = 'fog'\n"), &["mod-extra"])]
#[case::no_mod(|s: &Stage| s.write("pia/holds/%Junk/readme", "x"), &["unreadable"])]
#[case::packed(|s: &Stage| s.write("pia/holds/fog.zip", zip_of(&[("%Fog/hold.toml", b"id = 'fog'")])), &["still-packed"])]
fn one_fault_is_found_mended_and_taken_back(#[case] spoil: fn(&Stage), #[case] codes: &[&str]) {
    let stage = stage();
    stage.kanon(["check"]).ends_with(0);
    spoil(&stage);
    let before = stage.fingerprint("pia");
    assert_eq!(stage.codes("pia"), codes);
    let by_hand = codes == ["unreadable"];
    stage.kanon(["align", "pia", "--yes"]).ends_with(i32::from(by_hand));
    if by_hand {
        assert_eq!(stage.fingerprint("pia"), before, "a folder that nobody can read is left to the person");
        return;
    }
    assert_eq!(stage.codes("pia"), [""; 0]);
    assert_eq!(stage.read("pia/holds/%Ferry/stock/deep/ferry.hold"), "ferry payload");
    assert_eq!(stage.read("pia/holds/notes.txt"), "not a mod");
    stage.kanon(["undo", "pia"]).ends_with(0);
    assert_eq!(stage.fingerprint("pia"), before);
}

/// The folder of a mod is there, and nobody can tell any more that it is one.
#[rstest]
#[case::cut(Some("id = 'fer"), &[])]
#[case::gone(None, &[])]
#[case::without_an_id(Some("version = '1.0'\n"), &[])]
#[case::with_more_in_it(Some(""), &["stock/deep/more.hold", "old/hold.toml"])]
#[case::with_less_in_it(Some("no"), &["!stock/deep/ferry.hold"])]
fn a_folder_whose_document_is_damaged_is_mended_and_taken_back(
    #[case] document: Option<&str>,
    #[case] others: &[&str],
) {
    let stage = stage();
    let folder = "pia/holds/%Ferry";
    match document {
        Some(text) => stage.write(&format!("{folder}/hold.toml"), text),
        None => std::fs::remove_file(stage.path(&format!("{folder}/hold.toml"))).unwrap(),
    }
    for other in others {
        match other.strip_prefix('!') {
            Some(gone) => std::fs::remove_file(stage.path(&format!("{folder}/{gone}"))).unwrap(),
            None => stage.write(&format!("{folder}/{other}"), "of another day"),
        }
    }
    let before = stage.fingerprint("pia");
    assert_eq!(stage.codes("pia"), ["unreadable"]);
    stage.kanon(["align", "pia", "--yes"]).ends_with(0);
    assert_eq!(stage.codes("pia"), [""; 0]);
    assert_eq!(stage.read(&format!("{folder}/hold.toml")), "id = 'ferry'\nversion = '1.0'\n");
    stage.kanon(["undo", "pia"]).ends_with(0);
    assert_eq!(stage.fingerprint("pia"), before);
}
