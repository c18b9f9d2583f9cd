//! The wish: `kanon.toml`, read with every mistake told at its place, and edited without losing a comment.

use std::collections::{BTreeMap, HashMap, HashSet};
use std::ops::Range;
use std::time::Duration;

use toml_edit::{ArrayOfTables, DocumentMut, Item, Table, value};

use crate::base::digest::Blake3;
use crate::base::ids::FoldedId;
use crate::base::problem::{BadFile, Parsed, Problems, settle};
use crate::base::version::Versions;
use crate::rulebook::section::{Section, read_root};
use crate::rulebook::{NeededOn, Role, SettingRule, memory_size, read_setting};

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
    pub name: String,
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
            name: name.to_owned(),
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

/// Reads a `kanon.toml`; `name` is how messages call the file.
///
/// # Errors
/// With every mistake that was found, each tied to its place.
pub fn parse(name: &str, text: &str) -> Result<Parsed<WorkspaceConfig>, BadFile> {
    let problems = Problems::default();
    let wishes = read_root(text, "kanon.toml", &problems, wishes);
    settle(name, text, wishes, problems)
}

fn wishes(root: &Section<'_>) -> WorkspaceConfig {
    crate::rulebook::check_format(root, FORMAT);
    let policy = root.section("policy");
    let (installs, sources) = (root.named_sections("install"), root.named_sections("source"));
    let places: Vec<&str> = installs.iter().chain(&sources).map(|((name, _), _)| *name).collect();
    let wishes = WorkspaceConfig {
        name: root.owned_text("name"),
        rulebook: root.owned_text("rulebook"),
        rulebook_from: root.section("rulebook-from").and_then(rulebook_pin),
        game_version: root.optional_text("game-version"),
        loader_version: root.optional_text("loader-version"),
        runtime_version: root.optional_text("runtime-version"),
        extras: policy.as_ref().and_then(extras).unwrap_or_default(),
        edits: policy.as_ref().and_then(edits).unwrap_or_default(),
        unrehearsed: policy.as_ref().and_then(unrehearsed).unwrap_or_default(),
        facts: root
            .text_map("facts")
            .into_iter()
            .map(|((name, _), (is, _))| (name.to_owned(), is.to_owned()))
            .collect(),
        settings: root.sections("setting").into_iter().filter_map(setting_wish).collect(),
        memory: memory(root),
        installs: installs.into_iter().filter_map(|((name, _), section)| install(name, section)).collect(),
        sources: sources.into_iter().map(|((name, _), section)| source(name, section)).collect(),
        backups: root.section("backups").map(keep).unwrap_or_default(),
        release: root.section("release").map(release).unwrap_or_default(),
        watch: root.section("watch").map(watch).unwrap_or_default(),
        mods: root.sections("mod").into_iter().map(mod_wish).collect(),
    };
    policy.into_iter().for_each(Section::finish);
    check_twice(root, &wishes);
    check_places(root, &wishes, &places);
    wishes
}

fn rulebook_pin(section: Section<'_>) -> Option<RulebookPin> {
    let at = section.owned_text("at");
    let digest = section.required_text("blake3");
    let blake3 = digest.and_then(|(text, span)| {
        let read = text.parse().ok();
        if read.is_none() {
            let help = "kanon rulebook renew writes it";
            section.problems().error_with_help(span, "this is no BLAKE3 digest, which has 64 hex digits", help);
        }
        read
    });
    if has_password(&at) {
        let help = "take it out of the address: rulebooks are fetched from where everybody may";
        let message = "a password stands here, where everybody can read it";
        section.problems().error_with_help(section.span(), message, help);
    }
    section.finish();
    Some(RulebookPin { at, blake3: blake3? })
}

fn extras(policy: &Section<'_>) -> Option<Extras> {
    policy.one_of("client-extras", &[("keep", Extras::Keep), ("ask", Extras::Ask), ("forbid", Extras::Forbid)])
}

