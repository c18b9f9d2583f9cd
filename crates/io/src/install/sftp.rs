//! One SFTP connection (version 3 of the protocol, with OpenSSH's extensions where a host has them).
//!
//! Many requests are under way at a time, since on a long line each one waits for its answer.

use std::io::{self, Read};
use std::ops::Range;
use std::path::Path;
use std::sync::{Arc, Mutex, PoisonError};

use futures_util::stream::{FuturesOrdered, StreamExt};
use kanon_core::base::digest::Sha256;
use kanon_core::base::limits;
use russh::client::{AuthResult, Handle, KeyboardInteractiveAuthResponse};
use russh::keys::agent::AgentIdentity;
use russh::keys::agent::client::AgentClient;
use russh::keys::{HashAlg, PrivateKeyWithHashAlg, PublicKeyOrCertificate, load_secret_key};
use russh::{ChannelMsg, client};
use russh_sftp::client::error::Error as SftpError;
use russh_sftp::client::{Config as SftpConfig, RawSftpSession};
use russh_sftp::protocol::{FileAttributes, FileType, OpenFlags, Packet, StatusCode};
use tokio::runtime::Runtime;

use super::address::Address;
use super::connection::{Connection, Connector, Fault, HostEntry, Sink};
use super::credentials::{Credentials, HostKey, Login, Standing};
use super::ftp::{digest_in, tcp};
use super::{FileFingerprint, FileStatus};
use crate::error::{HostError, LoginAttempt, Unanswered};
use crate::retry::RetryPolicy;

/// Bytes of one request, which every host takes.
const CHUNK: u32 = 32 << 10;
/// Requests under way at a time.
const UNDER_WAY: usize = 64;
/// Keys of an agent that are tried; hosts hang up after a few.
const AGENT_KEYS: usize = 4;
/// Bytes of a command that a host is asked to run.
const COMMAND_BYTES: usize = 16 << 10;

/// Opens SFTP connections to one host.
pub struct SftpDialler {
    address: Address,
    door: Arc<dyn Credentials>,
    patience: RetryPolicy,
    runtime: Arc<Runtime>,
}

/// Judges the key that a host shows.
struct Judge {
    host: String,
    door: Arc<dyn Credentials>,
    doubt: Arc<Mutex<Option<HostError>>>,
}

impl client::Handler for Judge {
    type Error = russh::Error;

    async fn check_server_key(&mut self, shown: &PublicKeyOrCertificate) -> Result<bool, Self::Error> {
        let key = match shown {
            PublicKeyOrCertificate::PublicKey { key, .. } => HostKey {
                host: self.host.clone(),
                fingerprint: key.fingerprint(HashAlg::Sha256).to_string(),
                ssh: key.to_openssh().ok(),
            },
            PublicKeyOrCertificate::Certificate(certificate) => HostKey {
                host: self.host.clone(),
                fingerprint: certificate.public_key().fingerprint(HashAlg::Sha256).to_string(),
                ssh: None,
            },
        };
        // A person may be asked, and takes their time.
        let standing = tokio::task::block_in_place(|| self.door.recognise(&key));
        let HostKey { host, fingerprint, .. } = key;
        let doubt = match standing {
            Standing::Trusted => return Ok(true),
            Standing::Unknown => HostError::UnknownKey { host, fingerprint },
            Standing::Changed { known } => HostError::ChangedKey { host, known, fingerprint },
        };
        *self.doubt.lock().unwrap_or_else(PoisonError::into_inner) = Some(doubt);
        Ok(false)
    }
}

impl SftpDialler {
    /// For one host.
    ///
    /// # Errors
    /// When this machine has no threads to spare.
    pub fn new(address: Address, door: Arc<dyn Credentials>, patience: RetryPolicy) -> Result<Self, HostError> {
        let runtime = tokio::runtime::Builder::new_multi_thread().worker_threads(2).enable_all().build();
        let runtime = runtime.map_err(|error| HostError::Unreachable {
            address: address.to_string(),
            reason: Unanswered::NoThreads(error.to_string()),
        })?;
        Ok(Self { address, door, patience, runtime: Arc::new(runtime) })
    }

