//! The worked example of each shape in docs/rulebooks, on a real tree of that shape: every fact of every mod, by the
//! hand-written rulebook and by what `learn` drafts alone.

use crate::stage::Stage;
use rstest::rstest;
use serde_json::Value;

/// A shape: the tree, the worked example, and what a survey must say.
struct Shape {
    tree: &'static str,
    example: &'static str,
    server: &'static [&'static str],
    client: &'static [&'static str],
    server_lists: &'static [&'static str],
    client_lists: &'static [&'static str],
    /// Whether both sides are in order by the worked example.
    is_healthy: bool,
}

const A: Shape = Shape {
    is_healthy: false,
    tree: include_str!("../../../../demo/shapes/a.tree"),
    example: "a.rulebook.toml",
    server: &[
        "flare 0.2.0 \"Flares\" off both game >=1.4 loader >=0.9: required sledge ^1.2",
        "frost-core 2.1.0 \"Frost Core\" on both game >=1.4 loader >=0.9: ; stands for ice-lib",
        "night-log 0.8.2 \"Night Log\" on server game >=1.4 loader >=0.9: required frost-core >=2.0, conflicting day-log",
        "sledge 1.3.0 \"Dog Sledges\" on both game >=1.4 loader >=0.9: required frost-core >=2.0 <3, required ice-lib *, optional star-map >=0.4",
    ],
    client: &[
        "frost-core 2.1.0 \"Frost Core\" on both game >=1.4 loader >=0.9: ; stands for ice-lib",
        "old-kite 0.2 on both made for kite: ",
        "sledge 1.3.0 \"Dog Sledges\" on both game >=1.4 loader >=0.9: required frost-core >=2.0 <3, required ice-lib *, optional star-map >=0.4",
        "star-map 0.4.0 \"Star Map\" on client game >=1.4 loader >=0.9: ",
    ],
    server_lists: &[],
    client_lists: &[],
};

const B: Shape = Shape {
    is_healthy: true,
    tree: include_str!("../../../../demo/ashmere/ashmere.tree"),
    example: "b.rulebook.toml",
    server: HOLDS,
    client: HOLDS,
    server_lists: &["start.bat in order: tide-gates, lantern-fish, drowned-bells, salt-maps"],
    client_lists: &["launch.txt in order: tide-gates, lantern-fish, drowned-bells, salt-maps"],
};
const HOLDS: &[&str] = &[
    "drowned-bells 2.0 \"Drowned Bells\" on both: required tide-gates; signed by bellfounder",
    "lantern-fish 0.9.2 \"Lantern Fish\" on both: required tide-gates; signed by tidewright, tidewright",
    "salt-maps 1.0 \"Salt Maps\" on both: required drowned-bells, required lantern-fish; signed by bellfounder",
    "tide-gates 1.6 \"Tide Gates\" on both: ; signed by tidewright",
];

const C: Shape = Shape {
    is_healthy: true,
    tree: include_str!("../../../../demo/tallowfen/railway.tree"),
    example: "c.rulebook.toml",
    server: RAILWAY,
    client: RAILWAY,
    server_lists: &["loads/board.json: fen is the game's, bog-rail, reed-signals, peat-works, mist off"],
    client_lists: &["loads/board.json: fen is the game's, bog-rail, reed-signals, peat-works, mist off"],
};
const RAILWAY: &[&str] = &[
    "bittern 23c4c79eeb48b66df48ad07dca22206b8bb34b5d27749a92bba9db7c55741559 on both: ",
    "bog-rail 1.2.0 \"Bog Rail\" on both game >= 1.1: ",
    "heron 2.1 on both: ",
    "mist 0.3.0 \"Mist\" on both game >= 1.1: optional reed-signals",
    "peat-works 2.0.3 \"Peat Works\" on both game >= 1.1: required bog-rail >= 1.1, conflicting drought",
    "reed-signals 0.4.1 \"Reed Signals\" on both game >= 1.1: required bog-rail >= 1.0, optional mist",
    "tern 1.0.4 on both: ",
];

