//! The entries of a mod list or a launch line, brought to what they are to be, each written like its neighbours.

use std::ops::Range;

use serde_json::Value;
use serde_json_path::{JsonPath, LocatedNodeList};

use super::meant::{Change, Entry, hold};
use super::second;
use super::setting::opened;
use super::wording::{SIGNS, alike};
use crate::edits::{ListError, RawEntry, document_entries, is_of_lines, of_line, read_list};
use crate::rulebook::{EntryFields, EntryShape, ListForm, ListRule};
use crate::text::command::{self, Given, Part as Piece};
use crate::text::encoding::TextFile;
use crate::text::kinds::Notation;
use crate::text::lines::placed_lines;
use crate::text::notation::scalar;
use crate::text::rows::{Block, Row, by_blocks, indentation, line_start, line_stop};
use crate::text::scalars::{Meant, quote_of, written};
use crate::text::splice::{Splice, spliced};
use crate::text::tree::{Kind, Node};
use crate::text::{EditError, NoPlace, Unmeant, joined, list_parent, path_words};

/// A list as it stands in a file, while it is changed.
pub struct Writer<'a> {
    pub rule: &'a ListRule,
    pub text: &'a str,
    pub raws: &'a [RawEntry],
    /// The mods that the entries name, as far as they are known.
    pub known: &'a [Option<Entry>],
    pub changes: &'a [Change],
}

/// Writes a list; `known` says which mods the entries name that are there. Where `seen` says how they were written when they were
/// looked at, they must be so still.
///
/// # Errors
/// When the file can't be read as the rule says, or would not say afterwards what is meant.
pub fn write_list(
    rule: &ListRule,
    bytes: &[u8],
    (known, seen): (&[Option<Entry>], Option<&[&str]>),
    changes: &[Change],
) -> Result<Vec<u8>, EditError> {
    let unreadable = |error: ListError| EditError::Unreadable(error.to_string());
    let file = TextFile::read(bytes, rule.encoding)?;
    let tree = match &rule.form {
        ListForm::Document { notation, .. } => Some(notation.tree(&file.text)?),
        _ => None,
    };
    let raws = match (&rule.form, &tree) {
        (ListForm::Document { notation, each, shape }, Some(tree)) => {
            document_entries(rule, (&tree.value(), *notation), each, shape).map_err(unreadable)?
        }
        _ => read_list(rule, bytes).map_err(unreadable)?,
    };
    let is_seen = |seen: &[&str]| raws.iter().map(|raw| raw.text.as_str()).eq(seen.iter().copied());
    if raws.len() != known.len() || !seen.is_none_or(is_seen) {
        return Err(EditError::Changed);
    }
    // What is right already is not touched; but of several ways to start, another may be wrong.
    if is_right(raws.len(), changes) && !matches!(rule.form, ListForm::Option { .. }) {
        return Ok(bytes.to_vec());
    }
    let writer = Writer { rule, text: &file.text, raws: &raws, known, changes };
    let splices = match &rule.form {
        ListForm::Lines => writer.lines(),
        ListForm::Option { option, between } => writer.options(option, between.as_deref())?,
        ListForm::Document { notation, each, shape } => match &tree {
            Some(tree) => writer.document(*notation, tree, each, shape)?,
            None => Vec::new(),
        },
    };
    let edited = file.edited(&spliced(&file.text, splices));
    let bytes = file.bytes(&edited)?;
    let read = read_list(rule, &bytes).map_err(|error| Unmeant::Unreadable(error.to_string()))?;
    hold(&raws, changes, &read)?;
    second::confirm_list(rule, (&file.text, &edited), &raws, changes).map_err(Unmeant::Second)?;
    Ok(bytes)
}

/// Whether so many entries stay as they are, each in its place.
fn is_right(entries: usize, changes: &[Change]) -> bool {
    entries == changes.len() && changes.iter().enumerate().all(|(at, change)| *change == Change::Keep(at))
}

