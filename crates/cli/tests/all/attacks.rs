//! The attacks that the specification of The Update Framework names, one by one, against the built program: each is refused in
//! words of its own, and nothing of the player's game is changed.

use std::collections::HashMap;
use std::num::NonZeroU64;

use aws_lc_rs::signature::Ed25519KeyPair;
use jiff::{SignedDuration, Timestamp as Time};
use kanon_core::base::digest::Sha256;
use rstest::rstest;
use serde::Serialize;
use serde::de::DeserializeOwned;
use tough::schema::{Hashes, Metafile, Role, Root, Signature, Signed, Snapshot, Targets, Timestamp};
use tough::sign::Sign;

use crate::hosts::web::Web;
use crate::releases::{invite, update};
use crate::stage::{Fingerprint, Said, Stage};

/// A station, and oskar who follows its first release.
pub struct Scene {
    pub stage: Stage,
    pub invite: String,
    /// The game as it is before the attack.
    before: Fingerprint,
}

impl Scene {
    pub fn set() -> Self {
        let stage = Stage::sealed();
        stage.kanon(["publish", "site"]).ends_with(0);
        let invite = invite(&stage);
        stage.kanon(["follow", "--yes", &invite, "oskar"]).ends_with(0);
        let mut scene = Self { stage, invite, before: Fingerprint::new() };
        scene.before = scene.game("oskar");
        scene
    }

    /// A player's game without what Kanon keeps of its own.
    pub fn game(&self, player: &str) -> Fingerprint {
        let all = self.stage.fingerprint(player).into_iter();
        all.filter(|(name, _)| name != "/" && !name.starts_with("/.kanon")).collect()
    }

    /// Oskar, who knows the release, and tove, who has just been invited: both refuse, and nothing changes.
    #[track_caller]
    fn is_refused(&self, told: &str) {
        self.is_refused_by_oskar(told);
        let tove = self.game("tove");
        self.stage.kanon(["follow", "--yes", &self.invite, "tove"]).ends_with(2).says(told);
        assert_eq!(self.game("tove"), tove);
        assert!(!self.stage.path("tove/.kanon/follow/canon.json").exists(), "it follows nothing");
    }

    #[track_caller]
    fn is_refused_by_oskar(&self, told: &str) -> Said {
        let said = self
            .stage
            .kanon(["follow", "--yes", "oskar"])
            .ends_with(2)
            .says(told)
            .says("nothing was changed")
            .says("do:");
        assert_eq!(self.game("oskar"), self.before);
        said
    }

    #[track_caller]
    fn is_followed(&self, release: u64) {
        let report = self.stage.kanon(["follow", "--yes", "oskar", "--format", "json"]).ends_with(0).json();
        assert_eq!((report["release"].as_u64(), report["in_line"].as_bool()), (Some(release), Some(true)));
    }

    /// Publishes another release of a mod.
    fn publish(&self, version: &str) {
        update(&self.stage, version);
        self.stage.kanon(["publish"]).ends_with(0);
    }

    fn copy(&self, from: &str, to: &str) {
        drop(std::fs::remove_dir_all(self.stage.path(to)));
        let done =
            std::process::Command::new("cp").arg("-a").arg(self.stage.path(from)).arg(self.stage.path(to)).status();
        assert!(done.unwrap().success());
    }

    /// The file of a target, as it is called in the release.
    pub fn target(&self, name: &str) -> String {
        let targets: Signed<Targets> = self.signed(&format!("metadata/{}.targets.json", self.number()));
        let known = tough::TargetName::new(name).unwrap();
        let sha256 = &targets.signed.targets[&known].hashes.sha256;
        format!("site/targets/{}.{name}", Sha256::from_bytes(sha256.as_ref().try_into().unwrap()))
    }

    fn number(&self) -> u64 {
        self.signed::<Signed<Timestamp>>("metadata/timestamp.json").signed.version.get()
    }

