//! What Kanon remembers between runs, in two SQLite databases. The *journal* says what was done to whom: it is precious, has a
//! version and migrations, and is never thrown away. The *cache* has digests and readings: it may be deleted at any time.

use std::collections::HashMap;
use std::path::{Path, PathBuf};
use std::time::Duration;

use kanon_core::base::digest::Blake3;
use rusqlite::{Connection, OptionalExtension, TransactionBehavior, params};
use serde::{Deserialize, Serialize};

use crate::error::{During, ReachError};
use crate::install::{FileFingerprint, KeptDocument};

/// The journal's migrations, oldest first: each brings it from the version of its place to the next. None is ever changed.
const JOURNAL: [&str; 3] = [
    "CREATE TABLE alignment (
       id INTEGER PRIMARY KEY AUTOINCREMENT, install TEXT NOT NULL, root TEXT NOT NULL, began INTEGER NOT NULL,
       state TEXT NOT NULL, steps TEXT NOT NULL);
     CREATE TABLE rehearsal (canon BLOB NOT NULL, install TEXT NOT NULL, at INTEGER NOT NULL, seconds REAL NOT NULL,
       memory INTEGER NOT NULL, PRIMARY KEY (canon, install)) WITHOUT ROWID;
     CREATE TABLE step_done (alignment INTEGER NOT NULL, step INTEGER NOT NULL, PRIMARY KEY (alignment, step)) WITHOUT ROWID;
     CREATE TABLE after (alignment INTEGER NOT NULL, path TEXT NOT NULL, size INTEGER NOT NULL, modified INTEGER NOT NULL,
       blake3 BLOB NOT NULL, PRIMARY KEY (alignment, path)) WITHOUT ROWID;
     CREATE TABLE before (alignment INTEGER NOT NULL, path TEXT NOT NULL, json TEXT NOT NULL, PRIMARY KEY (alignment, path)) WITHOUT ROWID;
     CREATE TABLE base (root TEXT NOT NULL, path TEXT NOT NULL, original BLOB NOT NULL, recipe BLOB NOT NULL, built BLOB NOT NULL,
       PRIMARY KEY (root, path)) WITHOUT ROWID;",
    "ALTER TABLE alignment ADD COLUMN pruned INTEGER NOT NULL DEFAULT 0;
     UPDATE alignment SET state = 'done', pruned = 1 WHERE state = 'pruned';",
    "CREATE TABLE kept (what TEXT PRIMARY KEY, json TEXT NOT NULL) WITHOUT ROWID;",
];
/// The tables of the journal that were in one file with the cache once, and are taken over from there.
const JOURNALLED: [&str; 6] = ["alignment", "rehearsal", "step_done", "after", "before", "base"];

/// The cache holds nothing that can't be measured again, so it has no migrations: another version of it is thrown away.
const CACHE_VERSION: i64 = 1;
const CACHE: &str = "
CREATE TABLE IF NOT EXISTS memory (
  root TEXT NOT NULL, folder TEXT NOT NULL, signature BLOB NOT NULL, measured INTEGER NOT NULL, digest BLOB NOT NULL,
  digests BLOB NOT NULL, files BLOB NOT NULL, PRIMARY KEY (root, folder));
CREATE TABLE IF NOT EXISTS reading (key BLOB PRIMARY KEY, json TEXT NOT NULL) WITHOUT ROWID;
CREATE TABLE IF NOT EXISTS document (
  root TEXT NOT NULL, path TEXT NOT NULL, stamp BLOB NOT NULL, bytes BLOB NOT NULL, PRIMARY KEY (root, path)) WITHOUT ROWID;
CREATE TABLE IF NOT EXISTS checked (scheme TEXT NOT NULL, key BLOB NOT NULL, signature BLOB NOT NULL, payload BLOB NOT NULL,
  fits INTEGER NOT NULL, PRIMARY KEY (signature, payload, key, scheme)) WITHOUT ROWID;
CREATE TABLE IF NOT EXISTS whole (digest BLOB PRIMARY KEY, why TEXT NOT NULL) WITHOUT ROWID;
CREATE TABLE IF NOT EXISTS told (what BLOB PRIMARY KEY) WITHOUT ROWID;
";

/// A file stamped this near to the time of the measurement may have changed after it without showing: FAT keeps two seconds.
const CLOCK_RESOLUTION: i64 = 2_000_000_000;

/// Both databases, open.
pub struct State {
    journal: Database,
    cache: Database,
}

/// An open database.
struct Database {
    connection: Connection,
    path: PathBuf,
    /// What it is, for messages.
    what: &'static str,
}

/// What is remembered of the files of one folder: one row, since a folder's files seldom change one by one.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Memory {
    /// A digest over the names and stamps of all its files: equal means that none has changed.
    pub signature: Blake3,
    /// When the one that was measured first was, in nanoseconds since 1970.
    pub measured: i64,
    /// One digest for all of it.
    pub digest: Blake3,
    /// The digests of its files, 32 bytes each, in the order of their names.
    pub digests: Vec<u8>,
}

/// What is remembered of one file, for when others of its folder have changed.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Remembered {
    /// Its path inside the install.
    pub path: String,
    /// Its stamp when it was measured.
    pub stamp: FileFingerprint,
    /// When it was measured, in nanoseconds since 1970.
    pub measured: i64,
    /// Its digest.
    pub blake3: [u8; 32],
}

impl Memory {
    /// Whether a folder with this signature, whose newest stamp is that, must still have those bytes.
    pub fn vouches_for(&self, signature: Blake3, newest: i64) -> bool {
        self.signature == signature && is_settled(newest, self.measured)
    }
}

