//! Signing keys, signatures and what mods bring besides, through the built program.

use ed25519_dalek::Signer;
use kanon_standin::tree::signing_key;
use rstest::rstest;

use crate::hosts::site::{Site, Way};
use crate::stage::{Stage, fits_its_schema};

const RULES: &str = r#"format = "kanon-rulebook/1"
game   = "Ashmere Reach"

[[shelf]]
name  = "holds"
holds = "folders"
in    = { server = "holds", client = "holds" }
[shelf.mod]
document = { member = "hold.toml" }
id       = "$.id"
version  = "$.release"
required = { each = "$.wants[*]" }
[shelf.signed]
payload   = "stock/*.hold"
signature = "{payload}.{key}.mark"
key       = "keys/{key}.pub"
scheme    = "ed25519"
[[shelf.extra]]
from = "berth"
in   = { server = "berths/hall" }
[[shelf.extra]]
from  = "start.cfg"
in    = { server = "berths/hall/cfg" }
edits = "stay"

[keyring]
in  = { server = "keys" }
own = ["harbour.*"]

[[fragment]]
of       = "server"
from     = "extra/goods.xml"
into     = "world/goods.xml"
before   = "</goods>"
identity = "name"
"#;

const GOODS: &str = "<?xml version=\"1.0\"?>\r\n<goods>\r\n  <!-- the game's own -->\r\n  <good name=\"rope\"><weight>2</weight></good>\r\n</goods>\r\n";

fn put_mod(stage: &Stage, install: &str, id: &str, release: &str, (key, signer): (&str, &str), wants: &str) {
    let at = |path: &str| format!("{install}/holds/{id}/{path}");
    stage.write(&at("hold.toml"), format!("id = \"{id}\"\nrelease = \"{release}\"\nwants = [{wants}]\n"));
    let payload = format!("{id} {release}\n");
    stage.write(&at("stock/a.hold"), &payload);
    stage.write(&at(&format!("stock/a.hold.{key}.mark")), signing_key(signer).sign(payload.as_bytes()).to_bytes());
    stage.write(&at(&format!("keys/{key}.pub")), signing_key(signer).verifying_key().to_bytes());
}

fn put_key(stage: &Stage, name: &str, signer: &str) {
    stage.write(&format!("hall/keys/{name}.pub"), signing_key(signer).verifying_key().to_bytes());
}

/// A hall and a player, two mods by one wright and one by another; the canon is of them.
fn stage() -> Stage {
    let stage = Stage::bare();
    stage.write("reach.rulebook.toml", RULES);
    for install in ["hall", "rowan"] {
        put_mod(&stage, install, "gates", "1.6", ("wright", "wright"), "");
        put_mod(&stage, install, "fish", "0.9", ("wright", "wright"), "\"gates\"");
        put_mod(&stage, install, "bells", "2.0", ("founder", "founder"), "");
        stage.write(
            &format!("{install}/holds/bells/extra/goods.xml"),
            "<goods>\n\t<good name=\"bell\">\n\t\t<weight>40</weight>\n\t</good>\n</goods>\n",
        );
        stage.write(&format!("{install}/holds/fish/extra/goods.xml"), "<good name=\"net\"/>\n<good name=\"line\"/>\n");
        stage.write(&format!("{install}/holds/bells/berth/tunes/one.txt"), "ding\n");
        stage.write(&format!("{install}/holds/bells/start.cfg"), "loud = 1\n");
    }
    stage.write("hall/keys/harbour.pub", "the game's own, of another kind");
    stage.write("hall/keys/read me.txt", "no key, and nobody's business");
    put_key(&stage, "wright", "wright");
    put_key(&stage, "founder", "founder");
    stage.write("hall/world/goods.xml", GOODS);
    let init =
        ["init", "--name", "Low Water", "--rulebook", "reach.rulebook.toml", "--server", "hall", "--client", "rowan"];
    stage.kanon(init).ends_with(0);
    stage.kanon(["adopt", "hall"]).ends_with(0);
    stage.kanon(["seal"]).ends_with(0);
    stage.kanon(["align", "hall", "--yes"]).ends_with(0).says("is in line");
    stage
}

