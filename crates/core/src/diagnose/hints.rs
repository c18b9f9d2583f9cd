//! Lines that no pattern knows: one that names a mod near a word of failure is weak evidence, and a pattern for it can be proposed.

use std::collections::{BTreeMap, BTreeSet};
use std::sync::LazyLock;

use aho_corasick::{AhoCorasick, MatchKind};
use regex::Regex;

use super::failure::{self, begins_word};
use crate::base::finding::Code;
use crate::base::ids::FoldedId;
use crate::base::limits;
use crate::canon::Canon;
use crate::logs::{LogEvent, Pattern, Source, compares_versions, is_own_defect, message_start, separator, shown};
use crate::manifest::ModManifest;
use crate::rulebook::{Event, Role, Rulebook};
use crate::survey::Survey;

/// Needles shorter than this name too much.
const SHORTEST: usize = 3;
/// Needles that are looked for at most.
const NEEDLES: usize = 100_000;

/// Misspelt names that are shorter may be any word.
const SHORTEST_MISSPELT: usize = 5;
/// How alike a misspelt name must be.
const NEAR: f64 = 0.8;
/// Mods of a list in one line that are told.
const LISTED: usize = 50;
/// Other players whose lines are told from those of the one in question.
const OTHERS: usize = 500;
/// So many characters of a header are kept.
const HEADER: usize = 1_000;
/// So many runs of words are held against so many names, at most.
const NEAR_RUNS: usize = 200;
const NEAR_NAMES: usize = 20_000;

/// What the mods of a join are called anywhere.
pub struct Needles {
    search: AhoCorasick,
    /// What is looked for, in lower case.
    names: Vec<String>,
    /// The mod of each name.
    ids: Vec<FoldedId>,
    /// What the game and its loader are called.
    game: String,
    loader: Option<String>,
}

/// Where a text names a mod, and which.
type Named<'n> = ((usize, usize), &'n FoldedId);

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
    pub mod_id: Option<FoldedId>,
    /// A pattern that would know such lines, for the rulebook.
    pub pattern: Pattern,
    /// Whether there is such a mod, as far as is known.
    pub is_known: bool,
    /// Whether it stands before the last try of a client to join: what stumbles as a game starts may be chatter.
    pub is_before_try: bool,
}

