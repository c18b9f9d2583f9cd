//! What a player who installs by hand is told, and what not.

use rstest::rstest;

use super::*;
use crate::base::digest::Blake3;
use crate::base::path::InstallPath;
use crate::canon::{SealedList, SealedSetting};
use crate::manifest::{MergedEntry, ModManifest, Relation};
use crate::rulebook;
use crate::survey::{InstallFacts, Survey, SurveyedFile, SurveyedMod};

const RULES: &str = r##"
format = "kanon-rulebook/1"
game = "Ashmere"
[loader]
name = "Tackle"
[[shelf]]
name = "holds"
holds = "folders"
in = { server = "holds", client = ["holds"] }
[shelf.mod]
id = "$.id"
[[shelf.extra]]
from = "profile"
in = { client = "tunes" }
[[shelf]]
name = "flags"
holds = "files"
in = { client = ["flags", "flags/spare"] }
[shelf.mod]
id = "$.id"
[[list]]
name = "boat's line"
of = "client"
file = "sail.bat"
option = "-holds="
entry = "#{id}"
between = ";"
ordered = true
[[list]]
name = "known holds"
of = "client"
file = "known.txt"
notation = "lines"
entry = "{id}"
[[fragment]]
of = "client"
from = "goods.xml"
into = "world/goods.xml"
before = "</goods>"
identity = "name"
[[setting]]
name = "port"
file = "net.toml"
at = "$.port"
[[setting]]
name = "address"
of = "client"
file = "boat.toml"
at = "$.to"
"##;

fn rules() -> Rulebook {
    rulebook::parse("rulebook", RULES).expect("a rulebook").value
}

fn found(id: &str, version: &str, needed_on: NeededOn) -> SurveyedMod {
    let is_flag = id.starts_with("flag");
    let path = |text: &str| InstallPath::new(text).expect("a path");
    let (shelf, name) = if is_flag { ("flags", format!("{id}.flag")) } else { ("holds", id.to_owned()) };
    let files = if is_flag {
        vec![format!("flags/{name}")]
    } else {
        vec![format!("holds/{id}/stock.hold"), format!("holds/{id}/profile/{id}.tune")]
    };
    let file = |text: &String| SurveyedFile::new(path(text), 10, Blake3::of(format!("{text}{version}").as_bytes()));
    let entry = MergedEntry { into: path("world/goods.xml"), key: format!("good {id}"), blake3: Blake3::of(b"x") };
    let needs = Relation { kind: RelationKind::Required, id: "tide".into(), range: None };
    SurveyedMod {
        manifest: ModManifest {
            id: id.into(),
            version: Some(version.to_owned()),
            title: (id == "tide").then(|| "Tide Gates".to_owned()),
            needed_on,
            relations: if id == "lamp" { vec![needs] } else { Vec::new() },
            entries: if id == "lamp" { vec![entry] } else { Vec::new() },
            ..ModManifest::default()
        },
        shelf: shelf.into(),
        place: path(shelf),
        enabled: true,
        path: path(&format!("{shelf}/{name}")),
        name,
        digest: Blake3::of(format!("{id} {version}").as_bytes()),
        files: files.iter().map(file).collect(),
        members: Vec::new(),
        members_total: 0,
        signatures: Vec::new(),
    }
}

fn canon(mods: Vec<SurveyedMod>) -> Canon {
    let setting = |name: &str, of, is: &str| SealedSetting { name: name.to_owned(), of, is: is.to_owned() };
    let list =
        |name: &str, of| SealedList { name: name.to_owned(), of, entries: vec!["tide".to_owned(), "lamp".to_owned()] };
    Canon {
        settings: vec![setting("port", None, "7100"), setting("address", Some(Role::Client), "host.example:{port}")],
        lists: vec![list("boat's line", Role::Client), list("known holds", Role::Client)],
        loader_version: Some("1.4".to_owned()),
        ..Canon::from_survey(&Survey { mods, ..Survey::empty(InstallFacts::bare("hall", Role::Server)) })
    }
}

