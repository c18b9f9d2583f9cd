//! A line in pieces: what is a name, a version, a digest or a number in it, and what is said about that.

use std::collections::HashMap;
use std::fmt::Write;
use std::sync::LazyLock;

use regex::{Captures, Regex};

use super::model::Transcript;
use crate::base::ids::FoldedId;
use crate::diagnose::Needles;
use crate::logs::{LogTime, VERSION_OF, separator, shown};
use crate::rulebook::Role;

/// So many lines of one log are looked at.
const LINES: usize = 60_000;
/// So many bytes of a line are looked at.
const LINE: usize = 2_000;
/// So many different shapes of lines.
const SHAPES: usize = 20_000;
/// So many mods of a list in one line are kept.
const LISTED: usize = 50;

/// A piece of a line.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Piece {
    /// A word.
    Word(String),
    /// Signs.
    Sign(String),
    /// Blanks.
    Blank,
    /// A number.
    Number,
    /// Letters and digits that may differ with each line.
    Mixed,
    /// An address of a network with its port, or the long number of an account.
    Address,
    /// A version.
    Version(String),
    /// A digest.
    Digest(String),
    /// A mod, and how it is written.
    Mod(FoldedId, String),
    /// Several mods, and what stands between them.
    Mods(Vec<FoldedId>, &'static str),
    /// A player.
    Player(String),
}

impl Piece {
    /// Whether it is a mod, or several.
    pub const fn is_mod(&self) -> bool {
        matches!(self, Self::Mod(..) | Self::Mods(..))
    }

    /// Whether it is a player.
    pub const fn is_player(&self) -> bool {
        matches!(self, Self::Player(_))
    }
}

/// What stands in a line that differs from line to line of one kind.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Values {
    /// The mods that it names.
    pub mods: Vec<FoldedId>,
    /// The versions in it, in their order.
    pub versions: Vec<String>,
    /// The digests in it.
    pub digests: Vec<String>,
}

/// A line of a log.
#[derive(Debug, Clone)]
pub struct Line {
    /// Which log it is of.
    pub log: u32,
    /// Its number, from one.
    pub number: u32,
    /// Which of the shapes it has.
    pub shape: u32,
    /// How far it is indented, in characters, where it has no time of its own: it then goes on with the line above.
    pub depth: u16,
    /// Whether it names mods and was written in one moment with the line above it.
    pub is_prompt: bool,
    /// Whether it has no time where other lines have one: it goes on with the line above.
    pub is_bare: bool,
    /// What differs in it, if anything does.
    pub values: Option<Box<Values>>,
}

/// What lines say that are alike but for mods, versions, digests and numbers; players are told apart later.
#[derive(Debug, Clone)]
pub struct Shape {
    /// The log's side.
    pub side: Role,
    /// The pieces of the first of them.
    pub pieces: Vec<Piece>,
    /// Whether some mod's name has blanks in it.
    pub has_blanks: bool,
    /// The first of them.
    pub example: String,
}

/// The lines of some logs.
#[derive(Debug, Default)]
pub struct Lines {
    /// The lines, in the order of the logs.
    pub lines: Vec<Line>,
    /// Their shapes.
    pub shapes: Vec<Shape>,
}

static PIECES: LazyLock<Regex> = LazyLock::new(|| {
    let pattern = r"(?<blank>\s+)|(?<address>\b\d{1,3}(?:\.\d{1,3}){3}:\d{2,5}\b|\b[0-9A-Fa-f]{8}(?:-[0-9A-Fa-f]{4}){3}-[0-9A-Fa-f]{12}\b)|(?<version>\b(?:v|r|R|rev|ver)?\d+(?:\.\d+)+(?:[\w+-]|\.\w)*)|(?<digest>\b[0-9a-fA-F]{6,64}\b)|(?<number>\b\d+\b)|(?<word>\b[\p{L}_]+(?:-?\d{1,4})?(?:[-_][\p{L}\d]+)*\b)|(?<mixed>\b\w+\b)|(?<sign>[^\w\s]+|.)";
    Regex::new(pattern).expect("a pattern that is written here")
});

