//! Which folders are shelves: groups of alike archives, folders or files, and the document that each of them holds.

use std::collections::{BTreeMap, BTreeSet, HashMap};
use std::sync::Arc;

use super::named_after::{Leaders, documents as documents_after};
use super::sight::{Folders, Guessed, InstallView, Seen, extension, guess, name, parent, small, starts_as_zip, stem};
use super::words::{folded, without_signs};
use crate::base::digest::Blake3;
use crate::base::limits;
use crate::base::path::InstallPath;
use crate::manifest::ITSELF;
use crate::rulebook::{BesideName, Holds, NamePattern, Role};

/// Units of a group that are looked into before it is known which of their documents matters.
const SAMPLE: usize = 200;
/// Documents of a mod that are read while its main one is looked for.
const DOCUMENTS: usize = 10;

/// One mod-to-be.
#[derive(Debug, Clone)]
pub struct Unit {
    /// Which install it was seen on.
    pub role: Role,
    /// Its file or folder.
    pub path: InstallPath,
    /// What it is called when it is switched on.
    pub name: String,
    /// Whether it is a folder.
    pub is_folder: bool,
    /// Whether its name says that it is switched off.
    pub off: bool,
    /// Its size in bytes, and for a folder that of all its files.
    pub size: u64,
    /// Its files or members: paths inside it, and sizes.
    pub inner: Vec<(String, u64)>,
    /// Documents that were read from it, by the pattern that found them.
    pub documents: BTreeMap<String, Arc<Guessed>>,
    /// Small files that hold other files' versions and the like, as text.
    pub texts: BTreeMap<String, String>,
}

impl Unit {
    /// Its name without the ending of a file.
    pub fn stem(&self) -> &str {
        if self.is_folder { &self.name } else { stem(&self.name) }
    }

    /// The same without signs around it.
    pub fn bare_stem(&self) -> &str {
        without_signs(self.stem())
    }

    /// Whether it is a text and no more.
    pub fn is_text(&self) -> bool {
        let is_plain = |text: &String| !text.contains(|c: char| c.is_control() && !c.is_whitespace());
        self.texts.get(ITSELF).is_some_and(is_plain)
    }

    /// Keeps what a file of it says, which a pattern found.
    fn take_in(&mut self, pattern: &str, called: &str, bytes: &[u8]) {
        if let Some(found) = guess(called, bytes) {
            self.documents.insert(pattern.to_owned(), Arc::new(found));
        }
        if let Ok(text) = std::str::from_utf8(bytes) {
            self.texts.insert(pattern.to_owned(), text.chars().take(4_000).collect());
        }
    }
}

/// A group of alike units in one folder.
#[derive(Debug, Clone)]
pub struct Group {
    /// Which install it was seen on.
    pub role: Role,
    /// The folder; the empty text for the root.
    pub place: String,
    /// What it holds.
    pub holds: Holds,
    /// The extension of its files, without the dot.
    pub extension: String,
    /// How disabled units are named.
    pub off: Option<String>,
    /// Documents beside its files, by what they are called after those; and how that is spelt here.
    pub beside: Vec<(String, BesideName)>,
    /// The units; of very many, those by which the group is judged.
    pub units: Vec<Unit>,
    /// The other units, not looked into yet.
    pub rest: Vec<Unit>,
}

/// Every group of an install that may be a shelf.
pub fn groups(sight: &dyn InstallView) -> Vec<Group> {
    let folders = Folders::of(sight.files());
    let mut found = Vec::new();
    for (folder, files) in &folders.files {
        if !is_own(folder) {
            found.extend(file_groups(sight, folder, files));
        }
    }
    let mut below: HashMap<&str, Vec<&Seen>> = HashMap::new();
    for seen in sight.files() {
        let mut outer = parent(seen.path.as_str());
        while !outer.is_empty() {
            below.entry(outer).or_default().push(seen);
            outer = parent(outer);
        }
    }
    for (folder, inner) in &folders.folders {
        if !is_own(folder) && !inner.is_empty() && inner.len() <= 5_000 {
            let files = folders.files.get(folder).map_or(&[][..], Vec::as_slice);
            found.extend(folder_group(sight, (folder, files), inner, &below));
        }
    }
    let mut merged = with_places_merged(found);
    for group in merged.iter_mut().filter(|group| group.place.contains('*')) {
        group.units.iter_mut().for_each(|unit| {
            unit.documents.clear();
            unit.texts.clear();
        });
        read_documents(sight, group);
    }
    merged
}