impl Remembered {
    /// Whether a file with this stamp must still have those bytes.
    pub fn vouches_for(&self, stamp: FileFingerprint) -> bool {
        self.stamp == stamp && is_settled(stamp.newest(), self.measured)
    }
}

const fn is_settled(newest: i64, measured: i64) -> bool {
    newest < measured.saturating_sub(CLOCK_RESOLUTION)
}

/// How far an alignment came.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum AlignmentState {
    /// It was begun and never ended: it was interrupted.
    Running,
    /// It was carried out.
    Done,
    /// Taking it back was begun and never ended.
    Undoing,
    /// It was taken back.
    Undone,
}

impl AlignmentState {
    /// The word for it.
    pub const fn as_str(self) -> &'static str {
        match self {
            Self::Running => "running",
            Self::Done => "done",
            Self::Undoing => "undoing",
            Self::Undone => "undone",
        }
    }

    fn of_word(word: &str) -> Option<Self> {
        [Self::Running, Self::Done, Self::Undoing, Self::Undone].into_iter().find(|state| state.as_str() == word)
    }

    /// Whether it was begun and never ended, one way or the other.
    pub const fn is_open(self) -> bool {
        matches!(self, Self::Running | Self::Undoing)
    }
}

/// An alignment as the journal knows it.
#[derive(Debug, Clone)]
pub struct Alignment {
    /// Its number.
    pub id: i64,
    /// The install's name.
    pub install: String,
    /// When it began, in seconds since 1970.
    pub began: i64,
    /// The install as messages and the journal call it: its folder or its address.
    pub root: String,
    /// How far it came.
    pub state: AlignmentState,
    /// Whether its backup is gone by the administrator's rule.
    pub pruned: bool,
    /// Its steps.
    pub steps: Vec<kanon_core::plan::Step>,
    /// How many steps were done.
    pub steps_done: u32,
}

/// Whether a signature was made over a payload with a key: a matter of their digests, and so true for good.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Checked {
    /// The scheme's word.
    pub scheme: &'static str,
    /// The key.
    pub key: Blake3,
    /// The signature.
    pub signature: Blake3,
    /// The payload.
    pub payload: Blake3,
    /// Whether it fits.
    pub fits: bool,
}

/// A base archive that was rebuilt.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Base {
    /// The digest of the archive as the game brought it.
    pub original: Blake3,
    /// What it was rebuilt from.
    pub recipe: Blake3,
    /// The digest of what came of it.
    pub built: Blake3,
}

/// A rehearsal that was passed.
#[derive(Debug, Clone, PartialEq)]
pub struct Rehearsed {
    /// The install that was started.
    pub install: String,
    /// When, in seconds since 1970.
    pub at: i64,
    /// So many seconds it took to be up.
    pub seconds: f64,
    /// So many bytes of memory it used at most.
    pub memory: u64,
}

/// What a host says of a file that an alignment put there.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct After {
    /// From the root of the install.
    pub path: String,
    /// Its size in bytes.
    pub size: u64,
    /// When its bytes changed, in nanoseconds since 1970.
    pub modified: i64,
    /// Its digest.
    pub blake3: Blake3,
}

/// What a path was before an alignment touched it.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(tag = "was", rename_all = "kebab-case")]
pub enum Before {
    /// Nothing.
    Absent,
    /// A file, of which a copy is in the backup.
    File {
        /// The copy's name in the backup.
        copy: String,
        /// Its digest.
        blake3: Blake3,
        /// Its size in bytes, where the journal is new enough to say.
        #[serde(default)]
        size: Option<u64>,
        /// When its bytes changed, in nanoseconds since 1970, where the system tells.
        #[serde(default, deserialize_with = "known_time")]
        modified: Option<i64>,
        /// Its permission bits, where the system has them.
        mode: Option<u32>,
    },
    /// A folder.
    Folder {
        /// When its entries changed, in nanoseconds since 1970, where the system tells.
        modified: Option<i64>,
        /// Its permission bits, where the system has them.
        mode: Option<u32>,
    },
}

impl Database {
    fn open(path: &Path, what: &'static str) -> Result<Self, ReachError> {
        let failed = |source| ReachError::State { what, path: path.to_owned(), source };
        let database = Self { connection: Connection::open(path).map_err(failed)?, path: path.to_owned(), what };
        database.prepared()
    }

    fn in_memory(what: &'static str) -> Result<Self, ReachError> {
        let path = PathBuf::from(":memory:");
        let connection =
            Connection::open_in_memory().map_err(|source| ReachError::State { what, path: path.clone(), source })?;
        Self { connection, path, what }.prepared()
    }

    fn prepared(self) -> Result<Self, ReachError> {
        self.run(|connection| {
            connection.busy_timeout(Duration::from_secs(10))?;
            connection.pragma_update(None, "journal_mode", "WAL")?;
            connection.pragma_update(None, "synchronous", "FULL")
        })?;
        Ok(self)
    }

    fn version(&self) -> Result<i64, ReachError> {
        self.run(|connection| connection.query_row("PRAGMA user_version", [], |row| row.get(0)))
    }

    fn run<T>(&self, work: impl FnOnce(&Connection) -> rusqlite::Result<T>) -> Result<T, ReachError> {
        work(&self.connection).map_err(|source| self.failed(source))
    }

    fn failed(&self, source: rusqlite::Error) -> ReachError {
        ReachError::State { what: self.what, path: self.path.clone(), source }
    }

