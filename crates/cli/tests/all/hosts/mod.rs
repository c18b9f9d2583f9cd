//! Hosts inside the test: an FTP and an SFTP server over a folder, and the mishaps that may befall them.

pub mod ftp;
pub mod real;
pub mod sftp;
pub mod site;
pub mod web;

use std::path::{Path, PathBuf};
use std::sync::Mutex;
use std::sync::atomic::{AtomicBool, AtomicU32, AtomicUsize, Ordering};

/// The password of the hosts' one user, `ines`.
pub const PASSWORD: &str = "seal-the-hatch";

/// What goes wrong at one of the commands that change something.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum What {
    /// The program is killed before it is done.
    KillBefore,
    /// It is killed when it is done, before the host says so.
    KillAfter,
    /// The line drops before it is done, and the host is gone.
    CutBefore,
    /// The line drops when it is done, before the host says so, and the host is gone.
    CutAfter,
    /// The line drops once, and the host can be reached again at once.
    Blip,
    /// From here on there is no room on the disk.
    Full,
    /// From here on nothing may be written.
    Locked,
}

/// What a command comes to.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Fate {
    /// It is done.
    Done,
    /// It is done, and nobody hears of it.
    DoneUnheard,
    /// It is not done, and the line drops; a file that was being sent is cut in the middle.
    Dropped,
    /// There is no room.
    Full,
    /// It may not be done.
    Locked,
}

/// Counts what changes something on a host, and lets one thing go wrong.
#[derive(Default)]
pub struct Mishap {
    plan: Mutex<Option<(usize, What)>>,
    changes: AtomicUsize,
    listings: AtomicUsize,
    reads: AtomicUsize,
    bytes: AtomicUsize,
    victim: AtomicU32,
    gone: AtomicBool,
}

impl Mishap {
    /// From now on all goes well, and counting begins anew.
    pub fn none(&self) {
        self.plan(None);
    }

    /// The change of this number, from 0, goes wrong.
    pub fn at(&self, number: usize, what: What) {
        self.plan(Some((number, what)));
    }

    fn plan(&self, plan: Option<(usize, What)>) {
        *self.plan.lock().unwrap() = plan;
        for counter in [&self.changes, &self.listings, &self.reads, &self.bytes] {
            counter.store(0, Ordering::SeqCst);
        }
        self.victim.store(0, Ordering::SeqCst);
        self.gone.store(false, Ordering::SeqCst);
    }

    /// How often something was changed since.
    pub fn changes(&self) -> usize {
        self.changes.load(Ordering::SeqCst)
    }

    /// How many listings and reads there were since.
    pub fn looks(&self) -> (usize, usize) {
        (self.listings.load(Ordering::SeqCst), self.reads.load(Ordering::SeqCst))
    }

    /// How many bytes of files the host handed out since.
    pub fn bytes_read(&self) -> usize {
        self.bytes.load(Ordering::SeqCst)
    }

    fn handed_out(&self, bytes: usize) {
        self.bytes.fetch_add(bytes, Ordering::SeqCst);
    }

    /// The process that is killed when it comes to that.
    pub fn watch(&self, process: u32) {
        self.victim.store(process, Ordering::SeqCst);
    }

    /// Whether the host is not to be reached any more.
    pub fn is_gone(&self) -> bool {
        self.gone.load(Ordering::SeqCst)
    }

    fn listed(&self) {
        self.listings.fetch_add(1, Ordering::SeqCst);
    }

    fn read(&self) {
        self.reads.fetch_add(1, Ordering::SeqCst);
    }

    /// What becomes of the next change.
    fn fate(&self) -> Fate {
        let number = self.changes.fetch_add(1, Ordering::SeqCst);
        let Some((at, what)) = *self.plan.lock().unwrap() else { return Fate::Done };
        match what {
            What::Full if number >= at => Fate::Full,
            What::Locked if number >= at => Fate::Locked,
            _ if number != at => {
                if self.is_gone() || self.victim_is_dead() {
                    Fate::Dropped
                } else {
                    Fate::Done
                }
            }
            What::KillBefore => {
                self.kill();
                Fate::Dropped
            }
            What::KillAfter => Fate::DoneUnheard,
            What::CutBefore => {
                self.gone.store(true, Ordering::SeqCst);
                Fate::Dropped
            }
            What::CutAfter => {
                self.gone.store(true, Ordering::SeqCst);
                Fate::DoneUnheard
            }
            What::Blip => Fate::DoneUnheard,
            What::Full | What::Locked => unreachable!("both begin at their number"),
        }
    }

    /// After a change of which nobody is to hear.
    fn unheard(&self) {
        if matches!(*self.plan.lock().unwrap(), Some((_, What::KillAfter))) {
            self.kill();
        }
    }

    fn victim_is_dead(&self) -> bool {
        self.victim.load(Ordering::SeqCst) == u32::MAX
    }

    fn kill(&self) {
        // Who started the program may not have come to say which it is.
        for _ in 0..1_000 {
            if self.victim.load(Ordering::SeqCst) != 0 {
                break;
            }
            std::thread::sleep(std::time::Duration::from_millis(5));
        }
        let process = self.victim.swap(u32::MAX, Ordering::SeqCst);
        if process != 0 && process != u32::MAX {
            std::process::Command::new("kill").args(["-9", &process.to_string()]).status().unwrap();
        }
    }
}

/// A path of the host inside its folder.
fn inside(root: &Path, path: &str) -> PathBuf {
    root.join(path.trim_start_matches('/'))
}

fn seconds(metadata: &std::fs::Metadata) -> u64 {
    let since = metadata.modified().unwrap().duration_since(std::time::UNIX_EPOCH);
    since.map_or(0, |since| since.as_secs())
}

fn set_seconds(path: &Path, seconds: i64) {
    filetime::set_file_mtime(path, filetime::FileTime::from_unix_time(seconds, 0)).unwrap();
}
