//! Rows of a text put in another order, added and taken out: entries between brackets, and entries by lines.
//!
//! A row that has lines to itself takes the comments right above and behind it along. No comment goes: of a row that is taken
//! out, they stay where they are.

use std::ops::Range;

use super::kinds::Notation;
use super::splice::{Splice, line_end};
use super::tree::comments_in;

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

/// What comes to stand, one after another.
#[derive(Debug, Clone, Copy)]
enum Placed<'r> {
    Row(&'r Row),
    /// What is left of the row of that index, which goes.
    Left(usize),
}

/// Rows in their new order, each that stays in the place of one that stays; new ones behind the row that they follow.
fn arranged(count: usize, rows: &[Row]) -> Vec<Placed<'_>> {
    let mut stays = vec![false; count];
    for row in rows {
        if let Row::Kept { index, .. } = row {
            stays[*index] = true;
        }
    }
    let leading = rows.iter().position(|row| matches!(row, Row::Kept { .. })).unwrap_or(rows.len());
    let (leading, rest) = rows.split_at(leading);
    let mut rest = rest.iter().peekable();
    let mut placed = Vec::new();
    let mut leading = Some(leading);
    for (index, stays) in stays.iter().enumerate() {
        if !stays {
            placed.push(Placed::Left(index));
            // Where nothing stays, new rows come behind what is left of the first.
            if rest.peek().is_none() {
                placed.extend(leading.take().into_iter().flatten().map(Placed::Row));
            }
            continue;
        }
        placed.extend(leading.take().into_iter().flatten().map(Placed::Row));
        placed.extend(rest.next().map(Placed::Row));
        while let Some(row) = rest.next_if(|row| matches!(row, Row::New(_))) {
            placed.push(Placed::Row(row));
        }
    }
    placed.extend(leading.into_iter().flatten().map(Placed::Row));
    placed
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

/// What is to stand between two brackets. `span` is with the brackets; `comments` are those of the text.
pub fn bracketed(
    notation: Notation,
    text: &str,
    (span, comments): (&Range<usize>, &[Range<usize>]),
    items: &[Range<usize>],
    rows: &[Row],
) -> Splice {
    let inner = span.start + 1..span.end.saturating_sub(1).max(span.start + 1);
    let body = &text[inner.clone()];
    let has_comments = || comments.iter().any(|comment| inner.start <= comment.start && comment.end <= inner.end);
    let with = match items {
        [] => filled(notation, text, span, body, rows),
        _ if is_unchanged(items, rows) => one_by_one(text, &inner, items, rows),
        _ if by_lines(text, inner.start, items) => over_lines(notation, text, (&inner, comments), items, rows),
        _ if has_comments() => in_slots(notation, text, (&inner, comments), items, rows),
        _ => on_a_line(text, &inner, items, rows),
    };
    Splice { at: inner, with }
}

/// What stands before, between and behind items.
fn gaps<'i>(inner: &Range<usize>, items: &'i [Range<usize>]) -> impl Iterator<Item = Range<usize>> + use<'i> {
    let starts = std::iter::once(inner.start).chain(items.iter().map(|item| item.end));
    let ends = items.iter().map(|item| item.start).chain([inner.end]);
    starts.zip(ends).map(|(start, end)| start..end.max(start))
}

fn is_unchanged(items: &[Range<usize>], rows: &[Row]) -> bool {
    items.len() == rows.len()
        && rows.iter().enumerate().all(|(at, row)| matches!(row, Row::Kept { index, .. } if *index == at))
}

/// The same rows in the same order, some with another text.
fn one_by_one(text: &str, inner: &Range<usize>, items: &[Range<usize>], rows: &[Row]) -> String {
    let mut out = String::new();
    let mut at = inner.start;
    for (item, row) in items.iter().zip(rows) {
        out.push_str(&text[at..item.start]);
        out.push_str(row.text());
        at = item.end;
    }
    out.push_str(&text[at..inner.end]);
    out
}

