//! Tries to join: which line begins one, which lines are of it, and which line ends it, well or not.

use std::collections::{BTreeMap, BTreeSet};
use std::rc::Rc;
use std::sync::LazyLock;

use aho_corasick::AhoCorasick;

use super::kinds::{Kind, Kinds};
use super::lines::Piece;
use super::model::{LearnedEvent, Sign};
use crate::base::ids::same_name;
use crate::diagnose::{elsewhere, means_failure, parted, says_unwanted};
use crate::logs::KeptOutBy;
use crate::rulebook::{Event, Role};

/// Beginnings of words for a try that went well.
const WELL: [&str; 45] = [
    "är inne",
    "kom in ",
    "er inde",
    "accept",
    "allow",
    "plays",
    "playing",
    "comes in",
    "est entré",
    "está dentro",
    "welcom",
    "joined",
    "entered",
    "enters",
    "aboard",
    "admits",
    "admitted",
    "granted",
    "logged in",
    "spawn",
    "let in",
    // Not *is installed*.
    "is in ",
    "authorised",
    "authorized",
    "joins us",
    "came in",
    "willkommen",
    "bienven",
    "betritt",
    "eingelassen",
    "aceptad",
    "se unió",
    "speelt mee",
    "toegelaten",
    "entrou",
    "conectou",
    "entrat",
    "rejoint",
    "dołączył",
    "wszedł",
    "вошёл",
    "вошел",
    "подключился",
    "加入",
    "进入",
];
/// Beginnings of words for one that did not.
const ILL: [&str; 43] = [
    "kom inte in",
    "kommer inte in",
    "kom ikke in",
    "släpptes inte",
    "incompatib",
    "not allow",
    "disallow",
    "nekad",
    "nektet",
    "afvist",
    "refus",
    "reject",
    "denied",
    "deny",
    "kick",
    "drop",
    "turned away",
    "turns away",
    "turned back",
    "fail",
    "expel",
    "remov",
    "not admitted",
    "sent home",
    "sent away",
    "abgewiesen",
    "abgelehnt",
    "verweigert",
    "getrennt",
    "rechaz",
    "rejet",
    "expuls",
    "recus",
    "geweigerd",
    "rifiut",
    "odrzuc",
    "отклон",
    "отказ",
    "拒绝",
    "abort",
    "cancel",
    "mismatch",
    "may not",
];
/// Beginnings of words for whoever goes, whatever was before.
const GOES: [&str; 7] = ["left", "leave", "disconnect", "closed", "quit", "goodbye", "gone"];
/// Beginnings of words for a try.
const TRIES: [&str; 13] = [
    "join",
    "connect",
    "hello",
    "handshake",
    "login",
    "logs in",
    "knock",
    "request",
    "tries",
    "arriv",
    "enter",
    "begehr",
    "wants",
];

/// A try to join.
#[derive(Debug, Clone)]
pub struct Episode {
    /// Which log it is in.
    pub log: usize,
    /// Who tried, where the log tells.
    pub player: Option<Rc<str>>,
    /// Its lines.
    pub lines: Vec<usize>,
    /// Lines after its last that may be of it.
    pending: Vec<usize>,
    /// The line that ends it.
    pub outcome: Option<usize>,
    /// Whether it went well, as far as is known.
    pub went_well: Option<bool>,
    /// Whether words say so.
    pub by_words: bool,
    /// Whether another try ended like it.
    pub is_usual: bool,
    /// Whether it is told in one block, of which the first line alone says whose it is.
    pub is_block: bool,
    /// Whether it ended for something that no mod has to do with: what else is told in it tells nothing of mods.
    pub is_elsewhere: bool,
}

impl Episode {
    /// The same without the lines before one of them.
    pub fn from(&self, first: usize) -> Self {
        Self { lines: self.lines[first..].to_vec(), ..self.clone() }
    }

