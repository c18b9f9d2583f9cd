//! Choosing releases from a catalogue: taking, dropping, renewing, asking why, and sealing what came of it.

use crate::stage::{Said, Stage, fits_its_schema};
use kanon_standin::shop::{Fault, Shop};
use rstest::rstest;
use serde_json::Value;

/// The demo's reach with its shop open, everybody in line with what was sealed.
struct Reach {
    stage: Stage,
    shop: Shop,
}

impl Reach {
    fn new() -> Self {
        Self::with(Fault::None)
    }

    fn with(fault: Fault) -> Self {
        let stage = Stage::bare();
        stage.world.evening("reach").unwrap();
        stage.kanon(["-C", "reach", "catalogue", "shop", "--rulebook", "reach.rulebook.toml"]).ends_with(1);
        let shop = Shop::open(&stage.path("reach/shop"), fault).unwrap();
        let reach = Self { stage, shop };
        let source = format!("shop=http://127.0.0.1:{}/", reach.shop.port);
        let init = ["init", "--name", "Low Water", "--rulebook", "reach.rulebook.toml", "--server", "hall"];
        let init: Vec<&str> = init.into_iter().chain(["--client", "rowan", "--source", &source]).collect();
        reach.kanon(&init).ends_with(0);
        reach.kanon(&["adopt", "hall"]).ends_with(0);
        reach.kanon(&["seal"]).ends_with(0);
        reach
    }

    fn kanon(&self, words: &[&str]) -> Said {
        self.stage.kanon(["-C", "reach"].into_iter().chain(words.iter().copied()))
    }

    fn json(&self, words: &[&str]) -> Value {
        self.kanon(&[words, &["--format", "json", "-q"]].concat()).json()
    }

    /// The wishes as `id version`, those that nobody asked for with a plus.
    fn wishes(&self) -> String {
        let text = self.stage.read("reach/kanon.toml");
        let read: toml::Table = toml::from_str(&text).unwrap();
        let wish = |wish: &toml::Value| {
            let plus = if wish.get("asked").is_some() { "+" } else { "" };
            format!("{plus}{} {}", wish["id"].as_str().unwrap(), wish["version"].as_str().unwrap())
        };
        read["mod"].as_array().unwrap().iter().map(wish).collect::<Vec<_>>().join(", ")
    }

    fn edit_catalogue(&self, edit: impl Fn(&mut Value)) {
        let mut catalogue: Value = serde_json::from_str(&self.stage.read("reach/shop/catalogue.json")).unwrap();
        edit(&mut catalogue);
        self.stage.write("reach/shop/catalogue.json", catalogue.to_string());
    }
}

/// A release of the shop's catalogue.
fn release<'c>(catalogue: &'c mut Value, id: &str, version: &str) -> &'c mut Value {
    let of = catalogue["mods"].as_array_mut().unwrap().iter_mut().find(|of| of["id"] == id).unwrap();
    of["releases"].as_array_mut().unwrap().iter_mut().find(|release| release["version"] == version).unwrap()
}

