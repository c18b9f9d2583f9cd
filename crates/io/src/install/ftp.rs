//! One FTP connection, in the clear or over TLS: what a host can do is asked once, and what it can't is done without.
//!
//! RFC 959, with RFC 2389 (FEAT), RFC 2428 (EPSV), RFC 3659 (MLSD, REST, SIZE), and the customary LIST, HASH, XSHA256
//! and MFMT where a host has them.

use std::io::{self, Read, Write};
use std::net::{SocketAddr, TcpStream, ToSocketAddrs};
use std::ops::Range;
use std::sync::Arc;

use kanon_core::base::digest::Sha256;
use kanon_core::base::limits;
use suppaftp::list::ListParser;
use suppaftp::types::{FileType, Mode, Response};
use suppaftp::{FtpError, RustlsConnector, RustlsFtpStream, Status};

use super::address::{Address, Scheme};
use super::connection::{Connection, Connector, Fault, HostEntry, Sink};
use super::credentials::{Credentials, Secret};
use super::tls::{Timed, Trust};
use super::{FileFingerprint, FileStatus, nanoseconds, seconds_of};
use crate::error::{HostError, LoginAttempt, Unanswered};
use crate::retry::RetryPolicy;

/// Bytes that go over a line at a time.
const CHUNK: usize = 1 << 20;

/// Opens FTP connections to one host.
pub struct FtpDialler {
    address: Address,
    door: Arc<dyn Credentials>,
    patience: RetryPolicy,
    trust: Trust,
}

impl FtpDialler {
    /// For one host.
    pub fn new(address: Address, door: Arc<dyn Credentials>, patience: RetryPolicy) -> Self {
        let trust = Trust::new(&address, Arc::clone(&door));
        Self { address, door, patience, trust }
    }

    fn unreachable(&self, reason: &dyn std::fmt::Display) -> HostError {
        self.unanswered(Unanswered::Told(reason.to_string()))
    }

    fn unanswered(&self, reason: Unanswered) -> HostError {
        HostError::Unreachable { address: self.address.to_string(), reason }
    }

    fn connect(&self) -> Result<RustlsFtpStream, HostError> {
        let host = self.address.host.as_str();
        let stream = tcp(host, self.address.port, self.patience).map_err(|error| self.unreachable(&error))?;
        if self.address.scheme == Scheme::Ftp {
            return RustlsFtpStream::connect_with_stream(stream).map_err(|error| self.unreachable(&error));
        }
        let secured = if self.address.is_tls_at_once() {
            let peer = stream.peer_addr().map_err(|error| self.unreachable(&error))?;
            drop(stream);
            RustlsFtpStream::connect_secure_implicit(peer, self.connector()?, host)
        } else {
            let plain = RustlsFtpStream::connect_with_stream(stream).map_err(|error| self.unreachable(&error))?;
            plain.into_secure(self.connector()?, host)
        };
        // What a person has to say about a certificate says more than that the handshake failed.
        secured.map_err(|error| self.trust.doubt().unwrap_or_else(|| self.unreachable(&error)))
    }

    fn connector(&self) -> Result<Timed, HostError> {
        let config = self.trust.config().map_err(|reason| self.unreachable(&reason))?;
        Ok(Timed { inner: RustlsConnector::from(config), patience: self.patience })
    }

    fn log_in(&self, stream: &mut RustlsFtpStream) -> Result<(), HostError> {
        let user = self.door.login().user;
        let mut attempt = 0;
        loop {
            let password = match (user.as_str(), attempt) {
                // The custom of hosts that let anybody in.
                ("anonymous", 0) => Some(Secret::new("anonymous@".to_owned())),
                _ => self.door.password(attempt),
            };
            let Some(password) = password else {
                let tried = vec![if attempt == 0 { LoginAttempt::NoPassword } else { LoginAttempt::WrongPassword }];
                return Err(HostError::Login { address: self.address.to_string(), user, tried });
            };
            match stream.login(user.as_str(), password.reveal()) {
                Ok(()) => {
                    self.door.welcomed(&password);
                    return Ok(());
                }
                Err(FtpError::UnexpectedResponse(answer)) if is_final_no(&answer) => attempt += 1,
                Err(error) => return Err(self.unanswered(said(error))),
            }
        }
    }
}

