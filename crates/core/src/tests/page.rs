use proptest::prelude::*;
use rstest::rstest;

use super::*;

#[rstest]
#[case::plain("a fen", r#""a fen""#)]
#[case::quotes(r#"the "wet" fen"#, r#"'the "wet" fen'"#)]
#[case::back(r"a\b", r"'a\b'")]
#[case::both(r#"it's "wet""#, r#""it's \"wet\"""#)]
#[case::of_two_lines("a\nb", r#""a\nb""#)]
fn a_text_stands_on_one_line(#[case] meant: &str, #[case] written: &str) {
    assert_eq!(text(meant).to_string(), written);
}

#[rstest]
#[case::plain(r"^(?<id>\w+)$", r"'^(?<id>\w+)$'")]
#[case::apostrophe(r"Fen's \d", r"'''Fen's \d'''")]
#[case::at_the_end(r"\d of Fen'", r#""\\d of Fen'""#)]
#[case::three("a'''b", r#""a'''b""#)]
fn a_pattern_stands_on_one_line(#[case] meant: &str, #[case] written: &str) {
    assert_eq!(pattern(meant).to_string(), written);
}

#[test]
fn tables_stand_in_their_order_with_what_is_said_of_them() {
    let mut page = Page::default();
    page.comment("a draft");
    page.line("format", text("x/1"));
    page.comment("of\nthe game");
    page.line("game", text("Fen"));
    for name in ["reeds", "peat"] {
        page.repeated(&["shelf"]);
        page.line("name", text(name));
        page.comment("nothing is known of it");
        page.table(&["shelf", "mod"]);
        page.line("id", inline([("at", text("$.id")), ("odd key", Value::from(true))]));
        page.line("required", tall_list([text("$.a"), text("$.b")]));
        page.repeated(&["shelf", "mod", "foreign"]);
        page.line("member", texts(["a", "b"]));
    }
    page.comment("to be filled in");
    page.above("game", ["not sure".to_owned()]);
    let shelf = |name: &str| {
        format!(
            "\n[[shelf]]\nname = \"{name}\"\n# nothing is known of it\n\n[shelf.mod]\n\
             id = {{ at = \"$.id\", \"odd key\" = true }}\nrequired = [\n    \"$.a\",\n    \"$.b\",\n]\n\n\
             [[shelf.mod.foreign]]\nmember = [\"a\", \"b\"]\n"
        )
    };
    let expected = format!(
        "# a draft\nformat = \"x/1\"\n# not sure\n# of\\u{{a}}the game\ngame = \"Fen\"\n{}{}# to be filled in\n",
        shelf("reeds"),
        shelf("peat")
    );
    assert_eq!(page.to_string(), expected);
}

#[test]
fn what_is_said_of_a_table_stands_right_above_it() {
    let mut page = Page::default();
    page.repeated(&["event"]);
    page.line("means", text("a"));
    page.gap();
    page.comment("of b");
    page.repeated(&["event"]);
    page.line("means", text("b"));
    assert_eq!(page.to_string(), "[[event]]\nmeans = \"a\"\n\n# of b\n[[event]]\nmeans = \"b\"\n");
}

proptest! {
    #[test]
    fn whatever_is_written_is_read_back(meant in any::<String>(), key in ".{1,6}", comment in any::<String>()) {
        let mut page = Page::default();
        page.comment(&comment);
        page.line("text", text(&meant));
        page.line("pattern", pattern(&meant));
        page.repeated(&["table"]);
        page.line("inline", inline([(key.as_str(), list([pattern(&meant)]))]));
        let written = page.to_string();
        // No value takes a second line, whatever is in it.
        prop_assert_eq!(written.lines().count(), 6, "{}", written);
        let read: toml::Table = written.parse().map_err(|bad| TestCaseError::fail(format!("{bad}\n{written}")))?;
        prop_assert_eq!(read["text"].as_str(), Some(meant.as_str()));
        prop_assert_eq!(read["pattern"].as_str(), Some(meant.as_str()));
        prop_assert_eq!(read["table"][0]["inline"][key.as_str()][0].as_str(), Some(meant.as_str()));
    }
}
