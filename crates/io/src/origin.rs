//! Where files come from that are elsewhere: any web server, an S3 bucket, or a folder. What comes is bounded by what was
//! promised, and a download that breaks off is gone on with where it stopped, also in a later run.

use std::collections::BTreeMap;
use std::fs::{File, OpenOptions};
use std::io::{self, Seek, SeekFrom, Write};
use std::net::{IpAddr, ToSocketAddrs};
use std::ops::Range;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::time::Instant;

use futures_util::stream::{BoxStream, StreamExt};
use kanon_core::base::digest::Blake3;
use kanon_core::base::path::printable;
use object_store::aws::{AmazonS3Builder, AmazonS3ConfigKey};
use object_store::path::Path as StorePath;
use object_store::{BackoffConfig, ClientOptions, Error as StoreError, GetOptions, GetRange, ObjectStore, RetryConfig};
use reqwest::StatusCode;
use reqwest::header::{CONTENT_RANGE, ETAG, HeaderMap, IF_NONE_MATCH, RANGE};
use tokio::runtime::Runtime;
use url::Url;

use crate::error::{During, ReachError};
use crate::hashing::blake3_of;
use crate::progress::Progress;
use crate::retry::{Retry, RetryPolicy};

/// A place that files are asked of.
#[derive(Clone)]
pub struct Origin {
    place: Place,
    /// The folder, where it is one of this machine.
    folder: Option<PathBuf>,
    shown: String,
    patience: RetryPolicy,
}

#[derive(Clone)]
enum Place {
    /// Any web server: it may know no ranges, and may not say how much will come.
    Web(reqwest::Client, Url),
    /// A bucket or a folder, with what goes before every path.
    Store(Arc<dyn ObjectStore>, String),
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

/// An answer that is being received.
pub(crate) struct Answer {
    /// The place of its first byte in the file.
    pub start: u64,
    /// What the file is known again by.
    pub tag: Option<String>,
    /// What comes.
    pub chunks: BoxStream<'static, Result<Vec<u8>, Failed>>,
}

/// Why nothing came.
#[derive(Debug)]
pub(crate) enum Failed {
    /// It is what it was.
    NotModified,
    /// There is no such file.
    NotThere,
    /// It does not let us in.
    Forbidden,
    /// More came than any honest place would send.
    TooLarge,
    /// Trying again may help.
    MayPass(String),
    /// Trying again will not help.
    Other(String),
}

impl Failed {
    /// In words.
    pub fn why(self) -> String {
        match self {
            Self::NotModified => "it answered that nothing changed".to_owned(),
            Self::NotThere => "there is no such file".to_owned(),
            Self::Forbidden => "it does not let us in; credentials for a bucket come from the environment".to_owned(),
            Self::TooLarge => "more came than was promised".to_owned(),
            Self::MayPass(why) | Self::Other(why) => why,
        }
    }
}

/// How places are reached, and who asks. It holds secrets, and is never printed.
#[derive(Default, Clone)]
pub struct Access {
    /// How long one that does not answer is waited for.
    pub patience: RetryPolicy,
    /// Where buckets are and who asks there, by the names of the usual variables (`AWS_…`). Some hold secrets.
    pub bucket: BTreeMap<String, String>,
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
        let refused = |reason: String| ReachError::Address { address: shown.clone(), reason };
        let folder = match at.strip_prefix("file://") {
            Some(_) => Url::parse(at).ok().and_then(|url| url.to_file_path().ok()),
            None => (!at.contains("://")).then(|| root.join(at)),
        };
        let place = match &folder {
            Some(folder) => from_folder(folder),
            None => from_address(at, access),
        };
        Ok(Self { place: place.map_err(refused)?, folder, shown, patience })
    }

    /// How messages call it: without secrets.
    pub fn shown(&self) -> &str {
        &self.shown
    }

    /// The folder, where it is one of this machine.
    pub(crate) fn folder(&self) -> Option<&Path> {
        self.folder.as_deref()
    }

    /// How patient it is asked.
    pub(crate) const fn patience(&self) -> RetryPolicy {
        self.patience
    }

