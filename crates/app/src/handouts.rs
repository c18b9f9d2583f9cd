//! What players are told of the canon: what a handout says, and what stands around it, before any words are found for it.

use kanon_core::base::digest::Blake3;
use kanon_core::canon::Canon;
use kanon_core::canon::release::System;
use kanon_core::handout::{self, Handout};
use kanon_io::release::Record;

use crate::error::AppError;
use crate::release_place::invite_of;
use crate::session::{Session, digest_of};

/// A handout, and what stands around it.
#[derive(Debug, Clone)]
pub struct HandoutFacts {
    /// What players need to know.
    pub set: Handout,
    /// The release's number, once it is published.
    pub number: Option<u64>,
    /// The invite, once there is one.
    pub invite: Option<String>,
    /// The digest of the canon.
    pub digest: Blake3,
    /// What stands before the address of a file; nothing when files can't be downloaded one by one.
    pub links: Option<String>,
    /// The systems for which there is a program that carries the invite.
    pub programs: Vec<System>,
    /// Where programs of the makers are, where whoever publishes leads there.
    pub programs_at: Option<String>,
    /// Whether all mods are there in one archive.
    pub has_archive: bool,
}

/// What the handout says of the canon as it stands now.
///
/// # Errors
/// When what was published can't be read.
pub fn facts(session: &Session<'_>, canon: &Canon, address: Option<&str>) -> Result<HandoutFacts, AppError> {
    let workspace = session.workspace()?;
    let digest = digest_of(canon)?;
    let record = Record::read(&workspace.release_folder())?;
    let number = record.last().filter(|last| last.canon == digest).map(|last| last.release.number);
    let invite = invite_of(workspace, address)?;
    let ready = record.last().filter(|_| number.is_some()).map(|last| &last.release);
    let base = invite.as_ref().filter(|invite| number.is_some() && invite.address.starts_with("http"));
    Ok(HandoutFacts {
        set: set(session, canon, &record)?,
        number,
        links: base.map(|invite| format!("{}/", invite.address.trim_end_matches('/'))),
        invite: invite.map(|invite| invite.to_string()),
        digest,
        programs: ready.map(|release| release.programs.keys().copied().collect()).unwrap_or_default(),
        programs_at: workspace.config.release.programs_at.clone(),
        has_archive: ready.is_some_and(|release| release.archive.is_some()),
    })
}

/// What players need to know of a canon, and what of it is new: against the last release that said something else.
pub(crate) fn set(session: &Session<'_>, canon: &Canon, record: &Record) -> Result<Handout, AppError> {
    let folder = session.workspace()?.release_folder();
    let digest = digest_of(canon)?;
    let others = record.numbers_with_canon().into_iter().rev().filter(|(_, known)| *known != digest);
    let last = others.into_iter().find_map(|(number, _)| Some((number, Record::canon(&folder, number)?)));
    let last = last.as_ref().map(|(number, canon)| (*number, canon));
    Ok(handout::assemble(canon, &session.loaded.rulebook, session.extras(), last))
}
