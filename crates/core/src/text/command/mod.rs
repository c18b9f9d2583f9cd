//! Command lines: the values of an option in a start script, a service file or a file of arguments, read by the grammar of
//! what they stand in and changed there.

mod amount;
mod arguments;
mod batch;
mod dialect;
mod error;
mod layers;
mod options;
mod shell;
mod unit;
mod value;
mod word;

pub use amount::{Amount, amounts, unit_bytes};
pub use dialect::{Dialect, is_comment};
pub use error::LaunchError;
pub use options::{near_option, options};
pub use value::{Given, Part, each_once, rewritten};

#[cfg(test)]
#[path = "../../tests/command.rs"]
mod tests;
