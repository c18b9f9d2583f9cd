use super::*;
use crate::text::ENCODING_WORDS;
use proptest::prelude::*;
use rstest::rstest;
use serde_json::json;

#[rstest]
#[case(Notation::Json, "\u{feff}{\"id\": \"tide\"}", json!({"id": "tide"}))]
#[case(Notation::Json, "// ours\n{\"id\": \"tide\", /* and */ \"n\": [1, 2,],}", json!({"id": "tide", "n": [1, 2]}))]
#[case(Notation::Toml, "id = 'tide'\r\n", json!({"id": "tide"}))]
#[case(Notation::Yaml, "id: tide\nneeds:\n  - core\n  - {id: fog, range: '>=1'}\n---\nsecond: x\n", json!({"id": "tide", "needs": ["core", {"id": "fog", "range": ">=1"}]}))]
#[case(Notation::Ini, "top = 1\n[Mod]\nName = Tide Clock\nPath = a\\b\nneeds = core\nneeds = fog ; both\n", json!({"top": "1", "Mod": {"Name": "Tide Clock", "Path": "a\\b", "needs": ["core", "fog"]}}))]
#[case(Notation::KeyValue, "# ours\nname = tide;\ntitle = \"Tide = Clock\"\n// more\nflag\nneeds: core\n", json!({"name": "tide", "title": "Tide = Clock", "flag": "", "needs": "core"}))]
#[case(Notation::Properties, "# ours\nname: tide\nlong = one \\\n  two\ngreek = \\u03b1\n", json!({"name": "tide", "long": "one two", "greek": "α"}))]
#[case(Notation::Xml, "<?xml version='1.0'?><!DOCTYPE mod><mod id='tide'><name>Tide &amp; &#x43;o</name><li>1</li><li v='2'/>x<!-- c --></mod>",
    json!({"mod": {"@id": "tide", "name": ["Tide & Co"], "li": ["1", {"@v": "2"}], "#text": "x"}}))]
#[case(Notation::Xml, "<a><![CDATA[<b>]]></a>", json!({"a": "<b>"}))]
fn reads(#[case] notation: Notation, #[case] text: &str, #[case] expected: Value) {
    assert_eq!(notation.read(text.as_bytes(), Encoding::Utf8).expect("read"), expected);
}

#[rstest]
#[case(Notation::Json, b"{\"id\": ", "not valid JSON")]
#[case(Notation::Json, b"{id: 'tide'}", "not valid JSON")]
#[case(Notation::Toml, b"id = = 1", "not valid TOML")]
#[case(Notation::Yaml, b"a: [1", "not valid YAML")]
#[case(Notation::Xml, b"<a><b></a>", "not valid XML")]
#[case(Notation::Xml, b"<a>", "`a` is never closed")]
#[case(Notation::Xml, b"\xef\xbb\xbf\xef\xbb\xbf<a/>", "a byte-order mark inside")]
#[case(Notation::Ini, b"a = 1\n[a]\nb = 2\n", "both a key and a section")]
#[case(Notation::Json, b"{\"id\": \"\xff\"}", "not UTF-8 text (the byte at offset 8")]
fn refuses(#[case] notation: Notation, #[case] bytes: &[u8], #[case] expected: &str) {
    let error = notation.read(bytes, Encoding::Utf8).expect_err("refused").to_string();
    assert!(error.contains(expected), "{error}");
}

#[rstest]
#[case(Encoding::Windows1252, b"name = M\xf6we \x96 x", "Möwe – x")]
#[case(Encoding::Utf16, b"n\0 \0=\0 \0x\0", "x")]
#[case(Encoding::Utf8, b"\xff\xfen\0 \0=\0 \0\xf6\0", "ö")]
#[case(Encoding::Windows1252, b"\xef\xbb\xbfn = \xc3\xb6", "ö")]
fn encodings_are_read_and_a_mark_outranks_the_rulebook(
    #[case] encoding: Encoding,
    #[case] bytes: &[u8],
    #[case] value: &str,
) {
    let document = Notation::KeyValue.read(bytes, encoding).expect("read");
    assert_eq!(document.as_object().expect("an object").values().next().expect("a value"), value);
}