fn codes(stage: &Stage, install: &str) -> Vec<String> {
    let mut codes = stage.codes(install);
    codes.sort();
    codes
}

#[test]
fn keys_are_put_replaced_and_taken_out_and_others_are_not_touched() {
    let stage = stage();
    let good = stage.fingerprint("hall");
    stage.kanon(["keys"]).ends_with(0).says("Every signature was verified and fits; the keys are the canon's");
    let alone = ["keys", "rowan", "--rulebook", "reach.rulebook.toml", "--role", "client"];
    stage.kanon(alone).ends_with(0).says("was verified");
    std::fs::remove_file(stage.path("hall/keys/founder.pub")).unwrap();
    put_key(&stage, "wright", "wright-of-old");
    put_key(&stage, "gone", "gone");
    stage.write("hall/keys/torn.pub", "no key at all");
    assert_eq!(codes(&stage, "hall"), ["key-changed", "key-left-over", "key-missing", "unreadable"]);
    let said = stage
        .kanon(["check", "hall"])
        .ends_with(1)
        .says("the key wright of fish, gates")
        .says("hall/keys/torn.pub".trim_start_matches("hall/"));
    said.says("its 13 bytes are no public key");
    let report = stage.kanon(["keys", "hall", "--format", "json"]).ends_with(1).json();
    fits_its_schema("keys", &report);
    let states: Vec<(&str, &str)> = report["keys"]
        .as_array()
        .unwrap()
        .iter()
        .map(|key| (key["name"].as_str().unwrap(), key["state"].as_str().unwrap()))
        .collect();
    let expected = [
        ("founder", "missing"),
        ("gone", "left-over"),
        ("harbour", "own"),
        ("torn", "no-key"),
        ("wright", "changed"),
        ("wright", "missing"),
    ];
    assert_eq!(states, expected);
    let spoilt = stage.fingerprint("hall");
    stage.kanon(["align", "hall", "--yes"]).ends_with(1).says("torn.pub");
    assert_eq!(stage.read("hall/keys/torn.pub"), "no key at all");
    std::fs::remove_file(stage.path("hall/keys/torn.pub")).unwrap();
    stage.kanon(["check", "hall"]).ends_with(0);
    let bytes = |fingerprint: &crate::stage::Fingerprint| -> Vec<(String, Vec<u8>)> {
        let own = fingerprint.iter().filter(|(name, _)| !name.starts_with("/.kanon"));
        own.map(|(name, (bytes, ..))| (name.clone(), bytes.clone())).collect()
    };
    assert_eq!(bytes(&stage.fingerprint("hall")), bytes(&good));
    stage.write("hall/keys/torn.pub", "no key at all");
    stage.kanon(["undo", "hall"]).ends_with(0);
    assert_eq!(bytes(&stage.fingerprint("hall")), bytes(&spoilt));
    let text = stage.kanon(["keys", "hall"]).ends_with(1).says("the game's own").says("left over");
    text.says("another's key").says("all fit");
}

