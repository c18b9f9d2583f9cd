//! `kanon check`: holds installs against the canon.

use std::collections::BTreeMap;

use kanon_core::rulebook::Role;

use crate::arguments::{Check, Format};
use crate::env::Env;
use crate::failure::Failure;
use crate::render::check::{InstallCheck, Report};
use crate::ui::Ui;
use crate::{Outcome, render};
use kanon_app::session::{Session, Surveyed};

pub fn run(arguments: &Check, env: &Env, ui: &Ui) -> Result<Outcome, Failure> {
    let mut session = Session::open(&env.machine, ui, arguments.lens.rulebook.as_deref(), arguments.lens.thorough)?;
    let canon = session.canon()?;
    let names: Vec<String> = match arguments.installs.is_empty() {
        true => session.install_names()?.into_iter().map(String::from).collect(),
        false => arguments.installs.clone(),
    };
    let role = arguments.lens.role.map(Role::from);
    let of_one = |session: &mut Session<'_>, name: &str| {
        let surveyed = session.target(name, role).and_then(|target| session.survey_for(target, &canon))?;
        Ok(held(session, &canon, &surveyed))
    };
    // Installs on hosts are waited for side by side; folders share this machine's disk, and its memory of them.
    let (mut installs, mut failures) = (BTreeMap::new(), Vec::new());
    let is_remote = |name: &&String| session.is_remote(name);
    let remote: Vec<&String> = names.iter().filter(is_remote).collect();
    let over_lines: Vec<(&String, Result<InstallCheck, Failure>)> = std::thread::scope(|scope| {
        let working: Vec<_> = remote
            .iter()
            .map(|name| {
                let another = session.another();
                scope.spawn(|| of_one(&mut another?, name))
            })
            .collect();
        let done = working.into_iter().map(|job| job.join().unwrap_or_else(|_| Err(super::panicked())));
        remote.iter().copied().zip(done).collect()
    });
    let here: Vec<&String> = names.iter().filter(|name| !remote.contains(name)).collect();
    let here: Vec<(&String, Result<InstallCheck, Failure>)> =
        here.into_iter().map(|name| (name, of_one(&mut session, name))).collect();
    for (name, result) in over_lines.into_iter().chain(here) {
        match result {
            Ok(held) => drop(installs.insert(names.iter().position(|other| other == name), held)),
            Err(failure) => failures.push((name.clone(), failure)),
        }
    }
    if names.len() == 1
        && let Some((_, failure)) = failures.pop()
    {
        return Err(failure);
    }
    let failed = failures.iter().map(|(name, failure)| render::align::Failed::new(name, failure)).collect();
    let report = Report::new(installs.into_values().collect(), failed);
    match env.format {
        _ if env.as_page => ui.report(&render::page::check::html(&report, &canon.name, env.now())?),
        Format::Json => ui.json(&report)?,
        Format::Text => ui.report(&report.text(&canon.name)),
    }
    super::tell_failures(ui, &failures, report.in_line())
}

/// One survey against the canon.
pub fn held(session: &Session<'_>, canon: &kanon_core::canon::Canon, surveyed: &Surveyed) -> InstallCheck {
    let survey = &surveyed.survey;
    let findings = session.findings_now(canon, surveyed);
    InstallCheck {
        mods: survey.mods.len(),
        from_file: surveyed.counts.is_none(),
        known_by: surveyed.known_by(),
        ..InstallCheck::new(survey.install.name.clone(), survey.install.role, findings)
    }
}
