use super::*;
use crate::canon::Canon;
use crate::config::{Edits, Extras};
use crate::delta::CheckContext;
use crate::manifest::ModManifest;
use crate::rulebook::{self, Rulebook};
use crate::survey::{InstallFacts, SurveyedFile, Unreadable};
use rstest::rstest;
use std::collections::BTreeMap;

fn rulebook() -> Rulebook {
    let text = "format = 'kanon-rulebook/1'\ngame = 'Polarspur'\n[[shelf]]\nname = 'mods'\nholds = 'archives'\nin = { client = 'mods' }\n\
        off = '*.off'\nmod = { id = '$.id' }\n[[shelf]]\nname = 'kits'\nholds = 'folders'\nin = { client = 'kits' }\n\
        settings = ['*.pref', 'tuning/*']\nmod = { id = '$.id' }\n\
        [[shelf]]\nname = 'twice'\nholds = 'archives'\nin = { client = ['one', 'two'] }\nmod = { id = '$.id' }\n";
    rulebook::parse("test", text).expect("a rulebook").value
}

fn path(text: &str) -> InstallPath {
    InstallPath::new(text).expect("a path")
}

/// A mod out of `shelf/name` and its files' bytes; a name that ends in `.off` is disabled.
fn found(id: &str, version: &str, at: &str, files: &[(&str, &str)]) -> SurveyedMod {
    let (place, file) = at.rsplit_once('/').expect("a place");
    let files: Vec<SurveyedFile> = files
        .iter()
        .map(|(inner, bytes)| {
            let at = if inner.is_empty() { at.to_owned() } else { format!("{at}/{inner}") };
            SurveyedFile::new(path(&at), bytes.len() as u64, Blake3::of(bytes.as_bytes()))
        })
        .collect();
    SurveyedMod {
        manifest: ModManifest { id: id.into(), version: Some(version.to_owned()), ..ModManifest::default() },
        shelf: place.into(),
        place: path(place),
        enabled: !file.ends_with(".off"),
        path: path(at),
        name: file.trim_end_matches(".off").to_owned(),
        digest: Blake3::of(
            files
                .iter()
                .filter(|f| !f.path.as_str().contains("tuning/") && !f.path.as_str().ends_with(".pref"))
                .map(|f| f.blake3.to_string())
                .collect::<String>()
                .as_bytes(),
        ),
        files,
        members: Vec::new(),
        members_total: 0,
        signatures: Vec::new(),
    }
}

fn survey(mods: Vec<SurveyedMod>) -> Survey {
    let install = InstallFacts {
        name: "mara".into(),
        role: Role::Client,
        game: "Polarspur".to_owned(),
        game_version: None,
        loader_version: None,
        runtime_version: None,
    };
    Survey { mods, ..Survey::empty(install) }
}

fn canon() -> Canon {
    Canon::from_survey(&survey(vec![
        found("core", "1", "mods/core.psm", &[("", "core")]),
        found("tide", "2", "mods/tide.psm", &[("", "tide 2")]),
        found("kit", "1", "kits/#kit", &[("kit.toml", "kit"), ("data/a", "a")]),
    ]))
}

fn right() -> Vec<SurveyedMod> {
    vec![
        found("core", "1", "mods/core.psm", &[("", "core")]),
        found("tide", "2", "mods/tide.psm", &[("", "tide 2")]),
        found("kit", "1", "kits/#kit", &[("kit.toml", "kit"), ("data/a", "a")]),
    ]
}

fn planned(survey: &Survey) -> Plan {
    let (canon, rulebook) = (canon(), rulebook());
    let context =
        CheckContext { canon: &canon, rulebook: &rulebook, extras: Extras::Keep, edits: Edits::Ask, left: &[] };
    plan(&Delta::compute(context, survey), RiskyExtras::Stay).expect("a plan")
}

