//! How mod lists and launch lines are written: where the entries are, and what one entry looks like.

use std::collections::BTreeMap;
use std::ops::Range;

use regex::Regex;
use serde_json_path::JsonPath;

use super::names::NamePattern;
use super::places::PlacePattern;
use super::sides::Role;
use super::wrong::PatternError;
use crate::base::names::ShelfName;
use crate::rulebook::NeededOn;
use crate::text::{Dialect, Encoding, Notation};

/// A mod list or a launch line.
#[derive(Debug, Clone)]
pub struct ListRule {
    /// What the rulebook calls it.
    pub name: String,
    /// Whose it is; both sides' when not said.
    pub of: Option<Role>,
    /// The file that holds it; none for a launch line that is only printed.
    pub file: Option<PlacePattern>,
    /// How the file's text is stored.
    pub encoding: Encoding,
    /// Where in the file the entries are.
    pub form: ListForm,
    /// How the text of one entry is written.
    pub entry: Template,
    /// How the text of an entry is written that is switched off.
    pub off: Option<Template>,
    /// Where the document says how many entries there are; it is a setting that goes with the list.
    pub count: Option<JsonPath>,
    /// Whether their order matters.
    pub ordered: bool,
    /// Entries that stand for no mod: the game itself, things that are bought.
    pub keep: Vec<NamePattern>,
    /// The shelves whose mods it names; see [`super::Rulebook::shelves_of`] for when none is said.
    pub shelves: Vec<ShelfName>,
    /// Where the mods are needed that it names; those that its side needs, when not said.
    pub needed_on: Vec<NeededOn>,
}

impl ListRule {
    /// What the command line stands in that this is a list of.
    pub fn dialect(&self, text: &str) -> Dialect {
        Dialect::of(&self.file.as_ref().map(ToString::to_string).unwrap_or_default(), text)
    }
}

/// Where in a file the entries of a list are.
#[derive(Debug, Clone)]
pub enum ListForm {
    /// At places of a document.
    Document {
        /// How it is written.
        notation: Notation,
        /// The entries, or what holds them.
        each: JsonPath,
        /// How one entry is written.
        shape: EntryShape,
    },
    /// After an option of a command line.
    Option {
        /// The option, with the sign that ends it.
        option: String,
        /// What stands between entries; none when the option is given once for each.
        between: Option<String>,
    },
    /// One on each line.
    Lines,
}

/// How one entry of a document is written.
#[derive(Debug, Clone)]
pub enum EntryShape {
    /// A text.
    Text {
        /// What stands between several entries of one text.
        between: Option<String>,
    },
    /// An object.
    Object(EntryFields),
    /// A key; its value says whether it is switched on.
    KeyToFlag,
    /// A key; its value is the version.
    KeyToVersion,
    /// A key; its value is an object, or a text that says more.
    KeyToFields(EntryFields),
    /// The value of a key with a number in it, in the order of the numbers.
    Numbered(NumberedKey),
}

/// How keys are written that have a number in them: `Slot{n}`.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct NumberedKey {
    before: String,
    after: String,
}

impl NumberedKey {
    /// Reads a template such as `Slot{n}`.
    ///
    /// # Errors
    /// When it has no place for one number.
    pub fn new(text: &str) -> Result<Self, PatternError> {
        match text.split("{n}").collect::<Vec<_>>()[..] {
            [before, after] if !text.replace("{n}", "").contains(['{', '}']) => {
                Ok(Self { before: before.to_owned(), after: after.to_owned() })
            }
            _ => Err(PatternError::NoNumber),
        }
    }

    /// Where the number stands in a key that is written so, and the number.
    pub fn number_in(&self, key: &str) -> Option<(Range<usize>, u64)> {
        let digits = self.before.len()..key.len().checked_sub(self.after.len())?;
        let found = key.get(digits.clone()).filter(|found| !found.is_empty())?;
        let is_so = key.starts_with(&self.before) && key.ends_with(&self.after);
        let number = found.bytes().all(|byte| byte.is_ascii_digit()).then(|| found.parse().ok()).flatten()?;
        is_so.then_some((digits, number))
    }

    /// The key with this number.
    pub fn with(&self, number: &str) -> String {
        format!("{}{number}{}", self.before, self.after)
    }
}

/// Where the facts of an entry are inside it.
#[derive(Debug, Clone, Default)]
pub struct EntryFields {
    /// The text that names the mod.
    pub id: Option<JsonPath>,
    /// Its version.
    pub version: Option<JsonPath>,
    /// Its digest.
    pub digest: Option<JsonPath>,
    /// Whether it is switched on.
    pub on: Option<JsonPath>,
    /// What the words for `on` and `off` are, where they are not the usual ones.
    pub means: BTreeMap<String, bool>,
    /// For a value that is a text: its groups `version`, `digest` and `on` are understood.
    pub text: Option<Regex>,
}

