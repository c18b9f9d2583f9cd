//! The state of everything, from what is known: the canon and its history, installs as they were last looked at, the health of servers,
//! what waits, and what players get. Nothing is measured and nobody is dialled; each fact says of when it is.

use std::collections::BTreeMap;

use kanon_core::base::digest::Blake3;
use kanon_core::base::ids::FoldedId;
use kanon_core::base::names::{InstallName, KeyName, ShelfName};
use kanon_core::canon::release::for_players;
use kanon_core::canon::{Canon, SealedKey, SealedList, SealedMod};
use kanon_core::rulebook::{NeededOn, RelationKind, Role};
use kanon_core::seal::{CanonChange, SealChange, changes, changes_beside};
use kanon_io::canons;
use kanon_io::release::Record;
use kanon_io::state::{Alignment, Rehearsed};
use serde::Serialize;

use crate::error::AppError;
use crate::health;
use crate::looks::{HealthLook, Look, Updates};
use crate::notice::Notice;
use crate::places::{self, Place};
use crate::session::{Session, digest_of};
use crate::status::{Status, status};

/// So many alignments, and as many canons, are told.
const HISTORY: usize = 500;

/// The state of everything.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, Serialize)]
pub struct Overview {
    /// When it was put together, in seconds since 1970.
    pub made: i64,
    /// How things stand, on one screen.
    #[serde(flatten)]
    pub status: Status,
    /// The version of the game, of its loader, and of what it runs on, as the canon asks for them.
    pub versions: BTreeMap<&'static str, String>,
    /// The mods of the canon, in their load order.
    pub mods: Vec<ModRow>,
    /// What hangs on what.
    pub links: Vec<Link>,
    /// The lists, as the canon wants them.
    pub lists: Vec<SealedList>,
    /// The public keys of the canon.
    pub keys: Vec<KeyRow>,
    /// Installs as they were last looked at.
    pub looks: Vec<InstallRow>,
    /// The canons that were sealed here, newest first.
    pub canons: Vec<CanonRow>,
    /// The alignments, newest first.
    pub alignments: Vec<AlignmentRow>,
    /// The rehearsals that canons passed, oldest first.
    pub rehearsals: Vec<RehearsalRow>,
    /// The health of servers, day by day.
    pub health: Vec<ServerHealth>,
    /// What the last look at the sources found.
    pub waiting: Option<Updates>,
    /// What players get.
    pub players: Option<PlayersRow>,
}

/// A mod of the canon.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, Serialize)]
pub struct ModRow {
    /// Its id.
    #[serde(rename = "mod")]
    pub id: FoldedId,
    /// What people call it.
    pub title: Option<String>,
    /// Its release.
    pub version: Option<String>,
    /// Its place in the load order, from one.
    pub position: usize,
    /// The shelf it belongs on.
    pub shelf: ShelfName,
    /// What its file or folder is called.
    pub name: String,
    /// Where it is needed.
    pub needed_on: NeededOn,
    /// How many files it has.
    pub files: usize,
    /// And how many bytes in them.
    pub bytes: u64,
    /// Whether it reshapes the world.
    pub shapes_world: bool,
}

/// One mod's word on another.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Link {
    /// Whose word it is.
    pub from: FoldedId,
    /// The id that it names.
    pub names: FoldedId,
    /// The mod of the canon that is meant; nothing where the canon has none, as for the game itself.
    pub to: Option<FoldedId>,
    /// What it is to it.
    pub kind: RelationKind,
    /// The releases that it is about.
    pub range: Option<String>,
}

/// A public key of the canon.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, Serialize)]
pub struct KeyRow {
    /// Its name.
    pub name: KeyName,
    /// The mods that bring it, and are signed with it.
    pub mods: Vec<FoldedId>,
}

/// An install as it was last looked at.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, Serialize)]
pub struct InstallRow {
    /// Its name.
    pub install: InstallName,
    /// What it is.
    pub role: Role,
    /// Whether it is there to be tried.
    pub is_rehearsal: bool,
    /// The last look at it.
    pub look: Option<Look>,
    /// Whether that look was at the canon that counts now.
    pub is_of_this_canon: bool,
}

/// A canon that was sealed here.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, Serialize)]
pub struct CanonRow {
    /// Its number.
    pub number: u64,
    /// When it was sealed, in seconds since 1970.
    pub sealed: i64,
    /// What was typed.
    pub why: String,
    /// How many mods it has.
    pub mods: usize,
    /// What it changed against the one before it: mod, old release, new release.
    pub changes: Vec<ChangeRow>,
}

/// What became of a mod between two canons.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, Serialize)]
pub struct ChangeRow {
    /// The mod.
    #[serde(rename = "mod")]
    pub id: FoldedId,
    /// The release before; nothing for a new one.
    pub from: Option<String>,
    /// The release after; nothing for one that left.
    pub to: Option<String>,
}