/// A refusal for good (5xx), as opposed to one for now (too many connections, and the like).
fn is_final_no(answer: &Response) -> bool {
    answer.status.code() >= 500 || answer.status == Status::InvalidCredentials
}

/// Connects to any of a host's addresses; whatever is read or written then has its time-out.
pub fn tcp(host: &str, port: u16, patience: RetryPolicy) -> io::Result<TcpStream> {
    let mut last = io::Error::new(io::ErrorKind::NotFound, "its name has no address");
    for address in (host, port).to_socket_addrs()? {
        match timed(&address, patience) {
            Ok(stream) => return Ok(stream),
            Err(error) => last = error,
        }
    }
    Err(last)
}

fn timed(address: &SocketAddr, patience: RetryPolicy) -> io::Result<TcpStream> {
    let stream = TcpStream::connect_timeout(address, patience.connect)?;
    stream.set_read_timeout(Some(patience.silence))?;
    stream.set_write_timeout(Some(patience.silence))?;
    stream.set_nodelay(true)?;
    Ok(stream)
}

impl Connector for FtpDialler {
    fn dial(&self) -> Result<(Box<dyn Connection>, String), HostError> {
        let mut stream = self.connect()?;
        self.log_in(&mut stream)?;
        let patience = self.patience;
        stream =
            stream.passive_stream_builder(move |address| timed(&address, patience).map_err(FtpError::ConnectionError));
        stream.set_passive_nat_workaround(true);
        stream.transfer_type(FileType::Binary).map_err(|error| self.unanswered(said(error)))?;
        let home = stream.pwd().unwrap_or_default();
        let can = Can::ask(&mut stream);
        stream.set_mode(if can.extended_passive { Mode::ExtendedPassive } else { Mode::Passive });
        Ok((Box::new(FtpLine { stream, can }), home))
    }
}

/// What a host can do.
#[derive(Debug, Default, Clone)]
struct Can {
    machine_lists: bool,
    extended_passive: bool,
    set_time: bool,
    digest: Option<&'static str>,
    /// Hosts that take the option of `LIST` for a name are asked without it.
    plain_lists: bool,
    /// Hosts that said that they know no `SITE CHMOD` are not asked again.
    no_modes: bool,
}

impl Can {
    fn ask(stream: &mut RustlsFtpStream) -> Self {
        let Ok(features) = stream.feat() else { return Self::default() };
        let has = |name: &str| features.keys().any(|key| key.eq_ignore_ascii_case(name));
        let value = |name: &str| {
            let found = features.iter().find(|(key, _)| key.eq_ignore_ascii_case(name));
            found.and_then(|(_, value)| value.clone()).unwrap_or_default().to_uppercase()
        };
        if has("UTF8") {
            // Some want to be told, most don't mind.
            let _ = stream.opts("UTF8", Some("ON"));
        }
        let digest = if value("HASH").contains("SHA-256") && stream.opts("HASH", Some("SHA-256")).is_ok() {
            Some("HASH")
        } else {
            has("XSHA256").then_some("XSHA256")
        };
        let machine_lists = has("MLST") || has("MLSD");
        Self {
            machine_lists,
            extended_passive: has("EPSV"),
            set_time: has("MFMT"),
            digest,
            plain_lists: false,
            no_modes: false,
        }
    }
}