fn edits(policy: &Section<'_>) -> Option<Edits> {
    policy.one_of("edited-entries", &[("ask", Edits::Ask), ("keep", Edits::Keep), ("replace", Edits::Replace)])
}

fn unrehearsed(policy: &Section<'_>) -> Option<Unrehearsed> {
    policy.one_of("unrehearsed", &[("tell", Unrehearsed::Tell), ("refuse", Unrehearsed::Refuse)])
}

fn memory(root: &Section<'_>) -> Option<u64> {
    let (text, span) = root.text("memory")?;
    let bytes = memory_size(text);
    if bytes.is_none() {
        let help = "write a number and its unit, such as 4GiB";
        root.problems().error_with_help(span, format!("`{text}` is no amount of memory"), help);
    }
    bytes
}

/// A value for a setting of the rulebook, by its name; or for one of the administrator's own, with its file and place.
fn setting_wish(section: Section<'_>) -> Option<SettingWish> {
    section.require("is");
    let own = section.value("file").is_some();
    let rule = if own { read_setting(&section) } else { None };
    let wish = SettingWish {
        name: section.owned_text("name"),
        is: section.owned_text("is"),
        of: section.one_of("of", &[("server", Role::Server), ("client", Role::Client)]),
        rule,
        span: section.span(),
    };
    section.finish();
    (!own || wish.rule.is_some()).then_some(wish)
}

fn install(name: &str, section: Section<'_>) -> Option<InstallWish> {
    let role = section.required_one_of("role", &[("server", Role::Server), ("client", Role::Client)]);
    let (at, span) = section
        .text("at")
        .map_or_else(|| (section.owned_text("at"), section.span()), |(at, span)| (at.to_owned(), span));
    if has_password(&at) {
        let message = "a password stands here, where everybody can read it";
        let help = "take it out of the address; Kanon asks for it, or finds it in the key ring or the environment";
        section.problems().error_with_help(span, message.to_owned(), help);
    }
    let words = |key| section.texts(key).into_iter().map(|(word, _)| word.to_owned()).collect();
    let wish = InstallWish {
        name: name.to_owned(),
        role: role?,
        at,
        host_key: section.optional_text("host-key"),
        key: section.optional_text("key"),
        stop: words("stop"),
        start: words("start"),
        run_in: section.optional_text("run-in"),
        is_rehearsal: section.flag("rehearsal").unwrap_or(false),
        log: section.optional_text("log"),
    };
    section.finish();
    Some(wish)
}

/// Whether an address has a password in it.
fn has_password(at: &str) -> bool {
    let authority = at.split_once("://").and_then(|(_, rest)| rest.split('/').next());
    authority.and_then(|authority| authority.rsplit_once('@')).is_some_and(|(user, _)| user.contains(':'))
}

/// So many days signatures may be good for: longer, and nobody notices when releases are held back.
const RELEASE_DAYS: (u64, u64) = (1, 3_650);
/// So many releases may keep their files.
const RELEASES_KEPT: (u64, u64) = (1, 10_000);
/// So many canons that were sealed before.
const CANONS_KEPT: (u64, u64) = (1, 100_000);
/// So many backups, or days of them.
const BACKUPS_KEPT: (u64, u64) = (0, 1_000_000);

/// A number that must lie within bounds.
fn within(section: &Section<'_>, key: &'static str, (least, most): (u64, u64)) -> Option<u32> {
    let number = section.number(key)?;
    if number < least || number > most {
        let span = section.value(key).map_or_else(|| section.span(), toml::Spanned::span);
        let help = format!("write a number from {least} to {most}, or leave it out");
        section.problems().error_with_help(span, format!("`{key}` can't be {number}"), help);
        return None;
    }
    u32::try_from(number).ok()
}

fn keep(section: Section<'_>) -> Keep {
    let keep = Keep {
        number: within(&section, "keep", BACKUPS_KEPT),
        days: within(&section, "days", BACKUPS_KEPT),
        canons: within(&section, "canons", CANONS_KEPT),
    };
    section.finish();
    keep
}