    /// One without a line yet.
    const fn new(log: usize, player: Option<Rc<str>>) -> Self {
        Self {
            log,
            player,
            lines: Vec::new(),
            pending: Vec::new(),
            outcome: None,
            went_well: None,
            by_words: false,
            is_usual: false,
            is_block: false,
            is_elsewhere: false,
        }
    }
}

/// What the words of a kind of lines say of tries.
struct TryWords {
    /// Of one that went well, or of one that did not.
    tone: Option<bool>,
    /// Of whoever goes.
    goes: bool,
    /// Of a try.
    tries: bool,
    /// Of something that is not wanted.
    is_of_unwanted: bool,
    /// Of what keeps players out and has to do with no mod.
    is_elsewhere: bool,
}

impl TryWords {
    /// For each kind, once: logs have many lines of few kinds.
    fn of(kinds: &Kinds) -> Vec<Self> {
        let each = kinds.kinds.iter().map(|kind| {
            let words = kind.words();
            let words = parted(&words);
            let kept_out = elsewhere(&words);
            Self {
                tone: tone(&words).or(kept_out.map(|_| false)),
                is_elsewhere: kept_out.is_some_and(KeptOutBy::is_final),
                goes: GOES_WORDS.are_in(&words),
                tries: TRIES_WORDS.are_in(&words),
                is_of_unwanted: says_unwanted(&words) || says_unwanted(&status(&words)),
            }
        });
        each.collect()
    }
}

/// The last word of a line, as one for how what it is about is.
fn status(words: &str) -> String {
    let last = words.trim_end_matches(|c: char| !c.is_alphanumeric()).rsplit(|c: char| !c.is_alphabetic()).next();
    format!("{}:", last.unwrap_or_default())
}

/// How lines that end tries end them.
#[derive(Debug, Clone, Copy, Default)]
struct Ending {
    joins: usize,
    with_mods: usize,
    /// How many were for something that no mod has to do with.
    elsewhere: usize,
    by_words: Option<bool>,
}

impl Ending {
    /// Whether the tries that end so went well.
    fn is_well(self, others_name_mods: bool) -> Option<bool> {
        // Whoever is sent away for something else is let in by no such line.
        self.by_words.or_else(|| match (self.with_mods, self.joins) {
            (0, _) if others_name_mods && self.elsewhere == 0 => Some(true),
            (with, all) if (with + self.elsewhere) * 10 >= all * 7 => Some(false),
            _ => None,
        })
    }
}

/// All tries of some logs.
#[derive(Debug, Default)]
pub struct Joins {
    /// The tries.
    pub episodes: Vec<Episode>,
    /// The kind of the line that begins one.
    start: Option<usize>,
    endings: BTreeMap<usize, (Ending, Option<bool>)>,
    /// The kinds of lines that say the same in each of several tries.
    pub alike: BTreeSet<usize>,
}

impl Joins {
    /// Finds them; `loaded` are the kinds of lines that tell of each mod as it is loaded.
    /// `most` is how many mods are most of them.
    pub fn of(kinds: &Kinds, loaded: &[usize], most: usize) -> Self {
        let start = start(kinds);
        let said = TryWords::of(kinds);
        let episodes = blocks((kinds, &said), start, loaded).unwrap_or_else(|| episodes((kinds, &said), start, loaded));
        let mut joins = Self { episodes, start, ..Self::default() };
        joins.alike = joins.same_in_all(kinds);
        for episode in &mut joins.episodes {
            episode.outcome = outcome((kinds, &said), episode, start);
            let says_so = |kind: usize| !kinds.kinds[kind].names_mods() && said[kind].is_elsewhere;
            let mut own = episode.lines.iter();
            episode.is_elsewhere = own.any(|line| says_so(kinds.lines[*line].kind) && kinds.is_of_a_player(*line));
        }
        joins.judge(kinds, &said, most);
        joins.episodes.extend(of_clients((kinds, &said), loaded));
        joins
    }

