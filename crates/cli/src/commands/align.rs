//! `kanon align`: brings installs in line with the canon.

use kanon_core::base::finding::in_line;
use kanon_core::base::ids::FoldedId;
use kanon_core::base::suggestion::quoted;
use kanon_core::config::Unrehearsed;
use kanon_core::plan;
use kanon_core::plan::text_edits::Consents;
use kanon_core::rulebook::Role;
use kanon_io::claim::Others;
use kanon_io::state::AlignmentState;

use super::check::held;
use super::panicked;
use crate::Outcome;
use crate::arguments::{Align, Format};
use crate::asking::{Question, agreed};
use crate::env::{Env, day_of};
use crate::failure::Failure;
use crate::render::check::InstallCheck;
use crate::render::{self, GOOD, styled};
use crate::ui::Ui;
use crate::words::steps::ToldStep;
use kanon_app::alignment::{Concluded, Opened, Planned, Wanted};
use kanon_app::session::{Session, Surveyed};

/// Installs on their way, each at the same phase, or what stopped it.
struct Batch<T> {
    jobs: Vec<(String, Result<T, Failure>)>,
}

pub fn run(arguments: &Align, env: &Env, ui: &Ui) -> Result<Outcome, Failure> {
    let wanted = Wanted {
        others: if arguments.take_over { Others::TakeOver } else { Others::Respect },
        ..Wanted::from(&arguments.consent)
    };
    let mut opened = Batch::open(arguments, &wanted, env, ui)?;
    if !arguments.preview {
        opened = opened.each(|job| job.at.refuse_busy().map(|()| job).map_err(Failure::from));
        opened = match opened.finish_unfinished(&wanted, arguments, env, ui)? {
            Some(finished) => finished,
            None => return Ok(Outcome::Findings),
        };
    }
    let mut planned = opened.each(|job| Ok(job.plan(&wanted)?));
    if env.format == Format::Text {
        for job in planned.good() {
            // Only where nothing is to be done somebody must know whether that is all.
            let in_line = !job.plan.steps.is_empty() || in_line(&held_at(&job.opened, &job.surveyed).findings);
            ui.report(&render::align::plan(&job.opened.at.placed.name, &job.plan, (in_line, env.verbose)));
        }
    }
    planned.tell_undecided(ui);
    for (_, job) in &mut planned.jobs {
        job.as_mut().map_or(Ok(()), |job| job.settle_orphans(!arguments.preview))?;
    }
    planned.tell_unrehearsed(arguments, ui)?;
    let goes_on = planned.good().any(Planned::has_work)
        && !arguments.preview
        && agreed(arguments.yes, env, ui, Question::or_look("Do this?", "--preview"))?;
    let concluded = planned.each(|job| if goes_on { Ok(job.carry_out(&wanted)?) } else { Ok(job.leave()) });
    concluded.report(arguments, env, ui)
}

impl<T: Send> Batch<T> {
    fn good(&self) -> impl Iterator<Item = &T> {
        self.jobs.iter().filter_map(|(_, job)| job.as_ref().ok())
    }

    /// Brings every install that is still on its way into its next phase, side by side; one that fails drops out.
    fn each<U: Send>(self, work: impl Fn(T) -> Result<U, Failure> + Sync) -> Batch<U> {
        let work = &work;
        let jobs = std::thread::scope(|scope| {
            let begun: Vec<_> = self
                .jobs
                .into_iter()
                .map(|(name, job)| (name, job.map(|job| scope.spawn(move || work(job)))))
                .collect();
            let done = begun
                .into_iter()
                .map(|(name, job)| (name, job.and_then(|job| job.join().unwrap_or_else(|_| Err(panicked())))));
            done.collect()
        });
        Batch { jobs }
    }
}

