//! Why no set fits: which wishes clash, what the mods say that makes them
//! clash, and the nearest sets that would fit.
//!
//! The wishes told are a minimal unsatisfiable core, found by leaving one out after another (deletion, as in Marques-Silva
//! 2010) from those that the search's own proof names. What mods say is taken from the proof of that core alone.

use std::collections::{BTreeMap, BTreeSet, HashSet};
use std::sync::Arc;

use pubgrub::{DerivationTree, External};
use serde::Serialize;

use super::index::{PackageIndex, VersionSet};
use super::puzzle::{FittingSet, Keep, Offer};
use super::reason::{Meant, NoneWillDo, Reason, Releases, Says, Span};
use super::search::{Ease, Package, Proof, Unfit};
use crate::base::ids::FoldedId;
use crate::base::stated::Series;
use crate::manifest::{ModManifest, Relation};
use crate::rulebook::RelationKind;

/// Clashes that are told one by one.
const CLASHES: usize = 3;
/// What mods say, for one clash.
const FACTS: usize = 6;
/// Ways out that are told.
const WAYS: usize = 3;
/// A set that gives up more mods than these, and more than one in so many, is no way out.
const MAY_GO: usize = 3;
const ONE_IN: usize = 4;

/// Why no set fits, and what would.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct NoFit {
    /// What clashes; each by itself.
    pub clashes: Vec<Clash>,
    /// How many more clashes there are than are told.
    pub further: usize,
    /// The nearest sets that would fit, each with all that it takes.
    pub ways: Vec<WayOut>,
    /// How many mods the nearest set would give up, where that is too many to call it a way out.
    pub would_give_up: Option<usize>,
    /// Whether the search was given up: then nobody knows whether a set fits.
    pub given_up: bool,
}

/// Wishes that can't be met together.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, PartialEq, Eq, Default, Serialize)]
pub struct Clash {
    /// The ids of the mods that are wished for.
    #[serde(skip)]
    pub ids: Vec<FoldedId>,
    /// The wishes.
    pub wishes: Vec<Meant>,
    /// What the mods say.
    pub because: Vec<Reason>,
}

/// A set that would fit.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, PartialEq, Eq, Default, Serialize)]
pub struct WayOut {
    /// Wishes to loosen: the id, and the release that it would have then.
    #[serde(rename = "other_release")]
    pub other: Vec<(FoldedId, String)>,
    /// Wishes to do without.
    pub without: Vec<FoldedId>,
    /// What else would have another release than now: id, now, then.
    pub moved: Vec<(FoldedId, String, String)>,
}

/// Explains a puzzle that has no solution.
pub fn explain(packages: &PackageIndex<'_, '_>) -> NoFit {
    let mut no_fit = NoFit::default();
    let mut left: BTreeSet<usize> =
        (0..packages.puzzle.asks.len()).filter(|index| packages.puzzle.asks[*index].wanted).collect();
    let (mut cores, mut removed): (Vec<BTreeSet<usize>>, Vec<usize>) = (Vec::new(), Vec::new());
    for index in left.clone() {
        if let Some(clash) = packages.nothing_to_have(index) {
            left.remove(&index);
            removed.push(index);
            cores.push(BTreeSet::from([index]));
            no_fit.clashes.push(clash);
        }
    }
    let strict = Ease { no_likes: true, ..Ease::default() };
    while let Err(proof) = packages.search(&left, &strict) {
        if packages.is_spent() {
            return NoFit { given_up: no_fit.clashes.is_empty(), ..no_fit };
        }
        if cores.len() < CLASHES {
            let (core, proof) = packages.core(&named(&proof), proof, &strict);
            no_fit.clashes.push(packages.clash(&core, &proof));
            removed.extend(packages.newcomer(&core));
            cores.push(core);
        } else {
            // Further clashes are only got out of the way, to find a set that fits.
            removed.extend(packages.newcomer(&packages.index_of(&named(&proof))));
            no_fit.further += 1;
        }
        match removed.last() {
            Some(last) if left.remove(last) => {}
            _ => return no_fit,
        }
    }
    if no_fit.further == 0 {
        no_fit.ways = ways(packages, &cores, &strict);
    }
    if no_fit.ways.is_empty()
        && let Ok(set) = packages.search(&left, &strict)
    {
        no_fit.ways.push(way(packages, &set, &[], &removed));
    }
    let wanted = packages.puzzle.asks.iter().filter(|ask| ask.wanted).count();
    let is_way = |way: &WayOut| way.without.len() <= MAY_GO.max(wanted / ONE_IN);
    if !no_fit.ways.iter().any(is_way) {
        no_fit.would_give_up = no_fit.ways.iter().map(|way| way.without.len()).min();
    }
    no_fit.ways.retain(is_way);
    no_fit.further += no_fit.clashes.len().saturating_sub(CLASHES);
    no_fit.clashes.truncate(CLASHES);
    no_fit
}

