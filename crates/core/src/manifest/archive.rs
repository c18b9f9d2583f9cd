//! Archives that are zip by nature, read as hostile input: bounded in members, size and ratio, and refused when a
//! member's name could leave the folder it would be unpacked to.

use std::collections::HashSet;
use std::io::{Read, Seek, SeekFrom};

use zip::ZipArchive;
use zip::read::Config;
use zip::result::ZipError;
use zip::unstable::read::ZipIterable;

use super::contents::{Contents, ContentsError, Unread};
use crate::base::limits;
use crate::base::path::{InstallPath, printable};
use crate::manifest::Member;

/// What an archive claims that no mod should.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum Swollen {
    /// Members without end.
    #[error("{0} members, more than the bound of {most}", most = limits::ARCHIVE_MEMBERS)]
    Members(u64),
    /// Bytes without end.
    #[error("{claimed} bytes unpacked, more than the bound of {} bytes", limits::ARCHIVE_UNPACKED_BYTES)]
    Bytes {
        /// So many.
        claimed: u64,
    },
    /// Far more bytes than it has itself.
    #[error("{claimed} bytes unpacked out of {size}, more than the bound of {} times its size", limits::ARCHIVE_RATIO)]
    Ratio {
        /// So many.
        claimed: u64,
        /// Its own.
        size: u64,
    },
}

/// Why a file can't be used as an archive.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum ArchiveError {
    /// It has no bytes.
    #[error("the file is empty; fetch it again")]
    Empty,
    /// It is cut off, or no zip at all.
    #[error("it is no whole zip archive ({reason}); it may be cut off, so fetch it again")]
    Broken {
        /// What the reader says.
        reason: String,
    },
    /// Two members have one name.
    #[error("two members are called `{member}`; games differ in which one they take")]
    Twice {
        /// The name.
        member: String,
    },
    /// A member's name could leave the folder.
    #[error("it holds a member with a dangerous name: {reason}")]
    Dangerous {
        /// The name and what is wrong with it.
        reason: String,
    },
    /// It claims more than any mod should.
    #[error("it claims {0}; this looks like an archive made to do harm")]
    Bomb(Swollen),
    /// Its members are encrypted.
    #[error("`{member}` in it is encrypted; a game can't read it")]
    Encrypted {
        /// The first such member.
        member: String,
    },
}

/// An open archive whose directory was found to be harmless.
pub struct Archive<R> {
    zip: ZipArchive<R>,
    members: Vec<Member>,
}

/// Whether bytes begin as an archive or compressed file does: zip, 7z, rar, gzip, xz, zstd.
pub fn is_archive(start: &[u8]) -> bool {
    const SIGNS: [&[u8]; 7] =
        [b"PK\x03\x04", b"PK\x05\x06", b"7z\xbc\xaf\x27\x1c", b"Rar!", b"\x1f\x8b", b"\xfd7zXZ", b"\x28\xb5\x2f\xfd"];
    SIGNS.iter().any(|sign| start.starts_with(sign))
}

impl<R: Read + Seek> Archive<R> {
    /// Opens an archive of `size` bytes and checks its directory; no member is unpacked.
    ///
    /// # Errors
    /// When it is no archive, or not a harmless one.
    pub fn open(reader: R, size: u64) -> Result<Self, ArchiveError> {
        if size == 0 {
            return Err(ArchiveError::Empty);
        }
        let mut reader = reader;
        if let Some(claimed) =
            claimed_members(&mut reader, size).filter(|claimed| *claimed > limits::ARCHIVE_MEMBERS as u64)
        {
            return Err(ArchiveError::Bomb(Swollen::Members(claimed)));
        }
        let mut zip = ZipArchive::new(reader).map_err(|error| broken(&error))?;
        if zip.len() > limits::ARCHIVE_MEMBERS {
            return Err(ArchiveError::Bomb(Swollen::Members(zip.len() as u64)));
        }
        if zip.has_duplicate_names() {
            let mut reader = zip.into_inner();
            refuse_twice(&mut reader)?;
            zip = ZipArchive::new(reader).map_err(|error| broken(&error))?;
        }
        let members = members(&zip)?;
        check_size(&members, size)?;
        Ok(Self { zip, members })
    }
}

