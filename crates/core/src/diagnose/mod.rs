//! Why a join failed: log lines become events, events and measured differences become verdicts with their evidence.

mod events;
mod weigh;

pub use events::{LogEvent, LogReader};
pub use weigh::{Case, Diagnosis, Evidence, Remedy, Verdict, weigh};
