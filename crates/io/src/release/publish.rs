//! Publishes: uploads what is new, signs, and only then lets readers know of it.

use std::collections::{BTreeMap, BTreeSet, HashMap};
use std::fs::{File, TryLockError};
use std::io::Read;
use std::num::NonZeroU64;
use std::path::{Path, PathBuf};

use futures_util::stream::{self, StreamExt, TryStreamExt};
use jiff::Timestamp;
use kanon_core::base::digest::{Blake3, Sha256};
use kanon_core::canon::release::{
    ARCHIVE, CANON, FORMAT, Piece, PieceDigest, RELEASE, RULEBOOK, Recipe, Release, Stored, System, WISHES,
    average_piece, blob_path, is_cut, is_for_players, pack_path, recipe_path,
};
use kanon_core::canon::{Canon, SealedMod};
use tough::TargetName;
use tough::schema::{Hashes, Metafile, RoleType, Signed, Snapshot, Target, Targets, Timestamp as TimestampRole};

use super::archive::{self, Archive};
use super::keys::SigningKeys;
use super::packs::{Made, make_recipe};
use super::record::{self, Record, RecordedRelease};
use super::{SPEC, days};
use crate::bytes::Bytes;
use crate::claim::LockFile;
use crate::error::{During, ReachError, ReleaseFault, Unfit};
use crate::open::regular;
use crate::origin::{Failed, Origin, runtime};
use crate::progress::Progress;
use crate::retry::Retry;

/// Files that are uploaded side by side.
const SIDE_BY_SIDE: usize = 8;
/// How hard a recipe is compressed: nearly all of it are digests, and the hardest takes forty times as long for one part in
/// sixteen less.
const RECIPE_LEVEL: i32 = 3;
/// Bytes that are uploaded of a file at a time.
const PART: usize = 8 << 20;
/// The folders of a release in which files come and go.
const FOLDERS: [&str; 6] = ["blobs", "metadata", "packs", "ready", "recipes", "targets"];
/// The file that says which release counts.
const TIMESTAMP: &str = "metadata/timestamp.json";

/// How long a release lasts, and how many are kept.
#[derive(Debug, Clone, Copy)]
pub struct Lasting {
    /// Its signatures end after so many days.
    pub days: i64,
    /// So many releases keep their files; older ones go.
    pub keep: usize,
}

/// What is published.
pub struct Outgoing<'a> {
    /// The canon, as players get it.
    pub canon: &'a Canon,
    /// The rulebook, word for word.
    pub rulebook: &'a str,
    /// What players need of the wishes.
    pub wishes: &'a str,
    /// Where the bytes of the mods are.
    pub bytes: &'a Bytes,
    /// The time.
    pub now: Timestamp,
    /// For how long.
    pub lasting: Lasting,
    /// Programs that carry the invite, each for a system.
    pub programs: Vec<(System, Vec<u8>)>,
    /// All that a player needs, for one archive; nothing where none is wanted.
    pub archive: Option<Archive>,
}

/// A page for people who come with a browser; it is not signed.
#[derive(Debug, Clone)]
pub struct Page {
    /// Its name.
    pub name: &'static str,
    /// What it is, for a browser.
    pub kind: &'static str,
    /// Its text.
    pub text: String,
}

/// What publishing came to.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Published {
    /// The release's number.
    pub number: u64,
    /// Whether it is a new one; otherwise the last one says all this, and is not near its end.
    pub is_new: bool,
    /// When its signatures end.
    pub ends: Timestamp,
    /// How many files were uploaded, but for metadata.
    pub uploaded: usize,
    /// How many bytes those had.
    pub bytes: u64,
    /// How many files were there already.
    pub were_there: usize,
    /// How many files of older releases were taken off.
    pub pruned: usize,
    /// How many files were read back and held against their digests, and how many of those were damaged; nothing where nobody
    /// asked for it.
    pub verified: Option<(usize, usize)>,
}

/// Something that is put up.
enum Upload {
    /// A file of this machine that has these bytes; any of several.
    File(Vec<PathBuf>, Blake3),
    /// A file that was written for this, with the digest and the size that it has: it need not stay where it is.
    Made(PathBuf, Stored),
    /// These bytes.
    Whole(Vec<u8>),
}

