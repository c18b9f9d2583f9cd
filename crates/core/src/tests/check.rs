use super::*;
use crate::base::digest::Blake3;
use crate::base::finding::Change;
use crate::base::path::InstallPath;
use crate::canon::{Canon, SealedMod};
use crate::config::{Edits, Extras};
use crate::manifest::{Member, ModManifest, Relation};
use crate::rulebook::{self, NeededOn, RelationKind, Role, Rulebook};
use crate::survey::*;
use rstest::rstest;

fn rulebook() -> Rulebook {
    let text = include_str!("../../../../demo/polarspur/polarspur.rulebook.toml");
    rulebook::parse("polarspur", text).expect("a rulebook").value
}

fn path(text: &str) -> InstallPath {
    InstallPath::new(text).expect("a path")
}

fn mod_at(id: &str, version: &str, file: &str) -> SurveyedMod {
    let digest = Blake3::of(format!("{id} {version}").as_bytes());
    let file_path = path(&format!("mods/{file}"));
    SurveyedMod {
        manifest: ModManifest { id: id.into(), version: Some(version.to_owned()), ..ModManifest::default() },
        shelf: "mods".into(),
        place: path("mods"),
        enabled: true,
        name: file.to_owned(),
        digest,
        files: vec![SurveyedFile::new(file_path.clone(), 10, digest)],
        path: file_path,
        members: vec![Member { path: "about.json".to_owned(), size: 3, crc32: 1 }],
        members_total: 1,
        signatures: Vec::new(),
    }
}

fn survey(mods: Vec<SurveyedMod>) -> Survey {
    let install = InstallFacts {
        name: "mara".into(),
        role: Role::Client,
        game: "Polarspur".to_owned(),
        game_version: Some("1.4.2".to_owned()),
        loader_version: Some("0.9.1".to_owned()),
        runtime_version: Some("21".to_owned()),
    };
    Survey { mods, ..Survey::empty(install) }
}

fn canon() -> Canon {
    Canon::from_survey(&survey(vec![mod_at("core", "1.0", "core.psm"), mod_at("tide", "2.1", "tide.psm")]))
}

fn held(survey: &Survey) -> Vec<Finding> {
    let (canon, rulebook) = (canon(), rulebook());
    let context =
        CheckContext { canon: &canon, rulebook: &rulebook, extras: Extras::Keep, edits: Edits::Ask, left: &[] };
    Delta::compute(context, survey).findings()
}

fn codes(survey: &Survey) -> Vec<&'static str> {
    held(survey).iter().map(|finding| finding.code.as_str()).collect()
}

fn with(change: impl FnOnce(&mut Survey)) -> Survey {
    let mut survey = survey(vec![mod_at("core", "1.0", "core.psm"), mod_at("tide", "2.1", "tide.psm")]);
    change(&mut survey);
    survey
}

#[test]
fn the_canon_itself_is_in_line() {
    assert_eq!(codes(&with(|_| {})), [""; 0]);
    assert_eq!(codes(&with(|s| s.mods[1].manifest.id = "TIDE".into())), [""; 0]);
    assert_eq!(
        codes(&with(|s| s.mods[1].name = "tide (1).psm".to_owned())),
        [""; 0],
        "archives may be called anything"
    );
}

