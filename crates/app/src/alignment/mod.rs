//! The alignment of one install, from its survey to its receipt: opened, planned, concluded. Each phase is a type of its own, which
//! the next one consumes: what a phase lacks can't be asked of it.

mod at_install;
mod bases;
mod opened;
mod planned;
mod planning;
mod undoing;

use kanon_core::plan::RiskyExtras;
use kanon_core::plan::text_edits::Consents;
use kanon_io::claim::Others;

pub use at_install::AtInstall;
pub use opened::Opened;
pub use planned::{Carried, Concluded, Planned};

/// What was asked for, beside the install.
pub struct Wanted {
    /// What is said of extra mods that may stay.
    pub risky: RiskyExtras,
    /// What is said of the world: `keep`, `new`, or a file.
    pub world: Option<String>,
    /// Whether a running game is no hindrance.
    pub while_running: bool,
    /// What to do about another workspace's claim.
    pub others: Others,
    /// What is said of licences and edited entries.
    pub said: Consents,
}
