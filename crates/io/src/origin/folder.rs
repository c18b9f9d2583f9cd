//! A folder of this machine as a place that files come from, and are put to.

use std::fs::File;
use std::io::{self, Read, Seek, SeekFrom, Write};
use std::ops::Range;
use std::path::{Path, PathBuf};
use std::time::UNIX_EPOCH;

use futures_util::stream::{self, StreamExt};

use super::answer::{Answer, Failed};
use crate::error::{PlaceFault, Unfit};
use crate::open::regular;

/// Bytes that are read at a time.
const CHUNK: usize = 1 << 20;

/// A folder of this machine.
#[derive(Clone)]
pub(super) struct Folder(PathBuf);

impl Folder {
    pub const fn new(folder: PathBuf) -> Self {
        Self(folder)
    }

    pub fn path(&self) -> &Path {
        &self.0
    }

    /// Bytes of a file, unless it is still the one that a tag is of.
    pub fn ask(&self, file: &str, bytes: Range<u64>, tag: Option<&str>) -> Result<Answer, Failed> {
        let mut opened = regular(&self.0.join(file)).map_err(failed)?;
        let own = tag_of(&opened).map_err(failed)?;
        if tag == Some(own.as_str()) {
            return Err(Failed::NotModified);
        }
        opened.seek(SeekFrom::Start(bytes.start)).map_err(failed)?;
        let left = opened.take(bytes.end - bytes.start);
        let chunks = stream::unfold(Some(left), |left| async {
            let mut left = left?;
            let mut chunk = Vec::new();
            match Read::by_ref(&mut left).take(CHUNK as u64).read_to_end(&mut chunk) {
                Ok(0) => None,
                Ok(_) => Some((Ok(chunk), Some(left))),
                Err(error) => Some((Err(failed(error)), None)),
            }
        });
        Ok(Answer { start: bytes.start, tag: Some(own), chunks: chunks.boxed() })
    }

    /// The files below a folder of it.
    pub fn list(&self, below: &str) -> Result<Vec<(String, u64)>, Failed> {
        let mut found = Vec::new();
        let mut left = vec![below.to_owned()];
        while let Some(folder) = left.pop() {
            let entries = match std::fs::read_dir(self.0.join(&folder)) {
                Err(error) if error.kind() == io::ErrorKind::NotFound => continue,
                entries => entries.map_err(failed)?,
            };
            for entry in entries {
                let entry = entry.map_err(failed)?;
                let Some(name) = entry.file_name().to_str().map(|name| format!("{folder}/{name}")) else { continue };
                let facts = entry.metadata().map_err(failed)?;
                match facts.is_dir() {
                    true => left.push(name),
                    false => found.push((name, facts.len())),
                }
            }
        }
        Ok(found)
    }

    pub fn put(&self, file: &str, bytes: &[u8]) -> Result<(), Failed> {
        let mut upload = self.begin(file)?;
        upload.part(bytes)?;
        upload.finish()
    }

    pub fn begin(&self, file: &str) -> Result<Upload, Failed> {
        let target = self.0.join(file);
        let folder = target.parent().unwrap_or(&self.0);
        std::fs::create_dir_all(folder).map_err(failed)?;
        let name = target.file_name().unwrap_or_default().to_string_lossy().into_owned();
        // Whoever finds one that was left behind knows it by its ending.
        let part = (1..).map(|number| folder.join(format!("{name}#{number}"))).find(|part| !part.exists());
        let part = part.unwrap_or_else(|| folder.join(format!("{name}#0")));
        let file = File::create_new(&part).map_err(failed)?;
        Ok(Upload { file: Some(file), part, target })
    }

    /// Moves a file of this machine here; says whether that could be, as on one disk.
    pub fn take_over(&self, file: &str, from: &Path) -> Result<bool, Failed> {
        let target = self.0.join(file);
        std::fs::create_dir_all(target.parent().unwrap_or(&self.0)).map_err(failed)?;
        Ok(std::fs::rename(from, target).is_ok())
    }

    pub fn remove(&self, file: &str) -> Result<(), Failed> {
        match std::fs::remove_file(self.0.join(file)) {
            Err(error) if error.kind() != io::ErrorKind::NotFound => Err(failed(error)),
            _ => Ok(()),
        }
    }
}

/// A file that is written beside its place, and moved there when it is whole.
pub(crate) struct Upload {
    /// Nothing once it is finished.
    file: Option<File>,
    part: PathBuf,
    target: PathBuf,
}

impl Upload {
    pub fn part(&mut self, bytes: &[u8]) -> Result<(), Failed> {
        self.file.as_mut().map_or(Ok(()), |file| file.write_all(bytes)).map_err(failed)
    }

    pub fn finish(mut self) -> Result<(), Failed> {
        drop(self.file.take());
        std::fs::rename(&self.part, &self.target).map_err(|error| {
            drop(std::fs::remove_file(&self.part));
            failed(error)
        })
    }
}

impl Drop for Upload {
    fn drop(&mut self) {
        if self.file.take().is_some() {
            drop(std::fs::remove_file(&self.part));
        }
    }
}

/// What a file is known again by: its size and when it was written.
fn tag_of(file: &File) -> io::Result<String> {
    let facts = file.metadata()?;
    let written = facts.modified()?.duration_since(UNIX_EPOCH).map_or(0, |since| since.as_nanos());
    Ok(format!("{written:x}-{:x}", facts.len()))
}

fn failed(error: io::Error) -> Failed {
    match error.kind() {
        io::ErrorKind::NotFound | io::ErrorKind::NotADirectory => Failed::NotThere,
        io::ErrorKind::PermissionDenied => Failed::Other(Unfit::Place(PlaceFault::ForbiddenHere)),
        io::ErrorKind::StorageFull | io::ErrorKind::QuotaExceeded => Failed::Other(Unfit::Place(PlaceFault::Full)),
        _ => Failed::MayPass(Unfit::told(error)),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_full_disk_is_told_as_that() {
        let full = failed(io::ErrorKind::StorageFull.into());
        assert!(matches!(full, Failed::Other(Unfit::Place(PlaceFault::Full))), "{full:?}");
    }

    #[test]
    fn a_file_is_there_when_it_is_whole_and_not_before() {
        let temp = tempfile::tempdir().expect("a folder");
        let folder = Folder::new(temp.path().to_owned());
        let mut upload = folder.begin("blobs/fog").expect("begun");
        upload.part(b"half").expect("written");
        assert!(!temp.path().join("blobs/fog").exists());
        drop(upload);
        assert_eq!(std::fs::read_dir(temp.path().join("blobs")).expect("read").count(), 0);
        folder.put("blobs/fog", b"whole").expect("put");
        assert_eq!(folder.list("blobs").expect("listed"), [("blobs/fog".to_owned(), 5)]);
        folder.remove("blobs/fog").expect("removed");
        folder.remove("blobs/fog").expect("as good");
        assert!(folder.list("nowhere").expect("listed").is_empty());
    }
}
