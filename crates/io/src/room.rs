//! Room on disks: looked at before anything is written, so that nothing stops in the middle for want of it.

use std::collections::BTreeMap;
use std::path::Path;

use crate::error::Lack;
use crate::error::ReachError;

/// What is free on the disk that a folder is on.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Room {
    /// Bytes for whoever runs this.
    pub bytes: u64,
    /// File numbers, where the file system counts them.
    pub files: Option<u64>,
    /// What tells this disk from others.
    disk: u64,
}

/// How much room something takes.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Need {
    /// Bytes.
    pub bytes: u64,
    /// Files.
    pub files: u64,
}

impl std::ops::Add for Need {
    type Output = Self;

    fn add(self, other: Self) -> Self {
        Self { bytes: self.bytes.saturating_add(other.bytes), files: self.files.saturating_add(other.files) }
    }
}

/// What is free on the disk of a folder, or of the nearest one above it that is there; nothing where the system does not tell.
#[cfg(unix)]
pub fn free(folder: &Path) -> Option<Room> {
    use std::os::unix::fs::MetadataExt;
    let there = folder.ancestors().find(|folder| folder.is_dir())?;
    let stat = rustix::fs::statvfs(there).ok()?;
    let disk = std::fs::metadata(there).ok()?.dev();
    let files = Some(stat.f_favail).filter(|_| stat.f_files > 0);
    Some(Room { bytes: stat.f_bavail.saturating_mul(stat.f_frsize), files, disk })
}

/// What is free on the disk of a folder, or of the nearest one above it that is there; nothing where the system does not tell.
#[cfg(not(unix))]
pub fn free(folder: &Path) -> Option<Room> {
    // Not as the system resolves it: such a path begins otherwise than any disk does.
    let there = std::path::absolute(folder.ancestors().find(|folder| folder.is_dir())?).ok()?;
    let disks = sysinfo::Disks::new_with_refreshed_list();
    let of = |disk: &&sysinfo::Disk| there.starts_with(disk.mount_point());
    let (number, disk) = disks
        .list()
        .iter()
        .enumerate()
        .filter(|(_, disk)| of(disk))
        .max_by_key(|(_, disk)| disk.mount_point().as_os_str().len())?;
    Some(Room { bytes: disk.available_space(), files: None, disk: number as u64 })
}

/// Refuses to begin what there is no room for; needs on one disk are added up.
///
/// # Errors
/// With how much is missing, and where.
pub fn refuse_lack(attempt: &'static str, needs: &[(&Path, Need)]) -> Result<(), ReachError> {
    let rooms: Vec<(&Path, Need, Room)> =
        needs.iter().filter_map(|(folder, need)| Some((*folder, *need, free(folder)?))).collect();
    for (folder, _, room) in &rooms {
        let on_it = rooms.iter().filter(|(_, _, other)| other.disk == room.disk);
        let need = on_it.fold(Need::default(), |sum, (_, need, _)| sum + *need);
        if let Some(lack) = lack(need, *room) {
            return Err(ReachError::NoRoom { attempt, path: (*folder).to_owned(), lack });
        }
    }
    Ok(())
}

fn lack(need: Need, room: Room) -> Option<Lack> {
    if need.bytes > room.bytes {
        return Some(Lack::Bytes { needed: need.bytes, free: room.bytes });
    }
    let free = room.files.filter(|free| need.files > *free)?;
    Some(Lack::Files { needed: need.files, free })
}

/// How much a folder holds.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, serde::Serialize)]
pub struct Holding {
    /// How many files, at whatever depth.
    pub files: u64,
    /// And their bytes.
    pub bytes: u64,
}

/// How much a folder holds; nothing where there is none. Links are not followed.
///
/// # Errors
/// When a folder in it can't be read.
pub fn held_by(folder: &Path) -> std::io::Result<Holding> {
    let mut held = Holding::default();
    let mut open = vec![folder.to_owned()];
    while let Some(folder) = open.pop() {
        let entries = match std::fs::read_dir(&folder) {
            Err(error) if error.kind() == std::io::ErrorKind::NotFound => continue,
            entries => entries?,
        };
        for entry in entries {
            let entry = entry?;
            let kind = entry.file_type()?;
            if kind.is_dir() {
                open.push(entry.path());
            } else if kind.is_file() {
                held.files += 1;
                held.bytes += entry.metadata()?.len();
            }
        }
    }
    Ok(held)
}

/// How much the entries of a folder hold, each by its name; nothing where there is none. Links are not followed.
///
/// # Errors
/// When a folder in it can't be read.
pub fn held_by_entries(folder: &Path) -> std::io::Result<BTreeMap<String, Holding>> {
    let entries = match std::fs::read_dir(folder) {
        Err(error) if error.kind() == std::io::ErrorKind::NotFound => return Ok(BTreeMap::new()),
        entries => entries?,
    };
    let mut held = BTreeMap::new();
    for entry in entries {
        let entry = entry?;
        let kind = entry.file_type()?;
        let own = if kind.is_dir() {
            held_by(&entry.path())?
        } else if kind.is_file() {
            Holding { files: 1, bytes: entry.metadata()?.len() }
        } else {
            Holding::default()
        };
        held.insert(entry.file_name().to_string_lossy().into_owned(), own);
    }
    Ok(held)
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case((10, 1), (10, Some(1)), None)]
    #[case((11, 1), (10, Some(1)), Some(Lack::Bytes { needed: 11, free: 10 }))]
    #[case((0, 2), (10, Some(1)), Some(Lack::Files { needed: 2, free: 1 }))]
    #[case((0, 2), (10, None), None)]
    fn what_is_missing_is_told(
        #[case] need: (u64, u64),
        #[case] room: (u64, Option<u64>),
        #[case] lacks: Option<Lack>,
    ) {
        let need = Need { bytes: need.0, files: need.1 };
        assert_eq!(lack(need, Room { bytes: room.0, files: room.1, disk: 1 }), lacks);
    }

    #[test]
    fn needs_on_one_disk_add_up_and_a_folder_may_be_still_to_come() {
        let temp = tempfile::tempdir().expect("a folder");
        let Some(room) = free(&temp.path().join("not/there/yet")) else {
            if cfg!(windows) {
                eprintln!("skipped: this system lists no disks");
                return;
            }
            panic!("the system tells");
        };
        let half = Need { bytes: room.bytes / 2 + (64 << 20), files: 0 };
        refuse_lack("try", &[(temp.path(), half)]).expect("half of it is there");
        let told =
            refuse_lack("try", &[(temp.path(), half), (&temp.path().join("x"), half)]).expect_err("all of it twice");
        assert!(told.to_string().contains("are missing"), "{told}");
    }
}
