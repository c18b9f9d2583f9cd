//! What of an install a draft leaves to itself: groups of alike things on no shelf, and which of them look like mods.

use std::collections::{BTreeMap, BTreeSet};

use serde::Serialize;

use super::sight::{extension, name, parent, stem};
use super::units::{Group, is_everyday, is_program_part};
use crate::base::ids::FoldedId;
use crate::base::path::InstallPath;
use crate::rulebook::{Holds, PlatformVersion, Role, Rulebook};
use crate::survey::{StandsFor, Survey, SurveyedMod};

/// A group of alike things on an install.
#[derive(Debug, Clone)]
pub struct SeenGroup {
    role: Role,
    place: String,
    holds: Holds,
    extension: String,
    units: Vec<SeenUnit>,
}

#[derive(Debug, Clone)]
struct SeenUnit {
    path: String,
    off: bool,
    /// The documents in it, by the pattern that finds them, and the texts that they hold.
    documents: BTreeMap<String, BTreeSet<String>>,
    /// What lies near its root.
    files: BTreeSet<String>,
}

/// So many files of a unit are remembered.
const FILES: usize = 40;

impl SeenGroup {
    /// What of a group is remembered.
    pub(super) fn of(group: &Group) -> Self {
        let unit = |unit: &super::units::Unit| SeenUnit {
            path: unit.path.to_string(),
            off: unit.off,
            documents: unit.documents.iter().map(|(pattern, seen)| (pattern.clone(), texts(&seen.value))).collect(),
            files: unit
                .inner
                .iter()
                .map(|(path, _)| path)
                .filter(|path| path.matches('/').count() <= 1)
                .take(FILES)
                .cloned()
                .collect(),
        };
        Self {
            role: group.role,
            place: group.place.clone(),
            holds: group.holds,
            extension: group.extension.clone(),
            units: group.units.iter().chain(&group.rest).map(unit).collect(),
        }
    }
}

/// Short texts of a document.
fn texts(value: &serde_json::Value) -> BTreeSet<String> {
    let (mut found, mut left) = (BTreeSet::new(), vec![value]);
    while let Some(next) = left.pop() {
        match next {
            serde_json::Value::String(text) if text.len() < 40 => drop(found.insert(text.clone())),
            serde_json::Value::Array(items) => left.extend(items),
            serde_json::Value::Object(fields) => left.extend(fields.values()),
            _ => {}
        }
    }
    found
}

/// Alike things on no shelf.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct LeftOver {
    /// The installs that have them.
    pub roles: Vec<Role>,
    /// The folder that they are in; the empty text for the root.
    pub place: String,
    /// How many there are.
    pub number: usize,
    /// One of them.
    pub example: String,
    /// Why they look like mods, or why they are left alone although they are alike.
    pub why: WhyLeft,
}

/// Why alike things are told of.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum WhyLeft {
    /// A list names them.
    Listed,
    /// They hold the document that mods hold.
    SameDocument,
    /// They are of the kind that mods are.
    SameKind,
    /// They lie among mods.
    AmongMods,
    /// They are called as mods are, and hold more than settings.
    CalledAsMods,
    /// Their folder is called as one for what is out of use.
    OutOfUse,
    /// All are of one version, which is the game's.
    OfTheGame,
}

impl WhyLeft {
    const fn looks_like_mods(self) -> bool {
        matches!(self, Self::Listed | Self::SameDocument | Self::SameKind | Self::AmongMods | Self::CalledAsMods)
    }
}

