//! Which files are lists, and how they are written.

use super::super::memory::Memory;
use super::*;
use rstest::rstest;

fn called(id: &str, name: &str, version: &str) -> Called {
    Called { id: id.to_owned(), name: name.to_owned(), version: Some(version.to_owned()), digests: Vec::new() }
}

fn mods() -> Vec<Called> {
    vec![called("reed", "Reed Lamps", "1.2"), called("peat", "peat-dir", "0.4"), called("bog.rail", "bog", "2.0")]
}

/// The lists of one file, each as its lines joined.
fn found_in(file: &str, text: &str) -> Vec<String> {
    let server = Memory::server(&[(file, text.as_bytes())]);
    let files = text_files(&server, &HashSet::new());
    let line = |(key, value): (&str, toml_edit::Value)| format!("{key} = {value}");
    let shown = |list: FoundList| list.lines.lines().into_iter().map(line).collect::<Vec<_>>().join("; ");
    lists(&server, &files, &mods(), &HashSet::new()).into_iter().map(shown).collect()
}

#[rstest]
#[case::ids("a.json", r#"["reed", "peat"]"#, r#"each = "$[*]"; ordered = true"#)]
#[case::sorted_ids("a.json", r#"["peat", "reed"]"#, r#"each = "$[*]""#)]
#[case::names(
    "a.json",
    r#"{"on": ["Reed Lamps", "peat-dir", "bog"]}"#,
    r#"each = "$.on[*]"; entry = "{name}"; ordered = true"#
)]
#[case::objects(
    "a.json",
    r#"{"all": [{"m": "reed", "active": true}, {"m": "peat", "active": false}]}"#,
    r#"each = "$.all[*]"; id = "$.m"; on = "$.active""#
)]
#[case::pinned(
    "a.yaml",
    "all:\n- {m: reed, v: '1.2'}\n- {m: peat, v: '0.4'}\n",
    r#"each = "$.all[*]"; id = "$.m"; version = "$.v"; ordered = true"#
)]
#[case::keys("a.toml", "[load]\nreed = true\npeat = false\n", r#"each = "$.load"; form = "id-to-flag""#)]
#[case::versions(
    "a.toml",
    "[load]\nreed = '1.2'\npeat = '0.4'\n",
    r#"each = "$.load"; form = "id-to-version"; ordered = true"#
)]
#[case::switches(
    "a.cfg",
    "seed = 1\nuse_reed = yes\nuse_peat = no\n",
    r#"each = "$"; form = "id-to-flag"; entry = "use_{id}""#
)]
#[case::one_text("a.ini", "[s]\nmods = reed;peat;bog.rail\n", r#"each = "$.s.mods"; between = ";"; ordered = true"#)]
#[case::xml("a.xml", "<w><m ref='reed'/><m ref='peat'/></w>", r#"each = "$.w.m[*]"; id = "$['@ref']"; ordered = true"#)]
#[case::one_a_line("a.txt", "reed\npeat\n", r#"notation = "lines"; ordered = true"#)]
#[case::with_versions(
    "a.txt",
    "reed@1.2\npeat@0.4\n",
    r#"notation = "lines"; entry = "{id}@{version}"; ordered = true"#
)]
#[case::comments_behind(
    "a.txt",
    "reed // lamps\npeat  # fires\n",
    r#"notation = "lines"; entry = "{id} {any}"; ordered = true"#
)]
#[case::a_table(
    "a.lst",
    "3;reed;on\n1;peat;on\n",
    r#"notation = "lines"; entry = "{any};{id};on"; off = "{any};{id};off"; ordered = true"#
)]
#[case::a_table_with_a_head(
    "a.csv",
    "part,sort,load\nreed,3,Yes\npeat,1,Yes\n",
    r#"notation = "lines"; entry = "{id},{any},Yes"; off = "{id},{any},No"; ordered = true"#
)]
#[case::a_table_of_numbers("a.lst", "reed;1\npeat;1\n", r#"notation = "lines"; entry = "{id};1"; ordered = true"#)]
#[case::numbers_for_on_and_off(
    "a.lst",
    "reed;1\npeat;0\n",
    r#"notation = "lines"; entry = "{id};1"; off = "{id};0"; ordered = true"#
)]
#[case::in_two_parts(
    "a.json",
    r#"{"warm": ["reed"], "cold ones": ["peat", "bog.rail"], "port": 4400}"#,
    r#"each = "$['warm','cold ones'][*]"; ordered = true"#
)]
#[case::what_is_kept_out_is_no_part(
    "a.json",
    r#"{"use": ["reed", "peat"], "banned": ["bog.rail"]}"#,
    r#"each = "$.use[*]"; ordered = true"#
)]
#[case::a_table_with_versions(
    "a.lst",
    "reed|1.2|a\npeat|0.4|b\n",
    r#"notation = "lines"; entry = "{id}|{version}|{any}"; ordered = true"#
)]
#[case::plus_and_minus(
    "a.txt",
    "+reed\n-peat\n+bog.rail\n",
    r#"notation = "lines"; entry = "+{id}"; off = "-{id}"; ordered = true"#
)]
#[case::more_are_off(
    "a.txt",
    "-reed\n-peat\n+bog.rail\n",
    r#"notation = "lines"; entry = "+{id}"; off = "-{id}"; ordered = true"#
)]
#[case::boxes(
    "a.txt",
    "[x] reed\n[ ] peat\n",
    r#"notation = "lines"; entry = "[x] {id}"; off = "[ ] {id}"; ordered = true"#
)]
#[case::all_words_for_off(
    "a.xml",
    "<w><m ref='reed' sold='false'/><m ref='peat' sold='false'/></w>",
    r#"each = "$.w.m[*]"; id = "$['@ref']"; ordered = true"#
)]
#[case::set("a.bat", "set LOAD=reed;peat\r\ngame %LOAD%\r\n", r#"option = "set LOAD="; between = ";"; ordered = true"#)]
#[case::quoted(
    "a.sh",
    "./game '-load=#reed;#peat'\n",
    r##"option = "-load="; between = ";"; entry = "#{id}"; ordered = true"##
)]
#[case::escaped(
    "a.sh",
    "./game -load=#reed\\;#peat\n",
    r##"option = "-load="; between = ";"; entry = "#{id}"; ordered = true"##
)]
#[case::a_line_that_goes_on(
    "a.sh",
    "export HOME=/srv\n./game \\\n  --port 4400 \\\n  --load reed \\\n  --load peat \\\n  --quiet\n",
    r#"option = "--load"; ordered = true"#
)]
#[case::repeated("a.sh", "./game --load reed --load peat -x\n", r#"option = "--load"; ordered = true"#)]
fn a_list_is_found_with_its_form(#[case] file: &str, #[case] text: &str, #[case] expected: &str) {
    assert_eq!(found_in(file, text), [expected]);
}

