//! Whether a file is whole, by what it says of itself: an archive that was torn off or altered on its way does not fit its own
//! checksums, and must not become what everybody gets.

use std::fs::File;
use std::io::{self, BufReader, Read, Seek, SeekFrom};
use std::path::Path;

use displaydoc::Display;
use kanon_core::base::limits;
use kanon_core::base::path::printable;
use zip::ZipArchive;
use zip::result::ZipError;

use crate::open::regular;

/// How a zip archive begins.
const ZIP: &[u8] = b"PK\x03\x04";
/// How a gzip file begins.
const GZIP: &[u8] = b"\x1f\x8b\x08";

/// What is wrong with an archive.
#[derive(Debug, Display)]
pub enum Torn {
    /// it is torn or altered: {0}
    Altered(io::Error),
    /// it is torn: its directory can't be read ({0})
    Directory(ZipError),
    /// it has more than {0} members
    Members(usize),
    /// a member of it can't be read: {0}
    Unread(ZipError),
    /// its member {name} is torn or altered: {why}
    Member {
        /// Its name.
        name: String,
        /// Why.
        why: io::Error,
    },
    /// it unpacks to more than any mod has
    Swollen,
}

/// What is wrong with a file, if anything is: every member of an archive is read and held against its checksum. What carries
/// no checksums is taken as it is.
///
/// # Errors
/// When the file itself can't be read.
pub fn fault(path: &Path) -> io::Result<Option<Torn>> {
    let mut file = regular(path)?;
    let mut head = Vec::new();
    file.by_ref().take(4).read_to_end(&mut head)?;
    file.seek(SeekFrom::Start(0))?;
    if head == ZIP {
        return Ok(fault_of_zip(file));
    }
    if head.starts_with(GZIP) {
        let unpacked = io::copy(
            &mut flate2::read::MultiGzDecoder::new(BufReader::new(file)).take(limits::ARCHIVE_UNPACKED_BYTES),
            &mut io::sink(),
        );
        return Ok(unpacked.err().map(Torn::Altered));
    }
    Ok(None)
}

fn fault_of_zip(file: File) -> Option<Torn> {
    let mut archive = match ZipArchive::new(BufReader::new(file)) {
        Ok(archive) => archive,
        Err(error) => return Some(Torn::Directory(error)),
    };
    if archive.len() > limits::ARCHIVE_MEMBERS {
        return Some(Torn::Members(limits::ARCHIVE_MEMBERS));
    }
    let mut left = limits::ARCHIVE_UNPACKED_BYTES;
    for index in 0..archive.len() {
        let mut member = match archive.by_index(index) {
            Ok(member) => member,
            // What is locked, or packed in a way that is not known here, can't be held against anything.
            Err(ZipError::UnsupportedArchive(_) | ZipError::InvalidPassword) => continue,
            Err(error) => return Some(Torn::Unread(error)),
        };
        let name = member.name().map(|name| name.chars().take(120).collect::<String>()).unwrap_or_default();
        let name = printable(&name);
        match io::copy(&mut member.by_ref().take(left), &mut io::sink()) {
            Ok(bytes) if bytes == left => return Some(Torn::Swollen),
            Ok(bytes) => left -= bytes,
            Err(why) => return Some(Torn::Member { name, why }),
        }
    }
    None
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;
    use std::io::Write;

    fn archive() -> Vec<u8> {
        let mut writer = zip::ZipWriter::new(io::Cursor::new(Vec::new()));
        for name in ["about.json", "data/tide"] {
            writer.start_file(name, zip::write::SimpleFileOptions::default()).expect("begun");
            writer.write_all(&[name.as_bytes(), &[b'x'; 300]].concat()).expect("written");
        }
        writer.finish().expect("finished").into_inner()
    }

    #[rstest]
    #[case::whole(archive(), None)]
    #[case::opaque(b"just bytes".to_vec(), None)]
    #[case::empty(Vec::new(), None)]
    #[case::cut({ let mut bytes = archive(); bytes.truncate(bytes.len() * 2 / 3); bytes }, Some("torn"))]
    #[case::altered({ let mut bytes = archive(); bytes[46] ^= 0x55; bytes }, Some("torn or altered"))]
    #[case::gzip_cut({
        let mut writer = flate2::write::GzEncoder::new(Vec::new(), flate2::Compression::default());
        writer.write_all(&[b'x'; 4000]).expect("written");
        let mut bytes = writer.finish().expect("finished");
        bytes.truncate(bytes.len() - 6);
        bytes
    }, Some("torn or altered"))]
    fn what_is_torn_or_altered_is_told(#[case] bytes: Vec<u8>, #[case] told: Option<&str>) {
        let temp = tempfile::tempdir().expect("a folder");
        let path = temp.path().join("file");
        std::fs::write(&path, bytes).expect("written");
        let found = fault(&path).expect("readable");
        match told {
            Some(told) => assert!(found.is_some_and(|found| found.to_string().contains(told)), "{path:?}"),
            None => assert!(found.is_none(), "{found:?}"),
        }
    }
}
