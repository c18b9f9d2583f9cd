//! Copies of mods that are torn, altered or wrongly signed are told and taken out before anything is chosen: damage must not become
//! what everybody gets, whoever brings it.

use std::collections::BTreeSet;
use std::path::Path;

use kanon_core::base::digest::Blake3;
use kanon_core::canon::Canon;
use kanon_core::seal::Damaged;
use kanon_core::survey::{Survey, SurveyedMod, Verdict};
use kanon_io::error::During;
use kanon_io::whole;
use rayon::prelude::*;

use crate::error::AppError;
use crate::session::Session;

/// Takes the mods out of a survey of a folder on this machine that are no whole ones, and says why. What was sealed is whole; of the
/// rest, each mod is read once, and what came of it is remembered by its digest.
pub fn take_out(
    session: &Session<'_>,
    root: &Path,
    survey: &mut Survey,
    last: Option<&Canon>,
) -> Result<Vec<Damaged>, AppError> {
    let sealed: BTreeSet<Blake3> = last.iter().flat_map(|last| &last.mods).map(|sealed| sealed.digest).collect();
    let mut unread: Vec<&SurveyedMod> = Vec::new();
    for found in survey.mods.iter().filter(|found| !sealed.contains(&found.digest)) {
        if session.state.whole(found.digest)?.is_none() {
            unread.push(found);
        }
    }
    let read: Vec<(Blake3, Result<String, AppError>)> =
        unread.par_iter().map(|found| (found.digest, fault(root, found))).collect();
    for (digest, why) in read {
        session.state.remember_whole(digest, &why?)?;
    }
    let mut damaged = Vec::new();
    for found in &survey.mods {
        let torn = if sealed.contains(&found.digest) { None } else { session.state.whole(found.digest)? };
        if let Some(why) = torn.filter(|why| !why.is_empty()).or_else(|| wrong_signature(found)) {
            damaged.push(Damaged {
                id: found.manifest.id.clone(),
                version: found.manifest.version.clone(),
                place: survey.install.name.clone().into(),
                path: found.path.to_string(),
                why,
            });
        }
    }
    let is_damaged = |found: &SurveyedMod| damaged.iter().any(|copy| copy.path == found.path.as_str());
    survey.mods.retain(|found| !is_damaged(found));
    Ok(damaged)
}

/// What is wrong with the files of a mod; an empty text where nothing is.
fn fault(root: &Path, found: &SurveyedMod) -> Result<String, AppError> {
    for file in &found.files {
        let path = root.join(file.path.as_str());
        match whole::fault(&path) {
            Ok(None) => {}
            Ok(Some(why)) if found.files.len() == 1 => return Ok(why.to_string()),
            Ok(Some(why)) => return Ok(format!("{}: {why}", file.path.name())),
            Err(error) => return Err(Err::<(), _>(error).during("read", &path).expect_err("it is one").into()),
        }
    }
    Ok(String::new())
}

/// A signature that was not made over these bytes: they were altered since, or it is another's.
fn wrong_signature(found: &SurveyedMod) -> Option<String> {
    let wrong = found.signatures.iter().find(|one| matches!(one.verdict, Some(Verdict::Bad | Verdict::NoSignature)))?;
    let key = wrong.key.as_ref().map_or_else(String::new, |key| format!(" of {key}"));
    Some(format!("the signature{key} of {} does not fit it", wrong.payload.name()))
}
