//! What may stand in a rulebook wherever: tables in a line, paths, patterns, documents.

use std::ops::Range;

use regex::{Regex, RegexBuilder};
use serde_json_path::JsonPath;
use toml::Spanned;
use toml::de::{DeTable, DeValue};

use crate::base::digest::{DIGEST_WORDS, DigestKind};
use crate::base::path::{InstallPath, PathError};
use crate::base::problem::Problems;
use crate::base::stated::Series;
use crate::rulebook::facts::DocumentRule;
use crate::rulebook::mistake::{CostlyPath, Mend, Mistake};
use crate::rulebook::names::NamePattern;
use crate::rulebook::places::PlacePattern;
use crate::rulebook::section::{Section, Spot};
use crate::rulebook::sides::{ByRole, Role};
use crate::rulebook::wrong::PatternError;
use crate::text::{ENCODING_WORDS, Encoding, NOTATION_WORDS, Notation, brackets_deep};

pub(super) const ROLES: [(&str, Role); 2] = [("server", Role::Server), ("client", Role::Client)];

pub(super) fn finish<T>(section: Section<'_>, read: impl FnOnce(&Section<'_>) -> T) -> T {
    let value = read(&section);
    section.finish();
    value
}

pub(super) fn finished<T: Default>(section: Option<Section<'_>>, read: impl FnOnce(&Section<'_>) -> T) -> T {
    section.map(|section| finish(section, read)).unwrap_or_default()
}

pub(super) fn each<T>(sections: Vec<Section<'_>>, read: impl Fn(&Section<'_>) -> T) -> Vec<T> {
    sections.into_iter().map(|section| finish(section, &read)).collect()
}

/// A value that may be a chain of fallbacks: a list is its items, anything else stands alone.
pub(super) fn steps<'t>(section: &Section<'t>, key: &'static str) -> Vec<&'t Spanned<DeValue<'t>>> {
    match section.value(key) {
        Some(value) => value.get_ref().as_array().map_or_else(|| vec![value], |items| items.iter().collect()),
        None => Vec::new(),
    }
}

/// A table inside a section, such as the sample.
pub(super) fn inline<'t>(
    outer: &Section<'t>,
    value: &'t Spanned<DeValue<'t>>,
    (name, sample): (&str, &str),
) -> Option<Section<'t>> {
    let table: Option<&'t DeTable<'t>> = value.get_ref().as_table();
    if table.is_none() {
        let kind = value.get_ref().type_str();
        outer
            .problems()
            .error(value.span(), Mistake::NoTable { key: name.to_owned(), sample: sample.to_owned(), kind });
    }
    table.map(|table| Section::new(table, value.span(), format!("`{name}`"), outer.problems()))
}

pub(super) fn encoding(section: &Section<'_>) -> Encoding {
    section.one_of("encoding", &ENCODING_WORDS).unwrap_or_default()
}

pub(super) fn no_notation(problems: &Problems, span: Range<usize>, name: &str) {
    let known: Vec<_> = NOTATION_WORDS.iter().map(|(word, _)| *word).collect();
    problems.error_with_help(span, Mistake::NoNotation(name.to_owned()), Mend::AddNotation(Series::of(known)));
}

/// The places of each role; a single text or list counts for both.
pub(super) fn place_patterns(section: &Section<'_>, key: &'static str) -> ByRole<Vec<PlacePattern>> {
    let read = |section: &Section<'_>, key| -> Vec<PlacePattern> {
        section.texts(key).into_iter().filter_map(|spot| checked_path(section, spot, PlacePattern::of_game)).collect()
    };
    if section.value(key).is_some_and(|value| !value.get_ref().is_table()) {
        let both = read(section, key);
        return ByRole { server: both.clone(), client: both };
    }
    let Some(inner) = section.section(key) else { return ByRole::default() };
    finish(inner, |inner| ByRole { server: read(inner, "server"), client: read(inner, "client") })
}

pub(super) fn split_places(places: ByRole<Vec<PlacePattern>>) -> (ByRole<Vec<InstallPath>>, ByRole<Vec<PlacePattern>>) {
    let split = |places: Vec<PlacePattern>| -> (Vec<InstallPath>, Vec<PlacePattern>) {
        let literal = places.iter().filter_map(PlacePattern::literal).collect();
        (literal, places.into_iter().filter(|place| place.literal().is_none()).collect())
    };
    let (server, wild_server) = split(places.server);
    let (client, wild_client) = split(places.client);
    (ByRole { server, client }, ByRole { server: wild_server, client: wild_client })
}

pub(super) fn install_path(section: &Section<'_>, spot: Spot<&str>) -> Option<InstallPath> {
    checked_path(section, spot, |path| InstallPath::new(path).and_then(InstallPath::of_game))
}

pub(super) fn checked_path<T>(
    section: &Section<'_>,
    (text, span): Spot<&str>,
    make: impl Fn(&str) -> Result<T, PathError>,
) -> Option<T> {
    let path = make(text);
    if let Err(error) = &path {
        section.problems().error_with_help(span, error, Mend::Path);
    }
    path.ok()
}

