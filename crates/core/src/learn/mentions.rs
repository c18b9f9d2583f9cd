//! Which files are mod lists and launch lines: those that mention most mods. Finds the notation, the place, how an
//! entry is written, what stands between entries, whether their order matters and how one is switched off.

use std::borrow::Cow;
use std::collections::{BTreeMap, BTreeSet, HashSet};

use serde_json::Value;

use super::launch::{launch_line, mentions, runs};
use super::leaves::{Beside, Holder, Leaf, ListedValues, holders, leaves, lists_beside, step};
use super::lines::ListLines;
pub use super::naming::{Called, FoundList};
use super::naming::{Names, Reading, clues, is_list};
use super::sight::{Guessed, InstallView, Seen, behind_stem, extension, guess, is_inside, name, parent, small, stem};
use super::words::{hints, is_version};
use crate::base::digest::DigestKind;
use crate::base::path::InstallPath;
use crate::rulebook::Role;
use crate::text::command::is_comment;
use crate::text::{Encoding, text};

/// How sure a list is that nothing but its key speaks for.
const IDS_ALONE: f64 = 0.5;

/// The most text files that are looked into.
const FILES: usize = 4_000;

/// The most bytes of text that are looked into.
const TEXT_BYTES: u64 = 64 << 20;

/// Text files outside the shelves that may be lists or settings.
pub fn text_files<'s>(sight: &'s dyn InstallView, units: &HashSet<String>) -> Vec<&'s Seen> {
    let small =
        sight.files().iter().filter(|seen| seen.size > 0 && seen.size <= crate::base::limits::LEARNED_TEXT_BYTES);
    let texts = small.filter(|seen| is_texty(seen.path.as_str()) && !is_inside(seen.path.as_str(), units));
    let mut files: Vec<&Seen> = texts.collect();
    // Near the root first: that is where lists are.
    files.sort_by_key(|seen| (seen.path.as_str().matches('/').count(), seen.path.as_str()));
    files.truncate(FILES);
    let mut left = TEXT_BYTES;
    files.retain(|seen| {
        let fits = seen.size <= left;
        left -= if fits { seen.size } else { 0 };
        fits
    });
    files
}

/// Whether a name may be that of a list or a script; a log mentions every mod, and is none.
fn is_texty(path: &str) -> bool {
    let lower = path.to_lowercase();
    let in_logs = lower.split('/').any(|part| matches!(part, "log" | "logs" | "crash-reports" | "cache" | ".kanon"));
    let end = extension(name(&lower));
    !in_logs
        && !matches!(
            end.as_str(),
            "log"
                | "md"
                | "html"
                | "htm"
                | "css"
                | "py"
                | "js"
                | "cs"
                | "c"
                | "h"
                | "cpp"
                | "svg"
                | "png"
                | "jpg"
                | "exe"
                | "dll"
                | "so"
                | "zip"
                | "pub"
                | "pem"
        )
}

/// The words of text files in lower case, as ids may stand there.
pub fn words_of(sight: &dyn InstallView, files: &[&Seen]) -> HashSet<String> {
    let mut words = HashSet::new();
    let mut left: u64 = 32 << 20;
    for seen in files {
        let Some(rest) = left.checked_sub(seen.size) else { break };
        left = rest;
        let Some(text) = readable(sight, &seen.path) else { continue };
        for line in text.lines() {
            let of_line =
                line.split(|c: char| !(c.is_alphanumeric() || matches!(c, '_' | '-' | '.' | '@' | ':' | '+')));
            for word in of_line.filter(|word| word.len() > 1) {
                let word = word.trim_matches(['.', ':', '-', '+']).to_lowercase();
                // A switch may have words of its own before the id: `load_mod_reeds`.
                words.extend(word.match_indices('_').map(|(at, _)| word[at + 1..].to_owned()));
                words.insert(word);
            }
            let phrases = line.split(['"', '\'', ';', ',', '=', '<', '>', '#', '/', '\\']).map(str::trim);
            // A sign before a name may be a switch: `*Reed Works.plg`.
            let bare = |phrase: &str| phrase.trim_start_matches(|c: char| !c.is_alphanumeric()).to_lowercase();
            for phrase in phrases.filter(|phrase| phrase.contains(' ') && phrase.len() < 80) {
                words.insert(bare(phrase));
                words.insert(phrase.to_lowercase());
            }
        }
    }
    words
}

