//! What the last try of a player came to, read where it stands: what patterns can't say is read too (a header within a header, several
//! mods in one object of JSON, two lists that differ, a code that is explained elsewhere).

use std::collections::{BTreeMap, BTreeSet};
use std::rc::Rc;
use std::sync::LazyLock;

use regex::Regex;

use super::causes::{Cause, Looked};
use super::items::{Item, StatedValue, is_field, items, listed, of_block, of_fields, stands_alone};
use super::joins::{Episode, tone};
use super::kinds::{Kind, Seen};
use super::lines::{Piece, skeleton};
use super::model::Transcript;
use super::strangers::{
    in_brackets, in_sections, is_label, is_of_reports, keyed, stranger, unwanted, with_status, with_title,
};
use crate::base::finding::Code;
use crate::base::ids::{FoldedId, same_name};
use crate::base::names::PlayerName;
use crate::diagnose::{elsewhere, is_vague, means_failure, says_unwanted};
use crate::logs::{KeptOutBy, LogEvent, LogTime, Source, shown};
use crate::rulebook::{Event, Role};

/// Bytes of a line that are read.
const LINE: usize = 64 * 1024;
/// So many lines of one try are read, the last ones.
const LINES: usize = 2_000;
/// So many headers above a line are looked at.
const HEADERS: usize = 4;
/// So many lines of a block are of one mod.
const FIELDS: usize = 8;

/// Refusals of one player that are further apart than so many seconds are of several tries.
const ONE_REFUSAL: f64 = 3.0;

/// What is less sure of lines of a kind is a guess.
const GUESSED: f64 = 0.75;

/// One of a line, and whether it is no more than a guess.
type ToldCause = (usize, Item, Cause, bool);

/// Reads the tries of some logs line by line.
pub struct Tries<'r> {
    looked: &'r Looked<'r>,
    readers: Vec<Reader<'r>>,
}

impl<'r> Tries<'r> {
    /// Of logs whose lines are known by kind; `loaded` are the kinds that tell of each mod as it is loaded. `named` are the logs with
    /// names in place of the numbers that stand for them.
    pub fn new(looked: &'r Looked<'r>, loaded: &'r [usize], logs: &[Transcript<'r>], named: &[Transcript<'r>]) -> Self {
        let mut of_server = Digests::new();
        let kinds = &looked.kinds;
        let of_starts = loaded.iter().filter(|kind| kinds.kinds[**kind].side == Role::Server);
        for line in of_starts.flat_map(|kind| &kinds.kinds[*kind].lines).map(|line| &kinds.lines[*line]) {
            if let ([id], [digest]) = (line.mods(), line.digests()) {
                of_server.entry(id.clone()).or_default().insert(digest.clone());
            }
        }
        let of_server = Rc::new(of_server);
        let reader = |(log, named): (&Transcript<'r>, &Transcript<'r>)| Reader {
            looked,
            loaded,
            lines: named.text.lines().collect(),
            written: log.text.lines().collect(),
            side: log.side,
            of_server: Rc::clone(&of_server),
        };
        Self { looked, readers: logs.iter().zip(named).map(reader).collect() }
    }

    /// What each log says of the last try of a player, or of anybody; nothing of a log that tells of none.
    pub fn last(&self, player: Option<&str>) -> Vec<(Role, Vec<LogEvent>)> {
        let mut found = Vec::new();
        for (log, reader) in self.readers.iter().enumerate() {
            let player = player.filter(|_| reader.side == Role::Server);
            // Of a client's log it must be known that there was a try, and how it ended.
            let is_told = |episode: &&Episode| reader.side == Role::Server || episode.went_well.is_some();
            let episode = self.looked.joins.last_of(log, player).filter(is_told);
            found.extend(episode.map(|episode| (reader.side, reader.read(&reader.last_refusal(episode)))));
        }
        found
    }

    /// The kinds of lines that list all that a player has.
    pub fn lists_of_all(&self) -> BTreeSet<usize> {
        let of_episode = |episode: &Episode| {
            let Some(reader) = self.readers.get(episode.log) else { return Vec::new() };
            let lists = reader.lists_in(episode);
            if lists.is_empty() { reader.own_list(episode).into_iter().collect() } else { lists }
        };
        self.looked.joins.episodes.iter().flat_map(of_episode).map(|list| list.kind).collect()
    }

    /// Whether lines of a kind name several mods, each with what is said of it in a place of its own, and the first of them is said
    /// to be something else: no pattern of a line can tell such lines.
    pub fn contradicts(&self, kind: &Kind, means: Event) -> bool {
        let Some(first) = kind.lines.first() else { return false };
        let seen = &self.looked.kinds.lines[*first];
        let Some(reader) = self.readers.get(seen.log) else { return false };
        let items = reader.items(*first);
        let by_words = items.first().and_then(|item| reader.looked.known.by_words(item, &[]));
        let is_one_of_many = items.len() < seen.mods().len();
        is_one_of_many || reader.text(*first).contains('{') && by_words.is_some_and(|(own, ..)| own != means)
    }
}

/// Mods of which a list of differences has two lines: what goes, and what comes in its place, with its version, or with other bytes
/// of the same.
struct Marks {
    come: BTreeMap<FoldedId, (String, Option<String>)>,
}

impl Marks {
    fn of(items: impl Iterator<Item = Item>) -> Self {
        let (mut go, mut come) = (BTreeMap::new(), BTreeMap::new());
        for item in items {
            let Some(version) = item.versions.first().map(|version| version.text.clone()) else { continue };
            let told = (version, item.digests.first().map(|digest| digest.text.to_lowercase()));
            match item.sign() {
                Some('-') => drop(go.insert(item.id, told)),
                Some('+') => drop(come.insert(item.id, told)),
                _ => {}
            }
        }
        come.retain(|id, version| go.get(id).is_some_and(|gone| gone != version));
        Self { come }
    }

