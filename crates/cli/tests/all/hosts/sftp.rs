//! An SFTP server over a folder, with and without a shell beside it.

use std::collections::HashMap;
use std::io::{Read, Seek, SeekFrom, Write};
use std::net::TcpListener;
use std::path::{Path, PathBuf};
use std::sync::Arc;

use russh::keys::PrivateKey;
use russh::keys::ssh_key::private::Ed25519Keypair;
use russh::server::{Auth, ChannelOpenHandle, Config, Msg, Session};
use russh::{Channel, ChannelId};
use russh_sftp::protocol::{
    Attrs, Data, File, FileAttributes, Handle, Name, OpenFlags, Packet, Status, StatusCode, Version,
};

use super::{Fate, Mishap, PASSWORD, inside, seconds, set_seconds};

/// How a host behaves.
#[derive(Debug, Clone, Default)]
pub struct Manners {
    /// Whether it runs commands.
    pub runs_commands: bool,
    /// Names that it lists in every folder besides.
    pub lies: Vec<String>,
    /// Whether a listing has no end.
    pub endless: bool,
    /// How many bytes more a file is said to have than it has.
    pub more_by: u64,
    /// Which key it shows.
    pub key_number: u8,
    /// A line of `authorized_keys`: who has that key need not say the password.
    pub opens: Option<String>,
}

pub struct SftpHost {
    pub port: u16,
    pub fingerprint: String,
    pub mishap: Arc<Mishap>,
}

impl SftpHost {
    /// Serves a folder until the test ends.
    pub fn serve(root: &Path, manners: Manners) -> Self {
        let key = PrivateKey::from(Ed25519Keypair::from_seed(&[manners.key_number; 32]));
        let fingerprint = key.public_key().fingerprint(russh::keys::HashAlg::Sha256).to_string();
        let config = Config { keys: vec![key], auth_rejection_time: std::time::Duration::ZERO, ..Config::default() };
        let (config, mishap) = (Arc::new(config), Arc::<Mishap>::default());
        let listener = TcpListener::bind("127.0.0.1:0").unwrap();
        let port = listener.local_addr().unwrap().port();
        let (root, shared) = (root.to_owned(), Arc::clone(&mishap));
        std::thread::spawn(move || {
            let runtime = tokio::runtime::Builder::new_multi_thread().worker_threads(2).enable_all().build().unwrap();
            for stream in listener.incoming().map_while(Result::ok).filter(|_| !shared.is_gone()) {
                stream.set_nodelay(true).unwrap();
                let line = Arc::new(stream.try_clone().unwrap());
                let guest = Guest {
                    root: root.clone(),
                    manners: manners.clone(),
                    mishap: Arc::clone(&shared),
                    line,
                    channels: HashMap::new(),
                };
                let config = Arc::clone(&config);
                runtime.spawn(async move {
                    stream.set_nonblocking(true).unwrap();
                    let stream = tokio::net::TcpStream::from_std(stream).unwrap();
                    if let Ok(session) = russh::server::run_stream(config, stream, guest).await {
                        // A guest that hangs up is no failure of the host's.
                        drop(session.await);
                    }
                });
            }
        });
        Self { port, fingerprint, mishap }
    }
}

struct Guest {
    root: PathBuf,
    manners: Manners,
    mishap: Arc<Mishap>,
    line: Arc<std::net::TcpStream>,
    channels: HashMap<ChannelId, Channel<Msg>>,
}

fn judged(good: bool) -> Auth {
    if good { Auth::Accept } else { Auth::reject() }
}

impl russh::server::Handler for Guest {
    type Error = russh::Error;

    async fn auth_password(&mut self, user: &str, password: &str) -> Result<Auth, Self::Error> {
        Ok(judged(user == "ines" && password == PASSWORD))
    }

    async fn auth_publickey(
        &mut self,
        user: &str,
        key: russh::server::VerifiedPublicKey<'_>,
    ) -> Result<Auth, Self::Error> {
        let known =
            self.manners.opens.as_ref().and_then(|line| russh::keys::ssh_key::PublicKey::from_openssh(line).ok());
        Ok(judged(user == "ines" && known.is_some_and(|known| known.key_data() == key.public_key.key_data())))
    }

    async fn channel_open_session(
        &mut self,
        channel: Channel<Msg>,
        reply: ChannelOpenHandle,
        _: &mut Session,
    ) -> Result<(), Self::Error> {
        self.channels.insert(channel.id(), channel);
        reply.accept().await;
        Ok(())
    }

