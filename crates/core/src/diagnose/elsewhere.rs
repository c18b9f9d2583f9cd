//! What keeps players out that no mod has to do with, and the words it is told in.

use std::sync::LazyLock;

use regex::{Captures, Regex};
use serde::Serialize;

/// What keeps a player out that no mod has to do with.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum KeptOutBy {
    /// A ban.
    Ban,
    /// A list of who may join.
    GuestList,
    /// A full server.
    FullServer,
    /// A password.
    Password,
    /// The player's account.
    Account,
    /// The line between the two: address, port, firewall.
    Connection,
}

const WORDS: [(KeptOutBy, &[&str]); 6] = [
    (
        KeptOutBy::Ban,
        &[
            "banned",
            " ban ",
            "=ban ",
            "'ban'",
            "\"ban\"",
            "barred",
            "udelukket",
            "expulsado perm",
            "expulsado de forma",
            "excluded from",
            "blacklist",
            "blocklist",
            "gesperrt",
            "verbannt",
            "verbannen",
            "vetad",
            "bannie",
            "banni ",
            "banid",
            "zbanowan",
            "забанен",
            "заблокирован",
            "封禁",
            "bannlyst",
            "utestengt",
            "bandito",
            "yasakl",
            "zabanov",
            "アクセス禁止",
            "차단",
        ],
    ),
    (KeptOutBy::GuestList, &["whitelist", "allowlist", "allow list", "not invited", "not on the list"]),
    (
        KeptOutBy::FullServer,
        &[
            "server is full",
            "server full",
            "house is full",
            "no room",
            "no free place",
            "no free seat",
            "slots full",
            // As codes and values of keys say it.
            "server_full",
            "=full ",
            "\"full\"",
            "'full'",
            "serverfull",
            ": full ",
            " full)",
            "(full)",
            " full, ",
            "cap reached",
            "capacity ",
            "capacity\"",
            "seats are taken",
            "places are taken",
            "no slots",
            "full house",
            "no free slot",
            "too many players",
            "player limit",
            "is full",
            "no seat free",
            "seats taken",
            "server ist voll",
            "server vol ",
            "aforo completo",
            "servidor lleno",
            "serveur plein",
            "servidor cheio",
            "serwer pełny",
            "brak miejsc",
            "сервер полон",
            "人数已满",
            "已满",
            "sunucu dolu",
            "сервер повний",
            "server je plný",
            "満員",
            "가득",
        ],
    ),
    (
        KeptOutBy::Password,
        &[
            "password",
            "passphrase",
            "passcode",
            "credentials",
            "passwort",
            "wachtwoord",
            "contraseña",
            "mot de passe",
            "hasło",
            "пароль",
            "密码",
            "lösenord",
            "passord",
            "adgangskode",
            "parola",
            "şifre",
            "heslo",
            "パスワード",
            "비밀번호",
        ],
    ),
    (
        KeptOutBy::Account,
        // That somebody logs in is no reason by itself.
        &[
            "to authenticat",
            "authentication fail",
            "not authenticated",
            "to log in",
            "login fail",
            "failed login",
            "login refused",
            "login denied",
            "invalid login",
            "not logged in",
            "could not log",
            "couldn't log",
            "can't log",
            "cannot log",
            "verify username",
            "verify account",
            "session expired",
            "invalid session",
            "invalid account",
            "account is",
            "account was",
            "account has",
            "your account",
        ],
    ),
    (
        KeptOutBy::Connection,
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

/// As many as there may be.
static FULL: LazyLock<Regex> = LazyLock::new(|| {
    let pattern = r#"(?:^|[\s(\[=:'"])(?<now>[1-9]\d{0,3})/(?<most>[1-9]\d{0,3})(?:$|[\s)\].,;'"])|\((?<of>[1-9]\d{0,3}) of (?<all>[1-9]\d{0,3})\)"#;
    Regex::new(pattern).expect("a pattern that is written here")
});

impl KeptOutBy {
    /// Whether words for it are seldom said of somebody who is sent away for his mods: lines get lost then, too.
    pub const fn is_final(self) -> bool {
        !matches!(self, Self::Account | Self::Connection)
    }
}

/// What a text speaks of that keeps players out and has to do with no mod.
pub fn elsewhere(text: &str) -> Option<KeptOutBy> {
    let lower = format!(" {} ", text.to_lowercase());
    let told = WORDS.iter().find(|(_, words)| words.iter().any(|word| lower.contains(word))).map(|(what, _)| *what);
    let is = |found: &Captures<'_>, now: &str, most: &str| {
        found.name(now).zip(found.name(most)).is_some_and(|(now, most)| now.as_str() == most.as_str())
    };
    let is_full = || FULL.captures_iter(text).any(|found| is(&found, "now", "most") || is(&found, "of", "all"));
    told.or_else(|| is_full().then_some(KeptOutBy::FullServer))
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case("You are banned from this server", Some(KeptOutBy::Ban))]
    #[case("You are not whitelisted!", Some(KeptOutBy::GuestList))]
    #[case("Server is full (32/32)", Some(KeptOutBy::FullServer))]
    #[case("osier: seats 12/12", Some(KeptOutBy::FullServer))]
    #[case("osier: seats 11/12", None)]
    #[case("the house is full up (20 of 20)", Some(KeptOutBy::FullServer))]
    #[case("osier showed 12 of 12 parts", None)]
    #[case("Mara dropped (hall full)", Some(KeptOutBy::FullServer))]
    #[case("Mara refused: full", Some(KeptOutBy::FullServer))]
    #[case("osier: fully loaded", None)]
    #[case("sunucu dolu", Some(KeptOutBy::FullServer))]
    #[case("E_SERVER_FULL", Some(KeptOutBy::FullServer))]
    #[case("<no cause=\"full\"/>", Some(KeptOutBy::FullServer))]
    #[case("deny why=full peer=7", Some(KeptOutBy::FullServer))]
    #[case("log_index of reed was read", None)]
    #[case("no free memory for reed", None)]
    #[case("Wrong PASSWORD", Some(KeptOutBy::Password))]
    #[case("(Login) osier[/10.0.0.4:51000] logging in", None)]
    #[case("osier: login failed", Some(KeptOutBy::Account))]
    #[case("Failed to authenticate: invalid session", Some(KeptOutBy::Account))]
    #[case("Connection timed out: no further information", Some(KeptOutBy::Connection))]
    #[case("io: connection reset by peer", Some(KeptOutBy::Connection))]
    #[case("mod mismatch", None)]
    #[case("urban-sprawl is missing", None)]
    fn what_no_mod_has_to_do_with(#[case] text: &str, #[case] what: Option<KeptOutBy>) {
        assert_eq!(elsewhere(text), what);
    }
}
