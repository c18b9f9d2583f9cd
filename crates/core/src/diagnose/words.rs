//! What a diagnosis says to people: a difference in words, what to send next, a pattern to add, and a reply for the player.

use std::sync::LazyLock;

use regex::Regex;

use super::hints::Hint;
use super::verdict::{Case, Diagnosis, Evidence, PLAYER, Remedy, Verdict};
use crate::base::finding::{Code, Finding};
use crate::base::ids::FoldedId;
use crate::base::path::printable;
use crate::logs::{Source, is_own_defect};
use crate::rulebook::Role;
use crate::survey::Survey;

/// A measured difference in one line.
pub fn difference(survey: &Survey, finding: &Finding, has_canon: bool) -> String {
    let measure = match (has_canon, survey.install.role) {
        (true, _) => "the canon",
        (false, Role::Client) if !is_own_defect(finding.code) => "the server",
        (false, _) => "what is there asks for",
    };
    let subject = finding.mod_id.as_ref().map(FoldedId::as_str).or(finding.path.as_deref()).unwrap_or("the install");
    let has = if measure.ends_with("for") { "" } else { " has" };
    let mut told = format!(
        "{subject}: {}; {measure}{has} {}, {} has {}",
        finding.code.about(),
        finding.expected.as_deref().unwrap_or("-"),
        survey.install.name,
        finding.found.as_deref().unwrap_or("-"),
    );
    if let Some(path) = finding.path.as_deref().filter(|path| *path != subject) {
        told.push_str(&format!(" ({path})"));
    }
    told
}

/// What would tell more.
pub fn next(case: &Case<'_>, verdicts: &[Verdict], got_in: bool, unexplained: &[Evidence]) -> Vec<String> {
    if verdicts.first().is_some_and(|verdict| verdict.confidence > 0.85) {
        return Vec::new();
    }
    let has_log = |source| case.events.iter().any(|event| event.source == source);
    let mut next = Vec::new();
    if got_in && verdicts.is_empty() {
        next.push("the last try in the log was let in: send a log that has the join that failed".to_owned());
    }
    if let Some(what) = unexplained.iter().find_map(|evidence| elsewhere(&evidence.text)) {
        next.push(format!("its words speak of {what} rather than of mods: look there first"));
    }
    if case.client.is_none() {
        next.push("the player's survey: kanon survey FOLDER --rulebook FILE --role client -o mine.json".to_owned());
    }
    if case.server.is_none() {
        next.push("a survey of the server: --server INSTALL".to_owned());
    }
    if !has_log(Source::ServerLog) {
        next.push("the server's log from the time of the join: --server-log FILE".to_owned());
    }
    if !has_log(Source::ClientLog) && (!unexplained.is_empty() || verdicts.is_empty()) {
        next.push("the client's log: --client-log FILE".to_owned());
    }
    next
}

/// What keeps players out that no mod has to do with, and the words it is told in.
const ELSEWHERE: [(&str, &[&str]); 6] = [
    ("a ban", &["banned", " ban ", "blacklist", "blocklist"]),
    ("a list of who may join", &["whitelist", "allowlist", "allow list", "not invited", "not on the list"]),
    ("a full server", &["server is full", "server full", "no free slot", "too many players", "player limit"]),
    ("a password", &["password", "passphrase", "passcode"]),
    (
        "the player's account",
        &["authenticat", "log in", "login", "logged in", "session expired", "invalid session", "account"],
    ),
    (
        "the line between the two (address, port, firewall)",
        &[
            "timed out",
            "time out",
            "timeout",
            "unreachable",
            "connection refused",
            "no route",
            "reset by peer",
            "resolve",
            "no response",
            "not responding",
            "lost connection",
            "connection lost",
        ],
    ),
];

/// What a text speaks of that keeps players out and has to do with no mod.
pub fn elsewhere(text: &str) -> Option<&'static str> {
    let lower = format!(" {} ", text.to_lowercase());
    let is_full = || FULL.captures_iter(text).any(|found| found["now"] == found["most"]);
    ELSEWHERE
        .iter()
        .find(|(_, words)| words.iter().any(|word| lower.contains(word)))
        .map(|(what, _)| *what)
        .or_else(|| is_full().then_some("a full server"))
}

/// As many as there may be.
static FULL: LazyLock<Regex> = LazyLock::new(|| {
    Regex::new(r"(?:^|[\s(\[=:])(?<now>[1-9]\d{0,3})/(?<most>[1-9]\d{0,3})(?:$|[\s)\].,;])")
        .expect("a pattern that is written here")
});

/// A pattern as TOML writes it without escapes, where it can.
pub fn literal(pattern: &str) -> String {
    let quote = if pattern.contains('\'') { "'''" } else { "'" };
    // On one line in any case. JSON's escapes are TOML's too, but for one sign.
    let escaped = || serde_json::Value::from(pattern).to_string().replace('\u{7f}', "\\u007F");
    if pattern.contains("'''") { escaped() } else { format!("{quote}{pattern}{quote}") }
}

