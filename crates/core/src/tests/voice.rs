use rstest::rstest;

use super::*;
use crate::base::digest::Blake3;
use crate::base::path::InstallPath;
use crate::logs::{LogReader, Source};
use crate::manifest::ModManifest;
use crate::rulebook::{Event, EventRule, Role};
use crate::survey::{InstallFacts, Survey, SurveyedMod};

pub(super) const MODS: [(&str, &str); 5] =
    [("eiderdown", "1.4.0"), ("skerry", "0.9.2"), ("lugworm", "2.0.1"), ("samphire", "3.1.0"), ("weir", "1.0.7")];

pub(super) fn server() -> Survey {
    let found = |(id, version): (&str, &str)| SurveyedMod {
        manifest: ModManifest { id: id.into(), version: Some(version.to_owned()), ..ModManifest::default() },
        shelf: "mods".into(),
        place: InstallPath::new("mods").expect("a path"),
        enabled: true,
        path: InstallPath::new(&format!("mods/{id}")).expect("a path"),
        name: id.to_owned(),
        digest: Blake3::of(id.as_bytes()),
        files: Vec::new(),
        members: Vec::new(),
        members_total: 0,
        signatures: Vec::new(),
    };
    let mods = MODS.into_iter().map(found).collect();
    Survey { mods, ..Survey::empty(InstallFacts::bare("hall", Role::Server)) }
}

/// One evening in some voice: a start, then tries of several players.
struct Tongue {
    begins: &'static str,
    loads: &'static str,
    up: &'static str,
    asks: &'static str,
    comes: &'static str,
    goes: &'static str,
    /// What is said of the mod `M` of version `V`, of which he has `O`.
    other: &'static str,
    none: &'static str,
    extra: &'static str,
}

fn told(text: &str, (player, id, version): (&str, &str, &str)) -> String {
    text.replace("{p}", player).replace("{m}", id).replace("{v}", version).replace("{o}", "0.1.1")
}

fn evening(tongue: &Tongue) -> String {
    let mut lines = vec![tongue.begins.to_owned()];
    lines.extend(MODS.map(|(id, version)| told(tongue.loads, ("", id, version))));
    lines.push(tongue.up.to_owned());
    let tries = [
        ("osier", None),
        ("juniper", Some((tongue.other, 1))),
        ("mallow", Some((tongue.none, 2))),
        ("juniper", None),
        ("osier", Some((tongue.extra, 0))),
        ("mallow", Some((tongue.other, 3))),
        ("osier", Some((tongue.none, 4))),
        ("mallow", None),
    ];
    for (at, (player, fault)) in tries.into_iter().enumerate() {
        lines.push(told(tongue.asks, (player, "", "")));
        if at == 2 {
            lines.push("cache of weir is missing, made anew".to_owned());
        }
        match fault {
            Some((text, of)) => {
                lines.extend(told(text, (player, MODS[of].0, MODS[of].1)).lines().map(str::to_owned));
                lines.push(told(tongue.goes, (player, "", "")));
            }
            None => lines.push(told(tongue.comes, (player, "", ""))),
        }
        lines.push("the tide turns".to_owned());
        lines.push("cache of skerry is missing, made anew".to_owned());
    }
    let stamped = (0..).zip(&lines).map(|(at, line)| match line.starts_with(' ') {
        true => format!("{line}\n"),
        false => format!("19:{:02}:{:02} {line}\n", at / 60, at % 60),
    });
    stamped.collect()
}

fn learned(tongue: &Tongue) -> (Voice, String) {
    let (server, text) = (server(), evening(tongue));
    let rulebook = crate::rulebook::of_logs("");
    let evening = Evening { rulebook: &rulebook, server: Some(&server), client: None, canon: None, players: &[] };
    (voice(evening, &[Transcript { side: Role::Server, head: "", text: &text }]).expect("a voice"), text)
}

/// What the learned patterns know of a log.
fn events(voice: &Voice, text: &str) -> Vec<(String, String, String)> {
    let rules: Vec<EventRule> = voice.events.iter().filter_map(LearnedEvent::rule).collect();
    let mut reader = LogReader::new(&rules, Role::Server, Source::ServerLog);
    for (number, line) in (1..).zip(text.lines()) {
        reader.line(number, line.as_bytes());
    }
    let of = |event: crate::logs::LogEvent| {
        let means = serde_json::to_value(event.means).expect("a word").as_str().unwrap_or_default().to_owned();
        let (player, id) =
            (event.player.map(String::from).unwrap_or_default(), event.mod_id.map(String::from).unwrap_or_default());
        (means, player, id)
    };
    reader.finish().into_iter().map(of).collect()
}

