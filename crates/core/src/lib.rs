//! The job itself, as values and pure functions: no terminal, network, clock, process or file system.
//!
//! The rooms, each of which uses only those above it (a test holds them to that): [`base`] and [`text`] know nothing of mods; a
//! [`rulebook`] says how one game arranges its own, and [`edits`] reads and changes the game's text files by it; the bytes of a
//! mod become a [`manifest`], an install becomes a [`survey`]. What the administrator wants is in [`config`], which releases meet
//! that is found by [`resolve`], and what was agreed is the [`canon`]. In what an install is off it says [`delta`]; [`seal`]
//! makes a new canon, [`findings`] compares installs, [`plan`] brings one in line, [`handout`] is for players who do it by
//! hand. [`logs`] become events, and with surveys verdicts ([`diagnose`]). [`learn`] drafts a rulebook by looking.

pub mod base;
pub mod canon;
pub mod config;
pub mod delta;
pub mod diagnose;
pub mod edits;
pub mod findings;
pub mod handout;
pub mod learn;
pub mod logs;
pub mod manifest;
pub mod plan;
pub mod resolve;
pub mod rulebook;
pub mod seal;
pub mod survey;
pub mod text;
