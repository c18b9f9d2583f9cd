//! What people find in a folder in place of what should be there: each is told for what it is.

#![allow(clippy::unwrap_used, missing_docs, reason = "a test that unwraps nothing tells nothing")]

use std::fs;
use std::io::Write;
use std::path::{Path, PathBuf};

use kanon_core::base::digest::Blake3;
use kanon_io::error::{BackupFault, CommandFault, CopyFault, PlaceFault, ReachError, ReadFault, ReleaseFault, Unfit};
use kanon_io::following::Following;
use kanon_io::release::serve;
use kanon_io::{backup, canons, carried, evidence, fetch, logs, open, running, workspace};
use rstest::rstest;
use zip::ZipWriter;
use zip::write::SimpleFileOptions;

/// Why something can't be used, and which file it is.
fn unfit<T>(result: Result<T, ReachError>) -> (PathBuf, Unfit) {
    match result {
        Err(ReachError::Unusable { path, reason } | ReachError::BadCanon { path, reason }) => (path, reason),
        Err(other) => panic!("another error: {other:?}"),
        Ok(_) => panic!("it is taken"),
    }
}

fn zip(path: &Path, members: &[(&str, usize)]) {
    let mut zip = ZipWriter::new(fs::File::create(path).unwrap());
    for (name, size) in members {
        zip.start_file(*name, SimpleFileOptions::default()).unwrap();
        zip.write_all(&vec![b'0'; *size]).unwrap();
    }
    zip.finish().unwrap();
}

#[rstest]
#[case::of_another_world(b"caf\xe9 = 1\n", Unfit::File(ReadFault::NotUtf8(3)))]
#[case::utf_16(b"\xff\xfec\0a\0", Unfit::File(ReadFault::NotUtf8(0)))]
#[case::cut_in_a_letter("# Mövenstein".as_bytes().split_at(4).0, Unfit::File(ReadFault::NotUtf8(3)))]
fn a_text_that_is_none(#[case] bytes: &[u8], #[case] why: Unfit) {
    let temp = tempfile::tempdir().unwrap();
    let path = temp.path().join("kanon.toml");
    fs::write(&path, bytes).unwrap();
    assert_eq!(unfit(workspace::read_text(&path, "read")), (path, why));
}

#[test]
fn a_text_without_end() {
    let temp = tempfile::tempdir().unwrap();
    let path = temp.path().join("kanon.toml");
    fs::File::create(&path).unwrap().set_len(5 << 20).unwrap();
    let (_, why) = unfit(workspace::read_text(&path, "read"));
    assert_eq!(why, Unfit::File(ReadFault::LargerThanMib(4)));
    let error = open::read_bounded(&path, 7).unwrap_err();
    assert_eq!(
        (error.kind(), error.to_string().as_str()),
        (std::io::ErrorKind::FileTooLarge, "it has more than 7 bytes")
    );
}

#[rstest]
#[case::a_letter("Dear Ines, my evening is over.")]
#[case::nothing("")]
#[case::the_head_of_a_zip("PK\u{3}\u{4}")]
fn evidence_that_is_none(#[case] text: &str) {
    let temp = tempfile::tempdir().unwrap();
    let path = temp.path().join("evening.zip");
    fs::write(&path, text).unwrap();
    let (named, why) = unfit(evidence::laid_out(&path, &["survey.json"], temp.path()));
    assert_eq!(named, path);
    assert!(matches!(why, Unfit::File(ReadFault::NoEvidence(_))), "{why:?}");
}

#[test]
fn evidence_of_very_many_parts() {
    let temp = tempfile::tempdir().unwrap();
    let path = temp.path().join("evening.zip");
    let names: Vec<String> = (0..5_000).map(|number| format!("part-{number}")).collect();
    zip(&path, &names.iter().map(|name| (name.as_str(), 0)).collect::<Vec<_>>());
    assert_eq!(
        unfit(evidence::laid_out(&path, &["part-1"], temp.path())),
        (path, Unfit::File(ReadFault::TooManyParts))
    );
}

