//! `kanon rulebook example`: a rulebook to start from, for one way in which games arrange their mods.

use std::fmt::Write;

use crate::Outcome;
use crate::arguments::RulebookExample;
use crate::failure::Failure;
use crate::ui::Ui;

/// A way in which games arrange their mods: its name, what it is, and a rulebook that the tests hold against a real tree.
const SHAPES: [(&str, &str, &str); 9] = [
    (
        "archives",
        "one archive a mod, a document in each, a loader",
        include_str!("../../../../docs/rulebooks/a.rulebook.toml"),
    ),
    (
        "folders",
        "one folder a mod, signing keys, launch lines",
        include_str!("../../../../docs/rulebooks/b.rulebook.toml"),
    ),
    (
        "switches",
        "archives named by id and version, a list with switches; files that tell nothing",
        include_str!("../../../../docs/rulebooks/c.rulebook.toml"),
    ),
    ("copies", "plugins that must lie in several places", include_str!("../../../../docs/rulebooks/e.rulebook.toml")),
    (
        "ids",
        "a server that has only the ids of mods, in its world",
        include_str!("../../../../docs/rulebooks/f.rulebook.toml"),
    ),
    (
        "worlds",
        "data packs inside a world, on the server alone",
        include_str!("../../../../docs/rulebooks/g.rulebook.toml"),
    ),
    (
        "overlays",
        "archives whose members are laid into one of the game's",
        include_str!("../../../../docs/rulebooks/h.rulebook.toml"),
    ),
    (
        "lines",
        "folders with `key = value` cards, switched on for each world",
        include_str!("../../../../docs/rulebooks/i.rulebook.toml"),
    ),
    (
        "digests",
        "a list that asks for files by their digests",
        include_str!("../../../../docs/rulebooks/j.rulebook.toml"),
    ),
];

/// What is said above each.
const HEAD: &str = "\
# A rulebook to start from. Put your game's own names, folders and fields in the place of these, take out what it has not,
# and try it: kanon rulebook check FILE --against SERVER. Every key is explained in the reference of rulebooks.
";

pub fn run(arguments: &RulebookExample, ui: &Ui) -> Result<Outcome, Failure> {
    let Some(shape) = &arguments.shape else {
        ui.report(&listed());
        return Ok(Outcome::InOrder);
    };
    let Some((_, _, text)) = SHAPES.iter().find(|(name, ..)| name.eq_ignore_ascii_case(shape)) else {
        return Err(Failure::plain(format!("there is no example called `{shape}`"))
            .hint(format!("give one of: {}", SHAPES.map(|(name, ..)| name).join(", "))));
    };
    // What the file says of itself is for the reference that it ends.
    let rulebook: String =
        text.lines().skip_while(|line| line.starts_with('#')).fold(String::new(), |text, line| text + line + "\n");
    ui.report(&format!("{HEAD}{rulebook}"));
    Ok(Outcome::InOrder)
}

fn listed() -> String {
    let mut out = "examples, each printed by its name behind `kanon rulebook example`:\n".to_owned();
    for (name, about, _) in SHAPES {
        let _ = writeln!(out, "  {name:<9} {about}");
    }
    out
}
