//! What an install says beside its mods: lists, settings, worlds, and where places with a `*` really are.

use std::borrow::Cow;
use std::collections::{BTreeMap, HashSet};
use std::io;

use kanon_core::base::digest::Blake3;
use kanon_core::base::limits;
use kanon_core::base::names::ShelfName;
use kanon_core::base::path::{InstallPath, off_limits};
use kanon_core::edits::{RawEntry, read_list};
use kanon_core::manifest::ModManifest;
use kanon_core::rulebook::{ListForm, ListRule, Part, PlacePattern, Role, Rulebook, SettingRule, Shelf, quoted};
use kanon_core::survey::{
    FileProblem, Known, ListEntry, StandsFor, SurveyedList, SurveyedMemory, SurveyedMod, SurveyedSetting,
};
use kanon_core::text::command::{Amount, near_option};
use kanon_core::text::{self, scalar};

use crate::install::Install;

/// How many paths one place with a `*` may stand for.
const PLACES: usize = 1_000;

/// The paths that a place stands for on an install, whatever is there.
pub fn resolve(install: &dyn Install, place: &PlacePattern) -> Vec<InstallPath> {
    if let Some(path) = place.literal() {
        return vec![path];
    }
    let mut found: Vec<Option<InstallPath>> = vec![None];
    for part in place.parts() {
        found = found.iter().flat_map(|above| below(install, above.as_ref(), part)).map(Some).take(PLACES).collect();
    }
    let mut paths: Vec<InstallPath> = found.into_iter().flatten().collect();
    paths.sort();
    paths
}

fn below(install: &dyn Install, above: Option<&InstallPath>, part: &Part) -> Vec<InstallPath> {
    match (part, above) {
        (Part::Name(name), Some(above)) => {
            above.child(name).into_iter().filter(|path| install.is_there(path)).collect()
        }
        (Part::Name(name), None) => InstallPath::new(name).into_iter().filter(|path| install.is_there(path)).collect(),
        (Part::Any(pattern), above) => {
            if above.is_some_and(|above| !install.is_folder(above)) {
                return Vec::new();
            }
            let entries = install.list(above, 1, &HashSet::new()).entries;
            let paths = entries.into_iter().map(|entry| entry.path);
            paths.filter(|path| pattern.fits(path.name()) && off_limits(path.as_str()).is_none()).collect()
        }
    }
}

/// The places of shelves that are known only now, by shelf.
pub fn wild_places(install: &dyn Install, rulebook: &Rulebook, role: Role) -> BTreeMap<ShelfName, Vec<InstallPath>> {
    let of = |shelf: &Shelf| -> Vec<InstallPath> {
        let wild = shelf.wild.of(role).iter().flat_map(|place| resolve(install, place));
        wild.filter(|path| install.is_folder(path)).collect()
    };
    let shelves = rulebook.shelves.iter().filter(|shelf| !shelf.wild.of(role).is_empty());
    shelves.map(|shelf| (shelf.name.clone(), of(shelf))).filter(|(_, places)| !places.is_empty()).collect()
}

/// A list before its entries are matched with mods.
pub struct ReadList<'r> {
    rule: &'r ListRule,
    file: InstallPath,
    entries: Result<Vec<RawEntry>, FileProblem>,
    /// What stands behind an option that is spelt nearly like the rule's, where no line gives that.
    near: Option<(String, Vec<RawEntry>)>,
}

/// Reads the lists that an install of that role has. A file that is not there is no list, unless the rule names it outright.
pub fn lists<'r>(install: &dyn Install, rulebook: &'r Rulebook, role: Role) -> Vec<ReadList<'r>> {
    let mut found = Vec::new();
    for rule in rulebook.lists.iter().filter(|rule| rule.of.is_none_or(|of| of == role)) {
        let files = rule.file.iter().flat_map(|file| resolve(install, file));
        for file in files {
            let mut near = None;
            let entries = match document(install, &file) {
                Ok(bytes) => read_list(rule, &bytes).map_err(|error| {
                    near = nearly(rulebook, rule, &bytes);
                    FileProblem::of(&error)
                }),
                Err(error) if error.kind() == io::ErrorKind::NotFound && rule.of.is_none() => continue,
                Err(error) => Err(error.into()),
            };
            found.push(ReadList { rule, file, entries, near });
        }
    }
    found
}

/// What stands behind an option that may be the rule's with a slip of the pen, and is no other list's.
fn nearly(rulebook: &Rulebook, rule: &ListRule, bytes: &[u8]) -> Option<(String, Vec<RawEntry>)> {
    let ListForm::Option { option, between } = &rule.form else { return None };
    let text = text::text(bytes, rule.encoding).ok()?;
    let near = near_option(&text, rule.dialect(&text), option)?;
    let is_anothers = |other: &ListRule| matches!(&other.form, ListForm::Option { option, .. } if *option == near);
    if rulebook.lists.iter().any(is_anothers) {
        return None;
    }
    let form = ListForm::Option { option: near.clone(), between: between.clone() };
    let entries = read_list(&ListRule { form, ..rule.clone() }, bytes).ok()?;
    Some((near, entries))
}

fn document(install: &dyn Install, file: &InstallPath) -> io::Result<Vec<u8>> {
    install.document(file, limits::DOCUMENT_BYTES + 1)
}

