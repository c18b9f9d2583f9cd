//! The player's way: what is fetched and changed, what stays, and what happens when it is cut off.

use std::process::Stdio;
use std::sync::atomic::Ordering;
use std::time::Duration;

use rstest::rstest;

use crate::hosts::web::Web;
use crate::releases::{invite, new_game, update};
use crate::rulebooks::HULL;
use crate::stage::{Fingerprint, Stage, psm, said};

/// A station that has published its set, and the invite.
fn stage() -> (Stage, String) {
    let stage = Stage::sealed();
    stage.kanon(["publish", "site"]).ends_with(0);
    let invite = invite(&stage);
    (stage, invite)
}

fn mods(stage: &Stage, player: &str) -> Vec<String> {
    let names = std::fs::read_dir(stage.path(&format!("{player}/mods"))).unwrap();
    let mut names: Vec<String> = names.map(|name| name.unwrap().file_name().to_string_lossy().into_owned()).collect();
    names.sort();
    names
}

fn game(stage: &Stage, player: &str) -> Fingerprint {
    let all = stage.fingerprint(player).into_iter();
    all.filter(|(name, _)| name != "/" && !name.starts_with("/.kanon")).collect()
}

#[test]
fn leftovers_go_and_a_players_own_mods_stay() {
    let (stage, invite) = stage();
    stage.world.spoil().unwrap();
    let before = game(&stage, "tove");
    stage.kanon(["follow", &invite, "tove", "--check"]).ends_with(1).says("old-lantern").says("kanon -C ");
    assert_eq!(game(&stage, "tove"), before, "it only said so");
    assert!(!stage.path("tove/.kanon").exists(), "and nothing was remembered");
    stage.kanon(["follow", &invite, "tove"]).ends_with(1).says("add --yes").says(&format!("\"{invite}\""));
    assert!(!stage.path("tove/.kanon").exists(), "nobody has agreed");
    stage
        .kanon(["follow", "--yes", &invite, "tove"])
        .ends_with(0)
        .says("taken off")
        .says("in line with Longnight")
        .says("take it back with: kanon -C ");
    assert!(!mods(&stage, "tove").iter().any(|name| name.contains("old-lantern")));
    stage.kanon(["-C", "tove", "undo", "tove"]).ends_with(0);
    assert_eq!(game(&stage, "tove"), before);
    stage.kanon(["follow", "--yes", &invite, "mara"]).ends_with(0).says("nothing to do");
    assert!(mods(&stage, "mara").contains(&"map-sketch-0.4.0.psm".to_owned()), "hers, and nobody minds");
}

#[test]
fn later_runs_need_no_argument() {
    let (stage, invite) = stage();
    stage.kanon(["follow", "--yes"]).ends_with(2).says("nothing is followed yet");
    stage.kanon(["follow", "--yes", "oskar"]).ends_with(2).says("oskar follows no release yet");
    stage.kanon(["follow", "--yes", &invite, "oskar"]).ends_with(0);
    update(&stage, "3.9.0");
    stage.kanon(["publish"]).ends_with(0);
    stage.kanon(["follow", "--yes"]).ends_with(0).says("snowtrack 3.2.1 -> 3.9.0").says("release 2");
    new_game(&stage, "fresh");
    stage
        .kanon(["-C", "fresh", "follow", "--yes", &invite])
        .ends_with(0)
        .says("take it back with: kanon -C fresh undo fresh");
    stage.kanon(["follow", "--yes"]).ends_with(2).says("several games follow releases").says("fresh");
    stage.kanon(["-C", "fresh/mods", "follow", "--yes"]).ends_with(0).says("nothing to do for fresh");
}

#[test]
fn a_folder_of_something_else_is_not_filled_with_mods() {
    let (stage, invite) = stage();
    stage.write("letters/dear.txt", "you");
    stage
        .kanon(["follow", "--yes", &invite, "letters"])
        .ends_with(2)
        .says("does not look like an install of Polarspur")
        .says("--anyway");
    assert!(!stage.path("letters/.kanon").exists());
    stage.kanon(["follow", "--yes", &invite, "nowhere"]).ends_with(2).says("is no folder");
    std::fs::create_dir(stage.path("empty")).unwrap();
    stage.kanon(["follow", "--yes", &invite, "empty"]).says("note: nothing of Polarspur is in this folder yet");
    assert_eq!(mods(&stage, "empty"), mods(&stage, "mara"), "an empty one may be a new game's");
}

