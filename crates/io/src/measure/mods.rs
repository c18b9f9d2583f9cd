//! From a unit to a surveyed mod: its digest, its members and what it says of itself, remembered by digest.

use std::collections::{BTreeSet, HashMap, HashSet};
use std::io::{self, BufReader, Read};

use kanon_core::base::digest::{Blake3, DigestKind};
use kanon_core::base::limits;
use kanon_core::base::path::InstallPath;
use kanon_core::manifest::{
    Archive, ArchiveError, Contents, ContentsError, ITSELF, Member, ModManifest, Named, ReadingError, ToldEntries,
    Unread, is_archive, read_mod,
};
use kanon_core::rulebook::{BesideName, NamePattern, Rulebook, Shelf};
use kanon_core::survey::{SurveyedFile, SurveyedMod, Unreadable};
use rayon::prelude::*;
use serde::{Deserialize, Serialize};
use serde_json::Value;

use super::files::{MeasuredGroup, Unmeasured};
use super::request::Job;
use super::units::unreadable;
use super::units::{Form, Group, Unit};
use crate::error::ReachError;
use crate::install::{FileFingerprint, Install};
use crate::state::State;

/// What became of a unit.
pub struct Outcome {
    /// What it is.
    pub found: Found,
    /// What is to be remembered of it.
    to_remember: Option<(Blake3, String)>,
}

/// What a unit is.
pub enum Found {
    /// A mod.
    Mod(Box<SurveyedMod>),
    /// Something that can't be read as one.
    Unreadable(Unreadable),
    /// A file of a mod whose own file is not there.
    Loose(SurveyedFile),
    /// Nothing of its own: no mod, and no harm.
    Nothing,
}

/// What is remembered of a mod: all that can be known without its place.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Serialize, Deserialize)]
struct Known {
    manifest: ModManifest,
    members: Vec<Member>,
    members_total: usize,
}

/// What documents outside of the mods tell of them, by shelf.
#[derive(Default)]
pub struct ToldByShelf<'r>(HashMap<&'r str, ToldEntries>);

impl<'r> ToldByShelf<'r> {
    /// Reads those documents; one that is not there, or can't be read, tells nothing.
    pub fn read(install: &dyn Install, rulebook: &'r Rulebook) -> Self {
        let rules =
            rulebook.shelves.iter().filter_map(|shelf| Some((shelf.name.as_str(), shelf.read.told_by.as_ref()?)));
        let read = rules.filter_map(|(shelf, rule)| {
            let bytes = install.document(&rule.file, limits::DOCUMENT_BYTES + 1).ok()?;
            Some((shelf, ToldEntries::read(rule, &bytes).ok()?))
        });
        Self(read.collect())
    }

    /// What is told of a mod of a shelf that is called so.
    pub fn entry(&self, shelf: &str, name: &str) -> Option<&Value> {
        self.0.get(shelf)?.of(name)
    }

    fn of(&self, unit: &Unit<'_>) -> Option<&Value> {
        self.entry(&unit.shelf.name, &unit.name)
    }
}

/// A mod's folder, read file by file. Its members bear no checksum: a folder has none to tell.
pub struct FolderContents<'a> {
    install: &'a dyn Install,
    folder: &'a InstallPath,
    members: Vec<Member>,
}

impl<'a> FolderContents<'a> {
    /// A folder with these files in it.
    pub fn new(
        install: &'a dyn Install,
        folder: &'a InstallPath,
        files: impl Iterator<Item = (&'a InstallPath, u64)>,
    ) -> Self {
        let inner = |(path, size): (&InstallPath, u64)| Some((path.below(folder)?.to_owned(), size));
        let members = files.filter_map(inner).map(|(path, size)| Member { path, size, crc32: 0 }).collect();
        Self { install, folder, members }
    }
}

/// A mod that is one file, which is no archive.
pub struct FileContents<'a> {
    /// The install.
    pub install: &'a dyn Install,
    /// The file.
    pub path: &'a InstallPath,
}

