//! Lines that no pattern knows: one that names a mod near a word of failure is weak evidence, and a pattern for it can be proposed.

use std::collections::BTreeMap;
use std::sync::LazyLock;

use aho_corasick::{AhoCorasick, MatchKind};
use regex::{Captures, Regex};

use super::event::{LogEvent, Source};
use super::scan::shown;
use super::stamp::Stamp;
use crate::canon::Canon;
use crate::finding::Code;
use crate::limits;
use crate::rulebook::{Event, Rulebook};
use crate::survey::{Reading, Survey};

/// Needles shorter than this name too much.
const SHORTEST: usize = 3;
/// Needles that are looked for at most.
const NEEDLES: usize = 100_000;

/// Words of failure, and what each means when a mod is named near it; the most telling first.
const CLASSES: [(Event, &[&str]); 9] = [
    (
        Event::Cause(Code::ModDuplicate),
        &["duplicate", "twice", "already loaded", "already registered", "more than once", "two copies", "second copy"],
    ),
    (
        Event::Cause(Code::DependencyMissing),
        &[
            "depends on",
            "dependency",
            "dependencies",
            "prerequisite",
            "needs mod",
            "requires mod",
            "required by",
            "which it needs",
        ],
    ),
    (
        Event::Cause(Code::ListOrder),
        &[
            "load order",
            "loaded before",
            "loaded after",
            "must come before",
            "must come after",
            "wrong order",
            "out of order",
            "another order",
            "different order",
        ],
    ),
    (
        Event::Cause(Code::SignatureBad),
        &["signature", "unsigned", "not signed", "signed by", "unknown key", "untrusted", "not trusted"],
    ),
    (
        Event::Cause(Code::ContentDiffers),
        &[
            "checksum",
            "hash",
            "crc",
            "corrupt",
            "modified",
            "tampered",
            "altered",
            "integrity",
            "digest",
            "fingerprint",
            "other contents",
            "contents differ",
            "size mismatch",
            "not identical",
        ],
    ),
    (
        Event::Cause(Code::VersionOther),
        &[
            "version mismatch",
            "wrong version",
            "different version",
            "other version",
            "another version",
            "outdated",
            "out of date",
            "too old",
            "too new",
            "older",
            "newer",
            "incompatible",
            "mismatch",
            "does not match",
            "doesn't match",
            "differs",
            "but server has",
            "but client has",
            "expected",
        ],
    ),
    (
        Event::Cause(Code::ModMissing),
        &[
            "missing",
            "not found",
            "not installed",
            "not present",
            "could not find",
            "couldn't find",
            "cannot find",
            "can't find",
            "unable to find",
            "does not have",
            "doesn't have",
            "lacks",
            "lacking",
            "is not in",
            "not in it",
            "absent",
            "not loaded",
            "no such",
            "unavailable",
            "not available",
            "not enabled",
            "is disabled",
            "switched off",
        ],
    ),
    (
        Event::Cause(Code::ModExtra),
        &[
            "not allowed",
            "unknown mod",
            "unexpected",
            "not permitted",
            "not on the server",
            "does not know",
            "doesn't know",
            "unrecognised",
            "unrecognized",
            "forbidden",
            "surplus",
        ],
    ),
    (
        Event::ModFailed,
        &[
            "error",
            "fail",
            "exception",
            "could not",
            "couldn't",
            "cannot",
            "can't",
            "unable",
            "invalid",
            "broken",
            "crash",
            "refused",
            "rejected",
            "denied",
            "fatal",
            "panic",
            "abort",
            "gave up",
            "giving up",
            "malformed",
            "truncated",
            "unreadable",
        ],
    ),
];

/// Words that are no failure by themselves: a line that only reports needs another one.
const TAME: [&str; 4] = ["older", "newer", "expected", "hash"];
/// Words of both sides of a version.
const GAME_WORDS: [&str; 6] =
    ["game version", "client version", "server version", "game build", "protocol", "wrong build"];

/// What the mods of a join are called anywhere.
pub struct Needles {
    search: AhoCorasick,
    /// The mod of each needle.
    ids: Vec<String>,
    failure: AhoCorasick,
    /// For each word of failure, its class.
    classes: Vec<usize>,
    loader: Option<String>,
}

