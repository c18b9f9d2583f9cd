//! A TOML text that is written anew: tables in order, and above each line what there is to say of it.

use std::fmt;

use toml_edit::{Array, ArrayOfTables, Decor, DocumentMut, InlineTable, Item, Key, Table, Value};

use crate::base::path::printable;

/// A text on one line, in the quotes that need no escapes where there are such.
pub fn text(text: &str) -> Value {
    let is_plain = !text.chars().any(char::is_control);
    if is_plain && !text.contains(['"', '\\']) {
        as_written(&format!("\"{text}\""), text)
    } else if is_plain && !text.contains('\'') {
        as_written(&format!("'{text}'"), text)
    } else {
        escaped(text)
    }
}

/// A pattern on one line: in single quotes, between which a backslash is one.
pub fn pattern(pattern: &str) -> Value {
    let quote = if pattern.contains('\'') { "'''" } else { "'" };
    let is_plain = !pattern.contains("'''") && !pattern.starts_with('\'') && !pattern.ends_with('\'');
    if is_plain && !pattern.chars().any(char::is_control) {
        as_written(&format!("{quote}{pattern}{quote}"), pattern)
    } else {
        escaped(pattern)
    }
}

/// JSON's escapes are TOML's too, but for one sign.
fn escaped(text: &str) -> Value {
    as_written(&serde_json::Value::from(text).to_string().replace('\u{7f}', "\\u007F"), text)
}

/// A value that keeps the way in which it is written.
fn as_written(written: &str, meant: &str) -> Value {
    let read = written.parse::<Value>().ok().filter(|value| value.as_str() == Some(meant));
    read.unwrap_or_else(|| Value::from(meant))
}

/// Texts in brackets.
pub fn texts<T: AsRef<str>>(each: impl IntoIterator<Item = T>) -> Value {
    list(each.into_iter().map(|one| text(one.as_ref())))
}

/// Values in brackets.
pub fn list(values: impl IntoIterator<Item = Value>) -> Value {
    Value::Array(values.into_iter().collect())
}

/// Values in brackets, each on a line of its own.
pub fn tall_list(values: impl IntoIterator<Item = Value>) -> Value {
    let mut array = Array::new();
    for value in values {
        array.push_formatted(value.decorated("\n    ", ""));
    }
    array.set_trailing("\n");
    array.set_trailing_comma(true);
    Value::Array(array)
}

/// A table on one line.
pub fn inline<K: AsRef<str>>(pairs: impl IntoIterator<Item = (K, Value)>) -> Value {
    let mut table = InlineTable::new();
    for (key, value) in pairs {
        table.insert(key.as_ref(), value);
    }
    Value::InlineTable(table)
}

/// A text while it is written, from its head to its end.
#[derive(Debug, Clone, Default)]
pub struct Page {
    /// What stands before the first table.
    head: Table,
    sections: Vec<Section>,
    /// What is to stand above the next line, or table.
    comments: String,
}

#[derive(Debug, Clone)]
struct Section {
    path: Vec<&'static str>,
    is_repeated: bool,
    table: Table,
}

impl Page {
    /// A comment on a line of its own. It may hold words out of strangers' files: nothing but plain text passes.
    pub fn comment(&mut self, text: &str) {
        self.comments.push_str(&format!("# {}\n", printable(text)));
    }

    /// A line that is left free.
    pub fn gap(&mut self) {
        self.comments.push('\n');
    }

    /// Begins a table; what it is part of stands before.
    pub fn table(&mut self, path: &[&'static str]) {
        self.begin(path, false);
    }

    /// Begins one of several tables of one name.
    pub fn repeated(&mut self, path: &[&'static str]) {
        self.begin(path, true);
    }

    fn begin(&mut self, path: &[&'static str], is_repeated: bool) {
        // What stands above a gap belongs to the table before it.
        let has_gap = self.comments.starts_with('\n') || self.comments.contains("\n\n");
        let is_first = self.head.is_empty() && self.sections.is_empty();
        if !has_gap && !is_first {
            self.gap();
        }
        let mut table = Table::new();
        table.decor_mut().set_prefix(std::mem::take(&mut self.comments));
        self.sections.push(Section { path: path.to_vec(), is_repeated, table });
    }

    /// Puts comments above a line at the head, and above what is said of it there.
    pub fn above(&mut self, key: &str, comments: impl IntoIterator<Item = String>) {
        let Some(mut key) = self.head.key_mut(key) else { return };
        let told: String = comments.into_iter().map(|comment| format!("# {}\n", printable(&comment))).collect();
        let own = key.leaf_decor().prefix().and_then(|prefix| prefix.as_str()).unwrap_or_default().to_owned();
        key.leaf_decor_mut().set_prefix(told + &own);
    }

    /// The next line of the table that was begun last.
    pub fn line(&mut self, key: &str, value: Value) {
        let above = std::mem::take(&mut self.comments);
        let key = Key::new(key).with_leaf_decor(Decor::new(above, " "));
        let table = self.sections.last_mut().map_or(&mut self.head, |section| &mut section.table);
        table.insert_formatted(&key, Item::Value(value.decorated(" ", "")));
    }
}

impl fmt::Display for Page {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let mut document = DocumentMut::new();
        *document.as_table_mut() = self.head.clone();
        for section in &self.sections {
            place(document.as_table_mut(), &section.path, section);
        }
        document.set_trailing(self.comments.clone());
        document.fmt(f)
    }
}

/// Puts a table where its path leads: into the last one of those that are repeated.
fn place(parent: &mut Table, path: &[&str], section: &Section) -> Option<()> {
    let (own, rest) = path.split_first()?;
    if rest.is_empty() && section.is_repeated {
        let all = parent.entry(own).or_insert_with(|| Item::ArrayOfTables(ArrayOfTables::new()));
        all.as_array_of_tables_mut()?.push(section.table.clone());
        return Some(());
    }
    if rest.is_empty() {
        parent.insert(own, Item::Table(section.table.clone()));
        return Some(());
    }
    let inner = match parent.get_mut(own)? {
        Item::Table(table) => table,
        Item::ArrayOfTables(all) => {
            let last = all.len().checked_sub(1)?;
            all.get_mut(last)?
        }
        Item::None | Item::Value(_) => return None,
    };
    place(inner, rest, section)
}

#[cfg(test)]
#[path = "../tests/page.rs"]
mod tests;