    fn judge(&mut self, kinds: &Kinds, said: &[TryWords], most: usize) {
        let chatter = self.chatter(kinds);
        let mut tries_with: BTreeMap<usize, usize> = BTreeMap::new();
        for episode in &self.episodes {
            let own: BTreeSet<usize> = episode.lines.iter().map(|line| kinds.lines[*line].kind).collect();
            own.into_iter().for_each(|kind| *tries_with.entry(kind).or_default() += 1);
        }
        // Where lines about mods name players, those that name nobody are no reason.
        let name_players = kinds.say_whose_mods();
        // A list of all that somebody has says nothing of how it ended.
        let names_mods = |episode: &Episode| {
            let mut named: BTreeMap<usize, usize> = BTreeMap::new();
            let tell = |line: &&usize| !name_players || episode.is_block || kinds.is_of_a_player(**line);
            for seen in episode.lines.iter().filter(tell).map(|line| &kinds.lines[*line]) {
                *named.entry(seen.kind).or_default() += seen.mods().len();
            }
            let mut own = named.into_iter().filter(|(_, mods)| (1..most).contains(mods));
            // Two values that are the same are a reason where no other try has such a line.
            let is_usual = |kind: usize| kinds.kinds[kind].says_same() && tries_with.get(&kind) > Some(&1);
            let is_fine = |kind: usize| kinds.kinds[kind].says_fine() || is_usual(kind);
            let tells = |kind: usize| kinds.kinds[kind].names_mods() && !is_fine(kind);
            // A mod that nobody here has is not known to be one, and is told of all the same.
            let is_unwanted = |line: &usize| said[kinds.lines[*line].kind].is_of_unwanted;
            own.any(|(kind, _)| tells(kind) && !chatter.contains(&kind)) || episode.lines.iter().any(is_unwanted)
        };
        let mut endings: BTreeMap<usize, Ending> = BTreeMap::new();
        for episode in &self.episodes {
            let Some(kind) = episode.outcome.map(|line| kinds.lines[line].kind) else { continue };
            let ending = endings.entry(kind).or_default();
            ending.joins += 1;
            let with_mods = names_mods(episode);
            ending.with_mods += usize::from(with_mods);
            ending.elsewhere += usize::from(episode.is_elsewhere && !with_mods);
            ending.by_words = said[kind].tone;
        }
        let others = |kind: usize| endings.iter().any(|(other, ending)| *other != kind && ending.with_mods > 0);
        self.endings = endings.iter().map(|(kind, ending)| (*kind, (*ending, ending.is_well(others(*kind))))).collect();
        for episode in &mut self.episodes {
            let kind = episode.outcome.map(|line| kinds.lines[line].kind);
            let ending = kind.and_then(|kind| self.endings.get(&kind));
            episode.went_well = ending.and_then(|(_, well)| *well);
            episode.by_words = ending.is_some_and(|(ending, _)| ending.by_words.is_some());
            episode.is_usual = ending.is_some_and(|(ending, _)| ending.joins > 1);
            // Where all tries end alike, the last word for how one went is one of its lines.
            // What is said of mods alone, or further in, says it of them first.
            let of_mods = |line: &usize| {
                let seen = &kinds.lines[*line];
                seen.player.is_none() && (seen.depth > 0 || kinds.kind(*line).names_mods())
            };
            let last = |of: bool| {
                let mut lines = episode.lines.iter().rev().filter(|line| of_mods(line) == of);
                lines.find_map(|line| said[kinds.lines[*line].kind].tone)
            };
            let tone = || last(false).or_else(|| last(true));
            if let (None, Some(tone)) = (episode.went_well, tone()) {
                (episode.went_well, episode.by_words) = (Some(tone), true);
            }
        }
    }

    /// Lines about mods that are found in tries of every ending alike, or, of those that name nobody, in one that ended for something
    /// else.
    fn chatter(&self, kinds: &Kinds) -> BTreeSet<usize> {
        let mut chatter = self.found_in_all_endings(kinds);
        let of_elsewhere =
            self.episodes.iter().filter(|episode| episode.is_elsewhere).flat_map(|episode| &episode.lines);
        let is_anybodys = |line: &&usize| kinds.kind(**line).names_mods() && !kinds.is_of_a_player(**line);
        chatter.extend(of_elsewhere.filter(is_anybodys).map(|line| kinds.lines[*line].kind));
        chatter
    }

