//! A catalogue: an index of releases that anyone can host as static files beside the downloads themselves.
//!
//! It comes from somebody else, so all of it is checked on the way in: how much there is, names, addresses, and that
//! nothing is listed twice. What it says of a mod is a promise; what counts in the end is read from the bytes.

use std::collections::HashSet;
use std::fmt;
use std::marker::PhantomData;

use serde::de::{Error as _, SeqAccess, Visitor};
use serde::{Deserialize, Deserializer, Serialize};

use crate::base::digest::{Blake3, Sha256};
use crate::base::format::{self, NotOfFormat};
use crate::base::ids::FoldedId;
use crate::base::limits;
use crate::base::path::{InstallPath, PathError, printable, steers};
use crate::manifest::{ModManifest, Relation};
use crate::rulebook::NeededOn;

/// The first field of every catalogue.
pub const FORMAT: &str = "kanon-catalogue/1";
/// What the file is called in its folder.
pub const FILE: &str = "catalogue.json";

/// An index of releases.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Catalogue {
    /// `kanon-catalogue/1`.
    pub format: String,
    /// The game.
    pub game: String,
    /// The mods, by id.
    #[serde(deserialize_with = "bounded::<_, _, { limits::CATALOGUED_MODS }>")]
    pub mods: Vec<CataloguedMod>,
}

/// A mod of a catalogue.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct CataloguedMod {
    /// Its id.
    pub id: FoldedId,
    /// What people call it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub title: Option<String>,
    /// What it is, in a sentence.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub about: Option<String>,
    /// Its releases.
    #[serde(deserialize_with = "bounded::<_, _, { limits::CATALOGUED_RELEASES }>")]
    pub releases: Vec<CataloguedRelease>,
}

/// A release of a catalogue.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct CataloguedRelease {
    /// Its version; none for a mod that states none.
    pub version: Option<String>,
    /// The day on which it came out, year first.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub date: Option<String>,
    /// What is new in it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub notes: Option<String>,
    /// Where it is needed.
    #[serde(default)]
    pub needed_on: NeededOn,
    /// The game versions it fits.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub game_range: Option<String>,
    /// The loader versions it fits.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub loader_range: Option<String>,
    /// The runtime versions it fits.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub runtime_range: Option<String>,
    /// Whether it reshapes the world.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub shapes_world: bool,
    /// Its relations to other mods.
    #[serde(default, deserialize_with = "bounded::<_, _, { limits::RELATIONS }>")]
    pub relations: Vec<Relation>,
    /// Further ids it stands for.
    #[serde(default, deserialize_with = "bounded::<_, _, { limits::RELATIONS }>")]
    pub provides: Vec<FoldedId>,
    /// The public keys that it brings, by digest.
    #[serde(default, skip_serializing_if = "Vec::is_empty", deserialize_with = "bounded::<_, _, 64>")]
    pub keys: Vec<Blake3>,
    /// The digest of the mod once it is installed, as surveys tell it.
    pub digest: Blake3,
    /// What its file or folder is called once it is installed.
    pub name: String,
    /// What is to be downloaded.
    pub download: Download,
}

/// A file to be downloaded.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, PartialEq, Eq, Hash, Serialize, Deserialize)]
pub struct Download {
    /// Its path, from the folder of the catalogue.
    pub file: InstallPath,
    /// Its size in bytes.
    pub size: u64,
    /// Its digest.
    pub blake3: Blake3,
    /// Its digest, for other programs.
    pub sha256: Sha256,
}

/// Why a catalogue can't be used.
#[derive(Debug, thiserror::Error)]
pub enum CatalogueError {
    /// It is larger than any honest one.
    #[error("it is larger than {} MiB", limits::CATALOGUE_BYTES >> 20)]
    TooLarge,
    /// It is no catalogue.
    #[error("it is no catalogue: {0}")]
    Shape(String),
    /// It has another format.
    #[error("its format is `{0}`, expected `{FORMAT}`")]
    Format(String),
    /// It is of another game.
    #[error("it is of the game {found}, the rulebook is of {expected}")]
    OtherGame {
        /// The game of the catalogue.
        found: String,
        /// The game of the rulebook.
        expected: String,
    },
    /// An entry says something that can't be.
    #[error("{entry}: {reason}")]
    Entry {
        /// Which entry.
        entry: String,
        /// What is wrong.
        reason: EntryFlaw,
    },
}

