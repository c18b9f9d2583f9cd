//! The keys that sign releases, and the roots that say which keys count. Both stay in the workspace; only roots are published.
//!
//! A root is made valid by being written: keys are written before it, and which of them count is read from it, so that a
//! rotation that was cut off has not begun.

use std::collections::HashMap;
use std::num::NonZeroU64;
use std::path::{Path, PathBuf};

use aws_lc_rs::encoding::AsDer;
use aws_lc_rs::signature::{Ed25519KeyPair, KeyPair};
use jiff::Timestamp;
use kanon_core::base::digest::Blake3;
use tough::schema::decoded::{Decoded, Hex};
use tough::schema::{Role, RoleKeys, RoleType, Root, Signature, Signed};
use tough::sign::Sign;

use super::{SPEC, days};
use crate::error::{During, ReachError, ReleaseFault, Unfit};
use crate::writing::write_whole;

/// How long a root is good for, in days: it is renewed by publishing long before.
const ROOT_DAYS: i64 = 3_650;
/// A root is renewed when it is good for no longer than this.
const ROOT_RENEWED_DAYS: i64 = 1_200;
/// The roles that are signed with every publication.
const RELEASE_ROLES: [RoleType; 3] = [RoleType::Targets, RoleType::Snapshot, RoleType::Timestamp];

/// The keys of one workspace.
pub struct SigningKeys {
    folder: PathBuf,
    root: Signed<Root>,
    root_key: Ed25519KeyPair,
    release_key: Ed25519KeyPair,
}

/// Which root counts, for invites.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct RootMark {
    /// Its version.
    pub version: u64,
    /// The digest of its file.
    pub fingerprint: Blake3,
}

impl SigningKeys {
    /// Opens the keys in a folder; makes the first ones where there are none.
    ///
    /// # Errors
    /// When they can't be read or written, or the keys of the root are not there.
    pub fn open_or_make(folder: &Path, now: Timestamp) -> Result<Self, ReachError> {
        match newest_root(folder)? {
            Some(root) => Self::of_root(folder, root),
            None => {
                let (root_key, release_key) = (make_key(folder)?, make_key(folder)?);
                let root = root_of(1, (&root_key, &release_key), now)?;
                write_root(folder, root, &[&root_key])?;
                Self::open(folder)?.ok_or_else(|| ReachError::unusable(folder, ReleaseFault::NotWritten))
            }
        }
    }

    /// Opens the keys in a folder, if there are any.
    ///
    /// # Errors
    /// When they can't be read, or the keys of the root are not there.
    pub fn open(folder: &Path) -> Result<Option<Self>, ReachError> {
        newest_root(folder)?.map(|root| Self::of_root(folder, root)).transpose()
    }

    fn of_root(folder: &Path, root: Signed<Root>) -> Result<Self, ReachError> {
        let key = |role: RoleType| find_key(folder, &root.signed, role);
        let (root_key, release_key) = (key(RoleType::Root)?, key(RoleType::Targets)?);
        Ok(Self { folder: folder.to_owned(), root, root_key, release_key })
    }

    /// Takes new keys for everything. What the old ones sign from now on counts nowhere.
    ///
    /// # Errors
    /// When they can't be written.
    pub fn rotate(self, now: Timestamp) -> Result<Self, ReachError> {
        let (root_key, release_key) = (make_key(&self.folder)?, make_key(&self.folder)?);
        let root = root_of(self.root.signed.version.get() + 1, (&root_key, &release_key), now)?;
        // The old key says that the new one may: so whoever trusts the old root comes to the new one.
        write_root(&self.folder, root, &[&self.root_key, &root_key])?;
        Self::open(&self.folder)?.ok_or_else(|| ReachError::unusable(&self.folder, ReleaseFault::NoNewRoot))
    }

    /// Renews a root that will end before long.
    ///
    /// # Errors
    /// When it can't be written.
    pub fn renewed(self, now: Timestamp) -> Result<Self, ReachError> {
        if self.root.signed.expires > now + days(ROOT_RENEWED_DAYS) {
            return Ok(self);
        }
        let root = root_of(self.root.signed.version.get() + 1, (&self.root_key, &self.release_key), now)?;
        write_root(&self.folder, root, &[&self.root_key])?;
        Self::open(&self.folder)?.ok_or_else(|| ReachError::unusable(&self.folder, ReleaseFault::NoNewRoot))
    }

