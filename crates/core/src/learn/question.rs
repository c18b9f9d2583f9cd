//! What looking could not tell, as values. A question says itself in words in one way.

use std::fmt;

use displaydoc::Display;

use crate::base::in_words::{in_words, joined};
use crate::base::names::ShelfName;
use crate::base::path::{InstallPath, printable};
use crate::base::stated::Series;

/// One question to whoever reads a draft.
#[derive(Debug, Clone, PartialEq, Eq, Display)]
pub enum Question {
    /// Do these files in mods belong to whoever plays: {0}? They differ between the sides, and no check will look at them.
    WhoseFiles(Series),
    /// What is the game called? The draft has the name of the folder.
    Game,
    /// Which of these is the game, and what are the others, which many mods ask for: {0}?
    WhichIsGame(Series),
    /// Does a requirement without a sign, such as `1.2`, mean just that version, or that one and newer? Taken for that one and newer; see `bare`.
    Bare,
    /// Where does an install show the loader's version?
    LoaderVersion,
    /// Ids that are perhaps the game's own.
    #[displaydoc(
        "What are these, which mods require and no mod here is: {0}? If it is the game or the loader, add it to `ids` of [base] or [loader]."
    )]
    UnknownRequired(Series),
    /// is `{0}` what a mod requires, can use, or can't stand? taken by what is there
    Kind(String),
    /// what does {words} at {at} mean: that a mod requires another, can use it, or can't stand it? taken by what is there
    KindWords {
        /// The words.
        words: Quoted,
        /// Where they stand.
        at: String,
    },
    /// Where are the mods of {0} on a client? No client was given, so the server's place was taken.
    ClientPlace(Shelves),
    /// Does a client have {0} too, which tells of the mods? No client was given.
    ToldOnClient(InstallPath),
    /// Where does a mod of {0} state its version?
    Version(Shelves),
    /// Does a mod of {0} say on which side it is needed? None was found, so that each is taken for both.
    Side(Shelves),
    /// What does `{word}` mean at {at} of the shelf `{shelf}`: both, server, client or optional?
    SideWord {
        /// The word.
        word: String,
        /// Where it stands.
        at: String,
        /// The shelf.
        shelf: ShelfName,
    },
    /// For which loader are mods with {0}? The draft names it after the document.
    ForeignLoader(String),
    /// Where are the mods on a client? Only a list of their ids was seen; give --client.
    OnlyIds,
    /// Are these keys the game's own, or left over from mods that are gone: {0}?
    OwnKeys(Series),
    /// What are these entries of `{list}`, which no mod was found for: {entries}?
    Entries {
        /// The list.
        list: String,
        /// Some of its entries.
        entries: Series,
    },
    /// There is no shelf.
    #[displaydoc(
        "No folder was found that holds mods. Is this the folder of the game, with its mods installed? Write a [[shelf]] by hand."
    )]
    NoShelf,
}

in_words!(Question);

/// Shelves that one question is about.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Shelves(pub Vec<String>);

impl fmt::Display for Shelves {
    fn fmt(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
        out.write_str(if self.0.len() == 1 { "the shelf " } else { "the shelves " })?;
        joined(out, self.0.iter().map(|name| format!("`{}`", printable(name))), ", ")
    }
}

/// Words as they stand in files.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Quoted(pub Vec<String>);

impl fmt::Display for Quoted {
    fn fmt(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
        joined(out, self.0.iter().map(|word| format!("`{word}`")), ", ")
    }
}
