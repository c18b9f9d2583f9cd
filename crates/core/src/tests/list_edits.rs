use super::*;
use crate::rulebook::parse;
use proptest::prelude::*;
use rstest::rstest;

fn rule(keys: &str) -> ListRule {
    let text = format!(
        "format = \"kanon-rulebook/1\"\ngame = \"g\"\n[[shelf]]\nname = \"s\"\nholds = \"files\"\nin = \"s\"\n[shelf.mod]\nid = \"$.id\"\n[[list]]\nname = \"l\"\n{keys}\n"
    );
    parse("rulebook", &text).expect("a rulebook").value.lists.remove(0)
}

fn entry(id: &str) -> Entry {
    let digest = format!("{:0<40}", id.bytes().map(|byte| format!("{byte:x}")).collect::<String>());
    Entry {
        id: id.to_owned().into(),
        name: format!("{id}.mod"),
        version: Some("2.0".to_owned()),
        title: Some(format!("The {id}")),
        digests: vec![digest],
    }
}

/// The list with these ids switched on, in this order; those that are there are set, others are new.
fn written(rule: &ListRule, text: &str, ids: &[&str]) -> Result<String, EditError> {
    let raws = read_list(rule, text.as_bytes()).map_err(|error| EditError::Unreadable(error.to_string()))?;
    let named = |raw: &RawEntry| {
        let name = raw.names.name.as_ref().map(|name| name.trim_end_matches(".mod").to_owned());
        raw.names.id.clone().or(name).unwrap_or_default()
    };
    let known: Vec<Option<Entry>> =
        raws.iter().map(|raw| Some(entry(&named(raw))).filter(|entry| entry.id != "gone")).collect();
    let change = |id: &&str| match raws.iter().position(|raw| named(raw) == **id) {
        Some(at) if raws[at].on && raws[at].names.version.is_none() => Change::Keep(at),
        Some(at) => Change::Set(at, entry(id)),
        None => Change::New(entry(id)),
    };
    let changes: Vec<Change> = ids.iter().map(change).collect();
    write_list(rule, text.as_bytes(), (&known, None), &changes).map(|bytes| String::from_utf8(bytes).expect("text"))
}

