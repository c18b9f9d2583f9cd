//! The journal: what was done to whom, and what is needed to take it back.

use kanon_core::base::digest::Blake3;
use rusqlite::{Connection, OptionalExtension, params};
use serde::Serialize;

use super::State;
use super::records::{After, Alignment, AlignmentState, Base, Before, Rehearsed};
use crate::error::ReachError;

impl State {
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

    /// Remembers that a canon passed its rehearsal.
    ///
    /// # Errors
    /// When the database can't be written.
    pub fn record_rehearsal(&self, canon: Blake3, passed: &Rehearsed) -> Result<(), ReachError> {
        self.journal.run(|connection| {
            let values = params![
                canon.as_bytes(),
                passed.install.as_str(),
                passed.at,
                passed.seconds,
                passed.memory.cast_signed()
            ];
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
                    install: row.get::<_, String>(0)?.into(),
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
                let (install, at, seconds) = (row.get::<_, String>(1)?.into(), row.get(2)?, row.get(3)?);
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
                params![id, install.as_str(), root, began, state.as_str(), steps],
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
                    install: row.get::<_, String>(1)?.into(),
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

#[derive(Debug, thiserror::Error)]
#[error("`{0}` is no state of an alignment")]
struct NoState(String);

/// A word that nobody knows is no state: taking it for any would do the wrong thing to an install.
fn state_of(word: &str) -> rusqlite::Result<AlignmentState> {
    AlignmentState::of_word(word).ok_or_else(|| {
        let error = Box::new(NoState(kanon_core::base::path::printable(word)));
        rusqlite::Error::FromSqlConversionFailure(3, rusqlite::types::Type::Text, error)
    })
}

fn from_json<T: serde::de::DeserializeOwned>(json: &str) -> rusqlite::Result<T> {
    serde_json::from_str(json)
        .map_err(|error| rusqlite::Error::FromSqlConversionFailure(0, rusqlite::types::Type::Text, Box::new(error)))
}
