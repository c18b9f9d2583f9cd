//! What was added to a log since it was last looked at, wherever it lies; and that it was begun anew.

use std::fs::File;
use std::io::{self, Read, Seek, SeekFrom};
use std::path::PathBuf;

use kanon_core::base::path::InstallPath;
use serde::{Deserialize, Serialize};

use crate::error::{During, ReachError};
use crate::far_log::newest;
use crate::install::{FileStatus, Install};
use crate::logs::is_packed;

/// So much of what was read last is kept, to know the place again.
const TAIL: u64 = 256;
/// So much is read at most of a log on this machine, and of one on a host: the end of it.
const MOST_HERE: u64 = 64 << 20;
const MOST_FAR: u64 = 4 << 20;

/// How far a log was read.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct LogMark {
    /// So many bytes, all of them whole lines.
    offset: u64,
    /// The last of them.
    tail: String,
}

impl LogMark {
    /// Of a log that is not there yet: all that will be in it is new.
    pub const fn of_nothing() -> Self {
        Self { offset: 0, tail: String::new() }
    }
}

/// What was added.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Added {
    /// Whole lines, in order.
    pub lines: Vec<String>,
    /// Whether another log has taken the place of the one before.
    pub is_anew: bool,
    /// How far it is read now.
    pub mark: LogMark,
}

/// What was added to a log on this machine. `files` are the log and what was rotated out of it, the newest first, as
/// [`crate::logs::set_of`] tells them. Without a mark nothing is new: reading begins at the end.
///
/// # Errors
/// When a file can't be read.
pub fn since(files: &[PathBuf], mark: Option<&LogMark>) -> Result<Option<Added>, ReachError> {
    let Some(newest) = files.first() else { return Ok(None) };
    let open = |path: &PathBuf| -> Result<(File, u64), ReachError> {
        let file = File::open(path).during("open the log", path)?;
        let size = file.metadata().during("look at the log", path)?.len();
        Ok((file, size))
    };
    let (mut file, size) = open(newest)?;
    let Some(mark) = mark else {
        return Ok(Some(end_of(&mut file, size).during("read the log", newest)?));
    };
    if is_of(&mut file, size, mark) {
        return Ok(Some(read(&mut file, size, mark.offset, MOST_HERE).during("read the log", newest)?));
    }
    // Rotated: what was added to the old one before that comes first.
    let mut lines = Vec::new();
    let packed =
        |path: &&PathBuf| path.file_name().is_some_and(|name| is_packed(&name.to_string_lossy().to_lowercase()));
    for (place, path) in files.iter().enumerate().skip(1).filter(|(_, path)| !packed(path)) {
        let (mut old, size) = open(path)?;
        if is_of(&mut old, size, mark) {
            lines.extend(read(&mut old, size, mark.offset, MOST_HERE).during("read the log", path)?.lines);
            for between in files[1..place].iter().rev().filter(|path| !packed(path)) {
                let (mut file, size) = open(between)?;
                lines.extend(read(&mut file, size, 0, MOST_HERE).during("read the log", between)?.lines);
            }
            break;
        }
    }
    let last = read(&mut file, size, 0, MOST_HERE).during("read the log", newest)?;
    lines.extend(last.lines);
    Ok(Some(Added { lines, is_anew: true, mark: last.mark }))
}

/// What was added to a log inside an install, on a host too, or to the newest one in a folder of logs; nothing where there is none.
///
/// # Errors
/// When it can't be read there.
pub fn since_inside(install: &dyn Install, log: &InstallPath, mark: Option<&LogMark>) -> io::Result<Option<Added>> {
    install.look_anew();
    let newest = match install.look(log)? {
        None => None,
        Some(FileStatus::Folder { .. }) => newest(install, log),
        Some(_) => Some(log.clone()),
    };
    let Some(log) = newest else { return Ok(None) };
    let (mut far, stamp) = install.open_file(&log)?;
    let Some(mark) = mark else { return end_of(&mut far, stamp.size).map(Some) };
    if is_of(&mut far, stamp.size, mark) {
        if stamp.size == mark.offset {
            return Ok(Some(Added { lines: Vec::new(), is_anew: false, mark: mark.clone() }));
        }
        return read(&mut far, stamp.size, mark.offset, MOST_FAR).map(Some);
    }
    let added = read(&mut far, stamp.size, 0, MOST_FAR)?;
    Ok(Some(Added { is_anew: true, ..added }))
}

/// Whether a log goes on behind a mark.
fn is_of(file: &mut (impl Read + Seek), size: u64, mark: &LogMark) -> bool {
    let length = mark.tail.len() as u64;
    if size < mark.offset || mark.offset < length {
        return false;
    }
    let mut bytes = Vec::new();
    let is_read = file
        .seek(SeekFrom::Start(mark.offset - length))
        .and_then(|_| file.take(length).read_to_end(&mut bytes))
        .is_ok_and(|read| read as u64 == length);
    is_read && String::from_utf8_lossy(&bytes) == mark.tail
}

/// A mark at the end of the whole lines of a log.
fn end_of(file: &mut (impl Read + Seek), size: u64) -> io::Result<Added> {
    let added = read(file, size, size.saturating_sub(64 << 10), 64 << 10)?;
    Ok(Added { lines: Vec::new(), is_anew: false, mark: added.mark })
}

/// Reads the whole lines from a place on, the last of them where they are very many.
fn read(file: &mut (impl Read + Seek), size: u64, from: u64, most: u64) -> io::Result<Added> {
    let start = from.max(size.saturating_sub(most));
    file.seek(SeekFrom::Start(start))?;
    let mut bytes = Vec::new();
    file.take(most).read_to_end(&mut bytes)?;
    // A line that is not ended yet is read when it is.
    let whole = bytes.iter().rposition(|byte| *byte == b'\n').map_or(0, |last| last + 1);
    bytes.truncate(whole);
    let mut begin = whole.saturating_sub(usize::try_from(TAIL).unwrap_or(usize::MAX));
    // The mark is text, and is compared as such: it begins with a whole character.
    while begin < whole && bytes[begin] & 0xC0 == 0x80 {
        begin += 1;
    }
    let tail = String::from_utf8_lossy(&bytes[begin..]);
    // Where bytes are no text, what stands for them has another length: nothing is kept, and the place is known by its size alone.
    let tail = if tail.len() == whole - begin { tail.into_owned() } else { String::new() };
    let text = String::from_utf8_lossy(&bytes);
    let torn = usize::from(start > from);
    let lines = text.lines().skip(torn).map(str::to_owned).collect();
    Ok(Added { lines, is_anew: false, mark: LogMark { offset: start + whole as u64, tail } })
}

#[cfg(test)]
#[path = "tests/log_tail.rs"]
mod tests;
