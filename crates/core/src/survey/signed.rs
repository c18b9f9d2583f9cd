//! Which file of a mod is signed by which other, told from their names.

use regex::Regex;

use crate::base::names::KeyName;
use crate::base::path::InstallPath;
use crate::rulebook::SignedRule;
use crate::survey::{SurveyedMod, SurveyedSignature};

/// The names of signatures and keys, as a rulebook gives them.
pub struct SignedNames<'r> {
    rule: &'r SignedRule,
    key: Option<Regex>,
}

impl<'r> SignedNames<'r> {
    /// Reads the rule's templates.
    pub fn new(rule: &'r SignedRule) -> Self {
        Self { rule, key: pattern(&rule.key, "") }
    }

    /// Each signed file of a mod with its signature, if there is one among these files.
    pub fn signatures(&self, found: &SurveyedMod, there: &[InstallPath]) -> Vec<SurveyedSignature> {
        let payloads = found.files.iter().map(|file| &file.path);
        let signed = payloads.filter(|path| self.rule.payload.fits(inner(found, path)));
        signed.map(|payload| self.signature(payload, found, there)).collect()
    }

    fn signature(&self, payload: &InstallPath, found: &SurveyedMod, there: &[InstallPath]) -> SurveyedSignature {
        let own = inner(found, payload);
        let regex = pattern(&self.rule.signature, own);
        let hit = regex.as_ref().and_then(|regex| {
            there.iter().find_map(|path| Some((path, regex.captures(inner(found, path))?.name("key"))))
        });
        SurveyedSignature {
            payload: payload.clone(),
            signature: hit.as_ref().map(|(path, _)| (*path).clone()),
            key: hit.and_then(|(_, key)| Some(KeyName::from(key?.as_str()))),
            verdict: None,
            made_with: None,
            made_over: None,
            problem: None,
        }
    }

    /// Whether a name is one that a key's file has.
    pub fn is_key_name(rule: &SignedRule, name: &str) -> bool {
        let own = rule.key.rsplit('/').next().unwrap_or(&rule.key);
        pattern(own, "").is_some_and(|regex| regex.is_match(name))
    }

    /// The public keys among these files, by name.
    pub fn keys(&self, found: &SurveyedMod, there: &[InstallPath]) -> Vec<(String, InstallPath)> {
        let Some(regex) = &self.key else { return Vec::new() };
        let name = |path: &InstallPath| {
            let captures = regex.captures(inner(found, path))?;
            let own = path.name().rsplit_once('.').map_or(path.name(), |(stem, _)| stem);
            Some((captures.name("key").map_or(own, |key| key.as_str()).to_owned(), path.clone()))
        };
        there.iter().filter_map(name).collect()
    }
}

/// A path as the rule's patterns see it: inside a mod's folder, or beside a mod that is one file.
fn inner<'p>(found: &SurveyedMod, path: &'p InstallPath) -> &'p str {
    path.below(&found.path).or_else(|| path.below(&found.place)).unwrap_or(path.as_str())
}

/// A template with `{payload}`, `{key}` and `*` as a regex over paths inside a mod.
fn pattern(template: &str, payload: &str) -> Option<Regex> {
    let (folder, name) = payload.rsplit_once('/').map_or(("", payload), |(folder, name)| (folder, name));
    let stem = name.rsplit_once('.').map_or(name, |(stem, _)| stem);
    let escaped = regex::escape(template)
        .replace(r"\{payload\}", &regex::escape(payload))
        .replace(r"\{folder\}", &regex::escape(folder))
        .replace(r"\{stem\}", &regex::escape(stem))
        .replacen(r"\{key\}", "(?<key>[^/]+?)", 1)
        .replace(r"\{key\}", "[^/]+?")
        .replace(r"\*", "[^/]*");
    Regex::new(&format!("(?i)^{escaped}$")).ok()
}

#[cfg(test)]
#[path = "../tests/signed.rs"]
mod tests;
