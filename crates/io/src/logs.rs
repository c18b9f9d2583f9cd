//! Logs, of any size in bounded memory: plain or compressed, in sets that were rotated, in the encodings that games write, with torn
//! last lines. Stretches of a log are scanned side by side for lines that the rulebook knows; only those are looked at closely.

use kanon_core::base::ids::same_name;
use std::collections::VecDeque;
use std::io::{self, BufRead, BufReader, Read, Seek, SeekFrom};
use std::path::{Path, PathBuf};

use encoding_rs::{Encoding, UTF_16BE, UTF_16LE, WINDOWS_1252};
use kanon_core::base::limits::{LOG_LINE_BYTES, LOG_LINES, LOG_LINES_BYTES, LOG_UNPACKED_BYTES};
use kanon_core::base::path::printable;
use kanon_core::diagnose::{Hint, HintReader, Needles, of_last_join};
use kanon_core::logs::{LogEvent, LogReader, LogTime, Scanner, Source};
use kanon_core::rulebook::{Event, EventRule, Role};
use memchr::memchr;
use rayon::prelude::*;

use crate::error::{During, ReachError, ReadFault, Unfit};
use crate::open::regular;

/// Bytes that are scanned in one go.
const STRETCH: u64 = 4 << 20;
/// Bytes in which ends of lines are counted in one go: as many as stay near the processor.
const BLOCK: usize = 128 << 10;
/// Bytes of a log that is learned from.
const TRANSCRIPT: usize = 4 << 20;
/// Bytes of its beginning, where that is more.
const HEAD: u64 = 512 << 10;
/// Files of one rotated set that are read at most.
const SET: usize = 20;
/// Lines behind the last try that are looked through for names, and hints that are kept.
const HINTED_LINES: u64 = 50_000;
const HINTS: usize = 200;

/// What a log says.
#[derive(Debug, Default)]
pub struct ReadLog {
    /// Its events, oldest first.
    pub events: Vec<LogEvent>,
    /// The newest file, in which hints are looked for.
    newest: PathBuf,
    /// How many lines that has: the ends of lines, and one.
    lines: u64,
    /// How many bytes it had when they were counted, where it is plain.
    size: Option<u64>,
    /// How many of the events are of older files.
    older: usize,
    /// The line of the newest file before which nothing counts.
    from_line: u64,
    /// The files that were read, by name.
    pub files: Vec<String>,
}

impl ReadLog {
    /// How many lines of the newest file stand before its last ones, of which so many end.
    pub const fn lines_before(&self, ends: u64) -> u64 {
        self.lines.saturating_sub(1 + ends)
    }

    /// Has these events of the newest file in place of all others.
    pub fn replace(&mut self, events: Vec<LogEvent>) {
        self.older = 0;
        self.events = events;
    }

    /// Takes in events of the newest file that are not known yet.
    pub fn add(&mut self, events: Vec<LogEvent>) {
        let own = &self.events[self.older..];
        let is_known =
            |event: &LogEvent| own.iter().any(|known| known.line == event.line && known.mod_id == event.mod_id);
        let new: Vec<LogEvent> = events.into_iter().filter(|event| !is_known(event)).collect();
        self.events.extend(new);
        self.events[self.older..].sort_by_key(|event| event.line);
    }
}

/// Reads the events of one side's log: of a file, or of the newest one in a folder. Where the join is not in it, older files of its
/// set are read too.
///
/// # Errors
/// When the log can't be read, or the patterns are too large together.
pub fn read(
    path: &Path,
    (side, rules): (Role, &[EventRule]),
    (player, since): (Option<&str>, Option<LogTime>),
) -> Result<ReadLog, ReachError> {
    let files = set_of(path)?;
    let newest = files.first().cloned().unwrap_or_else(|| path.to_owned());
    let mut log = ReadLog { newest: newest.clone(), ..ReadLog::default() };
    for file in files.iter().take(SET) {
        let Known { mut events, lines, size } = events_of(file, (side, rules))?;
        let is_newest = *file == newest;
        if is_newest {
            (log.lines, log.size) = (lines, size);
        } else {
            for event in &mut events {
                event.text = format!("({}) {}", name_of(file), event.text);
            }
            log.older += events.len();
        }
        log.files.push(name_of(file));
        events.append(&mut log.events);
        log.events = events;
        if has_a_join(&log.events, player)
            || since.is_some_and(|since| log.events.iter().any(|event| !is_from(event, since)))
        {
            break;
        }
    }
    if let Some(since) = since {
        let first = first_from(&log.events, since);
        let last_before = log.events[..first].last().filter(|_| first > log.older);
        log.from_line = last_before.map_or(0, |event| event.line + 1);
        log.older = log.older.saturating_sub(first);
        log.events.drain(..first);
    }
    Ok(log)
}

