//! Layouts of other games than the demo's: written as rulebooks, surveyed, compared fact by fact.

use crate::stage::{Stage, zip_of};
use serde_json::Value;

/// Surveys `game` with a rulebook and gives each mod as one line: id, version, where needed, relations, provided ids.
fn surveyed(stage: &Stage, rulebook: &str) -> Vec<String> {
    stage.write("shape.rulebook.toml", rulebook);
    let words = ["survey", "game", "--rulebook", "shape.rulebook.toml", "--role", "server", "--format", "json"];
    let survey = stage.kanon(words).ends_with(0).json();
    let text = |value: &Value| value.as_str().unwrap_or("-").to_owned();
    let line = |found: &Value| {
        let relations = found["relations"].as_array().unwrap().iter();
        let relations: Vec<String> =
            relations.map(|r| format!("{} {} {}", text(&r["kind"]), text(&r["id"]), text(&r["range"]))).collect();
        let provides: Vec<String> = found["provides"].as_array().unwrap().iter().map(text).collect();
        let parts = [
            text(&found["id"]),
            text(&found["version"]),
            text(&found["needed_on"]),
            relations.join(", "),
            provides.join(" "),
        ];
        parts.join(" | ")
    };
    survey["mods"].as_array().unwrap().iter().map(line).collect()
}

const HEAD: &str = "format = 'kanon-rulebook/1'\ngame = 'Tallowfen'\n";

#[test]
fn zips_named_by_id_and_version_with_a_small_grammar_of_dependencies() {
    let stage = Stage::bare();
    let info = br#"{"name": "bog-rail", "version": "1.2.0", "wants": ["base >= 1.1", "? reeds", "! drought", "(?) mist = 0.3.0", "~ lamps"]}"#;
    stage.write("game/mods/bog-rail_1.2.0.zip", zip_of(&[("bog-rail_1.2.0/leaflet.json", info)]));
    let rulebook = format!(
        r#"{HEAD}
        [base]
        ids = ["base"]
        [[shelf]]
        name = "mods"
        holds = "archives"
        in = {{ server = "mods" }}
        match = ["*.zip"]
        [shelf.mod]
        document = {{ member = "*/leaflet.json" }}
        id = "$.name"
        version = {{ file-name = '_(?<version>[0-9.]+)\.zip$' }}
        relations = {{ each = "$.wants[*]", text = '^(?<sign>[!?~]|\(\?\))?\s*(?<id>[\w-]+)\s*(?<range>[<>=].*)?$', signs = {{ "!" = "conflicting", "?" = "optional", "(?)" = "optional" }} }}
        "#
    );
    let relations = "required lamps -, optional mist = 0.3.0, optional reeds -, conflicting drought -";
    let expected = format!("bog-rail | 1.2.0 | both | {relations} | ");
    assert_eq!(surveyed(&stage, &rulebook), [expected]);
}

#[test]
fn folders_with_xml() {
    let stage = Stage::bare();
    let card = "\u{feff}<?xml version=\"1.0\" encoding=\"utf-8\"?>\r\n<card>\r\n <key>Reed.Warbler</key><release>2.1</release>\r\n \
        <where>Station</where>\r\n <wants><item>Core</item><item>Bog.Rail</item></wants><after><item>Core</item></after></card>";
    stage.write("game/mods/Warbler/sheet/card.xml", card);
    let rulebook = format!(
        r#"{HEAD}
        [[shelf]]
        name = "mods"
        holds = "folders"
        in = {{ server = "mods" }}
        [shelf.mod]
        document = {{ member = "sheet/card.xml" }}
        id = "$.card.key[0]"
        version = "$.card.release[0]"
        needed_on = {{ at = "$.card.where[0]", means = {{ Station = "server", Traveller = "client" }} }}
        required = {{ each = "$.card.wants[*].item[*]" }}
        load-after = {{ each = "$.card.after[*].item[*]" }}
        "#
    );
    let expected = "Reed.Warbler | 2.1 | server | required Bog.Rail -, required Core -, load-after Core - | ";
    assert_eq!(surveyed(&stage, &rulebook), [expected]);
}

#[test]
fn folders_with_key_value_lines_and_comma_lists() {
    let stage = Stage::bare();
    stage.write("game/mods/peat/peat.cfg", "name = peat\ndescription = M\u{f6}ss\nwants = bog, reeds\nlikes = lamps\n");
    let rulebook = format!(
        r#"{HEAD}
        [[shelf]]
        name = "mods"
        holds = "folders"
        in = {{ server = "mods" }}
        [shelf.mod]
        document = {{ member = "peat.cfg" }}
        id = "$.name"
        required = {{ each = "$.wants", between = ",", text = '^(?<id>\S+)$' }}
        optional = {{ each = "$.likes", between = ",", text = '^(?<id>\S+)$' }}
        "#
    );
    assert_eq!(
        surveyed(&stage, &rulebook),
        ["peat | - | both | required bog -, required reeds -, optional lamps - | "]
    );
}

#[test]
fn archives_with_a_manifest_inside_and_others_within() {
    let stage = Stage::bare();
    let inner = zip_of(&[("mod.yml", b"id: reed-lib\nprovides: [reed-api]\n")]);
    let yaml = b"# ours\nid: reeds\nversion: 1.4\nside: client\nneeds:\n  - {id: bog, range: '[1.0,2.0)'}\n  - {id: drought, kind: bars}\n";
    stage.write("game/mods/reeds.fen", zip_of(&[("mod.yml", yaml), ("inner/reed-lib.fen", &inner)]));
    let rulebook = format!(
        r#"{HEAD}
        [versions]
        ranges = "intervals"
        [[shelf]]
        name = "mods"
        holds = "archives"
        in = {{ server = "mods" }}
        match = ["*.fen"]
        [shelf.mod]
        document = {{ member = "mod.yml" }}
        id = "$.id"
        version = "$.version"
        needed_on = {{ at = "$.side", means = {{ client = "client" }} }}
        relations = {{ each = "$.needs[*]", id = "$.id", range = "$.range", kind = "$.kind", kinds = {{ bars = "conflicting" }} }}
        provides = "$.provides[*]"
        nested = {{ match = "inner/*.fen" }}
        "#
    );
    let expected = "reeds | 1.4 | client | required bog [1.0,2.0), conflicting drought - | reed-api reed-lib";
    assert_eq!(surveyed(&stage, &rulebook), [expected]);
}

#[test]
fn opaque_files_are_known_by_name_or_by_digest() {
    let stage = Stage::bare();
    stage.write("game/mods/peat-3.pak", "payload");
    stage.write("game/mods/thing.pak", "other payload");
    let shelf = "[[shelf]]\nname = 'mods'\nholds = 'files'\nin = { server = 'mods' }\nmatch = '*.pak'\n[shelf.mod]\n";
    let named = format!(
        "{HEAD}{shelf}id = [{{ file-name = '^(?<id>.+)-\\d+\\.pak$' }}, {{ digest = true }}]\nversion = {{ file-name = '-(?<version>\\d+)' }}\n"
    );
    let found = surveyed(&stage, &named);
    assert_eq!(found[0], "peat | 3 | both |  | ");
    assert_eq!(found[1].split(" | ").next().unwrap().len(), 64, "{found:?}");
}
