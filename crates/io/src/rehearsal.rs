//! A server that is started to be looked at: its log followed until it is really up, its memory watched, and stopped again.
//!
//! Some servers say that they are up and go on loading. So it counts as up only when it has said so, and has then said nothing of
//! loading for a while.

use std::collections::VecDeque;
use std::fs::File;
use std::io::{self, Read, Seek, SeekFrom};
use std::path::{Path, PathBuf};
use std::process::{Child, Command, ExitStatus, Stdio};
use std::time::{Duration, Instant, SystemTime};

use displaydoc::Display;
use kanon_core::base::limits::LOG_LINE_BYTES;
use kanon_core::logs::{LogEvent, LogReader, Source};
use kanon_core::rulebook::{Event, EventRule, Role};
use sysinfo::{Pid, ProcessRefreshKind, ProcessesToUpdate, Signal, System};

use crate::error::{CommandFault, During, ReachError};
use crate::open::regular;
use crate::running;

/// How often it is looked.
const LOOK: Duration = Duration::from_millis(50);
/// How often memory is looked at.
const WEIGH: Duration = Duration::from_millis(250);
/// How long a server may take to end when it is asked to.
const END: Duration = Duration::from_secs(30);
/// How long a server whose rulebook has no pattern for it must be quiet to count as up, in times of the usual.
const QUIET: u32 = 3;

/// Lines that are kept, and so many bytes of each.
const LAST_LINES: usize = 200;
const LAST_LINE_BYTES: usize = 2_000;

/// How a server is started, watched and stopped.
#[derive(Debug, Clone)]
pub struct Order<'a> {
    /// The command that starts it.
    pub start: &'a [String],
    /// The command that stops it; it is asked to end when there is none.
    pub stop: &'a [String],
    /// The folder in which both are run.
    pub folder: &'a Path,
    /// Its log, where it writes one of its own.
    pub log: Option<PathBuf>,
    /// Where what it prints is kept.
    pub printed: &'a Path,
    /// So long it may take.
    pub patience: Duration,
    /// So long it must be quiet after it said that it is up.
    pub settle: Duration,
}

/// Why a start did not go well.
#[derive(Debug, Clone, PartialEq, Eq, Display)]
pub enum Trouble {
    /// it was stopped before it was over
    Stopped,
    /// it said: {0}
    Said(String),
    /// it ended by itself after it had come up ({0})
    EndedUp(ExitStatus),
    /// it ended before it was up ({0})
    EndedBefore(ExitStatus),
    /// after {0} seconds it was still loading
    StillLoading(u64),
    /// it was not up after {0} seconds
    NotUp(u64),
}

/// What was seen of a start.
#[derive(Debug, Clone, Default)]
pub struct Watched {
    /// Seconds until it said that it is up.
    pub ready: Option<f64>,
    /// Seconds until it last spoke of loading.
    pub settled: Option<f64>,
    /// The most memory that it and what it started used, in bytes; none when it was over before anybody could look.
    pub memory: Option<u64>,
    /// Why it did not come up, in words.
    pub trouble: Option<Trouble>,
    /// Whether it ended when it was asked to.
    pub stopped_well: bool,
    /// Whether the rulebook has no pattern for being up, so that its being quiet had to do.
    pub by_quiet: bool,
    /// What its log says.
    pub events: Vec<LogEvent>,
    /// The last lines of its log before it was stopped, with their numbers.
    pub last_lines: VecDeque<(u64, String)>,
}