fn told(plan: &Plan) -> Vec<String> {
    let from =
        |action: &Action| if let Action::Rename { from } = action { format!("{from} > ") } else { String::new() };
    plan.steps.iter().map(|step| format!("{} {}{}", step.action.as_str(), from(&step.action), step.path)).collect()
}

#[rstest]
#[case(|_: &mut Vec<SurveyedMod>| {}, &[])]
#[case(|m: &mut Vec<SurveyedMod>| { m.remove(0); }, &["put mods/core.psm"])]
#[case(|m: &mut Vec<SurveyedMod>| m[1] = found("tide", "1", "mods/tide.psm", &[("", "tide 1")]), &["replace mods/tide.psm"])]
#[case(|m: &mut Vec<SurveyedMod>| m[1] = found("tide", "1", "mods/tide-1.psm", &[("", "tide 1")]), &["park mods/tide-1.psm", "put mods/tide.psm"])]
#[case(|m: &mut Vec<SurveyedMod>| m[1] = found("tide", "2", "mods/tide.psm.off", &[("", "tide 2")]), &["rename mods/tide.psm.off > mods/tide.psm"])]
#[case(|m: &mut Vec<SurveyedMod>| m[1] = found("tide", "1", "mods/tide.psm.off", &[("", "tide 1")]), &["put mods/tide.psm"])]
#[case(|m: &mut Vec<SurveyedMod>| m[1] = found("tide", "2", "mods/any name.psm", &[("", "tide 2")]), &[])]
#[case(|m: &mut Vec<SurveyedMod>| m.push(found("tide", "1", "mods/tide-1.psm", &[("", "tide 1")])), &["park mods/tide-1.psm"])]
#[case(|m: &mut Vec<SurveyedMod>| m.push(found("fog", "1", "mods/fog.psm", &[("", "fog")])), &["park mods/fog.psm"])]
#[case(|m: &mut Vec<SurveyedMod>| m[2] = found("kit", "1", "kits/#kit", &[("kit.toml", "kit"), ("data/a", "b")]), &["replace kits/#kit/data/a"])]
#[case(|m: &mut Vec<SurveyedMod>| m[2] = found("kit", "1", "kits/#kit", &[("kit.toml", "kit"), ("data/a", "a"), ("x", "x")]), &["park kits/#kit/x"])]
#[case(|m: &mut Vec<SurveyedMod>| m[2] = found("kit", "1", "kits/#KIT", &[("kit.toml", "kit"), ("data/a", "a")]),
    &["rename kits/#KIT/kit.toml > kits/#kit/kit.toml", "rename kits/#KIT/data/a > kits/#kit/data/a"])]
#[case(|m: &mut Vec<SurveyedMod>| { m[0] = found("core", "1", "mods/tide.psm", &[("", "core")]); m[1] = found("tide", "2", "mods/core.psm", &[("", "tide 2")]); },
    &["replace mods/core.psm", "replace mods/tide.psm"])]
fn one_fault_the_fewest_steps(#[case] change: fn(&mut Vec<SurveyedMod>), #[case] expected: &[&str]) {
    let mut mods = right();
    change(&mut mods);
    assert_eq!(told(&planned(&survey(mods))), expected);
}

#[test]
fn strays_are_moved_and_the_unreadable_makes_room() {
    let mut broken = survey(right());
    broken.mods.remove(1);
    broken.strays.push(found("tide", "2", "extra/tide.psm", &[("", "tide 2")]));
    for (at, is_file) in [("mods/junk.psm", true), ("mods/link.psm", false)] {
        broken.unreadable.push(Unreadable {
            path: at.to_owned(),
            shelf: Some("mods".into()),
            why: "cut".to_owned(),
            is_file,
            still_packed: false,
            files: Vec::new(),
        });
    }
    assert_eq!(told(&planned(&broken)), ["park mods/junk.psm", "rename extra/tide.psm > mods/tide.psm"]);
    let mut cut = survey(right());
    cut.mods.remove(1);
    cut.unreadable.push(Unreadable {
        path: "mods/tide.psm".to_owned(),
        shelf: Some("mods".into()),
        why: "cut".to_owned(),
        is_file: true,
        still_packed: false,
        files: Vec::new(),
    });
    assert_eq!(told(&planned(&cut)), ["replace mods/tide.psm"]);
}