impl<'e> Batch<Opened<'e>> {
    fn open(arguments: &Align, wanted: &Wanted, env: &'e Env, ui: &'e Ui) -> Result<Self, Failure> {
        let lens = &arguments.lens;
        let session = Session::open(&env.machine, ui, lens.rulebook.as_deref(), lens.thorough)?;
        let canon = session.canon()?;
        if !arguments.preview {
            session.refuse_stale(&canon)?;
        }
        let names = match &arguments.install {
            Some(name) => vec![name.clone()],
            None => session.install_names()?.into_iter().map(String::from).collect(),
        };
        refuse_unknown_licences(&session, &wanted.said)?;
        let role = lens.role.map(Role::from);
        let sessions = names.into_iter().map(|name| {
            let another = session.another().map_err(Failure::from);
            (name.clone(), another.map(|session| (name, session)))
        });
        let closed = Batch { jobs: sessions.collect() };
        Ok(closed.each(|(name, session)| Ok(Opened::open(session, &name, canon.clone(), role)?)))
    }

    /// Nothing is built upon a half-done alignment: what was begun is finished first. Nothing when that is not agreed to.
    fn finish_unfinished(
        self,
        wanted: &Wanted,
        arguments: &Align,
        env: &Env,
        ui: &Ui,
    ) -> Result<Option<Self>, Failure> {
        let mut any = false;
        for job in self.good() {
            if let Some(unfinished) = &job.unfinished {
                any = true;
                let (id, name) = (unfinished.id, &job.at.placed.name);
                let (done, all) = (unfinished.steps_done, unfinished.steps.len());
                ui.notice(&match unfinished.state {
                    AlignmentState::Undoing => {
                        format!("taking back {id} of {name} was interrupted; that is finished first")
                    }
                    _ => format!(
                        "alignment {id} of {name} was interrupted after {done} of {all} steps; it is finished first"
                    ),
                });
            }
        }
        if !any {
            return Ok(Some(self));
        }
        if !agreed(arguments.yes, env, ui, Question::or_look("Finish it?", "--preview"))? {
            return Ok(None);
        }
        Ok(Some(self.each(|mut job| {
            let Some((id, state)) = job.unfinished.as_ref().map(|unfinished| (unfinished.id, unfinished.state)) else {
                return Ok(job);
            };
            let name = job.at.placed.name.clone();
            let said = match job.finish(wanted)? {
                _ if state == AlignmentState::Undoing => {
                    format!("{}: alignment {id} of {name} is taken back", styled(GOOD, "done"))
                }
                true => format!("{}: alignment {id} of {name} is finished", styled(GOOD, "done")),
                false => format!("alignment {id} of {name} had not come to its first step; it is struck out"),
            };
            ui.notice(&said);
            Ok(job)
        })))
    }
}

impl Batch<Planned<'_>> {
    /// Where mods reshape the world, a person says what becomes of it.
    fn tell_undecided(&self, ui: &Ui) {
        for job in self.good().filter(|job| !job.undecided.is_empty()) {
            ui.notice(&format!(
                "{}: {} would reshape the world that is there. Say what becomes of it: --world new sets it aside and lets the game make a new one, --world FILE puts a prepared one in its place, --world keep leaves it (a copy goes into the backup)",
                job.opened.at.placed.name,
                FoldedId::joined(&job.undecided, ", ")
            ));
        }
    }

    /// Whether the canon was rehearsed, where there is a server for that: told, or asked for by the policy.
    fn tell_unrehearsed(&self, arguments: &Align, ui: &Ui) -> Result<(), Failure> {
        for job in self.good().filter(|job| job.opened.at.placed.role == Role::Server && job.has_work()) {
            let at = &job.opened.at;
            let wishes = &at.session.workspace()?.config;
            let is_rehearsal = wishes.install(&at.placed.name).is_some_and(|install| install.is_rehearsal);
            let must = wishes.unrehearsed == Unrehearsed::Refuse;
            let rehearsals: Vec<&str> = wishes
                .installs
                .iter()
                .filter(|install| install.is_rehearsal)
                .map(|install| install.name.as_str())
                .collect();
            if is_rehearsal || (rehearsals.is_empty() && !must) {
                continue;
            }
            let hint = rehearsals.first().map_or_else(
                || {
                    "add a server for it to kanon.toml: rehearsal = true under its [install]; then kanon rehearse it"
                        .to_owned()
                },
                |name| format!("kanon rehearse {}", quoted(name)),
            );
            match at.session.rehearsal_of(&job.opened.canon)? {
                Some(passed) => {
                    let day = jiff::Timestamp::from_second(passed.at).map(day_of).unwrap_or_default();
                    ui.notice(&format!(
                        "this canon passed its rehearsal on {} ({day}, up after {:.0} s)",
                        passed.install, passed.seconds
                    ));
                }
                None if must && !arguments.preview => {
                    return Err(Failure::plain(format!(
                        "this canon was never rehearsed, and kanon.toml asks for it before {} is aligned",
                        at.placed.name
                    ))
                    .hint(hint));
                }
                None => ui.notice(&format!("note: this canon was never rehearsed: {hint}")),
            }
        }
        Ok(())
    }
}

