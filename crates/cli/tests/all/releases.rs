//! Releases published for players, and what stands behind an address: the built-in server, another web server, a bucket.

use std::io::{BufRead, BufReader};
use std::process::{Child, Stdio};

use rstest::rstest;

use crate::buckets;
use crate::hosts::real;
use crate::stage::{Said, Stage, fits_its_schema, psm, said};

/// The program's own server, until this is dropped.
pub struct Serving {
    child: Child,
    pub address: String,
}

impl Serving {
    pub fn start(stage: &Stage, dest: &str) -> Self {
        let mut command = stage.command(["serve", dest, "--listen", "127.0.0.1:0"]);
        let mut child = command.stdout(Stdio::piped()).spawn().unwrap();
        let mut line = String::new();
        BufReader::new(child.stdout.take().unwrap()).read_line(&mut line).unwrap();
        let address = line.split(' ').find(|word| word.starts_with("http://")).unwrap().to_owned();
        Self { child, address }
    }
}

impl Drop for Serving {
    fn drop(&mut self) {
        drop(self.child.kill());
        drop(self.child.wait());
    }
}

/// What stands behind an address.
#[derive(Debug, Clone, Copy)]
enum Place {
    Folder,
    OwnServer,
    Nginx,
    Bucket,
}

/// An address that players can follow, and what keeps it up.
struct Standing {
    dest: String,
    address: String,
    _kept: Option<Box<dyn std::any::Any>>,
}

fn stand(stage: &mut Stage, place: Place) -> Option<Standing> {
    let folder = stage.path("site");
    std::fs::create_dir_all(&folder).unwrap();
    let standing = |dest: &str, address: String, kept| Standing { dest: dest.to_owned(), address, _kept: kept };
    Some(match place {
        Place::Folder => standing("site", folder.display().to_string(), None),
        Place::OwnServer => {
            // Its address must be known before anything is there.
            std::fs::create_dir_all(folder.join("metadata")).unwrap();
            std::fs::write(folder.join("metadata/timestamp.json"), "{}").unwrap();
            let serving = Serving::start(stage, "site");
            std::fs::remove_dir_all(folder.join("metadata")).unwrap();
            standing("site", serving.address.clone(), Some(Box::new(serving)))
        }
        Place::Nginx => {
            let server = real::nginx(&folder)?;
            standing("site", server.address.clone(), Some(Box::new(server)))
        }
        Place::Bucket => {
            std::fs::create_dir_all(stage.path("buckets/mods")).unwrap();
            let endpoint = format!("http://127.0.0.1:{}", buckets::serve(&stage.path("buckets")));
            let known =
                [("AWS_ENDPOINT_URL", endpoint.as_str()), ("AWS_ALLOW_HTTP", "true"), ("AWS_REGION", "us-east-1")];
            let login = [("AWS_ACCESS_KEY_ID", "teal"), ("AWS_SECRET_ACCESS_KEY", "low-water")];
            stage.env.extend(known.iter().chain(&login).map(|(name, value)| ((*name).to_owned(), (*value).to_owned())));
            standing("s3://mods/longnight", "s3://mods/longnight".to_owned(), None)
        }
    })
}

/// A game without a single mod.
pub fn new_game(stage: &Stage, name: &str) {
    for part in ["build.json", "trellis-0.9.1.psb"] {
        stage.write(
            &format!("{name}/engine/{part}"),
            std::fs::read(stage.path(&format!("mara/engine/{part}"))).unwrap(),
        );
    }
}

pub fn invite(stage: &Stage) -> String {
    stage.kanon(["invite", "-q"]).ends_with(0).out.trim().to_owned()
}

/// Puts another release of a mod in place of the one that everybody has, and seals.
pub fn update(stage: &Stage, version: &str) {
    for entry in std::fs::read_dir(stage.path("station/mods")).unwrap().flatten() {
        if entry.file_name().to_string_lossy().starts_with("snowtrack-") {
            std::fs::remove_file(entry.path()).unwrap();
        }
    }
    stage.write(&format!("station/mods/snowtrack-{version}.psm"), psm("snowtrack", version, "everywhere"));
    stage.kanon(["adopt", "station"]).ends_with(0);
    stage.kanon(["seal"]).ends_with(0);
}