    fn found_in_all_endings(&self, kinds: &Kinds) -> BTreeSet<usize> {
        let mut tries: BTreeMap<usize, usize> = BTreeMap::new();
        let mut with: BTreeMap<(usize, usize), usize> = BTreeMap::new();
        for episode in &self.episodes {
            let Some(ending) = episode.outcome.map(|line| kinds.lines[line].kind) else { continue };
            *tries.entry(ending).or_default() += 1;
            let own: BTreeSet<usize> = episode.lines.iter().map(|line| kinds.lines[*line].kind).collect();
            for kind in own.into_iter().filter(|kind| kinds.kinds[*kind].names_mods()) {
                *with.entry((kind, ending)).or_default() += 1;
            }
        }
        let named: BTreeSet<usize> = with.keys().map(|(kind, _)| *kind).collect();
        if tries.len() == 1 {
            let is_chatter = |kind: &usize| self.says_one_thing(kinds, *kind) || self.alike.contains(kind);
            return named.into_iter().filter(is_chatter).collect();
        }
        let is_everywhere = |kind: &usize| {
            let share = |(ending, all): (&usize, &usize)| {
                let own = with.get(&(*kind, *ending)).copied().unwrap_or(0);
                own * 10 >= all * 3
            };
            tries.len() > 1 && tries.iter().all(share)
        };
        named.into_iter().filter(is_everywhere).collect()
    }

    /// Whether lines of a kind name nobody, and name one and the same in most of several tries.
    fn says_one_thing(&self, kinds: &Kinds, kind: usize) -> bool {
        let of_kind = |episode: &Episode| {
            let own = episode.lines.iter().map(|line| &kinds.lines[*line]).filter(|seen| seen.kind == kind);
            own.map(|seen| (seen.player.is_none(), seen.mods().to_vec())).collect::<Vec<_>>()
        };
        let told: Vec<_> = self.episodes.iter().map(of_kind).filter(|told| !told.is_empty()).collect();
        let is_one = told.windows(2).all(|pair| pair[0] == pair[1]);
        let names_nobody = told.iter().flatten().all(|(nobody, _)| *nobody);
        is_one && names_nobody && told.len() >= 3 && told.len() * 10 >= self.episodes.len() * 6
    }

    /// The kinds of lines that say the same of the same mods in each of several tries, and no word of failure: what is said of everybody
    /// tells nothing of one.
    fn same_in_all(&self, kinds: &Kinds) -> BTreeSet<usize> {
        let said = |episode: &Episode| {
            let mut by_kind: BTreeMap<usize, Vec<_>> = BTreeMap::new();
            for seen in episode.lines.iter().map(|line| &kinds.lines[*line]) {
                by_kind.entry(seen.kind).or_default().push((seen.mods(), seen.versions(), seen.digests()));
            }
            by_kind
        };
        let mut of_server = self.episodes.iter().filter(|episode| episode.player.is_some()).map(said);
        let Some(mut same) = of_server.next() else { return BTreeSet::new() };
        let mut several = false;
        for other in of_server {
            same.retain(|kind, own| other.get(kind) == Some(own));
            several = true;
        }
        let fails = |kind: &usize| means_failure(&kinds.kinds[*kind].words()).is_some();
        same.into_keys().filter(|kind| several && !fails(kind)).collect()
    }

    /// The try that a line is of.
    pub fn by_line(&self) -> BTreeMap<usize, &Episode> {
        self.episodes.iter().flat_map(|episode| episode.lines.iter().map(move |line| (*line, episode))).collect()
    }

    /// Whether the last try of a client's log went well.
    pub fn client_got_in(&self) -> bool {
        let of_client = self.episodes.iter().rev().find(|episode| episode.player.is_none());
        of_client.is_some_and(|episode| episode.went_well == Some(true))
    }

