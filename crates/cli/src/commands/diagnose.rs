//! `kanon diagnose`: why a join failed.

use std::path::{Path, PathBuf};

use kanon_core::base::path::printable;
use kanon_core::base::suggestion::Suggestion;
use kanon_core::canon::Canon;
use kanon_core::diagnose::{Case, Diagnosis, Evidence as Piece, Hint, KeptOutBy, Needles, Verdict, weigh};
use kanon_core::learn::voice::{Evening, Voice};
use kanon_core::logs::{LogEvent, LogTime, Source};
use kanon_core::rulebook::Role;
use kanon_core::survey::Survey;
use kanon_io::logs::{self, ReadLog};
use kanon_io::release::Record;
use serde::Serialize;

use super::invite::invite_of;
use crate::arguments::{Diagnose, Format};
use crate::asking::agreed;
use crate::env::Env;
use crate::failure::Failure;
use crate::render::{FAINT, count, styled};
use crate::ui::Ui;
use crate::words::{diagnosis as words, voice as voice_words};
use crate::{Outcome, render};
use kanon_app::listening::{Heard, knows_causes, knows_endings, listen};
use kanon_app::session::Session;
use kanon_app::{places, rulebooks, server_log};

/// When patterns explain less than this, lines that none of them knows are looked at too.
const SURE: f64 = 0.75;

#[derive(Serialize)]
struct Report<'a> {
    format: &'static str,
    verdicts: &'a [Verdict],
    unexplained: &'a [Piece],
    /// What keeps the player out that no mod has to do with.
    #[serde(skip_serializing_if = "Option::is_none")]
    kept_out_by: Option<KeptOutBy>,
    /// What would tell more, in words.
    next: Vec<String>,
    #[serde(skip_serializing_if = "<[String]>::is_empty")]
    proposals: &'a [String],
    /// The text to send to the player, where it was asked for.
    #[serde(skip_serializing_if = "Option::is_none")]
    reply: Option<String>,
    /// What there was to go by.
    looked_at: &'a [String],
}

/// What there is to go by.
struct Evidence {
    canon: Option<Canon>,
    server: Option<Survey>,
    client: Option<Survey>,
    /// The logs.
    files: Vec<(Role, PathBuf)>,
    logs: Vec<(Role, ReadLog)>,
    sources: Vec<Source>,
    /// What the logs say themselves, where that was asked.
    heard: Option<Heard>,
    /// The sides of whose logs the rulebook says nothing.
    unwritten: Vec<Role>,
    events: Vec<LogEvent>,
    player: Option<String>,
    client_is_here: bool,
    /// The command by which players get the release.
    follow: Option<String>,
    /// Whether whoever asks keeps neither side.
    is_guest: bool,
    looked_at: Vec<String>,
}

pub fn run(arguments: &Diagnose, env: &Env, ui: &Ui) -> Result<Outcome, Failure> {
    let mut session = match &arguments.release {
        Some(invite) => Session::of_release(&env.machine, ui, invite)?,
        None => Session::open(&env.machine, ui, arguments.rulebook.as_deref(), arguments.thorough)?,
    };
    let mut evidence = Evidence::gather(arguments, &mut session, env)?;
    let mut diagnosis = weigh(evidence.case(&session, arguments, &[]));
    // Where patterns know how tries end, and the last one was let in, nothing is to be explained.
    let has_told = diagnosis.got_in && diagnosis.verdicts.is_empty() && knows_endings(&session.loaded.rulebook.events);
    if !is_sure(&diagnosis) && !has_told {
        evidence.hear_all(&session, arguments.since.is_some())?;
        let hints = evidence.hints(&session)?;
        diagnosis = weigh(evidence.case(&session, arguments, &hints));
    }
    let reply = arguments.reply.then(|| evidence.reply(&diagnosis));
    match (env.format, reply) {
        (Format::Json, reply) => ui.json(&Report {
            format: "kanon-diagnosis/1",
            verdicts: &diagnosis.verdicts,
            unexplained: &diagnosis.unexplained,
            kept_out_by: diagnosis.kept_out_by,
            next: diagnosis.wanted.iter().map(|more| words::wanted(*more)).collect(),
            proposals: &diagnosis.proposals,
            reply,
            looked_at: &evidence.looked_at,
        })?,
        (Format::Text, Some(reply)) => ui.report(&reply),
        (Format::Text, None) => {
            ui.report(&render::diagnose::text(&diagnosis, &evidence.looked_at));
            if !arguments.remember && evidence.has_learned() {
                let offer =
                    "The rulebook says nothing of this log. What it taught is kept by: the same with --remember";
                ui.report(&format!("\n{}\n", styled(FAINT, offer)));
            }
        }
    }
    if arguments.remember {
        remember(arguments.yes, &session, (env, ui), (&diagnosis, &evidence))?;
    }
    Ok(Outcome::of(diagnosis.verdicts.is_empty() && diagnosis.unexplained.is_empty()))
}

