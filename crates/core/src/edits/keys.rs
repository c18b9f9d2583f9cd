//! Entries that are the keys of a table: switches, versions, and what else a key may say.

use std::ops::Range;

use serde_json::Value;

use super::items::are_apart;
use super::list::Writer;
use super::meant::{Change, Entry};
use super::setting::{between, closing, key_text, margin, usual_sign};
use super::wording::{alike, digest_like, on_word};
use crate::edits::{is_on, of_key};
use crate::rulebook::{EntryFields, EntryShape};
use crate::text::kinds::Notation;
use crate::text::notation::scalar;
use crate::text::rows::{Block, Row, bracketed, by_blocks, indentation, line_stop, unit};
use crate::text::scalars::{Meant, written};
use crate::text::splice::{Splice, line_end, spliced};
use crate::text::tree::{Field, Form, Kind, Node};

impl Writer<'_> {
    /// Entries that are the keys of a table.
    pub(super) fn keys(
        &self,
        notation: Notation,
        value: &Value,
        node: &Node,
        shape: &EntryShape,
    ) -> Option<Vec<Splice>> {
        let fields: Vec<&Field> =
            node.fields().iter().filter(|field| of_key(self.rule, &field.name).is_some()).collect();
        let once = fields.iter().all(|field| !matches!(field.node.kind, Kind::List(_, Form::Lines)));
        // Tables of TOML that have heads of their own are no lines of this one.
        let headed =
            |field: &&&Field| notation == Notation::Toml && matches!(field.node.kind, Kind::Table(_, Form::Lines));
        if fields.len() != self.raws.len() || !once || fields.iter().any(|field| headed(&field)) {
            return None;
        }
        let table = Keys { writer: self, notation, value, node, shape, fields };
        match &node.kind {
            Kind::Scalar(Value::Null) if notation == Notation::Yaml => Some(vec![table.first()]),
            Kind::Table(_, Form::Brackets) => Some(vec![table.between_brackets()]),
            Kind::Table(..) => table.on_lines(),
            _ => None,
        }
    }

    /// The word for on that another entry uses.
    pub(super) fn on_example(&self, table: &Value) -> Option<String> {
        let word = |(key, value): (&String, &Value)| {
            let raw = of_key(self.rule, key)?;
            let text = scalar(value)?;
            (raw.on && is_on(&text, &Default::default())).then_some(text)
        };
        table.as_object()?.iter().find_map(word)
    }

    /// A value that is a text of which a regex takes the facts, with other facts in it.
    pub(super) fn text_with(&self, text: &str, at: usize, entry: &Entry, fields: &EntryFields, is_new: bool) -> String {
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

/// A table whose keys are entries.
struct Keys<'w, 'a> {
    writer: &'w Writer<'a>,
    notation: Notation,
    value: &'w Value,
    node: &'w Node,
    shape: &'w EntryShape,
    /// Those that are.
    fields: Vec<&'w Field>,
}

impl Keys<'_, '_> {
    /// What the key of an entry is to say, as it is written.
    fn valued(&self, at: usize, entry: &Entry, is_new: bool) -> String {
        let (writer, notation, field) = (self.writer, self.notation, self.fields[at]);
        let old = Some(&writer.text[field.node.span.clone()]);
        let text = self.value.get(&field.name).and_then(scalar).unwrap_or_default();
        match self.shape {
            EntryShape::KeyToVersion => written(notation, old, Meant::Text, entry.version.as_deref().unwrap_or(&text)),
            EntryShape::KeyToFields(inner) => match &inner.text {
                Some(_) => written(notation, old, Meant::Text, &writer.text_with(&text, at, entry, inner, is_new)),
                None => {
                    let empty = Value::Null;
                    let others: Vec<&Value> =
                        self.fields.iter().filter_map(|field| self.value.get(&field.name)).collect();
                    let item = (self.value.get(&field.name).unwrap_or(&empty), &field.node, others.as_slice());
                    writer.object_with(notation, item, at, entry, inner, is_new)
                }
            },
            _ => {
                let word = on_word(&text, None, writer.on_example(self.value).as_deref());
                written(notation, old, Meant::Value, &word)
            }
        }
    }

    /// Key and value, in the manner of an entry that is there.
    fn like(&self, at: usize, key: &str, value: &str) -> String {
        let field = self.fields[at];
        let old = &self.writer.text[field.key.clone()];
        let key = if key == field.name { old.to_owned() } else { key_text(self.notation, Some(old), key) };
        format!("{key}{}{value}", between(self.writer.text, field))
    }

    fn set(&self, at: usize, entry: &Entry) -> String {
        self.like(at, &self.fields[at].name, &self.valued(at, entry, false))
    }

    fn added(&self, entry: &Entry) -> String {
        match self.writer.neighbour() {
            Some(at) => self.like(at, &self.writer.named(entry, Some(at)), &self.valued(at, entry, true)),
            None => self.bare(entry),
        }
    }

    /// Key and value, where there is none to be like.
    fn bare(&self, entry: &Entry) -> String {
        let version = entry.version.as_deref().unwrap_or_default();
        let (value, meant) = match self.shape {
            EntryShape::KeyToVersion => (version, Meant::Text),
            _ => ("true", Meant::Value),
        };
        let key = key_text(self.notation, None, &self.writer.named(entry, None));
        format!("{key}{}{}", usual_sign(self.notation), written(self.notation, None, meant, value))
    }

    /// Entries below a key of YAML that holds nothing yet.
    fn first(&self) -> Splice {
        let text = self.writer.text;
        let margin = format!("{}{}", indentation(text, self.node.span.start), unit(text));
        let line = |change: &Change| match change {
            Change::New(entry) => Some(format!("{}{margin}{}", line_end(text), self.bare(entry))),
            _ => None,
        };
        Splice { at: self.node.span.clone(), with: self.writer.changes.iter().filter_map(line).collect() }
    }

    /// Keys that are no entries keep their places: all keys are rows.
    fn between_brackets(&self) -> Splice {
        let text = self.writer.text;
        let all = self.node.fields();
        let spans: Vec<Range<usize>> = all.iter().map(|field| field.whole.clone()).collect();
        let index = |at: usize| all.iter().position(|field| field.whole == self.fields[at].whole).unwrap_or(at);
        let kept = |at: usize| text[self.fields[at].whole.clone()].to_owned();
        let rows = self.writer.rows(kept, |at, entry| self.set(at, entry), |entry| self.added(entry));
        let rows = rows.into_iter().map(|row| match row {
            Row::Kept { index: at, text } => Row::Kept { index: index(at), text },
            new => new,
        });
        let others = all.iter().enumerate().filter(|(_, field)| of_key(self.writer.rule, &field.name).is_none());
        let others = others.map(|(index, field)| Row::Kept { index, text: text[field.whole.clone()].to_owned() });
        let rows = among_others(others.collect(), rows.collect());
        let comments = self.node.comments(self.notation, text);
        bracketed(self.notation, text, (&self.node.span, &comments), &spans, &rows)
    }

    fn on_lines(&self) -> Option<Vec<Splice>> {
        let (text, notation, node) = (self.writer.text, self.notation, self.node);
        let end = |field: &Field| field.node.last().max(field.whole.end);
        let block = |field: &&Field| Block::around(notation, text, &(field.whole.start..end(field)));
        let blocks: Vec<Block> =
            self.fields.iter().map(block).collect::<Option<Vec<_>>>().filter(|blocks| are_apart(blocks))?;
        if notation == Notation::Yaml && self.writer.changes.is_empty() && node.fields().len() == self.fields.len() {
            return self.writer.emptied(blocks, node, "{}");
        }
        let comments = node.comments(notation, text);
        let blocks: Vec<Block> = blocks.into_iter().map(|block| block.with_inside(&comments)).collect();
        let lined = |at: usize, inner: &str| {
            let (field, body) = (self.fields[at], &blocks[at].body);
            format!("{}{inner}{}", &text[body.start..field.whole.start], &text[end(field)..body.end])
        };
        // A comment behind the neighbour is about the neighbour.
        let new = |entry: &Entry| {
            let like = self.writer.neighbour().map(|at| self.fields[at]);
            let margin = like.or(node.fields().last()).map(|field| margin(notation, text, field.whole.start));
            let close = like.map_or("", |field| closing(notation, text, field));
            format!("{}{}{close}", margin.unwrap_or_default(), self.added(entry))
        };
        let rows = self.writer.rows(
            |at| text[blocks[at].body.clone()].to_owned(),
            |at, entry| lined(at, &self.set(at, entry)),
            new,
        );
        let nowhere = line_stop(text, node.fields().last().map_or(node.span.start, end));
        Some(by_blocks(text, &blocks, &rows, nowhere))
    }
}

/// Rows of entries among those that are none, which keep their places.
fn among_others(others: Vec<Row>, rows: Vec<Row>) -> Vec<Row> {
    let index = |row: &Row| if let Row::Kept { index, .. } = row { Some(*index) } else { None };
    let mut places: Vec<usize> = rows.iter().filter_map(index).collect();
    places.sort_unstable();
    let mut places = places.into_iter();
    let mut all: Vec<Row> = Vec::new();
    let mut others = others.into_iter().peekable();
    for row in rows {
        if index(&row).is_some() {
            let place = places.next();
            while let Some(other) = others.next_if(|other| index(other) < place) {
                all.push(other);
            }
        }
        all.push(row);
    }
    all.extend(others);
    all
}
