//! An index of a folder of downloads, for others to choose from.

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};

use kanon_core::base::digest::Blake3;
use kanon_core::base::ids::FoldedId;
use kanon_core::base::limits;
use kanon_core::base::path::{InstallPath, PathError};
use kanon_core::resolve::catalogue::{Catalogue, CataloguedMod, CataloguedRelease, Download, FORMAT};
use kanon_core::survey::{Survey, SurveyedMod};
use kanon_io::downloads::{DownloadFolder, Downloads, NotTaken};
use kanon_io::hashing::both_of;
use kanon_io::measure::TrustMemory;
use kanon_io::open::regular;
use kanon_io::workspace::read_text;
use kanon_io::writing::write_whole;

use crate::error::{AppError, CatalogueMakingError};
use crate::session::{KnownNames, Session};

/// A catalogue that was written.
pub struct Made {
    /// Its file, in the folder.
    pub file: InstallPath,
    /// What it lists.
    pub catalogue: Catalogue,
    /// What it does not list, and why not.
    pub passed_over: Vec<(String, NotOffered)>,
}

/// Why a download is not offered.
#[derive(Debug)]
pub enum NotOffered {
    /// It holds no mod of this game.
    NoMod(NotTaken),
    /// Another download holds the same release with other bytes.
    OtherBytes(InstallPath),
    /// It was made for another loader.
    ForLoader(String),
    /// It is more than one file.
    SeveralFiles,
    /// It can't be named in a catalogue.
    Path(PathError),
    /// It could not be read.
    Io(std::io::Error),
}

impl From<PathError> for NotOffered {
    fn from(error: PathError) -> Self {
        Self::Path(error)
    }
}

impl From<std::io::Error> for NotOffered {
    fn from(error: std::io::Error) -> Self {
        Self::Io(error)
    }
}

/// Lists a folder of downloads in a file of its own.
///
/// # Errors
/// When the folder can't be read, or the file can't lie there.
pub fn make(session: &mut Session<'_>, folder: &Path, file: &str) -> Result<Made, AppError> {
    let folder = session.machine.folder.join(folder);
    let folder = folder.canonicalize().map_err(|cause| CatalogueMakingError::NoFolder { folder, cause })?;
    let file = InstallPath::new(file).map_err(CatalogueMakingError::BadName)?;
    if file.parent().is_some() {
        return Err(CatalogueMakingError::Elsewhere.into());
    }
    let (catalogue, passed_over) = drawn_up(session, &folder, &folder.join(file.as_str()))?;
    let json = catalogue.to_json().map_err(|cause| CatalogueMakingError::AsJson(Box::new(cause)))?;
    write_whole(&folder.join(file.as_str()), &json)?;
    Ok(Made { file, catalogue, passed_over })
}

type Drawn = (Catalogue, Vec<(String, NotOffered)>);

