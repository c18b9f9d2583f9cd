//! What an administrator asks for: the model of `kanon.toml`.

use std::collections::BTreeMap;
use std::ops::Range;
use std::time::Duration;

use crate::base::digest::Blake3;
use crate::base::ids::FoldedId;
use crate::base::names::InstallName;
use crate::base::version::Versions;
use crate::rulebook::{NeededOn, Role, SettingRule};

/// The first line of every `kanon.toml`.
pub const FORMAT: &str = "kanon/1";

/// What to do with a client's mods that the canon does not have and that the server does not mind.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Extras {
    /// Leave them; a note says they are there.
    #[default]
    Keep,
    /// Ask before each alignment; until then they are risky.
    Ask,
    /// They block, and an alignment parks them.
    Forbid,
}

/// What to do with merged entries that somebody edited by hand.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Edits {
    /// They stay, and are told as something that is off.
    #[default]
    Ask,
    /// They stay; a note says that they are there.
    Keep,
    /// The mod's own take their place.
    Replace,
}

/// What to do about a canon that was never rehearsed.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Unrehearsed {
    /// Say so.
    #[default]
    Tell,
    /// Align no server with it that is not there for rehearsals.
    Refuse,
}

/// A value that a setting must have.
#[derive(Debug, Clone)]
pub struct SettingWish {
    /// What the setting is called.
    pub name: String,
    /// The value; facts, other settings and places in braces are filled in.
    pub is: String,
    /// Whose it is; as the setting's rule says, when not said.
    pub of: Option<Role>,
    /// Where it is, when the rulebook does not know it.
    pub rule: Option<SettingRule>,
    /// Where it stands in the file.
    pub span: Range<usize>,
}

/// What the administrator wishes for.
#[derive(Debug, Clone, Default)]
pub struct WorkspaceConfig {
    /// The canon's name.
    pub name: String,
    /// The rulebook's file, relative to the workspace.
    pub rulebook: String,
    /// Where the rulebook was fetched from, and what was there.
    pub rulebook_from: Option<RulebookPin>,
    /// The game version that everybody must have.
    pub game_version: Option<String>,
    /// The loader version that everybody must have.
    pub loader_version: Option<String>,
    /// The version of what the game runs on that everybody must have.
    pub runtime_version: Option<String>,
    /// The policy for a client's extra mods.
    pub extras: Extras,
    /// The installs it is about.
    pub installs: Vec<InstallWish>,
    /// Where releases of mods come from.
    pub sources: Vec<SourceWish>,
    /// The policy for merged entries that were edited.
    pub edits: Edits,
    /// The policy for canons that were never rehearsed.
    pub unrehearsed: Unrehearsed,
    /// What is true of this server, for settings to quote.
    pub facts: BTreeMap<String, String>,
    /// Values that settings must have.
    pub settings: Vec<SettingWish>,
    /// So many bytes of memory a server must be given at least.
    pub memory: Option<u64>,
    /// How long backups are kept; all of them, for ever, when not said.
    pub backups: Keep,
    /// How releases for players are published.
    pub release: ReleaseWish,
    /// How changes are noticed and told.
    pub watch: WatchWish,
    /// The mods.
    pub mods: Vec<ModWish>,
}

/// Where a rulebook was fetched from.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct RulebookPin {
    /// The address, or the file.
    pub at: String,
    /// The digest of what was fetched.
    pub blake3: Blake3,
}

/// An install that the workspace knows by name.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct InstallWish {
    /// Its name.
    pub name: InstallName,
    /// Server or client.
    pub role: Role,
    /// Its folder, relative to the workspace or absolute; or its address on a host.
    pub at: String,
    /// The fingerprint of its host's key, so that nobody need be asked about it.
    pub host_key: Option<String>,
    /// The file of the private key that opens its host, relative to the workspace or absolute.
    pub key: Option<String>,
    /// The command that stops it, with its arguments.
    pub stop: Vec<String>,
    /// The command that starts it, with its arguments.
    pub start: Vec<String>,
    /// The folder in which both are run, relative to the workspace or absolute; the workspace's own, when not said.
    pub run_in: Option<String>,
    /// Whether it is there to be tried: mods may be taken off it and put back.
    pub is_rehearsal: bool,
    /// Its log, from its own folder; what its command prints, when not said.
    pub log: Option<String>,
}

impl InstallWish {
    /// An install of which nothing is said but what and where it is.
    pub fn bare(name: &str, role: Role, at: &str) -> Self {
        Self {
            name: name.into(),
            role,
            at: at.to_owned(),
            host_key: None,
            key: None,
            stop: Vec::new(),
            start: Vec::new(),
            run_in: None,
            is_rehearsal: false,
            log: None,
        }
    }
}

/// How long backups are kept.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Keep {
    /// So many of each install, the newest.
    pub number: Option<u32>,
    /// So many days.
    pub days: Option<u32>,
    /// So many canons that were sealed before.
    pub canons: Option<u32>,
}

/// How releases for players are published.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct ReleaseWish {
    /// The folder or bucket that they are published to; a folder is relative to the workspace or absolute.
    pub to: Option<String>,
    /// The address at which players find it.
    pub address: Option<String>,
    /// So many days its signatures are good for.
    pub days: Option<u32>,
    /// So many releases keep their files.
    pub keep: Option<u32>,
    /// The folder with the programs that carry the invite, relative to the workspace or absolute.
    pub programs: Option<String>,
    /// Where players find programs of their makers instead.
    pub programs_at: Option<String>,
    /// Whether all that a player needs is published in one archive too.
    pub zip: bool,
}

