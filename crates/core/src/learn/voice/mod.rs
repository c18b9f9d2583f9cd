//! From logs that nobody described to patterns that know their lines. Lines are masked (mods, versions, digests, numbers, players)
//! and gathered by what is left of them; what a kind of line means is told by its values, by its words, by where it stands in a
//! join, and by what it is never found with. Each pattern is tried on the logs that it was made of.

mod causes;
mod joins;
mod kinds;
mod lines;
mod model;
mod players;
mod starts;
mod trial;

use joins::Joins;
use kinds::Kinds;
use model::Known;
pub use model::{Evening, LearnedEvent, Sign, Transcript, Voice};

/// Learns patterns from logs.
///
/// # Errors
/// When there are too many names to look for.
pub fn voice(evening: Evening<'_>, logs: &[Transcript<'_>]) -> Result<Voice, aho_corasick::BuildError> {
    let known = Known::of(evening)?;
    let lines = lines::read(logs, &known.needles);
    let players = players::found(&lines, evening.players);
    let kinds = Kinds::of(logs.len(), lines, &players);
    let loaded = starts::loaded(&kinds, &known);
    let joins = Joins::of(&kinds, &loaded);
    let (causes, unknown) = causes::found(&kinds, (&joins, &loaded), &known);
    let mut events = causes;
    events.extend(joins.events(&kinds));
    events.extend(starts::events(&kinds, &joins, &loaded));
    trial::keep_what_holds(&mut events, logs, (&kinds, &joins));
    let client_got_in = joins.client_got_in();
    Ok(Voice { events, players, client_got_in, unknown })
}

#[cfg(test)]
#[path = "../../tests/voice.rs"]
mod tests;
