//! Alignments below the program: every step can fail, and what was there is there again.

#![allow(clippy::unwrap_used, missing_docs, reason = "a test that unwraps nothing tells nothing")]

use std::collections::{BTreeMap, BTreeSet};
use std::path::{Path, PathBuf};
use std::time::SystemTime;

use kanon_core::base::digest::Blake3;
use kanon_core::base::path::InstallPath;
use kanon_core::plan::{Action, Plan, Step};
use kanon_io::bytes::Bytes;
use kanon_io::carry_out::{Order, carry_out};
use kanon_io::claim::{Claimant, Others};
use kanon_io::error::ReachError;
use kanon_io::install::{LocalInstall, RECEIPT_FORMAT, Receipt};
use kanon_io::progress::Silent;
use kanon_io::site::ApplyContext;
use kanon_io::state::{AlignmentState, State};
use kanon_io::undo::undo;
use rstest::rstest;

struct Stage {
    temp: tempfile::TempDir,
    state: State,
}

type Tree = BTreeMap<PathBuf, (Vec<u8>, SystemTime)>;

fn path(text: &str) -> InstallPath {
    InstallPath::new(text).unwrap()
}

fn step(action: Action, at: &str) -> Step {
    let bytes = if action.puts().is_some() { 3 } else { 0 };
    Step { action, path: path(at), reasons: Vec::new(), bytes, lines: Vec::new() }
}

fn put(bytes: &[u8], at: &str) -> Step {
    step(Action::Put { blake3: Blake3::of(bytes) }, at)
}

impl Stage {
    /// An install with three files in two folders, and a store with the bytes `new`.
    fn new() -> Self {
        let temp = tempfile::tempdir().unwrap();
        for (at, bytes) in [("game/mods/a", "a"), ("game/mods/b", "b"), ("game/mods/sub/c", "c"), ("store/new", "new")]
        {
            let file = temp.path().join(at);
            std::fs::create_dir_all(file.parent().unwrap()).unwrap();
            std::fs::write(file, bytes).unwrap();
        }
        let state = State::open(&temp.path().join("state.db")).unwrap();
        Self { temp, state }
    }

    fn tree(&self) -> Tree {
        let mut tree = Tree::new();
        take(&self.temp.path().join("game"), &mut tree);
        tree
    }

    fn bytes(&self) -> Bytes {
        let mut bytes = Bytes::default();
        bytes.add(Blake3::of(b"new"), self.temp.path().join("store/new"));
        bytes.add(Blake3::of(b"vanished"), self.temp.path().join("store/vanished"));
        bytes
    }

