use rstest::rstest;
use serde_json::{Value, json};

use super::*;

#[rstest]
#[case::assignments("-- the card\nname = \"reed\";\nrelease = '1.10'\non = true", json!({"name": "reed", "release": "1.10", "on": true}))]
#[case::lists("wants = { \"fog\", \"mist\" };\nn = 3", json!({"wants": ["fog", "mist"], "n": "3"}))]
#[case::keys("wants = { [\"fog-bank\"] = \">=1\", mist = \"*\", }", json!({"wants": {"fog-bank": ">=1", "mist": "*"}}))]
#[case::a_call_with_a_table("card {\n id = \"reed\", -- mine\n wants = { 'fog' },\n}", json!({"card": {"id": "reed", "wants": ["fog"]}}))]
#[case::calls("card(\"reed\")\nneeds \"fog\"\nneeds(\"mist\", \">=2\")", json!({"card": "reed", "needs": ["fog", ["mist", ">=2"]]}))]
#[case::labels("card \"reed\" {\n release = 1.2.3\n}\n", json!({"card": {"#text": "reed", "release": "1.2.3"}}))]
#[case::pairs("\"card\"\n{\n  \"name\"  \"reed\"\n  \"wants\" { \"fog\" \">=1\" }\n}", json!({"card": {"name": "reed", "wants": {"fog": ">=1"}}}))]
#[case::blocks("card {\n  name reed // mine\n  release 1.2\n  inner { a b }\n}", json!({"card": {"name": "reed", "release": "1.2", "inner": {"a": "b"}}}))]
#[case::returned("local x = 1\nreturn { id = \"reed\", parts = { { at = \"a\" }, { at = \"b\" } } }", json!({"x": "1", "id": "reed", "parts": [{"at": "a"}, {"at": "b"}]}))]
#[case::dots("card.name = \"reed\"\ncard.made.by = \"me\"", json!({"card": {"name": "reed", "made": {"by": "me"}}}))]
#[case::texts_over_lines("about = [[\nmuch = to\n  tell]]\nid = \"reed\"", json!({"about": "much = to\n  tell", "id": "reed"}))]
#[case::comments("/* a\nb */ id = \"reed\" # c\n--[[ x = 1 ]] y = \"2\"", json!({"id": "reed", "y": "2"}))]
#[case::both("card = { \"reed\", release = \"1\" }", json!({"card": {"release": "1", "1": "reed"}}))]
#[case::expressions("id = \"reed\"\nat = base .. \"x\"\nn = f(2)\nrelease = \"1\"", json!({"id": "reed", "release": "1"}))]
#[case::the_first_counts("id = \"reed\"\nid = \"other\"", json!({"id": "reed"}))]
#[case::round_brackets("parts = ( \"reed\", \"fog\" );\none = ( \"mist\" );\nrelease = (1, 2, 0);\nsum = (4) + 1;\nnone = ();", json!({"parts": ["reed", "fog"], "one": ["mist"], "release": ["1", "2", "0"], "none": []}))]
#[case::three_quotes("\"\"\"Reed = \"Works\"\nof us\"\"\"\ncard = { \"id\": \"reed\", 'about': \'\'\'more\nto \"tell\"\'\'\' }", json!({"card": {"id": "reed", "about": "more\nto \"tell\""}}))]
#[case::code_around("id = \"reed\"\nfunction go(x)\n  if x == 2 then stop() end\nend\nrelease = \"1\"", json!({"id": "reed", "release": "1"}))]
#[case::shown_in_the_players_language("pack { id = \"reed\", shown = _(\"Reed Works\"), of = tr('b') }", json!({"pack": {"id": "reed", "shown": "Reed Works", "of": "b"}}))]
fn what_is_data_is_read(#[case] text: &str, #[case] expected: Value) {
    assert_eq!(tree(text).map(Node::into_value), Ok(expected));
}

#[rstest]
#[case("id = \"reed\"; wants = { 'fog' }", true)]
#[case("id = \"reed\"\nfunction go() end", false)]
#[case("id = \"reed\"\nn = f(2)", false)]
fn code_is_told_from_data(#[case] text: &str, #[case] all: bool) {
    assert_eq!(is_all_data(text), all);
}

#[rstest]
#[case("a = {", "not closed")]
#[case("a = \"x", "quote")]
#[case("", "nothing in it")]
#[case("just words and no more than that", "nothing in it")]
#[case("a = [[x", "no end")]
#[case("/* x", "no end")]
#[case("a = { ]", "not closed")]
#[case("reed@1.2", "nothing in it")]
fn what_can_not_be_read_is_told(#[case] text: &str, #[case] told: &str) {
    let refused = tree(text).expect_err("no block syntax").to_string();
    assert!(refused.contains(told) && refused.contains("block syntax"), "{refused}");
}

#[rstest]
#[case::a_card_and_code("-- x\ncard {\n id = \"reed\",\n on = true }\nfunction go() end", true)]
#[case::code_first("function go() end\ncard { id = \"reed\", on = true }", false)]
#[case::one_value_and_code("local x = 1\nfunction go() end", false)]
#[case::settings_in_code("y = f(2)\ncard = { a = 1, b = 2 }", false)]
#[case::returned_with_code_in_it(
    "return {\n id = \"reed\", on = true, release = \"1\",\n go = function() stop(2) end,\n}",
    true
)]
#[case::returned_code("return {\n id = \"reed\",\n go = function() stop(2) end,\n}", false)]
#[case::data_alone("card { id = \"reed\", on = true }", true)]
fn a_card_at_the_head_of_a_script_is_known(#[case] text: &str, #[case] begins: bool) {
    assert_eq!(begins_with_data(text), begins);
}

/// Nothing is read twice: what is only the beginning of an expression, least of all.
#[test]
fn nested_beginnings_of_expressions_take_no_longer_than_others() {
    let nested = |many: usize| format!("{}\"a\" \"b\" - 1{}", "\"s\" { ".repeat(many), " } - 1".repeat(many));
    for many in [4, 12, 24] {
        assert!(!is_all_data(&nested(many)), "{many}");
    }
}

#[test]
fn depth_is_bounded() {
    let deep = |many: usize| format!("a = {}{}", "{".repeat(many), "}".repeat(many));
    assert!(tree(&deep(20)).is_ok());
    for bad in [deep(5_000), format!("a = {}", "{".repeat(100_000)), "a{".repeat(50_000), "a(".repeat(50_000)] {
        assert!(tree(&bad).is_err());
    }
}

proptest::proptest! {
    #[test]
    fn whatever_it_is_reading_ends(text in "(\\PC{0,4}|[a-c]|=|\\{|\\}|\\(|\\)|\\[|\\]|\"|'|,|;|\\n| |--|/\\*|\\*/|return |local |1\\.2|\\.){0,40}") {
        if let Ok(node) = tree(&text) {
            for field in node.fields() {
                proptest::prop_assert!(text.get(field.key.clone()).is_some() && text.get(field.node.span.clone()).is_some());
            }
        }
    }
}
