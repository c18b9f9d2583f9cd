//! From wishes to `canon.json`: what fits is chosen and completed, kept by number, and compared with what was sealed elsewhere or before.

use std::collections::{BTreeMap, BTreeSet};

use kanon_core::base::digest::{Blake3, Sha256};
use kanon_core::base::finding::Finding;
use kanon_core::base::ids::FoldedId;
use kanon_core::canon::{Canon, SealedFile, SealedMod};
use kanon_core::config::WorkspaceConfig;
use kanon_core::seal::{
    CanonChange, Choice, Damaged, SealChange, Standing, assemble, changes, changes_beside, choose, keys,
};
use kanon_io::writing::write_whole;
use kanon_io::{bytes, canons};

use crate::error::{AppError, CanonError, SealError};
use crate::offers::Offers;
use crate::session::Session;

/// What sealing came to.
pub enum Sealing {
    /// What is wished for doesn't fit; this is why.
    Refused(Vec<Finding>),
    /// A canon.
    Fits(Box<Sealed>),
}

/// A canon that fits, and what it changes.
pub struct Sealed {
    /// The canon.
    pub canon: Canon,
    /// Its text.
    pub text: String,
    /// What is to be known of it.
    pub findings: Vec<Finding>,
    /// What changes against the last canon, with what each release says is new.
    pub changes: Vec<(SealChange, Option<String>)>,
    /// What changes beside the mods.
    pub beside: Vec<CanonChange>,
    /// Whether the last canon is the same.
    pub is_same: bool,
}

impl Sealed {
    fn new(canon: Canon, last: Option<&Canon>, findings: Vec<Finding>) -> Result<Self, AppError> {
        Ok(Self {
            text: canon.to_json().map_err(CanonError::AsJson)?,
            findings,
            changes: last.map_or_else(Vec::new, |last| plainly(changes(last, &canon))),
            beside: last.map_or_else(Vec::new, |last| changes_beside(last, &canon)),
            is_same: last == Some(&canon),
            canon,
        })
    }

    /// The digest of the canon.
    pub fn digest(&self) -> Blake3 {
        Blake3::of(self.text.as_bytes())
    }
}

/// Works out what would be sealed. Where it is to be kept, the bytes that no source vouches for are kept too.
///
/// # Errors
/// When a source, an install or bytes can't be read, or something is accepted that nothing is wished for.
pub fn seal(session: &mut Session<'_>, accepted: &[String], keep: bool) -> Result<Sealing, AppError> {
    let mut offers = Offers::gather(session)?;
    let wishes = session.workspace()?.config.clone();
    let pins = offers.pins(session, &wishes);
    offers.fetch(session, &wishes, &pins)?;
    offers.look_at_hosts(session, &wishes)?;
    let last = offers.last().cloned();
    let listed = offers.listed(&session.loaded.rulebook);
    let standing = Standing { last: last.as_ref(), listed: &listed, accepted, damaged: offers.damaged() };
    refuse_unknown(accepted, &wishes)?;
    let choice = choose(&wishes, &session.loaded.rulebook, &offers.candidates(session).list(), standing, &pins);
    if !choice.fits() {
        return Ok(Sealing::Refused(choice.findings));
    }
    if keep {
        let came_damaged = offers.fetch_from_hosts(session, &choice)?;
        if !came_damaged.is_empty() {
            return Ok(Sealing::Refused(came_damaged.iter().map(Damaged::finding).collect()));
        }
    }
    let canon = completed(session, &choice, &offers, keep)?;
    let mut sealed = Sealed::new(canon, last.as_ref(), choice.findings)?;
    for (change, notes) in &mut sealed.changes {
        *notes = offers.notes(change.id.as_str(), change.to.as_deref());
    }
    Ok(Sealing::Fits(Box::new(sealed)))
}

/// What the canon as it is changes against another one.
///
/// # Errors
/// When there is none, or the other can't be found.
pub fn against(session: &Session<'_>, other: &str) -> Result<Sealed, AppError> {
    let canon = session.canon()?;
    let root = &session.workspace()?.root;
    let before = canons::elsewhere(&session.machine.folder, root, other).map_err(SealError::NoOtherCanon)?;
    Sealed::new(canon, Some(&before), Vec::new())
}