/// A mod's own file, and others that lie beside it: those are members by the names that the rulebook has for them.
pub struct BesideContents<'a> {
    install: &'a dyn Install,
    own: Box<dyn Contents + 'a>,
    beside: Vec<(&'a str, &'a InstallPath)>,
}

impl<'a> BesideContents<'a> {
    /// What is read of a mod with these files, of which its own is opened already.
    pub fn new(install: &'a dyn Install, own: Box<dyn Contents + 'a>, files: &'a [SurveyedFile]) -> Self {
        let beside = files.iter().filter_map(|file| Some((file.beside.as_ref()?.text(), &file.path))).collect();
        Self { install, own, beside }
    }
}

impl Contents for BesideContents<'_> {
    fn members(&self) -> &[Member] {
        self.own.members()
    }

    fn read_up_to(&mut self, member: &str, limit: u64) -> Result<Option<Vec<u8>>, ContentsError> {
        let Some((_, path)) = self.beside.iter().find(|(called, _)| *called == member) else {
            return self.own.read_up_to(member, limit);
        };
        FileContents { install: self.install, path }.read_up_to(ITSELF, limit)
    }

    fn digest(&mut self, kind: DigestKind) -> Result<Option<String>, ContentsError> {
        self.own.digest(kind)
    }
}

impl Contents for FileContents<'_> {
    fn members(&self) -> &[Member] {
        &[]
    }

    fn read_up_to(&mut self, member: &str, limit: u64) -> Result<Option<Vec<u8>>, ContentsError> {
        if member != ITSELF {
            return Ok(None);
        }
        let failed = |error: io::Error| ContentsError {
            member: self.path.to_string(),
            reason: Unread::Failed(error.to_string()),
        };
        self.install.document(self.path, limit + 1).map(Some).map_err(failed)
    }

    fn digest(&mut self, kind: DigestKind) -> Result<Option<String>, ContentsError> {
        let failed = |error: io::Error| ContentsError {
            member: self.path.to_string(),
            reason: Unread::Failed(error.to_string()),
        };
        let (mut file, _) = self.install.open_file(self.path).map_err(failed)?;
        kind.of(&mut file).map(Some).map_err(failed)
    }
}

impl Contents for FolderContents<'_> {
    fn members(&self) -> &[Member] {
        &self.members
    }

    fn read_up_to(&mut self, member: &str, limit: u64) -> Result<Option<Vec<u8>>, ContentsError> {
        let failed = |reason: String| ContentsError { member: member.to_owned(), reason: Unread::Failed(reason) };
        let path = self.folder.join(member).map_err(|error| failed(error.to_string()))?;
        match self.install.document(&path, limit + 1) {
            Ok(bytes) => Ok(Some(bytes)),
            Err(error) if error.kind() == io::ErrorKind::NotFound => Ok(None),
            Err(error) => Err(failed(error.to_string())),
        }
    }
}

/// Why a file can't be opened as an archive.
#[derive(Debug, thiserror::Error)]
pub enum OpenError {
    /// It can't be read.
    #[error(transparent)]
    Io(#[from] io::Error),
    /// It is no harmless archive.
    #[error(transparent)]
    Archive(#[from] ArchiveError),
}

/// Opens a file as an archive.
///
/// # Errors
/// When it can't be read, or is no harmless archive.
pub fn open_archive<'i>(install: &'i dyn Install, path: &InstallPath) -> Result<Box<dyn Contents + 'i>, OpenError> {
    let (file, FileFingerprint { size, .. }) = install.open_file(path)?;
    let archive = Archive::open(BufReader::with_capacity(64 << 10, file), size)?;
    Ok(Box::new(archive))
}

/// Opens a file of this machine as an archive.
///
/// # Errors
/// As [`open_archive`].
pub fn open_archive_file(path: &std::path::Path) -> Result<Box<dyn Contents>, OpenError> {
    let file = crate::open::regular(path)?;
    let size = file.metadata()?.len();
    let archive = Archive::open(BufReader::with_capacity(64 << 10, file), size)?;
    Ok(Box::new(archive))
}

