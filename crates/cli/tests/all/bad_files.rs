//! Mistakes in what people write, and folders that are not what they should be: told at the spot, with what to do.

use crate::stage::{Stage, psm};
use rstest::rstest;

#[rstest]
#[case("game   =", "gmae   =", &["polarspur.rulebook.toml:2:1", "did you mean `game`?"])]
#[case("\"archives\"", "\"archive\"", &["polarspur.rulebook.toml:19:9", "did you mean `archives`?"])]
#[case("\"$.title\"", "\"$.[title\"", &["polarspur.rulebook.toml:28:16", "no JSONPath"])]
#[case("server = \"mods\"", "server = \"../mods\"", &["polarspur.rulebook.toml:20:20", "leaves its folder"])]
#[case("means = \"ready\"", "means = \"redy\"", &["did you mean `ready`?"])]
#[case("[versions]", "[versions", &["polarspur.rulebook.toml:4:"])]
fn a_mistake_in_the_rulebook(#[case] right: &str, #[case] wrong: &str, #[case] told: &[&str]) {
    let stage = Stage::sealed();
    let text = stage.read("polarspur.rulebook.toml");
    assert!(text.contains(right));
    stage.write("polarspur.rulebook.toml", text.replacen(right, wrong, 1));
    told.iter().fold(stage.kanon(["check"]).ends_with(2), |said, text| said.says(text));
}

#[rstest]
#[case("role = \"server\"", "role = \"sever\"", &["kanon.toml:14:8", "did you mean `server`?"])]
#[case("[install.station]", "[instal.station]", &["did you mean `install`?"])]
#[case("name = ", "nome = ", &["kanon.toml lacks `name`"])]
#[case("client-extras = \"keep\"", "client-extras = \"kep\"", &["did you mean `keep`?"])]
#[case("format = \"kanon/1\"", "", &["begin it with: format = \"kanon/1\""])]
fn a_mistake_in_the_wishes(#[case] right: &str, #[case] wrong: &str, #[case] told: &[&str]) {
    let stage = Stage::sealed();
    let text = stage.read("kanon.toml");
    assert!(text.contains(right), "{text}");
    stage.write("kanon.toml", text.replacen(right, wrong, 1));
    told.iter().fold(stage.kanon(["check"]).ends_with(2), |said, text| said.says(text));
}

#[test]
fn folders_and_rulebooks_that_do_not_go_together() {
    let stage = Stage::sealed();
    stage.write("elsewhere/readme.txt", "nothing of a game");
    stage
        .kanon(["survey", "elsewhere", "--role", "client"])
        .ends_with(2)
        .says("does not look like an install of Polarspur")
        .says("has none of mods");
    stage.kanon(["survey", "staton"]).ends_with(2).says("did you mean `station`?");
    stage.kanon(["survey", "ftp://host/game"]).ends_with(2).says("add --role server");
    stage.kanon(["-C", "nowhere", "check"]).ends_with(2).says("there is no folder");
    std::fs::rename(stage.path("oskar"), stage.path("moved")).unwrap();
    let wishes = stage.read("kanon.toml");
    let without: String = wishes.split_inclusive("\n\n").filter(|table| !table.starts_with("[install")).collect();
    stage.write("kanon.toml", without.replace("from = \"station\"\n", "").replace("from = \"mara\"\n", ""));
    stage.kanon(["check"]).ends_with(2).says("kanon.toml names no install").says("name a folder or a survey");
    stage.write("kanon.toml", wishes);
    stage.kanon(["check", "oskar"]).ends_with(2).says("the folder of oskar is not there");
    stage.kanon(["seal"]).ends_with(0).says("oskar is passed over");
    let other = stage.read("polarspur.rulebook.toml").replacen("\"Polarspur\"", "\"Tallowfen\"", 1);
    stage.write("other.rulebook.toml", other);
    stage
        .kanon(["check", "mara", "--rulebook", "other.rulebook.toml"])
        .ends_with(2)
        .says("the canon is of Polarspur, the rulebook of Tallowfen");
    stage.kanon(["survey", "mara", "-o", "mara.json", "-q"]).ends_with(0);
    let words = ["compare", "mara.json", "mara.json", "--rulebook", "other.rulebook.toml"];
    stage.kanon(words).ends_with(2).says("the survey of mara is of Polarspur");
}

