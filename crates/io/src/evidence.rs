//! The evidence of one bad evening as one file: a zip that others can look into with any program, read again within bounds.

use std::collections::{BTreeMap, BTreeSet};
use std::fs::File;
use std::io::{BufReader, Cursor, Read, Write};
use std::path::Path;

use zip::write::SimpleFileOptions;
use zip::{CompressionMethod, DateTime, ZipArchive, ZipWriter};

use crate::error::{During, ReachError, ReadFault, Unfit};
use crate::open::regular as open_regular;

/// So large may such a file be, and so large what is in it, each part and together.
const PACKED: u64 = 64 << 20;
const PART: u64 = 48 << 20;
const PARTS: u64 = 120 << 20;
/// So many parts it may have.
const MEMBERS: usize = 1_000;

/// The parts of a piece of evidence by what they are called.
pub type Parts = BTreeMap<String, Vec<u8>>;

/// Packs parts; the same parts make the same bytes.
///
/// # Errors
/// When one can't be packed.
pub fn packed(parts: &Parts, name: &Path) -> Result<Vec<u8>, ReachError> {
    let unusable = |error: std::io::Error| ReachError::Io { attempt: "pack", path: name.to_owned(), source: error };
    let mut zip = ZipWriter::new(Cursor::new(Vec::new()));
    let options = SimpleFileOptions::default()
        .compression_method(CompressionMethod::Deflated)
        .last_modified_time(DateTime::default());
    for (part, bytes) in parts {
        zip.start_file(part.as_str(), options).map_err(|error| unusable(error.into()))?;
        zip.write_all(bytes).map_err(unusable)?;
    }
    Ok(zip.finish().map_err(|error| unusable(error.into()))?.into_inner())
}

/// Writes what was packed, whole or not at all.
///
/// # Errors
/// When it can't be written.
pub fn write(path: &Path, bytes: &[u8]) -> Result<(), ReachError> {
    let folder = path.parent().filter(|folder| !folder.as_os_str().is_empty()).unwrap_or(Path::new("."));
    let mut file = tempfile::NamedTempFile::new_in(folder).during("make a file beside", path)?;
    file.write_all(bytes).during("write", path)?;
    file.persist(path).map_err(|error| error.error).during("write", path)?;
    Ok(())
}

/// Lays the parts that are wanted out in a folder, to be read like any other files; others are passed over. Says which there are.
///
/// # Errors
/// When it can't be read, is no such file, or is larger than may be.
pub fn laid_out(path: &Path, wanted: &[&str], folder: &Path) -> Result<BTreeSet<String>, ReachError> {
    let unusable = |reason: Unfit| ReachError::unusable(path, reason);
    let file = open_regular(path).during("read", path)?;
    let size = file.metadata().during("look at", path)?.len();
    if size > PACKED {
        return Err(unusable(ReadFault::LargerThanMib(PACKED >> 20).into()));
    }
    let no_zip = |error: zip::result::ZipError| unusable(ReadFault::NoEvidence(error.to_string()).into());
    let mut archive = ZipArchive::new(BufReader::new(file)).map_err(no_zip)?;
    if archive.len() > MEMBERS {
        return Err(unusable(ReadFault::TooManyParts.into()));
    }
    let mut there = BTreeSet::new();
    let mut left = PARTS;
    for name in wanted {
        let Some(place) = archive.index_for_name(name) else { continue };
        let most = PART.min(left);
        let (member, to) = (archive.by_index(place).map_err(no_zip)?, folder.join(name));
        let mut out = File::create(&to).during("write", &to)?;
        let size = std::io::copy(&mut member.take(most + 1), &mut out).during("unpack", path)?;
        if size > most {
            return Err(unusable(ReadFault::PartLargerThanMib { part: (*name).to_owned(), mib: most >> 20 }.into()));
        }
        left -= size;
        there.insert((*name).to_owned());
    }
    Ok(there)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn parts_come_back_and_what_is_not_asked_for_does_not() {
        let temp = tempfile::tempdir().expect("a folder");
        let (path, folder) = (temp.path().join("evening.zip"), temp.path().join("out"));
        std::fs::create_dir(&folder).expect("a folder");
        let parts: Parts = [("a.json", "{}"), ("../b", "no")].map(|(n, b)| (n.to_owned(), b.into())).into();
        let packed = packed(&parts, &path).expect("packed");
        assert_eq!(packed, super::packed(&parts, &path).expect("packed"), "the same bytes");
        write(&path, &packed).expect("written");
        let there = laid_out(&path, &["a.json", "c"], &folder).expect("read");
        assert_eq!(there, BTreeSet::from(["a.json".to_owned()]));
        assert_eq!(std::fs::read(folder.join("a.json")).expect("there"), b"{}");
        assert!(!temp.path().join("b").exists());
    }

    #[test]
    fn what_swells_is_refused_and_so_is_what_is_no_zip() {
        let temp = tempfile::tempdir().expect("a folder");
        let path = temp.path().join("evening.zip");
        let parts: Parts = [("server.log".to_owned(), vec![b'x'; (PART + 1) as usize])].into();
        write(&path, &packed(&parts, &path).expect("packed")).expect("written");
        let told = laid_out(&path, &["server.log"], temp.path()).expect_err("too large").to_string();
        assert!(told.contains("larger than 48 MiB"), "{told}");
        std::fs::write(&path, "no zip").expect("written");
        assert!(laid_out(&path, &["server.log"], temp.path()).is_err());
    }
}