#[test]
fn a_place_is_not_filled_by_robbing_another() {
    let both = |at: &str| SurveyedMod { shelf: "twice".into(), ..found("buoy", "1", at, &[("", "buoy")]) };
    let mut canon = canon();
    canon.mods = vec![SealedMod::from_surveyed(&both("one/buoy.psm"), 1)];
    let rulebook = rulebook();
    let measure =
        CheckContext { canon: &canon, rulebook: &rulebook, extras: Extras::Keep, edits: Edits::Ask, left: &[] };
    for (there, lacking) in [("one/buoy.psm", "put two/buoy.psm"), ("two/other name.psm", "put one/buoy.psm")] {
        let plan = plan(&Delta::compute(measure, &survey(vec![both(there)])), RiskyExtras::Stay).expect("a plan");
        assert_eq!(told(&plan), [lacking]);
    }
}

#[test]
fn two_files_for_one_name_are_refused() {
    let (mut canon, rulebook) = (canon(), rulebook());
    canon.mods[0].files[0].path = path("TIDE.psm");
    let measure =
        CheckContext { canon: &canon, rulebook: &rulebook, extras: Extras::Keep, edits: Edits::Ask, left: &[] };
    let error =
        plan(&Delta::compute(measure, &survey(Vec::new())), RiskyExtras::Stay).expect_err("refused").to_string();
    assert!(error.contains("`core` and `tide`") && error.contains("mods/tide.psm"), "{error}");
}

/// Carries a plan out on paper and plans again: nothing is left to do, whatever the start was.
#[rstest]
fn a_second_plan_is_empty(#[values(0, 1, 2, 3, 4, 5, 6, 7)] mask: u8, #[values("1", "2")] tide: &str) {
    let mut mods = vec![found("fog", "1", "mods/fog.psm", &[("", "fog")])];
    let all = [
        found("core", "1", "mods/renamed.psm", &[("", "core")]),
        found("tide", tide, "mods/core.psm", &[("", &format!("tide {tide}"))]),
        found("kit", "1", "kits/#kit", &[("kit.toml", "edited"), ("more", "x")]),
    ];
    mods.extend(all.into_iter().enumerate().filter(|(i, _)| mask & (1 << i) != 0).map(|(_, m)| m));
    let before = survey(mods);
    let mut files: BTreeMap<InstallPath, Blake3> =
        before.mods.iter().flat_map(|m| &m.files).map(|f| (f.path.clone(), f.blake3)).collect();
    for step in planned(&before).steps {
        match step.action {
            Action::BackUp => panic!("no world, no copy"),
            Action::Park => assert!(files.remove(&step.path).is_some(), "{} is parked twice", step.path),
            Action::Rename { from } => {
                let bytes = files.remove(&from).expect("it is there");
                assert!(files.insert(step.path, bytes).is_none(), "a rename overwrites nothing");
            }
            Action::Put { blake3 } => assert!(files.insert(step.path, blake3).is_none(), "a put overwrites nothing"),
            Action::Replace { blake3 } => {
                assert!(files.insert(step.path, blake3).is_some(), "a replace has something to replace");
            }
        }
    }
    let wanted: Vec<Blake3> = canon().mods.iter().flat_map(|m| &m.files).map(|f| f.blake3).collect();
    let mut there: Vec<Blake3> = files.into_values().collect();
    let mut expected = wanted;
    there.sort();
    expected.sort();
    assert_eq!(there, expected);
}

