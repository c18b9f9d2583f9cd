//! A draft, and what was learned for it.

use std::collections::{BTreeMap, BTreeSet};

use serde::Serialize;

use super::around::{FoundLogs, FoundSetting, FoundWorlds, NamedVersion, StatedVersion};
use super::clue::Inferred;
use super::fields::Choice;
use super::keys::{Ring, Signed};
use super::leftovers::SeenGroup;
use super::mentions::FoundList;
use super::overlays::Laid;
use super::question::Question;
use super::shelves::{Facts, ForeignDocument, Shelf};
use super::unread::{NoList, Unread};
use crate::base::names::ShelfName;
use crate::rulebook::Role;
use crate::text::page::Page;

/// The first field of what learning reports.
pub const FORMAT: &str = "kanon-learned/1";

/// One inference.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Fact {
    /// What it is about.
    pub about: String,
    /// What was inferred.
    pub value: String,
    /// How sure it is, from 0 to 1.
    pub confidence: f64,
    /// What speaks for it.
    pub evidence: Vec<String>,
}

/// A rulebook as it was drafted.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, Serialize)]
pub struct Draft {
    /// `kanon-learned/1`.
    pub format: &'static str,
    /// The rulebook's text.
    pub rulebook: String,
    /// The page that it is written on.
    #[serde(skip)]
    pub(super) page: Page,
    /// What was inferred, in the order of the rulebook.
    pub facts: Vec<Fact>,
    /// What could not be told.
    pub open_questions: Vec<Question>,
    /// Those of the questions that a person can answer in a word.
    #[serde(skip)]
    pub asks: Vec<Ask>,
    /// The groups of alike things that there were.
    #[serde(skip)]
    pub seen: Vec<SeenGroup>,
    /// What mods tell and it does not read.
    #[serde(skip)]
    pub unread: Vec<Unread>,
    /// Text files that name most mods, and that are no list by it.
    #[serde(skip)]
    pub no_lists: Vec<NoList>,
    /// Places of shelves that have several of them on one side.
    #[serde(skip)]
    pub several: Vec<String>,
}

impl Draft {
    /// Says something at its head, since whoever has the file alone is to know, and adds tables at its end.
    pub fn complete(&mut self, remarks: impl IntoIterator<Item = String>, tables: &Page) {
        self.page.above("game", remarks);
        self.rulebook = format!("{}{tables}", self.page);
    }
}

/// A question that a person can answer in a word.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Ask {
    /// What the game is called.
    Game,
    /// What a requirement without a sign means.
    Bare,
    /// What a word for the side means.
    Side {
        /// The word.
        word: String,
        /// The shelf whose mods say it.
        shelf: ShelfName,
    },
}

/// What a person was asked, or would have said.
#[derive(Debug, Clone, Default)]
pub struct Answers {
    /// The game's name.
    pub game: Option<String>,
    /// What a requirement without a sign means: the rulebook's word.
    pub bare: Option<String>,
    /// What words for the side mean, by word.
    pub sides: BTreeMap<String, String>,
    /// Files of lists whose order means nothing, whatever it looks like.
    pub unordered: BTreeSet<String>,
    /// Whether what is named and not there can't be required, whatever its key is called: the install is healthy.
    pub lenient: bool,
    /// Whether nothing is signed, whatever lies beside the files of mods.
    pub unsigned: bool,
    /// Folders that are no place of a shelf, whatever they hold.
    pub left_out: BTreeSet<String>,
    /// Files that name some of the mods that another list names all of, and are no lists of what the game loads.
    pub partial: BTreeSet<String>,
}

/// Everything that was inferred, before it is written down.
pub(super) struct Learned {
    pub(super) game: String,
    pub(super) scheme: Inferred<&'static str>,
    pub(super) ranges: Inferred<&'static str>,
    pub(super) bare: Option<Inferred<&'static str>>,
    pub(super) base_ids: Vec<String>,
    pub(super) base: Option<StatedVersion>,
    pub(super) loader: Option<(NamedVersion, Vec<String>)>,
    /// A loader that mods ask for, and of which no file tells a version.
    pub(super) loader_id: Option<String>,
    pub(super) game_range: BTreeMap<String, Choice>,
    pub(super) loader_range: BTreeMap<String, Choice>,
    pub(super) shelves: Vec<(Shelf, Facts, Vec<ForeignDocument>)>,
    pub(super) ids_from: Option<(String, bool)>,
    pub(super) lists: Vec<(FoundList, bool)>,
    pub(super) ring: Option<(Ring, Role)>,
    pub(super) signed: BTreeMap<String, Signed>,
    pub(super) laid: BTreeMap<String, Laid>,
    /// Files in mods that belong to whoever plays, by shelf.
    pub(super) tastes: BTreeMap<String, Inferred<Vec<String>>>,
    pub(super) settings: Vec<FoundSetting>,
    pub(super) worlds: Vec<FoundWorlds>,
    pub(super) port: Option<Inferred<u16>>,
    pub(super) logs: Vec<(Role, FoundLogs)>,
    pub(super) questions: Vec<Question>,
    pub(super) asks: Vec<Ask>,
    pub(super) has_client: bool,
    pub(super) seen: Vec<SeenGroup>,
    pub(super) unread: Vec<Unread>,
    pub(super) no_lists: Vec<NoList>,
    pub(super) several: Vec<String>,
}
