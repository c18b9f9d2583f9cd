//! Logs: lines whose patterns a rulebook has become events with their times; and the health that they tell of.

mod event;
pub mod health;
mod index;
pub mod masking;
mod pattern;
mod scan;
mod time;

pub use event::{KeptOutBy, LogEvent, Source, cause_of, family, is_of_mods, is_own_defect};
pub use pattern::{Pattern, VERSION_OF, compares_versions, message_start, separator};
pub use scan::{LogReader, Scanner, shown};
pub use time::LogTime;
