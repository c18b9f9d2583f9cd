//! The order of versions under each scheme.

use std::cmp::Ordering;

/// How the versions of one game are ordered.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Scheme {
    /// Semantic Versioning 2.0.0, lenient about missing parts, a leading `v` and leading zeros.
    SemVer,
    /// Numbers and words of any length; pre-release words come before the release, other words after it.
    #[default]
    Dotted,
    /// A date, year first (`2026-11-03`, `20261103`) or day first with dots (`3.11.2026`), with further numbers.
    Date,
    /// Equal or different; no order.
    Opaque,
}

/// A version that its scheme understood.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Version {
    text: String,
    key: Key,
}

#[derive(Debug, Clone, PartialEq, Eq)]
enum Key {
    SemVer(semver::Version),
    Dotted(Vec<Part>),
    Date(Vec<u64>),
    Opaque(String),
}

/// A part of a dotted version. The order of the variants is the order of versions: after equal parts, a
/// pre-release word comes before the end, and the end before any other word, and that before a number.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
enum Part {
    Before(usize, String),
    End,
    Word(String),
    Number(Digits),
}

/// A number of any length, without leading zeros.
#[derive(Debug, Clone, PartialEq, Eq)]
struct Digits(String);

impl PartialOrd for Digits {
    fn partial_cmp(&self, other: &Self) -> Option<Ordering> {
        Some(self.cmp(other))
    }
}

impl Ord for Digits {
    fn cmp(&self, other: &Self) -> Ordering {
        self.0.len().cmp(&other.0.len()).then_with(|| self.0.cmp(&other.0))
    }
}

/// Words that stand for a state before the release, earliest first; those of one letter count only before a number.
const BEFORE: [&[&str]; 6] = [
    &["dev", "snapshot", "nightly"],
    &["alpha", "a"],
    &["beta", "b"],
    &["milestone", "m"],
    &["pre", "preview", "prerelease"],
    &["rc", "cr", "c"],
];
/// Words that say it is the release itself.
const RELEASE: [&str; 4] = ["final", "ga", "release", "stable"];

impl Scheme {
    /// Understands a version, or doesn't.
    pub fn parse(self, text: &str) -> Option<Version> {
        let text = text.trim();
        let key = match self {
            _ if text.is_empty() => return None,
            Self::SemVer => Key::SemVer(lenient_semver(text)?),
            Self::Dotted => Key::Dotted(dotted_parts(text)?),
            Self::Date => Key::Date(date_numbers(text)?),
            Self::Opaque => Key::Opaque(text.to_owned()),
        };
        Some(Version { text: text.to_owned(), key })
    }

    /// Orders two versions; `None` when one is not understood, or they differ and the scheme has no order.
    pub fn compare(self, a: &str, b: &str) -> Option<Ordering> {
        self.parse(a)?.compare(&self.parse(b)?)
    }
}

impl Version {
    /// As it was written.
    pub fn text(&self) -> &str {
        &self.text
    }

    /// Orders two versions of one scheme; `None` for different opaque ones.
    pub fn compare(&self, other: &Self) -> Option<Ordering> {
        match (&self.key, &other.key) {
            (Key::SemVer(a), Key::SemVer(b)) => Some(a.cmp_precedence(b)),
            (Key::Dotted(a), Key::Dotted(b)) => Some(compare_parts(a, b)),
            (Key::Date(a), Key::Date(b)) => Some(a.cmp(b)),
            (Key::Opaque(a), Key::Opaque(b)) => (a == b).then_some(Ordering::Equal),
            _ => None,
        }
    }

    /// Whether this is a state before a release.
    pub fn is_prerelease(&self) -> bool {
        match &self.key {
            Key::SemVer(version) => !version.pre.is_empty(),
            Key::Dotted(parts) => parts.iter().any(|part| matches!(part, Part::Before(..))),
            Key::Date(_) | Key::Opaque(_) => false,
        }
    }

    /// The release that a pre-release leads to; itself otherwise.
    pub fn release(&self) -> Self {
        let key = match &self.key {
            Key::SemVer(v) => Key::SemVer(semver::Version::new(v.major, v.minor, v.patch)),
            Key::Dotted(parts) => {
                let kept = parts.iter().take_while(|part| !matches!(part, Part::Before(..))).cloned().collect();
                Key::Dotted(without_trailing_zeros(kept))
            }
            other => other.clone(),
        };
        Self { text: self.text.clone(), key }
    }
}

