//! What a publisher may do to a player, and what not: the release is signed by the right keys, and hostile all the same.

use rstest::rstest;

use crate::attacks::Scene;
use crate::releases::invite;
use crate::stage::Stage;

/// A rulebook of the demo's game with one thing put before its first shelf, or behind all.
fn rulebook(scene: &Scene, before: &str, behind: &str) -> String {
    let text = scene.stage.read(&scene.target("game.rulebook.toml"));
    let (head, shelves) = text.split_once("[[shelf]]").unwrap();
    format!("{head}{before}\n[[shelf]]{shelves}\n{behind}\n")
}

/// What each of three players sees: one who follows already, one who has just been invited, one who only looks. None of their
/// games is changed, and nothing is run.
#[track_caller]
fn nobody_is_harmed(scene: &Scene, told: &str) {
    let games = ["oskar", "tove", "wren"].map(|player| (player, scene.game(player)));
    let all = ["--yes", "--beyond-mods", "--anyway"];
    scene.stage.kanon(["follow", "oskar"].into_iter().chain(all)).ends_with(2).says(told);
    scene.stage.kanon(["follow", &scene.invite, "tove"].into_iter().chain(all)).ends_with(2).says(told);
    scene.stage.kanon(["follow", &scene.invite, "wren", "--check", "--anyway"]).ends_with(2).says(told);
    for (player, game) in games {
        assert_eq!(scene.game(player), game, "{player}");
    }
    assert!(!scene.stage.path("tove/.kanon").exists() && !scene.stage.path("wren/.kanon").exists());
    assert!(!scene.stage.path("ran").exists(), "something was run");
    // The way back that was printed before still leads there, and nowhere else.
    scene.stage.kanon(["-C", "oskar", "history"]).ends_with(0);
}

const SHELF: &str = "[[shelf]]\nname = \"worm\"\nholds = \"files\"\nin = \"WHERE\"\nmatch = [\"*.toml\"]\n[shelf.mod]\nid = { file-name = '^(?<id>.+)$' }\n";

#[rstest]
#[case::shelf(".kanon/follow")]
#[case::letter_case(".KaNoN/follow")]
#[case::short_name("KANON~1/follow")]
#[case::hashed_short_name("KA12EF~1")]
#[case::kelvin_sign(".\u{212a}anon/follow")]
#[case::passed_over(".ka\u{200d}non")]
#[case::deeper("mods/.kanon")]
#[case::any("*/.kanon/*")]
fn a_shelf_in_kanons_own_folder(#[case] place: &str) {
    let scene = Scene::set();
    let rulebook = rulebook(&scene, &SHELF.replace("WHERE", place), "");
    scene.sign_rulebook(&rulebook, |_| ());
    nobody_is_harmed(&scene, "Kanon's own folder");
}

#[rstest]
#[case::extra(
    "[[shelf]]\nname = \"w\"\nholds = \"folders\"\nin = \"mods\"\nmatch=[\"w*\"]\n[shelf.mod]\nid = { file-name = '^(?<id>.+)$' }\n[[shelf.extra]]\nfrom = \"x\"\nin = \".kanon/follow\"\n"
)]
#[case::setting("[[setting]]\nname = \"s\"\nfile = \".kanon/follow/kanon.toml\"\nat = \"$.name\"\nis = \"x\"\n")]
#[case::wild_setting("[[setting]]\nname = \"s\"\nfile = \".kanon/*/kanon.toml\"\nat = \"$.name\"\nis = \"x\"\n")]
#[case::list("[[list]]\nname = \"l\"\nfile = \".kanon/follow/canon.json\"\nat = \"$.mods\"\nentry = \"id\"\n")]
#[case::merged("[[fragment]]\nfrom = \"a.xml\"\ninto = \".kanon/receipt.json\"\nbefore = \"x\"\nidentity = \"id\"\n")]
#[case::lock("[running]\nlock-file = \".kanon/aligning\"\n")]
#[case::keys("[keyring]\nin = { client = \".kanon/keys\" }\n")]
#[case::world("[[world]]\nin = { client = \".kanon/backups\" }\n")]
#[case::memory("[[memory]]\nfile = \".kanon/x.sh\"\noption = \"-room\"\nfloor = \"1GiB\"\n")]
fn anything_else_of_a_rulebook_in_kanons_own_folder(#[case] lines: &str) {
    let scene = Scene::set();
    let is_shelf = lines.starts_with("[[shelf]]");
    let rulebook = if is_shelf { rulebook(&scene, lines, "") } else { rulebook(&scene, "", lines) };
    scene.sign_rulebook(&rulebook, |_| ());
    nobody_is_harmed(&scene, "Kanon's own folder");
}