/// The mods of shelves that have only ids on this role, from the lists that name them.
pub fn mods_by_id(rulebook: &Rulebook, role: Role, lists: &[ReadList<'_>]) -> Vec<SurveyedMod> {
    let game = Known::new(rulebook, &[]);
    let mut mods = Vec::new();
    for shelf in &rulebook.shelves {
        let Some(name) = shelf.ids_from(role) else { continue };
        for list in lists.iter().filter(|list| list.rule.name == name) {
            let entries = list.entries.as_deref().unwrap_or_default();
            for entry in entries.iter().map(|raw| game.entry(list.rule, raw.clone())) {
                if entry.stands_for == StandsFor::Nothing {
                    mods.push(listed_mod(shelf, &list.file, entry));
                }
            }
        }
    }
    mods
}

fn listed_mod(shelf: &Shelf, file: &InstallPath, entry: ListEntry) -> SurveyedMod {
    let digest =
        Blake3::of_files([(entry.id.as_str(), 0, Blake3::of(entry.version.as_deref().unwrap_or("").as_bytes()))]);
    SurveyedMod {
        manifest: ModManifest { id: entry.id.clone(), version: entry.version, ..ModManifest::default() },
        shelf: shelf.name.clone(),
        place: file.clone(),
        enabled: entry.on,
        path: file.clone(),
        name: entry.id.into(),
        digest,
        files: Vec::new(),
        members: Vec::new(),
        members_total: 0,
        signatures: Vec::new(),
    }
}

/// The lists with each entry matched to the mod that it names.
pub fn matched(rulebook: &Rulebook, lists: Vec<ReadList<'_>>, mods: &[SurveyedMod]) -> Vec<SurveyedList> {
    let known = Known::new(rulebook, mods);
    let each = lists.into_iter().map(|list| {
        let of = |raws: Vec<RawEntry>| raws.into_iter().map(|raw| known.entry(list.rule, raw)).collect::<Vec<_>>();
        // Only what names mods is the list: another option may be spelt as nearly.
        let near = list.near.map(|(near, raws)| (near, of(raws)));
        let near = near.filter(|(_, entries)| entries.iter().any(|entry| entry.stands_for == StandsFor::Mod));
        let (entries, near, problem) = match (list.entries, near) {
            (Ok(raws), _) => (of(raws), None, None),
            (Err(_), Some((near, entries))) => (entries, Some(near), None),
            (Err(why), None) => (Vec::new(), None, Some(why)),
        };
        let (name, ordered) = (list.rule.name.clone(), list.rule.ordered);
        SurveyedList { name, file: list.file, ordered, entries, near, problem }
    });
    each.collect()
}

/// The settings that the rulebook speaks of, as they are.
pub fn settings(install: &dyn Install, rulebook: &Rulebook, role: Role) -> Vec<SurveyedSetting> {
    let rules = rulebook.settings.iter().filter(|rule| rule.of.is_none_or(|of| of == role));
    let each = rules.flat_map(|rule| resolve(install, &rule.file).into_iter().map(move |file| (rule, file)));
    each.map(|(rule, file)| setting(install, rule, file)).collect()
}

fn setting(install: &dyn Install, rule: &SettingRule, file: InstallPath) -> SurveyedSetting {
    let read = document(install, &file).map_err(FileProblem::from).and_then(|bytes| {
        let document = rule.notation.read(&bytes, rule.encoding).map_err(|error| FileProblem::of(&error))?;
        Ok(rule.at.query(&document).iter().find_map(|value| scalar(value)))
    });
    let (value, problem) = match read {
        Ok(value) => (value, None),
        Err(why) => (None, Some(why)),
    };
    SurveyedSetting { name: rule.name.clone(), file, value, problem }
}

/// What the places are called that settings quote.
pub fn quoted_names(install: &dyn Install, rulebook: &Rulebook, role: Role) -> BTreeMap<String, Vec<String>> {
    let rules = rulebook.settings.iter().filter(|rule| rule.of.is_none_or(|of| of == role));
    let texts = rules.filter_map(|rule| rule.is.as_deref()).flat_map(quoted);
    let places = texts.filter(|text| text.contains(['*', '?']));
    let names = |text: &String| {
        let place = PlacePattern::new(text).ok()?;
        Some(resolve(install, &place).iter().map(|path| path.name().to_owned()).collect())
    };
    places.filter_map(|text| names(&text).map(|names| (text, names))).collect()
}

/// How much memory the launch lines give.
pub fn memory(install: &dyn Install, rulebook: &Rulebook, role: Role) -> Vec<SurveyedMemory> {
    let rules = rulebook.memory.iter().filter(|rule| rule.of.is_none_or(|of| of == role));
    let each = rules.flat_map(|rule| resolve(install, &rule.file).into_iter().map(move |file| (rule, file)));
    each.map(|(rule, file)| {
        let text = document(install, &file).map_err(FileProblem::from).and_then(|bytes| {
            text::text(&bytes, rule.encoding).map(Cow::into_owned).map_err(|error| FileProblem::of(&error))
        });
        let found = text.and_then(|text| rule.amounts(&text).map_err(|error| FileProblem::of(&error)));
        match found {
            Ok(found) => {
                // The least that it is started with counts.
                let problem = found.iter().find_map(Amount::flaw).map(|flaw| FileProblem::of(&flaw));
                let bytes = found.iter().filter_map(|amount| amount.bytes).min().filter(|_| problem.is_none());
                SurveyedMemory { file, bytes, problem }
            }
            Err(why) => SurveyedMemory { file, bytes: None, problem: Some(why) },
        }
    })
    .collect()
}

/// Where the rulebook says that worlds are.
pub fn world_places(rulebook: &Rulebook, role: Role) -> impl Iterator<Item = &PlacePattern> {
    rulebook.worlds.iter().flat_map(move |rule| rule.places.of(role))
}

/// The worlds of an install.
pub fn worlds(install: &dyn Install, rulebook: &Rulebook, role: Role) -> Vec<InstallPath> {
    let mut found: Vec<InstallPath> = world_places(rulebook, role)
        .flat_map(|place| resolve(install, place))
        .filter(|path| install.is_there(path))
        .collect();
    found.sort();
    found.dedup();
    found
}
