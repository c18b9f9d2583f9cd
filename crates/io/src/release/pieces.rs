//! Cuts files into pieces that their content decides on.

use std::collections::HashMap;
use std::io;
use std::path::{Path, PathBuf};
use std::sync::mpsc::{SyncSender, sync_channel};

use fastcdc::v2020::{ChunkData, StreamCDC};
use kanon_core::canon::release::{PieceDigest, cut_from};
use rayon::prelude::*;

use crate::open::regular;

/// So many bytes are cut before they are hashed.
const BATCH: usize = 8 << 20;

/// A piece of a file on this machine.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Cut {
    /// The digest of its bytes.
    pub digest: PieceDigest,
    /// Where it begins.
    pub at: u64,
    /// How many bytes it has.
    pub size: u32,
}

/// Cuts what a reader gives, for pieces of that size in the mean, and hands each on with its bytes.
///
/// # Errors
/// When reading fails, or whoever takes the pieces does.
pub fn cut(
    reader: impl io::Read + Send,
    average: u32,
    mut take: impl FnMut(Cut, &[u8]) -> io::Result<()>,
) -> io::Result<()> {
    // While some pieces are hashed, the next ones are cut.
    std::thread::scope(|scope| {
        let (send, receive) = sync_channel(1);
        scope.spawn(move || send_pieces(reader, average, &send));
        for batch in receive {
            let batch: Vec<ChunkData> = batch?;
            let digests: Vec<PieceDigest> = batch.par_iter().map(|piece| PieceDigest::of(&piece.data)).collect();
            for (piece, digest) in batch.iter().zip(digests) {
                let size = u32::try_from(piece.length).map_err(io::Error::other)?;
                take(Cut { digest, at: piece.offset, size }, &piece.data)?;
            }
        }
        Ok(())
    })
}

/// Cuts, and sends pieces batch by batch for as long as somebody takes them.
fn send_pieces(reader: impl io::Read, average: u32, send: &SyncSender<io::Result<Vec<ChunkData>>>) {
    let (least, mean, most) = cut_from(average);
    let (mut batch, mut bytes) = (Vec::new(), 0);
    for piece in StreamCDC::new(reader, least, mean, most) {
        let piece = match piece {
            Ok(piece) => piece,
            Err(error) => return drop(send.send(Err(io::Error::other(error)))),
        };
        bytes += piece.length;
        batch.push(piece);
        if bytes >= BATCH {
            bytes = 0;
            if send.send(Ok(std::mem::take(&mut batch))).is_err() {
                return;
            }
        }
    }
    drop(send.send(Ok(batch)));
}

/// The pieces of some files, by digest, as they were when they were looked at.
#[derive(Debug, Default)]
pub struct Known(HashMap<PieceDigest, (usize, Cut)>, Vec<PathBuf>);

impl Known {
    /// Takes note of the pieces of a file; one that can't be read has none.
    pub fn look_into(&mut self, path: &Path, average: u32) {
        let (index, pieces) = (self.1.len(), &mut self.0);
        let note = |piece: Cut, _: &[u8]| {
            pieces.entry(piece.digest).or_insert((index, piece));
            Ok(())
        };
        drop(regular(path).and_then(|file| cut(file, average, note)));
        self.1.push(path.to_owned());
    }

    /// A piece and the file that it is in.
    pub fn find(&self, digest: PieceDigest) -> Option<(&Path, Cut)> {
        self.0.get(&digest).map(|(index, piece)| (self.1[*index].as_path(), *piece))
    }
}
