//! Whether a game runs in an install, by the signs that its rulebook names, and the commands that stop and start it.

use std::collections::BTreeSet;
use std::net::{TcpStream, ToSocketAddrs};
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};
use std::time::{Duration, Instant};

use displaydoc::Display;
use kanon_core::base::path::InstallPath;
use kanon_core::rulebook::RunningSigns;
use sysinfo::{Pid, ProcessRefreshKind, ProcessesToUpdate, RefreshKind, System, UpdateKind};

use crate::error::{CommandFault, During, ReachError};
use crate::install::{FileStatus, Install};

/// How long a port may take to answer.
const ANSWER: Duration = Duration::from_secs(2);
/// How long a game may take to stop.
const STOP: Duration = Duration::from_secs(120);
/// How often it is looked whether it has.
const LOOK: Duration = Duration::from_millis(250);

/// What this machine is called, where the system tells.
pub fn machine() -> Option<String> {
    System::host_name()
}

/// Whether this program was started by a double click, and not by somebody who stands in a terminal: its window then closes when it ends.
pub fn was_double_clicked() -> bool {
    if !cfg!(windows) {
        return false;
    }
    let mut system = System::new();
    system.refresh_processes_specifics(ProcessesToUpdate::All, true, ProcessRefreshKind::nothing());
    let own = system.process(Pid::from_u32(std::process::id()));
    let parent = own.and_then(sysinfo::Process::parent).and_then(|parent| system.process(parent));
    parent.is_some_and(|parent| parent.name().eq_ignore_ascii_case("explorer.exe"))
}

/// The folders of the programs that run on this machine, as far as the system tells, each once: a game that runs is found so.
pub fn programs_folders() -> Vec<PathBuf> {
    let wanted = ProcessRefreshKind::nothing().with_exe(UpdateKind::Always);
    let mut system = System::new();
    system.refresh_processes_specifics(ProcessesToUpdate::All, true, wanted);
    let folders = system.processes().values().filter_map(|process| process.exe()?.parent().map(Path::to_owned));
    folders.collect::<BTreeSet<_>>().into_iter().collect()
}

/// Makes this process sparing of memory: what goes on for months is not to hold pages of two megabytes for a few bytes each. It costs a
/// little speed, and where the system does not know of it, nothing happens.
pub fn spare_memory() {
    #[cfg(target_os = "linux")]
    let _ = rustix::thread::disable_transparent_huge_pages(true);
}

/// A sign that a game runs.
#[derive(Debug, Clone, PartialEq, Eq, Display)]
pub enum Running {
    /// the file {0} is there
    File(InstallPath),
    /// the port {0} is open
    Port(u16),
    /// the program {name} is running (process {process})
    Program {
        /// Its name.
        name: String,
        /// Its number.
        process: u32,
    },
}

/// The first sign that a game runs in an install; `host` is where its port would be.
pub fn sign(install: &dyn Install, signs: &RunningSigns, host: Option<&str>) -> Option<Running> {
    install.look_anew();
    let lock = signs.lock_files.iter().find(|path| matches!(install.look(path), Ok(Some(FileStatus::File { .. }))));
    if let Some(path) = lock {
        return Some(Running::File(path.clone()));
    }
    if let Some(port) = signs.port.filter(|port| is_open(host.unwrap_or("127.0.0.1"), *port)) {
        return Some(Running::Port(port));
    }
    install.folder().and_then(|folder| process(folder, &signs.processes))
}

fn is_open(host: &str, port: u16) -> bool {
    let Ok(addresses) = (host, port).to_socket_addrs() else { return false };
    addresses.into_iter().any(|address| TcpStream::connect_timeout(&address, ANSWER).is_ok())
}

/// A program of one of these names that was started from the install, or whose place the system does not tell.
fn process(folder: &Path, names: &[String]) -> Option<Running> {
    if names.is_empty() {
        return None;
    }
    let wanted = ProcessRefreshKind::nothing().with_exe(UpdateKind::Always).with_cwd(UpdateKind::Always);
    let mut system = System::new_with_specifics(RefreshKind::nothing());
    system.refresh_processes_specifics(ProcessesToUpdate::All, true, wanted);
    let found = system.processes().values().find(|process| {
        let name = process.name().to_string_lossy();
        let exe = process.exe();
        let stem = |name: &str| name.strip_suffix(".exe").unwrap_or(name).to_lowercase();
        let own = exe.and_then(Path::file_name).map_or_else(|| stem(&name), |name| stem(&name.to_string_lossy()));
        // The system cuts long names short, the program's file does not.
        let is_named = names.iter().any(|wanted| [own.as_str(), &stem(&name)].contains(&stem(wanted).as_str()));
        let places: Vec<&Path> = exe.into_iter().chain(process.cwd()).collect();
        is_named && (places.is_empty() || places.iter().any(|place| place.starts_with(folder)))
    })?;
    Some(Running::Program { name: found.name().to_string_lossy().into_owned(), process: found.pid().as_u32() })
}