/// A place that is published to.
struct Destination<'o> {
    origin: &'o Origin,
    /// What is there, with its size.
    there: BTreeMap<String, u64>,
    /// What was there and was not what its name says.
    damaged: Vec<String>,
}

/// The digest that a file of a release bears in its name.
#[derive(Clone, Copy)]
enum Named {
    Blake3(Blake3),
    Sha256(Sha256),
}

impl Named {
    fn of(file: &str) -> Option<Self> {
        let (folder, name) = (file.split('/').next()?, file.rsplit('/').next()?);
        let stem = name.split('.').next()?;
        match folder {
            "blobs" | "packs" | "recipes" => stem.parse().ok().map(Self::Blake3),
            "targets" => stem.parse().ok().map(Self::Sha256),
            _ => None,
        }
    }
}

/// Publishes a release, with keys and the record from `folder`; `pages` are made of the release's number and written last.
///
/// # Errors
/// When the place can't be written, holds somebody else's release, or bytes are nowhere.
pub fn publish(
    origin: &Origin,
    (keys, folder): (&SigningKeys, &Path),
    (outgoing, verify): (&Outgoing<'_>, bool),
    pages: &dyn Fn(u64) -> Vec<Page>,
    progress: &dyn Progress,
) -> Result<Published, ReachError> {
    let _alone = alone(folder)?;
    origin.folder().map_or(Ok(()), clear_away)?;
    runtime()?.block_on(async {
        let mut destination = Destination::look_at(origin).await?;
        destination.refuse_others(keys).await?;
        let verified = if verify { Some(destination.verify(keys, progress).await?) } else { None };
        let mut record = Record::read(folder)?;
        let canon = canon_text(outgoing.canon, folder)?;
        let programs: BTreeMap<System, Stored> =
            outgoing.programs.iter().map(|(system, bytes)| (*system, Stored::of(bytes))).collect();
        let mut says = vec![
            ("canon", canon.len() as u64, Blake3::of(canon.as_bytes())),
            ("rulebook", 0, Blake3::of(outgoing.rulebook.as_bytes())),
            ("wishes", 0, Blake3::of(outgoing.wishes.as_bytes())),
            ("root", 0, keys.mark()?.fingerprint),
        ];
        says.extend(programs.iter().map(|(system, stored)| (system.file(), stored.size, stored.blake3)));
        says.extend(outgoing.archive.as_ref().map(|archive| ("archive", 0, archive.says())));
        let says = Blake3::of_files(says);
        let published = match destination.still_good(&record, says, keys, outgoing).await {
            Some(published) => published,
            None => {
                let next = Next { destination: &destination, keys, folder, outgoing, canon: &canon, programs, says };
                next.publish(&mut record, progress).await?
            }
        };
        for page in pages(published.number) {
            destination.put_page(&page).await?;
        }
        let pruned = destination.prune(&record).await?;
        Ok(Published { pruned, verified, ..published })
    })
}

/// Two publications of one workspace would take each other's numbers.
fn alone(folder: &Path) -> Result<LockFile, ReachError> {
    let path = folder.join("lock");
    let lock = File::create(&path).during("make", &path)?;
    LockFile::take(lock).map_err(|error| match error {
        TryLockError::WouldBlock => ReachError::unusable(path, ReleaseFault::Publishing),
        TryLockError::Error(source) => ReachError::Io { attempt: "lock", path, source },
    })
}

/// Takes off what a publication that was cut off had begun to write: names that end in `#` and a number.
fn clear_away(folder: &Path) -> Result<(), ReachError> {
    let entries = |folder: &Path| std::fs::read_dir(folder).into_iter().flatten().flatten().map(|entry| entry.path());
    for top in FOLDERS.map(|name| folder.join(name)) {
        for path in entries(&top).flat_map(|path| if path.is_dir() { entries(&path).collect() } else { vec![path] }) {
            let name = path.file_name().map(|name| name.to_string_lossy().into_owned()).unwrap_or_default();
            let is_begun = name.rsplit_once('#').is_some_and(|(_, end)| end.parse::<u64>().is_ok());
            if is_begun {
                std::fs::remove_file(&path).during("remove", &path)?;
            }
        }
    }
    Ok(())
}

fn canon_text(canon: &Canon, folder: &Path) -> Result<String, ReachError> {
    let unusable = |error: serde_json::Error| ReachError::unusable(folder.join(CANON), Unfit::told(error));
    canon.to_json().map_err(unusable)
}

impl<'o> Destination<'o> {
    async fn look_at(origin: &'o Origin) -> Result<Self, ReachError> {
        let refused = |failed: Failed| ReachError::Address { address: origin.shown().to_owned(), reason: failed.why() };
        origin.refuse_unwritable().map_err(refused)?;
        let mut there = BTreeMap::new();
        for folder in FOLDERS {
            there.extend(origin.list(folder).await.map_err(|failed| origin.refused(folder, failed.why()))?);
        }
        Ok(Self { origin, there, damaged: Vec::new() })
    }

    /// What others publish is not overwritten: their players would be told that the signature is wrong.
    async fn refuse_others(&self, keys: &SigningKeys) -> Result<(), ReachError> {
        for (version, root) in keys.roots()? {
            let file = root_file(version);
            if self.there.contains_key(&file) {
                let found = self
                    .origin
                    .whole(&file, root.len() as u64)
                    .await
                    .map_err(|e| self.origin.refused(&file, e.why()))?;
                if found != root {
                    let address = self.origin.shown().to_owned();
                    return Err(ReachError::Address { address, reason: Unfit::Release(ReleaseFault::OthersKeys) });
                }
                return Ok(());
            }
        }
        if !self.there.contains_key(TIMESTAMP) {
            return Ok(());
        }
        Err(ReachError::Address {
            address: self.origin.shown().to_owned(),
            reason: Unfit::Release(ReleaseFault::PerhapsOthers),
        })
    }

    /// Reads everything back that bears its digest in its name, and forgets what does not fit it: that is then put up anew.
    async fn verify(&mut self, keys: &SigningKeys, progress: &dyn Progress) -> Result<(usize, usize), ReachError> {
        let named = self.there.iter().filter(|(file, _)| Named::of(file).is_some());
        progress.ahead(named.map(|(_, size)| size).sum());
        let (mut checked, mut damaged) = (0, self.damaged_metadata(keys).await);
        for (file, size) in &self.there {
            let Some(named) = Named::of(file) else { continue };
            checked += 1;
            if !self.is_whole(file, *size, named).await? {
                damaged.push(file.clone());
            }
            progress.done(*size);
        }
        for file in &damaged {
            self.there.remove(file);
        }
        let number = damaged.len();
        self.damaged = damaged;
        Ok((checked, number))
    }

    /// The signed lists of the last release that are not what the one before them says.
    async fn damaged_metadata(&self, keys: &SigningKeys) -> Vec<String> {
        let Some(timestamp) = self.timestamp(keys).await else { return Vec::new() };
        let number = timestamp.version;
        let mut wanted = timestamp.meta.get("snapshot.json").and_then(|meta| meta.hashes.clone());
        let mut damaged = Vec::new();
        for file in ["snapshot", "targets"].map(|name| format!("metadata/{number}.{name}.json")) {
            let Some(hashes) = wanted.take() else { break };
            let bytes = self.origin.whole(&file, kanon_core::base::limits::SIGNED_BYTES).await.unwrap_or_default();
            if Sha256::of(&bytes).as_bytes().as_slice() != hashes.sha256.as_ref() {
                damaged.push(file);
                break;
            }
            let snapshot: Option<Signed<Snapshot>> = serde_json::from_slice(&bytes).ok();
            wanted = snapshot.and_then(|snapshot| snapshot.signed.meta.get("targets.json")?.hashes.clone());
        }
        damaged
    }

    async fn is_whole(&self, file: &str, size: u64, named: Named) -> Result<bool, ReachError> {
        let mut tries = Retry::new(self.origin.patience());
        loop {
            match self.digest_is(file, size, named).await {
                Err(Failed::MayPass(_)) if tries.again(false) => tries.wait().await,
                Err(failed @ Failed::MayPass(_)) => return Err(self.origin.refused(file, failed.why())),
                Ok(is) => return Ok(is),
                Err(_) => return Ok(false),
            }
        }
    }

    async fn digest_is(&self, file: &str, size: u64, named: Named) -> Result<bool, Failed> {
        let mut answer = self.origin.ask(file, 0..u64::MAX, None).await?;
        let (mut blake3, mut sha256, mut came) = (blake3::Hasher::new(), sha2::Sha256::default(), 0u64);
        while let Some(chunk) = answer.chunks.next().await {
            let chunk = chunk?;
            came += chunk.len() as u64;
            if came > size {
                return Ok(false);
            }
            match named {
                Named::Blake3(_) => drop(blake3.update(&chunk)),
                Named::Sha256(_) => sha2::Digest::update(&mut sha256, &chunk),
            }
        }
        Ok(came == size
            && match named {
                Named::Blake3(digest) => Blake3::from_bytes(*blake3.finalize().as_bytes()) == digest,
                Named::Sha256(digest) => sha2::Digest::finalize(sha256).as_slice() == digest.as_bytes(),
            })
    }

    /// The timestamp that is there, if it was signed with these keys.
    async fn timestamp(&self, keys: &SigningKeys) -> Option<TimestampRole> {
        let bytes = self.origin.whole(TIMESTAMP, kanon_core::base::limits::SIGNED_BYTES).await.ok()?;
        let timestamp: Signed<TimestampRole> = serde_json::from_slice(&bytes).ok()?;
        keys.root().verify_role(&timestamp).ok().map(|()| timestamp.signed)
    }

    /// The last release, if another one would say nothing new, all of it is there, and it lasts for some time.
    async fn still_good(
        &self,
        record: &Record,
        says: Blake3,
        keys: &SigningKeys,
        outgoing: &Outgoing<'_>,
    ) -> Option<Published> {
        let last = record.last().filter(|last| last.says == says)?;
        let half = outgoing.now + days(outgoing.lasting.days / 2);
        let is_there = last.needs.iter().all(|file| self.there.contains_key(file));
        let timestamp = self.timestamp(keys).await?;
        let number = last.release.number;
        let is_good = is_there && timestamp.version.get() == number && timestamp.expires > half;
        is_good.then_some(Published {
            number,
            is_new: false,
            ends: timestamp.expires,
            uploaded: 0,
            bytes: 0,
            were_there: last.needs.len(),
            pruned: 0,
            verified: None,
        })
    }

    async fn put(&self, file: &str, upload: Upload, progress: &dyn Progress) -> Result<u64, ReachError> {
        match upload {
            Upload::Whole(bytes) => {
                let size = bytes.len() as u64;
                self.origin.put(file, bytes, None).await.map_err(|failed| self.failed(file, failed))?;
                progress.done(size);
                Ok(size)
            }
            Upload::Made(made, stored) => {
                let is_there = self.origin.take_over(file, &made).map_err(|failed| self.failed(file, failed))?;
                if is_there {
                    progress.done(stored.size);
                    return Ok(stored.size);
                }
                let put = self.put_file(file, &made, stored.blake3, progress).await?;
                put.ok_or_else(|| ReachError::BytesNowhere(vec![stored.blake3.short()]))
            }
            Upload::File(sources, digest) => {
                for source in &sources {
                    if let Some(size) = self.put_file(file, source, digest, progress).await? {
                        return Ok(size);
                    }
                }
                Err(ReachError::BytesNowhere(vec![digest.short()]))
            }
        }
    }

    /// Uploads a file part by part; it is there only if its bytes were those of the digest.
    async fn put_file(
        &self,
        file: &str,
        source: &Path,
        digest: Blake3,
        progress: &dyn Progress,
    ) -> Result<Option<u64>, ReachError> {
        let Ok(mut reader) = regular(source) else { return Ok(None) };
        let (mut hasher, mut size) = (blake3::Hasher::new(), 0);
        let mut upload: Option<crate::origin::Upload> = None;
        loop {
            let mut part = Vec::with_capacity(PART);
            Read::by_ref(&mut reader).take(PART as u64).read_to_end(&mut part).during("read", source)?;
            hasher.update_rayon(&part);
            size += part.len() as u64;
            let (is_last, read) = (part.len() < PART, part.len() as u64);
            let is_right = || Blake3::from_bytes(*hasher.finalize().as_bytes()) == digest;
            if is_last && upload.is_none() {
                if !is_right() {
                    return Ok(None);
                }
                self.origin.put(file, part, None).await.map_err(|failed| self.failed(file, failed))?;
                progress.done(read);
                return Ok(Some(size));
            }
            let mut parts = match upload.take() {
                Some(parts) => parts,
                None => self.origin.begin(file).await.map_err(|failed| self.failed(file, failed))?,
            };
            if !part.is_empty() {
                parts.part(part).await.map_err(|failed| self.failed(file, failed))?;
            }
            progress.done(read);
            if !is_last {
                upload = Some(parts);
                continue;
            }
            if !is_right() {
                parts.abort().await;
                return Ok(None);
            }
            parts.finish().await.map_err(|failed| self.failed(file, failed))?;
            return Ok(Some(size));
        }
    }

    /// Buckets tell browsers what a file is by what is said of it here; folders by its name.
    async fn put_page(&self, page: &Page) -> Result<(), ReachError> {
        let put = self.origin.put(page.name, page.text.clone().into_bytes(), Some(page.kind)).await;
        put.map_err(|failed| self.failed(page.name, failed))
    }

    /// Takes off what no release needs any more that is kept, and damaged files that the last one does without: nobody can use
    /// them, and only what the last one needs was put up anew.
    async fn prune(&self, record: &Record) -> Result<usize, ReachError> {
        let needed: BTreeSet<&String> = record.releases.iter().flat_map(|kept| &kept.needs).collect();
        let old = |file: &&String| !needed.contains(*file) && *file != TIMESTAMP && !file.ends_with(".root.json");
        let last = record.last().map_or(&[][..], |last| last.needs.as_slice());
        let useless = self.damaged.iter().filter(|file| !last.contains(file));
        let gone: Vec<&String> = self.there.keys().filter(old).chain(useless).collect();
        for file in &gone {
            self.origin.remove(file).await.map_err(|failed| self.failed(file, failed))?;
        }
        Ok(gone.len())
    }

    fn failed(&self, file: &str, failed: Failed) -> ReachError {
        self.origin.refused(file, failed.why())
    }
}

/// The next release on its way.
struct Next<'a> {
    destination: &'a Destination<'a>,
    keys: &'a SigningKeys,
    folder: &'a Path,
    outgoing: &'a Outgoing<'a>,
    canon: &'a str,
    programs: BTreeMap<System, Stored>,
    says: Blake3,
}

