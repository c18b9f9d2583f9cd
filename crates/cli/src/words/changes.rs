//! What a watch tells: each change of state in a headline, with what is known of its cause and what to do.

use kanon_app::watching::change::{Change, NotMended, Touched, What};
use kanon_app::watching::outbox::{Told as Delivery, Way};
use kanon_core::base::finding::Code;
use kanon_core::base::ids::FoldedId;
use kanon_core::base::suggestion::Suggestion;
use kanon_core::diagnose::Verdict;
use serde::Serialize;

use crate::env::time_of_day;
use crate::failure::Failure;
use crate::render::{count, counted};
use crate::words::diagnosis::kept_out_by;

/// So many findings, files and verdicts are told in words.
const TOLD: usize = 6;

/// A change, ready to be told.
#[derive(Debug, Clone, Serialize)]
pub struct Told {
    /// `kanon-change/1`.
    pub format: &'static str,
    /// When it was noticed, as RFC 3339.
    pub at: String,
    /// What happened, as a word.
    pub kind: &'static str,
    /// Whether somebody should do something.
    pub bad: bool,
    /// What the set is called.
    pub canon: String,
    /// The install that it is about.
    pub install: Option<String>,
    /// What happened, in a line.
    pub title: String,
    /// What is known besides.
    pub details: Vec<String>,
    /// What to do: a command where it is one.
    #[serde(rename = "do")]
    pub advice: Option<String>,
    /// In what an install is off, where that is it.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub findings: Vec<kanon_app::looks::KeptFinding>,
    /// The files that were touched.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub touched: Vec<Touched>,
    /// Why a player was turned away.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub verdicts: Vec<Verdict>,
}