/// What is wrong with an entry of a catalogue.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum EntryFlaw {
    /// An id twice.
    #[error("its id is listed twice")]
    IdTwice,
    /// A release twice.
    #[error("this release is listed twice")]
    ReleaseTwice,
    /// More than any honest catalogue has.
    #[error("there are more than {} releases by then", limits::CATALOGUED_RELEASES)]
    TooManyReleases,
    /// A name that no file may have.
    #[error("its name can't be used: {0}")]
    BadName(PathError),
    /// A name with folders in it.
    #[error("its name is a path")]
    NameIsPath,
    /// More than anybody fetches.
    #[error("its download is larger than {} GiB", limits::DOWNLOAD_BYTES >> 30)]
    TooLarge,
    /// A date in another notation.
    #[error("its date is not written as 2026-01-31")]
    BadDate,
    /// Nothing where a word is to be.
    #[error("its {0} is empty")]
    Empty(&'static str),
    /// A word that is no word.
    #[error("its {0} is longer than {most} characters", most = limits::VALUE_CHARS)]
    TooLong(&'static str),
    /// A word that can't be shown.
    #[error("its {what} holds a character that can't be shown: {shown}")]
    Unprintable {
        /// What the word is.
        what: &'static str,
        /// Its beginning, made printable.
        shown: String,
    },
}

/// A download that is not what a catalogue promises.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum NotAsPromised {
    /// Nothing that is a mod.
    #[error("there is no mod in the download")]
    Nothing,
    /// Nothing that can be used; why is what was said of the file.
    #[error("{0}")]
    Refused(String),
    /// Another mod or another release.
    #[error("the catalogue promises {promised}, and the download is {found}")]
    Other {
        /// What was promised.
        promised: String,
        /// What came.
        found: String,
    },
    /// A mod of another loader.
    #[error("the catalogue promises {promised}, and the download was made for the loader {loader}")]
    ForLoader {
        /// What was promised.
        promised: String,
        /// The loader.
        loader: String,
    },
    /// Other bytes.
    #[error("the catalogue promises {promised} with the digest {digest}, and the download unpacks to {found}")]
    OtherBytes {
        /// What was promised.
        promised: String,
        /// The beginning of the promised digest.
        digest: String,
        /// The beginning of the one that came.
        found: String,
    },
}

impl Catalogue {
    /// Reads and checks a catalogue of a game.
    ///
    /// # Errors
    /// When it is too large, of another format or game, or any entry can't be.
    pub fn from_json(bytes: &[u8], game: &str) -> Result<Self, CatalogueError> {
        if bytes.len() as u64 > limits::CATALOGUE_BYTES {
            return Err(CatalogueError::TooLarge);
        }
        let mut catalogue =
            format::read(bytes, FORMAT, |catalogue: &Self| &catalogue.format).map_err(|why| match why {
                NotOfFormat::Other(found) => CatalogueError::Format(found),
                NotOfFormat::Shape(why) => CatalogueError::Shape(why),
            })?;
        if catalogue.game != game {
            let found = printable(&catalogue.game);
            return Err(CatalogueError::OtherGame { found, expected: game.to_owned() });
        }
        catalogue.check()?;
        Ok(catalogue)
    }

    /// The catalogue as it is written: mods by id, the same bytes for the same releases.
    ///
    /// # Errors
    /// Never for a catalogue made by this program.
    pub fn to_json(&self) -> Result<String, serde_json::Error> {
        serde_json::to_string_pretty(self).map(|json| json + "\n")
    }

    fn check(&mut self) -> Result<(), CatalogueError> {
        let mut ids = HashSet::new();
        let mut releases = 0;
        for (index, entry) in self.mods.iter_mut().enumerate() {
            let name = format!("mod {} ({})", index + 1, printable(&cut(entry.id.as_str(), 60)));
            let wrong = |reason: EntryFlaw| CatalogueError::Entry { entry: name.clone(), reason };
            check_word("id", entry.id.as_str()).map_err(wrong)?;
            if !ids.insert(entry.id.clone()) {
                return Err(wrong(EntryFlaw::IdTwice));
            }
            tidy(&mut entry.title, limits::VALUE_CHARS);
            tidy(&mut entry.about, limits::NOTES_CHARS);
            releases += entry.releases.len();
            if releases > limits::CATALOGUED_RELEASES {
                return Err(wrong(EntryFlaw::TooManyReleases));
            }
            let mut versions = HashSet::new();
            for release in &mut entry.releases {
                let checked = release.check();
                let version = release.version.as_deref();
                let wrong = |reason: EntryFlaw| CatalogueError::Entry {
                    entry: format!("{name} release {}", printable(&cut(version.unwrap_or_default(), 60))),
                    reason,
                };
                checked.map_err(wrong)?;
                if !versions.insert(version) {
                    return Err(wrong(EntryFlaw::ReleaseTwice));
                }
            }
        }
        Ok(())
    }
}

