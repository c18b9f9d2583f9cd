//! Writes recipes, and packs of the pieces that are new.

use std::collections::{BTreeSet, HashMap};
use std::fs::File;
use std::io::{self, Read, Seek, SeekFrom, Write};
use std::path::Path;

use kanon_core::base::digest::Blake3;
use kanon_core::canon::release::{Packed, Piece, PieceDigest, RECIPE_FORMAT, Recipe};
use rayon::prelude::*;

use super::pieces::{Cut, cut};
use crate::error::{During, ReachError};
use crate::open::regular;

/// Pieces that are compressed side by side.
const BATCH: usize = 64;
/// Of so many pieces one is compressed, to see whether a file gets smaller at all.
const TRIED: usize = 16;

/// A recipe, and the pack of those pieces that no earlier one has.
pub struct Made {
    /// How the file is put together.
    pub recipe: Recipe,
    /// The pack, if there are new pieces that are kept in one.
    pub pack: Option<NewPack>,
}

/// A pack's file, digest and size.
type NewPack = (tempfile::NamedTempFile, Blake3, u64);

/// Pieces and the packs that they are in, one of which may be new.
struct InPacks {
    packs: Vec<Blake3>,
    pieces: Vec<Piece>,
    new: Option<NewPack>,
}

/// A file as it was looked through.
struct LookedThrough {
    cuts: Vec<Cut>,
    blake3: Blake3,
    gets_smaller: bool,
}

/// Cuts a file, which is to have that digest; nothing where it has another by now. Its bytes are shown to `also` in passing. Packs
/// of which less than half would still be used are not: so old ones can go some day.
///
/// # Errors
/// When the file can't be read, or changes meanwhile.
pub fn make_recipe(
    (source, digest): (&Path, Blake3),
    average: u32,
    (earlier, room): (&HashMap<PieceDigest, (Blake3, &Piece)>, &Path),
    also: &mut dyn FnMut(&[u8]),
) -> Result<Option<Made>, ReachError> {
    let Ok(mut file) = regular(source) else { return Ok(None) };
    let looked = look_through(&mut file, average, also).during("cut", source)?;
    if looked.blake3 != digest {
        return Ok(None);
    }
    let InPacks { packs, pieces, new } = match looked.gets_smaller {
        true => in_packs((&mut file, source), &looked.cuts, earlier, room)?,
        false => InPacks { packs: Vec::new(), pieces: looked.cuts.iter().map(in_file).collect(), new: None },
    };
    let recipe = Recipe { format: RECIPE_FORMAT.to_owned(), average, packs, pieces };
    Ok(Some(Made { recipe, pack: new }))
}

const fn in_file(piece: &Cut) -> Piece {
    Piece { digest: piece.digest, size: piece.size, packed: None }
}

fn look_through(file: &mut File, average: u32, also: &mut dyn FnMut(&[u8])) -> io::Result<LookedThrough> {
    let (mut cuts, mut hasher) = (Vec::new(), blake3::Hasher::new());
    let (mut tried, mut smaller) = (0, 0);
    let note = |piece: Cut, bytes: &[u8]| {
        hasher.update(bytes);
        also(bytes);
        if cuts.len() % TRIED == 0 {
            tried += bytes.len();
            smaller += zstd::bulk::compress(bytes, 1)?.len().min(bytes.len());
        }
        cuts.push(piece);
        Ok(())
    };
    cut(io::BufReader::with_capacity(1 << 20, file), average, note)?;
    let blake3 = Blake3::from_bytes(*hasher.finalize().as_bytes());
    Ok(LookedThrough { cuts, blake3, gets_smaller: is_worth_it(smaller, tried) })
}

/// The pieces compressed: those of packs that are there already, and the others in one of their own.
fn in_packs(
    (file, source): (&mut File, &Path),
    cuts: &[Cut],
    earlier: &HashMap<PieceDigest, (Blake3, &Piece)>,
    room: &Path,
) -> Result<InPacks, ReachError> {
    let used = packs_in_use(cuts, earlier);
    let mut packs: Vec<Blake3> = used.iter().copied().collect();
    let mut places: HashMap<PieceDigest, Piece> = HashMap::new();
    for (digest, (pack, piece)) in earlier {
        if let (Some(index), Some(packed)) = (packs.iter().position(|known| known == pack), piece.packed) {
            let packed = Some(Packed { pack: index_of(index), ..packed });
            places.insert(*digest, Piece { packed, ..**piece });
        }
    }
    let mut seen: BTreeSet<PieceDigest> = places.keys().copied().collect();
    let lacking: Vec<Cut> = cuts.iter().filter(|piece| seen.insert(piece.digest)).copied().collect();
    let pack = match lacking.is_empty() {
        true => None,
        false => Some(write_pack(file, source, &lacking, room)?),
    };
    let new = pack.map(|(file, written)| {
        packs.push(written.digest);
        let pack = index_of(packs.len() - 1);
        for (piece, (at, stored)) in lacking.iter().zip(written.places) {
            let packed = Some(Packed { pack, at, stored });
            places.insert(piece.digest, Piece { packed, ..in_file(piece) });
        }
        (file, written.digest, written.size)
    });
    Ok(InPacks { packs, pieces: cuts.iter().map(|piece| places[&piece.digest]).collect(), new })
}

fn index_of(index: usize) -> u32 {
    u32::try_from(index).unwrap_or(u32::MAX)
}

/// The earlier packs of which at least half is used.
fn packs_in_use(cuts: &[Cut], earlier: &HashMap<PieceDigest, (Blake3, &Piece)>) -> BTreeSet<Blake3> {
    let (mut all, mut used): (HashMap<Blake3, u64>, HashMap<Blake3, u64>) = (HashMap::new(), HashMap::new());
    let stored = |piece: &Piece| piece.packed.map_or(0, |packed| u64::from(packed.stored));
    for (pack, piece) in earlier.values() {
        *all.entry(*pack).or_default() += stored(piece);
    }
    let wanted: BTreeSet<PieceDigest> = cuts.iter().map(|piece| piece.digest).collect();
    for (pack, piece) in wanted.iter().filter_map(|digest| earlier.get(digest)) {
        *used.entry(*pack).or_default() += stored(piece);
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

/// Mods are often packed already: a quick look tells whether more is worth its time.
const fn is_worth_it(smaller: usize, bytes: usize) -> bool {
    smaller < bytes / 20 * 19
}

fn compressed(bytes: &[u8]) -> io::Result<Vec<u8>> {
    let quick = zstd::bulk::compress(bytes, 1)?;
    if is_worth_it(quick.len(), bytes.len()) { zstd::bulk::compress(bytes, 9) } else { Ok(quick) }
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
            .map(|(piece, bytes)| (PieceDigest::of(bytes) == piece.digest).then(|| compressed(bytes)))
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