/// A text file as text, whatever its encoding; nothing when it is large or none.
pub fn readable(sight: &dyn InstallView, path: &InstallPath) -> Option<String> {
    let bytes = small(sight, path)?;
    let encoding = super::sight::encoding_of(&bytes)?;
    text(&bytes, encoding).ok().map(Cow::into_owned)
}

/// Every list among these files.
pub fn lists(sight: &dyn InstallView, files: &[&Seen], mods: &[Called], places: &HashSet<String>) -> Vec<FoundList> {
    let names = Names::new(mods);
    let stems: HashSet<String> = mods.iter().map(|called| stem(&called.name).to_lowercase()).collect();
    // What lies beside a mod and is called as it is speaks of that one.
    let is_beside = |seen: &&&Seen| {
        let (folder, own) = (parent(seen.path.as_str()), name(seen.path.as_str()).to_lowercase());
        places.contains(folder) && behind_stem(&own, |stem| stems.contains(stem)).is_some()
    };
    let others = files.iter().filter(|seen| !is_beside(seen));
    let mut found: Vec<FoundList> = others.flat_map(|seen| list(sight, seen, &names)).collect();
    found.sort_by(|a, b| b.confidence.total_cmp(&a.confidence).then_with(|| a.file.cmp(&b.file)));
    found.truncate(12);
    found
}

fn list(sight: &dyn InstallView, seen: &Seen, names: &Names<'_>) -> Vec<FoundList> {
    let Some(bytes) = small(sight, &seen.path) else { return Vec::new() };
    let Some(encoding) = super::sight::encoding_of(&bytes) else { return Vec::new() };
    let Ok(body) = text(&bytes, encoding) else { return Vec::new() };
    let mentions = names.mods_in(&body).len();
    // Without a mod to look for, only what speaks of mods can be a list of their ids.
    let speaks = || {
        hints(seen.path.as_str(), &["mod", "addon", "plugin", "content", "list"])
            || body.to_lowercase().contains("mods")
    };
    let enough = if names.mods.is_empty() { speaks() } else { mentions >= names.mods.len().min(2) };
    if !enough {
        return Vec::new();
    }
    // A script may look like `key = value` lines; it is a script all the same.
    let is_script =
        matches!(extension(name(seen.path.as_str())).as_str(), "sh" | "bat" | "cmd" | "ps1" | "service" | "args");
    let document = if is_script { None } else { guess(name(seen.path.as_str()), &bytes) };
    let mut found = document.as_ref().map_or_else(Vec::new, |document| in_document(document, seen, names));
    if found.is_empty() && mentions > 0 {
        found.extend(in_text(&body, seen, names));
    }
    for found in &mut found {
        found.role = sight.role();
    }
    if encoding == Encoding::Windows1252 || (encoding == Encoding::Utf16 && !bytes.starts_with(b"\xff\xfe")) {
        let word = if encoding == Encoding::Utf16 { "utf-16" } else { "windows-1252" };
        found.iter_mut().for_each(|found| found.lines.encoding = Some(word));
    }
    found
}

/// The best list of a document, and others that are lists without doubt.
fn in_document(document: &Guessed, seen: &Seen, names: &Names<'_>) -> Vec<FoundList> {
    let holders = holders(&document.value);
    let mut all: Vec<(usize, String, FoundList)> = holders
        .iter()
        .filter_map(|holder| {
            let (score, found) = of_holder(document, holder, seen, names)?;
            Some((score, holder.path.clone(), found))
        })
        .collect();
    all.sort_by(|a, b| b.0.cmp(&a.0).then_with(|| a.1.len().cmp(&b.1.len())));
    let mut kept: Vec<(String, FoundList)> = Vec::new();
    for (_, path, found) in all {
        let own = path.trim_end_matches("[*]");
        let apart = kept.iter().all(|(known, _)| {
            let known = known.trim_end_matches("[*]");
            !own.starts_with(known) && !known.starts_with(own)
        });
        if kept.is_empty() || (apart && found.strangers.is_empty() && found.confidence >= 0.8 && kept.len() < 3) {
            kept.push((path, found));
        }
    }
    // One list in several parts tells of more mods than any of them.
    let most = kept.iter().map(|(_, found)| found.named.len()).max().unwrap_or(0);
    let may_be_more = most < names.mods.len();
    let whole = may_be_more.then(|| in_parts(document, seen, names)).flatten();
    match whole.filter(|whole| whole.named.len() > most) {
        Some(whole) => vec![whole],
        None => kept.into_iter().map(|(_, found)| found).collect(),
    }
}

