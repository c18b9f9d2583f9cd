//! What is said of one mod means, by the versions and digests behind its name, or by words.

use super::causes::{Cause, wants};
use super::items::{Item, StatedValue};
use super::model::Known;
use crate::base::finding::Code;
use crate::diagnose::{means_failure, tame_meaning};
use crate::rulebook::Event;

impl Known {
    /// Two versions or digests, or one and nothing.
    pub fn by_values(&self, item: &Item) -> Option<Cause> {
        match (&item.versions[..], &item.digests[..]) {
            ([a, b, ..], _) if a.text != b.text && release(&a.text) == release(&b.text) => {
                Some((Event::Cause(Code::ContentDiffers), None, None))
            }
            ([a, b, ..], _) if a.text != b.text => {
                let (expected, found) = self.in_order(item, a, b).unzip();
                Some((Event::Cause(Code::VersionOther), expected, found))
            }
            (_, [a, b, ..]) if !a.text.eq_ignore_ascii_case(&b.text) => {
                Some((Event::Cause(Code::ContentDiffers), None, None))
            }
            ([], []) if item.has_none && item.is_known => Some((Event::Cause(Code::ModMissing), None, None)),
            ([one], []) if item.has_none => match (item.is_known, self.knows_mods()) {
                // Of the client's mods alone, the one that has none is the server.
                (true, false) if self.of_client.contains(&item.id) => {
                    Some((Event::Cause(Code::ModExtra), None, Some(one.text.clone())))
                }
                (true, _) => Some((Event::Cause(Code::ModMissing), Some(one.text.clone()), None)),
                (false, true) => Some((Event::Cause(Code::ModExtra), None, Some(one.text.clone()))),
                // Where nobody knows who has what, words tell whose the version is.
                (false, false) if wants(&one.after) => {
                    Some((Event::Cause(Code::ModMissing), Some(one.text.clone()), None))
                }
                (false, false) if has(&one.after) => Some((Event::Cause(Code::ModExtra), None, Some(one.text.clone()))),
                (false, false) if !self.of_client.is_empty() => {
                    Some((Event::Cause(Code::ModMissing), Some(one.text.clone()), None))
                }
                (false, false) => None,
            },
            _ if !item.is_known && self.knows_mods() => {
                let found = item.versions.first().map(|version| version.text.clone());
                Some((Event::Cause(Code::ModExtra), None, found))
            }
            _ => None,
        }
    }

    /// The version that should be, and the one that is; nothing where neither the mods nor the words tell.
    fn in_order(&self, item: &Item, a: &StatedValue, b: &StatedValue) -> Option<(String, String)> {
        let expected = self.expected(&item.id);
        let is_first = match expected {
            Some(expected) if expected == a.text => true,
            Some(expected) if expected == b.text => false,
            _ => {
                let (first, second) = (wants(&a.after) || has(&b.after), wants(&b.after) || has(&a.after));
                Some(first).filter(|first| *first != second)?
            }
        };
        let (expected, found) = if is_first { (a, b) } else { (b, a) };
        Some((expected.text.clone(), found.text.clone()))
    }

    /// By what is said of it in words, or above it.
    pub fn by_words(&self, item: &Item, headers: &[String]) -> Option<Cause> {
        let is_clear = |means: &Event| *means != Event::ModFailed;
        let own = item.words.iter().find_map(|words| means_failure(words).filter(is_clear));
        let means = own.or_else(|| headers.iter().find_map(|words| means_failure(words).filter(is_clear)))?;
        // What players must have is wanted of them: that theirs is not means that it is another.
        let is_wanted = item.is_known && self.wanted_of_players().any(|id| *id == item.id);
        if is_wanted && means == Event::Cause(Code::ModExtra) {
            let is_another =
                matches!(&item.versions[..], [one] if self.expected(&item.id).is_some_and(|own| own != one.text));
            return Some(match is_another {
                true => self.with_version(item, Event::Cause(Code::VersionOther)),
                false => (Event::Cause(Code::ContentDiffers), None, None),
            });
        }
        // Another than it should be, and of the version that it should be.
        let is_right =
            |version: &StatedValue| self.expected(&item.id) == Some(&*version.text) && !wants(&version.after);
        let is_of_itself = own == Some(Event::Cause(Code::VersionOther));
        if is_of_itself && matches!(&item.versions[..], [one] if is_right(one)) {
            return Some((Event::Cause(Code::ContentDiffers), None, None));
        }
        Some(self.with_version(item, means))
    }

    /// By words for its contents that say no more than that, where its version is right.
    pub fn by_contents(&self, item: &Item) -> Option<Cause> {
        let is_of_contents = |words: &String| tame_meaning(words) == Some(Event::Cause(Code::ContentDiffers));
        let is_right = item.versions.iter().all(|version| self.expected(&item.id) == Some(&*version.text));
        let counts = item.is_known && is_right && item.words.iter().any(is_of_contents);
        counts.then_some((Event::Cause(Code::ContentDiffers), None, None))
    }

    /// By its one version alone, or by words that only say that something failed.
    pub fn weakly(&self, item: &Item) -> Option<Cause> {
        let [one] = &item.versions[..] else {
            return item.words.iter().find_map(|words| means_failure(words)).map(|means| (means, None, None));
        };
        let expected = self.expected(&item.id)?;
        Some(match expected == one.text {
            true => (Event::Cause(Code::ModMissing), Some(one.text.clone()), None),
            false => (Event::Cause(Code::VersionOther), Some(expected.to_owned()), Some(one.text.clone())),
        })
    }

    /// A version alone is what is, or what should be where nothing is.
    pub fn with_version(&self, item: &Item, means: Event) -> Cause {
        let version = item.versions.first().map(|version| version.text.clone());
        match means {
            Event::Cause(Code::ModMissing) => (means, version, None),
            Event::Cause(Code::VersionOther) => {
                let expected = self.expected(&item.id).map(str::to_owned);
                (means, expected.filter(|expected| Some(expected) != version.as_ref()), version)
            }
            _ => (means, None, version),
        }
    }
}

/// Whether a word says that what stands behind it is what a player has.
fn has(word: &str) -> bool {
    const HAS: [&str; 27] = [
        "has", "have", "had", "his", "her", "their", "your", "yours", "got", "client", "peer", "guest", "visitor",
        "player", "offer", "bring", "found", "there", "hat", "tiene", "ha", "har", "ma", "tem", "runs", "plays",
        "carries",
    ];
    let lower = word.to_lowercase();
    HAS.iter().any(|has| if has.len() > 3 { lower.starts_with(has) } else { lower == *has })
}

/// A version without what tells builds of it apart.
fn release(version: &str) -> &str {
    version.split_once('+').map_or(version, |(release, _)| release)
}