    fn transact<T>(&mut self, work: impl FnOnce(&Connection) -> rusqlite::Result<T>) -> Result<T, ReachError> {
        let (what, path) = (self.what, self.path.clone());
        let failed = |source| ReachError::State { what, path: path.clone(), source };
        // What reads first and writes then must not find that another wrote between.
        let transaction = self.connection.transaction_with_behavior(TransactionBehavior::Immediate).map_err(failed)?;
        let done = work(&transaction).and_then(|value| transaction.commit().map(|()| value));
        done.map_err(failed)
    }

    /// Brings the journal to the newest version, step by step, each whole or not at all.
    fn migrated(mut self, old: Option<&Path>) -> Result<Self, ReachError> {
        let newest = JOURNAL.len();
        loop {
            let version = usize::try_from(self.version()?).unwrap_or(usize::MAX);
            if version > newest {
                let reason = "a newer Kanon wrote it; use that one".to_owned();
                return Err(ReachError::Unusable { path: self.path, reason });
            }
            let Some(step) = JOURNAL.get(version) else { return Ok(self) };
            let from = old.filter(|old| version == 0 && old.is_file()).map(|old| old.display().to_string());
            if let Some(from) = &from {
                self.run(|connection| connection.execute("ATTACH ?1 AS old", [from]).map(drop))?;
            }
            self.transact(|connection| {
                // Another that opened it at the same time may have done it meanwhile.
                let now: i64 = connection.query_row("PRAGMA user_version", [], |row| row.get(0))?;
                if usize::try_from(now) != Ok(version) {
                    return Ok(());
                }
                connection.execute_batch(step)?;
                if from.is_some() {
                    take_over(connection)?;
                }
                connection.pragma_update(None, "user_version", now + 1)
            })?;
            if from.is_some() {
                self.run(|connection| connection.execute_batch("DETACH old"))?;
            }
        }
    }
}

/// Takes the journal's tables over from the one database there was once.
fn take_over(connection: &Connection) -> rusqlite::Result<()> {
    for table in JOURNALLED {
        let found: i64 = connection.query_row(
            "SELECT count(*) FROM old.sqlite_master WHERE type = 'table' AND name = ?1",
            [table],
            |row| row.get(0),
        )?;
        if found > 0 {
            connection.execute_batch(&format!("INSERT INTO main.{table} SELECT * FROM old.{table};"))?;
        }
    }
    Ok(())
}

/// Opens the cache; one that is damaged or of another version is thrown away.
fn open_cache(path: &Path) -> Result<Database, ReachError> {
    let open = || {
        let cache = Database::open(path, "the cache")?;
        let version = cache.version()?;
        let is_new = cache.run(|connection| {
            connection.query_row("SELECT count(*) = 0 FROM sqlite_master", [], |row| row.get::<_, bool>(0))
        })?;
        if !is_new && version != CACHE_VERSION {
            return Ok(None);
        }
        cache.run(|connection| {
            connection.execute_batch(CACHE)?;
            connection.pragma_update(None, "user_version", CACHE_VERSION)
        })?;
        Ok(Some(cache))
    };
    match open() {
        Ok(Some(cache)) => return Ok(cache),
        Err(error) if !is_damaged(&error) => return Err(error),
        Ok(None) | Err(_) => {}
    }
    for end in ["", "-wal", "-shm"] {
        let file = path.with_file_name(format!("{}{end}", CACHE_FILE));
        if file.exists() {
            std::fs::remove_file(&file).during("throw away", &file)?;
        }
    }
    open()?.ok_or_else(|| ReachError::Unusable { path: path.to_owned(), reason: "it can't be made anew".to_owned() })
}

fn is_damaged(error: &ReachError) -> bool {
    use rusqlite::ErrorCode::{DatabaseCorrupt, NotADatabase};
    let ReachError::State { source: rusqlite::Error::SqliteFailure(failure, _), .. } = error else { return false };
    matches!(failure.code, DatabaseCorrupt | NotADatabase)
}

/// The files in Kanon's own folder of a workspace.
const JOURNAL_FILE: &str = "journal.db";
const CACHE_FILE: &str = "cache.db";
/// What both were once.
const OLD_FILE: &str = "state.db";

impl State {
    /// Opens both databases in Kanon's own folder of a workspace, making them if needed.
    ///
    /// # Errors
    /// When the folder can't be written, or the journal is damaged or of a newer program.
    pub fn open(own: &Path) -> Result<Self, ReachError> {
        std::fs::create_dir_all(own).during("make the folder", own)?;
        let old = own.join(OLD_FILE);
        let journal = Database::open(&own.join(JOURNAL_FILE), "the journal")?.migrated(Some(&old))?;
        for end in ["", "-wal", "-shm"] {
            let file = own.join(format!("{OLD_FILE}{end}"));
            if file.exists() {
                // Its journal is taken over by now, and the rest of it is measured again.
                std::fs::remove_file(&file).during("clear away", &file)?;
            }
        }
        Ok(Self { journal, cache: open_cache(&own.join(CACHE_FILE))? })
    }

    /// Databases that are forgotten at the end: for work without a workspace.
    ///
    /// # Errors
    /// When SQLite can't be used at all.
    pub fn in_memory() -> Result<Self, ReachError> {
        let cache = Database::in_memory("the cache")?;
        cache.run(|connection| connection.execute_batch(CACHE))?;
        Ok(Self { journal: Database::in_memory("the journal")?.migrated(None)?, cache })
    }

