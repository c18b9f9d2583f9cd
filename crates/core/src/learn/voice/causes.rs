//! What lines about mods mean in a join that went wrong.

use std::collections::{BTreeMap, BTreeSet, HashMap, HashSet};

use super::items::{Item, NOTHING};
use super::joins::{Episode, Joins};
use super::kinds::{Kind, Kinds, Seen};
use super::lines::{Piece, stands_apart};
use super::model::{Known, LearnedEvent, Sign};
use super::strangers::is_kind_of_mod;
use crate::base::finding::Code;
use crate::base::ids::FoldedId;
use crate::diagnose::means_failure;
use crate::rulebook::{Event, Role};

/// So many kinds of which nothing is known are told.
const UNKNOWN: usize = 12;

/// What a line means, with what was expected and what was found.
pub type Cause = (Event, Option<String>, Option<String>);

/// So many mods behind the same beginning tell that mods stand there.
const IN_PLACE: usize = 3;
/// Pieces of a line that are its beginning, at most.
const BEGINNING: usize = 40;

/// The folder of a path, or the word for a mod, that some pieces end with.
fn leads_to_a_mod(pieces: &[Piece]) -> Option<String> {
    match pieces {
        [.., Piece::Word(kind), Piece::Blank] if is_kind_of_mod(kind) => Some(format!("{kind} ")),
        [.., Piece::Word(folder), Piece::Sign(sign)] if matches!(sign.as_str(), "/" | "\\") => {
            Some(format!("{folder}{sign}"))
        }
        _ => None,
    }
}

/// The signs that stand before mods, with a blank behind them.
fn signs(kinds: &Kinds) -> BTreeSet<&str> {
    let found = kinds.kinds.iter().filter_map(|kind| kind.pieces.windows(3).find_map(sign_before_a_mod));
    found.filter(|sign| matches!(*sign, "+" | "-" | "~")).collect()
}

fn sign_before_a_mod(pieces: &[Piece]) -> Option<&str> {
    match pieces {
        [Piece::Sign(sign), Piece::Blank, Piece::Mod(..)] => Some(sign),
        _ => None,
    }
}

/// Beginnings of lines that name a player, and folders of paths and words for mods, behind which several mods stand.
fn before_mods(kinds: &Kinds) -> HashSet<String> {
    let mut found: HashMap<String, BTreeSet<&FoldedId>> = HashMap::new();
    for kind in &kinds.kinds {
        let Some(at) = kind.pieces.iter().take(BEGINNING).position(Piece::is_mod) else { continue };
        let names_a_player = kind.pieces[..at].iter().any(Piece::is_player);
        let places = [leads_to_a_mod(&kind.pieces[..at]), names_a_player.then(|| beginning(&kind.pieces[..at]))];
        for place in places.into_iter().flatten() {
            let mods = kind.lines.iter().filter_map(|line| kinds.lines[*line].mods().first());
            found.entry(place).or_default().extend(mods.take(IN_PLACE * 4));
        }
    }
    found.into_iter().filter(|(_, mods)| mods.len() >= IN_PLACE).map(|(text, _)| text).collect()
}

/// The first pieces of a line, but for what differs from one to the next.
fn beginning(pieces: &[Piece]) -> String {
    let each = pieces.iter().map(|piece| match piece {
        Piece::Word(word) => word.as_str(),
        Piece::Sign(sign) => sign.as_str(),
        Piece::Blank => " ",
        Piece::Player(_) => "\u{1}p",
        Piece::Mod(..) | Piece::Mods(..) => "\u{1}m",
        Piece::Version(_) => "\u{1}v",
        Piece::Number | Piece::Mixed | Piece::Address | Piece::Digest(_) => "\u{1}n",
    });
    each.collect()
}

