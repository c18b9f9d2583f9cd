//! `kanon seal`: from the wishes to `canon.json`.

use std::collections::{BTreeMap, BTreeSet};

use kanon_core::canon::{Canon, SealedFile, SealedMod};
use kanon_core::digest::{Blake3, Sha256};
use kanon_core::rulebook::Role;
use kanon_core::seal::{Candidate, Choice, Pick, Trust, assemble, changes, choose};
use kanon_core::survey::{Survey, SurveyedMod};
use kanon_reach::bytes;
use kanon_reach::workspace::write_whole;

use crate::Outcome;
use crate::arguments::{Format, Seal};
use crate::env::Env;
use crate::failure::Failure;
use crate::render::seal::{Ended, Report, text};
use crate::session::Session;
use crate::ui::Ui;

pub fn run(arguments: &Seal, env: &Env, ui: &Ui) -> Result<Outcome, Failure> {
    let mut session = Session::in_workspace(env, ui, false)?;
    let last = session.workspace()?.canon()?;
    let choice = chosen(&mut session, last.as_ref())?;
    if !choice.fits() {
        return refused(choice, env, ui);
    }
    let keep = !arguments.changes;
    let canon = sealed(&mut session, &choice, last.as_ref(), keep)?;
    let json = canon.to_json().map_err(|error| Failure::plain("could not write the canon as JSON").because(error))?;
    let report = Report {
        format: "kanon-seal/1",
        sealed: keep,
        canon: Some(Blake3::of(json.as_bytes())),
        findings: choice.findings,
        changes: last
            .as_ref()
            .map_or_else(Vec::new, |last| changes(last, &canon))
            .into_iter()
            .map(Into::into)
            .collect(),
    };
    let ended = match (keep, last.as_ref() == Some(&canon)) {
        (false, _) => Ended::OnlyShown,
        (true, true) => Ended::Unchanged,
        (true, false) => Ended::Written,
    };
    if ended == Ended::Written {
        write_whole(&session.workspace()?.canon_path(), &json)?;
    }
    match env.format {
        Format::Json => ui.json(&report)?,
        Format::Text => ui.report(&text(&report, ended, Some(&canon))),
    }
    Ok(Outcome::InOrder)
}

fn refused(choice: Choice, env: &Env, ui: &Ui) -> Result<Outcome, Failure> {
    let report =
        Report { format: "kanon-seal/1", sealed: false, canon: None, findings: choice.findings, changes: Vec::new() };
    match env.format {
        Format::Json => ui.json(&report)?,
        Format::Text => ui.report(&text(&report, Ended::Refused, None)),
    }
    Ok(Outcome::Findings)
}

/// Surveys every source and install, and chooses a release for each wish.
fn chosen(session: &mut Session<'_>, last: Option<&Canon>) -> Result<Choice, Failure> {
    let sources = session.sources()?;
    let installs = session.installs()?;
    let mut candidates: Vec<Candidate<'_>> = Vec::new();
    for (name, _, survey) in &sources {
        candidates.extend(survey.mods.iter().chain(&survey.strays).map(|found| Candidate {
            place: name,
            trust: Trust::Source,
            found,
        }));
    }
    for (role, _, survey) in &installs {
        let trust = if *role == Role::Server { Trust::Server } else { Trust::Client };
        candidates.extend(enabled(survey).map(|found| Candidate { place: &survey.install.name, trust, found }));
    }
    Ok(choose(&session.workspace()?.wishes, &session.loaded.rulebook, &candidates, last))
}

fn enabled(survey: &Survey) -> impl Iterator<Item = &SurveyedMod> {
    survey.mods.iter().filter(|found| found.enabled)
}

/// Completes the picks with SHA-256 digests and keeps the bytes that no source vouches for.
fn sealed(session: &mut Session<'_>, choice: &Choice, last: Option<&Canon>, keep: bool) -> Result<Canon, Failure> {
    let wanted: BTreeSet<Blake3> =
        choice.picks.iter().flat_map(|pick| &pick.sealed.files).map(|file| file.blake3).collect();
    let found = session.bytes(&wanted)?;
    let known: BTreeMap<Blake3, Sha256> = last
        .iter()
        .flat_map(|last| &last.mods)
        .flat_map(|sealed| &sealed.files)
        .filter_map(|file| Some((file.blake3, file.sha256?)))
        .collect();
    let workspace = session.workspace()?;
    let sources: BTreeSet<&str> = workspace.wishes.sources.iter().map(|source| source.name.as_str()).collect();
    let store = workspace.store();
    let digest_of = |pick: &Pick, file: &SealedFile| -> Result<Sha256, Failure> {
        let vouched = pick.place.as_deref().is_some_and(|place| sources.contains(place))
            || store.join(file.blake3.to_string()).is_file();
        match known.get(&file.blake3) {
            Some(sha256) if vouched || !keep => Ok(*sha256),
            _ if vouched || !keep => Ok(bytes::sha256(&found, file.blake3)?),
            _ => Ok(bytes::keep(&found, file.blake3, &store)?),
        }
    };
    let mut mods: Vec<SealedMod> = Vec::new();
    for pick in &choice.picks {
        let mut sealed = pick.sealed.clone();
        for file in &mut sealed.files {
            file.sha256 = Some(digest_of(pick, file)?);
        }
        mods.push(sealed);
    }
    Ok(assemble(&workspace.wishes, &session.loaded.rulebook, session.loaded.digest, mods))
}
