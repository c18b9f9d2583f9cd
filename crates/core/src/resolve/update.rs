//! From what an administrator says (take this, drop that, renew it all) to new wishes: what is asked of the solver, and
//! what its answer changes.

use std::collections::{BTreeSet, HashMap};

use crate::base::ids::FoldedId;
use crate::config::{ModWish, WorkspaceConfig};
use crate::resolve::solve::{Ask, FittingSet, Keep, NoFit, Puzzle, SourceRank, Standing, first_look, solve, standing};
use crate::rulebook::RelationKind;

/// What the administrator wants changed.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Intent {
    /// These mods are to be in the set.
    Take(Vec<Taken>),
    /// These are to leave it, with what only they needed.
    Drop(Vec<FoldedId>),
    /// These are to have the newest releases that fit; all of them when none is named.
    Renew(Vec<FoldedId>),
}

/// A mod to take.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Taken {
    /// Its id.
    pub id: FoldedId,
    /// Which releases will do; any when not said.
    pub accepts: Option<String>,
    /// Whether states before a release will do.
    pub prereleases: bool,
}

/// What happens to one mod.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Move {
    /// Its id.
    pub id: FoldedId,
    /// The release that was wished for; none for a new mod.
    pub from: Option<String>,
    /// The release that is now; none for a mod that leaves.
    pub to: Option<String>,
    /// Where that release comes from.
    pub place: Option<String>,
    /// The mods that need it, when nobody asked for it.
    pub needed_by: Vec<FoldedId>,
    /// Whether it is older than the one before.
    pub goes_back: bool,
}

/// New wishes.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Update {
    /// WorkspaceConfig to write.
    pub put: Vec<ModWish>,
    /// Ids to take out.
    pub remove: Vec<FoldedId>,
    /// What that means, by id.
    pub moves: Vec<Move>,
    /// What updates may choose from now on, where that is another than before; anything when none.
    pub bounds: Vec<(FoldedId, Option<String>)>,
    /// Mods that were to be dropped and that others still need.
    pub still_needed: Vec<(FoldedId, Vec<FoldedId>)>,
    /// Whether a mod's word on a mod that it merely likes had to be passed over.
    pub passed_over_likes: bool,
}

impl Update {
    /// The wishes as they are once this is written.
    pub fn applied_to(&self, wishes: &WorkspaceConfig) -> WorkspaceConfig {
        let is_put = |id: &FoldedId| self.put.iter().any(|wish| wish.id == *id);
        let stays = |wish: &&ModWish| !is_put(&wish.id) && !self.remove.contains(&wish.id);
        let mods = wishes.mods.iter().filter(stays).chain(&self.put).cloned().collect();
        WorkspaceConfig { mods, ..wishes.clone() }
    }
}

/// What an intent would come to.
#[derive(Debug, Clone)]
pub struct Outlook {
    /// The new wishes, or why there are none.
    pub update: Result<Update, Box<NoFit>>,
    /// How each mod of the wishes stands.
    pub standings: Vec<Standing>,
}

/// Works out new wishes, and how each mod stands. `stock` is a puzzle without asks: what is on offer, and for which game.
///
/// Mods that are not meant stay as they are while a set fits so; then they may move on, and only then may any go back.
pub fn outlook(wishes: &WorkspaceConfig, intent: &Intent, stock: &Puzzle<'_>) -> Outlook {
    let (puzzle, set) = settled(wishes, intent, stock);
    let standings = standing(&puzzle, set.as_ref().ok());
    Outlook { update: set.map(|set| changes(wishes, intent, stock, &set)), standings }
}

type Settled<'a> = (Puzzle<'a>, Result<FittingSet<'a>, Box<NoFit>>);

fn settled<'a>(wishes: &WorkspaceConfig, intent: &Intent, stock: &Puzzle<'a>) -> Settled<'a> {
    let puzzle =
        |others, no_older| Puzzle { asks: asks(wishes, intent, stock, others, no_older), open: true, ..stock.clone() };
    for (others, no_older) in [(Keep::Held, true), (Keep::Stay, true)] {
        let puzzle = puzzle(others, no_older);
        if let Some(set) = first_look(&puzzle) {
            return (puzzle, Ok(set));
        }
    }
    let puzzle = puzzle(Keep::Stay, false);
    let set = solve(&puzzle);
    (puzzle, set)
}

/// What a wish asks of the solver when others may be `others`, and no mod goes back if `no_older`.
fn asks(wishes: &WorkspaceConfig, intent: &Intent, stock: &Puzzle<'_>, others: Keep, no_older: bool) -> Vec<Ask> {
    let mut asks: Vec<Ask> = wishes.mods.iter().map(|wish| ask(wish, intent, stock, others, no_older)).collect();
    if let Intent::Take(taken) = intent {
        for taken in taken {
            let known = asks.iter().position(|ask| ask.id == taken.id);
            let before = known.map(|index| asks[index].clone()).unwrap_or_default();
            let asked = Ask {
                id: taken.id.clone(),
                accepts: taken.accepts.clone(),
                prereleases: taken.prereleases,
                now: before.now,
                needed_on: before.needed_on,
                keep: Keep::Newest,
                // Who asks for an older release by name will have it.
                no_older: no_older && taken.accepts.is_none(),
                from: None,
                wanted: true,
            };
            match known {
                Some(index) => asks[index] = asked,
                None => asks.push(asked),
            }
        }
    }
    asks
}