    /// The place as one that can be written to, with what goes before every path; none for a web server.
    pub(crate) fn store(&self) -> Option<(&Arc<dyn ObjectStore>, &str)> {
        match &self.place {
            Place::Web(..) => None,
            Place::Store(store, prefix) => Some((store, prefix)),
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
                Ok(()) => ("the connection was closed too early".to_owned(), true),
                Err(Failed::TooLarge) => {
                    drop(std::fs::remove_file(part));
                    let why = format!("{} bytes are promised, and more came", promised.size);
                    return Err(self.refused(promised.file, why));
                }
                Err(failed) => {
                    let may_pass = matches!(failed, Failed::MayPass(_) | Failed::NotModified);
                    (failed.why(), may_pass)
                }
            };
            if !may_pass || !tries.again(have > before) {
                let kept = format!("; {have} of {} bytes are kept for the next try", promised.size);
                return Err(self.refused(promised.file, why + if have > 0 { &kept } else { "" }));
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
            emptied.map_err(|error| Failed::Other(format!("it could not be written: {error}")))?;
            *have = 0;
        }
        while let Some(chunk) = answer.chunks.next().await {
            let chunk = chunk?;
            if *have + chunk.len() as u64 > promised.size {
                return Err(Failed::TooLarge);
            }
            file.write_all(&chunk).map_err(|error| Failed::Other(format!("it could not be written: {error}")))?;
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
                Ok(true) => return Err(Failed::MayPass("the connection was closed too early".to_owned())),
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
    pub(crate) fn refused(&self, file: &str, reason: String) -> ReachError {
        ReachError::Address { address: format!("{file} of {}", self.shown), reason }
    }

    /// Asks for bytes of a file, unless it is still the one that a tag is of.
    pub(crate) async fn ask(&self, file: &str, bytes: Range<u64>, tag: Option<&str>) -> Result<Answer, Failed> {
        let answer = self.ask_place(file, bytes, tag).await?;
        Ok(Answer { chunks: paced(answer.chunks, self.patience), ..answer })
    }

    async fn ask_place(&self, file: &str, bytes: Range<u64>, tag: Option<&str>) -> Result<Answer, Failed> {
        match &self.place {
            Place::Web(client, folder) => ask_web(client, folder, file, bytes, tag).await,
            Place::Store(store, prefix) => {
                let path =
                    StorePath::parse(format!("{prefix}{file}")).map_err(|error| Failed::Other(error.to_string()))?;
                let range = match (bytes.start, bytes.end) {
                    (0, u64::MAX) => None,
                    (start, u64::MAX) => Some(GetRange::Offset(start)),
                    _ => Some(GetRange::Bounded(bytes)),
                };
                let options = GetOptions { range, if_none_match: tag.map(str::to_owned), ..GetOptions::default() };
                let answer = store.get_opts(&path, options).await?;
                Ok(Answer {
                    start: answer.range.start,
                    tag: answer.meta.e_tag.clone(),
                    chunks: answer.into_stream().map(|chunk| Ok(chunk?.to_vec())).boxed(),
                })
            }
        }
    }
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
                return Err(Failed::Other(format!(
                    "it sends so little at a time that it would never end: {came} bytes in {} s",
                    passed.as_secs()
                )));
            }
            (since, came) = (Instant::now(), 0);
        }
        Ok(chunk)
    });
    watched.boxed()
}

/// Whether an address leads to this machine or a network of one's own. A name is looked up: what it stands for is what counts.
fn is_private(url: &Url) -> bool {
    let Some(host) = url.host_str() else { return true };
    let port = url.port_or_known_default().unwrap_or(80);
    let host = host.trim_start_matches('[').trim_end_matches(']');
    // A name that nobody knows leads nowhere.
    (host, port).to_socket_addrs().is_ok_and(|mut addresses| addresses.any(|address| is_private_address(address.ip())))
}