fn by_lines(text: &str, start: usize, items: &[Range<usize>]) -> bool {
    let ends = std::iter::once(start).chain(items.iter().map(|item| item.end));
    ends.zip(items).all(|(end, item)| {
        let gap = &text[end..item.start];
        gap.contains('\n') && gap.rsplit('\n').next().is_some_and(|last| last.trim().is_empty() || last.contains("*/"))
    })
}

/// Rows where there were none.
fn filled(notation: Notation, text: &str, span: &Range<usize>, body: &str, rows: &[Row]) -> String {
    if rows.is_empty() {
        return body.to_owned();
    }
    let texts: Vec<&str> = rows.iter().map(Row::text).collect();
    let mut comments = Vec::new();
    comments_in(notation, text, span.start + 1..span.end - 1, &mut comments);
    // A table of TOML stands on one line; so does what is between brackets in YAML, where margins count.
    let on_a_line = notation == Notation::Yaml || notation == Notation::Toml && text[span.start..].starts_with('{');
    if comments.is_empty() && (on_a_line || !text.contains('\n')) {
        let pad = if body.is_empty() { "" } else { " " };
        return format!("{pad}{}{pad}", texts.join(", "));
    }
    let end = line_end(text);
    let outer = indentation(text, span.start);
    let unit = unit(text);
    let joint = format!(",{end}{outer}{unit}");
    format!("{}{end}{outer}{unit}{}{end}{outer}", body.trim_end(), texts.join(&joint))
}

/// The blanks at the beginning of the line on which a place is.
pub fn indentation(text: &str, at: usize) -> &str {
    let line = &text[line_start(text, at)..];
    &line[..line.len() - line.trim_start_matches([' ', '\t']).len()]
}

/// By how much lines are moved in.
pub fn unit(text: &str) -> &str {
    let first = text.lines().find(|line| line.starts_with([' ', '\t']) && !line.trim().is_empty());
    first.map_or("  ", |line| &line[..line.len() - line.trim_start_matches([' ', '\t']).len()])
}

/// Where the line begins on which a place is.
pub fn line_start(text: &str, at: usize) -> usize {
    text[..at].rfind('\n').map_or(0, |end| end + 1)
}

/// Where the line ends on which a place is, behind its line end.
pub fn line_stop(text: &str, at: usize) -> usize {
    text[at..].find('\n').map_or(text.len(), |end| at + end + 1)
}

/// How the line of a place ends, or else lines of the text.
pub fn end_of_line(text: &str, at: usize) -> &'static str {
    let line = &text[line_start(text, at)..line_stop(text, at)];
    // A last line without an end is to have that of the one before.
    let line = if line.ends_with('\n') { line } else { &text[..line_start(text, at)] };
    match (line.ends_with("\r\n"), line.ends_with('\n')) {
        (true, _) => "\r\n",
        (_, true) => "\n",
        _ => line_end(text),
    }
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

/// What stands between rows stays just where it is, but for the commas.
fn in_slots(
    notation: Notation,
    text: &str,
    (inner, comments): (&Range<usize>, &[Range<usize>]),
    items: &[Range<usize>],
    rows: &[Row],
) -> String {
    let bare = |gap: Range<usize>| {
        let commas = commas(notation, text, gap.clone());
        let mut out = String::new();
        let mut at = gap.start;
        for comma in commas {
            out.push_str(&text[at..comma]);
            at = comma + 1;
        }
        out + &text[at..gap.end]
    };
    let gaps: Vec<Range<usize>> = gaps(inner, items).collect();
    let with_comma = gaps.last().is_some_and(|gap| !commas(notation, text, gap.clone()).is_empty());
    let mut out = bare(gaps[0].clone());
    let (mut slot, mut told) = (0, 0);
    for placed in arranged(items.len(), rows) {
        match placed {
            Placed::Left(index) => {
                slot += 1;
                for comment in within(comments, &items[index]) {
                    let end = if text[comment.clone()].ends_with("*/") { " " } else { line_end(text) };
                    out.push_str(&format!("{}{end}", &text[comment.clone()]));
                }
                out.push_str(&bare(gaps[slot].clone()));
            }
            Placed::Row(row) => {
                let is_new = matches!(row, Row::New(_));
                // A new row stands right behind the one before it, before any comment that follows.
                told += 1;
                let comma = if told < rows.len() || with_comma { "," } else { "" };
                if is_new {
                    let gap = bare(gaps[slot].clone());
                    match out.strip_suffix(&gap).filter(|_| slot > 0) {
                        Some(before) => out = format!("{before} {}{comma}{gap}", row.text()),
                        None => out.push_str(&format!("{}{comma} ", row.text())),
                    }
                } else {
                    slot += 1;
                    out.push_str(&format!("{}{comma}{}", row.text(), bare(gaps[slot].clone())));
                }
            }
        }
    }
    out
}

