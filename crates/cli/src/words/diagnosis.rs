//! What a diagnosis says to people: what would tell more, and a reply for the player.

use std::collections::BTreeMap;
use std::fmt::Write;

use kanon_app::diagnosing::LookedAt;
use kanon_core::base::finding::Code;
use kanon_core::base::ids::FoldedId;
use kanon_core::base::path::printable;
use kanon_core::diagnose::{Diagnosis, KeptOutBy, PLAYER, Verdict, Wanted};
use kanon_core::rulebook::Role;

/// What would tell more, for whoever asks.
pub fn wanted(wanted: Wanted) -> String {
    match wanted {
        Wanted::FailedJoin => "the last try in the log was let in: send a log that has the join that failed".to_owned(),
        Wanted::Elsewhere(what) => {
            format!("its words speak of {} rather than of mods: look there first", kept_out_by(what))
        }
        Wanted::ClientSurvey => {
            "the player's survey: kanon survey FOLDER --rulebook FILE --role client -o mine.json".to_owned()
        }
        Wanted::ServerSurvey => "a survey of the server: --server INSTALL".to_owned(),
        Wanted::ServerLog => "the server's log from the time of the join: --server-log FILE".to_owned(),
        Wanted::ClientLog => "the client's log: --client-log FILE".to_owned(),
    }
}

/// Something that was looked at.
pub fn looked_at(what: &LookedAt) -> String {
    match what {
        LookedAt::Install(role, name) => format!("the {role} {name}"),
        LookedAt::Log(side, files, by_itself) => {
            let how = if *by_itself { ", read by what it says itself" } else { "" };
            format!("the {side}'s log {}{how}", files.join(" and "))
        }
        LookedAt::Message => "what the player saw".to_owned(),
        LookedAt::Canon => "the canon".to_owned(),
    }
}

/// What keeps a player out, as a noun.
pub const fn kept_out_by(what: KeptOutBy) -> &'static str {
    match what {
        KeptOutBy::Ban => "a ban",
        KeptOutBy::GuestList => "a list of who may join",
        KeptOutBy::FullServer => "a full server",
        KeptOutBy::Password => "a password",
        KeptOutBy::Account => "the player's account",
        KeptOutBy::Connection => "the line between the two (address, port, firewall)",
    }
}

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
}