    /// Keeps what was only in memory until now; nothing to do for databases that are on the disk.
    ///
    /// # Errors
    /// When it can't be written.
    pub fn settle(&mut self, own: &Path) -> Result<(), ReachError> {
        if self.cache.path.as_os_str() != ":memory:" {
            return Ok(());
        }
        std::fs::create_dir_all(own).during("make the folder", own)?;
        let cache = own.join(CACHE_FILE);
        if !cache.exists() {
            self.cache.run(|connection| {
                connection.pragma_update(None, "user_version", CACHE_VERSION)?;
                connection.execute("VACUUM INTO ?1", [cache.display().to_string()]).map(drop)
            })?;
        }
        *self = Self::open(own)?;
        Ok(())
    }

    /// What is remembered of the folders under a root, without their single files.
    ///
    /// # Errors
    /// When the database can't be read.
    pub fn memories(&self, root: &str) -> Result<HashMap<String, Memory>, ReachError> {
        self.cache.run(|connection| {
            let mut statement = connection
                .prepare("SELECT folder, signature, measured, digest, digests FROM memory WHERE root = ?1")?;
            let rows = statement.query_map([root], |row| {
                let signature = Blake3::from_bytes(row.get(1)?);
                let digest = Blake3::from_bytes(row.get(3)?);
                Ok((row.get(0)?, Memory { signature, measured: row.get(2)?, digest, digests: row.get(4)? }))
            })?;
            rows.collect()
        })
    }

    /// What is remembered of the single files of a folder. A record that can't be understood is none.
    ///
    /// # Errors
    /// When the database can't be read.
    pub fn remembered_files(&self, root: &str, folder: &str) -> Result<Vec<Remembered>, ReachError> {
        let record: Option<Vec<u8>> = self.cache.run(|connection| {
            let mut statement =
                connection.prepare_cached("SELECT files FROM memory WHERE root = ?1 AND folder = ?2")?;
            statement.query_row([root, folder], |row| row.get(0)).optional()
        })?;
        Ok(record.and_then(|record| postcard::from_bytes(&record).ok()).unwrap_or_default())
    }

    /// Remembers folders under a root, and forgets those that are gone.
    ///
    /// # Errors
    /// When the database can't be written.
    pub fn remember(
        &mut self,
        root: &str,
        new: &[(String, Memory, Vec<Remembered>)],
        gone: &[&str],
    ) -> Result<(), ReachError> {
        if new.is_empty() && gone.is_empty() {
            return Ok(());
        }
        self.cache.transact(|connection| {
            let mut insert = connection.prepare("INSERT OR REPLACE INTO memory VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7)")?;
            for (folder, memory, files) in new {
                let Memory { signature, measured, digest, digests } = memory;
                let files = postcard::to_stdvec(files)
                    .map_err(|error| rusqlite::Error::ToSqlConversionFailure(Box::new(error)))?;
                insert.execute(params![
                    root,
                    folder,
                    signature.as_bytes(),
                    measured,
                    digest.as_bytes(),
                    digests,
                    files
                ])?;
            }
            let mut delete = connection.prepare("DELETE FROM memory WHERE root = ?1 AND folder = ?2")?;
            gone.iter().try_for_each(|folder| delete.execute(params![root, folder]).map(drop))
        })
    }

    /// What was read from a mod, by a key over all that it depends on.
    ///
    /// # Errors
    /// When the database can't be read.
    pub fn manifest(&self, key: &Blake3) -> Result<Option<String>, ReachError> {
        self.cache.run(|connection| {
            let mut statement = connection.prepare_cached("SELECT json FROM reading WHERE key = ?1")?;
            statement.query_row([key.as_bytes()], |row| row.get(0)).optional()
        })
    }

    /// Remembers what was read from mods.
    ///
    /// # Errors
    /// When the database can't be written.
    pub fn remember_readings(&mut self, readings: &[(Blake3, String)]) -> Result<(), ReachError> {
        if readings.is_empty() {
            return Ok(());
        }
        self.cache.transact(|connection| {
            let mut insert = connection.prepare_cached("INSERT OR REPLACE INTO reading VALUES (?1, ?2)")?;
            readings.iter().try_for_each(|(key, json)| insert.execute(params![key.as_bytes(), json]).map(drop))
        })
    }

    /// The small files of an install on a host that were read before.
    ///
    /// # Errors
    /// When the database can't be read.
    pub fn documents(&self, root: &str) -> Result<Vec<KeptDocument>, ReachError> {
        self.cache.run(|connection| {
            let mut statement = connection.prepare("SELECT path, stamp, bytes FROM document WHERE root = ?1")?;
            let rows = statement.query_map([root], |row| {
                Ok((row.get::<_, String>(0)?, row.get::<_, Vec<u8>>(1)?, row.get::<_, Vec<u8>>(2)?))
            })?;
            let kept = rows.map(|row| {
                let (path, stamp, bytes) = row?;
                Ok(postcard::from_bytes(&stamp).ok().map(|stamp| KeptDocument { path, stamp, bytes }))
            });
            kept.filter_map(Result::transpose).collect()
        })
    }

    /// Remembers small files of an install on a host.
    ///
    /// # Errors
    /// When the database can't be written.
    pub fn remember_documents(&mut self, root: &str, documents: &[KeptDocument]) -> Result<(), ReachError> {
        if documents.is_empty() {
            return Ok(());
        }
        self.cache.transact(|connection| {
            let mut insert = connection.prepare_cached("INSERT OR REPLACE INTO document VALUES (?1, ?2, ?3, ?4)")?;
            documents.iter().try_for_each(|kept| {
                let stamp = postcard::to_stdvec(&kept.stamp)
                    .map_err(|error| rusqlite::Error::ToSqlConversionFailure(Box::new(error)))?;
                insert.execute(params![root, kept.path, stamp, kept.bytes]).map(drop)
            })
        })
    }

