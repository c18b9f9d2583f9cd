use super::*;
use kanon_app::watching::change::{Change, What};
use rstest::rstest;

fn change(install: &str) -> ChangeReport {
    let what = What::Less { left: 2 };
    told(Change { at: 1_795_900_000, install: Some(install.into()), what }, "Low \"Water\"", &[])
}

#[rstest]
#[case::a_text(r#"{"text": "{title}"}"#, r#"{"text": "hall: off in less than before, still in 2"}"#)]
#[case::several_lines(
    r#"{"embeds": [{"body": "{text}"}]}"#,
    r#"{"embeds": [{"body": "hall: off in less than before, still in 2\ndo: kanon align hall"}]}"#
)]
#[case::quotes_are_quoted(
    r#"{"of": "{canon}", "kind": "{kind}"}"#,
    r#"{"of": "Low \"Water\"", "kind": "install-off-less"}"#
)]
#[case::other_braces(r#"{"x": {"{kind}": 1}, "{y}": {}}"#, r#"{"x": {"install-off-less": 1}, "{y}": {}}"#)]
fn bodies_are_filled(#[case] body: &str, #[case] expected: &str) {
    assert_eq!(filled(body, &change("hall")), expected);
}

#[test]
fn what_is_filled_in_has_no_places_and_stays_inside_its_quotes() {
    let filled = filled(r#"{"a": "{install}"}"#, &change("{kind}\", \"b\": \"\n"));
    let read: serde_json::Value = serde_json::from_str(&filled).expect("JSON");
    assert_eq!(read, serde_json::json!({"a": "{kind}\", \"b\": \"\n"}));
}

#[test]
fn a_body_that_is_no_json_is_refused() {
    let wish = |body: &str| WatchWish { body: Some(body.to_owned()), ..WatchWish::default() };
    assert!(check_body(&wish(r#"{"text": "{text}"}"#)).is_ok());
    assert!(check_body(&wish("{title}")).is_err());
    assert!(check_body(&wish(r#"{"text": {text}}"#)).is_err());
}