/// The time that a line begins with, in brackets or not, and its level. What stands in brackets behind it may be a name.
static HEAD: LazyLock<Regex> = LazyLock::new(|| {
    let levels = "TRACE|DEBUG|INFO|NOTICE|WARN|WARNING|ERROR|SEVERE|FATAL|trace|debug|info|notice";
    let time = r"[TZ+-]?\d{1,14}[:.,TZ/+-][\d:.,TZ/+-]{2,}";
    // A version looks like a time too, behind another key.
    let key = r"(?i:t|ts|at|tm|dt|w|[a-z_]{0,8}(?:time|stamp|date|clock|when|zeit|hora|heure)[a-z_]{0,8})";
    // As a journal of a system has it: a day by its name, and behind the time whose line it is.
    let day = r"(?:(?:Mon|Tue|Wed|Thu|Fri|Sat|Sun),?\s+)?(?:Jan|Feb|Mar|Apr|May|Jun|Jul|Aug|Sep|Oct|Nov|Dec)\s+\d{1,2}(?:\s+\d{4})?\s";
    let journal = format!(r"(?:{day}\s*{time}|{time})\s+[\w.-]+\s+[\w./@-]+\[\d+\]:");
    // A number alone is a time where the line begins with it, and who is spoken of behind another time.
    let head = format!(
        r"^(?:[\w.-]+\s+\|\s)?(?:{journal}(?:\s|$)|{day})?(?:\s*[\[(<]?\d{{5,14}}[\])>]?(?:\s|$))?(?:\s|(?:{key})={time}(?:\s|$)|[\[(<]{time}(?:\s{time})?[\])>]|{time}(?:\s|$)|[\[(]?(?:{levels})\b[\])]?|:\s|\|\s)*"
    );
    Regex::new(&head).expect("a pattern that is written here")
});

/// What stands behind the last of a list: its version, and its digest.
static VALUES_BEHIND: LazyLock<Regex> = LazyLock::new(|| {
    Regex::new(&format!(
        "^{VERSION_OF}(?:\\s?[~#/+@:(\\[]+(?:(?i:sha\\d*|md5|crc\\d*|sum|hash)[:=]\\s?)?[0-9A-Fa-f]{{4,64}}\\b[\\])]?)?"
    ))
    .expect("a pattern that is written here")
});

/// What stands between the mods of a list.
pub fn between(message: &str, places: &[(usize, usize)]) -> Option<&'static str> {
    separator(message, places).or_else(|| of_many(message, places))
}

/// What stands between many names, of which some are nobody's here.
fn of_many(message: &str, places: &[(usize, usize)]) -> Option<&'static str> {
    let (first, last) = (places.first()?, places.last()?);
    let list = &message[first.0..last.1];
    [",", ";", "|", " "].into_iter().find(|between| {
        let parts = list.split(between).count();
        // Words have blanks between them too: only names that each have a value of their own are a list.
        let has_values = *between != " " || list.matches(['=', '@', ':']).count() >= places.len() - 1;
        places.len() >= MANY && has_values && parts >= places.len() && parts <= places.len() + places.len() / 3 + 1
    })
}

/// So many names with the same sign between them are a list, whatever else stands there.
pub const MANY: usize = 3;