#[test]
fn an_evening_from_the_preview_to_everybody_in_line() {
    let reach = Reach::new();
    assert_eq!(reach.wishes(), "drowned-bells 2.0, lantern-fish 0.9.2, salt-maps 1.0, tide-gates 1.6");
    let before = reach.stage.read("reach/kanon.toml");
    let rows = reach.json(&["renew", "--preview"]);
    let row = |id: &str| rows["mods"].as_array().unwrap().iter().find(|row| row["mod"] == id).unwrap().clone();
    assert_eq!((&row("tide-gates")["fits"], &row("tide-gates")["key_changed"]), (&"1.7".into(), &true.into()));
    assert_eq!((&row("drowned-bells")["fits"], &row("drowned-bells")["key_changed"]), (&"2.1".into(), &false.into()));
    assert_eq!(row("salt-maps")["held_back"], "fits game >=2.40, and the game is 2.31.0");
    assert_eq!(reach.stage.read("reach/kanon.toml"), before, "a preview writes nothing");
    reach
        .kanon(&["renew"])
        .ends_with(0)
        .says("changed tide-gates 1.6 -> 1.7, from shop")
        .says("salt-maps 1.2 is held back");
    reach.kanon(&["align", "hall", "--yes"]).ends_with(2).says("kanon.toml has changed since the canon was sealed");
    reach.kanon(&["check"]).says("note: kanon.toml has changed since the canon was sealed");
    let seal = reach.json(&["seal", "--changes"]);
    let change = |id: &str| seal["changes"].as_array().unwrap().iter().find(|c| c["mod"] == id).unwrap().clone();
    assert_eq!((&change("tide-gates")["to"], &change("tide-gates")["key_changed"]), (&"1.7".into(), &true.into()));
    assert!(change("tide-gates")["notes"].as_str().unwrap().starts_with("Sluices open"));
    reach.kanon(&["seal"]).ends_with(0);
    let canon = reach.stage.read("reach/canon.json");
    reach.kanon(&["seal"]).ends_with(0).says("nothing changed");
    std::fs::remove_file(reach.stage.path("reach/canon.json")).unwrap();
    reach.kanon(&["seal"]).ends_with(0);
    assert_eq!(reach.stage.read("reach/canon.json"), canon, "a seal is the same from the same");
    for install in ["hall", "rowan"] {
        reach.kanon(&["align", install, "--yes"]).ends_with(0);
    }
    reach.kanon(&["check"]).ends_with(0).says("in line: 2 installs");
    assert!(reach.stage.read("reach/rowan/holds/lantern-fish/hold.toml").contains("0.9.3"));
}

#[test]
fn a_newer_game_says_who_is_ready_and_who_blocks_it() {
    let reach = Reach::new();
    let said = reach.kanon(&["renew", "--game", "2.40.0", "--preview"]).ends_with(1);
    let said = said.says("1 of 4 mods blocks it, 1 more can't do without what blocks it");
    let said = said.says("blocks: drowned-bells 2.0: its newest, 2.1, fits game >=2.31 <2.40, and the game is 2.40.0");
    said.says("waits: salt-maps 1.0: its newest, 1.2, needs drowned-bells, whose newest, 2.1,")
        .says("ready as they are: lantern-fish, tide-gates");
    let rows = reach.json(&["renew", "--game", "2.40.0", "--preview"]);
    let ready: Vec<&Value> = rows["mods"].as_array().unwrap().iter().map(|row| &row["ready"]).collect();
    assert_eq!(ready, [&Value::from(false), &true.into(), &false.into(), &true.into()]);
    reach.kanon(&["renew", "--game", "2.40.0"]).ends_with(1).says("kanon drop");
    assert!(!reach.stage.read("reach/kanon.toml").contains("2.40"));
    reach.kanon(&["drop", "drowned-bells", "salt-maps"]).ends_with(0);
    reach.kanon(&["renew", "--game", "2.40.0"]).ends_with(0);
    assert!(reach.stage.read("reach/kanon.toml").contains("game-version = \"2.40.0\""));
    assert_eq!(reach.wishes(), "lantern-fish 0.9.3, tide-gates 1.7");
}

#[test]
fn what_is_taken_brings_what_it_needs_and_goes_with_it() {
    let reach = Reach::new();
    reach.kanon(&["drop", "drowned-bells", "lantern-fish", "salt-maps", "tide-gates"]).ends_with(0);
    reach.kanon(&["take", "salt-maps", "--preview"]).ends_with(0).says("nothing was written");
    reach.kanon(&["take", "salt-maps"]).ends_with(0).says("with it drowned-bells 2.1, from shop, needed by salt-maps");
    assert_eq!(reach.wishes(), "+drowned-bells 2.1, salt-maps 1.0, +tide-gates 1.7");
    let why = reach.json(&["why", "tide-gates"]);
    assert_eq!((&why["wished"], &why["asked"]), (&true.into(), &false.into()));
    assert_eq!(why["chains"], serde_json::json!([["salt-maps", "drowned-bells", "tide-gates"]]));
    reach.kanon(&["why", "tide-gates"]).says("drowned-bells 2.1 needs it (>=1.5)").says("because others need it");
    reach.kanon(&["why", "reed-beds"]).ends_with(1).says("is not in the set");
    reach.kanon(&["why", "tide-gate"]).ends_with(2).says("did you mean `tide-gates`?");
    reach.kanon(&["drop", "tide-gates"]).ends_with(0).says("tide-gates stays: drowned-bells needs it");
    reach.kanon(&["drop", "Salt-Maps"]).ends_with(0).says("gone    tide-gates 1.7");
    assert!(!reach.stage.read("reach/kanon.toml").contains("[[mod]]"));
    reach.kanon(&["drop", "salt-maps"]).ends_with(2).says("is not in kanon.toml");
}

