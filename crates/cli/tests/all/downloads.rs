//! Downloads as they come: packed once too often, wrapped, misnamed, for another loader, or no mod at all.

use crate::stage::{Stage, psm, zip_of};
use rstest::rstest;

type Members<'a> = &'a [(&'a str, &'a [u8])];

/// A folder mod of the reach, at a path inside an archive.
fn hold(at: &str, id: &str, release: &str) -> Vec<(String, Vec<u8>)> {
    let text = format!("id = \"{id}\"\nrelease = \"{release}\"\nfits = \"*\"\n");
    vec![(format!("{at}hold.toml"), text.into_bytes()), (format!("{at}stock/a.hold"), b"stock".to_vec())]
}

fn packed(members: &[(String, Vec<u8>)]) -> Vec<u8> {
    zip_of(&members.iter().map(|(name, bytes)| (name.as_str(), bytes.as_slice())).collect::<Vec<_>>())
}

/// Puts one file among the downloads, takes the mod, seals, aligns, and says where its files are on the server.
fn installed(stage: &Stage, file: &str, bytes: &[u8], id: &str) -> Vec<String> {
    stage.write(&format!("downloads/{file}"), bytes);
    stage.kanon(["take", id]).ends_with(0);
    stage.kanon(["seal"]).ends_with(0);
    stage.kanon(["align", "server", "--yes"]).ends_with(0);
    stage.kanon(["check", "server"]).ends_with(0);
    stage.fingerprint("server").into_keys().filter(|path| !path.ends_with('/') && !path.contains(".kanon")).collect()
}

fn polarspur() -> Stage {
    let stage = Stage::bare();
    stage.write("server/engine/trellis-0.9.1.psb", "loader");
    stage.write("server/engine/build.json", r#"{"build": {"version": "1.4.2"}}"#);
    std::fs::create_dir_all(stage.path("server/mods")).unwrap();
    workspace(&stage, "polarspur.rulebook.toml");
    stage
}

fn reach() -> Stage {
    let stage = Stage::bare();
    stage.world.evening("evening").unwrap();
    // These mods are about how they are packed: nobody has signed them.
    let rulebook = stage.read("evening/reach.rulebook.toml");
    stage.write("reach.rulebook.toml", rulebook.split("[shelf.signed]").next().unwrap());
    stage.write("server/engine/about.xml", "<reach><release>2.31.0</release></reach>");
    std::fs::create_dir_all(stage.path("server/holds")).unwrap();
    workspace(&stage, "reach.rulebook.toml");
    stage
}

fn workspace(stage: &Stage, rulebook: &str) {
    std::fs::create_dir_all(stage.path("downloads")).unwrap();
    let init = ["init", "--name", "X", "--rulebook", rulebook, "--server", "server", "--source", "downloads"];
    stage.kanon(init).ends_with(0);
}

#[rstest]
#[case::as_it_is("tide-1.0.psm", |own: &[u8]| own.to_vec(), "/mods/tide-1.0.psm")]
#[case::in_a_folder("november/tide-1.0.psm", |own: &[u8]| own.to_vec(), "/mods/tide-1.0.psm")]
#[case::with_a_read_me("tide (1).zip", |own: &[u8]| zip_of(&[("read me.txt", b"hello"), ("tide-1.0.psm", own)]), "/mods/tide-1.0.psm")]
#[case::in_two_archives("pack.zip", |own: &[u8]| zip_of(&[("manifest.json", b"{}"), ("inner.zip", &zip_of(&[("mods/tide.psm", own)]))]), "/mods/tide.psm")]
#[case::under_another_ending("tide-1.0.zip", |own: &[u8]| own.to_vec(), "/mods/tide-1.0.psm")]
fn an_archive_stays_packed_and_gets_where_it_belongs(
    #[case] file: &str,
    #[case] pack: fn(&[u8]) -> Vec<u8>,
    #[case] expected: &str,
) {
    let stage = polarspur();
    let own = psm("tide", "1.0", "everywhere");
    let found = installed(&stage, file, &pack(&own), "tide");
    assert!(found.iter().any(|path| path == expected), "{found:?}");
    assert_eq!(std::fs::read(stage.path(&format!("server{expected}"))).unwrap(), own, "copied, byte for byte");
    assert!(stage.path(&format!("downloads/{file}")).exists(), "copied, never moved");
}

#[rstest]
#[case::its_own_folder("tide.zip", "tide/")]
#[case::wrapped("tide-1.0.zip", "tide-1.0/tide/")]
#[case::in_a_folder_of_another_name("x.zip", "Tide_v1.0_FINAL/")]
#[case::without_a_folder("tide.zip", "")]
#[case::laid_out_as_the_game("everything.zip", "Ashmere/holds/tide/")]
fn a_folder_is_unpacked_and_called_as_it_must_be(#[case] file: &str, #[case] at: &str) {
    let stage = reach();
    let found = installed(&stage, file, &packed(&hold(at, "tide", "1.0")), "tide");
    let holds: Vec<&String> = found.iter().filter(|path| path.starts_with("/holds/")).collect();
    assert_eq!(holds, ["/holds/tide/hold.toml", "/holds/tide/stock/a.hold"]);
}

#[test]
fn an_archive_with_several_mods_gives_each() {
    let stage = reach();
    let both = [hold("pack/tide/", "tide", "1.0"), hold("pack/fog/", "fog", "0.3")].concat();
    installed(&stage, "both.zip", &packed(&both), "tide");
    let found = installed(&stage, "both.zip", &packed(&both), "fog");
    assert!(found.contains(&"/holds/fog/hold.toml".to_owned()) && found.contains(&"/holds/tide/hold.toml".to_owned()));
}

#[rstest]
#[case::another_loader("crane.zip", &[("crane.psm", include_foreign())], "crane in it was made for the loader Gantry")]
#[case::nothing_known("pictures.zip", &[("a.png", &b"png"[..]), ("b.txt", b"text")], "there is no mod of Polarspur in it, nor anything else")]
#[case::an_installer_inside("setup.zip", &[("setup.exe", &b"MZ..."[..])], "of setup.exe in it: it is a Windows program")]
fn what_holds_no_mod_is_told_and_passed_over(#[case] file: &str, #[case] members: Members<'_>, #[case] told: &str) {
    let stage = polarspur();
    stage.write(&format!("downloads/{file}"), zip_of(members));
    stage.write("downloads/tide-1.0.psm", psm("tide", "1.0", "everywhere"));
    stage.kanon(["take", "tide"]).ends_with(0).says(&format!("note: {file} in downloads is passed over")).says(told);
}

/// A mod of the demo's other loader, as bytes that live as long as the test.
fn include_foreign() -> &'static [u8] {
    let foreign = zip_of(&[("gantry.toml", b"[mod]\nname = \"crane\"\nrelease = \"2\"\n")]);
    Box::leak(foreign.into_boxed_slice())
}

