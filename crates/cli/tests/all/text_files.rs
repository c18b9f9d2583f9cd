//! Mod lists, launch lines, settings, memory and merged entries through the built program: the smallest change, in line
//! afterwards, and taken back to the byte.

use rstest::rstest;

use crate::stage::{Said, Stage, zip_of};

const HEAD: &str = r#"format = "kanon-rulebook/1"
game   = "Tallowfen"

[base]
ids = ["fen"]

[[shelf]]
name  = "loads"
holds = "archives"
in    = { server = "loads", client = "loads" }
match = ["*.load"]
[shelf.mod]
document  = { member = "leaflet.json" }
id        = "$.called"
version   = "$.version"
needed_on = { at = "$.side", means = { all = "both", server = "server", mine = "client" } }
required  = { each = "$.wants[*]" }

"#;

fn load(id: &str, wants: &[&str], side: &str) -> Vec<u8> {
    let leaflet = serde_json::json!({ "called": id, "version": "2.0", "wants": wants, "side": side }).to_string();
    zip_of(&[("leaflet.json", leaflet.as_bytes())])
}

/// A server with the mods reed, fog (which wants reed) and owl (the server's alone), and a canon of them.
fn stage(rules: &str, files: &[(&str, &[u8])]) -> Stage {
    stage_with(rules, files, "")
}

fn stage_with(rules: &str, files: &[(&str, &[u8])], facts: &str) -> Stage {
    let stage = Stage::bare();
    stage.write("fen.rulebook.toml", format!("{HEAD}{rules}"));
    for install in ["fen", "mara-fen"] {
        stage.write(&format!("{install}/loads/reed.load"), load("reed", &[], "all"));
        stage.write(&format!("{install}/loads/fog.load"), load("fog", &["reed"], "all"));
    }
    stage.write("fen/loads/owl.load", load("owl", &[], "server"));
    for (path, bytes) in files {
        stage.write(path, bytes);
    }
    let wishes = "format = \"kanon/1\"\nname = \"Fen\"\nrulebook = \"fen.rulebook.toml\"\n\n[install.fen]\nrole = \"server\"\nat = \"fen\"\n\n\
        [install.mara]\nrole = \"client\"\nat = \"mara-fen\"\n";
    stage.write("kanon.toml", format!("{wishes}{facts}"));
    stage.kanon(["adopt", "fen"]).ends_with(0);
    stage.kanon(["seal"]).ends_with(0);
    stage
}

fn aligned(stage: &Stage, install: &str, more: &[&str]) -> Said {
    let words: Vec<&str> = ["align", install, "--yes"].iter().chain(more).copied().collect();
    stage.kanon(words)
}