    fn unreachable(&self, reason: &dyn std::fmt::Display) -> HostError {
        self.unanswered(Unanswered::Told(reason.to_string()))
    }

    fn unanswered(&self, reason: Unanswered) -> HostError {
        HostError::Unreachable { address: self.address.to_string(), reason }
    }

    async fn connect(&self) -> Result<Handle<Judge>, HostError> {
        let stream = tcp(&self.address.host, self.address.port, self.patience).map_err(|e| self.unreachable(&e))?;
        let stream = stream.set_nonblocking(true).and_then(|()| tokio::net::TcpStream::from_std(stream));
        let stream = stream.map_err(|error| self.unreachable(&error))?;
        let config = client::Config {
            keepalive_interval: Some(self.patience.silence / 2),
            keepalive_max: 2,
            nodelay: true,
            window_size: 8 << 20,
            ..client::Config::default()
        };
        let doubt = Arc::default();
        let host = format!("{}:{}", self.address.host, self.address.port);
        let judge = Judge { host, door: Arc::clone(&self.door), doubt: Arc::clone(&doubt) };
        // A person at the door may take their time: only what comes before and after that is timed by the protocol.
        let connected = client::connect_stream(Arc::new(config), stream, judge).await;
        connected.map_err(|error| {
            let said = doubt.lock().unwrap_or_else(PoisonError::into_inner).take();
            said.unwrap_or_else(|| self.unreachable(&error))
        })
    }

    async fn log_in(&self, handle: &mut Handle<Judge>) -> Result<(), HostError> {
        let login = self.door.login();
        let mut tried = Vec::new();
        if let Some(agent) = &login.agent
            && self.by_agent(handle, &login, agent, &mut tried).await?
        {
            return Ok(());
        }
        for key in &login.keys {
            if self.by_key(handle, &login, key, &mut tried).await? {
                return Ok(());
            }
        }
        let mut attempt = 0;
        while let Some(password) = tokio::task::block_in_place(|| self.door.password(attempt)) {
            if self.by_password(handle, &login, password.reveal()).await? {
                self.door.welcomed(&password);
                return Ok(());
            }
            attempt += 1;
        }
        tried.push(if attempt == 0 { LoginAttempt::NoPassword } else { LoginAttempt::WrongPassword });
        Err(HostError::Login { address: self.address.to_string(), user: login.user, tried })
    }

    async fn hash_for(&self, handle: &Handle<Judge>) -> Option<HashAlg> {
        handle.best_supported_rsa_hash().await.ok().flatten().flatten()
    }

    async fn by_agent(
        &self,
        handle: &mut Handle<Judge>,
        login: &Login,
        socket: &Path,
        tried: &mut Vec<LoginAttempt>,
    ) -> Result<bool, HostError> {
        #[cfg(unix)]
        let agent = AgentClient::connect_uds(socket).await;
        #[cfg(windows)]
        let agent = AgentClient::connect_named_pipe(socket).await;
        let Ok(mut agent) = agent else {
            tried.push(LoginAttempt::SilentAgent);
            return Ok(false);
        };
        let identities = agent.request_identities().await.unwrap_or_default();
        tried.push(LoginAttempt::AgentKeys(identities.len().min(AGENT_KEYS)));
        for identity in identities.into_iter().take(AGENT_KEYS) {
            let AgentIdentity::PublicKey { key, .. } = identity else { continue };
            let hash = if key.algorithm().is_rsa() { self.hash_for(handle).await } else { None };
            match handle.authenticate_publickey_with(login.user.as_str(), key, hash, &mut agent).await {
                Ok(AuthResult::Success) => return Ok(true),
                Ok(AuthResult::Failure { .. }) => {}
                Err(error) => return Err(self.unreachable(&error)),
            }
        }
        Ok(false)
    }

