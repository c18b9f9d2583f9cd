//! What keeps players out that no mod has to do with, and the words it is told in.

use std::sync::LazyLock;

use aho_corasick::AhoCorasick;
use regex::{Captures, Regex};

use super::failure::{parted, search_of};
use crate::logs::KeptOutBy;

const WORDS: [(KeptOutBy, &[&str]); 6] = [
    (
        KeptOutBy::Ban,
        &[
            "banned",
            " ban ",
            "=ban ",
            ": ban ",
            "(ban)",
            "'ban'",
            "\"ban\"",
            "barred",
            "udelukket",
            "expulsado perm",
            "expulsado de forma",
            "excluded from",
            "blacklist",
            "ban list",
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
            "gebannt",
            "ausgeschlossen",
            "uitgesloten",
            "geband",
            "banead",
            "prohibido el acceso",
            "exclu du",
            "exclu de",
            "bannat",
            "está bloquead",
            "zbanow",
            "забан",
            "заблоков",
            "kitilt",
            " banat",
            "porttikiel",
            "avstängd",
            "bannad",
            "bandlyst",
            "udelukk",
            "αποκλει",
            "追放",
            "被封",
            "封号",
            "밴 ",
        ],
    ),
    (
        KeptOutBy::GuestList,
        &[
            "whitelist",
            "allowlist",
            "allow list",
            "not invited",
            "not on the list",
            "white-list",
            "gästeliste",
            "nicht eingeladen",
            "lista blanca",
            "liste blanche",
            "biała lista",
            "białej liśc",
            "белый список",
            "белом списке",
            "白名单",
            "ホワイトリスト",
            "lista branca",
            "lista bianca",
            "guest list",
            "allow-list",
            "not allow-listed",
            "not whitelisted",
        ],
    ),
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
            "no seat free",
            "seats taken",
            "server ist voll",
            "server voll",
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
            "ist voll",
            "voll (",
            "voll belegt",
            "is vol ",
            "zit vol",
            "vol (",
            "lleno",
            "está llen",
            "está cheio",
            "cheio",
            "lotad",
            "est plein",
            "plein (",
            "est complet",
            "è pieno",
            "pieno (",
            "pełen",
            "jest pełny",
            "pełny (",
            "brak wolnych",
            "нет мест",
            "нет свободных",
            "переполнен",
            "заполнен",
            "немає місць",
            "немає вільних",
            "megtelt",
            "täynnä",
            " är full",
            " er full",
            " er fuld",
            "fuld (",
            "fullsatt",
            "je plno",
            " dolu",
            "γεμάτος",
            "server plin",
            "este plin",
            "満室",
            "定員",
            "满员",
            "人满",
            "인원 초과",
            "at capacity",
            "slots in use",
            "no more room",
            "non c'è posto",
            "niente posto",
            "vollem haus",
            "volles haus",
            "haus ist voll",
            "no vacan",
            "no places left",
            "no seats left",
            "no slots left",
            "no free places",
            "no free seats",
            "no free slots",
            "every seat",
            "queue is full",
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
            "senha",
            "palavra-passe",
            "kennwort",
            "jelszó",
            "salasana",
            "κωδικ",
            "clave incorrecta",
            "passwd",
            "密碼",
            "暗号",
            "zugangswort",
            "access code",
            "pass phrase",
            "pass-phrase",
            "secret word",
            "wrong secret",
            "bad secret",
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
            "no answer",
            "not answer",
            "stopped answering",
            "not responding",
            "lost connection",
            "connection lost",
            "zeitüberschreitung",
            "tiempo de espera",
            "tempo esgotado",
            "délai dépassé",
            "délai d'attente",
            "tempo scaduto",
            "przekroczono czas",
            "превышено время",
            "время ожидания",
            "zaman aşımı",
            "超时",
            "タイムアウト",
            "시간 초과",
            "verbinding verbroken",
            "verbindung verloren",
            "conexión perdida",
            "connexion perdue",
            "conexão perdida",
            "połączenie utracone",
            "соединение потеряно",
        ],
    ),
];

/// All of those words, and the place in the table of each: of several, the first counts.
static SEARCH: LazyLock<(AhoCorasick, Vec<usize>)> = LazyLock::new(|| {
    let words = WORDS.iter().enumerate().flat_map(|(class, (_, words))| words.iter().map(move |word| (class, *word)));
    search_of(words)
});