/// What of the files of mods is to be there.
#[derive(Default)]
struct Files {
    uploads: Vec<(String, Upload, u64)>,
    needs: BTreeSet<String>,
    recipes: BTreeMap<Blake3, Stored>,
    /// How many were put up already, with other work on them, and their bytes.
    put: (usize, u64),
    /// Packs that were written for this, until they are uploaded.
    packs: Vec<tempfile::NamedTempFile>,
}

impl Next<'_> {
    async fn publish(&self, record: &mut Record, progress: &dyn Progress) -> Result<Published, ReachError> {
        let there = self.destination.timestamp(self.keys).await.map_or(0, |timestamp| timestamp.version.get());
        let last = record.last().map_or(0, |last| last.release.number);
        let number = last.max(there) + 1;
        let mut files = self.files(record, progress)?;
        let were_there = files.needs.len() - files.uploads.len() - files.put.0;
        let archive = self.ready(record, &mut files)?;
        let uploads = std::mem::take(&mut files.uploads);
        let (put, put_bytes) = files.put;
        let uploaded = uploads.len() + put;
        progress.ahead(uploads.iter().map(|(_, _, size)| size).sum());
        let destination = self.destination;
        let sizes = stream::iter(uploads)
            .map(|(file, upload, _)| async move { destination.put(&file, upload, progress).await })
            .buffer_unordered(SIDE_BY_SIDE);
        let bytes = sizes.try_fold(put_bytes, |sum, size| async move { Ok(sum + size) }).await?;
        let release = Release {
            format: FORMAT.to_owned(),
            number,
            name: self.outgoing.canon.name.clone(),
            game: self.outgoing.canon.game.clone(),
            published: self.outgoing.now.to_string(),
            recipes: std::mem::take(&mut files.recipes),
            programs: self.programs.clone(),
            archive,
        };
        let ends = self.outgoing.now + days(self.outgoing.lasting.days);
        let timestamp = self.put_signed(&release, ends, &mut files.needs).await?;
        let recorded = RecordedRelease {
            release,
            canon: Blake3::of(self.canon.as_bytes()),
            says: self.says,
            ends,
            needs: files.needs.into_iter().collect(),
        };
        // What is known to be there is remembered before readers hear of it: else a release that was cut off here would be
        // pruned under them.
        record.add(self.folder, recorded, self.canon, self.outgoing.lasting.keep)?;
        destination.put(TIMESTAMP, Upload::Whole(timestamp), progress).await?;
        Ok(Published { number, is_new: true, ends, uploaded, bytes, were_there, pruned: 0, verified: None })
    }

    /// What of mods and keys is to be uploaded, and what is needed in all.
    fn files(&self, record: &Record, progress: &dyn Progress) -> Result<Files, ReachError> {
        let canon = self.outgoing.canon;
        let last = record.last().and_then(|last| Record::canon(self.folder, last.release.number));
        let mut files = Files::default();
        for sealed in canon.mods.iter().filter(|sealed| is_for_players(sealed)) {
            for file in &sealed.files {
                let is_new_here = files.needs.insert(blob_path(file.blake3));
                if !is_new_here {
                    continue;
                }
                let is_put = is_cut(file.size) && {
                    let earlier = last.as_ref().map(|last| recipes_of(last, sealed, (record, self.folder)));
                    let earlier = earlier.unwrap_or_default();
                    self.pieces(&mut files, (file.blake3, file.size), (&earlier, record), progress)?
                };
                if !is_put {
                    self.blob(&mut files, file.blake3, file.size);
                }
            }
        }
        for key in &canon.keys {
            if files.needs.insert(blob_path(key.blake3)) {
                self.blob(&mut files, key.blake3, key.size);
            }
        }
        Ok(files)
    }

    /// Sees to what players start or unpack as it is: programs that carry the invite, and the one archive, which is returned.
    fn ready(&self, record: &Record, files: &mut Files) -> Result<Option<Stored>, ReachError> {
        let last = record.last().map(|last| &last.release);
        let is_there = |file: &str, was: Option<Stored>, stored: Stored| {
            was == Some(stored) && self.destination.there.get(file) == Some(&stored.size)
        };
        for (system, bytes) in &self.outgoing.programs {
            let (file, stored) = (system.file(), self.programs[system]);
            if !is_there(file, last.and_then(|last| last.programs.get(system).copied()), stored) {
                files.uploads.push((file.to_owned(), Upload::Whole(bytes.clone()), stored.size));
            }
            files.needs.insert(file.to_owned());
        }
        let Some(archive) = &self.outgoing.archive else { return Ok(None) };
        let (made, stored) = archive::make(archive, self.outgoing.bytes, self.folder)?;
        if !is_there(ARCHIVE, last.and_then(|last| last.archive), stored) {
            let upload = Upload::File(vec![made.path().to_owned()], stored.blake3);
            files.uploads.push((ARCHIVE.to_owned(), upload, stored.size));
            files.packs.push(made);
        }
        files.needs.insert(ARCHIVE.to_owned());
        Ok(Some(stored))
    }

    fn blob(&self, files: &mut Files, digest: Blake3, size: u64) {
        let path = blob_path(digest);
        if self.destination.there.get(&path) != Some(&size) {
            let sources = self.outgoing.bytes.paths(digest).to_vec();
            files.uploads.push((path, Upload::File(sources, digest), size));
        }
    }

    /// Sees to it that a large file is there in pieces; says whether it was put up whole on the way.
    fn pieces(
        &self,
        files: &mut Files,
        (digest, size): (Blake3, u64),
        (earlier, record): (&[Recipe], &Record),
        progress: &dyn Progress,
    ) -> Result<bool, ReachError> {
        let there = |file: &String| self.destination.there.contains_key(file);
        if let Some((stored, recipe)) = record.recipe(self.folder, digest, size) {
            let packs: Vec<String> = recipe.packs.iter().map(|pack| pack_path(*pack)).collect();
            let path = recipe_path(stored);
            if packs.iter().all(there)
                && let Some(size) = self.destination.there.get(&path)
            {
                files.recipes.insert(digest, Stored { blake3: stored, size: *size });
                files.needs.extend(packs.into_iter().chain([path]));
                return Ok(false);
            }
        }
        let average = average_piece(size, earlier.first().map(|recipe| recipe.average));
        let (source, made, is_put) = self.made((digest, size), (average, earlier), progress)?;
        if is_put {
            files.put = (files.put.0 + 1, files.put.1 + size);
        }
        let json = serde_json::to_vec(&made.recipe).map_err(|error| invalid(source, &error))?;
        let packed = zstd::bulk::compress(&json, RECIPE_LEVEL).during("compress the recipe of", source)?;
        let stored = Stored::of(&packed);
        let kept = record::recipe_path(self.folder, stored.blake3);
        std::fs::create_dir_all(kept.parent().unwrap_or(self.folder)).during("make the folder", &kept)?;
        std::fs::write(&kept, &packed).during("write", &kept)?;
        if let Some((pack, digest, size)) = made.pack {
            let path = pack_path(digest);
            if !there(&path) {
                let made = Upload::Made(pack.path().to_owned(), Stored { blake3: digest, size });
                files.uploads.push((path, made, size));
            }
            files.packs.push(pack);
        }
        files.needs.extend(made.recipe.packs.iter().map(|pack| pack_path(*pack)));
        let path = recipe_path(stored.blake3);
        files.needs.insert(path.clone());
        if !there(&path) {
            files.uploads.push((path, Upload::Whole(packed), stored.size));
        }
        files.recipes.insert(digest, stored);
        Ok(is_put)
    }

    /// A recipe for a file of this machine that has the bytes of a digest now, that file, and whether it was put up as it was
    /// read: to a folder of this machine that lacks it, so that it is read once.
    fn made(
        &self,
        (digest, size): (Blake3, u64),
        (average, earlier): (u32, &[Recipe]),
        progress: &dyn Progress,
    ) -> Result<(&Path, Made, bool), ReachError> {
        let (destination, blob) = (self.destination, blob_path(digest));
        let failed = |failed| destination.failed(&blob, failed);
        let reusable = self.reusable(earlier);
        for source in self.outgoing.bytes.paths(digest) {
            let is_lacking = destination.there.get(&blob) != Some(&size);
            let mut copy = if is_lacking { destination.origin.begin_copy(&blob).map_err(failed)? } else { None };
            if copy.is_some() {
                progress.ahead(size);
            }
            let mut also = |bytes: &[u8]| {
                if let Some(copy) = &mut copy {
                    copy.part(bytes);
                    progress.done(bytes.len() as u64);
                }
            };
            if let Some(made) = make_recipe((source, digest), average, (&reusable, self.folder), &mut also)? {
                let is_put = copy.map(|copy| copy.finish().map_err(failed)).transpose()?.is_some();
                return Ok((source, made, is_put));
            }
        }
        Err(ReachError::BytesNowhere(vec![digest.short()]))
    }

    /// The pieces of earlier recipes whose packs are still there.
    fn reusable<'r>(&self, earlier: &'r [Recipe]) -> HashMap<PieceDigest, (Blake3, &'r Piece)> {
        let pieces = earlier.iter().flat_map(|recipe| recipe.pieces.iter().map(move |piece| (recipe, piece)));
        let located = pieces.filter_map(|(recipe, piece)| {
            let pack = recipe.packs[piece.packed?.pack as usize];
            Some((piece.digest, (pack, piece)))
        });
        located.filter(|(_, (pack, _))| self.destination.there.contains_key(&pack_path(*pack))).collect()
    }

    /// Puts up everything that is signed but the timestamp, which is returned: with it the release begins to count.
    async fn put_signed(
        &self,
        release: &Release,
        ends: Timestamp,
        needs: &mut BTreeSet<String>,
    ) -> Result<Vec<u8>, ReachError> {
        let version = NonZeroU64::new(release.number).unwrap_or(NonZeroU64::MIN);
        let own = serde_json::to_vec_pretty(release).map_err(|error| invalid(self.folder, &error))?;
        let outgoing = self.outgoing;
        let signed = [
            (CANON, self.canon.as_bytes().to_vec()),
            (RULEBOOK, outgoing.rulebook.as_bytes().to_vec()),
            (WISHES, outgoing.wishes.as_bytes().to_vec()),
            (RELEASE, own),
        ];
        let mut targets = Targets::new(SPEC.to_owned(), version, ends);
        for (name, bytes) in signed {
            let (length, hashes) = (bytes.len() as u64, hashes(&bytes));
            let path = format!("targets/{}.{name}", Sha256::of(&bytes));
            let target = Target { length, hashes, custom: HashMap::new(), _extra: HashMap::new() };
            let name = TargetName::new(name).map_err(|error| invalid(self.folder, &error))?;
            targets.add_target(name, target);
            self.put_small(path, bytes, needs).await?;
        }
        let targets = self.keys.sign(targets)?;
        let mut snapshot = Snapshot::new(SPEC.to_owned(), version, ends);
        snapshot.meta.insert("targets.json".to_owned(), meta(version, &targets));
        let snapshot = self.keys.sign(snapshot)?;
        let mut timestamp = TimestampRole::new(SPEC.to_owned(), version, ends);
        timestamp.meta.insert("snapshot.json".to_owned(), meta(version, &snapshot));
        self.put_small(format!("metadata/{version}.targets.json"), targets, needs).await?;
        self.put_small(format!("metadata/{version}.snapshot.json"), snapshot, needs).await?;
        for (version, root) in self.keys.roots()? {
            let path = root_file(version);
            if !self.destination.there.contains_key(&path) {
                self.put_small(path, root, &mut BTreeSet::new()).await?;
            }
        }
        self.keys.sign(timestamp)
    }

    async fn put_small(&self, path: String, bytes: Vec<u8>, needs: &mut BTreeSet<String>) -> Result<(), ReachError> {
        self.destination.put(&path, Upload::Whole(bytes), &crate::progress::Silent).await?;
        needs.insert(path);
        Ok(())
    }
}

