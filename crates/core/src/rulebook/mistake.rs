//! What is wrong or doubtful in a rulebook, and how it is mended, as values. Each says itself in words in one way.

use displaydoc::Display;

use super::wrong::PatternError;
use crate::base::names::ShelfName;
use crate::base::path::InstallPath;
use crate::base::stated::Series;

/// What is wrong or doubtful at a place of a file that a person wrote.
#[derive(Debug, Clone, PartialEq, Eq, Display)]
pub enum Mistake {
    // Of any table.
    /// {of} lacks `{key}`
    Lacks {
        /// The table.
        of: String,
        /// The key.
        key: &'static str,
    },
    /// {of} has no key `{key}`
    UnknownKey {
        /// The table.
        of: String,
        /// The key.
        key: String,
    },
    /// `{key}` can't be `{word}`; expected one of: {right}
    WrongWord {
        /// The key.
        key: String,
        /// What it says.
        word: String,
        /// What it may say.
        right: Series,
    },
    /// `{key}` can't mean `{word}`; expected one of: {right}
    WrongMeaning {
        /// The key.
        key: String,
        /// What it says.
        word: String,
        /// What it may say.
        right: Series,
    },
    /// `{key}` of {of} must be {wanted}, not a value of type {kind}
    WrongType {
        /// The key.
        key: String,
        /// The table.
        of: String,
        /// What must stand there.
        wanted: &'static str,
        /// What stands there.
        kind: &'static str,
    },
    /// `{key}` must be a table such as {sample}, not a {kind}
    NoTable {
        /// The key.
        key: String,
        /// What it may be.
        sample: String,
        /// What stands there.
        kind: &'static str,
    },

    // Of the whole file.
    /// `format` is `{found}`; this version of Kanon reads `{reads}`
    OtherFormat {
        /// What it says.
        found: String,
        /// What this program reads.
        reads: String,
    },
    /// the first line must say what the file is
    NoFormat,
    /// There is no shelf.
    #[displaydoc("the rulebook names no [[shelf]]: it must say where mods live")]
    NoShelf,
    /// two shelves are called `{0}`; each needs a name of its own
    ShelvesCalledAlike(ShelfName),
    /// two shelves are called `{0}`
    ShelvesAlike(ShelfName),
    /// two lists are called `{0}`
    ListsAlike(String),
    /// the shelves `{first}` and `{second}` both claim all of {place}
    ClaimedTwice {
        /// The one shelf.
        first: ShelfName,
        /// The other.
        second: ShelfName,
        /// The place.
        place: String,
    },
    /// A list of a shelf that is not there.
    #[displaydoc("a list names the mods of the shelf `{0}`, and no [[shelf]] is called so")]
    UnknownShelf(ShelfName),
    /// A shelf of a list that is not there.
    #[displaydoc("a shelf speaks of the list `{0}`, and no [[list]] is called so")]
    UnknownList(String),
    /// Two tables are of one file.
    #[displaydoc("two [[fragment]] tables put entries into {0} in different ways")]
    FragmentsDiffer(InstallPath),
    /// the patterns of this file are too costly together
    TooCostly,
    /// Nothing says what logs mean.
    #[displaydoc("no [[event]] says what lines of logs mean")]
    NoEvent,
    /// still open: {0}
    StillOpen(String),

    // Of one value.
    /// `version` must say where the version is found
    NoVersionPlace,
    /// `{0}` must say where it is found, in one way
    NoPlace(String),
    /// the notation of `{0}` can't be told from its name
    NoNotation(String),
    /// the shelf does not say how a mod's id is found
    NoId,
    /// `{0}` says no version
    NoVersion(ShelfName),
    /// `{0}` says no title
    NoTitle(ShelfName),
    /// only mods that are folders can have settings of whoever plays in them
    SettingsInFiles,
    /// `settings` and `signed` can't both be: what is signed is the same everywhere
    SettingsSigned,
    /// only mods that are folders can bring files for other places
    ExtrasInFiles,
    /// what lies beside overlays and ids belongs to no mod
    NothingBeside,
    /// a folder's name has no ending: write {{name}} for all of it
    StemOfFolder,
    /// a shelf names at most {0} kinds of files beside its mods
    ManyBeside(usize),
    /// `{0}` is read from, and is none of the files that `beside` names
    NotBeside(String),
    /// what a mod brings goes into places that are known: no `*` here
    WildExtra,
    /// a shelf holds one kind of thing, or archives and folders alike
    ManyKinds,
    /// this can't be the name of a file or folder
    NoName,
    /// A list without a place.
    #[displaydoc("[[list]] does not say where its entries are")]
    NoEntries,
    /// `same` must be a list of lists of texts
    NoGroups,
    /// `{0}` can't be looked for
    NotLookedFor(String),
    /// `{0}` is no amount of memory
    NoAmount(String),
    /// `{text}` is no pattern: {why}
    NoPattern {
        /// What it says.
        text: String,
        /// Why.
        why: PatternError,
    },
    /// `{text}` is no regex: {why}
    NoRegex {
        /// What it says.
        text: String,
        /// What the library says of it.
        why: String,
    },
    /// `{0}` does not say where the value is
    NoGroup(String),
    /// the group `{0}` says nothing
    UnknownGroup(String),
    /// `{text}` is no JSONPath: {why}
    NoJsonPath {
        /// What it says.
        text: String,
        /// What the library says of it.
        why: String,
    },
    /// `{text}` can't be used as a JSONPath: {why}
    CostlyPath {
        /// Its beginning.
        text: String,
        /// Why.
        why: CostlyPath,
    },
}

