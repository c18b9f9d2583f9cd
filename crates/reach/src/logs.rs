//! Logs, read line by line in bounded memory: a line of a gigabyte is one line, of which the start is kept.

use std::fs::File;
use std::io::{BufRead, BufReader};
use std::path::Path;

use kanon_core::diagnose::{LogEvent, LogReader};
use kanon_core::limits::LOG_LINE_BYTES;
use kanon_core::rulebook::{Role, Rulebook};

use crate::error::{During, ReachError};

/// Reads the events of one side's log.
///
/// # Errors
/// When the log can't be read, or the patterns are too large together.
pub fn events(path: &Path, side: Role, rulebook: &Rulebook) -> Result<Vec<LogEvent>, ReachError> {
    let file = File::open(path).during("open the log", path)?;
    let mut reader = LogReader::new(&rulebook.events, side)
        .map_err(|error| ReachError::Unusable { path: path.to_owned(), reason: error.to_string() })?;
    each_line(&mut BufReader::with_capacity(1 << 20, file), |line| reader.line(line)).during("read the log", path)?;
    Ok(reader.finish())
}

fn each_line(source: &mut impl BufRead, mut take: impl FnMut(&[u8])) -> std::io::Result<()> {
    let mut kept = Vec::new();
    loop {
        let chunk = source.fill_buf()?;
        if chunk.is_empty() {
            if !kept.is_empty() {
                take(&kept);
            }
            return Ok(());
        }
        let end = chunk.iter().position(|byte| *byte == b'\n');
        let part = &chunk[..end.unwrap_or(chunk.len())];
        let room = LOG_LINE_BYTES.saturating_sub(kept.len()).min(part.len());
        kept.extend_from_slice(&part[..room]);
        let used = part.len() + usize::from(end.is_some());
        source.consume(used);
        if end.is_some() {
            take(kept.strip_suffix(b"\r").unwrap_or(&kept));
            kept.clear();
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn lines_are_split_bounded_and_the_last_may_be_torn() {
        let long = vec![b'x'; LOG_LINE_BYTES * 3];
        let log = [b"one\r\n\n", long.as_slice(), b"\ntorn"].concat();
        let mut lines = Vec::new();
        each_line(&mut BufReader::with_capacity(7, log.as_slice()), |line| lines.push(line.to_vec())).expect("read");
        assert_eq!(lines, [b"one".to_vec(), Vec::new(), long[..LOG_LINE_BYTES].to_vec(), b"torn".to_vec()]);
    }
}
