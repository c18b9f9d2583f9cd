//! A pattern for the rulebook that would know lines like one that no pattern knows.

use std::sync::LazyLock;

use regex::{Captures, Regex};

use super::stamp::Stamp;

/// What differs from line to line: versions, numbers, digests and the like.
static VARYING: LazyLock<Regex> = LazyLock::new(|| {
    let pattern = r"(?<version>\bv?\d+(?:\.\d+)+[\w.+-]*)|(?<number>\b\d+\b)|(?<blank>\s+)|\b\w*\d\w*\b";
    Regex::new(pattern).expect("a pattern that is written here")
});

/// Words before the version that should be.
static WANTING: LazyLock<Regex> = LazyLock::new(|| {
    let pattern = r"(?i)\b(?:want|need|requir|expect|should|server|remote|host)";
    Regex::new(pattern).expect("a pattern that is written here")
});

/// A pattern that would know a line like this, which names a mod from one place to another, without its time, with the mod and the versions as groups.
pub fn proposal(text: &str, named: Option<(usize, usize)>, is_missing: bool) -> String {
    let text: String = text.chars().take(300).collect();
    let begin = message_start(&text);
    let named = named.filter(|(start, end)| *start >= begin && *end <= text.len());
    let Some((start, end)) = named else {
        return generalised(text[begin..].trim(), &mut order(&text[begin..], is_missing));
    };
    let behind = &text[end..];
    // A version glued to a file's name belongs to the name.
    let glued = behind.find(char::is_whitespace).unwrap_or(behind.len());
    let behind = if behind.starts_with(['-', '_']) { &behind[glued..] } else { behind }.trim_end();
    let group = match (text[start..end].contains(char::is_whitespace), behind.is_empty()) {
        (false, _) => r"(?<mod>\S+)",
        (true, false) => "(?<mod>.+?)",
        (true, true) => "(?<mod>.+)",
    };
    let before = generalised(text[begin..start].trim_start(), &mut std::iter::empty());
    format!("{before}{group}{}", generalised(behind, &mut order(behind, is_missing)))
}

/// Which version is which: what is, and what should be, unless the words before the first one say that it should be, or nothing is.
fn order(text: &str, is_missing: bool) -> std::array::IntoIter<&'static str, 2> {
    let versions = VARYING.captures_iter(text).find_map(|found| found.name("version"));
    let is_wanted = is_missing || versions.is_some_and(|first| WANTING.is_match(&text[..first.start()]));
    if is_wanted { ["expected", "found"] } else { ["found", "expected"] }.into_iter()
}

/// Where a line begins to say something: behind its time and what stands in brackets with it.
pub fn message_start(text: &str) -> usize {
    static HEAD: LazyLock<Regex> = LazyLock::new(|| {
        let levels = "TRACE|DEBUG|INFO|NOTICE|WARN|WARNING|ERROR|SEVERE|FATAL";
        let head = format!(r"^(?:\s|\[[^\]]{{0,80}}\]|[\d:.,TZ/+-]{{5,}}\s|:|\||(?:{levels})\b)+");
        Regex::new(&head).expect("a pattern that is written here")
    });
    match HEAD.find(text) {
        Some(head) if Stamp::of(text).is_some() || text.starts_with('[') => head.end(),
        _ => 0,
    }
}

fn generalised(text: &str, versions: &mut dyn Iterator<Item = &'static str>) -> String {
    let (mut out, mut from) = (String::new(), 0);
    for found in VARYING.captures_iter(text) {
        let all = found.get_match();
        out.push_str(&regex::escape(&text[from..all.start()]));
        from = all.end();
        out.push_str(&replacement(&found, versions));
    }
    out + &regex::escape(&text[from..])
}

fn replacement(found: &Captures<'_>, versions: &mut dyn Iterator<Item = &'static str>) -> String {
    match (found.name("version"), found.name("blank"), found.name("number")) {
        (Some(_), ..) => versions.next().map_or_else(|| r"\S+".to_owned(), |group| format!(r"(?<{group}>\S+)")),
        (_, Some(_), _) => r"\s+".to_owned(),
        (_, _, Some(_)) => r"\d+".to_owned(),
        _ => r"\w+".to_owned(),
    }
}

/// Words of the two sides of a comparison.
static SIDES: LazyLock<[Regex; 2]> = LazyLock::new(|| {
    let side = |words| Regex::new(words).expect("a pattern that is written here");
    let here = r"(?i)\b(?:client|local|yours?|you|got|has|have|found|installed)\b";
    let there = r"(?i)\b(?:server|remote|host|expect\w*|want\w*|need\w*|requir\w*|should|this \w+ (?:has|runs|is))\b";
    [side(here), side(there)]
});

/// Whether a text tells two versions, one of each side.
pub fn compares_versions(text: &str) -> bool {
    let mut versions: Vec<&str> =
        VARYING.captures_iter(text).filter_map(|found| Some(found.name("version")?.as_str())).collect();
    versions.dedup();
    versions.len() == 2 && SIDES.iter().all(|side| side.is_match(text))
}