#[rstest]
#[case::torn(|whole: Vec<u8>| whole[..whole.len() / 2].to_vec(), "it is no whole zip archive")]
#[case::leading_out(|_| zip_of(&[("../../tide.psm", b"x")]), "dangerous name")]
#[case::rar(|_| b"Rar!\x1a\x07\x01\x00 and more".to_vec(), "unpack it by hand")]
fn a_download_that_can_not_be_unpacked_is_told(#[case] spoil: fn(Vec<u8>) -> Vec<u8>, #[case] told: &str) {
    let stage = polarspur();
    stage.write("downloads/bad.zip", spoil(zip_of(&[("tide.psm", &psm("tide", "1.0", "everywhere"))])));
    stage.write("downloads/fog-1.0.psm", psm("fog", "1.0", "everywhere"));
    stage.kanon(["take", "fog"]).ends_with(0).says("note: bad.zip in downloads is passed over").says(told);
    stage.kanon(["take", "tide"]).ends_with(1).says("no release of tide is in any source or install");
    assert!(!stage.path("tide.psm").exists() && !stage.path(".kanon/tide.psm").exists());
}

#[test]
fn releases_of_an_install_are_known_again_in_the_sources() {
    let stage = Stage::sealed();
    std::fs::create_dir_all(stage.path("downloads")).unwrap();
    let name = |id: &str| {
        let found = std::fs::read_dir(stage.path("station/mods")).unwrap().flatten();
        found.map(|entry| entry.file_name().into_string().unwrap()).find(|name| name.starts_with(id)).unwrap()
    };
    for id in ["aurora-core", "snowtrack"] {
        let file = name(id);
        std::fs::copy(stage.path(&format!("station/mods/{file}")), stage.path(&format!("downloads/{file}"))).unwrap();
    }
    stage.write("downloads/sled-dogs-1.1.0.psm", psm("sled-dogs", "1.1.0", "everywhere"));
    let wishes = stage.read("kanon.toml") + "\n[source.downloads]\nat = \"downloads\"\n";
    stage.write("kanon.toml", wishes);
    let said = stage.kanon(["adopt", "station"]).ends_with(0);
    let said = said.says("2 of them, byte for byte, are in the source downloads");
    said.says("sled-dogs 1.1.0 is in downloads too, with other bytes; the copy of station counts");
    let wishes = stage.read("kanon.toml");
    assert_eq!(wishes.matches("from = \"downloads\"").count(), 2);
    stage.kanon(["seal"]).ends_with(0);
}

