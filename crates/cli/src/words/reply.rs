//! A reply to a player who could not join: what is wrong, whose it is, and what to do, in their language and without a word of this
//! program's own.

use std::collections::BTreeMap;

use kanon_core::base::finding::Code;
use kanon_core::base::ids::FoldedId;
use kanon_core::base::path::printable;
use kanon_core::base::stated::Stated;
use kanon_core::diagnose::{Diagnosis, PLAYER, Verdict, Wanted};
use kanon_core::logs::KeptOutBy;
use kanon_core::rulebook::Role;

use super::tongue::{Place, Tongue, at};

/// A verdict that is less sure than this is told as one that may be.
const LIKELY: f64 = 0.5;
/// One that is less sure than this is not told to a player.
const MAY_BE: f64 = 0.2;
const SURE: f64 = 0.85;

/// What a reply is written from.
pub struct Reply<'r> {
    /// What was found.
    pub diagnosis: &'r Diagnosis,
    /// What mods are called in full.
    pub titles: &'r BTreeMap<FoldedId, String>,
    /// The command by which players get the set, where there is one.
    pub follow: Option<&'r str>,
    /// Whether the player's game was measured.
    pub has_client: bool,
    /// The player's language.
    pub tongue: &'r Tongue,
}

/// Lines that are put one below the other.
#[derive(Default)]
struct Lines(String);

impl Lines {
    fn say(&mut self, line: &str) {
        self.0.push_str(line);
        self.0.push('\n');
    }

    fn item(&mut self, line: &str) {
        self.say(&format!("- {line}"));
    }
}

