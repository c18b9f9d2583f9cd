use super::*;
use crate::canon::Canon;
use crate::config::Extras;
use crate::manifest::ModManifest;
use crate::rulebook::{self, Rulebook};
use crate::survey::{AddedEntry, Additions, InstallFacts, SurveyedFile, SurveyedMod};
use rstest::rstest;

fn path(text: &str) -> InstallPath {
    InstallPath::new(text).expect("a path")
}

fn rules() -> Rulebook {
    let text = "format = \"kanon-rulebook/1\"\ngame = \"g\"\n[[shelf]]\nname = \"holds\"\nholds = \"folders\"\nin = \"holds\"\n[shelf.mod]\nid = \"$.id\"\n\
        [[shelf.extra]]\nfrom = \"profile\"\nin = { server = \"profiles\" }\n[[shelf.extra]]\nfrom = \"start.cfg\"\nin = { server = \"cfg\" }\nedits = \"stay\"\n\
        [[fragment]]\nfrom = \"goods.xml\"\ninto = \"goods.xml\"\nbefore = \"</goods>\"\nidentity = \"name\"\n";
    rulebook::parse("rulebook", text).expect("a rulebook").value
}

/// A mod that brings an entry with this text, and a file for another place.
fn mod_of(id: &str, key: &str, text: &str) -> SurveyedMod {
    let file = |inner: &str| SurveyedFile::new(path(&format!("holds/{id}/{inner}")), 1, Blake3::of(inner.as_bytes()));
    let entry = MergedEntry { into: path("goods.xml"), key: key.to_owned(), blake3: Blake3::of(text.as_bytes()) };
    SurveyedMod {
        manifest: ModManifest { id: id.into(), entries: vec![entry], ..ModManifest::default() },
        shelf: "holds".into(),
        place: path("holds"),
        enabled: true,
        path: path(&format!("holds/{id}")),
        name: id.to_owned(),
        digest: Blake3::of(format!("{id}{text}").as_bytes()),
        files: vec![file("profile/tune"), file("start.cfg")],
        members: Vec::new(),
        members_total: 0,
        signatures: Vec::new(),
    }
}

fn survey(mods: Vec<SurveyedMod>, entries: &[(&str, &str)]) -> Survey {
    let install = InstallFacts::bare("hall", Role::Server);
    let entry = |(key, text): &(&str, &str)| DataEntry { key: (*key).to_owned(), blake3: Blake3::of(text.as_bytes()) };
    let data = SurveyedData { file: path("goods.xml"), entries: entries.iter().map(entry).collect(), problem: None };
    Survey { mods, data: vec![data], ..Survey::empty(install) }
}

fn put(key: &str, text: &str, of_mod: &str) -> Additions {
    let (file, blake3) = (path("goods.xml"), Blake3::of(text.as_bytes()));
    let entry = AddedEntry { file, key: key.to_owned(), blake3, of_mod: of_mod.into() };
    Additions { entries: vec![entry], files: Vec::new() }
}

/// The canon has `bells` with the entry `good bell`, which says `new`.
#[rstest]
#[case::right("old", &[("good bell", "new")], None, &[])]
#[case::missing("old", &[("good rope", "2")], None, &["fragment-missing"])]
#[case::of_the_release_here("old", &[("good bell", "old")], None, &["fragment-differs other release"])]
#[case::as_it_was_put("other", &[("good bell", "older")], Some(("good bell", "older", "bells")), &["fragment-differs other release"])]
#[case::edited("old", &[("good bell", "mine")], Some(("good bell", "old", "bells")), &["fragment-differs edited"])]
#[case::twice("old", &[("good bell", "new"), ("good bell", "new")], None, &["fragment-differs 2 times"])]
#[case::twice_and_edited("old", &[("good bell", "new"), ("good bell", "mine")], None, &["fragment-differs edited"])]
#[case::left_over("old", &[("good bell", "new"), ("good net", "n")], Some(("good net", "n", "fish")), &["fragment-left-over"])]
#[case::left_over_but_edited("old", &[("good bell", "new"), ("good net", "mine")], Some(("good net", "n", "fish")), &[])]
#[case::the_games_own("old", &[("good bell", "new"), ("good rope", "2")], None, &[])]
fn entries_are_held_against_the_canon(
    #[case] installed: &str,
    #[case] entries: &[(&str, &str)],
    #[case] brought: Option<(&str, &str, &str)>,
    #[case] expected: &[&str],
) {
    let canon = Canon::from_survey(&survey(vec![mod_of("bells", "good bell", "new")], &[]));
    let mut here = survey(vec![mod_of("bells", "good bell", installed)], entries);
    here.brought = brought.map(|(key, text, id)| put(key, text, id));
    let rulebook = rules();
    let measure =
        CheckContext { canon: &canon, rulebook: &rulebook, extras: Extras::Keep, edits: Edits::Ask, left: &[] };
    let told = |finding: &Finding| {
        let found = finding.found.as_ref().map(ToString::to_string).unwrap_or_default();
        let short = ["other release", "edited", "2 times"]
            .into_iter()
            .find(|words| found.contains(words) || (*words == "other release" && found.contains("another release")));
        format!("{} {}", finding.code, short.unwrap_or_default()).trim().to_owned()
    };
    let told: Vec<String> =
        findings(measure, &here, &data_files(measure, &here), &outside(measure, &here)).iter().map(told).collect();
    assert_eq!(told, expected);
}

