//! Releases: published to a folder or a bucket, verified and fetched by players.
//!
//! What is in a release, from its folder:
//!
//! | where | what | signed |
//! |---|---|---|
//! | `metadata/timestamp.json` | which snapshot counts; the one file that changes in place, written last | by the release key |
//! | `metadata/N.snapshot.json`, `N.targets.json` | which files count, by digest | by the release key |
//! | `metadata/N.root.json` | which keys count | by its own root key and the one before |
//! | `targets/SHA256.canon.json` and three more | the canon, the rulebook, the wishes and what the release says of itself | by digest, in `targets` |
//! | `blobs/` | each file of a mod, by its digest | by digest, in the canon |
//! | `ready/` | what players start or unpack as it is: programs that carry the invite, one archive of all | by digest, in `release.json` |
//! | `recipes/`, `packs/` | how large files are cut, and the compressed pieces | by digest, in `release.json` and the recipe |
//!
//! The metadata are those of The Update Framework, version 1.0: <https://theupdateframework.github.io/specification/v1.0.0/>.

mod archive;
mod contents;
mod keys;
mod packs;
mod pieces;
mod publish;
mod record;
mod serve;
mod trust;

use jiff::{SignedDuration, Timestamp};

pub use self::archive::Archive;
pub use self::contents::{Fetched, ReleaseContents, WantedFile};
pub use self::keys::{RootMark, SigningKeys};
pub use self::publish::{Lasting, Outgoing, Page, Published, publish, wanted_bytes};
pub use self::record::{Record, RecordedRelease};
pub use self::serve::{is_release, serve};
pub use self::trust::{Verified, forget_time, verify};

/// The version of the specification that the metadata follow.
const SPEC: &str = "1.0.0";

const fn days(days: i64) -> SignedDuration {
    SignedDuration::from_hours(24 * days)
}

/// Whole days until a time.
pub fn days_until(end: Timestamp, now: Timestamp) -> i64 {
    end.duration_since(now).as_hours().div_euclid(24)
}
