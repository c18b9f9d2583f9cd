//! The load order of the chosen mods: what a mod asks to come before it does; a mod with a position has it where that can be;
//! otherwise they stand as they stood in the last canon, then as the server's own list has them, then by id.
//!
//! Kahn's algorithm. `load-before` and `load-after` are binding. Dependencies give way when they go in a circle,
//! since games load mods that need each other; only inside that circle (a strongly connected component, found by
//! Tarjan's algorithm), so that what merely leans on it still comes after it.

use std::collections::{BTreeMap, BTreeSet};

use petgraph::algo::tarjan_scc;
use petgraph::graphmap::DiGraphMap;

use super::picks::{Pick, Standing};
use crate::base::ids::FoldedId;
use crate::config::WorkspaceConfig;
use crate::rulebook::RelationKind;

/// Whether an order must be kept.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
enum Bond {
    /// It gives way inside a circle.
    Loose,
    /// It is kept.
    Binding,
}

/// Who must come before whom; mods are known by their place in the list of ids.
struct Bonds {
    ids: Vec<FoldedId>,
    /// For each mod: those that come before it.
    before: Vec<BTreeMap<usize, Bond>>,
    /// For each mod: those that come after it.
    after: Vec<BTreeSet<usize>>,
}

/// Puts mods in load order.
///
/// # Errors
/// The ids of a circle that can't be broken, the first repeated at the end.
pub fn load_order(
    picks: &[Pick],
    wishes: &WorkspaceConfig,
    standing: Standing<'_>,
) -> Result<Vec<Pick>, Vec<FoldedId>> {
    let by_id: BTreeMap<FoldedId, &Pick> = picks.iter().map(|pick| (pick.sealed.manifest.id.clone(), pick)).collect();
    let mut ids: Vec<FoldedId> = by_id.keys().cloned().collect();
    let ranks = ranks(standing);
    ids.sort_by_key(|id| (ranks.get(id).copied().unwrap_or(usize::MAX), id.clone()));
    let positions: BTreeMap<FoldedId, u64> =
        wishes.mods.iter().filter_map(|wish| Some((wish.id.clone(), wish.position?))).collect();
    let positions: Vec<Option<u64>> = ids.iter().map(|id| positions.get(id).copied()).collect();
    let mut bonds = Bonds::of(picks, ids);
    let mut waiting: BTreeSet<usize> = (0..bonds.ids.len()).collect();
    let mut ready: BTreeSet<usize> = waiting.iter().copied().filter(|mod_| bonds.before[*mod_].is_empty()).collect();
    let mut order = Vec::with_capacity(picks.len());
    while !waiting.is_empty() {
        let next = match next_of(&ready, &positions, order.len() as u64 + 1) {
            Some(next) => vec![next],
            None => bonds.first_circle(&waiting)?,
        };
        for mod_ in next {
            waiting.remove(&mod_);
            ready.remove(&mod_);
            ready.extend(bonds.release(mod_).into_iter().filter(|then| waiting.contains(then)));
            order.push(by_id[&bonds.ids[mod_]].clone());
        }
    }
    Ok(order)
}

/// Where mods stood before: in the last canon, else in the server's own list behind those.
fn ranks(standing: Standing<'_>) -> BTreeMap<FoldedId, usize> {
    let sealed = standing.last.iter().flat_map(|last| &last.mods).map(|sealed| sealed.manifest.id.clone());
    let listed = standing.listed.iter().map(FoldedId::from);
    let mut ranks = BTreeMap::new();
    for (rank, id) in sealed.chain(listed).enumerate() {
        ranks.entry(id).or_insert(rank);
    }
    ranks
}

/// Which of those that may come now does: the one whose place it is; one that has no place, or is late; else the one whose
/// place comes soonest.
fn next_of(ready: &BTreeSet<usize>, positions: &[Option<u64>], place: u64) -> Option<usize> {
    let of_place = ready.iter().copied().find(|mod_| positions[*mod_].is_some_and(|position| position <= place));
    let free = || ready.iter().copied().find(|mod_| positions[*mod_].is_none());
    of_place.or_else(free).or_else(|| ready.iter().copied().min_by_key(|mod_| positions[*mod_]))
}