/// Each form in which games keep lists: the rule, the file as somebody left it, and the file as it must become.
#[rstest]
#[case::json_objects(
    "file = \"loads/board.json\"\neach = \"$.loads[*]\"\nid = \"$.called\"\non = \"$.running\"",
    "loads/board.json",
    b"\xef\xbb\xbf{\r\n\t// our board\r\n\t\"loads\":\t[\r\n\t\t{ \"called\": \"fen\",  \"running\": true }, // the game\r\n\t\t{ \"called\": \"gone\", \"running\": true },\r\n\t\t{ \"called\": \"fog\",  \"running\": false } // why off?\r\n\t],\r\n\t\"kept\" : 1\r\n}\r\n",
    b"\xef\xbb\xbf{\r\n\t// our board\r\n\t\"loads\":\t[\r\n\t\t{ \"called\": \"fen\",  \"running\": true }, // the game\r\n\t\t{ \"called\": \"fog\",  \"running\": true }, // why off?\r\n\t\t{ \"called\": \"owl\",  \"running\": true },\r\n\t\t{ \"called\": \"reed\",  \"running\": true }\r\n\t],\r\n\t\"kept\" : 1\r\n}\r\n",
    &["list-entry-extra", "list-entry-missing", "list-entry-missing", "list-entry-off"]
)]
#[case::json_pins(
    "file = \"board.json\"\neach = \"$.pins\"\nform = \"id-to-version\"\nordered = true",
    "board.json",
    b"{\"pins\": {\"owl\": \"2.0\", \"reed\": \"1.9\", \"fog\": \"2.0\"}}",
    b"{\"pins\": {\"owl\": \"2.0\", \"reed\": \"2.0\", \"fog\": \"2.0\"}}",
    &["list-version"]
)]
#[case::xml_in_a_world(
    "of = \"server\"\nfile = \"worlds/*/world.xml\"\neach = \"$.world.loads[*].load[*]\"\nid = \"$['@ref']\"\nordered = true",
    "worlds/moor/world.xml",
    b"<?xml version='1.0'?>\n<world day='30'>\n    <loads>\n        <load  ref='fog'/>  <!-- thick -->\n        <load  ref='reed'/>\n        <load  ref='reed'/>\n    </loads>\n    <snow>&#160;deep</snow>\n</world>\n",
    b"<?xml version='1.0'?>\n<world day='30'>\n    <loads>\n        <load  ref='owl'/>\n        <load  ref='reed'/>\n        <load  ref='fog'/>  <!-- thick -->\n    </loads>\n    <snow>&#160;deep</snow>\n</world>\n",
    &["list-entry-extra", "list-entry-missing", "list-order"]
)]
#[case::ini_in_order(
    "file = \"fen.ini\"\nencoding = \"windows-1252\"\neach = \"$.Loads\"\nform = \"id-to-fields\"\ntext = '^(?<on>yes|no),'\nordered = true",
    "fen.ini",
    b"; f\xfcr uns\r\n[Loads]\r\nfog = yes,weight=2\r\n; the reeds\r\nreed  =  no,weight=7\r\n\r\n[Snow]\r\ndeep=yes\r\n",
    b"; f\xfcr uns\r\n[Loads]\r\nowl = yes,weight=2\r\n; the reeds\r\nreed  =  yes,weight=7\r\nfog = yes,weight=2\r\n\r\n[Snow]\r\ndeep=yes\r\n",
    &["list-entry-missing", "list-entry-off", "list-order"]
)]
#[case::numbered_and_counted(
    "file = \"fen.ini\"\neach = \"$.Run\"\nform = \"numbered\"\nkey = \"Load[{n}]\"\ncount = \"$.Run.Loads\"\nordered = true",
    "fen.ini",
    b"[Run]\r\nLoads = 2 ; so many\r\nLoad[0]=owl\r\nLoad[1]=fog\r\nSeats=2\r\n",
    b"[Run]\r\nLoads = 3 ; so many\r\nLoad[0]=owl\r\nLoad[1]=reed\r\nLoad[2]=fog\r\nSeats=2\r\n",
    &["list-entry-missing", "setting-differs"]
)]
#[case::only_the_count(
    "file = \"board.json\"\neach = \"$.run.loads[*]\"\ncount = \"$.run.total\"",
    "board.json",
    b"{\"run\": {\"total\": 7, \"loads\": [\"owl\", \"reed\", \"fog\"]}}",
    b"{\"run\": {\"total\": 3, \"loads\": [\"owl\", \"reed\", \"fog\"]}}",
    &["setting-differs"]
)]
#[case::switches(
    "of = \"server\"\nfile = \"world.cfg\"\neach = \"$\"\nform = \"id-to-flag\"\nentry = \"bring_{id}\"",
    "world.cfg",
    b"# the moor\nname = moor\nbring_reed = false\nbring_gone = true\n",
    b"# the moor\nname = moor\nbring_reed = true\nbring_owl = true\nbring_fog = true\n",
    &["list-entry-extra", "list-entry-missing", "list-entry-missing", "list-entry-off"]
)]
#[case::one_a_line(
    "file = \"loads.txt\"\nnotation = \"lines\"\nordered = true\nneeded_on = [\"both\"]",
    "loads.txt",
    b"# what everybody has\r\n\r\nfog\r\nreed",
    b"# what everybody has\r\n\r\nreed\r\nfog",
    &["list-order"]
)]
#[case::a_list_of_no_use(
    "file = \"board.json\"\neach = \"$[*]\"",
    "board.json",
    b"[]\n",
    b"[\n  \"owl\",\n  \"reed\",\n  \"fog\"\n]\n",
    &["list-entry-missing", "list-entry-missing", "list-entry-missing"]
)]
#[case::batch(
    "of = \"server\"\nfile = \"start.bat\"\noption = \"-loads=\"\nentry = \"loads\\\\{name}\"\nbetween = \";\"\nordered = true",
    "start.bat",
    b"@echo off\r\nREM -loads=loads\\old.load\r\nset PORT=4100\r\nstart \"\" fen.exe -port=%PORT% \"-loads=loads\\reed.load;loads\\fgo.load\" -quiet\r\n",
    b"@echo off\r\nREM -loads=loads\\old.load\r\nset PORT=4100\r\nstart \"\" fen.exe -port=%PORT% \"-loads=loads\\owl.load;loads\\reed.load;loads\\fog.load\" -quiet\r\n",
    &["launch-line-differs"]
)]
#[case::a_slip_in_the_option(
    "of = \"server\"\nfile = \"start.sh\"\noption = \"-loads=\"\nbetween = \";\"\nordered = true",
    "start.sh",
    b"#!/bin/sh\n./fen -level=reed '-laods=owl;reed;fog' --quiet\n",
    b"#!/bin/sh\n./fen -level=reed '-loads=owl;reed;fog' --quiet\n",
    &["launch-line-differs"]
)]
#[case::shell_each(
    "of = \"server\"\nfile = \"start.sh\"\noption = \"--load\"\nordered = true\nneeded_on = [\"both\"]",
    "start.sh",
    b"#!/bin/sh\n# --load gone\nexec ./fen --load fog   --load reed --port 4100 \\\n  --quiet\n",
    b"#!/bin/sh\n# --load gone\nexec ./fen --load reed   --load fog --port 4100 \\\n  --quiet\n",
    &["list-order"]
)]
#[case::service(
    "of = \"server\"\nfile = \"fen.service\"\noption = \"-serverloads=\"\nentry = \"#{id}\"\nbetween = \",\"\nneeded_on = [\"server\"]",
    "fen.service",
    b"[Service]\nExecStart=/srv/fen -port=1 -serverloads=#reed\nRestart=always\n",
    b"[Service]\nExecStart=/srv/fen -port=1 -serverloads=#owl\nRestart=always\n",
    &["launch-line-differs"]
)]
fn a_list_is_judged_written_and_taken_back(
    #[case] rule: &str,
    #[case] file: &str,
    #[case] before: &[u8],
    #[case] after: &[u8],
    #[case] codes: &[&str],
) {
    let rules = format!("[[list]]\nname = \"the list\"\n{rule}\n\n[[world]]\nin = {{ server = \"worlds/*\" }}\n");
    let path = format!("fen/{file}");
    let stage = stage(&rules, &[]);
    // The order of the canon comes from the mods, not from a list that somebody has spoilt.
    stage.write(&path, before);
    let untouched = stage.fingerprint("fen");
    let mut found = stage.codes("fen");
    found.sort();
    assert_eq!(found, codes);
    aligned(&stage, "fen", &[]).ends_with(0).says("is in line");
    let written = std::fs::read(stage.path(&path)).unwrap();
    let shown = |bytes: &[u8]| String::from_utf8_lossy(bytes).into_owned();
    assert_eq!(shown(&written), shown(after));
    assert_eq!(written, after);
    stage.kanon(["check", "fen"]).ends_with(0);
    aligned(&stage, "fen", &[]).ends_with(0).says("nothing to do");
    stage.kanon(["undo", "fen"]).ends_with(0);
    assert_eq!(stage.fingerprint("fen"), untouched, "names, bytes and times");
}

