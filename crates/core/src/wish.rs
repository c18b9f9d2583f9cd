//! The wish: `kanon.toml`, read with every mistake told at its place, and edited without losing a comment.

use std::collections::{HashMap, HashSet};
use std::ops::Range;

use toml_edit::{DocumentMut, Item, Table, value};

use crate::problem::{BadFile, Parsed, Problems, settle};
use crate::rulebook::Role;
use crate::section::{Section, read_root};
use crate::survey::NeededOn;

/// The first line of every `kanon.toml`.
pub const FORMAT: &str = "kanon/1";

/// What to do with a client's mods that the canon does not have and that the server does not mind.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Extras {
    /// Leave them; a note says they are there.
    #[default]
    Keep,
    /// Ask before each alignment; until then they are risky.
    Ask,
    /// They block, and an alignment parks them.
    Forbid,
}

/// What the administrator wishes for.
#[derive(Debug, Clone, Default)]
pub struct Wishes {
    /// The canon's name.
    pub name: String,
    /// The rulebook's file, relative to the workspace.
    pub rulebook: String,
    /// The game version that everybody must have.
    pub game_version: Option<String>,
    /// The loader version that everybody must have.
    pub loader_version: Option<String>,
    /// The policy for a client's extra mods.
    pub extras: Extras,
    /// The installs it is about.
    pub installs: Vec<InstallWish>,
    /// Where releases of mods come from.
    pub sources: Vec<SourceWish>,
    /// The mods.
    pub mods: Vec<ModWish>,
}

/// An install that the workspace knows by name.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct InstallWish {
    /// Its name.
    pub name: String,
    /// Server or client.
    pub role: Role,
    /// Its folder, relative to the workspace or absolute.
    pub at: String,
}

/// A folder of downloads.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SourceWish {
    /// Its name.
    pub name: String,
    /// The folder, relative to the workspace or absolute.
    pub at: String,
}

/// One mod that is wished for.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct ModWish {
    /// Its id.
    pub id: String,
    /// Which releases will do; a version without a sign is just that one. Any when not said.
    pub version: Option<String>,
    /// Where it is needed, against what the mod says itself.
    pub needed_on: Option<NeededOn>,
    /// The install or source whose copy counts.
    pub from: Option<String>,
    /// Where it stands in the file.
    pub span: Range<usize>,
}

/// Reads a `kanon.toml`; `name` is how messages call the file.
///
/// # Errors
/// With every mistake that was found, each tied to its place.
pub fn parse(name: &str, text: &str) -> Result<Parsed<Wishes>, BadFile> {
    let problems = Problems::default();
    let wishes = read_root(text, "kanon.toml", &problems, wishes);
    settle(name, text, wishes, problems)
}

fn wishes(root: &Section<'_>) -> Wishes {
    crate::rulebook::check_format(root, FORMAT);
    let policy = root.section("policy");
    let (installs, sources) = (root.named_sections("install"), root.named_sections("source"));
    let places: Vec<&str> = installs.iter().chain(&sources).map(|((name, _), _)| *name).collect();
    let wishes = Wishes {
        name: root.owned_text("name"),
        rulebook: root.owned_text("rulebook"),
        game_version: root.optional_text("game-version"),
        loader_version: root.optional_text("loader-version"),
        extras: policy.as_ref().and_then(extras).unwrap_or_default(),
        installs: installs.into_iter().filter_map(|((name, _), section)| install(name, section)).collect(),
        sources: sources.into_iter().map(|((name, _), section)| source(name, section)).collect(),
        mods: root.sections("mod").into_iter().map(mod_wish).collect(),
    };
    policy.into_iter().for_each(Section::finish);
    check_twice(root, &wishes);
    check_places(root, &wishes, &places);
    wishes
}

fn extras(policy: &Section<'_>) -> Option<Extras> {
    policy.one_of("client-extras", &[("keep", Extras::Keep), ("ask", Extras::Ask), ("forbid", Extras::Forbid)])
}

fn install(name: &str, section: Section<'_>) -> Option<InstallWish> {
    let role = section.required_one_of("role", &[("server", Role::Server), ("client", Role::Client)]);
    let at = section.owned_text("at");
    section.finish();
    Some(InstallWish { name: name.to_owned(), role: role?, at })
}

fn source(name: &str, section: Section<'_>) -> SourceWish {
    let at = section.owned_text("at");
    section.finish();
    SourceWish { name: name.to_owned(), at }
}