fn set() -> Vec<SurveyedMod> {
    vec![
        found("tide", "1.5", NeededOn::Both),
        found("lamp", "0.9", NeededOn::Both),
        found("wall", "2", NeededOn::Server),
        found("flag-red", "3", NeededOn::Optional),
    ]
}

#[test]
fn all_that_a_hand_needs_is_told() {
    let handout = assemble(&canon(set()), &rules(), Extras::Keep, None);
    let mods: Vec<_> =
        handout.mods.iter().map(|m| (m.position, m.title.as_str(), m.way, m.places.join(" "), m.optional)).collect();
    assert_eq!(
        mods,
        [
            (1, "Tide Gates", Way::Folder, "holds".to_owned(), false),
            (2, "lamp", Way::Folder, "holds".to_owned(), false),
            (4, "flag-red", Way::File, "flags flags/spare".to_owned(), true),
        ]
    );
    assert_eq!((handout.mods[1].needs.clone(), handout.mods[1].bytes), (vec!["tide".into()], 20));
    assert_eq!(handout.loader, Some(("Tackle".to_owned(), Some("1.4".to_owned()))));
    assert_eq!(
        (handout.server_only, handout.folders),
        (vec!["wall".into()], ["flags", "flags/spare", "holds"].map(str::to_owned).to_vec())
    );
    assert_eq!(handout.lines.iter().map(|line| line.text.as_str()).collect::<Vec<_>>(), ["\"-holds=#tide;#lamp\""]);
    assert_eq!(
        handout.lists.iter().map(|list| list.file.as_str()).collect::<Vec<_>>(),
        ["known.txt"],
        "a launch line is no list"
    );
    let settings: Vec<_> = handout.settings.iter().map(|s| (s.file.as_str(), s.value.as_str())).collect();
    assert_eq!(settings, [("net.toml", "7100"), ("boat.toml", "host.example:7100")]);
    assert_eq!(
        handout.copies.iter().map(|copy| copy.to.as_str()).collect::<Vec<_>>(),
        ["tunes/lamp.tune", "tunes/tide.tune"]
    );
    assert_eq!(
        (handout.entries[0].into.as_str(), handout.entries[0].keys.clone()),
        ("world/goods.xml", vec!["good lamp".to_owned()])
    );
    assert!(handout.own_mods_stay && handout.news.is_none());
}

fn told(news: &News) -> String {
    let version = |version: &Option<String>| version.clone().unwrap_or_else(|| "-".to_owned());
    let one = |news: &ModNews| format!("{} {} > {}", news.id, version(&news.from), version(&news.to));
    news.mods.iter().map(one).collect::<Vec<_>>().join("; ")
}

#[rstest]
#[case::new(vec![found("tide", "1.5", NeededOn::Both)], "tide - > 1.5")]
#[case::gone(vec![], "")]
#[case::the_servers_alone(vec![found("wall", "2", NeededOn::Server)], "")]
fn what_is_new_is_what_concerns_players(#[case] mods: Vec<SurveyedMod>, #[case] expected: &str) {
    let news = assemble(&canon(mods), &rules(), Extras::Keep, Some((6, &canon(Vec::new())))).news.expect("news");
    assert_eq!((news.since, told(&news)), (6, expected.to_owned()));
}

#[rstest]
#[case::renewed("tide", "1.4", NeededOn::Both, "tide 1.4 > 1.5")]
#[case::gone("reed", "7", NeededOn::Client, "reed 7 > -; tide - > 1.5")]
#[case::from_the_server("tide", "1.5", NeededOn::Server, "tide - > 1.5")]
fn changes_are_told(#[case] id: &str, #[case] version: &str, #[case] side: NeededOn, #[case] expected: &str) {
    let last = canon(vec![found(id, version, side)]);
    let now = canon(vec![found("tide", "1.5", NeededOn::Both)]);
    let news = assemble(&now, &rules(), Extras::Forbid, Some((1, &last))).news.expect("news");
    assert_eq!(told(&news), expected);
}
