//! What one mod requires of another's version, in the notations that games use.

use std::cmp::Ordering;

use super::{Scheme, Version, Versions};

/// How requirements are written.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Ranges {
    /// `>=1.2 <2`, `^1.2`, `~1.2`, `1.2.*`, `1.2 - 1.9`, alternatives with `||`.
    #[default]
    Comparators,
    /// `[1.2,2.0)`, `(,2.0]`, `[1.5]`, alternatives side by side: `[1,2),[3,4)`.
    Intervals,
    /// The version itself.
    Exact,
}

/// What a requirement without any sign means.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Bare {
    /// Just that version.
    #[default]
    Exact,
    /// That version or any later one.
    AtLeast,
    /// That version or a later one that does not change its leading number.
    Compatible,
}

/// A requirement that can be asked whether it admits a version.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Requirement {
    text: String,
    any_of: Vec<Vec<Bound>>,
}

#[derive(Debug, Clone, PartialEq, Eq)]
struct Bound {
    sign: Sign,
    version: Version,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Sign {
    Less,
    AtMost,
    Equal,
    Other,
    AtLeast,
    More,
}

/// Why a text is no requirement.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("`{text}` is no requirement: {reason}")]
pub struct RequirementError {
    text: String,
    reason: RequirementFlaw,
}

/// What is wrong in a requirement.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
enum RequirementFlaw {
    #[error("`{0}` is no version; signs are written as >=, <=, >, <, =, !=")]
    OddSign(String),
    #[error("`{0}` is no version in this game's scheme")]
    NoVersion(String),
    #[error("an alternative is empty")]
    EmptyAlternative,
    #[error("only versions made of numbers have a next one; write `>=` and `<`")]
    NoNext,
    #[error("`{0}` does not begin with a number")]
    NoNumber(String),
    #[error("an interval is not closed")]
    OpenInterval,
    #[error("expected another interval at `{0}`")]
    NoInterval(String),
    #[error("an interval is empty")]
    EmptyInterval,
    #[error("an interval of one version must be closed on both sides: `[1.2]`")]
    HalfOpen,
}

type Parsing<T> = Result<T, RequirementFlaw>;

impl Requirement {
    /// Reads a requirement in the grammar of a rulebook. An interval is understood in every grammar but `exact`.
    ///
    /// # Errors
    /// When the text is not in that grammar, or names a version that the scheme does not understand.
    pub fn parse(text: &str, versions: Versions) -> Result<Self, RequirementError> {
        let trimmed = text.trim();
        let any_of = match versions.ranges {
            _ if is_any_word(trimmed) => Ok(vec![Vec::new()]),
            Ranges::Exact => bound(Sign::Equal, trimmed, versions.scheme).map(|b| vec![vec![b]]),
            _ if trimmed.starts_with(['[', '(', ']']) => intervals(trimmed, versions.scheme),
            _ => alternatives(trimmed, versions),
        };
        any_of
            .map(|any_of| Self { text: trimmed.to_owned(), any_of })
            .map_err(|reason| RequirementError { text: text.chars().take(200).collect(), reason })
    }

    /// As it was written.
    pub fn text(&self) -> &str {
        &self.text
    }

    /// Whether every version will do.
    pub fn is_any(&self) -> bool {
        self.any_of.iter().any(Vec::is_empty)
    }

    /// Whether it speaks of a state before a release, and so asks for such states.
    pub fn names_prerelease(&self) -> bool {
        self.any_of.iter().flatten().any(|bound| bound.version.is_prerelease())
    }

    /// The one version that it admits, if it is written as just that.
    pub fn exactly(&self) -> Option<&str> {
        match self.any_of.as_slice() {
            [all] => match all.as_slice() {
                [Bound { sign: Sign::Equal, version }] => Some(version.text()),
                _ => None,
            },
            _ => None,
        }
    }

    /// Whether a version will do.
    ///
    /// `<2.0` does not admit `2.0-rc1`: an upper bound that is a release shuts out its own pre-releases.
    pub fn admits(&self, version: &Version) -> bool {
        self.any_of.iter().any(|all| all.iter().all(|bound| bound.admits(version)))
    }
}

impl Bound {
    fn admits(&self, version: &Version) -> bool {
        let order = version.compare(&self.version);
        match (self.sign, order) {
            (Sign::Other, order) => order != Some(Ordering::Equal),
            (_, None) => false,
            (Sign::Equal, Some(order)) => order.is_eq(),
            (Sign::AtLeast, Some(order)) => order.is_ge(),
            (Sign::More, Some(order)) => order.is_gt(),
            (Sign::AtMost, Some(order)) => order.is_le(),
            (Sign::Less, Some(order)) => order.is_lt() && !self.shuts_out_prerelease(version),
        }
    }

