//! Holding a survey against a canon: in what it is off, with commands that work where they are told.

use kanon_core::base::act::Act;
use kanon_core::base::finding::Finding;
use kanon_core::base::suggestion::Suggestion;
use kanon_core::canon::Canon;
use kanon_core::delta::{CheckContext, Delta};

use crate::notice::Notice;
use crate::session::{Session, Surveyed};

impl Session<'_> {
    /// In what a survey is off a canon.
    pub fn findings(&self, canon: &Canon, surveyed: &Surveyed) -> Vec<Finding> {
        let context = CheckContext { left: &surveyed.left, ..self.measure(canon) };
        let mut found = Delta::compute(context, &surveyed.survey).findings();
        found.iter_mut().for_each(|finding| suggest_for_here(self, surveyed, finding));
        found
    }

    /// The same, and remembers what was found for who looks later; of what was measured just now, since a survey out of a file
    /// may be of any day.
    pub fn findings_now(&self, canon: &Canon, surveyed: &Surveyed) -> Vec<Finding> {
        let (survey, findings) = (&surveyed.survey, self.findings(canon, surveyed));
        let measured = (survey.mods.len(), surveyed.known_by());
        if surveyed.counts.is_some()
            && let Err(error) = self.keep_look(&survey.install.name, canon, measured, &findings)
        {
            self.observer.notice(Notice::NotRemembered(error));
        }
        findings
    }
}

/// A command is told as it works where it is printed: in another folder, in a game that follows a release, or not at all.
fn suggest_for_here(session: &Session<'_>, surveyed: &Surveyed, finding: &mut Finding) {
    let Some(command) = finding.remedy.command() else { return };
    let typed = session.machine.typed();
    let is_followed = session.workspace.as_ref().is_some_and(|workspace| workspace.following().is_some());
    finding.remedy = match command.is_align() {
        true if is_followed => {
            let follow = session.mends_by.clone().unwrap_or_else(|| Suggestion::new("follow").led_by(typed));
            finding.remedy.with(follow.with_options_of(command))
        }
        true if surveyed.counts.is_none() => Act::MendWhereInstalled.into(),
        _ => finding.remedy.with(command.clone().led_by(typed)),
    };
}