impl CataloguedRelease {
    fn check(&mut self) -> Result<(), EntryFlaw> {
        for (what, text) in [
            ("version", &self.version),
            ("game range", &self.game_range),
            ("loader range", &self.loader_range),
            ("runtime range", &self.runtime_range),
        ] {
            text.as_deref().map_or(Ok(()), |text| check_word(what, text))?;
        }
        for relation in &self.relations {
            check_word("dependency", relation.id.as_str())?;
            relation.range.as_deref().map_or(Ok(()), |range| check_word("range", range))?;
        }
        self.provides.iter().try_for_each(|id| check_word("provided id", id.as_str()))?;
        let one_name = InstallPath::new(&self.name).map_err(EntryFlaw::BadName)?;
        if one_name.parent().is_some_and(|parent| !parent.is_root()) || self.name.contains('/') {
            return Err(EntryFlaw::NameIsPath);
        }
        if self.download.size > limits::DOWNLOAD_BYTES {
            return Err(EntryFlaw::TooLarge);
        }
        if self.date.as_deref().is_some_and(|date| !is_date(date)) {
            return Err(EntryFlaw::BadDate);
        }
        tidy(&mut self.notes, limits::NOTES_CHARS);
        Ok(())
    }

    /// What the catalogue says of the mod, as if it had been read from it.
    pub fn manifest(&self, of: &CataloguedMod) -> ModManifest {
        ModManifest {
            id: of.id.clone(),
            version: self.version.clone(),
            title: of.title.clone(),
            needed_on: self.needed_on,
            game_range: self.game_range.clone(),
            loader_range: self.loader_range.clone(),
            runtime_range: self.runtime_range.clone(),
            shapes_world: self.shapes_world,
            relations: self.relations.clone(),
            provides: self.provides.clone(),
            ..ModManifest::default()
        }
    }

    /// Holds what a download turned out to be against what was promised: the same mod, the same release, the same bytes.
    ///
    /// # Errors
    /// With what was promised and what came.
    pub fn holds_true(&self, id: &str, found: &ModManifest, digest: Blake3) -> Result<(), NotAsPromised> {
        let version = |version: &Option<String>| version.clone().unwrap_or_else(|| "no version".to_owned());
        let found_as = format!("{} {}", printable(found.id.as_str()), printable(&version(&found.version)));
        let promised = format!("{id} {}", version(&self.version));
        // Some mods don't state their version: then the catalogue's word is all there is.
        let other_version = found.version.is_some() && found.version != self.version;
        if found.id != id || other_version {
            return Err(NotAsPromised::Other { promised, found: found_as });
        }
        if let Some(loader) = &found.made_for {
            return Err(NotAsPromised::ForLoader { promised, loader: loader.to_string() });
        }
        if digest != self.digest {
            let (wanted, found) = (self.digest.short(), digest.short());
            return Err(NotAsPromised::OtherBytes { promised, digest: wanted, found });
        }
        Ok(())
    }

    /// Adds what only the catalogue says: where the mod itself is silent, its word counts. Whether this game's mods
    /// say where they are needed is the rulebook's to tell.
    pub fn complete(&self, found: &mut ModManifest, mods_say_where: bool) {
        let fill = |own: &mut Option<String>, said: &Option<String>| {
            if own.is_none() {
                own.clone_from(said);
            }
        };
        fill(&mut found.version, &self.version);
        fill(&mut found.game_range, &self.game_range);
        fill(&mut found.loader_range, &self.loader_range);
        fill(&mut found.runtime_range, &self.runtime_range);
        found.shapes_world |= self.shapes_world;
        if !mods_say_where {
            found.needed_on = self.needed_on;
        }
        let new = |relation: &&Relation| {
            !found.relations.iter().any(|own| own.kind == relation.kind && own.id == relation.id)
        };
        let said: Vec<Relation> = self.relations.iter().filter(new).cloned().collect();
        found.relations.extend(said);
        found.relations.sort();
    }
}

/// A text that names something: short, and nothing in it that steers a terminal or a file system.
fn check_word(what: &'static str, text: &str) -> Result<(), EntryFlaw> {
    if text.trim().is_empty() {
        return Err(EntryFlaw::Empty(what));
    }
    if text.chars().count() > limits::VALUE_CHARS {
        return Err(EntryFlaw::TooLong(what));
    }
    if text.chars().any(steers) {
        return Err(EntryFlaw::Unprintable { what, shown: printable(&cut(text, 60)) });
    }
    Ok(())
}

