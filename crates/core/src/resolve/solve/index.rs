//! Everything on offer, put in order: mods by id, their releases from the oldest to the newest, and who stands in for whom.

use std::cell::{Cell, RefCell};
use std::cmp::Ordering;
use std::collections::{BTreeMap, BTreeSet, HashMap};

use pubgrub::Ranges;

use super::puzzle::{Ask, Keep, Offer, Puzzle};
use crate::base::ids::FoldedId;
use crate::base::version::{Requirement, Version};
use crate::manifest::Relation;
use crate::rulebook::{NeededOn, RelationKind};

/// Places in a mod's list of releases, from one; nought stands for its absence.
pub type VersionSet = Ranges<u32>;

/// Its absence from the set.
pub const ABSENT: u32 = 0;

/// A mod with its releases.
pub struct ModOffers<'a> {
    /// Its id as it is written.
    pub id: &'a FoldedId,
    /// Its releases, oldest first.
    pub releases: Vec<Release<'a>>,
    /// What is asked for it, by place in the puzzle.
    pub ask: Option<usize>,
}

/// One release of a mod.
pub struct Release<'a> {
    /// The copy that counts.
    pub offer: Offer<'a>,
    parsed: Option<Version>,
    /// The last day on which any copy of it is said to have come out.
    date: Option<&'a str>,
}

/// Everything on offer.
pub struct PackageIndex<'p, 'a> {
    /// What is to be solved.
    pub puzzle: &'p Puzzle<'a>,
    /// The mods, by folded id.
    pub packages: Vec<ModOffers<'a>>,
    by_id: HashMap<FoldedId, u32>,
    /// For an id: the mods of other ids that stand in for it in some release.
    stand_ins: HashMap<FoldedId, Vec<u32>>,
    requirements: RefCell<HashMap<String, Option<Requirement>>>,
    /// How many more decisions may be taken back and tried anew, over all searches.
    left: Cell<u64>,
    /// How many the search that goes on may still make that cost none of those: each mod is decided once, as a rule.
    free: Cell<u64>,
}

/// Decisions that are taken back for one puzzle and its explanation. Each costs more than the one before it, since all that was
/// learnt is looked at; the largest honest puzzles take a few hundred.
const TAKEN_BACK: u64 = 4_000;

impl<'p, 'a> PackageIndex<'p, 'a> {
    /// A search begins: it decides on each mod once before anything of it counts.
    pub fn begin(&self) {
        self.free.set(2 * self.packages.len() as u64 + 100);
    }

    /// Takes note of one more decision. Says whether it may be made.
    pub fn may_go_on(&self) -> bool {
        match self.free.get().checked_sub(1) {
            Some(free) => self.free.set(free),
            None => self.left.set(self.left.get().saturating_sub(1)),
        }
        self.left.get() > 0
    }

    /// Whether more was tried than may be: what a search says then is not the last word.
    pub fn is_spent(&self) -> bool {
        self.left.get() == 0
    }

    /// Puts a puzzle's offers in order.
    pub fn new(puzzle: &'p Puzzle<'a>) -> Self {
        let asks: HashMap<FoldedId, usize> =
            puzzle.asks.iter().enumerate().map(|(index, ask)| (ask.id.clone(), index)).collect();
        let mut grouped: BTreeMap<FoldedId, Vec<Offer<'a>>> = BTreeMap::new();
        for offer in &puzzle.offers {
            let id = offer.manifest.id.clone();
            if puzzle.open || asks.contains_key(&id) {
                grouped.entry(id).or_default().push(*offer);
            }
        }
        let mut index = Self {
            puzzle,
            packages: Vec::with_capacity(grouped.len()),
            by_id: HashMap::with_capacity(grouped.len()),
            stand_ins: HashMap::new(),
            requirements: RefCell::default(),
            left: Cell::new(TAKEN_BACK),
            free: Cell::default(),
        };
        for (id, offers) in grouped {
            let ask = asks.get(&id).copied();
            let releases = index.releases(&offers, ask.map(|ask| &puzzle.asks[ask]));
            index.by_id.insert(id, small(index.packages.len()));
            index.packages.push(ModOffers { id: &releases[0].offer.manifest.id, releases, ask });
        }
        index.note_stand_ins();
        index
    }

