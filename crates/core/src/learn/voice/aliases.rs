//! Who or what is meant by a number, an address or a digest: many programs name a player once, with the number of his line, or each
//! mod once, with its place in the list, and from then on say the number alone.

use std::collections::{BTreeMap, BTreeSet};
use std::ops::Range;
use std::sync::LazyLock;

use regex::{Captures, Match, Regex};

use super::digests::HEX;
use super::lines::{is_digest, message};
use super::players::is_for_a_player;
use crate::diagnose::Needles;

/// The one name that a message has, if it has one.
type NameIn<'f> = dyn Fn(&str) -> Option<String> + 'f;

/// Digits of a number that stands for itself.
const LONG: usize = 7;
/// A number of at least so many digits may be somebody's where something is called with it.
const TOLD: usize = 3;
/// So many numbers are kept.
const MOST: usize = 20_000;

/// A number behind a word, at its end, or one that stands for itself.
const NUMBER: &str = r"\b(?:(?<word>[A-Za-z_]{1,16})[\x22']?[\s#:=\[(<-]{1,2}[\x22']?|(?<letter>[A-Za-z]))(?<id>[0-9A-Fa-f]*\d[0-9A-Fa-f]{0,15})\b|\b(?<grown>[A-Za-z_]{2,16})(?<end>\d{1,6})\b|\b(?<address>\d{1,3}(?:\.\d{1,3}){3}:\d{2,5}|0x[0-9A-Fa-f]{2,16}|[0-9A-Fa-f]{8}(?:-[0-9A-Fa-f]{4}){3}-[0-9A-Fa-f]{12}|\d{7,20})\b";

static NUMBERED: LazyLock<Regex> = LazyLock::new(|| Regex::new(NUMBER).expect("a pattern that is written here"));

/// The same, or one in brackets: those of mods count up, and would be taken for a list of them.
static BRACKETED: LazyLock<Regex> = LazyLock::new(|| {
    let pattern = format!(r"{NUMBER}|(?<open>[\[<({{])(?<inner>\d{{1,6}})[\]>)}}]|,\s?(?<told>\d{{3,6}})\)");
    Regex::new(&pattern).expect("a pattern that is written here")
});

/// A number behind a sign for numbers, whatever stands before that.
static SIGNED: LazyLock<Regex> =
    LazyLock::new(|| Regex::new(r"(?<word>[#№])(?<id>\d{1,6})\b").expect("a pattern that is written here"));

static WORDS: LazyLock<Regex> =
    LazyLock::new(|| Regex::new(r"[\p{L}_][\p{L}\d_-]*").expect("a pattern that is written here"));

/// So many numbers with a mod each are a list of them.
const LISTED: usize = 3;

/// A log with the mods' names in place of the numbers that stand for them; nothing where none does.
pub fn with_mods(text: &str, needles: &Needles) -> Option<String> {
    let named = |message: &str| match needles.places(message)[..] {
        [(_, id)] => Some(id.as_str().to_owned()),
        _ => None,
    };
    let counted = [&*NUMBERED, &*SIGNED].into_iter().find_map(|numbers| with_counted(text, needles, (numbers, &named)));
    counted.or_else(|| with_digests(text, needles, &named))
}

/// The same, with the digests that stand with one mod each; nothing where none stands alone elsewhere.
fn with_digests(text: &str, needles: &Needles, named: &NameIn<'_>) -> Option<String> {
    let mut with: BTreeMap<&str, BTreeSet<String>> = BTreeMap::new();
    // What was said before without a mod is of somebody's visit: a mod's digest is told with its name first.
    let mut of_none: BTreeSet<&str> = BTreeSet::new();
    for line in text.lines().map(message).take(MOST) {
        let digests: Vec<&str> =
            HEX.find_iter(line).map(|found| found.as_str()).filter(|text| is_digest(text)).collect();
        match (&digests[..], named(line)) {
            ([digest], Some(name)) if !of_none.contains(digest) => drop(with.entry(digest).or_default().insert(name)),
            (_, Some(_)) => {}
            (_, None) => of_none.extend(digests.iter().filter(|digest| !with.contains_key(*digest))),
        }
    }
    if with.values().flatten().collect::<BTreeSet<_>>().len() < LISTED {
        return None;
    }
    let bound = |digest: &str| with.get(digest).filter(|names| names.len() == 1).and_then(|names| names.first());
    let alone = text.lines().map(message).filter(|line| needles.places(line).is_empty());
    let names: BTreeSet<&String> =
        alone.flat_map(|line| HEX.find_iter(line)).filter_map(|found| bound(found.as_str())).collect();
    (!names.is_empty()).then(|| {
        replaced(text, |message| {
            let names_mods = !needles.places(message).is_empty();
            let of = |found: Match<'_>| Some((found.range(), bound(found.as_str()).filter(|_| !names_mods)?.clone()));
            HEX.find_iter(message).filter_map(of).collect()
        })
    })
}