#[rstest]
#[case::prose("a.txt", "Take reed or peat, and see what bog.rail makes of it.\n")]
#[case::one_of_many("a.txt", "reed\nseed\nweed\nfeed\n")]
#[case::inside_words("a.txt", "reeds\npeaty\nbog.railway\n")]
#[case::a_log("logs/a.txt", "reed\npeat\n")]
#[case::by_its_end("a.log", "reed\npeat\n")]
#[case::no_text("a.txt", "reed\0peat\0\n")]
#[case::other_keys("a.json", r#"{"reed": 1, "width": 2, "height": 3, "depth": 4, "colour": 5}"#)]
fn what_only_mentions_mods_is_no_list(#[case] file: &str, #[case] text: &str) {
    assert_eq!(found_in(file, text), Vec::<String>::new());
}

#[test]
fn entries_that_name_no_mod_are_told_bare() {
    let server = Memory::server(&[("a.cfg", b"use_reed = 1\nuse_peat = 1\nuse_gone = 1\n")]);
    let files = text_files(&server, &HashSet::new());
    let found = lists(&server, &files, &mods(), &HashSet::new());
    assert_eq!(found[0].named, ["reed", "peat"]);
    let server = Memory::server(&[("a.txt", b"#reed\n#peat\n#gone\n")]);
    let text = lists(&server, &text_files(&server, &HashSet::new()), &mods(), &HashSet::new());
    assert!(text.is_empty(), "comments alone are no list");
    let server = Memory::server(&[("a.json", br#"["%reed", "%peat", "%gone"]"#)]);
    let found = lists(&server, &text_files(&server, &HashSet::new()), &mods(), &HashSet::new());
    assert_eq!((found[0].strangers.as_slice(), found[0].named.len()), (&["gone".to_owned()][..], 2));
}

#[test]
fn what_lies_beside_a_mod_and_is_called_as_it_is_speaks_of_that_mod() {
    let server =
        Memory::server(&[("mods/peat-dir.card.json", br#"["reed", "bog.rail"]"#), ("a.json", br#"["reed", "peat"]"#)]);
    let files = text_files(&server, &HashSet::new());
    let found = lists(&server, &files, &mods(), &HashSet::from(["mods".to_owned()]));
    assert_eq!(found.iter().map(|list| list.file.as_str()).collect::<Vec<_>>(), ["a.json"]);
    assert_eq!(lists(&server, &files, &mods(), &HashSet::new()).len(), 2, "elsewhere it may be a list");
}

#[test]
fn two_lists_of_one_document_are_both_found() {
    let found = found_in("a.json", r#"{"first": ["reed", "peat", "bog.rail"], "then": ["bog.rail", "reed", "peat"]}"#);
    assert_eq!(found.len(), 2, "{found:?}");
}

#[test]
fn a_list_that_asks_by_digest_tells_its_kind() {
    let digest = DigestKind::Sha256.of_bytes(b"reed");
    let mut mods = mods();
    mods[0].digests = vec![(DigestKind::Sha256, digest.clone())];
    let text = format!(r#"[{{"m": "reed", "sum": "{digest}"}}, {{"m": "peat", "sum": "00"}}]"#);
    let server = Memory::server(&[("a.json", text.as_bytes())]);
    let found = lists(&server, &text_files(&server, &HashSet::new()), &mods, &HashSet::new());
    assert_eq!(found[0].digest, Some(DigestKind::Sha256));
    assert_eq!(found[0].lines.digest.as_deref(), Some("$.sum"));
}

#[test]
fn files_inside_mods_and_very_large_ones_are_passed_over() {
    let large = vec![b'x'; usize::try_from(crate::base::limits::LEARNED_TEXT_BYTES).expect("a size") + 1];
    let server = Memory::server(&[("mods/a/list.txt", b"reed"), ("list.txt", b"reed"), ("large.txt", &large)]);
    let inside = HashSet::from(["mods/a".to_owned()]);
    let files: Vec<&str> = text_files(&server, &inside).iter().map(|seen| seen.path.as_str()).collect();
    assert_eq!(files, ["list.txt"]);
}
