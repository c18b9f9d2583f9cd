//! A workspace in a temporary folder: the demo's world, the built program, and what the two came to.

use std::collections::BTreeMap;
use std::io::{Cursor, Write};
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};
use std::time::SystemTime;

use kanon_standin::world::World;
use serde_json::Value;
use tempfile::TempDir;
use zip::write::{SimpleFileOptions, ZipWriter};

pub struct Stage {
    temp: TempDir,
    pub world: World,
    /// Variables that the program sees besides.
    pub env: Vec<(String, String)>,
}

#[derive(Debug)]
pub struct Said {
    pub code: Option<i32>,
    pub out: String,
    pub err: String,
}

impl Said {
    #[track_caller]
    pub fn ends_with(self, code: i32) -> Self {
        assert_eq!(self.code, Some(code), "stdout:\n{}\nstderr:\n{}", self.out, self.err);
        self
    }

    #[track_caller]
    pub fn says(self, text: &str) -> Self {
        let all = format!("{}{}", self.out, self.err);
        assert!(all.contains(text), "`{text}` is not in:\n{all}");
        self
    }

    #[track_caller]
    pub fn hides(self, text: &str) -> Self {
        assert!(!format!("{}{}", self.out, self.err).contains(text), "`{text}` is in:\n{}{}", self.out, self.err);
        self
    }

    pub fn json(&self) -> Value {
        serde_json::from_str(&self.out).unwrap_or_else(|error| panic!("{error}: {}", self.out))
    }
}

impl Stage {
    /// The world of a month ago, without a workspace.
    pub fn bare() -> Self {
        let temp = tempfile::tempdir().unwrap();
        let world = World::build(temp.path()).unwrap();
        Self { temp, world, env: Vec::new() }
    }

    /// An empty folder.
    pub fn empty() -> Self {
        let temp = tempfile::tempdir().unwrap();
        let world = World::at(temp.path());
        Self { temp, world, env: Vec::new() }
    }

    /// A sealed workspace in which everybody is in line.
    pub fn sealed() -> Self {
        let stage = Self::bare();
        let clients = ["--client", "mara", "--client", "oskar", "--client", "wren", "--client", "tove"];
        let init = ["init", "--name", "Longnight", "--rulebook", "polarspur.rulebook.toml", "--server", "station"];
        stage.kanon(init.iter().chain(&clients).copied()).ends_with(0);
        for words in [["adopt", "mara"], ["adopt", "station"]] {
            stage.kanon(words).ends_with(0);
        }
        stage.kanon(["seal"]).ends_with(0);
        stage
    }

    pub fn path(&self, path: &str) -> PathBuf {
        self.temp.path().join(path)
    }

    pub fn write(&self, path: &str, bytes: impl AsRef<[u8]>) {
        let path = self.path(path);
        std::fs::create_dir_all(path.parent().unwrap()).unwrap();
        std::fs::write(path, bytes).unwrap();
    }

    pub fn read(&self, path: &str) -> String {
        std::fs::read_to_string(self.path(path)).unwrap()
    }

    pub fn command(&self, words: impl IntoIterator<Item = impl AsRef<std::ffi::OsStr>>) -> Command {
        let mut command = Command::new(program());
        command.args(words).current_dir(self.temp.path()).env_remove("NO_COLOR").stdin(Stdio::null());
        // Nothing of whoever runs the tests: no keys, no agent, no known hosts.
        command
            .env("HOME", self.path("home"))
            .env("USER", "ines")
            .env("KANON_PATIENCE", "6")
            .env("KANON_LANGUAGE", "en");
        for name in ["SSH_AUTH_SOCK", "XDG_CONFIG_HOME", "APPDATA"] {
            command.env_remove(name);
        }
        command.envs(self.env.iter().map(|(name, value)| (name, value)));
        command
    }

    pub fn kanon<'w>(&self, words: impl IntoIterator<Item = &'w str>) -> Said {
        said(self.command(words))
    }

    /// The codes that a check finds on one install, worst first.
    pub fn codes(&self, install: &str) -> Vec<String> {
        let report = self.kanon(["check", install, "--format", "json", "-q"]).json();
        let findings = report["installs"][0]["findings"].as_array().unwrap().clone();
        findings.iter().map(|finding| finding["code"].as_str().unwrap().to_owned()).collect()
    }

    /// Names, bytes, permissions and times of everything in a folder.
    pub fn fingerprint(&self, folder: &str) -> Fingerprint {
        let mut found = BTreeMap::new();
        take(&self.path(folder), "", &mut found);
        found
    }
}

pub fn program() -> &'static Path {
    Path::new(env!("CARGO_BIN_EXE_kanon"))
}

pub fn said(mut command: Command) -> Said {
    let output = command.output().unwrap();
    let text = |bytes: &[u8]| String::from_utf8_lossy(bytes).into_owned();
    let said = Said { code: output.status.code(), out: text(&output.stdout), err: text(&output.stderr) };
    for suggestion in suggestions(&said.out).chain(suggestions(&said.err)) {
        can_be_typed(&suggestion);
    }
    if let Some(folder) = std::env::var_os("KANON_RECORD") {
        record(Path::new(&folder), &command, &said);
    }
    said
}

/// The commands that an output suggests: what follows `do:` as a command, and `command` in JSON.
fn suggestions(text: &str) -> impl Iterator<Item = String> {
    text.lines().filter_map(|line| {
        let line = line.trim_start();
        let text = line.strip_prefix("do: kanon ").map(|rest| format!("kanon {rest}"));
        let json = || serde_json::from_str(line.strip_prefix("\"command\": ")?.trim_end_matches(',')).ok();
        text.or_else(json)
    })
}

