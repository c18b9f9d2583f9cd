//! What a player needs to know to install by hand: which mods, where, in which order, and what else is to be set. As data;
//! how it looks is the interface's business.

use serde::Serialize;

use crate::base::ids::FoldedId;
use crate::canon::release::is_for_players;
use crate::canon::{Canon, SealedFile, SealedMod};
use crate::config::Extras;
use crate::delta::{CheckContext, entries_of, launch_lines, placed_files};
use crate::rulebook::{Holds, ListForm, NeededOn, RelationKind, Role, Rulebook, filled};
use crate::seal::{CanonChange, SealChange, changes, changes_beside};

/// The first field of every handout that is data.
pub const FORMAT: &str = "kanon-handout/1";

/// What players need to know.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Handout {
    /// The canon's name.
    pub name: String,
    /// The game.
    pub game: String,
    /// Its version.
    pub game_version: Option<String>,
    /// What the loader is called, and its version.
    pub loader: Option<(String, Option<String>)>,
    /// The mods of a player, by load position.
    pub mods: Vec<HandoutMod>,
    /// Mods that only the server has: nobody needs to look for them.
    pub server_only: Vec<FoldedId>,
    /// Folders that must hold just these mods.
    pub folders: Vec<String>,
    /// Whether players may have further mods that concern only themselves.
    pub own_mods_stay: bool,
    /// What goes into the launch line.
    pub lines: Vec<LaunchLine>,
    /// Lists that name the mods.
    pub lists: Vec<HandoutList>,
    /// Values that settings must have.
    pub settings: Vec<HandoutSetting>,
    /// Files of mods that belong somewhere else besides.
    pub copies: Vec<HandoutCopy>,
    /// Entries of mods that belong into the game's own data files.
    pub entries: Vec<HandoutEntries>,
    /// What is new, and since which release.
    pub news: Option<News>,
}

/// One mod.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct HandoutMod {
    /// Its place in the load order, from one.
    pub position: usize,
    /// Its id.
    pub id: FoldedId,
    /// What people call it.
    pub title: String,
    /// Its release.
    pub version: Option<String>,
    /// Whether it may be left out.
    pub optional: bool,
    /// What its file or folder is called.
    pub file: String,
    /// How it is put there.
    pub way: Way,
    /// Where it belongs.
    pub places: Vec<String>,
    /// How many bytes it has.
    pub bytes: u64,
    /// The ids of the mods that it needs.
    pub needs: Vec<FoldedId>,
    /// Its files, from the place where it belongs.
    pub files: Vec<SealedFile>,
}

/// How a mod is put in its place.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum Way {
    /// As one file, not unpacked.
    File,
    /// As several files, side by side.
    Files,
    /// As a folder.
    Folder,
    /// Laid into an archive of the game.
    Overlay,
    /// The game fetches it by its id.
    Id,
}

/// An option of the launch line.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct LaunchLine {
    /// What the rulebook calls it.
    pub name: String,
    /// The file that holds it, where there is one.
    pub file: Option<String>,
    /// The text to paste.
    pub text: String,
}

/// A list of mods in a file.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct HandoutList {
    /// What the rulebook calls it.
    pub name: String,
    /// The file that holds it.
    pub file: String,
    /// Whether the order matters.
    pub ordered: bool,
    /// Its entries.
    pub entries: Vec<String>,
}

/// A setting.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct HandoutSetting {
    /// What the rulebook calls it.
    pub name: String,
    /// The file that holds it.
    pub file: String,
    /// Where in it.
    pub at: String,
    /// The value.
    pub value: String,
}

/// A file of a mod that belongs somewhere besides.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct HandoutCopy {
    /// The mod.
    pub of_mod: FoldedId,
    /// Where it belongs.
    pub to: String,
}

