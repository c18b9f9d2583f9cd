//! The handout for players in its forms: a page, Markdown, a table of files, a bill of materials.

mod bom;
mod csv;
mod html;
mod markdown;

use kanon_app::handouts::HandoutFacts;
use kanon_core::canon::release::{ARCHIVE, System};
use kanon_core::handout::{Handout, HandoutMod, ModNews, Way};
use kanon_io::release::Archive;

pub use self::bom::bom;
pub use self::csv::csv;
pub use self::html::html;
pub use self::markdown::markdown;
use super::size;
use crate::words::tongue::{Tongue, at};

/// A handout in the language of the players.
#[derive(Clone)]
pub struct Sheet {
    /// What is told.
    pub facts: HandoutFacts,
    /// The day.
    pub day: String,
    /// The language.
    pub tongue: Tongue,
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
    /// A message in the language of the players.
    fn say(&self, message: &str) -> String {
        self.tongue.say(message)
    }

    /// The game with its version, and what loads its mods.
    fn lead(&self) -> String {
        let set = &self.facts.set;
        let versioned = |name: &str, version: Option<&str>| match version {
            Some(version) => format!("{name} {version}"),
            None => name.to_owned(),
        };
        let game = versioned(&set.game, set.game_version.as_deref());
        match &set.loader {
            Some((name, version)) => {
                let loader = versioned(name, version.as_deref());
                self.tongue.with("page-lead", [at("game", game), at("loader", loader)])
            }
            None => game,
        }
    }

    /// How many mods there are, and how large they are together.
    fn mods_told(&self) -> String {
        let bytes = self.facts.set.mods.iter().map(|one| one.bytes).sum();
        self.tongue.with("page-mods", [at("count", self.facts.set.mods.len()), at("size", size(bytes))])
    }

    /// The programs that carry the invite, where they can be fetched.
    pub fn starters(&self) -> Vec<Starter> {
        let Some(links) = &self.facts.links else { return Vec::new() };
        let starter = |system: &System| Starter {
            system: system.name(),
            link: format!("{links}{}", system.file()),
            file: system.file().rsplit('/').next().unwrap_or_default(),
        };
        self.facts.programs.iter().map(starter).collect()
    }

    /// Where all mods are in one archive.
    pub fn archive(&self) -> Option<String> {
        self.facts.links.as_ref().filter(|_| self.facts.has_archive).map(|links| format!("{links}{ARCHIVE}"))
    }

    /// What happened to one mod since the last release.
    fn news(&self, news: &ModNews) -> String {
        let of = |version: &Option<String>| version.clone().unwrap_or_else(|| "-".to_owned());
        let (from, to, mod_id) = (of(&news.from), of(&news.to), news.id.to_string());
        match (&news.from, &news.to) {
            (None, Some(_)) => self.tongue.with("news-new", [at("mod", mod_id), at("to", to)]),
            (Some(_), None) => self.tongue.with("news-gone", [at("mod", mod_id), at("from", from)]),
            (Some(before), Some(after)) if before == after => {
                self.tongue.with("news-bytes", [at("mod", mod_id), at("to", to)])
            }
            _ => self.tongue.with("news-becomes", [at("mod", mod_id), at("from", from), at("to", to)]),
        }
    }

    /// What is to be done by hand, in order.
    pub fn steps(&self) -> Vec<HandStep> {
        let set = &self.facts.set;
        let step = |message: &str| HandStep { words: self.say(message), items: Vec::new() };
        let mut steps = vec![step("hand-close")];
        if !set.folders.is_empty() {
            let own = self.say(if set.own_mods_stay { "hand-own-stay" } else { "hand-own-go" });
            let words = self.tongue.with("hand-take-out", [at("own", own)]);
            steps.push(HandStep { words, items: set.folders.iter().map(|folder| format!("{folder}/")).collect() });
        }
        let ways = [
            (Way::File, "hand-file"),
            (Way::Files, "hand-files"),
            (Way::Folder, "hand-folder"),
            (Way::Overlay, "hand-overlay"),
            (Way::Id, "hand-id"),
        ];
        let is_there = |way: Way| set.mods.iter().any(|one| one.way == way);
        steps.extend(ways.into_iter().filter(|(way, _)| is_there(*way)).map(|(_, message)| step(message)));
        steps.extend(self.steps_beside());
        steps.push(step(if set.lines.is_empty() { "hand-start" } else { "hand-start-line" }));
        steps
    }

