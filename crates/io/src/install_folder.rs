//! An install as learning sees it: a bounded listing, and bounded reads below its root.

use std::collections::HashSet;
use std::io::BufReader;

use kanon_core::base::limits;
use kanon_core::base::path::InstallPath;
use kanon_core::learn::{InstallView, Seen};
use kanon_core::manifest::{Archive, Contents};
use kanon_core::rulebook::Role;

use crate::install::{Install, Kind};

/// How deep an install is looked into.
const DEPTH: usize = 12;

/// A local install that is looked at.
pub struct InstallFolder<'i> {
    install: &'i dyn Install,
    role: Role,
    files: Vec<Seen>,
    /// How many files were passed over, past the bound.
    pub passed_over: usize,
}

impl<'i> InstallFolder<'i> {
    /// Lists an install.
    pub fn at(install: &'i dyn Install, role: Role) -> Self {
        let entries = install.list(None, DEPTH, &HashSet::new()).entries;
        let mut files: Vec<Seen> = entries
            .into_iter()
            .filter_map(|entry| match entry.kind {
                Kind::File(stamp) => Some(Seen { path: entry.path, size: stamp.size }),
                Kind::Folder => None,
            })
            .collect();
        files.sort_by(|a, b| a.path.cmp(&b.path));
        let passed_over = files.len().saturating_sub(limits::LEARNED_FILES);
        files.truncate(limits::LEARNED_FILES);
        Self { install, role, files, passed_over }
    }
}

impl InstallView for InstallFolder<'_> {
    fn role(&self) -> Role {
        self.role
    }

    fn files(&self) -> &[Seen] {
        &self.files
    }

    fn start(&self, path: &InstallPath, limit: u64) -> Option<Vec<u8>> {
        self.install.document(path, limit).ok()
    }

    fn archive(&self, path: &InstallPath) -> Option<Box<dyn Contents + '_>> {
        let (file, stamp) = self.install.open_file(path).ok()?;
        let archive = Archive::open(BufReader::with_capacity(64 << 10, file), stamp.size).ok()?;
        Some(Box::new(archive))
    }
}
