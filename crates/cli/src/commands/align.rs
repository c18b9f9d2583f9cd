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
use kanon_app::alignment::{AlignmentRun, Wanted};
use kanon_app::session::Session;

/// An install on its way, or what stopped it.
struct Batch<'e> {
    jobs: Vec<(String, Result<AlignmentRun<'e>, Failure>)>,
    wanted: Wanted,
}

pub fn run(arguments: &Align, env: &Env, ui: &Ui) -> Result<Outcome, Failure> {
    let mut fleet = Batch::open(arguments, env, ui)?;
    if !arguments.preview {
        fleet.each(|job, _| Ok(job.refuse_busy()?));
    }
    if !arguments.preview && !fleet.finish_unfinished(arguments, env, ui)? {
        return Ok(Outcome::Findings);
    }
    fleet.each(|job, wanted| Ok(job.plan(wanted)?));
    if env.format == Format::Text {
        for job in fleet.good() {
            // Only where nothing is to be done somebody must know whether that is all.
            let is_empty = job.planned.plan.steps.is_empty();
            let in_line = !is_empty || outcome(job).0.is_none_or(|held| in_line(&held.findings));
            ui.report(&render::align::plan(&job.placed.name, &job.planned.plan, (in_line, env.verbose)));
        }
    }
    fleet.tell_undecided(ui);
    for (_, job) in &mut fleet.jobs {
        job.as_mut().map_or(Ok(()), |job| job.settle_orphans(!arguments.preview))?;
    }
    fleet.tell_unrehearsed(arguments, ui)?;
    if fleet.good().any(AlignmentRun::has_work)
        && !arguments.preview
        && agreed(arguments.yes, env, ui, Question::or_look("Do this?", "--preview"))?
    {
        fleet.each(|job, wanted| Ok(job.carry_out(wanted)?));
    }
    fleet.conclude(arguments, env, ui)
}

impl<'e> Batch<'e> {
    fn open(arguments: &Align, env: &'e Env, ui: &'e Ui) -> Result<Self, Failure> {
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
        let role = lens.role.map(Role::from);
        let wanted = Wanted {
            others: if arguments.take_over { Others::TakeOver } else { Others::Respect },
            ..Wanted::from(&arguments.consent)
        };
        refuse_unknown_licences(&session, &wanted.said)?;
        let jobs = std::thread::scope(|scope| {
            let opening: Vec<_> = names
                .iter()
                .map(|name| {
                    let (another, canon) = (session.another(), canon.clone());
                    scope.spawn(move || Ok(AlignmentRun::open(another?, name, Some(canon), role)?))
                })
                .collect();
            let opened = opening.into_iter().map(|job| job.join().unwrap_or_else(|_| Err(panicked())));
            names.iter().cloned().zip(opened).collect::<Vec<_>>()
        });
        Ok(Self { jobs, wanted })
    }