fn is_private_address(address: IpAddr) -> bool {
    match address.to_canonical() {
        IpAddr::V4(v4) => {
            let [a, b, ..] = v4.octets();
            v4.is_private()
                || v4.is_loopback()
                || v4.is_link_local()
                || v4.is_unspecified()
                || v4.is_broadcast()
                || v4.is_multicast()
                // Behind a provider's own translation.
                || (a == 100 && (64..128).contains(&b))
        }
        IpAddr::V6(v6) => {
            let first = v6.segments()[0];
            v6.is_loopback()
                || v6.is_unspecified()
                || v6.is_multicast()
                || first & 0xfe00 == 0xfc00
                || first & 0xffc0 == 0xfe80
        }
    }
}

/// Redirects that are followed at most.
const REDIRECTS: usize = 5;

/// A place on the open network can't send us to this machine or a network of ours: what answers there trusts whoever is near.
fn redirects(at: &Url) -> reqwest::redirect::Policy {
    let begins_private = is_private(at);
    reqwest::redirect::Policy::custom(move |attempt| {
        if attempt.previous().len() > REDIRECTS {
            return attempt.error("it sends on and on");
        }
        if !matches!(attempt.url().scheme(), "http" | "https") || (!begins_private && is_private(attempt.url())) {
            return attempt.error("it sends on to this machine or a private network, which no place out there may");
        }
        attempt.follow()
    })
}

async fn ask_web(
    client: &reqwest::Client,
    folder: &Url,
    file: &str,
    bytes: Range<u64>,
    tag: Option<&str>,
) -> Result<Answer, Failed> {
    let mut url = folder.clone();
    if let Ok(mut segments) = url.path_segments_mut() {
        segments.pop_if_empty().extend(file.split('/'));
    }
    let mut request = client.get(url);
    match (bytes.start, bytes.end) {
        (0, u64::MAX) => {}
        (start, u64::MAX) => request = request.header(RANGE, format!("bytes={start}-")),
        (start, end) => request = request.header(RANGE, format!("bytes={start}-{}", end.saturating_sub(1))),
    }
    if let Some(tag) = tag {
        request = request.header(IF_NONE_MATCH, tag);
    }
    let answer = request.send().await?;
    let header = |headers: &HeaderMap, name| headers.get(name).and_then(|value| value.to_str().ok().map(str::to_owned));
    let start = match answer.status() {
        StatusCode::OK => 0,
        StatusCode::PARTIAL_CONTENT => {
            let range = header(answer.headers(), CONTENT_RANGE);
            let first = range.as_deref().and_then(|range| range.strip_prefix("bytes ")?.split_once('-'));
            first.and_then(|(first, _)| first.parse().ok()).unwrap_or(bytes.start)
        }
        StatusCode::NOT_MODIFIED => return Err(Failed::NotModified),
        StatusCode::NOT_FOUND | StatusCode::GONE => return Err(Failed::NotThere),
        StatusCode::UNAUTHORIZED | StatusCode::FORBIDDEN => return Err(Failed::Forbidden),
        other if other.is_server_error() || other == StatusCode::TOO_MANY_REQUESTS => {
            return Err(Failed::MayPass(format!("the server answered {other}")));
        }
        other => return Err(Failed::Other(format!("the server answered {other}"))),
    };
    let tag = header(answer.headers(), ETAG);
    Ok(Answer { start, tag, chunks: answer.bytes_stream().map(|chunk| Ok(chunk?.to_vec())).boxed() })
}

fn is_whole(file: &mut File, digest: Blake3) -> io::Result<bool> {
    file.seek(SeekFrom::Start(0))?;
    let size = file.metadata()?.len();
    Ok(blake3_of(file, size)?.0 == digest)
}

impl From<StoreError> for Failed {
    fn from(error: StoreError) -> Self {
        match error {
            StoreError::NotModified { .. } => Self::NotModified,
            StoreError::NotFound { .. } => Self::NotThere,
            StoreError::PermissionDenied { .. } | StoreError::Unauthenticated { .. } => Self::Forbidden,
            other => Self::MayPass(innermost(&other)),
        }
    }
}

impl From<reqwest::Error> for Failed {
    fn from(error: reqwest::Error) -> Self {
        if error.is_redirect() {
            return Self::Other(innermost(&error));
        }
        if error.is_timeout() {
            return Self::MayPass("nothing came for too long".to_owned());
        }
        Self::MayPass(innermost(&error))
    }
}

