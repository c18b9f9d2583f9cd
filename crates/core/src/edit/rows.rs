//! Rows of a text put in another order, added and taken out: entries between brackets, and entries by lines.
//!
//! A row takes its own comment with it where it has a line to itself; what stands between rows stays where it is.

use std::ops::Range;

use super::text::{Splice, line_end};

/// A row of what is to be.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Row {
    /// One that is there, perhaps with another text.
    Kept {
        /// Which.
        index: usize,
        /// Its text.
        text: String,
    },
    /// A new one.
    New(String),
}

impl Row {
    fn text(&self) -> &str {
        match self {
            Self::Kept { text, .. } | Self::New(text) => text,
        }
    }
}

/// What stands around a row between brackets.
#[derive(Debug, Clone, Default)]
struct Around {
    /// Blanks and comments of its own before it.
    before: String,
    /// Between it and its comma.
    inner: String,
    /// After its comma, to the end of the line.
    after: String,
}

/// What is to stand between two brackets. `span` is with the brackets.
pub fn bracketed(text: &str, span: &Range<usize>, items: &[Range<usize>], rows: &[Row]) -> Splice {
    let inner = span.start + 1..span.end.saturating_sub(1).max(span.start + 1);
    let body = &text[inner.clone()];
    let with = match items {
        [] => filled(text, span, body, rows),
        _ if is_unchanged(items, rows) => return one_by_one(text, &inner, items, rows),
        _ if by_lines(text, inner.start, items) => over_lines(text, &inner, items, rows),
        _ => on_a_line(text, &inner, items, rows),
    };
    Splice { at: inner, with }
}

fn is_unchanged(items: &[Range<usize>], rows: &[Row]) -> bool {
    items.len() == rows.len()
        && rows.iter().enumerate().all(|(at, row)| matches!(row, Row::Kept { index, .. } if *index == at))
}

/// The same rows in the same order, some with another text.
fn one_by_one(text: &str, inner: &Range<usize>, items: &[Range<usize>], rows: &[Row]) -> Splice {
    let mut out = String::new();
    let mut at = inner.start;
    for (item, row) in items.iter().zip(rows) {
        out.push_str(&text[at..item.start]);
        out.push_str(row.text());
        at = item.end;
    }
    out.push_str(&text[at..inner.end]);
    Splice { at: inner.clone(), with: out }
}

fn by_lines(text: &str, start: usize, items: &[Range<usize>]) -> bool {
    let ends = std::iter::once(start).chain(items.iter().map(|item| item.end));
    ends.zip(items).all(|(end, item)| text[end..item.start].contains('\n'))
}

/// Rows where there were none.
fn filled(text: &str, span: &Range<usize>, body: &str, rows: &[Row]) -> String {
    if rows.is_empty() {
        return body.to_owned();
    }
    let texts: Vec<&str> = rows.iter().map(Row::text).collect();
    if !text.contains('\n') {
        return format!("{}{}{}", body.trim_end(), texts.join(", "), if body.is_empty() { "" } else { " " });
    }
    let end = line_end(text);
    let outer = indentation(text, span.start);
    let unit = unit(text);
    let joint = format!(",{end}{outer}{unit}");
    format!("{}{end}{outer}{unit}{}{end}{outer}", body.trim_end(), texts.join(&joint))
}

/// The blanks at the beginning of the line on which a place is.
pub fn indentation(text: &str, at: usize) -> &str {
    let start = text[..at].rfind('\n').map_or(0, |end| end + 1);
    let line = &text[start..];
    &line[..line.len() - line.trim_start_matches([' ', '\t']).len()]
}

/// By how much lines are moved in.
pub fn unit(text: &str) -> &str {
    let first = text.lines().find(|line| line.starts_with([' ', '\t']) && !line.trim().is_empty());
    first.map_or("  ", |line| &line[..line.len() - line.trim_start_matches([' ', '\t']).len()])
}

fn on_a_line(text: &str, inner: &Range<usize>, items: &[Range<usize>], rows: &[Row]) -> String {
    let gap = |index: usize| match index {
        0 => &text[inner.start..items[0].start],
        _ => &text[items[index - 1].end..items[index].start],
    };
    let last = items.last().map_or(inner.start, |item| item.end);
    let tail = &text[last..inner.end];
    let usual = if items.len() > 1 { gap(1) } else { ", " };
    let mut out = String::new();
    for (at, row) in rows.iter().enumerate() {
        out.push_str(match (at, row) {
            (0, _) => gap(0),
            (_, Row::Kept { index, .. }) if *index > 0 => gap(*index),
            _ => usual,
        });
        out.push_str(row.text());
    }
    out.push_str(if rows.is_empty() { tail.trim_start_matches([',', ' ']) } else { tail });
    out
}

