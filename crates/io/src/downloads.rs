//! From downloads to what is installed: looks through a folder of files as they came, unpacks what is packed once
//! too often, and says of the rest what it is and why it is no mod of this game.

use std::collections::{BTreeMap, BTreeSet};
use std::path::{Path, PathBuf};
use std::sync::Arc;

use displaydoc::Display;
use kanon_core::base::digest::Blake3;
use kanon_core::base::ids::FoldedId;
use kanon_core::base::names::ShelfName;
use kanon_core::base::path::{InstallPath, printable};
use kanon_core::rulebook::{ByRole, FragmentRule, Holds, NamePattern, Names, Platform, Role, Rulebook, Shelf};
use kanon_core::survey::{Survey, SurveyedMod};

use crate::error::{During, ReachError};
use crate::install::{FileFingerprint, LocalInstall};
use crate::measure::{self, Request, TrustMemory};
use crate::progress::Silent;
use crate::state::State;
use crate::unpack::{Sort, UnpackError, sort, unpack};

/// How deep folders inside folders are looked into.
const FOLDER_DEPTH: usize = 5;
/// How deep archives inside archives are.
const ARCHIVE_DEPTH: usize = 3;
/// How many folders are looked into in all.
const FOLDERS: usize = 2_000;

/// What Kanon itself puts or reads beside downloads.
const OWN_FILES: [&str; 2] = ["catalogue.json", "*.notes.txt"];

/// Looks through downloads for the mods of one game.
pub struct Downloads<'a> {
    /// The name that surveys give to what is found.
    pub name: &'a str,
    /// How the game arranges its mods.
    pub rulebook: &'a Rulebook,
    /// The digest of the rulebook's text.
    pub rulebook_digest: Blake3,
    /// Whether remembered digests count.
    pub trust: TrustMemory,
    /// The state database.
    pub state: &'a mut State,
    /// Where archives are unpacked to, each into a folder of its own.
    pub unpacked: &'a Path,
    /// What mods are called where they are installed already, by shelf and folded id.
    pub known_names: &'a BTreeMap<(ShelfName, FoldedId), String>,
}

/// What lies in one folder.
#[derive(Debug, Clone)]
pub struct DownloadFolder {
    /// The folder; the survey's paths start here.
    pub root: PathBuf,
    /// The mods in it.
    pub survey: Survey,
    /// The download that was unpacked to it; none for a folder that came as it is.
    pub download: Option<PathBuf>,
}

