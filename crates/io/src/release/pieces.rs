//! Cuts files into pieces that their content decides on.

use std::collections::HashMap;
use std::io::{self, Read};
use std::path::{Path, PathBuf};
use std::sync::mpsc::{Receiver, SyncSender, sync_channel};

use fastcdc::v2020::FastCDC;
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
    reader: impl Read + Send,
    average: u32,
    mut take: impl FnMut(Cut, &[u8]) -> io::Result<()>,
) -> io::Result<()> {
    // While some pieces are hashed, the next ones are read and cut.
    std::thread::scope(|scope| {
        let (send, receive) = sync_channel(1);
        let (give_back, used) = sync_channel(BATCHES);
        scope.spawn(move || send_batches(reader, average, &send, &used));
        for batch in receive {
            let Batch { begins, bytes, ends } = batch?;
            let starts = std::iter::once(0).chain(ends.iter().copied());
            let pieces: Vec<(usize, &[u8])> = starts.zip(&ends).map(|(at, end)| (at, &bytes[at..*end])).collect();
            let digests: Vec<PieceDigest> = pieces.par_iter().map(|(_, piece)| PieceDigest::of(piece)).collect();
            for ((at, piece), digest) in pieces.into_iter().zip(digests) {
                let size = u32::try_from(piece.len()).map_err(io::Error::other)?;
                take(Cut { digest, at: begins + at as u64, size }, piece)?;
            }
            // Nobody waits for it: at the end it is not needed any more.
            drop(give_back.try_send(bytes));
        }
        Ok(())
    })
}

/// Some pieces side by side.
struct Batch {
    /// Where the first of them begins.
    begins: u64,
    bytes: Vec<u8>,
    /// Where each ends in the bytes.
    ends: Vec<usize>,
}

/// So many batches are underway.
const BATCHES: usize = 3;

/// Reads and cuts, and sends pieces batch by batch for as long as somebody takes them; in memory that was `used` before.
fn send_batches(mut reader: impl Read, average: u32, send: &SyncSender<io::Result<Batch>>, used: &Receiver<Vec<u8>>) {
    let (least, mean, most) = cut_from(average);
    let (mut begins, mut rest) = (0, Vec::new());
    loop {
        let mut bytes = used.try_recv().unwrap_or_default();
        bytes.clear();
        bytes.append(&mut rest);
        let wanted = (BATCH + most).saturating_sub(bytes.len());
        let read = reader.by_ref().take(wanted as u64).read_to_end(&mut bytes);
        let is_last = match read {
            Ok(read) => read < wanted,
            Err(error) => return drop(send.send(Err(error))),
        };
        let mut ends = Vec::new();
        let cutter = FastCDC::new(&bytes, least, mean, most);
        let mut at = 0;
        // Where a piece ends is known when the largest that there may be is there, or all.
        while bytes.len() - at >= most || is_last && at < bytes.len() {
            (_, at) = cutter.cut(at, bytes.len() - at);
            ends.push(at);
        }
        rest.extend_from_slice(&bytes[at..]);
        let batch = Batch { begins, bytes, ends };
        begins += at as u64;
        if send.send(Ok(batch)).is_err() || is_last {
            return;
        }
    }
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

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    /// Noise, the same each time.
    fn noise(bytes: usize) -> Vec<u8> {
        let mut state = 0x9e37_79b9_7f4a_7c15_u64;
        let mut next = || {
            state ^= state << 13;
            state ^= state >> 7;
            state ^= state << 17;
            state.to_le_bytes()[3]
        };
        (0..bytes).map(|_| next()).collect()
    }

    /// A reader that gives a few bytes at a time.
    struct Slow<'b>(&'b [u8], usize);

    impl Read for Slow<'_> {
        fn read(&mut self, into: &mut [u8]) -> io::Result<usize> {
            let most = self.1.min(into.len());
            self.0.read(&mut into[..most])
        }
    }

    #[rstest]
    #[case::nothing(0, 1 << 20)]
    #[case::less_than_a_piece(700, 1 << 20)]
    #[case::a_batch_and_a_bit(BATCH + 5, 1 << 20)]
    #[case::several_batches(3 * BATCH + 12_345, 60_001)]
    fn pieces_are_those_of_the_whole(#[case] bytes: usize, #[case] at_once: usize) {
        let whole = noise(bytes);
        let (least, mean, most) = cut_from(16 << 10);
        let right: Vec<(u64, usize)> =
            FastCDC::new(&whole, least, mean, most).map(|piece| (piece.offset as u64, piece.length)).collect();
        let mut found = Vec::new();
        let take = |piece: Cut, bytes: &[u8]| {
            let at = usize::try_from(piece.at).expect("a small file");
            assert_eq!(bytes, &whole[at..at + bytes.len()]);
            assert_eq!(piece.digest, PieceDigest::of(bytes));
            found.push((piece.at, piece.size as usize));
            Ok(())
        };
        cut(Slow(&whole, at_once), 16 << 10, take).expect("pieces");
        assert_eq!(found, right);
    }

    #[test]
    fn whoever_takes_no_more_ends_it() {
        let whole = noise(4 * BATCH);
        let full = || io::Error::from(io::ErrorKind::StorageFull);
        let error = cut(&whole[..], 16 << 10, |_, _| Err(full())).expect_err("no room");
        assert_eq!(error.kind(), io::ErrorKind::StorageFull);
    }
}
