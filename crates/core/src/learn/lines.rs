//! What a draft says of facts, relations and lists, as values: they are weighed and changed as such, and written down once.

use std::collections::BTreeMap;

use toml_edit::Value;

use crate::rulebook::RelationKind;
use crate::text::page::{inline, list, pattern, text};

/// One place where a fact of a mod is looked for.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum FactLine {
    /// A path in the mod's document.
    At(String),
    /// A path, and a pattern for values there that are none.
    AtExcept {
        /// The path.
        at: String,
        /// The pattern.
        except: &'static str,
    },
    /// A path, and which side a word there means.
    Sides {
        /// The path.
        at: String,
        /// The words.
        means: BTreeMap<String, String>,
    },
    /// A pattern over a text in the mod.
    InText {
        /// The text's place.
        member: String,
        /// The pattern.
        pattern: String,
    },
    /// A pattern over the name of the file or folder.
    FileName(String),
    /// The digest, of a kind if one is named.
    Digest(Option<&'static str>),
}

impl FactLine {
    fn value(&self) -> Value {
        match self {
            Self::At(path) => text(path),
            Self::AtExcept { at, except } => inline([("at", text(at)), ("except", pattern(except))]),
            Self::Sides { at, means } => {
                let means = inline(means.iter().map(|(word, side)| (word, text(side))));
                inline([("at", text(at)), ("means", means)])
            }
            Self::InText { member, pattern: told } => inline([("member", text(member)), ("text", pattern(told))]),
            Self::FileName(name) => inline([("file-name", pattern(name))]),
            Self::Digest(kind) => inline([("digest", kind.map_or_else(|| Value::from(true), text))]),
        }
    }
}

/// Places of which the first that tells anything counts, as the right side of a line.
pub fn fact_value(lines: &[FactLine]) -> Value {
    match lines {
        [one] => one.value(),
        several => list(several.iter().map(FactLine::value)),
    }
}

/// The rulebook's key for a kind.
pub const fn key_of(kind: RelationKind) -> &'static str {
    match kind {
        RelationKind::Required => "required",
        RelationKind::Optional => "optional",
        RelationKind::Conflicting => "conflicting",
        RelationKind::LoadBefore => "load-before",
        RelationKind::LoadAfter => "load-after",
    }
}

/// Where entries of relations stand.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum EntriesAt {
    /// At a path in the document.
    Path(String),
    /// In lines of a text.
    Lines {
        /// The text's place.
        member: String,
        /// The pattern over a line.
        lines: String,
    },
}

/// How relations are read.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct RelationLine {
    /// Where their entries stand.
    pub at: EntriesAt,
    /// Whether entries are keys, with the range behind each.
    pub are_keys: bool,
    /// Where in an entry the id stands.
    pub id: Option<String>,
    /// What stands between the entries of one text.
    pub between: Option<String>,
    /// A pattern over an entry that is a text.
    pub text: Option<String>,
    /// What signs before entries mean.
    pub signs: BTreeMap<String, RelationKind>,
    /// Where in an entry the range stands.
    pub range: Option<String>,
    /// Where in an entry its kind stands, and what words for it mean.
    pub kinds: Option<(String, BTreeMap<String, Option<RelationKind>>)>,
}

impl RelationLine {
    /// One for entries at a path, as they stand.
    pub fn at(path: &str) -> Self {
        Self {
            at: EntriesAt::Path(path.to_owned()),
            are_keys: false,
            id: None,
            between: None,
            text: None,
            signs: BTreeMap::new(),
            range: None,
            kinds: None,
        }
    }

    /// Whether any of its paths takes the first of a list, and not all.
    pub fn takes_a_first(&self) -> bool {
        let at = match &self.at {
            EntriesAt::Path(path) => Some(path),
            EntriesAt::Lines { .. } => None,
        };
        let kind = self.kinds.as_ref().map(|(path, _)| path);
        at.into_iter().chain(&self.id).chain(&self.range).chain(kind).any(|path| path.contains("[0]."))
    }