#[test]
fn a_mod_can_be_kept_to_some_releases() {
    let reach = Reach::new();
    reach.kanon(&["take", "tide-gates@<1.7"]).ends_with(0).says("updates of tide-gates keep to <1.7 from now on");
    reach.kanon(&["renew"]).ends_with(0).says("tide-gates 1.7 is held back: kanon.toml accepts <1.7");
    assert_eq!(reach.wishes(), "drowned-bells 2.1, lantern-fish 0.9.2, salt-maps 1.0, tide-gates 1.6");
    let said = reach.kanon(&["take", "lantern-fish@>=0.9.3"]).ends_with(1);
    let said = said
        .says("lantern-fish >=0.9.3 and tide-gates <1.7 can't be together")
        .says("lantern-fish 0.9.3 needs tide-gates >=1.7");
    said.says("kanon take tide-gates@1.7");
    let told = reach.json(&["take", "lantern-fish@>=0.9.3"]);
    assert_eq!(told["clashes"].as_array().unwrap().len(), 1);
    assert_eq!(told["written"], false);
    reach.kanon(&["take", "tide-gates@1.7", "lantern-fish"]).ends_with(0);
    assert_eq!(reach.wishes(), "drowned-bells 2.1, lantern-fish 0.9.3, salt-maps 1.0, tide-gates 1.7");
    reach.kanon(&["take", "tide-gates@=>1"]).ends_with(2).says("is no requirement");
}

#[rstest]
#[case(&["reed"], "reed-beds")]
#[case(&["lantrn"], "lantern-fish")]
#[case(&["maps", "salt"], "salt-maps")]
fn mods_are_found_by_words(#[case] words: &[&str], #[case] first: &str) {
    let reach = Reach::new();
    let found = reach.json(&[&["take", "--search"], words].concat());
    assert_eq!(found["found"][0]["mod"], first);
    assert!(reach.kanon(&["take", "--search", "zeppelin"]).ends_with(1).out.starts_with("nothing answers to zeppelin"));
}

/// What a catalogue says wrongly, and what is told of it.
#[rstest]
#[case::digest(|c: &mut Value| release(c, "tide-gates", "1.7")["download"]["blake3"] = "0".repeat(64).into(), "the catalogue promises the digest 0000")]
#[case::size(|c: &mut Value| release(c, "tide-gates", "1.7")["download"]["size"] = 7.into(), "7 bytes are promised, and more came")]
#[case::other_mod(|c: &mut Value| { let other = release(c, "salt-maps", "1.0")["download"].clone(); release(c, "tide-gates", "1.7")["download"] = other; }, "the catalogue promises tide-gates 1.7, and the download is salt-maps 1.0")]
#[case::other_version(|c: &mut Value| release(c, "tide-gates", "1.7")["version"] = "1.8".into(), "promises tide-gates 1.8, and the download is tide-gates 1.7")]
#[case::other_bytes(|c: &mut Value| release(c, "tide-gates", "1.7")["digest"] = "1".repeat(64).into(), "the download unpacks to")]
#[case::an_installer(|c: &mut Value| {
    let bytes = b"MZ, and then much that nobody should run\n";
    let download = &mut release(c, "tide-gates", "1.7")["download"];
    download["file"] = "install-everything.exe".into();
    download["size"] = bytes.len().into();
    download["blake3"] = blake3_of(bytes).into();
    download["sha256"] = sha256_of(bytes).into();
}, "a Windows program, perhaps an installer")]
fn a_download_that_is_not_what_was_promised_is_never_sealed(#[case] lie: fn(&mut Value), #[case] told: &str) {
    let reach = Reach::new();
    reach.edit_catalogue(lie);
    let canon = reach.stage.read("reach/canon.json");
    reach.kanon(&["renew"]).ends_with(0);
    let said = reach.kanon(&["seal"]).ends_with(2).says(told);
    assert!(said.err.contains("do:"), "{}", said.err);
    assert_eq!(reach.stage.read("reach/canon.json"), canon);
}

