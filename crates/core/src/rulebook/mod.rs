//! How one game arranges its mods, as data: the model, and how it is read from TOML.
//!
//! A rulebook names no install and can run nothing. Every path in it stays inside the install, every regex is
//! linear-time, and every mistake is told with its place. `docs/rulebook.md` is the reference for its authors.

mod facts;
mod lists;
mod mistake;
mod model;
mod names;
mod parse;
mod places;
pub mod section;
mod settings;
mod sides;
mod spots;
mod strict;
mod wrong;

pub use facts::{
    DocumentRule, FactRule, FactStep, KindWords, NestedRule, Origin, RelationForm, RelationPlace, RelationRule, ToldBy,
};
pub use lists::{EntryFields, EntryShape, Filled, ListForm, ListRule, NumberedKey, Template};
pub use model::{Bridge, Named, PlatformVersion};
pub use model::{
    EVENT_GROUPS, Event, EventRule, Foreign, FragmentRule, Holds, KeyScheme, Keyring, LaidRule, MessageRule, ModRule,
    Names, Platform, Rulebook, RunningSigns, Shelf, SignedRule, WorldRule,
};
pub use names::{BesideName, NamePattern, OffPattern};
pub use parse::{check_format, parse, setting as read_setting};
pub use places::{Part, PlacePattern};
pub use settings::{ExtraRule, MemoryRule, SettingRule, UnknownName, filled, quoted, size as memory_size};
pub use sides::{ByRole, NeededOn, RelationKind, Role};
pub use spots::{key_of_section, named_table};
pub use strict::lacking;
pub use wrong::PatternError;

/// A rulebook of the game `g` that says just this of its logs and messages, with the loader Trellis.
#[cfg(test)]
pub fn of_logs(text: &str) -> Rulebook {
    let shelf =
        "[[shelf]]\nname = \"mods\"\nholds = \"files\"\nin = \"mods\"\n[shelf.mod]\nid = { file-name = '(?<id>.+)' }\n";
    let whole = format!("format = \"kanon-rulebook/1\"\ngame = \"g\"\n[loader]\nname = \"Trellis\"\n{shelf}{text}");
    parse("g", &whole).expect("a rulebook").value
}
