use super::*;
use rstest::rstest;

#[rstest]
#[case(Notation::Json, "{\"a\": 1, \"b\": 2}", "{\"a\": 3, \"b\": 2}", None)]
#[case(Notation::Json, "{\"a\": 1, \"b\": 2}", "{\"a\": 3, \"b\": 4}", Some("not only that"))]
#[case(Notation::Json, "{\"a\": 1 /* x */}", "{\"a\": 3}", Some("a comment would not stay: /* x */"))]
#[case(Notation::Json, "{\"a\": 1}", "{\"a\": 3", Some("could not read it"))]
#[case(Notation::Toml, "a = 1\nb = 2 # x\n", "a = 3\nb = 2 # x\n", None)]
#[case(Notation::Toml, "a = 1\nnet = {}\n", "a = 3\nnet = {\n x = 1 }\n", Some("could not read it"))]
#[case(Notation::Yaml, "a: 1\nb: no\n", "a: 3\nb: no\n", None)]
#[case(Notation::Yaml, "b: |\n  x\na: 1\n", "b: |\n  x\n  a: 3\n", Some("no value where it was put"))]
#[case(Notation::Ini, "a=1 ; x\n", "a=3 ; x\n", None)]
#[case(Notation::Ini, "a=1 ; x\n", "a=3\n", Some("a comment would not stay"))]
#[case(Notation::KeyValue, "a = 1; // x\n", "a = 3; // x\n", None)]
#[case(Notation::KeyValue, "a = 1\nb = 2\n", "a = 3 b = 2\n", Some("another reader"))]
#[case(Notation::Properties, "a=1\n# x\nb=\\u00fc\n", "a=3\n# x\nb=\\u00fc\n", None)]
fn another_reader_finds_just_what_is_meant(
    #[case] notation: Notation,
    #[case] before: &str,
    #[case] after: &str,
    #[case] expected: Option<&str>,
) {
    let at = JsonPath::parse("$.a").expect("a path");
    let told = confirm_setting(notation, (before, after), &at, "3").err();
    match (expected, &told) {
        (None, None) => {}
        (Some(expected), Some(told)) => assert!(told.to_string().contains(expected), "{told}"),
        _ => panic!("{told:?}"),
    }
}

#[test]
fn what_is_made_to_hold_a_value_goes_with_it() {
    let at = JsonPath::parse("$.s.net[0].port[0]").expect("a path");
    let (before, after) = ("<s a='1'/>", "<s a='1'><net><port>3</port></net></s>");
    assert_eq!(confirm_setting(Notation::Xml, (before, after), &at, "3"), Ok(()));
    let more = "<s a='1'><net><port>3</port><x/></net></s>";
    assert!(confirm_setting(Notation::Xml, (before, more), &at, "3").is_err());
}

/// Both readers agree on what documents say.
#[rstest]
#[case(Notation::Json, "// x\n{\"a\": [1, 2.5, \"x\\u00e9\", true, null,], \"b\": {\"c\": \"//\"}}")]
#[case(Notation::Toml, "a = 1\nb = [1, 'x', 2.5]\n[c.d]\ne = true\n[[f]]\ng = \"#\"\n[[f]]\n")]
#[case(
    Notation::Yaml,
    "a: 1\nb: [x, 'y', no, 007, 1.5, ~]\nc:\n  - d: |\n      text\n    e: >-\n      more\n---\nz: 1\n"
)]
#[case(Notation::Xml, "<a x='1&amp;2'><!-- c --><b>t<![CDATA[<u>]]></b><b/>tail</a>")]
#[case(Notation::Ini, "top = 1\n[A] ; x\nb = \"q ; r\" ; y\nc: d # z\ne = #ff\nc: f\n")]
#[case(Notation::KeyValue, "a = \"x;y\"; // n\nb: 1 # was b = 2\nflag\nc = http://x; # z\nd = 0 // not now\n")]
#[case(Notation::Properties, "a=1\nb : x \\\n  y\nc\\ d=\\u00fc\n! x\n")]
fn both_readers_agree(#[case] notation: Notation, #[case] text: &str) {
    let first = notation.tree(text).expect("read").into_value();
    assert_eq!(notation.read(text.as_bytes(), crate::text::Encoding::Utf8).expect("read"), first);
    let second = values::read(notation, text).expect("read");
    let (first, second) = match notation {
        Notation::Xml => (without_empty(&first), without_empty(&second)),
        _ => (first, second),
    };
    assert_eq!(first, second);
    let tree = notation.tree(text).expect("read");
    let own: Vec<&str> = tree.comments_within(notation, text, 0..text.len()).into_iter().map(|at| &text[at]).collect();
    assert_eq!(own, comments(notation, text));
}
