//! Digests of files as fast as the disk gives them, in bounded memory.

use std::io::{self, Read};

use kanon_core::base::digest::{Blake3, Sha256};
use sha2::Digest as _;

/// Below this a buffer is hashed by one thread: files are hashed side by side already.
const ALONE: usize = 1 << 20;
/// Bytes held of a large file at a time.
const LARGE_BUFFER: usize = 8 << 20;
const SMALL_BUFFER: usize = 256 << 10;

/// The BLAKE3 digest of all that a reader gives, and how many bytes that were.
///
/// # Errors
/// When reading fails.
pub fn blake3_of(reader: &mut (impl Read + ?Sized), expected: u64) -> io::Result<(Blake3, u64)> {
    blake3_while(reader, expected, |_| Ok(()))
}

/// The same, handing each chunk on as well.
///
/// # Errors
/// When reading or handing on fails.
pub fn blake3_while(
    reader: &mut (impl Read + ?Sized),
    expected: u64,
    mut hand_on: impl FnMut(&[u8]) -> io::Result<()>,
) -> io::Result<(Blake3, u64)> {
    let mut hasher = blake3::Hasher::new();
    let mut total = 0;
    each_chunk(reader, expected, |chunk| {
        if chunk.len() > ALONE {
            hasher.update_rayon(chunk);
        } else {
            hasher.update(chunk);
        }
        total += chunk.len() as u64;
        hand_on(chunk)
    })?;
    Ok((Blake3::from_bytes(*hasher.finalize().as_bytes()), total))
}

/// Both digests of all that a reader gives, handing each chunk on as well.
///
/// # Errors
/// When reading or handing on fails.
pub fn both_of(
    reader: &mut (impl Read + ?Sized),
    expected: u64,
    mut hand_on: impl FnMut(&[u8]) -> io::Result<()>,
) -> io::Result<(Blake3, Sha256)> {
    let (mut blake3, mut sha256) = (blake3::Hasher::new(), sha2::Sha256::new());
    each_chunk(reader, expected, |chunk| {
        blake3.update(chunk);
        sha256.update(chunk);
        hand_on(chunk)
    })?;
    Ok((Blake3::from_bytes(*blake3.finalize().as_bytes()), Sha256::from_bytes(sha256.finalize().into())))
}

fn each_chunk(
    reader: &mut (impl Read + ?Sized),
    expected: u64,
    mut take: impl FnMut(&[u8]) -> io::Result<()>,
) -> io::Result<()> {
    let size = if expected > LARGE_BUFFER as u64 { LARGE_BUFFER } else { SMALL_BUFFER };
    let mut buffer = vec![0; size];
    loop {
        let mut filled = 0;
        while filled < buffer.len() {
            match reader.read(&mut buffer[filled..])? {
                0 => break,
                n => filled += n,
            }
        }
        if filled == 0 {
            return Ok(());
        }
        take(&buffer[..filled])?;
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn any_size_gives_the_digest_of_its_bytes() {
        for size in [0, 1, SMALL_BUFFER, SMALL_BUFFER + 1, LARGE_BUFFER + 7] {
            let bytes = vec![7; size];
            let (digest, total) = blake3_of(&mut bytes.as_slice(), size as u64).expect("read");
            assert_eq!((digest, total), (Blake3::of(&bytes), size as u64));
            let mut copy = Vec::new();
            let both = both_of(&mut bytes.as_slice(), size as u64, |chunk| {
                copy.extend_from_slice(chunk);
                Ok(())
            });
            assert_eq!(both.expect("read"), (Blake3::of(&bytes), Sha256::of(&bytes)));
            assert_eq!(copy, bytes);
        }
    }
}
