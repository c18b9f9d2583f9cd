//! Carries a plan out: everything that it will touch is copied and journalled first, then all is brought about.
//!
//! When something fails, all is taken back at once. When the program is killed or the line drops, the journal says so,
//! and the next alignment finishes what was begun, or an undo takes it back to the byte.

use std::collections::{BTreeMap, BTreeSet};
use std::fs::File;
use std::io::{self, Cursor, Write};
use std::path::Path;
use std::sync::Mutex;

use kanon_core::base::digest::Blake3;
use kanon_core::base::path::InstallPath;
use kanon_core::plan::{Action, Plan, Step};

use crate::apply::{self, Actual, Applier, Desired, Facts};
use crate::backup::{self, Manifest};
use crate::bytes::Bytes;
use crate::claim::{RESERVE, Reserve, take_off};
use crate::error::{BackupFault, During, ForPath, ReachError};
use crate::hashing::{blake3_of, blake3_while};
use crate::install::part_name;
use crate::install::{
    FileFingerprint, FileStatus, Install, OWN_FOLDER, RECEIPT, Receipt, is_lost, locked, side_by_side,
};
use crate::journalled::Journalled;
use crate::open::regular;
use crate::progress::Progress;
use crate::room::{Need, refuse_lack};
use crate::site::ApplyContext;
use crate::state::{After, Alignment, AlignmentState, Before, State};
use crate::undo::{finish_outermost, give_up, take_back};

/// What is carried out.
pub struct Order<'a> {
    /// The steps.
    pub plan: &'a Plan,
    /// What the receipt will say is there.
    pub receipt: Receipt,
    /// Where the bytes of new files are.
    pub bytes: &'a Bytes,
}

/// Carries a plan out and returns the alignment's number in the journal.
///
/// # Errors
/// When anything fails; by then everything is taken back, unless the error says otherwise.
pub fn carry_out(
    site: ApplyContext<'_>,
    order: &Order<'_>,
    state: &mut State,
    progress: &dyn Progress,
) -> Result<i64, ReachError> {
    site.install.look_anew();
    order.plan.refuse_off_limits()?;
    let outermost = outermost(site.install)?;
    refuse_links(site.install, order.plan)?;
    refuse_nowhere(order)?;
    let lock = site.lock()?;
    refuse_lack_of_room(site, order.plan, order.bytes)?;
    progress.ahead(order.plan.bytes());
    // The journal comes before the claim: whatever is left of a claim is then known to be ours.
    let id = begin(site, order.plan, state)?;
    state.record_before(id, &outermost)?;
    let claim = lock.claim(site.claimant, site.others).inspect_err(|error| abandon(site, (id, error), state))?;
    let reserve = reserve(site, order.plan);
    let done = back_up(site, order.plan, id, state)
        .and_then(|()| refuse_changed(site.install, order.plan, &state.before(id)?))
        .and_then(|()| Journalled::read(state, id, &order.plan.steps))
        .and_then(|journalled| {
            let now = journalled.as_it_was();
            forwards(site, (id, &order.plan.steps), (&journalled, now), order.bytes, (state, progress))
        })
        .and_then(|()| {
            write_receipt(site, (id, &order.plan.steps), (order.receipt.clone(), Untouched::AsSurveyed), state)
        });
    drop(reserve);
    match done {
        // The claim goes before the journal is closed: what is left of it would be nobody's.
        Ok(()) => {
            claim.release()?;
            state.end(id, AlignmentState::Done)?;
            Ok(id)
        }
        Err(error) if was_cut_off(&error) => cut_off(site, error),
        Err(error) => match take_back(site, state, id).and_then(|_| give_up(site, &claim, state, id)) {
            Ok(()) if matches!(error, ReachError::Changed(_) | ReachError::Link(_)) => Err(error),
            Ok(()) => Err(ReachError::TakenBack { install: site.name.into(), source: Box::new(error) }),
            // What went wrong first says more than that the way back is barred too.
            Err(_) => cut_off(site, error),
        },
    }
}

/// After a claim that failed: nothing was done, and nothing is to stay of it. What can't be cleared away now is left to the
/// next run, which finds the alignment begun and never ended.
fn abandon(site: ApplyContext<'_>, (id, error): (i64, &ReachError), state: &State) {
    let is_clear = match error {
        ReachError::Busy { .. } => true,
        error if was_cut_off(error) => false,
        _ => is_cleared(site, id, state).unwrap_or(false),
    };
    if is_clear {
        // If the journal can't be written now, the next run does it.
        let _ = state.end(id, AlignmentState::Undone);
    }
}