impl Writer<'_> {
    /// An entry that is a good example: the last that names a mod, or the last of all.
    pub fn neighbour(&self) -> Option<usize> {
        let names_mod = |at: &usize| self.known.get(*at).is_some_and(Option::is_some) && self.raws[*at].on;
        (0..self.raws.len()).rev().find(names_mod).or_else(|| self.raws.len().checked_sub(1))
    }

    /// The text of a new entry, or of one that is switched on or named anew.
    pub fn named(&self, entry: &Entry, like: Option<usize>) -> String {
        let template = self.rule.entry.text();
        if template.contains("{any}")
            && let Some(at) = like.filter(|at| self.raws[*at].on || self.rule.off.is_none())
            && let Some(Some(other)) = self.known.get(at)
        {
            return alike(&self.raws[at].text, other, entry);
        }
        let digest = entry.digests.first().cloned().unwrap_or_default();
        let version = entry.version.clone().unwrap_or_default();
        let places =
            [("{id}", entry.id.as_str()), ("{name}", &entry.name), ("{version}", &version), ("{digest}", &digest)];
        places.into_iter().fold(template.replace("{any}", ""), |text, (place, value)| text.replace(place, value))
    }

    /// The text of an entry that stays and is to say something.
    pub fn set_text(&self, at: usize, entry: &Entry) -> String {
        let raw = &self.raws[at];
        let has_version = raw.names.version.is_some() && raw.names.version != entry.version;
        if raw.on && !has_version { raw.text.clone() } else { self.named(entry, Some(at)) }
    }

    /// Entries of one text, as they are to be.
    fn pieces(&self) -> Vec<Piece> {
        let like = self.neighbour();
        let piece = |change: &Change| match change {
            Change::Keep(at) => Piece::Kept(*at),
            Change::Set(at, entry) => match self.set_text(*at, entry) {
                text if text == self.raws[*at].text => Piece::Kept(*at),
                text => Piece::New(text),
            },
            Change::New(entry) => Piece::New(self.named(entry, like)),
        };
        self.changes.iter().map(piece).collect()
    }

    /// What entries of one text say.
    fn said(&self, pieces: &[Piece]) -> Vec<String> {
        let said = |piece: &Piece| match piece {
            Piece::Kept(at) => self.raws[*at].text.clone(),
            Piece::New(text) => text.clone(),
        };
        pieces.iter().map(said).collect()
    }

    pub fn rows(
        &self,
        kept: impl Fn(usize) -> String,
        set: impl Fn(usize, &Entry) -> String,
        new: impl Fn(&Entry) -> String,
    ) -> Vec<Row> {
        let row = |change: &Change| match change {
            Change::Keep(index) => Row::Kept { index: *index, text: kept(*index) },
            Change::Set(index, entry) => Row::Kept { index: *index, text: set(*index, entry) },
            Change::New(entry) => Row::New(new(entry)),
        };
        self.changes.iter().map(row).collect()
    }

    /// One entry on each line.
    fn lines(&self) -> Vec<Splice> {
        let is_entry = |line: &str| of_line(self.rule, line).is_some();
        let entries: Vec<Range<usize>> = placed_lines(self.text)
            .into_iter()
            .filter(|(_, line)| is_entry(line))
            .map(|(at, line)| {
                let lead = line.len() - line.trim_start().len();
                at + lead..at + lead + line.trim().len()
            })
            .collect();
        let block = |entry: &Range<usize>| {
            let body = line_start(self.text, entry.start)..line_stop(self.text, entry.end);
            Block { lead: self.comments_above(body.start), body, tail: None, inside: Vec::new() }
        };
        let blocks: Vec<Block> = entries.iter().map(block).collect();
        let margin = self.neighbour().map_or("", |at| indentation(self.text, entries[at].end));
        let as_line = |at: usize, text: &str| {
            let (body, entry) = (&blocks[at].body, &entries[at]);
            format!("{}{text}{}", &self.text[body.start..entry.start], &self.text[entry.end..body.end])
        };
        let rows = self.rows(
            |at| self.text[blocks[at].body.clone()].to_owned(),
            |at, entry| as_line(at, &self.set_text(at, entry)),
            |entry| format!("{margin}{}", self.named(entry, self.neighbour())),
        );
        by_blocks(self.text, &blocks, &rows, self.text.len())
    }

    /// The comments right above a line of a list of lines.
    fn comments_above(&self, start: usize) -> Range<usize> {
        let mut from = start;
        // What a text begins with is about all of it.
        while from > 0 && line_start(self.text, from - 1) > 0 {
            let above = line_start(self.text, from - 1);
            let line = &self.text[above..from];
            if line.trim().is_empty() || !command::is_comment(line) || of_line(self.rule, line).is_some() {
                break;
            }
            from = above;
        }
        from..start
    }

    fn options(&self, option: &str, between: Option<&str>) -> Result<Vec<Splice>, EditError> {
        let dialect = self.rule.dialect(self.text);
        if self.text.match_indices('\r').any(|(at, _)| !self.text[at + 1..].starts_with('\n')) {
            return Err(NoPlace::OddLineEnd.into());
        }
        let values = command::options(self.text, dialect, option, between);
        let values = values.map_err(|error| EditError::Unreadable(error.to_string()))?;
        let mut groups: Vec<Vec<&Given>> = Vec::new();
        for value in &values {
            match groups.iter_mut().find(|group| group[0].group == value.group) {
                Some(group) => group.push(value),
                None => groups.push(vec![value]),
            }
        }
        // What each way to start is to be given: its own entries as they are written there, and the others.
        let pieces = self.pieces();
        let wanted = self.said(&pieces);
        let own = |entries: &[String]| -> Vec<Piece> {
            let mut used = vec![false; entries.len()];
            let piece = |text: &String| {
                let at = entries.iter().enumerate().position(|(at, entry)| entry == text && !used[at]);
                at.map_or_else(
                    || Piece::New(text.clone()),
                    |at| {
                        used[at] = true;
                        Piece::Kept(at)
                    },
                )
            };
            wanted.iter().map(piece).collect()
        };
        let like = self.neighbour().map(|at| self.raws[at].text.as_str());
        let mut splices = Vec::new();
        for group in &groups {
            match between {
                Some(between) => {
                    let [value] = group.as_slice() else {
                        return Err(NoPlace::SeveralTimes { line: group[1].line, option: option.to_owned() }.into());
                    };
                    if value.entries != wanted {
                        splices.push(command::rewritten(value, between, &own(&value.entries))?);
                    }
                }
                None => {
                    let entries: Vec<String> = group.iter().map(|one| one.entries.concat()).collect();
                    if entries != wanted {
                        splices.extend(command::each_once(group, &own(&entries), like)?);
                    }
                }
            }
        }
        Ok(splices)
    }

    fn document(
        &self,
        notation: Notation,
        tree: &Node,
        each: &JsonPath,
        shape: &EntryShape,
    ) -> Result<Vec<Splice>, EditError> {
        let document = tree.value();
        let nowhere = || EditError::from(NoPlace::NoList(path_words(each)));
        let located = each.query_located(&document);
        let mut items: Vec<(&Value, &Node)> =
            located.iter().filter_map(|found| Some((found.node(), tree.at(found.location())?))).collect();
        if items.len() != located.len() || items.iter().any(|(_, node)| matches!(node.kind, Kind::Elsewhere(_))) {
            return Err(NoPlace::Elsewhere(path_words(each)).into());
        }
        let parent = list_parent(each);
        let parents = parent.as_ref().map(|parent| parent.query_located(&document));
        let first_parent = parents.as_ref().and_then(|found| found.first());
        let holder = first_parent.and_then(|found| tree.at(found.location()));
        if let (true, true, Some(found)) = (items.is_empty(), is_of_lines(notation), first_parent) {
            items.extend(
                tree.at(found.location()).filter(|_| scalar(found.node()).is_some()).map(|node| (found.node(), node)),
            );
        }
        match shape {
            EntryShape::Text { between: Some(between) } => {
                let [(_, node)] = items.as_slice() else { return Err(nowhere()) };
                self.joined(notation, node, between)
            }
            EntryShape::Text { between: None } | EntryShape::Object(_) => {
                let fields = if let EntryShape::Object(fields) = shape { Some(fields) } else { None };
                let outer: Vec<String> =
                    parents.iter().flat_map(LocatedNodeList::iter).map(|found| found.location().to_string()).collect();
                let own: Vec<String> = located.iter().map(|found| found.location().to_string()).collect();
                match parts(&outer, &own) {
                    Some(parts) => {
                        let holders =
                            parents.iter().flat_map(LocatedNodeList::iter).map(|found| tree.at(found.location()));
                        self.in_parts(notation, (&items, &parts), holders, (tree, each), fields).ok_or_else(nowhere)
                    }
                    None => self.items(notation, &items, (holder, tree, each), fields).ok_or_else(nowhere),
                }
            }
            EntryShape::KeyToFlag | EntryShape::KeyToVersion | EntryShape::KeyToFields(_) => {
                let [(value, node)] = items.as_slice() else { return Err(nowhere()) };
                self.keys(notation, value, node, shape).ok_or_else(nowhere)
            }
            EntryShape::Numbered(key) => {
                let [(_, node)] = items.as_slice() else { return Err(nowhere()) };
                let odd = || NoPlace::OddNumbers(path_words(each)).into();
                self.numbered(notation, node, key).ok_or_else(odd)
            }
        }
    }

    /// A list in several places of a document: an entry stays in its part, and a new one comes behind the one before it.
    fn in_parts<'n>(
        &self,
        notation: Notation,
        (items, parts): (&[(&Value, &Node)], &[Range<usize>]),
        holders: impl Iterator<Item = Option<&'n Node>>,
        (tree, each): (&Node, &JsonPath),
        fields: Option<&EntryFields>,
    ) -> Option<Vec<Splice>> {
        if items.len() != self.raws.len() {
            return None;
        }
        let mut changes: Vec<Vec<Change>> = vec![Vec::new(); parts.len()];
        let mut part = parts.iter().position(|own| !own.is_empty()).unwrap_or(0);
        for change in self.changes {
            let own = |at: usize| parts.iter().position(|own| own.contains(&at));
            let change = match change {
                Change::Keep(at) => {
                    part = own(*at)?;
                    Change::Keep(at - parts[part].start)
                }
                Change::Set(at, entry) => {
                    part = own(*at)?;
                    Change::Set(at - parts[part].start, entry.clone())
                }
                Change::New(entry) => Change::New(entry.clone()),
            };
            changes[part].push(change);
        }
        let mut splices = Vec::new();
        for ((own, changes), holder) in parts.iter().zip(&changes).zip(holders) {
            if !is_right(own.len(), changes) {
                let (raws, known) = (&self.raws[own.clone()], &self.known[own.clone()]);
                let writer = Writer { raws, known, changes, ..*self };
                splices.extend(writer.items(notation, &items[own.clone()], (holder, tree, each), fields)?);
            }
        }
        Some(splices)
    }

    /// Entries of one text: those that stay keep their writing.
    fn joined(&self, notation: Notation, node: &Node, between: &str) -> Result<Vec<Splice>, EditError> {
        let old = &self.text[node.span.clone()];
        let quote = quote_of(old);
        let at = match quote {
            Some(_) => node.span.start + 1..node.span.end - 1,
            None => node.span.clone(),
        };
        let raw = &self.text[at.clone()];
        let items = joined::parts(raw, between);
        let pieces = self.pieces();
        let inner = |text: &str| {
            let all = written(notation, Some(old), Meant::Text, text);
            match quote {
                Some(quote) => all.strip_prefix(quote).and_then(|all| all.strip_suffix(quote)).map(str::to_owned),
                None => Some(all),
            }
        };
        let piece = |piece: &Piece| match piece {
            Piece::Kept(index) => Some(Piece::Kept(*index)),
            Piece::New(text) => inner(text).map(Piece::New),
        };
        let fits = items.len() == self.raws.len()
            && !old.starts_with(['|', '>'])
            && !raw.contains('<')
            && node.tag.as_ref().is_none_or(|tag| tag.content.is_some());
        let by_entry: Option<Vec<Piece>> = if fits { pieces.iter().map(piece).collect() } else { None };
        if let Some(pieces) = by_entry {
            let with = joined::rejoined(raw, between, &items, &pieces);
            // Without quotes, a text that looks like something else needs some; and one that is empty, too.
            let needs = quote.is_none()
                && matches!(notation, Notation::Json | Notation::Toml | Notation::Yaml)
                && written(notation, None, Meant::Text, &with) != with;
            if !needs {
                let glue = if old.is_empty()
                    && !self.text[..at.start].ends_with(char::is_whitespace)
                    && notation == Notation::Yaml
                {
                    " "
                } else {
                    ""
                };
                return Ok(vec![Splice { at, with: format!("{glue}{with}") }]);
            }
        }
        let joined = self.said(&pieces);
        let all =
            written(notation, Some(old).filter(|old| !old.starts_with(['|', '>'])), Meant::Text, &joined.join(between));
        if let Some(tag) = node.tag.as_deref().filter(|tag| tag.content.is_none()) {
            return Ok(vec![opened(self.text, tag, &all)]);
        }
        let glue = if notation == Notation::Yaml && self.text[..node.span.start].ends_with(':') { " " } else { "" };
        Ok(vec![Splice { at: node.span.clone(), with: format!("{glue}{all}") }])
    }
}