impl Reply<'_> {
    /// A short text to send to the player, in plain words.
    pub fn text(&self) -> String {
        let told: Vec<&Verdict> = self.diagnosis.verdicts.iter().filter(|found| found.confidence >= LIKELY).collect();
        let mut out = Lines::default();
        if let Some(what) = self.diagnosis.kept_out_by {
            out.say(&self.say(elsewhere(what)));
        }
        if !told.is_empty() {
            self.causes(&mut out, &told);
        } else if out.0.is_empty() {
            self.unknown(&mut out);
        }
        out.0
    }

    fn say(&self, message: &str) -> String {
        self.tongue.say(message)
    }

    fn causes(&self, out: &mut Lines, told: &[&Verdict]) {
        let is_sure = told.iter().any(|found| found.confidence > SURE);
        let (ours, others): (Vec<&Verdict>, Vec<&Verdict>) =
            told.iter().partition(|found| found.side == Some(Role::Server));
        let (yours, either): (Vec<&Verdict>, Vec<&Verdict>) =
            others.into_iter().partition(|found| found.side == Some(Role::Client));
        if !yours.is_empty() || !either.is_empty() {
            out.say(&self.say(if is_sure { "reply-why-sure" } else { "reply-why-likely" }));
        }
        yours.iter().chain(&either).for_each(|found| out.item(&self.plain(found)));
        self.what_to_do(out, &yours);
        if !either.is_empty() {
            out.say(&self.say(if yours.is_empty() { "reply-not-agreed" } else { "reply-differ" }));
        }
        if !ours.is_empty() {
            let is_alone = yours.is_empty() && either.is_empty();
            out.say(&self.say(if is_alone { "reply-server-only" } else { "reply-server-too" }));
            ours.iter().for_each(|found| out.item(&self.plain(found)));
            out.say(&self.say("reply-wait"));
        }
    }

    fn what_to_do(&self, out: &mut Lines, yours: &[&Verdict]) {
        let by_following =
            |found: &&&Verdict| found.remedy.iter().any(|does| does.who == PLAYER && does.command.is_some());
        let (followed, by_hand): (Vec<&&Verdict>, Vec<&&Verdict>) = yours.iter().partition(by_following);
        if followed.is_empty() && by_hand.is_empty() {
            return;
        }
        out.say(&self.say("reply-what-to-do"));
        out.item(&self.say("reply-close"));
        by_hand.iter().for_each(|found| out.item(&self.step(found)));
        if let Some(follow) = self.follow.filter(|_| !followed.is_empty()) {
            out.item(&self.tongue.with("reply-run", [at("command", follow)]));
        }
        out.item(&self.say("reply-start"));
    }

    /// Nothing is known: what to send.
    fn unknown(&self, out: &mut Lines) {
        if self.diagnosis.got_in {
            out.say(&self.say("reply-got-in"));
            return;
        }
        out.say(&self.say("reply-unknown"));
        let may_be: Vec<&Verdict> =
            self.diagnosis.verdicts.iter().filter(|found| found.confidence >= MAY_BE).take(3).collect();
        if !may_be.is_empty() {
            out.say(&self.say("reply-may-be"));
            may_be.iter().for_each(|found| out.item(&self.plain(found)));
        }
        let wants = |wanted: Wanted| self.diagnosis.wanted.contains(&wanted);
        let wants_survey = wants(Wanted::ClientSurvey) && self.follow.is_none();
        if let Some(follow) = self.follow.filter(|_| !self.has_client) {
            out.say(&self.tongue.with("reply-puts-right", [at("command", follow)]));
            out.say(&self.say("reply-still"));
        }
        out.say(&self.say("reply-send"));
        let asks = [
            (wants(Wanted::ClientLog), "reply-send-log"),
            (wants_survey, "reply-send-list"),
            (true, "reply-send-words"),
        ];
        asks.into_iter().filter(|(is_asked, _)| *is_asked).for_each(|(_, ask)| out.item(&self.say(ask)));
        if wants_survey {
            out.say(&self.say("reply-send-file"));
            out.say("  kanon survey . --rulebook FILE --role client -o mine.json");
        }
    }

    fn title(&self, found: &Verdict) -> Option<String> {
        let id = found.mod_id.as_ref()?;
        Some(printable(self.titles.get(id).map_or(id.as_str(), String::as_str)))
    }

    /// A verdict for somebody who knows none of the words of this program.
    fn plain(&self, found: &Verdict) -> String {
        let side = match found.side {
            Some(Role::Server) => "server",
            Some(Role::Client) => "client",
            None => "none",
        };
        let title = self.title(found);
        if let (None, Some(message)) = (&title, of_no_mod(found.cause)) {
            return self.tongue.with(message, [at("side", side)]);
        }
        let mut subject = title.unwrap_or_default();
        let should = found.expected.as_ref().map(stated);
        if found.cause == Code::ModMissing {
            subject.extend(should.iter().map(|version| format!(" {version}")));
        }
        let places = |subject: String| -> [Place<'static>; 2] { [at("side", side), at("mod", subject)] };
        let (message, tells_version) = match found.cause {
            Code::ModMissing => ("reply-missing", false),
            Code::ModExtra | Code::NotNeededHere => ("reply-extra", false),
            Code::ModDisabled => ("reply-off", false),
            Code::ModDuplicate => ("reply-twice", false),
            Code::VersionOlder => ("reply-older", true),
            Code::VersionNewer => ("reply-newer", true),
            Code::VersionOther => ("reply-other", true),
            Code::ContentDiffers => ("reply-content", false),
            Code::Unreadable => ("reply-damaged", false),
            Code::GameDiffers => ("reply-game", true),
            Code::LoaderDiffers => ("reply-loader", true),
            Code::RuntimeDiffers => ("reply-runtime", true),
            Code::MemoryLow => ("reply-memory", true),
            code => return self.by_code(found, code),
        };
        let what = self.tongue.with(message, places(subject));
        match (found.found.as_ref().map(stated).filter(|_| tells_version), should.filter(|_| tells_version)) {
            (Some(is), Some(should)) => {
                self.tongue.with("reply-is-should", [at("what", what), at("is", is), at("should", should)])
            }
            (None, Some(should)) => self.tongue.with("reply-should", [at("what", what), at("should", should)]),
            (Some(is), None) => self.tongue.with("reply-is", [at("what", what), at("is", is)]),
            (None, None) => what,
        }
    }

    /// What is seldom, in the words of its code.
    fn by_code(&self, found: &Verdict, code: Code) -> String {
        let what = match self.title(found) {
            Some(subject) => format!("{subject}: {}", code.about()),
            None => code.about().to_owned(),
        };
        match found.side {
            Some(Role::Client) => self.tongue.with("reply-in-game", [at("what", what)]),
            _ => what,
        }
    }

    /// What the player does by hand.
    fn step(&self, found: &Verdict) -> String {
        let title = self.title(found);
        if title.is_none() && of_no_mod(found.cause).is_some() {
            let is_missing = found.cause == Code::ModMissing;
            return self.say(if is_missing { "step-list" } else { "step-list-versions" });
        }
        let subject = title.unwrap_or_default();
        let should = found.expected.as_ref().map(stated);
        let named = |version: Option<&String>| match version {
            Some(version) => format!("{subject} {version}"),
            None => subject.clone(),
        };
        let place = found.path.as_deref().filter(|path| !matches!(*path, "." | "")).map(printable);
        let is_file = |path: &String| path.rsplit('/').next().is_some_and(|name| name.contains('.'));
        let of_place = |file: &str, folder: &str, more: Option<Place<'static>>| {
            let place = place.clone()?;
            let message = if is_file(&place) { file } else { folder };
            Some(self.tongue.with(message, more.into_iter().chain([at("place", place)])))
        };
        let beside = of_place("step-the-file", "step-in-folder", None).unwrap_or_default();
        let here = |message: &str, subject: String| {
            self.tongue.with(message, [at("mod", subject), at("where", beside.clone())])
        };
        let again = || here("step-get-again", named(of_version(found).as_ref()));
        match found.cause {
            Code::ModMissing => {
                let subject = named(should.as_ref());
                let placed = of_place("step-install-at", "step-install-into", Some(at("mod", subject.clone())));
                placed.unwrap_or_else(|| self.tongue.with("step-install", [at("mod", subject)]))
            }
            Code::ModExtra | Code::NotNeededHere => here("step-take-out", subject),
            Code::ModDisabled => here("step-switch-on", subject),
            Code::VersionOlder | Code::VersionNewer | Code::VersionOther => match should {
                Some(should) => self
                    .tongue
                    .with("step-replace", [at("mod", subject), at("should", should), at("where", beside.clone())]),
                None => again(),
            },
            Code::ContentDiffers | Code::Unreadable => again(),
            Code::GameDiffers => self.tongue.with("step-game", [at("should", should.unwrap_or_default())]),
            Code::LoaderDiffers | Code::RuntimeDiffers => {
                self.tongue.with("step-install-version", [at("should", should.unwrap_or_default())])
            }
            _ => {
                let own = found.remedy.iter().find(|does| does.who == PLAYER);
                printable(&own.map(|does| does.words.of_any_install()).unwrap_or_default()).replace(" (.)", "")
            }
        }
    }
}

