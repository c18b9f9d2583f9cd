//! Entries that mods merge into the game's own data file: known again by what tells them apart, put in once, in the
//! canon's order, and taken out again.

use std::ops::Range;

use super::meant::Wanted;
use super::second;
use crate::base::digest::Blake3;
use crate::rulebook::FragmentRule;
use crate::text::encoding::{Encoding, TextFile};
use crate::text::kinds::Notation;
use crate::text::rows::{Block, end_of_line, indentation, unit};
use crate::text::splice::{Splice, line_end, spliced};
use crate::text::tree::comments_in;
use crate::text::xml::{self, Element};
use crate::text::{EditError, Flaw, Malformed, Unmeant};

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

/// The entries of a mod's own file: what is in its root, where that is the element that the entries go into, and else all
/// that stands in it side by side.
///
/// # Errors
/// When it is not well-formed, or an entry has nothing that tells it apart; with the place.
pub fn brought(text: &str, rule: &FragmentRule) -> Result<Vec<Placing>, Malformed> {
    let roots = xml::elements(text)?;
    let is_wrapping =
        |root: &Element| rule.before.trim() == format!("</{}>", root.name) || identity(root, &rule.identity).is_none();
    match roots.as_slice() {
        [root] if is_wrapping(root) => placings(text, &root.children, rule),
        roots => placings(text, roots, rule),
    }
}

/// The entries of the game's file that stand where the rule's are.
///
/// # Errors
/// When it is not well-formed, or the place before which entries go is not in it.
pub fn anchored(text: &str, rule: &FragmentRule) -> Result<Vec<Placing>, Malformed> {
    let roots = xml::elements(text)?;
    inside(text, anchor(text, &roots, rule)?.1, rule)
}

fn inside(text: &str, holder: &Element, rule: &FragmentRule) -> Result<Vec<Placing>, Malformed> {
    // What tells no other entry apart is none of them.
    let known = holder.children.iter().filter(|child| identity(child, &rule.identity).is_some());
    placings(text, &known.cloned().collect::<Vec<_>>(), rule)
}

/// Where the rule's place is: before the last end tag of that name, or before the last text that reads so and is no comment's.
fn anchor<'e>(text: &str, roots: &'e [Element], rule: &FragmentRule) -> Result<(usize, &'e Element), Malformed> {
    let before = rule.before.trim();
    let missing = || Malformed::from(Flaw::NoAnchor(rule.before.clone()));
    if let Some(name) = before.strip_prefix("</").and_then(|rest| rest.strip_suffix('>')) {
        let holder = last_named(roots, name.trim()).ok_or_else(missing)?;
        return holder.content.as_ref().map(|content| (content.end, holder)).ok_or_else(missing);
    }
    let mut comments = Vec::new();
    comments_in(Notation::Xml, text, 0..text.len(), &mut comments);
    let inside = |at: usize| comments.iter().any(|comment| comment.start < at && at < comment.end);
    let at = text.rmatch_indices(before).map(|(at, _)| at).find(|at| !inside(*at)).ok_or_else(missing)?;
    let mut level = roots;
    let mut holder = None;
    while let Some(inner) =
        level.iter().find(|element| element.content.as_ref().is_some_and(|inner| inner.start <= at && at <= inner.end))
    {
        (holder, level) = (Some(inner), &inner.children);
    }
    holder.map(|holder| (at, holder)).ok_or_else(missing)
}

/// The element of that name, with an end tag, that ends last.
fn last_named<'e>(level: &'e [Element], name: &str) -> Option<&'e Element> {
    level.iter().rev().find_map(|element| {
        let own = Some(element).filter(|element| element.name == name && element.content.is_some());
        own.or_else(|| last_named(&element.children, name))
    })
}

fn placings(text: &str, elements: &[Element], rule: &FragmentRule) -> Result<Vec<Placing>, Malformed> {
    let placing = |element: &Element| {
        let identity = identity(element, &rule.identity).ok_or_else(|| {
            let (entry, identity) = (element.name.clone(), rule.identity.clone());
            Flaw::NoIdentity { entry, identity }.at(text, element.span.start)
        })?;
        Ok(Placing { key: format!("{} {identity}", element.name), digest: digest(element), span: element.span.clone() })
    };
    elements.iter().map(placing).collect()
}

