//! Installs spoilt at random, by seeds: whatever was done, an alignment mends it and an undo brings all of it back.

use std::path::Path;

use crate::stage::{Stage, psm};
use rstest::rstest;

/// Numbers that look random and are the same for the same seed (SplitMix64, Steele et al. 2014).
struct Dice(u64);

impl Dice {
    fn roll(&mut self, sides: usize) -> usize {
        self.0 = self.0.wrapping_add(0x9e37_79b9_7f4a_7c15);
        let mut z = self.0;
        z = (z ^ (z >> 30)).wrapping_mul(0xbf58_476d_1ce4_e5b9);
        z = (z ^ (z >> 27)).wrapping_mul(0x94d0_49bb_1331_11eb);
        ((z ^ (z >> 31)) % sides as u64) as usize
    }
}

fn mods(folder: &Path) -> Vec<String> {
    let names = std::fs::read_dir(folder).unwrap().map(|entry| entry.unwrap().file_name().into_string().unwrap());
    let mut names: Vec<String> = names.filter(|name| name.ends_with(".psm")).collect();
    names.sort();
    names
}

/// Does one thing to a mods folder that people do.
fn spoil(stage: &Stage, install: &str, dice: &mut Dice) -> String {
    let folder = stage.path(install).join("mods");
    let names = mods(&folder);
    let (Some(name), Some(other)) =
        (names.get(dice.roll(names.len().max(1))), names.get(dice.roll(names.len().max(1))))
    else {
        stage.write(&format!("{install}/mods/junk.psm"), "junk");
        return "junk".to_owned();
    };
    let (path, other_path) = (folder.join(name), folder.join(other));
    let bytes = std::fs::read(&path).unwrap();
    let what = dice.roll(10);
    match what {
        0 => std::fs::remove_file(&path).unwrap(),
        1 => std::fs::rename(&path, folder.join(format!("{name}.off"))).unwrap(),
        2 => std::fs::write(&path, &bytes[..bytes.len() / 2]).unwrap(),
        3 => std::fs::write(folder.join(format!("copy of {name}")), &bytes).unwrap(),
        4 => std::fs::rename(&path, folder.join(format!("renamed {name}"))).unwrap(),
        5 => {
            std::fs::create_dir_all(folder.join("new")).unwrap();
            std::fs::rename(&path, folder.join("new").join(name)).unwrap();
        }
        6 => std::fs::write(&path, psm("stranger", "1", "everywhere")).unwrap(),
        7 => std::fs::write(&path, psm("snowtrack", "0.1", "everywhere")).unwrap(),
        8 => std::fs::copy(&other_path, &path).map(drop).unwrap(),
        _ => {
            std::fs::write(&path, std::fs::read(&other_path).unwrap()).unwrap();
            std::fs::write(&other_path, bytes).unwrap();
        }
    }
    format!("{what} {name} {other}")
}

#[rstest]
fn whatever_was_done_is_mended_and_taken_back(
    #[values(0, 1, 2, 3, 4, 5, 6, 7)] block: u64,
    #[values("mara", "station")] install: &str,
) {
    let stage = Stage::sealed();
    for seed in block * 4..block * 4 + 4 {
        let mut dice = Dice(seed.wrapping_mul(77) + install.len() as u64);
        let done: Vec<String> = (0..=dice.roll(5)).map(|_| spoil(&stage, install, &mut dice)).collect();
        let before = stage.fingerprint(install);
        let aligned = stage.kanon(["align", install, "--yes"]);
        assert_eq!(aligned.code, Some(0), "seed {seed}: {done:?}\n{}{}", aligned.out, aligned.err);
        stage.kanon(["check", install, "--thorough"]).ends_with(0);
        stage.kanon(["align", install, "--preview"]).ends_with(0).says("nothing to do");
        if !aligned.out.contains("nothing to do") {
            stage.kanon(["undo", install]).ends_with(0);
            assert_eq!(stage.fingerprint(install), before, "seed {seed}: {done:?}");
            stage.kanon(["align", install, "--yes"]).ends_with(0);
        }
    }
}
