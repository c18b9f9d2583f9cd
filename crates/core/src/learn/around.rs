//! What stands around the shelves: versions of the game and its loader, settings that differ by role, worlds.

use std::collections::{BTreeMap, BTreeSet, HashSet};

use regex::Regex;

use super::clue::{Clue, Inferred, Inside, OnSides};
use super::leaves::leaves;
use super::leftovers::is_out_of_use;
use super::sight::{Folders, InstallView, Seen, guess, is_inside, name, parent, small};
use super::words::{hints, is_version, plain_regex, words};
use crate::base::path::InstallPath;
use crate::rulebook::Role;

/// A version that stands in the name of a file: `engine/trellis-0.9.1.psb`.
#[derive(Debug, Clone, PartialEq)]
pub struct NamedVersion {
    /// What the name says beside the version.
    pub name: String,
    /// The version.
    pub version: String,
    /// The regex over the file's path, as a rulebook writes it.
    pub pattern: String,
    /// The file.
    pub file: InstallPath,
}

/// Files outside the shelves whose names tell a version, one for each name.
pub fn named_versions(sight: &dyn InstallView, inside: &HashSet<String>) -> Vec<NamedVersion> {
    let Ok(regex) = Regex::new(
        r"^(?<name>[A-Za-z][A-Za-z0-9]*(?:[-_ ][A-Za-z]+)*?)[-_ ]v?(?<version>\d+(?:\.\d+)+[\w.+-]*?)(?<end>\.[A-Za-z]\w{0,5})$",
    ) else {
        return Vec::new();
    };
    let shallow = sight.files().iter().filter(|seen| seen.path.as_str().matches('/').count() <= 3);
    let in_use = shallow.filter(|seen| !is_out_of_use(parent(seen.path.as_str())));
    let outside =
        in_use.filter(|seen| !inside.contains(seen.path.as_str()) && !inside.contains(parent(seen.path.as_str())));
    let mut found: BTreeMap<String, Vec<NamedVersion>> = BTreeMap::new();
    for seen in outside {
        let Some(captures) = regex.captures(name(seen.path.as_str())) else { continue };
        let folder = parent(seen.path.as_str());
        let folder = if folder.is_empty() { String::new() } else { format!("{}/", plain_regex(folder)) };
        let before = &name(seen.path.as_str())[..captures.name("version").map_or(0, |found| found.start())];
        let pattern = format!("^{folder}{}(?<version>.+){}$", plain_regex(before), plain_regex(&captures["end"]));
        found.entry(captures["name"].to_lowercase()).or_default().push(NamedVersion {
            name: captures["name"].to_owned(),
            version: captures["version"].to_owned(),
            pattern,
            file: seen.path.clone(),
        });
    }
    found.into_values().filter(|same| same.len() == 1).flatten().collect()
}

/// A version that stands in a document near the root.
#[derive(Debug, Clone, PartialEq)]
pub struct StatedVersion {
    /// The document.
    pub file: InstallPath,
    /// Its notation, where the name does not tell it.
    pub notation: Option<&'static str>,
    /// The JSONPath.
    pub at: String,
    /// The version.
    pub version: String,
}

/// The document that states the game's own version, if one clearly does.
pub fn stated_version(sight: &dyn InstallView, texts: &[&Seen]) -> Option<StatedVersion> {
    let mut best: Option<(usize, StatedVersion)> = None;
    for seen in texts.iter().filter(|seen| seen.path.as_str().matches('/').count() <= 2).take(400) {
        let Some(bytes) = small(sight, &seen.path) else { continue };
        let Some(document) = guess(name(seen.path.as_str()), &bytes) else { continue };
        for leaf in leaves(&document.value) {
            let named = hints(&leaf.key, &["version", "build", "release"]);
            if !named
                || !leaf.value.contains('.')
                || !is_version(&leaf.value)
                || hints(&leaf.path, &["format", "schema", "config", "api", "protocol"])
            {
                continue;
            }
            let told = hints(seen.path.as_str(), &["version", "build", "game", "engine", "release", "core", "base"]);
            let score = usize::from(told) * 4
                + usize::from(leaf.depth <= 2)
                + usize::from(leaf.key.to_lowercase().contains("version"));
            let notation = document.untold_notation(name(seen.path.as_str()));
            if told && best.as_ref().is_none_or(|(known, _)| score > *known) {
                best = Some((
                    score,
                    StatedVersion { file: seen.path.clone(), notation, at: leaf.path, version: leaf.value },
                ));
            }
        }
    }
    best.map(|(_, stated)| stated)
}

/// A setting that is worth watching.
#[derive(Debug, Clone, PartialEq)]
pub struct FoundSetting {
    /// What it is called: its key and its file.
    pub name: String,
    /// Its file.
    pub file: InstallPath,
    /// Its notation, where the name does not tell it.
    pub notation: Option<&'static str>,
    /// The JSONPath.
    pub at: String,
    /// Whose it is.
    pub of: Option<Role>,
    /// What speaks for it.
    pub clue: Clue,
}

