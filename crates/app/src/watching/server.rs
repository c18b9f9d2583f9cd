//! A server by its log: whether it came up, ended, falls behind, and whom it turned away, and why.

use std::collections::BTreeMap;

use kanon_core::base::ids::FoldedId;
use kanon_core::base::names::PlayerName;
use kanon_core::base::path::{InstallPath, printable};
use kanon_core::diagnose::{Account, Diagnosis, Evidence, Needles};
use kanon_core::logs::health::everyday_rules;
use kanon_core::logs::{LogEvent, LogReader, LogTime, Source};
use kanon_core::rulebook::{Event, EventRule, Role};
use kanon_io::log_tail::{self, Added, LogMark};
use kanon_io::logs;

use super::change::What;
use super::look::Look;
use super::memory::ServerMemory;
use crate::diagnosing::{self, Asked};
use crate::error::AppError;
use crate::install_log;
use crate::listening::knows_causes;
use crate::places::{self, Place, Placed};

/// How long a start may take where nothing is said, in seconds.
const PATIENCE: i64 = 600;
/// So many lines since the last look, and a server falls behind; so many seconds without one, and it keeps up again.
const LAG_LINES: usize = 3;
const LAG_PAUSE: i64 = 1_800;
/// So many starts within so many seconds are no accident.
const LOOP: usize = 3;
const LOOP_SPAN: i64 = 600;

/// What came of a player's last try.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Try {
    In,
    Out,
}

impl Look<'_, '_> {
    /// Reads what was added to the log of a server; on hosts only where `far` allows it.
    pub(super) fn at_log(&mut self, name: &str, far: bool) {
        let Ok(Some(placed)) = places::named(self.session.workspace.as_ref(), name) else { return };
        if placed.role != Role::Server || matches!(placed.place, Place::Host(_)) && !far {
            return;
        }
        let mut memory = self.memory.installs.entry(name.into()).or_default().server.clone();
        if far {
            self.at_signs(&placed, &mut memory);
        }
        // A log that can't be read just now is read by the next look.
        match self.added(&placed, &memory) {
            Ok(Some(added)) => {
                let is_first = memory.mark.is_none();
                memory.mark = Some(added.mark.clone());
                if !is_first {
                    self.at_lines(name, &added, &mut memory);
                }
            }
            Ok(None) => memory.mark = memory.mark.or(Some(LogMark::of_nothing())),
            Err(_) => {}
        }
        self.at_time(name, &mut memory);
        self.memory.installs.entry(name.into()).or_default().server = memory;
    }

    /// Whether it shows any sign of running.
    fn at_signs(&mut self, placed: &Placed, memory: &mut ServerMemory) {
        if self.session.loaded.rulebook.running.is_empty() {
            return;
        }
        let Ok(sign) = self.sign_at(placed) else { return };
        match (memory.runs.replace(sign.is_some()), sign) {
            (Some(true), None) => self.tell(Some(&placed.name), What::Stopped),
            (Some(false), Some(sign)) => self.tell(Some(&placed.name), What::Runs(sign)),
            _ => {}
        }
    }

    fn added(&mut self, placed: &Placed, memory: &ServerMemory) -> Result<Option<Added>, AppError> {
        let Some(log) = &install_log::place_of(&mut self.session, placed)? else { return Ok(None) };
        let mark = memory.mark.as_ref();
        if let Place::Folder(folder) = &placed.place {
            let log = folder.join(log);
            return match log.exists() {
                true => Ok(log_tail::since(&logs::set_of(&log)?, mark)?),
                false => Ok(None),
            };
        }
        let no_place = |cause| AppError::NoPlaceOfLog { install: placed.name.clone(), log: log.clone(), cause };
        let path = InstallPath::new(log).map_err(no_place)?;
        let install = self.session.open_install(placed)?;
        let read = log_tail::since_inside(install.as_ref(), &path, mark);
        Ok(read.map_err(|source| kanon_io::error::ReachError::Io {
            attempt: "read the log",
            path: install.outside(&path),
            source,
        })?)
    }

