//! What alignments have taken off an install and lies in their backups: told mod by mod, and put back one by one.

use std::path::{Path, PathBuf};

use kanon_core::base::digest::Blake3;
use kanon_core::base::path::InstallPath;
use kanon_core::plan::Action;

use crate::backup::{Manifest, sound_copy};
use crate::error::{BackupFault, During, ReachError};
use crate::install::Install;
use crate::install::part_name;
use crate::open::regular;
use crate::state::Before;

/// So many backups are looked through, the newest ones.
const BACKUPS: usize = 200;

/// A mod, or whatever else, that was taken off.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SetAside {
    /// The mod's id, or the file's path where it was none's.
    pub what: String,
    /// Its files: the place of each, its copy and that copy's digest.
    files: Vec<(InstallPath, String, Blake3)>,
    /// The backup that they lie in.
    backup: PathBuf,
    /// When it was taken off, in seconds since 1970.
    pub when: i64,
}

impl SetAside {
    /// Where it was.
    pub fn paths(&self) -> impl Iterator<Item = &InstallPath> {
        self.files.iter().map(|(path, ..)| path)
    }

    /// Whether somebody means it by a name: its own, that of a file of it, or the begin of one.
    pub fn is_meant(&self, name: &str) -> bool {
        let name = name.to_lowercase();
        let begins = |text: &str| text.to_lowercase().starts_with(&name);
        begins(&self.what) || self.paths().any(|path| begins(path.as_str()) || begins(path.name()))
    }
}

/// What lies in backups and is at none of its places any more, the newest first; of one mod what was taken off last.
///
/// # Errors
/// When the folder of backups can't be read. A backup that says nothing of itself is passed over.
pub fn set_aside(install: &dyn Install, backups: &Path) -> Result<Vec<SetAside>, ReachError> {
    let mut numbers: Vec<i64> = match std::fs::read_dir(backups) {
        Err(error) if error.kind() == std::io::ErrorKind::NotFound => return Ok(Vec::new()),
        entries => entries
            .during("read", backups)?
            .flatten()
            .filter_map(|entry| entry.file_name().to_str()?.parse().ok())
            .collect(),
    };
    numbers.sort_unstable_by(|a, b| b.cmp(a));
    let mut found: Vec<SetAside> = Vec::new();
    for number in numbers.into_iter().take(BACKUPS) {
        let backup = backups.join(number.to_string());
        let Ok(manifest) = Manifest::read(&backup) else { continue };
        for one in of_backup(&manifest, &backup) {
            let is_known = found.iter().any(|known| known.what == one.what);
            let is_away = one.paths().all(|path| !install.is_there(path));
            if is_away && !is_known {
                found.push(one);
            }
        }
    }
    Ok(found)
}

fn of_backup(manifest: &Manifest, backup: &Path) -> Vec<SetAside> {
    let (alignment, before) = manifest.alignment();
    let mut found: Vec<SetAside> = Vec::new();
    for step in alignment.steps.iter().filter(|step| step.action == Action::Park) {
        let inside = |path: &InstallPath| *path == step.path || path.below(&step.path).is_some();
        let files = before.iter().filter_map(|(path, was)| match was {
            Before::File { copy, blake3, .. } => {
                InstallPath::new(path).ok().filter(inside).map(|path| (path, copy.clone(), *blake3))
            }
            _ => None,
        });
        let files: Vec<_> = files.collect();
        let of_mod = step.reasons.iter().find_map(|reason| reason.mod_id()).map(ToString::to_string);
        let what = of_mod.unwrap_or_else(|| step.path.to_string());
        match found.iter_mut().find(|known| known.what == what) {
            Some(known) => known.files.extend(files),
            None => found.push(SetAside { what, files, backup: backup.to_owned(), when: alignment.began }),
        }
    }
    found.retain(|one| !one.files.is_empty());
    found
}

/// Puts it back to where it was. Nothing is written where anything is by now, and nothing at all where a copy is not sound.
///
/// # Errors
/// When something is in the way, a copy is damaged, or a file can't be written.
pub fn put_back(install: &dyn Install, one: &SetAside) -> Result<(), ReachError> {
    install.look_anew();
    if let Some(path) = one.paths().find(|path| install.is_there(path)) {
        return Err(ReachError::unusable(install.outside(path), BackupFault::InTheWay));
    }
    let copies: Result<Vec<PathBuf>, ReachError> =
        one.files.iter().map(|(path, copy, blake3)| sound_copy(&one.backup, (copy, *blake3), path.as_str())).collect();
    for ((path, ..), copy) in one.files.iter().zip(copies?) {
        let outside = install.outside(path);
        let outer: Vec<InstallPath> = std::iter::successors(path.parent(), InstallPath::parent).collect();
        for folder in outer.iter().rev() {
            install.make_folders(folder).during("make the folder", &install.outside(folder))?;
        }
        let part = part_name(path, 0)?;
        let mut source = regular(&copy).during("read", &copy)?;
        let placed = install.write(&part, &mut source).and_then(|()| install.rename(&part, path));
        placed.during("put in place", &outside).inspect_err(|_| drop(install.remove_file(&part)))?;
    }
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::install::LocalInstall;
    use rstest::rstest;

    fn aside(backup: &Path) -> SetAside {
        let path = InstallPath::new("mods/deep/fog-1.0.load").expect("a path");
        std::fs::create_dir_all(backup.join("files/mods/deep")).expect("made");
        std::fs::write(backup.join("files").join(path.as_str()), "fog").expect("written");
        let files = vec![(path.clone(), format!("files/{path}"), Blake3::of(b"fog"))];
        SetAside { what: "fog".to_owned(), files, backup: backup.to_owned(), when: 0 }
    }

    #[rstest]
    #[case("fog", true)]
    #[case("FO", true)]
    #[case("fog-1.0.load", true)]
    #[case("mods/deep/f", true)]
    #[case("og", false)]
    #[case("rain", false)]
    fn it_is_meant_by_its_name_or_the_begin_of_one(#[case] name: &str, #[case] is_meant: bool) {
        let temp = tempfile::tempdir().expect("a folder");
        assert_eq!(aside(temp.path()).is_meant(name), is_meant);
    }

    #[test]
    fn it_comes_back_where_nothing_is_and_only_with_its_own_bytes() {
        let temp = tempfile::tempdir().expect("a folder");
        let (game, backup) = (temp.path().join("game"), temp.path().join("backup"));
        std::fs::create_dir_all(&game).expect("made");
        let (install, one) = (LocalInstall::open(&game).expect("opened"), aside(&backup));
        let file = game.join("mods/deep/fog-1.0.load");
        put_back(&install, &one).expect("put back");
        assert_eq!(std::fs::read(&file).expect("read"), b"fog");
        std::fs::write(&file, "another").expect("written");
        assert!(put_back(&install, &one).is_err(), "something is in the way");
        assert_eq!(std::fs::read(&file).expect("read"), b"another");
        std::fs::remove_file(&file).expect("removed");
        std::fs::write(backup.join("files/mods/deep/fog-1.0.load"), "fig").expect("written");
        assert!(put_back(&install, &one).is_err(), "the copy was altered");
        assert!(!file.exists());
    }

    #[test]
    fn without_backups_nothing_was_set_aside() {
        let temp = tempfile::tempdir().expect("a folder");
        let install = LocalInstall::open(temp.path()).expect("opened");
        assert!(set_aside(&install, &temp.path().join("none")).expect("read").is_empty());
    }
}
