//! What can be wrong, as data: a stable code, how bad it is, what was expected and found, and what to do.

use crate::base::ids::FoldedId;
use crate::base::remedy::Remedy;
use crate::base::stated::Stated;
use std::fmt;

use serde::{Deserialize, Serialize};

macro_rules! codes {
    ($($variant:ident $word:literal $severity:ident $about:literal,)*) => {
        /// The stable name of a finding, and of the cause that a verdict points at.
        #[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
        #[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
        pub enum Code {
            $(#[doc = $about] #[serde(rename = $word)] $variant,)*
        }

        impl Code {
            /// Every code, group by group.
            pub const ALL: &'static [Code] = &[$(Code::$variant,)*];

            /// The code as people and programs read it.
            pub const fn as_str(self) -> &'static str {
                match self { $(Code::$variant => $word,)* }
            }

            /// One line on what it means.
            pub const fn about(self) -> &'static str {
                match self { $(Code::$variant => $about,)* }
            }

            /// How bad it is where nothing else is known.
            pub const fn usual_severity(self) -> Severity {
                match self { $(Code::$variant => Severity::$severity,)* }
            }
        }
    };
}

codes! {
    ModMissing "mod-missing" Blocking "a mod of the canon is not there",
    ModExtra "mod-extra" Blocking "a mod is there that the canon does not have",
    ModDuplicate "mod-duplicate" Blocking "the same mod is there more than once",
    ModDisabled "mod-disabled" Blocking "a mod of the canon is there but switched off",
    VersionOlder "version-older" Blocking "an older release than the canon's",
    VersionNewer "version-newer" Blocking "a newer release than the canon's",
    VersionOther "version-other" Blocking "another release than the canon's",
    ContentDiffers "content-differs" Blocking "the same release with other bytes",
    WrongPlace "wrong-place" Blocking "a mod lies where the game does not look",
    WrongName "wrong-name" Blocking "a mod is not called as the game wants it",
    Unreadable "unreadable" Blocking "a file could not be read as a mod",
    StillPacked "still-packed" Blocking "a download was put in place without unpacking it",
    NotNeededHere "not-needed-here" Note "a mod of the canon that this side does not need",
    DependencyMissing "dependency-missing" Blocking "a mod that another one needs is not there",
    DependencyVersion "dependency-version" Blocking "a mod is there in a release that another one can't use",
    Conflict "conflict" Blocking "two mods that can't be used together",
    OrderImpossible "order-impossible" Blocking "mods ask for an order that can't be",
    GameDiffers "game-differs" Blocking "another version of the game",
    LoaderDiffers "loader-differs" Blocking "another version of the loader",
    RuntimeDiffers "runtime-differs" Blocking "another version of what the game runs on",
    ListEntryMissing "list-entry-missing" Blocking "a mod list lacks an entry",
    ListEntryExtra "list-entry-extra" Blocking "a mod list has an entry too many",
    ListEntryOff "list-entry-off" Blocking "an entry of a mod list is switched off",
    ListOrder "list-order" Blocking "a mod list is in another order",
    ListVersion "list-version" Blocking "a mod list pins another version",
    LaunchLineDiffers "launch-line-differs" Blocking "the launch line is another",
    ListUnreadable "list-unreadable" Blocking "a mod list could not be read",
    KeyMissing "key-missing" Blocking "a mod's public key is not in the key folder",
    KeyLeftOver "key-left-over" Risky "a public key belongs to no mod any more",
    KeyChanged "key-changed" Blocking "a public key was replaced under the same name",
    SignatureMissing "signature-missing" Blocking "a payload has no signature",
    SignatureBad "signature-bad" Blocking "a signature does not fit its payload",
    SignatureUnknownKey "signature-unknown-key" Blocking "a signature was made with a key that the server does not hold",
    SettingMissing "setting-missing" Risky "a setting is not there",
    SettingDiffers "setting-differs" Risky "a setting has another value",
    FragmentMissing "fragment-missing" Risky "a mod's entry is not in the game's data file",
    FragmentDiffers "fragment-differs" Risky "a mod's entry was changed",
    FragmentLeftOver "fragment-left-over" Risky "an entry belongs to no mod any more",
    LicenceNotAccepted "licence-not-accepted" Blocking "a licence was not accepted yet",
    WorldNeedsNew "world-needs-new" Risky "a mod reshapes the world and wants a new one",
    MemoryLow "memory-low" Risky "too little memory is set",
}