    fn at_lines(&mut self, name: &str, added: &Added, memory: &mut ServerMemory) {
        if let Some(last) = added.lines.iter().rev().find(|line| !line.trim().is_empty()) {
            memory.said = Some(shortened(last));
        }
        let events = self.events(&added.lines);
        let mut tries: BTreeMap<PlayerName, Try> = BTreeMap::new();
        let mut lags: Vec<&LogEvent> = Vec::new();
        let mut began: Option<Option<LogTime>> = None;
        for event in &events {
            match event.means {
                Event::Starting => {
                    memory.starting = Some(self.now);
                    began = Some(event.stamp());
                    (memory.is_not_up, memory.is_out_of_memory, memory.is_behind) = (false, false, false);
                    self.at_start(name, memory);
                }
                Event::Ready => self.at_ready(name, began.take().flatten(), event, memory),
                Event::Crash if !std::mem::replace(&mut memory.has_ended, true) => {
                    memory.starting = None;
                    if !memory.loops {
                        self.tell(Some(name), What::Ended(shortened(&event.text)));
                    }
                }
                Event::OutOfMemory if !std::mem::replace(&mut memory.is_out_of_memory, true) => {
                    self.tell(Some(name), What::OutOfMemory(shortened(&event.text)));
                }
                Event::Lag => lags.push(event),
                _ => {}
            }
            at_try(event, &mut tries);
        }
        self.at_lags(name, &lags, memory);
        self.at_tries(name, tries, memory);
        // Where patterns say nothing of why players are turned away, the log may still say it itself.
        if !added.lines.is_empty() && !knows_causes(&self.session.loaded.rulebook.events, Role::Server) {
            self.listened(name, &added.lines, memory);
        }
    }

    fn events(&self, lines: &[String]) -> Vec<LogEvent> {
        let written = &self.session.loaded.rulebook.events;
        let rules: Vec<EventRule> = written.iter().cloned().chain(everyday_rules(written)).collect();
        let mut reader = LogReader::new(&rules, Role::Server, Source::ServerLog);
        for (number, line) in (1..).zip(lines) {
            reader.line(number, line.as_bytes());
        }
        reader.finish()
    }

    fn at_start(&mut self, name: &str, memory: &mut ServerMemory) {
        memory.starts.push(self.now);
        let now = self.now;
        memory.starts.retain(|start| now - start < LOOP_SPAN);
        if memory.starts.len() >= LOOP && !std::mem::replace(&mut memory.loops, true) {
            self.tell(Some(name), What::Loops(memory.starts.len()));
        }
    }

    fn at_ready(&mut self, name: &str, began: Option<LogTime>, event: &LogEvent, memory: &mut ServerMemory) {
        let told = began.zip(event.stamp()).map(|(began, ready)| ready.seconds_since(began)).filter(|s| *s >= 0.0);
        let known = memory.starting.take().map(|since| self.now - since);
        (memory.is_not_up, memory.has_ended) = (false, false);
        if !memory.loops {
            self.tell(Some(name), What::Up { seconds: told.map(|seconds| seconds.round() as i64).or(known) });
        }
    }

    /// What the mere passing of time tells.
    fn at_time(&mut self, name: &str, memory: &mut ServerMemory) {
        let patience = self.session.workspace.as_ref().and_then(|workspace| workspace.config.watch.patience);
        let patience = patience.map_or(PATIENCE, |patience| i64::try_from(patience.as_secs()).unwrap_or(PATIENCE));
        if let Some(since) = memory.starting {
            let seconds = self.now - since;
            if seconds >= patience && !memory.loops && !std::mem::replace(&mut memory.is_not_up, true) {
                self.tell(Some(name), What::NotUp { seconds, said: memory.said.clone() });
            }
        }
        let last_start = memory.starts.last().copied().unwrap_or(0);
        if memory.loops && memory.starting.is_none() && !memory.has_ended && self.now - last_start >= LOOP_SPAN {
            memory.loops = false;
            self.tell(Some(name), What::Up { seconds: None });
        }
        if memory.is_behind && self.now - memory.behind_at >= LAG_PAUSE {
            memory.is_behind = false;
            self.tell(Some(name), What::KeepsUp);
        }
    }