fn mod_wish(section: Section<'_>) -> ModWish {
    let sides =
        [NeededOn::Both, NeededOn::Server, NeededOn::Client, NeededOn::Optional].map(|side| (side.as_str(), side));
    let wish = ModWish {
        id: section.owned_text("id"),
        version: section.optional_text("version"),
        needed_on: section.one_of("needed_on", &sides),
        from: section.optional_text("from"),
        span: section.span(),
    };
    section.finish();
    wish
}

fn check_twice(root: &Section<'_>, wishes: &Wishes) {
    let mut seen = HashSet::new();
    for wish in wishes.mods.iter().filter(|wish| !seen.insert(wish.id.to_lowercase())) {
        let message = format!("`{}` is wished for twice", wish.id);
        root.problems().error_with_help(wish.span.clone(), message, "keep one of the two [[mod]] tables");
    }
}

fn check_places(root: &Section<'_>, wishes: &Wishes, places: &[&str]) {
    for wish in &wishes.mods {
        let Some(from) = wish.from.as_deref().filter(|from| !places.contains(from)) else { continue };
        let help = match crate::problem::nearest(from, places.iter().copied()) {
            Some(near) => format!("did you mean `{near}`?"),
            None => "name an [install.…] or a [source.…] of this file".to_owned(),
        };
        let message = format!("`{}` is to come from `{from}`, which is neither an install nor a source", wish.id);
        root.problems().error_with_help(wish.span.clone(), message, help);
    }
}

impl Wishes {
    /// The install of that name.
    pub fn install(&self, name: &str) -> Option<&InstallWish> {
        self.installs.iter().find(|install| install.name == name)
    }
}

/// What an edit of the wishes changed.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Edited {
    /// The new text.
    pub text: String,
    /// Ids that were not wished for before.
    pub added: Vec<String>,
    /// Ids whose wish was changed, with the old and the new version.
    pub changed: Vec<(String, String, String)>,
}

/// Why an edit could not be made.
#[derive(Debug, thiserror::Error)]
#[error("kanon.toml can't be edited: {0}")]
pub struct EditError(String);

/// Writes mods into the wishes: new ones at the end, known ones in place. Everything else keeps its bytes.
///
/// # Errors
/// When the text is no TOML, or its `mod` is no list of tables.
pub fn adopt(text: &str, mods: &[ModWish], versions: (Option<&str>, Option<&str>)) -> Result<Edited, EditError> {
    let (mark, plain) = match text.strip_prefix('\u{feff}') {
        Some(plain) => ("\u{feff}", plain),
        None => ("", text),
    };
    let mut document: DocumentMut =
        plain.parse().map_err(|error: toml_edit::TomlError| EditError(error.message().to_owned()))?;
    let mut edited = Edited::default();
    for (key, found) in [("game-version", versions.0), ("loader-version", versions.1)] {
        if let Some(found) = found.filter(|_| !document.contains_key(key)) {
            document.insert(key, value(found));
        }
    }
    let tables = document.entry("mod").or_insert_with(|| Item::ArrayOfTables(toml_edit::ArrayOfTables::new()));
    let tables = tables
        .as_array_of_tables_mut()
        .ok_or_else(|| EditError("`mod` must be written as [[mod]] tables".to_owned()))?;
    let id_of = |table: &Table| table.get("id").and_then(Item::as_str).map(str::to_lowercase);
    let known: HashMap<String, usize> =
        tables.iter().enumerate().filter_map(|(index, table)| Some((id_of(table)?, index))).collect();
    for wish in mods {
        match known.get(&wish.id.to_lowercase()).and_then(|index| tables.get_mut(*index)) {
            Some(table) => update(table, wish, &mut edited),
            None => {
                tables.push(new_table(wish));
                edited.added.push(wish.id.clone());
            }
        }
    }
    edited.text = mark.to_owned() + &with_line_ends_of(text, document.to_string());
    Ok(edited)
}

fn update(table: &mut Table, wish: &ModWish, edited: &mut Edited) {
    let old = table.get("version").and_then(Item::as_str).unwrap_or("any").to_owned();
    // Where no version was found, the one that was wished for stays.
    let new = wish.version.clone().unwrap_or_else(|| old.clone());
    for (key, wanted) in [("version", &wish.version), ("from", &wish.from)] {
        if let Some(wanted) = wanted.as_deref().filter(|wanted| table.get(key).and_then(Item::as_str) != Some(*wanted))
        {
            set_text(table, key, wanted);
        }
    }
    if old != new {
        edited.changed.push((wish.id.clone(), old, new));
    }
}

