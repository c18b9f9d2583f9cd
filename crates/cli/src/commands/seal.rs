//! `kanon seal`: from the wishes to `canon.json`.

use std::collections::{BTreeMap, BTreeSet};

use kanon_core::base::digest::{Blake3, Sha256};
use kanon_core::base::path::printable;
use kanon_core::base::problem::nearest;
use kanon_core::canon::{Canon, SealedFile, SealedMod};
use kanon_core::config::WorkspaceConfig;
use kanon_core::seal::{Choice, Damaged, Standing, assemble, changes, changes_beside, choose, keys};
use kanon_io::writing::write_whole;
use kanon_io::{bytes, canons};

use crate::Outcome;
use crate::arguments::{Format, Seal};
use crate::env::Env;
use crate::failure::Failure;
use crate::render::seal::{ChangeLine, Ended, Report, text};
use crate::ui::Ui;
use kanon_app::offers::Offers;
use kanon_app::session::{Session, digest_of};

pub fn run(arguments: &Seal, env: &Env, ui: &Ui) -> Result<Outcome, Failure> {
    let mut session = Session::of_administrator(&env.machine, ui)?;
    if let Some(number) = arguments.back_to {
        return back_to(&session, number, (env, ui));
    }
    if let Some(other) = &arguments.against {
        return against(&session, other, (env, ui));
    }
    let mut stock = Offers::gather(&mut session)?;
    let wishes = session.workspace()?.config.clone();
    let pins = stock.pins(&session, &wishes);
    stock.fetch(&mut session, &wishes, &pins)?;
    stock.look_at_hosts(&mut session, &wishes)?;
    let last = stock.last().cloned();
    let listed = stock.listed(&session.loaded.rulebook);
    let standing =
        Standing { last: last.as_ref(), listed: &listed, accepted: &arguments.accept, damaged: stock.damaged() };
    refuse_unknown(&arguments.accept, &wishes)?;
    let choice = choose(&wishes, &session.loaded.rulebook, &stock.candidates(&session).list(), standing, &pins);
    if !choice.fits() {
        return refused(choice, env, ui);
    }
    let keep = !arguments.changes;
    if keep {
        let came_damaged = stock.fetch_from_hosts(&session, &choice)?;
        if !came_damaged.is_empty() {
            return refused(
                Choice { findings: came_damaged.iter().map(Damaged::finding).collect(), ..choice },
                env,
                ui,
            );
        }
    }
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
    if keep {
        write_canon(&session, &json, &why(arguments))?;
    }
    match env.format {
        Format::Json => ui.json(&report)?,
        Format::Text => ui.report(&text(&report, ended, Some(&canon))),
    }
    Ok(Outcome::InOrder)
}

/// What was typed, for whoever looks at the canons later.
fn why(arguments: &Seal) -> String {
    let accepted: String = arguments.accept.iter().map(|id| format!(" --accept {id}")).collect();
    format!("kanon seal{accepted}")
}

/// Keeps a canon among those that were sealed here, and makes it the one that counts.
fn write_canon(session: &Session<'_>, json: &str, why: &str) -> Result<u64, Failure> {
    let workspace = session.workspace()?;
    let most = workspace.config.backups.canons.map_or(canons::KEPT, |most| most as usize);
    let now = session.machine.now().timestamp().as_second();
    // One that was sealed before Kanon kept them is not lost either.
    if canons::numbers(&workspace.canons())?.is_empty()
        && workspace.canon().is_ok_and(|canon| canon.is_some())
        && let Ok(text) = std::fs::read_to_string(workspace.canon_path())
    {
        canons::keep(&workspace.canons(), &text, (now, "it was there before"), most)?;
    }
    let number = canons::keep(&workspace.canons(), json, (now, why), most)?;
    let is_there = std::fs::read(workspace.canon_path()).is_ok_and(|there| there == json.as_bytes());
    if !is_there {
        write_whole(&workspace.canon_path(), json)?;
    }
    Ok(number)
}