/// A line that may tell something.
#[derive(Debug, Clone, PartialEq)]
pub struct Hint {
    /// What it may mean.
    pub means: Event,
    /// Where it stands.
    pub source: Source,
    /// The line's number, from one.
    pub line: u64,
    /// The line, made printable.
    pub text: String,
    /// The mod it names.
    pub mod_id: Option<String>,
    /// A pattern that would know such lines, for the rulebook.
    pub pattern: String,
}

impl Needles {
    /// The names of all mods of some surveys and a canon, and of those that events name.
    ///
    /// # Errors
    /// When there are too many of them to be looked for.
    pub fn new(
        rulebook: &Rulebook,
        surveys: &[&Survey],
        canon: Option<&Canon>,
        events: &[LogEvent],
    ) -> Result<Self, aho_corasick::BuildError> {
        let mut names: BTreeMap<String, String> = BTreeMap::new();
        let mut add = |reading: &Reading, file: &str| {
            let stem = file.rsplit_once('.').map_or(file, |(stem, _)| stem);
            let title = reading.title.as_deref().unwrap_or_default();
            for name in [&reading.id, title, file, stem] {
                // What stands at the end of a path must not be lost to a shorter name.
                if name.chars().count() >= SHORTEST && names.len() < NEEDLES {
                    names.entry(name.to_lowercase()).or_insert_with(|| reading.id.clone());
                }
            }
        };
        for survey in surveys {
            survey.mods.iter().chain(&survey.strays).for_each(|found| add(&found.reading, &found.name));
        }
        canon.iter().flat_map(|canon| &canon.mods).for_each(|sealed| add(&sealed.reading, &sealed.name));
        for id in
            events.iter().filter(|event| event.means == Event::ModLoaded).filter_map(|event| event.mod_id.as_ref())
        {
            if id.chars().count() >= SHORTEST && names.len() < NEEDLES {
                names.entry(id.to_lowercase()).or_insert_with(|| id.clone());
            }
        }
        let (needles, ids): (Vec<String>, Vec<String>) = names.into_iter().unzip();
        let build = |words: &[String]| {
            AhoCorasick::builder().ascii_case_insensitive(true).match_kind(MatchKind::LeftmostLongest).build(words)
        };
        let words: Vec<(usize, String)> = CLASSES
            .iter()
            .enumerate()
            .flat_map(|(class, (_, words))| words.iter().map(move |word| (class, (*word).to_owned())))
            .collect();
        let (classes, words): (Vec<usize>, Vec<String>) = words.into_iter().unzip();
        Ok(Self {
            search: build(&needles)?,
            ids,
            failure: AhoCorasick::builder().ascii_case_insensitive(true).build(&words)?,
            classes,
            loader: rulebook.loader.as_ref().map(|loader| loader.name.to_lowercase()),
        })
    }

    /// The mods that a text names, each once, in their order.
    pub fn named(&self, text: &str) -> Vec<&str> {
        let mut named: Vec<&str> = Vec::new();
        for found in self.search.find_iter(text).filter(|found| is_word(text, found.start(), found.end())) {
            let id = self.ids[found.pattern().as_usize()].as_str();
            if !named.contains(&id) {
                named.push(id);
            }
        }
        named
    }

    /// What a line may tell; `above` is the line before it, which may be the header of this one.
    pub fn hint(&self, source: Source, number: u64, bytes: &[u8], above: &str) -> Option<Hint> {
        let text = String::from_utf8_lossy(&bytes[..bytes.len().min(limits::LOG_LINE_BYTES)]);
        let text = text.trim_end();
        let named = self.named(text);
        let (means, mod_id) = match named.first() {
            Some(first) => {
                // A header with a word of failure and no mod of its own tells of what stands below it.
                let means =
                    self.failure(text).or_else(|| self.failure(above).filter(|_| self.named(above).is_empty()))?;
                (means, Some((*first).to_owned()))
            }
            None => (self.platform(text)?, None),
        };
        let pattern = proposal(text, named.first().and_then(|_| self.first_place(text)));
        Some(Hint { means, source, line: number, text: shown(text), mod_id, pattern })
    }

