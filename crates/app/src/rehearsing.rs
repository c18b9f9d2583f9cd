//! One rehearsal of a server: aligned with the canon, or with some of its mods; started, watched, stopped, judged.

use std::collections::BTreeSet;
use std::path::PathBuf;
use std::time::Duration;

use kanon_core::base::digest::Blake3;
use kanon_core::base::finding::{Code, in_line};
use kanon_core::base::ids::FoldedId;
use kanon_core::base::path::printable;
use kanon_core::canon::Canon;
use kanon_core::config::InstallWish;
use kanon_core::delta::{CheckContext, Delta};
use kanon_core::diagnose::{Case, HintReader, Needles, Verdict, weigh};
use kanon_core::logs::{LogEvent, Source};
use kanon_core::plan::RiskyExtras;
use kanon_core::plan::text_edits::Consents;
use kanon_core::rulebook::{Event, Role, Rulebook};
use kanon_core::survey::Survey;
use kanon_io::claim::Others;
use kanon_io::error::During;
use kanon_io::rehearsal::{Order, Watched, watch};
use kanon_io::running;
use kanon_io::state::Rehearsed;
use serde::Serialize;

use crate::alignment::{Opened, Wanted};
use crate::error::{AppError, RehearsalError};
use crate::machine::Machine;
use crate::notice::Notice;
use crate::observer::{Observer, Orderly};
use crate::places::{Place, Placed, folder_of_commands};
use crate::session::{Session, Target, digest_of};

/// Seconds of quiet when nothing else is said.
const SETTLE: f64 = 10.0;
/// Verdicts that are less sure than this are not worth telling of a start.
const WORTH_TELLING: f64 = 0.3;

/// How long a start is waited for.
#[derive(Debug, Clone, Copy)]
pub struct Waiting {
    /// It is given up after so many seconds.
    pub patience: u64,
    /// It must be quiet for so many seconds after it said that it is up; the rulebook's, or 10, when not said.
    pub settle: Option<f64>,
}

/// A server that can be rehearsed.
pub struct Rehearsal<'e> {
    machine: &'e Machine,
    observer: &'e dyn Observer,
    /// The sealed canon.
    pub canon: Canon,
    rulebook: Rulebook,
    placed: Placed,
    wish: InstallWish,
    root: PathBuf,
    folder: Option<PathBuf>,
    waiting: Waiting,
    /// Whether each start is told in detail while it goes on.
    tells: bool,
}

/// What one start came to.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, Serialize)]
pub struct Tried {
    /// The mods that were to be loaded, by id.
    pub mods: Vec<FoldedId>,
    /// Whether it came up with all of them.
    pub passed: bool,
    /// Seconds until it said that it is up.
    pub ready: Option<f64>,
    /// Seconds until it last spoke of loading.
    pub settled: Option<f64>,
    /// The most memory it used, in bytes; none when it was over before anybody could look.
    pub memory: Option<u64>,
    /// Mods that did not say that they were loaded; nothing where the rulebook has no pattern for that.
    pub not_loaded: Option<Vec<FoldedId>>,
    /// Why it did not come up.
    pub trouble: Option<String>,
    /// The last line of its log, where that may tell more of why.
    pub last_said: Option<String>,
    /// Whether it ended when it was asked to.
    pub stopped_well: bool,
    /// Whether its being quiet had to do, since the rulebook has no pattern for being up.
    pub by_quiet: bool,
    /// Causes, where it did not pass.
    pub verdicts: Vec<Verdict>,
    /// Whether it was in line with those mods of the canon.
    pub in_line: bool,
}

/// So many mods that were not loaded tell which one it was.
const FEW: usize = 2;

impl Tried {
    /// Whether just one or two mods did not say that they were loaded: a start that ends early leaves out many.
    pub fn not_loaded_is_few(&self) -> bool {
        self.not_loaded.as_ref().is_some_and(|mods| mods.len() <= FEW)
    }
}

impl<'e> Rehearsal<'e> {
    /// Opens a server of `kanon.toml`.
    pub fn open(
        machine: &'e Machine,
        observer: &'e dyn Observer,
        name: &str,
        waiting: Waiting,
    ) -> Result<Self, AppError> {
        let session = Session::of_administrator(machine, observer)?;
        let canon = session.canon()?;
        session.refuse_stale(&canon)?;
        let placed = session.placed(name, Some(Role::Server))?;
        let workspace = session.workspace()?;
        let wish = workspace.config.install(name).cloned().ok_or_else(|| RehearsalError::NotInConfig(name.into()))?;
        if wish.role != Role::Server {
            return Err(RehearsalError::NotAServer(name.into()).into());
        }
        if wish.start.is_empty() {
            return Err(RehearsalError::NoStartCommand(name.into()).into());
        }
        let folder = match &placed.place {
            Place::Folder(folder) => Some(folder.clone()),
            Place::Host(_) => None,
        };
        if folder.is_none() {
            return Err(RehearsalError::OnAHost(name.into()).into());
        }
        let (root, rulebook) = (workspace.root.clone(), session.loaded.rulebook.clone());
        Ok(Self { machine, observer, canon, rulebook, placed, wish, root, folder, waiting, tells: true })
    }

