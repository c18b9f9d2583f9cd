//! Everything the core must not touch: folders, files, digests of gigabytes, the state database, alignments.
//!
//! An [`install`] is listed and measured ([`measure`]) into a survey; a plan of the core is carried out with a
//! backup and a journal ([`carry_out`], [`undo`]); [`state`] remembers digests and alignments; [`workspace`]
//! knows where everything is and [`bytes`] finds the bytes of a digest. A [`mod@release`] is published for players, whose
//! games are [`following`] it; both ask an [`origin`].

mod apply;
pub mod backup;
pub mod bytes;
pub mod canons;
pub mod carried;
pub mod carry_out;
pub mod claim;
pub mod downloads;
pub mod error;
pub mod evidence;
pub mod far_log;
pub mod fetch;
pub mod following;
pub mod hashing;
pub mod hook;
pub mod install;
pub mod install_folder;
pub mod journalled;
pub mod log_tail;
pub mod logs;
pub mod measure;
pub mod open;
pub mod origin;
pub mod overlay;
pub mod progress;
pub mod prune;
pub mod rehearsal;
pub mod release;
pub mod retry;
pub mod room;
pub mod running;
pub mod set_aside;
pub mod site;
pub mod state;
pub mod trial;
pub mod undo;
pub mod unpack;
pub mod whole;
pub mod workspace;
pub mod worlds;
pub mod writing;

/// What a rulebook says of logs, for tests.
#[cfg(test)]
fn rules_of(events: &str) -> Vec<kanon_core::rulebook::EventRule> {
    rulebook_of(events).events
}

/// A rulebook that says just this of logs, for tests.
#[cfg(test)]
fn rulebook_of(events: &str) -> kanon_core::rulebook::Rulebook {
    let shelf =
        "[[shelf]]\nname = \"mods\"\nholds = \"files\"\nin = \"mods\"\n[shelf.mod]\nid = { file-name = '(?<id>.+)' }\n";
    let text = format!("format = \"kanon-rulebook/1\"\ngame = \"g\"\n{shelf}{events}");
    kanon_core::rulebook::parse("g", &text).expect("a rulebook").value
}
