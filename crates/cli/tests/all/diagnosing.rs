//! `kanon diagnose` on logs, messages and surveys as people have them: worded otherwise, stored otherwise, hostile.

use std::io::Write;

use rstest::rstest;

use crate::stage::{Stage, fits_its_schema};

/// A game of our own, with a server and a client that lie in folders, and what its logs say.
const RULES: &str = r#"format = "kanon-rulebook/1"
game   = "Tallowfen"
[[shelf]]
name  = "loads"
holds = "files"
in    = "loads"
match = ["*.load"]
off   = ["*.load.off"]
[shelf.mod]
id      = { file-name = '^(?<id>[a-z-]+)-' }
version = { file-name = '-(?<version>[0-9.]+)\.load(?:\.off)?$' }
[[event]]
means = "join-tried"
line  = 'HELLO (?<player>\S+)'
[[event]]
means = "join-refused"
line  = 'BYE (?<player>\S+)'
[[event]]
means = "mod-missing"
line  = 'these are not with (?<player>\S+):'
then  = '^\s+\* (?<mod>\S+)'
[[message]]
shown = "The points are frozen, traveller."
means = ["mod-missing", "version-differs"]
"#;

fn stage(server: &[&str], client: &[&str]) -> Stage {
    let stage = Stage::empty();
    stage.write("fen.rulebook.toml", RULES);
    for (side, loads) in [("server", server), ("client", client)] {
        loads.iter().for_each(|load| stage.write(&format!("{side}/loads/{load}"), load));
    }
    stage
}

const SERVER: &[&str] = &["peat-1.0.load", "reed-2.0.load", "rope-1.1.load"];
const BASE: [&str; 5] = ["diagnose", "--rulebook", "fen.rulebook.toml", "--format", "json"];
const BOTH: [&str; 4] = ["--server", "server", "--client", "client"];

fn verdicts(stage: &Stage, words: &[&str]) -> Vec<String> {
    let report = stage.kanon(BASE.iter().chain(words).copied()).json();
    fits_its_schema("diagnosis", &report);
    let told = report["verdicts"].as_array().unwrap().iter().map(|verdict| {
        let text = |key: &str| verdict[key].as_str().unwrap_or("-").to_owned();
        format!("{} {} {} {}", text("cause"), text("mod"), text("side"), verdict["confidence"])
    });
    told.collect()
}

#[test]
fn a_server_a_client_and_nothing_else() {
    let stage = stage(SERVER, &["peat-1.0.load", "reed-1.9.load", "rope-1.1.load.off"]);
    let all = verdicts(&stage, &BOTH);
    assert_eq!(all, ["mod-disabled rope client 0.88", "version-older reed - 0.88"]);
    let said = stage.kanon(["diagnose", "--rulebook", "fen.rulebook.toml"].iter().chain(&BOTH).copied()).ends_with(1);
    said.says("which side is off is not known").says("For the server: its 2.0 is the newer one");
    stage
        .kanon(["diagnose", "--rulebook", "fen.rulebook.toml"])
        .ends_with(2)
        .says("there is nothing to go by")
        .says("--message");
}

/// The same log, however it is stored; its last join is torn off in the middle of a line.
#[rstest]
#[case::plain(|text: &str| text.as_bytes().to_vec())]
#[case::crlf(|text: &str| text.replace('\n', "\r\n").into_bytes())]
#[case::gzip(|text: &str| gzip(text.as_bytes()))]
#[case::zstd(|text: &str| zstd(text.as_bytes()))]
#[case::utf_16(|text: &str| [0xff, 0xfe].into_iter().chain(text.encode_utf16().flat_map(u16::to_le_bytes)).collect())]
fn logs_however_they_are_stored(#[case] stored: fn(&str) -> Vec<u8>) {
    let stage = stage(SERVER, &[]);
    let log = "HELLO Ida\nthese are not with Ida:\n   * peat\nBYE Ida\nHELLO Jörg\nthese are not with Jörg:\n   * reed\n   * rope\nBYE Jörg\nHELLO Ida\nBYE I";
    stage.write("server.log", stored(log));
    let of = |player: &str| verdicts(&stage, &["--server-log", "server.log", "--player", player]);
    assert_eq!(of("Jörg"), ["mod-missing reed - 0.77", "mod-missing rope - 0.77"]);
    assert_eq!(of("Ida"), [""; 0], "her last try says nothing");
}

