//! Verdicts as text: the cause, the side to mend, how sure, the evidence, what to do.

use std::fmt::Write;

use kanon_core::diagnose::{Diagnosis, Evidence, Verdict};
use kanon_core::path::printable;

use super::{BAD, BOLD, CARE, GOOD, count, folded, styled};

/// A diagnosis as text; `looked_at` names what there was to go by.
pub fn text(diagnosis: &Diagnosis, looked_at: &[String]) -> String {
    let mut out = match (diagnosis.verdicts.len(), diagnosis.unexplained.is_empty()) {
        (0, true) => format!("{}: no cause found\n", styled(GOOD, "nothing found")),
        (0, false) => format!("{}: no cause found\n", styled(CARE, "unexplained")),
        (n, _) => format!("{}, most likely first\n", styled(BAD, &count(n, "verdict"))),
    };
    out.push_str(&folded(&format!("looked at: {}", looked_at.join(", ")), ""));
    for (number, found) in diagnosis.verdicts.iter().enumerate() {
        out.push('\n');
        verdict(&mut out, number + 1, found);
    }
    if !diagnosis.unexplained.is_empty() {
        let _ = writeln!(out, "\n{}", styled(CARE, "The log tells of a refusal that nothing here explains:"));
        diagnosis.unexplained.iter().for_each(|piece| evidence(&mut out, piece));
        out.push_str("  do: send a survey of both sides (kanon survey INSTALL -o FILE) and the client's log\n");
    }
    out
}

fn verdict(out: &mut String, number: usize, verdict: &Verdict) {
    let subject = verdict.mod_id.as_ref().map_or_else(String::new, |id| format!(" {}", styled(BOLD, &printable(id))));
    let side =
        verdict.side.map_or_else(|| "which side is off is not known".to_owned(), |side| format!("mend the {side}"));
    let _ = writeln!(out, "{number}. {}{subject} - {side}", styled(BAD, verdict.cause.as_str()));
    let _ = writeln!(out, "   {} sure, by {}", percent(verdict.confidence), verdict.confirmed_by.join(" and "));
    verdict.evidence.iter().for_each(|piece| evidence(out, piece));
    for remedy in &verdict.remedy {
        let command =
            remedy.command.as_ref().map_or_else(String::new, |command| format!("{command}  ({})", remedy.who));
        if command.is_empty() {
            out.push_str(&folded(&format!("do: {} ({})", remedy.words, remedy.who), "   "));
        } else {
            let _ = writeln!(out, "   do: {command}");
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
