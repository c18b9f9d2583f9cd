//! The bytes of a release, as far as they are not here: whole files, or of large ones just the pieces that changed.

use std::borrow::Cow;
use std::collections::{BTreeMap, HashMap};
use std::fs::{File, OpenOptions};
use std::io::{self, Read, Seek, SeekFrom, Write};
use std::path::{Path, PathBuf};

use futures_util::stream::{self, StreamExt, TryStreamExt};
use kanon_core::base::digest::Blake3;
use kanon_core::canon::release::{PieceDigest, Recipe, Release, Stored, Stretch, blob_path, pack_path, recipe_path};

use super::pieces::Known;
use super::record::unpacked_recipe;
use rayon::prelude::*;
use serde::Serialize;

use crate::error::{During, PlaceFault, ReachError, Unfit};
use crate::hashing::blake3_of;
use crate::open::regular;
use crate::origin::{Failed, Origin, Promised, runtime};
use crate::progress::Progress;
use crate::room::{Need, refuse_lack};

/// Files that are fetched side by side, and stretches of one file.
const SIDE_BY_SIDE: usize = 8;

/// The bytes of a release.
pub struct ReleaseContents<'a> {
    origin: &'a Origin,
    recipes: &'a BTreeMap<Blake3, Stored>,
}

/// What fetching came to.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize)]
pub struct Fetched {
    /// Bytes that came over the line for mods.
    pub bytes: u64,
    /// Bytes of pieces that were here already, in other files.
    pub reused: u64,
    /// Files.
    pub files: usize,
}

impl std::ops::Add for Fetched {
    type Output = Self;

    fn add(self, other: Self) -> Self {
        Self { bytes: self.bytes + other.bytes, reused: self.reused + other.reused, files: self.files + other.files }
    }
}

/// A file that is wanted.
#[derive(Debug, Clone)]
pub struct WantedFile {
    /// The digest of its bytes.
    pub blake3: Blake3,
    /// Its size in bytes.
    pub size: u64,
    /// Files of this machine that may have pieces of it.
    pub like: Vec<PathBuf>,
}

impl<'a> ReleaseContents<'a> {
    /// The bytes of a release at a place.
    pub const fn new(origin: &'a Origin, release: &'a Release) -> Self {
        Self { origin, recipes: &release.recipes }
    }

    /// Fetches files into a folder in which each is called by its digest. What was fetched before a break is gone on with.
    ///
    /// # Errors
    /// When one can't be fetched, or is not what was signed: then nothing of it is kept.
    pub fn fetch(&self, wanted: &[WantedFile], into: &Path, progress: &dyn Progress) -> Result<Fetched, ReachError> {
        std::fs::create_dir_all(into).during("make the folder", into)?;
        let have = |file: &WantedFile| {
            let part = into.join(format!("{}.part", file.blake3));
            std::fs::metadata(part).map_or(0, |metadata| metadata.len()).min(file.size)
        };
        let bytes = wanted.iter().map(|file| file.size - have(file)).sum();
        refuse_lack("fetch what is missing", &[(into, Need { bytes, files: wanted.len() as u64 })])?;
        progress.ahead(wanted.iter().map(|file| file.size).sum());
        let each = stream::iter(wanted).map(|file| self.one(file, into, progress)).buffer_unordered(SIDE_BY_SIDE);
        runtime()?.block_on(each.try_fold(Fetched::default(), |sum, one| async move { Ok(sum + one) }))
    }

    async fn one(&self, file: &WantedFile, into: &Path, progress: &dyn Progress) -> Result<Fetched, ReachError> {
        let target = into.join(file.blake3.to_string());
        if let Some(stored) = self.recipes.get(&file.blake3)
            && let Some(fetched) = self.in_pieces(file, *stored, into, progress).await?
        {
            return Ok(fetched);
        }
        let (path, part) = (blob_path(file.blake3), into.join(format!("{}.part", file.blake3)));
        let had = std::fs::metadata(&part).map_or(0, |metadata| metadata.len()).min(file.size);
        let promised = Promised { file: &path, size: file.size, blake3: file.blake3 };
        self.origin.fill(promised, &part, progress).await?;
        self.put_in_place(file, (&part, &target), &path)?;
        Ok(Fetched { bytes: file.size - had, reused: 0, files: 1 })
    }

