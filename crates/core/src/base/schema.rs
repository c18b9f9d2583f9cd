//! What values with a form of their own are in JSON, as schemas; only for the tests that write and hold `docs/schemas`.

use std::borrow::Cow;

use schemars::{JsonSchema, Schema, SchemaGenerator, json_schema};

use super::digest::{Blake3, Sha256};
use super::ids::FoldedId;
use super::remedy::Remedy;

macro_rules! text {
    ($($of:ty, $name:literal, $about:literal $(, $pattern:literal)?;)*) => {$(
        impl JsonSchema for $of {
            fn schema_name() -> Cow<'static, str> {
                $name.into()
            }

            fn inline_schema() -> bool {
                true
            }

            fn json_schema(_: &mut SchemaGenerator) -> Schema {
                json_schema!({ "type": "string", "description": $about $(, "pattern": $pattern)? })
            }
        }
    )*};
}

text! {
    FoldedId, "id", "The id of a mod, as it was spelt.";
    Blake3, "blake3", "A BLAKE3 digest.", "^[0-9a-f]{64}$";
    Sha256, "sha256", "A SHA-256 digest.", "^[0-9a-f]{64}$";
}

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
