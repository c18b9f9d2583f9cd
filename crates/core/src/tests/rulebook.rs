use super::*;
use crate::problem::place;
use proptest::prelude::*;
use rstest::rstest;

const WHOLE: &str = include_str!("../../../../demo/polarspur/polarspur.rulebook.toml");

const SMALL: &str = r#"format = "kanon-rulebook/1"
game = "Polarspur"
[[shelf]]
name = "mods"
holds = "archives"
in = { server = "mods", client = ["mods", "extra/mods"] }
match = ["*.psm"]
off = ["*.psm.off"]
[shelf.mod]
document = [{ member = "about.json" }, { member = "meta/about.toml" }]
id = "$.id"
"#;

#[test]
fn the_demo_rulebook_has_no_mistake() {
    let parsed = parse("polarspur", WHOLE).expect("a rulebook");
    assert_eq!(parsed.warnings, []);
    assert_eq!(parsed.value.game, "Polarspur");
    assert!(parsed.value.events.len() > 5);
}

#[test]
fn the_model_holds_what_was_written() {
    let rulebook = parse("small", SMALL).expect("a rulebook").value;
    let shelf = &rulebook.shelves[0];
    assert_eq!(shelf.places(Role::Client).len(), 2);
    assert_eq!(shelf.names, Names::Free);
    assert_eq!(shelf.classify("tide.psm.off"), Named::Disabled { enabled: "tide.psm".to_owned() });
    assert_eq!(shelf.classify("readme.txt"), Named::NoMod);
    assert_eq!(shelf.read.documents[1].notation, Notation::Toml);
}

/// The whole of the sketch that the tone of rulebooks was set by.
#[test]
fn signatures_keys_lists_and_settings_are_understood() {
    let text = format!(
        r#"{SMALL}
        [shelf.signed]
        payload = "stock/*.hold"
        signature = "{{payload}}.{{key}}.mark"
        key = "keys/{{key}}.pub"
        scheme = "ed25519"
        [keyring]
        in = {{ server = "keys" }}
        own = ["harbour.pub"]
        [[list]]
        name = "launch line"
        of = "server"
        file = "start.bat"
        option = "-holds="
        entry = "\#{{id}}"
        between = ";"
        ordered = true
        [[setting]]
        name = "port"
        file = "server.toml"
        at = "$.port"
        [[fragment]]
        from = "extra/types.xml"
        into = "world/types.xml"
        before = "</types>"
        identity = "name"
        [[world]]
        in = {{ server = "worlds" }}
        [running]
        lock-file = "world/session.lock"
        port = 4100
        "#
    )
    .replace("\\#", "#");
    let rulebook = parse("sketch", &text).expect("a rulebook").value;
    assert_eq!(rulebook.lists[0].entry.text(), "#{id}");
    assert_eq!(rulebook.running.port, Some(4100));
    assert_eq!(rulebook.not_acted_on().len(), 7);
}

#[rstest]
#[case("holds = \"archives\"", "holds = \"archive\"", "line 5, column 9", "did you mean `archives`?")]
#[case("match =", "mach =", "line 7, column 1", "did you mean `match`?")]
#[case("id = \"$.id\"", "id = \"$.[id\"", "line 11, column 6", "begins with `$`")]
#[case("id = \"$.id\"", "id = { file-name = '(.+' }", "line 11, column 20", "")]
#[case("id = \"$.id\"", "id = { file-name = '(.+)' }", "line 11, column 20", "(?<id>…)")]
#[case("id = \"$.id\"", "id = { member = 'x.json' }", "line 11, column 6", "write one of: at")]
#[case("id = \"$.id\"", "", "line 3, column 1", "add to its [shelf.mod]: id")]
#[case("server = \"mods\"", "server = \"../mods\"", "line 6, column 17", "from the install's root")]
#[case("server = \"mods\"", "server = \"C:/mods\"", "line 6, column 17", "from the install's root")]
#[case("server = \"mods\"", "sever = \"mods\"", "line 6, column 8", "did you mean `server`?")]
#[case("\"about.json\"", "\"about.dat\"", "line 10, column 24", "add notation")]
#[case("kanon-rulebook/1", "kanon-rulebook/9", "line 1, column 10", "")]
#[case("off = [\"*.psm.off\"]", "off = [\"*\"]", "line 8, column 8", "")]
#[case(
    "id = \"$.id\"",
    "id = \"$.id\"\nneeded_on = { at = \"$.r\", means = { x = \"bothe\" } }",
    "line 12, column 41",
    "did you mean `both`?"
)]
fn a_mistake_is_told_with_its_place(#[case] right: &str, #[case] wrong: &str, #[case] at: &str, #[case] help: &str) {
    let text = SMALL.replacen(right, wrong, 1);
    let bad = parse("small", &text).expect_err("a mistake");
    let told: Vec<_> =
        bad.problems.iter().map(|p| (place(&text, p.span.start), p.help.clone().unwrap_or_default())).collect();
    assert!(told.iter().any(|(place, h)| place == at && h.contains(help)), "{:#?}\n{told:#?}", bad.problems);
}

proptest! {
    /// Lines of a good rulebook, some lost, some twice, some cut: never a panic, and an error says where.
    #[test]
    fn torn_rulebooks_are_taken_calmly(picks in proptest::collection::vec((0usize..60, 0usize..80), 0..40)) {
        let lines: Vec<&str> = WHOLE.lines().collect();
        let text: String = picks
            .iter()
            .map(|(line, cut)| lines[line % lines.len()].chars().take(*cut).collect::<String>() + "\n")
            .collect();
        if let Err(bad) = parse("torn", &text) {
            prop_assert!(!bad.problems.is_empty());
            prop_assert!(bad.problems.iter().all(|p| p.span.end <= text.len()));
        }
    }
}