    /// Whether there are tries in logs of a side.
    pub fn has(&self, side: Role) -> bool {
        self.episodes.iter().any(|episode| episode.player.is_some() == (side == Role::Server))
    }

    /// Whether a kind of lines begins or ends tries, and says nothing else.
    pub fn is_about(&self, kinds: &Kinds, kind: usize) -> bool {
        self.start == Some(kind) || self.endings.contains_key(&kind) && !kinds.kinds[kind].names_mods()
    }

    /// The last try that is told of in a log: of a player, or of anybody.
    pub fn last_of(&self, log: usize, player: Option<&str>) -> Option<&Episode> {
        let is_of = |episode: &&Episode| match (player, &episode.player) {
            (Some(wanted), Some(player)) => same_name(wanted, player),
            _ => true,
        };
        self.episodes.iter().filter(|episode| episode.log == log).rfind(is_of)
    }

    /// What was learned of them.
    pub fn events(&self, kinds: &Kinds) -> Vec<LearnedEvent> {
        let mut events = Vec::new();
        if let Some(start) = self.start.filter(|start| !self.endings.contains_key(start)) {
            let joins = kinds.kinds[start].lines.len();
            let says_so = TRIES_WORDS.are_in(&kinds.kinds[start].words());
            let sure = 0.55 + 0.08 * joins.min(3) as f64 + if says_so { 0.15 } else { 0.0 };
            events.extend(kinds.kinds[start].event(Event::JoinTried, sure, vec![Sign::ComesFirst { joins }]));
        }
        let plain = self.endings.iter().filter(|(kind, _)| !kinds.kinds[**kind].names_mods());
        for (kind, (ending, well)) in plain {
            let Some(well) = well else { continue };
            let means = if *well { Event::JoinAccepted } else { Event::JoinRefused };
            let by_mods = if *well { ending.with_mods == 0 } else { ending.with_mods * 10 >= ending.joins * 7 };
            let mut signs = vec![Sign::ComesLast { joins: ending.joins, with_mods: ending.with_mods }];
            let mut sure = if by_mods { 0.65 } else { 0.5 };
            if ending.by_words.is_some() {
                signs.push(Sign::Words);
                sure += 0.25;
            }
            events.extend(kinds.kinds[*kind].event(means, sure, signs));
        }
        events
    }
}

/// Beginnings of words, looked for all at once.
struct Beginnings(AhoCorasick);

static WELL_WORDS: LazyLock<Beginnings> = LazyLock::new(|| Beginnings::of(&WELL));
static ILL_WORDS: LazyLock<Beginnings> = LazyLock::new(|| Beginnings::of(&ILL));
static GOES_WORDS: LazyLock<Beginnings> = LazyLock::new(|| Beginnings::of(&GOES));
static TRIES_WORDS: LazyLock<Beginnings> = LazyLock::new(|| Beginnings::of(&TRIES));

impl Beginnings {
    fn of(words: &[&str]) -> Self {
        Self(AhoCorasick::new(words).expect("words that are written here"))
    }

    fn are_in(&self, text: &str) -> bool {
        self.are_in_lower(&format!(" {} ", text.to_lowercase()))
    }

    fn are_in_lower(&self, lower: &str) -> bool {
        self.places(lower).any(|at| lower[..at].ends_with(|c: char| !c.is_alphanumeric()))
    }

    fn places<'t>(&'t self, lower: &'t str) -> impl Iterator<Item = usize> + 't {
        self.0.find_overlapping_iter(lower).map(|found| found.start())
    }
}

/// Whether words speak of a try that went well, or of one that did not.
pub(super) fn tone(words: &str) -> Option<bool> {
    let lower = format!(" {} ", words.to_lowercase());
    match (WELL_WORDS.are_in_lower(&lower), ILL_WORDS.are_in_lower(&lower) || denies_well(&lower)) {
        (_, true) => Some(false),
        (true, false) => Some(true),
        (false, false) => None,
    }
}