fn blake3_of(bytes: &[u8]) -> String {
    kanon_core::base::digest::Blake3::of(bytes).to_string()
}

fn sha256_of(bytes: &[u8]) -> String {
    kanon_core::base::digest::Sha256::of(bytes).to_string()
}

#[rstest]
#[case::control_characters(|c: &mut Value| c["mods"][0]["id"] = "ti\u{1b}[2Jde".into(), "a character that can't be shown")]
#[case::a_path_that_leads_out(|c: &mut Value| release(c, "salt-maps", "1.2")["download"]["file"] = "../../hall/hall.exe".into(), "it is no catalogue")]
#[case::another_game(|c: &mut Value| c["game"] = "Polarspur".into(), "it is of the game Polarspur")]
#[case::twice(|c: &mut Value| { let one = c["mods"][0].clone(); c["mods"].as_array_mut().unwrap().push(one); }, "its id is listed twice")]
#[case::without_end(|c: &mut Value| { let one = serde_json::json!({"id": "a", "releases": []}); c["mods"] = vec![one; 60_000].into(); }, "a list has more than 50000 entries")]
fn a_catalogue_that_can_not_be_is_refused_whole(#[case] lie: fn(&mut Value), #[case] told: &str) {
    let reach = Reach::new();
    let before = reach.stage.read("reach/kanon.toml");
    reach.edit_catalogue(lie);
    let said = reach.kanon(&["renew"]).ends_with(2).says(told).says("the catalogue shop can't be used");
    assert!(!said.err.contains('\u{1b}'), "{:?}", said.err);
    assert_eq!(reach.stage.read("reach/kanon.toml"), before);
}

#[test]
fn what_only_a_player_has_is_no_update() {
    let reach = Reach::new();
    let hold = reach.stage.read("reach/rowan/holds/tide-gates/hold.toml");
    reach.stage.write("reach/rowan/holds/tide-gates/hold.toml", hold.replace("1.6", "9.9"));
    reach.stage.write("reach/rowan/holds/own/hold.toml", "id = \"own\"\nrelease = \"1\"\nfits = \"*\"\n");
    reach.kanon(&["renew"]).ends_with(0).says("tide-gates 1.6 -> 1.7");
    reach.kanon(&["take", "own"]).ends_with(0).says("new     own 1, from rowan");
}

#[test]
fn mods_that_need_each_other_can_be_had() {
    let reach = Reach::new();
    reach.edit_catalogue(|catalogue| {
        let needs = serde_json::json!([{"kind": "required", "id": "lantern-fish", "range": ">=0.9.3"}]);
        release(catalogue, "tide-gates", "1.7")["relations"] = needs;
    });
    reach.kanon(&["take", "reed-beds"]).ends_with(0);
    reach.kanon(&["renew"]).ends_with(0);
    reach.kanon(&["seal"]).ends_with(0);
}

#[test]
fn a_line_that_drops_and_a_host_that_is_away_are_got_over() {
    let reach = Reach::with(Fault::Cut(700));
    reach.kanon(&["renew"]).ends_with(0);
    reach.kanon(&["seal"]).ends_with(0);
    let Reach { stage, shop } = reach;
    drop(shop);
    let away = |words: &[&str]| stage.kanon(["-C", "reach"].into_iter().chain(words.iter().copied()));
    away(&["renew", "--preview"]).ends_with(0).says("note: the catalogue shop can't be reached");
    away(&["seal"]).ends_with(0).says("nothing changed");
    away(&["align", "rowan", "--yes"]).ends_with(0);
    std::fs::remove_dir_all(stage.path("reach/.kanon/catalogues")).unwrap();
    away(&["renew", "--preview"]).ends_with(2).says("check the address in kanon.toml");
}