fn has_a_join(events: &[LogEvent], player: Option<&str>) -> bool {
    let of_player = |event: &LogEvent| match (player, &event.player) {
        (Some(wanted), Some(named)) => same_name(wanted, named),
        (wanted, _) => wanted.is_none(),
    };
    events.iter().any(|event| {
        matches!(event.means, Event::JoinTried | Event::JoinRefused | Event::JoinAccepted) && of_player(event)
    })
}

fn is_from(event: &LogEvent, since: LogTime) -> bool {
    event.stamp().is_none_or(|stamp| stamp.is_from(since))
}

/// The place of the first event that is not before a moment; where logs tell times of day alone, on the last day of them.
fn first_from(events: &[LogEvent], since: LogTime) -> usize {
    let before = events.iter().rposition(|event| event.stamp().is_some_and(|stamp| !stamp.is_from(since)));
    before.map_or(0, |last| last + 1)
}

/// Lines that no pattern knows, from the last join on.
///
/// # Errors
/// When the log can't be read.
pub fn hints(log: &ReadLog, source: Source, player: Option<&str>, needles: &Needles) -> Result<Vec<Hint>, ReachError> {
    // Lines of older files have numbers of their own.
    let own = &log.events[log.older..];
    let join = of_last_join(own, player);
    let known: Vec<u64> = own.iter().map(|event| event.line).collect();
    let from = join.from_line.max(log.from_line).max(log.lines.saturating_sub(HINTED_LINES));
    let (mut hints, mut reader) = (VecDeque::new(), HintReader::new(needles, source, player.or(join.player), own));
    let path = &log.newest;
    let (lines, first) = from_line(log, from).during("open the log", path)?;
    each_line((lines, first), |number, line| {
        if number < from {
            return;
        }
        for hint in reader.line(number, &as_utf8(line), known.binary_search(&number).is_ok()) {
            if hints.len() >= HINTS {
                hints.pop_front();
            }
            hints.push_back(hint);
        }
    })
    .during("read the log", path)?;
    hints.iter_mut().for_each(|hint| hint.is_before_try = reader.last_try().is_some_and(|line| hint.line < line));
    Ok(hints.into())
}

/// What of a log is learned from.
#[derive(Debug, Default)]
pub struct Text {
    /// Of a long one, how it begins: programs list their mods there.
    pub head: String,
    /// Its last lines; of a short one, all.
    pub text: String,
    /// Whether the last of them does not end yet.
    is_torn: bool,
}

impl Text {
    /// How many of its lines end.
    pub fn ends(&self) -> u64 {
        (self.text.lines().count() as u64).saturating_sub(u64::from(self.is_torn))
    }
}

/// The text of a log that is learned from.
///
/// # Errors
/// When the log can't be read.
pub fn transcript(path: &Path) -> Result<Text, ReachError> {
    let files = set_of(path)?;
    let newest = files.first().map_or(path, PathBuf::as_path);
    let plain = match Kind::of(newest).during("open the log", newest)? {
        Kind::Plain(size) => Some(size),
        Kind::Other(_) => None,
    };
    let (head, is_torn) = match plain {
        Some(size) => (head(newest, size), is_torn(newest, size)),
        // Of a packed one it is not asked.
        None => (Ok(String::new()), Ok(false)),
    };
    let (head, is_torn) = (head.during("read the log", newest)?, is_torn.during("read the log", newest)?);
    let mut kept = String::with_capacity(TRANSCRIPT + 4_096);
    let lines = from_its_end(newest, plain).during("open the log", newest)?;
    each_line((lines, 1), |_, line| {
        kept.push_str(&String::from_utf8_lossy(&as_utf8(line)));
        kept.push('\n');
        if kept.len() > 2 * TRANSCRIPT {
            cut(&mut kept);
        }
    })
    .during("read the log", newest)?;
    cut(&mut kept);
    Ok(Text { head, text: kept, is_torn })
}

