//! A pattern for the rulebook that would know lines like one that no pattern knows.

use std::sync::LazyLock;

use regex::{Captures, Regex};

use super::time::LogTime;

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

/// What would know a line: the keys of an `[[event]]`.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Pattern {
    /// The line; the header above it, where that says what it means.
    pub line: String,
    /// The line itself, below a header.
    pub then: Option<String>,
    /// What stands between the mods of a list.
    pub between: Option<&'static str>,
}

impl Pattern {
    /// Of a line that stands below a header, which says what it means.
    #[must_use]
    pub fn below(self, header: &str) -> Self {
        Self { line: Self::of(header, &[], false).line, then: Some(self.line), between: None }
    }

    /// Of a line that names mods at these places, without its time, with the mods and the versions as groups.
    pub fn of(text: &str, named: &[(usize, usize)], is_missing: bool) -> Self {
        let text: String = text.chars().take(300).collect();
        let begin = message_start(&text);
        let mut named = named.iter().copied().filter(|(start, end)| *start >= begin && *end <= text.len());
        let plain = |line| Self { line, then: None, between: None };
        let Some((start, end)) = named.next() else {
            return plain(generalised(text[begin..].trim(), &mut order(&text[begin..], is_missing)));
        };
        let before = generalised(text[begin..start].trim_start(), &mut std::iter::empty());
        let places: Vec<(usize, usize)> = std::iter::once((start, end)).chain(named).collect();
        if let Some(between) = separator(&text, &places) {
            let end = places.last().map_or(end, |(_, end)| *end);
            let rest = LIST_END.find(&text[end..]).map_or(&text[end..], |last| &text[end + last.end()..]).trim_end();
            let group = if rest.is_empty() { "(?<mods>.+)" } else { "(?<mods>.+?)" };
            let rest = generalised(rest, &mut std::iter::empty());
            return Self { line: format!("{before}{group}{rest}"), then: None, between: Some(between) };
        }
        let behind = &text[end..];
        // A version glued to a file's name belongs to the name.
        let glued = behind.find(char::is_whitespace).unwrap_or(behind.len());
        let behind = if behind.starts_with(['-', '_']) { &behind[glued..] } else { behind }.trim_end();
        let name = &text[start..end];
        let group = match (name.contains(char::is_whitespace), behind.is_empty()) {
            (false, _) => r"(?<mod>\S+)",
            (true, true) => "(?<mod>.+)",
            (true, false) if name.contains(['[', ']', ':', '|']) => "(?<mod>.+?)",
            (true, false) => r"(?<mod>[^\s\[\]:|][^\[\]:|]*?)",
        };
        // A name with blanks in it needs something before it, or all before it is taken for a part of it.
        let before = match before.is_empty() && name.contains(char::is_whitespace) {
            true => end_of_head(&text[..begin]),
            false => before,
        };
        plain(format!("{before}{group}{}", generalised(behind, &mut order(behind, is_missing))))
    }
}

/// A pattern for the end of what stands before a message.
fn end_of_head(head: &str) -> String {
    match head.trim_end().chars().next_back() {
        None => r"^\s*".to_owned(),
        Some(last) if last.is_ascii_digit() => r"\d\s+".to_owned(),
        Some(last) => format!(r"{}\s+", regex::escape(&last.to_string())),
    }
}

/// What stands between the mods of a list in one line, each perhaps with its version; nothing where they are no list.
pub fn separator(text: &str, places: &[(usize, usize)]) -> Option<&'static str> {
    static GAP: LazyLock<Regex> = LazyLock::new(|| {
        let gap = format!(r#"^["'`]?{VERSION_OF}["'`\]]*\s*(?<between>[,;|])\s*["'`\[]*$"#);
        Regex::new(&gap).expect("a pattern that is written here")
    });
    let gaps = places.windows(2).map(|two| GAP.captures(text.get(two[0].1..two[1].0)?)?.name("between"));
    let between: Option<Vec<&str>> = gaps.map(|gap| gap.map(|found| found.as_str())).collect();
    let between = between?;
    let first = between.first()?;
    let known = [",", ";", "|"].into_iter().find(|known| known == first)?;
    between.iter().all(|other| other == first).then_some(known)
}

/// A version behind a name.
pub const VERSION_OF: &str = r"(?:[\s(@=:-]+v?\d+(?:\.\d+)+[\w.+-]*\)?)?";

