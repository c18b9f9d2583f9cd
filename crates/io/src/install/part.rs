//! The names under which files are written until they are whole.

use std::sync::OnceLock;

use kanon_core::base::digest::Blake3;
use kanon_core::base::path::InstallPath;

use super::nanoseconds;
use crate::error::{ForPath, ReachError};

/// Whether a file is a part of some alignment that was cut off.
pub fn is_part(path: &InstallPath) -> bool {
    path.name().starts_with(".kanon-") && path.name().ends_with(".part")
}

/// How the names of the parts of an alignment begin.
pub fn part_beginning(id: i64) -> String {
    format!(".kanon-{id}-")
}

/// What tells this run from every other: a host may still carry out what one asked that is dead by now.
fn run() -> &'static str {
    static RUN: OnceLock<String> = OnceLock::new();
    RUN.get_or_init(|| {
        let began = nanoseconds(std::time::SystemTime::now());
        Blake3::of(format!("{} {began}", std::process::id()).as_bytes()).short()
    })
}

/// The name under which a file is written until it is whole.
///
/// # Errors
/// When its folder's path is as long as a path may be.
pub fn part_name(path: &InstallPath, id: i64) -> Result<InstallPath, ReachError> {
    let name = format!("{}{}-{}.part", part_beginning(id), run(), Blake3::of(path.as_str().as_bytes()).short());
    let part = match path.parent() {
        Some(parent) => parent.join(&name),
        None => InstallPath::new(&name),
    };
    part.for_path(&name)
}
