//! `kanon rulebook check`: every mistake told at its place with what to do, and every fact of a mod explained.

use crate::stage::{Stage, psm, zip_of};
use rstest::rstest;
use serde_json::{Value, json};
use std::path::{Path, PathBuf};

const GOOD: &str = r#"format = "kanon-rulebook/1"
game = "Tallowfen"
[versions]
scheme = "dotted"
[[shelf]]
name = "mods"
holds = "archives"
in = { server = "mods" }
match = ["*.psm"]
[shelf.mod]
document = { member = "about.json" }
id = "$.id"
version = "$.version"
"#;

/// A server of two mods with a rulebook of these changes.
fn stage(from: &str, to: &str) -> Stage {
    let stage = Stage::bare();
    assert!(from.is_empty() || GOOD.contains(from), "{from}");
    stage.write("book.toml", GOOD.replacen(from, to, 1));
    stage.write("game/mods/tide-1.0.psm", psm("tide", "1.0", "everywhere"));
    stage.write("game/mods/reef-2.0.psm", psm("reef", "2.0", "everywhere"));
    stage
}

#[rstest]
#[case::unknown_key("game =", "gmae =", "1:2:1", "has no key `gmae`", "did you mean `game`?")]
#[case::unknown_word("\"archives\"", "\"archive\"", "1:7:9", "`holds` can't be `archive`", "did you mean `archives`?")]
#[case::bad_path("\"$.id\"", "\"$.id[\"", "1:12:6", "`$.id[` is no JSONPath", "a path begins with `$`")]
#[case::bad_regex("\"$.id\"", "{ file-name = '(?<id>' }", "1:12:20", "is no regex", "")]
#[case::regex_without_group("\"$.id\"", "{ file-name = '.+' }", "1:12:20", "does not say where the value is", "(?<id>")]
#[case::outside("\"mods\" }", "\"../mods\" }", "1:8:17", "leaves its folder", "from the install's root")]
#[case::absolute("\"mods\" }", "\"/mods\" }", "1:8:17", "absolute", "from the install's root")]
#[case::outside_by_pattern("\"mods\" }", "\"*/../..\" }", "1:8:17", "leaves its folder", "")]
#[case::two_kinds("\"archives\"", "[\"files\", \"folders\"]", "1:7:9", "one kind of thing", "a shelf for each kind")]
#[case::claimed_twice(
    "[shelf.mod]",
    "[shelf.mod]\nid='$.a'\n[[shelf]]\nname='all'\nholds='files'\nin={server='mods'}\n[shelf.mod]",
    "1:13:6",
    "both claim all of mods",
    "its own `match`"
)]
#[case::list_that_is_not_there(
    "in =",
    "ids-from = { client = \"bord\" }\nin =",
    "1:8:23",
    "no [[list]] is called so",
    "add that [[list]]"
)]
#[case::list_without_a_place(
    "[[shelf]]",
    "[[list]]\nname='a'\nfile='a.json'\n[[shelf]]",
    "1:5:1",
    "does not say where its entries are",
    "notation = \"lines\""
)]
#[case::odd_template(
    "[[shelf]]",
    "[[list]]\nname='a'\nfile='a.txt'\nnotation='lines'\nentry='{mod}'\n[[shelf]]",
    "1:9:7",
    "`{mod}` is not {id}",
    ""
)]
#[case::huge_regex("\"$.id\"", "{ file-name = '(?<id>\\w{9999}{9999})' }", "1:12:20", "is no regex", "")]
fn a_mistake_is_told_at_its_place(
    #[case] from: &str,
    #[case] to: &str,
    #[case] place: &str,
    #[case] message: &str,
    #[case] help: &str,
) {
    let stage = stage(from, to);
    let place = place.replacen("1:", "book.toml:", 1);
    let said = stage.kanon(["rulebook", "check", "book.toml"]).ends_with(1).says(message).says(help).says("not valid");
    assert!(said.out.contains(&place), "{place} is not in:\n{}", said.out);
    let report = stage.kanon(["rulebook", "check", "book.toml", "--format", "json"]).ends_with(1).json();
    assert_eq!(report["valid"], false);
    assert!(!report["problems"].as_array().unwrap().is_empty());
}

