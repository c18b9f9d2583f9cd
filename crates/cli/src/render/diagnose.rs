//! Verdicts as text: the cause, the side to mend, how sure, the evidence, what to do.

use std::fmt::Write;

use kanon_core::base::path::printable;
use kanon_core::diagnose::{Diagnosis, Evidence, Verdict};

use crate::words::diagnosis::wanted;

use super::{BAD, BOLD, CARE, FAINT, GOOD, count, folded, styled};

/// So many verdicts are told at length; of more, and of later ones that are less sure than this, the first line each.
const AT_LENGTH: usize = 6;
const HARDLY: f64 = 0.3;
/// So many pieces of evidence are told of one verdict.
const PIECES: usize = 6;

/// A diagnosis as text; `looked_at` names what there was to go by.
pub fn text(diagnosis: &Diagnosis, looked_at: &[String]) -> String {
    let mut out = match (diagnosis.verdicts.len(), diagnosis.unexplained.is_empty()) {
        (0, true) => format!("{}: no cause found\n", styled(GOOD, "nothing found")),
        (0, false) => format!("{}: no cause found\n", styled(CARE, "unexplained")),
        (n, _) => format!("{}, most likely first\n", styled(BAD, &count(n, "verdict"))),
    };
    out.push_str(&folded(&format!("looked at: {}", looked_at.join(", ")), ""));
    let hardly = diagnosis.verdicts.iter().skip(1).position(|found| found.confidence < HARDLY);
    let at_length = hardly.map_or(AT_LENGTH, |place| (place + 1).min(AT_LENGTH));
    for (at, found) in diagnosis.verdicts.iter().enumerate() {
        match at {
            _ if at < at_length => verdict(&mut out, at + 1, found),
            _ => {
                if at == at_length {
                    out.push_str("\nless likely; told in full by --format json:\n");
                }
                let _ = writeln!(out, "{}; {}", headline(at + 1, found), sureness(found));
            }
        }
    }
    if !diagnosis.unexplained.is_empty() {
        let _ = writeln!(out, "\n{}", styled(CARE, "This tells of a failure that nothing here explains:"));
        diagnosis.unexplained.iter().for_each(|piece| evidence(&mut out, piece));
    }
    let is_for_player =
        |found: &Verdict| found.confidence >= 0.5 && found.remedy.iter().any(|does| does.who == "player");
    if diagnosis.verdicts.iter().any(is_for_player) {
        let _ = writeln!(out, "\n{}", styled(FAINT, "In plain words, to send to the player: the same with --reply"));
    }
    if !diagnosis.wanted.is_empty() {
        let _ = writeln!(out, "\n{}", styled(FAINT, "What would tell more:"));
        diagnosis.wanted.iter().for_each(|more| out.push_str(&folded(&wanted(*more), "   ")));
    }
    if !diagnosis.proposals.is_empty() {
        out.push_str(
            "\nThe rulebook has no pattern for such lines. These would know them; look at each before you add it:\n",
        );
        for line in diagnosis.proposals.iter().flat_map(|proposal| proposal.lines().chain([""])) {
            let _ =
                writeln!(out, "{}", if line.is_empty() { String::new() } else { format!("   {}", printable(line)) });
        }
    }
    out
}

/// What it is, of what, and whom to mend.
fn headline(number: usize, verdict: &Verdict) -> String {
    let subject =
        verdict.mod_id.as_ref().map_or_else(String::new, |id| format!(" {}", styled(BOLD, &printable(id.as_str()))));
    let side =
        verdict.side.map_or_else(|| "which side is off is not known".to_owned(), |side| format!("mend the {side}"));
    format!("{number}. {}{subject} - {side}", styled(BAD, verdict.cause.as_str()))
}

fn sureness(verdict: &Verdict) -> String {
    format!("{} sure, by {}", percent(verdict.confidence), verdict.confirmed_by.join(" and "))
}

fn verdict(out: &mut String, number: usize, verdict: &Verdict) {
    let _ = writeln!(out, "\n{}\n   {}", headline(number, verdict), sureness(verdict));
    verdict.evidence.iter().take(PIECES).for_each(|piece| evidence(out, piece));
    if verdict.evidence.len() > PIECES {
        let _ = writeln!(out, "   ... and {} more", count(verdict.evidence.len() - PIECES, "line"));
    }
    for remedy in &verdict.remedy {
        match &remedy.command {
            Some(command) => {
                let _ = writeln!(out, "   do: {command}  ({})", remedy.who);
            }
            None => out.push_str(&folded(&format!("do: {} ({})", remedy.words, remedy.who), "   ")),
        }
    }
}

fn evidence(out: &mut String, evidence: &Evidence) {
    let place = evidence.line.map_or_else(String::new, |line| format!(" line {line}"));
    out.push_str(&folded(&format!("{}{place}: {}", evidence.source, evidence.text), "   "));
}

/// Confidence in words that don't claim more than it is.
fn percent(confidence: f64) -> String {
    format!("{:.0} %", confidence * 100.0)
}