#[test]
fn depth_size_and_entities_are_bounded() {
    let deep = "[".repeat(100_000);
    assert!(Notation::Json.read(deep.as_bytes(), Encoding::Utf8).is_err());
    assert!(Notation::Json.read(format!("// x\n{deep}").as_bytes(), Encoding::Utf8).is_err());
    assert!(Notation::Toml.read(format!("a = {deep}").as_bytes(), Encoding::Utf8).is_err());
    assert!(Notation::Yaml.read(deep.as_bytes(), Encoding::Utf8).is_err());
    assert!(Notation::Xml.read("<a>".repeat(100_000).as_bytes(), Encoding::Utf8).is_err());
    let laughs = "<!DOCTYPE x [<!ENTITY a 'ha'><!ENTITY b '&a;&a;'>]><x>&b;</x>";
    assert_eq!(Notation::Xml.read(laughs.as_bytes(), Encoding::Utf8).expect("read"), json!({"x": "&b;"}));
    let mut aliases = "a: &a [x, x]\n".to_owned();
    for (next, last) in ('b'..='z').zip('a'..='y') {
        aliases.push_str(&format!("{next}: &{next} [*{last}, *{last}, *{last}, *{last}]\n"));
    }
    assert!(Notation::Yaml.read(aliases.as_bytes(), Encoding::Utf8).is_err());
    let large = vec![b' '; limits::DOCUMENT_BYTES as usize + 1];
    assert_eq!(Notation::Json.read(&large, Encoding::Utf8), Err(DocumentError::TooLarge));
}

proptest! {
    #[test]
    fn any_bytes_are_taken_calmly(bytes in proptest::collection::vec(any::<u8>(), 0..200)) {
        for (_, notation) in NOTATION_WORDS {
            for (_, encoding) in ENCODING_WORDS {
                let _ = notation.read(&bytes, encoding);
            }
        }
    }

    #[test]
    fn torn_documents_are_taken_calmly(cut in 0usize..120, at in 0usize..120, byte in any::<u8>()) {
        let whole: [(Notation, &[u8]); 3] = [
            (Notation::Xml, b"<mod id='a' v=\"1\"><li>&lt;x</li><li><![CDATA[y]]></li></mod>"),
            (Notation::Yaml, b"a: &x [1, {b: c}]\nd: *x\ne: |\n  text\n"),
            (Notation::Properties, b"a=b\\\n c\nd\\u0041: e\n"),
        ];
        for (notation, text) in whole {
            let mut bytes = text.to_vec();
            let length = bytes.len();
            bytes[at % length] = byte;
            bytes.truncate(length - cut % length);
            let _ = notation.read(&bytes, Encoding::Utf8);
        }
    }
}

#[rstest]
#[case::laughs(Notation::Yaml, (0..9).fold("a0: &a0 [x, x, x, x, x, x, x, x, x]\n".to_owned(), |text, n| text + &format!("a{}: &a{} [{}]\n", n + 1, n + 1, vec![format!("*a{n}"); 9].join(", "))))]
#[case::maps_of_aliases(Notation::Yaml, format!("a: &a [{}]\nb: &b [{}]\nc: [{}]\n", "x, ".repeat(900), "*a, ".repeat(900), "*b, ".repeat(900)))]
#[case::empty_lists(Notation::Json, format!("[{}[]]", "[],".repeat(900_000)))]
#[case::flags(Notation::Json, format!("{{\"a\":[{}1]}}", "1,".repeat(900_000)))]
#[case::tables(Notation::Toml, (0..150_000).map(|n| format!("a{n}=1\nb{n}=[]\n")).collect())]
#[case::headers(Notation::Toml, (0..180_000).map(|n| format!("[a.b{n}]\n")).collect())]
#[case::elements(Notation::Xml, format!("<a>{}</a>", "<b/>".repeat(900_000)))]
#[case::attributes(Notation::Xml, format!("<a>{}</a>", "<b c='' d=''/>".repeat(280_000)))]
#[case::blocks(Notation::Yaml, "- a\n".repeat(900_000))]
#[case::keys(Notation::Properties, (0..500_000).map(|n| format!("{n}=\n")).collect())]
#[case::sections(Notation::Ini, "[a]\n".repeat(900_000))]
#[case::lines(Notation::KeyValue, "a=1\n".repeat(900_000))]
fn what_would_fill_the_memory_is_refused_before_it_is_read(#[case] notation: Notation, #[case] text: String) {
    assert!((text.len() as u64) < limits::DOCUMENT_BYTES, "{}", text.len());
    assert_eq!(notation.read(text.as_bytes(), Encoding::Utf8), Err(DocumentError::TooMany));
}

#[test]
fn aliases_that_stand_for_little_are_read() {
    let text = "common: &c {side: both}\none: *c\ntwo: [*c, *c]\n";
    let read = Notation::Yaml.read(text.as_bytes(), Encoding::Utf8).expect("it is read");
    assert_eq!(read["two"][1]["side"], "both");
}
