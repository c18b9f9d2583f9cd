//! What speaks for an inference, as values; and the inference itself. A clue says itself in words in one way.

use std::fmt;

use displaydoc::Display;

use crate::base::in_words::joined;
use crate::base::path::InstallPath;
use crate::base::stated::Series;
use crate::rulebook::Role;

/// A value that was inferred, how sure it is, and what speaks for it.
#[derive(Debug, Clone)]
pub struct Inferred<T> {
    /// The value.
    pub value: T,
    /// How sure it is, from 0 to 1.
    pub confidence: f64,
    /// What speaks for it.
    pub clues: Vec<Clue>,
}

impl<T> Inferred<T> {
    /// One with what speaks for it.
    pub fn new(value: T, confidence: f64, clues: impl Into<Vec<Clue>>) -> Self {
        Self { value, confidence, clues: clues.into() }
    }
}

/// One thing that speaks for an inference.
#[derive(Debug, Clone, PartialEq, Display)]
pub enum Clue {
    /// {0} states it, and no other file another
    FileStates(InstallPath),
    // Of files in mods.
    /// nothing but {files} differs between the sides, in {mods} of the mods
    DiffersInSameMods {
        /// The files.
        files: Series,
        /// In so many mods.
        mods: usize,
    },
    // Of facts that documents and names tell.
    /// {values} different values in {mods} mods
    DifferentValues {
        /// How many values.
        values: usize,
        /// In so many mods.
        mods: usize,
    },
    /// {0:.0} % stand in the name of the file or folder
    InName(f64),
    /// {0:.0} % are named by other mods
    NamedByMods(f64),
    /// {0:.0} % are named in text files outside the shelf
    NamedInTexts(f64),
    /// {0:.0} % look like versions
    LikeVersions(f64),
    /// the name of the file or folder
    TheName,
    /// it stands in the name of the file or folder
    StandsInName,
    /// some are placeholders that a build was to fill in; the next place counts for those
    Placeholders,
    /// {count} of the others are told by {member}
    OthersToldBy {
        /// How many.
        count: usize,
        /// The member.
        member: String,
    },
    /// {told} of {all} state it in a line of their text
    InALine {
        /// How many do.
        told: usize,
        /// How many there are.
        all: usize,
    },
    /// words for people, such as "{0}"
    WordsForPeople(String),
    /// `{word}` is the everyday word for {side}
    EverydayWord {
        /// The word.
        word: String,
        /// The side.
        side: &'static str,
    },
    /// mods that say `{word}` were seen {place}
    SeenThere {
        /// The word.
        word: String,
        /// Where, as `on both sides`.
        place: &'static str,
    },
    /// its key speaks of it, and its values are requirements, such as "{0}"
    Requirements(String),
    /// nothing in the files tells it; {told} of {names} names fit
    NamesFit {
        /// How many do.
        told: usize,
        /// How many there are.
        names: usize,
    },
    /// it stands in the names; a mod without one is known by its digest
    InNamesOrDigest,
    /// nothing tells a version, so that two releases differ in their digests alone
    DigestsAlone,
    /// a list asks for them by their {0}
    AskedByDigest(&'static str),
    /// its key says so; {0} ids
    KeySaysIds(usize),

    // Of versions.
    /// no versions were found; this is the usual scheme
    NoVersions,
    /// {0} of {0} versions are dates
    Dates(usize),
    /// most versions have no numbers to put in order
    NoNumbers,
    /// {0} of {1} versions have a pre-release or build part after three numbers
    Tagged(usize, usize),
    /// {0} of {1} versions have other than three plain numbers; dotted takes both
    Untagged(usize, usize),
    /// {intervals} requirements in brackets, {comparators} with signs, {bare} plain versions
    Ranges {
        /// Such as `[1,2)`.
        intervals: usize,
        /// Such as `>=1`.
        comparators: usize,
        /// Such as `1.2`.
        bare: usize,
    },
    /// of the plain versions asked for, {same} are installed exactly, {newer} in a newer release, {older} in an older one
    PlainVersions {
        /// Installed exactly.
        same: usize,
        /// Installed in a newer release.
        newer: usize,
        /// Installed in an older release.
        older: usize,
    },
    /// you said so
    Said,

    // Of relations.
    /// {known} of {all} entries name mods that are there
    Known {
        /// How many do.
        known: usize,
        /// How many there are.
        all: usize,
    },
    /// its key is `{0}`
    Key(String),
    /// `{sign}` stands before {all}, of which {there} are there
    Before {
        /// The sign.
        sign: String,
        /// How many entries it stands before.
        all: usize,
        /// How many of them are there.
        there: usize,
    },
    /// `{0}` tells the kinds apart
    TellsKinds(String),
    /// {0} of them are not there, and can't be required then
    NotThere(usize),

    // Of lists.
    /// {named} of its {entries} entries name mods, {mods} of {all} mods that are there
    Named {
        /// Entries that name mods.
        named: usize,
        /// All of its entries.
        entries: usize,
        /// The mods that they name.
        mods: usize,
        /// The mods there are.
        all: usize,
    },
    /// its entries do not stand in the order of the alphabet, so that the order may matter
    NotAlphabetic,
    /// they follow the option `{0}` on one line
    FollowOption(String),
    /// another option of the same line has the mods of the other kind
    OtherOption,
    /// it names no mod of the other shelves
    NoOtherShelf,
    /// entries that no mod was found for: the game's own, or mods that are missing
    NoModFound,

    // Of shelves and what is around.
    /// {0} alike, each with its own id
    Alike(usize),
    /// {with} of {all} mods have it
    HaveIt {
        /// How many have.
        with: usize,
        /// How many there are.
        all: usize,
    },
    /// the mods tell nothing themselves, and it has an entry for each
    EntryForEach,
    /// on the {role} the same mods lie in {places} places
    InPlaces {
        /// The side.
        role: Role,
        /// How many places.
        places: usize,
    },
    /// seen on the {0}
    SeenOn(Role),
    /// no client was looked at
    NoClient,
    /// the server has only their ids
    OnlyIds,
    /// no shelf was found, and a list of ids was
    OnlyListOfIds,
    /// files are named so that are mods like the others
    NamedOff,
    /// archives of the same kind lie inside
    ArchivesInside,
    /// the shelf is on the {0} alone
    OnSideAlone(&'static str),
    /// {0} mods lack the document of the others
    LackDocument(usize),
    /// {shared} of the {all} members of these archives are in it too
    MembersInIt {
        /// How many are.
        shared: usize,
        /// How many there are.
        all: usize,
    },
    /// members there are in no base archive of that role
    NoSuchMembers,
    /// mods ask for it, or a list has it, and no mod is called so
    AskedForAndNoMod,
    /// {0} stands there
    StandsThere(String),
    /// many mods ask for it, and its name says so
    ManyAsk,
    /// {file} tells {version}, and mods speak of {name}
    FileTells {
        /// The file.
        file: InstallPath,
        /// The version in its name.
        version: String,
        /// Of what.
        name: String,
    },
    /// {same} of the {all} files in {folder} are byte for byte in mods too
    ByteForByte {
        /// How many are.
        same: usize,
        /// How many there are.
        all: usize,
        /// The folder.
        folder: String,
    },
    /// no mod brings these: the game's own, or left over
    NoModBrings,
    /// {count} of {all} files that fit {payload} have such a file beside them
    Beside {
        /// How many have.
        count: usize,
        /// How many there are.
        all: usize,
        /// The pattern.
        payload: String,
    },
    /// files beside {0} mods are called after them, and tell what they are
    TellBeside(usize),
    /// files beside {0} mods are called after them, and are the same wherever the mods are
    LieBeside(usize),
    /// it holds {0} bytes
    HoldsBytes(Series),
    /// told by the size of the signatures alone; nothing was verified
    BySizeAlone,
    /// {0}
    Values(OnSides),
    /// a switch whose name speaks of mods; it is `{0}`
    Switch(String),
    /// {0} is called so
    CalledSo(String),
    /// {folder} is called so, and holds {what}
    CalledSoAndHolds {
        /// The folder.
        folder: String,
        /// What is in it.
        what: Inside,
    },
    /// {0} and others are called so
    OthersToo(String),
}

/// What a folder holds.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Inside {
    /// So many folders.
    Folders(usize),
    /// So many files.
    Files(usize),
    /// What a game writes.
    Written,
}

impl fmt::Display for Inside {
    fn fmt(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
        let (count, word) = match self {
            Self::Folders(count) => (count, "folder"),
            Self::Files(count) => (count, "file"),
            Self::Written => return out.write_str("what is written"),
        };
        write!(out, "{count} {word}{}", if *count == 1 { "" } else { "s" })
    }
}

/// What a setting says on each side.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct OnSides(pub Vec<(String, Role)>);

impl fmt::Display for OnSides {
    fn fmt(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
        joined(out, self.0.iter().map(|(value, role)| format!("`{value}` on the {role}")), ", ")
    }
}