/// Starts a server, watches it until it is up or never will be, and stops it.
///
/// # Errors
/// When it can't be started, or its log can't be read.
pub fn watch(
    order: &Order<'_>,
    rules: &[EventRule],
    tell: &mut dyn FnMut(&str),
    is_asked_to_end: &dyn Fn() -> bool,
) -> Result<Watched, ReachError> {
    let Some((mut command, program)) = running::command(order.start, order.folder)? else {
        return Err(ReachError::unusable(order.folder, CommandFault::NoStart));
    };
    let printed = File::create(order.printed).during("make the file", order.printed)?;
    let also = printed.try_clone().during("open", order.printed)?;
    let log = order.log.as_deref().unwrap_or(order.printed);
    let mut tail = Tail::behind(log);
    command.stdin(Stdio::piped()).stdout(printed).stderr(also);
    let child = command.spawn().during("run the command", &program)?;
    let mut server = Running { child, is_over: false, is_elsewhere: false };
    let mut reader = LogReader::new(rules, Role::Server, Source::ServerLog);
    let mut last_lines = VecDeque::new();
    let mut watched = Watched { by_quiet: !rules.iter().any(|rule| rule.means == Event::Ready), ..Watched::default() };
    let mut watch = Watch { begun: Instant::now(), last_word: Instant::now(), weighed: None, system: System::new() };
    loop {
        watch.weigh(&server.child, &mut watched);
        // Before its log is read: what it said last is then among what is read, and tells more than how it ended.
        let ended = server.ended_by_itself(order.log.is_some()).during("look after", &program)?;
        let mut read = |number, line: &[u8]| {
            reader.line(number, line);
            if last_lines.len() >= LAST_LINES {
                last_lines.pop_front();
            }
            let line = &line[..line.len().min(LAST_LINE_BYTES)];
            last_lines.push_back((number, String::from_utf8_lossy(line).trim_end().to_owned()));
        };
        let mut came = tail.lines(&mut read).during("read the log", log)?;
        if ended.is_some() {
            came |= tail.unfinished(&mut read);
        }
        watch.take(reader.take(), came, &mut watched, tell);
        if watch.is_over(order, ended, &mut watched) {
            break;
        }
        if is_asked_to_end() {
            watched.trouble = Some(Trouble::Stopped);
            break;
        }
        std::thread::sleep(LOOK);
    }
    watched.last_lines = last_lines;
    watched.stopped_well = server.stop(order)?;
    // What it said last is still to be read.
    tail.lines(|number, line| reader.line(number, line)).during("read the log", log)?;
    tail.unfinished(|number, line| reader.line(number, line));
    watched.events.extend(reader.take());
    Ok(watched)
}

/// The clock of one start.
struct Watch {
    begun: Instant,
    /// When it last spoke of loading; of anything, where quiet has to do.
    last_word: Instant,
    weighed: Option<Instant>,
    system: System,
}

impl Watch {
    fn take(&mut self, events: Vec<LogEvent>, came: bool, watched: &mut Watched, tell: &mut dyn FnMut(&str)) {
        let now = self.begun.elapsed().as_secs_f64();
        if watched.by_quiet && came {
            self.last_word = Instant::now();
            watched.settled = Some(now);
        }
        for event in &events {
            match event.means {
                Event::Ready => {
                    watched.ready.get_or_insert(now);
                    self.last_word = Instant::now();
                    tell("it says that it is up; waiting whether it goes on loading");
                }
                Event::ModLoaded | Event::ModFailed | Event::StillLoading => {
                    self.last_word = Instant::now();
                    watched.settled = Some(now);
                }
                Event::Crash | Event::OutOfMemory => {
                    watched.trouble.get_or_insert_with(|| Trouble::Said(event.text.clone()));
                }
                _ => {}
            }
        }
        watched.events.extend(events);
    }

    /// The memory of it and of all that it started.
    fn weigh(&mut self, child: &Child, watched: &mut Watched) {
        if self.weighed.is_some_and(|at| at.elapsed() < WEIGH) {
            return;
        }
        self.weighed = Some(Instant::now());
        self.system.refresh_processes_specifics(
            ProcessesToUpdate::All,
            true,
            ProcessRefreshKind::nothing().with_memory(),
        );
        let family = family(&self.system, Pid::from_u32(child.id()));
        let processes = family.iter().filter_map(|pid| self.system.process(*pid));
        let used = processes.map(sysinfo::Process::memory).sum();
        watched.memory = watched.memory.max(Some(used).filter(|used| *used > 0));
    }

