//! An FTP server over a folder: as obliging as asked for.

use std::fs::{File, OpenOptions};
use std::io::{BufRead, BufReader, Read, Seek, SeekFrom, Write};
use std::net::{TcpListener, TcpStream};
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::sync::atomic::{AtomicUsize, Ordering};

use super::{Fate, Mishap, PASSWORD, inside, seconds, set_seconds};

/// How a host behaves.
#[derive(Debug, Clone)]
pub struct Manners {
    /// Whether it has machine listings; else there are only those for people.
    pub machine_lists: bool,
    /// Whether it computes digests.
    pub digests: bool,
    /// Whether it renames over a file that is there.
    pub renames_over: bool,
    /// What it lists in every folder besides, word for word.
    pub lies: Vec<String>,
    /// Whether a listing has no end.
    pub endless: bool,
    /// How many bytes more (or fewer) a file is said to have than it has.
    pub off_by: i64,
    /// How many guests it lets in at a time.
    pub most_guests: usize,
}

impl Default for Manners {
    fn default() -> Self {
        Self {
            machine_lists: true,
            digests: false,
            renames_over: false,
            lies: Vec::new(),
            endless: false,
            off_by: 0,
            most_guests: 100,
        }
    }
}

pub struct FtpHost {
    pub port: u16,
    pub mishap: Arc<Mishap>,
}

impl FtpHost {
    /// Serves a folder until the test ends.
    pub fn serve(root: &Path, manners: Manners) -> Self {
        let listener = TcpListener::bind("127.0.0.1:0").unwrap();
        let port = listener.local_addr().unwrap().port();
        let mishap: Arc<Mishap> = Arc::default();
        let (root, shared) = (root.to_owned(), Arc::clone(&mishap));
        let guests: Arc<AtomicUsize> = Arc::default();
        std::thread::spawn(move || {
            for stream in listener.incoming().map_while(Result::ok).filter(|_| !shared.is_gone()) {
                let (root, manners, mishap) = (root.clone(), manners.clone(), Arc::clone(&shared));
                let guests = Arc::clone(&guests);
                std::thread::spawn(move || {
                    stream.set_nodelay(true).unwrap();
                    if guests.fetch_add(1, Ordering::SeqCst) >= manners.most_guests {
                        drop((&stream).write_all(b"421 too many guests\r\n"));
                        guests.fetch_sub(1, Ordering::SeqCst);
                        return;
                    }
                    let guest = Guest { control: stream, root, manners, mishap, state: State::default() };
                    // A guest that hangs up is no failure of the host's.
                    drop(guest.attend());
                    guests.fetch_sub(1, Ordering::SeqCst);
                });
            }
        });
        Self { port, mishap }
    }
}

#[derive(Default)]
struct State {
    folder: String,
    data: Option<TcpListener>,
    offset: u64,
    from: Option<PathBuf>,
}

struct Guest {
    control: TcpStream,
    root: PathBuf,
    manners: Manners,
    mishap: Arc<Mishap>,
    state: State,
}

type Told = std::io::Result<()>;

impl Guest {
    fn attend(mut self) -> Told {
        self.say("220 a host of the test")?;
        let lines = BufReader::new(self.control.try_clone()?).lines();
        for line in lines {
            let line = line?;
            if self.mishap.is_gone() {
                return Ok(());
            }
            let (command, word) = line.split_once(' ').unwrap_or((&line, ""));
            let goes_on = self.answer(&command.to_uppercase(), word)?;
            if !goes_on {
                return Ok(());
            }
        }
        Ok(())
    }

    fn say(&mut self, text: &str) -> Told {
        self.control.write_all(format!("{text}\r\n").as_bytes())
    }

    fn place(&self, word: &str) -> PathBuf {
        let path = if word.starts_with('/') { word.to_owned() } else { format!("{}/{word}", self.state.folder) };
        inside(&self.root, &path)
    }

