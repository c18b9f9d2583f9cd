//! Several entries in one text, with something between them: brought to other entries with the writing of those that stay.

use std::ops::Range;

/// What comes to stand.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Part {
    /// The entry of that place, as it is written.
    Kept(usize),
    /// An entry, as it is to be written.
    New(String),
}

/// Where the entries of a text stand, without the blanks around them.
pub fn parts(text: &str, between: &str) -> Vec<Range<usize>> {
    let mut found = Vec::new();
    let mut push = |start: usize, piece: &str| {
        let lead = piece.len() - piece.trim_start().len();
        let inner = piece.trim();
        if !inner.is_empty() {
            found.push(start + lead..start + lead + inner.len());
        }
    };
    if between.trim().is_empty() {
        let mut at = 0;
        for piece in text.split_inclusive(char::is_whitespace) {
            push(at, piece);
            at += piece.len();
        }
    } else {
        let mut at = 0;
        for piece in text.split(between) {
            push(at, piece);
            at += piece.len() + between.len();
        }
    }
    found
}

/// A text with other entries; what stands between those that stay side by side stays.
pub fn rejoined(text: &str, between: &str, items: &[Range<usize>], parts: &[Part]) -> String {
    let Some((first, last)) = items.first().zip(items.last()) else {
        let texts: Vec<&str> = parts
            .iter()
            .filter_map(|part| if let Part::New(text) = part { Some(text.as_str()) } else { None })
            .collect();
        let blank = if text.trim().is_empty() { text } else { "" };
        return format!("{blank}{}", texts.join(between));
    };
    let gap = |index: usize| &text[items[index - 1].end..items[index].start];
    let gaps: Vec<&str> = (1..items.len()).map(gap).collect();
    // A gap with a line end in it stands once.
    let usual = gaps.iter().find(|gap| !gap.contains('\n')).copied().unwrap_or(between);
    let mut out = text[..first.start].to_owned();
    let mut used = vec![false; items.len()];
    for (at, part) in parts.iter().enumerate() {
        let own = match part {
            Part::Kept(index) if *index > 0 && !used[*index] => Some(*index),
            _ => None,
        };
        if at > 0 {
            out.push_str(own.map_or(usual, |index| gap(index)));
        }
        match part {
            Part::Kept(index) => {
                used[*index] = true;
                out.push_str(&text[items[*index].clone()]);
            }
            Part::New(text) => out.push_str(text),
        }
    }
    let tail = &text[last.end..];
    out.push_str(if parts.is_empty() { tail.trim_start().strip_prefix(between.trim()).unwrap_or(tail) } else { tail });
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case("a, gone ,b", ",", &["a", "b", "c"], "a ,b, c")]
    #[case("a;b;", ";", &["b"], "b;")]
    #[case("a;b;", ";", &[], "")]
    #[case("gone", ";", &["a", "b"], "a;b")]
    #[case("", ";", &["a", "b"], "a;b")]
    #[case("a  b\tc", " ", &["c", "a"], "c  a")]
    fn entries_keep_their_writing(
        #[case] text: &str,
        #[case] between: &str,
        #[case] wanted: &[&str],
        #[case] expected: &str,
    ) {
        let items = parts(text, between);
        let part = |wanted: &&str| match items.iter().position(|item| text[item.clone()] == **wanted) {
            Some(at) => Part::Kept(at),
            None => Part::New((*wanted).to_owned()),
        };
        let parts: Vec<Part> = wanted.iter().map(part).collect();
        assert_eq!(rejoined(text, between, &items, &parts), expected);
    }
}