#[rstest]
#[case("{", "is no survey")]
#[case(
    "{\"format\": \"kanon-survey/9\"}",
    "its format is `kanon-survey/9`; this version of Kanon reads `kanon-survey/1`"
)]
#[case("[[[[[[[[", "is no survey")]
fn a_file_that_is_no_survey(#[case] text: &str, #[case] told: &str) {
    let stage = Stage::sealed();
    stage.write("mara.json", text);
    stage.kanon(["check", "mara.json"]).ends_with(2).says(told).says("a survey is made with");
}

#[test]
fn hostile_names_steer_no_terminal() {
    let stage = Stage::sealed();
    stage.kanon(["survey", "mara", "-o", "mara.json", "-q"]).ends_with(0);
    let text = stage.read("mara.json").replace("\"aurora-core\"", "\"aurora\\u001b[2Jcore\\u202e\"");
    let text = text.replacen("\"name\": \"mara\"", "\"name\": \"ma\\u001b[31mra\"", 1);
    stage.write("mara.json", text);
    let said = stage.kanon(["survey", "mara.json", "--color", "never"]).ends_with(0);
    assert!(!said.out.contains('\u{1b}') && !said.out.contains('\u{202e}'), "{}", said.out);
    let said = stage.kanon(["compare", "mara", "mara.json", "--color", "never"]).ends_with(1);
    assert!(!said.out.contains('\u{1b}'), "{}", said.out);
    let said = stage.kanon(["check", "mara.json", "--color", "never"]).ends_with(1);
    assert!(!said.out.contains('\u{1b}'), "{}", said.out);
    let said = stage.kanon(["diagnose", "--client", "mara.json", "--color", "never"]).ends_with(1);
    assert!(!said.out.contains('\u{1b}'), "{}", said.out);
}

#[test]
fn nothing_is_sealed_that_does_not_fit() {
    let stage = Stage::sealed();
    let (sealed, wishes) = (stage.read("canon.json"), stage.read("kanon.toml"));
    let core = "id = \"aurora-core\"\nversion = \"1.4.0\"";
    assert!(wishes.contains(core));
    stage.write("kanon.toml", wishes.replace(core, "id = \"aurora-core\"\nversion = \"9.9\""));
    let report = stage.kanon(["seal", "--format", "json"]).ends_with(1).json();
    let findings = report["findings"].as_array().unwrap();
    assert_eq!(
        (findings.len(), &findings[0]["code"]),
        (1, &"mod-missing".into()),
        "what follows from it is not told: {report}"
    );
    stage.kanon(["seal"]).ends_with(1).says("1.4.0 in mara").says("not sealed");
    let table = format!("[[mod]]\n{core}\nfrom = \"station\"\n");
    assert!(wishes.contains(&table));
    stage.write("kanon.toml", wishes.replace(&table, ""));
    stage.kanon(["seal"]).ends_with(1).says("dependency-missing").says("add aurora-core to the set");
    stage.write("kanon.toml", wishes.replace("game-version = \"1.4.2\"", "game-version = \"1.5.0\""));
    stage.kanon(["seal"]).ends_with(1).says("game-differs").says("choose a release of it that fits game 1.5.0");
    assert_eq!(stage.read("canon.json"), sealed);
}

#[test]
fn start_again_and_start_without_answers() {
    let stage = Stage::sealed();
    stage
        .kanon(["init", "--rulebook", "polarspur.rulebook.toml", "--server", "station"])
        .ends_with(2)
        .says("is there already");
    let stage = Stage::bare();
    stage.kanon(["init", "--rulebook", "polarspur.rulebook.toml"]).ends_with(2).says("add --server FOLDER");
    stage
        .kanon(["init", "--rulebook", "polarspur.rulebook.toml", "--server", "nowhere"])
        .ends_with(2)
        .says("is not there");
    stage.write("downloads/fog.psm", psm("fog", "1", "everywhere"));
    stage.kanon(["init", "--server", "our=station", "--source", "downloads"]).ends_with(0);
    stage.kanon(["adopt", "our"]).ends_with(0).says("8 mods new");
}
