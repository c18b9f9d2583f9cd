//! A document as a tree whose every value knows where it stands in the text, so that one value can be changed and
//! nothing else. It mirrors the value that [`Notation::read`] makes of the same text.

use std::ops::Range;

use serde_json_path::NormalizedPath;

use super::{lines, xml, yaml};
use crate::document::Notation;

/// A value and where it stands.
#[derive(Debug, Clone, PartialEq)]
pub struct Node {
    /// All of it, with its quotes or brackets.
    pub span: Range<usize>,
    /// What it is.
    pub kind: Kind,
}

/// What a value is.
#[derive(Debug, Clone, PartialEq)]
pub enum Kind {
    /// A text, a number, a flag, or nothing.
    Scalar,
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

/// Reads a text as a tree.
///
/// # Errors
/// When it does not follow the notation, or says things in a way in which nothing can be told apart.
pub fn tree(notation: Notation, text: &str) -> Result<Node, String> {
    match notation {
        Notation::Json => json(text),
        Notation::Toml => toml_tree(text),
        Notation::Yaml => yaml::tree(text),
        Notation::Xml => xml::tree(text),
        Notation::Ini => Ok(lines::ini(text)),
        Notation::KeyValue => Ok(lines::key_value(text)),
        Notation::Properties => Ok(lines::properties(text)),
    }
}

impl Node {
    /// A text, a number or a flag.
    pub const fn scalar(span: Range<usize>) -> Self {
        Self { span, kind: Kind::Scalar }
    }

    /// The value at a place; of a list that has but one value, the value itself is its first.
    pub fn at(&self, path: &NormalizedPath<'_>) -> Option<&Self> {
        path.iter().try_fold(self, |node, element| match (&node.kind, element.as_name(), element.as_index()) {
            (Kind::Table(..), Some(name), _) => node.field(name).map(|field| &field.node),
            (Kind::List(items, _), _, Some(index)) => items.get(index),
            _ => None,
        })
    }

    /// The field of that name.
    pub fn field(&self, name: &str) -> Option<&Field> {
        self.fields().iter().find(|field| field.name == name)
    }

    /// The fields of a table; none of anything else.
    pub fn fields(&self) -> &[Field] {
        if let Kind::Table(fields, _) = &self.kind { fields } else { &[] }
    }

    /// The values of a list; none of anything else.
    pub fn items(&self) -> &[Self] {
        if let Kind::List(items, _) = &self.kind { items } else { &[] }
    }
}

fn json(text: &str) -> Result<Node, String> {
    let parsed = jsonc_parser::parse_to_ast(text, &Default::default(), &Default::default());
    let value = parsed.map_err(|error| error.to_string())?.value.ok_or("it is empty")?;
    Ok(json_node(&value))
}

fn json_node(value: &jsonc_parser::ast::Value<'_>) -> Node {
    use jsonc_parser::ast::Value;
    use jsonc_parser::common::Ranged;
    let range = value.range();
    let kind = match value {
        Value::Array(array) => Kind::List(array.elements.iter().map(json_node).collect(), Form::Brackets),
        Value::Object(object) => {
            let field = |property: &jsonc_parser::ast::ObjectProp<'_>| Field {
                name: property.name.as_str().to_owned(),
                whole: property.range.start..property.range.end,
                node: json_node(&property.value),
            };
            Kind::Table(object.properties.iter().map(field).collect(), Form::Brackets)
        }
        _ => Kind::Scalar,
    };
    Node { span: range.start..range.end, kind }
}

fn toml_tree(text: &str) -> Result<Node, String> {
    let table = toml::de::DeTable::parse(text).map_err(|error| error.message().to_owned())?;
    Ok(Node { span: 0..text.len(), kind: Kind::Table(toml_fields(text, table.get_ref()), Form::Lines) })
}

fn toml_fields(text: &str, table: &toml::de::DeTable<'_>) -> Vec<Field> {
    let mut fields: Vec<Field> = table
        .iter()
        .map(|(key, value)| {
            let node = toml_node(text, value);
            let name = key.get_ref().as_ref().to_owned();
            Field { name, whole: key.span().start.min(node.span.start)..node.span.end, node }
        })
        .collect();
    fields.sort_by_key(|field| field.whole.start);
    fields
}

fn toml_node(text: &str, value: &toml::Spanned<toml::de::DeValue<'_>>) -> Node {
    use toml::de::DeValue;
    let span = value.span();
    let kind = match value.get_ref() {
        DeValue::Array(items) => {
            let items: Vec<Node> = items.iter().map(|item| toml_node(text, item)).collect();
            let tables = items.first().is_some_and(|item| text[item.span.clone()].starts_with("[["));
            Kind::List(items, if tables { Form::Lines } else { Form::Brackets })
        }
        DeValue::Table(table) => {
            let form = if text[span.clone()].starts_with('{') { Form::Brackets } else { Form::Lines };
            Kind::Table(toml_fields(text, table), form)
        }
        _ => Kind::Scalar,
    };
    Node { span, kind }
}
