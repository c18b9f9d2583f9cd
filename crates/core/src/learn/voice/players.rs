//! Which words of a log are players: words at one place of several lines that are alike, near words for who comes and goes.

use std::collections::{BTreeMap, BTreeSet, HashMap};

use super::lines::{Lines, Piece, skeleton};
use crate::base::ids::same_name;

/// So many different words at one place are more than players are.
const AT_A_PLACE: usize = 500;

/// Words that a name stands behind.
const BEFORE: [&str; 17] = [
    "called",
    "named",
    "peer",
    "player",
    "user",
    "guest",
    "visitor",
    "nick",
    "nickname",
    "account",
    "member",
    "passenger",
    "hello",
    "welcome",
    "spieler",
    "joueur",
    "jugador",
];
/// Words that a name stands before.
const BEHIND: [&str; 22] = [
    "joined",
    "joins",
    "join",
    "joining",
    "left",
    "leaves",
    "connected",
    "connects",
    "connecting",
    "disconnected",
    "knocks",
    "knocked",
    "enters",
    "entered",
    "tries",
    "tried",
    "arrives",
    "arrived",
    "refused",
    "rejected",
    "kicked",
    "admitted",
];
/// Words that stand there too, and are nobody's name.
const NOBODY: [&str; 56] = [
    "none",
    "null",
    "nil",
    "nobody",
    "out",
    "off",
    "away",
    "back",
    "up",
    "down",
    "again",
    "the",
    "a",
    "an",
    "this",
    "that",
    "all",
    "any",
    "no",
    "not",
    "new",
    "server",
    "client",
    "mod",
    "mods",
    "host",
    "world",
    "file",
    "session",
    "connection",
    "is",
    "was",
    "has",
    "have",
    "to",
    "of",
    "in",
    "on",
    "at",
    "with",
    "and",
    "or",
    "id",
    "name",
    "list",
    "count",
    "data",
    "error",
    "from",
    "for",
    "by",
    "ahead",
    "behind",
    "instead",
    "against",
    "versus",
];

/// The players that some lines name; `told` are those that somebody knows.
pub fn found(lines: &Lines, told: &[String]) -> BTreeSet<String> {
    let mut places: BTreeMap<String, BTreeSet<&str>> = BTreeMap::new();
    let mut players: BTreeSet<String> = told.iter().map(|name| name.to_lowercase()).collect();
    // Of whom it is said that he comes, more is said: what stands in one kind of lines alone is a word like others.
    let mut near: BTreeSet<String> = BTreeSet::new();
    let mut shapes_of: HashMap<String, usize> = HashMap::new();
    for pieces in lines.shapes.iter().map(|shape| &shape.pieces) {
        let own: BTreeSet<String> = words(pieces).map(|(_, word)| word.to_lowercase()).collect();
        own.into_iter().for_each(|word| *shapes_of.entry(word).or_default() += 1);
        for (at, word) in words(pieces) {
            if is_near_a_word_for_it(pieces, at) && may_be_a_name(word) {
                near.insert(word.to_lowercase());
            }
            let mut open = pieces.clone();
            open[at] = Piece::Player(String::new());
            let known = places.entry(skeleton(&open)).or_default();
            if known.len() <= AT_A_PLACE {
                known.insert(word);
            }
        }
    }
    // Where somebody is known, whoever stands where he stands is known by that, and words for it may stand near others.
    let with_him = who_stands_with(&places, told);
    if with_him.iter().any(|word| !players.contains(word)) {
        near.clear();
    }
    // Beside the name of somebody who is known, a letter with digits is the number of a line.
    if told.iter().any(|name| shapes_of.contains_key(&name.to_lowercase()) && !is_numbered(name)) {
        near.retain(|word| !is_numbered(word));
    }
    let is_said_more_of = |word: &String| shapes_of.get(word).is_some_and(|shapes| *shapes > 1);
    match near.iter().any(is_said_more_of) {
        true => players.extend(near.into_iter().filter(is_said_more_of)),
        false => players.extend(near),
    }
    if players.is_empty() {
        players.extend(who_speaks(lines, &places));
    }
    if players.is_empty() {
        players.extend(who_recurs(&places));
    }
    players.extend(with_him);
    // Whoever stands where a player stands is one.
    for _ in 0..2 {
        let is_place = |words: &&BTreeSet<&str>| {
            let named = words.iter().filter(|word| players.contains(&word.to_lowercase())).count();
            words.len() > 1 && words.len() <= AT_A_PLACE && named * 3 >= words.len()
        };
        let more: Vec<String> = places
            .values()
            .filter(is_place)
            .flatten()
            .filter(|word| may_be_a_name(word))
            .map(|word| word.to_lowercase())
            .collect();
        players.extend(more);
    }
    players
}