    /// Puts a file together from pieces, unless fetching it whole is no more; nothing then.
    async fn in_pieces(
        &self,
        file: &WantedFile,
        stored: Stored,
        into: &Path,
        progress: &dyn Progress,
    ) -> Result<Option<Fetched>, ReachError> {
        let part = into.join(format!("{}.pieces", file.blake3));
        let whole = into.join(format!("{}.part", file.blake3));
        if (file.like.is_empty() && !part.is_file()) || whole.is_file() {
            return Ok(None);
        }
        let path = recipe_path(stored.blake3);
        // A recipe only spares bytes: where it is gone or damaged, the whole file is what was signed.
        let packed = match self.origin.whole(&path, stored.size).await {
            Ok(packed) => packed,
            Err(failed @ (Failed::MayPass(_) | Failed::NotModified)) => {
                return Err(self.origin.refused(&path, failed.why()));
            }
            Err(_) => return Ok(None),
        };
        let whole = Some(&packed).filter(|packed| Blake3::of(packed) == stored.blake3);
        let Some(recipe) = whole.and_then(|packed| unpacked_recipe(packed, file.size).ok()) else { return Ok(None) };
        let mut assembly = Assembly::begin(&recipe, file, &part).during("put together", &part)?;
        let missing = assembly.missing();
        let stretches = recipe.stretches(&missing);
        let lies: u64 = stretches.iter().map(|stretch| stretch.bytes.end - stretch.bytes.start).sum();
        if lies + stored.size >= file.size {
            drop(std::fs::remove_file(&part));
            return Ok(None);
        }
        let reused = file.size - missing.iter().map(|index| u64::from(recipe.pieces[*index].size)).sum::<u64>();
        progress.done(reused);
        let mut coming = stream::iter(&stretches)
            .map(|stretch| async move {
                let mut bytes = Vec::new();
                let came = self.origin.range(&path_of(stretch, file), stretch.bytes.clone(), &mut bytes).await;
                (stretch, bytes, came)
            })
            .buffer_unordered(SIDE_BY_SIDE);
        let (mut broken, mut knows_ranges, mut is_damaged) = (None, true, false);
        while let Some((stretch, bytes, came)) = coming.next().await {
            let lies_in = path_of(stretch, file);
            // What came before a break is kept: the next run goes on from there.
            match assembly.add(stretch, &bytes) {
                Ok(added) => progress.done(added),
                Err(_) => is_damaged = true,
            }
            match came {
                Ok(in_range) => knows_ranges &= in_range,
                Err(failed @ (Failed::MayPass(_) | Failed::NotModified)) => {
                    broken = Some(self.origin.refused(&lies_in, failed.why()));
                }
                Err(_) => is_damaged = true,
            }
        }
        drop(coming);
        drop(assembly);
        if let Some(broken) = broken {
            return Err(broken);
        }
        if !knows_ranges || is_damaged {
            // It would send a whole pack for every stretch; or a pack is gone or damaged, and the whole file is what was signed.
            drop(std::fs::remove_file(&part));
            return Ok(None);
        }
        self.put_in_place(file, (&part, &into.join(file.blake3.to_string())), &path)?;
        Ok(Some(Fetched { bytes: lies + stored.size, reused, files: 1 }))
    }

    /// A file counts only with the bytes that were signed.
    fn put_in_place(&self, file: &WantedFile, (part, target): (&Path, &Path), path: &str) -> Result<(), ReachError> {
        let found = regular(part).and_then(|mut whole| blake3_of(&mut whole, file.size)).during("read", part)?;
        if found.0 != file.blake3 {
            std::fs::remove_file(part).during("remove", part)?;
            return Err(self.origin.refused(path, Unfit::Place(PlaceFault::NotSigned(found.0.short()))));
        }
        std::fs::rename(part, target).during("put in place", target)
    }
}

/// Where a stretch of a file is fetched from.
fn path_of(stretch: &Stretch, file: &WantedFile) -> String {
    stretch.pack.map_or_else(|| blob_path(file.blake3), pack_path)
}

/// So many pieces are looked at by one thread at a time.
const AT_ONCE: usize = 128;

fn read_at(file: &mut File, at: u64, size: u32) -> io::Result<Vec<u8>> {
    let mut bytes = vec![0; size as usize];
    file.seek(SeekFrom::Start(at))?;
    file.read_exact(&mut bytes)?;
    Ok(bytes)
}

/// A file that is put together from pieces.
struct Assembly<'r> {
    recipe: &'r Recipe,
    begins: Vec<u64>,
    alike: HashMap<PieceDigest, Vec<usize>>,
    have: Vec<bool>,
    file: File,
}

/// Why a stretch of a pack can't be used.
#[derive(Debug, thiserror::Error)]
enum BadPiece {
    #[error("a piece can't be unpacked ({0})")]
    Packed(io::Error),
    #[error("a piece is another one than was signed")]
    Other,
    #[error("it could not be written: {0}")]
    Unwritten(io::Error),
}

