//! All that a player needs in one archive, laid out to be unpacked in the game's folder; the same bytes for the same mods.

use std::fs::File;
use std::io::{self, Read, Write};
use std::path::Path;

use kanon_core::base::digest::Blake3;
use kanon_core::canon::release::Stored;
use tempfile::NamedTempFile;
use zip::write::SimpleFileOptions;
use zip::{CompressionMethod, DateTime, ZipWriter};

use crate::bytes::{Bytes, Handing};
use crate::error::{During, ReachError, Unfit};
use crate::hashing::blake3_of;
use crate::install::Seekable;

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
const SAMPLE: u64 = 64 << 10;

/// Writes it into a file of its own beside the keys; with its digest and its size.
///
/// # Errors
/// When it can't be written, or bytes are nowhere.
pub fn make(archive: &Archive, bytes: &Bytes, folder: &Path) -> Result<(NamedTempFile, Stored), ReachError> {
    let made = NamedTempFile::new_in(folder).during("make a file in", folder)?;
    let path = made.path().to_owned();
    let file = made.reopen().during("open", &path)?;
    write(archive, bytes, file, &path)?;
    let mut file = File::open(&path).during("open", &path)?;
    let size = file.metadata().during("look at", &path)?.len();
    let blake3 = blake3_of(&mut file, size).during("read", &path)?.0;
    Ok((made, Stored { blake3, size }))
}

fn write(archive: &Archive, bytes: &Bytes, file: File, path: &Path) -> Result<(), ReachError> {
    let mut writer = ZipWriter::new(io::BufWriter::new(file));
    let failed = |error: zip::result::ZipError| ReachError::unusable(path, Unfit::told(error));
    let options = SimpleFileOptions::default().last_modified_time(DateTime::default()).unix_permissions(0o644);
    for (name, text) in &archive.texts {
        writer.start_file(name.as_str(), options.compression_method(CompressionMethod::Deflated)).map_err(failed)?;
        writer.write_all(text.as_bytes()).during("write", path)?;
    }
    let mut files: Vec<&(String, Blake3, u64)> = archive.files.iter().collect();
    files.sort();
    for (name, digest, size) in files {
        let options = options.large_file(*size >= u64::from(u32::MAX));
        let mut is_begun = false;
        let handed = bytes.hand_over(*digest, |source| {
            // What a copy had that has changed since is thrown away.
            if std::mem::replace(&mut is_begun, true) {
                writer.abort_file()?;
            }
            let method = if gets_smaller(source)? { CompressionMethod::Deflated } else { CompressionMethod::Stored };
            writer.start_file(name.as_str(), options.compression_method(method))?;
            io::copy(source, &mut writer).map(drop)
        });
        handed.map_err(|error| match error {
            Handing::Nowhere => ReachError::BytesNowhere(vec![digest.short()]),
            Handing::Failed(source) => ReachError::Io { attempt: "write", path: path.to_owned(), source },
        })?;
    }
    let mut buffer = writer.finish().map_err(failed)?;
    buffer.flush().during("write", path)
}

/// Whether packing a file is worth it: most mods are packed already. It is at its start afterwards.
fn gets_smaller(source: &mut dyn Seekable) -> io::Result<bool> {
    let mut sample = Vec::new();
    (&mut *source).take(SAMPLE).read_to_end(&mut sample)?;
    source.rewind()?;
    let mut packed = flate2::write::DeflateEncoder::new(Vec::new(), flate2::Compression::fast());
    packed.write_all(&sample)?;
    Ok(packed.finish()?.len() * 10 < sample.len() * 9)
}
