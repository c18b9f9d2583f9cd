//! Opening files that others may have put there: a pipe, a socket or a device is no file, and never waited for.

use std::fs::File;
use std::io;
use std::path::Path;

/// Opens a file to read. What was opened is looked at, and not what its name stood for a moment before.
///
/// # Errors
/// When it is not there, is no file, or can't be read.
pub fn regular(path: &Path) -> io::Result<File> {
    let mut options = File::options();
    options.read(true);
    without_waiting(&mut options);
    refuse_others(options.open(path)?)
}

/// The same file, if it is one.
///
/// # Errors
/// When it is a folder, a pipe, a socket or a device.
pub fn refuse_others(file: File) -> io::Result<File> {
    let kind = file.metadata()?.file_type();
    if kind.is_file() {
        return Ok(file);
    }
    if kind.is_dir() {
        return Err(io::Error::new(io::ErrorKind::IsADirectory, "it is a folder"));
    }
    Err(io::Error::new(io::ErrorKind::InvalidInput, "it is no file but a pipe, a socket or a device"))
}

#[cfg(unix)]
fn without_waiting(options: &mut std::fs::OpenOptions) {
    use std::os::unix::fs::OpenOptionsExt;
    options.custom_flags(WITHOUT_WAITING);
}

/// Opened so, a pipe that nobody writes to does not hold us up, and a terminal does not become ours.
#[cfg(unix)]
pub const WITHOUT_WAITING: i32 = rustix::fs::OFlags::NONBLOCK.union(rustix::fs::OFlags::NOCTTY).bits().cast_signed();

#[cfg(not(unix))]
fn without_waiting(_: &mut std::fs::OpenOptions) {}

#[derive(Debug, thiserror::Error)]
#[error("it has more than {0} bytes")]
struct Larger(u64);

/// Reads a file whole, up to a bound.
///
/// # Errors
/// As [`regular`], and when it has more.
pub fn read_bounded(path: &Path, most: u64) -> io::Result<Vec<u8>> {
    use std::io::Read;
    let mut bytes = Vec::new();
    regular(path)?.take(most.saturating_add(1)).read_to_end(&mut bytes)?;
    if bytes.len() as u64 > most {
        return Err(io::Error::new(io::ErrorKind::FileTooLarge, Larger(most)));
    }
    Ok(bytes)
}

#[cfg(all(test, unix))]
mod tests {
    use super::*;

    #[test]
    fn what_is_no_file_is_refused_at_once() {
        let temp = tempfile::tempdir().expect("a folder");
        let pipe = temp.path().join("pipe");
        assert!(std::process::Command::new("mkfifo").arg(&pipe).status().expect("run").success());
        let _socket = std::os::unix::net::UnixListener::bind(temp.path().join("socket")).expect("bound");
        for path in [pipe, temp.path().join("socket"), temp.path().to_owned(), "/dev/zero".into()] {
            assert!(regular(&path).is_err(), "{}", path.display());
        }
        std::fs::write(temp.path().join("file"), "four").expect("written");
        assert_eq!(read_bounded(&temp.path().join("file"), 4).expect("read"), b"four");
        assert!(read_bounded(&temp.path().join("file"), 3).is_err());
    }
}