fn compare_parts(a: &[Part], b: &[Part]) -> Ordering {
    (0..a.len().max(b.len()))
        .map(|i| a.get(i).unwrap_or(&Part::End).cmp(b.get(i).unwrap_or(&Part::End)))
        .find(|order| order.is_ne())
        .unwrap_or(Ordering::Equal)
}

/// Splits into runs of digits and of letters; everything else separates.
fn tokens(text: &str) -> Vec<String> {
    let mut tokens: Vec<String> = Vec::new();
    let mut last = None;
    for c in text.chars() {
        let kind = (c.is_ascii_digit(), c.is_alphanumeric());
        if kind.1 {
            match tokens.last_mut() {
                Some(token) if last == Some(kind) => token.push(c),
                _ => tokens.push(c.to_string()),
            }
        }
        last = Some(kind);
    }
    tokens
}

fn dotted_parts(text: &str) -> Option<Vec<Part>> {
    let tokens = tokens(
        text.strip_prefix(['v', 'V']).filter(|rest| rest.starts_with(|c: char| c.is_ascii_digit())).unwrap_or(text),
    );
    if !tokens.iter().any(|token| is_number(token)) {
        return None;
    }
    let mut parts = Vec::new();
    for (i, token) in tokens.iter().enumerate() {
        let before_number = tokens.get(i + 1).is_some_and(|next| is_number(next));
        match part(token, before_number) {
            Some(part @ Part::Number(_)) => parts.push(part),
            Some(word) => {
                parts = without_trailing_zeros(parts);
                parts.push(word);
            }
            None => {}
        }
    }
    Some(without_trailing_zeros(parts))
}

fn part(token: &str, before_number: bool) -> Option<Part> {
    if is_number(token) {
        return Some(Part::Number(digits(token)));
    }
    let word = token.to_lowercase();
    if RELEASE.contains(&word.as_str()) {
        return None;
    }
    let rank = BEFORE.iter().position(|words| words.contains(&word.as_str()));
    match rank {
        Some(rank) if word.len() > 1 || before_number => Some(Part::Before(rank, BEFORE[rank][0].to_owned())),
        _ => Some(Part::Word(word)),
    }
}

fn is_number(token: &str) -> bool {
    token.starts_with(|c: char| c.is_ascii_digit())
}

fn digits(token: &str) -> Digits {
    let trimmed = token.trim_start_matches('0');
    Digits(if trimmed.is_empty() { "0" } else { trimmed }.to_owned())
}

/// `1.2.0` and `1.2` are one version, and so are `1.2.0-rc1` and `1.2-rc1`.
fn without_trailing_zeros(mut parts: Vec<Part>) -> Vec<Part> {
    while parts.last() == Some(&Part::Number(Digits("0".to_owned()))) {
        parts.pop();
    }
    parts
}

fn lenient_semver(text: &str) -> Option<semver::Version> {
    let text = text.strip_prefix(['v', 'V']).unwrap_or(text);
    let (core, tail) = text.split_at(text.find(['-', '+']).unwrap_or(text.len()));
    let mut numbers = core.split('.').map(|part| part.parse::<u64>().ok()).collect::<Option<Vec<_>>>()?;
    if numbers.len() > 3 {
        return None;
    }
    numbers.resize(3, 0);
    semver::Version::parse(&format!("{}.{}.{}{tail}", numbers[0], numbers[1], numbers[2])).ok()
}

