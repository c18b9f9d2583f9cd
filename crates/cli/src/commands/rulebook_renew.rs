//! `kanon rulebook renew`: what has changed in a rulebook that somebody else keeps.

use kanon_app::rulebooks::{self, Renewal};
use kanon_core::base::path::printable;
use serde::Serialize;
use similar::{ChangeTag, TextDiff};

use crate::Outcome;
use crate::arguments::{Format, RulebookRenew};
use crate::asking::{Question, agreed};
use crate::env::Env;
use crate::failure::Failure;
use crate::render::{CARE, FAINT, GONE, GOOD, styled};
use crate::ui::Ui;

/// The first field of the report for programs.
const FORMAT: &str = "kanon-rulebook-renewal/1";
/// Lines around a change that are shown with it.
const AROUND: usize = 2;

/// What a new rulebook from the place that it came from would change.
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[derive(Serialize)]
pub struct Report<'r> {
    format: &'static str,
    at: &'r str,
    blake3: String,
    /// Whether what is there differs from what the workspace has.
    changed: bool,
    /// Whether the workspace's was changed since it was fetched.
    edited_here: bool,
    /// Whether it was taken over.
    renewed: bool,
}

pub fn run(arguments: &RulebookRenew, env: &Env, ui: &Ui) -> Result<Outcome, Failure> {
    let renewal = rulebooks::look(&env.machine)?;
    if env.format == Format::Text {
        ui.report(&shown(&renewal, &renewal.file));
    }
    let renewed = !renewal.is_nothing()
        && !arguments.preview
        && agreed(arguments.yes, env, ui, Question::or_look("Take it over?", "--preview"))?;
    if renewed {
        rulebooks::renew(&renewal)?;
    }
    match env.format {
        Format::Json => ui.json(&Report {
            format: FORMAT,
            at: &renewal.fetched.pin.at,
            blake3: renewal.fetched.pin.blake3.to_string(),
            changed: !renewal.is_nothing(),
            edited_here: renewal.is_edited,
            renewed,
        })?,
        Format::Text if renewed => ui.report(&format!(
            "{}: {} is the one that is there now\nnext: kanon check, then kanon seal if the canon is to be read by it\n",
            styled(GOOD, "done"),
            renewal.file
        )),
        Format::Text => {}
    }
    Ok(Outcome::of(renewal.is_nothing() || renewed))
}

fn shown(renewal: &Renewal, file: &str) -> String {
    let at = printable(&renewal.fetched.pin.at);
    if renewal.is_nothing() {
        return format!("nothing new: {file} is what is at {at}\n");
    }
    let mut out = format!("{at} has another text than {file}:\n");
    if renewal.is_edited {
        let edited = format!("{file} was changed here since it was fetched; what was changed would be gone");
        out.push_str(&format!("{}\n", styled(CARE, &edited)));
    }
    let diff = TextDiff::from_lines(&renewal.own, &renewal.fetched.text);
    for (number, group) in diff.grouped_ops(AROUND).iter().enumerate() {
        if number > 0 {
            out.push_str(&format!("{}\n", styled(FAINT, "  ...")));
        }
        for change in group.iter().flat_map(|change| diff.iter_changes(change)) {
            let line = printable(change.value().trim_end_matches(['\r', '\n']));
            out.push_str(&match change.tag() {
                ChangeTag::Delete => format!("  {}\n", styled(GONE, &format!("- {line}"))),
                ChangeTag::Insert => format!("  {}\n", styled(GOOD, &format!("+ {line}"))),
                ChangeTag::Equal => format!("    {line}\n"),
            });
        }
    }
    out
}
