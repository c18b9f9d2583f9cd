//! Learning from installs in memory: whatever is there, the draft is a rulebook, and nothing in it is made up.

use super::memory::{Memory, zip_of};
use super::*;
use crate::rulebook::parse;
use proptest::prelude::*;
use rstest::rstest;

fn of(server: &[(&str, Vec<u8>)], client: Option<&[(&str, Vec<u8>)]>) -> Draft {
    let server = Memory::new(Role::Server, server);
    let client = client.map(|files| Memory::new(Role::Client, files));
    let sights: Vec<&dyn InstallView> = std::iter::once(&server as &dyn InstallView)
        .chain(client.iter().map(|client| client as &dyn InstallView))
        .collect();
    draft("game", &sights, &Answers::default())
}

/// Files as learning is given them.
fn borrowed(files: &[(String, Vec<u8>)]) -> Vec<(&str, Vec<u8>)> {
    files.iter().map(|(path, bytes)| (path.as_str(), bytes.clone())).collect()
}

fn value<'d>(draft: &'d Draft, about: &str) -> Option<&'d str> {
    draft.facts.iter().find(|fact| fact.about == about).map(|fact| fact.value.as_str())
}

/// Archives called `ID-VERSION.pak` with a card of these keys; `{id}` and `{version}` are filled in.
fn mods(card: &str) -> Vec<(String, Vec<u8>)> {
    let each = [("reed", "1.2"), ("peat", "0.4.1"), ("bog", "2.0")];
    let card = |(id, version): (&str, &str)| card.replace("{id}", id).replace("{version}", version);
    each.iter().map(|own| (format!("mods/{}-{}.pak", own.0, own.1), zip_of(&[("card.json", &card(*own))]))).collect()
}

fn by_card(card: &str) -> Draft {
    let mods = mods(card);
    let files = borrowed(&mods);
    of(&files, None)
}

#[rstest]
#[case::everyday_keys(r#"{"id": "{id}", "version": "{version}"}"#, "\"$.id\"", "\"$.version\"")]
#[case::other_languages(r#"{"kennung": "{id}", "stand": "{version}"}"#, "\"$.kennung\"", "\"$.stand\"")]
#[case::misleading_keys(r#"{"version": "{id}", "id": "{version}"}"#, "\"$.version\"", "\"$.id\"")]
#[case::deep_in(r#"{"a": {"b": [{"c": "{id}"}]}, "v": {"n": "{version}"}}"#, "\"$.a.b[0].c\"", "\"$.v.n\"")]
#[case::beside_a_format(
    r#"{"format": 3, "gameVersion": "1.0", "id": "{id}", "release": "{version}"}"#,
    "\"$.id\"",
    "\"$.release\""
)]
fn values_decide_which_key_is_id_and_version(#[case] card: &str, #[case] id: &str, #[case] version: &str) {
    let draft = by_card(card);
    assert_eq!(value(&draft, "shelf mods: id"), Some(id), "{}", draft.rulebook);
    assert_eq!(value(&draft, "shelf mods: version"), Some(version), "{}", draft.rulebook);
}

