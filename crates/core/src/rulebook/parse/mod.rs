//! From TOML to the model, noting every mistake with its place.

mod facts;
mod files;
mod logs;
mod shelf;
mod values;

use toml::Spanned;
use toml::de::DeValue;

use crate::base::problem::{BadFile, Parsed, Problems, settle};
use crate::base::version::{Bare, Ranges, Scheme, Versions};
use crate::rulebook::SettingRule;
use crate::rulebook::mistake::{Mend, Mistake};
use crate::rulebook::model::*;
use crate::rulebook::section::{Section, read_root};
use crate::rulebook::sides::Role;
use crate::text::{NOTATION_WORDS, Notation};
pub use files::setting;
use files::{fragment, keyring, list, memory};
use logs::{event, message, running};
use shelf::shelf;
use values::{
    each, encoding, finish, finished, inline, install_path, json_path, no_notation, place_patterns, regex_with_group,
    steps,
};

/// The first line of every rulebook.
pub const FORMAT: &str = "kanon-rulebook/1";

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
    let mut rulebook = Rulebook {
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
    rulebook.settings.extend(rulebook.lists.iter().filter_map(SettingRule::count_of));
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
            let (found, reads) = (found.to_owned(), format.to_owned());
            root.problems().error(span, Mistake::OtherFormat { found, reads });
        }
        None => root.problems().error_with_help(0..0, Mistake::NoFormat, Mend::BeginWith(format.to_owned())),
    }
}

fn check_shelves(root: &Section<'_>, rulebook: &Rulebook) {
    if rulebook.shelves.is_empty() {
        root.problems().error(0..0, Mistake::NoShelf);
    }
    for (i, shelf) in rulebook.shelves.iter().enumerate() {
        if rulebook.shelves[..i].iter().any(|other| other.name == shelf.name) {
            root.problems().error(0..0, Mistake::ShelvesCalledAlike(shelf.name.clone()));
        }
        if let Some((other, place)) =
            rulebook.shelves[..i].iter().find_map(|other| Some((other, claimed_twice(other, shelf)?)))
        {
            let (first, second) = (other.name.clone(), shelf.name.clone());
            let mistake = Mistake::ClaimedTwice { first, second, place };
            root.problems().error_with_help(root.find_text(&shelf.name), mistake, Mend::OwnPlaces);
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
        let help = Mend::nearest_or(name, shelves.iter().copied(), Mend::AddShelf);
        root.problems().error_with_help(root.find_text(name), Mistake::UnknownShelf(name.clone()), help);
    }
    for name in asked.filter(|name| !names.contains(&name.as_str())) {
        let help = Mend::nearest_or(name, names.iter().copied(), Mend::AddList);
        root.problems().error_with_help(root.find_text(name), Mistake::UnknownList(name.clone()), help);
    }
}

/// Entries of one data file go to one place and are told apart in one way.
fn check_fragments(root: &Section<'_>, rulebook: &Rulebook) {
    for (i, rule) in rulebook.fragments.iter().enumerate() {
        let other = rulebook.fragments[..i].iter().find(|other| other.into == rule.into);
        if other.is_some_and(|other| (&other.before, &other.identity) != (&rule.before, &rule.identity)) {
            let mistake = Mistake::FragmentsDiffer(rule.into.clone());
            root.problems().error_with_help(root.find_text(rule.into.as_str()), mistake, Mend::SameFragments);
        }
    }
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
            outer.problems().error_with_help(span, Mistake::NoVersionPlace, Mend::VersionPlaces);
            None
        }
    }
}

fn bridge(section: &Section<'_>) -> Option<Bridge> {
    section.require("mods");
    let mods: Vec<String> = section.texts("mods").into_iter().map(|(id, _)| id.to_owned()).collect();
    let loader = section.owned_text("loader");
    (!mods.is_empty()).then_some(Bridge { loader, mods })
}

#[cfg(test)]
#[path = "../../tests/rulebook.rs"]
mod tests;
