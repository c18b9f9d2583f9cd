//! An install in memory, for tests of learning.

use std::collections::BTreeMap;
use std::io::{Cursor, Write};

use super::{InstallView, Seen};
use crate::base::path::InstallPath;
use crate::manifest::{Archive, Contents};
use crate::rulebook::Role;

/// An install in memory.
pub struct Memory {
    role: Role,
    files: Vec<Seen>,
    bytes: BTreeMap<InstallPath, Vec<u8>>,
}

impl Memory {
    /// An install of these files.
    pub fn new(role: Role, files: &[(&str, Vec<u8>)]) -> Self {
        let path = |text: &str| InstallPath::new(text).unwrap_or_else(|error| panic!("{error}"));
        let bytes: BTreeMap<InstallPath, Vec<u8>> = files.iter().map(|(p, b)| (path(p), b.clone())).collect();
        let files = bytes.iter().map(|(path, b)| Seen { path: path.clone(), size: b.len() as u64 }).collect();
        Self { role, files, bytes }
    }

    /// A server of these texts.
    pub fn server(files: &[(&str, &[u8])]) -> Self {
        let owned: Vec<(&str, Vec<u8>)> = files.iter().map(|(path, bytes)| (*path, bytes.to_vec())).collect();
        Self::new(Role::Server, &owned)
    }
}

impl InstallView for Memory {
    fn role(&self) -> Role {
        self.role
    }

    fn files(&self) -> &[Seen] {
        &self.files
    }

    fn start(&self, path: &InstallPath, limit: u64) -> Option<Vec<u8>> {
        let bytes = self.bytes.get(path)?;
        Some(bytes[..bytes.len().min(usize::try_from(limit).unwrap_or(usize::MAX))].to_vec())
    }

    fn archive(&self, path: &InstallPath) -> Option<Box<dyn Contents + '_>> {
        let bytes = self.bytes.get(path)?;
        let archive = Archive::open(Cursor::new(bytes.clone()), bytes.len() as u64).ok()?;
        Some(Box::new(archive))
    }
}

/// An archive of these members.
pub fn zip_of(members: &[(&str, &str)]) -> Vec<u8> {
    let mut writer = zip::write::ZipWriter::new(Cursor::new(Vec::new()));
    for (name, text) in members {
        writer.start_file(*name, zip::write::SimpleFileOptions::default()).expect("a member");
        writer.write_all(text.as_bytes()).expect("bytes");
    }
    writer.finish().expect("an archive").into_inner()
}
