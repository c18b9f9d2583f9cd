//! From the entries of a list to the mods that they name.

use std::collections::HashMap;

use crate::base::ids::FoldedId;
use crate::edits::RawEntry;
use crate::rulebook::{ListRule, Rulebook};
use crate::survey::{ListEntry, StandsFor, SurveyedMod};

/// The mods of an install by what lists may call them.
pub struct Known<'m> {
    by_id: HashMap<FoldedId, &'m SurveyedMod>,
    by_name: HashMap<FoldedId, &'m SurveyedMod>,
    game: Vec<FoldedId>,
}

impl<'m> Known<'m> {
    /// Indexes the mods of an install.
    pub fn new(rulebook: &Rulebook, mods: &'m [SurveyedMod]) -> Self {
        let platforms = [Some(&rulebook.base), rulebook.loader.as_ref(), rulebook.runtime.as_ref()];
        Self {
            by_id: mods.iter().map(|found| (found.manifest.id.clone(), found)).collect(),
            by_name: mods.iter().map(|found| (found.name.as_str().into(), found)).collect(),
            game: platforms.into_iter().flatten().flat_map(|p| &p.ids).map(FoldedId::from).collect(),
        }
    }

    /// What an entry stands for.
    pub fn entry(&self, rule: &ListRule, raw: RawEntry) -> ListEntry {
        let named = raw.names.id.clone().or_else(|| raw.names.name.clone()).unwrap_or_else(|| raw.text.clone());
        let folded = FoldedId::from(named.as_str());
        let found = if raw.names.id.is_some() { self.by_id.get(&folded) } else { self.by_name.get(&folded) };
        let stands_for = match found {
            _ if self.game.contains(&folded) || rule.keep.iter().any(|keep| keep.fits(&named)) => StandsFor::Game,
            Some(_) => StandsFor::Mod,
            None => StandsFor::Nothing,
        };
        let id = found.map_or(folded, |found| found.manifest.id.clone());
        ListEntry { id, version: raw.names.version, digest: raw.digest, on: raw.on, stands_for, text: raw.text }
    }
}

#[cfg(test)]
#[path = "../tests/entries.rs"]
mod tests;