    /// Forgets small files of an install on a host.
    ///
    /// # Errors
    /// When the database can't be written.
    pub fn forget_documents(&mut self, root: &str, paths: &[String]) -> Result<(), ReachError> {
        if paths.is_empty() {
            return Ok(());
        }
        self.cache.transact(|connection| {
            let mut delete = connection.prepare_cached("DELETE FROM document WHERE root = ?1 AND path = ?2")?;
            paths.iter().try_for_each(|path| delete.execute(params![root, path]).map(drop))
        })
    }

    /// What is known of a base archive that was rebuilt.
    ///
    /// # Errors
    /// When the database can't be read.
    pub fn base(&self, root: &str, path: &str) -> Result<Option<Base>, ReachError> {
        self.journal.run(|connection| {
            let mut statement =
                connection.prepare("SELECT original, recipe, built FROM base WHERE root = ?1 AND path = ?2")?;
            let digest = |row: &rusqlite::Row<'_>, at| Ok::<_, rusqlite::Error>(Blake3::from_bytes(row.get(at)?));
            statement
                .query_row([root, path], |row| {
                    Ok(Base { original: digest(row, 0)?, recipe: digest(row, 1)?, built: digest(row, 2)? })
                })
                .optional()
        })
    }

    /// Remembers a base archive that was rebuilt.
    ///
    /// # Errors
    /// When the database can't be written.
    pub fn remember_base(&self, root: &str, path: &str, base: &Base) -> Result<(), ReachError> {
        self.journal.run(|connection| {
            let Base { original, recipe, built } = base;
            let values = params![root, path, original.as_bytes(), recipe.as_bytes(), built.as_bytes()];
            connection.execute("INSERT OR REPLACE INTO base VALUES (?1, ?2, ?3, ?4, ?5)", values).map(drop)
        })
    }

    /// Whether a signature is known to fit, or not to.
    ///
    /// # Errors
    /// When the database can't be read.
    pub fn checked(&self, checked: &Checked) -> Result<Option<bool>, ReachError> {
        self.cache.run(|connection| {
            let Checked { scheme, key, signature, payload, .. } = checked;
            let mut select = connection.prepare_cached(
                "SELECT fits FROM checked WHERE signature = ?1 AND payload = ?2 AND key = ?3 AND scheme = ?4",
            )?;
            let values = params![signature.as_bytes(), payload.as_bytes(), key.as_bytes(), scheme];
            select.query_row(values, |row| row.get(0)).optional()
        })
    }

    /// Remembers which signatures fit.
    ///
    /// # Errors
    /// When the database can't be written.
    pub fn remember_checked(&mut self, checked: &[Checked]) -> Result<(), ReachError> {
        if checked.is_empty() {
            return Ok(());
        }
        self.cache.transact(|connection| {
            let mut insert = connection.prepare_cached("INSERT OR REPLACE INTO checked VALUES (?1, ?2, ?3, ?4, ?5)")?;
            checked.iter().try_for_each(|Checked { scheme, key, signature, payload, fits }| {
                let values = params![scheme, key.as_bytes(), signature.as_bytes(), payload.as_bytes(), fits];
                insert.execute(values).map(drop)
            })
        })
    }

    /// Other bytes than these that a signature was made over, if any were seen.
    ///
    /// # Errors
    /// When the database can't be read.
    pub fn made_over(&self, signature: Blake3, but: Blake3) -> Result<Option<Blake3>, ReachError> {
        self.cache.run(|connection| {
            let mut select = connection.prepare_cached(
                "SELECT payload FROM checked WHERE signature = ?1 AND payload <> ?2 AND fits LIMIT 1",
            )?;
            let found = select.query_row(params![signature.as_bytes(), but.as_bytes()], |row| row.get::<_, Vec<u8>>(0));
            Ok(found.optional()?.and_then(|bytes| <[u8; 32]>::try_from(bytes).ok()).map(Blake3::from_bytes))
        })
    }

    /// Remembers that a canon passed its rehearsal.
    ///
    /// # Errors
    /// When the database can't be written.
    pub fn record_rehearsal(&self, canon: Blake3, passed: &Rehearsed) -> Result<(), ReachError> {
        self.journal.run(|connection| {
            let values =
                params![canon.as_bytes(), passed.install, passed.at, passed.seconds, passed.memory.cast_signed()];
            connection.execute("INSERT OR REPLACE INTO rehearsal VALUES (?1, ?2, ?3, ?4, ?5)", values).map(drop)
        })
    }

    /// The last rehearsal that a canon passed, if it passed any.
    ///
    /// # Errors
    /// When the database can't be read.
    pub fn rehearsal(&self, canon: Blake3) -> Result<Option<Rehearsed>, ReachError> {
        self.journal.run(|connection| {
            let mut select = connection.prepare(
                "SELECT install, at, seconds, memory FROM rehearsal WHERE canon = ?1 ORDER BY at DESC LIMIT 1",
            )?;
            let found = select.query_row(params![canon.as_bytes()], |row| {
                let memory: i64 = row.get(3)?;
                Ok(Rehearsed {
                    install: row.get(0)?,
                    at: row.get(1)?,
                    seconds: row.get(2)?,
                    memory: memory.cast_unsigned(),
                })
            });
            found.optional()
        })
    }

