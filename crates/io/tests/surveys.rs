//! Surveys below the program: what is read anew, what is remembered, and what can't be a mod.

#![allow(clippy::unwrap_used, missing_docs, reason = "a test that unwraps nothing tells nothing")]

use std::path::PathBuf;
use std::time::{Duration, SystemTime};

use kanon_core::base::digest::Blake3;
use kanon_core::rulebook::{self, Role, Rulebook};
use kanon_io::install::LocalInstall;
use kanon_io::measure::{Measurement, Request, TrustMemory, survey};
use kanon_io::progress::Silent;
use kanon_io::state::State;

const RULEBOOK: &str = r#"format = "kanon-rulebook/1"
game = "Ashmere Reach"
[[shelf]]
name = "holds"
holds = "folders"
in = { server = "holds" }
match = ["%*"]
[shelf.mod]
document = { member = "hold.toml" }
id = "$.id"
version = "$.version"
[[shelf]]
name = "packs"
holds = "files"
in = { server = "packs" }
match = ["*.pak"]
mod = { id = { file-name = '^(?<id>.+)\.pak$' } }
[[shelf]]
name = "notes"
holds = "files"
in = { server = "packs" }
match = ["*.note"]
mod = { id = { file-name = '^(?<id>.+)\.note$' } }
"#;

struct Stage {
    temp: tempfile::TempDir,
    state: State,
    rulebook: Rulebook,
    text: String,
}

impl Stage {
    /// Two folders and three files on three shelves, all settled an hour ago.
    fn new() -> Self {
        let temp = tempfile::tempdir().unwrap();
        let state = State::open(&temp.path().join("state.db")).unwrap();
        let stage =
            Self { temp, state, rulebook: rulebook::parse("test", RULEBOOK).unwrap().value, text: RULEBOOK.to_owned() };
        for id in ["ferry", "quay"] {
            stage.write(&format!("holds/%{id}/hold.toml"), &format!("id = '{id}'\nversion = '1.0'\n"));
            stage.write(&format!("holds/%{id}/data/{id}.bin"), "payload");
        }
        for name in ["packs/tide.pak", "packs/fog.pak", "packs/tide.note"] {
            stage.write(name, name);
        }
        stage
    }

    fn path(&self, path: &str) -> PathBuf {
        self.temp.path().join("game").join(path)
    }

    fn write(&self, path: &str, text: &str) {
        let path = self.path(path);
        std::fs::create_dir_all(path.parent().unwrap()).unwrap();
        std::fs::write(&path, text).unwrap();
    }

    fn survey(&mut self, trust: TrustMemory) -> Measurement {
        let install = LocalInstall::open(&self.temp.path().join("game")).unwrap();
        let rulebook_digest = Blake3::of(self.text.as_bytes());
        let request = Request::new(("reach", Role::Server), (&self.rulebook, rulebook_digest), trust);
        survey(&install, request, &mut self.state, &Silent).unwrap()
    }

    fn read_now(&mut self) -> usize {
        self.survey(TrustMemory::Yes).counts.files_read
    }

    fn ids(&mut self) -> Vec<String> {
        let survey = self.survey(TrustMemory::Yes).survey;
        survey.mods.iter().map(|found| format!("{} {}", found.shelf, found.manifest.id)).collect()
    }

    /// Waits until what was written lies more than the coarsest clock's tick back.
    fn settle() {
        std::thread::sleep(Duration::from_millis(2100));
    }
}

#[test]
fn two_shelves_may_share_a_folder() {
    let expected = ["holds ferry", "holds quay", "notes tide", "packs fog", "packs tide"];
    assert_eq!(Stage::new().ids(), expected);
}

#[test]
fn only_what_changed_is_read_again() {
    let mut stage = Stage::new();
    assert_eq!(stage.read_now(), 7);
    assert_eq!(stage.read_now(), 7, "just written: it may change once more in the same tick");
    Stage::settle();
    assert_eq!(stage.read_now(), 7);
    assert_eq!(stage.read_now(), 0);
    stage.write("holds/%quay/data/quay.bin", "edited!");
    assert_eq!(stage.read_now(), 1, "the other files of its folder are remembered one by one");
    stage.write("packs/new.pak", "new");
    assert_eq!(stage.read_now(), 2, "the edited one is not settled yet");
    assert_eq!(stage.survey(TrustMemory::No).counts.files_read, 8);
}