fn ask(wish: &ModWish, intent: &Intent, stock: &Puzzle<'_>, others: Keep, no_older: bool) -> Ask {
    let named = |ids: &[FoldedId]| ids.contains(&wish.id);
    let pinned = wish.pinned(stock.versions).map(str::to_owned);
    let range = if pinned.is_some() { None } else { wish.version.clone() };
    let dropped = matches!(intent, Intent::Drop(ids) if named(ids));
    let renewed = matches!(intent, Intent::Renew(ids) if ids.is_empty() || named(ids));
    // What others brought in moves with them.
    let others = if wish.asked { others } else { Keep::Stay };
    Ask {
        id: wish.id.clone(),
        accepts: wish.accepts.clone().or(range),
        prereleases: wish.prereleases,
        needed_on: wish.needed_on,
        keep: if renewed { Keep::Newest } else { others },
        no_older,
        from: wish.from.clone(),
        now: pinned,
        wanted: wish.asked && !dropped,
    }
}

fn changes(wishes: &WorkspaceConfig, intent: &Intent, stock: &Puzzle<'_>, set: &FittingSet<'_>) -> Update {
    let mut update = Update { passed_over_likes: set.passed_over_likes, ..Update::default() };
    let wished: HashMap<FoldedId, &ModWish> = wishes.mods.iter().map(|wish| (wish.id.clone(), wish)).collect();
    for (id, chosen) in &set.chosen {
        let manifest = chosen.offer.manifest;
        let known = wished.get(id).copied();
        let taken = match intent {
            Intent::Take(taken) => taken.iter().find(|taken| taken.id.clone() == *id),
            Intent::Drop(_) | Intent::Renew(_) => None,
        };
        let place = (chosen.offer.trust != SourceRank::Canon).then(|| chosen.offer.place.to_owned());
        let before =
            known.cloned().unwrap_or_else(|| ModWish { id: manifest.id.clone(), asked: false, ..ModWish::default() });
        let is_range = before.version.is_some() && before.pinned(stock.versions).is_none();
        let dropped = matches!(intent, Intent::Drop(ids) if ids.iter().any(|other| other.clone() == *id));
        let mut wish = before.clone();
        if let Some(taken) = taken {
            wish.accepts.clone_from(&taken.accepts);
            wish.prereleases = taken.prereleases;
            wish.asked = true;
        }
        if dropped {
            wish.asked = false;
            update.still_needed.push((manifest.id.clone(), needed_by(id, set)));
        }
        // Who wrote a range by hand meant the range; sealing finds the release.
        if (taken.is_some() || !is_range) && wish.version != manifest.version {
            wish.version.clone_from(&manifest.version);
            if place.is_some() {
                wish.from.clone_from(&place);
            }
        }
        if known.is_none() || wish.version != before.version {
            let from = known.map(|known| known.version.clone().unwrap_or_else(|| "any".to_owned()));
            let goes_back = before
                .version
                .as_deref()
                .zip(manifest.version.as_deref())
                .is_some_and(|(was, is)| stock.versions.scheme.compare(is, was) == Some(std::cmp::Ordering::Less));
            let needed_by = if chosen.brought_in { needed_by(id, set) } else { Vec::new() };
            let to = Some(manifest.version.clone().unwrap_or_else(|| "-".to_owned()));
            update.moves.push(Move { id: manifest.id.clone(), from, to, place, needed_by, goes_back });
        }
        if wish.accepts != before.accepts {
            update.bounds.push((wish.id.clone(), wish.accepts.clone()));
        }
        if known != Some(&wish) {
            update.put.push(wish);
        }
    }
    for wish in wishes.mods.iter().filter(|wish| !set.chosen.contains_key(&wish.id)) {
        update.remove.push(wish.id.clone());
        let from = Some(wish.version.clone().unwrap_or_else(|| "any".to_owned()));
        let (to, place, needed_by) = (None, None, Vec::new());
        update.moves.push(Move { id: wish.id.clone(), from, to, place, needed_by, goes_back: false });
    }
    update.moves.sort_by_key(|change| change.id.clone());
    update
}

/// The mods of a set that need another, by itself or by an id that it provides.
fn needed_by(id: &FoldedId, set: &FittingSet<'_>) -> Vec<FoldedId> {
    let Some(own) = set.chosen.get(id) else { return Vec::new() };
    let mut ids: BTreeSet<FoldedId> = own.offer.manifest.provides.iter().cloned().collect();
    ids.insert(id.to_owned());
    let others = set.chosen.values().map(|chosen| chosen.offer.manifest);
    let needing = others.filter(|manifest| {
        let needs = |kind, other: &FoldedId| kind == RelationKind::Required && ids.contains(other);
        manifest.id != *id && manifest.relations.iter().any(|relation| needs(relation.kind, &relation.id))
    });
    needing.map(|manifest| manifest.id.clone()).collect()
}

#[cfg(test)]
#[path = "../tests/update.rs"]
mod tests;