/// An alignment.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, Serialize)]
pub struct AlignmentRow {
    /// Its number.
    pub number: i64,
    /// The install.
    pub install: InstallName,
    /// When it began, in seconds since 1970.
    pub began: i64,
    /// How far it came.
    pub state: &'static str,
    /// How many steps it has.
    pub steps: usize,
}

/// A rehearsal that a canon passed.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, Serialize)]
pub struct RehearsalRow {
    /// The canon, by its number where it is one that is kept.
    pub canon: Option<u64>,
    /// The install that was started.
    pub install: InstallName,
    /// When, in seconds since 1970.
    pub at: i64,
    /// So many seconds it took to be up.
    pub seconds: f64,
    /// So many bytes of memory it used at most.
    pub memory: u64,
}

/// The health of one server.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, Serialize)]
pub struct ServerHealth {
    /// The server.
    pub install: InstallName,
    /// What its logs told, oldest first.
    pub looks: Vec<HealthLook>,
}

/// What players get.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, Serialize)]
pub struct PlayersRow {
    /// The number of the release.
    pub release: u64,
    /// How many mods it has for them.
    pub mods: usize,
    /// When its signatures end, in seconds since 1970.
    pub ends: i64,
    /// Where they find it.
    pub address: Option<String>,
    /// In what the canon is another one by now: what they don't have yet.
    pub behind: Vec<ChangeRow>,
    /// What is another one beside the mods.
    pub behind_beside: Vec<CanonChange>,
    /// The releases that were published, oldest first: number and how many mods each had.
    pub releases: Vec<(u64, usize)>,
}

/// Puts together what is known.
///
/// # Errors
/// When there is no workspace, or what it keeps can't be read.
pub fn overview(session: &mut Session<'_>) -> Result<Overview, AppError> {
    listen_here(session)?;
    let session: &Session<'_> = session;
    let status = status(session)?;
    let workspace = session.workspace()?;
    let canon = workspace.canon()?;
    let digest = canon.as_ref().map(digest_of).transpose()?.map(|digest| digest.to_string());
    let mut looks = Vec::new();
    for install in &workspace.config.installs {
        let look = session.last_look(&install.name)?;
        looks.push(InstallRow {
            install: install.name.clone(),
            role: install.role,
            is_rehearsal: install.is_rehearsal,
            is_of_this_canon: look.as_ref().is_some_and(|look| Some(&look.canon) == digest.as_ref()),
            look,
        });
    }
    let mut health = Vec::new();
    for install in workspace.config.installs.iter().filter(|install| install.role == Role::Server) {
        let looks = session.health_looks(&install.name)?;
        if !looks.is_empty() {
            health.push(ServerHealth { install: install.name.clone(), looks });
        }
    }
    let canons = canons_told(session)?;
    let versions = canon.as_ref().map(versions).unwrap_or_default();
    Ok(Overview {
        made: session.machine.now().timestamp().as_second(),
        versions,
        mods: canon.iter().flat_map(|canon| &canon.mods).map(mod_row).collect(),
        links: canon.as_ref().map(links).unwrap_or_default(),
        lists: canon.iter().flat_map(|canon| canon.lists.clone()).collect(),
        keys: canon.iter().flat_map(|canon| &canon.keys).map(key_row).collect(),
        looks,
        alignments: alignments(session)?,
        rehearsals: rehearsals(session, &canons)?,
        canons: canons.into_iter().map(|(row, _)| row).collect(),
        health,
        waiting: session.last_updates()?,
        players: players(session, canon.as_ref())?,
        status,
    })
}

/// Reads the logs of servers that lie on this machine: that costs little, and tells of now.
fn listen_here(session: &mut Session<'_>) -> Result<(), AppError> {
    let installs = session.workspace()?.config.installs.clone();
    for install in installs.iter().filter(|install| install.role == Role::Server) {
        let placed = places::named(session.workspace.as_ref(), &install.name)?;
        if !placed.is_some_and(|placed| matches!(placed.place, Place::Folder(_))) {
            continue;
        }
        if let Err(error) = listen(session, &install.name) {
            session.observer.notice(Notice::InstallPassedOver { install: install.name.clone(), error });
        }
    }
    Ok(())
}

fn listen(session: &mut Session<'_>, install: &str) -> Result<(), AppError> {
    let logs = health::logs_of_install(session, install)?;
    if logs.is_empty() {
        return Ok(());
    }
    let health = health::of_logs(session, &logs)?;
    session.keep_health(install, &health)
}

fn versions(canon: &Canon) -> BTreeMap<&'static str, String> {
    let said = [("game", &canon.game_version), ("loader", &canon.loader_version), ("runtime", &canon.runtime_version)];
    said.into_iter().filter_map(|(what, version)| Some((what, version.clone()?))).collect()
}

