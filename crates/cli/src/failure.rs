//! Why a command could not do its work: the chain of causes told once, with what to do next.

use std::error::Error;

use annotate_snippets::renderer::DecorStyle;
use annotate_snippets::{AnnotationKind, Group, Level, Renderer, Snippet};
use kanon_core::base::problem::{BadFile, Problem, ProblemLevel};
use kanon_io::error::ReachError;
use kanon_io::install::{AddressError, HostError};
use kanon_io::release::Refusal;

use crate::render::{BAD, styled};
use crate::screen;

/// Why a command could not do its work.
#[derive(Debug)]
pub struct Failure {
    message: String,
    causes: Vec<String>,
    hint: Option<String>,
    bad_file: Option<Box<BadFile>>,
}

impl Failure {
    /// A failure with a message of its own.
    pub fn plain(message: impl Into<String>) -> Self {
        Self { message: message.into(), causes: Vec::new(), hint: None, bad_file: None }
    }

    /// A failure whose message is an error's own.
    pub fn from_words(error: &dyn Error) -> Self {
        Self::plain(error.to_string())
    }

    /// Adds what it came of.
    pub fn because(mut self, cause: impl Error) -> Self {
        self.causes.extend(chain(&cause));
        self
    }

    /// The same, with what it is about before it.
    pub fn about(&self, what: &str) -> Self {
        let message = format!("{}: {}", kanon_core::base::path::printable(what), self.message);
        Self { message, causes: self.causes.clone(), hint: self.hint.clone(), bad_file: self.bad_file.clone() }
    }

    /// What happened and why, in one line.
    pub fn in_short(&self) -> String {
        let causes: String = self.causes.iter().map(|cause| format!(": {cause}")).collect();
        format!("{}{causes}", self.message)
    }

    /// Adds what to do next.
    pub fn hint(mut self, hint: impl Into<String>) -> Self {
        self.hint = Some(hint.into());
        self
    }

    /// The failure as it is shown.
    pub fn render(&self) -> String {
        if let Some(bad) = &self.bad_file {
            return render_problems(&bad.name, &bad.text, &bad.problems);
        }
        let mut text = format!("{}: {}\n", styled(BAD, "error"), self.message);
        for cause in &self.causes {
            text.push_str(&format!("  because: {cause}\n"));
        }
        if let Some(hint) = &self.hint {
            text.push_str(&format!("  do: {hint}\n"));
        }
        text
    }
}

fn chain(error: &dyn Error) -> Vec<String> {
    let mut causes = Vec::new();
    let mut next = Some(error);
    while let Some(error) = next {
        causes.push(kanon_core::base::path::printable(&error.to_string()));
        next = error.source();
    }
    causes
}

impl From<ReachError> for Failure {
    fn from(error: ReachError) -> Self {
        let hint = hint(&error).map(str::to_owned);
        if let ReachError::BadFile(bad) = error {
            return Self { message: bad.to_string(), causes: Vec::new(), hint, bad_file: Some(bad) };
        }
        let mut causes = chain(&error);
        let mut message = causes.remove(0);
        if let ReachError::Busy { began: Some(began), .. } = &error
            && *began > 0
        {
            message.push_str(&format!(", since {}", crate::env::time_of_day(*began)));
        }
        Self { message, causes, hint, bad_file: None }
    }
}

/// Every kind of error says what to do, or is asked here why not.
fn hint(error: &ReachError) -> Option<&'static str> {
    match error {
        ReachError::Io { source, .. } => io_hint(source),
        ReachError::State { what: "the journal", .. } => Some(
            "see that the disk is not full and the file may be written; if it is damaged, put a copy of it back. Each backup also knows by itself what it is of: kanon undo INSTALL --from-backup N",
        ),
        ReachError::State { .. } => Some("see that the disk is not full and the file may be written"),
        ReachError::BadCanon { .. } => Some(
            "kanon seal makes it anew of kanon.toml; kanon seal --back-to N puts one back that was sealed here (kanon history --canons)",
        ),
        ReachError::NoWorkspace(_) => Some("start one with: kanon init, or go to it with: -C DIR"),
        ReachError::OfPlayer(_) => {
            Some("go to the folder of your own workspace, or name it with -C; here it is: kanon follow")
        }
        ReachError::NotThisGame { .. } => {
            Some("check the folder, the role and the rulebook: one of the three is another's")
        }
        ReachError::BytesNowhere(_) => {
            Some("put the releases into a source or an install of kanon.toml, then seal again")
        }
        ReachError::Address { .. } => Some("check the address in kanon.toml and the connection, then try again"),
        ReachError::Unreachable { .. } => Some("check the connection, and try again later"),
        ReachError::Refused { source, .. } => Some(refusal_hint(source)),
        ReachError::Busy { alive: true, .. } => Some("wait until it has ended, then run the command again"),
        ReachError::TakenBack { source, .. } => hint(source),
        ReachError::NoRoom { .. } => Some("make room, then run the command again; nothing was begun"),
        ReachError::Busy { .. } => Some(
            "wait until it has ended; if you know that it is dead, finish or undo it where it began, or add --take-over",
        ),
        ReachError::CutOff { .. } => Some("when that is mended, kanon align finishes it, or kanon undo takes it back"),
        ReachError::Host(error) => host_hint(error),
        ReachError::Link(_) => Some("put the real file in its place first"),
        ReachError::Changed(_) => Some("see that no game or download is writing there, then run the command again"),
        ReachError::BadFile(_) | ReachError::Unusable { .. } | ReachError::Plan(_) | ReachError::Path { .. } => None,
    }
}

