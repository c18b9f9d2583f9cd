//! What a watch tells: each change of state in a headline, with what is known of its cause and what to do.

use kanon_app::looks::KeptFinding;
use kanon_app::watching::change::{Change, NotMended, Touched, What};
use kanon_app::watching::outbox::{Delivery, Way};
use kanon_core::base::finding::Code;
use kanon_core::base::ids::FoldedId;
use kanon_core::base::names::{InstallName, PlayerName};
use kanon_core::base::suggestion::Suggestion;
use kanon_core::diagnose::Verdict;
use kanon_core::logs::KeptOutBy;
use serde::Serialize;

use crate::env::time_of_day;
use crate::failure::Failure;
use crate::render::{count, counted};
use crate::words::diagnosis::kept_out_by;

/// So many findings, files and verdicts are told in words.
const TOLD: usize = 6;

/// A change, ready to be told.
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[derive(Debug, Clone, Serialize)]
pub struct ChangeReport {
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
    pub install: Option<InstallName>,
    /// What happened, in a line.
    pub title: String,
    /// What is known besides.
    pub details: Vec<String>,
    /// What to do: a command where it is one.
    #[serde(rename = "do")]
    pub advice: Option<String>,
    /// In what an install is off, where that is it.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub findings: Vec<KeptFinding>,
    /// The files that were touched.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub touched: Vec<Touched>,
    /// Why a player was turned away.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub verdicts: Vec<Verdict>,
}

/// Finds the words for a change. `typed` stands before commands.
pub fn told(change: Change, canon: &str, typed: &[String]) -> ChangeReport {
    let (kind, bad) = (change.what.word(), change.what.is_bad());
    let at = jiff::Timestamp::from_second(change.at).map(|at| at.to_string()).unwrap_or_default();
    let words = words(change.what, change.install.as_deref().unwrap_or_default());
    let advice = words.by_hand.or_else(|| words.command.map(|command| command.led_by(typed).to_string()));
    ChangeReport {
        format: "kanon-change/1",
        at,
        kind,
        bad,
        canon: canon.to_owned(),
        install: change.install,
        title: words.title,
        details: words.details,
        advice,
        findings: words.findings,
        touched: words.touched,
        verdicts: words.verdicts,
    }
}

/// What is said of a change.
#[derive(Default)]
struct Words {
    title: String,
    details: Vec<String>,
    command: Option<Suggestion>,
    by_hand: Option<String>,
    findings: Vec<KeptFinding>,
    touched: Vec<Touched>,
    verdicts: Vec<Verdict>,
}

impl Words {
    fn new(title: impl Into<String>) -> Self {
        Self { title: title.into(), ..Self::default() }
    }

    fn with(mut self, detail: impl Into<String>) -> Self {
        self.details.push(detail.into());
        self
    }

    fn all(mut self, details: impl IntoIterator<Item = String>) -> Self {
        self.details.extend(details);
        self
    }

    fn then(self, command: Suggestion) -> Self {
        Self { command: Some(command), ..self }
    }
}

fn words(what: What, install: &str) -> Words {
    let of = |command: &str| Suggestion::new(command).word(install);
    let diagnose = || Suggestion::new("diagnose").word("--server").word(install);
    let align = || Suggestion::align(install);
    match what {
        What::Began { installs, off, waiting } => began(installs, &off, waiting),
        What::Off { findings, in_all, touched, by_canon, was_off } => {
            off((findings, touched), in_all, (by_canon, was_off)).then(align())
        }
        What::Less { left } => Words::new(format!("off in less than before, still in {left}")).then(align()),
        What::InLine => Words::new("in line again"),
        What::Unreachable(error) => Words::new("can't be looked at").with(Failure::from(error).in_short()),
        What::Reachable => Words::new("can be looked at again"),
        What::VersionChanged { of: what, from, to } => version_changed(what, from, to).then(of("check")),
        What::CutOff(id) => Words::new(format!("alignment {id} was cut off")).then(align()),
        What::Sealed { mods } => {
            Words::new(format!("another canon counts, with {}", count(mods, "mod"))).then(Suggestion::new("check"))
        }
        What::WishesChanged => Words::new("kanon.toml asks for something else than was sealed")
            .then(Suggestion::new("seal").word("--changes")),
        What::Up { seconds: Some(seconds) } => Words::new(format!("the server came up, after {}", span(seconds))),
        What::Up { seconds: None } => Words::new("the server is up"),
        What::NotUp { seconds, said } => {
            Words::new(format!("the server was started, and is not up after {}", span(seconds)))
                .all(said.map(|said| format!("the last that it said: {said}")))
                .then(of("health"))
        }
        What::Ended(said) => Words::new("the server ended unexpectedly").with(said).then(diagnose()),
        What::Loops(starts) => {
            Words::new(format!("the server starts again and again: {starts} times within ten minutes"))
                .with("nothing more is told of its starts before it has stayed up for as long")
                .then(diagnose())
        }
        What::Stopped => Words::new("the server does not run any more"),
        What::Runs(sign) => Words::new("the server runs").with(sign.to_string()),
        What::OutOfMemory(said) => Words::new("the server ran out of memory").with(said).then(of("health")),
        What::Behind { lines, said, mods } => {
            let named = (!mods.is_empty()).then(|| format!("named: {}", FoldedId::joined(&mods, ", ")));
            let title = format!("the server falls behind: {} since the last look", count(lines, "line"));
            Words::new(title).all(named).with(said).then(of("health"))
        }
        What::KeepsUp => Words::new("the server keeps up again"),
        What::Refused { player, verdicts, kept_out_by } => refused(player, verdicts, kept_out_by, diagnose()),
        What::CameIn(player) => Words::new(format!("{player} came in, who was turned away before")),
        What::ReleaseOut { mod_id, have, newest } => {
            let have = have.unwrap_or_else(|| "another".to_owned());
            Words::new(format!("{mod_id} {newest} is out; the set has {have}"))
                .with("players who fetch mods themselves get it before the server has it")
                .then(Suggestion::new("renew").word("--preview"))
        }
        What::SourceGone { name, why } => Words::new(format!("the source {name} can't be reached")).with(why),
        What::SourceBack(name) => Words::new(format!("the source {name} can be reached again")),
        What::SignaturesEnd { number, ends, days } => {
            let title = match days {
                ..1 => format!("the signatures of release {number} have ended: nobody can follow it any more"),
                _ => format!("the signatures of release {number} end on {}, in {}", day(ends), span(days * 86_400)),
            };
            Words::new(title).then(Suggestion::new("publish"))
        }
        What::SignedAnew { number, ends } => Words::new(format!("release {number} is signed until {}", day(ends))),
        What::ReleaseBroken(error) => Words::new("players can't follow the release as it lies there")
            .with(Failure::from(error).in_short())
            .then(Suggestion::new("publish").word("--verify")),
        What::ReleaseWhole => Words::new("players can follow the release again"),
        What::Mended { alignment, steps } => {
            Words::new(format!("mended by itself: {} put in place", count(steps, "file")))
                .with(format!("alignment {alignment}; copies of what was there are kept"))
                .then(of("undo"))
        }
        What::NotMended(why) => {
            Words::new("not mended by itself").with(not_mended(why)).then(align().word("--preview"))
        }
        What::Stuck(error) => Words::new("nothing can be looked at").with(Failure::from(error).in_short()),
        What::GoesOn => Words::new("everything can be looked at again"),
    }
}

