//! How an entry is worded: like its neighbour, in the words that are there, quoted where a shell would need it.

use super::entries::is_on;
use super::meant::Entry;
use crate::rulebook::EntryFields;

/// What is said of one mod, said of another.
pub fn alike(text: &str, of: &Entry, entry: &Entry) -> String {
    let mut out = text.to_owned();
    let versions = of.version.clone().zip(entry.version.clone());
    let bare = text.trim_matches(['"', '\'']);
    if let Some(title) = of.title.as_ref().filter(|title| bare == title.as_str()) {
        return text.replace(title.as_str(), entry.title.as_deref().unwrap_or(entry.id.as_str()));
    }
    for digest in &of.digests {
        if let Some(with) = digest_like(entry, digest) {
            out = out.replace(digest.as_str(), &with);
        }
    }
    // The name first: the id may be a part of it.
    for (from, to) in [(of.name.as_str(), entry.name.as_str()), (of.id.as_str(), entry.id.as_str())] {
        if !from.is_empty() && !out.contains(to) {
            out = out.replace(from, to);
        }
    }
    match versions {
        Some((from, to)) if !from.is_empty() && !out.contains(&to) => out.replace(&from, &to),
        _ => out,
    }
}

/// The digest of the kind that another one is of.
pub fn digest_like(entry: &Entry, other: &str) -> Option<String> {
    entry.digests.iter().find(|digest| digest.len() == other.len()).cloned()
}

/// The word for on, in the manner of the one that is there.
pub fn on_word(old: &str, fields: Option<&EntryFields>, example: Option<&str>) -> String {
    let empty = Default::default();
    let means = fields.map_or(&empty, |fields| &fields.means);
    if !old.is_empty() && is_on(old, means) {
        return old.to_owned();
    }
    if let Some(word) = means.iter().find(|(_, on)| **on).map(|(word, _)| word) {
        return word.clone();
    }
    if let Some(example) = example {
        return example.to_owned();
    }
    let pairs = [("0", "1"), ("no", "yes"), ("off", "on"), ("n", "y"), ("disabled", "enabled"), ("false", "true")];
    let pair = pairs.iter().find(|(off, _)| old.eq_ignore_ascii_case(off)).map_or("true", |(_, on)| on);
    if old.chars().next().is_some_and(char::is_uppercase) {
        let rest = if old.chars().all(char::is_uppercase) { pair[1..].to_uppercase() } else { pair[1..].to_owned() };
        return pair[..1].to_uppercase() + &rest;
    }
    pair.to_owned()
}

/// Signs that a shell or a batch file would take for its own.
pub const SIGNS: [char; 11] = [' ', '\t', ';', '&', '|', '<', '>', '(', ')', '^', '$'];