/// A value at one place on one side.
struct Stated {
    role: Role,
    value: String,
    is_flag: bool,
    notation: Option<&'static str>,
    key: String,
}

/// The most settings that a draft names.
const SETTINGS: usize = 12;

/// Settings that differ by role, and switches that speak of mods.
pub fn settings(
    sights: &[(&dyn InstallView, Vec<&Seen>)],
    lists: &HashSet<String>,
    shelf_words: &[String],
) -> Vec<FoundSetting> {
    let words: Vec<&str> = ["mod", "addon", "plugin"]
        .into_iter()
        .chain(shelf_words.iter().map(String::as_str))
        .filter(|w| w.len() > 2)
        .collect();
    let mut by_place: BTreeMap<(String, String), Vec<Stated>> = BTreeMap::new();
    for (sight, texts) in sights {
        for seen in texts.iter().filter(|seen| seen.size <= 64 << 10 && !lists.contains(seen.path.as_str())).take(300) {
            let Some(bytes) = small(*sight, &seen.path) else { continue };
            let Some(document) = guess(name(seen.path.as_str()), &bytes) else { continue };
            let notation = document.untold_notation(name(seen.path.as_str()));
            for leaf in leaves(&document.value).into_iter().take(200) {
                let is_flag = leaf.is_flag
                    || matches!(
                        leaf.value.to_lowercase().as_str(),
                        "true" | "false" | "on" | "off" | "0" | "1" | "yes" | "no"
                    );
                let place = (seen.path.to_string(), leaf.path);
                let stated = Stated { role: sight.role(), value: leaf.value, is_flag, notation, key: leaf.key };
                by_place.entry(place).or_default().push(stated);
            }
        }
    }
    let mut found: Vec<FoundSetting> = Vec::new();
    for ((file, at), values) in by_place {
        let Ok(file) = InstallPath::new(&file) else { continue };
        let first = &values[0];
        let roles: BTreeSet<Role> = values.iter().map(|stated| stated.role).collect();
        let differs = roles.len() == 2 && values.iter().any(|stated| stated.value != first.value);
        let about_mods = first.is_flag && hints(&at, &words) && !hints(&at, &["mode", "model", "modif"]);
        let clue = if differs {
            Clue::Values(OnSides(values.iter().map(|stated| (stated.value.clone(), stated.role)).collect()))
        } else if about_mods {
            Clue::Switch(first.value.clone())
        } else {
            continue;
        };
        let of = if roles.len() == 1 { roles.into_iter().next() } else { None };
        let name = format!("{} in {}", first.key, name(file.as_str()));
        found.push(FoundSetting { name, file, notation: first.notation, at, of, clue });
    }
    found.truncate(SETTINGS);
    found
}

