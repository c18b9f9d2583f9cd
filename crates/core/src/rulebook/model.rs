//! The model of a rulebook: everything that one game may say about how its mods lie on a disk.

use regex::Regex;
use serde::{Deserialize, Serialize};
use serde_json_path::JsonPath;

use super::facts::{DocumentRule, FactRule, NestedRule, RelationRule, ToldBy};
use super::lists::ListRule;
use super::names::{BesideName, NamePattern, OffPattern};
use super::places::PlacePattern;
use super::settings::{ExtraRule, MemoryRule, SettingRule};
use super::sides::{ByRole, Role};
use crate::base::finding::Code;
use crate::base::names::ShelfName;
use crate::base::path::InstallPath;
use crate::base::version::Versions;
use crate::text::{Encoding, Notation};

impl Holds {
    /// Whether a single file can be a mod here.
    pub const fn files(self) -> bool {
        matches!(self, Self::Archives | Self::ArchivesOrFolders | Self::Files | Self::Overlays)
    }

    /// Whether a folder can be a mod here.
    pub const fn folders(self) -> bool {
        matches!(self, Self::Folders | Self::ArchivesOrFolders)
    }

    /// Whether a file here is an archive that is looked into.
    pub const fn archives(self) -> bool {
        matches!(self, Self::Archives | Self::ArchivesOrFolders | Self::Overlays)
    }
}

/// How one game arranges its mods.
#[derive(Debug, Clone)]
pub struct Rulebook {
    /// The game's name.
    pub game: String,
    /// How versions and requirements are written.
    pub versions: Versions,
    /// The game itself, without mods.
    pub base: Platform,
    /// What loads the mods, where it is a thing of its own.
    pub loader: Option<Platform>,
    /// What both run on, where its version matters.
    pub runtime: Option<Platform>,
    /// Mods that let another loader's mods run.
    pub bridges: Vec<Bridge>,
    /// Where mods live.
    pub shelves: Vec<Shelf>,
    /// Where a server keeps the public keys it accepts.
    pub keyring: Option<Keyring>,
    /// Mod lists and launch lines.
    pub lists: Vec<ListRule>,
    /// Entries that mods merge into the game's own data files.
    pub fragments: Vec<FragmentRule>,
    /// Settings that mods or the administrator ask for.
    pub settings: Vec<SettingRule>,
    /// How much memory the game is given.
    pub memory: Vec<MemoryRule>,
    /// Where worlds are.
    pub worlds: Vec<WorldRule>,
    /// Where a game writes what it does: files, or folders of them; of several the newest counts.
    pub logs: ByRole<Vec<PlacePattern>>,
    /// How a running server shows.
    pub running: RunningSigns,
    /// What log lines mean.
    pub events: Vec<EventRule>,
    /// What the game shows to players, and what it means.
    pub messages: Vec<MessageRule>,
}

/// What lets the mods of another loader run.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Bridge {
    /// That loader's name.
    pub loader: String,
    /// The ids of the mods that do it; any one of them will do.
    pub mods: Vec<String>,
}

/// The game, the loader or the runtime: something with a version that mods make demands on.
#[derive(Debug, Clone, Default)]
pub struct Platform {
    /// What people call it.
    pub name: String,
    /// Ids under which mods name it among their dependencies.
    pub ids: Vec<String>,
    /// Where its version is found in an install.
    pub version: Vec<PlatformVersion>,
}

/// Where the version of a platform is found in an install; the first that yields one decides.
#[derive(Debug, Clone)]
pub enum PlatformVersion {
    /// In the path of a file, by a regex over paths inside the install.
    FileName(Regex),
    /// At a place in a document.
    Document {
        /// The file.
        file: InstallPath,
        /// How it is written.
        notation: Notation,
        /// How its text is stored.
        encoding: Encoding,
        /// The place, by RFC 9535.
        at: JsonPath,
    },
    /// In the text of a file, by a regex whose named group holds it.
    Text {
        /// The file.
        file: InstallPath,
        /// How its text is stored.
        encoding: Encoding,
        /// The pattern.
        line: Regex,
    },
}

/// What a shelf holds.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Holds {
    /// One archive for each mod, zip by nature under any extension.
    Archives,
    /// One folder for each mod.
    Folders,
    /// An archive or a folder for each mod.
    ArchivesOrFolders,
    /// One opaque file for each mod.
    Files,
    /// Archives whose members are laid into a base archive.
    Overlays,
    /// Ids alone; the bytes come from elsewhere.
    Ids,
}

/// Whether the game minds how a mod's file or folder is called.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Names {
    /// It must be called just so, letter case included.
    Exact,
    /// Any name will do that the shelf's patterns match.
    Free,
}

