//! Writes recipes, and packs of the pieces that are new.

use std::collections::{BTreeSet, HashMap};
use std::fs::File;
use std::io::{self, Read, Seek, SeekFrom, Write};
use std::path::Path;

use kanon_core::base::digest::Blake3;
use kanon_core::canon::release::{Piece, RECIPE_FORMAT, Recipe};
use rayon::prelude::*;

use super::pieces::{Cut, cut};
use crate::error::{During, ReachError};
use crate::open::regular;

/// Pieces that are compressed side by side.
const BATCH: usize = 64;

/// A recipe, and the pack of those pieces that no earlier one has.
pub struct Made {
    /// How the file is put together.
    pub recipe: Recipe,
    /// The pack's file, digest and size, if there are new pieces.
    pub pack: Option<(tempfile::NamedTempFile, Blake3, u64)>,
}

/// Cuts a file. Packs of which less than half would still be used are not: so old ones can go some day.
///
/// # Errors
/// When the file can't be read, or changes meanwhile.
pub fn make_recipe(
    (source, size): (&Path, u64),
    average: u32,
    earlier: &HashMap<Blake3, (Blake3, &Piece)>,
    room: &Path,
) -> Result<Made, ReachError> {
    let mut cuts: Vec<Cut> = Vec::new();
    let mut file = regular(source).during("open", source)?;
    let note = |piece: Cut, _: &[u8]| {
        cuts.push(piece);
        Ok(())
    };
    cut(io::BufReader::with_capacity(1 << 20, &mut file), average, note).during("cut", source)?;
    let used = packs_in_use(&cuts, earlier);
    let mut packs: Vec<Blake3> = used.iter().copied().collect();
    let mut places: HashMap<Blake3, Piece> = HashMap::new();
    for (digest, (pack, piece)) in earlier {
        if let Some(index) = packs.iter().position(|known| known == pack) {
            places.insert(*digest, Piece { pack: index_of(index), ..**piece });
        }
    }
    let mut new: Vec<Cut> = Vec::new();
    let mut seen: BTreeSet<Blake3> = places.keys().copied().collect();
    new.extend(cuts.iter().filter(|piece| seen.insert(piece.blake3)));
    let pack = match new.is_empty() {
        true => None,
        false => Some(write_pack(&mut file, source, &new, room)?),
    };
    let pack = pack.map(|(file, written)| {
        packs.push(written.digest);
        let pack = index_of(packs.len() - 1);
        for (piece, (at, stored)) in new.iter().zip(written.places) {
            places.insert(piece.blake3, Piece { blake3: piece.blake3, size: piece.size, pack, at, stored });
        }
        (file, written.digest, written.size)
    });
    let pieces = cuts.iter().map(|piece| places[&piece.blake3]).collect();
    let recipe = Recipe { format: RECIPE_FORMAT.to_owned(), average, packs, pieces };
    debug_assert_eq!(cuts.iter().map(|piece| u64::from(piece.size)).sum::<u64>(), size);
    Ok(Made { recipe, pack })
}

fn index_of(index: usize) -> u32 {
    u32::try_from(index).unwrap_or(u32::MAX)
}

/// The earlier packs of which at least half is used.
fn packs_in_use(cuts: &[Cut], earlier: &HashMap<Blake3, (Blake3, &Piece)>) -> BTreeSet<Blake3> {
    let (mut all, mut used): (HashMap<Blake3, u64>, HashMap<Blake3, u64>) = (HashMap::new(), HashMap::new());
    for (pack, piece) in earlier.values() {
        *all.entry(*pack).or_default() += u64::from(piece.stored);
    }
    let wanted: BTreeSet<Blake3> = cuts.iter().map(|piece| piece.blake3).collect();
    for (pack, piece) in wanted.iter().filter_map(|digest| earlier.get(digest)) {
        *used.entry(*pack).or_default() += u64::from(piece.stored);
    }
    used.into_iter().filter(|(pack, bytes)| bytes * 2 >= all[pack]).map(|(pack, _)| pack).collect()
}

/// What a pack that was written holds.
struct Written {
    digest: Blake3,
    size: u64,
    /// Where each piece is in it, and how large there.
    places: Vec<(u64, u32)>,
}

/// A file that may be moved to where others read it: not for its owner's eyes alone, as temporary files are.
#[cfg(unix)]
fn new_pack(room: &Path) -> io::Result<tempfile::NamedTempFile> {
    let everybodys = std::os::unix::fs::PermissionsExt::from_mode(0o666);
    tempfile::Builder::new().permissions(everybodys).tempfile_in(room)
}

/// The same, where a file has no such bits.
#[cfg(not(unix))]
fn new_pack(room: &Path) -> io::Result<tempfile::NamedTempFile> {
    tempfile::NamedTempFile::new_in(room)
}

/// Mods are often packed already: a quick look tells whether the thorough one is worth its time.
fn compressed(bytes: &[u8]) -> io::Result<Vec<u8>> {
    let quick = zstd::bulk::compress(bytes, 1)?;
    let is_worth_it = quick.len() < bytes.len() / 20 * 19;
    if is_worth_it { zstd::bulk::compress(bytes, 9) } else { Ok(quick) }
}

fn write_pack(
    file: &mut File,
    source: &Path,
    pieces: &[Cut],
    room: &Path,
) -> Result<(tempfile::NamedTempFile, Written), ReachError> {
    let mut pack = new_pack(room).during("make a file in", room)?;
    let (mut hasher, mut size, mut places) = (blake3::Hasher::new(), 0, Vec::with_capacity(pieces.len()));
    for batch in pieces.chunks(BATCH) {
        let mut raw = Vec::with_capacity(batch.len());
        for piece in batch {
            let mut bytes = vec![0; piece.size as usize];
            file.seek(SeekFrom::Start(piece.at)).and_then(|_| file.read_exact(&mut bytes)).during("read", source)?;
            raw.push((piece, bytes));
        }
        let packed: Vec<Option<io::Result<Vec<u8>>>> = raw
            .par_iter()
            .map(|(piece, bytes)| (Blake3::of(bytes) == piece.blake3).then(|| compressed(bytes)))
            .collect();
        let mut whole = Vec::new();
        for packed in packed {
            let packed = packed.ok_or_else(|| ReachError::Changed(source.to_owned()))?;
            let packed = packed.during("compress a piece of", source)?;
            places.push((size, u32::try_from(packed.len()).unwrap_or(u32::MAX)));
            size += packed.len() as u64;
            whole.extend_from_slice(&packed);
        }
        pack.write_all(&whole).during("write", pack.path())?;
        hasher.update_rayon(&whole);
    }
    pack.flush().during("write", pack.path())?;
    let digest = Blake3::from_bytes(*hasher.finalize().as_bytes());
    Ok((pack, Written { digest, size, places }))
}