/// Finds the words for a change. `typed` stands before commands.
pub fn told(change: Change, canon: &str, typed: &[String]) -> Told {
    let (kind, bad) = (change.what.word(), change.what.is_bad());
    let at = jiff::Timestamp::from_second(change.at).map(|at| at.to_string()).unwrap_or_default();
    let mut told = Told {
        format: "kanon-change/1",
        at,
        kind,
        bad,
        canon: canon.to_owned(),
        install: change.install.clone(),
        title: String::new(),
        details: Vec::new(),
        advice: None,
        findings: Vec::new(),
        touched: Vec::new(),
        verdicts: Vec::new(),
    };
    let install = change.install.unwrap_or_default();
    let command = |words: Suggestion| Some(words.led_by(typed).to_string());
    match change.what {
        What::Began { installs, off, waiting } => {
            told.title = format!("watching {} from now on", count(installs, "install"));
            told.details = off.iter().map(|(name, number)| format!("{name} is off in {number}")).collect();
            if waiting > 0 {
                told.details.push(format!("{} of which there is a newer release", count(waiting, "mod")));
            }
            told.advice = (!off.is_empty()).then(|| command(Suggestion::new("check"))).flatten();
        }
        What::Off { findings, in_all, touched, by_canon, was_off } => {
            let more = if was_off { ", in more than before" } else { "" };
            told.title = format!("off the canon in {in_all}{more}");
            if by_canon {
                told.details.push("another canon counts since the last look".to_owned());
            }
            told.details.extend(listed(findings.iter().map(|finding| {
                let of = finding.mod_id.as_ref().map_or_else(String::new, |id| format!("{id} "));
                let found = finding.found.as_deref().filter(|_| finding.code != Code::ModMissing);
                let found = found.map_or_else(String::new, |found| format!(", found {found}"));
                format!("{of}{}: {}{found}", finding.code, finding.code.about())
            })));
            told.details.extend(listed(touched.iter().map(|file| {
                let when = file.modified.map_or_else(String::new, |at| format!(", changed {}", time_of_day(at)));
                let what = if file.is_gone { "gone" } else { "touched" };
                format!("{what}: {}{when}", file.path)
            })));
            told.advice = command(Suggestion::align(&install));
            (told.findings, told.touched) = (findings, touched);
        }
        What::Less { left } => {
            told.title = format!("off in less than before, still in {left}");
            told.advice = command(Suggestion::align(&install));
        }
        What::InLine => told.title = "in line again".to_owned(),
        What::Unreachable(error) => {
            told.title = "can't be looked at".to_owned();
            told.details.push(Failure::from(error).in_short());
        }
        What::Reachable => told.title = "can be looked at again".to_owned(),
        What::VersionChanged { of, from, to } => {
            let version = |version: Option<String>| version.unwrap_or_else(|| "none".to_owned());
            let of = if of == "game" { "the game" } else { of };
            told.title = format!("{of} was changed: {} -> {}", version(from), version(to));
            told.details.push("players need the same; mods may not fit any more".to_owned());
            told.advice = command(Suggestion::new("check").word(install.as_str()));
        }
        What::CutOff(id) => {
            told.title = format!("alignment {id} was cut off");
            told.advice = command(Suggestion::align(&install));
        }
        What::Sealed { mods } => {
            told.title = format!("another canon counts, with {}", count(mods, "mod"));
            told.advice = command(Suggestion::new("check"));
        }
        What::WishesChanged => {
            told.title = "kanon.toml asks for something else than was sealed".to_owned();
            told.advice = command(Suggestion::new("seal").word("--changes"));
        }
        What::Up { seconds } => {
            told.title = match seconds {
                Some(seconds) => format!("the server came up, after {}", span(seconds)),
                None => "the server is up".to_owned(),
            };
        }
        What::NotUp { seconds, said } => {
            told.title = format!("the server was started, and is not up after {}", span(seconds));
            told.details.extend(said.map(|said| format!("the last that it said: {said}")));
            told.advice = command(Suggestion::new("health").word(install.as_str()));
        }
        What::Ended(said) => {
            told.title = "the server ended unexpectedly".to_owned();
            told.details.push(said);
            told.advice = command(Suggestion::new("diagnose").word("--server").word(install.as_str()));
        }
        What::Loops(starts) => {
            told.title = format!("the server starts again and again: {starts} times within ten minutes");
            told.details.push("nothing more is told of its starts before it has stayed up for as long".to_owned());
            told.advice = command(Suggestion::new("diagnose").word("--server").word(install.as_str()));
        }
        What::Stopped => told.title = "the server does not run any more".to_owned(),
        What::Runs(sign) => {
            told.title = "the server runs".to_owned();
            told.details.push(sign);
        }
        What::OutOfMemory(said) => {
            told.title = "the server ran out of memory".to_owned();
            told.details.push(said);
            told.advice = command(Suggestion::new("health").word(install.as_str()));
        }
        What::Behind { lines, said, mods } => {
            told.title = format!("the server falls behind: {} since the last look", count(lines, "line"));
            if !mods.is_empty() {
                told.details.push(format!("named: {}", FoldedId::joined(&mods, ", ")));
            }
            told.details.push(said);
            told.advice = command(Suggestion::new("health").word(install.as_str()));
        }
        What::KeepsUp => told.title = "the server keeps up again".to_owned(),
        What::Refused { player, verdicts, kept_out_by: kept } => {
            let who = player.clone().unwrap_or_else(|| "somebody".to_owned());
            told.title = format!("{who} was turned away");
            if let Some(first) = verdicts.first() {
                let of = first.mod_id.as_ref().map_or_else(String::new, |id| format!("{id}: "));
                let side = first.side.map_or_else(String::new, |side| format!("; mend the {side}"));
                let sure = first.confidence * 100.0;
                told.details.push(format!("{of}{}, {sure:.0} % sure{side}", first.cause.about()));
                let does = first.remedy.first();
                told.advice = does.map(|does| does.command.as_ref().map_or(does.words.clone(), ToString::to_string));
            }
            if verdicts.len() > 1 {
                told.details.push(format!("and {} less likely", counted(verdicts.len() - 1, "cause", "causes")));
            }
            told.details.extend(kept.map(|kept| format!("the log speaks of {}", kept_out_by(kept))));
            if told.advice.is_none() {
                let words = Suggestion::new("diagnose").word("--server").word(install.as_str());
                told.advice =
                    command(player.iter().fold(words, |words, player| words.word("--player").word(player.as_str())));
            }
            told.verdicts = verdicts;
        }
        What::CameIn(player) => told.title = format!("{player} came in, who was turned away before"),
        What::ReleaseOut { mod_id, have, newest } => {
            let have = have.unwrap_or_else(|| "another".to_owned());
            told.title = format!("{mod_id} {newest} is out; the set has {have}");
            told.details.push("players who fetch mods themselves get it before the server has it".to_owned());
            told.advice = command(Suggestion::new("renew").word("--preview"));
        }
        What::SourceGone { name, why } => {
            told.title = format!("the source {name} can't be reached");
            told.details.push(why);
        }
        What::SourceBack(name) => told.title = format!("the source {name} can be reached again"),
        What::SignaturesEnd { number, ends, days } => {
            told.title = match days {
                ..1 => format!("the signatures of release {number} have ended: nobody can follow it any more"),
                _ => format!("the signatures of release {number} end on {}, in {}", day(ends), span(days * 86_400)),
            };
            told.advice = command(Suggestion::new("publish"));
        }
        What::SignedAnew { number, ends } => {
            told.title = format!("release {number} is signed until {}", day(ends));
        }
        What::ReleaseBroken(error) => {
            told.title = "players can't follow the release as it lies there".to_owned();
            told.details.push(Failure::from(error).in_short());
            told.advice = command(Suggestion::new("publish").word("--verify"));
        }
        What::ReleaseWhole => told.title = "players can follow the release again".to_owned(),
        What::Mended { alignment, steps } => {
            told.title = format!("mended by itself: {} put in place", count(steps, "file"));
            told.details.push(format!("alignment {alignment}; copies of what was there are kept"));
            told.advice = command(Suggestion::new("undo").word(install.as_str()));
        }
        What::NotMended(why) => {
            told.title = "not mended by itself".to_owned();
            told.details.push(not_mended(why));
            told.advice = command(Suggestion::align(&install).word("--preview"));
        }
        What::Stuck(error) => {
            told.title = "nothing can be looked at".to_owned();
            told.details.push(Failure::from(error).in_short());
        }
        What::GoesOn => told.title = "everything can be looked at again".to_owned(),
    }
    told
}

