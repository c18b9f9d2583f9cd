//! What a player believes: that a release is the newest one which the invited keys have signed, and nothing else.
//!
//! The verification is `tough`'s, an implementation of The Update Framework. What it has verified is kept, so that nothing
//! older is believed later. It works on a copy of that, which takes the old one's place file by file: a kill leaves no
//! file half written.

use std::error::Error;
use std::fmt;
use std::path::Path;

use futures_util::stream::{self, TryStreamExt};
use jiff::Timestamp;
use kanon_core::base::digest::Blake3;
use kanon_core::base::limits;
use kanon_core::base::path::printable;
use kanon_core::canon::Canon;
use kanon_core::canon::release::{CANON, Invite, RELEASE, RULEBOOK, Release, WISHES};
use sync_wrapper::SyncStream;
use tough::error::Error as ToughError;
use tough::{
    IntoVec, Limits, Repository, RepositoryLoader, TargetName, Transport, TransportError, TransportErrorKind,
    TransportStream,
};
use url::Url;

use crate::error::{During, ReachError};
use crate::error::{Refusal, Unfit};
use crate::origin::{Failed, Origin, runtime};
use crate::retry::Retry;
use crate::writing::write_whole;

/// What is kept of what was verified.
const KEPT: [&str; 5] = ["root.json", "timestamp.json", "snapshot.json", "targets.json", "latest_known_time.json"];
/// The time when it was last here; a clock that shows an earlier one may have been set back by somebody who wants old
/// signatures to be good.
const KNOWN_TIME: &str = "latest_known_time.json";

/// Forgets what the clock showed when it was last here: somebody says that it was wrong then.
///
/// # Errors
/// When that can't be removed.
pub fn forget_time(kept: &Path) -> Result<(), ReachError> {
    let path = kept.join(KNOWN_TIME);
    if path.is_file() { std::fs::remove_file(&path).during("forget the time in", &path) } else { Ok(()) }
}

/// Which root was pinned.
const PINNED: &str = "pinned";

/// A release whose signatures are good.
#[derive(Debug, Clone)]
pub struct Verified {
    /// What it says of itself.
    pub release: Release,
    /// Its canon.
    pub canon: Canon,
    /// The canon's text.
    pub canon_text: String,
    /// The rulebook's text.
    pub rulebook: String,
    /// The wishes' text.
    pub wishes: String,
    /// What the release says of itself, word for word.
    pub release_text: String,
    /// When the first of its signatures ends.
    pub ends: Timestamp,
}

/// Fetches and verifies what counts at a place; `kept` is where what was believed before is.
///
/// # Errors
/// When the place can't be reached, or what is there is not to be believed.
pub fn verify(origin: &Origin, invite: &Invite, kept: &Path) -> Result<Verified, ReachError> {
    std::fs::create_dir_all(kept).during("make the folder", kept)?;
    runtime()?.block_on(async {
        let mut tries = Retry::new(origin.patience());
        loop {
            match Visit::begin(origin, invite, kept).await?.verified().await {
                Err(Distrust::Unreachable(_)) if tries.again(false) => tries.wait().await,
                Err(distrust) => return Err(distrust.told(origin)),
                Ok(verified) => return Ok(verified),
            }
        }
    })
}

/// One visit to a place.
struct Visit<'a> {
    origin: &'a Origin,
    kept: &'a Path,
    /// A copy of what is kept.
    copy: tempfile::TempDir,
    root: Vec<u8>,
    pin: String,
}

/// Why a visit came to nothing.
enum Distrust {
    Refused(Refusal),
    Unreachable(Unfit),
    Here(ReachError),
}

impl Distrust {
    fn told(self, origin: &Origin) -> ReachError {
        let address = origin.shown().to_owned();
        match self {
            Self::Refused(source) => ReachError::Refused { address, source },
            Self::Unreachable(reason) => ReachError::Unreachable { address, reason },
            Self::Here(error) => error,
        }
    }
}