impl fmt::Display for Code {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.as_str())
    }
}

/// How bad a finding is.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Severity {
    /// The join will fail or the server won't start.
    Blocking,
    /// It may work, or break later.
    Risky,
    /// Good to know.
    Note,
}

impl Severity {
    /// The word for it.
    pub const fn as_str(self) -> &'static str {
        match self {
            Self::Blocking => "blocking",
            Self::Risky => "risky",
            Self::Note => "note",
        }
    }
}

/// How an entry inside a mod differs.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Change {
    /// Its bytes are others.
    Changed,
    /// It is there and should not be.
    Added,
    /// It should be there and is not.
    Gone,
}

/// An entry inside a mod that differs.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct EntryChange {
    /// Its path inside the mod.
    pub path: String,
    /// How it differs.
    pub change: Change,
}

/// One difference or defect.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Finding {
    /// What it is.
    pub code: Code,
    /// How bad it is.
    pub severity: Severity,
    /// The id of the mod it is about.
    #[serde(rename = "mod")]
    pub mod_id: Option<FoldedId>,
    /// The path inside the install.
    pub path: Option<String>,
    /// What should be.
    pub expected: Option<Stated>,
    /// What is.
    pub found: Option<Stated>,
    /// What to do.
    #[serde(flatten)]
    pub remedy: Remedy,
    /// For content that differs: which entries inside.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub entries: Vec<EntryChange>,
}

impl Finding {
    /// A finding of the usual severity, to be filled in.
    pub fn new(code: Code, remedy: impl Into<Remedy>) -> Self {
        Self {
            code,
            severity: code.usual_severity(),
            mod_id: None,
            path: None,
            expected: None,
            found: None,
            remedy: remedy.into(),
            entries: Vec::new(),
        }
    }

    /// Names the mod.
    #[must_use]
    pub fn about(mut self, mod_id: impl Into<FoldedId>) -> Self {
        self.mod_id = Some(mod_id.into());
        self
    }

    /// Names the path.
    #[must_use]
    pub fn at(mut self, path: impl Into<String>) -> Self {
        self.path = Some(path.into());
        self
    }

    /// Says what should be.
    #[must_use]
    pub fn expected(mut self, expected: impl Into<Stated>) -> Self {
        self.expected = Some(expected.into());
        self
    }

    /// Says what is.
    #[must_use]
    pub fn found(mut self, found: impl Into<Stated>) -> Self {
        self.found = Some(found.into());
        self
    }

    /// Gives another severity than the usual.
    #[must_use]
    pub const fn severity(mut self, severity: Severity) -> Self {
        self.severity = severity;
        self
    }
}

/// Whether findings leave an install in line: notes do, anything worse does not.
pub fn in_line(findings: &[Finding]) -> bool {
    findings.iter().all(|finding| finding.severity == Severity::Note)
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::collections::BTreeSet;

    #[test]
    fn codes_are_unique_kebab_case_and_survive_json() {
        let words: BTreeSet<_> = Code::ALL.iter().map(|code| code.as_str()).collect();
        assert_eq!(words.len(), Code::ALL.len());
        for code in Code::ALL {
            assert!(code.as_str().chars().all(|c| c.is_ascii_lowercase() || c == '-'), "{code}");
            assert_eq!(serde_json::to_string(code).expect("json"), format!("\"{code}\""));
        }
    }

    #[test]
    fn only_notes_are_in_line() {
        let note = Finding::new(Code::NotNeededHere, Remedy::Nothing);
        assert!(in_line(&[]) && in_line(std::slice::from_ref(&note)));
        assert!(!in_line(&[note.clone(), note.severity(Severity::Risky)]));
    }
}
