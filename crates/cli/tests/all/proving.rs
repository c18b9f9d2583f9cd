//! What learning says of itself: an all-clear holds when the evening is played, and what can't be told is asked.

use rstest::rstest;

use crate::stage::{Stage, zip_of};

const BIRDS: [&str; 6] = ["heron", "dunlin", "godwit", "plover", "curlew", "knot"];

fn crate_of(id: &str, issue: &str, rest: &str) -> Vec<u8> {
    zip_of(&[
        ("slip.json", format!("{{\"key\": \"{id}\", \"issue\": \"{issue}\"}}").as_bytes()),
        ("tide.bin", rest.as_bytes()),
    ])
}

/// Six archives on both sides.
fn pair() -> Stage {
    let stage = Stage::empty();
    for (at, bird) in BIRDS.iter().enumerate() {
        for side in ["server", "client"] {
            stage.write(&format!("{side}/parcels/{bird}.crate"), crate_of(bird, &format!("1.{at}"), bird));
        }
    }
    stage
}

fn learn(stage: &Stage, code: i32) -> serde_json::Value {
    let words = ["learn", "server", "--client", "client", "--game", "Ternmouth", "-o", "d.toml", "--format", "json"];
    stage.kanon(words).ends_with(code).json()
}

/// What learning claims is what an administrator then meets.
fn evening(stage: &Stage, code: i32) {
    let init = ["init", "--name", "Low", "--rulebook", "d.toml", "--server", "server", "--client", "client"];
    stage.kanon(init).ends_with(0);
    stage.kanon(["adopt", "server"]);
    stage.kanon(["adopt", "client"]);
    stage.kanon(["seal"]);
    stage.kanon(["check"]).ends_with(code);
}

#[test]
fn an_all_clear_is_one() {
    let stage = pair();
    let report = learn(&stage, 0);
    assert_eq!(report["proof"]["holds"], true, "{report}");
    evening(&stage, 0);
    std::fs::remove_file(stage.path("d.toml")).unwrap();
    let said = stage.kanon(["learn", "server", "--client", "client", "--game", "Ternmouth", "-o", "d.toml"]);
    said.ends_with(0).says("all identified").says("nothing is off and nothing would be changed");
}

/// Other mods in place of the archives, the same on both sides.
fn instead(stage: &Stage, write: impl Fn(&str, usize, &str)) {
    for side in ["server", "client"] {
        std::fs::remove_dir_all(stage.path(&format!("{side}/parcels"))).unwrap();
        BIRDS.iter().enumerate().for_each(|(at, bird)| write(side, at, bird));
    }
}

/// A version that a script states as its numbers is read, and its digits are not passed over.
#[test]
fn versions_are_numbers_in_round_brackets() {
    let stage = pair();
    instead(&stage, |side, at, bird| {
        stage.write(&format!("{side}/nests/{bird}/info.py"), format!("KEY = \"{bird}\"\nVERSION = (1, {at}, 0)\n"));
        stage.write(&format!("{side}/nests/{bird}/main.py"), format!("def run():\n    return \"{bird}\"\n"));
        stage.write(&format!("{side}/nests.txt"), BIRDS.map(|bird| format!("{bird}\n")).concat());
    });
    learn(&stage, 0);
    let survey = ["survey", "server", "--rulebook", "d.toml", "--role", "server", "--format", "json"];
    let mods = stage.kanon(survey).ends_with(0).json()["mods"].clone();
    let told = |at: usize| mods.as_array().unwrap().iter().find(|m| m["id"] == BIRDS[at]).unwrap()["version"].clone();
    assert_eq!(told(3), "1.3.0");
}

/// Files that tell nothing, and a text that tells of them.
fn told_by(stage: &Stage, file: &str, text: &str) {
    instead(stage, |side, _, bird| {
        stage.write(&format!("{side}/nests/{bird}.nest"), format!("\u{1}{bird}"));
        stage.write(&format!("{side}/{file}"), text);
    });
}

