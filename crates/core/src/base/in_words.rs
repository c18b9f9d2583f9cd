//! Values that are a sentence in JSON: what they say of themselves.

/// Makes the JSON of a type, and the schema of that, of its [`Display`](std::fmt::Display).
macro_rules! in_words {
    ($($of:ident)*) => {$(
        impl serde::Serialize for $of {
            fn serialize<S: serde::Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
                serializer.collect_str(self)
            }
        }

        #[cfg(feature = "schema")]
        impl schemars::JsonSchema for $of {
            fn schema_name() -> std::borrow::Cow<'static, str> {
                stringify!($of).into()
            }

            fn inline_schema() -> bool {
                true
            }

            fn json_schema(_: &mut schemars::SchemaGenerator) -> schemars::Schema {
                schemars::json_schema!({ "type": "string" })
            }
        }
    )*};
}

pub(crate) use in_words;
