//! The mods that a program lists as it starts: their names and versions, where nobody measured them.

use std::collections::{BTreeMap, BTreeSet};

use serde_json::Value as Json;

use super::items::{LISTED, is_version, stands_alone};
use super::lines::{Piece, bare_version, bounded, message, plain_pieces};
use super::model::Transcript;
use super::players::may_be_a_name;
use crate::base::digest::Blake3;
use crate::base::ids::FoldedId;
use crate::base::names::ShelfName;
use crate::base::path::InstallPath;
use crate::manifest::ModManifest;
use crate::rulebook::Role;
use crate::survey::{InstallFacts, Survey, SurveyedMod};

/// So many are a list.
const FEWEST: usize = 3;
/// So many lines from the begin of a log are looked at.
const LINES: usize = 50_000;
/// So many lists of a log are held against each other.
const LISTS: usize = 200;
/// So many are kept.
const MODS: usize = 5_000;

/// A mod that is listed: its id, its version, and what it is called in full.
type Listed = (String, String, Option<String>);

/// A survey of what the logs of a side list; nothing where none lists anything. Of files nothing is known.
pub fn listed(logs: &[Transcript<'_>], side: Role) -> Option<Survey> {
    let of_side = logs.iter().filter(|log| log.side == side);
    let found = of_side
        .rev()
        .map(|log| of_log(if log.head.is_empty() { log.text } else { log.head }))
        .find(|found| !found.is_empty())?;
    let place = InstallPath::new("mods").ok()?;
    let surveyed = |(id, version, title): Listed| SurveyedMod {
        manifest: ModManifest {
            id: FoldedId::from(id.as_str()),
            version: Some(version),
            title,
            ..ModManifest::default()
        },
        shelf: ShelfName::default(),
        place: place.clone(),
        enabled: true,
        path: place.clone(),
        name: id.clone(),
        digest: Blake3::of(id.as_bytes()),
        files: Vec::new(),
        members: Vec::new(),
        members_total: 0,
        signatures: Vec::new(),
    };
    let mods = found.into_iter().take(MODS).map(surveyed).collect();
    let install = InstallFacts {
        name: side.as_str().into(),
        role: side,
        game: String::new(),
        game_version: None,
        loader_version: None,
        runtime_version: None,
    };
    Some(Survey { mods, ..Survey::empty(install) })
}

/// The first long list of a log, of lines below each other or in one line: what comes later is of others.
fn of_log(text: &str) -> Vec<Listed> {
    let lines: Vec<&str> = text.lines().take(LINES).map(bounded).collect();
    let mut lists: Vec<Vec<Listed>> = Vec::new();
    let mut run: Vec<Vec<Piece>> = Vec::new();
    let mut keep = |found: Vec<Listed>| {
        if found.len() >= FEWEST && lists.len() < LISTS {
            lists.push(found);
        }
    };
    let mut objects: Vec<(String, Listed)> = Vec::new();
    for line in lines {
        let message = message(line);
        if !may_have_a_version(message) {
            keep(std::mem::take(&mut objects).into_iter().map(|(_, listed)| listed).collect());
            keep(of_run(&std::mem::take(&mut run)));
            continue;
        }
        let object = of_object(message);
        let goes_on = objects.last().zip(object.as_ref()).is_none_or(|((above, _), (keys, _))| above == keys);
        if !goes_on || object.is_none() {
            keep(std::mem::take(&mut objects).into_iter().map(|(_, listed)| listed).collect());
        }
        if let Some(object) = object {
            objects.push(object);
            continue;
        }
        keep(of_line(message));
        let pieces = plain_pieces(message);
        let goes_on = run.last().is_none_or(|above| are_of_one_list(above, &pieces));
        if !goes_on || !has_version(&pieces) {
            keep(of_run(&std::mem::take(&mut run)));
        }
        if has_version(&pieces) {
            run.push(pieces);
        }
    }
    keep(of_run(&run));
    keep(objects.into_iter().map(|(_, listed)| listed).collect());
    let longest = lists.iter().map(Vec::len).max().unwrap_or(0);
    lists.into_iter().find(|list| list.len() * 10 >= longest * 6).unwrap_or_default()
}

/// Whether a digit stands before a dot: most lines have none, and nothing more need be asked of them.
fn may_have_a_version(message: &str) -> bool {
    let bytes = message.as_bytes();
    memchr::memchr_iter(b'.', bytes).any(|dot| dot > 0 && bytes[dot - 1].is_ascii_digit())
}

fn has_version(pieces: &[Piece]) -> bool {
    pieces.iter().filter(|piece| matches!(piece, Piece::Version(_))).count() == 1
}

/// Whether two lines begin alike, where they begin with more than the name itself, and have as many values.
fn are_of_one_list(above: &[Piece], line: &[Piece]) -> bool {
    let values = |pieces: &[Piece]| pieces.iter().filter(|piece| matches!(piece, Piece::Version(_))).count();
    let (begin, end) = (common(above.iter(), line.iter()), common(above.iter().rev(), line.iter().rev()));
    values(above) == values(line) && (begin > 0 || above.len() == line.len()) && begin + end > 1
}

/// How many pieces are the same, but for their values.
fn common<'p>(a: impl Iterator<Item = &'p Piece>, b: impl Iterator<Item = &'p Piece>) -> usize {
    let is_value = |piece: &Piece| matches!(piece, Piece::Digest(_) | Piece::Number | Piece::Mixed);
    let is_same = |(a, b): &(&Piece, &Piece)| match (a, b) {
        (Piece::Version(_), Piece::Version(_)) => true,
        (a, b) => a == b || is_value(a) && is_value(b),
    };
    a.zip(b).take_while(is_same).count()
}