impl Reply<'_> {
    /// A short text to send to the player, in plain words.
    pub fn text(&self) -> String {
        let told: Vec<&Verdict> = self.diagnosis.verdicts.iter().filter(|found| found.confidence >= LIKELY).collect();
        let mut out = self.diagnosis.kept_out_by.map(elsewhere).unwrap_or_default();
        if !told.is_empty() {
            self.causes(&mut out, &told);
        } else if out.is_empty() {
            self.unknown(&mut out);
        }
        out
    }

    fn causes(&self, out: &mut String, told: &[&Verdict]) {
        let is_sure = told.iter().any(|found| found.confidence > SURE);
        let sure = if is_sure { "This is why" } else { "This is most likely why" };
        let (ours, others): (Vec<&Verdict>, Vec<&Verdict>) =
            told.iter().partition(|found| found.side == Some(Role::Server));
        let (yours, either): (Vec<&Verdict>, Vec<&Verdict>) =
            others.into_iter().partition(|found| found.side == Some(Role::Client));
        if !yours.is_empty() || !either.is_empty() {
            let _ = writeln!(out, "{sure} you could not join:");
        }
        yours.iter().chain(&either).for_each(|found| {
            let _ = writeln!(out, "- {}", self.plain(found));
        });
        self.what_to_do(out, &yours);
        if !either.is_empty() {
            out.push_str(match yours.is_empty() {
                true => {
                    "Which of the two is right is not agreed yet. Don't change anything: I decide, and then tell you.\n"
                }
                false => "Where your game and the server only differ, I decide which is right, and then tell you.\n",
            });
        }
        if !ours.is_empty() {
            out.push_str(match yours.is_empty() && either.is_empty() {
                true => "You could not join, and it is not your fault. The server is to be mended:\n",
                false => "This is the server's fault, and I mend it:\n",
            });
            for found in &ours {
                let _ = writeln!(out, "- {}", self.plain(found));
            }
            out.push_str("You need not change anything for that. Try again when I tell you.\n");
        }
    }

    fn what_to_do(&self, out: &mut String, yours: &[&Verdict]) {
        let by_following =
            |found: &&&Verdict| found.remedy.iter().any(|does| does.who == PLAYER && does.command.is_some());
        let (followed, by_hand): (Vec<&&Verdict>, Vec<&&Verdict>) = yours.iter().partition(by_following);
        if followed.is_empty() && by_hand.is_empty() {
            return;
        }
        out.push_str("What to do:\n- Close the game.\n");
        for found in &by_hand {
            let _ = writeln!(out, "- {}", self.step(found));
        }
        if let Some(follow) = self.follow.filter(|_| !followed.is_empty()) {
            let _ = writeln!(out, "- Open a terminal in the game's folder, and run: {follow}");
        }
        out.push_str("- Start the game, and join again.\n");
    }

    /// Nothing is known: what to send.
    fn unknown(&self, out: &mut String) {
        if self.diagnosis.got_in {
            out.push_str("The server's log says that you got in the last time. Is it another try that failed? Then try once more, and tell me when.\n");
            return;
        }
        out.push_str("I can't tell yet why you could not join.\n");
        let may_be: Vec<&Verdict> =
            self.diagnosis.verdicts.iter().filter(|found| found.confidence >= MAY_BE).take(3).collect();
        if !may_be.is_empty() {
            out.push_str("It may be one of these, and I am not sure:\n");
            may_be.iter().for_each(|found| {
                let _ = writeln!(out, "- {}", self.plain(found));
            });
        }
        let wants = |wanted: Wanted| self.diagnosis.wanted.contains(&wanted);
        if let Some(follow) = self.follow.filter(|_| !self.has_client) {
            let _ = writeln!(
                out,
                "Close the game, open a terminal in its folder, and run: {follow}\nThat puts every mod right. If you still can't join:"
            );
        }
        let mut asks: Vec<&str> = Vec::new();
        if wants(Wanted::ClientLog) {
            asks.push("the game's log from the time of your try");
        }
        if wants(Wanted::ClientSurvey) && self.follow.is_none() {
            asks.push("a list of the mods that you have, with their versions (a picture of the mods' folder will do)");
        }
        asks.push("what the game said, word for word, and when you tried");
        let _ = writeln!(out, "Please send me:");
        for ask in asks {
            let _ = writeln!(out, "- {ask}");
        }
        if wants(Wanted::ClientSurvey) && self.follow.is_none() {
            out.push_str("If you have the program kanon, the file mine.json tells most. Run this in the game's folder, with the rulebook that I send you:\n  kanon survey . --rulebook FILE --role client -o mine.json\n");
        }
    }

    fn title(&self, id: &FoldedId) -> String {
        printable(self.titles.get(id).map_or(id.as_str(), String::as_str))
    }

    /// A verdict for somebody who knows none of the words of this program.
    fn plain(&self, found: &Verdict) -> String {
        let subject = found.mod_id.as_ref().map_or_else(|| "a mod".to_owned(), |id| self.title(id));
        let (whose, has, lacks) = match found.side {
            Some(Role::Server) => ("the server's", "the server has", "the server does not have"),
            Some(Role::Client) => ("your", "you have", "you don't have"),
            None => ("one side's", "one side has", "one side does not have"),
        };
        let should = found.expected.as_deref().map(printable);
        let is = found.found.as_deref().map(printable);
        let versions = match (&is, &should) {
            (Some(is), Some(should)) => format!(": it is {is}, and should be {should}"),
            (None, Some(should)) => format!(": it should be {should}"),
            (Some(is), None) => format!(": it is {is}"),
            (None, None) => String::new(),
        };
        match found.cause {
            Code::ModMissing => {
                let version = should.map_or_else(String::new, |version| format!(" {version}"));
                format!("{lacks} {subject}{version}")
            }
            Code::ModExtra | Code::NotNeededHere => match found.side {
                Some(Role::Client) => format!("you have {subject}, and the server does not"),
                _ => format!("{has} {subject}, and the other side does not"),
            },
            Code::ModDisabled => format!("{whose} {subject} is switched off"),
            Code::ModDuplicate => format!("{has} {subject} more than once"),
            Code::VersionOlder => format!("{whose} {subject} is too old{versions}"),
            Code::VersionNewer => format!("{whose} {subject} is too new{versions}"),
            Code::VersionOther => format!("{whose} {subject} has another version{versions}"),
            Code::ContentDiffers => {
                format!("{whose} {subject} was changed: its files are not those that they should be")
            }
            Code::Unreadable => format!("{whose} {subject} is damaged"),
            Code::GameDiffers => format!("{whose} game has another version{versions}"),
            Code::LoaderDiffers => format!("what loads {whose} mods has another version{versions}"),
            Code::RuntimeDiffers => format!("what {whose} game runs on has another version{versions}"),
            Code::MemoryLow => format!("{whose} game has too little memory{versions}"),
            code => match (&found.mod_id, found.side) {
                (Some(_), Some(Role::Client)) => format!("{subject}: {}, in your game", code.about()),
                (Some(_), _) => format!("{subject}: {}", code.about()),
                (None, Some(Role::Client)) => format!("{}, in your game", code.about()),
                (None, _) => code.about().to_owned(),
            },
        }
    }

    /// What the player does by hand.
    fn step(&self, found: &Verdict) -> String {
        let subject = found.mod_id.as_ref().map_or_else(|| "it".to_owned(), |id| self.title(id));
        let should = found.expected.as_deref().map(printable);
        let version = should.as_ref().map_or_else(String::new, |version| format!(" {version}"));
        let place = found.path.as_deref().filter(|path| !matches!(*path, "." | ""));
        let is_file = |path: &str| path.rsplit('/').next().is_some_and(|name| name.contains('.'));
        let into = place.map_or_else(String::new, |path| match is_file(path) {
            true => format!(": it belongs at {}", printable(path)),
            false => format!(", into the folder {}", printable(path)),
        });
        let file = place.map_or_else(String::new, |path| match is_file(path) {
            true => format!(" (the file {})", printable(path)),
            false => format!(" (in the folder {})", printable(path)),
        });
        match found.cause {
            Code::ModMissing if found.mod_id.is_none() => {
                "Hold your mods against the list that I send you: one of them is missing.".to_owned()
            }
            Code::ModMissing => format!("Install {subject}{version}{into}."),
            Code::ModExtra | Code::NotNeededHere => format!("Take {subject} out of your game{file}."),
            Code::ModDisabled => format!("Switch {subject} on again{file}."),
            Code::VersionOlder | Code::VersionNewer | Code::VersionOther => {
                format!("Replace your {subject} by version{version}{file}.")
            }
            Code::ContentDiffers | Code::Unreadable => {
                format!("Get {subject}{} again, and put it in the place of yours{file}.", of_version(found))
            }
            Code::GameDiffers => format!("Bring the game to version{version}."),
            Code::LoaderDiffers | Code::RuntimeDiffers => format!("Install{version}."),
            _ => {
                let own = found.remedy.iter().find(|does| does.who == PLAYER).map_or("", |does| does.words.as_str());
                printable(own.split_once(": ").map_or(own, |(_, words)| words)).replace(" (.)", "")
            }
        }
    }
}