#[rstest]
#[case(|s: &mut Survey| { s.mods.pop(); }, &["mod-missing"])]
#[case(|s: &mut Survey| s.mods[1].enabled = false, &["mod-disabled"])]
#[case(|s: &mut Survey| s.mods[1] = mod_at("tide", "2.0", "tide.psm"), &["version-older"])]
#[case(|s: &mut Survey| s.mods[1] = mod_at("tide", "2.10", "tide.psm"), &["version-newer"])]
#[case(|s: &mut Survey| s.mods[1] = mod_at("tide", "blue", "tide.psm"), &["version-other"])]
#[case(|s: &mut Survey| s.mods[1].digest = Blake3::of(b"edited"), &["content-differs"])]
#[case(|s: &mut Survey| s.mods.push(mod_at("tide", "2.0", "tide-old.psm")), &["mod-duplicate"])]
#[case(|s: &mut Survey| { s.mods[1] = mod_at("tide", "2.0", "a.psm"); s.mods.push(mod_at("tide", "1.9", "b.psm")); }, &["mod-duplicate", "version-older"])]
#[case(|s: &mut Survey| s.mods.push(mod_at("fog", "1", "fog.psm")), &["mod-extra"])]
#[case(|s: &mut Survey| s.install.loader_version = Some("0.8".to_owned()), &["loader-differs"])]
#[case(|s: &mut Survey| s.install.loader_version = None, &["loader-differs"])]
#[case(|s: &mut Survey| s.install.game_version = Some("1.5".to_owned()), &["game-differs"])]
#[case(|s: &mut Survey| s.install.runtime_version = Some("16".to_owned()), &["runtime-differs"])]
#[case(|s: &mut Survey| s.install.runtime_version = None, &[])]
#[case(|s: &mut Survey| { s.mods[1].manifest.runtime_range = Some(">=22".to_owned()); }, &["runtime-differs"])]
#[case(|s: &mut Survey| s.install.game_version = Some("1.4.2.0".to_owned()), &[])]
#[case(|s: &mut Survey| { let m = s.mods.pop().expect("one"); s.strays.push(m); }, &["wrong-place"])]
#[case(|s: &mut Survey| { s.mods.pop(); s.unreadable.push(broken("mods/tide.psm", false)); }, &["unreadable"])]
#[case(|s: &mut Survey| s.unreadable.push(broken("mods/junk.psm", false)), &["unreadable"])]
#[case(|s: &mut Survey| s.unreadable.push(broken("mods/junk.zip", true)), &["still-packed"])]
#[case(|s: &mut Survey| s.mods.push(mod_at("fog", "1", "TIDE.psm")), &["mod-extra", "wrong-name"])]
fn one_fault_one_code(#[case] change: fn(&mut Survey), #[case] expected: &[&str]) {
    assert_eq!(codes(&with(change)), expected);
}

fn broken(path: &str, still_packed: bool) -> Unreadable {
    Unreadable {
        path: path.to_owned(),
        shelf: Some("mods".into()),
        why: "cut off".to_owned(),
        is_file: true,
        still_packed,
        files: Vec::new(),
    }
}

#[rstest]
#[case(Role::Client, NeededOn::Client, None, Extras::Keep, Severity::Note)]
#[case(Role::Client, NeededOn::Client, None, Extras::Ask, Severity::Risky)]
#[case(Role::Client, NeededOn::Optional, None, Extras::Forbid, Severity::Blocking)]
#[case(Role::Client, NeededOn::Both, None, Extras::Keep, Severity::Blocking)]
#[case(Role::Client, NeededOn::Client, Some("Gantry"), Extras::Keep, Severity::Blocking)]
#[case(Role::Server, NeededOn::Server, None, Extras::Keep, Severity::Risky)]
#[case(Role::Server, NeededOn::Both, None, Extras::Keep, Severity::Blocking)]
fn extras_weigh_by_side_loader_and_policy(
    #[case] role: Role,
    #[case] side: NeededOn,
    #[case] made_for: Option<&str>,
    #[case] policy: Extras,
    #[case] severity: Severity,
) {
    let mut found = mod_at("fog", "1", "fog.psm");
    found.manifest.needed_on = side;
    found.manifest.made_for = made_for.map(str::to_owned);
    assert_eq!(extra_severity(role, &found, policy), severity);
}

#[test]
fn inner_entries_are_named() {
    let edited = with(|s| {
        s.mods[1].digest = Blake3::of(b"edited");
        s.mods[1].members[0].crc32 = 9;
        s.mods[1].members.push(Member { path: "extra.txt".to_owned(), size: 1, crc32: 2 });
        s.mods[1].members_total = 2;
    });
    let entries: Vec<_> = held(&edited)[0].entries.iter().map(|e| (e.path.clone(), e.change)).collect();
    assert_eq!(entries, [("about.json".to_owned(), Change::Changed), ("extra.txt".to_owned(), Change::Added)]);
    let cut = with(|s| {
        s.mods[1].digest = Blake3::of(b"edited");
        s.mods[1].members_total = 5000;
    });
    assert_eq!(held(&cut)[0].entries, []);
}