/// What a rulebook may name, a canon may fill with what it may not.
#[rstest]
#[case::workspace("kanon.toml", "would be taken for a workspace")]
#[case::canon("Canon.JSON", "would be taken for a workspace")]
#[case::short_name("KANON~1.TOM", "would be taken for a workspace")]
#[case::own_folder(".kanon/follow/kanon.toml", "Kanon's own folder")]
#[case::own_folder_in_capitals(".KANON/receipt.json", "Kanon's own folder")]
fn a_mod_that_would_be_a_workspace(#[case] name: &str, #[case] told: &str) {
    let scene = Scene::set();
    let text = rulebook(&scene, &SHELF.replace("WHERE", ".").replace("*.toml", "*"), "");
    scene.sign_rulebook(&text, |canon| {
        let worm = &mut canon["mods"][0];
        (worm["shelf"], worm["name"], worm["needed_on"]) = ("worm".into(), name.into(), "both".into());
        worm["files"][0]["path"] = name.into();
        worm["files"].as_array_mut().unwrap().truncate(1);
    });
    nobody_is_harmed(&scene, told);
}

#[rstest]
#[case::backups("[backups]\nkeep = 0\n", "[backups]")]
#[case::release("[release]\nto = \"../../..\"\n", "[release]")]
#[case::source("[source.worm]\nat = \"/\"\n", "[source]")]
#[case::facts("[facts]\nport = \"1\"\n", "[facts]")]
#[case::install("[install.oskar]\nrole = \"client\"\nat = \"../..\"\nstop = [\"touch\", \"ran\"]\n", "[install]")]
#[case::mods("[[mod]]\nid = \"worm\"\n", "[mod]")]
#[case::memory("memory = \"1GiB\"\n", "[memory]")]
#[case::setting(
    "[[setting]]\nname = \"worm\"\nfile = \"x.json\"\nat = \"$.a\"\nis = \"1\"\nof = \"server\"\n",
    "the server's setting worm"
)]
#[case::own_setting(
    "[[setting]]\nname = \"worm\"\nfile = \".kanon/follow/kanon.toml\"\nat = \"$.a\"\nis = \"1\"\n",
    "Kanon's own folder"
)]
fn a_workspace_file_that_says_more_than_is_for_players(#[case] lines: &str, #[case] told: &str) {
    let scene = Scene::set();
    let text = scene.stage.read(&scene.target("kanon.toml"));
    let text = if lines.starts_with('[') { text + "\n" + lines } else { lines.to_owned() + &text };
    scene.sign(&[("kanon.toml", text)]);
    nobody_is_harmed(&scene, told);
}

