//! Why a join failed: what there is to go by is gathered, weighed, and where patterns explain too little, listened to.

use std::path::{Path, PathBuf};

use kanon_core::base::ids::FoldedId;
use kanon_core::base::names::{InstallName, PlayerName};
use kanon_core::base::suggestion::Suggestion;
use kanon_core::canon::Canon;
use kanon_core::diagnose::{Case, Diagnosis, Hint, Needles, Verdict, weigh};
use kanon_core::learn::voice::{Evening, Voice, message};
use kanon_core::logs::{LogEvent, LogTime, Source};
use kanon_core::rulebook::Role;
use kanon_core::survey::Survey;
use kanon_io::logs::{self, ReadLog};
use kanon_io::release::Record;

use crate::error::{AppError, Cause};
use crate::listening::{Heard, knows_causes, knows_endings, listen};
use crate::release_place::invite_of;
use crate::session::Session;
use crate::{install_log, places};

/// What somebody says that there is to go by.
#[derive(Debug, Clone, Default)]
pub struct Asked {
    /// The client, as an INSTALL is named.
    pub client: Option<String>,
    /// The server; the workspace's only one when not said.
    pub server: Option<String>,
    /// The server's log; the one that `kanon.toml` names when not said.
    pub server_log: Option<PathBuf>,
    /// The client's log.
    pub client_log: Option<PathBuf>,
    /// What the player saw.
    pub message: Option<String>,
    /// The player.
    pub player: Option<PlayerName>,
    /// What logs say of before is passed over.
    pub since: Option<String>,
    /// The invite of the release that everything is held against.
    pub release: Option<String>,
}

impl Asked {
    /// The same, and where it says nothing what another one says.
    #[must_use]
    pub fn or(self, other: Self) -> Self {
        Self {
            client: self.client.or(other.client),
            server: self.server.or(other.server),
            server_log: self.server_log.or(other.server_log),
            client_log: self.client_log.or(other.client_log),
            message: self.message.or(other.message),
            player: self.player.or(other.player),
            since: self.since.or(other.since),
            release: self.release.or(other.release),
        }
    }
}

/// One thing that was looked at.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum LookedAt {
    /// An install, or its survey.
    Install(Role, InstallName),
    /// A log: whose, its files, and whether it was read by what it says itself.
    Log(Role, Vec<String>, bool),
    /// What the player saw.
    Message,
    /// The canon.
    Canon,
}

/// What there is to go by.
pub struct Evidence {
    /// The canon.
    pub canon: Option<Canon>,
    /// The server as it was measured.
    pub server: Option<Survey>,
    /// The client.
    pub client: Option<Survey>,
    /// The logs.
    pub files: Vec<(Role, PathBuf)>,
    logs: Vec<(Role, ReadLog)>,
    sources: Vec<Source>,
    /// What the logs say themselves, where that was asked.
    heard: Option<Heard>,
    /// The sides of whose logs the rulebook says nothing.
    unwritten: Vec<Role>,
    events: Vec<LogEvent>,
    /// What the message says itself.
    said: Vec<LogEvent>,
    message: Option<String>,
    player: Option<PlayerName>,
    client_is_here: bool,
    /// The command by which players get the release.
    pub follow: Option<String>,
    /// Whether whoever asks keeps neither side.
    is_guest: bool,
    is_cut: bool,
    /// What was looked at, in order.
    pub looked_at: Vec<LookedAt>,
}

/// Says why a join failed.
///
/// # Errors
/// When there is nothing to go by, or something of it can't be read.
pub fn diagnose(asked: &Asked, session: &mut Session<'_>) -> Result<(Diagnosis, Evidence), AppError> {
    let mut evidence = Evidence::gather(asked, session)?;
    let diagnosis = evidence.weighed(session)?;
    Ok((diagnosis, evidence))
}

