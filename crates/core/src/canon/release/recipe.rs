//! Large files as pieces that their content decides on, so that an update fetches only what changed.
//!
//! Where a file is cut is decided by FastCDC (Xia et al., "The Design of Fast Content-Defined Chunking for Data Deduplication
//! Based Storage Systems", IEEE TPDS 2020). Pieces are kept compressed, one behind the other, in packs; a recipe says
//! which pieces a file is made of and where each is. Many pieces that lie side by side are fetched with one request.

use std::collections::{BTreeMap, HashMap};

use serde::{Deserialize, Serialize};

use crate::base::digest::Blake3;
use crate::base::format::{self, NotOfFormat};
use crate::base::limits;

/// The first field of every recipe.
pub const FORMAT: &str = "kanon-recipe/1";

/// Files above this many bytes are cut into pieces.
const FROM_BYTES: u64 = 1 << 20;
/// The size of a piece in the mean, for small files ...
const AVERAGE: u32 = 16 << 10;
/// ... and the most that it becomes, so that a recipe stays small.
const LARGEST_AVERAGE: u32 = 4 << 20;
/// So many pieces in the mean that a file is cut into at most.
const PIECES: u64 = 1 << 14;
/// How far the size of pieces may be from what would be chosen today, so that an update is cut like what it replaces.
const TOLERANCE: u32 = 4;
/// How many times the mean a piece is at most.
const LARGEST: u32 = 4;

/// How a file is put together from pieces.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Recipe {
    /// `kanon-recipe/1`.
    pub format: String,
    /// The size in the mean that the file was cut for.
    pub average: u32,
    /// The packs that the pieces are in.
    pub packs: Vec<Blake3>,
    /// The pieces, in the order of the file.
    pub pieces: Vec<Piece>,
}

/// A piece of a file, and where it is kept; in a recipe the five values stand in one list.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(from = "Row", into = "Row")]
pub struct Piece {
    /// The digest of its bytes.
    pub blake3: Blake3,
    /// How many bytes it has.
    pub size: u32,
    /// The pack that it is in, by its place among the recipe's.
    pub pack: u32,
    /// Where it begins there.
    pub at: u64,
    /// How many bytes it has there, compressed.
    pub stored: u32,
}

type Row = (Blake3, u32, u32, u64, u32);

impl From<Row> for Piece {
    fn from((blake3, size, pack, at, stored): Row) -> Self {
        Self { blake3, size, pack, at, stored }
    }
}

impl From<Piece> for Row {
    fn from(piece: Piece) -> Self {
        (piece.blake3, piece.size, piece.pack, piece.at, piece.stored)
    }
}

/// A stretch of a pack that is fetched at once.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Stretch {
    /// The pack.
    pub pack: Blake3,
    /// Its bytes.
    pub bytes: std::ops::Range<u64>,
    /// The pieces in it, by their place in the recipe, in the order of the pack; for a piece that is used again, the first.
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
        let recipe = format::read(bytes, FORMAT, |recipe: &Self| &recipe.format).map_err(|why| match why {
            NotOfFormat::Other(found) => RecipeError::Format(found),
            NotOfFormat::Shape(why) => RecipeError::Shape(why),
        })?;
        if !(AVERAGE..=LARGEST_AVERAGE).contains(&recipe.average) {
            return Err(RecipeError::Average(recipe.average));
        }
        let most = recipe.average * LARGEST;
        for (index, piece) in recipe.pieces.iter().enumerate() {
            let is_sound = (1..=most).contains(&piece.size)
                && (1..=piece.size + limits::PIECE_OVERHEAD).contains(&piece.stored)
                && (piece.pack as usize) < recipe.packs.len()
                && piece.at.checked_add(u64::from(piece.stored)).is_some();
            if !is_sound {
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

    /// What is to be fetched for some pieces: each piece once, and in one go what lies side by side, up to a few MiB.
    pub fn stretches(&self, wanted: &[usize]) -> Vec<Stretch> {
        let mut places: BTreeMap<(u32, u64), usize> = BTreeMap::new();
        for index in wanted {
            let piece = &self.pieces[*index];
            places.entry((piece.pack, piece.at)).or_insert(*index);
        }
        let mut stretches: Vec<Stretch> = Vec::new();
        for ((pack, at), index) in places {
            let (pack, end) = (self.packs[pack as usize], at + u64::from(self.pieces[index].stored));
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
    pub fn alike(&self) -> HashMap<Blake3, Vec<usize>> {
        let mut alike: HashMap<Blake3, Vec<usize>> = HashMap::new();
        for (index, piece) in self.pieces.iter().enumerate() {
            alike.entry(piece.blake3).or_default().push(index);
        }
        alike
    }
}
