//! `kanon words`: what the words that are Kanon's own mean.

use std::fmt::Write;

use crate::Outcome;
use crate::failure::Failure;
use crate::render::{BOLD, cell, folded, styled};
use crate::ui::Ui;

/// The page that says so; its table is what is printed.
const GLOSSARY: &str = include_str!("../../../../docs/glossary.md");
/// How wide the column of words is.
const WORD: usize = 14;

pub fn run(ui: &Ui) -> Result<Outcome, Failure> {
    let mut out = String::new();
    for (word, meaning) in entries() {
        let told = folded(&meaning.replace('`', ""), &" ".repeat(WORD));
        let _ = write!(out, "{}{}", styled(BOLD, &cell(word, WORD)), told.trim_start_matches(' '));
    }
    ui.report(&out);
    Ok(Outcome::InOrder)
}

/// The rows of the table: a word and its meaning.
fn entries() -> impl Iterator<Item = (&'static str, &'static str)> {
    let rows = GLOSSARY.lines().filter_map(|line| line.strip_prefix("| ")?.strip_suffix(" |")?.split_once(" | "));
    rows.skip(1)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_word_has_a_meaning_and_stands_once() {
        let words: Vec<&str> = entries().map(|(word, _)| word).collect();
        assert!(words.len() > 15 && words.contains(&"canon"), "{words:?}");
        assert!(entries().all(|(word, meaning)| word.len() < WORD && meaning.len() > 20));
        let mut once = words.clone();
        once.sort_unstable();
        once.dedup();
        assert_eq!(once.len(), words.len());
    }
}