/// Words that turn a word for a good end into one for a bad end, right before it: was *not* let in.
const NOT: [&str; 15] =
    ["not", "never", "wasn't", "isn't", "nicht", "niet", "non", "nie", "não", "nao", "не", "no", "inte", "ikke", "ej"];
/// So many words may stand between.
const NOT_WITHIN: usize = 2;

fn denies_well(lower: &str) -> bool {
    let is_denied = |at: usize| {
        let before = lower[..at].split_whitespace().rev().take(NOT_WITHIN);
        before.into_iter().any(|word| NOT.contains(&word.trim_matches(|c: char| !c.is_alphanumeric() && c != '\'')))
    };
    WELL_WORDS.places(lower).any(is_denied)
}

/// The kind of line with which the lines of most players begin; nothing where mods are told of before that.
fn start(kinds: &Kinds) -> Option<usize> {
    let mut first: BTreeMap<(usize, Rc<str>), usize> = BTreeMap::new();
    for seen in &kinds.lines {
        let (Some(player), Role::Server) = (&seen.player, kinds.kinds[seen.kind].side) else { continue };
        first.entry((seen.log, player.clone())).or_insert(seen.kind);
    }
    let mut counts: BTreeMap<usize, usize> = BTreeMap::new();
    for kind in first.values().filter(|kind| !kinds.kinds[**kind].names_mods()) {
        *counts.entry(*kind).or_default() += 1;
    }
    counts.into_iter().max_by_key(|(kind, count)| (*count, std::cmp::Reverse(*kind))).map(|(kind, _)| kind)
}

/// The kinds of the last lines that name a player, where they name no mod and he has more than one line.
fn last_words(kinds: &Kinds) -> BTreeSet<usize> {
    let mut of_player: BTreeMap<(usize, &str), (usize, usize)> = BTreeMap::new();
    for seen in kinds.lines.iter().filter(|seen| kinds.kinds[seen.kind].side == Role::Server) {
        let Some(player) = &seen.player else { continue };
        let (lines, last) = of_player.entry((seen.log, player)).or_default();
        (*lines, *last) = (*lines + 1, seen.kind);
    }
    let last = of_player.into_values().filter(|(lines, _)| *lines > 1).map(|(_, last)| last);
    // What ends with a colon begins something.
    let begins =
        |kind: &usize| matches!(kinds.kinds[*kind].pieces.last(), Some(Piece::Sign(sign)) if sign.ends_with(':'));
    last.filter(|kind| !kinds.kinds[*kind].names_mods() && !begins(kind)).collect()
}