#[rstest]
#[case::several_values("\"$.id\"", "\"$.*\"", "`$.*` finds 3 values in mods/reef-2.0.psm", "only the first counts")]
#[case::nothing_there("\"$.version\"", "\"$.edition\"", "`version` is never told by it", "correct the place")]
#[case::scheme("\"dotted\"", "\"date\"", "2 of 2 versions don't fit the scheme", "dotted takes most")]
#[case::list_unreadable(
    "[[shelf]]",
    "[[list]]\nname='board'\nof='server'\nfile='board.json'\neach='$.x[*]'\n[[shelf]]",
    "can't be read from board.json: the file is not there",
    "mend the file"
)]
#[case::no_relations(
    "id = ",
    "required = { each = \"$.wants[*]\" }\nid = ",
    "`relations` is never told",
    "take the line out"
)]
fn what_is_doubtful_on_a_real_folder_is_a_warning(
    #[case] from: &str,
    #[case] to: &str,
    #[case] message: &str,
    #[case] help: &str,
) {
    let stage = stage(from, to);
    let said = stage.kanon(["rulebook", "check", "book.toml", "--against", "game"]).ends_with(1);
    let flat = |text: &str| text.split_whitespace().filter(|word| *word != "|").collect::<Vec<_>>().join(" ");
    assert!(flat(&said.out).contains(message) && flat(&said.out).contains(help), "{}", said.out);
    assert!(said.out.contains("valid, with 1 warning"), "{}", said.out);
}

#[test]
fn two_shelves_that_claim_one_file_are_told() {
    let stage = stage(
        "[[shelf]]",
        "[[shelf]]\nname='tides'\nholds='archives'\nin={server='mods'}\nmatch=['tide*']\n[shelf.mod]\nid={file-name='(?<id>\\w+)'}\n[[shelf]]",
    );
    stage
        .kanon(["rulebook", "check", "book.toml", "--against", "game"])
        .ends_with(1)
        .says("both claim 1 files, such as mods/tide-1.0.psm")
        .says("narrow the `match`");
}

#[test]
fn a_mod_is_explained_step_by_step() {
    let from = "version = \"$.version\"";
    let to = "version = [{ at = \"$.version\", except = '^2' }, { file-name = '-(?<version>.+)\\.psm$' }]\n\
              needed_on = { at = \"$.runs\", means = { everywhere = \"both\" } }";
    let stage = stage(from, to);
    stage.kanon(["rulebook", "check", "book.toml", "--against", "game"]).ends_with(0).says("How reef is read");
    let words = ["rulebook", "check", "book.toml", "--against", "game", "--mod", "REEF", "--format", "json"];
    let report = stage.kanon(words).ends_with(0).json();
    let steps: Vec<String> = report["explained"]["steps"]
        .as_array()
        .unwrap()
        .iter()
        .map(|step| {
            format!("{} {} {} -> {}", step["fact"], step["line"], step["found"], step["answer"]).replace('"', "")
        })
        .collect();
    let expected = [
        "document null about.json -> the main document, with id, version, runs",
        "id 12 reef -> reef",
        "version 13 2.0 -> null",
        "version 13 2.0 -> 2.0",
        "needed_on 14 everywhere -> both",
    ];
    assert_eq!(steps, expected);
    let missing = ["rulebook", "check", "book.toml", "--against", "game", "--mod", "fog"];
    stage.kanon(missing).ends_with(2).says("no mod called `fog`");
    stage.kanon(["rulebook", "check", "none.toml"]).ends_with(2);
    stage.kanon(["rulebook", "check", "book.toml", "--against", "nowhere"]).ends_with(2);
}

#[test]
fn a_mod_that_can_not_be_read_is_explained_too() {
    let stage = stage("", "");
    stage.write("game/mods/fog.psm", zip_of(&[("other.json", b"{}")]));
    let said = stage.kanon(["rulebook", "check", "book.toml", "--against", "game", "--mod", "fog.psm"]).ends_with(1);
    said.says("1 can't be read").says("it can't be read:").says("about.json");
}

