//! Command lines taken apart by another splitter: their words, before and after, are the same but for what an option is given.

use std::collections::BTreeSet;

use crate::text::SecondReading;
use crate::text::command::{self, Dialect, Given};

/// Whether the words of a text are the same as before, but for what an option is given.
///
/// # Errors
/// What is changed beside that.
pub fn confirm(
    dialect: Dialect,
    (before, after): (&str, &str),
    option: &str,
    between: Option<&str>,
) -> Result<(), SecondReading> {
    let given = |text: &str| command::options(text, dialect, option, between);
    let (old, new) = (given(before)?, given(after)?);
    let name = option.trim().rsplit([' ', '\t']).next().unwrap_or(option);
    same(dialect, (before, after), name, (&old, &new))
}

/// Whether the words of a text are the same as before, but for an amount.
///
/// # Errors
/// What is changed beside that.
pub fn confirm_amount(
    dialect: Dialect,
    (before, after): (&str, &str),
    option: &str,
    amounts: &BTreeSet<String>,
) -> Result<(), SecondReading> {
    let words = |text: &str| {
        let mut words = words(dialect, text, &|word| word.starts_with(option))?;
        words.iter_mut().for_each(|word| {
            for amount in amounts {
                for sign in ["", "=", ":"] {
                    let (own, bare) = (format!("{option}{sign}{amount}"), format!("{option}{sign}"));
                    if word.contains(&own) {
                        *word = word.replace(&own, &bare);
                    }
                }
                // On its own, or what a variable is set to.
                let head = word.strip_suffix(amount.as_str()).filter(|head| head.is_empty() || head.ends_with('='));
                if let Some(head) = head {
                    *word = head.to_owned();
                }
            }
        });
        Some(words)
    };
    compared(words(before), words(after))
}

fn same(
    dialect: Dialect,
    (before, after): (&str, &str),
    option: &str,
    (old, new): (&[Given], &[Given]),
) -> Result<(), SecondReading> {
    let entries: BTreeSet<&str> = old.iter().chain(new).flat_map(|one| &one.entries).map(String::as_str).collect();
    let values: Vec<&str> =
        old.iter().chain(new).map(|one| one.value.as_str()).filter(|value| !value.is_empty()).collect();
    // The longest first: one value may begin another.
    let mut values: Vec<&str> = values.into_iter().collect::<BTreeSet<_>>().into_iter().collect();
    values.sort_by_key(|value| std::cmp::Reverse(value.len()));
    let rest = |text: &str| {
        let is_own = |word: &str| {
            let is_name = |head: &str| {
                let name = head.strip_suffix('=');
                name.is_some_and(|name| name.chars().all(|c| c.is_ascii_alphanumeric() || c == '_'))
            };
            let sets = |value: &&str| word.strip_suffix(*value).is_some_and(is_name);
            word.starts_with(option) || values.iter().any(sets)
        };
        let words = words(dialect, text, &is_own)?;
        let bare = words.into_iter().filter_map(|word| {
            if word == option || entries.contains(word.as_str()) {
                return None;
            }
            if let Some(at) = word.find(option) {
                let value = &word[at + option.len()..];
                let known = values.iter().find(|known| value.starts_with(**known)).map_or("", |known| known);
                let word = format!("{}{}", &word[..at], &value[known.len()..]);
                return Some(word).filter(|word| !word.is_empty());
            }
            // What a variable is set to, that the option is given.
            let known = values.iter().find_map(|value| word.strip_suffix(value)?.strip_suffix('=').map(str::to_owned));
            Some(known.unwrap_or(word))
        });
        Some(bare.collect::<Vec<String>>())
    };
    compared(rest(before), rest(after))
}

