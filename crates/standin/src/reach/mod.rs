//! The simulated Ashmere Reach: a hall and the boats that come to it. Both read their own launch lines.

mod boat;
mod hall;
mod holds;

pub use boat::run as boat;
pub use hall::run as hall;

use serde::{Deserialize, Serialize};

use holds::Hold;

/// What a boat shows at the quay.
#[derive(Serialize, Deserialize)]
struct Papers {
    player: String,
    /// Its holds, in the order of its launch line.
    holds: Vec<Hold>,
}
