//! Which mod an entry of a list names.

use super::*;
use crate::base::digest::Blake3;
use crate::base::path::InstallPath;
use crate::manifest::ModManifest;
use crate::rulebook::{Filled, parse};
use rstest::rstest;

fn rulebook() -> Rulebook {
    let text = "format = 'kanon-rulebook/1'\ngame = 'Tallowfen'\n[base]\nids = ['Fen']\n[loader]\nname = 'Wick'\nids = ['wick']\n\
        [[shelf]]\nname = 'mods'\nholds = 'files'\nin = 'mods'\n[shelf.mod]\nid = { file-name = '(?<id>.+)' }\n\
        [[list]]\nname = 'list'\nfile = 'list.txt'\nnotation = 'lines'\nkeep = ['bought-*']\n";
    parse("test", text).unwrap_or_else(|bad| panic!("{bad}")).value
}

fn of(id: &str, name: &str) -> SurveyedMod {
    let path = InstallPath::new(&format!("mods/{name}")).expect("a path");
    SurveyedMod {
        manifest: ModManifest { id: id.into(), ..ModManifest::default() },
        shelf: "mods".into(),
        place: InstallPath::new("mods").expect("a path"),
        enabled: true,
        path,
        name: name.to_owned(),
        digest: Blake3::of(id.as_bytes()),
        files: Vec::new(),
        members: Vec::new(),
        members_total: 0,
        signatures: Vec::new(),
    }
}

fn by_id(id: &str) -> RawEntry {
    let names = Filled { id: Some(id.to_owned()), ..Filled::default() };
    RawEntry { text: id.to_owned(), names, digest: None, on: true }
}

fn by_name(name: &str) -> RawEntry {
    let names = Filled { name: Some(name.to_owned()), ..Filled::default() };
    RawEntry { text: format!("@{name}"), names, digest: None, on: false }
}

#[rstest]
#[case::id(by_id("Reed.Lamps"), "reed.lamps", StandsFor::Mod)]
#[case::id_in_another_case(by_id("REED.lamps"), "reed.lamps", StandsFor::Mod)]
#[case::name(by_name("Lamps of Reed"), "reed.lamps", StandsFor::Mod)]
#[case::an_id_is_no_name(by_id("Lamps of Reed"), "Lamps of Reed", StandsFor::Nothing)]
#[case::a_name_is_no_id(by_name("reed.lamps"), "reed.lamps", StandsFor::Nothing)]
#[case::the_game(by_id("fen"), "fen", StandsFor::Game)]
#[case::the_loader(by_id("wick"), "wick", StandsFor::Game)]
#[case::bought(by_id("bought-hats"), "bought-hats", StandsFor::Game)]
#[case::nothing(by_id("gone"), "gone", StandsFor::Nothing)]
#[case::written_otherwise(RawEntry { text: "???".to_owned(), ..RawEntry::default() }, "???", StandsFor::Nothing)]
fn an_entry_names_what_it_says(#[case] raw: RawEntry, #[case] id: &str, #[case] stands_for: StandsFor) {
    let rulebook = rulebook();
    let mods = [of("reed.lamps", "Lamps of Reed"), of("peat", "peat")];
    let on = raw.on;
    let entry = Known::new(&rulebook, &mods).entry(&rulebook.lists[0], raw);
    assert_eq!((entry.id.as_str(), entry.stands_for, entry.on), (id, stands_for, on));
}

#[test]
fn of_two_mods_with_one_id_an_entry_names_the_id() {
    let rulebook = rulebook();
    let mods = [of("peat", "peat-1"), of("Peat", "peat-2")];
    let entry = Known::new(&rulebook, &mods).entry(&rulebook.lists[0], by_id("PEAT"));
    assert_eq!((entry.id, entry.stands_for), ("peat".into(), StandsFor::Mod));
}
