//! An open database: its tables, its version, and what is done where it is damaged or of another version.

use std::path::{Path, PathBuf};
use std::time::Duration;

use rusqlite::{Connection, TransactionBehavior};

use crate::error::{During, ReachError, ReadFault};

/// The files in Kanon's own folder of a workspace.
pub(super) const JOURNAL_FILE: &str = "journal.db";
pub(super) const CACHE_FILE: &str = "cache.db";

/// The journal's migrations, oldest first: each brings it from the version of its place to the next. None is ever changed.
pub(super) const JOURNAL: [&str; 3] = [
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
pub(super) const CACHE_VERSION: i64 = 1;
pub(super) const CACHE: &str = "
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

/// An open database.
pub(super) struct Database {
    connection: Connection,
    pub(super) path: PathBuf,
    /// What it is, for messages.
    what: &'static str,
}

impl Database {
    pub(super) fn open(path: &Path, what: &'static str) -> Result<Self, ReachError> {
        let failed = |source| ReachError::State { what, path: path.to_owned(), source };
        let database = Self { connection: Connection::open(path).map_err(failed)?, path: path.to_owned(), what };
        database.prepared()
    }

    pub(super) fn in_memory(what: &'static str) -> Result<Self, ReachError> {
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

    pub(super) fn run<T>(&self, work: impl FnOnce(&Connection) -> rusqlite::Result<T>) -> Result<T, ReachError> {
        work(&self.connection).map_err(|source| self.failed(source))
    }

    fn failed(&self, source: rusqlite::Error) -> ReachError {
        ReachError::State { what: self.what, path: self.path.clone(), source }
    }

    pub(super) fn transact<T>(
        &mut self,
        work: impl FnOnce(&Connection) -> rusqlite::Result<T>,
    ) -> Result<T, ReachError> {
        let (what, path) = (self.what, self.path.clone());
        let failed = |source| ReachError::State { what, path: path.clone(), source };
        // What reads first and writes then must not find that another wrote between.
        let transaction = self.connection.transaction_with_behavior(TransactionBehavior::Immediate).map_err(failed)?;
        let done = work(&transaction).and_then(|value| transaction.commit().map(|()| value));
        done.map_err(failed)
    }

    /// Brings the journal to the newest version, step by step, each whole or not at all.
    pub(super) fn migrated(mut self, old: Option<&Path>) -> Result<Self, ReachError> {
        let newest = JOURNAL.len();
        loop {
            let version = usize::try_from(self.version()?).unwrap_or(usize::MAX);
            if version > newest {
                return Err(ReachError::unusable(self.path, ReadFault::NewerKanon));
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
pub(super) fn open_cache(path: &Path) -> Result<Database, ReachError> {
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
        let file = path.with_file_name(format!("{CACHE_FILE}{end}"));
        if file.exists() {
            std::fs::remove_file(&file).during("throw away", &file)?;
        }
    }
    open()?.ok_or_else(|| ReachError::unusable(path, ReadFault::NotMadeAnew))
}

fn is_damaged(error: &ReachError) -> bool {
    use rusqlite::ErrorCode::{DatabaseCorrupt, NotADatabase};
    let ReachError::State { source: rusqlite::Error::SqliteFailure(failure, _), .. } = error else { return false };
    matches!(failure.code, DatabaseCorrupt | NotADatabase)
}
