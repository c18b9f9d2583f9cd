//! JSON, also with comments and trailing commas.

use jsonc_parser::ast::{ObjectProp, ObjectPropName, Value as Read};
use jsonc_parser::common::Ranged;
use jsonc_parser::{CollectOptions, ParseOptions};
use serde_json::Value;

use super::flaw::Flaw;
use super::kinds::{DocumentError, invalid};
use super::tree::{Field, Form, Kind, Node};
use crate::base::limits;

/// Reads a text as a tree.
pub fn tree(text: &str) -> Result<Node, DocumentError> {
    // What another parser of JSON says of a mistake is what people know.
    let told = || match serde_json::from_str::<serde::de::IgnoredAny>(text) {
        Err(error) => invalid("JSON", Flaw::told(error)),
        Ok(_) => invalid("JSON", Flaw::TooDeep),
    };
    if brackets_deep(text, (b"[{", b"]}")) > limits::DEPTH {
        return Err(told());
    }
    let options = ParseOptions {
        allow_comments: true,
        allow_trailing_commas: true,
        allow_loose_object_property_names: false,
        allow_missing_commas: false,
        allow_single_quoted_strings: false,
        allow_hexadecimal_numbers: false,
        ..ParseOptions::default()
    };
    let parsed = jsonc_parser::parse_to_ast(text, &CollectOptions::default(), &options).map_err(|_| told())?;
    node(text, &parsed.value.ok_or_else(told)?).ok_or_else(told)
}

fn node(text: &str, value: &Read<'_>) -> Option<Node> {
    let range = value.range();
    let span = range.start..range.end;
    let kind = match value {
        Read::Array(array) => {
            let items = array.elements.iter().map(|item| node(text, item));
            Kind::List(items.collect::<Option<_>>()?, Form::Brackets)
        }
        Read::Object(object) => {
            let fields = object.properties.iter().map(|property| field(text, property));
            Kind::Table(fields.collect::<Option<_>>()?, Form::Brackets)
        }
        Read::StringLit(text) => Kind::Scalar(Value::String(text.value.clone().into_owned())),
        Read::NumberLit(_) | Read::BooleanLit(_) | Read::NullKeyword(_) => {
            Kind::Scalar(serde_json::from_str(&text[span.clone()]).ok()?)
        }
    };
    Some(Node::new(span, kind))
}

fn field(text: &str, property: &ObjectProp<'_>) -> Option<Field> {
    let name = match &property.name {
        ObjectPropName::String(name) => name.value.clone().into_owned(),
        ObjectPropName::Word(_) => return None,
    };
    let key = property.name.range();
    let whole = property.range.start..property.range.end;
    Some(Field { name, key: key.start..key.end, whole, node: node(text, &property.value)? })
}

/// At least the depth of nesting, by the brackets that open and close; those in texts count too.
pub fn brackets_deep(text: &str, (opening, closing): (&[u8], &[u8])) -> usize {
    let (mut depth, mut deepest) = (0usize, 0);
    for byte in text.bytes() {
        if opening.contains(&byte) {
            depth += 1;
        } else if closing.contains(&byte) {
            depth = depth.saturating_sub(1);
        }
        deepest = deepest.max(depth);
    }
    deepest
}
