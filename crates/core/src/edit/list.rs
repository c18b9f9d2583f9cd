//! The entries of a mod list or a launch line, brought to what they are to be, each written like its neighbours.

use std::ops::Range;

use serde_json::Value;
use serde_json_path::JsonPath;

use super::rows::{Row, bracketed, indentation, stretched, unit, whole_lines};
use super::setting::{Part, holding, last_child, opened, plain, written};
use super::text::{Splice, TextFile, line_end, spliced};
use super::tree::{Field, Form, Kind, Node, tree};
use super::wording::{SIGNS, alike, digest_like, joined, joined_option, on_word, quoted_if_needed};
use super::{EditError, lines, xml};
use crate::document::{Notation, scalar};
use crate::reading::{
    OptionValue, RawEntry, is_of_lines, is_on, list_parent, of_key, of_line, option_values, path_words, read_list,
    xml_list,
};
use crate::rulebook::{EntryFields, EntryShape, ListForm, ListRule};

/// What an entry is to say.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Entry {
    /// The mod's id.
    pub id: String,
    /// The name of its file or folder.
    pub name: String,
    /// Its version.
    pub version: Option<String>,
    /// What people call it.
    pub title: Option<String>,
    /// Digests by which it may be named.
    pub digests: Vec<String>,
}

/// What becomes of the entries of a list, in the order in which they are to stand. Those that are not named go.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Change {
    /// The entry at this place stays as it is.
    Keep(usize),
    /// The entry at this place stays, switched on, and says this.
    Set(usize, Entry),
    /// A new entry, switched on.
    New(Entry),
}

/// A list as it stands in a file, while it is changed.
pub struct Writer<'a> {
    pub rule: &'a ListRule,
    pub text: &'a str,
    raws: &'a [RawEntry],
    /// The mods that the entries name, as far as they are known.
    pub known: &'a [Option<Entry>],
    changes: &'a [Change],
}

/// Writes a list; `known` says which mods the entries name that are there.
///
/// # Errors
/// When the file can't be read as the rule says, or would not say afterwards what is meant.
pub fn write_list(
    rule: &ListRule,
    bytes: &[u8],
    known: &[Option<Entry>],
    changes: &[Change],
) -> Result<Vec<u8>, EditError> {
    let raws = read_list(rule, bytes).map_err(|error| EditError::Unreadable(error.to_string()))?;
    let file = TextFile::read(bytes, rule.encoding)?;
    let writer = Writer { rule, text: &file.text, raws: &raws, known, changes };
    let splices = match &rule.form {
        ListForm::Lines => writer.lines(),
        ListForm::Option { option, between } => writer.options(option, between.as_deref())?,
        ListForm::Document { notation, each, shape } => {
            let document = notation.read(bytes, rule.encoding)?;
            let tree = tree(*notation, &file.text).map_err(EditError::Unreadable)?;
            writer.document(*notation, (&document, &tree), each, shape)?
        }
    };
    let text = spliced(&file.text, splices);
    let text = if file.text.is_empty() || file.text.ends_with('\n') {
        &text
    } else {
        text.strip_suffix(line_end(&file.text)).unwrap_or(&text)
    };
    let edited = file.bytes(text)?;
    let read = read_list(rule, &edited).map_err(|error| EditError::Unsafe(error.to_string()))?;
    writer.hold(&read)?;
    Ok(edited)
}