fn compared(old: Option<Vec<String>>, new: Option<Vec<String>>) -> Result<(), SecondReading> {
    match (old, new) {
        (_, None) => Err(SecondReading::OpenQuote),
        // Of a text that can't be taken apart, what is around the values was kept to the letter.
        (None, Some(_)) => Ok(()),
        (Some(old), Some(new)) if old == new => Ok(()),
        (Some(old), Some(new)) => {
            let at = old.iter().zip(&new).position(|(old, new)| old != new).unwrap_or(old.len().min(new.len()));
            let word = |words: &[String]| words.get(at).cloned().unwrap_or_default();
            Err(SecondReading::Word { new: word(&new), old: word(&old) })
        }
    }
}

/// The words of a text, and of those of its words in which several stand, but for an option's own; nothing when a quote is
/// left open.
fn words(dialect: Dialect, text: &str, is_own: &dyn Fn(&str) -> bool) -> Option<Vec<String>> {
    let read = match dialect {
        Dialect::Shell => shlex::split(&spaced(text))?,
        Dialect::Unit => text
            .replace("\\\n", " \n")
            .lines()
            .map(|line| shlex::split(line.trim()))
            .collect::<Option<Vec<_>>>()?
            .concat(),
        Dialect::Batch | Dialect::Arguments => text.lines().flat_map(plain).collect(),
    };
    let mut words = Vec::new();
    for word in read {
        if is_own(&word) {
            words.push(word);
        } else if word.trim().contains(char::is_whitespace) && matches!(dialect, Dialect::Batch | Dialect::Arguments) {
            words.extend(plain(&word));
        } else if word.trim().contains(char::is_whitespace) {
            let inner =
                shlex::split(&spaced(&word)).unwrap_or_else(|| word.split_whitespace().map(str::to_owned).collect());
            words.extend(inner);
        } else {
            words.push(word.trim().to_owned());
        }
    }
    Some(words)
}

/// A script in which blanks stand around the signs that end a command.
fn spaced(text: &str) -> String {
    let mut out = String::with_capacity(text.len());
    let (mut quote, mut escaped) = (None, false);
    let mut comment = false;
    let mut chars = text.chars().peekable();
    while let Some(c) = chars.next() {
        // What `$'…'` says, in other quotes.
        if c == '$' && quote.is_none() && !escaped && !comment && chars.peek() == Some(&'\'') {
            chars.next();
            out.push('"');
            while let Some(c) = chars.next().filter(|c| *c != '\'') {
                let c = if c == '\\' { chars.next().unwrap_or(c) } else { c };
                out.extend(matches!(c, '"' | '\\' | '$' | '`').then_some('\\'));
                out.push(c);
            }
            out.push('"');
            continue;
        }
        // A line that goes on.
        if c == '\\' && quote != Some('\'') && !escaped && chars.peek() == Some(&'\n') {
            chars.next();
            out.extend(quote.is_none().then_some(' '));
            continue;
        }
        let was_escaped = std::mem::take(&mut escaped);
        match quote {
            _ if comment => {
                comment = c != '\n';
                out.push(if comment { '#' } else { '\n' });
                continue;
            }
            None if c == '#' && out.ends_with(|c: char| c.is_whitespace()) => {
                comment = true;
                out.push('#');
                continue;
            }
            Some('\'') => quote = quote.filter(|_| c != '\''),
            _ if was_escaped => {}
            _ if c == '\\' => escaped = true,
            Some(open) => quote = Some(open).filter(|_| c != open),
            None if matches!(c, '"' | '\'') => quote = Some(c),
            None if matches!(c, ';' | '&' | '|' | '(' | ')' | '<' | '>' | '`') => {
                out.push(' ');
                out.push(c);
                out.push(' ');
                continue;
            }
            None => {}
        }
        out.push(c);
    }
    out
}

/// The words of a line whose quotes are no more than groups.
fn plain(line: &str) -> Vec<String> {
    let mut words = Vec::new();
    let mut word = String::new();
    let mut open = false;
    for c in line.chars() {
        match c {
            '"' => open = !open,
            c if c.is_whitespace() && !open => words.push(std::mem::take(&mut word)),
            c => word.push(c),
        }
    }
    words.push(word);
    words.retain(|word| !word.is_empty());
    words
}
