//! Mod lists and launch lines: what each is to say by the canon, and in what it says something else.

use std::collections::{BTreeMap, BTreeSet, HashMap};

use displaydoc::Display;

use super::context::{CheckContext, align};
use super::extras::may_stay;
use crate::base::act::Act;
use crate::base::finding::{Change as Changed, Code, EntryChange, Finding, Severity};
use crate::base::ids::{FoldedId, same_name};
use crate::base::path::InstallPath;
use crate::base::remedy::Remedy;
use crate::base::stated::{Series, Stated};
use crate::base::suggestion::Suggestion;
use crate::canon::{Canon, SealedList, SealedMod};
use crate::edits::{Change, Entry, digest_like, entry_text, option_text};
use crate::rulebook::{EntryShape, ListForm, ListRule, Names, NeededOn, Role, Rulebook};
use crate::survey::{FileProblem, ListEntry, StandsFor, Survey, SurveyedList, SurveyedMod};

/// What a list is to say, as changes of what it says.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ListWanted {
    /// What becomes of its entries, in the order in which they are to stand.
    pub changes: Vec<Change>,
    /// The mods that its entries name now, as far as they are known.
    pub known: Vec<Option<Entry>>,
    /// Entries that go, each with why.
    gone: Vec<(usize, Gone)>,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Gone {
    Extra,
    Twice,
    OtherSide,
}

impl ListWanted {
    /// Whether the list says just this already.
    pub fn is_said(&self) -> bool {
        self.gone.is_empty()
            && self.changes.iter().enumerate().all(|(at, change)| matches!(change, Change::Keep(index) if *index == at))
    }
}

/// What a mod of the canon is called in lists.
pub fn entry_of(sealed: &SealedMod) -> Entry {
    let version = sealed.manifest.version.clone();
    let hex = |text: &&String| text.len() >= 32 && text.chars().all(|c| c.is_ascii_hexdigit());
    let own = version.iter().filter(hex).cloned();
    // A list that asks by BLAKE3 says so by the mods' versions; where SHA-256 is not known, nothing else stands for it.
    let sums = sealed.files.iter().take(1).filter_map(|file| file.sha256.map(|digest| digest.to_string()));
    let title = sealed.manifest.title.clone();
    Entry {
        id: sealed.manifest.id.clone(),
        name: sealed.name.clone(),
        title,
        digests: own.chain(sums).collect(),
        version,
    }
}

fn entry_of_found(found: &SurveyedMod) -> Entry {
    Entry {
        id: found.manifest.id.clone(),
        name: found.name.clone(),
        title: found.manifest.title.clone(),
        version: found.manifest.version.clone(),
        digests: found.manifest.version.iter().filter(|version| version.len() >= 32).cloned().collect(),
    }
}

/// Whether a list of that side names a mod of the canon.
fn names(rulebook: &Rulebook, rule: &ListRule, role: Role, sealed: &SealedMod) -> bool {
    let on_shelf = rulebook.shelves_of(rule).any(|shelf| shelf.name == sealed.shelf);
    let sides = &rule.needed_on;
    on_shelf
        && match sides.is_empty() {
            true => sealed.needed_on().includes(role),
            false => sides.contains(&sealed.needed_on()),
        }
}