/// Folders on shelves of folders that hold no mod themselves: one may lie a level deeper.
pub fn hollow(groups: &[Group<'_>]) -> Vec<InstallPath> {
    let is_folder = |group: &&Group<'_>| group.units.iter().any(|unit| unit.form == Form::Folder);
    let folders = || groups.iter().filter(is_folder);
    // Many folders are of few shelves: each pattern is made once.
    let members: BTreeSet<&str> = folders().flat_map(documents_of).collect();
    let patterns: HashMap<&str, NamePattern> =
        members.into_iter().filter_map(|member| Some((member, NamePattern::new(member).ok()?))).collect();
    let lacks = |group: &&Group<'_>| {
        let has = |member: &str| {
            let pattern = patterns.get(member);
            let fits = |inner: &str| inner == member || pattern.is_some_and(|pattern| pattern.fits(inner));
            group.files.iter().any(|(path, _)| path.below(&group.folder).is_some_and(fits))
        };
        documents_of(group).next().is_some() && !documents_of(group).any(has)
    };
    folders().filter(lacks).map(|group| group.folder.clone()).collect()
}

/// The members that the mods of a group are told by.
fn documents_of<'g>(group: &'g Group<'_>) -> impl Iterator<Item = &'g str> {
    let first = group.units.first().into_iter();
    first.flat_map(|unit| &unit.shelf.read.documents).map(|document| document.member.as_str())
}

