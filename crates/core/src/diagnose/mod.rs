//! Why a join failed: log lines become events, events and measured differences become verdicts with their evidence.
//!
//! [`Scanner`](crate::logs::Scanner) finds the lines of a log that its rulebook knows, [`LogReader`](crate::logs::LogReader) makes events of them, and [`of_last_join`] takes those
//! that bear on the join in question. Lines that no pattern knows become [`Hint`]s when they name a mod near a word of failure, and a
//! message that somebody typed is likened to the known ones ([`likened`]). [`weigh()`] holds all of it against what was measured.
//! The model is told in docs/diagnosis.md.

mod abroad;
mod account;
mod advice;
mod attempt;
mod elsewhere;
mod failure;
mod hints;
mod hypothesis;
pub mod isolate;
mod likeness;
mod measured;
mod proposal;
mod remedies;
mod told;
mod verdict;
mod wanted;
mod weigh;
mod weights;

pub use account::{Account, Copies, Difference};
pub use advice::{Advice, Choice, EveryMod, ManualStep, Mend, Reason};
pub use attempt::{Join, of_last_join};
pub use elsewhere::elsewhere;
pub use failure::{
    is_vague, meaning as means_failure, parted, said_at as failure_at, says_unwanted, tame_meaning,
    without_words as without_failure,
};
pub use hints::{Hint, HintReader, Needles};
pub use likeness::{Likened, likened};
pub use measured::reference;
pub use proposal::event;
pub use verdict::{Case, Diagnosis, Evidence, PLAYER, Remedy, Verdict, Wanted};
pub use weigh::weigh;