#[rstest]
#[case::cut("#kanon-1-00ff", "the invite is cut off: 4 of 64 signs")]
#[case::nothing_there("/nowhere/site#kanon-1-{}", "nowhere/site can't be used")]
#[case::no_release("{site}/blobs#kanon-1-{}", "there is no release at this address")]
#[case::another("{site}#kanon-1-{}", "it is not the release of your invite")]
#[case::unreachable("http://127.0.0.1:1/#kanon-1-{}", "can't be reached")]
fn what_is_wrong_with_an_invite_is_told(#[case] text: &str, #[case] told: &str) {
    let (mut stage, _) = stage();
    stage.env.push(("KANON_PATIENCE".to_owned(), "1".to_owned()));
    let text = text.replace("{}", &"ab".repeat(32)).replace("{site}", &stage.path("site").display().to_string());
    let text = if text.starts_with('#') { format!("https://mods.example/{text}") } else { text };
    stage.kanon(["follow", "--yes", &text, "oskar"]).ends_with(2).says(told).says("do:");
    assert!(!stage.path("oskar/.kanon").exists());
}

#[test]
fn off_line_the_last_release_counts() {
    let (mut stage, _) = stage();
    stage.env.push(("KANON_PATIENCE".to_owned(), "1".to_owned()));
    let web = Web::serve(&stage.path("site"));
    stage.kanon(["publish", "--address", &web.address()]).ends_with(0);
    let invite = invite(&stage);
    stage.kanon(["follow", "--yes", &invite, "oskar"]).ends_with(0);
    web.manners.budget.store(0, Ordering::SeqCst);
    stage
        .kanon(["follow", "--yes", "oskar"])
        .ends_with(0)
        .says("can't be reached")
        .says("what it said the last time counts")
        .says("in line");
    std::fs::rename(stage.path("oskar/mods/drift-radio-1.1.0.psm"), stage.path("radio")).unwrap();
    let report = stage.kanon(["follow", "oskar", "--check", "--format", "json"]).ends_with(1).json();
    assert_eq!((report["stale"].as_bool(), report["findings"][0]["code"].as_str()), (Some(true), Some("mod-missing")));
    let before = game(&stage, "oskar");
    stage.kanon(["follow", "--yes", "oskar"]).ends_with(2).says("run kanon follow again");
    assert_eq!(game(&stage, "oskar"), before);
    web.manners.budget.store(-1, Ordering::SeqCst);
    stage.kanon(["follow", "--yes", "oskar"]).ends_with(0).says("in line");
}

const FEN: &str = r#"format = "kanon-rulebook/1"
game   = "Tallowfen"
[[shelf]]
name  = "loads"
holds = "files"
in    = { server = "loads", client = "loads" }
match = ["*.load"]
[shelf.mod]
id      = { file-name = '^(?<id>[a-z]+)' }
version = { file-name = '-(?<version>[0-9]+)\.load$' }
"#;

/// Bytes without any pattern, the same for the same seed.
fn noise(seed: u64, bytes: usize) -> Vec<u8> {
    let mut state = seed.wrapping_mul(0x9E37_79B9_7F4A_7C15) | 1;
    let mut next = || {
        state ^= state << 13;
        state ^= state >> 7;
        state ^= state << 17;
        state.to_le_bytes()
    };
    std::iter::repeat_with(&mut next).flatten().take(bytes).collect()
}

const LARGE: usize = 6 << 20;
const EDIT: usize = 40 << 10;

/// What gets smaller when it is compressed: each byte as two digits.
fn digits(bytes: &[u8]) -> Vec<u8> {
    bytes.iter().flat_map(|byte| format!("{byte:02x}").into_bytes()).collect()
}