/// Everything in a proof that is not derived from something else.
fn externals(proof: &Proof) -> Vec<&External<Package, VersionSet, Unfit>> {
    let mut seen: HashSet<*const Proof> = HashSet::new();
    let (mut found, mut waiting) = (Vec::new(), vec![proof]);
    while let Some(node) = waiting.pop() {
        match node {
            DerivationTree::External(external) => found.push(external),
            DerivationTree::Derived(derived) => {
                for cause in [&derived.cause1, &derived.cause2] {
                    if seen.insert(Arc::as_ptr(cause)) {
                        waiting.push(cause);
                    }
                }
            }
        }
    }
    found
}

/// The mods whose wishes a proof names.
fn named(proof: &Proof) -> BTreeSet<u32> {
    let wished = externals(proof).into_iter().filter_map(|external| match external {
        External::FromDependencyOf(Package::Wishes, _, Package::Mod(package), _) => Some(*package),
        _ => None,
    });
    wished.collect()
}

impl<'a> PackageIndex<'_, 'a> {
    fn index_of(&self, packages: &BTreeSet<u32>) -> BTreeSet<usize> {
        packages.iter().filter_map(|package| self.at(*package).ask).collect()
    }

    /// Leaves one wish out after another, as long as the rest still clashes.
    fn core(&self, named_first: &BTreeSet<u32>, proof: Box<Proof>, ease: &Ease) -> (BTreeSet<usize>, Box<Proof>) {
        let mut core = self.index_of(named_first);
        let mut proof = proof;
        for index in core.clone().into_iter().rev() {
            if !core.contains(&index) || core.len() == 1 {
                continue;
            }
            let mut without = core.clone();
            without.remove(&index);
            if let Err(smaller) = self.search(&without, ease) {
                let named = self.index_of(&named(&smaller));
                core = core.intersection(&named).copied().filter(|kept| *kept != index).collect();
                proof = smaller;
            }
        }
        // The proof of the core alone speaks of nothing else.
        if let Err(own) = self.search(&core, ease) {
            proof = own;
        }
        (core, proof)
    }

    /// The wish of a clash that is best thought away: one that is being changed, else a new one, else the last.
    fn newcomer(&self, core: &BTreeSet<usize>) -> Option<usize> {
        let changing = |index: &&usize| {
            let ask = &self.puzzle.asks[**index];
            (ask.keep == Keep::Newest && ask.accepts.is_some(), ask.now.is_none(), **index)
        };
        core.iter().max_by_key(changing).copied()
    }

    fn clash(&self, core: &BTreeSet<usize>, proof: &Proof) -> Clash {
        let asks = || core.iter().map(|index| &self.puzzle.asks[*index]);
        Clash {
            ids: asks().map(|ask| ask.id.clone()).collect(),
            wishes: asks().map(|ask| Meant::wished(&ask.id, ask.accepts.as_deref())).collect(),
            because: self.because(core, proof),
        }
    }

    /// The first reason why one wish by itself can't be met.
    pub fn why_not(&self, index: usize, proof: &Proof) -> Reason {
        let clash = self.nothing_to_have(index).unwrap_or_else(|| self.clash(&BTreeSet::from([index]), proof));
        clash.because.into_iter().next().unwrap_or(Reason::CantBeHad)
    }

    /// A wish that no release meets, whatever else is wished for.
    fn nothing_to_have(&self, index: usize) -> Option<Clash> {
        let ask = &self.puzzle.asks[index];
        let because = match self.asked_with(index, &Ease::default()) {
            None => self.nowhere(&ask.id),
            Some((package, places)) if places == VersionSet::empty() => {
                let releases = self.span(package, &self.places(package, false, |_| true));
                let early = self.places(package, false, |release| !release.is_early()) == VersionSet::empty();
                if early { Reason::OnlyBeforeRelease(releases) } else { Reason::ThereIs(releases) }
            }
            Some(_) => return None,
        };
        let wish = Meant::wished(&ask.id, ask.accepts.as_deref());
        Some(Clash { ids: vec![ask.id.clone()], wishes: vec![wish], because: vec![because] })
    }

    fn nowhere(&self, id: &FoldedId) -> Reason {
        let ids = self.packages.iter().map(|package| package.id.as_str());
        match crate::base::problem::nearest(id.as_str(), ids) {
            Some(near) => Reason::NowhereBut { id: id.clone(), near: near.to_owned() },
            None => Reason::Nowhere(id.clone()),
        }
    }

    /// What mods say, those that are wished for first, then what they lean on.
    fn because(&self, core: &BTreeSet<usize>, proof: &Proof) -> Vec<Reason> {
        let facts = self.facts(core, proof);
        let mut depth: BTreeMap<u32, usize> =
            core.iter().filter_map(|index| self.package(&self.puzzle.asks[*index].id)).map(|own| (own, 0)).collect();
        for _ in 0..facts.len() {
            for (package, saying) in facts.keys() {
                let (Some(own), Some(other)) = (depth.get(package).copied(), saying.about(self)) else { continue };
                let known = depth.entry(other).or_insert(own + 1);
                *known = (*known).min(own + 1);
            }
        }
        let asked = |package: u32| self.at(package).ask.unwrap_or(usize::MAX);
        let mut told: Vec<((usize, usize, bool), Reason)> = facts
            .iter()
            .map(|((package, saying), places)| {
                let reason = Reason::Says(self.span(*package, places), Box::new(self.saying(*package, places, saying)));
                let depth = depth.get(package).copied().unwrap_or(usize::MAX);
                ((depth, asked(*package), matches!(saying, Saying::Unfit(_))), reason)
            })
            .collect();
        told.sort_by_cached_key(|(place, reason)| (*place, reason.to_string()));
        let more = told.len().saturating_sub(FACTS);
        let mut reasons: Vec<Reason> = told.into_iter().take(FACTS).map(|(_, reason)| reason).collect();
        reasons.extend((more > 0).then_some(Reason::More(more)));
        reasons
    }

    /// Who says what, with the releases that say it.
    fn facts(&self, core: &BTreeSet<usize>, proof: &Proof) -> BTreeMap<(u32, Saying), VersionSet> {
        let allowed: BTreeMap<u32, VersionSet> =
            core.iter().filter_map(|index| self.asked_with(*index, &Ease::default())).collect();
        let mut facts: BTreeMap<(u32, Saying), VersionSet> = BTreeMap::new();
        let mut add = |package: u32, saying: Saying, places: VersionSet| {
            let places = allowed.get(&package).map_or_else(|| places.clone(), |allowed| places.intersection(allowed));
            if places != VersionSet::empty() {
                let known = facts.entry((package, saying)).or_insert_with(VersionSet::empty);
                *known = known.union(&places);
            }
        };
        for external in externals(proof) {
            match external {
                External::Custom(Package::Mod(package), places, unfit) => {
                    add(*package, Saying::Unfit(in_general(unfit)), places.clone());
                }
                External::FromDependencyOf(Package::Mod(package), places, of, _) => {
                    for (place, release) in (1u32..).zip(&self.at(*package).releases) {
                        if !places.contains(&place) {
                            continue;
                        }
                        let relations = release.offer.manifest.relations.iter();
                        for relation in relations.filter(|relation| self.is_about(relation, of)) {
                            add(*package, Saying::Relation(relation.clone()), VersionSet::singleton(place));
                        }
                    }
                }
                _ => {}
            }
        }
        facts
    }

    /// What some releases of a mod say.
    fn saying(&self, package: u32, places: &VersionSet, saying: &Saying) -> Says {
        let newest_of = |range: fn(&ModManifest) -> &Option<String>| {
            let saying = (1u32..).zip(&self.at(package).releases).filter(|(place, _)| places.contains(place));
            let mut ranges: Vec<&str> =
                saying.filter_map(|(_, found)| range(found.offer.manifest).as_deref()).collect();
            ranges.dedup();
            (ranges.last().copied().unwrap_or_default().to_owned(), ranges.len() == 1)
        };
        let fits = |of: &'static str, (newest, is_alone): (String, bool), there: Option<&str>| {
            let is = there.unwrap_or("unknown").to_owned();
            match is_alone {
                true => Says::Fits { of, range: newest, is },
                false => Says::FitsOthers { of, newest, is },
            }
        };
        match saying {
            Saying::Unfit(Unfit::Game(_)) => fits("game", newest_of(|of| &of.game_range), self.puzzle.game_version),
            Saying::Unfit(Unfit::Loader(_)) => {
                fits("loader", newest_of(|of| &of.loader_range), self.puzzle.loader_version)
            }
            Saying::Unfit(Unfit::Runtime(_)) => {
                fits("runtime", newest_of(|of| &of.runtime_range), self.puzzle.runtime_version)
            }
            Saying::Unfit(unfit) => self.says_of(unfit),
            Saying::Relation(relation) => said(self, relation),
        }
    }

    fn is_about(&self, relation: &Relation, piece: &Package) -> bool {
        let counts = !matches!(relation.kind, RelationKind::LoadBefore | RelationKind::LoadAfter);
        counts
            && match piece {
                Package::Mod(other) => {
                    self.package(&relation.id) == Some(*other)
                        || (relation.kind == RelationKind::Conflicting && self.stand_ins(&relation.id).contains(other))
                }
                Package::StandIn(_) => {
                    relation.kind == RelationKind::Required && !self.stand_ins(&relation.id).is_empty()
                }
                Package::Wishes => false,
            }
    }

    /// A mod and some of its releases.
    pub fn span(&self, package: u32, places: &VersionSet) -> Span {
        let mod_ = self.at(package);
        let id = mod_.id.clone();
        let named: Vec<&str> = (1u32..)
            .zip(&mod_.releases)
            .filter(|(place, _)| places.contains(place))
            .map(|(_, release)| release.version())
            .collect();
        let first =
            (1u32..).zip(&mod_.releases).find(|(place, _)| places.contains(place)).map_or(1, |(place, _)| place);
        let unbroken = (first..).take(named.len()).all(|place| places.contains(&place));
        let versions = match named.as_slice() {
            [first, .., last] if !unbroken && named.len() > 2 => {
                let (first, last) = ((*first).to_owned(), (*last).to_owned());
                return Span::Scattered { id, count: named.len(), first, last };
            }
            [] => return Span::None(id),
            [one] => Releases::One((*one).to_owned()),
            [one, other] => Releases::Two((*one).to_owned(), (*other).to_owned()),
            [first, .., last] => Releases::Run((*first).to_owned(), (*last).to_owned()),
        };
        let all = named.len() == mod_.releases.len() && named.len() > 1;
        if all { Span::Every(id, versions) } else { Span::Some(id, versions) }
    }

    /// What is wrong with a release as such.
    pub fn says_of(&self, unfit: &Unfit) -> Says {
        let fits = |of: &'static str, range: &str, there: Option<&str>| {
            let is = there.unwrap_or("unknown").to_owned();
            Says::Fits { of, range: range.to_owned(), is }
        };
        match unfit {
            Unfit::Game(range) => fits("game", range, self.puzzle.game_version),
            Unfit::Loader(range) => fits("loader", range, self.puzzle.loader_version),
            Unfit::Runtime(range) => fits("runtime", range, self.puzzle.runtime_version),
            Unfit::MadeFor(loader) => Says::MadeFor(loader.to_string()),
            Unfit::Lacks { id, range } => {
                let there = match self.package(id) {
                    None => NoneWillDo::NoRelease,
                    Some(own) => self.why_none_will_do(own, range.as_deref()),
                };
                Says::Lacks(Meant::of(id, range.as_deref()), there)
            }
        }
    }

    fn why_none_will_do(&self, own: u32, range: Option<&str>) -> NoneWillDo {
        let relation =
            Relation { kind: RelationKind::Required, id: self.at(own).id.to_owned(), range: range.map(str::to_owned) };
        let in_range = self.places(own, false, |release| self.meets(release, &relation) != Some(false));
        let ripe = self.places(own, false, |release| {
            self.meets(release, &relation) != Some(false) && self.may_be_early(own, release, &relation)
        });
        if in_range == VersionSet::empty() {
            return NoneWillDo::ThereIs(self.span(own, &self.places(own, false, |_| true)));
        }
        if ripe == VersionSet::empty() {
            return NoneWillDo::OnlyEarly(self.span(own, &in_range));
        }
        NoneWillDo::NotOnEverySide(self.at(own).id.clone())
    }
}

