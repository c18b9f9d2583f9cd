//! Entries that mods merge into the game's own data file: known again by what tells them apart, put in once, in the
//! canon's order, and taken out again.

use std::ops::Range;

use super::rows::{indentation, unit, whole_lines};
use super::text::{Splice, TextFile, line_end};
use super::xml::{self, Element};
use super::{EditError, text};
use crate::digest::Blake3;
use crate::document::{Encoding, Notation};
use crate::problem::place;
use crate::rulebook::FragmentRule;

/// An entry as it stands in a file.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Placing {
    /// The name of its element and what tells it apart, such as `good bell-small`.
    pub key: String,
    /// The digest of what it says, whatever blanks and comments are in it.
    pub digest: Blake3,
    /// Where it stands.
    pub span: Range<usize>,
}

/// An entry that is to be in a file.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Wanted {
    /// What tells it apart, as in [`Placing`].
    pub key: String,
    /// Its text.
    pub text: String,
    /// Whether it takes the place of one that says something else.
    pub replaces: bool,
}

/// The entries of a mod's own file: what is in its root, where that is the element that the entries go into, and else all
/// that stands in it side by side.
///
/// # Errors
/// When it is not well-formed, or an entry has nothing that tells it apart; with the place.
pub fn brought(text: &str, rule: &FragmentRule) -> Result<Vec<Placing>, String> {
    let roots = xml::elements(text)?;
    let is_wrapping = |root: &Element| {
        rule.before.trim() == format!("</{}>", root.name) || identity(text, root, &rule.identity).is_none()
    };
    match roots.as_slice() {
        [root] if is_wrapping(root) => placings(text, &root.children, rule),
        roots => placings(text, roots, rule),
    }
}

/// The entries of the game's file that stand where the rule's are.
///
/// # Errors
/// When it is not well-formed, or the place before which entries go is not in it.
pub fn anchored(text: &str, rule: &FragmentRule) -> Result<Vec<Placing>, String> {
    let roots = xml::elements(text)?;
    inside(text, anchor(text, &roots, rule)?.1, rule)
}

fn inside(text: &str, holder: &Element, rule: &FragmentRule) -> Result<Vec<Placing>, String> {
    // What tells no other entry apart is none of them.
    let known = holder.children.iter().filter(|child| identity(text, child, &rule.identity).is_some());
    placings(text, &known.cloned().collect::<Vec<_>>(), rule)
}

fn anchor<'e>(text: &str, roots: &'e [Element], rule: &FragmentRule) -> Result<(usize, &'e Element), String> {
    let missing = || format!("`{}` is not in it, before which entries go", rule.before);
    let at = text.rfind(rule.before.trim()).ok_or_else(missing)?;
    let mut level = roots;
    let mut holder = None;
    while let Some(inner) =
        level.iter().find(|element| element.content.as_ref().is_some_and(|inner| inner.start <= at && at <= inner.end))
    {
        (holder, level) = (Some(inner), &inner.children);
    }
    holder.map(|holder| (at, holder)).ok_or_else(missing)
}

fn placings(text: &str, elements: &[Element], rule: &FragmentRule) -> Result<Vec<Placing>, String> {
    let placing = |element: &Element| {
        let identity = identity(text, element, &rule.identity).ok_or_else(|| {
            let at = place(text, element.span.start);
            format!("{at}: the entry `{}` has no `{}`, which tells entries apart", element.name, rule.identity)
        })?;
        let value = Notation::Xml.read(text[element.span.clone()].as_bytes(), Encoding::Utf8);
        let value = value.map_err(|error| error.to_string())?;
        Ok(Placing {
            key: format!("{} {identity}", element.name),
            digest: Blake3::of(value.to_string().as_bytes()),
            span: element.span.clone(),
        })
    };
    elements.iter().map(placing).collect()
}

/// What tells an entry apart: an attribute, or the text of a child.
fn identity(text: &str, element: &Element, name: &str) -> Option<String> {
    let bare = name.trim_start_matches('@');
    let attributes = xml::attributes(text, element);
    let attribute = attributes.iter().find(|(key, ..)| key == bare).map(|(_, _, value)| &text[value.clone()]);
    let child = || {
        let child = element.children.iter().find(|child| child.name == name)?;
        child.content.clone().map(|content| text[content].trim())
    };
    let found = attribute.or_else(child).filter(|found| !found.is_empty())?;
    quick_xml::escape::unescape(found).ok().map(std::borrow::Cow::into_owned)
}