/// A place in an install where mods of one kind live.
#[derive(Debug, Clone)]
pub struct Shelf {
    /// What the rulebook calls it.
    pub name: ShelfName,
    /// What it holds.
    pub holds: Holds,
    /// Where it is; the first is the main one, the others hold copies. Empty: that role has no such shelf.
    pub places: ByRole<Vec<InstallPath>>,
    /// Further places, whose paths are known only when an install is looked at.
    pub wild: ByRole<Vec<PlacePattern>>,
    /// The list that names its mods, where the install has only their ids.
    pub ids_from: ByRole<Option<String>>,
    /// Which names are mods; empty: all.
    pub matches: Vec<NamePattern>,
    /// Which names are not, although they match.
    pub except: Vec<NamePattern>,
    /// What files are called that belong to a mod and lie beside its own: they come, go and change with it.
    pub beside: Vec<BesideName>,
    /// How a disabled mod is named.
    pub off: Vec<OffPattern>,
    /// Whether names matter.
    pub names: Names,
    /// What a mod from a download is to be called, with `{id}` and `{version}`.
    pub called: Option<String>,
    /// How a mod is read.
    pub read: ModRule,
    /// How its payload is signed.
    pub signed: Option<SignedRule>,
    /// What its members are laid into.
    pub laid_into: Option<LaidRule>,
    /// What its mods bring for places outside of it.
    pub extras: Vec<ExtraRule>,
    /// Files in its mods that belong to whoever plays: patterns for paths inside a mod, or for names.
    pub settings: Vec<NamePattern>,
}

/// The base archive into which overlays are laid.
#[derive(Debug, Clone)]
pub struct LaidRule {
    /// The archive.
    pub base: InstallPath,
    /// The list that gives the order in which they are laid; by name when not said.
    pub order: Option<String>,
    /// Members that are left out on a role.
    pub strip: ByRole<Vec<NamePattern>>,
}

/// How a mod on a shelf is read.
#[derive(Debug, Clone, Default)]
pub struct ModRule {
    /// The main document: the first of these that the mod has.
    pub documents: Vec<DocumentRule>,
    /// A document outside of the mods, of which one entry is the main document of each mod.
    pub told_by: Option<ToldBy>,
    /// Its id.
    pub id: FactRule,
    /// Its version.
    pub version: FactRule,
    /// What people call it.
    pub title: FactRule,
    /// Where it is needed: `both`, `server`, `client` or `optional`.
    pub needed_on: FactRule,
    /// The game versions it fits.
    pub game: FactRule,
    /// The loader versions it fits.
    pub loader: FactRule,
    /// The runtime versions it fits.
    pub runtime: FactRule,
    /// The loader it was made for, by name.
    pub made_for: FactRule,
    /// Whether it reshapes the world: `yes` or `no`.
    pub shapes_world: FactRule,
    /// Its relations to other mods.
    pub relations: Vec<RelationRule>,
    /// Ids that every mod here needs, but for itself.
    pub all_need: Vec<String>,
    /// Further ids it stands for.
    pub provides: Option<JsonPath>,
    /// Archives inside it.
    pub nested: Option<NestedRule>,
    /// Signs of a mod for another loader.
    pub foreign: Vec<Foreign>,
}

impl ModRule {
    /// The files of a mod that something is read from, as the rulebook names them.
    pub fn members(&self) -> impl Iterator<Item = &String> {
        let facts = [
            &self.id,
            &self.version,
            &self.title,
            &self.needed_on,
            &self.game,
            &self.loader,
            &self.runtime,
            &self.made_for,
            &self.shapes_world,
        ];
        let of_facts = facts.into_iter().flat_map(|fact| &fact.0).filter_map(|step| step.origin.member());
        let of_relations = self.relations.iter().filter_map(|relation| relation.place.member());
        let documents = self.documents.iter().chain(self.foreign.iter().map(|sign| &sign.document));
        documents.map(|document| &document.member).chain(of_relations).chain(of_facts)
    }

    /// Whether what a mod is, or needs, is read from this file of it.
    pub fn reads(&self, inner: &str) -> bool {
        self.members().any(|member| match member.contains(['*', '?']) {
            true => NamePattern::new(member).is_ok_and(|pattern| pattern.fits(inner)),
            false => member.eq_ignore_ascii_case(inner),
        })
    }
}

/// The sign of a mod that was made for another loader.
#[derive(Debug, Clone)]
pub struct Foreign {
    /// That loader's name.
    pub loader: String,
    /// The document that only its mods have.
    pub document: DocumentRule,
    /// Where the mod's id is in it.
    pub id: Option<JsonPath>,
    /// Where its version is.
    pub version: Option<JsonPath>,
}