/// What a list is to say by the canon. Entries that are no mods' stay where they are among the others.
fn target(measure: CheckContext<'_>, survey: &Survey, rule: &ListRule, entries: &[ListEntry]) -> ListWanted {
    let role = survey.install.role;
    let mut by_name: HashMap<FoldedId, &SealedMod> = HashMap::new();
    for sealed in &measure.canon.mods {
        by_name.insert(sealed.name.as_str().into(), sealed);
    }
    // An id counts before a name that is spelt like it.
    by_name.extend(measure.canon.mods.iter().map(|sealed| (sealed.manifest.id.clone(), sealed)));
    let installed = survey.mods_by_id();
    let mut wanted: BTreeMap<usize, &SealedMod> = measure
        .canon
        .mods
        .iter()
        .filter(|sealed| names(measure.rulebook, rule, role, sealed))
        .map(|sealed| (sealed.position, sealed))
        .collect();
    let mut placed: Vec<(Option<usize>, Change)> = Vec::new();
    let (mut gone, mut known) = (Vec::new(), Vec::new());
    for (at, entry) in entries.iter().enumerate() {
        let folded = &entry.id;
        let sealed = by_name.get(folded).copied().filter(|_| entry.stands_for != StandsFor::Game);
        let copies = installed.get(folded).into_iter().flatten().find(|found| !found.is_id_alone());
        known.push(sealed.map(entry_of).or_else(|| copies.map(|found| entry_of_found(found))));
        let position = sealed.map(|sealed| sealed.position);
        let change = match sealed {
            _ if entry.stands_for == StandsFor::Game => Ok(Change::Keep(at)),
            Some(sealed) if wanted.remove(&sealed.position).is_some() => {
                Ok(if is_right(measure, rule, sealed, entry) {
                    Change::Keep(at)
                } else {
                    Change::Set(at, entry_of(sealed))
                })
            }
            Some(sealed) if names(measure.rulebook, rule, role, sealed) => Err(Gone::Twice),
            _ if !entry.on => Ok(Change::Keep(at)),
            Some(sealed) if sealed.needed_on() == NeededOn::Optional && copies.is_some_and(|found| found.enabled) => {
                Ok(Change::Keep(at))
            }
            Some(_) => Err(Gone::OtherSide),
            None if copies.is_some_and(|found| found.enabled && may_stay(measure, role, found)) => Ok(Change::Keep(at)),
            None => Err(Gone::Extra),
        };
        match change {
            Ok(change) => placed.push((position, change)),
            Err(why) => gone.push((at, why)),
        }
    }
    let new = wanted.into_values().map(|sealed| (Some(sealed.position), Change::New(entry_of(sealed))));
    let changes =
        if rule.ordered { in_order(placed, new) } else { placed.into_iter().chain(new).map(|(_, c)| c).collect() };
    ListWanted { changes, known, gone }
}

/// Mods in the canon's order. What is no mod of the canon stays behind the one that it stands behind now, or in front.
fn in_order(placed: Vec<(Option<usize>, Change)>, new: impl Iterator<Item = (Option<usize>, Change)>) -> Vec<Change> {
    let mut groups: Vec<(usize, Vec<Change>)> = vec![(0, Vec::new())];
    for (position, change) in placed {
        match (position, groups.last_mut()) {
            (Some(position), _) => groups.push((position, vec![change])),
            (None, Some((_, group))) => group.push(change),
            (None, None) => {}
        }
    }
    // What stands behind all of them goes on standing there.
    let tail = groups.last_mut().filter(|(position, group)| *position > 0 && group.len() > 1);
    let tail = tail.map(|(_, group)| group.split_off(1)).unwrap_or_default();
    groups.extend(new.map(|(position, change)| (position.unwrap_or(usize::MAX), vec![change])));
    groups.sort_by_key(|(position, _)| *position);
    groups.into_iter().flat_map(|(_, group)| group).chain(tail).collect()
}

fn is_right(measure: CheckContext<'_>, rule: &ListRule, sealed: &SealedMod, entry: &ListEntry) -> bool {
    entry.on
        && has_version(measure, sealed, entry)
        && has_digest(sealed, entry)
        && has_name(measure, rule, sealed, entry)
}

fn has_version(measure: CheckContext<'_>, sealed: &SealedMod, entry: &ListEntry) -> bool {
    let pair = entry.version.as_deref().zip(sealed.manifest.version.as_deref());
    pair.is_none_or(|(said, wanted)| measure.rulebook.versions.same(wanted, said))
}

fn has_digest(sealed: &SealedMod, entry: &ListEntry) -> bool {
    let Some(said) = &entry.digest else { return true };
    digest_like(&entry_of(sealed), said).is_none_or(|wanted| wanted.eq_ignore_ascii_case(said))
}

