//! What a server says when it starts: that it begins, each mod that it loads, that it is up.

use std::collections::{BTreeMap, BTreeSet};

use super::joins::Joins;
use super::kinds::{Kind, Kinds};
use super::model::{Known, LearnedEvent, Sign};
use crate::base::ids::FoldedId;
use crate::diagnose::means_failure;
use crate::rulebook::{Event, Role};

/// Beginnings of words for a server that is up.
const UP: [&str; 15] = [
    "ready",
    "is up",
    "listening",
    "accepting",
    "waiting for",
    "open for",
    "doors are open",
    "is open",
    "online",
    "started",
    "done",
    "bereit",
    "en ligne",
    "listo",
    "up and running",
];
/// Beginnings of words for one that begins.
const BEGINS: [&str; 10] =
    ["start", "boot", "launch", "version", "init", "welcome to", "begin", "loading", "running", "opening"];

/// Kinds of lines that name most mods before anybody joins.
pub fn loaded(kinds: &Kinds, known: &Known) -> Vec<usize> {
    let joined = first_players(kinds);
    let is_so = |(_, kind): &(usize, &Kind)| {
        if !kind.names_mods() || kind.names_a_player() || means_failure(&kind.words()).is_some() {
            return false;
        }
        let mut by_log: BTreeMap<usize, BTreeSet<&FoldedId>> = BTreeMap::new();
        let mut before = 0;
        for line in &kind.lines {
            let seen = &kinds.lines[*line];
            by_log.entry(seen.log).or_default().extend(seen.mods());
            before += usize::from(joined.get(&seen.log).is_none_or(|first| line < first));
        }
        let most = by_log.values().map(BTreeSet::len).max().unwrap_or(0);
        most >= 2 && most * 2 >= known.number() && before * 10 >= kind.lines.len() * 7
    };
    kinds.kinds.iter().enumerate().filter(is_so).map(|(at, _)| at).collect()
}

/// The first line of each log that names a player.
fn first_players(kinds: &Kinds) -> BTreeMap<usize, usize> {
    let mut first = BTreeMap::new();
    for (at, seen) in kinds.lines.iter().enumerate().filter(|(_, seen)| seen.player.is_some()) {
        first.entry(seen.log).or_insert(at);
    }
    first
}

/// What was learned of starts.
pub fn events(kinds: &Kinds, joins: &Joins, loaded: &[usize]) -> Vec<LearnedEvent> {
    let mut events: Vec<LearnedEvent> = Vec::new();
    for at in loaded {
        let kind = &kinds.kinds[*at];
        let mods: BTreeSet<&FoldedId> = kind.lines.iter().flat_map(|line| kinds.lines[*line].mods()).collect();
        events.extend(kind.event(Event::ModLoaded, 0.9, vec![Sign::NamesMost { mods: mods.len() }]));
    }
    let once = once_per_start(kinds, joins);
    let says = |kind: &usize, words: &[&str]| {
        let text = kinds.kinds[*kind].words().to_lowercase();
        words.iter().any(|word| text.contains(word))
    };
    let first = once.iter().filter(|(_, is_first)| *is_first).map(|(kind, _)| *kind).next();
    // The last of what every start says before anybody comes, or what says so.
    let others: Vec<usize> = once.iter().map(|(kind, _)| *kind).filter(|kind| Some(*kind) != first).collect();
    let up = others.iter().rev().find(|kind| says(kind, &UP)).copied();
    if let Some(kind) = up.or_else(|| others.last().copied().filter(|_| kinds.logs > 1)) {
        let (sure, signs) = match up {
            Some(_) => (0.85, vec![Sign::OncePerStart, Sign::Words]),
            None => (0.5, vec![Sign::OncePerStart]),
        };
        events.extend(kinds.kinds[kind].event(Event::Ready, sure, signs));
    }
    if let Some(kind) = first {
        let (sure, signs) = match says(&kind, &BEGINS) {
            true => (0.8, vec![Sign::OncePerStart, Sign::Words]),
            false => (0.5, vec![Sign::OncePerStart]),
        };
        events.extend(kinds.kinds[kind].event(Event::Starting, sure, signs));
    }
    events
}

/// Kinds that stand once in each of a server's logs before anybody joins, in their order, and whether each begins them.
fn once_per_start(kinds: &Kinds, joins: &Joins) -> Vec<(usize, bool)> {
    let joined = first_players(kinds);
    let mut first_lines: BTreeMap<usize, usize> = BTreeMap::new();
    for (at, seen) in kinds.lines.iter().enumerate() {
        first_lines.entry(seen.log).or_insert(at);
    }
    let of_server: BTreeSet<usize> =
        first_lines.iter().filter(|(_, at)| kinds.kind(**at).side == Role::Server).map(|(log, _)| *log).collect();
    let is_once = |(at, kind): &(usize, &Kind)| {
        let logs: BTreeSet<usize> = kind.lines.iter().map(|line| kinds.lines[*line].log).collect();
        let before = |line: &usize| joined.get(&kinds.lines[*line].log).is_none_or(|first| line < first);
        kind.side == Role::Server
            && !kind.names_mods()
            && !kind.names_a_player()
            && !joins.is_about(kinds, *at)
            && kind.lines.len() == of_server.len()
            && logs == of_server
            && kind.lines.iter().all(before)
    };
    let mut once: Vec<(usize, bool)> = kinds
        .kinds
        .iter()
        .enumerate()
        .filter(is_once)
        .map(|(at, kind)| (at, kind.lines.iter().all(|line| first_lines.values().any(|first| first == line))))
        .collect();
    once.sort_by_key(|(kind, _)| kinds.kinds[*kind].lines.first().copied());
    once
}
