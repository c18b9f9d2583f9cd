//! What sealing and adopting came to, as text and JSON.

use std::fmt::Write;

use kanon_core::canon::Canon;
use kanon_core::digest::Blake3;
use kanon_core::finding::Finding;
use kanon_core::seal::SealChange;
use kanon_core::wish::Edited;
use serde::Serialize;

use super::check::findings;
use super::{BAD, BOLD, CARE, GOOD, count, folded, size, styled};

/// The report of a seal.
#[derive(Serialize)]
pub struct Report {
    /// `kanon-seal/1`.
    pub format: &'static str,
    /// Whether `canon.json` holds this set now.
    pub sealed: bool,
    /// The digest of the canon, when there is one.
    pub canon: Option<Blake3>,
    /// What stands against it, or is to be known.
    pub findings: Vec<Finding>,
    /// What changes against the last canon.
    pub changes: Vec<ChangeLine>,
}

/// One change against the last canon.
#[derive(Serialize)]
pub struct ChangeLine {
    change: &'static str,
    #[serde(rename = "mod")]
    mod_id: String,
    from: Option<String>,
    to: Option<String>,
}

impl From<SealChange> for ChangeLine {
    fn from(change: SealChange) -> Self {
        let (change, mod_id, from, to) = match change {
            SealChange::Added(id, to) => ("added", id, None, Some(to)),
            SealChange::Gone(id, from) => ("gone", id, Some(from), None),
            SealChange::Version(id, from, to) => ("version", id, Some(from), Some(to)),
            SealChange::Bytes(id, version) => ("bytes", id, Some(version.clone()), Some(version)),
        };
        Self { change, mod_id, from, to }
    }
}

/// How a seal ended.
#[derive(Clone, Copy, PartialEq, Eq)]
pub enum Ended {
    Written,
    Unchanged,
    OnlyShown,
    Refused,
}

/// A seal as text.
pub fn text(report: &Report, ended: Ended, canon: Option<&Canon>) -> String {
    let mut out = match (ended, canon) {
        (Ended::Refused, _) | (_, None) => {
            format!("{}: the wishes don't fit; canon.json was not written\n", styled(BAD, "not sealed"))
        }
        (Ended::OnlyShown, Some(canon)) => {
            format!("{}: {} would be sealed\n", styled(BOLD, &canon.name), contents(canon))
        }
        (Ended::Unchanged, Some(canon)) => {
            format!("{}: {}, {}; nothing changed\n", styled(GOOD, "sealed"), canon.name, contents(canon))
        }
        (Ended::Written, Some(canon)) => format!("{}: {}, {}\n", styled(GOOD, "sealed"), canon.name, contents(canon)),
    };
    for line in &report.changes {
        let _ = writeln!(out, "  {}", change(line));
    }
    if !report.findings.is_empty() {
        out.push('\n');
        findings(&mut out, &report.findings);
    }
    out
}

fn contents(canon: &Canon) -> String {
    let bytes = canon.mods.iter().map(kanon_core::canon::SealedMod::bytes).sum();
    let version = |name: &str, version: &Option<String>| {
        version.as_ref().map_or_else(String::new, |version| format!(", {name} {version}"))
    };
    format!(
        "{} ({}){}{}",
        count(canon.mods.len(), "mod"),
        size(bytes),
        version(&canon.game, &canon.game_version),
        version("loader", &canon.loader_version)
    )
}

fn change(line: &ChangeLine) -> String {
    let version = |version: &Option<String>| version.clone().unwrap_or_default();
    match line.change {
        "added" => format!("{} {} {}", styled(GOOD, "new    "), line.mod_id, version(&line.to)),
        "gone" => format!("{} {} {}", styled(CARE, "gone   "), line.mod_id, version(&line.from)),
        "version" => {
            format!("{} {} {} -> {}", styled(BOLD, "changed"), line.mod_id, version(&line.from), version(&line.to))
        }
        _ => format!(
            "{} {} {}, the same release with other bytes",
            styled(CARE, "changed"),
            line.mod_id,
            version(&line.to)
        ),
    }
}

/// The report of an adoption.
#[derive(Serialize)]
pub struct Adopted {
    /// `kanon-adopted/1`.
    pub format: &'static str,
    /// The install.
    pub install: String,
    /// Ids that were not wished for before.
    pub added: Vec<String>,
    /// Ids whose wish was changed.
    pub changed: Vec<(String, String, String)>,
    /// What was passed over, and why.
    pub passed_over: Vec<(String, String)>,
    /// Wishes that the install does not have.
    pub not_there: Vec<String>,
}

impl Adopted {
    /// The report of an edit.
    pub fn new(install: String, edited: Edited) -> Self {
        Self {
            format: "kanon-adopted/1",
            install,
            added: edited.added,
            changed: edited.changed,
            passed_over: Vec::new(),
            not_there: Vec::new(),
        }
    }

    /// The adoption as text.
    pub fn text(&self) -> String {
        let mut out = format!(
            "{} from {}: {} new in kanon.toml, {} changed\n",
            styled(GOOD, "adopted"),
            styled(BOLD, &self.install),
            count(self.added.len(), "mod"),
            self.changed.len()
        );
        for (id, from, to) in &self.changed {
            let _ = writeln!(out, "  {} {id} {from} -> {to}", styled(BOLD, "changed"));
        }
        for (what, why) in &self.passed_over {
            let _ = writeln!(out, "  {} {}", styled(CARE, "passed over"), kanon_core::path::printable(what));
            out.push_str(&folded(why, "      "));
        }
        if !self.not_there.is_empty() {
            out.push_str(&folded(
                &format!("still wished for, not on {}: {}", self.install, self.not_there.join(", ")),
                "  ",
            ));
        }
        out.push_str("next: kanon seal\n");
        out
    }
}
