//! Names of signatures and keys, in folders and beside single files.

use super::*;
use crate::base::digest::Blake3;
use crate::manifest::ModManifest;
use crate::rulebook::{KeyScheme, NamePattern};
use crate::survey::SurveyedFile;
use rstest::rstest;

fn rule(payload: &str, signature: &str, key: &str) -> SignedRule {
    SignedRule {
        payload: NamePattern::new(payload).expect("a pattern"),
        signature: signature.to_owned(),
        key: key.to_owned(),
        scheme: KeyScheme::Ed25519,
    }
}

fn path(text: &str) -> InstallPath {
    InstallPath::new(text).expect("a path")
}

/// A mod at `own`, in the place `mods`, with these files.
fn found(own: &str, files: &[&str]) -> SurveyedMod {
    let digest = Blake3::of(b"x");
    SurveyedMod {
        manifest: ModManifest { id: "tide".into(), ..ModManifest::default() },
        shelf: "mods".into(),
        place: path("mods"),
        enabled: true,
        path: path(own),
        name: own.rsplit('/').next().unwrap_or(own).to_owned(),
        digest,
        files: files.iter().map(|file| SurveyedFile::new(path(file), 1, digest)).collect(),
        members: Vec::new(),
        members_total: 0,
        signatures: Vec::new(),
    }
}

/// Each payload with its signature's file and key, as `payload signature key`.
fn told(rule: &SignedRule, found: &SurveyedMod, there: &[&str]) -> Vec<String> {
    let there: Vec<InstallPath> = there.iter().map(|file| path(file)).collect();
    let dash = |text: Option<String>| text.unwrap_or_else(|| "-".to_owned());
    SignedNames::new(rule)
        .signatures(found, &there)
        .into_iter()
        .map(|s| format!("{} {} {}", s.payload, dash(s.signature.map(String::from)), dash(s.key.map(String::from))))
        .collect()
}

#[rstest]
#[case::key_in_the_name(
    "{payload}.{key}.mark",
    "mods/tide/stock/a.hold.wright.mark",
    "mods/tide/stock/a.hold.wright.mark wright"
)]
#[case::no_key_in_the_name("{payload}.sig", "mods/tide/stock/a.hold.sig", "mods/tide/stock/a.hold.sig -")]
#[case::another_folder("marks/{stem}.{key}", "mods/tide/marks/a.wright", "mods/tide/marks/a.wright wright")]
#[case::same_folder_by_stem("{folder}/{stem}.sig", "mods/tide/stock/a.sig", "mods/tide/stock/a.sig -")]
#[case::other_case(
    "{payload}.{key}.mark",
    "mods/tide/stock/A.HOLD.wright.MARK",
    "mods/tide/stock/A.HOLD.wright.MARK wright"
)]
#[case::of_another_payload("{payload}.{key}.mark", "mods/tide/stock/b.hold.wright.mark", "- -")]
#[case::deeper("{payload}.{key}.mark", "mods/tide/stock/a.hold.x/y.mark", "- -")]
fn a_signature_is_found_by_its_template(#[case] template: &str, #[case] file: &str, #[case] expected: &str) {
    let rule = rule("stock/*.hold", template, "keys/{key}.pub");
    let found = found("mods/tide", &["mods/tide/stock/a.hold", file]);
    assert_eq!(told(&rule, &found, &["mods/tide/stock/a.hold", file]), [format!("mods/tide/stock/a.hold {expected}")]);
}

#[test]
fn only_payloads_are_signed() {
    let rule = rule("stock/*.hold", "{payload}.sig", "keys/{key}.pub");
    let files = ["mods/tide/readme.txt", "mods/tide/stock/a.hold", "mods/tide/stock/deep/b.hold"];
    assert_eq!(told(&rule, &found("mods/tide", &files), &files), ["mods/tide/stock/a.hold - -"]);
}

#[test]
fn a_mod_that_is_one_file_has_its_signature_beside_it() {
    let rule = rule("*.pak", "{payload}.{key}.mark", "{stem}.{key}.pub");
    let found = found("mods/tide.pak", &["mods/tide.pak"]);
    let there = ["mods/tide.pak", "mods/tide.pak.wright.mark", "mods/other.pak.wright.mark"];
    assert_eq!(told(&rule, &found, &there), ["mods/tide.pak mods/tide.pak.wright.mark wright"]);
}

#[rstest]
#[case("keys/{key}.pub", &["mods/tide/keys/wright.pub", "mods/tide/keys/gull.pub", "mods/tide/other.pub"], &["wright", "gull"])]
#[case("*.pub", &["mods/tide/wright.pub", "mods/tide/keys/gull.pub"], &["wright"])]
#[case("key.bin", &["mods/tide/key.bin"], &["key"])]
#[case("keys/{key}.pub", &[], &[])]
fn keys_are_told_by_name(#[case] template: &str, #[case] there: &[&str], #[case] expected: &[&str]) {
    let rule = rule("*", "{payload}.sig", template);
    let there: Vec<InstallPath> = there.iter().map(|file| path(file)).collect();
    let keys = SignedNames::new(&rule).keys(&found("mods/tide", &[]), &there);
    assert_eq!(keys.iter().map(|(name, _)| name.as_str()).collect::<Vec<_>>(), expected);
}

#[test]
fn names_with_signs_of_a_regex_are_taken_as_they_are() {
    let rule = rule("*.hold", "{payload}.(mark)", "{key}");
    let found = found("mods/tide", &["mods/tide/a+b[1].hold", "mods/tide/a+b[1].hold.(mark)"]);
    let there = ["mods/tide/a+b[1].hold", "mods/tide/a+b[1].hold.(mark)"];
    assert_eq!(told(&rule, &found, &there), ["mods/tide/a+b[1].hold mods/tide/a+b[1].hold.(mark) -"]);
}
