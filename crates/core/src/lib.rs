//! The job itself, as values and pure functions: no terminal, network, clock, process or file system.
//!
//! Bytes become facts ([`reading`]), facts become a [`survey`]; held against the [`canon`] it yields
//! [`finding`]s ([`check`]), and those yield a plan ([`align`]). Log lines become events, and with
//! surveys they become verdicts ([`diagnose`]). What one game looks like is data: the [`rulebook`].
//! What the administrator wants is data too: the [`wish`]; releases that fit it are found by [`mod@solve`], and sealed
//! into the canon by [`seal`]; players get it as a [`release`]. A rulebook for a game that none was written for is drafted by [`learn`].

pub mod align;
pub mod amend;
pub mod canon;
pub mod catalogue;
pub mod check;
pub mod compare;
pub mod diagnose;
pub mod digest;

pub mod finding;
pub mod handout;
pub mod health;
pub mod isolate;
pub mod learn;
pub mod limits;
pub mod path;
pub mod problem;
pub mod reading;
pub mod release;
pub mod rulebook;
pub mod seal;
pub mod section;
pub mod seek;
pub mod signature;
pub mod solve;
pub mod survey;
pub mod text;
pub mod update;
pub mod version;
pub mod wish;
pub mod world;
