//! How each mod stands: the release there is now, the newest that fits, the newest of all, and what holds that back.

use std::collections::BTreeSet;

use super::index::{ModOffers, PackageIndex, Release};
use super::puzzle::{FittingSet, Puzzle};
use super::reason::{Meant, Reason, Says};
use super::search::Ease;
use crate::base::ids::FoldedId;
use crate::manifest::Relation;
use crate::rulebook::RelationKind;

/// How one mod stands.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Standing {
    /// Its id.
    pub id: FoldedId,
    /// The release that the wishes have now.
    pub now: Option<String>,
    /// The release in the newest set that fits as a whole; none when that has no place for it, or there is no such set.
    pub fits: Option<String>,
    /// Whether it can be had with this game and loader when nothing else is asked for; otherwise why not.
    pub alone: Result<(), Reason>,
    /// Whether it is another mod, which it needs, that can't be had.
    pub waits: bool,
    /// The newest of all, but for states before a release that nobody asked for.
    pub newest: Option<String>,
    /// What holds the newest back.
    pub held_back: Option<Reason>,
}

/// How every mod that is asked for stands, by id. `set` is the newest set that fits, if there is one.
pub fn standing(puzzle: &Puzzle<'_>, set: Option<&FittingSet<'_>>) -> Vec<Standing> {
    let packages = PackageIndex::new(puzzle);
    let mut found: Vec<Standing> = (0..puzzle.asks.len()).map(|index| packages.standing(index, set)).collect();
    found.sort_by_key(|standing| standing.id.clone());
    found
}

/// For each ask by itself, in their order: the newest release that can be had with what it needs, or why there is none.
pub fn each_alone(puzzle: &Puzzle<'_>) -> Vec<Result<String, Reason>> {
    let packages = PackageIndex::new(puzzle);
    let newest = |index: usize| match packages.search(&BTreeSet::from([index]), &Ease::default()) {
        Ok(set) => {
            let chosen = set.chosen.get(&puzzle.asks[index].id);
            Ok(version(chosen.and_then(|chosen| chosen.offer.manifest.version.as_deref())))
        }
        Err(proof) => Err(packages.why_not(index, &proof)),
    };
    (0..puzzle.asks.len()).map(newest).collect()
}

