//! What a diagnosis says to whoever asks: what was looked at, and what would tell more.

use kanon_app::diagnosing::LookedAt;
use kanon_core::diagnose::Wanted;
use kanon_core::logs::KeptOutBy;

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