/// How many pieces all lines of a run begin with, and end with.
fn ends_of(run: &[Vec<Piece>]) -> (usize, usize) {
    let Some((first, others)) = run.split_first() else { return (0, 0) };
    let begin = others.iter().map(|line| common(first.iter(), line.iter())).min().unwrap_or(0);
    let end = others.iter().map(|line| common(first.iter().rev(), line.iter().rev())).min().unwrap_or(0);
    (begin, end)
}

/// So many lines around a list are left out.
const AROUND: usize = 8;
/// So many more pieces are alike where a line is left out that is not of the list.
const MORE: usize = 2;

/// A run without the lines before and behind the list that have a version too.
fn trimmed(mut run: &[Vec<Piece>]) -> &[Vec<Piece>] {
    for _ in 0..AROUND {
        if run.len() <= FEWEST {
            break;
        }
        let alike = |run: &[Vec<Piece>]| ends_of(run).0;
        let own = alike(run) + MORE;
        let (without_first, without_last) = (&run[1..], &run[..run.len() - 1]);
        run = match (alike(without_first) >= own, alike(without_last) >= own) {
            (true, _) => without_first,
            (false, true) => without_last,
            (false, false) => break,
        };
    }
    run
}

/// The names that stand between what all lines of a run begin and end with.
fn of_run(run: &[Vec<Piece>]) -> Vec<Listed> {
    if run.len() < FEWEST {
        return Vec::new();
    }
    let run = trimmed(run);
    let (begin, end) = ends_of(run);
    let mut found: BTreeMap<String, Listed> = BTreeMap::new();
    for line in run {
        let version = line.iter().find_map(|piece| match piece {
            Piece::Version(version) => Some(bare_version(version).to_owned()),
            _ => None,
        });
        let middle = line.get(begin..line.len().saturating_sub(end)).unwrap_or_default();
        // A digest may have letters alone, and be a word.
        let is_behind = |at: &usize| matches!(middle[*at], Piece::Version(_)) && *at > 0;
        let middle = &middle[..(0..middle.len()).find(is_behind).unwrap_or(middle.len())];
        if let (Some(version), Some((id, title))) = (version, name(middle)) {
            found.entry(id.to_lowercase()).or_insert((id, version, title));
        }
    }
    // What repeats is chatter.
    if found.len() * 10 < run.len() * 8 { Vec::new() } else { found.into_values().collect() }
}