    /// The same, without a word while a start goes on: many follow each other.
    pub fn tersely(mut self) -> Self {
        self.tells = false;
        self
    }

    /// Whether mods may be taken off it and put back.
    pub const fn may_change(&self) -> bool {
        self.wish.is_rehearsal
    }

    /// Brings it in line with some mods of the canon, or with all of them.
    pub fn align(&self, mods: Option<&BTreeSet<FoldedId>>) -> Result<(), AppError> {
        let canon = mods.map_or_else(|| self.canon.clone(), |mods| self.canon.only(mods));
        let wanted = Wanted {
            risky: RiskyExtras::Park,
            // A rehearsal's world is nobody's; a copy of it is kept all the same.
            world: Some("keep".to_owned()),
            while_running: false,
            others: Others::Respect,
            said: Consents::default(),
        };
        let session = Session::of_administrator(self.machine, self.observer)?;
        let mut opened = Opened::open(session, &self.placed.name, canon, Some(Role::Server))?;
        opened.finish(&wanted)?;
        opened.plan(&wanted)?.carry_out(&wanted)?;
        Ok(())
    }

    /// Starts it with some mods of the canon, or with all of them, and says what came of it.
    pub fn try_with(&self, mods: Option<&BTreeSet<FoldedId>>) -> Result<Tried, AppError> {
        if self.may_change() {
            self.align(mods)?;
        }
        let canon = mods.map_or_else(|| self.canon.clone(), |mods| self.canon.only(mods));
        let survey = self.survey()?;
        let watched = {
            // The server does not outlive this, and a break stops it first.
            let _orderly = Orderly::begin(self.observer);
            self.watched()?
        };
        if self.observer.is_break_asked() {
            return Err(RehearsalError::BrokenOff(self.placed.name.clone()).into());
        }
        Ok(self.judged(&canon, &survey, &watched))
    }

    fn survey(&self) -> Result<Survey, AppError> {
        let mut session = Session::of_administrator(self.machine, self.observer)?;
        let install = session.open_install(&self.placed)?;
        if let Some(sign) = running::sign(install.as_ref(), &self.rulebook.running, None) {
            return Err(RehearsalError::RunsAlready { install: self.placed.name.clone(), sign }.into());
        }
        Ok(session.survey(Target::Install(self.placed.clone()))?.survey)
    }

    fn watched(&self) -> Result<Watched, AppError> {
        let kept = self.root.join(".kanon").join("rehearsals");
        std::fs::create_dir_all(&kept).during("make the folder", &kept)?;
        let printed = kept.join(format!("{}.log", Blake3::of(self.placed.name.as_bytes()).short()));
        let settle =
            self.waiting.settle.or(self.rulebook.running.settle.map(|seconds| seconds as f64)).unwrap_or(SETTLE);
        if !(0.0..=86_400.0).contains(&settle) {
            return Err(RehearsalError::NoTimeToWait(settle).into());
        }
        let order = Order {
            start: &self.wish.start,
            stop: &self.wish.stop,
            folder: &folder_of_commands(&self.root, Some(&self.wish)),
            log: self.wish.log.as_ref().zip(self.folder.as_ref()).map(|(log, folder)| folder.join(log)),
            printed: &printed,
            patience: Duration::from_secs(self.waiting.patience),
            settle: Duration::from_secs_f64(settle),
        };
        let mut tell = |text: &str| {
            if self.tells {
                self.observer.notice(Notice::Rehearsing(text.to_owned()));
            }
        };
        let watched = watch(&order, &self.rulebook.events, &mut tell, &|| self.observer.is_break_asked())?;
        if watched.trouble.is_some() && self.tells {
            let shown = printed.strip_prefix(&self.machine.folder).unwrap_or(&printed);
            self.observer.notice(Notice::Printed(shown.to_owned()));
        }
        Ok(watched)
    }