    fn signed<T: DeserializeOwned>(&self, file: &str) -> T {
        serde_json::from_slice(&std::fs::read(self.stage.path(&format!("site/{file}"))).unwrap()).unwrap()
    }

    /// The keys that were stolen: those of the workspace as it is now.
    fn stolen(&self) -> Vec<Ed25519KeyPair> {
        let keys = std::fs::read_dir(self.stage.path(".kanon/release/keys")).unwrap();
        keys.map(|key| {
            let pem = std::fs::read_to_string(key.unwrap().path()).unwrap();
            let base64: String = pem.lines().filter(|line| !line.starts_with('-')).collect();
            use base64::Engine as _;
            let der = base64::engine::general_purpose::STANDARD.decode(base64).unwrap();
            Ed25519KeyPair::from_pkcs8(&der).unwrap()
        })
        .collect()
    }

    fn write<T: Role + Serialize>(&self, file: &str, role: T, keys: &[Ed25519KeyPair]) -> Vec<u8> {
        let form = role.canonical_form().unwrap();
        let sign = |key: &Ed25519KeyPair| Signature {
            keyid: key.tuf_key().key_id().unwrap(),
            sig: Ed25519KeyPair::sign(key, &form).as_ref().to_vec().into(),
        };
        let signed = Signed { signed: role, signatures: keys.iter().map(sign).collect() };
        let bytes = serde_json::to_vec(&signed).unwrap();
        self.stage.write(&format!("site/{file}"), &bytes);
        bytes
    }

    /// Signs a release with other files than the publisher's program would make, by keys that are good: the publisher is the
    /// attacker.
    pub fn sign(&self, files: &[(&str, String)]) {
        for (name, text) in files {
            self.stage.write(&format!("site/targets/{}.{name}", Sha256::of(text.as_bytes())), text);
        }
        self.forge(&self.stolen(), self.number() + 1, in_days(100), |targets| {
            for (name, text) in files {
                let target = targets.targets.get_mut(&tough::TargetName::new(*name).unwrap()).unwrap();
                (target.length, target.hashes) = (text.len() as u64, hashes(text.as_bytes()));
            }
        });
    }

    /// Signs a release with another rulebook, and a canon that was changed to fit.
    pub fn sign_rulebook(&self, rulebook: &str, change: impl Fn(&mut serde_json::Value)) {
        let mut canon: serde_json::Value = serde_json::from_str(&self.stage.read(&self.target("canon.json"))).unwrap();
        canon["rulebook"] = kanon_core::base::digest::Blake3::of(rulebook.as_bytes()).to_string().into();
        // Whoever makes a canon by hand leaves out what it would be known again by.
        canon.as_object_mut().unwrap().remove("seal");
        change(&mut canon);
        self.sign(&[("game.rulebook.toml", rulebook.to_owned()), ("canon.json", canon.to_string())]);
    }

    /// Signs a release like the one that is there, changed by somebody who has these keys.
    fn forge(&self, keys: &[Ed25519KeyPair], version: u64, expires: Time, change: impl Fn(&mut Targets)) {
        let number = self.number();
        let mut targets: Signed<Targets> = self.signed(&format!("metadata/{number}.targets.json"));
        let mut snapshot: Signed<Snapshot> = self.signed(&format!("metadata/{number}.snapshot.json"));
        let mut timestamp: Signed<Timestamp> = self.signed("metadata/timestamp.json");
        let version = NonZeroU64::new(version).unwrap();
        (targets.signed.version, snapshot.signed.version, timestamp.signed.version) = (version, version, version);
        (targets.signed.expires, snapshot.signed.expires, timestamp.signed.expires) = (expires, expires, expires);
        change(&mut targets.signed);
        let written = self.write(&format!("metadata/{version}.targets.json"), targets.signed, keys);
        snapshot.signed.meta.insert("targets.json".to_owned(), meta(version, &written));
        let written = self.write(&format!("metadata/{version}.snapshot.json"), snapshot.signed, keys);
        timestamp.signed.meta.insert("snapshot.json".to_owned(), meta(version, &written));
        self.write("metadata/timestamp.json", timestamp.signed, keys);
    }
}

