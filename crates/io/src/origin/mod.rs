//! Where files come from that are elsewhere: any web server, an S3 bucket, or a folder. What comes is bounded by what was
//! promised, and a download that breaks off is gone on with where it stopped, also in a later run.

mod answer;
mod bucket;
mod folder;
mod no_place;
mod web;

use std::fs::{File, OpenOptions};
use std::io::{self, Seek, SeekFrom, Write};
use std::ops::Range;
use std::path::Path;
use std::sync::Arc;
use std::time::Instant;

use futures_util::stream::{BoxStream, StreamExt};
use kanon_core::base::digest::Blake3;
use kanon_core::base::path::printable;
use tokio::runtime::Runtime;
use url::Url;

pub use self::answer::Access;
pub(crate) use self::answer::innermost;
pub(crate) use self::answer::{Answer, Failed};
use self::bucket::Bucket;
use self::folder::Folder;
use self::no_place::NoPlace;
use self::web::Web;
use crate::error::{During, PlaceFault, ReachError, Unfit};
use crate::hashing::blake3_of;
use crate::progress::Progress;
use crate::retry::{Retry, RetryPolicy};

/// A place that files are asked of.
#[derive(Clone)]
pub struct Origin {
    place: Place,
    shown: String,
    patience: RetryPolicy,
}

#[derive(Clone)]
enum Place {
    /// Any web server: it may know no ranges, and may not say how much will come.
    Web(Web),
    /// A folder of this machine.
    Folder(Folder),
    /// A part of a bucket.
    Bucket(Arc<Bucket>),
}

/// A file that is known before it comes.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Promised<'a> {
    /// Where it is, from the origin.
    pub file: &'a str,
    /// Its size in bytes.
    pub size: u64,
    /// The digest of its bytes.
    pub blake3: Blake3,
}

impl Origin {
    /// Opens the place of an address (`http://`, `https://`, `s3://`, `file://`), or of a folder, which may be relative to `root`.
    /// Nothing is asked yet.
    ///
    /// # Errors
    /// When the address can't be one, or asks for what Kanon can't do.
    pub fn open(at: &str, root: &Path, access: &Access) -> Result<Self, ReachError> {
        let patience = access.patience;
        let shown = without_password(at);
        let refused = |reason: Unfit| ReachError::Address { address: shown.clone(), reason };
        let folder = match at.strip_prefix("file://") {
            Some(_) => Url::parse(at).ok().and_then(|url| url.to_file_path().ok()),
            None => (!at.contains("://")).then(|| root.join(at)),
        };
        let place = match folder {
            Some(folder) if folder.is_dir() => Ok(Place::Folder(Folder::new(folder))),
            Some(_) => Err(NoPlace::NoFolder),
            None => from_address(at, access),
        };
        Ok(Self { place: place.map_err(|why| refused(Unfit::told(why)))?, shown, patience })
    }

    /// How messages call it: without secrets.
    pub fn shown(&self) -> &str {
        &self.shown
    }

    /// The folder, where it is one of this machine.
    pub(crate) fn folder(&self) -> Option<&Path> {
        match &self.place {
            Place::Folder(folder) => Some(folder.path()),
            Place::Web(_) | Place::Bucket(_) => None,
        }
    }

    /// How patient it is asked.
    pub(crate) const fn patience(&self) -> RetryPolicy {
        self.patience
    }

    /// Refuses a place that no files can be put to.
    pub(crate) fn refuse_unwritable(&self) -> Result<(), Failed> {
        if let Place::Web(_) = self.place { Err(not_writable()) } else { Ok(()) }
    }

    /// The files in a folder of the place and below it, with their sizes; none where there is no such folder.
    pub(crate) async fn list(&self, below: &str) -> Result<Vec<(String, u64)>, Failed> {
        match &self.place {
            Place::Web(_) => Err(not_writable()),
            Place::Folder(folder) => folder.list(below),
            Place::Bucket(bucket) => bucket.list(below).await,
        }
    }

    /// Puts a file there, whole or not at all; `kind` tells browsers what it is, where the place keeps that.
    pub(crate) async fn put(&self, file: &str, bytes: Vec<u8>, kind: Option<&str>) -> Result<(), Failed> {
        match &self.place {
            Place::Web(_) => Err(not_writable()),
            Place::Folder(folder) => folder.put(checked(file)?, &bytes),
            Place::Bucket(bucket) => bucket.put(checked(file)?, bytes, kind).await,
        }
    }

