//! Mods that nobody here has: no name of them is known, and what stands around a word in a line tells that it is one.

use std::sync::LazyLock;

use regex::{Captures, Regex};
use serde_json::Value as Json;

use super::items::{ITEMS, Item, NAMES, NOTHING, field, is_address, stands_alone};
use super::players::may_be_a_name;
use crate::base::finding::Code;
use crate::base::ids::FoldedId;
use crate::diagnose::{elsewhere, failure_at, means_failure, says_unwanted, without_failure};
use crate::rulebook::Event;

/// Words before a version that is no mod's.
const NO_MODS: [&str; 31] = [
    "addr",
    "address",
    "ip",
    "host",
    "from",
    "peer",
    "remote",
    "endpoint",
    "local",
    "bind",
    "listening",
    "need",
    "needs",
    "ours",
    "theirs",
    "got",
    "has",
    "game",
    "client",
    "server",
    "build",
    "version",
    "release",
    "protocol",
    "revision",
    "patch",
    "program",
    "launcher",
    "engine",
    "runtime",
    "loader",
];

/// Words that reports of what went wrong are made of, and that look as ids of mods do.
const OF_REPORTS: [&str; 74] = [
    "mismatch",
    "mismatched",
    "mismatches",
    "unknown",
    "invalid",
    "incompatible",
    "compatible",
    "denied",
    "rejected",
    "rejections",
    "refused",
    "validation",
    "verification",
    "checksum",
    "checksums",
    "missing",
    "outdated",
    "corrupted",
    "corrupt",
    "modified",
    "altered",
    "changed",
    "additional",
    "superfluous",
    "incorrect",
    "wrong",
    "different",
    "differs",
    "difference",
    "differences",
    "integrity",
    "signature",
    "signatures",
    "list",
    "lists",
    "check",
    "checks",
    "failed",
    "failure",
    "error",
    "errors",
    "warning",
    "connection",
    "connecting",
    "handshake",
    "login",
    "content",
    "contents",
    "files",
    "hash",
    "hashes",
    "banned",
    "kicked",
    "disconnected",
    "disconnecting",
    "timeout",
    "attempt",
    "forbidden",
    "unsupported",
    "unexpected",
    "compatibility",
    "comparison",
    "conflict",
    "conflicts",
    "requirements",
    "dependencies",
    "abgelehnt",
    "abweichung",
    "fehlt",
    "unbekannt",
    "falsch",
    "rechazado",
    "desconocido",
    "inconnu",
];

/// Whether a word is one that reports are made of, and no mod's name.
pub fn is_of_reports(word: &str) -> bool {
    let lower = word.to_lowercase();
    let is_formed_so = ["tion", "tions", "ible", "able", "ment", "ments"].iter().any(|end| lower.ends_with(end));
    OF_REPORTS.contains(&lower.as_str())
        || is_formed_so && word.chars().all(char::is_alphabetic)
        || is_a_code_of_mods(&lower)
}

/// Whether a word is one for a mod and one for what is wrong with it: `mod-version`.
fn is_a_code_of_mods(lower: &str) -> bool {
    let Some((kind, what)) = lower.split_once(['-', '_']) else { return false };
    let says = what == "version" || OF_REPORTS.contains(&what) || means_failure(what).is_some();
    is_kind_of_mod(kind) && says
}

/// Whether a word before a version says whose it is, or of what else.
pub fn is_label(word: &str) -> bool {
    NO_MODS.contains(&word.to_lowercase().as_str())
}

/// A mod that nobody here has, behind a key for one, where other keys tell a version of it: `mod="reed" ours="" theirs="1.2"`.
pub fn keyed(message: &str, is_new: &dyn Fn(&str) -> bool, knows_mods: bool) -> Option<Item> {
    static KEYED: LazyLock<Regex> = LazyLock::new(|| {
        let pattern = r#"(?i)\b(?<key>[a-z_][\w.-]*)=(?:"(?<quoted>[^"]*)"|'(?<single>[^']*)'|(?<bare>[^\s"'<>,;]+))"#;
        Regex::new(pattern).expect("a pattern that is written here")
    });
    let fields: Vec<(&str, &str)> = KEYED
        .captures_iter(message)
        .filter_map(|found| {
            let value = found.name("quoted").or_else(|| found.name("single")).or_else(|| found.name("bare"))?;
            Some((found.name("key")?.as_str(), value.as_str()))
        })
        .collect();
    let is_name = |(key, value): &&(&str, &str)| {
        NAMES.contains(&key.to_lowercase().as_str()) && stands_alone(value) && is_new(value)
    };
    let (own, name) = fields.iter().find(is_name)?;
    let mut item = Item::bare(FoldedId::from(*name), false);
    for (key, value) in fields.iter().filter(|(key, _)| key != own) {
        item.has_none |= value.is_empty();
        field(&mut item, key, &Json::from(*value));
    }
    // What has two versions is known to both sides.
    (item.versions.len() == 1 || !knows_mods && item.versions.len() == 2).then_some(item)
}