fn meta(version: NonZeroU64, bytes: &[u8]) -> Metafile {
    Metafile { length: Some(bytes.len() as u64), hashes: Some(hashes(bytes)), version, _extra: HashMap::new() }
}

fn hashes(bytes: &[u8]) -> Hashes {
    Hashes { sha256: Sha256::of(bytes).as_bytes().to_vec().into(), _extra: HashMap::new() }
}

fn in_days(days: i64) -> Time {
    Time::now() + SignedDuration::from_hours(24 * days)
}

/// The canon with another digest for one mod, as a target: what an attacker wants players to install.
fn with_other_canon(scene: &Scene, targets: &mut Targets) {
    let canon = scene.stage.read(&scene.target("canon.json")).replace("Longnight", "Darknight");
    let name = tough::TargetName::new("canon.json").unwrap();
    let target = targets.targets.get_mut(&name).unwrap();
    (target.length, target.hashes) = (canon.len() as u64, hashes(canon.as_bytes()));
    scene.stage.write(&format!("site/targets/{}.canon.json", Sha256::of(canon.as_bytes())), canon);
}

#[test]
fn arbitrary_software_signed_by_somebody_else() {
    let scene = Scene::set();
    let own = [Ed25519KeyPair::generate().unwrap()];
    scene.forge(&own, 2, in_days(100), |targets| with_other_canon(&scene, targets));
    scene.is_refused("the signature of its timestamp is wrong");
}

#[test]
fn arbitrary_software_in_the_place_of_a_mod() {
    let scene = Scene::set();
    scene.publish("3.9.0");
    let mods: Vec<String> =
        scene.stage.fingerprint("site/blobs").into_keys().filter(|name| !name.ends_with('/')).collect();
    for name in &mods {
        let path = format!("site/blobs{name}");
        let size = std::fs::read(scene.stage.path(&path)).unwrap().len();
        scene.stage.write(&path, vec![b'x'; size]);
    }
    let said = scene
        .stage
        .kanon(["follow", "--yes", "oskar"])
        .ends_with(2)
        .says("and another one was signed; nothing of it was kept");
    assert!(said.err.contains("do: run kanon follow again"), "{}", said.err);
    assert_eq!(scene.game("oskar"), scene.before);
}

#[test]
fn another_root_than_the_invites() {
    let scene = Scene::set();
    let other = Stage::sealed();
    other.kanon(["publish", "site"]).ends_with(0);
    std::fs::rename(other.path("site"), scene.stage.path("theirs")).unwrap();
    scene.copy("theirs", "site");
    let tove = scene.game("tove");
    scene
        .stage
        .kanon(["follow", "--yes", &scene.invite, "tove"])
        .ends_with(2)
        .says("it is not the release of your invite")
        .says("ask whoever invited you");
    assert_eq!(scene.game("tove"), tove);
    scene.is_refused_by_oskar("the signature of its timestamp is wrong");
}

#[test]
fn rollback_to_a_release_that_was_good_once() {
    let scene = Scene::set();
    scene.copy("site", "old");
    scene.publish("3.9.0");
    scene.is_followed(2);
    let scene = Scene { before: scene.game("oskar"), ..scene };
    scene.copy("old", "site");
    scene.is_refused_by_oskar("its timestamp is older than the one that was here before");
    scene.publish("3.9.1");
    scene.is_followed(3);
}