/// Every line of some logs; of very many, the last ones, and of very many shapes, the first.
pub fn read(logs: &[Transcript<'_>], needles: &Needles) -> Lines {
    let mut found = Lines::default();
    let mut shapes: HashMap<(Role, String), u32> = HashMap::new();
    // Lines that differ in digits alone are of one shape, where those are no version's.
    let mut plain: HashMap<(Role, String), u32> = HashMap::new();
    for (log, transcript) in (0..).zip(logs) {
        let all = transcript.text.lines().count();
        let mut above = "";
        let is_timed = is_timed(transcript.text);
        let usual = usual_gap(transcript.text);
        for (number, text) in (1..).zip(transcript.text.lines()).skip(all.saturating_sub(LINES)) {
            let text = bounded(text);
            let message = message(text);
            if message.trim().is_empty() {
                continue;
            }
            let head = &text[..text.len() - message.len()];
            let depth = depth(text, head, usual);
            let is_bare = is_timed && is_bare(above, (head, text));
            let masked = (transcript.side, without_numbers(message));
            if let Some(shape) = plain.get(&masked) {
                above = text;
                found.lines.push(Line { log, number, shape: *shape, depth, is_prompt: false, is_bare, values: None });
                continue;
            }
            let pieces = pieces(message, needles);
            let key = (transcript.side, skeleton(&pieces));
            let known = shapes.get(&key).copied();
            if known.is_none() && shapes.len() >= SHAPES {
                continue;
            }
            let shape = known.unwrap_or_else(|| {
                let example = shown(text);
                let pieces = pieces.clone();
                found.shapes.push(Shape { side: transcript.side, pieces, has_blanks: false, example });
                u32::try_from(shapes.len()).unwrap_or(u32::MAX)
            });
            shapes.entry(key).or_insert(shape);
            if let Some(own) = found.shapes.get_mut(shape as usize) {
                own.has_blanks |= has_blanks(&pieces);
            }
            let values = values(pieces);
            if values.is_none() {
                plain.insert(masked, shape);
            }
            let is_prompt =
                values.as_ref().is_some_and(|values| !values.mods.is_empty()) && is_prompt(above, (head, text));
            found.lines.push(Line { log, number, shape, depth, is_prompt, is_bare, values });
            above = text;
        }
    }
    found
}

/// What a line says, without its time and its level.
pub fn message(text: &str) -> &str {
    HEAD.find(text).map_or(text, |head| &text[head.end()..])
}

/// Seconds within which lines are of one moment.
const AT_ONCE: f64 = 1.0;

/// Whether a line, of which `head` is what stands before its message, has no time of its own, or that of the line above it.
fn is_prompt(above: &str, (head, text): (&str, &str)) -> bool {
    let seconds = || Some(LogTime::of(text)?.seconds_since(LogTime::of(above)?));
    is_bare(above, (head, text)) || seconds().is_some_and(|seconds| seconds.abs() <= AT_ONCE)
}

/// Whether a line begins with no time, in no notation.
fn is_bare(above: &str, (head, text): (&str, &str)) -> bool {
    !head.contains(char::is_alphanumeric) && LogTime::of(text).is_none() && !is_headed_alike(above, text)
}

/// So many lines tell whether lines of a log have a time.
const TIMED: usize = 1_000;

fn is_timed(log: &str) -> bool {
    let lines = log.lines().map(bounded).filter(|line| !line.is_empty()).take(TIMED);
    let (timed, all) = lines.fold((0, 0), |(timed, all), line| {
        let has_time = message(line).len() < line.len() || LogTime::of(line).is_some();
        (timed + usize::from(has_time), all + 1)
    });
    timed * 4 >= all
}

/// Whether two lines begin with words that differ in their digits alone: a time in a notation that nobody here knows.
fn is_headed_alike(above: &str, text: &str) -> bool {
    let head = |line: &str| -> Vec<char> {
        let word = line.split_whitespace().next().unwrap_or_default();
        word.chars().map(|c| if c.is_ascii_digit() { '0' } else { c }).collect()
    };
    let own = head(text);
    own.contains(&'0') && own == head(above)
}

/// How far a line is indented: at its begin, or behind its time by more than the `usual` blanks.
fn depth(text: &str, head: &str, usual: usize) -> u16 {
    let depth = match LogTime::of(text) {
        None => text.len() - text.trim_start().len(),
        // One blank more is a matter of columns.
        Some(_) => gap(head).map(|gap| gap.saturating_sub(usual)).filter(|more| *more > 1).unwrap_or(0),
    };
    u16::try_from(depth).unwrap_or(u16::MAX)
}

/// Blanks behind the time that a line begins with; nothing where a word for its level stands there, which is filled up with blanks.
fn gap(head: &str) -> Option<usize> {
    let time = head.trim_end();
    let word = time.trim_end_matches(|c: char| !c.is_alphanumeric()).rsplit(|c: char| !c.is_alphanumeric()).next();
    let has_level = word.is_some_and(|word| word.len() > 1 && word.chars().all(char::is_alphabetic));
    (!time.is_empty() && !has_level).then_some(head.len() - time.len())
}

/// Blanks behind the times of a log, at least.
fn usual_gap(log: &str) -> usize {
    let lines = log.lines().map(bounded).take(TIMED);
    let gaps = lines.filter_map(|line| gap(&line[..line.len() - message(line).len()]));
    gaps.min().unwrap_or(0)
}

/// A message with one number for each that stands by itself; digits in a word are a part of it.
fn without_numbers(message: &str) -> String {
    let mut masked = String::with_capacity(message.len());
    let mut rest = message;
    while let Some(start) = rest.find(|c: char| c.is_ascii_digit()) {
        let end = rest[start..].find(|c: char| !c.is_ascii_digit()).map_or(rest.len(), |length| start + length);
        masked.push_str(&rest[..start]);
        let is_part = |c: char| c.is_alphanumeric() || matches!(c, '_' | '-' | '.');
        let alone = !masked.ends_with(is_part) && !rest[end..].starts_with(is_part);
        masked.push_str(if alone { "0" } else { &rest[start..end] });
        rest = &rest[end..];
    }
    masked + rest
}

/// As much of a line as is looked at.
pub fn bounded(text: &str) -> &str {
    cut(text, LINE)
}

/// At most so many bytes from the start of a line.
pub fn cut(text: &str, limit: usize) -> &str {
    let mut end = text.len().min(limit);
    while !text.is_char_boundary(end) {
        end -= 1;
    }
    text[..end].trim_end()
}

fn has_blanks(pieces: &[Piece]) -> bool {
    pieces.iter().any(|piece| matches!(piece, Piece::Mod(_, text) if text.contains(char::is_whitespace)))
}

/// A version without the letters before it.
pub fn bare_version(text: &str) -> &str {
    let text = text.rsplit_once('.').filter(|(_, end)| is_extension(end)).map_or(text, |(version, _)| version);
    let marks = ["v", "rev", "ver", "r", "R"].iter();
    let bare =
        marks.filter_map(|mark| text.strip_prefix(mark)).find(|rest| rest.starts_with(|c: char| c.is_ascii_digit()));
    bare.unwrap_or(text)
}

/// What versions end with, beside numbers.
const STAGES: [&str; 12] =
    ["alpha", "beta", "final", "release", "snapshot", "dev", "pre", "rc", "ga", "preview", "hotfix", "stable"];

/// Whether what stands behind the last dot of a version is the ending of a file's name.
fn is_extension(end: &str) -> bool {
    let lower = end.to_ascii_lowercase();
    (2..=6).contains(&end.len())
        && lower.bytes().all(|byte| byte.is_ascii_lowercase())
        && !STAGES.contains(&lower.as_str())
}

fn values(pieces: Vec<Piece>) -> Option<Box<Values>> {
    let mut values = Values::default();
    for piece in pieces {
        match piece {
            Piece::Mod(id, _) => values.mods.push(id),
            Piece::Mods(ids, _) => values.mods.extend(ids),
            Piece::Version(version) => values.versions.push(bare_version(&version).to_owned()),
            Piece::Digest(digest) => values.digests.push(digest.to_lowercase()),
            Piece::Word(_)
            | Piece::Sign(_)
            | Piece::Blank
            | Piece::Number
            | Piece::Mixed
            | Piece::Address
            | Piece::Player(_) => {}
        }
    }
    (values != Values::default()).then(|| Box::new(values))
}

/// The pieces of a message.
pub fn pieces(message: &str, needles: &Needles) -> Vec<Piece> {
    let named = needles.places(message);
    let places: Vec<(usize, usize)> = named.iter().map(|(place, _)| *place).collect();
    let mut found = Vec::new();
    let mut at = 0;
    if let (Some(between), Some(first), Some(last)) = (between(message, &places), places.first(), places.last()) {
        plain(&message[..first.0], &mut found);
        found.push(Piece::Mods(named.iter().take(LISTED).map(|(_, id)| (*id).clone()).collect(), between));
        at = last.1 + VALUES_BEHIND.find(&message[last.1..]).map_or(0, |values| values.end());
    } else {
        for ((start, end), id) in named.into_iter().take(LISTED) {
            if start < at {
                continue;
            }
            plain(&message[at..start], &mut found);
            found.push(Piece::Mod(id.clone(), message[start..end].to_owned()));
            at = end;
        }
    }
    plain(&message[at..], &mut found);
    found
}

/// The pieces of a message, with no name known.
pub fn plain_pieces(message: &str) -> Vec<Piece> {
    let mut found = Vec::new();
    plain(message, &mut found);
    found
}

fn plain(text: &str, found: &mut Vec<Piece>) {
    let mut at = 0;
    while let Some(captures) = PIECES.captures_at(text, at) {
        let all = whole_word(&captures, text);
        at = captures.get_match().start() + all.len();
        let is = |name| captures.name(name).is_some();
        found.push(if is_behind_version(found) && is_hex(all) {
            Piece::Digest(all.to_owned())
        } else if is("blank") {
            Piece::Blank
        } else if is("address") {
            Piece::Address
        } else if is("version") {
            Piece::Version(all.to_owned())
        } else if is("digest") && is_digest(all) {
            Piece::Digest(all.to_owned())
        } else if all.bytes().all(|byte| byte.is_ascii_digit()) {
            Piece::Number
        } else if is("word") || is("digest") {
            Piece::Word(all.to_owned())
        } else if is("mixed") {
            Piece::Mixed
        } else {
            Piece::Sign(all.to_owned())
        });
    }
}

/// Whether a version and a sign for its digest stand right before: `1.2#5f0a`.
fn is_behind_version(found: &[Piece]) -> bool {
    matches!(found, [.., Piece::Version(_), Piece::Sign(sign)] if matches!(sign.as_str(), "#" | "~" | "@" | "+"))
}

fn is_hex(text: &str) -> bool {
    (4..=64).contains(&text.len()) && text.bytes().all(|byte| byte.is_ascii_hexdigit())
}

/// Whether some hexadecimal digits are a digest on their face: short ones have two digits, or they may be a word.
pub fn is_digest(text: &str) -> bool {
    let digits = text.bytes().filter(u8::is_ascii_digit).count();
    digits > usize::from(text.len() < 8) && digits < text.len()
}

/// What a match stands for: a word goes up to a dash behind which a version begins.
fn whole_word<'t>(captures: &Captures<'t>, text: &'t str) -> &'t str {
    let found = captures.get_match();
    let begins_a_version =
        || text[found.end()..].strip_prefix('.').is_some_and(|rest| rest.starts_with(|c: char| c.is_ascii_digit()));
    let cut = captures.name("word").filter(|_| begins_a_version()).and_then(|word| word.as_str().rsplit_once('-'));
    match cut {
        Some((word, digits)) if digits.bytes().all(|byte| byte.is_ascii_digit()) => word,
        _ => found.as_str(),
    }
}

/// Whether blanks, or nothing, stand on both sides of a piece.
pub fn stands_apart(pieces: &[Piece], at: usize) -> bool {
    let blank = |piece: Option<&Piece>| matches!(piece, None | Some(Piece::Blank));
    blank(at.checked_sub(1).and_then(|at| pieces.get(at))) && blank(pieces.get(at + 1))
}

/// Takes off what stands in brackets at the beginning and names nobody: a thread, a part of the program.
pub fn without_tags(pieces: &mut Vec<Piece>) {
    let opens = |piece: &Piece| matches!(piece, Piece::Sign(sign) if sign == "[");
    let closes = |piece: &Piece| matches!(piece, Piece::Sign(sign) if sign.starts_with(']'));
    let names = |piece: &Piece| piece.is_player() || piece.is_mod();
    while pieces.first().is_some_and(opens) {
        let Some(end) = pieces.iter().position(closes) else { return };
        let goes_on = pieces.len() > end + 2;
        if pieces[..end].iter().any(names) || !goes_on {
            return;
        }
        let reopens = matches!(&pieces[end], Piece::Sign(sign) if sign.ends_with('['));
        pieces.drain(..=end);
        while matches!(pieces.first(), Some(Piece::Blank)) {
            pieces.remove(0);
        }
        if reopens {
            pieces.insert(0, Piece::Sign("[".to_owned()));
        }
    }
}

/// What lines of one kind have in common. Two values that are the same are another kind than two that differ.
pub fn skeleton(pieces: &[Piece]) -> String {
    let mut text = String::new();
    for (at, piece) in pieces.iter().enumerate() {
        let _ = match piece {
            Piece::Version(_) | Piece::Digest(_) if pieces[..at].contains(piece) => write!(text, "\u{1}="),
            Piece::Word(word) => write!(text, "{}", word.to_lowercase()),
            Piece::Sign(sign) => write!(text, "{sign}"),
            Piece::Blank => write!(text, " "),
            Piece::Number => write!(text, "\u{1}n"),
            Piece::Mixed => write!(text, "\u{1}x"),
            Piece::Address => write!(text, "\u{1}a"),
            Piece::Version(_) => write!(text, "\u{1}v"),
            Piece::Digest(_) => write!(text, "\u{1}d"),
            Piece::Mod(..) => write!(text, "\u{1}m"),
            Piece::Mods(..) => write!(text, "\u{1}l"),
            Piece::Player(_) => write!(text, "\u{1}p"),
        };
    }
    text
}