    fn good(&self) -> impl Iterator<Item = &AlignmentRun<'e>> {
        self.jobs.iter().filter_map(|(_, job)| job.as_ref().ok())
    }

    /// Does something for every install that is still on its way, side by side; one that fails drops out.
    fn each(&mut self, work: impl Fn(&mut AlignmentRun<'e>, &Wanted) -> Result<(), Failure> + Sync) {
        let wanted = &self.wanted;
        let failed: Vec<Option<Failure>> = std::thread::scope(|scope| {
            let working: Vec<_> = self
                .jobs
                .iter_mut()
                .map(|(_, job)| job.as_mut().ok().map(|job| scope.spawn(|| work(job, wanted).err())))
                .collect();
            working.into_iter().map(|job| job.and_then(|job| job.join().unwrap_or_else(|_| Some(panicked())))).collect()
        });
        for ((_, job), failure) in self.jobs.iter_mut().zip(failed) {
            if let Some(failure) = failure {
                *job = Err(failure);
            }
        }
    }

    /// Nothing is built upon a half-done alignment: what was begun is finished first. Says whether to go on.
    fn finish_unfinished(&mut self, arguments: &Align, env: &Env, ui: &Ui) -> Result<bool, Failure> {
        let mut any = false;
        for job in self.good() {
            if let Some(unfinished) = &job.unfinished {
                any = true;
                let (id, name) = (unfinished.id, &job.placed.name);
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
            return Ok(true);
        }
        if !agreed(arguments.yes, env, ui, Question::or_look("Finish it?", "--preview"))? {
            return Ok(false);
        }
        self.each(|job, wanted| {
            let Some((id, state)) = job.unfinished.as_ref().map(|unfinished| (unfinished.id, unfinished.state)) else {
                return Ok(());
            };
            let name = job.placed.name.clone();
            let said = match job.finish(wanted)? {
                _ if state == AlignmentState::Undoing => {
                    format!("{}: alignment {id} of {name} is taken back", styled(GOOD, "done"))
                }
                true => format!("{}: alignment {id} of {name} is finished", styled(GOOD, "done")),
                false => format!("alignment {id} of {name} had not come to its first step; it is struck out"),
            };
            ui.notice(&said);
            Ok(())
        });
        Ok(true)
    }

    /// Where mods reshape the world, a person says what becomes of it.
    fn tell_undecided(&self, ui: &Ui) {
        for job in self.good().filter(|job| !job.planned.undecided.is_empty()) {
            ui.notice(&format!(
                "{}: {} would reshape the world that is there. Say what becomes of it: --world new sets it aside and lets the game make a new one, --world FILE puts a prepared one in its place, --world keep leaves it (a copy goes into the backup)",
                job.placed.name,
                FoldedId::joined(&job.planned.undecided, ", ")
            ));
        }
    }

    /// Whether the canon was rehearsed, where there is a server for that: told, or asked for by the policy.
    fn tell_unrehearsed(&self, arguments: &Align, ui: &Ui) -> Result<(), Failure> {
        for job in self.good().filter(|job| job.placed.role == Role::Server && job.has_work()) {
            let wishes = &job.session.workspace()?.config;
            let is_rehearsal = wishes.install(&job.placed.name).is_some_and(|install| install.is_rehearsal);
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
            match job.session.rehearsal_of(job.canon()?)? {
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
                        job.placed.name
                    ))
                    .hint(hint));
                }
                None => ui.notice(&format!("note: this canon was never rehearsed: {hint}")),
            }
        }
        Ok(())
    }

    fn conclude(self, arguments: &Align, env: &Env, ui: &Ui) -> Result<Outcome, Failure> {
        let (mut reports, mut failures, mut text) = (Vec::new(), Vec::new(), String::new());
        let mut good = true;
        for (name, job) in self.jobs {
            match job {
                Ok(job) => {
                    let (held, done) = outcome(&job);
                    text.push_str(&conclusion(&job, held.as_ref(), done));
                    good &= done && held.as_ref().is_none_or(|held| in_line(&held.findings));
                    reports.push(render::align::Report {
                        format: plan::FORMAT,
                        install: job.placed.name.clone(),
                        steps: job.planned.plan.steps.iter().map(ToldStep::from).collect(),
                        undecided: job.planned.undecided,
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

/// What is still off, and whether nothing is left to do.
pub fn outcome(job: &AlignmentRun<'_>) -> (Option<InstallCheck>, bool) {
    let carried = job.carried.as_ref();
    let surveyed = carried.map(|carried| &carried.surveyed).or(job.planned.surveyed.as_ref());
    let held = surveyed.zip(job.canon().ok()).map(|(surveyed, canon)| held(&job.session, canon, surveyed));
    (held, carried.is_some() || job.planned.plan.steps.is_empty())
}

/// What an alignment came to, as text.
pub fn conclusion(job: &AlignmentRun<'_>, held: Option<&InstallCheck>, done: bool) -> String {
    let name = &job.placed.name;
    let mut out = String::new();
    if let Some(carried) = &job.carried {
        out = format!(
            "\n{}: alignment {} of {name}; copies of what was there are in {}\n",
            styled(GOOD, "done"),
            carried.id,
            job.backup_shown(carried.id)
        );
        let undo = job.session.machine.command(&format!("undo {}", quoted(name)));
        out.push_str(&format!("take it back with: {undo}\n"));
        out.push_str(&render::align::pruned(&carried.pruned));
    }
    let (Some(held), true) = (held, done) else { return out };
    let how = if held.known_by == "receipt" { "by size and time" } else { "measured again" };
    if in_line(&held.findings) {
        out.push_str(&format!("{how}: {name} is {} with the canon\n", styled(GOOD, "in line")));
        return out;
    }
    out.push_str(&format!("{how}: {name} is still off the canon in what an alignment can't mend:\n"));
    render::check::findings(&mut out, &held.findings);
    out
}
