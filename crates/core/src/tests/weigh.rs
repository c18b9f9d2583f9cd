use super::super::hints::Needles;
use super::*;
use crate::base::digest::Blake3;
use crate::base::finding::Code;
use crate::base::path::InstallPath;
use crate::canon::Canon;
use crate::config::Extras;
use crate::diagnose::Wanted;
use crate::manifest::ModManifest;
use crate::rulebook::Rulebook;
use crate::survey::{InstallFacts, Survey, SurveyedMod};

fn rulebook() -> Rulebook {
    let text = include_str!("../../../../demo/polarspur/polarspur.rulebook.toml");
    crate::rulebook::parse("polarspur", text).expect("a rulebook").value
}

fn survey(name: &str, role: Role, mods: &[(&str, &str, bool)]) -> Survey {
    let found = |(id, version, enabled): &(&str, &str, bool)| SurveyedMod {
        manifest: ModManifest { id: (*id).into(), version: Some((*version).to_owned()), ..ModManifest::default() },
        shelf: "mods".into(),
        place: InstallPath::new("mods").expect("a path"),
        enabled: *enabled,
        path: InstallPath::new(&format!("mods/{id}.psm")).expect("a path"),
        name: format!("{id}.psm"),
        digest: Blake3::of(format!("{id} {version}").as_bytes()),
        files: Vec::new(),
        members: Vec::new(),
        members_total: 0,
        signatures: Vec::new(),
    };
    let install = InstallFacts {
        name: name.into(),
        role,
        game: "Polarspur".to_owned(),
        game_version: None,
        loader_version: Some("0.9".to_owned()),
        runtime_version: None,
    };
    Survey { mods: mods.iter().map(found).collect(), ..Survey::empty(install) }
}

type Mods = &'static [(&'static str, &'static str, bool)];

#[derive(Default)]
struct World {
    canon: bool,
    server: Option<Mods>,
    client: Option<Mods>,
    log: &'static str,
    client_log: &'static str,
    message: Option<&'static str>,
}

const RIGHT: Mods = &[("core", "1", true), ("tide", "2.1", true)];

fn diagnose(world: &World) -> Diagnosis {
    diagnose_for(world, false)
}

fn diagnose_for(world: &World, is_released: bool) -> Diagnosis {
    let rulebook = rulebook();
    let mut events = Vec::new();
    for (log, side) in [(world.log, Role::Server), (world.client_log, Role::Client)] {
        let mut reader = crate::logs::LogReader::new(&rulebook.events, side, Source::log_of(side));
        log.lines().enumerate().for_each(|(at, line)| reader.line(at as u64 + 1, line.as_bytes()));
        events.extend(reader.finish());
    }
    let right = survey("station", Role::Server, RIGHT);
    let canon = Canon::from_survey(&right);
    let server = world.server.map(|mods| survey("station", Role::Server, mods));
    let client = world.client.map(|mods| survey("mara", Role::Client, mods));
    let surveys: Vec<&Survey> = [&server, &client].into_iter().flatten().collect();
    let canon = world.canon.then_some(&canon);
    let needles = Needles::new(&rulebook, &surveys, canon, &events).expect("needles");
    let mut hints = Vec::new();
    for (source, log) in [(Source::ServerLog, world.log), (Source::ClientLog, world.client_log)] {
        for (at, line) in log.lines().enumerate().filter(|(_, line)| line.starts_with('?')) {
            hints.extend(needles.hints((source, at as u64 + 1), line, ""));
        }
    }
    weigh(Case {
        rulebook: &rulebook,
        canon,
        extras: Extras::Keep,
        server: server.as_ref(),
        client: client.as_ref(),
        events: &events,
        hints: &hints,
        message: world.message,
        player: None,
        client_is_here: true,
        follow: is_released.then_some("kanon follow"),
        is_guest: false,
        logs: &[],
    })
}

/// Each verdict: its cause, the side to mend, and how sure it is, in tenths.
fn short(world: &World) -> Vec<(&'static str, Option<Role>, u32)> {
    let tenths = |confidence: f64| (confidence * 10.0).round() as u32;
    diagnose(world).verdicts.iter().map(|v| (v.cause.as_str(), v.side, tenths(v.confidence))).collect()
}

