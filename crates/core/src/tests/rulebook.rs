use super::*;
use crate::base::digest::DigestKind;
use crate::base::path::InstallPath;
use crate::base::problem::place;
use crate::rulebook::Origin;
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
        from = "extra/wares.xml"
        into = "world/wares.xml"
        before = "</wares>"
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
    "id = \"$.id\"\nrequired = { lines = 'a (.+)', member = 'a.ink' }",
    "line 12, column 22",
    "(?<entries>…)"
)]
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

fn with(more: &str) -> Rulebook {
    let text = format!("{SMALL}{more}");
    parse("small", &text).unwrap_or_else(|bad| panic!("{bad}")).value
}

#[test]
fn places_may_be_open_and_one_place_may_stand_for_both_roles() {
    let more = "[[shelf]]\nname = 'packs'\nholds = ['archives', 'folders']\nin = { server = ['worlds/*/packs', 'packs'] }\n\
        [shelf.mod]\nid = '$.id'\n[[shelf]]\nname = 'all'\nholds = 'files'\nin = 'both'\n[shelf.mod]\nid = { digest = 'sha1' }\n";
    let rulebook = with(more);
    let packs = rulebook.shelf("packs").expect("a shelf");
    assert_eq!(packs.holds, Holds::ArchivesOrFolders);
    assert_eq!(packs.places(Role::Server).iter().map(InstallPath::as_str).collect::<Vec<_>>(), ["packs"]);
    assert_eq!(packs.wild.server[0].to_string(), "worlds/*/packs");
    assert!(packs.places(Role::Client).is_empty() && packs.wild.client.is_empty());
    let all = rulebook.shelf("all").expect("a shelf");
    assert_eq!(
        (all.places(Role::Server), all.places(Role::Client)),
        (all.places(Role::Client), all.places(Role::Server))
    );
    assert!(matches!(all.read.id.0[0].origin, Origin::Digest(DigestKind::Sha1)));
}

#[test]
fn on_a_shelf_of_archives_and_folders_the_patterns_are_about_files() {
    let more = "[[shelf]]\nname = 'packs'\nholds = ['folders', 'archives']\nin = 'packs'\nmatch = ['*.zip']\nexcept = ['tmp']\n\
        off = ['*.off']\n[shelf.mod]\nid = '$.id'\n";
    let rulebook = with(more);
    let packs = rulebook.shelf("packs").expect("a shelf");
    assert_eq!(packs.classify_folder("herons"), Named::Enabled);
    assert_eq!(packs.classify_folder("tmp"), Named::NoMod);
    assert_eq!(packs.classify_folder("herons.off"), Named::Disabled { enabled: "herons".to_owned() });
    assert_eq!((packs.classify("a.zip"), packs.classify("a.txt")), (Named::Enabled, Named::NoMod));
    assert_eq!(rulebook.shelf("mods").expect("a shelf").classify_folder("a.txt"), Named::NoMod);
}

#[test]
fn ids_come_from_a_list_and_overlays_go_into_a_base() {
    let more = "[[shelf]]\nname = 'ids'\nholds = 'ids'\nids-from = { server = 'board' }\n\
        [[shelf]]\nname = 'overlays'\nholds = 'overlays'\nin = 'overlays'\n[shelf.laid-into]\nbase = 'engine/base.vault'\norder = 'board'\n\
        strip = { client = ['SEAL/**'] }\n[shelf.mod]\nid = { file-name = '(?<id>.+)' }\n\
        [[list]]\nname = 'board'\nfile = 'worlds/*/board.json'\neach = '$.on[*]'\n";
    let rulebook = with(more);
    let ids = rulebook.shelf("ids").expect("a shelf");
    assert_eq!((ids.ids_from(Role::Server), ids.ids_from(Role::Client)), (Some("board"), None));
    let laid = rulebook.shelf("overlays").expect("a shelf").laid_into.clone().expect("a base");
    assert_eq!((laid.base.as_str(), laid.order.as_deref()), ("engine/base.vault", Some("board")));
    assert!(laid.strip.client[0].fits("SEAL/deep/a.txt") && laid.strip.server.is_empty());
    let board = rulebook.list("board").expect("a list");
    assert!(board.file.as_ref().is_some_and(|file| file.literal().is_none()));
}

#[rstest]
#[case("each = '$.a[*]'\nfile = 'a.json'", "Text")]
#[case("each = '$.a[*]'\nid = '$.x'\nfile = 'a.json'", "Object")]
#[case("each = '$.a'\nform = 'id-to-flag'\nfile = 'a.json'", "KeyToFlag")]
#[case("each = '$.a'\nform = 'id-to-version'\nfile = 'a.json'", "KeyToVersion")]
#[case("each = '$.a'\nform = 'id-to-fields'\nfile = 'a.json'", "KeyToFields")]
#[case("option = '-a='", "Option")]
#[case("notation = 'lines'\nfile = 'a'", "Lines")]
fn a_list_has_the_form_that_it_says(#[case] keys: &str, #[case] form: &str) {
    let rulebook = with(&format!("[[list]]\nname = 'list'\n{keys}\n"));
    let shown = format!("{:?}", rulebook.lists[0].form);
    assert!(shown.contains(&format!("{form} ")) || shown.contains(form), "{shown}");
}

#[rstest]
#[case("[[list]]\nname = 'a'\neach = '$.x'\n", "lacks `file`")]
#[case("[[list]]\nname = 'a'\nfile = 'x'\neach = '$.x'\n", "notation of `x` can't be told")]
#[case("[[list]]\nname = 'a'\nfile = 'x.json'\neach = '$.x'\nform = 'objects'\n", "lacks `id`")]
#[case("[[list]]\nname = 'a'\nfile = 'x.json'\neach = '$.x'\nmeans = { a = 'up' }\n", "`means` can't mean `up`")]
#[case("[[list]]\nname = 'a'\nfile = '../x.json'\neach = '$.x'\n", "leaves its folder")]
#[case("[[shelf]]\nname = 'b'\nholds = 'ids'\n", "lacks `ids-from`")]
#[case(
    "[[shelf]]\nname = 'b'\nholds = 'overlays'\nin = 'o'\n[shelf.laid-into]\n[shelf.mod]\nid = '$.a'\n",
    "lacks `base`"
)]
#[case("required = { lines = 'a (?<entries>.+)' }\n", "lacks `member`")]
#[case("required = { id = '$.who' }\n", "lacks `each`")]
#[case("[[world]]\nin = { server = '/w' }\n", "absolute")]
#[case("[[setting]]\nname = 'a'\nfile = 'x.ini'\n", "lacks `at`")]
fn a_section_that_lacks_something_is_told(#[case] more: &str, #[case] words: &str) {
    let bad = parse("small", &format!("{SMALL}{more}")).expect_err("a mistake");
    assert!(bad.to_string().contains(words), "{bad}");
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
