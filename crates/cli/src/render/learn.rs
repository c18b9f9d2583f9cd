//! What learning came to, as text: what was found first, then what to look at, then what to do.

use std::fmt::Write;
use std::path::Path;

use kanon_app::drafting::Tried;
use kanon_core::base::path::printable;
use kanon_core::learn::Draft;
use kanon_core::learn::proof::Proof;
use kanon_core::learn::voice::Voice;

use super::{BAD, BOLD, CARE, FAINT, GOOD, count, counted, folded, styled, sureness};
use crate::words::proof as words;

/// How many mods that are lacking something are named.
const NAMED: usize = 8;

/// The report; `file` is where the draft was written.
pub fn text(draft: &Draft, (tried, proof): (&[Tried], &Proof), voice: Option<&Voice>, file: Option<&Path>) -> String {
    let mut out = String::new();
    if tried.is_empty() {
        let _ = writeln!(out, "{}: no folder was found that holds mods", styled(BAD, "nothing learned"));
    }
    for tried in tried {
        one(&mut out, tried, proof.doubts.is_empty());
    }
    if !tried.is_empty() {
        doubts(&mut out, proof);
    }
    facts(&mut out, draft);
    questions(&mut out, draft);
    out.push_str(&voice.map(crate::words::voice::text).unwrap_or_default());
    if let Some(file) = file {
        let name = file.display().to_string();
        let folder = tried.first().map_or("FOLDER", |tried| tried.name.as_str());
        let _ = writeln!(out, "\nthe draft is in {}", styled(BOLD, &name));
        let _ = writeln!(out, "next: read it, then kanon rulebook check {name} --against {}", printable(folder));
    }
    out
}

fn one(out: &mut String, tried: &Tried, holds: bool) {
    if tried.mods == 0 && tried.unidentified.is_empty() {
        let _ = writeln!(out, "{}, a {}: no mods, by the draft", styled(BOLD, &printable(&tried.name)), tried.role);
        return;
    }
    let all = tried.mods == tried.identified && tried.unidentified.is_empty() && tried.mods > 0;
    let mods = count(tried.mods, "mod");
    let word = match (all, tried.identified == tried.mods) {
        (true, _) if holds => format!("{} - {mods} by the draft", styled(GOOD, "all identified")),
        (true, _) => format!("{mods} by the draft"),
        (_, true) => format!(
            "{mods} by the draft, {}",
            styled(CARE, &format!("and {} beside them not identified", count(tried.unidentified.len(), "thing")))
        ),
        (_, false) => format!("{} by the draft", styled(CARE, &format!("{} of {mods} identified", tried.identified))),
    };
    let _ = writeln!(out, "{}, a {}: {word}", styled(BOLD, &printable(&tried.name)), tried.role);
    for list in &tried.lists {
        let said = match &list.problem {
            Some(problem) => format!("can't be read: {problem}"),
            None => {
                format!("{} of {} name mods", list.known, counted(list.entries, "entry", "entries"))
            }
        };
        let _ = writeln!(out, "  {}: {}", printable(&list.name), printable(&said));
    }
    for lacking in tried.unidentified.iter().take(NAMED) {
        let _ = writeln!(out, "  {}", printable(&lacking.path));
        out.push_str(&folded(&lacking.why, "      "));
    }
    if tried.unidentified.len() > NAMED {
        let _ = writeln!(out, "  and {} more", tried.unidentified.len() - NAMED);
    }
}

/// What speaks against the draft, since the installs that it was made of are healthy.
fn doubts(out: &mut String, proof: &Proof) {
    if proof.doubts.is_empty() {
        let _ = writeln!(
            out,
            "{}: adopted, sealed, checked and planned for by this draft, nothing is off and nothing would be changed",
            styled(GOOD, "tried")
        );
    } else {
        let _ = writeln!(out, "\n{}", styled(CARE, "By this draft, what you gave it would not be in order:"));
    }
    for doubt in &proof.doubts {
        out.push_str(&folded(&format!("- {}", words::text(doubt)), "  "));
        out.push_str(&folded(&format!("look: {}", words::look_at(doubt)), "      "));
    }
    if proof.further > 0 {
        let _ = writeln!(out, "  {}", words::further(proof.further));
    }
    if !proof.left_alone.is_empty() {
        let _ = writeln!(out, "{}", styled(FAINT, "left alone:"));
        for left in proof.left_alone.iter().take(NAMED) {
            out.push_str(&folded(&printable(&words::left_over(left)), "  "));
        }
    }
}

fn facts(out: &mut String, draft: &Draft) {
    let _ = writeln!(out, "\n{}", styled(FAINT, "  sure   what was inferred"));
    for fact in &draft.facts {
        if fact.evidence.is_empty() {
            continue;
        }
        let sure = sureness(fact.confidence);
        let line = format!("{} = {}", printable(&fact.about), printable(&fact.value.replace('\n', " ")));
        let cut: String = line.chars().take(88).collect();
        let mark = if cut.len() < line.len() { "~" } else { "" };
        let _ = writeln!(out, "  {sure}  {cut}{mark}");
    }
}

fn questions(out: &mut String, draft: &Draft) {
    if draft.open_questions.is_empty() {
        return;
    }
    let _ = writeln!(out, "\n{}", styled(CARE, "Could not be told; the draft marks the lines:"));
    for question in &draft.open_questions {
        out.push_str(&folded(&format!("- {question}"), "  "));
    }
}