/// A mod of some MiB, with runs of it replaced and others put in between.
fn edited(seed: u64) -> Vec<u8> {
    let mut bytes = noise(1, LARGE);
    for (index, at) in [1 << 20, 3 << 20, 5 << 20].into_iter().enumerate() {
        let run = noise(seed + index as u64, EDIT);
        let end = if index == 1 { at } else { at + EDIT };
        bytes.splice(at..end, run);
    }
    bytes
}

/// A publisher of one large mod and a small one, behind a web server that counts.
fn fen() -> (Stage, Web, String) {
    fen_written(<[u8]>::to_vec)
}

fn fen_written(write: fn(&[u8]) -> Vec<u8>) -> (Stage, Web, String) {
    let mut stage = Stage::bare();
    stage.env.push(("KANON_PATIENCE".to_owned(), "1".to_owned()));
    stage.write("fen.rulebook.toml", FEN);
    stage.write("server/loads/peat-1.load", write(&noise(1, LARGE)));
    stage.write("server/loads/rope-1.load", "rope");
    stage.kanon(["init", "--name", "Fen", "--rulebook", "fen.rulebook.toml", "--server", "server"]).ends_with(0);
    stage.kanon(["adopt", "server"]).ends_with(0);
    stage.kanon(["seal"]).ends_with(0);
    std::fs::create_dir(stage.path("site")).unwrap();
    std::fs::create_dir(stage.path("game")).unwrap();
    let web = Web::serve(&stage.path("site"));
    stage.kanon(["publish", "site", "--address", &web.address()]).ends_with(0);
    let invite = invite(&stage);
    (stage, web, invite)
}

fn release(stage: &Stage, number: u64) {
    release_written(stage, number, <[u8]>::to_vec);
}

fn release_written(stage: &Stage, number: u64, write: fn(&[u8]) -> Vec<u8>) {
    std::fs::remove_file(stage.path(&format!("server/loads/peat-{}.load", number - 1))).unwrap();
    stage.write(&format!("server/loads/peat-{number}.load"), write(&edited(number * 10)));
    stage.kanon(["adopt", "server"]).ends_with(0);
    stage.kanon(["seal"]).ends_with(0);
    stage.kanon(["publish"]).ends_with(0);
}

/// What does not get smaller lies there once, and what changed of it is taken from that; else what changed is in packs.
#[rstest]
#[case::as_it_is(<[u8]>::to_vec as fn(&[u8]) -> Vec<u8>, "6.00 MiB", 0)]
#[case::compressed(digits, "12.00 MiB", 3)]
fn an_update_fetches_only_what_changed_of_a_large_mod(
    #[case] write: fn(&[u8]) -> Vec<u8>,
    #[case] whole: &str,
    #[case] packs: usize,
) {
    let (stage, web, invite) = fen_written(write);
    stage.kanon(["follow", "--yes", &invite, "game"]).ends_with(0).says(&format!("fetched: {whole} for 2 files"));
    let edits = 3 * EDIT as u64;
    for number in [2, 3] {
        release_written(&stage, number, write);
        let before = web.manners.sent.load(Ordering::SeqCst);
        let report = stage.kanon(["follow", "--yes", "game", "--format", "json"]).ends_with(0).json();
        let (told, sent) =
            (report["fetched"]["bytes"].as_u64().unwrap(), web.manners.sent.load(Ordering::SeqCst) - before);
        assert!(
            told <= sent && sent < told + (64 << 10),
            "what is told is what came, but for what is signed: {told} of {sent}"
        );
        // The edits of both releases are at the same places: each takes the pieces around it along.
        assert!(told > edits && told < 6 * edits, "{told} bytes for {edits} that changed: {report}");
        assert!(report["fetched"]["reused"].as_u64().unwrap() > 5 << 20, "{report}");
        let expected = write(&edited(number * 10));
        assert_eq!(std::fs::read(stage.path(&format!("game/loads/peat-{number}.load"))).unwrap(), expected);
    }
    let there =
        stage.fingerprint("site").into_iter().filter(|(name, _)| name.contains("packs/") && !name.ends_with('/'));
    let sizes: Vec<usize> = there.map(|(_, (bytes, ..))| bytes.len()).collect();
    assert_eq!(sizes.len(), packs, "{sizes:?}");
    assert!(sizes.iter().filter(|size| **size >= 1 << 20).count() <= 1, "new packs are small: {sizes:?}");
    web.manners.ranges.store(false, Ordering::SeqCst);
    release_written(&stage, 4, write);
    let report = stage.kanon(["follow", "--yes", "game", "--format", "json"]).ends_with(0).json();
    assert!(report["fetched"]["bytes"].as_u64().unwrap() > LARGE as u64, "without ranges it comes whole: {report}");
    assert_eq!(std::fs::read(stage.path("game/loads/peat-4.load")).unwrap(), write(&edited(40)));
}

