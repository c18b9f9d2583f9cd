//! Who is meant by a number: many programs name a player once, with the number of his line, and from then on say the number alone.

use std::collections::{BTreeMap, BTreeSet};
use std::sync::LazyLock;

use regex::Regex;

use super::lines::message;

/// So many numbers are kept.
const MOST: usize = 20_000;

static NUMBERED: LazyLock<Regex> = LazyLock::new(|| {
    let pattern = r"\b(?<word>[A-Za-z_]{2,16})[\s#:=\[(<]{1,2}(?<id>[0-9A-Fa-f]*\d[0-9A-Fa-f]{0,15})\b";
    Regex::new(pattern).expect("a pattern that is written here")
});

static WORDS: LazyLock<Regex> =
    LazyLock::new(|| Regex::new(r"[\p{L}_][\p{L}\d_-]*").expect("a pattern that is written here"));

/// A log with the players' names in place of the numbers that stand for them; nothing where none does.
pub fn resolved(text: &str, players: &BTreeSet<String>) -> Option<String> {
    let bound = bound(text, players);
    if bound.is_empty() {
        return None;
    }
    let mut now: BTreeMap<(&str, &str), &str> = BTreeMap::new();
    let mut out = String::with_capacity(text.len() + text.len() / 16);
    for line in text.lines() {
        let begin = line.len() - message(line).len();
        let player = named(&line[begin..], players);
        let mut at = 0;
        for found in NUMBERED.captures_iter(&line[begin..]) {
            let (Some(word), Some(id)) = (found.name("word"), found.name("id")) else { continue };
            let key = (word.as_str(), id.as_str());
            if let Some(player) = player.filter(|_| bound.contains(&key)) {
                now.insert(key, player);
            } else if let Some(player) = now.get(&key).filter(|_| player.is_none()) {
                out.push_str(&line[at..begin + id.start()]);
                out.push_str(player);
                at = begin + id.end();
            }
        }
        out.push_str(&line[at..]);
        out.push('\n');
    }
    Some(out)
}

fn named<'t>(message: &'t str, players: &BTreeSet<String>) -> Option<&'t str> {
    WORDS.find_iter(message).map(|word| word.as_str()).find(|word| players.contains(&word.to_lowercase()))
}

/// The numbers that stand in a line with one player, and then in lines with none.
fn bound<'t>(text: &'t str, players: &BTreeSet<String>) -> BTreeSet<(&'t str, &'t str)> {
    let mut with: BTreeMap<(&str, &str), BTreeSet<String>> = BTreeMap::new();
    let mut alone: BTreeSet<(&str, &str)> = BTreeSet::new();
    for line in text.lines().map(message) {
        let player = named(line, players);
        for found in NUMBERED.captures_iter(line) {
            let (Some(word), Some(id)) = (found.name("word"), found.name("id")) else { continue };
            let key = (word.as_str(), id.as_str());
            match player {
                Some(player) if with.len() < MOST => drop(with.entry(key).or_default().insert(player.to_lowercase())),
                None if with.contains_key(&key) => drop(alone.insert(key)),
                _ => {}
            }
        }
    }
    // What stands for one stands for each: of a word whose numbers are said of several players none is a name.
    let is_of_one = |key: &(&str, &str)| with.get(key).is_some_and(|players| players.len() == 1);
    alone.into_iter().filter(is_of_one).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    fn players() -> BTreeSet<String> {
        ["osier", "mallow"].map(str::to_owned).into()
    }

    #[test]
    fn a_number_that_stood_with_a_player_stands_for_him() {
        let log = "18:00 line 7 opened for osier\n18:01 line 8 opened for mallow\n18:02 line 7 lacks reed\n18:03 line 9 idle\n";
        let told = resolved(log, &players()).expect("numbers that stand for players");
        assert!(told.contains("18:02 line osier lacks reed"), "{told}");
        assert!(told.contains("18:03 line 9 idle"), "{told}");
    }

    #[test]
    fn a_number_of_several_players_stands_for_none() {
        let log = "osier on port 4100\nmallow on port 4100\nport 4100 is busy\n";
        assert_eq!(resolved(log, &players()), None);
    }

    #[test]
    fn a_number_is_whose_it_was_last() {
        let log = "slot 1: osier\nslot 1 refused\nslot 1: osier again\nslot 1 let in\n";
        let told = resolved(log, &players()).expect("numbers that stand for players");
        assert!(told.contains("slot osier let in"), "{told}");
    }
}