/// A line's end cut off by a host is a line that is lost; a clear no is a no.
fn fault(error: FtpError) -> Fault {
    match error {
        FtpError::UnexpectedResponse(answer) => match answer.status {
            Status::NotAvailable | Status::CannotOpenDataConnection | Status::TransferAborted if !no_room(&answer) => {
                Fault::Lost(told(&answer))
            }
            _ => Fault::Refused(refusal(&answer)),
        },
        FtpError::ConnectionError(error) if error.kind() == io::ErrorKind::InvalidInput => Fault::Refused(error),
        other => Fault::Lost(said(other).to_string()),
    }
}

fn no_room(answer: &Response) -> bool {
    let text = told(answer).to_lowercase();
    ["space", "quota", "disk full"].iter().any(|word| text.contains(word))
}

fn refusal(answer: &Response) -> io::Error {
    let text = told(answer);
    let lower = text.to_lowercase();
    let is_full = matches!(answer.status, Status::ExceededStorage | Status::RequestedActionNotTaken);
    let kind = if is_full || no_room(answer) {
        io::ErrorKind::StorageFull
    } else if lower.contains("permission") || lower.contains("denied") {
        io::ErrorKind::PermissionDenied
    } else if answer.status == Status::FileUnavailable && (lower.contains("no such") || lower.contains("not found")) {
        io::ErrorKind::NotFound
    } else {
        io::ErrorKind::Other
    };
    io::Error::new(kind, Unanswered::Says(text).to_string())
}

fn told(answer: &Response) -> String {
    let text = String::from_utf8_lossy(&answer.body);
    let line: String = text.trim().chars().filter(|c| !c.is_control()).take(300).collect();
    if line.is_empty() { answer.status.to_string() } else { line }
}

fn said(error: FtpError) -> Unanswered {
    match error {
        FtpError::UnexpectedResponse(answer) => Unanswered::Says(told(&answer)),
        FtpError::ConnectionError(error) => Unanswered::Told(error.to_string()),
        other => Unanswered::Told(other.to_string()),
    }
}

struct FtpLine {
    stream: RustlsFtpStream,
    can: Can,
}

impl FtpLine {
    /// The lines that a listing command gives; bounded, since a host may never stop.
    fn lines(&mut self, command: String) -> Result<Vec<String>, Fault> {
        let (_, mut data) =
            self.stream.custom_data_command(command, &[Status::AboutToSend, Status::AlreadyOpen]).map_err(fault)?;
        let mut bytes = Vec::new();
        let read = (&mut data).take(limits::HOST_LISTING_BYTES + 1).read_to_end(&mut bytes);
        if bytes.len() as u64 > limits::HOST_LISTING_BYTES {
            return Err(Fault::Lost("the host's listing of a folder has no end".to_owned()));
        }
        read.map_err(|error| Fault::Lost(error.to_string()))?;
        data.finish().map_err(fault)?;
        let text = String::from_utf8_lossy(&bytes);
        Ok(text.lines().filter(|line| !line.is_empty()).map(str::to_owned).collect())
    }

    fn customary_list(&mut self, folder: &str) -> Result<Vec<HostEntry>, Fault> {
        // From inside the folder: blanks and patterns in its path are then nobody's to misread.
        self.stream.cwd(folder).map_err(fault)?;
        let lines = if self.can.plain_lists {
            self.lines("LIST".to_owned())?
        } else {
            match self.lines("LIST -a".to_owned()) {
                Err(Fault::Refused(_)) => {
                    self.can.plain_lists = true;
                    self.lines("LIST".to_owned())?
                }
                other => other?,
            }
        };
        let mut entries = Vec::new();
        for line in lines.iter().filter(|line| !line.starts_with("total ")) {
            let parsed = ListParser::parse_posix(line).or_else(|_| ListParser::parse_dos(line));
            let Ok(found) = parsed else {
                let shown = kanon_core::base::path::printable(line);
                return Err(Fault::Refused(io::Error::other(Unanswered::Listing(shown).to_string())));
            };
            entries.push(entry_of(&found, mode_of(line)));
        }
        Ok(entries)
    }
}