/// What spares bytes may be gone or damaged at a place: then the whole file comes, which is what was signed.
#[rstest]
#[case::recipe_gone("recipes", None)]
#[case::recipe_damaged("recipes", Some(b"not a recipe".as_slice()))]
#[case::pack_gone("packs", None)]
#[case::pack_damaged("packs", Some(b"x".as_slice()))]
fn without_its_pieces_a_large_mod_comes_whole(#[case] folder: &str, #[case] instead: Option<&[u8]>) {
    let (stage, _web, invite) = fen_written(digits);
    stage.kanon(["follow", "--yes", &invite, "game"]).ends_with(0);
    release_written(&stage, 2, digits);
    let there: Vec<String> = stage.fingerprint(&format!("site/{folder}")).into_keys().collect();
    assert!(!there.is_empty());
    for name in there.into_iter().filter(|name| !name.ends_with('/')) {
        let path = stage.path(&format!("site/{folder}{name}"));
        let size = usize::try_from(std::fs::metadata(&path).unwrap().len()).unwrap();
        match instead {
            Some(bytes) => std::fs::write(path, bytes.iter().copied().cycle().take(size).collect::<Vec<u8>>()).unwrap(),
            None => std::fs::remove_file(path).unwrap(),
        }
    }
    stage.kanon(["follow", "--yes", "game"]).ends_with(0).says("in line");
    assert_eq!(std::fs::read(stage.path("game/loads/peat-2.load")).unwrap(), digits(&edited(20)));
}

/// A second run while one is at work is told so, and does nothing.
#[test]
fn two_follows_of_one_game_at_once() {
    let (stage, _web, invite) = fen();
    stage.kanon(["follow", "--yes", &invite, "game"]).ends_with(0);
    release(&stage, 2);
    let before = game(&stage, "game");
    let lock = std::fs::File::create(stage.path("game/.kanon/follow/at-work.lock")).unwrap();
    lock.lock().unwrap();
    stage
        .kanon(["follow", "--yes", "game"])
        .ends_with(2)
        .says("somebody is at work on")
        .says("with kanon follow")
        .says("wait until it has ended");
    stage.kanon(["follow", "--check", "game"]).ends_with(1);
    assert_eq!(game(&stage, "game"), before);
    drop(lock);
    stage.kanon(["follow", "--yes", "game"]).ends_with(0);
}

