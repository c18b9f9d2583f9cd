//! What players are told of a release before anything is done.

use kanon_core::base::path::printable;
use kanon_core::canon::release::scope::Scope;

/// The places of the game that a release's rulebook governs.
pub fn places(scope: &Scope) -> String {
    let named = |places: &std::collections::BTreeSet<String>| -> String {
        let shown = places.iter().map(|place| match place.as_str() {
            "." => "the game's own folder".to_owned(),
            place => printable(place),
        });
        shown.collect::<Vec<_>>().join(", ")
    };
    let mut told = format!("note: of your game it looks after the mods in {}", named(&scope.mods));
    if !scope.besides.is_empty() {
        told.push_str(&format!(", and changes what belongs to them in {}", named(&scope.besides)));
    }
    told + "; nothing else"
}