#[test]
fn a_catalogue_keeps_what_was_written_into_it_and_is_the_same_each_time() {
    let reach = Reach::new();
    let again = || reach.kanon(&["catalogue", "shop"]).ends_with(1);
    again();
    let first = reach.stage.read("reach/shop/catalogue.json");
    again().says("install-everything.exe").says("Kanon runs nothing that it finds");
    assert_eq!(reach.stage.read("reach/shop/catalogue.json"), first);
    reach.edit_catalogue(|catalogue| {
        catalogue["mods"][0]["about"] = "bells under water".into();
        release(catalogue, "drowned-bells", "2.1")["date"] = "2026-01-02".into();
        release(catalogue, "drowned-bells", "2.1")["notes"] = "a second bell".into();
    });
    again();
    let written = reach.stage.read("reach/shop/catalogue.json");
    for kept in ["bells under water", "2026-01-02", "a second bell", "Sluices open with the gates."] {
        assert!(written.contains(kept), "{kept}");
    }
    assert_eq!(reach.json(&["take", "--search", "water"])["found"][0]["mod"], "drowned-bells");
}

/// Each report of choosing, against the schemas that docs/schemas promises.
#[test]
fn reports_of_choosing_fit_their_schemas() {
    let reach = Reach::new();
    let catalogue: Value = serde_json::from_str(&reach.stage.read("reach/shop/catalogue.json")).unwrap();
    let reports = [
        ("catalogue", catalogue),
        ("catalogue-made", reach.json(&["catalogue", "shop"])),
        ("renewal", reach.json(&["renew", "--preview"])),
        ("renewal", reach.json(&["renew", "--game", "2.40.0", "--preview"])),
        ("wishes", reach.json(&["take", "reed-beds", "tide-gates@<1.7"])),
        ("wishes", reach.json(&["take", "lantern-fish@>=0.9.3"])),
        ("wishes", reach.json(&["drop", "tide-gates"])),
        ("why", reach.json(&["why", "tide-gates"])),
        ("search", reach.json(&["take", "--search", "reed"])),
        ("adopted", reach.json(&["adopt", "hall"])),
        ("seal", reach.json(&["seal", "--changes"])),
    ];
    for (name, report) in reports {
        fits_its_schema(name, &report);
    }
}

/// Many mods with twenty releases each: what can't be is explained in few lines, and the same set is found twice.
#[test]
fn many_mods_are_chosen_from_and_explained_in_few_lines() {
    let stage = Stage::bare();
    stage.kanon(["standin", "bulk", "800", "20", "catalogue.json"]).ends_with(0);
    let head =
        "format = \"kanon/1\"\nname = \"Bulk\"\nrulebook = \"polarspur.rulebook.toml\"\ngame-version = \"1.7\"\n";
    stage.write("kanon.toml", format!("{head}[source.bulk]\nat = \"catalogue.json\"\n"));
    let ids: Vec<String> = (1..=60).map(|n| format!("mod-{:04}", n * 13)).collect();
    let words = |more: &[&'static str]| -> Vec<String> {
        ["take", "--preview"].iter().chain(more).map(|word| (*word).to_owned()).chain(ids.iter().cloned()).collect()
    };
    let run = |words: Vec<String>| crate::stage::said(stage.command(words));
    let first = run(words(&[])).ends_with(0);
    assert!(first.out.lines().count() > 100, "{}", first.out);
    assert_eq!(run(words(&[])).out, first.out);
    let clash = run(words(&["bog-iron", "peat-fire"])).ends_with(1);
    assert!(clash.out.lines().count() <= 15, "{}", clash.out);
    for part in [
        "bog-iron (any release) and peat-fire (any release) can't be together",
        "needs anvil-core",
        "leave peat-fire out",
    ] {
        assert!(clash.out.contains(part), "{part} in {}", clash.out);
    }
}