/// Where the game minds names, letter case counts.
fn has_name(measure: CheckContext<'_>, rule: &ListRule, sealed: &SealedMod, entry: &ListEntry) -> bool {
    let exact = measure.rulebook.shelf(&sealed.shelf).is_some_and(|shelf| shelf.names == Names::Exact);
    let template = rule.entry.text();
    let by_name = template.contains("{name}") && !template.contains("{any}");
    let wanted = entry_text(rule, &entry_of(sealed));
    !(exact && by_name) || wanted == entry.text || !same_name(&wanted, &entry.text)
}

/// A list of an install, and what it is to say.
#[derive(Debug, Clone)]
pub struct ListDelta<'a> {
    /// Where it is.
    pub rule: &'a ListRule,
    /// What was found there.
    pub list: &'a SurveyedList,
    /// What it is to say.
    pub wanted: ListWanted,
}

impl ListDelta<'_> {
    /// Whether it says something else, or under an option that is spelt otherwise.
    pub fn is_off(&self) -> bool {
        !self.wanted.is_said() || self.list.near.is_some()
    }

    /// Whether it can be written: it was read, or can be made where it is not there.
    pub fn can_be_written(&self) -> bool {
        let problem = self.list.problem.as_ref();
        problem.is_none_or(|problem| *problem == FileProblem::NotThere && can_be_made(self.rule))
    }
}

/// Every list that was looked at, and what it is to say.
pub(super) fn compute<'a>(measure: CheckContext<'a>, survey: &'a Survey) -> Vec<ListDelta<'a>> {
    let rule = |list: &SurveyedList| measure.rulebook.list(&list.name);
    let lists = survey.lists.iter().filter_map(|list| Some((rule(list)?, list)));
    lists.map(|(rule, list)| ListDelta { rule, list, wanted: target(measure, survey, rule, &list.entries) }).collect()
}

/// Findings about lists and launch lines.
pub(super) fn findings(measure: CheckContext<'_>, survey: &Survey, lists: &[ListDelta<'_>]) -> Vec<Finding> {
    let mut findings = Vec::new();
    for one in lists {
        let ListDelta { rule, list, wanted } = one;
        let at = |finding: Finding| finding.at(list.file.as_str());
        if let Some(problem) = &list.problem {
            // A list that is not there and is to name nothing is none that is missed.
            let is_missed = !wanted.changes.is_empty() || *problem != FileProblem::NotThere;
            findings.extend(is_missed.then(|| at(unreadable(survey, rule, Some(problem), wanted))));
            continue;
        }
        if !one.is_off() {
            continue;
        }
        let of_list = match &rule.form {
            ListForm::Option { option, between } => {
                vec![launch_line(survey, rule, (option, between.as_deref()), list, wanted)]
            }
            _ => entries(measure, survey, rule, &list.entries, wanted),
        };
        let part = |finding| measure.of_part(&list.file, &list.name, finding);
        findings.extend(of_list.into_iter().map(at).map(part));
    }
    findings.extend(nowhere_yet(measure, survey));
    findings
}

/// Lists that this side must have, in places where nothing is yet: a world that was never made.
fn nowhere_yet(measure: CheckContext<'_>, survey: &Survey) -> Vec<Finding> {
    let role = survey.install.role;
    let is_all_there_is =
        |rule: &ListRule| measure.rulebook.shelves.iter().any(|shelf| shelf.ids_from(role) == Some(rule.name.as_str()));
    let mut findings = Vec::new();
    for rule in measure.rulebook.lists.iter().filter(|rule| rule.of == Some(role) || is_all_there_is(rule)) {
        let Some(file) = &rule.file else { continue };
        let is_there = survey.lists.iter().any(|list| list.name == rule.name);
        let wanted = target(measure, survey, rule, &[]);
        if !is_there && !wanted.changes.is_empty() {
            findings.push(unreadable(survey, rule, None, &wanted).at(file.to_string()));
        }
    }
    findings
}