#[test]
fn rollback_of_the_snapshot_alone_by_who_has_the_keys_for_timestamps() {
    let scene = Scene::set();
    scene.publish("3.9.0");
    scene.is_followed(2);
    let scene = Scene { before: scene.game("oskar"), ..scene };
    let mut timestamp: Signed<Timestamp> = scene.signed("metadata/timestamp.json");
    timestamp.signed.version = NonZeroU64::new(9).unwrap();
    let old = std::fs::read(scene.stage.path("site/metadata/1.snapshot.json")).unwrap();
    timestamp.signed.meta.insert("snapshot.json".to_owned(), meta(NonZeroU64::MIN, &old));
    scene.write("metadata/timestamp.json", timestamp.signed, &scene.stolen());
    scene.is_refused_by_oskar("its snapshot is older than the one that was here before");
}

#[test]
fn fast_forward_is_recovered_from_by_new_keys() {
    let scene = Scene::set();
    scene.forge(&scene.stolen(), 1 << 40, in_days(100), |_| ());
    let report = scene.stage.kanon(["follow", "--yes", "oskar", "--format", "json"]).ends_with(0).json();
    assert_eq!(report["in_line"], true, "the numbers alone do no harm: {report}");
    scene.stage.kanon(["publish", "--new-key"]).ends_with(0).says("release 2");
    scene.is_followed(2);
    scene.publish("3.9.0");
    scene.is_followed(3);
}

#[test]
fn indefinite_freeze_ends_with_the_signatures() {
    let scene = Scene::set();
    scene.forge(&scene.stolen(), 2, in_days(-1), |_| ());
    scene.is_refused("has ended: newer releases are held back, or none was published for long");
    scene.stage.kanon(["publish"]).ends_with(0);
    scene.is_followed(3);
}

/// What never ends, by how it begins; and what a player is told.
#[rstest]
#[case::timestamp("metadata/timestamp.json", "timestamp.json is no honest file")]
#[case::root("metadata/2.root.json", "2.root.json is no honest file")]
#[case::snapshot("metadata/2.snapshot.json", "2.snapshot.json is no honest file")]
#[case::targets("metadata/2.targets.json", "2.targets.json is no honest file")]
#[case::canon("canon.json", "canon.json is no honest file")]
#[case::mods("blobs", "bytes are promised, and more came")]
fn endless_data(#[case] what: &str, #[case] told: &str) {
    let scene = Scene::set();
    let web = Web::serve(&scene.stage.path("site"));
    let there = scene.invite.replace(&scene.stage.path("site").display().to_string(), &web.address());
    scene.stage.kanon(["follow", "--yes", &there, "oskar"]).ends_with(0);
    scene.publish("3.9.0");
    let files: Vec<String> = match what {
        "canon.json" => vec![scene.target(what).trim_start_matches("site/").to_owned()],
        "blobs" => scene.stage.fingerprint("site/blobs").into_keys().map(|name| format!("blobs{name}")).collect(),
        file => vec![file.to_owned()],
    };
    for file in files {
        let begin = std::fs::read(scene.stage.path(&format!("site/{file}"))).unwrap_or_default();
        web.manners.endless.lock().unwrap().insert(file, begin);
    }
    scene.stage.kanon(["follow", "--yes", "oskar"]).ends_with(2).says(told).says("do:");
    assert_eq!(scene.game("oskar"), scene.before);
    web.manners.endless.lock().unwrap().clear();
    scene.is_followed(2);
}

#[test]
fn extraneous_dependencies_are_added_to_nothing() {
    let scene = Scene::set();
    scene.publish("3.9.0");
    let file = scene.target("canon.json");
    let mut canon: serde_json::Value = serde_json::from_str(&scene.stage.read(&file)).unwrap();
    let mut worm = canon["mods"][0].clone();
    (worm["id"], worm["name"]) = ("worm".into(), "worm.psm".into());
    canon["mods"].as_array_mut().unwrap().push(worm);
    scene.stage.write(&file, serde_json::to_vec(&canon).unwrap());
    scene.is_refused("is another file than the one that was signed");
}