/// What can be wrong with a signature, on which side, and what is told of it.
#[rstest]
#[case::altered("hall", &["content-differs", "signature-bad"], "an altered payload")]
#[case::missing("rowan", &["content-differs", "signature-missing"], "found none")]
#[case::empty("rowan", &["content-differs", "signature-bad"], "it is empty")]
#[case::cut("hall", &["content-differs", "signature-bad"], "no Ed25519 signature, which has 64")]
#[case::outdated("hall", &["content-differs", "signature-bad"], "an outdated signature")]
#[case::stranger("hall", &["content-differs", "signature-unknown-key"], "signed by stranger")]
#[case::impostor("rowan", &["content-differs", "signature-unknown-key"], "signed with another key wright")]
#[case::no_key("hall", &["content-differs", "signature-bad"], "its key wright is no key")]
fn a_signature_that_does_not_fit_is_told_apart(#[case] install: &str, #[case] expected: &[&str], #[case] words: &str) {
    let stage = stage();
    let at = |path: &str| format!("{install}/holds/gates/{path}");
    let (payload, mark) = (at("stock/a.hold"), at("stock/a.hold.wright.mark"));
    let sign = |signer: &str, text: &str| signing_key(signer).sign(text.as_bytes()).to_bytes();
    match words {
        "an altered payload" => stage.write(&payload, "gates 1.6, wide open\n"),
        "found none" => std::fs::remove_file(stage.path(&mark)).unwrap(),
        "it is empty" => stage.write(&mark, ""),
        "no Ed25519 signature, which has 64" => stage.write(&mark, "short"),
        "an outdated signature" => stage.write(&mark, sign("wright", "gates 1.5\n")),
        "signed by stranger" => {
            std::fs::remove_file(stage.path(&mark)).unwrap();
            stage.write(&at("stock/a.hold.stranger.mark"), sign("stranger", "gates 1.6\n"));
        }
        "signed with another key wright" => {
            stage.write(&mark, sign("impostor", "gates 1.6\n"));
            stage.write(&at("keys/wright.pub"), signing_key("impostor").verifying_key().to_bytes());
        }
        _ => {
            stage.write(&at("keys/wright.pub"), "no key");
            std::fs::remove_file(stage.path("hall/keys/wright.pub")).unwrap();
        }
    }
    let mut found = codes(&stage, install);
    found.retain(|code| code != "key-missing");
    found.dedup();
    assert_eq!(found, expected);
    let said = stage.kanon(["check", install]).ends_with(1);
    let unfolded = said.out.split_whitespace().collect::<Vec<_>>().join(" ");
    assert!(unfolded.contains(words), "{}", said.out);
    stage.kanon(["align", install, "--yes"]).ends_with(0).says("is in line");
}

#[test]
fn a_release_that_its_makers_signed_wrongly_is_never_sealed() {
    let stage = stage();
    let sealed = stage.read("canon.json");
    for install in ["hall", "rowan"] {
        stage.write(&format!("{install}/holds/gates/stock/a.hold"), "never signed\n");
    }
    let wishes = stage.read("kanon.toml").replace("from = \"hall\"\n", "");
    stage.write("kanon.toml", &wishes);
    stage.kanon(["seal"]).says("holds/gates in hall is passed over").says("does not fit it");
    let gates = |text: &str| {
        serde_json::from_str::<serde_json::Value>(text).unwrap()["mods"]
            .as_array()
            .unwrap()
            .iter()
            .find(|m| m["id"] == "gates")
            .unwrap()["digest"]
            .clone()
    };
    assert_eq!(gates(&stage.read("canon.json")), gates(&sealed), "what was sealed stays");
    stage.kanon(["adopt", "hall"]).ends_with(1).says("gates is no whole mod");
    // A newer one that is signed as wrongly has nothing to fall back on.
    stage.write("hall/holds/gates/hold.toml", "id = \"gates\"\nrelease = \"9.9\"\n");
    stage.write("kanon.toml", wishes.replace("id = \"gates\"\nversion = \"1.6\"", "id = \"gates\"\nversion = \"9.9\""));
    let before = stage.read("canon.json");
    stage.kanon(["seal"]).ends_with(1).says("not sealed").says("unreadable").says("does not fit");
    assert_eq!(stage.read("canon.json"), before);
}

