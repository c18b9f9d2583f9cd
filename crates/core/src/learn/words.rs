//! What the look of a value or a key suggests: versions, ranges, ids, and the everyday words that games use for them.

use std::sync::LazyLock;

use regex::Regex;

use crate::rulebook::RelationKind;

fn regex(pattern: &str) -> Regex {
    #[expect(clippy::expect_used, reason = "the patterns are constants, and the tests use every one")]
    Regex::new(pattern).expect("a constant pattern")
}

static VERSION: LazyLock<Regex> =
    LazyLock::new(|| regex(r"^[vV]?\d+(?:[._]\d+)*(?:[-+._]?[A-Za-z][\w.+-]*)?(?:[-+][\w.]+)*$"));
static DATE: LazyLock<Regex> = LazyLock::new(|| {
    regex(
        r"^(?:(?:19|20)\d\d[-./]?(?:0[1-9]|1[0-2])[-./]?(?:0[1-9]|[12]\d|3[01])|(?:0?[1-9]|[12]\d|3[01])[./](?:0?[1-9]|1[0-2])[./](?:19|20)\d\d)(?:[-._ ]\w+)*$",
    )
});
static SEMVER: LazyLock<Regex> = LazyLock::new(|| regex(r"^\d+\.\d+\.\d+(?:-[0-9A-Za-z.-]+)?(?:\+[0-9A-Za-z.-]+)?$"));
static INTERVAL: LazyLock<Regex> = LazyLock::new(|| regex(r"^\s*[\[(]\s*[^,\[\]()]*(?:,[^,\[\]()]*)?[\])]"));
static COMPARATORS: LazyLock<Regex> = LazyLock::new(|| regex(r"^\s*(?:[<>]=?|==?|\^|~>?|!=)\s*v?\d"));
static WILDCARD: LazyLock<Regex> = LazyLock::new(|| regex(r"^v?\d+(?:\.\d+)*\.[xX*]$"));
static SLUG: LazyLock<Regex> = LazyLock::new(|| regex(r"^[\p{L}\p{N}@][\p{L}\p{N}_.:@/+\-]{0,119}$"));
static PLACEHOLDER: LazyLock<Regex> = LazyLock::new(|| regex(r"^\s*(?:\$\{.*\}|@\w+@|%\w+%|\{\{.*\}\}|#\{.*\})\s*$"));

/// What may stand between words of a line, as a class of a regex.
pub const BETWEEN: &str = r#"[ \t\r=:;,|()<>{}\[\]"]"#;
/// A word of a line, as a regex.
pub const WORD: &str = r#"[^\s=:;,|()<>{}\[\]"]+"#;

/// So many words of a line are looked at, and none of a line that is longer: that is for people.
pub const WORDS_OF_LINE: usize = 12;
const LONGEST_LINE: usize = 200;

/// The first words of a line, parted by what `BETWEEN` says.
pub fn words_of_line(line: &str) -> impl Iterator<Item = &str> {
    let is_between = |c: char| c.is_whitespace() || "=:;,|()<>{}[]\"".contains(c);
    let short = if line.len() <= LONGEST_LINE { line } else { "" };
    short.split(is_between).filter(|word| !word.is_empty()).take(WORDS_OF_LINE)
}

/// A text as a regex that means just it, without escapes that a reader would stumble over.
pub fn plain_regex(text: &str) -> String {
    regex::escape(text)
        .replace(r"\-", "-")
        .replace(r"\ ", " ")
        .replace(r"\#", "#")
        .replace(r"\&", "&")
        .replace(r"\~", "~")
}

/// What the head of a text states in a line: `Key: value`, `key = value`, and `@key value`, as scripts have it in comments. A key of
/// the last kind keeps its sign.
pub fn stated(line: &str) -> Option<(&str, &str)> {
    let found = STATED.captures(line)?;
    let key = found.name("tag").or_else(|| found.name("key"))?;
    Some((key.as_str(), found.name("value")?.as_str()))
}

/// The same where nothing but a blank stands between a word and what it says: `Version 1.2`. The key keeps the blank. Much else is
/// written so, so that word and value must speak for themselves.
pub fn stated_plainly(line: &str) -> Option<(&str, &str)> {
    let line = line.trim().trim_start_matches(['/', '#', ';', '*', '-', ' ', '\t']);
    let at = line.find([' ', '\t']).filter(|at| *at > 1 && *at < 40)?;
    let (key, value) = (&line[..=at], line[at..].trim());
    let is_word = key.trim_end().chars().all(|c| c.is_alphabetic() || matches!(c, '_' | '-'));
    (is_word && !value.is_empty()).then_some((key, value))
}