    fn steps_beside(&self) -> Vec<HandStep> {
        let (set, tongue) = (&self.facts.set, &self.tongue);
        let mut steps = Vec::new();
        let mut add = |words: String, items: Vec<String>| {
            if !items.is_empty() {
                steps.push(HandStep { words, items });
            }
        };
        let copies = set
            .copies
            .iter()
            .map(|copy| tongue.with("hand-copy", [at("to", copy.to.as_str()), at("mod", copy.of_mod.to_string())]));
        add(self.say("hand-copies"), copies.collect());
        let entries = set.entries.iter().map(|one| {
            let places = [
                at("into", one.into.as_str()),
                at("keys", one.keys.join(", ")),
                at("from", one.from.as_str()),
                at("mod", one.of_mod.to_string()),
                at("before", one.before.as_str()),
            ];
            tongue.with("hand-entry", places)
        });
        add(self.say("hand-entries"), entries.collect());
        for list in &set.lists {
            let message = if list.ordered { "hand-list-ordered" } else { "hand-list" };
            let words = tongue.with(message, [at("file", list.file.as_str()), at("name", list.name.as_str())]);
            add(words, list.entries.clone());
        }
        let settings = set.settings.iter().map(|one| {
            let places = [
                at("file", one.file.as_str()),
                at("name", one.name.as_str()),
                at("value", one.value.as_str()),
                at("at", one.at.as_str()),
            ];
            tongue.with("hand-setting", places)
        });
        add(self.say("hand-settings"), settings.collect());
        steps
    }

    /// What a mod is called that is put there as a whole.
    fn kind(&self, one: &HandoutMod) -> String {
        self.say(match one.way {
            Way::Folder => "way-folder",
            Way::File => "way-file",
            Way::Files => "way-files",
            Way::Overlay => "way-overlay",
            Way::Id => "way-id",
        })
    }

    fn where_to(&self, one: &HandoutMod) -> String {
        match (one.way, one.places.as_slice()) {
            (Way::Id, _) => self.say("where-id"),
            (Way::Overlay, places) => self.tongue.with("where-overlay", [at("places", places.join(", "))]),
            (_, []) => "-".to_owned(),
            (_, places) => {
                let places: Vec<String> = places.iter().map(|place| format!("{place}/")).collect();
                places.join(&self.say("where-and"))
            }
        }
    }
}

/// What the one archive says of itself, and what it is called there.
const NOTES: &str = "READ-ME-FIRST.txt";

/// All that a player needs in one archive: files and folders of mods at their places, and what else there is to do as a text.
pub fn archive(set: &Handout, tongue: &Tongue) -> Archive {
    let mut files = Vec::new();
    let mut left: Vec<&str> = Vec::new();
    for one in set.mods.iter().filter(|one| !one.optional) {
        let place = one.places.iter().find(|place| !place.contains(['*', '?']));
        match (one.way, place) {
            (Way::File | Way::Files | Way::Folder, Some(place)) => files.extend(one.files.iter().map(|file| {
                let path = if place == "." { file.path.to_string() } else { format!("{place}/{}", file.path) };
                (path, file.blake3, file.size)
            })),
            _ => left.push(&one.title),
        }
    }
    let text = notes((set, tongue), &left).replace('\n', "\r\n");
    Archive { files, texts: vec![(NOTES.to_owned(), text)] }
}

fn notes((set, tongue): (&Handout, &Tongue), left: &[&str]) -> String {
    let title = tongue.with("notes-title", [at("name", set.name.as_str()), at("game", set.game.as_str())]);
    let mut out = format!("{title}\n\n{}\n", tongue.say("notes-unpack"));
    if !set.folders.is_empty() {
        let folders: Vec<String> = set.folders.iter().map(|folder| format!("{folder}/")).collect();
        out.push_str(&tongue.with("notes-before", [at("folders", folders.join(", "))]));
        out.push('\n');
    }
    if !left.is_empty() {
        out.push_str(&tongue.with("notes-left", [at("mods", left.join(", "))]));
        out.push('\n');
    }
    out.push_str(&format!("\n{}:\n", tongue.say("page-table")));
    for one in set.mods.iter().filter(|one| !one.optional) {
        let version = one.version.as_deref().map_or_else(String::new, |version| format!(" {version}"));
        out.push_str(&format!("  {}{version}\n", one.title));
    }
    for list in &set.lists {
        let message = if list.ordered { "notes-list-ordered" } else { "notes-list" };
        out.push_str(&format!("\n{}\n", tongue.with(message, [at("file", list.file.as_str())])));
        list.entries.iter().for_each(|entry| out.push_str(&format!("  {entry}\n")));
    }
    for line in &set.lines {
        out.push_str(&format!("\n{}\n  {}\n", tongue.say("notes-start"), line.text));
    }
    out
}