/// What is said of one kind of lines.
struct Meaning {
    means: Event,
    confidence: f64,
    signs: Vec<Sign>,
    /// Which versions or digests are which, by their places among the pieces.
    groups: Vec<(usize, &'static str)>,
    /// The kind of the line above the list, where that says it.
    header: Option<usize>,
}

/// What lines about mods mean, and examples of those of which that can't be told.
/// `of_all` are kinds of lines that list all that a player has; `is_said_so` tells whether lines that are read where they stand mean it too.
pub fn found(
    looked: &Looked<'_>,
    (loaded, of_all): (&[usize], &BTreeSet<usize>),
    is_said_so: &dyn Fn(&Kind, Event) -> bool,
) -> (Vec<LearnedEvent>, Vec<String>) {
    let Looked { kinds, joins, .. } = looked;
    let (mut events, mut unknown) = (Vec::new(), Vec::new());
    let chatter = looked.chatter(loaded);
    for (at, kind) in kinds.kinds.iter().enumerate() {
        if chatter.contains(&at)
            || !kind.names_mods()
            || loaded.contains(&at)
            || of_all.contains(&at)
            || joins.is_about(kinds, at)
            || !looked.is_of_bad_joins(at)
        {
            continue;
        }
        for (header, lines) in looked.by_header(at) {
            let part = Kind { lines, ..kind.clone() };
            match looked.meaning((at, header), &part).filter(|meaning| is_said_so(&part, meaning.means)) {
                Some(meaning) => events.extend(looked.event(at, &part, meaning)),
                None => unknown.push(kind.example.clone()),
            }
        }
    }
    unknown.truncate(UNKNOWN);
    events.sort_by(|a, b| b.confidence.total_cmp(&a.confidence).then_with(|| b.line.len().cmp(&a.line.len())));
    (events, unknown)
}

/// Everything that lines are held against.
pub struct Looked<'k> {
    /// The lines by kind.
    pub kinds: &'k Kinds,
    /// The tries to join.
    pub joins: &'k Joins,
    /// The mods.
    pub known: &'k Known,
    players: &'k BTreeSet<String>,
    /// The try that a line is of.
    of: BTreeMap<usize, &'k Episode>,
    /// The kind of the header of lists, by the lines that stand in them.
    above: BTreeMap<usize, usize>,
    /// Whether lines of each kind stand in joins that went wrong, and hardly anywhere else.
    bad: Vec<bool>,
    /// The kinds that have a word, by its small letters.
    said_in: HashMap<String, Vec<usize>>,
    /// What stands before mods in lines that name players, in paths, and behind words for what they are.
    before_mods: HashSet<String>,
    /// Whether several signs stand before mods, each with a blank behind it: then they say what is with each, as in a list of differences.
    has_signs: bool,
}

impl<'k> Looked<'k> {
    /// With each line's try, and the header that it stands below.
    pub fn new((kinds, joins): (&'k Kinds, &'k Joins), known: &'k Known, players: &'k BTreeSet<String>) -> Self {
        let (of, above, said_in) = (joins.by_line(), headers(kinds), words(kinds));
        let (before_mods, has_signs) = (before_mods(kinds), signs(kinds).len() > 1);
        let bad = Vec::new();
        let mut looked = Self { kinds, joins, known, players, of, above, bad, said_in, before_mods, has_signs };
        looked.bad = (0..kinds.kinds.len()).map(|kind| looked.stands_in_bad_joins(kind)).collect();
        looked
    }

    /// The sign that says what is with a mod.
    pub fn sign_of(&self, item: &Item) -> Option<char> {
        item.mark.or_else(|| item.bullet.filter(|sign| self.has_signs || *sign == '~'))
    }

    /// The words of a kind of lines before which stands what stands before mods elsewhere.
    pub fn in_the_place_of_mods(&self, kind: usize) -> impl Iterator<Item = &str> {
        let pieces = &self.kinds.kinds[kind].pieces;
        let is_before_mods = |before: &[Piece]| {
            let places = [Some(beginning(before)), leads_to_a_mod(before)];
            places.into_iter().flatten().any(|place| self.before_mods.contains(&place))
        };
        pieces.iter().enumerate().take(BEGINNING).filter_map(move |(at, piece)| match piece {
            Piece::Word(word) if is_before_mods(&pieces[..at]) => Some(word.as_str()),
            _ => None,
        })
    }

    /// Whether a word is a player's name.
    pub fn is_player(&self, name: &str) -> bool {
        self.players.contains(&name.to_lowercase())
    }

