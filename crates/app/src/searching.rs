//! Mods that answer to some words, among all that is on offer.

use std::collections::{BTreeMap, BTreeSet};

use kanon_core::base::ids::FoldedId;
use kanon_core::resolve::search::{Entry, seek};
use kanon_core::resolve::solve::{Ask, Puzzle, Reason, each_alone};
use serde::Serialize;

use crate::error::AppError;
use crate::offers::{Offer, Offers};
use crate::session::Session;

/// How many mods a search tells.
const HITS: usize = 20;

/// The report of a search.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Serialize)]
pub struct Search {
    /// `kanon-search/1`.
    pub format: &'static str,
    /// The words.
    pub words: Vec<String>,
    /// The mods that answer to them, best first.
    pub found: Vec<Hit>,
}

/// A mod that was found.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Serialize)]
pub struct Hit {
    /// Its id.
    #[serde(rename = "mod")]
    pub mod_id: FoldedId,
    /// What people call it.
    pub title: Option<String>,
    /// What it is.
    pub about: Option<String>,
    /// The newest release that this game and loader can have.
    pub newest_that_fits: Option<String>,
    /// Why there is none.
    pub why_not: Option<Reason>,
    /// Where it is.
    pub places: Vec<String>,
    /// Whether it is wished for already.
    pub wished: bool,
}

/// Mods of all places that answer to some words, with the newest release of each that this game can have.
///
/// # Errors
/// When there is no workspace.
pub fn search(words: &[String], session: &Session<'_>, offers: &Offers) -> Result<Search, AppError> {
    let mut by_id: BTreeMap<FoldedId, Vec<&Offer>> = BTreeMap::new();
    for item in &offers.items {
        by_id.entry(item.manifest.id.clone()).or_default().push(item);
    }
    let said = |of: &[&Offer], what: fn(&Offer) -> Option<&str>| -> Option<String> {
        of.iter().find_map(|offer| what(offer)).map(str::to_owned)
    };
    let told: Vec<(&str, Option<String>, Option<String>)> = by_id
        .values()
        .map(|items| {
            let id = items[0].manifest.id.as_str();
            (id, said(items, |item| item.manifest.title.as_deref()), said(items, |item| item.about.as_deref()))
        })
        .collect();
    let entries = told.iter().map(|(id, title, about)| Entry { id, title: title.as_deref(), about: about.as_deref() });
    let wishes = &session.workspace()?.config;
    let best: Vec<Entry<'_>> = seek(words, entries).into_iter().take(HITS).map(|(entry, _)| entry).collect();
    let asks = best.iter().map(|entry| Ask { id: entry.id.into(), wanted: true, ..Ask::default() }).collect();
    let newest = each_alone(&Puzzle { asks, ..offers.puzzle_for_updates(session, wishes) });
    let found = best.into_iter().zip(newest).map(|(entry, newest)| {
        let items = by_id.get(&FoldedId::from(entry.id)).map_or(&[][..], Vec::as_slice);
        let places: BTreeSet<&String> = items.iter().map(|item| &item.place).collect();
        Hit {
            mod_id: entry.id.into(),
            title: entry.title.map(str::to_owned),
            about: entry.about.map(str::to_owned),
            why_not: newest.as_ref().err().cloned(),
            newest_that_fits: newest.ok(),
            places: places.into_iter().cloned().collect(),
            wished: wishes.mods.iter().any(|wish| wish.id == entry.id),
        }
    });
    Ok(Search { format: "kanon-search/1", words: words.to_vec(), found: found.collect() })
}
