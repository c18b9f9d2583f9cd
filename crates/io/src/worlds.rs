//! The worlds of an install as files, and worlds that were prepared elsewhere.

use std::collections::HashSet;
use std::path::Path;

use kanon_core::base::path::InstallPath;
use kanon_core::plan::worlds::{PreparedFile, World};

use crate::bytes::Bytes;
use crate::error::{Attempt, During, ReachError, Unfit};
use crate::hashing::blake3_of;
use crate::install::{FileStatus, Install, Kind, LocalInstall};
use crate::open::regular;
use crate::unpack::{self, Sort};

/// How deep a world is listed.
const DEPTH: usize = 32;

/// The files of the worlds of an install.
///
/// # Errors
/// When something in one can't be looked at: it could not be backed up.
pub fn listed(install: &dyn Install, worlds: &[InstallPath]) -> Result<Vec<World>, ReachError> {
    worlds.iter().map(|path| one(install, path)).collect()
}

fn one(install: &dyn Install, path: &InstallPath) -> Result<World, ReachError> {
    let outside = install.outside(path);
    if let Some(FileStatus::File { stamp, .. }) = install.look(path).during("look at", &outside)? {
        return Ok(World { path: path.clone(), files: vec![(path.clone(), stamp.size)] });
    }
    let listing = install.list(Some(path), DEPTH, &HashSet::new());
    if let Some(refused) = listing.refused.first() {
        return Err(ReachError::unusable(outside, Unfit::within(refused, Attempt::BackUp)));
    }
    let files = listing.entries.into_iter().filter_map(|entry| match entry.kind {
        Kind::File(stamp) => Some((entry.path, stamp.size)),
        Kind::Folder => None,
    });
    let mut files: Vec<(InstallPath, u64)> = files.collect();
    files.sort();
    Ok(World { path: path.clone(), files })
}

/// A prepared world: a folder, an archive of one, or one file. An archive is unpacked into `room` where the game wants
/// a folder.
///
/// # Errors
/// When it is not there, or can't be read or unpacked.
pub fn prepared(
    from: &Path,
    wants_folder: bool,
    room: &Path,
    bytes: &mut Bytes,
) -> Result<Vec<PreparedFile>, ReachError> {
    if from.is_dir() {
        return files_of(from, bytes);
    }
    let sort = unpack::sort(from).during("read the prepared world", from)?;
    let is_archive = matches!(sort, Sort::Zip | Sort::SevenZ | Sort::Tar | Sort::Gzip);
    if !wants_folder || !is_archive {
        let (blake3, size) = digest(from)?;
        bytes.add(blake3, from.to_owned());
        return Ok(vec![PreparedFile { inner: None, size, blake3 }]);
    }
    let folder = room.join(format!("world-{}", digest(from)?.0.short()));
    if folder.exists() {
        std::fs::remove_dir_all(&folder).during("clear", &folder)?;
    }
    std::fs::create_dir_all(&folder).during("make the folder", &folder)?;
    unpack::unpack(from, sort, &folder).map_err(|why| ReachError::unusable(from, Unfit::told(why)))?;
    files_of(&folder, bytes)
}

/// The files of a folder; one that holds nothing but another folder is a wrapping, and is looked through.
fn files_of(folder: &Path, bytes: &mut Bytes) -> Result<Vec<PreparedFile>, ReachError> {
    let install = LocalInstall::open(folder)?;
    let top = install.list(None, 1, &HashSet::new());
    if let [only] = top.entries.as_slice()
        && only.kind == Kind::Folder
        && top.refused.is_empty()
    {
        return files_of(&folder.join(only.path.as_str()), bytes);
    }
    let listing = install.list(None, DEPTH, &HashSet::new());
    if let Some(refused) = listing.refused.first() {
        return Err(ReachError::unusable(folder, Unfit::within(refused, Attempt::TakeOver)));
    }
    let mut files = Vec::new();
    for entry in listing.entries.into_iter().filter(|entry| matches!(entry.kind, Kind::File(_))) {
        let path = folder.join(entry.path.as_str());
        let (blake3, size) = digest(&path)?;
        bytes.add(blake3, path);
        files.push(PreparedFile { inner: Some(entry.path.into()), size, blake3 });
    }
    files.sort_by(|a, b| a.inner.cmp(&b.inner));
    Ok(files)
}

fn digest(path: &Path) -> Result<(kanon_core::base::digest::Blake3, u64), ReachError> {
    let mut file = regular(path).during("read the prepared world", path)?;
    let size = file.metadata().during("read the prepared world", path)?.len();
    blake3_of(&mut file, size).during("read the prepared world", path)
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::fs::File;

    #[test]
    fn a_prepared_world_may_be_a_folder_in_a_folder_or_an_archive_of_one_or_a_file() {
        let temp = tempfile::tempdir().expect("a folder");
        let at = |path: &str| temp.path().join(path);
        std::fs::create_dir_all(at("wrapped/fen/region")).expect("made");
        for (path, text) in [("wrapped/fen/level", "l"), ("wrapped/fen/region/0", "r"), ("fen.save", "s")] {
            std::fs::write(at(path), text).expect("written");
        }
        let mut writer = zip::ZipWriter::new(File::create(at("fen.zip")).expect("made"));
        for (name, text) in [("fen/level", "l"), ("fen/region/0", "r")] {
            writer.start_file(name, zip::write::SimpleFileOptions::default()).expect("started");
            std::io::Write::write_all(&mut writer, text.as_bytes()).expect("written");
        }
        writer.finish().expect("finished");
        let inner = |from: &str, wants_folder| -> Vec<Option<String>> {
            let mut bytes = Bytes::default();
            let files = prepared(&at(from), wants_folder, &at("room"), &mut bytes).expect("prepared");
            files.into_iter().map(|file| file.inner).collect()
        };
        let folder = [Some("level".to_owned()), Some("region/0".to_owned())];
        assert_eq!(inner("wrapped", true), folder);
        assert_eq!(inner("fen.zip", true), folder);
        assert_eq!(inner("fen.zip", false), [None]);
        assert_eq!(inner("fen.save", true), [None]);
    }
}
