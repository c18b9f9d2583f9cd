//! The search itself: mods as packages, what they say of each other as dependencies.
//!
//! That a mod may be absent is one more place in its list. A conflict is then a dependency on absence or on the
//! other releases, and so is what a mod says of one it merely likes. An id that several mods can stand for is a
//! package of its own, whose versions are those mods.

use std::cell::RefCell;
use std::cmp::Reverse;
use std::collections::{BTreeMap, BTreeSet, HashMap};
use std::fmt;

use pubgrub::{
    Dependencies, DependencyConstraints, DependencyProvider, DerivationTree, External, PackageResolutionStatistics,
    PubGrubError, resolve,
};

use super::index::{ABSENT, ModOffers, PackageIndex, Release, VersionSet};
use super::puzzle::{Chosen, FittingSet, Keep};
use crate::base::ids::FoldedId;
use crate::manifest::Relation;
use crate::rulebook::{NeededOn, RelationKind, Role};

/// What the search decides on.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub enum Package {
    /// All that is asked for.
    Wishes,
    /// A mod.
    Mod(u32),
    /// Who stands for an id; an index into the questions.
    StandIn(u32),
}

impl fmt::Display for Package {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{self:?}")
    }
}

/// Why a release can't be used at all.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub enum Unfit {
    /// It fits other versions of the game.
    Game(String),
    /// It fits other versions of the loader.
    Loader(String),
    /// It fits other versions of what the game runs on.
    Runtime(String),
    /// It was made for another loader.
    MadeFor(String),
    /// It needs a mod of which there is no release that would do.
    Lacks {
        /// The mod's id.
        id: FoldedId,
        /// The releases that would do.
        range: Option<String>,
    },
}

impl fmt::Display for Unfit {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{self:?}")
    }
}

/// What is let go, to see whether a set fits then.
#[derive(Debug, Clone, Default)]
pub struct Ease {
    /// Asks that may have any release.
    pub any_release: BTreeSet<usize>,
    /// Asks that may leave the release they are held at.
    pub not_held: BTreeSet<usize>,
    /// Whether what mods say of mods that they merely like does not count.
    pub no_likes: bool,
}

/// The search has tried as much as it may.
#[derive(Debug, Clone, Copy, PartialEq, Eq, thiserror::Error)]
#[error("too many sets were tried")]
pub struct Spent;

/// How a search that failed came to that.
pub type Proof = DerivationTree<Package, VersionSet, Unfit>;

/// Who may stand for an id that a mod needs.
struct Question {
    /// The mods that would do, best last, each with the releases that would.
    answers: Vec<(u32, VersionSet)>,
    /// The mod of that id itself: when it is there all the same, in which releases.
    own: Option<(u32, VersionSet)>,
}

/// Which id is asked for, in which releases, and on which sides.
type Asked = (FoldedId, Option<String>, [bool; 2]);

struct Search<'u, 'p, 'a> {
    packages: &'u PackageIndex<'p, 'a>,
    wanted: &'u BTreeSet<usize>,
    ease: &'u Ease,
    questions: RefCell<Vec<Question>>,
    known_questions: RefCell<HashMap<Asked, u32>>,
}