/// Text for people: cut, and nothing in it that steers a terminal.
fn tidy(text: &mut Option<String>, chars: usize) {
    if let Some(text) = text {
        let lines: Vec<String> = cut(text, chars).lines().map(printable).collect();
        *text = lines.join("\n").trim().to_owned();
    }
}

fn cut(text: &str, chars: usize) -> String {
    text.chars().take(chars).collect()
}

fn is_date(text: &str) -> bool {
    let parts: Vec<&str> = text.split('-').collect();
    let digits = |part: &str, count: usize| part.len() == count && part.bytes().all(|byte| byte.is_ascii_digit());
    matches!(parts.as_slice(), [year, month, day] if digits(year, 4) && digits(month, 2) && digits(day, 2))
}

/// Reads a list of at most `MOST` entries; what comes after is not even kept.
fn bounded<'de, D, T, const MOST: usize>(deserializer: D) -> Result<Vec<T>, D::Error>
where
    D: Deserializer<'de>,
    T: Deserialize<'de>,
{
    struct Bounded<T, const MOST: usize>(PhantomData<T>);
    impl<'de, T: Deserialize<'de>, const MOST: usize> Visitor<'de> for Bounded<T, MOST> {
        type Value = Vec<T>;

        fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
            write!(f, "a list of at most {MOST} entries")
        }

        fn visit_seq<A: SeqAccess<'de>>(self, mut entries: A) -> Result<Vec<T>, A::Error> {
            let mut list = Vec::new();
            while let Some(entry) = entries.next_element()? {
                if list.len() == MOST {
                    return Err(A::Error::custom(format_args!("a list has more than {MOST} entries")));
                }
                list.push(entry);
            }
            Ok(list)
        }
    }
    deserializer.deserialize_seq(Bounded::<T, MOST>(PhantomData))
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use rstest::rstest;

    fn catalogue() -> Catalogue {
        let release = CataloguedRelease {
            version: Some("1.0".to_owned()),
            date: Some("2026-11-01".to_owned()),
            notes: Some("first".to_owned()),
            needed_on: NeededOn::Client,
            game_range: Some(">=1.4".to_owned()),
            loader_range: None,
            runtime_range: None,
            shapes_world: false,
            relations: Vec::new(),
            provides: Vec::new(),
            keys: Vec::new(),
            digest: Blake3::of(b"tide"),
            name: "tide.psm".to_owned(),
            download: Download {
                file: InstallPath::new("files/tide.psm").expect("a path"),
                size: 4,
                blake3: Blake3::of(b"tide"),
                sha256: Sha256::of(b"tide"),
            },
        };
        let tide = CataloguedMod { id: "tide".into(), title: None, about: None, releases: vec![release] };
        Catalogue { format: FORMAT.to_owned(), game: "Polarspur".to_owned(), mods: vec![tide] }
    }

    fn read(json: &str) -> Result<Catalogue, CatalogueError> {
        Catalogue::from_json(json.as_bytes(), "Polarspur")
    }

    fn refused(json: &str) -> String {
        read(json).expect_err("refused").to_string()
    }

    #[test]
    fn what_is_written_is_read_back() {
        assert_eq!(read(&catalogue().to_json().expect("JSON")).expect("read"), catalogue());
    }

    #[rstest]
    #[case("\"tide\"", "\"ti\\u001b[31mde\"", "its id holds a character that can't be shown")]
    #[case("\"tide\"", "\"\\u202edit\"", "its id holds a character that can't be shown")]
    #[case("\"1.0\"", "\" \"", "its version is empty")]
    #[case("files/tide.psm", "../tide.psm", "it is no catalogue")]
    #[case("files/tide.psm", "/etc/tide.psm", "it is no catalogue")]
    #[case("files/tide.psm", "C:/tide.psm", "it is no catalogue")]
    #[case("\"tide.psm\"", "\"mods/tide.psm\"", "its name is a path")]
    #[case("\"tide.psm\"", "\"con.psm\"", "its name can't be used")]
    #[case("2026-11-01", "yesterday", "its date is not written")]
    #[case("\"size\": 4", "\"size\": 99999999999999", "its download is larger than 32 GiB")]
    #[case("\"size\": 4", "\"size\": -4", "it is no catalogue")]
    #[case("Polarspur", "Tallowfen", "it is of the game Tallowfen")]
    #[case("kanon-catalogue/1", "kanon-catalogue/9", "its format is")]
    fn lies_are_refused(#[case] right: &str, #[case] wrong: &str, #[case] expected: &str) {
        let json = catalogue().to_json().expect("JSON");
        assert!(json.contains(right), "{right} in {json}");
        let told = refused(&json.replace(right, wrong));
        assert!(told.contains(expected), "{told}");
        assert!(!told.contains('\u{1b}'), "{told:?}");
    }

    #[test]
    fn nothing_is_listed_twice_and_nothing_without_end() {
        let mut twice = catalogue();
        twice.mods.push(CataloguedMod { id: "TIDE".into(), ..twice.mods[0].clone() });
        assert!(refused(&twice.to_json().expect("JSON")).contains("its id is listed twice"));
        let mut twice = catalogue();
        let again = twice.mods[0].releases[0].clone();
        twice.mods[0].releases.push(again);
        assert!(refused(&twice.to_json().expect("JSON")).contains("release 1.0: this release is listed twice"));
        let entries = "{\"id\":\"a\",\"releases\":[]},".repeat(limits::CATALOGUED_MODS + 1);
        let endless = format!("{{\"format\":\"{FORMAT}\",\"game\":\"Polarspur\",\"mods\":[{entries}null]}}");
        assert!(refused(&endless).contains("more than 50000 entries"));
        let mut many = catalogue();
        let one = many.mods[0].releases[0].clone();
        let numbered = |number: usize| CataloguedRelease { version: Some(number.to_string()), ..one.clone() };
        many.mods[0].releases = (0..=limits::CATALOGUED_RELEASES).map(numbered).collect();
        let many = serde_json::to_string(&many).expect("JSON");
        assert!(read(&many).is_err(), "too many releases, or too many bytes of them");
        let huge = vec![b' '; usize::try_from(limits::CATALOGUE_BYTES).expect("fits") + 1];
        assert!(matches!(Catalogue::from_json(&huge, "Polarspur"), Err(CatalogueError::TooLarge)));
    }

    #[test]
    fn notes_are_cut_and_made_safe() {
        let mut loud = catalogue();
        loud.mods[0].releases[0].notes = Some(format!("one\u{7}\ntwo{}", "x".repeat(9_000)));
        let notes =
            read(&loud.to_json().expect("JSON")).expect("read").mods[0].releases[0].notes.clone().expect("notes");
        assert!(notes.starts_with("one\\u{7}\ntwo"), "{notes}");
        assert!(notes.len() < 4_100);
    }

    #[test]
    fn a_download_is_held_against_what_was_promised() {
        let release = &catalogue().mods[0].releases[0];
        let own = ModManifest { id: "Tide".into(), version: Some("1.0".to_owned()), ..ModManifest::default() };
        let told = |found: &ModManifest, bytes: &[u8]| release.holds_true("tide", found, Blake3::of(bytes));
        assert_eq!(told(&own, b"tide"), Ok(()));
        assert_eq!(told(&ModManifest { version: None, ..own.clone() }, b"tide"), Ok(()));
        for (found, bytes, expected) in [
            (ModManifest { id: "fog".into(), ..own.clone() }, &b"tide"[..], "the download is fog 1.0"),
            (ModManifest { version: Some("0.9".to_owned()), ..own.clone() }, b"tide", "the download is Tide 0.9"),
            (ModManifest { made_for: Some("Gantry".to_owned()), ..own.clone() }, b"tide", "made for the loader Gantry"),
            (own.clone(), b"edited", "unpacks to"),
        ] {
            let lie = told(&found, bytes).expect_err("a lie").to_string();
            assert!(lie.contains(expected), "{lie}");
        }
        let mut silent = ModManifest { version: None, ..own };
        release.complete(&mut silent, false);
        assert_eq!((silent.version.as_deref(), silent.game_range.as_deref()), (Some("1.0"), Some(">=1.4")));
        assert_eq!(silent.needed_on, NeededOn::Client);
    }

    proptest! {
        #[test]
        fn any_text_is_taken_calmly(text in "\\PC{0,80}", at in 0usize..900, cut_at in 0usize..900) {
            let json = catalogue().to_json().expect("JSON");
            let _ = read(&text);
            let end = json.floor_char_boundary(cut_at.max(at).min(json.len()));
            let start = json.floor_char_boundary(at.min(end));
            let _ = read(&format!("{}{text}{}", &json[..start], &json[end..]));
        }
    }
}