/// The commas in a gap, outside of comments.
fn commas(notation: Notation, text: &str, gap: Range<usize>) -> Vec<usize> {
    let mut comments = Vec::new();
    comments_in(notation, text, gap.clone(), &mut comments);
    let inside = |at: &usize| comments.iter().any(|comment| comment.contains(at));
    text[gap.clone()].match_indices(',').map(|(at, _)| gap.start + at).filter(|at| !inside(at)).collect()
}

/// The comments inside of a part of a text.
fn within<'c>(comments: &'c [Range<usize>], part: &'c Range<usize>) -> impl Iterator<Item = &'c Range<usize>> {
    comments.iter().filter(|comment| part.start <= comment.start && comment.end <= part.end)
}

fn over_lines(
    notation: Notation,
    text: &str,
    (inner, comments): (&Range<usize>, &[Range<usize>]),
    items: &[Range<usize>],
    rows: &[Row],
) -> String {
    let gaps: Vec<Range<usize>> = gaps(inner, items).collect();
    let (opening, first) = split_line(&text[gaps[0].clone()]);
    let mut arounds = vec![Around { before: first.to_owned(), ..Around::default() }];
    let mut with_comma = false;
    let mut closing = "";
    for gap in &gaps[1..] {
        let comma = commas(notation, text, gap.clone()).first().copied();
        let (own, rest) = match comma {
            Some(at) => (&text[gap.start..at], &text[at + 1..gap.end]),
            None => ("", &text[gap.clone()]),
        };
        let (after, next) = split_line(rest);
        if let Some(around) = arounds.last_mut() {
            (around.inner, around.after) = (own.to_owned(), after.to_owned());
        }
        (with_comma, closing) = (comma.is_some(), next);
        arounds.push(Around { before: next.to_owned(), ..Around::default() });
    }
    let margin = indentation(&arounds[0].before, arounds[0].before.len()).to_owned();
    let fresh = |end: &str| Around { before: margin.clone(), after: end.to_owned(), ..Around::default() };
    let mut out = opening.to_owned();
    let mut told = 0;
    for placed in arranged(items.len(), rows) {
        let row = match placed {
            Placed::Row(row) => row,
            Placed::Left(index) => {
                let own: Vec<&str> = within(comments, &items[index]).map(|comment| &text[comment.clone()]).collect();
                out.push_str(&left(notation, &arounds[index], &own, end_of_line(text, items[index].end)));
                continue;
            }
        };
        told += 1;
        let around = match row {
            Row::Kept { index, .. } => arounds[*index].clone(),
            Row::New(_) => fresh(end_of_line(text, items[0].start)),
        };
        let comma = if told < rows.len() || with_comma { "," } else { "" };
        for part in [&around.before, row.text(), &around.inner, comma, &around.after] {
            out.push_str(part);
        }
        if !around.after.ends_with('\n') && !around.inner.ends_with('\n') {
            out.push_str(line_end(text));
        }
    }
    out.push_str(closing);
    out
}

/// The comments of a row that goes, on lines of their own.
fn left(notation: Notation, around: &Around, inside: &[&str], end: &str) -> String {
    let above = around.before.rfind('\n').map_or("", |at| &around.before[..=at]);
    let mut out = if above.trim().is_empty() { String::new() } else { above.to_owned() };
    let margin = indentation(&around.before, around.before.len());
    let own = around.before.rfind('\n').map_or(around.before.as_str(), |at| &around.before[at + 1..]);
    for (order, part) in [own, &around.inner, &around.after].into_iter().enumerate() {
        if order == 1 {
            inside.iter().for_each(|comment| out.push_str(&format!("{margin}{comment}{end}")));
        }
        let mut comments = Vec::new();
        comments_in(notation, part, 0..part.len(), &mut comments);
        for comment in comments {
            out.push_str(&format!("{margin}{}{end}", &part[comment]));
        }
    }
    out
}