    fn first_place(&self, text: &str) -> Option<(usize, usize)> {
        let places = self.search.find_iter(text).map(|found| (found.start(), found.end()));
        places.into_iter().find(|(start, end)| is_word(text, *start, *end))
    }

    /// What the words of failure in a text mean; nothing where there are none.
    pub fn failure(&self, text: &str) -> Option<Event> {
        let mut classes: Vec<(usize, bool)> = Vec::new();
        for found in self.failure.find_overlapping_iter(text).filter(|found| begins_word(text, found.start())) {
            let word = &text[found.start()..found.end()];
            let is_tame = TAME.iter().any(|tame| tame.eq_ignore_ascii_case(word));
            classes.push((self.classes[found.pattern().as_usize()], is_tame));
        }
        if classes.iter().all(|(_, is_tame)| *is_tame) && classes.len() < 2 {
            return None;
        }
        classes.into_iter().min().map(|(class, _)| CLASSES[class].0)
    }

    /// A line that names no mod, but the game or its loader, and tells that two versions are not one.
    fn platform(&self, text: &str) -> Option<Event> {
        if self.failure(text)? != Event::Cause(Code::VersionOther) {
            return None;
        }
        let lower = text.to_lowercase();
        if self.loader.as_ref().is_some_and(|loader| lower.contains(loader.as_str())) {
            return Some(Event::Cause(Code::LoaderDiffers));
        }
        GAME_WORDS.iter().any(|word| lower.contains(word)).then_some(Event::Cause(Code::GameDiffers))
    }
}

fn begins_word(text: &str, start: usize) -> bool {
    text[..start].chars().next_back().is_none_or(|before| !before.is_alphanumeric())
}

/// Whether what stands around a name shows that it is all of it; an ending behind it may be a version.
fn is_word(text: &str, start: usize, end: usize) -> bool {
    let inside = |c: char| c.is_alphanumeric();
    begins_word(text, start)
        && text[..start].chars().next_back().is_none_or(|before| before != '-' && before != '_')
        && text[end..].chars().next().is_none_or(|after| !inside(after))
        && !text[end..].strip_prefix(['-', '_']).is_some_and(|rest| rest.starts_with(|c: char| c.is_alphabetic()))
}

/// What differs from line to line: times, versions, numbers.
static VARYING: LazyLock<Regex> = LazyLock::new(|| {
    let pattern = r"(?<version>\bv?\d+(?:\.\d+)+[\w.+-]*)|(?<hex>\b[0-9a-fA-F]{12,}\b)|(?<number>\d+)|(?<blank>\s+)";
    Regex::new(pattern).expect("a pattern that is written here")
});

/// A pattern that would know a line like this, without its time, with the mod and the versions as groups.
fn proposal(text: &str, named: Option<(usize, usize)>) -> String {
    let text: String = text.chars().take(300).collect();
    let begin = message_start(&text);
    let named = named.filter(|(start, end)| *start >= begin && *end <= text.len());
    let (before, behind) = match named {
        Some((start, end)) => (&text[begin..start], Some(&text[end..])),
        None => (&text[begin..], None),
    };
    // Versions behind the mod are what it is; the second one is what it should be.
    let mut versions = ["found", "expected"].into_iter();
    match behind {
        None => generalised(before.trim(), &mut versions),
        Some(behind) => {
            // A version glued to a file's name belongs to the name.
            let glued = behind.find(char::is_whitespace).unwrap_or(behind.len());
            let behind = if behind.starts_with(['-', '_']) { &behind[glued..] } else { behind };
            format!(
                r"{}(?<mod>\S+){}",
                generalised(before.trim_start(), &mut std::iter::empty()),
                generalised(behind.trim_end(), &mut versions)
            )
        }
    }
}