    /// Moves a file that was made for this place to it; says whether that could be. Else it is to be put there.
    pub(crate) fn take_over(&self, file: &str, from: &Path) -> Result<bool, Failed> {
        match &self.place {
            Place::Folder(folder) => folder.take_over(checked(file)?, from),
            Place::Web(_) | Place::Bucket(_) => Ok(false),
        }
    }

    /// Begins to put a large file there, part by part.
    pub(crate) async fn begin(&self, file: &str) -> Result<Upload, Failed> {
        match &self.place {
            Place::Web(_) => Err(not_writable()),
            Place::Folder(folder) => Ok(Upload::Folder(folder.begin(checked(file)?)?)),
            Place::Bucket(bucket) => Ok(Upload::Bucket(Bucket::begin(bucket, checked(file)?).await?)),
        }
    }

    /// Begins a copy of a file that is being read for something else; nothing where others have to be waited for.
    pub(crate) fn begin_copy(&self, file: &str) -> Result<Option<Copying>, Failed> {
        match &self.place {
            Place::Folder(folder) => Ok(Some(Copying { upload: folder.begin(checked(file)?)?, failed: None })),
            Place::Web(_) | Place::Bucket(_) => Ok(None),
        }
    }

    /// Takes a file off; that it is not there is as good.
    pub(crate) async fn remove(&self, file: &str) -> Result<(), Failed> {
        match &self.place {
            Place::Web(_) => Err(not_writable()),
            Place::Folder(folder) => folder.remove(checked(file)?),
            Place::Bucket(bucket) => bucket.remove(checked(file)?).await,
        }
    }

    /// Fills a part file up to the promised size, going on where it stopped. Its digest is not looked at.
    ///
    /// # Errors
    /// When it can't be fetched or written; what came by then stays.
    pub async fn fill(&self, promised: Promised<'_>, part: &Path, progress: &dyn Progress) -> Result<(), ReachError> {
        let mut file = OpenOptions::new()
            .create(true)
            .truncate(false)
            .read(true)
            .write(true)
            .open(part)
            .during("make the file", part)?;
        let mut have = file.metadata().during("look at", part)?.len();
        if have > promised.size
            || (have == promised.size && !is_whole(&mut file, promised.blake3).during("read", part)?)
        {
            file.set_len(0).during("empty", part)?;
            have = 0;
        }
        file.seek(SeekFrom::Start(have)).during("go on with", part)?;
        progress.done(have);
        let mut tries = Retry::new(self.patience);
        while have < promised.size {
            let before = have;
            let (why, may_pass) = match self.fill_further(promised, &mut file, &mut have, progress).await {
                Ok(()) if have == promised.size => break,
                Ok(()) => (Unfit::Place(PlaceFault::ClosedTooEarly), true),
                Err(Failed::TooLarge) => {
                    drop(std::fs::remove_file(part));
                    return Err(self.refused(promised.file, Unfit::Place(PlaceFault::MoreThan(promised.size))));
                }
                Err(failed) => {
                    let may_pass = matches!(failed, Failed::MayPass(_) | Failed::NotModified);
                    (failed.why(), may_pass)
                }
            };
            if !may_pass || !tries.again(have > before) {
                let size = promised.size;
                let why =
                    if have > 0 { Unfit::Place(PlaceFault::CutShort { why: Box::new(why), have, size }) } else { why };
                return Err(self.refused(promised.file, why));
            }
            tries.wait().await;
        }
        Ok(())
    }

    async fn fill_further(
        &self,
        promised: Promised<'_>,
        file: &mut File,
        have: &mut u64,
        progress: &dyn Progress,
    ) -> Result<(), Failed> {
        // Up to its end, wherever that is: a file that is longer than promised is told as such.
        let mut answer = self.ask(promised.file, *have..u64::MAX, None).await?;
        // A server that knows no ranges sends all of it again.
        if answer.start != *have {
            let emptied = file.seek(SeekFrom::Start(0)).and_then(|_| file.set_len(0));
            emptied.map_err(|error| Failed::Other(Unfit::Place(PlaceFault::NotKept(error.to_string()))))?;
            *have = 0;
        }
        while let Some(chunk) = answer.chunks.next().await {
            let chunk = chunk?;
            if *have + chunk.len() as u64 > promised.size {
                return Err(Failed::TooLarge);
            }
            file.write_all(&chunk)
                .map_err(|error| Failed::Other(Unfit::Place(PlaceFault::NotKept(error.to_string()))))?;
            *have += chunk.len() as u64;
            progress.done(chunk.len() as u64);
        }
        Ok(())
    }