/// The rest of a line with its end, and what follows.
fn split_line(text: &str) -> (&str, &str) {
    text.split_at(text.find('\n').map_or(0, |end| end + 1))
}

/// A row that has lines to itself.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Block {
    /// The comments right above it, which go where it goes.
    pub lead: Range<usize>,
    /// Its own lines, with their ends.
    pub body: Range<usize>,
    /// What of its lines stays when it goes: a comment behind it.
    pub tail: Option<Range<usize>>,
    /// The comments inside of it, which stay too.
    pub inside: Vec<Range<usize>>,
}

impl Block {
    /// The block of whole lines around a part of a text; nothing where something else stands on them.
    pub fn around(notation: Notation, text: &str, part: &Range<usize>) -> Option<Self> {
        let start = line_start(text, part.start);
        let stop = line_stop(text, part.end);
        let behind = text[part.end..stop].trim();
        let mut comments = Vec::new();
        comments_in(notation, text, part.end..stop, &mut comments);
        let tail = comments.first().map(|first| first.start..part.end + text[part.end..stop].trim_end().len());
        let is_closed = match &tail {
            // A comment that goes on over the end of the line is another matter.
            Some(tail) => {
                let before = text[part.end..tail.start].trim();
                (before.is_empty() || before == ";") && comments.iter().all(|comment| comment.end <= tail.end)
            }
            None => behind.is_empty() || behind == ";",
        };
        let alone = text[start..part.start].trim().trim_start_matches('-').trim().is_empty() && is_closed;
        alone.then(|| Self { lead: lead(notation, text, start), body: start..stop, tail, inside: Vec::new() })
    }
}

impl Block {
    /// With those of a text's comments that are inside of it.
    pub fn with_inside(mut self, comments: &[Range<usize>]) -> Self {
        let end = self.tail.as_ref().map_or(self.body.end, |tail| tail.start);
        self.inside = within(comments, &(self.body.start..end)).cloned().collect();
        self
    }
}

/// The lines of comments right above a line.
fn lead(notation: Notation, text: &str, start: usize) -> Range<usize> {
    let mut from = start;
    // What a text begins with is about all of it.
    while from > 0 && line_start(text, from - 1) > 0 {
        let above = line_start(text, from - 1);
        let line = &text[above..from];
        let (mut comments, inner) = (Vec::new(), line.trim());
        let at = above + (line.len() - line.trim_start().len());
        comments_in(notation, text, at..from, &mut comments);
        let mut reached = at;
        for comment in comments {
            if text.get(reached..comment.start).is_some_and(|gap| gap.trim().is_empty()) {
                reached = comment.end;
            }
        }
        let is_comment = !inner.is_empty() && reached == at + inner.len();
        let is_declaration = inner.starts_with("<?xml");
        if !is_comment || is_declaration || !same_margin(line, &text[start..]) {
            break;
        }
        from = above;
    }
    from..start
}

fn same_margin(a: &str, b: &str) -> bool {
    let margin = |line: &str| line.len() - line.trim_start_matches([' ', '\t']).len();
    margin(a) == margin(b)
}