/// Lines that are so near to each other may be about one who comes.
const NEAR: usize = 2;
/// So many sets of words are tried.
const SETS: usize = 200;
/// So many lines are looked at for all of them: who comes is named now and then, and not in most lines.
const LOOKED_AT: usize = 300_000;

/// Words that stand at the same place of several kinds of lines, and of which one is named by several unlike lines in a row: who
/// comes does several things, one after another.
fn who_speaks(lines: &Lines, places: &BTreeMap<String, BTreeSet<&str>>) -> Vec<String> {
    let mut by_shape: Vec<Vec<usize>> = vec![Vec::new(); lines.shapes.len()];
    for (at, line) in lines.lines.iter().enumerate() {
        by_shape[line.shape as usize].push(at);
    }
    let mut by_word: HashMap<String, Vec<usize>> = HashMap::new();
    for (at, shape) in lines.shapes.iter().enumerate() {
        for (_, word) in words(&shape.pieces) {
            by_word.entry(word.to_lowercase()).or_default().push(at);
        }
    }
    let mut sets: Vec<&BTreeSet<&str>> = places.values().filter(|words| words.len() > 1).collect();
    sets.sort_by_key(|words| std::cmp::Reverse(words.len()));
    let mut found = BTreeSet::new();
    let mut looked_at = 0;
    for set in sets.into_iter().take(SETS) {
        let names: Vec<String> =
            set.iter().filter(|word| may_be_a_name(word)).map(|word| word.to_lowercase()).collect();
        let of_names =
            || names.iter().flat_map(|name| by_word.get(name).into_iter().flatten().map(move |at| (*at, name)));
        looked_at += of_names().map(|(shape, _)| by_shape[shape].len()).sum::<usize>();
        if looked_at > LOOKED_AT {
            break;
        }
        let mut named: Vec<(usize, &String)> =
            of_names().flat_map(|(shape, name)| by_shape[shape].iter().map(move |line| (*line, name))).collect();
        named.sort_unstable();
        let mut skeletons: HashMap<u32, String> = HashMap::new();
        let is_near = |pair: &&[(usize, &String)]| {
            pair[1].0 - pair[0].0 <= NEAR && lines.lines[pair[0].0].log == lines.lines[pair[1].0].log
        };
        let pairs = named.windows(2).filter(is_near);
        let mut skeleton = |at: usize| {
            let shape = lines.lines[at].shape;
            let without = || skeleton_without(&lines.shapes[shape as usize].pieces, &names);
            skeletons.entry(shape).or_insert_with(without).clone()
        };
        let in_a_row = |pair: &&[(usize, &String)]| {
            let is_one = lines.lines[pair[0].0].shape == lines.lines[pair[1].0].shape;
            pair[0].1 == pair[1].1 && !is_one && skeleton(pair[0].0) != skeleton(pair[1].0)
        };
        let (all, rows) = (pairs.clone().count(), pairs.filter(in_a_row).count());
        if names.len() > 1 && all > 2 && rows * 10 >= all * 6 {
            found.extend(names);
        }
    }
    found.into_iter().collect()
}

/// Words that stand where somebody stands of whom it is known that he is a player, in several kinds of lines.
fn who_stands_with(places: &BTreeMap<String, BTreeSet<&str>>, told: &[String]) -> BTreeSet<String> {
    let is_told = |word: &&str| told.iter().any(|name| same_name(name, word));
    let sets: Vec<&BTreeSet<&str>> = places.values().filter(|words| words.len() <= AT_A_PLACE).collect();
    let with_him = sets.iter().filter(|words| words.iter().any(&is_told));
    // A log that says each name once, in one kind of line, has nothing else to go by.
    let shared: Vec<_> = with_him.clone().filter(|words| words.len() > 2).collect();
    if let [only] = shared[..] {
        return only.iter().filter(|word| may_be_a_name(word)).map(|word| word.to_lowercase()).collect();
    }
    let may_be: BTreeSet<&str> = with_him.copied().flatten().copied().filter(|word| may_be_a_name(word)).collect();
    let mut times: BTreeMap<&str, usize> = BTreeMap::new();
    for set in sets {
        let both: Vec<&str> = set.iter().copied().filter(|word| may_be.contains(word)).collect();
        if both.len() > 1 {
            both.into_iter().for_each(|word| *times.entry(word).or_default() += 1);
        }
    }
    times.into_iter().filter(|(_, times)| *times > 1).map(|(word, _)| word.to_lowercase()).collect()
}