/// A mod that nobody here has, in what is said of a player: a word before a version, or before a sign for none, that `is_new`.
pub fn stranger(message: &str, is_new: &dyn Fn(&str) -> bool) -> Option<Item> {
    static BEFORE: LazyLock<Regex> = LazyLock::new(|| {
        let value = r"(?:v|r|rev|ver)?\d+(?:\.\d+)+[\w.+-]*|none|null|nil|-{1,3}|\u{2014}";
        let pattern = format!(
            r#"(?i)(?:["«“„](?<quoted>[\p{{L}}_][^"»”“]{{1,40}}[\p{{L}}\d])|\b(?<name>[\p{{L}}_][\p{{L}}\d_-]{{2,}}))["'`\]»”“]?(?<gap>\s*[^\w\s]{{0,3}}\s*)(?:[\p{{L}}_]{{1,12}}(?:=\s?|:\s))?["'`]?(?:{value})(?:[\s"'`)\]}},;|]|$)"#
        );
        Regex::new(&pattern).expect("a pattern that is written here")
    });
    static KEYS: LazyLock<Regex> =
        LazyLock::new(|| Regex::new(r"(?:^|\s)[\w.-]+=").expect("a pattern that is written here"));
    let is_name = |name: &str| {
        let is_word =
            is_label(name) || NOTHING.contains(&name.to_lowercase().as_str()) || means_failure(name).is_some();
        may_be_a_name(name) && !is_word && is_new(name)
    };
    // `word=` is a key where there are several.
    let has_keys = KEYS.find_iter(message).count() > 1;
    // What both sides have of it, each behind a word or two for the side: one has none.
    static PAIR: LazyLock<Regex> = LazyLock::new(|| {
        let (version, none) =
            (r"(?:v|r|rev|ver)?\d+(?:\.\d+)+[\w.+-]*", r"[<(\[]?(?:none|null|nil|nothing|absent)[>)\]]?|-{1,3}");
        let side = r#"[\s,;/|(\[]+(?:[\p{L}_]{1,12}\s+)?[\p{L}_]{1,12}\s*[:=]?\s*["']?"#;
        let pattern = format!(
            r#"(?i)\b(?<name>[\p{{L}}_][\w.:-]*\w)["'\])]?:?{side}(?:(?:{version})["']?{side}(?:{none})|(?:{none})["']?{side}(?:{version}))(?:[\s"')\]}},;]|$)"#
        );
        Regex::new(&pattern).expect("a pattern that is written here")
    });
    let name = |found: &Captures<'_>| {
        found.name("quoted").or_else(|| found.name("name")).map_or("", |name| name.as_str()).to_owned()
    };
    let is_one = |found: &Captures<'_>| match found.name("quoted") {
        Some(_) => is_new(&name(found)) && !is_label(&name(found)),
        None => is_name(&name(found)) && !(has_keys && &found["gap"] == "=") && !found["gap"].is_empty(),
    };
    let in_pair = || PAIR.captures(message).filter(|found| is_name(&found["name"]));
    // What stands before the address of somebody is no mod.
    let is_address = |found: &Captures<'_>| {
        let last =
            found[0].rsplit(|c: char| c.is_whitespace() || "([<\"'=".contains(c)).find(|part| part.contains('.'));
        last.is_some_and(|value| is_address(value.trim_end_matches(|c: char| !c.is_alphanumeric())))
    };
    let is_one = |found: &Captures<'_>| !is_address(found) && is_one(found);
    let found = in_pair().or_else(|| BEFORE.captures_iter(message).find(is_one))?;
    let own = found.name("name").map(|own| with_title(message, (own.start(), own.end()), &is_name));
    let mut item = Item::bare(FoldedId::from(own.unwrap_or(&name(&found))), false);
    item.values(&message[found.get_match().start()..]);
    // What has two versions is known to both sides.
    (item.versions.len() < 2).then_some(item)
}