    /// A small file, whole; no more of it is taken than `most` bytes and one.
    pub(crate) async fn whole(&self, file: &str, most: u64) -> Result<Vec<u8>, Failed> {
        let mut tries = Retry::new(self.patience);
        loop {
            match self.whole_at_once(file, most).await {
                Err(Failed::MayPass(_)) if tries.again(false) => tries.wait().await,
                answered => return answered,
            }
        }
    }

    async fn whole_at_once(&self, file: &str, most: u64) -> Result<Vec<u8>, Failed> {
        let mut answer = self.ask(file, 0..u64::MAX, None).await?;
        let mut bytes = Vec::new();
        while let Some(chunk) = answer.chunks.next().await {
            bytes.extend_from_slice(&chunk?);
            if bytes.len() as u64 > most {
                bytes.truncate(usize::try_from(most + 1).unwrap_or(usize::MAX));
                break;
            }
        }
        Ok(bytes)
    }

    /// Just these bytes of a file, added to what came of them before; says whether the server knows ranges at all.
    pub(crate) async fn range(&self, file: &str, bytes: Range<u64>, came: &mut Vec<u8>) -> Result<bool, Failed> {
        let mut tries = Retry::new(self.patience);
        loop {
            let before = came.len();
            match self.range_further(file, &bytes, came).await {
                Ok(true) if came.len() as u64 == bytes.end - bytes.start => return Ok(true),
                Ok(false) => return Ok(false),
                Ok(true) | Err(Failed::MayPass(_)) if tries.again(came.len() > before) => tries.wait().await,
                Ok(true) => return Err(Failed::MayPass(Unfit::Place(PlaceFault::ClosedTooEarly))),
                Err(failed) => return Err(failed),
            }
        }
    }

    async fn range_further(&self, file: &str, bytes: &Range<u64>, came: &mut Vec<u8>) -> Result<bool, Failed> {
        let start = bytes.start + came.len() as u64;
        let mut answer = self.ask(file, start..bytes.end, None).await?;
        if answer.start != start {
            return Ok(false);
        }
        while let Some(chunk) = answer.chunks.next().await {
            let left = usize::try_from(bytes.end - bytes.start).unwrap_or(usize::MAX) - came.len();
            let chunk = chunk?;
            came.extend_from_slice(&chunk[..chunk.len().min(left)]);
            if chunk.len() >= left {
                break;
            }
        }
        Ok(true)
    }

    /// An error about a file of this place.
    pub(crate) fn refused(&self, file: &str, reason: Unfit) -> ReachError {
        ReachError::Address { address: format!("{file} of {}", self.shown), reason }
    }

    /// Asks for bytes of a file, unless it is still the one that a tag is of.
    pub(crate) async fn ask(&self, file: &str, bytes: Range<u64>, tag: Option<&str>) -> Result<Answer, Failed> {
        let answer = self.ask_place(file, bytes, tag).await?;
        Ok(Answer { chunks: paced(answer.chunks, self.patience), ..answer })
    }

    async fn ask_place(&self, file: &str, bytes: Range<u64>, tag: Option<&str>) -> Result<Answer, Failed> {
        match &self.place {
            Place::Web(web) => web.ask(file, bytes, tag).await,
            Place::Folder(folder) => folder.ask(checked(file)?, bytes, tag),
            Place::Bucket(bucket) => bucket.ask(checked(file)?, bytes, tag).await,
        }
    }
}

/// A large file on its way to a place: it is there when it is finished, and not before.
pub(crate) enum Upload {
    Folder(folder::Upload),
    Bucket(bucket::Upload),
}

impl Upload {
    /// The next part.
    pub async fn part(&mut self, bytes: Vec<u8>) -> Result<(), Failed> {
        match self {
            Self::Folder(upload) => upload.part(&bytes),
            Self::Bucket(upload) => upload.part(bytes).await,
        }
    }

    /// All of it came.
    pub async fn finish(self) -> Result<(), Failed> {
        match self {
            Self::Folder(upload) => upload.finish(),
            Self::Bucket(upload) => upload.finish().await,
        }
    }