/// So many words at one place of two kinds of lines are names.
const RECURRING: usize = 3;

/// Words that stand at one place of several kinds of lines, and hardly any others with them: who comes is named as he asks, and as he goes.
fn who_recurs(places: &BTreeMap<String, BTreeSet<&str>>) -> BTreeSet<String> {
    let is_many = |words: &&BTreeSet<&str>| (RECURRING..=AT_A_PLACE).contains(&words.len());
    let mut sets: Vec<&BTreeSet<&str>> = places.values().filter(is_many).collect();
    sets.sort_by_key(|words| std::cmp::Reverse(words.len()));
    sets.truncate(SETS);
    let mut found = BTreeSet::new();
    for (at, set) in sets.iter().enumerate() {
        for other in &sets[at + 1..] {
            let both: Vec<&&str> = set.intersection(other).filter(|word| may_be_a_name(word)).collect();
            if both.len() >= RECURRING && both.len() * 2 >= set.len() {
                found.extend(both.into_iter().map(|word| word.to_lowercase()));
            }
        }
    }
    found
}

fn skeleton_without(pieces: &[Piece], names: &[String]) -> String {
    let mut pieces = pieces.to_vec();
    for piece in &mut pieces {
        if matches!(piece, Piece::Word(word) if names.contains(&word.to_lowercase())) {
            *piece = Piece::Player(String::new());
        }
    }
    skeleton(&pieces)
}

fn words(pieces: &[Piece]) -> impl Iterator<Item = (usize, &str)> {
    pieces.iter().enumerate().filter_map(|(at, piece)| match piece {
        Piece::Word(word) => Some((at, word.as_str())),
        _ => None,
    })
}

/// Whether a word says that a player's name, or number, comes next.
pub fn is_for_a_player(word: &str) -> bool {
    BEFORE.contains(&word.to_lowercase().as_str())
}

/// Whether a word is a letter or two, and a number.
fn is_numbered(word: &str) -> bool {
    let digits = word.trim_start_matches(char::is_alphabetic);
    (1..=2).contains(&(word.len() - digits.len()))
        && digits.len() > 1
        && digits.bytes().all(|byte| byte.is_ascii_digit())
}

/// Whether a word may be somebody's, or something's, name: no word that is said of them.
pub fn may_be_a_name(word: &str) -> bool {
    let lower = word.to_lowercase();
    word.chars().count() > 2
        && !NOBODY.contains(&lower.as_str())
        && !BEFORE.contains(&lower.as_str())
        && !BEHIND.contains(&lower.as_str())
}

fn is_near_a_word_for_it(pieces: &[Piece], at: usize) -> bool {
    let is_gap = |piece: &&Piece| matches!(piece, Piece::Blank | Piece::Sign(_));
    let word = |piece: Option<&Piece>, words: &[&str]| matches!(piece, Some(Piece::Word(word)) if words.contains(&word.to_lowercase().as_str()));
    let before = pieces[..at].iter().rev().find(|piece| !is_gap(piece));
    let gap = pieces[at + 1..].iter().take_while(|piece| is_gap(piece)).count();
    let behind = pieces[at + 1..].iter().find(|piece| !is_gap(piece));
    let begins = !pieces[..at].iter().any(Piece::is_mod);
    // A key, or a part of a dotted word or a path.
    let is_key = matches!(pieces.get(at + 1), Some(Piece::Sign(sign)) if sign.starts_with('='));
    let is_part =
        |piece: Option<&Piece>| matches!(piece, Some(Piece::Sign(sign)) if matches!(sign.as_str(), "." | "/" | "\\"));
    if is_key || is_part(at.checked_sub(1).and_then(|before| pieces.get(before))) {
        return false;
    }
    word(before, &BEFORE) || (gap == 1 && begins && word(behind, &BEHIND) && !word(before, &NOBODY))
}
