//! What sealing and adopting came to, as text and JSON.

use std::fmt::Write;

use kanon_app::adopting::{KnownBy, Recognised};
use kanon_core::base::digest::Blake3;
use kanon_core::base::finding::Finding;
use kanon_core::base::ids::FoldedId;
use kanon_core::base::names::InstallName;
use kanon_core::base::path::printable;
use kanon_core::canon::Canon;
use kanon_core::config::Edited;
use kanon_core::rulebook::{NeededOn, Role};
use kanon_core::seal::{CanonChange, SealChange};
use serde::Serialize;

use super::check::findings;
use super::{BAD, BOLD, CARE, GOOD, count, folded, notes, size, styled};

/// The report of a seal.
#[cfg_attr(test, derive(schemars::JsonSchema))]
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
    /// What changes beside the mods, in words: the load order, settings, memory.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub beside: Vec<CanonChange>,
}

/// One change against the last canon.
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[derive(Serialize)]
pub struct ChangeLine {
    change: &'static str,
    #[serde(rename = "mod")]
    mod_id: FoldedId,
    from: Option<String>,
    to: Option<String>,
    needed_on: NeededOn,
    bytes: u64,
    key_changed: bool,
    shapes_world: bool,
    notes: Option<String>,
}

impl ChangeLine {
    /// A change, with what its release says is new.
    pub fn new(change: SealChange, notes: Option<String>) -> Self {
        let word = match (&change.from, &change.to) {
            (None, _) => "added",
            (_, None) => "gone",
            (Some(from), Some(to)) if from != to => "version",
            _ if change.was_needed_on.is_some() => "side",
            _ => "bytes",
        };
        Self {
            change: word,
            mod_id: change.id,
            from: change.from,
            to: change.to,
            needed_on: change.needed_on,
            bytes: change.bytes,
            key_changed: change.keys_changed,
            shapes_world: change.shapes_world,
            notes,
        }
    }
}

/// How a seal ended.
#[derive(Clone, Copy, PartialEq, Eq)]
pub enum Ended {
    Written,
    Unchanged,
    OnlyShown,
    /// Held against another canon; nothing is sealed.
    Compared,
    Refused,
}

/// A seal as text.
pub fn text(report: &Report, ended: Ended, canon: Option<&Canon>) -> String {
    let mut out = match (ended, canon) {
        (Ended::Refused, _) | (_, None) => {
            format!("{}: what kanon.toml asks for doesn't fit; canon.json was not written\n", styled(BAD, "not sealed"))
        }
        (Ended::OnlyShown, Some(canon)) => {
            format!("{}: {} would be sealed\n", styled(BOLD, &canon.name), contents(canon))
        }
        (Ended::Compared, Some(canon)) => match report.changes.is_empty() && report.beside.is_empty() {
            true => format!("{}: {} is what is sealed here\n", styled(GOOD, "the same"), contents(canon)),
            false => format!(
                "{}: {} are sealed here; against the other canon:\n",
                styled(BOLD, &canon.name),
                contents(canon)
            ),
        },
        (Ended::Unchanged, Some(canon)) => {
            format!("{}: {}, {}; nothing changed\n", styled(GOOD, "sealed"), canon.name, contents(canon))
        }
        (Ended::Written, Some(canon)) => format!("{}: {}, {}\n", styled(GOOD, "sealed"), canon.name, contents(canon)),
    };
    for line in &report.changes {
        let _ = writeln!(out, "  {}", change(line));
        out.push_str(&beside(line));
    }
    report.beside.iter().for_each(|change| out.push_str(&folded(&change.to_string(), "  ")));
    out.push_str(&errands(&report.changes));
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
        "{} ({}){}{}{}",
        count(canon.mods.len(), "mod"),
        size(bytes),
        version(&canon.game, &canon.game_version),
        version("loader", &canon.loader_version),
        version("runtime", &canon.runtime_version)
    )
}

fn change(line: &ChangeLine) -> String {
    let id = printable(line.mod_id.as_str());
    let version = |version: &Option<String>| printable(version.as_deref().unwrap_or_default());
    match line.change {
        "added" => format!("{} {id} {}", styled(GOOD, "new    "), version(&line.to)),
        "gone" => format!("{} {id} {}", styled(CARE, "gone   "), version(&line.from)),
        "version" => {
            format!("{} {id} {} -> {}", styled(BOLD, "changed"), version(&line.from), version(&line.to))
        }
        "side" => {
            format!("{} {id} {}, needed on {} now", styled(CARE, "changed"), version(&line.to), sides(line.needed_on))
        }
        _ => format!("{} {id} {}, the same release with other bytes", styled(CARE, "changed"), version(&line.to)),
    }
}