/// Words in the names of lists of what is not to be loaded.
const OF_OTHERS: [&str; 9] = ["off", "disable", "inactive", "block", "ban", "ignore", "exclude", "conflict", "old"];

/// One list in several parts of an object: `early` and `late`. None has a mod of another, and together they have most.
fn in_parts(document: &Guessed, seen: &Seen, names: &Names<'_>) -> Option<FoundList> {
    let whole = |beside: &Beside<'_>| {
        let read = beside.lists.iter().filter(|(key, _)| !hints(key, &OF_OTHERS));
        let read = read.map(|(key, texts)| (*key, Reading::of(texts.clone(), names)));
        let parts: Vec<(&str, Reading)> =
            read.filter(|(_, part)| part.share() >= 0.8 && !part.mods().is_empty()).collect();
        let first = &parts.first()?.1.template;
        let each: usize = parts.iter().map(|(_, part)| part.texts.len()).sum();
        let all = Reading::of(parts.iter().flat_map(|(_, part)| part.texts.clone()).collect(), names);
        let is_one =
            parts.len() > 1 && all.mods().len() == each && parts.iter().all(|(_, part)| part.template == *first);
        if !is_one || all.mods().len() * 10 < names.mods.len() * 8 {
            return None;
        }
        let lines = ListLines::at(&beside.each(parts.iter().map(|(key, _)| *key)));
        let path = beside.path.clone();
        let held = ListedValues::Texts(all.texts.clone());
        let holder = Holder { path, words: beside.words.clone(), held };
        conclude(document, &holder, seen, (all, lines, false), names)
    };
    let found = lists_beside(&document.value).iter().filter_map(whole).max_by_key(|(score, _)| *score);
    found.map(|(_, found)| found)
}

fn of_holder(document: &Guessed, holder: &Holder<'_>, seen: &Seen, names: &Names<'_>) -> Option<(usize, FoundList)> {
    let at = || ListLines::at(&holder.path);
    match &holder.held {
        ListedValues::Texts(texts) => {
            conclude(document, holder, seen, (Reading::of(texts.clone(), names), at(), false), names)
        }
        ListedValues::Text(text) => {
            let between = [";", ",", "|", " "].into_iter().find(|between| text.matches(between).count() >= 1)?;
            let pieces: Vec<String> =
                text.split(between).map(str::trim).filter(|piece| !piece.is_empty()).map(str::to_owned).collect();
            let reading = Reading::of(pieces, names);
            let lines = ListLines { between: Some(between.to_owned()), ..at() };
            conclude(document, holder, seen, (reading, lines, false), names)
        }
        ListedValues::Objects(objects) => of_objects(document, holder, seen, objects, names),
        ListedValues::Map(entries) => of_map(document, holder, seen, entries, names)
            .or_else(|| of_numbers(document, holder, seen, entries, names)),
    }
}

fn of_objects(
    document: &Guessed,
    holder: &Holder<'_>,
    seen: &Seen,
    objects: &[&Value],
    names: &Names<'_>,
) -> Option<(usize, FoundList)> {
    let rows: Vec<_> = objects.iter().map(|object| leaves(object)).collect();
    let mut columns: BTreeMap<&str, Vec<Option<&str>>> = BTreeMap::new();
    for (at, row) in rows.iter().enumerate() {
        for leaf in row {
            columns.entry(&leaf.path).or_insert_with(|| vec![None; rows.len()])[at] = Some(&leaf.value);
        }
    }
    let full = columns.iter().filter(|(_, values)| values.iter().flatten().count() * 10 >= rows.len() * 9);
    let (id, reading) = full
        .map(|(path, values)| (*path, Reading::of(values.iter().map(|v| v.unwrap_or("").to_owned()).collect(), names)))
        .max_by_key(|(path, reading)| {
            (reading.mods().len(), hints(path, &["id", "ref", "mod"]), usize::MAX - path.len())
        })?;
    let others = || columns.iter().filter(|(path, _)| **path != id);
    let flag = others().find(|(path, values)| is_switch(path, values));
    let version = others().find(|(_, values)| is_version_of(values, &reading, names));
    let digest = others().find_map(|(path, values)| Some((path, digest_of(values, &reading, names)?)));
    let lines = ListLines {
        id: Some(id.to_owned()),
        on: flag.map(|(path, _)| (*path).to_owned()),
        means: flag.and_then(|(_, values)| switch_words(values)),
        version: version.map(|(path, _)| (*path).to_owned()),
        digest: digest.map(|(path, _)| (*path).to_owned()),
        ..ListLines::at(&holder.path)
    };
    let kind = digest.map(|(_, kind)| kind);
    let (score, found) = conclude(document, holder, seen, (reading, lines, flag.is_some()), names)?;
    Some((score, FoundList { digest: kind, ..found }))
}

