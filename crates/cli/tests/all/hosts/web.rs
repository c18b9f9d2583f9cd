//! A web server inside the test: a folder over HTTP with ranges, and what may befall it.

use std::collections::BTreeMap;
use std::io::{BufRead, BufReader, Read, Seek, SeekFrom, Write};
use std::net::{TcpListener, TcpStream};
use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicBool, AtomicI64, AtomicU64, Ordering};
use std::sync::{Arc, Mutex};

/// What may befall a web server.
pub struct Manners {
    /// So many bytes of bodies are sent before every line is cut; negative: as many as are asked for.
    pub budget: AtomicI64,
    /// Whether it knows ranges.
    pub ranges: AtomicBool,
    /// Files that never end, each with how it begins.
    pub endless: Mutex<BTreeMap<String, Vec<u8>>>,
    /// How many bytes of bodies were sent.
    pub sent: AtomicU64,
}

pub struct Web {
    pub port: u16,
    pub manners: Arc<Manners>,
}

impl Web {
    pub fn serve(folder: &Path) -> Self {
        let listener = TcpListener::bind("127.0.0.1:0").unwrap();
        let port = listener.local_addr().unwrap().port();
        let manners = Arc::new(Manners {
            budget: AtomicI64::new(-1),
            ranges: AtomicBool::new(true),
            endless: Mutex::default(),
            sent: AtomicU64::new(0),
        });
        let (folder, own) = (folder.to_owned(), Arc::clone(&manners));
        std::thread::spawn(move || {
            for stream in listener.incoming().flatten() {
                let (folder, manners) = (folder.clone(), Arc::clone(&own));
                std::thread::spawn(move || while answer(&stream, &folder, &manners).is_some() {});
            }
        });
        Self { port, manners }
    }

    pub fn address(&self) -> String {
        format!("http://127.0.0.1:{}/", self.port)
    }
}

/// Answers one request; nothing when the line is over.
fn answer(stream: &TcpStream, folder: &Path, manners: &Manners) -> Option<()> {
    let mut reader = BufReader::new(stream.try_clone().ok()?);
    let mut request = String::new();
    reader.read_line(&mut request).ok().filter(|read| *read > 0)?;
    let path = request.split(' ').nth(1)?.trim_start_matches('/').to_owned();
    let mut range = None;
    loop {
        let mut line = String::new();
        reader.read_line(&mut line).ok()?;
        if line.trim().is_empty() {
            break;
        }
        let line = line.to_lowercase();
        range = line.strip_prefix("range: bytes=").map(|range| range.trim().to_owned()).or(range);
    }
    if let Some(begin) = manners.endless.lock().unwrap().get(&path).cloned() {
        return endless(stream, &begin);
    }
    let file: PathBuf = folder.join(&path);
    let mut out = stream;
    let Some(mut source) = std::fs::File::open(&file).ok().filter(|_| file.is_file()) else {
        return out.write_all(b"HTTP/1.1 404 Not Found\r\nContent-Length: 0\r\n\r\n").ok();
    };
    let size = source.metadata().ok()?.len();
    let range = range.filter(|_| manners.ranges.load(Ordering::SeqCst));
    let (from, to) = range.as_deref().map_or((0, size), |range| {
        let (from, to) = range.split_once('-').unwrap();
        (from.parse().unwrap(), to.parse::<u64>().map_or(size, |to| (to + 1).min(size)))
    });
    let status = if range.is_some() {
        format!("206 Partial Content\r\nContent-Range: bytes {from}-{}/{size}", to.max(1) - 1)
    } else {
        "200 OK".to_owned()
    };
    out.write_all(format!("HTTP/1.1 {status}\r\nContent-Length: {}\r\n\r\n", to - from).as_bytes()).ok()?;
    source.seek(SeekFrom::Start(from)).ok()?;
    let mut left = to - from;
    while left > 0 {
        let mut buffer = vec![0; left.min(16 << 10) as usize];
        source.read_exact(&mut buffer).ok()?;
        if manners.budget.load(Ordering::SeqCst) >= 0 {
            let rest = manners.budget.fetch_sub(buffer.len() as i64, Ordering::SeqCst);
            if rest < buffer.len() as i64 {
                manners.budget.store(0, Ordering::SeqCst);
                drop(out.write_all(&buffer[..rest.max(0) as usize]));
                drop(stream.shutdown(std::net::Shutdown::Both));
                return None;
            }
        }
        out.write_all(&buffer).ok()?;
        manners.sent.fetch_add(buffer.len() as u64, Ordering::SeqCst);
        left -= buffer.len() as u64;
    }
    Some(())
}

/// Sends until nobody listens any more.
fn endless(mut stream: &TcpStream, begin: &[u8]) -> Option<()> {
    stream.write_all(b"HTTP/1.1 200 OK\r\nTransfer-Encoding: chunked\r\n\r\n").ok()?;
    let filler = vec![b' '; 64 << 10];
    let chunk = |mut stream: &TcpStream, bytes: &[u8]| {
        stream.write_all(format!("{:x}\r\n", bytes.len()).as_bytes()).ok()?;
        stream.write_all(bytes).and_then(|()| stream.write_all(b"\r\n")).ok()
    };
    if !begin.is_empty() {
        chunk(stream, begin)?;
    }
    loop {
        chunk(stream, &filler)?;
    }
}