impl Writer<'_> {
    /// Whether the list now names just what was meant.
    fn hold(&self, read: &[RawEntry]) -> Result<(), EditError> {
        if read.len() != self.changes.len() {
            let what = format!("{} entries in place of {}", read.len(), self.changes.len());
            return Err(EditError::Unsafe(what));
        }
        for (found, change) in read.iter().zip(self.changes) {
            let (right, text) = match change {
                Change::Keep(at) => (self.raws.get(*at) == Some(found), &self.raws[*at].text),
                Change::Set(_, entry) | Change::New(entry) => {
                    let named = [found.names.id.as_ref(), found.names.name.as_ref()].into_iter().flatten();
                    let is_it = |name: &String| *name == entry.id || *name == entry.name;
                    (found.on && named.into_iter().any(is_it), &entry.id)
                }
            };
            if !right {
                return Err(EditError::Unsafe(format!("{} would be read as {}", text, found.text)));
            }
        }
        Ok(())
    }

    /// An entry that is a good example: the last that names a mod, or the last of all.
    fn neighbour(&self) -> Option<usize> {
        let names_mod = |at: &usize| self.known.get(*at).is_some_and(Option::is_some) && self.raws[*at].on;
        (0..self.raws.len()).rev().find(names_mod).or_else(|| self.raws.len().checked_sub(1))
    }

    /// The text of a new entry, or of one that is switched on or named anew.
    pub fn named(&self, entry: &Entry, like: Option<usize>) -> String {
        let template = self.rule.entry.text();
        if template.contains("{any}")
            && let Some(at) = like
            && let Some(Some(other)) = self.known.get(at)
        {
            return alike(&self.raws[at].text, other, entry);
        }
        let digest = entry.digests.first().cloned().unwrap_or_default();
        let version = entry.version.clone().unwrap_or_default();
        let places = [("{id}", &entry.id), ("{name}", &entry.name), ("{version}", &version), ("{digest}", &digest)];
        places.into_iter().fold(template.replace("{any}", ""), |text, (place, value)| text.replace(place, value))
    }

    /// The text of an entry that stays and is to say something.
    pub fn set_text(&self, at: usize, entry: &Entry) -> String {
        let raw = &self.raws[at];
        let has_version = raw.names.version.is_some() && raw.names.version != entry.version;
        if raw.on && !has_version { raw.text.clone() } else { self.named(entry, Some(at)) }
    }

    /// Rows of plain texts.
    fn texts(&self) -> Vec<String> {
        let like = self.neighbour();
        let text = |change: &Change| match change {
            Change::Keep(at) => self.raws[*at].text.clone(),
            Change::Set(at, entry) => self.set_text(*at, entry),
            Change::New(entry) => self.named(entry, like),
        };
        self.changes.iter().map(text).collect()
    }

    fn rows(
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
        let end = line_end(self.text);
        let is_entry = |line: &str| of_line(self.rule, line).is_some();
        let entries: Vec<Range<usize>> = lines::placed_lines(self.text)
            .into_iter()
            .filter(|(_, line)| is_entry(line))
            .map(|(at, line)| at..at + line.len())
            .collect();
        let stretches: Vec<Range<usize>> = entries.iter().map(|line| whole_lines(self.text, line)).collect();
        let margin = self.neighbour().map_or("", |at| indentation(self.text, entries[at].end));
        let as_line = |at: usize, text: &str| {
            let line = &self.text[entries[at].clone()];
            format!("{}{end}", line.replacen(line.trim(), text, 1))
        };
        let rows = self.rows(
            |at| as_line(at, self.text[entries[at].clone()].trim()),
            |at, entry| as_line(at, &self.set_text(at, entry)),
            |entry| format!("{margin}{}{end}", self.named(entry, self.neighbour())),
        );
        let torn = if self.text.is_empty() || self.text.ends_with('\n') { "" } else { end };
        let mut splices = stretched(self.text, &stretches, &rows, self.text.len());
        if let Some(first) = splices.first_mut().filter(|_| stretches.is_empty()) {
            first.with.insert_str(0, torn);
        }
        splices
    }

    fn options(&self, option: &str, between: Option<&str>) -> Result<Vec<Splice>, EditError> {
        let values = option_values(self.text, option, between).map_err(|e| EditError::Unreadable(e.to_string()))?;
        if let Some(between) = between {
            let texts = self.texts();
            return Ok(values.iter().map(|value| joined_option(self.text, value, between, &texts)).collect());
        }
        // Where one goes, the blanks before it go too; where others come into its place, they stay.
        let is_kept = |at: usize| {
            self.changes.iter().any(|change| matches!(change, Change::Keep(kept) | Change::Set(kept, _) if *kept == at))
        };
        let stretch = |(at, value): (usize, &OptionValue)| {
            let before = self.text[..value.whole.start].trim_end_matches([' ', '\t']).len();
            if is_kept(at) { value.whole.clone() } else { before..value.whole.end }
        };
        let stretches: Vec<Range<usize>> = values.iter().enumerate().map(stretch).collect();
        let piece = |at: usize, text: &str| {
            let (value, whole) = (&values[at], &values[at].whole);
            let inner = value.span.start - whole.start..value.span.end - whole.start;
            let with = Splice { at: inner, with: text.to_owned() };
            spliced(&self.text[whole.clone()], vec![quoted_if_needed(value, with)])
        };
        let like = self.neighbour();
        let any_kept = (0..values.len()).any(is_kept);
        let mut rows = self.rows(
            |at| self.text[values[at].whole.clone()].to_owned(),
            |at, entry| piece(at, &self.set_text(at, entry)),
            |entry| piece(like.unwrap_or(0), &self.named(entry, like)),
        );
        let first_kept = rows.iter().position(|row| matches!(row, Row::Kept { .. })).unwrap_or(0);
        for (at, row) in rows.iter_mut().enumerate() {
            if let Row::New(text) = row {
                *text = if any_kept && at < first_kept { format!("{text} ") } else { format!(" {text}") };
            }
        }
        Ok(stretched(self.text, &stretches, &rows, self.text.len()))
    }

    fn document(
        &self,
        notation: Notation,
        (document, tree): (&Value, &Node),
        each: &JsonPath,
        shape: &EntryShape,
    ) -> Result<Vec<Splice>, EditError> {
        let nowhere = || EditError::NoPlace(format!("{} is not one list that can be written", path_words(each)));
        let located = each.query_located(document);
        let mut items: Vec<(&Value, &Node)> =
            located.iter().filter_map(|found| Some((found.node(), tree.at(found.location())?))).collect();
        let parent = list_parent(each);
        let parents = parent.as_ref().map(|parent| parent.query_located(document));
        let holder = parents.as_ref().and_then(|found| found.first()).and_then(|found| tree.at(found.location()));
        if let (true, true, Some(found)) =
            (items.is_empty(), is_of_lines(notation), parents.as_ref().and_then(|found| found.first()))
        {
            items.extend(
                tree.at(found.location()).filter(|_| scalar(found.node()).is_some()).map(|node| (found.node(), node)),
            );
        }
        match shape {
            EntryShape::Text { between: Some(between) } => {
                let [(_, node)] = items.as_slice() else { return Err(nowhere()) };
                let old = &self.text[node.span.clone()];
                let inner = old.trim_matches(['"', '\'']);
                let joined = joined(inner, between, &self.texts());
                Ok(vec![Splice { at: node.span.clone(), with: written(notation, old, &joined) }])
            }
            EntryShape::Text { between: None } => {
                self.items(notation, &items, (holder, tree, each), None).ok_or_else(nowhere)
            }
            EntryShape::Object(fields) => {
                self.items(notation, &items, (holder, tree, each), Some(fields)).ok_or_else(nowhere)
            }
            EntryShape::KeyToFlag | EntryShape::KeyToVersion | EntryShape::KeyToFields(_) => {
                let [(value, node)] = items.as_slice() else { return Err(nowhere()) };
                self.keys(notation, value, node, shape).ok_or_else(nowhere)
            }
        }
    }

    /// Entries that are the values of a list.
    fn items(
        &self,
        notation: Notation,
        items: &[(&Value, &Node)],
        (holder, tree, each): (Option<&Node>, &Node, &JsonPath),
        fields: Option<&EntryFields>,
    ) -> Option<Vec<Splice>> {
        // Of a list whose values are not all entries nothing can be told apart.
        if items.len() != self.raws.len() {
            return None;
        }
        let form = match holder.map(|holder| &holder.kind) {
            Some(Kind::List(_, form)) => *form,
            _ if notation == Notation::Xml => Form::Elements,
            _ if notation == Notation::Json => Form::Brackets,
            _ => Form::Lines,
        };
        let like = self.neighbour();
        let others: Vec<&Value> = items.iter().map(|(value, _)| *value).collect();
        let item = |at: usize| (items[at].0, items[at].1, others.as_slice());
        let core = |at: usize, entry: &Entry| match fields {
            None => written(notation, &self.text[items[at].1.span.clone()], &self.set_text(at, entry)),
            Some(fields) => self.object_with(notation, item(at), at, entry, fields, false),
        };
        let fresh = |entry: &Entry| match (fields, like) {
            (None, _) => {
                let old = like.map_or("", |at| &self.text[items[at].1.span.clone()]);
                written(notation, old, &self.named(entry, like))
            }
            (Some(fields), Some(at)) => self.object_with(notation, item(at), at, entry, fields, true),
            (Some(fields), None) => self.plain_object(notation, entry, fields),
        };
        match form {
            Form::Brackets => {
                let spans: Vec<Range<usize>> = items.iter().map(|(_, node)| node.span.clone()).collect();
                let rows = self.rows(|at| self.text[spans[at].clone()].to_owned(), core, fresh);
                Some(vec![bracketed(self.text, &holder?.span, &spans, &rows)])
            }
            Form::Elements => self.elements(items, (tree, each, fields), core, fresh),
            Form::Lines => self.line_items(notation, items, (holder, each), core, fresh),
        }
    }

    /// XML elements side by side.
    fn elements(
        &self,
        items: &[(&Value, &Node)],
        (tree, each, fields): (&Node, &JsonPath, Option<&EntryFields>),
        core: impl Fn(usize, &Entry) -> String,
        fresh: impl Fn(&Entry) -> String,
    ) -> Option<Vec<Splice>> {
        let roots = xml::elements(self.text).ok()?;
        let (outer, name) = xml_list(each)?;
        let spans: Vec<Range<usize>> = items
            .iter()
            .map(|(_, node)| holding(&roots, node).map(|element| element.span.clone()))
            .collect::<Option<_>>()?;
        let wrapped = |inner: String| if inner.starts_with('<') { inner } else { format!("<{name}>{inner}</{name}>") };
        if spans.is_empty() {
            let parent = JsonPath::parse(&outer).ok()?;
            let document = Notation::Xml.read(self.text.as_bytes(), crate::document::Encoding::Utf8).ok()?;
            let found = parent.query_located(&document).first()?.location().clone();
            let parent = holding(&roots, tree.at(&found)?)?;
            let children: Vec<String> = self
                .changes
                .iter()
                .filter_map(|change| if let Change::New(entry) = change { Some(wrapped(fresh(entry))) } else { None })
                .collect();
            if children.is_empty() {
                return Some(Vec::new());
            }
            let margin = indentation(self.text, parent.span.start);
            let joint = format!("{}{margin}{}", line_end(self.text), unit(self.text));
            return Some(vec![last_child(self.text, parent, &children.join(&joint))]);
        }
        let stretches: Vec<Range<usize>> = spans.iter().map(|span| with_comment(self.text, span)).collect();
        let around = |at: usize, element: String| {
            let (span, stretch) = (&spans[at], &stretches[at]);
            format!("{}{element}{}", &self.text[stretch.start..span.start], &self.text[span.end..stretch.end])
        };
        let changed = |at: usize, inner: String| {
            if fields.is_some() {
                return around(at, inner);
            }
            let (span, node) = (&spans[at], items[at].1);
            if node.span.is_empty() && self.text[..span.end].ends_with("/>") {
                let splice = opened(&self.text[span.clone()], span.len(), &inner);
                return around(at, splice.with);
            }
            let at_inner = node.span.start - span.start..node.span.end - span.start;
            around(at, spliced(&self.text[span.clone()], vec![Splice { at: at_inner, with: inner }]))
        };
        let like = self.neighbour().unwrap_or(0);
        let rows = self.rows(
            |at| self.text[stretches[at].clone()].to_owned(),
            |at, entry| changed(at, core(at, entry)),
            |entry| without_comment(changed(like, fresh(entry))),
        );
        Some(stretched(self.text, &stretches, &rows, self.text.len()))
    }

    /// Values that have lines to themselves: of YAML blocks, repeated keys, TOML's tables.
    fn line_items(
        &self,
        notation: Notation,
        items: &[(&Value, &Node)],
        (holder, each): (Option<&Node>, &JsonPath),
        core: impl Fn(usize, &Entry) -> String,
        fresh: impl Fn(&Entry) -> String,
    ) -> Option<Vec<Splice>> {
        let end = line_end(self.text);
        if items.is_empty() {
            let key = plain(&path_words(&list_parent(each)?))?;
            let Some(Part::Name(name)) = key.last() else { return None };
            let news = self
                .changes
                .iter()
                .filter_map(|change| if let Change::New(entry) = change { Some(fresh(entry)) } else { None });
            let node = holder?;
            let (lead, joint) = match notation {
                Notation::Yaml => {
                    let margin = format!("{end}{}{}- ", indentation(self.text, node.span.start), unit(self.text));
                    (margin.clone(), margin)
                }
                _ => (String::new(), format!("{end}{name}=")),
            };
            let values: Vec<String> = news.collect();
            if values.is_empty() {
                return Some(Vec::new());
            }
            let with = format!("{lead}{}", values.join(&joint));
            return Some(vec![Splice { at: node.span.clone(), with }]);
        }
        let extent = |index: usize| {
            let node = items[index].1;
            let start = self.text[..node.span.start].rfind('\n').map_or(0, |at| at + 1);
            let last = last_of(node).max(node.span.end);
            let mut stop = self.text[last..].find('\n').map_or(self.text.len(), |at| last + at + 1);
            // A table's own lines may be followed by a blank one, which goes with it.
            if notation == Notation::Toml && index + 1 < items.len() {
                stop = items[index + 1].1.span.start;
            }
            start..stop
        };
        let stretches: Vec<Range<usize>> = (0..items.len()).map(extent).collect();
        let whole = |text: String| if text.ends_with('\n') { text } else { text + end };
        let with = |at: usize, inner: String| {
            let (node, stretch) = (items[at].1, &stretches[at]);
            let stop = if node.kind == Kind::Scalar { node.span.end } else { last_of(node) };
            whole(format!("{}{inner}{}", &self.text[stretch.start..node.span.start], &self.text[stop..stretch.end]))
        };
        let new = |at: usize, inner: String| {
            let (node, stretch) = (items[at].1, &stretches[at]);
            let inner = inner.trim_end_matches(['\r', '\n']);
            let blank = if notation == Notation::Toml { end } else { "" };
            let gap = self.text[..stretch.end].ends_with(&format!("{end}{end}")) || items.len() == 1;
            format!("{}{inner}{end}{}", &self.text[stretch.start..node.span.start], if gap { blank } else { "" })
        };
        let like = self.neighbour().unwrap_or(0);
        let rows = self.rows(
            |at| whole(self.text[stretches[at].clone()].to_owned()),
            |at, entry| with(at, core(at, entry)),
            |entry| new(like, fresh(entry)),
        );
        Some(stretched(self.text, &stretches, &rows, self.text.len()))
    }

    /// Entries that are the keys of a table.
    fn keys(&self, notation: Notation, value: &Value, node: &Node, shape: &EntryShape) -> Option<Vec<Splice>> {
        let fields: Vec<&Field> =
            node.fields().iter().filter(|field| of_key(self.rule, &field.name).is_some()).collect();
        if fields.len() != self.raws.len() {
            return None;
        }
        let like = self.neighbour();
        let valued = |at: usize, entry: &Entry, is_new: bool| {
            let field = fields[at];
            let old = &self.text[field.node.span.clone()];
            let text = value.get(&field.name).and_then(scalar).unwrap_or_default();
            match shape {
                EntryShape::KeyToVersion => written(notation, old, entry.version.as_deref().unwrap_or(&text)),
                EntryShape::KeyToFields(inner) => match &inner.text {
                    Some(_) => written(notation, old, &self.text_with(&text, at, entry, inner, is_new)),
                    None => {
                        let empty = Value::Null;
                        let others: Vec<&Value> = fields.iter().filter_map(|field| value.get(&field.name)).collect();
                        let item = (value.get(&field.name).unwrap_or(&empty), &field.node, others.as_slice());
                        self.object_with(notation, item, at, entry, inner, is_new)
                    }
                },
                _ => written(notation, old, &on_word(&text, None, self.on_example(value).as_deref())),
            }
        };
        let part = |at: usize, key: &str, inner: String| {
            let field = fields[at];
            let key_text = &self.text[field.whole.start..field.node.span.start];
            format!("{}{inner}", key_text.replacen(&field.name, key, 1))
        };
        let bare = |entry: &Entry| {
            let version = entry.version.as_deref().unwrap_or_default();
            let value = if matches!(shape, EntryShape::KeyToVersion) { version } else { "true" };
            let key = self.named(entry, None);
            match notation {
                Notation::Json => format!("{}: {}", written(notation, "\"\"", &key), written(notation, "", value)),
                Notation::Yaml => format!("{key}: {}", written(notation, "", value)),
                _ => format!("{key} = {}", written(notation, "", value)),
            }
        };
        let new = |entry: &Entry| match like {
            Some(at) => part(at, &self.named(entry, like), valued(at, entry, true)),
            None => bare(entry),
        };
        let kept = |at: usize| self.text[fields[at].whole.clone()].to_owned();
        let set = |at: usize, entry: &Entry| part(at, &fields[at].name, valued(at, entry, false));
        let Kind::Table(_, form) = &node.kind else { return None };
        if *form == Form::Brackets {
            // Keys that are no entries keep their places: all keys are rows.
            let spans: Vec<Range<usize>> = node.fields().iter().map(|field| field.whole.clone()).collect();
            let index =
                |at: usize| node.fields().iter().position(|field| field.whole == fields[at].whole).unwrap_or(at);
            let rows = self.rows(kept, set, new).into_iter().map(|row| match row {
                Row::Kept { index: at, text } => Row::Kept { index: index(at), text },
                new => new,
            });
            let others = node.fields().iter().enumerate().filter(|(_, field)| of_key(self.rule, &field.name).is_none());
            let others =
                others.map(|(index, field)| Row::Kept { index, text: self.text[field.whole.clone()].to_owned() });
            return Some(vec![bracketed(self.text, &node.span, &spans, &others.chain(rows).collect::<Vec<_>>())]);
        }
        let end = line_end(self.text);
        let stretch = |field: &&Field| {
            let start = self.text[..field.whole.start].rfind('\n').map_or(0, |at| at + 1);
            let stop = self.text[field.whole.end..].find('\n').map_or(self.text.len(), |at| field.whole.end + at + 1);
            start..stop
        };
        let stretches: Vec<Range<usize>> = fields.iter().map(stretch).collect();
        let lined = |at: usize, inner: String| {
            let (field, stretch) = (fields[at], &stretches[at]);
            let line = format!(
                "{}{inner}{}",
                &self.text[stretch.start..field.whole.start],
                &self.text[field.whole.end..stretch.end]
            );
            if line.ends_with('\n') { line } else { line + end }
        };
        let nowhere = match node.fields().last() {
            Some(field) => {
                self.text[field.whole.end..].find('\n').map_or(self.text.len(), |at| field.whole.end + at + 1)
            }
            None => self.text[node.span.start..].find('\n').map_or(self.text.len(), |at| node.span.start + at + 1),
        };
        let rows = self.rows(
            |at| lined(at, kept(at)),
            |at, entry| lined(at, set(at, entry)),
            |entry| match like {
                // A comment behind the neighbour is about the neighbour.
                Some(at) => {
                    let rest = self.text[fields[at].whole.end..].starts_with(';');
                    let margin = &self.text[stretches[at].start..fields[at].whole.start];
                    format!("{margin}{}{}{end}", new(entry), if rest { ";" } else { "" })
                }
                None => format!("{}{end}", new(entry)),
            },
        );
        Some(stretched(self.text, &stretches, &rows, nowhere))
    }

    /// The word for on that another entry uses.
    fn on_example(&self, table: &Value) -> Option<String> {
        let word = |(key, value): (&String, &Value)| {
            let raw = of_key(self.rule, key)?;
            let text = scalar(value)?;
            (raw.on && is_on(&text, &Default::default())).then_some(text)
        };
        table.as_object()?.iter().find_map(word)
    }

    /// A value that is a text of which a regex takes the facts, with other facts in it.
    fn text_with(&self, text: &str, at: usize, entry: &Entry, fields: &EntryFields, is_new: bool) -> String {
        let Some(captures) = fields.text.as_ref().and_then(|regex| regex.captures(text)) else {
            return text.to_owned();
        };
        let mut splices = Vec::new();
        let mut put = |name: &str, with: Option<String>| {
            if let (Some(found), Some(with)) = (captures.name(name), with) {
                splices.push(Splice { at: found.range(), with });
            }
        };
        put("version", entry.version.clone());
        put("digest", captures.name("digest").and_then(|old| digest_like(entry, old.as_str())));
        let on = captures.name("on").map(|word| on_word(word.as_str(), Some(fields), None));
        put("on", on);
        let set = spliced(text, splices);
        match self.known.get(at) {
            Some(Some(other)) if is_new => alike(&set, other, entry),
            _ => set,
        }
    }
}