/// Clears away what a failed claim of ours left, and looks whether it is gone.
fn is_cleared(site: ApplyContext<'_>, id: i64, state: &State) -> Result<bool, ReachError> {
    site.install.look_anew();
    take_off(site.install)?;
    finish_outermost(site, state, id)?;
    site.install.look_anew();
    let was_there = |before: &[(String, Before)]| {
        before.iter().any(|(path, was)| path == OWN_FOLDER && matches!(was, Before::Folder { .. }))
    };
    Ok(was_there(&outermost(site.install)?) == was_there(&state.before(id)?))
}

fn cut_off<T>(site: ApplyContext<'_>, source: ReachError) -> Result<T, ReachError> {
    Err(ReachError::CutOff { install: site.name.into(), source: Box::new(source) })
}

fn was_cut_off(error: &ReachError) -> bool {
    matches!(error, ReachError::Io { source, .. } if is_lost(source))
}

/// Finishes an alignment that was interrupted. Says whether there was anything to finish: one that was interrupted
/// before its first step has touched nothing, and is only struck out.
///
/// # Errors
/// When anything fails, such as that bytes are nowhere any more; what was done by then stays, and it can be run again.
pub fn finish(
    site: ApplyContext<'_>,
    (id, steps): (i64, &[Step]),
    order: (Receipt, &Bytes),
    state: &mut State,
    progress: &dyn Progress,
) -> Result<bool, ReachError> {
    let claim = site.claim()?;
    site.install.look_anew();
    let is_outermost = |path: &String| [".", OWN_FOLDER].contains(&path.as_str());
    let had_begun = state.before(id)?.iter().any(|(path, _)| !is_outermost(path));
    if had_begun {
        progress.ahead(steps.iter().map(|step| step.bytes).sum());
        let journalled = Journalled::read(state, id, steps)?;
        let paths: Vec<InstallPath> = journalled.after.keys().cloned().collect();
        let now = apply::look(site.install, &paths, &journalled.seen)?;
        forwards(site, (id, steps), (&journalled, now), order.1, (state, progress))?;
        write_receipt(site, (id, steps), (order.0, Untouched::Unknown), state)?;
        claim.release()?;
        state.end(id, AlignmentState::Done)?;
    } else {
        give_up(site, &claim, state, id)?;
    }
    Ok(had_begun)
}

fn touched(plan: &Plan) -> BTreeSet<InstallPath> {
    plan.steps.iter().flat_map(Step::paths).cloned().collect()
}

/// What is at no place any more once all is done: other bytes or nothing are where it was, and it was not moved.
fn going(plan: &Plan) -> BTreeSet<InstallPath> {
    let goes = |step: &&Step| matches!(step.action, Action::Park | Action::Replace { .. });
    let stays = plan.steps.iter().filter(|step| !goes(step)).flat_map(Step::paths).collect::<BTreeSet<_>>();
    plan.steps.iter().filter(goes).map(|step| &step.path).filter(|path| !stays.contains(path)).cloned().collect()
}

fn refuse_links(install: &dyn Install, plan: &Plan) -> Result<(), ReachError> {
    for path in touched(plan) {
        for part in std::iter::successors(Some(path), InstallPath::parent) {
            if matches!(install.look(&part), Ok(Some(FileStatus::Link))) {
                return Err(ReachError::Link(install.outside(&part)));
            }
        }
    }
    Ok(())
}

fn refuse_nowhere(order: &Order<'_>) -> Result<(), ReachError> {
    let lacking = order.bytes.lacking(&order.plan.wanted());
    let of = |step: &&Step| step.action.puts().is_some_and(|blake3| lacking.contains(&blake3));
    let names: Vec<String> = order.plan.steps.iter().filter(of).map(|step| step.path.to_string()).collect();
    if names.is_empty() { Ok(()) } else { Err(ReachError::BytesNowhere(names)) }
}

/// A file that stands where the survey saw none was put there since; one that is gone was taken away.
fn refuse_changed(install: &dyn Install, plan: &Plan, before: &[(String, Before)]) -> Result<(), ReachError> {
    let freed: BTreeSet<&InstallPath> = plan.steps.iter().filter_map(Step::frees).collect();
    let stands = |path: &InstallPath| {
        before.iter().any(|(known, was)| known == path.as_str() && matches!(was, Before::File { .. }))
    };
    let into_the_void = plan.steps.iter().filter(|step| match &step.action {
        Action::Put { .. } => true,
        Action::Rename { from } => from.folded() != step.path.folded(),
        Action::Park | Action::Replace { .. } | Action::BackUp => false,
    });
    let moved = plan.steps.iter().filter_map(|step| match &step.action {
        Action::Rename { from } => Some(from),
        _ => None,
    });
    if let Some(gone) = moved.into_iter().find(|from| !stands(from)) {
        return Err(ReachError::Changed(install.outside(gone)));
    }
    match into_the_void.map(|step| &step.path).find(|path| stands(path) && !freed.contains(path)) {
        Some(path) => Err(ReachError::Changed(install.outside(path))),
        None => Ok(()),
    }
}