/// What no shelf of a draft holds: what looks like mods, and what is left alone with a reason.
pub fn left_over(seen: &[SeenGroup], surveys: &[Survey], rulebook: &Rulebook) -> (Vec<LeftOver>, Vec<LeftOver>) {
    let mut all: Vec<LeftOver> = Vec::new();
    let kinds = kinds(seen, surveys);
    for survey in surveys {
        let (governed, unknown) = (governed(survey, rulebook), unknown(survey, rulebook));
        for group in seen.iter().filter(|group| group.role == survey.install.role) {
            let left: Vec<&SeenUnit> = group
                .units
                .iter()
                .filter(|unit| !is_governed(&unit.path, &governed) && !is_of_platform(&unit.path, rulebook))
                .collect();
            let Some(first) = left.first() else { continue };
            if let Some(why) = why(group, &left, survey, (&kinds, &unknown)) {
                let (roles, place) = (vec![group.role], group.place.clone());
                all.push(LeftOver { roles, place, number: left.len(), example: first.path.clone(), why });
            }
        }
    }
    all.sort_by(|a, b| (&a.place, &a.example, b.number).cmp(&(&b.place, &b.example, a.number)));
    // What lies on both sides is told once, and what is seen in two ways too.
    all.dedup_by(|next, first| {
        let is_same = next.place == first.place && next.example == first.example && next.why == first.why;
        if is_same && !first.roles.contains(&next.roles[0]) {
            first.roles.append(&mut next.roles);
        }
        is_same
    });
    all.into_iter().partition(|left| left.why.looks_like_mods())
}

/// What mods of the shelves look like.
struct Kinds {
    extensions: BTreeSet<String>,
    documents: BTreeSet<String>,
    /// Folders that hold mods, and whether those are folders.
    places: BTreeSet<(String, bool)>,
    versions: BTreeSet<String>,
    /// Their ids and what their files and folders are called, folded.
    names: BTreeSet<String>,
}

fn kinds(seen: &[SeenGroup], surveys: &[Survey]) -> Kinds {
    let mods: Vec<&str> = surveys.iter().flat_map(|survey| &survey.mods).map(|found| found.path.as_str()).collect();
    let known: BTreeSet<&str> = mods.iter().copied().collect();
    let of_shelf = seen.iter().flat_map(|group| group.units.iter().map(move |unit| (group, unit)));
    let of_shelf: Vec<_> = of_shelf.filter(|(_, unit)| known.contains(unit.path.as_str())).collect();
    let files = of_shelf.iter().filter(|(group, _)| group.holds != Holds::Folders);
    Kinds {
        extensions: files.map(|(group, _)| group.extension.clone()).filter(|end| !end.is_empty()).collect(),
        documents: of_shelf.iter().flat_map(|(_, unit)| unit.documents.keys().cloned()).collect(),
        names: surveys.iter().flat_map(|survey| &survey.mods).flat_map(names_of).collect(),
        versions: surveys.iter().flat_map(|s| &s.mods).filter_map(|found| found.manifest.version.clone()).collect(),
        places: of_shelf
            .iter()
            .map(|(group, unit)| (parent(&unit.path).to_owned(), group.holds == Holds::Folders))
            .collect(),
    }
}

/// The id of a mod and the name of its file or folder, folded.
fn names_of(found: &SurveyedMod) -> [String; 2] {
    let name = found.name.as_str();
    [found.manifest.id.to_string().to_lowercase(), stem(name).to_lowercase()]
}

/// Every path of an install that the draft knows of.
fn governed<'s>(survey: &'s Survey, rulebook: &'s Rulebook) -> BTreeSet<&'s str> {
    let mut paths: BTreeSet<&str> = platforms(rulebook)
        .filter_map(|place| match place {
            PlatformVersion::Document { file, .. } | PlatformVersion::Text { file, .. } => Some(file.as_str()),
            PlatformVersion::FileName(_) => None,
        })
        .collect();
    for found in survey.mods.iter().chain(&survey.strays) {
        paths.insert(found.path.as_str());
        paths.extend(found.files.iter().map(|file| file.path.as_str()));
    }
    paths.extend(survey.unreadable.iter().map(|broken| broken.path.as_str()));
    paths.extend(survey.lists.iter().map(|list| list.file.as_str()));
    paths.extend(survey.keys.iter().map(|key| key.path.as_str()));
    paths.extend(survey.settings.iter().map(|setting| setting.file.as_str()));
    paths.extend(survey.bases.iter().map(|base| base.path.as_str()));
    paths.extend(survey.worlds.iter().map(InstallPath::as_str));
    paths
}

