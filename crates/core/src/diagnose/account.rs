//! What a piece of evidence tells, as a value: a line of a log, a measured difference, what a survey says of a line.

use std::fmt;

use displaydoc::Display;

use crate::base::finding::Finding;
use crate::base::ids::FoldedId;
use crate::base::in_words::{Around, in_words, joined};
use crate::base::names::InstallName;
use crate::base::path::InstallPath;
use crate::base::stated::Stated;
use crate::logs::is_own_defect;
use crate::rulebook::Role;
use crate::survey::Survey;

/// What a piece of evidence tells.
#[derive(Debug, Clone, PartialEq, Eq, Display)]
pub enum Account {
    /// {0}
    Line(String),
    /// {0}
    Difference(Box<Difference>),
    /// both sides have {0} now; the line tells of before
    BothHave(String),
    /// both sides have now what the canon says; the line tells of before
    BothAsSealed,
    /// both sides have the same of it now; the line tells of before
    BothTheSame,
    /// {install} has {version}
    HasVersion {
        /// The install.
        install: InstallName,
        /// The version of the game, its loader, or what it runs on.
        version: String,
    },
    /// {0}
    Copies(Copies),
    /// {0} (as the game shows it)
    AsShown(String),
    /// {message} ({percent} % like "{known}")
    Like {
        /// What the player saw.
        message: String,
        /// How much it is like a known one.
        percent: u32,
        /// The known one.
        known: String,
    },
}

in_words!(Account);

/// What an install has of a mod.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Copies {
    /// The install.
    pub install: InstallName,
    /// Each copy: its version, its place, whether it is switched on.
    pub copies: Vec<(String, InstallPath, bool)>,
}

impl fmt::Display for Copies {
    fn fmt(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
        if self.copies.is_empty() {
            return write!(out, "{} does not have it", self.install);
        }
        write!(out, "{} has ", self.install)?;
        let copies = self.copies.iter().map(|(version, place, is_on)| {
            format!("{version} in {place}{}", if *is_on { "" } else { ", switched off" })
        });
        joined(out, copies, " and ")
    }
}

/// A measured difference in one line.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Difference {
    install: InstallName,
    held_against: HeldAgainst,
    finding: Finding,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, Display)]
enum HeldAgainst {
    /// the canon has
    Canon,
    /// the server has
    Server,
    /// what is there asks for
    WhatIsThere,
}

impl Difference {
    /// A finding on an install, with a canon or without.
    pub fn new(survey: &Survey, finding: &Finding, has_canon: bool) -> Self {
        let held_against = match (has_canon, survey.install.role) {
            (true, _) => HeldAgainst::Canon,
            (false, Role::Client) if !is_own_defect(finding.code) => HeldAgainst::Server,
            (false, _) => HeldAgainst::WhatIsThere,
        };
        Self { install: survey.install.name.clone(), held_against, finding: finding.clone() }
    }
}

impl fmt::Display for Difference {
    fn fmt(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
        let Self { install, held_against, finding } = self;
        let path = finding.path.as_deref();
        let subject = finding.mod_id.as_ref().map(FoldedId::as_str).or(path).unwrap_or("the install");
        write!(out, "{subject}: {}; {held_against} ", finding.code.about())?;
        let dash = Stated::Verbatim("-".to_owned());
        let (expected, found) = (finding.expected.as_ref(), finding.found.as_ref());
        write!(out, "{}, {install} has {}", expected.unwrap_or(&dash), found.unwrap_or(&dash))?;
        write!(out, "{}", Around(" (", path.filter(|path| *path != subject), ")"))
    }
}
