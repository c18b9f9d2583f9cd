//! What each person is told to do about a verdict, as values. Each says itself in words in one way.

use std::fmt;

use displaydoc::Display;

use crate::base::finding::{Code, Finding};
use crate::base::ids::FoldedId;
use crate::base::in_words::{Around, in_words, joined};
use crate::base::names::InstallName;
use crate::base::stated::Stated;
use crate::rulebook::Role;

/// One piece of advice.
#[derive(Debug, Clone, PartialEq, Eq, Display)]
pub enum Advice {
    /// Bring {0} in line with the canon.
    BringInLine(InstallName),
    /// Or bring {0} in line with the canon from here.
    OrBringInLine(InstallName),
    /// Or look at {0} from here.
    OrLookAt(InstallName),
    /// {0}
    Mend(Mend),
    /// {0}
    Choose(Choice),
    /// On {0}: {1}
    Hold(String, EveryMod),
    /// On {0}: {1}
    On(String, ManualStep),
    /// {0}
    OnServer(ManualStep),
    /// {0} A survey of both sides (kanon survey) will tell which is off.
    SurveyBoth(ManualStep),
}

in_words!(Advice);

impl Advice {
    /// The same without a word of which install it is.
    pub fn of_any_install(&self) -> String {
        match self {
            Self::Mend(mend) => Bare(mend).to_string(),
            Self::Hold(_, every) => every.to_string(),
            Self::On(_, told) => told.to_string(),
            other => other.to_string(),
        }
    }
}

/// Hold every mod against the server's list (kanon handout writes it): which one it is, is not told.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Display)]
pub struct EveryMod;

/// What to do by hand on an install, for somebody who knows the game and not Kanon.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Mend {
    /// The install.
    pub install: InstallName,
    /// What is off there.
    pub finding: Box<Finding>,
}

impl fmt::Display for Mend {
    fn fmt(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(out, "On {}: {}", self.install, Bare(self))
    }
}

struct Bare<'a>(&'a Mend);

impl fmt::Display for Bare<'_> {
    fn fmt(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
        let finding = &self.0.finding;
        let id = finding.mod_id.as_ref().map(FoldedId::as_str);
        let subject = id.unwrap_or("it");
        let starting = id.unwrap_or("It");
        let known = (finding.expected.as_ref(), finding.found.as_ref());
        let (expected, found) = (Around(" ", known.0, ""), Around(" ", known.1, ""));
        let place = Around(" (", finding.path.as_deref(), ")");
        let but_found = Around("; ", known.1, " is there");
        let or = |otherwise: &str| Around(" ", Some(known.0.map_or(otherwise.to_owned(), ToString::to_string)), "");
        match finding.code {
            Code::ModMissing => write!(out, "Install {subject}{expected}{place}."),
            Code::ModExtra | Code::NotNeededHere => write!(out, "Take {subject} out{place}."),
            Code::ModDuplicate if known.0.is_none() => {
                write!(out, "{starting} is there more than once: take the other out{place}.")
            }
            Code::ModDuplicate => {
                write!(out, "{starting} is there more than once: keep{expected}, and take the other out{place}.")
            }
            Code::ModDisabled => write!(out, "Switch {subject} on again{place}."),
            Code::VersionOlder | Code::VersionNewer | Code::VersionOther if known.0.is_none() => {
                write!(out, "Replace {subject}{found} by the right release{place}.")
            }
            Code::VersionOlder | Code::VersionNewer | Code::VersionOther => {
                write!(out, "Replace {subject}{found} by{expected}{place}.")
            }
            Code::ContentDiffers => {
                write!(out, "Get {subject} again, and put it in the place of the changed one{place}.")
            }
            Code::WrongPlace => {
                write!(out, "Move {subject} to where the game looks{place}{}.", Around(": ", known.0, ""))
            }
            Code::WrongName if known.0.is_none() => write!(out, "Call {subject} as the game wants it{place}."),
            Code::WrongName => write!(out, "Call {subject} just so:{expected}{place}."),
            Code::Unreadable => write!(out, "{} can't be read: get it again{place}.", id.unwrap_or("A file")),
            Code::StillPacked => write!(out, "Unpack the download{place}: the game wants what is in it."),
            Code::DependencyMissing if known.0.is_none() => {
                write!(out, "{starting} needs something that is not there: install that too.")
            }
            Code::DependencyMissing => write!(out, "{starting} needs{expected}: install that too."),
            Code::DependencyVersion => match known {
                (Some(expected), Some(found)) => {
                    write!(out, "{starting} needs {expected}, and {found} is there: change one of the two.")
                }
                (Some(expected), None) => write!(out, "{starting} needs {expected}: change one of the two."),
                (None, _) => write!(out, "{starting} needs another release than is there: change one of the two."),
            },
            Code::Conflict => {
                write!(out, "{starting} can't be used like this{}: take one of the two out.", InBrackets(known))
            }
            Code::GameDiffers => {
                write!(out, "Bring the game to{}{}.", or("the right version"), but_found)
            }
            Code::LoaderDiffers | Code::RuntimeDiffers => {
                write!(out, "Install{}{}.", or("the right version"), but_found)
            }
            Code::ListOrder if known.0.is_none() => write!(out, "Put the list in the right order{place}."),
            Code::ListOrder => write!(out, "Put the list in this order:{expected}{place}."),
            Code::LaunchLineDiffers if known.0.is_none() => write!(out, "Mend the launch line{place}."),
            Code::LaunchLineDiffers => write!(out, "Write into the launch line:{expected}{place}."),
            Code::ListEntryMissing => write!(out, "Add {subject} to the list{place}."),
            Code::ListEntryExtra => write!(out, "Take {subject} off the list{place}."),
            Code::ListEntryOff => write!(out, "Switch {subject} on in the list{place}."),
            Code::KeyMissing | Code::KeyChanged => {
                write!(out, "Put{} into the key folder{place}.", or("the right key"))
            }
            Code::SignatureMissing | Code::SignatureBad | Code::SignatureUnknownKey => {
                write!(out, "Get {subject} again with its signature{place}{}.", Around(": ", known.1, ""))
            }
            Code::SettingMissing | Code::SettingDiffers | Code::LicenceNotAccepted => {
                write!(out, "Set it to{}{place}.", or("what it should be"))
            }
            Code::MemoryLow => write!(out, "Give it more memory{}{place}.", Around(": ", known.0, "")),
            _ => {
                let about = Capital(finding.code.about());
                match known {
                    (Some(expected), Some(found)) => {
                        write!(out, "{about}{place}: {expected} is expected, {found} is there.")
                    }
                    (Some(expected), None) => write!(out, "{about}{place}: {expected} is expected."),
                    (None, Some(found)) => write!(out, "{about}{place}: {found} is there."),
                    (None, None) => write!(out, "{about}{place}."),
                }
            }
        }
    }
}

