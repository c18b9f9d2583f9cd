//! Finds the mods that break a start: the smallest set that fails, among sets in which each mod has what it needs.
//!
//! The search is delta debugging (Zeller and Hildebrandt, "Simplifying and Isolating Failure-Inducing Input", IEEE TSE 2002), with
//! one change: a part is never left out without the mods that lean on it, nor tried without those that it leans on. It asks
//! whether a set starts, and is told; who starts the server is not its business.

use std::collections::{BTreeMap, BTreeSet, HashMap, VecDeque};

use crate::base::ids::FoldedId;
use crate::canon::Canon;
use crate::rulebook::{NeededOn, RelationKind, Role};

/// A set of mods, by their places.
type Set = BTreeSet<usize>;

/// A search for the mods that break a start.
#[derive(Debug, Clone)]
pub struct Search {
    ids: Vec<FoldedId>,
    /// What each needs, directly and through others.
    needs: Vec<Set>,
    known: HashMap<Set, bool>,
    failing: Set,
    phase: Phase,
    asked: usize,
    /// Mods that what a failed start said last names: they are tried first.
    suspects: Vec<usize>,
}

/// So many suspects are tried before all others: one that is wrong costs a start.
const SUSPECTS: usize = 2;

#[derive(Debug, Clone)]
enum Phase {
    /// Whether it fails with all of them.
    All,
    /// Whether it fails with none.
    None,
    /// Narrowing down, in so many parts, with the sets that are still to be tried.
    Parts(usize, VecDeque<Set>),
    Over(Ending),
}

/// What a search came to.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Ending {
    /// It starts with all of them: nothing is to be found.
    AllStart,
    /// It fails without any mod: the mods are not to blame.
    NoneFails,
    /// It fails with these, and with nothing less that was tried.
    Found {
        /// The mods without which it starts; leaving out any one is enough.
        culprits: Vec<FoldedId>,
        /// What those need, and what had to be there for that reason alone.
        needed: Vec<FoldedId>,
    },
}

impl Search {
    /// A search among mods, each with the ids of those that it needs; what is no mod of these is passed over.
    pub fn new(mods: &[(FoldedId, Vec<FoldedId>)]) -> Self {
        let place: HashMap<&FoldedId, usize> = mods.iter().enumerate().map(|(at, (id, _))| (id, at)).collect();
        let direct: Vec<Set> =
            mods.iter().map(|(_, needs)| needs.iter().filter_map(|id| place.get(id).copied()).collect()).collect();
        Self {
            ids: mods.iter().map(|(id, _)| id.clone()).collect(),
            needs: (0..mods.len()).map(|at| reached(&direct, at)).collect(),
            known: HashMap::new(),
            failing: (0..mods.len()).collect(),
            phase: Phase::All,
            asked: 0,
            suspects: Vec::new(),
        }
    }