#[rstest]
#[case::json(
    "file = \"b.json\"\neach = \"$.loads[*]\"",
    "b.json",
    "{\n \"loads\": [\"reed\",,]\n}",
    "line 2 column 19"
)]
#[case::xml("file = \"w.xml\"\neach = \"$.w.l[*]\"", "w.xml", "<w>\n  <l>reed\n</w>", "line 3, column 1")]
#[case::xml_cut("file = \"w.xml\"\neach = \"$.w.l[*]\"", "w.xml", "<w>\n  <l>reed</l>\n", "line 1, column 1")]
#[case::toml("file = \"b.toml\"\neach = \"$.loads[*]\"", "b.toml", "a = 1\nloads = [\"reed\"", "line 2")]
#[case::yaml("file = \"b.yaml\"\neach = \"$.loads[*]\"", "b.yaml", "loads:\n  - reed\n - fog: [\n", "3 column 2")]
#[case::ini("file = \"b.ini\"\neach = \"$.L\"\nform = \"id-to-flag\"", "b.ini", "[L]\nreed=1\n[X\n", "line ")]
#[case::quotes(
    "file = \"s.bat\"\noption = \"-m=\"\nbetween = \";\"",
    "s.bat",
    "rem\r\nfen \"-m=reed;fog -x\r\n",
    "line 2, column 5"
)]
fn what_is_broken_is_told_with_its_place_and_left_alone(
    #[case] rule: &str,
    #[case] file: &str,
    #[case] text: &str,
    #[case] place: &str,
) {
    let path = format!("fen/{file}");
    let stage = stage(
        &format!("[[list]]\nname = \"the list\"\nof = \"server\"\n{rule}\n"),
        &[(path.as_str(), text.as_bytes())],
    );
    let before = stage.fingerprint("fen");
    stage.kanon(["check", "fen"]).ends_with(1).says("list-unreadable").says(place).says("do:");
    aligned(&stage, "fen", &[]).ends_with(1);
    assert_eq!(stage.fingerprint("fen"), before);
}