    fn shuts_out_prerelease(&self, version: &Version) -> bool {
        version.is_prerelease()
            && !self.version.is_prerelease()
            && version.release().compare(&self.version) == Some(Ordering::Equal)
    }
}

fn is_any_word(text: &str) -> bool {
    matches!(text.to_lowercase().as_str(), "" | "*" | "x" | "any")
}

fn bound(sign: Sign, version: &str, scheme: Scheme) -> Parsing<Bound> {
    // `=>1.2` is a slip for `>=1.2`, and no version that begins with a sign.
    if version.trim_start().starts_with(['<', '>', '=', '^', '~', '!']) {
        return Err(RequirementFlaw::OddSign(version.to_owned()));
    }
    let version = scheme.parse(version).ok_or_else(|| RequirementFlaw::NoVersion(version.to_owned()))?;
    Ok(Bound { sign, version })
}

fn alternatives(text: &str, versions: Versions) -> Parsing<Vec<Vec<Bound>>> {
    text.split("||").flat_map(|part| part.split('|')).map(|part| conjunction(part.trim(), versions)).collect()
}

fn conjunction(text: &str, versions: Versions) -> Parsing<Vec<Bound>> {
    if text.is_empty() {
        return Err(RequirementFlaw::EmptyAlternative);
    }
    if let Some((low, high)) = text.split_once(" - ") {
        return Ok(vec![
            bound(Sign::AtLeast, low.trim(), versions.scheme)?,
            bound(Sign::AtMost, high.trim(), versions.scheme)?,
        ]);
    }
    let mut bounds = Vec::new();
    for piece in pieces(text) {
        bounds.extend(comparator(&piece, versions)?);
    }
    Ok(bounds)
}

/// Splits at commas, ampersands and blanks, but keeps a sign with the version after it.
fn pieces(text: &str) -> Vec<String> {
    let mut pieces: Vec<String> = Vec::new();
    for word in text.split([',', '&', ' ', '\t']).filter(|word| !word.is_empty()) {
        match pieces.last_mut() {
            Some(last) if last.ends_with(['<', '>', '=', '^', '~', '!']) => last.push_str(word),
            _ => pieces.push(word.to_owned()),
        }
    }
    pieces
}

const SIGNS: [(&str, Sign); 7] = [
    (">=", Sign::AtLeast),
    ("<=", Sign::AtMost),
    ("!=", Sign::Other),
    ("==", Sign::Equal),
    (">", Sign::More),
    ("<", Sign::Less),
    ("=", Sign::Equal),
];

fn comparator(piece: &str, versions: Versions) -> Parsing<Vec<Bound>> {
    let scheme = versions.scheme;
    if is_any_word(piece) {
        return Ok(Vec::new());
    }
    if let Some(rest) = piece.strip_prefix("~>") {
        return span(rest, step_before_last(rest), scheme);
    }
    if let Some(rest) = piece.strip_prefix('~') {
        return span(rest, 1, scheme);
    }
    if let Some(rest) = piece.strip_prefix('^') {
        return span(rest, leading(rest), scheme);
    }
    if let Some(stem) = wildcard_stem(piece) {
        let last = stem.split('.').count() - 1;
        return span(stem, last, scheme);
    }
    if let Some((sign, kind)) = SIGNS.iter().find(|(sign, _)| piece.starts_with(sign)) {
        return Ok(vec![bound(*kind, &piece[sign.len()..], scheme)?]);
    }
    bare(piece, versions)
}

fn bare(piece: &str, versions: Versions) -> Parsing<Vec<Bound>> {
    match versions.bare {
        Bare::Exact => Ok(vec![bound(Sign::Equal, piece, versions.scheme)?]),
        Bare::AtLeast => Ok(vec![bound(Sign::AtLeast, piece, versions.scheme)?]),
        Bare::Compatible => span(piece, leading(piece), versions.scheme),
    }
}

fn wildcard_stem(piece: &str) -> Option<&str> {
    let piece = piece.strip_prefix('=').unwrap_or(piece);
    let stem = piece.strip_suffix(".*").or_else(|| piece.strip_suffix(".x")).or_else(|| piece.strip_suffix(".X"))?;
    Some(wildcard_stem(stem).unwrap_or(stem))
}

/// The numbers that a version begins with.
fn numbers(version: &str) -> Vec<u64> {
    let version = version.trim().trim_start_matches(['v', 'V']);
    let core = version.split(|c: char| !c.is_ascii_digit() && c != '.').next().unwrap_or("");
    core.split('.').map_while(|part| part.parse().ok()).collect()
}

/// Where the first number that is not zero stands: what a caret must not change.
fn leading(version: &str) -> usize {
    let numbers = numbers(version);
    numbers.iter().position(|n| *n != 0).unwrap_or(numbers.len().saturating_sub(1))
}

fn step_before_last(version: &str) -> usize {
    numbers(version).len().saturating_sub(2)
}

/// From `low` up to, not including, the next version at `index` (or at its last number, if that is earlier).
fn span(low: &str, index: usize, scheme: Scheme) -> Parsing<Vec<Bound>> {
    if !matches!(scheme, Scheme::SemVer | Scheme::Dotted) {
        return Err(RequirementFlaw::NoNext);
    }
    let mut upper = numbers(low);
    if upper.is_empty() {
        return Err(RequirementFlaw::NoNumber(low.to_owned()));
    }
    upper.truncate(index + 1);
    if let Some(last) = upper.last_mut() {
        *last = last.saturating_add(1);
    }
    let upper = upper.iter().map(u64::to_string).collect::<Vec<_>>().join(".");
    Ok(vec![bound(Sign::AtLeast, low.trim(), scheme)?, bound(Sign::Less, &upper, scheme)?])
}

fn intervals(text: &str, scheme: Scheme) -> Parsing<Vec<Vec<Bound>>> {
    let mut rest = text.trim();
    let mut found = Vec::new();
    while !rest.is_empty() {
        let end = rest[1..].find([']', ')']).map(|i| i + 1).ok_or(RequirementFlaw::OpenInterval)?;
        found.push(interval(&rest[..=end], scheme)?);
        rest = rest[end + 1..].trim_start().trim_start_matches([',', '|']).trim_start();
        if !rest.is_empty() && !rest.starts_with(['[', '(']) {
            return Err(RequirementFlaw::NoInterval(rest.to_owned()));
        }
    }
    Ok(found)
}

fn interval(text: &str, scheme: Scheme) -> Parsing<Vec<Bound>> {
    let (opened, closed) = (text.starts_with('['), text.ends_with(']'));
    let inner = text[1..text.len() - 1].trim();
    let Some((low, high)) = inner.split_once(',') else {
        return match (opened && closed, inner.is_empty()) {
            (_, true) => Err(RequirementFlaw::EmptyInterval),
            (true, _) => Ok(vec![bound(Sign::Equal, inner, scheme)?]),
            (false, _) => Err(RequirementFlaw::HalfOpen),
        };
    };
    let ends = [
        (low.trim(), if opened { Sign::AtLeast } else { Sign::More }),
        (high.trim(), if closed { Sign::AtMost } else { Sign::Less }),
    ];
    ends.iter()
        .filter(|(version, _)| !version.is_empty())
        .map(|(version, sign)| bound(*sign, version, scheme))
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use rstest::rstest;

    fn dotted(bare: Bare) -> Versions {
        Versions { scheme: Scheme::Dotted, ranges: Ranges::Comparators, bare }
    }

    #[rstest]
    #[case(">=1.2 <2", "1.2 1.9.9", "1.1 2.0 2.0-rc1")]
    #[case(">= 1.2, < 2", "1.2", "2")]
    #[case(">1.2&<=2", "1.2.1 2", "1.2 2.1")]
    #[case("^1.2.3", "1.2.3 1.9", "1.2.2 2.0")]
    #[case("^0.2.3", "0.2.9", "0.3")]
    #[case("^0.0.3", "0.0.3", "0.0.4")]
    #[case("^0", "0.9", "1")]
    #[case("~1.2.3", "1.2.9", "1.3 1.2.2")]
    #[case("~1", "1.0 1.1", "2 0.9")]
    #[case("~>1.2", "1.9", "2 1.1")]
    #[case("~> 1.2.3", "1.2.9", "1.3")]
    #[case("1.2.*", "1.2 1.2.7", "1.3 1.1.9 1.3-beta")]
    #[case("1.x", "1.0 1.9", "2 0.9")]
    #[case("1.2 - 1.4", "1.2 1.4", "1.4.1 1.1")]
    #[case("1.2 || >=3", "1.2 3 4", "1.3 2")]
    #[case("!=1.3 >1", "1.2 1.4", "1.3 1")]
    #[case("*", "0 9 1-rc1", "")]
    #[case("", "1", "")]
    #[case("[1.2,2.0)", "1.2 1.9", "2.0 1.1")]
    #[case("(1.2,]", "1.3 9", "1.2")]
    #[case("(,1.0],[1.5]", "0.1 1.0 1.5", "1.2 1.6")]
    #[case("==1.2", "1.2.0", "1.2.1")]
    fn admits(#[case] requirement: &str, #[case] yes: &str, #[case] no: &str) {
        let requirement = dotted(Bare::Exact).requirement(requirement).expect("a requirement");
        let admits = |v: &str| requirement.admits(&Scheme::Dotted.parse(v).expect("a version"));
        assert!(yes.split_whitespace().all(admits), "{requirement:?} must admit {yes}");
        assert!(!no.split_whitespace().any(admits), "{requirement:?} must not admit any of {no}");
    }

    #[rstest]
    #[case(Bare::Exact, "1.2", "1.2", "1.3")]
    #[case(Bare::AtLeast, "1.2", "3", "1.1")]
    #[case(Bare::Compatible, "1.2", "1.9", "2")]
    fn bare_means(#[case] bare: Bare, #[case] text: &str, #[case] yes: &str, #[case] no: &str) {
        assert_eq!(dotted(bare).meets(yes, text), Some(true));
        assert_eq!(dotted(bare).meets(no, text), Some(false));
    }

    #[rstest]
    #[case("[1.2")]
    #[case("[]")]
    #[case("(1.2)")]
    #[case("[1,2) or 3")]
    #[case("[1,2) || 3")]
    #[case(">=")]
    #[case(">=new")]
    #[case("=>1.2")]
    #[case("=<1.2")]
    #[case("^>1.2")]
    #[case("1 || ")]
    fn refused(#[case] text: &str) {
        assert!(dotted(Bare::Exact).requirement(text).is_err(), "{text}");
    }

    #[test]
    fn dates_compare_but_have_no_next() {
        let dates = Versions { scheme: Scheme::Date, ..Versions::default() };
        assert_eq!(dates.meets("2026-02-01", ">=2026-01-15"), Some(true));
        assert!(dates.requirement("^2026-01-15").is_err());
        let exact = Versions { scheme: Scheme::Opaque, ranges: Ranges::Exact, bare: Bare::Exact };
        assert_eq!(exact.meets("blue", "blue"), Some(true));
        assert_eq!(exact.meets("red", "blue"), Some(false));
    }

    proptest! {
        /// An oracle that knows only the order: two-number versions against one comparator each.
        #[test]
        fn comparators_agree_with_the_order(a in 0u64..4, b in 0u64..4, c in 0u64..4, d in 0u64..4) {
            let (version, bound) = (format!("{a}.{b}"), format!("{c}.{d}"));
            let order = (a, b).cmp(&(c, d));
            let versions = dotted(Bare::Exact);
            let meets = |sign: &str| versions.meets(&version, &format!("{sign}{bound}")).expect("understood");
            prop_assert_eq!(meets(">="), order.is_ge());
            prop_assert_eq!(meets("<"), order.is_lt());
            prop_assert_eq!(meets("!="), order.is_ne());
            prop_assert_eq!(meets("~"), order.is_ge() && a == c && b == d);
            prop_assert_eq!(meets("^"), order.is_ge() && a == c && (c > 0 || b == d));
        }

        #[test]
        fn any_text_is_taken_calmly(text in "\\PC{0,40}") {
            for ranges in [Ranges::Comparators, Ranges::Intervals, Ranges::Exact] {
                let _ = Versions { ranges, ..Versions::default() }.requirement(&text);
            }
        }
    }
}