/// A list that can't be read; without a problem, nothing has its place yet.
fn unreadable(survey: &Survey, rule: &ListRule, problem: Option<&FileProblem>, wanted: &ListWanted) -> Finding {
    let is_there = matches!(problem, Some(FileProblem::Unreadable(_)));
    let found = problem.map_or(Stated::NothingCalledSo, Stated::from);
    let mut expected = Stated::List(rule.name.clone());
    let remedy: Remedy = match &rule.form {
        ListForm::Option { option, between } => {
            expected = option_text(rule, option, between.as_deref(), &all_new(wanted)).into();
            let line = Suggestion::new("line").word(survey.install.name.as_str());
            if !is_there {
                // Who starts the game in another way has the line elsewhere, where nobody can read it.
                let remedy = Act::WriteLaunchLineElsewhere(line);
                let finding = Finding::new(Code::ListUnreadable, remedy).severity(Severity::Note);
                return finding.expected(expected).found(found);
            }
            Act::WriteLaunchLine(line).into()
        }
        _ if is_there => Act::MendFile.into(),
        _ if can_be_made(rule) => align(survey).into(),
        _ => Act::StartForFile.into(),
    };
    Finding::new(Code::ListUnreadable, remedy).expected(expected).found(found)
}

/// Whether a list that is not there can be written: nothing else has to stand in its file.
fn can_be_made(rule: &ListRule) -> bool {
    matches!(rule.form, ListForm::Lines) && rule.file.as_ref().is_some_and(|file| file.literal().is_some())
}

fn all_new(wanted: &ListWanted) -> Vec<Entry> {
    let entry = |change: &Change| match change {
        Change::New(entry) | Change::Set(_, entry) => Some(entry.clone()),
        Change::Keep(at) => wanted.known.get(*at).cloned().flatten(),
    };
    wanted.changes.iter().filter_map(entry).collect()
}

/// A launch line is told as a whole: that is how people compare it.
fn launch_line(
    survey: &Survey,
    rule: &ListRule,
    (option, between): (&str, Option<&str>),
    list: &SurveyedList,
    wanted: &ListWanted,
) -> Finding {
    let entries = &list.entries;
    let text = |change: &Change| match change {
        Change::Keep(at) => entries.get(*at).map(|entry| entry.text.clone()).unwrap_or_default(),
        Change::Set(_, entry) | Change::New(entry) => entry_text(rule, entry),
    };
    let expected: Vec<String> = wanted.changes.iter().map(text).collect();
    let found: Vec<String> = entries.iter().map(|entry| entry.text.clone()).collect();
    let sorted = |texts: &[String]| texts.iter().cloned().collect::<BTreeSet<_>>();
    let same = expected.len() == found.len() && sorted(&expected) == sorted(&found);
    let code = if same && list.near.is_none() { Code::ListOrder } else { Code::LaunchLineDiffers };
    let mut finding = Finding::new(code, align(survey));
    let change = |path: &String, change| EntryChange { path: path.clone(), change };
    finding
        .entries
        .extend(found.iter().filter(|text| !expected.contains(text)).map(|text| change(text, Changed::Added)));
    finding
        .entries
        .extend(expected.iter().filter(|text| !found.contains(text)).map(|text| change(text, Changed::Gone)));
    let between = between.filter(|between| !between.trim().is_empty()).unwrap_or(" ");
    let [expected, found] = [expected, found].map(|texts| Series::of(texts).between(between.to_owned()).or("no mod"));
    let behind = |option: &str, entries| Stated::Option { option: option.to_owned(), entries };
    match &list.near {
        Some(near) => finding.expected(behind(option, expected)).found(behind(near, found)),
        None => finding.expected(Stated::Several(expected)).found(Stated::Several(found)),
    }
}