/// The version that a mod should have, where that is one.
fn of_version(found: &Verdict) -> String {
    let is_version = |text: &&str| text.len() < 24 && text.starts_with(|c: char| c.is_ascii_digit());
    found.expected.as_deref().filter(is_version).map_or_else(String::new, |version| format!(" {}", printable(version)))
}

/// What no mod has to do with, for the player.
fn elsewhere(what: KeptOutBy) -> String {
    let words = match what {
        KeptOutBy::Ban => {
            "You could not join because you are banned from the server. That has nothing to do with your mods. Ask whoever keeps the server."
        }
        KeptOutBy::GuestList => {
            "You could not join because you are not on the list of who may. That has nothing to do with your mods: I have to add you."
        }
        KeptOutBy::FullServer => {
            "You could not join because the server was full. Your mods have nothing to do with it. Try again when somebody has left."
        }
        KeptOutBy::Password => {
            "You could not join because of the password. Your mods have nothing to do with it. Type it once more, or ask me for it."
        }
        KeptOutBy::Account => {
            "You could not join because of your account. Your mods have nothing to do with it. Close the game, sign in again, and try once more."
        }
        KeptOutBy::Connection => {
            "The line between your game and the server broke off. Look at the address and the port that you typed, and try once more; if others get in, look at your own network."
        }
    };
    format!("{words}\n")
}

#[cfg(test)]
#[path = "../tests/reply.rs"]
mod tests;
