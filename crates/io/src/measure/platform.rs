//! The versions of the game, the loader and the runtime, as an install shows them.

use std::collections::HashSet;

use kanon_core::base::limits;
use kanon_core::base::path::InstallPath;
use kanon_core::rulebook::{Platform, PlatformVersion};
use kanon_core::text::{text, version_text};

use super::request::Request;
use crate::install::{Install, Kind};

/// How deep below the root a file is looked for by its name.
const DEPTH: usize = 4;

/// The versions that were found.
#[derive(Debug, Default)]
pub struct Versions {
    /// Of the game.
    pub game: Option<String>,
    /// Of the loader.
    pub loader: Option<String>,
    /// Of the runtime.
    pub runtime: Option<String>,
}

/// Finds the versions that an install shows.
pub fn versions(install: &dyn Install, request: Request<'_>) -> Versions {
    let mut names = Names { install, skip: shelves(request), paths: None };
    let rulebook = request.rulebook;
    Versions {
        game: version(&rulebook.base, &mut names),
        loader: rulebook.loader.as_ref().and_then(|loader| version(loader, &mut names)),
        runtime: rulebook.runtime.as_ref().and_then(|runtime| version(runtime, &mut names)),
    }
}

fn shelves(request: Request<'_>) -> HashSet<InstallPath> {
    request.rulebook.shelves.iter().flat_map(|shelf| shelf.places(request.role)).cloned().collect()
}

/// The names of an install's files, listed when first asked for.
struct Names<'a> {
    install: &'a dyn Install,
    skip: HashSet<InstallPath>,
    paths: Option<Vec<InstallPath>>,
}

impl Names<'_> {
    fn paths(&mut self) -> &[InstallPath] {
        self.paths.get_or_insert_with(|| {
            let entries = self.install.list(None, DEPTH, &self.skip).entries;
            let mut paths: Vec<_> = entries
                .into_iter()
                .filter(|entry| matches!(entry.kind, Kind::File(_)))
                .map(|entry| entry.path)
                .collect();
            paths.sort();
            paths
        })
    }
}

fn version(platform: &Platform, names: &mut Names<'_>) -> Option<String> {
    platform.version.iter().find_map(|place| match place {
        PlatformVersion::FileName(regex) => names
            .paths()
            .iter()
            .find_map(|path| regex.captures(path.as_str())?.name("version").map(|found| found.as_str().to_owned())),
        PlatformVersion::Document { file, notation, encoding, at } => {
            let document = notation.read(&bytes(names.install, file)?, *encoding).ok()?;
            at.query(&document).iter().find_map(|value| version_text(value))
        }
        PlatformVersion::Text { file, encoding, line } => {
            let bytes = bytes(names.install, file)?;
            line.captures(&text(&bytes, *encoding).ok()?)?.name("version").map(|found| found.as_str().trim().to_owned())
        }
    })
}

fn bytes(install: &dyn Install, file: &InstallPath) -> Option<Vec<u8>> {
    install.document(file, limits::DOCUMENT_BYTES + 1).ok()
}