#[test]
fn a_bridging_mod_comes_with_what_it_lets_run() {
    let stage = polarspur();
    let rulebook =
        stage.read("polarspur.rulebook.toml") + "\n[[bridge]]\nloader = \"Gantry\"\nmods = [\"gantry-deck\"]\n";
    stage.write("polarspur.rulebook.toml", rulebook);
    stage.write("downloads/gantry-deck-1.0.psm", psm("gantry-deck", "1.0", "everywhere"));
    let found = installed(&stage, "crane.psm", include_foreign(), "crane");
    assert!(found.contains(&"/mods/gantry-deck-1.0.psm".to_owned()) && found.contains(&"/mods/crane.psm".to_owned()));
    stage.kanon(["why", "gantry-deck"]).ends_with(0).says("crane 2 needs it");
}

/// Opaque files say nothing of themselves: the catalogue's word is all there is, and it goes by their bytes.
#[test]
fn a_catalogue_tells_the_releases_of_mods_that_state_none() {
    let stage = Stage::bare();
    let rulebook = "format = \"kanon-rulebook/1\"\ngame = \"Tallowfen\"\n[versions]\nranges = \"intervals\"\n[[shelf]]\nname = \"stock\"\n\
        holds = \"files\"\nin = \"stock\"\nmatch = [\"*.stock\"]\n[shelf.mod]\nid = { file-name = '^(?<id>[a-z]+)' }\n";
    stage.write("fen.toml", rulebook);
    stage.write("server/stock/lamps.stock", "old lamps");
    for (file, text) in [("lamps.stock", "old lamps"), ("new/lamps.stock", "new lamps"), ("reeds.stock", "reeds")] {
        stage.write(&format!("shop/{file}"), text);
    }
    let entry = |id: &str, version: &str, file: &str, text: &str, needs: serde_json::Value| {
        let (digest, sha256) = (
            kanon_core::base::digest::Blake3::of(text.as_bytes()),
            kanon_core::base::digest::Sha256::of(text.as_bytes()),
        );
        let name = format!("{id}.stock");
        let download = serde_json::json!({"file": file, "size": text.len(), "blake3": digest, "sha256": sha256});
        serde_json::json!({"version": version, "relations": needs, "digest": digest, "name": name, "download": download})
    };
    let none = || serde_json::json!([]);
    let lamps = [
        entry("lamps", "1.0", "lamps.stock", "old lamps", none()),
        entry("lamps", "1.1", "new/lamps.stock", "new lamps", none()),
    ];
    let needs = serde_json::json!([{"kind": "required", "id": "lamps", "range": "[1.1,2)"}]);
    let reeds = [entry("reeds", "0.3", "reeds.stock", "reeds", needs)];
    let mods = serde_json::json!([{"id": "lamps", "releases": lamps}, {"id": "reeds", "releases": reeds}]);
    let catalogue = serde_json::json!({"format": "kanon-catalogue/1", "game": "Tallowfen", "mods": mods});
    stage.write("shop/catalogue.json", catalogue.to_string());
    let init =
        ["init", "--name", "X", "--rulebook", "fen.toml", "--server", "server", "--source", "shop=shop/catalogue.json"];
    stage.kanon(init).ends_with(0);
    stage.kanon(["adopt", "server"]).ends_with(0);
    assert!(stage.read("kanon.toml").contains("id = \"lamps\"\nversion = \"1.0\"\nfrom = \"shop\""));
    stage.kanon(["seal"]).ends_with(0);
    stage.kanon(["check"]).ends_with(0);
    stage.kanon(["take", "reeds"]).ends_with(0).says("changed lamps 1.0 -> 1.1, from shop").says("new     reeds 0.3");
    stage.kanon(["seal"]).ends_with(0);
    stage.kanon(["align", "server", "--yes"]).ends_with(0);
    assert_eq!(stage.read("server/stock/lamps.stock"), "new lamps");
    stage.kanon(["check"]).ends_with(0).says("in line");
    stage.kanon(["renew", "--preview"]).ends_with(0).says("up to date");
}
