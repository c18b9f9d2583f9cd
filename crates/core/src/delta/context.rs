//! What an install is held against, and what an alignment can't change there.

use crate::base::act::Act;
use crate::base::finding::Finding;
use crate::base::path::InstallPath;
use crate::base::suggestion::Suggestion;
use crate::canon::Canon;
use crate::config::{Edits, Extras};
use crate::rulebook::Rulebook;
use crate::survey::Survey;
use crate::text::EditError;

/// What in a text file can't be changed, and is left as it is.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct LeftAlone {
    /// The file.
    pub file: InstallPath,
    /// The list, the setting, the entry of a mod; or [`MEMORY`].
    pub part: String,
    /// Why.
    pub why: EditError,
}

/// What the amount of memory in a launch line is called.
pub const MEMORY: &str = "memory";

/// What an install is held against, and how strictly.
#[derive(Debug, Clone, Copy)]
pub struct CheckContext<'a> {
    /// The agreed set.
    pub canon: &'a Canon,
    /// How the game arranges its mods.
    pub rulebook: &'a Rulebook,
    /// What to do with a client's own mods.
    pub extras: Extras,
    /// What to do with merged entries that somebody edited by hand.
    pub edits: Edits,
    /// What in text files an alignment can't change, as far as that was tried.
    pub left: &'a [LeftAlone],
}

impl CheckContext<'_> {
    /// A finding about a part of a text file; what can't be changed there is to be changed by hand.
    pub(super) fn of_part(&self, file: &InstallPath, part: &str, finding: Finding) -> Finding {
        match self.left.iter().find(|left| left.file == *file && left.part == part) {
            Some(left) if finding.remedy.is_align() => {
                let remedy = Act::ChangeByHand(left.why.to_string()).into();
                Finding { remedy, ..finding }
            }
            _ => finding,
        }
    }
}

/// The command that mends an install.
pub(super) fn align(survey: &Survey) -> Suggestion {
    Suggestion::align(&survey.install.name)
}