/// Each form: what stands there, what is to be in it, and the one text that says so.
#[rstest]
#[case::objects(
    "file = \"b.json\"\neach = \"$.loads[*]\"\nid = \"$.called\"\non = \"$.running\"",
    "{\n    // ours\n    \"loads\": [\n        { \"called\": \"reed\", \"running\": false }, // low\n        { \"called\": \"old\", \"running\": true },\n        { \"running\": true, \"called\": \"fog\" } // last\n    ],\n    \"odd\":   1\n}\n",
    &["reed", "fog", "tide"],
    "{\n    // ours\n    \"loads\": [\n        { \"called\": \"reed\", \"running\": true }, // low\n        { \"running\": true, \"called\": \"fog\" }, // last\n        { \"running\": true, \"called\": \"tide\" }\n    ],\n    \"odd\":   1\n}\n"
)]
#[case::objects_on_a_line(
    "file = \"b.json\"\neach = \"$[*]\"\nid = \"$.id\"\nversion = \"$.v\"",
    "[{\"id\":\"reed\",\"v\":\"1.0\",\"note\":\"x\"},{\"id\":\"fog\",\"v\":\"2.0\",\"note\":\"x\"}]",
    &["fog", "reed"],
    "[{\"id\":\"fog\",\"v\":\"2.0\",\"note\":\"x\"},{\"id\":\"reed\",\"v\":\"2.0\",\"note\":\"x\"}]"
)]
#[case::versions_in_numbers(
    "file = \"b.json\"\neach = \"$[*]\"\nid = \"$.id\"\nversion = \"$.v\"",
    "[{\"id\":\"reed\",\"v\":[1, 0]},{\"id\":\"fog\",\"v\":[2,0]}]",
    &["fog", "reed", "tide"],
    "[{\"id\":\"fog\",\"v\":[2,0]},{\"id\":\"reed\",\"v\":[2, 0]},{\"id\":\"tide\",\"v\":[2,0]}]"
)]
#[case::texts("file = \"b.json\"\neach = \"$.mods[*]\"", "{\"mods\": [ \"b\", \"a\" ]}", &["a", "c", "b"], "{\"mods\": [ \"a\", \"c\", \"b\" ]}")]
#[case::nothing_yet("file = \"b.json\"\neach = \"$.mods[*]\"", "{\n\t\"mods\": []\n}\n", &["a", "b"], "{\n\t\"mods\": [\n\t\t\"a\",\n\t\t\"b\"\n\t]\n}\n")]
#[case::object_yet("file = \"b.json\"\neach = \"$.mods[*]\"\nid = \"$.id\"\non = \"$.on\"", "{\"mods\":[]}", &["a"], "{\"mods\":[{ \"id\": \"a\", \"on\": true }]}")]
#[case::flags(
    "file = \"b.json\"\neach = \"$.mods\"\nform = \"id-to-flag\"",
    "{\"mods\": {\r\n  \"a\": false,\r\n  \"gone\": true\r\n}}",
    &["a", "b"],
    "{\"mods\": {\r\n  \"a\": true,\r\n  \"b\": true\r\n}}"
)]
#[case::what_else_they_say(
    "file = \"b.json\"\neach = \"$[*]\"\nid = \"$.id\"",
    "[\n  {\"id\": \"a\", \"from\": \"shop\", \"note\": \"loud\", \"title\": \"The a\", \"at\": \"mods/a.mod\"},\n  {\"id\": \"b\", \"from\": \"shop\", \"note\": \"mine\", \"title\": \"The b\", \"at\": \"mods/b.mod\"}\n]\n",
    &["a", "b", "c"],
    "[\n  {\"id\": \"a\", \"from\": \"shop\", \"note\": \"loud\", \"title\": \"The a\", \"at\": \"mods/a.mod\"},\n  {\"id\": \"b\", \"from\": \"shop\", \"note\": \"mine\", \"title\": \"The b\", \"at\": \"mods/b.mod\"},\n  {\"id\": \"c\", \"from\": \"shop\", \"title\": \"The c\", \"at\": \"mods/c.mod\"}\n]\n"
)]
#[case::what_else_elements_say(
    "file = \"w.xml\"\neach = \"$.w.m[*].i[*]\"\nid = \"$.id[0]\"",
    "<w>\n  <m>\n    <i note=\"x\" n='1'>\n      <file>a.mod</file>\n      <id>a</id>\n      <own>7</own>\n    </i>\n    <i note=\"y\" n='1'>\n      <file>b.mod</file>\n      <id>b</id>\n      <own>8</own>\n    </i>\n  </m>\n</w>\n",
    &["a", "b", "c"],
    "<w>\n  <m>\n    <i note=\"x\" n='1'>\n      <file>a.mod</file>\n      <id>a</id>\n      <own>7</own>\n    </i>\n    <i note=\"y\" n='1'>\n      <file>b.mod</file>\n      <id>b</id>\n      <own>8</own>\n    </i>\n    <i n='1'>\n      <file>c.mod</file>\n      <id>c</id>\n    </i>\n  </m>\n</w>\n"
)]
#[case::what_else_tables_say(
    "file = \"b.yaml\"\neach = \"$.mods[*]\"\nid = \"$.id\"\non = \"$.on\"",
    "mods:\n  - id: a\n    on: yes\n    note: x\n  - id: b   # second\n    on: no\n    note: y\n",
    &["a", "b", "c"],
    "mods:\n  - id: a\n    on: yes\n    note: x\n  - id: b   # second\n    on: yes\n    note: y\n  - id: c\n    on: yes\n"
)]
#[case::toml_array("file = \"b.toml\"\neach = \"$.mods[*]\"", "# ours\nmods = [\n  'a', # first\n  'z',\n]\nport = 1\n", &["a", "b"], "# ours\nmods = [\n  'a', # first\n  'b',\n]\nport = 1\n")]
#[case::toml_tables(
    "file = \"b.toml\"\neach = \"$.mod[*]\"\nid = \"$.id\"\non = \"$.on\"",
    "x = 1\n\n[[mod]] # one\nid = \"a\"\non = false\n\n[[mod]]\nid = \"gone\"\non = true\n",
    &["a", "b"],
    "x = 1\n\n[[mod]] # one\nid = \"a\"\non = true\n\n[[mod]]\nid = \"b\"\non = true\n"
)]
#[case::yaml("file = \"b.yaml\"\neach = \"$.mods[*]\"", "mods:\n  - b   # second\n  - \"gone\"\n  - a\nport: 1\n", &["a", "b", "c"], "mods:\n  - a\n  - b   # second\n  - c\nport: 1\n")]
#[case::yaml_flow("file = \"b.yaml\"\neach = \"$.mods[*]\"", "mods: [b]\n", &["b", "c"], "mods: [b, c]\n")]
#[case::yaml_nothing("file = \"b.yaml\"\neach = \"$.mods[*]\"", "a: 1\nmods: []\n", &["b"], "a: 1\nmods: [b]\n")]
#[case::elements(
    "file = \"w.xml\"\neach = \"$.world.loads[*].load[*]\"\nid = \"$['@ref']\"",
    "<world>\r\n  <loads>\r\n    <load ref='b'/> <!-- kept -->\r\n    <load ref='gone' />\r\n  </loads>\r\n</world>",
    &["a", "b"],
    "<world>\r\n  <loads>\r\n    <load ref='a'/>\r\n    <load ref='b'/> <!-- kept -->\r\n  </loads>\r\n</world>"
)]
#[case::element_texts("file = \"w.xml\"\neach = \"$.w.m[*].i[*]\"", "<w><m><i>a</i><i>z</i></m></w>", &["a", "b"], "<w><m><i>a</i><i>b</i></m></w>")]
#[case::no_element("file = \"w.xml\"\neach = \"$.w.m[*].i[*]\"\nid = \"$['@id']\"\non = \"$['@on']\"", "<w>\n  <m />\n</w>\n", &["a", "b"], "<w>\n  <m>\n    <i id=\"a\" on=\"true\" />\n    <i id=\"b\" on=\"true\" />\n  </m>\n</w>\n")]
#[case::ini_parameters(
    "file = \"s.ini\"\neach = \"$.Leaves\"\nform = \"id-to-fields\"\ntext = '^(?<digest>[0-9a-f]{40}),'\nordered = true",
    "; ours\n[Leaves]\nb = 6200000000000000000000000000000000000000,leaves/b.mod,weight=2\n; a comment\ngone = 6200000000000000000000000000000000000000,x\n[Other]\nk=v\n",
    &["a", "b"],
    "; ours\n[Leaves]\na = 6100000000000000000000000000000000000000,leaves/a.mod,weight=2\nb = 6200000000000000000000000000000000000000,leaves/b.mod,weight=2\n; a comment\n[Other]\nk=v\n"
)]
#[case::ini_repeated("file = \"s.ini\"\neach = \"$.Mods.mod[*]\"", "[Mods]\nmod=a\nmod=gone\nmod=c\n[X]\n", &["a", "c", "d"], "[Mods]\nmod=a\nmod=c\nmod=d\n[X]\n")]
#[case::ini_once("file = \"s.ini\"\neach = \"$.Mods.mod[*]\"", "[Mods]\nmod=a\n", &["a", "d"], "[Mods]\nmod=a\nmod=d\n")]
#[case::ini_joined("file = \"s.ini\"\neach = \"$.Mods.list\"\nbetween = \";\"", "[Mods]\nlist = b; gone\n", &["a", "b"], "[Mods]\nlist = a; b\n")]
#[case::switches(
    "file = \"w.cfg\"\neach = \"$\"\nform = \"id-to-flag\"\nentry = \"bring_{id}\"",
    "name = \"x\";\nbring_a = off; // low\nbring_gone = on;\nport = 1;\n",
    &["a", "b"],
    "name = \"x\";\nbring_a = on; // low\nbring_b = on;\nport = 1;\n"
)]
#[case::in_two_parts(
    "file = \"l.json\"\neach = \"$['warm','cold'][*]\"",
    "{\n  \"warm\": [\n    \"a\",\n    \"gone\"\n  ],\n  \"port\": 1,\n  \"cold\": [\"c\"] // late\n}\n",
    &["a", "b", "c", "d"],
    "{\n  \"warm\": [\n    \"a\",\n    \"b\"\n  ],\n  \"port\": 1,\n  \"cold\": [\"c\", \"d\"] // late\n}\n"
)]
#[case::in_two_parts_of_which_one_is_empty("file = \"l.yaml\"\neach = \"$['warm','cold'][*]\"", "warm: []\ncold:\n- a\n- gone\n", &["a", "b"], "warm: []\ncold:\n- a\n- b\n")]
#[case::objects_in_two_parts(
    "file = \"l.json\"\neach = \"$['warm','cold'][*]\"\nid = \"$.m\"",
    "{\"warm\": [{\"m\": \"a\", \"x\": 1}], \"cold\": [{\"m\": \"gone\"}, {\"m\": \"b\"}]}",
    &["a", "b"],
    "{\"warm\": [{\"m\": \"a\", \"x\": 1}], \"cold\": [{\"m\": \"b\"}]}"
)]
#[case::one_a_line("file = \"m.txt\"\nnotation = \"lines\"\noff = \"#{id}\"", "# mods of ours\r\na\r\n#b\r\n\r\ngone", &["b", "a", "c"], "# mods of ours\r\nb\r\na\r\nc")]
#[case::an_empty_file("file = \"m.txt\"\nnotation = \"lines\"", "", &["a", "b"], "a\nb\n")]
#[case::launch_line(
    "file = \"s.bat\"\noption = \"-holds=\"\nentry = \"#{id}\"\nbetween = \";\"",
    "@echo off\r\nrem -holds=#x\r\nstart \"\" hall.exe -port=1 \"-holds=#b;#gone\" -quiet\r\n",
    &["a", "b"],
    "@echo off\r\nrem -holds=#x\r\nstart \"\" hall.exe -port=1 \"-holds=#a;#b\" -quiet\r\n"
)]
#[case::launch_line_escaped("file = \"s.sh\"\noption = \"-holds=\"\nbetween = \";\"", "./hall -holds=b\\;gone &\n", &["a", "b"], "./hall -holds=a\\;b &\n")]
#[case::launch_line_bare("file = \"s.sh\"\noption = \"-holds=\"\nbetween = \";\"", "./hall -holds=b -x\n", &["a", "b"], "./hall -holds=\"a;b\" -x\n")]
#[case::launch_line_words("file = \"s.sh\"\noption = \"--holds\"\nbetween = \" \"", "./hall --holds b gone --port 1\n", &["a", "b"], "./hall --holds a b --port 1\n")]
#[case::launch_line_each("file = \"s.sh\"\noption = \"--hold\"", "./hall --hold b --hold 'gone' --port 1\n", &["a", "b"], "./hall --hold a --hold b --port 1\n")]
#[case::two_lines_alike("file = \"s.sh\"\noption = \"-m=\"\nbetween = \",\"", "a -m=b -x\nb -m=b\n", &["b", "c"], "a -m=b,c -x\nb -m=b,c\n")]
#[case::names("file = \"m.txt\"\nnotation = \"lines\"\nentry = \"mods/{name}\"", "mods/b.mod\n", &["a", "b"], "mods/a.mod\nmods/b.mod\n")]
#[case::versions("file = \"b.yaml\"\neach = \"$.mods\"\nform = \"id-to-version\"", "mods:\n  a: '1.0'\n  b: 2.0\n", &["a", "b", "c"], "mods:\n  a: '2.0'\n  b: 2.0\n  c: 2.0\n")]
fn lists_are_written(#[case] keys: &str, #[case] text: &str, #[case] ids: &[&str], #[case] expected: &str) {
    let rule = rule(keys);
    let once = written(&rule, text, ids).expect("written");
    assert_eq!(once, expected);
    assert_eq!(written(&rule, &once, ids).expect("written"), once, "a second edit changes nothing");
    let read = read_list(&rule, once.as_bytes()).expect("read");
    assert!(read.iter().all(|raw| raw.on) && read.len() == ids.len(), "{read:?}");
}