impl<'r> Assembly<'r> {
    /// Goes on with what an earlier run put together, and takes what other files have.
    fn begin(recipe: &'r Recipe, wanted: &WantedFile, part: &Path) -> io::Result<Self> {
        let file = OpenOptions::new().create(true).truncate(false).read(true).write(true).open(part)?;
        let was_begun = file.metadata()?.len() > 0;
        file.set_len(wanted.size)?;
        let have = vec![false; recipe.pieces.len()];
        let mut assembly = Self { recipe, begins: recipe.begins(), alike: recipe.alike(), have, file };
        if was_begun {
            let all: Vec<usize> = (0..recipe.pieces.len()).collect();
            assembly.see_to(&all, |assembly, indices| assembly.there(indices, part))?;
        }
        let mut known = Known::default();
        for path in &wanted.like {
            known.look_into(path, recipe.average);
        }
        // Those that no file has are passed over there.
        let lacking = assembly.missing();
        assembly.see_to(&lacking, |assembly, indices| assembly.taken(indices, &known, part))?;
        Ok(assembly)
    }

    /// Those of some pieces that an earlier run has put there.
    fn there(&self, indices: &[usize], part: &Path) -> io::Result<Vec<usize>> {
        let (mut file, mut there) = (File::open(part)?, Vec::new());
        for index in indices {
            let piece = &self.recipe.pieces[*index];
            let bytes = read_at(&mut file, self.begins[*index], piece.size)?;
            // A file that was never written reads as zeros: those are not hashed for nothing.
            if bytes.iter().any(|byte| *byte != 0) && PieceDigest::of(&bytes) == piece.digest {
                there.push(*index);
            }
        }
        Ok(there)
    }

    /// Copies pieces out of files that have them, as far as they still do; says which.
    fn taken(&self, indices: &[usize], known: &Known, part: &Path) -> io::Result<Vec<usize>> {
        let (mut target, mut taken) = (OpenOptions::new().write(true).open(part)?, Vec::new());
        let mut open: HashMap<&Path, Option<File>> = HashMap::new();
        for index in indices {
            let piece = &self.recipe.pieces[*index];
            let Some((path, cut)) = known.find(piece.digest) else { continue };
            let Some(source) = open.entry(path).or_insert_with(|| regular(path).ok()) else { continue };
            match read_at(source, cut.at, piece.size) {
                Ok(bytes) if PieceDigest::of(&bytes) == piece.digest => {
                    target.seek(SeekFrom::Start(self.begins[*index]))?;
                    target.write_all(&bytes)?;
                    taken.push(*index);
                }
                _ => {}
            }
        }
        Ok(taken)
    }

    fn put(&mut self, index: usize, bytes: &[u8]) -> io::Result<()> {
        self.file.seek(SeekFrom::Start(self.begins[index]))?;
        self.file.write_all(bytes)?;
        self.have[index] = true;
        Ok(())
    }

    /// Has some pieces seen to, many at a time, and takes note of those that are there then.
    fn see_to(
        &mut self,
        indices: &[usize],
        work: impl Fn(&Self, &[usize]) -> io::Result<Vec<usize>> + Sync,
    ) -> io::Result<()> {
        let done: io::Result<Vec<Vec<usize>>> = indices.par_chunks(AT_ONCE).map(|some| work(self, some)).collect();
        done?.into_iter().flatten().for_each(|index| self.have[index] = true);
        Ok(())
    }

    fn missing(&self) -> Vec<usize> {
        (0..self.have.len()).filter(|index| !self.have[*index]).collect()
    }

    /// Takes the pieces out of a stretch of a pack, as far as it came; says how many bytes of the file they make.
    fn add(&mut self, stretch: &Stretch, bytes: &[u8]) -> Result<u64, BadPiece> {
        let mut added = 0;
        for index in &stretch.pieces {
            let piece = &self.recipe.pieces[*index];
            let lies = self.recipe.lies_at(&self.begins, *index);
            let here = |at: u64| usize::try_from(at - stretch.bytes.start).unwrap_or(usize::MAX);
            let Some(kept) = bytes.get(here(lies.start)..here(lies.end)) else { break };
            let raw = match piece.packed {
                Some(_) => Cow::Owned(zstd::bulk::decompress(kept, piece.size as usize).map_err(BadPiece::Packed)?),
                None => Cow::Borrowed(kept),
            };
            if PieceDigest::of(&raw) != piece.digest {
                return Err(BadPiece::Other);
            }
            for place in self.alike[&piece.digest].clone() {
                if !self.have[place] {
                    self.put(place, &raw).map_err(BadPiece::Unwritten)?;
                    added += raw.len() as u64;
                }
            }
        }
        Ok(added)
    }
}