/// Whether the last line of a log does not end yet.
fn is_torn(path: &Path, size: u64) -> io::Result<bool> {
    if size == 0 {
        return Ok(false);
    }
    let (mut file, mut last) = (regular(path)?, [0]);
    file.seek(SeekFrom::Start(size - 1))?;
    file.read_exact(&mut last)?;
    Ok(last != *b"\n")
}

/// How a log begins that is too long to be learned from whole.
fn head(path: &Path, size: u64) -> io::Result<String> {
    if size <= TRANSCRIPT as u64 {
        return Ok(String::new());
    }
    let mut bytes = Vec::new();
    regular(path)?.take(HEAD).read_to_end(&mut bytes)?;
    Ok(String::from_utf8_lossy(&bytes).into_owned())
}

/// A log from so far before its end that enough of it is left; of one that is packed, or of two bytes a letter, all.
fn from_its_end(path: &Path, plain: Option<u64>) -> io::Result<Box<dyn BufRead>> {
    let Some(size) = plain else { return opened(path) };
    let mut lines = BufReader::with_capacity(1 << 20, regular(path)?);
    if let Some(from) = size.checked_sub(TRANSCRIPT as u64) {
        lines.seek(SeekFrom::Start(from))?;
        // The rest of a line is none.
        lines.skip_until(b'\n')?;
    }
    Ok(Box::new(lines))
}

/// Cuts off all but the last lines.
fn cut(text: &mut String) {
    let Some(from) = text.len().checked_sub(TRANSCRIPT) else { return };
    let from = memchr(b'\n', &text.as_bytes()[from..]).map_or(text.len(), |end| from + end + 1);
    text.drain(..from);
}

/// A log from a line on, which is found from its end where that can be: what lies before it need not be read. Also the number of
/// the first line that comes.
fn from_line(log: &ReadLog, from: u64) -> io::Result<(Box<dyn BufRead>, u64)> {
    let path = &log.newest;
    let mut file = regular(path)?;
    // One that got shorter is another one by now.
    let Some(mut end) = log.size.filter(|size| file.metadata().is_ok_and(|now| now.len() >= *size)) else {
        return Ok((opened(path)?, 1));
    };
    let mut behind = log.lines.saturating_sub(from);
    let mut block = vec![0; BLOCK];
    let mut at = (0, 1);
    'blocks: while end > 0 {
        let begin = end.saturating_sub(BLOCK as u64);
        let part = &mut block[..(end - begin) as usize];
        file.seek(SeekFrom::Start(begin))?;
        file.read_exact(part)?;
        for line_end in memchr::memchr_iter(b'\n', part).rev() {
            if behind == 0 {
                at = (begin + line_end as u64 + 1, from);
                break 'blocks;
            }
            behind -= 1;
        }
        end = begin;
    }
    file.seek(SeekFrom::Start(at.0))?;
    Ok((Box::new(BufReader::with_capacity(1 << 20, file)), at.1))
}

/// What is known of one file.
struct Known {
    events: Vec<LogEvent>,
    /// How many lines it has.
    lines: u64,
    /// How many bytes, where it is plain.
    size: Option<u64>,
}

fn events_of(path: &Path, (side, rules): (Role, &[EventRule])) -> Result<Known, ReachError> {
    let too_large = |error: &dyn std::fmt::Display| ReachError::unusable(path, Unfit::told(error));
    let scanner = Scanner::new(rules, side).map_err(|error| too_large(&error))?;
    let mut reader = LogReader::new(rules, side, Source::log_of(side));
    let ((known, lines), size) = match Kind::of(path).during("open the log", path)? {
        Kind::Plain(size) => (last_of_plain(path, size, &scanner).during("read the log", path)?, Some(size)),
        Kind::Other(_) => (last_of_stream(path, &scanner)?, None),
    };
    known.iter().for_each(|(number, line)| reader.line(*number, line));
    Ok(Known { events: reader.finish(), lines, size })
}

/// Known lines of a log, each with its number.
type Lines = VecDeque<(u64, Vec<u8>)>;

/// Whether as many lines are kept as are looked at closely.
fn is_full(lines: usize, bytes: usize) -> bool {
    lines > LOG_LINES || bytes > LOG_LINES_BYTES
}