#[test]
fn sides_are_minded() {
    let mut canon = canon();
    canon.mods[1].manifest.needed_on = NeededOn::Server;
    let rulebook = rulebook();
    let measure =
        CheckContext { canon: &canon, rulebook: &rulebook, extras: Extras::Keep, edits: Edits::Ask, left: &[] };
    let without = with(|s| drop(s.mods.pop()));
    assert_eq!(Delta::compute(measure, &without).findings(), []);
    let there = Delta::compute(measure, &with(|_| {})).findings();
    assert_eq!((there[0].code, there[0].severity), (Code::NotNeededHere, Severity::Note));
}

fn relation(kind: RelationKind, id: &str, range: &str) -> Relation {
    Relation { kind, id: id.into(), range: Some(range.to_owned()) }
}

#[rstest]
#[case(RelationKind::Required, "core", ">=2", &["dependency-version"])]
#[case(RelationKind::Required, "core", ">=1", &[])]
#[case(RelationKind::Required, "lamp", "*", &["dependency-missing"])]
#[case(RelationKind::Required, "core-api", ">=9", &[])]
#[case(RelationKind::Optional, "lamp", ">=2", &[])]
#[case(RelationKind::Optional, "core", ">=2", &["dependency-version"])]
#[case(RelationKind::Conflicting, "core", "<2", &["conflict"])]
#[case(RelationKind::Conflicting, "core", ">=2", &[])]
#[case(RelationKind::LoadAfter, "lamp", "*", &[])]
#[case(RelationKind::Required, "core", "not a range", &["dependency-version"])]
fn relations_are_judged(#[case] kind: RelationKind, #[case] id: &str, #[case] range: &str, #[case] expected: &[&str]) {
    let survey = with(|s| {
        s.mods[0].manifest.provides = vec!["core-api".into()];
        s.mods[1].manifest.relations = vec![relation(kind, id, range)];
    });
    assert_eq!(codes(&survey), expected);
}

#[test]
fn a_consequence_is_not_told_beside_its_cause() {
    let survey = with(|s| {
        s.mods[0] = mod_at("core", "0.9", "core.psm");
        s.mods[1].manifest.relations = vec![relation(RelationKind::Required, "core", ">=1")];
    });
    assert_eq!(codes(&survey), ["version-older"]);
}

#[test]
fn a_dependency_on_one_side_alone_is_found_when_sealing() {
    let (mut core, mut tide) = (mod_at("core", "1.0", "core.psm").manifest, mod_at("tide", "2.1", "tide.psm").manifest);
    core.needed_on = NeededOn::Server;
    tide.relations = vec![relation(RelationKind::Required, "core", "*")];
    tide.game_range = Some("<1.4".to_owned());
    let set = FitSet {
        mods: vec![&core, &tide],
        role: None,
        game_version: Some("1.4.2"),
        loader_version: None,
        runtime_version: None,
    };
    let found: Vec<_> = fit(&set, rulebook().versions).into_iter().map(|misfit| misfit.finding.code).collect();
    assert_eq!(found, [Code::GameDiffers, Code::DependencyMissing]);
}

#[test]
fn a_sealed_mod_knows_its_enabled_paths() {
    let mut off = mod_at("tide", "2.1", "tide.psm.off");
    off.name = "tide.psm".to_owned();
    assert_eq!(SealedMod::from_surveyed(&off, 1).files[0].path.as_str(), "tide.psm");
}

/// A rulebook whose server has only ids, and whose packs lie in worlds.
fn of_ids() -> Rulebook {
    let text = "format = 'kanon-rulebook/1'\ngame = 'Tallowfen'\n[[shelf]]\nname = 'mods'\nholds = 'folders'\nin = { client = 'mods' }\n\
        ids-from = { server = 'board' }\n[shelf.mod]\nid = '$.id'\n[[list]]\nname = 'board'\nof = 'server'\nfile = 'board.json'\neach = '$[*]'\n\
        [[shelf]]\nname = 'packs'\nholds = 'files'\nin = { server = 'worlds/*/packs' }\n[shelf.mod]\nid = { file-name = '(?<id>.+)' }\n";
    rulebook::parse("test", text).unwrap_or_else(|bad| panic!("{bad}")).value
}

