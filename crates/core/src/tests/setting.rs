use super::*;
use crate::text::scalar;
use proptest::prelude::*;
use rstest::rstest;

fn setting(notation: Notation, text: &str, at: &str, value: &str) -> Result<String, EditError> {
    let at = JsonPath::parse(at).expect("a path");
    set(text.as_bytes(), (notation, Encoding::Utf8), &at, value).map(|bytes| String::from_utf8(bytes).expect("text"))
}

#[rstest]
#[case(Notation::Json, "{ // x\n  \"port\" : 41,\n}", "$.port", "4100", "{ // x\n  \"port\" : 4100,\n}")]
#[case(Notation::Json, "{\"name\":\"a\"}", "$.name", "say \"hi\"", "{\"name\":\"say \\\"hi\\\"\"}")]
#[case(
    Notation::Json,
    "{\n    \"a\": 1\n}\n",
    "$.net.port",
    "41",
    "{\n    \"a\": 1,\n    \"net\": { \"port\": 41 }\n}\n"
)]
#[case(Notation::Json, "{}", "$.on", "true", "{\"on\": true}")]
#[case(
    Notation::Toml,
    "a = 1\n[net] # x\nport = 41 # y\n",
    "$.net.port",
    "4100",
    "a = 1\n[net] # x\nport = 4100 # y\n"
)]
#[case(Notation::Toml, "name = 'a'\n\n[net]\nport = 1\n", "$.name", "b", "name = 'b'\n\n[net]\nport = 1\n")]
#[case(Notation::Toml, "name = 'a'\n[net]\nport = 1\n", "$.on", "true", "name = 'a'\non = true\n[net]\nport = 1\n")]
#[case(Notation::Toml, "name = 'a'\n", "$.net.host", "x", "name = 'a'\n\n[net]\nhost = \"x\"\n")]
#[case(
    Notation::Yaml,
    "net:\n  port: 41   # y\n  host: 'x'\n",
    "$.net.port",
    "4100",
    "net:\n  port: 4100   # y\n  host: 'x'\n"
)]
#[case(Notation::Yaml, "net:\n  host: 'x'\n", "$.net.host", "it's", "net:\n  host: 'it''s'\n")]
#[case(Notation::Yaml, "net:\n  host: x\nz: 1\n", "$.net.port", "41", "net:\n  host: x\n  port: 41\nz: 1\n")]
#[case(Notation::Yaml, "a: 'it''s'  # x\nb: \"q \\\" r\" # y\n", "$.a", "z", "a: 'z'  # x\nb: \"q \\\" r\" # y\n")]
#[case(Notation::Yaml, "a: \"q \\\" r\" # y\n", "$.a", "z", "a: \"z\" # y\n")]
#[case(Notation::Yaml, "a: 1\n", "$.net.port", "41", "a: 1\nnet:\n  port: 41\n")]
#[case(Notation::Yaml, "a:\n", "$.a", "x: y", "a: \"x: y\"\n")]
#[case(
    Notation::Xml,
    "<s a='1'>\n  <port> 41 </port>\n</s>",
    "$.s.port[0]",
    "4100",
    "<s a='1'>\n  <port> 4100 </port>\n</s>"
)]
#[case(Notation::Xml, "<s a='1'/>", "$.s['@a']", "<2>", "<s a='&lt;2&gt;'/>")]
#[case(Notation::Xml, "<s>\n  <b>1</b>\n</s>\n", "$.s.port[0]", "41", "<s>\n  <b>1</b>\n  <port>41</port>\n</s>\n")]
#[case(Notation::Xml, "<s b='1' />", "$.s['@on']", "true", "<s b='1' on=\"true\" />")]
#[case(
    Notation::Ini,
    "; x\r\n[Net]\r\nport = 41 \r\n[Z]\r\n",
    "$.Net.port",
    "4100",
    "; x\r\n[Net]\r\nport = 4100 \r\n[Z]\r\n"
)]
#[case(Notation::Ini, "[Net]\nport=41\n[Z]\na=1", "$.Net.host", "x", "[Net]\nport=41\nhost=x\n[Z]\na=1")]
#[case(Notation::Ini, "[Z]\na=1", "$.Net.host", "x", "[Z]\na=1\n\n[Net]\nhost=x")]
#[case(Notation::Ini, "[Z]\na=1\n", "$.top", "x", "top=x\n[Z]\na=1\n")]
#[case(
    Notation::KeyValue,
    "// x\nname = \"a\"; // ours\nport = 41;\n",
    "$.port",
    "4100",
    "// x\nname = \"a\"; // ours\nport = 4100;\n"
)]
#[case(Notation::KeyValue, "name = \"a\";\nport=41\n", "$.name", "b c", "name = \"b c\";\nport=41\n")]
#[case(Notation::KeyValue, "port = 41;\n", "$.on", "1", "port = 41;\non = 1;\n")]
#[case(Notation::Properties, "# x\nport=41\nmotd=a \\\n  b\n", "$.port", "4100", "# x\nport=4100\nmotd=a \\\n  b\n")]
#[case(Notation::Properties, "port=41\nmotd=a \\\n  b\n", "$.motd", "c:\\d", "port=41\nmotd=c:\\\\d\n")]
#[case(Notation::Properties, "port: 41", "$.on", "true", "port: 41\non: true")]
#[case(Notation::Toml, "x = 1\nnet = {}\n", "$.net.port", "41", "x = 1\nnet = {port = 41}\n")]
#[case(Notation::Toml, "x = 1\n# of the net\n[net]\n", "$.y", "2", "x = 1\ny = 2\n# of the net\n[net]\n")]
#[case(Notation::Yaml, "a:\n  b: |\n    one\n    # two\n", "$.a.c", "x", "a:\n  b: |\n    one\n    # two\n  c: x\n")]
#[case(Notation::Yaml, "a: x\n", "$.a", "no", "a: \"no\"\n")]
#[case(Notation::Yaml, "a: yes\n", "$.a", "no", "a: no\n")]
#[case(Notation::Yaml, "a: 1\n---\na: 2\n", "$.b", "3", "a: 1\nb: 3\n---\na: 2\n")]
#[case(
    Notation::Xml,
    "<s>\n  <b>1</b> <!-- b -->\n</s>\n",
    "$.s.c[0]",
    "2",
    "<s>\n  <b>1</b> <!-- b -->\n  <c>2</c>\n</s>\n"
)]
#[case(Notation::Xml, "<s><!-- why --><?go?></s>", "$.s.c[0]", "2", "<s><!-- why --><?go?>\n  <c>2</c>\n</s>")]
#[case(Notation::Xml, "<s><p><!-- why -->1</p></s>", "$.s.p[0]", "2", "<s><p><!-- why -->2</p></s>")]
#[case(Notation::Ini, "[Net] ; x\nport = 41 ; y\n", "$.Net.port", "4100", "[Net] ; x\nport = 4100 ; y\n")]
#[case(Notation::KeyValue, "port: 41 # was port = 3\n", "$.port", "4100", "port: 4100 # was port = 3\n")]
#[case(Notation::KeyValue, "on = 0 // not now\n", "$.on", "1", "on = 1 // not now\n")]
#[case(Notation::Properties, "a=\\u00fc\nb=1\n", "$.b", "ü", "a=\\u00fc\nb=\\u00fc\n")]
#[case(Notation::Toml, "d = 2026-11-28 # x\n", "$.d", "2026-12-01", "d = 2026-12-01 # x\n")]
#[case(Notation::Yaml, "d: 2026-11-28\n", "$.d", "2026-12-01", "d: 2026-12-01\n")]
#[case(Notation::Yaml, "v: 1.2.0\n", "$.v", "1.10.0", "v: 1.10.0\n")]
#[case(Notation::Yaml, "v: 1.2\n", "$.v", "1.10", "v: \"1.10\"\n")]
fn values_are_set_where_they_stand(
    #[case] notation: Notation,
    #[case] text: &str,
    #[case] at: &str,
    #[case] value: &str,
    #[case] expected: &str,
) {
    let once = setting(notation, text, at, value).expect("set");
    assert_eq!(once, expected);
    assert_eq!(setting(notation, &once, at, value).expect("set"), once, "a second edit changes nothing");
}