fn episodes((kinds, said): (&Kinds, &[TryWords]), start: Option<usize>, loaded: &[usize]) -> Vec<Episode> {
    let ends = last_words(kinds);
    let mut all: Vec<Episode> = Vec::new();
    let mut open: BTreeMap<(usize, Rc<str>), usize> = BTreeMap::new();
    // The try of whoever spoke last, and the line that names him.
    let mut speaks: Option<(usize, usize)> = None;
    for (at, seen) in kinds.lines.iter().enumerate() {
        let kind = &kinds.kinds[seen.kind];
        // What lists each mod of the server may also list those of a player, right below what names him.
        let is_loaded = loaded.contains(&seen.kind) && !seen.goes_on();
        if kind.side != Role::Server || is_loaded {
            continue;
        }
        if let Some(player) = &seen.player {
            let key = (seen.log, player.clone());
            // Where nothing begins a try, the next one begins behind the end of one.
            let has_ended = |own: &usize| {
                start.is_none() && all[*own].lines.last().is_some_and(|last| ends.contains(&kinds.lines[*last].kind))
            };
            // Nobody who was sent away is let in by that.
            let was_sent_away = |own: &usize| {
                let mut lines = all[*own].lines.iter().map(|line| &kinds.lines[*line]);
                let mut ill = || lines.any(|line| line.player.is_some() && said[line.kind].tone == Some(false));
                said[seen.kind].tone == Some(true) && ill()
            };
            let goes_on = |own: &usize| start != Some(seen.kind) && !has_ended(own) && !was_sent_away(own);
            let known = open.get(&key).copied().filter(goes_on);
            let own = known.unwrap_or_else(|| {
                all.push(Episode::new(seen.log, Some(player.clone())));
                all.len() - 1
            });
            if speaks.is_some_and(|(last, _)| last == own) {
                let pending = std::mem::take(&mut all[own].pending);
                all[own].lines.extend(pending);
            }
            open.insert(key, own);
            all[own].lines.push(at);
            speaks = Some((own, at));
        } else if let Some((own, named)) = speaks.filter(|(own, _)| all[*own].log == seen.log) {
            // What stands right behind his line is of him; what comes later is so if he speaks again before another does.
            let episode = &mut all[own];
            let behind = episode.lines.last().is_some_and(|last| kinds.lines[*last].number + 1 == seen.number);
            let goes_on = behind && seen.goes_on();
            // A version may be that of a mod that nobody here has.
            // So may a word for what keeps players out be of this one.
            let may_name_one = kind.names_mods()
                || said[seen.kind].is_of_unwanted
                || said[seen.kind].is_elsewhere
                || !seen.versions().is_empty();
            if !may_name_one && !goes_on {
                continue;
            }
            // What was written in the same moment, though not below his line, is of him if that line does not end his try.
            let has_ended = episode.lines.last().is_some_and(|last| ends.contains(&kinds.lines[*last].kind));
            let is_prompt = seen.is_prompt && !has_ended;
            // Where one line sends him away, and no more of his is written, the lines right behind it may say why.
            let is_only = episode.lines.first() == Some(&named);
            let is_why = is_only && said[kinds.lines[named].kind].tone == Some(false);
            if behind && (is_prompt || goes_on || is_why) { episode.lines.push(at) } else { episode.pending.push(at) }
        }
    }
    all
}

/// Tries of which one line says whose they are, and the lines behind it, up to the next such line, how they went. Nothing where players
/// are named in other lines too, or where that line says by itself how it went.
fn blocks((kinds, said): (&Kinds, &[TryWords]), start: Option<usize>, loaded: &[usize]) -> Option<Vec<Episode>> {
    let start = start.filter(|start| said[*start].tone.is_none())?;
    let names_players = |kind: &(usize, &Kind)| kind.1.side == Role::Server && kind.1.names_a_player();
    if !kinds.kinds.iter().enumerate().filter(names_players).all(|(at, _)| at == start) {
        return None;
    }
    let starts = &kinds.kinds[start].lines;
    let ends = starts.iter().skip(1).copied().chain([kinds.lines.len()]);
    let mut all: Vec<Episode> = Vec::new();
    let mut told: Vec<(Vec<usize>, usize, bool)> = Vec::new();
    for (first, end) in starts.iter().zip(ends) {
        let log = kinds.lines[*first].log;
        let is_own = |line: &usize| kinds.lines[*line].log == log && kinds.kind(*line).side == Role::Server;
        let own: Vec<usize> = (*first..end).filter(is_own).collect();
        // What comes behind the last word for how it went is of nobody.
        let is_plain = |line: &usize| *line != *first && !kinds.kind(*line).names_mods();
        let is_last = |line: &usize| is_plain(line) && said[kinds.lines[*line].kind].tone.is_some();
        let says_how = own.iter().rposition(is_last);
        // A line alone may be of somebody who goes.
        if let Some(last) = says_how.or_else(|| own.iter().rposition(is_plain)) {
            told.push((own, last, says_how.is_some()));
        }
    }
    if told.len() * 2 < starts.len() {
        return None;
    }
    let is_next = |line: usize, behind: usize| kinds.lines[line].number + 1 == kinds.lines[behind].number;
    // Where something parts the blocks of all tries, all of a block is of the try.
    let is_parted = |(own, last, says_how): &(Vec<usize>, usize, bool)| {
        let from = if *says_how { *last } else { 0 };
        !own[from..].windows(2).all(|two| is_next(two[0], two[1]))
    };
    let are_parted = told.len() > 1 && told[..told.len() - 1].iter().all(is_parted);
    for (own, last, says_how) in told {
        let begin = own.windows(2).take_while(|two| is_next(two[0], two[1])).count();
        // Where nothing says how it went, what stands behind a gap is of nobody.
        let last = if are_parted && !says_how { begin.min(last) } else { last };
        // But for what is further in: that goes on with it.
        let inner = own[last + 1..].iter().take_while(|line| kinds.lines[**line].depth > 0).count();
        let block = own[last..].windows(2).take_while(|two| are_parted && is_next(two[0], two[1])).count();
        let is_told = |line: &usize| !loaded.contains(&kinds.lines[*line].kind);
        let (log, player) = (kinds.lines[own[0]].log, kinds.lines[own[0]].player.clone());
        let lines = own.into_iter().take(last + 1 + inner.max(block)).filter(is_told).collect();
        all.push(Episode { lines, is_block: true, ..Episode::new(log, player) });
    }
    Some(all)
}