    /// What the kind of a line means, with the versions that this line tells, and how sure that is.
    pub fn meaning_of(&self, line: usize) -> Option<(Cause, f64)> {
        let seen = &self.kinds.lines[line];
        let parts = self.by_header(seen.kind);
        let (header, lines) = parts.into_iter().find(|(_, lines)| lines.contains(&line))?;
        let kind = Kind { lines, ..self.kinds.kinds[seen.kind].clone() };
        let Meaning { means, groups, confidence, .. } = self.meaning((seen.kind, header), &kind)?;
        let places = kind.pieces.iter().enumerate().filter(|(_, piece)| matches!(piece, Piece::Version(_)));
        let of_group = |name: &str| {
            let mut told = places.clone().zip(seen.versions());
            let is_so = |((at, _), _): &((usize, &Piece), &String)| {
                groups.iter().any(|(place, group)| place == at && *group == name)
            };
            told.find(is_so).map(|(_, version)| version.clone())
        };
        Some(((means, of_group("expected"), of_group("found")), confidence))
    }

    /// The try that a line is of.
    pub fn try_of(&self, line: usize) -> Option<&'k Episode> {
        self.of.get(&line).copied()
    }

    /// The tries that some lines are of, each once, by the first of its lines.
    pub fn tries_of<'l>(&self, lines: impl Iterator<Item = &'l usize>) -> BTreeMap<Option<usize>, &'k Episode> {
        lines.filter_map(|line| self.of.get(line)).map(|episode| (episode.lines.first().copied(), *episode)).collect()
    }

    /// Whether some try that went well has lines of a kind.
    pub fn is_of_good_joins(&self, kind: usize) -> bool {
        let mut lines = self.kinds.kinds[kind].lines.iter();
        lines.any(|line| self.of.get(line).is_some_and(|episode| episode.went_well == Some(true)))
    }

    /// Whether lines of a kind stand in joins that went wrong, and hardly anywhere else.
    pub fn is_of_bad_joins(&self, kind: usize) -> bool {
        self.bad[kind]
    }

    /// Whether a line of another kind has a word, that does not tell of tries that went wrong.
    pub fn is_said_elsewhere(&self, line: usize, word: &str) -> bool {
        let own = self.kinds.lines[line].kind;
        let mut with = self.said_in.get(&word.to_ascii_lowercase()).into_iter().flatten();
        with.any(|kind| *kind != own && !self.bad[*kind])
    }

    fn stands_in_bad_joins(&self, kind: usize) -> bool {
        let (mut bad, mut well, mut elsewhere) = (0, 0, 0);
        let names_nobody = self.names_nobody(kind);
        for line in &self.kinds.kinds[kind].lines {
            match self.of.get(line) {
                // What names nobody, and stands in a try that ended for something else, is no reason in another either.
                Some(episode) if episode.went_well == Some(true) || names_nobody && episode.is_elsewhere => well += 1,
                Some(_) => bad += 1,
                None => elsewhere += 1,
            }
        }
        // Of many mods that are the same, some other is the reason; what is said of one alone is said for something.
        let says_same = || self.kinds.kinds[kind].says_same() && !self.is_once_a_try(kind);
        let says_nothing = self.kinds.kinds[kind].says_fine() || says_same() || self.joins.alike.contains(&kind);
        if says_nothing || self.is_of_everybody(kind) {
            return false;
        }
        let has_joins = self.joins.has(self.kinds.kinds[kind].side);
        // What does not name a player, and goes on with no line that does, is chatter where it also stands by itself.
        let may_be_elsewhere = if names_nobody { 0 } else { bad };
        !has_joins || (well == 0 && bad > 0 && elsewhere <= may_be_elsewhere)
    }

    /// Whether lines of a kind stand in tries alone, and just once in each.
    fn is_once_a_try(&self, kind: usize) -> bool {
        let lines = &self.kinds.kinds[kind].lines;
        lines.iter().all(|line| self.of.contains_key(line)) && self.tries_of(lines.iter()).len() == lines.len()
    }

    /// Whether lines of a kind, that name nobody, stand in most of several tries, of none of which it is known that it went wrong: then
    /// nobody was refused for what they say.
    fn is_of_everybody(&self, kind: usize) -> bool {
        let lines = &self.kinds.kinds[kind].lines;
        let with = self.tries_of(lines.iter());
        let all = self.joins.episodes.iter().filter(|episode| episode.player.is_some()).count();
        let names_nobody = lines.iter().all(|line| self.kinds.lines[*line].player.is_none());
        // What goes on with a player's line is said of him.
        let goes_on = lines.iter().all(|line| self.kinds.lines[*line].goes_on());
        let is_bad = with.values().any(|episode| episode.went_well == Some(false));
        names_nobody && !goes_on && !is_bad && all >= 3 && with.len() * 10 >= all * 6
    }

    /// The lines of a kind by the header that they stand below; all together where most stand below none, or below one.
    fn by_header(&self, at: usize) -> Vec<(Option<usize>, Vec<usize>)> {
        let kind = &self.kinds.kinds[at];
        let mut parts: BTreeMap<Option<usize>, Vec<usize>> = BTreeMap::new();
        for line in &kind.lines {
            let header = self.above.get(line).copied().filter(|header| self.is_header(*header));
            parts.entry(header).or_default().push(*line);
        }
        let bare = parts.get(&None).map_or(0, Vec::len);
        if bare * 5 > kind.lines.len() || kind.names_a_player() {
            return vec![(None, kind.lines.clone())];
        }
        parts.remove(&None);
        parts.into_iter().collect()
    }

    /// Whether no line of a kind names a player, or goes on with one.
    fn names_nobody(&self, kind: usize) -> bool {
        let goes_on = |line: usize| {
            let seen = &self.kinds.lines[line];
            let goes_on = seen.depth > 0 || seen.is_bare && self.of.contains_key(&line);
            goes_on && self.kinds.is_of_a_player(line)
        };
        let mut lines = self.kinds.kinds[kind].lines.iter();
        lines.all(|line| self.kinds.lines[*line].player.is_none() && !goes_on(*line))
    }

    /// Kinds of lines that name mods and nobody, and go on with no line: where hardly half of the tries that end in some way have any
    /// of them, they stand there by chance.
    fn chatter(&self, loaded: &[usize]) -> BTreeSet<usize> {
        let is_anybodys = |at: &usize| {
            let kind = &self.kinds.kinds[*at];
            kind.side == Role::Server
                && kind.names_mods()
                && !loaded.contains(at)
                && self.names_nobody(*at)
                && !kind.lines.iter().any(|line| self.above.get(line).is_some_and(|header| self.is_header(*header)))
        };
        let anybodys: BTreeSet<usize> = (0..self.kinds.kinds.len()).filter(is_anybodys).collect();
        // For each way to end: how many tries, and how many of them with such lines.
        let mut ends: BTreeMap<usize, (usize, usize, BTreeSet<usize>)> = BTreeMap::new();
        for episode in self.joins.episodes.iter().filter(|episode| episode.went_well != Some(true)) {
            let Some(ending) = episode.outcome.map(|line| self.kinds.lines[line].kind) else { continue };
            let own = episode.lines.iter().map(|line| self.kinds.lines[*line].kind);
            let own: BTreeSet<usize> = own.filter(|kind| anybodys.contains(kind)).collect();
            let known = ends.entry(ending).or_default();
            known.0 += 1;
            known.1 += usize::from(!own.is_empty());
            known.2.extend(own);
        }
        let told: BTreeSet<usize> = ends
            .into_values()
            .filter(|(all, with, _)| *all >= 3 && with * 10 >= all * 6)
            .flat_map(|(.., kinds)| kinds)
            .collect();
        anybodys.difference(&told).copied().collect()
    }

    /// Whether lines of a kind may say what the lines below them mean: not those that begin or end tries, nor those that stand anywhere.
    fn is_header(&self, kind: usize) -> bool {
        let has_joins = self.joins.has(self.kinds.kinds[kind].side);
        !self.joins.is_about(self.kinds, kind)
            && (!has_joins || self.kinds.kinds[kind].lines.iter().any(|line| self.of.contains_key(line)))
    }

    fn some_went_well(&self) -> bool {
        self.joins.episodes.iter().any(|episode| episode.went_well == Some(true))
    }

    fn meaning(&self, (at, header): (usize, Option<usize>), kind: &Kind) -> Option<Meaning> {
        let plain = |means, confidence, sign| Meaning {
            means,
            confidence,
            signs: vec![sign],
            groups: one_version(kind, means),
            header,
        };
        if let Some(meaning) = self.by_values(kind) {
            return Some(Meaning { header, ..meaning });
        }
        if self.is_of_strangers(kind) {
            return Some(plain(Event::Cause(Code::ModExtra), 0.7, Sign::NobodyHere));
        }
        let is_clear = |means: &Event| *means != Event::ModFailed;
        let own = means_failure(&kind.words());
        if let Some(means) = own.filter(is_clear) {
            return Some(plain(means, 0.78, Sign::Words));
        }
        let above = header.and_then(|header| means_failure(&self.kinds.kinds[header].words()));
        if let Some(means) = above.filter(is_clear) {
            return Some(plain(means, 0.75, Sign::Header));
        }
        if let Some(means) = self.by_measure(kind) {
            return Some(plain(means, 0.7, Sign::Measured));
        }
        match self.by_our_version(kind) {
            Some(false) => Some(plain(Event::Cause(Code::VersionOther), 0.7, Sign::OtherVersion)),
            _ if self.is_odd_one_out(at, kind) => {
                Some(plain(Event::Cause(Code::ContentDiffers), 0.55, Sign::OddOneOut))
            }
            Some(true) => Some(plain(Event::Cause(Code::ModMissing), 0.66, Sign::OurVersion)),
            None => own.map(|means| plain(means, 0.5, Sign::Words)),
        }
    }

    /// Whether it names mods that the server has not, and nothing else.
    fn is_of_strangers(&self, kind: &Kind) -> bool {
        let mut named = kind.lines.iter().flat_map(|line| self.kinds.lines[*line].mods()).peekable();
        let has_none = |id: &FoldedId| !self.known.of_server.contains(id) && self.known.expected(id).is_none();
        named.peek().is_some() && !self.known.of_server.is_empty() && named.all(has_none)
    }

    /// Whether the one version behind a name is the server's, or another.
    fn by_our_version(&self, kind: &Kind) -> Option<bool> {
        let (mut ours, mut others) = (0, 0);
        for line in &kind.lines {
            let seen = &self.kinds.lines[*line];
            let ([id], [version]) = (seen.mods(), seen.versions()) else { continue };
            match self.known.expected(id).map(|expected| expected == version) {
                Some(true) => ours += 1,
                Some(false) => others += 1,
                None => {}
            }
        }
        match (ours, others) {
            (0, 0) => None,
            (ours, 0) if ours > 0 => Some(true),
            (0, _) => Some(false),
            _ => None,
        }
    }

    /// Two unequal versions or digests behind a name, or one and nothing.
    fn by_values(&self, kind: &Kind) -> Option<Meaning> {
        let places = |test: fn(&Piece) -> bool| -> Vec<usize> {
            kind.pieces.iter().enumerate().filter(|(_, piece)| test(piece)).map(|(at, _)| at).collect()
        };
        let versions = places(|piece| matches!(piece, Piece::Version(_)));
        let digests = places(|piece| matches!(piece, Piece::Digest(_)));
        let lines: Vec<&Seen> = kind.lines.iter().map(|line| &self.kinds.lines[*line]).collect();
        let differ = |values: fn(&Seen) -> &[String]| {
            let unequal = lines.iter().filter(|seen| matches!(values(seen), [a, b, ..] if a != b)).count();
            unequal * 10 >= lines.len() * 8
        };
        let groups = |places: &[usize], expected_first: bool| {
            let names = if expected_first { ["expected", "found"] } else { ["found", "expected"] };
            places.iter().copied().zip(names).collect::<Vec<_>>()
        };
        let is_single = kind.pieces.iter().filter(|piece| matches!(piece, Piece::Mod(..))).count() == 1;
        if versions.len() == 2 && is_single && differ(Seen::versions) {
            let groups = groups(&versions, self.first_is_expected(kind, &lines, versions[0]));
            let (means, signs) = (Event::Cause(Code::VersionOther), vec![Sign::TwoVersions]);
            return Some(Meaning { means, confidence: 0.85, signs, groups, header: None });
        }
        if digests.len() == 2 && is_single && differ(Seen::digests) {
            let groups = groups(&digests, wants_before(kind, digests[0]));
            let (means, signs) = (Event::Cause(Code::ContentDiffers), vec![Sign::TwoDigests]);
            return Some(Meaning { means, confidence: 0.85, signs, groups, header: None });
        }
        let value = versions.first().or(digests.first()).copied().filter(|_| versions.len() + digests.len() == 1)?;
        // Where nobody knows who has what, the place of a sign for nothing does not tell whose it is.
        let is_told = self.known.knows_mods() || wants_before(kind, value);
        (is_told && is_nothing_beside(kind)).then(|| {
            let (code, group) = match self.is_of_strangers(kind) {
                true => (Code::ModExtra, "found"),
                false => (Code::ModMissing, "expected"),
            };
            let signs = vec![Sign::OneSideHasNone];
            Meaning { means: Event::Cause(code), confidence: 0.75, signs, groups: vec![(value, group)], header: None }
        })
    }

    /// Whether the first of two versions is the one that should be: that of the server, as far as is known.
    fn first_is_expected(&self, kind: &Kind, lines: &[&Seen], first: usize) -> bool {
        let (mut by_first, mut by_second) = (0, 0);
        for seen in lines {
            let expected = seen.mods().first().and_then(|id| self.known.expected(id));
            by_first += usize::from(expected == seen.versions().first().map(String::as_str));
            by_second += usize::from(expected == seen.versions().get(1).map(String::as_str));
        }
        match by_first.cmp(&by_second) {
            std::cmp::Ordering::Greater => true,
            std::cmp::Ordering::Less => false,
            std::cmp::Ordering::Equal => wants_before(kind, first),
        }
    }

    /// A line that names just the mods that one side lacks.
    fn by_measure(&self, kind: &Kind) -> Option<Event> {
        let (server, client) = (&self.known.of_server, &self.known.of_client);
        let named: BTreeSet<&FoldedId> = kind.lines.iter().flat_map(|line| self.kinds.lines[*line].mods()).collect();
        let only = |own: &BTreeSet<FoldedId>, other: &BTreeSet<FoldedId>| {
            !own.is_empty() && !other.is_empty() && named.iter().all(|id| own.contains(*id) && !other.contains(*id))
        };
        let code = if only(server, client) {
            Code::ModMissing
        } else if only(client, server) {
            Code::ModExtra
        } else {
            return None;
        };
        Some(Event::Cause(code))
    }

    /// Whether lines that differ in one word are far more frequent, and name other mods.
    fn is_odd_one_out(&self, at: usize, kind: &Kind) -> bool {
        let differs_in_a_word = |other: &Kind| {
            let pairs = kind.pieces.iter().zip(&other.pieces);
            let differ = |(a, b): &(&Piece, &Piece)| match (a, b) {
                (Piece::Word(a), Piece::Word(b)) => a != b,
                (a, b) => std::mem::discriminant(*a) != std::mem::discriminant(*b),
            };
            kind.pieces.len() == other.pieces.len()
                && pairs.clone().filter(differ).count() == 1
                && pairs.clone().any(|(a, b)| matches!((a, b), (Piece::Word(a), Piece::Word(b)) if a != b))
        };
        let others = self.kinds.kinds.iter().enumerate().filter(|(other, _)| *other != at);
        others
            .filter(|(_, other)| other.side == kind.side && other.lines.len() >= kind.lines.len() * 3)
            .any(|(_, other)| differs_in_a_word(other))
    }

    fn event(&self, at: usize, kind: &Kind, meaning: Meaning) -> Option<LearnedEvent> {
        let Meaning { means, mut confidence, mut signs, groups, header } = meaning;
        if kind.side == Role::Server && self.some_went_well() {
            signs.push(Sign::NeverWhenWell);
            confidence += 0.07;
        }
        if kind.lines.len() > 2 {
            confidence += 0.03;
        }
        // A header that says nothing of its own, and stands above lists of several kinds, is passed over.
        let above = header.filter(|header| {
            let others =
                self.above.iter().filter(|(line, above)| *above == header && self.kinds.lines[**line].kind != at);
            signs.contains(&Sign::Header) || others.count() == 0
        });
        let own = kind.pattern(&groups)?;
        let event = kind.event(means, confidence.min(0.95), signs)?;
        Some(match above.and_then(|above| self.kinds.kinds[above].pattern(&[])) {
            Some(line) => LearnedEvent { line, then: Some(own), between: None, ..event },
            None => LearnedEvent { line: own, ..event },
        })
    }
}