/// A name with the words before it that belong to it: a title has capitals throughout.
pub fn with_title<'m>(message: &'m str, (start, end): (usize, usize), is_name: &dyn Fn(&str) -> bool) -> &'m str {
    let has_capital = |word: &str| word.starts_with(char::is_uppercase);
    let mut begin = start;
    while has_capital(&message[begin..end])
        && let Some(before) = message[..begin].strip_suffix(' ')
        && let Some(word) = before.rsplit(|c: char| !c.is_alphanumeric() && c != '\'').next()
        && has_capital(word)
        && is_name(word)
    {
        begin = before.len() - word.len();
    }
    &message[begin..end]
}

/// Words for what a mod is.
const KINDS_OF_MODS: [&str; 30] = [
    "estensione",
    "extensión",
    "extensão",
    "erweiterung",
    "uitbreiding",
    "bundle",
    "unit",
    "mod",
    "mods",
    "module",
    "modul",
    "módulo",
    "modulo",
    "moduł",
    "модуль",
    "мод",
    "addon",
    "add-on",
    "package",
    "pkg",
    "paket",
    "paquete",
    "paquet",
    "pacote",
    "pakket",
    "plugin",
    "part",
    "pack",
    "component",
    "extension",
];

/// A mod that nobody here has, in what is said of a player's mods: the one name that `is_new` and looks as ids do here. In words for one
/// that is not wanted it is also what stands in quotes, or behind the word for a mod, or the only such name.
pub fn unwanted(message: &str, is_new: &dyn Fn(&str) -> bool, is_like_ids: &dyn Fn(&str) -> bool) -> Option<Item> {
    let item = |name: &str| Item { words: vec![message.to_owned()], ..Item::bare(FoldedId::from(name), false) };
    let like_ids = message.split(|c: char| !c.is_alphanumeric() && !matches!(c, '_' | '-' | '.' | ':'));
    let bare = |word: &str| word.trim_matches(|c: char| !c.is_alphanumeric()).to_owned();
    let mut like_ids = like_ids.map(bare).filter(|word| stands_alone(word) && is_like_ids(word) && is_new(word));
    if let (Some(name), None) = (like_ids.next(), like_ids.next()) {
        return Some(item(&name));
    }
    if !says_unwanted(message) || elsewhere(message).is_some() {
        return None;
    }
    // What stands in brackets at the beginning is a part of the program, or who it is about.
    static TAGS: LazyLock<Regex> =
        LazyLock::new(|| Regex::new(r"^(?:\s*\[[^\]]*\])+").expect("a pattern that is written here"));
    let said = &message[TAGS.find(message).map_or(0, |tags| tags.end())..];
    let rest = without_failure(said);
    let words: Vec<&str> = rest.split(|c: char| c.is_whitespace() || matches!(c, '\'' | '’')).collect();
    let may_be = |word: &str| stands_alone(word) && is_new(word) && !is_kind_of_mod(word);
    let is_name = |word: &&str| may_be(&bare(word)) && !is_small_word(&bare(word));
    let is_quoted = |word: &&str| word.starts_with(['"', '`', '«', '“', '„']);
    // A title of several words, in quotes or with capitals.
    static TITLES: LazyLock<[Regex; 2]> = LazyLock::new(|| {
        let quoted = r#"["«“„](?<title>\p{L}[\p{L}\p{N}'_-]*(?: [\p{L}\p{N}'&_-]+){1,5})["»”“]"#;
        let written = r"[\p{Ll},:\s] (?<title>\p{Lu}[\p{L}\p{N}']+(?: \p{Lu}[\p{L}\p{N}']*){1,4})";
        [quoted, written].map(|pattern| Regex::new(pattern).expect("a pattern that is written here"))
    });
    let title_in = |text: &'_ str| {
        let found = TITLES.iter().flat_map(|titles| titles.captures_iter(text)).filter_map(|found| found.name("title"));
        let is_one = |title: &&str| is_new(title) && says_unwanted(&message.replace(*title, "X"));
        let mut titles = found.map(|title| title.as_str()).filter(is_one);
        titles.next().filter(|_| titles.next().is_none()).map(item)
    };
    // Words of failure may take a word of the title with them.
    if let Some(item) = title_in(&rest).or_else(|| title_in(said)) {
        return Some(item);
    }
    let behind = words.windows(2).find(|two| is_kind_of_mod(&bare(two[0])) && is_name(&two[1])).map(|two| two[1]);
    let mut names = words.iter().copied().filter(is_name);
    let quoted = names.clone().find(is_quoted);
    let only = || names.next().filter(|_| names.next().is_none());
    let beside = || beside_failure(message, &is_name);
    Some(item(&bare(quoted.or(behind).or_else(only).or_else(beside)?)))
}

