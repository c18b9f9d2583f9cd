//! A message that somebody typed from memory, or read off a picture: which of the known ones it is most like.

use regex_syntax::hir::{Hir, HirKind};

use crate::rulebook::{Event, Rulebook};

/// From here on a message is taken for a known one.
const LIKE: f64 = 0.62;
/// A likeness that is no better than that of the next one tells nothing.
const CLEAR: f64 = 0.04;
/// Two words are one from here on.
const SAME_WORD: f64 = 0.75;

/// A known message that a text is like.
#[derive(Debug, Clone, PartialEq)]
pub struct Likened {
    /// The known one, with `…` for what differs from time to time.
    pub known: String,
    /// What it means, the most frequent first.
    pub means: Vec<Event>,
    /// How alike they are, from 0 to 1.
    pub likeness: f64,
}

/// The known message that a text is most like, if it is like one: of those that the game shows, or of lines that its logs have.
pub fn likened(rulebook: &Rulebook, text: &str) -> Option<Likened> {
    let words = words(text);
    if words.is_empty() {
        return None;
    }
    let shown = rulebook.messages.iter().map(|message| (without_braces(&message.shown), message.means.clone(), 0.0));
    // A line of a log is seldom what a player sees: it must be more alike.
    let logged =
        rulebook.events.iter().filter_map(|rule| Some((skeleton(rule.line.as_str())?, vec![rule.means], 0.08)));
    let mut all: Vec<Likened> = shown
        .chain(logged)
        .map(|(known, means, handicap)| Likened {
            likeness: likeness(&words, &self::words(&known)) - handicap,
            known,
            means,
        })
        .collect();
    all.sort_by(|a, b| b.likeness.total_cmp(&a.likeness));
    let best = all.first().filter(|best| best.likeness >= LIKE)?;
    let rival = all.iter().skip(1).find(|other| other.means != best.means);
    let is_clear = best.likeness > 0.97 || rival.is_none_or(|rival| best.likeness - rival.likeness > CLEAR);
    is_clear.then(|| best.clone())
}

/// How alike two texts are: letter by letter, also where the one is cut off; or word by word, in any order.
fn likeness(typed: &[String], known: &[String]) -> f64 {
    let (a, b) = (typed.join(" "), known.join(" "));
    if a == b {
        return 1.0;
    }
    let cut: String = b.chars().take(a.chars().count()).collect();
    let share = a.chars().count() as f64 / b.chars().count().max(1) as f64;
    // Of a message of which little is there, little can be told.
    let as_cut =
        if (0.35..1.0).contains(&share) { 0.96 * strsim::normalized_damerau_levenshtein(&a, &cut) } else { 0.0 };
    let whole = strsim::normalized_damerau_levenshtein(&a, &b);
    whole.max(as_cut).max(0.92 * by_words(typed, known))
}

/// The share of words that two texts have in common, where misspelt ones count for what they are alike.
fn by_words(typed: &[String], known: &[String]) -> f64 {
    let best = |word: &String, among: &[String]| {
        let alike = among.iter().map(|other| strsim::normalized_damerau_levenshtein(word, other));
        alike.fold(0.0, f64::max)
    };
    let weight = |word: &String| word.chars().count().max(2) as f64;
    let side = |from: &[String], to: &[String]| {
        let sum: f64 = from.iter().map(weight).sum();
        let alike = from.iter().map(|word| (word, best(word, to))).filter(|(_, alike)| *alike >= SAME_WORD);
        alike.map(|(word, alike)| weight(word) * alike).sum::<f64>() / sum.max(1.0)
    };
    let (precision, recall) = (side(typed, known), side(known, typed));
    if precision + recall == 0.0 { 0.0 } else { 2.0 * precision * recall / (precision + recall) }
}

/// The words of a text, without what people leave out when they type it.
fn words(text: &str) -> Vec<String> {
    let lower = text.to_lowercase();
    let words = lower.split(|c: char| !c.is_alphanumeric()).filter(|word| !word.is_empty());
    words.take(80).map(str::to_owned).collect()
}

fn without_braces(shown: &str) -> String {
    let mut out = String::new();
    let mut rest = shown;
    while let Some((before, behind)) = rest.split_once('{') {
        out.push_str(before);
        out.push('…');
        rest = behind.split_once('}').map_or("", |(_, behind)| behind);
    }
    out + rest
}

/// What a pattern always says: its literals, with `…` for the rest.
fn skeleton(pattern: &str) -> Option<String> {
    let mut out = String::new();
    put(&regex_syntax::parse(pattern).ok()?, &mut out);
    let has_words = out.chars().filter(|c| c.is_alphabetic()).count() >= 6;
    has_words.then(|| out.trim_matches([' ', '…']).to_owned())
}

fn put(hir: &Hir, out: &mut String) {
    match hir.kind() {
        HirKind::Literal(literal) => out.push_str(&String::from_utf8_lossy(&literal.0)),
        HirKind::Concat(parts) => parts.iter().for_each(|part| put(part, out)),
        HirKind::Capture(capture) if is_literal(&capture.sub) => put(&capture.sub, out),
        HirKind::Alternation(ways) => ways.iter().take(1).for_each(|way| put(way, out)),
        HirKind::Empty | HirKind::Look(_) => {}
        HirKind::Repetition(_) | HirKind::Class(_) | HirKind::Capture(_) => {
            if !out.ends_with('…') {
                out.push('…');
            }
        }
    }
}

fn is_literal(hir: &Hir) -> bool {
    hir.properties().is_literal() || hir.properties().is_alternation_literal()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::base::finding::Code;
    use rstest::rstest;

    fn rulebook() -> Rulebook {
        let text = r#"
[[message]]
shown = "The station did not open the door. (E-7)"
means = ["mod-missing", "version-other"]
[[message]]
shown = "Trellis stopped unexpectedly."
means = ["mod-duplicate", "unreadable"]
[[message]]
shown = "Your copy of {mod} is older than the station's."
means = ["version-older"]
[[event]]
means = "signature-bad"
in = "server-log"
line = 'gate: (?<player>\S+) carries a forged seal on (?<mod>\S+)'
"#;
        crate::rulebook::of_logs(text)
    }

    #[rstest]
    #[case::word_for_word("The station did not open the door. (E-7)", Some("The station"))]
    #[case::misspelt("teh station didnt open teh dor e7", Some("The station"))]
    #[case::cut_off("the station did not op", Some("The station"))]
    #[case::another_case("TRELLIS STOPPED UNEXPECTEDLY", Some("Trellis"))]
    #[case::from_memory("something like trellis has stopped unexpectedly?", Some("Trellis"))]
    #[case::with_a_mod("your copy of Snow Track is older then the stations", Some("Your copy"))]
    #[case::of_a_log("carries a forged seal on snowtrack", Some("gate:"))]
    #[case::something_else("connection lost", None)]
    #[case::hardly_anything("the", None)]
    #[case::nothing("?!", None)]
    fn what_players_type(#[case] typed: &str, #[case] known: Option<&str>) {
        let found = likened(&rulebook(), typed);
        assert_eq!(found.is_some(), known.is_some(), "{found:?}");
        if let (Some(found), Some(known)) = (found, known) {
            assert!(found.known.starts_with(known), "{found:?}");
        }
    }

    #[test]
    fn word_for_word_is_wholly_alike() {
        let found = likened(&rulebook(), "the station did not open the door (E-7)").expect("known");
        assert_eq!((found.likeness, found.means[0]), (1.0, Event::Cause(Code::ModMissing)));
    }
}