/// Entries of a mod for a data file.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct HandoutEntries {
    /// The mod.
    pub of_mod: FoldedId,
    /// The file in the mod that has them.
    pub from: String,
    /// The game's file.
    pub into: String,
    /// The text before which they go.
    pub before: String,
    /// What tells them apart.
    pub keys: Vec<String>,
}

/// What is new.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct News {
    /// Since that release.
    pub since: u64,
    /// What happened to mods of players.
    pub mods: Vec<ModNews>,
    /// What changed besides.
    pub beside: Vec<CanonChange>,
}

/// What happened to one mod.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct ModNews {
    /// The mod.
    pub id: FoldedId,
    /// The release there was.
    pub from: Option<String>,
    /// The release there is.
    pub to: Option<String>,
}

/// Puts together what players need to know. `canon` is the one for players, `last` the one that was published before, and the
/// number of its release.
pub fn assemble(canon: &Canon, rulebook: &Rulebook, extras: Extras, last: Option<(u64, &Canon)>) -> Handout {
    let own: Vec<&SealedMod> = canon.mods.iter().filter(|sealed| is_for_players(sealed)).collect();
    let server_only = canon.mods.iter().filter(|sealed| !is_for_players(sealed));
    let mods: Vec<HandoutMod> = own.iter().map(|sealed| handout_mod(sealed, rulebook)).collect();
    let mut folders: Vec<String> =
        rulebook.shelves.iter().filter(|shelf| shelf.laid_into.is_none()).flat_map(places).collect();
    folders.sort();
    folders.dedup();
    Handout {
        name: canon.name.clone(),
        game: canon.game.clone(),
        game_version: canon.game_version.clone(),
        loader: rulebook.loader.as_ref().map(|loader| (loader.name.clone(), canon.loader_version.clone())),
        mods,
        server_only: server_only.map(|sealed| sealed.manifest.id.clone()).collect(),
        folders,
        own_mods_stay: extras != Extras::Forbid,
        lines: launch_lines(canon, rulebook, Role::Client)
            .into_iter()
            .map(|(name, file, _, text)| LaunchLine { name, file, text })
            .collect(),
        lists: lists(canon, rulebook),
        settings: settings(canon, rulebook),
        copies: copies(canon, rulebook),
        entries: entries(canon, rulebook),
        news: last.map(|(since, last)| news(since, last, canon)),
    }
}

fn handout_mod(sealed: &SealedMod, rulebook: &Rulebook) -> HandoutMod {
    let (manifest, shelf) = (&sealed.manifest, rulebook.shelf(&sealed.shelf));
    let is_folder = sealed.files.iter().any(|file| file.inner().is_some());
    let way = match shelf.map(|shelf| (shelf.holds, &shelf.laid_into)) {
        Some((Holds::Ids, _)) => Way::Id,
        Some((_, Some(_))) => Way::Overlay,
        _ if is_folder => Way::Folder,
        _ if sealed.files.len() > 1 => Way::Files,
        _ => Way::File,
    };
    let places = match shelf.and_then(|shelf| shelf.laid_into.as_ref()) {
        Some(laid) => vec![laid.base.to_string()],
        None => shelf.map(places).unwrap_or_default(),
    };
    let needs = manifest.relations.iter().filter(|relation| relation.kind == RelationKind::Required);
    HandoutMod {
        position: sealed.position,
        id: manifest.id.clone(),
        title: manifest.title.clone().unwrap_or_else(|| manifest.id.to_string()),
        version: manifest.version.clone(),
        optional: manifest.needed_on == NeededOn::Optional,
        file: sealed.name.clone(),
        way,
        places,
        bytes: sealed.bytes(),
        needs: needs.map(|relation| relation.id.clone()).collect(),
        files: sealed.files.clone(),
    }
}

fn places(shelf: &crate::rulebook::Shelf) -> Vec<String> {
    let fixed = shelf.places(Role::Client).iter().map(ToString::to_string);
    fixed.chain(shelf.wild.of(Role::Client).iter().map(ToString::to_string)).collect()
}

