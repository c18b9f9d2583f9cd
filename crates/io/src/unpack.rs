//! What a downloaded file is, and how an archive is unpacked: bounded, and never outside the folder it is meant for.

use std::fs::File;
use std::io::{self, BufReader, Read, Write};
use std::path::Path;

use cap_std::ambient_authority;
use cap_std::fs::Dir;
use flate2::read::MultiGzDecoder;
use kanon_core::base::limits;
use kanon_core::base::path::{InstallPath, PathError, printable};
use kanon_core::manifest::{Archive, ArchiveError};

use crate::open::regular;

/// What a downloaded file is, by its first bytes.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Sort {
    /// A zip archive.
    Zip,
    /// A 7z archive.
    SevenZ,
    /// A tar archive.
    Tar,
    /// A gzip file, most likely a tar archive.
    Gzip,
    /// An archive that Kanon does not unpack.
    OtherArchive(&'static str),
    /// Something that would be run.
    Program(&'static str),
    /// Anything else: a text, a picture, a mod that is one opaque file.
    Plain,
}

/// Tells what a file is.
///
/// # Errors
/// When it can't be read.
pub fn sort(path: &Path) -> io::Result<Sort> {
    let mut start = Vec::new();
    regular(path)?.take(512).read_to_end(&mut start)?;
    let begins = |sign: &[u8]| start.starts_with(sign);
    Ok(if begins(b"PK\x03\x04") || begins(b"PK\x05\x06") {
        Sort::Zip
    } else if begins(b"7z\xbc\xaf\x27\x1c") {
        Sort::SevenZ
    } else if begins(b"\x1f\x8b") {
        Sort::Gzip
    } else if start.get(257..262) == Some(b"ustar") {
        Sort::Tar
    } else if begins(b"Rar!") {
        Sort::OtherArchive("a RAR archive")
    } else if begins(b"\xfd7zXZ") {
        Sort::OtherArchive("an XZ archive")
    } else if begins(b"\x28\xb5\x2f\xfd") {
        Sort::OtherArchive("a Zstandard archive")
    } else if begins(b"MZ") {
        Sort::Program("a Windows program, perhaps an installer")
    } else if begins(b"\xd0\xcf\x11\xe0") {
        Sort::Program("a Windows installer package")
    } else if begins(b"\x7fELF") {
        Sort::Program("a Linux program")
    } else if begins(b"#!") {
        Sort::Program("a script that would be run")
    } else {
        Sort::Plain
    })
}

/// Why an archive can't be unpacked.
#[derive(Debug, thiserror::Error)]
pub enum UnpackError {
    /// The file or the folder fails.
    #[error("it could not be unpacked: {0}")]
    Io(#[source] io::Error),
    /// It is no archive that this program knows.
    #[error("Kanon does not unpack such a file")]
    OtherKind,
    /// It is no harmless zip archive.
    #[error(transparent)]
    Archive(#[from] ArchiveError),
    /// It is no whole zip archive.
    #[error("{0}")]
    Zip(String),
    /// It is no whole 7z archive.
    #[error("it is no whole 7z archive ({0})")]
    SevenZ(String),
    /// It is no whole tar archive.
    #[error("it is no whole tar archive ({0})")]
    Tar(String),
    /// It wants more memory than any mod should.
    #[error(
        "it needs more than {} MiB of memory to be unpacked; pack it again with a smaller dictionary",
        limits::DICTIONARY_BYTES >> 20
    )]
    Dictionary,
    /// A name in it has no end.
    #[error("what it says of a member is far longer than any name")]
    LongName,
    /// It has more members than any mod should.
    #[error("it has more than {} members", limits::ARCHIVE_MEMBERS)]
    TooManyMembers,
    /// A name in it leads out of the folder.
    #[error("it holds a member with a dangerous name: {0}")]
    Dangerous(#[source] PathError),
    /// A member could not be written.
    #[error("{path} in it could not be unpacked: {source}")]
    Member {
        /// The member.
        path: InstallPath,
        /// Why.
        source: io::Error,
    },
    /// It is larger unpacked than any mod should be.
    #[error("it unpacks to far more than any mod should; this looks like an archive made to do harm")]
    Bomb,
}

/// Unpacks an archive into a folder that is there and empty. Links in it are left out.
///
/// # Errors
/// With what is wrong with it; what was written by then is to be thrown away.
pub fn unpack(path: &Path, sort: Sort, into: &Path) -> Result<(), UnpackError> {
    let io = UnpackError::Io;
    let file = regular(path).map_err(io)?;
    let size = file.metadata().map_err(io)?.len();
    let folder = Dir::open_ambient_dir(into, ambient_authority()).map_err(io)?;
    let mut room = Room { folder, members: 0, left: bound(size) };
    match sort {
        Sort::Zip => room.zip(&file, size),
        Sort::SevenZ => room.seven_z(path),
        Sort::Tar => room.tar(BufReader::new(file)),
        Sort::Gzip => room.tar(MultiGzDecoder::new(BufReader::new(file))),
        Sort::OtherArchive(_) | Sort::Program(_) | Sort::Plain => Err(UnpackError::OtherKind),
    }
}

/// The bytes of memory that a packer's properties ask for: those of LZMA and PPMd have them in four bytes behind the first, LZMA2 in
/// one, as an exponent with a half step.
fn dictionary(properties: &[u8]) -> u64 {
    match properties {
        [exponent] => match *exponent {
            40.. => u64::from(u32::MAX),
            exponent => (2 | u64::from(exponent) & 1) << (exponent / 2 + 11),
        },
        [_, a, b, c, d, ..] => u64::from(u32::from_le_bytes([*a, *b, *c, *d])),
        _ => 0,
    }
}

/// The name in the records of a pax header, each `LENGTH KEY=VALUE`.
fn pax_path(records: &[u8]) -> Option<Vec<u8>> {
    let lines = records.split(|byte| *byte == b'\n');
    lines
        .filter_map(|line| line.splitn(2, |byte| *byte == b' ').nth(1)?.strip_prefix(b"path="))
        .next_back()
        .map(<[u8]>::to_vec)
}

/// How many bytes an archive of `size` bytes may unpack to.
fn bound(size: u64) -> u64 {
    size.saturating_mul(limits::ARCHIVE_RATIO).clamp(limits::ARCHIVE_RATIO_FROM_BYTES, limits::ARCHIVE_UNPACKED_BYTES)
}

/// A folder that is being filled, and how much more may come.
struct Room {
    folder: Dir,
    members: usize,
    left: u64,
}

impl Room {
    fn zip(&mut self, file: &File, size: u64) -> Result<(), UnpackError> {
        let broken = |error: zip::result::ZipError| UnpackError::Zip(printable(&error.to_string()));
        // The core's reader refuses bombs, doubled members and dangerous names by the directory alone.
        Archive::open(BufReader::new(file), size)?;
        let mut zip = zip::ZipArchive::new(BufReader::new(file)).map_err(broken)?;
        for index in 0..zip.len() {
            let mut member = zip.by_index(index).map_err(broken)?;
            if member.is_symlink() {
                continue;
            }
            let (name, is_folder) = (member.name().map_err(broken)?.into_owned(), member.is_dir());
            self.put(&name, is_folder, &mut member)?;
        }
        Ok(())
    }

    fn seven_z(&mut self, path: &Path) -> Result<(), UnpackError> {
        let broken = |error: sevenz_rust2::Error| UnpackError::SevenZ(printable(&error.to_string()));
        let password = sevenz_rust2::Password::empty();
        let mut reader = sevenz_rust2::ArchiveReader::open(path, password).map_err(broken)?;
        let coders = reader.archive().blocks.iter().flat_map(|block| &block.coders);
        if coders.clone().any(|coder| dictionary(coder.properties()) > limits::DICTIONARY_BYTES) {
            return Err(UnpackError::Dictionary);
        }
        let mut failed = None;
        let unpacked =
            reader.for_each_entries(|entry, bytes| match self.put(entry.name(), entry.is_directory(), bytes) {
                Ok(()) => Ok(true),
                Err(why) => {
                    failed = Some(why);
                    Ok(false)
                }
            });
        match (failed, unpacked) {
            (Some(why), _) => Err(why),
            (None, unpacked) => unpacked.map_err(broken),
        }
    }

    fn tar(&mut self, reader: impl Read) -> Result<(), UnpackError> {
        let broken = |error: io::Error| UnpackError::Tar(printable(&error.to_string()));
        let mut archive = tar::Archive::new(reader);
        // What stands before a member and tells its name is read here, bounded: the library would take all of it.
        let mut said: Option<String> = None;
        for entry in archive.entries().map_err(broken)?.raw(true) {
            let mut entry = entry.map_err(broken)?;
            let kind = entry.header().entry_type();
            if kind.is_gnu_longname() || kind.is_pax_local_extensions() {
                let mut text = Vec::new();
                entry.by_ref().take(limits::TAR_NAME_BYTES + 1).read_to_end(&mut text).map_err(broken)?;
                if text.len() as u64 > limits::TAR_NAME_BYTES {
                    return Err(UnpackError::LongName);
                }
                let name = if kind.is_gnu_longname() { Some(text) } else { pax_path(&text) };
                let name = name.map(|name| String::from_utf8_lossy(&name).trim_end_matches('\0').to_owned());
                said = name.or(said);
                continue;
            }
            let own = String::from_utf8_lossy(&entry.path_bytes()).into_owned();
            let name = said.take().unwrap_or(own);
            if kind.is_file() || kind.is_dir() {
                self.put(name.trim_start_matches("./"), kind.is_dir(), &mut entry)?;
            }
        }
        Ok(())
    }

    /// Writes one member, as far as there is room.
    fn put(&mut self, name: &str, is_folder: bool, bytes: &mut dyn Read) -> Result<(), UnpackError> {
        self.members += 1;
        if self.members > limits::ARCHIVE_MEMBERS {
            return Err(UnpackError::TooManyMembers);
        }
        let name = name.replace('\\', "/");
        let plain = name.trim_end_matches('/');
        if plain.is_empty() || plain == "." {
            return Ok(());
        }
        let path = InstallPath::new(plain).map_err(UnpackError::Dangerous)?;
        let failed = |source: io::Error| UnpackError::Member { path: path.clone(), source };
        let parent = if is_folder { Some(path.clone()) } else { path.parent() };
        if let Some(parent) = parent {
            self.folder.create_dir_all(parent.as_str()).map_err(failed)?;
        }
        if is_folder {
            return Ok(());
        }
        let mut file = self.folder.create(path.as_str()).map_err(failed)?;
        let written = io::copy(&mut bytes.take(self.left + 1), &mut file).map_err(failed)?;
        file.flush().map_err(failed)?;
        self.left = self.left.checked_sub(written).ok_or(UnpackError::Bomb)?;
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    type Members<'a> = &'a [(&'a str, &'a str)];

    fn tar_of(members: Members<'_>) -> Vec<u8> {
        let mut builder = tar::Builder::new(Vec::new());
        for (name, text) in members {
            let mut header = tar::Header::new_ustar();
            header.set_size(text.len() as u64);
            header.set_mode(0o644);
            // Names that the library itself would refuse are written as they are.
            header.as_old_mut().name[..name.len()].copy_from_slice(name.as_bytes());
            header.set_cksum();
            builder.append(&header, text.as_bytes()).expect("a member");
        }
        builder.into_inner().expect("an archive")
    }

    fn gzip_of(members: Members<'_>) -> Vec<u8> {
        let mut encoder = flate2::write::GzEncoder::new(Vec::new(), flate2::Compression::fast());
        encoder.write_all(&tar_of(members)).expect("written");
        encoder.finish().expect("an archive")
    }

    fn zip_of(members: Members<'_>) -> Vec<u8> {
        let mut writer = zip::ZipWriter::new(io::Cursor::new(Vec::new()));
        for (name, text) in members {
            writer.start_file(*name, zip::write::SimpleFileOptions::default()).expect("a member");
            writer.write_all(text.as_bytes()).expect("written");
        }
        writer.finish().expect("an archive").into_inner()
    }

    fn unpacked(bytes: &[u8]) -> Result<Vec<String>, UnpackError> {
        let temp = tempfile::tempdir().expect("a folder");
        let (file, into) = (temp.path().join("download"), temp.path().join("into"));
        std::fs::write(&file, bytes).expect("written");
        std::fs::create_dir(&into).expect("a folder");
        unpack(&file, sort(&file).expect("read"), &into)?;
        assert_eq!(std::fs::read_dir(temp.path()).expect("read").count(), 2, "nothing was written beside the folder");
        let mut found = Vec::new();
        let mut waiting = vec![into.clone()];
        while let Some(folder) = waiting.pop() {
            for entry in std::fs::read_dir(folder).expect("read").flatten() {
                if entry.path().is_dir() {
                    waiting.push(entry.path());
                } else {
                    let below =
                        entry.path().strip_prefix(&into).expect("below").display().to_string().replace('\\', "/");
                    found.push(format!("{below}={}", std::fs::read_to_string(entry.path()).expect("text")));
                }
            }
        }
        found.sort();
        Ok(found)
    }

    #[rstest]
    #[case::zip(zip_of)]
    #[case::tar(tar_of)]
    #[case::gzip(gzip_of)]
    fn archives_are_unpacked(#[case] make: fn(Members<'_>) -> Vec<u8>) {
        let bytes = make(&[("tide/hold.toml", "id"), ("read.me", "hello")]);
        assert_eq!(unpacked(&bytes).expect("unpacked"), ["read.me=hello", "tide/hold.toml=id"]);
        assert!(unpacked(&bytes[..bytes.len() / 2]).is_err(), "a torn archive");
        for name in ["../out", "/etc/out", "a/../../out", "con.txt"] {
            assert!(unpacked(&make(&[(name, "x")])).is_err(), "{name}");
        }
    }

    #[test]
    fn seven_z_is_unpacked() {
        let temp = tempfile::tempdir().expect("a folder");
        let (folder, file) = (temp.path().join("x"), temp.path().join("x.7z"));
        std::fs::create_dir(&folder).expect("a folder");
        std::fs::write(folder.join("read.me"), "hello").expect("written");
        sevenz_rust2::compress_to_path(&folder, &file).expect("an archive");
        assert_eq!(unpacked(&std::fs::read(&file).expect("read")).expect("unpacked"), ["read.me=hello"]);
    }

    #[rstest]
    #[case(&[24], 16 << 20)]
    #[case(&[25], 24 << 20)]
    #[case(&[40], 0xffff_ffff)]
    #[case(&[255], 0xffff_ffff)]
    #[case(&[0x5d, 0, 0, 0, 0x40], 1 << 30)]
    #[case(&[], 0)]
    fn dictionaries_are_known_before_they_are_made(#[case] properties: &[u8], #[case] bytes: u64) {
        assert_eq!(dictionary(properties), bytes);
    }

    #[test]
    fn long_names_of_tar_are_read_and_endless_ones_are_not() {
        let long = format!("{}/x", "deep/".repeat(30).trim_end_matches('/'));
        let mut builder = tar::Builder::new(Vec::new());
        let mut header = tar::Header::new_gnu();
        header.set_size(1);
        header.set_mode(0o644);
        builder.append_data(&mut header, &long, &b"x"[..]).expect("a member");
        let bytes = builder.into_inner().expect("an archive");
        assert_eq!(unpacked(&bytes).expect("unpacked"), [format!("{long}=x")]);
        let mut encoder = flate2::write::GzEncoder::new(Vec::new(), flate2::Compression::best());
        let mut header = tar::Header::new_gnu();
        header.set_entry_type(tar::EntryType::GNULongName);
        header.set_size(1 << 30);
        header.as_old_mut().name[..1].copy_from_slice(b"x");
        header.set_cksum();
        encoder.write_all(header.as_bytes()).expect("written");
        for _ in 0..64 {
            encoder.write_all(&vec![b'n'; 1 << 20]).expect("written");
        }
        let told = unpacked(&encoder.finish().expect("an archive")).expect_err("refused");
        assert!(matches!(told, UnpackError::LongName), "{told}");
    }

    #[test]
    fn an_archive_that_swells_is_stopped() {
        let mut encoder = flate2::write::GzEncoder::new(Vec::new(), flate2::Compression::best());
        let mut header = tar::Header::new_ustar();
        header.set_size(1 << 40);
        header.as_old_mut().name[..1].copy_from_slice(b"x");
        header.set_cksum();
        encoder.write_all(header.as_bytes()).expect("written");
        for _ in 0..300 {
            encoder.write_all(&vec![0; 1 << 20]).expect("written");
        }
        let swollen = encoder.finish().expect("an archive");
        assert!(matches!(unpacked(&swollen).expect_err("stopped"), UnpackError::Bomb));
    }

    #[rstest]
    #[case(b"MZ\x90", Sort::Program("a Windows program, perhaps an installer"))]
    #[case(b"#!/bin/sh", Sort::Program("a script that would be run"))]
    #[case(b"Rar!\x1a", Sort::OtherArchive("a RAR archive"))]
    #[case(b"hello", Sort::Plain)]
    #[case(b"", Sort::Plain)]
    fn files_are_told_apart(#[case] bytes: &[u8], #[case] expected: Sort) {
        let temp = tempfile::tempdir().expect("a folder");
        std::fs::write(temp.path().join("x"), bytes).expect("written");
        assert_eq!(sort(&temp.path().join("x")).expect("read"), expected);
    }
}