pub(super) fn patterns(section: &Section<'_>, key: &'static str) -> Vec<NamePattern> {
    section.texts(key).into_iter().filter_map(|spot| checked(section, spot, NamePattern::new)).collect()
}

pub(super) fn checked<T>(
    section: &Section<'_>,
    (text, span): Spot<&str>,
    make: impl Fn(&str) -> Result<T, PatternError>,
) -> Option<T> {
    make(text).map_err(|why| section.problems().error(span, Mistake::NoPattern { text: text.to_owned(), why })).ok()
}

/// The document that a table names with `member` and perhaps `notation` and `encoding`.
pub(super) fn document(section: &Section<'_>) -> Option<DocumentRule> {
    let notation = section.one_of("notation", &NOTATION_WORDS);
    let (member, span) = section.text("member")?;
    let notation = notation.or_else(|| Notation::of_name(member));
    if notation.is_none() {
        no_notation(section.problems(), span, member);
    }
    Some(DocumentRule { member: member.to_owned(), notation: notation?, encoding: encoding(section) })
}

/// `true`, or the word for a digest.
pub(super) fn digest_kind(section: &Section<'_>) -> Option<DigestKind> {
    let value = section.value("digest")?;
    if value.get_ref().as_bool() == Some(true) {
        return Some(DigestKind::Blake3);
    }
    section.one_of("digest", &DIGEST_WORDS)
}

pub(super) fn json_path(section: &Section<'_>, key: &'static str) -> Option<JsonPath> {
    parsed_path(section.problems(), section.text(key)?)
}

/// Bytes of one JSONPath.
const PATH_BYTES: usize = 1_000;

/// Levels of brackets in one: the parser goes down with each.
const PATH_DEPTH: usize = 16;

/// Selectors in the unions of one, all together: each multiplies what is visited.
const PATH_UNIONS: usize = 8;

/// Steps into all that is below, in one: two of them visit every pair of values.
const PATH_DESCENTS: usize = 1;

/// Why a JSONPath would cost too much, on whatever document. What stands in quotes or in a filter's texts counts too: no path that
/// a person writes comes near.
fn too_costly(text: &str) -> Option<CostlyPath> {
    if text.len() > PATH_BYTES {
        Some(CostlyPath::Long)
    } else if brackets_deep(text, (b"[(", b"])")) > PATH_DEPTH {
        Some(CostlyPath::Deep)
    } else if text.matches(',').count() > PATH_UNIONS {
        Some(CostlyPath::Many)
    } else if text.matches("..").count() > PATH_DESCENTS {
        Some(CostlyPath::Descents)
    } else {
        None
    }
}

pub(super) fn parsed_path(problems: &Problems, (text, span): Spot<&str>) -> Option<JsonPath> {
    if let Some(why) = too_costly(text) {
        let shown: String = text.chars().take(60).collect();
        problems.error_with_help(span, Mistake::CostlyPath { text: shown, why }, Mend::MoreClosely);
        return None;
    }
    JsonPath::parse(text)
        .map_err(|error| {
            let (text, why) = (text.to_owned(), error.message().to_owned());
            problems.error_with_help(span, Mistake::NoJsonPath { text, why }, Mend::JsonPath);
        })
        .ok()
}

pub(super) fn compiled(section: &Section<'_>, (text, span): Spot<&str>) -> Option<Regex> {
    if !section.problems().spend(cost(text), PATTERNS_BUDGET) {
        section.problems().error_with_help(span, Mistake::TooCostly, Mend::FewerPatterns);
        return None;
    }
    RegexBuilder::new(text)
        .size_limit(PATTERN_BYTES)
        .dfa_size_limit(PATTERN_BYTES)
        .build()
        .map_err(|error| {
            let reason = error.to_string().lines().last().unwrap_or_default().trim_start_matches("error: ").to_owned();
            section.problems().error(span, Mistake::NoRegex { text: text.to_owned(), why: reason });
        })
        .ok()
}

/// Bytes that one compiled pattern may take.
const PATTERN_BYTES: usize = 1 << 20;

/// Bytes that the compiled patterns of one file may take in all.
const PATTERNS_BUDGET: usize = 24 << 20;

/// About what a pattern takes once it is compiled; one that is none costs nothing.
fn cost(text: &str) -> usize {
    let config = regex_automata::nfa::thompson::Config::new().nfa_size_limit(Some(PATTERN_BYTES));
    let compiled = regex_automata::nfa::thompson::Compiler::new().configure(config).build(text);
    // What it is searched with takes about as much again.
    compiled.map_or(0, |nfa| 2 * nfa.memory_usage())
}

/// A regex that says by a named group where the value is.
pub(super) fn regex_with_group(section: &Section<'_>, (text, span): Spot<&str>, group: &str) -> Option<Regex> {
    let regex = compiled(section, (text, span.clone()))?;
    let group = group.replace('-', "_");
    let named = regex.capture_names().flatten().any(|name| name == group);
    if !named {
        let help = Mend::NameGroup(group.to_owned());
        section.problems().error_with_help(span, Mistake::NoGroup(text.to_owned()), help);
    }
    named.then_some(regex)
}