    /// It is not wanted any more.
    pub async fn abort(self) {
        match self {
            Self::Folder(upload) => drop(upload),
            Self::Bucket(upload) => upload.abort().await,
        }
    }
}

/// A copy that is written beside other work, which does not stop where writing fails.
pub(crate) struct Copying {
    upload: folder::Upload,
    failed: Option<Failed>,
}

impl Copying {
    /// The next part.
    pub fn part(&mut self, bytes: &[u8]) {
        if self.failed.is_none() {
            self.failed = self.upload.part(bytes).err();
        }
    }

    /// All of it came. Tells what went wrong on the way.
    pub fn finish(self) -> Result<(), Failed> {
        self.failed.map_or_else(|| self.upload.finish(), Err)
    }
}

fn not_writable() -> Failed {
    Failed::Other(Unfit::Place(PlaceFault::Unwritable))
}

/// A path of a place, if it stays in it: what a catalogue says is a stranger's word.
fn checked(file: &str) -> Result<&str, Failed> {
    let is_part = |part: &str| !matches!(part, "" | "." | "..") && !part.contains(['\\', '\0']);
    let stays = file.split('/').all(is_part) && !file.chars().any(char::is_control);
    stays.then_some(file).ok_or_else(|| Failed::Other(Unfit::Place(PlaceFault::NoPathThere(printable(file)))))
}

/// Bytes a second that a place must give on the whole: one that drips is as good as none, and would hold us up for ever.
const SLOWEST: u64 = 256;

/// What comes, as long as it comes fast enough: looked at whenever twice the time has passed in which nothing may come.
fn paced(
    chunks: BoxStream<'static, Result<Vec<u8>, Failed>>,
    patience: RetryPolicy,
) -> BoxStream<'static, Result<Vec<u8>, Failed>> {
    let window = patience.silence.saturating_mul(2);
    let (mut since, mut came) = (Instant::now(), 0u64);
    let watched = chunks.map(move |chunk| {
        let chunk = chunk?;
        came += chunk.len() as u64;
        let passed = since.elapsed();
        if passed >= window {
            let least = SLOWEST.saturating_mul(passed.as_secs().max(1));
            if came < least {
                return Err(Failed::Other(Unfit::Place(PlaceFault::Drips { bytes: came, seconds: passed.as_secs() })));
            }
            (since, came) = (Instant::now(), 0);
        }
        Ok(chunk)
    });
    watched.boxed()
}

fn is_whole(file: &mut File, digest: Blake3) -> io::Result<bool> {
    file.seek(SeekFrom::Start(0))?;
    let size = file.metadata()?.len();
    Ok(blake3_of(file, size)?.0 == digest)
}

/// What waits for answers.
///
/// # Errors
/// When the system gives no means to wait by.
pub fn runtime() -> Result<Runtime, ReachError> {
    let runtime = tokio::runtime::Builder::new_current_thread().enable_all().build();
    runtime.map_err(|source| ReachError::Io {
        attempt: "prepare connections in",
        path: Path::new(".").to_owned(),
        source,
    })
}

fn from_address(at: &str, access: &Access) -> Result<Place, NoPlace> {
    let url = Url::parse(at).map_err(NoPlace::NoAddress)?;
    if url.password().is_some() {
        return Err(NoPlace::Password);
    }
    match url.scheme() {
        "http" | "https" => Ok(Place::Web(Web::open(url, access.patience)?)),
        "s3" => Ok(Place::Bucket(Arc::new(Bucket::open(&url, access)?))),
        other => Err(NoPlace::OtherScheme(other.to_owned())),
    }
}

/// An address for messages: whatever stands before an `@` in it may be a secret.
fn without_password(at: &str) -> String {
    let shown = match (at.split_once("://"), at.rfind('@')) {
        (Some((scheme, _)), Some(end)) => format!("{scheme}://{}", &at[end + 1..]),
        _ => at.to_owned(),
    };
    printable(&shown)
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case("mods/fog.zip", true)]
    #[case("mods/two dots..zip", true)]
    #[case("../fog.zip", false)]
    #[case("/etc/fog", false)]
    #[case("mods//fog.zip", false)]
    #[case("mods\\\\fog.zip", false)]
    #[case("", false)]
    fn what_leads_out_of_a_place_is_no_path_of_it(#[case] file: &str, #[case] stays: bool) {
        assert_eq!(checked(file).is_ok(), stays);
    }
}