/// The same, with the numbers that a pattern finds.
fn with_counted(text: &str, needles: &Needles, (numbers, named): (&'static Regex, &NameIn<'_>)) -> Option<String> {
    let bound = counted(text, (numbers, named));
    if bound.is_empty() {
        return None;
    }
    let used = text.lines().map(message).filter(|line| needles.places(line).is_empty());
    let is_used = used.flat_map(|line| numbered(line, numbers)).any(|number| bound.contains_key(&number.key()));
    is_used.then(|| {
        replaced(text, |message| {
            let names_mods = !needles.places(message).is_empty();
            let name = |number: &Number<'_>| bound.get(&number.key()).filter(|_| !names_mods).cloned();
            numbered(message, numbers).filter_map(|number| Some((number.id.range(), name(&number)?))).collect()
        })
    })
}

/// A log with the players' names in place of the numbers that stand for them; nothing where none does.
pub fn with_players(text: &str, players: &BTreeSet<String>, needles: &Needles) -> Option<String> {
    let named = |message: &str| named(message, players).map(str::to_lowercase);
    let bound = bound(text, &named);
    if bound.is_empty() {
        return None;
    }
    let used = text.lines().map(message).filter(|line| named(line).is_none());
    if !used.flat_map(|line| numbered(line, &BRACKETED)).any(|number| bound.contains(&number.key())) {
        return None;
    }
    let mut now: BTreeMap<(String, String), String> = BTreeMap::new();
    Some(replaced(text, |message| {
        let player = self::named(message, players);
        let mods = needles.places(message);
        let is_of_a_mod =
            |place: &Range<usize>| mods.iter().any(|((start, end), _)| place.start < *end && *start < place.end);
        let mut found = Vec::new();
        for number in numbered(message, &BRACKETED) {
            let (word, id) = number.key();
            let key = (word.to_owned(), id.to_owned());
            let place = number.id.range();
            // At the end of a word, it is parted from that: a word and a number are of one kind, whoever's it is.
            let gap = if number.is_joined(message) { " " } else { "" };
            if let Some(player) = player.filter(|_| bound.contains(&number.key())) {
                now.insert(key, player.to_owned());
                found.extend((!gap.is_empty()).then(|| (place, format!("{gap}{id}"))));
            } else if let Some(player) = now.get(&key).filter(|_| player.is_none() && !is_of_a_mod(&place)) {
                found.push((place, format!("{gap}{player}")));
            }
        }
        found
    }))
}

/// A text with other words at some places of each message.
fn replaced(text: &str, mut places: impl FnMut(&str) -> Vec<(Range<usize>, String)>) -> String {
    let mut out = String::with_capacity(text.len() + text.len() / 16);
    for line in text.lines() {
        let message = message(line);
        let begin = line.len() - message.len();
        let mut at = 0;
        for (place, name) in places(message) {
            out.push_str(&line[at..begin + place.start]);
            // In an object a name has quotes, where a number has none.
            let is_bare = message.contains('{') && message[..place.start].trim_end().ends_with(':');
            let quote = if is_bare { "\"" } else { "" };
            out.extend([quote, &name, quote]);
            at = begin + place.end;
        }
        out.push_str(&line[at..]);
        out.push('\n');
    }
    out
}

/// A number of a message, and the word that it belongs to: an address, of the network or of the memory, and the long number of an
/// account are their own.
struct Number<'m> {
    word: Match<'m>,
    id: Match<'m>,
}

impl<'m> Number<'m> {
    fn of(message: &'m str, found: &Captures<'m>) -> Option<Self> {
        let any = |names: &[&str]| names.iter().find_map(|name| found.name(name));
        let id = any(&["id", "end", "address", "inner", "told"])?;
        // The first part of a version stands for nobody.
        let rest = message[id.end()..].strip_prefix('.');
        if rest.is_some_and(|rest| rest.starts_with(|c: char| c.is_ascii_digit())) {
            return None;
        }
        let is_long = id.len() >= LONG && id.as_str().bytes().all(|byte| byte.is_ascii_digit());
        let word = if is_long || is_told_in_a_call(message, id) {
            id
        } else {
            any(&["word", "letter", "grown", "address", "open"])?
        };
        Some(Self { word, id })
    }

