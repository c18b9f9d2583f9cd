//! A survey as text.

use std::fmt::Write;

use kanon_core::base::ids::FoldedId;
use kanon_core::rulebook::{Platform, Role, Rulebook};
use kanon_core::survey::{
    ListEntry, StandsFor, Survey, SurveyedBase, SurveyedData, SurveyedMemory, SurveyedMod, SurveyedSetting, Verdict,
};
use kanon_io::measure::Counts;

use super::{BAD, BOLD, CARE, FAINT, cell, count, counted, fitting, folded, size, styled};

/// A survey as text; `counts` says how much was read for it.
pub fn text(survey: &Survey, counts: Option<Counts>, rulebook: &Rulebook) -> String {
    let mut out = String::new();
    let facts = &survey.install;
    let mods = count(survey.mods.len(), "mod");
    let _ = writeln!(
        out,
        "{}, a {}: {mods}{}",
        styled(BOLD, &kanon_core::base::path::printable(&facts.name)),
        facts.role,
        measured(survey, counts)
    );
    let mut platforms = vec![platform(&rulebook.game, &rulebook.base, facts.game_version.as_deref())];
    platforms
        .extend(rulebook.loader.as_ref().map(|loader| platform(&loader.name, loader, facts.loader_version.as_deref())));
    let _ = writeln!(out, "{}", platforms.join(", "));
    table(&mut out, &survey.mods);
    lists(&mut out, survey);
    keys(&mut out, survey);
    beside(&mut out, survey);
    section(
        &mut out,
        "Off its shelf, where the game does not look:",
        survey.strays.iter().map(|m| (m.path.to_string(), format!("{} {}", m.manifest.id, m.version_or_dash()))),
    );
    section(
        &mut out,
        "Could not be read:",
        survey.unreadable.iter().map(|broken| (broken.path.clone(), broken.why.clone())),
    );
    let doubts =
        survey.mods.iter().flat_map(|m| m.manifest.doubts.iter().map(|doubt| (m.path.to_string(), doubt.clone())));
    section(&mut out, "In doubt:", doubts);
    out
}

/// A name and a version, where the rulebook says how to find one.
fn platform(name: &str, platform: &Platform, version: Option<&str>) -> String {
    match version {
        Some(version) => format!("{name} {}", kanon_core::base::path::printable(version)),
        None if platform.version.is_empty() => name.to_owned(),
        None => format!("{name} (version not found)"),
    }
}

fn measured(survey: &Survey, counts: Option<Counts>) -> String {
    let bytes = size(survey.measured_bytes());
    match counts {
        None => format!(", {bytes} (a survey out of a file; nothing was measured now)"),
        Some(m) if m.files_read == m.files => format!(", {bytes}; {} read now", count(m.files, "file")),
        Some(m) => format!(
            ", {bytes}; {} of {} read now, the others are unchanged since they were read",
            m.files_read,
            count(m.files, "file")
        ),
    }
}

fn table(out: &mut String, mods: &[SurveyedMod]) {
    if mods.is_empty() {
        return;
    }
    out.push('\n');
    let id = fitting(mods.iter().map(|m| m.manifest.id.as_str()), (8, 30));
    let version = fitting(mods.iter().map(SurveyedMod::version_or_dash), (7, 16));
    let head = format!("  {}  {}  {}  file", cell("mod", id), cell("version", version), cell("needed on", 9));
    let _ = writeln!(out, "{}", styled(FAINT, &head));
    for found in mods {
        let note = match (&found.manifest.made_for, found.enabled) {
            (Some(loader), _) => styled(BAD, &format!("  made for {loader}")),
            (None, false) => styled(CARE, "  switched off"),
            (None, true) => String::new(),
        };
        let needed = cell(found.manifest.needed_on.as_str(), 9);
        let _ = writeln!(
            out,
            "  {}  {}  {needed}  {}{note}",
            cell(found.manifest.id.as_str(), id),
            cell(found.version_or_dash(), version),
            kanon_core::base::path::printable(found.path.as_str())
        );
    }
}

/// Each list with its entries; what stands for no mod is marked.
fn lists(out: &mut String, survey: &Survey) {
    for list in &survey.lists {
        let order = if list.ordered { ", in order" } else { "" };
        let file = kanon_core::base::path::printable(list.file.as_str());
        let _ = writeln!(out, "\n{} ({file}{order})", styled(BOLD, &kanon_core::base::path::printable(&list.name)));
        if let Some(problem) = &list.problem {
            out.push_str(&folded(&format!("can't be read: {problem}"), "  "));
            continue;
        }
        let entry = |entry: &ListEntry| {
            let off = if entry.on { "" } else { " (off)" };
            let stranger = if entry.stands_for == StandsFor::Nothing { " (not here)" } else { "" };
            format!("{}{off}{stranger}", entry.id)
        };
        let shown: Vec<String> = list.entries.iter().map(entry).collect();
        let text = if shown.is_empty() { "empty".to_owned() } else { shown.join(", ") };
        out.push_str(&folded(&text, "  "));
    }
}