/// How a signature is made.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum KeyScheme {
    /// Ed25519.
    Ed25519,
    /// RSA with SHA-256, PKCS#1 v1.5.
    RsaSha256,
    /// RSA with SHA-1, PKCS#1 v1.5.
    RsaSha1,
    /// The format is closed: the key is known by its name alone.
    ByName,
}

/// How the payload of a mod is signed.
#[derive(Debug, Clone)]
pub struct SignedRule {
    /// Which files of the mod are signed; for mods that are single files, which of those.
    pub payload: NamePattern,
    /// The signature's path, with `{payload}` and `{key}`.
    pub signature: String,
    /// The public key's path inside the mod, with `{key}`.
    pub key: String,
    /// How the signature is made.
    pub scheme: KeyScheme,
}

/// Where a server keeps the public keys it accepts.
#[derive(Debug, Clone)]
pub struct Keyring {
    /// The folder.
    pub places: ByRole<Vec<InstallPath>>,
    /// Keys of the game itself, never touched.
    pub own: Vec<NamePattern>,
}

/// Entries that mods merge into one of the game's own data files.
#[derive(Debug, Clone)]
pub struct FragmentRule {
    /// Whose it is; both sides' when not said.
    pub of: Option<Role>,
    /// The file in the mod.
    pub from: String,
    /// The game's file.
    pub into: InstallPath,
    /// The text before which they go.
    pub before: String,
    /// The attribute or child by which an entry is known again.
    pub identity: String,
}

/// A place where worlds are.
#[derive(Debug, Clone)]
pub struct WorldRule {
    /// The folder or file of the world; of each world with a `*` in it.
    pub places: ByRole<Vec<PlacePattern>>,
}

/// How a running server shows.
#[derive(Debug, Clone, Default)]
pub struct RunningSigns {
    /// Files that are there only while it runs.
    pub lock_files: Vec<InstallPath>,
    /// A TCP port that is open only while it runs.
    pub port: Option<u16>,
    /// Names of programs that run only then, without their extension.
    pub processes: Vec<String>,
    /// So many seconds without a word of loading, and it is up.
    pub settle: Option<u64>,
}

impl RunningSigns {
    /// Whether nothing would show that it runs.
    pub const fn is_empty(&self) -> bool {
        self.lock_files.is_empty() && self.port.is_none() && self.processes.is_empty()
    }
}

/// What a log line means.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Event {
    /// A player tries to join.
    JoinTried,
    /// A player was let in.
    JoinAccepted,
    /// A player was turned away.
    JoinRefused,
    /// The program starts: what stood before is of an earlier run.
    Starting,
    /// The server is up.
    Ready,
    /// The server goes on loading, whatever it said before.
    StillLoading,
    /// A mod was loaded.
    ModLoaded,
    /// A mod could not be loaded, for a reason that the line does not give.
    ModFailed,
    /// Data of a player were refused.
    DataRefused,
    /// There was not enough memory.
    OutOfMemory,
    /// How much memory is used.
    MemoryUsed,
    /// The server falls behind.
    Lag,
    /// One side waited for the other in vain.
    TimeOut,
    /// The program ended unexpectedly.
    Crash,
    /// A setting can't be right.
    ConfigError,
    /// A cause, by the code of the finding it speaks for.
    #[serde(untagged)]
    Cause(Code),
}

impl Event {
    /// The words for what is no cause of its own, and everyday words for some causes; each code is a word too.
    pub const WORDS: [(&'static str, Self); 19] = [
        ("join-tried", Self::JoinTried),
        ("join-accepted", Self::JoinAccepted),
        ("join-refused", Self::JoinRefused),
        ("starting", Self::Starting),
        ("ready", Self::Ready),
        ("still-loading", Self::StillLoading),
        ("mod-loaded", Self::ModLoaded),
        ("mod-failed", Self::ModFailed),
        ("data-refused", Self::DataRefused),
        ("out-of-memory", Self::OutOfMemory),
        ("memory-used", Self::MemoryUsed),
        ("lag", Self::Lag),
        ("time-out", Self::TimeOut),
        ("crash", Self::Crash),
        ("config-error", Self::ConfigError),
        ("version-differs", Self::Cause(Code::VersionOther)),
        ("order-differs", Self::Cause(Code::ListOrder)),
        ("signature-refused", Self::Cause(Code::SignatureBad)),
        ("key-unknown", Self::Cause(Code::SignatureUnknownKey)),
    ];

    /// The rulebook's word for it.
    pub fn word(self) -> &'static str {
        let known = || Self::WORDS.into_iter().find(|(_, event)| *event == self);
        match self {
            Self::Cause(code) => code.as_str(),
            _ => known().map_or("mod-failed", |(word, _)| word),
        }
    }
}

