use super::*;
use crate::base::digest::Blake3;
use crate::base::path::InstallPath;
use crate::canon::Canon;
use crate::config::{Edits, Extras};
use crate::manifest::ModManifest;
use crate::rulebook;
use crate::survey::{InstallFacts, SurveyedList};
use rstest::rstest;

fn path(text: &str) -> InstallPath {
    InstallPath::new(text).expect("a path")
}

fn found(id: &str, needed_on: NeededOn) -> SurveyedMod {
    SurveyedMod {
        manifest: ModManifest { id: id.into(), version: Some("1.0".to_owned()), needed_on, ..ModManifest::default() },
        shelf: "mods".into(),
        place: path("mods"),
        enabled: true,
        path: path(&format!("mods/{id}.m")),
        name: format!("{id}.m"),
        digest: Blake3::of(id.as_bytes()),
        files: vec![crate::survey::SurveyedFile::new(path(&format!("mods/{id}.m")), 1, Blake3::of(id.as_bytes()))],
        members: Vec::new(),
        members_total: 0,
        signatures: Vec::new(),
    }
}

fn rules(list: &str) -> Rulebook {
    let text = format!(
        "format = \"kanon-rulebook/1\"\ngame = \"g\"\n[base]\nids = [\"base\"]\n[[shelf]]\nname = \"mods\"\nholds = \"files\"\nin = \"mods\"\nnames = \"exact\"\n\
        [shelf.mod]\nid = \"$.id\"\n[[shelf]]\nname = \"maps\"\nholds = \"files\"\nin = \"maps\"\n[shelf.mod]\nid = \"$.id\"\n[[list]]\nname = \"l\"\n{list}\n"
    );
    rulebook::parse("rulebook", &text).expect("a rulebook").value
}

/// An entry: `-` before it when it is off, `@` before a version.
fn entry(text: &str) -> ListEntry {
    let (on, text) = text.strip_prefix('-').map_or((true, text), |text| (false, text));
    let (id, version) = text.split_once('@').map_or((text, None), |(id, version)| (id, Some(version.to_owned())));
    let stands_for = if id == "base" { StandsFor::Game } else { StandsFor::Mod };
    ListEntry { id: id.into(), version, digest: None, on, stands_for, text: text.to_owned() }
}

/// A canon of `b`, `a`, `own` (the server's) and `opt` (optional), in this order; a map that nobody minds.
fn canon() -> Canon {
    let sides = [("b", NeededOn::Both), ("a", NeededOn::Both), ("own", NeededOn::Server), ("opt", NeededOn::Optional)];
    let mods: Vec<SurveyedMod> = sides.iter().map(|(id, side)| found(id, *side)).collect();
    let mut survey = Survey::empty(facts(Role::Server));
    survey.mods = mods;
    let mut canon = Canon::from_survey(&survey);
    canon.mods.sort_by_key(|sealed| sides.iter().position(|(id, _)| sealed.manifest.id == *id));
    canon.mods.iter_mut().enumerate().for_each(|(at, sealed)| sealed.position = at + 1);
    canon
}

fn facts(role: Role) -> InstallFacts {
    InstallFacts::bare("x", role)
}

fn codes(rulebook: &Rulebook, survey: &Survey) -> Vec<String> {
    let canon = canon();
    let measure = CheckContext { canon: &canon, rulebook, extras: Extras::Keep, edits: Edits::Ask, left: &[] };
    let told = |finding: &Finding| format!("{} {}", finding.code, finding.mod_id.clone().unwrap_or_default());
    findings(measure, survey, &compute(measure, survey)).iter().map(|finding| told(finding).trim().to_owned()).collect()
}

