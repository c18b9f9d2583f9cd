//! Small changes of a text, made together.

use std::ops::Range;

/// A text in place of a part of another.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Splice {
    /// The part, in bytes of the text.
    pub at: Range<usize>,
    /// What comes in its place.
    pub with: String,
}

/// How lines end in a text.
pub fn line_end(text: &str) -> &'static str {
    if text.contains("\r\n") { "\r\n" } else { "\n" }
}

/// A text with its splices made; they may come in any order and don't overlap.
pub fn spliced(text: &str, mut splices: Vec<Splice>) -> String {
    splices.sort_by_key(|splice| (splice.at.start, splice.at.end));
    let mut out = String::with_capacity(text.len());
    let mut at = 0;
    for splice in splices {
        out.push_str(text.get(at..splice.at.start).unwrap_or_default());
        out.push_str(&splice.with);
        at = splice.at.end.max(at);
    }
    out.push_str(text.get(at..).unwrap_or_default());
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn splices_are_made_in_any_order() {
        let splice = |at: Range<usize>, with: &str| Splice { at, with: with.to_owned() };
        assert_eq!(spliced("abcdef", vec![splice(4..5, "E"), splice(0..2, ""), splice(6..6, "!")]), "cdEf!");
    }
}