/// What stands around entries, and what stands behind them, is nobody's to change.
#[rstest]
#[case::behind_in_a_variable("file = \"s.sh\"\noption = \"-m=\"\nbetween = \",\"", "A=\"-p=1 -m=b,gone\"\n", &["b"], "A=\"-p=1 -m=b\"\n")]
#[case::behind_in_a_service("file = \"s.service\"\noption = \"-m=\"\nbetween = \",\"", "[Unit]\nDescription=h -m=b\n[Service]\nEnvironment=\"A=-p=1 -m=b,gone\"\nExecStart=/h $A\n", &["b"], "[Unit]\nDescription=h -m=b\n[Service]\nEnvironment=\"A=-p=1 -m=b\"\nExecStart=/h $A\n")]
#[case::the_end_of_a_command("file = \"s.sh\"\noption = \"-m=\"\nbetween = \",\"", "while :; do ./h -m=b,gone; sleep 5; done\n", &["b", "c"], "while :; do ./h -m=b,c; sleep 5; done\n")]
#[case::two_ways_to_start("file = \"s.sh\"\noption = \"--m\"", "./h --m b --m gone -x\n./h -y --m b --m gone\n", &["b", "c"], "./h --m b --m c -x\n./h -y --m b --m c\n")]
#[case::arguments_by_lines("file = \"s.args\"\noption = \"--m\"", "--m gone\n--m b\n-port=1\n", &["b", "c"], "--m b\n--m c\n-port=1\n")]
#[case::quotes_within("file = \"s.sh\"\noption = \"-m=\"\nbetween = \",\"", "./h -m=\"gone\",b -x\n", &["b"], "./h -m=b -x\n")]
#[case::told_and_remarked("file = \"s.bat\"\noption = \"-m=\"\nbetween = \",\"", "echo h -m=old\r\nh -m=gone & rem -m=old\r\n", &["b"], "echo h -m=old\r\nh -m=b & rem -m=old\r\n")]
#[case::tables_between_tables(
    "file = \"b.toml\"\neach = \"$.mod[*]\"\nid = \"$.id\"",
    "[[mod]]\nid = \"gone\"\n# about the net\n[net]\nx = 1\n\n# about b\n[[mod]]\nid = \"b\" # b\n",
    &["b", "c"],
    "# about the net\n[net]\nx = 1\n\n# about b\n[[mod]]\nid = \"b\" # b\n\n[[mod]]\nid = \"c\"\n"
)]
#[case::an_id_of_digits("file = \"b.toml\"\neach = \"$.mods[*]\"", "mods = []\n", &["2077"], "mods = [\n  \"2077\"\n]\n")]
#[case::off_with_a_remark(
    "file = \"w.cfg\"\neach = \"$\"\nform = \"id-to-flag\"\nentry = \"bring_{id}\"",
    "bring_a = 0 // not now\nport = 1\n",
    &["a", "b"],
    "bring_a = 1 // not now\nbring_b = 1\nport = 1\n"
)]
#[case::remarks_behind_a_section(
    "file = \"s.ini\"\neach = \"$.Mods.mod[*]\"",
    "[Mods] ; ours\nmod = gone ; low\nmod = b ; high\n[X]\n",
    &["b"],
    "[Mods] ; ours\n; low\nmod = b ; high\n[X]\n"
)]
#[case::remarks_that_move("file = \"b.yaml\"\neach = \"$.m[*]\"", "m:\n  # of b\n  - b\n  # of a\n  - a\n", &["a", "b"], "m:\n  # of a\n  - a\n  # of b\n  - b\n")]
#[case::words_that_are_flags("file = \"b.yaml\"\neach = \"$.m[*]\"", "m:\n  - b\n", &["b", "no", "2026-11-28"], "m:\n  - b\n  - \"no\"\n  - \"2026-11-28\"\n")]
#[case::none_left("file = \"b.yaml\"\neach = \"$.m[*]\"", "m:\n  - gone # low\nx: 1\n", &[], "m: []\n  # low\nx: 1\n")]
#[case::escapes_stay("file = \"s.properties\"\neach = \"$.m\"\nbetween = \",\"", "m=b\\u00fc,gone\n", &["bü"], "m=b\\u00fc\n")]
#[case::line_ends_stay("file = \"m.txt\"\nnotation = \"lines\"", "a\r\nb\nc", &["b", "c", "d"], "b\nc\nd")]
fn what_stands_around_entries_stays(
    #[case] keys: &str,
    #[case] text: &str,
    #[case] ids: &[&str],
    #[case] expected: &str,
) {
    let rule = rule(keys);
    let once = written(&rule, text, ids).expect("written");
    assert_eq!(once, expected);
    assert_eq!(written(&rule, &once, ids).expect("written"), once, "a second edit changes nothing");
}