fn date_numbers(text: &str) -> Option<Vec<u64>> {
    let runs: Vec<String> = tokens(text).into_iter().filter(|token| is_number(token)).collect();
    let first = runs.first()?;
    let (date, rest) = if first.len() == 8 {
        (vec![first[..4].to_owned(), first[4..6].to_owned(), first[6..].to_owned()], &runs[1..])
    } else if first.len() == 4 && runs.len() >= 3 {
        (runs[..3].to_vec(), &runs[3..])
    } else if text.contains('.') && runs.len() >= 3 && runs[2].len() == 4 {
        (vec![runs[2].clone(), runs[1].clone(), runs[0].clone()], &runs[3..])
    } else {
        return None;
    };
    let numbers: Vec<u64> = date.iter().chain(rest).map(|run| run.parse().ok()).collect::<Option<_>>()?;
    let is_day = jiff::civil::Date::new(
        i16::try_from(numbers[0]).ok()?,
        i8::try_from(numbers[1]).ok()?,
        i8::try_from(numbers[2]).ok()?,
    );
    is_day.is_ok().then_some(numbers)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use rstest::rstest;

    /// Each list is in rising order; every pair of it is tried both ways.
    #[rstest]
    #[case(Scheme::Dotted, &["0.9", "1.0-dev", "1.0a1", "1.0-alpha.2", "1.0-beta", "1.0b3", "1.0-rc1", "1.0-rc.10", "1", "1.0-hotfix", "1.0.1", "1.0.10", "1.1", "10"])]
    #[case(Scheme::Dotted, &["1.20.1-0.5.1", "1.20.1-0.5.2", "1.20.1-0.10", "1.20.2-0.1"])]
    #[case(Scheme::Dotted, &["1.2", "1.2a", "1.2b", "1.2.1"])]
    #[case(Scheme::Dotted, &["99999999999999999998", "99999999999999999999"])]
    #[case(Scheme::SemVer, &["0.9", "1.0.0-alpha", "1.0.0-alpha.1", "1.0.0-rc.1", "1", "1.0.1", "v1.10"])]
    #[case(Scheme::Date, &["2025-12-31", "2026.01.05", "20260106", "2026-01-06.2", "7.1.2026"])]
    fn rising(#[case] scheme: Scheme, #[case] versions: &[&str]) {
        for (i, a) in versions.iter().enumerate() {
            for (j, b) in versions.iter().enumerate() {
                assert_eq!(scheme.compare(a, b), Some(i.cmp(&j)), "{a} against {b}");
            }
        }
    }

    #[rstest]
    #[case(Scheme::Dotted, "1.2", "1.2.0")]
    #[case(Scheme::Dotted, "v1.2", "1.02")]
    #[case(Scheme::Dotted, "1.2.0-RC1", "1.2-rc.1")]
    #[case(Scheme::Dotted, "1.2-final", "1.2")]
    #[case(Scheme::SemVer, "1.2", "1.2.0+build.7")]
    #[case(Scheme::Opaque, "blue", "blue")]
    fn equal(#[case] scheme: Scheme, #[case] a: &str, #[case] b: &str) {
        assert_eq!(scheme.compare(a, b), Some(Ordering::Equal));
    }

    #[rstest]
    #[case(Scheme::Dotted, "newest")]
    #[case(Scheme::SemVer, "1.2.3.4")]
    #[case(Scheme::SemVer, "one")]
    #[case(Scheme::Date, "2026-13-01")]
    #[case(Scheme::Date, "2026-02-31")]
    #[case(Scheme::Date, "2027-02-29")]
    #[case(Scheme::Date, "1.2")]
    #[case(Scheme::Opaque, " ")]
    fn not_understood(#[case] scheme: Scheme, #[case] text: &str) {
        assert_eq!(scheme.parse(text), None);
    }

    #[test]
    fn opaque_has_no_order_and_prereleases_lead_to_a_release() {
        assert_eq!(Scheme::Opaque.compare("a", "b"), None);
        let rc = Scheme::Dotted.parse("2.0.0-rc3").expect("understood");
        assert!(rc.is_prerelease());
        assert_eq!(rc.release().compare(&Scheme::Dotted.parse("2").expect("understood")), Some(Ordering::Equal));
    }

    proptest! {
        #[test]
        fn dotted_is_a_total_order(texts in proptest::collection::vec("[0-2]([.-]?(0|1|2|10|a|rc|b1|x)){0,4}", 3)) {
            let v: Vec<_> = texts.iter().map(|t| Scheme::Dotted.parse(t).expect("starts with a number")).collect();
            let cmp = |i: usize, j: usize| v[i].compare(&v[j]).expect("ordered");
            prop_assert_eq!(cmp(0, 1), cmp(1, 0).reverse());
            if cmp(0, 1).is_le() && cmp(1, 2).is_le() {
                prop_assert!(cmp(0, 2).is_le());
            }
        }

        #[test]
        fn any_text_is_taken_calmly(text in "\\PC{0,40}") {
            for scheme in [Scheme::SemVer, Scheme::Dotted, Scheme::Date, Scheme::Opaque] {
                if let Some(version) = scheme.parse(&text) {
                    prop_assert_eq!(version.compare(&version), Some(Ordering::Equal));
                    let _ = version.release();
                }
            }
        }
    }
}
