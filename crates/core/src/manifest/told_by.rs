//! What a document outside of the mods tells of each of them: one entry a mod, found by its name.

use std::collections::HashMap;

use serde_json::Value;

use crate::rulebook::ToldBy;
use crate::text::{DocumentError, scalar};

/// The entries of such a document, by the folded names by which they call mods.
#[derive(Debug, Clone, Default)]
pub struct ToldEntries(HashMap<String, Value>);

impl ToldEntries {
    /// Reads the document.
    ///
    /// # Errors
    /// When it is too large, or not written as the rule says.
    pub fn read(rule: &ToldBy, bytes: &[u8]) -> Result<Self, DocumentError> {
        let document = rule.notation.read(bytes, rule.encoding)?;
        let mut entries = HashMap::new();
        for node in rule.each.query(&document).all() {
            match (&rule.key, node) {
                (Some(key), entry) => {
                    if let Some(name) = key.query(entry).iter().find_map(|value| scalar(value)) {
                        entries.entry(folded(&name)).or_insert_with(|| entry.clone());
                    }
                }
                (None, Value::Object(map)) => {
                    for (name, entry) in map {
                        entries.entry(folded(name)).or_insert_with(|| entry.clone());
                    }
                }
                (None, _) => {}
            }
        }
        Ok(Self(entries))
    }

    /// What it tells of the mod whose file or folder is called so, with or without the ending.
    pub fn of(&self, name: &str) -> Option<&Value> {
        let stem = name.rsplit_once('.').map_or(name, |(stem, _)| stem);
        self.0.get(&folded(name)).or_else(|| self.0.get(&folded(stem)))
    }
}

/// A name as a mod's file may be called: without the folders before it, whatever its case.
fn folded(name: &str) -> String {
    name.trim_end_matches(['/', '\\']).rsplit(['/', '\\']).next().unwrap_or(name).to_lowercase()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::base::path::InstallPath;
    use crate::text::{Encoding, Notation};
    use rstest::rstest;
    use serde_json_path::JsonPath;

    #[rstest]
    #[case::by_a_key(
        "$.of[*]",
        Some("$.file"),
        r#"{"of": [{"file": "hold/Reed.bnd", "v": "1"}, {"file": "fog", "v": "2"}, 3]}"#
    )]
    #[case::by_names("$", None, r#"{"reed.bnd": {"v": "1"}, "FOG": {"v": "2"}}"#)]
    fn an_entry_is_found_by_a_name(#[case] each: &str, #[case] key: Option<&str>, #[case] text: &str) {
        let rule = ToldBy {
            file: InstallPath::new("a.json").expect("a path"),
            notation: Notation::Json,
            encoding: Encoding::Utf8,
            each: JsonPath::parse(each).expect("a place"),
            key: key.map(|key| JsonPath::parse(key).expect("a place")),
        };
        let told = ToldEntries::read(&rule, text.as_bytes()).expect("entries");
        let version = |name: &str| told.of(name).map(|entry| entry["v"].clone());
        assert_eq!(version("reed.bnd"), Some("1".into()));
        assert_eq!(version("fog.bnd"), Some("2".into()));
        assert_eq!(version("mist.bnd"), None);
    }
}