/// Two words of which one means off.
fn is_switch(path: &str, values: &[Option<&str>]) -> bool {
    let words: BTreeSet<String> = values.iter().flatten().map(|word| word.to_lowercase()).collect();
    let usual = |word: &String| {
        matches!(
            word.as_str(),
            "true" | "false" | "0" | "1" | "yes" | "no" | "on" | "off" | "enabled" | "disabled" | "active" | "inactive"
        )
    };
    let hinted = hints(
        path,
        &["enable", "disable", "active", "on", "off", "state", "status", "running", "load", "use", "switch"],
    );
    // Where a list that names mods has nothing but one word for off, it says something else with it.
    let says_on = |word: &String| !matches!(word.as_str(), "false" | "0" | "no" | "off" | "disabled" | "inactive");
    !words.is_empty()
        && words.len() <= 2
        && (hinted || words.iter().any(says_on))
        && words.iter().all(usual)
        && (hinted || words.iter().all(|word| word == "true" || word == "false"))
}

/// The words of a switch that are not the usual ones.
fn switch_words(values: &[Option<&str>]) -> Option<[(&'static str, &'static str); 2]> {
    let words: BTreeSet<String> = values.iter().flatten().map(|word| word.to_lowercase()).collect();
    words.contains("inactive").then_some([("active", "on"), ("inactive", "off")])
}

fn is_version_of(values: &[Option<&str>], manifest: &Reading, names: &Names<'_>) -> bool {
    let pairs = values.iter().zip(&manifest.named).filter_map(|(value, named)| Some(((*value)?, (*named)?)));
    let (mut hits, mut all) = (0, 0);
    for (value, at) in pairs {
        all += 1;
        hits += usize::from(names.mods[at].version.as_deref() == Some(value));
    }
    all > 0 && hits * 10 >= all * 6 && values.iter().flatten().all(|value| is_version(value))
}

/// The kind of digest that stands in these values: that of the very mod which the entry names.
fn digest_of(values: &[Option<&str>], manifest: &Reading, names: &Names<'_>) -> Option<DigestKind> {
    let mut pairs =
        values.iter().zip(&manifest.named).filter_map(|(value, named)| Some(((*value)?.to_lowercase(), (*named)?)));
    pairs.find_map(|(value, at)| {
        let digests = names.mods[at].digests.iter();
        digests.clone().find(|(_, digest)| value.contains(digest.as_str())).map(|(kind, _)| *kind)
    })
}

/// Keys that name mods, with a switch, a version or more behind each.
fn of_map(
    document: &Guessed,
    holder: &Holder<'_>,
    seen: &Seen,
    entries: &[(&str, &Value)],
    names: &Names<'_>,
) -> Option<(usize, FoundList)> {
    let hits: Vec<(&str, &Value)> = entries.iter().filter(|(key, _)| !names.entries(key).is_empty()).copied().collect();
    let manifest = Reading::of(hits.iter().map(|(key, _)| (*key).to_owned()).collect(), names);
    // With a template of its own, a key in a file of settings is an entry or none; bare ids must be nearly all keys.
    let bare = manifest.template == "{id}" || manifest.template == "{name}";
    if hits.len() < 2 || (bare && hits.len() * 10 < entries.len() * 6) {
        return None;
    }
    let scalars: Vec<Option<String>> = hits.iter().map(|(_, value)| crate::text::scalar(value)).collect();
    let words: Vec<Option<&str>> = scalars.iter().map(Option::as_deref).collect();
    let mut lines = ListLines::at(&holder.path);
    let (mut flagged, mut kind) = (false, None);
    let usual = |word: &&&str| is_switch("on", &[Some(word)]);
    let switches = words.iter().flatten().filter(usual).count();
    if is_switch("on", &words) || (!bare && switches * 10 >= words.len() * 6) {
        lines.form = Some("id-to-flag");
        flagged = true;
    } else if words.iter().flatten().count() > 0 && words.iter().flatten().all(|word| is_version(word)) {
        lines.form = Some("id-to-version");
    } else {
        lines.form = Some("id-to-fields");
        kind = digest_of(&words, &manifest, names);
        lines.text = kind.map(|_| "(?<digest>[0-9A-Fa-f]{32,64})");
        lines.on = switch_inside(&hits);
    }
    let (score, found) = conclude(document, holder, seen, (manifest, lines, flagged), names)?;
    Some((score, FoundList { digest: kind, ..found }))
}