/// Why nothing is taken out of a file or a folder of downloads.
#[derive(Debug, Clone, Display)]
pub enum NotTaken {
    /// only {0} folders are looked into; this is one more
    TooManyFolders(usize),
    /// it is {0}, and Kanon runs nothing that it finds
    Program(&'static str),
    /// it is {0}: unpack it by hand into a folder of this source
    OtherArchive(&'static str),
    /// it lies in {0} archives inside one another
    TooDeep(usize),
    /// {0}
    NotUnpacked(Arc<UnpackError>),
    /// {0}
    Unreadable(String),
    /// {id} in it was made for the loader {loader}
    ForLoader {
        /// The mod.
        id: String,
        /// The loader.
        loader: String,
    },
    /// there is no mod of {game} in it; of {file} in it: {why}
    NoModBut {
        /// The game.
        game: String,
        /// What else is in it.
        file: String,
        /// What that is.
        why: Box<NotTaken>,
    },
    /// there is no mod of {0} in it, nor anything else that is known
    NoMod(String),
}

/// What was found among downloads.
#[derive(Debug, Clone, Default)]
pub struct Found {
    /// Folders with mods in them.
    pub held: Vec<DownloadFolder>,
    /// Files that hold no mod of this game, and what they are.
    pub refused: Vec<(PathBuf, NotTaken)>,
}

/// One walk through a folder of downloads, archives in it included.
struct Walk {
    /// The rulebook, as downloads are read by it.
    rulebook: Rulebook,
    /// How many folders were looked into.
    folders: usize,
}

impl Found {
    /// Every mod, with the folder it is in.
    pub fn mods(&self) -> impl Iterator<Item = (&DownloadFolder, &SurveyedMod)> {
        self.held.iter().flat_map(|held| held.survey.mods.iter().map(move |found| (held, found)))
    }
}

impl Downloads<'_> {
    /// Looks through a folder of downloads.
    ///
    /// # Errors
    /// When the folder can't be read, or the state database fails; what is wrong with one download is told in its place.
    pub fn look_through(&mut self, folder: &Path) -> Result<Found, ReachError> {
        let folder = folder.canonicalize().during("open the folder of downloads", folder)?;
        let mut walk = Walk { rulebook: as_downloads(self.rulebook), folders: 0 };
        let mut found = Found::default();
        self.look(&folder, None, 0, &mut walk, &mut found)?;
        found.held.sort_by(|a, b| a.root.cmp(&b.root));
        Ok(found)
    }

    fn look(
        &mut self,
        folder: &Path,
        download: Option<&Path>,
        depth: usize,
        walk: &mut Walk,
        found: &mut Found,
    ) -> Result<(), ReachError> {
        let mut waiting = vec![(folder.to_owned(), 0)];
        while let Some((folder, level)) = waiting.pop() {
            if walk.folders == FOLDERS {
                found.refused.push((folder, NotTaken::TooManyFolders(FOLDERS)));
                return Ok(());
            }
            walk.folders += 1;
            let survey = self.survey(&folder, &walk.rulebook)?;
            let (folders, files) = entries(&folder)?;
            let beside = survey.mods.iter().flat_map(|found| &found.files).chain(&survey.loose).map(|file| &file.path);
            let mods: BTreeSet<&str> =
                survey.mods.iter().map(|found| &found.path).chain(beside).map(InstallPath::as_str).collect();
            // A folder that is no mod may hold some; what stands in it is looked at there.
            let broken: BTreeMap<&str, &str> = survey
                .unreadable
                .iter()
                .filter(|broken| broken.is_file && !broken.still_packed)
                .map(|broken| (broken.path.as_str(), broken.why.as_str()))
                .collect();
            for name in files.iter().filter(|name| !mods.contains(name.as_str())) {
                let file = folder.join(name);
                match broken.get(name.as_str()) {
                    Some(why) => found.refused.push((file, NotTaken::Unreadable((*why).to_owned()))),
                    None => self.sort_out(&file, download, depth, walk, found)?,
                }
            }
            if level < FOLDER_DEPTH {
                let deeper = folders.iter().filter(|name| !mods.contains(name.as_str()));
                waiting.extend(deeper.map(|name| (folder.join(name), level + 1)));
            }
            if !survey.mods.is_empty() {
                found.held.push(DownloadFolder { root: folder, survey, download: download.map(Path::to_owned) });
            }
        }
        Ok(())
    }

    /// Surveys one folder as if each shelf were just that folder.
    fn survey(&mut self, folder: &Path, rulebook: &Rulebook) -> Result<Survey, ReachError> {
        let install = LocalInstall::open(folder)?;
        let request = Request::new((self.name, Role::Server), (rulebook, self.rulebook_digest), self.trust);
        let mut survey = measure::survey(&install, request, self.state, &Silent)?.survey;
        survey.strays.clear();
        for found in &mut survey.mods {
            if let Some(name) = self.exact_name(found) {
                found.name = name;
            }
        }
        Ok(survey)
    }

    /// What a mod must be called where it is installed, if that can be known: by the rulebook, or from where it is installed
    /// already.
    fn exact_name(&self, found: &SurveyedMod) -> Option<String> {
        let shelf = self.rulebook.shelf(&found.shelf)?;
        if let Some(called) = &shelf.called {
            let version = found.manifest.version.as_deref().unwrap_or_default();
            let name = called.replace("{id}", found.manifest.id.as_str()).replace("{version}", version);
            return InstallPath::new(&name).ok().map(String::from);
        }
        if shelf.names == Names::Free || !shelf.holds.folders() {
            return None;
        }
        self.known_names.get(&(found.shelf.clone(), found.manifest.id.clone())).cloned()
    }

    /// A file that is no mod as it lies there.
    fn sort_out(
        &mut self,
        file: &Path,
        download: Option<&Path>,
        depth: usize,
        walk: &mut Walk,
        found: &mut Found,
    ) -> Result<(), ReachError> {
        let kind = sort(file).during("read", file)?;
        let mut refuse = |why: NotTaken| found.refused.push((file.to_owned(), why));
        match kind {
            Sort::Plain => {}
            Sort::Program(what) => refuse(NotTaken::Program(what)),
            Sort::OtherArchive(what) => refuse(NotTaken::OtherArchive(what)),
            Sort::Zip | Sort::SevenZ | Sort::Tar | Sort::Gzip if depth == ARCHIVE_DEPTH => {
                refuse(NotTaken::TooDeep(ARCHIVE_DEPTH));
            }
            Sort::Zip | Sort::SevenZ | Sort::Tar | Sort::Gzip => {
                let tree = match self.unpacked_tree(file, kind)? {
                    Ok(tree) => tree,
                    Err(why) => {
                        refuse(NotTaken::NotUnpacked(Arc::new(why)));
                        return Ok(());
                    }
                };
                let mut inner = Found::default();
                let origin = download.unwrap_or(file);
                self.look(&tree, Some(origin), depth + 1, walk, &mut inner)?;
                if inner.held.is_empty() && kind == Sort::Zip {
                    self.under_a_mods_name(file, origin, &walk.rulebook, &mut inner)?;
                }
                let fitting = |found: &SurveyedMod| found.manifest.made_for.is_none();
                if inner.mods().any(|(_, found)| fitting(found)) {
                    found.held.extend(inner.held);
                } else {
                    found.refused.push((file.to_owned(), what_it_is(&inner, self.rulebook)));
                }
            }
        }
        Ok(())
    }

    /// A mod that is one archive may have lost its extension on the way: a zip is tried under the name of a mod.
    fn under_a_mods_name(
        &mut self,
        file: &Path,
        origin: &Path,
        rulebook: &Rulebook,
        found: &mut Found,
    ) -> Result<(), ReachError> {
        let stem = file.file_stem().map(|stem| stem.to_string_lossy().into_owned()).unwrap_or_default();
        let extensions =
            rulebook.shelves.iter().filter(|shelf| shelf.holds.archives()).flat_map(|shelf| &shelf.matches);
        let names: BTreeSet<String> = extensions
            .filter_map(|pattern| pattern.text().strip_prefix("*."))
            .filter(|extension| !extension.contains('*'))
            .map(|extension| format!("{stem}.{extension}"))
            .collect();
        for name in names {
            let tree = self.own_folder(file, &name)?;
            let target = tree.join(&name);
            if !target.exists() {
                std::fs::create_dir_all(&tree).during("make the folder", &tree)?;
                let linked = std::fs::hard_link(file, &target).or_else(|_| std::fs::copy(file, &target).map(|_| ()));
                linked.during("copy", file)?;
            }
            let survey = self.survey(&tree, rulebook)?;
            if !survey.mods.is_empty() {
                found.held.push(DownloadFolder { root: tree, survey, download: Some(origin.to_owned()) });
                return Ok(());
            }
        }
        Ok(())
    }

    /// The folder that a file is unpacked to. A file with another stamp has another one.
    fn own_folder(&self, file: &Path, purpose: &str) -> Result<PathBuf, ReachError> {
        let stamp = FileFingerprint::of(&std::fs::metadata(file).during("look at", file)?);
        let key = format!("{}\n{}\n{}\n{purpose}", file.display(), stamp.size, stamp.modified.unwrap_or_default());
        Ok(self.unpacked.join(&Blake3::of(key.as_bytes()).to_string()[..32]))
    }

    /// Unpacks a file, or finds it unpacked; the tree has one folder, called as the file is.
    fn unpacked_tree(&self, file: &Path, kind: Sort) -> Result<Result<PathBuf, UnpackError>, ReachError> {
        let tree = self.own_folder(file, "")?;
        if tree.is_dir() {
            return Ok(Ok(tree));
        }
        std::fs::create_dir_all(self.unpacked).during("make the folder", self.unpacked)?;
        let part = tempfile::Builder::new()
            .prefix("part-")
            .tempdir_in(self.unpacked)
            .during("make a folder in", self.unpacked)?;
        let inner = part.path().join(stem(file));
        std::fs::create_dir(&inner).during("make the folder", &inner)?;
        if let Err(why) = unpack(file, kind, &inner) {
            return Ok(Err(why));
        }
        let part = part.keep();
        std::fs::rename(&part, &tree).during("put in place", &tree)?;
        Ok(Ok(tree))
    }
}

/// The name of a download without its endings; some name that can be used where that can't.
fn stem(file: &Path) -> String {
    let name = file.file_name().map(|name| name.to_string_lossy().into_owned()).unwrap_or_default();
    let endings = [".zip", ".7z", ".tar.gz", ".tgz", ".tar", ".gz"];
    let ending = endings.iter().find(|ending| name.to_lowercase().ends_with(**ending));
    let stem = ending.map_or(name.as_str(), |ending| &name[..name.len() - ending.len()]);
    InstallPath::new(stem).map_or_else(|_| "download".to_owned(), String::from)
}

/// Folders and files of a folder, by name; links are let be.
fn entries(folder: &Path) -> Result<(Vec<String>, Vec<String>), ReachError> {
    let (mut folders, mut files) = (Vec::new(), Vec::new());
    for entry in std::fs::read_dir(folder).during("list", folder)? {
        let entry = entry.during("list", folder)?;
        let (kind, name) = (entry.file_type().during("list", folder)?, entry.file_name());
        let Some(name) = name.to_str().filter(|name| !name.starts_with('.')) else { continue };
        if kind.is_dir() {
            folders.push(name.to_owned());
        } else if kind.is_file() {
            files.push(name.to_owned());
        }
    }
    folders.sort_unstable_by(|a, b| b.cmp(a));
    files.sort_unstable();
    Ok((folders, files))
}

/// What an archive without a mod of this game is.
fn what_it_is(inner: &Found, rulebook: &Rulebook) -> NotTaken {
    let foreign = inner.mods().find_map(|(_, found)| Some((found, found.manifest.made_for.as_ref()?)));
    if let Some((found, loader)) = foreign {
        return NotTaken::ForLoader { id: printable(found.manifest.id.as_str()), loader: loader.clone() };
    }
    match inner.refused.first() {
        Some((file, why)) => {
            let name = file.file_name().map(|name| name.to_string_lossy().into_owned()).unwrap_or_default();
            let (game, file, why) = (rulebook.game.clone(), printable(&name), Box::new(why.clone()));
            NotTaken::NoModBut { game, file, why }
        }
        None => NotTaken::NoMod(rulebook.game.clone()),
    }
}

/// The same rulebook for a folder of downloads: every shelf is that folder, and nothing else of an install is there.
fn as_downloads(rulebook: &Rulebook) -> Rulebook {
    let mut rulebook = rulebook.clone();
    let here = || ByRole {
        server: InstallPath::folder(".").into_iter().collect(),
        client: InstallPath::folder(".").into_iter().collect(),
    };
    rulebook.shelves.retain(|shelf| shelf.holds != Holds::Ids);
    for shelf in &mut rulebook.shelves {
        let except =
            shelf.except.iter().cloned().chain(OWN_FILES.iter().filter_map(|name| NamePattern::new(name).ok()));
        *shelf = Shelf {
            except: except.collect(),
            places: here(),
            wild: ByRole::default(),
            ids_from: ByRole::default(),
            laid_into: None,
            extras: Vec::new(),
            ..shelf.clone()
        };
    }
    let unversioned = |platform: &Platform| Platform { version: Vec::new(), ..platform.clone() };
    Rulebook {
        base: unversioned(&rulebook.base),
        loader: rulebook.loader.as_ref().map(unversioned),
        runtime: rulebook.runtime.as_ref().map(unversioned),
        keyring: None,
        lists: Vec::new(),
        // What a mod brings is read from the mod, wherever it lies.
        fragments: rulebook.fragments.iter().map(|rule| FragmentRule { of: None, ..rule.clone() }).collect(),
        settings: Vec::new(),
        memory: Vec::new(),
        worlds: Vec::new(),
        ..rulebook
    }
}
