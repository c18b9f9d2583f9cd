//! Backups that have served their time by a rule are taken away, and the journal says so.

use std::collections::BTreeSet;
use std::path::Path;

use kanon_core::base::digest::Blake3;
use kanon_core::base::path::off_limits;
use kanon_core::config::Keep;

use crate::backup::Manifest;
use crate::error::{During, ReachError};
use crate::room::held_by;
use crate::state::{Alignment, AlignmentState, Before, State};

/// Seconds of a day.
const DAY: i64 = 24 * 60 * 60;

/// What was taken away.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Pruned {
    /// The numbers of the alignments that can't be taken back any more, oldest first.
    pub alignments: Vec<i64>,
    /// The bytes of their backups.
    pub bytes: u64,
}

/// Which backups a rule may take away.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Reach {
    /// All of them: whoever keeps the install has written the rule.
    All,
    /// Those alone that hold nothing but what earlier alignments had brought: what was there before is somebody's own.
    Brought,
}

/// Takes away the backups of one install that the rule does not keep. What was interrupted is always kept.
///
/// # Errors
/// When a backup can't be removed, or the journal not be written.
pub fn prune(
    state: &State,
    (root, backups): (&str, &Path),
    (keep, reach): (Keep, Reach),
    now: i64,
) -> Result<Pruned, ReachError> {
    let mut pruned = Pruned::default();
    let all = state.alignments(Some(root))?;
    for alignment in outlived(&all, keep, now) {
        if reach == Reach::Brought && holds_own(alignment, &all, backups) {
            continue;
        }
        let folder = backups.join(alignment.id.to_string());
        // First the journal: a backup that nobody counts on may go, the other way round would be a promise broken.
        state.prune(alignment.id)?;
        if folder.is_dir() {
            pruned.bytes += held_by(&folder).during("look at", &folder)?.bytes;
            std::fs::remove_dir_all(&folder).during("remove", &folder)?;
        }
        pruned.alignments.push(alignment.id);
    }
    pruned.alignments.sort_unstable();
    Ok(pruned)
}

/// Whether a backup holds what no alignment before it had brought. One that says nothing of itself may hold anything.
fn holds_own(alignment: &Alignment, all: &[Alignment], backups: &Path) -> bool {
    let folder = backups.join(alignment.id.to_string());
    if !folder.is_dir() {
        return false;
    }
    let Ok(manifest) = Manifest::read(&folder) else { return true };
    let earlier = all.iter().filter(|other| other.id < alignment.id).flat_map(|other| &other.steps);
    let brought: BTreeSet<Blake3> = earlier.filter_map(|step| step.action.puts()).collect();
    let (_, before) = manifest.alignment();
    let is_own = |(path, before): &(String, Before)| {
        off_limits(path).is_none() && matches!(before, Before::File { blake3, .. } if !brought.contains(blake3))
    };
    // What nobody expected while it was carried out is in the folder, and not in what it says.
    Manifest::has_changed(&folder) || before.iter().any(is_own)
}

/// Alignments, newest first, that a rule does not keep. Only what can still be taken back counts; what was taken back already
/// goes with those that are older than all that are kept.
fn outlived(alignments: &[Alignment], keep: Keep, now: i64) -> Vec<&Alignment> {
    let is_old = |alignment: &Alignment| keep.days.is_some_and(|days| alignment.began < now - i64::from(days) * DAY);
    let number = keep.number.map_or(usize::MAX, |number| number as usize);
    let (mut kept, mut outlived) = (0, Vec::new());
    for alignment in alignments.iter().filter(|alignment| !alignment.pruned && !alignment.state.is_open()) {
        if kept >= number || is_old(alignment) {
            outlived.push(alignment);
        } else if alignment.state == AlignmentState::Done {
            kept += 1;
        }
    }
    outlived
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    fn alignment(id: i64, days_ago: i64, (state, pruned): (AlignmentState, bool)) -> Alignment {
        let began = 1_000 * DAY - days_ago * DAY;
        let (install, root, steps) = (String::new(), String::new(), Vec::new());
        Alignment { id, install: install.into(), root, began, state, pruned, steps, steps_done: 0 }
    }

    #[rstest]
    #[case(Keep { number: None, days: None, canons: None }, &[])]
    #[case(Keep { number: Some(2), days: None, canons: None }, &[])]
    #[case(Keep { number: Some(1), days: None, canons: None }, &[3, 2])]
    #[case(Keep { number: Some(0), days: None, canons: None }, &[5, 4, 3, 2])]
    #[case(Keep { number: None, days: Some(30), canons: None }, &[2])]
    #[case(Keep { number: Some(9), days: Some(5), canons: None }, &[3, 2])]
    fn a_rule_keeps_so_many_that_can_be_taken_back(#[case] keep: Keep, #[case] gone: &[i64]) {
        use AlignmentState::{Done, Running, Undone};
        let all = [
            (5, 1, (Undone, false)),
            (4, 2, (Done, false)),
            (3, 10, (Undone, false)),
            (2, 40, (Done, false)),
            (1, 50, (Running, false)),
            (0, 60, (Done, true)),
        ];
        let all = all.map(|(id, days, state)| alignment(id, days, state));
        let found: Vec<i64> = outlived(&all, keep, 1_000 * DAY).iter().map(|alignment| alignment.id).collect();
        assert_eq!(found, gone);
    }
}