/// The version that a mod should have, where that is one.
fn of_version(found: &Verdict) -> Option<String> {
    let is_version = |text: &&String| text.len() < 24 && text.starts_with(|c: char| c.is_ascii_digit());
    match &found.expected {
        Some(Stated::Verbatim(text)) => Some(text).filter(is_version).map(|text| printable(text)),
        _ => None,
    }
}

/// What is said where something is wrong with a mod, and nothing says with which.
const fn of_no_mod(cause: Code) -> Option<&'static str> {
    match cause {
        Code::ModMissing => Some("reply-some-missing"),
        Code::ModExtra | Code::NotNeededHere | Code::ModDuplicate => Some("reply-some-extra"),
        Code::ModDisabled
        | Code::VersionOlder
        | Code::VersionNewer
        | Code::VersionOther
        | Code::ContentDiffers
        | Code::Unreadable => Some("reply-some-other"),
        _ => None,
    }
}

fn stated(stated: &Stated) -> String {
    printable(&stated.to_string())
}

/// What no mod has to do with, for the player.
const fn elsewhere(what: KeptOutBy) -> &'static str {
    match what {
        KeptOutBy::Ban => "kept-ban",
        KeptOutBy::GuestList => "kept-list",
        KeptOutBy::FullServer => "kept-full",
        KeptOutBy::Password => "kept-password",
        KeptOutBy::Account => "kept-account",
        KeptOutBy::Connection => "kept-connection",
    }
}

#[cfg(test)]
#[path = "../tests/reply.rs"]
mod tests;
