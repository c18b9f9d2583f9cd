//! Large files as pieces that their content decides on, so that an update fetches only what changed.
//!
//! Where a file is cut is decided by FastCDC (Xia et al., "The Design of Fast Content-Defined Chunking for Data Deduplication
//! Based Storage Systems", IEEE TPDS 2020). A recipe says which pieces a file is made of and where each is: compressed in a pack,
//! or, where nothing gets smaller by that, in the file itself. Many pieces that lie side by side are fetched with one request.

use std::collections::{BTreeMap, HashMap};
use std::fmt;
use std::ops::Range;

use serde::{Deserialize, Serialize};

use crate::base::digest::Blake3;
use crate::base::format::{self, NotOfFormat};
use crate::base::limits;

/// The first field of every recipe.
pub const FORMAT: &str = "kanon-recipe/2";
/// What recipes said before: all their pieces are in packs, under their whole digests.
const BEFORE: &str = "kanon-recipe/1";

/// Files above this many bytes are cut into pieces.
const FROM_BYTES: u64 = 1 << 20;
/// The size of a piece in the mean, for small files ...
const AVERAGE: u32 = 16 << 10;
/// ... and the most that it becomes, so that a recipe stays small.
const LARGEST_AVERAGE: u32 = 4 << 20;
/// So many pieces in the mean that a file is cut into at most.
const PIECES: u64 = 1 << 15;
/// How far the size of pieces may be from what would be chosen today, so that an update is cut like what it replaces.
const TOLERANCE: u32 = 4;
/// How many times the mean a piece is at most.
const LARGEST: u32 = 4;

/// How a file is put together from pieces.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Recipe {
    /// `kanon-recipe/2`.
    pub format: String,
    /// The size in the mean that the file was cut for.
    pub average: u32,
    /// The packs that the pieces are in.
    pub packs: Vec<Blake3>,
    /// The pieces, in the order of the file.
    pub pieces: Vec<Piece>,
}

/// The first half of a BLAKE3 digest: enough to tell pieces apart. That the whole file is right is told by its own digest.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(try_from = "String", into = "String")]
pub struct PieceDigest([u8; 16]);

impl PieceDigest {
    /// That of a piece's bytes.
    pub fn of(bytes: &[u8]) -> Self {
        let (mut half, whole) = ([0; 16], Blake3::of(bytes));
        half.copy_from_slice(&whole.as_bytes()[..16]);
        Self(half)
    }
}

impl fmt::Debug for PieceDigest {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&const_hex::encode(self.0))
    }
}

impl From<PieceDigest> for String {
    fn from(digest: PieceDigest) -> Self {
        const_hex::encode(digest.0)
    }
}

/// Why a text is no digest of a piece.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("32 hexadecimal digits were expected")]
pub struct NoPieceDigest;

impl TryFrom<String> for PieceDigest {
    type Error = NoPieceDigest;

    fn try_from(text: String) -> Result<Self, NoPieceDigest> {
        // Recipes had whole digests before.
        let half = if text.len() == 64 { text.get(..32).unwrap_or_default() } else { &text };
        let mut bytes = [0; 16];
        const_hex::decode_to_slice(half, &mut bytes).map_err(|_| NoPieceDigest)?;
        Ok(Self(bytes))
    }
}

#[cfg(feature = "schema")]
crate::base::schema::text!(PieceDigest, "piece-digest", { "description": "The first half of a BLAKE3 digest.", "pattern": "^[0-9a-f]{32}$" });

/// A piece of a file, and where it is kept. In a recipe it is a list: its digest and its size; and of one in a pack that pack's
/// place among the recipe's, where it begins there, and how many bytes it has there, compressed.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(from = "Row", into = "Row")]
pub struct Piece {
    /// The digest of its bytes.
    pub digest: PieceDigest,
    /// How many bytes it has.
    pub size: u32,
    /// Where it is in a pack; one that is in none stands in the file itself.
    pub packed: Option<Packed>,
}

/// Where a piece is in a pack.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Packed {
    /// The pack, by its place among the recipe's.
    pub pack: u32,
    /// Where it begins there.
    pub at: u64,
    /// How many bytes it has there, compressed.
    pub stored: u32,
}

#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Serialize, Deserialize)]
#[serde(untagged)]
enum Row {
    Packed(PieceDigest, u32, u32, u64, u32),
    InFile(PieceDigest, u32),
}

impl From<Row> for Piece {
    fn from(row: Row) -> Self {
        match row {
            Row::Packed(digest, size, pack, at, stored) => {
                Self { digest, size, packed: Some(Packed { pack, at, stored }) }
            }
            Row::InFile(digest, size) => Self { digest, size, packed: None },
        }
    }
}

impl From<Piece> for Row {
    fn from(Piece { digest, size, packed }: Piece) -> Self {
        match packed {
            Some(Packed { pack, at, stored }) => Self::Packed(digest, size, pack, at, stored),
            None => Self::InFile(digest, size),
        }
    }
}

/// A stretch of a pack, or of the file itself, that is fetched at once.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Stretch {
    /// The pack; none is the file itself.
    pub pack: Option<Blake3>,
    /// Its bytes.
    pub bytes: Range<u64>,
    /// The pieces in it, by their place in the recipe, in the order in which they lie there; for a piece that is used again, the
    /// first.
    pub pieces: Vec<usize>,
}

