//! Launch lines that name mods: the option, what stands between entries, and other options of the same line.

use std::collections::BTreeMap;

use super::clue::Clue;
use super::lines::ListLines;
use super::naming::{FoundList, Names, Reading, clues, is_list};
use super::sight::Seen;
use crate::text::command::{Dialect, options};

/// Mentions between which no new option begins.
pub fn runs<'h>(line: &str, hits: &'h [(usize, usize)]) -> Vec<&'h [(usize, usize)]> {
    let mut runs = Vec::new();
    let mut start = 0;
    for at in 1..=hits.len() {
        let parts = |gap: &str| {
            gap.contains([' ', '\t']) && gap.split_whitespace().any(|word| word.starts_with(['-', '/', '+', '"', '\'']))
        };
        if at == hits.len() || parts(&line[hits[at - 1].1..hits[at].0]) {
            runs.push(&hits[start..at]);
            start = at;
        }
    }
    runs
}

/// A list after an option, the option, and what stands between entries; `usual` is that where one entry does not tell it.
pub fn launch_line(
    body: &str,
    line: &str,
    hits: &[(usize, usize)],
    (seen, names): (&Seen, &Names<'_>),
    usual: Option<&str>,
) -> Option<(FoundList, String, Option<String>)> {
    let (first, last) = (hits.first()?, hits.last()?);
    let gaps: Vec<&str> = hits.windows(2).map(|pair| &line[pair[0].1..pair[1].0]).collect();
    let gap = most_common(&gaps).or(usual)?;
    let head = &line[..first.0];
    // What stands before every entry is part of it; a quote or a blank is not.
    let before: String = common_end(head, gap);
    let after = common_start(&line[last.1..], gap);
    let between = gap.strip_prefix(after.as_str()).and_then(|rest| rest.strip_suffix(before.as_str())).unwrap_or(gap);
    let option = option_of(head.strip_suffix(before.as_str()).unwrap_or(head))?;
    let repeated = between.trim() == option.trim();
    // Words between names are a sentence.
    if !repeated && between.contains(char::is_alphanumeric) {
        return None;
    }
    let unescaped = between.replace('\\', "");
    let dialect = Dialect::of(seen.path.name(), body);
    let values = options(body, dialect, &option, Some(between).filter(|_| !repeated)).ok()?;
    // A shell's `\;` is a `;` once the shell has read it.
    let between = if values.iter().any(|found| found.value.contains(between)) { between } else { unescaped.as_str() };
    let texts: Vec<String> = values
        .iter()
        .flat_map(|found| if repeated { vec![found.value.as_str()] } else { found.value.split(between).collect() })
        .map(|text| text.trim().to_owned())
        .filter(|text| !text.is_empty())
        .collect();
    let manifest = Reading::of(texts, names);
    // Beside a list, an option that gives mods and nothing else is one too.
    if !is_list(&manifest, names, usual.is_some() && manifest.share() > 0.99) {
        return None;
    }
    let mut clues = clues(&manifest, names, false);
    clues.push(Clue::FollowOption(option.clone()));
    let between = (!repeated).then(|| between.to_owned());
    let lines = ListLines {
        option: Some(option.clone()),
        between: between.clone(),
        entry: manifest.entry(),
        is_ordered: true,
        ..ListLines::default()
    };
    Some((FoundList::of(seen, &manifest, names, lines, clues), option, between))
}

/// Where a line names mods, each with the version behind it.
pub fn mentions(line: &str, names: &Names<'_>) -> Vec<(usize, usize)> {
    let Some(finder) = names.finder.as_ref() else { return Vec::new() };
    let whole = |start: usize, end: usize| {
        !line[..start].ends_with(char::is_alphanumeric) && !line[end..].starts_with(char::is_alphanumeric)
    };
    let hits = finder.find_iter(line).filter(|hit| whole(hit.start(), hit.end()));
    hits.map(|hit| {
        let version = names.mod_of(&hit).version.as_deref();
        let after = &line[hit.end()..];
        let tail = version.and_then(|version| after.find(version).filter(|at| *at <= 2).map(|at| at + version.len()));
        (hit.start(), hit.end() + tail.unwrap_or(0))
    })
    .collect()
}

fn most_common<'t>(texts: &[&'t str]) -> Option<&'t str> {
    let mut counts: BTreeMap<&str, usize> = BTreeMap::new();
    for text in texts {
        *counts.entry(text).or_default() += 1;
    }
    counts.into_iter().max_by_key(|(text, count)| (*count, usize::MAX - text.len())).map(|(text, _)| text)
}

/// The longest end of both texts that has no quote, blank or sign of an option in it.
fn common_end(a: &str, b: &str) -> String {
    let stop = |c: char| c.is_whitespace() || matches!(c, '"' | '\'' | '=' | ';' | ',' | '|');
    let shared = a.chars().rev().zip(b.chars().rev()).take_while(|(a, b)| a == b && !stop(*a)).map(|(c, _)| c);
    shared.collect::<Vec<_>>().into_iter().rev().collect()
}

fn common_start(a: &str, b: &str) -> String {
    let stop = |c: char| c.is_whitespace() || matches!(c, '"' | '\'' | '=' | ';' | ',' | '|');
    a.chars().zip(b.chars()).take_while(|(a, b)| a == b && !stop(*a)).map(|(c, _)| c).collect()
}

/// The option that a line's value follows: `-mods=`, `--mods`, `set MODS=`.
fn option_of(head: &str) -> Option<String> {
    let head = head.trim_end_matches(['"', '\'']);
    let trimmed = head.trim_end();
    let word = trimmed.rsplit([' ', '\t', '"', '\'']).next().unwrap_or(trimmed);
    if word.is_empty() {
        return None;
    }
    let is_set = trimmed.to_lowercase().starts_with("set ") || trimmed.to_lowercase().starts_with("export ");
    Some(if is_set { trimmed.to_owned() } else { word.to_owned() })
}