    fn releases(&self, offers: &[Offer<'a>], ask: Option<&Ask>) -> Vec<Release<'a>> {
        let scheme = self.puzzle.versions.scheme;
        let parse = |offer: &Offer<'_>| {
            let parsed = scheme.parse(offer.manifest.version.as_deref()?)?;
            // Opaque versions are equal or different, and that their texts say.
            (scheme != crate::base::version::Scheme::Opaque).then_some(parsed)
        };
        let mut dates: HashMap<Option<&str>, Option<&'a str>> = HashMap::new();
        for offer in offers {
            let date = dates.entry(offer.manifest.version.as_deref()).or_default();
            *date = offer.date.max(*date);
        }
        let date = |offer: &Offer<'_>| dates.get(&offer.manifest.version.as_deref()).copied().flatten();
        let mut releases: Vec<Release<'a>> =
            offers.iter().map(|offer| Release { parsed: parse(offer), date: date(offer), offer: *offer }).collect();
        releases.sort_by(|a, b| a.age(b).then_with(|| a.offer.worth(ask).cmp(&b.offer.worth(ask))));
        releases.dedup_by(|next, first| first.same(next));
        releases
    }

    fn note_stand_ins(&mut self) {
        let mut found: BTreeSet<(FoldedId, u32)> = BTreeSet::new();
        for (index, package) in self.packages.iter().enumerate() {
            let own = package.id.clone();
            for provided in package.releases.iter().flat_map(|release| &release.offer.manifest.provides) {
                let provided = provided.clone();
                if provided != own {
                    found.insert((provided, small(index)));
                }
            }
        }
        for (id, index) in found {
            self.stand_ins.entry(id).or_default().push(index);
        }
    }

    /// The mod of an id.
    pub fn package(&self, id: &FoldedId) -> Option<u32> {
        self.by_id.get(id).copied()
    }

    /// The mods of other ids that stand in for an id in some release.
    pub fn stand_ins(&self, id: &FoldedId) -> &[u32] {
        self.stand_ins.get(id).map_or(&[], Vec::as_slice)
    }

    /// A mod.
    pub fn at(&self, package: u32) -> &ModOffers<'a> {
        &self.packages[package as usize]
    }

