//! How a workspace stands, from what is known: nothing is measured, and nobody is dialled.

use std::collections::BTreeMap;

use kanon_core::base::finding::Severity;
use kanon_core::base::names::InstallName;
use kanon_core::base::suggestion::Suggestion;
use kanon_core::canon::release::for_players;
use kanon_core::rulebook::Role;
use kanon_io::canons;
use kanon_io::error::During;
use kanon_io::release::{Record, days_until};
use kanon_io::room::{Holding, held_by_entries};
use kanon_io::state::AlignmentState;
use kanon_io::workspace::Workspace;
use serde::Serialize;

use crate::error::AppError;
use crate::looks::Look;
use crate::session::{SOON_DAYS, Session, digest_of};

/// The folders in what a workspace keeps for itself that are told by themselves.
const PARTS: [&str; 4] = ["backups", "store", "downloads", "unpacked"];

/// How a workspace stands.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Status {
    /// What the set is called.
    pub name: String,
    /// The game.
    pub game: String,
    /// How many mods `kanon.toml` asks for.
    pub wished: usize,
    /// The canon, where one is sealed.
    pub canon: Option<CanonStatus>,
    /// The installs.
    pub installs: Vec<InstallStatus>,
    /// The last release, where one was published.
    pub release: Option<ReleaseStatus>,
    /// What the last look at the sources found.
    pub updates: Option<UpdatesStatus>,
    /// What the workspace keeps for itself: copies of what alignments changed, bytes of mods, downloads, and the rest.
    pub kept: BTreeMap<&'static str, Holding>,
    /// What to do next, the most pressing first.
    pub next: Vec<Next>,
}

/// The canon.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct CanonStatus {
    /// How many mods it has.
    pub mods: usize,
    /// When it was sealed, in seconds since 1970, as far as is known.
    pub sealed: Option<i64>,
    /// Whether `kanon.toml` asks for something else by now.
    pub is_stale: bool,
    /// Whether the rulebook is another one by now.
    pub is_of_other_rulebook: bool,
    /// Whether a server came up with it, in a rehearsal.
    pub rehearsed: bool,
}

/// An install.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct InstallStatus {
    /// Its name.
    pub name: InstallName,
    /// What it is.
    pub role: Role,
    /// What the last look at it found, where it was looked at since the canon was sealed.
    pub held: Option<LastLook>,
    /// Whether its last alignment was cut off.
    pub is_cut_off: bool,
}

/// What a look at an install found.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct LastLook {
    /// When, in seconds since 1970.
    pub at: i64,
    /// The digest of the canon that it was held against.
    pub canon: String,
    /// Blocking findings.
    pub blocking: usize,
    /// Risky ones.
    pub risky: usize,
}

/// The last release.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct ReleaseStatus {
    /// Its number.
    pub number: u64,
    /// When the first of its signatures ends, as a day.
    pub ends: String,
    /// In how many days that is.
    pub days: i64,
    /// Whether the canon is another one by now.
    pub is_behind: bool,
}

/// What the last look at the sources found.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
pub struct UpdatesStatus {
    /// When, in seconds since 1970.
    pub at: i64,
    /// How many mods could be renewed.
    pub mods: usize,
}

/// What to do, and why.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Next {
    /// Why.
    pub why: Why,
    /// The command.
    #[serde(serialize_with = "as_text")]
    #[cfg_attr(feature = "schema", schemars(with = "String"))]
    pub command: Suggestion,
}

fn as_text<S: serde::Serializer>(command: &Suggestion, to: S) -> Result<S::Ok, S::Error> {
    to.collect_str(command)
}

/// Why something is to be done.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum Why {
    /// Nothing is asked for yet.
    NothingWished,
    /// No canon is sealed.
    NoCanon,
    /// `kanon.toml` or the rulebook changed since.
    StaleCanon,
    /// An alignment was cut off.
    CutOff,
    /// An install is off.
    Off,
    /// Installs were not looked at since the canon was sealed.
    NotLookedAt,
    /// Players follow another canon.
    ReleaseBehind,
    /// The signatures of the release end soon.
    ReleaseEnds,
    /// Mods could be renewed.
    Updates,
}