/// The innermost cause: the one that a person can do something about.
fn innermost(error: &dyn std::error::Error) -> String {
    let mut cause = error;
    while let Some(inner) = cause.source() {
        cause = inner;
    }
    printable(&cause.to_string())
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

/// A folder of this machine.
fn from_folder(folder: &Path) -> Result<Place, String> {
    let store = object_store::local::LocalFileSystem::new_with_prefix(folder);
    Ok(Place::Store(Arc::new(store.map_err(|error| innermost(&error))?), String::new()))
}

fn from_address(at: &str, access: &Access) -> Result<Place, String> {
    let patience = access.patience;
    let mut url = Url::parse(at).map_err(|error| format!("it is no address ({error})"))?;
    if url.password().is_some() {
        return Err(
            "it holds a password; credentials come from the environment, never from a file or an address".to_owned()
        );
    }
    let folder = url.path().trim_end_matches('/').to_owned();
    match url.scheme() {
        "http" | "https" => {
            url.set_path(&folder);
            let client = reqwest::Client::builder()
                .connect_timeout(patience.connect)
                .read_timeout(patience.silence)
                .redirect(redirects(&url))
                .user_agent(concat!("kanon/", env!("CARGO_PKG_VERSION")));
            let client = client.build().map_err(|error| innermost(&error))?;
            Ok(Place::Web(client, url))
        }
        "s3" => {
            let bucket = url.host_str().ok_or("it names no bucket")?;
            let prefix = folder.trim_start_matches('/').to_owned();
            let prefix = if prefix.is_empty() { prefix } else { format!("{prefix}/") };
            Ok(Place::Store(Arc::new(open_bucket(bucket, access)?), prefix))
        }
        other => Err(format!("{other}:// is no place that files come from; use http://, https:// or s3://")),
    }
}

/// Opens a bucket, by what is said of where it is and who asks.
fn open_bucket(bucket: &str, access: &Access) -> Result<impl ObjectStore + use<>, String> {
    let said = |name: &str| access.bucket.get(name).map(String::as_str);
    let options = ClientOptions::new()
        .with_timeout_disabled()
        .with_connect_timeout(access.patience.connect)
        .with_read_timeout(access.patience.silence)
        .with_allow_http(said("AWS_ALLOW_HTTP") == Some("true"));
    // Trying again is this module's own business.
    let retry =
        RetryConfig { backoff: BackoffConfig::default(), max_retries: 0, retry_timeout: access.patience.silence };
    let mut builder = AmazonS3Builder::new().with_bucket_name(bucket);
    for (name, value) in &access.bucket {
        if let Ok(key) = name.to_ascii_lowercase().parse::<AmazonS3ConfigKey>() {
            builder = builder.with_config(key, value);
        }
    }
    builder = builder.with_client_options(options).with_retry(retry);
    let known = ["AWS_ACCESS_KEY_ID", "AWS_WEB_IDENTITY_TOKEN_FILE", "AWS_CONTAINER_CREDENTIALS_RELATIVE_URI"];
    if !known.iter().any(|name| said(name).is_some()) {
        // Without credentials only public buckets can be read; nobody is asked for any.
        builder = builder.with_skip_signature(true);
    }
    builder.build().map_err(|error| innermost(&error))
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
    #[case("http://127.0.0.1/", true)]
    #[case("http://[::1]:80/", true)]
    #[case("http://[::ffff:127.0.0.1]/", true)]
    #[case("http://10.1.2.3/", true)]
    #[case("http://172.20.0.1/", true)]
    #[case("http://192.168.178.1/", true)]
    #[case("http://169.254.169.254/", true)]
    #[case("http://100.64.0.1/", true)]
    #[case("http://[fd00::1]/", true)]
    #[case("http://[fe80::1]/", true)]
    #[case("http://0.0.0.0/", true)]
    #[case("http://localhost/", true)]
    #[case("http://8.8.8.8/", false)]
    #[case("http://172.32.0.1/", false)]
    #[case("http://[2001:db8::1]/", false)]
    fn addresses_of_ones_own_are_told_from_others(#[case] url: &str, #[case] private: bool) {
        assert_eq!(is_private(&Url::parse(url).expect("an address")), private);
    }
}
