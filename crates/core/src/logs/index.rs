//! Which patterns are worth trying on a line: each that can fit has said, somewhere in the line, what it always says.
//!
//! Of every pattern the longest text that must stand in whatever it fits is taken (a required literal), and all of them are looked for
//! at once (Aho and Corasick, "Efficient String Matching", CACM 1975). A pattern without one is always worth trying.

use std::collections::BTreeSet;

use aho_corasick::{AhoCorasick, AhoCorasickKind};
use regex::Regex;
use regex_syntax::hir::{Class, Hir, HirKind};

/// A literal that is shorter says too little.
const SHORTEST: usize = 3;
/// A pattern has so many ways at most to say one thing or another.
const WAYS: usize = 16;
/// Up to so many literals the quickest way is taken.
const FAST: usize = 2_000;
/// Up to so many it may be large.
const FEW: usize = 500;

/// An index over patterns.
#[derive(Debug, Clone)]
pub struct Index {
    literals: Option<AhoCorasick>,
    /// For each literal, the patterns that always say it, or one like it.
    of_literal: Vec<Vec<usize>>,
    /// Patterns without a literal.
    loose: Vec<usize>,
}

impl Index {
    /// An index over patterns, which are known by their places.
    pub fn new(patterns: &[&Regex]) -> Self {
        let (mut texts, mut of_literal, mut loose): (Vec<String>, Vec<Vec<usize>>, Vec<usize>) = Default::default();
        for (place, pattern) in patterns.iter().enumerate() {
            let parsed = regex_syntax::parse(pattern.as_str()).ok();
            match parsed.and_then(|hir| required(&hir)).filter(|ways| quality(ways) >= SHORTEST) {
                Some(ways) => {
                    for way in ways {
                        match texts.iter().position(|known| *known == way) {
                            Some(at) => of_literal[at].push(place),
                            None => {
                                texts.push(way);
                                of_literal.push(vec![place]);
                            }
                        }
                    }
                }
                None => loose.push(place),
            }
        }
        // A table of all steps is quickest, and large.
        let kind = if texts.len() <= FAST { AhoCorasickKind::DFA } else { AhoCorasickKind::ContiguousNFA };
        // One look-up a byte instead of two, where the table can afford it.
        let literals = AhoCorasick::builder()
            .ascii_case_insensitive(true)
            .kind(Some(kind))
            .byte_classes(texts.len() > FEW)
            .build(&texts);
        match literals {
            Ok(literals) if !texts.is_empty() => Self { literals: Some(literals), of_literal, loose },
            // Without an index every pattern is tried.
            _ => Self { literals: None, of_literal: Vec::new(), loose: (0..patterns.len()).collect() },
        }
    }

    /// The patterns without a literal.
    pub fn loose(&self) -> &[usize] {
        &self.loose
    }

    /// The patterns that are worth trying on a line, in their order.
    pub fn worth_trying(&self, line: &[u8]) -> BTreeSet<usize> {
        let mut worth: BTreeSet<usize> = self.loose.iter().copied().collect();
        if let Some(literals) = &self.literals {
            for found in literals.find_overlapping_iter(line) {
                worth.extend(&self.of_literal[found.pattern().as_usize()]);
            }
        }
        worth
    }

    /// Where the next literal ends, from a place on.
    pub fn next_literal(&self, text: &[u8], from: usize) -> Option<usize> {
        let input = aho_corasick::Input::new(text).range(from..);
        self.literals.as_ref()?.find(input).map(|found| found.end())
    }
}

fn quality(ways: &[String]) -> usize {
    ways.iter().map(String::len).min().unwrap_or(0)
}

/// Texts of which at least one stands in whatever a pattern fits, in any letter case; none when there is nothing that must.
fn required(hir: &Hir) -> Option<Vec<String>> {
    match hir.kind() {
        HirKind::Literal(_) | HirKind::Class(_) => said(hir).map(|text| vec![text]),
        HirKind::Capture(capture) => required(&capture.sub),
        HirKind::Repetition(repetition) if repetition.min > 0 => required(&repetition.sub),
        HirKind::Alternation(ways) => {
            let all: Vec<Vec<String>> = ways.iter().map(required).collect::<Option<_>>()?;
            let ways: Vec<String> = all.into_iter().flatten().collect();
            (ways.len() <= WAYS).then_some(ways)
        }
        HirKind::Concat(parts) => of_parts(parts),
        HirKind::Empty | HirKind::Look(_) | HirKind::Repetition(_) => None,
    }
}