/// Folders that each hold a few mods at the same place below them: `content/*/mods` is one place of one shelf.
fn with_places_merged(groups: Vec<Group>) -> Vec<Group> {
    let mut alike: BTreeMap<(String, String), Vec<usize>> = BTreeMap::new();
    for (at, group) in groups.iter().enumerate() {
        let parts: Vec<&str> = group.place.split('/').collect();
        if group.holds == Holds::Files || parts.len() < 2 || group.units.len() > 3 {
            continue;
        }
        // The last part stays: what differs is whose folder it is.
        for open in 0..parts.len() - 1 {
            let mut pattern = parts.clone();
            pattern[open] = "*";
            let kind = format!("{:?} {}", group.holds, group.extension);
            alike.entry((pattern.join("/"), kind)).or_default().push(at);
        }
    }
    let mut gone: BTreeSet<usize> = BTreeSet::new();
    let mut merged: Vec<Group> = Vec::new();
    let mut by_size: Vec<((String, String), Vec<usize>)> =
        alike.into_iter().filter(|(_, own)| own.len() >= 3).collect();
    by_size.sort_by_key(|(_, own)| std::cmp::Reverse(own.len()));
    for ((pattern, _), own) in by_size {
        if own.iter().any(|at| gone.contains(at)) || is_folder_for_each(&groups, &own) {
            continue;
        }
        gone.extend(&own);
        let units = own.iter().flat_map(|at| groups[*at].units.clone()).collect();
        merged.push(Group { place: pattern, units, ..groups[own[0]].clone() });
    }
    let rest = groups.into_iter().enumerate().filter(|(at, _)| !gone.contains(at)).map(|(_, group)| group);
    rest.chain(merged).collect()
}

/// Whether each of several places has just one mod, another in each: then the folder around it is the mod's own, as downloads
/// have one. Mods in places are in all of them.
fn is_folder_for_each(groups: &[Group], own: &[usize]) -> bool {
    let units = || own.iter().flat_map(|at| &groups[*at].units);
    let names: BTreeSet<String> = units().map(|unit| unit.name.to_lowercase()).collect();
    let is_one = |at: &usize| groups[*at].holds == Holds::Folders && groups[*at].units.len() == 1;
    own.iter().all(is_one) && names.len() == own.len()
}

fn is_own(folder: &str) -> bool {
    folder == ".kanon" || folder.starts_with(".kanon/")
}

/// Endings that mean a file was put out of use.
fn is_off_ending(end: &str) -> bool {
    matches!(end, "off" | "disabled" | "disable" | "old" | "bak" | "parked" | "unused" | "inactive")
}

/// Files of one folder by extension; disabled ones count with the others.
fn file_groups(sight: &dyn InstallView, folder: &str, files: &[&Seen]) -> Vec<Group> {
    let mut by_extension: BTreeMap<String, Vec<(&Seen, Option<String>)>> = BTreeMap::new();
    for seen in files {
        let own = name(seen.path.as_str());
        let end = extension(own);
        let (end, off) =
            if is_off_ending(&end) { (extension(stem(own)), Some(format!(".{end}"))) } else { (end, None) };
        if !end.is_empty() {
            by_extension.entry(end).or_default().push((seen, off));
        }
    }
    let groups = by_extension.into_iter().filter_map(|(end, seen)| file_group(sight, (folder, files), end, &seen));
    groups.collect()
}