/// How many members an archive claims at its end, before its directory is read; nothing where its end can't be found.
///
/// By the layout of the end of the directory, and of its 64-bit form (APPNOTE 6.3.10, sections 4.3.14 to 4.3.16).
fn claimed_members<R: Read + Seek>(reader: &mut R, size: u64) -> Option<u64> {
    const END: &[u8] = b"PK\x05\x06";
    const LARGE_END: &[u8] = b"PK\x06\x06";
    /// The longest comment, and what stands before it.
    const TAIL: u64 = (1 << 16) + 22 + 20;
    let start = size.saturating_sub(TAIL);
    reader.seek(SeekFrom::Start(start)).ok()?;
    let mut tail = Vec::new();
    reader.take(TAIL).read_to_end(&mut tail).ok()?;
    let at = tail.windows(END.len()).rposition(|window| window == END)?;
    let number = |bytes: &[u8]| bytes.iter().rev().fold(0u64, |number, byte| number << 8 | u64::from(*byte));
    let claimed = number(tail.get(at + 10..at + 12)?);
    let directory = number(tail.get(at + 12..at + 16)?);
    if claimed != 0xffff && directory != 0xffff_ffff {
        return Some(claimed);
    }
    let place = number(tail.get(at.checked_sub(12)?..at.checked_sub(4)?)?);
    reader.seek(SeekFrom::Start(place)).ok()?;
    let mut large = Vec::new();
    reader.take(56).read_to_end(&mut large).ok()?;
    let claims = large.starts_with(LARGE_END).then(|| large.get(32..40).map(number)).flatten();
    claims.or(Some(claimed))
}

fn broken(error: &ZipError) -> ArchiveError {
    ArchiveError::Broken { reason: printable(&error.to_string()) }
}

/// Names the first file that is there twice; a folder may be.
fn refuse_twice<R: Read + Seek>(reader: &mut R) -> Result<(), ArchiveError> {
    let mut entries = ZipIterable::try_new(reader, Config::default()).map_err(|error| broken(&error))?;
    let mut seen = HashSet::new();
    for entry in entries.files().map_err(|error| broken(&error))? {
        let entry = entry.map_err(|error| broken(&error))?;
        let name = entry.name_raw().to_vec();
        if !name.ends_with(b"/") && !seen.insert(name.clone()) {
            return Err(ArchiveError::Twice { member: printable(&String::from_utf8_lossy(&name)) });
        }
        if seen.len() > limits::ARCHIVE_MEMBERS {
            return Err(ArchiveError::Bomb(Swollen::Members(seen.len() as u64)));
        }
    }
    Ok(())
}

fn members<R: Read + Seek>(zip: &ZipArchive<R>) -> Result<Vec<Member>, ArchiveError> {
    let mut members = Vec::new();
    for index in 0..zip.len() {
        let entry = zip.by_index_data(index).map_err(|error| broken(&error))?;
        let name = entry.name().map_err(|error| broken(&error))?.into_owned();
        if let Err(error) = InstallPath::new(&name) {
            return Err(ArchiveError::Dangerous { reason: error.to_string() });
        }
        if entry.is_symlink() {
            return Err(ArchiveError::Dangerous { reason: format!("`{}` is a link", printable(&name)) });
        }
        if entry.encrypted() {
            return Err(ArchiveError::Encrypted { member: printable(&name) });
        }
        if !entry.is_dir() {
            members.push(Member { path: name, size: entry.size(), crc32: entry.crc32() });
        }
    }
    Ok(members)
}

