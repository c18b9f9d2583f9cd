//! What a rulebook lacks that is handed to others: what a draft left open, and what nobody can do without.

use std::collections::BTreeSet;
use std::ops::Range;

use super::model::Rulebook;
use crate::base::problem::{Problem, ProblemLevel};

/// Marks that a draft leaves for whoever reads it.
const MARKS: [&str; 2] = ["LOOK AT THIS", "FILL IN"];

/// What is to be mended before others use a rulebook, with its place in the text.
pub fn lacking(rulebook: &Rulebook, text: &str) -> Vec<Problem> {
    let mut problems = marks(text);
    let mut names = BTreeSet::new();
    for shelf in &rulebook.shelves {
        let span = place_of(text, "[[shelf]]", &shelf.name);
        if !names.insert(format!("shelf {}", shelf.name)) {
            problems.push(warning(span.clone(), format!("two shelves are called `{}`", shelf.name), "rename one"));
        }
        if shelf.read.version.0.is_empty() {
            let help = "without one, two releases of a mod can't be told apart: version = { digest = true }, if there is no other";
            problems.push(warning(span.clone(), format!("`{}` says no version", shelf.name), help));
        }
        if shelf.read.title.0.is_empty() && shelf.read.documents.len() + usize::from(shelf.read.told_by.is_some()) > 0 {
            let help = "players read titles, and know no ids: title = \"$.…\"";
            problems.push(warning(span, format!("`{}` says no title", shelf.name), help));
        }
    }
    for list in &rulebook.lists {
        if !names.insert(format!("list {}", list.name)) {
            let span = place_of(text, "[[list]]", &list.name);
            problems.push(warning(span, format!("two lists are called `{}`", list.name), "rename one"));
        }
    }
    if rulebook.events.is_empty() {
        let help = "without one, diagnosing is guessing: kanon learn --rulebook FILE --server-log LOG drafts them";
        problems.push(warning(0..0, "no [[event]] says what lines of logs mean".to_owned(), help));
    }
    problems
}

fn marks(text: &str) -> Vec<Problem> {
    let mut at = 0;
    let mut problems = Vec::new();
    for line in text.split_inclusive('\n') {
        let start = at;
        at += line.len();
        let Some((before, mark)) = MARKS.iter().find_map(|mark| Some((line.find(mark)?, *mark))) else { continue };
        if line.trim_start().starts_with('#') {
            let said = line[before + mark.len()..].trim().trim_start_matches(':').trim();
            let shown: String = said.chars().take(120).collect();
            let help = "see to it, and take the mark out";
            problems.push(warning(start + before..start + before + mark.len(), format!("still open: {shown}"), help));
        }
    }
    problems
}

/// Where the table of that name stands, as far as it can be found.
fn place_of(text: &str, head: &str, name: &str) -> Range<usize> {
    let quoted = [format!("\"{name}\""), format!("'{name}'")];
    let tables = text.match_indices(head).map(|(at, _)| at);
    let named = |at: &usize| {
        let rest = &text[*at + head.len()..];
        let own = &rest[..rest.find("\n[[").unwrap_or(rest.len())];
        quoted.iter().any(|name| own.contains(name))
    };
    let at = tables.into_iter().find(named).unwrap_or(0);
    at..(at + head.len()).min(text.len())
}

fn warning(span: Range<usize>, message: String, help: &str) -> Problem {
    Problem { gravity: ProblemLevel::Warning, span, message, help: Some(help.to_owned()) }
}

#[cfg(test)]
mod tests {
    use rstest::rstest;

    use crate::rulebook::parse;

    const GOOD: &str = "format = \"kanon-rulebook/1\"\ngame = \"Ashmere\"\n[[shelf]]\nname = \"loads\"\nholds = \"folders\"\nin = \"loads\"\n[shelf.mod]\ndocument = { member = \"card.json\" }\nid = \"$.id\"\nversion = \"$.v\"\ntitle = \"$.t\"\n[[event]]\nmeans = \"ready\"\nline = 'up'\n";

    fn told(text: &str) -> Vec<String> {
        let parsed = parse("r", text).expect("a rulebook");
        super::lacking(&parsed.value, text).into_iter().map(|problem| problem.message).collect()
    }

    #[test]
    fn what_is_whole_lacks_nothing() {
        assert!(told(GOOD).is_empty());
    }

    #[rstest]
    #[case("version = \"$.v\"\n", "", "`loads` says no version")]
    #[case("title = \"$.t\"\n", "", "`loads` says no title")]
    #[case("[[event]]\nmeans = \"ready\"\nline = 'up'\n", "", "no [[event]] says what lines of logs mean")]
    #[case("[[shelf]]", "# LOOK AT THIS: the place\n[[shelf]]", "still open: the place")]
    #[case(
        "[[event]]",
        "[[list]]\nname = \"a\"\nfile = \"a.txt\"\nnotation = \"lines\"\n[[list]]\nname = \"a\"\nfile = \"b.txt\"\nnotation = \"lines\"\n[[event]]",
        "two lists are called `a`"
    )]
    fn what_is_lacking_is_told(#[case] what: &str, #[case] with: &str, #[case] message: &str) {
        assert_eq!(told(&GOOD.replacen(what, with, 1)), [message]);
    }
}