    /// Whether a line is the second of two: what it says is told with the first.
    fn is_told_otherwise(&self, item: &Item) -> bool {
        item.sign() == Some('+') && self.come.contains_key(&item.id)
    }
}

/// The words before a player's name, where they say by themselves that he is refused.
fn refuses(kind: &Kind) -> Option<String> {
    let says_so = |words: &String| tone(words) == Some(false) || words.trim().eq_ignore_ascii_case("no");
    kind.words_before_a_player().filter(says_so)
}

/// Whether words deny something.
fn denies(words: &str) -> bool {
    const DENIALS: [&str; 14] =
        ["not", "no", "never", "isn't", "nicht", "nie", "niet", "pas", "non", "não", "нет", "не", "without", "ohne"];
    let lower = words.to_lowercase();
    lower.split(|c: char| !c.is_alphanumeric() && c != '\'').any(|word| DENIALS.contains(&word))
}

/// Whether words ask for what is named with them.
fn ask(words: &str) -> bool {
    const ASKING: [&str; 22] = [
        "need",
        "needs",
        "needed",
        "require",
        "requires",
        "required",
        "wants",
        "get",
        "install",
        "add",
        "must",
        "braucht",
        "benötigt",
        "nodig",
        "necesita",
        "requiere",
        "requis",
        "serve",
        "precisa",
        "wymaga",
        "требуется",
        "нужен",
    ];
    words.split(|c: char| !c.is_alphanumeric()).any(|word| ASKING.contains(&word.to_lowercase().as_str()))
}

fn last_lines(episode: &Episode) -> &[usize] {
    &episode.lines[episode.lines.len().saturating_sub(LINES)..]
}

/// The digests that are told of each mod.
type Digests = BTreeMap<FoldedId, BTreeSet<String>>;

/// What lists of players say that got in, and the server's.
#[derive(Default)]
struct Usual {
    /// What they differ in from what should be.
    differences: BTreeSet<(FoldedId, &'static str)>,
    /// The digests that they tell of a mod.
    digests: Digests,
}

impl Usual {
    /// Takes in the one digest of a mod.
    fn knows(&mut self, item: &Item) {
        if let [digest] = &item.digests[..] {
            self.digests.entry(item.id.clone()).or_default().insert(digest.text.to_lowercase());
        }
    }

    /// Whether all who got in had the same bytes of a mod, and this is another digest.
    fn has_other_bytes(&self, item: &Item) -> bool {
        let known = self.digests.get(&item.id).filter(|known| known.len() == 1);
        known.zip(item.digests.first()).is_some_and(|(known, own)| !known.contains(&own.text.to_lowercase()))
    }
}

/// All that a player has.
struct ListOfAll {
    /// The kind of its lines.
    kind: usize,
    /// The last of them.
    line: usize,
    /// Each mod, and the line that names it.
    held: Vec<(usize, Item)>,
}

struct Reader<'r> {
    looked: &'r Looked<'r>,
    /// Kinds of lines that tell of each mod as it is loaded.
    loaded: &'r [usize],
    lines: Vec<&'r str>,
    /// The same lines as they were written.
    written: Vec<&'r str>,
    side: Role,
    /// The digests that the server told of its mods as it started.
    of_server: Rc<Digests>,
}

