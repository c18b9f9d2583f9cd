//! Logs that nobody described: learned from, read by what was learned, and remembered.

use rstest::rstest;

use crate::stage::{Stage, fits_its_schema};

const CARGO: [(&str, &str); 5] =
    [("fulmar", "1.2.0"), ("petrel", "2.0.3"), ("skua", "1.10.0"), ("tern", "3.1.4"), ("auk", "0.9.9")];

/// A game, a sealed workspace whose rulebook says nothing of logs, and logs of two evenings.
fn stage() -> Stage {
    let stage = Stage::empty();
    for (gull, version) in CARGO {
        stage.write(&format!("server/stow/{gull}/card.json"), format!(r#"{{"id":"{gull}","version":"{version}"}}"#));
        stage.write(&format!("server/stow/{gull}/x.dat"), gull);
    }
    stage.kanon(["learn", "server", "--game", "Ternmouth", "-o", "r.toml"]);
    stage.kanon(["init", "--name", "Low", "--rulebook", "r.toml", "--server", "server"]).ends_with(0);
    stage.kanon(["adopt", "server"]).ends_with(0);
    stage.kanon(["seal"]).ends_with(0);
    let first = ["osier", "rowan osier lacks:tern", "mallow", "osier has:skua", "rowan"];
    stage.write("monday.log", evening(&first));
    stage.write("tuesday.log", evening(&["mallow has:auk", "osier", "mallow lacks:petrel", "rowan has:tern"]));
    stage
}

fn evening(tries: &[&str]) -> String {
    let mut lines = vec!["quay opens its books".to_owned()];
    lines.extend(CARGO.map(|(gull, version)| format!("took in {gull} ({version})")));
    lines.push("quay is open".to_owned());
    for one in tries {
        let words: Vec<&str> = one.split(' ').collect();
        let (fault, players) = match words.last().and_then(|word| word.split_once(':')) {
            Some(fault) => (Some(fault), &words[..words.len() - 1]),
            None => (None, &words[..]),
        };
        for (at, player) in players.iter().enumerate() {
            lines.push(format!("{player} hails the quay"));
            lines.push("skua: nest missing, built anew".to_owned());
            let own = fault.filter(|_| at + 1 == players.len());
            let version = |gull: &str| CARGO.iter().find(|(known, _)| *known == gull).unwrap().1;
            match own {
                Some(("has", gull)) => lines.push(format!("{player} / {gull} 0.1.0 <> {}", version(gull))),
                Some((_, gull)) => lines.push(format!("{player} / {gull} nil <> {}", version(gull))),
                None => {}
            }
            lines.push(format!("{player} {}", if own.is_some() { "turns back" } else { "moors" }));
            lines.push("a squall passes".to_owned());
        }
    }
    (10..).zip(lines).map(|(at, line)| format!("20:{:02}:{:02} {line}\n", at / 60, at % 60)).collect()
}

fn diagnose(stage: &Stage, log: &str, player: &str) -> serde_json::Value {
    let words = ["diagnose", "--server", "server", "--server-log", log, "--player", player, "--format", "json"];
    stage.kanon(words).json()
}

#[test]
fn a_log_that_no_pattern_knows_tells_why_a_join_failed() {
    let stage = stage();
    let first = |player: &str| {
        let report = diagnose(&stage, "tuesday.log", player);
        let verdict = &report["verdicts"][0];
        (verdict["cause"].as_str().map(str::to_owned), verdict["mod"].as_str().map(str::to_owned))
    };
    let is = |cause: &str, id: &str| (Some(cause.to_owned()), Some(id.to_owned()));
    assert_eq!(first("mallow"), is("mod-missing", "petrel"));
    assert_eq!(first("rowan"), is("version-older", "tern"));
    assert_eq!(first("osier"), (None, None), "he got in, and the nest of skua is chatter");
    let words = ["diagnose", "--server", "server", "--server-log", "tuesday.log", "--player", "rowan"];
    stage.kanon(words).ends_with(1).says("read by what it says itself").says("--remember");
}

/// The visits of four players as a log tells them, of which the third is refused for the lines that are given, or is not.
fn visits(comes: fn(&str, usize) -> String, ends: fn(&str, usize) -> String, refused: &[&str]) -> String {
    let mut lines: Vec<String> = CARGO.iter().map(|(gull, version)| format!("took in {gull} ({version})")).collect();
    for (at, player) in ["mallow", "rowan", "osier", "teasel"].into_iter().enumerate() {
        lines.push(comes(player, at));
        if at == 2 && !refused.is_empty() {
            lines.extend(refused.iter().map(|line| (*line).to_owned()));
        } else {
            lines.push(ends(player, at));
        }
    }
    lines.join("\n") + "\n"
}

/// Voices that no pattern can tell: the fault is read where it stands, and what every visit says is no fault.
#[rstest]
#[case::fields_side_by_side(
    |player: &str, at: usize| format!("=== visit of {player}\n    from: 10.1.1.{at}\n    crates: 5"),
    |_: &str, _: usize| "    outcome: admitted\n=== end\n    tern: 2 warnings, 1 missing tune".to_owned(),
    &["    outcome: refused", "    reason: cargo outdated", "    cargo: skua", "    theirs: 1.9.0", "    ours: 1.10.0", "=== end",
      "    tern: 2 warnings, 1 missing tune"],
    Some(("version-older", "skua"))
)]
#[case::objects_with_an_address(
    |player: &str, at: usize| format!("{{\"say\": \"visitor\", \"visitor\": {{\"name\": \"{player}\", \"addr\": \"10.0.0.{at}\"}}}}"),
    |player: &str, _: usize| format!("{{\"say\": \"visitor ready\", \"visitor\": {{\"name\": \"{player}\"}}}}"),
    &[r#"{"say": "visitor rejected", "visitor": {"name": "osier"}, "check": {"mismatch": [{"id": "tern", "house": "3.1.4", "visitor": "3.1.3"}]}}"#],
    Some(("version-older", "tern"))
)]
#[case::what_goes_and_what_comes(
    |player: &str, _: usize| format!("visitor {player}: comparing"),
    |player: &str, _: usize| format!("visitor {player}: identical\nvisitor {player}: in"),
    &["  - petrel-2.0.3", "  + petrel-2.0.4", "visitor osier: out"],
    Some(("version-newer", "petrel"))
)]
#[case::a_number_for_each(
    |player: &str, at: usize| format!("ev=seat n={}7 nick={player}", at + 1),
    |_: &str, at: usize| format!("ev=play n={}7", at + 1),
    &["ev=drop n=37 cause=cargo-rev id=auk host=0.9.9 guest=0.9.8"],
    Some(("version-older", "auk"))
)]
#[case::everybody_hears_it(
    |player: &str, _: usize| format!("[gate] hail from \"{player}\"\n[care] <fulmar> nests rebuilt, 2 absent"),
    |player: &str, _: usize| format!("[gate] \"{player}\" through"),
    &[],
    None
)]
fn odd_voices_are_understood(
    #[case] comes: fn(&str, usize) -> String,
    #[case] ends: fn(&str, usize) -> String,
    #[case] refused: &[&str],
    #[case] told: Option<(&str, &str)>,
) {
    let stage = stage();
    stage.write("odd.log", visits(comes, ends, refused));
    let report = diagnose(&stage, "odd.log", "osier");
    let first =
        report["verdicts"].get(0).map(|first| (first["cause"].as_str().unwrap(), first["mod"].as_str().unwrap()));
    assert_eq!(first, told, "{report}");
}