/// Splices that bring rows which have lines to themselves into another order. The texts of rows are whole lines; `nowhere` is
/// where new rows come when there are none yet.
pub fn by_blocks(text: &str, blocks: &[Block], rows: &[Row], nowhere: usize) -> Vec<Splice> {
    let ended = |line: &str, end: &str| if line.ends_with('\n') { line.to_owned() } else { format!("{line}{end}") };
    if blocks.is_empty() {
        let lines: String = rows.iter().map(|row| ended(row.text(), line_end(text))).collect();
        let torn = nowhere > 0 && !text[..nowhere].ends_with('\n');
        let with = if torn { format!("{}{lines}", line_end(text)) } else { lines };
        return if rows.is_empty() { Vec::new() } else { vec![Splice { at: nowhere..nowhere, with }] };
    }
    let mut slots: Vec<String> = vec![String::new(); blocks.len()];
    let mut next = 0usize;
    for placed in arranged(blocks.len(), rows) {
        match placed {
            Placed::Left(index) => {
                slots[index].push_str(&rest(text, &blocks[index]));
                next = index + 1;
            }
            Placed::Row(Row::Kept { index, text: line }) => {
                slots[next].push_str(&text[blocks[*index].lead.clone()]);
                slots[next].push_str(&ended(line, end_of_line(text, blocks[*index].body.start)));
                next += 1;
            }
            Placed::Row(Row::New(line)) => {
                let slot = next.saturating_sub(1);
                let end = end_of_line(text, blocks[slot].body.start);
                slots[slot].push_str(&ended(line, end));
            }
        }
    }
    let mut splices = Vec::new();
    for (block, mut with) in blocks.iter().zip(slots) {
        let mut at = block.lead.start..block.body.end;
        // A text without a line end at its end gets none.
        if at.end == text.len() && !text.ends_with('\n') {
            with = with.strip_suffix(end_of_line(text, block.body.start)).map(str::to_owned).unwrap_or(with);
        }
        // Of two blank lines around what goes, one goes too.
        let blank_above = text[..at.start].ends_with("\n\n") || text[..at.start].ends_with("\n\r\n") || at.start == 0;
        let below = line_stop(text, at.end);
        if with.is_empty() && blank_above && below > at.end && text[at.end..below].trim().is_empty() {
            at.end = below;
        }
        if with.is_empty() && blank_above && at.start > 0 && text[at.end..].trim().is_empty() {
            let above = text[..at.start - 1].trim_end_matches('\r').len();
            at.start = above;
        }
        if text[at.clone()] != *with {
            splices.push(Splice { at, with });
        }
    }
    splices
}

/// What is left of a block that goes.
fn rest(text: &str, block: &Block) -> String {
    let margin = indentation(text, block.body.start);
    let mut out = text[block.lead.clone()].to_owned();
    for comment in &block.inside {
        out.push_str(&format!("{margin}{}{}", &text[comment.clone()], end_of_line(text, block.body.start)));
    }
    if let Some(tail) = &block.tail {
        let end = &text[tail.end..block.body.end];
        out.push_str(&format!("{margin}{}{}", &text[tail.clone()], end.trim_start_matches([' ', '\t'])));
    }
    out
}

/// The whole lines of a part of a text, with their last end; just the part where it shares its lines.
pub fn whole_lines(text: &str, part: &Range<usize>) -> Range<usize> {
    let (start, end) = (line_start(text, part.start), line_stop(text, part.end));
    let alone = text[start..part.start].trim().is_empty() && text[part.end..end].trim().is_empty();
    if alone { start..end } else { part.clone() }
}

/// Splices that bring rows which stand side by side, with nothing that parts them but blanks, into another order. Of one that
/// goes, the comments inside of it stay.
pub fn side_by_side(text: &str, comments: &[Range<usize>], items: &[Range<usize>], rows: &[Row]) -> Vec<Splice> {
    let mut slots: Vec<String> = vec![String::new(); items.len()];
    let mut next = 0usize;
    for placed in arranged(items.len(), rows) {
        match placed {
            Placed::Left(index) => {
                within(comments, &items[index]).for_each(|comment| slots[index].push_str(&text[comment.clone()]));
                next = index + 1;
            }
            Placed::Row(row) => {
                next += usize::from(matches!(row, Row::Kept { .. }));
                slots[next.saturating_sub(1)].push_str(row.text());
            }
        }
    }
    let each = items.iter().cloned().zip(slots).map(|(at, with)| Splice { at, with });
    each.filter(|splice| text[splice.at.clone()] != *splice.with).collect()
}

#[cfg(test)]
#[path = "../tests/rows.rs"]
mod tests;