const E: Shape = Shape {
    is_healthy: true,
    tree: include_str!("../../../../demo/shapes/e.tree"),
    example: "e.rulebook.toml",
    server: &[
        "crane-lifts 0.3.0 on both: required fen-frame 5.3.0, required fen-lamps 1.2.0",
        "crane-lifts 0.3.0 on both: required fen-frame 5.3.0, required fen-lamps 1.2.0",
        "fen-frame 5.4.0 on both: ",
        "fen-frame 5.4.0 on both: ",
        "fen-lamps 1.2.3 on both: required fen-frame 5.4.0",
        "fen-lamps 1.2.3 on both: required fen-frame 5.4.0",
    ],
    client: &[
        "crane-lifts 0.3.0 on both: required fen-frame 5.3.0, required fen-lamps 1.2.0",
        "fen-frame 5.4.0 on both: ",
        "fen-lamps 1.2.3 on both: required fen-frame 5.4.0",
    ],
    server_lists: &[],
    client_lists: &[],
};

const F: Shape = Shape {
    is_healthy: true,
    tree: include_str!("../../../../demo/tallowfen/convoy.tree"),
    example: "f.rulebook.toml",
    server: &["88410017 - on both: ", "88410452 - on both: ", "88419000 - on both: "],
    client: &[
        "88410017 1.2.0 \"Bog Rail\" on both: ",
        "88410452 0.4.1 \"Reed Signals\" on both: required 88410017",
        "88419000 2.0.3 \"Peat Works\" on both: required 88410017, required 88410452",
    ],
    server_lists: &["worlds/tallow/world.xml: 88410017, 88410452, 88419000"],
    client_lists: &[],
};

const G: Shape = Shape {
    is_healthy: true,
    tree: include_str!("../../../../demo/shapes/g.tree"),
    example: "g.rulebook.toml",
    server: &[
        "base-birds 2.0 \"Base Birds\" on server: ",
        "floods 0.7 \"Spring Floods\" on server: load-after base-birds, load-after herons",
        "herons 1.1 \"More Herons\" on server: load-after base-birds",
    ],
    client: &[],
    server_lists: &[],
    client_lists: &[],
};

const H: Shape = Shape {
    is_healthy: false,
    tree: include_str!("../../../../demo/shapes/h.tree"),
    example: "h.rulebook.toml",
    server: &["north-mist 0.4 on both: ", "tall-reeds 1.2 on both: "],
    client: &["north-mist 0.4 on both: ", "tall-reeds 1.2 on both: "],
    server_lists: &["overlays/order.txt in order: tall-reeds, north-mist"],
    client_lists: &["overlays/order.txt in order: tall-reeds, north-mist"],
};

const I: Shape = Shape {
    is_healthy: true,
    tree: include_str!("../../../../demo/shapes/i.tree"),
    example: "i.rulebook.toml",
    server: &[
        "bog - on both: ",
        "lamps - on both: required bog, optional peat",
        "peat - on both: required bog, required reeds, optional lamps",
        "reeds - on both: required bog",
    ],
    client: &[],
    server_lists: &["worlds/tallow/world.cfg: peat, bog, reeds, lamps off"],
    client_lists: &[],
};

const J: Shape = Shape {
    is_healthy: true,
    tree: include_str!("../../../../demo/shapes/j.tree"),
    example: "j.rulebook.toml",
    server: LEAVES,
    client: LEAVES,
    server_lists: &["station.ini in order: fen-hymns d2c8b3195c70eaba8c94ddc74937247e0147aabf, \
         almanac 2abf9fd56cb10e58568378d659e6737a10699b03, ferry-times ef8066bd780ec548e7a40006ca94adc2e0ebb604"],
    client_lists: &[],
};
const LEAVES: &[&str] = &[
    "almanac 2abf9fd56cb10e58568378d659e6737a10699b03 on both: ",
    "fen-hymns d2c8b3195c70eaba8c94ddc74937247e0147aabf on both: ",
    "ferry-times ef8066bd780ec548e7a40006ca94adc2e0ebb604 on both: ",
];

