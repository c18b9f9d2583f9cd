//! Mods, and what people remark on them, drawn by chance.

use kanon_core::text::Notation;

use crate::dice::Dice;

pub const IDS: [&str; 12] = [
    "reed-lamps",
    "tideclock",
    "kelp_nets",
    "fogbell",
    "silt.engine",
    "mere",
    "oldpier",
    "marsh-gas",
    "2077",
    "no",
    "heron_1.2",
    "eel",
];

pub const REMARKS: [&str; 14] = [
    "low tide only",
    "don't touch",
    "was reed = 1",
    "see \"notes\"",
    "[old]",
    "a, b, c",
    "50% of it: yes",
    "-loads=reed,gone",
    "</goods>",
    "über den Sand",
    "{ x: 1 }",
    "C:\\hall\\x",
    "# twice",
    "'tis; so",
];

/// An entry as it is drawn.
#[derive(Clone)]
pub struct Drawn {
    pub id: String,
    pub on: bool,
    pub above: Option<String>,
    pub behind: Option<String>,
}

/// Entries that are there, and those that are to be.
pub fn draw(dice: &mut Dice, with_comments: bool, ids: &[&str]) -> (Vec<Drawn>, Vec<String>) {
    let mut pool: Vec<&str> = ids.to_vec();
    dice.shuffle(&mut pool);
    let there = dice.below(5);
    let entries: Vec<Drawn> = pool[..there]
        .iter()
        .map(|id| Drawn {
            id: (*id).to_owned(),
            on: !dice.once_in(4),
            above: (with_comments && dice.once_in(4)).then(|| (*dice.pick(&REMARKS)).to_owned()),
            behind: (with_comments && dice.once_in(3)).then(|| (*dice.pick(&REMARKS)).to_owned()),
        })
        .collect();
    let mut wanted: Vec<String> = Vec::new();
    for (at, id) in pool.iter().take(there + 3).enumerate() {
        if (at < there && !dice.once_in(3)) || (at >= there && dice.once_in(2)) {
            wanted.push((*id).to_owned());
        }
    }
    if dice.once_in(3) {
        dice.shuffle(&mut wanted);
    }
    (entries, wanted)
}

/// A remark that does not close the comment that it stands in.
pub fn remark(text: &str, notation: Notation) -> String {
    match notation {
        Notation::Xml => text.replace("--", "- "),
        _ => text.to_owned(),
    }
}