    /// The right side of its line.
    pub fn value(&self) -> Value {
        let mut pairs = match &self.at {
            EntriesAt::Path(path) => vec![("each", text(path))],
            EntriesAt::Lines { member, lines } => vec![("member", text(member)), ("lines", pattern(lines))],
        };
        pairs.extend(self.are_keys.then(|| ("form", text("id-to-range"))));
        pairs.extend(self.id.as_ref().map(|id| ("id", text(id))));
        pairs.extend(self.between.as_ref().map(|between| ("between", text(between))));
        pairs.extend(self.text.as_ref().map(|told| ("text", pattern(told))));
        if !self.signs.is_empty() {
            let signs = self.signs.iter().map(|(sign, kind)| (sign, text(key_of(*kind))));
            pairs.push(("signs", inline(signs)));
        }
        pairs.extend(self.range.as_ref().map(|range| ("range", text(range))));
        if let Some((path, kinds)) = &self.kinds {
            let kinds = kinds.iter().map(|(word, kind)| (word, text(kind.map_or("none", key_of))));
            pairs.extend([("kind", text(path)), ("kinds", inline(kinds))]);
        }
        inline(pairs)
    }
}

/// How a list is read, but for its name, its file and whose it is.
#[derive(Debug, Clone, Default, PartialEq, Eq, Hash)]
pub struct ListLines {
    /// The notation, where the file's name does not tell it.
    pub notation: Option<&'static str>,
    /// The option of a launch line that gives it.
    pub option: Option<String>,
    /// The path of its entries.
    pub each: Option<String>,
    /// How they are written, where they are no texts.
    pub form: Option<&'static str>,
    /// The keys, where those are numbered.
    pub key: Option<String>,
    /// Where in an entry the id stands.
    pub id: Option<String>,
    /// Where in an entry it is told whether the mod is on.
    pub on: Option<String>,
    /// What unusual words for that mean.
    pub means: Option<[(&'static str, &'static str); 2]>,
    /// Where in an entry the version stands.
    pub version: Option<String>,
    /// Where in an entry the digest stands.
    pub digest: Option<String>,
    /// A pattern over the value of an entry.
    pub text: Option<&'static str>,
    /// What stands between entries.
    pub between: Option<String>,
    /// How an entry is written, where it is more than the id.
    pub entry: Option<String>,
    /// How an entry is written that is off.
    pub off: Option<String>,
    /// Where it is told how many entries there are.
    pub count: Option<String>,
    /// Whether the order counts.
    pub is_ordered: bool,
    /// The encoding, where it has to be said.
    pub encoding: Option<&'static str>,
    /// The side whose mods it has, where it is not everybody's.
    pub needed_on: Option<&'static str>,
}

impl ListLines {
    /// Those of entries at a path.
    pub fn at(path: &str) -> Self {
        Self { each: Some(path.to_owned()), ..Self::default() }
    }

    /// Its lines, in their order.
    pub fn lines(&self) -> Vec<(&'static str, Value)> {
        let owned = |value: &Option<String>| value.as_deref().map(text);
        let means = self.means.map(|words| inline(words.map(|(word, state)| (word, text(state)))));
        let all = [
            ("notation", self.notation.map(text)),
            ("option", owned(&self.option)),
            ("each", owned(&self.each)),
            ("form", self.form.map(text)),
            ("key", owned(&self.key)),
            ("id", owned(&self.id)),
            ("text", self.text.map(pattern)),
            ("on", owned(&self.on)),
            ("means", means),
            ("version", owned(&self.version)),
            ("digest", owned(&self.digest)),
            ("between", owned(&self.between)),
            ("entry", owned(&self.entry)),
            ("off", owned(&self.off)),
            ("count", owned(&self.count)),
            ("ordered", self.is_ordered.then(|| Value::from(true))),
            ("encoding", self.encoding.map(text)),
            ("needed_on", self.needed_on.map(|side| list([text(side)]))),
        ];
        all.into_iter().filter_map(|(key, value)| Some((key, value?))).collect()
    }
}