fn mod_row(sealed: &SealedMod) -> ModRow {
    ModRow {
        id: sealed.manifest.id.clone(),
        title: sealed.manifest.title.clone(),
        version: sealed.manifest.version.clone(),
        position: sealed.position,
        shelf: sealed.shelf.clone(),
        name: sealed.name.clone(),
        needed_on: sealed.needed_on(),
        files: sealed.files.len(),
        bytes: sealed.files.iter().map(|file| file.size).sum(),
        shapes_world: sealed.manifest.shapes_world,
    }
}

fn key_row(key: &SealedKey) -> KeyRow {
    KeyRow { name: key.name.clone(), mods: key.mods.clone() }
}

/// What mods say of each other, with the mod that is meant where another one stands for the id.
fn links(canon: &Canon) -> Vec<Link> {
    let mut by_id: BTreeMap<&FoldedId, &FoldedId> = BTreeMap::new();
    for sealed in &canon.mods {
        for provided in &sealed.manifest.provides {
            by_id.entry(provided).or_insert(&sealed.manifest.id);
        }
    }
    by_id.extend(canon.mods.iter().map(|sealed| (&sealed.manifest.id, &sealed.manifest.id)));
    let mut links = Vec::new();
    for sealed in &canon.mods {
        let from = &sealed.manifest.id;
        links.extend(sealed.manifest.relations.iter().map(|relation| Link {
            from: from.clone(),
            names: relation.id.clone(),
            to: by_id.get(&relation.id).map(|id| (*id).clone()).filter(|to| to != from),
            kind: relation.kind,
            range: relation.range.clone(),
        }));
    }
    links
}

/// The canons that were sealed here, newest first, each with its digest.
fn canons_told(session: &Session<'_>) -> Result<Vec<(CanonRow, String)>, AppError> {
    let folder = session.workspace()?.canons();
    let mut told = Vec::new();
    let mut before: Option<Canon> = None;
    for number in canons::numbers(&folder)? {
        // One that can't be read is told of by `history --canons`; the others are told all the same.
        let Ok(kept) = canons::read(&folder, number) else { continue };
        let changed = before.as_ref().map_or_else(Vec::new, |before| changed(before, &kept.canon));
        let digest = Blake3::of(kept.text.as_bytes()).to_string();
        let (sealed, why, mods) = (kept.sealed, kept.why, kept.canon.mods.len());
        told.push((CanonRow { number, sealed, why, mods, changes: changed }, digest));
        before = Some(kept.canon);
    }
    told.reverse();
    told.truncate(HISTORY);
    Ok(told)
}

fn changed(before: &Canon, after: &Canon) -> Vec<ChangeRow> {
    let row = |change: SealChange| ChangeRow { id: change.id, from: change.from, to: change.to };
    changes(before, after).into_iter().map(row).collect()
}

fn alignments(session: &Session<'_>) -> Result<Vec<AlignmentRow>, AppError> {
    let all = session.state.alignments(None)?;
    let row = |one: &Alignment| AlignmentRow {
        number: one.id,
        install: one.install.clone(),
        began: one.began,
        state: one.state.as_str(),
        steps: one.steps.len(),
    };
    Ok(all.iter().take(HISTORY).map(row).collect())
}

fn rehearsals(session: &Session<'_>, canons: &[(CanonRow, String)]) -> Result<Vec<RehearsalRow>, AppError> {
    let number = |digest: &str| canons.iter().find(|(_, known)| known == digest).map(|(row, _)| row.number);
    let row = |(canon, passed): (Blake3, Rehearsed)| RehearsalRow {
        canon: number(&canon.to_string()),
        install: passed.install,
        at: passed.at,
        seconds: passed.seconds,
        memory: passed.memory,
    };
    Ok(session.state.rehearsals()?.into_iter().map(row).collect())
}

fn players(session: &Session<'_>, canon: Option<&Canon>) -> Result<Option<PlayersRow>, AppError> {
    let workspace = session.workspace()?;
    let folder = workspace.release_folder();
    let record = Record::read(&folder)?;
    let Some(last) = record.last() else { return Ok(None) };
    let published = Record::canon(&folder, last.release.number);
    let now = canon.map(for_players);
    let (behind, behind_beside) = match (&published, &now) {
        (Some(published), Some(now)) => (changed(published, now), changes_beside(published, now)),
        _ => (Vec::new(), Vec::new()),
    };
    let of_number = |number: u64| Record::canon(&folder, number).map(|canon| (number, canon.mods.len()));
    Ok(Some(PlayersRow {
        release: last.release.number,
        mods: published.as_ref().map_or(0, |canon| canon.mods.len()),
        ends: last.ends.as_second(),
        address: workspace.config.release.address.clone(),
        behind,
        behind_beside,
        releases: record.numbers_with_canon().into_iter().filter_map(|(number, _)| of_number(number)).collect(),
    }))
}