fn entry_of(found: &suppaftp::list::File, mode: Option<u32>) -> HostEntry {
    let modified = nanoseconds(found.modified());
    let there = if found.is_directory() {
        FileStatus::Folder { modified: Some(modified), mode }
    } else if found.is_symlink() {
        FileStatus::Link
    } else {
        let stamp = FileFingerprint { size: found.size() as u64, modified: Some(modified), changed: 0, inode: 0 };
        FileStatus::File { stamp, mode }
    };
    HostEntry { name: found.name().to_owned(), there }
}

/// One line of a machine listing; nothing for the folder itself and the one above.
fn machine_entry(line: &str) -> Option<HostEntry> {
    let (facts, name) = line.split_once("; ")?;
    let lower = facts.to_lowercase();
    let fact = |key: &str| lower.split(';').find_map(|fact| fact.trim().strip_prefix(key));
    if matches!(fact("type="), Some("cdir" | "pdir")) {
        return None;
    }
    let mode = fact("unix.mode=").and_then(|mode| u32::from_str_radix(mode, 8).ok());
    match ListParser::parse_mlsd(line) {
        Ok(found) => Some(entry_of(&found, mode)),
        Err(_) if fact("type=").is_some_and(|kind| kind.contains("link")) => {
            Some(HostEntry { name: name.to_owned(), there: FileStatus::Link })
        }
        Err(_) => Some(HostEntry { name: name.to_owned(), there: FileStatus::Other }),
    }
}

impl FtpLine {
    /// Sets permission bits. Says whether the host could, or nothing is lost by it: new files can be read and written, not run.
    fn set_mode(&mut self, path: &str, mode: u32) -> Result<bool, Fault> {
        let matters = mode & 0o111 != 0;
        if self.can.no_modes {
            return Ok(!matters);
        }
        let command = format!("SITE CHMOD {:o} {path}", mode & 0o7777);
        match self.stream.custom_command(command, &[Status::CommandOk, Status::File, Status::RequestedFileActionOk]) {
            Ok(_) => Ok(true),
            Err(FtpError::UnexpectedResponse(_)) => {
                self.can.no_modes = true;
                Ok(!matters)
            }
            Err(error) => Err(fault(error)),
        }
    }

    fn set_time(&mut self, path: &str, modified: Option<i64>) -> Result<(), Fault> {
        let Some(modified) = modified.filter(|_| self.can.set_time) else { return Ok(()) };
        let Some(text) = calendar(modified) else { return Ok(()) };
        match self.stream.custom_command(format!("MFMT {text} {path}"), &[Status::File, Status::RequestedFileActionOk])
        {
            // A time is a courtesy: hosts that refuse it for a folder, say, lose nothing by it.
            Ok(_) | Err(FtpError::UnexpectedResponse(_)) => Ok(()),
            Err(error) => Err(fault(error)),
        }
    }
}

/// The permission bits that a customary listing begins with, such as `-rwxr-xr-x`.
fn mode_of(line: &str) -> Option<u32> {
    let signs = line.as_bytes().get(1..10)?;
    let bits = signs.iter().zip("rwxrwxrwx".bytes()).try_fold(0, |bits, (sign, wanted)| match *sign {
        b'-' => Some(bits << 1),
        sign if sign == wanted || matches!(sign, b's' | b't') => Some(bits << 1 | 1),
        b'S' | b'T' => Some(bits << 1),
        _ => None,
    });
    bits.filter(|_| line.starts_with(['-', 'd', 'l']))
}

impl Connection for FtpLine {
    fn list(&mut self, folder: &str) -> Result<Vec<HostEntry>, Fault> {
        let mut entries = if self.can.machine_lists {
            self.lines(format!("MLSD {folder}"))?.iter().filter_map(|line| machine_entry(line)).collect()
        } else {
            self.customary_list(folder)?
        };
        entries.retain(|entry| entry.name != "." && entry.name != "..");
        Ok(entries)
    }