    fn at_lags(&mut self, name: &str, lags: &[&LogEvent], memory: &mut ServerMemory) {
        let Some(last) = lags.last() else { return };
        memory.behind_at = self.now;
        if lags.len() < LAG_LINES || std::mem::replace(&mut memory.is_behind, true) {
            return;
        }
        let canon = self.session.canon_if_sealed().ok().flatten();
        let needles = Needles::new(&self.session.loaded.rulebook, &[], canon.as_ref(), &[]).ok();
        let mut mods: Vec<FoldedId> = Vec::new();
        for event in lags {
            let named = needles.iter().flat_map(|needles| needles.named(&event.text)).cloned();
            for id in event.mod_id.iter().cloned().chain(named) {
                if !mods.contains(&id) {
                    mods.push(id);
                }
            }
        }
        self.tell(Some(name), What::Behind { lines: lags.len(), said: shortened(&last.text), mods });
    }

    fn at_tries(&mut self, name: &str, tries: BTreeMap<PlayerName, Try>, memory: &mut ServerMemory) {
        for (player, came) in tries {
            if came == Try::In {
                if memory.refused.remove(&player).is_some() {
                    self.tell(Some(name), What::CameIn(player));
                }
                continue;
            }
            let asked = Asked { server: Some(name.to_owned()), player: Some(player.clone()), ..Asked::default() };
            // Without a verdict it is still a refusal.
            let diagnosis = diagnosing::diagnose(&asked, &mut self.session).map(|(found, _)| found).unwrap_or_default();
            let diagnosis = of_this_try(diagnosis);
            let why = why(&diagnosis);
            if memory.refused.get(&player) != Some(&why) {
                memory.refused.insert(player.clone(), why);
                let (verdicts, kept_out_by) = (diagnosis.verdicts, diagnosis.kept_out_by);
                self.tell(Some(name), What::Refused { player: Some(player), verdicts, kept_out_by });
            }
        }
    }

    /// Of a log that no pattern knows: a verdict that is sure, since nothing says that anybody was turned away, and that speaks of
    /// what was added.
    fn listened(&mut self, name: &str, lines: &[String], memory: &mut ServerMemory) {
        let asked = Asked { server: Some(name.to_owned()), ..Asked::default() };
        let Ok((diagnosis, _)) = diagnosing::diagnose(&asked, &mut self.session) else { return };
        let added: Vec<String> = lines.iter().map(|line| printable(line.trim())).collect();
        let is_new = |piece: &Evidence| match &piece.text {
            Account::Line(text) if piece.source == Source::ServerLog => {
                !text.trim().is_empty() && added.iter().any(|line| line.contains(text.trim()))
            }
            _ => false,
        };
        let speaks =
            diagnosis.verdicts.first().is_some_and(|first| first.is_sure() && first.evidence.iter().any(is_new));
        let why = why(&diagnosis);
        if speaks && memory.refused.get("") != Some(&why) {
            memory.refused.insert(PlayerName::default(), why);
            let (verdicts, kept_out_by) = (diagnosis.verdicts, diagnosis.kept_out_by);
            self.tell(Some(name), What::Refused { player: None, verdicts, kept_out_by });
        }
    }
}

/// What the log says of this very try comes first: what is off with the server besides was told when it fell off.
fn of_this_try(mut diagnosis: Diagnosis) -> Diagnosis {
    const LIKELY: f64 = 0.5;
    let log = Source::ServerLog.as_str();
    diagnosis.verdicts.sort_by_key(|found| found.confidence < LIKELY || !found.confirmed_by.contains(&log));
    diagnosis
}

fn at_try(event: &LogEvent, tries: &mut BTreeMap<PlayerName, Try>) {
    let Some(player) = &event.player else { return };
    let came = match event.means {
        Event::JoinAccepted => Try::In,
        Event::JoinRefused | Event::DataRefused | Event::Cause(_) => Try::Out,
        _ => return,
    };
    tries.insert(player.clone(), came);
}

/// What tells one reason from another.
fn why(diagnosis: &Diagnosis) -> String {
    let first = diagnosis.verdicts.first();
    let of_mod = first.and_then(|first| first.mod_id.as_ref()).map(ToString::to_string).unwrap_or_default();
    let cause = first.map_or("", |first| first.cause.as_str());
    format!("{cause}|{of_mod}|{:?}", diagnosis.kept_out_by)
}

/// A line as it is told.
fn shortened(line: &str) -> String {
    const MOST: usize = 300;
    let line = printable(line.trim());
    match line.char_indices().nth(MOST) {
        Some((cut, _)) => format!("{}…", &line[..cut]),
        None => line,
    }
}
