//! Killed, or out of room, in the middle of an alignment: the next command says so, and nothing is half-done after it.

#![cfg(unix)]

use crate::stage::{Said, Stage, said, zip_of};
use rstest::rstest;

/// Bytes of the large mod; more than a file may have in the shell below, whose limit is in blocks of 512 bytes (or 1024, in some).
const LARGE: usize = 5 << 20;
const LIMIT_BLOCKS: usize = (2 << 20) / 512;

/// A client that lacks one small and one large mod: the small one is put first.
fn stage() -> Stage {
    let stage = Stage::sealed();
    let noise: Vec<u8> = (0..LARGE).map(|i| (i * i % 251) as u8 ^ (i / 977) as u8).collect();
    let mut large = zip_of(&[("about.json", br#"{"id": "zeppelin", "version": "1"}"#)]);
    let stored = zip::write::SimpleFileOptions::default().compression_method(zip::CompressionMethod::Stored);
    let mut writer = zip::ZipWriter::new_append(std::io::Cursor::new(&mut large)).unwrap();
    writer.start_file("hull", stored).unwrap();
    std::io::Write::write_all(&mut writer, &noise).unwrap();
    writer.finish().unwrap();
    stage.write("station/mods/zeppelin.psm", &large);
    stage.kanon(["adopt", "station"]).ends_with(0);
    stage.kanon(["seal"]).ends_with(0);
    std::fs::remove_file(stage.path("mara/mods/drift-radio-1.1.0.psm")).unwrap();
    stage.write("mara/mods/fog.psm", crate::stage::psm("fog", "1", "everywhere"));
    stage
}

/// Runs the program where no file may grow beyond the limit; what happens then is up to `signal`.
fn limited(stage: &Stage, signal: &str, words: &str) -> Said {
    let program = crate::stage::program().display();
    let mut shell = std::process::Command::new("sh");
    shell
        .arg("-c")
        .arg(format!("{signal} ulimit -f {LIMIT_BLOCKS}; exec '{program}' {words}"))
        .current_dir(stage.path(""));
    said(shell)
}

#[test]
fn out_of_room_is_taken_back_at_once() {
    let stage = stage();
    let before = stage.fingerprint("mara");
    limited(&stage, "trap '' XFSZ;", "align mara --yes").ends_with(2).says("mods/zeppelin.psm").says("because:");
    assert_eq!(stage.fingerprint("mara"), before, "the steps before it are taken back too");
    stage.kanon(["history"]).ends_with(0).says("taken back");
    stage.kanon(["align", "mara", "--yes"]).ends_with(0);
}

#[rstest]
#[case::undo("undo")]
#[case::align("align")]
fn a_killed_alignment_is_told_then_taken_back_or_done_again(#[case] next: &str) {
    let stage = stage();
    let before = stage.fingerprint("mara");
    let killed = limited(&stage, "", "align mara --yes");
    assert_eq!(killed.code, None, "the signal ended it: {killed:?}");
    assert_ne!(stage.fingerprint("mara"), before, "it was in the middle of things");
    stage.kanon(["check", "mara"]).ends_with(1).says("alignment 1 of mara was interrupted after");
    if next == "undo" {
        stage.kanon(["undo", "mara"]).ends_with(0);
        assert_eq!(stage.fingerprint("mara"), before);
    } else {
        stage.kanon(["align", "mara"]).ends_with(1).says("it is finished first").says("add --yes");
        stage.kanon(["align", "mara", "--yes"]).ends_with(0).says("alignment 1 of mara is finished").says("in line");
        assert_eq!(stage.codes("mara"), [""; 0]);
        stage.kanon(["undo", "mara"]).ends_with(0);
        assert_eq!(stage.fingerprint("mara"), before);
    }
}