/// A command of the administrator's, to be run in a folder; a path to its program is from there too, on every system.
///
/// # Errors
/// When there is no such folder.
pub(crate) fn command(words: &[String], folder: &Path) -> Result<Option<(Command, PathBuf)>, ReachError> {
    let Some((program, words)) = words.split_first() else { return Ok(None) };
    if !folder.is_dir() {
        return Err(ReachError::unusable(folder, CommandFault::NoFolderToRunIn));
    }
    let is_path = Path::new(program).components().count() > 1 || program.starts_with("./");
    let program = if is_path { folder.join(program.trim_start_matches("./")) } else { PathBuf::from(program) };
    let mut command = Command::new(&program);
    command.args(words).current_dir(folder).stdin(Stdio::null()).stdout(Stdio::null());
    Ok(Some((command, program)))
}

/// Runs a command of the administrator's in a folder, and waits for its end.
///
/// # Errors
/// When it can't be started, or ends with anything but success.
pub fn run(command: &[String], folder: &Path) -> Result<(), ReachError> {
    let Some((mut running, program)) = self::command(command, folder)? else { return Ok(()) };
    let status = running.status().during("run the command", &program)?;
    if status.success() {
        return Ok(());
    }
    Err(ReachError::unusable(program, CommandFault::CommandEnded(status.to_string())))
}

/// Starts a command of the administrator's in a folder, and lets it be.
///
/// # Errors
/// When it can't be started.
pub fn start(command: &[String], folder: &Path) -> Result<(), ReachError> {
    let Some((mut starting, program)) = self::command(command, folder)? else { return Ok(()) };
    starting.stderr(Stdio::null()).spawn().map(drop).during("run the command", &program)
}

/// Waits until no sign is left that a game runs; gives the last one if one stays.
pub fn wait_until_stopped(install: &dyn Install, signs: &RunningSigns, host: Option<&str>) -> Option<Running> {
    let until = Instant::now() + STOP;
    loop {
        let sign = sign(install, signs, host)?;
        if Instant::now() > until {
            return Some(sign);
        }
        std::thread::sleep(LOOK);
    }
}

#[cfg(all(test, unix))]
mod tests {
    use super::*;

    fn words(words: &[&str]) -> Vec<String> {
        words.iter().map(|word| (*word).to_owned()).collect()
    }

    #[test]
    fn a_command_is_run_in_its_folder_and_found_from_there() {
        let temp = tempfile::tempdir().expect("a folder");
        let folder = temp.path().join("server");
        std::fs::create_dir_all(folder.join("bin")).expect("a folder");
        let program = folder.join("bin/stop.sh");
        std::fs::write(&program, "#!/bin/sh\npwd > was-run\nexit $1\n").expect("written");
        std::fs::set_permissions(&program, std::os::unix::fs::PermissionsExt::from_mode(0o755)).expect("made to run");
        for typed in ["bin/stop.sh", "./bin/stop.sh"] {
            run(&words(&[typed, "0"]), &folder).expect("it ends well");
            let was_run = std::fs::read_to_string(folder.join("was-run")).expect("it has run there");
            assert_eq!(Path::new(was_run.trim()).canonicalize().ok(), folder.canonicalize().ok());
            std::fs::remove_file(folder.join("was-run")).expect("removed");
        }
        run(&words(&["sh", "-c", "echo > by-name"]), &folder).expect("programs are found by name too");
        assert!(folder.join("by-name").exists());
        let ended = run(&words(&["bin/stop.sh", "3"]), &folder).expect_err("it ends badly").to_string();
        assert!(ended.contains("stop.sh"), "{ended}");
        run(&words(&[]), &folder).expect("no command is nothing to do");
    }

    #[test]
    fn a_folder_that_is_not_there_is_told_as_such() {
        let temp = tempfile::tempdir().expect("a folder");
        let told = run(&words(&["true"]), &temp.path().join("atic")).expect_err("there is no such folder");
        assert!(told.to_string().contains("run-in"), "{told:?}");
        let told = start(&words(&["./nothing"]), temp.path()).expect_err("there is no such program");
        assert!(format!("{told:?}").contains("nothing"), "{told:?}");
    }
}