    /// The root that counts.
    ///
    /// # Errors
    /// When its file can't be read.
    pub fn mark(&self) -> Result<RootMark, ReachError> {
        let version = self.root.signed.version.get();
        let path = root_path(&self.folder, version);
        let bytes = std::fs::read(&path).during("read", &path)?;
        Ok(RootMark { version, fingerprint: Blake3::of(&bytes) })
    }

    /// The files of all roots there have been, by version.
    ///
    /// # Errors
    /// When one can't be read.
    pub fn roots(&self) -> Result<Vec<(u64, Vec<u8>)>, ReachError> {
        let read = |version: u64| {
            let path = root_path(&self.folder, version);
            std::fs::read(&path).during("read", &path).map(|bytes| (version, bytes))
        };
        (1..=self.root.signed.version.get()).map(read).collect()
    }

    /// The root, to verify by.
    pub(crate) const fn root(&self) -> &Root {
        &self.root.signed
    }

    /// A role as it is published: signed by the key for releases.
    pub(crate) fn sign(&self, role: impl Role) -> Result<Vec<u8>, ReachError> {
        signed(role, &[&self.release_key]).map_err(|why| ReachError::unusable(&self.folder, Unfit::told(why)))
    }
}

fn root_of(
    version: u64,
    (root_key, release_key): (&Ed25519KeyPair, &Ed25519KeyPair),
    now: Timestamp,
) -> Result<Root, ReachError> {
    let (root_id, release_id) = (key_id(root_key)?, key_id(release_key)?);
    let one = |keyid: &Decoded<Hex>| RoleKeys {
        keyids: vec![keyid.clone()],
        threshold: NonZeroU64::MIN,
        _extra: HashMap::new(),
    };
    let release_roles = RELEASE_ROLES.map(|role| (role, one(&release_id)));
    let roles = [(RoleType::Root, one(&root_id))].into_iter().chain(release_roles).collect();
    let keys = [(root_id, root_key.tuf_key()), (release_id, release_key.tuf_key())].into_iter().collect();
    Ok(Root {
        spec_version: SPEC.to_owned(),
        consistent_snapshot: true,
        version: NonZeroU64::new(version).unwrap_or(NonZeroU64::MIN),
        expires: now + days(ROOT_DAYS),
        keys,
        roles,
        _extra: HashMap::new(),
    })
}

/// Why metadata could not be signed.
#[derive(Debug, thiserror::Error)]
enum NotSigned {
    #[error(transparent)]
    Form(tough::schema::Error),
    #[error(transparent)]
    Json(#[from] serde_json::Error),
}

fn signed(role: impl Role, keys: &[&Ed25519KeyPair]) -> Result<Vec<u8>, NotSigned> {
    let form = role.canonical_form().map_err(NotSigned::Form)?;
    let sign = |key: &&Ed25519KeyPair| {
        let keyid = key.tuf_key().key_id().map_err(NotSigned::Form)?;
        Ok(Signature { keyid, sig: Ed25519KeyPair::sign(key, &form).as_ref().to_vec().into() })
    };
    let signatures = keys.iter().map(sign).collect::<Result<Vec<_>, NotSigned>>()?;
    let mut text = serde_json::to_vec_pretty(&Signed { signed: role, signatures })?;
    text.push(b'\n');
    Ok(text)
}

fn root_path(folder: &Path, version: u64) -> PathBuf {
    folder.join("roots").join(format!("{version}.root.json"))
}

fn write_root(folder: &Path, root: Root, keys: &[&Ed25519KeyPair]) -> Result<(), ReachError> {
    let path = root_path(folder, root.version.get());
    let text = signed(root, keys).map_err(|why| ReachError::unusable(folder, Unfit::told(why)))?;
    if let Some(parent) = path.parent() {
        std::fs::create_dir_all(parent).during("make the folder", parent)?;
    }
    write_whole(&path, &String::from_utf8_lossy(&text))
}

fn newest_root(folder: &Path) -> Result<Option<Signed<Root>>, ReachError> {
    let mut newest = None;
    for version in 1.. {
        let path = root_path(folder, version);
        if !path.is_file() {
            break;
        }
        newest = Some(path);
    }
    let Some(path) = newest else { return Ok(None) };
    let text = std::fs::read(&path).during("read", &path)?;
    let root = serde_json::from_slice(&text).map_err(|error| ReachError::unusable(&path, Unfit::told(error)))?;
    Ok(Some(root))
}

fn key_id(key: &Ed25519KeyPair) -> Result<Decoded<Hex>, ReachError> {
    key.tuf_key().key_id().map_err(|error| ReachError::unusable("the new key", Unfit::told(error)))
}

/// A key's file is called by its public half.
fn key_path(folder: &Path, public: &[u8]) -> PathBuf {
    folder.join("keys").join(format!("{}.key", Blake3::of(public).short()))
}

fn make_key(folder: &Path) -> Result<Ed25519KeyPair, ReachError> {
    let failed = |what: Unfit| ReachError::unusable(folder, what);
    let key = Ed25519KeyPair::generate().map_err(|_| failed(Unfit::Release(ReleaseFault::NoChance)))?;
    let der = AsDer::<aws_lc_rs::encoding::Pkcs8V1Der<'_>>::as_der(&key)
        .map_err(|_| failed(Unfit::Release(ReleaseFault::KeyNotWritten)))?;
    let path = key_path(folder, key.public_key().as_ref());
    if let Some(parent) = path.parent() {
        std::fs::create_dir_all(parent).during("make the folder", parent)?;
    }
    write_secret(&path, &pem::encode(&pem::Pem::new("PRIVATE KEY", der.as_ref())))?;
    Ok(key)
}

/// Nobody but its owner may read a key.
fn write_secret(path: &Path, text: &str) -> Result<(), ReachError> {
    use std::io::Write;
    let mut options = std::fs::OpenOptions::new();
    options.write(true).create_new(true);
    #[cfg(unix)]
    {
        use std::os::unix::fs::OpenOptionsExt;
        options.mode(0o600);
    }
    let mut file = options.open(path).during("make", path)?;
    file.write_all(text.as_bytes()).and_then(|()| file.sync_all()).during("write", path)
}

fn find_key(folder: &Path, root: &Root, role: RoleType) -> Result<Ed25519KeyPair, ReachError> {
    for key in root.keys(role) {
        let tough::schema::key::Key::Ed25519 { keyval, .. } = key else { continue };
        let path = key_path(folder, keyval.public.as_ref());
        let Ok(text) = std::fs::read(&path) else { continue };
        let pem = pem::parse(&text).map_err(|error| ReachError::unusable(&path, Unfit::told(error)))?;
        return Ed25519KeyPair::from_pkcs8(pem.contents())
            .map_err(|error| ReachError::unusable(&path, Unfit::told(error)));
    }
    Err(ReachError::unusable(folder.join("keys"), ReleaseFault::NoSigningKey))
}

#[cfg(test)]
mod tests {
    use super::*;