fn root_file(version: u64) -> String {
    format!("metadata/{version}.{}.json", RoleType::Root)
}

fn hashes(bytes: &[u8]) -> Hashes {
    Hashes { sha256: Sha256::of(bytes).as_bytes().to_vec().into(), _extra: HashMap::new() }
}

fn meta(version: NonZeroU64, bytes: &[u8]) -> Metafile {
    Metafile { length: Some(bytes.len() as u64), hashes: Some(hashes(bytes)), version, _extra: HashMap::new() }
}

fn invalid(path: &Path, error: &dyn std::error::Error) -> ReachError {
    ReachError::unusable(path, Unfit::told(error))
}

/// The recipes of a mod's files in the canon of the last release.
fn recipes_of(last: &Canon, sealed: &SealedMod, (record, folder): (&Record, &Path)) -> Vec<Recipe> {
    let of_id = last.mods.iter().filter(|old| old.manifest.id == sealed.manifest.id);
    let files = of_id.flat_map(|old| &old.files).filter(|file| is_cut(file.size));
    files.filter_map(|file| Some(record.recipe(folder, file.blake3, file.size)?.1)).collect()
}

/// Every byte that players need of a canon, by digest.
pub fn wanted_bytes(canon: &Canon) -> BTreeSet<Blake3> {
    let mods = canon.mods.iter().filter(|sealed| is_for_players(sealed));
    let files = mods.flat_map(|sealed| sealed.files.iter().map(|file| file.blake3));
    files.chain(canon.keys.iter().map(|key| key.blake3)).collect()
}