#[test]
fn entries_of_an_extra_mod_go_with_it_and_those_of_one_that_stays_stay() {
    let rulebook = rules();
    let canon = Canon::from_survey(&survey(Vec::new(), &[]));
    let measure =
        CheckContext { canon: &canon, rulebook: &rulebook, extras: Extras::Keep, edits: Edits::Ask, left: &[] };
    let mut extra = mod_of("bells", "good bell", "new");
    let gone = |extra: &SurveyedMod| {
        let here = survey(vec![extra.clone()], &[("good bell", "new")]);
        entry_states(measure, &here, &here.data[0]).gone
    };
    assert_eq!(gone(&extra), [("good bell".into(), "bells".into())]);
    extra.manifest.needed_on = NeededOn::Server;
    assert!(gone(&extra).is_empty());
}

#[test]
fn files_go_to_their_places_and_those_that_people_go_on_with_stay() {
    let (rulebook, canon) = (rules(), Canon::from_survey(&survey(vec![mod_of("bells", "good bell", "new")], &[])));
    let measure =
        CheckContext { canon: &canon, rulebook: &rulebook, extras: Extras::Keep, edits: Edits::Ask, left: &[] };
    let placed: Vec<String> =
        placed_files(measure, Role::Server).iter().map(|placed| placed.path.to_string()).collect();
    assert_eq!(placed, ["cfg/start.cfg", "profiles/tune"]);
    assert!(placed_files(measure, Role::Client).is_empty());
    let mut here = survey(Vec::new(), &[("good bell", "new")]);
    let at = |path: &str, bytes: Option<&str>| PlacedFile {
        path: InstallPath::new(path).expect("a path"),
        blake3: bytes.map(|bytes| Blake3::of(bytes.as_bytes())),
    };
    here.placed =
        vec![at("cfg/start.cfg", Some("mine")), at("profiles/tune", Some("mine")), at("profiles/old", Some("old"))];
    let file = |path: &str, bytes: &str| AddedFile {
        path: InstallPath::new(path).expect("a path"),
        blake3: Blake3::of(bytes.as_bytes()),
        of_mod: "fish".into(),
    };
    here.brought =
        Some(Additions { files: vec![file("profiles/old", "old"), file("profiles/gone", "g")], entries: Vec::new() });
    let codes: Vec<String> = findings(measure, &here, &data_files(measure, &here), &outside(measure, &here))
        .iter()
        .map(|f| format!("{} {}", f.code, f.path.clone().unwrap_or_default()))
        .collect();
    assert_eq!(codes, ["fragment-differs profiles/tune", "fragment-left-over profiles/old"]);
}

#[test]
fn of_two_mods_with_one_entry_the_later_counts_and_both_are_told() {
    let canon =
        Canon::from_survey(&survey(vec![mod_of("bells", "good bell", "a"), mod_of("gongs", "good bell", "b")], &[]));
    let rulebook = rules();
    let measure =
        CheckContext { canon: &canon, rulebook: &rulebook, extras: Extras::Keep, edits: Edits::Ask, left: &[] };
    let entries = entries_of(measure, Role::Server, &path("goods.xml"));
    assert_eq!((entries.len(), entries[0].0.manifest.id.as_str()), (1, "gongs"));
    let told = same_entries(canon.mods.iter());
    assert_eq!(
        (told.len(), told[0].code, told[0].found.as_ref().map(ToString::to_string).as_deref()),
        (1, Code::Conflict, Some("bells and gongs"))
    );
}
