//! Shelves: where mods live, what they are called, who signs them.

use toml::Spanned;

use super::facts::mod_rule;
use super::values::{checked, each, finish, install_path, patterns, place_patterns, split_places};
use crate::base::path::InstallPath;
use crate::rulebook::mistake::{Mend, Mistake};
use crate::rulebook::model::*;
use crate::rulebook::names::{BesideName, NamePattern, OffPattern};
use crate::rulebook::section::Section;
use crate::rulebook::settings::ExtraRule;
use crate::rulebook::sides::ByRole;

pub(super) fn shelf(section: &Section<'_>) -> Shelf {
    let holds = holds(section);
    let names = [("exact", Names::Exact), ("free", Names::Free)];
    let usual = if holds.archives() || holds == Holds::Ids { Names::Free } else { Names::Exact };
    let read = section.section("mod").map(|inner| finish(inner, mod_rule));
    let ids_from = ids_from(section);
    let ids_alone = holds == Holds::Ids;
    if !ids_alone && read.as_ref().is_none_or(|read| read.id.0.is_empty()) {
        section.problems().error_with_help(section.span(), Mistake::NoId, Mend::AddId);
    }
    section.require(if ids_alone { "ids-from" } else { "in" });
    let (places, wild) = split_places(place_patterns(section, "in"));
    let beside = beside(section, holds, read.as_ref());
    Shelf {
        name: section.owned_text("name").into(),
        holds,
        places,
        wild,
        ids_from,
        matches: patterns(section, "match"),
        except: patterns(section, "except"),
        beside,
        off: section.texts("off").into_iter().filter_map(|spot| checked(section, spot, OffPattern::new)).collect(),
        names: section.one_of("names", &names).unwrap_or(usual),
        called: called(section),
        read: read.unwrap_or_default(),
        signed: section.section("signed").and_then(|inner| finish(inner, signed)),
        laid_into: section.section("laid-into").and_then(|inner| finish(inner, laid_into)),
        extras: extras(section, holds),
        settings: settings_inside(section, holds),
    }
}

/// Files of whoever plays, inside of mods: only those of a folder can stay as they are.
fn settings_inside(section: &Section<'_>, holds: Holds) -> Vec<NamePattern> {
    let settings = member_patterns(section, "settings");
    if !settings.is_empty() && !holds.folders() {
        section.problems().error(section.span(), Mistake::SettingsInFiles);
    }
    if !settings.is_empty() && section.value("signed").is_some() {
        section.problems().error(section.span(), Mistake::SettingsSigned);
    }
    settings
}

/// Names of files beside a mod that one shelf may have.
const BESIDE: usize = 16;

/// What lies beside a mod's own file or folder, and belongs to it.
fn beside(section: &Section<'_>, holds: Holds, read: Option<&ModRule>) -> Vec<BesideName> {
    let spots = section.texts("beside");
    if !spots.is_empty() && matches!(holds, Holds::Overlays | Holds::Ids) {
        section.problems().error(section.span(), Mistake::NothingBeside);
    }
    // A folder is called `reed-1.2` as a whole.
    if holds.folders() && spots.iter().any(|(text, _)| text.contains("{stem}")) {
        section.problems().error(section.span(), Mistake::StemOfFolder);
    }
    if spots.len() > BESIDE {
        section.problems().error(section.span(), Mistake::ManyBeside(BESIDE));
    }
    let written = spots.len();
    let beside: Vec<BesideName> =
        spots.into_iter().filter_map(|spot| checked(section, spot, BesideName::new)).collect();
    // A document with a place in its name is one of those, and none that Kanon would not look for.
    let is_template = |member: &&String| member.contains("{stem}") || member.contains("{name}");
    let is_known = |member: &String| beside.iter().any(|own| own.text() == member);
    let mut members = read.into_iter().flat_map(ModRule::members).filter(is_template);
    if let Some(member) = members.find(|member| !is_known(member)).filter(|_| beside.len() == written) {
        section.problems().error(section.span(), Mistake::NotBeside(member.clone()));
    }
    beside
}