/// What is to be known of a change before an evening's update.
fn beside(line: &ChangeLine) -> String {
    let mut out = String::new();
    if line.key_changed {
        let _ = writeln!(
            out,
            "          {}",
            styled(CARE, "it is signed with another key than the release that was sealed before")
        );
    }
    if line.shapes_world {
        let _ =
            writeln!(out, "          {}", styled(CARE, "it shapes the world: back the world up, or begin a new one"));
    }
    if line.change != "gone" {
        out.push_str(&notes(line.notes.as_deref(), "          "));
    }
    out
}

/// What each side has to get.
fn errands(changes: &[ChangeLine]) -> String {
    let of = |role: Role| {
        let here = changes.iter().filter(|line| line.needed_on.includes(role) && line.to.is_some() && line.bytes > 0);
        here.fold((0, 0), |(mods, bytes), line| (mods + 1, bytes + line.bytes))
    };
    let sides = [("the server", of(Role::Server)), ("each client", of(Role::Client))];
    let told: Vec<String> = sides
        .into_iter()
        .filter(|(_, (mods, _))| *mods > 0)
        .map(|(who, (mods, bytes))| format!("{who} {} ({})", count(mods, "mod"), size(bytes)))
        .collect();
    if told.is_empty() { String::new() } else { format!("to get: {}\n", told.join(", ")) }
}

fn sides(needed_on: NeededOn) -> &'static str {
    match needed_on {
        NeededOn::Both => "both sides",
        NeededOn::Server => "the server alone",
        NeededOn::Client => "clients alone",
        NeededOn::Optional => "no side",
    }
}

/// The report of an adoption.
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[derive(Serialize)]
pub struct Adopted {
    /// `kanon-adopted/1`.
    pub format: &'static str,
    /// The install.
    pub install: InstallName,
    /// Ids that were not wished for before.
    pub added: Vec<FoldedId>,
    /// Ids whose wish was changed.
    pub changed: Vec<(FoldedId, String, String)>,
    /// What was passed over, and why.
    pub passed_over: Vec<(String, String)>,
    /// What only this client has and nobody said that every player is to have.
    pub left_out: Vec<FoldedId>,
    /// WorkspaceConfig that the install does not have.
    pub not_there: Vec<FoldedId>,
    /// Releases that a source has too.
    pub recognised: Vec<Recognised>,
}

impl Adopted {
    /// The report of an edit.
    pub fn new(install: InstallName, edited: Edited) -> Self {
        Self {
            format: "kanon-adopted/1",
            install,
            added: edited.added,
            changed: edited.changed,
            passed_over: Vec::new(),
            left_out: Vec::new(),
            not_there: Vec::new(),
            recognised: Vec::new(),
        }
    }

    fn recognised_text(&self, out: &mut String) {
        let by = |how| self.recognised.iter().filter(move |known| known.by == how);
        let mut sources: Vec<&str> = by(KnownBy::Digest).map(|known| known.source.as_str()).collect();
        sources.sort_unstable();
        for same in sources.chunk_by(|a, b| a == b) {
            let _ = writeln!(out, "  {} of them, byte for byte, are in the source {}", same.len(), printable(same[0]));
        }
        for known in by(KnownBy::Metadata) {
            let version = known.version.as_deref().unwrap_or("-");
            let text = format!(
                "{} {version} is in {} too, with other bytes; the copy of {} counts until its `from` says otherwise",
                known.mod_id, known.source, self.install
            );
            out.push_str(&folded(&text, "  "));
        }
        for known in by(KnownBy::Name) {
            let version = known.version.as_deref().unwrap_or("-");
            let text = format!(
                "{} is called as {version} of {} is, which is all that tells its release",
                known.mod_id, known.source
            );
            out.push_str(&folded(&text, "  "));
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
        self.recognised_text(&mut out);
        for (what, why) in &self.passed_over {
            let _ = writeln!(out, "  {} {}", styled(CARE, "passed over"), printable(what));
            out.push_str(&folded(why, "      "));
        }
        if !self.left_out.is_empty() {
            let text = format!(
                "left out, since no server has {}: {}; if every player is to have one, name it: --only {}",
                if self.left_out.len() == 1 { "it" } else { "them" },
                FoldedId::joined(&self.left_out, ", "),
                self.left_out[0]
            );
            out.push_str(&folded(&text, "  "));
        }
        if !self.not_there.is_empty() {
            out.push_str(&folded(
                &format!("still in kanon.toml, not on {}: {}", self.install, FoldedId::joined(&self.not_there, ", ")),
                "  ",
            ));
        }
        out.push_str("next: kanon seal\n");
        out
    }
}
