//! Several installs side by side.

pub mod compare;
