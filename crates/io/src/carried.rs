//! The invite that a program carries behind its last byte, read from its file, and programs that are given one.

use std::fs::File;
use std::io::{Read, Seek, SeekFrom};
use std::path::{Path, PathBuf};

use kanon_core::canon::release::{Invite, System, TAIL, carried, carrying, length_alone};

use crate::error::{During, ReachError, ReleaseFault};
use crate::open::{read_bounded, regular};

/// Larger programs are none of Kanon's.
const LARGEST: u64 = 512 << 20;
/// Bytes that tell what a program is for.
const HEAD: u64 = 4;
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

/// A program that knows what to do with an invite, without any.
pub struct Program {
    /// The system that it is for.
    pub system: System,
    bytes: Vec<u8>,
}

impl Program {
    /// Reads a program, without the invite that it may carry; nothing where it is none.
    fn read(path: &Path) -> Result<Option<Self>, ReachError> {
        let mut head = Vec::new();
        let is_read = regular(path).and_then(|file| file.take(HEAD).read_to_end(&mut head)).is_ok();
        let Some(system) = System::of_program(&head).filter(|_| is_read) else { return Ok(None) };
        let mut bytes = read_bounded(path, LARGEST).during("read", path)?;
        if memchr::memmem::find(&bytes, KNOWS).is_none() {
            return Err(ReachError::unusable(path, ReleaseFault::CarriesNoInvite));
        }
        let tail = bytes.len().saturating_sub(TAIL);
        let alone = length_alone(&bytes[tail..], bytes.len() as u64);
        bytes.truncate(usize::try_from(alone).unwrap_or(usize::MAX));
        Ok(Some(Self { system, bytes }))
    }

    /// The program with an invite behind it; nothing where the invite is longer than any that is used.
    pub fn carrying(mut self, invite: &Invite) -> Option<Vec<u8>> {
        self.bytes.extend(carrying(invite)?);
        Some(self.bytes)
    }
}

/// The programs in a folder, one for each system.
///
/// # Errors
/// When the folder can't be read, has two for one system, or one that knows nothing of invites.
pub fn programs_in(folder: &Path) -> Result<Vec<Program>, ReachError> {
    let mut names: Vec<PathBuf> =
        std::fs::read_dir(folder).during("read", folder)?.flatten().map(|entry| entry.path()).collect();
    names.sort();
    let mut found: Vec<(PathBuf, Program)> = Vec::new();
    for path in names.into_iter().filter(|path| path.is_file()) {
        let Some(program) = Program::read(&path)? else { continue };
        if let Some((other, _)) = found.iter().find(|(_, known)| known.system == program.system) {
            let system = program.system.name();
            let other = other.display().to_string();
            return Err(ReachError::unusable(path, ReleaseFault::TwoPrograms { other, system }));
        }
        found.push((path, program));
    }
    Ok(found.into_iter().map(|(_, program)| program).collect())
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
            let read = programs_in(temp.path()).expect("read").pop().expect("one");
            std::fs::write(&program, read.carrying(&invite(address)).expect("short")).expect("written");
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
        write("kanon", &[b"\x7fELF ", KNOWS].concat());
        write("kanon.exe", &[b"MZ\0\0", KNOWS].concat());
        let found = programs_in(temp.path()).expect("read");
        assert_eq!(found.iter().map(|one| one.system).collect::<Vec<_>>(), [System::Linux, System::Windows]);
        write("other.exe", &[b"MZ\0\0", KNOWS].concat());
        let two = programs_in(temp.path()).err().expect("two").to_string();
        assert!(two.contains("for Windows too"), "{two}");
        write("other.exe", b"MZ\0\0");
        let another = programs_in(temp.path()).err().expect("another").to_string();
        assert!(another.contains("no Kanon that can carry an invite"), "{another}");
    }
}