/// A register beside folders with opaque names: what others refer to is the id, and never the folder.
#[test]
fn of_a_register_the_column_that_others_name_is_the_id() {
    let each = [("reed", "a1f0", ""), ("peat", "b2e1", "\"reed\""), ("bog", "c3d2", "\"reed\"")];
    let entries = each.map(|(id, folder, uses)| {
        format!(r#"{{"folder": "{folder}", "code": "{id}", "build": "1.{}", "uses": [{uses}]}}"#, folder.len())
    });
    let register = format!(r#"{{"parts": [{}]}}"#, entries.join(", ")).into_bytes();
    let inside = each.map(|(id, folder, _)| (format!("parts/{folder}/a.bin"), format!("\u{1}{id}").into_bytes()));
    let mut files = borrowed(&inside);
    files.push(("parts/register.json", register));
    let draft = of(&files, None);
    assert_eq!(value(&draft, "shelf parts: id"), Some("\"$.code\""), "{}", draft.rulebook);
    assert_eq!(value(&draft, "the game: ids"), None, "{}", draft.rulebook);
}

/// Folders of several makers, each a shelf: `tarn/reed` is called after its maker and its folder.
#[test]
fn folders_of_makers_are_shelves_each() {
    let each = [("tarn", "reed"), ("tarn", "peat"), ("holm", "bog"), ("holm", "fen"), ("holm", "moss")];
    let card = |maker: &str, id: &str| format!(r#"{{"name": "{maker}/{id}", "version": "1.{}"}}"#, id.len());
    let files = each.map(|(maker, id)| (format!("plugins/{maker}/{id}/plugin.json"), card(maker, id).into_bytes()));
    let files = borrowed(&files);
    let draft = of(&files, None);
    for shelf in ["tarn", "holm"] {
        assert_eq!(value(&draft, &format!("shelf {shelf}: id")), Some("\"$.name\""), "{}", draft.rulebook);
    }
}

/// What the heads of scripts tell behind an `@`, with no other sign.
#[test]
fn tags_in_comments_tell_versions_and_needs() {
    let script = |version: &str, needs: &str| format!("// @title A thing\n// @version {version}\n{needs}go();\n");
    let files = [
        ("songs/reed.song", script("1.2.0", "")),
        ("songs/peat.song", script("0.4.1", "// @needs reed\n")),
        ("songs/bog.song", script("2.0.3", "// @needs reed\n// @needs peat\n")),
        ("order.txt", "reed\npeat\nbog\n".to_owned()),
    ];
    let files: Vec<(&str, Vec<u8>)> = files.iter().map(|(path, text)| (*path, text.clone().into_bytes())).collect();
    let draft = of(&files, None);
    let version = value(&draft, "shelf songs: version").unwrap_or_default();
    assert!(version.contains("@version"), "{}", draft.rulebook);
    assert!(value(&draft, "shelf songs: required").is_some_and(|rule| rule.contains("@needs")), "{}", draft.rulebook);
}

/// Cards that lie beside mods tell of those, whatever signs stand around the mod's name; what lies beside them on both sides
/// alike is a part of them, and what differs is nobody's or somebody's own.
#[rstest]
#[case::behind("stow/{stem}.card.json", "{stem}.card.json")]
#[case::behind_all_of_it("stow/{name}.json", "{name}.json")]
#[case::before("stow/card_{stem}.json", "card_{stem}.json")]
#[case::shouted("stow/{stem}.CARD.JSON", "{stem}.card.json")]
fn cards_beside_mods(#[case] file: &str, #[case] template: &str) {
    let side = |mine: &str| {
        let each = [("reed", "1.2"), ("peat-works", "0.4.1"), ("bog", "2.0")].into_iter().flat_map(|(id, version)| {
            let called = file.replace("{stem}", id).replace("{name}", &format!("{id}.stw"));
            let card = format!(r#"{{"is": "{id}", "release": "{version}"}}"#);
            let payload = format!("\u{1}\u{2}{id}");
            [
                (format!("stow/{id}.stw"), payload.clone()),
                (format!("stow/{id}.hull"), payload),
                (called, card),
                (format!("stow/{id}.loud"), format!("{mine} {id}")),
            ]
        });
        each.map(|(path, text)| (path, text.into_bytes())).collect::<Vec<_>>()
    };
    let (server, client) = (side("yes"), side("no"));
    let draft = of(&borrowed(&server), Some(&borrowed(&client)));
    let stated = |about: &str| value(&draft, &format!("shelf stow: {about}")).unwrap_or_default().to_owned();
    assert_eq!(stated("document"), format!("{{ member = \"{template}\" }}"), "{}", draft.rulebook);
    assert_eq!((stated("id"), stated("version")), ("\"$.is\"".to_owned(), "\"$.release\"".to_owned()));
    assert!(stated("beside").contains(&format!("\"{template}\"")) && stated("beside").contains("{stem}.hull"));
    assert!(!stated("beside").contains("loud"), "{}", draft.rulebook);
    let told: Vec<&str> = draft.unread.iter().map(|unread| unread.place.as_str()).collect();
    assert_eq!(told, [".loud"], "what differs is asked about");
}

/// What all names end in is part of no id; a folder in which a program saves its settings too is none of worlds.
#[test]
fn common_endings_and_saved_settings() {
    let names = ["Reed_Works", "Peat_Set", "Bog_Rail"];
    let paks = names.map(|name| (format!("stock/own/{name}_q.pck"), format!("\u{1}{name}").into_bytes()));
    let mut files = borrowed(&paks);
    let mounts = names.map(|name| format!("bring=own/{name}_q.pck\n")).concat();
    files.push(("saves/config/host.ini", format!("[Stock]\n{mounts}").into_bytes()));
    files.push(("saves/worlds/isle/land.bin", b"\x01w".to_vec()));
    let draft = of(&files, None);
    let id = value(&draft, "shelf own: id");
    assert_eq!(id, Some(r"{ file-name = '^(?<id>.+?)(?:_q)?\.pck$' }"), "{}", draft.rulebook);
    assert_eq!(value(&draft, "worlds"), Some("{ server = \"saves/worlds/*\" }"), "{}", draft.rulebook);
    assert!(draft.rulebook.contains("file = \"saves/config/host.ini\""), "{}", draft.rulebook);
}

#[rstest]
#[case::map(r#""needs": {"bog": ">=1"}"#, "required", r#"{ each = "$.needs", form = "id-to-range" }"#)]
#[case::ids(r#""needs": ["bog"]"#, "required", r#"{ each = "$.needs[*]" }"#)]
#[case::optional(r#""likes": ["bog"]"#, "optional", r#"{ each = "$.likes[*]" }"#)]
#[case::objects(
    r#""needs": [{"who": "bog", "which": "[1.0,2.0)"}]"#,
    "required",
    r#"{ each = "$.needs[*]", id = "$.who", range = "$.which" }"#
)]
#[case::kinds(
    r#""bonds": [{"who": "bog", "how": "needs"}, {"who": "peat", "how": "optional"}]"#,
    "relations",
    r#"{ each = "$.bonds[*]", id = "$.who", kind = "$.how", kinds = { needs = "required", optional = "optional" } }"#
)]
#[case::commas(
    r#""needs": "bog, peat""#,
    "required",
    r#"{ each = "$.needs", between = ",", text = '^(?<id>[^\s,;|<>=~^]+)$' }"#
)]
fn lists_that_name_mods_are_relations(#[case] needs: &str, #[case] key: &str, #[case] rule: &str) {
    let draft = by_card(&format!(r#"{{"id": "{{id}}", "version": "{{version}}", {needs}}}"#));
    assert_eq!(value(&draft, &format!("shelf mods: {key}")), Some(rule), "{}", draft.rulebook);
}

#[rstest]
#[case(r#""by": ["bog", "peat"]"#)]
#[case(r#""tags": ["reed", "peat"]"#)]
#[case(r#""files": {"a": "1.0", "b": "2.0"}"#)]
#[case(r#""range": ">=1.0 <2""#)]
fn what_only_looks_like_relations_is_none(#[case] other: &str) {
    let other = other.replace("\"by\"", "\"authors\"");
    let draft = by_card(&format!(r#"{{"id": "{{id}}", "version": "{{version}}", {other}}}"#));
    let about =
        |fact: &&Fact| ["required", "optional", "conflicting", "relations"].iter().any(|k| fact.about.ends_with(k));
    assert_eq!(draft.facts.iter().find(about), None, "{}", draft.rulebook);
}

#[test]
fn a_side_is_told_by_where_mods_were_seen() {
    let card = |id: &str, side: &str| {
        zip_of(&[("card.json", &format!(r#"{{"id": "{id}", "version": "1.0", "ort": "{side}"}}"#))])
    };
    let server = [("mods/a1.pak", card("a1", "x")), ("mods/b2.pak", card("b2", "y")), ("mods/c3.pak", card("c3", "y"))];
    let client = [("mods/b2.pak", card("b2", "y")), ("mods/c3.pak", card("c3", "y")), ("mods/d4.pak", card("d4", "z"))];
    let learned = of(&server, Some(&client));
    let expected = r#"{ at = "$.ort", means = { x = "server", y = "both", z = "client" } }"#;
    assert_eq!(value(&learned, "shelf mods: needed_on"), Some(expected), "{}", learned.rulebook);
    let alone = of(&server, None);
    assert_eq!(value(&alone, "shelf mods: needed_on"), None, "one side alone tells nothing:\n{}", alone.rulebook);
}

#[rstest]
#[case(&["1.2", "0.4", "2.0.1-rc2"], "\"dotted\"")]
#[case(&["1.2.0", "0.4.0-beta.1", "2.0.1"], "\"semver\"")]
#[case(&["2026-11-03", "2026-10-01", "2025-01-31"], "\"date\"")]
#[case(&["20261103", "20261001", "20250131"], "\"date\"")]
fn versions_tell_their_scheme(#[case] versions: &[&str], #[case] scheme: &str) {
    let names = ["reed", "peat", "bog"];
    let card = |id: &str, version: &str| format!(r#"{{"id": "{id}", "version": "{version}"}}"#);
    let files: Vec<(String, Vec<u8>)> = names
        .iter()
        .zip(versions)
        .map(|(id, version)| (format!("mods/{id}.pak"), zip_of(&[("card.json", &card(id, version))])))
        .collect();
    let files = borrowed(&files);
    let learned = of(&files, None);
    assert_eq!(value(&learned, "versions: scheme"), Some(scheme), "{}", learned.rulebook);
}

#[rstest]
#[case("launch.bat", "@echo off\r\nstart game -load=reed;peat;bog -x\r\n", "-load=", "\";\"")]
#[case("start.sh", "exec ./game --load reed,peat,bog --port 1\n", "--load", "\",\"")]
#[case("game.service", "[Service]\nExecStart=/srv/game '-load=reed|peat|bog'\n", "-load=", "\"|\"")]
fn launch_lines_tell_option_and_separator(
    #[case] file: &str,
    #[case] text: &str,
    #[case] option: &str,
    #[case] between: &str,
) {
    let mods = mods(r#"{"id": "{id}", "version": "{version}"}"#);
    let mut files = borrowed(&mods);
    files.push((file, text.as_bytes().to_vec()));
    let learned = of(&files, None);
    let name = "server's launch line";
    assert_eq!(
        value(&learned, &format!("{name}: option")),
        Some(format!("\"{option}\"").as_str()),
        "{}",
        learned.rulebook
    );
    assert_eq!(value(&learned, &format!("{name}: between")), Some(between));
}

#[test]
fn a_log_that_mentions_every_mod_is_no_list() {
    let mods = mods(r#"{"id": "{id}", "version": "{version}"}"#);
    let mut files = borrowed(&mods);
    files.push(("logs/today.txt", b"reed\npeat\nbog\n".to_vec()));
    files.push(("server.log", b"loading reed;peat;bog\n".to_vec()));
    assert!(!of(&files, None).rulebook.contains("[[list]]"));
}

#[test]
fn pictures_and_pages_whose_names_stand_in_texts_are_no_mods() {
    let mods = mods(r#"{"id": "{id}", "version": "{version}"}"#);
    let mut files = borrowed(&mods);
    files.push(("title/en.alt", b"picture".to_vec()));
    files.push(("title/ru.alt", b"picture".to_vec()));
    files.push(("readme.txt", b"read it in en or in ru".to_vec()));
    let learned = of(&files, None);
    assert!(!learned.rulebook.contains("title"), "{}", learned.rulebook);
    files.push(("order.txt", b"en\nru\n".to_vec()));
    let listed = of(&files, None);
    assert!(listed.rulebook.contains("name = \"title\""), "a list names them:\n{}", listed.rulebook);
}

#[rstest]
#[case("\\")]
#[case("a[1]")]
#[case("{x}")]
#[case("'''")]
#[case("\"\"\"")]
fn odd_names_in_lists_and_folders_make_no_bad_pattern(#[case] odd: &str) {
    let card = |id: &str| format!(r#"{{"id": "{id}", "version": "1.0", "needs": ["reed"]}}"#);
    let list = serde_json::json!(["reed", "peat", odd]).to_string().into_bytes();
    let mut files: Vec<(String, Vec<u8>)> = vec![("list.json".to_owned(), list)];
    for id in ["reed", "peat"] {
        files.push((format!("mods/{id}/card.json"), card(id).into_bytes()));
    }
    if crate::base::path::InstallPath::new(odd).is_ok() {
        files.push((format!("mods/{odd}/other.bin"), b"x".to_vec()));
    }
    let files = borrowed(&files);
    let learned = of(&files, None);
    let parsed = parse("draft", &learned.rulebook).unwrap_or_else(|bad| panic!("{bad}\n{}", learned.rulebook));
    assert_eq!(parsed.value.lists.len(), 1, "{}", learned.rulebook);
}

#[test]
fn answers_are_written_down() {
    let mods = mods(r#"{"id": "{id}", "version": "{version}", "side": "quay", "needs": {"bog": "2.0"}}"#);
    let files = borrowed(&mods);
    let memory = Memory::new(Role::Server, &files);
    let open = draft("folder", &[&memory], &Answers::default());
    assert!(open.asks.contains(&Ask::Game) && open.asks.contains(&Ask::Bare), "{:?}", open.asks);
    let answers = Answers { game: Some("Low Water".to_owned()), bare: Some("exact".to_owned()), ..Answers::default() };
    let told = draft("folder", &[&memory], &answers);
    assert!(told.rulebook.contains("game = \"Low Water\"") && told.rulebook.contains("bare = \"exact\""));
    assert!(!told.asks.contains(&Ask::Game) && !told.asks.contains(&Ask::Bare), "{:?}", told.asks);
}

#[test]
fn settings_that_differ_by_role_and_switches_about_mods_are_named() {
    let mods = mods(r#"{"id": "{id}", "version": "{version}"}"#);
    let own = |text: &str| {
        let mut files = borrowed(&mods);
        files.push(("game.toml", text.as_bytes().to_vec()));
        files
    };
    let server = own("port = 4100\nname = 'Low'\nallow_mods = true\n");
    let learned = of(&server, Some(&own("port = 4100\nname = 'Mara'\nallow_mods = true\n")));
    let settings: Vec<&str> = learned.facts.iter().filter_map(|fact| fact.about.strip_prefix("setting ")).collect();
    assert_eq!(settings, ["allow_mods in game.toml", "name in game.toml"], "{}", learned.rulebook);
}

#[test]
fn of_very_many_mods_all_are_read_though_few_are_studied() {
    let card = |n: usize| format!(r#"{{"id": "reed-{n}", "version": "1.{n}", "needs": {{"reed-{}": ">=1"}}}}"#, n / 2);
    let files: Vec<(String, Vec<u8>)> = (0..450)
        .map(|n| (format!("mods/reed-{n}.pak"), zip_of(&[("card.json", &card(n)), ("a.json", "{}")])))
        .collect();
    let list: Vec<String> = (0..450).map(|n| format!("\"reed-{n}\"")).collect();
    let mut files = borrowed(&files);
    files.push(("list.json", format!("[{}]", list.join(",")).into_bytes()));
    let learned = of(&files, None);
    assert_eq!(value(&learned, "shelf mods: required"), Some(r#"{ each = "$.needs", form = "id-to-range" }"#));
    let found = learned.facts.iter().find(|fact| fact.about == "list in list.json: file").expect("the list");
    assert!(found.evidence[0].contains("450 of 450 mods"), "{:?}", found.evidence);
}

fn any_card() -> impl Strategy<Value = String> {
    let key = prop_oneof!["[a-z]{1,6}", "[\\PC]{1,4}", Just("id".to_owned()), Just("needs".to_owned())];
    let leaf = prop_oneof![
        "[a-z]{2,6}".prop_map(serde_json::Value::from),
        "[0-9]\\.[0-9]{1,2}".prop_map(serde_json::Value::from),
        "\\PC{0,10}".prop_map(serde_json::Value::from),
        any::<bool>().prop_map(serde_json::Value::from),
    ];
    let value = leaf.prop_recursive(3, 20, 4, move |inner| {
        prop_oneof![
            prop::collection::vec(inner.clone(), 0..4).prop_map(serde_json::Value::from),
            prop::collection::vec(("[a-z]{1,5}", inner), 0..4)
                .prop_map(|pairs| serde_json::Value::Object(pairs.into_iter().collect())),
        ]
    });
    prop::collection::vec((key, value), 1..6)
        .prop_map(|pairs| serde_json::Value::Object(pairs.into_iter().collect()).to_string())
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 48, failure_persistence: None, ..ProptestConfig::default() })]

    #[test]
    fn whatever_is_there_the_draft_is_a_rulebook(
        // No name that systems keep for themselves, such as con.
        cards in prop::collection::vec(("m[a-z]{1,4}", any_card()), 1..5),
        list in "\\PC{0,60}\n?\\PC{0,60}",
        raw in prop::collection::vec(any::<u8>(), 0..80),
    ) {
        let mut files: Vec<(String, Vec<u8>)> = Vec::new();
        for (name, card) in &cards {
            files.push((format!("mods/{name}.pak"), zip_of(&[("card.json", card)])));
            files.push((format!("parts/{name}/card.json"), card.clone().into_bytes()));
        }
        files.push(("list.txt".to_owned(), list.clone().into_bytes()));
        files.push(("list.ini".to_owned(), format!("{list}\nmods={}\n", cards[0].0).into_bytes()));
        files.push(("parts/raw.bin".to_owned(), raw.clone()));
        files.push(("start.bat".to_owned(), raw));
        let files = borrowed(&files);
        let learned = of(&files, Some(&files));
        let parsed = parse("draft", &learned.rulebook);
        if learned.rulebook.contains("\n[[shelf]]") {
            prop_assert!(parsed.is_ok(), "{}\n{}", parsed.err().map(|e| e.to_string()).unwrap_or_default(), learned.rulebook);
        }
        for fact in &learned.facts {
            prop_assert!((0.0..=1.0).contains(&fact.confidence), "{fact:?}");
        }
    }
}

/// Lines of a word and a text in quotes are a document; what states nothing is not given the next line.
#[test]
fn quoted_lines_and_empty_heads() {
    let card = |id: &str, needs: &str| format!("form '4'\nname '{id}'\nversion '1.{}'\n{needs}", id.len()).into_bytes();
    let files = [
        ("res/reed/res.def", card("reed", "")),
        ("res/peat/res.def", card("peat", "needs { 'reed' }\n")),
        ("res/boglight/res.def", card("boglight", "needs { 'reed', 'peat' }\n")),
    ];
    let draft = of(&files, None);
    assert_eq!(value(&draft, "shelf res: id"), Some("\"$.name\""), "{}", draft.rulebook);
    assert_eq!(value(&draft, "shelf res: version"), Some("\"$.version\""));
    let script = |version: &str, needs: &str| format!("# version: {version}\n# needs:{needs}\nstart()\n").into_bytes();
    let files = [
        ("songs/reed.song", script("1.2.0", " ")),
        ("songs/peat.song", script("0.4.1", " reed")),
        ("songs/bog.song", script("2.0.3", " reed, peat")),
        ("order.txt", b"reed\npeat\nbog\n".to_vec()),
    ];
    let draft = of(&files, None);
    let rule = value(&draft, "shelf songs: required").unwrap_or_default();
    let lines = rule.split('\'').nth(1).and_then(|lines| regex::Regex::new(lines).ok()).expect("a pattern");
    assert!(!lines.is_match("# needs: \nstart()\n") && lines.is_match("# needs: reed\n"), "{rule}");
}

/// Where some say no more than the range, others have an object with it.
#[test]
fn ranges_alone_and_in_objects() {
    let card =
        |id: &str, needs: &str| format!("[package]\nname = '{id}'\nversion = '1.2.0'\n[needs]\n{needs}").into_bytes();
    let files = [
        ("parts/reed/part.toml", card("reed", "")),
        ("parts/peat/part.toml", card("peat", "reed = '>=1'\n")),
        ("parts/bog/part.toml", card("bog", "reed = { version = '>=1.1' }\npeat = '>=1'\n")),
    ];
    let draft = of(&files, None);
    let needs = value(&draft, "shelf parts: required");
    assert_eq!(needs, Some(r#"{ each = "$.needs", form = "id-to-range", range = "$.version" }"#), "{}", draft.rulebook);
}

/// Copies that are called otherwise on each side are one mod by the id that both tell.
#[test]
fn the_same_id_under_two_names() {
    let each = [("reed", "1.2", "Reeds_new"), ("peat", "0.4", "Peat_Works_new"), ("bog", "2.0", "Boglands_new")];
    let card =
        |id: &str, version: &str| zip_of(&[("pkz.json", &format!(r#"{{"ident": "{id}", "v": "{version}.0"}}"#))]);
    let server = each.map(|(id, version, _)| (format!("mods/{id}-{version}.pkz"), card(id, version)));
    let client = each.map(|(id, version, shown)| (format!("mods/{shown}.pkz"), card(id, version)));
    let server = borrowed(&server);
    let client = borrowed(&client);
    let draft = of(&server, Some(&client));
    assert_eq!(value(&draft, "shelf mods: id"), Some("\"$.ident\""), "{}", draft.rulebook);
}

/// A word, a blank and a version, or what other mods are called, tell those.
#[test]
fn lines_without_a_sign_between() {
    let card =
        |version: &str, needs: &str| format!("[a thing]\r\nVersion {version}\r\n{needs}Made by hand\r\n").into_bytes();
    let files = [
        ("parts/reed/part.nfo", card("1.2.0", "")),
        ("parts/peat/part.nfo", card("0.4.1", "Needs reed\r\n")),
        ("parts/bog/part.nfo", card("2.0.3", "Needs reed\r\nNeeds peat\r\n")),
        ("parts.txt", b"reed\npeat\nbog\n".to_vec()),
    ];
    let draft = of(&files, None);
    let version = value(&draft, "shelf parts: version").unwrap_or_default();
    assert!(version.contains(r"Version[ \t]+"), "{}", draft.rulebook);
    let needs = value(&draft, "shelf parts: required").unwrap_or_default();
    assert!(needs.contains(r"Needs[ \t]+"), "{}", draft.rulebook);
    assert!(!needs.contains("Made"), "people are no mods: {needs}");
}

/// An id is what others refer to: a longer name, where that is the folder's; numbers for ids and places are no versions, and
/// lists of numbers below a key for one are.
#[test]
fn ids_and_versions_by_what_others_say() {
    let each = [("holm", "reed", 0), ("tarn", "peat", 1), ("tarn", "bog", 2), ("holm", "fog", 3)];
    let card = |(of, id, at): (&str, &str, u32)| {
        let needs = if at > 1 { r#""holm-reed-1.0.0""# } else { "" };
        let card = format!(
            r#"{{"name": "{id}", "itemid": {}, "order": {at}, "issue": {{"version": [1, {at}, 0]}}, "needs": [{needs}]}}"#,
            9_000_000 + at * 7
        );
        (format!("parts/{of}-{id}/card.json"), card.into_bytes())
    };
    let files = each.map(card);
    let files = borrowed(&files);
    let draft = of(&files, None);
    assert_eq!(value(&draft, "shelf parts: id"), Some("{ file-name = '^(?<id>.+)$' }"), "{}", draft.rulebook);
    assert_eq!(value(&draft, "shelf parts: version"), Some("\"$.issue.version\""), "{}", draft.rulebook);
    let needs = value(&draft, "shelf parts: required").unwrap_or_default();
    assert!(needs.contains("(?<id>.+?)-(?<range>"), "{needs}");
}

/// Texts that are written in no notation: the same words at the same place in all mods. `{id}`, `{title}` and `{version}` are filled
/// in; some titles have more words than others.
#[rstest]
#[case::in_one_line("{id} {version}\n", r"\A[ \t", false)]
#[case::each_on_its_line("{title}\r\n{version}\r\nby moss\r\n", r"\A(?:[^\n]*\n){1}", false)]
#[case::behind_words("/*\n {title}, by moss\n Key: {id}   Version: {version}\n*/\n", r"\bVersion", true)]
#[case::last_in_the_line("{title} {version}\nfor the fen\n", r"\A[^\n]*", false)]
#[case::in_brackets("-- {title} ({version})\n", r"\A[^\n]*", false)]
#[case::before_other_words("needs 3.2.0\nissue {version} final\n", r"\A(?:[^\n]*\n){1}", false)]
fn words_at_one_place_in_all_texts(#[case] text: &str, #[case] begins: &str, #[case] tells_ids: bool) {
    let each = [("reed", "Reed", "1.2.0"), ("peat", "The Peat Pit", "0.4.1"), ("bog", "Bog Iron", "2.0.3")];
    let card = |(id, title, version): (&str, &str, &str)| {
        let text = text.replace("{id}", id).replace("{title}", title).replace("{version}", version);
        (format!("works/{title} Set/CARD"), text.into_bytes())
    };
    let mut files = each.map(card).to_vec();
    files.push(("works.on".to_owned(), b"Reed Set\nThe Peat Pit Set\nBog Iron Set\n".to_vec()));
    let draft = of(&borrowed(&files), None);
    assert!(parse("the draft", &draft.rulebook).is_ok());
    let told = value(&draft, "shelf works: version").unwrap_or_default();
    let told: toml::Table = format!("version = {told}").parse().expect("TOML");
    let pattern = told["version"]["text"].as_str().expect("a pattern");
    assert!(pattern.starts_with(begins), "{pattern}");
    let regex = regex::Regex::new(pattern).expect("a pattern");
    for ((_, text), (.., version)) in files.iter().zip(each) {
        let text = std::str::from_utf8(text).expect("text");
        assert_eq!(&regex.captures(text).expect("read")["version"], version, "{pattern}");
    }
    let id = value(&draft, "shelf works: id").unwrap_or_default();
    assert_eq!(id.contains("CARD"), tells_ids, "{}", draft.rulebook);
}

/// A game's own parts have such lines too: without a list that names them, they are a doubt.
#[rstest]
#[case::a_list(true)]
#[case::none(false)]
fn what_only_a_line_in_a_text_tells_is_doubted(#[case] is_listed: bool) {
    let text = |(id, version): (&str, &str)| (format!("areas/{id}/NOTE"), format!("{id} {version}\n").into_bytes());
    let mut files = [("shore", "3.2.0"), ("cave", "3.2.1"), ("meadow", "3.2.4")].map(text).to_vec();
    if is_listed {
        files.push(("areas.on".to_owned(), b"shore\ncave\nmeadow\n".to_vec()));
    }
    let draft = of(&borrowed(&files), None);
    assert!(draft.rulebook.contains("name = \"areas\""), "{}", draft.rulebook);
    assert_eq!(
        draft.unread.iter().any(|unread| unread.what == WhatUnread::TextAlone),
        !is_listed,
        "{:?}",
        draft.unread
    );
}

/// Files of one text each, that name themselves: what stands around a file's name is no part of it. Without a list that names them
/// they are a doubt as well.
#[rstest]
#[case::a_list(true)]
#[case::none(false)]
fn texts_that_tell_their_own_names_are_mods(#[case] is_listed: bool) {
    let text = |(name, id, version): (&str, &str, &str)| {
        let head = format!("/*\n * Name: {id}\n * Version: {version}\n */\non dusk {{ ring; }}\n");
        (format!("hooks/{name}.hk"), head.into_bytes())
    };
    let mut files = [("reed", "reed", "1.2.0"), ("peat", "peat", "0.4.1"), ("_bog", "bog", "2.0.3")].map(text).to_vec();
    if is_listed {
        files.push(("hooks.on".to_owned(), b"reed\npeat\nbog\n".to_vec()));
    }
    let draft = of(&borrowed(&files), None);
    let id = value(&draft, "shelf hooks: id").unwrap_or_default();
    assert!(id.contains("Name"), "{}", draft.rulebook);
    let is_doubt = draft.unread.iter().any(|unread| unread.what == WhatUnread::TextAlone);
    assert_eq!(is_doubt, !is_listed, "{:?}", draft.unread);
}

/// Texts that have versions and no names of their own are parts of anything.
#[test]
fn texts_with_versions_alone_are_no_mods() {
    let text =
        |(name, version): (&str, &str)| (format!("shades/{name}.sh"), format!("# version {version}\n").into_bytes());
    let files = [("fog", "1.2.0"), ("glow", "1.4.1"), ("dusk", "2.0.3")].map(text);
    assert!(!of(&borrowed(&files), None).rulebook.contains("\n[[shelf]]"));
}

/// What a program brings along is no mod, whatever its texts tell.
#[test]
fn the_libraries_of_a_program_are_no_mods() {
    let text = |(id, version): (&str, &str)| (format!("lib/{id}/NOTE"), format!("{id} {version}\n").into_bytes());
    let files = [("zip", "3.2.0"), ("sound", "1.0.1"), ("net", "0.2.4")].map(text);
    assert!(!of(&borrowed(&files), None).rulebook.contains("\n[[shelf]]"));
}

/// One file tells of all mods, with what they are called as a value of each entry.
#[test]
fn sections_that_name_files_tell_of_those() {
    let section = |(id, version): (&str, &str)| {
        format!("[part {version}]\r\nPath=bits\\{id}.bit\r\nVer={version}\r\nUse=yes\r\n\r\n")
    };
    let each = [("reed", "1.2.0"), ("peat", "0.4.1"), ("bog", "2.0.3")];
    let mut files = each.map(|(id, _)| (format!("bits/{id}.bit"), format!("\u{1}\u{2}{id}").into_bytes())).to_vec();
    files.push(("bits.ini".to_owned(), each.map(section).concat().into_bytes()));
    let draft = of(&borrowed(&files), None);
    let told = value(&draft, "shelf bits: told-by");
    assert_eq!(told, Some(r#"{ file = "bits.ini", each = "$.*", key = "$.Path" }"#), "{}", draft.rulebook);
    assert_eq!(value(&draft, "shelf bits: version"), Some("\"$.Ver\""), "{}", draft.rulebook);
}

/// A sign before folders, and the endings of files, are both what mods of a shelf are called.
#[test]
fn a_sign_and_an_ending_are_one_match() {
    let card = |id: &str| format!("id={id}\nversion=1.{}\n", id.len()).into_bytes();
    let folder = |id: &str| (format!("mods/~{id}/card.properties"), card(id));
    let archive = |id: &str| {
        let card = card(id);
        (format!("mods/~{id}.pak"), zip_of(&[("card.properties", std::str::from_utf8(&card).expect("text"))]))
    };
    let mut files = vec![folder("reed"), folder("peat"), archive("bog"), archive("fog"), archive("moss")];
    files.push(("mods/notes/a.txt".to_owned(), b"x".to_vec()));
    let draft = of(&borrowed(&files), None);
    assert!(parse("the draft", &draft.rulebook).is_ok(), "{}", draft.rulebook);
    assert!(draft.rulebook.contains("\nmatch = [\"*.pak\", \"~*\"]\n"), "{}", draft.rulebook);
}

/// Shelves of a draft, by the lines for what they hold and where.
fn shelves(draft: &Draft) -> Vec<(String, String)> {
    let each = draft.facts.iter().filter_map(|fact| Some((fact.about.strip_suffix(": holds")?, fact.value.clone())));
    each.map(|(shelf, holds)| (shelf.replace("shelf ", ""), holds)).collect()
}

const EACH: [(&str, &str); 4] = [("reed", "1.2.0"), ("peat", "0.4.1"), ("bog", "2.0.3"), ("fog", "1.7.9")];

/// What stands beside files that are mods, and is called as they are, belongs to them or they to it: never two shelves of one mod.
#[rstest]
#[case::settings_of_archives(&[("hall/{id}.kit", "zip"), ("hall/{id}/own.yml", "size: 3\nversion: 12\n")], &[("hall", "\"archives\"")])]
#[case::settings_elsewhere(&[("hall/{id}-{version}.kit", "zip"), ("own/{id}.toml", "amount = {number}\n")], &[("hall", "\"archives\"")])]
#[case::a_text_beside_a_folder(
    &[("hall/{id}.part", "title=\"{id}\"\npath=\"hall/{id}\"\nversion=\"{version}\"\n"), ("hall/{id}/data/{id}.bin", "\u{1}{id}{version}{version}{version}{version}{version}{version}{version}{version}{version}"), ("hall/{id}/card.part", "title=\"{id}\"\nversion=\"{version}\"\n")],
    &[("hall", "\"folders\"")]
)]
fn a_mod_is_on_one_shelf(#[case] kinds: &[(&str, &str)], #[case] expected: &[(&str, &str)]) {
    let mut files: Vec<(String, Vec<u8>)> = Vec::new();
    for (at, (id, version)) in EACH.into_iter().enumerate() {
        let number = (7_000_000 + at * 31).to_string();
        let filled = |text: &str| text.replace("{id}", id).replace("{version}", version).replace("{number}", &number);
        let card = format!("{{\"handle\": \"{id}\", \"release\": \"{version}\"}}");
        for (path, text) in kinds {
            let bytes = if *text == "zip" { zip_of(&[("card.json", &card)]) } else { filled(text).into_bytes() };
            files.push((filled(path), bytes));
        }
    }
    let draft = of(&borrowed(&files), None);
    let expected: Vec<(String, String)> =
        expected.iter().map(|(name, holds)| ((*name).to_owned(), (*holds).to_owned())).collect();
    assert_eq!(shelves(&draft), expected, "{}", draft.rulebook);
}

/// A version may be an object of its parts, whatever letters its keys are in.
#[test]
fn a_version_in_parts_is_read() {
    let card = |(id, version): (&str, &str)| {
        let parts: Vec<&str> = version.split('.').collect();
        let card = format!(
            r#"{{"id": "{id}", "VERSION": {{"MAJOR": {}, "MINOR": {}, "PATCH": {}}}}}"#,
            parts[0], parts[1], parts[2]
        );
        (format!("mods/{id}/card.json"), card.into_bytes())
    };
    let draft = of(&borrowed(&EACH.map(card)), None);
    assert_eq!(value(&draft, "shelf mods: version"), Some("\"$.VERSION\""), "{}", draft.rulebook);
}

/// What all names begin with is no id, and what tells them apart no version; a number that a list has is what mods are called by.
#[rstest]
#[case::all_begin_alike("mods/pk-{number}/a.bin", "[\"pk-{number}\"", "^(?<id>.+)$")]
#[case::a_listed_number("mods/{id}_{number}.bnd", "[\"{number}\"", r"^.+[_ .-](?<id>[0-9]{5,})\.bnd$")]
#[case::a_listed_name("mods/{id}_{number}.bnd", "[\"{id}\"", r"^(?<id>.+?)_(?<version>[0-9][\w.+-]*?)\.bnd$")]
fn numbers_in_names_are_what_lists_say_of_them(#[case] path: &str, #[case] entry: &str, #[case] pattern: &str) {
    let filled = |text: &str, id: &str, at: usize| {
        text.replace("{id}", id).replace("{number}", &(7_000_000 + at * 31).to_string())
    };
    let each = || EACH.iter().enumerate();
    let mut files: Vec<(String, Vec<u8>)> =
        each().map(|(at, (id, _))| (filled(path, id, at), format!("\0{id}").into_bytes())).collect();
    let entries: Vec<String> = each().map(|(at, (id, _))| filled(entry.trim_start_matches('['), id, at)).collect();
    files.push(("run.json".to_owned(), format!("[{}]", entries.join(", ")).into_bytes()));
    let draft = of(&borrowed(&files), None);
    let id = value(&draft, "shelf mods: id").unwrap_or_default();
    assert!(id.contains(&format!("'{pattern}'")), "{id} in {}", draft.rulebook);
}

/// Mods that just one thing tells of are asked about, unless a list has them.
#[rstest]
#[case::names_of_parts_of_a_program("host/{id}-{version}.dll", "\u{1}", Some(WhatUnread::NameAlone))]
#[case::the_folder_around(
    "addons/{id}/addon.json",
    "{\"type\": \"tool\", \"tags\": [\"a\", \"b\"]}",
    Some(WhatUnread::PlaceAlone)
)]
#[case::a_version("stuff/{id}/{id}.release", "{\"release\": \"{version}\"}", Some(WhatUnread::TextAlone))]
#[case::an_id_as_well("stuff/{id}/own.json", "{\"uuid\": \"{id}\", \"release\": \"{version}\"}", None)]
fn what_one_thing_tells_is_doubted(#[case] path: &str, #[case] text: &str, #[case] expected: Option<WhatUnread>) {
    let filled = |text: &str, (id, version): (&str, &str)| text.replace("{id}", id).replace("{version}", version);
    let mut files = EACH.map(|own| (filled(path, own), filled(text, own).into_bytes())).to_vec();
    let alone = |draft: &Draft| draft.unread.iter().map(|unread| unread.what).next();
    let draft = of(&borrowed(&files), None);
    assert_eq!(shelves(&draft).len(), 1, "{}", draft.rulebook);
    assert_eq!(alone(&draft), expected, "{}", draft.rulebook);
    let names = EACH.map(|own| filled(path, own).split('/').nth(1).unwrap_or_default().to_owned());
    files.push(("run.txt".to_owned(), names.join("\n").into_bytes()));
    let draft = of(&borrowed(&files), None);
    assert_eq!((shelves(&draft).len(), alone(&draft)), (1, None), "{}", draft.rulebook);
}

/// What only a client has may be its player's own.
#[test]
fn a_shelf_of_the_client_alone_is_doubted() {
    let card = |(id, version): (&str, &str)| {
        (format!("mods/{id}.kit"), zip_of(&[("card.json", &format!(r#"{{"id": "{id}", "version": "{version}"}}"#))]))
    };
    let server = EACH.map(card);
    let mut client = server.to_vec();
    let looks = |(name, version): (&str, &str)| (format!("looks/{name}-{version}.skin"), b"\x01skin".to_vec());
    client.extend([("dusk", "1.1"), ("dawn", "0.3"), ("noon", "2.0")].map(looks));
    let draft = of(&borrowed(&server), Some(&borrowed(&client)));
    let doubted = draft.unread.iter().find(|unread| unread.what == WhatUnread::ClientAlone);
    assert_eq!(doubted.map(|unread| unread.shelf.as_str()), Some("looks"), "{:?}", draft.unread);
}

/// Several of one version, called alike and unlike all others, came with the game perhaps.
#[rstest]
#[case::of_one_release(["hb-tools", "hb-wind"], "3.2.0", true)]
#[case::of_two_releases(["hb-tools", "hb-wind"], "", false)]
#[case::called_otherwise(["tools", "wind"], "3.2.0", false)]
fn a_release_among_the_mods_is_doubted(#[case] names: [&str; 2], #[case] version: &str, #[case] is_doubted: bool) {
    let card = |(id, version): (&str, &str)| {
        (format!("mods/{id}/card.json"), format!(r#"{{"id": "{id}", "version": "{version}"}}"#).into_bytes())
    };
    let mut files = EACH.map(card).to_vec();
    let own = |at: usize| if version.is_empty() { ["5.1.0", "6.1.0"][at] } else { version };
    files.extend([0, 1].map(|at| card((names[at], own(at)))));
    let draft = of(&borrowed(&files), None);
    let doubted = draft.unread.iter().any(|unread| unread.what == WhatUnread::OfTheGame);
    assert_eq!(doubted, is_doubted, "{:?}", draft.unread);
}

/// Of numbers that could be versions, those with dots are; what tells of bytes is none. A card in a script may have text before it.
#[rstest]
#[case::checksums("mods.json", "{\"mods\": {ALL}}", "\"{id}\": {\"v\": \"{version}\", \"crc\": {number}}", "\"$.v\"")]
#[case::a_script(
    "mods/{id}/start.py",
    "\"\"\"{id} for the isle\"\"\"\n\nABOUT = {\n    \"key\": \"{id}\",\n    \"issue\": \"{version}\",\n    \"needs\": [{needs}],\n}\n\ndef start(hall):\n    hall.log(\"{number}\")\n",
    "",
    "\"$.ABOUT.issue\""
)]
fn versions_have_dots_where_any_do(
    #[case] path: &str,
    #[case] text: &str,
    #[case] entry: &str,
    #[case] expected: &str,
) {
    let filled = |text: &str, at: usize| {
        let (id, version) = EACH[at];
        let needs = if at > 1 { "\"reed\"" } else { "" };
        let number = (7_000_000 + at * 31).to_string();
        let each = [("{id}", id), ("{version}", version), ("{number}", number.as_str()), ("{needs}", needs)];
        each.iter().fold(text.to_owned(), |text, (place, value)| text.replace(place, value))
    };
    let all = 0..EACH.len();
    let mut files: Vec<(String, Vec<u8>)> =
        all.clone().map(|at| (filled("mods/{id}/a.bin", at), filled("\0{id}", at).into_bytes())).collect();
    if entry.is_empty() {
        files.extend(all.map(|at| (filled(path, at), filled(text, at).into_bytes())));
    } else {
        let entries: Vec<String> = all.map(|at| filled(entry, at)).collect();
        let whole = text.replace("{ALL}", &format!("{{{}}}", entries.join(", ")));
        files.push((path.to_owned(), whole.into_bytes()));
    }
    let draft = of(&borrowed(&files), None);
    assert_eq!(value(&draft, "shelf mods: version"), Some(expected), "{}", draft.rulebook);
    assert_eq!(value(&draft, "shelf mods: required").is_some(), entry.is_empty(), "{}", draft.rulebook);
}

/// What the draft can't read of relations is told, also where keys are in quotes.
#[test]
fn a_line_in_quotes_that_names_mods_is_told() {
    let script = |(at, (id, version)): (usize, (&str, &str))| {
        let needs = if at > 1 { "\"reed\"" } else { "" };
        let text =
            format!("go(\"{id}\")\nthen go on {{ with: this\n  \"version\": \"{version}\"\n  \"needs\": [{needs}]\n");
        (format!("mods/{id}/start.scr"), text.into_bytes())
    };
    let files: Vec<(String, Vec<u8>)> = EACH.into_iter().enumerate().map(script).collect();
    let mut files = files;
    files.push(("run.txt".to_owned(), b"reed\npeat\nbog\nfog\n".to_vec()));
    let draft = of(&borrowed(&files), None);
    assert!(draft.unread.iter().any(|unread| unread.what == WhatUnread::Relation), "{:?}", draft.unread);
}

/// A number beside a list that says how many entries it has goes with the list.
#[rstest]
#[case::numbered("run.ini", "[Run]\nCount=4\nMod[0]=reed\nMod[1]=peat\nMod[2]=bog\nMod[3]=fog\n", true)]
#[case::beside_an_array("run.json", r#"{"run": {"total": 4, "mods": ["reed", "peat", "bog", "fog"]}}"#, true)]
#[case::another_number("run.json", r#"{"run": {"total": 16, "mods": ["reed", "peat", "bog", "fog"]}}"#, false)]
#[case::of_something_else(
    "run.json",
    r#"{"seats": {"total": 4}, "run": {"mods": ["reed", "peat", "bog", "fog"]}}"#,
    false
)]
#[case::not_a_count("run.json", r#"{"run": {"seats": 4, "mods": ["reed", "peat", "bog", "fog"]}}"#, false)]
fn a_count_beside_a_list_goes_with_it(#[case] file: &str, #[case] text: &str, #[case] is_count: bool) {
    let card = |(id, version): (&str, &str)| {
        (format!("mods/{id}/card.json"), format!(r#"{{"id": "{id}", "version": "{version}"}}"#).into_bytes())
    };
    let mut files = EACH.map(card).to_vec();
    files.push((file.to_owned(), text.as_bytes().to_vec()));
    let draft = of(&borrowed(&files), None);
    assert!(draft.rulebook.contains("\n[[list]]"), "{}", draft.rulebook);
    assert_eq!(draft.rulebook.contains("\ncount = "), is_count, "{}", draft.rulebook);
}

/// A mod is the same one in its next release: ids without the versions in them, and a question where there are no others.
#[rstest]
#[case::told_by_names("{id}@{version}.kit", false)]
#[case::nowhere_else("{number}.kit", true)]
fn an_id_has_no_version_in_it(#[case] name: &str, #[case] is_doubted: bool) {
    let archive = |(at, (id, version)): (usize, (&str, &str))| {
        let name = name.replace("{id}", id).replace("{version}", version).replace("{number}", &format!("00{at}77{at}"));
        (format!("mods/{name}"), zip_of(&[("card.yaml", &format!("kit: {id}@{version}\nof: moss\n"))]))
    };
    let files: Vec<(String, Vec<u8>)> = EACH.into_iter().enumerate().map(archive).collect();
    let draft = of(&borrowed(&files), None);
    let is_one = |unread: &Unread| matches!(unread.what, WhatUnread::IdWithVersion | WhatUnread::Version);
    let doubted = draft.unread.iter().any(is_one);
    assert_eq!(doubted, is_doubted, "{:?} {}", draft.unread, draft.rulebook);
}

/// What stands behind each name in a list, and is another for each, is more than remarks.
#[rstest]
#[case::a_stamp("reed f0c9e70e\npeat b354e9d4\nbog ab5a97d6\nfog cd21b93c\n", true)]
#[case::remarks("reed // the first\npeat // the second\nbog // more\nfog // most\n", false)]
#[case::in_a_table("reed;Reeds;1\npeat;Peat;1\nbog;Bogs;1\nfog;Fogs;1\n", true)]
#[case::of_all("reed main\npeat main\nbog main\nfog main\n", false)]
fn what_a_list_says_of_each_mod_is_told(#[case] list: &str, #[case] is_doubted: bool) {
    let card = |(id, version): (&str, &str)| {
        (format!("mods/{id}/card.json"), format!(r#"{{"id": "{id}", "version": "{version}"}}"#).into_bytes())
    };
    let mut files = EACH.map(card).to_vec();
    files.push(("mods.run".to_owned(), list.as_bytes().to_vec()));
    let draft = of(&borrowed(&files), None);
    assert!(draft.rulebook.contains("\n[[list]]"), "{}", draft.rulebook);
    let told = draft.unread.iter().any(|unread| unread.what == WhatUnread::Columns);
    assert_eq!(told, is_doubted, "{:?}", draft.unread);
}

#[test]
fn ids_that_hold_versions_are_doubted() {
    let card = |(at, (id, version)): (usize, (&str, &str))| {
        let card = format!(r#"{{"id": "{id}@{version}", "release": "{version}"}}"#);
        (format!("mods/{}/card.json", 9_100_000 + at * 7), card.into_bytes())
    };
    let files: Vec<(String, Vec<u8>)> = EACH.into_iter().enumerate().map(card).collect();
    let draft = of(&borrowed(&files), None);
    assert!(draft.unread.iter().any(|unread| unread.what == WhatUnread::IdWithVersion), "{}", draft.rulebook);
}

/// What tells the version tells no id, however unique it is, and though the file that tells it is a text with all of them.
#[test]
fn a_stamp_is_no_id() {
    let folder = |at: usize| 7_000_000 + at * 31;
    let entry = |at: usize| {
        format!(
            "\t\"{}\"\n\t{{\n\t\t\"size\"\t\t\"77\"\n\t\t\"stamp\"\t\t\"{}\"\n\t}}\n",
            folder(at),
            1_700_000_111 + at * 977
        )
    };
    let bytes = |at: usize| (format!("hub/content/{}/{}.bnd", folder(at), EACH[at].0), format!("\0{at}").into_bytes());
    let all = 0..EACH.len();
    let mut files: Vec<(String, Vec<u8>)> = all.clone().map(bytes).collect();
    let held = format!("\"Held\"\n{{\n{}}}\n", all.clone().map(entry).collect::<String>());
    files.push(("hub/held.reg".to_owned(), held.into_bytes()));
    let line: Vec<String> = all.map(|at| folder(at).to_string()).collect();
    files.push(("run.sh".to_owned(), format!("#!/bin/sh\n./hall -use {}\n", line.join(",")).into_bytes()));
    let draft = of(&borrowed(&files), None);
    assert_eq!(value(&draft, "shelf content: id"), Some("{ file-name = '^(?<id>.+)$' }"), "{}", draft.rulebook);
    assert_eq!(value(&draft, "shelf content: version"), Some("\"$.stamp\""), "{}", draft.rulebook);
}