/// How a workspace stands.
///
/// # Errors
/// When there is none, or what it keeps can't be read.
pub fn status(session: &Session<'_>) -> Result<Status, AppError> {
    let workspace = session.workspace()?;
    let canon = workspace.canon()?;
    let digest = canon.as_ref().map(digest_of).transpose()?;
    let told = digest.map(|digest| digest.to_string());
    let alignments = session.state.alignments(None)?;
    let mut installs = Vec::new();
    for install in &workspace.config.installs {
        let held = session.last_look(&install.name)?.map(held);
        let mut own = alignments.iter().filter(|alignment| alignment.install == install.name);
        installs.push(InstallStatus {
            name: install.name.clone(),
            role: install.role,
            held: held.filter(|held| Some(&held.canon) == told.as_ref()),
            is_cut_off: own
                .any(|alignment| matches!(alignment.state, AlignmentState::Running | AlignmentState::Undoing)),
        });
    }
    let record = Record::read(&workspace.release_folder())?;
    let published = canon.as_ref().map(|canon| digest_of(&for_players(canon))).transpose()?;
    let release = record.last().map(|last| ReleaseStatus {
        number: last.release.number,
        ends: last.ends.to_string().chars().take(10).collect(),
        days: days_until(last.ends, session.machine.now().timestamp()),
        is_behind: published.is_some_and(|published| published != last.canon),
    });
    let sealed = canons::newest(&workspace.canons())?.map(|kept| kept.sealed);
    let canon = match (canon, digest) {
        (Some(canon), Some(digest)) => Some(CanonStatus {
            mods: canon.mods.len(),
            sealed,
            is_stale: session.is_stale(&canon),
            is_of_other_rulebook: canon.rulebook != session.loaded.digest,
            rehearsed: session.state.rehearsal(digest)?.is_some(),
        }),
        _ => None,
    };
    let mut status = Status {
        name: workspace.config.name.clone(),
        game: session.loaded.rulebook.game.clone(),
        wished: workspace.config.mods.len(),
        canon,
        installs,
        release,
        updates: session.last_updates()?.map(|updates| UpdatesStatus { at: updates.at, mods: updates.mods }),
        kept: kept(workspace)?,
        next: Vec::new(),
    };
    status.next = next(&status, session.machine.typed());
    Ok(status)
}

/// What the workspace keeps for itself, by what it is for.
fn kept(workspace: &Workspace) -> Result<BTreeMap<&'static str, Holding>, AppError> {
    let own = workspace.own();
    let mut parts = BTreeMap::from([("rest", Holding::default())]);
    for (name, held) in held_by_entries(&own).during("look at", &own)? {
        let what = PARTS.into_iter().find(|part| *part == name).unwrap_or("rest");
        if held.files > 0 {
            let part = parts.entry(what).or_default();
            *part = Holding { files: part.files + held.files, bytes: part.bytes + held.bytes };
        }
    }
    Ok(parts)
}

fn held(look: Look) -> LastLook {
    let (blocking, risky) = (look.of(Severity::Blocking), look.of(Severity::Risky));
    LastLook { at: look.at, canon: look.canon, blocking, risky }
}

/// What to do next, the most pressing first.
fn next(status: &Status, typed: &[String]) -> Vec<Next> {
    let mut next = Vec::new();
    let mut add = |why, command: Suggestion| next.push(Next { why, command: command.led_by(typed) });
    for install in status.installs.iter().filter(|install| install.is_cut_off) {
        add(Why::CutOff, Suggestion::align(&install.name));
    }
    let Some(canon) = &status.canon else {
        match status.installs.first().filter(|_| status.wished == 0) {
            Some(first) => add(Why::NothingWished, Suggestion::new("adopt").word(first.name.as_str())),
            None => add(Why::NoCanon, Suggestion::new("seal")),
        }
        return next;
    };
    if canon.is_stale || canon.is_of_other_rulebook {
        add(Why::StaleCanon, Suggestion::new("seal"));
    }
    let is_off = |install: &&InstallStatus| {
        !install.is_cut_off && install.held.as_ref().is_some_and(|held| held.blocking + held.risky > 0)
    };
    // The server first: players can wait for it, and it can't for them.
    for role in [Role::Server, Role::Client] {
        for install in status.installs.iter().filter(|install| install.role == role).filter(is_off) {
            add(Why::Off, Suggestion::align(&install.name));
        }
    }
    if status.installs.iter().any(|install| install.held.is_none()) {
        add(Why::NotLookedAt, Suggestion::new("check"));
    }
    match &status.release {
        Some(release) if release.is_behind => add(Why::ReleaseBehind, Suggestion::new("publish")),
        Some(release) if release.days < SOON_DAYS => add(Why::ReleaseEnds, Suggestion::new("publish")),
        _ => {}
    }
    if status.updates.as_ref().is_some_and(|updates| updates.mods > 0) {
        add(Why::Updates, Suggestion::new("renew").word("--preview"));
    }
    next
}