impl Evidence {
    fn gather(asked: &Asked, session: &mut Session<'_>) -> Result<Self, AppError> {
        let since = asked.since.as_deref().map(moment).transpose()?;
        let mut looked_at = Vec::new();
        let canon = session.canon_if_sealed()?;
        let server_name = asked.server.clone().or_else(|| install_log::only_server(session).map(String::from));
        let server = surveyed(session, server_name.as_deref(), Role::Server, &mut looked_at)?;
        let client = surveyed(session, asked.client.as_deref(), Role::Client, &mut looked_at)?;
        let server_log = match &asked.server_log {
            Some(log) => Some(session.machine.folder.join(log)),
            None => server_name.as_deref().map_or(Ok(None), |name| install_log::of_install(session, name))?,
        };
        let client_log = match (&asked.client_log, asked.client.as_deref()) {
            (Some(log), _) => Some(session.machine.folder.join(log)),
            (None, client) => client.map_or(Ok(None), |name| install_log::of_install(session, name))?,
        };
        let files = [(Role::Server, server_log), (Role::Client, client_log)];
        let files: Vec<(Role, PathBuf)> = files.into_iter().filter_map(|(side, log)| Some((side, log?))).collect();
        if looked_at.is_empty() && files.is_empty() && asked.message.is_none() {
            return Err(AppError::NothingToGoBy);
        }
        let client_is_here = asked.client.as_deref().is_some_and(|client| {
            places::named(session.workspace.as_ref(), client).is_ok_and(|placed| placed.is_some())
        });
        let follow = match &asked.release {
            Some(invite) => Some(Suggestion::new("follow").word(invite.trim()).to_string()),
            None => follow_of(session)?,
        };
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
            message: asked.message.clone(),
            player: asked.player.clone(),
            client_is_here,
            follow,
            is_guest: asked.release.is_some(),
            is_cut: since.is_some(),
            looked_at,
            events: Vec::new(),
            said: Vec::new(),
        };
        evidence.said = evidence.heard_message(session)?;
        evidence.read_logs(session, since)?;
        evidence.looked_at.extend(evidence.message.is_some().then_some(LookedAt::Message));
        evidence.looked_at.extend(evidence.canon.is_some().then_some(LookedAt::Canon));
        Ok(evidence)
    }

    fn weighed(&mut self, session: &Session<'_>) -> Result<Diagnosis, AppError> {
        let diagnosis = weigh(self.case(session, &[]));
        // Where patterns know how tries end, and the last one was let in, nothing is to be explained.
        let has_told =
            diagnosis.got_in && diagnosis.verdicts.is_empty() && knows_endings(&session.loaded.rulebook.events);
        if is_sure(&diagnosis) || has_told {
            return Ok(diagnosis);
        }
        self.hear_all(session)?;
        let hints = self.hints(session)?;
        Ok(weigh(self.case(session, &hints)))
    }

    /// Reads the logs by the rulebook's patterns; where it is silent, by what they say themselves.
    fn read_logs(&mut self, session: &Session<'_>, since: Option<LogTime>) -> Result<(), AppError> {
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
            self.looked_at.push(LookedAt::Log(*side, read.files.clone(), heard.is_some()));
            self.logs.push((*side, read));
        }
        self.collect();
        Ok(())
    }

    fn evening<'a>(&'a self, session: &'a Session<'_>, players: &'a [String]) -> Evening<'a> {
        let (server, client) = (self.server.as_ref(), self.client.as_ref());
        Evening { rulebook: &session.loaded.rulebook, server, client, canon: self.canon.as_ref(), players }
    }

    /// What the message says by itself.
    fn heard_message(&self, session: &Session<'_>) -> Result<Vec<LogEvent>, AppError> {
        let Some(text) = &self.message else { return Ok(Vec::new()) };
        let players: Vec<String> = self.player.iter().map(|player| player.as_str().to_owned()).collect();
        message(self.evening(session, &players), text).map_err(|error| AppError::TooManyNames(Box::new(error)))
    }

    fn listen(&self, session: &Session<'_>) -> Result<Heard, AppError> {
        let players: Vec<String> = self.player.iter().map(|player| player.as_str().to_owned()).collect();
        let evening = self.evening(session, &players);
        let files: Vec<(Role, &Path)> = self.files.iter().map(|(side, file)| (*side, file.as_path())).collect();
        listen(evening, &files)
    }

    /// Where patterns explain too little, logs that they know are read by what they say themselves too.
    /// Not where what is before some moment is passed over: they say nothing of when.
    fn hear_all(&mut self, session: &Session<'_>) -> Result<(), AppError> {
        if self.files.is_empty() || self.is_cut {
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

    fn collect(&mut self) {
        self.sources = self.logs.iter().map(|(side, _)| Source::log_of(*side)).collect();
        // One copy at a time: a log may have very many.
        self.events = Vec::new();
        self.events = self.logs.iter().flat_map(|(_, log)| log.events.clone()).chain(self.said.clone()).collect();
    }

    /// What mods are called in full.
    pub fn titles(&self) -> impl Iterator<Item = (FoldedId, String)> {
        let of_canon = self.canon.iter().flat_map(|canon| &canon.mods).map(|sealed| &sealed.manifest);
        let of_surveys = [&self.server, &self.client].into_iter().flatten().flat_map(|survey| &survey.mods);
        let manifests = of_canon.chain(of_surveys.map(|found| &found.manifest));
        manifests.filter_map(|manifest| Some((manifest.id.clone(), manifest.title.clone()?)))
    }

    /// What was learned of logs that the rulebook says nothing of.
    pub fn learned(&self) -> Option<Voice> {
        let heard = self.heard.as_ref().filter(|_| !self.unwritten.is_empty())?;
        let mut voice = heard.voice.clone();
        voice.events.retain(|event| self.unwritten.contains(&event.side));
        Some(voice)
    }

    /// Whether anything was learned.
    pub fn has_learned(&self) -> bool {
        self.heard.as_ref().is_some_and(|heard| self.unwritten.iter().any(|side| heard.voice.knows_joins(*side)))
    }

    fn case<'a>(&'a self, session: &'a Session<'_>, hints: &'a [Hint]) -> Case<'a> {
        Case {
            rulebook: &session.loaded.rulebook,
            canon: self.canon.as_ref(),
            extras: session.extras(),
            server: self.server.as_ref(),
            client: self.client.as_ref(),
            events: &self.events,
            hints,
            message: self.message.as_deref(),
            player: self.player.as_deref(),
            client_is_here: self.client_is_here,
            follow: self.follow.as_deref(),
            is_guest: self.is_guest,
            logs: &self.sources,
        }
    }

    /// Lines of the logs that no pattern knows and that name a mod near a word of failure.
    fn hints(&self, session: &Session<'_>) -> Result<Vec<Hint>, AppError> {
        if self.logs.is_empty() {
            return Ok(Vec::new());
        }
        let surveys: Vec<&Survey> = [&self.server, &self.client].into_iter().flatten().collect();
        let needles = Needles::new(&session.loaded.rulebook, &surveys, self.canon.as_ref(), &self.events)
            .map_err(|error| AppError::TooManyNames(Cause::from(error)))?;
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

fn is_sure(diagnosis: &Diagnosis) -> bool {
    diagnosis.verdicts.first().is_some_and(Verdict::is_sure)
}

/// The command by which players of this workspace's release get it; with the invite, where it is known.
fn follow_of(session: &Session<'_>) -> Result<Option<String>, AppError> {
    let Some(workspace) = &session.workspace else { return Ok(None) };
    if Record::read(&workspace.release_folder())?.last().is_none() {
        return Ok(None);
    }
    let command = Suggestion::new("follow");
    let invite = invite_of(workspace, None)?;
    Ok(Some(invite.map_or(command.clone(), |invite| command.word(invite.to_string())).to_string()))
}

fn moment(text: &str) -> Result<LogTime, AppError> {
    LogTime::typed(text).ok_or_else(|| AppError::NoTime(text.to_owned()))
}

fn surveyed(
    session: &mut Session<'_>,
    named: Option<&str>,
    role: Role,
    looked_at: &mut Vec<LookedAt>,
) -> Result<Option<Survey>, AppError> {
    let Some(named) = named else { return Ok(None) };
    let target = session.target(named, Some(role))?;
    let survey = session.survey(target)?.survey;
    if survey.install.role != role {
        return Err(AppError::OtherSide { named: named.to_owned(), is: survey.install.role });
    }
    looked_at.push(LookedAt::Install(role, survey.install.name.clone()));
    Ok(Some(survey))
}
