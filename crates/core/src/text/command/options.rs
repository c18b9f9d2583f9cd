//! The values that options are given.

use std::collections::BTreeSet;

use super::dialect::Dialect;
use super::error::LaunchError;
use super::layers::{Found, commands};
use super::value::{Given, given as read_given, is_set, set_to};
use super::word::Word;

/// Every value that an option is given in a text, in the order in which they stand.
///
/// The option is written as in the text, with the sign that ends it (`-mods=`, `--mod`, `set MODS=`). What only people are
/// told counts where nothing else gives the option; comments and here-documents never do. A value that is all of a variable
/// is what the variable is set to.
///
/// `between` is what stands between entries; where that is blank, a value goes on to the next word that begins with `-`.
///
/// # Errors
/// When a quote is not closed, or a value is in a variable of which nothing is known.
pub fn options(text: &str, dialect: Dialect, option: &str, between: Option<&str>) -> Result<Vec<Given>, LaunchError> {
    let needle = option.trim().rsplit([' ', '\t']).next().unwrap_or(option);
    if needle.is_empty() || !text.contains(needle) && !text.contains(['\\', '^', '"', '\'']) {
        return Ok(Vec::new());
    }
    let found = commands(text, dialect, needle)?;
    let mut given = Vec::new();
    for (group, command) in found.iter().enumerate() {
        read_given(command, (text, option, between), group, &mut given)?;
    }
    let resolved = resolved(given, &found, (text, between))?;
    resolved.iter().try_for_each(|one| one.refuse_composed(between))?;
    Ok(resolved)
}

/// Values of which those that are all of a variable are what it is set to; each place once, in their order, and what only people
/// are told only where there is nothing else.
pub(super) fn resolved(
    given: Vec<Given>,
    found: &[Found],
    (text, between): (&str, Option<&str>),
) -> Result<Vec<Given>, LaunchError> {
    let mut resolved: Vec<Given> = Vec::new();
    for one in given {
        let Some(name) = one.variable() else {
            // What is put together here from what is set here says more than is written.
            if let Some(name) = one.quotes().find(|name| is_set(found, name)) {
                return Err(LaunchError::Composed { line: one.line, name });
            }
            resolved.push(one);
            continue;
        };
        let set = set_to(found, (text, between), &name, found.len())?;
        if set.is_empty() {
            return Err(LaunchError::Unset { line: one.line, name: one.value });
        }
        resolved.extend(set);
    }
    let mut seen = BTreeSet::new();
    resolved.retain(|one| seen.insert((one.at.start, one.at.end)));
    if resolved.iter().any(|one| !one.talks) {
        resolved.retain(|one| !one.talks);
    }
    resolved.sort_by_key(|one| one.at.start);
    Ok(resolved)
}

/// An option of a text that is spelt nearly like one that nothing in it gives: a slip of the pen, perhaps.
pub fn near_option(text: &str, dialect: Dialect, option: &str) -> Option<String> {
    const SLIPS: usize = 2;
    let sign = option.ends_with('=');
    let head = |word: String| match (sign, word.find('=')) {
        (true, at) => at.map(|at| word[..=at].to_owned()),
        (false, _) => Some(word),
    };
    let found = commands(text, dialect, "").ok()?;
    let words = found.iter().filter(|found| !found.talks).flat_map(|found| &found.command.words).map(Word::text);
    let near = words
        .filter_map(head)
        .filter(|word| word.len() > SLIPS * 2 && *word != option)
        .map(|word| (strsim::damerau_levenshtein(&word.to_lowercase(), &option.to_lowercase()), word));
    let near: BTreeSet<(usize, String)> = near.filter(|(slips, _)| *slips <= SLIPS).collect();
    let best = near.first()?;
    let is_alone = near.iter().filter(|(slips, _)| *slips == best.0).count() == 1;
    is_alone.then(|| best.1.clone())
}