    fn is_over(&self, order: &Order<'_>, ended: Option<ExitStatus>, watched: &mut Watched) -> bool {
        if watched.trouble.is_some() {
            return true;
        }
        let settle = if watched.by_quiet { order.settle * QUIET } else { order.settle };
        let is_up = watched.ready.is_some() || watched.by_quiet && watched.settled.is_some();
        watched.trouble = match ended {
            Some(status) if is_up => Some(Trouble::EndedUp(status)),
            Some(status) => Some(Trouble::EndedBefore(status)),
            None if is_up && self.last_word.elapsed() >= settle => return true,
            None if self.begun.elapsed() <= order.patience => None,
            None => {
                let waited = order.patience.as_secs();
                Some(match is_up {
                    true => Trouble::StillLoading(waited),
                    false => Trouble::NotUp(waited),
                })
            }
        };
        watched.trouble.is_some()
    }
}

/// A process and all that it started.
fn family(system: &System, first: Pid) -> Vec<Pid> {
    let mut family = vec![first];
    let mut at = 0;
    while at < family.len() {
        let parent = family[at];
        let children = system
            .processes()
            .iter()
            .filter(|(_, process)| process.parent() == Some(parent) && process.thread_kind().is_none());
        for (pid, _) in children {
            if !family.contains(pid) {
                family.push(*pid);
            }
        }
        at += 1;
    }
    family
}

/// A server that runs; it does not outlive whoever started it.
struct Running {
    child: Child,
    is_over: bool,
    /// Whether the command only had something else start the server.
    is_elsewhere: bool,
}

impl Running {
    /// Stops it: by its command, or by asking it to end. Says whether it did.
    fn stop(&mut self, order: &Order<'_>) -> Result<bool, ReachError> {
        if !order.stop.is_empty() {
            running::run(order.stop, order.folder)?;
        }
        if self.has_ended() {
            // What something else started, only a command can stop.
            return Ok(!self.is_elsewhere || !order.stop.is_empty());
        }
        // Where nobody can ask a program to end, waiting for it is of no use.
        let is_asked = !order.stop.is_empty() || self.ask_to_end();
        let until = Instant::now() + if is_asked { END } else { Duration::ZERO };
        while Instant::now() < until {
            if self.has_ended() {
                return Ok(true);
            }
            std::thread::sleep(LOOK);
        }
        self.kill();
        Ok(false)
    }

    /// Asks it, and all that it started, to end. Says whether anybody could be asked: some systems have no such signal, and their
    /// programs without a window can't be told.
    fn ask_to_end(&self) -> bool {
        let mut system = System::new();
        system.refresh_processes_specifics(ProcessesToUpdate::All, true, ProcessRefreshKind::nothing());
        let family = family(&system, Pid::from_u32(self.child.id()));
        let signalled = family.iter().filter_map(|pid| system.process(*pid)?.kill_with(Signal::Term));
        if signalled.filter(|done| *done).count() > 0 {
            return true;
        }
        cfg!(windows) && {
            let id = self.child.id().to_string();
            let mut asking = Command::new("taskkill");
            asking.args(["/PID", &id, "/T"]).stdin(Stdio::null()).stdout(Stdio::null()).stderr(Stdio::null());
            asking.status().is_ok_and(|status| status.success())
        }
    }

    /// How it ended, when it did. A command that only has something else start the server ends at once, and well: that says nothing.
    fn ended_by_itself(&mut self, has_a_log: bool) -> io::Result<Option<ExitStatus>> {
        let Some(status) = self.child.try_wait()? else { return Ok(None) };
        self.is_over = true;
        self.is_elsewhere = has_a_log && status.success();
        Ok((!self.is_elsewhere).then_some(status))
    }

