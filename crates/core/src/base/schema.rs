//! What values with a form of their own are in JSON, as schemas; only for the tests that write and hold `docs/schemas`.

use std::borrow::Cow;

use schemars::{JsonSchema, Schema, SchemaGenerator, json_schema};

use super::digest::{Blake3, Sha256};
use super::ids::FoldedId;
use super::remedy::Remedy;

/// A type that is a text in JSON, with what else is known of it.
macro_rules! text {
    ($of:ty, $name:expr, { $($key:literal: $value:literal),* }) => {
        impl schemars::JsonSchema for $of {
            fn schema_name() -> std::borrow::Cow<'static, str> {
                $name.into()
            }

            fn inline_schema() -> bool {
                true
            }

            fn json_schema(_: &mut schemars::SchemaGenerator) -> schemars::Schema {
                schemars::json_schema!({ "type": "string" $(, $key: $value)* })
            }
        }
    };
}

pub(crate) use text;

text!(FoldedId, "id", { "description": "The id of a mod, as it was spelt." });
text!(Blake3, "blake3", { "description": "A BLAKE3 digest.", "pattern": "^[0-9a-f]{64}$" });
text!(Sha256, "sha256", { "description": "A SHA-256 digest.", "pattern": "^[0-9a-f]{64}$" });

impl JsonSchema for Remedy {
    fn schema_name() -> Cow<'static, str> {
        "remedy".into()
    }

    fn json_schema(_: &mut SchemaGenerator) -> Schema {
        json_schema!({
            "type": "object",
            "properties": {
                "remedy": { "type": "string", "description": "What to do, as a sentence." },
                "command": { "type": ["string", "null"], "description": "The command in it, where there is one." }
            },
            "required": ["remedy", "command"]
        })
    }
}
