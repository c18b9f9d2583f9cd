//! From TOML to the model, noting every mistake with its place.

use std::ops::Range;

use regex::{Regex, RegexBuilder};
use serde_json_path::JsonPath;
use toml::Spanned;
use toml::de::{DeTable, DeValue};

use super::facts::{
    DocumentRule, FactRule, FactStep, KindWords, NestedRule, Origin, RelationForm, RelationRule, ToldBy,
};
use super::lists::{EntryFields, EntryShape, ListForm, ListRule, NumberedKey, Template};
use super::model::*;
use super::names::{NamePattern, OffPattern};
use super::places::PlacePattern;
use super::settings::{ExtraRule, FLAG_WORDS, MemoryRule, SettingRule, size};
use super::sides::{ByRole, Role};
use super::wrong::PatternError;
use crate::base::digest::{DIGEST_WORDS, DigestKind};
use crate::base::finding::Code;
use crate::base::limits;
use crate::base::path::{InstallPath, PathError};
use crate::base::problem::{BadFile, Parsed, Problems, nearest, settle};
use crate::base::version::{Bare, Ranges, Scheme, Versions};
use crate::rulebook::section::{Section, Spot, read_root};
use crate::rulebook::{NeededOn, RelationKind};
use crate::text::{ENCODING_WORDS, Encoding, NOTATION_WORDS, Notation, brackets_deep, list_parent};

/// The first line of every rulebook.
pub const FORMAT: &str = "kanon-rulebook/1";

const KINDS: [(&str, RelationKind); 5] = [
    ("required", RelationKind::Required),
    ("optional", RelationKind::Optional),
    ("conflicting", RelationKind::Conflicting),
    ("load-before", RelationKind::LoadBefore),
    ("load-after", RelationKind::LoadAfter),
];
const ROLES: [(&str, Role); 2] = [("server", Role::Server), ("client", Role::Client)];

/// Reads a rulebook; `name` is how messages call the file.
///
/// # Errors
/// With every mistake that was found, each tied to its place.
pub fn parse(name: &str, text: &str) -> Result<Parsed<Rulebook>, BadFile> {
    let problems = Problems::default();
    let rulebook = read_root(text, "the rulebook", &problems, rulebook);
    settle(name, text, rulebook, problems)
}

fn rulebook(root: &Section<'_>) -> Rulebook {
    check_format(root, FORMAT);
    let rulebook = Rulebook {
        game: root.owned_text("game"),
        versions: finished(root.section("versions"), versions),
        base: finished(root.section("base"), platform),
        loader: root.section("loader").map(|section| finish(section, named_platform)),
        runtime: root.section("runtime").map(|section| finish(section, named_platform)),
        bridges: each(root.sections("bridge"), bridge).into_iter().flatten().collect(),
        shelves: each(root.sections("shelf"), shelf),
        keyring: root.section("keyring").map(|section| finish(section, keyring)),
        lists: each(root.sections("list"), list).into_iter().flatten().collect(),
        fragments: each(root.sections("fragment"), fragment).into_iter().flatten().collect(),
        settings: each(root.sections("setting"), setting).into_iter().flatten().collect(),
        memory: each(root.sections("memory"), memory).into_iter().flatten().collect(),
        worlds: each(root.sections("world"), |section| WorldRule { places: place_patterns(section, "in") }),
        logs: place_patterns(root, "logs"),
        running: finished(root.section("running"), running),
        events: each(root.sections("event"), event).into_iter().flatten().collect(),
        messages: each(root.sections("message"), message).into_iter().flatten().collect(),
    };
    check_shelves(root, &rulebook);
    check_lists(root, &rulebook);
    check_fragments(root, &rulebook);
    rulebook
}

/// Notes an error unless the file says that it is of this format.
pub fn check_format(root: &Section<'_>, format: &str) {
    match root.text("format") {
        Some((found, _)) if found == format => {}
        Some((found, span)) => {
            root.problems().error(span, format!("`format` is `{found}`; this version of Kanon reads `{format}`"));
        }
        None => root.problems().error_with_help(
            0..0,
            "the first line must say what the file is",
            format!("begin it with: format = \"{format}\""),
        ),
    }
}

fn check_shelves(root: &Section<'_>, rulebook: &Rulebook) {
    if rulebook.shelves.is_empty() {
        root.problems().error(0..0, "the rulebook names no [[shelf]]: it must say where mods live");
    }
    for (i, shelf) in rulebook.shelves.iter().enumerate() {
        if rulebook.shelves[..i].iter().any(|other| other.name == shelf.name) {
            root.problems()
                .error(0..0, format!("two shelves are called `{}`; each needs a name of its own", shelf.name));
        }
        if let Some((other, place)) =
            rulebook.shelves[..i].iter().find_map(|other| Some((other, claimed_twice(other, shelf)?)))
        {
            let message = format!("the shelves `{}` and `{}` both claim all of {place}", other.name, shelf.name);
            let help = "give each its own place, or its own `match`";
            root.problems().error_with_help(root.find_text(&shelf.name), message, help);
        }
    }
}