static STATED: LazyLock<Regex> = LazyLock::new(|| {
    regex(
        r"^[\s/#;*-]*(?:(?<tag>@[A-Za-z][\w.-]{0,38})(?:\s*[:=]\s*|\s+)|@*(?<key>[A-Za-z][\w .-]{0,38}?)\s*[:=]\s*)(?<value>\S.*?)\s*$",
    )
});

/// The beginning of a pattern for lines that state a key, up to the value.
pub fn stating(key: &str) -> String {
    // A blank, and no end of a line: what states nothing would be given the next line.
    if let Some(word) = key.strip_suffix([' ', '\t']) {
        return format!(r"(?m)^[ \t/#;*-]*{}[ \t]+", plain_regex(word));
    }
    let between = if key.starts_with('@') { r"(?:[ \t]*[:=][ \t]*|[ \t]+)" } else { r"[ \t]*[:=][ \t]*" };
    format!(r"(?m)^[ \t/#;*@-]*{}{between}", plain_regex(key))
}

/// Whether a text looks like a version.
pub fn is_version(text: &str) -> bool {
    text.len() <= 60 && (VERSION.is_match(text) || DATE.is_match(text))
}

/// Whether a text looks like a date.
pub fn is_date(text: &str) -> bool {
    DATE.is_match(text)
}

/// Whether a text follows Semantic Versioning to the letter.
pub fn is_semver(text: &str) -> bool {
    SEMVER.is_match(text)
}

/// How requirements are written, as far as one of them tells.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum RangeLook {
    /// In brackets.
    Interval,
    /// With signs or wildcards.
    Comparators,
    /// A version as it stands.
    Bare,
    /// Any.
    Any,
}

/// What a text looks like as a requirement.
pub fn range_look(text: &str) -> Option<RangeLook> {
    let text = text.trim();
    if INTERVAL.is_match(text) && text.chars().any(|c| c.is_ascii_digit()) {
        Some(RangeLook::Interval)
    } else if COMPARATORS.is_match(text) || WILDCARD.is_match(text) {
        Some(RangeLook::Comparators)
    } else if text == "*" || text.eq_ignore_ascii_case("any") {
        Some(RangeLook::Any)
    } else {
        is_version(text).then_some(RangeLook::Bare)
    }
}

/// Whether a text could be an id: one word, no address.
pub fn is_slug(text: &str) -> bool {
    SLUG.is_match(text) && !text.contains("//")
}

/// Whether a text stands for a value that the build was to fill in.
pub fn is_placeholder(text: &str) -> bool {
    PLACEHOLDER.is_match(text)
}

/// Letters and digits in lower case, for comparing names that are written differently.
pub fn folded(text: &str) -> String {
    text.chars().filter(|c| c.is_alphanumeric()).flat_map(char::to_lowercase).collect()
}

/// The words of a key: `minGameVersion`, `min_game_version` and `min-game-version` have three.
pub fn words(key: &str) -> Vec<String> {
    let mut words: Vec<String> = Vec::new();
    let mut last_lower = false;
    let mut fresh = true;
    for c in key.chars() {
        if !c.is_alphanumeric() {
            fresh = true;
            continue;
        }
        if fresh || (last_lower && c.is_uppercase()) {
            words.push(String::new());
        }
        if let Some(word) = words.last_mut() {
            word.extend(c.to_lowercase());
        }
        (fresh, last_lower) = (false, c.is_lowercase());
    }
    words
}

/// Whether any word of a key begins with one of these.
pub fn hints(key: &str, starts: &[&str]) -> bool {
    words(key).iter().any(|word| starts.iter().any(|start| word.starts_with(start)))
}

/// The kind of relation that a key speaks of, by everyday words.
pub fn relation_kind(key: &str) -> Option<RelationKind> {
    let own = words(key);
    let has = |starts: &[&str], whole: &[&str]| {
        own.iter().any(|word| starts.iter().any(|start| word.starts_with(start)) || whole.contains(&word.as_str()))
    };
    if has(&["conflict", "incompat", "breaks", "clash", "forbid", "exclude"], &["bar", "bars", "against", "not"]) {
        Some(RelationKind::Conflicting)
    } else if has(&["precede", "loadbefore"], &["before"]) {
        Some(RelationKind::LoadBefore)
    } else if has(&["follow", "loadafter"], &["after"]) {
        Some(RelationKind::LoadAfter)
    } else if has(
        &["optional", "recommend", "suggest", "enhance", "softdep", "optdep"],
        &["opt", "like", "likes", "soft", "may"],
    ) {
        Some(RelationKind::Optional)
    } else if has(
        &["depend", "require", "relies"],
        &["dep", "deps", "req", "reqs", "need", "needs", "needed", "want", "wants", "use", "uses", "must"],
    ) {
        Some(RelationKind::Required)
    } else {
        None
    }
}