fn release(section: Section<'_>) -> ReleaseWish {
    let wish = ReleaseWish {
        to: section.optional_text("to"),
        address: section.optional_text("address"),
        days: within(&section, "days", RELEASE_DAYS),
        keep: within(&section, "keep", RELEASES_KEPT),
        programs: section.optional_text("programs"),
        programs_at: section.optional_text("programs-at"),
        zip: section.flag("zip").unwrap_or(false),
    };
    for place in [&wish.to, &wish.address, &wish.programs_at].into_iter().flatten().filter(|place| has_password(place))
    {
        let message =
            format!("a password stands in `{}`, where everybody can read it", place.split("://").next().unwrap_or(""));
        let help = "take it out; credentials for a bucket come from the environment";
        section.problems().error_with_help(section.span(), message, help);
    }
    section.finish();
    wish
}

/// So long may lie between two looks, and so long a start may take.
const SPAN: (Duration, Duration) = (Duration::from_millis(100), Duration::from_secs(7 * 86_400));

/// Why a text is no span of time that can be meant.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum SpanError {
    /// It is none.
    #[error("`{0}` is no span of time")]
    NoSpan(String),
    /// It is less than nothing.
    #[error("`{0}` goes back in time")]
    Backwards(String),
    /// Nobody means that.
    #[error("`{0}` is too short or too long to be meant")]
    OutOfBounds(String),
}

/// A span of time as people write it, such as 10m or 1h 30m.
///
/// # Errors
/// When it is none, or too short or too long to be meant; in words.
pub fn span_of_time(text: &str) -> Result<Duration, SpanError> {
    let span: jiff::SignedDuration = text.trim().parse().map_err(|_| SpanError::NoSpan(text.to_owned()))?;
    let span = Duration::try_from(span).map_err(|_| SpanError::Backwards(text.to_owned()))?;
    match (SPAN.0..=SPAN.1).contains(&span) {
        true => Ok(span),
        false => Err(SpanError::OutOfBounds(text.to_owned())),
    }
}

fn watch(section: Section<'_>) -> WatchWish {
    let span = |key: &'static str| {
        let (text, place) = section.text(key)?;
        let read = span_of_time(text);
        if let Err(error) = &read {
            section.problems().error_with_help(place, error.to_string(), "write it like 30s, 10m or 1h 30m");
        }
        read.ok()
    };
    let wish = WatchWish {
        every: span("every"),
        patience: span("patience"),
        command: section.texts("command").into_iter().map(|(word, _)| word.to_owned()).collect(),
        hook: section.optional_text("hook"),
        body: section.optional_text("body"),
    };
    if let Some((hook, place)) = section.text("hook") {
        let is_web = hook.starts_with("http://") || hook.starts_with("https://");
        if !is_web {
            section.problems().error_with_help(place.clone(), "this is no address", "write http://… or https://…");
        }
        if has_password(hook) {
            let message = "a password stands here, where everybody can read it";
            let help = "write {secret} in its place, and set KANON_HOOK_SECRET where kanon watch runs";
            section.problems().error_with_help(place, message, help);
        }
    }
    section.finish();
    wish
}

fn source(name: &str, section: Section<'_>) -> SourceWish {
    let at = section.owned_text("at");
    section.finish();
    SourceWish { name: name.to_owned(), at }
}

/// Where a mod is needed; `optional = true` is another way to say that it is needed nowhere.
fn needed_on(section: &Section<'_>) -> Option<NeededOn> {
    let sides =
        [NeededOn::Both, NeededOn::Server, NeededOn::Client, NeededOn::Optional].map(|side| (side.as_str(), side));
    let said = section.one_of("needed_on", &sides);
    match (section.flag("optional"), said) {
        (Some(true), Some(side)) if side != NeededOn::Optional => {
            let message = format!("`optional` and `needed_on = \"{}\"` can't both be", side.as_str());
            section.problems().error_with_help(section.span(), message, "keep one of the two");
            said
        }
        (Some(true), _) => Some(NeededOn::Optional),
        _ => said,
    }
}