    /// The rehearsals that canons passed, oldest first, each with the digest of its canon.
    ///
    /// # Errors
    /// When the database can't be read.
    pub fn rehearsals(&self) -> Result<Vec<(Blake3, Rehearsed)>, ReachError> {
        self.journal.run(|connection| {
            let mut select =
                connection.prepare("SELECT canon, install, at, seconds, memory FROM rehearsal ORDER BY at, install")?;
            let rows = select.query_map([], |row| {
                let (canon, memory): (Vec<u8>, i64) = (row.get(0)?, row.get(4)?);
                let (install, at, seconds) = (row.get(1)?, row.get(2)?, row.get(3)?);
                Ok((canon, Rehearsed { install, at, seconds, memory: memory.cast_unsigned() }))
            })?;
            let known = rows.map(|row| {
                row.map(|(canon, passed)| {
                    let digest = <[u8; 32]>::try_from(canon).ok().map(Blake3::from_bytes);
                    digest.map(|digest| (digest, passed))
                })
            });
            known.filter_map(Result::transpose).collect()
        })
    }

    /// Journals an alignment before its first step. Its number is greater than `floor`: backups of a journal that is gone keep
    /// theirs.
    ///
    /// # Errors
    /// When the database can't be written.
    pub fn begin(
        &mut self,
        (install, root): (&str, &str),
        began: i64,
        steps: &str,
        floor: i64,
    ) -> Result<i64, ReachError> {
        self.journal.transact(|connection| {
            let next: i64 = connection.query_row(
                "SELECT max(ifnull((SELECT seq FROM sqlite_sequence WHERE name = 'alignment'), 0), ?1) + 1",
                [floor],
                |row| row.get(0),
            )?;
            connection.execute(
                "INSERT INTO alignment (id, install, root, began, state, steps) VALUES (?1, ?2, ?3, ?4, 'running', ?5)",
                params![next, install, root, began, steps],
            )?;
            Ok(next)
        })
    }

    /// Takes an alignment into the journal as the manifest of its backup tells of it, where the journal does not know it.
    ///
    /// # Errors
    /// When the database can't be written.
    pub fn restore(&mut self, alignment: &Alignment, before: &[(String, Before)]) -> Result<(), ReachError> {
        let steps = serde_json::to_string(&alignment.steps).unwrap_or_default();
        self.journal.transact(|connection| {
            let Alignment { id, install, root, began, state, .. } = alignment;
            connection.execute(
                "INSERT INTO alignment (id, install, root, began, state, steps) VALUES (?1, ?2, ?3, ?4, ?5, ?6)",
                params![id, install, root, began, state.as_str(), steps],
            )?;
            insert_before(connection, *id, before)
        })
    }

    /// Journals that the backup of an alignment is gone.
    ///
    /// # Errors
    /// When the database can't be written.
    pub fn prune(&self, alignment: i64) -> Result<(), ReachError> {
        self.journal.run(|connection| {
            connection.execute("UPDATE alignment SET pruned = 1 WHERE id = ?1", [alignment]).map(drop)
        })
    }

    /// Whether somebody hears this for the first time; from now on it is known.
    ///
    /// # Errors
    /// When the cache can't be written.
    pub fn is_news(&self, what: &str) -> Result<bool, ReachError> {
        let digest = Blake3::of(what.as_bytes());
        self.cache.run(|connection| {
            let mut insert = connection.prepare_cached("INSERT OR IGNORE INTO told VALUES (?1)")?;
            insert.execute(params![digest.as_bytes()]).map(|added| added > 0)
        })
    }

    /// Keeps what can't be found out again, in place of what was kept of it before.
    ///
    /// # Errors
    /// When the database can't be written.
    pub fn keep(&self, what: &str, found: &impl Serialize) -> Result<(), ReachError> {
        let json = serde_json::to_string(found).unwrap_or_default();
        self.journal.run(|connection| {
            let mut insert = connection.prepare_cached("INSERT OR REPLACE INTO kept VALUES (?1, ?2)")?;
            insert.execute(params![what, json]).map(drop)
        })
    }

    /// What was kept; nothing where nothing was, or it can't be read any more.
    ///
    /// # Errors
    /// When the database can't be read.
    pub fn kept<T: serde::de::DeserializeOwned>(&self, what: &str) -> Result<Option<T>, ReachError> {
        let json: Option<String> = self.journal.run(|connection| {
            let mut select = connection.prepare_cached("SELECT json FROM kept WHERE what = ?1")?;
            select.query_row([what], |row| row.get(0)).optional()
        })?;
        Ok(json.and_then(|json| serde_json::from_str(&json).ok()))
    }

    /// Why the bytes of a digest are no whole mod, an empty text where they are one; nothing where nobody has looked yet.
    ///
    /// # Errors
    /// When the database can't be read.
    pub fn whole(&self, digest: Blake3) -> Result<Option<String>, ReachError> {
        self.cache.run(|connection| {
            let mut select = connection.prepare_cached("SELECT why FROM whole WHERE digest = ?1")?;
            select.query_row([digest.as_bytes()], |row| row.get(0)).optional()
        })
    }

    /// Remembers whether the bytes of a digest are a whole mod.
    ///
    /// # Errors
    /// When the database can't be written.
    pub fn remember_whole(&self, digest: Blake3, why: &str) -> Result<(), ReachError> {
        self.cache.run(|connection| {
            let mut insert = connection.prepare_cached("INSERT OR REPLACE INTO whole VALUES (?1, ?2)")?;
            insert.execute(params![digest.as_bytes(), why]).map(drop)
        })
    }