/// The last known lines of a plain log, from its end: what lies before them is only counted. Also how many lines there are.
fn last_of_plain(path: &Path, size: u64, scanner: &Scanner) -> io::Result<(Lines, u64)> {
    let mut stretches = stretches_of(size);
    let (mut found, mut kept, mut bytes): (Vec<Found>, usize, usize) = (Vec::new(), 0, 0);
    while !stretches.is_empty() && !is_full(kept, bytes) && !scanner.is_empty() {
        let together = stretches.split_off(stretches.len().saturating_sub(2 * rayon::current_num_threads()));
        let scanned: io::Result<Vec<Found>> =
            together.into_par_iter().map_init(Vec::new, |room, at| scan_stretch((path, at), scanner, room)).collect();
        for one in scanned?.into_iter().rev() {
            kept += one.lines.len();
            bytes += one.lines.iter().map(|(_, line)| line.len()).sum::<usize>();
            found.push(one);
        }
    }
    let room = || vec![0; BLOCK];
    let ends: io::Result<Vec<u64>> =
        stretches.into_par_iter().map_init(room, |room, at| line_ends((path, at), room)).collect();
    let mut before: u64 = ends?.into_iter().sum();
    let mut lines = Lines::new();
    for one in found.into_iter().rev() {
        lines.extend(one.lines.into_iter().map(|(number, line)| (before + number, line)));
        before += one.line_ends;
    }
    while is_full(lines.len(), bytes) {
        bytes -= lines.pop_front().map_or(0, |(_, line)| line.len());
    }
    Ok((lines, before + 1))
}

/// How many lines end in a stretch, which is read block by block: what was counted is not fetched from memory again.
fn line_ends((path, (begin, end)): (&Path, (u64, u64)), room: &mut [u8]) -> io::Result<u64> {
    let (mut file, mut count) = (regular(path)?, 0);
    file.seek(SeekFrom::Start(begin))?;
    let mut left = file.take(end - begin);
    loop {
        let read = left.read(room)?;
        if read == 0 {
            return Ok(count);
        }
        count += memchr::memchr_iter(b'\n', &room[..read]).count() as u64;
    }
}

/// The last known lines of a log that can only be read from its beginning, and how many lines there are.
fn last_of_stream(path: &Path, scanner: &Scanner) -> Result<(Lines, u64), ReachError> {
    let (mut lines, mut bytes) = (Lines::new(), 0);
    let count = known_lines(path, scanner, |number, line| {
        bytes += line.len();
        lines.push_back((number, line));
        while is_full(lines.len(), bytes) {
            bytes -= lines.pop_front().map_or(0, |(_, line)| line.len());
        }
    })?;
    Ok((lines, count))
}

/// Hands on the lines of a log that a scanner may know, each with its number, in their order; says how many lines there are.
///
/// # Errors
/// When the log can't be read.
pub fn known_lines(path: &Path, scanner: &Scanner, mut take: impl FnMut(u64, Vec<u8>)) -> Result<u64, ReachError> {
    let mut before = 0;
    let mut hand_on = |found: Found| {
        for (number, line) in found.lines {
            take(before + number, line);
        }
        before += found.line_ends;
    };
    match Kind::of(path).during("open the log", path)? {
        Kind::Plain(size) => scan_plain(path, size, scanner, &mut hand_on),
        Kind::Other(reader) => scan_stream(reader, scanner, &mut hand_on),
    }
    .during("read the log", path)?;
    Ok(before + 1)
}

/// The first and the last line of a log that say anything.
///
/// # Errors
/// When the log can't be read.
pub fn ends(path: &Path) -> Result<(String, String), ReachError> {
    let says = |line: &[u8]| line.iter().any(|byte| !byte.is_ascii_whitespace());
    let text = |line: &[u8]| String::from_utf8_lossy(&as_utf8(&line[..line.len().min(1_000)])).into_owned();
    if let Kind::Plain(size) = Kind::of(path).during("open the log", path)? {
        // Of a plain one nothing between need be read.
        let end = |from: u64| -> io::Result<Vec<u8>> {
            let mut file = regular(path)?;
            file.seek(SeekFrom::Start(from))?;
            let mut bytes = Vec::new();
            file.take(LOG_LINE_BYTES as u64).read_to_end(&mut bytes)?;
            Ok(bytes)
        };
        let first = end(0).during("read the log", path)?;
        let last = end(size.saturating_sub(LOG_LINE_BYTES as u64)).during("read the log", path)?;
        let (first, last) = (
            first.split(|byte| *byte == b'\n').find(|line| says(line)),
            last.rsplit(|byte| *byte == b'\n').find(|line| says(line)),
        );
        return Ok((first.map(text).unwrap_or_default(), last.map(text).unwrap_or_default()));
    }
    let (mut first, mut last) = (None, String::new());
    each_line((opened(path).during("open the log", path)?, 1), |_, line| {
        if says(line) {
            last = text(line);
            first.get_or_insert_with(|| last.clone());
        }
    })
    .during("read the log", path)?;
    Ok((first.unwrap_or_default(), last))
}

