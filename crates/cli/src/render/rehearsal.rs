//! Rehearsals, and the search for the mods that break one, as text.

use std::fmt::Write;

use kanon_core::base::ids::FoldedId;
use kanon_core::base::path::printable;
use kanon_core::base::suggestion::quoted;
use kanon_core::diagnose::isolate::{Ending, Search};

use super::{BAD, BOLD, FAINT, GOOD, count, folded, size, styled};
use kanon_app::rehearsing::Tried;

/// What starts came to.
pub fn text(install: &str, stages: &[Tried], (passed, recorded): (bool, bool)) -> String {
    let name = styled(BOLD, &printable(install));
    let head = if passed { styled(GOOD, "passed") } else { styled(BAD, "failed") };
    let mut out = format!("{head}: the rehearsal of {name}\n");
    for (number, tried) in stages.iter().enumerate() {
        let title = if stages.len() > 1 { format!("stage {}: ", number + 1) } else { String::new() };
        stage(&mut out, &title, tried);
    }
    out.push_str(match (passed, recorded) {
        (true, true) => "remembered: this canon has passed; kanon align on the real server knows it\n",
        (true, false) => "not remembered, since it is not in line with the canon: kanon check tells in what\n",
        (false, _) => "",
    });
    if !passed {
        out.push_str(&format!("which mod is to blame: kanon isolate {}\n", quoted(&printable(install))));
    }
    out
}

fn stage(out: &mut String, title: &str, tried: &Tried) {
    let loaded = match &tried.not_loaded {
        Some(missing) => format!(
            "{} of {} said that they were loaded",
            tried.mods.len() - missing.len(),
            count(tried.mods.len(), "mod")
        ),
        None => format!("{}; the rulebook has no pattern for a mod that is loaded", count(tried.mods.len(), "mod")),
    };
    let time = match (tried.ready, tried.settled) {
        (Some(ready), Some(settled)) if settled > ready + 0.05 => {
            format!("up after {ready:.1} s, and done loading after {settled:.1} s")
        }
        (Some(ready), _) => format!("up after {ready:.1} s"),
        (None, Some(settled)) if tried.by_quiet && tried.trouble.is_none() => {
            format!("quiet after {settled:.1} s, which has to do: the rulebook has no pattern for being up")
        }
        _ => "never up".to_owned(),
    };
    let verdict = if tried.passed { styled(GOOD, "passed") } else { styled(BAD, "failed") };
    let memory = match tried.memory {
        Some(memory) => format!("at most {} of memory", size(memory)),
        None => "over before its memory could be looked at".to_owned(),
    };
    let _ = writeln!(out, "\n  {title}{verdict} - {time}; {memory}");
    let _ = writeln!(out, "    {loaded}");
    if let Some(trouble) = &tried.trouble {
        out.push_str(&folded(trouble, "    "));
        if let Some(said) = tried.last_said.as_ref().filter(|said| !trouble.contains(said.as_str())) {
            out.push_str(&folded(&format!("the last it said: {said}"), "    "));
        }
    }
    if let Some(missing) = tried.not_loaded.as_ref().filter(|missing| !missing.is_empty()) {
        out.push_str(&folded(&format!("not loaded: {}", FoldedId::joined(missing, ", ")), "    "));
    }
    for verdict in &tried.verdicts {
        let subject = verdict.mod_id.as_ref().map(|id| printable(id.as_str())).unwrap_or_default();
        let _ = writeln!(
            out,
            "    {} {subject} - {:.0} % sure",
            styled(BAD, verdict.cause.as_str()),
            verdict.confidence * 100.0
        );
        for piece in verdict.evidence.iter().take(2) {
            out.push_str(&folded(&format!("{}: {}", piece.source, piece.text), "      "));
        }
    }
    if !tried.stopped_well {
        let _ =
            writeln!(out, "    {}", styled(FAINT, "it did not end when it was asked to; see to its `stop` command"));
    }
}

/// What a search came to, or what is to be tried next.
pub fn isolation(install: &str, search: &Search, next: Option<&[FoldedId]>, yes: bool) -> String {
    let starts = count(search.asked(), "start");
    match search.ending() {
        Some(Ending::AllStart) => {
            format!(
                "{}: {install} starts with all mods of the canon, by {starts}; nothing is to be found\n",
                styled(GOOD, "it starts")
            )
        }
        Some(Ending::NoneFails) => format!(
            "{}: {install} fails without any mod too, by {starts}: the mods are not to blame. Look at the game, its settings and its world\n",
            styled(BAD, "it fails")
        ),
        Some(Ending::Found { culprits, needed }) => {
            let names = |ids: &[FoldedId]| ids.iter().map(|id| printable(id.as_str())).collect::<Vec<_>>().join(", ");
            let found = styled(BAD, &names(culprits));
            let together = if culprits.len() > 1 {
                " together: without any one of them it starts"
            } else {
                ": without it, it starts"
            };
            let mut out = format!("{}: {found}{together}. {starts}\n", styled(BOLD, "found"));
            if !needed.is_empty() {
                let _ = writeln!(out, "with what that needs: {}", names(needed));
            }
            out.push_str(
                "do: kanon drop MOD, or another release of it with kanon take MOD@REQ; then seal and rehearse again\n",
            );
            out
        }
        None => {
            let mods = next.unwrap_or_default();
            let shown = if mods.is_empty() {
                "no mod".to_owned()
            } else {
                mods.iter().map(|id| printable(id.as_str())).collect::<Vec<_>>().join(", ")
            };
            let name = quoted(&printable(install));
            let mut out = format!("{}: {install} has now {}\n", styled(BOLD, "try this"), count(mods.len(), "mod"));
            out.push_str(&folded(&shown, "  "));
            let yes = if yes { " --yes" } else { "" };
            let _ = writeln!(
                out,
                "start it, and say what came of it:\n  kanon isolate {name} --ask --was good{yes}\n  kanon isolate {name} --ask --was bad{yes}"
            );
            let _ = writeln!(
                out,
                "{starts} so far; if one mod is to blame, {} at most",
                count(search.likely_left(), "start")
            );
            out
        }
    }
}
