//! A survey as text.

use std::fmt::Write;

use kanon_core::rulebook::{Platform, Rulebook};
use kanon_core::survey::{Survey, SurveyedMod};
use kanon_reach::measure::Counts;

use super::{BAD, BOLD, CARE, FAINT, cell, count, fitting, folded, size, styled};

/// A survey as text; `counts` says how much was read for it.
pub fn text(survey: &Survey, counts: Option<Counts>, rulebook: &Rulebook) -> String {
    let mut out = String::new();
    let facts = &survey.install;
    let mods = count(survey.mods.len(), "mod");
    let _ = writeln!(
        out,
        "{}, a {}: {mods}{}",
        styled(BOLD, &kanon_core::path::printable(&facts.name)),
        facts.role,
        measured(survey, counts)
    );
    let mut platforms = vec![platform(&rulebook.game, &rulebook.base, facts.game_version.as_deref())];
    platforms
        .extend(rulebook.loader.as_ref().map(|loader| platform(&loader.name, loader, facts.loader_version.as_deref())));
    let _ = writeln!(out, "{}", platforms.join(", "));
    table(&mut out, &survey.mods);
    section(
        &mut out,
        "Off its shelf, where the game does not look:",
        survey.strays.iter().map(|m| (m.path.to_string(), format!("{} {}", m.reading.id, m.version_or_dash()))),
    );
    section(
        &mut out,
        "Could not be read:",
        survey.unreadable.iter().map(|broken| (broken.path.clone(), broken.why.clone())),
    );
    let doubts =
        survey.mods.iter().flat_map(|m| m.reading.doubts.iter().map(|doubt| (m.path.to_string(), doubt.clone())));
    section(&mut out, "In doubt:", doubts);
    out
}

/// A name and a version, where the rulebook says how to find one.
fn platform(name: &str, platform: &Platform, version: Option<&str>) -> String {
    match version {
        Some(version) => format!("{name} {}", kanon_core::path::printable(version)),
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
    let id = fitting(mods.iter().map(|m| m.reading.id.as_str()), (8, 30));
    let version = fitting(mods.iter().map(SurveyedMod::version_or_dash), (7, 16));
    let head = format!("  {}  {}  {}  file", cell("mod", id), cell("version", version), cell("needed on", 9));
    let _ = writeln!(out, "{}", styled(FAINT, &head));
    for found in mods {
        let note = match (&found.reading.made_for, found.enabled) {
            (Some(loader), _) => styled(BAD, &format!("  made for {loader}")),
            (None, false) => styled(CARE, "  switched off"),
            (None, true) => String::new(),
        };
        let needed = cell(found.reading.needed_on.as_str(), 9);
        let _ = writeln!(
            out,
            "  {}  {}  {needed}  {}{note}",
            cell(&found.reading.id, id),
            cell(found.version_or_dash(), version),
            kanon_core::path::printable(found.path.as_str())
        );
    }
}

fn section(out: &mut String, title: &str, rows: impl Iterator<Item = (String, String)>) {
    let rows: Vec<_> = rows.collect();
    if rows.is_empty() {
        return;
    }
    let _ = writeln!(out, "\n{}", styled(CARE, title));
    for (path, text) in rows {
        let _ = writeln!(out, "  {}", kanon_core::path::printable(&path));
        out.push_str(&folded(&text, "      "));
    }
}