fn entries(
    measure: CheckContext<'_>,
    survey: &Survey,
    rule: &ListRule,
    entries: &[ListEntry],
    wanted: &ListWanted,
) -> Vec<Finding> {
    let of = |code: Code, id: &str| Finding::new(code, align(survey)).about(id);
    let mut findings = Vec::new();
    for (at, why) in &wanted.gone {
        let entry = &entries[*at];
        let finding = of(Code::ListEntryExtra, entry.id.as_str()).expected(Stated::NotListed);
        findings.push(match why {
            Gone::Extra => finding.found(&entry.text),
            Gone::Twice => finding.expected(Stated::ListedOnce).found(Stated::Twice(entry.text.clone())),
            Gone::OtherSide => finding
                .found(Stated::NotNeededBy { entry: entry.text.clone(), role: survey.install.role.as_str() })
                .severity(Severity::Risky),
        });
    }
    for change in &wanted.changes {
        match change {
            Change::Keep(_) => {}
            Change::New(entry) => {
                let version = entry.version.clone().unwrap_or_else(|| "-".to_owned());
                findings.push(of(Code::ListEntryMissing, entry.id.as_str()).expected(version).found(Stated::Nothing));
            }
            Change::Set(at, entry) => {
                let found = &entries[*at];
                let version = entry.version.clone().unwrap_or_else(|| "-".to_owned());
                let sealed = measure.canon.mods.iter().find(|sealed| sealed.manifest.id == entry.id);
                let same_version = sealed.is_none_or(|sealed| has_version(measure, sealed, found));
                findings.push(if !found.on {
                    of(Code::ListEntryOff, entry.id.as_str()).expected(version).found(Stated::Off)
                } else if !same_version {
                    let said = found.version.clone().unwrap_or_default();
                    of(Code::ListVersion, entry.id.as_str()).expected(version).found(said)
                } else if sealed.is_some_and(|sealed| !has_digest(sealed, found)) {
                    let said = found.digest.clone().unwrap_or_default();
                    let wanted = digest_like(entry, &said).unwrap_or_default();
                    of(Code::ListVersion, entry.id.as_str()).expected(wanted).found(said)
                } else {
                    of(Code::ListEntryMissing, entry.id.as_str()).expected(entry_text(rule, entry)).found(&found.text)
                });
            }
        }
    }
    findings.extend(order(survey, entries, wanted));
    findings
}

fn order(survey: &Survey, entries: &[ListEntry], wanted: &ListWanted) -> Option<Finding> {
    let stays = |change: &Change| match change {
        Change::Keep(at) | Change::Set(at, _) => Some(*at),
        Change::New(_) => None,
    };
    let expected: Vec<usize> = wanted.changes.iter().filter_map(stays).collect();
    if expected.is_sorted() {
        return None;
    }
    let mut found = expected.clone();
    found.sort_unstable();
    let told = |order: &[usize]| Stated::Several(Series::of_ids(order.iter().map(|at| &entries[*at].id)));
    Some(Finding::new(Code::ListOrder, align(survey)).expected(told(&expected)).found(told(&found)))
}

/// Why a list keeps a mod out of play.
#[derive(Debug, Clone, PartialEq, Eq, Display)]
pub enum OutOfPlay {
    /// {id} is switched off in {file}
    Off {
        /// The mod.
        id: FoldedId,
        /// The list's file.
        file: InstallPath,
    },
    /// {id} is not in `{list}` ({file})
    NotListed {
        /// The mod.
        id: FoldedId,
        /// The list.
        list: String,
        /// Its file.
        file: InstallPath,
    },
}

