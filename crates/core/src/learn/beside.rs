//! Files that lie beside the mods of a shelf and are called after them: which are parts of the mods, and which may be.

use std::collections::{BTreeMap, BTreeSet, HashMap, HashSet};

use super::named_after::{FoundBeside, Leaders};
use super::shelves::Shelf;
use super::sight::{InstallView, Seen, extension, name, parent, small, stem};
use super::units::Unit;
use crate::rulebook::Role;

/// The files beside mods that are called so, by the mod that each is called after.
type ByMod<'s> = BTreeMap<&'s str, Vec<(Role, &'s Seen)>>;

/// Texts and pictures for people: a game has no use for them, and nobody keeps them alike.
const FOR_PEOPLE: [&str; 10] = ["md", "png", "jpg", "jpeg", "gif", "html", "log", "url", "pdf", "rtf"];

/// The files that lie beside the mods of a shelf and are called after them.
pub fn of_shelf(shelf: &Shelf, sights: &[&dyn InstallView]) -> Vec<FoundBeside> {
    let mut found: BTreeMap<String, ByMod<'_>> = BTreeMap::new();
    for sight in sights {
        let mut by_folder: HashMap<&str, Vec<&Unit>> = HashMap::new();
        for unit in shelf.seen.iter().filter(|unit| unit.role == sight.role()) {
            by_folder.entry(parent(unit.path.as_str())).or_default().push(unit);
        }
        let own: HashSet<&str> = by_folder.values().flatten().map(|unit| unit.path.as_str()).collect();
        let called: HashMap<&str, Leaders<'_>> =
            (by_folder.iter()).map(|(folder, units)| (*folder, leaders(units))).collect();
        for seen in sight.files().iter().filter(|seen| !own.contains(seen.path.as_str())) {
            let called = called.get(parent(seen.path.as_str()));
            if let Some((template, of)) = called.and_then(|called| called.template(name(seen.path.as_str()))) {
                let template = known_as(&shelf.documents, &template);
                found.entry(template).or_default().entry(of).or_default().push((sight.role(), seen));
            }
        }
    }
    let of_role =
        |role: Role| -> BTreeSet<&str> { shelf.seen.iter().filter(|unit| unit.role == role).map(Unit::stem).collect() };
    let both: BTreeSet<&str> = of_role(Role::Server).intersection(&of_role(Role::Client)).copied().collect();
    let each = found.into_iter().map(|(template, by_mod)| FoundBeside {
        is_part: shelf.documents.contains(&template) || is_part(sights, &template, &by_mod, &both),
        mods: by_mod.len(),
        example: by_mod.values().flatten().next().map(|(_, seen)| seen.path.name().to_owned()).unwrap_or_default(),
        template,
    });
    each.collect()
}

fn leaders<'u>(units: &[&'u Unit]) -> Leaders<'u> {
    let names = units.iter().map(|unit| unit.name.as_str());
    if units.iter().any(|unit| unit.is_folder) { Leaders::folders(names) } else { Leaders::files(names) }
}

/// Letter case does not tell such files apart.
fn known_as(documents: &[String], template: &str) -> String {
    let lower = template.to_lowercase();
    documents.iter().find(|known| known.to_lowercase() == lower).cloned().unwrap_or(lower)
}

/// Whether such files are the same wherever the mod is: a part of it, and nobody's own.
fn is_part(sights: &[&dyn InstallView], template: &str, by_mod: &ByMod<'_>, both: &BTreeSet<&str>) -> bool {
    let bytes = |(role, seen): &(Role, &Seen)| {
        let sight = sights.iter().find(|sight| sight.role() == *role)?;
        small(*sight, &seen.path)
    };
    let is_same = |of: &&str, found: &[(Role, &Seen)]| {
        let on_both = both.contains(stem(of)) || both.contains(of);
        let alike = found.windows(2).all(|pair| pair[0].1.size == pair[1].1.size && bytes(&pair[0]) == bytes(&pair[1]));
        alike && (!on_both || found.len() > 1)
    };
    let for_people = FOR_PEOPLE.contains(&extension(template).as_str());
    !for_people && by_mod.len() >= 2 && by_mod.iter().all(|(of, found)| is_same(of, found))
}