/// What lists name and is no mod by the draft. What it takes for the game's own may be a mod all the same.
fn unknown<'s>(survey: &'s Survey, rulebook: &Rulebook) -> BTreeSet<&'s FoldedId> {
    let is_base = |id: &FoldedId| rulebook.base.ids.iter().any(|base| *id == *base);
    let entries = survey.lists.iter().flat_map(|list| &list.entries);
    entries.filter(|entry| entry.stands_for != StandsFor::Mod && !is_base(&entry.id)).map(|entry| &entry.id).collect()
}

/// Where the versions of the game, its loader and what it runs on are told.
fn platforms(rulebook: &Rulebook) -> impl Iterator<Item = &PlatformVersion> {
    let all = [Some(&rulebook.base), rulebook.loader.as_ref(), rulebook.runtime.as_ref()];
    all.into_iter().flatten().flat_map(|platform| &platform.version)
}

/// Whether a file's name tells one of those.
fn is_of_platform(path: &str, rulebook: &Rulebook) -> bool {
    platforms(rulebook).any(|place| matches!(place, PlatformVersion::FileName(regex) if regex.is_match(path)))
}

/// Whether something is known, lies in what is, or holds it.
fn is_governed(path: &str, governed: &BTreeSet<&str>) -> bool {
    let mut outer = path;
    while !outer.is_empty() {
        if governed.contains(outer) {
            return true;
        }
        outer = parent(outer);
    }
    let inside = format!("{path}/");
    governed.range(inside.as_str()..).next().is_some_and(|next| next.starts_with(&inside))
}

fn why(
    group: &SeenGroup,
    left: &[&SeenUnit],
    survey: &Survey,
    (kinds, unknown): (&Kinds, &BTreeSet<&FoldedId>),
) -> Option<WhyLeft> {
    if left.iter().all(|unit| unit.off) || is_out_of_use(&group.place) {
        return Some(WhyLeft::OutOfUse);
    }
    let is_out_of_use = |unit: &&SeenUnit| is_out_of_use(stem(name(&unit.path)));
    if left.iter().all(is_out_of_use) {
        return Some(WhyLeft::OutOfUse);
    }
    let is_listed = |unit: &&&SeenUnit| {
        let called = name(&unit.path);
        unknown.contains(&FoldedId::from(called)) || unknown.contains(&FoldedId::from(stem(called)))
    };
    if left.iter().filter(is_listed).count() * 2 >= left.len() {
        return Some(WhyLeft::Listed);
    }
    if is_of_the_game(left, survey, kinds) {
        return Some(WhyLeft::OfTheGame);
    }
    let holds = |unit: &&&SeenUnit| {
        unit.documents.keys().any(|pattern| kinds.documents.contains(pattern))
            || kinds.documents.iter().any(|document| unit.files.contains(document))
    };
    if left.iter().any(|unit| holds(&unit)) {
        return Some(WhyLeft::SameDocument);
    }
    if group.holds != Holds::Folders && kinds.extensions.contains(&group.extension) {
        return Some(WhyLeft::SameKind);
    }
    if is_called_as_mods(group, left, kinds) {
        return Some(WhyLeft::CalledAsMods);
    }
    let is_told = group.holds == Holds::Archives || left.iter().any(|unit| !unit.documents.is_empty());
    let among = (group.place.clone(), group.holds == Holds::Folders);
    (is_told && kinds.places.contains(&among)).then_some(WhyLeft::AmongMods)
}

/// Whether most of three things and more are called as mods are. Settings and texts are, too, and are not what a mod is made of.
fn is_called_as_mods(group: &SeenGroup, left: &[&SeenUnit], kinds: &Kinds) -> bool {
    let is_called = |unit: &&&SeenUnit| {
        let own = name(&unit.path).to_lowercase();
        kinds.names.contains(&own) || group.holds != Holds::Folders && kinds.names.contains(stem(&own))
    };
    // A program's parts are what mods of some games are made of.
    let is_payload = |end: &str| !is_everyday(end) || is_program_part(end);
    let is_more = |unit: &&SeenUnit| unit.files.iter().any(|file| is_payload(&extension(name(file))));
    let holds_more = match group.holds {
        Holds::Folders => left.iter().any(is_more),
        Holds::Archives => true,
        _ => is_payload(&group.extension),
    };
    let called = left.iter().filter(is_called).count();
    holds_more && called >= 3 && called * 10 >= left.len() * 6
}