/// The id among some pieces, and what it is called in full: what stands in brackets behind other words is the id.
fn name(pieces: &[Piece]) -> Option<(String, Option<String>)> {
    let text: String = pieces
        .iter()
        .map(|piece| match piece {
            Piece::Word(text) | Piece::Sign(text) | Piece::Version(text) | Piece::Digest(text) => text.as_str(),
            Piece::Blank => " ",
            _ => "0",
        })
        .collect();
    let text = text.trim().trim_matches(['"', '\'', '`']);
    let in_brackets = text.split_once(['(', '[', '<']).and_then(|(title, id)| {
        let id = id.split([')', ']', '>']).next()?.trim();
        (stands_alone(id) && !title.trim().is_empty()).then(|| (id.to_owned(), Some(title.trim().to_owned())))
    });
    in_brackets.or_else(|| {
        let is_name =
            text.chars().any(char::is_alphabetic) && text.chars().count() > 2 && text.split_whitespace().count() < 6;
        is_name.then(|| (text.to_owned(), None))
    })
}

/// A list in one line: names with versions between the same signs, or an object of JSON.
fn of_line(message: &str) -> Vec<Listed> {
    if let Some(value) = message.find('{').and_then(|start| serde_json::from_str::<Json>(message[start..].trim()).ok())
    {
        let mut found = Vec::new();
        of_json(&value, &mut found);
        return found;
    }
    let best = [",", ";", "|"].into_iter().map(|between| {
        let list = message.rfind(": ").map_or(message, |at| &message[at + 2..]);
        let items = list.split(between).filter_map(|item| {
            let listed = LISTED.captures(item)?;
            let version = bare_version(listed.name("version")?.as_str()).to_owned();
            let name = listed["name"].trim();
            stands_alone(name).then(|| (name.to_owned(), version, None))
        });
        items.collect::<Vec<Listed>>()
    });
    let best = best.max_by_key(Vec::len).unwrap_or_default();
    let names: BTreeSet<String> = best.iter().map(|(id, ..)| id.to_lowercase()).collect();
    if names.len() == best.len() { best } else { Vec::new() }
}

/// An object of JSON, alone in its line, that tells of one mod: its name and its version, and the keys that lead to them.
fn of_object(message: &str) -> Option<(String, Listed)> {
    let value: Json = serde_json::from_str(message.trim()).ok().filter(Json::is_object)?;
    let mut found = Vec::new();
    named_objects(&value, &mut String::new(), &mut found);
    match found.len() {
        1 => found.pop(),
        _ => None,
    }
}

fn named_objects(value: &Json, keys: &mut String, found: &mut Vec<(String, Listed)>) {
    let Json::Object(fields) = value else { return };
    let texts = || fields.iter().filter_map(|(key, value)| Some((key, value.as_str()?)));
    let versions: Vec<(&String, &str)> = texts().filter(|(_, text)| is_version(text)).collect();
    let mut names = texts().filter(|(_, text)| stands_alone(text) && !is_version(text));
    if let ([(_, version)], Some((key, name)), None) = (&versions[..], names.next(), names.next()) {
        found.push((format!("{keys}.{key}"), (name.to_owned(), bare_version(version).to_owned(), None)));
    }
    for (key, value) in fields {
        let length = keys.len();
        keys.push('.');
        keys.push_str(key);
        named_objects(value, keys, found);
        keys.truncate(length);
    }
}

fn of_json(value: &Json, found: &mut Vec<Listed>) {
    let Json::Object(fields) = value else { return };
    let versions = fields.iter().filter_map(|(id, version)| {
        let version = version.as_str().filter(|version| is_version(version))?;
        may_be_a_name(id).then(|| (id.clone(), bare_version(version).to_owned(), None))
    });
    let versions: Vec<Listed> = versions.collect();
    if versions.len() >= FEWEST {
        found.extend(versions);
    }
    fields.values().for_each(|value| of_json(value, found));
}
