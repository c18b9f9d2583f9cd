//! A document as a tree whose every value knows where it stands in the text: JSONPath walks its values, and edits change one
//! place and nothing else.

use std::ops::Range;

use serde_json::{Map, Value};
use serde_json_path::NormalizedPath;

use super::kinds::Notation;

/// A value and where it stands.
#[derive(Debug, Clone, PartialEq)]
pub struct Node {
    /// All of it, with its quotes or brackets; of a text in XML, the text alone.
    pub span: Range<usize>,
    /// What it is.
    pub kind: Kind,
    /// The element that it is, in XML.
    pub tag: Option<Box<Tag>>,
}

/// What a value is.
#[derive(Debug, Clone, PartialEq)]
pub enum Kind {
    /// A text, a number, a flag, or nothing.
    Scalar(Value),
    /// Something that is not written where it stands, or not in one piece: an alias, a text with comments in it.
    Elsewhere(Value),
    /// Values one after another.
    List(Vec<Node>, Form),
    /// Values by name.
    Table(Vec<Field>, Form),
}

/// A value with a name.
#[derive(Debug, Clone, PartialEq)]
pub struct Field {
    /// The name.
    pub name: String,
    /// Where the name stands, with its quotes.
    pub key: Range<usize>,
    /// Name and value, from the first character of the one to the last of the other.
    pub whole: Range<usize>,
    /// The value.
    pub node: Node,
}

/// How what is in a list or a table is told apart.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Form {
    /// Between one pair of brackets, by commas.
    Brackets,
    /// By lines.
    Lines,
    /// As elements one after another.
    Elements,
}

/// Where the parts of an XML element stand.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Tag {
    /// Its name.
    pub name: String,
    /// All of it.
    pub span: Range<usize>,
    /// Its start tag.
    pub open: Range<usize>,
    /// What is between its tags; nothing of one that is only `<name/>`.
    pub content: Option<Range<usize>>,
    /// Where its last child ends.
    pub last_child: Option<Range<usize>>,
}

impl Node {
    /// A value of any kind.
    pub const fn new(span: Range<usize>, kind: Kind) -> Self {
        Self { span, kind, tag: None }
    }

    /// A text.
    pub fn text(span: Range<usize>, text: &str) -> Self {
        Self::new(span, Kind::Scalar(Value::String(text.to_owned())))
    }

    /// The value at a place.
    pub fn at(&self, path: &NormalizedPath<'_>) -> Option<&Self> {
        path.iter().try_fold(self, |node, element| match (&node.kind, element.as_name(), element.as_index()) {
            (Kind::Table(..), Some(name), _) => node.field(name).map(|field| &field.node),
            (Kind::List(items, _), _, Some(index)) => items.get(index),
            _ => None,
        })
    }

    /// The field of that name; of several, the last one counts.
    pub fn field(&self, name: &str) -> Option<&Field> {
        self.fields().iter().rfind(|field| field.name == name)
    }

    /// The fields of a table; none of anything else.
    pub fn fields(&self) -> &[Field] {
        if let Kind::Table(fields, _) = &self.kind { fields } else { &[] }
    }

    /// The values of a list; none of anything else.
    pub fn items(&self) -> &[Self] {
        if let Kind::List(items, _) = &self.kind { items } else { &[] }
    }

    /// Whether it is a text, a number, a flag or nothing, and stands in one piece.
    pub const fn is_scalar(&self) -> bool {
        matches!(self.kind, Kind::Scalar(_))
    }

    /// As a value.
    pub fn value(&self) -> Value {
        match &self.kind {
            Kind::Scalar(value) | Kind::Elsewhere(value) => value.clone(),
            Kind::List(items, _) => items.iter().map(Self::value).collect(),
            Kind::Table(fields, _) => {
                let mut map = Map::new();
                for field in fields {
                    map.insert(field.name.clone(), field.node.value());
                }
                Value::Object(map)
            }
        }
    }

