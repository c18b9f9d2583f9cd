use super::*;
use crate::canon::Canon;
use crate::config::{Edits, Extras};
use crate::manifest::ModManifest;
use crate::rulebook::{self, Rulebook};
use crate::survey::{InstallFacts, SurveyedFile};
use rstest::rstest;

fn path(text: &str) -> InstallPath {
    InstallPath::new(text).expect("a path")
}

fn rules(scheme: &str) -> Rulebook {
    let text = format!(
        "format = \"kanon-rulebook/1\"\ngame = \"g\"\n[[shelf]]\nname = \"holds\"\nholds = \"folders\"\nin = \"holds\"\n[shelf.mod]\nid = \"$.id\"\n\
        [shelf.signed]\npayload = \"*.hold\"\nsignature = \"{{payload}}.{{key}}.mark\"\nkey = \"{{key}}.pub\"\nscheme = \"{scheme}\"\n\
        [keyring]\nin = {{ server = \"keys\" }}\n"
    );
    rulebook::parse("rulebook", &text).expect("a rulebook").value
}

fn key(name: &str, bytes: &str, of_mod: Option<&str>) -> SurveyedKey {
    let folder = of_mod.map_or_else(|| "keys".to_owned(), |id| format!("holds/{id}"));
    SurveyedKey {
        name: name.into(),
        path: path(&format!("{folder}/{name}.pub")),
        size: 3,
        blake3: Blake3::of(bytes.as_bytes()),
        of_mod: of_mod.map(crate::base::ids::FoldedId::from),
        own: false,
        problem: None,
    }
}

fn mod_of(id: &str, signer: &str, verdict: Option<Verdict>) -> SurveyedMod {
    let payload = path(&format!("holds/{id}/a.hold"));
    let signature = SurveyedSignature {
        payload: payload.clone(),
        signature: Some(path(&format!("holds/{id}/a.hold.{signer}.mark"))),
        key: Some(signer.into()),
        verdict,
        made_with: (verdict == Some(Verdict::Good)).then(|| Blake3::of(signer.as_bytes())),
        made_over: None,
        problem: None,
    };
    SurveyedMod {
        manifest: ModManifest { id: id.into(), ..ModManifest::default() },
        shelf: "holds".into(),
        place: path("holds"),
        enabled: true,
        path: path(&format!("holds/{id}")),
        name: id.to_owned(),
        digest: Blake3::of(id.as_bytes()),
        files: vec![SurveyedFile::new(payload, 1, Blake3::of(id.as_bytes()))],
        members: Vec::new(),
        members_total: 0,
        signatures: vec![signature],
    }
}

fn survey(role: Role, mods: Vec<SurveyedMod>, keys: Vec<SurveyedKey>) -> Survey {
    let install = InstallFacts::bare("hall", role);
    Survey { mods, keys, ..Survey::empty(install) }
}

fn sealed_key(name: &str, bytes: &str, mods: &[&str]) -> SealedKey {
    SealedKey {
        name: name.into(),
        blake3: Blake3::of(bytes.as_bytes()),
        size: 3,
        file: format!("{name}.pub"),
        mods: mods.iter().map(|id| (*id).into()).collect(),
    }
}

fn canon(mods: &[SurveyedMod], keys: Vec<SealedKey>) -> Canon {
    Canon { keys, ..Canon::from_survey(&survey(Role::Server, mods.to_vec(), Vec::new())) }
}

fn codes(canon: &Canon, rulebook: &Rulebook, survey: &Survey) -> Vec<String> {
    let measure = CheckContext { canon, rulebook, extras: Extras::Keep, edits: Edits::Ask, left: &[] };
    let told = |finding: &Finding| format!("{} {}", finding.code, finding.path.clone().unwrap_or_default());
    findings(measure, survey, &ring(measure, survey)).iter().map(told).collect()
}