#[rstest]
#[case(Notation::Json, "{\"a\": [1]}", "$.a", "2")]
#[case(Notation::Json, "{\"a\": 1", "$.a", "2")]
#[case(Notation::Json, "{\"a\": 1}", "$.a.b", "2")]
#[case(Notation::Json, "{}", "$..b", "2")]
#[case(Notation::Xml, "<a><b></a>", "$.a.b[0]", "2")]
#[case(Notation::Xml, "<a/>", "$.c.b[0]", "2")]
#[case(Notation::KeyValue, "a = 1\n", "$.a", "two\nlines")]
#[case(Notation::Ini, "[a]\nb=1\n", "$.a.c.d", "2")]
fn what_has_no_place_is_refused(#[case] notation: Notation, #[case] text: &str, #[case] at: &str, #[case] value: &str) {
    assert!(setting(notation, text, at, value).is_err());
}

proptest! {
    #[test]
    fn what_is_set_is_read_back(notation in 0usize..7, value in "[a-zA-Z0-9 äß_.:/\\\\#;<>&'\"-]{1,20}") {
        let (_, notation) = crate::text::NOTATION_WORDS[notation];
        let (text, at) = match notation {
            Notation::Json => ("{\"a\": 1, \"k\": \"v\"}", "$.k"),
            Notation::Toml => ("k = \"v\"\n[t]\na = 1\n", "$.k"),
            Notation::Yaml => ("a: 1\nk: v\n", "$.k"),
            Notation::Xml => ("<a><k>v</k></a>", "$.a.k[0]"),
            _ => ("a = 1\nk = v\n", "$.k"),
        };
        // What a notation can't say is refused, not garbled.
        if let Ok(edited) = setting(notation, text, at, &value) {
            let read = notation.read(edited.as_bytes(), Encoding::Utf8).expect("read");
            let found = JsonPath::parse(at).expect("a path").query(&read).first().and_then(scalar);
            prop_assert_eq!(found.unwrap_or_default(), value.trim());
        }
    }
}