#[test]
fn evidence_with_a_part_that_swells() {
    let temp = tempfile::tempdir().unwrap();
    let path = temp.path().join("evening.zip");
    zip(&path, &[("note.txt", 3), ("server.log", 60 << 20)]);
    let (named, why) = unfit(evidence::laid_out(&path, &["note.txt", "server.log"], temp.path()));
    assert_eq!(named, path);
    assert!(
        matches!(&why, Unfit::File(ReadFault::PartLargerThanMib { part, mib: 1..60 }) if part == "server.log"),
        "{why:?}"
    );
    assert_eq!(fs::read(temp.path().join("note.txt")).unwrap(), b"000", "what came before is there");
}

#[rstest]
#[case::of_another_program(
    r#"{"format": "ledger/9", "sealed": 0, "why": "", "canon": {}}"#,
    Unfit::File(ReadFault::NoKeptCanon)
)]
#[case::a_list(r#"{"format": 3}"#, Unfit::Told("invalid type: integer `3`, expected a string at line 1 column 12".into()))]
fn a_kept_canon_that_is_none(#[case] text: &str, #[case] why: Unfit) {
    let temp = tempfile::tempdir().unwrap();
    fs::write(temp.path().join("4.json"), text).unwrap();
    assert_eq!(unfit(canons::read(temp.path(), 4).map(drop)), (temp.path().join("4.json"), why));
}

#[test]
fn a_canon_elsewhere_that_is_a_shopping_list() {
    let temp = tempfile::tempdir().unwrap();
    fs::write(temp.path().join("canon.json"), "eggs, rope, lamp oil").unwrap();
    let (named, why) = unfit(canons::elsewhere(temp.path(), temp.path(), "canon.json"));
    assert_eq!(named, Path::new("canon.json"), "as it was typed");
    assert!(matches!(&why, Unfit::Told(why) if !why.contains('\n')), "{why:?}");
}

#[rstest]
#[case::torn(r#"{"format": "kanon-b"#, false)]
#[case::of_another_format(r#"{"format": "other/1", "alignment": 1, "install": "quay", "root": "/srv/quay", "began": 0, "steps": [], "before": []}"#, true)]
fn a_backup_whose_manifest_is_none(#[case] text: &str, #[case] is_json: bool) {
    let temp = tempfile::tempdir().unwrap();
    fs::write(temp.path().join("manifest.json"), text).unwrap();
    match unfit(backup::Manifest::read(temp.path())).1 {
        Unfit::Backup(BackupFault::NoManifest) => assert!(is_json),
        Unfit::Backup(BackupFault::BadManifest(why)) => assert!(!why.chars().any(char::is_control), "{why:?}"),
        other => panic!("{other:?}"),
    }
}

#[rstest]
#[case::gone(None, CopyFault::Gone)]
#[case::edited(Some("other bytes"), CopyFault::OtherBytes)]
fn a_copy_that_is_no_longer_what_it_was(#[case] now: Option<&str>, #[case] fault: CopyFault) {
    let temp = tempfile::tempdir().unwrap();
    if let Some(text) = now {
        fs::write(temp.path().join("0"), text).unwrap();
    }
    let (path, why) = unfit(backup::sound_copy(temp.path(), ("0", Blake3::of(b"the bytes")), "loads/fog\u{1b}[2J"));
    assert_eq!(path, temp.path().join("0"));
    let Unfit::Backup(BackupFault::BadCopy { of, why }) = why else { panic!("{why:?}") };
    assert_eq!(why, fault);
    assert!(!of.contains('\u{1b}'), "nothing steers a terminal: {of:?}");
}