/// The line of a player that tells how it ended: the last that is neither the first nor only says that he goes.
fn outcome((kinds, said): (&Kinds, &[TryWords]), episode: &Episode, start: Option<usize>) -> Option<usize> {
    let own = episode.lines.iter().copied().filter(|line| {
        let seen = &kinds.lines[*line];
        let is_his = seen.player.is_some() && seen.player == episode.player;
        (is_his || episode.is_block) && Some(seen.kind) != start
    });
    let (mut own, with_mods): (Vec<usize>, Vec<usize>) = own.partition(|line| kinds.lines[*line].mods().is_empty());
    // Some say in one line that he is sent away, and for which mods.
    if own.is_empty() {
        own = with_mods;
    }
    let of = |line: usize| &said[kinds.lines[line].kind];
    let says = |line: &&usize| of(**line).tone.is_some();
    let goes = |line: &&usize| of(**line).goes;
    let last = own.iter().rev();
    last.clone().find(says).or_else(|| last.clone().find(|line| !goes(line))).or_else(|| own.last()).copied()
}

/// Lines of a client's log before its end that may tell why, where it does not say when it tried.
const LAST: u64 = 30;

/// A client's log is of one try, the last: what stands behind the line that says so. It went well where nothing behind it says
/// otherwise.
fn of_clients((kinds, said): (&Kinds, &[TryWords]), loaded: &[usize]) -> Vec<Episode> {
    let mut all: BTreeMap<usize, Vec<usize>> = BTreeMap::new();
    for (at, seen) in kinds.lines.iter().enumerate() {
        if kinds.kinds[seen.kind].side == Role::Client {
            all.entry(seen.log).or_default().push(at);
        }
    }
    let plain = |line: usize| !kinds.kind(line).names_mods();
    let of = |line: usize| &said[kinds.lines[line].kind];
    let of_log = |(log, lines): (usize, Vec<usize>)| {
        let tries = |line: &&usize| {
            let said = of(**line);
            plain(**line) && said.tone.is_none() && said.tries && !said.goes
        };
        let goes_ill = |line: &&usize| plain(**line) && of(**line).tone == Some(false);
        let end = lines.iter().rev().find(goes_ill).or(lines.last()).map_or(0, |line| kinds.lines[*line].number);
        let from = match lines.iter().rev().find(tries) {
            Some(line) => kinds.lines[*line].number,
            None => end.saturating_sub(LAST),
        };
        let behind: Vec<usize> = lines.into_iter().filter(|line| kinds.lines[*line].number > from).collect();
        let mut tones = behind.iter().filter(|line| plain(**line)).filter_map(|line| of(*line).tone);
        let went_well = tones.next_back();
        let names = |line: &usize| !plain(*line) && !loaded.contains(&kinds.lines[*line].kind);
        let lines = behind.into_iter().filter(names).collect();
        Episode { lines, went_well, by_words: true, ..Episode::new(log, None) }
    };
    all.into_iter().map(of_log).collect()
}
