//! Commands that somebody may run about something, complete and quoted.

use std::fmt;

/// A command of Kanon's, complete. It is shown as it can be pasted into a shell.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Suggestion {
    /// What stands before the command: options of the program itself.
    lead: Vec<String>,
    words: Vec<String>,
}

impl Suggestion {
    /// A command without anything behind it.
    pub fn new(command: &str) -> Self {
        Self { lead: Vec::new(), words: vec![command.to_owned()] }
    }

    /// The command that brings an install in line.
    pub fn align(install: &str) -> Self {
        Self::new("align").word(install)
    }

    /// With one more word: an option, a value, a name.
    #[must_use]
    pub fn word(mut self, word: impl Into<String>) -> Self {
        self.words.push(word.into());
        self
    }

    /// The same for whoever stands elsewhere: with these options before the command.
    #[must_use]
    pub fn led_by(mut self, lead: &[String]) -> Self {
        self.lead = lead.to_vec();
        self
    }

    /// Whether it is an alignment.
    pub fn is_align(&self) -> bool {
        self.words.first().is_some_and(|word| word == "align")
    }

    /// Whether it brings an install in line: by an alignment, or by following a release.
    pub fn brings_in_line(&self) -> bool {
        self.is_align() || self.words.first().is_some_and(|word| word == "follow")
    }

    /// This command, with what another one that brings in line was to be told.
    #[must_use]
    pub fn with_options_of(self, other: &Self) -> Self {
        let named = if other.is_align() { 2 } else { 1 };
        other.words.iter().skip(named).fold(self, |command, option| command.word(option.as_str()))
    }
}

impl fmt::Display for Suggestion {
    fn fmt(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
        out.write_str("kanon")?;
        self.lead.iter().chain(&self.words).try_for_each(|word| write!(out, " {}", quoted(word)))
    }
}

/// A word as a shell takes it for one word, and no more than that: POSIX shells, and in its plain forms others too.
pub fn quoted(word: &str) -> String {
    let is_plain = |c: char| c.is_alphanumeric() || "-_./:@%+=,".contains(c);
    if !word.is_empty() && word.chars().all(is_plain) {
        return word.to_owned();
    }
    match word.contains(['"', '$', '`', '\\', '!']) {
        true => format!("'{}'", word.replace('\'', r"'\''")),
        false => format!("\"{word}\""),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use rstest::rstest;

    #[rstest]
    #[case("hall", "hall")]
    #[case("the hall", "\"the hall\"")]
    #[case("", "\"\"")]
    #[case("a$b", "'a$b'")]
    #[case("it's $1", r"'it'\''s $1'")]
    #[case("Über", "Über")]
    #[case("#1", "\"#1\"")]
    fn words_are_quoted_where_a_shell_would_part_them(#[case] word: &str, #[case] shown: &str) {
        assert_eq!(quoted(word), shown);
    }

    proptest! {
        #[test]
        fn a_shell_reads_back_just_the_words(words in proptest::collection::vec("[^\\x00\\n]{0,8}", 0..4)) {
            let align = Suggestion::new("align");
            let shown = words.iter().fold(align, |command, word| command.word(word.as_str())).to_string();
            let read = shlex::split(&shown).unwrap_or_default();
            prop_assert_eq!(&read[2..], &words[..]);
        }
    }
}
