//! Words of failure, and what they mean when nothing else tells: of a mod that is named near them, or by themselves.

use std::borrow::Cow;
use std::ops::Range;
use std::sync::LazyLock;

use aho_corasick::AhoCorasick;
use regex::Regex;

use super::abroad::ABROAD;
use crate::base::finding::Code;
use crate::logs::health::OUT_OF_MEMORY;
use crate::rulebook::Event;

/// What each means when a mod is named near it; the most telling first.
const CLASSES: [(Event, &[&str]); 11] = [
    (Event::OutOfMemory, OUT_OF_MEMORY),
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
    (Event::Cause(Code::Conflict), &["conflict", "clashes with", "incompatible with each other"]),
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
            "sums ",
            "sum ",
            "hash",
            "crc",
            "corrupt",
            "damaged",
            "modified",
            "tampered",
            "altered",
            "integrity",
            "digest",
            "fingerprint",
            "other contents",
            "contents differ",
            "size mismatch",
            "md5",
            "sha1",
            "sha256",
            "validation",
            "verification failed",
            "failed verification",
            "failed to verify",
            "not identical",
            "not the same file",
            "not the same byte",
            "not the same content",
            "other file",
            "another file",
            "different file",
            "different content",
            "different byte",
            "other byte",
            "other content",
            "file differs",
            "files differ",
            "bytes differ",
            "doctored",
            "meddled",
            "edited",
            "patched locally",
            "has changed",
            "have changed",
            "was changed",
            "were changed",
            "been changed",
            "was edited",
            "been edited",
            "not the original",
            "other sum",
            "wrong sum",
            "bad sum",
            "bad hash",
            "wrong hash",
            "other hash",
            "seal is",
            "seal of",
            "changed:",
            "changed file",
            "changed byte",
            "changed content",
            "mangled",
            "garbled",
            "forged",
            "faked",
            "bogus",
            "not genuine",
            "not original",
            "reinstall",
            "re-install",
            "download it again",
            "redownload",
            "re-download",
            "verify your files",
            "repair your",
            "repair it",
            "has other data",
            "different data",
            "tinkered",
            "scribbled",
            "fiddled",
            "messed with",
            "hacked",
            "contents",
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
            "other release",
            "another release",
            "wrong release",
            "different release",
            "other build",
            "another build",
            "incorrect version",
            "old version",
            "out of sync",
            "not in sync",
            "unsupported",
            "obsolete",
            "stale",
            "please update",
            "must update",
            "needs updating",
            "update required",
            "outdated",
            "out of date",
            "too old",
            "too new",
            "older",
            "newer",
            "incompatible",
            "mismatch",
            "does not match",
            "not the same",
            "not equal",
            "unequal",
            "doesn't match",
            "differs",
            "but server has",
            "but client has",
            "different:",
            "expected",
        ],
    ),
    (
        Event::Cause(Code::ModMissing),
        &[
            "missing",
            "not found",
            "not installed",
            "please install",
            "must install",
            "need to install",
            "needs to install",
            "required mod",
            "required plugin",
            "required pack",
            "requires the following",
            "not subscribed",
            "not present",
            "could not find",
            "couldn't find",
            "cannot find",
            "can't find",
            "unable to find",
            "does not have",
            "has not",
            "have not",
            "doesn't have",
            "lacks",
            "lack",
            "lacking",
            "is not in",
            "not in it",
            "nowhere",
            "incomplete",
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
            "not approved",
            "unapproved",
            "not authorised",
            "not authorized",
            "unauthorised",
            "unauthorized",
            "disallowed",
            "prohibited",
            "illegal",
            "not on the server",
            "additional mod",
            "additional addon",
            "additional plugin",
            "additional package",
            "extra mod",
            "extra addon",
            "extra plugin",
            "superfluous",
            "not present on the server",
            "not installed on the server",
            "we do not have",
            "we don't have",
            "not needed",
            "does not know",
            "doesn't know",
            "unrecognised",
            "unrecognized",
            "forbidden",
            "surplus",
            "unknown:",
            "unknown item",
            "extra:",
            "surplus:",
            "additional:",
            "unwanted:",
            "outsider",
            "foreign",
            "not ours",
            "does not belong",
            "doesn't belong",
            "not mounted here",
            "not in use here",
            "not known here",
            "not admitted",
            "superfluous",
            "not wanted",
            "not on our list",
            "not play with",
            "not allow",
            "does not use",
            "not used",
            "doesn't use",
            "remove it",
            "uninstall",
            "take it out",
            "take out",
            "must go",
            "has to go",
            "get rid of",
            "remove ",
            "remove:",
            "please delete",
            "delete it",
            "take off",
            "stray",
            "rogue",
            "uninvited",
            "unsolicited",
            "excess",
            "redundant",
            "spurious",
            "alien",
            "too much",
            "too many",
            "must not have",
            "should not have",
            "shouldn't have",
            "not part of",
            "only on client",
            "client only",
            "client-only",
            "only the client",
            "get rid",
            "drop it",
            "unlisted",
            "not listed",
            "not whitelisted",
            "not allowlisted",
            "not allow-listed",
            "blacklisted",
            "nobody here",
            "no one here",
            "no-one here",
            "nobody has",
            "nobody else has",
            "no one has",
            "no-one has",
            "keiner hat",
            "niemand hat",
            "nadie tiene",
            "personne n'a",
            "nessuno ha",
            "ninguém tem",
            "nikt nie ma",
            "ни у кого",
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

/// A key that says whether two are the same, and its value for that they are not.
static SAME: LazyLock<Regex> = LazyLock::new(|| {
    let pattern =
        r#"\b(?:same|equal|identical|intact|match|matches|genuine|original)["']?\s*[=:]\s*["']?(?:0|no|false|f|n)\b"#;
    Regex::new(pattern).expect("a pattern that is written here")
});

static WORDS: LazyLock<(AhoCorasick, Vec<usize>)> = LazyLock::new(|| {
    let words = CLASSES.iter().enumerate().flat_map(|(class, (_, words))| words.iter().map(move |word| (class, *word)));
    let abroad = ABROAD.iter().flat_map(|(means, words)| words.iter().map(move |word| (class_of(means), *word)));
    search_of(words.chain(abroad))
});

/// A search for words, each with its class, and the class of each that is found.
pub fn search_of(words: impl Iterator<Item = (usize, &'static str)>) -> (AhoCorasick, Vec<usize>) {
    let (classes, words): (Vec<usize>, Vec<&str>) = words.unzip();
    (AhoCorasick::new(words).expect("words that are written here"), classes)
}

/// What is denied of a mod that is missing, or of one that is too much, with a word or two between: *is not yet installed*.
static DENIED: LazyLock<Regex> = LazyLock::new(|| {
    let denial = "not|never|cannot|nicht|nie|niet|pas|non|no|não|nao|не|ne|nem|nu|inte|ikke|ei|δεν";
    let held = "loaded|attached|mounted|running|active|activated|enabled|offered|listed|held|owned|subscribed|provided|supplied|in\\s+use";
    let found = "found|installed|present|there\\b|available|gefunden|installiert|vorhanden|geladen|gevonden|geïnstalleerd|aanwezig|encontrad|\
        instalad|cargad|presente|trouvé|installé|présent|chargé|trovat|installat|caricat|carregad|znalezion|zainstalowan|załadowan|найден|\
        установлен|загружен|знайден|встановлен|завантажен|nalezen|nainstalov|načten|hittad|installera|laddad|funnet|fundet|installeret|installert|\
        lastet|indlæst|löydy|ladattu|asennettu|található|telepít|betölt|găsit|instalat|încărcat|βρέθηκε";
    let allowed = "allowed|permitted|approved|wanted|needed|recogni[sz]ed|authori[sz]ed|admitted|welcome|accepted|known|whitelisted|erlaubt|zugelassen|\
        vorgesehen|gewünscht|bekannt|toegestaan|permitid|autorizad|admitid|reconocid|reconhecid|permis|autorisé|admis\\b|prévu|reconnu|permess|\
        ammess|autorizzat|previst|consentit|dozwolon|разреш|допуска|допущен|дозволен|povolen|tillåt|tillat|tilladt|sallit|engedélyez";
    let alike = "same|identical|equal|alike|sama\\b|gleich|dasselbe|derselbe|dieselbe|identisch|dezelfde|hetzelfde|mism[oa]|igual|même|identique|\
        stess[oa]|ugual|mesm[oa]|tak[ai]\\s+sam|t[ea]n?\\s+sam|та\\s+же|тот\\s+же|одинаков|stejn|samma|samme|ugyanaz|aynı|același|aceeași";
    let whose = r"not\s+(?:in|on)\s+(?:the\s+|our\s+|his\s+|her\s+|their\s+|your\s+)?";
    let here = r"here\b|by\s+us|on\s+(?:this|our|the)\s+(?:server|side|host|house|hall)|on\s+ours";
    let present = format!("{held}|{found}");
    let denied = format!(r"(?:\b(?:{denial})|n't)(?:\s+[\p{{L}}']+){{0,2}}\s+");
    let extra = format!(
        r"{denied}(?:{allowed}|(?:{present})\s+(?:{here}))|\b(?:but|and)\s+not\s+(?:{here})|\bkennt\s+(?:\p{{L}}+\s+){{1,3}}nicht\b|\b{whose}(?:server|host|house|hall)\b"
    );
    let missing =
        format!(r"{denied}(?:{present})|\b(?:but|and)\s+not\s+there\b|\b{whose}(?:client|guest|player|peer|visitor)\b");
    let other = format!(r"{denied}(?:{alike})");
    let pattern = format!("(?x)(?<extra>{extra})|(?<missing>{missing})|(?<other>{other})");
    Regex::new(&pattern).expect("a pattern that is written here")
});

/// Where a text, in small letters, has words of failure, and the class of each.
fn said(lower: &str) -> Vec<(Range<usize>, usize)> {
    let (search, of) = &*WORDS;
    let denied: Vec<(Range<usize>, usize)> = DENIED
        .captures_iter(lower)
        .filter_map(|found| {
            let groups = [("extra", Code::ModExtra), ("missing", Code::ModMissing), ("other", Code::VersionOther)];
            let means = groups.into_iter().find(|(name, _)| found.name(name).is_some()).map(|(_, means)| means);
            Some((found.get(0)?.range(), class_of(&Event::Cause(means?))))
        })
        .collect();
    let words = search.find_overlapping_iter(lower).filter(|found| begins_word(lower, found.start()));
    let words = words.map(|found| (found.range(), of[found.pattern().as_usize()]));
    let is_part =
        |word: &Range<usize>| denied.iter().any(|(place, _)| place.start <= word.start && word.end <= place.end);
    let mut found: Vec<(Range<usize>, usize)> = words.filter(|(word, _)| !is_part(word)).collect();
    found.extend(denied);
    found
}

fn class_of(means: &Event) -> usize {
    CLASSES.iter().position(|(class, _)| class == means).unwrap_or(CLASSES.len() - 1)
}

/// A text with what is written in one word as several: `TooManyPlayers`, `too_many_players`, `NO-ROOM`.
pub fn parted(text: &str) -> Cow<'_, str> {
    static JOINED: LazyLock<Regex> = LazyLock::new(|| {
        let pattern =
            r"(?<camel>\p{Ll})(?<next>\p{Lu}\p{Ll})|(?<code>\b\p{Lu}+)[-_](?<part>\p{Lu})|(?<snake>[\p{L}\d])_";
        Regex::new(pattern).expect("a pattern that is written here")
    });
    JOINED.replace_all(text, "$camel$code$snake $next$part")
}

/// What the words of failure in a text mean; nothing where there are none.
pub fn meaning(text: &str) -> Option<Event> {
    let text = &parted(text).to_lowercase();
    let classes: Vec<(usize, bool)> =
        said(text).into_iter().map(|(place, class)| (class, TAME.contains(&&text[place]))).collect();
    if classes.iter().all(|(_, is_tame)| *is_tame) && classes.len() < 2 {
        return SAME.is_match(text).then_some(Event::Cause(Code::ContentDiffers));
    }
    classes.into_iter().min().map(|(class, _)| CLASSES[class].0)
}

/// Whether the words of failure in a text say that something is too much.
pub fn says_unwanted(text: &str) -> bool {
    meaning(text) == Some(Event::Cause(Code::ModExtra))
}

/// What words mean that only report, where something is known to have failed.
pub fn tame_meaning(text: &str) -> Option<Event> {
    said(&text.to_lowercase()).into_iter().map(|(_, class)| class).min().map(|class| CLASSES[class].0)
}

/// Whether a text only says that two are not the same, and not what of them.
pub fn is_vague(text: &str) -> bool {
    const VAGUE: [&str; 10] = [
        "differ",
        "mismatch",
        "not the same",
        "not equal",
        "unequal",
        "not match",
        "n't match",
        "out of sync",
        "not in sync",
        "different",
    ];
    const OF_VERSIONS: [&str; 9] =
        ["version", "release", "build", "old", "new", "stale", "obsolete", "outdated", "update"];
    let lower = text.to_lowercase();
    VAGUE.iter().any(|word| lower.contains(word)) && !OF_VERSIONS.iter().any(|word| lower.contains(word))
}

/// A text with blanks for its words of failure, and for what is written together with those.
pub fn without_words(text: &str) -> String {
    // Letters whose small forms are longer would shift all places.
    let lower = text.to_lowercase();
    if lower.len() != text.len() {
        return text.to_owned();
    }
    let is_part = |c: char| c.is_alphanumeric() || matches!(c, '_' | '-');
    let mut out = text.to_owned();
    for (Range { start, end }, _) in said(&lower) {
        let start = text[..start].trim_end_matches(is_part).len();
        let end = text.len() - text[end..].trim_start_matches(is_part).len();
        out.replace_range(start..end, &" ".repeat(end - start));
    }
    out
}

/// Where a text has words that mean this, the longest of them.
pub fn said_at(text: &str, means: Event) -> Option<Range<usize>> {
    let lower = text.to_lowercase();
    let class = CLASSES.iter().position(|(own, _)| *own == means)?;
    let found = said(&lower).into_iter().filter(|(_, own)| *own == class && lower.len() == text.len());
    found.map(|(place, _)| place).max_by_key(ExactSizeIterator::len)
}

/// What a text whose words mean this tells of the game's version, or of that of its loader, which is called so.
pub fn of_platform(meaning: Option<Event>, text: &str, loader: Option<&str>) -> Option<Event> {
    if meaning? != Event::Cause(Code::VersionOther) {
        return None;
    }
    let lower = text.to_lowercase();
    if loader.is_some_and(|loader| lower.contains(loader)) {
        return Some(Event::Cause(Code::LoaderDiffers));
    }
    GAME_WORDS.iter().any(|word| lower.contains(word)).then_some(Event::Cause(Code::GameDiffers))
}

/// What a text may mean that names no mod, the most frequent first; nothing where it speaks neither of mods nor of versions.
pub fn meanings(meaning: Option<Event>, text: &str, loader: Option<&str>) -> Vec<Event> {
    use Code::*;
    if let Some(platform) = of_platform(meaning, text, loader) {
        return vec![platform];
    }
    let causes: &[Code] = match meaning {
        Some(Event::Cause(VersionOther)) => {
            let lower = text.to_lowercase();
            match ["version", "older", "newer", "date", "old"].iter().any(|word| lower.contains(word)) {
                true => &[VersionOther, ModMissing, ContentDiffers],
                false => &[ModMissing, VersionOther, ContentDiffers, ModExtra],
            }
        }
        Some(means @ (Event::Cause(_) | Event::OutOfMemory)) => return vec![means],
        // That something failed says nothing yet.
        _ => &[],
    };
    causes.iter().copied().map(Event::Cause).collect()
}

/// Whether a word begins at a place. What Chinese, Japanese and Korean are written with stands without blanks between words.
pub fn begins_word(text: &str, start: usize) -> bool {
    let is_unparted =
        |c: char| matches!(c, '\u{3040}'..='\u{30ff}' | '\u{3400}'..='\u{9fff}' | '\u{ac00}'..='\u{d7af}');
    let before = text[..start].chars().next_back();
    before.is_none_or(|before| !before.is_alphanumeric() || is_unparted(before))
        || text[start..].starts_with(is_unparted)
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case("fog is out of sync", Some("version-other"))]
    #[case("please update fog", Some("version-other"))]
    #[case("you must install fog", Some("mod-missing"))]
    #[case("fog is not authorised here", Some("mod-extra"))]
    #[case("MD5 of fog is wrong", Some("content-differs"))]
    #[case("fog conflicts with rain", Some("conflict"))]
    #[case("fog was loaded before rain: error", Some("list-order"))]
    #[case("could not read fog", Some("mod-failed"))]
    #[case("fog was found and is newer", None)]
    #[case("a refailed thing", None)]
    #[case("expected: older", Some("version-other"))]
    #[case("ОТСУТСТВУЕТ МОД fog", Some("mod-missing"))]
    #[case("玩家osier缺少模组fog", Some("mod-missing"))]
    #[case("el contenido de fog no coincide", Some("content-differs"))]
    #[case("brakuje fog", Some("mod-missing"))]
    #[case("o mod fog não é permitido neste servidor", Some("mod-extra"))]
    #[case("fog is not yet installed", Some("mod-missing"))]
    #[case("fog isn't really wanted", Some("mod-extra"))]
    #[case("fog wurde nicht mehr gefunden", Some("mod-missing"))]
    #[case("fog is not attached on his side", Some("mod-missing"))]
    #[case("fog is attached there but not here", Some("mod-extra"))]
    #[case("fog is attached here but not there", Some("mod-missing"))]
    #[case("fog is not loaded on this server", Some("mod-extra"))]
    #[case("fog kennt dieser Server nicht", Some("mod-extra"))]
    #[case("fog not in server list", Some("mod-extra"))]
    #[case("fog is not on the client's list", Some("mod-missing"))]
    #[case("mod fog not whitelisted", Some("mod-extra"))]
    #[case("fog ei ole sama kuin palvelimella", Some("version-other"))]
    #[case("fog is not the same file", Some("content-differs"))]
    #[case("o mod fog não está instalado", Some("mod-missing"))]
    #[case("мод fog ещё не установлен", Some("mod-missing"))]
    #[case("fog ist hier nicht vorgesehen", Some("mod-extra"))]
    #[case("fog non è ammesso", Some("mod-extra"))]
    #[case("there is now a present for fog", None)]
    #[case("fog was found, and nothing else is needed", None)]
    #[case("MOD fogが見つかりません", Some("mod-missing"))]
    #[case("fogのバージョンが違います", Some("version-other"))]
    #[case("fog 버전이 다릅니다", Some("version-other"))]
    #[case("fog eksik", Some("mod-missing"))]
    #[case("fog neznámý doplněk", Some("mod-extra"))]
    #[case("fog: файл змінено", Some("content-differs"))]
    #[case("We do not play with fog. Remove it first.", Some("mod-extra"))]
    #[case("fog is installed on the client but not on the server", Some("mod-extra"))]
    #[case("Client has additional mod fog (1.2.0)", Some("mod-extra"))]
    #[case("superfluous(fog 1.2)", Some("mod-extra"))]
    #[case("ModForbiddenException: fog", Some("mod-extra"))]
    #[case("E_MOD_ABSENT fog", Some("mod-missing"))]
    #[case("fog is nowhere among their mods", Some("mod-missing"))]
    #[case("nobody here plays with fog", Some("mod-extra"))]
    fn words_of_failure(#[case] text: &str, #[case] means: Option<&str>) {
        let said = serde_json::to_value(meaning(text)).expect("a word");
        assert_eq!(said.as_str(), means);
    }

    #[test]
    fn the_loader_and_the_game_have_versions_too() {
        let of_platform = |text, loader| of_platform(meaning(text), text, loader);
        assert_eq!(of_platform("Trellis is too old", Some("trellis")), Some(Event::Cause(Code::LoaderDiffers)));
        assert_eq!(of_platform("wrong protocol: outdated", None), Some(Event::Cause(Code::GameDiffers)));
        assert_eq!(of_platform("Trellis is not installed", Some("trellis")), None);
    }

    #[rstest]
    #[case("Mod mismatch", &["mod-missing", "version-other", "content-differs", "mod-extra"])]
    #[case("You have the wrong version of a mod", &["version-other", "mod-missing", "content-differs"])]
    #[case("client version differs", &["game-differs"])]
    #[case("a mod is not signed", &["signature-bad"])]
    #[case("an error occurred", &[])]
    #[case("the server is full", &[])]
    fn what_words_alone_may_mean(#[case] text: &str, #[case] means: &[&str]) {
        assert_eq!(serde_json::to_value(meanings(meaning(text), text, None)).expect("words"), serde_json::json!(means));
    }
}
