//! `kanon status`: one screen of how things stand, from what is known.

use std::fmt::Write;

use kanon_app::session::Session;
use kanon_app::status::{InstallStatus, LastLook, Next, Status, Why, status};
use kanon_core::base::path::printable;
use serde::Serialize;

use crate::Outcome;
use crate::arguments::Format;
use crate::env::{Env, time_of_day};
use crate::failure::Failure;
use crate::render::{BAD, BOLD, CARE, FAINT, GOOD, cell, count, size, styled};
use crate::ui::Ui;
use crate::words::standing::because;

/// So many installs are told one by one.
const INSTALLS: usize = 40;

#[cfg_attr(test, derive(schemars::JsonSchema))]
#[derive(Serialize)]
pub struct Report<'a> {
    format: &'static str,
    #[serde(flatten)]
    status: &'a Status,
}

pub fn run(env: &Env, ui: &Ui) -> Result<Outcome, Failure> {
    let session = Session::in_workspace(&env.machine, ui, false)?;
    let status = status(&session)?;
    match env.format {
        Format::Json => ui.json(&Report { format: "kanon-status/1", status: &status })?,
        Format::Text => ui.report(&text(&status)),
    }
    Ok(Outcome::of(status.next.iter().all(|next| next.why == Why::Updates)))
}

fn text(status: &Status) -> String {
    let mut out = format!("{} ({})\n\n", styled(BOLD, &printable(&status.name)), printable(&status.game));
    let _ = writeln!(out, "  canon     {}", canon(status));
    for (at, install) in status.installs.iter().take(INSTALLS).enumerate() {
        let title = if at == 0 { "installs" } else { "" };
        let name = cell(&printable(&install.name), 16);
        let _ = writeln!(out, "  {title:<8}  {name} {:<6}  {}", install.role, known(install));
    }
    if status.installs.len() > INSTALLS {
        let _ = writeln!(out, "            ... and {} more", status.installs.len() - INSTALLS);
    }
    if let Some(release) = &status.release {
        let behind = if release.is_behind { styled(CARE, "; the canon is another one by now") } else { String::new() };
        let ends = format!("signatures end on {}, in {}", release.ends, count(days(release.days), "day"));
        let _ = writeln!(out, "  release   number {}; {ends}{behind}", release.number);
    }
    if let Some(updates) = &status.updates {
        let found = match updates.mods {
            0 => "none".to_owned(),
            mods => format!("{} could be renewed", count(mods, "mod")),
        };
        let _ = writeln!(out, "  updates   {found} {}", styled(FAINT, &looked(updates.at)));
    }
    let _ = writeln!(out, "  kept      {}", styled(FAINT, &kept(status)));
    out.push('\n');
    if status.next.is_empty() {
        let _ = writeln!(out, "{}", styled(GOOD, "nothing to do"));
    }
    let width = status.next.iter().map(|next| next.command.to_string().chars().count()).max().unwrap_or(0).min(60);
    for (at, Next { why, command }) in status.next.iter().enumerate() {
        let lead = if at == 0 { "next:" } else { "then:" };
        let command = cell(&command.to_string(), width);
        let _ = writeln!(out, "{lead} {command}  {}", styled(FAINT, because(*why)));
    }
    out
}

fn canon(status: &Status) -> String {
    let Some(canon) = &status.canon else {
        return styled(CARE, &format!("none sealed; kanon.toml asks for {}", count(status.wished, "mod")));
    };
    let sealed = canon.sealed.map_or_else(String::new, |at| format!(", sealed {}", time_of_day(at)));
    let rehearsed = if canon.rehearsed { ", rehearsed" } else { "" };
    let stale = match (canon.is_stale, canon.is_of_other_rulebook) {
        (true, _) => styled(CARE, "; kanon.toml was changed since"),
        (false, true) => styled(CARE, "; the rulebook was changed since"),
        (false, false) => String::new(),
    };
    format!("{}{sealed}{rehearsed}{stale}", count(canon.mods, "mod"))
}

/// What the workspace keeps for itself, the largest first.
fn kept(status: &Status) -> String {
    let whole: u64 = status.kept.values().map(|part| part.bytes).sum();
    let mut parts: Vec<(&str, u64)> = status.kept.iter().map(|(what, part)| (*what, part.bytes)).collect();
    parts.retain(|(what, _)| *what != "rest");
    parts.sort_by_key(|(what, bytes)| (std::cmp::Reverse(*bytes), *what));
    let told: Vec<String> = parts.iter().map(|(what, bytes)| format!("{what} {}", size(*bytes))).collect();
    let of = if told.is_empty() { String::new() } else { format!(": {}", told.join(", ")) };
    format!("{} in .kanon{of}", size(whole))
}

fn known(install: &InstallStatus) -> String {
    if install.is_cut_off {
        return styled(BAD, "its alignment was cut off");
    }
    match &install.held {
        None => styled(FAINT, "not looked at since the canon was sealed"),
        Some(LastLook { at, blocking: 0, risky: 0, .. }) => {
            format!("{} {}", styled(GOOD, "in line"), styled(FAINT, &looked(*at)))
        }
        Some(LastLook { at, blocking, risky, .. }) => {
            let of = |number: usize, what: &str| (number > 0).then(|| format!("{number} {what}"));
            let found: Vec<String> = [of(*blocking, "blocking"), of(*risky, "risky")].into_iter().flatten().collect();
            format!("{}, {} {}", styled(BAD, "off"), found.join(", "), styled(FAINT, &looked(*at)))
        }
    }
}

fn looked(at: i64) -> String {
    format!("(looked at {})", time_of_day(at))
}

fn days(days: i64) -> usize {
    usize::try_from(days).unwrap_or(0)
}
