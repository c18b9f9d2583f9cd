//! What a log line says, and which causes it can speak for.

use std::fmt;

use serde::Serialize;

use super::time::LogTime;
use crate::base::finding::Code;
use crate::base::ids::FoldedId;
use crate::base::names::PlayerName;
use crate::rulebook::{Event, Role};

/// Where evidence comes from.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum Source {
    /// What was measured.
    Survey,
    /// The server's log.
    ServerLog,
    /// The client's log.
    ClientLog,
    /// What the player saw, or remembers.
    Message,
}

impl Source {
    /// The log of a side.
    pub const fn log_of(side: Role) -> Self {
        match side {
            Role::Server => Self::ServerLog,
            Role::Client => Self::ClientLog,
        }
    }

    /// The word for it in reports.
    pub const fn as_str(self) -> &'static str {
        match self {
            Self::Survey => "survey",
            Self::ServerLog => "server-log",
            Self::ClientLog => "client-log",
            Self::Message => "message",
        }
    }
}

impl fmt::Display for Source {
    fn fmt(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
        out.write_str(self.as_str())
    }
}

/// What keeps a player out that no mod has to do with.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum KeptOutBy {
    /// A ban.
    Ban,
    /// A list of who may join.
    GuestList,
    /// A full server.
    FullServer,
    /// A password.
    Password,
    /// The player's account.
    Account,
    /// The line between the two: address, port, firewall.
    Connection,
}

impl KeptOutBy {
    /// Whether words for it are seldom said of somebody who is sent away for his mods: lines get lost then, too.
    pub const fn is_final(self) -> bool {
        !matches!(self, Self::Account | Self::Connection)
    }
}

/// What a log line says.
#[derive(Debug, Clone, PartialEq)]
pub struct LogEvent {
    /// What it means.
    pub means: Event,
    /// Where it stands.
    pub source: Source,
    /// The line's number, from one.
    pub line: u64,
    /// The line, made printable.
    pub text: String,
    /// The mod it names.
    pub mod_id: Option<FoldedId>,
    /// What was expected.
    pub expected: Option<String>,
    /// What was found.
    pub found: Option<String>,
    /// The player it is about.
    pub player: Option<PlayerName>,
    /// The file it names.
    pub file: Option<String>,
    /// The key it names.
    pub key: Option<String>,
    /// How much: of memory, of time.
    pub amount: Option<String>,
    /// What keeps the player out that no mod has to do with, where that was read beside what its words say.
    pub kept_out: Option<KeptOutBy>,
    /// Whether what it means was guessed by little: another meaning would not surprise.
    pub is_guess: bool,
}

impl LogEvent {
    /// When the line was written, as far as it tells.
    pub fn stamp(&self) -> Option<LogTime> {
        LogTime::of(&self.text)
    }

    /// The cause it speaks for where nothing was measured.
    pub const fn cause(&self) -> Option<Code> {
        cause_of(self.means)
    }

    /// The side on which it must be, where the line can only be about the one whose log it is in.
    pub const fn own_side(&self) -> Option<Role> {
        let own = match self.means {
            Event::ModFailed | Event::OutOfMemory | Event::ConfigError | Event::Crash => true,
            Event::Cause(code) => is_own_defect(code) || self.player.is_none() && is_of_own_list(code),
            _ => false,
        };
        match (own, self.source) {
            (true, Source::ServerLog) => Some(Role::Server),
            (true, Source::ClientLog) => Some(Role::Client),
            _ => None,
        }
    }

    /// Every name that the line gives for what it is about.
    pub fn names(&self) -> impl Iterator<Item = &str> {
        let first_of_expected = self.expected.as_deref().and_then(|text| text.split_whitespace().next());
        [self.mod_id.as_ref().map(FoldedId::as_str), self.file.as_deref(), self.key.as_deref(), first_of_expected]
            .into_iter()
            .flatten()
    }
}

/// The cause that a meaning speaks for where nothing was measured.
pub const fn cause_of(means: Event) -> Option<Code> {
    match means {
        Event::Cause(code) => Some(code),
        Event::ModFailed => Some(Code::Unreadable),
        Event::DataRefused => Some(Code::ContentDiffers),
        Event::OutOfMemory => Some(Code::MemoryLow),
        Event::ConfigError => Some(Code::SettingDiffers),
        _ => None,
    }
}

/// Whether a defect is in a list or launch line: only its owner reads it.
const fn is_of_own_list(code: Code) -> bool {
    use Code::*;
    matches!(code, ListEntryMissing | ListEntryExtra | ListEntryOff | LaunchLineDiffers)
}

/// Whether a defect is of the side it is on, whatever the other side has.
pub const fn is_own_defect(code: Code) -> bool {
    use Code::*;
    matches!(
        code,
        ModDuplicate
            | WrongPlace
            | Unreadable
            | StillPacked
            | DependencyMissing
            | DependencyVersion
            | Conflict
            | OrderImpossible
            | ListUnreadable
            | MemoryLow
            | LicenceNotAccepted
            | FragmentLeftOver
            | ModDisabled
    )
}