/// What is needed, and what is there, in brackets.
struct InBrackets<'a>((Option<&'a Stated>, Option<&'a Stated>));

impl fmt::Display for InBrackets<'_> {
    fn fmt(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self.0 {
            (Some(expected), Some(found)) => write!(out, " ({expected}; {found} is there)"),
            (Some(expected), None) => write!(out, " ({expected})"),
            (None, Some(found)) => write!(out, " ({found} is there)"),
            (None, None) => Ok(()),
        }
    }
}

struct Capital<'a>(&'a str);

impl fmt::Display for Capital<'_> {
    fn fmt(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
        let mut chars = self.0.chars();
        let first = chars.next().into_iter().flat_map(char::to_uppercase);
        first.chain(chars).try_for_each(|c| write!(out, "{c}"))
    }
}

/// Without a canon somebody must say which side is right.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Choice {
    /// What speaks for each side.
    pub speaks: Vec<(Role, Vec<Reason>)>,
    /// What else to do by hand.
    pub by_hand: Mend,
}

/// What speaks for one side in a difference.
#[derive(Debug, Clone, PartialEq, Eq, Display)]
pub enum Reason {
    /// its {0} is the newer one
    Newer(String),
    /// {leaning} there needs {id} {range}
    Needed {
        /// Who needs it.
        leaning: FoldedId,
        /// What is needed.
        id: FoldedId,
        /// The releases that will do.
        range: String,
    },
}

impl fmt::Display for Choice {
    fn fmt(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
        out.write_str("Say which side is right. ")?;
        if self.speaks.is_empty() {
            out.write_str("Nothing that was measured speaks for either. ")?;
        }
        for (side, reasons) in &self.speaks {
            write!(out, "For the {side}: ")?;
            joined(out, reasons, "; ")?;
            out.write_str(". ")?;
        }
        let init = "Make that one the canon (kanon init, kanon adopt, kanon seal), then align the other; or by hand: ";
        write!(out, "{init}{}", self.by_hand)
    }
}

