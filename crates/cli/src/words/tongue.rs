//! What players read, in their own language: one file of messages a language, so that others can add theirs.

use std::sync::Arc;

use fluent_bundle::concurrent::FluentBundle;
use fluent_bundle::{FluentArgs, FluentResource, FluentValue};
use unic_langid::LanguageIdentifier;

/// The languages that there are, by their codes. The first one has every message for certain.
const TONGUES: [(&str, &str); 8] = [
    ("en", include_str!("../../tongues/en.ftl")),
    ("de", include_str!("../../tongues/de.ftl")),
    ("es", include_str!("../../tongues/es.ftl")),
    ("fr", include_str!("../../tongues/fr.ftl")),
    ("pl", include_str!("../../tongues/pl.ftl")),
    ("pt", include_str!("../../tongues/pt.ftl")),
    ("ru", include_str!("../../tongues/ru.ftl")),
    ("zh", include_str!("../../tongues/zh.ftl")),
];

/// A language.
#[derive(Clone)]
pub struct Tongue {
    code: &'static str,
    bundle: Arc<FluentBundle<FluentResource>>,
}

/// What stands at a place of a message.
pub type Place<'a> = (&'static str, FluentValue<'a>);

impl Tongue {
    /// The one that is nearest to what a system or somebody calls a language (`de`, `pt-BR`, `ru_RU.UTF-8`); English where there is
    /// none such.
    pub fn of(wanted: &str) -> Self {
        let first = wanted.split(['-', '_', '.', '@']).next().unwrap_or_default().to_lowercase();
        let (code, text) = TONGUES.iter().find(|(code, _)| *code == first).unwrap_or(&TONGUES[0]);
        Self { code, bundle: Arc::new(bundle(code, text)) }
    }

    /// Its code.
    pub const fn code(&self) -> &'static str {
        self.code
    }

    /// A day, as English writes it out; elsewhere in figures that everybody reads alike.
    pub fn day(&self, day: &jiff::Zoned) -> String {
        day.strftime(if self.code == "en" { "%-d %B %Y" } else { "%Y-%m-%d" }).to_string()
    }

    /// A message.
    pub fn say(&self, message: &str) -> String {
        self.with(message, [])
    }

    /// A message with something at its places.
    pub fn with<'a>(&self, message: &str, places: impl IntoIterator<Item = Place<'a>>) -> String {
        let mut args = FluentArgs::new();
        places.into_iter().for_each(|(place, value)| args.set(place, value));
        let found = self.bundle.get_message(message).and_then(|found| found.value());
        // A test sees to it that every message is there.
        let Some(pattern) = found else { return message.to_owned() };
        self.bundle.format_pattern(pattern, Some(&args), &mut Vec::new()).into_owned()
    }
}

/// Something to stand at a place.
pub fn at<'a>(place: &'static str, value: impl Into<FluentValue<'a>>) -> Place<'a> {
    (place, value.into())
}

fn bundle(code: &str, text: &str) -> FluentBundle<FluentResource> {
    let language: LanguageIdentifier = code.parse().unwrap_or_default();
    let mut bundle = FluentBundle::new_concurrent(vec![language]);
    // Terminals show the signs that would keep directions apart.
    bundle.set_use_isolating(false);
    let resource = FluentResource::try_new(text.to_owned()).unwrap_or_else(|(resource, _)| resource);
    // A message that is there twice stands in the test's way, and in nobody else's.
    drop(bundle.add_resource(resource));
    bundle
}

#[cfg(test)]
mod tests {
    use std::collections::{BTreeMap, BTreeSet};

    use rstest::rstest;

    use super::*;

    /// The messages of a language, each with the places that it has.
    fn messages(text: &str) -> BTreeMap<String, BTreeSet<String>> {
        let mut found: BTreeMap<String, BTreeSet<String>> = BTreeMap::new();
        let mut current = String::new();
        for line in text.lines().filter(|line| !line.starts_with('#')) {
            if let Some((id, _)) = line.split_once(" = ").filter(|_| !line.starts_with(' ')) {
                current = id.to_owned();
                assert!(found.insert(current.clone(), BTreeSet::new()).is_none(), "{id} is there twice");
            }
            let places =
                line.split('$').skip(1).map(|rest| rest.split([' ', '}']).next().unwrap_or_default().to_owned());
            found.entry(current.clone()).or_default().extend(places);
        }
        found.remove("");
        found
    }

    #[test]
    fn every_language_has_every_message_with_every_place() {
        let english = messages(TONGUES[0].1);
        for (code, text) in TONGUES {
            FluentResource::try_new(text.to_owned()).unwrap_or_else(|(_, errors)| panic!("{code}: {errors:?}"));
            let own = messages(text);
            assert_eq!(own.keys().collect::<Vec<_>>(), english.keys().collect::<Vec<_>>(), "{code}");
            for (id, places) in &english {
                assert_eq!(&own[id], places, "{id} in {code}");
            }
        }
    }

    /// Every message that the program asks for by name is there, and each that is there is asked for.
    #[test]
    fn every_message_is_asked_for_and_there() {
        let sources = [
            include_str!("players.rs"),
            include_str!("reply.rs"),
            include_str!("../commands/follow.rs"),
            include_str!("../commands/followed.rs"),
            include_str!("../commands/join.rs"),
            include_str!("../render/follow.rs"),
            include_str!("../asking.rs"),
            include_str!("../render/handout/mod.rs"),
            include_str!("../render/handout/html.rs"),
            include_str!("../../templates/handout.html"),
        ]
        .concat();
        for id in messages(TONGUES[0].1).keys() {
            assert!(sources.contains(&format!("\"{id}\"")), "nobody asks for {id}");
        }
    }

    #[rstest]
    #[case("pl", 1, "1 plik")]
    #[case("pl_PL.UTF-8", 3, "3 pliki")]
    #[case("pl", 12, "12 plików")]
    #[case("ru-RU", 21, "21 файл")]
    #[case("zh-Hans-CN", 2, "2 个文件")]
    #[case("C.UTF-8", 1, "1 file")]
    #[case("tlh", 2, "2 files")]
    fn numbers_are_told_as_each_language_does(#[case] wanted: &str, #[case] count: usize, #[case] told: &str) {
        assert_eq!(Tongue::of(wanted).with("files", [at("count", count)]), told);
    }
}
