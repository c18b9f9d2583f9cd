//! What players' checks need to know of `kanon.toml`: nothing of where the administrator's installs and sources are, no facts,
//! no comments.

use displaydoc::Display;
use toml_edit::{ArrayOfTables, DocumentMut, Item, Table, value};

use super::RULEBOOK;
use crate::base::path::printable;
use crate::base::problem::BadFile;
use crate::canon::Canon;
use crate::config::{self, InstallWish, WorkspaceConfig};
use crate::rulebook::Role;

/// Writes the wishes that go into a release. `text` is the administrator's `kanon.toml`, from which `wishes` were read, and
/// `canon` the one for players.
///
/// # Errors
/// When the text is no TOML.
pub fn wishes_for_players(text: &str, wishes: &WorkspaceConfig, canon: &Canon) -> Result<String, toml_edit::TomlError> {
    let plain = text.strip_prefix('\u{feff}').unwrap_or(text);
    let from: DocumentMut = plain.parse()?;
    let mut document = DocumentMut::new();
    document.insert("format", value(config::FORMAT));
    document.insert("name", value(&canon.name));
    document.insert("rulebook", value(RULEBOOK));
    for (key, version) in
        config::VERSION_KEYS.into_iter().zip([&canon.game_version, &canon.loader_version, &canon.runtime_version])
    {
        if let Some(version) = version {
            document.insert(key, value(version));
        }
    }
    if let Some(policy) = from.get("policy").and_then(Item::as_table_like) {
        let mut table = Table::new();
        for (key, item) in policy.iter().filter(|(key, _)| POLICY.contains(key)) {
            table.insert(key, bare(item));
        }
        document.insert("policy", Item::Table(table));
    }
    let settings = from.get("setting").and_then(Item::as_array_of_tables).into_iter().flatten();
    let own = settings.zip(&wishes.settings).filter(|(_, wish)| wish.rule.is_some());
    let tables = own.filter_map(|(table, wish)| {
        let of = wish.of.or_else(|| wish.rule.as_ref().and_then(|rule| rule.of));
        let sealed = canon.settings.iter().find(|sealed| sealed.name == wish.name && sealed.of == of)?;
        let mut table: Table = table.iter().map(|(key, item)| (key.to_owned(), bare(item))).collect();
        // What it quotes of the facts is filled in by now.
        table.insert("is", value(&sealed.is));
        Some(table).filter(|_| of != Some(Role::Server))
    });
    let tables: ArrayOfTables = tables.collect();
    if !tables.is_empty() {
        document.insert("setting", Item::ArrayOfTables(tables));
    }
    Ok(document.to_string())
}

/// A value without the comments around it.
fn bare(item: &Item) -> Item {
    let mut item = item.clone();
    if let Some(value) = item.as_value_mut() {
        value.decor_mut().clear();
    }
    item
}

/// All that the `kanon.toml` of a release may hold. Everything else is the player's own business: where the game lies, what
/// is run, what is kept.
const ALLOWED: [&str; 7] = ["format", "name", "rulebook", "game-version", "loader-version", "policy", "setting"];
/// What a release's policy may say: that of clients. Older releases have the server's there too; it decides nothing here.
const POLICY: [&str; 2] = ["client-extras", "edited-entries"];
const OLD_POLICY: &str = "unrehearsed";

/// Reads the wishes of a release and refuses all that is not for players.
fn of_release(published: &str) -> Result<DocumentMut, PlayerWishesError> {
    let not_for_players = |what: NotForPlayers| PlayerWishesError::NotForPlayers { what };
    let wishes = config::parse(super::WISHES, published)?.value;
    let document: DocumentMut = published.parse().map_err(|_| not_for_players(NotForPlayers::Unreadable))?;
    if let Some((key, _)) = document.iter().find(|(key, _)| !ALLOWED.contains(key)) {
        return Err(not_for_players(NotForPlayers::Table(key.to_owned())));
    }
    if wishes.rulebook != RULEBOOK {
        return Err(not_for_players(NotForPlayers::Rulebook(wishes.rulebook)));
    }
    if let Some(policy) = document.get("policy").and_then(Item::as_table_like)
        && let Some((key, _)) = policy.iter().find(|(key, _)| !POLICY.contains(key) && *key != OLD_POLICY)
    {
        return Err(not_for_players(NotForPlayers::Policy(key.to_owned())));
    }
    if let Some(setting) = wishes.settings.iter().find(|setting| setting.of == Some(Role::Server)) {
        return Err(not_for_players(NotForPlayers::ServerSetting(setting.name.clone())));
    }
    Ok(document)
}

/// Makes the workspace of one player's game of the wishes of a release.
///
/// # Errors
/// When the wishes have mistakes, or hold anything but what is for players.
pub fn wishes_of_player(published: &str, install: &str, at: &str) -> Result<String, PlayerWishesError> {
    let mut document = of_release(published)?;
    let mut table = Table::new();
    table.insert("role", value(Role::Client.to_string()));
    table.insert("at", value(at));
    let mut installs = Table::new();
    installs.set_implicit(true);
    installs.insert(install, Item::Table(table));
    document.insert("install", Item::Table(installs));
    Ok(document.to_string())
}

/// Reads the `kanon.toml` of a game that follows a release: what was made of that release, and the game as its one install.
/// `at` is where the game lies from there.
///
/// # Errors
/// When it has mistakes, or holds anything else.
pub fn followed_wishes(text: &str, at: &str) -> Result<WorkspaceConfig, PlayerWishesError> {
    let not_for_players = |what: NotForPlayers| PlayerWishesError::NotForPlayers { what };
    let mut document: DocumentMut = text.parse().map_err(|_| not_for_players(NotForPlayers::Unreadable))?;
    document.remove("install");
    of_release(&document.to_string())?;
    let wishes = config::parse(super::WISHES, text)?.value;
    match wishes.installs.as_slice() {
        [game] if *game == InstallWish::bare(&game.name, Role::Client, at) => Ok(wishes),
        _ => Err(not_for_players(NotForPlayers::Table("install".to_owned()))),
    }
}

/// Why no workspace can be made of the wishes of a release.
#[derive(Debug, thiserror::Error)]
pub enum PlayerWishesError {
    /// They have mistakes.
    #[error(transparent)]
    BadFile(#[from] BadFile),
    /// They are not such as are made for players.
    #[error("the kanon.toml of the release speaks of what is the player's own business: {}", printable(&.what.to_string()))]
    NotForPlayers {
        /// What it speaks of.
        what: NotForPlayers,
    },
}

/// What in the wishes of a release is the player's own business.
#[derive(Debug, Display)]
pub enum NotForPlayers {
    /// what can't be read
    Unreadable,
    /// [{0}]
    Table(String),
    /// another rulebook than its own, {0}
    Rulebook(String),
    /// the policy {0}
    Policy(String),
    /// the server's setting {0}
    ServerSetting(String),
}
