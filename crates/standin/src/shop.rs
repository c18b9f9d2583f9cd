//! A simulated host of a catalogue: static files of one folder over HTTP, with ranges and entity tags, and with the
//! faults of slow hosts on request.

use std::fs::File;
use std::io::{BufRead, BufReader, Read, Seek, SeekFrom, Write};
use std::net::{Shutdown, TcpListener, TcpStream};
use std::path::{Component, Path, PathBuf};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, AtomicUsize, Ordering};
use std::thread::JoinHandle;

use crate::error::StandinError;

/// What is wrong with a host.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Fault {
    /// Nothing.
    #[default]
    None,
    /// The line drops after that many bytes of each answer.
    Cut(u64),
    /// It knows no ranges, and drops the line once.
    NoRanges,
    /// It never stops sending.
    Endless,
}

impl Fault {
    fn of_word(word: &str) -> Option<Self> {
        match word.split_once('=') {
            Some(("cut", bytes)) => bytes.parse().ok().map(Self::Cut),
            None if word == "no-ranges" => Some(Self::NoRanges),
            None if word == "endless" => Some(Self::Endless),
            _ => None,
        }
    }
}

/// A running host; it is closed when this is dropped.
pub struct Shop {
    thread: Option<JoinHandle<()>>,
    closing: Arc<AtomicBool>,
    answers: Arc<AtomicUsize>,
    /// Where it listens.
    pub port: u16,
}

impl Shop {
    /// Opens a host for the files of a folder, on a free port of this machine.
    ///
    /// # Errors
    /// When no port can be had.
    pub fn open(folder: &Path, fault: Fault) -> Result<Self, StandinError> {
        let listener = TcpListener::bind("127.0.0.1:0").map_err(StandinError::io("opening a port"))?;
        let port = listener.local_addr().map_err(StandinError::io("opening a port"))?.port();
        let (closing, answers) = (Arc::new(AtomicBool::new(false)), Arc::new(AtomicUsize::new(0)));
        let (closed, counted, folder) = (Arc::clone(&closing), Arc::clone(&answers), folder.to_owned());
        let thread = std::thread::spawn(move || {
            for visit in listener.incoming().flatten() {
                if closed.load(Ordering::SeqCst) {
                    return;
                }
                let number = counted.fetch_add(1, Ordering::SeqCst);
                // A visitor that hangs up is no fault of the host.
                drop(serve(&visit, &folder, fault, number));
                drop(visit.shutdown(Shutdown::Both));
            }
        });
        Ok(Self { thread: Some(thread), closing, answers, port })
    }

    /// How many requests were answered.
    pub fn answers(&self) -> usize {
        self.answers.load(Ordering::SeqCst)
    }
}

impl Drop for Shop {
    fn drop(&mut self) {
        self.closing.store(true, Ordering::SeqCst);
        // The host wakes up for a last visitor, and goes.
        drop(TcpStream::connect(("127.0.0.1", self.port)));
        if let Some(thread) = self.thread.take() {
            drop(thread.join());
        }
    }
}

/// Runs a host as a program: prints its port, and serves until its input ends.
///
/// # Errors
/// When no port can be had, or the fault is none.
pub fn run(folder: &Path, fault: Option<&str>) -> Result<bool, StandinError> {
    let fault = fault.map_or(Some(Fault::None), Fault::of_word).ok_or(StandinError::Usage)?;
    let shop = Shop::open(folder, fault)?;
    println!("{}", shop.port);
    let mut rest = Vec::new();
    std::io::stdin().read_to_end(&mut rest).map_err(StandinError::io("waiting"))?;
    Ok(true)
}