    /// What is the same wherever it stands.
    fn key(&self) -> (&'m str, &'m str) {
        (self.word.as_str(), self.id.as_str())
    }

    /// Whether it stands in brackets, and behind no word.
    fn is_in_brackets(&self) -> bool {
        matches!(self.word.as_str(), "[" | "<" | "(" | "{")
    }

    /// Whether it stands at the end of its word.
    fn is_grown(&self) -> bool {
        self.word.end() == self.id.start() && !self.is_in_brackets()
    }

    /// Whether nothing but a dash parts it from its word.
    fn is_joined(&self, message: &str) -> bool {
        self.is_grown() || message.get(self.word.end()..self.id.start()) == Some("-")
    }
}

/// Whether a number is what something is called with, whatever that is: `Arrived(osier, 4971)`, `Left(4971)`.
fn is_told_in_a_call(message: &str, id: Match<'_>) -> bool {
    let ends = message[id.end()..].starts_with([')', ',']);
    let call = message[..id.start()].rfind('(').filter(|at| !message[*at..id.start()].contains(')'));
    let is_call = |at: usize| message[..at].ends_with(|c: char| c.is_alphanumeric());
    id.len() >= TOLD && ends && message[..id.start()].trim_end().ends_with(['(', ',']) && call.is_some_and(is_call)
}

/// The numbers of a message.
fn numbered<'m>(message: &'m str, numbers: &'static Regex) -> impl Iterator<Item = Number<'m>> {
    // What stands with a level in brackets at the beginning is a part of the program, and serves one player after another.
    static PART: LazyLock<Regex> = LazyLock::new(|| {
        let pattern = r"(?i)^\s*\[[^\[\]]{1,60}/\s*(?:trace|debug|info|warn|warning|error|fatal|severe)\s*\]";
        Regex::new(pattern).expect("a pattern that is written here")
    });
    let part = PART.find(message).map_or(0, |part| part.end());
    let numbers = numbers.captures_iter(message).filter_map(move |found| Number::of(message, &found));
    numbers.filter(move |number| number.id.start() >= part)
}

fn named<'t>(message: &'t str, players: &BTreeSet<String>) -> Option<&'t str> {
    WORDS.find_iter(message).map(|word| word.as_str()).find(|word| players.contains(&word.to_lowercase()))
}

/// The numbers of lines that follow each other and count up, each with a name of its own.
fn counted<'t>(text: &'t str, (numbers, named): (&'static Regex, &NameIn<'_>)) -> BTreeMap<(&'t str, &'t str), String> {
    let mut found = BTreeMap::new();
    let mut run: Vec<(&str, &str, String)> = Vec::new();
    let keep = |run: &mut Vec<(&'t str, &'t str, String)>, found: &mut BTreeMap<_, _>| {
        let names: BTreeSet<&String> = run.iter().map(|(.., name)| name).collect();
        let is_list = names.len() == run.len() && run.len() >= LISTED;
        found.extend(std::mem::take(run).into_iter().filter(|_| is_list).map(|(word, id, name)| ((word, id), name)));
    };
    for line in text.lines().map(message).take(MOST) {
        let next = named(line).and_then(|name| {
            let (word, id) = numbered(line, numbers).next()?.key();
            Some((word, id, name))
        });
        let counts_up = match (run.last(), &next) {
            (Some((word, before, _)), Some((other, id, _))) => {
                word == other && before.parse::<u32>().ok().map(|before| before + 1) == id.parse().ok()
            }
            _ => true,
        };
        if !counts_up || next.is_none() {
            keep(&mut run, &mut found);
        }
        run.extend(next);
    }
    keep(&mut run, &mut found);
    found
}

/// Words for what a player is at the end of, and which somebody else gets after him.
const LINES: [&str; 22] = [
    "slot",
    "seat",
    "conn",
    "connection",
    "client",
    "session",
    "sess",
    "sid",
    "cid",
    "channel",
    "chan",
    "socket",
    "sock",
    "link",
    "line",
    "handle",
    "fd",
    "worker",
    "handler",
    "lane",
    "desk",
    "ticket",
];
/// So many numbers of a word tell what its numbers are.
const TELLING: usize = 5;

/// What is known of the numbers of one word.
#[derive(Default)]
struct OfWord<'t> {
    /// How many there are in lines that name a player, and how many of those are of one player alone.
    numbers: usize,
    alone: usize,
    /// The players that are the only ones of a number.
    players: BTreeSet<String>,
    /// Whether some stand at the end of the word.
    is_grown: bool,
    /// Of those in brackets: how many lines have one, and which there are.
    lines: usize,
    ids: BTreeSet<&'t str>,
}