const LACKS: &str = "gate: Mara is at the door\ngate: Mara lacks tide 2.1\ngate: turned Mara away";
const OLD: &str = "gate: Mara is at the door\ngate: Mara has tide 2.0, this station has 2.1\ngate: turned Mara away";
const AWAY: &str = "gate: Mara is at the door\ngate: turned Mara away";
const CLIENT: Option<Role> = Some(Role::Client);
const SERVER: Option<Role> = Some(Role::Server);

#[test]
fn the_log_says_missing_and_the_survey_says_switched_off() {
    let client = Some(&[("core", "1", true), ("tide", "2.1", false)] as Mods);
    let world = World { canon: true, client, log: LACKS, ..World::default() };
    assert_eq!(short(&world), [("mod-disabled", CLIENT, 10)]);
    let verdict = &diagnose(&world).verdicts[0];
    assert_eq!(verdict.confirmed_by, ["survey", "server-log"]);
    assert_eq!(verdict.evidence[1].line, Some(2));
    let told: Vec<_> = verdict.remedy.iter().map(|remedy| (remedy.who, remedy.command.as_deref())).collect();
    assert_eq!(told, [("player", None), ("administrator", Some("kanon align mara"))]);
}

#[test]
fn the_server_may_be_the_side_that_is_off() {
    let server = Some(&[("core", "1", true), ("tide", "2.2", true)] as Mods);
    let world = World { canon: true, server, client: Some(RIGHT), ..World::default() };
    assert_eq!(short(&world), [("version-newer", SERVER, 9)]);
}

#[test]
fn without_a_canon_the_sides_are_held_against_each_other_and_neither_is_blamed() {
    let client = Some(&[("core", "1", true), ("tide", "2.0", true)] as Mods);
    let world = World { server: Some(RIGHT), client, log: OLD, ..World::default() };
    assert_eq!(short(&world), [("version-older", None, 10)]);
    let words = &diagnose(&world).verdicts[0].remedy[0].words.to_string();
    assert!(
        words.contains("Say which side is right") && words.contains("For the server: its 2.1 is the newer one"),
        "{words}"
    );
    let broken = Some(&[("core", "1", true), ("tide", "2.1", true), ("tide", "2.0", true)] as Mods);
    let world = World { server: Some(RIGHT), client: broken, ..World::default() };
    assert_eq!(short(&world)[0], ("mod-duplicate", CLIENT, 9), "that is its own defect, whoever is right");
}

#[test]
fn a_log_and_a_client_without_anything_else() {
    let gone = World { client: Some(&[("core", "1", true)]), log: LACKS, ..World::default() };
    assert_eq!(short(&gone), [("mod-missing", None, 10)]);
    let there = World { client: Some(RIGHT), log: LACKS, ..World::default() };
    assert_eq!(short(&there), [("mod-missing", None, 2)]);
    assert_eq!(diagnose(&there).unexplained.len(), 1);
    assert_eq!(short(&World { log: OLD, ..World::default() }), [("version-older", None, 8)]);
}

#[test]
fn a_side_that_is_in_line_is_not_blamed_for_what_the_log_says() {
    let both = World { canon: true, server: Some(RIGHT), client: Some(RIGHT), log: OLD, ..World::default() };
    assert_eq!(short(&both), [("version-older", None, 2)]);
    let client = World { canon: true, client: Some(RIGHT), log: OLD, ..World::default() };
    assert_eq!(short(&client), [("version-other", SERVER, 8)]);
    let server = World { canon: true, server: Some(RIGHT), log: OLD, ..World::default() };
    assert_eq!(short(&server), [("version-older", CLIENT, 8)]);
}

#[test]
fn two_faults_are_two_verdicts_and_the_agreed_one_comes_first() {
    let world = World { canon: true, client: Some(&[("tide", "2.0", true)]), log: OLD, ..World::default() };
    assert_eq!(short(&world), [("version-older", CLIENT, 10), ("mod-missing", CLIENT, 9)]);
}

#[test]
fn nothing_found_is_nothing_said() {
    let log = "gate: Mara is at the door\ngate: Mara came in";
    let well = World { canon: true, server: Some(RIGHT), client: Some(RIGHT), log, ..World::default() };
    assert_eq!((short(&well), diagnose(&well).unexplained), (vec![], vec![]));
    let odd = World { canon: true, server: Some(RIGHT), client: Some(RIGHT), log: AWAY, ..World::default() };
    assert_eq!((short(&odd).len(), diagnose(&odd).unexplained[0].line), (0, Some(2)));
    assert!(diagnose(&odd).wanted.contains(&Wanted::ClientLog));
}