/// A digest of a list is held against one of its kind alone: where SHA-256 is not known, nothing is off, and nothing is written.
#[rstest]
#[case::not_known(None, &[])]
#[case::the_same(Some(b"b".as_slice()), &[])]
#[case::another(Some(b"other".as_slice()), &["list-version b"])]
fn a_digest_is_held_against_its_own_kind(#[case] sealed: Option<&[u8]>, #[case] expected: &[&str]) {
    use crate::base::digest::Sha256;
    let rulebook = rules("file = \"l.json\"\neach = \"$[*]\"\nid = \"$.id\"\ndigest = \"$.sum\"");
    let mut canon = canon();
    for file in canon.mods.iter_mut().filter(|sealed| sealed.manifest.id == *"b").flat_map(|sealed| &mut sealed.files) {
        file.sha256 = sealed.map(Sha256::of);
    }
    let mut survey = listing(Role::Client, &["b", "a", "opt"]);
    survey.lists[0].entries[0].digest = Some(Sha256::of(b"b").to_string());
    let measure =
        CheckContext { canon: &canon, rulebook: &rulebook, extras: Extras::Keep, edits: Edits::Ask, left: &[] };
    let told = |finding: &Finding| format!("{} {}", finding.code, finding.mod_id.clone().unwrap_or_default());
    let found: Vec<String> = findings(measure, &survey, &compute(measure, &survey)).iter().map(told).collect();
    let of_b: Vec<&String> = found.iter().filter(|told| told.contains(" b")).collect();
    assert_eq!(of_b, expected, "{found:?}");
}

fn listing(role: Role, entries: &[&str]) -> Survey {
    let mut survey = Survey::empty(facts(role));
    survey.mods = ["a", "b"].map(|id| found(id, NeededOn::Both)).to_vec();
    survey.mods.push(found("map", NeededOn::Client));
    survey.lists.push(SurveyedList {
        name: "l".to_owned(),
        file: path("l.txt"),
        ordered: true,
        entries: entries.iter().map(|text| entry(text)).collect(),
        near: None,
        problem: None,
    });
    survey
}

const LINES: &str = "file = \"l.txt\"\nnotation = \"lines\"\nordered = true";

#[rstest]
#[case::right(Role::Client, LINES, &["b", "a"], &[])]
#[case::of_any_case(Role::Client, LINES, &["B", "a"], &[])]
#[case::with_the_game(Role::Client, LINES, &["base", "b", "a"], &[])]
#[case::own_map(Role::Client, LINES, &["b", "map", "a"], &[])]
#[case::order(Role::Client, LINES, &["a", "b"], &["list-order"])]
#[case::no_order(Role::Client, "file = \"l.txt\"\nnotation = \"lines\"", &["a", "b"], &[])]
#[case::twice(Role::Client, LINES, &["b", "a", "b"], &["list-entry-extra b"])]
#[case::off_and_elsewhere(Role::Client, LINES, &["-b", "a", "-gone"], &["list-entry-off b"])]
#[case::of_the_server(Role::Client, LINES, &["b", "a", "own"], &["list-entry-extra own"])]
#[case::optional_but_not_there(Role::Client, LINES, &["b", "a", "opt"], &["list-entry-extra opt"])]
#[case::versions(Role::Client, LINES, &["b@1.0", "a@0.9"], &["list-version a"])]
#[case::server(Role::Server, LINES, &["b", "a"], &["list-entry-missing own"])]
#[case::for_everybody(Role::Server, "file = \"l.txt\"\nnotation = \"lines\"\nneeded_on = [\"both\"]", &["b", "a"], &[])]
#[case::servers_own(Role::Server, "file = \"l.txt\"\nnotation = \"lines\"\nneeded_on = [\"server\"]", &["own"], &[])]
#[case::of_another_shelf(Role::Client, "file = \"l.txt\"\nnotation = \"lines\"\nshelves = [\"maps\"]", &[], &[])]
#[case::launch_line(Role::Client, "file = \"l.txt\"\noption = \"-m=\"\nbetween = \";\"\nordered = true", &["b", "aa"], &["launch-line-differs"])]
#[case::launch_order(Role::Client, "file = \"l.txt\"\noption = \"-m=\"\nbetween = \";\"\nordered = true", &["a", "b"], &["list-order"])]
fn a_list_is_held_against_the_canon(
    #[case] role: Role,
    #[case] list: &str,
    #[case] entries: &[&str],
    #[case] expected: &[&str],
) {
    assert_eq!(codes(&rules(list), &listing(role, entries)), expected);
}