impl<'a> Visit<'a> {
    async fn begin(origin: &'a Origin, invite: &Invite, kept: &'a Path) -> Result<Self, ReachError> {
        let copy = tempfile::tempdir_in(kept).during("make a folder in", kept)?;
        for name in KEPT {
            let from = kept.join(name);
            if from.is_file() {
                std::fs::copy(&from, copy.path().join(name)).during("copy", &from)?;
            }
        }
        let pin = format!("{} {}\n", invite.root, invite.fingerprint);
        let is_same = std::fs::read_to_string(kept.join(PINNED)).is_ok_and(|pinned| pinned == pin);
        let known = std::fs::read(kept.join("root.json")).ok().filter(|_| is_same);
        let root = match known {
            Some(root) => root,
            None => invited_root(origin, invite).await.map_err(|distrust| distrust.told(origin))?,
        };
        Ok(Self { origin, kept, copy, root, pin })
    }

    async fn verified(self) -> Result<Verified, Distrust> {
        let base =
            |folder: &str| Url::parse(&format!("release:///{folder}/")).expect("an address that is written here");
        let loader = RepositoryLoader::new(&self.root, base("metadata"), base("targets"))
            .transport(Carrier(self.origin.clone()))
            .limits(Limits { max_targets_size: limits::SIGNED_BYTES, ..Limits::default() })
            .datastore(self.copy.path());
        let loaded = loader.load().await;
        // What was verified on the way counts from now on, also where the next step was refused. The time counts only if all
        // that was signed says that it may be right: a clock that is far off finds that the signatures have ended.
        self.keep(loaded.is_ok()).map_err(Distrust::Here)?;
        let repository = loaded.map_err(|error| distrust(&error, "metadata"))?;
        let release_text = target(&repository, RELEASE).await?;
        let release = Release::from_json(release_text.as_bytes()).map_err(|why| garbled(RELEASE, why.to_string()))?;
        let canon_text = target(&repository, CANON).await?;
        let canon = Canon::from_json(canon_text.as_bytes()).map_err(|error| garbled(CANON, error.to_string()))?;
        let times = [
            repository.root().signed.expires,
            repository.timestamp().signed.expires,
            repository.snapshot().signed.expires,
            repository.targets().signed.expires,
        ];
        Ok(Verified {
            release,
            canon,
            canon_text,
            rulebook: target(&repository, RULEBOOK).await?,
            wishes: target(&repository, WISHES).await?,
            release_text,
            ends: times.into_iter().min().unwrap_or(Timestamp::MIN),
        })
    }

    fn keep(&self, clock_may_be_right: bool) -> Result<(), ReachError> {
        for name in KEPT.into_iter().filter(|name| *name != KNOWN_TIME || clock_may_be_right) {
            let (from, to) = (self.copy.path().join(name), self.kept.join(name));
            match std::fs::read_to_string(&from) {
                Ok(text) => write_whole(&to, &text)?,
                Err(_) if to.is_file() => std::fs::remove_file(&to).during("remove", &to)?,
                Err(_) => {}
            }
        }
        write_whole(&self.kept.join(PINNED), &self.pin)
    }
}

/// The root that the invite was made for, by its fingerprint.
async fn invited_root(origin: &Origin, invite: &Invite) -> Result<Vec<u8>, Distrust> {
    let file = format!("metadata/{}.root.json", invite.root);
    let most = Limits::default().max_root_size;
    let root = match origin.whole(&file, most).await {
        Ok(root) => root,
        Err(Failed::NotThere | Failed::Forbidden) => return Err(Distrust::Refused(Refusal::Nothing)),
        Err(failed) => return Err(Distrust::Unreachable(failed.why())),
    };
    if root.len() as u64 > most {
        return Err(Distrust::Refused(Refusal::Endless(file)));
    }
    match Blake3::of(&root) {
        found if found == invite.fingerprint => Ok(root),
        found => Err(Distrust::Refused(Refusal::NotInvited(found.short()))),
    }
}

async fn target(repository: &Repository, name: &str) -> Result<String, Distrust> {
    let missing = || Distrust::Refused(Refusal::Unsigned(name.to_owned()));
    let known = TargetName::new(name).map_err(|error| distrust(&error, name))?;
    let size = repository.targets().signed.targets.get(&known).ok_or_else(missing)?.length;
    let most = if name == CANON { limits::SURVEY_BYTES } else { limits::SIGNED_BYTES };
    if size > most {
        return Err(Distrust::Refused(Refusal::Endless(name.to_owned())));
    }
    let stream = repository.read_target(&known).await.map_err(|error| distrust(&error, name))?;
    let bytes = stream.ok_or_else(missing)?.into_vec().await.map_err(|error| distrust(&error, name))?;
    if bytes.len() as u64 != size {
        return Err(Distrust::Refused(Refusal::OtherFile(name.to_owned())));
    }
    String::from_utf8(bytes).map_err(|error| garbled(name, error.to_string()))
}