fn over_lines(text: &str, inner: &Range<usize>, items: &[Range<usize>], rows: &[Row]) -> String {
    let (opening, first) = split_line(&text[inner.start..items[0].start]);
    let mut arounds = vec![Around { before: first.to_owned(), ..Around::default() }];
    for pair in items.windows(2) {
        let (own, next) = parted(&text[pair[0].end..pair[1].start]);
        if let (Some(around), Some((inner, after))) = (arounds.last_mut(), own) {
            (around.inner, around.after) = (inner, after);
        }
        arounds.push(Around { before: next, ..Around::default() });
    }
    let tail = &text[items.last().map_or(inner.start, |item| item.end)..inner.end];
    let with_comma = comma(tail).is_some();
    let (own, closing) = parted(tail);
    if let (Some(around), Some((inner, after))) = (arounds.last_mut(), own) {
        (around.inner, around.after) = (inner, after);
    }
    let fresh = Around {
        before: blanks_at_end(&arounds[0].before).to_owned(),
        after: line_end(text).to_owned(),
        ..Around::default()
    };
    let mut out = opening.to_owned();
    for (at, row) in rows.iter().enumerate() {
        let around = if let Row::Kept { index, .. } = row { &arounds[*index] } else { &fresh };
        let comma = if at + 1 < rows.len() || with_comma { "," } else { "" };
        for part in [&around.before, row.text(), &around.inner, comma, &around.after] {
            out.push_str(part);
        }
        if !around.after.ends_with('\n') && !around.inner.ends_with('\n') {
            out.push_str(line_end(text));
        }
    }
    out.push_str(&closing);
    out
}

fn blanks_at_end(before: &str) -> &str {
    let line = before.rfind('\n').map_or(before, |end| &before[end + 1..]);
    &line[..line.len() - line.trim_start_matches([' ', '\t']).len()]
}

/// What stands between a row and the next one: the row's own (before and after its comma), and what is the next one's.
fn parted(gap: &str) -> (Option<(String, String)>, String) {
    let (inner, rest) = match comma(gap) {
        Some(at) => (&gap[..at], &gap[at + 1..]),
        None => ("", gap),
    };
    let (after, next) = split_line(rest);
    (Some((inner.to_owned(), after.to_owned())), next.to_owned())
}

/// The rest of a line with its end, and what follows.
fn split_line(text: &str) -> (&str, &str) {
    text.split_at(text.find('\n').map_or(0, |end| end + 1))
}

/// Where the comma is, outside of comments.
fn comma(gap: &str) -> Option<usize> {
    let mut rest = gap;
    loop {
        let at = rest.find([',', '#', '/'])?;
        let (offset, found) = (gap.len() - rest.len() + at, &rest[at..]);
        if found.starts_with(',') {
            return Some(offset);
        }
        let end = if found.starts_with("/*") { found.find("*/").map(|end| end + 2) } else { found.find('\n') };
        rest = &found[end?.max(1)..];
    }
}

/// Splices that bring rows which have lines, or other stretches of text, to themselves into another order.
/// `nowhere` is where new rows come when there are none yet.
pub fn stretched(text: &str, stretches: &[Range<usize>], rows: &[Row], nowhere: usize) -> Vec<Splice> {
    let mut slots: Vec<usize> =
        rows.iter().filter_map(|row| if let Row::Kept { index, .. } = row { Some(*index) } else { None }).collect();
    slots.sort_unstable();
    let mut filled: Vec<String> = vec![String::new(); slots.len().max(1)];
    let mut slot = 0usize;
    for row in rows {
        if matches!(row, Row::Kept { .. }) {
            slot += 1;
        }
        filled[slot.saturating_sub(1)].push_str(row.text());
    }
    let place = |slot: usize| match slots.get(slot) {
        Some(index) => stretches[*index].clone(),
        None => stretches.first().cloned().unwrap_or(nowhere..nowhere),
    };
    let mut splices: Vec<Splice> =
        filled.into_iter().enumerate().map(|(slot, with)| Splice { at: place(slot), with }).collect();
    let gone = stretches.iter().enumerate().filter(|(index, _)| slots.binary_search(index).is_err());
    let gone = gone.filter(|(index, _)| !(slots.is_empty() && *index == 0));
    splices.extend(gone.map(|(_, at)| Splice { at: at.clone(), with: String::new() }));
    splices.retain(|splice| text[splice.at.clone()] != *splice.with);
    splices
}

/// The whole lines of a part of a text, with their last end; just the part where it shares its lines.
pub fn whole_lines(text: &str, part: &Range<usize>) -> Range<usize> {
    let start = text[..part.start].rfind('\n').map_or(0, |end| end + 1);
    let end = text[part.end..].find('\n').map_or(text.len(), |end| part.end + end + 1);
    let alone = text[start..part.start].trim().is_empty() && text[part.end..end].trim().is_empty();
    if alone { start..end } else { part.clone() }
}

#[cfg(test)]
#[path = "../tests/rows.rs"]
mod tests;
