//! What is told beside a report while something goes on.

use kanon_app::notice::{AlignmentNotice, Notice};
use kanon_app::observer::{OnBreak, Task};
use kanon_core::base::path::printable;
use kanon_core::base::suggestion::quoted;
use kanon_core::delta::LeftAlone;
use kanon_io::state::{Alignment, AlignmentState};

use crate::env::{day_of, time_of_day};
use crate::failure::{Failure, render_problems};
use crate::render::{count, size};

/// A notice as it is told.
pub fn text(notice: Notice) -> String {
    match notice {
        Notice::RulebookWarnings { path, text, warnings } => {
            render_problems(&path.display().to_string(), &text, &warnings)
        }
        Notice::NotRemembered(error) => {
            format!("note: what was found could not be kept for kanon status: {}", Failure::from(error).in_short())
        }
        Notice::RulebookChanged => {
            "note: the rulebook has changed since the canon was sealed; kanon seal makes a new one".to_owned()
        }
        Notice::ConfigChanged => {
            "note: kanon.toml has changed since the canon was sealed; kanon seal --changes shows how".to_owned()
        }
        Notice::CanonReplaced { error, by_last } => {
            let instead = if by_last { "the last one that was sealed here" } else { "nothing" };
            format!("note: {error}; {instead} counts in its place")
        }
        Notice::ReleaseEnds { number, ends } => {
            format!("note: the signatures of release {number} end on {}; kanon publish makes them new", day_of(ends))
        }
        Notice::BeingAligned { install, by } => {
            let since = time_of_day(by.began);
            format!("note: {install} is being aligned right now by {}, since {since}", by.told())
        }
        Notice::Interrupted { install, alignment } => interrupted(&install, &alignment),
        Notice::CatalogueStale { name, why } => {
            format!("note: the catalogue {name} can't be reached ({why}); what it said the last time counts")
        }
        Notice::ServerNotSeen { server, install, error } => format!(
            "note: what {} has can't be told, so mods of {} may be adopted that it lacks: {}",
            printable(&server),
            printable(&install),
            Failure::from(error).in_short()
        ),
        Notice::InstallPassedOver { install, error } => {
            format!("note: {install} is passed over:\n{}", Failure::from(error).render().trim_end())
        }
        Notice::DownloadPassedOver { file, source, why } => {
            format!("note: {} in {source} is passed over: {why}", printable(&file))
        }
        Notice::DamagedPassedOver { path, place, why } => {
            let (path, place) = (printable(&path), printable(&place));
            format!("note: {path} in {place} is passed over, since it is no whole mod: {why}")
        }
        Notice::FetchedFromHosts { files, bytes, installs } => format!(
            "note: {} ({}) of these mods are on {} alone; they are fetched now, and kept in the workspace",
            count(files, "file"),
            size(bytes),
            installs.iter().map(|name| printable(name)).collect::<Vec<_>>().join(" and ")
        ),
        Notice::Rehearsing(so_far) => format!("  {so_far}"),
        Notice::Printed(path) => format!("  what it printed is in {}", path.display()),
        Notice::LogFetched { install, is_whole, bytes } => {
            let part = if is_whole { "" } else { "the end of " };
            format!("fetched {part}the log of {install}: {}", size(bytes))
        }
        Notice::LogNotFetched { install, log, error } => {
            let why = error.map_or_else(|| "there is none".to_owned(), |error| error.to_string());
            format!("note: the log {} of {install} could not be fetched: {why}", printable(&log))
        }
        Notice::Alignment(notice) => of_alignment(notice),
    }
}

/// What is told while an install is aligned.
fn of_alignment(notice: AlignmentNotice) -> String {
    match notice {
        AlignmentNotice::TakenThoughNeeded { install, taken, needed_by } => {
            let (install, taken) = (printable(&install), printable(taken.as_str()));
            let needed_by = printable(needed_by.as_str());
            format!("note: {taken} would be taken off {install}, and {needed_by}, which stays there, needs it")
        }
        AlignmentNotice::NothingBeforeDecision { install } => format!(
            "nothing is done to {} before somebody decides: add them to kanon.toml, take off what needs them, or add --park-extras",
            printable(&install)
        ),
        AlignmentNotice::PermissionsLost { files } => format!(
            "note: this host keeps no permissions (it has no SITE CHMOD): see that what must be run still can be, in {}",
            files.join(", ")
        ),
        AlignmentNotice::WrittenWhileRunning { install, sign } => {
            format!("note: {install} is running ({sign}); it is written to all the same")
        }
        AlignmentNotice::Stopping { install, sign, command } => {
            format!("{install} is running ({sign}); it is stopped by: {}", command.join(" "))
        }
        AlignmentNotice::LeftStopped { install } => {
            format!("note: {install} was stopped, and is not started again now")
        }
        AlignmentNotice::NoWayToStart { install } => {
            format!("note: {install} was stopped, and kanon.toml has no `start` command for it")
        }
        AlignmentNotice::Starting { install, command } => format!("{install} is started by: {}", command.join(" ")),
        AlignmentNotice::LeftAsItIs(LeftAlone { file, part, why }) => {
            format!("note: {file}: `{part}` is left as it is: {why}")
        }
    }
}

fn interrupted(install: &str, alignment: &Alignment) -> String {
    let (what, how_far, ways) = match alignment.state {
        AlignmentState::Undoing => {
            ("taking back", String::new(), format!("kanon undo {} goes on with it", quoted(install)))
        }
        _ => (
            "alignment",
            format!(" after {} of {} steps", alignment.steps_done, alignment.steps.len()),
            format!("kanon align {0} finishes it, kanon undo {0} takes it back", quoted(install)),
        ),
    };
    format!("note: {what} {} of {install} was interrupted{how_far}; {ways}", alignment.id)
}

/// What a bar says in front.
pub const fn task(task: Task) -> &'static str {
    match task {
        Task::Measuring => "measuring",
        Task::Aligning => "aligning",
        Task::Finishing => "finishing",
        Task::Fetching => "fetching",
        Task::Downloading => "downloading",
        Task::Publishing => "publishing",
    }
}

/// What whoever breaks off is told.
pub fn on_break(what: &OnBreak) -> String {
    match what {
        OnBreak::HalfDone { finish, undo } => {
            format!("stopped in the middle of it, and nothing is lost: {finish} finishes it, {undo} takes it back")
        }
        OnBreak::Stays => "stopped; what was done by then stays as it is".to_owned(),
    }
}