/// A server with three mods, sealed, and a folder of newer releases.
fn moor(newer: &[(&str, &str)]) -> Stage {
    let stage = Stage::empty();
    stage.write("g.rulebook.toml", "format = \"kanon-rulebook/1\"\ngame = \"Ebbmoor\"\n[[shelf]]\nname = \"holds\"\nholds = \"folders\"\nin = \"holds\"\n[shelf.mod]\ndocument = { member = \"sheet.json\" }\nid = \"$.id\"\nversion = \"$.v\"\nload-after = { each = \"$.after[*]\" }\n");
    for id in ["moss", "reed", "sedge"] {
        stage.write(&format!("hall/holds/{id}/sheet.json"), format!("{{\"id\": \"{id}\", \"v\": \"1.0\"}}"));
    }
    stage.write("kanon.toml", "format = \"kanon/1\"\nname = \"Ebb\"\nrulebook = \"g.rulebook.toml\"\n[install.hall]\nrole = \"server\"\nat = \"hall\"\n[source.shop]\nat = \"shop\"\n");
    std::fs::create_dir_all(stage.path("shop")).unwrap();
    stage.kanon(["adopt", "hall"]).ends_with(0);
    stage.kanon(["seal"]).ends_with(0);
    for (file, text) in newer {
        stage.write(&format!("shop/{file}/sheet.json"), text);
    }
    stage
}

/// What would fit and could not be sealed is not wished for: the rest is renewed, and seals.
#[rstest]
#[case::an_order_that_can_not_be(
    &[("moss", r#"{"id": "moss", "v": "2.0", "after": ["reed"]}"#), ("reed", r#"{"id": "reed", "v": "2.0", "after": ["moss"]}"#), ("sedge", r#"{"id": "sedge", "v": "2.0"}"#)],
    "order-impossible", 2)]
#[case::one_release_twice(
    &[("moss", r#"{"id": "moss", "v": "2.0"}"#), ("moss-b", r#"{"id": "moss", "v": "2.0", "other": 1}"#), ("sedge", r#"{"id": "sedge", "v": "2.0"}"#)],
    "moss-b", 1)]
#[case::all_can(
    &[("moss", r#"{"id": "moss", "v": "2.0"}"#), ("sedge", r#"{"id": "sedge", "v": "2.0"}"#)],
    "", 2)]
fn what_could_not_be_sealed_is_not_chosen(#[case] newer: &[(&str, &str)], #[case] told: &str, #[case] moved: usize) {
    let stage = moor(newer);
    let seen = stage.kanon(["renew", "--preview"]).ends_with(0);
    if !told.is_empty() {
        seen.says(told).says("kanon seal would refuse it");
    }
    let report = stage.kanon(["renew", "--format", "json"]).ends_with(0).json();
    assert_eq!(report["changes"].as_array().unwrap().len(), moved, "{report}");
    stage.kanon(["seal"]).ends_with(0);
    stage.kanon(["renew"]).ends_with(0).says("nothing to change");
}

#[test]
fn a_watch_counts_the_updates_that_a_preview_counts() {
    let stage = moor(&[
        ("moss", r#"{"id": "moss", "v": "2.0", "after": ["reed"]}"#),
        ("reed", r#"{"id": "reed", "v": "2.0", "after": ["moss"]}"#),
        ("sedge", r#"{"id": "sedge", "v": "2.0"}"#),
    ]);
    let counted = || stage.kanon(["status", "--format", "json", "-q"]).json()["updates"]["mods"].clone();
    stage.kanon(["watch", "--once"]);
    let by_watch = counted();
    stage.kanon(["renew", "--preview"]).ends_with(0);
    assert_eq!((by_watch, counted()), (2.into(), 2.into()), "one of the two that can't be in one order stays");
}

#[test]
fn a_release_that_is_asked_for_and_could_not_be_sealed_is_refused_with_the_reason() {
    let twice = [("moss", r#"{"id": "moss", "v": "2.0"}"#), ("moss-b", r#"{"id": "moss", "v": "2.0", "other": 1}"#)];
    let stage = moor(&twice);
    let before = stage.read("kanon.toml");
    let said = stage.kanon(["take", "moss@2.0"]).ends_with(1);
    said.says("kanon seal would refuse it").says("moss-b").says("kanon.toml was not changed");
    assert_eq!(stage.read("kanon.toml"), before);
}