impl<'a> PackageIndex<'_, 'a> {
    /// Finds a set in which the wanted asks are met. What mods merely like counts as long as a set fits with it.
    ///
    /// # Errors
    /// With the proof that there is none.
    pub fn search(&self, wanted: &BTreeSet<usize>, ease: &Ease) -> Result<FittingSet<'a>, Box<Proof>> {
        let without_likes = Ease { no_likes: true, ..ease.clone() };
        match self.search_once(wanted, ease) {
            Err(_) if !ease.no_likes => {
                self.search_once(wanted, &without_likes).map(|set| FittingSet { passed_over_likes: true, ..set })
            }
            found => found,
        }
    }

    fn search_once(&self, wanted: &BTreeSet<usize>, ease: &Ease) -> Result<FittingSet<'a>, Box<Proof>> {
        let (questions, known_questions) = (RefCell::default(), RefCell::default());
        self.begin();
        let search = Search { packages: self, wanted, ease, questions, known_questions };
        match resolve(&search, Package::Wishes, ABSENT) {
            Ok(decided) => {
                let mut set = FittingSet::default();
                for (piece, place) in decided {
                    let Package::Mod(package) = piece else { continue };
                    let Some(release) = self.release(package, place) else { continue };
                    let brought_in = self.ask(package).is_none_or(|ask| !ask.wanted);
                    set.chosen.insert(self.at(package).id.clone(), Chosen { offer: release.offer, brought_in });
                }
                Ok(set)
            }
            Err(PubGrubError::NoSolution(proof)) => Err(Box::new(proof)),
            // The search was stopped, since it had tried enough: see `Universe::is_spent`.
            Err(_) => Err(Box::new(DerivationTree::External(External::NotRoot(Package::Wishes, ABSENT)))),
        }
    }

    /// The releases of an ask that will do under some ease; all of them when the puzzle has no such mod.
    pub fn asked_with(&self, index: usize, ease: &Ease) -> Option<(u32, VersionSet)> {
        let ask = &self.puzzle.asks[index];
        let package = self.package(&ask.id)?;
        let narrow = !ease.any_release.contains(&index);
        let places = self.asked(package, ask, narrow && !ease.not_held.contains(&index), narrow);
        Some((package, places))
    }

    /// Whether a release can be used with this game and this loader.
    pub fn unfit(&self, release: &Release<'a>) -> Option<Unfit> {
        let (manifest, puzzle) = (release.offer.manifest, self.puzzle);
        let misses = |range: &Option<String>, version: Option<&str>| {
            let (range, version) = (range.as_deref()?, version?);
            (puzzle.versions.meets(version, range) == Some(false)).then(|| range.to_owned())
        };
        if let Some(loader) = &manifest.made_for {
            return Some(Unfit::MadeFor(loader.clone()));
        }
        if let Some(range) = misses(&manifest.game_range, puzzle.game_version) {
            return Some(Unfit::Game(range));
        }
        if let Some(range) = misses(&manifest.loader_range, puzzle.loader_version) {
            return Some(Unfit::Loader(range));
        }
        misses(&manifest.runtime_range, puzzle.runtime_version).map(Unfit::Runtime)
    }

    /// The releases of the mod that a relation names which meet it, and will be wherever they are needed.
    pub fn admitted(&self, other: u32, relation: &Relation, sides: [bool; 2]) -> VersionSet {
        self.places(other, false, |release| {
            self.meets(release, relation) != Some(false)
                && self.may_be_early(other, release, relation)
                && is_on(self.needed_on(other, release), sides)
        })
    }

    /// The sides on which a release will be for certain: server, client.
    pub fn sides(&self, package: u32, release: &Release<'_>) -> [bool; 2] {
        [Role::Server, Role::Client].map(|role| self.needed_on(package, release).includes(role))
    }
}

/// Whether a mod may be on all of these sides.
fn is_on(needed_on: NeededOn, sides: [bool; 2]) -> bool {
    let allowed = |role| needed_on.includes(role) || needed_on == NeededOn::Optional;
    (!sides[0] || allowed(Role::Server)) && (!sides[1] || allowed(Role::Client))
}

