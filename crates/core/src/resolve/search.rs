//! Finds mods by words that a person remembers, near spellings included.

/// What can be found: an id, what people call it, and what it is.
#[derive(Debug, Clone, Copy)]
pub struct Entry<'a> {
    /// The id.
    pub id: &'a str,
    /// The title.
    pub title: Option<&'a str>,
    /// A sentence about it.
    pub about: Option<&'a str>,
}

/// How like two words must be, by the Jaro-Winkler measure (1990), to be taken for one with a slip in it.
const NEAR: f64 = 0.88;
/// Words shorter than this are too alike to be near spellings of each other.
const SHORT: usize = 4;

/// How well each entry answers to some words, best first; entries that miss a word are left out.
pub fn seek<'a>(words: &[String], entries: impl IntoIterator<Item = Entry<'a>>) -> Vec<(Entry<'a>, f64)> {
    let words: Vec<String> = words.iter().flat_map(|text| pieces(text)).collect();
    let mut found: Vec<(Entry<'a>, f64)> = entries
        .into_iter()
        .filter_map(|entry| {
            let scores: Vec<f64> = words.iter().map(|word| score(word, entry)).collect();
            let all = !scores.is_empty() && scores.iter().all(|score| *score > 0.0);
            all.then(|| (entry, scores.iter().sum()))
        })
        .collect();
    found.sort_by(|a, b| b.1.total_cmp(&a.1).then_with(|| a.0.id.cmp(b.0.id)));
    found
}

fn pieces(text: &str) -> Vec<String> {
    text.to_lowercase()
        .split(|c: char| !c.is_alphanumeric())
        .filter(|word| !word.is_empty())
        .map(str::to_owned)
        .collect()
}

/// An id or title that holds the word counts most, then the sentence about it, then a near spelling.
fn score(word: &str, entry: Entry<'_>) -> f64 {
    let names: Vec<String> = [Some(entry.id), entry.title].into_iter().flatten().flat_map(pieces).collect();
    if names.iter().any(|name| name == word) {
        return 4.0;
    }
    let holds = |text: &str| text.to_lowercase().contains(word);
    if holds(entry.id) || entry.title.is_some_and(holds) {
        return 3.0;
    }
    if entry.about.is_some_and(|about| pieces(about).iter().any(|other| other.starts_with(word))) {
        return 2.0;
    }
    if word.chars().count() < SHORT {
        return 0.0;
    }
    names.iter().map(|name| strsim::jaro_winkler(word, name)).filter(|near| *near >= NEAR).fold(0.0, f64::max)
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    const ENTRIES: [Entry<'static>; 4] = [
        Entry { id: "halogen-lamps", title: Some("Halogen Lamps"), about: Some("light for long nights") },
        Entry { id: "lamp-oil", title: None, about: None },
        Entry { id: "sled-dogs", title: Some("Sled Dogs"), about: Some("six dogs and a lamp") },
        Entry { id: "fog", title: None, about: None },
    ];

    #[rstest]
    #[case(&["lamps"], "halogen-lamps lamp-oil")]
    #[case(&["lamp"], "lamp-oil halogen-lamps sled-dogs")]
    #[case(&["Halogn"], "halogen-lamps")]
    #[case(&["night light"], "halogen-lamps")]
    #[case(&["dogs", "sled"], "sled-dogs")]
    #[case(&["fgo"], "")]
    #[case(&["--"], "")]
    fn words_find_mods(#[case] words: &[&str], #[case] expected: &str) {
        let words: Vec<String> = words.iter().map(|word| (*word).to_owned()).collect();
        let found: Vec<&str> = seek(&words, ENTRIES).iter().map(|(entry, _)| entry.id).collect();
        assert_eq!(found.join(" "), expected);
    }
}