impl<'a> PackageIndex<'_, 'a> {
    fn standing(&self, index: usize, set: Option<&FittingSet<'_>>) -> Standing {
        let ask = &self.puzzle.asks[index];
        let mut standing = Standing {
            id: ask.id.clone(),
            now: ask.now.clone(),
            fits: None,
            alone: Ok(()),
            waits: false,
            newest: None,
            held_back: None,
        };
        let Some(own) = self.package(&ask.id) else {
            standing.alone = Err(Reason::NowhereAtAll);
            return standing;
        };
        let chosen = set.and_then(|set| set.chosen.get(&ask.id));
        standing.fits = chosen.map(|chosen| version(chosen.offer.manifest.version.as_deref()));
        let places = self.asked(own, ask, false, false);
        let ripe = (1u32..).zip(&self.at(own).releases).filter(|(place, _)| places.contains(place));
        let Some((_, newest)) = ripe.last() else { return standing };
        standing.newest = Some(newest.version().to_owned());
        if set.is_none() || !ask.wanted {
            standing.alone = self.alone(index, newest);
            standing.waits =
                standing.alone.is_err() && self.at(own).releases.iter().any(|release| self.unfit(release).is_none());
        }
        if standing.fits.as_deref() != Some(newest.version()) {
            standing.held_back = Some(self.held_back(own, newest, set));
        }
        standing
    }

    /// Whether a mod can be had by itself, with what it needs.
    fn alone(&self, index: usize, newest: &Release<'a>) -> Result<(), Reason> {
        let ease = Ease { not_held: BTreeSet::from([index]), no_likes: true, ..Ease::default() };
        match self.search(&BTreeSet::from([index]), &ease) {
            Ok(_) => Ok(()),
            Err(_) => {
                let unfit = self.unfit(newest).map(|unfit| self.says_of(&unfit));
                let says = unfit.or_else(|| self.own_needs(newest));
                let version = newest.version().to_owned();
                Err(says.map_or(Reason::NeedsCantBeHad, |says| Reason::NewestSays { version, says: Box::new(says) }))
            }
        }
    }

    /// A need of a release that nothing can meet with this game and loader.
    fn own_needs(&self, release: &Release<'a>) -> Option<Says> {
        release.relations(RelationKind::Required).find_map(|relation| {
            let other = self.package(&relation.id)?;
            let usable =
                |other: &Release<'a>| self.meets(other, relation) != Some(false) && self.unfit(other).is_none();
            (!self.at(other).releases.iter().any(usable)).then(|| {
                let newest = self.at(other).releases.last();
                let why = newest.and_then(|newest| Some((newest, self.unfit(newest)?)));
                let meant = Meant::of(&relation.id, relation.range.as_deref());
                match why {
                    None => Says::Needs(meant),
                    Some((newest, unfit)) => {
                        let (version, says) = (newest.version().to_owned(), Box::new(self.says_of(&unfit)));
                        Says::NeedsUnfit { meant, version, says }
                    }
                }
            })
        })
    }

    fn held_back(&self, own: u32, newest: &Release<'a>, set: Option<&FittingSet<'_>>) -> Reason {
        if let Some(unfit) = self.unfit(newest) {
            return Reason::ItSays(Box::new(self.says_of(&unfit)));
        }
        let versions = self.puzzle.versions.of_wishes();
        if let Some(asked) = self.ask(own).and_then(|ask| ask.accepts.as_deref())
            && !versions.accepts(Some(asked), newest.offer.manifest.version.as_deref())
        {
            return Reason::Accepts(asked.to_owned());
        }
        let set = set.into_iter().flat_map(|set| set.chosen.values());
        let others: Vec<_> = set.filter(|chosen| chosen.offer.manifest.id != *self.at(own).id).collect();
        let by_others = others.iter().find_map(|chosen| self.said_by(chosen.offer.manifest, self.at(own), newest));
        let stood_for = || others.iter().find_map(|chosen| self.stood_for(chosen.offer.manifest, own, newest));
        by_others
            .or_else(stood_for)
            .or_else(|| self.own_needs(newest).map(|says| Reason::ItSays(Box::new(says))))
            .or_else(|| {
                newest.offer.manifest.relations.iter().find_map(|relation| {
                    let other = others.iter().find(|chosen| chosen.offer.manifest.id == relation.id);
                    let package = self.package(&relation.id)?;
                    let other = self.at(package).releases.iter().find(|release| {
                        other.is_some_and(|chosen| chosen.offer.manifest.version == release.offer.manifest.version)
                    });
                    let met = other.map(|other| self.meets(other, relation) != Some(false));
                    let meant = Meant::of(&relation.id, relation.range.as_deref());
                    match (relation.kind, met) {
                        (RelationKind::Required, Some(false)) => Some(Reason::ItNeeds(meant)),
                        (RelationKind::Required, None) if self.stand_ins(&relation.id).is_empty() => {
                            Some(Reason::ItNeeds(meant))
                        }
                        (RelationKind::Conflicting, Some(true)) => Some(Reason::ItIsAgainst(meant)),
                        _ => None,
                    }
                })
            })
            .unwrap_or(Reason::DoesNotFit)
    }

    /// An id that a chosen mod needs, for which older releases of another stand and its newest does not.
    fn stood_for(&self, manifest: &crate::manifest::ModManifest, own: u32, newest: &Release<'a>) -> Option<Reason> {
        let lost = manifest.relations.iter().find(|relation| {
            relation.kind == RelationKind::Required
                && self.stand_ins(&relation.id).contains(&own)
                && !newest.provides(&relation.id)
        })?;
        let version = version(manifest.version.as_deref());
        Some(Reason::NotStoodFor { id: manifest.id.clone(), version, lost: lost.id.clone() })
    }

    /// What a chosen mod says against a release of another.
    fn said_by(
        &self,
        manifest: &crate::manifest::ModManifest,
        own: &ModOffers<'_>,
        newest: &Release<'_>,
    ) -> Option<Reason> {
        let against = |relation: &&Relation| {
            let met = self.meets(newest, relation);
            relation.id == *own.id
                && match relation.kind {
                    RelationKind::Required | RelationKind::Optional => met == Some(false),
                    RelationKind::Conflicting => met != Some(false),
                    RelationKind::LoadBefore | RelationKind::LoadAfter => false,
                }
        };
        let relation = manifest.relations.iter().find(against)?;
        let meant = Meant::of(&relation.id, relation.range.as_deref());
        let (id, version) = (manifest.id.clone(), version(manifest.version.as_deref()));
        Some(match relation.kind {
            RelationKind::Required => Reason::OtherNeeds { id, version, meant },
            RelationKind::Conflicting => Reason::OtherIsAgainst { id, version, meant },
            _ => Reason::OtherGoesWith { id, version, meant },
        })
    }
}

fn version(version: Option<&str>) -> String {
    version.unwrap_or("-").to_owned()
}