/// Files of one release under the names of another.
#[rstest]
#[case::targets("1.targets.json", "2.targets.json")]
#[case::snapshot("1.snapshot.json", "2.snapshot.json")]
fn mix_and_match(#[case] old: &str, #[case] new: &str) {
    let scene = Scene::set();
    let earlier = std::fs::read(scene.stage.path(&format!("site/metadata/{old}"))).unwrap();
    scene.publish("3.9.0");
    // One that is longer is refused by its length already.
    let is_longer = earlier.len() > std::fs::read(scene.stage.path(&format!("site/metadata/{new}"))).unwrap().len();
    scene.stage.write(&format!("site/metadata/{new}"), earlier);
    scene.is_refused(if is_longer { "is no honest file" } else { "is another file than the one that was signed" });
    std::fs::remove_file(scene.stage.path(&format!("site/metadata/{new}"))).unwrap();
    scene.is_refused("its parts are of different releases");
}

#[test]
fn wrong_software_under_a_name_that_was_signed() {
    let scene = Scene::set();
    scene.copy("site", "old");
    let earlier = scene.stage.read(&scene.target("canon.json"));
    scene.publish("3.9.0");
    scene.stage.write(&scene.target("canon.json"), earlier);
    scene.is_refused("canon.json is ");
    let text = scene.stage.read(&scene.target("game.rulebook.toml"));
    scene.stage.write(&scene.target("canon.json"), text);
    scene.is_refused("canon.json is ");
}

#[test]
fn keys_that_were_stolen_are_worth_nothing_once_there_are_new_ones() {
    let scene = Scene::set();
    let stolen = scene.stolen();
    let old: Signed<Root> = scene.signed("metadata/1.root.json");
    scene.stage.kanon(["publish", "--new-key"]).ends_with(0).says("release 2");
    scene.is_followed(2);
    let newer = invite(&scene.stage);
    assert!(newer.contains("#kanon-2-"), "{newer}");
    scene.copy("site", "good");
    scene.forge(&stolen, 9, in_days(100), |targets| with_other_canon(&scene, targets));
    scene.is_refused("the signature of its timestamp is wrong");
    scene.copy("good", "site");
    let mut root = old.signed;
    root.version = NonZeroU64::new(3).unwrap();
    scene.write("metadata/3.root.json", root, &stolen);
    scene.is_refused("the signature of its root is wrong");
    std::fs::remove_file(scene.stage.path("site/metadata/3.root.json")).unwrap();
    scene.stage.kanon(["follow", "--yes", &newer, "tove"]).ends_with(0);
    scene.stage.kanon(["follow", "--yes", &scene.invite, "wren"]).ends_with(0).says("release 2");
    scene.is_followed(2);
}

/// Whoever has the keys can sign anything; what it names is still held to its bounds and its place.
#[rstest]
#[case::no_canon(b"{}", "its canon.json can't be read")]
#[case::out_of_the_game(br#"{"format":"kanon-canon/1","path":"../../x"}"#, "its canon.json can't be read")]
fn what_is_signed_and_still_no_release(#[case] canon: &[u8], #[case] told: &str) {
    let scene = Scene::set();
    scene.stage.write(&format!("site/targets/{}.canon.json", Sha256::of(canon)), canon);
    scene.forge(&scene.stolen(), 2, in_days(100), |targets| {
        let target = targets.targets.get_mut(&tough::TargetName::new("canon.json").unwrap()).unwrap();
        (target.length, target.hashes) = (canon.len() as u64, hashes(canon));
    });
    scene.is_refused(told);
}

/// A release that brings an install of its own would bring commands along.
#[test]
fn a_release_cannot_bring_installs_or_commands() {
    let scene = Scene::set();
    let wishes = scene.stage.read(&scene.target("kanon.toml"))
        + "\n[install.oskar]\nrole = \"client\"\nat = \"/tmp\"\nstop = [\"touch\", \"/tmp/x\"]\n";
    scene.sign(&[("kanon.toml", wishes)]);
    scene.stage.kanon(["follow", "--yes", "oskar"]).ends_with(2).says("speaks of what is the player's own business");
    assert_eq!(scene.game("oskar"), scene.before);
}
