//! A document outside of the mods that tells of all of them: one entry a mod, by the name of its file or folder.

use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

use serde_json::Value;

use super::leaves::{Holder, ListedValues, holders, leaves};
use super::sight::{Guessed, InstallView, Seen, guess, name, small, stem};
use super::units::Unit;
use crate::base::path::InstallPath;
use crate::rulebook::Role;

/// Under this name the entries of such a document count as documents of the mods.
pub const OUTSIDE: &str = "(told outside)";

/// Where it is told of the mods of a shelf.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Outside {
    /// The file.
    pub file: InstallPath,
    /// Its notation, where the name does not tell it.
    pub notation: Option<&'static str>,
    /// The entries, or the object whose keys are names.
    pub each: String,
    /// Where in an entry the name stands.
    pub key: Option<String>,
}

/// Looks for such a document for mods that tell nothing themselves; its entries become their documents.
pub fn tell(sights: &[&dyn InstallView], texts: &[Vec<&Seen>], seen: &mut [Unit]) -> Option<Outside> {
    let roles: BTreeSet<Role> = seen.iter().map(|unit| unit.role).collect();
    let mut found: BTreeMap<Role, (Outside, BTreeMap<String, Guessed>)> = BTreeMap::new();
    for (sight, files) in sights.iter().zip(texts).filter(|(sight, _)| roles.contains(&sight.role())) {
        let units: Vec<&Unit> = seen.iter().filter(|unit| unit.role == sight.role()).collect();
        let read = files.iter().filter_map(|seen| in_file(*sight, seen, &units));
        let best = read.max_by_key(|(_, entries)| (entries.len(), facts(entries)))?;
        found.insert(sight.role(), best);
    }
    // Each side must tell of its own, and in the same way.
    let (first, _) = found.values().next()?.clone();
    if found.len() < roles.len() || found.values().any(|(outside, _)| *outside != first) {
        return None;
    }
    for unit in seen {
        let entries = found.get(&unit.role).map(|(_, entries)| entries);
        if let Some(entry) = entries.and_then(|entries| entries.get(&unit.name.to_lowercase())) {
            unit.documents.insert(OUTSIDE.to_owned(), Arc::new(entry.clone()));
        }
    }
    Some(first)
}

/// How much entries tell.
fn facts(entries: &BTreeMap<String, Guessed>) -> usize {
    entries.values().next().map_or(0, |entry| leaves(&entry.value).len())
}

fn in_file(sight: &dyn InstallView, seen: &Seen, units: &[&Unit]) -> Option<(Outside, BTreeMap<String, Guessed>)> {
    let bytes = small(sight, &seen.path)?;
    let document = guess(name(seen.path.as_str()), &bytes)?;
    let holders = holders(&document.value);
    let read = holders.iter().filter_map(|holder| Some((holder, of_holder(holder, units)?)));
    let (holder, (key, entries)) = read.max_by_key(|(_, (_, entries))| entries.len())?;
    let with = |value: &Value| Guessed { value: value.clone(), ..document.clone() };
    let entries: BTreeMap<String, Guessed> = entries.into_iter().map(|(name, value)| (name, with(value))).collect();
    // Entries with nothing but a name and a switch are a list.
    (facts(&entries) > usize::from(key.is_some()) + 1).then(|| {
        let notation = document.untold_notation(name(seen.path.as_str()));
        // Of a map whose keys are no names, each value is an entry.
        let is_of_values = key.is_some() && matches!(holder.held, ListedValues::Map(_));
        let each = if is_of_values { format!("{}.*", holder.path) } else { holder.path.clone() };
        (Outside { file: seen.path.clone(), notation, each, key }, entries)
    })
}

type Matched<'v> = BTreeMap<String, &'v Value>;

fn of_holder<'v>(holder: &Holder<'v>, units: &[&Unit]) -> Option<(Option<String>, Matched<'v>)> {
    match &holder.held {
        ListedValues::Objects(objects) => by_a_key(objects, units),
        ListedValues::Map(entries) => {
            let objects = || entries.iter().filter(|(_, entry)| entry.is_object());
            let by_names = matched(objects().map(|(key, entry)| ((*key).to_owned(), *entry)), units);
            let by_values = || by_a_key(&objects().map(|(_, entry)| *entry).collect::<Vec<_>>(), units);
            by_names.map(|found| (None, found)).or_else(by_values)
        }
        ListedValues::Texts(_) | ListedValues::Text(_) => None,
    }
}

fn by_a_key<'v>(objects: &[&'v Value], units: &[&Unit]) -> Option<(Option<String>, Matched<'v>)> {
    let mut columns: BTreeMap<String, Vec<(String, &'v Value)>> = BTreeMap::new();
    for object in objects {
        for leaf in leaves(object) {
            columns.entry(leaf.path).or_default().push((leaf.value, object));
        }
    }
    let each = columns.into_iter().filter_map(|(path, values)| Some((path, matched(values.into_iter(), units)?)));
    let (path, found) = each.max_by_key(|(path, found)| (found.len(), usize::MAX - path.len()))?;
    Some((Some(path), found))
}

/// The entries that name nearly all units, by the folded names of those.
fn matched<'v>(entries: impl Iterator<Item = (String, &'v Value)>, units: &[&Unit]) -> Option<Matched<'v>> {
    let base = |text: &str| text.rsplit(['/', '\\']).next().unwrap_or(text).to_lowercase();
    let by_name: BTreeMap<String, &'v Value> = entries.map(|(text, entry)| (base(&text), entry)).collect();
    let find = |unit: &&Unit| {
        let own = unit.name.to_lowercase();
        let found = by_name.get(&own).or_else(|| by_name.get(stem(&own)))?;
        Some((own, *found))
    };
    let found: Matched<'v> = units.iter().filter_map(find).collect();
    (found.len() >= 2 && found.len() * 10 >= units.len() * 9).then_some(found)
}