/// A place at which every mod would be on both shelves.
fn claimed_twice(a: &Shelf, b: &Shelf) -> Option<String> {
    let kinds = (a.holds.files() && b.holds.files()) || (a.holds.folders() && b.holds.folders());
    let texts = |shelf: &Shelf| -> Vec<String> { shelf.matches.iter().map(|p| p.text().to_lowercase()).collect() };
    let (own, other) = (texts(a), texts(b));
    let overlap = own.is_empty() || other.is_empty() || own.iter().any(|pattern| other.contains(pattern));
    let places = |shelf: &Shelf, role: Role| -> Vec<String> {
        let literal = shelf.places(role).iter().map(ToString::to_string);
        literal.chain(shelf.wild.of(role).iter().map(ToString::to_string)).collect()
    };
    let shared = [Role::Server, Role::Client].into_iter().find_map(|role| {
        let others = places(b, role);
        places(a, role).into_iter().find(|place| others.contains(place))
    });
    shared.filter(|_| kinds && overlap && a.except.is_empty() && b.except.is_empty())
}

/// Lists that shelves speak of must be there, and no two places may be claimed by two shelves.
fn check_lists(root: &Section<'_>, rulebook: &Rulebook) {
    let names: Vec<&str> = rulebook.lists.iter().map(|list| list.name.as_str()).collect();
    let asked = rulebook.shelves.iter().flat_map(|shelf| {
        let order = shelf.laid_into.as_ref().and_then(|laid| laid.order.as_ref());
        [shelf.ids_from.server.as_ref(), shelf.ids_from.client.as_ref(), order].into_iter().flatten()
    });
    let shelves: Vec<&str> = rulebook.shelves.iter().map(|shelf| shelf.name.as_str()).collect();
    for name in rulebook.lists.iter().flat_map(|list| &list.shelves).filter(|name| !shelves.contains(&name.as_str())) {
        let message = format!("a list names the mods of the shelf `{name}`, and no [[shelf]] is called so");
        let help = nearest(name, shelves.iter().copied())
            .map_or_else(|| "add that [[shelf]]".to_owned(), |near| format!("did you mean `{near}`?"));
        root.problems().error_with_help(root.find_text(name), message, help);
    }
    for name in asked.filter(|name| !names.contains(&name.as_str())) {
        let message = format!("a shelf speaks of the list `{name}`, and no [[list]] is called so");
        let help = nearest(name, names.iter().copied())
            .map_or_else(|| "add that [[list]]".to_owned(), |near| format!("did you mean `{near}`?"));
        root.problems().error_with_help(root.find_text(name), message, help);
    }
}

/// Entries of one data file go to one place and are told apart in one way.
fn check_fragments(root: &Section<'_>, rulebook: &Rulebook) {
    for (i, rule) in rulebook.fragments.iter().enumerate() {
        let other = rulebook.fragments[..i].iter().find(|other| other.into == rule.into);
        if other.is_some_and(|other| (&other.before, &other.identity) != (&rule.before, &rule.identity)) {
            let message = format!("two [[fragment]] tables put entries into {} in different ways", rule.into);
            let help = "give both the same `before` and `identity`";
            root.problems().error_with_help(root.find_text(rule.into.as_str()), message, help);
        }
    }
}

fn finish<T>(section: Section<'_>, read: impl FnOnce(&Section<'_>) -> T) -> T {
    let value = read(&section);
    section.finish();
    value
}

fn finished<T: Default>(section: Option<Section<'_>>, read: impl FnOnce(&Section<'_>) -> T) -> T {
    section.map(|section| finish(section, read)).unwrap_or_default()
}

fn each<T>(sections: Vec<Section<'_>>, read: impl Fn(&Section<'_>) -> T) -> Vec<T> {
    sections.into_iter().map(|section| finish(section, &read)).collect()
}

fn versions(section: &Section<'_>) -> Versions {
    let schemes =
        [("semver", Scheme::SemVer), ("dotted", Scheme::Dotted), ("date", Scheme::Date), ("opaque", Scheme::Opaque)];
    let ranges = [("comparators", Ranges::Comparators), ("intervals", Ranges::Intervals), ("exact", Ranges::Exact)];
    let bare = [("exact", Bare::Exact), ("at-least", Bare::AtLeast), ("compatible", Bare::Compatible)];
    let ranges = section.one_of("ranges", &ranges).unwrap_or_default();
    let usual = if ranges == Ranges::Intervals { Bare::AtLeast } else { Bare::Exact };
    Versions {
        scheme: section.one_of("scheme", &schemes).unwrap_or_default(),
        ranges,
        bare: section.one_of("bare", &bare).unwrap_or(usual),
    }
}

fn named_platform(section: &Section<'_>) -> Platform {
    section.require("name");
    platform(section)
}

fn platform(section: &Section<'_>) -> Platform {
    Platform {
        name: section.optional_text("name").unwrap_or_default(),
        ids: section.texts("ids").into_iter().map(|(id, _)| id.to_owned()).collect(),
        version: steps(section, "version").into_iter().filter_map(|value| platform_version(section, value)).collect(),
    }
}

/// A value that may be a chain of fallbacks: a list is its items, anything else stands alone.
fn steps<'t>(section: &Section<'t>, key: &'static str) -> Vec<&'t Spanned<DeValue<'t>>> {
    match section.value(key) {
        Some(value) => value.get_ref().as_array().map_or_else(|| vec![value], |items| items.iter().collect()),
        None => Vec::new(),
    }
}

/// A table inside a section, such as the sample.
fn inline<'t>(
    outer: &Section<'t>,
    value: &'t Spanned<DeValue<'t>>,
    (name, sample): (&str, &str),
) -> Option<Section<'t>> {
    let table: Option<&'t DeTable<'t>> = value.get_ref().as_table();
    if table.is_none() {
        let kind = value.get_ref().type_str();
        outer.problems().error(value.span(), format!("`{name}` must be a table such as {sample}, not a {kind}"));
    }
    table.map(|table| Section::new(table, value.span(), format!("`{name}`"), outer.problems()))
}