/// A pattern over log lines.
#[derive(Debug, Clone)]
pub struct EventRule {
    /// What a line that fits means.
    pub means: Event,
    /// Which side's log it is found in; both when not said.
    pub side: Option<Role>,
    /// The pattern; its groups are those of [`EVENT_GROUPS`].
    pub line: Regex,
    /// The lines below one that fits, as long as they fit this: each is an event of the same meaning.
    pub then: Option<Regex>,
    /// What stands between the mods of a group `mods`.
    pub between: String,
}

/// The groups of a log pattern that are understood.
pub const EVENT_GROUPS: [&str; 8] = ["mod", "mods", "expected", "found", "player", "file", "key", "amount"];

/// A text that the game shows to players, and what it may mean.
#[derive(Debug, Clone)]
pub struct MessageRule {
    /// The text; in braces, names of the groups of log patterns.
    pub shown: String,
    /// What it is shown for, the most frequent first.
    pub means: Vec<Event>,
}

impl Rulebook {
    /// The shelf of that name.
    pub fn shelf(&self, name: &str) -> Option<&Shelf> {
        self.shelves.iter().find(|shelf| shelf.name == name)
    }

    /// The list of that name.
    pub fn list(&self, name: &str) -> Option<&ListRule> {
        self.lists.iter().find(|list| list.name == name)
    }

    /// The shelves whose mods a list names: those that it says, or that speak of it; else all.
    pub fn shelves_of<'r>(&'r self, list: &'r ListRule) -> impl Iterator<Item = &'r Shelf> {
        let speaks = |shelf: &Shelf| {
            let order = shelf.laid_into.as_ref().and_then(|laid| laid.order.as_deref());
            [shelf.ids_from.server.as_deref(), shelf.ids_from.client.as_deref(), order].contains(&Some(&list.name))
        };
        let any_speaks = self.shelves.iter().any(speaks);
        self.shelves.iter().filter(move |shelf| match list.shelves.as_slice() {
            [] => !any_speaks || speaks(shelf),
            named => named.contains(&shelf.name),
        })
    }
}

impl Shelf {
    /// Where this shelf is on an install of that role.
    pub fn places(&self, role: Role) -> &[InstallPath] {
        self.places.of(role)
    }

    /// The list that names this shelf's mods on an install of that role, where it has only their ids.
    pub fn ids_from(&self, role: Role) -> Option<&str> {
        self.ids_from.of(role).as_deref()
    }

    /// How a name on this shelf is to be taken.
    pub fn classify(&self, name: &str) -> Named {
        if let Some(enabled) = self.off.iter().find_map(|off| off.enabled_name(name, &self.matches)) {
            return Named::Disabled { enabled };
        }
        let matches = self.matches.is_empty() || self.matches.iter().any(|pattern| pattern.fits(name));
        if matches && !self.except.iter().any(|pattern| pattern.fits(name)) { Named::Enabled } else { Named::NoMod }
    }

    /// How the name of a folder on this shelf is to be taken; where archives are mods too, `match` is about those.
    pub fn classify_folder(&self, name: &str) -> Named {
        if self.holds != Holds::ArchivesOrFolders {
            return self.classify(name);
        }
        if let Some(enabled) = self.off.iter().find_map(|off| off.enabled_name(name, &[])) {
            return Named::Disabled { enabled };
        }
        if self.except.iter().any(|pattern| pattern.fits(name)) { Named::NoMod } else { Named::Enabled }
    }

    /// Whether a file of a mod, by its path inside of it, belongs to whoever plays. What a mod is known or signed by never does.
    pub fn is_setting(&self, inner: &str) -> bool {
        let name = inner.rsplit('/').next().unwrap_or(inner);
        let is_meant = |pattern: &NamePattern| pattern.fits(if pattern.text().contains('/') { inner } else { name });
        self.signed.is_none() && self.settings.iter().any(is_meant) && !self.read.reads(inner)
    }

    /// Whether two names are one to the game.
    pub fn same_name(&self, a: &str, b: &str) -> bool {
        self.names == Names::Free || a == b
    }
}

/// How a name on a shelf is to be taken.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Named {
    /// A mod.
    Enabled,
    /// A disabled mod.
    Disabled {
        /// Its name when enabled.
        enabled: String,
    },
    /// Something else.
    NoMod,
}
