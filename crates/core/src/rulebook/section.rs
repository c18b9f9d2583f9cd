//! Reads a TOML table key by key, remembering what was asked for, so that unknown keys can be told with the
//! nearest right word and every problem of a file is found in one round.

use std::cell::RefCell;
use std::ops::Range;

use toml::Spanned;
use toml::de::{DeTable, DeValue};

use super::mistake::{Mend, Mistake};
use crate::base::problem::{Problems, nearest};
use crate::base::stated::Series;

/// A value with the bytes it stands on.
pub type Spot<T> = (T, Range<usize>);

/// One table of a TOML file, being read.
pub struct Section<'t> {
    table: &'t DeTable<'t>,
    span: Range<usize>,
    name: String,
    asked: RefCell<Vec<&'static str>>,
    problems: &'t Problems,
}

impl<'t> Section<'t> {
    /// Starts reading a table; `name` is how messages call it.
    pub fn new(table: &'t DeTable<'t>, span: Range<usize>, name: impl Into<String>, problems: &'t Problems) -> Self {
        Self { table, span, name: name.into(), asked: RefCell::default(), problems }
    }

    /// The bytes of the table's header.
    pub fn span(&self) -> Range<usize> {
        self.span.clone()
    }

    /// Where problems go.
    pub const fn problems(&self) -> &'t Problems {
        self.problems
    }

    /// The raw value of a key.
    pub fn value(&self, key: &'static str) -> Option<&'t Spanned<DeValue<'t>>> {
        self.asked.borrow_mut().push(key);
        self.table.get(key)
    }

    /// A text.
    pub fn text(&self, key: &'static str) -> Option<Spot<&'t str>> {
        let value = self.value(key)?;
        self.expect(value, value.get_ref().as_str(), key, "a text in quotes")
    }

    /// A text that must be there.
    pub fn required_text(&self, key: &'static str) -> Option<Spot<&'t str>> {
        self.require(key);
        self.text(key)
    }

    /// A text, or an empty one after a problem was noted.
    pub fn owned_text(&self, key: &'static str) -> String {
        self.required_text(key).map(|(text, _)| text.to_owned()).unwrap_or_default()
    }

    /// A text that may be missing.
    pub fn optional_text(&self, key: &'static str) -> Option<String> {
        self.text(key).map(|(text, _)| text.to_owned())
    }

    /// `true` or `false`.
    pub fn flag(&self, key: &'static str) -> Option<bool> {
        let value = self.value(key)?;
        self.expect(value, value.get_ref().as_bool(), key, "true or false").map(|(flag, _)| flag)
    }

    /// A whole number, not negative.
    pub fn number(&self, key: &'static str) -> Option<u64> {
        let value = self.value(key)?;
        let number = value.get_ref().as_integer().and_then(|n| u64::from_str_radix(n.as_str(), n.radix()).ok());
        self.expect(value, number, key, "a whole number").map(|(number, _)| number)
    }

    /// One text or a list of texts.
    pub fn texts(&self, key: &'static str) -> Vec<Spot<&'t str>> {
        let Some(value) = self.value(key) else { return Vec::new() };
        if let Some(text) = value.get_ref().as_str() {
            return vec![(text, value.span())];
        }
        let Some((items, _)) = self.expect(value, value.get_ref().as_array(), key, "a text or a list of texts") else {
            return Vec::new();
        };
        items.iter().filter_map(|item| self.expect(item, item.get_ref().as_str(), key, "a list of texts")).collect()
    }

    /// A word out of a fixed set.
    pub fn one_of<T: Copy>(&self, key: &'static str, words: &[(&'static str, T)]) -> Option<T> {
        let (word, span) = self.text(key)?;
        let found = words.iter().find(|(right, _)| *right == word).map(|(_, value)| *value);
        if found.is_none() {
            let right: Vec<_> = words.iter().map(|(right, _)| *right).collect();
            self.wrong_word(word, span, key, &right);
        }
        found
    }

    /// One word or a list of words out of a fixed set.
    pub fn texts_of<T: Copy>(&self, key: &'static str, words: &[(&'static str, T)]) -> Vec<T> {
        let mut found = Vec::new();
        for (word, span) in self.texts(key) {
            match words.iter().find(|(right, _)| *right == word) {
                Some((_, value)) => found.push(*value),
                None => {
                    let right: Vec<_> = words.iter().map(|(right, _)| *right).collect();
                    self.wrong_word(word, span, key, &right);
                }
            }
        }
        found
    }

    /// A word out of a fixed set that must be there.
    pub fn required_one_of<T: Copy>(&self, key: &'static str, words: &[(&'static str, T)]) -> Option<T> {
        self.require(key);
        self.one_of(key, words)
    }

    /// A table under a key.
    pub fn section(&self, key: &'static str) -> Option<Self> {
        let value = self.value(key)?;
        let (table, span) = self.expect(value, value.get_ref().as_table(), key, "a table")?;
        Some(Self::new(table, span, self.below(key), self.problems))
    }

    /// Each table of a list of tables; a single table counts as a list of one.
    pub fn sections(&self, key: &'static str) -> Vec<Self> {
        let Some(value) = self.value(key) else { return Vec::new() };
        let name = format!("[[{key}]]");
        if let Some(table) = value.get_ref().as_table() {
            return vec![Self::new(table, value.span(), name, self.problems)];
        }
        let Some((items, _)) = self.expect(value, value.get_ref().as_array(), key, "a table or a list of tables")
        else {
            return Vec::new();
        };
        items
            .iter()
            .filter_map(|item| self.expect(item, item.get_ref().as_table(), key, "a list of tables"))
            .map(|(table, span)| Self::new(table, span, name.clone(), self.problems))
            .collect()
    }

    /// Each key and table of a table of tables, such as `[install.NAME]`.
    pub fn named_sections(&self, key: &'static str) -> Vec<(Spot<&'t str>, Self)> {
        let Some(outer) = self.section(key) else { return Vec::new() };
        outer
            .table
            .iter()
            .filter_map(|(name, value)| {
                let (table, span) = self.expect(value, value.get_ref().as_table(), key, "a table for each name")?;
                let title = format!("[{key}.{}]", name.get_ref());
                Some(((name.get_ref().as_ref(), name.span()), Self::new(table, span, title, self.problems)))
            })
            .collect()
    }

    /// Each key and text of a table of texts.
    pub fn text_map(&self, key: &'static str) -> Vec<(Spot<&'t str>, Spot<&'t str>)> {
        let Some(value) = self.value(key) else { return Vec::new() };
        let Some((table, _)) = self.expect(value, value.get_ref().as_table(), key, "a table of texts") else {
            return Vec::new();
        };
        table
            .iter()
            .filter_map(|(name, value)| {
                let text = self.expect(value, value.get_ref().as_str(), key, "a text for each name")?;
                Some(((name.get_ref().as_ref(), name.span()), text))
            })
            .collect()
    }

    /// Notes an error if the key is missing.
    pub fn require(&self, key: &'static str) {
        if !self.table.contains_key(key) {
            self.asked.borrow_mut().push(key);
            self.problems.error(self.span(), Mistake::Lacks { of: self.name.clone(), key });
        }
    }

    /// Notes an error for each key that nobody asked for. To be called last.
    pub fn finish(self) {
        let asked = self.asked.borrow();
        for (key, _) in self.table {
            let name = key.get_ref().as_ref();
            if !asked.contains(&name) {
                let mistake = Mistake::UnknownKey { of: self.name.clone(), key: name.to_owned() };
                let help = Mend::nearest_or(name, asked.iter().copied(), Mend::MayHave(listed(&asked)));
                self.problems.error_with_help(key.span(), mistake, help);
            }
        }
    }

    /// Where a text stands somewhere in this table or below it; the table's header if nowhere.
    pub fn find_text(&self, text: &str) -> Range<usize> {
        find_in(self.table, text).unwrap_or_else(|| self.span())
    }

    fn wrong_word(&self, word: &str, span: Range<usize>, key: &str, right: &[&'static str]) {
        let words = Series::of(right.iter().copied());
        let mistake = Mistake::WrongWord { key: key.to_owned(), word: word.to_owned(), right: words };
        match nearest(word, right.iter().copied()) {
            Some(near) => self.problems.error_with_help(span, mistake, Mend::DidYouMean(near.to_owned())),
            None => self.problems.error(span, mistake),
        }
    }

    fn expect<T>(
        &self,
        value: &Spanned<DeValue<'_>>,
        found: Option<T>,
        key: &str,
        wanted: &'static str,
    ) -> Option<Spot<T>> {
        if found.is_none() {
            let kind = value.get_ref().type_str();
            let (key, of) = (key.to_owned(), self.name.clone());
            self.problems.error(value.span(), Mistake::WrongType { key, of, wanted, kind });
        }
        found.map(|found| (found, value.span()))
    }

    fn below(&self, key: &str) -> String {
        let inner = self.name.trim_matches(['[', ']']);
        if self.name.starts_with('[') { format!("[{inner}.{key}]") } else { format!("[{key}]") }
    }
}