/// Only the files of a folder are known one by one.
fn extras(section: &Section<'_>, holds: Holds) -> Vec<ExtraRule> {
    let extras: Vec<ExtraRule> = each(section.sections("extra"), extra).into_iter().flatten().collect();
    if !extras.is_empty() && !holds.folders() {
        section.problems().error(section.span(), Mistake::ExtrasInFiles);
    }
    extras
}

/// One word, or both of archives and folders.
pub(super) fn holds(section: &Section<'_>) -> Holds {
    let kinds = [
        ("archives", Holds::Archives),
        ("folders", Holds::Folders),
        ("files", Holds::Files),
        ("overlays", Holds::Overlays),
        ("ids", Holds::Ids),
    ];
    section.require("holds");
    let words: Vec<Holds> = section.texts_of("holds", &kinds);
    match words.as_slice() {
        [one] => *one,
        [Holds::Archives, Holds::Folders] | [Holds::Folders, Holds::Archives] => Holds::ArchivesOrFolders,
        [] => Holds::Archives,
        _ => {
            section.problems().error_with_help(
                section.value("holds").map_or_else(|| section.span(), Spanned::span),
                Mistake::ManyKinds,
                Mend::ShelfForEach,
            );
            words[0]
        }
    }
}

pub(super) fn ids_from(section: &Section<'_>) -> ByRole<Option<String>> {
    let Some(inner) = section.section("ids-from") else { return ByRole::default() };
    finish(inner, |inner| ByRole { server: inner.optional_text("server"), client: inner.optional_text("client") })
}

pub(super) fn laid_into(section: &Section<'_>) -> Option<LaidRule> {
    let base = section.required_text("base").and_then(|spot| install_path(section, spot));
    let order = section.optional_text("order");
    let strip = section.section("strip").map(|inner| {
        finish(inner, |inner| ByRole {
            server: member_patterns(inner, "server"),
            client: member_patterns(inner, "client"),
        })
    });
    Some(LaidRule { base: base?, order, strip: strip.unwrap_or_default() })
}

/// Patterns over paths inside a mod: `*` does not cross a `/`, `**` does.
fn member_patterns(section: &Section<'_>, key: &'static str) -> Vec<NamePattern> {
    patterns(section, key)
}

/// A name with `{id}`, `{version}` and nothing else in braces.
fn called(section: &Section<'_>) -> Option<String> {
    let (text, span) = section.text("called")?;
    let plain = text.replace("{id}", "x").replace("{version}", "1");
    if !text.contains("{id}") || plain.contains(['{', '}', '/']) || InstallPath::new(&plain).is_err() {
        section.problems().error_with_help(span, Mistake::NoName, Mend::Called);
        return None;
    }
    Some(text.to_owned())
}

fn signed(section: &Section<'_>) -> Option<SignedRule> {
    let schemes = [
        ("ed25519", KeyScheme::Ed25519),
        ("rsa-sha256", KeyScheme::RsaSha256),
        ("rsa-sha1", KeyScheme::RsaSha1),
        ("by-name", KeyScheme::ByName),
    ];
    let payload = section.required_text("payload").and_then(|spot| checked(section, spot, NamePattern::new));
    let (signature, key) = (section.owned_text("signature"), section.owned_text("key"));
    let scheme = section.required_one_of("scheme", &schemes);
    Some(SignedRule { payload: payload?, signature, key, scheme: scheme? })
}

fn extra(section: &Section<'_>) -> Option<ExtraRule> {
    let from = section.required_text("from").and_then(|spot| install_path(section, spot));
    section.require("in");
    let (places, wild) = split_places(place_patterns(section, "in"));
    if !wild.server.is_empty() || !wild.client.is_empty() {
        section.problems().error(section.span(), Mistake::WildExtra);
    }
    let stays = section.one_of("edits", &[("stay", true), ("go", false)]).unwrap_or(false);
    Some(ExtraRule { from: from?, places, stays })
}
