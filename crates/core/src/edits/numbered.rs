//! Entries that are the values of numbered keys, `Slot0 = …`: the lines go where their mods go, and are numbered anew.

use super::list::Writer;
use super::meant::Entry;
use super::setting::{between, closing, margin, usual_sign};
use crate::edits::is_of_lines;
use crate::rulebook::NumberedKey;
use crate::text::kinds::Notation;
use crate::text::rows::{Block, Row, by_blocks, line_stop};
use crate::text::scalars::{Meant, written};
use crate::text::splice::Splice;
use crate::text::tree::{Field, Node};

use super::items::are_apart;

impl Writer<'_> {
    /// Entries behind numbered keys of a notation made of lines; nothing where they can't be told apart.
    pub(super) fn numbered(&self, notation: Notation, node: &Node, key: &NumberedKey) -> Option<Vec<Splice>> {
        let numbered = |field: &&Field| key.number_in(&field.name).is_some() && !field.node.span.is_empty();
        let fields: Vec<&Field> = node.fields().iter().filter(numbered).collect();
        let numbers: Vec<u64> = fields.iter().filter_map(|field| Some(key.number_in(&field.name)?.1)).collect();
        let in_order = numbers.windows(2).all(|pair| pair[0] < pair[1]);
        let once = fields.iter().all(|field| field.node.is_scalar());
        if fields.len() != self.raws.len() || !in_order || !once || !is_of_lines(notation) {
            return None;
        }
        let text = self.text;
        let block = |field: &&Field| Block::around(notation, text, &field.whole);
        let blocks: Vec<Block> =
            fields.iter().map(block).collect::<Option<Vec<_>>>().filter(|blocks| are_apart(blocks))?;
        let like = self.neighbour().map(|at| fields[at]);
        let value = |old: Option<&Field>, said: &str| {
            written(notation, old.map(|field| &text[field.node.span.clone()]), Meant::Text, said)
        };
        let set = |at: usize, entry: &Entry| {
            let (field, body) = (fields[at], &blocks[at].body);
            let said = value(Some(field), &self.set_text(at, entry));
            format!("{}{said}{}", &text[body.start..field.node.span.start], &text[field.node.span.end..body.end])
        };
        let lead = like.or(node.fields().last()).map(|field| margin(notation, text, field.whole.start));
        let lead = lead.unwrap_or_default();
        let new = |entry: &Entry| {
            let sign = like.map_or_else(|| usual_sign(notation).to_owned(), |field| between(text, field));
            let close = like.map_or("", |field| closing(notation, text, field));
            let name = like.map_or_else(|| key.with("0"), |field| field.name.clone());
            format!("{lead}{name}{sign}{}{close}", value(like, &self.named(entry, self.neighbour())))
        };
        let mut rows = self.rows(|at| text[blocks[at].body.clone()].to_owned(), set, new);
        let name_of = |row: &Row| match row {
            Row::Kept { index, .. } => {
                Some((fields[*index].key.start - blocks[*index].body.start, fields[*index].name.clone()))
            }
            Row::New(_) => Some((lead.len(), like.map_or_else(|| key.with("0"), |field| field.name.clone()))),
        };
        let width = fields.first().and_then(|field| {
            let (digits, _) = key.number_in(&field.name)?;
            field.name[digits].starts_with('0').then_some(field.name.len() - key.with("").len())
        });
        let first = numbers.first().copied().unwrap_or(0);
        for (number, row) in (first..).zip(&mut rows) {
            let (at, name) = name_of(row)?;
            let (digits, old) = key.number_in(&name)?;
            let (Row::Kept { text, .. } | Row::New(text)) = row;
            if old != number {
                text.replace_range(at + digits.start..at + digits.end, &format!("{number:0>0$}", width.unwrap_or(0)));
            }
        }
        let end = node.fields().last().map_or(node.span.start, |field| field.whole.end);
        Some(by_blocks(text, &blocks, &rows, line_stop(text, end)))
    }
}