#[test]
fn entries_are_merged_once_updated_kept_when_edited_and_taken_out_with_their_mod() {
    let stage = stage();
    let lines = |more: &str| GOODS.replace("</goods>", &format!("{more}</goods>"));
    let bell = "  <good name=\"bell\">\r\n  \t<weight>40</weight>\r\n  </good>\r\n";
    let fish = "  <good name=\"net\"/>\r\n  <good name=\"line\"/>\r\n";
    let merged = lines(&format!("{bell}{fish}"));
    assert_eq!(stage.read("hall/world/goods.xml"), merged);
    // Pasted twice, and one taken out.
    stage.write("hall/world/goods.xml", lines(&format!("{bell}  <good name=\"net\"/>\r\n  <good name=\"net\"/>\r\n")));
    assert_eq!(codes(&stage, "hall"), ["fragment-differs", "fragment-missing"]);
    stage.kanon(["align", "hall", "--yes"]).ends_with(0);
    assert_eq!(stage.read("hall/world/goods.xml"), merged);
    // Edited by hand: reported and kept, unless told otherwise.
    let edited = merged.replace("40", "4");
    stage.write("hall/world/goods.xml", &edited);
    stage.kanon(["check", "hall"]).ends_with(1).says("edited by hand").says("--replace-edits").says("edited-entries");
    stage.kanon(["align", "hall", "--yes"]).ends_with(1);
    assert_eq!(stage.read("hall/world/goods.xml"), edited);
    let wishes = stage.read("kanon.toml");
    stage.write(
        "kanon.toml",
        wishes.replace("[policy]\n", "[policy]\nedited-entries = \"keep\"\n")
            + if wishes.contains("[policy]") { "" } else { "\n[policy]\nedited-entries = \"keep\"\n" },
    );
    stage.kanon(["check", "hall"]).ends_with(0).says("note fragment-differs");
    stage.kanon(["align", "hall", "--yes", "--replace-edits"]).ends_with(0);
    assert_eq!(stage.read("hall/world/goods.xml"), merged);
    stage.kanon(["undo", "hall"]).ends_with(0);
    assert_eq!(stage.read("hall/world/goods.xml"), edited);
    stage.kanon(["align", "hall", "--yes", "--replace-edits"]).ends_with(0);
    // A new release says something else.
    stage.write("kanon.toml", wishes.clone());
    let newer = "shop/bells/";
    put_mod(&stage, "shop-root", "bells", "2.1", ("founder", "founder"), "");
    std::fs::create_dir_all(stage.path("shop")).unwrap();
    std::fs::rename(stage.path("shop-root/holds/bells"), stage.path(newer)).unwrap();
    stage.write(&format!("{newer}extra/goods.xml"), "<goods><good name=\"bell\"><weight>44</weight></good></goods>");
    stage.write("kanon.toml", wishes.clone() + "\n[source.shop]\nat = \"shop\"\n");
    stage.kanon(["renew"]).ends_with(0);
    stage.kanon(["seal"]).ends_with(0);
    stage.kanon(["align", "hall", "--yes"]).ends_with(0);
    assert!(
        stage.read("hall/world/goods.xml").contains("<weight>44</weight>"),
        "{}",
        stage.read("hall/world/goods.xml")
    );
    // It goes with its mod, and the rest stays as it was.
    stage.kanon(["drop", "bells"]).ends_with(0);
    stage.kanon(["seal"]).ends_with(0);
    assert!(codes(&stage, "hall").contains(&"fragment-left-over".to_owned()), "{:?}", codes(&stage, "hall"));
    stage.kanon(["align", "hall", "--yes"]).ends_with(0);
    assert_eq!(stage.read("hall/world/goods.xml"), lines(fish));
    assert!(!stage.path("hall/keys/founder.pub").exists(), "its key goes too");
}

