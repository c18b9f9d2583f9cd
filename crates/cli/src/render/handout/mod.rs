//! The handout for players in its forms: a page, Markdown, a table of files, a bill of materials.

mod bom;
mod csv;
mod html;
mod markdown;

use kanon_core::base::digest::Blake3;
use kanon_core::handout::{Handout, HandoutMod, Way};

pub use self::bom::bom;
pub use self::csv::csv;
pub use self::html::html;
pub use self::markdown::markdown;
use super::{count, size};

/// A handout, and what stands around it.
pub struct Sheet {
    /// What players need to know.
    pub set: Handout,
    /// The release's number, once it is published.
    pub number: Option<u64>,
    /// The invite, once there is one.
    pub invite: Option<String>,
    /// The day.
    pub day: String,
    /// The digest of the canon.
    pub digest: Blake3,
    /// What stands before the address of a file; nothing when files can't be downloaded one by one.
    pub links: Option<String>,
}

/// Something to do by hand.
pub struct HandStep {
    /// What.
    pub words: String,
    /// With what, one by one.
    pub items: Vec<String>,
}

impl Sheet {
    /// How many mods there are, and how large they are together.
    fn mods_told(&self) -> String {
        let bytes = self.set.mods.iter().map(|one| one.bytes).sum();
        format!("{}, {}", count(self.set.mods.len(), "mod"), size(bytes))
    }

    /// What is to be done by hand, in order.
    pub fn steps(&self) -> Vec<HandStep> {
        let set = &self.set;
        let step = |words: &str| HandStep { words: words.to_owned(), items: Vec::new() };
        let mut steps = vec![step("Close the game, and copy its mod folders away, in case you want them back.")];
        if !set.folders.is_empty() {
            let own = match set.own_mods_stay {
                true => {
                    "Mods of your own may stay if they concern only your own game; other releases of the mods above may not"
                }
                false => "Other mods are not welcome on this server",
            };
            let words =
                format!("From these folders take out every file and folder that is not in the table above. {own}.");
            steps.push(HandStep { words, items: set.folders.iter().map(|folder| format!("{folder}/")).collect() });
        }
        let put = |way: Way| set.mods.iter().filter(move |one| one.way == way);
        if put(Way::File).next().is_some() {
            steps.push(step("Put each file in its place under just the name that the table says, letter case included. Don't unpack it."));
        }
        if put(Way::Folder).next().is_some() {
            steps.push(step("Put each folder in its place under just the name that the table says, with the files that its list shows and no others."));
        }
        if put(Way::Overlay).next().is_some() {
            steps.push(step("Lay the members of each overlay into its archive, in the order of the table."));
        }
        if put(Way::Id).next().is_some() {
            steps.push(step("Mods without files are fetched by the game itself, by their ids."));
        }
        steps.extend(self.steps_beside());
        steps.push(step(match set.lines.is_empty() {
            true => "Start the game, and join.",
            false => "Start the game with the launch line above, and join.",
        }));
        steps
    }

    fn steps_beside(&self) -> Vec<HandStep> {
        let set = &self.set;
        let mut steps = Vec::new();
        let mut add = |words: &str, items: Vec<String>| {
            if !items.is_empty() {
                steps.push(HandStep { words: words.to_owned(), items });
            }
        };
        let copies = set.copies.iter().map(|copy| format!("{}, from {}", copy.to, copy.of_mod)).collect();
        add("Copy these files of mods to where the game looks for them:", copies);
        let entries = set.entries.iter().map(|one| {
            format!("{}: {} from {} of {}, before {}", one.into, one.keys.join(", "), one.from, one.of_mod, one.before)
        });
        add("Paste these entries into the game's own data files, each once:", entries.collect());
        for list in &set.lists {
            let order = if list.ordered { ", in this order" } else { "" };
            add(
                &format!("In {} ({}) these mods must be switched on{order}:", list.file, list.name),
                list.entries.clone(),
            );
        }
        let settings =
            set.settings.iter().map(|one| format!("{}: {} must be {} (at {})", one.file, one.name, one.value, one.at));
        add("Set these values:", settings.collect());
        steps
    }
}

/// What a mod is called that is put there as a whole.
fn kind(one: &HandoutMod) -> &'static str {
    match one.way {
        Way::Folder => "folder",
        Way::File => "file",
        Way::Overlay => "overlay",
        Way::Id => "by id",
    }
}

fn where_to(one: &HandoutMod) -> String {
    match (one.way, one.places.as_slice()) {
        (Way::Id, _) => "the game fetches it".to_owned(),
        (Way::Overlay, places) => format!("laid into {}", places.join(", ")),
        (_, []) => "-".to_owned(),
        (_, places) => places.iter().map(|place| format!("{place}/")).collect::<Vec<_>>().join(" and "),
    }
}
