use super::*;
use crate::base::path::InstallPath;
use crate::canon::Canon;
use crate::config::{Edits, Extras};
use crate::rulebook::{self, Role, Rulebook};
use crate::survey::{InstallFacts, SurveyedMemory};
use rstest::rstest;

const HEAD: &str = "format = \"kanon-rulebook/1\"\ngame = \"g\"\n[[shelf]]\nname = \"s\"\nholds = \"files\"\nin = \"s\"\n[shelf.mod]\nid = \"$.id\"\n";

fn rules(names: &[&str]) -> Rulebook {
    let one =
        |name: &&str| format!("[[setting]]\nname = \"{name}\"\nfile = \"a.cfg\"\nat = \"$.x\"\nkind = \"flag\"\n");
    let memory = "[[memory]]\nof = \"server\"\nfile = \"start.sh\"\noption = \"-room=\"\nfloor = \"1GiB\"\neach-mod = \"1GiB\"\n";
    let text = format!("{HEAD}{}{memory}", names.iter().map(one).collect::<String>());
    rulebook::parse("rulebook", &text).expect("a rulebook").value
}

fn survey(values: &[(&str, Option<&str>)]) -> Survey {
    let install = InstallFacts::bare("hall", Role::Server);
    let mut survey = Survey::empty(install);
    survey.settings = values
        .iter()
        .map(|(name, value)| SurveyedSetting {
            name: (*name).to_owned(),
            file: InstallPath::new("a.cfg").expect("a path"),
            value: value.map(str::to_owned),
            problem: None,
        })
        .collect();
    survey
}

fn canon(settings: &[(&str, &str)]) -> Canon {
    let mut canon = Canon::from_survey(&survey(&[]));
    let sealed = |(name, is): &(&str, &str)| SealedSetting { name: (*name).to_owned(), of: None, is: (*is).to_owned() };
    canon.settings = settings.iter().map(sealed).collect();
    canon
}

fn told(canon: &Canon, rulebook: &Rulebook, survey: &Survey) -> Vec<String> {
    let measure = CheckContext { canon, rulebook, extras: Extras::Keep, edits: Edits::Ask, left: &[] };
    let told = |finding: &Finding| {
        let [expected, found] = [&finding.expected, &finding.found]
            .map(|stated| stated.as_ref().map(ToString::to_string).unwrap_or_default());
        format!("{} {expected} / {found}", finding.code)
    };
    findings(measure, survey, &wanted_settings(measure, survey, &[]), &wanted_memory(measure, survey))
        .iter()
        .map(told)
        .collect()
}

#[rstest]
#[case("4100", Some("4100"), &[])]
#[case("on", Some("TRUE"), &[])]
#[case("on", Some("0"), &["setting-differs a: 1 / 0"])]
#[case("on", None, &["setting-missing a: on / nothing"])]
#[case("{b}-{{x}}", Some("7-{x}"), &[])]
#[case("{b}", Some("8"), &["setting-differs a: 7 / 8"])]
#[case("{missions/*}", Some("low"), &[])]
#[case("{worlds/*}", Some("two"), &[])]
#[case("{worlds/*}", Some("three"), &["setting-differs a: a value, but worlds/* stands for several: one, two / three"])]
#[case("{empty/*}", Some("x"), &["setting-differs a: a value, but nothing is there that empty/* stands for / x"])]
#[case("{a}", Some("x"), &["setting-differs a: a value, but the setting `a` quotes itself / x"])]
#[case("{who}", Some("x"), &["setting-differs a: a value, but nobody knows `who` / x"])]
fn a_setting_is_held_against_what_it_quotes(#[case] is: &str, #[case] found: Option<&str>, #[case] expected: &[&str]) {
    let mut survey = survey(&[("a", found), ("b", Some("7"))]);
    let names = [("missions/*", vec!["low"]), ("worlds/*", vec!["one", "two"]), ("empty/*", vec![])];
    survey.quoted = names
        .into_iter()
        .map(|(place, names)| (place.to_owned(), names.into_iter().map(str::to_owned).collect()))
        .collect();
    assert_eq!(told(&canon(&[("a", is)]), &rules(&["a", "b"]), &survey), expected);
}

#[test]
fn a_setting_that_another_quotes_counts_as_it_is_to_be() {
    let survey = survey(&[("a", Some("41")), ("b", Some("40"))]);
    let canon = canon(&[("a", "{b}"), ("b", "42")]);
    assert_eq!(
        told(&canon, &rules(&["a", "b"]), &survey),
        ["setting-differs a: 42 / 41", "setting-differs b: 42 / 40"]
    );
}

#[test]
fn a_file_that_is_not_there_is_missed_only_where_it_belongs() {
    let (rulebook, mut canon) = (rules(&["a"]), canon(&[("a", "on")]));
    let mut here = survey(&[("a", None)]);
    here.settings[0].problem = Some(FileProblem::NotThere);
    assert!(told(&canon, &rulebook, &here).is_empty(), "it may be the players'");
    canon.settings[0].of = Some(Role::Server);
    assert_eq!(told(&canon, &rulebook, &here), ["setting-missing a: on / the file is not there"]);
    here.settings.clear();
    assert_eq!(told(&canon, &rulebook, &here), ["setting-missing a: on / nothing is called so yet"]);
    here.install.role = Role::Client;
    assert!(told(&canon, &rulebook, &here).is_empty());
}

#[rstest]
#[case(Some(1 << 30), None, &[])]
#[case(Some(512 << 20), None, &["memory-low at least 1024MiB / 512MiB"])]
#[case(Some(1 << 30), Some(2 << 30), &["memory-low at least 2048MiB / 1024MiB"])]
#[case(None, None, &[])]
fn memory_has_a_floor(#[case] bytes: Option<u64>, #[case] wished: Option<u64>, #[case] expected: &[&str]) {
    let mut survey = survey(&[]);
    let file = InstallPath::new("start.sh").expect("a path");
    survey.memory.push(SurveyedMemory { file, bytes, problem: None });
    let canon = Canon { memory: wished, ..canon(&[]) };
    assert_eq!(told(&canon, &rules(&[]), &survey), expected);
}