#[test]
fn a_warning_in_the_log_of_a_healthy_server_is_no_verdict() {
    let log = "gate: open on port 1\n?? tide: texture of the pier is missing, using another";
    let well = World { canon: true, server: Some(RIGHT), client: Some(RIGHT), log, ..World::default() };
    assert_eq!((short(&well), diagnose(&well).proposals), (vec![], vec![]));
    let log = "gate: open on port 1\n?? tide: texture of the pier is missing, using another\ngate: turned Mara away";
    let refused = World { log, ..well };
    assert_eq!(short(&refused), [("mod-missing", None, 2)], "hardly, since both have it");
}

#[test]
fn the_log_of_another_player_is_not_this_ones() {
    let log = "gate: Mara is at the door\ngate: Mara came in\ngate: Wren is at the door\ngate: Wren lacks tide 2.1\n";
    let world = World { canon: true, client: Some(RIGHT), log, ..World::default() };
    assert_eq!(short(&world), []);
}

#[test]
fn both_logs_of_one_fault_give_one_verdict() {
    let world = World { log: LACKS, client_log: "mods: could not open tide.psm", ..World::default() };
    assert_eq!(short(&world), [("unreadable", CLIENT, 9)], "the client's log says why the server misses it");
    assert_eq!(diagnose(&world).verdicts[0].confirmed_by, ["client-log", "server-log"]);
}

/// Where a log says that a ban kept him out, what stumbles over a mod in the other is chatter.
#[test]
fn whoever_is_banned_was_kept_out_by_no_mod() {
    let client_log = "? font of tide missing";
    let refused = |log| World { canon: true, client: Some(RIGHT), log, client_log, ..World::default() };
    let banned = diagnose(&refused("gate: mara is at the door\ngate: turned mara away: banned"));
    assert!(banned.verdicts.is_empty(), "{:#?}", banned.verdicts);
    let untold = diagnose(&refused("gate: mara is at the door\ngate: turned mara away"));
    assert_eq!(untold.verdicts.len(), 1, "where nothing says why, it may be the mod");
}

#[test]
fn a_line_about_another_mod_is_no_evidence() {
    let client = Some(&[("core", "2", true), ("tide", "2.0", true)] as Mods);
    let world = World { canon: true, client, log: OLD, ..World::default() };
    let told: Vec<_> = diagnose(&world).verdicts.iter().map(|v| (v.mod_id.clone(), v.confirmed_by.len())).collect();
    assert_eq!(told, [(Some("tide".into()), 2), (Some("core".into()), 1)]);
}

#[test]
fn lines_that_no_pattern_knows_are_weak_evidence_and_a_pattern_is_proposed() {
    let log = "gate: Mara is at the door\n?? mod tide was not found\ngate: turned Mara away";
    let world = World { canon: true, log, ..World::default() };
    assert_eq!(short(&world), [("mod-missing", None, 5)]);
    assert_eq!(
        diagnose(&world).proposals,
        [
            "[[event]]\nmeans = \"mod-missing\"\nin = \"server-log\"\nline = '\\?\\?\\s+mod\\s+(?<mod>\\S+)\\s+was\\s+not\\s+found'\n"
        ]
    );
    let client = Some(&[("core", "1", true)] as Mods);
    let measured = World { canon: true, client, log, ..World::default() };
    assert_eq!(short(&measured), [("mod-missing", CLIENT, 9)], "it supports what was measured");
    assert_eq!(diagnose(&measured).verdicts[0].confirmed_by, ["survey", "server-log"]);
}

#[test]
fn a_message_speaks_by_pattern_and_by_likeness() {
    let exact = World { message: Some("gate: Mara lacks tide 2.1"), ..World::default() };
    assert_eq!(short(&exact)[0], ("mod-missing", None, 8));
    assert_eq!(diagnose(&exact).verdicts[0].confirmed_by, ["message"]);
    let unknown = World { message: Some("the dog ate it"), ..World::default() };
    assert_eq!(short(&unknown), []);
    assert_eq!(diagnose(&unknown).unexplained[0].source.as_str(), "message");
}

