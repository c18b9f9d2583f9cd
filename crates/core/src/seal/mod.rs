//! From wishes to the canon: which release of each mod counts, in which order, and whether all of it fits.

pub mod adopted;
mod changes;
mod order;
mod picks;
mod settings;

use std::collections::{BTreeMap, BTreeSet, HashMap};

pub use changes::{CanonChange, SealChange, changes, changes_beside};
pub use picks::{BroughtKey, Damaged, Pick, Standing};

use crate::base::act::Act;
use crate::base::digest::Blake3;
use crate::base::finding::{Code, Finding, Severity};
use crate::base::ids::{FoldedId, folded};
use crate::base::names::KeyName;
use crate::base::problem::nearest;
use crate::base::stated::{Series, Stated};
use crate::base::suggestion::Suggestion;
use crate::base::version::Versions;
use crate::canon::{self, Canon, SealedKey, SealedMod};
use crate::config::{ModWish, WorkspaceConfig};
use crate::delta::{changed_entries, same_entries, sealed_lists};
use crate::manifest::Relation;
use crate::resolve::fit::{FitSet, Misfit, fit};
use crate::resolve::solve::{Ask, Keep, SourceRank};
use crate::rulebook::{NeededOn, RelationKind, Role, Rulebook};
use crate::survey::{Survey, SurveyedKey, SurveyedMod};
use order::load_order;

/// A release that is at hand, and where.
#[derive(Debug, Clone)]
pub struct Candidate<'a> {
    /// The install or source that has it.
    pub place: &'a str,
    /// How far that place is trusted.
    pub trust: SourceRank,
    /// The release.
    pub found: &'a SurveyedMod,
    /// The public keys that it brings.
    pub keys: Vec<&'a SurveyedKey>,
}

/// What sealing came to.
#[derive(Debug, Clone, Default)]
pub struct Choice {
    /// The mods, in load order.
    pub picks: Vec<Pick>,
    /// What stands against it; the canon is written only when none of them blocks.
    pub findings: Vec<Finding>,
}

impl Choice {
    /// Whether a canon may be written.
    pub fn fits(&self) -> bool {
        self.findings.iter().all(|finding| finding.severity != Severity::Blocking)
    }
}

/// What the wishes ask for when they are sealed: what they pin, and of the rest the newest that fits.
pub fn asks(wishes: &WorkspaceConfig) -> Vec<Ask> {
    let ask = |wish: &ModWish| Ask {
        id: wish.id.clone(),
        accepts: wish.version.clone().or_else(|| wish.accepts.clone()),
        prereleases: wish.prereleases,
        needed_on: wish.needed_on,
        keep: Keep::Newest,
        from: wish.from.clone(),
        wanted: true,
        ..Ask::default()
    };
    wishes.mods.iter().map(ask).collect()
}

/// Ids in the order of the first server's own list, where it has one whose order matters.
pub fn listed<'s>(surveys: impl IntoIterator<Item = &'s Survey>, rulebook: &Rulebook) -> Vec<FoldedId> {
    let servers = surveys.into_iter().filter(|survey| survey.install.role == Role::Server);
    let mut lists = servers.flat_map(|survey| &survey.lists);
    let ordered =
        lists.find(|list| rulebook.list(&list.name).is_some_and(|rule| rule.ordered) && !list.entries.is_empty());
    ordered.into_iter().flat_map(|list| &list.entries).map(|entry| entry.id.clone()).collect()
}

/// The release that a solved set has of each mod, by folded id.
pub type Pins = BTreeMap<FoldedId, String>;

