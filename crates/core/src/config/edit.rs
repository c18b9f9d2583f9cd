//! `kanon.toml` as it is changed: what is not meant keeps its bytes.

use std::collections::HashMap;

use toml_edit::{ArrayOfTables, DocumentMut, Item, Table, value};

use super::model::{ModWish, RulebookPin, VERSION_KEYS};
use crate::base::ids::FoldedId;

/// What is to be written into the wishes.
#[derive(Debug, Clone, Default)]
pub struct Edit<'a> {
    /// Mods: known ones in place, new ones at the end.
    pub put: &'a [ModWish],
    /// Ids of mods to take out.
    pub remove: &'a [FoldedId],
    /// Where releases go and are found, to write.
    pub release: &'a [(&'static str, String)],
    /// Where the rulebook was fetched from, to write.
    pub rulebook_from: Option<&'a RulebookPin>,
    /// The game version to write.
    pub game_version: Option<&'a str>,
    /// Versions to write if none are there: of the game, its loader, and what it runs on.
    pub versions_found: [Option<&'a str>; 3],
}

/// What an edit of the wishes changed.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Edited {
    /// The new text.
    pub text: String,
    /// Ids that were not wished for before.
    pub added: Vec<FoldedId>,
    /// Ids whose wish was changed, with the old and the new version.
    pub changed: Vec<(FoldedId, String, String)>,
}