#[rstest]
#[case::entities(
    "card.xml",
    "<?xml version='1.0'?><!DOCTYPE a [<!ENTITY x 'xxxx'><!ENTITY y '&x;&x;&x;'>]><a><id>&y;</id></a>"
)]
#[case::deep_json("card.json", "DEEP")]
#[case::deep_xml("card.xml", "DEEPXML")]
#[case::aliases(
    "card.yaml",
    "a: &a [x,x,x,x,x,x,x,x]\nb: &b [*a,*a,*a,*a,*a,*a,*a,*a]\nc: &c [*b,*b,*b,*b,*b,*b,*b,*b]\nd: &d [*c,*c,*c,*c,*c,*c,*c,*c]\ne: &e [*d,*d,*d,*d,*d,*d,*d,*d]\nf: [*e,*e,*e,*e,*e,*e,*e,*e]\nid: x\n"
)]
fn documents_made_to_do_harm_are_bounded(#[case] member: &str, #[case] text: &str) {
    let text = match text {
        "DEEP" => format!("{}{}", "[".repeat(100_000), "]".repeat(100_000)),
        "DEEPXML" => format!("{}{}", "<a>".repeat(50_000), "</a>".repeat(50_000)),
        text => text.to_owned(),
    };
    let stage = stage("about.json", member);
    stage.write("game/mods/tide-1.0.psm", zip_of(&[(member, text.as_bytes())]));
    stage.write("game/mods/reef-2.0.psm", zip_of(&[(member, text.as_bytes())]));
    let said = stage.kanon(["rulebook", "check", "book.toml", "--against", "game"]);
    assert!(said.code == Some(1) || said.code == Some(0), "{}{}", said.out, said.err);
    assert!(!said.out.contains("xxxxxxxx"), "an entity was expanded:\n{}", said.out);
    let learned = stage.kanon(["learn", "game"]);
    assert!(learned.code == Some(1) || learned.code == Some(0), "{}", learned.err);
}

/// Mods whose files players may change, and places of logs.
pub const HULL: &str = r#"format = "kanon-rulebook/1"
game   = "Tallowfen"
logs   = { client = ["out/*.log", "told"], server = "told" }
[[shelf]]
name     = "fittings"
holds    = "folders"
in       = "fittings"
settings = ["knobs/**", "*.taste"]
[shelf.mod]
document = { member = "card.toml" }
id       = "$.id"
version  = "$.version"
"#;

fn schema(name: &str) -> jsonschema::Validator {
    let path = format!("{}/../../docs/schemas/{name}.schema.json", env!("CARGO_MANIFEST_DIR"));
    let schema: Value = serde_json::from_str(&std::fs::read_to_string(path).unwrap()).unwrap();
    jsonschema::validator_for(&schema).unwrap()
}

fn errors(schema: &jsonschema::Validator, report: &Value) -> Vec<String> {
    schema.iter_errors(report).map(|error| format!("{} at {}", error, error.instance_path())).collect()
}

fn as_json(rulebook: &str) -> Value {
    serde_json::to_value(toml::from_str::<toml::Table>(rulebook).unwrap()).unwrap()
}

#[test]
fn every_rulebook_fits_the_schema_for_editors_and_a_misspelt_one_does_not() {
    let schema = schema("rulebook");
    let stage = Stage::bare();
    stage.write("hull.rulebook.toml", HULL);
    let root = Path::new(env!("CARGO_MANIFEST_DIR")).join("../..");
    let mut files: Vec<PathBuf> =
        std::fs::read_dir(root.join("docs/rulebooks")).unwrap().map(|entry| entry.unwrap().path()).collect();
    files.push(root.join("demo/polarspur/polarspur.rulebook.toml"));
    files.push(stage.path("hull.rulebook.toml"));
    assert_eq!(files.len(), 11);
    for file in files {
        let text = std::fs::read_to_string(&file).unwrap();
        assert_eq!(errors(&schema, &as_json(&text)), Vec::<String>::new(), "{}", file.display());
        let misspelt = text.replacen("\nholds", "\nhold", 1);
        assert!(!errors(&schema, &as_json(&misspelt)).is_empty(), "{}", file.display());
    }
    let draft = stage.kanon(["learn", "station", "--client", "mara"]).ends_with(0).out;
    assert_eq!(errors(&schema, &as_json(&draft)), Vec::<String>::new(), "{draft}");
}

#[test]
fn the_reports_fit_their_schemas() {
    let stage = stage("", "");
    let learned = stage.kanon(["learn", "game", "--format", "json"]).json();
    assert_eq!(errors(&schema("learned"), &learned), Vec::<String>::new());
    for words in [vec!["rulebook", "check", "book.toml"], vec!["rulebook", "check", "book.toml", "--against", "game"]] {
        let report = stage.kanon(words.into_iter().chain(["--format", "json"])).json();
        assert_eq!(errors(&schema("rulebook-check"), &report), Vec::<String>::new());
        assert_eq!(report["problems"], json!([]));
    }
}

#[test]
fn the_reference_holds_each_worked_example_as_it_is() {
    let root = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs");
    let reference = std::fs::read_to_string(root.join("rulebook.md")).unwrap();
    for entry in std::fs::read_dir(root.join("rulebooks")).unwrap() {
        let text = std::fs::read_to_string(entry.unwrap().path()).unwrap();
        assert!(reference.contains(&text), "docs/rulebook.md lacks or has changed:\n{text}");
    }
}