/// Chooses a release for each wish and checks that they fit each other, the game and the loader.
///
/// Where a set was found that fits as a whole, `pins` says what it has of each mod; of the others the newest counts.
pub fn choose(
    wishes: &WorkspaceConfig,
    rulebook: &Rulebook,
    candidates: &[Candidate<'_>],
    standing: Standing<'_>,
    pins: &Pins,
) -> Choice {
    let versions = rulebook.versions;
    let mut choice = Choice::default();
    let mut by_id: HashMap<FoldedId, Vec<&Candidate<'_>>> = HashMap::new();
    for candidate in candidates.iter().filter(|candidate| candidate.found.manifest.made_for.is_none()) {
        by_id.entry(candidate.found.manifest.id.clone()).or_default().push(candidate);
    }
    for wish in &wishes.mods {
        let same_id = by_id.get(&wish.id).map_or(&[][..], Vec::as_slice);
        let pinned = ModWish { version: pins.get(&wish.id).cloned(), ..wish.clone() };
        let wish = if pinned.version.is_some() { &pinned } else { wish };
        let pick = meet(wish, versions, same_id).or_else(|finding| kept(wish, versions, standing.last).ok_or(finding));
        let pick = pick.map_err(|finding| damaged(wish, versions, standing.damaged).map_or(finding, Box::new));
        match pick {
            Ok(pick) => choice.picks.push(pick),
            Err(finding) => choice.findings.push(with_near_id(*finding, &by_id)),
        }
    }
    let unmet = unmet(&choice.findings, &by_id);
    choice.findings.extend(misfits(wishes, rulebook, &choice.picks, &unmet));
    choice.findings.extend(other_bytes(&choice.picks, candidates, standing, versions));
    choice.findings.extend(doubles(&choice.picks));
    choice.findings.extend(one_sided(wishes, rulebook, &choice.picks));
    choice.findings.extend(key_clashes(&choice.picks));
    choice.findings.extend(name_clashes(&choice.picks));
    choice.findings.extend(same_entries(choice.picks.iter().map(|pick| &pick.sealed)));
    ask_for_order(wishes, &mut choice.picks);
    match load_order(&choice.picks, wishes, standing) {
        Ok(order) => {
            choice.findings.extend(out_of_position(wishes, &order));
            choice.picks = order;
        }
        Err(cycle) => choice.findings.push(impossible(&cycle)),
    }
    let chosen: Vec<SealedMod> = choice.picks.iter().map(|pick| pick.sealed.clone()).collect();
    choice.findings.extend(settings::seal(wishes, rulebook, &chosen).1);
    for (index, pick) in choice.picks.iter_mut().enumerate() {
        pick.sealed.position = index + 1;
    }
    choice.findings.sort_by(|a, b| (a.severity, &a.mod_id).cmp(&(b.severity, &b.mod_id)));
    choice
}

/// The public keys of a choice, one entry for each that several mods share.
pub fn keys(picks: &[Pick]) -> Vec<SealedKey> {
    let mut by_key: BTreeMap<&BroughtKey, Vec<FoldedId>> = BTreeMap::new();
    for pick in picks {
        for key in &pick.keys {
            by_key.entry(key).or_default().push(pick.sealed.manifest.id.clone());
        }
    }
    let sealed = by_key.into_iter().map(|(key, mut mods)| {
        mods.sort();
        let BroughtKey { name, blake3, size, file } = key.clone();
        SealedKey { name, blake3, size, file, mods }
    });
    sealed.collect()
}

/// The canon made of a choice.
pub fn assemble(
    wishes: &WorkspaceConfig,
    rulebook: &Rulebook,
    rulebook_digest: Blake3,
    mods: Vec<SealedMod>,
    keys: Vec<SealedKey>,
) -> Canon {
    let settings = settings::seal(wishes, rulebook, &mods).0;
    let mut canon = Canon {
        format: canon::FORMAT.to_owned(),
        name: wishes.name.clone(),
        game: rulebook.game.clone(),
        rulebook: rulebook_digest,
        game_version: wishes.game_version.clone(),
        loader_version: wishes.loader_version.clone(),
        runtime_version: wishes.runtime_version.clone(),
        wishes: Some(wishes.digest()),
        mods,
        keys,
        lists: Vec::new(),
        settings,
        memory: wishes.memory,
    };
    canon.lists = sealed_lists(&canon, rulebook);
    canon
}

/// A wish for an id that nothing has may be a slip of the pen.
fn with_near_id(finding: Finding, by_id: &HashMap<FoldedId, Vec<&Candidate<'_>>>) -> Finding {
    let id = finding.mod_id.clone().unwrap_or_default();
    if by_id.contains_key(&id) {
        return finding;
    }
    let mut ids: Vec<&str> = by_id.keys().map(FoldedId::as_str).collect();
    ids.sort_unstable();
    match nearest(id.as_str(), ids) {
        Some(near) => Finding { remedy: Act::DidYouMean(near.to_owned()).into(), ..finding },
        None => finding,
    }
}

fn wanted(wish: &ModWish) -> Stated {
    match &wish.version {
        Some(version) => Stated::Release { of: wish.id.to_string(), version: version.clone() },
        None => Stated::AnyRelease(wish.id.clone()),
    }
}

fn meet(wish: &ModWish, versions: Versions, same_id: &[&Candidate<'_>]) -> Result<Pick, Box<Finding>> {
    let from = |c: &&&Candidate<'_>| wish.from.as_deref().is_none_or(|from| from == c.place);
    let fitting: Vec<&Candidate<'_>> = same_id
        .iter()
        .filter(from)
        .filter(|c| wish.admits(c.found.manifest.version.as_deref(), versions))
        .copied()
        .collect();
    let fitting = with_bytes(fitting, wish, versions, same_id);
    let Some(best) = best(&fitting, versions) else { return Err(Box::new(nothing_fits(wish, same_id))) };
    if let Some(rival) = rival(best, &fitting, versions) {
        return Err(Box::new(two_faces(wish, best, rival)));
    }
    let sealed = as_wished(SealedMod::from_surveyed(best.found, 0), wish);
    let keys = best.keys.iter().map(|key| BroughtKey::of_survey(key)).collect();
    Ok(Pick { sealed, place: Some(best.place.to_owned()), keys, says: best.found.manifest.needed_on })
}

/// What the administrator says of a mod goes before what it says itself.
fn as_wished(mut sealed: SealedMod, wish: &ModWish) -> SealedMod {
    if let Some(side) = wish.needed_on {
        sealed.manifest.needed_on = side;
    }
    sealed.same_settings = wish.same_settings;
    sealed
}

/// Where only ids were found, any release with bytes that bears the id, and the version if one was stated, will do.
fn with_bytes<'c>(
    fitting: Vec<&'c Candidate<'c>>,
    wish: &ModWish,
    versions: Versions,
    same_id: &[&'c Candidate<'c>],
) -> Vec<&'c Candidate<'c>> {
    if fitting.iter().any(|c| !c.found.is_id_alone()) {
        return fitting.into_iter().filter(|c| !c.found.is_id_alone()).collect();
    }
    let Some(alone) = fitting.first() else { return fitting };
    let stated = alone.found.manifest.version.as_deref();
    let version = |c: &Candidate<'_>| c.found.manifest.version.clone().unwrap_or_default();
    let same = |c: &&&Candidate<'_>| stated.is_none_or(|stated| versions.same(stated, &version(c)));
    let whole = same_id.iter().filter(|c| !c.found.is_id_alone()).filter(same).copied();
    let whole: Vec<_> = whole.filter(|c| wish.admits(c.found.manifest.version.as_deref(), versions)).collect();
    if whole.is_empty() { fitting } else { whole }
}

/// What the last canon holds still meets the wish: its bytes are kept, wherever the copies have gone.
fn kept(wish: &ModWish, versions: Versions, last: Option<&Canon>) -> Option<Pick> {
    let last = last?;
    let sealed = last.mods.iter().find(|sealed| sealed.manifest.id == wish.id.clone())?;
    if !wish.admits(sealed.manifest.version.as_deref(), versions) {
        return None;
    }
    let sealed = as_wished(sealed.clone(), wish);
    let own = |key: &&SealedKey| key.mods.contains(&wish.id);
    let keys = last.keys.iter().filter(own).map(BroughtKey::of_canon).collect();
    Some(Pick { says: sealed.manifest.needed_on, sealed, place: None, keys })
}

/// The newest release; of equals, the one at the most trusted place; of those, the first by name.
fn best<'c>(fitting: &[&'c Candidate<'c>], versions: Versions) -> Option<&'c Candidate<'c>> {
    let version = |c: &Candidate<'_>| c.found.manifest.version.clone().unwrap_or_default();
    fitting.iter().copied().min_by(|a, b| {
        let newer = versions.scheme.compare(&version(b), &version(a)).unwrap_or_else(|| version(b).cmp(&version(a)));
        newer.then(a.trust.cmp(&b.trust)).then(a.place.cmp(b.place)).then(a.found.path.cmp(&b.found.path))
    })
}