#[test]
fn a_copy_that_is_a_folder_or_lies_elsewhere() {
    let temp = tempfile::tempdir().unwrap();
    fs::create_dir(temp.path().join("0")).unwrap();
    fs::write(temp.path().join("1"), "the bytes").unwrap();
    let digest = Blake3::of(b"the bytes");
    for copy in ["0", "../1", "a/../1"] {
        let result = backup::sound_copy(temp.path(), (copy, digest), "loads/fog");
        assert!(result.is_err(), "{copy} is taken");
    }
    assert_eq!(backup::sound_copy(temp.path(), ("1", digest), "loads/fog").unwrap(), temp.path().join("1"));
}

#[test]
fn a_folder_that_holds_no_release_is_not_served() {
    let temp = tempfile::tempdir().unwrap();
    fs::create_dir(temp.path().join("metadata")).unwrap();
    let served = serve(temp.path(), "127.0.0.1:0", |address| panic!("it listens at {address}"));
    assert_eq!(unfit(served), (temp.path().to_owned(), Unfit::Release(ReleaseFault::NoRelease)));
}

#[test]
fn programs_that_carry_nothing() {
    let temp = tempfile::tempdir().unwrap();
    fs::write(temp.path().join("readme.txt"), "no program at all").unwrap();
    assert!(carried::programs_in(temp.path()).unwrap().is_empty(), "what is no program is passed over");
    let mut bytes = fs::read(std::env::current_exe().unwrap()).unwrap();
    bytes.truncate(1 << 16);
    fs::write(temp.path().join("another"), &bytes).unwrap();
    let (path, why) = unfit(carried::programs_in(temp.path()));
    assert_eq!((path, why), (temp.path().join("another"), Unfit::Release(ReleaseFault::CarriesNoInvite)));
}

#[test]
fn a_folder_without_logs() {
    let temp = tempfile::tempdir().unwrap();
    fs::write(temp.path().join("picture.png"), "").unwrap();
    assert_eq!(unfit(logs::set_of(temp.path())), (temp.path().to_owned(), Unfit::File(ReadFault::NoLog)));
    fs::write(temp.path().join("Server.LOG"), "").unwrap();
    assert_eq!(logs::set_of(temp.path()).unwrap(), [temp.path().join("Server.LOG")]);
}

#[test]
fn what_follows_by_a_file_of_a_later_program() {
    let temp = tempfile::tempdir().unwrap();
    let text =
        r#"{"format": "kanon-following/99", "invite": "x", "release": 1, "published": "", "ends": 0, "told": null}"#;
    fs::write(temp.path().join("following.json"), text).unwrap();
    match Following::read(temp.path()) {
        Ok(None) => panic!("it lies under another name"),
        other => assert_eq!(unfit(other).1, Unfit::File(ReadFault::Format("kanon-following/99".to_owned()))),
    }
}

#[cfg(unix)]
#[rstest]
#[case::of_its_own("exit 7", "7")]
#[case::killed("kill -9 $$", "9")]
fn a_command_that_ends_badly(#[case] script: &str, #[case] named: &str) {
    let temp = tempfile::tempdir().unwrap();
    let words = ["sh", "-c", script].map(str::to_owned);
    let (path, why) = unfit(running::run(&words, temp.path()));
    assert_eq!(path, Path::new("sh"));
    assert!(matches!(&why, Unfit::Command(CommandFault::CommandEnded(status)) if status.contains(named)), "{why:?}");
}

#[test]
fn an_address_of_no_file() {
    let temp = tempfile::tempdir().unwrap();
    for at in ["https://quay.example/", "file:///srv/quay/"] {
        match fetch::small_file(at, temp.path(), &Default::default(), 10) {
            Err(ReachError::Address { reason, .. }) => {
                assert_eq!(reason, Unfit::Place(PlaceFault::NamesNoFile), "{at}");
            }
            other => panic!("{at}: {other:?}"),
        }
    }
    fs::write(temp.path().join("list"), "eleven bytes").unwrap();
    match fetch::small_file("list", temp.path(), &Default::default(), 10) {
        Err(ReachError::Address { reason, .. }) => assert_eq!(reason, Unfit::File(ReadFault::LargerThanMib(0))),
        other => panic!("{other:?}"),
    }
}