/// A suggested command must be one: read as a shell reads it, the program knows each of its words. Each is tried once, where
/// it can't do anything.
#[track_caller]
fn can_be_typed(suggestion: &str) {
    static KNOWN: std::sync::Mutex<BTreeMap<String, ()>> = std::sync::Mutex::new(BTreeMap::new());
    // Words follow a command behind a sign, or in brackets.
    let end = suggestion.find([';', ',']).or_else(|| suggestion.find("  (")).unwrap_or(suggestion.len());
    let command = suggestion[..end].trim();
    let command = [" puts ", " shows ", " makes ", " again "]
        .iter()
        .fold(command, |command, verb| command.split(verb).next().unwrap_or(command));
    if KNOWN.lock().unwrap_or_else(std::sync::PoisonError::into_inner).insert(command.to_owned(), ()).is_some() {
        return;
    }
    let empty = tempfile::tempdir().unwrap();
    let script = format!("kanon() {{ \"$KANON\" \"$@\"; }}; {command}");
    let mut shell = Command::new("sh");
    shell.arg("-c").arg(&script).env("KANON", program()).current_dir(empty.path()).stdin(Stdio::null());
    let output = shell.env("HOME", empty.path()).output().unwrap();
    let told = String::from_utf8_lossy(&output.stderr).into_owned();
    let is_misread = told.contains("Usage:") || told.contains("unexpected argument") || told.contains("not found");
    assert!(!is_misread, "`{command}` is suggested, and can't be typed:\n{told}");
}

/// Writes one run down, so that two builds of the program can be held against each other: `KANON_RECORD=FOLDER cargo test`
/// on each, then `tools/records.py` on the two folders.
fn record(folder: &Path, command: &Command, said: &Said) {
    thread_local!(static RUNS: std::cell::Cell<usize> = const { std::cell::Cell::new(0) });
    static OF_NOBODY: std::sync::atomic::AtomicUsize = std::sync::atomic::AtomicUsize::new(0);
    let thread = std::thread::current().name().unwrap_or("none").replace("::", ".");
    let run = match thread == "none" {
        true => OF_NOBODY.fetch_add(1, std::sync::atomic::Ordering::Relaxed),
        false => RUNS.replace(RUNS.get() + 1),
    };
    let words: Vec<String> = command.get_args().map(|word| word.to_string_lossy().into_owned()).collect();
    let place = command.get_current_dir().map(|place| place.display().to_string()).unwrap_or_default();
    let all = format!("$ kanon {}\n= {:?}\n{}----\n{}", words.join(" "), said.code, said.out, said.err);
    std::fs::create_dir_all(folder).unwrap();
    let hidden = if place.is_empty() { all } else { all.replace(&place, "@PLACE") };
    std::fs::write(folder.join(format!("{thread}.{run:03}")), hidden).unwrap();
}

pub type Fingerprint = BTreeMap<String, (Vec<u8>, SystemTime, bool)>;

fn take(folder: &Path, below: &str, found: &mut Fingerprint) {
    let metadata = std::fs::metadata(folder).unwrap();
    found.insert(format!("{below}/"), (Vec::new(), metadata.modified().unwrap(), metadata.permissions().readonly()));
    for entry in std::fs::read_dir(folder).unwrap() {
        let entry = entry.unwrap();
        let name = format!("{below}/{}", entry.file_name().to_string_lossy());
        let metadata = entry.metadata().unwrap();
        if metadata.is_dir() {
            take(&entry.path(), &name, found);
        } else {
            let bytes = std::fs::read(entry.path()).unwrap_or_default();
            found.insert(name, (bytes, metadata.modified().unwrap(), metadata.permissions().readonly()));
        }
    }
}

/// Holds a report against the schema that docs/schemas promises for it.
#[track_caller]
pub fn fits_its_schema(name: &str, report: &Value) {
    let path = format!("{}/../../docs/schemas/{name}.schema.json", env!("CARGO_MANIFEST_DIR"));
    let schema: Value = serde_json::from_str(&std::fs::read_to_string(path).unwrap()).unwrap();
    let validator = jsonschema::validator_for(&schema).unwrap();
    let errors: Vec<String> = validator.iter_errors(report).map(|error| error.to_string()).collect();
    assert!(errors.is_empty(), "{name}: {errors:?} in {report}");
    assert_eq!(report["format"], format!("kanon-{name}/1"));
}

/// An archive of these members.
pub fn zip_of(members: &[(&str, &[u8])]) -> Vec<u8> {
    let mut writer = ZipWriter::new(Cursor::new(Vec::new()));
    for (name, bytes) in members {
        writer.start_file(*name, SimpleFileOptions::default()).unwrap();
        writer.write_all(bytes).unwrap();
    }
    writer.finish().unwrap().into_inner()
}

/// The same bytes with one run of bytes in place of another of the same length, everywhere.
pub fn replaced(mut bytes: Vec<u8>, from: &[u8], to: &[u8]) -> Vec<u8> {
    assert_eq!(from.len(), to.len());
    for at in 0..=bytes.len() - from.len() {
        if bytes[at..].starts_with(from) {
            bytes[at..at + to.len()].copy_from_slice(to);
        }
    }
    bytes
}

/// A mod of the demo's game.
pub fn psm(id: &str, version: &str, runs: &str) -> Vec<u8> {
    let about = format!(r#"{{"id": "{id}", "version": "{version}", "runs": "{runs}"}}"#);
    zip_of(&[("about.json", about.as_bytes()), ("data/text", b"some text")])
}