#[rstest]
#[case::right(vec![key("w", "w", None)], &[])]
#[case::under_another_name(vec![key("x", "w", None)], &[])]
#[case::none(vec![], &["key-missing keys/w.pub"])]
#[case::another(vec![key("w", "old", None)], &["key-changed keys/w.pub"])]
#[case::of_another_case(vec![key("W", "old", None)], &["key-changed keys/W.pub"])]
#[case::left_over(vec![key("w", "w", None), key("gone", "g", None)], &["key-left-over keys/gone.pub"])]
#[case::twice(vec![key("w", "w", None), key("copy", "w", None)], &["key-left-over keys/copy.pub"])]
fn the_key_folder_is_held_against_the_canon(#[case] keys: Vec<SurveyedKey>, #[case] expected: &[&str]) {
    let mods = [mod_of("a", "w", Some(Verdict::Good)), mod_of("b", "w", Some(Verdict::Good))];
    let canon = canon(&mods, vec![sealed_key("w", "w", &["a", "b"])]);
    assert_eq!(codes(&canon, &rules("ed25519"), &survey(Role::Server, mods.to_vec(), keys)), expected);
}

#[test]
fn keys_of_mods_that_stay_are_not_left_over_and_two_of_one_name_both_have_a_place() {
    let mods = [mod_of("a", "w", Some(Verdict::Good))];
    let mut map = mod_of("map", "m", Some(Verdict::Good));
    map.manifest.needed_on = NeededOn::Server;
    let sealed = canon(&mods, vec![sealed_key("w", "w", &["a"]), sealed_key("w", "other", &["a"])]);
    let mut there =
        survey(Role::Server, vec![mods[0].clone(), map], vec![key("m", "m", None), key("m", "m", Some("map"))]);
    let short = Blake3::of(b"other").short();
    assert_eq!(
        codes(&sealed, &rules("ed25519"), &there),
        ["key-missing keys/w.pub".to_owned(), format!("key-missing keys/w-{short}.pub")]
    );
    there.mods.pop();
    there.keys.pop();
    assert_eq!(codes(&sealed, &rules("ed25519"), &there).len(), 3, "with its mod gone, it is");
}

#[rstest]
#[case::good("ed25519", "w", Some(Verdict::Good), &[])]
#[case::bad("ed25519", "w", Some(Verdict::Bad), &["signature-bad holds/a/a.hold"])]
#[case::none("ed25519", "w", Some(Verdict::NoSignature), &["signature-bad holds/a/a.hold.w.mark"])]
#[case::unknown("ed25519", "x", Some(Verdict::UnknownKey), &["signature-unknown-key holds/a/a.hold"])]
#[case::with_its_own_key("ed25519", "x", Some(Verdict::Good), &["signature-unknown-key holds/a/a.hold"])]
#[case::not_looked_at("ed25519", "w", None, &[])]
#[case::by_name("by-name", "W", None, &[])]
#[case::by_an_unknown_name("by-name", "x", None, &["signature-unknown-key holds/a/a.hold"])]
fn each_payload_needs_a_mark_that_a_key_accepts(
    #[case] scheme: &str,
    #[case] signer: &str,
    #[case] verdict: Option<Verdict>,
    #[case] expected: &[&str],
) {
    let mods = [mod_of("a", signer, verdict)];
    let canon = canon(&mods, vec![sealed_key("w", "w", &["a"])]);
    for (role, keys) in [(Role::Server, vec![key("w", "w", None)]), (Role::Client, Vec::new())] {
        assert_eq!(codes(&canon, &rules(scheme), &survey(role, mods.to_vec(), keys)), expected, "{role}");
    }
}

#[test]
fn a_payload_without_a_mark_is_told_and_who_signs_what() {
    let mut mods = vec![mod_of("a", "w", Some(Verdict::Good)), mod_of("b", "w", Some(Verdict::Good))];
    mods[1].signatures[0].signature = None;
    mods[1].signatures[0].made_with = None;
    let canon = canon(&mods, vec![sealed_key("w", "w", &["a", "b"])]);
    let survey = survey(Role::Server, mods, vec![key("w", "w", None)]);
    assert_eq!(codes(&canon, &rules("ed25519"), &survey), ["signature-missing holds/b/a.hold"]);
    assert_eq!(signers(&survey)[&Blake3::of(b"w")], BTreeSet::from(["a"]));
}