impl Search<'_, '_, '_> {
    fn constraints(&self, package: u32, release: &Release<'_>) -> Result<Vec<(Package, VersionSet)>, Unfit> {
        let mut constraints = Vec::new();
        let own = self.packages.at(package).id;
        for relation in release.offer.manifest.relations.iter().filter(|said| said.id != *own) {
            match relation.kind {
                RelationKind::Required => constraints.extend(self.needs(package, release, relation)?),
                RelationKind::Conflicting => constraints.extend(self.shuns(package, relation)),
                RelationKind::Optional if !self.ease.no_likes => constraints.extend(self.likes(relation)),
                RelationKind::Optional | RelationKind::LoadBefore | RelationKind::LoadAfter => {}
            }
        }
        Ok(constraints)
    }

    fn needs(
        &self,
        package: u32,
        release: &Release<'_>,
        relation: &Relation,
    ) -> Result<Option<(Package, VersionSet)>, Unfit> {
        let packages = self.packages;
        let own = packages.package(&relation.id);
        if release.provides(&relation.id) {
            return Ok(None);
        }
        let lacks = || Unfit::Lacks { id: relation.id.clone(), range: relation.range.clone() };
        let sides = packages.sides(package, release);
        if packages.stand_ins(&relation.id).is_empty() {
            let admitted = own.map(|own| packages.admitted(own, relation, sides));
            let admitted = admitted.filter(|admitted| *admitted != VersionSet::empty()).ok_or_else(lacks)?;
            return Ok(own.map(|own| (Package::Mod(own), admitted)));
        }
        let question = self.question(relation, own, sides);
        let answers = u32::try_from(self.questions.borrow()[question as usize].answers.len()).unwrap_or(0);
        if answers == 0 {
            return Err(lacks());
        }
        Ok(Some((Package::StandIn(question), VersionSet::from_range_bounds(1..=answers))))
    }

    /// Mods that are asked for stand in first, then the mod of that id itself, then any other.
    fn question(&self, relation: &Relation, own: Option<u32>, sides: [bool; 2]) -> u32 {
        let key = (relation.id.clone(), relation.range.clone(), sides);
        if let Some(known) = self.known_questions.borrow().get(&key) {
            return *known;
        }
        let packages = self.packages;
        let admitted = own.map(|own| (own, packages.admitted(own, relation, sides)));
        let fits = |package: u32, release: &Release<'_>| {
            release.provides(&relation.id)
                && packages.may_be_early(package, release, &Relation { range: None, ..relation.clone() })
                && is_on(packages.needed_on(package, release), sides)
        };
        let others = packages.stand_ins(&relation.id).iter().copied().filter(|other| Some(*other) != own);
        let others = others.map(|other| (other, packages.places(other, false, |release| fits(other, release))));
        let mut answers: Vec<(u32, VersionSet)> = admitted.clone().into_iter().chain(others).collect();
        answers.retain(|(_, places)| *places != VersionSet::empty());
        let asked = |package: u32| packages.ask(package).is_some_and(|ask| ask.wanted);
        answers.sort_by_key(|(package, _)| (asked(*package), Some(*package) == own, Reverse(*package)));
        let mut questions = self.questions.borrow_mut();
        let index = u32::try_from(questions.len()).unwrap_or(u32::MAX);
        questions.push(Question { answers, own: admitted });
        self.known_questions.borrow_mut().insert(key, index);
        index
    }

    fn shuns(&self, package: u32, relation: &Relation) -> Vec<(Package, VersionSet)> {
        let packages = self.packages;
        let own = packages.package(&relation.id);
        let without = own.map(|own| {
            (Package::Mod(own), packages.places(own, true, |other| packages.meets(other, relation) == Some(false)))
        });
        let others = packages.stand_ins(&relation.id).iter().filter(|other| **other != package);
        let others = others.map(|other| {
            (Package::Mod(*other), packages.places(*other, true, |release| !release.provides(&relation.id)))
        });
        without.into_iter().chain(others).collect()
    }

    fn likes(&self, relation: &Relation) -> Option<(Package, VersionSet)> {
        let packages = self.packages;
        let other = packages.package(&relation.id)?;
        let fitting = packages.places(other, true, |release| packages.meets(release, relation) != Some(false));
        Some((Package::Mod(other), fitting))
    }

    fn wishes(&self) -> Result<Vec<(Package, VersionSet)>, Unfit> {
        let wishes = self.wanted.iter().filter(|index| self.packages.puzzle.asks[**index].wanted).map(|index| {
            let ask = &self.packages.puzzle.asks[*index];
            let lacks = || Unfit::Lacks { id: ask.id.clone(), range: ask.accepts.clone() };
            let (package, places) = self.packages.asked_with(*index, self.ease).ok_or_else(lacks)?;
            Ok((Package::Mod(package), places))
        });
        wishes.collect()
    }

    /// The best place of a mod among those that are left: none of it if that will do, what is there now, the newest.
    fn best(&self, package: u32, left: &VersionSet) -> Option<u32> {
        let mod_: &ModOffers<'_> = self.packages.at(package);
        if left.contains(&ABSENT) {
            return Some(ABSENT);
        }
        let count = u32::try_from(mod_.releases.len()).unwrap_or(0);
        let ask = mod_.ask.map(|ask| &self.packages.puzzle.asks[ask]).filter(|ask| ask.keep != Keep::Newest);
        let now = ask.and_then(|ask| ask.now.as_deref());
        let newest_first = || (1..=count).rev().filter(|place| left.contains(place));
        let is_now = |place: &u32| self.packages.release(package, *place).map(Release::version) == now;
        now.and_then(|_| newest_first().find(is_now)).or_else(|| newest_first().next())
    }
}