    /// Journals what paths were before an alignment touches them.
    ///
    /// # Errors
    /// When the database can't be written.
    pub fn record_before(&mut self, alignment: i64, before: &[(String, Before)]) -> Result<(), ReachError> {
        self.journal.transact(|connection| insert_before(connection, alignment, before))
    }

    /// What paths were before an alignment.
    ///
    /// # Errors
    /// When the database can't be read.
    pub fn before(&self, alignment: i64) -> Result<Vec<(String, Before)>, ReachError> {
        self.journal.run(|connection| {
            let mut statement =
                connection.prepare("SELECT path, json FROM before WHERE alignment = ?1 ORDER BY path")?;
            let rows =
                statement.query_map([alignment], |row| Ok((row.get::<_, String>(0)?, row.get::<_, String>(1)?)))?;
            rows.map(|row| row.and_then(|(path, json)| Ok((path, from_json(&json)?)))).collect()
        })
    }

    /// Journals what a host says of the files that an alignment put there.
    ///
    /// # Errors
    /// When the database can't be written.
    pub fn record_after(&mut self, alignment: i64, after: &[After]) -> Result<(), ReachError> {
        self.journal.transact(|connection| {
            let mut insert = connection.prepare_cached("INSERT OR REPLACE INTO after VALUES (?1, ?2, ?3, ?4, ?5)")?;
            after.iter().try_for_each(|file| {
                let size = file.size.cast_signed();
                insert.execute(params![alignment, file.path, size, file.modified, file.blake3.as_bytes()]).map(drop)
            })
        })
    }

    /// What a host said of the files that an alignment put there.
    ///
    /// # Errors
    /// When the database can't be read.
    pub fn after(&self, alignment: i64) -> Result<Vec<After>, ReachError> {
        self.journal.run(|connection| {
            let mut statement =
                connection.prepare("SELECT path, size, modified, blake3 FROM after WHERE alignment = ?1")?;
            let rows = statement.query_map([alignment], |row| {
                let size: i64 = row.get(1)?;
                let blake3 = Blake3::from_bytes(row.get(3)?);
                Ok(After { path: row.get(0)?, size: size.cast_unsigned(), modified: row.get(2)?, blake3 })
            })?;
            rows.collect()
        })
    }

    /// Journals that a step is done. It may be lost in a power cut: what is there tells as well.
    ///
    /// # Errors
    /// When the database can't be written.
    pub fn step_done(&self, alignment: i64, step: u32) -> Result<(), ReachError> {
        self.journal.run(|connection| {
            connection.pragma_update(None, "synchronous", "NORMAL")?;
            let mut insert = connection.prepare_cached("INSERT OR REPLACE INTO step_done VALUES (?1, ?2)")?;
            let done = insert.execute(params![alignment, step]).map(drop);
            connection.pragma_update(None, "synchronous", "FULL")?;
            done
        })
    }

    /// Journals how an alignment ended.
    ///
    /// # Errors
    /// When the database can't be written.
    pub fn end(&self, alignment: i64, state: AlignmentState) -> Result<(), ReachError> {
        self.journal.run(|connection| {
            connection
                .execute("UPDATE alignment SET state = ?2 WHERE id = ?1", params![alignment, state.as_str()])
                .map(drop)
        })
    }

    /// All alignments of an install's folder, or of all, newest first.
    ///
    /// # Errors
    /// When the database can't be read.
    pub fn alignments(&self, root: Option<&str>) -> Result<Vec<Alignment>, ReachError> {
        self.journal.run(|connection| {
            let mut statement = connection.prepare(
                "SELECT id, install, began, state, steps, (SELECT count(*) FROM step_done WHERE alignment = id), root, pruned
                 FROM alignment WHERE ?1 IS NULL OR root = ?1 ORDER BY id DESC",
            )?;
            let rows = statement.query_map([root], |row| {
                Ok(Alignment {
                    id: row.get(0)?,
                    install: row.get(1)?,
                    began: row.get(2)?,
                    state: state_of(&row.get::<_, String>(3)?)?,
                    steps: from_json(&row.get::<_, String>(4)?)?,
                    steps_done: row.get(5)?,
                    root: row.get(6)?,
                    pruned: row.get(7)?,
                })
            })?;
            rows.collect()
        })
    }
}

fn insert_before(connection: &Connection, alignment: i64, before: &[(String, Before)]) -> rusqlite::Result<()> {
    let mut insert = connection.prepare_cached("INSERT OR REPLACE INTO before VALUES (?1, ?2, ?3)")?;
    before.iter().try_for_each(|(path, was)| {
        let json =
            serde_json::to_string(was).map_err(|error| rusqlite::Error::ToSqlConversionFailure(Box::new(error)))?;
        insert.execute(params![alignment, path, json]).map(drop)
    })
}

/// Older programs wrote the smallest number where no time was known.
fn known_time<'de, D: serde::Deserializer<'de>>(deserializer: D) -> Result<Option<i64>, D::Error> {
    Ok(Option::<i64>::deserialize(deserializer)?.filter(|time| *time != i64::MIN))
}

/// A word that nobody knows is no state: taking it for any would do the wrong thing to an install.
fn state_of(word: &str) -> rusqlite::Result<AlignmentState> {
    AlignmentState::of_word(word).ok_or_else(|| {
        let error = format!("`{}` is no state of an alignment", kanon_core::base::path::printable(word));
        rusqlite::Error::FromSqlConversionFailure(3, rusqlite::types::Type::Text, error.into())
    })
}