#[test]
fn what_is_no_mods_stays_and_what_others_may_have_does_too() {
    let rules = "[[list]]\nname = \"the list\"\nfile = \"loads.txt\"\nnotation = \"lines\"\nordered = true\nkeep = [\"bought-*\"]\n";
    let list = "fen\nbought-snow\nfog\nmap\nreed\nbought-ice\n";
    let stage = stage(rules, &[("mara-fen/loads.txt", list.as_bytes())]);
    stage.write("mara-fen/loads/map.load", load("map", &[], "mine"));
    aligned(&stage, "mara", &[]).ends_with(0);
    assert_eq!(stage.read("mara-fen/loads.txt"), "fen\nbought-snow\nreed\nfog\nmap\nbought-ice\n");
    stage.kanon(["check", "mara"]).ends_with(0).says("mod-extra");
}

#[test]
fn a_list_that_is_not_there_is_made_where_nothing_else_belongs_into_it() {
    let lines = "[[list]]\nname = \"the list\"\nof = \"server\"\nfile = \"cfg/loads.txt\"\nnotation = \"lines\"\n";
    let made = stage(lines, &[]);
    made.kanon(["check", "fen"]).ends_with(1).says("the file is not there");
    aligned(&made, "fen", &[]).ends_with(0);
    assert_eq!(made.read("fen/cfg/loads.txt"), "owl\nreed\nfog\n");
    made.kanon(["undo", "fen"]).ends_with(0);
    assert!(!made.path("fen/cfg").exists());
    let json = "[[list]]\nname = \"the list\"\nof = \"server\"\nfile = \"board.json\"\neach = \"$.loads[*]\"\n";
    let other = stage(json, &[]);
    other.kanon(["check", "fen"]).ends_with(1).says("start the game once");
}

#[test]
fn the_line_to_paste_is_printed_for_either_side() {
    let rules = "[[list]]\nname = \"everybody's\"\nfile = \"start.bat\"\noption = \"-loads=\"\nentry = \"#{id}\"\nbetween = \";\"\nordered = true\nneeded_on = [\"both\"]\n\n\
        [[list]]\nname = \"the server's own\"\nof = \"server\"\nfile = \"start.bat\"\noption = \"-own=\"\nentry = \"#{id}\"\nneeded_on = [\"server\"]\n";
    let stage = stage(rules, &[("fen/start.bat", b"fen \"-loads=#fog;#reed\" -own=#owl\r\n")]);
    stage.kanon(["line", "fen"]).ends_with(0).says("\"-loads=#reed;#fog\"").says("-own=#owl").says("the server's own");
    let client = stage.kanon(["line", "fen", "--for", "client"]).ends_with(0);
    assert_eq!(client.out, "\"-loads=#reed;#fog\"\n");
    let json = stage.kanon(["line", "mara", "--format", "json"]).ends_with(0).json();
    crate::stage::fits_its_schema("line", &json);
    assert_eq!(json["lines"][0]["entries"], serde_json::json!(["#reed", "#fog"]));
    aligned(&stage, "fen", &[]).ends_with(0);
    assert_eq!(stage.read("fen/start.bat"), "fen \"-loads=#reed;#fog\" -own=#owl\r\n");
}