fn find_in(table: &DeTable<'_>, text: &str) -> Option<Range<usize>> {
    table.iter().find_map(|(_, value)| find_value(value, text))
}

fn find_value(value: &Spanned<DeValue<'_>>, text: &str) -> Option<Range<usize>> {
    match value.get_ref() {
        DeValue::String(found) if found.as_ref() == text => Some(value.span()),
        DeValue::Array(items) => items.iter().find_map(|item| find_value(item, text)),
        DeValue::Table(table) => find_in(table, text),
        _ => None,
    }
}

fn listed(words: &[&str]) -> String {
    let mut words: Vec<_> = words.to_vec();
    words.sort_unstable();
    words.dedup();
    words.join(", ")
}

/// Parses TOML text and hands its root table to `read`; syntax errors become problems too.
pub fn read_root<T>(text: &str, name: &str, problems: &Problems, read: impl FnOnce(&Section<'_>) -> T) -> Option<T> {
    let (root, errors) = DeTable::parse_recoverable(text);
    for error in &errors {
        problems.error(error.span().unwrap_or(0..0), error.message().to_owned());
    }
    if !errors.is_empty() {
        return None;
    }
    let section = Section::new(root.get_ref(), 0..0, name, problems);
    let value = read(&section);
    section.finish();
    Some(value)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn messages(text: &str) -> Vec<String> {
        let problems = Problems::default();
        read_root(text, "the file", &problems, |root| {
            root.required_text("game");
            root.one_of("scheme", &[("dotted", 1), ("semver", 2)]);
            root.number("depth");
            for shelf in root.sections("shelf") {
                shelf.required_text("name");
                shelf.finish();
            }
        });
        problems.into_sorted().into_iter().map(|p| format!("{} | {}", p.message, p.help.unwrap_or_default())).collect()
    }

    #[test]
    fn every_problem_is_found_at_once() {
        let found = messages("gmae = 'x'\nscheme = 'dottet'\ndepth = -1\n[[shelf]]\nnam = 'a'\n");
        assert_eq!(found.len(), 6, "{found:#?}");
        assert!(found.contains(&"the file has no key `gmae` | did you mean `game`?".to_owned()));
        assert!(found.contains(&"the file lacks `game` | ".to_owned()));
        assert!(found.iter().any(|m| m.contains("`scheme` can't be `dottet`") && m.contains("did you mean `dotted`")));
        assert!(found.iter().any(|m| m.contains("`depth` of the file must be a whole number")));
        assert!(found.contains(&"[[shelf]] has no key `nam` | did you mean `name`?".to_owned()));
    }

    #[test]
    fn syntax_errors_are_problems() {
        assert_eq!(messages("game = \n").len(), 1);
        assert!(messages("game = 'x'").is_empty());
    }
}