    async fn by_key(
        &self,
        handle: &mut Handle<Judge>,
        login: &Login,
        path: &Path,
        tried: &mut Vec<LoginAttempt>,
    ) -> Result<bool, HostError> {
        let key = match load_secret_key(path, None) {
            Ok(key) => Ok(key),
            Err(russh::keys::Error::KeyIsEncrypted) => {
                let passphrase = tokio::task::block_in_place(|| self.door.passphrase(path));
                let Some(passphrase) = passphrase else {
                    tried.push(LoginAttempt::LockedKey(path.display().to_string()));
                    return Ok(false);
                };
                load_secret_key(path, Some(passphrase.reveal()))
            }
            Err(error) => Err(error),
        };
        let key = match key {
            Ok(key) => key,
            Err(error) => {
                tried.push(LoginAttempt::UnreadKey(path.display().to_string(), error.to_string()));
                return Ok(false);
            }
        };
        let hash = if key.algorithm().is_rsa() { self.hash_for(handle).await } else { None };
        let signed = PrivateKeyWithHashAlg::new(Arc::new(key), hash);
        tried.push(LoginAttempt::Key(path.display().to_string()));
        match handle.authenticate_publickey(login.user.as_str(), signed).await {
            Ok(result) => Ok(result.success()),
            Err(error) => Err(self.unreachable(&error)),
        }
    }

    /// Hosts that ask questions instead of taking a password get it as the answer.
    async fn by_password(&self, handle: &mut Handle<Judge>, login: &Login, password: &str) -> Result<bool, HostError> {
        let user = login.user.as_str();
        match handle.authenticate_password(user, password).await {
            Ok(AuthResult::Success) => return Ok(true),
            Ok(AuthResult::Failure { .. }) => {}
            Err(error) => return Err(self.unreachable(&error)),
        }
        let mut answer = handle.authenticate_keyboard_interactive_start(user, None).await;
        loop {
            match answer.map_err(|error| self.unreachable(&error))? {
                KeyboardInteractiveAuthResponse::Success => return Ok(true),
                KeyboardInteractiveAuthResponse::Failure { .. } => return Ok(false),
                KeyboardInteractiveAuthResponse::InfoRequest { prompts, .. } => {
                    let answers = prompts.iter().map(|_| password.to_owned()).collect();
                    answer = handle.authenticate_keyboard_interactive_respond(answers).await;
                }
            }
        }
    }

    async fn session(&self, handle: &Handle<Judge>) -> Result<RawSftpSession, HostError> {
        let channel = handle.channel_open_session().await.map_err(|error| self.unreachable(&error))?;
        channel.request_subsystem(true, "sftp").await.map_err(|error| self.unreachable(&error))?;
        let config =
            SftpConfig { request_timeout_secs: self.patience.silence.as_secs().max(1), ..SftpConfig::default() };
        let session = RawSftpSession::new_with_config(channel.into_stream(), config);
        session.init().await.map_err(|error| self.unanswered(Unanswered::NoSftp(error.to_string())))?;
        Ok(session)
    }
}

impl Connector for SftpDialler {
    fn dial(&self) -> Result<(Box<dyn Connection>, String), HostError> {
        self.runtime.block_on(async {
            let mut handle = self.connect().await?;
            self.log_in(&mut handle).await?;
            let session = self.session(&handle).await?;
            let home = match session.realpath(".").await {
                Ok(names) => names.files.into_iter().next().map(|file| file.filename).unwrap_or_default(),
                Err(error) => return Err(self.unreachable(&error)),
            };
            let line = SftpLine { runtime: Arc::clone(&self.runtime), handle, session, can_run: true };
            Ok((Box::new(line) as Box<dyn Connection>, home))
        })
    }
}

struct SftpLine {
    runtime: Arc<Runtime>,
    handle: Handle<Judge>,
    session: RawSftpSession,
    /// Whether the host runs commands, as far as is known.
    can_run: bool,
}

fn fault(error: SftpError) -> Fault {
    match error {
        SftpError::Status(status) => match status.status_code {
            StatusCode::NoConnection | StatusCode::ConnectionLost => Fault::Lost(status.error_message),
            code => Fault::Refused(refusal(code, &status.error_message)),
        },
        SftpError::Limited(why) => Fault::Refused(io::Error::other(why)),
        SftpError::Timeout => Fault::Lost("no answer came in time".to_owned()),
        other => Fault::Lost(other.to_string()),
    }
}