/// The text of an entry, with places for what it names.
#[derive(Debug, Clone)]
pub struct Template {
    text: String,
    regex: Regex,
}

/// What an entry's text names.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Filled {
    /// The mod's id.
    pub id: Option<String>,
    /// The name of its file or folder.
    pub name: Option<String>,
    /// Its version.
    pub version: Option<String>,
    /// Its digest.
    pub digest: Option<String>,
}

/// The places that a template may have, and what may stand there.
const PLACES: [(&str, &str, &str); 5] = [
    ("{id}", "(?<id>", r"[^\s].*?)"),
    ("{name}", "(?<name>", r"[^\s].*?)"),
    ("{version}", "(?<version>", r"[0-9A-Za-z][^\s;,]*?)"),
    ("{digest}", "(?<digest>", r"[0-9A-Fa-f]+)"),
    ("{any}", "(?:", r".*?)"),
];

impl Template {
    /// Reads a template such as `#{id}` or `{id}_{version}`.
    ///
    /// # Errors
    /// When it names no mod, or has a place that is not known.
    pub fn new(text: &str) -> Result<Self, PatternError> {
        let mut pattern = String::from(r"^\s*");
        let mut rest = text;
        while let Some(start) = rest.find('{') {
            let end = rest[start..].find('}').ok_or(PatternError::OpenPlace)? + start + 1;
            let place = &rest[start..end];
            let known = PLACES.iter().find(|(known, ..)| *known == place);
            let (_, open, inner) = known.ok_or_else(|| PatternError::UnknownPlace(place.to_owned()))?;
            pattern.push_str(&regex::escape(&rest[..start]));
            pattern.push_str(open);
            pattern.push_str(inner);
            rest = &rest[end..];
        }
        pattern.push_str(&regex::escape(rest));
        pattern.push_str(r"\s*$");
        if !text.contains("{id}") && !text.contains("{name}") {
            return Err(PatternError::NoMod);
        }
        let regex = Regex::new(&pattern).map_err(|_| PatternError::PlaceTwice)?;
        Ok(Self { text: text.to_owned(), regex })
    }

    /// What a text names, if it is written in this way.
    pub fn read(&self, text: &str) -> Option<Filled> {
        let captures = self.regex.captures(text)?;
        let group = |name| captures.name(name).map(|found| found.as_str().to_owned());
        Some(Filled { id: group("id"), name: group("name"), version: group("version"), digest: group("digest") })
    }

    /// As it was written.
    pub fn text(&self) -> &str {
        &self.text
    }
}

impl Default for Template {
    fn default() -> Self {
        #[expect(clippy::expect_used, reason = "the text is a constant, and a test reads it")]
        Self::new("{id}").expect("the usual template")
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case("{id}", " reed-lamps ", Some((Some("reed-lamps"), None, None)))]
    #[case("#{id}", "#reed", Some((Some("reed"), None, None)))]
    #[case("#{id}", "reed", None)]
    #[case("{id}_{version}", "reed_lamps_1.2.0", Some((Some("reed"), None, Some("lamps_1.2.0"))))]
    #[case("mods/{name}", "mods/Reed Lamps", Some((None, Some("Reed Lamps"), None)))]
    #[case("{id}@{version}", "reed@1.2", Some((Some("reed"), None, Some("1.2"))))]
    #[case("[{id}]", "[a.b]", Some((Some("a.b"), None, None)))]
    fn templates_read(
        #[case] template: &str,
        #[case] text: &str,
        #[case] expected: Option<(Option<&str>, Option<&str>, Option<&str>)>,
    ) {
        let owned = |text: Option<&str>| text.map(str::to_owned);
        let expected =
            expected.map(|(id, name, v)| Filled { id: owned(id), name: owned(name), version: owned(v), digest: None });
        assert_eq!(Template::new(template).expect("a template").read(text), expected);
    }

    #[test]
    fn a_digest_and_what_does_not_matter_may_stand_in_a_template() {
        let read = Template::new("{any}|{digest}|leaves/{name}").expect("a template").read("4D01|0a1B|leaves/fen.leaf");
        let read = read.expect("it fits");
        assert_eq!((read.digest.as_deref(), read.name.as_deref()), (Some("0a1B"), Some("fen.leaf")));
    }

    #[test]
    fn odd_templates_are_refused_and_the_usual_one_is_not() {
        for bad in ["mods", "{id", "{ids}", "{id}{id}", "{version}"] {
            assert!(Template::new(bad).is_err(), "{bad}");
        }
        assert_eq!(Template::default().text(), "{id}");
    }
}
