//! The evidence of one bad evening as one file: a zip that others can look into with any program, read again within bounds.

use std::collections::BTreeMap;
use std::fs::File;
use std::io::{Cursor, Read, Write};
use std::path::Path;

use kanon_core::base::limits::ARCHIVE_MEMBERS;
use zip::write::SimpleFileOptions;
use zip::{CompressionMethod, DateTime, ZipArchive, ZipWriter};

use crate::error::{During, ReachError};
use crate::open::read_bounded;

/// So large may such a file be, and so large what is in it, each part and together.
const PACKED: u64 = 64 << 20;
const PART: u64 = 48 << 20;
const PARTS: u64 = 120 << 20;

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

/// Reads the parts that are wanted; others are passed over.
///
/// # Errors
/// When it can't be read, is no such file, or is larger than may be.
pub fn read(path: &Path, wanted: &[&str]) -> Result<Parts, ReachError> {
    let unusable = |reason: String| ReachError::Unusable { path: path.to_owned(), reason };
    let bytes = read_bounded(path, PACKED).during("read", path)?;
    let no_zip =
        |error: zip::result::ZipError| unusable(format!("it is no evidence as kanon export makes it ({error})"));
    let mut archive = ZipArchive::new(Cursor::new(bytes)).map_err(no_zip)?;
    if archive.len() > ARCHIVE_MEMBERS {
        return Err(unusable("it has more parts than can be".to_owned()));
    }
    let mut parts = Parts::new();
    let mut left = PARTS;
    for name in wanted {
        let Some(place) = archive.index_for_name(name) else { continue };
        let most = PART.min(left);
        let mut part = Vec::new();
        let member = archive.by_index(place).map_err(no_zip)?;
        member.take(most + 1).read_to_end(&mut part).during("read", path)?;
        let size = part.len() as u64;
        if size > most {
            return Err(unusable(format!("{name} in it is larger than {} MiB", most >> 20)));
        }
        left -= size;
        parts.insert((*name).to_owned(), part);
    }
    Ok(parts)
}

/// Lays parts out in a folder, to be read like any other files.
///
/// # Errors
/// When they can't be written.
pub fn laid_out(parts: &Parts, folder: &Path) -> Result<(), ReachError> {
    for (name, bytes) in parts {
        let path = folder.join(name);
        File::create(&path).and_then(|mut file| file.write_all(bytes)).during("write", &path)?;
    }
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn parts_come_back_and_what_is_not_asked_for_does_not() {
        let temp = tempfile::tempdir().expect("a folder");
        let path = temp.path().join("evening.zip");
        let parts: Parts = [("a.json", "{}"), ("../b", "no")].map(|(n, b)| (n.to_owned(), b.into())).into();
        let packed = packed(&parts, &path).expect("packed");
        assert_eq!(packed, super::packed(&parts, &path).expect("packed"), "the same bytes");
        write(&path, &packed).expect("written");
        let read = read(&path, &["a.json", "c"]).expect("read");
        assert_eq!(read, Parts::from([("a.json".to_owned(), b"{}".to_vec())]));
    }

    #[test]
    fn what_swells_is_refused_and_so_is_what_is_no_zip() {
        let temp = tempfile::tempdir().expect("a folder");
        let path = temp.path().join("evening.zip");
        let parts: Parts = [("server.log".to_owned(), vec![b'x'; (PART + 1) as usize])].into();
        write(&path, &packed(&parts, &path).expect("packed")).expect("written");
        let told = read(&path, &["server.log"]).expect_err("too large").to_string();
        assert!(told.contains("larger than 48 MiB"), "{told}");
        std::fs::write(&path, "no zip").expect("written");
        assert!(read(&path, &["server.log"]).is_err());
    }
}