    fn read(&mut self, path: &str, part: Range<u64>, sink: Sink<'_>) -> Result<(), Fault> {
        if part.start > 0 {
            let offset = usize::try_from(part.start).map_err(|_| Fault::Refused(io::ErrorKind::FileTooLarge.into()))?;
            self.stream.resume_transfer(offset).map_err(fault)?;
        }
        let mut data = self.stream.retr_as_stream(path).map_err(fault)?;
        let mut left = part.end - part.start;
        let mut buffer = vec![0; CHUNK.min(usize::try_from(left).unwrap_or(CHUNK)).max(1)];
        while left > 0 {
            let n = data.read(&mut buffer).map_err(|error| Fault::Lost(error.to_string()))?;
            if n == 0 {
                break;
            }
            let n = n.min(usize::try_from(left).unwrap_or(n));
            sink(&buffer[..n])?;
            left -= n as u64;
        }
        match data.finish() {
            // We hung up in the middle, and the host remarks on it.
            Err(FtpError::UnexpectedResponse(_)) if left == 0 => Ok(()),
            Err(error) => Err(fault(error)),
            Ok(()) if left > 0 => {
                Err(Fault::Refused(io::Error::new(io::ErrorKind::UnexpectedEof, "the host sends less than it said")))
            }
            Ok(()) => Ok(()),
        }
    }

    fn write(&mut self, path: &str, from: u64, source: &mut dyn Read) -> Result<(), Fault> {
        if from > 0 {
            let offset = usize::try_from(from).map_err(|_| Fault::Refused(io::ErrorKind::FileTooLarge.into()))?;
            self.stream.resume_transfer(offset).map_err(fault)?;
        }
        let mut data = self.stream.put_with_stream(path).map_err(fault)?;
        let mut buffer = vec![0; CHUNK];
        let mut failed = None;
        loop {
            let n = source.read(&mut buffer).map_err(Fault::Refused)?;
            if n == 0 {
                break;
            }
            if let Err(error) = data.write_all(&buffer[..n]) {
                failed = Some(error);
                break;
            }
        }
        // A host that hangs up on the data says why on the other line.
        match (data.finish(), failed) {
            (Err(error), _) => Err(fault(error)),
            (Ok(()), Some(error)) => Err(Fault::Lost(error.to_string())),
            (Ok(()), None) => Ok(()),
        }
    }

    fn size(&mut self, path: &str) -> Result<Option<u64>, Fault> {
        match self.stream.size(path) {
            Ok(size) => Ok(Some(size as u64)),
            Err(FtpError::UnexpectedResponse(answer)) if answer.status.code() == 550 => Ok(None),
            Err(error) => Err(fault(error)),
        }
    }

    fn rename(&mut self, from: &str, to: &str) -> Result<(), Fault> {
        match self.stream.rename(from, to) {
            // Many hosts don't rename over a file; the journal covers the moment in which neither is there.
            Err(FtpError::UnexpectedResponse(_)) if self.size(to)?.is_some() && self.size(from)?.is_some() => {
                match self.stream.rm(to) {
                    // What a dead run had asked for may have taken it off just now.
                    Err(FtpError::UnexpectedResponse(_)) if self.size(to)?.is_none() => {}
                    other => other.map_err(fault)?,
                }
                self.stream.rename(from, to).map_err(fault)
            }
            other => other.map_err(fault),
        }
    }

    fn remove_file(&mut self, path: &str) -> Result<(), Fault> {
        self.stream.rm(path).map_err(fault)
    }

    fn make_folder(&mut self, path: &str) -> Result<(), Fault> {
        self.stream.mkdir(path).map_err(fault)
    }

    fn remove_folder(&mut self, path: &str) -> Result<(), Fault> {
        self.stream.rmdir(path).map_err(fault)
    }

