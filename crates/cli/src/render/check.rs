//! Findings as text and JSON: a line for each install, then its findings by mod with what to do.

use std::collections::BTreeMap;
use std::fmt::Write;

use kanon_core::base::finding::{Change, Code, Finding, Severity, in_line};
use kanon_core::base::ids::FoldedId;
use kanon_core::base::names::InstallName;
use kanon_core::base::path::printable;
use kanon_core::base::remedy::Remedy;
use kanon_core::rulebook::Role;
use serde::Serialize;

use super::align::Failed;
use super::{BAD, BOLD, FAINT, GOOD, count, folded, of_severity, styled};

/// The report of a check.
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[derive(Serialize)]
pub struct Report {
    format: &'static str,
    in_line: bool,
    pub installs: Vec<InstallCheck>,
    /// Installs that could not be looked at.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub failed: Vec<Failed>,
}

/// One install, held against the canon.
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[derive(Serialize)]
pub struct InstallCheck {
    /// Its name.
    pub name: InstallName,
    /// What it is.
    pub role: Role,
    /// Whether nothing is worse than a note.
    pub in_line: bool,
    /// How it is known: `digest`, of every file; or `receipt`, where sizes and times on a host had to do.
    pub known_by: &'static str,
    /// In what it is off.
    pub findings: Vec<Finding>,
    /// How many mods were looked at.
    #[serde(skip)]
    pub mods: usize,
    /// Whether it is a survey out of a file, not measured now.
    #[serde(skip)]
    pub from_file: bool,
}

impl InstallCheck {
    /// How it is known, and how much is off.
    pub fn how(&self) -> String {
        let how = match (self.from_file, self.known_by) {
            (true, _) => "by its survey",
            (false, "receipt") => "known by size and time since they were last measured; --thorough reads them",
            (false, _) => "measured",
        };
        let mods = format!("{} {how}", count(self.mods, "mod"));
        match summary(&self.findings) {
            summary if summary.is_empty() => mods,
            summary => format!("{summary} - {mods}"),
        }
    }

    /// An install and its findings.
    pub fn new(name: InstallName, role: Role, findings: Vec<Finding>) -> Self {
        Self { name, role, in_line: in_line(&findings), known_by: "digest", findings, mods: 0, from_file: false }
    }
}

impl Report {
    /// The report of all.
    pub fn new(installs: Vec<InstallCheck>, failed: Vec<Failed>) -> Self {
        let in_line = installs.iter().all(|held| held.in_line) && failed.is_empty();
        Self { format: "kanon-check/1", in_line, installs, failed }
    }

    /// Whether all are in line.
    pub const fn in_line(&self) -> bool {
        self.in_line
    }

    /// The report as text.
    pub fn text(&self, canon: &str) -> String {
        let off = self.installs.iter().filter(|held| !held.in_line).count();
        let mut out = match off {
            0 => format!(
                "{}: {} with the canon of {canon}\n",
                styled(GOOD, "in line"),
                count(self.installs.len(), "install")
            ),
            _ => format!(
                "{}: {off} of {} against the canon of {canon}\n",
                styled(BAD, "off"),
                count(self.installs.len(), "install")
            ),
        };
        let mut after_findings = true;
        for held in &self.installs {
            if after_findings || !held.findings.is_empty() {
                out.push('\n');
            }
            install(&mut out, held);
            after_findings = !held.findings.is_empty();
        }
        out
    }
}

fn install(out: &mut String, held: &InstallCheck) {
    let state = if held.in_line { styled(GOOD, "in line") } else { styled(BAD, "off the canon") };
    let (name, how) = (styled(BOLD, &printable(&held.name)), held.how());
    let between = if held.findings.is_empty() { " - " } else { ", " };
    let _ = writeln!(out, "{name} ({}): {state}{between}{how}", held.role);
    findings(out, &held.findings);
}

fn summary(findings: &[Finding]) -> String {
    let of = |severity| findings.iter().filter(|finding| finding.severity == severity).count();
    let parts: Vec<String> = [Severity::Blocking, Severity::Risky, Severity::Note]
        .into_iter()
        .filter(|severity| of(*severity) > 0)
        .map(|severity| format!("{} {}", of(severity), severity.as_str()))
        .collect();
    parts.join(", ")
}

