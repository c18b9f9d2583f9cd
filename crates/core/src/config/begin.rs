//! The `kanon.toml` that a workspace begins with.

use displaydoc::Display;
use toml_edit::{DocumentMut, Item, Table, value};

use crate::base::names::InstallName;

use super::{FORMAT, InstallWish, RulebookPin};

/// The comments that it begins with.
const HEAD: &str = "\
# The wish for this server and its players. Kanon edits it without touching comments or order.
# A path is relative to this file. Passwords never belong in here.
";

/// What a workspace begins with.
#[derive(Debug, Clone, Copy)]
pub struct Beginning<'b> {
    /// The canon's name.
    pub name: &'b str,
    /// The rulebook's file.
    pub rulebook: &'b str,
    /// Where the rulebook was fetched from, if it was.
    pub rulebook_from: Option<&'b RulebookPin>,
    /// The installs; of each its name, what it is and where.
    pub installs: &'b [InstallWish],
    /// The sources: name and place.
    pub sources: &'b [(String, String)],
}

/// two installs are called {0}
#[derive(Debug, Clone, PartialEq, Eq, Display)]
pub struct SameName(pub InstallName);

impl std::error::Error for SameName {}

/// Writes it.
///
/// # Errors
/// When two installs have one name.
pub fn begin(beginning: &Beginning<'_>) -> Result<String, SameName> {
    let mut document = DocumentMut::new();
    document.insert("format", value(FORMAT));
    document.insert("name", value(beginning.name));
    document.insert("rulebook", value(beginning.rulebook));
    if let Some(pin) = beginning.rulebook_from {
        let mut from = Table::new();
        from.decor_mut().set_prefix("\n# Where the rulebook came from: kanon rulebook renew looks there again.\n");
        from.insert("at", value(&pin.at));
        from.insert("blake3", value(pin.blake3.to_string()));
        document.insert("rulebook-from", Item::Table(from));
    }
    let mut policy = Table::new();
    policy.insert("client-extras", value("keep"));
    policy.key_mut("client-extras").into_iter().for_each(|mut key| {
        key.leaf_decor_mut().set_prefix("# A player's own client-only mods: keep, ask or forbid.\n");
    });
    document.insert("policy", Item::Table(policy));
    let mut installs = named_tables();
    for install in beginning.installs {
        if installs.contains_key(&install.name) {
            return Err(SameName(install.name.clone()));
        }
        let mut table = Table::new();
        table.insert("role", value(install.role.as_str()));
        table.insert("at", value(&install.at));
        installs.insert(&install.name, Item::Table(table));
    }
    document.insert("install", Item::Table(installs));
    let mut sources = named_tables();
    for (name, at) in beginning.sources {
        let mut table = Table::new();
        table.insert("at", value(at));
        sources.insert(name, Item::Table(table));
    }
    document.insert("source", Item::Table(sources));
    Ok(format!("{HEAD}{document}"))
}

fn named_tables() -> Table {
    let mut tables = Table::new();
    tables.set_implicit(true);
    tables
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::config::parse;
    use crate::rulebook::Role;

    #[test]
    fn what_is_begun_can_be_read_and_two_of_one_name_are_refused() {
        let hall = InstallWish::bare("hall", Role::Server, "srv/hall");
        let sources = [("downloads".to_owned(), "d \"q\"".to_owned())];
        let installs = [hall.clone(), InstallWish::bare("ju no", Role::Client, "games\\juno")];
        let beginning = Beginning {
            name: "Our # \"hall\"",
            rulebook: "g.rulebook.toml",
            rulebook_from: None,
            installs: &installs,
            sources: &sources,
        };
        let read = parse("kanon.toml", &begin(&beginning).expect("written")).expect("a kanon.toml").value;
        assert_eq!((read.name.as_str(), read.installs.as_slice()), ("Our # \"hall\"", installs.as_slice()));
        assert_eq!(read.sources[0].at, "d \"q\"");
        let twice = [hall.clone(), hall];
        assert_eq!(begin(&Beginning { installs: &twice, ..beginning }), Err(SameName("hall".into())));
    }
}
