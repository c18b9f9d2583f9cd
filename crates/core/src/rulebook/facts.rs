//! How one fact about a mod is found: where to look, in what order, and what the value found there means.

use std::collections::BTreeMap;
use std::ops::Range;

use regex::Regex;
use serde_json_path::JsonPath;

use super::names::NamePattern;
use crate::base::digest::DigestKind;
use crate::base::path::InstallPath;
use crate::rulebook::RelationKind;
use crate::text::{Encoding, Notation};

/// A document that belongs to a mod: a member of its archive or a file in its folder.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct DocumentRule {
    /// Its path inside the mod.
    pub member: String,
    /// How it is written.
    pub notation: Notation,
    /// How its text is stored.
    pub encoding: Encoding,
}

/// A document outside of the mods that tells of all of them.
#[derive(Debug, Clone)]
pub struct ToldBy {
    /// The file, from the install's root.
    pub file: InstallPath,
    /// How it is written.
    pub notation: Notation,
    /// How its text is stored.
    pub encoding: Encoding,
    /// The entries, or the object whose keys are the mods' names.
    pub each: JsonPath,
    /// Where in an entry the name of the mod's file or folder is; without it, entries are named by their keys.
    pub key: Option<JsonPath>,
}

/// A fact: the first step that yields a value decides.
#[derive(Debug, Clone, Default)]
pub struct FactRule(pub Vec<FactStep>);

/// One place where a fact may be.
#[derive(Debug, Clone)]
pub struct FactStep {
    /// Where the value is.
    pub origin: Origin,
    /// What the value stands for; a value that is not in the table is no answer.
    pub means: Option<BTreeMap<String, String>>,
    /// Values that are no answer, such as a placeholder.
    pub except: Option<Regex>,
    /// Where in the rulebook it stands.
    pub span: Range<usize>,
}

/// Where a value is.
#[derive(Debug, Clone)]
pub enum Origin {
    /// At a place in a document: the mod's main one, or the one named here.
    Document {
        /// Another document than the main one.
        document: Option<DocumentRule>,
        /// The place, by RFC 9535.
        at: JsonPath,
    },
    /// In the name of the mod's file or folder, by a regex whose named group holds it.
    Name(Regex),
    /// In the text of a member, by a regex whose named group holds it.
    Text {
        /// The member's path inside the mod.
        member: String,
        /// How its text is stored.
        encoding: Encoding,
        /// The pattern.
        line: Regex,
    },
    /// Always this value.
    Is(String),
    /// The digest of the mod itself: for mods that carry no name and no version.
    Digest(DigestKind),
}

impl Origin {
    /// The file of the mod that it is read from, where that is not the main document.
    pub const fn member(&self) -> Option<&String> {
        match self {
            Self::Document { document: Some(document), .. } => Some(&document.member),
            Self::Text { member, .. } => Some(member),
            Self::Document { document: None, .. } | Self::Name(_) | Self::Is(_) | Self::Digest(_) => None,
        }
    }
}

/// Words or signs for kinds of relations; nothing for those that are none.
pub type KindWords = BTreeMap<String, Option<RelationKind>>;

/// Archives inside the archive, whose ids it stands for too.
#[derive(Debug, Clone)]
pub struct NestedRule {
    /// Which members they are.
    pub matches: Vec<NamePattern>,
    /// How many levels deep.
    pub depth: usize,
}

/// A list of relations to other mods.
#[derive(Debug, Clone)]
pub struct RelationRule {
    /// What kind of relation the list states.
    pub kind: RelationKind,
    /// Where its entries stand.
    pub place: RelationPlace,
    /// How an entry is read.
    pub form: RelationForm,
    /// Where in the rulebook it stands.
    pub span: Range<usize>,
}

/// Where the entries of a relation list stand.
#[derive(Debug, Clone)]
pub enum RelationPlace {
    /// In a document.
    Document {
        /// The document, if it is not the main one.
        document: Option<DocumentRule>,
        /// The entries.
        each: JsonPath,
        /// Where one entry stands alone in place of a list.
        alone: Option<JsonPath>,
    },
    /// In lines of a text, by a regex whose group `entries` holds them.
    Lines {
        /// The member's path inside the mod.
        member: String,
        /// How its text is stored.
        encoding: Encoding,
        /// The pattern.
        line: Regex,
    },
}

impl RelationPlace {
    /// The file of the mod that it is read from, where that is not the main document.
    pub const fn member(&self) -> Option<&String> {
        match self {
            Self::Document { document: Some(document), .. } => Some(&document.member),
            Self::Document { document: None, .. } => None,
            Self::Lines { member, .. } => Some(member),
        }
    }
}

/// How an entry of a relation list is written.
#[derive(Debug, Clone)]
pub enum RelationForm {
    /// An object with an id and perhaps a range.
    Objects {
        /// Where in the entry the id is.
        id: JsonPath,
        /// Where in the entry the range is.
        range: Option<JsonPath>,
        /// Where in the entry its kind is, and what the words for it mean.
        kind: Option<(JsonPath, KindWords)>,
    },
    /// An object whose keys are ids and whose values are ranges.
    IdToRange {
        /// Where in the value the range is, where that is an object.
        range: Option<JsonPath>,
    },
    /// A text that is the id.
    Ids,
    /// A text with a small grammar of its own.
    Text {
        /// What stands between several entries of one text.
        between: Option<String>,
        /// The pattern; its groups `id`, `range` and `sign` are understood.
        line: Regex,
        /// What the signs mean; one that is not listed means the rule's own kind.
        signs: KindWords,
    },
}