impl Bonds {
    fn of(picks: &[Pick], ids: Vec<FoldedId>) -> Self {
        let owners = owners(picks, &ids);
        let mut bonds = Self { before: vec![BTreeMap::new(); ids.len()], after: vec![BTreeSet::new(); ids.len()], ids };
        for pick in picks {
            let Some(own) = owners.get(&pick.sealed.manifest.id).copied() else { continue };
            for relation in &pick.sealed.manifest.relations {
                let Some(other) = owners.get(&relation.id).copied().filter(|other| *other != own) else {
                    continue;
                };
                match relation.kind {
                    RelationKind::Required | RelationKind::Optional => bonds.tie(other, own, Bond::Loose),
                    RelationKind::LoadAfter => bonds.tie(other, own, Bond::Binding),
                    RelationKind::LoadBefore => bonds.tie(own, other, Bond::Binding),
                    RelationKind::Conflicting => {}
                }
            }
        }
        bonds
    }

    fn tie(&mut self, first: usize, then: usize, bond: Bond) {
        let known = self.before[then].entry(first).or_insert(bond);
        *known = bond.max(*known);
        self.after[first].insert(then);
    }

    /// Takes a mod out; returns those that nothing comes before any more.
    fn release(&mut self, done: usize) -> Vec<usize> {
        let after = std::mem::take(&mut self.after[done]);
        after
            .into_iter()
            .filter(|then| self.before[*then].remove(&done).is_some() && self.before[*then].is_empty())
            .collect()
    }

    /// When all that wait come after one another: the first circle, whole, in an order that keeps what is binding.
    fn first_circle(&self, waiting: &BTreeSet<usize>) -> Result<Vec<usize>, Vec<FoldedId>> {
        let mut graph: DiGraphMap<usize, ()> = DiGraphMap::new();
        for then in waiting {
            self.before[*then].keys().for_each(|first| {
                graph.add_edge(*first, *then, ());
            });
        }
        // Components come out with the last of the order first.
        let mut left: BTreeSet<usize> = tarjan_scc(&graph).pop().unwrap_or_default().into_iter().collect();
        let mut order = Vec::with_capacity(left.len());
        while !left.is_empty() {
            let held = |mod_: usize| {
                self.before[mod_].iter().any(|(first, bond)| *bond == Bond::Binding && left.contains(first))
            };
            let next = left.iter().copied().find(|mod_| !held(*mod_)).ok_or_else(|| self.binding_circle(&left))?;
            left.remove(&next);
            order.push(next);
        }
        Ok(order)
    }

    /// Walks binding orders backwards until a mod comes up again.
    fn binding_circle(&self, members: &BTreeSet<usize>) -> Vec<FoldedId> {
        let binds = |(first, bond): &(&usize, &Bond)| **bond == Bond::Binding && members.contains(first);
        let before = |mod_: usize| self.before[mod_].iter().find(binds).map(|(first, _)| *first);
        let mut walk: Vec<usize> = members.first().copied().into_iter().collect();
        while let Some(first) = walk.last().copied().and_then(before) {
            if let Some(start) = walk.iter().position(|known| *known == first) {
                let mut circle = walk.split_off(start);
                circle.push(first);
                circle.reverse();
                return circle.into_iter().map(|mod_| self.ids[mod_].clone()).collect();
            }
            walk.push(first);
        }
        walk.into_iter().map(|mod_| self.ids[mod_].clone()).collect()
    }
}

/// Which mod stands for an id: itself before one that provides it.
fn owners(picks: &[Pick], ids: &[FoldedId]) -> BTreeMap<FoldedId, usize> {
    let own: BTreeMap<&FoldedId, usize> = ids.iter().enumerate().map(|(index, id)| (id, index)).collect();
    let provided = picks.iter().flat_map(|pick| {
        let owner = own.get(&pick.sealed.manifest.id).copied();
        pick.sealed.manifest.provides.iter().filter_map(move |id| Some((id.clone(), owner?)))
    });
    let mut owners: BTreeMap<FoldedId, usize> = provided.collect();
    owners.extend(own.into_iter().map(|(id, index)| (id.clone(), index)));
    owners
}