#[test]
fn words_that_nothing_knows_are_guessed_at_and_said_to_be_unexplained() {
    let vague = World { canon: true, message: Some("mod mismtch, mismatch with tyde!"), ..World::default() };
    assert_eq!(short(&vague)[0], ("mod-missing", None, 2));
    assert_eq!(diagnose(&vague).verdicts[0].mod_id, None, "four letters may be any word");
    let server = World { server: Some(RIGHT), ..vague };
    assert_eq!(short(&server)[0], ("mod-missing", CLIENT, 2), "the server is in line");
    assert_eq!(diagnose(&vague).unexplained.len(), 1);
    let both = World { client: Some(RIGHT), ..server };
    assert_eq!(short(&both), [], "what was measured refutes it");
    let full = World { message: Some("Sorry, the server is full"), ..World::default() };
    assert_eq!(diagnose(&full).kept_out_by, Some(KeptOutBy::FullServer));
    assert_eq!(diagnose(&full).wanted[0], Wanted::Elsewhere(KeptOutBy::FullServer));
}

#[test]
fn a_player_is_told_what_to_install_although_only_a_line_tells_of_it() {
    let world = World { canon: true, server: Some(RIGHT), log: "gate: Mara lacks tide ?", ..World::default() };
    let told: Vec<_> = diagnose(&world).verdicts.remove(0).remedy;
    let told: Vec<_> = told.iter().map(|remedy| (remedy.who, remedy.words.to_string())).collect();
    assert_eq!(told[0], ("player", "On the client: Install tide 2.1 (mods).".to_owned()));
    let extra = World { log: "gate: Mara brings fog 1, which this station does not have", ..world };
    assert_eq!(short(&extra), [("mod-extra", CLIENT, 8)], "the server was measured, and has no such mod");
}

/// What is said to each person about a cause that only a line tells, without a survey of the client.
fn told_of(cause: Code, side: Option<Role>, mod_id: Option<&str>) -> Vec<String> {
    let rulebook = rulebook();
    let server = survey("station", Role::Server, RIGHT);
    let canon = Canon::from_survey(&server);
    let case = Case {
        rulebook: &rulebook,
        canon: Some(&canon),
        extras: Extras::Keep,
        server: Some(&server),
        client: None,
        events: &[],
        hints: &[],
        message: None,
        player: None,
        client_is_here: false,
        follow: None,
        is_guest: false,
        logs: &[],
    };
    let remedies = remedies::about_text(&case, (cause, mod_id.map(FoldedId::from).as_ref(), side), None);
    remedies.into_iter().map(|remedy| remedy.words.to_string()).collect()
}

#[test]
fn whatever_a_line_tells_there_is_something_to_do() {
    for cause in Code::ALL {
        for (side, mod_id) in
            [(CLIENT, Some("tide")), (CLIENT, None), (SERVER, Some("tide")), (None, Some("fog")), (None, None)]
        {
            for words in told_of(*cause, side, mod_id) {
                assert!(words.ends_with('.') && !words.contains("  ") && !words.contains(" ."), "{cause:?}: {words}");
                assert!(
                    !words.contains("()") && !words.contains(" by (") && !words.contains(": ."),
                    "{cause:?}: {words}"
                );
            }
        }
    }
}

#[test]
fn a_player_is_told_in_full_sentences() {
    let told = |cause, mod_id| told_of(cause, CLIENT, mod_id).remove(0);
    assert_eq!(told(Code::LoaderDiffers, None), "On the client: Install Trellis 0.9.");
    assert_eq!(told(Code::VersionOlder, Some("tide")), "On the client: Replace tide by 2.1.");
    assert_eq!(told(Code::ModDisabled, Some("tide")), "On the client: Switch tide on again.");
    assert_eq!(told(Code::ListEntryMissing, Some("tide")), "On the client: Add tide to the mod list.");
    assert_eq!(told(Code::StillPacked, Some("tide")), "On the client: Unpack tide: the game wants what is in it.");
    let which = "On the client: Hold every mod against the server's list (kanon handout writes it): which one it is, is not told.";
    assert_eq!(told(Code::VersionOther, None), which);
    assert_eq!(told(Code::GameDiffers, None), "On the client: Bring the game to the version that the server has.");
    assert_eq!(told(Code::VersionOther, Some("fog")), "On the client: Install the release of fog that the server has.");
    let server = told_of(Code::ModDuplicate, SERVER, Some("tide")).remove(0);
    assert_eq!(server, "Look for a second copy of tide on the server, and take one out.");
}
