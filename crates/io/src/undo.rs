//! Takes an alignment back: bytes, names, permissions and times are again what the journal says they were.
//!
//! It looks at nothing but the journal and what is there now, so it works after a kill at any moment and may be
//! run twice. What was changed after the alignment is kept beside the backup, never lost.

use std::collections::{BTreeMap, BTreeSet, HashSet};

use kanon_core::base::digest::Blake3;
use kanon_core::base::path::InstallPath;
use kanon_core::plan::{Action, Step};

use crate::apply::{self, Actual, Applier, Desired, Facts};
use crate::backup;
use crate::bytes::Bytes;
use crate::claim::Claim;
use crate::error::{Attempt, BackupFault, During, ForPath, ReachError, Unfit};
use crate::install::is_part;
use crate::install::{FileStatus, Install, Kind, OWN_FOLDER};
use crate::journalled::Journalled;
use crate::room::{Need, refuse_lack};
use crate::site::ApplyContext;
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
    /// Worlds that the game has made since, and what they are called now.
    pub set_aside: Vec<(String, String)>,
}

/// How deep a world is listed.
const WORLD_DEPTH: usize = 32;

/// Claims the install, takes one alignment back and journals that it is. Cut off anywhere, it is known to have begun, and run
/// again it goes on.
///
/// # Errors
/// When a copy that it needs is missing, altered or a link: then nothing is touched. When something can't be restored; what was
/// restored by then stays, and it can be run again.
pub fn undo(site: ApplyContext<'_>, state: &mut State, id: i64) -> Result<TakenBack, ReachError> {
    let claim = site.claim()?;
    site.install.look_anew();
    let alignment = state.alignments(None)?.into_iter().find(|alignment| alignment.id == id);
    let had_begun = alignment.as_ref().is_some_and(|alignment| alignment.state == AlignmentState::Undoing);
    let refused = refuse_unsound(site, state, id);
    if let Err(error) = refused {
        // Nothing was done to it, so nobody is to think that it is claimed.
        if !had_begun {
            claim.release()?;
        }
        return Err(error);
    }
    state.end(id, AlignmentState::Undoing)?;
    let taken = take_back(site, state, id)?;
    give_up(site, &claim, state, id)?;
    Ok(taken)
}

/// Every copy that will be put back must be what it was made as, and there must be room for it.
fn refuse_unsound(site: ApplyContext<'_>, state: &State, id: i64) -> Result<(), ReachError> {
    let alignment = state.alignments(None)?.into_iter().find(|alignment| alignment.id == id);
    let journalled = Journalled::read(state, id, &alignment.map(|alignment| alignment.steps).unwrap_or_default())?;
    let wants = wants(&journalled.before);
    let paths: Vec<InstallPath> = wants.keys().cloned().collect();
    let now = apply::look(site.install, &paths, &journalled.seen)?;
    let there: BTreeSet<Blake3> =
        now.values().filter_map(|now| if let Actual::File(digest) = now { Some(*digest) } else { None }).collect();
    let (folder, mut need) = (site.backup(id), Need { bytes: 1 << 20, files: 4 });
    for (path, was) in &journalled.before {
        let Before::File { copy, blake3, size, .. } = was else { continue };
        let is_as_it_was = InstallPath::new(path).is_ok_and(|path| now.get(&path) == Some(&Actual::File(*blake3)));
        if is_as_it_was {
            continue;
        }
        // What is there under another name is renamed.
        if !there.contains(blake3) {
            backup::sound_copy(&folder, (copy, *blake3), path)?;
            need = need + Need { bytes: size.unwrap_or(0), files: 1 };
        }
    }
    let install = site.install.folder().map(|folder| (folder, need));
    refuse_lack("take it back", &install.into_iter().collect::<Vec<_>>())
}

/// Ends an alignment of which nothing is left but the claim.
///
/// # Errors
/// When the claim can't be taken off, or the journal not be written.
pub fn give_up(site: ApplyContext<'_>, claim: &Claim<'_>, state: &State, id: i64) -> Result<(), ReachError> {
    claim.release()?;
    // The claim was the last thing in Kanon's own folder, if the alignment brought that.
    finish_outermost(site, state, id)?;
    state.end(id, AlignmentState::Undone)
}

