//! TOML.

use serde_json::Value;
use toml::de::{DeTable, DeValue};

use super::flaw::Flaw;
use super::kinds::{DocumentError, invalid};
use super::tree::{Field, Form, Kind, Node};

/// Reads a text as a tree.
pub fn tree(text: &str) -> Result<Node, DocumentError> {
    let table = DeTable::parse(text).map_err(|error| {
        let flaw = Flaw::told(error.message());
        invalid("TOML", error.span().map_or_else(|| flaw.clone().into(), |span| flaw.clone().at(text, span.start)))
    })?;
    Ok(Node::new(0..text.len(), Kind::Table(fields(text, table.get_ref()), Form::Lines)))
}

fn fields(text: &str, table: &DeTable<'_>) -> Vec<Field> {
    let mut fields: Vec<Field> = table
        .iter()
        .map(|(key, value)| {
            let node = node(text, value);
            let name = key.get_ref().as_ref().to_owned();
            Field { name, key: key.span(), whole: key.span().start.min(node.span.start)..node.span.end, node }
        })
        .collect();
    fields.sort_by_key(|field| field.whole.start);
    fields
}

fn node(text: &str, value: &toml::Spanned<DeValue<'_>>) -> Node {
    let span = value.span();
    let written = text.get(span.clone()).unwrap_or_default();
    let kind = match value.get_ref() {
        DeValue::Array(items) => {
            let items: Vec<Node> = items.iter().map(|item| node(text, item)).collect();
            let tables = items.first().is_some_and(|item| text[item.span.clone()].starts_with("[["));
            Kind::List(items, if tables { Form::Lines } else { Form::Brackets })
        }
        DeValue::Table(table) => {
            let form = if written.starts_with('{') { Form::Brackets } else { Form::Lines };
            Kind::Table(fields(text, table), form)
        }
        DeValue::String(value) => Kind::Scalar(Value::String(value.clone().into_owned())),
        DeValue::Boolean(value) => Kind::Scalar(Value::Bool(*value)),
        DeValue::Integer(value) => {
            let read = i64::from_str_radix(value.as_str(), value.radix());
            Kind::Scalar(read.map_or_else(|_| Value::String(written.to_owned()), Value::from))
        }
        DeValue::Float(value) => Kind::Scalar(value.as_str().parse::<f64>().map_or(Value::Null, Value::from)),
        DeValue::Datetime(_) => Kind::Scalar(Value::String(written.to_owned())),
    };
    Node::new(span, kind)
}