fn file_group(
    sight: &dyn InstallView,
    (folder, files): (&str, &[&Seen]),
    end: String,
    seen: &[(&Seen, Option<String>)],
) -> Option<Group> {
    let archives = seen.iter().take(20).filter(|(seen, _)| starts_as_zip(sight, &seen.path)).count();
    let is_zip = archives * 10 >= seen.len().min(20) * 8 && archives > 0;
    let off = seen.iter().find_map(|(_, off)| off.clone()).map(|off| format!("*.{end}{off}"));
    let unit = |(seen, off): &(&Seen, Option<String>)| {
        let own = name(seen.path.as_str());
        let shown = off.as_ref().map_or(own, |off| &own[..own.len() - off.len()]);
        unit(sight.role(), (&seen.path, shown, false), (off.is_some(), seen.size), Vec::new())
    };
    let all: Vec<Unit> = seen.iter().map(unit).collect();
    let names: Vec<&str> = all.iter().map(|unit| unit.name.as_str()).collect();
    let has_documents = is_zip || !is_everyday(&end) || is_program_part(&end);
    let leaders = Leaders::files(names.into_iter());
    let beside = if has_documents { documents_after(sight, &leaders, files) } else { Vec::new() };
    let (mut units, rest) = sample(all);
    if is_zip {
        units.retain_mut(|unit| list_members(sight, unit));
    }
    let mut group = Group {
        role: sight.role(),
        place: folder.to_owned(),
        holds: if is_zip { Holds::Archives } else { Holds::Files },
        extension: end,
        off,
        beside,
        units,
        rest,
    };
    if is_zip {
        read_documents(sight, &mut group);
    } else {
        read_files(sight, &mut group);
    }
    worth_a_look(&group).then_some(group)
}

/// Some of very many units, the same by name on every side, and the others.
fn sample(units: Vec<Unit>) -> (Vec<Unit>, Vec<Unit>) {
    if units.len() <= SAMPLE {
        return (units, Vec::new());
    }
    let mut order: Vec<(Blake3, Unit)> =
        units.into_iter().map(|unit| (Blake3::of(unit.name.to_lowercase().as_bytes()), unit)).collect();
    order.sort_by_key(|(digest, _)| *digest);
    let mut units: Vec<Unit> = order.into_iter().map(|(_, unit)| unit).collect();
    let rest = units.split_off(SAMPLE);
    units.sort_by(|a, b| a.path.cmp(&b.path));
    (units, rest)
}

/// Lists the members of an archive; says whether it is one.
fn list_members(sight: &dyn InstallView, unit: &mut Unit) -> bool {
    let Some(archive) = sight.archive(&unit.path) else { return false };
    unit.inner = archive.members().iter().take(limits::LISTED_MEMBERS).map(|m| (m.path.clone(), m.size)).collect();
    true
}

/// Looks into the units that were left, for the documents that matter; of the others' documents only those are kept.
pub fn complete(sight: &dyn InstallView, group: &mut Group, documents: &[String]) {
    for unit in &mut group.units {
        if documents.iter().any(|document| unit.documents.contains_key(document)) {
            unit.documents.retain(|pattern, _| documents.contains(pattern));
        }
    }
    for mut unit in std::mem::take(&mut group.rest) {
        if group.holds.archives() && !list_members(sight, &mut unit) {
            continue;
        }
        read_members(sight, &mut unit, documents);
        read_beside(sight, &mut unit, group.beside.iter().filter(|(called, _)| documents.contains(called)));
        if group.holds.archives() {
            let nested = |path: &str| extension(name(path)) == group.extension;
            unit.inner.retain(|(path, _)| nested(path));
        }
        group.units.push(unit);
    }
    group.units.sort_by(|a, b| a.path.cmp(&b.path));
}

fn unit(
    role: Role,
    (path, name, is_folder): (&InstallPath, &str, bool),
    (off, size): (bool, u64),
    inner: Vec<(String, u64)>,
) -> Unit {
    let name = name.to_owned();
    let path = path.clone();
    Unit { role, path, name, is_folder, off, size, inner, documents: BTreeMap::new(), texts: BTreeMap::new() }
}

/// A group of opaque files must tell something by its names; archives and folders by their documents.
fn worth_a_look(group: &Group) -> bool {
    let opaque = group.holds == Holds::Files;
    let is_everyday = is_everyday(&group.extension) && !is_program_part(&group.extension) && !are_documents(group);
    !group.units.is_empty() && !(opaque && (is_everyday || group.units.len() > 5_000))
}

/// Whether three and more files of a folder are documents of one kind: each may be a mod.
fn are_documents(group: &Group) -> bool {
    let read = group.units.iter().filter(|unit| !unit.documents.is_empty()).count();
    !group.place.is_empty() && read >= 3 && read * 10 >= group.units.len() * 9
}

/// Files of programs, which are mods of some games, and parts of all.
pub fn is_program_part(end: &str) -> bool {
    matches!(end, "so" | "dll" | "dylib" | "js")
}