/// The kind of relation that a word inside an entry stands for; `Some(None)` for no relation at all.
pub fn kind_word(word: &str) -> Option<Option<RelationKind>> {
    let word = word.to_lowercase();
    let starts = |all: &[&str]| all.iter().any(|start| word.starts_with(start));
    if starts(&["embed", "hold", "bundle", "include", "contain", "ship"]) {
        Some(None)
    } else if starts(&["opt", "soft", "suggest", "recommend", "like", "may"]) {
        Some(Some(RelationKind::Optional))
    } else if starts(&["incompat", "conflict", "break", "bar", "forbid", "clash", "discourage"]) {
        Some(Some(RelationKind::Conflicting))
    } else if starts(&["before"]) {
        Some(Some(RelationKind::LoadBefore))
    } else if starts(&["after"]) {
        Some(Some(RelationKind::LoadAfter))
    } else if starts(&["req", "need", "want", "dep", "hard", "must", "mandatory"]) {
        Some(Some(RelationKind::Required))
    } else {
        None
    }
}

/// Where a mod is needed, by everyday words.
pub fn side_word(word: &str) -> Option<&'static str> {
    match word.to_lowercase().as_str() {
        "both" | "all" | "*" | "universal" | "common" | "everywhere" | "shared" | "always" | "everyone" | "any" => {
            Some("both")
        }
        "server" | "dedicated" | "dedicated_server" | "host" | "server-only" | "serverside" | "server_only" => {
            Some("server")
        }
        "client" | "client-only" | "clientside" | "client_only" | "player" | "players" => Some("client"),
        "optional" | "either" => Some("optional"),
        _ => None,
    }
}

/// A word without the signs around it.
pub fn without_signs(word: &str) -> &str {
    word.trim_matches(|c: char| !c.is_alphanumeric())
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case("1.2.0", true)]
    #[case("v3", true)]
    #[case("0.9.1-rc2+build.5", true)]
    #[case("2026-11-03", true)]
    #[case("1.20.1_b", true)]
    #[case("reed", false)]
    #[case("12 reeds", false)]
    #[case("", false)]
    fn versions(#[case] text: &str, #[case] expected: bool) {
        assert_eq!(is_version(text), expected);
    }

    #[rstest]
    #[case("[1.0,2.0)", Some(RangeLook::Interval))]
    #[case(">=1.2 <2", Some(RangeLook::Comparators))]
    #[case("1.2.*", Some(RangeLook::Comparators))]
    #[case("*", Some(RangeLook::Any))]
    #[case("1.4", Some(RangeLook::Bare))]
    #[case("[note]", None)]
    #[case("reed", None)]
    fn ranges(#[case] text: &str, #[case] expected: Option<RangeLook>) {
        assert_eq!(range_look(text), expected);
    }

    #[rstest]
    #[case("requiredMods", Some(RelationKind::Required))]
    #[case("optional-deps", Some(RelationKind::Optional))]
    #[case("load_after", Some(RelationKind::LoadAfter))]
    #[case("incompatible", Some(RelationKind::Conflicting))]
    #[case("authors", None)]
    fn kinds_by_key(#[case] key: &str, #[case] expected: Option<RelationKind>) {
        assert_eq!(relation_kind(key), expected);
    }

    #[test]
    fn looks() {
        assert!(is_placeholder("${version}") && is_placeholder("@VERSION@") && !is_placeholder("1.0"));
        assert!(is_slug("reed-lamps") && !is_slug("Reed Lamps") && !is_slug("https://x"));
        assert!(is_date("20261103") && is_semver("1.2.3-rc.1") && !is_semver("1.2"));
        assert_eq!(words("minGame_version"), ["min", "game", "version"]);
        assert_eq!(folded("Reed-Lamps 2"), "reedlamps2");
        assert_eq!((side_word("Client"), side_word("bog")), (Some("client"), None));
        assert_eq!(kind_word("embedded"), Some(None));
    }
}