fn refusal(code: StatusCode, message: &str) -> io::Error {
    let lower = message.to_lowercase();
    let kind = match code {
        StatusCode::NoSuchFile => io::ErrorKind::NotFound,
        StatusCode::PermissionDenied => io::ErrorKind::PermissionDenied,
        StatusCode::OpUnsupported => io::ErrorKind::Unsupported,
        _ if lower.contains("space") || lower.contains("quota") => io::ErrorKind::StorageFull,
        _ => io::ErrorKind::Other,
    };
    let text: String = message.trim().chars().filter(|c| !c.is_control()).take(300).collect();
    io::Error::new(kind, Unanswered::Says(if text.is_empty() { code.to_string() } else { text }).to_string())
}

fn there(attributes: &FileAttributes) -> FileStatus {
    let modified = attributes.mtime.map(|seconds| i64::from(seconds) * 1_000_000_000);
    let mode = attributes.permissions.map(|bits| bits & 0o7777);
    match attributes.file_type() {
        FileType::Dir => FileStatus::Folder { modified, mode },
        FileType::Symlink => FileStatus::Link,
        FileType::File => {
            let size = attributes.size.unwrap_or(0);
            FileStatus::File { stamp: FileFingerprint { size, modified, changed: 0, inode: 0 }, mode }
        }
        FileType::Other => FileStatus::Other,
    }
}

impl SftpLine {
    async fn names(&self, folder: &str) -> Result<Vec<HostEntry>, SftpError> {
        let handle = self.session.opendir(folder).await?.handle;
        let mut entries = Vec::new();
        let listed = loop {
            match self.session.readdir(handle.as_str()).await {
                Ok(names) => entries.extend(
                    names.files.into_iter().map(|file| HostEntry { there: there(&file.attrs), name: file.filename }),
                ),
                Err(SftpError::Status(status)) if status.status_code == StatusCode::Eof => break Ok(()),
                Err(error) => break Err(error),
            }
            if entries.len() > limits::HOST_ENTRIES {
                break Err(SftpError::UnexpectedBehavior("the host's listing of a folder has no end".to_owned()));
            }
        };
        let _ = self.session.close(handle).await;
        listed.map(|()| entries)
    }

    async fn parts(&self, path: &str, part: Range<u64>, sink: Sink<'_>) -> Result<(), Fault> {
        let handle = self.session.open(path, OpenFlags::READ, FileAttributes::empty()).await.map_err(fault)?.handle;
        let read = self.parts_of(&handle, part, sink).await;
        let _ = self.session.close(handle).await;
        read
    }

    async fn parts_of(&self, handle: &str, part: Range<u64>, sink: Sink<'_>) -> Result<(), Fault> {
        let mut coming = FuturesOrdered::new();
        let mut asked = part.start;
        let mut have = part.start;
        while have < part.end {
            while asked < part.end && coming.len() < UNDER_WAY {
                let length = u32::try_from((part.end - asked).min(u64::from(CHUNK))).unwrap_or(CHUNK);
                let answer = self.session.read(handle, asked, length);
                coming.push_back(async move { (length, answer.await) });
                asked += u64::from(length);
            }
            let Some((length, answer)) = coming.next().await else { break };
            let data = match answer {
                Ok(data) => data.data,
                Err(SftpError::Status(status)) if status.status_code == StatusCode::Eof => {
                    let error = io::Error::new(io::ErrorKind::UnexpectedEof, "the host sends less than it said");
                    return Err(Fault::Refused(error));
                }
                Err(error) => return Err(fault(error)),
            };
            if data.is_empty() || data.len() > length as usize {
                return Err(Fault::Refused(io::Error::other("the host answers with other bytes than were asked for")));
            }
            sink(&data)?;
            have += data.len() as u64;
            if data.len() < length as usize {
                // What was asked for beyond it lies elsewhere now.
                coming = FuturesOrdered::new();
                asked = have;
            }
        }
        Ok(())
    }

    async fn send(&self, path: &str, from: u64, source: &mut dyn Read) -> Result<(), Fault> {
        let flags = OpenFlags::WRITE | OpenFlags::CREATE;
        let flags = if from == 0 { flags | OpenFlags::TRUNCATE } else { flags };
        let handle = self.session.open(path, flags, FileAttributes::empty()).await.map_err(fault)?.handle;
        let sent = self.send_to(&handle, from, source).await;
        let closed = self.session.close(handle).await;
        sent?;
        closed.map(drop).map_err(fault)
    }