    /// As a value, without keeping the tree.
    pub fn into_value(self) -> Value {
        match self.kind {
            Kind::Scalar(value) | Kind::Elsewhere(value) => value,
            Kind::List(items, _) => items.into_iter().map(Self::into_value).collect(),
            Kind::Table(fields, _) => {
                let mut map = Map::new();
                for field in fields {
                    map.insert(field.name, field.node.into_value());
                }
                Value::Object(map)
            }
        }
    }

    /// The end of the last value in it.
    pub fn last(&self) -> usize {
        let inner = self.fields().iter().map(|field| field.node.last()).chain(self.items().iter().map(Self::last));
        inner.max().unwrap_or(self.span.end).max(self.span.end)
    }

    /// Where names and single values stand, in their order.
    fn occupied(&self, found: &mut Vec<Range<usize>>) {
        match &self.kind {
            Kind::Scalar(_) | Kind::Elsewhere(_) => found.push(self.span.clone()),
            Kind::List(items, _) => items.iter().for_each(|item| item.occupied(found)),
            Kind::Table(fields, _) => {
                for field in fields {
                    found.push(field.key.clone());
                    field.node.occupied(found);
                }
            }
        }
    }

    /// The comments in the part of a text that this stands in, in their order; of XML, processing instructions too.
    pub fn comments(&self, notation: Notation, text: &str) -> Vec<Range<usize>> {
        self.comments_within(notation, text, self.span.clone())
    }

    /// The comments in a part of a text in which no values stand but those of this.
    pub fn comments_within(&self, notation: Notation, text: &str, part: Range<usize>) -> Vec<Range<usize>> {
        let mut occupied = Vec::new();
        if notation != Notation::Xml {
            self.occupied(&mut occupied);
            occupied.sort_by_key(|span| span.start);
        }
        let mut comments = Vec::new();
        let mut at = part.start;
        for span in occupied.into_iter().chain(std::iter::once(part.end..part.end)) {
            if span.start > at {
                comments_in(notation, text, at..span.start, &mut comments);
            }
            at = at.max(span.end);
        }
        comments
    }
}

/// The comments in a part of a text in which no value stands.
pub fn comments_in(notation: Notation, text: &str, gap: Range<usize>, found: &mut Vec<Range<usize>>) {
    let mut at = gap.start;
    while at < gap.end {
        let rest = &text[at..gap.end];
        let Some(offset) = rest.find(['#', '/', ';', '!', '<']) else { return };
        let start = at + offset;
        let here = &text[start..gap.end];
        let line = text[start..].find('\n').map_or(text.len(), |end| start + end);
        let fresh = text[..start].chars().next_back().is_none_or(char::is_whitespace);
        let first =
            || text[..start].trim_end_matches([' ', '\t', '\u{c}']).chars().next_back().is_none_or(|c| c == '\n');
        let end = match notation {
            Notation::Json if here.starts_with("//") => Some(line),
            Notation::Json if here.starts_with("/*") => Some(here.find("*/").map_or(gap.end, |end| start + end + 2)),
            Notation::Toml if here.starts_with('#') => Some(line),
            Notation::Yaml if here.starts_with('#') && fresh => Some(line),
            Notation::Xml if here.starts_with("<!--") => Some(here.find("-->").map_or(gap.end, |end| start + end + 3)),
            Notation::Xml if here.starts_with("<?") => Some(here.find("?>").map_or(gap.end, |end| start + end + 2)),
            Notation::Xml if here.starts_with("<![CDATA[") => {
                at = here.find("]]>").map_or(gap.end, |end| start + end + 3);
                continue;
            }
            Notation::Ini | Notation::KeyValue if here.starts_with(['#', ';']) && fresh => Some(line),
            Notation::KeyValue if here.starts_with("//") => Some(line),
            // The semicolon that ends a value is none.
            Notation::KeyValue if here.starts_with('#') => Some(line),
            Notation::Properties if here.starts_with(['#', '!']) && first() => Some(line),
            _ => None,
        };
        match end {
            Some(end) => {
                let end = start + text[start..end].trim_end().len();
                found.push(start..end);
                at = end.max(start + 1);
            }
            None => at = start + 1,
        }
    }
}