fn platform_version(outer: &Section<'_>, value: &Spanned<DeValue<'_>>) -> Option<PlatformVersion> {
    let section = inline(outer, value, ("version", r#"{ file = "build.json", at = "$.version" }"#))?;
    let name = section.text("file-name").and_then(|spot| regex_with_group(&section, spot, "version"));
    let file = section.text("file").and_then(|spot| install_path(&section, spot));
    let (at, line) = (json_path(&section, "at"), section.text("text"));
    let notation = section.one_of("notation", &NOTATION_WORDS);
    let encoding = encoding(&section);
    let line = line.and_then(|spot| regex_with_group(&section, spot, "version"));
    let span = section.span();
    section.finish();
    match (name, file, at, line) {
        (Some(regex), None, None, None) => Some(PlatformVersion::FileName(regex)),
        (None, Some(file), Some(at), None) => {
            let notation = notation.or_else(|| Notation::of_name(file.name()));
            let found =
                notation.map(|notation| PlatformVersion::Document { file: file.clone(), notation, encoding, at });
            if found.is_none() {
                no_notation(outer.problems(), span, file.name());
            }
            found
        }
        (None, Some(file), None, Some(line)) => Some(PlatformVersion::Text { file, encoding, line }),
        _ => {
            outer.problems().error_with_help(
                span,
                "`version` must say where the version is found",
                "write { file-name = 'regex' }, { file = \"path\", at = \"$.place\" } or { file = \"path\", text = 'regex' }",
            );
            None
        }
    }
}

fn encoding(section: &Section<'_>) -> Encoding {
    section.one_of("encoding", &ENCODING_WORDS).unwrap_or_default()
}

fn no_notation(problems: &Problems, span: Range<usize>, name: &str) {
    let known: Vec<_> = NOTATION_WORDS.iter().map(|(word, _)| *word).collect();
    problems.error_with_help(
        span,
        format!("the notation of `{name}` can't be told from its name"),
        format!("add notation = one of: {}", known.join(", ")),
    );
}

fn shelf(section: &Section<'_>) -> Shelf {
    let holds = holds(section);
    let names = [("exact", Names::Exact), ("free", Names::Free)];
    let usual = if holds.archives() || holds == Holds::Ids { Names::Free } else { Names::Exact };
    let read = section.section("mod").map(|inner| finish(inner, mod_rule));
    let ids_from = ids_from(section);
    let ids_alone = holds == Holds::Ids;
    if !ids_alone && read.as_ref().is_none_or(|read| read.id.0.is_empty()) {
        section.problems().error_with_help(
            section.span(),
            "the shelf does not say how a mod's id is found",
            "add to its [shelf.mod]: id = \"$.id\", or id = { file-name = '(?<id>.+)\\.zip' }",
        );
    }
    section.require(if ids_alone { "ids-from" } else { "in" });
    let (places, wild) = split_places(place_patterns(section, "in"));
    Shelf {
        name: section.owned_text("name"),
        holds,
        places,
        wild,
        ids_from,
        matches: patterns(section, "match"),
        except: patterns(section, "except"),
        off: section.texts("off").into_iter().filter_map(|spot| checked(section, spot, OffPattern::new)).collect(),
        names: section.one_of("names", &names).unwrap_or(usual),
        called: called(section),
        read: read.unwrap_or_default(),
        signed: section.section("signed").and_then(|inner| finish(inner, signed)),
        laid_into: section.section("laid-into").and_then(|inner| finish(inner, laid_into)),
        extras: extras(section, holds),
        settings: settings_inside(section, holds),
    }
}

/// Files of whoever plays, inside of mods: only those of a folder can stay as they are.
fn settings_inside(section: &Section<'_>, holds: Holds) -> Vec<NamePattern> {
    let settings = member_patterns(section, "settings");
    if !settings.is_empty() && !holds.folders() {
        section
            .problems()
            .error(section.span(), "only mods that are folders can have settings of whoever plays in them");
    }
    if !settings.is_empty() && section.value("signed").is_some() {
        section
            .problems()
            .error(section.span(), "`settings` and `signed` can't both be: what is signed is the same everywhere");
    }
    settings
}

/// Only the files of a folder are known one by one.
fn extras(section: &Section<'_>, holds: Holds) -> Vec<ExtraRule> {
    let extras: Vec<ExtraRule> = each(section.sections("extra"), extra).into_iter().flatten().collect();
    if !extras.is_empty() && !holds.folders() {
        section.problems().error(section.span(), "only mods that are folders can bring files for other places");
    }
    extras
}

/// One word, or both of archives and folders.
fn holds(section: &Section<'_>) -> Holds {
    let kinds = [
        ("archives", Holds::Archives),
        ("folders", Holds::Folders),
        ("files", Holds::Files),
        ("overlays", Holds::Overlays),
        ("ids", Holds::Ids),
    ];
    section.require("holds");
    let words: Vec<Holds> = section.texts_of("holds", &kinds);
    match words.as_slice() {
        [one] => *one,
        [Holds::Archives, Holds::Folders] | [Holds::Folders, Holds::Archives] => Holds::ArchivesOrFolders,
        [] => Holds::Archives,
        _ => {
            section.problems().error_with_help(
                section.value("holds").map_or_else(|| section.span(), Spanned::span),
                "a shelf holds one kind of thing, or archives and folders alike",
                "make a shelf for each kind, with its own `match`",
            );
            words[0]
        }
    }
}

fn ids_from(section: &Section<'_>) -> ByRole<Option<String>> {
    let Some(inner) = section.section("ids-from") else { return ByRole::default() };
    finish(inner, |inner| ByRole { server: inner.optional_text("server"), client: inner.optional_text("client") })
}

fn laid_into(section: &Section<'_>) -> Option<LaidRule> {
    let base = section.required_text("base").and_then(|spot| install_path(section, spot));
    let order = section.optional_text("order");
    let strip = section.section("strip").map(|inner| {
        finish(inner, |inner| ByRole {
            server: member_patterns(inner, "server"),
            client: member_patterns(inner, "client"),
        })
    });
    Some(LaidRule { base: base?, order, strip: strip.unwrap_or_default() })
}

/// The places of each role; a single text or list counts for both.
fn place_patterns(section: &Section<'_>, key: &'static str) -> ByRole<Vec<PlacePattern>> {
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

fn split_places(places: ByRole<Vec<PlacePattern>>) -> (ByRole<Vec<InstallPath>>, ByRole<Vec<PlacePattern>>) {
    let split = |places: Vec<PlacePattern>| -> (Vec<InstallPath>, Vec<PlacePattern>) {
        let literal = places.iter().filter_map(PlacePattern::literal).collect();
        (literal, places.into_iter().filter(|place| place.literal().is_none()).collect())
    };
    let (server, wild_server) = split(places.server);
    let (client, wild_client) = split(places.client);
    (ByRole { server, client }, ByRole { server: wild_server, client: wild_client })
}

fn install_path(section: &Section<'_>, spot: Spot<&str>) -> Option<InstallPath> {
    checked_path(section, spot, |path| InstallPath::new(path).and_then(InstallPath::of_game))
}

fn checked_path<T>(
    section: &Section<'_>,
    (text, span): Spot<&str>,
    make: impl Fn(&str) -> Result<T, PathError>,
) -> Option<T> {
    let path = make(text);
    if let Err(error) = &path {
        section.problems().error_with_help(span, error.to_string(), "write a path from the install's root, with `/`");
    }
    path.ok()
}

fn patterns(section: &Section<'_>, key: &'static str) -> Vec<NamePattern> {
    section.texts(key).into_iter().filter_map(|spot| checked(section, spot, NamePattern::new)).collect()
}

/// Patterns over paths inside a mod: `*` does not cross a `/`, `**` does.
fn member_patterns(section: &Section<'_>, key: &'static str) -> Vec<NamePattern> {
    patterns(section, key)
}

fn checked<T>(
    section: &Section<'_>,
    (text, span): Spot<&str>,
    make: impl Fn(&str) -> Result<T, PatternError>,
) -> Option<T> {
    make(text).map_err(|reason| section.problems().error(span, format!("`{text}` is no pattern: {reason}"))).ok()
}

fn mod_rule(section: &Section<'_>) -> ModRule {
    let kinds = KINDS.into_iter().chain([("relations", RelationKind::Required)]);
    let relations = kinds.flat_map(|(key, kind)| {
        steps(section, key).into_iter().filter_map(|value| relation(section, value, (key, kind))).collect::<Vec<_>>()
    });
    ModRule {
        documents: steps(section, "document").into_iter().filter_map(|value| document_step(section, value)).collect(),
        told_by: steps(section, "told-by").into_iter().find_map(|value| told_by(section, value)),
        id: fact(section, "id"),
        version: fact(section, "version"),
        title: fact(section, "title"),
        needed_on: fact(section, "needed_on"),
        game: fact(section, "game"),
        loader: fact(section, "loader"),
        runtime: fact(section, "runtime"),
        made_for: fact(section, "made-for"),
        shapes_world: fact(section, "shapes-world"),
        relations: relations.collect(),
        all_need: section.texts("all-need").into_iter().map(|(id, _)| id.to_owned()).collect(),
        provides: json_path(section, "provides"),
        nested: section.section("nested").map(|inner| finish(inner, nested)),
        foreign: each(section.sections("foreign"), foreign).into_iter().flatten().collect(),
    }
}

fn told_by(outer: &Section<'_>, value: &Spanned<DeValue<'_>>) -> Option<ToldBy> {
    let section = inline(outer, value, ("told-by", r#"{ file = "mods.json", each = "$.mods[*]", key = "$.file" }"#))?;
    let file = section.required_text("file").and_then(|spot| install_path(&section, spot));
    let notation = section.one_of("notation", &NOTATION_WORDS);
    let notation = notation.or_else(|| Notation::of_name(file.as_ref()?.name()));
    if let (None, Some(file)) = (notation, &file) {
        no_notation(section.problems(), section.span(), file.as_str());
    }
    section.require("each");
    let (encoding, each, key) = (encoding(&section), json_path(&section, "each"), json_path(&section, "key"));
    section.finish();
    Some(ToldBy { file: file?, notation: notation?, encoding, each: each?, key })
}

fn document_step(outer: &Section<'_>, value: &Spanned<DeValue<'_>>) -> Option<DocumentRule> {
    let section = inline(outer, value, ("document", r#"{ member = "about.json" }"#))?;
    let document = document(&section);
    if document.is_none() {
        section.require("member");
    }
    section.finish();
    document
}

/// The document that a table names with `member` and perhaps `notation` and `encoding`.
fn document(section: &Section<'_>) -> Option<DocumentRule> {
    let notation = section.one_of("notation", &NOTATION_WORDS);
    let (member, span) = section.text("member")?;
    let notation = notation.or_else(|| Notation::of_name(member));
    if notation.is_none() {
        no_notation(section.problems(), span, member);
    }
    Some(DocumentRule { member: member.to_owned(), notation: notation?, encoding: encoding(section) })
}

fn fact(section: &Section<'_>, key: &'static str) -> FactRule {
    FactRule(steps(section, key).into_iter().filter_map(|value| fact_step(section, value, key)).collect())
}

fn fact_step(outer: &Section<'_>, value: &Spanned<DeValue<'_>>, fact: &'static str) -> Option<FactStep> {
    if let Some(at) = value.get_ref().as_str() {
        let at = parsed_path(outer.problems(), (at, value.span()))?;
        let origin = Origin::Document { document: None, at };
        return Some(FactStep { origin, means: None, except: None, span: value.span() });
    }
    let section = inline(outer, value, (fact, &format!("{{ at = \"$.{fact}\" }}")))?;
    let origin = origin(&section, fact);
    let means = section.text_map("means");
    check_words(&section, fact, &means);
    let except = section.text("except").and_then(|spot| compiled(&section, spot));
    section.finish();
    let means = means.into_iter().map(|((from, _), (to, _))| (from.to_owned(), to.to_owned())).collect::<Vec<_>>();
    let means = (!means.is_empty()).then(|| means.into_iter().collect());
    Some(FactStep { origin: origin?, means, except, span: value.span() })
}

/// The facts that Kanon must understand have a fixed set of words.
fn check_words(section: &Section<'_>, fact: &str, means: &[(Spot<&str>, Spot<&str>)]) {
    let words: &[&str] = match fact {
        "needed_on" => &["both", "server", "client", "optional"],
        "shapes-world" => &["yes", "no"],
        _ => return,
    };
    for (_, (word, span)) in means {
        if !words.contains(word) {
            let help =
                nearest(word, words.iter().copied()).map_or_else(String::new, |near| format!("did you mean `{near}`?"));
            let message = format!("`{fact}` can't mean `{word}`; expected one of: {}", words.join(", "));
            section.problems().error_with_help(span.clone(), message, help);
        }
    }
}

fn origin(section: &Section<'_>, fact: &str) -> Option<Origin> {
    let at = json_path(section, "at");
    let name = section.text("file-name");
    let line = section.text("text");
    let is = section.optional_text("is");
    let digest = digest_kind(section);
    if let Some(spot) = name {
        return regex_with_group(section, spot, fact).map(Origin::Name);
    }
    if let Some(spot) = line {
        let line = regex_with_group(section, spot, fact)?;
        section.require("member");
        return section.optional_text("member").map(|member| Origin::Text {
            member,
            encoding: encoding(section),
            line,
        });
    }
    match (at, is, digest) {
        (Some(at), None, None) => Some(Origin::Document { document: document(section), at }),
        (None, Some(is), None) => Some(Origin::Is(is)),
        (None, None, Some(kind)) => Some(Origin::Digest(kind)),
        (None, None, None) if section.value("at").is_some() => None,
        _ => {
            section.problems().error_with_help(
                section.span(),
                format!("`{fact}` must say where it is found, in one way"),
                "write one of: at = \"$.place\", file-name = 'regex', text = 'regex' with member, is = \"value\", digest = true",
            );
            None
        }
    }
}

/// `true`, or the word for a digest.
fn digest_kind(section: &Section<'_>) -> Option<DigestKind> {
    let value = section.value("digest")?;
    if value.get_ref().as_bool() == Some(true) {
        return Some(DigestKind::Blake3);
    }
    section.one_of("digest", &DIGEST_WORDS)
}

fn json_path(section: &Section<'_>, key: &'static str) -> Option<JsonPath> {
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
fn too_costly(text: &str) -> Option<&'static str> {
    if text.len() > PATH_BYTES {
        Some("it is too long")
    } else if brackets_deep(text, (b"[(", b"])")) > PATH_DEPTH {
        Some("its brackets are nested too deep")
    } else if text.matches(',').count() > PATH_UNIONS {
        Some("it selects too many at once")
    } else if text.matches("..").count() > PATH_DESCENTS {
        Some("`..` may stand in it once")
    } else {
        None
    }
}

fn parsed_path(problems: &Problems, (text, span): Spot<&str>) -> Option<JsonPath> {
    if let Some(why) = too_costly(text) {
        let shown: String = text.chars().take(60).collect();
        problems.error_with_help(
            span,
            format!("`{shown}` can't be used as a JSONPath: {why}"),
            "name the place more closely",
        );
        return None;
    }
    JsonPath::parse(text)
        .map_err(|error| {
            let message = format!("`{text}` is no JSONPath: {}", error.message());
            problems.error_with_help(
                span,
                message,
                "a path begins with `$`, such as \"$.id\" or \"$.needs[*]\" (RFC 9535)",
            );
        })
        .ok()
}

fn compiled(section: &Section<'_>, (text, span): Spot<&str>) -> Option<Regex> {
    if !section.problems().spend(cost(text), PATTERNS_BUDGET) {
        let help = "write fewer of them, or shorter ones; repetitions such as {1,500} are what costs most";
        section.problems().error_with_help(span, "the patterns of this file are too costly together", help);
        return None;
    }
    RegexBuilder::new(text)
        .size_limit(PATTERN_BYTES)
        .dfa_size_limit(PATTERN_BYTES)
        .build()
        .map_err(|error| {
            let reason = error.to_string().lines().last().unwrap_or_default().trim_start_matches("error: ").to_owned();
            section.problems().error(span, format!("`{text}` is no regex: {reason}"));
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
fn regex_with_group(section: &Section<'_>, (text, span): Spot<&str>, group: &str) -> Option<Regex> {
    let regex = compiled(section, (text, span.clone()))?;
    let group = group.replace('-', "_");
    let named = regex.capture_names().flatten().any(|name| name == group);
    if !named {
        let message = format!("`{text}` does not say where the value is");
        section.problems().error_with_help(span, message, format!("put it in a group named `{group}`: (?<{group}>…)"));
    }
    named.then_some(regex)
}

fn relation(
    outer: &Section<'_>,
    value: &Spanned<DeValue<'_>>,
    (key, kind): (&str, RelationKind),
) -> Option<RelationRule> {
    let section = inline(outer, value, (key, r#"{ each = "$.needs[*]" }"#))?;
    section.require("each");
    let each = json_path(&section, "each");
    let form = relation_form(&section);
    let document = document(&section);
    section.finish();
    let alone = each.as_ref().and_then(list_parent);
    Some(RelationRule { kind, document, each: each?, alone, form: form?, span: value.span() })
}

fn relation_form(section: &Section<'_>) -> Option<RelationForm> {
    let (id, range) = (json_path(section, "id"), json_path(section, "range"));
    let (kind, kinds) = (json_path(section, "kind"), kind_words(section, "kinds"));
    let (line, between) = (section.text("text"), section.optional_text("between"));
    let signs = kind_words(section, "signs");
    let forms = [("objects", 0), ("id-to-range", 1), ("ids", 2)];
    let form = section.one_of("form", &forms).unwrap_or(if id.is_some() { 0 } else { 2 });
    if let Some(spot) = line {
        let line = regex_with_group(section, spot, "id")?;
        return Some(RelationForm::Text { between, line, signs });
    }
    match (form, id) {
        (0, Some(id)) => Some(RelationForm::Objects { id, range, kind: kind.map(|at| (at, kinds)) }),
        (0, None) => {
            section.require("id");
            None
        }
        (1, _) => Some(RelationForm::IdToRange),
        _ => Some(RelationForm::Ids),
    }
}

/// Words or signs for kinds of relations.
fn kind_words(section: &Section<'_>, key: &'static str) -> KindWords {
    let right: Vec<&str> = KINDS.iter().map(|(word, _)| *word).chain(["none"]).collect();
    let mut words = KindWords::new();
    for ((sign, _), (word, span)) in section.text_map(key) {
        let kind = KINDS.iter().find(|(known, _)| *known == word).map(|(_, kind)| *kind);
        if kind.is_none() && word != "none" {
            let message = format!("`{key}` can't mean `{word}`; expected one of: {}", right.join(", "));
            let near = nearest(word, right.iter().copied());
            section.problems().error_with_help(
                span,
                message,
                near.map_or_else(String::new, |near| format!("did you mean `{near}`?")),
            );
        }
        words.insert(sign.to_owned(), kind);
    }
    words
}

fn nested(section: &Section<'_>) -> NestedRule {
    section.require("match");
    let depth = section.number("depth").unwrap_or(1).min(limits::NESTED_DEPTH);
    NestedRule { matches: patterns(section, "match"), depth: usize::try_from(depth).unwrap_or(1) }
}

fn foreign(section: &Section<'_>) -> Option<Foreign> {
    let loader = section.owned_text("loader");
    let document = document(section);
    if document.is_none() {
        section.require("member");
    }
    Some(Foreign { loader, document: document?, id: json_path(section, "id"), version: json_path(section, "version") })
}

/// A name with `{id}`, `{version}` and nothing else in braces.
fn called(section: &Section<'_>) -> Option<String> {
    let (text, span) = section.text("called")?;
    let plain = text.replace("{id}", "x").replace("{version}", "1");
    if !text.contains("{id}") || plain.contains(['{', '}', '/']) || InstallPath::new(&plain).is_err() {
        let help = "write it with `{id}`, and `{version}` if that is part of it: called = \"@{id}\"";
        section.problems().error_with_help(span, "this can't be the name of a file or folder", help);
        return None;
    }
    Some(text.to_owned())
}

fn bridge(section: &Section<'_>) -> Option<Bridge> {
    section.require("mods");
    let mods: Vec<String> = section.texts("mods").into_iter().map(|(id, _)| id.to_owned()).collect();
    let loader = section.owned_text("loader");
    (!mods.is_empty()).then_some(Bridge { loader, mods })
}

fn signed(section: &Section<'_>) -> Option<SignedRule> {
    let schemes = [
        ("ed25519", KeyScheme::Ed25519),
        ("rsa-sha256", KeyScheme::RsaSha256),
        ("rsa-sha1", KeyScheme::RsaSha1),
        ("by-name", KeyScheme::ByName),
    ];
    let payload = section.required_text("payload").and_then(|spot| checked(section, spot, NamePattern::new));
    let (signature, key) = (section.owned_text("signature"), section.owned_text("key"));
    let scheme = section.required_one_of("scheme", &schemes);
    Some(SignedRule { payload: payload?, signature, key, scheme: scheme? })
}

fn keyring(section: &Section<'_>) -> Keyring {
    section.require("in");
    Keyring { places: split_places(place_patterns(section, "in")).0, own: patterns(section, "own") }
}

fn list(section: &Section<'_>) -> Option<ListRule> {
    let file = section.text("file").and_then(|spot| checked_path(section, spot, PlacePattern::of_game));
    let (name, of, encoding) = (section.owned_text("name"), section.one_of("of", &ROLES), encoding(section));
    let template = |key| section.text(key).and_then(|spot| checked(section, spot, Template::new));
    let (entry, off) = (template("entry"), template("off"));
    let form = list_form(section, file.as_ref());
    let (ordered, keep) = (section.flag("ordered").unwrap_or(false), patterns(section, "keep"));
    if !matches!(form, Some(ListForm::Option { .. })) && section.value("file").is_none() {
        section.require("file");
    }
    let shelves = section.texts("shelves").into_iter().map(|(name, _)| name.to_owned()).collect();
    let sides =
        [NeededOn::Both, NeededOn::Server, NeededOn::Client, NeededOn::Optional].map(|side| (side.as_str(), side));
    let needed_on = section.texts_of("needed_on", &sides);
    let entry = entry.unwrap_or_default();
    Some(ListRule { name, of, file, encoding, form: form?, entry, off, ordered, keep, shelves, needed_on })
}

fn list_form(section: &Section<'_>, file: Option<&PlacePattern>) -> Option<ListForm> {
    let words: Vec<(&'static str, Option<Notation>)> =
        NOTATION_WORDS.iter().map(|(word, notation)| (*word, Some(*notation))).chain([("lines", None)]).collect();
    let notation = section.one_of("notation", &words);
    let (each, option, between) =
        (json_path(section, "each"), section.optional_text("option"), section.optional_text("between"));
    let shape = entry_shape(section, between.clone());
    if let Some(option) = option {
        return Some(ListForm::Option { option, between });
    }
    if notation == Some(None) {
        return Some(ListForm::Lines);
    }
    let Some(each) = each else {
        if section.value("each").is_none() {
            section.problems().error_with_help(
                section.span(),
                format!("{} does not say where its entries are", "[[list]]"),
                "write one of: each = \"$.mods[*]\", option = \"-mods=\", notation = \"lines\"",
            );
        }
        return None;
    };
    let file = file.map(ToString::to_string).unwrap_or_default();
    let notation = notation.flatten().or_else(|| Notation::of_name(&file));
    if notation.is_none() {
        no_notation(section.problems(), section.span(), &file);
    }
    Some(ListForm::Document { notation: notation?, each, shape })
}

fn entry_shape(section: &Section<'_>, between: Option<String>) -> EntryShape {
    let forms =
        [("ids", 0), ("objects", 1), ("id-to-flag", 2), ("id-to-version", 3), ("id-to-fields", 4), ("numbered", 5)];
    let key = section.text("key");
    let fields = EntryFields {
        id: json_path(section, "id"),
        version: json_path(section, "version"),
        digest: json_path(section, "digest"),
        on: json_path(section, "on"),
        means: on_words(section),
        text: section.text("text").and_then(|spot| compiled(section, spot)),
    };
    let usual = if fields.id.is_some() { 1 } else { 0 };
    match section.one_of("form", &forms).unwrap_or(usual) {
        1 => {
            section.require("id");
            EntryShape::Object(fields)
        }
        2 => EntryShape::KeyToFlag,
        3 => EntryShape::KeyToVersion,
        4 => EntryShape::KeyToFields(fields),
        5 => {
            section.require("key");
            key.and_then(|spot| checked(section, spot, NumberedKey::new))
                .map_or(EntryShape::Text { between }, EntryShape::Numbered)
        }
        _ => EntryShape::Text { between },
    }
}

fn on_words(section: &Section<'_>) -> std::collections::BTreeMap<String, bool> {
    let mut words = std::collections::BTreeMap::new();
    for ((word, _), (means, span)) in section.text_map("means") {
        match means {
            "on" | "off" => drop(words.insert(word.to_lowercase(), means == "on")),
            _ => section.problems().error(span, format!("`means` can't mean `{means}`; expected one of: on, off")),
        }
    }
    words
}

fn fragment(section: &Section<'_>) -> Option<FragmentRule> {
    let into = section.required_text("into").and_then(|spot| install_path(section, spot));
    let (from, before) = (section.owned_text("from"), section.owned_text("before"));
    let (identity, of) = (section.owned_text("identity"), section.one_of("of", &ROLES));
    Some(FragmentRule { of, from, into: into?, before, identity })
}

/// Reads a setting; `kanon.toml` has settings of this kind too.
pub fn setting(section: &Section<'_>) -> Option<SettingRule> {
    let file = section.required_text("file").and_then(|spot| checked_path(section, spot, PlacePattern::of_game));
    let notation = section.one_of("notation", &NOTATION_WORDS);
    section.require("at");
    let (name, of, at) = (section.owned_text("name"), section.one_of("of", &ROLES), json_path(section, "at"));
    let (is, encoding, licence) = (section.optional_text("is"), encoding(section), section.optional_text("licence"));
    let with = section.texts("with").into_iter().map(|(id, _)| id.to_owned()).collect();
    let kind = section.one_of("kind", &[("flag", Kind::Flag), ("number", Kind::Number), ("text", Kind::Text)]);
    let kind = kind.unwrap_or(Kind::Text);
    let same = same_values(section, kind);
    let file = file?;
    let notation = notation.or_else(|| Notation::of_name(&file.to_string()));
    if notation.is_none() {
        no_notation(section.problems(), section.span(), &file.to_string());
    }
    // A licence is accepted by a flag, unless the game says otherwise.
    let is = is.or_else(|| licence.is_some().then(|| "true".to_owned()));
    Some(SettingRule {
        name,
        of,
        file,
        notation: notation?,
        encoding,
        at: at?,
        is,
        with,
        same,
        is_number: kind == Kind::Number,
        licence,
    })
}

/// What the values of a setting are.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Kind {
    Flag,
    Number,
    Text,
}

/// Groups of values that mean the same; those of a flag are known.
fn same_values(section: &Section<'_>, kind: Kind) -> Vec<Vec<String>> {
    let groups = section.value("same").and_then(|value| value.get_ref().as_array());
    let texts = |group: &Spanned<DeValue<'_>>| -> Option<Vec<String>> {
        let items = group.get_ref().as_array()?.iter();
        items.map(|item| item.get_ref().as_str().map(str::to_owned)).collect()
    };
    let read: Option<Vec<Vec<String>>> =
        groups.map(|groups| groups.iter().map(texts).collect()).unwrap_or(Some(Vec::new()));
    if read.is_none() || (section.value("same").is_some() && groups.is_none()) {
        let span = section.value("same").map_or_else(|| section.span(), Spanned::span);
        let help = "write groups of texts: same = [[\"1\", \"true\"], [\"0\", \"false\"]]";
        section.problems().error_with_help(span, "`same` must be a list of lists of texts", help);
    }
    let words = FLAG_WORDS
        .iter()
        .filter(|_| kind == Kind::Flag)
        .map(|group| group.iter().map(|word| (*word).to_owned()).collect());
    read.unwrap_or_default().into_iter().chain(words).collect()
}

fn memory(section: &Section<'_>) -> Option<MemoryRule> {
    let file = section.required_text("file").and_then(|spot| checked_path(section, spot, PlacePattern::of_game));
    let option = section.required_text("option").and_then(|(text, span)| {
        let option = text.trim_end();
        if option.is_empty() {
            section.problems().error(span, format!("`{text}` can't be looked for"));
        }
        (!option.is_empty()).then(|| option.to_owned())
    });
    let amount = |key: &'static str| {
        let (text, span) = section.text(key)?;
        let bytes = size(text);
        if bytes.is_none() {
            let help = "write a number and its unit, such as 512MiB or 2GiB";
            section.problems().error_with_help(span, format!("`{text}` is no amount of memory"), help);
        }
        bytes
    };
    let units = [("B", 1), ("KiB", 1 << 10), ("MiB", 1 << 20), ("GiB", 1 << 30)];
    let (floor, each_mod) = (amount("floor").unwrap_or(0), amount("each-mod").unwrap_or(0));
    let unit = section.one_of("unit", &units).unwrap_or(1 << 20);
    let (of, encoding) = (section.one_of("of", &ROLES), encoding(section));
    Some(MemoryRule { of, file: file?, encoding, option: option?, unit, floor, each_mod })
}

fn extra(section: &Section<'_>) -> Option<ExtraRule> {
    let from = section.required_text("from").and_then(|spot| install_path(section, spot));
    section.require("in");
    let (places, wild) = split_places(place_patterns(section, "in"));
    if !wild.server.is_empty() || !wild.client.is_empty() {
        section.problems().error(section.span(), "what a mod brings goes into places that are known: no `*` here");
    }
    let stays = section.one_of("edits", &[("stay", true), ("go", false)]).unwrap_or(false);
    Some(ExtraRule { from: from?, places, stays })
}

fn running(section: &Section<'_>) -> RunningSigns {
    let lock_files = section.texts("lock-file").into_iter().filter_map(|spot| install_path(section, spot)).collect();
    let port = section.number("port").and_then(|port| u16::try_from(port).ok());
    let processes = section.texts("process").into_iter().map(|(name, _)| name.to_owned()).collect();
    RunningSigns { lock_files, port, processes, settle: section.number("settle") }
}

/// Every word for what a line may mean.
fn event_words() -> Vec<(&'static str, Event)> {
    Event::WORDS.into_iter().chain(Code::ALL.iter().map(|code| (code.as_str(), Event::Cause(*code)))).collect()
}

fn event(section: &Section<'_>) -> Option<EventRule> {
    let sides = [("server-log", Some(Role::Server)), ("client-log", Some(Role::Client)), ("any-log", None)];
    let means = section.required_one_of("means", &event_words());
    let side = section.one_of("in", &sides).flatten();
    let line = section.required_text("line").and_then(|spot| event_pattern(section, spot));
    let then = section.text("then").and_then(|spot| event_pattern(section, spot));
    let between = section.text("between").map_or_else(|| ",".to_owned(), |(text, _)| text.to_owned());
    Some(EventRule { means: means?, side, line: line?, then, between })
}

/// A pattern over log lines; a group that nobody understands is most likely a slip of the pen.
fn event_pattern(section: &Section<'_>, (text, span): Spot<&str>) -> Option<Regex> {
    let regex = compiled(section, (text, span.clone()))?;
    for unknown in regex.capture_names().flatten().filter(|name| !EVENT_GROUPS.contains(name)) {
        let help = match nearest(unknown, EVENT_GROUPS) {
            Some(near) => format!("did you mean `{near}`?"),
            None => format!("these are understood: {}", EVENT_GROUPS.join(", ")),
        };
        section.problems().warning(span.clone(), format!("the group `{unknown}` says nothing"), help);
    }
    Some(regex)
}

fn message(section: &Section<'_>) -> Option<MessageRule> {
    section.require("means");
    let means = section.texts_of("means", &event_words());
    let (shown, _) = section.required_text("shown")?;
    Some(MessageRule { shown: shown.to_owned(), means })
}

#[cfg(test)]
#[path = "../tests/rulebook.rs"]
mod tests;