impl OfWord<'_> {
    /// Whether its numbers may stand for players.
    fn may_be_players(&self, word: &str) -> bool {
        // A word with a number at its end may be anything's name; several of them, each with a player of its own, are theirs.
        let are_several = self.players.len() > 1;
        // What counts lines, or frames, is another number in each; of somebody who comes several lines tell.
        let recur = self.ids.is_empty() || self.ids.len() * 2 <= self.lines && are_several;
        recur && (!self.is_grown || are_several || is_line(word))
    }

    /// Whether a number goes from one player to the next.
    fn go_on(&self, word: &str) -> bool {
        is_line(word) && self.numbers > 1 || self.numbers >= TELLING && self.alone * 5 >= self.numbers * 4
    }
}

fn is_line(word: &str) -> bool {
    LINES.contains(&word.to_lowercase().as_str()) || is_for_a_player(word)
}

/// The numbers that stand in lines with one name, and with that alone. Where the numbers of a word do that, one that went from one
/// player to the next is theirs too.
fn bound<'t>(text: &'t str, named: &NameIn<'_>) -> BTreeSet<(&'t str, &'t str)> {
    let mut with: BTreeMap<(&str, &str), BTreeSet<String>> = BTreeMap::new();
    let mut words: BTreeMap<&str, OfWord<'t>> = BTreeMap::new();
    for line in text.lines().map(message) {
        let name = named(line);
        for number in numbered(line, &BRACKETED) {
            let (word, id) = number.key();
            if number.is_in_brackets() {
                let own = words.entry(word).or_default();
                own.lines += 1;
                if own.ids.len() < MOST {
                    own.ids.insert(id);
                }
            }
            if let Some(name) = name.as_ref().filter(|_| with.len() < MOST) {
                with.entry((word, id)).or_default().insert(name.clone());
                words.entry(word).or_default().is_grown |= number.is_grown() && word.len() > 1;
            }
        }
    }
    for ((word, _), names) in &with {
        let own = words.entry(word).or_default();
        own.numbers += 1;
        own.alone += usize::from(names.len() == 1);
        own.players.extend(names.first().filter(|_| names.len() == 1).cloned());
    }
    let counts = |(word, _): &(&str, &str), names: &BTreeSet<String>| {
        let own = &words[word];
        own.may_be_players(word) && (names.len() == 1 || own.go_on(word))
    };
    with.iter().filter(|(key, names)| counts(key, names)).map(|(key, _)| *key).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    fn as_players(log: &str) -> Option<String> {
        with_players(log, &["osier", "mallow"].map(str::to_owned).into(), &needles())
    }

    #[test]
    fn a_number_that_stood_with_a_player_stands_for_him() {
        let log = "18:00 line 7 opened for osier\n18:01 line 8 opened for mallow\n18:02 line 7 lacks reed\n18:03 line 9 idle\n";
        let told = as_players(log).expect("numbers that stand for players");
        assert!(told.contains("18:02 line osier lacks reed"), "{told}");
        assert!(told.contains("18:03 line 9 idle"), "{told}");
    }

    #[test]
    fn an_address_that_stood_with_a_player_stands_for_him() {
        let log = "Link|0x612D opened\nLink|0x612D identified as osier\nMods|0x612D reed ours 1 theirs 2\n";
        let told = as_players(log).expect("addresses that stand for players");
        assert!(told.contains("Mods|osier reed"), "{told}");
    }

    #[test]
    fn a_number_at_the_end_of_a_word_stands_for_a_player_where_others_have_theirs() {
        let log = "peer17: osier is here\npeer31: mallow is here\npeer17: lugworm absent\n";
        let told = as_players(log).expect("numbers that stand for players");
        assert!(told.ends_with("peer 31: mallow is here\npeer osier: lugworm absent\n"), "{told}");
        let log = "osier stands at gate2\nosier waits\ngate2 is shut\n";
        assert_eq!(as_players(log), None);
    }

    #[test]
    fn a_number_of_a_key_stands_for_a_player() {
        let log = "{\"c\":531,\"who\":\"osier\"}\n{\"c\":\"7a\",\"who\":\"mallow\"}\n{\"c\":531,\"m\":\"weir\"}\n{\"c\":\"7a\",\"m\":\"weir\"}\n";
        let told = as_players(log).expect("numbers that stand for players");
        assert!(told.ends_with("{\"c\":\"osier\",\"m\":\"weir\"}\n{\"c\":\"mallow\",\"m\":\"weir\"}\n"), "{told}");
    }

    #[test]
    fn a_part_of_a_version_or_of_a_mod_stands_for_nobody() {
        let log = "osier has weir version 1.0\nlugworm version 1.2\n";
        assert_eq!(as_players(log), None);
    }

    #[test]
    fn a_number_in_brackets_stands_for_a_player_where_several_lines_have_it() {
        let log = "[001] accepted\n[001] this is mallow\n[001] world sent\n[002] accepted\n[002] this is osier\n[002] lacks weir\n";
        let told = as_players(log).expect("numbers that stand for players");
        assert!(told.ends_with("[002] this is osier\n[osier] lacks weir\n"), "{told}");
        let frames = "[101] osier comes\n[102] mallow comes\n[103] tick\n[104] tick\n[101] lacks weir\n[106] tick\n";
        assert_eq!(as_players(frames), None);
    }

    #[test]
    fn the_number_of_an_account_stands_for_its_player() {
        let log = "osier [7000000431] asks\nuser 7000000431 denied: weir altered\nmallow {1b4e28ba-2fa1-11d2-883f-0016d3cca427}\n\
            1b4e28ba-2fa1-11d2-883f-0016d3cca427 lacks skerry\n";
        let told = as_players(log).expect("numbers that stand for players");
        assert!(told.contains("user osier denied") && told.ends_with("mallow lacks skerry\n"), "{told}");
    }

    #[test]
    fn a_number_of_several_players_stands_for_none() {
        let log = "osier on port 4100\nmallow on port 4100\nport 4100 is busy\n";
        assert_eq!(as_players(log), None);
    }

    #[test]
    fn a_number_behind_a_dash_stands_for_a_player_and_no_part_of_a_mod_does() {
        let log =
            "worker-1: osier\nworker-2: mallow\nworker-1: weir absent\nworker-1: mallow\nworker-1: skerry altered\n";
        let told = as_players(log).expect("numbers that stand for players");
        assert!(
            told.contains("worker- osier: weir absent") && told.ends_with("worker- mallow: skerry altered\n"),
            "{told}"
        );
    }

    #[test]
    fn a_line_goes_from_one_player_to_the_next() {
        let log =
            "slot 1: osier\nslot 2: mallow\nslot 1 lacks weir\nslot 1 free\nslot 1: mallow\nslot 1 lacks skerry\n";
        let told = as_players(log).expect("numbers that stand for players");
        assert!(told.contains("slot osier lacks weir") && told.ends_with("slot mallow lacks skerry\n"), "{told}");
    }

    #[test]
    fn a_number_is_whose_it_was_last() {
        let log = "slot 1: osier\nslot 1 refused\nslot 1: osier again\nslot 1 let in\n";
        let told = as_players(log).expect("numbers that stand for players");
        assert!(told.contains("slot osier let in"), "{told}");
    }

    fn needles() -> Needles {
        let rulebook = crate::rulebook::of_logs("");
        let loaded = ["weir", "skerry", "lugworm", "eiderdown"].map(|id| crate::logs::LogEvent {
            means: crate::rulebook::Event::ModLoaded,
            source: crate::logs::Source::ServerLog,
            line: 1,
            text: String::new(),
            mod_id: Some(id.into()),
            expected: None,
            found: None,
            player: None,
            file: None,
            key: None,
            amount: None,
            kept_out: None,
            is_guess: false,
        });
        Needles::new(&rulebook, &[], None, &loaded).expect("few names")
    }

    #[test]
    fn a_number_that_counted_up_the_mods_stands_for_one() {
        let log = "slot 1: weir 1.0\nslot 2: skerry 2.0\nslot 3: lugworm 3.0\nosier is out, slot 2 missing\n";
        let told = with_mods(log, &needles()).expect("numbers that stand for mods");
        assert!(told.ends_with("osier is out, slot skerry missing\n"), "{told}");
    }

    #[test]
    fn numbers_that_count_nothing_up_stand_for_nothing() {
        for log in [
            // Of lines, as they were opened: each names a mod once.
            "link 103 lacks weir\nlink 107 lacks skerry\nlink 112 lacks lugworm\nlink 107 closed\n",
            // Two are no list.
            "slot 1: weir 1.0\nslot 2: skerry 2.0\nosier is out, slot 2 missing\n",
            // One mod each time.
            "try 1: weir\ntry 2: weir\ntry 3: weir\ntry 2 again\n",
            // Nobody says the number alone.
            "slot 1: weir 1.0\nslot 2: skerry 2.0\nslot 3: lugworm 3.0\n",
        ] {
            assert_eq!(with_mods(log, &needles()), None, "{log}");
        }
    }
}