/// Where a line begins to say something: behind its time and what stands in brackets with it.
fn message_start(text: &str) -> usize {
    static HEAD: LazyLock<Regex> = LazyLock::new(|| {
        Regex::new(r"^(?:\s|\[[^\]]{0,80}\]|[\d:.,TZ/+-]{5,}\s|:)+").expect("a pattern that is written here")
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
        _ => r"\S+".to_owned(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::digest::Blake3;
    use crate::path::InstallPath;
    use crate::rulebook::Role;
    use crate::survey::{InstallFacts, SurveyedMod};
    use rstest::rstest;

    fn needles() -> Needles {
        let rulebook = crate::rulebook::of_logs("");
        let found = |id: &str, title: &str, name: &str| SurveyedMod {
            reading: Reading { id: id.to_owned(), title: Some(title.to_owned()), ..Reading::default() },
            shelf: "mods".to_owned(),
            place: InstallPath::new("mods").expect("a path"),
            enabled: true,
            path: InstallPath::new(&format!("mods/{name}")).expect("a path"),
            name: name.to_owned(),
            digest: Blake3::of(id.as_bytes()),
            files: Vec::new(),
            members: Vec::new(),
            members_total: 0,
            signatures: Vec::new(),
        };
        let mods = vec![
            found("snowtrack", "Snow Track", "snowtrack-3.2.1.psm"),
            found("fog", "Fog", "fog.psm"),
            found("fog-horn", "Fog Horn", "fog-horn.psm"),
        ];
        let survey = Survey { mods, ..Survey::empty(InstallFacts::bare("a", Role::Client)) };
        Needles::new(&rulebook, &[&survey], None, &[]).expect("needles")
    }

    #[rstest]
    #[case("ERROR: mod snowtrack not found", "mod-missing", Some("snowtrack"))]
    #[case("Snow Track is outdated, please update", "version-other", Some("snowtrack"))]
    #[case("failed to load mods/snowtrack-3.2.1.psm", "mod-failed", Some("snowtrack"))]
    #[case("checksum of fog.psm is wrong", "content-differs", Some("fog"))]
    #[case("fog-horn: could not find dependency fog", "dependency-missing", Some("fog-horn"))]
    #[case("Fog was loaded twice", "mod-duplicate", Some("fog"))]
    #[case("signature of FOG rejected", "signature-bad", Some("fog"))]
    #[case("Trellis version mismatch: 0.8 and 0.9", "loader-differs", None)]
    #[case("wrong version: server version is 1.4", "game-differs", None)]
    fn lines_near_words_of_failure(#[case] line: &str, #[case] means: &str, #[case] named: Option<&str>) {
        let hint = needles().hint(Source::ClientLog, 7, line.as_bytes(), "").expect("a hint");
        let said = serde_json::to_value(hint.means).expect("a word");
        assert_eq!((said.as_str(), hint.mod_id.as_deref(), hint.line), (Some(means), named, 7));
    }

    #[rstest]
    #[case("loaded snowtrack 3.2.1")]
    #[case("a newer release of fog is out")]
    #[case("frogs failed to load")]
    #[case("foggy error")]
    #[case("error in foghorn")]
    fn lines_that_tell_nothing(#[case] line: &str) {
        assert_eq!(needles().hint(Source::ClientLog, 1, line.as_bytes(), ""), None);
    }

    #[test]
    fn a_header_tells_of_the_lines_below_it() {
        let hint = needles().hint(Source::ClientLog, 2, b"  - fog", "The following mods are missing:").expect("a hint");
        assert_eq!((hint.means, hint.mod_id.as_deref()), (Event::Cause(Code::ModMissing), Some("fog")));
        assert_eq!(needles().hint(Source::ClientLog, 2, b"  - fog", "fog-horn is missing"), None);
    }

    #[rstest]
    #[case(
        "[06:12:01] [main/ERROR]: mod snowtrack 3.1.0 is outdated, server wants 3.2.1",
        r"mod\s+(?<mod>\S+)\s+(?<found>\S+)\s+is\s+outdated,\s+server\s+wants\s+(?<expected>\S+)"
    )]
    #[case("2026-11-27 06:12:01 could not open fog.psm (5)", r"could\s+not\s+open\s+(?<mod>\S+)\s+\(\d+\)")]
    #[case("fog: missing", r"(?<mod>\S+):\s+missing")]
    fn the_pattern_that_is_proposed_knows_the_line(#[case] line: &str, #[case] pattern: &str) {
        let hint = needles().hint(Source::ServerLog, 1, line.as_bytes(), "").expect("a hint");
        assert_eq!(hint.pattern, pattern);
        assert!(Regex::new(&hint.pattern).expect("a regex").is_match(line));
    }
}
