//! What must never become the truth, and how one comes back to what was: seals, kept canons, and what is adopted.

use rstest::rstest;

use crate::hosts::site::{Site, Way};
use crate::stage::{Stage, psm, zip_of};

/// The same release of Snowtrack with something else in it.
fn other_snowtrack(text: &[u8]) -> Vec<u8> {
    zip_of(&[("about.json", br#"{"id": "snowtrack", "version": "3.2.1", "runs": "everywhere"}"#), ("data/text", text)])
}

const SNOWTRACK: &str = "mods/snowtrack-3.2.1.psm";

#[test]
fn a_sealed_release_with_other_bytes_is_refused_until_somebody_says_that_they_are_meant() {
    let stage = Stage::sealed();
    let sealed = stage.read("canon.json");
    let whole = std::fs::read(stage.path(&format!("station/{SNOWTRACK}"))).unwrap();
    for player in ["station", "mara"] {
        stage.write(&format!("{player}/{SNOWTRACK}"), other_snowtrack(b"edited last night"));
    }
    let refused = stage.kanon(["seal"]).ends_with(1);
    let refused =
        refused.says("content-differs").says("as it was sealed").says("oskar, tove, wren").says("still has those");
    refused.says("the same release with other bytes in").says("kanon seal --accept snowtrack").says("kanon align");
    assert_eq!(stage.read("canon.json"), sealed);
    stage.kanon(["seal", "--changes"]).ends_with(1).says("content-differs");
    stage.kanon(["seal", "--accept", "snowtrak"]).ends_with(2).says("did you mean `snowtrack`?");
    stage.kanon(["seal", "--accept", "aurora-core"]).ends_with(1).says("content-differs");
    stage.kanon(["seal", "--accept", "snowtrack"]).ends_with(0).says("the same release with other bytes");
    assert_ne!(stage.read("canon.json"), sealed);
    // What was meant once is what was sealed from then on: the old bytes are the other ones now.
    stage.write(&format!("station/{SNOWTRACK}"), whole);
    stage.kanon(["seal"]).ends_with(1).says("content-differs");
}

#[rstest]
#[case::torn(|bytes: &mut Vec<u8>| bytes.truncate(bytes.len() * 3 / 4))]
#[case::altered(|bytes: &mut Vec<u8>| { let at = bytes.windows(9).position(|w| w == b"some text").map_or(50, |at| at); bytes[at] ^= 1 })]
fn damage_is_never_sealed_taken_or_adopted(#[case] harm: fn(&mut Vec<u8>)) {
    let stage = Stage::sealed();
    let before = stage.read("canon.json");
    let mut damaged = stored_psm("peat-drill", "2.0");
    harm(&mut damaged);
    stage.write("station/mods/peat-drill-2.0.psm", &damaged);
    let wishes = stage.read("kanon.toml");
    stage.kanon(["adopt", "station"]).ends_with(1).says("peat-drill-2.0.psm");
    assert_eq!(stage.read("kanon.toml"), wishes, "it is not wished for");
    stage.write("kanon.toml", format!("{wishes}\n[[mod]]\nid = \"peat-drill\"\n"));
    stage.kanon(["seal"]).ends_with(1);
    assert_eq!(stage.read("canon.json"), before);
    std::fs::remove_file(stage.path("station/mods/peat-drill-2.0.psm")).unwrap();
    // From a folder of downloads: neither taken nor renewed.
    stage.write("downloads/peat-drill-2.0.psm", &damaged);
    stage.write("kanon.toml", format!("{wishes}\n[source.downloads]\nat = \"downloads\"\n"));
    let said = stage.kanon(["take", "peat-drill"]);
    assert_ne!(said.code, Some(0), "{said:?}");
    assert!(!stage.read("kanon.toml").contains("peat-drill"));
    let mut newer = stored_psm("snowtrack", "3.9.9");
    harm(&mut newer);
    stage.write("downloads/snowtrack-3.9.9.psm", &newer);
    stage.kanon(["renew", "snowtrack"]);
    assert!(!stage.read("kanon.toml").contains("3.9.9"));
    assert_eq!(stage.read("canon.json"), before);
}

/// A mod whose members are not packed, so that one bit is one bit.
fn stored_psm(id: &str, version: &str) -> Vec<u8> {
    use std::io::Write;
    let mut writer = zip::ZipWriter::new(std::io::Cursor::new(Vec::new()));
    let stored = zip::write::SimpleFileOptions::default().compression_method(zip::CompressionMethod::Stored);
    let about = format!(r#"{{"id": "{id}", "version": "{version}", "runs": "everywhere"}}"#);
    for (name, bytes) in [("about.json", about.as_bytes()), ("data/text", b"some text")] {
        writer.start_file(name, stored).unwrap();
        writer.write_all(bytes).unwrap();
    }
    writer.finish().unwrap().into_inner()
}

#[test]
fn every_canon_is_kept_and_can_count_again() {
    let stage = Stage::sealed();
    let first = stage.read("canon.json");
    stage.write(&format!("station/{SNOWTRACK}"), other_snowtrack(b"meant"));
    stage.write(&format!("mara/{SNOWTRACK}"), other_snowtrack(b"meant"));
    stage.kanon(["seal", "--accept", "snowtrack"]).ends_with(0);
    let second = stage.read("canon.json");
    let told = stage.kanon(["history", "--canons"]).ends_with(0);
    told.says("2 canons").says("kanon seal --accept snowtrack").says("counts now").says("kanon seal --back-to N");
    let json = stage.kanon(["history", "--canons", "--format", "json"]).ends_with(0).json();
    assert_eq!((json["canons"][0]["number"].as_u64(), json["canons"][0]["counts"].as_bool()), (Some(2), Some(true)));
    stage.kanon(["seal", "--back-to", "7"]).ends_with(2).says("kanon history --canons");
    stage.kanon(["seal", "--back-to", "1"]).ends_with(0).says("the same release with other bytes");
    assert_eq!(stage.read("canon.json"), first);
    stage.kanon(["check", "oskar"]).ends_with(0);
    stage.kanon(["check", "mara"]).ends_with(1).says("content-differs");
    stage.kanon(["seal", "--back-to", "2"]).ends_with(0);
    assert_eq!(stage.read("canon.json"), second);
}

#[rstest]
#[case::edited(|text: String| text.replacen("3.2.1", "3.2.2", 1))]
#[case::cut(|text: String| text[..text.len() / 2].to_owned())]
#[case::emptied(|_| String::new())]
fn a_canon_that_was_edited_or_cut_is_told_and_made_anew(#[case] harm: fn(String) -> String) {
    let stage = Stage::sealed();
    let sealed = stage.read("canon.json");
    stage.write("canon.json", harm(sealed.clone()));
    let said = stage.kanon(["check", "mara"]).ends_with(2);
    said.says("the canon in").says("can't be used").says("kanon seal makes it anew").says("--back-to");
    stage.kanon(["align", "mara", "--yes"]).ends_with(2);
    stage.kanon(["publish", "site"]).ends_with(2);
    stage.kanon(["seal"]).ends_with(0).says("the last one that was sealed here counts in its place");
    assert_eq!(stage.read("canon.json"), sealed);
}

/// The guide's way with a rented server: what is there becomes the wish, and the seal has its bytes.
#[rstest]
fn from_a_rented_server_to_a_canon_and_back(
    #[values(Way::Ftp, Way::OldFtp, Way::Sftp, Way::RealSsh, Way::RealProftpd, Way::RealVsftpd)] way: Way,
) {
    let mut stage = Stage::bare();
    stage
        .kanon(["init", "--name", "Longnight", "--rulebook", "polarspur.rulebook.toml", "--server", "station"])
        .ends_with(0);
    let Some(site) = Site::serve(way, &stage.path("station")) else { return };
    site.take(&mut stage, "station");
    stage.kanon(["adopt", "station"]).ends_with(0);
    let said = stage.kanon(["seal"]).ends_with(0);
    said.says("are on station alone; they are fetched now");
    stage.kanon(["check", "station"]).ends_with(0);
    stage.kanon(["seal"]).ends_with(0).says("nothing changed").hides("fetched");
    std::fs::remove_file(stage.path(&format!("station/{SNOWTRACK}"))).unwrap();
    stage.kanon(["check", "station"]).ends_with(1).says("mod-missing");
    stage.kanon(["align", "station", "--yes"]).ends_with(0).says("in line");
    stage.kanon(["undo", "station"]).ends_with(0);
    assert!(!stage.path(&format!("station/{SNOWTRACK}")).exists());
    // Damage that only the fetched bytes show is not sealed either.
    let mut damaged = stored_psm("peat-drill", "2.0");
    let at = damaged.windows(9).position(|window| window == b"some text").unwrap();
    damaged[at] ^= 1;
    stage.write("station/mods/peat-drill-2.0.psm", damaged);
    let before = stage.read("canon.json");
    stage.write("kanon.toml", stage.read("kanon.toml") + "\n[[mod]]\nid = \"peat-drill\"\nfrom = \"station\"\n");
    stage.kanon(["seal"]).ends_with(1).says("unreadable").says("data/text is torn");
    assert_eq!(stage.read("canon.json"), before);
}

#[test]
fn a_players_own_mods_are_not_wished_onto_the_server() {
    let stage = Stage::sealed();
    stage.write("wren/mods/star-chart-1.0.psm", psm("star-chart", "1.0", "everywhere"));
    stage.write("wren/mods/star-song-1.0.psm", psm("star-song", "1.0", "everywhere"));
    let before = stage.read("kanon.toml");
    stage
        .kanon(["adopt", "wren"])
        .ends_with(0)
        .says("left out, since no server has them: star-chart, star-song")
        .says("--only star-chart");
    assert!(!stage.read("kanon.toml").contains("star-"));
    stage.kanon(["seal"]).ends_with(0);
    stage.kanon(["check", "station"]).ends_with(0);
    stage.kanon(["adopt", "wren", "--only", "star-chrt"]).ends_with(2).says("did you mean `star-chart`?");
    stage.kanon(["adopt", "wren", "--only", "star-chart"]).ends_with(0);
    assert!(stage.read("kanon.toml").contains("star-chart") && !stage.read("kanon.toml").contains("star-song"));
    stage.kanon(["seal"]).ends_with(0);
    std::fs::remove_file(stage.path("wren/mods/star-song-1.0.psm")).unwrap();
    stage.kanon(["check", "station", "wren"]).ends_with(0);
    stage.write("kanon.toml", before);
    stage.kanon(["adopt", "station", "--except", "snowtrack"]).ends_with(0);
}