/// Lets a player join the simulated station.
fn joins(stage: &Stage, player: &str) -> Said {
    let mut server =
        stage.command(["standin", "server", "station", "station.log"]).stdout(Stdio::piped()).spawn().unwrap();
    let mut port = String::new();
    BufReader::new(server.stdout.take().unwrap()).read_line(&mut port).unwrap();
    let joined = said(stage.command(["standin", "client", player, player, port.trim(), "client.log"]));
    drop(server.kill());
    drop(server.wait());
    joined
}

#[rstest]
fn two_players_follow_and_join(#[values(Place::Folder, Place::OwnServer, Place::Nginx, Place::Bucket)] place: Place) {
    let mut stage = Stage::sealed();
    let Some(standing) = stand(&mut stage, place) else { return };
    let first =
        stage.kanon(["publish", &standing.dest, "--address", &standing.address, "--format", "json"]).ends_with(0);
    fits_its_schema("publication", &first.json());
    let invite = invite(&stage);
    let by_folder = stage.kanon(["invite"]).ends_with(0);
    let by_folder =
        if invite.contains("://") { by_folder.hides("names a folder") } else { by_folder.says("names a folder") };
    by_folder.says(&invite);
    stage.kanon(["invite", "--address", "https://mods.example/"]).ends_with(0).hides("names a folder");
    stage.kanon(["follow", "--yes", &invite, "oskar"]).ends_with(0).says("in place").says("in line with Longnight");
    new_game(&stage, "fresh");
    update(&stage, "3.9.0");
    let again = stage.kanon(["publish", "--format", "json"]).ends_with(0).json();
    assert_eq!((again["release"].as_u64(), again["uploaded_files"].as_u64()), (Some(2), Some(1)), "{again}");
    for (player, files) in [("oskar", 1), ("fresh", 7)] {
        let mut words = vec!["follow", "--yes", "--format", "json"];
        words.extend(if player == "fresh" { vec![invite.as_str(), player] } else { vec![player] });
        let report = stage.kanon(words).ends_with(0).json();
        fits_its_schema("following", &report);
        assert_eq!(report["fetched"]["files"], files, "{player} fetches what differs");
        assert_eq!(
            (report["release"].as_u64(), report["in_line"].as_bool(), report["done"].as_bool()),
            (Some(2), Some(true), Some(true))
        );
        stage.kanon(["-C", player, "check"]).ends_with(0).says("in line");
        joins(&stage, player).ends_with(0);
    }
    joins(&stage, "wren").ends_with(1);
}

#[test]
fn only_what_is_new_goes_up_and_what_nobody_needs_comes_down() {
    let stage = Stage::sealed();
    stage.kanon(["publish", "site"]).ends_with(0).says("note: the keys that sign releases were made in .kanon/release");
    assert!(stage.read("kanon.toml").contains("[release]\nto = \"site\"\n"), "{}", stage.read("kanon.toml"));
    let before = stage.fingerprint("site/blobs");
    stage.kanon(["publish"]).ends_with(0).says("says all of this already").hides("were made in");
    assert_eq!(stage.fingerprint("site/blobs"), before);
    let wishes = stage.read("kanon.toml").replace("to = \"site\"", "to = \"site\" # ours\nkeep = 2");
    stage.write("kanon.toml", wishes);
    for (number, version) in [(2, "3.9.0"), (3, "3.9.1"), (4, "3.9.2")] {
        update(&stage, version);
        let report = stage.kanon(["publish", "--format", "json"]).ends_with(0).json();
        assert_eq!((report["release"].as_u64(), report["uploaded_files"].as_u64()), (Some(number), Some(1)));
        assert_eq!(report["pruned"].as_u64().unwrap() > 0, number > 2, "two releases keep their files: {report}");
    }
    let blobs = stage.fingerprint("site/blobs").into_iter().filter(|(name, _)| !name.ends_with('/')).count();
    assert_eq!(blobs, 8, "seven mods of a player, and one of them in two releases");
    let index = stage.read("site/index.html");
    assert!(index.contains("New since release 3") && index.contains("snowtrack 3.9.1 becomes 3.9.2"), "{index}");
    assert!(stage.read("kanon.toml").contains("to = \"site\" # ours\n"), "the comment stays");
}