/// As many as there may be.
static FULL: LazyLock<Regex> = LazyLock::new(|| {
    let pattern = r#"(?:^|[\s(\[=:'"])(?<now>[1-9]\d{0,3})/(?<most>[1-9]\d{0,3})(?:$|[\s)\].,;'"])|\((?<of>[1-9]\d{0,3}) of (?<all>[1-9]\d{0,3})\)|\b(?i:used|taken|players|online|guests|now|have)["']?[=:]\s?(?<used>[1-9]\d{0,3}),?\s["']?(?i:max|most|limit|of|slots|seats|total|cap)["']?[=:]\s?(?<max>[1-9]\d{0,3})\b"#;
    Regex::new(pattern).expect("a pattern that is written here")
});

/// A text that ends with saying so, or a sentence of it.
static SAYS_FULL: LazyLock<Regex> = LazyLock::new(|| {
    let pattern = r#"(?i)(?:\b(?<of>\p{L}+)\s+)?(?:\b(?:is|are|was|we're|it's)\s+full\b|\bfull[\s).,;!"'\]}]*$|\b(?:all|every) (?:\d{1,4} )?\p{L}+ (?:(?:are|is) )?(?:taken|occupied|in use)\b|\balle (?:\d{1,4} )?\p{L}+ (?:sind )?(?:belegt|besetzt|vergeben)\b)"#;
    Regex::new(pattern).expect("a pattern that is written here")
});

/// A mod that is on no list is not its player.
static OF_A_MOD: LazyLock<Regex> = LazyLock::new(|| {
    let pattern =
        r"(?i)\b(?:mods?|modules?|addons?|add-ons?|packages?|plugins?|packs?|parts?|components?|extensions?)\b";
    Regex::new(pattern).expect("a pattern that is written here")
});

/// What a text speaks of that keeps players out and has to do with no mod.
pub fn elsewhere(text: &str) -> Option<KeptOutBy> {
    let apart = parted(text).replace(['<', '>', '[', ']'], " ");
    let apart = if apart == text { String::new() } else { apart.to_lowercase() };
    let lower = format!(" {} \n {apart} ", text.to_lowercase());
    let (search, of) = &*SEARCH;
    let told = search.find_overlapping_iter(&lower).map(|found| of[found.pattern().as_usize()]).min();
    let is_of_the_player = |what: &KeptOutBy| *what != KeptOutBy::GuestList || !OF_A_MOD.is_match(text);
    let told = told.map(|class| WORDS[class].0).filter(is_of_the_player);
    let is = |found: &Captures<'_>, (now, most): (&str, &str)| {
        found.name(now).zip(found.name(most)).is_some_and(|(now, most)| now.as_str() == most.as_str())
    };
    let pairs = [("now", "most"), ("of", "all"), ("used", "max")];
    let is_full = || FULL.captures_iter(text).any(|found| pairs.into_iter().any(|pair| is(&found, pair)));
    let is_no_store = |found: Captures<'_>| found.name("of").is_none_or(|of| !is_a_store(of.as_str()));
    let says_full = || SAYS_FULL.captures(text).is_some_and(is_no_store);
    told.or_else(|| (is_full() || says_full()).then_some(KeptOutBy::FullServer))
}

/// Whether a word is for what is full without anybody being kept out.
fn is_a_store(word: &str) -> bool {
    const STORES: [&str; 13] = [
        "disk",
        "drive",
        "memory",
        "cache",
        "buffer",
        "queue",
        "log",
        "table",
        "heap",
        "storage",
        "quota",
        "inventory",
        "chest",
    ];
    STORES.contains(&word.to_lowercase().as_str())
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
    #[case("BYE full", Some(KeptOutBy::FullServer))]
    #[case("told osier: \"Sorry, we are full right now\"", Some(KeptOutBy::FullServer))]
    #[case("kick why=no_slots used=24 max=24", Some(KeptOutBy::FullServer))]
    #[case("{\"players\": 24, \"max\": 24}", Some(KeptOutBy::FullServer))]
    #[case("{\"players\": 23, \"max\": 24}", None)]
    #[case("osier was sent home: all 10 chairs are taken", Some(KeptOutBy::FullServer))]
    #[case("osier abgewiesen, alle 10 Plätze belegt", Some(KeptOutBy::FullServer))]
    #[case("all parts are loaded", None)]
    #[case("the disk is full", None)]
    #[case("osier denied: mod reed not whitelisted", None)]
    #[case("guest gone (ban): osier", Some(KeptOutBy::Ban))]
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
    #[case("<ACC-BAN> 48989158", Some(KeptOutBy::Ban))]
    #[case("osier: no answer for 30 s", Some(KeptOutBy::Connection))]
    #[case("mod mismatch", None)]
    #[case("urban-sprawl is missing", None)]
    fn what_no_mod_has_to_do_with(#[case] text: &str, #[case] what: Option<KeptOutBy>) {
        assert_eq!(elsewhere(text), what);
    }
}