/// A `kanon.toml` in the game's folder, wherever it came from, with commands that would be run.
#[rstest]
#[case::root("oskar")]
#[case::folder_of_mods("oskar/mods")]
fn a_kanon_toml_among_a_games_files_is_never_its_workspace(#[case] folder: &str) {
    let scene = Scene::set();
    let ran = scene.stage.path("ran").display().to_string();
    let commands = format!("stop = [\"touch\", \"{ran}\"]\nstart = [\"touch\", \"{ran}\"]\n");
    let rulebook = scene.stage.read("polarspur.rulebook.toml") + "\n[running]\nlock-file = \"lock\"\n";
    scene.stage.write(&format!("{folder}/p.rulebook.toml"), rulebook);
    scene.stage.write("oskar/lock", "");
    scene.stage.write(&format!("{folder}/lock"), "");
    let of = |role: &str, name: &str| {
        format!("[install.{name}]\nrole = \"{role}\"\nat = \"{}\"\n{commands}", scene.stage.path("oskar").display())
    };
    let text = format!(
        "format = \"kanon/1\"\nname = \"worm\"\nrulebook = \"p.rulebook.toml\"\n{}{}",
        of("server", "oskar"),
        of("client", "x")
    );
    scene.stage.write(&format!("{folder}/kanon.toml"), text);
    std::fs::copy(scene.stage.path("canon.json"), scene.stage.path(&format!("{folder}/canon.json"))).unwrap();
    std::fs::remove_file(scene.stage.path("oskar/mods/drift-radio-1.1.0.psm")).unwrap();
    for words in [
        vec!["align", "oskar", "--yes"],
        vec!["undo", "oskar"],
        vec!["align", "x", "--yes"],
        vec!["rehearse", "oskar", "--yes"],
        vec!["isolate", "oskar", "--yes"],
        vec!["seal"],
        vec!["follow", "--yes"],
        vec!["follow", "--check"],
        vec!["undo", "oskar"],
    ] {
        let said = scene.stage.kanon(["-C", folder].into_iter().chain(words.iter().copied()));
        assert!(!scene.stage.path("ran").exists(), "{words:?}: {said:?}");
        assert!(!said.out.contains("worm"), "{words:?}: {said:?}");
    }
    scene.stage.kanon(["-C", folder, "history"]).ends_with(0).says("oskar");
}

#[test]
fn a_game_with_an_administrators_workspace_does_not_begin_to_follow() {
    let scene = Scene::set();
    scene.stage.write("tove/kanon.toml", scene.stage.read("kanon.toml"));
    scene
        .stage
        .kanon(["follow", &scene.invite, "tove", "--yes"])
        .ends_with(2)
        .says("administrator's workspace")
        .says("do:");
    scene
        .stage
        .kanon(["follow", &scene.invite, "oskar/mods", "--yes", "--anyway"])
        .ends_with(2)
        .says("name the game's own folder");
}

#[test]
fn what_a_rulebook_governs_is_told_at_first_and_when_it_changes() {
    let scene = Scene::set();
    scene.stage.kanon(["follow", &scene.invite, "tove", "--yes"]).ends_with(0).says("looks after the mods in mods");
    scene.stage.kanon(["follow", "tove", "--yes"]).ends_with(0).hides("looks after");
    let text = rulebook(&scene, &SHELF.replace("WHERE", "maps"), "");
    scene.sign_rulebook(&text, |_| ());
    scene.stage.kanon(["follow", "tove", "--check"]).ends_with(0).says("maps");
    scene.stage.kanon(["follow", "tove", "--yes"]).ends_with(0).says("maps");
    scene.stage.kanon(["follow", "tove", "--yes"]).ends_with(0).hides("maps");
}

#[test]
fn the_games_own_folder_is_governed_only_by_a_yes_of_its_own() {
    let scene = Scene::set();
    let text = rulebook(&scene, &SHELF.replace("WHERE", "."), "");
    scene.sign_rulebook(&text, |_| ());
    let (oskar, tove) = (scene.game("oskar"), scene.game("tove"));
    scene.stage.kanon(["follow", "oskar", "--yes"]).ends_with(1).says("the game's own folder").says("--beyond-mods");
    scene.stage.kanon(["follow", &scene.invite, "tove", "--yes"]).ends_with(1).says("--beyond-mods");
    assert!(!scene.stage.path("tove/.kanon").exists());
    assert_eq!((scene.game("oskar"), scene.game("tove")), (oskar, tove));
    scene.stage.kanon(["follow", "oskar", "--yes", "--beyond-mods"]).ends_with(0);
    scene.stage.kanon(["follow", "oskar", "--yes"]).ends_with(0).hides("--beyond-mods");
}

