//! The simulated Ashmere Reach: a hall and the boats that come to it. Both read their own launch lines.

mod boat;
mod hall;
mod holds;

pub use boat::{Boat, run as boat};
pub use hall::{Hall, run as hall};

use serde::{Deserialize, Serialize};

use holds::Hold;

/// What a boat shows at the quay.
#[derive(Serialize, Deserialize)]
pub struct Papers {
    /// Who comes.
    pub player: String,
    /// Its holds, in the order of its launch line.
    pub holds: Vec<Hold>,
}