/// The port that a running server takes, by the one place that states it: a sign that it runs.
pub fn port(sight: &dyn InstallView, texts: &[&Seen]) -> Option<Inferred<u16>> {
    let option = Regex::new(r#"(?i)(?:^|[\s"'])(?:--?|\+|/)port[\s=:]+"?(?<port>\d{4,5})\b"#).ok()?;
    let mut told: BTreeMap<u16, InstallPath> = BTreeMap::new();
    for seen in texts.iter().filter(|seen| seen.size <= 64 << 10).take(300) {
        let Some(bytes) = small(sight, &seen.path) else { continue };
        let text = String::from_utf8_lossy(&bytes);
        let options = option.captures_iter(&text).map(|found| found["port"].to_owned());
        let document = guess(name(seen.path.as_str()), &bytes);
        let leaves = document.iter().flat_map(|document| leaves(&document.value)).take(2_000);
        let is_port = |key: &str| words(key).last().is_some_and(|word| word == "port");
        let values = leaves.filter(|leaf| is_port(&leaf.key)).map(|leaf| leaf.value);
        let ports = options.chain(values).filter_map(|port| port.parse::<u16>().ok()).filter(|port| *port >= 1_024);
        for port in ports {
            told.entry(port).or_insert_with(|| seen.path.clone());
        }
    }
    // Of several, one may be that of a console, or of another host.
    let (port, file) = told.pop_first().filter(|_| told.is_empty())?;
    Some(Inferred::new(port, 0.7, [Clue::FileStates(file)]))
}

/// A place where worlds are.
#[derive(Debug, Clone, PartialEq)]
pub struct FoundWorlds {
    /// The place, with a `*` where each world is one of it.
    pub place: String,
    /// What speaks for it.
    pub clue: Clue,
}

/// Whether a folder is called as one of several kinds that programs keep beside each other: of settings, logs, or worlds alone.
fn is_of_one_kind(folder: &str) -> bool {
    let own = folder.to_lowercase();
    is_of_logs(&own)
        || matches!(own.as_str(), "config" | "configs" | "settings" | "crashes" | "cache" | "savegames" | "worlds")
}

/// Folders that are called as folders of worlds are, on the server.
pub fn worlds(sight: &dyn InstallView, inside: &HashSet<String>) -> Vec<FoundWorlds> {
    let folders = Folders::of(sight.files());
    let all: BTreeSet<&str> =
        folders.files.keys().copied().chain(folders.folders.values().flatten().copied()).collect();
    let mut found: Vec<FoundWorlds> = Vec::new();
    for folder in all.into_iter().filter(|folder| !folder.is_empty() && !inside.contains(*folder)) {
        let own = name(folder).to_lowercase();
        let plural = matches!(own.as_str(), "worlds" | "saves" | "savegames" | "universes" | "maps-saved" | "saved");
        // Where settings and logs are saved too, worlds are in a folder of their own, if at all.
        let others = folders.folders.get(folder).into_iter().flatten().any(|inner| is_of_one_kind(name(inner)));
        let plural = plural && !others;
        let single = matches!(own.as_str(), "world" | "save" | "universe" | "savegame");
        if !(plural || single) || found.iter().any(|known| folder.starts_with(known.place.trim_end_matches('*'))) {
            continue;
        }
        let inner = folders.folders.get(folder).map_or(0, Vec::len);
        let files = folders.files.get(folder).map_or(0, Vec::len);
        let held = |what| Clue::CalledSoAndHolds { folder: folder.to_owned(), what };
        let (place, clue) = if plural && inner > 0 {
            (format!("{folder}/*"), held(Inside::Folders(inner)))
        } else if plural && files > 0 {
            (format!("{folder}/*"), held(Inside::Files(files)))
        } else {
            (folder.to_owned(), Clue::CalledSo(folder.to_owned()))
        };
        found.push(FoundWorlds { place, clue });
    }
    found
}

/// Where a game writes what it does.
#[derive(Debug, Clone, PartialEq)]
pub struct FoundLogs {
    /// The file, the folder, or a pattern for several files.
    pub place: String,
    /// What speaks for it.
    pub clue: Clue,
}

/// Words in names of logs that tell of no evening.
const OTHER_LOGS: [&str; 8] = ["crash", "dump", "install", "setup", "unins", "update", "patch", "report"];

/// The file or folder whose name says that the game writes its log there; what writes most often is in a folder of its own.
pub fn logs(sight: &dyn InstallView, inside: &HashSet<String>) -> Option<FoundLogs> {
    let mut by_folder: BTreeMap<&str, Vec<&str>> = BTreeMap::new();
    for path in sight.files().iter().map(|seen| seen.path.as_str()) {
        let (folder, lower) = (parent(path), path.to_lowercase());
        let is_named = name(&lower).split('.').skip(1).any(|part| part == "log");
        let is_text = is_of_logs(folder) && lower.ends_with(".txt");
        let is_other = OTHER_LOGS.iter().any(|word| lower.contains(word)) || is_inside(path, inside);
        if (is_named || is_text) && !is_other && !path.contains(['*', '?', '[', '{']) {
            by_folder.entry(folder).or_default().push(name(path));
        }
    }
    let rank = |folder: &str, files: &[&str]| {
        (is_of_logs(folder), std::cmp::Reverse(folder.matches('/').count()), files.len())
    };
    let (folder, files) = by_folder.into_iter().max_by_key(|(folder, files)| rank(folder, files))?;
    let mut shapes: Vec<String> = files.iter().map(|file| without_numbers(file)).collect();
    shapes.dedup();
    let in_folder = |file: &str| if folder.is_empty() { file.to_owned() } else { format!("{folder}/{file}") };
    let written = || Clue::CalledSoAndHolds { folder: folder.to_owned(), what: Inside::Written };
    let (place, clue) = match shapes.as_slice() {
        _ if is_of_logs(folder) => (folder.to_owned(), written()),
        [only] => (in_folder(only), Clue::CalledSo(in_folder(files[0]))),
        _ => (in_folder("*.log"), Clue::OthersToo(in_folder(files[0]))),
    };
    Some(FoundLogs { place, clue })
}

fn is_of_logs(folder: &str) -> bool {
    matches!(name(folder).to_lowercase().as_str(), "log" | "logs" | "logfiles")
}

/// A name with one sign for the numbers in it, days and counters among them.
fn without_numbers(name: &str) -> String {
    let numbers = Regex::new(r"\d+(?:[-_.T]\d+)*");
    numbers.map_or_else(|_| name.to_owned(), |numbers| numbers.replace_all(name, "*").into_owned())
}

/// A path inside a world with the world's own name left open.
pub fn in_any_world(path: &str, worlds: &[FoundWorlds]) -> String {
    for found in worlds {
        let Some(container) = found.place.strip_suffix("/*") else { continue };
        let Some(rest) = path.strip_prefix(container).and_then(|rest| rest.strip_prefix('/')) else { continue };
        if let Some((_, below)) = rest.split_once('/') {
            return format!("{container}/*/{below}");
        }
    }
    path.to_owned()
}

#[cfg(test)]
#[path = "../tests/around.rs"]
mod tests;