fn text(value: &Value) -> &str {
    value.as_str().unwrap_or("-")
}

/// A mod as one line.
pub fn line(found: &Value) -> String {
    let mut line = format!("{} {}", text(&found["id"]), text(&found["version"]));
    if let Some(title) = found["title"].as_str() {
        line.push_str(&format!(" \"{title}\""));
    }
    let on = if found["enabled"] == true { "on" } else { "off" };
    line.push_str(&format!(" {on} {}", text(&found["needed_on"])));
    for (key, word) in [("game_range", "game"), ("loader_range", "loader"), ("made_for", "made for")] {
        if let Some(value) = found[key].as_str() {
            line.push_str(&format!(
                " {word} {}",
                if key == "made_for" { value.to_lowercase() } else { value.to_owned() }
            ));
        }
    }
    let relations = found["relations"].as_array().unwrap().iter();
    let relation = |r: &Value| match r["range"].as_str() {
        Some(range) => format!("{} {} {range}", text(&r["kind"]), text(&r["id"])),
        None => format!("{} {}", text(&r["kind"]), text(&r["id"])),
    };
    line.push_str(&format!(": {}", relations.map(relation).collect::<Vec<_>>().join(", ")));
    let provides: Vec<&str> = found["provides"].as_array().unwrap().iter().map(text).collect();
    if !provides.is_empty() {
        line.push_str(&format!("; stands for {}", provides.join(", ")));
    }
    if let Some(signatures) = found["signatures"].as_array() {
        let keys: Vec<&str> = signatures.iter().map(|signature| text(&signature["key"])).collect();
        line.push_str(&format!("; signed by {}", keys.join(", ")));
    }
    line
}

/// A list as one line.
pub fn list_line(list: &Value) -> String {
    let entry = |entry: &Value| {
        let digest = entry["digest"].as_str().map_or_else(String::new, |digest| format!(" {digest}"));
        let on = if entry["on"] == true { "" } else { " off" };
        let what = match text(&entry["stands_for"]) {
            "mod" => "",
            "game" => " is the game's",
            _ => " is not there",
        };
        format!("{}{digest}{on}{what}", text(&entry["id"]))
    };
    let entries: Vec<String> = list["entries"].as_array().unwrap().iter().map(entry).collect();
    let order = if list["ordered"] == true { " in order" } else { "" };
    format!("{}{order}: {}", text(&list["file"]), entries.join(", "))
}

fn lay_out(shape: &Shape) -> Stage {
    let stage = Stage::bare();
    kanon_standin::tree::build(shape.tree, &stage.path(".")).unwrap();
    stage
}

/// Puts the worked example of a shape beside its tree.
fn put_example(stage: &Stage, shape: &Shape) {
    let folder = std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs/rulebooks");
    stage.write("example.toml", std::fs::read(folder.join(shape.example)).unwrap());
}

/// Surveys both sides and gives mods, sorted, and lists.
fn surveyed(stage: &Stage, rulebook: &str, role: &str) -> (Vec<String>, Vec<String>, Value) {
    if !stage.path(role).exists() {
        return (Vec::new(), Vec::new(), Value::Null);
    }
    let words = ["survey", role, "--rulebook", rulebook, "--role", role, "--format", "json"];
    let survey = stage.kanon(words).ends_with(0).json();
    let mut mods: Vec<String> = survey["mods"].as_array().unwrap().iter().map(line).collect();
    mods.sort();
    let lists = survey["lists"].as_array().unwrap().iter().map(list_line).collect();
    (mods, lists, survey)
}

fn holds(stage: &Stage, rulebook: &str, shape: &Shape) {
    let (mods, lists, _) = surveyed(stage, rulebook, "server");
    assert_eq!(mods, shape.server, "the server by {rulebook}");
    assert_eq!(lists, shape.server_lists, "the server's lists by {rulebook}");
    let (mods, lists, _) = surveyed(stage, rulebook, "client");
    assert_eq!(mods, shape.client, "the client by {rulebook}");
    assert_eq!(lists, shape.client_lists, "the client's lists by {rulebook}");
}

