//! What people call installs, shelves, players and keys. Each has a type of its own, so that none is taken for another; each remembers
//! how it is written, and is shown without a sign that would steer a terminal.

use std::borrow::Borrow;
use std::fmt;
use std::ops::Deref;

use serde::{Deserialize, Serialize};

use super::path::{printable, steers};

macro_rules! name {
    ($(#[$doc:meta])* $type:ident) => {
        $(#[$doc])*
        #[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
        #[derive(Clone, Default, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
        #[serde(transparent)]
        pub struct $type(#[cfg_attr(feature = "schema", schemars(with = "String"))] Box<str>);

        impl $type {
            /// The name as it is written.
            pub fn as_str(&self) -> &str {
                &self.0
            }
        }

        impl Deref for $type {
            type Target = str;

            fn deref(&self) -> &str {
                &self.0
            }
        }

        impl AsRef<str> for $type {
            fn as_ref(&self) -> &str {
                &self.0
            }
        }

        impl Borrow<str> for $type {
            fn borrow(&self) -> &str {
                &self.0
            }
        }

        impl From<&str> for $type {
            fn from(name: &str) -> Self {
                Self(name.into())
            }
        }

        impl From<String> for $type {
            fn from(name: String) -> Self {
                Self(name.into())
            }
        }

        impl From<&String> for $type {
            fn from(name: &String) -> Self {
                Self(name.as_str().into())
            }
        }

        impl From<$type> for String {
            fn from(name: $type) -> Self {
                name.0.into()
            }
        }

        impl PartialEq<str> for $type {
            fn eq(&self, other: &str) -> bool {
                *self.0 == *other
            }
        }

        impl PartialEq<&str> for $type {
            fn eq(&self, other: &&str) -> bool {
                *self.0 == **other
            }
        }

        impl PartialEq<String> for $type {
            fn eq(&self, other: &String) -> bool {
                *self.0 == **other
            }
        }

        impl PartialEq<$type> for str {
            fn eq(&self, other: &$type) -> bool {
                *self == *other.0
            }
        }

        impl PartialEq<$type> for String {
            fn eq(&self, other: &$type) -> bool {
                **self == *other.0
            }
        }

        impl fmt::Display for $type {
            fn fmt(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
                if self.0.contains(steers) { out.pad(&printable(&self.0)) } else { out.pad(&self.0) }
            }
        }

        impl fmt::Debug for $type {
            fn fmt(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
                fmt::Debug::fmt(&*self.0, out)
            }
        }
    };
}

name! {
    /// What an install is called: in `kanon.toml`, or by its folder.
    InstallName
}

name! {
    /// What a rulebook calls a shelf.
    ShelfName
}

name! {
    /// What somebody calls themselves who plays.
    PlayerName
}

name! {
    /// What a public key is called: its file's name without the extension.
    KeyName
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_name_is_kept_as_it_is_written_and_shown_so_that_it_steers_nothing() {
        let name = InstallName::from("ha\u{1b}[2Jll");
        assert_eq!((name.as_str(), name.to_string().as_str()), ("ha\u{1b}[2Jll", "ha\\u{1b}[2Jll"));
        assert_eq!(format!("{:<8}|", PlayerName::from("wren")), "wren    |");
        let json = serde_json::to_string(&name).expect("JSON");
        assert_eq!(serde_json::from_str::<InstallName>(&json).expect("a name"), name);
    }
}
