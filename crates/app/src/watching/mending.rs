//! Aligning an install by itself, where that needs no decision: files of the canon are missing or damaged, and the game is stopped.

use kanon_core::base::finding::{Code, Finding};
use kanon_core::canon::Canon;
use kanon_core::plan::text_edits::Consents;
use kanon_core::plan::{Action, RiskyExtras, Step};
use kanon_io::claim::Others;

use super::change::{NotMended, What};
use super::look::Look;
use crate::alignment::{Opened, Planned, Wanted};
use crate::error::AppError;
use crate::places::Placed;

/// What is mended without asking: what the canon has, and is not there as it was sealed. Another release may be meant by somebody.
const MENDED: [Code; 4] = [Code::ModMissing, Code::ContentDiffers, Code::Unreadable, Code::KeyMissing];

impl Look<'_, '_> {
    /// Aligns an install that was just found off in `bad`, if that needs no decision.
    pub(super) fn mend(&mut self, placed: &Placed, canon: &Canon, digest: &str, bad: &[Finding]) {
        let name = placed.name.as_str();
        let Some(memory) = self.memory.installs.get(name) else { return };
        // What was left alone once is not tried again before it is another thing.
        if bad.is_empty() || memory.cut_off.is_some() || memory.left_alone.as_ref() == Some(&memory.off) {
            return;
        }
        let off = memory.off.clone();
        match self.mended(placed, canon, bad) {
            Ok((alignment, steps)) => {
                self.tell(Some(name), What::Mended { alignment, steps });
                let before = self.changes.len();
                self.at_install(placed, canon, digest);
                // That it is in line was told with it.
                let says_so = |what: &What| matches!(what, What::InLine);
                if self.changes.get(before).is_some_and(|change| says_so(&change.what)) {
                    self.changes.remove(before);
                }
                if let Some(memory) = self.memory.installs.get_mut(name) {
                    (memory.left_alone, memory.waits_for_stop) = (None, false);
                }
            }
            Err(why) => {
                // A game that runs now may be stopped later: it is told once, and tried again.
                let is_running = matches!(why, NotMended::Running(_));
                let mut is_news = true;
                if let Some(memory) = self.memory.installs.get_mut(name) {
                    is_news = !(std::mem::replace(&mut memory.waits_for_stop, is_running) && is_running);
                    memory.left_alone = (!is_running).then_some(off);
                }
                if is_news {
                    self.tell(Some(name), What::NotMended(why));
                }
            }
        }
    }

    fn mended(&mut self, placed: &Placed, canon: &Canon, bad: &[Finding]) -> Result<(i64, usize), NotMended> {
        if self.session.is_stale(canon) {
            return Err(NotMended::StaleCanon);
        }
        refuse_decisions(bad)?;
        self.refuse_running(placed)?;
        let wanted = Wanted {
            risky: RiskyExtras::Stay,
            world: None,
            while_running: false,
            others: Others::Respect,
            said: Consents::default(),
        };
        let session = self.session.another();
        let planned = || -> Result<Planned<'_>, AppError> {
            let opened = Opened::open(session?, &placed.name, canon.clone(), None)?;
            opened.at.refuse_busy()?;
            let mut planned = opened.plan(&wanted)?;
            planned.fetch()?;
            Ok(planned)
        };
        let planned = planned().map_err(NotMended::Failed)?;
        if !planned.plan.steps.iter().all(only_puts) {
            return Err(NotMended::MoreThanFiles);
        }
        let concluded = planned.carry_out(&wanted).map_err(NotMended::Failed)?;
        let carried = concluded.carried.ok_or(NotMended::MoreThanFiles)?;
        Ok((carried.id, concluded.plan.steps.len()))
    }

    fn refuse_running(&mut self, placed: &Placed) -> Result<(), NotMended> {
        if self.session.loaded.rulebook.running.is_empty() {
            return Err(NotMended::NoSign);
        }
        match self.sign_at(placed).map_err(NotMended::Failed)? {
            Some(sign) => Err(NotMended::Running(sign)),
            None => Ok(()),
        }
    }
}

fn refuse_decisions(bad: &[Finding]) -> Result<(), NotMended> {
    match bad.iter().find(|finding| !MENDED.contains(&finding.code)) {
        Some(finding) => Err(NotMended::Decision(finding.code)),
        None => Ok(()),
    }
}

/// Whether a step puts a file of the canon in its place, and nothing more.
fn only_puts(step: &Step) -> bool {
    matches!(step.action, Action::Put { .. } | Action::Replace { .. } | Action::BackUp)
}