/// The best of what the parts of a pattern always say, where neighbours may say one text together.
fn of_parts(parts: &[Hir]) -> Option<Vec<String>> {
    let (mut best, mut run): (Option<Vec<String>>, String) = (None, String::new());
    let better = |best: &mut Option<Vec<String>>, ways: Vec<String>| {
        if quality(&ways) > best.as_deref().map_or(0, quality) {
            *best = Some(ways);
        }
    };
    for part in parts {
        match said(part) {
            Some(text) => run.push_str(&text),
            None if matches!(part.kind(), HirKind::Look(_) | HirKind::Empty) => {}
            None => {
                better(&mut best, vec![std::mem::take(&mut run)]);
                if let Some(ways) = required(part) {
                    better(&mut best, ways);
                }
            }
        }
    }
    better(&mut best, vec![run]);
    best
}

/// The one text that a part fits, but for letter case.
fn said(hir: &Hir) -> Option<String> {
    match hir.kind() {
        HirKind::Literal(literal) => String::from_utf8(literal.0.to_vec()).ok().map(|text| text.to_lowercase()),
        HirKind::Class(class) => letter(class).map(String::from),
        HirKind::Capture(capture) => said(&capture.sub),
        HirKind::Concat(parts) => parts.iter().map(said).collect(),
        _ => None,
    }
}

/// The letter of a class that has just its two cases.
fn letter(class: &Class) -> Option<char> {
    let Class::Unicode(class) = class else { return None };
    let all: Vec<char> = class.iter().flat_map(|range| range.start()..=range.end()).take(3).collect();
    match all.as_slice() {
        [a, b] if a.is_ascii_alphabetic() && a.eq_ignore_ascii_case(b) => Some(a.to_ascii_lowercase()),
        _ => None,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use rstest::rstest;

    #[rstest]
    #[case(r"gate: (?<player>\S+) lacks (?<mod>\S+)", Some(&[" lacks "][..]))]
    #[case(r"(?i)fault at (?<mod>\w+)", Some(&["fault at "][..]))]
    #[case(r"world: (?:thawing|still cold)", Some(&["world: "][..]))]
    #[case(r"(?:thawing|still cold)", Some(&["thawing", "still cold"][..]))]
    #[case(r"^\s+- (\S+)", None)]
    #[case(r"(?:thawing)?", None)]
    #[case(r"\d+ of \d+", Some(&[" of "][..]))]
    #[case(r"a(?:b|cdef)g", None)]
    fn what_a_pattern_always_says(#[case] pattern: &str, #[case] expected: Option<&[&str]>) {
        let found =
            required(&regex_syntax::parse(pattern).expect("a pattern")).filter(|ways| quality(ways) >= SHORTEST);
        assert_eq!(
            found.as_deref(),
            expected.map(|ways| ways.iter().map(|way| (*way).to_owned()).collect::<Vec<_>>()).as_deref()
        );
    }

    fn any_pattern() -> impl Strategy<Value = String> {
        let atoms = [
            "a",
            "bc",
            "abc",
            "(a|bc)d",
            r"\d+",
            "[a-c]*e",
            "x?yz",
            "(?:abc|bcd|cde)",
            "(?<mod>ab)c",
            "(?i:ace)",
            "$|d",
            "(?:ab){2}",
        ];
        proptest::collection::vec(proptest::sample::select(atoms.to_vec()), 1..4).prop_map(|atoms| atoms.concat())
    }

    proptest! {
        #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::default() })]

        /// A pattern that fits is always worth trying, and its literal is found in the text.
        #[test]
        fn no_pattern_that_fits_is_passed_over(
            patterns in proptest::collection::vec(any_pattern(), 1..6),
            line in "[a-eA-E0-9xyz ]{0,30}",
        ) {
            let regexes: Vec<Regex> = patterns.iter().filter_map(|pattern| Regex::new(pattern).ok()).collect();
            let index = Index::new(&regexes.iter().collect::<Vec<_>>());
            let worth = index.worth_trying(line.as_bytes());
            for (place, regex) in regexes.iter().enumerate().filter(|(_, regex)| regex.is_match(&line)) {
                prop_assert!(worth.contains(&place), "{regex} fits {line:?}");
                prop_assert!(index.loose().contains(&place) || index.next_literal(line.as_bytes(), 0).is_some());
            }
        }
    }
}