fn begin(site: ApplyContext<'_>, plan: &Plan, state: &mut State) -> Result<i64, ReachError> {
    let steps = serde_json::to_string(&plan.steps).unwrap_or_default();
    state.begin((site.name, site.install.shown()), site.claimant.began, &steps, backup::newest(site.backups))
}

/// Looks whether there is room for what will be written and for the copies, before anything is. What replaces a file is
/// written beside it first, so that nothing that goes counts as room. What is handed on frees as much as it takes, one after another.
fn refuse_lack_of_room(site: ApplyContext<'_>, plan: &Plan, bytes: &Bytes) -> Result<(), ReachError> {
    let (mut copies, mut largest) = (Need { bytes: 1 << 20, files: 4 }, 0);
    for path in touched(plan) {
        if let Ok(Some(FileStatus::File { stamp, .. })) = site.install.look(&path) {
            copies = copies + Need { bytes: stamp.size, files: 1 };
            largest = stamp.size.max(largest);
        }
    }
    let puts = plan.steps.iter().filter_map(|step| Some((step, step.action.puts()?)));
    let (passed, written): (Vec<_>, Vec<_>) = puts.partition(|(_, digest)| bytes.passes(*digest).is_some());
    let passing = passed.iter().map(|(step, _)| step.bytes).max().unwrap_or(0);
    let puts = written.iter().fold(Need { bytes: largest + passing + (1 << 20), files: 4 }, |sum, (step, _)| {
        sum + Need { bytes: step.bytes, files: 1 }
    });
    let install = site.install.folder().map(|folder| (folder, puts));
    let needs: Vec<(&Path, Need)> = std::iter::once((site.backups, copies)).chain(install).collect();
    refuse_lack("align", &needs)
}

/// Keeps room for the way back: on a disk that others fill meanwhile, so many bytes are what the largest file that is taken off
/// or replaced needs to be written beside its place again. Files are put back one after another where there is no more.
fn reserve(site: ApplyContext<'_>, plan: &Plan) -> Option<Reserve> {
    let sizes = touched(plan).into_iter().filter_map(|path| match site.install.look(&path) {
        Ok(Some(FileStatus::File { stamp, .. })) => Some(stamp.size),
        _ => None,
    });
    Reserve::take(site.install.folder()?, sizes.max().unwrap_or(0))
}

/// The root and Kanon's own folder as they are before anybody claims the install.
fn outermost(install: &dyn Install) -> Result<Vec<(String, Before)>, ReachError> {
    let mut outermost = Vec::new();
    for path in [".", OWN_FOLDER] {
        let path = InstallPath::folder(path).for_path(path)?;
        outermost.push((path.to_string(), folder_before(install, &path)?));
    }
    Ok(outermost)
}

/// Copies everything that will be touched, and notes what is not there yet, before anything is touched.
fn back_up(site: ApplyContext<'_>, plan: &Plan, id: i64, state: &mut State) -> Result<(), ReachError> {
    let folder = site.backup(id);
    std::fs::create_dir_all(&folder).during("make the folder", &folder)?;
    let mut paths = touched(plan);
    paths.extend(InstallPath::new(RECEIPT).ok());
    let folders: BTreeSet<InstallPath> =
        paths.iter().flat_map(|path| std::iter::successors(path.parent(), InstallPath::parent)).collect();
    let mut before = Vec::new();
    for path in folders.iter().filter(|path| path.as_str() != OWN_FOLDER) {
        before.push((path.to_string(), folder_before(site.install, path)?));
    }
    let clock = clock_of(site.install)?;
    let going = going(plan);
    let numbered: Vec<(usize, InstallPath)> = paths.into_iter().enumerate().collect();
    let copied = side_by_side(site.install.side_by_side(), &numbered, |(number, path)| {
        Ok((
            path.to_string(),
            clock.of_before(file_before(site.install, path, &folder, (*number, going.contains(path)))?),
        ))
    });
    before.extend(copied.into_iter().collect::<Result<Vec<_>, ReachError>>()?);
    let began = Alignment {
        id,
        install: site.name.into(),
        root: site.install.shown().to_owned(),
        began: site.claimant.began,
        state: AlignmentState::Running,
        pruned: false,
        steps: plan.steps.clone(),
        steps_done: 0,
    };
    let outermost = state.before(id)?;
    Manifest::new(&began, outermost.into_iter().chain(before.iter().cloned()).collect()).write(&folder)?;
    for folder in backup::folders(&folder).during("look at", &folder)? {
        File::open(&folder)
            .and_then(|folder| folder.sync_all())
            .or_else(ignore_unsupported)
            .during("flush", &folder)?;
    }
    state.record_before(id, &before)
}