#[test]
fn the_order_of_the_canon_is_the_servers_own_until_somebody_says_otherwise() {
    let rules = "[[list]]\nname = \"the list\"\nfile = \"loads.txt\"\nnotation = \"lines\"\nordered = true\n";
    let stage = stage(rules, &[("fen/loads.txt", b"owl\nreed\nfog\n")]);
    stage.kanon(["check", "fen"]).ends_with(0);
    let wishes = stage.read("kanon.toml");
    stage.write("kanon.toml", wishes.replace("id = \"owl\"", "id = \"owl\"\nload-after = [\"fog\"]"));
    stage.kanon(["seal"]).ends_with(0).says("the load order is another: reed, fog, owl");
    stage.kanon(["check", "fen"]).ends_with(1).says("list-order").says("reed, fog, owl");
    stage.write(
        "kanon.toml",
        wishes
            .replace("id = \"fog\"", "id = \"fog\"\nload-before = [\"reed\"]")
            .replace("id = \"reed\"", "id = \"reed\"\nload-before = [\"fog\"]"),
    );
    stage.kanon(["seal"]).ends_with(1).says("order-impossible").says("reed before fog before");
    stage.write("kanon.toml", wishes.replace("id = \"fog\"", "id = \"fog\"\nposition = 1"));
    stage.kanon(["seal"]).ends_with(0).says("order-impossible").says("position 1");
}

#[test]
fn a_mod_that_a_list_keeps_out_of_play_is_not_adopted() {
    let rules = "[[list]]\nname = \"the board\"\nfile = \"board.json\"\neach = \"$.loads\"\nform = \"id-to-flag\"\n\n\
        [[list]]\nname = \"the line\"\nof = \"server\"\nfile = \"start.sh\"\noption = \"-own=\"\nneeded_on = [\"server\"]\n";
    let stage = stage(rules, &[]);
    stage.write("fen/loads/elk.load", load("elk", &[], "server"));
    stage.write("fen/loads/mist.load", load("mist", &[], "all"));
    stage.write("fen/board.json", "{\"loads\": {\"reed\": true, \"mist\": false}}");
    stage.write("fen/start.sh", "./fen -own=owl\n");
    let said = stage.kanon(["adopt", "fen"]).ends_with(0).says("mist is switched off in board.json");
    said.says("elk is not in `the line` (start.sh)");
    assert!(!stage.read("kanon.toml").contains("mist") && stage.read("kanon.toml").contains("owl"));
    // A mod that the server's own line names is the server's, whatever it says itself.
    stage.write("fen/start.sh", "./fen -own=owl -own=fog\n");
    stage.kanon(["adopt", "fen"]).ends_with(0);
    assert!(
        stage.read("kanon.toml").contains("id = \"fog\"\nversion = \"2.0\"\nfrom = \"fen\"\nneeded_on = \"server\"")
    );
}

const SETTINGS: &str = r#"
[[setting]]
name = "the port"
of   = "server"
file = "fen.properties"
at   = "$.port"
is   = "{port}"

[[setting]]
name = "loads are allowed"
of   = "server"
file = "convoy.cfg"
at   = "$.outside"
is   = "true"
same = [["1", "true", "on"], ["0", "false", "off"]]

[[setting]]
name = "the passage"
of   = "server"
file = "fen.xml"
at   = "$.fen.passage[0].chart[0]"
is   = "{passages/*}"

[[setting]]
name = "the radio's address"
of   = "server"
with = "owl"
file = "radio/owl.yaml"
at   = "$.net.address"
is   = "{host}:{the port}"

[[setting]]
name    = "the licence"
of      = "server"
file    = "licence.txt"
notation = "key-value"
at      = "$.accepted"
licence = "LICENCE.md"

[[memory]]
of       = "server"
file     = "start.sh"
option   = "-Room"
floor    = "1GiB"
each-mod = "100MiB"
"#;

