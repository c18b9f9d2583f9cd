//! Amounts of memory that a launch line gives, raised to a floor.

use std::collections::BTreeSet;

use super::second;
use crate::text::command::{Dialect, amounts};
use crate::text::splice::{Splice, spliced};
use crate::text::{EditError, Encoding, NoPlace, TextFile, Unmeant};

/// A file in which every amount that is below a floor is another.
///
/// # Errors
/// When the file can't be read, or another reader would find something else in it.
pub fn raise(
    bytes: &[u8],
    encoding: Encoding,
    (dialect, option, plain): (impl Fn(&str) -> Dialect, &str, u64),
    (floor, written): (u64, impl Fn(&str) -> String),
) -> Result<Vec<u8>, EditError> {
    let file = TextFile::read(bytes, encoding)?;
    let dialect = dialect(&file.text);
    let read =
        |text: &str| amounts(text, dialect, option, plain).map_err(|error| EditError::Unreadable(error.to_string()));
    let found = read(&file.text)?;
    let low = found.iter().filter(|amount| amount.bytes.is_some_and(|bytes| bytes < floor));
    let splices: Vec<Splice> =
        low.clone().map(|amount| Splice { at: amount.at.clone(), with: written(&amount.unit) }).collect();
    if splices.is_empty() {
        return Err(NoPlace::NoOption.into());
    }
    let mut meant: BTreeSet<String> = low.map(|amount| amount.text.clone()).collect();
    meant.extend(splices.iter().map(|splice| splice.with.clone()));
    let edited = spliced(&file.text, splices);
    let after = read(&edited)?;
    let is_right =
        after.len() == found.len() && after.iter().all(|amount| amount.bytes.is_none_or(|bytes| bytes >= floor));
    if !is_right {
        return Err(Unmeant::Amount.into());
    }
    second::confirm_amount(dialect, (&file.text, &edited), option, &meant).map_err(Unmeant::Second)?;
    file.bytes(&edited)
}