impl Batch<Concluded<'_>> {
    fn report(self, arguments: &Align, env: &Env, ui: &Ui) -> Result<Outcome, Failure> {
        let (mut reports, mut failures, mut text) = (Vec::new(), Vec::new(), String::new());
        let mut good = true;
        for (name, job) in self.jobs {
            match job {
                Ok(job) => {
                    let held = held_at(&job.opened, &job.surveyed);
                    text.push_str(&conclusion(&job, &held));
                    good &= job.is_all() && in_line(&held.findings);
                    reports.push(render::align::Report {
                        format: plan::FORMAT,
                        install: job.opened.at.placed.name.clone(),
                        steps: job.plan.steps.iter().map(ToldStep::from).collect(),
                        undecided: job.undecided,
                        done: job.carried.is_some(),
                    });
                }
                Err(failure) => failures.push((name, failure)),
            }
        }
        if !arguments.all
            && let Some((_, failure)) = failures.pop()
        {
            return Err(failure);
        }
        match (env.format, arguments.all, reports.as_slice()) {
            (Format::Json, false, [one]) => ui.json(one)?,
            (Format::Json, ..) => {
                let failed = failures.iter().map(|(install, failure)| render::align::Failed::new(install, failure));
                ui.json(&render::align::Batch {
                    format: "kanon-alignments/1",
                    done: good && failures.is_empty(),
                    failed: failed.collect(),
                    alignments: reports,
                })?;
            }
            (Format::Text, ..) => ui.report(&text),
        }
        super::tell_failures(ui, &failures, good)
    }
}

/// A licence is accepted by the name of its setting; a slip of the pen accepts none.
pub fn refuse_unknown_licences(session: &Session<'_>, said: &Consents) -> Result<(), Failure> {
    let known: Vec<&str> = session
        .loaded
        .rulebook
        .settings
        .iter()
        .filter(|rule| rule.licence.is_some())
        .map(|rule| rule.name.as_str())
        .collect();
    let Some(unknown) = said.licences.iter().find(|name| !known.contains(&name.as_str())) else { return Ok(()) };
    let otherwise = match known.is_empty() {
        true => "the rulebook knows of no licence".to_owned(),
        false => format!("it is one of: {}", known.join(", ")),
    };
    let failure = Failure::plain(format!("no setting called `{unknown}` accepts a licence"));
    Err(failure.hint_nearest(unknown, known, otherwise))
}

/// In what an install that is aligned is off.
pub fn held_at(opened: &Opened<'_>, surveyed: &Surveyed) -> InstallCheck {
    held(&opened.at.session, &opened.canon, surveyed)
}

/// What an alignment came to, as text.
fn conclusion(job: &Concluded<'_>, held: &InstallCheck) -> String {
    let at = &job.opened.at;
    let name = &at.placed.name;
    let mut out = String::new();
    if let Some(carried) = &job.carried {
        out = format!(
            "\n{}: alignment {} of {name}; copies of what was there are in {}\n",
            styled(GOOD, "done"),
            carried.id,
            at.backup_shown(carried.id)
        );
        let undo = at.session.machine.command(&format!("undo {}", quoted(name)));
        out.push_str(&format!("take it back with: {undo}\n"));
        out.push_str(&render::align::pruned(&carried.pruned));
    }
    if !job.is_all() {
        return out;
    }
    let how = if held.known_by == "receipt" { "by size and time" } else { "measured again" };
    if in_line(&held.findings) {
        out.push_str(&format!("{how}: {name} is {} with the canon\n", styled(GOOD, "in line")));
        return out;
    }
    out.push_str(&format!("{how}: {name} is still off the canon in what an alignment can't mend:\n"));
    render::check::findings(&mut out, &held.findings);
    out
}
