//! An install, held against the canon again: whether it can be looked at, in what it is off, and which files somebody touched.

use std::collections::{BTreeMap, BTreeSet};

use kanon_core::base::finding::{Finding, Severity};
use kanon_core::canon::Canon;
use kanon_io::claim;

use super::change::{Touched, What};
use super::look::Look;
use crate::error::AppError;
use crate::looks::KeptFinding;
use crate::places::{Place, Placed};
use crate::session::{Surveyed, Target};

/// So many failures in a row, and a host can't be reached: lines drop.
const FAILURES: u32 = 2;
/// So many findings, and as many files, are told.
const TOLD: usize = 20;

impl Look<'_, '_> {
    /// Holds an install against the canon, and gives in what it is off; nothing where it could not be looked at.
    pub(super) fn at_install(&mut self, placed: &Placed, canon: &Canon, digest: &str) -> Option<Vec<Finding>> {
        match self.surveyed(placed, canon) {
            Err(error) => {
                self.unreachable(placed, error);
                None
            }
            // Somebody is at work on it: what it comes to is seen when they are done.
            Ok(None) => None,
            Ok(Some(surveyed)) => {
                self.reached(&placed.name);
                Some(self.compared(placed, canon, digest, &surveyed))
            }
        }
    }

    fn surveyed(&mut self, placed: &Placed, canon: &Canon) -> Result<Option<Surveyed>, AppError> {
        let install = self.session.open_install(placed)?;
        let is_busy = self.session.at_work(install.as_ref()).is_some();
        let cut_off = if is_busy { None } else { self.session.interrupted(install.as_ref())? };
        let id = cut_off.map(|alignment| alignment.id);
        let memory = self.memory.installs.entry(placed.name.clone()).or_default();
        if std::mem::replace(&mut memory.cut_off, id) != id
            && let Some(id) = id
        {
            self.tell(Some(&placed.name), What::CutOff(id));
        }
        if is_busy || claim::claimed_by(install.as_ref()).is_some() {
            return Ok(None);
        }
        let survey = self.session.survey_for(Target::Install(placed.clone()), canon)?;
        Ok(Some(survey))
    }

    fn unreachable(&mut self, placed: &Placed, error: AppError) {
        let memory = self.memory.installs.entry(placed.name.clone()).or_default();
        memory.failures = memory.failures.saturating_add(1);
        let is_sure = memory.failures >= FAILURES || matches!(placed.place, Place::Folder(_));
        if is_sure && !std::mem::replace(&mut memory.is_unreachable, true) {
            self.tell(Some(&placed.name), What::Unreachable(error));
        }
    }

    fn reached(&mut self, name: &str) {
        let memory = self.memory.installs.entry(name.into()).or_default();
        memory.failures = 0;
        if std::mem::take(&mut memory.is_unreachable) {
            self.tell(Some(name), What::Reachable);
        }
    }

    fn compared(&mut self, placed: &Placed, canon: &Canon, digest: &str, surveyed: &Surveyed) -> Vec<Finding> {
        let mut found = self.session.findings(canon, surveyed);
        let known = (surveyed.survey.mods.len(), surveyed.known_by());
        // What can't be kept is found again by the next look.
        let _ = self.session.keep_look(&placed.name, canon, known, &found);
        found.retain(|finding| finding.severity != Severity::Note);
        let bad = found;
        let off: BTreeSet<String> = bad.iter().map(mark).collect();
        self.versions(placed, surveyed);
        let memory = self.memory.installs.entry(placed.name.clone()).or_default();
        let (was_known, before) =
            (std::mem::replace(&mut memory.is_known, true), std::mem::replace(&mut memory.off, off.clone()));
        let by_canon = memory.canon.replace(digest.to_owned()).is_some_and(|before| before != digest);
        // How things stood when the watch began is told in one go.
        if (!was_known && !self.memory.has_begun) || before == off {
            return bad;
        }
        let new: Vec<&Finding> = bad.iter().filter(|finding| !before.contains(&mark(finding))).collect();
        let what = match (off.is_empty(), new.is_empty()) {
            (true, _) => What::InLine,
            (false, true) => What::Less { left: off.len() },
            (false, false) => What::Off {
                findings: new.iter().take(TOLD).map(|finding| KeptFinding::from(*finding)).collect(),
                in_all: off.len(),
                touched: if by_canon { Vec::new() } else { touched(placed, &new) },
                by_canon,
                was_off: !before.is_empty(),
            },
        };
        self.tell(Some(&placed.name), what);
        bad
    }

    fn versions(&mut self, placed: &Placed, surveyed: &Surveyed) {
        let install = &surveyed.survey.install;
        let now = [
            ("game", &install.game_version),
            ("loader", &install.loader_version),
            ("runtime", &install.runtime_version),
        ];
        let now: BTreeMap<&'static str, String> =
            now.into_iter().filter_map(|(of, version)| Some((of, version.clone()?))).collect();
        let memory = self.memory.installs.entry(placed.name.clone()).or_default();
        let before: BTreeMap<String, String> = std::mem::replace(
            &mut memory.versions,
            now.iter().map(|(of, version)| ((*of).to_owned(), version.clone())).collect(),
        );
        if !memory.is_known {
            return;
        }
        for of in ["game", "loader", "runtime"] {
            let (from, to) = (before.get(of), now.get(of));
            if from != to {
                self.tell(Some(&placed.name), What::VersionChanged { of, from: from.cloned(), to: to.cloned() });
            }
        }
    }
}

/// What tells one finding from another.
fn mark(finding: &Finding) -> String {
    let of = |text: Option<&str>| text.unwrap_or_default().to_owned();
    let mod_id = finding.mod_id.as_ref().map(ToString::to_string).unwrap_or_default();
    let found = finding.found.as_ref().map(ToString::to_string);
    format!("{}|{mod_id}|{}|{}", finding.code, of(finding.path.as_deref()), of(found.as_deref()))
}

/// The files that findings are about, with when they changed where that can be told.
fn touched(placed: &Placed, findings: &[&Finding]) -> Vec<Touched> {
    let mut paths: Vec<String> = Vec::new();
    for finding in findings {
        let Some(path) = &finding.path else { continue };
        // In a folder, the files in it that are others.
        let inside = finding.entries.iter().map(|entry| format!("{path}/{}", entry.path));
        let of_folder: Vec<String> = match &placed.place {
            Place::Folder(root) if root.join(path).is_dir() => inside.collect(),
            _ => Vec::new(),
        };
        match of_folder.is_empty() {
            true => paths.push(path.clone()),
            false => paths.extend(of_folder),
        }
    }
    let seen: BTreeSet<String> = paths.into_iter().collect();
    let modified = |path: &str| {
        let Place::Folder(root) = &placed.place else { return None };
        let time = std::fs::symlink_metadata(root.join(path)).ok()?.modified().ok()?;
        let since = time.duration_since(std::time::UNIX_EPOCH).ok()?;
        i64::try_from(since.as_secs()).ok()
    };
    let is_gone = |path: &str| match &placed.place {
        Place::Folder(root) => !root.join(path).exists(),
        Place::Host(_) => false,
    };
    let told = |path: String| Touched { modified: modified(&path), is_gone: is_gone(&path), path };
    seen.into_iter().take(TOLD).map(told).collect()
}