#[rstest]
#[case::a(&A)]
#[case::b(&B)]
#[case::c_and_d(&C)]
#[case::e(&E)]
#[case::f(&F)]
#[case::g(&G)]
#[case::h(&H)]
#[case::i(&I)]
#[case::j(&J)]
fn every_fact_is_read_by_the_worked_example(#[case] shape: &Shape) {
    let stage = lay_out(shape);
    put_example(&stage, shape);
    holds(&stage, "example.toml", shape);
    stage.kanon(["rulebook", "check", "example.toml", "--against", "server"]).ends_with(0).says("valid");
}

#[rstest]
#[case::a(&A)]
#[case::b(&B)]
#[case::c_and_d(&C)]
#[case::e(&E)]
#[case::f(&F)]
#[case::g(&G)]
#[case::h(&H)]
#[case::i(&I)]
#[case::j(&J)]
fn every_fact_is_read_by_what_learn_drafts_alone(#[case] shape: &Shape) {
    let stage = lay_out(shape);
    let mut words = vec!["learn", "server", "-o", "draft.toml"];
    if stage.path("client").exists() {
        words.extend(["--client", "client"]);
    }
    // The client of the first has a mod of another loader, and that of `h` a base archive that misses what is laid in: told.
    match shape.is_healthy {
        true => stage.kanon(words).ends_with(0).says("all identified"),
        false => stage.kanon(words).ends_with(1).says("would not be in order").says("client"),
    };
    holds(&stage, "draft.toml", shape);
    stage.kanon(["rulebook", "check", "draft.toml", "--against", "server"]).ends_with(0);
}

/// What stands in a survey at a place, each item by one of its fields.
fn each<'s>(survey: &'s Value, list: &str, field: &str) -> Vec<&'s str> {
    survey[list].as_array().unwrap().iter().map(|item| text(&item[field])).collect()
}

fn by_example(shape: &Shape, role: &str) -> Value {
    let stage = lay_out(shape);
    put_example(&stage, shape);
    surveyed(&stage, "example.toml", role).2
}

#[test]
fn keys_of_the_ring_of_mods_and_of_the_game_are_told_apart() {
    let survey = by_example(&B, "server");
    let keys = survey["keys"].as_array().unwrap();
    let line = |key: &Value| format!("{} {} own {}", text(&key["path"]), text(&key["mod"]), key["own"] == true);
    let lines: Vec<String> = keys.iter().map(line).collect();
    assert_eq!(lines.len(), 7, "{lines:#?}");
    assert!(lines.contains(&"keys/harbour.pub - own true".to_owned()), "{lines:#?}");
    assert!(lines.contains(&"holds/salt-maps/keys/bellfounder.pub salt-maps own false".to_owned()), "{lines:#?}");
    let shared: Vec<&str> =
        keys.iter().filter(|key| key["name"] == "tidewright").map(|key| text(&key["blake3"])).collect();
    assert!(shared.len() == 3 && shared.iter().all(|digest| *digest == shared[0]), "one key, three times: {shared:?}");
    assert_eq!(each(&survey, "settings", "value"), ["ashmere.low"]);
}

#[test]
fn a_signature_that_is_gone_is_seen() {
    let stage = lay_out(&B);
    std::fs::remove_file(stage.path("server/holds/tide-gates/stock/gates.hold.tidewright.mark")).unwrap();
    put_example(&stage, &B);
    let (_, _, survey) = surveyed(&stage, "example.toml", "server");
    let gates = survey["mods"].as_array().unwrap().iter().find(|found| found["id"] == "tide-gates").unwrap();
    assert_eq!(gates["signatures"][0]["signature"], Value::Null);
    assert_eq!(gates["signatures"][0]["payload"], "holds/tide-gates/stock/gates.hold");
}