/// The mods of an install that a list keeps out of play, by folded id, each with why: switched off there, or not in a list
/// that says of every mod in play that it is.
pub fn out_of_play(rulebook: &Rulebook, survey: &Survey) -> BTreeMap<FoldedId, OutOfPlay> {
    let mut out = BTreeMap::new();
    let on_anywhere: BTreeSet<FoldedId> =
        survey.lists.iter().flat_map(|list| &list.entries).filter(|e| e.on).map(|e| e.id.clone()).collect();
    for list in survey.lists.iter().filter(|list| list.problem.is_none()) {
        let Some(rule) = rulebook.list(&list.name) else { continue };
        let named: HashMap<FoldedId, bool> =
            list.entries.iter().filter(|e| e.stands_for == StandsFor::Mod).map(|e| (e.id.clone(), e.on)).collect();
        // Where entries have switches, a mod without one is in play for all that is known.
        let tells_all = match &rule.form {
            ListForm::Option { .. } | ListForm::Lines => true,
            ListForm::Document { shape, .. } => matches!(shape, EntryShape::Text { .. } | EntryShape::Numbered(_)),
        };
        let in_question =
            |found: &&SurveyedMod| found.enabled && !found.is_id_alone() && !on_anywhere.contains(&found.manifest.id);
        for found in survey.mods.iter().filter(in_question) {
            let on_shelf = rulebook.shelves_of(rule).any(|shelf| shelf.name == found.shelf);
            let side = found.manifest.needed_on;
            let is_for = match rule.needed_on.is_empty() {
                true => side.includes(survey.install.role),
                false => rule.needed_on.contains(&side),
            };
            let id = &found.manifest.id;
            let why = match named.get(&found.manifest.id) {
                Some(true) => continue,
                Some(false) => OutOfPlay::Off { id: id.clone(), file: list.file.clone() },
                None if tells_all && !named.is_empty() => {
                    OutOfPlay::NotListed { id: id.clone(), list: list.name.clone(), file: list.file.clone() }
                }
                None => continue,
            };
            if on_shelf && is_for {
                out.insert(found.manifest.id.clone(), why);
            }
        }
    }
    out
}

/// Where mods are needed by the lists that name them, by folded id: a line for the server's own mods says that of each in it.
pub fn sides_by_list(rulebook: &Rulebook, survey: &Survey) -> BTreeMap<FoldedId, NeededOn> {
    let mut sides: BTreeMap<FoldedId, Option<NeededOn>> = BTreeMap::new();
    for list in &survey.lists {
        let side = match rulebook.list(&list.name).map(|rule| rule.needed_on.as_slice()) {
            Some([side]) => Some(*side),
            _ => None,
        };
        for entry in list.entries.iter().filter(|entry| entry.on && entry.stands_for == StandsFor::Mod) {
            let known = sides.entry(entry.id.clone()).or_insert(side);
            // Named in lists that say otherwise, it is needed where it says itself.
            *known = known.filter(|known| Some(*known) == side);
        }
    }
    sides.into_iter().filter_map(|(id, side)| Some((id, side?))).collect()
}

/// What the lists of both sides say by the canon, as it is sealed.
pub fn sealed_lists(canon: &Canon, rulebook: &Rulebook) -> Vec<SealedList> {
    let of_rule = |rule: &ListRule, role: Role| {
        let mods = canon.mods.iter().filter(|sealed| names(rulebook, rule, role, sealed));
        let entries = mods.map(|sealed| entry_text(rule, &entry_of(sealed))).collect();
        SealedList { name: rule.name.clone(), of: role, entries }
    };
    let sides = |rule: &ListRule| rule.of.map_or_else(|| vec![Role::Server, Role::Client], |of| vec![of]);
    rulebook.lists.iter().flat_map(|rule| sides(rule).into_iter().map(move |role| of_rule(rule, role))).collect()
}

/// The launch lines of a side by the canon: what each list is called, the file that holds it, its entries, and the option
/// as it is pasted.
pub fn launch_lines(
    canon: &Canon,
    rulebook: &Rulebook,
    role: Role,
) -> Vec<(String, Option<String>, Vec<String>, String)> {
    let of_side = rulebook.lists.iter().filter(|rule| rule.of.is_none_or(|of| of == role));
    let line = |rule: &ListRule| {
        let ListForm::Option { option, between } = &rule.form else { return None };
        let mods = canon.mods.iter().filter(|sealed| names(rulebook, rule, role, sealed));
        let entries: Vec<Entry> = mods.map(entry_of).collect();
        let texts = entries.iter().map(|entry| entry_text(rule, entry)).collect();
        let file = rule.file.as_ref().map(ToString::to_string);
        Some((rule.name.clone(), file, texts, option_text(rule, option, between.as_deref(), &entries)))
    };
    of_side.filter_map(line).collect()
}

#[cfg(test)]
#[path = "../tests/check_lists.rs"]
mod tests;