/// Whether a cause is a difference in the mods that both sides have.
pub const fn is_of_mods(code: Code) -> bool {
    use Code::*;
    matches!(
        code,
        ModMissing
            | ModDisabled
            | ModExtra
            | ModDuplicate
            | VersionOlder
            | VersionNewer
            | VersionOther
            | ContentDiffers
    )
}

/// The causes that may stand behind a line which speaks for this one: a mod that a log calls missing may be there, switched off.
pub fn family(means: Event) -> &'static [Code] {
    use Code::*;
    match means {
        Event::Cause(code) => family_of(code),
        Event::ModFailed => &[
            Unreadable,
            StillPacked,
            ContentDiffers,
            DependencyMissing,
            DependencyVersion,
            Conflict,
            ModDuplicate,
            ModMissing,
            ModDisabled,
            WrongName,
            WrongPlace,
            VersionOlder,
            VersionNewer,
            VersionOther,
            GameDiffers,
            LoaderDiffers,
            RuntimeDiffers,
            ListEntryMissing,
            ListEntryOff,
            LaunchLineDiffers,
        ],
        Event::DataRefused => &[
            ContentDiffers,
            FragmentDiffers,
            FragmentMissing,
            FragmentLeftOver,
            ModExtra,
            SignatureBad,
            SignatureMissing,
        ],
        Event::OutOfMemory => &[MemoryLow],
        Event::ConfigError => {
            &[SettingDiffers, SettingMissing, LicenceNotAccepted, ListUnreadable, FragmentLeftOver, FragmentDiffers]
        }
        _ => &[],
    }
}

fn family_of(code: Code) -> &'static [Code] {
    use Code::*;
    match code {
        ModMissing => &[
            ModMissing,
            ModDisabled,
            WrongPlace,
            WrongName,
            StillPacked,
            Unreadable,
            ListEntryMissing,
            ListEntryOff,
            LaunchLineDiffers,
            DependencyMissing,
        ],
        ModDisabled => &[ModDisabled, ListEntryOff, ModMissing],
        ModExtra => &[
            ModExtra,
            ListEntryExtra,
            LaunchLineDiffers,
            ModDuplicate,
            NotNeededHere,
            ModDisabled,
            ListEntryOff,
            ModMissing,
        ],
        ModDuplicate => &[ModDuplicate, ModExtra, ListEntryExtra, FragmentLeftOver],
        VersionOlder | VersionNewer | VersionOther => {
            &[VersionOlder, VersionNewer, VersionOther, ModDuplicate, ListVersion, DependencyVersion]
        }
        ContentDiffers => {
            &[ContentDiffers, VersionOlder, VersionNewer, VersionOther, SignatureBad, ModDuplicate, FragmentDiffers]
        }
        Unreadable => &[Unreadable, StillPacked, ContentDiffers, ListUnreadable],
        WrongPlace | WrongName | StillPacked => {
            &[WrongPlace, WrongName, StillPacked, ModMissing, Unreadable, LaunchLineDiffers]
        }
        DependencyMissing => &[
            DependencyMissing,
            ModMissing,
            ModDisabled,
            WrongName,
            WrongPlace,
            ListEntryMissing,
            ListEntryOff,
            LaunchLineDiffers,
            Unreadable,
        ],
        DependencyVersion => &[DependencyVersion, VersionOlder, VersionNewer, VersionOther],
        Conflict => &[Conflict, ModExtra],
        OrderImpossible | ListOrder => &[ListOrder, LaunchLineDiffers, OrderImpossible],
        ListEntryMissing | ListEntryOff => {
            &[ListEntryMissing, ListEntryOff, LaunchLineDiffers, ModMissing, ModDisabled]
        }
        ListEntryExtra => &[ListEntryExtra, LaunchLineDiffers, ModExtra],
        LaunchLineDiffers => &[LaunchLineDiffers, ListOrder, ListEntryMissing, ListEntryExtra, ListUnreadable],
        SignatureBad | SignatureMissing | SignatureUnknownKey | KeyMissing | KeyChanged => &[
            SignatureBad,
            SignatureMissing,
            SignatureUnknownKey,
            KeyMissing,
            KeyChanged,
            ContentDiffers,
            VersionOlder,
            VersionNewer,
            VersionOther,
        ],
        SettingMissing | SettingDiffers => &[SettingMissing, SettingDiffers, LicenceNotAccepted],
        LicenceNotAccepted => &[LicenceNotAccepted, SettingMissing, SettingDiffers],
        FragmentMissing | FragmentDiffers | FragmentLeftOver => {
            &[FragmentMissing, FragmentDiffers, FragmentLeftOver, ModDuplicate]
        }
        GameDiffers => &[GameDiffers],
        LoaderDiffers => &[LoaderDiffers],
        RuntimeDiffers => &[RuntimeDiffers],
        ListVersion => &[ListVersion, VersionOlder, VersionNewer, VersionOther],
        ListUnreadable => &[ListUnreadable],
        KeyLeftOver => &[KeyLeftOver, KeyChanged],
        WorldNeedsNew => &[WorldNeedsNew],
        MemoryLow => &[MemoryLow],
        NotNeededHere => &[NotNeededHere],
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_code_speaks_for_itself() {
        for code in Code::ALL {
            assert!(family(Event::Cause(*code)).contains(code), "{code}");
        }
    }
}