/// What is decided first: the wishes, then what must be there, the fewest choices first; who stands in for whom and
/// what may stay away come last.
type Priority = (u8, u32, Reverse<usize>, Reverse<u32>);

impl DependencyProvider for Search<'_, '_, '_> {
    type P = Package;
    type V = u32;
    type VS = VersionSet;
    type M = Unfit;
    type Priority = Priority;
    type Err = Spent;

    fn should_cancel(&self) -> Result<(), Spent> {
        if self.packages.may_go_on() { Ok(()) } else { Err(Spent) }
    }

    fn prioritize(&self, piece: &Package, left: &VersionSet, conflicts: &PackageResolutionStatistics) -> Priority {
        let trouble = conflicts.conflict_count();
        match piece {
            Package::Wishes => (3, 0, Reverse(0), Reverse(0)),
            Package::StandIn(question) => (1, trouble, Reverse(0), Reverse(*question)),
            Package::Mod(package) => {
                let count = u32::try_from(self.packages.at(*package).releases.len()).unwrap_or(0);
                let choices = (1..=count).filter(|place| left.contains(place)).count();
                (if left.contains(&ABSENT) { 0 } else { 2 }, trouble, Reverse(choices), Reverse(*package))
            }
        }
    }

    fn choose_version(&self, piece: &Package, left: &VersionSet) -> Result<Option<u32>, Spent> {
        Ok(match piece {
            Package::Wishes => Some(ABSENT),
            Package::Mod(package) => self.best(*package, left),
            Package::StandIn(question) => {
                let answers = self.questions.borrow()[*question as usize].answers.len();
                (1..=u32::try_from(answers).unwrap_or(0)).rev().find(|answer| left.contains(answer))
            }
        })
    }

    fn get_dependencies(
        &self,
        piece: &Package,
        place: &u32,
    ) -> Result<Dependencies<Package, VersionSet, Unfit>, Spent> {
        let constraints = match piece {
            Package::Wishes => self.wishes(),
            Package::Mod(package) => match self.packages.release(*package, *place) {
                None => Ok(Vec::new()),
                Some(release) => match self.packages.unfit(release) {
                    Some(unfit) => Err(unfit),
                    None => self.constraints(*package, release),
                },
            },
            Package::StandIn(question) => {
                let questions = self.questions.borrow();
                let Question { answers, own } = &questions[*question as usize];
                let (package, places) = &answers[(*place - 1) as usize];
                let own = own.iter().filter(|(own, _)| own != package);
                // The mod of that id itself may be there as well, but not in a release that would not do.
                let beside =
                    own.map(|(own, places)| (Package::Mod(*own), places.union(&VersionSet::singleton(ABSENT))));
                Ok([(Package::Mod(*package), places.clone())].into_iter().chain(beside).collect())
            }
        };
        Ok(match constraints {
            Ok(constraints) => Dependencies::Available(intersected(constraints)),
            Err(unfit) => Dependencies::Unavailable(unfit),
        })
    }
}

/// One constraint for each piece, in a fixed order.
fn intersected(constraints: Vec<(Package, VersionSet)>) -> DependencyConstraints<Package, VersionSet> {
    let rank = |piece: &Package| match piece {
        Package::Wishes => (0, 0),
        Package::Mod(package) => (1, *package),
        Package::StandIn(question) => (2, *question),
    };
    let mut merged: BTreeMap<(u8, u32), (Package, VersionSet)> = BTreeMap::new();
    for (piece, places) in constraints {
        let known = merged.entry(rank(&piece)).or_insert_with(|| (piece, VersionSet::full()));
        known.1 = known.1.intersection(&places);
    }
    merged.into_values().collect()
}
