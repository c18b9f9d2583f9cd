//! Verdicts as a page to send to somebody.

use askama::Template;
use kanon_core::base::finding::Code;
use kanon_core::diagnose::{Diagnosis, Evidence, Verdict};

use super::{filters, page};
use crate::env::time_of_day;
use crate::failure::Failure;
use crate::words::diagnosis::{kept_out_by, wanted};

#[derive(Template)]
#[template(path = "page/diagnosis.html")]
struct Page<'a> {
    when: String,
    looked_at: String,
    kept_out: Option<String>,
    verdicts: Vec<VerdictRow>,
    unexplained: Vec<(String, String)>,
    next: Vec<String>,
    reply: Option<&'a str>,
}

struct VerdictRow {
    headline: String,
    tone: &'static str,
    sure: String,
    by: String,
    code: Code,
    about: &'static str,
    evidence: Vec<(String, String)>,
    remedy: Vec<(String, String, Option<String>)>,
}

/// The page; `now` in seconds since 1970.
pub fn html(diagnosis: &Diagnosis, looked_at: &[String], reply: Option<&str>, now: i64) -> Result<String, Failure> {
    page(&Page {
        when: time_of_day(now),
        looked_at: looked_at.join(", "),
        kept_out: diagnosis
            .kept_out_by
            .map(|what| format!("Its words speak of {} rather than of mods.", kept_out_by(what))),
        verdicts: diagnosis.verdicts.iter().map(told).collect(),
        unexplained: diagnosis.unexplained.iter().map(piece).collect(),
        next: diagnosis.wanted.iter().map(|more| wanted(*more)).collect(),
        reply,
    })
}

fn told(verdict: &Verdict) -> VerdictRow {
    let subject = verdict.mod_id.as_ref().map_or_else(String::new, |id| format!("{id}: "));
    let side =
        verdict.side.map_or_else(|| "which side is off is not known".to_owned(), |side| format!("mend the {side}"));
    VerdictRow {
        headline: format!("{subject}{} - {side}", verdict.cause.about()),
        tone: if verdict.is_sure() { "bad" } else { "care" },
        sure: format!("{:.0} %", verdict.confidence * 100.0),
        by: verdict.confirmed_by.join(" and "),
        code: verdict.cause,
        about: verdict.cause.about(),
        evidence: verdict.evidence.iter().map(piece).collect(),
        remedy: verdict
            .remedy
            .iter()
            .map(|does| (does.who.to_string(), does.words.to_string(), does.command.as_ref().map(ToString::to_string)))
            .collect(),
    }
}

fn piece(evidence: &Evidence) -> (String, String) {
    let place = evidence.line.map_or_else(String::new, |line| format!(" line {line}"));
    (format!("{}{place}", evidence.source), evidence.text.to_string())
}
