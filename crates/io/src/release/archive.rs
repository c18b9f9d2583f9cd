//! All that a player needs in one archive, laid out to be unpacked in the game's folder; the same bytes for the same mods.

use std::fs::File;
use std::io::{self, Read, Write};
use std::path::Path;

use kanon_core::base::digest::Blake3;
use tempfile::NamedTempFile;
use zip::write::SimpleFileOptions;
use zip::{CompressionMethod, DateTime, ZipWriter};

use crate::bytes::Bytes;
use crate::error::{During, ReachError};
use crate::hashing::blake3_of;
use crate::open::regular;

/// What goes into it.
#[derive(Debug, Clone, Default)]
pub struct Archive {
    /// Files of mods: the place of each in the game's folder, its digest and its size.
    pub files: Vec<(String, Blake3, u64)>,
    /// Texts beside them.
    pub texts: Vec<(String, String)>,
}

impl Archive {
    /// A digest of what goes into it.
    pub(super) fn says(&self) -> Blake3 {
        let files = self.files.iter().map(|(name, digest, _)| (name.as_str(), *digest));
        let texts = self.texts.iter().map(|(name, text)| (name.as_str(), Blake3::of(text.as_bytes())));
        Blake3::of_files(files.chain(texts).map(|(name, digest)| (name, 0, digest)))
    }
}

/// So much of a file tells whether it gets smaller.
const SAMPLE: usize = 64 << 10;

/// Writes it into a file of its own beside the keys; with its digest and its size.
///
/// # Errors
/// When it can't be written, or bytes are nowhere.
pub fn make(archive: &Archive, bytes: &Bytes, folder: &Path) -> Result<(NamedTempFile, Blake3, u64), ReachError> {
    let made = NamedTempFile::new_in(folder).during("make a file in", folder)?;
    let path = made.path().to_owned();
    let file = made.reopen().during("open", &path)?;
    write(archive, bytes, file, &path)?;
    let mut file = File::open(&path).during("open", &path)?;
    let size = file.metadata().during("look at", &path)?.len();
    let digest = blake3_of(&mut file, size).during("read", &path)?.0;
    Ok((made, digest, size))
}

fn write(archive: &Archive, bytes: &Bytes, file: File, path: &Path) -> Result<(), ReachError> {
    let mut writer = ZipWriter::new(io::BufWriter::new(file));
    let failed =
        |error: zip::result::ZipError| ReachError::Unusable { path: path.to_owned(), reason: error.to_string() };
    let options = SimpleFileOptions::default().last_modified_time(DateTime::default()).unix_permissions(0o644);
    for (name, text) in &archive.texts {
        writer.start_file(name.as_str(), options.compression_method(CompressionMethod::Deflated)).map_err(failed)?;
        writer.write_all(text.as_bytes()).during("write", path)?;
    }
    let mut files: Vec<&(String, Blake3, u64)> = archive.files.iter().collect();
    files.sort();
    for (name, digest, size) in files {
        let sources = bytes.paths(*digest);
        let is_it = |source: &&std::path::PathBuf| {
            let read = || blake3_of(&mut regular(source).ok()?, *size).ok();
            read().is_some_and(|(found, _)| found == *digest)
        };
        let source = sources.iter().find(is_it).ok_or_else(|| ReachError::BytesNowhere(vec![digest.short()]))?;
        let method = if gets_smaller(source).during("read", source)? {
            CompressionMethod::Deflated
        } else {
            CompressionMethod::Stored
        };
        let options = options.compression_method(method).large_file(*size >= u64::from(u32::MAX));
        writer.start_file(name.as_str(), options).map_err(failed)?;
        io::copy(&mut regular(source).during("read", source)?, &mut writer).during("write", path)?;
    }
    let mut buffer = writer.finish().map_err(failed)?;
    buffer.flush().during("write", path)
}

/// Whether packing a file is worth it: most mods are packed already.
fn gets_smaller(source: &Path) -> io::Result<bool> {
    let mut sample = Vec::new();
    regular(source)?.take(SAMPLE as u64).read_to_end(&mut sample)?;
    let mut packed = flate2::write::DeflateEncoder::new(Vec::new(), flate2::Compression::fast());
    packed.write_all(&sample)?;
    Ok(packed.finish()?.len() * 10 < sample.len() * 9)
}
