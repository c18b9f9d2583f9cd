//! One line to a host, and what opens it: the same for every protocol.

use std::io::{self, Read};

use kanon_core::base::digest::Sha256;

use super::FileStatus;
use crate::error::HostError;

/// One name in a folder, as the host tells it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct HostEntry {
    /// Its name: whatever the host says it is.
    pub name: String,
    /// What it is.
    pub there: FileStatus,
}

/// Why something asked over a line did not happen.
#[derive(Debug)]
pub enum Fault {
    /// The line is gone; another one may do.
    Lost(String),
    /// The host says no, or what it says is nonsense.
    Refused(io::Error),
}

impl From<io::Error> for Fault {
    fn from(error: io::Error) -> Self {
        Self::Refused(error)
    }
}

/// Takes over bytes as they come.
pub type Sink<'a> = &'a mut dyn FnMut(&[u8]) -> io::Result<()>;

/// One connection to a host. Paths are the host's.
pub trait Connection: Send {
    /// The names in a folder.
    fn list(&mut self, folder: &str) -> Result<Vec<HostEntry>, Fault>;
    /// Reads a part of a file, from one byte up to another or to its end.
    fn read(&mut self, path: &str, part: std::ops::Range<u64>, sink: Sink<'_>) -> Result<(), Fault>;
    /// Writes a file from a byte on, which is its size by now, to the source's end.
    fn write(&mut self, path: &str, from: u64, source: &mut dyn Read) -> Result<(), Fault>;
    /// The size of a file; nothing if it is not there.
    fn size(&mut self, path: &str) -> Result<Option<u64>, Fault>;
    /// Gives a file another name, over what has that name.
    fn rename(&mut self, from: &str, to: &str) -> Result<(), Fault>;
    /// Removes a file.
    fn remove_file(&mut self, path: &str) -> Result<(), Fault>;
    /// Makes a folder in a folder that is there.
    fn make_folder(&mut self, path: &str) -> Result<(), Fault>;
    /// Removes an empty folder.
    fn remove_folder(&mut self, path: &str) -> Result<(), Fault>;
    /// Sets a time, in nanoseconds since 1970, and permission bits, as far as the host can.
    fn set_facts(&mut self, path: &str, modified: Option<i64>, mode: Option<u32>) -> Result<(), Fault>;
    /// The SHA-256 digests that the host computes; nothing for those it doesn't.
    fn digests(&mut self, paths: &[String]) -> Result<Vec<Option<Sha256>>, Fault>;
    /// How many bytes at a file's end may not be what was sent when a line dropped in the middle.
    fn doubtful_end(&self) -> u64;
}

/// Opens lines.
pub trait Connector: Send + Sync {
    /// Opens one more; gives the folder where its login begins too.
    fn dial(&self) -> Result<(Box<dyn Connection>, String), HostError>;
}
