//! The invite that a program carries behind its last byte, read from its file, and programs that are given one.

use std::fs::File;
use std::io::{Read, Seek, SeekFrom};
use std::path::{Path, PathBuf};

use kanon_core::canon::release::{Invite, System, TAIL, carried, carrying, length_alone};

use crate::error::{During, ReachError};
use crate::open::{read_bounded, regular};

/// Larger programs are none of Kanon's.
const LARGEST: u64 = 512 << 20;
/// What every program says in itself that knows how to find its invite.
const KNOWS: &[u8] = b"kanon-invite-1";

/// The invite that a program carries; nothing where it carries none, or can't be read.
pub fn invite_of(program: &Path) -> Option<Invite> {
    carried(&tail(&mut regular(program).ok()?).ok()?)
}

fn tail(file: &mut File) -> std::io::Result<Vec<u8>> {
    let length = file.metadata()?.len();
    file.seek(SeekFrom::Start(length.saturating_sub(TAIL as u64)))?;
    let mut tail = Vec::new();
    file.take(TAIL as u64).read_to_end(&mut tail)?;
    Ok(tail)
}

/// The programs in a folder, one for each system.
///
/// # Errors
/// When the folder can't be read, or has two for one system.
pub fn programs_in(folder: &Path) -> Result<Vec<(System, PathBuf)>, ReachError> {
    let mut found: Vec<(System, PathBuf)> = Vec::new();
    let mut names: Vec<PathBuf> =
        std::fs::read_dir(folder).during("read", folder)?.flatten().map(|entry| entry.path()).collect();
    names.sort();
    for path in names.into_iter().filter(|path| path.is_file()) {
        let mut head = [0; 4];
        let is_read = regular(&path).and_then(|mut file| file.read_exact(&mut head)).is_ok();
        let Some(system) = System::of_program(&head).filter(|_| is_read) else { continue };
        if let Some((_, other)) = found.iter().find(|(known, _)| *known == system) {
            let reason = format!("{} is a program for {} too: leave one of them there", other.display(), system.name());
            return Err(ReachError::Unusable { path, reason });
        }
        found.push((system, path));
    }
    Ok(found)
}

/// A program that carries an invite: what it was, whatever it carried before, and the invite.
///
/// # Errors
/// When it can't be read, or is none that knows what to do with an invite.
pub fn with_invite(program: &Path, invite: &Invite) -> Result<Vec<u8>, ReachError> {
    let unusable = |reason: &str| ReachError::Unusable { path: program.to_owned(), reason: reason.to_owned() };
    let mut bytes = read_bounded(program, LARGEST).during("read", program)?;
    if memchr::memmem::find(&bytes, KNOWS).is_none() {
        return Err(unusable("it is no Kanon that can carry an invite"));
    }
    let tail = bytes.len().saturating_sub(TAIL);
    let alone = length_alone(&bytes[tail..], bytes.len() as u64);
    bytes.truncate(usize::try_from(alone).unwrap_or(usize::MAX));
    bytes.extend(carrying(invite).ok_or_else(|| unusable("the invite is too long for it"))?);
    Ok(bytes)
}

#[cfg(test)]
mod tests {
    use super::*;
    use kanon_core::base::digest::Blake3;

    #[test]
    fn a_program_carries_one_invite_and_the_last_one() {
        let temp = tempfile::tempdir().expect("a folder");
        let program = temp.path().join("kanon");
        let own = [&b"\x7fELF "[..], KNOWS, b" and more"].concat();
        std::fs::write(&program, &own).expect("written");
        assert_eq!(invite_of(&program), None);
        let invite = |address: &str| Invite::new(address, 1, Blake3::of(b"root"));
        for address in ["https://a.example/", "https://a-longer-one.example/", "https://b.example/"] {
            std::fs::write(&program, with_invite(&program, &invite(address)).expect("made")).expect("written");
            assert_eq!(invite_of(&program), Some(invite(address)));
        }
        let length = std::fs::metadata(&program).expect("there").len() as usize;
        assert_eq!(length, own.len() + carrying(&invite("https://b.example/")).expect("short").len());
    }

    #[test]
    fn other_programs_are_refused_and_two_of_one_system_are_told() {
        let temp = tempfile::tempdir().expect("a folder");
        let write = |name: &str, bytes: &[u8]| std::fs::write(temp.path().join(name), bytes).expect("written");
        write("README", b"words");
        write("kanon", b"\x7fELF another program");
        write("kanon.exe", b"MZ\0\0");
        let found = programs_in(temp.path()).expect("read");
        assert_eq!(found.iter().map(|(system, _)| *system).collect::<Vec<_>>(), [System::Linux, System::Windows]);
        let invite = Invite::new("https://a.example/", 1, Blake3::of(b"root"));
        assert!(with_invite(&found[0].1, &invite).is_err());
        write("other.exe", b"MZ\0\0");
        assert!(programs_in(temp.path()).expect_err("two").to_string().contains("for Windows too"));
    }
}