#[test]
fn of_equal_copies_the_one_that_is_called_as_the_canon_calls_it_stays() {
    for others in [["mods/a.psm", "mods/tide.psm"], ["mods/tide.psm", "mods/z.psm"], ["mods/a.psm", "mods/z.psm"]] {
        let mut mods = right();
        mods.retain(|found| found.manifest.id != "tide");
        mods.extend(others.map(|at| found("tide", "2", at, &[("", "tide 2")])));
        let plan = planned(&survey(mods));
        let parked: Vec<&str> = plan.steps.iter().map(|step| step.path.as_str()).collect();
        let expected = others.into_iter().rfind(|at| *at != "mods/tide.psm").expect("one");
        assert_eq!(parked, [expected], "{others:?}");
    }
}

/// What a mod that stays needs: by its id, or by one that it stands for; unless something else there stands for it.
#[rstest]
#[case::needed("lib", &[], &[("lib", "star-map")])]
#[case::not_needed("other", &[], &[])]
#[case::stood_for("helper", &["helper"], &[("lib", "star-map")])]
#[case::in_the_canon("tide", &["tide"], &[])]
fn a_mod_that_one_which_stays_needs_is_not_taken_off_without_a_word(
    #[case] needs: &str,
    #[case] provides: &[&str],
    #[case] orphaned: &[(&str, &str)],
) {
    let mut library = found("lib", "1", "mods/lib.psm", &[("", "lib")]);
    library.manifest.provides = provides.iter().map(|id| (*id).into()).collect();
    let mut own = found("star-map", "1", "mods/star-map.psm", &[("", "map")]);
    own.manifest.needed_on = NeededOn::Client;
    own.manifest.relations =
        vec![crate::manifest::Relation { kind: RelationKind::Required, id: needs.into(), range: None }];
    let survey = survey(right().into_iter().chain([library, own]).collect());
    let (canon, rulebook) = (canon(), rulebook());
    let measure =
        CheckContext { canon: &canon, rulebook: &rulebook, extras: Extras::Keep, edits: Edits::Ask, left: &[] };
    let plan = plan(&Delta::compute(measure, &survey), RiskyExtras::Stay).expect("a plan");
    assert_eq!(told(&plan), ["park mods/lib.psm"]);
    let found: Vec<(String, String)> = orphans(&plan, &Delta::compute(measure, &survey))
        .into_iter()
        .map(|orphan| (orphan.taken.into(), orphan.needed_by.into()))
        .collect();
    let expected: Vec<(String, String)> = orphaned.iter().map(|(a, b)| ((*a).to_owned(), (*b).to_owned())).collect();
    assert_eq!(found, expected);
}

#[test]
fn no_plan_touches_what_is_kanons_own_whatever_made_it() {
    for at in [".kanon/receipt.json", "mods/.KANON/x", "kanon.toml"] {
        let step = Step { action: Action::Park, path: path(at), reasons: Vec::new(), bytes: 0, lines: Vec::new() };
        assert!(matches!(Plan { steps: vec![step] }.refuse_off_limits(), Err(PlanError::Path(_))), "{at}");
        let action = Action::Rename { from: path(at) };
        let step = Step { action, path: path("mods/x"), reasons: Vec::new(), bytes: 0, lines: Vec::new() };
        assert!(Plan { steps: vec![step] }.refuse_off_limits().is_err(), "from {at}");
    }
}

const SET: &[(&str, &str)] =
    &[("kit.toml", "kit"), ("data/a", "a"), ("tuning/keys", "as it came"), ("deep/own.pref", "1")];

/// A release, where it lies, and its files.
type Copy<'c> = (&'c str, &'c str, &'c [(&'c str, &'c str)]);

