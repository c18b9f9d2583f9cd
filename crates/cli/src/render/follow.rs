//! What players are told of a release before anything is done.

use std::collections::BTreeSet;

use kanon_core::base::path::printable;
use kanon_core::canon::release::scope::Scope;

use crate::words::tongue::{Tongue, at};

/// The places of the game that a release's rulebook governs.
pub fn places(tongue: &Tongue, scope: &Scope) -> String {
    let named = |places: &BTreeSet<String>| -> String {
        let shown = places.iter().map(|place| match place.as_str() {
            "." => tongue.say("own-folder"),
            place => printable(place),
        });
        shown.collect::<Vec<_>>().join(", ")
    };
    let (folders, others) = (named(&scope.mods), named(&scope.besides));
    match scope.besides.is_empty() {
        true => tongue.with("looks-after", [at("folders", folders)]),
        false => tongue.with("looks-after-more", [at("folders", folders), at("others", others)]),
    }
}
