//! What a finding says should be and what is, as values. Each says itself in words in one way; nobody looks into the words.

use std::borrow::Cow;
use std::fmt;

use crate::base::ids::FoldedId;
use crate::base::in_words::{in_words, joined};
use crate::base::path::InstallPath;
use displaydoc::Display;

/// One thing that should be, or that is.
#[derive(Debug, Clone, PartialEq, Eq, Display)]
pub enum Stated {
    /// {0}
    Verbatim(String),
    /// {0}
    Several(Series),
    /// nothing
    Nothing,
    /// none
    None,
    /// not there
    NotThere,

    // What mods, the game and what it runs on are.
    /// none found
    NoneFound,
    /// {of} {version}
    Release {
        /// The mod, or what of the platform.
        of: String,
        /// Its version, or a range of them.
        version: String,
    },
    /// {0} without a version
    Versionless(FoldedId),
    /// {0} (any release)
    AnyRelease(FoldedId),
    /// {0} from {1}
    From(Box<Stated>, String),
    /// not with {id} {range}
    NotWith {
        /// The other mod.
        id: FoldedId,
        /// The releases of it that are meant.
        range: String,
    },
    /// {id} on the {side} too
    OnSideToo {
        /// The mod.
        id: FoldedId,
        /// The side.
        side: &'static str,
    },
    /// on the {0} alone
    OnSideAlone(&'static str),
    /// on a {0}
    OnA(&'static str),
    /// no such folder yet
    NoSuchFolderYet,
    /// {0}, switched off
    SwitchedOff(String),
    /// also {0}
    Also(Series),
    /// {version} in {place}
    CopyIn {
        /// The version of a copy.
        version: String,
        /// Where it lies.
        place: String,
    },
    /// {0}, the same letters put together otherwise (u and ¨ for ü)
    PutTogetherOtherwise(String),
    /// {0} with other bytes
    WithOtherBytes(String),
    /// a mod that can be read
    ReadableMod,
    /// names that differ in more than letter case
    MoreThanLetterCase,
    /// {0} beside {1}
    Beside(InstallPath, InstallPath),

    // Mods beside the canon.
    /// {version}, switched off in {file}
    SwitchedOffIn {
        /// The version.
        version: String,
        /// The list's file.
        file: String,
    },
    /// {version}, made for the loader {loader}
    MadeForLoader {
        /// The version.
        version: String,
        /// The loader.
        loader: String,
    },
    /// {0}, made for another version of the game or its loader
    MadeForOther(String),
    /// {0}, needed on both sides
    NeededOnBoth(String),
    /// {0}, optional
    Optional(String),
    /// {version}, for the {side} alone
    ForSideAlone {
        /// The version.
        version: String,
        /// The side.
        side: &'static str,
    },

    // Base archives and worlds.
    /// its {0} members laid in
    LaidIn(usize),
    /// {laid} laid in, {missing} missing, {other} with other bytes
    LaidInPart {
        /// Members that are there.
        laid: usize,
        /// Members that are not.
        missing: usize,
        /// Members that are there with other bytes.
        other: usize,
    },
    /// nothing that a {0} must not have
    NothingForbidden(&'static str),
    /// {first} and {more} more
    AndMore {
        /// The first of several.
        first: String,
        /// How many others there are.
        more: usize,
    },
    /// a world made with it
    WorldWith,
    /// a world made without it
    WorldWithout,
    /// one made with it
    OneWith,
    /// one made without it
    OneWithout,

    // Keys and signatures.
    /// the key {0}
    Key(String),
    /// the key {name} of {mods}
    KeyOf {
        /// Its name.
        name: String,
        /// Whose it is.
        mods: Series,
    },
    /// the key {name} of {mods} ({digest})
    KeyWithDigest {
        /// Its name.
        name: String,
        /// Whose it is.
        mods: Series,
        /// The beginning of its digest.
        digest: String,
    },
    /// a key of a mod of the canon
    KeyOfCanon,
    /// no key ({0})
    NoKey(String),
    /// another key under that name ({0})
    OtherKeyUnderName(String),
    /// a public key
    PublicKey,
    /// a key that the server holds
    HeldKey,
    /// signed by {0}
    SignedBy(String),
    /// signed by a key
    SignedBySome,
    /// signed with another key {0}, which only the mod has
    SignedWithOther(String),
    /// a signature
    Signature,
    /// a signature beside it
    SignatureBeside,
    /// it is no signature
    NoSignature,
    /// an outdated signature: the payload is the canon's, the signature is not
    OutdatedSignature,
    /// an altered payload: the signature is the canon's, the payload is not
    AlteredPayload,
    /// an outdated signature: it was made over other bytes, of another release
    SignatureOfOtherRelease,
    /// a signature that was never made over these bytes, in the canon too
    NeverSigned,
    /// a signature that was made over other bytes
    SignatureOverOther,

    // Lists and the launch line.
    /// the list `{0}`
    List(String),
    /// {option}{entries}
    Option {
        /// The option as it is written.
        option: String,
        /// What stands behind it.
        entries: Series,
    },
    /// not listed
    NotListed,
    /// listed once
    ListedOnce,
    /// {0} twice
    Twice(String),
    /// {entry}, which a {role} does not need
    NotNeededBy {
        /// The entry of a list.
        entry: String,
        /// The side.
        role: &'static str,
    },
    /// switched off
    Off,

    // Settings, memory and merged entries.
    /// {name}: {value}
    Setting {
        /// Its name.
        name: String,
        /// Its value.
        value: String,
    },
    /// {name}: a value, but {why}
    SettingWithout {
        /// Its name.
        name: String,
        /// Why nobody knows its value.
        why: String,
    },
    /// nothing is called so yet
    CalledSoYet,
    /// at least {0}
    AtLeast(String),
    /// the file is not there
    FileNotThere,
    /// the file is not there: nothing is called so yet
    NothingCalledSo,
    /// the entries of {0}
    EntriesOf(Series),
    /// the entry {0}
    Entry(String),
    /// it is there {0} times
    Times(usize),
    /// as another release of the mod has it
    OfOtherRelease,
    /// edited by hand
    EditedByHand,
    /// no entry of a mod that is gone
    NoEntryOfGone,
    /// no file of a mod that is gone
    NoFileOfGone,
    /// the file that the mod brings
    AddedFile,
    /// the file that it brought
    FileItBrought,
    /// a file with other bytes
    FileWithOtherBytes,

    // What can't be sealed.
    /// one file for {0} {1}
    OneFileFor(FoldedId, String),
    /// {path} in {place} ({digest})
    Face {
        /// The file.
        path: InstallPath,
        /// The install or source.
        place: String,
        /// The beginning of its digest.
        digest: String,
    },
    /// no release of it in any source or install
    NoRelease,
    /// {id} {version} as it was sealed ({digest}); {places} still has those
    SealedStillIn {
        /// The mod.
        id: FoldedId,
        /// Its version.
        version: String,
        /// The beginning of its digest.
        digest: String,
        /// Where such bytes are.
        places: Series,
    },
    /// {id} {version} as it was sealed ({digest}); no copy of those is at hand any more
    SealedNowhere {
        /// The mod.
        id: FoldedId,
        /// Its version.
        version: String,
        /// The beginning of its digest.
        digest: String,
    },
    /// the same release with other bytes in {places} ({digest})
    OtherBytesIn {
        /// Where they are.
        places: Series,
        /// The beginning of their digest.
        digest: String,
    },
    /// one mod that stands for {0}
    OneModFor(FoldedId),
    /// one mod that brings the entry {0}
    OneModWithEntry(String),
    /// on the server and on clients, as the mod says itself
    OnBothAsSaid,
    /// on the {0} alone, as kanon.toml says
    OnSideAsWished(&'static str),
    /// one key called {0}
    OneKeyCalled(String),
    /// {digest} of {mods}
    DigestOf {
        /// The beginning of a digest.
        digest: String,
        /// Whose it is.
        mods: Series,
    },
    /// a name for each mod
    NameForEach,
    /// {mods} would all be called {name}
    AllCalled {
        /// The mods.
        mods: Series,
        /// The one name.
        name: String,
    },
    /// position {0} in the load order
    Position(u64),
    /// position {0}: what it needs, or what has that place, comes first
    PositionTaken(usize),
    /// an order in which each comes after what it asks for
    OrderAsAsked,
    /// {0} as it was made
    AsMade(FoldedId),
    /// in {place}: {why}
    DamagedIn {
        /// The install or source.
        place: String,
        /// What is wrong.
        why: String,
    },
    /// a setting that the rulebook knows
    KnownSetting,
    /// the fact `{fact}`, which the setting `{setting}` quotes
    FactOf {
        /// The fact.
        fact: String,
        /// The setting.
        setting: String,
    },
}

in_words!(Stated);

impl Stated {
    /// The names, versions, values, digests and paths in it, without the words around them.
    pub fn values(&self) -> Vec<&str> {
        match self {
            Self::Verbatim(text)
            | Self::SwitchedOff(text)
            | Self::PutTogetherOtherwise(text)
            | Self::WithOtherBytes(text)
            | Self::MadeForOther(text)
            | Self::NeededOnBoth(text)
            | Self::Optional(text)
            | Self::Key(text)
            | Self::NoKey(text)
            | Self::OtherKeyUnderName(text)
            | Self::SignedBy(text)
            | Self::SignedWithOther(text)
            | Self::List(text)
            | Self::Twice(text)
            | Self::AtLeast(text)
            | Self::Entry(text)
            | Self::OneModWithEntry(text)
            | Self::OneKeyCalled(text) => vec![text],
            Self::Versionless(id) | Self::AnyRelease(id) | Self::OneModFor(id) | Self::AsMade(id) => vec![id.as_str()],
            Self::OnSideToo { id, .. } => vec![id.as_str()],
            Self::NotWith { id, range: version } | Self::OneFileFor(id, version) => vec![id.as_str(), version],
            Self::SealedNowhere { id, version, digest } => vec![id.as_str(), version, digest],
            Self::SealedStillIn { id, version, digest, places } => {
                [id.as_str(), version, digest].into_iter().chain(places.values()).collect()
            }
            Self::Release { of: name, version: value }
            | Self::CopyIn { version: name, place: value }
            | Self::SwitchedOffIn { version: name, file: value }
            | Self::MadeForLoader { version: name, loader: value }
            | Self::Setting { name, value }
            | Self::FactOf { fact: name, setting: value } => vec![name, value],
            Self::ForSideAlone { version: one, .. }
            | Self::AndMore { first: one, .. }
            | Self::NotNeededBy { entry: one, .. }
            | Self::SettingWithout { name: one, .. }
            | Self::DamagedIn { place: one, .. } => vec![one],
            Self::Several(several) | Self::Also(several) | Self::EntriesOf(several) => several.values().collect(),
            Self::KeyOf { name, mods }
            | Self::AllCalled { name, mods }
            | Self::Option { option: name, entries: mods }
            | Self::OtherBytesIn { digest: name, places: mods }
            | Self::DigestOf { digest: name, mods } => [name.as_str()].into_iter().chain(mods.values()).collect(),
            Self::KeyWithDigest { name, mods, digest } => {
                [name.as_str(), digest].into_iter().chain(mods.values()).collect()
            }
            Self::From(stated, place) => stated.values().into_iter().chain([place.as_str()]).collect(),
            Self::Beside(one, other) => vec![one.as_str(), other.as_str()],
            Self::Face { path, place, digest } => vec![path.as_str(), place, digest],
            Self::Nothing
            | Self::None
            | Self::NotThere
            | Self::NoneFound
            | Self::OnSideAlone(_)
            | Self::OnA(_)
            | Self::NoSuchFolderYet
            | Self::ReadableMod
            | Self::MoreThanLetterCase
            | Self::LaidIn(_)
            | Self::LaidInPart { .. }
            | Self::NothingForbidden(_)
            | Self::WorldWith
            | Self::WorldWithout
            | Self::OneWith
            | Self::OneWithout
            | Self::KeyOfCanon
            | Self::PublicKey
            | Self::HeldKey
            | Self::SignedBySome
            | Self::Signature
            | Self::SignatureBeside
            | Self::NoSignature
            | Self::OutdatedSignature
            | Self::AlteredPayload
            | Self::SignatureOfOtherRelease
            | Self::NeverSigned
            | Self::SignatureOverOther
            | Self::NotListed
            | Self::ListedOnce
            | Self::Off
            | Self::CalledSoYet
            | Self::FileNotThere
            | Self::NothingCalledSo
            | Self::Times(_)
            | Self::OfOtherRelease
            | Self::EditedByHand
            | Self::NoEntryOfGone
            | Self::NoFileOfGone
            | Self::AddedFile
            | Self::FileItBrought
            | Self::FileWithOtherBytes
            | Self::NoRelease
            | Self::OnBothAsSaid
            | Self::OnSideAsWished(_)
            | Self::NameForEach
            | Self::Position(_)
            | Self::PositionTaken(_)
            | Self::OrderAsAsked
            | Self::KnownSetting => Vec::new(),
        }
    }
}

impl From<&str> for Stated {
    fn from(written: &str) -> Self {
        Self::Verbatim(written.to_owned())
    }
}

impl From<String> for Stated {
    fn from(written: String) -> Self {
        Self::Verbatim(written)
    }
}

impl From<&String> for Stated {
    fn from(written: &String) -> Self {
        Self::Verbatim(written.clone())
    }
}

/// Things in a row, and what stands between them.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Series {
    items: Vec<Stated>,
    between: Cow<'static, str>,
    none: &'static str,
}

impl Series {
    /// Things with commas between them.
    pub fn of<T: Into<Stated>>(items: impl IntoIterator<Item = T>) -> Self {
        Self { items: items.into_iter().map(Into::into).collect(), between: Cow::Borrowed(", "), none: "" }
    }

    /// The ids of mods, with commas between them.
    pub fn of_ids<'a>(ids: impl IntoIterator<Item = &'a FoldedId>) -> Self {
        Self::of(ids.into_iter().map(FoldedId::as_str))
    }

    /// The same with something else between the things.
    #[must_use]
    pub fn between(self, between: impl Into<Cow<'static, str>>) -> Self {
        Self { between: between.into(), ..self }
    }

    /// What is said where there is nothing in it.
    #[must_use]
    pub fn or(self, none: &'static str) -> Self {
        Self { none, ..self }
    }

    /// The values of each.
    fn values(&self) -> impl Iterator<Item = &str> {
        self.items.iter().flat_map(Stated::values)
    }

    /// Whether there is nothing in it.
    pub fn is_empty(&self) -> bool {
        self.items.is_empty()
    }
}

impl fmt::Display for Series {
    fn fmt(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
        if self.items.is_empty() { out.write_str(self.none) } else { joined(out, &self.items, &self.between) }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case(Stated::Release { of: "lamp".into(), version: "1.2".into() }, "lamp 1.2")]
    #[case(Stated::From(Box::new(Stated::AnyRelease("lamp".into())), "shed".into()), "lamp (any release) from shed")]
    #[case(Stated::Also(Series::of(["a", "b"])), "also a, b")]
    #[case(Stated::Several(Series::of(["a", "b"]).between(" before ")), "a before b")]
    #[case(Stated::Several(Series::of::<&str>([]).or("no mod")), "no mod")]
    #[case(Stated::Verbatim("{braces} stay".into()), "{braces} stay")]
    fn a_value_says_itself(#[case] stated: Stated, #[case] words: &str) {
        assert_eq!(stated.to_string(), words);
        assert_eq!(serde_json::to_value(&stated).expect("JSON"), words);
    }
}
