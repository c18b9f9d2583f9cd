//! Versions, worlds and places around the shelves.

use super::super::memory::Memory;
use super::*;
use rstest::rstest;

#[rstest]
#[case("engine/wick-0.9.1.psb", Some(("wick", "0.9.1", r"^engine/wick-(?<version>.+)\.psb$")))]
#[case("wick_loader-2.0.jar", Some(("wick_loader", "2.0", r"^wick_loader-(?<version>.+)\.jar$")))]
#[case("engine/a/b/c/d/wick-0.9.psb", None)]
#[case("engine/wick.psb", None)]
#[case("engine/0.9.psb", None)]
fn a_file_may_bear_a_version(#[case] file: &str, #[case] expected: Option<(&str, &str, &str)>) {
    let server = Memory::server(&[(file, b"x")]);
    let found = named_versions(&server, &HashSet::new());
    let shown = found.first().map(|f| (f.name.as_str(), f.version.as_str(), f.pattern.as_str()));
    assert_eq!(shown, expected);
    if let Some(found) = found.first() {
        let regex = Regex::new(&found.pattern).expect("a regex");
        assert_eq!(&regex.captures(file).expect("it fits")["version"], found.version);
    }
}

#[test]
fn a_name_that_bears_several_versions_tells_none() {
    let server = Memory::server(&[("lib/a-1.0.jar", b"x"), ("lib/a-2.0.jar", b"x"), ("lib/b-1.0.jar", b"x")]);
    let found = named_versions(&server, &HashSet::new());
    assert_eq!(found.iter().map(|found| found.name.as_str()).collect::<Vec<_>>(), ["b"]);
}

#[rstest]
#[case("engine/build.json", r#"{"build": {"version": "1.4.2", "number": 7}}"#, Some(("$.build.version", "1.4.2")))]
#[case("version.ini", "[Game]\nVersion=2.0\n", Some(("$.Game.Version", "2.0")))]
#[case("settings.json", r#"{"version": "1.0"}"#, None)]
#[case("engine/build.json", r#"{"formatVersion": "1.0"}"#, None)]
#[case("engine/build.json", r#"{"version": "latest"}"#, None)]
fn the_games_version_may_stand_in_a_document(
    #[case] file: &str,
    #[case] text: &str,
    #[case] expected: Option<(&str, &str)>,
) {
    let server = Memory::server(&[(file, text.as_bytes())]);
    let files: Vec<&Seen> = server.files().iter().collect();
    let found = stated_version(&server, &files);
    assert_eq!(found.as_ref().map(|found| (found.at.as_str(), found.version.as_str())), expected);
}

#[rstest]
#[case(&["worlds/fen/level.bin", "worlds/tern/level.bin"], &["worlds/*"])]
#[case(&["saves/one.sav"], &["saves/*"])]
#[case(&["world/level.bin"], &["world"])]
#[case(&["data/world/level.bin"], &["data/world"])]
#[case(&["worlds/fen/saves/a.bin"], &["worlds/*"])]
#[case(&["worldmap/level.bin"], &[])]
fn folders_of_worlds_are_told_by_their_names(#[case] files: &[&str], #[case] expected: &[&str]) {
    let files: Vec<(&str, &[u8])> = files.iter().map(|path| (*path, &b"x"[..])).collect();
    let found = worlds(&Memory::server(&files), &HashSet::new());
    assert_eq!(found.iter().map(|found| found.place.as_str()).collect::<Vec<_>>(), expected);
}

#[rstest]
#[case("worlds/fen/packs", "worlds/*/packs")]
#[case("worlds/fen", "worlds/fen")]
#[case("mods", "mods")]
#[case("worldsmith/fen/packs", "worldsmith/fen/packs")]
fn a_place_in_one_world_is_the_place_in_any(#[case] path: &str, #[case] expected: &str) {
    let worlds = [FoundWorlds { place: "worlds/*".to_owned(), clue: Clue::NoClient }];
    assert_eq!(in_any_world(path, &worlds), expected);
}

#[rstest]
#[case::one_file(&["console.log"], Some("console.log"))]
#[case::a_file_a_day(&["out/run-2026-11-01.log", "out/run-2026-11-02.log"], Some("out/run-*.log"))]
#[case::a_day_that_is_the_only_one(&["out/run_20261101.log"], Some("out/run_*.log"))]
#[case::a_folder_of_them(&["logs/latest.log", "logs/2026-11-01-1.log.gz", "engine/boot.log"], Some("logs"))]
#[case::texts_in_such_a_folder(&["var/Log/engine.txt", "var/Log/engine_old.txt"], Some("var/Log"))]
#[case::two_kinds_beside_each_other(&["user/player.log", "user/player-prev.log", "user/keys.cfg"], Some("user/*.log"))]
#[case::reports_of_crashes(&["crashes/dump-01.log", "game.log"], Some("game.log"))]
#[case::what_set_it_up(&["unins000.log", "setup.log"], None)]
#[case::of_a_mod(&["mods/kit/kit.log"], None)]
#[case::no_log(&["notes.txt", "catalog/a.txt", "blog/post.txt"], None)]
#[case::a_letter_no_pattern_can_mean(&["out/[a]{b}.log"], None)]
fn where_a_game_writes_is_told_by_names(#[case] files: &[&str], #[case] expected: Option<&str>) {
    let files: Vec<(&str, &[u8])> = files.iter().map(|path| (*path, &b"x"[..])).collect();
    let inside: HashSet<String> = ["mods".to_owned(), "mods/kit".to_owned()].into();
    let found = logs(&Memory::server(&files), &inside);
    assert_eq!(found.map(|found| found.place).as_deref(), expected);
}
