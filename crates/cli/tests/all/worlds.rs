//! Worlds, running games, base archives and old backups, as an administrator meets them.

use std::net::TcpListener;

use rstest::rstest;
use serde_json::json;

use crate::stage::{Stage, zip_of};

const RULEBOOK: &str = r#"format = "kanon-rulebook/1"
game   = "Tallowfen"

[versions]
scheme = "dotted"

[running]
lock-file = "fen.lock"

[[shelf]]
name  = "loads"
holds = "archives"
in    = { server = "loads", client = "loads" }
match = ["*.load"]
[shelf.mod]
document     = { member = "leaflet.json" }
id           = "$.called"
version      = "$.version"
game         = "$.fen"
needed_on    = { at = "$.side", means = { all = "both", mine = "client" } }
shapes-world = { at = "$.reshapes", means = { "true" = "yes", "false" = "no" } }

[[shelf]]
name  = "packs"
holds = "archives"
in    = { server = "worlds/*/packs" }
match = ["*.pack"]
[shelf.mod]
document = { member = "leaflet.json" }
id       = "$.called"

[[world]]
in = { server = "worlds/*" }
"#;

fn load(id: &str, version: &str, reshapes: bool) -> Vec<u8> {
    let leaflet = format!(r#"{{"called": "{id}", "version": "{version}", "reshapes": {reshapes}, "side": "all"}}"#);
    zip_of(&[("leaflet.json", leaflet.as_bytes())])
}

/// A server with a world and a data pack in it; the canon wants one more mod, which reshapes worlds.
fn stage() -> Stage {
    let stage = Stage::bare();
    stage.write("fen.rulebook.toml", RULEBOOK);
    for install in ["model", "fen"] {
        stage.write(&format!("{install}/loads/lamp.load"), load("lamp", "1", false));
        stage.write(&format!("{install}/worlds/moor/level"), format!("the world of {install}"));
        stage.write(
            &format!("{install}/worlds/moor/packs/bog.pack"),
            zip_of(&[("leaflet.json", br#"{"called": "bog"}"#)]),
        );
    }
    stage.write("model/loads/peat.load", load("peat", "2", true));
    let wishes = "format = \"kanon/1\"\nname = \"Fen\"\nrulebook = \"fen.rulebook.toml\"\ngame-version = \"2\"\n\n[install.model]\nrole = \"server\"\nat = \"model\"\n\n\
        [install.fen]\nrole = \"server\"\nat = \"fen\"\n";
    stage.write("kanon.toml", wishes);
    stage.kanon(["adopt", "model"]).ends_with(0);
    stage.kanon(["seal"]).ends_with(0);
    stage
}

#[test]
fn a_mod_that_reshapes_the_world_asks_what_becomes_of_it() {
    let stage = stage();
    let before = stage.fingerprint("fen");
    stage.kanon(["check", "fen"]).ends_with(1).says("world-needs-new").says("--world new").says("worlds/moor");
    stage.kanon(["align", "fen", "--yes"]).ends_with(1).says("peat would reshape the world").says("--world keep");
    let undecided = stage.kanon(["align", "fen", "--preview", "--format", "json"]).ends_with(1).json();
    assert_eq!(undecided["undecided"], json!(["peat"]));
    assert_eq!(stage.fingerprint("fen"), before, "nothing was done while nobody had said");
    let kept = stage.kanon(["align", "fen", "--yes", "--world", "keep", "--format", "json"]).ends_with(0).json();
    crate::stage::fits_its_schema("alignment", &kept);
    assert_eq!(kept["steps"][0]["action"], "back-up");
    assert_eq!(stage.read("fen/worlds/moor/level"), "the world of fen");
    stage.write("fen/worlds/moor/level", "played on");
    stage.kanon(["undo", "fen"]).ends_with(0).says("had been changed since");
    assert_eq!(stage.fingerprint("fen"), before);
}

#[test]
fn one_install_whose_world_is_undecided_stops_no_other() {
    let stage = stage();
    let wishes = stage.read("kanon.toml");
    stage.write("kanon.toml", wishes + "\n[install.mara]\nrole = \"client\"\nat = \"mara-fen\"\n");
    stage.write("mara-fen/loads/lamp.load", load("lamp", "1", false));
    let before = stage.fingerprint("fen");
    let said = stage.kanon(["align", "--all", "--yes"]).ends_with(1).says("fen: peat would reshape the world");
    drop(said.says("alignment 1 of mara"));
    assert!(stage.path("mara-fen/loads/peat.load").exists());
    assert_eq!(stage.fingerprint("fen"), before);
}

#[test]
fn of_many_steps_alike_the_first_few_are_told() {
    let stage = stage();
    for region in 0..20 {
        stage.write(&format!("fen/worlds/moor/region/{region}"), "planks");
    }
    let preview = ["align", "fen", "--preview", "--world", "new"];
    let said = stage.kanon(preview).ends_with(1).says("and 19 more like these; -v tells each").says("23. ");
    drop(said.hides("region/19 ->"));
    stage.kanon(preview.into_iter().chain(["-v"])).ends_with(1).says("region/19 ->").hides("more like these");
}

#[test]
fn a_new_world_leaves_the_old_one_under_another_name_and_the_packs_come_into_the_new_place() {
    let stage = stage();
    let before = stage.fingerprint("fen");
    stage.kanon(["align", "fen", "--yes", "--world", "new"]).ends_with(0);
    let now = stage.fingerprint("fen");
    let aside: Vec<&String> = now.keys().filter(|name| name.starts_with("/worlds-set-aside/moor-")).collect();
    assert!(aside.iter().any(|name| name.ends_with("/level")), "{aside:?}");
    assert!(!now.contains_key("/worlds/moor/level"), "the game makes a new one");
    assert!(now.contains_key("/worlds/moor/packs/bog.pack"), "{:?}", now.keys());
    stage.kanon(["undo", "fen"]).ends_with(0);
    assert_eq!(stage.fingerprint("fen"), before);
}

#[rstest]
#[case::folder(false)]
#[case::archive(true)]
fn a_prepared_world_comes_under_the_name_that_the_game_wants(#[case] packed: bool) {
    let stage = stage();
    let members: [(&str, &[u8]); 2] = [("my save/level", b"prepared"), ("my save/region/0", b"r")];
    stage.write("mine.zip", zip_of(&members));
    for (name, bytes) in members {
        stage.write(&format!("mine/{name}"), bytes);
    }
    let world = if packed { "mine.zip" } else { "mine" };
    stage.kanon(["align", "fen", "--yes", "--world", world]).ends_with(0);
    assert_eq!(stage.read("fen/worlds/moor/level"), "prepared");
    assert_eq!(stage.read("fen/worlds/moor/region/0"), "r");
    assert_eq!(stage.read("mine/my save/level"), "prepared", "what was prepared is copied, not moved");
    stage.kanon(["align", "fen", "--yes", "--world", "nowhere"]).ends_with(2).says("--world takes keep, new, or");
}

#[test]
fn a_running_server_is_not_written_to_unless_told_or_stopped_first() {
    let stage = stage();
    stage.write("fen/fen.lock", "");
    let align = ["align", "fen", "--yes", "--world", "keep"];
    let before = stage.fingerprint("fen");
    stage.kanon(align).ends_with(2).says("fen is running (the file fen.lock is there)").says("--while-running");
    assert_eq!(stage.fingerprint("fen"), before);
    let wishes = stage.read("kanon.toml");
    let with =
        |lines: &str| stage.write("kanon.toml", wishes.replace("at = \"fen\"", &format!("at = \"fen\"\n{lines}")));
    with("stop = [\"false\"]");
    stage.kanon(align).ends_with(2).says("as a command of kanon.toml it ended with");
    assert_eq!(stage.fingerprint("fen"), before);
    with("stop = [\"rm\", \"fen/fen.lock\"]\nstart = [\"touch\", \"fen/started\"]");
    stage.kanon(align).ends_with(0).says("it is stopped by: rm fen/fen.lock").says("fen is started by");
    for _ in 0..100 {
        if stage.path("fen/started").exists() {
            break;
        }
        std::thread::sleep(std::time::Duration::from_millis(20));
    }
    assert!(stage.path("fen/started").exists());
    stage.write("fen/fen.lock", "");
    stage.kanon(["undo", "fen", "--while-running"]).ends_with(0).says("it is written to all the same");
}

#[test]
fn an_open_port_and_a_running_program_are_signs_too() {
    let stage = stage();
    let listener = TcpListener::bind("127.0.0.1:0").unwrap();
    let port = listener.local_addr().unwrap().port();
    let signs = |lines: &str| stage.write("fen.rulebook.toml", RULEBOOK.replace("lock-file = \"fen.lock\"", lines));
    signs(&format!("port = {port}"));
    let align = ["align", "fen", "--yes", "--world", "keep"];
    stage.kanon(align).ends_with(2).says(&format!("the port {port} is open"));
    drop(listener);
    signs("process = [\"fen-server\"]");
    std::fs::copy("/bin/sleep", stage.path("fen/fen-server")).unwrap();
    let mut game = std::process::Command::new(stage.path("fen/fen-server")).arg("30").spawn().unwrap();
    stage.kanon(align).ends_with(2).says("the program fen-server is running");
    game.kill().unwrap();
    game.wait().unwrap();
    stage.kanon(align).ends_with(0);
}

#[test]
fn what_an_update_of_the_game_left_behind_is_parked_and_comes_back() {
    let stage = stage();
    stage.kanon(["align", "fen", "--yes", "--world", "keep"]).ends_with(0);
    let wishes = stage.read("kanon.toml") + "\n[install.mara]\nrole = \"client\"\nat = \"mara-fen\"\n";
    stage.write("kanon.toml", wishes);
    for id in ["lamp", "peat"] {
        std::fs::create_dir_all(stage.path("mara-fen/loads")).unwrap();
        std::fs::copy(stage.path(&format!("model/loads/{id}.load")), stage.path(&format!("mara-fen/loads/{id}.load")))
            .unwrap();
    }
    let mine = |fen: &str| {
        let leaflet = format!(r#"{{"called": "map", "version": "1", "side": "mine", "fen": "{fen}"}}"#);
        stage.write("mara-fen/loads/map.load", zip_of(&[("leaflet.json", leaflet.as_bytes())]));
    };
    mine(">=2");
    stage.kanon(["check", "mara"]).ends_with(0).says("note mod-extra");
    mine("<2");
    let before = stage.fingerprint("mara-fen");
    stage.kanon(["check", "mara"]).ends_with(1).says("made for another version of the game or its loader");
    stage.kanon(["align", "mara", "--yes"]).ends_with(0).says("park");
    assert!(!stage.path("mara-fen/loads/map.load").exists());
    stage.kanon(["undo", "mara"]).ends_with(0);
    assert_eq!(stage.fingerprint("mara-fen"), before);
}

#[test]
fn backups_are_kept_by_the_rule_and_what_is_gone_is_told() {
    let stage = stage();
    stage.write("kanon.toml", stage.read("kanon.toml") + "\n[backups]\nkeep = 2\n");
    stage.kanon(["align", "fen", "--yes", "--world", "keep"]).ends_with(0);
    for round in 2..=4 {
        std::fs::remove_file(stage.path("fen/loads/lamp.load")).unwrap();
        let said = stage.kanon(["align", "fen", "--yes"]).ends_with(0);
        assert_eq!(said.out.contains("by the rule of [backups]"), round > 2, "{}", said.out);
    }
    assert!(!stage.path(".kanon/backups/1").exists() && stage.path(".kanon/backups/4").exists());
    stage.kanon(["history"]).ends_with(0).says("its backup is gone");
    crate::stage::fits_its_schema("history", &stage.kanon(["history", "--format", "json"]).json());
    stage.kanon(["undo", "fen", "--back-to", "2"]).ends_with(2).says("the backup of alignment 2 of fen is gone");
    let undone = stage.kanon(["undo", "fen", "--back-to", "3", "--format", "json"]).ends_with(0).json();
    crate::stage::fits_its_schema("undo", &undone);
    assert_eq!(undone["alignments"], json!([4, 3]));
    stage.kanon(["undo", "fen"]).ends_with(2).says("the backup of alignment 2 of fen is gone");
}

#[test]
fn a_base_archive_is_rebuilt_from_the_kept_original_as_overlays_come_and_go() {
    let stage = Stage::bare();
    let rulebook = "format = \"kanon-rulebook/1\"\ngame = \"Tallowfen\"\n[[shelf]]\nname = \"lays\"\nholds = \"overlays\"\n\
        in = { server = \"lays\", client = \"lays\" }\nmatch = [\"*.lay\"]\n[shelf.laid-into]\nbase = \"base.pak\"\n\
        strip = { client = [\"SEAL/*\"] }\n[shelf.mod]\nid = { file-name = '^(?<id>.+)\\.lay$' }\n";
    stage.write("fen.rulebook.toml", rulebook);
    let base = zip_of(&[("ground", b"peat"), ("SEAL/own", b"s"), ("sky", b"grey")]);
    for install in ["model", "mara-fen"] {
        stage.write(&format!("{install}/base.pak"), &base);
        std::fs::create_dir_all(stage.path(&format!("{install}/lays"))).unwrap();
    }
    stage.write("model/lays/mist.lay", zip_of(&[("sky", b"mist"), ("SEAL/mist", b"s")]));
    stage.write("model/lays/reed.lay", zip_of(&[("sky", b"reeds"), ("new", b"n")]));
    let wishes = "format = \"kanon/1\"\nname = \"Fen\"\nrulebook = \"fen.rulebook.toml\"\n\n[install.model]\nrole = \"server\"\nat = \"model\"\n\n\
        [install.mara]\nrole = \"client\"\nat = \"mara-fen\"\n";
    stage.write("kanon.toml", wishes);
    stage.kanon(["adopt", "model"]).ends_with(0);
    stage.kanon(["seal"]).ends_with(0);
    let before = stage.fingerprint("mara-fen");
    let members = || {
        let file = std::fs::File::open(stage.path("mara-fen/base.pak")).unwrap();
        let mut archive = zip::ZipArchive::new(file).unwrap();
        let names: Vec<String> = archive.file_names().map(|name| name.unwrap().into_owned()).collect();
        let text = |name: String| (std::io::read_to_string(archive.by_name(&name).unwrap()).unwrap(), name);
        let mut told: Vec<String> = names.into_iter().map(text).map(|(text, name)| format!("{name}={text}")).collect();
        told.sort();
        told
    };
    stage.kanon(["align", "mara", "--yes"]).ends_with(0).says("the game's own archive with mist, reed laid in");
    assert_eq!(members(), ["ground=peat", "new=n", "sky=reeds"], "the later one counts, and seals are left out");
    let first = stage.fingerprint("mara-fen")["/base.pak"].0.clone();
    stage.kanon(["align", "mara", "--yes"]).ends_with(0).says("nothing to do");
    stage.kanon(["check", "mara"]).ends_with(0);
    // One overlay goes: what it had laid in goes with it, since the original was kept.
    stage.kanon(["drop", "reed"]).ends_with(0);
    std::fs::remove_file(stage.path("model/lays/reed.lay")).unwrap();
    stage.kanon(["seal"]).ends_with(0);
    stage.kanon(["align", "mara", "--yes"]).ends_with(0).says("with mist laid in");
    assert_eq!(members(), ["ground=peat", "sky=mist"]);
    stage.kanon(["undo", "mara"]).ends_with(0);
    assert_eq!(stage.fingerprint("mara-fen")["/base.pak"].0, first);
    stage.kanon(["undo", "mara"]).ends_with(0);
    assert_eq!(stage.fingerprint("mara-fen"), before);
}