/// Adds what was learned or is proposed to the rulebook, after a yes.
fn remember(
    yes: bool,
    session: &Session<'_>,
    (env, ui): (&Env, &Ui),
    (diagnosis, evidence): (&Diagnosis, &Evidence),
) -> Result<(), Failure> {
    let (path, text) = (&session.loaded.path, &session.loaded.text);
    let tables = match evidence.learned() {
        Some(voice) => voice_words::tables(&voice),
        None => diagnosis.proposals.join("\n"),
    };
    let number = tables.matches("[[event]]").count();
    if number == 0 {
        ui.notice("note: nothing was learned from these logs, so that nothing is to be remembered");
        return Ok(());
    }
    let (patterns, shown) = (count(number, "pattern"), path.display());
    if env.format == Format::Text && !yes {
        ui.notice(tables.trim());
    }
    if agreed(yes, env, ui, format!("Add {patterns} to {shown}?").as_str())? {
        rulebooks::add(path, text, tables.trim_start())?;
        let next = "look at those that are marked; a canon that was sealed before is to be sealed again";
        ui.notice(&format!("{patterns} added at the end of {shown}: {next}"));
    }
    Ok(())
}

fn is_sure(diagnosis: &Diagnosis) -> bool {
    diagnosis.verdicts.first().is_some_and(|first| first.confidence >= SURE)
}

impl Evidence {
    fn gather(arguments: &Diagnose, session: &mut Session<'_>, env: &Env) -> Result<Self, Failure> {
        let since = arguments.since.as_deref().map(moment).transpose()?;
        let mut looked_at = Vec::new();
        let canon = session.canon_if_sealed()?;
        let server_name = arguments.server.clone().or_else(|| server_log::only_server(session));
        let server = surveyed(session, server_name.clone(), Role::Server, &mut looked_at)?;
        let client = surveyed(session, arguments.client.clone(), Role::Client, &mut looked_at)?;
        let player = arguments.player.clone();
        let server_log = match &arguments.server_log {
            Some(log) => Some(env.machine.folder.join(log)),
            None => server_name.as_deref().map_or(Ok(None), |name| server_log::of_install(session, name))?,
        };
        let client_log = arguments.client_log.as_ref().map(|log| env.machine.folder.join(log));
        let files = [(Role::Server, server_log), (Role::Client, client_log)];
        let files: Vec<(Role, PathBuf)> = files.into_iter().filter_map(|(side, log)| Some((side, log?))).collect();
        if looked_at.is_empty() && files.is_empty() && arguments.message.is_none() {
            return Err(Failure::plain("there is nothing to go by").hint(
                "add --client INSTALL, --server INSTALL, --server-log FILE, --client-log FILE or --message \"TEXT\"",
            ));
        }
        let client_is_here = arguments.client.as_deref().is_some_and(|client| {
            places::named(session.workspace.as_ref(), client).is_ok_and(|placed| placed.is_some())
        });
        let follow = match &arguments.release {
            Some(invite) => Some(Suggestion::new("follow").word(invite.trim()).to_string()),
            None => follow_of(session)?,
        };
        let is_guest = arguments.release.is_some();
        let (logs, sources, heard, unwritten) = (Vec::new(), Vec::new(), None, Vec::new());
        let mut evidence = Self {
            canon,
            server,
            client,
            files,
            logs,
            sources,
            heard,
            unwritten,
            player,
            client_is_here,
            follow,
            is_guest,
            looked_at,
            events: Vec::new(),
        };
        evidence.read_logs(session, since)?;
        if arguments.message.is_some() {
            evidence.looked_at.push("what the player saw".to_owned());
        }
        if evidence.canon.is_some() {
            evidence.looked_at.push("the canon".to_owned());
        }
        Ok(evidence)
    }