    /// Whether to go on.
    fn answer(&mut self, command: &str, word: &str) -> std::io::Result<bool> {
        match command {
            "USER" => self.say("331 and the password?")?,
            "PASS" if word == PASSWORD => self.say("230 come in")?,
            "PASS" => self.say("530 no")?,
            "TYPE" | "NOOP" | "OPTS" => self.say("200 so be it")?,
            "PWD" => self.say("257 \"/\" it is")?,
            "CWD" if self.place(word).is_dir() => {
                self.state.folder = word.to_owned();
                self.say("250 there")?;
            }
            "CWD" => self.say("550 No such directory")?,
            "FEAT" => self.features()?,
            "PASV" | "EPSV" => self.passive(command)?,
            "REST" => {
                self.state.offset = word.parse().unwrap_or(0);
                self.say("350 go on")?;
            }
            "LIST" | "MLSD" => self.list(command, word)?,
            "RETR" => self.retrieve(word)?,
            "SIZE" => match std::fs::metadata(self.place(word)) {
                Ok(metadata) if metadata.is_file() => self.say(&format!("213 {}", metadata.len()))?,
                _ => self.say("550 No such file")?,
            },
            "HASH" if self.manners.digests => {
                let bytes = std::fs::read(self.place(word))?;
                self.say(&format!(
                    "213 SHA-256 0-{} {} {word}",
                    bytes.len(),
                    kanon_core::base::digest::Sha256::of(&bytes)
                ))?;
            }
            "RNFR" => {
                self.state.from = Some(self.place(word)).filter(|path| path.exists());
                self.say(if self.state.from.is_some() { "350 and to?" } else { "550 No such file" })?;
            }
            // Hosts of old know no such word.
            "SITE" if self.manners.machine_lists => {
                let (mode, path) = word.trim_start_matches("CHMOD ").split_once(' ').unwrap_or_default();
                let mode = std::os::unix::fs::PermissionsExt::from_mode(u32::from_str_radix(mode, 8).unwrap_or(0o644));
                std::fs::set_permissions(self.place(path), mode)?;
                self.say("200 so be it")?;
            }
            "STOR" => return self.store(word),
            "RNTO" | "DELE" | "MKD" | "RMD" | "MFMT" => return self.change(command, word),
            "QUIT" => {
                self.say("221 farewell")?;
                return Ok(false);
            }
            _ => self.say("502 what?")?,
        }
        Ok(true)
    }

    fn features(&mut self) -> Told {
        let mut lines = vec!["211-can do", " EPSV", " UTF8", " REST STREAM", " SIZE", " MFMT"];
        lines.extend(self.manners.machine_lists.then_some(" MLST type*;size*;modify*;"));
        lines.extend(self.manners.digests.then_some(" HASH SHA-256*"));
        lines.push("211 end");
        self.say(&lines.join("\r\n"))
    }

    fn passive(&mut self, command: &str) -> Told {
        let listener = TcpListener::bind("127.0.0.1:0")?;
        let port = listener.local_addr()?.port();
        self.state.data = Some(listener);
        match command {
            "EPSV" => self.say(&format!("229 here (|||{port}|)")),
            _ => self.say(&format!("227 here (127,0,0,1,{},{})", port >> 8, port & 255)),
        }
    }

    fn data(&mut self) -> std::io::Result<TcpStream> {
        let (stream, _) = self.state.data.take().ok_or(std::io::ErrorKind::NotConnected)?.accept()?;
        stream.set_nodelay(true)?;
        Ok(stream)
    }

    fn list(&mut self, command: &str, word: &str) -> Told {
        self.mishap.listed();
        let folder = if word.starts_with('-') { self.place("") } else { self.place(word) };
        if !folder.is_dir() {
            self.state.data = None;
            return self.say("550 No such directory");
        }
        self.say("150 here it comes")?;
        let mut data = self.data()?;
        for entry in std::fs::read_dir(folder)?.map_while(Result::ok) {
            let Ok(metadata) = entry.path().symlink_metadata() else { continue };
            data.write_all(self.line(command, &entry.file_name().to_string_lossy(), &metadata).as_bytes())?;
        }
        for lie in &self.manners.lies {
            data.write_all(format!("{lie}\r\n").as_bytes())?;
        }
        for number in (0_u64..).take_while(|_| self.manners.endless) {
            data.write_all(format!("type=file;size=1;modify=20261101000000; {number}\r\n").repeat(100).as_bytes())?;
        }
        drop(data);
        self.say("226 that is all")
    }

    fn line(&self, command: &str, name: &str, metadata: &std::fs::Metadata) -> String {
        let time = |format| {
            jiff::Timestamp::from_second(seconds(metadata).cast_signed()).unwrap().strftime(format).to_string()
        };
        let size = metadata.len().saturating_add_signed(self.manners.off_by);
        let kind = if metadata.is_symlink() {
            'l'
        } else if metadata.is_dir() {
            'd'
        } else {
            '-'
        };
        let mode = std::os::unix::fs::PermissionsExt::mode(&metadata.permissions()) & 0o777;
        if command == "LIST" {
            let target = if kind == 'l' { " -> /etc" } else { "" };
            let sign = |(at, sign)| if mode >> (8 - at) & 1 == 1 { sign } else { '-' };
            let signs: String = "rwxrwxrwx".chars().enumerate().map(sign).collect();
            return format!("{kind}{signs}    1 ines     ines     {size:>8} {} {name}{target}\r\n", time("%b %d %Y"));
        }
        let kind = match kind {
            'l' => "OS.unix=slink:/etc",
            'd' => "dir",
            _ => "file",
        };
        format!("type={kind};size={size};modify={};UNIX.mode=0{mode:o}; {name}\r\n", time("%Y%m%d%H%M%S"))
    }

