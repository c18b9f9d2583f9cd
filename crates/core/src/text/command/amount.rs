//! Amounts of memory that an option is given.

use std::ops::Range;

use super::dialect::Dialect;
use super::error::LaunchError;
use super::layers::{Found, commands};
use super::options::resolved;
use super::value::Given;
use super::word::Word;
use crate::text::flaw::{Flaw, Malformed};

/// An amount of memory in a launch line.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Amount {
    /// Its bytes; nothing where what stands there is no amount.
    pub bytes: Option<u64>,
    /// As it is written.
    pub text: String,
    /// Where number and unit stand.
    pub at: Range<usize>,
    /// The unit as it is written.
    pub unit: String,
    /// The line, from one.
    pub line: usize,
}

impl Amount {
    /// What is wrong with it, where it is no amount.
    pub fn flaw(&self) -> Option<Malformed> {
        self.bytes.is_none().then(|| Flaw::NoAmount(self.text.clone()).on_line(self.line))
    }
}

/// Every amount that an option is given: behind it, or behind a sign or a blank. A number without a unit is of `plain` bytes.
///
/// # Errors
/// When a quote is not closed, or an amount is in a variable of which nothing is known.
pub fn amounts(text: &str, dialect: Dialect, option: &str, plain: u64) -> Result<Vec<Amount>, LaunchError> {
    let found = commands(text, dialect, option)?;
    let mut given: Vec<Given> = Vec::new();
    for (group, one) in found.iter().enumerate() {
        for at in 0..one.command.words.len() {
            given.extend(behind(one, text, option, at, group));
        }
    }
    let resolved = resolved(given, &found, (text, None))?;
    Ok(resolved.iter().map(|one| amount(one, plain)).collect())
}

/// What stands behind an option that a word begins with.
fn behind(found: &Found, text: &str, option: &str, at: usize, group: usize) -> Option<Given> {
    let words = &found.command.words;
    let word = &words[at];
    let said = word.text();
    let rest = said.strip_prefix(option)?;
    let is_name = option.ends_with(|c: char| c.is_alphanumeric());
    // Another option that begins in the same way.
    if is_name && rest.starts_with(|c: char| !c.is_ascii_digit() && !matches!(c, '=' | ':')) {
        return None;
    }
    let sign = rest.len() - rest.strip_prefix(['=', ':']).unwrap_or(rest).len();
    let skip = option.len() + if is_name { sign } else { 0 };
    let value = said.get(skip..).unwrap_or_default();
    let next: Option<&Word> =
        words.get(at + 1).filter(|next| next.text().starts_with(|c: char| c.is_ascii_digit() || c == '$' || c == '%'));
    let (own, skip) = match (value.is_empty(), next) {
        (true, Some(next)) => (next.clone(), 0),
        (true, None) => return None,
        (false, _) => (word.clone(), skip),
    };
    Some(Given::of_word(found, text, (word, option.len()), own, skip, group))
}

fn amount(given: &Given, plain: u64) -> Amount {
    let value = given.value.trim_end_matches([';', ',', ')']).trim_end();
    let digits = value.find(|c: char| !c.is_ascii_digit() && c != '.').unwrap_or(value.len());
    let (number, unit) = value.split_at(digits);
    let known = ["k", "m", "g", "t", "b", "kb", "mb", "gb", "tb", "kib", "mib", "gib", "tib"];
    let each = match unit {
        "" => Some(plain),
        unit => known.contains(&unit.to_ascii_lowercase().as_str()).then(|| unit_bytes(unit)).flatten(),
    };
    Amount {
        bytes: each.and_then(|each| times(number, each)),
        text: value.to_owned(),
        at: given.place_of(&(0..value.len())),
        unit: unit.to_owned(),
        line: given.line,
    }
}

/// A number, perhaps with a fraction, of so many bytes each.
fn times(number: &str, each: u64) -> Option<u64> {
    let (whole, fraction) = number.split_once('.').unwrap_or((number, ""));
    let whole = whole.parse::<u64>().ok()?.checked_mul(each)?;
    if fraction.is_empty() {
        return Some(whole).filter(|_| !number.ends_with('.'));
    }
    let digits = u32::try_from(fraction.len()).ok().filter(|digits| *digits <= 6)?;
    let part = fraction.parse::<u64>().ok()?.checked_mul(each)? / 10u64.pow(digits);
    whole.checked_add(part)
}

/// How many bytes a unit stands for, such as `k`, `MiB`, `G`.
pub fn unit_bytes(unit: &str) -> Option<u64> {
    match unit.chars().next()?.to_ascii_lowercase() {
        'k' => Some(1 << 10),
        'm' => Some(1 << 20),
        'g' => Some(1 << 30),
        't' => Some(1 << 40),
        'b' | 'i' => Some(1),
        _ => None,
    }
}
