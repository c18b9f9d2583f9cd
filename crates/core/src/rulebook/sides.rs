//! The two sides, where mods are needed, and how they relate to each other.

use std::fmt;

use serde::{Deserialize, Serialize};

/// Which side of the game an install is.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Role {
    /// The dedicated server.
    Server,
    /// A player's game.
    Client,
}

impl Role {
    /// The word for it.
    pub const fn as_str(self) -> &'static str {
        match self {
            Self::Server => "server",
            Self::Client => "client",
        }
    }
}

impl fmt::Display for Role {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.as_str())
    }
}

/// Where a mod is needed.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum NeededOn {
    /// On the server and on every client.
    #[default]
    Both,
    /// On the server alone.
    Server,
    /// On clients alone.
    Client,
    /// Nowhere; it may be on either.
    Optional,
}

impl NeededOn {
    /// The word for it.
    pub const fn as_str(self) -> &'static str {
        match self {
            Self::Both => "both",
            Self::Server => "server",
            Self::Client => "client",
            Self::Optional => "optional",
        }
    }

    /// The meaning of a word.
    pub fn of_word(word: &str) -> Option<Self> {
        [Self::Both, Self::Server, Self::Client, Self::Optional].into_iter().find(|side| side.as_str() == word)
    }

    /// Whether an install of that role must have it.
    pub const fn includes(self, role: Role) -> bool {
        matches!((self, role), (Self::Both, _) | (Self::Server, Role::Server) | (Self::Client, Role::Client))
    }
}

/// How a mod relates to another.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum RelationKind {
    /// It needs the other.
    Required,
    /// It can use the other.
    Optional,
    /// It can't be used with the other.
    Conflicting,
    /// It must be loaded before the other.
    LoadBefore,
    /// It must be loaded after the other.
    LoadAfter,
}

/// A value for each role.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct ByRole<T> {
    /// On a server.
    pub server: T,
    /// On a client.
    pub client: T,
}

impl<T> ByRole<T> {
    /// The value for one role.
    pub const fn of(&self, role: Role) -> &T {
        match role {
            Role::Server => &self.server,
            Role::Client => &self.client,
        }
    }
}
