//! `kanon.toml` as it is read, with every mistake at its place.

use std::collections::HashSet;
use std::time::Duration;

use super::mistake::{Mend, Mistake, SpanError};
use super::model::*;
use crate::base::problem::{BadFile, Parsed, Problems, settle};
use crate::rulebook::section::{Section, read_root};
use crate::rulebook::{NeededOn, Role, memory_size, read_setting};

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
            section.problems().error_with_help(span, Mistake::NoDigest, Mend::RenewRulebook);
        }
        read
    });
    if has_password(&at) {
        section.problems().error_with_help(section.span(), Mistake::Password, Mend::OutOfRulebook);
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
        root.problems().error_with_help(span, Mistake::NoAmount(text.to_owned()), Mend::Amount);
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
        section.problems().error_with_help(span, Mistake::Password, Mend::OutOfInstall);
    }
    let words = |key| section.texts(key).into_iter().map(|(word, _)| word.to_owned()).collect();
    let wish = InstallWish {
        name: name.into(),
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
        section.problems().error_with_help(span, Mistake::OutOfBounds { key, number }, Mend::Between(least, most));
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
        let mistake = Mistake::PasswordIn(place.split("://").next().unwrap_or_default().to_owned());
        section.problems().error_with_help(section.span(), mistake, Mend::OutOfRelease);
    }
    section.finish();
    wish
}

/// So long may lie between two looks, and so long a start may take.
const SPAN: (Duration, Duration) = (Duration::from_millis(100), Duration::from_secs(7 * 86_400));

/// A span of time as people write it, such as 10m or 1h 30m.
///
/// # Errors
/// When it is none, or too short or too long to be meant.
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
            section.problems().error_with_help(place, Mistake::NoSpan(error.clone()), Mend::Span);
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
            section.problems().error_with_help(place.clone(), Mistake::NoAddress, Mend::Address);
        }
        if has_password(hook) {
            section.problems().error_with_help(place, Mistake::Password, Mend::OutOfHook);
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
            let mistake = Mistake::OptionalAndSide(side.as_str());
            section.problems().error_with_help(section.span(), mistake, Mend::KeepOne);
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
        root.problems().error_with_help(wish.span.clone(), Mistake::Twice(wish.id.clone()), Mend::KeepOneMod);
    }
}

fn check_places(root: &Section<'_>, wishes: &WorkspaceConfig, places: &[&str]) {
    for wish in &wishes.mods {
        let Some(from) = wish.from.as_deref().filter(|from| !places.contains(from)) else { continue };
        let help = match crate::base::problem::nearest(from, places.iter().copied()) {
            Some(near) => Mend::DidYouMean(near.to_owned()),
            None => Mend::NamePlace,
        };
        let mistake = Mistake::UnknownPlace { id: wish.id.clone(), from: from.to_owned() };
        root.problems().error_with_help(wish.span.clone(), mistake, help);
    }
}