/// Why an edit could not be made.
#[derive(Debug, thiserror::Error)]
pub enum EditError {
    /// It is no TOML.
    #[error("kanon.toml can't be edited: {}", .0.message())]
    Toml(#[from] toml_edit::TomlError),
    /// Something stands where a table is to be.
    #[error("kanon.toml can't be edited: `{0}` must be written as a [{0}] table")]
    NoTable(&'static str),
    /// The mods are no list of tables.
    #[error("kanon.toml can't be edited: `mod` must be written as [[mod]] tables")]
    NoTables,
}

/// Edits the wishes. Everything that is not meant keeps its bytes.
///
/// # Errors
/// When the text is no TOML, or its `mod` is no list of tables.
pub fn edit(text: &str, edit: &Edit<'_>) -> Result<Edited, EditError> {
    let (mark, plain) = match text.strip_prefix('\u{feff}') {
        Some(plain) => ("\u{feff}", plain),
        None => ("", text),
    };
    let mut document: DocumentMut = plain.parse().map_err(EditError::Toml)?;
    let mut edited = Edited::default();
    for (key, found) in VERSION_KEYS.into_iter().zip(edit.versions_found) {
        if let Some(found) = found.filter(|_| !document.contains_key(key)) {
            document.insert(key, value(found));
        }
    }
    if let Some(game) = edit.game_version {
        set_text(document.as_table_mut(), "game-version", game);
    }
    if let Some(pin) = edit.rulebook_from {
        let table = document.entry("rulebook-from").or_insert_with(|| Item::Table(Table::new()));
        let table = table.as_table_mut().ok_or(EditError::NoTable("rulebook-from"))?;
        set_text(table, "at", &pin.at);
        set_text(table, "blake3", &pin.blake3.to_string());
    }
    if !edit.release.is_empty() {
        let table = document.entry("release").or_insert_with(|| Item::Table(Table::new()));
        let table = table.as_table_mut().ok_or(EditError::NoTable("release"))?;
        edit.release.iter().for_each(|(key, text)| set_text(table, key, text));
    }
    let mut tail = String::new();
    if !edit.put.is_empty() || document.contains_key("mod") {
        let tables = document.entry("mod").or_insert_with(|| Item::ArrayOfTables(ArrayOfTables::new()));
        let tables = tables.as_array_of_tables_mut().ok_or(EditError::NoTables)?;
        put(tables, edit.put, &mut edited);
        tail = remove(tables, edit.remove);
    }
    let written = document.to_string() + &tail;
    edited.text = mark.to_owned() + &with_line_ends_of(text, written);
    Ok(edited)
}

fn id_of(table: &Table) -> Option<FoldedId> {
    table.get("id").and_then(Item::as_str).map(FoldedId::from)
}

fn put(tables: &mut ArrayOfTables, wishes: &[ModWish], edited: &mut Edited) {
    let known: HashMap<FoldedId, usize> =
        tables.iter().enumerate().filter_map(|(index, table)| Some((id_of(table)?, index))).collect();
    let mut new: Vec<Table> = Vec::new();
    for wish in wishes {
        match known.get(&wish.id).and_then(|index| tables.get_mut(*index)) {
            Some(table) => update(table, wish, edited),
            None => {
                let mut table = Table::new();
                table.insert("id", value(wish.id.as_str()));
                update(&mut table, wish, &mut Edited::default());
                table.decor_mut().set_prefix("\n");
                new.push(table);
                edited.added.push(wish.id.clone());
            }
        }
    }
    if !new.is_empty() {
        insert(tables, new);
    }
}

/// Puts tables where they belong by their ids, if those that are there are in that order: two people who each add a mod then seldom add
/// it in the same place. Else at the end.
fn insert(tables: &mut ArrayOfTables, mut new: Vec<Table>) {
    let mut old: Vec<Table> = std::mem::take(tables).into_iter().collect();
    let is_in_order = !old.is_empty() && old.iter().map(id_of).is_sorted();
    if !is_in_order {
        let position = old.last().and_then(Table::position);
        new.iter_mut().for_each(|table| table.set_position(position));
        *tables = old.into_iter().chain(new).collect();
        return;
    }
    new.sort_by_key(id_of);
    let leads = new.first().map(id_of) < old.first().map(id_of);
    if let (true, Some(first), Some(table)) = (leads, old.first_mut(), new.first_mut()) {
        // A comment with a blank line after it is about all of them: it stays above.
        let prefix = first.decor().prefix().and_then(|prefix| prefix.as_str()).unwrap_or_default().to_owned();
        if let Some(end) = prefix.rfind("\n\n").filter(|end| prefix[..*end].contains('#')) {
            table.decor_mut().set_prefix(format!("{}\n\n", &prefix[..end]));
            first.decor_mut().set_prefix(prefix[end + 1..].to_owned());
        }
    }
    // Tables are written by their positions, and those of one position in their order.
    let mut position = old.first().and_then(Table::position);
    let mut all = ArrayOfTables::new();
    let mut new = new.into_iter().peekable();
    for table in old {
        while let Some(mut before) = new.next_if(|before| id_of(before) < id_of(&table)) {
            before.set_position(position);
            all.push(before);
        }
        position = table.position();
        all.push(table);
    }
    for mut last in new {
        last.set_position(position);
        all.push(last);
    }
    *tables = all;
}

/// Takes tables out, with the comment right above each. A comment with a blank line after it is about more than one
/// mod: it goes to the next table, or is returned when there is none.
fn remove(tables: &mut ArrayOfTables, ids: &[FoldedId]) -> String {
    let gone = |table: &Table| id_of(table).is_some_and(|id| ids.contains(&id));
    let mut carried = String::new();
    let mut index = 0;
    while let Some(table) = tables.get_mut(index) {
        let prefix = table.decor().prefix().and_then(|prefix| prefix.as_str()).unwrap_or_default().to_owned();
        if gone(table) {
            let shared = prefix.rfind("\n\n").map_or("", |end| &prefix[..end]);
            if shared.contains('#') {
                carried.push_str(shared);
                carried.push('\n');
            }
            tables.remove(index);
        } else {
            if !carried.is_empty() {
                table.decor_mut().set_prefix(std::mem::take(&mut carried) + &prefix);
            }
            index += 1;
        }
    }
    carried
}

fn update(table: &mut Table, wish: &ModWish, edited: &mut Edited) {
    let old = table.get("version").and_then(Item::as_str).unwrap_or("any").to_owned();
    let new = wish.version.clone().unwrap_or_else(|| "any".to_owned());
    for (key, wanted) in [("version", &wish.version), ("from", &wish.from), ("accepts", &wish.accepts)] {
        match wanted {
            Some(wanted) => set_text(table, key, wanted),
            None => drop(table.remove(key)),
        }
    }
    // Where a mod is needed is the administrator's word, once it is there.
    if let Some(side) = wish.needed_on.filter(|_| !table.contains_key("needed_on")) {
        set_text(table, "needed_on", side.as_str());
    }
    set_flag(table, "prereleases", wish.prereleases, false);
    set_flag(table, "asked", wish.asked, true);
    if old != new {
        edited.changed.push((wish.id.clone(), old, new));
    }
}

/// Puts a text in place of another, keeping the spaces and the comment around it.
fn set_text(table: &mut Table, key: &str, text: &str) {
    match table.get_mut(key).and_then(Item::as_value_mut) {
        Some(old) if old.as_str() == Some(text) => {}
        Some(old) => {
            let decor = old.decor().clone();
            *old = text.into();
            *old.decor_mut() = decor;
        }
        None => {
            table.insert(key, value(text));
        }
    }
}

/// A flag that says what is usual is left out.
fn set_flag(table: &mut Table, key: &str, flag: bool, usual: bool) {
    if flag == usual {
        // One that says so already stays.
        if table.get(key).and_then(Item::as_bool) == Some(!usual) {
            table.remove(key);
        }
    } else if table.get(key).and_then(Item::as_bool) != Some(flag) {
        table.insert(key, value(flag));
    }
}

/// The editor writes line feeds; a file from Windows keeps its line ends.
fn with_line_ends_of(original: &str, edited: String) -> String {
    if original.contains("\r\n") { edited.replace("\r\n", "\n").replace('\n', "\r\n") } else { edited }
}