/// Why a recipe can't be followed.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum RecipeError {
    /// It is not written as one is.
    #[error("it is no recipe: {0}")]
    Shape(String),
    /// It was cut otherwise than files are.
    #[error("it is no recipe: it was cut for pieces of {0} bytes")]
    Average(u32),
    /// It is of another format.
    #[error("it is of the format {0}, and this program reads {FORMAT}")]
    Format(String),
    /// What it makes is not as large as the file.
    #[error("its pieces make {made} bytes, and the file has {size}")]
    Size {
        /// What the pieces make.
        made: u64,
        /// What the file has.
        size: u64,
    },
    /// A piece is not as pieces are.
    #[error("piece {0} is not as pieces are")]
    Piece(usize),
}

/// Whether a file of so many bytes is cut into pieces.
pub const fn is_cut(size: u64) -> bool {
    size > FROM_BYTES
}

/// The size of pieces, in the mean, for a file of so many bytes. One that replaces a file which was cut for another size is
/// cut likewise, unless that is far off: only then do the two share pieces.
pub fn average_piece(size: u64, earlier: Option<u32>) -> u32 {
    let mut average = AVERAGE;
    while size / u64::from(average) > PIECES && average < LARGEST_AVERAGE {
        average *= 2;
    }
    let near = |earlier: &u32| (average / TOLERANCE..=average.saturating_mul(TOLERANCE)).contains(earlier);
    earlier.filter(near).unwrap_or(average)
}

/// The least, the mean and the most bytes of a piece.
pub const fn cut_from(average: u32) -> (usize, usize, usize) {
    let average = average as usize;
    (average / 4, average, average * LARGEST as usize)
}

impl Recipe {
    /// Reads a recipe for a file of so many bytes, however it came about.
    ///
    /// # Errors
    /// When it is none, or makes something else than such a file.
    pub fn from_json(bytes: &[u8], size: u64) -> Result<Self, RecipeError> {
        let read = |format| format::read(bytes, format, |recipe: &Self| &recipe.format);
        let known = match read(FORMAT) {
            Err(NotOfFormat::Other(found)) if found == BEFORE => read(BEFORE),
            known => known,
        };
        let recipe = known.map_err(|why| match why {
            NotOfFormat::Other(found) => RecipeError::Format(found),
            NotOfFormat::Shape(why) => RecipeError::Shape(why),
        })?;
        if !(AVERAGE..=LARGEST_AVERAGE).contains(&recipe.average) {
            return Err(RecipeError::Average(recipe.average));
        }
        let most = recipe.average * LARGEST;
        for (index, piece) in recipe.pieces.iter().enumerate() {
            let is_in_a_pack = |packed: Packed| {
                (1..=piece.size + limits::PIECE_OVERHEAD).contains(&packed.stored)
                    && (packed.pack as usize) < recipe.packs.len()
                    && packed.at.checked_add(u64::from(packed.stored)).is_some()
            };
            if !(1..=most).contains(&piece.size) || !piece.packed.is_none_or(is_in_a_pack) {
                return Err(RecipeError::Piece(index));
            }
        }
        let made = recipe.pieces.iter().map(|piece| u64::from(piece.size)).sum();
        if made != size {
            return Err(RecipeError::Size { made, size });
        }
        Ok(recipe)
    }

    /// Where each piece begins in the file.
    pub fn begins(&self) -> Vec<u64> {
        let mut at = 0;
        let begin = |piece: &Piece| {
            at += u64::from(piece.size);
            at - u64::from(piece.size)
        };
        self.pieces.iter().map(begin).collect()
    }

    /// Where a piece lies in its pack, or in the file itself; `begins` are those of this recipe.
    pub fn lies_at(&self, begins: &[u64], index: usize) -> Range<u64> {
        let piece = &self.pieces[index];
        let (at, size) = piece.packed.map_or((begins[index], piece.size), |packed| (packed.at, packed.stored));
        at..at + u64::from(size)
    }

    /// What is to be fetched for some pieces: each piece once, and in one go what lies side by side, up to a few MiB.
    pub fn stretches(&self, wanted: &[usize]) -> Vec<Stretch> {
        let begins = self.begins();
        let mut places: BTreeMap<(Option<u32>, u64), usize> = BTreeMap::new();
        let mut in_file: HashMap<PieceDigest, usize> = HashMap::new();
        for index in wanted {
            let piece = &self.pieces[*index];
            if piece.packed.is_none() && *in_file.entry(piece.digest).or_insert(*index) != *index {
                continue;
            }
            let pack = piece.packed.map(|packed| packed.pack);
            places.entry((pack, self.lies_at(&begins, *index).start)).or_insert(*index);
        }
        let mut stretches: Vec<Stretch> = Vec::new();
        for ((pack, at), index) in places {
            let (pack, end) = (pack.map(|pack| self.packs[pack as usize]), self.lies_at(&begins, index).end);
            match stretches.last_mut() {
                Some(last)
                    if last.pack == pack && last.bytes.end == at && end - last.bytes.start <= limits::STRETCH_BYTES =>
                {
                    last.bytes.end = end;
                    last.pieces.push(index);
                }
                _ => stretches.push(Stretch { pack, bytes: at..end, pieces: vec![index] }),
            }
        }
        stretches
    }

    /// For each piece that others are like, all places of its kind in the recipe.
    pub fn alike(&self) -> HashMap<PieceDigest, Vec<usize>> {
        let mut alike: HashMap<PieceDigest, Vec<usize>> = HashMap::new();
        for (index, piece) in self.pieces.iter().enumerate() {
            alike.entry(piece.digest).or_default().push(index);
        }
        alike
    }
}