/// Where the objects behind ids tell whether the mod is on: flags, or the usual words under a key that is called so.
fn switch_inside(entries: &[(&str, &Value)]) -> Option<String> {
    let mut columns: BTreeMap<String, (bool, Vec<String>)> = BTreeMap::new();
    for leaf in entries.iter().flat_map(|(_, value)| leaves(value)) {
        let (are_flags, values) = columns.entry(leaf.path).or_insert((true, Vec::new()));
        *are_flags &= leaf.is_flag;
        values.push(leaf.value);
    }
    let is_one = |(path, (are_flags, values)): &(String, (bool, Vec<String>))| {
        let words: Vec<Option<&str>> = values.iter().map(|value| Some(value.as_str())).collect();
        is_switch(path, &words) && (*are_flags || hints(path, &["enable", "active", "on", "load", "use"]))
    };
    columns.into_iter().find(is_one).map(|(path, _)| path)
}

/// Keys with a number in them whose values name mods: `Slot0 = reed`.
fn of_numbers(
    document: &Guessed,
    holder: &Holder<'_>,
    seen: &Seen,
    entries: &[(&str, &Value)],
    names: &Names<'_>,
) -> Option<(usize, FoundList)> {
    // By the keys as they are with the number left open: `Slot{n}`, `Slot[{n}]`.
    let mut by_key: BTreeMap<String, Vec<(u64, String)>> = BTreeMap::new();
    for (key, value) in entries.iter().filter(|(key, _)| !key.contains(['{', '}'])) {
        let before_tail = key.trim_end_matches(|c: char| !c.is_alphanumeric());
        let stem = before_tail.trim_end_matches(|c: char| c.is_ascii_digit());
        if let (Ok(number), Some(text)) = (before_tail[stem.len()..].parse(), crate::text::scalar(value)) {
            by_key.entry(format!("{stem}{{n}}{}", &key[before_tail.len()..])).or_default().push((number, text));
        }
    }
    let read = by_key.into_iter().map(|(key, mut numbered)| {
        numbered.sort();
        (key, Reading::of(numbered.into_iter().map(|(_, text)| text).collect(), names))
    });
    let read: Vec<(String, Reading)> = read.collect();
    // Versions that stand beside, number by number, belong to no list.
    let is_of_versions = |reading: &Reading| reading.texts.iter().all(|text| text.contains('.') && is_version(text));
    let versions = read.iter().find(|(_, reading)| reading.texts.len() > 1 && is_of_versions(reading));
    let untold = versions.map(|(key, reading)| format!("{key} = {}", reading.texts[0]));
    let best = read.into_iter().max_by_key(|(_, reading)| reading.mods().len());
    let (key, mut reading) = best.filter(|(_, reading)| reading.mods().len() >= 2)?;
    let knows_versions = reading.mods().iter().any(|at| names.mods[*at].version.is_some());
    reading.untold = untold.filter(|_| !knows_versions);
    let lines = ListLines { form: Some("numbered"), key: Some(key), ..ListLines::at(&holder.path) };
    conclude(document, holder, seen, (reading, lines, false), names)
}

