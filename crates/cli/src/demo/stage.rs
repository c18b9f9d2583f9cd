//! The stage of the demo: runs this program as a process, shows what it says, and keeps count of what came out as it should.

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};
use std::process::Command;
use std::time::SystemTime;

use kanon_core::base::digest::Blake3;
use serde_json::Value;

use crate::failure::Failure;
use crate::render::{BAD, BOLD, FAINT, GOOD, count, folded, styled};
use crate::screen;
use crate::ui::Ui;

/// Where the demo plays.
pub struct Stage<'a> {
    program: PathBuf,
    root: &'a Path,
    ui: &'a Ui,
    right: usize,
    wrong: Vec<String>,
    /// What the last command printed.
    last: String,
}

impl<'a> Stage<'a> {
    /// Sets the stage in a folder.
    pub fn new(root: &'a Path, ui: &'a Ui) -> Result<Self, Failure> {
        let program = std::env::current_exe()
            .map_err(|error| Failure::plain("could not tell where this program is").because(error))?;
        Ok(Self { program, root, ui, right: 0, wrong: Vec::new(), last: String::new() })
    }

    /// The folder.
    pub const fn root(&self) -> &Path {
        self.root
    }

    /// This program, to be run in the demo's folder.
    pub fn program(&self) -> Command {
        let mut command = Command::new(&self.program);
        command.current_dir(self.root).env_remove("NO_COLOR").stdin(std::process::Stdio::null());
        // What players follow is remembered for them, not for whoever watches.
        command.env("XDG_CONFIG_HOME", self.root.join("config"));
        command
    }

    /// Begins an act.
    pub fn act(&self, title: &str, words: &str) {
        self.ui.report(&format!("\n{}\n{}", styled(BOLD, &format!("== {title} ==")), folded(words, "")));
    }

    /// Runs a command and shows what it says.
    pub fn command(&mut self, arguments: &[&str], expected: i32) -> Result<(), Failure> {
        self.command_showing(arguments, expected, usize::MAX)
    }

    /// Runs a command like one before, and shows only how it ends.
    pub fn command_in_brief(&mut self, arguments: &[&str], expected: i32) -> Result<(), Failure> {
        self.command_showing(arguments, expected, 3)
    }

    fn command_showing(&mut self, arguments: &[&str], expected: i32, last: usize) -> Result<(), Failure> {
        let shown: Vec<String> = arguments
            .iter()
            .map(|word| if word.contains(' ') { format!("\"{word}\"") } else { (*word).to_owned() })
            .collect();
        let shown = format!("kanon {}", shown.join(" "));
        self.ui.report(&format!("\n{}\n", styled(BOLD, &format!("$ {shown}"))));
        let output = self.program().args(["--color", "always"]).args(arguments).output();
        let output = output.map_err(|error| Failure::plain(format!("could not run {shown}")).because(error))?;
        let text = String::from_utf8_lossy(&output.stdout).into_owned() + &String::from_utf8_lossy(&output.stderr);
        self.last = anstream::adapter::strip_str(&text).to_string();
        // What this very program has printed has gone through its filter there.
        let text = screen::of_renderer(&text.replace(&self.root.display().to_string(), "."));
        let cut = text.lines().count().saturating_sub(last);
        if cut > 0 {
            self.ui.report(&format!("  {}\n", styled(FAINT, &format!("(as above, {})", count(cut, "line")))));
        }
        self.ui.report(
            &text
                .lines()
                .skip(cut)
                .map(|line| if line.is_empty() { "\n".to_owned() } else { format!("  {line}\n") })
                .collect::<String>(),
        );
        let code = output.status.code().unwrap_or(-1);
        let name = arguments.get(if arguments.first() == Some(&"-C") { 2 } else { 0 }).copied().unwrap_or_default();
        self.expect(&format!("kanon {name} ends with {expected}"), code == expected);
        Ok(())
    }

    /// What an install is off in, by the JSON report.
    pub fn findings(&self, install: &str) -> Result<Vec<(String, String)>, Failure> {
        self.findings_in(".", install)
    }

    /// The same in another workspace.
    pub fn findings_in(&self, workspace: &str, install: &str) -> Result<Vec<(String, String)>, Failure> {
        let output = self.program().args(["-C", workspace, "check", install, "--format", "json", "--quiet"]).output();
        let output = output.map_err(|error| Failure::plain("could not run kanon check").because(error))?;
        let report: Value = serde_json::from_slice(&output.stdout)
            .map_err(|error| Failure::plain("could not read the report").because(error))?;
        let findings = report["installs"][0]["findings"].as_array().cloned().unwrap_or_default();
        let text = |value: &Value| value.as_str().unwrap_or_default().to_owned();
        Ok(findings.iter().map(|finding| (text(&finding["mod"]), text(&finding["code"]))).collect())
    }