/// Which entries stand in which of several holders, by their places in the document; nothing where there is one holder, or where
/// entries of two are mixed.
fn parts(holders: &[String], entries: &[String]) -> Option<Vec<Range<usize>>> {
    if holders.len() < 2 {
        return None;
    }
    let mut from = 0;
    let of_holder = |holder: &String| {
        let inside = |entry: &&String| entry.strip_prefix(holder.as_str()).is_some_and(|rest| rest.starts_with('['));
        let own = entries[from..].iter().take_while(inside).count();
        from += own;
        from - own..from
    };
    let parts: Vec<Range<usize>> = holders.iter().map(of_holder).collect();
    (from == entries.len()).then_some(parts)
}

/// A launch line with the rule's option in place of one that is spelt nearly so.
///
/// # Errors
/// When the line can't be read.
pub fn respell_option(rule: &ListRule, bytes: &[u8], near: &str) -> Result<Vec<u8>, EditError> {
    let file = TextFile::read(bytes, rule.encoding)?;
    let ListForm::Option { option, between } = &rule.form else { return Ok(bytes.to_vec()) };
    let values = command::options(&file.text, rule.dialect(&file.text), near, between.as_deref());
    let values = values.map_err(|error| EditError::Unreadable(error.to_string()))?;
    let respelt = |value: &Given| Splice { at: value.option_at.clone(), with: option.clone() };
    file.bytes(&spliced(&file.text, values.iter().map(respelt).collect()))
}

/// The option with its value as it is written where there is no line yet.
pub fn option_text(rule: &ListRule, option: &str, between: Option<&str>, entries: &[Entry]) -> String {
    let writer = Writer { rule, text: "", raws: &[], known: &[], changes: &[] };
    let texts: Vec<String> = entries.iter().map(|entry| writer.named(entry, None)).collect();
    let glue = if option.ends_with(|c: char| c.is_alphanumeric()) { " " } else { "" };
    let one = |text: &str| match text.contains(SIGNS) {
        true if glue.is_empty() => format!("\"{option}{text}\""),
        true => format!("{option}{glue}\"{text}\""),
        false => format!("{option}{glue}{text}"),
    };
    match between {
        Some(between) if between.trim().is_empty() => format!("{option}{glue}{}", texts.join(between)),
        Some(between) => one(&texts.join(between)),
        None => texts.iter().map(|text| one(text)).collect::<Vec<_>>().join(" "),
    }
}

/// An entry as the rule writes it.
pub fn entry_text(rule: &ListRule, entry: &Entry) -> String {
    Writer { rule, text: "", raws: &[], known: &[], changes: &[] }.named(entry, None)
}

#[cfg(test)]
#[path = "../tests/list_edits.rs"]
mod tests;