    async fn subsystem_request(&mut self, id: ChannelId, _: &str, session: &mut Session) -> Result<(), Self::Error> {
        let Some(channel) = self.channels.remove(&id) else { return Ok(()) };
        session.channel_success(id)?;
        let served = Served {
            root: self.root.clone(),
            manners: self.manners.clone(),
            mishap: Arc::clone(&self.mishap),
            line: Arc::clone(&self.line),
            listed: Vec::new(),
        };
        russh_sftp::server::run(channel.into_stream(), served).await;
        Ok(())
    }

    async fn exec_request(&mut self, id: ChannelId, command: &[u8], session: &mut Session) -> Result<(), Self::Error> {
        if !self.manners.runs_commands {
            return session.channel_failure(id);
        }
        // The paths are the host's: its root is this folder.
        let command = String::from_utf8_lossy(command).replace("'/", &format!("'{}/", self.root.display()));
        let output = std::process::Command::new("sh").arg("-c").arg(command).output()?;
        let text = String::from_utf8_lossy(&output.stdout).replace(&*self.root.to_string_lossy(), "");
        session.channel_success(id)?;
        session.data(id, text.into_bytes())?;
        session.exit_status_request(id, 0)?;
        session.eof(id)?;
        session.close(id)
    }
}

struct Served {
    root: PathBuf,
    manners: Manners,
    mishap: Arc<Mishap>,
    line: Arc<std::net::TcpStream>,
    /// Folders whose listing was begun.
    listed: Vec<String>,
}

impl Served {
    fn place(&self, path: &str) -> PathBuf {
        inside(&self.root, path)
    }

    fn hang_up(&self) -> StatusCode {
        drop(self.line.shutdown(std::net::Shutdown::Both));
        StatusCode::ConnectionLost
    }

    /// Does something that changes something.
    fn change(
        &self,
        id: u32,
        needs_room: bool,
        work: impl FnOnce() -> std::io::Result<()>,
    ) -> Result<Status, StatusCode> {
        let fate = match self.mishap.fate() {
            Fate::Full if !needs_room => Fate::Done,
            fate => fate,
        };
        match fate {
            Fate::Done => work().map(|()| ok(id)).map_err(|error| code(&error)),
            Fate::DoneUnheard => {
                drop(work());
                self.mishap.unheard();
                Err(self.hang_up())
            }
            Fate::Dropped => Err(self.hang_up()),
            Fate::Full => Err(StatusCode::Failure),
            Fate::Locked => Err(StatusCode::PermissionDenied),
        }
    }

    fn facts(&self, path: &Path) -> Result<FileAttributes, StatusCode> {
        let metadata = path.symlink_metadata().map_err(|error| code(&error))?;
        let mut facts = FileAttributes::from(&metadata);
        facts.mtime = u32::try_from(seconds(&metadata)).ok();
        if metadata.is_file() {
            facts.size = Some(metadata.len() + self.manners.more_by);
        }
        Ok(facts)
    }
}

fn ok(id: u32) -> Status {
    Status { id, status_code: StatusCode::Ok, error_message: "Ok".to_owned(), language_tag: String::new() }
}

fn code(error: &std::io::Error) -> StatusCode {
    match error.kind() {
        std::io::ErrorKind::NotFound => StatusCode::NoSuchFile,
        std::io::ErrorKind::PermissionDenied => StatusCode::PermissionDenied,
        _ => StatusCode::Failure,
    }
}

impl russh_sftp::server::Handler for Served {
    type Error = StatusCode;

    fn unimplemented(&self) -> Self::Error {
        StatusCode::OpUnsupported
    }

    async fn init(&mut self, _: u32, _: HashMap<String, String>) -> Result<Version, Self::Error> {
        Ok(Version::new())
    }

    async fn realpath(&mut self, id: u32, _: String) -> Result<Name, Self::Error> {
        Ok(Name { id, files: vec![File::dummy("/")] })
    }

    async fn open(
        &mut self,
        id: u32,
        path: String,
        flags: OpenFlags,
        _: FileAttributes,
    ) -> Result<Handle, Self::Error> {
        let place = self.place(&path);
        if flags.contains(OpenFlags::WRITE) {
            let mut options = std::fs::OpenOptions::new();
            options.write(true).create(true).truncate(flags.contains(OpenFlags::TRUNCATE));
            self.change(id, true, || options.open(&place).map(drop))?;
        } else {
            self.mishap.read();
            std::fs::File::open(&place).map_err(|error| code(&error))?;
        }
        Ok(Handle { id, handle: path })
    }

