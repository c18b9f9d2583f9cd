//! Entries that are objects: one written like another, with its own facts and without what is the other's alone.

use std::ops::Range;

use serde_json::Value;
use serde_json_path::JsonPath;

use super::list::Writer;
use super::meant::Entry;
use super::setting::{Part, key_text, plain, usual_sign};
use super::wording::{alike, digest_like, on_word};
use crate::edits::xml_list;
use crate::rulebook::{EntryFields, ListForm};
use crate::text::kinds::Notation;
use crate::text::notation::{scalar, version_text};
use crate::text::path_words;
use crate::text::rows::{Row, bracketed, line_start, line_stop, whole_lines};
use crate::text::scalars::{Meant, written};
use crate::text::splice::{Splice, spliced};
use crate::text::tree::{Field, Form, Kind, Node};

impl Writer<'_> {
    /// An object that says what an entry is to say, written like one that is there. In a new one, what else that one says
    /// stays only where it speaks of the mod, or where all say the same.
    pub fn object_with(
        &self,
        notation: Notation,
        (value, node, others): (&Value, &Node, &[&Value]),
        at: usize,
        entry: &Entry,
        fields: &EntryFields,
        is_new: bool,
    ) -> String {
        let base = node.span.start;
        let base_span = node.tag.as_deref().map_or_else(|| node.span.clone(), |tag| tag.span.clone());
        let base = base_span.start.min(base);
        let stop = if node.is_scalar() { base_span.end } else { node.last().max(base_span.end) };
        let text = &self.text[base..stop];
        let mut splices = Vec::new();
        let mut known: Vec<Range<usize>> = Vec::new();
        let mut put = |place: Option<&JsonPath>, with: &dyn Fn(&str) -> Option<String>| {
            let Some(found) =
                place.and_then(|place| place.query_located(value).first().map(|found| found.location().clone()))
            else {
                return;
            };
            let Some(inner) = node.at(&found) else { return };
            if let [_, _, ..] = inner.items() {
                let with = place
                    .and_then(|place| place.query(value).first())
                    .and_then(version_text)
                    .and_then(|old| with(&old));
                splices.extend(with.into_iter().flat_map(|with| numbers(inner, &with, base)));
                return;
            }
            if !inner.is_scalar() {
                return;
            }
            known.push(inner.span.clone());
            let old = place.and_then(|place| place.query(value).first()).and_then(scalar).unwrap_or_default();
            if let Some(with) = with(&old).filter(|with| *with != old) {
                let old = &self.text[inner.span.clone()];
                let at = inner.span.start - base..inner.span.end - base;
                splices.push(Splice { at, with: written(notation, Some(old), Meant::Value, &with) });
            }
        };
        let name = if is_new { self.named(entry, Some(at)) } else { self.set_text(at, entry) };
        put(fields.id.as_ref(), &|_| Some(name.clone()));
        put(fields.version.as_ref(), &|_| entry.version.clone());
        put(fields.digest.as_ref(), &|old| digest_like(entry, old));
        put(fields.on.as_ref(), &|old| Some(on_word(old, Some(fields), None)));
        if !is_new {
            return spliced(text, splices);
        }
        let mut dropped = Vec::new();
        for (field, leaf) in leaves(node).filter(|(_, leaf)| !known.contains(&leaf.span)) {
            let old = &self.text[leaf.span.clone()];
            let said =
                self.known.get(at).cloned().flatten().map_or_else(|| old.to_owned(), |other| alike(old, &other, entry));
            let own = value.get(&field.name);
            if said != *old {
                splices.push(Splice { at: leaf.span.start - base..leaf.span.end - base, with: said });
            } else if others.iter().any(|other| other.get(&field.name) != own) {
                dropped.push(field.whole.clone());
            }
        }
        let whole = self.without(notation, node, &dropped, (text, splices));
        // What was remarked is about the one that this is like.
        let column = self.text[line_start(self.text, base)..base].chars().count();
        without_comments(notation, &whole, column)
    }

    /// A row without some of its fields, and with splices in the others.
    fn without(
        &self,
        notation: Notation,
        node: &Node,
        dropped: &[Range<usize>],
        (text, mut splices): (&str, Vec<Splice>),
    ) -> String {
        let base = node.span.start;
        let Kind::Table(fields, form) = &node.kind else { return spliced(text, splices) };
        if *form == Form::Brackets && !dropped.is_empty() {
            let spans: Vec<Range<usize>> = fields.iter().map(|field| field.whole.clone()).collect();
            let row = |(index, span): (usize, &Range<usize>)| {
                let inside =
                    |splice: &&Splice| span.start - base <= splice.at.start && splice.at.end <= span.end - base;
                let moved = |splice: &Splice| Splice {
                    at: splice.at.start + base - span.start..splice.at.end + base - span.start,
                    with: splice.with.clone(),
                };
                let own = splices.iter().filter(inside).map(moved).collect();
                Row::Kept { index, text: spliced(&self.text[span.clone()], own) }
            };
            let kept = spans.iter().enumerate().filter(|(_, span)| !dropped.contains(span));
            let rows: Vec<Row> = kept.map(row).collect();
            let inner = bracketed(notation, self.text, (&node.span, &[]), &spans, &rows);
            return format!(
                "{}{}{}",
                &self.text[base..inner.at.start],
                inner.with,
                &self.text[inner.at.end..node.span.end]
            );
        }
        for field in dropped {
            let before = &self.text[..field.start];
            let lines = whole_lines(self.text, field);
            // An attribute goes with the blanks before it.
            let at = if lines == *field { before.trim_end().len()..field.end } else { lines };
            splices.push(Splice {
                at: at.start.max(base) - base..at.end.min(base + text.len()) - base,
                with: String::new(),
            });
        }
        spliced(text, splices)
    }

    /// An object where there is none to be like.
    pub fn plain_object(&self, notation: Notation, entry: &Entry, fields: &EntryFields) -> String {
        let on = || Some(on_word("", Some(fields), None));
        let said = [
            (fields.id.as_ref(), Some(self.named(entry, None))),
            (fields.version.as_ref(), entry.version.clone()),
            (fields.on.as_ref(), on()),
        ];
        let said = said.into_iter().filter_map(|(place, value)| {
            let parts = plain(&path_words(place?))?;
            let Some(Part::Name(name)) = parts.first() else { return None };
            Some((name.clone(), value?))
        });
        let said: Vec<(String, String)> = said.collect();
        if notation == Notation::Xml {
            let name = match &self.rule.form {
                ListForm::Document { each, .. } => xml_list(each).map(|(_, name)| name).unwrap_or_default(),
                _ => String::new(),
            };
            let (mut attributes, mut inner) = (String::new(), String::new());
            for (key, value) in said {
                let value = written(notation, None, Meant::Text, &value);
                match key.strip_prefix('@') {
                    Some(key) => attributes.push_str(&format!(" {key}=\"{value}\"")),
                    None if key == "#text" => inner.push_str(&value),
                    None => inner.push_str(&format!("<{key}>{value}</{key}>")),
                }
            }
            let end = if inner.is_empty() { " />".to_owned() } else { format!(">{inner}</{name}>") };
            return format!("<{name}{attributes}{end}");
        }
        let on = fields.on.as_ref().and_then(|at| plain(&path_words(at))).and_then(|parts| parts.first().cloned());
        let pair = |(name, value): &(String, String)| {
            let meant = if on == Some(Part::Name(name.clone())) { Meant::Value } else { Meant::Text };
            format!(
                "{}{}{}",
                key_text(notation, None, name),
                usual_sign(notation),
                written(notation, None, meant, value)
            )
        };
        let pairs: Vec<String> = said.iter().map(pair).collect();
        format!("{{ {} }}", pairs.join(", "))
    }
}