impl Reader<'_> {
    fn read(&self, episode: &Episode) -> Vec<LogEvent> {
        let mut events = Vec::new();
        let begins = episode.lines.first().map(|line| self.event(*line, Event::JoinTried, episode));
        events.extend(begins);
        let all = self.list_of_all(episode);
        let differs = || all.as_ref().is_some_and(|list| !self.listed(episode, list, &BTreeSet::new()).is_empty());
        let codes = self.codes_of_elsewhere(episode);
        let kept_out = last_lines(episode).iter().rev().filter_map(|line| Some((*line, self.kept_out(*line, &codes)?)));
        let kept_out: Vec<(usize, KeptOutBy)> = kept_out.collect();
        let says_why = kept_out.iter().find(|(_, kept)| kept.is_final()).map(|(line, _)| *line);
        // That nobody was sent away for mods is no word for that somebody was let in.
        let is_in = || episode.by_words || says_why.is_none() && !differs();
        if episode.went_well == Some(true) && is_in() {
            // A try may be one line, which begins it and says how it went.
            let line = episode.outcome.or_else(|| episode.lines.last().copied());
            let line = line.filter(|_| episode.by_words || episode.is_usual);
            events.extend(line.map(|line| self.event(line, Event::JoinAccepted, episode)));
            return events;
        }
        let of_all: BTreeSet<usize> = self.lists_in(episode).iter().chain(&all).map(|list| list.kind).collect();
        let mut causes = self.said(episode, &self.legend(episode), &of_all);
        // Of somebody who is kept out for something else, what does not name him tells nothing.
        if says_why.is_some() {
            causes.retain(|(line, ..)| Some(*line) != says_why && self.looked.kinds.lines[*line].player.is_some());
        } else if !kept_out.is_empty() {
            causes.retain(|(line, .., is_guess)| !is_guess || self.looked.kinds.is_of_a_player(*line));
        }
        self.temper(episode, &mut causes);
        self.keep_his(episode, &mut causes);
        let listed = all.map_or_else(Vec::new, |list| {
            // A guess at what is said behind the list is worth less than that the list has no such mod.
            let said = causes.iter().filter(|(line, .., is_guess)| !is_guess || *line < list.line);
            self.listed(episode, &list, &said.map(|(_, item, ..)| &item.id).collect())
        });
        // What a list tells is no guess.
        causes.retain(|(_, item, _, is_guess)| !is_guess || listed.iter().all(|(_, other, ..)| other.id != item.id));
        let has_causes = !causes.is_empty() || !listed.is_empty();
        for (line, item, (means, expected, found), is_guess) in causes.into_iter().chain(listed) {
            let event = self.event(line, means, episode);
            events.push(LogEvent { mod_id: Some(item.id), expected, found, is_guess, ..event });
        }
        // That it went wrong is told where the log says so: by how its tries end, or in words for something else.
        let weaker = || kept_out.first().map(|(line, _)| *line).filter(|_| !has_causes);
        let ended = says_why
            .or_else(weaker)
            .or_else(|| episode.outcome.filter(|_| episode.went_well == Some(false) || has_causes));
        events.extend(ended.map(|line| {
            let kept_out = kept_out.iter().find(|(own, _)| *own == line).map(|(_, kept)| *kept);
            LogEvent { kept_out, ..self.event(line, Event::JoinRefused, episode) }
        }));
        events
    }

    /// Where each line about a player says by its beginning that he is refused, each is a try of its own, unless several were written in
    /// one moment: what remains is the last.
    fn last_refusal(&self, episode: &Episode) -> Episode {
        let mut latest: BTreeMap<String, (usize, LogTime)> = BTreeMap::new();
        let mut ends: BTreeMap<String, usize> = BTreeMap::new();
        for (at, line) in episode.lines.iter().enumerate() {
            let refusal = refuses(self.looked.kinds.kind(*line));
            let Some((words, time)) = refusal.zip(LogTime::of(self.text(*line))) else { continue };
            if let Some((before, then)) = latest.insert(words.clone(), (at, time))
                && time.seconds_since(then).abs() > ONE_REFUSAL
            {
                ends.insert(words, before);
            }
        }
        let is_of_next = |at: &usize| self.looked.kinds.lines[episode.lines[*at]].player.is_some();
        let first = ends.into_values().min().and_then(|end| (end + 1..episode.lines.len()).find(is_of_next));
        episode.from(first.unwrap_or(0))
    }

    /// What a line says of what keeps a player out and has to do with no mod: in words, by a code that is explained elsewhere, or in one
    /// word beside his name.
    fn kept_out(&self, line: usize, codes: &BTreeMap<String, KeptOutBy>) -> Option<KeptOutBy> {
        let text = self.text(line);
        let by_code = || CODE.find_iter(text).find_map(|code| codes.get(code.as_str()).copied());
        let in_a_word = || {
            let (_, word) = text.trim_end().rsplit_once(": ").filter(|(_, word)| !word.contains(' '))?;
            refuses(self.looked.kinds.kind(line)).and_then(|_| elsewhere(&format!("server {word}")))
        };
        let in_columns = || {
            let player = self.looked.kinds.lines[line].player.as_deref()?;
            let words = super::lines::message(text).split(|c: char| !c.is_alphanumeric() && c != '_' && c != '-');
            let mut others = words.filter(|word| !word.is_empty() && !same_name(word, player));
            let word = others.next().filter(|_| others.next().is_none())?;
            elsewhere(&format!("server {}", word.to_lowercase()))
        };
        elsewhere(text).or_else(by_code).or_else(in_a_word).or_else(in_columns)
    }

    /// What stands behind the last line of a player, and goes on with none of his, tells nothing where his own lines do, and is a guess
    /// where they don't.
    fn temper(&self, episode: &Episode, causes: &mut Vec<ToldCause>) {
        let lines = &self.looked.kinds.lines;
        let last = episode.lines.iter().rev().copied().find(|line| lines[*line].player.is_some());
        let is_behind = |line: usize| {
            let seen = &lines[line];
            last.is_some_and(|last| line > last) && !seen.goes_on() && !episode.is_block
        };
        if causes.iter().any(|(line, ..)| !is_behind(*line)) {
            causes.retain(|(line, ..)| !is_behind(*line));
        }
        causes.iter_mut().filter(|(line, ..)| is_behind(*line)).for_each(|(.., is_guess)| *is_guess = true);
    }

    /// Where lines about mods say whose they are, what stands in those that don't is a guess. Where lines that name him, or go on with
    /// one that does, say why, what stands between them is of nobody; where they give a guess, another guess is.
    fn keep_his(&self, episode: &Episode, causes: &mut Vec<ToldCause>) {
        let is_his = |line: usize| episode.is_block || self.looked.kinds.is_of_a_player(line);
        if self.looked.kinds.say_whose_mods() {
            causes.iter_mut().filter(|(line, ..)| !is_his(*line)).for_each(|(.., is_guess)| *is_guess = true);
        }
        let told_by_his = || causes.iter().filter(|(line, ..)| is_his(*line));
        let is_told = told_by_his().any(|(.., is_guess)| !is_guess);
        if told_by_his().next().is_some() {
            causes.retain(|(line, .., is_guess)| is_his(*line) || !is_told && !is_guess);
        }
    }

    /// What lines about mods say of them.
    fn said(&self, episode: &Episode, legend: &BTreeMap<String, Event>, of_all: &BTreeSet<usize>) -> Vec<ToldCause> {
        let mut found = Vec::new();
        let mut read = 0;
        let marks = self.marks(episode);
        for line in last_lines(episode) {
            if *line < read {
                continue;
            }
            let fields = self.of_fields(*line);
            let is_of_fields = fields.is_some();
            let block = fields.or_else(|| self.of_block(*line).map(|(item, end)| (item, *line, end)));
            read = block.as_ref().map_or(0, |(.., end)| *end);
            let line = block.as_ref().map_or(*line, |(_, line, _)| *line);
            let kind = self.looked.kinds.lines[line].kind;
            // All that somebody has is not what he is refused for.
            let tells = match self.loaded.contains(&kind) {
                true => !self.looked.is_of_good_joins(kind),
                false => self.looked.is_of_bad_joins(kind),
            };
            // A line that is a key and a value is of one kind wherever it stands; in a block the others say what it is about.
            let is_field_of_block = episode.is_block && is_of_fields;
            let counts = (tells || is_field_of_block) && !of_all.contains(&kind);
            if !counts {
                continue;
            }
            let is_named = self.looked.kinds.kinds[kind].names_mods();
            let items = block.map_or_else(|| self.of_line(line), |(item, ..)| vec![item]);
            let items = self.with_answer(line, items, episode);
            let headers = self.headers(line, episode);
            let is_alone = items.len() == 1;
            let known = &self.looked.known;
            let is_told = |item: &Item| known.by_values(item).is_some() || known.by_words(item, &headers).is_some();
            // Of several in a line of which something is said of some, nothing is said of the others.
            let are_told = !is_alone && items.iter().any(is_told);
            for item in items {
                if self.is_noise(line, &item, episode) || marks.is_told_otherwise(&item) {
                    continue;
                }
                let is_bare = item.versions.is_empty() && self.looked.known.by_words(&item, &headers).is_none();
                let is_stranger = !item.is_known && !is_named && is_bare && !item.is_in_place;
                if is_stranger && !self.looked.known.has_their_form(item.id.as_str()) {
                    continue;
                }
                let by_words = || self.looked.known.by_words(&item, &headers);
                let by_code = || self.by_code(line, legend);
                let by_mark = || self.by_mark(&item, &marks);
                let said = self.looked.known.by_values(&item).or_else(by_words).or_else(by_code).or_else(by_mark);
                // Of one version on both sides, it is no other one.
                let is_one = matches!(&item.versions[..], [a, b, ..] if a.text == b.text);
                // Nor is it where the one that is told is right: the sign before it says more, or it is the server's own.
                let is_right = || matches!(&item.versions[..], [only] if known.expected(&item.id) == Some(&only.text));
                let fitting = |cause: Cause| match &cause {
                    (Event::Cause(Code::VersionOther), ..) if is_one => {
                        (Event::Cause(Code::ContentDiffers), None, None)
                    }
                    (means @ Event::Cause(Code::VersionOther), expected, Some(_)) if is_right() => {
                        by_mark().unwrap_or((*means, expected.clone(), None))
                    }
                    _ => cause,
                };
                let said = said.map(fitting);
                let is_clear = |((means, ..), _): &(Cause, f64)| *means != Event::ModFailed || episode.player.is_none();
                let pooled = || self.looked.meaning_of(line).filter(|_| is_alone).filter(is_clear);
                // That two are not the same may be said of their versions, or of their bytes.
                let has_values = !item.versions.is_empty() || !item.digests.is_empty();
                let is_vague = |(means, ..): &Cause| {
                    *means == Event::Cause(Code::VersionOther)
                        && !has_values
                        && item.words.iter().any(|words| is_vague(words))
                };
                let read = said.map(|cause| {
                    let is_unsaid = matches!(cause, (Event::Cause(Code::VersionOther), _, None)) && is_right();
                    let is_guess = is_stranger || is_vague(&cause) || is_unsaid;
                    (cause, is_guess)
                });
                let read = read.or_else(|| self.looked.known.by_contents(&item).map(|cause| (cause, true)));
                let read = read.or_else(|| {
                    let (cause, sure) = pooled()?;
                    let (means, expected, found) = fitting(cause);
                    let is_other = means == Event::Cause(Code::VersionOther) && found.is_some();
                    let known = || self.looked.known.expected(&item.id).map(str::to_owned).filter(|_| is_other);
                    Some(((means, expected.or_else(known), found), sure < GUESSED))
                });
                let weakly = || self.looked.known.weakly(&item).filter(|cause| is_clear(&(cause.clone(), 0.0)));
                let read = read.or_else(|| weakly().filter(|_| !are_told).map(|cause| (cause, true)));
                let read =
                    read.or_else(|| self.by_equals(&item, episode).filter(|_| is_alone).map(|cause| (cause, true)));
                let read = read.or_else(|| self.at_all(&item, episode).filter(|_| is_alone).map(|cause| (cause, true)));
                // What nobody here knows, in a line that names nobody and does not say that it is too much, may be anything.
                let is_anybodys = !episode.is_block && !self.looked.kinds.is_of_a_player(line);
                let may_be_else = !item.is_known && is_anybodys && !says_unwanted(self.text(line));
                found.extend(read.map(|(cause, is_guess)| (line, item, cause, is_guess || may_be_else)));
            }
        }
        found
    }

    /// The one mod of a line with what the line right above says of the same, where that is something else: what he has, and what it
    /// should have been.
    fn with_answer(&self, line: usize, mut items: Vec<Item>, episode: &Episode) -> Vec<Item> {
        let above = line.checked_sub(1).filter(|above| episode.lines.contains(above));
        let (Some(above), [item]) = (above, &mut items[..]) else { return items };
        let [answer] = &self.of_line(above)[..] else { return items };
        let tells_one = |item: &Item| item.versions.len() == 1 && item.digests.len() < 2;
        if answer.id != item.id || !tells_one(item) {
            return items;
        }
        let texts = |values: &[StatedValue]| values.iter().map(|value| value.text.clone()).collect::<Vec<_>>();
        let differs =
            texts(&item.versions) != texts(&answer.versions) || texts(&item.digests) != texts(&answer.digests);
        if tells_one(answer) && differs {
            item.versions.extend(answer.versions.iter().cloned());
            item.digests.extend(answer.digests.iter().cloned());
        }
        item.has_none |= answer.has_none && answer.versions.is_empty();
        items
    }

    /// The differences that a try tells in two lines; without a sign for what comes there is none.
    fn marks(&self, episode: &Episode) -> Marks {
        let has = |signs: &'static [char]| move |line: &&usize| self.text(**line).contains(signs);
        match last_lines(episode).iter().any(|line| has(&['+'])(&line)) {
            true => Marks::of(last_lines(episode).iter().filter(has(&['+', '-'])).flat_map(|line| self.of_line(*line))),
            false => Marks::of(std::iter::empty()),
        }
    }

    /// Whether what is said of a mod, in a line that names nobody, is said in other tries too, and those went otherwise, or it is
    /// not known that this one went wrong. What nobody here knows as a mod is none if it is said of others as well.
    fn is_noise(&self, line: usize, item: &Item, episode: &Episode) -> bool {
        let lines = &self.looked.kinds.lines;
        let names = |at: usize| match item.is_known {
            true => lines[at].mods().contains(&item.id),
            false => self.text(at).contains(item.id.as_str()),
        };
        let says = self.looked.kinds.kinds[lines[line].kind].lines.iter().filter(|at| names(**at));
        let is_other = |other: &&Episode| other.log == episode.log && other.lines != episode.lines;
        let tries = self.looked.tries_of(says);
        let mut ends = tries.into_values().filter(is_other).map(|other| self.ends_with(other));
        let own = self.ends_with(episode);
        let is_bad = episode.went_well == Some(false);
        match lines[line].player.is_some() && item.is_known {
            // Several may be refused for one mod.
            true => !is_bad && ends.nth(1).is_some(),
            false => ends.any(|end| !is_bad || end != own),
        }
    }

    /// The kind of the last line of a try that names who tries.
    fn ends_with(&self, episode: &Episode) -> Option<usize> {
        let lines = &self.looked.kinds.lines;
        episode.lines.iter().rev().find(|line| lines[**line].player.is_some()).map(|line| lines[*line].kind)
    }

    /// By a code in the line that is explained elsewhere in the log.
    fn by_code(&self, line: usize, legend: &BTreeMap<String, Event>) -> Option<Cause> {
        let text = self.text(line);
        let means = CODE.find_iter(text).find_map(|code| legend.get(code.as_str()))?;
        let items = self.items(line);
        Some(self.looked.known.with_version(items.first()?, *means))
    }

    /// By the sign before its name, as in a list of differences.
    fn by_mark(&self, item: &Item, marks: &Marks) -> Option<Cause> {
        if let (Some('-'), Some((found, _))) = (item.sign(), marks.come.get(&item.id)) {
            let expected = item.versions.first().map(|version| version.text.clone());
            if expected.as_ref() == Some(found) {
                return Some((Event::Cause(Code::ContentDiffers), None, None));
            }
            return Some((Event::Cause(Code::VersionOther), expected, Some(found.clone())));
        }
        match self.looked.sign_of(item)? {
            '-' => Some(self.looked.known.with_version(item, Event::Cause(Code::ModMissing))),
            '~' => Some((Event::Cause(Code::ContentDiffers), None, None)),
            _ => None,
        }
    }

    /// Of a try that went wrong, or ended otherwise than others, two versions of a mod that are the same, and what they should be: then
    /// it is not for its version that it is named.
    fn by_equals(&self, item: &Item, episode: &Episode) -> Option<Cause> {
        let (first, others) = item.versions.split_first()?;
        let is_same = !others.is_empty() && others.iter().all(|other| other.text == first.text);
        let is_right = self.looked.known.expected(&item.id) == Some(first.text.as_str());
        let counts = is_same && is_right && self.may_have_gone_wrong(episode);
        counts.then_some((Event::Cause(Code::ContentDiffers), None, None))
    }

    /// Of a try that went wrong, what is said of a mod and of no try that went well is a reason, whatever its words: that it is not
    /// there, where they deny something or ask for it, or else that it is another.
    fn at_all(&self, item: &Item, episode: &Episode) -> Option<Cause> {
        let is_same = item.versions.len() > 1 && item.versions.windows(2).all(|two| two[0].text == two[1].text);
        let went_wrong = episode.went_well == Some(false) && item.is_known && !is_same;
        let is_missed = || item.words.iter().any(|words| denies(words) || ask(words));
        went_wrong.then(|| match is_missed() {
            true => (Event::Cause(Code::ModMissing), None, None),
            false => (Event::Cause(Code::VersionOther), None, None),
        })
    }

    /// What a list of all that the player has lacks of what it should have, or has otherwise. `named` are mods of which something
    /// is said beside.
    fn listed(&self, episode: &Episode, list: &ListOfAll, named: &BTreeSet<&FoldedId>) -> Vec<ToldCause> {
        let ListOfAll { line: last, held, .. } = list;
        let usual = self.usual(episode, list);
        let mut found = Vec::new();
        for (line, item) in held {
            let version = item.versions.first().map(|version| version.text.clone());
            let cause = match (self.looked.known.expected(&item.id), &version) {
                (Some(expected), Some(version)) if expected != version => {
                    (Event::Cause(Code::VersionOther), Some(expected.to_owned()), Some(version.clone()))
                }
                (Some(_), Some(_)) if usual.has_other_bytes(item) => (Event::Cause(Code::ContentDiffers), None, None),
                _ if !item.is_known => (Event::Cause(Code::ModExtra), None, version),
                _ => continue,
            };
            found.push((*line, item.clone(), cause, false));
        }
        let marked = self.marked(episode, list);
        let entries = self.other_entries(episode, list);
        let is_entry = |id: &FoldedId| entries.iter().any(|line| self.looked.kinds.lines[*line].mods().contains(id));
        let is_held = |id: &FoldedId| held.iter().chain(&marked).any(|(_, item)| item.id == *id) || is_entry(id);
        let has = |id: &FoldedId| is_held(id) || named.contains(id);
        for (line, item) in marked.iter().filter(|(_, item)| !named.contains(&item.id)) {
            found.push((*line, item.clone(), (Event::Cause(Code::ContentDiffers), None, None), true));
        }
        for id in self.looked.known.wanted_of_players().filter(|id| !has(id)) {
            let expected = self.looked.known.expected(id).map(str::to_owned);
            found.push((*last, Item::of(id.clone()), (Event::Cause(Code::ModMissing), expected, None), false));
        }
        found.retain(|(_, item, (means, ..), _)| !usual.differences.contains(&(item.id.clone(), means.word())));
        // Lists that have next to nothing in common are not of the same things.
        let is_another = found.len() * 3 > self.looked.known.number() * 2;
        if is_another { Vec::new() } else { found }
    }

    /// The lines beside those of a list that begin as they do, up to the mod that they name, and go on otherwise: what they say of
    /// it, they say of one that is there, or say that it is not.
    fn other_entries(&self, episode: &Episode, list: &ListOfAll) -> Vec<usize> {
        let (lines, kinds) = (&self.looked.kinds.lines, &self.looked.kinds.kinds);
        let begin = |kind: usize| {
            let pieces = &kinds[kind].pieces;
            pieces.iter().position(Piece::is_mod).map(|name| skeleton(&pieces[..=name]))
        };
        let own = begin(list.kind).filter(|_| kinds[list.kind].names_a_player());
        let is_one = |line: &usize| lines[*line].kind != list.kind && begin(lines[*line].kind) == own;
        episode.lines.iter().copied().filter(|line| own.is_some() && is_one(line)).collect()
    }

    /// Entries of a list that are written otherwise than the others, with the version that they should have: a mark behind it, say. Such
    /// a mod is no less there.
    fn marked(&self, episode: &Episode, list: &ListOfAll) -> Vec<(usize, Item)> {
        let Some((first, _)) = list.held.first() else { return Vec::new() };
        let (lines, kinds) = (&self.looked.kinds.lines, &self.looked.kinds.kinds);
        let pieces = &kinds[list.kind].pieces;
        let begins_alike =
            |other: &[Piece]| other.get(..pieces.len()).is_some_and(|begin| skeleton(begin) == skeleton(pieces));
        let is_beside = |line: &&usize| {
            (first.saturating_sub(1)..=list.line + 1).contains(*line)
                && lines[**line].kind != list.kind
                && lines[**line].depth == lines[*first].depth
                && begins_alike(&kinds[lines[**line].kind].pieces)
        };
        let entry = |line: usize| match &mut self.items(line)[..] {
            [item] if item.is_known => Some((line, item.clone())),
            _ => None,
        };
        let is_as_expected = |item: &Item| {
            let version = item.versions.first().map(|version| version.text.as_str());
            version.is_some() && version == self.looked.known.expected(&item.id)
        };
        let is_listed = |id: &FoldedId| list.held.iter().any(|(_, held)| held.id == *id);
        let entries = episode.lines.iter().filter(is_beside).filter_map(|line| entry(*line));
        entries.filter(|(_, item)| is_as_expected(item) && !is_listed(&item.id)).collect()
    }

    /// What lists of players that got in differ in too: nobody is refused for that.
    fn usual(&self, episode: &Episode, own: &ListOfAll) -> Usual {
        let mut usual = Usual { digests: (*self.of_server).clone(), ..Usual::default() };
        // What stands beside his own is the server's.
        let beside = self.lists_in(episode).into_iter().filter(|list| list.kind != own.kind);
        beside.flat_map(|list| list.held).for_each(|(_, item)| usual.knows(&item));
        let got_in = |other: &&Episode| {
            other.log == episode.log && other.went_well == Some(true) && other.lines != episode.lines
        };
        for other in self.looked.joins.episodes.iter().filter(got_in) {
            let Some(ListOfAll { held, .. }) = self.lists_in(other).pop() else { continue };
            let missing =
                self.looked.known.wanted_of_players().filter(|id| !held.iter().any(|(_, item)| item.id == **id));
            usual.differences.extend(missing.map(|id| (id.clone(), Event::Cause(Code::ModMissing).word())));
            for (_, item) in held {
                let means = if item.is_known { Code::VersionOther } else { Code::ModExtra };
                let expected = self.looked.known.expected(&item.id);
                let differs = item.versions.first().is_some_and(|version| Some(version.text.as_str()) != expected);
                usual.knows(&item);
                if differs || !item.is_known {
                    usual.differences.insert((item.id, Event::Cause(means).word()));
                }
            }
        }
        usual
    }

    /// All that a player has: of several such lists one is the server's, and his is the last that is not as it should be.
    fn list_of_all(&self, episode: &Episode) -> Option<ListOfAll> {
        let mut lists = self.lists_in(episode);
        let differs = |list: &ListOfAll| !self.listed(episode, list, &BTreeSet::new()).is_empty();
        let own = if lists.len() > 1 { lists.iter().rposition(differs).unwrap_or(0) } else { 0 };
        if own < lists.len() { Some(lists.swap_remove(own)) } else { self.own_list(episode) }
    }

    /// The lines of one kind, or the one line, that name most mods.
    fn lists_in(&self, episode: &Episode) -> Vec<ListOfAll> {
        let mut by_kind: BTreeMap<usize, ListOfAll> = BTreeMap::new();
        for line in last_lines(episode) {
            let kind = self.looked.kinds.lines[*line].kind;
            let names_mods = self.looked.kinds.kinds[kind].names_mods() || self.text(*line).contains('{');
            if self.loaded.contains(&kind) || !names_mods {
                continue;
            }
            let list = by_kind.entry(kind).or_insert(ListOfAll { kind, line: *line, held: Vec::new() });
            list.line = *line;
            list.held.extend(self.items(*line).into_iter().map(|item| (*line, item)));
        }
        let is_of_all = |list: &ListOfAll| self.is_of_all(&list.held, &self.headers(list.line, episode));
        let mut lists: Vec<ListOfAll> = by_kind.into_values().filter(is_of_all).collect();
        lists.sort_by_key(|list| list.line);
        lists
    }

    /// What a client says as it starts that it has, where it was refused then.
    fn own_list(&self, episode: &Episode) -> Option<ListOfAll> {
        if self.side != Role::Client || episode.went_well != Some(false) {
            return None;
        }
        let kinds = &self.looked.kinds.kinds;
        let of_kind = |kind: &usize| {
            let lines = kinds[*kind].lines.iter().copied();
            let own: Vec<usize> = lines.filter(|line| self.looked.kinds.lines[*line].log == episode.log).collect();
            let held = own.iter().flat_map(|line| self.items(*line).into_iter().map(|item| (*line, item))).collect();
            Some(ListOfAll { kind: *kind, line: *own.last()?, held })
        };
        self.loaded.iter().filter_map(of_kind).find(|list| self.is_of_all(&list.held, &[]))
    }

    /// Whether some mods are most of those that there are, and nothing is said against them.
    fn is_of_all(&self, held: &[(usize, Item)], headers: &[String]) -> bool {
        // That two sides differ is said of the whole list, and not of each in it.
        let differ = |(means, ..): &Cause| *means == Event::Cause(Code::VersionOther);
        let of_each = |item: &Item| self.looked.known.by_words(item, &[]).is_some();
        let above = |item: &Item| self.looked.known.by_words(item, headers).is_some_and(|cause| !differ(&cause));
        if held.iter().any(|(_, item)| of_each(item) || above(item)) {
            return false;
        }
        let known: BTreeSet<&FoldedId> =
            held.iter().filter(|(_, item)| item.is_known).map(|(_, item)| &item.id).collect();
        known.len() >= self.looked.known.most()
    }

    fn items(&self, line: usize) -> Vec<Item> {
        self.of_block(line).map_or_else(|| self.of_line(line), |(item, _)| vec![item])
    }

    /// What a line says by itself.
    fn of_line(&self, line: usize) -> Vec<Item> {
        let seen = &self.looked.kinds.lines[line];
        let needles = &self.looked.known.needles;
        let message = super::lines::message(self.text(line));
        let unknown = seen
            .mods()
            .iter()
            .find(|id| !self.looked.known.has(id) && !is_label(id.as_str()) && !is_of_reports(id.as_str()));
        let is_player = |name: &str| self.looked.is_player(name);
        let found = items(message, needles, unknown, &is_player);
        let in_sections = in_sections(message, &|word: &str| {
            !is_player(word) && !is_of_reports(word) && !self.looked.known.has(&word.into())
        });
        if !found.is_empty() || !in_sections.is_empty() {
            return found.into_iter().chain(in_sections).collect();
        }
        let is_new = |word: &str| self.is_new(line, word);
        let of_a_try = || {
            let keyed = keyed(message, &is_new, self.looked.known.knows_mods());
            keyed.or_else(|| with_status(message, &is_new)).or_else(|| in_brackets(message, &is_new))
        };
        if let Some(item) = self.looked.try_of(line).and_then(|_| of_a_try()) {
            return vec![item];
        }
        if !(seen.goes_on() || seen.player.is_some()) {
            return self.unwanted(line, message);
        }
        // Below a header that says what is wrong, an entry is a mod, also one that nobody here has; and so is what stands before a
        // version, or before a sign for none, and is said nowhere else.
        let entry = listed(message, &is_player).filter(|_| seen.depth > 0);
        let mut in_place =
            self.looked.in_the_place_of_mods(seen.kind).filter(|word| stands_alone(word) && is_new(word));
        let titled =
            |name: &str| Some(with_title(message, message.find(name).map(|at| (at, at + name.len()))?, &is_new));
        let in_place = || in_place.next().map(|name| Item::in_place(titled(name).unwrap_or(name), message));
        // In an object what stands before a version is a key.
        let stranger = || stranger(message, &is_new).filter(|_| !message.trim_start().starts_with('{'));
        let told = entry.or_else(stranger).or_else(in_place);
        told.map_or_else(|| self.unwanted(line, message), |item| vec![item])
    }

    /// Whether a word of a line is no player's name, and said nowhere else.
    fn is_new(&self, line: usize, word: &str) -> bool {
        // What stands beside his name where his try begins, with a number in it, is his connection's.
        let begins = || self.looked.try_of(line).and_then(|episode| episode.lines.first().copied());
        let is_connection = word.contains(|c: char| c.is_ascii_digit())
            && begins().is_some_and(|first| first != line && self.text(first).contains(word));
        !is_connection
            && !self.looked.is_player(word)
            && !is_of_reports(word)
            && !self.looked.is_said_elsewhere(line, word)
    }

    /// A mod that nobody here has, of which a line of a try that went wrong says that it is not wanted.
    fn unwanted(&self, line: usize, message: &str) -> Vec<Item> {
        let went_wrong = self.looked.try_of(line).is_some_and(|episode| self.may_have_gone_wrong(episode));
        let is_new = |word: &str| self.is_new(line, word);
        let is_his = self.looked.kinds.is_of_a_player(line) || means_failure(message).is_some();
        let is_like_ids = |word: &str| is_his && self.looked.known.has_their_form(word);
        went_wrong.then(|| unwanted(message, &is_new, &is_like_ids)).flatten().into_iter().collect()
    }

    /// Whether a try went wrong, or, where nobody knows, ended otherwise than others.
    fn may_have_gone_wrong(&self, episode: &Episode) -> bool {
        let ending = |episode: &Episode| episode.outcome.map(|line| self.looked.kinds.lines[line].kind);
        let mut others = self.looked.joins.episodes.iter().filter(|other| other.log == episode.log);
        episode.went_well.map_or_else(|| others.any(|other| ending(other) != ending(episode)), |well| !well)
    }

    /// Lines side by side below a header, each with a key, that together tell of one mod: what they tell, the line that names the
    /// mod, and the line behind them.
    fn of_fields(&self, line: usize) -> Option<(Item, usize, usize)> {
        let lines = &self.looked.kinds.lines;
        let own = &lines[line];
        let is_in_block = || self.looked.try_of(line).is_some_and(|episode| episode.is_block);
        if own.player.is_some() || own.depth == 0 && !is_in_block() {
            return None;
        }
        let is_one = |at: usize, above: &Seen| {
            let next = &lines[at];
            next.log == own.log && next.number == above.number + 1 && next.depth == own.depth && next.player.is_none()
        };
        let mut end = line + 1;
        while end < lines.len() && end - line <= FIELDS && is_one(end, &lines[end - 1]) {
            end += 1;
        }
        let texts: Vec<&str> = (line..end).map(|at| self.text(at)).collect();
        // A line whose key says what is wrong speaks for itself.
        let says_what = |(key, _): (&str, &str)| means_failure(&format!("{key}: X")).is_some();
        let speaks_for_itself = texts[0].split_once([':', '=']).is_some_and(says_what);
        if texts.len() < 2 || speaks_for_itself || !texts.iter().all(|text| is_field(text)) {
            return None;
        }
        let is_new = |word: &str| self.is_new(line, word);
        let is_failure = |text: &str| says_unwanted(text);
        let (at, item) = of_fields(&texts, &self.looked.known.needles, &is_new, &is_failure)?;
        Some((item, line + at, end))
    }

    /// A line that goes on in lines that are further in, each with a key: all of it tells of one mod. With the line behind it.
    fn of_block(&self, line: usize) -> Option<(Item, usize)> {
        let lines = &self.looked.kinds.lines;
        let own = &lines[line];
        if own.depth == 0 || own.player.is_some() {
            return None;
        }
        let goes_in = |(above, at): &(&Seen, &Seen)| {
            let is_next = above.log == at.log && above.number + 1 == at.number;
            let names_known = at.mods().iter().any(|id| self.looked.known.has(id));
            is_next && at.depth > own.depth && !names_known && at.player.is_none()
        };
        let fields = lines[line..].iter().zip(&lines[line + 1..]).take_while(goes_in).take(FIELDS).count();
        let end = line + 1 + fields;
        let texts: Vec<&str> = (line..end).map(|at| self.text(at)).collect();
        let item = of_block(&texts, &self.looked.known.needles, &|name| self.looked.is_player(name))?;
        Some((item, end))
    }

    /// What stands above a line of a list, the nearest first: of lines of the same try that are less indented.
    fn headers(&self, line: usize, episode: &Episode) -> Vec<String> {
        let lines = &self.looked.kinds.lines;
        let mut found = Vec::new();
        let (mut at, mut depth) = (line, lines[line].depth);
        while at > 0 && found.len() < HEADERS {
            at -= 1;
            let above = &lines[at];
            let is_right_above = above.log == lines[at + 1].log && above.number + 1 == lines[at + 1].number;
            if !is_right_above || !(episode.lines.contains(&at) || above.goes_on()) {
                break;
            }
            let names_mods = self.looked.kinds.kinds[above.kind].names_mods();
            if !names_mods && (above.depth < depth || found.is_empty()) {
                depth = above.depth;
                found.push(self.text(at).to_owned());
            }
            if above.player.is_some() {
                break;
            }
        }
        found
    }

    /// The codes of a try that some line outside of tries puts into words for what is wrong with a mod.
    fn legend(&self, episode: &Episode) -> BTreeMap<String, Event> {
        let is_code = |_: &str| true;
        self.explained((episode, &is_code), |words| means_failure(words).filter(|means| *means != Event::ModFailed))
    }

    /// Such codes for what no mod has to do with.
    fn codes_of_elsewhere(&self, episode: &Episode) -> BTreeMap<String, KeptOutBy> {
        // A number alone is a time, or a count of anything.
        let is_code = |code: &str| code.contains(char::is_alphabetic);
        let meaning = |words: &str| elsewhere(words).or_else(|| elsewhere(&format!("server {}", words.trim())));
        self.explained((episode, &is_code), meaning)
    }

    fn explained<T>(
        &self,
        (episode, is_code): (&Episode, &dyn Fn(&str) -> bool),
        meaning: impl Fn(&str) -> Option<T>,
    ) -> BTreeMap<String, T> {
        let own = episode.lines.iter().flat_map(|line| CODE.find_iter(self.text(*line)));
        let own: BTreeSet<&str> = own.map(|code| code.as_str()).filter(|code| is_code(code)).collect();
        let of_tries: BTreeSet<u64> = self
            .looked
            .joins
            .episodes
            .iter()
            .flat_map(|episode| &episode.lines)
            .map(|line| self.looked.kinds.lines[*line].number)
            .collect();
        let mut legend = BTreeMap::new();
        let may_explain = |text: &str| own.iter().any(|code| text.contains(*code));
        for (number, text) in (1..).zip(&self.lines) {
            if of_tries.contains(&number) || !may_explain(text) {
                continue;
            }
            let codes: Vec<regex::Match<'_>> = CODE.find_iter(text).collect();
            for (at, code) in codes.iter().enumerate().filter(|(_, code)| own.contains(code.as_str())) {
                let end = codes.get(at + 1).map_or(text.len(), regex::Match::start);
                let words = text[code.end()..end].split([',', ';', '|']).next().unwrap_or_default();
                if let Some(means) = meaning(words) {
                    legend.entry(code.as_str().to_owned()).or_insert(means);
                }
            }
        }
        legend
    }

    fn text(&self, line: usize) -> &str {
        self.of(&self.lines, line)
    }

    fn of<'l>(&self, lines: &[&'l str], line: usize) -> &'l str {
        let number = usize::try_from(self.looked.kinds.lines[line].number).unwrap_or(usize::MAX);
        super::lines::cut(lines.get(number.saturating_sub(1)).copied().unwrap_or_default(), LINE)
    }

    fn event(&self, line: usize, means: Event, episode: &Episode) -> LogEvent {
        LogEvent {
            means,
            source: Source::log_of(self.side),
            line: self.looked.kinds.lines[line].number,
            text: shown(self.of(&self.written, line)),
            is_guess: false,
            mod_id: None,
            expected: None,
            found: None,
            player: episode.player.as_deref().map(PlayerName::from),
            file: None,
            key: None,
            amount: None,
            kept_out: None,
        }
    }
}

/// A word with a number, or a number, that may be a code.
static CODE: LazyLock<Regex> =
    LazyLock::new(|| Regex::new(r"\b[A-Za-z]{0,6}[-_]?\d{1,5}\b").expect("a pattern that is written here"));