    async fn send_to(&self, handle: &str, mut at: u64, source: &mut dyn Read) -> Result<(), Fault> {
        let mut under_way = FuturesOrdered::new();
        let mut buffer = vec![0; CHUNK as usize];
        loop {
            let n = filled(source, &mut buffer)?;
            if n > 0 {
                under_way.push_back(self.session.write(handle, at, buffer[..n].to_vec()));
                at += n as u64;
            }
            if n == 0 || under_way.len() >= UNDER_WAY {
                match under_way.next().await {
                    Some(answer) => drop(answer.map_err(fault)?),
                    None => return Ok(()),
                }
            }
        }
    }

    async fn replace(&self, from: &str, to: &str) -> Result<(), Fault> {
        match self.session.extended("posix-rename@openssh.com", two_texts(from, to)).await {
            Ok(Packet::Status(status)) if status.status_code == StatusCode::Ok => return Ok(()),
            Ok(Packet::Status(status)) if status.status_code != StatusCode::OpUnsupported => {
                return Err(fault(SftpError::Status(status)));
            }
            Ok(_) => {}
            Err(SftpError::Status(status)) if status.status_code == StatusCode::OpUnsupported => {}
            Err(error) => return Err(fault(error)),
        }
        match self.session.rename(from, to).await {
            // The plain rename never goes over a file; the journal covers the moment in which neither is there.
            Err(SftpError::Status(_))
                if self.session.lstat(to).await.is_ok() && self.session.lstat(from).await.is_ok() =>
            {
                match self.session.remove(to).await {
                    // What a dead run had asked for may have taken it off just now.
                    Err(SftpError::Status(status)) if status.status_code == StatusCode::NoSuchFile => {}
                    other => drop(other.map_err(fault)?),
                }
                self.session.rename(from, to).await.map(drop).map_err(fault)
            }
            other => other.map(drop).map_err(fault),
        }
    }

    /// Runs a command on the host; nothing if it runs none.
    async fn run(&self, command: &str) -> Result<Option<String>, russh::Error> {
        let mut channel = self.handle.channel_open_session().await?;
        channel.exec(true, command).await?;
        let (mut text, mut ran) = (Vec::new(), false);
        while let Some(message) = channel.wait().await {
            match message {
                ChannelMsg::Data { data } if text.len() < 8 * COMMAND_BYTES => text.extend_from_slice(&data),
                ChannelMsg::ExitStatus { .. } => ran = true,
                ChannelMsg::Failure => return Ok(None),
                _ => {}
            }
        }
        Ok(ran.then(|| String::from_utf8_lossy(&text).into_owned()))
    }
}

/// Fills a buffer as far as the source goes.
fn filled(source: &mut dyn Read, buffer: &mut [u8]) -> io::Result<usize> {
    let mut n = 0;
    while n < buffer.len() {
        match source.read(&mut buffer[n..])? {
            0 => break,
            more => n += more,
        }
    }
    Ok(n)
}

/// Two texts as SSH writes them: each after its length.
fn two_texts(one: &str, two: &str) -> Vec<u8> {
    let mut bytes = Vec::new();
    for text in [one, two] {
        bytes.extend_from_slice(&u32::try_from(text.len()).unwrap_or(u32::MAX).to_be_bytes());
        bytes.extend_from_slice(text.as_bytes());
    }
    bytes
}

/// The digests that a host's own command printed, for the paths that it was given.
fn printed(text: &str, paths: &[String]) -> Vec<Option<Sha256>> {
    let of = |path: &String| {
        text.lines().find_map(|line| {
            let (digest, name) = line.split_once(' ')?;
            (name.trim_start_matches([' ', '*']) == path).then(|| digest_in(digest)).flatten()
        })
    };
    paths.iter().map(of).collect()
}

fn quoted(path: &str) -> String {
    format!("'{}'", path.replace('\'', r"'\''"))
}