    fn judged(&self, canon: &Canon, survey: &Survey, watched: &Watched) -> Tried {
        let wanted = canon.mods.iter().filter(|sealed| sealed.needed_on().includes(Role::Server));
        let mods: Vec<FoldedId> = wanted.map(|sealed| sealed.manifest.id.clone()).collect();
        let tells = self.rulebook.events.iter().any(|rule| rule.means == Event::ModLoaded);
        let not_loaded = tells.then(|| not_loaded(canon, &mods, &watched.events));
        // What is switched off is meant to be, unless the canon has it: then it is not loaded.
        let is_off = |event: &LogEvent| event.means == Event::Cause(Code::ModDisabled);
        let failed =
            |event: &LogEvent| event.own_side() == Some(Role::Server) && event.player.is_none() && !is_off(event);
        let passed = watched.trouble.is_none()
            && not_loaded.as_ref().is_none_or(Vec::is_empty)
            && !watched.events.iter().any(failed);
        let measure = CheckContext {
            canon,
            rulebook: &self.rulebook,
            extras: kanon_core::config::Extras::Keep,
            edits: kanon_core::config::Edits::Keep,
            left: &[],
        };
        let verdicts = if passed { Vec::new() } else { self.verdicts(canon, survey, watched) };
        let said = watched.last_lines.iter().rev().map(|(_, line)| line.trim()).find(|line| !line.is_empty());
        let last_said = said.filter(|_| watched.trouble.is_some()).map(printable);
        Tried {
            mods,
            passed,
            ready: watched.ready,
            settled: watched.settled,
            memory: watched.memory,
            not_loaded,
            trouble: watched.trouble.as_ref().map(ToString::to_string),
            last_said,
            stopped_well: watched.stopped_well,
            by_quiet: watched.by_quiet,
            verdicts,
            in_line: in_line(&Delta::compute(measure, survey).findings()),
        }
    }

    fn verdicts(&self, canon: &Canon, survey: &Survey, watched: &Watched) -> Vec<Verdict> {
        let events = watched.events.as_slice();
        // A server that does not come up often names the mod in words that no pattern knows.
        let needles = Needles::new(&self.rulebook, &[survey], Some(canon), events).ok();
        let hints = needles.filter(|_| watched.trouble.is_some()).map_or_else(Vec::new, |needles| {
            let mut reader = HintReader::new(&needles, Source::ServerLog, None, events);
            let is_known = |number| events.iter().any(|event| event.line == number);
            let lines = watched.last_lines.iter();
            lines.flat_map(|(number, line)| reader.line(*number, line.as_bytes(), is_known(*number))).collect()
        });
        let diagnosis = weigh(Case {
            rulebook: &self.rulebook,
            canon: Some(canon),
            extras: kanon_core::config::Extras::Keep,
            server: Some(survey),
            client: None,
            events,
            hints: &hints,
            message: None,
            player: None,
            client_is_here: false,
            follow: None,
            is_guest: false,
            logs: &[Source::ServerLog],
        });
        diagnosis.verdicts.into_iter().filter(|verdict| verdict.confidence >= WORTH_TELLING).take(5).collect()
    }

    /// Remembers that the canon passed.
    pub fn record(&self, tried: &Tried) -> Result<(), AppError> {
        let state = Session::of_administrator(self.machine, self.observer)?.workspace()?.state()?;
        let passed = Rehearsed {
            install: self.placed.name.clone(),
            at: self.machine.now().timestamp().as_second(),
            seconds: tried.settled.into_iter().chain(tried.ready).fold(0.0, f64::max),
            memory: tried.memory.unwrap_or_default(),
        };
        Ok(state.record_rehearsal(digest_of(&self.canon)?, &passed)?)
    }
}

/// The mods that did not say that they were loaded: by their ids, titles or files.
fn not_loaded(canon: &Canon, mods: &[FoldedId], events: &[LogEvent]) -> Vec<FoldedId> {
    let loaded: BTreeSet<FoldedId> = events
        .iter()
        .filter(|event| event.means == Event::ModLoaded)
        .filter_map(|event| event.mod_id.clone().or_else(|| Some(event.file.as_deref()?.into())))
        .collect();
    let is_loaded = |id: &&FoldedId| {
        let sealed = canon.mods.iter().find(|sealed| sealed.manifest.id == **id);
        let names = sealed.into_iter().flat_map(|sealed| {
            let stem = sealed.name.rsplit_once('.').map_or(sealed.name.as_str(), |(stem, _)| stem).to_owned();
            [
                Some(sealed.manifest.id.clone()),
                sealed.manifest.title.as_deref().map(FoldedId::from),
                Some(sealed.name.as_str().into()),
                Some(stem.into()),
            ]
        });
        names.flatten().any(|name| loaded.contains(&name))
    };
    mods.iter().filter(|id| !is_loaded(id)).cloned().collect()
}