/// Answers one request, and no more: each visit is a connection of its own.
fn serve(visit: &TcpStream, folder: &Path, fault: Fault, number: usize) -> std::io::Result<()> {
    let mut lines = BufReader::new(visit.take(64 << 10)).lines();
    let first = lines.next().transpose()?.unwrap_or_default();
    let headers: Vec<String> = lines.map_while(Result::ok).take_while(|line| !line.is_empty()).collect();
    let header = |name: &str| {
        let values = headers.iter().filter_map(|line| line.split_once(':'));
        values.into_iter().find(|(key, _)| key.eq_ignore_ascii_case(name)).map(|(_, value)| value.trim().to_owned())
    };
    let mut words = first.split(' ');
    let (method, url) = (words.next().unwrap_or_default(), words.next().unwrap_or_default());
    let Some(path) = file_of(url, folder).filter(|path| path.is_file() && method == "GET") else {
        return head(visit, "404 Not Found", &[("Content-Length", "0".to_owned())]);
    };
    let size = std::fs::metadata(&path)?.len();
    let tag = format!("\"{}-{size}\"", modified(&path)?);
    if header("If-None-Match").as_deref() == Some(tag.as_str()) {
        return head(visit, "304 Not Modified", &[]);
    }
    if fault == Fault::Endless {
        head(visit, "200 OK", &[])?;
        return std::io::copy(&mut std::io::repeat(b'x'), &mut &*visit).map(|_| ());
    }
    let range = header("Range").filter(|_| fault != Fault::NoRanges).and_then(|range| start_and_end(&range, size));
    let (start, end) = range.unwrap_or((0, size));
    let mut told = vec![("ETag", tag), ("Content-Length", (end - start).to_string())];
    if range.is_some() {
        told.push(("Content-Range", format!("bytes {start}-{}/{size}", end - 1)));
    }
    head(visit, if range.is_some() { "206 Partial Content" } else { "200 OK" }, &told)?;
    let sent = match fault {
        Fault::Cut(bytes) => bytes.min(end - start),
        Fault::NoRanges if number < 1 => (end - start) / 2,
        _ => end - start,
    };
    let mut file = File::open(&path)?;
    file.seek(SeekFrom::Start(start))?;
    std::io::copy(&mut file.take(sent), &mut &*visit).map(|_| ())
}

fn head(mut visit: &TcpStream, status: &str, headers: &[(&str, String)]) -> std::io::Result<()> {
    let mut text = format!("HTTP/1.1 {status}\r\nConnection: close\r\n");
    for (name, value) in headers {
        text.push_str(&format!("{name}: {value}\r\n"));
    }
    visit.write_all((text + "\r\n").as_bytes())
}

fn modified(path: &Path) -> std::io::Result<u128> {
    let since = std::fs::metadata(path)?.modified()?.duration_since(std::time::UNIX_EPOCH);
    Ok(since.map_or(0, |since| since.as_nanos()))
}

/// `bytes=10-` and `bytes=10-19`: where it starts, and where it ends.
fn start_and_end(range: &str, size: u64) -> Option<(u64, u64)> {
    let (start, end) = range.strip_prefix("bytes=")?.split_once('-')?;
    let start: u64 = start.parse().ok()?;
    let end = end.parse::<u64>().map_or(size, |last| (last + 1).min(size));
    (start < end).then_some((start, end))
}

/// The file that an address names, inside the folder.
fn file_of(url: &str, folder: &Path) -> Option<PathBuf> {
    let path = url.split(['?', '#']).next()?.trim_start_matches('/');
    let mut bytes = Vec::new();
    let mut rest = path.as_bytes();
    while let Some((first, after)) = rest.split_first() {
        let escaped = (*first == b'%').then(|| after.get(..2)).flatten();
        let decoded = escaped.and_then(|hex| u8::from_str_radix(std::str::from_utf8(hex).ok()?, 16).ok());
        bytes.push(decoded.unwrap_or(*first));
        rest = if decoded.is_some() { &after[2..] } else { after };
    }
    let path = PathBuf::from(String::from_utf8(bytes).ok()?);
    let inside = path.components().all(|part| matches!(part, Component::Normal(_)));
    inside.then(|| folder.join(path))
}