const FACTS: &str = "\n[facts]\nport = \"4100\"\nhost = \"0.0.0.0\"\n";

fn with_settings() -> Stage {
    let files: [(&str, &[u8]); 6] = [
        ("fen/fen.properties", b"# ours\r\nport : 4000\r\nmotd=hello \\\r\n  there\r\n"),
        ("fen/convoy.cfg", b"outside = 0; // careful\n"),
        ("fen/fen.xml", b"<fen>\n  <passage kind='moor'>\n    <chart>old.moor</chart>\n  </passage>\n</fen>\n"),
        ("fen/radio/owl.yaml", b"net:\n  address: '0.0.0.0:4000'   # everybody\n"),
        ("fen/licence.txt", b"accepted=false\n"),
        ("fen/start.sh", b"#!/bin/sh\n./fen -Room1G -port 4000\n"),
    ];
    let stage = stage_with(SETTINGS, &[], FACTS);
    files.iter().for_each(|(path, bytes)| stage.write(path, bytes));
    stage.write("fen/passages/low.moor/init", "x");
    stage
}

#[test]
fn a_setting_quotes_facts_other_settings_and_what_places_are_called() {
    let stage = with_settings();
    let wishes = stage.read("kanon.toml");
    stage.write("kanon.toml", wishes.replace("port =", "prot ="));
    stage.kanon(["seal"]).ends_with(1).says("the fact `port`").says("did you mean `prot`?");
    stage.write("kanon.toml", wishes);
    let before = stage.fingerprint("fen");
    let said =
        stage.kanon(["check", "fen"]).ends_with(1).says("the port: 4100; found 4000").says("the passage: low.moor");
    let said = said.says("licence-not-accepted").says("read LICENCE.md").says("--accept-licence \"the licence\"");
    said.says("memory-low").says("at least 1324MiB; found 1024MiB").says("0.0.0.0:4100");
    aligned(&stage, "fen", &["--accept-licence", "the license"]).ends_with(2).says("did you mean `the licence`?");
    aligned(&stage, "fen", &[]).ends_with(1).says("licence-not-accepted");
    assert_eq!(stage.read("fen/licence.txt"), "accepted=false\n");
    assert_eq!(stage.read("fen/fen.properties"), "# ours\r\nport : 4100\r\nmotd=hello \\\r\n  there\r\n");
    assert_eq!(stage.read("fen/convoy.cfg"), "outside = 1; // careful\n");
    assert_eq!(stage.read("fen/radio/owl.yaml"), "net:\n  address: '0.0.0.0:4100'   # everybody\n");
    assert!(stage.read("fen/fen.xml").contains("<chart>low.moor</chart>"));
    assert_eq!(stage.read("fen/start.sh"), "#!/bin/sh\n./fen -Room1324M -port 4000\n");
    aligned(&stage, "fen", &["--accept-licence", "the licence"]).ends_with(0).says("is in line");
    assert_eq!(stage.read("fen/licence.txt"), "accepted=true\n");
    for _ in 0..2 {
        stage.kanon(["undo", "fen"]).ends_with(0);
    }
    assert_eq!(stage.fingerprint("fen"), before);
}

#[test]
fn what_can_not_be_known_or_set_is_told_and_nothing_is_guessed() {
    let stage = with_settings();
    let wishes = stage.read("kanon.toml");
    stage.write(
        "kanon.toml",
        wishes.clone()
            + "\n[[setting]]\nname = \"snow\"\nfile = \"snow.toml\"\nat = \"$.depth\"\nis = \"7\"\nof = \"server\"\n",
    );
    stage.kanon(["seal"]).ends_with(0);
    stage.write("fen/passages/high.moor/init", "x");
    stage.write("fen/fen.properties", "motd = x\n");
    let said = stage.kanon(["check", "fen"]).ends_with(1).says("stands for several: high.moor, low.moor");
    said.says("snow: 7; found the file is not there").says("start the game once");
    stage.write("fen/snow.toml", "# deep\n");
    stage.write("fen/fen.xml", "<fen>\n  <passage>\n</fen>");
    aligned(&stage, "fen", &["--accept-licence", "the licence"]).ends_with(1).says("line 3, column 1");
    assert_eq!(stage.read("fen/snow.toml"), "# deep\ndepth = 7\n");
    assert_eq!(stage.read("fen/fen.properties"), "motd = x\nport = 4100\n", "put like its neighbours");
    assert_eq!(stage.read("fen/fen.xml"), "<fen>\n  <passage>\n</fen>");
    stage.write("kanon.toml", format!("memory = \"lots\"\n{wishes}"));
    stage.kanon(["seal"]).ends_with(2);
}

