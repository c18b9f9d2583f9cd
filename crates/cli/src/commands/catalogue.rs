//! `kanon catalogue`: an index of a folder of downloads.

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};

use kanon_core::base::ids::FoldedId;
use kanon_core::base::limits;
use kanon_core::base::path::{InstallPath, PathError, printable};
use kanon_core::resolve::catalogue::{Catalogue, CataloguedMod, CataloguedRelease, Download, FORMAT};
use kanon_core::survey::{Survey, SurveyedMod};
use kanon_io::downloads::{DownloadFolder, Downloads};
use kanon_io::hashing::both_of;
use kanon_io::measure::TrustMemory;
use kanon_io::open::regular;
use kanon_io::writing::write_whole;
use serde::Serialize;

use crate::Outcome;
use crate::arguments::{Catalogue as Arguments, Format};
use crate::env::Env;
use crate::failure::Failure;
use crate::render::{CARE, GOOD, counted, folded, styled};
use crate::ui::Ui;
use kanon_app::session::{KnownNames, Session};

/// The report.
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[derive(Serialize)]
pub struct Report {
    format: &'static str,
    file: String,
    mods: usize,
    releases: usize,
    passed_over: Vec<(String, String)>,
}

pub fn run(arguments: &Arguments, env: &Env, ui: &Ui) -> Result<Outcome, Failure> {
    let mut session = Session::open(&env.machine, ui, arguments.rulebook.as_deref(), false)?;
    let folder = env.machine.folder.join(&arguments.folder);
    let folder = folder.canonicalize().map_err(|error| {
        Failure::plain(format!("could not open {}", folder.display())).because(error).hint("check the folder's path")
    })?;
    let output = InstallPath::new(&arguments.output)
        .map_err(|error| Failure::plain(format!("the catalogue can't be written there: {error}")))?;
    if output.parent().is_some() {
        return Err(
            Failure::plain("the catalogue lies in the folder that it is of").hint("give -o a name without a path")
        );
    }
    let (catalogue, passed_over) = drawn_up(&mut session, &folder, &folder.join(output.as_str()))?;
    let json = catalogue.to_json().map_err(|error| Failure::plain("could not write the catalogue").because(error))?;
    write_whole(&folder.join(output.as_str()), &json)?;
    let report = Report {
        format: "kanon-catalogue-made/1",
        file: output.to_string(),
        mods: catalogue.mods.len(),
        releases: catalogue.mods.iter().map(|of| of.releases.len()).sum(),
        passed_over,
    };
    match env.format {
        Format::Json => ui.json(&report)?,
        Format::Text => ui.report(&text(&report)),
    }
    Ok(Outcome::of(report.passed_over.is_empty()))
}

type Drawn = (Catalogue, Vec<(String, String)>);

fn drawn_up(session: &mut Session<'_>, folder: &Path, earlier: &Path) -> Result<Drawn, Failure> {
    let temp =
        tempfile::tempdir().map_err(|error| Failure::plain("could not make a temporary folder").because(error))?;
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
    let mut passed_over: Vec<(String, String)> = found
        .refused
        .iter()
        .filter(|(file, _)| file.starts_with(folder))
        .map(|(file, why)| (shown(file), why.to_string()))
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
                    Some(known) => passed_over.push((
                        release.download.file.to_string(),
                        format!("{} holds the same release with other bytes; keep one of them", known.download.file),
                    )),
                    None => of.releases.push(release),
                }
            }
            Err(why) => passed_over.push((shown(&held.root.join(mod_.path.as_str())), why.to_string())),
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
    passed_over.sort();
    Ok((Catalogue { format: FORMAT.to_owned(), game, mods }, passed_over))
}

/// Why a mod can't be offered.
#[derive(Debug, thiserror::Error)]
enum NotOffered {
    #[error("it was made for the loader {0}")]
    ForLoader(String),
    #[error("it is more than one file; pack it, so that it can be downloaded as one")]
    SeveralFiles,
    #[error("it can't be named in a catalogue: {0}")]
    Path(#[from] PathError),
    #[error("it could not be read: {0}")]
    Io(#[from] std::io::Error),
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

fn keys(survey: &Survey, found: &SurveyedMod) -> Vec<kanon_core::base::digest::Blake3> {
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
    let text = kanon_io::workspace::read_text(&beside, "read").ok()?;
    let text: String = text.trim().chars().take(limits::NOTES_CHARS).collect();
    (!text.is_empty()).then_some(text)
}

fn text(report: &Report) -> String {
    let mut out = format!(
        "{}: {}, {} of {}\n",
        styled(GOOD, "catalogue written"),
        report.file,
        counted(report.releases, "release", "releases"),
        counted(report.mods, "mod", "mods")
    );
    for (what, why) in &report.passed_over {
        out.push_str(&format!("  {} {}\n", styled(CARE, "passed over"), printable(what)));
        out.push_str(&folded(why, "      "));
    }
    out.push_str("host the folder on any web server or bucket; others name it: [source.NAME] at = \"https://.../\"\n");
    out
}
