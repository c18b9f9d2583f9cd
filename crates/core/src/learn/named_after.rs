//! How files are called after other files: what lies beside a mod and bears its name belongs to it.

use std::collections::{BTreeMap, HashSet};

use super::sight::{InstallView, Seen, TEXTS, extension, guess, name, small, stem};
use crate::base::limits;
use crate::rulebook::BesideName;

/// Documents of a kind that are looked into before it is known whether they tell of mods.
const SAMPLE: usize = 3;
/// Signs in the name of a file between which a mod's name may stand, at most.
const SIGNS: usize = 12;

/// Files beside the mods of a shelf.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct FoundBeside {
    /// What they are called after the mods.
    pub template: String,
    /// How many mods have one.
    pub mods: usize,
    /// One of them.
    pub example: String,
    /// Whether they are parts of the mods: told from, or the same on both sides.
    pub is_part: bool,
}

impl FoundBeside {
    /// Whether a signature may be called so.
    pub fn may_sign(&self) -> bool {
        !TEXTS.contains(&extension(&self.template).as_str())
    }
}

/// What files are called that others may be called after, and their names without the endings.
pub struct Leaders<'u> {
    names: HashSet<&'u str>,
    stems: HashSet<&'u str>,
}

impl<'u> Leaders<'u> {
    /// Files of these names.
    pub fn files(names: impl Iterator<Item = &'u str>) -> Self {
        let names: HashSet<&str> = names.collect();
        Self { stems: names.iter().map(|name| stem(name)).collect(), names }
    }

    /// Folders of these names: those have no endings.
    pub fn folders(names: impl Iterator<Item = &'u str>) -> Self {
        Self { names: names.collect(), stems: HashSet::new() }
    }

    /// How a file is called after one of them, as a rulebook writes that: `{stem}.card.json`; and what stands for that one.
    pub fn template<'f>(&self, file: &'f str) -> Option<(String, &'f str)> {
        let is_sign = |c: char| matches!(c, '.' | '_' | '-' | ' ');
        let signs: Vec<usize> =
            file.char_indices().filter(|(_, c)| is_sign(*c)).map(|(at, _)| at).take(SIGNS).collect();
        let starts = std::iter::once(0).chain(signs.iter().map(|at| at + 1));
        // The longest name counts: a mod may be called as another with something behind it.
        let ends = || std::iter::once(file.len()).chain(signs.iter().rev().copied());
        let parts = starts.flat_map(|start| ends().filter(move |end| *end > start).map(move |end| (start, end)));
        parts.into_iter().find_map(|(start, end)| {
            let (before, own, after) = (&file[..start], &file[start..end], &file[end..]);
            let place = match own {
                _ if self.names.contains(own) => "{name}",
                _ if self.stems.contains(own) => "{stem}",
                _ => return None,
            };
            let template = format!("{before}{place}{after}");
            BesideName::new(&template).is_ok().then_some((template, own))
        })
    }
}

/// Documents in a folder that are each called after one of most of its mods: what they are called, in small letters, and as
/// they are spelt here.
pub fn documents(sight: &dyn InstallView, called: &Leaders<'_>, files: &[&Seen]) -> Vec<(String, BesideName)> {
    let others = files.iter().filter(|seen| !called.names.contains(name(seen.path.as_str())));
    let mut found: BTreeMap<String, Vec<&Seen>> = BTreeMap::new();
    for seen in others.filter(|seen| seen.size > 0 && seen.size <= limits::LEARNED_TEXT_BYTES) {
        if let Some((template, _)) = called.template(name(seen.path.as_str())) {
            found.entry(template).or_default().push(seen);
        }
    }
    let is_document =
        |seen: &&&Seen| small(sight, &seen.path).is_some_and(|bytes| guess(name(seen.path.as_str()), &bytes).is_some());
    found.retain(|_, own| {
        let (looked, most) = (own.len().min(SAMPLE), own.len() * 10 >= called.names.len() * 6);
        own.len() >= 2 && most && own.iter().take(SAMPLE).filter(is_document).count() == looked
    });
    found.into_keys().filter_map(|spelt| Some((spelt.to_lowercase(), BesideName::new(&spelt).ok()?))).collect()
}

/// Whether most of these files are called after others.
pub fn are_called_after(leaders: &Leaders<'_>, names: &[&str]) -> bool {
    let alike = names.iter().filter(|name| leaders.template(name).is_some()).count();
    alike >= 2 && alike * 10 >= names.len().min(leaders.names.len()) * 6
}