fn gzip(bytes: &[u8]) -> Vec<u8> {
    let mut child = std::process::Command::new("gzip")
        .stdin(std::process::Stdio::piped())
        .stdout(std::process::Stdio::piped())
        .spawn()
        .unwrap();
    child.stdin.take().unwrap().write_all(bytes).unwrap();
    child.wait_with_output().unwrap().stdout
}

/// One frame whose one block is as it is (RFC 8878).
fn zstd(bytes: &[u8]) -> Vec<u8> {
    let size = u32::try_from(bytes.len()).unwrap();
    let block = (size << 3 | 1).to_le_bytes();
    [&[0x28, 0xb5, 0x2f, 0xfd, 0xa0][..], &size.to_le_bytes(), &block[..3], bytes].concat()
}

#[test]
fn lines_that_no_pattern_knows_and_a_pattern_for_them() {
    let stage = stage(SERVER, &["peat-1.0.load", "reed-2.0.load", "rope-1.1.load"]);
    stage.write("client.log", "12:00:01 [net] fine\n12:00:02 [net] FATAL: checksum of reed-2.0.load is wrong (7)\n");
    let words = ["--client-log", "client.log", "--client", "client"];
    let report = stage.kanon(BASE.iter().chain(&words).copied()).ends_with(1).json();
    assert_eq!(
        (report["verdicts"][0]["cause"].as_str(), report["verdicts"][0]["mod"].as_str()),
        (Some("content-differs"), Some("reed"))
    );
    assert!(report["verdicts"][0]["confidence"].as_f64().unwrap() < 0.6, "that is only a hint: {report}");
    let proposal = report["proposals"][0].as_str().unwrap().to_owned();
    stage.write("fen.rulebook.toml", format!("{RULES}\n{proposal}"));
    let told = verdicts(&stage, &words);
    assert!(
        told[0].starts_with("content-differs") && told[0].ends_with("0.77"),
        "the rulebook knows it now: {told:?} {proposal}"
    );
}

#[rstest]
#[case("The points are frozen, traveller.", "as the game shows it")]
#[case("teh points are frozn travler", "% like")]
#[case("THE POINTS ARE FRO", "% like")]
fn a_message_as_players_remember_it(#[case] typed: &str, #[case] how: &str) {
    let stage = stage(SERVER, &["peat-1.0.load", "reed-2.0.load"]);
    let said = stage.kanon(["diagnose", "--rulebook", "fen.rulebook.toml", "--message", typed]).ends_with(1);
    let said = said.says(how).says("mod-missing").says("What would tell more");
    assert!(!said.out.contains(" 8") && !said.out.contains("9%"), "{}", said.out);
    let measured = verdicts(&stage, &[BOTH.as_slice(), &["--message", typed]].concat());
    assert!(measured[0].starts_with("mod-missing rope - 0.9"), "it supports what was measured: {measured:?}");
}

#[test]
fn a_reply_for_the_player() {
    let stage = Stage::sealed();
    stage.world.spoil().unwrap();
    let said = stage.kanon(["diagnose", "--client", "oskar", "--server", "mara-as-server", "--reply"]);
    assert_eq!(said.code, Some(2), "there is no such server");
    stage.kanon(["align", "station", "--yes"]).ends_with(0);
    let said = stage.kanon(["diagnose", "--client", "oskar", "--reply"]).ends_with(1);
    let said = said
        .says("This is why you could not join:")
        .says("you don't have Drift Radio 1.1.0")
        .says("it is 3.1.0, and should be 3.2.1");
    assert!(
        !said.out.contains("canon") && !said.out.contains("kanon "),
        "those are no words for players: {}",
        said.out
    );
    stage.kanon(["publish", "site"]).ends_with(0);
    stage.kanon(["diagnose", "--client", "oskar", "--reply"]).ends_with(1).says("run: kanon follow");
    stage.kanon(["diagnose", "--client", "mara", "--server", "station", "--reply"]).says("can't tell yet");
}

#[test]
fn with_nothing_named_the_server_of_the_workspace_is_held_against_its_canon() {
    let stage = Stage::sealed();
    stage.kanon(["diagnose"]).ends_with(0).says("nothing found").says("looked at: the server station, the canon");
    stage.world.spoil().unwrap();
    stage
        .kanon(["diagnose"])
        .ends_with(1)
        .says("mod-disabled lantern-grid - mend the server")
        .says("kanon align station");
}

