//! The handout for players in its forms: a page, Markdown, a table of files, a bill of materials.

mod bom;
mod csv;
mod html;
mod markdown;

use kanon_core::base::digest::Blake3;
use kanon_core::canon::release::{ARCHIVE, System};
use kanon_core::handout::{Handout, HandoutMod, Way};
use kanon_io::release::Archive;

pub use self::bom::bom;
pub use self::csv::csv;
pub use self::html::html;
pub use self::markdown::markdown;
use super::{count, size};

/// A handout, and what stands around it.
#[derive(Clone)]
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
    /// The systems for which there is a program that carries the invite.
    pub programs: Vec<System>,
    /// Where programs of the makers are, where whoever publishes leads there.
    pub programs_at: Option<String>,
    /// Whether all mods are there in one archive.
    pub has_archive: bool,
}

/// A program to be started.
pub struct Starter {
    /// The system that it is for.
    pub system: &'static str,
    /// Where it is.
    pub link: String,
    /// What it is called.
    pub file: &'static str,
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

    /// The programs that carry the invite, where they can be fetched.
    pub fn starters(&self) -> Vec<Starter> {
        let Some(links) = &self.links else { return Vec::new() };
        let starter = |system: &System| Starter {
            system: system.name(),
            link: format!("{links}{}", system.file()),
            file: system.file().rsplit('/').next().unwrap_or_default(),
        };
        self.programs.iter().map(starter).collect()
    }

    /// Where all mods are in one archive.
    pub fn archive(&self) -> Option<String> {
        self.links.as_ref().filter(|_| self.has_archive).map(|links| format!("{links}{ARCHIVE}"))
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

/// What the one archive says of itself, and what it is called there.
const NOTES: &str = "READ-ME-FIRST.txt";

/// All that a player needs in one archive: files and folders of mods at their places, and what else there is to do as a text.
pub fn archive(set: &Handout) -> Archive {
    let mut files = Vec::new();
    let mut left: Vec<&str> = Vec::new();
    for one in set.mods.iter().filter(|one| !one.optional) {
        let place = one.places.iter().find(|place| !place.contains(['*', '?']));
        match (one.way, place) {
            (Way::File | Way::Folder, Some(place)) => files.extend(one.files.iter().map(|file| {
                let path = if place == "." { file.path.to_string() } else { format!("{place}/{}", file.path) };
                (path, file.blake3, file.size)
            })),
            _ => left.push(&one.title),
        }
    }
    let text = notes(set, &left).replace('\n', "\r\n");
    Archive { files, texts: vec![(NOTES.to_owned(), text)] }
}

fn notes(set: &Handout, left: &[&str]) -> String {
    let mut out = format!(
        "{}: all mods for {}\n\nUnpack this in the game's folder, and let it replace what is there. Close the game first.\n",
        set.name, set.game
    );
    if !set.folders.is_empty() {
        let folders: Vec<String> = set.folders.iter().map(|folder| format!("{folder}/")).collect();
        out.push_str(&format!(
            "Before that, take every mod out of {} that is not in here: an older one beside a new one keeps you out.\n",
            folders.join(", ")
        ));
    }
    if !left.is_empty() {
        out.push_str(&format!("Not in here, and to be had as the page says: {}.\n", left.join(", ")));
    }
    out.push_str("\nMods, in their order:\n");
    for one in set.mods.iter().filter(|one| !one.optional) {
        let version = one.version.as_deref().map_or_else(String::new, |version| format!(" {version}"));
        out.push_str(&format!("  {}{version}\n", one.title));
    }
    for list in &set.lists {
        let order = if list.ordered { ", in this order" } else { "" };
        out.push_str(&format!("\nSwitched on in {}{order}:\n", list.file));
        list.entries.iter().for_each(|entry| out.push_str(&format!("  {entry}\n")));
    }
    for line in &set.lines {
        out.push_str(&format!("\nStart the game with:\n  {}\n", line.text));
    }
    out
}