    fn has_ended(&mut self) -> bool {
        self.is_over = self.is_over || matches!(self.child.try_wait(), Ok(Some(_)));
        self.is_over
    }

    fn kill(&mut self) {
        let mut system = System::new();
        system.refresh_processes_specifics(ProcessesToUpdate::All, true, ProcessRefreshKind::nothing());
        for process in family(&system, Pid::from_u32(self.child.id())).iter().filter_map(|pid| system.process(*pid)) {
            process.kill();
        }
        let _ = self.child.kill();
        let _ = self.child.wait();
        self.is_over = true;
    }
}

impl Drop for Running {
    fn drop(&mut self) {
        if !self.has_ended() {
            self.kill();
        }
    }
}

/// The end of a log that is being written.
struct Tail {
    path: PathBuf,
    at: u64,
    /// When it was written last, as far as is known, and what stood right before the place that was read up to.
    written: Option<SystemTime>,
    before: Vec<u8>,
    torn: Vec<u8>,
    lines: u64,
}

/// So many bytes before the place that was read up to tell whether it is still the same log.
const SAME: usize = 256;

impl Tail {
    /// Behind what a log has now.
    fn behind(path: &Path) -> Self {
        let mut tail =
            Self { path: path.to_owned(), at: 0, written: None, before: Vec::new(), torn: Vec::new(), lines: 0 };
        if let Ok(mut file) = regular(path) {
            let metadata = file.metadata().ok();
            tail.at = metadata.as_ref().map_or(0, std::fs::Metadata::len);
            tail.written = metadata.and_then(|metadata| metadata.modified().ok());
            tail.before = before(&mut file, tail.at).unwrap_or_default();
        }
        tail
    }

    /// Whether a log has begun anew: it is shorter than it was, or was written to and what was there is not there any more, or nothing
    /// came of that.
    fn has_begun_anew(&self, file: &mut File) -> io::Result<bool> {
        let metadata = file.metadata()?;
        let is_written = metadata.modified().ok() != self.written;
        let is_other = is_written && (metadata.len() == self.at || before(file, self.at)? != self.before);
        Ok(self.at > 0 && (metadata.len() < self.at || is_other))
    }

    /// Hands on the lines that came. Says whether any came.
    fn lines(&mut self, mut take: impl FnMut(u64, &[u8])) -> io::Result<bool> {
        let mut file = match regular(&self.path) {
            Err(error) if error.kind() == io::ErrorKind::NotFound => return Ok(false),
            opened => opened?,
        };
        if self.has_begun_anew(&mut file)? {
            self.at = 0;
            self.torn.clear();
        }
        file.seek(SeekFrom::Start(self.at))?;
        let (mut any, mut chunk) = (false, vec![0; 256 << 10]);
        loop {
            let count = file.read(&mut chunk)?;
            if count == 0 {
                self.before = before(&mut file, self.at)?;
                // Only now: what is written from here on makes the log longer, too.
                self.written = file.metadata()?.modified().ok();
                return Ok(any);
            }
            self.at += count as u64;
            for part in chunk[..count].split_inclusive(|byte| *byte == b'\n') {
                let room = LOG_LINE_BYTES.saturating_sub(self.torn.len()).min(part.len());
                self.torn.extend_from_slice(&part[..room]);
                if part.ends_with(b"\n") {
                    self.lines += 1;
                    any = true;
                    take(self.lines, &self.torn);
                    self.torn.clear();
                }
            }
        }
    }

    /// Hands on a last line whose end never came. Says whether there was one.
    fn unfinished(&mut self, mut take: impl FnMut(u64, &[u8])) -> bool {
        let torn = std::mem::take(&mut self.torn);
        if !torn.is_empty() {
            self.lines += 1;
            take(self.lines, &torn);
        }
        !torn.is_empty()
    }
}

