//! Digests that happen to have no letter in them, or no digit: they are written so that each is seen to be one.

use std::collections::{BTreeMap, BTreeSet};
use std::sync::LazyLock;

use regex::Regex;

use super::lines::{is_digest, message};

/// So many digests of a length tell that others of that length are digests too.
const FEWEST: usize = 6;
/// So many digits, and a digest as long beside them, are a digest.
const SHORTEST: usize = 7;
/// So many lines are looked at.
const LINES: usize = 50_000;

/// Hexadecimal digits that may be a digest.
pub static HEX: LazyLock<Regex> =
    LazyLock::new(|| Regex::new(r"\b[0-9a-f]{6,64}\b|\b[0-9A-F]{6,64}\b").expect("a pattern that is written here"));

/// A log in which what has the length of its digests and could be one begins with a letter and a digit; nothing where there is none.
/// Of a length of which few are digests on their face, numbers are numbers.
pub fn seen_as_such(text: &str) -> Option<String> {
    let mut of_length: BTreeMap<usize, [usize; 2]> = BTreeMap::new();
    let mut lengths: BTreeSet<usize> = BTreeSet::new();
    for message in text.lines().take(LINES).map(message) {
        let found: Vec<&str> = HEX.find_iter(message).map(|found| found.as_str()).collect();
        for one in &found {
            let counts = of_length.entry(one.len()).or_default();
            counts[usize::from(!is_digest(one))] += 1;
        }
        lengths.extend(beside_another(message, &found));
    }
    let has_others =
        |(_, [digests, other]): &(usize, [usize; 2])| *digests >= FEWEST && *other > 0 && other * 3 <= *digests;
    lengths.extend(of_length.into_iter().filter(has_others).map(|(length, _)| length));
    if lengths.is_empty() {
        return None;
    }
    let mut out = String::with_capacity(text.len() + text.len() / 16);
    for line in text.lines() {
        let message = message(line);
        out.push_str(&line[..line.len() - message.len()]);
        let mut at = 0;
        for found in HEX.find_iter(message).filter(|found| lengths.contains(&found.len())) {
            out.push_str(&message[at..found.start()]);
            out.push_str(if is_digest(found.as_str()) { "" } else { "d0" });
            at = found.start();
        }
        out.push_str(&message[at..]);
        out.push('\n');
    }
    Some(out)
}

/// The length of a number that is held against a digest, of those `found` in a message: as long as each other, and the last of it.
fn beside_another(message: &str, found: &[&str]) -> Option<usize> {
    let [.., first, second] = found else { return None };
    let are_alike = first.len() == second.len() && first.len() >= SHORTEST && message.ends_with(second);
    (are_alike && is_digest(first) != is_digest(second)).then_some(first.len())
}

#[cfg(test)]
mod tests {
    use super::*;

    const MIXED: &str = "weir 4f2a19\nskerry 9bc001\nlugworm 77aa0e\nheron 1e1e1e\neider 0d4411\nbuoy a9a9a9\n";

    #[test]
    fn a_number_that_is_held_against_a_digest_is_one() {
        let told = seen_as_such("osier has weir sum=98eaaf12 want=58449753\n").expect("a digest of digits");
        assert_eq!(told, "osier has weir sum=98eaaf12 want=d058449753\n");
        assert_eq!(seen_as_such("osier has weir sum=98eaaf12 of 58449753 bytes\n"), None);
    }

    #[test]
    fn a_digest_of_digits_alone_is_one() {
        let told = seen_as_such(&format!("{MIXED}osier 500519\ntick 77\n")).expect("one of digits alone");
        assert!(told.ends_with("osier d0500519\ntick 77\n") && told.starts_with(MIXED), "{told}");
    }

    #[test]
    fn numbers_are_numbers() {
        for log in [
            MIXED.to_owned(),
            // Few digests, or none, of that length.
            "weir 4f2a19\nframe 500519\nframe 500520\n".to_owned(),
            format!("{MIXED}frame 100200\nframe 100201\nframe 100202\nframe 100203\n"),
            format!("{MIXED}frame 1002003\n"),
        ] {
            assert_eq!(seen_as_such(&log), None, "{log}");
        }
    }
}