fn conclude(
    document: &Guessed,
    holder: &Holder<'_>,
    seen: &Seen,
    (manifest, lines, flagged): (Reading, ListLines, bool),
    names: &Names<'_>,
) -> Option<(usize, FoundList)> {
    let mods = manifest.mods().len();
    let about_mods = hints(&holder.words, &["mod", "addon", "plugin"]);
    let ids = manifest.texts.len() >= 2 && manifest.texts.iter().all(|text| super::words::is_slug(text));
    let ids_alone = mods == 0 && about_mods && ids && names.mods.is_empty();
    if !is_list(&manifest, names, ids_alone) {
        return None;
    }
    let ordered = !flagged && manifest.is_ordered();
    let notation = document.untold_notation(name(seen.path.as_str()));
    let count = counted(document, holder, manifest.texts.len());
    let lines = ListLines { notation, entry: manifest.entry(), is_ordered: ordered, count, ..lines };
    let clues = clues(&manifest, names, ordered);
    let mut found = FoundList::of(seen, &manifest, names, lines, clues);
    if ids_alone {
        (found.ids_alone, found.confidence) = (true, IDS_ALONE);
    }
    Some((mods * 10 + usize::from(about_mods) + usize::from(flagged), found))
}

/// Where beside a list it is told how many entries it has.
fn counted(document: &Guessed, holder: &Holder<'_>, number: usize) -> Option<String> {
    let list = holder.path.trim_end_matches("[*]");
    let is_beside = |path: &str| {
        list.strip_prefix(path).is_some_and(|rest| rest.trim_start_matches(['.', '[']).find(['.', '[']).is_none())
    };
    let is_count = |leaf: &Leaf| {
        let around = leaf.path.strip_suffix(&step(&leaf.key)).is_some_and(is_beside);
        around && leaf.value == number.to_string() && hints(&leaf.key, &["count", "num", "total", "size", "length"])
    };
    leaves(&document.value).into_iter().find(is_count).map(|found| found.path)
}

/// A script whose lines that go on are one line each.
fn with_lines_joined(body: &str) -> Cow<'_, str> {
    let goes_on = |line: &str| line.trim_end().strip_suffix(['\\', '^']).map(|line| line.trim_end().to_owned());
    if !body.lines().any(|line| goes_on(line).is_some()) {
        return Cow::Borrowed(body);
    }
    let mut out = String::with_capacity(body.len());
    for line in body.lines() {
        match goes_on(line) {
            Some(line) => out.extend([line.trim_start(), " "]),
            None => out.extend([line.trim_start(), "\n"]),
        }
    }
    Cow::Owned(out)
}

/// Launch lines, and texts with one entry on each line.
fn in_text(body: &str, seen: &Seen, names: &Names<'_>) -> Vec<FoundList> {
    let joined = with_lines_joined(body);
    let mut richest: Option<(usize, &str)> = None;
    let mut lone = 0;
    for line in joined.lines().filter(|line| !is_comment(line) && line.len() < 64 << 10) {
        let mods = names.mods_in(line);
        lone += usize::from(mods.len() == 1);
        if !mods.is_empty() && richest.is_none_or(|(known, _)| mods.len() > known) {
            richest = Some((mods.len(), line));
        }
    }
    let Some((count, line)) = richest else { return Vec::new() };
    if count < 2 || count < lone {
        return one_a_line(body, seen, names).into_iter().collect();
    }
    let hits = mentions(line, names);
    let Some((first, option, between)) = launch_line(body, line, &hits, (seen, names), None) else {
        return Vec::new();
    };
    let mut options: Vec<String> = vec![option];
    let mut found = vec![first];
    // What another option of the same line gives is a list of its own, be it of one mod.
    for run in runs(line, &hits) {
        let next = launch_line(body, line, run, (seen, names), between.as_deref().or(Some(",")));
        if let Some((list, option, _)) = next
            && !options.contains(&option)
            && list.strangers.is_empty()
            && options.len() < 4
        {
            options.push(option);
            found.push(list);
        }
    }
    found
}