/// Some systems can't flush a folder; there it is not needed.
fn ignore_unsupported(error: io::Error) -> io::Result<()> {
    if cfg!(unix) { Err(error) } else { Ok(()) }
}

fn folder_before(install: &dyn Install, path: &InstallPath) -> Result<Before, ReachError> {
    match install.look(path).during("look at", &install.outside(path))? {
        Some(FileStatus::Folder { modified, mode }) => Ok(Before::Folder { modified, mode }),
        Some(_) => Err(ReachError::Link(install.outside(path))),
        None => Ok(Before::Absent),
    }
}

fn file_before(
    install: &dyn Install,
    path: &InstallPath,
    folder: &Path,
    (number, goes): (usize, bool),
) -> Result<Before, ReachError> {
    let outside = install.outside(path);
    let (stamp, mode) = match install.look(path).during("back up", &outside)? {
        Some(FileStatus::File { stamp, mode }) => (stamp, mode),
        None => return Ok(Before::Absent),
        Some(_) => return Err(ReachError::Changed(outside)),
    };
    let is_here = goes && install.folder().is_some();
    if is_here && let Some(copy) = backup::linked_copy(folder, path, (&outside, stamp.size)) {
        let (at, FileFingerprint { size, modified, .. }) = (folder.join(&copy), stamp);
        let mut file = regular(&at).during("back up", &outside)?;
        let (blake3, _) = blake3_of(&mut file, size).during("back up", &outside)?;
        return Ok(Before::File { copy, blake3, size: Some(size), modified, mode });
    }
    let (mut source, FileFingerprint { size, modified, .. }) = install.open_file(path).during("back up", &outside)?;
    let (copy, mut target) = backup::new_copy(folder, path, number)?;
    let (blake3, _) =
        blake3_while(&mut source, stamp.size, |chunk| target.write_all(chunk)).during("back up", &outside)?;
    target.sync_all().during("back up", &outside)?;
    Ok(Before::File { copy, blake3, size: Some(size), modified, mode })
}

/// What a host's clock said when its files were listed. Many tell times only to the second, or to the minute: a file that was written in
/// that very second may be written once more in it, and look the same. Size and time vouch for none of those.
#[derive(Debug, Clone, Copy)]
enum HostClock {
    /// Nothing on this machine is vouched for by size and time.
    NotAsked,
    /// So it was before anything was listed, in nanoseconds since 1970; nothing where the host tells no times.
    Said(Option<i64>),
}

/// Writes a file of no bytes, and asks what time it has. It lies where nothing else does on a host, and goes with the claim at the latest.
fn clock_of(install: &dyn Install) -> Result<HostClock, ReachError> {
    if !install.is_remote() {
        return Ok(HostClock::NotAsked);
    }
    let probe = InstallPath::new(RESERVE).for_path(RESERVE)?;
    let outside = install.outside(&probe);
    install.write(&probe, &mut io::empty()).during("write", &outside)?;
    let there = install.look(&probe).during("look at", &outside)?;
    install.remove_file(&probe).during("remove", &outside)?;
    let Some(FileStatus::File { stamp, .. }) = there else { return Ok(HostClock::Said(None)) };
    Ok(HostClock::Said(stamp.modified))
}

impl HostClock {
    /// Whether whatever is written from now on has a later time than this.
    fn is_past(self, modified: i64) -> bool {
        match self {
            Self::NotAsked => true,
            Self::Said(now) => now.is_some_and(|now| modified < now),
        }
    }

    /// A file is known again by its size and time; one that might be another by then gets no size.
    fn of_before(self, before: Before) -> Before {
        match before {
            Before::File { copy, blake3, size, modified, mode } => {
                let size = size.filter(|_| modified.is_some_and(|modified| self.is_past(modified)));
                Before::File { copy, blake3, size, modified, mode }
            }
            other => other,
        }
    }
}