/// Puts a text in place of another, keeping the spaces and the comment around it.
fn set_text(table: &mut Table, key: &str, text: &str) {
    match table.get_mut(key).and_then(Item::as_value_mut) {
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

fn new_table(wish: &ModWish) -> Table {
    let mut table = Table::new();
    table.insert("id", value(&wish.id));
    for (key, text) in [("version", &wish.version), ("from", &wish.from)] {
        if let Some(text) = text {
            table.insert(key, value(text));
        }
    }
    table.decor_mut().set_prefix("\n");
    table
}

/// The editor writes line feeds; a file from Windows keeps its line ends.
fn with_line_ends_of(original: &str, edited: String) -> String {
    if original.contains("\r\n") { edited.replace("\r\n", "\n").replace('\n', "\r\n") } else { edited }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::problem::place;
    use rstest::rstest;

    const SMALL: &str = "# ours\nformat = \"kanon/1\"\nname = \"Longnight Station\"\nrulebook = \"p.rulebook.toml\"\n\n[policy]\nclient-extras = \"ask\"\n\n\
        [install.station]\nrole = \"server\"\nat = \"server\"\n\n[[mod]] # the heart\nid = \"tide\"\nversion = \"1.0\" # not 1.1!\n";

    fn wish(id: &str, version: &str) -> ModWish {
        ModWish { id: id.to_owned(), version: Some(version.to_owned()), ..ModWish::default() }
    }

    #[test]
    fn reads() {
        let wishes = parse("kanon.toml", SMALL).expect("wishes").value;
        assert_eq!(wishes.install("station").map(|install| install.role), Some(Role::Server));
        assert_eq!((wishes.extras, wishes.mods.len()), (Extras::Ask, 1));
    }

    #[rstest]
    #[case("role = \"server\"", "role = \"sever\"", "line 10, column 8", "did you mean `server`?")]
    #[case("client-extras", "client-extra", "line 7, column 1", "did you mean `client-extras`?")]
    #[case("version = \"1.0\"", "from = \"staton\"", "line 13, column 1", "did you mean `station`?")]
    #[case("[[mod]]", "[[mod]]\nid = \"Tide\"\n[[mod]]", "line 15, column 1", "keep one of the two")]
    #[case("kanon/1", "kanon/2", "line 2, column 10", "")]
    #[case("at = \"server\"", "at = 3", "line 11, column 6", "")]
    fn a_mistake_is_told_with_its_place(
        #[case] right: &str,
        #[case] wrong: &str,
        #[case] at: &str,
        #[case] help: &str,
    ) {
        let text = SMALL.replacen(right, wrong, 1);
        let bad = parse("kanon.toml", &text).expect_err("a mistake");
        let told: Vec<_> =
            bad.problems.iter().map(|p| (place(&text, p.span.start), p.help.clone().unwrap_or_default())).collect();
        assert!(told.iter().any(|(place, h)| place == at && h.contains(help)), "{told:#?}");
    }

    #[test]
    fn an_edit_keeps_comments_order_and_line_ends() {
        let edited = adopt(SMALL, &[wish("Tide", "1.1"), wish("fog", "3")], (Some("1.4"), None)).expect("edited");
        assert_eq!(edited.added, ["fog"]);
        assert_eq!(edited.changed, [("Tide".to_owned(), "1.0".to_owned(), "1.1".to_owned())]);
        let expected = SMALL
            .replace("\"1.0\"", "\"1.1\"")
            .replace("p.rulebook.toml\"\n", "p.rulebook.toml\"\ngame-version = \"1.4\"\n")
            + "\n[[mod]]\nid = \"fog\"\nversion = \"3\"\n";
        assert_eq!(edited.text, expected);
        let windows = adopt(&SMALL.replace('\n', "\r\n"), &[wish("fog", "3")], (None, None)).expect("edited").text;
        assert_eq!(windows.matches('\n').count(), windows.matches("\r\n").count());
        let marked = format!("\u{feff}{SMALL}");
        assert!(adopt(&marked, &[wish("fog", "3")], (None, None)).expect("edited").text.starts_with("\u{feff}# ours"));
        assert_eq!(adopt(SMALL, &[wish("tide", "1.0")], (None, None)).expect("edited").text, SMALL);
    }

    #[test]
    fn what_can_not_be_edited_is_refused() {
        assert!(adopt("mod = 3", &[wish("fog", "3")], (None, None)).is_err());
        assert!(adopt("= 3", &[], (None, None)).is_err());
    }
}