/// The digest of what an element says, whatever blanks and comments are in it.
fn digest(element: &Element) -> Blake3 {
    let value = serde_json::Value::Object([(element.name.clone(), element.clone().into_value())].into_iter().collect());
    Blake3::of(value.to_string().as_bytes())
}

/// What tells an entry apart: an attribute, or the text of a child.
fn identity(element: &Element, name: &str) -> Option<String> {
    let attribute = element.attribute(name.trim_start_matches('@')).map(|attribute| attribute.value.trim());
    let child = || Some(element.children.iter().find(|child| child.name == name)?.text.as_str());
    attribute.or_else(child).filter(|found| !found.is_empty()).map(str::to_owned)
}

/// Brings a file to what it is to be: each wanted entry once, none of those that go.
///
/// # Errors
/// When the file can't be read as the rule says, or would not be well-formed afterwards.
pub fn merge(bytes: &[u8], rule: &FragmentRule, wanted: &[Wanted], gone: &[String]) -> Result<Vec<u8>, EditError> {
    let file = TextFile::read(bytes, Encoding::Utf8)?;
    let text = &file.text;
    let roots = xml::elements(text)?;
    let (anchor, holder) = anchor(text, &roots, rule)?;
    let there = inside(text, holder, rule)?;
    let mut splices = Vec::new();
    let take_out = |placing: &Placing| taken_out(text, &placing.span);
    splices.extend(there.iter().filter(|placing| gone.contains(&placing.key)).map(take_out));
    for (order, entry) in wanted.iter().enumerate() {
        let mut placings = there.iter().filter(|placing| placing.key == entry.key);
        let Some(first) = placings.next() else {
            let (at, is_line) = place_for(text, anchor, &there, &wanted[order + 1..]);
            let with = if is_line {
                lined(text, anchor, &there, &entry.text)
            } else {
                moved_in(&entry.text, "", line_end(text))
            };
            splices.push(Splice { at: at..at, with });
            continue;
        };
        splices.extend(placings.map(take_out));
        if entry.replaces {
            let margin = indentation(text, first.span.start);
            let end = end_of_line(text, first.span.start);
            splices.push(Splice { at: first.span.clone(), with: moved_in(&entry.text, margin, end) });
        }
    }
    let edited = file.edited(&spliced(text, splices));
    let read = anchored(&edited, rule).map_err(Unmeant::Malformed)?;
    let is_there_once = |entry: &Wanted| read.iter().filter(|placing| placing.key == entry.key).count() == 1;
    if let Some(entry) = wanted.iter().find(|entry| !is_there_once(entry)) {
        return Err(Unmeant::NotJustOnce(entry.key.clone()).into());
    }
    second::confirm_entries(rule, (text, &edited), wanted, gone).map_err(Unmeant::Second)?;
    file.bytes(&edited)
}

/// An element taken out with its lines; a comment behind it stays.
fn taken_out(text: &str, span: &Range<usize>) -> Splice {
    match Block::around(Notation::Xml, text, span) {
        Some(Block { body, tail: Some(tail), .. }) => {
            let margin = indentation(text, body.start);
            Splice { at: body.clone(), with: format!("{margin}{}", &text[tail.start..body.end]) }
        }
        Some(Block { body, .. }) => Splice { at: body, with: String::new() },
        None => Splice { at: span.clone(), with: String::new() },
    }
}

/// Where a new entry goes: before the first of those that come after it, else before the anchor. Also whether it gets lines
/// to itself there.
fn place_for(text: &str, anchor: usize, there: &[Placing], later: &[Wanted]) -> (usize, bool) {
    let next = later.iter().find_map(|entry| there.iter().find(|placing| placing.key == entry.key));
    let block = next.and_then(|placing| Block::around(Notation::Xml, text, &placing.span));
    // What is said above an entry stays above it.
    let at = block.map_or_else(|| next.map_or(anchor, |placing| placing.span.start), |block| block.lead.start);
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

/// An entry with another margin and other line ends; its first line begins where it is put. Lines of a text keep their blanks.
fn moved_in(entry: &str, margin: &str, end: &str) -> String {
    let entry = entry.trim().replace("\r\n", "\n");
    let mut lines = entry.split('\n');
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
    let said = |text: &str| xml::elements(text).ok().and_then(|found| found.first().map(digest));
    if said(&out) == said(&entry) { out } else { entry.replace('\n', end) }
}

#[cfg(test)]
#[path = "../tests/fragment_edits.rs"]
mod tests;
