//! What was learned from logs, in words, and as tables of a rulebook.

use std::fmt::Write;

use kanon_core::base::path::printable;
use kanon_core::diagnose::literal;
use kanon_core::learn::voice::{LearnedEvent, Sign, Voice};
use kanon_core::logs::Source;
use serde::Serialize;

use crate::render::{CARE, FAINT, count, counted, folded, styled, sureness};

/// What was learned from logs as programs read it.
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[derive(Serialize)]
pub struct ToldVoice {
    /// The patterns, in the order in which they are tried.
    events: Vec<ToldEvent>,
    /// The players that were found.
    players: Vec<String>,
    /// Lines about mods of which it could not be told what they mean.
    unknown: Vec<String>,
}

#[cfg_attr(test, derive(schemars::JsonSchema))]
#[derive(Serialize)]
struct ToldEvent {
    means: &'static str,
    #[serde(rename = "in")]
    log: &'static str,
    line: String,
    #[serde(skip_serializing_if = "Option::is_none")]
    then: Option<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    between: Option<&'static str>,
    confidence: f64,
    evidence: Vec<String>,
    lines: usize,
    example: String,
}

impl From<&Voice> for ToldVoice {
    fn from(voice: &Voice) -> Self {
        let told = voice.events.iter().map(|event| ToldEvent {
            means: event.means.word(),
            log: Source::log_of(event.side).as_str(),
            line: event.line.clone(),
            then: event.then.clone(),
            between: event.between,
            confidence: event.confidence,
            evidence: event.signs.iter().copied().map(sign).collect(),
            lines: event.lines,
            example: event.example.clone(),
        });
        Self {
            events: told.collect(),
            players: voice.players.iter().cloned().collect(),
            unknown: voice.unknown.clone(),
        }
    }
}

fn sign(sign: Sign) -> String {
    match sign {
        Sign::Words => "its words say so".to_owned(),
        Sign::Header => "the line above says so".to_owned(),
        Sign::TwoVersions => "two versions stand behind a name".to_owned(),
        Sign::TwoDigests => "two digests stand behind a name".to_owned(),
        Sign::OneSideHasNone => "one side has a version and the other has none".to_owned(),
        Sign::Measured => "it names mods that just one side has".to_owned(),
        Sign::NamesMost { mods } => format!("it names {} before anybody joins", count(mods, "mod")),
        Sign::OddOneOut => "of the other mods it is said in another word, and that far more often".to_owned(),
        Sign::ComesFirst { joins } => format!("the lines of players begin with it, {}", count(joins, "time")),
        Sign::ComesLast { joins, with_mods } => {
            format!("{} end with it, {with_mods} of them with lines about mods", counted(joins, "try", "tries"))
        }
        Sign::OncePerStart => "it stands once in each log, before anybody joins".to_owned(),
        Sign::NobodyHere => "the server has none of the mods that it names".to_owned(),
        Sign::OurVersion => "the version in it is the server's".to_owned(),
        Sign::OtherVersion => "the version in it is not the server's".to_owned(),
        Sign::NeverWhenWell => "no join that went well has such a line".to_owned(),
    }
}

/// The patterns as tables of a rulebook, each with what speaks for it above it.
pub fn tables(voice: &Voice) -> String {
    let mut out = String::new();
    if !voice.events.is_empty() {
        out.push_str("\n# From logs, by kanon learn. The first pattern that fits a line counts.\n");
    }
    for event in &voice.events {
        out.push_str(&table(event));
    }
    for example in &voice.unknown {
        let _ = writeln!(out, "# LOOK AT THIS: what does this line mean? {}", printable(example));
    }
    out
}

fn table(event: &LearnedEvent) -> String {
    let mark = if event.confidence < 0.65 { "LOOK AT THIS: " } else { "" };
    let signs: Vec<String> = event.signs.iter().copied().map(sign).collect();
    let lines = count(event.lines, "line");
    let sure = event.confidence * 100.0;
    let mut out = format!("\n# {mark}{lines}, such as: {}\n", printable(&event.example));
    let _ = writeln!(out, "# {} (sure to {sure:.0} %)", signs.join("; "));
    let _ = writeln!(
        out,
        "[[event]]\nmeans = \"{}\"\nin = \"{}\"",
        event.means.word(),
        Source::log_of(event.side).as_str()
    );
    let _ = writeln!(out, "line = {}", literal(&event.line));
    if let Some(then) = &event.then {
        let _ = writeln!(out, "then = {}", literal(then));
    }
    if let Some(between) = event.between.filter(|between| *between != ",") {
        let _ = writeln!(out, "between = \"{between}\"");
    }
    out
}

/// What was learned, for somebody who reads it on a terminal.
pub fn text(voice: &Voice) -> String {
    let mut out = format!("\n{}\n", styled(FAINT, "  sure   what lines of the logs mean"));
    for event in &voice.events {
        let sure = sureness(event.confidence);
        let _ = writeln!(out, "  {sure}  {}: {}", event.means.word(), count(event.lines, "line"));
        let example: String = printable(&event.example).chars().take(120).collect();
        out.push_str(&folded(&format!("such as: {example}"), "           "));
    }
    if voice.events.is_empty() {
        out.push_str("         nothing was found that could be told\n");
    }
    if !voice.unknown.is_empty() {
        let _ = writeln!(out, "{}", styled(CARE, "Of these lines about mods it could not be told what they mean:"));
        for example in &voice.unknown {
            out.push_str(&folded(&format!("- {}", printable(example)), "  "));
        }
    }
    out
}
