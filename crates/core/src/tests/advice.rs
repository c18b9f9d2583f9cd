use super::*;
use rstest::rstest;

/// Every way in which something can be known or not.
fn ways<const N: usize>() -> impl Iterator<Item = [bool; N]> {
    (0..1_u32 << N).map(|bits| std::array::from_fn(|at| bits & 1 << at != 0))
}

/// What is wrong with a sentence, as somebody sees who only reads it.
fn slips(sentence: &str) -> Vec<&'static str> {
    const SLIPS: [&str; 14] = ["  ", " .", " ,", ":.", ": .", "()", "( ", " )", "..", ";;", ": (", "{", " ;", ":;"];
    let mut found: Vec<&str> = SLIPS.into_iter().filter(|slip| sentence.contains(slip)).collect();
    found.extend((!sentence.ends_with('.')).then_some("no end"));
    found.extend(sentence.chars().next().is_none_or(char::is_lowercase).then_some("no capital"));
    found.extend((sentence.matches('(').count() != sentence.matches(')').count()).then_some("a lost bracket"));
    found
}

#[test]
fn what_to_mend_is_a_sentence_whatever_is_known() {
    let mut bad = Vec::new();
    for &code in Code::ALL {
        for [has_id, has_expected, has_found, has_path] in ways() {
            let mut finding = Finding::new(code, crate::base::act::Act::MendFile);
            finding.mod_id = has_id.then(|| "Fog-Horn".into());
            finding.expected = has_expected.then(|| "2.1".into());
            finding.found = has_found.then(|| "1.9".into());
            finding.path = has_path.then(|| "loads/Fog-Horn".to_owned());
            let mend = Mend { install: "The quay".into(), finding: Box::new(finding) };
            let said = Advice::Mend(mend).of_any_install();
            if !slips(&said).is_empty() {
                bad.push(format!("{code}: {said} {:?}", slips(&said)));
            }
        }
    }
    assert!(bad.is_empty(), "{}", bad.join("\n"));
}

#[test]
fn what_to_do_by_hand_is_a_sentence_whatever_is_known() {
    let mut bad = Vec::new();
    for &cause in Code::ALL {
        for side in [None, Some(Role::Client), Some(Role::Server)] {
            for [has_id, has_file, is_wanted, must_stay] in ways() {
                let step = ManualStep {
                    cause,
                    mod_id: has_id.then(|| "Fog-Horn".into()),
                    side,
                    file: has_file.then(|| "Loads.txt".to_owned()),
                    wanted: is_wanted.then(|| "2.1".to_owned()),
                    must_stay,
                };
                let said = Advice::On("the quay".to_owned(), step).of_any_install();
                if !slips(&said).is_empty() {
                    bad.push(format!("{cause}: {said} {:?}", slips(&said)));
                }
            }
        }
    }
    assert!(bad.is_empty(), "{}", bad.join("\n"));
}

#[rstest]
#[case::nothing(&[], "Say which side is right. Nothing that was measured speaks for either. Make that one the canon")]
#[case::one(
    &[(Role::Server, &[("2.1", "")][..])],
    "Say which side is right. For the server: its 2.1 is the newer one. Make that one the canon"
)]
#[case::both(
    &[(Role::Client, &[("2.1", ""), ("tide", ">=2")][..]), (Role::Server, &[("reed", "<2")][..])],
    "Say which side is right. For the client: its 2.1 is the newer one; tide there needs fog >=2. For the server: reed there needs fog <2. Make"
)]
fn without_a_canon_each_side_has_its_say(#[case] sides: &[(Role, &[(&str, &str)])], #[case] begins: &str) {
    let reason = |&(name, range): &(&str, &str)| match range {
        "" => Reason::Newer(name.to_owned()),
        range => Reason::Needed { leaning: name.into(), id: "fog".into(), range: range.to_owned() },
    };
    let speaks = sides.iter().map(|(role, reasons)| (*role, reasons.iter().map(reason).collect())).collect();
    let finding = Box::new(Finding::new(Code::VersionOlder, crate::base::act::Act::MendFile).about("fog"));
    let by_hand = Mend { install: "wren".into(), finding };
    let said = Advice::Choose(Choice { speaks, by_hand }).to_string();
    assert!(said.starts_with(begins), "{said}");
    assert_eq!(slips(&said), Vec::<&str>::new(), "{said}");
}

#[rstest]
#[case::a_player_who_lacks(
    Code::ModMissing,
    Some(Role::Client),
    "Install fog 2.1 on the client, or take it off the server."
)]
#[case::a_player_who_is_behind(
    Code::VersionOlder,
    Some(Role::Client),
    "Install the release of fog that the server has (wanted: 2.1)."
)]
#[case::nobody_knows_who(Code::VersionOlder, None, "Give both sides the same release of fog (wanted: 2.1).")]
#[case::the_server(Code::ListEntryMissing, Some(Role::Server), "Add fog to the mod list on the server.")]
#[case::a_player(Code::ListEntryMissing, Some(Role::Client), "Add fog to the mod list.")]
#[case::the_order(
    Code::ListOrder,
    Some(Role::Client),
    "Put the mods in the order that the server has, in the launch line and in lists."
)]
fn it_is_told_to_whom_it_falls(#[case] cause: Code, #[case] side: Option<Role>, #[case] says: &str) {
    let (mod_id, wanted) = (Some("fog".into()), Some("2.1".to_owned()));
    let step = ManualStep { cause, mod_id, side, file: None, wanted, must_stay: false };
    assert_eq!(step.to_string(), says);
}

#[test]
fn a_mod_that_must_stay_is_not_to_be_taken_off() {
    let step = |must_stay| ManualStep {
        cause: Code::ModMissing,
        mod_id: None,
        side: Some(Role::Client),
        file: Some("fog.load".to_owned()),
        wanted: None,
        must_stay,
    };
    assert_eq!(step(true).to_string(), "Install fog.load on the client.");
    assert_eq!(step(false).to_string(), "Install fog.load on the client, or take it off the server.");
}