impl Job<'_> {
    /// Reads every unit of every group; what was read before is remembered by digest.
    ///
    /// # Errors
    /// When the state database fails; a unit that can't be read is told in its place.
    pub fn read_groups(
        &self,
        groups: Vec<Group<'_>>,
        measured: Vec<MeasuredGroup>,
        state: &mut State,
    ) -> Result<Vec<Vec<Outcome>>, ReachError> {
        let dealt: Vec<Dealt<'_>> =
            groups.into_par_iter().zip(measured).map(|(group, files)| dealt(group, files)).collect();
        let told = ToldByShelf::read(self.install, self.request.rulebook);
        let mut known: HashMap<Blake3, String> = HashMap::new();
        for unit in dealt.iter().flat_map(|dealt| &dealt.units) {
            let Ok(digest) = unit.digest else { continue };
            let key = self.key(&unit.unit, digest, &told);
            if let Some(json) = state.manifest(&key)? {
                known.insert(key, json);
            }
        }
        let outcomes: Vec<Vec<Outcome>> = dealt
            .into_par_iter()
            .map(|Dealt { units, loose }| {
                let units = units.into_par_iter().map(|unit| self.read_unit(unit, (&known, &told)));
                let loose = loose.into_par_iter().map(|file| Outcome { found: Found::Loose(file), to_remember: None });
                units.chain(loose).collect()
            })
            .collect();
        let new: Vec<(Blake3, String)> =
            outcomes.iter().flatten().filter_map(|outcome| outcome.to_remember.clone()).collect();
        state.remember_readings(&new)?;
        Ok(outcomes)
    }

    /// All that a reading depends on.
    fn key(&self, unit: &Unit<'_>, digest: Blake3, told: &ToldByShelf<'_>) -> Blake3 {
        let told = told.of(unit).map(|entry| Blake3::of(entry.to_string().as_bytes()));
        let parts = [
            Some(("rulebook, and entries of mods", 0, self.request.rulebook_digest)),
            Some((unit.shelf.name.as_str(), 1, digest)),
            Some((unit.name.as_str(), 2, digest)),
            told.map(|entry| ("what is told of it", 3, entry)),
        ];
        Blake3::of_files(parts.into_iter().flatten())
    }

    fn read_unit(&self, taken: Taken<'_>, (known, told): (&HashMap<Blake3, String>, &ToldByShelf<'_>)) -> Outcome {
        let plain = |found| Outcome { found, to_remember: None };
        let Taken { unit, digest, files } = taken;
        let digest = match digest {
            Ok(digest) => digest,
            Err(_) if unit.form == Form::Suspect => return plain(Found::Nothing),
            Err(why) => return plain(Found::Unreadable(unreadable(&unit, why.to_string(), false))),
        };
        if unit.form == Form::Suspect {
            return plain(self.suspect(&unit));
        }
        let key = self.key(&unit, digest, told);
        if let Some(known) = known.get(&key).and_then(|json| serde_json::from_str::<Known>(json).ok()) {
            return plain(Found::Mod(Box::new(surveyed(unit, digest, files, known))));
        }
        match self.read(&unit, (digest, told.of(&unit)), &files) {
            Ok(known) => {
                let to_remember = serde_json::to_string(&known).ok().map(|json| (key, json));
                Outcome { found: Found::Mod(Box::new(surveyed(unit, digest, files, known))), to_remember }
            }
            Err(NotRead { why, still_packed }) => {
                let is_known = unit.form == Form::Folder || !unit.shelf.beside.is_empty();
                let files = if is_known { files } else { Vec::new() };
                plain(Found::Unreadable(Unreadable { files, ..unreadable(&unit, why, still_packed) }))
            }
        }
    }

    fn read(
        &self,
        unit: &Unit<'_>,
        (digest, told): (Blake3, Option<&Value>),
        files: &[SurveyedFile],
    ) -> Result<Known, NotRead> {
        let named = Named { name: &unit.name, digest, told };
        let read = |contents: &mut dyn Contents| read_mod(self.request.rulebook, unit.shelf, named, contents);
        if unit.form == Form::Folder {
            let sizes = files.iter().map(|file| (&file.path, file.size));
            let own = Box::new(FolderContents::new(self.install, &unit.path, sizes));
            let mut contents = BesideContents::new(self.install, own, files);
            let manifest = read(&mut contents).map_err(|error| NotRead::of(&error, false))?;
            return Ok(Known { manifest, members: Vec::new(), members_total: 0 });
        }
        if !unit.shelf.holds.archives() {
            let own = Box::new(FileContents { install: self.install, path: &unit.path });
            let mut contents = BesideContents::new(self.install, own, files);
            let manifest = read(&mut contents).map_err(|error| NotRead::of(&error, false))?;
            return Ok(Known { manifest, members: Vec::new(), members_total: 0 });
        }
        let archive = open_archive(self.install, &unit.path).map_err(|why| NotRead::plain(&why))?;
        let mut contents = BesideContents::new(self.install, archive, files);
        let manifest = read(&mut contents);
        let members = contents.members();
        let still_packed = matches!(manifest, Err(ReadingError::NoDocument { .. })) && holds_mods(unit.shelf, members);
        let manifest = manifest.map_err(|error| NotRead::of(&error, still_packed))?;
        let listed = members.iter().take(limits::LISTED_MEMBERS).cloned().collect();
        Ok(Known { manifest, members: listed, members_total: members.len() })
    }

    /// A file that is no mod by its name, yet an archive: harmless, unless there is a mod in it.
    fn suspect(&self, unit: &Unit<'_>) -> Found {
        let mut start = [0; 8];
        let read = self.install.open_file(&unit.path).and_then(|(mut file, _)| file.read(&mut start));
        if !read.is_ok_and(|n| is_archive(&start[..n])) {
            return Found::Nothing;
        }
        if !start.starts_with(b"PK") {
            let why =
                "it is an archive that Kanon can't look into; unpack it, and keep what the game wants of it".to_owned();
            return Found::Unreadable(unreadable(unit, why, true));
        }
        match open_archive(self.install, &unit.path) {
            Ok(archive) if holds_mods(unit.shelf, archive.members()) => {
                let why = "it is a download with a mod in it; unpack it, and keep what the game wants of it".to_owned();
                Found::Unreadable(unreadable(unit, why, true))
            }
            _ => Found::Nothing,
        }
    }
}