fn began(installs: usize, off: &[(InstallName, usize)], waiting: usize) -> Words {
    let waits = (waiting > 0).then(|| format!("{} of which there is a newer release", count(waiting, "mod")));
    let words = Words::new(format!("watching {} from now on", count(installs, "install")))
        .all(off.iter().map(|(name, number)| format!("{name} is off in {number}")))
        .all(waits);
    if off.is_empty() { words } else { words.then(Suggestion::new("check")) }
}

fn off(
    (findings, touched): (Vec<KeptFinding>, Vec<Touched>),
    in_all: usize,
    (by_canon, was_off): (bool, bool),
) -> Words {
    let more = if was_off { ", in more than before" } else { "" };
    let in_what = |finding: &KeptFinding| {
        let of = finding.mod_id.as_ref().map_or_else(String::new, |id| format!("{id} "));
        let found = finding.found.as_deref().filter(|_| finding.code != Code::ModMissing);
        let found = found.map_or_else(String::new, |found| format!(", found {found}"));
        format!("{of}{}: {}{found}", finding.code, finding.code.about())
    };
    let by_whom = |file: &Touched| {
        let when = file.modified.map_or_else(String::new, |at| format!(", changed {}", time_of_day(at)));
        format!("{}: {}{when}", if file.is_gone { "gone" } else { "touched" }, file.path)
    };
    let words = Words::new(format!("off the canon in {in_all}{more}"))
        .all(by_canon.then(|| "another canon counts since the last look".to_owned()))
        .all(listed(findings.iter().map(in_what)))
        .all(listed(touched.iter().map(by_whom)));
    Words { findings, touched, ..words }
}

fn version_changed(of: &str, from: Option<String>, to: Option<String>) -> Words {
    let version = |version: Option<String>| version.unwrap_or_else(|| "none".to_owned());
    let of = if of == "game" { "the game" } else { of };
    Words::new(format!("{of} was changed: {} -> {}", version(from), version(to)))
        .with("players need the same; mods may not fit any more")
}

fn refused(
    player: Option<PlayerName>,
    verdicts: Vec<Verdict>,
    kept_out: Option<KeptOutBy>,
    diagnose: Suggestion,
) -> Words {
    let mut words = Words::new(format!("{} was turned away", player.as_deref().unwrap_or("somebody")));
    if let Some(first) = verdicts.first() {
        let of = first.mod_id.as_ref().map_or_else(String::new, |id| format!("{id}: "));
        let side = first.side.map_or_else(String::new, |side| format!("; mend the {side}"));
        let sure = first.confidence * 100.0;
        words = words.with(format!("{of}{}, {sure:.0} % sure{side}", first.cause.about()));
        let does = first.remedy.first();
        words.by_hand =
            does.map(|does| does.command.as_ref().map_or_else(|| does.words.to_string(), ToString::to_string));
    }
    if verdicts.len() > 1 {
        words = words.with(format!("and {} less likely", counted(verdicts.len() - 1, "cause", "causes")));
    }
    let words = words.all(kept_out.map(|kept| format!("the log speaks of {}", kept_out_by(kept))));
    let by_player = |command: Suggestion, player: PlayerName| command.word("--player").word(player.as_str());
    Words { verdicts, ..words }.then(player.into_iter().fold(diagnose, by_player))
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

#[cfg(test)]
#[path = "../tests/changes.rs"]
mod tests;