#[test]
fn what_is_the_administrators_alone_is_not_published() {
    let stage = Stage::sealed();
    stage.kanon(["publish", "site"]).ends_with(0);
    let site = stage.fingerprint("site");
    let all: Vec<u8> = site.values().flat_map(|(bytes, ..)| bytes.clone()).collect();
    let text = String::from_utf8_lossy(&all);
    assert!(!text.contains("PRIVATE KEY") && !text.contains("[install"), "neither keys nor installs");
    let logbook = std::fs::read(stage.path("station/mods/logbook-2.0.0.psm")).unwrap();
    assert!(site.values().all(|(bytes, ..)| *bytes != logbook), "a mod of the server alone stays there");
    assert!(
        site.values()
            .any(|(bytes, ..)| *bytes == std::fs::read(stage.path("mara/mods/drift-radio-1.1.0.psm")).unwrap())
    );
}

#[rstest]
#[case::the_workspace(".", "the workspace's keys lie in it")]
#[case::its_state(".kanon/site", "the workspace's keys lie in it")]
#[case::a_web_server("https://mods.example/x", "can't be published to")]
#[case::somebody_elses("theirs", "signed with other keys than this workspace's")]
fn not_every_place_can_be_published_to(#[case] dest: &str, #[case] told: &str) {
    let stage = Stage::sealed();
    let theirs = Stage::sealed();
    theirs.kanon(["publish", &stage.path("theirs").display().to_string()]).ends_with(0);
    let before = stage.fingerprint("theirs");
    stage.kanon(["publish", dest]).ends_with(2).says(told).says("do:");
    assert_eq!(stage.fingerprint("theirs"), before);
}

#[test]
fn a_canon_that_is_not_what_is_wished_for_is_not_published() {
    let stage = Stage::sealed();
    stage.kanon(["invite"]).ends_with(2).says("nothing was published from this workspace yet");
    let wishes = stage.read("kanon.toml").replace("name = \"Longnight\"", "name = \"Shortnight\"");
    stage.write("kanon.toml", &wishes);
    stage.kanon(["publish", "site"]).ends_with(2).says("kanon.toml has changed since the canon was sealed");
    stage.kanon(["seal"]).ends_with(0);
    let rulebook = stage.read("polarspur.rulebook.toml");
    stage.write("polarspur.rulebook.toml", rulebook + "\n# later\n");
    stage.kanon(["publish", "site"]).ends_with(2).says("the rulebook has changed since the canon was sealed");
    stage.kanon(["seal"]).ends_with(0);
    for install in ["station", "mara", "oskar", "wren", "tove"] {
        std::fs::remove_file(stage.path(&format!("{install}/mods/drift-radio-1.1.0.psm"))).unwrap();
    }
    drop(std::fs::remove_dir_all(stage.path(".kanon/store")));
    stage
        .kanon(["publish", "site"])
        .ends_with(2)
        .says("the bytes of some mods are in no source")
        .says("drift-radio (1 file)");
    assert!(!stage.path("site/metadata").exists(), "nothing of it was published");
}

#[test]
fn a_large_file_goes_into_a_bucket_in_parts() {
    let mut stage = Stage::sealed();
    let Some(standing) = stand(&mut stage, Place::Bucket) else { return };
    let noise: Vec<u8> = (0..19_u32 << 20).map(|i| (i.wrapping_mul(i) % 251) as u8 ^ (i / 977) as u8).collect();
    let mut hull = psm("zeppelin", "1", "everywhere");
    hull.splice(0..0, noise);
    stage.write("station/mods/zeppelin.psm", &hull);
    stage.kanon(["adopt", "station"]).ends_with(0);
    stage.kanon(["seal"]).ends_with(0);
    stage.kanon(["publish", &standing.dest]).ends_with(0).says("published");
    let invite = invite(&stage);
    new_game(&stage, "wren");
    stage.kanon(["follow", "--yes", &invite, "wren"]).ends_with(0).says("in line");
    assert_eq!(std::fs::read(stage.path("wren/mods/zeppelin.psm")).unwrap(), hull);
    stage.kanon(["publish", "--verify"]).ends_with(0);
}