/// A version in place of a list of its numbers; nothing where it has not as many, or is no version of numbers alone.
fn numbers(list: &Node, version: &str, base: usize) -> Vec<Splice> {
    let each: Vec<&str> = version.split('.').collect();
    let is_number = |text: &&str| !text.is_empty() && text.len() < 10 && text.bytes().all(|byte| byte.is_ascii_digit());
    let items = list.items();
    if each.len() != items.len() || !each.iter().all(is_number) || !items.iter().all(Node::is_scalar) {
        return Vec::new();
    }
    let spliced = items
        .iter()
        .zip(each)
        .map(|(item, number)| Splice { at: item.span.start - base..item.span.end - base, with: number.to_owned() });
    spliced.collect()
}

/// An object without comments; it begins at that column of its line.
fn without_comments(notation: Notation, object: &str, column: usize) -> String {
    let text = format!("{}{object}", " ".repeat(column));
    let Ok(tree) = notation.tree(&text) else { return object.to_owned() };
    let comments = tree.comments(notation, &text);
    let out = |comment: &Range<usize>| {
        let start = text[..comment.start].trim_end_matches([' ', '\t']).len().max(column);
        let alone =
            start == line_start(&text, start) && text[comment.end..line_stop(&text, comment.end)].trim().is_empty();
        let end = if alone { line_stop(&text, comment.end) } else { comment.end };
        Splice { at: start..end, with: String::new() }
    };
    let bare = spliced(&text, comments.iter().map(out).collect());
    bare.get(column..).unwrap_or_default().to_owned()
}

/// The fields of a row that have one value each; of XML, children too.
fn leaves(node: &Node) -> impl Iterator<Item = (&Field, &Node)> {
    node.fields().iter().filter_map(|field| match (&field.node.kind, field.node.items()) {
        (Kind::Scalar(_), _) => Some((field, &field.node)),
        (_, [only]) if only.is_scalar() => Some((field, only)),
        _ => None,
    })
}
