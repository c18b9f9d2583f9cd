//! Whether mods fit each other, the game and the loader.

use std::collections::HashMap;

use crate::base::act::Act;
use crate::base::finding::{Code, Finding, Severity};
use crate::base::ids::FoldedId;
use crate::base::stated::Stated;
use crate::base::version::Versions;
use crate::manifest::{ModManifest, Relation};
use crate::rulebook::{NeededOn, RelationKind, Role};

/// A set of mods that are to be used together.
#[derive(Debug, Clone)]
pub struct FitSet<'a> {
    /// The mods.
    pub mods: Vec<&'a ModManifest>,
    /// The side they are on; both sides when not said, each judged by what it will have.
    pub role: Option<Role>,
    /// The game's version, if known.
    pub game_version: Option<&'a str>,
    /// The loader's version, if known.
    pub loader_version: Option<&'a str>,
    /// The version of what the game runs on, if known.
    pub runtime_version: Option<&'a str>,
}

/// A misfit: who wants what of whom.
#[derive(Debug, Clone)]
pub struct Misfit {
    /// The mod that asks for something.
    pub subject: FoldedId,
    /// The mod it asks it of; empty for the game or the loader.
    pub object: FoldedId,
    /// What is to be told.
    pub finding: Finding,
}

/// Every misfit in a set.
pub fn fit(set: &FitSet<'_>, versions: Versions) -> Vec<Misfit> {
    let there = Presence::of(&set.mods);
    let mut misfits = Vec::new();
    for manifest in &set.mods {
        misfits.extend(platform(
            manifest,
            Code::GameDiffers,
            manifest.game_range.as_deref().zip(set.game_version),
            versions,
        ));
        misfits.extend(platform(
            manifest,
            Code::LoaderDiffers,
            manifest.loader_range.as_deref().zip(set.loader_version),
            versions,
        ));
        misfits.extend(platform(
            manifest,
            Code::RuntimeDiffers,
            manifest.runtime_range.as_deref().zip(set.runtime_version),
            versions,
        ));
        for relation in manifest.relations.iter().filter(|said| said.id != manifest.id) {
            misfits.extend(relate(manifest, relation, &there, set.role, versions));
        }
    }
    misfits
}

/// Which mod stands for an id: itself, or one that provides it.
struct Presence<'a>(HashMap<FoldedId, &'a ModManifest>);

impl<'a> Presence<'a> {
    fn of(mods: &[&'a ModManifest]) -> Self {
        let provided = mods.iter().flat_map(|m| m.provides.iter().map(|id| (id.clone(), *m)));
        let own = mods.iter().map(|m| (m.id.clone(), *m));
        Self(provided.chain(own).collect())
    }

    fn get(&self, id: &FoldedId) -> Option<&'a ModManifest> {
        self.0.get(id).copied()
    }
}

fn misfit(subject: &ModManifest, object: &FoldedId, finding: Finding) -> Misfit {
    Misfit { subject: subject.id.clone(), object: object.clone(), finding: finding.about(&subject.id) }
}

fn platform(manifest: &ModManifest, code: Code, asked: Option<(&str, &str)>, versions: Versions) -> Option<Misfit> {
    let (range, version) = asked?;
    let what = match code {
        Code::GameDiffers => "game",
        Code::RuntimeDiffers => "runtime",
        _ => "loader",
    };
    let release = |version: &str| Stated::Release { of: what.to_owned(), version: version.to_owned() };
    let finding = match versions.meets(version, range) {
        Some(true) => return None,
        Some(false) => Finding::new(code, Act::ChooseFor { of: what, version: version.to_owned() }),
        None => Finding::new(code, Act::SeeItsPage).severity(Severity::Risky),
    };
    Some(misfit(manifest, &FoldedId::default(), finding.expected(release(range)).found(release(version))))
}

fn relate(
    manifest: &ModManifest,
    relation: &Relation,
    there: &Presence<'_>,
    role: Option<Role>,
    versions: Versions,
) -> Option<Misfit> {
    let range = relation.range.as_deref().unwrap_or("*");
    let other = there.get(&relation.id);
    let met = other.and_then(|other| meets(other, relation, versions));
    let wanted = Stated::Release { of: relation.id.to_string(), version: range.to_owned() };
    let finding = match (relation.kind, other) {
        (RelationKind::Required, None) => {
            Finding::new(Code::DependencyMissing, Act::Add(relation.id.clone())).expected(wanted).found(Stated::Nothing)
        }
        (RelationKind::Required, Some(other)) if missing_side(manifest, other, role).is_some() => {
            let side = missing_side(manifest, other, role)?;
            Finding::new(Code::DependencyMissing, Act::SayNeededOnBoth(other.id.clone()))
                .expected(Stated::OnSideToo { id: other.id.clone(), side: side.as_str() })
                .found(Stated::OnSideAlone(other.needed_on.as_str()))
        }
        (RelationKind::Required | RelationKind::Optional, Some(other)) if met != Some(true) => {
            let severity = if met.is_none() || relation.kind == RelationKind::Optional {
                Severity::Risky
            } else {
                Severity::Blocking
            };
            Finding::new(Code::DependencyVersion, Act::ChooseRelease { id: other.id.clone(), range: range.to_owned() })
                .expected(wanted)
                .found(as_there(other))
                .severity(severity)
        }
        (RelationKind::Conflicting, Some(other)) if met != Some(false) => {
            Finding::new(Code::Conflict, Act::DropOneOf(manifest.id.clone(), other.id.clone()))
                .expected(Stated::NotWith { id: relation.id.clone(), range: range.to_owned() })
                .found(as_there(other))
        }
        _ => return None,
    };
    Some(misfit(manifest, &relation.id, finding))
}

fn as_there(other: &ModManifest) -> Stated {
    match &other.version {
        Some(version) => Stated::Release { of: other.id.to_string(), version: version.clone() },
        None => Stated::Versionless(other.id.clone()),
    }
}

/// Whether the other mod is in the release asked for; one that only provides the id is taken as it is.
fn meets(other: &ModManifest, relation: &Relation, versions: Versions) -> Option<bool> {
    let range = relation.range.as_deref().unwrap_or("*");
    if other.id == relation.id {
        match &other.version {
            Some(version) => versions.meets(version, range),
            None => versions.requirement(range).ok().filter(crate::base::version::Requirement::is_any).map(|_| true),
        }
    } else {
        Some(true)
    }
}

/// The side on which a mod will be and the one it needs will not.
fn missing_side(manifest: &ModManifest, other: &ModManifest, role: Option<Role>) -> Option<Role> {
    let roles = role.map_or_else(|| vec![Role::Server, Role::Client], |_| Vec::new());
    let allows = |role: Role| other.needed_on.includes(role) || other.needed_on == NeededOn::Optional;
    roles.into_iter().find(|role| manifest.needed_on.includes(*role) && !allows(*role))
}
