//! A large catalogue out of nothing, to try how fast releases are chosen: thousands of mods with ranges as real ones have.
//!
//! Each mod comes out with a release every few weeks. A release fits a window of games and needs the releases of other mods
//! from about its own time on, mostly below the next large step; now and then one shuns another or only likes it. Two mods,
//! `bog-iron` and `peat-fire`, lean on each other's opposites far down, so that they never fit together.

use std::fmt::Write;
use std::path::Path;

use crate::error::StandinError;

/// Numbers that look random and are the same every time (Lehmer, 1951; multiplier by Park and Miller).
struct Dice(u64);

impl Dice {
    fn roll(&mut self, sides: u64) -> u64 {
        self.0 = self.0 * 48_271 % 2_147_483_647;
        self.0 % sides.max(1)
    }
}

/// Writes a catalogue of that many mods with that many releases each, of the game Polarspur.
///
/// # Errors
/// When the file can't be written.
pub fn write(mods: u64, releases: u64, file: &Path) -> Result<bool, StandinError> {
    let mut dice = Dice(20_261_123);
    let listed: Vec<String> = (0..mods).map(|number| entry(number, mods, releases, &mut dice)).collect();
    let json =
        format!("{{\"format\":\"kanon-catalogue/1\",\"game\":\"Polarspur\",\"mods\":[\n{}\n]}}\n", listed.join(",\n"));
    std::fs::write(file, json).map_err(StandinError::io(file.display().to_string()))?;
    Ok(true)
}

fn id(number: u64) -> String {
    match number {
        0 => "anvil-core".to_owned(),
        1 => "bog-iron".to_owned(),
        2 => "peat-fire".to_owned(),
        other => format!("mod-{other:04}"),
    }
}

fn entry(number: u64, mods: u64, releases: u64, dice: &mut Dice) -> String {
    // What a mod leans on stays the same from release to release; libraries are few, and much leant on.
    let leans: Vec<u64> = match number {
        0 => Vec::new(),
        1 | 2 => vec![0],
        _ => (0..dice.roll(5))
            .map(|_| if dice.roll(3) == 0 { 3 + dice.roll(number.min(40)) } else { dice.roll(number) })
            .collect(),
    };
    let leans: Vec<u64> = leans.into_iter().filter(|other| *other < number && !matches!(other, 1 | 2)).collect();
    let odd = (dice.roll(12) == 0).then(|| (dice.roll(mods), dice.roll(2)));
    let listed: Vec<String> = (0..releases)
        .map(|age| {
            let mut relations: Vec<String> =
                leans.iter().map(|other| relation("required", *other, &range(number, *other, age, releases))).collect();
            if let Some((other, kind)) = odd.filter(|(other, _)| *other > 2 && *other != number) {
                let kind = if kind == 0 { "conflicting" } else { "optional" };
                let range = if kind == "optional" {
                    format!(">={}", version(age / 2))
                } else {
                    format!("<{}", version(age / 3))
                };
                relations.push(relation(kind, other, &range));
            }
            release(number, age, &relations)
        })
        .collect();
    format!("{{\"id\":\"{0}\",\"title\":\"{0}\",\"releases\":[{1}]}}", id(number), listed.join(","))
}

/// From about the same time on, below the next large step but one.
fn range(number: u64, other: u64, age: u64, releases: u64) -> String {
    match (number, other) {
        (1, 0) => format!(">={}", version(releases / 2)),
        (2, 0) => format!("<{}", version(releases / 2)),
        _ => format!(">={} <{}", version(age.saturating_sub(2)), (age + 9) / 4 + 1),
    }
}

/// Four releases to each large step.
fn version(age: u64) -> String {
    format!("{}.{}", age / 4, age % 4)
}

fn relation(kind: &str, other: u64, range: &str) -> String {
    format!("{{\"kind\":\"{kind}\",\"id\":\"{}\",\"range\":\"{range}\"}}", id(other))
}

fn release(number: u64, age: u64, relations: &[String]) -> String {
    let mut digest = String::new();
    for part in 0..4 {
        let _ = write!(digest, "{:016x}", (number + 1) * 7_919 + age * 104_729 + part);
    }
    let early = if age % 7 == 6 { "-rc1" } else { "" };
    let game = format!(">=1.{} <1.{}", age / 2, age / 2 + 5);
    format!(
        "{{\"version\":\"{0}{early}\",\"date\":\"20{1:02}-{2:02}-11\",\"game_range\":\"{game}\",\"relations\":[{3}],\
         \"digest\":\"{digest}\",\"name\":\"{4}-{0}{early}.psm\",\"download\":{{\"file\":\"files/{4}-{0}{early}.psm\",\"size\":{5},\
         \"blake3\":\"{digest}\",\"sha256\":\"{digest}\"}}}}",
        version(age),
        20 + age / 12,
        1 + age % 12,
        relations.join(","),
        id(number),
        10_000 + age
    )
}