/// Why a path costs more than any should.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Display)]
pub enum CostlyPath {
    /// it is too long
    Long,
    /// its brackets are nested too deep
    Deep,
    /// it selects too many at once
    Many,
    /// `..` may stand in it once
    Descents,
}

/// How a mistake is mended.
#[derive(Debug, Clone, PartialEq, Eq, Display)]
pub enum Mend {
    /// Nothing is known that would.
    #[displaydoc("")]
    Nothing,
    /// did you mean `{0}`?
    DidYouMean(String),
    /// it may have: {0}
    MayHave(String),
    /// begin it with: format = "{0}"
    BeginWith(String),
    /// rename one
    RenameOne,
    /// give each its own place, or its own `match`
    OwnPlaces,
    /// A shelf is missing.
    #[displaydoc("add that [[shelf]]")]
    AddShelf,
    /// A list is missing.
    #[displaydoc("add that [[list]]")]
    AddList,
    /// give both the same `before` and `identity`
    SameFragments,
    /// write fewer of them, or shorter ones; repetitions such as {{1,500}} are what costs most
    FewerPatterns,
    /// without one, diagnosing is guessing: kanon learn --rulebook FILE --server-log LOG drafts them
    DraftEvents,
    /// see to it, and take the mark out
    SeeToIt,
    /// write {{ file-name = 'regex' }}, {{ file = "path", at = "$.place" }} or {{ file = "path", text = 'regex' }}
    VersionPlaces,
    /// write one of: at = "$.place", file-name = 'regex', text = 'regex' with member, is = "value", digest = true
    FactPlaces,
    /// add notation = one of: {0}
    AddNotation(Series),
    /// Nothing says where the id is.
    #[displaydoc("add to its [shelf.mod]: id = \"$.id\", or id = {{ file-name = '(?<id>.+)\\.zip' }}")]
    AddId,
    /// without one, two releases of a mod can't be told apart: version = {{ digest = true }}, if there is no other
    AddVersion,
    /// players read titles, and know no ids: title = "$.…"
    AddTitle,
    /// make a shelf for each kind, with its own `match`
    ShelfForEach,
    /// write it with `{{id}}`, and `{{version}}` if that is part of it: called = "@{{id}}"
    Called,
    /// A list says nothing of its entries.
    #[displaydoc("write one of: each = \"$.mods[*]\", option = \"-mods=\", notation = \"lines\"")]
    EntryPlaces,
    /// write groups of texts: same = [["1", "true"], ["0", "false"]]
    Groups,
    /// write a number and its unit, such as 512MiB or 2GiB
    Amount,
    /// write a path from the install's root, with `/`
    Path,
    /// put it in a group named `{0}`: (?<{0}>…)
    NameGroup(String),
    /// these are understood: {0}
    Understood(Series),
    /// Something is no path.
    #[displaydoc("a path begins with `$`, such as \"$.id\" or \"$.needs[*]\" (RFC 9535)")]
    JsonPath,
    /// name the place more closely
    MoreClosely,
}

impl Mend {
    /// The nearest of the right words, if one is near enough to be what was meant; else this.
    pub fn nearest_or<'a>(word: &str, right: impl IntoIterator<Item = &'a str>, other: Self) -> Self {
        crate::base::problem::nearest(word, right).map_or(other, |near| Self::DidYouMean(near.to_owned()))
    }
}