/// What stumbles while a game starts is seldom why it was not let in, and worth less than what stumbles as it tries.
#[rstest]
#[case::before(&["skua: nest missing", "connecting to the quay", "disconnected"], 0.3..0.45)]
#[case::behind(&["connecting to the quay", "skua: nest missing", "disconnected"], 0.5..0.9)]
fn chatter_of_a_client_before_it_tries_weighs_less(#[case] rest: &[&str], #[case] sure: std::ops::Range<f64>) {
    let stage = stage();
    let mounted: String = CARGO.iter().map(|(gull, version)| format!("mounted {gull} {version}\n")).collect();
    stage.write("own.log", format!("game starts\n{mounted}{}\n", rest.join("\n")));
    stage.write("quay.log", "mallow hails the quay\nmallow: no answer, timed out\n");
    let words = ["diagnose", "--rulebook", "r.toml", "--server-log", "quay.log", "--client-log", "own.log", "--player"];
    let report = stage.kanon(words.into_iter().chain(["mallow", "--format", "json"])).json();
    let of_skua = report["verdicts"].as_array().unwrap().iter().filter(|verdict| verdict["mod"] == "skua");
    let found = of_skua.filter_map(|verdict| verdict["confidence"].as_f64()).fold(0.0, f64::max);
    assert!(sure.contains(&found), "{report:#}");
}

