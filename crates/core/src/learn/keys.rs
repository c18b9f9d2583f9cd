//! Which small files are public keys, and which lie beside payloads as signatures.

use std::collections::{BTreeMap, BTreeSet, HashMap, HashSet};

use super::clue::Clue;
use super::sight::{InstallView, Seen, TEXTS, extension, is_inside, name, parent, stem};
use super::units::Unit;
use crate::base::digest::Blake3;
use crate::base::stated::Series;

/// The largest file that is taken for a key or a signature.
const KEY_BYTES: u64 = 16 << 10;
/// Keys of a ring that are looked at.
const KEYS: usize = 2_000;

/// The key ring of an install.
#[derive(Debug, Clone, PartialEq)]
pub struct Ring {
    /// The folder.
    pub place: String,
    /// The keys' path inside a mod, with `{key}`.
    pub key: String,
    /// Keys that no mod brings.
    pub own: Vec<String>,
    /// What speaks for it.
    pub clues: Vec<Clue>,
    /// Names of the keys, without extension.
    pub names: Vec<String>,
}

/// How payloads are signed.
#[derive(Debug, Clone, PartialEq)]
pub struct Signed {
    /// The payloads' pattern.
    pub payload: String,
    /// The signatures' template.
    pub signature: String,
    /// The rulebook's word for the scheme.
    pub scheme: &'static str,
    /// Whether the size of the signatures tells the scheme.
    pub is_sure: bool,
    /// What speaks for it.
    pub clues: Vec<Clue>,
}

/// The folder in which keys lie that mods bring, byte for byte.
pub fn ring(sight: &dyn InstallView, units: &[Unit], inside: &HashSet<String>) -> Option<Ring> {
    let brought = brought(sight, units);
    if brought.is_empty() {
        return None;
    }
    let mut by_folder: BTreeMap<&str, Vec<&Seen>> = BTreeMap::new();
    for seen in sight.files().iter().filter(|seen| seen.size > 0 && seen.size <= KEY_BYTES) {
        let folder = parent(seen.path.as_str());
        if !folder.is_empty() && !is_inside(folder, inside) {
            by_folder.entry(folder).or_default().push(seen);
        }
    }
    let sizes: HashSet<u64> = brought.values().flatten().map(|(_, size)| *size).collect();
    let mut best: Option<(usize, Ring)> = None;
    for (folder, files) in by_folder {
        let candidates = files.iter().filter(|seen| sizes.contains(&seen.size)).take(KEYS);
        let hits: Vec<(&&Seen, &Vec<(String, u64)>)> =
            candidates.filter_map(|seen| Some((seen, brought.get(&digest(sight, seen)?)?))).collect();
        if hits.is_empty() || hits.len() * 3 < files.len() {
            continue;
        }
        let patterns: BTreeSet<String> = hits
            .iter()
            .flat_map(|(seen, inner)| inner.iter().map(move |(path, _)| key_pattern(path, name(seen.path.as_str()))))
            .collect();
        let matched: HashSet<&str> = hits.iter().map(|(seen, _)| seen.path.as_str()).collect();
        let unmatched = files.iter().filter(|seen| !matched.contains(seen.path.as_str()));
        let own = unmatched.map(|seen| name(seen.path.as_str()).to_owned()).collect();
        let clues = vec![Clue::ByteForByte { same: hits.len(), all: files.len(), folder: folder.to_owned() }];
        let names = files.iter().map(|seen| stem(name(seen.path.as_str())).to_owned()).collect();
        let key = patterns.into_iter().next().unwrap_or_default();
        let ring = Ring { place: folder.to_owned(), key, own, clues, names };
        if best.as_ref().is_none_or(|(known, _)| hits.len() > *known) {
            best = Some((hits.len(), ring));
        }
    }
    best.map(|(_, ring)| ring)
}

/// Small files in mods that could be keys, by digest.
fn brought(sight: &dyn InstallView, units: &[Unit]) -> HashMap<Blake3, Vec<(String, u64)>> {
    let mut found: HashMap<Blake3, Vec<(String, u64)>> = HashMap::new();
    for unit in units.iter().filter(|unit| unit.is_folder && unit.role == sight.role()) {
        let small = unit.inner.iter().filter(|(path, size)| *size > 0 && *size <= KEY_BYTES && may_be_key(path));
        for (path, size) in small.take(50) {
            let Some(at) = unit.path.join(path).ok() else { continue };
            let Some(bytes) = sight.start(&at, KEY_BYTES) else { continue };
            found.entry(Blake3::of(&bytes)).or_default().push((path.clone(), *size));
        }
    }
    found
}

fn may_be_key(path: &str) -> bool {
    let end = extension(name(path));
    !matches!(
        end.as_str(),
        "json" | "xml" | "txt" | "md" | "png" | "jpg" | "lua" | "toml" | "yaml" | "yml" | "ini" | "cfg"
    )
}