/// How changes are noticed and told.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct WatchWish {
    /// So long lies between two looks at everything; ten minutes when not said.
    pub every: Option<Duration>,
    /// A server that has not come up so long after it began is told of; ten minutes when not said.
    pub patience: Option<Duration>,
    /// A command that is run for each change, with its arguments; it gets the change as JSON.
    pub command: Vec<String>,
    /// The address that each change is sent to, by HTTP POST.
    pub hook: Option<String>,
    /// What is sent, with places in braces; the change as JSON when not said.
    pub body: Option<String>,
}

/// A folder of downloads, or a catalogue.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SourceWish {
    /// Its name.
    pub name: String,
    /// The folder, relative to the workspace or absolute; for a catalogue its address or its file.
    pub at: String,
}

/// One mod that is wished for.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ModWish {
    /// Its id.
    pub id: FoldedId,
    /// Which releases will do; a version without a sign is just that one. Any when not said.
    pub version: Option<String>,
    /// Which releases an update may choose; any when not said.
    pub accepts: Option<String>,
    /// Whether states before a release will do.
    pub prereleases: bool,
    /// Where it is needed, against what the mod says itself.
    pub needed_on: Option<NeededOn>,
    /// The install or source whose copy counts.
    pub from: Option<String>,
    /// Whether somebody asked for it; otherwise another mod needs it.
    pub asked: bool,
    /// Its place in the load order, from one.
    pub position: Option<u64>,
    /// Mods that it must be loaded before.
    pub load_before: Vec<String>,
    /// Mods that it must be loaded after.
    pub load_after: Vec<String>,
    /// Whether its settings are to be the same for everybody, and not of whoever plays.
    pub same_settings: bool,
    /// Where it stands in the file.
    pub span: Range<usize>,
}

impl Default for ModWish {
    fn default() -> Self {
        Self {
            id: FoldedId::default(),
            version: None,
            accepts: None,
            prereleases: false,
            needed_on: None,
            from: None,
            asked: true,
            position: None,
            load_before: Vec::new(),
            load_after: Vec::new(),
            same_settings: false,
            span: 0..0,
        }
    }
}

/// Fields in a row, none of which can be taken for another one: each with its length, or a dash where there is none.
struct Decided(String);

impl Decided {
    fn new(format: &str) -> Self {
        Self(format!("{format}\n"))
    }

    fn field(&mut self, parts: &[Option<&str>]) {
        for part in parts {
            match part {
                Some(part) => self.0.push_str(&format!("{} {part} ", part.len())),
                None => self.0.push_str("- "),
            }
        }
        self.0.push('\n');
    }

    fn digest(&self) -> Blake3 {
        Blake3::of(self.0.as_bytes())
    }
}

impl WorkspaceConfig {
    /// A digest of all that decides what is sealed; comments, installs and what updates may choose don't.
    pub fn digest(&self) -> Blake3 {
        let mut mods: Vec<&ModWish> = self.mods.iter().collect();
        mods.sort_by(|a, b| a.id.cmp(&b.id));
        let mut text = Decided::new("wishes/2");
        text.field(&[Some(&self.name), self.game_version.as_deref(), self.loader_version.as_deref()]);
        if let Some(version) = &self.runtime_version {
            text.field(&[Some("runtime"), Some(version)]);
        }
        for wish in &mods {
            let side = wish.needed_on.map(NeededOn::as_str);
            text.field(&[Some("mod"), Some(wish.id.as_str()), wish.version.as_deref(), side, wish.from.as_deref()]);
        }
        // What an older program did not know of changes no digest where it is not used.
        for wish in mods.iter().filter(|wish| wish.has_order()) {
            let position = wish.position.map(|position| position.to_string());
            text.field(&[Some("order"), Some(wish.id.as_str()), position.as_deref()]);
            wish.load_before.iter().for_each(|other| text.field(&[Some("before"), Some(other)]));
            wish.load_after.iter().for_each(|other| text.field(&[Some("after"), Some(other)]));
        }
        for wish in mods.iter().filter(|wish| wish.same_settings) {
            text.field(&[Some("same settings"), Some(wish.id.as_str())]);
        }
        for wish in &self.settings {
            text.field(&[Some("setting"), Some(&wish.name), Some(&wish.is), wish.of.map(Role::as_str)]);
        }
        for (name, value) in &self.facts {
            text.field(&[Some("fact"), Some(name), Some(value)]);
        }
        if let Some(memory) = self.memory {
            text.field(&[Some("memory"), Some(&memory.to_string())]);
        }
        text.digest()
    }

    /// The install of that name.
    pub fn install(&self, name: &str) -> Option<&InstallWish> {
        self.installs.iter().find(|install| install.name == name)
    }
}

impl ModWish {
    /// Whether it says anything of the load order.
    pub fn has_order(&self) -> bool {
        self.position.is_some() || !self.load_before.is_empty() || !self.load_after.is_empty()
    }

    /// The version, when the wish is for just one.
    pub fn pinned(&self, versions: Versions) -> Option<&str> {
        let text = self.version.as_deref()?;
        match versions.of_wishes().requirement(text) {
            Ok(requirement) => requirement.exactly().is_some().then(|| text.trim_start_matches('=').trim()),
            // What nobody can order is just what it says.
            Err(_) => Some(text),
        }
    }

    /// Whether a release will do.
    pub fn admits(&self, version: Option<&str>, versions: Versions) -> bool {
        let admits = |wanted: &Option<String>| versions.of_wishes().accepts(wanted.as_deref(), version);
        admits(&self.version) && admits(&self.accepts)
    }
}

/// The keys of the versions that everybody must have: of the game, its loader, and what it runs on.
pub const VERSION_KEYS: [&str; 3] = ["game-version", "loader-version", "runtime-version"];