/// What a stretch has.
#[derive(Default)]
struct Found {
    /// Lines that may be known, each with its number in the stretch, from one.
    lines: Vec<(u64, Vec<u8>)>,
    line_ends: u64,
}

/// Scans whole lines; `text` may end in the middle of one.
fn scan(scanner: &Scanner, text: &[u8]) -> Vec<(u64, Vec<u8>)> {
    let text = as_utf8(text);
    let (mut lines, mut counted, mut number) = (Vec::new(), 0, 1);
    scanner.scan(&text, |line| {
        number += memchr::memchr_iter(b'\n', &text[counted..line.start]).count() as u64;
        counted = line.start;
        let end = line.end.min(line.start + LOG_LINE_BYTES);
        lines.push((number, text[line.start..end].to_vec()));
    });
    lines
}

/// Stretches of a file, each with the lines that begin in it, side by side.
fn scan_plain(path: &Path, size: u64, scanner: &Scanner, hand_on: &mut impl FnMut(Found)) -> io::Result<()> {
    for together in stretches_of(size).chunks(2 * rayon::current_num_threads()) {
        let found: Vec<io::Result<Found>> =
            together.par_iter().map_init(Vec::new, |room, at| scan_stretch((path, *at), scanner, room)).collect();
        for found in found {
            hand_on(found?);
        }
    }
    Ok(())
}

/// Where the stretches of a file begin and end.
fn stretches_of(size: u64) -> Vec<(u64, u64)> {
    (0..size.div_ceil(STRETCH)).map(|number| (number * STRETCH, ((number + 1) * STRETCH).min(size))).collect()
}

fn scan_stretch(
    (path, (begin, end)): (&Path, (u64, u64)),
    scanner: &Scanner,
    bytes: &mut Vec<u8>,
) -> io::Result<Found> {
    let mut file = regular(path)?;
    // One byte more in front tells whether a line begins here.
    let from = begin.saturating_sub(1);
    file.seek(SeekFrom::Start(from))?;
    bytes.clear();
    bytes.reserve((end - from) as usize + 4_096);
    Read::by_ref(&mut file).take(end - from).read_to_end(bytes)?;
    let own = if begin == 0 { 0 } else { 1.min(bytes.len()) };
    let line_ends = memchr::memchr_iter(b'\n', &bytes[own..]).count() as u64;
    // The last line may go on behind the stretch.
    let last_begin = bytes.iter().rposition(|byte| *byte == b'\n').map_or(0, |end| end + 1);
    while bytes.last() != Some(&b'\n') && bytes.len() - last_begin < LOG_LINE_BYTES {
        let had = bytes.len();
        if Read::by_ref(&mut file).take(4_096).read_to_end(bytes)? == 0 {
            break;
        }
        if let Some(at) = memchr(b'\n', &bytes[had..]) {
            bytes.truncate(had + at + 1);
        }
    }
    let first = match begin {
        0 => Some(if bytes.starts_with(b"\xef\xbb\xbf") { 3 } else { 0 }),
        _ => memchr(b'\n', &bytes[..(end - from) as usize]).map(|at| at + 1),
    };
    let Some(first) = first.filter(|first| *first < bytes.len()) else {
        return Ok(Found { lines: Vec::new(), line_ends });
    };
    // What stands before the first line that begins here is counted, since numbers are of the whole stretch.
    let skipped = memchr::memchr_iter(b'\n', &bytes[own.min(first)..first]).count() as u64;
    let mut lines = scan(scanner, &bytes[first..]);
    // More than are looked at closely need not wait for the other stretches.
    lines.drain(..lines.len().saturating_sub(LOG_LINES));
    lines.iter_mut().for_each(|(number, _)| *number += skipped);
    Ok(Found { lines, line_ends })
}