/// The plan for a game that has a copy of the kit, where the canon has it with files of whoever plays.
fn planned_with_settings(copy: Option<SurveyedMod>, same_settings: bool) -> (Plan, Vec<String>) {
    let mut canon = Canon::from_survey(&survey(vec![found("kit", "1", "kits/#kit", SET)]));
    canon.mods[0].same_settings = same_settings;
    let rulebook = rulebook();
    let measure =
        CheckContext { canon: &canon, rulebook: &rulebook, extras: Extras::Keep, edits: Edits::Ask, left: &[] };
    let survey = survey(copy.into_iter().collect());
    let plan = plan(&Delta::compute(measure, &survey), RiskyExtras::Stay).expect("a plan");
    let findings = Delta::compute(measure, &survey).findings();
    let told = findings.iter().map(|finding| {
        let entries: Vec<&str> = finding.entries.iter().map(|entry| entry.path.as_str()).collect();
        format!("{} {}", finding.code.as_str(), entries.join(" ")).trim_end().to_owned()
    });
    (plan, told.collect())
}

#[rstest]
#[case::as_it_came(Some(("1", "kits/#kit", SET)), &[], &[])]
#[case::changed_and_one_more(
    Some(("1", "kits/#kit", &[("kit.toml", "kit"), ("data/a", "a"), ("tuning/keys", "hers"), ("tuning/more", "hers")][..])), &[], &[])]
#[case::not_made_yet(Some(("1", "kits/#kit", &[("kit.toml", "kit"), ("data/a", "a")][..])), &[], &[])]
#[case::bytes_that_are_the_mods_own(
    Some(("1", "kits/#kit", &[("kit.toml", "kit"), ("data/a", "b"), ("tuning/keys", "hers"), ("x.pref", "hers")][..])),
    &["put kits/#kit/deep/own.pref", "replace kits/#kit/data/a"], &["content-differs data/a"])]
#[case::an_older_one_in_the_same_folder(
    Some(("0", "kits/#kit", &[("kit.toml", "old"), ("tuning/keys", "hers"), ("b", "b")][..])),
    &["park kits/#kit/b", "put kits/#kit/data/a", "put kits/#kit/deep/own.pref", "replace kits/#kit/kit.toml"], &["version-older"])]
#[case::an_older_one_in_a_folder_of_its_own(
    Some(("0", "kits/#kit-0", &[("kit.toml", "old"), ("tuning/keys", "hers"), ("tuning/more", "hers")][..])),
    &["park kits/#kit-0/kit.toml", "park kits/#kit-0/tuning/more", "put kits/#kit/data/a", "put kits/#kit/deep/own.pref",
      "put kits/#kit/kit.toml", "rename kits/#kit-0/tuning/keys > kits/#kit/tuning/keys"], &["version-older"])]
#[case::not_there(None,
    &["put kits/#kit/data/a", "put kits/#kit/deep/own.pref", "put kits/#kit/kit.toml", "put kits/#kit/tuning/keys"], &["mod-missing"])]
fn what_whoever_plays_has_set_stays(#[case] copy: Option<Copy<'_>>, #[case] steps: &[&str], #[case] findings: &[&str]) {
    let copy = copy.map(|(version, at, files)| found("kit", version, at, files));
    let (plan, told_of) = planned_with_settings(copy, false);
    let mut told = told(&plan);
    told.sort_unstable();
    assert_eq!(
        (told, told_of),
        (steps.iter().map(|s| (*s).to_owned()).collect(), findings.iter().map(|s| (*s).to_owned()).collect())
    );
}

#[test]
fn settings_that_are_everybodys_are_put_right() {
    let hers = [("kit.toml", "kit"), ("data/a", "a"), ("tuning/keys", "hers"), ("tuning/more", "hers")];
    let (plan, findings) = planned_with_settings(Some(found("kit", "1", "kits/#kit", &hers)), true);
    let mut told = told(&plan);
    told.sort_unstable();
    assert_eq!(told, ["put kits/#kit/deep/own.pref", "replace kits/#kit/tuning/keys"], "what only she has stays");
    assert_eq!(findings, ["content-differs deep/own.pref tuning/keys"]);
    let (plan, findings) = planned_with_settings(Some(found("kit", "1", "kits/#kit", SET)), true);
    assert!(plan.steps.is_empty() && findings.is_empty(), "{plan:?} {findings:?}");
}
