//! Judges: parsers that the program does not use, and what they find.

use std::collections::BTreeMap;

use kanon_core::text::Notation;
use serde_json::{Map, Value, json};

use crate::drawn::{Drawn, remark};

pub fn sorted(mut texts: Vec<String>) -> Vec<String> {
    texts.sort();
    texts
}

pub fn judge_json(text: &str) -> Result<Value, String> {
    use std::io::Read;
    let mut stripped = String::new();
    json_comments::StripComments::new(text.as_bytes()).read_to_string(&mut stripped).map_err(|e| e.to_string())?;
    let mut out = String::new();
    let (mut quoted, mut escaped) = (false, false);
    for (at, c) in stripped.char_indices() {
        if !quoted && c == ',' && stripped[at + 1..].trim_start().starts_with([']', '}']) {
            continue;
        }
        if c == '"' && !escaped {
            quoted = !quoted;
        }
        escaped = c == '\\' && !escaped;
        out.push(c);
    }
    serde_json::from_str(&out).map_err(|error| error.to_string())
}

pub fn judge_toml(text: &str) -> Result<Value, String> {
    fn of(value: &toml_span::Value<'_>) -> Value {
        use toml_span::value::ValueInner;
        match value.as_ref() {
            ValueInner::String(text) => Value::String(text.to_string()),
            ValueInner::Integer(number) => json!(number),
            ValueInner::Float(number) => json!(number),
            ValueInner::Boolean(flag) => json!(flag),
            ValueInner::Array(items) => items.iter().map(of).collect(),
            ValueInner::Table(table) => {
                Value::Object(table.iter().map(|(key, value)| (key.name.to_string(), of(value))).collect())
            }
        }
    }
    toml_span::parse(text).map(|value| of(&value)).map_err(|error| error.to_string())
}

pub fn judge_yaml(text: &str) -> Result<Value, String> {
    use yaml_rust2::{Yaml, YamlLoader};
    fn of(value: &Yaml) -> Value {
        match value {
            Yaml::Real(text) => Value::String(format!("real {text}")),
            Yaml::Integer(number) => json!(number),
            Yaml::String(text) => Value::String(text.clone()),
            Yaml::Boolean(flag) => json!(flag),
            Yaml::Array(items) => items.iter().map(of).collect(),
            Yaml::Hash(map) => Value::Object(
                map.iter()
                    .map(|(key, value)| {
                        (of(key).as_str().map_or_else(|| of(key).to_string(), str::to_owned), of(value))
                    })
                    .collect(),
            ),
            _ => Value::Null,
        }
    }
    let documents = YamlLoader::load_from_str(text).map_err(|error| error.to_string())?;
    Ok(Value::Array(documents.iter().map(of).collect()))
}

pub fn judge_xml(text: &str) -> Result<Value, String> {
    fn of(node: roxmltree::Node<'_, '_>) -> Value {
        let attributes: Map<String, Value> =
            node.attributes().map(|a| (a.name().to_owned(), json!(a.value()))).collect();
        let children: Vec<Value> = node.children().filter(roxmltree::Node::is_element).map(of).collect();
        let text: String = node.children().filter(roxmltree::Node::is_text).filter_map(|child| child.text()).collect();
        json!({"name": node.tag_name().name(), "attributes": attributes, "text": text.trim(), "children": children})
    }
    let options = roxmltree::ParsingOptions { allow_dtd: true, ..Default::default() };
    let document = roxmltree::Document::parse_with_options(text, options).map_err(|error| error.to_string())?;
    Ok(of(document.root_element()))
}

