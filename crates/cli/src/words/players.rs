//! What a player reads: mods by the names that people call them, and no word of the trade.

use std::collections::BTreeMap;
use std::fmt::Write;

use anstyle::Style;
use kanon_core::base::finding::Finding;
use kanon_core::base::ids::FoldedId;
use kanon_core::base::path::printable;
use kanon_core::canon::Canon;
use kanon_core::plan::reason::Reason;
use kanon_core::plan::{Action, Plan, Step};
use kanon_core::survey::Survey;
use unicode_width::UnicodeWidthStr;

use super::steps;
use super::tongue::{Tongue, at};
use crate::render::check::findings;
use crate::render::{BOLD, CARE, FAINT, GONE, GOOD, cell, size, styled};

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
            Self::New => "change-new",
            Self::Other => "change-other",
            Self::Mended => "change-mended",
            Self::Gone => "change-gone",
        }
    }
}

/// What a player's game needs, mod by mod, and what else is changed in it.
pub fn plan(tongue: &Tongue, game: &str, plan: &Plan, (canon, survey): (&Canon, &Survey)) -> String {
    let needs = tongue.with("plan", [at("game", styled(BOLD, game)), at("size", size(plan.bytes()))]);
    let mut out = format!("{needs}\n");
    let words = ["change-new", "change-other", "change-mended", "change-gone", "change-renamed", "change-kept"];
    let width = words.iter().map(|word| tongue.say(word).width()).max().unwrap_or(0);
    let cell = |word: &str| cell(&if word.is_empty() { String::new() } else { tongue.say(word) }, width);
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
            let mut named = named(id, wanted, canon, survey);
            if wanted == Change::Gone {
                named = format!("{named}: {}", tongue.say("not-on-server"));
            }
            let _ = writeln!(out, "  {} {named}", styled(style, &cell(wanted.word())));
        }
        if of.len() > TOLD {
            let more = tongue.with("more-mods", [at("count", of.len() - TOLD)]);
            let _ = writeln!(out, "  {} {more}", cell(""));
        }
    }
    for step in besides {
        let what = styled(FAINT, &format!("({})", printable(&steps::why(step))));
        let _ = writeln!(out, "  {} {} {what}", styled(CARE, &cell(verb(&step.action))), printable(step.path.as_str()));
    }
    out
}

/// What following came to: `game` has what the server of that name wants, or not quite.
pub fn done(tongue: &Tongue, (game, server): (&str, &str), has_carried: bool, left: &[Finding]) -> String {
    let (game, server) = (styled(BOLD, &printable(game)), printable(server));
    let said = |message: &str, (style, word): (Style, &str)| {
        let word = styled(style, &tongue.say(word));
        tongue.with(message, [at("word", word), at("game", game.as_str()), at("server", server.as_str())])
    };
    let mut out = match (has_carried, left.is_empty()) {
        (true, true) => format!("\n{}\n", said("done", (GOOD, "word-done"))),
        (true, false) => format!("\n{}\n", said("done-partly", (GOOD, "word-done"))),
        (false, true) => format!("{}\n", said("in-line", (GOOD, "word-in-line"))),
        (false, false) => String::new(),
    };
    if !left.is_empty() {
        let _ = writeln!(out, "{}", said("still-off", (CARE, "word-still-off")));
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
        Action::Park => "change-gone",
        Action::Rename { .. } => "change-renamed",
        Action::Put { .. } => "change-new",
        Action::Replace { .. } => "change-other",
        Action::BackUp => "change-kept",
    }
}

/// A mod as people call it, with its release, and the one that it has now.
fn named(id: &FoldedId, change: Change, canon: &Canon, survey: &Survey) -> String {
    let sealed = canon.mods.iter().find(|sealed| sealed.manifest.id == *id).map(|sealed| &sealed.manifest);
    let found = survey.mods.iter().find(|found| found.manifest.id == *id);
    let manifest = sealed.or(found.map(|found| &found.manifest));
    let title = manifest.and_then(|manifest| manifest.title.as_deref()).unwrap_or(id.as_str());
    let version = |version: Option<&String>| version.map_or_else(String::new, |version| format!(" {version}"));
    let wanted = version(sealed.and_then(|manifest| manifest.version.as_ref()));
    let has = version(found.and_then(|found| found.manifest.version.as_ref()));
    printable(&match change {
        Change::Other if has != wanted => format!("{title}{has} ->{wanted}"),
        Change::Gone => format!("{title}{has}"),
        _ => format!("{title}{wanted}"),
    })
}
