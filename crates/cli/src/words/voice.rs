//! What was learned from logs, in words, and as tables of a rulebook.

use std::fmt::Write;

use kanon_core::base::path::printable;
use kanon_core::diagnose::event;
use kanon_core::learn::voice::{LearnedEvent, Sign, Voice};
use kanon_core::logs::Source;
use kanon_core::text::page::Page;
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
pub fn tables(voice: &Voice) -> Page {
    let mut page = Page::default();
    if !voice.events.is_empty() {
        page.gap();
        page.comment("From logs, by kanon learn. The first pattern that fits a line counts.");
    }
    for event in &voice.events {
        table(&mut page, event);
    }
    for example in &voice.unknown {
        page.comment(&format!("LOOK AT THIS: what does this line mean? {example}"));
    }
    page
}

fn table(page: &mut Page, learned: &LearnedEvent) {
    let mark = if learned.confidence < 0.65 { "LOOK AT THIS: " } else { "" };
    let signs: Vec<String> = learned.signs.iter().copied().map(sign).collect();
    page.gap();
    page.comment(&format!("{mark}{}, such as: {}", count(learned.lines, "line"), learned.example));
    page.comment(&format!("{} (sure to {:.0} %)", signs.join("; "), learned.confidence * 100.0));
    let meant = (learned.means.word(), Source::log_of(learned.side));
    event(page, meant, &learned.line, (learned.then.as_deref(), learned.between));
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