    /// A release of a mod; none for its absence.
    pub fn release(&self, package: u32, place: u32) -> Option<&Release<'a>> {
        self.at(package).releases.get((place as usize).checked_sub(1)?)
    }

    /// The releases of a mod for which something holds.
    pub fn places(&self, package: u32, absent: bool, holds: impl Fn(&Release<'a>) -> bool) -> VersionSet {
        let mut wanted = vec![absent];
        wanted.extend(self.at(package).releases.iter().map(holds));
        let mut places = VersionSet::empty();
        let mut start = None;
        for (place, wanted) in wanted.into_iter().chain([false]).enumerate() {
            match (start, wanted) {
                (None, true) => start = Some(place),
                (Some(first), false) => {
                    places = places.union(&VersionSet::from_range_bounds(small(first)..=small(place - 1)));
                    start = None;
                }
                _ => {}
            }
        }
        places
    }

    /// What is asked for a mod.
    pub fn ask(&self, package: u32) -> Option<&'p Ask> {
        self.at(package).ask.map(|ask| &self.puzzle.asks[ask])
    }

    /// Where a release is needed: what was asked counts before what it says.
    pub fn needed_on(&self, package: u32, release: &Release<'_>) -> NeededOn {
        self.ask(package).and_then(|ask| ask.needed_on).unwrap_or(release.offer.manifest.needed_on)
    }

    /// Whether a release meets a relation's range: `None` when that can't be told.
    pub fn meets(&self, release: &Release<'_>, relation: &Relation) -> Option<bool> {
        let Some(range) = &relation.range else { return Some(true) };
        let mut requirements = self.requirements.borrow_mut();
        let requirement = match requirements.get(range) {
            Some(known) => known,
            None => requirements.entry(range.clone()).or_insert(self.puzzle.versions.requirement(range).ok()),
        };
        let requirement = requirement.as_ref()?;
        if requirement.is_any() {
            return Some(true);
        }
        match &release.parsed {
            Some(version) => Some(requirement.admits(version)),
            None => Some(
                requirement.admits(&self.puzzle.versions.scheme.parse(release.offer.manifest.version.as_deref()?)?),
            ),
        }
    }

    /// Whether a state before a release may be taken for a relation.
    pub fn may_be_early(&self, package: u32, release: &Release<'_>, relation: &Relation) -> bool {
        !release.is_early()
            || self.ask(package).is_some_and(|ask| self.asks_for_early(ask))
            || relation.range.as_deref().is_some_and(|range| self.names_early(range))
    }

    /// The releases that an ask will have; with `narrow` none but those that it accepts.
    pub fn asked(&self, package: u32, ask: &Ask, held: bool, narrow: bool) -> VersionSet {
        let versions = self.puzzle.versions.of_wishes();
        let early = self.asks_for_early(ask);
        let is_now = |release: &Release<'_>| {
            let version = release.offer.manifest.version.as_deref();
            ask.now.is_some() && ask.now.as_deref() == version
        };
        let held = held && ask.keep == Keep::Held && ask.now.is_some();
        let floor = self.at(package).releases.iter().find(|release| ask.no_older && is_now(release));
        self.places(package, false, |release| {
            let accepted =
                !narrow || versions.accepts(ask.accepts.as_deref(), release.offer.manifest.version.as_deref());
            let ripe = early || !release.is_early();
            let new_enough = floor.is_none_or(|floor| release.age(floor).is_ge());
            if held { is_now(release) } else { accepted && (is_now(release) || (ripe && new_enough)) }
        })
    }

    fn asks_for_early(&self, ask: &Ask) -> bool {
        let now_is_early = || self.puzzle.versions.scheme.parse(ask.now.as_deref()?).map(|now| now.is_prerelease());
        ask.prereleases
            || ask.accepts.as_deref().is_some_and(|accepts| self.names_early(accepts))
            || now_is_early().unwrap_or(false)
    }

    fn names_early(&self, range: &str) -> bool {
        self.puzzle.versions.requirement(range).is_ok_and(|requirement| requirement.names_prerelease())
    }
}

impl Offer<'_> {
    /// Which of several copies of one release counts: the place that was asked for, then the most trusted.
    fn worth<'b>(&'b self, ask: Option<&Ask>) -> (bool, super::SourceRank, &'b str) {
        let asked_for = ask.and_then(|ask| ask.from.as_deref()) == Some(self.place);
        (!asked_for, self.trust, self.place)
    }
}

impl Release<'_> {
    /// Whether it is a state before a release.
    pub fn is_early(&self) -> bool {
        self.parsed.as_ref().is_some_and(Version::is_prerelease)
    }

    /// Its version, or a dash.
    pub fn version(&self) -> &str {
        self.offer.manifest.version.as_deref().unwrap_or("-")
    }

    /// Its relations of one kind.
    pub fn relations(&self, kind: RelationKind) -> impl Iterator<Item = &Relation> {
        self.offer.manifest.relations.iter().filter(move |relation| relation.kind == kind)
    }

    /// Whether it stands in for an id.
    pub fn provides(&self, id: &FoldedId) -> bool {
        self.offer.manifest.provides.iter().any(|provided| provided == id)
    }

    /// What can't be ordered is older than what can; among themselves, such releases go by date and then by text.
    fn age(&self, other: &Self) -> Ordering {
        match (&self.parsed, &other.parsed) {
            (Some(a), Some(b)) => a.compare(b).unwrap_or(Ordering::Equal),
            (None, None) => (self.date, self.version()).cmp(&(other.date, other.version())),
            (a, b) => a.is_some().cmp(&b.is_some()),
        }
    }

    fn same(&self, other: &Self) -> bool {
        match (&self.parsed, &other.parsed) {
            (Some(a), Some(b)) => a.compare(b) == Some(Ordering::Equal),
            (None, None) => self.version() == other.version(),
            _ => false,
        }
    }
}

/// Mods and releases are counted in 32 bits; a catalogue's bounds keep both far below.
fn small(number: usize) -> u32 {
    u32::try_from(number).unwrap_or(u32::MAX)
}