/// A table for the rulebook that would know lines like one that was only guessed at.
pub fn proposal(hint: &Hint) -> String {
    let means = hint.means.word();
    let pattern = &hint.pattern;
    let mut out = format!(
        "[[event]]\nmeans = \"{means}\"\nin    = \"{}\"\nline  = {}\n",
        hint.source.as_str(),
        literal(&pattern.line)
    );
    if let Some(then) = &pattern.then {
        out.push_str(&format!("then  = {}\n", literal(then)));
    }
    if let Some(between) = pattern.between.filter(|between| *between != ",") {
        out.push_str(&format!("between = \"{between}\"\n"));
    }
    out
}

/// A short text to send to the player, in plain words.
pub fn reply(diagnosis: &Diagnosis, is_released: bool) -> String {
    let likely: Vec<&Verdict> = diagnosis.verdicts.iter().filter(|verdict| verdict.confidence >= 0.5).take(5).collect();
    let Some(first) = likely.first() else {
        let mut text = "I can't tell yet why you could not join.\n".to_owned();
        let ask = diagnosis.next.iter().any(|next| next.contains("survey FOLDER"));
        if ask {
            text.push_str("Please run this in the game's folder, and send me the file mine.json (it names your mods and nothing else of your machine):\n  kanon survey . --rulebook FILE --role client -o mine.json\n");
        }
        text.push_str("The game's log from the time of the try would help too.\n");
        return text;
    };
    let sure = if first.confidence > 0.85 { "This is why" } else { "This is most likely why" };
    let mut text = format!("{sure} you could not join:\n");
    for verdict in &likely {
        text.push_str(&format!("- {}\n", plain(verdict)));
    }
    let (yours, ours): (Vec<&&Verdict>, Vec<&&Verdict>) =
        likely.iter().partition(|verdict| verdict.side != Some(Role::Server));
    if !yours.is_empty() {
        text.push_str("What to do:\n");
        let steps = yours.iter().flat_map(|verdict| verdict.remedy.iter().find(|remedy| remedy.who == PLAYER));
        let (by_following, by_hand): (Vec<&Remedy>, Vec<&Remedy>) = steps.partition(|step| step.command.is_some());
        for step in &by_hand {
            let words = step.words.split_once(": ").map_or(step.words.as_str(), |(_, words)| words);
            text.push_str(&format!("- {}\n", printable(words)));
        }
        if !by_following.is_empty() || is_released && by_hand.is_empty() {
            text.push_str("- Close the game and run: kanon follow (the first time, with the invite)\n");
        } else if by_hand.is_empty() {
            text.push_str("- Wait: I have to look first which of us has the right one.\n");
        }
    }
    if !ours.is_empty() {
        text.push_str(match yours.is_empty() {
            true => "It is not your fault: the server is to be mended, and I am at it. Try again when I tell you.\n",
            false => "Some of it is the server's fault: I am at it.\n",
        });
    }
    text
}

/// A verdict for somebody who knows none of the words of this program.
fn plain(verdict: &Verdict) -> String {
    let subject = verdict.mod_id.as_ref().map_or_else(|| "something".to_owned(), |id| printable(id.as_str()));
    let whose = match verdict.side {
        Some(Role::Server) => "on the server",
        Some(Role::Client) => "in your game",
        None => "in your game or on the server",
    };
    match verdict.cause {
        Code::ModMissing => format!("{subject} is not there {whose}"),
        Code::ModExtra | Code::NotNeededHere => {
            format!("{subject} is there {whose}, and the other side does not have it")
        }
        Code::ModDisabled => format!("{subject} is switched off {whose}"),
        Code::VersionOlder => format!("{subject} is too old {whose}"),
        Code::VersionNewer => format!("{subject} is too new {whose}"),
        Code::VersionOther => format!("{subject} is of another version {whose}"),
        Code::ContentDiffers => format!("{subject} was changed {whose}: its files are not those that they should be"),
        Code::GameDiffers => format!("the game has another version {whose}"),
        Code::LoaderDiffers => format!("the mod loader has another version {whose}"),
        Code::RuntimeDiffers => format!("what the game runs on has another version {whose}"),
        code => match verdict.mod_id {
            Some(_) => format!("{subject}: {} {whose}", code.about()),
            None => format!("{} {whose}", code.about()),
        },
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case("You are banned from this server", Some("a ban"))]
    #[case("You are not whitelisted!", Some("a list of who may join"))]
    #[case("Server is full (32/32)", Some("a full server"))]
    #[case("Wrong PASSWORD", Some("a password"))]
    #[case("Failed to authenticate: invalid session", Some("the player's account"))]
    #[case("Connection timed out: no further information", Some("the line between the two (address, port, firewall)"))]
    #[case("io: connection reset by peer", Some("the line between the two (address, port, firewall)"))]
    #[case("mod mismatch", None)]
    #[case("urban-sprawl is missing", None)]
    fn what_no_mod_has_to_do_with(#[case] text: &str, #[case] what: Option<&str>) {
        assert_eq!(elsewhere(text), what);
    }
}