fn mod_wish(section: Section<'_>) -> ModWish {
    let ids = |key| section.texts(key).into_iter().map(|(id, _)| id.to_owned()).collect();
    let wish = ModWish {
        id: section.owned_text("id").into(),
        version: section.optional_text("version"),
        accepts: section.optional_text("accepts"),
        prereleases: section.flag("prereleases").unwrap_or(false),
        needed_on: needed_on(&section),
        from: section.optional_text("from"),
        asked: section.flag("asked").unwrap_or(true),
        position: section.number("position"),
        load_before: ids("load-before"),
        load_after: ids("load-after"),
        same_settings: section.flag("same-settings").unwrap_or(false),
        span: section.span(),
    };
    section.finish();
    wish
}

fn check_twice(root: &Section<'_>, wishes: &WorkspaceConfig) {
    let mut seen = HashSet::new();
    for wish in wishes.mods.iter().filter(|wish| !seen.insert(wish.id.clone())) {
        let message = format!("`{}` stands twice in kanon.toml", wish.id);
        root.problems().error_with_help(wish.span.clone(), message, "keep one of the two [[mod]] tables");
    }
}

fn check_places(root: &Section<'_>, wishes: &WorkspaceConfig, places: &[&str]) {
    for wish in &wishes.mods {
        let Some(from) = wish.from.as_deref().filter(|from| !places.contains(from)) else { continue };
        let help = match crate::base::problem::nearest(from, places.iter().copied()) {
            Some(near) => format!("did you mean `{near}`?"),
            None => "name an [install.…] or a [source.…] of this file".to_owned(),
        };
        let message = format!("`{}` is to come from `{from}`, which is neither an install nor a source", wish.id);
        root.problems().error_with_help(wish.span.clone(), message, help);
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

/// What is to be written into the wishes.
#[derive(Debug, Clone, Default)]
pub struct Edit<'a> {
    /// Mods: known ones in place, new ones at the end.
    pub put: &'a [ModWish],
    /// Ids of mods to take out.
    pub remove: &'a [FoldedId],
    /// Where releases go and are found, to write.
    pub release: &'a [(&'static str, String)],
    /// Where the rulebook was fetched from, to write.
    pub rulebook_from: Option<&'a RulebookPin>,
    /// The game version to write.
    pub game_version: Option<&'a str>,
    /// Versions to write if none are there: of the game, its loader, and what it runs on.
    pub versions_found: [Option<&'a str>; 3],
}

/// The keys of the versions that everybody must have: of the game, its loader, and what it runs on.
pub const VERSION_KEYS: [&str; 3] = ["game-version", "loader-version", "runtime-version"];

/// What an edit of the wishes changed.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Edited {
    /// The new text.
    pub text: String,
    /// Ids that were not wished for before.
    pub added: Vec<FoldedId>,
    /// Ids whose wish was changed, with the old and the new version.
    pub changed: Vec<(FoldedId, String, String)>,
}