/// Takes one alignment back. The install is claimed already, and the journal is not closed yet.
///
/// # Errors
/// As [`undo`].
pub fn take_back(site: ApplyContext<'_>, state: &State, id: i64) -> Result<TakenBack, ReachError> {
    site.install.look_anew();
    let alignment = state.alignments(None)?.into_iter().find(|alignment| alignment.id == id);
    let steps = alignment.map(|alignment| alignment.steps).unwrap_or_default();
    let journalled = Journalled::read(state, id, &steps)?;
    let set_aside = set_new_worlds_aside(site, (id, &steps), &journalled)?;
    let wants = wants(&journalled.before);
    let paths: Vec<InstallPath> = wants.keys().cloned().collect();
    let mut now = apply::look(site.install, &paths, &journalled.seen)?;
    let folder = site.backup(id);
    let bytes = journalled.with_backup(&Bytes::default(), &folder);
    let (install, expected) = (site.install, &journalled.expected);
    let (none, done) = (&BTreeSet::new(), &|_: &InstallPath| Ok(()));
    let bringing =
        Applier { install, id, wants: &wants, expected, bytes: &bytes, folder: &folder, emptied: (none, none), done };
    let brought = bringing.bring(&mut now).map_err(|error| match error {
        ReachError::BytesNowhere(paths) => ReachError::unusable(&folder, BackupFault::NoCopies(paths.join(", "))),
        other => other,
    })?;
    let told = |paths: Vec<InstallPath>| {
        let plain = paths.into_iter().filter(|path| !path.as_str().starts_with(OWN_FOLDER));
        plain.map(String::from).collect()
    };
    Ok(TakenBack { restored: told(brought.written), removed: told(brought.removed), kept: brought.kept, set_aside })
}

/// Where an alignment put a world aside and the game has made a new one since, that goes aside as a whole: the two are never
/// mixed. One in which all is as the alignment left it is no new one.
fn set_new_worlds_aside(
    site: ApplyContext<'_>,
    (id, steps): (i64, &[Step]),
    journalled: &Journalled,
) -> Result<Vec<(String, String)>, ReachError> {
    let mut aside = Vec::new();
    let inside = |path: &InstallPath, world: &InstallPath| path == world || path.below(world).is_some();
    let left = |step: &Step, world: &InstallPath| matches!(&step.action, Action::Rename { from } if inside(from, world) && !inside(&step.path, world));
    // One that came not so far as to know what was there has moved nothing.
    let is_known = |step: &&Step| {
        let from = if let Action::Rename { from } = &step.action { from.as_str() } else { return false };
        journalled.before.iter().any(|(path, was)| path == from && matches!(was, Before::File { .. }))
    };
    let steps: Vec<&Step> = steps.iter().filter(is_known).collect();
    for world in site.whole.iter().filter(|world| steps.iter().any(|step| left(step, world))) {
        let files = match site.install.look(world).during("look at", &site.install.outside(world))? {
            None => continue,
            Some(FileStatus::File { .. }) => vec![world.clone()],
            Some(_) => files_below(site.install, world)?,
        };
        let is_known = |path: &InstallPath, now: Actual| {
            let Actual::File(digest) = now else { return true };
            journalled.expected.get(path).is_some_and(|expected| expected.contains(&digest))
        };
        let now = apply::look(site.install, &files, &journalled.seen)?;
        if now.iter().all(|(path, now)| is_known(path, *now)) {
            continue;
        }
        let to = free_name(site.install, world, id)?;
        site.install.rename(world, &to).during("set aside", &site.install.outside(world))?;
        site.install.look_anew();
        aside.push((world.to_string(), to.to_string()));
    }
    Ok(aside)
}

fn files_below(install: &dyn Install, folder: &InstallPath) -> Result<Vec<InstallPath>, ReachError> {
    let listing = install.list(Some(folder), WORLD_DEPTH, &HashSet::new());
    if let Some(refused) = listing.refused.first() {
        return Err(ReachError::unusable(install.outside(folder), Unfit::within(refused, Attempt::LookAt)));
    }
    // A part that was cut off is nobody's world.
    let is_whole = |path: &InstallPath| !is_part(path);
    let files =
        listing.entries.into_iter().filter(|entry| matches!(entry.kind, Kind::File(_)) && is_whole(&entry.path));
    Ok(files.map(|entry| entry.path).collect())
}

/// A name beside a world that nothing has.
fn free_name(install: &dyn Install, world: &InstallPath, id: i64) -> Result<InstallPath, ReachError> {
    let named = |end: String| -> Result<InstallPath, ReachError> {
        let name = format!("{world}{end}");
        InstallPath::new(&name).for_path(&name)
    };
    let mut names = std::iter::once(format!("-made-after-{id}")).chain((2..).map(|n| format!("-made-after-{id}-{n}")));
    loop {
        let name = named(names.next().unwrap_or_default())?;
        if !install.is_there(&name) {
            return Ok(name);
        }
    }
}

/// What each path was. Kanon's own folder is in use until the end.
fn wants(before: &[(String, Before)]) -> BTreeMap<InstallPath, Desired> {
    let wanted = before.iter().filter_map(|(path, was)| {
        let path = InstallPath::folder(path).ok()?;
        let want = match was {
            Before::Absent if path.as_str() == OWN_FOLDER => return None,
            Before::Absent => Desired::Absent,
            Before::File { blake3, modified, mode, .. } => {
                Desired::File { blake3: *blake3, facts: Facts { modified: *modified, mode: *mode } }
            }
            Before::Folder { modified, mode } => Desired::Folder(Facts { modified: *modified, mode: *mode }),
        };
        Some((path, want))
    });
    wanted.collect()
}

/// Takes Kanon's own folder off if the alignment brought it, and sets the times that this moved.
///
/// # Errors
/// When the journal can't be read.
pub fn finish_outermost(site: ApplyContext<'_>, state: &State, id: i64) -> Result<(), ReachError> {
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
