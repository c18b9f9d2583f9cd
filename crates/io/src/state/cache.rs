//! The cache: digests, readings, what was verified. All of it can be measured again.

use std::collections::HashMap;

use kanon_core::base::digest::Blake3;
use rusqlite::{OptionalExtension, params};

use super::State;
use super::records::{Checked, Memory, Remembered};
use crate::error::ReachError;
use crate::install::KeptDocument;

impl State {
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
}