/// What the canon as it is changes against another one.
fn against(session: &Session<'_>, other: &str, (env, ui): (&Env, &Ui)) -> Result<Outcome, Failure> {
    let canon = session.canon()?;
    let workspace = session.workspace()?;
    let before = canons::elsewhere(&env.machine.folder, &workspace.root, other).map_err(|error| {
        Failure::from(error).hint("name a canon's file, or a commit, branch or tag of the workspace's repository")
    })?;
    let report = Report {
        format: "kanon-seal/1",
        sealed: false,
        canon: Some(digest_of(&canon)?),
        findings: Vec::new(),
        changes: changes(&before, &canon).into_iter().map(|change| ChangeLine::new(change, None)).collect(),
        beside: changes_beside(&before, &canon),
    };
    match env.format {
        Format::Json => ui.json(&report)?,
        Format::Text => ui.report(&text(&report, Ended::Compared, Some(&canon))),
    }
    Ok(Outcome::of(report.changes.is_empty() && report.beside.is_empty()))
}

/// Makes a canon count again that was sealed here before.
fn back_to(session: &Session<'_>, number: u64, (env, ui): (&Env, &Ui)) -> Result<Outcome, Failure> {
    let workspace = session.workspace()?;
    let kept = canons::read(&workspace.canons(), number)
        .map_err(|error| Failure::from(error).hint("see which are kept: kanon history --canons"))?;
    let last = session.last_canon()?;
    // It is what is wanted now, whatever is wished for beside it.
    let canon = Canon { wishes: Some(workspace.config.digest()), ..kept.canon.clone() };
    let json = canon.to_json().map_err(|error| Failure::plain("could not write the canon as JSON").because(error))?;
    write_canon(session, &json, &format!("kanon seal --back-to {number}"))?;
    let changes = last.as_ref().map_or_else(Vec::new, |last| changes(last, &canon));
    let report = Report {
        format: "kanon-seal/1",
        sealed: true,
        canon: Some(Blake3::of(json.as_bytes())),
        findings: Vec::new(),
        changes: changes.into_iter().map(|change| ChangeLine::new(change, None)).collect(),
        beside: last.as_ref().map_or_else(Vec::new, |last| changes_beside(last, &canon)),
    };
    let ended = if last.as_ref() == Some(&canon) { Ended::Unchanged } else { Ended::Written };
    if kept.canon.wishes != canon.wishes {
        ui.notice(
            "note: kanon.toml still asks for what it did; the next kanon seal goes there again, unless you change it",
        );
    }
    match env.format {
        Format::Json => ui.json(&report)?,
        Format::Text => ui.report(&text(&report, ended, Some(&canon))),
    }
    Ok(Outcome::InOrder)
}

/// An id that nothing is wished for accepts nothing: it is a slip of the pen.
fn refuse_unknown(accepted: &[String], wishes: &WorkspaceConfig) -> Result<(), Failure> {
    let is_known = |id: &&String| wishes.mods.iter().any(|wish| wish.id == **id);
    let Some(id) = accepted.iter().find(|id| !is_known(id)) else { return Ok(()) };
    let failure = Failure::plain(format!("`{}` is not in kanon.toml", printable(id)));
    Err(match nearest(id, wishes.mods.iter().map(|wish| wish.id.as_str())) {
        Some(near) => failure.hint(format!("did you mean `{near}`?")),
        None => failure.hint("--accept takes the id of a mod, as its finding tells it"),
    })
}

/// What changes against the last canon, with what each release says is new.
fn change_lines(stock: &Offers, canon: &Canon) -> Vec<ChangeLine> {
    let changes = stock.last().map_or_else(Vec::new, |last| changes(last, canon));
    let with_notes = changes.into_iter().map(|change| {
        let notes = stock.notes(change.id.as_str(), change.to.as_deref());
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
fn sealed(session: &Session<'_>, choice: &Choice, stock: &Offers, keep: bool) -> Result<Canon, Failure> {
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
    Ok(assemble(&workspace.config, &session.loaded.rulebook, session.loaded.digest, mods, keys(&choice.picks)))
}