/// Every way to start is written, and says the same.
#[test]
fn a_line_that_says_it_already_is_left_as_it_is() {
    let rule = rule("file = \"s.sh\"\noption = \"-m=\"\nbetween = \",\"");
    let text = "A=\"-p=1 -m=a,b\" # -m=x\nsh -c './h -m=a,b; sleep 1' # ours\n";
    assert_eq!(written(&rule, text, &["a", "b"]).expect("written"), text);
}

#[test]
fn encodings_and_marks_stay() {
    let rule = rule("file = \"m.txt\"\nnotation = \"lines\"\nencoding = \"windows-1252\"");
    let bytes = b"\xfcber\r\n";
    let edited =
        write_list(&rule, bytes, (&[None], None), &[Change::Keep(0), Change::New(entry("a"))]).expect("written");
    assert_eq!(edited, b"\xfcber\r\na\r\n");
    let marked = b"\xef\xbb\xbfa\n";
    assert_eq!(write_list(&rule, marked, (&[None], None), &[]).expect("written"), b"\xef\xbb\xbf");
    let snow = Entry { id: "\u{2603}".into(), ..Entry::default() };
    assert!(matches!(write_list(&rule, bytes, (&[None], None), &[Change::New(snow)]), Err(EditError::NotEncodable(_))));
}