    fn at_site<T>(&mut self, work: impl FnOnce(ApplyContext<'_>, &mut State) -> T) -> T {
        let install = LocalInstall::open(&self.temp.path().join("game")).unwrap();
        let claimant =
            Claimant { workspace: "w".to_owned(), by: "a test".to_owned(), began: 9, process: None, machine: None };
        let (places, whole) = (BTreeSet::from([path("mods")]), BTreeSet::new());
        let site = ApplyContext {
            install: &install,
            name: "game",
            places: &places,
            whole: &whole,
            backups: &self.temp.path().join("backups"),
            claimant: &claimant,
            others: Others::Respect,
        };
        work(site, &mut self.state)
    }

    fn carry(&mut self, steps: Vec<Step>) -> Result<i64, ReachError> {
        let (bytes, plan) = (self.bytes(), Plan { steps });
        let order = Order { plan: &plan, receipt: receipt(), bytes: &bytes };
        self.at_site(|site, state| carry_out(site, &order, state, &Silent))
    }

    fn undo(&mut self, id: i64) {
        self.at_site(|site, state| undo(site, state, id).map(drop)).unwrap();
    }
}

fn receipt() -> Receipt {
    Receipt { format: RECEIPT_FORMAT.to_owned(), canon: Blake3::of(b""), files: Vec::new(), brought: None }
}

fn take(folder: &Path, tree: &mut Tree) {
    tree.insert(folder.to_owned(), (Vec::new(), std::fs::metadata(folder).unwrap().modified().unwrap()));
    for entry in std::fs::read_dir(folder).unwrap() {
        let at = entry.unwrap().path();
        if at.is_dir() {
            take(&at, tree);
        } else {
            tree.insert(at.clone(), (std::fs::read(&at).unwrap(), std::fs::metadata(&at).unwrap().modified().unwrap()));
        }
    }
}

/// Every kind of step, in an order that a plan might have.
fn every_kind() -> Vec<Step> {
    vec![
        step(Action::Park, "mods/a"),
        step(Action::Rename { from: path("mods/sub/c") }, "mods/c"),
        put(b"new", "mods/deep/er/new"),
        step(Action::Replace { blake3: Blake3::of(b"new") }, "mods/b"),
    ]
}

#[test]
fn every_kind_of_step_is_done_and_taken_back() {
    let mut stage = Stage::new();
    let before = stage.tree();
    let id = stage.carry(every_kind()).unwrap();
    let after = stage.tree();
    let game = stage.temp.path().join("game");
    assert_eq!(after[&game.join("mods/b")].0, b"new");
    assert_eq!(after[&game.join("mods/deep/er/new")].0, b"new");
    assert_eq!(after[&game.join("mods/c")].0, b"c");
    assert!(!after.contains_key(&game.join("mods/a")) && !after.contains_key(&game.join("mods/sub")));
    assert!(after.contains_key(&game.join(".kanon/receipt.json")));
    stage.undo(id);
    assert_eq!(stage.tree(), before);
    stage.undo(id);
    assert_eq!(stage.tree(), before, "twice is as good as once");
}

/// The failing step after each number of good ones: all of them are taken back.
#[rstest]
fn a_failure_takes_back_what_was_done(
    #[values(0, 1, 2, 3, 4)] after: usize,
    #[values("vanished", "taken", "gone", "moved onto")] how: &str,
) {
    let mut stage = Stage::new();
    let mut steps: Vec<Step> = every_kind().into_iter().take(after).collect();
    steps.push(match how {
        "vanished" => put(b"vanished", "mods/x"),
        "taken" => put(b"new", "mods/b"),
        "gone" => step(Action::Rename { from: path("mods/never") }, "mods/x"),
        _ => step(Action::Rename { from: path("mods/a") }, "mods/b"),
    });
    let before = stage.tree();
    let error = stage.carry(steps).unwrap_err();
    let cause = if let ReachError::TakenBack { source, .. } = &error { source } else { &error };
    assert!(matches!(cause, ReachError::BytesNowhere(_) | ReachError::Changed(_) | ReachError::Io { .. }), "{error}");
    assert_eq!(stage.tree(), before, "{error}");
    assert_eq!(stage.state.alignments(None).unwrap()[0].state, AlignmentState::Undone);
}

#[test]
fn bytes_that_nobody_has_stop_it_before_it_is_journalled() {
    let mut stage = Stage::new();
    let before = stage.tree();
    let error = stage.carry(vec![put(b"never seen", "mods/x"), step(Action::Park, "mods/a")]).unwrap_err();
    assert!(error.to_string().contains("mods/x"), "{error}");
    assert_eq!((stage.tree(), stage.state.alignments(None).unwrap().len()), (before, 0));
}

#[test]
fn a_backup_that_was_tampered_with_is_not_put_back() {
    let mut stage = Stage::new();
    let id = stage.carry(vec![step(Action::Park, "mods/a")]).unwrap();
    let backup = stage.temp.path().join(format!("backups/{id}"));
    std::fs::write(backup.join("files/mods/a"), "tampered").unwrap();
    let error = stage.at_site(|site, state| undo(site, state, id)).unwrap_err();
    assert!(error.to_string().contains("the copy of mods/a"), "{error}");
    assert!(error.to_string().contains("nothing was taken back"), "{error}");
    assert!(!stage.temp.path().join("game/mods/a").exists());
}

#[test]
#[cfg(unix)]
fn permissions_are_kept_by_a_replacement_and_brought_back_by_the_undo() {
    use std::os::unix::fs::PermissionsExt;
    let mut stage = Stage::new();
    let file = stage.temp.path().join("game/mods/b");
    let mode = || std::fs::metadata(&file).unwrap().permissions().mode() & 0o777;
    std::fs::set_permissions(&file, std::fs::Permissions::from_mode(0o640)).unwrap();
    let id = stage.carry(vec![step(Action::Replace { blake3: Blake3::of(b"new") }, "mods/b")]).unwrap();
    assert_eq!(mode(), 0o640);
    std::fs::set_permissions(&file, std::fs::Permissions::from_mode(0o600)).unwrap();
    stage.undo(id);
    assert_eq!((mode(), std::fs::read(&file).unwrap().as_slice()), (0o640, b"b".as_slice()));
}