/// The line is cut after so many bytes, again and again; each run goes on where the last one stopped.
#[rstest]
#[case::a_new_game(false)]
#[case::an_update(true)]
fn a_line_that_is_cut_again_and_again(#[case] update: bool) {
    let (stage, web, invite) = fen();
    let (mut words, mut expected) = (vec!["follow", "--yes", &invite, "game"], noise(1, LARGE));
    if update {
        stage.kanon(words).ends_with(0);
        release(&stage, 2);
        (words, expected) = (vec!["follow", "--yes", "game"], edited(20));
    }
    let budget = if update { 60 << 10 } else { 700 << 10 };
    let (mut runs, begun) = (0, web.manners.sent.load(Ordering::SeqCst));
    loop {
        web.manners.budget.store(budget, Ordering::SeqCst);
        let said = stage.kanon(words.clone());
        runs += 1;
        if said.code == Some(0) {
            break;
        }
        assert_eq!(said.code, Some(2), "{said:?}");
        let loads: Vec<String> = game(&stage, "game").into_keys().filter(|name| name.ends_with(".load")).collect();
        assert_eq!(loads.len(), if update { 2 } else { 0 }, "nothing is changed until all is here: {loads:?}");
        assert!(runs < 60, "it gets further each time: {said:?}");
    }
    assert!(runs > 1, "it was cut");
    let name = if update { "game/loads/peat-2.load" } else { "game/loads/peat-1.load" };
    assert_eq!(std::fs::read(stage.path(name)).unwrap(), expected);
    let sent = web.manners.sent.load(Ordering::SeqCst) - begun;
    assert!(sent < if update { 3 << 20 } else { (LARGE + (1 << 20)) as u64 }, "little came twice: {sent}");
    let store = stage.fingerprint("game/.kanon/follow/.kanon/store").len();
    assert_eq!(store, 1, "what was fetched is not kept twice");
}

/// At so many moments it is killed.
const STEPS: u32 = 12;

/// Killed at many moments: the next run says so and finishes, and each file is the old one or the new one.
#[cfg(unix)]
#[test]
fn killed_at_any_moment_the_next_run_finishes() {
    let (stage, web, invite) = fen();
    stage.kanon(["follow", "--yes", &invite, "game"]).ends_with(0);
    release(&stage, 2);
    let copy = |from: &str, to: &str| {
        drop(std::fs::remove_dir_all(stage.path(to)));
        assert!(
            std::process::Command::new("cp")
                .arg("-a")
                .arg(stage.path(from))
                .arg(stage.path(to))
                .status()
                .unwrap()
                .success()
        );
    };
    copy("game", "wreck-0");
    let begun = std::time::Instant::now();
    stage.kanon(["follow", "--yes", "game"]).ends_with(0);
    let whole = begun.elapsed();
    let good = game(&stage, "game").into_iter().map(|(name, (bytes, ..))| (name, bytes)).collect::<Vec<_>>();
    let (mut mixed, mut killed) = (0, 0);
    for step in 1..=STEPS {
        copy("wreck-0", "wreck");
        let mut child =
            stage.command(["follow", "--yes", "wreck"]).stdout(Stdio::null()).stderr(Stdio::null()).spawn().unwrap();
        std::thread::sleep(whole * step / STEPS);
        drop(child.kill());
        killed += u32::from(!child.wait().unwrap().success());
        let loads = game(&stage, "wreck");
        for (name, (bytes, ..)) in loads.iter().filter(|(name, _)| name.ends_with("1.load") || name.ends_with("2.load"))
        {
            let is_whole = *bytes == noise(1, LARGE) || *bytes == edited(20) || bytes == b"rope";
            assert!(is_whole, "{name} is half of something");
        }
        let is_between = loads.contains_key("/loads/peat-1.load") == loads.contains_key("/loads/peat-2.load");
        if is_between {
            mixed += 1;
            stage.kanon(["follow", "wreck", "--check"]).says("was interrupted after");
        }
        stage.kanon(["follow", "--yes", "wreck"]).ends_with(0).says("in line");
        let now = game(&stage, "wreck").into_iter().map(|(name, (bytes, ..))| (name, bytes)).collect::<Vec<_>>();
        assert_eq!(now.len(), good.len(), "killed after {step}/{STEPS} ({mixed} mixed)");
        assert!(now == good);
    }
    assert!(killed > 3, "it was killed on its way: {killed}");
    assert!(web.manners.sent.load(Ordering::SeqCst) > 0 && whole > Duration::ZERO);
}