/// The lists of a player that are no launch lines.
fn lists(canon: &Canon, rulebook: &Rulebook) -> Vec<HandoutList> {
    let list = |sealed: &crate::canon::SealedList| {
        let rule = rulebook.lists.iter().find(|rule| {
            rule.name == sealed.name
                && rule.of.is_none_or(|of| of == Role::Client)
                && !matches!(rule.form, ListForm::Option { .. })
        })?;
        let file = rule.file.as_ref()?.to_string();
        Some(HandoutList { name: sealed.name.clone(), file, ordered: rule.ordered, entries: sealed.entries.clone() })
    };
    canon.lists.iter().filter(|sealed| sealed.of == Role::Client).filter_map(list).collect()
}

fn settings(canon: &Canon, rulebook: &Rulebook) -> Vec<HandoutSetting> {
    let of_player = canon.settings.iter().filter(|setting| setting.of.is_none_or(|of| of == Role::Client));
    let setting = |sealed: &crate::canon::SealedSetting| {
        let rule = rulebook.settings.iter().find(|rule| rule.name == sealed.name)?;
        // What only an install can tell stays in braces.
        let known = |name: &str| {
            let other = canon.settings.iter().find(|other| other.name == name);
            Some(other.map_or_else(|| format!("({name})"), |other| other.is.clone()))
        };
        Some(HandoutSetting {
            name: sealed.name.clone(),
            file: rule.file.to_string(),
            at: rule.at.to_string(),
            value: filled(&sealed.is, known).unwrap_or_else(|_| sealed.is.clone()),
        })
    };
    of_player.filter_map(setting).collect()
}

fn measure<'a>(canon: &'a Canon, rulebook: &'a Rulebook) -> CheckContext<'a> {
    CheckContext { canon, rulebook, extras: Extras::default(), edits: crate::config::Edits::default(), left: &[] }
}

fn copies(canon: &Canon, rulebook: &Rulebook) -> Vec<HandoutCopy> {
    let placed = placed_files(measure(canon, rulebook), Role::Client);
    placed
        .into_iter()
        .map(|placed| HandoutCopy { of_mod: placed.sealed.manifest.id.clone(), to: placed.path.to_string() })
        .collect()
}

fn entries(canon: &Canon, rulebook: &Rulebook) -> Vec<HandoutEntries> {
    let mut told: Vec<HandoutEntries> = Vec::new();
    for rule in rulebook.fragments.iter().filter(|rule| rule.of.is_none_or(|of| of == Role::Client)) {
        for (sealed, entry) in entries_of(measure(canon, rulebook), Role::Client, &rule.into) {
            let (id, into) = (&sealed.manifest.id, rule.into.to_string());
            match told.iter_mut().find(|known| known.of_mod == *id && known.into == into) {
                Some(known) => known.keys.push(entry.key.clone()),
                None => told.push(HandoutEntries {
                    of_mod: id.clone(),
                    from: rule.from.clone(),
                    into,
                    before: rule.before.clone(),
                    keys: vec![entry.key.clone()],
                }),
            }
        }
    }
    told
}

fn news(since: u64, last: &Canon, canon: &Canon) -> News {
    let concerns = |side: NeededOn| side == NeededOn::Optional || side.includes(Role::Client);
    let mods = changes(last, canon).into_iter().filter_map(|change: SealChange| {
        // For a player, a mod that becomes the server's alone is gone, and one that was is new.
        let from = change.from.filter(|_| concerns(change.was_needed_on.unwrap_or(change.needed_on)));
        let to = change.to.filter(|_| concerns(change.needed_on));
        (from.is_some() || to.is_some()).then_some(ModNews { id: change.id, from, to })
    });
    News { since, mods: mods.collect(), beside: changes_beside(last, canon) }
}

#[cfg(test)]
#[path = "tests/handout.rs"]
mod tests;