fn not_mended(why: NotMended) -> String {
    match why {
        NotMended::Decision(code) => format!("{code} is for somebody to decide: {}", code.about()),
        NotMended::MoreThanFiles => "it would take more than putting files in their place".to_owned(),
        NotMended::Running(sign) => format!("the game runs: {sign}"),
        NotMended::NoSign => {
            "the rulebook knows no sign of a running game, so that nothing tells whether it is stopped".to_owned()
        }
        NotMended::StaleCanon => "kanon.toml asks for something else than was sealed".to_owned(),
        NotMended::Failed(error) => Failure::from(error).in_short(),
    }
}

/// The first few, and how many there are besides.
fn listed(all: impl Iterator<Item = String>) -> Vec<String> {
    let all: Vec<String> = all.collect();
    let more = all.len().saturating_sub(TOLD);
    let mut told: Vec<String> = all.into_iter().take(TOLD).collect();
    if more > 0 {
        told.push(format!("and {more} more"));
    }
    told
}

fn span(seconds: i64) -> String {
    let of = |number: i64, what: &str| count(usize::try_from(number).unwrap_or(0), what);
    match seconds {
        ..120 => of(seconds, "second"),
        120..7_200 => of(seconds / 60, "minute"),
        7_200..172_800 => of(seconds / 3_600, "hour"),
        _ => of(seconds / 86_400, "day"),
    }
}

fn day(at: i64) -> String {
    time_of_day(at).chars().take(10).collect()
}

/// What became of telling others.
pub fn delivery(told: &Delivery) -> String {
    let way = |way: Way| match way {
        Way::Command => "the command of [watch]",
        Way::Hook => "the hook of [watch]",
    };
    match told {
        Delivery::NotTaken { way: of, why } => {
            format!("{} did not take what is told: {why}; it is kept and tried again, for three days", way(*of))
        }
        Delivery::TakenAgain(of) => format!("{} takes what is told again", way(*of)),
        Delivery::Dropped(number) => format!("{} could not be told to anybody, and dropped", count(*number, "change")),
    }
}
