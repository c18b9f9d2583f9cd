//! Lists, keys, merged entries, settings and memory: the files beside the mods.

use toml::Spanned;
use toml::de::DeValue;

use super::values::{
    ROLES, checked, checked_path, compiled, encoding, install_path, json_path, no_notation, patterns, place_patterns,
    split_places,
};
use crate::base::names::ShelfName;
use crate::base::stated::Series;
use crate::rulebook::lists::{EntryFields, EntryShape, ListForm, ListRule, NumberedKey, Template};
use crate::rulebook::mistake::{Mend, Mistake};
use crate::rulebook::model::*;
use crate::rulebook::places::PlacePattern;
use crate::rulebook::section::Section;
use crate::rulebook::settings::{FLAG_WORDS, MemoryRule, SettingRule, size};
use crate::rulebook::sides::NeededOn;
use crate::text::{NOTATION_WORDS, Notation};

pub(super) fn keyring(section: &Section<'_>) -> Keyring {
    section.require("in");
    Keyring { places: split_places(place_patterns(section, "in")).0, own: patterns(section, "own") }
}

pub(super) fn list(section: &Section<'_>) -> Option<ListRule> {
    let file = section.text("file").and_then(|spot| checked_path(section, spot, PlacePattern::of_game));
    let (name, of, encoding) = (section.owned_text("name"), section.one_of("of", &ROLES), encoding(section));
    let template = |key| section.text(key).and_then(|spot| checked(section, spot, Template::new));
    let (entry, off) = (template("entry"), template("off"));
    let form = list_form(section, file.as_ref());
    let is_document = matches!(form, Some(ListForm::Document { .. }));
    // Elsewhere nothing but the entries is read, and the key is unknown.
    let count = if is_document { json_path(section, "count") } else { None };
    let (ordered, keep) = (section.flag("ordered").unwrap_or(false), patterns(section, "keep"));
    if !matches!(form, Some(ListForm::Option { .. })) && section.value("file").is_none() {
        section.require("file");
    }
    let shelves = section.texts("shelves").into_iter().map(|(name, _)| ShelfName::from(name)).collect();
    let sides =
        [NeededOn::Both, NeededOn::Server, NeededOn::Client, NeededOn::Optional].map(|side| (side.as_str(), side));
    let needed_on = section.texts_of("needed_on", &sides);
    let entry = entry.unwrap_or_default();
    Some(ListRule { name, of, file, encoding, form: form?, entry, off, count, ordered, keep, shelves, needed_on })
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
            section.problems().error_with_help(section.span(), Mistake::NoEntries, Mend::EntryPlaces);
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
            _ => {
                let (key, right) = ("means".to_owned(), Series::of(["on", "off"]));
                section.problems().error(span, Mistake::WrongMeaning { key, word: means.to_owned(), right });
            }
        }
    }
    words
}

pub(super) fn fragment(section: &Section<'_>) -> Option<FragmentRule> {
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
        counts: None,
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
        section.problems().error_with_help(span, Mistake::NoGroups, Mend::Groups);
    }
    let words = FLAG_WORDS
        .iter()
        .filter(|_| kind == Kind::Flag)
        .map(|group| group.iter().map(|word| (*word).to_owned()).collect());
    read.unwrap_or_default().into_iter().chain(words).collect()
}

pub(super) fn memory(section: &Section<'_>) -> Option<MemoryRule> {
    let file = section.required_text("file").and_then(|spot| checked_path(section, spot, PlacePattern::of_game));
    let option = section.required_text("option").and_then(|(text, span)| {
        let option = text.trim_end();
        if option.is_empty() {
            section.problems().error(span, Mistake::NotLookedFor(text.to_owned()));
        }
        (!option.is_empty()).then(|| option.to_owned())
    });
    let amount = |key: &'static str| {
        let (text, span) = section.text(key)?;
        let bytes = size(text);
        if bytes.is_none() {
            section.problems().error_with_help(span, Mistake::NoAmount(text.to_owned()), Mend::Amount);
        }
        bytes
    };
    let units = [("B", 1), ("KiB", 1 << 10), ("MiB", 1 << 20), ("GiB", 1 << 30)];
    let (floor, each_mod) = (amount("floor").unwrap_or(0), amount("each-mod").unwrap_or(0));
    let unit = section.one_of("unit", &units).unwrap_or(1 << 20);
    let (of, encoding) = (section.one_of("of", &ROLES), encoding(section));
    Some(MemoryRule { of, file: file?, encoding, option: option?, unit, floor, each_mod })
}
