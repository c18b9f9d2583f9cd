//! The way back: whole, known again when it was cut off, refused when it can't be whole, and told.

use std::process::Command;

use rstest::rstest;

use crate::hosts::site::{Site, Way};
use crate::stage::{Fingerprint, Stage, said, zip_of};

const RULEBOOK: &str = r#"format = "kanon-rulebook/1"
game   = "Tallowfen"
[versions]
scheme = "dotted"
[[shelf]]
name  = "loads"
holds = "archives"
in    = { server = "loads" }
match = ["*.load"]
[shelf.mod]
document     = { member = "leaflet.json" }
id           = "$.called"
version      = "$.version"
shapes-world = { at = "$.reshapes", means = { "true" = "yes", "false" = "no" } }
[[list]]
name   = "start line"
of     = "server"
file   = "start.sh"
option = "-loads="
entry  = "{id}"
between = ","
ordered = true
[[world]]
in = { server = "WORLD" }
"#;

fn load(id: &str, version: &str, reshapes: bool) -> Vec<u8> {
    let leaflet = format!(r#"{{"called": "{id}", "version": "{version}", "reshapes": {reshapes}}}"#);
    zip_of(&[("leaflet.json", leaflet.as_bytes())])
}

/// A server that lacks a mod which reshapes worlds, and has had a world for a month.
fn stage(world: &str) -> Stage {
    let stage = Stage::empty();
    stage.write("fen.rulebook.toml", RULEBOOK.replace("WORLD", world));
    for install in ["model", "fen"] {
        stage.write(&format!("{install}/loads/lamp.load"), load("lamp", "1", false));
        stage.write(&format!("{install}/start.sh"), "#!/bin/sh\nexec ./fen -loads=lamp\n");
    }
    stage.write("model/loads/peat.load", load("peat", "2", true));
    stage.write("model/start.sh", "#!/bin/sh\nexec ./fen -loads=lamp,peat\n");
    stage.write("kanon.toml", "format = \"kanon/1\"\nname = \"Fen\"\nrulebook = \"fen.rulebook.toml\"\n\n[install.model]\nrole = \"server\"\nat = \"model\"\n\n[install.fen]\nrole = \"server\"\nat = \"fen\"\n");
    stage.kanon(["adopt", "model"]).ends_with(0);
    stage.kanon(["seal"]).ends_with(0);
    stage
}

fn bytes(all: Fingerprint) -> Vec<(String, Vec<u8>)> {
    all.into_iter().filter(|(name, _)| !name.ends_with('/')).map(|(name, (bytes, ..))| (name, bytes)).collect()
}

/// The game has played on in a new world: what it made has names of its own, and names of the old one too.
#[rstest]
#[case::folder("save", &[("level", "the old one"), ("region/0", "every plank")], &[("level", "a new one"), ("region/7", "fresh")])]
#[case::of_many("saves/*", &[("moor/level", "the old one"), ("moor/packs/x", "y")], &[("moor/level", "a new one"), ("moor/deep/er", "z")])]
#[case::one_file("save.fen", &[("", "the old one")], &[("", "a new one, and longer")])]
fn the_old_world_comes_back_whole_and_the_new_one_is_set_aside_whole(
    #[case] world: &str,
    #[case] old: &[(&str, &str)],
    #[case] new: &[(&str, &str)],
    #[values(Way::Folder, Way::OldFtp, Way::Sftp, Way::RealSsh, Way::RealProftpd)] way: Way,
) {
    let mut stage = stage(world);
    let root = world.trim_end_matches("/*");
    let at = |name: &str| if name.is_empty() { format!("fen/{root}") } else { format!("fen/{root}/{name}") };
    old.iter().for_each(|(name, text)| stage.write(&at(name), text));
    let Some(site) = Site::serve(way, &stage.path("fen")) else { return };
    if way != Way::Folder {
        site.take(&mut stage, "fen");
    }
    let before = bytes(stage.fingerprint("fen"));
    stage.kanon(["align", "fen", "--yes", "--world", "new"]).ends_with(0);
    new.iter().for_each(|(name, text)| stage.write(&at(name), text));
    let undone = stage.kanon(["undo", "fen"]).ends_with(0).says("set aside").says("the game had made a new world");
    let after = bytes(stage.fingerprint("fen"));
    let aside: Vec<_> = after.iter().filter(|(name, _)| name.contains("-made-after-1")).cloned().collect();
    let rest: Vec<_> = after.into_iter().filter(|(name, _)| !name.contains("-made-after-1")).collect();
    assert_eq!(rest, before, "{undone:?}");
    assert_eq!(aside.len(), new.len(), "{aside:?}");
    for (name, text) in new {
        let tail = name.split_once('/').filter(|_| world.ends_with('*')).map_or(*name, |(_, tail)| tail);
        assert!(
            aside.iter().any(|(path, bytes)| path.ends_with(tail) && bytes == text.as_bytes()),
            "{name} of {aside:?}"
        );
    }
}

#[test]
fn a_world_that_nobody_played_in_is_no_new_one() {
    let stage = stage("save");
    stage.write("fen/save/level", "the old one");
    stage.write("prepared/level", "as prepared");
    let before = bytes(stage.fingerprint("fen"));
    stage.kanon(["align", "fen", "--yes", "--world", "prepared"]).ends_with(0);
    stage.kanon(["undo", "fen"]).ends_with(0).hides("set aside");
    assert_eq!(bytes(stage.fingerprint("fen")), before);
}

/// A copy in the backup that is not what it was: nothing is touched before that is known.
#[rstest]
#[case::gone(|copy: &std::path::Path| std::fs::remove_file(copy).unwrap(), "is gone")]
#[case::altered(|copy: &std::path::Path| std::fs::write(copy, "other bytes").unwrap(), "has other bytes")]
#[case::link(|copy: &std::path::Path| { let kept = copy.with_extension("kept"); std::fs::rename(copy, &kept).unwrap(); std::os::unix::fs::symlink(&kept, copy).unwrap() }, "is no file of its own")]
#[case::outer_link(|copy: &std::path::Path| { let loads = copy.parent().unwrap(); let kept = loads.with_extension("kept"); std::fs::rename(loads, &kept).unwrap(); std::os::unix::fs::symlink(&kept, loads).unwrap() }, "is no file of its own")]
#[case::pipe(|copy: &std::path::Path| { std::fs::remove_file(copy).unwrap(); assert!(Command::new("mkfifo").arg(copy).status().unwrap().success()) }, "is no file of its own")]
fn an_undo_whose_copies_are_not_sound_touches_nothing(#[case] harm: fn(&std::path::Path), #[case] told: &str) {
    let stage = stage("save");
    stage.write("fen/loads/lamp.load", load("lamp", "0.9", false));
    stage.kanon(["align", "fen", "--yes", "--world", "keep"]).ends_with(0);
    let aligned = bytes(stage.fingerprint("fen"));
    let backup = stage.path(".kanon/backups/1");
    let old = load("lamp", "0.9", false);
    let copy = backup.join("files/loads/lamp.load");
    assert_eq!(std::fs::read(&copy).unwrap(), old, "a copy lies where its file lay");
    harm(&copy);
    stage.kanon(["undo", "fen"]).ends_with(2).says(told).says("nothing was taken back").says("loads/lamp.load");
    assert_eq!(bytes(stage.fingerprint("fen")), aligned);
    stage.kanon(["history"]).ends_with(0).says("done").hides("interrupted");
    stage.kanon(["align", "fen", "--yes"]).ends_with(0);
}

/// Killed at any call, the next command knows of it, and goes on with it.
#[test]
fn an_undo_that_was_killed_is_known_and_finished() {
    let calls = "rename,renameat,renameat2,unlinkat,mkdir,mkdirat,fsync,utimensat";
    let can_trace = Command::new("strace").args(["-qq", "-o", "/dev/null", "true"]).status();
    if !can_trace.is_ok_and(|status| status.success()) {
        eprintln!("skipped: strace is not installed, or may not trace here");
        return;
    }
    let stage = stage("save");
    stage.write("fen/save/level", "the old one");
    stage.write("fen/loads/lamp.load", load("lamp", "0.9", false));
    stage.write("fen/loads/crow.load", load("crow", "3", false));
    let before = bytes(stage.fingerprint("fen"));
    stage.kanon(["align", "fen", "--yes", "--world", "new", "--park-extras"]).ends_with(0);
    stage.write("fen/save/level", "a new one");
    let copy = |from: &str, to: &str| {
        for part in ["fen", ".kanon"] {
            drop(std::fs::remove_dir_all(stage.path(&format!("{to}{part}"))));
            std::fs::create_dir_all(stage.path(to)).unwrap();
            let done = Command::new("cp")
                .arg("-a")
                .arg(stage.path(&format!("{from}{part}")))
                .arg(stage.path(&format!("{to}{part}")))
                .status();
            assert!(done.unwrap().success());
        }
    };
    copy("", "start/");
    let (mut cut, mut known) = (0, 0);
    for number in 1..60 {
        copy("start/", "");
        let mut command = Command::new("strace");
        command.args([
            "-f",
            "-qq",
            "-o",
            "/dev/null",
            "-e",
            &format!("trace={calls}"),
            "-e",
            &format!("inject={calls}:signal=SIGKILL:when={number}"),
        ]);
        command
            .arg(crate::stage::program())
            .args(["undo", "fen"])
            .current_dir(stage.path(""))
            .env("HOME", stage.path("home"))
            .stdin(std::process::Stdio::null());
        let killed = said(command);
        if killed.code == Some(0) {
            continue;
        }
        cut += 1;
        let check = stage.kanon(["check", "fen"]);
        known +=
            usize::from(check.err.contains("taking back 1 of fen was interrupted; kanon undo fen goes on with it"));
        let again = stage.kanon(["undo", "fen"]);
        let is_over = again.code == Some(2) && again.err.contains("no alignment of fen to take back");
        assert!(again.code == Some(0) || is_over, "{number}: {again:?}");
        let after = bytes(stage.fingerprint("fen"));
        let (aside, rest): (Vec<_>, Vec<_>) = after.into_iter().partition(|(name, _)| name.contains("-made-after-1"));
        assert_eq!(rest, before, "{number}");
        assert!(matches!(aside.as_slice(), [(_, bytes)] if bytes == b"a new one"), "{number}: {aside:?}");
    }
    assert!(cut > 8 && known >= 3, "{cut} cut off, {known} of them known to be under way");
}

#[rstest]
#[case::journal_gone(".kanon/journal.db")]
#[case::all_of_it_gone(".kanon")]
fn with_the_journal_gone_a_backup_is_enough(#[case] gone: &str) {
    let stage = stage("save");
    stage.write("fen/save/level", "the old one");
    stage.write("fen/loads/lamp.load", load("lamp", "0.9", false));
    let before = bytes(stage.fingerprint("fen"));
    stage.kanon(["align", "fen", "--yes", "--world", "new"]).ends_with(0);
    std::fs::rename(stage.path(".kanon/backups"), stage.path("backups")).unwrap();
    if gone == ".kanon" {
        std::fs::remove_dir_all(stage.path(".kanon")).unwrap();
        std::fs::create_dir_all(stage.path(".kanon")).unwrap();
    } else {
        for end in ["", "-wal", "-shm"] {
            drop(std::fs::remove_file(stage.path(&format!("{gone}{end}"))));
        }
    }
    std::fs::rename(stage.path("backups"), stage.path(".kanon/backups")).unwrap();
    stage.kanon(["undo", "fen"]).ends_with(2).says("no alignment of fen");
    stage.kanon(["undo", "model", "--from-backup", "1"]).ends_with(2).says("backup 1 is of");
    stage.kanon(["undo", "fen", "--from-backup", "7"]).ends_with(2).says("manifest");
    stage.kanon(["undo", "fen", "--from-backup", "1"]).ends_with(0).says("taken back");
    assert_eq!(bytes(stage.fingerprint("fen")), before);
    // The next one does not write over what is there.
    stage.kanon(["align", "fen", "--yes", "--world", "keep"]).ends_with(0).says("alignment 2 of fen");
}

/// Times from before 1970, and far beyond what nanoseconds since then can count to.
#[rstest]
#[case(-2_000_000_000)]
#[case(-1)]
#[case(4_102_444_800)]
#[case(9_999_999_999)]
#[case(13_569_465_600)]
fn dates_of_any_time_survive(#[case] seconds: i64) {
    let stage = stage("save");
    stage.write("fen/loads/lamp.load", load("lamp", "0.9", false));
    let time = filetime::FileTime::from_unix_time(seconds, 0);
    for path in ["fen/loads/lamp.load", "fen/start.sh", "fen/loads"] {
        filetime::set_file_mtime(stage.path(path), time).unwrap();
    }
    let seen = || {
        ["fen/loads/lamp.load", "fen/start.sh"].map(|path| {
            filetime::FileTime::from_last_modification_time(&std::fs::metadata(stage.path(path)).unwrap())
                .unix_seconds()
        })
    };
    let before = seen();
    stage.kanon(["survey", "fen"]).ends_with(0);
    stage.kanon(["align", "fen", "--yes", "--world", "keep"]).ends_with(0);
    stage.kanon(["undo", "fen"]).ends_with(0);
    // Some file systems know no such times, and keep the nearest that they do.
    assert_eq!(seen(), before);
}

/// What must be run can still be run, also where a host keeps permissions by a word of its own.
#[rstest]
fn a_script_that_is_edited_can_still_be_run(
    #[values(Way::Folder, Way::Ftp, Way::OldFtp, Way::Sftp, Way::RealSsh, Way::RealProftpd, Way::RealVsftpd)] way: Way,
) {
    use std::os::unix::fs::PermissionsExt;
    let mut stage = stage("save");
    let script = stage.path("fen/start.sh");
    std::fs::set_permissions(&script, std::fs::Permissions::from_mode(0o755)).unwrap();
    let Some(site) = Site::serve(way, &stage.path("fen")) else { return };
    if way != Way::Folder {
        site.take(&mut stage, "fen");
    }
    let aligned = stage.kanon(["align", "fen", "--yes", "--world", "keep"]).ends_with(0);
    assert!(stage.read("fen/start.sh").contains("lamp,peat"));
    let mode = || std::fs::metadata(&script).unwrap().permissions().mode() & 0o777;
    let is_told = |said: &crate::stage::Said| said.err.contains("this host keeps no permissions");
    assert!(mode() == 0o755 || is_told(&aligned), "{way:?}: {:o} {aligned:?}", mode());
    let undone = stage.kanon(["undo", "fen"]).ends_with(0);
    assert!(mode() == 0o755 || is_told(&undone), "{way:?}: {:o} {undone:?}", mode());
    if matches!(way, Way::RealProftpd | Way::RealVsftpd | Way::RealSsh) {
        assert_eq!(mode(), 0o755, "{way:?} can");
    }
}

#[test]
fn backups_are_counted_by_what_can_still_be_taken_back() {
    let stage = stage("save");
    stage.write("kanon.toml", stage.read("kanon.toml") + "\n[backups]\nkeep = 2\n");
    let align = ["align", "fen", "--yes", "--world", "keep"];
    stage.kanon(align).ends_with(0);
    for _ in 0..3 {
        stage.write("fen/loads/lamp.load", load("lamp", "0.9", false));
        stage.kanon(align).ends_with(0);
        stage.kanon(["undo", "fen"]).ends_with(0);
    }
    stage.kanon(align).ends_with(0);
    let rows = stage.kanon(["history", "--format", "json"]).ends_with(0).json();
    let told: Vec<(String, bool)> = rows["alignments"]
        .as_array()
        .unwrap()
        .iter()
        .map(|row| (row["state"].as_str().unwrap().to_owned(), row["pruned"].as_bool().unwrap()))
        .collect();
    let expected = [("done", false), ("undone", false), ("undone", false), ("undone", false), ("done", false)];
    assert_eq!(told, expected.map(|(state, pruned)| (state.to_owned(), pruned)));
    stage.kanon(["undo", "fen", "--back-to", "1"]).ends_with(0);
}

#[test]
fn whoever_comes_second_is_told_who_is_first_and_nothing_else() {
    let stage = stage("save");
    stage.write("fen/loads/lamp.load", load("lamp", "0.9", false));
    // The lock that an alignment holds, held by this test.
    stage.kanon(["align", "fen", "--preview"]).ends_with(1);
    let folder = stage.path(".kanon/backups/locks");
    std::fs::create_dir_all(&folder).unwrap();
    let shown = stage.path("fen").canonicalize().unwrap().display().to_string();
    let name = kanon_core::base::digest::Blake3::of(shown.as_bytes()).short();
    let lock = std::fs::File::create(folder.join(format!("{name}.lock"))).unwrap();
    lock.lock().unwrap();
    let holder =
        r#"{"workspace":"w","by":"Ines in her workspace","began":1764331200,"process":4242,"machine":"attic"}"#;
    std::fs::write(folder.join(format!("{name}.json")), holder).unwrap();
    let first = ["Ines in her workspace", "process 4242", "on attic", "since 2025-11-28"];
    for words in [vec!["align", "fen", "--yes"], vec!["undo", "fen"]] {
        let mut told = stage.kanon(words.iter().copied()).ends_with(2);
        for word in first {
            told = told.says(word);
        }
        told.says("wait until it has ended").hides("--take-over").hides("interrupted");
    }
    let mut told = stage.kanon(["check", "fen"]).ends_with(1);
    for word in first {
        told = told.says(word);
    }
    told.hides("interrupted");
    drop(lock);
    stage.kanon(["align", "fen", "--yes", "--world", "keep"]).ends_with(0);
}

/// A disk that is too small, where this system lets one be made.
#[test]
fn room_is_looked_at_before_anything_is_begun() {
    let stage = stage("save");
    std::fs::remove_dir_all(stage.path("fen")).unwrap();
    std::fs::create_dir(stage.path("fen")).unwrap();
    let mount = Command::new("mount")
        .args(["-t", "tmpfs", "-o", "size=3m,nr_inodes=40", "tmpfs"])
        .arg(stage.path("fen"))
        .output();
    if !mount.is_ok_and(|output| output.status.success()) {
        eprintln!("skipped: no small disk can be made here");
        return;
    }
    let unmount = || Command::new("umount").arg(stage.path("fen")).status().is_ok_and(|status| status.success());
    stage.write("fen/loads/lamp.load", load("lamp", "1", false));
    stage.write("fen/start.sh", "#!/bin/sh\nexec ./fen -loads=lamp\n");
    stage.write(
        "model/loads/peat.load",
        zip_of(&[
            ("leaflet.json", br#"{"called": "peat", "version": "3", "reshapes": false}"#),
            ("pad", &noise(5 << 20)),
        ]),
    );
    stage.write(
        "kanon.toml",
        stage.read("kanon.toml").replace("id = \"peat\"\nversion = \"2\"", "id = \"peat\"\nversion = \"3\""),
    );
    let sealed = stage.kanon(["seal"]);
    let before = bytes(stage.fingerprint("fen"));
    let said = stage.kanon(["align", "fen", "--yes", "--world", "keep"]);
    let after = bytes(stage.fingerprint("fen"));
    assert!(unmount());
    assert_eq!(sealed.code, Some(0), "{sealed:?}");
    said.ends_with(2).says("there is not enough room").says("are missing").says("nothing was begun");
    assert_eq!(after, before);
    stage.kanon(["history"]).ends_with(0).says("no alignment");
}

/// Bytes that can't be packed.
fn noise(bytes: usize) -> Vec<u8> {
    let blocks = (0_u64..).flat_map(|n| *kanon_core::base::digest::Blake3::of(&n.to_le_bytes()).as_bytes());
    blocks.take(bytes).collect()
}

/// Many hosts tell times to the second: a file that somebody writes in the second in which an alignment wrote it looks the same.
#[rstest]
fn what_was_written_in_the_same_second_is_kept(#[values(Way::Ftp, Way::Sftp)] way: Way) {
    let second = |time: std::time::SystemTime| time.duration_since(std::time::UNIX_EPOCH).unwrap().as_secs();
    let mut tries = 0;
    loop {
        let mut stage = stage("world");
        let site = Site::serve(way, &stage.path("fen")).unwrap();
        site.take(&mut stage, "fen");
        stage.kanon(["align", "fen", "--yes"]).ends_with(0);
        let file = stage.path("fen/start.sh");
        let line = std::fs::read_to_string(&file).unwrap();
        std::fs::write(&file, line.replace("lamp,peat", "lamp,hers")).unwrap();
        let written = std::fs::metadata(&file).unwrap().modified().unwrap();
        let receipt = std::fs::metadata(stage.path("fen/.kanon/receipt.json")).unwrap().modified().unwrap();
        let is_same = second(written) == second(receipt);
        tries += 1;
        if !is_same && tries < 20 {
            continue;
        }
        stage.kanon(["undo", "fen"]).ends_with(0);
        let all = bytes(stage.fingerprint(".kanon"));
        assert!(all.iter().any(|(_, bytes)| String::from_utf8_lossy(bytes).contains("lamp,hers")), "lost by {way:?}");
        assert!(is_same, "never within one second in {tries} tries");
        return;
    }
}

#[test]
fn a_large_file_that_goes_is_given_to_the_backup_and_comes_back() {
    use std::os::unix::fs::MetadataExt;
    let stage = Stage::empty();
    stage.write("fen.rulebook.toml", "format = \"kanon-rulebook/1\"\ngame = \"Tallowfen\"\n[[shelf]]\nname = \"loads\"\nholds = \"files\"\nin = \"loads\"\nmatch = [\"*.load\"]\n[shelf.mod]\nid = { file-name = '^(?<id>[a-z]+)-' }\nversion = { file-name = '-(?<version>[0-9]+)\\.load$' }\n");
    stage.write("kanon.toml", "format = \"kanon/1\"\nname = \"Fen\"\nrulebook = \"fen.rulebook.toml\"\n\n[install.model]\nrole = \"server\"\nat = \"model\"\n\n[install.fen]\nrole = \"server\"\nat = \"fen\"\n");
    let (old, small) = (noise(17 << 20), noise(1 << 10));
    stage.write("model/loads/peat-2.load", b"lighter");
    stage.write("model/loads/rope-1.load", b"rope");
    stage.write("fen/loads/peat-1.load", &old);
    stage.write("fen/loads/rope-1.load", &old);
    stage.write("fen/loads/moss-1.load", &small);
    for words in [&["adopt", "model"][..], &["seal"]] {
        stage.kanon(words.iter().copied()).ends_with(0);
    }
    let file = |path: &str| std::fs::metadata(stage.path(path)).unwrap().ino();
    let before = [file("fen/loads/peat-1.load"), file("fen/loads/rope-1.load"), file("fen/loads/moss-1.load")];
    stage.kanon(["align", "fen", "--yes", "--park-extras"]).ends_with(0);
    let copies = ["peat-1", "rope-1", "moss-1"].map(|name| file(&format!(".kanon/backups/1/files/loads/{name}.load")));
    assert_eq!((copies[0], copies[1]), (before[0], before[1]), "parked and replaced ones are not copied");
    assert_ne!(copies[2], before[2], "a small one is");
    std::fs::write(stage.path("fen/loads/rope-1.load"), "somebody writes into the new one").unwrap();
    stage.kanon(["undo", "fen"]).ends_with(0);
    for name in ["peat-1", "rope-1"] {
        assert!(std::fs::read(stage.path(&format!("fen/loads/{name}.load"))).unwrap() == old, "{name}");
    }
    // Back in its place it is a file of its own: the backup does not change with it.
    std::fs::write(stage.path("fen/loads/peat-1.load"), "other bytes").unwrap();
    assert!(std::fs::read(stage.path(".kanon/backups/1/files/loads/peat-1.load")).unwrap() == old);
}