#[test]
fn names_count_to_the_letter_where_the_game_minds_them() {
    let list = "file = \"l.txt\"\nnotation = \"lines\"\nentry = \"mods/{name}\"";
    let mut survey = listing(Role::Client, &["b", "a"]);
    for (entry, text) in survey.lists[0].entries.iter_mut().zip(["mods/B.m", "mods/a.m"]) {
        entry.text = text.to_owned();
    }
    assert_eq!(codes(&rules(list), &survey), ["list-entry-missing b"]);
}

#[test]
fn what_is_no_mods_keeps_its_place_among_the_others() {
    let changes = |entries: &[&str]| {
        let (canon, rulebook) = (canon(), rules(LINES));
        let survey = listing(Role::Client, entries);
        let measure =
            CheckContext { canon: &canon, rulebook: &rulebook, extras: Extras::Keep, edits: Edits::Ask, left: &[] };
        let wanted = target(measure, &survey, &rulebook.lists[0], &survey.lists[0].entries);
        let told = |change: &Change| match change {
            Change::Keep(at) | Change::Set(at, _) => entries[*at].to_owned(),
            Change::New(entry) => format!("+{}", entry.id),
        };
        wanted.changes.iter().map(told).collect::<Vec<_>>().join(" ")
    };
    assert_eq!(changes(&["base", "a", "map", "b", "-end"]), "base b a map -end");
    assert_eq!(changes(&["a", "base"]), "+b a base");
    assert_eq!(changes(&["base"]), "base +b +a");
    assert_eq!(changes(&[]), "+b +a");
}

#[test]
fn lists_are_sealed_for_both_sides_and_lines_are_printed() {
    let rulebook = rules("option = \"-m=\"\nentry = \"#{id}\"\nbetween = \";\"\nordered = true");
    let sealed = sealed_lists(&canon(), &rulebook);
    let told: Vec<(Role, String)> = sealed.iter().map(|list| (list.of, list.entries.join(" "))).collect();
    assert_eq!(told, [(Role::Server, "#b #a #own".to_owned()), (Role::Client, "#b #a".to_owned())]);
    let lines = launch_lines(&canon(), &rulebook, Role::Client);
    assert_eq!((lines.len(), lines[0].3.as_str()), (1, "\"-m=#b;#a\""));
}

#[test]
fn a_list_in_a_world_that_is_not_there_yet_is_missed() {
    let list = "of = \"server\"\nfile = \"worlds/*/list.txt\"\nnotation = \"lines\"";
    let mut survey = listing(Role::Server, &[]);
    survey.lists.clear();
    assert_eq!(codes(&rules(list), &survey), ["list-unreadable"]);
    survey.install.role = Role::Client;
    assert!(codes(&rules(list), &survey).is_empty(), "it is the server's");
}

#[test]
fn a_launch_line_in_no_file_here_is_no_fault_of_this_install() {
    let rulebook = rules("file = \"start.bat\"\noption = \"-m=\"\nentry = \"#{id}\"\nbetween = \";\"");
    let canon = canon();
    let measure =
        CheckContext { canon: &canon, rulebook: &rulebook, extras: Extras::Keep, edits: Edits::Ask, left: &[] };
    let mut survey = listing(Role::Client, &[]);
    survey.lists[0].problem = Some(FileProblem::NotThere);
    let note = findings(measure, &survey, &compute(measure, &survey)).remove(0);
    assert_eq!(
        (note.code, note.severity, note.expected.as_ref().map(ToString::to_string).as_deref()),
        (Code::ListUnreadable, Severity::Note, Some("\"-m=#b;#a\""))
    );
    survey.lists[0].problem = Some(FileProblem::of(&"no line gives the option `-m=`"));
    assert_eq!(findings(measure, &survey, &compute(measure, &survey))[0].severity, Severity::Blocking);
}