    /// Names mods that may be to blame, the likeliest first, by what a failed start said.
    pub fn suspect<'i>(&mut self, ids: impl IntoIterator<Item = &'i FoldedId>) {
        for id in ids {
            let place = self.ids.iter().position(|known| known == id);
            self.suspects.extend(place.filter(|at| !self.suspects.contains(at)));
        }
    }

    /// A search among the mods that a side of a canon loads.
    pub fn in_canon(canon: &Canon, role: Role) -> Self {
        Self::new(&mods_of(canon, role))
    }

    /// The next set to try, by the ids of its mods; nothing once the search is over.
    pub fn next_set(&mut self) -> Option<Vec<FoldedId>> {
        loop {
            let set = match &mut self.phase {
                Phase::All => self.failing.clone(),
                Phase::None => Set::new(),
                Phase::Parts(_, sets) => match sets.front() {
                    Some(set) => set.clone(),
                    None => {
                        self.divide_further();
                        continue;
                    }
                },
                Phase::Over(_) => return None,
            };
            match self.known.get(&set).copied() {
                Some(starts) => self.take(starts),
                None => return Some(set.iter().map(|at| self.ids[*at].clone()).collect()),
            }
        }
    }

    /// Says whether the set that was asked for starts.
    pub fn answer(&mut self, starts: bool) {
        let set = match &self.phase {
            Phase::All => self.failing.clone(),
            Phase::None => Set::new(),
            Phase::Parts(_, sets) => match sets.front() {
                Some(set) => set.clone(),
                None => return,
            },
            Phase::Over(_) => return,
        };
        self.asked += 1;
        self.known.insert(set, starts);
        self.take(starts);
    }

    /// How many sets were tried.
    pub const fn asked(&self) -> usize {
        self.asked
    }

    /// How many more sets are to be tried if one mod is to blame, which is the common case; several take more.
    pub fn likely_left(&self) -> usize {
        let halvings = usize::try_from(self.failing.len().max(1).next_power_of_two().ilog2()).unwrap_or(0);
        match &self.phase {
            Phase::All => 2 + 2 * halvings,
            Phase::None => 1 + 2 * halvings,
            Phase::Parts(..) => (2 * halvings).max(1),
            Phase::Over(_) => 0,
        }
    }

    /// What it came to, once it is over.
    pub const fn ending(&self) -> Option<&Ending> {
        match &self.phase {
            Phase::Over(ending) => Some(ending),
            _ => None,
        }
    }

    fn take(&mut self, starts: bool) {
        self.phase = match (std::mem::replace(&mut self.phase, Phase::None), starts) {
            (Phase::All, true) => Phase::Over(Ending::AllStart),
            (Phase::All, false) => Phase::None,
            (Phase::None, false) => Phase::Over(Ending::NoneFails),
            (Phase::None, true) => self.parts(2),
            (Phase::Parts(parts, mut sets), starts) => match sets.pop_front() {
                Some(set) if !starts => {
                    self.failing = set;
                    self.parts(2.max(parts - 1))
                }
                _ => Phase::Parts(parts, sets),
            },
            (over, _) => over,
        };
    }

    fn divide_further(&mut self) {
        let Phase::Parts(parts, _) = self.phase else { return };
        self.phase = match parts < self.failing.len() {
            true => self.parts((parts * 2).min(self.failing.len())),
            false => Phase::Over(self.found()),
        };
    }

    /// The sets to try when what fails is divided into so many parts: each part alone, and all but each part.
    fn parts(&self, parts: usize) -> Phase {
        let parts = parts.min(self.failing.len()).max(1);
        let order: Vec<usize> = self.failing.iter().copied().collect();
        let size = order.len().div_ceil(parts);
        let pieces: Vec<Set> = order.chunks(size.max(1)).map(|piece| piece.iter().copied().collect()).collect();
        let suspects: Vec<Set> = self
            .suspects
            .iter()
            .filter(|at| self.failing.contains(at))
            .take(SUSPECTS)
            .map(|at| Set::from([*at]))
            .collect();
        let suspected = suspects.iter().map(|suspect| self.with_needs(suspect));
        let alone = pieces.iter().map(|piece| self.with_needs(piece));
        let without = pieces.iter().map(|piece| self.without(piece));
        let smaller = suspected.chain(alone).chain(without).filter(|set| set.len() < self.failing.len());
        let mut seen = BTreeSet::new();
        Phase::Parts(pieces.len(), smaller.filter(|set| seen.insert(set.clone())).collect())
    }

    /// A part with what it needs.
    fn with_needs(&self, part: &Set) -> Set {
        part.iter().flat_map(|at| self.needs[*at].iter().chain([at])).copied().collect()
    }

    /// What fails, without a part and all that leans on it.
    fn without(&self, part: &Set) -> Set {
        let leans = |at: &usize| part.contains(at) || self.needs[*at].iter().any(|need| part.contains(need));
        self.failing.iter().copied().filter(|at| !leans(at)).collect()
    }

    /// Those on which nothing else in the set leans are to blame: without any of them it was seen to start.
    fn found(&self) -> Ending {
        let leans = |other: &usize, at: &usize| self.needs[*other].contains(at) && !self.needs[*at].contains(other);
        let is_leant_on = |at: &usize| self.failing.iter().any(|other| leans(other, at));
        let name = |at: &usize| self.ids[*at].clone();
        let (needed, culprits): (Vec<&usize>, Vec<&usize>) = self.failing.iter().partition(|at| is_leant_on(at));
        Ending::Found {
            culprits: culprits.into_iter().map(name).collect(),
            needed: needed.into_iter().map(name).collect(),
        }
    }
}

fn reached(direct: &[Set], from: usize) -> Set {
    let (mut reached, mut next) = (Set::new(), vec![from]);
    while let Some(at) = next.pop() {
        next.extend(direct[at].iter().copied().filter(|need| reached.insert(*need)));
    }
    // Two that need each other are never apart, and neither leans on itself.
    reached.remove(&from);
    reached
}

