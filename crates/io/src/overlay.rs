//! Base archives rebuilt: the kept original with the members of overlays laid in, the same bytes for the same input.

use std::collections::HashMap;
use std::fs::File;
use std::io::{self, Read, Seek, Write};
use std::path::{Path, PathBuf};

use kanon_core::base::digest::Blake3;
use kanon_core::base::ids::FoldedId;
use kanon_core::rulebook::NamePattern;
use zip::result::ZipError;
use zip::{ZipArchive, ZipWriter};

use crate::error::{During, ReachError};
use crate::hashing::blake3_of;
use crate::open::regular;

/// An overlay that is laid in.
#[derive(Debug, Clone)]
pub struct Overlay {
    /// Its mod's id.
    pub id: FoldedId,
    /// Its digest.
    pub digest: Blake3,
    /// A file with its bytes.
    pub file: PathBuf,
}

/// What a rebuilt archive depends on: nothing else makes it another one.
pub fn recipe(original: Blake3, overlays: &[Overlay], strip: &[NamePattern]) -> Blake3 {
    let mut text = format!("{original}\n");
    overlays.iter().for_each(|overlay| text.push_str(&format!("{}\n", overlay.digest)));
    strip.iter().for_each(|pattern| text.push_str(&format!("{}\n", pattern.text())));
    Blake3::of(text.as_bytes())
}

/// Builds an archive: members of the original keep their places and bytes, those of overlays take their places or come
/// after them, in the order in which they are laid; of two with one name the later counts.
///
/// # Errors
/// When one of the archives can't be read, or the new one not be written.
pub fn build(original: &Path, overlays: &[Overlay], strip: &[NamePattern], into: &Path) -> Result<Blake3, ReachError> {
    let mut base = opened(original)?;
    let mut laid: Vec<ZipArchive<File>> =
        overlays.iter().map(|overlay| opened(&overlay.file)).collect::<Result<_, _>>()?;
    let stripped = |name: &str| strip.iter().any(|pattern| pattern.fits(name));
    let mut last: HashMap<String, (usize, usize)> = HashMap::new();
    let mut new: Vec<String> = Vec::new();
    for (at, archive) in laid.iter_mut().enumerate() {
        for index in 0..archive.len() {
            let name = member(archive, index, &overlays[at].file)?;
            if stripped(&name) || name.ends_with('/') {
                continue;
            }
            if last.insert(name.clone(), (at, index)).is_none() && base.index_for_name(&name).is_none() {
                new.push(name);
            }
        }
    }
    let file = File::options().read(true).write(true).create(true).truncate(true).open(into);
    let mut file = file.during("make", into)?;
    let mut writer = ZipWriter::new(&mut file);
    for index in 0..base.len() {
        let name = member(&mut base, index, original)?;
        if stripped(&name) {
            continue;
        }
        match last.get(&name) {
            Some((at, inner)) => copy(&mut laid[*at], *inner, &mut writer, into)?,
            None => copy(&mut base, index, &mut writer, into)?,
        }
    }
    for name in new {
        let (at, inner) = last[&name];
        copy(&mut laid[at], inner, &mut writer, into)?;
    }
    writer.finish().map_err(io_error).during("write", into)?;
    file.sync_all().and_then(|()| file.rewind()).during("write", into)?;
    blake3_of(&mut file, 0).map(|(digest, _)| digest).during("read", into)
}

fn io_error(error: ZipError) -> io::Error {
    match error {
        ZipError::Io(error) => error,
        other => io::Error::other(other.to_string()),
    }
}

fn opened(path: &Path) -> Result<ZipArchive<File>, ReachError> {
    let file = regular(path).during("open", path)?;
    ZipArchive::new(file).map_err(io_error).during("read the archive", path)
}

fn member<R: Read + Seek>(archive: &mut ZipArchive<R>, index: usize, path: &Path) -> Result<String, ReachError> {
    let member = archive.by_index_raw(index).map_err(io_error).during("read the archive", path)?;
    let name = member.name().map_err(io_error).during("read the archive", path)?;
    Ok(name.into_owned())
}

fn copy<R: Read + Seek, W: Write + Seek>(
    archive: &mut ZipArchive<R>,
    index: usize,
    writer: &mut ZipWriter<W>,
    into: &Path,
) -> Result<(), ReachError> {
    let copied = archive.by_index_raw(index).and_then(|member| writer.raw_copy_file(member));
    copied.map_err(io_error).during("write", into)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn archive(path: &Path, members: &[(&str, &str)]) {
        let mut writer = ZipWriter::new(File::create(path).expect("made"));
        for (name, text) in members {
            writer.start_file(*name, zip::write::SimpleFileOptions::default()).expect("started");
            writer.write_all(text.as_bytes()).expect("written");
        }
        writer.finish().expect("finished");
    }

    fn contents(path: &Path) -> Vec<(String, String)> {
        let mut archive = opened(path).expect("an archive");
        let names: Vec<String> = archive.file_names().map(|name| name.expect("a name").into_owned()).collect();
        let mut read = |name: String| {
            let mut text = String::new();
            archive.by_name(&name).expect("a member").read_to_string(&mut text).expect("text");
            (name, text)
        };
        names.into_iter().map(&mut read).collect()
    }

    #[test]
    fn overlays_are_laid_in_order_and_what_must_go_is_left_out() {
        let temp = tempfile::tempdir().expect("a folder");
        let at = |name: &str| temp.path().join(name);
        archive(&at("base"), &[("a", "base a"), ("SEAL/x", "seal"), ("b", "base b")]);
        archive(&at("one"), &[("new", "one new"), ("b", "one b"), ("SEAL/one", "seal")]);
        archive(&at("two"), &[("b", "two b"), ("late", "two late")]);
        let overlay = |name: &str| Overlay { id: name.into(), digest: Blake3::of(name.as_bytes()), file: at(name) };
        let strip = [NamePattern::new("SEAL/*").expect("a pattern")];
        let build = |order: &[Overlay], into: &str| build(&at("base"), order, &strip, &at(into)).expect("built");
        let (one, two) = (overlay("one"), overlay("two"));
        let digest = build(&[one.clone(), two.clone()], "built");
        let expected = [("a", "base a"), ("b", "two b"), ("new", "one new"), ("late", "two late")];
        assert_eq!(contents(&at("built")), expected.map(|(name, text)| (name.to_owned(), text.to_owned())));
        assert_eq!(build(&[one.clone(), two.clone()], "again"), digest, "the same bytes again");
        build(&[two.clone(), one.clone()], "other");
        assert_eq!(contents(&at("other"))[1].1, "one b");
        let original = Blake3::of(b"base");
        assert_ne!(recipe(original, &[one.clone(), two.clone()], &strip), recipe(original, &[two, one], &strip));
    }
}