/// Makes a canon count again that was sealed here before. Says besides whether `kanon.toml` asks for something else.
///
/// # Errors
/// When there is none of that number, or it can't be written.
pub fn back_to(session: &Session<'_>, number: u64, why: &str) -> Result<(Sealed, bool), AppError> {
    let workspace = session.workspace()?;
    let kept = canons::read(&workspace.canons(), number).map_err(SealError::NoKeptCanon)?;
    let last = session.last_canon()?;
    // It is what is wanted now, whatever is wished for beside it.
    let canon = Canon { wishes: Some(workspace.config.digest()), ..kept.canon.clone() };
    let asks_otherwise = kept.canon.wishes != canon.wishes;
    let sealed = Sealed::new(canon, last.as_ref(), Vec::new())?;
    write(session, &sealed, why)?;
    Ok((sealed, asks_otherwise))
}

/// Keeps a canon among those that were sealed here, and makes it the one that counts.
///
/// # Errors
/// When it can't be written.
pub fn write(session: &Session<'_>, sealed: &Sealed, why: &str) -> Result<(), AppError> {
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
    canons::keep(&workspace.canons(), &sealed.text, (now, why), most)?;
    let is_there = std::fs::read(workspace.canon_path()).is_ok_and(|there| there == sealed.text.as_bytes());
    if !is_there {
        write_whole(&workspace.canon_path(), &sealed.text)?;
    }
    Ok(())
}

/// A canon that was sealed here.
pub struct KeptCanon {
    /// Its number.
    pub number: u64,
    /// When it was sealed, in seconds since 1970.
    pub sealed: i64,
    /// What was typed.
    pub why: String,
    /// Its digest.
    pub digest: Blake3,
    /// How many mods it has.
    pub mods: usize,
    /// Whether it is the one that counts now.
    pub counts: bool,
}

/// The canons that were sealed here, newest first.
///
/// # Errors
/// When one can't be read.
pub fn kept(session: &Session<'_>) -> Result<Vec<KeptCanon>, AppError> {
    let workspace = session.workspace()?;
    let (folder, now) = (workspace.canons(), workspace.canon().ok().flatten());
    let mut all: Vec<KeptCanon> = Vec::new();
    for number in canons::numbers(&folder)?.into_iter().rev() {
        let kept = canons::read(&folder, number)?;
        let counts = now.as_ref() == Some(&kept.canon) && !all.iter().any(|newer| newer.counts);
        let (digest, mods) = (Blake3::of(kept.text.as_bytes()), kept.canon.mods.len());
        all.push(KeptCanon { number, sealed: kept.sealed, why: kept.why, digest, mods, counts });
    }
    Ok(all)
}

fn plainly(changes: Vec<SealChange>) -> Vec<(SealChange, Option<String>)> {
    changes.into_iter().map(|change| (change, None)).collect()
}

/// An id that nothing is wished for accepts nothing: it is a slip of the pen.
fn refuse_unknown(accepted: &[String], wishes: &WorkspaceConfig) -> Result<(), SealError> {
    let is_known = |id: &&String| wishes.mods.iter().any(|wish| wish.id == **id);
    let Some(id) = accepted.iter().find(|id| !is_known(id)) else { return Ok(()) };
    let known: Vec<FoldedId> = wishes.mods.iter().map(|wish| wish.id.clone()).collect();
    Err(SealError::NotWishedFor { id: id.clone(), known })
}

/// Completes the picks with SHA-256 digests and keeps the bytes that no source vouches for.
fn completed(session: &Session<'_>, choice: &Choice, offers: &Offers, keep: bool) -> Result<Canon, AppError> {
    let wanted: BTreeSet<Blake3> =
        choice.picks.iter().flat_map(|pick| &pick.sealed.files).map(|file| file.blake3).collect();
    let known: BTreeMap<Blake3, Sha256> = offers
        .last()
        .iter()
        .flat_map(|last| &last.mods)
        .flat_map(|sealed| &sealed.files)
        .filter_map(|file| Some((file.blake3, file.sha256?)))
        .collect();
    let workspace = session.workspace()?;
    let (in_sources, store) = (offers.source_files(), workspace.store());
    let found = offers.bytes(&store, &wanted);
    let digest_of = |file: &SealedFile| -> Result<Sha256, AppError> {
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
            bytes::keep(&offers.bytes(&store, &[digest].into()), digest, &store)?;
        }
    }
    Ok(assemble(&workspace.config, &session.loaded.rulebook, session.loaded.digest, mods, keys(&choice.picks)))
}
