//! The built program, run as a user runs it, on files in a temporary folder.

// Those that start servers, shells or programs of their own, or make links, are for one kind of system.
#![allow(clippy::unwrap_used, missing_docs, reason = "a test that unwraps nothing tells nothing")]

#[cfg(unix)]
mod acts;
mod aligning;
#[cfg(unix)]
mod attacks;
mod bad_archives;
mod bad_files;
mod beside;
#[cfg(unix)]
mod buckets;
#[cfg(unix)]
mod confinement;
mod corpus;
#[cfg(unix)]
mod crash;
mod diagnosing;
mod downloads;
#[cfg(unix)]
mod exporting;
mod first_minutes;
mod folders;
#[cfg(unix)]
mod following;
mod handouts;
mod help;
mod hostile;
#[cfg(unix)]
mod hosts;
#[cfg(unix)]
mod interrupted;
#[cfg(unix)]
mod joining;
mod learning;
mod listening;
mod pages;
mod proving;
#[cfg(unix)]
mod rehearsals;
#[cfg(unix)]
mod releases;
#[cfg(unix)]
mod remote;
mod reports;
mod rulebooks;
#[cfg(unix)]
mod sealing;
mod shapes;
#[cfg(unix)]
mod signed_mods;
mod snapshots;
mod spoiling;
mod stage;
mod story;
mod text_files;
#[cfg(unix)]
mod together;
#[cfg(unix)]
mod trust;
#[cfg(unix)]
mod undoing;
mod unseen;
mod updating;
#[cfg(unix)]
mod watching;
mod worked_examples;
mod worlds;