/// A version alone is what is, or what should be where nothing is.
fn one_version(kind: &Kind, means: Event) -> Vec<(usize, &'static str)> {
    let mut versions = kind.pieces.iter().enumerate().filter(|(_, piece)| matches!(piece, Piece::Version(_)));
    let group = if means == Event::Cause(Code::ModMissing) { "expected" } else { "found" };
    match (versions.next(), versions.next()) {
        (Some((at, _)), None) => vec![(at, group)],
        _ => Vec::new(),
    }
}

/// Whether words before a place say that what stands there is wanted.
fn wants_before(kind: &Kind, place: usize) -> bool {
    let before = kind.pieces[..place].iter().rev().find_map(|piece| match piece {
        Piece::Word(word) => Some(word.to_lowercase()),
        _ => None,
    });
    before.is_some_and(|word| wants(&word))
}

/// Whether a word says that what stands behind it is what should be.
pub fn wants(word: &str) -> bool {
    const WANTS: [&str; 12] =
        ["want", "need", "requir", "expect", "should", "server", "host", "house", "remote", "here", "ours", "wir"];
    WANTS.iter().any(|wants| word.to_lowercase().starts_with(wants))
}

/// Whether a word or a sign for nothing stands by itself in a line.
fn is_nothing_beside(kind: &Kind) -> bool {
    let alone = |at: usize| {
        let edge = |piece: Option<&Piece>| !matches!(piece, Some(Piece::Word(_) | Piece::Number | Piece::Mixed));
        edge(at.checked_sub(1).and_then(|at| kind.pieces.get(at))) && edge(kind.pieces.get(at + 1))
    };
    let behind = kind.pieces.iter().position(|piece| matches!(piece, Piece::Mod(..))).unwrap_or(0);
    kind.pieces.iter().enumerate().skip(behind).any(|(at, piece)| match piece {
        Piece::Word(word) => NOTHING.contains(&word.to_lowercase().as_str()) && alone(at),
        Piece::Sign(sign) => NOTHING.contains(&sign.as_str()) && stands_apart(&kind.pieces, at),
        _ => false,
    })
}

/// The kinds that have each word, by its small letters.
fn words(kinds: &Kinds) -> HashMap<String, Vec<usize>> {
    let mut said_in: HashMap<String, Vec<usize>> = HashMap::new();
    for (at, kind) in kinds.kinds.iter().enumerate() {
        for piece in &kind.pieces {
            if let Piece::Word(word) = piece {
                said_in.entry(word.to_ascii_lowercase()).or_default().push(at);
            }
        }
    }
    said_in
}

/// For lines about mods that stand one below another: the kind of the line above the first.
fn headers(kinds: &Kinds) -> BTreeMap<usize, usize> {
    let mut above = BTreeMap::new();
    let mut header: Option<usize> = None;
    for (at, seen) in kinds.lines.iter().enumerate() {
        let follows = at > 0 && kinds.lines[at - 1].log == seen.log && kinds.lines[at - 1].number + 1 == seen.number;
        if !kinds.kinds[seen.kind].names_mods() {
            header = Some(seen.kind);
            continue;
        }
        header = header.filter(|_| follows);
        if let Some(header) = header {
            above.insert(at, header);
        }
    }
    above
}
