//! From logs that nobody described to patterns that know their lines. Lines are masked (mods, versions, digests, numbers, players)
//! and gathered by what is left of them; what a kind of line means is told by its values, by its words, by where it stands in a
//! join, and by what it is never found with. Each pattern is tried on the logs that it was made of.

mod aliases;
mod causes;
mod digests;
mod items;
mod joins;
mod kinds;
mod lines;
mod message;
mod model;
mod players;
mod roster;
mod said;
mod starts;
mod strangers;
mod told;
mod trial;

use std::collections::BTreeSet;

use crate::logs::shown;
use crate::rulebook::Role;
use causes::Looked;
use joins::Joins;
use kinds::{Kind, Kinds};
use model::Known;
use told::Tries;

pub use message::message;
pub use model::{Evening, LearnedEvent, Sign, Transcript, Voice};

/// Learns patterns from logs.
///
/// # Errors
/// When there are too many names to look for.
pub fn voice(evening: Evening<'_>, logs: &[Transcript<'_>]) -> Result<Voice, aho_corasick::BuildError> {
    // Where nobody measured a side, its own list of what it loads tells.
    let nobody_measured = evening.server.is_none() && evening.canon.is_none();
    let listed = nobody_measured.then(|| roster::listed(logs, Role::Server)).flatten();
    // Where neither tells, the client's names are better than none.
    let of_client = || roster::listed(logs, Role::Client);
    let listed_there = (nobody_measured && listed.is_none() && evening.client.is_none()).then(of_client).flatten();
    let (server, client) = (evening.server.or(listed.as_ref()), evening.client.or(listed_there.as_ref()));
    let known = Known::of(Evening { server, client, ..evening })?;
    let with_digests: Vec<Option<String>> = logs.iter().map(|log| digests::seen_as_such(log.text)).collect();
    let named = in_place(logs, &with_digests);
    let with_mods: Vec<Option<String>> = named.iter().map(|log| aliases::with_mods(log.text, &known.needles)).collect();
    let named = in_place(&named, &with_mods);
    let mut lines = lines::read(&named, &known.needles);
    let players = players::found(&lines, evening.players);
    let with_players: Vec<Option<String>> =
        named.iter().map(|log| aliases::with_players(log.text, &players, &known.needles)).collect();
    if with_players.iter().any(Option::is_some) {
        lines = lines::read(&in_place(&named, &with_players), &known.needles);
    }
    let kinds = Kinds::of(logs.len(), lines, &players, evening.players);
    let loaded = starts::loaded(&kinds, &known);
    let joins = Joins::of(&kinds, &loaded, known.most());
    let looked = Looked::new((&kinds, &joins), &known, &players);
    let tries = Tries::new(&looked, &loaded, logs, &named);
    let is_said_so = |kind: &Kind, means| !tries.contradicts(kind, means);
    let (causes, unknown) = causes::found(&looked, (&loaded, &tries.lists_of_all()), &is_said_so);
    let told = tries.last(evening.players.first().map(String::as_str));
    let mut events = causes;
    events.extend(joins.events(&kinds));
    events.extend(starts::events(&kinds, &joins, &loaded));
    // A pattern of a line in which a name stands for a number, or for a digest, knows no line as it is written.
    if with_mods.iter().any(Option::is_some) {
        let written: BTreeSet<String> = logs.iter().flat_map(|log| log.text.lines()).map(shown).collect();
        events.retain(|event| !event.is_cause() || written.contains(&event.example));
    }
    trial::keep_what_holds(&mut events, logs, (&kinds, &joins));
    let client_got_in = joins.client_got_in();
    Ok(Voice { events, players, client_got_in, told, unknown })
}

/// The logs with other texts, where there are any.
fn in_place<'t>(logs: &[Transcript<'t>], texts: &'t [Option<String>]) -> Vec<Transcript<'t>> {
    let told = logs.iter().zip(texts);
    told.map(|(log, text)| Transcript { text: text.as_deref().unwrap_or(log.text), ..*log }).collect()
}

#[cfg(test)]
#[path = "../../tests/voice.rs"]
mod tests;

#[cfg(test)]
#[path = "../../tests/told.rs"]
mod told_tests;