#[test]
fn what_is_learned_from_logs_is_a_part_of_the_rulebook() {
    let stage = stage();
    let words = ["learn", "--rulebook", "r.toml", "--server-log", "monday.log", "--server-log", "tuesday.log"];
    let report = stage.kanon(words.into_iter().chain(["--format", "json"])).json();
    fits_its_schema("learned-logs", &report);
    let means: Vec<&str> =
        report["logs"]["events"].as_array().unwrap().iter().map(|event| event["means"].as_str().unwrap()).collect();
    for wanted in ["version-other", "mod-missing", "join-tried", "join-accepted", "join-refused", "ready", "starting"] {
        assert!(means.contains(&wanted), "{wanted}: {means:?}");
    }
    stage.kanon(words.into_iter().chain(["-o", "heard.toml"])).says("heard.toml");
    let heard = stage.read("heard.toml");
    assert!(heard.starts_with(&stage.read("r.toml")) && !heard.contains("nest"), "{heard}");
    stage.kanon(["rulebook", "check", "heard.toml"]).ends_with(0);
    // A draft takes logs in at once.
    let draft = ["learn", "server", "--game", "Ternmouth", "--server-log", "monday.log", "-o", "both.toml"];
    let report = stage.kanon(draft.into_iter().chain(["--format", "json"])).json();
    fits_its_schema("learned", &report);
    assert!(report["logs"]["events"].as_array().is_some_and(|events| !events.is_empty()));
    stage.kanon(["rulebook", "check", "both.toml"]).ends_with(0);
    assert!(stage.read("both.toml").contains("means = \"join-refused\""));
    stage.kanon(["learn", "--rulebook", "r.toml"]).ends_with(2).says("--server-log");
    stage.kanon(["learn"]).ends_with(2);
}

#[test]
fn what_was_understood_is_remembered_after_a_yes() {
    let stage = stage();
    let before = stage.read("r.toml");
    let words = ["diagnose", "--server", "server", "--server-log", "tuesday.log", "--player", "mallow", "--remember"];
    stage.kanon(words).says("nobody could be asked");
    assert_eq!(stage.read("r.toml"), before);
    stage.kanon(words.into_iter().chain(["--yes"])).says("added at the end of");
    let after = stage.read("r.toml");
    assert!(after.starts_with(&before) && after.contains("[[event]]"), "{after}");
    stage.kanon(["rulebook", "check", "r.toml"]).ends_with(0);
    let report = diagnose(&stage, "monday.log", "osier");
    assert_eq!(
        (report["verdicts"][0]["cause"].as_str(), report["verdicts"][0]["mod"].as_str()),
        (Some("version-older"), Some("skua"))
    );
}