/// Why an edit could not be made.
#[derive(Debug, thiserror::Error)]
pub enum EditError {
    /// It is no TOML.
    #[error("kanon.toml can't be edited: {}", .0.message())]
    Toml(#[from] toml_edit::TomlError),
    /// Something stands where a table is to be.
    #[error("kanon.toml can't be edited: `{0}` must be written as a [{0}] table")]
    NoTable(&'static str),
    /// The mods are no list of tables.
    #[error("kanon.toml can't be edited: `mod` must be written as [[mod]] tables")]
    NoTables,
}

/// Edits the wishes. Everything that is not meant keeps its bytes.
///
/// # Errors
/// When the text is no TOML, or its `mod` is no list of tables.
pub fn edit(text: &str, edit: &Edit<'_>) -> Result<Edited, EditError> {
    let (mark, plain) = match text.strip_prefix('\u{feff}') {
        Some(plain) => ("\u{feff}", plain),
        None => ("", text),
    };
    let mut document: DocumentMut = plain.parse().map_err(EditError::Toml)?;
    let mut edited = Edited::default();
    for (key, found) in VERSION_KEYS.into_iter().zip(edit.versions_found) {
        if let Some(found) = found.filter(|_| !document.contains_key(key)) {
            document.insert(key, value(found));
        }
    }
    if let Some(game) = edit.game_version {
        set_text(document.as_table_mut(), "game-version", game);
    }
    if let Some(pin) = edit.rulebook_from {
        let table = document.entry("rulebook-from").or_insert_with(|| Item::Table(Table::new()));
        let table = table.as_table_mut().ok_or(EditError::NoTable("rulebook-from"))?;
        set_text(table, "at", &pin.at);
        set_text(table, "blake3", &pin.blake3.to_string());
    }
    if !edit.release.is_empty() {
        let table = document.entry("release").or_insert_with(|| Item::Table(Table::new()));
        let table = table.as_table_mut().ok_or(EditError::NoTable("release"))?;
        edit.release.iter().for_each(|(key, text)| set_text(table, key, text));
    }
    let mut tail = String::new();
    if !edit.put.is_empty() || document.contains_key("mod") {
        let tables = document.entry("mod").or_insert_with(|| Item::ArrayOfTables(ArrayOfTables::new()));
        let tables = tables.as_array_of_tables_mut().ok_or(EditError::NoTables)?;
        put(tables, edit.put, &mut edited);
        tail = remove(tables, edit.remove);
    }
    let written = document.to_string() + &tail;
    edited.text = mark.to_owned() + &with_line_ends_of(text, written);
    Ok(edited)
}

fn id_of(table: &Table) -> Option<FoldedId> {
    table.get("id").and_then(Item::as_str).map(FoldedId::from)
}

fn put(tables: &mut ArrayOfTables, wishes: &[ModWish], edited: &mut Edited) {
    let known: HashMap<FoldedId, usize> =
        tables.iter().enumerate().filter_map(|(index, table)| Some((id_of(table)?, index))).collect();
    let mut new: Vec<Table> = Vec::new();
    for wish in wishes {
        match known.get(&wish.id).and_then(|index| tables.get_mut(*index)) {
            Some(table) => update(table, wish, edited),
            None => {
                let mut table = Table::new();
                table.insert("id", value(wish.id.as_str()));
                update(&mut table, wish, &mut Edited::default());
                table.decor_mut().set_prefix("\n");
                new.push(table);
                edited.added.push(wish.id.clone());
            }
        }
    }
    if !new.is_empty() {
        insert(tables, new);
    }
}

/// Puts tables where they belong by their ids, if those that are there are in that order: two people who each add a mod then seldom add
/// it in the same place. Else at the end.
fn insert(tables: &mut ArrayOfTables, mut new: Vec<Table>) {
    let mut old: Vec<Table> = std::mem::take(tables).into_iter().collect();
    let is_in_order = !old.is_empty() && old.iter().map(id_of).is_sorted();
    if !is_in_order {
        let position = old.last().and_then(Table::position);
        new.iter_mut().for_each(|table| table.set_position(position));
        *tables = old.into_iter().chain(new).collect();
        return;
    }
    new.sort_by_key(id_of);
    let leads = new.first().map(id_of) < old.first().map(id_of);
    if let (true, Some(first), Some(table)) = (leads, old.first_mut(), new.first_mut()) {
        // A comment with a blank line after it is about all of them: it stays above.
        let prefix = first.decor().prefix().and_then(|prefix| prefix.as_str()).unwrap_or_default().to_owned();
        if let Some(end) = prefix.rfind("\n\n").filter(|end| prefix[..*end].contains('#')) {
            table.decor_mut().set_prefix(format!("{}\n\n", &prefix[..end]));
            first.decor_mut().set_prefix(prefix[end + 1..].to_owned());
        }
    }
    // Tables are written by their positions, and those of one position in their order.
    let mut position = old.first().and_then(Table::position);
    let mut all = ArrayOfTables::new();
    let mut new = new.into_iter().peekable();
    for table in old {
        while let Some(mut before) = new.next_if(|before| id_of(before) < id_of(&table)) {
            before.set_position(position);
            all.push(before);
        }
        position = table.position();
        all.push(table);
    }
    for mut last in new {
        last.set_position(position);
        all.push(last);
    }
    *tables = all;
}

/// Takes tables out, with the comment right above each. A comment with a blank line after it is about more than one
/// mod: it goes to the next table, or is returned when there is none.
fn remove(tables: &mut ArrayOfTables, ids: &[FoldedId]) -> String {
    let gone = |table: &Table| id_of(table).is_some_and(|id| ids.contains(&id));
    let mut carried = String::new();
    let mut index = 0;
    while let Some(table) = tables.get_mut(index) {
        let prefix = table.decor().prefix().and_then(|prefix| prefix.as_str()).unwrap_or_default().to_owned();
        if gone(table) {
            let shared = prefix.rfind("\n\n").map_or("", |end| &prefix[..end]);
            if shared.contains('#') {
                carried.push_str(shared);
                carried.push('\n');
            }
            tables.remove(index);
        } else {
            if !carried.is_empty() {
                table.decor_mut().set_prefix(std::mem::take(&mut carried) + &prefix);
            }
            index += 1;
        }
    }
    carried
}

fn update(table: &mut Table, wish: &ModWish, edited: &mut Edited) {
    let old = table.get("version").and_then(Item::as_str).unwrap_or("any").to_owned();
    let new = wish.version.clone().unwrap_or_else(|| "any".to_owned());
    for (key, wanted) in [("version", &wish.version), ("from", &wish.from), ("accepts", &wish.accepts)] {
        match wanted {
            Some(wanted) => set_text(table, key, wanted),
            None => drop(table.remove(key)),
        }
    }
    // Where a mod is needed is the administrator's word, once it is there.
    if let Some(side) = wish.needed_on.filter(|_| !table.contains_key("needed_on")) {
        set_text(table, "needed_on", side.as_str());
    }
    set_flag(table, "prereleases", wish.prereleases, false);
    set_flag(table, "asked", wish.asked, true);
    if old != new {
        edited.changed.push((wish.id.clone(), old, new));
    }
}

/// Puts a text in place of another, keeping the spaces and the comment around it.
fn set_text(table: &mut Table, key: &str, text: &str) {
    match table.get_mut(key).and_then(Item::as_value_mut) {
        Some(old) if old.as_str() == Some(text) => {}
        Some(old) => {
            let decor = old.decor().clone();
            *old = text.into();
            *old.decor_mut() = decor;
        }
        None => {
            table.insert(key, value(text));
        }
    }
}

/// A flag that says what is usual is left out.
fn set_flag(table: &mut Table, key: &str, flag: bool, usual: bool) {
    if flag == usual {
        // One that says so already stays.
        if table.get(key).and_then(Item::as_bool) == Some(!usual) {
            table.remove(key);
        }
    } else if table.get(key).and_then(Item::as_bool) != Some(flag) {
        table.insert(key, value(flag));
    }
}

/// The editor writes line feeds; a file from Windows keeps its line ends.
fn with_line_ends_of(original: &str, edited: String) -> String {
    if original.contains("\r\n") { edited.replace("\r\n", "\n").replace('\n', "\r\n") } else { edited }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::base::problem::place;
    use rstest::rstest;

    const SMALL: &str = "# ours\nformat = \"kanon/1\"\nname = \"Longnight Station\"\nrulebook = \"p.rulebook.toml\"\n\n[policy]\nclient-extras = \"ask\"\n\n\
        [install.station]\nrole = \"server\"\nat = \"server\"\n\n[[mod]] # the heart\nid = \"tide\"\nversion = \"1.0\" # not 1.1!\n";

    fn wish(id: &str, version: &str) -> ModWish {
        ModWish { id: id.to_owned().into(), version: Some(version.to_owned()), ..ModWish::default() }
    }

    #[test]
    fn reads() {
        let wishes = parse("kanon.toml", SMALL).expect("wishes").value;
        assert_eq!(wishes.install("station").map(|install| install.role), Some(Role::Server));
        assert_eq!((wishes.extras, wishes.mods.len()), (Extras::Ask, 1));
    }

    #[rstest]
    #[case("role = \"server\"", "role = \"sever\"", "line 10, column 8", "did you mean `server`?")]
    #[case("client-extras", "client-extra", "line 7, column 1", "did you mean `client-extras`?")]
    #[case("version = \"1.0\"", "from = \"staton\"", "line 13, column 1", "did you mean `station`?")]
    #[case("[[mod]]", "[[mod]]\nid = \"Tide\"\n[[mod]]", "line 15, column 1", "keep one of the two")]
    #[case("kanon/1", "kanon/2", "line 2, column 10", "")]
    #[case("at = \"server\"", "at = 3", "line 11, column 6", "")]
    fn a_mistake_is_told_with_its_place(
        #[case] right: &str,
        #[case] wrong: &str,
        #[case] at: &str,
        #[case] help: &str,
    ) {
        let text = SMALL.replacen(right, wrong, 1);
        let bad = parse("kanon.toml", &text).expect_err("a mistake");
        let told: Vec<_> =
            bad.problems.iter().map(|p| (place(&text, p.span.start), p.help.clone().unwrap_or_default())).collect();
        assert!(told.iter().any(|(place, h)| place == at && h.contains(help)), "{told:#?}");
    }

    /// What stands in the middle of the file goes where it belongs, if the others stand so; comments stay with what they are about.
    #[rstest]
    #[case::between("a c e", "d", "a c d e")]
    #[case::at_the_begin("b c", "a", "a b c")]
    #[case::at_the_end("a b", "c", "a b c")]
    #[case::in_no_order("c a b", "b2", "c a b b2")]
    #[case::case_is_no_order("a B c", "bb", "a B bb c")]
    #[case::several("b d", "c a e", "a b c d e")]
    fn a_new_mod_goes_where_it_belongs(#[case] there: &str, #[case] new: &str, #[case] expected: &str) {
        let block = |id: &str| format!("\n# about {id}\n[[mod]]\nid = \"{id}\"\nversion = \"1\"\n");
        let blocks: String = there.split(' ').map(block).collect();
        let head = "format = \"kanon/1\"\nname = \"n\"\nrulebook = \"r\"\n\n# All our mods.\n";
        let text = format!("{head}{blocks}\n[release]\ndays = 40\n");
        let new: Vec<ModWish> = new.split(' ').map(|id| wish(id, "1")).collect();
        let edited = adopt(&text, &new, [None; 3]).expect("edited").text;
        let ids: Vec<&str> = edited.lines().filter_map(|line| line.strip_prefix("id = ")).collect();
        let expected: Vec<String> = expected.split(' ').map(|id| format!("\"{id}\"")).collect();
        assert_eq!(ids, expected, "{edited}");
        assert!(edited.starts_with(head), "{edited}");
        assert!(edited.ends_with("\n[release]\ndays = 40\n"), "{edited}");
        for id in there.split(' ') {
            assert!(edited.contains(&block(id)), "{id} keeps its comment: {edited}");
        }
    }

    fn adopt(text: &str, put: &[ModWish], versions_found: [Option<&str>; 3]) -> Result<Edited, EditError> {
        edit(text, &Edit { put, versions_found, ..Edit::default() })
    }

    #[test]
    fn an_edit_keeps_comments_order_and_line_ends() {
        let edited = adopt(SMALL, &[wish("Tide", "1.1"), wish("fog", "3")], [Some("1.4"), None, None]).expect("edited");
        assert_eq!(edited.added, ["fog"]);
        assert_eq!(edited.changed, [("Tide".into(), "1.0".to_owned(), "1.1".to_owned())]);
        let expected = SMALL
            .replace("\"1.0\"", "\"1.1\"")
            .replace("p.rulebook.toml\"\n", "p.rulebook.toml\"\ngame-version = \"1.4\"\n")
            .replace("\n[[mod]]", "\n[[mod]]\nid = \"fog\"\nversion = \"3\"\n\n[[mod]]");
        assert_eq!(edited.text, expected);
        let windows = adopt(&SMALL.replace('\n', "\r\n"), &[wish("fog", "3")], [None; 3]).expect("edited").text;
        assert_eq!(windows.matches('\n').count(), windows.matches("\r\n").count());
        let marked = format!("\u{feff}{SMALL}");
        assert!(adopt(&marked, &[wish("fog", "3")], [None; 3]).expect("edited").text.starts_with("\u{feff}# ours"));
        assert_eq!(adopt(SMALL, &[wish("tide", "1.0")], [None; 3]).expect("edited").text, SMALL);
    }

    #[test]
    fn what_is_taken_out_takes_its_own_comment_with_it_and_no_other() {
        let text =
            format!("{SMALL}\n# for everybody\n\n# loud\n[[mod]]\nid = \"fog\"\n\n# quiet\n[[mod]]\nid = \"horn\"\n");
        let without = |ids: &[&str]| {
            let ids: Vec<FoldedId> = ids.iter().map(|id| (*id).into()).collect();
            edit(&text, &Edit { remove: &ids, ..Edit::default() }).expect("edited").text
        };
        assert_eq!(without(&["FOG"]), text.replace("\n# loud\n[[mod]]\nid = \"fog\"\n", ""));
        assert_eq!(without(&["horn"]), text.replace("\n# quiet\n[[mod]]\nid = \"horn\"\n", ""));
        assert!(without(&["fog", "horn"]).ends_with("# for everybody\n"), "{}", without(&["fog", "horn"]));
        assert_eq!(without(&["gone"]), text);
    }

    #[test]
    fn what_an_update_may_choose_is_written_and_taken_out() {
        let choosy = ModWish {
            accepts: Some("^1".to_owned()),
            prereleases: true,
            asked: false,
            version: Some("1.0".to_owned()),
            ..wish("tide", "")
        };
        let put = [choosy.clone()];
        let edited =
            edit(SMALL, &Edit { put: &put, game_version: Some("1.5"), ..Edit::default() }).expect("edited").text;
        assert!(edited.contains("version = \"1.0\" # not 1.1!\naccepts = \"^1\"\nprereleases = true\nasked = false\n"));
        let read = parse("kanon.toml", &edited).expect("wishes").value;
        assert_eq!(ModWish { span: 0..0, ..read.mods[0].clone() }, choosy);
        assert_eq!(read.game_version.as_deref(), Some("1.5"));
        let plain = [wish("tide", "1.0")];
        let again = edit(&edited, &Edit { put: &plain, ..Edit::default() }).expect("edited").text;
        assert_eq!(again.replace("game-version = \"1.5\"\n", ""), SMALL);
    }

    #[rstest]
    #[case("1.0", Some("1.0"))]
    #[case("=1.0", Some("1.0"))]
    #[case(">=1.0", None)]
    #[case("blue", Some("blue"))]
    fn a_wish_for_just_one_release_is_known(#[case] version: &str, #[case] pinned: Option<&str>) {
        assert_eq!(wish("tide", version).pinned(Versions::default()), pinned);
    }

    #[test]
    fn what_can_not_be_edited_is_refused() {
        assert!(adopt("mod = 3", &[wish("fog", "3")], [None; 3]).is_err());
        assert!(adopt("= 3", &[], [None; 3]).is_err());
    }
}
