//! Entries of lists in each form that games write them in.

use super::*;
use crate::rulebook::{Rulebook, parse};
use proptest::prelude::*;
use rstest::rstest;

fn rule(keys: &str) -> ListRule {
    let text = format!(
        "format = 'kanon-rulebook/1'\ngame = 'Tallowfen'\n[[shelf]]\nname = 'mods'\nholds = 'files'\nin = 'mods'\n\
         [shelf.mod]\nid = {{ file-name = '(?<id>.+)' }}\n[[list]]\nname = 'list'\n{keys}"
    );
    let rulebook: Rulebook = parse("test", &text).unwrap_or_else(|bad| panic!("{bad}")).value;
    rulebook.lists[0].clone()
}

/// Each entry as `id version digest`, with `-` before one that is switched off.
fn entries(keys: &str, file: &str) -> Vec<String> {
    let read = read_list(&rule(keys), file.as_bytes()).unwrap_or_else(|error| panic!("{error}"));
    let words = read.into_iter().map(|entry| {
        let id = entry.names.id.or(entry.names.name).unwrap_or(entry.text);
        let more = [entry.names.version, entry.digest].into_iter().flatten();
        let sign = if entry.on { "" } else { "-" };
        std::iter::once(format!("{sign}{id}")).chain(more).collect::<Vec<_>>().join(" ")
    });
    words.collect()
}

#[rstest]
#[case::json_ids("file = 'a.json'\neach = '$.mods[*]'", r#"{"mods": ["reed", "peat"]}"#, &["reed", "peat"])]
#[case::json_flags(
    "file = 'a.json'\neach = '$.mods[*]'\nid = '$.name'\non = '$.running'\nversion = '$.pin'",
    r#"{"mods": [{"name": "reed", "running": true, "pin": "1.2"}, {"name": "peat", "running": false}]} // ours"#,
    &["reed 1.2", "-peat"]
)]
#[case::key_to_flag("file = 'a.json'\neach = '$.mods'\nform = 'id-to-flag'", r#"{"mods": {"reed": 1, "peat": 0}}"#, &["reed", "-peat"])]
#[case::key_to_version("file = 'a.toml'\neach = '$.mods'\nform = 'id-to-version'", "[mods]\nreed = '1.2'\nbog = '2'", &["reed 1.2", "bog 2"])]
#[case::switches(
    "file = 'world.cfg'\neach = '$'\nform = 'id-to-flag'\nentry = 'use_{id}'",
    "seed = 7\nuse_reed = true\nuse_peat = false\n",
    &["reed", "-peat"]
)]
#[case::ini_order(
    "file = 'station.ini'\neach = '$.Contents'\nform = 'id-to-fields'\ntext = '^(?<digest>\\w+)(,.*)?$'",
    "[Contents]\r\nreed = 0a1b, depth 3\r\nbog = ffff\r\n",
    &["reed 0a1b", "bog ffff"]
)]
#[case::own_words(
    "file = 'a.json'\neach = '$[*]'\nid = '$.m'\non = '$.s'\nmeans = { parked = 'off', running = 'on' }",
    r#"[{"m": "reed", "s": "Running"}, {"m": "peat", "s": "parked"}]"#,
    &["reed", "-peat"]
)]
#[case::xml_ids("file = 'w.xml'\neach = '$.world.mods[*].mod[*]'\nid = \"$['@ref']\"", "<world><mods><mod ref='8841'/><mod ref='77'/></mods></world>", &["8841", "77"])]
#[case::xml_texts("file = 'w.xml'\neach = '$.world.mods[*].mod[*]'", "<world><mods><mod>8841</mod></mods></world>", &["8841"])]
#[case::lines("file = 'mods.txt'\nnotation = 'lines'", "# ours\n\nreed\r\n  peat  \n; not this\n", &["reed", "peat"])]
#[case::lines_of_names("file = 'mods.txt'\nnotation = 'lines'\nentry = '{name}'", "; what is loaded\n# in this order\nreed-1.2\n", &["reed-1.2"])]
#[case::lines_with_a_sign("file = 'mods.txt'\nnotation = 'lines'\nentry = '#{id}'", "; ours\n#reed\n", &["reed"])]
#[case::in_two_parts("file = 'a.json'\neach = \"$['warm','cold'][*]\"", r#"{"warm": ["reed"], "port": 1, "cold": ["peat"]}"#, &["reed", "peat"])]
#[case::lines_off("file = 'mods.txt'\nnotation = 'lines'\noff = '#{id}'", "reed\n#peat\n", &["reed", "-peat"])]
#[case::lines_marked("file = 'mods.txt'\nnotation = 'lines'\nentry = '*{id}'\noff = '{id}'", "*reed\npeat\n", &["reed", "-peat"])]
#[case::one_text("file = 'server.cfg'\neach = '$.mods'\nbetween = ';'\nentry = '@{name}'", "mods = \"@Reed Lamps;@Peat\";\n", &["Reed Lamps", "Peat"])]
#[case::launch("file = 'start.bat'\noption = '-holds='\nbetween = ';'\nentry = '#{id}'", "@echo off\r\nhall \"-holds=#tide;#reef\" -port 1\r\n", &["tide", "reef"])]
#[case::empty_list("file = 'a.json'\neach = '$.mods[*]'", r#"{"mods": []}"#, &[])]
fn each_form_of_list_is_read(#[case] keys: &str, #[case] file: &str, #[case] expected: &[&str]) {
    assert_eq!(entries(keys, file), expected);
}

#[rstest]
#[case("file = 'a.json'\neach = '$.mods[*]'", "{\"mods\": [", "not valid JSON")]
#[case("file = 'a.json'\neach = '$.mods[*]'", "{\"other\": []}", "nothing stands at $.mods[*]")]
#[case("file = 'a.bat'\noption = '-holds='", "hall -x", "no line gives the option `-holds=`")]
#[case("file = 'a.bat'\noption = '-holds='", "hall \"-holds=a", "line 1, column 6")]
fn a_list_that_is_not_as_the_rule_says_is_told(#[case] keys: &str, #[case] file: &str, #[case] words: &str) {
    let error = read_list(&rule(keys), file.as_bytes()).expect_err("refused").to_string();
    assert!(error.contains(words), "{error}");
}

#[test]
fn a_list_without_end_is_refused() {
    let keys = "file = 'mods.txt'\nnotation = 'lines'";
    let error = read_list(&rule(keys), "reed\n".repeat(limits::LIST_ENTRIES + 1).as_bytes());
    assert_eq!(error, Err(ListError::TooMany));
}

proptest! {
    #[test]
    fn any_file_is_taken_calmly(bytes in proptest::collection::vec(any::<u8>(), 0..200)) {
        for keys in ["file = 'a.json'\neach = '$..x[*]'", "file = 'a.ini'\neach = '$.*'\nform = 'id-to-fields'",
            "file = 'a.xml'\neach = '$.*'", "file = 'a.txt'\nnotation = 'lines'", "file = 'a.bat'\noption = 'x'"] {
            let _ = read_list(&rule(keys), &bytes);
        }
    }
}
