//! Every canon that was sealed in a workspace, by number: when, and why. So a seal can be gone back on, and a `canon.json` that was
//! edited or cut has something to be held against.

use std::io::{self, Read};
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};

use kanon_core::base::limits;
use kanon_core::base::path::printable;
use kanon_core::canon::Canon;
use serde::{Deserialize, Serialize};
use serde_json::value::RawValue;

use crate::error::{During, ReachError, ReadFault, Unfit};
use crate::open::read_bounded;
use crate::writing::write_whole;

const FORMAT: &str = "kanon-kept-canon/1";
/// So many are kept when `kanon.toml` does not say.
pub const KEPT: usize = 100;

/// A canon that was sealed once.
#[derive(Debug, Clone)]
pub struct KeptCanon {
    /// Counted up with every seal.
    pub number: u64,
    /// When, in seconds since 1970.
    pub sealed: i64,
    /// Why: what was typed.
    pub why: String,
    /// The canon.
    pub canon: Canon,
    /// Its text, as `canon.json` had it.
    pub text: String,
}

#[derive(Serialize, Deserialize)]
struct Record {
    format: String,
    sealed: i64,
    why: String,
    canon: Box<RawValue>,
}

/// The numbers of the canons that are kept, oldest first.
///
/// # Errors
/// When the folder can't be read.
pub fn numbers(folder: &Path) -> Result<Vec<u64>, ReachError> {
    if !folder.is_dir() {
        return Ok(Vec::new());
    }
    let names = std::fs::read_dir(folder).during("read", folder)?.flatten().map(|entry| entry.file_name());
    let mut numbers: Vec<u64> = names.filter_map(|name| name.to_str()?.strip_suffix(".json")?.parse().ok()).collect();
    numbers.sort_unstable();
    Ok(numbers)
}

/// Reads a canon that is kept.
///
/// # Errors
/// When there is none of that number, or it can't be read.
pub fn read(folder: &Path, number: u64) -> Result<KeptCanon, ReachError> {
    let path = file(folder, number);
    let bytes = read_bounded(&path, limits::SURVEY_BYTES + (1 << 20)).during("read the canon", &path)?;
    let unusable = |reason: Unfit| ReachError::unusable(path.clone(), reason);
    let record: Record = serde_json::from_slice(&bytes).map_err(|error| unusable(Unfit::told(error)))?;
    if record.format != FORMAT {
        return Err(unusable(ReadFault::NoKeptCanon.into()));
    }
    let text = record.canon.get().to_owned();
    let canon = Canon::from_json(text.as_bytes()).map_err(|error| unusable(Unfit::told(error)))?;
    Ok(KeptCanon { number, sealed: record.sealed, why: record.why, canon, text: text + "\n" })
}

/// The newest canon that is kept and can be read.
///
/// # Errors
/// When the folder can't be read.
pub fn newest(folder: &Path) -> Result<Option<KeptCanon>, ReachError> {
    Ok(numbers(folder)?.into_iter().rev().find_map(|number| read(folder, number).ok()))
}

/// Keeps a canon, unless the newest is the same, and lets the oldest go where there are too many. Gives its number.
///
/// # Errors
/// When it can't be written.
pub fn keep(folder: &Path, text: &str, (sealed, why): (i64, &str), most: usize) -> Result<u64, ReachError> {
    let known = numbers(folder)?;
    if let Some(last) = known.last()
        && read(folder, *last).is_ok_and(|kept| kept.text == text)
    {
        return Ok(*last);
    }
    std::fs::create_dir_all(folder).during("make the folder", folder)?;
    let number = known.last().map_or(1, |last| last + 1);
    let path = file(folder, number);
    let unusable = |error: serde_json::Error| ReachError::unusable(path.clone(), Unfit::told(error));
    let canon = RawValue::from_string(text.trim_end().to_owned()).map_err(unusable)?;
    let record = Record { format: FORMAT.to_owned(), sealed, why: why.to_owned(), canon };
    write_whole(&path, &(serde_json::to_string(&record).map_err(unusable)? + "\n"))?;
    for old in known.iter().rev().skip(most.saturating_sub(1)) {
        let path = file(folder, *old);
        std::fs::remove_file(&path).during("remove", &path)?;
    }
    Ok(number)
}

fn file(folder: &Path, number: u64) -> PathBuf {
    folder.join(format!("{number}.json"))
}
/// So many bytes of a canon are read.
const CANON_BYTES: u64 = limits::SURVEY_BYTES;

/// A canon that lies elsewhere: in a file, from `folder`; or as a commit, branch or tag of the repository of a workspace has it.
///
/// # Errors
/// When it can't be read, or is no canon.
pub fn elsewhere(folder: &Path, workspace: &Path, named: &str) -> Result<Canon, ReachError> {
    let path = folder.join(named);
    let unusable = |reason: Unfit| ReachError::unusable(named, reason);
    let bytes = match path.is_file() {
        true => read_bounded(&path, CANON_BYTES).during("read the canon", &path)?,
        false => in_repository(workspace, named).map_err(|why| unusable(Unfit::told(why)))?,
    };
    Canon::from_json(&bytes)
        .map_err(|error| ReachError::BadCanon { path: Path::new(named).to_owned(), reason: Unfit::told(error) })
}

/// Why a repository has no such canon.
#[derive(Debug, thiserror::Error)]
enum NotInRepository {
    #[error("it is no file that is there, and no name of a commit")]
    NoName,
    #[error("it is no file that is there, and git can't be asked for a commit of that name ({0})")]
    NoGit(io::Error),
    #[error(transparent)]
    Io(#[from] io::Error),
    #[error("it is no file that is there, and git has no canon.json there: {0}")]
    NoCanon(String),
}

/// The canon as the repository has it.
fn in_repository(workspace: &Path, named: &str) -> Result<Vec<u8>, NotInRepository> {
    // What begins like an option would be one.
    if named.starts_with('-') {
        return Err(NotInRepository::NoName);
    }
    let mut showing = Command::new("git")
        .arg("-C")
        .arg(workspace)
        .args(["show", "--no-textconv", &format!("{named}:./canon.json")])
        .stdin(Stdio::null())
        .stdout(Stdio::piped())
        .stderr(Stdio::piped())
        .spawn()
        .map_err(NotInRepository::NoGit)?;
    let mut bytes = Vec::new();
    if let Some(out) = showing.stdout.take() {
        out.take(CANON_BYTES).read_to_end(&mut bytes)?;
    }
    let ended = showing.wait_with_output()?;
    match ended.status.success() {
        true => Ok(bytes),
        false => Err(NotInRepository::NoCanon(printable(String::from_utf8_lossy(&ended.stderr).trim()))),
    }
}