#[rstest]
#[case("file = \"b.json\"\neach = \"$.mods[*]\"", "{\"mods\": [\"a\",]")]
#[case("file = \"w.xml\"\neach = \"$.w.m[*]\"", "<w><m></w>")]
#[case("file = \"s.bat\"\noption = \"-m=\"\nbetween = \";\"", "hall \"-m=a;b\r\n")]
#[case("file = \"s.bat\"\noption = \"-m=\"\nbetween = \";\"", "hall -x\r\n")]
fn what_can_not_be_read_is_not_written(#[case] keys: &str, #[case] text: &str) {
    let rule = rule(keys);
    assert!(write_list(&rule, text.as_bytes(), (&[], None), &[Change::New(entry("a"))]).is_err());
}

#[test]
fn a_line_to_paste_is_quoted_where_it_must_be() {
    let line = |keys: &str| {
        let rule = rule(keys);
        let ListForm::Option { option, between } = &rule.form else { panic!("an option") };
        option_text(&rule, option, between.as_deref(), &[entry("a"), entry("b")])
    };
    assert_eq!(line("option = \"-holds=\"\nentry = \"#{id}\"\nbetween = \";\""), "\"-holds=#a;#b\"");
    assert_eq!(line("option = \"--hold\""), "--hold a --hold b");
    assert_eq!(line("option = \"-m=\"\nentry = \"mods/{name}\"\nbetween = \",\""), "-m=mods/a.mod,mods/b.mod");
}

