//! `docs/schemas` is what the structs of the reports say, and nothing else: written anew where `KANON_WRITE_DOCS` is set.

use std::path::PathBuf;

use schemars::generate::SchemaSettings;
use schemars::{JsonSchema, Schema};
use serde::Serialize as _;
use serde_json::{Value, json};

use super::*;
use crate::{render, words};
use kanon_core::{canon, findings, logs, resolve, survey as surveyed};

fn of<T: JsonSchema>() -> Schema {
    SchemaSettings::draft2020_12().for_serialize().into_generator().into_root_schema_for::<T>()
}

/// The name in each format, and what it is.
fn reports() -> Vec<(&'static str, Schema)> {
    vec![
        ("adopted", of::<render::seal::Adopted>()),
        ("alignment", of::<render::align::Report>()),
        ("alignments", of::<render::align::Batch>()),
        ("canon", of::<canon::Canon>()),
        ("canons", of::<history::CanonReport>()),
        ("catalogue", of::<resolve::catalogue::Catalogue>()),
        ("catalogue-made", of::<catalogue::Report>()),
        ("change", of::<words::changes::ChangeReport>()),
        ("check", of::<render::check::Report>()),
        ("comparison", of::<findings::compare::Matrix>()),
        ("diagnosis", of::<diagnose::Report<'_>>()),
        ("exported", of::<export::Report<'_>>()),
        ("following", of::<follow::Report<'_>>()),
        ("handout", of::<handout::Report<'_>>()),
        ("health", of::<logs::health::Health>()),
        ("history", of::<history::Report<'_>>()),
        ("invite", of::<invite::Report>()),
        ("isolation", of::<isolate::Report<'_>>()),
        ("keys", of::<kanon_app::keys::KeyReport>()),
        ("learned", of::<learn::Report<'_>>()),
        ("learned-logs", of::<learn::OfLogs>()),
        ("line", of::<line::Report<'_>>()),
        ("publication", of::<publish::Report<'_>>()),
        ("receipt", of::<kanon_io::install::Receipt>()),
        ("recipe", of::<canon::release::Recipe>()),
        ("rehearsal", of::<rehearse::Report<'_>>()),
        ("release", of::<canon::release::Release>()),
        ("renewal", of::<kanon_app::renewing::Renewal>()),
        ("report", of::<report::Report<'_>>()),
        ("rulebook-check", of::<rulebook::Report<'_>>()),
        ("rulebook-renewal", of::<rulebook_renew::Report<'_>>()),
        ("seal", of::<render::seal::Report>()),
        ("search", of::<kanon_app::searching::Search>()),
        ("status", of::<status::Report<'_>>()),
        ("survey", of::<surveyed::Survey>()),
        ("undo", of::<undo::Report<'_>>()),
        ("why", of::<why::Report>()),
        ("wishes", of::<render::wishes::Report>()),
    ]
}

/// The schema of a format as it is in the docs: its title is the format's name, and the first field says nothing else.
fn shown(name: &str, schema: Schema) -> String {
    let format = match name {
        "recipe" => canon::release::RECIPE_FORMAT.to_owned(),
        _ => format!("kanon-{name}/1"),
    };
    let mut schema = schema.to_value();
    plain(&mut schema);
    let mut head = json!({
        "$schema": schema["$schema"],
        "title": format,
        "description": schema["description"].as_str().expect("a struct of a report says what it is"),
        "type": "object",
    });
    head["properties"] = schema["properties"].clone();
    head["properties"]["format"] = json!({ "const": format });
    if name == "canon" {
        let seal = "The digest of what stands before it; canons of older programs have none.";
        head["properties"]["seal"] = json!({ "type": "string", "pattern": "^[0-9a-f]{64}$", "description": seal });
    }
    for (key, value) in schema.as_object().into_iter().flatten() {
        if head.get(key).is_none() {
            head[key] = value.clone();
        }
    }
    let mut text = Vec::new();
    let narrow = serde_json::ser::PrettyFormatter::with_indent(b" ");
    head.serialize(&mut serde_json::Serializer::with_formatter(&mut text, narrow)).expect("JSON");
    String::from_utf8(text).expect("text") + "\n"
}

/// One paragraph a description, and no widths of numbers.
fn plain(schema: &mut Value) {
    match schema {
        Value::Object(map) => {
            if matches!(
                map.get("format").and_then(Value::as_str),
                Some("uint" | "uint8" | "uint16" | "uint32" | "uint64" | "int64" | "double")
            ) {
                map.shift_remove("format");
            }
            if let Some(Value::String(text)) = map.get_mut("description") {
                *text = text.replace('\n', " ");
            }
            map.values_mut().for_each(plain);
        }
        Value::Array(items) => items.iter_mut().for_each(plain),
        _ => {}
    }
}

fn file_name(name: &str) -> String {
    format!("{name}.schema.json")
}

#[test]
fn the_docs_have_the_schemas_of_what_is_written() {
    let folder = PathBuf::from(concat!(env!("CARGO_MANIFEST_DIR"), "/../../docs/schemas"));
    let mut other = Vec::new();
    for (name, schema) in reports() {
        let (path, text) = (folder.join(file_name(name)), shown(name, schema));
        if std::env::var_os("KANON_WRITE_DOCS").is_some() {
            std::fs::write(&path, &text).expect("written");
        }
        let there = std::fs::read_to_string(&path).unwrap_or_default();
        if there.replace("\r\n", "\n") != text {
            other.push(name.to_owned());
        }
    }
    // What people write is described by hand; nothing else lies there.
    let known: Vec<String> = reports().into_iter().map(|(name, _)| name).chain(["rulebook"]).map(file_name).collect();
    let names = std::fs::read_dir(folder).expect("docs/schemas").map(|entry| entry.expect("an entry").file_name());
    other.extend(names.filter_map(|name| name.into_string().ok()).filter(|name| !known.contains(name)));
    assert_eq!(other, [""; 0], "KANON_WRITE_DOCS=1 cargo test -p kanon --bin kanon schemas writes them anew");
}