#[test]
fn what_lies_in_the_way_is_kept_and_what_is_not_right_is_never_taken() {
    let (stage, invite) = stage();
    new_game(&stage, "fresh");
    stage.write("fresh/mods/snowtrack-3.2.1.psm", psm("snowtrack", "3.2.1", "everywhere"));
    stage.kanon(["follow", "--yes", &invite, "fresh"]).ends_with(0).says("mended    Snowtrack 3.2.1");
    let mine = std::fs::read(stage.path("mara/mods/snowtrack-3.2.1.psm")).unwrap();
    assert_eq!(std::fs::read(stage.path("fresh/mods/snowtrack-3.2.1.psm")).unwrap(), mine);
    stage.kanon(["-C", "fresh", "undo", "fresh"]).ends_with(0);
    assert_eq!(
        std::fs::read(stage.path("fresh/mods/snowtrack-3.2.1.psm")).unwrap(),
        psm("snowtrack", "3.2.1", "everywhere")
    );
    let tool = said(stage.command(["-C", "fresh", "publish", "x"])).ends_with(2);
    assert!(tool.err.contains("belongs to a game that follows a release"), "{}", tool.err);
}

fn fitting(stage: &Stage, id: &str, version: &str) {
    let folder = format!("server/fittings/{id}");
    stage.write(&format!("{folder}/card.toml"), format!("id = \"{id}\"\nversion = \"{version}\"\n"));
    stage.write(&format!("{folder}/planks.dat"), format!("planks of {version}"));
    stage.write(&format!("{folder}/knobs/left.txt"), format!("as {version} came"));
}

fn publish(stage: &Stage) {
    stage.kanon(["adopt", "server"]).ends_with(0);
    stage.kanon(["seal"]).ends_with(0);
    stage.kanon(["publish", "site"]).ends_with(0);
}

/// A marsh whose mods are folders with knobs that players turn, and one player who follows.
fn hull() -> Stage {
    let stage = Stage::empty();
    stage.write("hull.rulebook.toml", HULL);
    fitting(&stage, "keel", "1.0");
    fitting(&stage, "lamp", "1.0");
    stage.kanon(["init", "--name", "Hull", "--rulebook", "hull.rulebook.toml", "--server", "server"]).ends_with(0);
    publish(&stage);
    stage.write("game/fittings/lamp/card.toml", "id = \"lamp\"\nversion = \"0.1\"\n");
    stage.write("game/fittings/lamp/hers.txt", "she wrote it");
    stage.write("game/fittings/lamp/knobs/left.txt", "dim");
    stage.kanon(["follow", "--yes", &invite(&stage), "game"]).ends_with(0).says("in line with Hull");
    stage
}

#[test]
fn what_a_player_has_set_in_mods_stays_unless_the_set_says_otherwise() {
    let stage = hull();
    assert_eq!(stage.read("game/fittings/lamp/knobs/left.txt"), "dim", "of an older release in the same folder");
    assert_eq!(stage.read("game/fittings/keel/knobs/left.txt"), "as 1.0 came");
    stage.write("game/fittings/keel/knobs/left.txt", "loud");
    stage.write("game/fittings/keel/mine.taste", "sweet");
    stage.kanon(["follow", "game", "--check"]).ends_with(0).says("in line");
    fitting(&stage, "keel", "2.0");
    publish(&stage);
    stage.kanon(["follow", "--yes", "game"]).ends_with(0).says("keel 1.0 -> 2.0");
    assert_eq!(stage.read("game/fittings/keel/planks.dat"), "planks of 2.0");
    assert_eq!(stage.read("game/fittings/keel/knobs/left.txt"), "loud");
    assert_eq!(stage.read("game/fittings/keel/mine.taste"), "sweet");
    // The bytes that are the mod's own are held to it as ever.
    stage.write("game/fittings/keel/planks.dat", "rotten");
    stage.kanon(["follow", "--yes", "game"]).ends_with(0).says("mended");
    assert_eq!(stage.read("game/fittings/keel/planks.dat"), "planks of 2.0");
    let wishes = stage.read("kanon.toml").replace("id = \"keel\"", "id = \"keel\"\nsame-settings = true");
    stage.write("kanon.toml", wishes);
    stage.kanon(["status"]).says("kanon seal");
    publish(&stage);
    stage.kanon(["follow", "game", "--check"]).ends_with(1).says("keel");
    stage.kanon(["follow", "--yes", "game"]).ends_with(0).says("in line");
    assert_eq!(stage.read("game/fittings/keel/knobs/left.txt"), "as 2.0 came");
    assert_eq!(stage.read("game/fittings/keel/mine.taste"), "sweet", "nobody else has such a thing");
    stage.kanon(["-C", "game", "undo", "game"]).ends_with(0);
    assert_eq!(stage.read("game/fittings/keel/knobs/left.txt"), "loud");
}