/// Each pair is healthy, and a draft of it can't be right in all, or can't know that it is.
#[rstest]
#[case::a_players_own_mods(|stage: &Stage| stage.write("client/parcels/teal.crate", crate_of("teal", "3", "own")), "off", "teal")]
#[case::built_for_each_side(|stage: &Stage| stage.write("client/parcels/knot.crate", crate_of("knot", "1.5", "another build")), "off", "knot")]
#[case::listed_and_on_no_shelf(|stage: &Stage| {
    for bird in ["teal", "ruff"] {
        stage.write(&format!("server/others/{bird}/main.scr"), format!("go {bird}"));
    }
    let all = BIRDS.iter().copied().chain(["teal", "ruff"]).map(|bird| format!("{bird}\n")).collect::<String>();
    stage.write("server/lineup.txt", all);
}, "left-over", "a list names them")]
#[case::listed_among_the_mods_and_without_their_card(|stage: &Stage| instead(stage, |side, at, bird| {
    // The last has what it does, and no card.
    if at < 5 {
        stage.write(&format!("{side}/nests/{bird}/slip.cfg"), format!("key={bird}\nissue=1.{at}b\n"));
    }
    stage.write(&format!("{side}/nests/{bird}/tide.bin"), format!("\u{1}{bird}"));
    stage.write(&format!("{side}/nests.lst"), BIRDS.map(|bird| format!("{bird}\n")).concat());
}), "on-no-shelf", "knot")]
#[case::the_same_kind_elsewhere(|stage: &Stage| stage.write("server/sidecar/ruff.crate", crate_of("ruff", "2", "x")), "left-over", "sidecar")]
#[case::a_text_names_all_and_is_no_list(|stage: &Stage| {
    let rows = BIRDS.iter().enumerate().map(|(at, bird)| format!("{at}\t{bird} flies\t{bird}?\n"));
    stage.write("server/roost.dat.txt", format!("who goes where\n{}", rows.collect::<String>()));
}, "no-list", "roost.dat.txt of the server names 6 mods")]
#[case::a_second_list_of_some(|stage: &Stage| {
    stage.write("server/flock.txt", BIRDS.map(|bird| format!("{bird}\n")).concat());
    stage.write("server/flock-on-fridays.txt", BIRDS[..2].iter().map(|bird| format!("{bird}\n")).collect::<String>());
}, "no-list", "flock-on-fridays.txt")]
#[case::files_beside_the_mods(|stage: &Stage| for (side, bird) in BIRDS.iter().flat_map(|bird| [("server", bird), ("client", bird)]) {
    stage.write(&format!("{side}/parcels/{bird}.tune.json"), format!("{{\"tempo of the {side}\": 90}}"));
}, "unread", "called as they are, such as curlew.tune.json")]
#[case::cards_that_name_their_archives(|stage: &Stage| instead(stage, |side, at, bird| {
    stage.write(&format!("{side}/mods/{at}0-{bird}.toml"), format!("key = \"{bird}\"\nissue = \"1.{at}\"\nfile = \"eggs/{bird}.egg\"\n"));
    stage.write(&format!("{side}/eggs/{bird}.egg"), zip_of(&[("shell.bin", bird.as_bytes())]));
}), "unread", "name files at $.file")]
#[case::cards_apart_from_what_they_tell_of(|stage: &Stage| instead(stage, |side, at, bird| {
    stage.write(&format!("{side}/nests/cards/{bird}.xml"), format!("<nest key=\"{bird}\" issue=\"1.{at}\"/>"));
    stage.write(&format!("{side}/nests/eggs/{bird}/shell.bin"), format!("\u{1}{bird}"));
}), "left-over", "called as mods are")]
#[case::packed_otherwise(|stage: &Stage| instead(stage, |side, at, bird| {
    stage.write(&format!("{side}/mods/{bird}_1.{at}.tgz"), [b"\x1f\x8b\x08".as_slice(), bird.as_bytes()].concat());
}), "unread", "which Kanon does not look into")]
#[case::versions_beside_numbered_names(|stage: &Stage| {
    let rows = BIRDS.iter().enumerate().map(|(at, bird)| format!("Name{at}={bird}\nIssue{at}=1.{at}\n"));
    told_by(stage, "nests.ini", &format!("[Nests]\nCount=6\n{}", rows.collect::<String>()));
}, "unread", "Issue{n} = 1.0")]
#[case::versions_in_a_table(|stage: &Stage| {
    let rows = BIRDS.iter().enumerate().map(|(at, bird)| format!("{bird}.nest;2.{at};yes\n"));
    told_by(stage, "nests/nests.csv", &format!("file;issue;load\n{}", rows.collect::<String>()));
}, "unread", "says more of 6 mods than their names")]
#[case::a_games_own_areas(|stage: &Stage| {
    for (side, at, area) in ["server", "client"].iter().flat_map(|side| ["shore", "cave", "ridge"].iter().enumerate().map(move |(at, area)| (side, at, area))) {
        stage.write(&format!("{side}/areas/{area}/NOTE"), format!("{area} 3.2.{at}\n"));
    }
}, "unread", "by a line in their texts alone")]
fn what_can_not_be_told_is_no_all_clear(#[case] change: fn(&Stage), #[case] doubt: &str, #[case] about: &str) {
    let stage = pair();
    change(&stage);
    let report = learn(&stage, 1);
    let doubts = report["proof"]["doubts"].as_array().unwrap();
    let is_told = |one: &serde_json::Value| one["doubt"] == doubt && one["text"].as_str().unwrap().contains(about);
    assert!(doubts.iter().any(is_told), "{doubt} about {about}: {doubts:#?}");
    let draft = stage.read("d.toml");
    assert!(draft.contains("not in order yet") && draft.contains(about), "who has the file alone knows: {draft}");
    stage.kanon(["rulebook", "check", "d.toml"]).ends_with(0);
    assert!(doubts.iter().all(|one| !one["look_at"].as_str().unwrap().is_empty()));
}