/// A stream in stretches of whole lines, side by side as far as it was read.
fn scan_stream(mut reader: Box<dyn BufRead>, scanner: &Scanner, hand_on: &mut impl FnMut(Found)) -> io::Result<()> {
    loop {
        let mut together: Vec<Vec<u8>> = Vec::new();
        for _ in 0..2 * rayon::current_num_threads() {
            let stretch = whole_lines(&mut reader)?;
            if stretch.is_empty() {
                break;
            }
            together.push(stretch);
        }
        if together.is_empty() {
            return Ok(());
        }
        let found: Vec<Found> = together
            .par_iter()
            .map(|text| Found {
                lines: scan(scanner, text),
                line_ends: memchr::memchr_iter(b'\n', text).count() as u64,
            })
            .collect();
        found.into_iter().for_each(&mut *hand_on);
    }
}

/// About a stretch of whole lines; of a line that is too long, the rest is thrown away.
fn whole_lines(reader: &mut impl BufRead) -> io::Result<Vec<u8>> {
    let mut text = Vec::new();
    reader.take(STRETCH).read_to_end(&mut text)?;
    if text.is_empty() || text.last() == Some(&b'\n') {
        return Ok(text);
    }
    let line_begin = text.iter().rposition(|byte| *byte == b'\n').map_or(0, |end| end + 1);
    loop {
        let chunk = reader.fill_buf()?;
        if chunk.is_empty() {
            return Ok(text);
        }
        let end = memchr(b'\n', chunk);
        let part = &chunk[..end.map_or(chunk.len(), |at| at + 1)];
        let room = (line_begin + LOG_LINE_BYTES).saturating_sub(text.len()).min(part.len());
        text.extend_from_slice(&part[..room]);
        let used = part.len();
        reader.consume(used);
        if end.is_some() {
            if text.last() != Some(&b'\n') {
                text.push(b'\n');
            }
            return Ok(text);
        }
    }
}

/// Text as UTF-8, without what colours it on a terminal: a line that is none is taken as Windows-1252.
fn as_utf8(text: &[u8]) -> std::borrow::Cow<'_, [u8]> {
    let plain = memchr(0x1b, text).map(|_| without_colours(text));
    if plain.is_none() && std::str::from_utf8(text).is_ok() {
        return text.into();
    }
    let text = plain.as_deref().unwrap_or(text);
    let mut decoded = Vec::with_capacity(text.len() + text.len() / 8);
    for line in text.split_inclusive(|byte| *byte == b'\n') {
        match std::str::from_utf8(line) {
            Ok(_) => decoded.extend_from_slice(line),
            Err(_) => decoded.extend_from_slice(WINDOWS_1252.decode_without_bom_handling(line).0.as_bytes()),
        }
    }
    decoded.into()
}

/// A text without the control sequences of terminals (ECMA-48): an escape, a bracket, parameters and a letter.
fn without_colours(text: &[u8]) -> Vec<u8> {
    let mut plain = Vec::with_capacity(text.len());
    let mut rest = text;
    while let Some(at) = memchr(0x1b, rest) {
        plain.extend_from_slice(&rest[..at]);
        rest = &rest[at + 1..];
        if let Some(sequence) = rest.strip_prefix(b"[") {
            let parameters = sequence.iter().take_while(|byte| (0x20..0x40).contains(*byte)).count();
            if sequence.get(parameters).is_some_and(|byte| (0x40..0x7f).contains(byte)) {
                rest = &sequence[parameters + 1..];
            }
        }
    }
    plain.extend_from_slice(rest);
    plain
}

/// How a log is stored.
enum Kind {
    /// As it is, with so many bytes.
    Plain(u64),
    /// Compressed, or in UTF-16: as a stream of UTF-8.
    Other(Box<dyn BufRead>),
}

