//! Takes an alignment back: bytes, names, permissions and times are again what the journal says they were.
//!
//! It looks at nothing but the journal and what is there now, so it works after a kill at any moment and may be
//! run twice. What was changed after the alignment is kept beside the backup, never lost.

use std::collections::{BTreeMap, BTreeSet};

use kanon_core::path::InstallPath;

use crate::bring::{self, Bringing, Facts, Want};
use crate::bytes::Bytes;
use crate::carry_out::{Journalled, Site};
use crate::claim::Claim;
use crate::error::ReachError;
use crate::install::OWN_FOLDER;
use crate::state::{AlignmentState, Before, State};

/// What taking back came to.
#[derive(Debug, Clone, Default)]
pub struct TakenBack {
    /// Files that are again what they were.
    pub restored: Vec<String>,
    /// Files that the alignment had put there and that are gone again.
    pub removed: Vec<String>,
    /// Files that were changed after the alignment, with the copy that was kept of each.
    pub kept: Vec<(String, String)>,
}

/// Claims the install, takes one alignment back and journals that it is.
///
/// # Errors
/// When something can't be restored; what was restored by then stays, and it can be run again.
pub fn undo(site: Site<'_>, state: &mut State, id: i64) -> Result<TakenBack, ReachError> {
    let claim = site.claim()?;
    let taken = take_back(site, state, id)?;
    give_up(site, &claim, state, id)?;
    Ok(taken)
}

/// Ends an alignment of which nothing is left but the claim.
///
/// # Errors
/// When the claim can't be taken off, or the journal not be written.
pub fn give_up(site: Site<'_>, claim: &Claim<'_>, state: &State, id: i64) -> Result<(), ReachError> {
    claim.release()?;
    // The claim was the last thing in Kanon's own folder, if the alignment brought that.
    finish_outermost(site, state, id)?;
    state.end(id, AlignmentState::Undone)
}

/// Takes one alignment back. The install is claimed already, and the journal is not closed yet.
///
/// # Errors
/// As [`undo`].
pub fn take_back(site: Site<'_>, state: &State, id: i64) -> Result<TakenBack, ReachError> {
    site.install.look_anew();
    let alignment = state.alignments(None)?.into_iter().find(|alignment| alignment.id == id);
    let steps = alignment.map(|alignment| alignment.steps).unwrap_or_default();
    let journalled = Journalled::read(state, id, &steps)?;
    let wants = wants(&journalled.before);
    let paths: Vec<InstallPath> = wants.keys().cloned().collect();
    let mut now = bring::look(site.install, &paths, &journalled.seen)?;
    let folder = site.backup(id);
    let bytes = journalled.with_backup(&Bytes::default(), &folder);
    let (install, expected) = (site.install, &journalled.expected);
    let (none, done) = (&BTreeSet::new(), &|_: &InstallPath| Ok(()));
    let bringing =
        Bringing { install, id, wants: &wants, expected, bytes: &bytes, folder: &folder, emptied: (none, none), done };
    let brought = bringing.bring(&mut now).map_err(|error| match error {
        ReachError::BytesNowhere(paths) => {
            let reason = format!("it no longer has the copy of {} that was made", paths.join(", "));
            ReachError::Unusable { path: folder.clone(), reason }
        }
        other => other,
    })?;
    let told = |paths: Vec<InstallPath>| {
        let plain = paths.into_iter().filter(|path| !path.as_str().starts_with(OWN_FOLDER));
        plain.map(String::from).collect()
    };
    Ok(TakenBack { restored: told(brought.written), removed: told(brought.removed), kept: brought.kept })
}

/// What each path was. Kanon's own folder is in use until the end.
fn wants(before: &[(String, Before)]) -> BTreeMap<InstallPath, Want> {
    let wanted = before.iter().filter_map(|(path, was)| {
        let path = InstallPath::folder(path).ok()?;
        let want = match was {
            Before::Absent if path.as_str() == OWN_FOLDER => return None,
            Before::Absent => Want::Absent,
            Before::File { blake3, modified, mode, .. } => {
                Want::File { blake3: *blake3, facts: Facts { modified: Some(*modified), mode: *mode } }
            }
            Before::Folder { modified, mode } => Want::Folder(Facts { modified: *modified, mode: *mode }),
        };
        Some((path, want))
    });
    wanted.collect()
}

/// Takes Kanon's own folder off if the alignment brought it, and sets the times that this moved.
///
/// # Errors
/// When the journal can't be read.
pub fn finish_outermost(site: Site<'_>, state: &State, id: i64) -> Result<(), ReachError> {
    for path in [OWN_FOLDER, "."] {
        let before = state.before(id)?;
        let was = before.iter().find(|(known, _)| known == path).map(|(_, was)| was);
        let Ok(path) = InstallPath::folder(path) else { continue };
        match was {
            // Not empty: somebody has put something there since, and it stays.
            Some(Before::Absent) => drop(site.install.remove_folder(&path)),
            Some(Before::Folder { modified, mode }) => drop(site.install.set_facts(&path, *modified, *mode)),
            Some(Before::File { .. }) | None => {}
        }
    }
    Ok(())
}
