//! `kanon diagnose`: why a join failed.

use kanon_core::base::path::printable;
use kanon_core::canon::Canon;
use kanon_core::diagnose::{Case, Diagnosis, Hint, Needles, reply, weigh};
use kanon_core::learn::voice::{Evening, Voice};
use kanon_core::logs::{LogEvent, LogTime, Source};
use kanon_core::rulebook::Role;
use kanon_core::survey::Survey;
use kanon_io::logs::{self, ReadLog};
use kanon_io::release::Record;
use serde::Serialize;

use crate::arguments::{Diagnose, Format};
use crate::asking::agreed;
use crate::env::Env;
use crate::failure::Failure;
use crate::render::{FAINT, count, styled};
use crate::ui::Ui;
use crate::words::voice as voice_words;
use crate::{Outcome, render};
use kanon_app::listening::{knows_causes, listen};
use kanon_app::session::Session;
use kanon_app::{places, rulebooks, server_log};

/// When patterns explain less than this, lines that none of them knows are looked at too.
const SURE: f64 = 0.75;

#[derive(Serialize)]
struct Report<'a> {
    #[serde(flatten)]
    diagnosis: &'a Diagnosis,
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
    logs: Vec<(Source, ReadLog)>,
    /// What was learned of logs that the rulebook says nothing of.
    learned: Vec<(Role, Voice)>,
    events: Vec<LogEvent>,
    player: Option<String>,
    client_is_here: bool,
    is_released: bool,
    looked_at: Vec<String>,
}

pub fn run(arguments: &Diagnose, env: &Env, ui: &Ui) -> Result<Outcome, Failure> {
    let mut session = Session::open(&env.machine, ui, arguments.rulebook.as_deref(), arguments.thorough)?;
    let evidence = Evidence::gather(arguments, &mut session, env)?;
    let case = |hints| evidence.case(&session, arguments, hints);
    let mut diagnosis = weigh(case(&[]));
    if !is_sure(&diagnosis) {
        let hints = evidence.hints(&session)?;
        diagnosis = weigh(case(&hints));
    }
    let reply = arguments.reply.then(|| reply(&diagnosis, evidence.is_released));
    match (env.format, reply) {
        (Format::Json, reply) => ui.json(&Report { diagnosis: &diagnosis, reply, looked_at: &evidence.looked_at })?,
        (Format::Text, Some(reply)) => ui.report(&reply),
        (Format::Text, None) => {
            ui.report(&render::diagnose::text(&diagnosis, &evidence.looked_at));
            if !arguments.remember && evidence.learned.iter().any(|(side, voice)| voice.knows_joins(*side)) {
                let offer =
                    "The rulebook says nothing of this log. What it taught is kept by: the same with --remember";
                ui.report(&format!("\n{}\n", styled(FAINT, offer)));
            }
        }
    }
    if arguments.remember {
        remember(arguments.yes, &session, (env, ui), (&diagnosis, &evidence.learned))?;
    }
    Ok(Outcome::of(diagnosis.verdicts.is_empty() && diagnosis.unexplained.is_empty()))
}

/// Adds what was learned or is proposed to the rulebook, after a yes.
fn remember(
    yes: bool,
    session: &Session<'_>,
    (env, ui): (&Env, &Ui),
    (diagnosis, learned): (&Diagnosis, &[(Role, Voice)]),
) -> Result<(), Failure> {
    let (path, text) = (&session.loaded.path, &session.loaded.text);
    let learned: Vec<String> = learned.iter().map(|(_, voice)| voice_words::tables(voice)).collect();
    let tables = if learned.is_empty() { diagnosis.proposals.join("\n") } else { learned.concat() };
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
        let mut logs = Vec::new();
        let server_log = match &arguments.server_log {
            Some(log) => Some(env.machine.folder.join(log)),
            None => server_name.as_deref().map_or(Ok(None), |name| server_log::of_install(session, name))?,
        };
        let client_log = arguments.client_log.as_ref().map(|log| env.machine.folder.join(log));
        let rulebook = &session.loaded.rulebook;
        let mut learned = Vec::new();
        for (log, side) in [(server_log, Role::Server), (client_log, Role::Client)] {
            let Some(log) = log else { continue };
            let mut rules = rulebook.events.clone();
            let written = rules.len();
            // Where the rulebook is silent, the log is read by what it says itself.
            if !knows_causes(&rules, side) {
                let players: Vec<String> = player.iter().cloned().collect();
                let (server, client) = (server.as_ref(), client.as_ref());
                let evening = Evening { rulebook, server, client, canon: canon.as_ref(), players: &players };
                let voice = listen(evening, &[(side, log.as_path())])?;
                rules.extend(voice.rules());
                learned.push((side, voice));
            }
            let player = player.as_deref().filter(|_| side == Role::Server);
            let read = logs::read(&log, (side, &rules), (player, since))?;
            let how = if rules.len() > written { ", read by what it says itself" } else { "" };
            looked_at.push(format!("the {side}'s log {}{how}", read.files.join(" and ")));
            logs.push((Source::log_of(side), read));
        }
        if arguments.message.is_some() {
            looked_at.push("what the player saw".to_owned());
        }
        if looked_at.is_empty() {
            return Err(Failure::plain("there is nothing to go by").hint(
                "add --client INSTALL, --server INSTALL, --server-log FILE, --client-log FILE or --message \"TEXT\"",
            ));
        }
        if canon.is_some() {
            looked_at.push("the canon".to_owned());
        }
        let client_is_here = arguments.client.as_deref().is_some_and(|client| {
            places::named(session.workspace.as_ref(), client).is_ok_and(|placed| placed.is_some())
        });
        let record =
            session.workspace.as_ref().map(|workspace| Record::read(&workspace.release_folder())).transpose()?;
        let is_released = record.is_some_and(|record| record.last().is_some());
        let events = logs.iter().flat_map(|(_, log): &(Source, ReadLog)| log.events.clone()).collect();
        Ok(Self { canon, server, client, logs, learned, events, player, client_is_here, is_released, looked_at })
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
            is_released: self.is_released,
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
        let is_understood = |source: Source| {
            self.learned.iter().any(|(side, voice)| Source::log_of(*side) == source && voice.knows_joins(*side))
        };
        for (source, log) in self.logs.iter().filter(|(source, _)| !is_understood(*source)) {
            let player = self.player.as_deref().filter(|_| *source == Source::ServerLog);
            hints.extend(logs::hints(log, *source, player, &needles)?);
        }
        Ok(hints)
    }
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