/// Files that every program has: not opaque payloads of mods.
pub fn is_everyday(end: &str) -> bool {
    const EVERYDAY: [&str; 46] = [
        "txt",
        "log",
        "md",
        "json",
        "toml",
        "yaml",
        "yml",
        "xml",
        "ini",
        "cfg",
        "conf",
        "properties",
        "bat",
        "cmd",
        "sh",
        "ps1",
        "exe",
        "dll",
        "so",
        "dylib",
        "png",
        "jpg",
        "jpeg",
        "gif",
        "ico",
        "svg",
        "ogg",
        "wav",
        "mp3",
        "ttf",
        "otf",
        "html",
        "htm",
        "css",
        "js",
        "pdf",
        "lock",
        "pid",
        "tmp",
        "bak",
        "db",
        "sqlite",
        "service",
        "sig",
        "pub",
        "key",
    ];
    EVERYDAY.contains(&end)
}

/// The folders in a folder, if a document stands at the same place in most of them.
fn folder_group(
    sight: &dyn InstallView,
    (folder, files): (&str, &[&Seen]),
    inner: &[&str],
    below: &HashMap<&str, Vec<&Seen>>,
) -> Option<Group> {
    let units: Vec<Unit> = inner
        .iter()
        .filter_map(|path| {
            let files = below.get(path)?;
            let inside = |seen: &&Seen| Some((seen.path.as_str().get(path.len() + 1..)?.to_owned(), seen.size));
            let size = files.iter().map(|seen| seen.size).sum();
            let inner = files.iter().filter_map(inside).take(limits::LISTED_MEMBERS).collect();
            let at = InstallPath::new(path).ok()?;
            Some(unit(sight.role(), (&at, name(path), true), (false, size), inner))
        })
        .collect();
    let mut group = Group {
        role: sight.role(),
        place: folder.to_owned(),
        holds: Holds::Folders,
        extension: String::new(),
        off: None,
        beside: Vec::new(),
        units,
        rest: Vec::new(),
    };
    if group.units.is_empty() {
        return None;
    }
    note_off_folders(&mut group);
    let names: Vec<String> = group.units.iter().map(|unit| unit.name.clone()).collect();
    group.beside = documents_after(sight, &Leaders::folders(names.iter().map(String::as_str)), files);
    (group.units, group.rest) = sample(std::mem::take(&mut group.units));
    read_documents(sight, &mut group);
    Some(group)
}

/// Folders whose names end or begin as those of disabled mods do.
fn note_off_folders(group: &mut Group) {
    for unit in &mut group.units {
        let end = extension(&unit.name);
        if is_off_ending(&end) {
            group.off = Some(format!("*.{end}"));
            unit.off = true;
            unit.name = stem(&unit.name).to_owned();
        }
    }
}

/// A key that is the mod's own name differs with each mod: `$.needs.tide[*]` is `$.needs.*[*]`.
pub fn without_own_name(path: &str, unit: &Unit) -> String {
    let name = folded(unit.stem());
    let own = |key: &str| key.len() >= 3 && !matches!(key, "mods" | "mod") && name.starts_with(&folded(key));
    let mut out = String::from("$");
    for part in split_path(path) {
        let key = part.trim_start_matches(['.', '[', '\'']).trim_end_matches(['\'', ']']);
        if !part.starts_with("[*") && !part.starts_with("[0") && !part.starts_with("[?") && own(key) {
            out.push_str(".*");
        } else {
            out.push_str(part);
        }
    }
    out
}

/// The steps of a path as they are written for a leaf.
fn split_path(path: &str) -> Vec<&str> {
    let mut steps = Vec::new();
    let (mut start, mut quoted, mut filter) = (1, false, false);
    for (at, c) in path.char_indices().skip(1) {
        match c {
            '\'' => quoted = !quoted,
            ']' if !quoted => filter = false,
            '.' | '[' if !quoted && !filter && at > start => {
                steps.push(&path[start..at]);
                start = at;
            }
            '?' if !quoted && path[..at].ends_with('[') => filter = true,
            _ => {}
        }
    }
    steps.extend(path.get(start..).filter(|rest| !rest.is_empty()));
    steps
}

