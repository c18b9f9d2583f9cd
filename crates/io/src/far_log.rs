//! The log of a server on a host: the end of it is fetched, to be read here like any other.

use std::fs::File;
use std::io::{self, BufRead, BufReader, Read, SeekFrom, Write};
use std::path::{Path, PathBuf};

use kanon_core::base::path::InstallPath;
use kanon_core::rulebook::PlacePattern;

use crate::install::{Entry, FileFingerprint, FileStatus, Install, Kind};
use crate::logs::{is_log, is_packed};
use crate::measure::resolve;

/// So much of the end of a log is fetched.
const END: u64 = 16 << 20;

/// A log that was fetched.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Fetched {
    /// The file here.
    pub path: PathBuf,
    /// So many bytes of it came.
    pub bytes: u64,
    /// Whether that is all of it.
    pub is_whole: bool,
}

/// Fetches the end of a log, or of the newest one in a folder of logs, into a folder here; nothing when there is none.
///
/// # Errors
/// When it can't be read there or written here, or is packed and larger than 16 MiB.
pub fn fetch(install: &dyn Install, log: &InstallPath, into: &Path) -> io::Result<Option<Fetched>> {
    let log = match install.look(log)? {
        None => return Ok(None),
        Some(FileStatus::Folder { .. }) => match newest(install, log) {
            None => return Ok(None),
            Some(newest) => newest,
        },
        Some(_) => log.clone(),
    };
    let (mut far, stamp) = install.open_file(&log)?;
    let from = stamp.size.saturating_sub(END);
    if from > 0 && is_packed(log.name()) {
        return Err(io::Error::other("it is packed, and too large to be fetched whole"));
    }
    far.seek(SeekFrom::Start(from))?;
    let mut far = BufReader::with_capacity(1 << 20, far.take(END));
    if from > 0 {
        // The first line is torn.
        far.skip_until(b'\n')?;
    }
    let path = into.join(log.name());
    let mut here = File::create(&path)?;
    let bytes = io::copy(&mut far, &mut here)?;
    here.flush()?;
    Ok(Some(Fetched { path, bytes, is_whole: from == 0 }))
}

/// The log that was written last, among the places where an install of this kind has its logs.
pub fn newest_of(install: &dyn Install, places: &[PlacePattern]) -> Option<InstallPath> {
    let found = places.iter().flat_map(|place| resolve(install, place)).filter_map(|path| {
        let path = if install.is_folder(&path) { newest(install, &path)? } else { path };
        match install.look(&path) {
            Ok(Some(FileStatus::File { stamp, .. })) if is_log(&path.name().to_lowercase()) => {
                Some((written(stamp), path))
            }
            _ => None,
        }
    });
    found.max_by_key(|(written, _)| *written).map(|(_, path)| path)
}

/// When a log was written last. Copying or renaming it, which the system's own time tells of, is no writing.
const fn written(stamp: FileFingerprint) -> i64 {
    match stamp.modified {
        Some(modified) => modified,
        None => stamp.changed,
    }
}

/// The log in a folder that was written last.
pub(crate) fn newest(install: &dyn Install, folder: &InstallPath) -> Option<InstallPath> {
    let listing = install.list(Some(folder), 1, &std::collections::HashSet::new());
    let logs = listing.entries.into_iter().filter_map(|Entry { path, kind }| match kind {
        Kind::File(stamp) if is_log(&path.name().to_lowercase()) => Some((written(stamp), path)),
        _ => None,
    });
    logs.max_by_key(|(written, _)| *written).map(|(_, path)| path)
}
