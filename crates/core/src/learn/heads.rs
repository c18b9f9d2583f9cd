//! What the heads of texts tell that are written in no notation: words that stand at the same place in all mods. `reed 1.2` in one
//! line, an id and a version on lines of their own, `Key: reed  Version: 1.2` in a comment.

use std::collections::BTreeSet;

use super::fields::{Column, Surroundings};
use super::units::Unit;
use super::words::{
    BETWEEN, WORD, WORDS_OF_LINE, hints, is_slug, is_version, plain_regex, without_signs, words_of_line,
};
use crate::base::ids::same_name;

/// Words behind which ids and versions stand.
const SAYING: [&str; 12] =
    ["version", "release", "ver", "rev", "revision", "build", "edition", "id", "ident", "key", "slug", "name"];
/// So many lines of a text are looked at.
const LINES: usize = 12;

/// A text as the words of its first lines.
struct Head<'t>(Vec<Vec<&'t str>>);

impl<'t> Head<'t> {
    fn of(text: &'t str) -> Self {
        Self(text.lines().take(LINES).map(|line| words_of_line(line).collect()).collect())
    }

    fn word(&self, (line, place): (usize, Place)) -> Option<&'t str> {
        let words = self.0.get(line)?;
        match place {
            Place::FromStart(at) => words.get(at).copied(),
            Place::Last => words.get(1..)?.last().copied(),
        }
    }

    /// Where a word stands first.
    fn first(&self, wanted: &str) -> Option<(usize, Place)> {
        let mut words =
            (0..).zip(&self.0).flat_map(|(line, words)| (0..).zip(words).map(move |(at, word)| (line, at, word)));
        words.find(|(.., word)| **word == wanted).map(|(line, at, _)| (line, Place::FromStart(at)))
    }
}

/// Where in a line a word stands: what has several words before it may be the last.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Place {
    FromStart(usize),
    Last,
}

/// The versions and ids that the texts of most units tell at one place.
pub fn columns(units: &[Unit], around: &Surroundings<'_>) -> Vec<Column> {
    telling(units, &|column| column.holds_versions() || may_be_id(column, units, around))
}

/// Whether a text of most units tells a version.
pub fn tell_versions(units: &[Unit]) -> bool {
    !telling(units, &Column::holds_versions).is_empty()
}

/// Whether the texts of most units tell a version, and of nearly each what it is called itself.
pub fn tell_themselves(units: &[Unit]) -> bool {
    let is_own_name = |column: &Column| {
        let named = units.iter().zip(&column.values);
        let own = named
            .filter(|(unit, word)| word.as_ref().is_some_and(|word| same_name(without_signs(word), unit.bare_stem())));
        own.count() * 10 >= units.len() * 9
    };
    let columns = telling(units, &|column| column.holds_versions() || is_own_name(column));
    columns.iter().any(Column::holds_versions) && columns.iter().any(is_own_name)
}

fn telling(units: &[Unit], tells: &dyn Fn(&Column) -> bool) -> Vec<Column> {
    let members: BTreeSet<&String> = units.iter().flat_map(|unit| unit.texts.keys()).collect();
    members.into_iter().flat_map(|member| of_member(units, member, tells)).collect()
}

fn of_member(units: &[Unit], member: &str, tells: &dyn Fn(&Column) -> bool) -> Vec<Column> {
    let heads: Vec<Option<Head<'_>>> =
        units.iter().map(|unit| unit.texts.get(member).map(|text| Head::of(text))).collect();
    let told = heads.iter().flatten().count();
    if told < 2 || told * 10 < units.len() * 9 {
        return Vec::new();
    }
    let places = (0..WORDS_OF_LINE).map(Place::FromStart).chain([Place::Last]);
    let all = (0..LINES).flat_map(|line| places.clone().map(move |place| (line, place)));
    let mut found: Vec<Column> = Vec::new();
    for at in all {
        let words: Vec<Option<&str>> = heads.iter().map(|head| head.as_ref()?.word(at)).collect();
        if !differ(&words) {
            continue;
        }
        let values = words.into_iter().map(|word| word.map(str::to_owned)).collect();
        let column = Column::in_text(member, (key(&heads, at), before(&heads, at)), values);
        let is_known = found.iter().any(|known| known.values == column.values);
        if !is_known && tells(&column) {
            found.push(column);
        }
    }
    found
}

/// Whether nearly all texts have a word there, and not all the same.
fn differ(words: &[Option<&str>]) -> bool {
    let mut told = words.iter().flatten();
    let first = told.next();
    let (count, others) = told.fold((1, false), |(count, others), word| (count + 1, others || Some(word) != first));
    others && count * 10 >= words.len() * 9
}

/// The word before a place, where it says what follows, is the same in all texts, and first stands there.
fn key<'t>(heads: &[Option<Head<'t>>], (line, place): (usize, Place)) -> Option<&'t str> {
    let Place::FromStart(at) = place else { return None };
    let before = (line, Place::FromStart(at.checked_sub(1)?));
    let mut words = heads.iter().flatten().map(|head| (head.word(before), head));
    let is_saying = |word: &&str| word.chars().all(char::is_alphabetic) && hints(word, &SAYING);
    let word = words.next()?.0.filter(is_saying)?;
    let is_there = |head: &Head<'_>| head.first(word) == Some(before);
    heads.iter().flatten().all(is_there).then_some(word)
}

/// A regex for what stands before the word at a place.
fn before(heads: &[Option<Head<'_>>], (line, place): (usize, Place)) -> String {
    let lines = if line == 0 { String::new() } else { format!(r"(?:[^\n]*\n){{{line}}}") };
    match place {
        Place::Last => format!(r"\A{lines}[^\n]*{BETWEEN}"),
        Place::FromStart(at) => match key(heads, (line, place)) {
            Some(key) => format!(r"\b{}{BETWEEN}+", plain_regex(key)),
            None => format!(r"\A{lines}{BETWEEN}*{}", format!("{WORD}{BETWEEN}+").repeat(at)),
        },
    }
}

/// Words are ids where they are called so, or are what mods are called elsewhere.
fn may_be_id(column: &Column, units: &[Unit], around: &Surroundings<'_>) -> bool {
    column.is_of_each()
        && column.values.iter().flatten().all(|word| is_slug(word) && !is_version(word))
        && column.is_known(units, around)
}