/// Of mods with one finding each that are alike, so many are told whole.
const ALIKE: usize = 20;
/// And so many of the others by name.
const ALIKE_NAMED: usize = 30;

/// Findings, those about one mod together, the worst mod first. What helps against all of them is told once.
pub fn findings(out: &mut String, findings: &[Finding]) {
    let mut subjects: Vec<&Option<FoldedId>> = Vec::new();
    for finding in findings {
        if !subjects.contains(&&finding.mod_id) {
            subjects.push(&finding.mod_id);
        }
    }
    let for_all = same_remedy(&findings.iter().collect::<Vec<_>>()).filter(|_| findings.len() > 1);
    let mut after_a_mod = false;
    let mut alike: BTreeMap<(Severity, Code, String), Vec<&FoldedId>> = BTreeMap::new();
    for subject in subjects {
        let of_subject: Vec<&Finding> = findings.iter().filter(|finding| finding.mod_id == *subject).collect();
        // One cause may be told of every mod; after some of them their names are enough.
        if let ([one], Some(id)) = (of_subject.as_slice(), subject) {
            let others = alike.entry((one.severity, one.code, one.remedy.to_string())).or_default();
            others.push(id);
            if others.len() > ALIKE {
                continue;
            }
        }
        match subject {
            Some(id) => out.push_str(&format!("  {}\n", styled(BOLD, &printable(id.as_str())))),
            None if after_a_mod => out.push_str(&format!("  {}\n", styled(FAINT, "beside the mods"))),
            None => {}
        }
        after_a_mod = subject.is_some();
        let for_subject = same_remedy(&of_subject).filter(|_| for_all.is_none());
        for finding in &of_subject {
            one(out, finding);
            if for_all.is_none() && for_subject.is_none() {
                remedy(out, &finding.remedy);
            }
        }
        for_subject.into_iter().for_each(|words| remedy(out, words));
    }
    for ((severity, code, _), ids) in alike.into_iter().filter(|(_, ids)| ids.len() > ALIKE) {
        let names: Vec<&str> = ids[ALIKE..].iter().take(ALIKE_NAMED).map(|id| id.as_str()).collect();
        let more = ids.len().saturating_sub(ALIKE + ALIKE_NAMED);
        let more = if more > 0 { format!(" and {more} more; --format json tells each") } else { String::new() };
        let told = format!(
            "{} {code}, the same, for {} more: {}{more}",
            severity.as_str(),
            ids.len() - ALIKE,
            names.join(", ")
        );
        out.push_str(&folded(&told, "  "));
    }
    if let Some(words) = for_all {
        out.push_str(&folded(&format!("do, for all of these: {words}"), "  "));
    }
}

/// What helps against each of some findings, if it is one thing.
fn same_remedy<'f>(findings: &[&'f Finding]) -> Option<&'f Remedy> {
    let first = &findings.first()?.remedy;
    findings.iter().all(|finding| finding.remedy == *first).then_some(first)
}

fn remedy(out: &mut String, words: &Remedy) {
    out.push_str(&folded(&format!("do: {words}"), "      "));
}

fn one(out: &mut String, finding: &Finding) {
    let word = styled(of_severity(finding.severity), finding.severity.as_str());
    let path = finding.path.as_ref().map_or_else(String::new, |path| format!("  {}", styled(FAINT, &printable(path))));
    let _ = writeln!(out, "    {word} {}{path}", finding.code);
    if let (Some(expected), Some(found)) = (&finding.expected, &finding.found) {
        out.push_str(&folded(&format!("expected {expected}; found {found}"), "      "));
    }
    entries(out, finding);
}

/// The entries inside that differ; of many, the first few.
fn entries(out: &mut String, finding: &Finding) {
    const SHOWN: usize = 6;
    for entry in finding.entries.iter().take(SHOWN) {
        let word = match entry.change {
            Change::Changed => "changed",
            Change::Added => "added",
            Change::Gone => "gone",
        };
        let _ = writeln!(out, "      inside: {} {word}", printable(&entry.path));
    }
    if finding.entries.len() > SHOWN {
        let _ = writeln!(out, "      inside: and {} more", finding.entries.len() - SHOWN);
    }
}