/// A list that can't say what is meant where it stands keeps nothing else from being changed, and nobody is told to align again
/// for it.
#[test]
fn what_can_not_be_changed_is_left_alone_and_only_that() {
    let rules = "[[list]]\nname = \"start line\"\nof = \"server\"\nfile = \"start.sh\"\noption = \"-loads=\"\nbetween = \",\"\nentry = \"loads/{name}\"\n\
        [[setting]]\nname = \"port\"\nfile = \"fen.ini\"\nnotation = \"ini\"\nat = \"$.Net.port\"\nis = \"4100\"\n\
        [[setting]]\nname = \"door\"\nfile = \"start.sh\"\nnotation = \"key-value\"\nat = \"$.DOOR\"\nis = \"open\"\n";
    let start: &[u8] = b"#!/bin/sh\nDOOR=shut # for now\nARGS=\"-loads=loads/reed.load -x\"\n./fen $ARGS\n";
    let ini: &[u8] = b"[Net] ; the net\nport = 1 ; was 2\n";
    let stage = stage(rules, &[]);
    std::fs::rename(stage.path("fen/loads/fog.load"), stage.path("fen/loads/thick fog.load")).unwrap();
    std::fs::rename(stage.path("mara-fen/loads/fog.load"), stage.path("mara-fen/loads/thick fog.load")).unwrap();
    stage.kanon(["seal"]).ends_with(0);
    stage.write("fen/start.sh", start);
    stage.write("fen/fen.ini", ini);
    let told = "`loads/thick fog.load` has a blank in it, and blanks part what a variable holds";
    let said = stage.kanon(["check", "fen"]).ends_with(1);
    let flat = said.out.split_whitespace().collect::<Vec<_>>().join(" ");
    assert!(flat.contains(&format!("change it by hand; kanon leaves it as it is: line 3: {told}")), "{flat}");
    let said = aligned(&stage, "fen", &[]).ends_with(1);
    assert!(said.err.contains("note: start.sh: `start line` is left as it is: line 3"), "{}", said.err);
    assert_eq!(stage.read("fen/fen.ini"), "[Net] ; the net\nport = 4100 ; was 2\n");
    assert_eq!(stage.read("fen/start.sh"), String::from_utf8_lossy(start).replace("shut", "open"));
    let again = stage.kanon(["check", "fen"]).ends_with(1);
    assert!(!again.out.contains("kanon align"), "{}", again.out);
    // In the command itself there is a place for it.
    stage.write("fen/start.sh", "#!/bin/sh\nDOOR=open # for now\n./fen -loads=loads/reed.load -x; sleep 5\n");
    aligned(&stage, "fen", &[]).ends_with(0).says("is in line");
    let now = stage.read("fen/start.sh");
    assert!(now.ends_with(" -x; sleep 5\n") && now.contains("\"loads/reed.load,"), "{now}");
}

/// Where a list can't be changed, the number of its entries stays with it.
#[test]
fn a_count_is_changed_with_its_list_alone() {
    let rule = "[[list]]\nname = \"run\"\nfile = \"fen.ini\"\neach = \"$.Run\"\nform = \"numbered\"\nkey = \"Load{n}\"\n\
        count = \"$.Run.Loads\"\nof = \"server\"\n";
    let odd = "[Run]\nLoads=4\nLoad1=owl\nLoad0=fog\nLoad2=reed\nLoad3=gone\n";
    let stage = stage(rule, &[("fen/fen.ini", odd.as_bytes())]);
    let told = stage.kanon(["check", "fen"]);
    assert!(told.out.contains("run (count): 3; found 4"), "{}", told.out);
    aligned(&stage, "fen", &[]);
    assert_eq!(stage.read("fen/fen.ini"), odd);
}