/// Keys by name: in the ring or not, and whose they are.
fn keys(out: &mut String, survey: &Survey) {
    if survey.keys.is_empty() {
        return;
    }
    let has_ring = survey.install.role == Role::Server || survey.keys.iter().any(|key| key.of_mod.is_none());
    let mut names: Vec<&str> = survey.keys.iter().map(|key| key.name.as_str()).collect();
    names.sort_unstable();
    names.dedup();
    let _ = writeln!(out, "\n{}", styled(BOLD, "keys"));
    for name in names {
        let same: Vec<_> = survey.keys.iter().filter(|key| key.name == name).collect();
        let mods: Vec<&str> = same.iter().filter_map(|key| key.of_mod.as_ref().map(FoldedId::as_str)).collect();
        let ring = same.iter().find(|key| key.of_mod.is_none());
        let place = match ring {
            Some(key) if key.own => "the game's own".to_owned(),
            Some(_) => "in the key folder".to_owned(),
            None if has_ring => "not in the key folder".to_owned(),
            None => String::new(),
        };
        let whose = match (mods.is_empty(), place.is_empty()) {
            (true, _) => String::new(),
            (false, true) => format!("inside {}", mods.join(", ")),
            (false, false) => format!("; brought by {}", mods.join(", ")),
        };
        out.push_str(&folded(&format!("{name}: {place}{whose}"), "  "));
    }
    let unsigned = survey.mods.iter().flat_map(|m| &m.signatures).filter(|s| s.signature.is_none());
    for signature in unsigned {
        out.push_str(&folded(&format!("no signature beside {}", signature.payload), "  "));
    }
    let all = survey.mods.iter().flat_map(|m| &m.signatures);
    let off = all.filter(|signature| !matches!(signature.verdict, None | Some(Verdict::Good)));
    for signature in off {
        let why = signature.problem.clone().unwrap_or_else(|| match signature.verdict {
            Some(Verdict::UnknownKey) => "no key here made it".to_owned(),
            _ => "it was made over other bytes".to_owned(),
        });
        out.push_str(&folded(&format!("the signature of {} does not fit: {why}", signature.payload), "  "));
    }
}

/// Settings, base archives and worlds.
fn beside(out: &mut String, survey: &Survey) {
    let setting = |setting: &SurveyedSetting| {
        let said = setting.value.as_ref().map_or_else(|| "not set".to_owned(), |value| format!("is {value}"));
        let said = setting.problem.as_ref().map_or(said, |problem| format!("can't be read: {problem}"));
        format!("{} {said} ({})", setting.name, setting.file)
    };
    let base = |base: &SurveyedBase| {
        let each: Vec<String> =
            base.overlays.iter().map(|o| format!("{} {} of {} laid in", o.id, o.laid, o.members)).collect();
        let left = if base.not_stripped.is_empty() {
            String::new()
        } else {
            format!("; {} not stripped", count(base.not_stripped.len(), "member"))
        };
        format!("{}: {}{left}", base.path, each.join(", "))
    };
    let memory = |memory: &SurveyedMemory| match (memory.bytes, &memory.problem) {
        (Some(bytes), _) => format!("{} ({})", size(bytes), memory.file),
        (None, Some(problem)) => format!("can't be read: {problem} ({})", memory.file),
        (None, None) => format!("{} does not say", memory.file),
    };
    let data = |data: &SurveyedData| match &data.problem {
        Some(problem) => format!("{} can't be read: {problem}", data.file),
        None => format!("{}: {}", data.file, counted(data.entries.len(), "entry", "entries")),
    };
    let groups = [
        ("memory", survey.memory.iter().map(memory).collect::<Vec<_>>()),
        ("data files that mods merge entries into", survey.data.iter().map(data).collect()),
        ("settings", survey.settings.iter().map(setting).collect()),
        ("base archives", survey.bases.iter().map(base).collect()),
        ("worlds", survey.worlds.iter().map(ToString::to_string).collect()),
    ];
    for (title, rows) in groups.iter().filter(|(_, rows)| !rows.is_empty()) {
        let _ = writeln!(out, "\n{}", styled(BOLD, title));
        rows.iter().for_each(|row| out.push_str(&folded(row, "  ")));
    }
}

fn section(out: &mut String, title: &str, rows: impl Iterator<Item = (String, String)>) {
    let rows: Vec<_> = rows.collect();
    if rows.is_empty() {
        return;
    }
    let _ = writeln!(out, "\n{}", styled(CARE, title));
    for (path, text) in rows {
        let _ = writeln!(out, "  {}", kanon_core::base::path::printable(&path));
        out.push_str(&folded(&text, "      "));
    }
}