    /// Reads the logs by the rulebook's patterns; where it is silent, by what they say themselves.
    fn read_logs(&mut self, session: &Session<'_>, since: Option<LogTime>) -> Result<(), Failure> {
        let written = &session.loaded.rulebook.events;
        let is_silent = |(side, _): &&(Role, PathBuf)| !knows_causes(written, *side);
        self.unwritten = self.files.iter().filter(is_silent).map(|(side, _)| *side).collect();
        if !self.unwritten.is_empty() {
            self.heard = Some(self.listen(session)?);
        }
        for (side, file) in &self.files {
            let heard = self.heard.as_ref().filter(|_| self.unwritten.contains(side));
            let player = self.player.as_deref().filter(|_| *side == Role::Server);
            let mut rules = written.clone();
            rules.extend(heard.iter().flat_map(|heard| heard.voice.rules()));
            let mut read = logs::read(file, (*side, &rules), (player, since))?;
            // What it says of the last try tells more than the patterns that it taught.
            if let Some(told) = heard.filter(|_| since.is_none()).and_then(|heard| heard.of_last_try(*side, &read)) {
                read.replace(told);
            }
            let how = if heard.is_some() { ", read by what it says itself" } else { "" };
            self.looked_at.push(format!("the {side}'s log {}{how}", read.files.join(" and ")));
            self.logs.push((*side, read));
        }
        self.collect();
        Ok(())
    }

    fn listen(&self, session: &Session<'_>) -> Result<Heard, Failure> {
        let players: Vec<String> = self.player.iter().cloned().collect();
        let (server, client) = (self.server.as_ref(), self.client.as_ref());
        let evening = Evening {
            rulebook: &session.loaded.rulebook,
            server,
            client,
            canon: self.canon.as_ref(),
            players: &players,
        };
        let files: Vec<(Role, &Path)> = self.files.iter().map(|(side, file)| (*side, file.as_path())).collect();
        Ok(listen(evening, &files)?)
    }

    /// Where patterns explain too little, logs that they know are read by what they say themselves too.
    /// Not where what is before some moment is passed over: they say nothing of when.
    fn hear_all(&mut self, session: &Session<'_>, is_cut: bool) -> Result<(), Failure> {
        if self.files.is_empty() || is_cut {
            return Ok(());
        }
        let heard = match self.heard.take() {
            Some(heard) => heard,
            None => self.listen(session)?,
        };
        for (side, log) in self.logs.iter_mut().filter(|(side, _)| !self.unwritten.contains(side)) {
            let told = heard.of_last_try(*side, log).unwrap_or_default();
            log.add(told.into_iter().filter(|event| event.cause().is_some()).collect());
        }
        self.heard = Some(heard);
        self.collect();
        Ok(())
    }

    /// A text for the player, with mods by what they are called in full.
    fn reply(&self, diagnosis: &Diagnosis) -> String {
        let of_canon = self.canon.iter().flat_map(|canon| &canon.mods).map(|sealed| &sealed.manifest);
        let of_surveys = [&self.server, &self.client].into_iter().flatten().flat_map(|survey| &survey.mods);
        let manifests = of_canon.chain(of_surveys.map(|found| &found.manifest));
        let titled = manifests.filter_map(|manifest| Some((manifest.id.clone(), manifest.title.clone()?)));
        let titles = titled.collect();
        let has_client = self.client.is_some();
        words::Reply { diagnosis, titles: &titles, follow: self.follow.as_deref(), has_client }.text()
    }

