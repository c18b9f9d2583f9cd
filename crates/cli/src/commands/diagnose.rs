//! `kanon diagnose`: why a join failed.

use kanon_app::diagnosing::{Asked, Evidence, diagnose};
use kanon_app::exporting::{take_in, with_sent_client};
use kanon_app::rulebooks;
use kanon_app::session::Session;
use kanon_core::diagnose::{Diagnosis, Evidence as Piece, Verdict};
use kanon_core::logs::KeptOutBy;
use serde::Serialize;

use crate::arguments::{Diagnose, Format};
use crate::asking::agreed;
use crate::env::Env;
use crate::failure::Failure;
use crate::render::{FAINT, count, styled};
use crate::ui::Ui;
use crate::words::reply::Reply;
use crate::words::{diagnosis as words, voice as voice_words};
use crate::{Outcome, render};

/// A diagnosis as other programs read it.
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[derive(Serialize)]
pub struct Report<'a> {
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

pub fn run(arguments: &Diagnose, env: &Env, ui: &Ui) -> Result<Outcome, Failure> {
    let (mut session, sent) = match (&arguments.evidence, &arguments.release) {
        (Some(file), _) => take_in(&env.machine, ui, file)?,
        (None, Some(invite)) => (Session::of_release(&env.machine, ui, invite)?, Asked::default()),
        (None, None) => {
            let rulebook = arguments.rulebook.as_deref();
            (Session::open(&env.machine, ui, rulebook, arguments.thorough)?, Asked::default())
        }
    };
    let given = Asked { since: arguments.since.clone(), release: arguments.release.clone(), ..arguments.given.asked() };
    let asked = with_sent_client(given.or(sent), &mut session)?;
    let (diagnosis, evidence) = diagnose(&asked, &mut session)?;
    let looked_at: Vec<String> = evidence.looked_at.iter().map(words::looked_at).collect();
    let reply = arguments.reply.then(|| reply(&diagnosis, &evidence, env));
    match (env.format, reply) {
        (_, reply) if env.as_page => {
            ui.report(&render::page::diagnosis::html(&diagnosis, &looked_at, reply.as_deref(), env.now())?);
        }
        (Format::Json, reply) => ui.json(&as_data(&diagnosis, &looked_at, reply))?,
        (Format::Text, Some(reply)) => ui.report(&reply),
        (Format::Text, None) => {
            ui.report(&render::diagnose::text(&diagnosis, &looked_at));
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

/// A diagnosis as other programs read it.
pub fn as_data<'d>(diagnosis: &'d Diagnosis, looked_at: &'d [String], reply: Option<String>) -> Report<'d> {
    Report {
        format: "kanon-diagnosis/1",
        verdicts: &diagnosis.verdicts,
        unexplained: &diagnosis.unexplained,
        kept_out_by: diagnosis.kept_out_by,
        next: diagnosis.wanted.iter().map(|more| words::wanted(*more)).collect(),
        proposals: &diagnosis.proposals,
        reply,
        looked_at,
    }
}

/// A text for the player, with mods by what they are called in full.
fn reply(diagnosis: &Diagnosis, evidence: &Evidence, env: &Env) -> String {
    let titles = evidence.titles().collect();
    let has_client = evidence.client.is_some();
    let (follow, tongue) = (evidence.follow.as_deref(), &env.tongue);
    Reply { diagnosis, titles: &titles, follow, has_client, tongue }.text()
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
        Some(voice) => voice_words::tables(&voice).to_string(),
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
