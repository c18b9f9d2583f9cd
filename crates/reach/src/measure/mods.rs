//! From a unit to a surveyed mod: its digest, its members and what it says of itself, remembered by digest.

use std::collections::HashMap;
use std::io::{self, BufReader, Read};

use kanon_core::digest::Blake3;
use kanon_core::limits;
use kanon_core::path::InstallPath;
use kanon_core::reading::{Archive, Contents, ContentsError, Named, NoContents, ReadingError, is_archive, read_mod};
use kanon_core::rulebook::{Holds, Shelf};
use kanon_core::survey::{Member, Reading, SurveyedFile, SurveyedMod, Unreadable};
use serde::{Deserialize, Serialize};

use super::units::{Shelved, Unit};
use super::{Digests, Job, unreadable};
use crate::error::ReachError;
use crate::install::LocalInstall;
use crate::state::State;

/// What became of a unit.
pub struct Outcome {
    /// What it is.
    pub found: Found,
    /// What is to be remembered of it.
    pub to_remember: Option<(Blake3, String)>,
    /// The folder of a unit that holds no mod itself.
    pub hollow: Option<InstallPath>,
}

/// What a unit is.
pub enum Found {
    /// A mod.
    Mod(Box<SurveyedMod>),
    /// Something that can't be read as one.
    Unreadable(Unreadable),
    /// Nothing of its own: no mod, and no harm.
    Nested,
}

/// What is remembered of a mod: all that can be known without its place.
#[derive(Serialize, Deserialize)]
struct Known {
    reading: Reading,
    members: Vec<Member>,
    members_total: usize,
}

/// A mod's folder, read file by file.
struct FolderContents<'a> {
    install: &'a LocalInstall,
    folder: &'a InstallPath,
}

impl Contents for FolderContents<'_> {
    fn members(&self) -> &[Member] {
        &[]
    }

    fn read(&mut self, member: &str) -> Result<Option<Vec<u8>>, ContentsError> {
        let failed = |reason: String| ContentsError { member: member.to_owned(), reason };
        let path = self.folder.join(member).map_err(|error| failed(error.to_string()))?;
        let file = match self.install.open_file(&path) {
            Ok(file) => file,
            Err(error) if error.kind() == io::ErrorKind::NotFound => return Ok(None),
            Err(error) => return Err(failed(error.to_string())),
        };
        let mut bytes = Vec::new();
        file.take(limits::DOCUMENT_BYTES + 1).read_to_end(&mut bytes).map_err(|error| failed(error.to_string()))?;
        Ok(Some(bytes))
    }
}