    fn set_facts(&mut self, path: &str, modified: Option<i64>, mode: Option<u32>) -> Result<(), Fault> {
        let is_kept = mode.map_or(Ok(true), |mode| self.set_mode(path, mode))?;
        self.set_time(path, modified)?;
        if is_kept { Ok(()) } else { Err(Fault::Refused(io::ErrorKind::Unsupported.into())) }
    }

    fn digests(&mut self, paths: &[String]) -> Result<Vec<Option<Sha256>>, Fault> {
        let Some(command) = self.can.digest else { return Ok(vec![None; paths.len()]) };
        let mut digests = Vec::new();
        for path in paths {
            let answer =
                self.stream.custom_command(format!("{command} {path}"), &[Status::File, Status::RequestedFileActionOk]);
            digests.push(match answer {
                Ok(answer) => digest_in(&told(&answer)),
                Err(FtpError::UnexpectedResponse(_)) => None,
                Err(error) => return Err(fault(error)),
            });
        }
        Ok(digests)
    }

    fn doubtful_end(&self) -> u64 {
        0
    }
}

/// The SHA-256 digest in an answer, wherever in it that stands.
pub fn digest_in(text: &str) -> Option<Sha256> {
    text.split_whitespace().map(str::to_lowercase).find_map(|word| word.parse().ok())
}

/// A time as FTP writes it, in whole seconds of UTC.
fn calendar(moment: i64) -> Option<String> {
    let time = jiff::Timestamp::from_second(seconds_of(moment).0).ok()?;
    // Four digits is what the year has there.
    let text = time.strftime("%Y%m%d%H%M%S").to_string();
    (text.len() == 14 && !text.starts_with('-')).then_some(text)
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case("type=file;size=12;modify=20261101101500;UNIX.mode=0640; a b.psm", Some(("a b.psm", "file 12 640")))]
    #[case("Type=dir;Modify=20261101101500; mods", Some(("mods", "folder")))]
    #[case("type=cdir;modify=20261101101500; /srv", None)]
    #[case("type=pdir;modify=20261101101500; ..", None)]
    #[case("type=OS.unix=slink:/etc;modify=20261101101500; out", Some(("out", "link")))]
    #[case("type=file;size=many; a", Some(("a", "other")))]
    #[case("no facts at all", None)]
    fn machine_listings(#[case] line: &str, #[case] expected: Option<(&str, &str)>) {
        let found = machine_entry(line).map(|entry| {
            let kind = match entry.there {
                FileStatus::File { stamp, mode } => format!("file {} {:o}", stamp.size, mode.unwrap_or(0)),
                FileStatus::Folder { .. } => "folder".to_owned(),
                FileStatus::Link => "link".to_owned(),
                FileStatus::Other => "other".to_owned(),
            };
            (entry.name, kind)
        });
        assert_eq!(found, expected.map(|(name, kind)| (name.to_owned(), kind.to_owned())));
    }

    #[test]
    fn times_and_digests_as_hosts_write_them() {
        assert_eq!(calendar(1_793_527_200_000_000_000).as_deref(), Some("20261101100000"));
        assert_eq!(calendar(-1).as_deref(), Some("19691231235959"));
        assert_eq!(calendar(i64::MAX).as_deref(), None, "nobody writes such a year");
        let modes = ["-rwxr-x---", "drwxr-xr-t", "-rw-r--r-- 1 a b", "09-11-26", "lrwxrwxrwx"].map(mode_of);
        assert_eq!(modes, [Some(0o750), Some(0o755), Some(0o644), None, Some(0o777)]);
        let digest = Sha256::of(b"tide");
        assert_eq!(digest_in(&format!("SHA-256 0-4 {digest} a b.psm")), Some(digest));
        assert_eq!(digest_in(&digest.to_string().to_uppercase()), Some(digest));
        assert_eq!(digest_in("550 no"), None);
    }
}