    fn now() -> Timestamp {
        "2031-02-03T04:05:06Z".parse().expect("a time")
    }

    fn verified(by: &Root, bytes: &[u8]) -> bool {
        let root: Signed<Root> = serde_json::from_slice(bytes).expect("a root");
        by.verify_role(&root).is_ok()
    }

    #[test]
    fn each_root_is_signed_by_the_one_before_it() {
        let temp = tempfile::tempdir().expect("a folder");
        let first = SigningKeys::open_or_make(temp.path(), now()).expect("made");
        let mark = first.mark().expect("marked");
        let old = first.root().clone();
        let again = SigningKeys::open_or_make(temp.path(), now()).expect("opened");
        assert_eq!((again.mark().expect("marked"), mark.version), (mark, 1), "nothing new is made");
        let rotated = again.rotate(now()).expect("rotated");
        let roots = rotated.roots().expect("roots");
        assert_eq!(roots.iter().map(|(version, _)| *version).collect::<Vec<_>>(), [1, 2]);
        assert!(verified(&old, &roots[1].1) && verified(rotated.root(), &roots[1].1));
        assert!(!verified(rotated.root(), &roots[0].1), "the new keys did not sign the old root");
        let untouched = rotated.renewed(now()).expect("as it is");
        assert_eq!(untouched.mark().expect("marked").version, 2);
        let renewed = untouched.renewed(now() + days(3_000)).expect("renewed");
        assert_eq!(renewed.mark().expect("marked").version, 3);
    }

    #[test]
    fn keys_are_for_their_owner_and_told_when_they_are_gone() {
        let temp = tempfile::tempdir().expect("a folder");
        SigningKeys::open_or_make(temp.path(), now()).expect("made");
        for entry in std::fs::read_dir(temp.path().join("keys")).expect("keys").flatten() {
            #[cfg(unix)]
            {
                use std::os::unix::fs::PermissionsExt;
                assert_eq!(entry.metadata().expect("there").permissions().mode() & 0o777, 0o600);
            }
            std::fs::remove_file(entry.path()).expect("gone");
        }
        let Err(error) = SigningKeys::open_or_make(temp.path(), now()) else { panic!("opened without keys") };
        assert!(error.to_string().contains("put your copy of this folder back"), "{error}");
    }
}