/// A program is known by what is in it, not by its name; in the folder of mods nobody minds.
#[rstest]
#[case::by_content("stock/sounds.pak", b"MZ\x90\x00 and more of it".as_slice(), true)]
#[case::by_name("stock/tide.dll", b"anything".as_slice(), true)]
#[case::no_program("stock/sounds.pak", b"only sounds".as_slice(), false)]
fn programs_outside_the_folders_of_mods_need_a_yes_of_their_own(
    #[case] file: &str,
    #[case] bytes: &[u8],
    #[case] asks: bool,
) {
    let stage = Stage::empty();
    stage.write("g.rulebook.toml", "format = \"kanon-rulebook/1\"\ngame = \"Ebbmoor\"\n[[shelf]]\nname = \"holds\"\nholds = \"folders\"\nin = \"holds\"\n[shelf.mod]\nid = { file-name = '^(?<id>.+)$' }\n[[shelf.extra]]\nfrom = \"stock\"\nin = { client = \"bin\" }\n");
    for side in ["hall", "boat"] {
        stage.write(&format!("{side}/holds/reed/{file}"), bytes);
        stage.write(&format!("{side}/holds/reed/own.dll"), b"MZ of a mod");
    }
    stage
        .kanon(["init", "--name", "Ebb", "--rulebook", "g.rulebook.toml", "--server", "hall", "--client", "boat"])
        .ends_with(0);
    stage.kanon(["adopt", "hall"]).ends_with(0);
    stage.kanon(["seal"]).ends_with(0);
    stage.kanon(["publish", "site"]).ends_with(0);
    let invite = invite(&stage);
    std::fs::create_dir_all(stage.path("new/holds")).unwrap();
    let first = stage.kanon(["follow", &invite, "new", "--yes"]);
    let target = format!("new/bin/{}", file.trim_start_matches("stock/"));
    if asks {
        first.ends_with(1).says("bin/").says("outside the folders of mods").says("--beyond-mods");
        assert!(!stage.path(&target).exists() && !stage.path("new/holds/reed").exists());
        stage.kanon(["follow", "new", "--yes", "--beyond-mods"]).ends_with(0);
    } else {
        first.ends_with(0);
    }
    assert_eq!(std::fs::read(stage.path(&target)).unwrap(), bytes);
}

#[test]
fn another_release_is_looked_at_without_a_trace_and_followed_only_by_a_yes() {
    let scene = Scene::set();
    let other = Stage::sealed();
    other.kanon(["publish", "site"]).ends_with(0);
    let theirs = invite(&other);
    let before = scene.stage.fingerprint("oskar");
    scene.stage.kanon(["follow", &theirs, "oskar", "--check"]).says("until now this game followed");
    scene.stage.kanon(["follow", &theirs, "oskar"]).ends_with(1).says("until now this game followed").says("add --yes");
    let bytes = |all: crate::stage::Fingerprint| {
        all.into_iter()
            .filter(|(name, _)| !name.contains(".db") && !name.ends_with('/') && !name.contains("at-work"))
            .map(|(name, (bytes, ..))| (name, bytes))
            .collect::<Vec<_>>()
    };
    assert_eq!(bytes(scene.stage.fingerprint("oskar")), bytes(before));
    scene.stage.kanon(["follow", &theirs, "oskar", "--yes"]).ends_with(0);
    let now = scene.stage.read("oskar/.kanon/follow/following.json");
    assert!(now.contains(&theirs), "{now}");
    // And back: what was seen of the first one still counts.
    scene.stage.kanon(["follow", &scene.invite, "oskar", "--yes"]).ends_with(0);
}