/// Several things that all say the version of the game came with it; so did several that all say one version in a folder of the
/// game's, and three and more that all say one which no mod says.
fn is_of_the_game(left: &[&SeenUnit], survey: &Survey, kinds: &Kinds) -> bool {
    let says = |unit: &SeenUnit, version: &str| unit.documents.values().any(|texts| texts.contains(version));
    let all_say = |version: &str| left.iter().all(|unit| says(unit, version));
    if left.len() > 1 && survey.install.game_version.as_deref().is_some_and(all_say) {
        return true;
    }
    let first = left.first().into_iter().flat_map(|unit| unit.documents.values().flatten());
    let mut versions = first.filter(|text| is_like_a_version(text) && all_say(text));
    let is_in_its_folder = || left.len() > 1 && is_of_a_game(parent(&left[0].path));
    versions.any(|version| is_in_its_folder() || left.len() > 2 && !kinds.versions.contains(version))
}

fn is_like_a_version(text: &str) -> bool {
    text.contains('.') && text.starts_with(|c: char| c.is_ascii_digit()) && !text.contains(char::is_whitespace)
}

/// Words in the names of what is kept and not used.
const OUT_OF_USE: [&str; 20] = [
    "backup", "backups", "bak", "old", "older", "archive", "archived", "disabled", "inactive", "off", "unused",
    "parked", "cache", "caches", "temp", "tmp", "trash", "removed", "kopie", "copy",
];

/// Words for folders of the game's own content.
const OF_GAMES: [&str; 9] = ["base", "core", "native", "official", "vanilla", "builtin", "default", "game", "original"];

/// Words in the names of copies of a file.
const OF_COPIES: [&str; 9] = ["backup", "backups", "bak", "old", "older", "orig", "original", "kopie", "copy"];

/// Whether a folder, or one above it, is called as one for what is kept and not used.
pub(super) fn is_out_of_use(path: &str) -> bool {
    path.split('/').any(|part| has_word(part, &OUT_OF_USE))
}

/// Whether a folder, or one above it, is called as one for what comes with the game.
pub(super) fn is_of_a_game(path: &str) -> bool {
    path.split('/').any(|part| has_word(part, &OF_GAMES))
}

/// Whether a file is a copy of another that somebody kept, by its name.
pub(super) fn is_copy(file: &str) -> bool {
    has_word(name(file), &OF_COPIES)
}

/// Whether a name has one of these words, or a date.
fn has_word(part: &str, known: &[&str]) -> bool {
    let lower = part.to_lowercase();
    let words: Vec<&str> = lower.split(|c: char| !c.is_alphanumeric()).filter(|word| !word.is_empty()).collect();
    let is_date = words.windows(3).any(|three| {
        let number = |at: usize| three[at].parse::<u32>().ok();
        matches!((number(0), number(1), number(2)), (Some(1990..=2100), Some(1..=12), Some(1..=31)))
    });
    let is_stamp = words
        .iter()
        .any(|word| word.len() == 8 && word.parse::<u32>().is_ok_and(|n| (19_900_101..=21_001_231).contains(&n)));
    words.iter().any(|word| known.contains(word)) || is_date || is_stamp
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case("backup-2024-02-01", true)]
    #[case("Mods (old)", true)]
    #[case("20240201", true)]
    #[case("add-disabled", true)]
    #[case("goldfinch", false)]
    #[case("cold-sea", false)]
    #[case("release-1-2-3", false)]
    fn folders_that_are_out_of_use_are_known_by_their_names(#[case] name: &str, #[case] is: bool) {
        assert_eq!(is_out_of_use(name), is);
    }
}