#[test]
fn the_same_digests_come_from_memory_as_from_the_disk() {
    let mut stage = Stage::new();
    Stage::settle();
    let first = stage.survey(TrustMemory::Yes);
    let second = stage.survey(TrustMemory::Yes);
    let thorough = stage.survey(TrustMemory::No);
    assert_eq!((first.counts.files_read, second.counts.files_read), (7, 0));
    assert_eq!(first.survey, second.survey);
    assert_eq!(first.survey, thorough.survey);
}

#[test]
fn a_file_put_back_with_its_old_time_is_still_noticed() {
    if !cfg!(unix) {
        return;
    }
    let mut stage = Stage::new();
    Stage::settle();
    stage.read_now();
    let path = stage.path("packs/tide.pak");
    let time = std::fs::metadata(&path).unwrap().modified().unwrap();
    std::fs::write(&path, "PACKS/TIDE.PAK").unwrap();
    std::fs::File::options().write(true).open(&path).unwrap().set_modified(time).unwrap();
    assert_eq!(stage.read_now(), 1);
}

#[test]
fn a_clock_that_runs_ahead_never_vouches() {
    let mut stage = Stage::new();
    let ahead = SystemTime::now() + Duration::from_secs(3600);
    std::fs::File::options().write(true).open(stage.path("packs/tide.pak")).unwrap().set_modified(ahead).unwrap();
    Stage::settle();
    stage.read_now();
    assert_eq!(stage.read_now(), 1, "a time in the future says nothing");
}

#[test]
fn another_rulebook_reads_the_documents_anew_but_not_the_bytes() {
    let mut stage = Stage::new();
    Stage::settle();
    stage.read_now();
    stage.text = RULEBOOK.replace("id = \"$.id\"", "id = \"$.version\"");
    stage.rulebook = rulebook::parse("test", &stage.text).unwrap().value;
    assert_eq!(stage.read_now(), 0);
    assert_eq!(stage.ids()[..2], ["holds 1.0", "holds 1.0"]);
}

#[test]
fn what_is_gone_is_forgotten() {
    let mut stage = Stage::new();
    let root = stage.temp.path().join("game").canonicalize().unwrap();
    stage.read_now();
    let folders = |stage: &Stage| stage.state.memories(&root.to_string_lossy()).unwrap().len();
    assert_eq!(folders(&stage), 4);
    std::fs::remove_dir_all(stage.path("holds/%quay")).unwrap();
    stage.read_now();
    assert_eq!(folders(&stage), 3);
}

#[test]
#[cfg(unix)]
fn what_can_not_be_a_mod_is_told_and_the_rest_is_surveyed() {
    use std::os::unix::ffi::OsStrExt;
    let mut stage = Stage::new();
    let odd = std::ffi::OsStr::from_bytes(b"od\xffd.pak");
    std::fs::write(stage.path("packs").join(odd), "x").unwrap();
    std::fs::write(stage.path("packs/nul.pak"), "x").unwrap();
    std::fs::write(stage.path("packs/what?.pak"), "x").unwrap();
    let _socket = std::os::unix::net::UnixListener::bind(stage.path("packs/socket.pak")).unwrap();
    let found = stage.survey(TrustMemory::Yes).survey;
    assert_eq!(found.mods.len(), 5);
    let told = |part: &str| found.unreadable.iter().any(|broken| broken.why.contains(part) && !broken.is_file);
    assert!(told("no Unicode text") && told("keeps for a device") && told("can't be in a file name on Windows"));
    assert!(told("neither a file nor a folder"), "{:?}", found.unreadable);
    assert_eq!(found.unreadable.len(), 4);
}

#[test]
fn a_folder_of_another_game_is_refused() {
    let mut stage = Stage::new();
    let empty = stage.temp.path().join("empty");
    std::fs::create_dir(&empty).unwrap();
    let install = LocalInstall::open(&empty).unwrap();
    let request = Request::new(("empty", Role::Server), (&stage.rulebook, Blake3::of(b"")), TrustMemory::Yes);
    let error = survey(&install, request, &mut stage.state, &Silent).unwrap_err().to_string();
    assert!(
        error.contains("does not look like an install of Ashmere Reach") && error.contains("holds, packs"),
        "{error}"
    );
}
