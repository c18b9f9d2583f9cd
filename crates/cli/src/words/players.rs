//! What a player reads: mods by the names that people call them, and no word of the trade.

use std::collections::BTreeMap;
use std::fmt::Write;

use kanon_core::base::finding::Finding;
use kanon_core::base::ids::FoldedId;
use kanon_core::base::path::printable;
use kanon_core::canon::Canon;
use kanon_core::plan::reason::Reason;
use kanon_core::plan::{Action, Plan, Step};
use kanon_core::survey::Survey;

use super::steps;
use crate::render::check::findings;
use crate::render::{BOLD, CARE, FAINT, GONE, GOOD, cell, count, size, styled};

/// So many mods of one kind are told one by one.
const TOLD: usize = 30;

/// What happens to a mod; in the order in which it is told.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
enum Change {
    New,
    Other,
    Mended,
    Gone,
}

impl Change {
    const fn word(self) -> &'static str {
        match self {
            Self::New => "new",
            Self::Other => "changed",
            Self::Mended => "mended",
            Self::Gone => "taken off",
        }
    }
}

/// What a player's game needs, mod by mod, and what else is changed in it.
pub fn plan(game: &str, plan: &Plan, (canon, survey): (&Canon, Option<&Survey>)) -> String {
    let mut out = format!("{} needs this ({} to write):\n", styled(BOLD, game), size(plan.bytes()));
    let mut mods: BTreeMap<&FoldedId, Change> = BTreeMap::new();
    let mut besides: Vec<&Step> = Vec::new();
    for step in &plan.steps {
        let reason = step.reasons.iter().find(|reason| reason.mod_id().is_some());
        match reason.and_then(|reason| Some((reason.mod_id()?, change(step, reason)?))) {
            Some((id, change)) => {
                // A mod that comes in another release has its old files taken off, and is told once.
                let known = mods.entry(id).or_insert(change);
                *known = (*known).min(change);
            }
            None => besides.push(step),
        }
    }
    for wanted in [Change::New, Change::Other, Change::Mended, Change::Gone] {
        let of: Vec<&FoldedId> = mods.iter().filter(|(_, change)| **change == wanted).map(|(id, _)| *id).collect();
        for id in of.iter().take(TOLD) {
            let style = if wanted == Change::Gone { GONE } else { GOOD };
            let _ = writeln!(out, "  {} {}", styled(style, &cell(wanted.word(), 9)), named(id, wanted, canon, survey));
        }
        if of.len() > TOLD {
            let _ = writeln!(out, "  {} and {} more", cell("", 9), count(of.len() - TOLD, "mod"));
        }
    }
    for step in besides {
        let what = styled(FAINT, &format!("({})", printable(&steps::why(step))));
        let _ =
            writeln!(out, "  {} {} {what}", styled(CARE, &cell(verb(&step.action), 9)), printable(step.path.as_str()));
    }
    out
}

/// What following came to: `game` has what the server of that name wants, or not quite.
pub fn done(game: &str, server: &str, carried: Option<&str>, left: &[Finding]) -> String {
    let (game, server) = (styled(BOLD, &printable(game)), printable(server));
    let mut out = match (carried, left.is_empty()) {
        (Some(_), true) => format!("\n{}: {game} is in line with {server}\n", styled(GOOD, "done")),
        (Some(_), false) => format!("\n{}: all that can be done from here\n", styled(GOOD, "done")),
        (None, true) => format!("{game} is {} with {server}\n", styled(GOOD, "in line")),
        (None, false) => String::new(),
    };
    if let Some(undo) = carried {
        let _ = writeln!(out, "take it back with: {undo}");
    }
    if !left.is_empty() {
        let _ = writeln!(out, "{} in {game}, which kanon can't mend:", styled(CARE, "still off"));
        findings(&mut out, left);
    }
    out
}

fn change(step: &Step, reason: &Reason) -> Option<Change> {
    Some(match reason {
        Reason::Missing(_) | Reason::SomethingElse(_) => Change::New,
        Reason::OtherRelease { .. } | Reason::FurtherCopy(_) => Change::Other,
        Reason::OtherBytes(_) | Reason::NoPartOf(_) | Reason::OtherName(_) => Change::Mended,
        Reason::Extra { .. } | Reason::OtherLoader { .. } | Reason::LeftOver { .. } if step.action == Action::Park => {
            Change::Gone
        }
        _ => return None,
    })
}

const fn verb(action: &Action) -> &'static str {
    match action {
        Action::Park => "taken off",
        Action::Rename { .. } => "renamed",
        Action::Put { .. } => "new",
        Action::Replace { .. } => "changed",
        Action::BackUp => "kept",
    }
}

/// A mod as people call it, with its release, and the one that it has now.
fn named(id: &FoldedId, change: Change, canon: &Canon, survey: Option<&Survey>) -> String {
    let sealed = canon.mods.iter().find(|sealed| sealed.manifest.id == *id).map(|sealed| &sealed.manifest);
    let found = survey.into_iter().flat_map(|survey| &survey.mods).find(|found| found.manifest.id == *id);
    let manifest = sealed.or(found.map(|found| &found.manifest));
    let title = manifest.and_then(|manifest| manifest.title.as_deref()).unwrap_or(id.as_str());
    let version = |version: Option<&String>| version.map_or_else(String::new, |version| format!(" {version}"));
    let wanted = version(sealed.and_then(|manifest| manifest.version.as_ref()));
    let has = version(found.and_then(|found| found.manifest.version.as_ref()));
    printable(&match change {
        Change::Other if has != wanted => format!("{title}{has} ->{wanted}"),
        Change::Gone => format!("{title}{has}: the server does not have it"),
        _ => format!("{title}{wanted}"),
    })
}