    fn collect(&mut self) {
        self.sources = self.logs.iter().map(|(side, _)| Source::log_of(*side)).collect();
        // One copy at a time: a log may have very many.
        self.events = Vec::new();
        self.events = self.logs.iter().flat_map(|(_, log)| log.events.clone()).collect();
    }

    /// What was learned of logs that the rulebook says nothing of.
    fn learned(&self) -> Option<Voice> {
        let heard = self.heard.as_ref().filter(|_| !self.unwritten.is_empty())?;
        let mut voice = heard.voice.clone();
        voice.events.retain(|event| self.unwritten.contains(&event.side));
        Some(voice)
    }

    fn has_learned(&self) -> bool {
        self.heard.as_ref().is_some_and(|heard| self.unwritten.iter().any(|side| heard.voice.knows_joins(*side)))
    }

    fn case<'a>(&'a self, session: &'a Session<'_>, arguments: &'a Diagnose, hints: &'a [Hint]) -> Case<'a> {
        Case {
            rulebook: &session.loaded.rulebook,
            canon: self.canon.as_ref(),
            extras: session.extras(),
            server: self.server.as_ref(),
            client: self.client.as_ref(),
            events: &self.events,
            hints,
            message: arguments.message.as_deref(),
            player: self.player.as_deref(),
            client_is_here: self.client_is_here,
            follow: self.follow.as_deref(),
            is_guest: self.is_guest,
            logs: &self.sources,
        }
    }

    /// Lines of the logs that no pattern knows and that name a mod near a word of failure.
    fn hints(&self, session: &Session<'_>) -> Result<Vec<Hint>, Failure> {
        if self.logs.is_empty() {
            return Ok(Vec::new());
        }
        let surveys: Vec<&Survey> = [&self.server, &self.client].into_iter().flatten().collect();
        let needles = Needles::new(&session.loaded.rulebook, &surveys, self.canon.as_ref(), &self.events)
            .map_err(|error| Failure::plain("the names of the mods can't be looked for").because(error))?;
        let mut hints = Vec::new();
        let is_understood = |side: Role| {
            self.heard.as_ref().is_some_and(|Heard { voice, .. }| {
                voice.of_last_try(side).is_some() || self.unwritten.contains(&side) && voice.knows_joins(side)
            })
        };
        for (side, log) in &self.logs {
            let is_understood = is_understood(*side);
            let player = self.player.as_deref().filter(|_| *side == Role::Server);
            let mut own = logs::hints(log, Source::log_of(*side), player, &needles)?;
            // Of a log that is understood, other lines than those that tell of the try are chatter.
            own.retain(|hint| !is_understood || log.events.iter().any(|event| event.line == hint.line));
            hints.extend(own);
        }
        Ok(hints)
    }
}

/// The command by which players of this workspace's release get it; with the invite, where it is known.
fn follow_of(session: &Session<'_>) -> Result<Option<String>, Failure> {
    let Some(workspace) = &session.workspace else { return Ok(None) };
    if Record::read(&workspace.release_folder())?.last().is_none() {
        return Ok(None);
    }
    let command = Suggestion::new("follow");
    let invite = invite_of(workspace, None)?;
    Ok(Some(invite.map_or(command.clone(), |invite| command.word(invite.to_string())).to_string()))
}

fn moment(text: &str) -> Result<LogTime, Failure> {
    LogTime::typed(text).ok_or_else(|| {
        Failure::plain(format!("`{}` is no time", printable(text)))
            .hint("write it like 2026-11-27T06:00, 2026-11-27, or 06:00")
    })
}

fn surveyed(
    session: &mut Session<'_>,
    named: Option<String>,
    role: Role,
    looked_at: &mut Vec<String>,
) -> Result<Option<Survey>, Failure> {
    let Some(named) = named else { return Ok(None) };
    let target = session.target(&named, Some(role))?;
    let survey = session.survey(target)?.survey;
    if survey.install.role != role {
        return Err(Failure::plain(format!("{named} is a {}, not a {role}", survey.install.role))
            .hint("use the option of the other side"));
    }
    looked_at.push(format!("the {role} {}", survey.install.name));
    Ok(Some(survey))
}
