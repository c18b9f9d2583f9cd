use super::*;
use crate::manifest::Member;
use crate::rulebook::parse;
use rstest::rstest;

struct Held(Vec<(&'static str, String)>);

impl Contents for Held {
    fn members(&self) -> &[Member] {
        &[]
    }

    fn read_up_to(&mut self, member: &str, _: u64) -> Result<Option<Vec<u8>>, ContentsError> {
        Ok(self.0.iter().find(|(name, _)| *name == member).map(|(_, text)| text.clone().into_bytes()))
    }
}

fn read(rule: &str, name: &str, members: &[(&'static str, &str)]) -> Result<ModManifest, ReadingError> {
    let text = format!(
        "format = 'kanon-rulebook/1'\ngame = 'Polarspur'\n[base]\nids = ['polarspur']\n[loader]\nname = 'Trellis'\nids = ['trellis']\n\
         [[shelf]]\nname = 'mods'\nholds = 'archives'\nin = {{ server = 'mods' }}\n[shelf.mod]\n{rule}"
    );
    let rulebook = parse("test", &text).expect("a rulebook").value;
    let mut held = Held(members.iter().map(|(name, text)| (*name, (*text).to_owned())).collect());
    let named = Named { name, digest: Blake3::of(b"x"), told: None };
    read_mod(&rulebook, &rulebook.shelves[0], named, &mut held)
}

const RULE: &str = r#"
document = [{ member = "about.json" }, { member = "about.toml" }]
id = "$.id"
version = [{ at = "$.version", except = '^\$\{' }, { member = "build.txt", text = 'Build: (?<version>\S+)' }, { file-name = '-(?<version>[0-9.]+)\.psm$' }]
title = "$.title"
needed_on = { at = "$.runs", means = { everywhere = "both", station = "server", visitor = "client" } }
made-for = "$.loader"
shapes-world = "$.shapes"
required = [{ each = "$.needs", form = "id-to-range" }]
optional = { each = "$.likes[*]", id = "$.id", range = "$.range" }
conflicting = { each = "$.hates[*]" }
provides = "$.also[*]"
[[shelf.mod.foreign]]
loader = "Gantry"
member = "gantry.json"
id = "$.name"
"#;

#[test]
fn every_fact_of_a_json_mod() {
    let about = r#"{"id": " tide ", "version": "1.2", "title": "Tide", "runs": "station", "shapes": true,
        "needs": {"core": ">=1", "polarspur": "~1.4", "trellis": ["0.8", "0.9"]},
        "likes": [{"id": "map", "range": "*"}, {"no": "id"}], "hates": ["fog"], "also": ["tide-api", 7], "loader": "TRELLIS"}"#;
    let manifest = read(RULE, "tide.psm", &[("about.json", about)]).expect("read");
    assert_eq!(
        (manifest.id.as_str(), manifest.version.as_deref(), manifest.title.as_deref()),
        ("tide", Some("1.2"), Some("Tide"))
    );
    assert_eq!((manifest.needed_on, manifest.shapes_world, manifest.made_for), (NeededOn::Server, true, None));
    assert_eq!((manifest.game_range.as_deref(), manifest.loader_range.as_deref()), (Some("~1.4"), Some("0.8 || 0.9")));
    assert_eq!(manifest.provides, ["7", "tide-api"]);
    let relations: Vec<_> = manifest.relations.iter().map(|r| (r.kind, r.id.as_str(), r.range.as_deref())).collect();
    assert_eq!(
        relations,
        [
            (RelationKind::Required, "core", Some(">=1")),
            (RelationKind::Optional, "map", Some("*")),
            (RelationKind::Conflicting, "fog", None)
        ]
    );
}

#[rstest]
#[case(&[("about.json", r#"{"id": "tide", "version": "${v}"}"#), ("build.txt", "x\nBuild: 3.1\n")], Some("3.1"))]
#[case(&[("about.json", r#"{"id": "tide", "version": "${v}"}"#)], Some("2.0"))]
#[case(&[("about.toml", "id = 'tide'\nversion = 4\n")], Some("4"))]
fn a_version_falls_back(#[case] members: &[(&'static str, &str)], #[case] version: Option<&str>) {
    assert_eq!(read(RULE, "tide-2.0.psm", members).expect("read").version.as_deref(), version);
}

#[test]
fn an_unknown_side_is_told_and_a_missing_one_is_not() {
    let odd = read(RULE, "x.psm", &[("about.json", r#"{"id": "tide", "runs": "moon"}"#)]).expect("read");
    assert_eq!((odd.needed_on, odd.doubts.len()), (NeededOn::Both, 1));
    let plain = read(RULE, "x.psm", &[("about.json", r#"{"id": "tide"}"#)]).expect("read");
    assert_eq!((plain.needed_on, plain.doubts.len()), (NeededOn::Both, 0));
}

#[test]
fn another_loaders_mod_is_known_by_its_sign_or_its_word() {
    let sign = read(RULE, "old-lamp-2.psm", &[("gantry.json", r#"{"name": "lamp"}"#)]).expect("read");
    assert_eq!((sign.id.as_str(), sign.made_for.as_deref()), ("lamp", Some("Gantry")));
    let unnamed = read(RULE, "old-lamp-2.psm", &[("gantry.json", "{}")]).expect("read");
    assert_eq!(unnamed.id, "old-lamp-2");
    let word = read(RULE, "x.psm", &[("about.json", r#"{"id": "lamp", "loader": "Gantry"}"#)]).expect("read");
    assert_eq!(word.made_for.as_deref(), Some("Gantry"));
}

#[rstest]
#[case(&[], "none of: about.json, about.toml")]
#[case(&[("about.json", "{")], "`about.json` in it can't be used: it is not valid JSON")]
#[case(&[("about.json", "{\"title\": \"x\"}")], "no id where the rulebook looks for one ($")]
fn what_can_not_be_known_is_told(#[case] members: &[(&'static str, &str)], #[case] expected: &str) {
    let error = read(RULE, "x.psm", members).expect_err("unknown").to_string();
    assert!(error.contains(expected), "{error}");
}

#[test]
fn a_mod_without_documents_is_known_by_name_or_digest() {
    let by_name = read(
        "id = { file-name = '^(?<id>\\w+)_' }\nversion = { file-name = '_(?<version>[0-9.]+)\\.' }",
        "rail_1.4.zip",
        &[],
    );
    let by_name = by_name.expect("read");
    assert_eq!((by_name.id.as_str(), by_name.version.as_deref()), ("rail", Some("1.4")));
    assert_eq!(read("id = { digest = true }", "x", &[]).expect("read").id, Blake3::of(b"x").to_string());
}

#[rstest]
#[case("required = { each = '$.needs', between = ',', text = '^(?<id>[\\w-]+)$' }", r#""core, fog ,,rain""#, &["required core -", "required fog -", "required rain -"])]
#[case("relations = { each = '$.needs[*]', text = '^(?<sign>[!?~]|\\(\\?\\))?\\s*(?<id>[\\w-]+)\\s*(?<range>[<>=].*)?$', signs = { '!' = 'conflicting', '?' = 'optional', '(?)' = 'optional', '~' = 'required' } }",
    r#"["core >= 1.2", "? fog", "(?) mist = 1", "! rain", "~ tide <2", "not one"]"#,
    &["required core >= 1.2", "required tide <2", "optional fog -", "optional mist = 1", "conflicting rain -"])]
#[case("relations = { each = '$.needs[*]', id = '$.id', range = '$.v', kind = '$.type', kinds = { bars = 'conflicting', likes = 'optional', holds = 'none' } }",
    r#"[{"id": "core", "v": ">=1"}, {"id": "fog", "type": "bars"}, {"id": "map", "type": "likes"}, {"id": "inner", "type": "holds"}, {"id": "odd", "type": "wants"}]"#,
    &["required core >=1", "required odd -", "optional map -", "conflicting fog -"])]
fn lists_with_a_grammar_of_their_own(#[case] rule: &str, #[case] needs: &str, #[case] expected: &[&str]) {
    let rule = format!("document = {{ member = 'about.json' }}\nid = '$.id'\n{rule}\n");
    let about = format!(r#"{{"id": "x", "needs": {needs}}}"#);
    let manifest = read(&rule, "x.psm", &[("about.json", &about)]).expect("read");
    let word = |kind: RelationKind| serde_json::to_value(kind).expect("json").as_str().expect("a word").to_owned();
    let found: Vec<String> = manifest
        .relations
        .iter()
        .map(|r| format!("{} {} {}", word(r.kind), r.id, r.range.as_deref().unwrap_or("-")))
        .collect();
    assert_eq!(found, expected);
}

fn archive(members: &[(&str, &[u8])]) -> Vec<u8> {
    let mut writer = zip::write::ZipWriter::new(Cursor::new(Vec::new()));
    for (name, bytes) in members {
        writer.start_file(*name, zip::write::SimpleFileOptions::default()).expect("a member");
        std::io::Write::write_all(&mut writer, bytes).expect("bytes");
    }
    writer.finish().expect("an archive").into_inner()
}

#[test]
fn archives_inside_an_archive_give_further_ids_to_a_bounded_depth() {
    let deepest = archive(&[("about.json", br#"{"id": "deepest"}"#)]);
    let deep = archive(&[("about.json", br#"{"id": "deep"}"#), ("inner/deepest.psm", &deepest)]);
    let inner = archive(&[("about.json", br#"{"id": "inner", "also": ["inner-api"]}"#), ("inner/deep.psm", &deep)]);
    let outer = archive(&[
        ("about.json", br#"{"id": "outer"}"#),
        ("inner/inner.psm", &inner),
        ("inner/broken.psm", b"x"),
        ("inner/none.psm", &archive(&[("readme", b"x")])),
        ("elsewhere/deep.psm", &deep),
    ]);
    let rule = "document = { member = 'about.json' }\nid = '$.id'\nprovides = '$.also[*]'\nnested = { match = 'inner/*.psm', depth = 2 }\n";
    let text = format!(
        "format = 'kanon-rulebook/1'\ngame = 'P'\n[[shelf]]\nname = 'mods'\nholds = 'archives'\nin = {{ server = 'mods' }}\n[shelf.mod]\n{rule}"
    );
    let rulebook = parse("test", &text).expect("a rulebook").value;
    let mut contents = Archive::open(Cursor::new(outer.clone()), outer.len() as u64).expect("an archive");
    let named = Named { name: "outer.psm", digest: Blake3::of(b"x"), told: None };
    let manifest = read_mod(&rulebook, &rulebook.shelves[0], named, &mut contents).expect("read");
    assert_eq!(manifest.provides, ["deep", "inner", "inner-api"]);
    assert_eq!(manifest.doubts.len(), 1, "{:?}", manifest.doubts);
    assert!(manifest.doubts[0].contains("inner/broken.psm"));
}

#[test]
fn a_bridging_mod_lets_another_loaders_mods_run() {
    let bridged = format!("{RULE}[[bridge]]\nloader = 'gantry'\nmods = ['deck', 'span']\n");
    let needs = |manifest: &ModManifest| manifest.relations.iter().map(|r| r.id.clone()).collect::<Vec<_>>();
    let foreign = [("gantry.json", r#"{"name": "crane"}"#)];
    assert_eq!(read(RULE, "crane.psm", &foreign).expect("read").made_for.as_deref(), Some("Gantry"));
    let crane = read(&bridged, "crane.psm", &foreign).expect("read");
    assert_eq!((crane.made_for.as_deref(), needs(&crane)), (None, vec!["deck".into()]));
    let own = read(&bridged, "x.psm", &[("about.json", r#"{"id": "x", "loader": "Gantry"}"#)]).expect("read");
    assert_eq!((own.made_for.as_deref(), needs(&own)), (None, vec!["deck".into()]));
    let provides = |id: &str| {
        let about = format!(r#"{{"id": "{id}"}}"#);
        read(&bridged, "b.psm", &[("about.json", &about)]).expect("read").provides
    };
    assert_eq!((provides("Span"), provides("deck")), (vec!["deck".into()], vec![]));
}

const LINES: &str = r#"
id = { file-name = '^(?<id>.+)\.psm$' }
required = { member = "main.ink", lines = '(?m)^// Requires: (?<entries>.+)$', between = ",", text = '^(?<id>[\w-]+)\s*(?<range>[<>=].*)?$' }
conflicting = { member = "main.ink", lines = '(?m)^// Bars (?<entries>.+)$' }
"#;

#[rstest]
#[case::several("// Requires: core, fog >= 1.2\ngo()", &[(RelationKind::Required, "core", None), (RelationKind::Required, "fog", Some(">= 1.2"))])]
#[case::every_line_counts("// Requires: core\n// Requires: fog\n// Bars rain", &[
    (RelationKind::Required, "core", None), (RelationKind::Required, "fog", None), (RelationKind::Conflicting, "rain", None)])]
#[case::nobody("// Requires: none\n// Bars -", &[])]
#[case::no_line("go()", &[])]
#[case::what_does_not_fit("// Requires: core, ???", &[(RelationKind::Required, "core", None)])]
fn relations_stand_in_lines_of_a_text(#[case] text: &str, #[case] told: &[(RelationKind, &str, Option<&str>)]) {
    let manifest = read(LINES, "tide.psm", &[("main.ink", text)]).expect("read");
    let relations: Vec<_> = manifest.relations.iter().map(|r| (r.kind, r.id.as_str(), r.range.as_deref())).collect();
    assert_eq!(relations, told);
}

#[test]
fn a_mod_without_the_text_has_no_relations() {
    assert_eq!(read(LINES, "tide.psm", &[]).expect("read").relations, []);
}

#[rstest]
#[case::an_object(r#"{"core": {"range": ">=1"}}"#, &[("core", Some(">=1"))])]
#[case::the_range_alone(r#"{"core": ">=1", "fog": {"range": "*"}}"#, &[("core", Some(">=1")), ("fog", Some("*"))])]
#[case::an_object_without_one(r#"{"core": {"why": "x"}, "fog": {}}"#, &[("core", None), ("fog", None)])]
#[case::a_choice(r#"{"core": {"range": ["1", "2"]}}"#, &[("core", Some("1 || 2"))])]
fn ranges_stand_inside_of_what_ids_lead_to(#[case] needs: &str, #[case] told: &[(&str, Option<&str>)]) {
    let rule = "document = { member = 'about.json' }\nid = '$.id'\nrequired = { each = '$.needs', form = 'id-to-range', range = '$.range' }";
    let about = format!("{{\"id\": \"tide\", \"needs\": {needs}}}");
    let manifest = read(rule, "tide.psm", &[("about.json", &about)]).expect("read");
    let relations: Vec<_> = manifest.relations.iter().map(|r| (r.id.as_str(), r.range.as_deref())).collect();
    assert_eq!(relations, told);
}