#[test]
fn a_base_archive_tells_what_is_laid_into_it_and_what_is_not() {
    let line = |overlay: &Value| {
        let names = |key: &str| overlay[key].as_array().map_or(0, Vec::len);
        format!(
            "{} {}/{} missing {} other {}",
            text(&overlay["id"]),
            overlay["laid"],
            overlay["members"],
            names("missing"),
            names("other")
        )
    };
    let lines = |survey: &Value| -> Vec<String> {
        survey["bases"][0]["overlays"].as_array().unwrap().iter().map(line).collect()
    };
    let server = by_example(&H, "server");
    assert_eq!(lines(&server), ["tall-reeds 2/2 missing 0 other 0", "north-mist 2/2 missing 0 other 0"]);
    let client = by_example(&H, "client");
    assert_eq!(lines(&client), ["tall-reeds 1/1 missing 0 other 0", "north-mist 0/2 missing 1 other 1"]);
    assert_eq!(client["bases"][0]["overlays"][1]["other"][0], "ground/reeds.txt");
}

#[test]
fn places_worlds_and_settings_are_found_where_a_pattern_leads() {
    let packs = by_example(&G, "server");
    assert_eq!(packs["places"]["packs"][0], "worlds/saltmarsh/packs");
    assert_eq!(packs["worlds"][0], "worlds/saltmarsh");
    let convoy = by_example(&F, "server");
    assert_eq!(each(&convoy, "settings", "value"), ["true"]);
    assert_eq!(convoy["mods"][0]["path"], "worlds/tallow/world.xml");
}

#[test]
fn each_copy_of_a_plugin_is_seen_in_its_own_place() {
    let survey = by_example(&E, "server");
    let mut places = each(&survey, "mods", "place");
    places.dedup();
    assert_eq!(places, ["data/plugins", "engine/plugins"]);
}

/// A server that has only ids is held against the canon by its list; the bytes are the client's.
#[test]
fn ids_in_a_saved_world_are_adopted_sealed_and_checked() {
    let stage = lay_out(&F);
    put_example(&stage, &F);
    stage.kanon(["init", "--rulebook", "example.toml", "--server", "server", "--client", "client"]).ends_with(0);
    stage.kanon(["adopt", "client"]).ends_with(0);
    stage.kanon(["adopt", "server"]).ends_with(0).says("0 changed");
    stage.kanon(["seal"]).ends_with(0).says("3 mods");
    stage.kanon(["check"]).ends_with(0).says("in line: 2 installs");
    let world = stage.read("server/worlds/tallow/world.xml");
    stage.write("server/worlds/tallow/world.xml", world.replace("88410452", "77"));
    stage
        .kanon(["check", "server"])
        .ends_with(1)
        .says("list-entry-missing  worlds/tallow/world.xml")
        .says("list-entry-extra  worlds/tallow/world.xml");
    std::fs::remove_dir_all(stage.path("client/loads/88410452")).unwrap();
    assert_eq!(stage.codes("client"), ["mod-missing"]);
    stage.kanon(["align", "client", "--yes"]).ends_with(0).says("in line");
}

#[test]
fn packs_go_into_the_world_that_is_there_and_wait_where_there_is_none() {
    let stage = lay_out(&G);
    put_example(&stage, &G);
    stage.kanon(["init", "--rulebook", "example.toml", "--server", "server"]).ends_with(0);
    stage.kanon(["adopt", "server"]).ends_with(0);
    stage.kanon(["seal"]).ends_with(0);
    stage.kanon(["check"]).ends_with(0);
    let floods = "server/worlds/saltmarsh/packs/floods.zip";
    let bytes = std::fs::read(stage.path(floods)).unwrap();
    std::fs::remove_file(stage.path(floods)).unwrap();
    assert_eq!(stage.codes("server"), ["mod-missing"]);
    stage.kanon(["align", "server", "--yes"]).ends_with(0);
    assert_eq!(std::fs::read(stage.path(floods)).unwrap(), bytes);
    std::fs::rename(stage.path("server/worlds/saltmarsh"), stage.path("elsewhere")).unwrap();
    stage.kanon(["check"]).ends_with(1).says("start the game once so that worlds/*/packs is there");
}