/// Words that stand before and behind words of failure and are no names.
const SMALL_WORDS: [&str; 149] = [
    "sich",
    "sie",
    "wir",
    "uns",
    "nicht",
    "sein",
    "the",
    "a",
    "an",
    "this",
    "that",
    "these",
    "it",
    "its",
    "he",
    "his",
    "her",
    "she",
    "you",
    "your",
    "they",
    "their",
    "we",
    "our",
    "here",
    "there",
    "is",
    "are",
    "was",
    "were",
    "be",
    "been",
    "has",
    "have",
    "had",
    "and",
    "or",
    "of",
    "in",
    "on",
    "by",
    "for",
    "from",
    "to",
    "at",
    "with",
    "as",
    "any",
    "some",
    "which",
    "first",
    "please",
    "but",
    "does",
    "offered",
    "offers",
    "brought",
    "brings",
    "sent",
    "sends",
    "shown",
    "shows",
    "listed",
    "loaded",
    "running",
    "runs",
    "uses",
    "using",
    "used",
    "found",
    "present",
    "installed",
    "attached",
    "mounted",
    "client",
    "server",
    "guest",
    "peer",
    "player",
    "side",
    "das",
    "der",
    "die",
    "den",
    "dem",
    "ein",
    "eine",
    "einen",
    "hat",
    "ist",
    "sind",
    "hier",
    "dort",
    "von",
    "kein",
    "keine",
    "keiner",
    "mit",
    "und",
    "el",
    "la",
    "los",
    "las",
    "un",
    "una",
    "que",
    "tiene",
    "es",
    "con",
    "le",
    "les",
    "des",
    "du",
    "qui",
    "il",
    "est",
    "avec",
    "lo",
    "che",
    "gli",
    "uno",
    "o",
    "os",
    "um",
    "uma",
    "tem",
    "com",
    "jest",
    "ma",
    "на",
    "и",
    "у",
    "bring",
    "carry",
    "carries",
    "play",
    "plays",
    "run",
    "own",
    "owns",
    "them",
    "who",
    "what",
    "than",
    "too",
    "only",
    "still",
    "also",
    "nothing",
];

/// Words behind which the name stands.
const DIRECTED: [&str; 12] = [
    "not play with",
    "does not use",
    "doesn't use",
    "uninstall",
    "get rid of",
    "does not know",
    "doesn't know",
    "unknown mod",
    "unknown:",
    "unknown item",
    "extra:",
    "unexpected",
];

/// The name right before words that say that something is too much, or right behind them, where just one of the two is a name.
fn beside_failure<'m>(message: &'m str, is_name: &dyn Fn(&&str) -> bool) -> Option<&'m str> {
    let said = failure_at(message, Event::Cause(Code::ModExtra))?;
    let before = message[..said.start].split(char::is_whitespace).rev().filter(|word| !word.is_empty());
    let copulas = ["is", "are", "was", "were", "does", "has", "-", ":", "=>", "->"];
    let mut before = before.skip_while(|word| copulas.contains(word));
    let (before, further) = (before.next(), before.next());
    // Of several that are named together, none is the one.
    let is_of_several = further.is_some_and(|word| matches!(word, "and" | "or" | "&") || word.ends_with(','));
    // What stands before a comma is of another part of the sentence.
    let before = before.filter(|word| !is_of_several && !word.ends_with(','));
    let behind = message[said.end..].split(char::is_whitespace).find(|word| word.contains(char::is_alphanumeric));
    let bare = |word: &'m str| word.trim_matches(|c: char| !c.is_alphanumeric());
    let is_directed = DIRECTED.contains(&message[said.clone()].to_lowercase().as_str());
    let before = before.filter(|_| !is_directed);
    let mut names = [before, behind].into_iter().flatten().map(bare).filter(is_name);
    names.next().filter(|_| names.next().is_none())
}

/// Whether a word is one that sentences are made of, and nobody's name.
pub fn is_small_word(word: &str) -> bool {
    SMALL_WORDS.contains(&word.to_lowercase().as_str())
}