/// Finds the places at which most units hold a document, and reads those.
fn read_documents(sight: &dyn InstallView, group: &mut Group) {
    let patterns = document_patterns(&group.units);
    let few_strangers = !(patterns.is_empty() && group.beside.is_empty()) && group.holds == Holds::Archives;
    for unit in &mut group.units {
        read_members(sight, unit, &patterns);
        read_beside(sight, unit, group.beside.iter());
        if few_strangers && unit.documents.is_empty() && unit.texts.is_empty() {
            let own = own_documents(&unit.inner);
            read_members(sight, unit, &own);
        }
    }
}

/// Reads documents that lie beside a unit.
fn read_beside<'g>(sight: &dyn InstallView, unit: &mut Unit, beside: impl Iterator<Item = &'g (String, BesideName)>) {
    for (called, spelt) in beside {
        let own = spelt.of(&unit.name);
        let path = unit.path.parent().map_or_else(|| InstallPath::new(&own), |folder| folder.child(&own));
        if let Some(bytes) = path.ok().and_then(|path| small(sight, &path)) {
            unit.take_in(called, &own, &bytes);
        }
    }
}

/// Reads the members of a unit that these patterns find.
fn read_members(sight: &dyn InstallView, unit: &mut Unit, patterns: &[String]) {
    let wanted: Vec<(&String, String)> =
        patterns.iter().filter_map(|pattern| Some((pattern, located(&unit.inner, pattern)?))).collect();
    let mut archive = if unit.is_folder || wanted.is_empty() { None } else { sight.archive(&unit.path) };
    for (pattern, member) in wanted {
        let bytes = match &mut archive {
            Some(archive) => archive.read_up_to(&member, limits::LEARNED_TEXT_BYTES).ok().flatten(),
            None => unit.path.join(&member).ok().and_then(|path| small(sight, &path)),
        };
        let Some(bytes) = bytes else { continue };
        unit.take_in(pattern, name(&member), &bytes);
    }
}

/// What an archive that has none of the common documents may state itself in.
fn own_documents(inner: &[(String, u64)]) -> Vec<String> {
    let small = |size: u64| size > 0 && size <= limits::LEARNED_TEXT_BYTES;
    let near = inner.iter().filter(|(path, size)| path.matches('/').count() <= 1 && small(*size));
    near.filter(|(path, _)| !unlike_metadata(path)).take(4).map(|(path, _)| path.clone()).collect()
}

/// A group of single files that are documents themselves, or have such beside them.
fn read_files(sight: &dyn InstallView, group: &mut Group) {
    let are_texts = matches!(group.extension.as_str(), "json" | "toml" | "yaml" | "yml" | "xml");
    let are_read = are_texts || !is_everyday(&group.extension);
    for unit in group.units.iter_mut().take(5_000) {
        read_beside(sight, unit, group.beside.iter());
        if unit.size > limits::LEARNED_TEXT_BYTES || !are_read {
            continue;
        }
        if let Some(bytes) = small(sight, &unit.path) {
            unit.take_in(ITSELF, &unit.name.clone(), &bytes);
        }
    }
}

/// The member that a pattern names.
pub fn located(inner: &[(String, u64)], pattern: &str) -> Option<String> {
    if !pattern.contains('*') {
        return inner.iter().find(|(path, _)| path == pattern).map(|(path, _)| path.clone());
    }
    let pattern = NamePattern::new(pattern).ok()?;
    inner.iter().find(|(path, _)| pattern.fits(path)).map(|(path, _)| path.clone())
}