/// Files cannot grow beyond a limit: the program is killed while it uploads the large one.
#[cfg(unix)]
#[test]
fn a_publication_that_was_killed_is_heard_of_by_nobody() {
    let stage = Stage::sealed();
    stage.kanon(["publish", "site"]).ends_with(0);
    let invite = invite(&stage);
    stage.kanon(["follow", "--yes", &invite, "oskar"]).ends_with(0);
    let noise: Vec<u8> = (0..5_u32 << 20).map(|i| (i.wrapping_mul(i) % 251) as u8 ^ (i / 977) as u8).collect();
    let mut hull = psm("zeppelin", "1", "everywhere");
    hull.splice(0..0, noise);
    stage.write("station/mods/zeppelin.psm", &hull);
    stage.kanon(["adopt", "station"]).ends_with(0);
    stage.kanon(["seal"]).ends_with(0);
    let mut shell = std::process::Command::new("sh");
    let program = crate::stage::program().display();
    shell.arg("-c").arg(format!("ulimit -f 4096; exec '{program}' publish")).current_dir(stage.path(""));
    assert_eq!(said(shell).code, None, "the signal ended it");
    let report = stage.kanon(["follow", "--yes", "oskar", "--format", "json"]).ends_with(0).json();
    assert_eq!((report["release"].as_u64(), report["in_line"].as_bool()), (Some(1), Some(true)));
    stage.kanon(["publish"]).ends_with(0).says("published");
    stage.kanon(["follow", "--yes", "oskar"]).ends_with(0).says("new       zeppelin 1").says("in line");
    let left: Vec<String> = stage.fingerprint("site").into_keys().filter(|name| name.contains('#')).collect();
    assert_eq!(left, [""; 0], "nothing of the broken upload stays");
}

#[test]
fn the_server_serves_the_release_and_nothing_else() {
    let stage = Stage::sealed();
    stage.kanon(["serve", "mara"]).ends_with(2).says("mara holds no release");
    stage.kanon(["publish", "site"]).ends_with(0);
    stage.kanon(["serve", "site", "--listen", "203.0.113.7:1"]).ends_with(2).says("can't be used").says("--listen");
    stage.write("site/notes.txt", "nobody's business");
    stage.write("site/metadata/.hidden", "nobody's business");
    let serving = Serving::start(&stage, "site");
    let get = |path: &str, head: &str| get(&serving.address, path, head);
    let timestamp = get("metadata/timestamp.json", "");
    assert!(timestamp.starts_with("HTTP/1.1 200") && timestamp.contains("cache-control: no-cache"), "{timestamp}");
    let blob = stage.fingerprint("site/blobs").into_keys().find(|name| !name.ends_with('/')).unwrap();
    let part = get(&format!("blobs{blob}"), "Range: bytes=2-5\r\n");
    assert!(
        part.starts_with("HTTP/1.1 206") && part.contains("content-length: 4") && part.contains("immutable"),
        "{part}"
    );
    assert!(get("", "").contains("<title>Longnight: what to install</title>"));
    for path in [
        "notes.txt",
        "../kanon.toml",
        "blobs/../notes.txt",
        "metadata/../../kanon.toml",
        "metadata/%2e%2e/notes.txt",
        ".kanon/release/published.json",
    ] {
        let refused = get(path, "");
        assert!(refused.starts_with("HTTP/1.1 404") && !refused.contains("business"), "{path}: {refused}");
    }
}

fn get(address: &str, path: &str, head: &str) -> String {
    use std::io::{Read, Write};
    let host = address.trim_start_matches("http://").trim_end_matches('/');
    let mut stream = std::net::TcpStream::connect(host).unwrap();
    write!(stream, "GET /{path} HTTP/1.1\r\nHost: {host}\r\nConnection: close\r\n{head}\r\n").unwrap();
    let mut answer = Vec::new();
    stream.read_to_end(&mut answer).unwrap();
    String::from_utf8_lossy(&answer).into_owned()
}

/// Every release in the folder is signed anew when its end comes near; players are told before.
#[test]
fn the_end_of_the_signatures_is_told_long_before() {
    let stage = Stage::sealed();
    stage.write("kanon.toml", stage.read("kanon.toml") + "\n[release]\nto = \"site\"\ndays = 30\n");
    stage.kanon(["publish"]).ends_with(0);
    let invite = invite(&stage);
    stage.kanon(["follow", "--yes", &invite, "oskar"]).ends_with(0).says("note: its signatures end on");
    stage.kanon(["check", "oskar"]).ends_with(0).says("the signatures of release 1 end on");
    stage.write("kanon.toml", stage.read("kanon.toml").replace("days = 30", "days = 500"));
    stage.kanon(["publish"]).ends_with(0).says("release 2");
    stage.kanon(["follow", "--yes", "oskar"]).ends_with(0).hides("signatures end on");
    stage.kanon(["check", "oskar"]).ends_with(0).hides("end on");
}
