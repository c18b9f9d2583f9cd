//! The built program, run as a user runs it, on files in a temporary folder.

#![allow(clippy::unwrap_used, missing_docs, reason = "a test that unwraps nothing tells nothing")]

mod aligning;
mod attacks;
mod bad_archives;
mod bad_files;
mod buckets;
mod confinement;
mod corpus;
mod crash;
mod diagnosing;
mod downloads;
mod first_minutes;
mod folders;
mod following;
mod handouts;
mod help;
mod hostile;
mod hosts;
mod interrupted;
mod learning;
mod listening;
mod proving;
mod rehearsals;
mod releases;
mod remote;
mod reports;
mod rulebooks;
mod sealing;
mod shapes;
mod signed_mods;
mod snapshots;
mod spoiling;
mod stage;
mod story;
mod text_files;
mod trust;
mod undoing;
mod unseen;
mod updating;
mod worked_examples;
mod worlds;
