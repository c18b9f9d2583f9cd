use kanon_core::base;
use kanon_core::base::finding::{Code, Finding};
use kanon_core::diagnose::{Advice, Diagnosis, Mend, Remedy, Verdict};
use rstest::rstest;

use super::*;

fn verdict(cause: Code, side: Option<Role>, [expected, found]: [Option<&str>; 2]) -> Verdict {
    let of_side = if side == Some(Role::Client) { PLAYER } else { "administrator" };
    let finding = Finding::new(cause, base::remedy::Remedy::Nothing).at(".");
    let finding = expected.into_iter().fold(finding, Finding::expected);
    let mend = Mend { install: "osier".into(), finding: Box::new(finding) };
    Verdict {
        cause,
        mod_id: Some("reed-bed".into()),
        side,
        confidence: 0.8,
        confirmed_by: vec!["server-log"],
        evidence: Vec::new(),
        remedy: vec![Remedy { who: of_side, command: None, words: Advice::Mend(mend) }],
        expected: expected.map(Stated::from),
        found: found.map(Stated::from),
        path: Some("mods".to_owned()),
    }
}

fn diagnosis(verdicts: Vec<Verdict>) -> Diagnosis {
    Diagnosis {
        verdicts,
        unexplained: Vec::new(),
        kept_out_by: None,
        got_in: false,
        wanted: vec![Wanted::ClientSurvey, Wanted::ClientLog],
        proposals: Vec::new(),
    }
}

fn reply(diagnosis: &Diagnosis, follow: Option<&str>) -> String {
    let titles = [("reed-bed".into(), "Reed Bed".to_owned())].into();
    Reply { diagnosis, titles: &titles, follow, has_client: false, tongue: &Tongue::of("en") }.text()
}

const CLIENT: Option<Role> = Some(Role::Client);
const SERVER: Option<Role> = Some(Role::Server);

#[rstest]
#[case(Code::ModMissing, [Some("2.1"), None], "you don't have Reed Bed 2.1", "Install Reed Bed 2.1, into the folder mods.")]
#[case(Code::ModExtra, [None, Some("2.1")], "you have Reed Bed, and the server does not", "Take Reed Bed out of your game")]
#[case(Code::VersionOlder, [Some("2.1"), Some("2.0")], "your Reed Bed is too old: it is 2.0, and should be 2.1", "Replace your Reed Bed by version 2.1")]
#[case(Code::ContentDiffers, [Some("2.1"), None], "your Reed Bed was changed", "Get Reed Bed 2.1 again, and put it in the place of yours (in the folder mods).")]
#[case(Code::ListOrder, [Some("fog, mist"), None], "Reed Bed:", "Put the list in this order: fog, mist.")]
fn what_is_off_with_a_player(
    #[case] cause: Code,
    #[case] values: [Option<&str>; 2],
    #[case] told: &str,
    #[case] step: &str,
) {
    let text = reply(&diagnosis(vec![verdict(cause, CLIENT, values)]), None);
    assert!(text.starts_with("This is most likely why you could not join:"), "{text}");
    assert!(
        text.contains(told) && text.contains(step) && !text.contains("(.)") && !text.contains("reed-bed"),
        "{text}"
    );
}

/// A sentence about "your a mod" would help nobody.
#[rstest]
#[case(Code::ModMissing, "one of the mods is missing in your game; nothing says which one", "one of them is missing.")]
#[case(Code::ModExtra, "your game has a mod too many", "and their versions against the list")]
#[case(Code::VersionOlder, "one of your mods is not as it should be", "and their versions against the list")]
#[case(Code::ContentDiffers, "one of your mods is not as it should be", "and their versions against the list")]
fn what_is_wrong_with_no_mod_in_particular(#[case] cause: Code, #[case] told: &str, #[case] step: &str) {
    let unnamed = Verdict { mod_id: None, ..verdict(cause, CLIENT, [Some("2.1"), None]) };
    let text = reply(&diagnosis(vec![unnamed]), None);
    assert!(text.contains(told) && text.contains(step), "{text}");
}

#[test]
fn all_of_it_is_told_and_a_release_mends_it_with_one_command() {
    let mut missing = verdict(Code::ModMissing, CLIENT, [Some("2.1"), None]);
    missing.remedy[0].command = Some("kanon follow".to_owned());
    let verdicts: Vec<Verdict> =
        (0..9).map(|at| Verdict { mod_id: Some(format!("m{at}").into()), ..missing.clone() }).collect();
    let text = reply(&diagnosis(verdicts), Some("kanon follow kanon:abc"));
    assert_eq!(text.matches("you don't have").count(), 9, "{text}");
    assert_eq!(text.matches("run: kanon follow kanon:abc").count(), 1, "{text}");
    assert!(!text.contains("Install"), "{text}");
}

#[test]
fn what_is_the_servers_is_no_work_for_the_player() {
    let text = reply(&diagnosis(vec![verdict(Code::VersionOlder, SERVER, [Some("2.1"), Some("2.0")])]), None);
    assert!(text.contains("it is not your fault") && text.contains("Try again when I tell you"), "{text}");
    assert!(!text.contains("What to do"), "{text}");
}

#[test]
fn where_nobody_has_agreed_nothing_is_to_be_changed() {
    let text = reply(&diagnosis(vec![verdict(Code::VersionOlder, None, [Some("2.1"), Some("2.0")])]), None);
    assert!(text.contains("Don't change anything: I decide"), "{text}");
}

#[rstest]
#[case(KeptOutBy::Ban, "you are banned")]
#[case(KeptOutBy::FullServer, "the server was full")]
#[case(KeptOutBy::Password, "the password")]
fn what_is_no_mods_fault_says_nothing_of_installing(#[case] what: KeptOutBy, #[case] told: &str) {
    let text = reply(&Diagnosis { kept_out_by: Some(what), ..diagnosis(Vec::new()) }, Some("kanon follow"));
    assert!(text.contains(told) && !text.to_lowercase().contains("install") && !text.contains("follow"), "{text}");
}

#[test]
fn where_nothing_tells_only_what_is_not_there_is_asked_for() {
    let unsure = Verdict { confidence: 0.3, ..verdict(Code::VersionOther, CLIENT, [None, None]) };
    let text = reply(&diagnosis(vec![unsure]), None);
    assert!(text.starts_with("I can't tell yet") && text.contains("It may be one of these"), "{text}");
    assert!(text.contains("the game's log") && text.contains("mine.json"), "{text}");
    let with_all = Diagnosis { wanted: Vec::new(), ..diagnosis(Vec::new()) };
    let text = reply(&with_all, None);
    assert!(!text.contains("the game's log") && !text.contains("mine.json"), "{text}");
    let got_in = Diagnosis { got_in: true, ..diagnosis(Vec::new()) };
    assert!(reply(&got_in, None).contains("you got in the last time"));
}