/// The mods that a side loads, each with the ids of the mods of the canon that it needs.
pub fn mods_of(canon: &Canon, role: Role) -> Vec<(FoldedId, Vec<FoldedId>)> {
    let loads = |side: NeededOn| side.includes(role) || side == NeededOn::Optional;
    let stands_for: BTreeMap<&FoldedId, &FoldedId> = canon
        .mods
        .iter()
        .flat_map(|sealed| sealed.manifest.provides.iter().map(move |id| (id, &sealed.manifest.id)))
        .collect();
    let of = |id: &FoldedId| stands_for.get(id).copied().unwrap_or(id).clone();
    canon
        .mods
        .iter()
        .filter(|sealed| loads(sealed.needed_on()))
        .map(|sealed| {
            let needs = sealed.manifest.relations.iter().filter(|relation| relation.kind == RelationKind::Required);
            (sealed.manifest.id.clone(), needs.map(|relation| of(&relation.id)).collect())
        })
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn mods(said: &[(&str, &[&str])]) -> Vec<(FoldedId, Vec<FoldedId>)> {
        said.iter().map(|(id, needs)| ((*id).into(), needs.iter().map(|id| (*id).into()).collect())).collect()
    }

    /// Lets a search run against a judge of sets; every set must have what its mods need.
    fn run(mods: &[(FoldedId, Vec<FoldedId>)], starts: impl Fn(&BTreeSet<FoldedId>) -> bool) -> (Ending, usize) {
        let mut search = Search::new(mods);
        while let Some(set) = search.next_set() {
            let set: BTreeSet<FoldedId> = set.into_iter().collect();
            for (id, needs) in mods.iter().filter(|(id, _)| set.contains(id)) {
                assert!(needs.iter().all(|need| set.contains(need)), "{id} lacks what it needs in {set:?}");
            }
            search.answer(starts(&set));
            assert!(search.asked() < 500, "it ends");
        }
        (search.ending().expect("over").clone(), search.asked())
    }

    fn found(culprits: &[&str], needed: &[&str]) -> Ending {
        let owned = |ids: &[&str]| ids.iter().map(|id| (*id).into()).collect();
        Ending::Found { culprits: owned(culprits), needed: owned(needed) }
    }

    const EIGHT: &[(&str, &[&str])] = &[
        ("core", &[]),
        ("a", &["core"]),
        ("b", &["core"]),
        ("c", &["b"]),
        ("d", &[]),
        ("e", &["d"]),
        ("f", &["core", "d"]),
        ("g", &[]),
    ];

    #[test]
    fn one_two_or_none_are_to_blame() {
        let mods = mods(EIGHT);
        let (ending, starts) = run(&mods, |set| !set.contains(&"c".into()));
        assert_eq!(ending, found(&["c"], &["core", "b"]));
        assert!(starts <= 10, "{starts}");
        assert_eq!(run(&mods, |set| !set.contains(&"g".into())).0, found(&["g"], &[]));
        assert_eq!(
            run(&mods, |set| !(set.contains(&"a".into()) && set.contains(&"e".into()))).0,
            found(&["a", "e"], &["core", "d"])
        );
        assert_eq!(run(&mods, |set| !set.contains(&"core".into())).0, found(&["core"], &[]));
        assert_eq!(run(&mods, |_| true), (Ending::AllStart, 1));
        assert_eq!(run(&mods, |_| false), (Ending::NoneFails, 2));
        assert_eq!(run(&[], |_| false).0, Ending::NoneFails);
    }

    #[test]
    fn what_a_failed_start_names_is_tried_first() {
        let many: Vec<(FoldedId, Vec<FoldedId>)> = (0..200).map(|at| (format!("m{at}").into(), Vec::new())).collect();
        let starts_of = |named: &[&str]| {
            let named: Vec<FoldedId> = named.iter().map(|id| (*id).into()).collect();
            let mut search = Search::new(&many);
            while let Some(set) = search.next_set() {
                let starts = !set.iter().any(|id| id == "m77");
                search.answer(starts);
                if !starts {
                    search.suspect(&named);
                }
            }
            assert_eq!(search.ending(), Some(&found(&["m77"], &[])), "{named:?}");
            search.asked()
        };
        assert_eq!(starts_of(&["m77"]), 3, "with all, with none, and with it alone");
        assert!(starts_of(&["m5", "m77"]) <= 4);
        assert!(starts_of(&["m5"]) <= starts_of(&[]) + 1, "a wrong one costs a start");
    }

    #[test]
    fn one_among_many_takes_few_starts() {
        let many: Vec<(FoldedId, Vec<FoldedId>)> = (0..200).map(|at| (format!("m{at}").into(), Vec::new())).collect();
        for culprit in ["m0", "m77", "m199"] {
            let mut search = Search::new(&many);
            let likely = search.likely_left();
            while let Some(set) = search.next_set() {
                search.answer(!set.iter().any(|id| id == culprit));
            }
            assert_eq!(search.ending(), Some(&found(&[culprit], &[])));
            assert!(search.asked() <= likely, "{} of {likely}", search.asked());
        }
    }

    proptest! {
        #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::default() })]

        /// Mods that lean on earlier ones, and any set of one to three that fails together.
        #[test]
        fn what_is_found_fails_and_nothing_less_does(
            leans in proptest::collection::vec(proptest::collection::vec(0usize..30, 0..3), 1..30),
            bad in proptest::collection::btree_set(0usize..30, 1..4),
        ) {
            let name = |at: usize| FoldedId::from(format!("m{at}"));
            let mods: Vec<(FoldedId, Vec<FoldedId>)> = leans
                .iter()
                .enumerate()
                .map(|(at, needs)| (name(at), needs.iter().filter(|need| **need < at).map(|need| name(*need)).collect()))
                .collect();
            let bad: BTreeSet<FoldedId> = bad.into_iter().map(|at| name(at % mods.len())).collect();
            let starts = |set: &BTreeSet<FoldedId>| !bad.is_subset(set);
            let (ending, _) = run(&mods, starts);
            let Ending::Found { culprits, needed } = ending else { panic!("{ending:?}") };
            let all: BTreeSet<FoldedId> = culprits.iter().chain(&needed).cloned().collect();
            prop_assert!(!starts(&all));
            for culprit in &culprits {
                let without: BTreeSet<FoldedId> = all.iter().filter(|id| *id != culprit).cloned().collect();
                prop_assert!(starts(&without), "{culprit} is not to blame in {all:?}");
            }
        }
    }
}