fn listed(id: &str, version: Option<&str>, on: bool) -> SurveyedMod {
    let file = path("board.json");
    SurveyedMod {
        manifest: ModManifest { id: id.into(), version: version.map(str::to_owned), ..ModManifest::default() },
        place: file.clone(),
        path: file,
        enabled: on,
        name: id.to_owned(),
        files: Vec::new(),
        members: Vec::new(),
        members_total: 0,
        ..mod_at(id, "0", id)
    }
}

fn entry(found: &SurveyedMod) -> ListEntry {
    let ModManifest { id, version, .. } = found.manifest.clone();
    ListEntry { text: id.to_string(), id, version, digest: None, on: found.enabled, stands_for: StandsFor::Mod }
}

/// A server that lists these ids, held against a canon of `core 1.0` and `tide 2.1`.
fn of_listed(mods: Vec<SurveyedMod>) -> Vec<String> {
    let (canon, rulebook) = (canon(), of_ids());
    let mut server = survey(mods);
    server.install.role = Role::Server;
    server.lists.push(SurveyedList {
        name: "board".to_owned(),
        file: path("board.json"),
        ordered: false,
        entries: server.mods.iter().map(entry).collect(),
        near: None,
        problem: None,
    });
    let measure =
        CheckContext { canon: &canon, rulebook: &rulebook, extras: Extras::Keep, edits: Edits::Ask, left: &[] };
    let found = Delta::compute(measure, &server).findings();
    let line = |f: &Finding| format!("{} {}", f.code.as_str(), f.mod_id.clone().unwrap_or_default());
    found.iter().map(line).collect()
}

#[rstest]
#[case::right(vec![listed("core", None, true), listed("TIDE", None, true)], &[])]
#[case::versions_right(vec![listed("core", Some("1.0"), true), listed("tide", Some("2.1.0"), true)], &[])]
#[case::missing(vec![listed("core", None, true)], &["list-entry-missing tide"])]
#[case::off(vec![listed("core", None, true), listed("tide", None, false)], &["list-entry-off tide"])]
#[case::pinned(vec![listed("core", Some("0.9"), true), listed("tide", None, true)], &["list-version core"])]
#[case::extra(vec![listed("core", None, true), listed("tide", None, true), listed("fog", None, true)], &["list-entry-extra fog"])]
fn ids_alone_are_judged_by_the_list(#[case] mods: Vec<SurveyedMod>, #[case] expected: &[&str]) {
    assert_eq!(of_listed(mods), expected);
}

#[test]
fn a_mod_whose_world_is_not_there_yet_is_missing_and_not_in_line() {
    let rulebook = of_ids();
    let pack = SurveyedMod { shelf: "packs".into(), place: path("worlds/fen/packs"), ..mod_at("pack", "1", "pack") };
    let canon = Canon::from_survey(&survey(vec![pack.clone()]));
    let measure =
        CheckContext { canon: &canon, rulebook: &rulebook, extras: Extras::Keep, edits: Edits::Ask, left: &[] };
    let mut server = survey(Vec::new());
    server.install.role = Role::Server;
    let nowhere = Delta::compute(measure, &server).findings();
    assert_eq!((nowhere.len(), nowhere[0].code), (1, Code::ModMissing));
    assert!(nowhere[0].remedy.to_string().contains("worlds/*/packs"), "{}", nowhere[0].remedy);
    server.places.insert("packs".into(), vec![path("worlds/fen/packs"), path("worlds/tern/packs")]);
    server.mods.push(pack);
    let codes: Vec<_> = Delta::compute(measure, &server).findings().iter().map(|f| (f.code, f.path.clone())).collect();
    assert_eq!(codes.len(), 1, "each world wants it: {codes:?}");
    assert!(codes[0].1.as_deref().is_some_and(|at| at.starts_with("worlds/tern/packs")), "{codes:?}");
}