/// What is kept and not used is left alone, with a word, and is no doubt.
#[rstest]
#[case::a_dated_backup("backup-2026-02-01")]
#[case::switched_off("parcels-disabled")]
fn what_is_out_of_use_is_left_alone(#[case] folder: &str) {
    let stage = pair();
    for bird in ["heron", "dunlin", "knot"] {
        stage.write(&format!("server/{folder}/{bird}.crate"), crate_of(bird, "0.9", "old"));
    }
    let report = learn(&stage, 0);
    let left = report["proof"]["left_alone"].as_array().unwrap();
    assert!(left.iter().any(|one| one["place"] == folder && one["why"] == "out-of-use"), "{left:?}");
    evening(&stage, 0);
}

/// Copies of a list that somebody kept are no lists.
#[test]
fn a_copy_of_a_list_is_none() {
    let stage = pair();
    let lines = |birds: &[&str]| birds.iter().map(|bird| format!("load {bird}\n")).collect::<String>();
    stage.write("server/harbour.cfg", lines(&BIRDS));
    for copy in ["harbour.cfg.bak", "harbour - Kopie.cfg", "harbour-2026-01-30.cfg", "old harbour.cfg"] {
        stage.write(&format!("server/{copy}"), lines(&BIRDS[..4]));
    }
    let report = learn(&stage, 0);
    let lists = report["surveyed"][0]["lists"].as_array().unwrap();
    assert_eq!((lists.len(), lists[0]["entries"].as_u64()), (1, Some(6)), "{lists:?}");
    evening(&stage, 0);
}

/// Folders whose names and keys say nothing of mods are told by what they share: called as their ids, of several versions.
#[rstest]
#[case::several_versions(|at: usize| format!("2.{at}"), true)]
#[case::one_version_is_the_games(|_| "8.1.0".to_owned(), false)]
fn folders_are_told_without_a_word_for_mods(#[case] version: fn(usize) -> String, #[case] are_mods: bool) {
    let stage = Stage::empty();
    for (at, bird) in BIRDS.iter().enumerate() {
        for side in ["server", "client"] {
            let leaf = format!("ident: {bird}\nrev: \"{}\"\nby: moss\n", version(at));
            stage.write(&format!("{side}/annex/{bird}/leaf.yml"), leaf);
            stage.write(&format!("{side}/annex/{bird}/tune.dat"), *bird);
        }
    }
    let report = learn(&stage, i32::from(!are_mods));
    assert_eq!(report["proof"]["holds"], are_mods);
    let mods: Vec<u64> =
        report["surveyed"].as_array().unwrap().iter().map(|one| one["mods"].as_u64().unwrap()).collect();
    assert_eq!(mods, if are_mods { vec![6, 6] } else { vec![] }, "{report}");
}

/// Words of which none says that a mod can't do without another are asked about; beside one that does, they mean less.
#[rstest]
#[case::one_is_known("needed", "nice", 0)]
#[case::none_is_known("grave", "slight", 1)]
fn unknown_kinds_are_not_taken_for_required(#[case] first: &str, #[case] second: &str, #[case] code: i32) {
    let stage = Stage::empty();
    for (at, bird) in BIRDS.iter().enumerate() {
        let (other, kind) = (BIRDS[(at + 1) % BIRDS.len()], if at % 2 == 0 { first } else { second });
        let slip = format!(
            "{{\"key\": \"{bird}\", \"issue\": \"1.{at}\", \"uses\": [{{\"key\": \"{other}\", \"how\": \"{kind}\"}}]}}"
        );
        for side in ["server", "client"] {
            stage.write(&format!("{side}/parcels/{bird}.crate"), zip_of(&[("slip.json", slip.as_bytes())]));
        }
    }
    let report = learn(&stage, code);
    assert_eq!(report["proof"]["holds"], code == 0, "{report}");
    let optional = format!("{second} = \"optional\"");
    assert_eq!(stage.read("d.toml").contains(&optional), code == 0);
}

