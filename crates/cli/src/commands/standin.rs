//! The demo's simulated programs, as processes of their own: they know nothing of the core.

use crate::Outcome;
use crate::arguments::Standin;
use crate::failure::Failure;

pub fn run(arguments: &Standin) -> Result<Outcome, Failure> {
    kanon_standin::run(&arguments.arguments).map(Outcome::of).map_err(|error| Failure::plain(error.to_string()))
}