    async fn close(&mut self, id: u32, _: String) -> Result<Status, Self::Error> {
        Ok(ok(id))
    }

    async fn read(&mut self, id: u32, handle: String, offset: u64, length: u32) -> Result<Data, Self::Error> {
        let mut data = Vec::new();
        let read = std::fs::File::open(self.place(&handle)).and_then(|mut file| {
            file.seek(SeekFrom::Start(offset))?;
            file.take(u64::from(length)).read_to_end(&mut data)
        });
        match read {
            Ok(0) => Err(StatusCode::Eof),
            Ok(n) => {
                self.mishap.handed_out(n);
                Ok(Data { id, data })
            }
            Err(error) => Err(code(&error)),
        }
    }

    async fn write(&mut self, id: u32, handle: String, offset: u64, data: Vec<u8>) -> Result<Status, Self::Error> {
        let place = self.place(&handle);
        self.change(id, true, || {
            let mut file = std::fs::OpenOptions::new().write(true).open(&place)?;
            file.seek(SeekFrom::Start(offset))?;
            file.write_all(&data)
        })
    }

    async fn lstat(&mut self, id: u32, path: String) -> Result<Attrs, Self::Error> {
        Ok(Attrs { id, attrs: self.facts(&self.place(&path))? })
    }

    async fn setstat(&mut self, id: u32, path: String, facts: FileAttributes) -> Result<Status, Self::Error> {
        let place = self.place(&path);
        self.change(id, false, || {
            use std::os::unix::fs::PermissionsExt;
            if let Some(mode) = facts.permissions {
                std::fs::set_permissions(&place, std::fs::Permissions::from_mode(mode & 0o7777))?;
            }
            if let Some(seconds) = facts.mtime {
                set_seconds(&place, i64::from(seconds));
            }
            Ok(())
        })
    }

    async fn opendir(&mut self, id: u32, path: String) -> Result<Handle, Self::Error> {
        self.mishap.listed();
        std::fs::read_dir(self.place(&path)).map_err(|error| code(&error))?;
        self.listed.retain(|listed| *listed != path);
        Ok(Handle { id, handle: path })
    }

    async fn readdir(&mut self, id: u32, handle: String) -> Result<Name, Self::Error> {
        if self.manners.endless {
            let files = (0..200).map(|number| File::new(format!("n{number}"), FileAttributes::dummy()));
            return Ok(Name { id, files: files.collect() });
        }
        if self.listed.contains(&handle) {
            return Err(StatusCode::Eof);
        }
        let entries = std::fs::read_dir(self.place(&handle)).map_err(|error| code(&error))?;
        self.listed.push(handle);
        let mut files: Vec<File> = Vec::new();
        for entry in entries.map_while(Result::ok) {
            // What a dead run had asked for may still be under way: what is gone by now is not listed.
            let facts = self.facts(&entry.path());
            files.extend(facts.ok().map(|facts| File::new(entry.file_name().to_string_lossy(), facts)));
        }
        files.extend(self.manners.lies.iter().map(|name| File::new(name.clone(), FileAttributes::dummy())));
        Ok(Name { id, files })
    }

    async fn remove(&mut self, id: u32, path: String) -> Result<Status, Self::Error> {
        let place = self.place(&path);
        self.change(id, false, || std::fs::remove_file(place))
    }

    async fn mkdir(&mut self, id: u32, path: String, _: FileAttributes) -> Result<Status, Self::Error> {
        let place = self.place(&path);
        self.change(id, true, || std::fs::create_dir(place))
    }

    async fn rmdir(&mut self, id: u32, path: String) -> Result<Status, Self::Error> {
        let place = self.place(&path);
        self.change(id, false, || std::fs::remove_dir(place))
    }

    async fn rename(&mut self, id: u32, from: String, to: String) -> Result<Status, Self::Error> {
        let (from, to) = (self.place(&from), self.place(&to));
        // As the protocol has it: never over a file.
        if to.exists() {
            return Err(StatusCode::Failure);
        }
        self.change(id, false, || std::fs::rename(from, to))
    }

    async fn extended(&mut self, _: u32, _: String, _: Vec<u8>) -> Result<Packet, Self::Error> {
        Err(StatusCode::OpUnsupported)
    }
}