/// The bytes before a place.
fn before(file: &mut File, at: u64) -> io::Result<Vec<u8>> {
    let from = at.saturating_sub(SAME as u64);
    file.seek(SeekFrom::Start(from))?;
    let mut bytes = Vec::new();
    Read::by_ref(file).take(at - from).read_to_end(&mut bytes)?;
    Ok(bytes)
}

#[cfg(all(test, unix))]
mod tests {
    use super::*;

    const RULES: &str = r#"[[event]]
means = "mod-loaded"
line = 'woke (?<mod>\S+)'
[[event]]
means = "ready"
line = 'open'
[[event]]
means = "crash"
line = 'gave up'
"#;

    fn watched(script: &str, log: Option<&str>, patience: f64) -> Watched {
        settled(script, log, (patience, 0.4))
    }

    fn settled(script: &str, log: Option<&str>, (patience, settle): (f64, f64)) -> Watched {
        let temp = tempfile::tempdir().expect("a folder");
        // What an earlier run has left is the same, to the byte.
        std::fs::write(temp.path().join("log"), "woke a\nopen\n").expect("written");
        let start = ["sh", "-c", script].map(str::to_owned);
        let order = Order {
            start: &start,
            stop: &[],
            folder: temp.path(),
            log: log.map(|log| temp.path().join(log)),
            printed: &temp.path().join("printed"),
            patience: Duration::from_secs_f64(patience),
            settle: Duration::from_secs_f64(settle),
        };
        let rules = crate::rules_of(RULES);
        watch(&order, &rules, &mut |_| (), &|| false).expect("watched")
    }

    #[test]
    fn it_is_up_when_it_has_done_loading() {
        let seen = watched("echo woke a; sleep 0.2; echo open; sleep 0.2; echo woke b; sleep 30", None, 10.0);
        assert_eq!((seen.trouble, seen.stopped_well, seen.events.len()), (None, true, 3));
        let (ready, settled) = (seen.ready.expect("ready"), seen.settled.expect("settled"));
        assert!(ready >= 0.2 && settled > ready, "{ready} {settled}");
        assert!(seen.memory.is_some_and(|memory| memory > 0));
    }

    #[test]
    fn one_that_never_comes_up_is_told() {
        let ended = watched("echo woke a; exit 3", None, 10.0);
        assert!(matches!(ended.trouble, Some(Trouble::EndedBefore(_))));
        let last_words = watched("echo woke a; printf 'gave up'; exit 3", None, 10.0);
        assert_eq!(last_words.trouble, Some(Trouble::Said("gave up".to_owned())), "with no end of a line");
        let last = watched("printf 'woke a\nNo b!\n\n'; exit 3", None, 10.0).last_lines;
        assert_eq!(last, [(1, "woke a".to_owned()), (2, "No b!".to_owned()), (3, String::new())]);
        let slow = watched("echo woke a; sleep 30", None, 0.6);
        assert!(matches!(slow.trouble, Some(Trouble::NotUp(_))));
        // A busy machine may keep it quiet for a while.
        let busy = settled("echo open; while true; do echo woke a; sleep 0.1; done", None, (1.5, 1.4));
        assert!(matches!(busy.trouble, Some(Trouble::StillLoading(_))));
        let gone = watched("echo open; sleep 0.1; exit 1", None, 10.0);
        assert!(matches!(gone.trouble, Some(Trouble::EndedUp(_))));
    }

    #[test]
    fn a_log_of_its_own_is_followed_from_where_it_was() {
        let seen = watched("echo 'woke new' >> log; echo open >> log; sleep 30", Some("log"), 10.0);
        assert_eq!((seen.trouble, seen.events.len()), (None, 2));
        let again = watched("sleep 0.2; echo 'woke a' > log; echo open >> log; sleep 30", Some("log"), 10.0);
        assert_eq!((again.trouble, again.events.len()), (None, 2));
        let forked = watched("(sleep 0.3; echo open >> log) & exit 0", Some("log"), 10.0);
        assert_eq!((forked.trouble, forked.ready.is_some()), (None, true));
    }
}
