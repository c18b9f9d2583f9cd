//! `kanon seal`: from the wishes to `canon.json`.

use std::collections::{BTreeMap, BTreeSet};

use kanon_core::canon::{Canon, SealedFile, SealedMod};
use kanon_core::digest::{Blake3, Sha256};
use kanon_core::seal::{Choice, Standing, assemble, changes, changes_beside, choose, keys};
use kanon_reach::bytes;
use kanon_reach::workspace::write_whole;

use crate::Outcome;
use crate::arguments::{Format, Seal};
use crate::env::Env;
use crate::failure::Failure;
use crate::render::seal::{ChangeLine, Ended, Report, text};
use crate::session::Session;
use crate::stock::Stock;
use crate::ui::Ui;

pub fn run(arguments: &Seal, env: &Env, ui: &Ui) -> Result<Outcome, Failure> {
    let mut session = Session::of_administrator(env, ui)?;
    let mut stock = Stock::gather(&mut session)?;
    let wishes = session.workspace()?.wishes.clone();
    let pins = stock.pins(&session, &wishes);
    stock.fetch(&mut session, &wishes, &pins)?;
    let last = stock.last().cloned();
    let listed = stock.listed(&session.loaded.rulebook);
    let standing = Standing { last: last.as_ref(), listed: &listed };
    let choice = choose(&wishes, &session.loaded.rulebook, &stock.candidates(&session).list(), standing, &pins);
    if !choice.fits() {
        return refused(choice, env, ui);
    }
    let keep = !arguments.changes;
    let canon = sealed(&session, &choice, &stock, keep)?;
    let json = canon.to_json().map_err(|error| Failure::plain("could not write the canon as JSON").because(error))?;
    let report = Report {
        format: "kanon-seal/1",
        sealed: keep,
        canon: Some(Blake3::of(json.as_bytes())),
        findings: choice.findings,
        changes: change_lines(&stock, &canon),
        beside: last.as_ref().map_or_else(Vec::new, |last| changes_beside(last, &canon)),
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

/// What changes against the last canon, with what each release says is new.
fn change_lines(stock: &Stock, canon: &Canon) -> Vec<ChangeLine> {
    let changes = stock.last().map_or_else(Vec::new, |last| changes(last, canon));
    let with_notes = changes.into_iter().map(|change| {
        let notes = stock.notes(&change.id, change.to.as_deref());
        ChangeLine::new(change, notes)
    });
    with_notes.collect()
}

fn refused(choice: Choice, env: &Env, ui: &Ui) -> Result<Outcome, Failure> {
    let report = Report {
        format: "kanon-seal/1",
        sealed: false,
        canon: None,
        findings: choice.findings,
        changes: Vec::new(),
        beside: Vec::new(),
    };
    match env.format {
        Format::Json => ui.json(&report)?,
        Format::Text => ui.report(&text(&report, Ended::Refused, None)),
    }
    Ok(Outcome::Findings)
}

/// Completes the picks with SHA-256 digests and keeps the bytes that no source vouches for.
fn sealed(session: &Session<'_>, choice: &Choice, stock: &Stock, keep: bool) -> Result<Canon, Failure> {
    let wanted: BTreeSet<Blake3> =
        choice.picks.iter().flat_map(|pick| &pick.sealed.files).map(|file| file.blake3).collect();
    let known: BTreeMap<Blake3, Sha256> = stock
        .last()
        .iter()
        .flat_map(|last| &last.mods)
        .flat_map(|sealed| &sealed.files)
        .filter_map(|file| Some((file.blake3, file.sha256?)))
        .collect();
    let workspace = session.workspace()?;
    let (in_sources, store) = (stock.source_files(), workspace.store());
    let found = stock.bytes(&store, &wanted);
    let digest_of = |file: &SealedFile| -> Result<Sha256, Failure> {
        let vouched = in_sources.contains(&file.blake3) || store.join(file.blake3.to_string()).is_file();
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
            file.sha256 = Some(digest_of(file)?);
        }
        mods.push(sealed);
    }
    // A key that lies beside its mod is in none of the mods' files.
    let keys_alone: Vec<Blake3> = choice.picks.iter().flat_map(|pick| &pick.keys).map(|key| key.blake3).collect();
    for digest in keys_alone.into_iter().filter(|digest| keep && !wanted.contains(digest)) {
        let in_store = store.join(digest.to_string()).is_file();
        if !in_store {
            bytes::keep(&stock.bytes(&store, &[digest].into()), digest, &store)?;
        }
    }
    Ok(assemble(&workspace.wishes, &session.loaded.rulebook, session.loaded.digest, mods, keys(&choice.picks)))
}
