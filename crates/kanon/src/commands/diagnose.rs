//! `kanon diagnose`: why a join failed.

use std::path::Path;

use kanon_core::diagnose::{Case, LogEvent, weigh};
use kanon_core::rulebook::Role;
use kanon_core::survey::Survey;
use kanon_reach::logs;

use crate::Outcome;
use crate::arguments::{Diagnose, Format};
use crate::env::Env;
use crate::failure::Failure;
use crate::render;
use crate::session::Session;
use crate::ui::Ui;

pub fn run(arguments: &Diagnose, env: &Env, ui: &Ui) -> Result<Outcome, Failure> {
    let mut session = Session::open(env, ui, arguments.rulebook.as_deref(), arguments.thorough)?;
    let mut looked_at = Vec::new();
    let canon = session.canon_if_sealed()?;
    let server = server_name(arguments, &session);
    let server = surveyed(&mut session, server, Role::Server, &mut looked_at)?;
    let client = surveyed(&mut session, arguments.client.clone(), Role::Client, &mut looked_at)?;
    let mut events: Vec<LogEvent> = Vec::new();
    for (log, side) in [(&arguments.server_log, Role::Server), (&arguments.client_log, Role::Client)] {
        if let Some(log) = log {
            events.extend(logs::events(&env.folder.join(log), side, &session.loaded.rulebook)?);
            looked_at.push(format!("the {side}'s log {}", name_of(log)));
        }
    }
    if looked_at.is_empty() {
        return Err(Failure::plain("there is nothing to go by")
            .hint("add --client INSTALL, --server INSTALL, --server-log FILE or --client-log FILE"));
    }
    if canon.is_some() {
        looked_at.push("the canon".to_owned());
    }
    let rulebook = &session.loaded.rulebook;
    let case = Case {
        rulebook,
        canon: canon.as_ref(),
        extras: session.extras(),
        server: server.as_ref(),
        client: client.as_ref(),
        events: &events,
    };
    let diagnosis = weigh(case);
    match env.format {
        Format::Json => ui.json(&diagnosis)?,
        Format::Text => ui.report(&render::diagnose::text(&diagnosis, &looked_at)),
    }
    Ok(Outcome::of(diagnosis.verdicts.is_empty() && diagnosis.unexplained.is_empty()))
}

/// The server that was named; in a workspace with just one, that one.
fn server_name(arguments: &Diagnose, session: &Session<'_>) -> Option<String> {
    if arguments.server.is_some() {
        return arguments.server.clone();
    }
    let mut servers =
        session.workspace.iter().flat_map(|w| &w.wishes.installs).filter(|install| install.role == Role::Server);
    match (servers.next(), servers.next()) {
        (Some(only), None) => Some(only.name.clone()),
        _ => None,
    }
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

fn name_of(path: &Path) -> String {
    path.file_name().map_or_else(|| path.display().to_string(), |name| name.to_string_lossy().into_owned())
}
