//! `kanon diagnose`: why a join failed.

use kanon_core::base::path::printable;
use kanon_core::canon::Canon;
use kanon_core::diagnose::{Case, Diagnosis, Hint, Needles, reply, weigh};
use kanon_core::logs::{LogEvent, LogTime, Source};
use kanon_core::rulebook::Role;
use kanon_core::survey::Survey;
use kanon_io::logs::{self, ReadLog};
use kanon_io::release::Record;
use serde::Serialize;

use crate::arguments::{Diagnose, Format};
use crate::env::Env;
use crate::failure::Failure;
use crate::ui::Ui;
use crate::{Outcome, render};
use kanon_app::session::Session;
use kanon_app::{places, server_log};

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
        (Format::Text, None) => ui.report(&render::diagnose::text(&diagnosis, &evidence.looked_at)),
    }
    Ok(Outcome::of(diagnosis.verdicts.is_empty() && diagnosis.unexplained.is_empty()))
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
        for (log, side) in [(server_log, Role::Server), (client_log, Role::Client)] {
            let Some(log) = log else { continue };
            let player = player.as_deref().filter(|_| side == Role::Server);
            let read = logs::read(&log, (side, &session.loaded.rulebook.events), (player, since))?;
            looked_at.push(format!("the {side}'s log {}", read.files.join(" and ")));
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
        Ok(Self { canon, server, client, logs, events, player, client_is_here, is_released, looked_at })
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
        for (source, log) in &self.logs {
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