/// The numbers of the backups that a game has.
fn backups(stage: &Stage) -> Vec<i64> {
    let names = std::fs::read_dir(stage.path("game/.kanon/follow/.kanon/backups")).unwrap().flatten();
    let mut numbers: Vec<i64> = names.filter_map(|name| name.file_name().to_str()?.parse().ok()).collect();
    numbers.sort_unstable();
    numbers
}

#[test]
fn old_backups_go_but_for_what_was_the_players_own() {
    let stage = hull();
    let mut told = String::new();
    for number in 2..8 {
        fitting(&stage, "keel", &format!("{number}.0"));
        if number == 4 {
            stage.write("game/fittings/keel/planks.dat", "her own planks");
        }
        publish(&stage);
        told.push_str(&stage.kanon(["follow", "--yes", "game"]).ends_with(0).out);
    }
    // The first set her own lamp aside, the fourth her own planks.
    assert_eq!(backups(&stage), [1, 4, 5, 6, 7], "{told}");
    assert!(told.contains("of old backups gone; the last 3 can still be taken back"), "{told}");
    stage.kanon(["follow", "--put-back", "lamp", "game"]).says("hers.txt");
    assert_eq!(stage.read("game/fittings/lamp/hers.txt"), "she wrote it");
    for _ in 0..3 {
        stage.kanon(["-C", "game", "undo", "game"]).ends_with(0);
    }
    assert_eq!(stage.read("game/fittings/keel/planks.dat"), "planks of 4.0");
    // A rule of the player's own, which no release can write.
    stage.write("home/.config/kanon/config.toml", "backups = 1\n");
    for number in 8..11 {
        fitting(&stage, "keel", &format!("{number}.0"));
        publish(&stage);
        stage.kanon(["follow", "--yes", "game"]).ends_with(0);
    }
    // What she had put back was set aside once more by the eighth.
    assert_eq!(backups(&stage), [1, 4, 8, 10]);
}

#[test]
fn a_report_has_the_last_log_of_the_game() {
    let stage = hull();
    stage.write("game/out/old.log", "18:00:00 nothing of note\n");
    stage.write("game/told", "no log by its name\n");
    let hour_ago = std::time::SystemTime::now() - Duration::from_secs(3600);
    std::fs::File::options().append(true).open(stage.path("game/out/old.log")).unwrap().set_modified(hour_ago).unwrap();
    stage.write(
        "game/out/late.log",
        "20:11:02 at the quay of 10.2.3.4\n20:11:03 the quay wants keel 9.9, here is 1.0\n",
    );
    std::fs::remove_file(stage.path("game/fittings/lamp/planks.dat")).unwrap();
    stage.kanon(["follow", "--report", "help.zip", "game"]).ends_with(0).says("help.zip");
    let bytes = std::fs::read(stage.path("help.zip")).unwrap();
    let parts = crate::exporting::parts(&bytes);
    let part =
        |name: &str| parts.iter().find(|(part, _)| part == name).map(|(_, text)| text.as_str()).unwrap_or_default();
    let log = part("client.log");
    assert!(log.contains("the quay wants keel 9.9") && !log.contains("10.2.3.4"), "{log} in {parts:?}");
    let whole: String = parts.iter().map(|(_, text)| text.as_str()).collect();
    assert!(!whole.contains(stage.path("").to_str().unwrap()), "no folder of her machine");
    let told = stage.kanon(["diagnose", "--client", "help.zip"]).ends_with(1);
    told.says("lamp").says("the client's log");
    stage.kanon(["export", "--client", "help.zip", "-o", "both.zip"]).ends_with(0).says("client.log");
}