const TERSE: Tongue = Tongue {
    begins: "hall 7",
    loads: "+ {m} {v}",
    up: "up",
    asks: "{p} ?",
    comes: "{p} ok",
    goes: "{p} no",
    other: "{p} ~ {m} {o}/{v}",
    none: "{p} ~ {m} -/{v}",
    extra: "{p} ~ gannet 1.1/-",
};

const WORDY: Tongue = Tongue {
    begins: "Starting the hall",
    loads: "Loaded {m}, release {v}",
    up: "The hall is open",
    asks: "Player {p} is at the door",
    comes: "Player {p} was let in",
    goes: "Player {p} was sent away",
    other: "Player {p} brings {m} {o}, and it is {v} here",
    none: "Player {p} has no {m} {v}",
    extra: "Player {p} brings gannet 1.1, which nobody knows",
};

const LISTS: Tongue = Tongue {
    begins: "boot",
    loads: "hold {m} [{v}]",
    up: "waiting for guests",
    asks: "guest {p} knocks",
    comes: "guest {p} comes aboard",
    goes: "guest {p} goes away",
    other: "guest {p} has older cargo:\n  * {m} [{o}]",
    none: "guest {p} is lacking cargo:\n  * {m} [{v}]",
    extra: "guest {p} has unapproved cargo:\n  * gannet [1.1]",
};

const VERB_LAST: Tongue = Tongue {
    begins: "Kuggen vaknar",
    loads: "last {m} i utgåva {v} ombord",
    up: "porten öppen",
    asks: "inträde söks av {p}",
    comes: "inträde gavs åt {p}",
    goes: "inträde nekades {p}",
    other: "hos {p} är {m} {o} i stället för {v}",
    none: "hos {p} saknas {m} {v}",
    extra: "hos {p} är gannet 1.1 för mycket",
};

const KEYS: Tongue = Tongue {
    begins: r#"{"ev":"start"}"#,
    loads: r#"{"ev":"load","mod":"{m}","v":"{v}"}"#,
    up: r#"{"ev":"ready"}"#,
    asks: r#"{"ev":"ask","who":"{p}"}"#,
    comes: r#"{"ev":"admitted","who":"{p}"}"#,
    goes: r#"{"ev":"rejected","who":"{p}"}"#,
    other: r#"{"ev":"diff","who":"{p}","mod":"{m}","want":"{v}","has":"{o}"}"#,
    none: r#"{"ev":"diff","who":"{p}","mod":"{m}","want":"{v}","has":null}"#,
    extra: r#"{"ev":"diff","who":"{p}","mod":"gannet","want":null,"has":"1.1"}"#,
};

#[rstest]
#[case::terse(&TERSE)]
#[case::wordy(&WORDY)]
#[case::lists_below_headers(&LISTS)]
#[case::another_language(&VERB_LAST)]
#[case::keys(&KEYS)]
fn a_voice_that_nobody_described_is_understood(#[case] tongue: &Tongue) {
    let (voice, text) = learned(tongue);
    assert_eq!(voice.players.iter().map(String::as_str).collect::<Vec<_>>(), ["juniper", "mallow", "osier"]);
    let found = events(&voice, &text);
    let causes: Vec<_> = found
        .iter()
        .filter(|(means, ..)| means.starts_with("version") || means.starts_with("mod-m") || means.starts_with("mod-e"))
        .collect();
    let cause = |means: &str, player: &str, id: &str| (means.to_owned(), player.to_owned(), id.to_owned());
    let expected = [
        cause("version-other", "juniper", "skerry"),
        cause("mod-missing", "mallow", "lugworm"),
        cause("mod-extra", "osier", "gannet"),
        cause("version-other", "mallow", "samphire"),
        cause("mod-missing", "osier", "weir"),
    ];
    assert_eq!(causes, expected.iter().collect::<Vec<_>>(), "{:#?}", voice.events);
    let count = |wanted: &str| found.iter().filter(|(means, ..)| means == wanted).count();
    assert_eq!((count("join-tried"), count("join-accepted"), count("join-refused")), (8, 3, 5), "{:#?}", voice.events);
    assert_eq!(count("mod-loaded"), MODS.len());
}