fn drawn_up(session: &mut Session<'_>, folder: &Path, earlier: &Path) -> Result<Drawn, AppError> {
    let temp = tempfile::tempdir().map_err(CatalogueMakingError::Temporary)?;
    let known_names = KnownNames::new();
    let mut downloads = Downloads {
        name: "downloads",
        rulebook: &session.loaded.rulebook,
        rulebook_digest: session.loaded.digest,
        trust: TrustMemory::Yes,
        state: &mut session.state,
        unpacked: temp.path(),
        known_names: &known_names,
    };
    let found = downloads.look_through(folder)?;
    let game = session.loaded.rulebook.game.clone();
    let earlier = std::fs::read(earlier).ok().and_then(|bytes| Catalogue::from_json(&bytes, &game).ok());
    let shown = |path: &Path| path.strip_prefix(folder).unwrap_or(path).display().to_string();
    let mut passed_over: Vec<(String, NotOffered)> = found
        .refused
        .iter()
        .filter(|(file, _)| file.starts_with(folder))
        .map(|(file, why)| (shown(file), NotOffered::NoMod(why.clone())))
        .collect();
    let mut mods: BTreeMap<FoldedId, CataloguedMod> = BTreeMap::new();
    for (held, mod_) in found.mods() {
        match entry(held, mod_, folder, earlier.as_ref()) {
            Ok(release) => {
                let id = mod_.manifest.id.clone();
                let of = mods.entry(id.clone()).or_insert_with(|| CataloguedMod {
                    about: earlier.iter().flat_map(|e| &e.mods).find(|of| of.id == id).and_then(|of| of.about.clone()),
                    id,
                    title: None,
                    releases: Vec::new(),
                });
                of.title = mod_.manifest.title.clone().or_else(|| of.title.take());
                match of.releases.iter().find(|known| known.version == release.version) {
                    Some(known) if known.digest == release.digest => {}
                    Some(known) => passed_over
                        .push((release.download.file.to_string(), NotOffered::OtherBytes(known.download.file.clone()))),
                    None => of.releases.push(release),
                }
            }
            Err(why) => passed_over.push((shown(&held.root.join(mod_.path.as_str())), why)),
        }
    }
    let scheme = session.loaded.rulebook.versions.scheme;
    let mut mods: Vec<CataloguedMod> = mods.into_values().collect();
    for of in &mut mods {
        of.releases.sort_by(|a, b| {
            let (one, other) = (a.version.as_deref().unwrap_or(""), b.version.as_deref().unwrap_or(""));
            scheme.compare(one, other).unwrap_or_else(|| (&a.date, one).cmp(&(&b.date, other)))
        });
    }
    Ok((Catalogue { format: FORMAT.to_owned(), game, mods }, passed_over))
}

/// The entry of a mod, or why it can't be offered.
fn entry(
    held: &DownloadFolder,
    found: &SurveyedMod,
    folder: &Path,
    earlier: Option<&Catalogue>,
) -> Result<CataloguedRelease, NotOffered> {
    if let Some(loader) = &found.manifest.made_for {
        return Err(NotOffered::ForLoader(loader.to_string()));
    }
    let is_file = found.files.len() == 1 && found.files[0].path == found.path;
    let file = match &held.download {
        Some(download) => download.clone(),
        None if is_file => held.root.join(found.path.as_str()),
        None => return Err(NotOffered::SeveralFiles),
    };
    let below = file.strip_prefix(folder).unwrap_or(&file);
    let path = InstallPath::new(&below.to_string_lossy().replace('\\', "/"))?;
    let mut reader = regular(&file)?;
    let metadata = reader.metadata()?;
    let (blake3, sha256) = both_of(&mut reader, metadata.len(), |_| Ok(()))?;
    let manifest = &found.manifest;
    let before = earlier.iter().flat_map(|earlier| &earlier.mods).filter(|of| of.id == manifest.id);
    let before = before.flat_map(|of| &of.releases).find(|release| release.digest == found.digest);
    let day = metadata.modified().ok().and_then(|time| jiff::Timestamp::try_from(time).ok());
    let day = day.map(|time| time.strftime("%Y-%m-%d").to_string());
    Ok(CataloguedRelease {
        version: manifest.version.clone(),
        date: before.map_or(day, |before| before.date.clone()),
        notes: notes_beside(&file).or_else(|| before.and_then(|before| before.notes.clone())),
        needed_on: manifest.needed_on,
        game_range: manifest.game_range.clone(),
        loader_range: manifest.loader_range.clone(),
        runtime_range: manifest.runtime_range.clone(),
        shapes_world: manifest.shapes_world,
        relations: manifest.relations.clone(),
        provides: manifest.provides.clone(),
        keys: keys(&held.survey, found),
        digest: found.digest,
        name: found.name.clone(),
        download: Download { file: path, size: metadata.len(), blake3, sha256 },
    })
}

fn keys(survey: &Survey, found: &SurveyedMod) -> Vec<Blake3> {
    let mut keys: Vec<_> = survey.keys_of(found).map(|key| key.blake3).collect();
    keys.sort_unstable();
    keys.dedup();
    keys
}

/// What is new in a release, from a file beside its download.
fn notes_beside(file: &Path) -> Option<String> {
    let mut name = file.file_name()?.to_owned();
    name.push(".notes.txt");
    let beside: PathBuf = file.with_file_name(name);
    let text = read_text(&beside, "read").ok()?;
    let text: String = text.trim().chars().take(limits::NOTES_CHARS).collect();
    (!text.is_empty()).then_some(text)
}