impl Connection for SftpLine {
    fn list(&mut self, folder: &str) -> Result<Vec<HostEntry>, Fault> {
        let mut entries = self.runtime.block_on(self.names(folder)).map_err(fault)?;
        entries.retain(|entry| entry.name != "." && entry.name != "..");
        Ok(entries)
    }

    fn read(&mut self, path: &str, part: Range<u64>, sink: Sink<'_>) -> Result<(), Fault> {
        self.runtime.block_on(self.parts(path, part, sink))
    }

    fn write(&mut self, path: &str, from: u64, source: &mut dyn Read) -> Result<(), Fault> {
        self.runtime.block_on(self.send(path, from, source))
    }

    fn size(&mut self, path: &str) -> Result<Option<u64>, Fault> {
        match self.runtime.block_on(self.session.lstat(path)) {
            Ok(found) => Ok(Some(found.attrs.size.unwrap_or(0))),
            Err(SftpError::Status(status)) if status.status_code == StatusCode::NoSuchFile => Ok(None),
            Err(error) => Err(fault(error)),
        }
    }

    fn rename(&mut self, from: &str, to: &str) -> Result<(), Fault> {
        self.runtime.block_on(self.replace(from, to))
    }

    fn remove_file(&mut self, path: &str) -> Result<(), Fault> {
        self.runtime.block_on(self.session.remove(path)).map(drop).map_err(fault)
    }

    fn make_folder(&mut self, path: &str) -> Result<(), Fault> {
        self.runtime.block_on(self.session.mkdir(path, FileAttributes::empty())).map(drop).map_err(fault)
    }

    fn remove_folder(&mut self, path: &str) -> Result<(), Fault> {
        self.runtime.block_on(self.session.rmdir(path)).map(drop).map_err(fault)
    }

    fn set_facts(&mut self, path: &str, modified: Option<i64>, mode: Option<u32>) -> Result<(), Fault> {
        // The protocol has whole seconds from 1970 to 2106, and no others.
        let seconds = modified.and_then(|modified| u32::try_from(super::seconds_of(modified).0).ok());
        let facts = FileAttributes { mtime: seconds, atime: seconds, permissions: mode, ..FileAttributes::empty() };
        if seconds.is_none() && mode.is_none() {
            return Ok(());
        }
        self.runtime.block_on(self.session.setstat(path, facts)).map(drop).map_err(fault)
    }

    fn digests(&mut self, paths: &[String]) -> Result<Vec<Option<Sha256>>, Fault> {
        let mut digests = vec![None; paths.len()];
        let mut start = 0;
        while start < paths.len() && self.can_run {
            let mut command = "sha256sum -b --".to_owned();
            let mut end = start;
            while end < paths.len() && (end == start || command.len() + paths[end].len() < COMMAND_BYTES) {
                command.push(' ');
                command.push_str(&quoted(&paths[end]));
                end += 1;
            }
            match self.runtime.block_on(self.run(&command)) {
                Ok(Some(text)) => digests[start..end].copy_from_slice(&printed(&text, &paths[start..end])),
                Ok(None) => self.can_run = false,
                // Some hosts hang up on whoever wants to run anything: the next line will not ask.
                Err(_) if self.handle.is_closed() => return Err(Fault::Lost("the host runs no commands".to_owned())),
                Err(_) => self.can_run = false,
            }
            start = end;
        }
        Ok(digests)
    }

    fn doubtful_end(&self) -> u64 {
        // Requests that are under way may be carried out in any order.
        u64::from(CHUNK) * UNDER_WAY as u64
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_a_host_printed_is_taken_for_just_the_paths_that_were_asked_for() {
        let (one, two) = (Sha256::of(b"1"), Sha256::of(b"2"));
        let text = format!("{one} */srv/a b.psm\n{two}  /srv/c\nsha256sum: /srv/d: No such file\n");
        let paths = ["/srv/c", "/srv/a b.psm", "/srv/d"].map(str::to_owned);
        assert_eq!(printed(&text, &paths), [Some(two), Some(one), None]);
        assert_eq!(quoted("it's"), r"'it'\''s'");
        assert_eq!(two_texts("a", "bc"), [0, 0, 0, 1, b'a', 0, 0, 0, 2, b'b', b'c']);
    }
}