/// Why a unit could not be read.
struct NotRead {
    why: String,
    still_packed: bool,
}

impl NotRead {
    fn plain(why: &OpenError) -> Self {
        Self { why: why.to_string(), still_packed: false }
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
    members.iter().any(|member| match shelf.holds.folders() {
        true => {
            documents.iter().any(|document| member.path == *document || member.path.ends_with(&format!("/{document}")))
        }
        false => !shelf.matches.is_empty() && shelf.matches.iter().any(|pattern| pattern.fits(&name(member))),
    })
}

/// A unit with what was measured of it.
struct Taken<'r> {
    unit: Unit<'r>,
    digest: Result<Blake3, Unmeasured>,
    files: Vec<SurveyedFile>,
}

/// The measured files of a group, by what they belong to.
struct Dealt<'r> {
    units: Vec<Taken<'r>>,
    /// Those of no unit that is there.
    loose: Vec<SurveyedFile>,
}

/// Deals the measured files of a group out to its units.
fn dealt<'r>(group: Group<'r>, measured: MeasuredGroup) -> Dealt<'r> {
    let is_folder = group.units.iter().any(|unit| unit.form == Form::Folder);
    let paths: Vec<InstallPath> = group.files.into_iter().map(|(path, _)| path).collect();
    let files: Vec<Result<SurveyedFile, Unmeasured>> = (paths.iter().zip(measured.files))
        .map(|(path, file)| Ok(SurveyedFile::new(path.clone(), file.size, file.blake3?)))
        .collect();
    let file = |at: usize| files[at].clone();
    let inside = |at: usize| file(at).map_err(|why| why.inside(paths[at].clone()));
    let mut of_units: HashSet<usize> = HashSet::new();
    let units = group.units.into_iter().map(|unit| {
        let own = |at: &usize| unit.beside.iter().all(|(other, _)| other != at);
        let first: Vec<usize> = if is_folder { (0..paths.len()).filter(own).collect() } else { vec![unit.at] };
        of_units.extend(first.iter().chain(unit.beside.iter().map(|(at, _)| at)));
        let named =
            |(at, called): &(usize, &BesideName)| Ok(SurveyedFile { beside: Some((*called).clone()), ..inside(*at)? });
        let own = first.into_iter().map(|at| if is_folder { inside(at) } else { file(at) });
        let files: Result<Vec<SurveyedFile>, Unmeasured> = own.chain(unit.beside.iter().map(named)).collect();
        let digest = files.as_ref().map_err(Unmeasured::clone).map(|files| {
            let own = if is_folder { measured.digest } else { files[0].blake3 };
            digest_of(own, files)
        });
        Taken { unit, digest, files: files.unwrap_or_default() }
    });
    let units = units.collect();
    Dealt {
        units,
        loose: (0..paths.len()).filter(|at| !of_units.contains(at)).filter_map(|at| file(at).ok()).collect(),
    }
}

/// One digest for what a mod is itself and what lies beside it, whatever the mod is called; without such it has its own.
fn digest_of(own: Blake3, files: &[SurveyedFile]) -> Blake3 {
    let beside = files.iter().filter_map(|file| Some((file.beside.as_ref()?.text(), file.size, file.blake3)));
    let mut beside: Vec<(&str, u64, Blake3)> = beside.collect();
    if beside.is_empty() {
        return own;
    }
    beside.sort_unstable_by_key(|(called, ..)| *called);
    Blake3::of_files(std::iter::once(("", 0, own)).chain(beside))
}

fn surveyed(unit: Unit<'_>, digest: Blake3, files: Vec<SurveyedFile>, known: Known) -> SurveyedMod {
    SurveyedMod {
        manifest: known.manifest,
        shelf: unit.shelf.name.clone(),
        place: unit.place,
        enabled: unit.enabled,
        path: unit.path,
        name: unit.name,
        digest,
        files,
        members: known.members,
        members_total: known.members_total,
        signatures: Vec::new(),
    }
}