fn digest(sight: &dyn InstallView, seen: &Seen) -> Option<Blake3> {
    Some(Blake3::of(&sight.start(&seen.path, KEY_BYTES)?))
}

/// `keys/harbour.pub` as `keys/{key}.pub`.
fn key_pattern(inner: &str, in_ring: &str) -> String {
    let own = name(inner);
    let folder = parent(inner);
    let end = extension(own);
    let file = if stem(own) == stem(in_ring) || end.is_empty() { format!("{{key}}.{end}") } else { own.to_owned() };
    let file = file.trim_end_matches('.').to_owned();
    if folder.is_empty() { file } else { format!("{folder}/{file}") }
}

/// Files whose names begin with the whole name of another file beside them, small and all alike.
pub fn signed(units: &[Unit], beside: &[Vec<(String, u64)>], keys: &[String]) -> Option<Signed> {
    let mut counts: BTreeMap<(String, String), (usize, BTreeSet<u64>)> = BTreeMap::new();
    let mut payloads: BTreeMap<String, usize> = BTreeMap::new();
    for (unit, beside) in units.iter().zip(beside) {
        let files: &[(String, u64)] = if unit.is_folder { &unit.inner } else { beside };
        let names: HashMap<&str, u64> = files.iter().map(|(path, size)| (path.as_str(), *size)).collect();
        let own: Vec<(&str, u64)> = if unit.is_folder {
            files.iter().map(|(path, size)| (path.as_str(), *size)).collect()
        } else {
            vec![(unit.name.as_str(), unit.size)]
        };
        for (payload, _) in own {
            *payloads.entry(pattern_of(payload, unit.is_folder)).or_default() += 1;
            for (other, size) in &names {
                let Some(rest) = other.strip_prefix(payload).filter(|rest| rest.starts_with('.')) else { continue };
                if *size == 0 || *size > KEY_BYTES || rest.contains('/') || !looks_signed(rest) {
                    continue;
                }
                let template = template(rest, keys);
                let count = counts.entry((pattern_of(payload, unit.is_folder), template)).or_default();
                count.0 += 1;
                count.1.insert(*size);
            }
        }
    }
    let ((payload, signature), (count, sizes)) = counts.into_iter().max_by_key(|(_, (count, _))| *count)?;
    let all = payloads.get(&payload).copied().unwrap_or(count);
    if count * 2 < all || (count < 2 && units.len() > 1) {
        return None;
    }
    let sizes: Vec<u64> = sizes.into_iter().collect();
    let (scheme, is_sure) = match sizes.as_slice() {
        [64] => ("ed25519", true),
        [128 | 256 | 384 | 512] => ("rsa-sha256", false),
        _ => ("by-name", false),
    };
    let shown = Series::of(sizes.iter().take(4).map(u64::to_string)).between(" or ");
    let clues = vec![Clue::Beside { count, all, payload: payload.clone() }, Clue::HoldsBytes(shown)];
    Some(Signed { payload, signature: format!("{{payload}}{signature}"), scheme, is_sure, clues })
}

/// What is put behind a name by other programs is no signature.
fn looks_signed(rest: &str) -> bool {
    let lower = rest.to_lowercase();
    let end = lower.strip_prefix('.').unwrap_or(&lower);
    !TEXTS.contains(&end) && !matches!(end, "off" | "bak" | "old" | "disabled" | "meta")
}

fn template(rest: &str, keys: &[String]) -> String {
    let inner = rest.trim_start_matches('.');
    match inner.rsplit_once('.') {
        Some((key, end)) if keys.iter().any(|known| known == key) || !end.is_empty() => format!(".{{key}}.{end}"),
        _ => rest.to_owned(),
    }
}

/// `stock/reef.hold` as `stock/*.hold`.
fn pattern_of(payload: &str, in_folder: bool) -> String {
    let end = extension(name(payload));
    let file = if end.is_empty() { "*".to_owned() } else { format!("*.{end}") };
    let folder = parent(payload);
    if folder.is_empty() || !in_folder { file } else { format!("{folder}/{file}") }
}

/// For each unit that is one file, the files that lie beside it.
pub fn beside(sight: &dyn InstallView, units: &[Unit]) -> Vec<Vec<(String, u64)>> {
    let mut by_folder: HashMap<&str, Vec<(String, u64)>> = HashMap::new();
    for seen in sight.files() {
        let own = (name(seen.path.as_str()).to_owned(), seen.size);
        by_folder.entry(parent(seen.path.as_str())).or_default().push(own);
    }
    // Many mods in one folder: only names that begin with the mod's own matter.
    units
        .iter()
        .map(|unit| {
            if unit.is_folder || unit.role != sight.role() {
                return Vec::new();
            }
            let all = by_folder.get(parent(unit.path.as_str())).map_or(&[][..], Vec::as_slice);
            all.iter().filter(|(other, _)| other.starts_with(&unit.name)).cloned().collect()
        })
        .collect()
}

#[cfg(test)]
#[path = "../tests/learn_keys.rs"]
mod tests;