fn from_json<T: serde::de::DeserializeOwned>(json: &str) -> rusqlite::Result<T> {
    serde_json::from_str(json)
        .map_err(|error| rusqlite::Error::FromSqlConversionFailure(0, rusqlite::types::Type::Text, Box::new(error)))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_memory_vouches_only_for_the_same_and_settled_file() {
        let stamp = FileFingerprint { size: 1, modified: Some(10_000_000_000), changed: 10_000_000_000, inode: 7 };
        let known = Remembered { path: String::new(), stamp, measured: 13_000_000_000, blake3: [0; 32] };
        assert!(known.vouches_for(stamp));
        assert!(!known.vouches_for(FileFingerprint { size: 2, ..stamp }));
        assert!(!known.vouches_for(FileFingerprint { inode: 8, ..stamp }));
        let at_once = Remembered { measured: 11_000_000_000, ..known };
        assert!(!at_once.vouches_for(stamp), "it may have changed in the same tick");
    }

    #[test]
    fn folders_and_alignments_are_remembered() {
        let temp = tempfile::tempdir().expect("a folder");
        let own = temp.path().join("sub/.kanon");
        let digest = Blake3::of(b"x");
        let memory = Memory { signature: digest, measured: -5, digest, digests: digest.as_bytes().to_vec() };
        let stamp = FileFingerprint { size: 1, modified: Some(-2), changed: 3, inode: u64::MAX };
        let file = Remembered { path: "mods/a".to_owned(), stamp, measured: 5, blake3: *digest.as_bytes() };
        let mut state = State::open(&own).expect("open");
        state.remember("/r", &[("mods".to_owned(), memory.clone(), vec![file.clone()])], &[]).expect("written");
        let id = state.begin(("mara", "/r"), 9, "[]", 0).expect("written");
        state.record_before(id, &[("mods/a".to_owned(), Before::Absent)]).expect("written");
        drop(state);
        let mut state = State::open(&own).expect("open again");
        assert_eq!(state.memories("/r").expect("read")["mods"], memory);
        assert_eq!(state.remembered_files("/r", "mods").expect("read"), [file]);
        assert_eq!(state.before(id).expect("read"), [("mods/a".to_owned(), Before::Absent)]);
        assert_eq!(state.alignments(Some("/r")).expect("read")[0].state, AlignmentState::Running);
        state.end(id, AlignmentState::Done).expect("written");
        assert_eq!(state.alignments(None).expect("read")[0].state, AlignmentState::Done);
        state.remember("/r", &[], &["mods"]).expect("written");
        assert!(state.memories("/r").expect("read").is_empty());
        assert_eq!(state.begin(("mara", "/r"), 9, "[]", 41).expect("written"), 42, "backups keep their numbers");
    }

    #[test]
    fn a_damaged_cache_is_made_anew_and_a_damaged_journal_is_told() {
        let temp = tempfile::tempdir().expect("a folder");
        let own = temp.path();
        let id = State::open(own).and_then(|mut state| state.begin(("mara", "/r"), 9, "[]", 0)).expect("written");
        std::fs::write(own.join(CACHE_FILE), "this is no database at all, not even nearly").expect("written");
        let state = State::open(own).expect("made anew");
        assert_eq!(state.alignments(None).expect("read")[0].id, id);
        drop(state);
        std::fs::write(own.join(JOURNAL_FILE), "this is no database at all, not even nearly").expect("written");
        assert!(State::open(own).is_err());
        assert!(own.join(JOURNAL_FILE).is_file(), "it is nobody's to throw away");
    }

    #[test]
    fn the_journal_of_an_older_program_is_taken_over_and_that_of_a_newer_one_is_left_alone() {
        let temp = tempfile::tempdir().expect("a folder");
        let own = temp.path();
        let old = Connection::open(own.join(OLD_FILE)).expect("made");
        old.execute_batch(JOURNAL[0]).expect("the tables of old");
        old.execute_batch(
            "INSERT INTO alignment VALUES (7, 'mara', '/r', 9, 'pruned', '[]'), (8, 'mara', '/r', 10, 'running', '[]')",
        )
        .expect("written");
        drop(old);
        let mut state = State::open(own).expect("taken over");
        let told: Vec<_> = state.alignments(None).expect("read").iter().map(|a| (a.id, a.state, a.pruned)).collect();
        assert_eq!(told, [(8, AlignmentState::Running, false), (7, AlignmentState::Done, true)]);
        assert_eq!(state.begin(("mara", "/r"), 11, "[]", 0).expect("written"), 9);
        assert!(!own.join(OLD_FILE).exists());
        state.journal.run(|connection| connection.pragma_update(None, "user_version", 99)).expect("written");
        drop(state);
        assert!(matches!(State::open(own), Err(ReachError::Unusable { .. })));
    }

    #[test]
    fn what_was_in_memory_can_be_kept() {
        let temp = tempfile::tempdir().expect("a folder");
        let own = temp.path().join("own");
        let mut state = State::in_memory().expect("open");
        state.remember_whole(Blake3::of(b"x"), "torn").expect("written");
        state.settle(&own).expect("kept");
        drop(state);
        assert_eq!(
            State::open(&own).and_then(|state| state.whole(Blake3::of(b"x"))).expect("read").as_deref(),
            Some("torn")
        );
    }
}