/// What a release says.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
enum Saying {
    Unfit(Unfit),
    Relation(Relation),
}

impl Saying {
    fn about(&self, packages: &PackageIndex<'_, '_>) -> Option<u32> {
        match self {
            Self::Unfit(_) => None,
            Self::Relation(relation) => packages.package(&relation.id),
        }
    }
}

fn said(packages: &PackageIndex<'_, '_>, relation: &Relation) -> Says {
    let of = Meant::of(&relation.id, relation.range.as_deref());
    match relation.kind {
        RelationKind::Conflicting => Says::IsAgainst(of),
        RelationKind::Optional => Says::GoesWith(of),
        _ => {
            let standing = |other: &u32| {
                let places = packages.places(*other, false, |release| release.provides(&relation.id));
                packages.span(*other, &places).to_string()
            };
            let others = Series::of(packages.stand_ins(&relation.id).iter().take(2).map(standing));
            if others.is_empty() { Says::Needs(of) } else { Says::NeedsOrStandIn(of, others) }
        }
    }
}

/// What is wrong with a release, for a whole mod: each of its releases may fit another game.
fn in_general(unfit: &Unfit) -> Unfit {
    match unfit {
        Unfit::Game(_) => Unfit::Game(String::new()),
        Unfit::Loader(_) => Unfit::Loader(String::new()),
        Unfit::Runtime(_) => Unfit::Runtime(String::new()),
        other => other.clone(),
    }
}