impl Job<'_> {
    /// Fetches what is remembered of units whose digests are known.
    pub fn load_readings(
        &self,
        shelved: &Shelved<'_>,
        digests: &Digests,
        state: &State,
    ) -> Result<HashMap<Blake3, String>, ReachError> {
        let mut readings = HashMap::new();
        for unit in &shelved.units {
            if let Ok((digest, _)) = unit_digest(unit, digests) {
                let key = self.key(unit, digest);
                if let Some(json) = state.reading(&key)? {
                    readings.insert(key, json);
                }
            }
        }
        Ok(readings)
    }

    /// Remembers what was read.
    pub fn remember_readings<'o>(
        &self,
        outcomes: impl Iterator<Item = &'o Outcome>,
        state: &mut State,
    ) -> Result<(), ReachError> {
        let new: Vec<_> = outcomes.filter_map(|outcome| outcome.to_remember.clone()).collect();
        state.remember_readings(&new)
    }

    /// All that a reading depends on.
    fn key(&self, unit: &Unit<'_>, digest: Blake3) -> Blake3 {
        let parts = [
            ("rulebook", 0, self.request.rulebook_digest),
            (unit.shelf.name.as_str(), 1, digest),
            (unit.name.as_str(), 2, digest),
        ];
        Blake3::of_files(parts)
    }

    /// Reads one unit.
    pub fn read_unit(&self, unit: &Unit<'_>, digests: &Digests) -> Outcome {
        let plain = |found| Outcome { found, to_remember: None, hollow: None };
        let (digest, files) = match unit_digest(unit, digests) {
            Ok(known) => known,
            Err(_) if unit.suspect => return plain(Found::Nested),
            Err(why) => return plain(Found::Unreadable(unreadable(unit, why, false))),
        };
        if unit.suspect {
            return plain(self.suspect(unit));
        }
        let key = self.key(unit, digest);
        if let Some(known) = self.readings.get(&key).and_then(|json| serde_json::from_str::<Known>(json).ok()) {
            return plain(Found::Mod(Box::new(surveyed(unit, digest, files, known))));
        }
        match self.read(unit, digest) {
            Ok(known) => {
                let to_remember = serde_json::to_string(&known).ok().map(|json| (key, json));
                Outcome { found: Found::Mod(Box::new(surveyed(unit, digest, files, known))), to_remember, hollow: None }
            }
            Err(NotRead { why, still_packed }) => Outcome {
                hollow: (unit.is_folder && !still_packed).then(|| unit.path.clone()),
                ..plain(Found::Unreadable(unreadable(unit, why, still_packed)))
            },
        }
    }

    fn read(&self, unit: &Unit<'_>, digest: Blake3) -> Result<Known, NotRead> {
        let named = Named { name: &unit.name, digest };
        let read = |contents: &mut dyn Contents| read_mod(self.request.rulebook, unit.shelf, named, contents);
        match unit.shelf.holds {
            Holds::Archives => {
                let mut archive = self.archive(&unit.path).map_err(NotRead::plain)?;
                let reading = read(archive.as_mut());
                let members = archive.members();
                let still_packed =
                    matches!(reading, Err(ReadingError::NoDocument { .. })) && holds_mods(unit.shelf, members);
                let reading = reading.map_err(|error| NotRead::of(&error, still_packed))?;
                Ok(Known {
                    reading,
                    members: members.iter().take(limits::LISTED_MEMBERS).cloned().collect(),
                    members_total: members.len(),
                })
            }
            Holds::Folders => {
                let mut contents = FolderContents { install: self.install, folder: &unit.path };
                let reading = read(&mut contents).map_err(|error| NotRead::of(&error, false))?;
                Ok(Known { reading, members: Vec::new(), members_total: 0 })
            }
            Holds::Files | Holds::Overlays | Holds::Ids => {
                let reading = read(&mut NoContents).map_err(|error| NotRead::of(&error, false))?;
                Ok(Known { reading, members: Vec::new(), members_total: 0 })
            }
        }
    }

    fn archive(&self, path: &InstallPath) -> Result<Box<dyn Contents>, String> {
        let file = self.install.open_file(path).map_err(|error| error.to_string())?;
        let size = file.metadata().map_err(|error| error.to_string())?.len();
        let archive =
            Archive::open(BufReader::with_capacity(64 << 10, file), size).map_err(|error| error.to_string())?;
        Ok(Box::new(archive))
    }

    /// A file that is no mod by its name, yet an archive: harmless, unless there is a mod in it.
    fn suspect(&self, unit: &Unit<'_>) -> Found {
        let mut start = [0; 8];
        let read = self.install.open_file(&unit.path).and_then(|mut file| file.read(&mut start));
        if !read.is_ok_and(|n| is_archive(&start[..n])) {
            return Found::Nested;
        }
        if !start.starts_with(b"PK") {
            let why =
                "it is an archive that Kanon can't look into; unpack it, and keep what the game wants of it".to_owned();
            return Found::Unreadable(unreadable(unit, why, true));
        }
        match self.archive(&unit.path) {
            Ok(archive) if holds_mods(unit.shelf, archive.members()) => {
                let why = "it is a download with a mod in it; unpack it, and keep what the game wants of it".to_owned();
                Found::Unreadable(unreadable(unit, why, true))
            }
            _ => Found::Nested,
        }
    }
}

/// Why a unit could not be read.
struct NotRead {
    why: String,
    still_packed: bool,
}

impl NotRead {
    const fn plain(why: String) -> Self {
        Self { why, still_packed: false }
    }

    fn of(error: &ReadingError, still_packed: bool) -> Self {
        let why = if still_packed {
            "it is a download with a mod in it; unpack it, and keep what the game wants of it".to_owned()
        } else {
            error.to_string()
        };
        Self { why, still_packed }
    }
}

/// Whether an archive holds what belongs on the shelf itself: files named as its mods are, or a mod's document in a folder.
fn holds_mods(shelf: &Shelf, members: &[Member]) -> bool {
    let documents: Vec<&str> = shelf.read.documents.iter().map(|document| document.member.as_str()).collect();
    let name = |member: &Member| member.path.rsplit('/').next().unwrap_or_default().to_owned();
    members.iter().any(|member| match shelf.holds {
        Holds::Folders => {
            documents.iter().any(|document| member.path == *document || member.path.ends_with(&format!("/{document}")))
        }
        _ => !shelf.matches.is_empty() && shelf.matches.iter().any(|pattern| pattern.fits(&name(member))),
    })
}

fn unit_digest(unit: &Unit<'_>, digests: &Digests) -> Result<(Blake3, Vec<SurveyedFile>), String> {
    let mut files = Vec::with_capacity(unit.files.len());
    for (path, _) in &unit.files {
        let measured = digests.get(path).ok_or("it was not measured")?;
        let blake3 =
            measured.blake3.clone().map_err(|why| if unit.is_folder { format!("{path}: {why}") } else { why })?;
        files.push(SurveyedFile { path: path.clone(), size: measured.size, blake3 });
    }
    if !unit.is_folder {
        let only = files.first().ok_or("it has no file")?.blake3;
        return Ok((only, files));
    }
    let inner = files.iter().map(|file| (file.path.below(&unit.path).unwrap_or_default(), file.size, file.blake3));
    Ok((Blake3::of_files(inner), files))
}

fn surveyed(unit: &Unit<'_>, digest: Blake3, files: Vec<SurveyedFile>, known: Known) -> SurveyedMod {
    SurveyedMod {
        reading: known.reading,
        shelf: unit.shelf.name.clone(),
        place: unit.place.clone(),
        enabled: unit.enabled,
        path: unit.path.clone(),
        name: unit.name.clone(),
        digest,
        files,
        members: known.members,
        members_total: known.members_total,
    }
}