/// Patterns over members that fit one in most units: a path as it is, its first folder or its stem left open.
fn document_patterns(units: &[Unit]) -> Vec<String> {
    let mut counts: BTreeMap<String, usize> = BTreeMap::new();
    for unit in units {
        let mut own = BTreeSet::new();
        for (path, size) in unit.inner.iter().filter(|(path, _)| path.matches('/').count() <= 3) {
            if *size == 0 || *size > limits::LEARNED_TEXT_BYTES || is_payload(path) {
                continue;
            }
            own.insert(path.clone());
            own.extend(by_its_end(path));
            own.extend(in_a_folder_of_any_name(path));
            if let Some((first, rest)) = path.split_once('/') {
                if !rest.contains('/') && unit.inner.iter().all(|(p, _)| p.starts_with(first)) {
                    own.insert(format!("*/{rest}"));
                }
            } else if !extension(path).is_empty() {
                own.insert(format!("*.{}", extension(path)));
            }
        }
        for pattern in own {
            *counts.entry(pattern).or_default() += 1;
        }
    }
    let enough = |count: usize| count * 10 >= units.len() && (count >= 2 || units.len() <= 2);
    // A program's text is looked into where most units have one at the same place: it may be data.
    let common = |(pattern, count): &(String, usize)| !is_program(pattern) || count * 10 >= units.len() * 6;
    let mut patterns: Vec<(String, usize)> =
        counts.into_iter().filter(|(_, count)| enough(*count)).filter(common).collect();
    // The most common first; of equals the one that leaves least open, and the one nearest to the root.
    patterns.sort_by_key(|(pattern, count)| {
        (
            usize::MAX - count,
            pattern.contains('*'),
            unlike_metadata(pattern),
            pattern.matches('/').count(),
            pattern.len(),
        )
    });
    let mut chosen: Vec<String> = Vec::new();
    for (pattern, count) in patterns {
        let open = pattern.contains('*');
        // `*.ext` adds nothing where a plain name is as common.
        let as_common = |other: &String| {
            !other.contains('*')
                && NamePattern::new(&pattern).is_ok_and(|pattern| pattern.fits(other))
                && units.iter().filter(|unit| located(&unit.inner, other).is_some()).count() >= count
        };
        if open && chosen.iter().any(as_common) {
            continue;
        }
        chosen.push(pattern);
        if chosen.len() == DOCUMENTS {
            break;
        }
    }
    chosen
}

/// The path with the folder around a document left open, below another: `units/reed/card.txt` is `units/*/card.txt`.
fn in_a_folder_of_any_name(path: &str) -> Option<String> {
    let (above, rest) = path.split_once('/')?;
    let (_, file) = rest.split_once('/')?;
    (!file.contains('/')).then(|| format!("{above}/*/{file}"))
}

/// The path with what may be the unit's own name left open: `reed-1.2.info/CARD` is `*.info/CARD`, `reed_card.json` is
/// `*_card.json`.
fn by_its_end(path: &str) -> Option<String> {
    let end = |part: &str, signs: &[char]| {
        let at = part.rfind(signs).filter(|at| *at > 0)?;
        part[at + 1..].starts_with(char::is_alphabetic).then(|| format!("*{}", &part[at..]))
    };
    match path.split_once('/') {
        Some((first, rest)) if !rest.contains('/') => Some(format!("{}/{rest}", end(first, &['.', '-', '_'])?)),
        Some(_) => None,
        None => {
            let extension = extension(path);
            Some(format!("{}.{extension}", end(stem(path), &['.', '-', '_'])?))
        }
    }
}

/// The text of a program, near the root of its mod.
fn is_program(path: &str) -> bool {
    path.matches('/').count() <= 1 && matches!(extension(path).as_str(), "lua" | "js" | "py")
}

fn is_payload(path: &str) -> bool {
    let assets =
        ["textures", "sounds", "models", "images", "img", "fonts", "shaders", "music", "locale", "locales", "media"];
    if parent(path).split('/').any(|part| assets.contains(&part.to_lowercase().as_str())) {
        return true;
    }
    if is_program(path) {
        return false;
    }
    matches!(
        extension(path).as_str(),
        "png"
            | "jpg"
            | "jpeg"
            | "ogg"
            | "wav"
            | "mp3"
            | "dll"
            | "so"
            | "exe"
            | "class"
            | "lua"
            | "js"
            | "py"
            | "cs"
            | "ttf"
            | "bin"
            | "zip"
    )
}

/// Text for people comes after what is written for programs.
fn unlike_metadata(pattern: &str) -> bool {
    !matches!(
        extension(pattern).as_str(),
        "json" | "toml" | "yaml" | "yml" | "xml" | "ini" | "cfg" | "conf" | "properties" | "json5" | "jsonc" | ""
    )
}

/// How many of a group's units hold a document that was read.
pub fn share(group: &Group, pattern: &str) -> f64 {
    let read = group.units.iter().filter(|unit| unit.documents.contains_key(pattern)).count();
    read as f64 / group.units.len().max(1) as f64
}