    fn retrieve(&mut self, word: &str) -> Told {
        self.mishap.read();
        let offset = std::mem::take(&mut self.state.offset);
        let Ok(mut file) = File::open(self.place(word)) else {
            self.state.data = None;
            return self.say("550 No such file");
        };
        file.seek(SeekFrom::Start(offset))?;
        self.say("150 here it comes")?;
        let mut data = self.data()?;
        let mut sent = Ok(());
        let mut buffer = vec![0; 16 << 10];
        while sent.is_ok() {
            let n = file.read(&mut buffer)?;
            if n == 0 {
                break;
            }
            sent = data.write_all(&buffer[..n]);
            self.mishap.handed_out(n);
        }
        drop(data);
        self.say(if sent.is_ok() { "226 that is all" } else { "426 you hung up" })
    }

    fn store(&mut self, word: &str) -> std::io::Result<bool> {
        let offset = std::mem::take(&mut self.state.offset);
        let fate = self.mishap.fate();
        if fate == Fate::Locked {
            self.state.data = None;
            self.say("550 Permission denied")?;
            return Ok(true);
        }
        let mut file = OpenOptions::new().write(true).create(true).truncate(offset == 0).open(self.place(word))?;
        file.seek(SeekFrom::Start(offset))?;
        self.say("150 go ahead")?;
        let mut bytes = Vec::new();
        self.data()?.read_to_end(&mut bytes)?;
        match fate {
            Fate::Done | Fate::DoneUnheard => file.write_all(&bytes)?,
            Fate::Dropped | Fate::Full | Fate::Locked => file.write_all(&bytes[..bytes.len() / 2])?,
        }
        self.close(fate, "226 got it")
    }

    fn change(&mut self, command: &str, word: &str) -> std::io::Result<bool> {
        let place = self.place(word);
        // Taking off needs no room.
        let needs_room = !matches!(command, "DELE" | "RMD" | "RNTO" | "MFMT");
        let fate = match self.mishap.fate() {
            Fate::Full if !needs_room => Fate::Done,
            fate => fate,
        };
        if !matches!(fate, Fate::Done | Fate::DoneUnheard) {
            return self.close(fate, "");
        }
        let done = match command {
            "RNTO" if place.exists() && !self.manners.renames_over => Err(std::io::ErrorKind::AlreadyExists.into()),
            "RNTO" => self
                .state
                .from
                .take()
                .map_or(Err(std::io::ErrorKind::NotFound.into()), |from| std::fs::rename(from, &place)),
            "DELE" => std::fs::remove_file(&place),
            "MKD" => std::fs::create_dir(&place),
            "RMD" => std::fs::remove_dir(&place),
            _ => {
                let (time, path) = word.split_once(' ').unwrap_or_default();
                let time = jiff::civil::DateTime::strptime("%Y%m%d%H%M%S", time).unwrap();
                let seconds = time.to_zoned(jiff::tz::TimeZone::UTC).unwrap().timestamp().as_second();
                set_seconds(&self.place(path), seconds);
                Ok(())
            }
        };
        match done {
            Ok(()) => self.close(
                fate,
                if command == "MKD" {
                    "257 \"made\""
                } else if command == "MFMT" {
                    "213 set"
                } else {
                    "250 done"
                },
            ),
            Err(error) if fate == Fate::Done => {
                self.say(&format!("550 {error}"))?;
                Ok(true)
            }
            // Nobody hears of a refusal either.
            Err(_) => self.close(fate, ""),
        }
    }

    fn close(&mut self, fate: Fate, done: &str) -> std::io::Result<bool> {
        match fate {
            Fate::Done => self.say(done)?,
            Fate::Full => self.say("452 No space left on device")?,
            Fate::Locked => self.say("550 Permission denied")?,
            Fate::DoneUnheard => {
                self.mishap.unheard();
                return Ok(false);
            }
            Fate::Dropped => return Ok(false),
        }
        Ok(true)
    }
}