    /// The invite, as players get it.
    pub fn invite(&self) -> Result<String, Failure> {
        let output = self.program().args(["invite", "--quiet"]).output();
        let output = output.map_err(|error| Failure::plain("could not run kanon invite").because(error))?;
        Ok(String::from_utf8_lossy(&output.stdout).trim().to_owned())
    }

    /// Writes a server for rehearsals into the workspace, which is started by this very program.
    pub fn add_rehearsal(&self, name: &str) -> Result<(), Failure> {
        let failed = |error| Failure::plain("could not write the demo's kanon.toml").because(error);
        let path = self.root.join("kanon.toml");
        let text = std::fs::read_to_string(&path).map_err(failed)?;
        let program = self.program.display().to_string();
        let start = [program.as_str(), "standin", "server", name, &format!("{name}/console.log")]
            .map(|word| format!("{word:?}"))
            .join(", ");
        let install = format!(
            "\n[install.{name}]\nrole = \"server\"\nat = \"{name}\"\nrehearsal = true\nlog = \"console.log\"\nstart = [{start}]\n"
        );
        std::fs::write(&path, text + &install).map_err(failed)
    }

    /// Whether the last command said so.
    pub fn has_said(&self, words: &str) -> bool {
        self.last.contains(words)
    }

    /// What learning finds: mods on the server and on the client, lists on both, and whether all of it is told.
    pub fn learned(&self, server: &str, client: &str) -> Result<([usize; 3], bool), Failure> {
        let output = self.program().args(["learn", server, "--client", client, "--format", "json", "--quiet"]).output();
        let output = output.map_err(|error| Failure::plain("could not run kanon learn").because(error))?;
        let report: Value = serde_json::from_slice(&output.stdout)
            .map_err(|error| Failure::plain("could not read the report").because(error))?;
        let sides = &report["surveyed"];
        let number = |value: &Value| value.as_u64().and_then(|n| usize::try_from(n).ok()).unwrap_or(0);
        let length = |value: &Value| value.as_array().map_or(0, Vec::len);
        let (mods, lists) = ([0, 1].map(|at| number(&sides[at]["mods"])), [0, 1].map(|at| length(&sides[at]["lists"])));
        let told = [0, 1].iter().all(|at| length(&sides[*at]["unidentified"]) == 0);
        Ok(([mods[0], mods[1], lists[0] + lists[1]], told))
    }

    /// Notes whether something came out as it should.
    pub fn expect(&mut self, what: &str, right: bool) {
        if right {
            self.right += 1;
            self.ui.report(&format!("  {} {}\n", styled(GOOD, "as it should:"), styled(FAINT, what)));
        } else {
            self.wrong.push(what.to_owned());
            self.ui.report(&format!("  {} {what}\n", styled(BAD, "NOT as it should:")));
        }
    }

    /// Shows something that somebody else said.
    pub fn quote(&self, who: &str, text: &str) {
        self.ui.report(&text.lines().map(|line| format!("  {who}: {line}\n")).collect::<String>());
    }

    /// Ends the demo: true when everything came out as it should.
    pub fn conclude(&self) -> bool {
        let all = self.right + self.wrong.len();
        if self.wrong.is_empty() {
            self.ui
                .report(&format!("\n{}: all {all} steps came out as they should.\n", styled(GOOD, "The demo is over")));
        } else {
            self.ui.report(&format!(
                "\n{}: {} of {all} steps did not come out as they should:\n",
                styled(BAD, "The demo failed"),
                self.wrong.len()
            ));
            self.ui.report(&self.wrong.iter().map(|what| format!("  {what}\n")).collect::<String>());
        }
        self.wrong.is_empty()
    }
}

/// Everything about a folder that must not change: names, bytes and times of all files and folders.
pub fn fingerprint(folder: &Path) -> Result<BTreeMap<String, (Option<Blake3>, SystemTime)>, Failure> {
    let mut found = BTreeMap::new();
    take(folder, "", &mut found)
        .map_err(|error| Failure::plain(format!("could not look through {}", folder.display())).because(error))?;
    Ok(found)
}

fn take(folder: &Path, below: &str, found: &mut BTreeMap<String, (Option<Blake3>, SystemTime)>) -> std::io::Result<()> {
    found.insert(format!("{below}/"), (None, std::fs::metadata(folder)?.modified()?));
    for entry in std::fs::read_dir(folder)? {
        let entry = entry?;
        let name = format!("{below}/{}", entry.file_name().to_string_lossy());
        if entry.file_type()?.is_dir() {
            take(&entry.path(), &name, found)?;
        } else {
            found.insert(name, (Some(Blake3::of(&std::fs::read(entry.path())?)), entry.metadata()?.modified()?));
        }
    }
    Ok(())
}