#[test]
fn the_version_that_should_be_is_the_servers() {
    let (voice, _) = learned(&WORDY);
    let other = voice.events.iter().find(|event| event.signs.contains(&Sign::TwoVersions)).expect("learned");
    let places = ["found", "expected"].map(|group| other.line.find(&format!("?<{group}>")));
    assert!(places[0] < places[1] && places[0].is_some(), "{}", other.line);
}

#[test]
fn chatter_is_no_cause() {
    for tongue in [&TERSE, &WORDY, &LISTS] {
        let (voice, text) = learned(tongue);
        assert!(voice.events.iter().all(|event| !event.example.contains("made anew")), "{:#?}", voice.events);
        assert!(!events(&voice, &text).iter().any(|(means, _, id)| means == "mod-missing" && id == "skerry"));
    }
}

#[test]
fn a_name_that_somebody_knows_is_a_player() {
    let server = server();
    let rulebook = crate::rulebook::of_logs("");
    let text = "knack osier\nknack juniper\nhum drum\n";
    let found = |players: &[String]| {
        let evening = Evening { rulebook: &rulebook, server: Some(&server), client: None, canon: None, players };
        voice(evening, &[Transcript { side: Role::Server, head: "", text }]).expect("a voice").players
    };
    assert!(found(&[]).is_empty());
    assert_eq!(found(&["Osier".to_owned()]).into_iter().collect::<Vec<_>>(), ["juniper", "osier"]);
}

proptest::proptest! {
    #![proptest_config(proptest::prelude::ProptestConfig::with_cases(64))]
    #[test]
    fn whatever_a_log_holds_what_is_learned_can_be_read(
        lines in proptest::collection::vec("(\\PC{0,12}|osier|player|skerry|weir|1\\.2\\.0|a1b2c3d4e5|missing|: |, | |\\[|\\]|\\{|\\}|\\(|\\\\|'''|null|-){0,10}", 0..30),
    ) {
        let server = server();
        let rulebook = crate::rulebook::of_logs("");
        let text = lines.join("\n");
        let evening = Evening { rulebook: &rulebook, server: Some(&server), client: Some(&server), canon: None, players: &[] };
        let logs = [Transcript { side: Role::Server, head: "", text: &text }, Transcript { side: Role::Client, head: "", text: &text }];
        for event in voice(evening, &logs).expect("a voice").events {
            proptest::prop_assert!(regex::Regex::new(&event.line).is_ok());
            proptest::prop_assert!(event.then.is_none_or(|then| regex::Regex::new(&then).is_ok()));
            proptest::prop_assert!((0.0..=1.0).contains(&event.confidence) && !matches!(event.means, Event::MemoryUsed));
        }
    }
}

/// A client's log is of its own player, and of the last try.
#[rstest]
#[case("weir of the hall is 1.0.7, mounted is 0.9.0", Some(("version-other", "weir")))]
#[case("the hall wants lugworm 2.0.1, which is not mounted", Some(("mod-missing", "lugworm")))]
#[case("the hall does not know gannet 1.1", Some(("mod-extra", "gannet")))]
#[case("", None)]
fn a_clients_log_is_read_from_its_last_try(#[case] fault: &str, #[case] expected: Option<(&str, &str)>) {
    let mut lines = vec!["client starts".to_owned()];
    lines.extend(MODS.map(|(id, version)| format!("mounted {id} {version}")));
    lines.push("a texture of skerry was not found".to_owned());
    lines.push("connecting to the hall".to_owned());
    match fault {
        "" => lines.push("entered the hall".to_owned()),
        fault => lines.extend([fault.to_owned(), "disconnected: cargo mismatch".to_owned()]),
    }
    let text = lines.join("\n");
    let (server, rulebook) = (server(), crate::rulebook::of_logs(""));
    let evening = Evening { rulebook: &rulebook, server: Some(&server), client: None, canon: None, players: &[] };
    let voice = voice(evening, &[Transcript { side: Role::Client, head: "", text: &text }]).expect("a voice");
    let causes: Vec<(String, &str)> = voice
        .events
        .iter()
        .filter(|event| matches!(event.means, Event::Cause(_) | Event::ModFailed))
        .map(|event| {
            (
                serde_json::to_value(event.means).expect("a word").as_str().unwrap_or_default().to_owned(),
                event.example.as_str(),
            )
        })
        .collect();
    let expected: Vec<(String, &str)> = expected.iter().map(|(means, _)| ((*means).to_owned(), fault)).collect();
    assert_eq!(causes, expected, "{:#?}", voice.events);
}