/// The lines of an element, with a comment that stands behind it; just the element where it shares them.
fn with_comment(text: &str, element: &Range<usize>) -> Range<usize> {
    let end = text[element.end..].find('\n').map_or(text.len(), |at| element.end + at);
    let rest = text[element.end..end].trim();
    if rest.starts_with("<!--") && rest.find("-->") == Some(rest.len() - 3) {
        return whole_lines(text, &(element.start..end));
    }
    whole_lines(text, element)
}

/// A comment behind an element is about that element, not about the next.
fn without_comment(line: String) -> String {
    match line.find("<!--") {
        Some(at) => format!("{}{}", line[..at].trim_end(), &line[line.trim_end().len()..]),
        None => line,
    }
}

/// The end of the last value inside a node.
pub fn last_of(node: &Node) -> usize {
    let inner = node.fields().iter().map(|field| last_of(&field.node)).chain(node.items().iter().map(last_of));
    inner.max().unwrap_or(node.span.end).max(node.span.end)
}

/// A launch line with the rule's option in place of one that is spelt nearly so.
///
/// # Errors
/// When the line can't be read.
pub fn respell_option(rule: &ListRule, bytes: &[u8], near: &str) -> Result<Vec<u8>, EditError> {
    let file = TextFile::read(bytes, rule.encoding)?;
    let ListForm::Option { option, between } = &rule.form else { return Ok(bytes.to_vec()) };
    let values = option_values(&file.text, near, between.as_deref());
    let values = values.map_err(|error| EditError::Unreadable(error.to_string()))?;
    let respelt = |value: &OptionValue| {
        let start = file.text[value.whole.clone()].find(near).map_or(value.whole.start, |at| value.whole.start + at);
        Splice { at: start..start + near.len(), with: option.clone() }
    };
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