const FORMS: [(&str, &str); 8] = [
    ("file = \"b.json\"\neach = \"$.mods[*]\"", "{\n  \"mods\": [\n    \"p\", // p\n    \"q\"\n  ]\n}\n"),
    (
        "file = \"b.json\"\neach = \"$.mods[*]\"\nid = \"$.id\"\non = \"$.on\"",
        "{\"mods\": [{\"id\": \"p\", \"on\": 0}, {\"id\": \"q\", \"on\": 1}]}",
    ),
    ("file = \"b.yaml\"\neach = \"$.mods[*]\"", "x: 1\nmods:\n- p\n- q\ny: 2\n"),
    ("file = \"b.toml\"\neach = \"$.mod[*]\"\nid = \"$.id\"", "[[mod]]\nid = 'p'\n\n[[mod]]\nid = 'q'\n"),
    (
        "file = \"w.xml\"\neach = \"$.w.m[*].i[*]\"\nid = \"$['@id']\"",
        "<w>\n  <m>\n    <i id='p'/>\n    <i id='q'></i>\n  </m>\n</w>\n",
    ),
    ("file = \"s.ini\"\neach = \"$.M\"\nform = \"id-to-flag\"", "[M]\np=1\n; q\nq=0\n[N]\nz=1\n"),
    ("file = \"m.txt\"\nnotation = \"lines\"", "# x\np\n\nq"),
    ("file = \"s.sh\"\noption = \"-m=\"\nbetween = \";\"", "hall '-m=p;q' -x\n"),
];

proptest! {
    #[test]
    fn whatever_is_meant_is_read_back(
        form in 0usize..8,
        ids in proptest::sample::subsequence(vec!["a", "b", "c", "p", "q"], 1..5).prop_shuffle(),
        again in proptest::sample::subsequence(vec!["a", "b", "c", "p", "q"], 1..5).prop_shuffle(),
    ) {
        let (keys, text) = FORMS[form];
        let rule = rule(keys);
        let mut text = text.to_owned();
        for ids in [ids, again] {
            text = written(&rule, &text, &ids).expect("written");
            let read = read_list(&rule, text.as_bytes()).expect("read");
            let read: Vec<String> = read.into_iter().filter(|raw| raw.on).filter_map(|raw| raw.names.id).collect();
            prop_assert_eq!(&read, &ids);
            prop_assert_eq!(&written(&rule, &text, &ids).expect("written"), &text);
        }
    }

    #[test]
    fn any_text_is_taken_calmly(form in 0usize..8, text in "[\\[\\]{}<>\"'=;,:# \\-\\n\\ra-dmp/&]{0,60}") {
        let rule = rule(FORMS[form].0);
        if let Ok(edited) = written(&rule, &text, &["a", "b"]) {
            prop_assert!(read_list(&rule, edited.as_bytes()).is_ok());
        }
    }
}