/// Brings a file to what it is to be: each wanted entry once, none of those that go.
///
/// # Errors
/// When the file can't be read as the rule says, or would not be well-formed afterwards.
pub fn merge(bytes: &[u8], rule: &FragmentRule, wanted: &[Wanted], gone: &[String]) -> Result<Vec<u8>, EditError> {
    let file = TextFile::read(bytes, Encoding::Utf8)?;
    let text = &file.text;
    let roots = xml::elements(text).map_err(EditError::Unreadable)?;
    let (anchor, holder) = anchor(text, &roots, rule).map_err(EditError::Unreadable)?;
    let there = inside(text, holder, rule).map_err(EditError::Unreadable)?;
    let mut splices = Vec::new();
    let take_out = |placing: &Placing| Splice { at: whole_lines(text, &placing.span), with: String::new() };
    splices.extend(there.iter().filter(|placing| gone.contains(&placing.key)).map(take_out));
    for (order, entry) in wanted.iter().enumerate() {
        let mut placings = there.iter().filter(|placing| placing.key == entry.key);
        let Some(first) = placings.next() else {
            let (at, is_line) = place_for(text, anchor, &there, &wanted[order + 1..]);
            let with = if is_line { lined(text, anchor, &there, &entry.text) } else { entry.text.trim().to_owned() };
            splices.push(Splice { at: at..at, with });
            continue;
        };
        splices.extend(placings.map(take_out));
        if entry.replaces {
            let margin = indentation(text, first.span.start);
            splices.push(Splice { at: first.span.clone(), with: moved_in(&entry.text, margin, line_end(text)) });
        }
    }
    let edited = text::spliced(text, splices);
    let read = anchored(&edited, rule).map_err(EditError::Unsafe)?;
    let is_there_once = |entry: &Wanted| read.iter().filter(|placing| placing.key == entry.key).count() == 1;
    if let Some(entry) = wanted.iter().find(|entry| !is_there_once(entry)) {
        return Err(EditError::Unsafe(format!("{} would not be there just once", entry.key)));
    }
    file.bytes(&edited)
}

/// Where a new entry goes: before the first of those that come after it, else before the anchor. Also whether it gets lines
/// to itself there.
fn place_for(text: &str, anchor: usize, there: &[Placing], later: &[Wanted]) -> (usize, bool) {
    let next = later.iter().find_map(|entry| there.iter().find(|placing| placing.key == entry.key));
    let at = next.map_or(anchor, |placing| placing.span.start);
    let start = text[..at].rfind('\n').map_or(0, |end| end + 1);
    let is_line = start > 0 && text[start..at].trim().is_empty();
    (if is_line { start } else { at }, is_line)
}

/// An entry on lines of its own, moved in like its neighbours.
fn lined(text: &str, anchor: usize, there: &[Placing], entry: &str) -> String {
    let margin = match there.last() {
        Some(neighbour) => indentation(text, neighbour.span.start).to_owned(),
        None => format!("{}{}", indentation(text, anchor), unit(text)),
    };
    let end = line_end(text);
    format!("{margin}{}{end}", moved_in(entry, &margin, end))
}

/// A text of several lines with another margin and other line ends; its first line begins where it is put.
fn moved_in(entry: &str, margin: &str, end: &str) -> String {
    let mut lines = entry.trim().lines();
    let mut out = lines.next().unwrap_or_default().trim_end().to_owned();
    let rest: Vec<&str> = lines.collect();
    let blanks = |line: &&str| line.len() - line.trim_start().len();
    // The last line closes the entry, and so stands where it begins.
    let old = rest.last().map_or(0, blanks);
    for line in rest {
        let inner = line.get(old.min(blanks(&line))..).unwrap_or_default().trim_end();
        out.push_str(end);
        if !inner.is_empty() {
            out.push_str(margin);
            out.push_str(inner);
        }
    }
    out
}

#[cfg(test)]
#[path = "../tests/fragment_edits.rs"]
mod tests;