impl Kind {
    fn of(path: &Path) -> io::Result<Self> {
        let mut file = regular(path)?;
        let mut head = Vec::new();
        Read::by_ref(&mut file).take(512).read_to_end(&mut head)?;
        file.rewind()?;
        let unpacked: Box<dyn BufRead> = match head.as_slice() {
            [0x1f, 0x8b, ..] => {
                Box::new(BufReader::with_capacity(1 << 20, UntilTorn::new(flate2::read::MultiGzDecoder::new(file))))
            }
            [0x28, 0xb5, 0x2f, 0xfd, ..] => {
                Box::new(BufReader::with_capacity(1 << 20, UntilTorn::new(zstd::Decoder::new(file)?)))
            }
            _ => match wide(&head) {
                Some(encoding) => {
                    return Ok(Self::Other(Box::new(BufReader::with_capacity(1 << 20, Wide::new(file, encoding)))));
                }
                None => return Ok(Self::Plain(file.metadata()?.len())),
            },
        };
        let mut unpacked = BufReader::with_capacity(1 << 20, unpacked.take(LOG_UNPACKED_BYTES));
        // The head of what is packed may show that it is in UTF-16.
        let wide = wide(unpacked.fill_buf()?);
        Ok(Self::Other(match wide {
            Some(encoding) => Box::new(BufReader::with_capacity(1 << 20, Wide::new(unpacked, encoding))),
            None => Box::new(unpacked),
        }))
    }
}

/// What is packed, as far as it goes: a log that was torn off while it was packed or sent says all the same what it says by then.
struct UntilTorn<R> {
    packed: R,
    has_come: bool,
}

impl<R> UntilTorn<R> {
    const fn new(packed: R) -> Self {
        Self { packed, has_come: false }
    }
}

impl<R: Read> Read for UntilTorn<R> {
    fn read(&mut self, out: &mut [u8]) -> io::Result<usize> {
        use io::ErrorKind::{InvalidData, InvalidInput, Other, UnexpectedEof};
        match self.packed.read(out) {
            Err(error)
                if self.has_come && matches!(error.kind(), InvalidData | InvalidInput | Other | UnexpectedEof) =>
            {
                Ok(0)
            }
            came => {
                self.has_come |= came.as_ref().is_ok_and(|came| *came > 0);
                came
            }
        }
    }
}

fn opened(path: &Path) -> io::Result<Box<dyn BufRead>> {
    Ok(match Kind::of(path)? {
        Kind::Plain(_) => Box::new(BufReader::with_capacity(1 << 20, regular(path)?)),
        Kind::Other(reader) => reader,
    })
}

/// The encoding of a text in which each letter has two bytes, by its mark, or by its zeros.
fn wide(head: &[u8]) -> Option<&'static Encoding> {
    match head {
        [0xff, 0xfe, ..] => return Some(UTF_16LE),
        [0xfe, 0xff, ..] => return Some(UTF_16BE),
        _ => {}
    }
    let head = &head[..head.len().min(512)];
    let zeros = |odd: usize| head.iter().skip(odd).step_by(2).filter(|byte| **byte == 0).count();
    let enough = head.len() * 2 / 5;
    match (zeros(0), zeros(1)) {
        (even, odd) if head.len() >= 16 && odd >= enough && even * 8 < odd => Some(UTF_16LE),
        (even, odd) if head.len() >= 16 && even >= enough && odd * 8 < even => Some(UTF_16BE),
        _ => None,
    }
}

/// A stream of UTF-16 as one of UTF-8.
struct Wide<R> {
    reader: R,
    decoder: encoding_rs::Decoder,
    ready: Vec<u8>,
    given: usize,
    is_over: bool,
}

impl<R: Read> Wide<R> {
    fn new(reader: R, encoding: &'static Encoding) -> Self {
        Self { reader, decoder: encoding.new_decoder_with_bom_removal(), ready: Vec::new(), given: 0, is_over: false }
    }
}

impl<R: Read> Read for Wide<R> {
    fn read(&mut self, out: &mut [u8]) -> io::Result<usize> {
        while self.given == self.ready.len() && !self.is_over {
            let mut raw = vec![0; 256 << 10];
            let count = self.reader.read(&mut raw)?;
            self.is_over = count == 0;
            let mut text = String::with_capacity(self.decoder.max_utf8_buffer_length(count).unwrap_or(count * 3 + 16));
            let _ = self.decoder.decode_to_string(&raw[..count], &mut text, self.is_over);
            (self.ready, self.given) = (text.into_bytes(), 0);
        }
        let count = out.len().min(self.ready.len() - self.given);
        out[..count].copy_from_slice(&self.ready[self.given..self.given + count]);
        self.given += count;
        Ok(count)
    }
}