/// Whether a word is one for what a mod is.
pub fn is_kind_of_mod(word: &str) -> bool {
    KINDS_OF_MODS.contains(&word.to_lowercase().as_str())
}

/// An entry of a list that has a word for how each is behind its name, and says that it is too much: `reed ..... EXTRA`.
pub fn with_status(message: &str, is_new: &dyn Fn(&str) -> bool) -> Option<Item> {
    static ENTRY: LazyLock<Regex> = LazyLock::new(|| {
        let pattern = r"(?:^\s*(?:[-*+>|\u{2022}]\s*)?|[|;\t]\s*)(?<name>[\p{L}_][\w.-]*\w)\s*(?:[.:|=>\u{2026}-]{2,}|[:|=>\t]|\s{2})[\s.|]*[\[(]?(?<word>\p{L}+)[\])]?[\s|]*$";
        Regex::new(pattern).expect("a pattern that is written here")
    });
    let entry = ENTRY.captures(message)?;
    let words = format!("{}:", entry["word"].to_lowercase());
    let is_name = may_be_a_name(&entry["name"]) && is_new(&entry["name"]);
    (says_unwanted(&words) && is_name)
        .then(|| Item { words: vec![words], ..Item::bare(FoldedId::from(&entry["name"]), false) })
}

/// A mod that nobody here has, with its version in brackets, and there or before them a word that says that it is too much:
/// `reed (unknown 1.2)`, `surplus(reed 1.2)`.
pub fn in_brackets(message: &str, is_new: &dyn Fn(&str) -> bool) -> Option<Item> {
    static BEHIND: LazyLock<Regex> = LazyLock::new(|| {
        let pattern =
            r"(?<name>[\p{L}_][\w.-]*\w)\s*[\[(](?<word>\p{L}+)[\s:=]+(?:v|r|rev|ver)?\d+(?:\.\d+)+[\w.+-]*[\])]";
        Regex::new(pattern).expect("a pattern that is written here")
    });
    static INSIDE: LazyLock<Regex> = LazyLock::new(|| {
        let pattern =
            r"(?<word>\p{L}+)[\[(](?<name>[\p{L}_][\w.-]*\w)[\s:=@]+(?:v|r|rev|ver)?\d+(?:\.\d+)+[\w.+-]*[\])]";
        Regex::new(pattern).expect("a pattern that is written here")
    });
    let is_one = |found: &Captures<'_>| {
        let is_name = may_be_a_name(&found["name"]) && !is_label(&found["name"]) && is_new(&found["name"]);
        is_name && says_unwanted(&format!("{}:", found["word"].to_lowercase()))
    };
    let mut found = BEHIND.captures_iter(message).chain(INSIDE.captures_iter(message));
    let found = found.find(is_one)?;
    let mut item = Item::bare(FoldedId::from(&found["name"]), false);
    item.words = vec![format!("{}:", found["word"].to_lowercase())];
    item.values(&found[0][found["name"].len()..]);
    Some(item)
}

/// Mods that nobody here has, in brackets behind a word that says that they are too many, where the line has other such sections too.
pub fn in_sections(message: &str, is_new: &dyn Fn(&str) -> bool) -> Vec<Item> {
    static SECTION: LazyLock<Regex> = LazyLock::new(|| {
        let pattern = r"(?<label>[\p{L}_-]+)\s*[:=]?\s*[\[({](?<names>[^\[\](){}]*)[\])}]";
        Regex::new(pattern).expect("a pattern that is written here")
    });
    let of = |found: &Captures<'_>| means_failure(&format!("{}:", &found["label"]));
    let sections: Vec<Captures<'_>> = SECTION.captures_iter(message).filter(|found| of(found).is_some()).collect();
    let of_these = |found: &&Captures<'_>| of(found) == Some(Event::Cause(Code::ModExtra)) && sections.len() > 1;
    let names = sections.iter().filter(of_these).flat_map(|found| {
        let each =
            found["names"].split([',', ';']).map(|name| name.trim_matches(|c: char| !c.is_alphanumeric()).to_owned());
        each.filter(|name| stands_alone(name)).collect::<Vec<_>>()
    });
    let named = names.filter(|name| is_new(name));
    named.take(ITEMS).map(|name| Item { words: vec!["extra:".to_owned()], ..Item::in_place(&name, message) }).collect()
}