/// What ends a list's last item.
static LIST_END: LazyLock<Regex> =
    LazyLock::new(|| Regex::new(&format!(r#"^["'`]?{VERSION_OF}["'`\]]*"#)).expect("a pattern that is written here"));

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
        Some(head) if LogTime::of(text).is_some() || text.starts_with('[') => head.end(),
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

/// Words that tell one version from another by their order.
static ORDERING: LazyLock<Regex> = LazyLock::new(|| {
    Regex::new(r"(?i)\b(?:older|newer|behind|ahead|differs?|instead|but|not)\b")
        .expect("a pattern that is written here")
});

/// Whether a text tells two versions, one of each side, or one that is not that of the other side.
pub fn compares_versions(text: &str) -> bool {
    let mut versions: Vec<&str> =
        VARYING.captures_iter(text).filter_map(|found| Some(found.name("version")?.as_str())).collect();
    versions.dedup();
    let [here, there] = &*SIDES;
    versions.len() == 2 && there.is_match(text) && (here.is_match(text) || ORDERING.is_match(text))
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    /// Where names stand in a text.
    fn places(text: &str, names: &[&str]) -> Vec<(usize, usize)> {
        let place = |name: &&str| text.find(*name).map(|start| (start, start + name.len()));
        names.iter().filter_map(place).collect()
    }

    #[rstest]
    #[case("fog, rain, mist", Some(","))]
    #[case("fog 1.2; rain (2.0); mist", Some(";"))]
    #[case("'fog' | 'rain'=2.0 | 'mist'", Some("|"))]
    #[case("[fog@1.0, rain@1.1, mist@1.2]", Some(","))]
    #[case("fog, rain; mist", None)]
    #[case("fog needs rain, mist", None)]
    #[case("fog rain mist", None)]
    fn lists_in_one_line(#[case] text: &str, #[case] between: Option<&str>) {
        assert_eq!(separator(text, &places(text, &["fog", "rain", "mist"])), between);
        assert_eq!(separator(text, &places(text, &["fog"])), None, "one is no list");
    }

    #[rstest]
    #[case("fog client=1.0 server=1.1", true)]
    #[case("you have fog 1.0, the host wants 1.1", true)]
    #[case("fog 1.0 is older than the server's 1.1", true)]
    #[case("the server's fog is 1.1, not 1.0", true)]
    #[case("fog 1.0, required by mist 1.0", false)]
    #[case("loaded fog 1.0 for the game 0.44", false)]
    #[case("updating fog from 1.0 to 1.1", false)]
    #[case("fog client=1.0 server=1.1 proxy=1.2", false)]
    fn two_versions_of_two_sides(#[case] text: &str, #[case] does: bool) {
        assert_eq!(compares_versions(text), does);
    }

    #[rstest]
    #[case("2026-11-25 18:00:01 WARN  fog", "fog")]
    #[case("[18:00:01] [main/ERROR]: fog", "fog")]
    #[case("18:00:01 | INFO | fog", "fog")]
    #[case("fog: 18:00:01", "fog: 18:00:01")]
    fn where_a_message_begins(#[case] text: &str, #[case] message: &str) {
        assert_eq!(&text[message_start(text)..], message);
    }

    #[rstest]
    #[case("fog has 1.0, the server 1.1", r"(?<mod>\S+)\s+has\s+(?<found>\S+),\s+the\s+server\s+(?<expected>\S+)")]
    #[case(
        "fog: server wants 1.1, not 1.0",
        r"(?<mod>\S+):\s+server\s+wants\s+(?<expected>\S+),\s+not\s+(?<found>\S+)"
    )]
    #[case("fog a1b2c3d4 at 0x1f, try 3", r"(?<mod>\S+)\s+\w+\s+at\s+\w+,\s+try\s+\d+")]
    #[case("mods/fog-1.2.psm is torn", r"mods/(?<mod>\S+)\s+is\s+torn")]
    fn what_varies_is_left_open(#[case] text: &str, #[case] pattern: &str) {
        let made = Pattern::of(text, &places(text, &["fog"]), false);
        assert_eq!((made.line.as_str(), made.then, made.between), (pattern, None, None));
        assert!(Regex::new(pattern).expect("a regex").is_match(text));
    }
}