fn check_size(members: &[Member], size: u64) -> Result<(), ArchiveError> {
    let claimed = members.iter().fold(0u64, |sum, member| sum.saturating_add(member.size));
    let allowed = size.saturating_mul(limits::ARCHIVE_RATIO);
    if claimed > limits::ARCHIVE_UNPACKED_BYTES {
        return Err(ArchiveError::Bomb(Swollen::Bytes { claimed }));
    }
    if claimed > limits::ARCHIVE_RATIO_FROM_BYTES && claimed > allowed {
        return Err(ArchiveError::Bomb(Swollen::Ratio { claimed, size }));
    }
    Ok(())
}

impl<R: Read + Seek> Contents for Archive<R> {
    fn members(&self) -> &[Member] {
        &self.members
    }

    fn read_up_to(&mut self, member: &str, limit: u64) -> Result<Option<Vec<u8>>, ContentsError> {
        let failed = |reason: Unread| ContentsError { member: member.to_owned(), reason };
        let broken = |why: String| failed(Unread::Failed(printable(&why)));
        let Some(index) = self.zip.index_for_name(member) else { return Ok(None) };
        let file = self.zip.by_index(index).map_err(|error| broken(error.to_string()))?;
        // As much as it claims, as far as that is within bounds: growing would take twice as much.
        let claimed = usize::try_from(file.size().min(limit)).unwrap_or(0);
        let mut bytes = Vec::with_capacity(claimed.saturating_add(1));
        let mut bounded = file.take(limit + 1);
        bounded.read_to_end(&mut bytes).map_err(|error| broken(error.to_string()))?;
        if bytes.len() as u64 > limit {
            return Err(failed(Unread::LargerThanMib(limit >> 20)));
        }
        Ok(Some(bytes))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use rstest::rstest;
    use std::io::{Cursor, Write};
    use zip::write::{SimpleFileOptions, ZipWriter};

    fn zip_of(members: &[(&str, &[u8])]) -> Vec<u8> {
        let mut writer = ZipWriter::new(Cursor::new(Vec::new()));
        for (name, bytes) in members {
            writer.start_file(*name, SimpleFileOptions::default()).expect("a member");
            writer.write_all(bytes).expect("bytes");
        }
        writer.finish().expect("an archive").into_inner()
    }

    fn open(bytes: &[u8]) -> Result<Archive<Cursor<Vec<u8>>>, ArchiveError> {
        Archive::open(Cursor::new(bytes.to_vec()), bytes.len() as u64)
    }

    fn replaced(bytes: Vec<u8>, from: &[u8], to: &[u8]) -> Vec<u8> {
        assert_eq!(from.len(), to.len());
        let mut bytes = bytes;
        for at in 0..bytes.len() - from.len() {
            if bytes[at..].starts_with(from) {
                bytes[at..at + to.len()].copy_from_slice(to);
            }
        }
        bytes
    }

    #[test]
    fn members_and_bytes() {
        let mut archive = open(&zip_of(&[("about.json", b"{}"), ("data/a.bin", b"abc")])).expect("an archive");
        assert_eq!(archive.members().len(), 2);
        assert_eq!(archive.read("data/a.bin").expect("read"), Some(b"abc".to_vec()));
        assert_eq!(archive.read("data/b.bin").expect("read"), None);
    }

    #[rstest]
    #[case(b"../../x.bin", "leaves its folder")]
    #[case(b"/tmp/xx.bin", "absolute")]
    #[case(b"C:\\tmp\\x.bi", "drive letter")]
    #[case(b"nul.bin/x.b", "device")]
    fn dangerous_members_are_refused(#[case] name: &[u8; 11], #[case] reason: &str) {
        let bytes = replaced(zip_of(&[("placeholder", b"x")]), b"placeholder", name);
        let error = open(&bytes).err().expect("refused").to_string();
        assert!(error.contains("dangerous name") && error.contains(reason), "{error}");
    }

    #[test]
    fn doubled_empty_cut_and_foreign_files_are_refused() {
        let doubled = replaced(zip_of(&[("one", b"1"), ("two", b"2")]), b"two", b"one");
        assert_eq!(open(&doubled).err(), Some(ArchiveError::Twice { member: "one".to_owned() }));
        assert_eq!(open(b"").err(), Some(ArchiveError::Empty));
        assert!(matches!(open(b"not an archive at all").err(), Some(ArchiveError::Broken { .. })));
        let whole = zip_of(&[("a", &[7; 5000])]);
        assert!(matches!(open(&whole[..whole.len() / 2]).err(), Some(ArchiveError::Broken { .. })));
    }

    #[test]
    fn an_encrypted_member_is_named() {
        let mut bytes = zip_of(&[("secret", b"x")]);
        for (sign, offset) in [(b"PK\x03\x04", 6), (b"PK\x01\x02", 8)] {
            let at = bytes.windows(4).position(|window| window == sign).expect("a header");
            bytes[at + offset] |= 1;
        }
        assert_eq!(open(&bytes).err(), Some(ArchiveError::Encrypted { member: "secret".to_owned() }));
    }

    #[test]
    fn bombs_are_refused_by_their_claims() {
        let small = [Member { path: "a".to_owned(), size: 1 << 30, crc32: 0 }];
        assert!(matches!(check_size(&small, 1000), Err(ArchiveError::Bomb(_))));
        assert!(check_size(&small, 1 << 21).is_ok());
        let huge = vec![small[0].clone(); 65];
        assert!(matches!(check_size(&huge, 1 << 40), Err(ArchiveError::Bomb(_))));
        let mut archive = open(&zip_of(&[("a", &vec![0; limits::DOCUMENT_BYTES as usize + 1])])).expect("an archive");
        assert!(archive.read("a").is_err());
    }

    #[test]
    fn members_are_counted_before_the_directory_is_read() {
        let bytes = zip_of(&[("a", b"1"), ("b", b"2")]);
        let count = |bytes: &[u8]| claimed_members(&mut Cursor::new(bytes), bytes.len() as u64);
        assert_eq!(count(&bytes), Some(2));
        assert_eq!(count(b"no archive"), None);
        let mut claims = bytes.clone();
        let end = claims.len() - 22;
        claims[end + 8..end + 12].copy_from_slice(&[0xfe, 0xff, 0xfe, 0xff]);
        assert_eq!(count(&claims), Some(0xfffe), "as it claims");
        let mut writer = ZipWriter::new(Cursor::new(Vec::new()));
        for number in 0..limits::ARCHIVE_MEMBERS + 1 {
            writer.start_file(number.to_string(), SimpleFileOptions::default()).expect("a member");
        }
        let many = writer.finish().expect("an archive").into_inner();
        assert_eq!(count(&many), Some(limits::ARCHIVE_MEMBERS as u64 + 1), "by its 64-bit end");
        assert!(matches!(open(&many), Err(ArchiveError::Bomb(_))));
    }

    #[test]
    fn signs_of_archives() {
        assert!(is_archive(&zip_of(&[("a", b"")])) && is_archive(b"Rar!\x1a"));
        assert!(!is_archive(b"{}") && !is_archive(b""));
    }

    proptest! {
        #[test]
        fn torn_archives_are_taken_calmly(at in any::<proptest::sample::Index>(), byte in any::<u8>(), cut in 0usize..40) {
            let mut bytes = zip_of(&[("about.json", b"{\"id\": \"tide\"}"), ("b", b"bytes")]);
            let at = at.index(bytes.len());
            bytes[at] = byte;
            bytes.truncate(bytes.len() - cut);
            if let Ok(mut archive) = open(&bytes) {
                let names: Vec<_> = archive.members().iter().map(|m| m.path.clone()).collect();
                for name in names {
                    let _ = archive.read(&name);
                }
            }
        }
    }
}