fn garbled(what: &str, why: String) -> Distrust {
    Distrust::Refused(Refusal::Garbled { what: what.to_owned(), why })
}

/// What an error of the verification means to a player.
fn distrust(error: &ToughError, asked: &str) -> Distrust {
    let refused = Distrust::Refused;
    let mut causes: Vec<&(dyn Error + 'static)> = vec![error];
    let mut next = error.source();
    while let Some(cause) = next {
        causes.push(cause);
        next = cause.source();
    }
    for cause in causes.iter().rev() {
        if let Some(lost) = cause.downcast_ref::<Lost>() {
            return Distrust::Unreachable(lost.0.clone());
        }
        let Some(known) = cause.downcast_ref::<ToughError>() else { continue };
        return match known {
            ToughError::VerifyMetadata { role, .. } => refused(Refusal::WrongSignature(role.to_string())),
            ToughError::VerifyTrustedMetadata { .. } => refused(Refusal::WrongSignature("root".to_owned())),
            ToughError::OlderMetadata { role, .. } => refused(Refusal::Older(role.to_string())),
            ToughError::OlderSnapshotInTimestamp { .. } | ToughError::SnapshotRoleRollback { .. } => {
                refused(Refusal::Older("snapshot".to_owned()))
            }
            ToughError::ExpiredMetadata { role, .. } => refused(Refusal::Ended(role.to_string())),
            ToughError::MaxSizeExceeded { .. } => refused(Refusal::Endless(file_of(error, asked))),
            ToughError::HashMismatch { .. } => refused(Refusal::OtherFile(file_of(error, asked))),
            ToughError::SystemTimeSteppedBackward { .. } => refused(Refusal::Clock),
            ToughError::ParseMetadata { role, source, .. } => garbled(&role.to_string(), source.to_string()),
            ToughError::Transport { source, .. } if source.kind() == TransportErrorKind::FileNotFound => {
                match file_of(error, asked) {
                    file if file == "timestamp.json" => refused(Refusal::Nothing),
                    file => refused(Refusal::Lacking(file)),
                }
            }
            other => refused(Refusal::Mixed(printable(&other.to_string()))),
        };
    }
    refused(Refusal::Mixed(printable(&error.to_string())))
}

/// The file that an error of the transport is about.
fn file_of(error: &ToughError, asked: &str) -> String {
    let url = match error {
        ToughError::Transport { url, .. } => url.path(),
        _ => asked,
    };
    let name = url.rsplit('/').next().unwrap_or(asked);
    // What is signed by its digest bears it in its name, which tells a person nothing.
    let plain = name.split_once('.').filter(|(digest, _)| digest.len() == 64).map_or(name, |(_, plain)| plain);
    printable(plain)
}

/// The place did not answer: nothing is known of what is there.
#[derive(Debug)]
struct Lost(Unfit);

impl fmt::Display for Lost {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        self.0.fmt(f)
    }
}

impl Error for Lost {}

/// Lets `tough` ask an origin.
#[derive(Clone)]
struct Carrier(Origin);

impl fmt::Debug for Carrier {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.0.shown())
    }
}

#[tough::async_trait]
impl Transport for Carrier {
    async fn fetch(&self, url: Url) -> Result<TransportStream, TransportError> {
        let file = url.path().trim_start_matches('/').to_owned();
        let lost =
            move |failed: Failed| TransportError::new_with_cause(TransportErrorKind::Other, &url, Lost(failed.why()));
        match self.0.ask(&file, 0..u64::MAX, None).await {
            Ok(answer) => Ok(Box::pin(SyncStream::new(answer.chunks.map_ok(Into::into).map_err(lost)))),
            Err(Failed::NotThere) => Err(TransportError::new(TransportErrorKind::FileNotFound, file)),
            // A bucket that may not be listed says so of what is not there.
            Err(Failed::Forbidden) if file.ends_with(".root.json") => {
                Err(TransportError::new(TransportErrorKind::FileNotFound, file))
            }
            // As a stream that breaks off: else a root that could not be asked for would count as one that is not there.
            Err(failed) => Ok(Box::pin(stream::iter([Err(lost(failed))]))),
        }
    }
}
