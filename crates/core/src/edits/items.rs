//! Entries that are the values of a list: between brackets, as elements, or on lines of their own.

use std::ops::Range;

use serde_json::Value;
use serde_json_path::JsonPath;

use super::list::Writer;
use super::meant::{Change, Entry};
use super::setting::{Part, last_child, opened, plain, put_named};
use crate::edits::xml_list;
use crate::rulebook::EntryFields;
use crate::text::kinds::Notation;
use crate::text::rows::{Block, bracketed, by_blocks, indentation, line_start, line_stop, side_by_side, unit};
use crate::text::scalars::{Meant, written};
use crate::text::splice::{Splice, line_end, spliced};
use crate::text::tree::{Form, Kind, Node};
use crate::text::{list_parent, path_words};

impl Writer<'_> {
    /// Entries that are the values of a list.
    pub(super) fn items(
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
            None => {
                written(notation, Some(&self.text[items[at].1.span.clone()]), Meant::Text, &self.set_text(at, entry))
            }
            Some(fields) => self.object_with(notation, item(at), at, entry, fields, false),
        };
        let fresh = |entry: &Entry| match (fields, like) {
            (None, _) => {
                let old = like.map(|at| &self.text[items[at].1.span.clone()]);
                written(notation, old, Meant::Text, &self.named(entry, like))
            }
            (Some(fields), Some(at)) => self.object_with(notation, item(at), at, entry, fields, true),
            (Some(fields), None) => self.plain_object(notation, entry, fields),
        };
        match form {
            Form::Brackets => {
                let spans: Vec<Range<usize>> = items.iter().map(|(_, node)| node.span.clone()).collect();
                let rows = self.rows(|at| self.text[spans[at].clone()].to_owned(), core, fresh);
                let comments = tree.comments(notation, self.text);
                Some(vec![bracketed(notation, self.text, (&holder?.span, &comments), &spans, &rows)])
            }
            Form::Elements => self.elements(items, (tree, each, fields), core, fresh),
            Form::Lines => self.line_items(notation, items, (holder, tree, each), core, fresh),
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
        let (outer, name) = xml_list(each)?;
        let spans: Vec<Range<usize>> =
            items.iter().map(|(_, node)| node.tag.as_deref().map(|tag| tag.span.clone())).collect::<Option<_>>()?;
        if spans.is_empty() {
            let wrapped =
                |inner: String| if inner.starts_with('<') { inner } else { format!("<{name}>{inner}</{name}>") };
            let parent = JsonPath::parse(&outer).ok()?;
            let document = tree.value();
            let found = parent.query_located(&document).first()?.location().clone();
            let parent = tree.at(&found)?;
            // A path to an element leads to the list of those of its name.
            let parent = parent.items().first().unwrap_or(parent).tag.as_deref()?;
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
        let changed = |at: usize, inner: String| {
            let (span, node) = (&spans[at], items[at].1);
            if fields.is_some() {
                return inner;
            }
            if let Some(tag) = node.tag.as_deref().filter(|tag| tag.content.is_none()) {
                return opened(self.text, tag, &inner).with;
            }
            let at_inner = node.span.start - span.start..node.span.end - span.start;
            spliced(&self.text[span.clone()], vec![Splice { at: at_inner, with: inner }])
        };
        let like = self.neighbour().unwrap_or(0);
        let blocks: Option<Vec<Block>> =
            spans.iter().map(|span| Block::around(Notation::Xml, self.text, span)).collect();
        let comments = tree.comments(Notation::Xml, self.text);
        let inside =
            |blocks: Vec<Block>| blocks.into_iter().map(|block| block.with_inside(&comments)).collect::<Vec<_>>();
        let Some(blocks) = blocks.filter(|blocks| are_apart(blocks)).map(inside) else {
            let rows = self.rows(
                |at| self.text[spans[at].clone()].to_owned(),
                |at, entry| changed(at, core(at, entry)),
                |entry| changed(like, fresh(entry)),
            );
            return Some(side_by_side(self.text, &comments, &spans, &rows));
        };
        let lined = |at: usize, element: &str| {
            let (span, body) = (&spans[at], &blocks[at].body);
            format!("{}{element}{}", &self.text[body.start..span.start], &self.text[span.end..body.end])
        };
        let rows = self.rows(
            |at| self.text[blocks[at].body.clone()].to_owned(),
            |at, entry| lined(at, &changed(at, core(at, entry))),
            |entry| {
                let margin = &self.text[blocks[like].body.start..spans[like].start];
                format!("{margin}{}", changed(like, fresh(entry)))
            },
        );
        Some(by_blocks(self.text, &blocks, &rows, self.text.len()))
    }

    /// Values that have lines to themselves: of YAML blocks, repeated keys, TOML's tables.
    fn line_items(
        &self,
        notation: Notation,
        items: &[(&Value, &Node)],
        (holder, tree, each): (Option<&Node>, &Node, &JsonPath),
        core: impl Fn(usize, &Entry) -> String,
        fresh: impl Fn(&Entry) -> String,
    ) -> Option<Vec<Splice>> {
        if items.is_empty() {
            return self.first_line_items(notation, holder, tree, each, fresh);
        }
        // A block of YAML that holds nothing would be nothing at all.
        if notation == Notation::Yaml && self.changes.is_empty() {
            let blocks = items.iter().map(|(_, node)| self.block_of(notation, node)).collect::<Option<Vec<_>>>()?;
            return self.emptied(blocks, holder?, "[]");
        }
        let blocks: Vec<Block> = items
            .iter()
            .map(|(_, node)| self.block_of(notation, node))
            .collect::<Option<Vec<_>>>()
            .filter(|b| are_apart(b))?;
        let comments = tree.comments(notation, self.text);
        let blocks: Vec<Block> = blocks.into_iter().map(|block| block.with_inside(&comments)).collect();
        let stop = |node: &Node| if node.is_scalar() { node.span.end } else { node.last() };
        let lined = |at: usize, inner: &str| {
            let (node, body) = (items[at].1, &blocks[at].body);
            format!("{}{inner}{}", &self.text[body.start..node.span.start], &self.text[stop(node)..body.end])
        };
        let like = self.neighbour().unwrap_or(0);
        let new = |inner: &str| {
            let (node, body) = (items[like].1, &blocks[like].body);
            let end = self.text[stop(node)..body.end].starts_with(';');
            let close = if notation == Notation::KeyValue && end { ";" } else { "" };
            let inner = inner.trim_end_matches(['\r', '\n']);
            // A blank line between tables stands between new ones, too.
            let gap = if notation == Notation::Toml { line_end(self.text) } else { "" };
            let lead = if self.text[..blocks[like].lead.start].trim().is_empty() { "" } else { gap };
            format!("{lead}{}{inner}{close}", &self.text[body.start..node.span.start])
        };
        let rows = self.rows(
            |at| self.text[blocks[at].body.clone()].to_owned(),
            |at, entry| lined(at, &core(at, entry)),
            |entry| new(&fresh(entry)),
        );
        Some(by_blocks(self.text, &blocks, &rows, self.text.len()))
    }

    /// The lines of a value that has lines to itself.
    fn block_of(&self, notation: Notation, node: &Node) -> Option<Block> {
        let start = line_start(self.text, node.span.start);
        let lead = self.text[start..node.span.start].to_owned();
        let from = match notation {
            Notation::Yaml => start + (lead.len() - lead.trim_start().len()),
            _ => start + (lead.len() - lead.trim_start().len()),
        };
        // In a list of YAML, each value begins with a `-` of its own.
        if notation == Notation::Yaml && lead.trim() != "-" {
            return None;
        }
        let end = if node.is_scalar() { node.span.end } else { node.last() };
        // The values of a table of TOML stand below its head, and nothing else between.
        if notation == Notation::Toml && !self.stands_together(node) {
            return None;
        }
        Block::around(notation, self.text, &(from..end))
    }

    /// Whether no head of another table stands between the lines of a table.
    fn stands_together(&self, node: &Node) -> bool {
        let head = line_stop(self.text, node.span.start).min(node.last().max(node.span.end));
        let body = &self.text[head..node.last().max(head)];
        let own = self.text[node.span.clone()].trim_matches(['[', ']', ' ']).to_owned();
        body.lines().map(str::trim_start).filter(|line| line.starts_with('[')).all(|line| {
            let name = line.trim_start_matches('[').split(']').next().unwrap_or_default().trim();
            name.strip_prefix(own.as_str()).is_some_and(|rest| rest.starts_with('.')) || line.ends_with(',')
        })
    }

    /// A list of YAML without entries; remarks that stood among them stay.
    pub(super) fn emptied(&self, blocks: Vec<Block>, holder: &Node, nothing: &str) -> Option<Vec<Splice>> {
        let comments = holder.comments(Notation::Yaml, self.text);
        let blocks: Vec<Block> = blocks.into_iter().map(|block| block.with_inside(&comments)).collect();
        let mut splices = by_blocks(self.text, &blocks, &[], self.text.len());
        // The value goes where the name ends, on the line above or on the same.
        let above = self.text[..blocks.first()?.lead.start].trim_end().len();
        let line = line_start(self.text, above);
        let colon = line + self.text[line..above].find(':')? + 1;
        splices.push(Splice { at: colon..colon, with: format!(" {nothing}") });
        Some(splices)
    }

    /// Values that have lines to themselves, where there are none yet.
    fn first_line_items(
        &self,
        notation: Notation,
        holder: Option<&Node>,
        tree: &Node,
        each: &JsonPath,
        fresh: impl Fn(&Entry) -> String,
    ) -> Option<Vec<Splice>> {
        let end = line_end(self.text);
        let key = plain(&path_words(&list_parent(each)?))?;
        let Some(Part::Name(name)) = key.last() else { return None };
        let news = |change: &Change| if let Change::New(entry) = change { Some(fresh(entry)) } else { None };
        let values: Vec<String> = self.changes.iter().filter_map(news).collect();
        if values.is_empty() {
            return Some(Vec::new());
        }
        let Some(node) = holder else {
            let put = |value: &String| put_named(notation, self.text, tree, &key, value);
            return values.iter().map(put).collect();
        };
        let with = match notation {
            Notation::Yaml => {
                let margin = format!("{end}{}{}- ", indentation(self.text, node.span.start), unit(self.text));
                format!("{margin}{}", values.join(&margin))
            }
            _ => {
                let head = &self.text[line_start(self.text, node.span.start)..node.span.start];
                let head =
                    if head.trim_start().starts_with(name.as_str()) { head.to_owned() } else { format!("{name}=") };
                values.join(&format!("{end}{head}"))
            }
        };
        Some(vec![Splice { at: node.span.clone(), with }])
    }
}

/// Whether no two blocks share a line.
pub fn are_apart(blocks: &[Block]) -> bool {
    blocks.windows(2).all(|pair| pair[0].body.end <= pair[1].lead.start)
}