/// Lines of `key = value`, the simplest way that there is.
pub fn judge_lines(text: &str, marks: &[&str]) -> Result<Value, String> {
    let mut document = Map::new();
    let mut section = String::new();
    let text = if marks.contains(&"!") { text.replace("\\\n", "") } else { text.to_owned() };
    for line in text.lines().map(str::trim) {
        if line.is_empty() || marks.iter().any(|mark| line.starts_with(mark.trim())) {
            continue;
        }
        if line.starts_with('[') {
            section = line.split(']').next().unwrap_or_default()[1..].to_owned();
            continue;
        }
        let cut = marks.iter().filter_map(|mark| line.find(mark)).min().unwrap_or(line.len());
        let sign = line[..cut].find(['=', ':']).ok_or_else(|| format!("a line without a sign: {line}"))?;
        let rest = line[sign + 1..].trim();
        let value = if let Some(inner) = rest.strip_prefix('"') {
            inner.split('"').next().unwrap_or_default().to_owned()
        } else {
            // A mark behind the sign begins a comment, too.
            let rest = &line[sign + 1..];
            let spaced = marks.iter().filter(|mark| mark.len() > 1).filter_map(|mark| rest.find(&format!("{mark} ")));
            let cut = spaced.min().unwrap_or(rest.len());
            let cut = if marks.contains(&"; //") { rest.find(';').unwrap_or(cut).min(cut) } else { cut };
            let rest = rest[..cut].trim();
            rest.strip_suffix(';').unwrap_or(rest).trim().to_owned()
        };
        let key = format!("{section}/{}", line[..sign].trim());
        match document.entry(key).or_insert_with(|| json!([])) {
            Value::Array(list) => list.push(json!(value)),
            _ => return Err("no list".to_owned()),
        }
    }
    Ok(Value::Object(document))
}

pub fn judge(notation: Notation, text: &str) -> Result<Value, String> {
    match notation {
        Notation::Json => judge_json(text),
        Notation::Toml => judge_toml(text),
        Notation::Yaml => judge_yaml(text),
        Notation::Xml => judge_xml(text),
        Notation::Ini => judge_lines(text, &[" ;", " #"]),
        Notation::KeyValue => judge_lines(text, &[" #", " //", "; //", "; #"]),
        Notation::Properties => judge_lines(text, &["#", "!"]),
        Notation::Headers | Notation::Block => Err("it is only read".to_owned()),
    }
}

/// What must be so whatever is done: each remark stays, and beside what it stood.
pub fn judge_remarks(notation: Notation, after: &str, entries: &[Drawn], wanted: &[String]) -> Result<(), String> {
    let mut left: BTreeMap<String, usize> = BTreeMap::new();
    for text in entries.iter().flat_map(|entry| entry.above.iter().chain(&entry.behind)) {
        *left.entry(remark(text, notation)).or_default() += 1;
    }
    for (text, times) in &left {
        let found = after.matches(&format!("~{text}~")).count();
        if found != *times {
            return Err(format!("the remark {text:?} stands {found} times, not {times}"));
        }
    }
    let lines: Vec<&str> = after.lines().collect();
    for entry in entries.iter().filter(|entry| wanted.contains(&entry.id)) {
        let is_its = |line: &&str| line.split('~').next().is_some_and(|line| holds(line, &entry.id));
        let at = lines.iter().position(is_its);
        let Some(at) = at else { continue };
        if let Some(text) = &entry.behind {
            let text = format!("~{}~", remark(text, notation));
            let near = lines[at.saturating_sub(3)..].iter().take(8).any(|line| line.contains(&text));
            if !near {
                return Err(format!("the remark {text} is not behind {} any more", entry.id));
            }
        }
    }
    Ok(())
}

/// Whether a line holds an id as a word.
pub fn holds(line: &str, id: &str) -> bool {
    let is_part = |c: char| c.is_alphanumeric() || matches!(c, '-' | '.');
    line.match_indices(id).any(|(at, _)| !line[..at].ends_with(is_part) && !line[at + id.len()..].starts_with(is_part))
}

/// Whether a leaf names a mod: by its value, or by its key.
pub fn names(leaf: &str, id: &str) -> bool {
    let (key, value) = leaf.split_once('=').unwrap_or((leaf, ""));
    let last = key.rsplit('/').next().unwrap_or(key);
    value == id
        || value == format!("real {id}")
        || last == id
        || last == format!("bring_{id}")
        || value == format!("\u{1}{id}")
}

pub fn is_flag(leaf: &str) -> bool {
    ["=true", "=false", "=yes", "=no", "=1", "=0"].iter().any(|end| leaf.ends_with(end)) && !leaf.contains("port")
}

/// Every single value with its path; the place in a list does not count.
pub fn leaves(path: &str, value: &Value, found: &mut Vec<String>) {
    match value {
        Value::Object(map) => map.iter().for_each(|(key, value)| leaves(&format!("{path}/{key}"), value, found)),
        Value::Array(list) => list.iter().for_each(|value| leaves(path, value, found)),
        Value::String(text) => found.push(format!("{path}={text}")),
        other => found.push(format!("{path}={other}")),
    }
}
