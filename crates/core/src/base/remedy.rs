//! What to do about a finding: a command, an act by hand, or a choice between them.

use displaydoc::Display;
use serde::ser::SerializeStruct;
use serde::{Serialize, Serializer};

use crate::base::act::Act;
use crate::base::suggestion::Suggestion;

/// What to do about a finding.
#[derive(Debug, Clone, PartialEq, Eq, Display)]
pub enum Remedy {
    /// Nothing is said.
    #[displaydoc("")]
    Nothing,
    /// {0}
    ByHand(Act),
    /// {0}
    Command(Suggestion),
    /// {0}, or leave it if you know it
    OrLeave(Suggestion),
    /// {0}, or --world FILE for a prepared one, or --world keep if you know that it will do
    OrOtherWorld(Suggestion),
    /// An entry that somebody edited.
    #[displaydoc(
        "{0} puts the mod's own in its place; or say in kanon.toml that it stays: edited-entries = \"keep\" under [policy]"
    )]
    OrKeepEdited(Suggestion),
    /// read {licence}; if you accept it: {command}
    Accepting {
        /// The licence's file, or where it is to be read.
        licence: String,
        /// The command that says yes to it.
        command: Suggestion,
    },
}

impl Remedy {
    /// The command, where there is one.
    pub const fn command(&self) -> Option<&Suggestion> {
        match self {
            Self::Nothing | Self::ByHand(_) => None,
            Self::Command(command)
            | Self::OrLeave(command)
            | Self::OrOtherWorld(command)
            | Self::OrKeepEdited(command)
            | Self::Accepting { command, .. } => Some(command),
        }
    }

    /// Whether an alignment mends it.
    pub fn is_align(&self) -> bool {
        self.command().is_some_and(Suggestion::is_align)
    }

    /// The same with another command, where there is one.
    #[must_use]
    pub fn with(&self, other: Suggestion) -> Self {
        let mut same = self.clone();
        match &mut same {
            Self::Nothing | Self::ByHand(_) => {}
            Self::Command(command)
            | Self::OrLeave(command)
            | Self::OrOtherWorld(command)
            | Self::OrKeepEdited(command)
            | Self::Accepting { command, .. } => *command = other,
        }
        same
    }
}

impl From<Suggestion> for Remedy {
    fn from(command: Suggestion) -> Self {
        Self::Command(command)
    }
}

impl From<Act> for Remedy {
    fn from(by_hand: Act) -> Self {
        Self::ByHand(by_hand)
    }
}

/// In JSON: the whole as a sentence, and the command by itself.
impl Serialize for Remedy {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        let mut both = serializer.serialize_struct("Remedy", 2)?;
        both.serialize_field("remedy", &self.to_string())?;
        both.serialize_field("command", &self.command().map(ToString::to_string))?;
        both.end()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_remedy_tells_its_command_by_itself() {
        let command = Suggestion::align("my hall").word("--world").word("new");
        let remedy = Remedy::Accepting { licence: "it".to_owned(), command };
        assert_eq!(remedy.to_string(), "read it; if you accept it: kanon align \"my hall\" --world new");
        let json = serde_json::to_value(&remedy).expect("JSON");
        assert_eq!(json["command"], "kanon align \"my hall\" --world new");
        assert!(remedy.is_align() && !Remedy::from(Act::SeeItsPage).is_align());
    }
}
