//! What Kanon says: the English of everything that the use cases tell as values, one file a subject, each kind matched.

pub mod adopting;
pub mod changes;
pub mod diagnosis;
pub mod errors;
pub mod notices;
pub mod players;
pub mod proof;
pub mod questions;
pub mod reply;
pub mod standing;
pub mod steps;
pub mod tongue;
pub mod voice;
