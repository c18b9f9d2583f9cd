//! What a rulebook lacks that is handed to others: what a draft left open, and what nobody can do without.

use std::collections::BTreeSet;
use std::ops::Range;

use super::mistake::{Mend, Mistake};
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
            problems.push(warning(span.clone(), Mistake::ShelvesAlike(shelf.name.clone()), Mend::RenameOne));
        }
        if shelf.read.version.0.is_empty() {
            problems.push(warning(span.clone(), Mistake::NoVersion(shelf.name.clone()), Mend::AddVersion));
        }
        if shelf.read.title.0.is_empty() && shelf.read.documents.len() + usize::from(shelf.read.told_by.is_some()) > 0 {
            problems.push(warning(span, Mistake::NoTitle(shelf.name.clone()), Mend::AddTitle));
        }
    }
    for list in &rulebook.lists {
        if !names.insert(format!("list {}", list.name)) {
            let span = place_of(text, "[[list]]", &list.name);
            problems.push(warning(span, Mistake::ListsAlike(list.name.clone()), Mend::RenameOne));
        }
    }
    if rulebook.events.is_empty() {
        problems.push(warning(0..0, Mistake::NoEvent, Mend::DraftEvents));
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
            let place = start + before..start + before + mark.len();
            problems.push(warning(place, Mistake::StillOpen(shown), Mend::SeeToIt));
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

fn warning(span: Range<usize>, mistake: Mistake, help: Mend) -> Problem {
    Problem::new(ProblemLevel::Warning, span, mistake, help)
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