impl Hint {
    /// A player's log tells of its own failures; a server's may tell of any player's.
    pub const fn own_side(&self) -> Option<Role> {
        match (self.means, self.source) {
            (Event::OutOfMemory, Source::ServerLog) => Some(Role::Server),
            (Event::ModFailed | Event::OutOfMemory, Source::ClientLog) => Some(Role::Client),
            (Event::Cause(code), Source::ClientLog) if is_own_defect(code) => Some(Role::Client),
            _ => None,
        }
    }
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
        let mut names: BTreeMap<String, FoldedId> = BTreeMap::new();
        let mut add = |manifest: &ModManifest, file: &str| {
            let stem = file.rsplit_once('.').map_or(file, |(stem, _)| stem);
            let title = manifest.title.as_deref().unwrap_or_default();
            for name in [manifest.id.as_str(), title, file, stem] {
                // What stands at the end of a path must not be lost to a shorter name.
                if name.chars().count() >= SHORTEST && names.len() < NEEDLES {
                    names.entry(name.to_lowercase()).or_insert_with(|| manifest.id.clone());
                }
            }
        };
        for survey in surveys {
            survey.mods.iter().chain(&survey.strays).for_each(|found| add(&found.manifest, &found.name));
        }
        canon.iter().flat_map(|canon| &canon.mods).for_each(|sealed| add(&sealed.manifest, &sealed.name));
        for id in
            events.iter().filter(|event| event.means == Event::ModLoaded).filter_map(|event| event.mod_id.as_ref())
        {
            if id.as_str().chars().count() >= SHORTEST && names.len() < NEEDLES {
                names.entry(id.as_str().to_lowercase()).or_insert_with(|| id.clone());
            }
        }
        let (names, ids): (Vec<String>, Vec<FoldedId>) = names.into_iter().unzip();
        let search =
            AhoCorasick::builder().ascii_case_insensitive(true).match_kind(MatchKind::LeftmostLongest).build(&names)?;
        Ok(Self {
            search,
            names,
            ids,
            game: rulebook.game.to_lowercase(),
            loader: rulebook.loader.as_ref().map(|loader| loader.name.to_lowercase()),
        })
    }

    /// The mods that a text names, each once, in their order.
    pub fn named(&self, text: &str) -> Vec<&FoldedId> {
        let mut named: Vec<&FoldedId> = Vec::new();
        for (_, id) in self.places(text) {
            if !named.contains(&id) {
                named.push(id);
            }
        }
        named
    }

    /// Where a text names mods: by a word of its own; or else by the end of a file's name.
    pub(crate) fn places(&self, text: &str) -> Vec<Named<'_>> {
        let found: Vec<_> = self.search.find_iter(text).collect();
        let place = |found: &aho_corasick::Match| ((found.start(), found.end()), &self.ids[found.pattern().as_usize()]);
        let words: Vec<_> = found.iter().filter(|one| is_word(text, one.start(), one.end())).map(place).collect();
        if !words.is_empty() {
            return words;
        }
        let ends_a_name = |one: &&aho_corasick::Match| {
            let extension =
                text[one.end()..].strip_prefix('.').is_some_and(|rest| rest.starts_with(char::is_alphabetic));
            extension && one.len() >= SHORTEST_MISSPELT && text[..one.start()].ends_with(['-', '_'])
        };
        found.iter().filter(ends_a_name).map(place).collect()
    }

    /// The mod that a text names with a slip of the pen, where it is clear which one: people type from memory.
    pub fn nearly_named(&self, text: &str) -> Option<&FoldedId> {
        let lower = text.to_lowercase();
        let words: Vec<&str> = lower.split(|c: char| !c.is_alphanumeric()).filter(|word| !word.is_empty()).collect();
        let runs = (1..=3).flat_map(|many| words.windows(many)).map(<[&str]>::concat);
        let runs: Vec<String> = runs.filter(|run| run.chars().count() >= SHORTEST_MISSPELT).take(NEAR_RUNS).collect();
        let mut near: BTreeMap<&FoldedId, f64> = BTreeMap::new();
        for (name, id) in self.names.iter().zip(&self.ids).take(NEAR_NAMES) {
            let name: String = name.chars().filter(|c| c.is_alphanumeric()).collect();
            let alike = |run: &String| match run.len().abs_diff(name.len()) {
                0..=3 => strsim::normalized_damerau_levenshtein(run, &name),
                _ => 0.0,
            };
            let best = runs.iter().map(alike).fold(0.0, f64::max);
            let known = near.entry(id).or_default();
            *known = known.max(best);
        }
        let mut near: Vec<(&FoldedId, f64)> = near.into_iter().filter(|(_, alike)| *alike >= NEAR).collect();
        near.sort_by(|a, b| b.1.total_cmp(&a.1));
        match near[..] {
            [(id, _)] => Some(id),
            [(id, first), (_, second), ..] if first > second => Some(id),
            _ => None,
        }
    }

    /// What a text may mean by its words alone, the most frequent first; nothing where it does not speak of mods or versions.
    pub fn meanings(&self, text: &str) -> Vec<Event> {
        match failure::meaning(text) {
            Some(Event::ModFailed) if !self.places(text).is_empty() => vec![Event::ModFailed],
            meaning => failure::meanings(meaning, text, self.loader.as_deref()),
        }
    }

    /// What a line may tell; `header` stands above it, and may say what is below it. Of a list in one line, each mod.
    pub fn hints(&self, at: (Source, u64), text: &str, header: &str) -> Vec<Hint> {
        self.hints_of(at, text, &self.places(text), header)
    }

    fn hints_of(&self, (source, line): (Source, u64), text: &str, places: &[Named<'_>], header: &str) -> Vec<Hint> {
        let text = text.trim_end();
        let Some(told) = self.told(text, header, places) else { return Vec::new() };
        let all: Vec<(usize, usize)> = places.iter().map(|(place, _)| *place).collect();
        let named = match separator(text, &all) {
            Some(_) if told.named.is_some() => all,
            _ => told.named.into_iter().collect(),
        };
        let mut pattern = Pattern::of(text, &named, told.means == Event::Cause(Code::ModMissing));
        if told.is_by_header {
            pattern = pattern.below(header);
        }
        let id = |place: &(usize, usize)| {
            let known = places.iter().find(|(known, _)| known == place);
            known.map_or_else(|| text[place.0..place.1].into(), |(_, id)| (*id).clone())
        };
        let mut ids: Vec<Option<FoldedId>> = named.iter().take(LISTED).map(|place| Some(id(place))).collect();
        ids.dedup();
        if ids.is_empty() {
            ids.push(None);
        }
        let hint = |mod_id| Hint {
            means: told.means,
            source,
            line,
            text: shown(text),
            mod_id,
            pattern: pattern.clone(),
            is_known: told.is_known,
            is_before_try: false,
        };
        ids.into_iter().map(hint).collect()
    }

    fn told(&self, text: &str, header: &str, places: &[Named<'_>]) -> Option<HintLine> {
        // A header with a word of failure and no mod of its own tells of what stands below it.
        let above = || failure::meaning(header).filter(|_| self.named(header).is_empty());
        let is_clear = |means: &Event| *means != Event::ModFailed;
        let differing = || compares_versions(text).then_some(Event::Cause(Code::VersionOther));
        let of_no_mod = |means| Some(HintLine { means, named: None, is_known: true, is_by_header: false });
        let own = failure::meaning(text);
        if own == Some(Event::OutOfMemory) {
            return of_no_mod(Event::OutOfMemory);
        }
        let here = own.filter(is_clear).or_else(differing);
        if let Some((place, _)) = places.first() {
            let here = here.or(own);
            if let Some((means, place)) = here.and_then(|means| dependency(text, places, means)) {
                return Some(HintLine { means, named: Some(place), is_known: true, is_by_header: false });
            }
            let means = here.or_else(above)?;
            return Some(HintLine { means, named: Some(*place), is_known: true, is_by_header: here.is_none() });
        }
        if let Some(means) = failure::of_platform(own, text, self.loader.as_deref()) {
            return of_no_mod(means);
        }
        // That something failed says nothing of a name that nobody knows.
        let means = here.or_else(|| above().filter(|means| own.is_none() && is_clear(means)))?;
        let (start, end) = unknown_name(text, here.is_none())?;
        match text[start..end].to_lowercase() {
            name if name == self.game => of_no_mod(Event::Cause(Code::GameDiffers)),
            name if Some(&name) == self.loader.as_ref() => of_no_mod(Event::Cause(Code::LoaderDiffers)),
            _ => Some(HintLine { means, named: Some((start, end)), is_known: false, is_by_header: here.is_none() }),
        }
    }
}

/// Where a line says that one mod needs another, which is not there or not as it is needed: the one that needs it.
fn dependency(text: &str, places: &[Named<'_>], means: Event) -> Option<(Event, (usize, usize))> {
    static NEEDS: LazyLock<Regex> = LazyLock::new(|| {
        let needs = r"(?i)\b(?:(?<by>(?:required|needed|wanted) by)|requires?|needs?|wants?|depends? on)\b";
        Regex::new(needs).expect("a pattern that is written here")
    });
    let [(first, id), (second, other), ..] = places else { return None };
    let needs = NEEDS.captures(text.get(first.1..second.0)?).filter(|_| id != other)?;
    let is_there = compares_versions(text) || means == Event::Cause(Code::VersionOther);
    let code = if is_there { Code::DependencyVersion } else { Code::DependencyMissing };
    Some((Event::Cause(code), if needs.name("by").is_some() { *second } else { *first }))
}

/// What a line tells of which name.
struct HintLine {
    means: Event,
    named: Option<(usize, usize)>,
    is_known: bool,
    /// Whether the header says what it means.
    is_by_header: bool,
}

/// Where the name of a mod may stand that nobody knows: as an item of a list, in quotes behind the word for a mod, before a version.
static NAMES: LazyLock<[Regex; 5]> = LazyLock::new(|| {
    let of = |pattern: &str| Regex::new(pattern).expect("a pattern that is written here");
    let word = r"(?i)\b(?:mods?|plug-?ins?|add-?ons?|packages?|packs?|modules?)";
    [
        of(r"^\s*(?:[-*+>\u{2022}]|\d+[.)])\s*(?<mod>[A-Za-z][\w.+-]{2,60})"),
        of(&(word.to_owned() + r#"\s*(?:id\s*)?[:=]?\s*["'`(\[](?<mod>[A-Za-z][\w .+-]{2,60}?)["'`)\]]"#)),
        of(&(word.to_owned() + r"\s*(?:id\s*)?[:=]?\s*(?<mod>[A-Za-z]\w*[-_][\w.-]{1,60})")),
        of(r#"[:=]\s*["'`]?(?<mod>[A-Za-z][\w+-]{2,60})["'`]?[\s@(\[]*v?\d+(?:\.\d+)+"#),
        of(r"\b(?<mod>[A-Za-z]\w*[-_][\w-]{1,60})\s+v?\d+(?:\.\d+)+"),
    ]
});

/// The place of a name that may be a mod's; as an item of a list only where a header says what the list is of.
fn unknown_name(text: &str, has_header: bool) -> Option<(usize, usize)> {
    let from = message_start(text);
    let such = NAMES.iter().skip(usize::from(!has_header));
    let found = such.filter_map(|pattern| pattern.captures(&text[from..])?.name("mod"));
    found.map(|name| (from + name.start(), from + name.end())).next()
}

/// Reads the lines of a log that no pattern knows, in their order, for what they may tell of one player's join.
pub struct HintReader<'n> {
    needles: &'n Needles,
    source: Source,
    /// The players that the log knows, the one in question first; none where nobody is in question.
    players: Option<AhoCorasick>,
    /// The last line that named no mod: it may say what those below it are.
    header: String,
    /// Whether what is read is about another player.
    is_of_another: bool,
    /// The number of the last line that tells of a try to join, and names no mod.
    last_try: Option<u64>,
}

/// How a client tells that it tries to join, in everyday words of some languages.
static TRIES: LazyLock<Regex> = LazyLock::new(|| {
    let words = "connecting|joining|dialling|handshake|logging in|verbinde|verbinding maken|connexion à|conectando|connessione a|a ligar|ansluter|łączenie|подключ";
    Regex::new(&format!(r"(?i)\b(?:{words})")).expect("a pattern that is written here")
});

impl<'n> HintReader<'n> {
    /// Lines of a log with these events, for the join of a player.
    pub fn new(needles: &'n Needles, source: Source, player: Option<&str>, events: &[LogEvent]) -> Self {
        let named = events.iter().filter_map(|event| Some(event.player.as_ref()?.to_lowercase()));
        let others: BTreeSet<String> = named.filter(|name| name.chars().count() >= SHORTEST).collect();
        let players = player.filter(|player| !player.is_empty()).and_then(|player| {
            let player = player.to_lowercase();
            let others = others.into_iter().filter(|other| *other != player).take(OTHERS);
            let names: Vec<String> = std::iter::once(player.clone()).chain(others).collect();
            AhoCorasick::builder()
                .ascii_case_insensitive(true)
                .match_kind(MatchKind::LeftmostLongest)
                .build(&names)
                .ok()
        });
        Self { needles, source, players, header: String::new(), is_of_another: false, last_try: None }
    }

    /// The number of the last line of a client's log that tells of a try to join.
    pub const fn last_try(&self) -> Option<u64> {
        self.last_try
    }

    /// What a line may tell; what a line tells that a pattern knows is told already.
    pub fn line(&mut self, number: u64, bytes: &[u8], is_known: bool) -> Vec<Hint> {
        let text = String::from_utf8_lossy(&bytes[..bytes.len().min(limits::LOG_LINE_BYTES)]);
        let places = self.needles.places(&text);
        match self.is_about_another(&text) {
            Some(is_of_another) => self.is_of_another = is_of_another,
            // Below what is said of a player stands what it is about.
            None if !self.is_of_another || !places.is_empty() || unknown_name(&text, true).is_some() => {}
            None => self.is_of_another = false,
        }
        let is_told = is_known || self.is_of_another;
        let mut hints = if is_told {
            Vec::new()
        } else {
            self.needles.hints_of((self.source, number), &text, &places, &self.header)
        };
        for hint in &mut hints {
            let text = if hint.pattern.then.is_some() { &self.header } else { text.as_ref() };
            if let Some(name) = self.player_in(text) {
                hint.pattern.line = without_player(&hint.pattern.line, text, &name);
            }
        }
        // A client starts, and then tries; a server serves one try after another.
        if self.source == Source::ClientLog && places.is_empty() && TRIES.is_match(&text) {
            self.last_try = Some(number);
        }
        if places.is_empty() && hints.is_empty() {
            self.header = text.chars().take(HEADER).collect();
        }
        hints
    }

    /// The player in question as a line names him, where nothing of a name could be meant by it but him.
    fn player_in(&self, text: &str) -> Option<String> {
        let found = self.players.as_ref()?.find_iter(text).find(|found| is_word(text, found.start(), found.end()))?;
        (found.pattern().as_usize() == 0).then(|| text[found.range()].to_owned())
    }

    /// Whether a line names another player, and not the one in question.
    fn is_about_another(&self, text: &str) -> Option<bool> {
        let players = self.players.as_ref()?;
        let lower = text.to_lowercase();
        let found = players.find_iter(&lower).filter(|found| is_word(&lower, found.start(), found.end()));
        found.map(|found| found.pattern().as_usize() != 0).min()
    }
}

/// A pattern with a group for a player instead of his name, where it still knows the line.
fn without_player(pattern: &str, text: &str, name: &str) -> String {
    let with = pattern.replacen(&regex::escape(name), r"(?<player>\S+)", 1);
    // A player may be called like a part of the pattern.
    let knows_him = |pattern: &Regex| {
        let found = pattern.captures(text);
        found.is_some_and(|found| found.name("player").is_some_and(|player| player.as_str() == name))
    };
    if Regex::new(&with).is_ok_and(|with| knows_him(&with)) { with } else { pattern.to_owned() }
}

/// Whether what stands around a name shows that it is all of it; an ending behind it may be a version.
fn is_word(text: &str, start: usize, end: usize) -> bool {
    let inside = |c: char| c.is_alphanumeric();
    // A sign before it that stands apart is one of a list.
    let is_joined = |head: &str| {
        let word = head.strip_suffix(['-', '_']);
        word.is_some_and(|word| !word.is_empty() && !word.ends_with(char::is_whitespace))
    };
    begins_word(text, start)
        && !is_joined(&text[..start])
        && text[end..].chars().next().is_none_or(|after| !inside(after))
        && !text[end..].strip_prefix(['-', '_']).is_some_and(|rest| rest.starts_with(|c: char| c.is_alphabetic()))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::base::digest::Blake3;
    use crate::base::path::InstallPath;
    use crate::survey::{InstallFacts, SurveyedMod};
    use rstest::rstest;

    fn needles() -> Needles {
        let rulebook = crate::rulebook::of_logs("");
        let found = |id: &str, title: &str, name: &str| SurveyedMod {
            manifest: ModManifest { id: id.into(), title: Some(title.to_owned()), ..ModManifest::default() },
            shelf: "mods".into(),
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
    #[case("fog requires snowtrack >= 1.4, but 1.3.0 is present", "dependency-version", Some("fog"))]
    #[case("snowtrack 1.4, needed by fog, was not found", "dependency-missing", Some("fog"))]
    #[case("java.lang.OutOfMemoryError: Java heap space", "out-of-memory", None)]
    #[case("could not load fog: out of memory", "out-of-memory", None)]
    #[case("signature of FOG rejected", "signature-bad", Some("fog"))]
    #[case("Trellis version mismatch: 0.8 and 0.9", "loader-differs", None)]
    #[case("wrong version: server version is 1.4", "game-differs", None)]
    fn lines_near_words_of_failure(#[case] line: &str, #[case] means: &str, #[case] named: Option<&str>) {
        let hint = needles().hints((Source::ClientLog, 7), line, "").remove(0);
        let said = serde_json::to_value(hint.means).expect("a word");
        assert_eq!((said.as_str(), hint.mod_id.as_ref().map(FoldedId::as_str), hint.line), (Some(means), named, 7));
    }

    #[rstest]
    #[case("loaded snowtrack 3.2.1")]
    #[case("a newer release of fog is out")]
    #[case("frogs failed to load")]
    #[case("foggy error")]
    #[case("error in foghorn")]
    #[case("fog requires snowtrack >= 1.4")]
    fn lines_that_tell_nothing(#[case] line: &str) {
        assert_eq!(needles().hints((Source::ClientLog, 1), line, ""), []);
    }

    proptest::proptest! {
        #[test]
        fn a_pattern_that_is_proposed_always_knows_its_line(before in "[ -~äß·]{0,40}", behind in "[ -~äß·]{0,40}") {
            for name in ["fog", "Snow Track", "snowtrack-3.2.1.psm"] {
                let line = format!("{before} {name} {behind} error");
                for hint in needles().hints((Source::ServerLog, 1), &line, "") {
                    assert!(Regex::new(&hint.pattern.line).expect("a regex").is_match(&line), "{line:?} {}", hint.pattern.line);
                }
            }
        }
    }

    proptest::proptest! {
        #[test]
        fn whatever_stands_in_a_log_is_read(
            lines in proptest::collection::vec(proptest::collection::vec(proptest::num::u8::ANY, 0..120), 0..8),
            text in "(\\PC{0,30}|fog|Snow Track|missing: |1.2.3|Mara|[-*] |, ){0,12}",
            player in "\\PC{0,8}",
        ) {
            let needles = needles();
            let mut reader = HintReader::new(&needles, Source::ServerLog, Some(&player), &[]);
            for (line, number) in lines.iter().map(Vec::as_slice).chain([text.as_bytes(), text.as_bytes()]).zip(1..) {
                for hint in reader.line(number, line, false) {
                    assert!(Regex::new(&hint.pattern.line).is_ok(), "{hint:?}");
                    assert!(hint.pattern.then.as_ref().is_none_or(|then| Regex::new(then).is_ok()), "{hint:?}");
                    assert!(hint.text.chars().all(|c| !c.is_control()), "{hint:?}");
                }
            }
            needles.nearly_named(&text);
            needles.meanings(&text);
        }
    }

    #[rstest]
    #[case("it says missing snowtrak", Some("snowtrack"))]
    #[case("no SNOW TRCK???", Some("snowtrack"))]
    #[case("foghrn is bad", Some("fog-horn"))]
    #[case("the server is full", None)]
    fn names_typed_from_memory(#[case] typed: &str, #[case] named: Option<&str>) {
        assert_eq!(needles().nearly_named(typed).map(FoldedId::as_str), named);
    }

    #[rstest]
    #[case("fog: client has 1.0.9, server has 1.1.0", "version-other", "fog", true)]
    #[case("Ida's version of fog (1.0.9) is older than the server's (1.1.0)", "version-other", "fog", true)]
    #[case("hash mismatch for chunk0-snowtrack.pak", "content-differs", "snowtrack", true)]
    #[case("[WARN] unexpected on the client: sea-shanties (4.2)", "mod-extra", "sea-shanties", false)]
    #[case("mod 'Sea Shanties' not found", "mod-missing", "Sea Shanties", false)]
    #[case("quay: Ida has lantern-fish 0.9.2, this hall has 0.1", "version-other", "lantern-fish", false)]
    #[case("checksum mismatch in plugin kelp_nets", "content-differs", "kelp_nets", false)]
    fn names_that_nobody_knows(#[case] line: &str, #[case] means: &str, #[case] named: &str, #[case] is_known: bool) {
        let hint = needles().hints((Source::ServerLog, 1), line, "").remove(0);
        let said = serde_json::to_value(hint.means).expect("a word");
        assert_eq!(
            (said.as_str(), hint.mod_id.as_ref().map(FoldedId::as_str), hint.is_known),
            (Some(means), Some(named), is_known)
        );
        assert_eq!(&Regex::new(&hint.pattern.line).expect("a regex").captures(line).expect("known")["mod"], named);
    }

    #[rstest]
    #[case("Osier", "kicked Osier: fog is outdated", r"kicked\s+(?<player>\S+):\s+(?<mod>\S+)\s+is\s+outdated")]
    #[case("mod", "kicked mod: fog is outdated", r"kicked\s+(?<player>\S+):\s+(?<mod>\S+)\s+is\s+outdated")]
    #[case("s", "fog is outdated", r"(?<mod>\S+)\s+is\s+outdated")]
    #[case("found", "fog 1.2 is outdated for found", r"(?<mod>\S+)\s+(?<found>\S+)\s+is\s+outdated\s+for\s+found")]
    fn a_pattern_does_not_hold_the_players_name(#[case] player: &str, #[case] line: &str, #[case] pattern: &str) {
        let needles = needles();
        let mut reader = HintReader::new(&needles, Source::ServerLog, Some(player), &[]);
        assert_eq!(reader.line(1, line.as_bytes(), false).remove(0).pattern.line, pattern);
    }

    #[test]
    fn what_is_said_of_another_player_is_not_of_this_one() {
        let log = "Handshake with Osier: incompatible mods\n  missing: fog\n  fog-horn 1.0 here, 1.1 on the server\nWarm today\n  missing: snowtrack\nHandshake with Juniper: these are missing\n  - fog-horn\n  - kelp-nets";
        let rules = crate::rulebook::of_logs(
            "[[event]]\nmeans = \"join-tried\"\nin = \"server-log\"\nline = '(?<player>\\S+) knocks'",
        )
        .events;
        let mut reader = crate::logs::LogReader::new(&rules, Role::Server, Source::ServerLog);
        ["osier knocks", "juniper knocks"].into_iter().for_each(|line| reader.line(1, line.as_bytes()));
        let events = reader.finish();
        let told = |player: Option<&str>| -> Vec<(u64, String)> {
            let needles = needles();
            let mut reader = HintReader::new(&needles, Source::ServerLog, player, &events);
            let lines = log.lines().zip(1..);
            lines
                .flat_map(|(line, n)| reader.line(n, line.as_bytes(), false))
                .filter_map(|hint| Some((hint.line, hint.mod_id?.into())))
                .collect()
        };
        let own = |told: &[(u64, &str)]| -> Vec<(u64, String)> {
            told.iter().map(|(n, id)| (*n, (*id).to_owned())).collect()
        };
        let needles = needles();
        let mut reader = HintReader::new(&needles, Source::ServerLog, Some("juniper"), &events);
        let hints: Vec<Hint> =
            log.lines().zip(1..).flat_map(|(line, n)| reader.line(n, line.as_bytes(), false)).collect();
        let below = &hints.last().expect("a hint").pattern;
        assert_eq!(below.line, r"Handshake\s+with\s+(?<player>\S+):\s+these\s+are\s+missing");
        assert_eq!(told(Some("JUNIPER")), own(&[(5, "snowtrack"), (7, "fog-horn"), (8, "kelp-nets")]));
        assert_eq!(told(Some("osier")), own(&[(2, "fog"), (3, "fog-horn"), (5, "snowtrack")]));
        assert_eq!(told(None).len(), 5);
    }

    #[test]
    fn a_header_tells_of_the_lines_below_it() {
        let of = |header: &str| needles().hints((Source::ClientLog, 2), "  - fog 1.2", header);
        let hint = of("12:00:01 The following 2 mods are missing:").remove(0);
        assert_eq!(
            (hint.means, hint.mod_id.as_ref().map(FoldedId::as_str)),
            (Event::Cause(Code::ModMissing), Some("fog"))
        );
        assert_eq!(hint.pattern.line, r"The\s+following\s+\d+\s+mods\s+are\s+missing:");
        assert_eq!(hint.pattern.then.as_deref(), Some(r"\-\s+(?<mod>\S+)\s+(?<expected>\S+)"));
        assert_eq!(of("fog-horn is missing"), []);
    }

    #[rstest]
    #[case("lacks required mods: fog, Snow Track", r"lacks\s+required\s+mods:\s+(?<mods>.+)", ",")]
    #[case("missing [fog@1.2; fog-horn@1.0] here", r"missing\s+\[(?<mods>.+?)\s+here", ";")]
    fn a_list_in_one_line_is_each_of_its_mods(#[case] line: &str, #[case] pattern: &str, #[case] between: &str) {
        let hints = needles().hints((Source::ServerLog, 1), line, "");
        assert_eq!((hints.len(), hints[0].mod_id.as_ref().map(FoldedId::as_str)), (2, Some("fog")));
        assert_eq!((hints[1].pattern.line.as_str(), hints[0].pattern.between), (pattern, Some(between)));
        let one = needles().hints((Source::ServerLog, 1), "fog is missing, says fog-horn", "");
        assert_eq!(one.len(), 1, "that is no list");
    }

    #[rstest]
    #[case(
        "[06:12:01] [main/ERROR]: mod snowtrack 3.1.0 is outdated, server wants 3.2.1",
        r"mod\s+(?<mod>\S+)\s+(?<found>\S+)\s+is\s+outdated,\s+server\s+wants\s+(?<expected>\S+)"
    )]
    #[case("2026-11-27 06:12:01 could not open fog.psm (5)", r"could\s+not\s+open\s+(?<mod>\S+)\s+\(\d+\)")]
    #[case("fog: missing", r"(?<mod>\S+):\s+missing")]
    #[case(
        "Snow Track checksum 5f3a21 is not 77ab01",
        r"^\s*(?<mod>[^\s\[\]:|][^\[\]:|]*?)\s+checksum\s+\w+\s+is\s+not\s+\w+"
    )]
    #[case("18:00:01 Snow Track is outdated", r"\d\s+(?<mod>[^\s\[\]:|][^\[\]:|]*?)\s+is\s+outdated")]
    #[case("[18:00] [io #2] Snow Track is outdated", r"\]\s+(?<mod>[^\s\[\]:|][^\[\]:|]*?)\s+is\s+outdated")]
    #[case("could not open Snow Track", r"could\s+not\s+open\s+(?<mod>.+)")]
    #[case(
        "fog: server wants 2.0, mismatch with 1.9",
        r"(?<mod>\S+):\s+server\s+wants\s+(?<expected>\S+),\s+mismatch\s+with\s+(?<found>\S+)"
    )]
    fn the_pattern_that_is_proposed_knows_the_line(#[case] line: &str, #[case] pattern: &str) {
        let hint = needles().hints((Source::ServerLog, 1), line, "").remove(0);
        assert_eq!(hint.pattern.line, pattern);
        let found = Regex::new(&hint.pattern.line).expect("a regex").captures(line).expect("the line is known");
        let named = needles();
        assert_eq!(named.named(&found["mod"]), [&hint.mod_id.expect("a mod")]);
    }
}