fn refusal_hint(refusal: &Refusal) -> &'static str {
    match refusal {
        Refusal::Nothing => "see that the invite is whole, and ask whoever sent it whether the release is still there",
        Refusal::NotInvited(_) => {
            "don't go on: ask whoever invited you for a new invite, by another way than this place"
        }
        Refusal::WrongSignature(_) | Refusal::OtherFile(_) | Refusal::Mixed(_) | Refusal::Garbled { .. } => {
            "try again in a while, in case it is being published right now; if it stays so, tell whoever invited you"
        }
        Refusal::Older(_) | Refusal::Endless(_) => "tell whoever invited you: the place may be in wrong hands",
        Refusal::Ended(_) => "tell whoever invited you; kanon publish signs it anew",
        Refusal::Clock => {
            "set the clock right, then try again; if it is right now and was wrong then, add --clock-is-right"
        }
    }
}

fn host_hint(error: &HostError) -> Option<&'static str> {
    Some(match error {
        HostError::Address { source: AddressError::Password, .. } => {
            "leave the password out: Kanon asks for it, or finds it in the system's key ring or in KANON_PASSWORD"
        }
        HostError::Address { .. } => {
            "write it like sftp://user@host/folder, or ftp:// or ftps://; /~ is where a login begins"
        }
        HostError::Unreachable { .. } => "check the address, and whether the host is up and lets you connect",
        HostError::Login { .. } => {
            "check the user's name; give the password when asked, or in KANON_PASSWORD, or name a key in kanon.toml"
        }
        HostError::UnknownKey { .. } => {
            "if your hoster says that this is its key, write it into kanon.toml: host-key = \"SHA256:…\" in the [install]; on a terminal Kanon asks"
        }
        HostError::ChangedKey { .. } => {
            "ask your hoster whether the key was changed; if so, take the old one out of where it is known, else somebody stands in between"
        }
    })
}

/// What systems call it when no more files may be open, in this process or on the whole machine.
#[cfg(unix)]
const NO_FILE_NUMBERS: [i32; 2] = [24, 23];
#[cfg(not(unix))]
const NO_FILE_NUMBERS: [i32; 2] = [4, 4];

fn io_hint(error: &std::io::Error) -> Option<&'static str> {
    use std::io::ErrorKind as Kind;
    if error.raw_os_error().is_some_and(|code| NO_FILE_NUMBERS.contains(&code)) {
        return Some(
            "no more files may be open at once: close other programs, or raise the limit, then run the command again",
        );
    }
    match error.kind() {
        Kind::NotFound => Some("check the path"),
        Kind::PermissionDenied | Kind::ReadOnlyFilesystem => {
            Some("see who owns it, whether it may be written, and whether it is marked as not to be changed")
        }
        Kind::StorageFull | Kind::QuotaExceeded => Some("make room on the disk, then run the command again"),
        _ => None,
    }
}

/// Problems of a file, each at its place.
pub fn render_problems(name: &str, text: &str, problems: &[Problem]) -> String {
    let renderer = Renderer::styled().decor_style(DecorStyle::Ascii).term_width(100);
    let mut shown = String::new();
    let quotable = screen::quotable(text);
    let text = quotable.as_str();
    for problem in problems {
        let level = if problem.gravity == ProblemLevel::Error { Level::ERROR } else { Level::WARNING };
        let span = problem.span.start.min(text.len())..problem.span.end.min(text.len());
        let snippet = Snippet::source(text).path(name).annotation(AnnotationKind::Primary.span(span));
        let mut group: Group<'_> = level.primary_title(&problem.message).element(snippet);
        if let Some(help) = &problem.help {
            group = group.element(Level::HELP.message(help));
        }
        shown.push_str(&screen::of_renderer(&renderer.render(&[group])));
        shown.push_str("\n\n");
    }
    shown
}