/// The nearest sets that would fit: one wish loosened or left out; of several clashes, one for each.
fn ways(packages: &PackageIndex<'_, '_>, cores: &[BTreeSet<usize>], ease: &Ease) -> Vec<WayOut> {
    let mut ways = Vec::new();
    let Some((last, before)) = cores.split_last() else { return ways };
    let mut wanted: BTreeSet<usize> = (0..packages.puzzle.asks.len()).collect();
    let mut ease = ease.clone();
    let (mut other, mut without) = (Vec::new(), Vec::new());
    // Each clash but the last is settled in the first way that settles it.
    for core in before {
        let loosened = core.iter().copied().find(|index| {
            let mut eased = ease.clone();
            eased.any_release.insert(*index);
            packages.puzzle.asks[*index].accepts.is_some() && packages.search(core, &eased).is_ok()
        });
        match loosened {
            Some(index) => {
                if ease.any_release.insert(index) {
                    other.push(index);
                }
            }
            // A clash is told as small as it can be: without any one of its wishes it is none.
            None => {
                if let Some(last) = core.last() {
                    wanted.remove(last);
                    without.push(*last);
                }
            }
        }
    }
    let mut tries: Vec<(Option<usize>, Option<usize>)> = last
        .iter()
        .filter(|index| packages.puzzle.asks[**index].accepts.is_some())
        .map(|index| (Some(*index), None))
        .collect();
    tries.extend(last.iter().rev().map(|index| (None, Some(*index))));
    tries.retain(|(loosen, leave)| {
        !loosen.iter().chain(leave).any(|index| other.contains(index) || without.contains(index))
    });
    if tries.is_empty() && !cores.is_empty() {
        // What settles the clashes before settles the last one too.
        tries.push((None, None));
    }
    for (loosen, leave) in tries {
        let (mut wanted, mut ease) = (wanted.clone(), ease.clone());
        ease.any_release.extend(loosen);
        leave.iter().for_each(|index| {
            wanted.remove(index);
        });
        if let Ok(set) = packages.search(&wanted, &ease) {
            let loosened: Vec<usize> = other.iter().copied().chain(loosen).collect();
            let left_out: Vec<usize> = without.iter().copied().chain(leave).collect();
            ways.push(way(packages, &set, &loosened, &left_out));
        }
    }
    // A way that keeps every wish comes before one that does without.
    ways.sort_by_key(|way| (way.without.len(), way.moved.len()));
    ways.truncate(WAYS);
    ways
}

fn way(packages: &PackageIndex<'_, '_>, set: &FittingSet<'_>, loosened: &[usize], left_out: &[usize]) -> WayOut {
    let asks = &packages.puzzle.asks;
    let version = |id: &FoldedId| {
        let offer: Option<Offer<'_>> = set.chosen.get(id).map(|chosen| chosen.offer);
        offer.and_then(|offer| offer.manifest.version.clone()).unwrap_or_else(|| "-".to_owned())
    };
    let moved = asks.iter().enumerate().filter(|(index, _)| !loosened.contains(index) && !left_out.contains(index));
    let moved = moved.filter_map(|(_, ask)| {
        let (now, then) = (ask.now.clone()?, version(&ask.id));
        (now != then && set.chosen.contains_key(&ask.id)).then(|| (ask.id.clone(), now, then))
    });
    WayOut {
        other: loosened.iter().map(|index| (asks[*index].id.clone(), version(&asks[*index].id))).collect(),
        without: left_out.iter().map(|index| asks[*index].id.clone()).collect(),
        moved: moved.collect(),
    }
}
