//! Which releases: catalogues, the solver and its explanations, updates, and finding mods by words.

pub mod catalogue;
pub mod fit;
pub mod search;
pub mod solve;
pub mod update;