#[test]
fn files_for_other_places_come_and_go_with_their_mod_and_edited_ones_stay() {
    let stage = stage();
    assert_eq!(stage.read("hall/berths/hall/tunes/one.txt"), "ding\n");
    assert_eq!(stage.read("hall/berths/hall/cfg/start.cfg"), "loud = 1\n");
    assert!(!stage.path("rowan/berths").exists(), "they are a server's");
    stage.write("hall/berths/hall/tunes/one.txt", "dong\n");
    stage.write("hall/berths/hall/cfg/start.cfg", "loud = 9\n");
    assert_eq!(codes(&stage, "hall"), ["fragment-differs"]);
    stage.kanon(["align", "hall", "--yes"]).ends_with(0);
    assert_eq!(stage.read("hall/berths/hall/tunes/one.txt"), "ding\n");
    assert_eq!(stage.read("hall/berths/hall/cfg/start.cfg"), "loud = 9\n", "what people go on with stays");
    std::fs::remove_file(stage.path("hall/berths/hall/tunes/one.txt")).unwrap();
    assert_eq!(codes(&stage, "hall"), ["fragment-missing"]);
    stage.kanon(["align", "hall", "--yes"]).ends_with(0);
    stage.write("hall/berths/hall/tunes/own.txt", "mine\n");
    stage.kanon(["drop", "bells"]).ends_with(0);
    stage.kanon(["seal"]).ends_with(0);
    stage.kanon(["align", "hall", "--yes"]).ends_with(0);
    assert!(!stage.path("hall/berths/hall/tunes/one.txt").exists());
    assert_eq!(stage.read("hall/berths/hall/cfg/start.cfg"), "loud = 9\n", "what somebody changed is theirs");
    assert_eq!(stage.read("hall/berths/hall/tunes/own.txt"), "mine\n");
    stage.kanon(["undo", "hall"]).ends_with(0);
    assert_eq!(stage.read("hall/berths/hall/tunes/one.txt"), "ding\n");
}

#[test]
fn a_data_file_that_is_not_well_formed_is_not_touched_and_two_mods_with_one_entry_are_told() {
    let stage = stage();
    let torn = GOODS.replace("</good>", "");
    stage.write("hall/world/goods.xml", &torn);
    let said = stage.kanon(["check", "hall"]).ends_with(1).says("fragment-missing").says("line ");
    said.says("left as it is");
    stage.kanon(["align", "hall", "--yes"]).ends_with(1);
    assert_eq!(stage.read("hall/world/goods.xml"), torn);
    stage.write("hall/holds/fish/extra/goods.xml", "<good name=\"bell\"/>");
    stage.kanon(["seal"]).ends_with(1).says("extra/goods.xml changed").says("kanon seal --accept fish");
    stage
        .kanon(["seal", "--accept", "fish"])
        .ends_with(0)
        .says("brings the entry good bell")
        .says("fish and bells".split(' ').next().unwrap());
}

#[rstest]
fn keys_entries_and_files_are_mended_on_a_host_too(#[values(Way::Ftp, Way::OldFtp, Way::Sftp)] way: Way) {
    let mut stage = stage();
    let good = stage.read("hall/world/goods.xml");
    let site = Site::serve(way, &stage.path("hall")).unwrap();
    site.take(&mut stage, "hall");
    put_key(&stage, "wright", "wright-of-old");
    put_key(&stage, "gone", "gone");
    stage.write("hall/world/goods.xml", GOODS);
    std::fs::remove_file(stage.path("hall/berths/hall/tunes/one.txt")).unwrap();
    let bytes = |stage: &Stage| -> Vec<(String, Vec<u8>)> {
        stage.fingerprint("hall").into_iter().map(|(name, (bytes, ..))| (name, bytes)).collect()
    };
    let spoilt = bytes(&stage);
    let expected = [
        "fragment-missing",
        "fragment-missing",
        "fragment-missing",
        "fragment-missing",
        "key-changed",
        "key-left-over",
    ];
    assert_eq!(codes(&stage, "hall"), expected, "{way:?}");
    stage.kanon(["align", "hall", "--yes"]).ends_with(0).says("is in line");
    assert_eq!(stage.read("hall/world/goods.xml"), good);
    stage.kanon(["check", "hall"]).ends_with(0).says("known by size and time");
    stage.kanon(["undo", "hall"]).ends_with(0);
    let differs = |now: &[(String, Vec<u8>)]| {
        let others =
            now.iter().filter(|file| !spoilt.contains(file)).chain(spoilt.iter().filter(|file| !now.contains(file)));
        others.map(|(name, _)| name.clone()).collect::<Vec<_>>()
    };
    assert_eq!(differs(&bytes(&stage)), [""; 0], "{way:?}");
}