fn one_a_line(body: &str, seen: &Seen, names: &Names<'_>) -> Option<FoundList> {
    let lines_of = |test: fn(&str) -> bool| -> Vec<String> {
        body.lines().map(str::trim).filter(|line| !line.is_empty() && test(line)).map(str::to_owned).collect()
    };
    let entries = lines_of(|line| !is_comment(line));
    let mut manifest = Reading::of(entries.clone(), names);
    let mut off = take_off_entries(&mut manifest, names);
    if !is_list(&manifest, names, false) {
        manifest = first_words(entries, names)?;
        off = take_off_entries(&mut manifest, names);
    }
    // A line of brackets alone is the sign of another notation.
    let is_entry = |line: &String| line.contains(char::is_alphanumeric);
    if !is_list(&manifest, names, false) || !manifest.texts.iter().all(is_entry) {
        return None;
    }
    let in_comments = Reading::of(lines_of(is_comment), names);
    let off = off.or_else(|| {
        let most = in_comments.mods().len() * 2 >= in_comments.texts.len() && !in_comments.mods().is_empty();
        (most && is_off(&in_comments.template, &manifest.template)).then_some(in_comments.template)
    });
    let off = off.or_else(|| manifest.off.clone());
    let ordered = manifest.is_ordered();
    let entry = manifest.entry();
    let lines = ListLines { notation: Some("lines"), entry, off, is_ordered: ordered, ..ListLines::default() };
    Some(FoundList::of(seen, &manifest, names, lines, clues(&manifest, names, ordered)))
}

/// Lines of which the first word is the entry; what follows is for people: `30011 // Reeds`.
fn first_words(lines: Vec<String>, names: &Names<'_>) -> Option<Reading> {
    let firsts = lines.iter().map(|line| line.split_once([' ', '\t']).map(|(first, _)| first.to_owned()));
    let mut reading = Reading::of(firsts.collect::<Option<Vec<String>>>()?, names);
    reading.template.push_str(" {any}");
    // One word behind each, and another behind each, says something of the mod.
    let seconds: BTreeSet<&str> =
        lines.iter().filter_map(|line| line.split_once([' ', '\t'])).map(|(_, rest)| rest.trim()).collect();
    let is_word = |word: &&str| !word.contains(char::is_whitespace) && !is_comment(word) && !word.starts_with("--");
    let tells = seconds.len() > 2 && seconds.len() == lines.len() && seconds.iter().all(is_word);
    reading.untold = lines.first().filter(|_| tells).cloned();
    reading.texts = lines;
    Some(reading)
}

/// What stands before entries that are switched on, and before those that are switched off.
const SWITCHED: [(&str, &str); 8] =
    [("+", "-"), ("*", ""), ("", "-"), ("", "!"), ("", "~"), ("on ", "off "), ("[x] ", "[ ] "), ("1 ", "0 ")];

/// Entries that the others' template does not read, since they are switched off, or on: `-reed` among `+peat`. How those that
/// are off are written is told, and they count as entries.
fn take_off_entries(reading: &mut Reading, names: &Names<'_>) -> Option<String> {
    let others = reading.texts.iter().zip(&reading.named).filter(|(_, named)| named.is_none());
    let others = Reading::of(others.map(|(text, _)| text.clone()).collect(), names);
    if others.texts.is_empty() || others.named.iter().any(Option::is_none) {
        return None;
    }
    let place = if reading.template.contains("{id}") { "{id}" } else { "{name}" };
    let (own, other) = (reading.template.split_once(place)?, others.template.split_once(place)?);
    let is = |on: &str, off: &str| SWITCHED.contains(&(on, off));
    let off = match own.1 == other.1 {
        true if is(own.0, other.0) => others.template.clone(),
        true if is(other.0, own.0) => std::mem::replace(&mut reading.template, others.template.clone()),
        _ => return None,
    };
    let mut told = others.named.into_iter();
    reading.named.iter_mut().filter(|named| named.is_none()).for_each(|named| *named = told.next().flatten());
    Some(off)
}

/// An entry with a sign of a comment before it.
fn is_off(off: &str, on: &str) -> bool {
    off.strip_suffix(on).is_some_and(|sign| !sign.is_empty() && sign.len() <= 4)
}

/// Whether two lists are one file on both sides.
pub fn same_list(a: &FoundList, b: &FoundList) -> bool {
    a.file == b.file && a.lines == b.lines
}

/// A name for a list, after its file.
pub fn list_name(found: &FoundList) -> String {
    let is_line = found.lines.option.is_some();
    let role = if found.role == Role::Server { "server" } else { "client" };
    if is_line { format!("{role}'s launch line") } else { format!("list in {}", name(found.file.as_str())) }
}

#[cfg(test)]
#[path = "../tests/mentions.rs"]
mod tests;