#[test]
fn a_rulebook_is_fetched_pinned_and_renewed() {
    let stage = stage();
    std::fs::remove_file(stage.path("kanon.toml")).unwrap();
    std::fs::create_dir_all(stage.path("elsewhere")).unwrap();
    std::fs::rename(stage.path("r.toml"), stage.path("elsewhere/tern.toml")).unwrap();
    let at = format!("file://{}/elsewhere/tern.toml", stage.path("").display().to_string().trim_end_matches('/'));
    stage
        .kanon(["init", "--name", "Low", "--rulebook", &at, "--server", "server"])
        .ends_with(0)
        .says("ternmouth.rulebook.toml");
    let config = stage.read("kanon.toml");
    assert!(config.contains("[rulebook-from]") && config.contains("blake3 = \""), "{config}");
    stage.kanon(["check"]);
    stage.kanon(["rulebook", "renew"]).ends_with(0).says("nothing new");
    let newer = stage.read("elsewhere/tern.toml") + "\n[[event]]\nmeans = \"ready\"\nline = 'open'\n";
    stage.write("elsewhere/tern.toml", &newer);
    stage.kanon(["rulebook", "renew", "--preview"]).ends_with(1).says("+ [[event]]");
    stage.kanon(["rulebook", "renew"]).ends_with(1).says("nobody could be asked");
    stage.write("ternmouth.rulebook.toml", stage.read("ternmouth.rulebook.toml") + "# mine\n");
    stage.kanon(["rulebook", "renew", "--preview"]).ends_with(1).says("was changed here").says("- # mine");
    let report = stage.kanon(["rulebook", "renew", "--yes", "--format", "json"]).ends_with(0).json();
    fits_its_schema("rulebook-renewal", &report);
    assert_eq!((&report["edited_here"], &report["renewed"]), (&true.into(), &true.into()));
    assert_eq!(stage.read("ternmouth.rulebook.toml"), newer);
    stage.kanon(["rulebook", "renew"]).ends_with(0).says("nothing new");
    // What is no rulebook of this game changes nothing.
    for bad in ["not = [toml", &newer.replace("Ternmouth", "Elsewhere"), &"x".repeat(5 << 20)] {
        stage.write("elsewhere/tern.toml", bad);
        stage.kanon(["rulebook", "renew", "--yes"]).ends_with(2);
        assert_eq!(stage.read("ternmouth.rulebook.toml"), newer);
    }
    std::fs::remove_file(stage.path("elsewhere/tern.toml")).unwrap();
    stage.kanon(["rulebook", "renew", "--yes"]).ends_with(2).says("tern.toml");
}

#[test]
fn every_example_is_a_rulebook() {
    let stage = Stage::empty();
    let listed = stage.kanon(["rulebook", "example"]).ends_with(0).out;
    let shapes: Vec<&str> =
        listed.lines().filter_map(|line| line.strip_prefix("  ")?.split_whitespace().next()).collect();
    assert_eq!(shapes.len(), 9);
    for shape in shapes {
        let text = stage.kanon(["rulebook", "example", shape]).ends_with(0).out;
        stage.write("e.toml", &text);
        stage.kanon(["rulebook", "check", "e.toml"]).ends_with(0);
    }
    stage.kanon(["rulebook", "example", "none"]).ends_with(2).says("archives");
    stage.write("open.toml", stage.read("e.toml").replacen("[[shelf]]", "# FILL IN: the place\n[[shelf]]", 1));
    stage.kanon(["rulebook", "check", "open.toml"]).ends_with(0);
    stage.kanon(["rulebook", "check", "open.toml", "--strict"]).ends_with(1).says("still open: the place");
}

#[test]
fn what_was_said_before_a_moment_that_is_named_is_passed_over() {
    let stage = stage();
    // A rulebook that has patterns, and none that this log knows.
    let written = "\n[[event]]\nmeans = \"mod-missing\"\nin = \"server-log\"\nline = 'nobody says (?<mod>\\S+)'\n";
    stage.write("r.toml", stage.read("r.toml") + written);
    stage.kanon(["seal"]).ends_with(0);
    let words = ["diagnose", "--server", "server", "--server-log", "tuesday.log", "--player", "mallow"];
    stage.kanon(words).ends_with(1).says("mod-missing petrel");
    stage.kanon(words.into_iter().chain(["--since", "20:59:59"])).hides("mod-missing petrel");
}
