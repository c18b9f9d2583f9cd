use super::*;
use kanon_core::base::finding::Severity;
use kanon_io::hook::Untaken;
use rstest::rstest;

fn said(what: What) -> ChangeReport {
    let typed = ["-C".to_owned(), "reach".to_owned()];
    told(Change { at: 1_795_900_000, install: Some("the hall".into()), what }, "Low Water", &typed)
}

#[rstest]
#[case(What::InLine, "install-in-line", false, "in line again", None)]
#[case(What::Less { left: 2 }, "install-off-less", false, "still in 2", Some(r#"kanon -C reach align "the hall""#))]
#[case(What::CutOff(7), "alignment-cut-off", true, "alignment 7", Some(r#"kanon -C reach align "the hall""#))]
#[case(What::Up { seconds: Some(75) }, "server-up", false, "after 75 seconds", None)]
#[case(What::Up { seconds: None }, "server-up", false, "the server is up", None)]
#[case(What::NotUp { seconds: 780, said: None }, "server-not-up", true, "after 13 minutes", Some(r#"kanon -C reach health "the hall""#))]
#[case(What::Loops(3), "server-loops", true, "3 times", Some(r#"kanon -C reach diagnose --server "the hall""#))]
#[case(What::SignaturesEnd { number: 2, ends: 1_796_500_000, days: 6 }, "signatures-end", true, "in 6 days", Some("kanon -C reach publish"))]
#[case(What::SignaturesEnd { number: 2, ends: 1_795_800_000, days: -1 }, "signatures-ended", true, "have ended", Some("kanon -C reach publish"))]
#[case(
    What::NotMended(NotMended::Decision(Code::VersionOlder)),
    "not-mended",
    true,
    "not mended by itself",
    Some(r#"kanon -C reach align "the hall" --preview"#)
)]
#[case(
    What::NotMended(NotMended::NoSign),
    "not-mended",
    true,
    "not mended by itself",
    Some(r#"kanon -C reach align "the hall" --preview"#)
)]
#[case(What::Mended { alignment: 4, steps: 1 }, "mended", false, "1 file put in place", Some(r#"kanon -C reach undo "the hall""#))]
#[case(What::WishesChanged, "wishes-changed", false, "kanon.toml", Some("kanon -C reach seal --changes"))]
fn each_change_has_a_headline_and_what_to_do(
    #[case] what: What,
    #[case] kind: &str,
    #[case] bad: bool,
    #[case] title: &str,
    #[case] advice: Option<&str>,
) {
    let told = said(what);
    assert_eq!((told.kind, told.bad, told.advice.as_deref()), (kind, bad, advice), "{told:?}");
    assert!(told.title.contains(title), "{}", told.title);
    assert_eq!((told.canon.as_str(), told.at.as_str()), ("Low Water", "2026-11-28T21:06:40Z"));
}

#[test]
fn what_fell_off_names_the_first_few_and_how_many_more() {
    let finding = |number: usize| KeptFinding {
        code: Code::ContentDiffers,
        severity: Severity::Blocking,
        mod_id: Some(FoldedId::from(format!("reed-{number}").as_str())),
        path: Some(format!("mods/reed-{number}.psm")),
        expected: None,
        found: None,
        remedy: String::new(),
    };
    let touched =
        |number: usize| Touched { path: format!("mods/reed-{number}.psm"), modified: None, is_gone: number == 0 };
    let what = What::Off {
        findings: (0..9).map(finding).collect(),
        in_all: 12,
        touched: (0..9).map(touched).collect(),
        by_canon: true,
        was_off: true,
    };
    let told = said(what);
    assert_eq!((told.kind, told.title.as_str()), ("install-off-more", "off the canon in 12, in more than before"));
    assert_eq!(told.details[0], "another canon counts since the last look");
    assert_eq!(told.details.iter().filter(|detail| detail.starts_with("and 3 more")).count(), 2, "{:?}", told.details);
    assert!(told.details.contains(&"gone: mods/reed-0.psm".to_owned()));
    assert!(told.details.contains(&"touched: mods/reed-1.psm".to_owned()));
    assert_eq!((told.findings.len(), told.touched.len()), (9, 9), "programs get all of them");
}

#[test]
fn a_refusal_without_a_verdict_says_how_to_look_closer() {
    let what = What::Refused { player: Some("Mara B".into()), verdicts: Vec::new(), kept_out_by: Some(KeptOutBy::Ban) };
    let told = said(what);
    assert_eq!(told.title, "Mara B was turned away");
    assert_eq!(told.details, ["the log speaks of a ban"]);
    let advice = r#"kanon -C reach diagnose --server "the hall" --player "Mara B""#;
    assert_eq!(told.advice.as_deref(), Some(advice));
}

#[test]
fn deliveries_say_whose_they_are() {
    let not_taken = Delivery::NotTaken { way: Way::Hook, why: Untaken::Told("it answered 404".to_owned()) };
    assert!(delivery(&not_taken).starts_with("the hook of [watch] did not take what is told: it answered 404"));
    assert!(delivery(&Delivery::TakenAgain(Way::Command)).starts_with("the command of [watch]"));
    assert!(delivery(&Delivery::Dropped(1)).starts_with("1 change "));
}