#[test]
fn what_was_before_a_moment_is_passed_over() {
    let stage = stage(SERVER, &[]);
    stage.write("server.log", "09:00:00 HELLO Ida\n09:00:01 these are not with Ida:\n * peat\n09:00:02 BYE Ida\n");
    let log = ["--server-log", "server.log", "--since"];
    assert_eq!(verdicts(&stage, &[log.as_slice(), &["08:00"]].concat()).len(), 1);
    assert_eq!(verdicts(&stage, &[log.as_slice(), &["10:00"]].concat()).len(), 0);
    let words = ["diagnose", "--rulebook", "fen.rulebook.toml", "--server-log", "server.log", "--since", "tea time"];
    stage.kanon(words).ends_with(2).says("`tea time` is no time").says("do:");
}

/// What other people send may be anything.
#[test]
fn hostile_logs_and_surveys() {
    let stage = stage(SERVER, &["peat-1.0.load"]);
    let long: Vec<u8> = b"these are not with you: ".iter().chain(vec![b'x'; 40 << 20].iter()).copied().collect();
    let noise: Vec<u8> = (0..3_u32 << 20).map(|at| (at.wrapping_mul(2_654_435_761) >> 24) as u8).collect();
    let clever =
        b"HELLO Ida\n\x1b[2J\x1b]0;owned\x07 these are not with Ida:\n * \x1b[31mpeat\xe2\x80\xae\x08\x08\nBYE Ida\n"
            .to_vec();
    let bomb = gzip(&vec![b'\n'; 30 << 20]);
    for (name, bytes) in [("long", long), ("noise", noise), ("clever", clever), ("bomb", bomb), ("empty", Vec::new())] {
        stage.write("server.log", bytes);
        let said = stage.kanon(["diagnose", "--rulebook", "fen.rulebook.toml", "--server-log", "server.log"]);
        assert!(said.code.is_some_and(|code| code < 2), "{name}: {said:?}");
        assert!(!said.out.contains(['\x1b', '\x07', '\x08', '\u{202e}']), "{name} steers no terminal: {said:?}");
    }
    stage.write("deep.json", "[".repeat(200_000));
    stage.kanon(BASE.iter().chain(&["--client", "deep.json"]).copied()).ends_with(2).says("deep.json");
    stage.write("odd.json", r#"{"format":"kanon-survey/1","install":{"name":"\u001b[2Jx","role":"client"},"mods":[{"id":"../../etc","path":"../../etc/x","shelf":"loads"}]}"#);
    let said = stage.kanon(BASE.iter().chain(&["--client", "odd.json"]).copied()).ends_with(2);
    assert!(!said.err.contains('\x1b'), "{}", said.err);
}

/// A survey is what players send: it tells nothing of them, and of their machine nothing outside the game.
#[test]
fn a_survey_that_players_send_tells_nothing_else() {
    let stage = stage(SERVER, &["peat-1.0.load"]);
    let folder = stage.path("client").canonicalize().unwrap();
    stage
        .kanon(["survey", "client", "--rulebook", "fen.rulebook.toml", "--role", "client", "-o", "mine.json"])
        .ends_with(0);
    let survey = stage.read("mine.json");
    let parent = folder.parent().unwrap().display().to_string();
    assert!(!survey.contains(&parent) && !survey.contains("ines"), "{survey}");
    assert_eq!(verdicts(&stage, &["--server", "server", "--client", "mine.json"]).len(), 2);
}

#[rstest::rstest]
#[case::a_line("18:00:02 WARN [net] kicking juniper: snowtrack client=3.1.0 server=3.2.1", &["snowtrack"], "version-other")]
#[case::a_title_with_blanks("[18:00] [io #2/ERROR] Drift Radio checksum 5f3a21 is not the server's 77ab01", &["drift-radio"], "content-differs")]
#[case::a_list("18:00:02 juniper lacks required mods: snowtrack (3.2.1), drift-radio (1.1.0)", &["drift-radio", "snowtrack"], "mod-missing")]
#[case::a_header("18:00:02 Login of juniper refused\n18:00:02 These plugins are out of sync:\n18:00:02  * snowtrack\n18:00:02  * drift-radio", &["drift-radio", "snowtrack"], "version-other")]
#[case::a_name_that_nobody_knows("18:00:02 unexpected on client: sea-shanties (4.2)", &["sea-shanties"], "mod-extra")]
fn a_pattern_that_is_proposed_is_one_that_will_do(#[case] lines: &str, #[case] mods: &[&str], #[case] cause: &str) {
    let stage = Stage::sealed();
    stage.write("odd.log", format!("18:00:01 gate: open on port 4000\n{lines}\n18:00:03 bye\n"));
    let told = || stage.kanon(["diagnose", "--server-log", "odd.log", "--format", "json"]).ends_with(1).json();
    let found = |report: &serde_json::Value| -> Vec<(String, String)> {
        let of = |verdict: &serde_json::Value, key: &str| verdict[key].as_str().unwrap_or_default().to_owned();
        let mut found: Vec<_> =
            report["verdicts"].as_array().unwrap().iter().map(|one| (of(one, "mod"), of(one, "cause"))).collect();
        found.sort();
        found
    };
    let wanted: Vec<(String, String)> = mods.iter().map(|id| ((*id).to_owned(), cause.to_owned())).collect();
    let guessed = told();
    assert_eq!(found(&guessed), wanted);
    assert!(guessed["verdicts"][0]["confidence"].as_f64().unwrap() <= 0.5, "{guessed}");
    let proposals: Vec<&str> =
        guessed["proposals"].as_array().unwrap().iter().map(|proposal| proposal.as_str().unwrap()).collect();
    assert!(!proposals.is_empty());
    stage.write("polarspur.rulebook.toml", stage.read("polarspur.rulebook.toml") + "\n" + &proposals.join("\n"));
    stage.kanon(["rulebook", "check", "polarspur.rulebook.toml"]).ends_with(0);
    stage.kanon(["seal"]).ends_with(0);
    let known = told();
    // A pattern tells both versions, and so which is the older one.
    let older = |cause: &str| cause.replace("version-older", "version-other");
    let known_as: Vec<_> = found(&known).into_iter().map(|(id, cause)| (id, older(&cause))).collect();
    assert_eq!(known_as, wanted, "{proposals:?}");
    assert!(known["verdicts"][0]["confidence"].as_f64().unwrap() > 0.7, "{known}");
    assert!(known["proposals"].is_null(), "{known}");
}

#[test]
fn tries_of_two_players_side_by_side() {
    let stage = stage(SERVER, SERVER);
    let log = "HELLO osier\nHELLO juniper\nHandshake with osier: loads do not match\n  missing: reed (2.0)\n\
        Handshake with juniper: loads do not match\n  not allowed: sea-shanties (4.2)\nBYE osier\nBYE juniper\n";
    stage.write("server.log", log);
    let told = |words: &[&str]| {
        let words = ["--server", "server", "--server-log", "server.log"].iter().chain(words);
        verdicts(&stage, &words.copied().collect::<Vec<_>>())
    };
    assert_eq!(told(&["--player", "osier"]), ["mod-missing reed - 0.77"]);
    assert_eq!(told(&["--player", "Juniper"]), ["mod-extra sea-shanties - 0.77"]);
    assert_eq!(told(&[]), ["mod-extra sea-shanties - 0.77"], "the last try is meant");
}

#[test]
fn what_players_type_and_nobody_knows() {
    let stage = stage(SERVER, &[]);
    let told = |message: &str| verdicts(&stage, &["--server", "server", "--message", message]);
    assert_eq!(told("it says MISSING: reeed"), ["mod-missing reed - 0.38"]);
    assert_eq!(told("it says MISSING: rede"), ["mod-missing - - 0.2"], "four letters may be any word");
    assert_eq!(told("it says: reed is missing!!"), ["mod-missing reed - 0.77"], "a name as it is, and words for it");
    assert_eq!(
        told("Mod mismatch"),
        ["mod-missing - - 0.2", "version-other - - 0.13", "content-differs - - 0.08", "mod-extra - - 0.05"]
    );
    let text = ["diagnose", "--rulebook", "fen.rulebook.toml", "--server", "server", "--message"];
    let said = stage.kanon(text.iter().copied().chain(["Mod mismatch"])).ends_with(1);
    said.says("less likely; told in full by --format json").says("a failure that nothing here explains");
    let said = stage.kanon(text.iter().copied().chain(["You are banned"])).ends_with(1);
    said.says("speak of a ban rather than of mods").hides("less likely");
}

#[test]
fn a_servers_health() {
    let stage = Stage::sealed();
    let mut log =
        "06:00:00 boot: Polarspur station\n06:00:04 mods: woke snowtrack 3.2.1\n06:00:30 gate: open on port 1\n"
            .to_owned();
    for minute in 0..50 {
        log += &format!(
            "07:{minute:02}:00 clock: {} ms behind{}\n",
            100 + minute,
            if minute % 2 == 0 { ", waiting for snowtrack" } else { "" }
        );
        log += &format!("07:{minute:02}:30 stove: burns {} MiB\n", 600 + 10 * minute);
    }
    stage.write("station.log", &log);
    let said = stage.kanon(["health", "station.log"]).ends_with(1);
    said.says("up after 30 s").says("50 lines of falling behind").says("it grows").says("snowtrack").says("▃");
    let report = stage.kanon(["health", "station.log", "--format", "json"]).ends_with(1).json();
    fits_its_schema("health", &report);
    assert_eq!((report["lag_lines"].as_u64(), report["mods"][0]["lines"].as_u64()), (Some(50), Some(25)));
    stage.write("quiet.log.gz", gzip(log.lines().take(3).collect::<Vec<_>>().join("\n").as_bytes()));
    stage.kanon(["health", "quiet.log.gz"]).ends_with(0).says("in good health");
    stage.kanon(["health", "gone.log"]).ends_with(2).says("gone.log");
    stage.kanon(["health"]).ends_with(2).says("no log of station").says("`log` under its [install]");
    let server = "[install.station]\n";
    stage.write("kanon.toml", stage.read("kanon.toml").replace(server, &format!("{server}log = \"logs/now.log\"\n")));
    stage.write("station/logs/now.log", log.lines().take(3).collect::<Vec<_>>().join("\n"));
    stage.write("station/logs/now.log.1", &log);
    let before = filetime::FileTime::from_unix_time(1_700_000_000, 0);
    filetime::set_file_mtime(stage.path("station/logs/now.log.1"), before).unwrap();
    let set = stage.kanon(["health", "--format", "json"]).ends_with(1).json();
    assert_eq!((set["lag_lines"].as_u64(), set["starts"].as_array().map(Vec::len)), (Some(50), Some(2)), "{set}");
    for log in ["station", "station/logs"] {
        assert_eq!(stage.kanon(["health", log, "--format", "json"]).ends_with(1).json(), set);
    }
}

/// Two faults of one mod: what a line says of the player's release is not what was measured of the server's bytes.
#[test]
fn another_release_of_the_player_is_not_explained_by_other_bytes_on_the_server() {
    let stage = Stage::sealed();
    let edited = stage.path("station/mods/snowtrack-3.2.1.psm");
    let bytes = std::fs::read(&edited).unwrap();
    std::fs::write(&edited, [&bytes[..], b"edited"].concat()).unwrap();
    stage.write(
        "night.log",
        "gate: open on port 4100\ngate: Mara is at the door\ngate: Mara has snowtrack 3.1.0, this station has 3.2.1\ngate: turned Mara away\n",
    );
    let report = stage.kanon(["diagnose", "--server-log", "night.log", "--format", "json", "-q"]).ends_with(1).json();
    let verdict = |place: usize| {
        let verdict = &report["verdicts"][place];
        (verdict["cause"].as_str().unwrap().to_owned(), verdict["side"].as_str().unwrap_or_default().to_owned())
    };
    let both = [verdict(0), verdict(1)];
    assert!(both.contains(&("version-older".to_owned(), "client".to_owned())), "{report}");
    assert!(both.contains(&("content-differs".to_owned(), "server".to_owned())), "{report}");
    // A line that tells one release, and other bytes of it, is about just that.
    stage.write(
        "night.log",
        "gate: open on port 4100\ngate: Mara is at the door\ngate: Mara has snowtrack 3.2.1 with other contents\ngate: turned Mara away\n",
    );
    let report = stage.kanon(["diagnose", "--server-log", "night.log", "--format", "json", "-q"]).ends_with(1).json();
    assert_eq!(report["verdicts"][0]["cause"], "content-differs", "{report}");
    assert!(report["verdicts"][0]["confidence"].as_f64().unwrap() > 0.9, "{report}");
}
