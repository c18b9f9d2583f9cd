//! Alignments that are taken back.

use kanon_io::backup::Manifest;
use kanon_io::state::{Alignment, AlignmentState};
use kanon_io::undo::{TakenBack, undo};

use super::{AtInstall, Wanted};
use crate::error::{AppError, BackupError};

impl AtInstall<'_> {
    /// Takes alignments back, newest first, down to one of that number; only the newest when none is given.
    pub fn undo(&mut self, back_to: Option<i64>, asked: &Wanted) -> Result<Vec<(i64, TakenBack)>, AppError> {
        self.refuse_busy()?;
        let name = self.placed.name.clone();
        let alignments = self.session.state.alignments(Some(self.install.shown()))?;
        let wanted = to_take_back(&alignments, back_to, &name)?;
        let running = self.stopped(asked)?;
        let mut taken = Vec::new();
        for id in wanted {
            let back = self.at_site(asked.others, |site, session| Ok(undo(site, &mut session.state, id)?));
            let back = back.inspect_err(|_| self.tell_stopped(running.as_ref()))?;
            taken.push((id, back));
        }
        self.started_again(running.as_ref())?;
        Ok(taken)
    }

    /// Takes the manifest of a backup into the journal where that does not know the alignment any more, so that it can be taken
    /// back like any other.
    pub fn know_from_backup(&mut self, id: i64) -> Result<(), AppError> {
        let folder = self.session.workspace()?.backups().join(id.to_string());
        let (alignment, manifest) =
            Manifest::read(&folder).map(|read| (read.alignment().0, read)).map_err(BackupError::Unreadable)?;
        if alignment.root != self.install.shown() {
            let named = self.install.shown().to_owned();
            return Err(BackupError::OfOther { id, of: alignment.root, named }.into());
        }
        if self.session.state.alignments(None)?.iter().all(|known| known.id != id) {
            self.session.state.restore(&alignment, manifest.alignment().1)?;
        }
        Ok(())
    }

    /// Where the copies of an alignment are, from where the command works.
    pub fn backup_shown(&self, id: i64) -> String {
        let backups = self.session.workspace().map(kanon_io::workspace::Workspace::backups).unwrap_or_default();
        let folder = backups.join(id.to_string());
        // From elsewhere only the whole path leads there.
        let here = Some(&self.session.machine.folder).filter(|_| !self.session.machine.is_elsewhere());
        let shown = here.and_then(|here| folder.strip_prefix(here).ok()).unwrap_or(&folder);
        shown.display().to_string()
    }
}

/// The numbers of the alignments to take back, newest first.
fn to_take_back(alignments: &[Alignment], back_to: Option<i64>, name: &str) -> Result<Vec<i64>, AppError> {
    let mut open = alignments.iter().filter(|alignment| alignment.state != AlignmentState::Undone);
    let gone = |id: i64| BackupError::Gone { install: name.into(), id }.into();
    let Some(back_to) = back_to else {
        return match open.next() {
            Some(last) if last.pruned => Err(gone(last.id)),
            Some(last) => Ok(vec![last.id]),
            None => Err(BackupError::NothingToTakeBack(name.into()).into()),
        };
    };
    let wanted: Vec<&Alignment> = open.filter(|alignment| alignment.id >= back_to).collect();
    match wanted.last() {
        Some(last) if last.id == back_to => match wanted.iter().find(|alignment| alignment.pruned) {
            Some(pruned) => Err(gone(pruned.id)),
            None => Ok(wanted.iter().map(|alignment| alignment.id).collect()),
        },
        _ => Err(BackupError::NoSuchAlignment { install: name.into(), id: back_to }.into()),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    fn alignment(id: i64, state: AlignmentState, pruned: bool) -> Alignment {
        let (install, root, steps) = ("hall".to_owned(), "/hall".to_owned(), Vec::new());
        Alignment { id, install: install.into(), root, began: 0, state, pruned, steps, steps_done: 0 }
    }

    /// Newest first, as the journal gives them.
    #[rstest]
    #[case::the_last(None, Ok(&[5][..]))]
    #[case::down_to_one(Some(3), Ok(&[5, 3][..]))]
    #[case::past_what_was_taken_back(Some(4), Err("no such"))]
    #[case::past_what_is_kept(Some(2), Err("gone"))]
    #[case::unknown(Some(9), Err("no such"))]
    fn what_is_taken_back_is_in_a_row(#[case] back_to: Option<i64>, #[case] wanted: Result<&[i64], &str>) {
        use AlignmentState::{Done, Undone};
        let all = [
            alignment(5, Done, false),
            alignment(4, Undone, false),
            alignment(3, Done, false),
            alignment(2, Done, true),
        ];
        let found = to_take_back(&all, back_to, "hall").map_err(|error| match error {
            AppError::Backup(BackupError::Gone { .. }) => "gone",
            AppError::Backup(BackupError::NoSuchAlignment { .. }) => "no such",
            _ => "another",
        });
        assert_eq!(found.as_deref().map_err(|error| *error), wanted);
    }
}