/// What to do by hand about a cause that only a text tells. A player is told so on his own side, where the server is right.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ManualStep {
    /// The cause.
    pub cause: Code,
    /// The mod.
    pub mod_id: Option<FoldedId>,
    /// The side that is to be mended, where it is known.
    pub side: Option<Role>,
    /// The file that the text names.
    pub file: Option<String>,
    /// What the text says that it wants.
    pub wanted: Option<String>,
    /// Whether the mod can't be done without.
    pub must_stay: bool,
}

impl fmt::Display for ManualStep {
    fn fmt(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
        let named = self.mod_id.as_ref().map(FoldedId::as_str).or(self.file.as_deref());
        let subject = named.unwrap_or("the mod");
        let and_wanted = Around(" (wanted: ", self.wanted.as_deref(), ")");
        let is_player = self.side == Some(Role::Client);
        let on = match self.side {
            Some(Role::Client) => "",
            Some(Role::Server) => " on the server",
            None => " on both sides",
        };
        match self.cause {
            Code::ModMissing => {
                let or = if self.must_stay { "" } else { ", or take it off the server" };
                write!(out, "Install {subject}{} on the client{or}.", Around(" ", self.wanted.as_deref(), ""))
            }
            Code::ModExtra => write!(out, "Take {subject} off the client, or put it on the server too."),
            Code::ModDisabled => write!(out, "Switch {subject} on again{on}."),
            Code::VersionOlder | Code::VersionNewer | Code::VersionOther if is_player => {
                write!(out, "Install the release of {subject} that the server has{and_wanted}.")
            }
            Code::VersionOlder | Code::VersionNewer | Code::VersionOther => {
                write!(out, "Give both sides the same release of {subject}{and_wanted}.")
            }
            Code::ContentDiffers => {
                write!(out, "Give both sides the same file of {subject}: one of the two was changed.")
            }
            Code::LoaderDiffers if is_player => {
                write!(out, "Install the version of the loader that the server has{and_wanted}.")
            }
            Code::LoaderDiffers => write!(out, "Give both sides the same loader version{and_wanted}."),
            Code::GameDiffers if is_player => {
                write!(out, "Bring the game to the version that the server has{and_wanted}.")
            }
            Code::GameDiffers => write!(out, "Give both sides the same game version{and_wanted}."),
            Code::RuntimeDiffers => {
                write!(out, "Give both sides the same version of what the game runs on{and_wanted}.")
            }
            Code::WrongPlace => write!(out, "Move {subject} to where the game looks for mods{on}."),
            Code::WrongName => write!(out, "Call {subject} as the game wants it{on}{and_wanted}."),
            Code::Unreadable => write!(out, "Get {subject} again{on}: it could not be loaded."),
            Code::StillPacked => write!(out, "Unpack {subject}{on}: the game wants what is in it."),
            Code::ModDuplicate => write!(out, "Look for a second copy of {subject}{on}, and take one out."),
            Code::DependencyMissing => write!(out, "Look what {subject} needs{and_wanted}, and install it{on}."),
            Code::DependencyVersion => {
                write!(out, "Look which release {subject} needs{and_wanted}, and install that{on}.")
            }
            Code::Conflict => {
                write!(out, "Look what {subject} can't be used with{and_wanted}, and take one of the two out{on}.")
            }
            Code::ListOrder if is_player => {
                out.write_str("Put the mods in the order that the server has, in the launch line and in lists.")
            }
            Code::ListOrder => out.write_str("Give both sides the same order of mods in their launch lines and lists."),
            Code::ListEntryMissing => write!(out, "Add {subject} to the mod list{on}."),
            Code::ListEntryExtra => write!(out, "Take {subject} off the mod list{on}."),
            Code::ListEntryOff => write!(out, "Switch {subject} on in the mod list{on}."),
            Code::LaunchLineDiffers => write!(out, "Look for {subject} in the launch line{on}."),
            Code::SettingMissing | Code::SettingDiffers => {
                write!(out, "Look at the settings{on}: one can't be right.")
            }
            Code::SignatureBad
            | Code::SignatureMissing
            | Code::SignatureUnknownKey
            | Code::KeyMissing
            | Code::KeyChanged => {
                let then = "and put its public key into the server's key folder";
                write!(out, "Get {subject} again with its signature, {then}.")
            }
            Code::MemoryLow => write!(out, "Give it more memory{on}."),
            _ => write!(out, "Look after {}{on}: {}.", named.unwrap_or("it"), self.cause.about()),
        }
    }
}

#[cfg(test)]
#[path = "../tests/advice.rs"]
mod tests;