/// Brings every file to what the steps make of it.
fn forwards(
    site: ApplyContext<'_>,
    (id, steps): (i64, &[Step]),
    (journalled, mut now): (&Journalled, BTreeMap<InstallPath, Actual>),
    bytes: &Bytes,
    (state, progress): (&mut State, &dyn Progress),
) -> Result<(), ReachError> {
    // The last place before anything is touched, for plans of today and for those that a journal brings back.
    Plan { steps: steps.to_vec() }.refuse_off_limits()?;
    let folder = site.backup(id);
    let bytes = journalled.with_backup(bytes, &folder);
    let want = |blake3: &Option<Blake3>| match blake3 {
        Some(blake3) => Desired::File { blake3: *blake3, facts: Facts::default() },
        None => Desired::Absent,
    };
    let wants: BTreeMap<InstallPath, Desired> =
        journalled.after.iter().map(|(path, blake3)| (path.clone(), want(blake3))).collect();
    let journal = Mutex::new(&mut *state);
    let numbers: BTreeMap<&InstallPath, (u32, u64)> =
        (0..).zip(steps).map(|(number, step)| (&step.path, (number, step.bytes))).collect();
    let done = |path: &InstallPath| match numbers.get(path) {
        Some((number, bytes)) => {
            progress.done(*bytes);
            locked(&journal).step_done(id, *number)
        }
        None => Ok(()),
    };
    for (path, there) in &now {
        if wants.get(path).is_some_and(|want| want.is(*there)) {
            done(path)?;
        }
    }
    let ApplyContext { install, places, whole, .. } = site;
    let (expected, emptied) = (&journalled.expected, (places, whole));
    let bringing =
        Applier { install, id, wants: &wants, expected, bytes: &bytes, folder: &folder, emptied, done: &done };
    bringing.bring(&mut now).map(drop)
}

/// What is known of files that the receipt names and no step touched.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Untouched {
    /// The survey that the plan was made from found them right.
    AsSurveyed,
    /// That was another day, and perhaps another canon: they are measured when somebody checks.
    Unknown,
}

/// Writes the receipt, with the sizes and times that the install itself tells now.
fn write_receipt(
    site: ApplyContext<'_>,
    (id, steps): (i64, &[Step]),
    (mut receipt, untouched): (Receipt, Untouched),
    state: &mut State,
) -> Result<(), ReachError> {
    let install = site.install;
    let after = Journalled::read(state, id, steps)?.after;
    let clock = clock_of(install)?;
    install.look_anew();
    let mut stamps: BTreeMap<InstallPath, FileFingerprint> = BTreeMap::new();
    let paths = receipt.files.iter().map(|file| &file.path).chain(steps.iter().map(|step| &step.path));
    for path in paths.cloned().collect::<BTreeSet<_>>() {
        if let Some(FileStatus::File { stamp, .. }) = install.look(&path).during("look at", &install.outside(&path))? {
            stamps.insert(path, stamp);
        }
    }
    for file in &mut receipt.files {
        let is_known = match after.get(&file.path) {
            Some(blake3) => *blake3 == Some(file.blake3),
            None => untouched == Untouched::AsSurveyed,
        };
        let stamp = stamps.get(&file.path).filter(|_| is_known);
        let stamp = stamp.filter(|stamp| stamp.size == file.size);
        file.modified = stamp.and_then(|stamp| stamp.modified);
    }
    let put: Vec<After> = steps
        .iter()
        .filter_map(|step| {
            let (blake3, stamp) = (step.action.puts()?, stamps.get(&step.path)?);
            let modified = stamp.modified.filter(|modified| clock.is_past(*modified))?;
            Some(After { path: step.path.to_string(), size: stamp.size, modified, blake3 })
        })
        .collect();
    let arrived = |step: &&Step| stamps.get(&step.path).is_some_and(|stamp| stamp.size == step.bytes);
    if let Some(step) = steps.iter().filter(|step| step.action.puts().is_some()).find(|step| !arrived(step)) {
        let path = install.outside(&step.path);
        return Err(ReachError::unusable(path, BackupFault::NotAsSent));
    }
    state.record_after(id, &put)?;
    let path = InstallPath::new(RECEIPT).for_path(RECEIPT)?;
    let part = part_name(&path, id)?;
    let text = serde_json::to_string_pretty(&receipt).unwrap_or_default() + "\n";
    let written = install.write(&part, &mut Cursor::new(text)).and_then(|()| install.rename(&part, &path));
    written.during("write", &install.outside(&path))
}
