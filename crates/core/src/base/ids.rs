//! What mods are called. There is one rule for when two ids are the same, and it is kept in here: letter case does not count, and
//! neither does the way in which a letter with a mark is put together.

use std::borrow::Cow;
use std::cmp::Ordering;
use std::fmt;
use std::hash::{Hash, Hasher};

use icu_casemap::CaseMapper;
use icu_normalizer::ComposingNormalizerBorrowed;
use serde::{Deserialize, Serialize};

/// The form in which names are compared: full case folding and canonical composition, as Unicode has them
/// (The Unicode Standard, 3.13, "canonical caseless matching").
pub fn folded(text: &str) -> Cow<'_, str> {
    if text.is_ascii() {
        return match text.bytes().any(|byte| byte.is_ascii_uppercase()) {
            true => Cow::Owned(text.to_ascii_lowercase()),
            false => Cow::Borrowed(text),
        };
    }
    let composed = ComposingNormalizerBorrowed::new_nfc().normalize(text);
    let folded = CaseMapper::new().fold_string(&composed);
    Cow::Owned(ComposingNormalizerBorrowed::new_nfc().normalize(&folded).into_owned())
}

/// Whether two names are the same but for letter case and the way in which letters with marks are put together.
pub fn same_name(a: &str, b: &str) -> bool {
    a == b || folded(a) == folded(b)
}

/// Whether two names are the same letters, put together otherwise: a file system takes them for two names, and nobody sees why.
pub fn is_put_together_otherwise(a: &str, b: &str) -> bool {
    let nfc = ComposingNormalizerBorrowed::new_nfc();
    a != b && nfc.normalize(a) == nfc.normalize(b)
}

/// The id of a mod. It remembers how it was spelt; equal are ids that are the same by [`folded`].
#[derive(Clone, Default)]
pub struct FoldedId {
    spelt: Box<str>,
    /// The form that is compared, where it is not how the id is spelt.
    key: Option<Box<str>>,
}

impl FoldedId {
    /// An id as it was spelt somewhere.
    pub fn new(spelt: impl Into<String>) -> Self {
        let spelt = spelt.into().into_boxed_str();
        let key = match folded(&spelt) {
            Cow::Borrowed(_) => None,
            Cow::Owned(key) => Some(key.into_boxed_str()).filter(|key| *key != spelt),
        };
        Self { spelt, key }
    }

    /// The id as it was spelt.
    pub fn as_str(&self) -> &str {
        &self.spelt
    }

    /// The form that is compared.
    pub fn key(&self) -> &str {
        self.key.as_deref().unwrap_or(&self.spelt)
    }

    /// Whether a text spells this id.
    pub fn is(&self, text: &str) -> bool {
        *self.spelt == *text || self.key() == folded(text)
    }

    /// Ids in a row, with something between them.
    pub fn joined<'i>(ids: impl IntoIterator<Item = &'i Self>, between: &str) -> String {
        ids.into_iter().map(Self::as_str).collect::<Vec<_>>().join(between)
    }

    /// Whether there is no id.
    pub fn is_empty(&self) -> bool {
        self.spelt.is_empty()
    }
}

impl AsRef<str> for FoldedId {
    fn as_ref(&self) -> &str {
        &self.spelt
    }
}

impl PartialEq for FoldedId {
    fn eq(&self, other: &Self) -> bool {
        self.key() == other.key()
    }
}

impl Eq for FoldedId {}

impl PartialEq<str> for FoldedId {
    fn eq(&self, other: &str) -> bool {
        self.is(other)
    }
}

impl PartialEq<&str> for FoldedId {
    fn eq(&self, other: &&str) -> bool {
        self.is(other)
    }
}

impl PartialEq<String> for FoldedId {
    fn eq(&self, other: &String) -> bool {
        self.is(other)
    }
}

impl PartialEq<FoldedId> for str {
    fn eq(&self, other: &FoldedId) -> bool {
        other.is(self)
    }
}

impl PartialEq<FoldedId> for String {
    fn eq(&self, other: &FoldedId) -> bool {
        other.is(self)
    }
}

impl Hash for FoldedId {
    fn hash<H: Hasher>(&self, state: &mut H) {
        self.key().hash(state);
    }
}

impl Ord for FoldedId {
    fn cmp(&self, other: &Self) -> Ordering {
        self.key().cmp(other.key())
    }
}

impl PartialOrd for FoldedId {
    fn partial_cmp(&self, other: &Self) -> Option<Ordering> {
        Some(self.cmp(other))
    }
}

impl fmt::Display for FoldedId {
    fn fmt(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
        fmt::Display::fmt(&*self.spelt, out)
    }
}

impl fmt::Debug for FoldedId {
    fn fmt(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
        fmt::Debug::fmt(&*self.spelt, out)
    }
}

impl From<&str> for FoldedId {
    fn from(spelt: &str) -> Self {
        Self::new(spelt)
    }
}

impl From<String> for FoldedId {
    fn from(spelt: String) -> Self {
        Self::new(spelt)
    }
}

impl From<FoldedId> for String {
    fn from(id: FoldedId) -> Self {
        id.spelt.into()
    }
}

impl From<&Self> for FoldedId {
    fn from(id: &Self) -> Self {
        id.clone()
    }
}

impl From<&String> for FoldedId {
    fn from(spelt: &String) -> Self {
        Self::new(spelt.as_str())
    }
}

impl From<&FoldedId> for String {
    fn from(id: &FoldedId) -> Self {
        id.as_str().to_owned()
    }
}

impl Serialize for FoldedId {
    fn serialize<S: serde::Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.serialize_str(&self.spelt)
    }
}

impl<'de> Deserialize<'de> for FoldedId {
    fn deserialize<D: serde::Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        String::deserialize(deserializer).map(Self::new)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use rstest::rstest;

    #[rstest]
    #[case::as_it_is("tide", "tide", true)]
    #[case::ascii("Tide-Clock", "tide-clock", true)]
    #[case::capital_with_a_mark("Über", "über", true)]
    #[case::put_together("Mu\u{308}llers", "M\u{fc}llers", true)]
    #[case::put_together_and_capital("U\u{308}ber", "\u{fc}ber", true)]
    #[case::sharp_s("STRASSE", "straße", true)]
    #[case::sigma("ΣΑΣ", "σας", true)]
    #[case::kelvin("\u{212a}iln", "kiln", true)]
    #[case::another("tide", "tides", false)]
    #[case::a_mark_counts("Muller", "Müller", false)]
    #[case::a_sign_counts("tide_clock", "tide-clock", false)]
    fn one_rule_tells_whether_ids_are_equal(#[case] a: &str, #[case] b: &str, #[case] same: bool) {
        let (one, other) = (FoldedId::from(a), FoldedId::from(b));
        assert_eq!(one == other, same);
        assert_eq!((one == b, other == a), (same, same));
        assert_eq!(one.cmp(&other) == Ordering::Equal, same);
        assert_eq!((one.to_string(), same_name(a, b)), (a.to_owned(), same), "it remembers how it is spelt");
    }

    proptest! {
        #[test]
        fn folding_is_done_once_and_for_all(text in "\\PC{0,12}") {
            let once = folded(&text).into_owned();
            prop_assert_eq!(folded(&once).into_owned(), once.clone());
            prop_assert!(FoldedId::from(text.as_str()).is(&once));
            let json = serde_json::to_string(&FoldedId::from(text.as_str())).unwrap_or_default();
            prop_assert_eq!(serde_json::from_str::<FoldedId>(&json).map(String::from).unwrap_or_default(), text);
        }
    }
}
