//! What Kanon remembers between runs, in two SQLite databases. The *journal* says what was done to whom: it is precious, has a
//! version and migrations, and is never thrown away. The *cache* has digests and readings: it may be deleted at any time.

mod cache;
mod database;
mod journal;
mod records;

use std::path::Path;

use crate::error::{During, ReachError};
use database::{CACHE, CACHE_FILE, CACHE_VERSION, Database, JOURNAL_FILE, open_cache};
pub use records::{After, Alignment, AlignmentState, Base, Before, Checked, Memory, Rehearsed, Remembered};

/// Both databases, open.
pub struct State {
    journal: Database,
    cache: Database,
}

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
}

#[cfg(test)]
mod tests {
    use super::database::JOURNAL;
    use super::*;
    use crate::install::FileFingerprint;
    use kanon_core::base::digest::Blake3;
    use rusqlite::Connection;

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