/// Another copy of the same release, just as trusted, with other bytes.
fn rival<'c>(best: &Candidate<'_>, fitting: &[&'c Candidate<'c>], versions: Versions) -> Option<&'c Candidate<'c>> {
    let version = |c: &Candidate<'_>| c.found.manifest.version.clone().unwrap_or_default();
    fitting.iter().copied().find(|other| {
        other.trust == best.trust
            && other.found.digest != best.found.digest
            && versions.same(&version(other), &version(best))
    })
}

fn two_faces(wish: &ModWish, one: &Candidate<'_>, other: &Candidate<'_>) -> Finding {
    let face = |c: &Candidate<'_>| Stated::Face {
        path: c.found.path.clone(),
        place: c.place.to_owned(),
        digest: c.found.digest.short(),
    };
    let remedy = if one.place == other.place {
        Act::KeepOneFile(one.place.to_owned())
    } else {
        Act::SayWhichCounts(one.place.to_owned(), other.place.to_owned())
    };
    Finding::new(Code::ContentDiffers, remedy)
        .about(&wish.id)
        .expected(Stated::OneFileFor(wish.id.clone(), one.found.version_or_dash().to_owned()))
        .found(Stated::Several(Series::of([face(one), face(other)]).between(" and ")))
}

fn nothing_fits(wish: &ModWish, same_id: &[&Candidate<'_>]) -> Finding {
    let expected = match &wish.from {
        Some(from) => Stated::From(Box::new(wanted(wish)), from.clone()),
        None => wanted(wish),
    };
    let finding = Finding::new(Code::ModMissing, Act::PutRelease).about(&wish.id).expected(expected);
    if same_id.is_empty() {
        return finding.found(Stated::NoRelease);
    }
    let there: BTreeSet<(&str, &str)> = same_id.iter().map(|c| (c.found.version_or_dash(), c.place)).collect();
    let copy = |(version, place): (&str, &str)| Stated::CopyIn { version: version.to_owned(), place: place.to_owned() };
    Finding { remedy: Act::ChangeOrPutRelease.into(), ..finding }
        .found(Stated::Several(Series::of(there.into_iter().map(copy))))
}

/// The ids that wishes without a release would have brought: their own, and what their releases provide.
fn unmet(findings: &[Finding], by_id: &HashMap<FoldedId, Vec<&Candidate<'_>>>) -> BTreeSet<FoldedId> {
    let own: Vec<FoldedId> = findings.iter().filter_map(|finding| Some(finding.mod_id.as_ref()?.clone())).collect();
    let releases = own.iter().filter_map(|id| by_id.get(id)).flatten();
    let provided: Vec<FoldedId> = releases.flat_map(|c| &c.found.manifest.provides).cloned().collect();
    own.into_iter().chain(provided).collect()
}

/// What does not fit, but for what only follows from a wish that is not met: that is told already.
fn misfits(wishes: &WorkspaceConfig, rulebook: &Rulebook, picks: &[Pick], unmet: &BTreeSet<FoldedId>) -> Vec<Finding> {
    let set = FitSet {
        mods: picks.iter().map(|pick| &pick.sealed.manifest).collect(),
        role: None,
        game_version: wishes.game_version.as_deref(),
        loader_version: wishes.loader_version.as_deref(),
        runtime_version: wishes.runtime_version.as_deref(),
    };
    let follows = |misfit: &Misfit| unmet.contains(&misfit.object);
    fit(&set, rulebook.versions).into_iter().filter(|misfit| !follows(misfit)).map(|misfit| misfit.finding).collect()
}

/// The release that was sealed, with other bytes now: damage looks just so, and only somebody who knows can tell.
fn other_bytes(
    picks: &[Pick],
    candidates: &[Candidate<'_>],
    standing: Standing<'_>,
    versions: Versions,
) -> Vec<Finding> {
    let last = |pick: &Pick| {
        let sealed = standing.last?.mods.iter().find(|sealed| sealed.manifest.id == pick.sealed.manifest.id)?;
        let (before, now) = (&sealed.manifest.version, &pick.sealed.manifest.version);
        let is_same = match (before, now) {
            (Some(before), Some(now)) => versions.same(before, now),
            (before, now) => before == now,
        };
        // What a survey only listed has no bytes to compare.
        let has_bytes = !sealed.files.is_empty() && !pick.sealed.files.is_empty();
        (is_same && has_bytes && sealed.digest != pick.sealed.digest).then_some(sealed)
    };
    let is_meant = |pick: &Pick| standing.accepted.iter().any(|id| *id == pick.sealed.manifest.id);
    let changed = picks.iter().filter(|pick| pick.place.is_some() && !is_meant(pick));
    changed
        .filter_map(|pick| Some((pick, last(pick)?)))
        .map(|(pick, sealed)| changed_bytes(pick, sealed, candidates))
        .collect()
}

fn changed_bytes(pick: &Pick, sealed: &SealedMod, candidates: &[Candidate<'_>]) -> Finding {
    let id = &pick.sealed.manifest.id;
    let places = |digest: Blake3| {
        let of_id =
            candidates.iter().filter(|c| c.found.manifest.id == pick.sealed.manifest.id && c.found.digest == digest);
        Series::of(of_id.map(|c| c.place).collect::<BTreeSet<&str>>())
    };
    let (version, digest) = (sealed.version_or_dash().to_owned(), sealed.digest.short());
    let expected = match places(sealed.digest) {
        places if places.is_empty() => Stated::SealedNowhere { id: id.clone(), version, digest },
        places => Stated::SealedStillIn { id: id.clone(), version, digest, places },
    };
    let found = candidates
        .iter()
        .find(|c| c.found.digest == pick.sealed.digest && c.found.manifest.id == pick.sealed.manifest.id);
    let remedy = Act::AcceptOrPutBack {
        accept: Suggestion::new("seal").word("--accept").word(id.as_str()),
        align: Suggestion::align(pick.place.as_deref().unwrap_or("INSTALL")),
    };
    let finding = Finding::new(Code::ContentDiffers, remedy)
        .about(id)
        .expected(expected)
        .found(Stated::OtherBytesIn { places: places(pick.sealed.digest), digest: pick.sealed.digest.short() })
        .severity(Severity::Blocking);
    Finding { entries: found.map(|c| changed_entries(sealed, c.found, None)).unwrap_or_default(), ..finding }
}

/// A wish for which there are only copies that are no whole mods.
fn damaged(wish: &ModWish, versions: Versions, copies: &[Damaged]) -> Option<Finding> {
    let copy = copies.iter().find(|copy| copy.id == wish.id && wish.admits(copy.version.as_deref(), versions))?;
    Some(copy.finding())
}

/// Two mods that stand for one id: the game may load either, or both.
fn doubles(picks: &[Pick]) -> Vec<Finding> {
    let mut owners: BTreeMap<FoldedId, Vec<&Pick>> = BTreeMap::new();
    for pick in picks {
        let manifest = &pick.sealed.manifest;
        let ids: BTreeSet<FoldedId> = [&manifest.id].into_iter().chain(&manifest.provides).cloned().collect();
        ids.into_iter().for_each(|id| owners.entry(id).or_default().push(pick));
    }
    let shared = owners.into_iter().filter(|(_, owners)| owners.len() > 1);
    shared
        .map(|(id, owners)| {
            let named: Vec<&FoldedId> = owners.iter().map(|pick| &pick.sealed.manifest.id).collect();
            let is_own = owners.iter().any(|pick| pick.sealed.manifest.id == id);
            // Two that merely carry the same helper inside are common, and games take the newer one.
            let severity = if is_own { Severity::Risky } else { Severity::Note };
            Finding::new(Code::Conflict, Act::DropUnlessBoth)
                .about(named[0])
                .expected(Stated::OneModFor(id))
                .found(Stated::Several(Series::of_ids(named).between(" and ")))
                .severity(severity)
        })
        .collect()
}

/// Mods that say themselves they are needed on both sides, and that a wish gives to one.
fn one_sided(wishes: &WorkspaceConfig, rulebook: &Rulebook, picks: &[Pick]) -> Vec<Finding> {
    let given = |pick: &&Pick| {
        let given = pick.sealed.manifest.needed_on;
        let states = rulebook.shelf(&pick.sealed.shelf).is_some_and(|shelf| !shelf.read.needed_on.0.is_empty());
        let wished = wishes.mods.iter().any(|wish| wish.needed_on.is_some() && wish.id == pick.sealed.manifest.id);
        states && wished && pick.says == NeededOn::Both && matches!(given, NeededOn::Server | NeededOn::Client)
    };
    let finding = |pick: &Pick| {
        Finding::new(Code::ModMissing, Act::TakeNeededOnOut)
            .about(&pick.sealed.manifest.id)
            .expected(Stated::OnBothAsSaid)
            .found(Stated::OnSideAsWished(pick.sealed.manifest.needed_on.as_str()))
            .severity(Severity::Risky)
    };
    picks.iter().filter(given).map(finding).collect()
}

/// Keys that bear one name and are two: a key folder has room for one of them.
fn key_clashes(picks: &[Pick]) -> Vec<Finding> {
    let mut by_name: BTreeMap<KeyName, BTreeMap<Blake3, Vec<FoldedId>>> = BTreeMap::new();
    for key in keys(picks) {
        by_name.entry(key.name).or_default().entry(key.blake3).or_default().extend(key.mods);
    }
    let clashing = by_name.into_iter().filter(|(_, keys)| keys.len() > 1);
    clashing
        .map(|(name, keys)| {
            let said = keys.iter().map(|(digest, mods)| Stated::DigestOf {
                digest: digest.short(),
                mods: Series::of_ids(mods).between(" and "),
            });
            let said = Stated::Several(Series::of(said));
            let first = keys.values().flatten().next().cloned().unwrap_or_default();
            Finding::new(Code::KeyChanged, Act::UpdateTogether)
                .about(first)
                .expected(Stated::OneKeyCalled(name.into()))
                .found(said)
                .severity(Severity::Risky)
        })
        .collect()
}

/// Mods that would have one place: only one of them can be there.
fn name_clashes(picks: &[Pick]) -> Vec<Finding> {
    let mut by_name: BTreeMap<(&str, String), Vec<&SealedMod>> = BTreeMap::new();
    for sealed in picks.iter().map(|pick| &pick.sealed).filter(|sealed| !sealed.files.is_empty()) {
        by_name.entry((&sealed.shelf, folded(&sealed.name).into_owned())).or_default().push(sealed);
    }
    let clashing = by_name.into_values().filter(|mods| mods.len() > 1);
    clashing
        .map(|mods| {
            let ids = mods.iter().map(|sealed| &sealed.manifest.id);
            Finding::new(Code::WrongName, Act::DropOrRename)
                .about(&mods[0].manifest.id)
                .expected(Stated::NameForEach)
                .found(Stated::AllCalled { mods: Series::of_ids(ids).between(" and "), name: mods[0].name.clone() })
                .severity(Severity::Blocking)
        })
        .collect()
}

/// The administrator's word on the load order counts like the mods' own.
fn ask_for_order(wishes: &WorkspaceConfig, picks: &mut [Pick]) {
    for pick in picks {
        let wish = wishes.mods.iter().find(|wish| wish.id == pick.sealed.manifest.id);
        let of = |kind, ids: &[String]| -> Vec<Relation> {
            ids.iter().map(|id| Relation { kind, id: id.clone().into(), range: None }).collect()
        };
        if let Some(wish) = wish {
            let own = &mut pick.sealed.manifest.relations;
            own.extend(of(RelationKind::LoadBefore, &wish.load_before));
            own.extend(of(RelationKind::LoadAfter, &wish.load_after));
            own.sort();
            own.dedup();
        }
    }
}

/// Mods that can't have the place that they were given.
fn out_of_position(wishes: &WorkspaceConfig, order: &[Pick]) -> Vec<Finding> {
    let place = |id: &str| order.iter().position(|pick| pick.sealed.manifest.id == id).map(|at| at + 1);
    let asked = wishes.mods.iter().filter_map(|wish| Some((wish, wish.position?, place(wish.id.as_str())?)));
    let off = asked.filter(|(_, wanted, found)| *wanted != *found as u64 && *wanted <= order.len() as u64);
    off.map(|(wish, wanted, found)| {
        Finding::new(Code::OrderImpossible, Act::ChangePosition)
            .about(&wish.id)
            .expected(Stated::Position(wanted))
            .found(Stated::PositionTaken(found))
            .severity(Severity::Risky)
    })
    .collect()
}

fn impossible(cycle: &[FoldedId]) -> Finding {
    Finding::new(Code::OrderImpossible, Act::DropOrAskLess)
        .about(&cycle[0])
        .expected(Stated::OrderAsAsked)
        .found(Stated::Several(Series::of_ids(cycle).between(" before ")))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::base::path::InstallPath;
    use crate::canon::SealedSetting;
    use crate::manifest::ModManifest;
    use rstest::rstest;

    fn release(id: &str, version: &str, bytes: &str) -> SurveyedMod {
        SurveyedMod {
            manifest: ModManifest { id: id.into(), version: Some(version.to_owned()), ..ModManifest::default() },
            shelf: "mods".into(),
            place: InstallPath::new("mods").expect("a path"),
            enabled: true,
            path: InstallPath::new(&format!("mods/{id}.psm")).expect("a path"),
            name: format!("{id}.psm"),
            digest: Blake3::of(bytes.as_bytes()),
            files: vec![crate::survey::SurveyedFile::new(
                InstallPath::new(&format!("mods/{id}.psm")).expect("a path"),
                bytes.len() as u64,
                Blake3::of(bytes.as_bytes()),
            )],
            members: Vec::new(),
            members_total: 0,
            signatures: Vec::new(),
        }
    }

    fn rulebook() -> Rulebook {
        let text = include_str!("../../../../demo/polarspur/polarspur.rulebook.toml");
        crate::rulebook::parse("polarspur", text).expect("a rulebook").value
    }

    fn wish(id: &str, version: Option<&str>, from: Option<&str>) -> WorkspaceConfig {
        let wish = ModWish {
            id: id.into(),
            version: version.map(str::to_owned),
            from: from.map(str::to_owned),
            ..ModWish::default()
        };
        WorkspaceConfig { mods: vec![wish], ..WorkspaceConfig::default() }
    }

    #[rstest]
    #[case(Some("1.0"), None, Ok("1.0 downloads"))]
    #[case(Some(">=1"), None, Ok("1.2 mara"))]
    #[case(None, Some("station"), Ok("1.1 station"))]
    #[case(Some("1.1"), None, Ok("1.1 station"))]
    #[case(Some("3"), None, Err("1.0 in downloads, 1.1 in mara, 1.1 in station, 1.2 in mara"))]
    #[case(Some("1.2"), Some("station"), Err("1.0 in downloads, 1.1 in mara, 1.1 in station, 1.2 in mara"))]
    fn releases_are_chosen(
        #[case] version: Option<&str>,
        #[case] from: Option<&str>,
        #[case] expected: Result<&str, &str>,
    ) {
        let releases = [
            release("tide", "1.0", "a"),
            release("tide", "1.1", "b"),
            release("tide", "1.1", "edited"),
            release("tide", "1.2", "c"),
        ];
        let places = [
            ("downloads", SourceRank::Source),
            ("station", SourceRank::Server),
            ("mara", SourceRank::Client),
            ("mara", SourceRank::Client),
        ];
        let candidates: Vec<_> = releases
            .iter()
            .zip(places)
            .map(|(found, (place, trust))| Candidate { place, trust, found, keys: vec![] })
            .collect();
        let choice = choose(&wish("Tide", version, from), &rulebook(), &candidates, Standing::default(), &Pins::new());
        let told = match choice.picks.first() {
            Some(pick) => Ok(format!("{} {}", pick.sealed.version_or_dash(), pick.place.as_deref().unwrap_or("last"))),
            None => Err(choice.findings[0].found.as_ref().map(ToString::to_string).unwrap_or_default()),
        };
        assert_eq!(told.as_deref().map_err(String::as_str), expected);
    }

    #[test]
    fn two_files_of_one_release_are_a_question() {
        let (one, two) = (release("tide", "1.0", "a"), release("tide", "1.0", "b"));
        let candidate = |place, found| Candidate { place, trust: SourceRank::Client, found, keys: vec![] };
        let choice = choose(
            &wish("tide", None, None),
            &rulebook(),
            &[candidate("mara", &one), candidate("wren", &two)],
            Standing::default(),
            &Pins::new(),
        );
        assert!(!choice.fits());
        assert_eq!(choice.findings[0].code, Code::ContentDiffers);
        assert!(choice.findings[0].remedy.to_string().contains("from = \"mara\" or from = \"wren\""));
    }

    #[test]
    fn the_last_canon_keeps_what_is_gone() {
        let last = Canon { mods: vec![SealedMod::from_surveyed(&release("tide", "1.0", "a"), 1)], ..empty() };
        let choice = choose(
            &wish("tide", Some("1.0"), None),
            &rulebook(),
            &[],
            Standing { last: Some(&last), ..Standing::default() },
            &Pins::new(),
        );
        assert_eq!(choice.picks[0].place, None);
        assert!(
            !choose(
                &wish("tide", Some("2"), None),
                &rulebook(),
                &[],
                Standing { last: Some(&last), ..Standing::default() },
                &Pins::new()
            )
            .fits()
        );
        let typo = choose(
            &wish("tied", None, None),
            &rulebook(),
            &[Candidate { place: "x", trust: SourceRank::Source, found: &release("tide", "1", "a"), keys: vec![] }],
            Standing::default(),
            &Pins::new(),
        );
        assert_eq!(typo.findings[0].remedy.to_string(), "did you mean `tide`?");
    }

    fn empty() -> Canon {
        assemble(&WorkspaceConfig::default(), &rulebook(), Blake3::of(b""), Vec::new(), Vec::new())
    }

    fn pick(id: &str, relations: &[(RelationKind, &str)]) -> Pick {
        let mut found = release(id, "1", id);
        found.manifest.relations =
            relations.iter().map(|(kind, id)| Relation { kind: *kind, id: (*id).into(), range: None }).collect();
        Pick { sealed: SealedMod::from_surveyed(&found, 0), place: None, keys: vec![], says: NeededOn::Both }
    }

    #[test]
    fn dependencies_come_first_and_circles_are_named() {
        use RelationKind::{LoadAfter, LoadBefore, Required};
        let ids = |picks: &[Pick]| {
            load_order(picks, &WorkspaceConfig::default(), Standing::default())
                .map(|order| order.iter().map(|p| p.sealed.manifest.id.to_string()).collect::<Vec<_>>().join(" "))
        };
        assert_eq!(ids(&[pick("a", &[(Required, "z")]), pick("m", &[]), pick("z", &[])]), Ok("m z a".to_owned()));
        assert_eq!(ids(&[pick("a", &[(Required, "b")]), pick("b", &[(Required, "a")])]), Ok("a b".to_owned()));
        assert_eq!(ids(&[pick("a", &[]), pick("z", &[(LoadBefore, "A")])]), Ok("z a".to_owned()));
        let leaning = [pick("a", &[(Required, "b")]), pick("b", &[(Required, "c")]), pick("c", &[(Required, "b")])];
        assert_eq!(ids(&leaning), Ok("b c a".to_owned()), "what leans on a circle comes after it");
        let circle =
            ids(&[pick("a", &[(LoadAfter, "b")]), pick("b", &[(LoadAfter, "c")]), pick("c", &[(LoadAfter, "a")])]);
        assert_eq!(circle, Err(["a", "c", "b", "a"].map(FoldedId::from).to_vec()));
    }

    #[test]
    fn positions_and_what_is_there_decide_where_nothing_else_does() {
        let ids = |picks: &[Pick], wishes: &WorkspaceConfig, standing: Standing<'_>| {
            let order = load_order(picks, wishes, standing).expect("an order");
            order.iter().map(|p| p.sealed.manifest.id.to_string()).collect::<Vec<_>>().join(" ")
        };
        let picks = [pick("a", &[]), pick("b", &[]), pick("c", &[]), pick("d", &[(RelationKind::Required, "c")])];
        let none = WorkspaceConfig::default();
        let listed = ["D", "b", "a"].map(FoldedId::from);
        assert_eq!(ids(&picks, &none, Standing { listed: &listed, ..Standing::default() }), "b a c d");
        let last = Canon { mods: vec![pick("c", &[]).sealed, pick("a", &[]).sealed], ..empty() };
        assert_eq!(
            ids(&picks, &none, Standing { last: Some(&last), listed: &listed, ..Standing::default() }),
            "c a d b"
        );
        let wishes = |positions: &[(&str, u64)]| {
            let wish = |(id, position): &(&str, u64)| ModWish {
                id: (*id).into(),
                position: Some(*position),
                ..ModWish::default()
            };
            WorkspaceConfig { mods: positions.iter().map(wish).collect(), ..WorkspaceConfig::default() }
        };
        assert_eq!(ids(&picks, &wishes(&[("c", 1), ("A", 3)]), Standing::default()), "c b a d");
        let first = wishes(&[("d", 1)]);
        let order = load_order(&picks, &first, Standing::default()).expect("an order");
        assert_eq!(order[0].sealed.manifest.id, "a", "what it needs comes first all the same");
        assert_eq!(out_of_position(&first, &order)[0].severity, Severity::Risky);
    }

    #[test]
    fn the_administrators_word_on_the_order_is_a_relation() {
        let mut wishes = WorkspaceConfig {
            mods: vec![ModWish { id: "a".into(), load_after: vec!["b".to_owned()], ..ModWish::default() }],
            ..WorkspaceConfig::default()
        };
        wishes.mods.push(ModWish { id: "b".into(), load_after: vec!["a".to_owned()], ..ModWish::default() });
        let mut picks = [pick("a", &[]), pick("b", &[])];
        ask_for_order(&wishes, &mut picks[..1]);
        let order = load_order(&picks, &wishes, Standing::default()).expect("an order");
        assert_eq!(order[0].sealed.manifest.id, "b");
        ask_for_order(&wishes, &mut picks);
        assert!(load_order(&picks, &wishes, Standing::default()).is_err(), "a circle");
    }

    #[test]
    fn two_mods_are_never_sealed_under_one_name() {
        let (one, mut other) = (release("tide", "1", "a"), release("fog", "1", "b"));
        other.name = "TIDE.psm".to_owned();
        let candidate = |found| Candidate { place: "shop", trust: SourceRank::Source, found, keys: vec![] };
        let mut wishes = wish("tide", None, None);
        wishes.mods.push(ModWish { id: "fog".into(), ..ModWish::default() });
        let choice =
            choose(&wishes, &rulebook(), &[candidate(&one), candidate(&other)], Standing::default(), &Pins::new());
        assert!(!choice.fits());
        assert_eq!(choice.findings[0].code, Code::WrongName);
    }

    #[test]
    fn a_pin_counts_before_the_newest() {
        let releases = [release("tide", "1.0", "a"), release("tide", "1.2", "c")];
        let candidate = |found| Candidate { place: "shop", trust: SourceRank::Source, found, keys: vec![] };
        let candidates: Vec<_> = releases.iter().map(candidate).collect();
        let pins = Pins::from([("tide".into(), "1.0".to_owned())]);
        let choice = choose(&wish("tide", Some(">=1"), None), &rulebook(), &candidates, Standing::default(), &pins);
        assert_eq!(choice.picks[0].sealed.version_or_dash(), "1.0");
    }

    #[test]
    fn doubles_one_sided_mods_and_keys_that_clash_are_told() {
        let mut stand_in = release("old-tide", "1", "x");
        stand_in.manifest.provides = vec!["Tide".into()];
        let found = [release("tide", "1", "a"), stand_in];
        let key = |bytes: &[u8]| SurveyedKey {
            name: "wright".into(),
            path: InstallPath::new("mods/wright.pub").expect("a path"),
            size: 3,
            blake3: Blake3::of(bytes),
            of_mod: None,
            own: false,
            problem: None,
        };
        let (one, other) = (key(b"one"), key(b"two"));
        let candidate = |found, key| Candidate { place: "shop", trust: SourceRank::Source, found, keys: vec![key] };
        let mut wishes = wish("tide", None, None);
        wishes.mods[0].needed_on = Some(NeededOn::Server);
        wishes.mods.push(ModWish { id: "old-tide".into(), ..ModWish::default() });
        let candidates = [candidate(&found[0], &one), candidate(&found[1], &other)];
        let choice = choose(&wishes, &rulebook(), &candidates, Standing::default(), &Pins::new());
        let codes: Vec<(Code, Severity)> = choice.findings.iter().map(|f| (f.code, f.severity)).collect();
        assert_eq!(codes.len(), 3, "{:#?}", choice.findings);
        for code in [Code::Conflict, Code::KeyChanged, Code::ModMissing] {
            assert!(codes.contains(&(code, Severity::Risky)), "{code:?} in {codes:?}");
        }
        assert!(choice.fits(), "all of them may be meant");
        assert_eq!(keys(&choice.picks).len(), 2);
        let shared = [candidate(&found[0], &one), candidate(&found[1], &one)];
        let choice = choose(&wishes, &rulebook(), &shared, Standing::default(), &Pins::new());
        assert_eq!(keys(&choice.picks)[0].mods, ["old-tide", "tide"]);
    }

    #[test]
    fn changes_beside_the_mods_are_told_in_words() {
        let canon = |ids: &[&str], port: Option<&str>, memory| {
            let setting =
                |is: &str| SealedSetting { name: "port".to_owned(), of: Some(Role::Server), is: is.to_owned() };
            let mods = ids.iter().map(|id| SealedMod::from_surveyed(&release(id, "1", id), 1)).collect();
            Canon { mods, settings: port.into_iter().map(setting).collect(), memory, ..empty() }
        };
        let last = canon(&["a", "b", "c"], Some("1"), None);
        let told = |last: &Canon, new: &Canon| -> Vec<String> {
            changes_beside(last, new).iter().map(ToString::to_string).collect()
        };
        let same = told(&last, &canon(&["a", "d", "b"], Some("1"), None));
        assert_eq!(same, [""; 0], "what comes and goes is no order");
        let said = told(&last, &canon(&["c", "a", "b"], Some("2"), Some(2 << 30)));
        let expected =
            ["the load order is another: c, a, b", "port (of a server): 1 -> 2", "floor of memory: none -> 2048 MiB"];
        assert_eq!(said, expected);
        let gone = told(&last, &canon(&["a"], None, None));
        assert_eq!(gone, ["port (of a server): no value is asked for any more"]);
        assert_eq!(told(&canon(&["a"], None, None), &last), ["port (of a server): 1 from now on"]);
    }

    #[test]
    fn changes_against_the_last_seal() {
        let canon = |mods: &[SurveyedMod]| Canon {
            mods: mods.iter().map(|m| SealedMod::from_surveyed(m, 1)).collect(),
            ..empty()
        };
        let last = canon(&[release("a", "1", "a"), release("b", "1", "b"), release("c", "1", "c")]);
        let new = canon(&[release("a", "2", "a2"), release("b", "1", "edited"), release("d", "1", "d")]);
        let told = |change: &SealChange| {
            let version = |version: &Option<String>| version.clone().unwrap_or_else(|| "-".to_owned());
            format!("{} {} {} {}", change.id, version(&change.from), version(&change.to), change.bytes)
        };
        let told: Vec<String> = changes(&last, &new).iter().map(told).collect();
        assert_eq!(told, ["a 1 2 2", "b 1 1 6", "c 1 - 0", "d - 1 1"]);
        assert_eq!(changes(&new, &new), []);
    }
}