/// Hands on each line with its number, of which the first is told; of a long one the start, of a torn one what is there.
fn each_line((mut source, mut number): (impl BufRead, u64), mut take: impl FnMut(u64, &[u8])) -> io::Result<()> {
    let mut kept = Vec::new();
    loop {
        let chunk = source.fill_buf()?;
        if chunk.is_empty() {
            if !kept.is_empty() {
                take(number, &kept);
            }
            return Ok(());
        }
        let end = memchr(b'\n', chunk);
        let part = &chunk[..end.unwrap_or(chunk.len())];
        let room = LOG_LINE_BYTES.saturating_sub(kept.len()).min(part.len());
        kept.extend_from_slice(&part[..room]);
        let used = part.len() + usize::from(end.is_some());
        source.consume(used);
        if end.is_some() {
            take(number, kept.strip_suffix(b"\r").unwrap_or(&kept));
            kept.clear();
            number += 1;
        }
    }
}

/// The files of a log, newest first: the file itself and those that it was rotated into; of a folder, the logs in it.
///
/// # Errors
/// When it can't be looked at, or a folder has no log.
pub fn set_of(path: &Path) -> Result<Vec<PathBuf>, ReachError> {
    let metadata = std::fs::metadata(path).during("open the log", path)?;
    let folder = if metadata.is_dir() { path } else { path.parent().unwrap_or(Path::new("")) };
    let folder = if folder.as_os_str().is_empty() { Path::new(".") } else { folder };
    let own = if metadata.is_dir() { None } else { Some(name_of(path).to_lowercase()) };
    let mut others: Vec<(std::time::SystemTime, PathBuf)> = Vec::new();
    for entry in std::fs::read_dir(folder).into_iter().flatten().flatten() {
        let name = entry.file_name().to_string_lossy().to_lowercase();
        let belongs = match &own {
            Some(own) => is_rotated(own, &name),
            None => is_log(&name),
        };
        if let Some(metadata) = entry.metadata().ok().filter(|metadata| belongs && metadata.is_file()) {
            others.push((metadata.modified().unwrap_or(std::time::SystemTime::UNIX_EPOCH), entry.path()));
        }
    }
    others.sort();
    let others = others.into_iter().rev().map(|(_, path)| path);
    let files: Vec<PathBuf> = own.iter().map(|_| path.to_owned()).chain(others).collect();
    if files.is_empty() {
        return Err(ReachError::unusable(path, ReadFault::NoLog));
    }
    Ok(files)
}

fn unpacked_name(name: &str) -> &str {
    [".gz", ".zst"].iter().find_map(|end| name.strip_suffix(end)).unwrap_or(name)
}

/// Whether a name is one of a packed log.
pub(crate) fn is_packed(name: &str) -> bool {
    unpacked_name(name).len() < name.len()
}

/// Whether a name, in lower case, is one of a log.
pub(crate) fn is_log(name: &str) -> bool {
    let plain = unpacked_name(name).trim_end_matches(|c: char| c.is_ascii_digit()).trim_end_matches('.');
    plain.ends_with(".log") || plain.ends_with(".txt")
}

/// Whether a file is an older part of a log: `server.log.1`, `server-2026-11-26.log.gz`, or a date beside a `latest.log`.
fn is_rotated(own: &str, name: &str) -> bool {
    let (own, plain) = (unpacked_name(own), unpacked_name(name));
    if plain == own {
        return name != own && name.len() > plain.len();
    }
    let (stem, end) = own.rsplit_once('.').unwrap_or((own, ""));
    let numbered = plain.strip_prefix(own).and_then(|rest| rest.strip_prefix(['.', '-', '_']));
    if numbered.is_some_and(is_count) {
        return true;
    }
    let Some(middle) = plain.strip_suffix(end).and_then(|plain| plain.strip_suffix('.')) else { return false };
    if matches!(stem, "latest" | "current") && is_count(middle) {
        return true;
    }
    middle.strip_prefix(stem).and_then(|rest| rest.strip_prefix(['.', '-', '_'])).is_some_and(is_count)
}

/// Numbers and dates: digits, and what stands between them.
fn is_count(text: &str) -> bool {
    text.chars().any(|c| c.is_ascii_digit()) && text.chars().all(|c| c.is_ascii_digit() || "-_.t".contains(c))
}

fn name_of(path: &Path) -> String {
    printable(&path.file_name().map_or_else(|| path.display().to_string(), |name| name.to_string_lossy().into_owned()))
}

#[cfg(test)]
#[path = "tests/logs.rs"]
mod tests;