/// The game's own content among the mods' kind: no list names any of it, and all says one version.
#[test]
fn what_no_list_names_beside_what_one_does_is_left_to_the_game() {
    let stage = pair();
    for (side, part) in [("server", "shore"), ("server", "weather"), ("client", "shore"), ("client", "weather")] {
        stage.write(&format!("{side}/official/{part}.crate"), crate_of(part, "8.0", part));
    }
    let names = BIRDS.iter().map(|bird| format!("{bird}\n")).collect::<String>();
    stage.write("server/parcels.txt", names.clone());
    stage.write("client/parcels.txt", names);
    let report = learn(&stage, 0);
    let left = report["proof"]["left_alone"].as_array().unwrap();
    assert!(left.iter().any(|one| one["place"] == "official" && one["why"] == "of-the-game"), "{left:?}");
    evening(&stage, 0);
}

/// A player has set something inside of mods; the mods are the same otherwise.
#[test]
fn a_players_settings_in_mods_are_no_difference() {
    let stage = Stage::empty();
    for (at, bird) in BIRDS.iter().enumerate() {
        for (side, volume) in [("server", 3), ("client", 3 + at % 2)] {
            let slip = format!("key = \"{bird}\"\nissue = \"1.{at}\"\n");
            stage.write(&format!("{side}/parcels/{bird}/slip.toml"), slip);
            stage.write(&format!("{side}/parcels/{bird}/knobs/sound.ini"), format!("volume = {volume}\n"));
            stage.write(&format!("{side}/parcels/{bird}/tune.dat"), *bird);
        }
    }
    let report = learn(&stage, 0);
    assert_eq!(report["proof"]["holds"], true, "{report}");
    assert!(stage.read("d.toml").contains("settings = [\"knobs/**\"]"), "{}", stage.read("d.toml"));
    let asked = report["open_questions"].as_array().unwrap();
    assert!(asked.iter().any(|one| one.as_str().is_some_and(|text| text.contains("knobs/**"))), "{asked:?}");
    evening(&stage, 0);
    // What is no setting still counts.
    stage.write("client/parcels/knot/tune.dat", "another tune");
    stage.kanon(["check"]).ends_with(1).says("content-differs");
}

/// Data of mods that differs was changed by somebody; nothing says that it is a taste.
#[rstest]
#[case::a_text("tune.json")]
#[case::no_text("knobs/tune.dat")]
fn data_that_differs_belongs_to_nobody(#[case] file: &str) {
    let stage = Stage::empty();
    for (at, bird) in BIRDS.iter().enumerate() {
        for (side, tempo) in [("server", 90), ("client", 90 + usize::from(at == 2))] {
            let slip = format!("key = \"{bird}\"\nissue = \"1.{at}\"\n");
            stage.write(&format!("{side}/parcels/{bird}/slip.toml"), slip);
            stage.write(&format!("{side}/parcels/{bird}/{file}"), format!("{{\"tempo\": {tempo}}}"));
        }
    }
    let report = learn(&stage, 1);
    assert!(!stage.read("d.toml").contains("settings ="), "{report}");
}

#[rstest]
#[case::in_a_file("harbour.ini", "[net]\nlisten-port = 4100\nmax = 8\n", Some(4100))]
#[case::as_an_option("go.sh", "#!/bin/sh\n./hall -quiet --port 4100 -x\n", Some(4100))]
#[case::two_of_them("harbour.ini", "[net]\nport = 4100\nconsole-port = 4200\n", None)]
#[case::a_low_one("harbour.ini", "[net]\nport = 80\n", None)]
#[case::a_word_with_it("harbour.ini", "[net]\nsupport = 4100\n", None)]
fn the_port_of_a_server_is_a_sign_that_it_runs(#[case] file: &str, #[case] text: &str, #[case] port: Option<u16>) {
    let stage = pair();
    stage.write(&format!("server/{file}"), text);
    learn(&stage, 0);
    let running = port.map(|port| {
        format!("[running]\n# {file} states it, and no other file another (sure to 70 %)\nport = {port}\n")
    });
    let draft = stage.read("d.toml");
    match running {
        Some(running) => assert!(draft.contains(&running), "{draft}"),
        None => assert!(!draft.contains("[running]"), "{draft}"),
    }
}
