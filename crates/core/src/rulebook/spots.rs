//! Where in a rulebook's text a thing is said, for warnings that come up only when the rulebook is tried.

use std::ops::Range;

use toml::de::{DeTable, DeValue};

/// Where the value of `key` in `[section]` stands; the start of the text if nowhere.
pub fn key_of_section(text: &str, section: &str, key: &str) -> Range<usize> {
    let (root, _) = DeTable::parse_recoverable(text);
    let table = root.get_ref().get(section).and_then(|value| value.get_ref().as_table());
    table.and_then(|table| table.get(key)).map_or(0..0, toml::Spanned::span)
}

/// Where the table of `[[section]]` with this name says its name.
pub fn named_table(text: &str, section: &str, name: &str) -> Range<usize> {
    let (root, _) = DeTable::parse_recoverable(text);
    let tables = root.get_ref().get(section).and_then(|value| value.get_ref().as_array());
    let named = tables.into_iter().flatten().find_map(|table| {
        let value = table.get_ref().as_table()?.get("name")?;
        matches!(value.get_ref(), DeValue::String(own) if own.as_ref() == name).then(|| value.span())
    });
    named.unwrap_or(0..0)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn things_are_found_where_they_stand() {
        let text = "[versions]\nscheme = 'semver'\n[[shelf]]\nname = 'a'\n[[shelf]]\nname = 'b'\n";
        assert_eq!(&text[key_of_section(text, "versions", "scheme")], "'semver'");
        assert_eq!(named_table(text, "shelf", "b").start, text.rfind("'b'").expect("there"));
        assert_eq!(key_of_section(text, "base", "ids"), 0..0);
    }
}
